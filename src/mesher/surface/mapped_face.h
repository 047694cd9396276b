// SPDX-License-Identifier: GPL-3.0-or-later
// Rows and columns of quadrilaterals on a face of four sides: transfinite interpolation of its edges (Gordon & Hall
// 1973), every node put back on the true face. Rows round a face between two closed ends follow cubics that leave both
// ends square to them.
#pragma once
#include "mesher/surface/surface.h"

namespace tess {

/// Nodes along edges one after the other, from the start of the first to the end of the last.
std::vector<int> nodesAlong(const SurfaceMesh& mesh, const EdgeChain& chain);

/// Lengths along places from the first one on, as shares of the whole.
std::vector<double> lengthShares(const std::vector<Vec3>& places);

/// Adds nodes, quadrilaterals, their triangles and the grid of a face whose edges are divided in `mesh`. `tetSide`: the
/// side where tetrahedra meet it; the diagonals bulge into that side. A problem where opposite edges have different
/// counts or a quadrilateral would be folded; `mesh` is of no use then.
/// `ringRows`: rows of a face that is a ring.
std::optional<Problem> addMappedFace(const Part& part, const MappedFace& face, int tetSide, int ringRows,
                                     SurfaceMesh& mesh, const Progress& progress);

} // namespace tess
