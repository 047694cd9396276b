// SPDX-License-Identifier: GPL-3.0-or-later
// Runs side by side: figures, and the rules in which their briefs differ; briefs that are alternatives for one part.
#pragma once
#include "job/run.h"

namespace tess {

struct CompareRow {
  std::string what;
  std::vector<std::string> values; ///< by run
  int best = -1;                   ///< run that is better than all others in this; -1: none, or no matter of better
};
/// Counts, time, memory, verdict, and worst and mean of every metric that the limits of any run name; the part's volume
/// where the part is not the same. Runs that are not there (null) have a dash.
std::vector<CompareRow> compareRuns(const std::vector<const RunResult*>& runs);

/// Whether the part of all runs has the same volume, and where they tell it the same surface at the same place: a hole
/// that moved is no longer the same part. Runs that are not there (null) do not count.
bool samePart(const std::vector<const RunResult*>& runs);

struct RuleDifference {
  std::string first, second; ///< the rule in words; empty where it is missing
};
/// Rules that are not in both briefs as they stand; a changed rule is one entry with both its sentences.
std::vector<RuleDifference> differingRules(const Brief& first, const Brief& second);

/// The brief itself, then the other briefs of its folder that are for the same part file, by name. Files that cannot be
/// read are left out.
std::vector<Brief> alternativesOf(const Brief& brief);

} // namespace tess
