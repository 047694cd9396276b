// SPDX-License-Identifier: GPL-3.0-or-later
// Elements through walls and across gaps of a mesh: at a boundary face, the smallest number of element edges that lead
// from it to the opposite side of its region, which is at least half as far away as the region is thick there: a hole
// beside the way has faces of its own that are counted. (Counting the cells that a ray hits would take one layer of
// tetrahedra for three.)
#pragma once
#include "base/progress.h"
#include "mesh/mesh.h"

namespace tess {

struct ThroughFace {
  std::int32_t face = -1;   ///< boundary face of the mesh
  std::int32_t region = -1; ///< region that is thin there
  double thickness = 0;     ///< along the normal
  int count = 0;            ///< element edges to the other side, at most `wanted`
};

/// Boundary and interface faces whose region has another side opposite (normals within 50 degrees) and may have fewer
/// than `wanted` elements up to there, each with its count. `thinner`: only faces with less thickness than this times
/// the face's own size are looked at; 3 * wanted leaves none out that could matter.
/// Cost O(faces log faces); deterministic for any number of threads. Throws Cancelled on a stop.
std::vector<ThroughFace> countThrough(const Mesh& mesh, int wanted, const Progress* progress = nullptr);

/// Thin places: connected faces that fall short, worst and largest first.
struct ThinPlace {
  Vec3 at = Vec3::Zero(); ///< on the face with the fewest elements
  int count = 0;          ///< fewest elements through
  double thickness = 0;   ///< there
  double area = 0;
  std::vector<std::int32_t> faces; ///< ascending
};
struct ThroughReport {
  int wanted = 0;
  double thinArea = 0;             ///< area of all faces that countThrough returned
  double reachedArea = 0;          ///< of those with at least `wanted`
  std::vector<double> areaByCount; ///< [k]: area with k elements through, k <= wanted
  std::vector<ThinPlace> places;
  double share() const { return thinArea > 0 ? reachedArea / thinArea : 1; }
};
ThroughReport throughReport(const Mesh& mesh, const std::vector<ThroughFace>& faces, int wanted);

} // namespace tess
