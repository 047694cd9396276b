// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets.h"
#include <QCoreApplication>
#include <QLabel>
#include <QLayout>
#include <QLineEdit>
#include <QToolButton>

namespace tess {

QToolButton* linkButton(const QString& text, const QString& tip) {
  auto* b = new QToolButton;
  b->setObjectName("link");
  b->setText(text);
  b->setToolTip(tip);
  b->setCursor(Qt::PointingHandCursor);
  return b;
}

QToolButton* flushLink(const QString& text, const QString& tip) {
  auto* b = linkButton(text, tip);
  b->setProperty("flush", true);
  return b;
}

QLabel* styledLabel(const QString& text, const char* manner, bool wrap) {
  auto* l = new QLabel(text);
  l->setObjectName(manner);
  l->setWordWrap(wrap);
  return l;
}

QString countOf(std::size_t count, Dim dim) {
  static const char* words[][2] = {{QT_TRANSLATE_NOOP("counts", "1 point"), QT_TRANSLATE_NOOP("counts", "%1 points")},
                                   {QT_TRANSLATE_NOOP("counts", "1 edge"), QT_TRANSLATE_NOOP("counts", "%1 edges")},
                                   {QT_TRANSLATE_NOOP("counts", "1 face"), QT_TRANSLATE_NOOP("counts", "%1 faces")},
                                   {QT_TRANSLATE_NOOP("counts", "1 body"), QT_TRANSLATE_NOOP("counts", "%1 bodies")}};
  const QString text = QCoreApplication::translate("counts", words[static_cast<std::size_t>(dim)][count != 1]);
  return count == 1 ? text : text.arg(count);
}

QString ruleWords(const std::string& words) {
  return words.empty() ? QString() : QCoreApplication::translate("rules", words.c_str());
}

void dismissWidget(QWidget* w) {
  w->hide();
  w->setParent(nullptr);
  w->deleteLater();
}

QLineEdit* filterLine(const QString& hint) {
  auto* e = new QLineEdit;
  e->setPlaceholderText(hint);
  e->setAccessibleName(hint);
  e->setClearButtonEnabled(true);
  return e;
}

bool wordsIn(const QString& filter, const QString& text) {
  const auto words = filter.split(' ', Qt::SkipEmptyParts);
  return std::all_of(words.begin(), words.end(),
                     [&](const QString& w) { return text.contains(w, Qt::CaseInsensitive); });
}

void emptyLayout(QLayout* l) {
  while (auto* i = l->takeAt(0)) {
    if (i->widget()) dismissWidget(i->widget());
    if (i->layout()) emptyLayout(i->layout());
    delete i;
  }
}

} // namespace tess
