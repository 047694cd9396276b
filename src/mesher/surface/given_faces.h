// SPDX-License-Identifier: GPL-3.0-or-later
// Faces whose mesh is there already, put into a surface that is made around them.
#pragma once
#include "mesher/surface/surface.h"

namespace tess {

/// Adds the triangles, quadrilaterals and, on faces that the plan maps, rows of `given` to a surface whose edges are
/// divided; nodes on given edges get their places exactly. A problem `surface.given` where an edge came out otherwise,
/// `fill.face` where quadrilaterals are no rows; `mesh` is of no use then.
std::optional<Problem> addGivenFaces(const Part& part, const GivenFaces& given, const MeshPlan& plan,
                                     SurfaceMesh& mesh);

} // namespace tess
