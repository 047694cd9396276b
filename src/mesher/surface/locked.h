// SPDX-License-Identifier: GPL-3.0-or-later
// A surface mesh that was accepted before, checked against the part.
#pragma once
#include "mesh/mesh.h"
#include "mesher/surface/surface.h"

namespace tess {

/// The triangles of a mesh as a surface of the part, with what each node lies on found again. A problem when they do
/// not fit the part: other faces, nodes beside their faces, faces without triangles. `faceOf`, where given, tells the
/// face of `part` for a link of the mesh.
Result<SurfaceMesh> surfaceOfMesh(const Mesh& mesh, const Part& part, const std::vector<int>& faceOf = {});

} // namespace tess
