// SPDX-License-Identifier: GPL-3.0-or-later
// Hexahedra in a body of six sides whose faces have their rows.
#pragma once
#include "mesher/optimise/node_moves.h"
#include "mesher/structured/six_sides.h"
#include "mesher/surface/surface.h"

namespace tess {

/// Cells of a body that was filled; nodes below the number of the surface's points are those, then come `points`.
struct StructuredCells {
  std::vector<Vec3> points;
  std::vector<std::array<int, 8>> hexahedra; ///< in the order of mesh/element.h
  std::vector<std::array<int, 6>> wedges;    ///< likewise
  std::vector<std::array<int, 5>> pyramids;  ///< likewise; of those that were cut, beside whole ones
  std::vector<std::array<int, 4>> tetrahedra;
};

/// Transfinite interpolation of the six faces (Gordon & Hall 1973), then the inner nodes are moved where a hexahedron
/// would be inverted. A problem `fill.inverted` where one stays so; `surface` is not changed.
Result<StructuredCells> fillMapped(const Part& part, int body, const SurfaceMesh& surface, const Progress& progress);

/// Moves inner nodes where cells are inverted or poor.
NodeMoves bettered(const SurfaceMesh& surface, StructuredCells& cells, const Progress& progress);

} // namespace tess
