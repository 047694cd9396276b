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
  int before = 0, now = 0;         ///< numbers of entities
  std::string words;               ///< what happened, for people
  Vec3 at = Vec3::Zero();          ///< a place to look at, on the new part
  std::optional<Rule> repair = {}; ///< lost or in doubt: the description that finds the faces meant, if they are clear
};
/// One entry per group of the brief. In doubt: a point of a description that lay on its entity lies off every one now,
/// by more than a hundredth of the part, or two points have come to mean the same entity.
std::vector<Rebound> compareGroups(const Brief& brief, const Part& before,
                                   const std::vector<ResolvedGroup>& groupsBefore, const Part& now,
                                   const std::vector<ResolvedGroup>& groupsNow);
/// The faces of `now` that the given faces of `before` have become: of the same kind, radius, direction and nearly the
/// same area, at the same place or at one moved as the part's box was. Empty unless each has exactly one counterpart.
std::vector<int> counterparts(const Part& before, const std::vector<int>& faces, const Part& now);
/// By how much a part was moved as a whole: of the same size, at another place. Nothing when it was not.
std::optional<Vec3> movedAsAWhole(const Part& before, const Part& now);
/// The same as findings: one summary note, and one entry for each group that is not the same.
std::vector<Problem> reboundFindings(const std::vector<Rebound>& groups, const Part& now);

} // namespace tess
