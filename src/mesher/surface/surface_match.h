// SPDX-License-Identifier: GPL-3.0-or-later
// Faces that lie closer together than their elements are large, through a wall of material or across a gap, get nodes
// opposite each other. Between them then stand columns of tetrahedra with clean angles, however thin, where nodes at
// random places would leave flat ones; and a narrow gap can be filled at all.
#pragma once
#include "mesher/surface/face_patch.h"
#include "size/opposite.h"
#include <memory>

namespace tess {

/// Moves or adds inner vertices of remeshed patches, face by face in pairs: the one keeps its mesh but for places
/// opposite the other's boundary, the other takes over its vertices. `patches`: one per part face. Returns the number
/// of vertices held.
int matchPatches(const Part& part, std::vector<std::unique_ptr<FacePatch>>& patches, Progress& progress);

} // namespace tess
