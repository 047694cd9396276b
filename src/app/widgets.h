// SPDX-License-Identifier: GPL-3.0-or-later
// Small things that most panels are made of.
#pragma once
#include "geometry/part.h"
#include <QString>

class QLabel;
class QLayout;
class QLineEdit;
class QToolButton;
class QWidget;

namespace tess {

/// A button that looks like a word one can follow.
QToolButton* linkButton(const QString& text, const QString& tip = {});
/// The same whose words begin and end where other text of a column does, without room for a finger beside them.
QToolButton* flushLink(const QString& text, const QString& tip = {});
/// Words in one of the style sheet's manners ("small", "section", "problem", ...), wrapped.
QLabel* styledLabel(const QString& text, const char* manner, bool wrap = true);
/// Gone from sight at once, deleted when it is safe.
void dismissWidget(QWidget* w);
/// "1 face", "3 bodies".
QString countOf(std::size_t count, Dim dim);
/// Words of the rule table in the language of the window.
QString ruleWords(const std::string& words);
/// A line above a list that leaves what holds all words typed into it; see wordsIn().
QLineEdit* filterLine(const QString& hint);
/// Whether `text` holds every word of `filter`, whatever their case.
bool wordsIn(const QString& filter, const QString& text);
/// Dismisses all that a layout holds.
void emptyLayout(QLayout* l);

} // namespace tess
