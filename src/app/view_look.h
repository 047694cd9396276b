// SPDX-License-Identifier: GPL-3.0-or-later
// How a view shows the part: everything but the camera and what is selected.
#pragma once
#include "audit/metrics.h"
#include "base/vec.h"
#include <QJsonObject>
#include <optional>
#include <vector>

namespace tess {

enum class Lens { Part, Groups, Size, Quality, Regions, Edges, Method };
enum class SectionManner { Cut, WholeCells };

/// A plane, normal · x = offset; what lies in front of it, where the normal points, is cut away.
struct Section {
  Vec3 normal = Vec3::UnitX();
  double offset = 0; ///< in the part's unit
  bool operator==(const Section& o) const { return normal == o.normal && offset == o.offset; }
  double height(const Vec3& x) const { return normal.dot(x) - offset; }
  /// Axis that the normal lies on, or -1.
  int axis() const;
};

struct ViewLook {
  static constexpr std::size_t kMostSections = 4;
  Lens lens = Lens::Part;
  Metric metric = Metric::Skewness;
  bool mesh = true, edges = true, seeThrough = false, shrunk = false;
  bool linesOnly = false; ///< edges without surfaces
  bool numbers = false;   ///< of the nodes and elements that are chosen
  bool cut = false;       ///< whether the sections hold
  SectionManner manner = SectionManner::Cut;
  std::vector<Section> sections;
  std::size_t active = 0; ///< section that is moved; less than their number, or 0
  bool operator==(const ViewLook&) const = default;
  /// Whether a place is cut away.
  bool away(const Vec3& x) const;

  QJsonObject toJson() const;
  /// Nothing when it is none of toJson().
  static std::optional<ViewLook> fromJson(const QJsonObject& o);
};

/// Coordinates as an array, and back; nothing when there are not three finite ones.
QJsonArray toJson(const Vec3& x);
std::optional<Vec3> vecFromJson(const QJsonValue& v);

} // namespace tess
