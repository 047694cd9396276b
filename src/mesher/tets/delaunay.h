// SPDX-License-Identifier: GPL-3.0-or-later
// Delaunay tetrahedra of a point cloud. Points are inserted one by one into the tetrahedra made so far: the cavity of
// tets whose circumsphere holds the point is replaced by tets around it (Bowyer 1981; Watson 1981), in Hilbert-ordered
// rounds (Amenta, Choi & Rote 2003). Large rounds are cut into stretches of the curve that are worked on side by side;
// an insertion that would touch a tet with a corner of another stretch waits until the round's end (Marot, Pellerin &
// Remacle 2019). What a stretch does depends on that stretch alone, so the result is the same on any number of threads.
#pragma once
#include "base/progress.h"
#include "mesher/tets/tet_core.h"

namespace tess {

/// Order in which points are inserted.
struct InsertionOrder {
  std::vector<int> order;           ///< indices of the points
  std::vector<std::uint64_t> along; ///< their places on the Hilbert curve, rising within a round
  std::vector<std::size_t> rounds;  ///< where in `order` each round begins
};

/// Order of points along a Hilbert curve in rounds of growing size. `which`: indices of the points to insert.
InsertionOrder insertionOrder(const std::vector<Vec3>& points, const std::vector<int>& which, std::uint32_t seed = 1);

/// Tets of the points that `order` names; their vertices are numbered by its places. A ghost vertex closes the hull;
/// corner order and neighbours are those of TetCore. Repeated points are in no tet. Empty when all points lie in a
/// plane. Uses at most 58 bytes per tet for point clouds without structure. Throws Cancelled on a stop.
TetList delaunayTets(const std::vector<Vec3>& points, const InsertionOrder& order, const Progress* progress = nullptr);

/// Whether p, with the number `id`, lies in the circumsphere of tet t, or on the outer side of a ghost. Exact; ties are
/// decided by the numbers of the points.
bool inConflict(const TetList& tets, const std::vector<Vec3>& points, int t, const Vec3& p, int id);

} // namespace tess
