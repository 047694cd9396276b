// SPDX-License-Identifier: GPL-3.0-or-later
// Bodies that lie close to each other without touching: a gap that was meant, or faces that should have met.
#include "base/bvh.h"
#include "geometry/part.h"
#include <map>
#include <set>

namespace tess {

bool matchesName(const std::string& pattern, const std::string& text) {
  // Greedy match with backtracking over '*'; case counts.
  std::size_t p = 0, t = 0, star = std::string::npos, mark = 0;
  while (t < text.size()) {
    if (p < pattern.size() && pattern[p] == '*')
      star = p++, mark = t;
    else if (p < pattern.size() && pattern[p] == text[t])
      ++p, ++t;
    else if (star != std::string::npos)
      p = star + 1, t = ++mark;
    else
      return false;
  }
  while (p < pattern.size() && pattern[p] == '*') ++p;
  return p == pattern.size();
}

std::vector<NearPair> nearBodies(const Part& part, double within) {
  if (part.bodies.size() < 2 || !(within > 0)) return {};
  const Tessellation& t = part.display;
  std::set<std::pair<int, int>> touching;
  for (const auto& f : part.faces)
    if (f.bodies[0] >= 0 && f.bodies[1] >= 0) touching.insert(std::minmax(f.bodies[0], f.bodies[1]));
  std::vector<std::vector<int>> triangles(part.bodies.size()), corners(part.bodies.size());
  for (std::size_t i = 0; i < t.triangles.size(); ++i)
    for (int b : part.faces[static_cast<std::size_t>(t.triangleFace[i])].bodies)
      if (b >= 0) triangles[static_cast<std::size_t>(b)].push_back(static_cast<int>(i));
  std::vector<Bvh> trees(part.bodies.size());
  for (std::size_t b = 0; b < part.bodies.size(); ++b) {
    std::vector<Box> boxes;
    std::set<int> mine;
    for (int i : triangles[b]) {
      Box box;
      for (int v : t.triangles[static_cast<std::size_t>(i)]) {
        box.add(t.points[static_cast<std::size_t>(v)]);
        mine.insert(v);
      }
      boxes.push_back(box);
    }
    trees[b].build(boxes);
    corners[b].assign(mine.begin(), mine.end());
  }
  std::vector<NearPair> r;
  for (int a = 0; a < static_cast<int>(part.bodies.size()); ++a)
    for (int b = a + 1; b < static_cast<int>(part.bodies.size()); ++b) {
      Box grown = part.bodies[static_cast<std::size_t>(a)].box;
      grown.grow(within);
      if (!grown.overlaps(part.bodies[static_cast<std::size_t>(b)].box) || touching.count({a, b})) continue;
      // Pieces of one body may meet in a line or a point; there is no gap between them.
      const PartBody &one = part.bodies[static_cast<std::size_t>(a)], &two = part.bodies[static_cast<std::size_t>(b)];
      if (!one.of.empty() && one.of == two.of) continue;
      NearPair pair{a, b, within, Vec3::Zero()};
      bool found = false;
      for (const auto& [from, other] : {std::pair(a, b), std::pair(b, a)}) {
        const int to = other; // clang 14 lets no lambda hold a name of a pair
        for (int v : corners[static_cast<std::size_t>(from)]) {
          const Vec3& p = t.points[static_cast<std::size_t>(v)];
          Box around;
          around.add(p);
          around.grow(pair.gap);
          trees[static_cast<std::size_t>(to)].overlapping(around, [&](int k) {
            const auto& q = t.triangles[static_cast<std::size_t>(
                triangles[static_cast<std::size_t>(to)][static_cast<std::size_t>(k)])];
            const Vec3 &x = t.points[static_cast<std::size_t>(q[0])], &y = t.points[static_cast<std::size_t>(q[1])],
                       &z = t.points[static_cast<std::size_t>(q[2])];
            const Vec3 weights = closestOnTriangle(p, x, y, z), w = weights[0] * x + weights[1] * y + weights[2] * z;
            const double d = (w - p).norm();
            if (d < pair.gap) pair.gap = d, pair.at = 0.5 * (w + p), found = true;
            return true;
          });
        }
      }
      if (found) r.push_back(pair);
    }
  return r;
}

} // namespace tess
