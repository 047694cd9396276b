// SPDX-License-Identifier: GPL-3.0-or-later
// Judges any mesh, ours or imported: limits with a verdict, and soundness. Limit sets carry the source of their
// figures.
#pragma once
#include "audit/metrics.h"
#include "audit/soundness.h"
#include "base/problem.h"
#include <algorithm>
#include <optional>

namespace tess {

/// What fails a limit, but was looked at and let pass.
struct Acceptance {
  double to; ///< values from the bound to this one, itself included
  std::string reason;
  bool operator==(const Acceptance&) const = default;
};

struct Limit {
  Metric metric;
  bool atLeast; ///< true: value must be >= bound, false: <= bound
  double bound;
  std::string source;
  std::string where = {};               ///< the group whose cells it judges; empty: all that no group's limit does
  std::vector<std::uint8_t> cells = {}; ///< per cell whether it is judged; empty: all are
  std::optional<Acceptance> accepted = {};
  bool timesTarget = false;            ///< `bound` is a multiple of the target size; see withTarget()
  std::vector<ElementType> types = {}; ///< that it judges; empty: all that the metric tells of

  /// Whether `other` judges the same: its metric has both a least and a largest good value where two limits say so.
  bool alike(const Limit& other) const {
    return metric == other.metric && atLeast == other.atLeast && types == other.types;
  }
  bool judges(std::size_t cell) const { return cells.empty() || cells[cell]; }
  bool judges(std::size_t cell, ElementType type) const {
    return judges(cell) && (types.empty() || std::find(types.begin(), types.end(), type) != types.end());
  }
  /// Of a cell that it judges; what is not known breaks nothing.
  bool beyond(double value) const { return atLeast ? value < bound : value > bound; }
  bool broken(std::size_t cell, ElementType type, double value) const { return judges(cell, type) && beyond(value); }
  double worse(double a, double b) const { return atLeast ? std::min(a, b) : std::max(a, b); }
  /// Of a value that breaks the limit.
  bool accepts(double value) const { return accepted && (atLeast ? value >= accepted->to : value <= accepted->to); }
};
struct LimitSet {
  std::string name, purpose;
  std::vector<Limit> limits;
  std::vector<ElementType> notAllowed; ///< element types that the purpose rules out
  std::string notAllowedWhy;
  double allowedShare = 0; ///< of the volume that they may fill all the same
};
const std::vector<LimitSet>& limitSets();
const LimitSet* limitSet(std::string_view name);
/// Puts a limit into a set. One for all cells takes the place of the set's own for that metric and side; one for the
/// cells of a group (`limit.cells`) takes its place in those cells only.
void addLimit(LimitSet& set, Limit limit);
/// Bounds that are multiples of the target size as lengths; without a target (0) they judge nothing.
LimitSet withTarget(LimitSet set, double target);

/// How much room an element leaves to the limits: of the way from the limit to the ideal value, under 15 % is poor,
/// under 40 % fair (for the worst of its limits that have an ideal value). Our own steps; limits themselves carry a
/// source.
enum class ElementClass : std::uint8_t { Good, Fair, Poor, Failing };
constexpr int kElementClasses = 4;
constexpr double kPoorRoom = 0.15, kFairRoom = 0.4;
const char* elementClassName(ElementClass c);

struct LimitResult {
  Limit limit;
  std::size_t failing = 0; ///< elements that fail and are not accepted
  std::size_t accepted = 0;
  double share = 0; ///< of the failing ones
  double worst = 0;
};
struct Audit {
  std::array<MetricValues, kMetrics> metrics;
  LimitSet limits;
  std::vector<LimitResult> results;
  std::size_t failingCells = 0;      ///< cells that fail at least one limit without being accepted
  std::size_t acceptedCells = 0;     ///< cells that fail some limits, all of them accepted
  std::vector<std::uint8_t> failing; ///< per cell
  std::vector<ElementType> cellType; ///< per cell, as the mesh had it
  std::size_t notAllowedCells = 0;   ///< of types that are ruled out, where they fill more than what is allowed
  double notAllowedShare = 0;        ///< of the volume that they fill, allowed or not
  std::array<std::size_t, kElementClasses> classes{}; ///< elements by class
  Soundness soundness;
  double volume = 0;              ///< of all cells
  std::vector<ElementType> types; ///< that occur, in the order of ElementType
  bool pass = false;
  std::string sentence; ///< the verdict in words
  std::string missing;  ///< regions without elements, in words: the mesh is not whole then, whatever its elements are
};

/// Runs everything. Cost O(cells). Deterministic for any number of threads. Throws Cancelled on a stop.
Audit auditMesh(const Mesh& mesh, const LimitSet& limits, const Progress* progress = nullptr);
/// Judges again with other limits, reusing the metrics.
void applyLimits(Audit& audit, const Mesh& mesh, const LimitSet& limits);

} // namespace tess
