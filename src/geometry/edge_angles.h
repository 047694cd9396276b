// SPDX-License-Identifier: GPL-3.0-or-later
// Angles at which faces of a body meet.
#pragma once
#include "geometry/part.h"

namespace tess {

struct EdgeAngle {
  int edge = -1;
  std::array<int, 2> faces{-1, -1};
  double angle = 0; ///< inside the body, at the middle of the edge: in (0, 2 pi), above pi at an inner corner
  Vec3 at = Vec3::Zero();
};
/// Per body its edges between two of its faces, ascending. Cost O(display triangles + edges).
std::vector<std::vector<EdgeAngle>> edgeAngles(const Part& part);

} // namespace tess
