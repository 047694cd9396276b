// SPDX-License-Identifier: GPL-3.0-or-later
// Colours and the style sheet: drawing-office paper, ink, one plum accent.
#pragma once
#include "base/vec.h"
#include <QColor>
#include <QString>

namespace tess::theme {
/// Set by setDark(); widgets read them while they paint.
inline QColor paper{"#F6F4EE"}, card{"#FFFFFF"}, ink{"#22303C"}, faint{"#6B7680"}, line{"#D9D5CA"}, accent{"#7A2E5D"},
    viewport{"#ECEAE3"}, cells{"#C9C4B8"}, meshLine{"#5C656D"}, cellLine{"#4A545D"}, partLine{"#22303C"};
/// Colours that carry meaning are the same in both.
inline QColor failingText{"#B13F27"}; ///< words about limits
inline const QColor good{"#3F8F8A"}, sand{"#D9C08A"}, failing{"#C8482F"}, part{"#B8B3A8"};
void setDark(bool dark);
bool isDark();
/// A style sheet written in the light colours, in those that hold now.
QString dyed(QString sheet);
/// Twelve muted colours for groups, in turn.
QColor group(int index);
QColor method(int fill); ///< of what fills a body, by the number of its `Fill`
/// Teal - sand - vermilion for 0 (good) .. 1 (failing).
QColor quality(double badness);
/// One hue, dark for small (0) to light for large (1).
QColor size(double t);
QString styleSheet();
/// Two texts of a problem as sentences: "it is thin. Ask for less."
QString sentences(const std::string& first, const std::string& second);

} // namespace tess::theme
