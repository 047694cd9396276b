// SPDX-License-Identifier: GPL-3.0-or-later
// Triangles that fill a flat face between given edges.
#pragma once
#include "base/vec.h"
#include <array>
#include <vector>

namespace tess {

/// Constrained Delaunay triangulation of a flat region (Sloan 1993, edges brought in by flips; decisions exact).
/// `edges` are directed vertex pairs with the region on the left, seen from where `normal` points; an edge inside the
/// region is listed both ways. All vertices that occur in an edge are used, and those `inside`, which lie in the
/// region away from all edges; no others. The triangles run
/// counter-clockwise seen from there. Empty when the edges cross, touch or do not close.
std::vector<std::array<int, 3>> fillPlane(const std::vector<Vec3>& points, const std::vector<std::array<int, 2>>& edges,
                                          const Vec3& normal, const std::vector<int>& inside = {});

} // namespace tess
