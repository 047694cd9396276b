// SPDX-License-Identifier: GPL-3.0-or-later
// One node of a finished mesh moved by hand.
#pragma once
#include "geometry/part.h"
#include "mesh/mesh.h"

namespace tess {

/// Moves a node to `to`. One on a face or edge of the part goes to the nearest place on it, and those at its corners
/// stay; nodes that two bodies hold at one place (Mesh::twins) stay too. Mid nodes of the edges at a corner follow by
/// half the way, those on the boundary onto the true shape. A problem when an element would be inverted or flat
/// anywhere; `mesh` is unchanged then. Returns the way that the node went, in the part's unit.
Result<double> moveNode(Mesh& mesh, const Part& part, std::int32_t node, const Vec3& to);

} // namespace tess
