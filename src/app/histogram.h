// SPDX-License-Identifier: GPL-3.0-or-later
// Histogram of one metric with a range brush: drag over it to choose a range, click to let go. Arrow keys move the
// brush by a bar, Shift+arrows widen it.
#pragma once
#include "app/quality_scale.h"
#include <QWidget>

namespace tess {

class Histogram : public QWidget {
  Q_OBJECT
public:
  explicit Histogram(QWidget* parent = nullptr);
  /// How heights tell counts: by square root, so that one bad element stays visible beside a million good ones, by
  /// logarithm, or as they are.
  enum class Heights { Root, Log, Linear };
  /// `values` must stay alive until the next call, and so must what `scale` was made of; its limit is drawn. `only`:
  /// flags per value of those that are counted, empty for all.
  void setValues(const std::vector<float>* values, const QualityScale& scale, std::vector<char> only = {});
  void setHeights(Heights h);
  Heights heights() const { return m_heights; }
  /// Whether a value is counted and lies in the brush.
  bool chosen(std::size_t i) const {
    return (m_only.empty() || m_only[i]) && (*m_values)[i] >= m_from && (*m_values)[i] <= m_to;
  }
  bool brushed() const { return m_from < m_to; }
  double from() const { return m_from; }
  double to() const { return m_to; }
  void brush(double from, double to);
  /// Number of values in the brush.
  std::size_t brushedCount() const;
  const std::vector<std::size_t>& bars() const { return m_bars; }
  double lowest() const { return m_lo; }
  double highest() const { return m_hi; }
  QSize sizeHint() const override { return {260, 150}; }

signals:
  void brushChanged();

protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;

private:
  const std::vector<float>* m_values = nullptr;
  QualityScale m_scale;
  std::vector<char> m_only;
  Heights m_heights = Heights::Root;
  std::vector<std::size_t> m_bars;
  double m_lo = 0, m_hi = 1, m_from = 0, m_to = 0, m_start = 0;
  bool m_moved = false;
  QRectF plot() const;
  double valueAt(double x) const;
  double xAt(double v) const;
};

} // namespace tess
