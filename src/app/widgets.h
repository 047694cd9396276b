// SPDX-License-Identifier: GPL-3.0-or-later
// Small things that most panels are made of.
#pragma once
#include <QString>

class QLabel;
class QLayout;
class QToolButton;
class QWidget;

namespace tess {

/// A button that looks like a word one can follow.
QToolButton* linkButton(const QString& text, const QString& tip = {});
/// Words in one of the style sheet's manners ("small", "section", "problem", ...), wrapped.
QLabel* styledLabel(const QString& text, const char* manner, bool wrap = true);
/// Gone from sight at once, deleted when it is safe.
void dismissWidget(QWidget* w);
/// Dismisses all that a layout holds.
void emptyLayout(QLayout* l);

} // namespace tess
