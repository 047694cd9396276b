// SPDX-License-Identifier: GPL-3.0-or-later
// Lines over the 3D picture around what lies under the pointer, and handles to be dragged. A widget of its own, so that
// moving the pointer over a large mesh does not draw the mesh again.
#pragma once
#include <QPolygonF>
#include <QWidget>
#include <vector>

namespace tess {

class HoverOutline : public QWidget {
public:
  /// Covers its parent and lets the mouse through. Always there: showing it would draw the 3D picture again.
  explicit HoverOutline(QWidget* parent);
  void show(std::vector<QPolygonF> lines);
  const std::vector<QPolygonF>& lines() const { return m_lines; }
  void showHandles(std::vector<QPointF> at);

protected:
  void paintEvent(QPaintEvent*) override;
  bool eventFilter(QObject* o, QEvent* e) override;

private:
  std::vector<QPolygonF> m_lines;
  std::vector<QPointF> m_handles;
};

} // namespace tess
