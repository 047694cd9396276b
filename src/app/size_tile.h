// SPDX-License-Identifier: GPL-3.0-or-later
// Overlays of the viewport that show sizes before there is a mesh: a patch of elements as large as the brief asks for
// under the pointer, the reasons for that size, and the scale of the lens's colours.
#pragma once
#include <QColor>
#include <QFrame>
#include <QPolygonF>
#include <functional>
#include <vector>

class QVBoxLayout;

namespace tess {

/// Draws the patch; takes no mouse events and covers the whole viewport.
class SizeTile : public QWidget {
  Q_OBJECT
public:
  explicit SizeTile(QWidget* parent);
  /// `corners`: the six outer corners in true perspective; `middle`: the place under the pointer. `length` in words,
  /// `pixels` the length on the screen. Patches under 6 pixels are drawn in an inset with a scale bar.
  void show(const QPolygonF& corners, const QPointF& middle, const QString& length, double pixels);
  void clear();
  bool shown() const { return !m_corners.isEmpty(); }
  const QString& length() const { return m_length; }
  bool magnified() const { return shown() && m_pixels < 6; }

protected:
  void paintEvent(QPaintEvent*) override;

private:
  QPolygonF m_corners;
  QPointF m_middle;
  QString m_length;
  double m_pixels = 0;
};

/// "Why this size here?": the deciding rule and the runners-up; a click on a line asks for its card.
class WhyBox : public QFrame {
  Q_OBJECT
public:
  explicit WhyBox(QWidget* parent);
  struct Line {
    QString size, words;
    int rule = -1; ///< of the brief; < 0: the overall rule's doing
  };
  void show(const std::vector<Line>& lines, const QPoint& near);
  const std::vector<Line>& lines() const { return m_lines; }

signals:
  void ruleClicked(int rule);

private:
  QVBoxLayout* m_box;
  std::vector<Line> m_lines;
};

/// What the colours of the lens mean.
class LensScale : public QFrame {
  Q_OBJECT
public:
  explicit LensScale(QWidget* parent);
  struct Tick {
    double at; ///< 0..1 along the scale
    QString text;
  };
  /// `color` for 0..1 along the scale; `hatchFrom`: from there on failing, drawn hatched (> 1: nowhere).
  void show(const QString& title, const std::vector<Tick>& ticks, std::function<QColor(double)> color,
            double hatchFrom = 2);
  const QString& title() const { return m_title; }
  const std::vector<Tick>& ticks() const { return m_ticks; }

protected:
  void paintEvent(QPaintEvent* e) override;

private:
  QString m_title;
  std::vector<Tick> m_ticks;
  std::function<QColor(double)> m_color;
  double m_hatchFrom = 2;
};

} // namespace tess
