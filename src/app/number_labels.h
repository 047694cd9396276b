// SPDX-License-Identifier: GPL-3.0-or-later
// Numbers of nodes and elements over the 3D picture. A widget of its own, as text of the 3D library follows neither
// font nor scaling of the desktop.
#pragma once
#include "app/view_overlay.h"
#include "base/vec.h"
#include <QPointF>
#include <QString>
#include <vector>

namespace tess {

struct NumberLabel {
  Vec3 at; ///< in the part's unit
  QString text;
  bool element = false; ///< stands at its middle; else a node, which gets a dot
  bool body = false;    ///< a word on a body: larger, and in ink
  bool quiet = false;   ///< in ink all the same
};

class NumberLabels : public ViewOverlay {
public:
  using ViewOverlay::ViewOverlay;
  /// Labels with their places on the widget.
  void show(const std::vector<NumberLabel>& labels, std::vector<QPointF> at);
  std::size_t count() const { return m_at.size(); }
  void paintOn(QPainter& p) const;

protected:
  void paintEvent(QPaintEvent*) override;

private:
  std::vector<NumberLabel> m_labels;
  std::vector<QPointF> m_at;
};

} // namespace tess
