// SPDX-License-Identifier: GPL-3.0-or-later
// Moves nodes of cells of any type to better places, connections as they are: first where cells are inverted, then
// where corners are poor. What rows, layers and improving have in common.
#pragma once
#include "base/progress.h"
#include "base/vec.h"
#include <array>
#include <optional>
#include <span>
#include <vector>

namespace tess {

/// Linear cells over `fixed` nodes followed by those of `inner`, which may be moved, but for the `held` (per inner
/// node; empty: none is). Node orders are those of mesh/element.h.
struct MovableCells {
  std::span<const Vec3> fixed;
  std::span<Vec3> inner;
  std::vector<char> held = {};
  /// Per inner node, unit vectors or zero; empty: all zero. A node slides in the plane square to the one, or along the
  /// other, as long as none of the `facets` at it folds.
  std::vector<Vec3> square = {}, along = {};
  /// Flat, counter-clockwise seen from the side that their normals lead to; the last node -1 for a triangle.
  std::vector<std::array<int, 4>> facets = {};
  std::vector<Vec3> facetNormals = {};
  std::span<const std::array<int, 8>> hexahedra = {};
  std::span<const std::array<int, 6>> wedges = {};
  std::span<const std::array<int, 5>> pyramids = {};
  std::span<const std::array<int, 4>> tetrahedra = {};
};

struct NodeMoves {
  /// Smallest corner of all cells, as the determinant of its three unit edges over that of the regular cell.
  double worstBefore = 1, worstAfter = 1;
  std::optional<Vec3>
      inverted; ///< the middle of a cell whose Jacobian is not positive throughout; nothing: none is left
};

/// Nodes around inverted cells, and around corners below `good`, go one at a time towards the middle of their
/// neighbours and to where the worst corner of the cells at the node is best; that never gets worse, and no cell
/// becomes inverted. The same for any number of threads. Throws Cancelled on a stop.
NodeMoves moveNodes(MovableCells cells, double good, const Progress& progress);

} // namespace tess
