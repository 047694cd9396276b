// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets.h"
#include <QLabel>
#include <QLayout>
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

QLabel* styledLabel(const QString& text, const char* manner, bool wrap) {
  auto* l = new QLabel(text);
  l->setObjectName(manner);
  l->setWordWrap(wrap);
  return l;
}

void dismissWidget(QWidget* w) {
  w->hide();
  w->setParent(nullptr);
  w->deleteLater();
}

void emptyLayout(QLayout* l) {
  while (auto* i = l->takeAt(0)) {
    if (i->widget()) dismissWidget(i->widget());
    if (i->layout()) emptyLayout(i->layout());
    delete i;
  }
}

} // namespace tess
