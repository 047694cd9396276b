// SPDX-License-Identifier: GPL-3.0-or-later
// Lines over the 3D picture around what lies under the pointer, points, and handles to be dragged. A widget of its own,
// so that moving the pointer over a large mesh does not draw the mesh again.
#pragma once
#include "app/view_overlay.h"
#include <QPolygonF>
#include <vector>

namespace tess {

class HoverOutline : public ViewOverlay {
public:
  using ViewOverlay::ViewOverlay;
  void show(std::vector<QPolygonF> lines);
  const std::vector<QPolygonF>& lines() const { return m_lines; }
  void showHandles(std::vector<QPointF> at);
  /// Points that are chosen or lit: whole, where surfaces around them would cut what is drawn among them.
  void showPoints(std::vector<QPointF> at);
  std::size_t pointCount() const { return m_points.size(); }
  void paintPoints(QPainter& p) const;

protected:
  void paintEvent(QPaintEvent*) override;

private:
  std::vector<QPolygonF> m_lines;
  std::vector<QPointF> m_handles, m_points;
};

} // namespace tess
