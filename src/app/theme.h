// SPDX-License-Identifier: GPL-3.0-or-later
// Colours and the style sheet: drawing-office paper, ink, one plum accent.
#pragma once
#include "base/vec.h"
#include <QColor>
#include <QString>

namespace tess::theme {
inline const QColor paper{"#F6F4EE"}, card{"#FFFFFF"}, ink{"#22303C"}, faint{"#6B7680"}, line{"#D9D5CA"},
    accent{"#7A2E5D"}, viewport{"#ECEAE3"}, good{"#3F8F8A"}, sand{"#D9C08A"}, failing{"#C8482F"}, part{"#B8B3A8"};
/// Twelve muted colours for groups, in turn.
QColor group(int index);
/// Teal - sand - vermilion for 0 (good) .. 1 (failing).
QColor quality(double badness);
/// One hue, dark for small (0) to light for large (1).
QColor size(double t);
QString styleSheet();
} // namespace tess::theme
