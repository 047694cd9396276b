// SPDX-License-Identifier: GPL-3.0-or-later
// Exact test for triangles that cross. A pair is tested edge against triangle in both directions; triangles with a
// common vertex or edge may meet there and nowhere else.
#include "base/bvh.h"
#include "base/parallel.h"
#include "base/predicates.h"
#include "mesher/surface/surface.h"

namespace tess {
namespace {

int sign(double x) { return (x > 0) - (x < 0); }

/// Segment (p, q) against triangle (a, b, c), none of whose corners equals p or q. Touching counts as crossing.
bool segmentHits(const Vec3& p, const Vec3& q, const Vec3& a, const Vec3& b, const Vec3& c) {
  int sp = sign(orient3d(a, b, c, p)), sq = sign(orient3d(a, b, c, q));
  if (sp * sq > 0) return false;
  if (sp == 0 && sq == 0) {
    // Coplanar: a plane problem in the projection that keeps the most area.
    Vec3 n = (b - a).cross(c - a).cwiseAbs();
    int drop;
    n.maxCoeff(&drop);
    auto o = [&](const Vec3& x, const Vec3& y, const Vec3& z) { return sign(orient2d(x, y, z, drop)); };
    auto inTriangle = [&](const Vec3& x) {
      int s0 = o(a, b, x), s1 = o(b, c, x), s2 = o(c, a, x);
      return (s0 >= 0 && s1 >= 0 && s2 >= 0) || (s0 <= 0 && s1 <= 0 && s2 <= 0);
    };
    if (inTriangle(p) || inTriangle(q)) return true;
    auto meets = [&](const Vec3& x, const Vec3& y) {
      int px = o(p, q, x), py = o(p, q, y);
      if (px == 0 && py == 0) { // on one line: the segments must overlap there
        Box s, t;
        s.add(p), s.add(q), t.add(x), t.add(y);
        return s.overlaps(t);
      }
      return px * py <= 0 && o(x, y, p) * o(x, y, q) <= 0;
    };
    return meets(a, b) || meets(b, c) || meets(c, a);
  }
  int s0 = sign(orient3d(p, q, a, b)), s1 = sign(orient3d(p, q, b, c)), s2 = sign(orient3d(p, q, c, a));
  return (s0 >= 0 && s1 >= 0 && s2 >= 0) || (s0 <= 0 && s1 <= 0 && s2 <= 0);
}

bool cross(const std::vector<Vec3>& pts, const std::array<int, 3>& s, const std::array<int, 3>& t) {
  auto pt = [&](int v) -> const Vec3& { return pts[static_cast<std::size_t>(v)]; };
  int shared[3], n = 0;
  for (int v : s)
    if (v == t[0] || v == t[1] || v == t[2]) shared[n++] = v;
  if (n == 3) return true; // repeated triangle
  if (n == 2) {
    // Common edge: they cross only when folded onto each other in one plane.
    int ps = s[0] + s[1] + s[2] - shared[0] - shared[1], pq = t[0] + t[1] + t[2] - shared[0] - shared[1];
    const Vec3 &a = pt(shared[0]), &b = pt(shared[1]);
    if (orient3d(a, b, pt(ps), pt(pq)) != 0) return false;
    Vec3 nrm = (b - a).cross(pt(ps) - a).cwiseAbs();
    int drop;
    nrm.maxCoeff(&drop);
    return sign(orient2d(a, b, pt(ps), drop)) * sign(orient2d(a, b, pt(pq), drop)) >= 0;
  }
  auto edgeHits = [&](const std::array<int, 3>& e, const std::array<int, 3>& f) {
    for (std::size_t k = 0; k < 3; ++k) {
      int p = e[k], q = e[(k + 1) % 3];
      if (n == 1 && (p == shared[0] || q == shared[0])) continue;
      if (segmentHits(pt(p), pt(q), pt(f[0]), pt(f[1]), pt(f[2]))) return true;
    }
    return false;
  };
  return edgeHits(s, t) || edgeHits(t, s);
}

} // namespace

std::vector<CrossingPair> findCrossings(const std::vector<Vec3>& points,
                                        const std::vector<std::array<int, 3>>& triangles, std::size_t most,
                                        const Progress* progress, const std::vector<char>& changed) {
  std::vector<Box> boxes(triangles.size());
  for (std::size_t i = 0; i < triangles.size(); ++i)
    for (int v : triangles[i]) boxes[i].add(points[static_cast<std::size_t>(v)]);
  Bvh tree(boxes);
  auto isChanged = [&](std::size_t t) { return changed.empty() || changed[t]; };
  std::vector<std::vector<int>> hits(triangles.size());
  // In blocks, so that a part full of crossings ends early and in the same way for any number of threads.
  constexpr std::size_t kBlock = 4096;
  std::size_t count = 0;
  for (std::size_t first = 0; first < triangles.size() && count < most; first += kBlock) {
    std::size_t last = std::min(triangles.size(), first + kBlock);
    parallelFor(
        last - first, progress,
        [&](std::size_t k) {
          std::size_t i = first + k;
          if (!isChanged(i)) return;
          tree.overlapping(boxes[i], [&](int j) {
            // Each pair once: by its lower triangle, or by the one that changed.
            bool mine = j > static_cast<int>(i) || (j < static_cast<int>(i) && !isChanged(static_cast<std::size_t>(j)));
            if (mine && boxes[i].overlaps(boxes[static_cast<std::size_t>(j)]) &&
                cross(points, triangles[i], triangles[static_cast<std::size_t>(j)]))
              hits[i].push_back(j);
            return true;
          });
          std::sort(hits[i].begin(), hits[i].end());
        },
        64);
    for (std::size_t i = first; i < last; ++i) count += hits[i].size();
  }
  std::vector<CrossingPair> r;
  for (std::size_t i = 0; i < hits.size() && r.size() < most; ++i)
    for (int j : hits[i]) {
      Box common;
      const Box &a = boxes[i], &b = boxes[static_cast<std::size_t>(j)];
      common.lo = a.lo.cwiseMax(b.lo);
      common.hi = a.hi.cwiseMin(b.hi);
      r.push_back({static_cast<int>(i), j, common.center()});
    }
  return r;
}

} // namespace tess
