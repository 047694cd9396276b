// SPDX-License-Identifier: GPL-3.0-or-later
// Rows of quadrilaterals on a face whose corners are all about square, those that lead back inside included: L, T, U,
// a cross, steps. Every side runs one of four ways; with as many elements forth as back, the nodes of the boundary have
// places in a grid (submapping, Whiteley et al. 1996), and the cells are what it encloses there.
#pragma once
#include "mesher/surface/smooth_face.h"
#include <optional>

namespace tess {

/// `base` holds the nodes of one loop, in order, with the region to the left; `ways` one per node: which of four ways
/// (0 to 3, counter-clockwise) the boundary runs from it to the next. Inner nodes come from the Laplace equation on the
/// grid, with the spacing of the boundary, and lie near the face, not on it. None where the ways do not close, or the
/// boundary meets itself in the grid.
std::optional<FaceCells> cellsInLattice(const FaceCells& base, const std::vector<int>& ways);

} // namespace tess
