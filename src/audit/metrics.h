// SPDX-License-Identifier: GPL-3.0-or-later
// Element metrics after Knupp (2003) and the usual trade forms, with definition, range and best value; docs/metrics.md
// tells them per element type. Elements of order 2 are judged by their corners, their Jacobian over the whole curved
// element. What a metric cannot say of a type is not a number.
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
  Taper,
  FaceSkewness,
  VolumeRatio,
  FaceWeight
};
constexpr int kMetrics = 19;

struct MetricInfo {
  const char* id;   ///< stable, used in files and reports
  const char* name; ///< for people
  const char* unit; ///< "", "deg", or "L", "L3" for powers of the part's unit
  const char* definition;
  const char* range;
  bool highIsGood;
  double best; ///< value of the ideal tetrahedron; not a number where there is none
};
const MetricInfo& metricInfo(Metric m);
/// Value of the ideal element of a type: regular tetrahedron, cube, wedge and pyramid of equal edges. Not a number
/// where there is none.
double bestValue(Metric m, ElementType t);
/// Whether the metric says anything of the type.
bool judges(Metric m, ElementType t);
std::optional<Metric> metricById(std::string_view id);

/// Values of one metric for all cells.
struct MetricValues {
  std::vector<float> value;          ///< not a number where the metric says nothing of the cell
  double min = 0, max = 0, mean = 0; ///< of those it tells of; not a number without any
  std::size_t known = 0;             ///< cells it tells of
  std::vector<std::int32_t> worst;   ///< cells, worst first, at most 20
};

/// All metrics of all cells; parallel, deterministic. Cost O(cells). Throws Cancelled on a stop.
std::array<MetricValues, kMetrics> computeMetrics(const Mesh& mesh, const Progress* progress = nullptr);
std::array<MetricValues, kMetrics> computeMetrics(const Mesh& mesh, const Neighbours& neighbours,
                                                  const Progress* progress);

} // namespace tess
