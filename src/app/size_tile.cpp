// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/size_tile.h"
#include "app/theme.h"
#include "app/widgets.h"
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>

namespace tess {

SizeTile::SizeTile(QWidget* parent) : QWidget(parent) {
  setAttribute(Qt::WA_TransparentForMouseEvents);
  hide();
}

void SizeTile::show(const QPolygonF& corners, const QPointF& middle, const QString& length, double pixels) {
  m_corners = corners;
  m_middle = middle;
  m_length = length;
  m_pixels = pixels;
  setGeometry(parentWidget()->rect());
  QWidget::show();
  update();
}

void SizeTile::clear() {
  if (m_corners.isEmpty()) return;
  m_corners.clear();
  hide();
}

void SizeTile::paintEvent(QPaintEvent*) {
  if (m_corners.size() < 3) return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  auto patch = [&](const QPolygonF& corners, const QPointF& middle) {
    QColor fill = theme::accent;
    fill.setAlpha(46);
    p.setBrush(fill);
    p.setPen(QPen(theme::accent, 1.4));
    p.drawPolygon(corners);
    for (const QPointF& c : corners) p.drawLine(middle, c);
  };
  auto tag = [&](QPointF at) {
    QRectF r = QFontMetricsF(font()).boundingRect(m_length).adjusted(-6, -3, 6, 3);
    at.setX(std::clamp(at.x(), 4.0, std::max(4.0, width() - r.width() - 4)));
    at.setY(std::clamp(at.y(), 4.0, std::max(4.0, height() - r.height() - 4)));
    r.moveTopLeft(at);
    p.setPen(Qt::NoPen);
    p.setBrush(theme::accent);
    p.drawRoundedRect(r, 4, 4);
    p.setPen(theme::card);
    p.drawText(r, Qt::AlignCenter, m_length);
  };
  if (!magnified()) {
    patch(m_corners, m_middle);
    QRectF b = m_corners.boundingRect();
    tag({b.right() + 6, b.top() - 4});
    return;
  }
  // Too small to see: an inset beside the pointer shows it enlarged, with a bar as long as one element there.
  constexpr double kElement = 22, kRadius = 40;
  double factor = kElement / std::max(m_pixels, 1e-9);
  QPointF centre = m_middle + QPointF(kRadius + 18, -kRadius - 12);
  centre.setX(std::clamp(centre.x(), kRadius + 4, std::max(kRadius + 4, width() - kRadius - 4)));
  centre.setY(std::clamp(centre.y(), kRadius + 4, std::max(kRadius + 4, height() - kRadius - 30)));
  p.setPen(QPen(theme::accent, 1, Qt::DashLine));
  p.drawLine(m_middle, centre);
  p.setPen(QPen(theme::accent, 1.2));
  p.setBrush(QColor(255, 255, 255, 235));
  p.drawEllipse(centre, kRadius, kRadius);
  QPolygonF grown;
  for (const QPointF& c : m_corners) grown << centre + (c - m_middle) * factor;
  patch(grown, centre);
  p.setPen(QPen(theme::ink, 1.6));
  QPointF from = centre + QPointF(-kElement / 2, kRadius - 9), to = from + QPointF(kElement, 0);
  p.drawLine(from, to);
  for (const QPointF& e : {from, to}) p.drawLine(e + QPointF(0, -3), e + QPointF(0, 3));
  tag(centre + QPointF(-22, kRadius + 4));
}

WhyBox::WhyBox(QWidget* parent) : QFrame(parent) {
  setObjectName("floatbar");
  m_box = new QVBoxLayout(this);
  m_box->setContentsMargins(10, 7, 10, 7);
  m_box->setSpacing(2);
  hide();
}

void WhyBox::show(const std::vector<Line>& lines, const QPoint& near) {
  m_lines = lines;
  emptyLayout(m_box);
  m_box->addWidget(styledLabel(tr("WHY THIS SIZE HERE"), "section", false));
  bool first = true;
  for (const auto& l : lines) {
    auto* row = new QWidget;
    auto* h = new QHBoxLayout(row);
    h->setContentsMargins(0, 0, 0, 0);
    h->setSpacing(6);
    auto* size = new QLabel(first ? "<b>" + l.size.toHtmlEscaped() + "</b>" : l.size.toHtmlEscaped());
    size->setMinimumWidth(62);
    const QString text = l.words.size() > 36 ? l.words.left(34) + "…" : l.words;
    auto* words = flushLink(text, tr("show its card: %1").arg(l.words));
    int rule = l.rule;
    connect(words, &QToolButton::clicked, this, [this, rule] { emit ruleClicked(rule); });
    h->addWidget(size);
    h->addWidget(words);
    h->addStretch();
    m_box->addWidget(row);
    first = false;
  }
  QFrame::show();
  for (auto* w : findChildren<QWidget*>()) w->ensurePolished();
  m_box->invalidate();
  adjustSize();
  QPoint at = near;
  at.setX(std::clamp(at.x(), 6, std::max(6, parentWidget()->width() - width() - 6)));
  at.setY(std::clamp(at.y(), 6, std::max(6, parentWidget()->height() - height() - 6)));
  move(at);
  raise();
}

LensScale::LensScale(QWidget* parent) : QFrame(parent) {
  setObjectName("floatbar");
  setAttribute(Qt::WA_TransparentForMouseEvents);
  setFixedSize(250, 54);
  hide();
}

void LensScale::show(const QString& title, const std::vector<Tick>& ticks, std::function<QColor(double)> color,
                     double hatchFrom) {
  m_title = title;
  m_ticks = ticks;
  m_color = std::move(color);
  m_hatchFrom = hatchFrom;
  QString said = title;
  for (const auto& t : ticks) said += ", " + t.text;
  setAccessibleName(said);
  QFrame::show();
  update();
}

void LensScale::paintEvent(QPaintEvent* e) {
  QFrame::paintEvent(e);
  if (!m_color) return;
  QPainter p(this);
  QFont f = font();
  f.setPixelSize(11);
  p.setFont(f);
  p.setPen(theme::faint);
  p.drawText(QRect(12, 4, width() - 24, 15), Qt::AlignLeft | Qt::AlignVCenter, m_title);
  const QRect bar(12, 21, width() - 24, 11);
  for (int x = 0; x < bar.width(); ++x)
    p.fillRect(bar.x() + x, bar.y(), 1, bar.height(), m_color(x / std::max(1.0, bar.width() - 1.0)));
  if (m_hatchFrom <= 1) {
    QRect failing(bar.x() + static_cast<int>(m_hatchFrom * bar.width()), bar.y(), 0, bar.height());
    failing.setRight(bar.right());
    p.fillRect(failing, QBrush(QColor(34, 48, 60, 120), Qt::BDiagPattern));
  }
  p.setPen(theme::line);
  p.drawRect(bar.adjusted(0, 0, -1, -1));
  p.setPen(theme::ink);
  QFontMetrics m(f);
  int last = -1000;
  for (const auto& t : m_ticks) {
    int w = m.horizontalAdvance(t.text), x = bar.x() + static_cast<int>(t.at * (bar.width() - 1));
    int left = std::clamp(x - w / 2, 6, width() - 6 - w);
    if (left < last + 6) continue; // no text over another
    p.drawLine(x, bar.bottom() + 1, x, bar.bottom() + 3);
    p.drawText(left, bar.bottom() + 15, t.text);
    last = left + w;
  }
}

} // namespace tess
