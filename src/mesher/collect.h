// SPDX-License-Identifier: GPL-3.0-or-later
// What all rooms made, as one mesh.
#pragma once
#include "mesh/mesh.h"
#include "mesher/joints/joints.h"
#include "mesher/surface/body_cells.h"

namespace tess {

/// Final numbering: surface points first, then inner ones in the order of the cells; cells sorted by region, then by
/// the order of making. Nothing of it depends on threads or addresses. `nodeOf` gets
/// the node that each point became, -1 for none.
Mesh collect(const TetCore& core, const SurfaceMesh& surface, const std::vector<Joint>& joints,
             const std::vector<BodyCells>& structured, const Part& part, const Progress& progress,
             std::vector<std::int32_t>* nodeOf = nullptr);

} // namespace tess
