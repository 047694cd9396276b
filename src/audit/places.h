// SPDX-License-Identifier: GPL-3.0-or-later
// Bad elements by neighbourhood: one bad fillet is one entry, not four hundred.
#pragma once
#include "audit/audit.h"

namespace tess {

constexpr std::size_t kMostFailing = 5000; ///< cells that fail and are looked at for their places

struct WorstPlace {
  std::int32_t worst = -1;         ///< its worst cell
  std::vector<std::int32_t> cells; ///< all bad cells there, ascending
  double value = 0;                ///< metric of the worst cell
  Vec3 at = Vec3::Zero();          ///< centre of the worst cell
  bool atBoundary = false;         ///< a node of its cells is one of a boundary face
  std::vector<std::string> groups; ///< of faces, that its cells have a node in; those with most of them first
};

/// Groups the cells that fail a limit of the metric (or, when none fails or there is no limit, its worst ones, see
/// MetricValues) by nearness: cells with a common node, or closer than their own size, are one place, unless it would
/// be wider than a third of the mesh: then it is divided around its worst cells. Worst place first; at most 5000 cells
/// are looked at, the worst of them. Deterministic.
std::vector<WorstPlace> worstPlaces(const Mesh& mesh, const Audit& audit, Metric metric);
/// The same for the cells that one limit judges, from its side.
std::vector<WorstPlace> worstPlaces(const Mesh& mesh, const Audit& audit, const Limit& limit);

} // namespace tess
