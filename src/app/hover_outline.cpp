// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/hover_outline.h"
#include "app/theme.h"
#include <QPainter>

namespace tess {

void HoverOutline::show(std::vector<QPolygonF> lines) {
  if (lines.empty() && m_lines.empty()) return;
  m_lines = std::move(lines);
  update();
}

void HoverOutline::showHandles(std::vector<QPointF> at) {
  if (at == m_handles) return;
  m_handles = std::move(at);
  update();
}

void HoverOutline::showPoints(std::vector<QPointF> at) {
  if (at == m_points) return;
  m_points = std::move(at);
  update();
}

void HoverOutline::paintPoints(QPainter& p) const {
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(theme::card, 1.2));
  p.setBrush(theme::accent);
  for (const QPointF& at : m_points) p.drawEllipse(at, 4.6, 4.6);
}

void HoverOutline::paintEvent(QPaintEvent*) {
  if (m_lines.empty() && m_handles.empty() && m_points.empty()) return;
  QPainter p(this);
  paintPoints(p);
  for (const auto& [color, width] : {std::pair(QColor(255, 255, 255, 150), 4.2), {theme::accent, 2.2}}) {
    p.setPen(QPen(color, width, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    for (const QPolygonF& line : m_lines) p.drawPolyline(line);
  }
  p.setPen(QPen(theme::card, 2));
  p.setBrush(theme::accent);
  for (const QPointF& at : m_handles) p.drawEllipse(at, 6.5, 6.5);
}

} // namespace tess
