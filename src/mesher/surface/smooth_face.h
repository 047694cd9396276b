// SPDX-License-Identifier: GPL-3.0-or-later
// Moves inner nodes of triangles and quadrilaterals on a face until all are well shaped.
#pragma once
#include "base/progress.h"
#include "geometry/part.h"

namespace tess {

/// Cells over nodes of one face, counter-clockwise seen from in front of it.
struct FaceCells {
  std::vector<Vec3> points;
  std::vector<Vec3> normals;  ///< of the true face at each point
  std::size_t rim = 0;        ///< that many points come first and stay where they are
  std::vector<char> straight; ///< per point of the rim: it turns little there, and one cell alone would be flat
  std::vector<std::array<int, 3>> triangles;
  std::vector<std::array<int, 4>> quads;
};

/// Smallest sine of a corner, as the face's normal there sees it: at most 0 where a cell is folded. `at`: the corner.
double worstCorner(const FaceCells& cells, Vec3* at = nullptr);

/// Every inner node goes towards the middle of its neighbours, then, where a corner of a cell around it stays poor, to
/// where the worst of these corners is best; always on the face. Poor are less than 45 and more than 135 degrees: no
/// corner gets worse beyond that.
void smoothOnFace(FaceCells& cells, const Part& part, int face, const Progress& progress);
/// The same in a plane, which all normals are square to.
void smoothInPlane(FaceCells& cells, const Progress& progress);

} // namespace tess
