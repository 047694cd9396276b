// SPDX-License-Identifier: GPL-3.0-or-later
// The pattern of a stepped body: the meshes of its ends at all heights, joined where walls stand between them, over one
// level face.
#pragma once
#include "mesher/surface/surface.h"

namespace tess {

/// Nodes of the pattern as columns over the target: at each level the surface's node there, where there is one.
class SteppedPattern {
public:
  SteppedPattern(const Part& part, const Sweep& sweep, const SurfaceMesh& mesh);
  /// False where rows of walls do not belong together.
  bool good() const { return m_good; }
  struct Cell {
    std::array<int, 4> v; ///< nodes of the pattern, counter-clockwise seen from above; the last one -1 for a triangle
    int level;            ///< at which its end lies
    int face;             ///< the end
  };
  const std::vector<Cell>& cells() const { return m_cells; }
  std::size_t size() const { return m_known.size(); }
  /// Level -> node of the surface, ascending; the last one is the highest at which the node has cells.
  const std::vector<std::pair<int, int>>& known(std::size_t node) const { return m_known[node]; }
  int nodeAt(std::size_t node, int level) const; ///< -1 where the surface has none
  int top(std::size_t node) const { return m_known[node].back().first; }
  int highest() const { return m_highest; }
  /// Places of all nodes with cells at `level` or above it: `from` (per node), moved by what the known ones are off
  /// there, spread between them by Laplace's equation.
  std::vector<Vec3> placesAt(int level, const std::vector<Vec3>& from, const SurfaceMesh& mesh) const;

private:
  std::vector<Cell> m_cells;
  std::vector<std::vector<std::pair<int, int>>> m_known;
  int m_highest = 0;
  bool m_good = false;
};

/// Adds the mesh of the target, straight below the ends. A problem `fill.face` where it would be folded.
std::optional<Problem> addSteppedFace(const Part& part, const Sweep& sweep, int tetSide, SurfaceMesh& mesh);

} // namespace tess
