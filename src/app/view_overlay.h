// SPDX-License-Identifier: GPL-3.0-or-later
// What is painted over the 3D picture by a widget of its own: it covers the view, lets the mouse through and lies under
// the bars that float there as well. Always there: showing it would draw the 3D picture again.
#pragma once
#include <QEvent>
#include <QWidget>

namespace tess {

class ViewOverlay : public QWidget {
public:
  explicit ViewOverlay(QWidget* view) : QWidget(view) {
    setAttribute(Qt::WA_TransparentForMouseEvents);
    lower();
    view->installEventFilter(this);
  }

protected:
  bool eventFilter(QObject* o, QEvent* e) override {
    if (e->type() == QEvent::Resize) setGeometry(parentWidget()->rect());
    return QWidget::eventFilter(o, e);
  }
};

} // namespace tess
