// SPDX-License-Identifier: GPL-3.0-or-later
// Quadrilaterals, or mostly such, on a face of any shape. All quadrilaterals: pairs of triangles on every second node
// of the boundary, then every cell cut at the middles of its sides. Nodes of the boundary stay where they are.
#pragma once
#include "mesher/surface/face_patch.h"
#include "mesher/surface/surface.h"

namespace tess {

/// Adds nodes, cells and their triangles of a face whose edges are divided in `mesh`. `patch`: the face's own triangles
/// up to these edges, not remeshed yet. `tetSide`: the side where tetrahedra meet it; the diagonals bulge into that
/// side. Where the boundary does not allow quadrilaterals alone (odd counts, or narrower than its nodes are apart) some
/// triangles stay, which is a finding in `said`. A problem `fill.face` where cells would be folded; `mesh` is of no use
/// then.
std::optional<Problem> addPavedFace(const Part& part, const PavedFace& face, int tetSide, const SizeField& size,
                                    const FacePatch& patch, SurfaceMesh& mesh, std::vector<Problem>& said,
                                    const Progress& progress);

} // namespace tess
