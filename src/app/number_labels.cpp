// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/number_labels.h"
#include "app/theme.h"
#include <QFontInfo>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>

namespace tess {

void NumberLabels::show(const std::vector<NumberLabel>& labels, std::vector<QPointF> at) {
  if (labels.empty() && m_labels.empty()) return;
  m_labels = labels;
  m_at = std::move(at);
  update();
}

void NumberLabels::paintOn(QPainter& p) const {
  p.setRenderHint(QPainter::Antialiasing);
  const int usual = QFontInfo(font()).pixelSize();
  QFont small = font(), large = font();
  small.setPixelSize(std::max(9, static_cast<int>(0.9 * usual)));
  large.setPixelSize(std::max(12, static_cast<int>(1.15 * usual)));
  large.setWeight(QFont::DemiBold);
  QColor halo = theme::viewport;
  halo.setAlpha(215);
  std::vector<QRectF> taken; // a number that would cover another one is left out; its node keeps the dot
  for (std::size_t i = 0; i < m_labels.size(); ++i) {
    const NumberLabel& l = m_labels[i];
    const QFont& font = l.body ? large : small;
    const QFontMetricsF metrics(font);
    const QColor ink = l.element && !l.body && !l.quiet ? theme::accent : theme::ink;
    QPointF at = m_at[i] + QPointF(5, -4);
    if (l.element)
      at = m_at[i] + QPointF(-0.5 * metrics.horizontalAdvance(l.text), 0.35 * metrics.ascent());
    else {
      p.setPen(QPen(halo, 1.5));
      p.setBrush(ink);
      p.drawEllipse(m_at[i], 3, 3);
    }
    const QRectF room(at.x(), at.y() - metrics.ascent(), metrics.horizontalAdvance(l.text), metrics.height());
    if (std::any_of(taken.begin(), taken.end(), [&](const QRectF& r) { return r.intersects(room); })) continue;
    taken.push_back(room);
    QPainterPath path;
    path.addText(at, font, l.text);
    p.strokePath(path, QPen(halo, 4, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    p.fillPath(path, ink);
  }
}

void NumberLabels::paintEvent(QPaintEvent*) {
  if (m_labels.empty()) return;
  QPainter p(this);
  paintOn(p);
}

} // namespace tess
