// SPDX-License-Identifier: GPL-3.0-or-later
// Element metrics after Knupp (2003) and the usual trade forms, with definition, range and the usual limit at hand.
// Order-2 elements are judged by their corners, and their scaled Jacobian also by the whole curved element.
#pragma once
#include "base/progress.h"
#include "mesh/cell_faces.h"
#include <optional>
#include <string_view>

namespace tess {

enum class Metric : std::uint8_t {
  Skewness,
  AspectRatio,
  ScaledJacobian,
  MinDihedral,
  MaxDihedral,
  HeightRatio,
  Volume,
  EdgeLength,
  SizeChange,
  VolumeSkewness,
  MinFaceAngle,
  MaxFaceAngle,
  NonOrthogonality,
  JacobianRatio,
  Warpage,
  Taper
};
constexpr int kMetrics = 16;

struct MetricInfo {
  const char* id;   ///< stable, used in files and reports
  const char* name; ///< for people
  const char* unit; ///< "", "deg", or "L", "L3" for powers of the part's unit
  const char* definition;
  const char* range;
  bool highIsGood;
  double best; ///< value of the ideal element; not a number where there is none
};
const MetricInfo& metricInfo(Metric m);
std::optional<Metric> metricById(std::string_view id);

/// Values of one metric for all cells.
struct MetricValues {
  std::vector<float> value;
  double min = 0, max = 0, mean = 0;
  std::vector<std::int32_t> worst; ///< cells, worst first, at most 20
};

/// All metrics of all cells; parallel, deterministic. Cost O(cells). Throws Cancelled on a stop.
std::array<MetricValues, kMetrics> computeMetrics(const Mesh& mesh, const Progress* progress = nullptr);
std::array<MetricValues, kMetrics> computeMetrics(const Mesh& mesh, const Neighbours& neighbours,
                                                  const Progress* progress);
Vec3 cellCenter(const Mesh& mesh, std::size_t cell);

} // namespace tess
