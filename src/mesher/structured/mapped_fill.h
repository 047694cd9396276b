// SPDX-License-Identifier: GPL-3.0-or-later
// Hexahedra in a body of six sides whose faces have their rows.
#pragma once
#include "mesher/optimise/node_moves.h"
#include "mesher/structured/six_sides.h"
#include "mesher/surface/body_cells.h"
#include "mesher/surface/surface.h"

namespace tess {

/// Transfinite interpolation of the six faces (Gordon & Hall 1973), then the inner nodes are moved where a hexahedron
/// would be inverted. A problem `fill.inverted` where one stays so; `surface` is not changed.
Result<StructuredCells> fillMapped(const Part& part, int body, const SurfaceMesh& surface, const Progress& progress);

/// Moves inner nodes where cells are inverted or poor.
NodeMoves bettered(const SurfaceMesh& surface, StructuredCells& cells, const Progress& progress);

} // namespace tess
