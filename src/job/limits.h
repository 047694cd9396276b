// SPDX-License-Identifier: GPL-3.0-or-later
// The limits a brief asks for: the set of its purpose, then its own limits, for all elements or those at a group.
#pragma once
#include "audit/audit.h"
#include "job/brief.h"

namespace tess {

/// Names of the metrics as they stand in briefs, in the order of Metric: "min dihedral angle", ...
std::vector<std::string> metricWords();
/// File of limits that the brief is judged by, as a path that can be opened; empty when it names none.
std::string limitsFileOf(const Brief& brief);
/// The set that the brief's own limits and acceptances change: that of the judge's file, or of its purpose where there
/// is no file or it cannot be read.
LimitSet judgedBy(const Brief& brief);
/// Limits of the brief for a mesh that has its groups: those of its purpose or file, its own, and what it accepts. A
/// file that cannot be read is left to validateBrief(); the purpose's limits stand in for it. `target`: size that
/// multiples in a file are of; without one (0) they judge nothing. Cost O(cells) per limit at a group.
LimitSet briefLimits(const Brief& brief, const Mesh& mesh, double target = 0);
/// The set for a mesh: a limit at groups holds for the cells that belong to them or have a node on them; groups that
/// the mesh lacks judge nothing.
LimitSet atGroups(const LimitSet& set, const Mesh& mesh);
/// Whether a metric's values are lengths, whose limits may be multiples of the target size.
bool isLength(Metric metric);
/// "Min dihedral angle" or "Min dihedral angle at bolt holes".
std::string limitName(const Limit& limit);

} // namespace tess
