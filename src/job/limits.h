// SPDX-License-Identifier: GPL-3.0-or-later
// The limits a brief asks for: the set of its purpose, then its own limits, for all elements or those at a group.
#pragma once
#include "audit/audit.h"
#include "job/brief.h"

namespace tess {

/// Names of the metrics as they stand in briefs, in the order of Metric: "min dihedral angle", ...
std::vector<std::string> metricWords();
/// Limits of the brief for a mesh that has its groups. A limit at a group holds for the cells that belong to it or have
/// a node on it; groups that the mesh lacks judge nothing. Cost O(cells) per limit at a group.
LimitSet briefLimits(const Brief& brief, const Mesh& mesh);
/// "Min dihedral angle" or "Min dihedral angle at bolt holes".
std::string limitName(const Limit& limit);

} // namespace tess
