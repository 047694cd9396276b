// SPDX-License-Identifier: GPL-3.0-or-later
// Cells of rows and layers that fill a body, or part of it.
#pragma once
#include "base/vec.h"
#include <array>
#include <cstdint>
#include <vector>

namespace tess {

/// Cells of a body that was filled; nodes below the number of the surface's points are those, then come `points`.
struct StructuredCells {
  std::vector<Vec3> points;
  std::vector<std::array<int, 8>> hexahedra; ///< in the order of mesh/element.h
  std::vector<std::array<int, 6>> wedges;    ///< likewise
  std::vector<std::array<int, 5>> pyramids;  ///< likewise; of those that were cut, beside whole ones, or in layers
  std::vector<std::array<int, 4>> tetrahedra;
  /// Which layer from the wall each cell is of, from 1, in the order above; empty where they are no wall layers.
  std::vector<std::uint16_t> layer = {};
};

/// Cells in rows or layers of one body; nodes from `base` on are its own points.
struct BodyCells {
  int body = -1;
  int base = 0;
  StructuredCells cells;
};

} // namespace tess
