// SPDX-License-Identifier: GPL-3.0-or-later
// Takes points back from surface edges that were halved only so that tetrahedra could be found: each such point moves
// off the surface, one copy into each region that meets there, and the surface gets its whole edge and triangles again
// (the way of George, Hecht & Saltel 1991; Si & Gärtner 2011).
#pragma once
#include "mesher/tets/tet.h"

namespace tess {

/// A surface edge that was halved: `vertex` was put into the middle of edge (a, b).
struct HalvedEdge {
  int vertex = -1, a = -1, b = -1;
};

/// Undoes the halvings, the last one first, in tetrahedra that hold the halved surface with its triangles locked.
/// Afterwards they hold the surface as it was; the vertices are inner ones. False when one finds no place off the
/// surface; `core` is of no use then.
bool takeBack(TetCore& core, const std::vector<HalvedEdge>& halved);

} // namespace tess
