// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/histogram.h"
#include "app/theme.h"
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <cmath>
#include <limits>

namespace tess {
namespace {
constexpr int kBars = 32;
}

Histogram::Histogram(QWidget* parent) : QWidget(parent) {
  setMinimumHeight(140);
  setFocusPolicy(Qt::StrongFocus);
  setCursor(Qt::CrossCursor);
  setAccessibleName(tr("Histogram; drag to choose a range"));
  setToolTip(tr("Drag to see just those elements; click to let go"));
}

void Histogram::setValues(const std::vector<float>* values, const QualityScale& scale, std::vector<char> only) {
  m_values = values;
  m_scale = scale;
  m_only = std::move(only);
  m_from = m_to = 0;
  m_bars.assign(kBars, 0);
  if (values && !values->empty()) {
    auto counted = [&](std::size_t i) { return (m_only.empty() || m_only[i]) && !std::isnan((*values)[i]); };
    double lo = std::numeric_limits<double>::max(), hi = -lo;
    for (std::size_t i = 0; i < values->size(); ++i)
      if (counted(i)) lo = std::min<double>(lo, (*values)[i]), hi = std::max<double>(hi, (*values)[i]);
    if (lo > hi) lo = hi = 0;
    m_lo = lo;
    m_hi = hi;
    if (m_hi <= m_lo + 1e-12) m_hi = m_lo + std::max(1e-6, std::abs(m_lo) * 0.01);
    for (std::size_t i = 0; i < values->size(); ++i)
      if (counted(i))
        ++m_bars[static_cast<std::size_t>(
            std::clamp(static_cast<int>(((*values)[i] - m_lo) / (m_hi - m_lo) * kBars), 0, kBars - 1))];
  }
  update();
}

void Histogram::setHeights(Heights h) {
  m_heights = h;
  update();
}

QRectF Histogram::plot() const { return QRectF(4, 18, width() - 8, height() - 52); }
double Histogram::valueAt(double x) const {
  QRectF r = plot();
  return m_lo + std::clamp((x - r.left()) / r.width(), 0.0, 1.0) * (m_hi - m_lo);
}
double Histogram::xAt(double v) const {
  QRectF r = plot();
  return r.left() + (v - m_lo) / (m_hi - m_lo) * r.width();
}

std::size_t Histogram::brushedCount() const {
  std::size_t n = 0;
  if (m_values && brushed())
    for (std::size_t i = 0; i < m_values->size(); ++i) n += chosen(i);
  return n;
}

void Histogram::brush(double from, double to) {
  // Snap outwards to bars, so that the count is that of whole bars.
  double w = (m_hi - m_lo) / kBars;
  if (to > from) {
    m_from = m_lo + std::floor((from - m_lo) / w + 1e-9) * w;
    m_to = m_lo + std::ceil((to - m_lo) / w - 1e-9) * w;
    if (m_to >= m_hi - 1e-9 * (m_hi - m_lo))
      m_to = std::nextafter(m_hi, 1e300) + 1e-6 * std::abs(m_hi); // values are floats
    if (m_from <= m_lo + 1e-9 * (m_hi - m_lo)) m_from = m_lo - 1e-6 * std::abs(m_lo);
  } else
    m_from = m_to = 0;
  update();
  emit brushChanged();
}

void Histogram::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  QRectF r = plot();
  if (!m_values || m_values->empty()) {
    p.setPen(theme::faint);
    p.drawText(rect(), Qt::AlignCenter, tr("no mesh yet"));
    return;
  }
  if (brushed()) {
    QRectF b(xAt(std::max(m_from, m_lo)), r.top() - 4, 0, r.height() + 4);
    b.setRight(xAt(std::min(m_to, m_hi)));
    p.fillRect(b, QColor(122, 46, 93, 30));
    p.setPen(QPen(theme::accent, 2));
    p.drawLine(b.topLeft(), b.bottomLeft());
    p.drawLine(b.topRight(), b.bottomRight());
  }
  std::size_t most = *std::max_element(m_bars.begin(), m_bars.end());
  double w = r.width() / kBars;
  for (int i = 0; i < kBars; ++i) {
    std::size_t n = m_bars[static_cast<std::size_t>(i)];
    if (!n) continue;
    const double share = static_cast<double>(n) / static_cast<double>(most);
    const double tall = m_heights == Heights::Root ? std::sqrt(share)
                        : m_heights == Heights::Log
                            ? std::log1p(static_cast<double>(n)) / std::log1p(static_cast<double>(most))
                            : share;
    double h = std::max(2.0, tall * r.height());
    const double v = m_lo + (i + 0.5) / kBars * (m_hi - m_lo), bad = m_scale.badness(v);
    bool in = !brushed() || (v >= m_from && v <= m_to);
    QColor c = theme::quality(bad);
    if (!in) c.setAlpha(90);
    QRectF bar(r.left() + i * w + 0.5, r.bottom() - h, w - 1, h);
    p.fillRect(bar, c);
    if (bad >= 1) { // failing bars are hatched: no meaning by colour alone
      p.setPen(Qt::NoPen);
      p.setBrush(QBrush(QColor(255, 255, 255, 130), Qt::BDiagPattern));
      p.drawRect(bar);
      p.setBrush(Qt::NoBrush);
    }
  }
  p.setPen(theme::faint);
  p.drawLine(r.bottomLeft(), r.bottomRight());
  QFont f = font();
  f.setPixelSize(10);
  p.setFont(f);
  auto text = [](double v) { return QString::number(v, 'g', 3); };
  p.drawText(QRectF(r.left(), r.bottom() + 2, 80, 14), Qt::AlignLeft, text(m_lo));
  p.drawText(QRectF(r.right() - 80, r.bottom() + 2, 80, 14), Qt::AlignRight, text(m_hi));
  if (const Limit* limit = m_scale.limit()) {
    if (limit->bound > m_lo && limit->bound < m_hi) {
      double x = xAt(limit->bound);
      p.setPen(QPen(theme::failing, 1, Qt::DashLine));
      p.drawLine(QPointF(x, r.top() - 4), QPointF(x, r.bottom()));
    }
    p.setPen(theme::failingText);
    p.drawText(QRectF(r.left(), 0, r.width(), 14), Qt::AlignRight,
               tr("limit %1 %2").arg(limit->atLeast ? "≥" : "≤").arg(text(limit->bound)));
  }
  p.setPen(theme::faint);
  p.drawText(QRectF(r.left(), 0, r.width(), 14), Qt::AlignLeft,
             m_heights == Heights::Root  ? tr("heights by square root")
             : m_heights == Heights::Log ? tr("heights by logarithm")
                                         : tr("heights by count"));
  if (brushed()) {
    f.setPixelSize(11);
    f.setBold(true);
    p.setFont(f);
    p.setPen(theme::accent);
    p.drawText(QRectF(r.left(), r.bottom() + 15, r.width(), 16), Qt::AlignCenter,
               tr("%1 – %2 · %L3 elements")
                   .arg(text(std::max(m_from, m_lo)))
                   .arg(text(std::min(m_to, m_hi)))
                   .arg(brushedCount()));
  } else
    p.drawText(QRectF(r.left(), r.bottom() + 15, r.width(), 16), Qt::AlignCenter,
               tr("drag over bars to see their elements"));
  if (hasFocus()) {
    p.setPen(QPen(theme::accent, 1, Qt::DotLine));
    p.drawRect(rect().adjusted(0, 0, -1, -1));
  }
}

