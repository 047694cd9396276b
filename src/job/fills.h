// SPDX-License-Identifier: GPL-3.0-or-later
// What the rules 'fill' say of each body.
#pragma once
#include "job/groups.h"
#include "mesher/plan/plan.h"

namespace tess {

struct Fills {
  std::vector<FillWish> wishes; ///< per body of the part
  int order = 1;                ///< of the whole mesh
};

/// A card for a group of bodies overrules one for everything, one for fewer bodies one for more, a later one an earlier
/// one. Cards that differ for just the same bodies, names that are no group of bodies, and orders that differ become
/// findings.
Fills fillsOf(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
              std::vector<Problem>& problems);
/// What is planned for bodies and faces before anything is meshed; what cards cannot have is a finding.
MeshPlan planOfBrief(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
                     std::vector<Problem>& problems);
/// What the window does about a body that does not fit.
constexpr const char* kProposeCuts = "propose cuts";
/// "1 body mapped, 2 bodies of tetrahedra": bodies by fill, the structured ones first.
std::string fillSummary(const std::vector<BodyPlan>& bodies);
/// The order alone, which needs no part.
int orderOf(const Brief& brief);

} // namespace tess
