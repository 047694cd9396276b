// SPDX-License-Identifier: GPL-3.0-or-later
// What all rooms made, as one mesh.
#pragma once
#include "mesh/mesh.h"
#include "mesher/joints/joints.h"
#include "mesher/structured/mapped_fill.h"

namespace tess {

/// Cells in rows or layers of one body; nodes from `base` on are its own points.
struct BodyCells {
  int body = -1;
  int base = 0;
  StructuredCells cells;
};

/// Final numbering: surface points first, then inner ones in the order of the cells; cells sorted by region, then by
/// the order of making. Nothing of it depends on threads or addresses.
Mesh collect(const TetCore& core, const SurfaceMesh& surface, const std::vector<Joint>& joints,
             const std::vector<BodyCells>& structured, const Part& part, const Progress& progress);

} // namespace tess
