// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/class_bar.h"
#include "app/theme.h"
#include "base/units.h"
#include <QPainter>
#include <numeric>

namespace tess {

ClassBar::ClassBar(QWidget* parent) : QWidget(parent) {
  setAccessibleName(tr("Elements by class"));
  setToolTip(tr("How much room elements leave to the limits, on the way to the ideal value: under 15 % is poor, under "
                "40 % fair"));
  QSizePolicy policy(QSizePolicy::Preferred, QSizePolicy::Preferred);
  policy.setHeightForWidth(true);
  setSizePolicy(policy);
  setVisible(false);
}

void ClassBar::setClasses(const std::array<std::size_t, kElementClasses>& classes) {
  m_classes = classes;
  m_text.clear();
  const double all = static_cast<double>(std::accumulate(classes.begin(), classes.end(), std::size_t{0}));
  for (std::size_t k = 0; k < classes.size(); ++k)
    if (classes[k])
      m_text += (m_text.isEmpty() ? "" : QString::fromUtf8(" · ")) +
                tr(elementClassName(static_cast<ElementClass>(k))) + " " +
                QString::fromStdString(percentText(static_cast<double>(classes[k]) / all));
  setAccessibleDescription(m_text);
  setVisible(all > 0);
  updateGeometry();
  update();
}

QFont ClassBar::small() const {
  QFont f = font();
  f.setPixelSize(11);
  return f;
}

QSize ClassBar::sizeHint() const { return {100, heightForWidth(width())}; }

int ClassBar::heightForWidth(int w) const {
  return 14 + QFontMetrics(small()).boundingRect(0, 0, std::max(60, w), 200, Qt::TextWordWrap, m_text).height();
}

void ClassBar::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const double all = static_cast<double>(std::accumulate(m_classes.begin(), m_classes.end(), std::size_t{0}));
  if (all <= 0) return;
  const double badness[] = {0, 0.35, 0.6, 1};
  QRectF bar(0, 2, width(), 7);
  double x = 0;
  for (std::size_t k = 0; k < m_classes.size(); ++k) {
    if (!m_classes[k]) continue;
    // A single element stays visible beside a million.
    const double w = std::max(3.0, bar.width() * static_cast<double>(m_classes[k]) / all);
    const double left = std::min(x, bar.width() - 3);
    const QRectF piece(left, bar.top(), std::min(w, bar.width() - left), bar.height());
    p.fillRect(piece, theme::quality(badness[k]));
    if (k + 1 == m_classes.size()) p.fillRect(piece, QBrush(theme::ink, Qt::BDiagPattern));
    x += w;
  }
  p.setFont(small());
  p.setPen(theme::faint);
  p.drawText(QRectF(0, 11, width(), height() - 11), Qt::AlignLeft | Qt::AlignVCenter | Qt::TextWordWrap, m_text);
}

} // namespace tess
