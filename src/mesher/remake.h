// SPDX-License-Identifier: GPL-3.0-or-later
// Only some bodies of a mesh made anew: those that are filled otherwise now, and their neighbours.
#pragma once
#include "mesher/mesher.h"

namespace tess {

/// A mesh of the same part by the same sizes, made by meshPart().
struct MeshBefore {
  Mesh mesh;
  const std::vector<BodyPlan>& bodies;
  const std::vector<FacePlan>& faces;
  const std::vector<Problem>& problems;
};

/// Remakes the bodies that the plan fills otherwise than before, and those that have an edge in common with them. All
/// other cells stay as they are, and so do the faces between. Nothing where that is no gain or cannot be done: no body
/// is filled otherwise, all would be remade, the faces that stay leave no room, or something was not followed. `kept`:
/// per body, whether it stayed.
std::optional<MeshOutcome> remakeBodies(const Part& part, const SizeField& size, const MeshWishes& wishes,
                                        const MeshOptions& options, MeshBefore before, std::vector<char>& kept,
                                        Progress& progress);

} // namespace tess
