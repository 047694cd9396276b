// SPDX-License-Identifier: GPL-3.0-or-later
// Two runs side by side: figures, and the rules in which their briefs differ.
#pragma once
#include "job/run.h"

namespace tess {

struct CompareRow {
  std::string what, first, second;
  int better = 0; ///< 1 or 2 for the run that is better in this; 0 when neither, or when it is no matter of better
};
/// Counts, time, verdict, and worst and mean of every metric that the limits of either run name.
/// Memory is left out: what a run keeps of it is the peak of its whole process, which runs of one window share.
std::vector<CompareRow> compareRuns(const RunResult& first, const RunResult& second);

struct RuleDifference {
  std::string first, second; ///< the rule in words; empty where it is missing
};
/// Rules that are not in both briefs as they stand; a changed rule is one entry with both its sentences.
std::vector<RuleDifference> differingRules(const Brief& first, const Brief& second);

} // namespace tess
