// SPDX-License-Identifier: GPL-3.0-or-later
// Rounds over the inner vertices of tets, each moved into the volume-weighted middle of its star where that does no
// harm, in the order of their numbers and with what went before (Gauss-Seidel). A vertex depends on its neighbours of
// lower numbers alone; vertices are sorted into levels, each one above the highest of those, and the vertices of a
// level, which have no tet in common, are moved on all cores. The result is that of one thread, to the last bit.
#pragma once
#include "mesher/tets/tet_core.h"
#include <span>

namespace tess {

class TetSweep {
public:
  /// `movable`: per vertex whether it may move; no tet at such a vertex may be a ghost. Tets may not change their
  /// corners while this lives. Throws Cancelled.
  TetSweep(TetCore& core, const std::vector<char>& movable, Progress& progress);
  /// One round. Returns how many vertices moved.
  std::size_t run();

private:
  TetCore& m;
  Progress& m_progress;
  std::vector<double> m_quality; ///< per tet as it is now; not set for ghosts and dead ones
  /// By stretches of vertices: per vertex the length of its star, then its tets.
  std::vector<std::vector<int>> m_stars;
  std::vector<std::uint32_t> m_begin; ///< per vertex its place there
  std::vector<int> m_order;           ///< vertices by levels
  std::vector<std::size_t> m_levels;  ///< where each begins there, and the end

  std::span<const int> starOf(int v) const;
  bool move(int v);
};

} // namespace tess
