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
/// Counts, time, verdict, and worst and mean of every metric that the limits of any run name. Runs that are not there
/// (null) have a dash. Memory is left out: what a run keeps of it is the peak of its whole process, which runs of one
/// window share.
std::vector<CompareRow> compareRuns(const std::vector<const RunResult*>& runs);

struct RuleDifference {
  std::string first, second; ///< the rule in words; empty where it is missing
};
/// Rules that are not in both briefs as they stand; a changed rule is one entry with both its sentences.
std::vector<RuleDifference> differingRules(const Brief& first, const Brief& second);

/// The brief itself, then the other briefs of its folder that are for the same part file, by name. Files that cannot be
/// read are left out.
std::vector<Brief> alternativesOf(const Brief& brief);

} // namespace tess
