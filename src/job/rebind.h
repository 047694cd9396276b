// SPDX-License-Identifier: GPL-3.0-or-later
// After the part has changed: which groups mean the same as before, which have lost or gained entities, which are in
// doubt. Groups are found by their descriptions, so nothing needs picking again where the part still fits them.
#pragma once
#include "job/groups.h"

namespace tess {

struct Rebound {
  enum class State { Same, Changed, Lost, InDoubt };
  std::string name;
  State state = State::Same;
  int before = 0, now = 0; ///< numbers of entities
  std::string words;       ///< what happened, for people
  Vec3 at = Vec3::Zero();  ///< a place to look at, on the new part
};
/// One entry per group of the brief. In doubt: a point of a description that lay on its entity lies off every one now,
/// by more than a hundredth of the part, or two points have come to mean the same entity.
std::vector<Rebound> compareGroups(const Brief& brief, const Part& before,
                                   const std::vector<ResolvedGroup>& groupsBefore, const Part& now,
                                   const std::vector<ResolvedGroup>& groupsNow);
/// The same as findings: one summary note, and one entry for each group that is not the same.
std::vector<Problem> reboundFindings(const std::vector<Rebound>& groups, const Part& now);

} // namespace tess