void Histogram::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || !m_values) return;
  m_start = valueAt(e->position().x());
  m_moved = false;
}
void Histogram::mouseMoveEvent(QMouseEvent* e) {
  if (!(e->buttons() & Qt::LeftButton) || !m_values) return;
  m_moved = true;
  double v = valueAt(e->position().x());
  brush(std::min(v, m_start), std::max(v, m_start));
}
void Histogram::mouseReleaseEvent(QMouseEvent*) {
  if (!m_moved && m_values) brush(0, 0);
}
void Histogram::keyPressEvent(QKeyEvent* e) {
  int step = e->key() == Qt::Key_Left ? -1 : e->key() == Qt::Key_Right ? 1 : 0;
  if (!step || !m_values) return QWidget::keyPressEvent(e);
  double w = (m_hi - m_lo) / kBars;
  double a = brushed() ? std::max(m_from, m_lo) : m_lo, b = brushed() ? std::min(m_to, m_hi) : m_lo + w;
  if (!brushed()) return brush(a, b);
  if (e->modifiers() & Qt::ShiftModifier)
    b = std::clamp(b + step * w, a + w, m_hi);
  else if (a + step * w >= m_lo - 1e-9 * w && b + step * w <= m_hi + 1e-9 * w)
    a += step * w, b += step * w;
  brush(a + 0.01 * w, b - 0.01 * w);
}

} // namespace tess
