// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/hover_outline.h"
#include "app/theme.h"
#include <QPainter>

namespace tess {

HoverOutline::HoverOutline(QWidget* parent) : QWidget(parent) {
  setAttribute(Qt::WA_TransparentForMouseEvents);
  hide();
}

void HoverOutline::show(std::vector<QPolygonF> lines) {
  if (lines.empty() && m_lines.empty()) return;
  m_lines = std::move(lines);
  if (m_lines.empty()) return hide();
  setGeometry(parentWidget()->rect());
  lower(); // under the bars that float there as well
  QWidget::show();
  update();
}

void HoverOutline::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  for (const auto& [color, width] : {std::pair(QColor(255, 255, 255, 150), 4.2), {theme::accent, 2.2}}) {
    p.setPen(QPen(color, width, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    for (const QPolygonF& line : m_lines) p.drawPolyline(line);
  }
}

} // namespace tess
