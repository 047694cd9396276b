// SPDX-License-Identifier: GPL-3.0-or-later
// Meshes of the faces at the axis of a turned body. Rows of quadrilaterals run round a pole up to a core, whose pattern
// stands on both poles; a profile stands on the sides of a part of a revolution.
#pragma once
#include "mesher/surface/surface.h"

namespace tess {

/// Adds the meshes of poles and sides, and what they have in common as SurfaceMesh::turned, to a surface that has the
/// walls. `faces`: with the side of the tetrahedra. A problem `fill.face` where rows do not meet, or cells would be
/// folded; `mesh` is of no use then.
std::optional<Problem> addTurnedFaces(const Part& part, const Sweep& sweep, const std::vector<FacePlan>& faces,
                                      const SizeField& size, SurfaceMesh& mesh, const Progress& progress);

} // namespace tess
