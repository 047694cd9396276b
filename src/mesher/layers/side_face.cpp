// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/layers/side_face.h"
#include "base/bvh.h"
#include "base/edge_key.h"
#include "base/plane_triangles.h"
#include <cmath>
#include <map>
#include <set>
#include <unordered_map>

namespace tess {
namespace {

class Filling {
public:
  Filling(const Part& part, int face, const std::vector<std::array<int, 3>>& before,
          const std::vector<std::array<int, 2>>& outline, std::vector<Vec3>& points)
      : m_part(part), m_face(face), m_before(before), m_outline(outline), m_points(points) {}

  std::optional<std::vector<std::array<int, 3>>> run() {
    if (!chart()) return {};
    findInside();
    auto made = fillPlane(m_points, m_outline, m_normal, m_inside);
    constexpr int kRounds = 3;
    for (int k = 0; k < kRounds && !made.empty() && !m_near.empty(); ++k) {
      const auto was = m_points;
      smooth(made);
      auto next = fillPlane(m_points, m_outline, m_normal, m_inside);
      if (next.empty()) {
        m_points = was;
        break;
      }
      made = std::move(next);
    }
    if (made.empty()) return {};
    return made;
  }

private:
  const Part& m_part;
  int m_face;
  const std::vector<std::array<int, 3>>& m_before;
  const std::vector<std::array<int, 2>>& m_outline;
  std::vector<Vec3>& m_points;
  Vec3 m_normal = Vec3::Zero(), m_x = Vec3::Zero(), m_y = Vec3::Zero();
  std::vector<int> m_inside;
  std::set<int> m_near; ///< of those the ones that may move

  const Vec3& pt(int v) const { return m_points[static_cast<std::size_t>(v)]; }
  std::array<double, 2> flat(const Vec3& p) const { return {p.dot(m_x), p.dot(m_y)}; }

  /// A plane in which the face does not fold.
  bool chart() {
    constexpr double kLeast = 0.35; // cosine: so steep, triangles that are Delaunay in the plane are still fair
    for (const auto& t : m_before)
      m_normal += triangleArea(pt(t[0]), pt(t[1]), pt(t[2])) * triangleNormal(pt(t[0]), pt(t[1]), pt(t[2]));
    if (!(m_normal.norm() > 0)) return false;
    m_normal.normalize();
    for (const auto& t : m_before) {
      const Vec3 n = triangleNormal(pt(t[0]), pt(t[1]), pt(t[2]));
      if (n.dot(m_normal) < kLeast * n.norm()) return false;
    }
    int least;
    m_normal.cwiseAbs().minCoeff(&least);
    m_x = (Vec3::Unit(least) - m_normal[least] * m_normal).normalized();
    m_y = m_normal.cross(m_x);
    return true;
  }

  void findInside() {
    std::map<int, std::pair<double, int>> lengths; // sum and number of a node's edges
    std::unordered_map<std::uint64_t, int> uses;
    for (const auto& t : m_before)
      for (std::size_t k = 0; k < 3; ++k) {
        const int a = t[k], b = t[(k + 1) % 3];
        ++uses[edgeKey(a, b)];
        for (int v : {a, b}) {
          auto& l = lengths[v];
          l.first += (pt(a) - pt(b)).norm();
          ++l.second;
        }
      }
    std::set<int> rim;
    for (const auto& [key, n] : uses)
      if (n == 1) {
        rim.insert(static_cast<int>(key >> 32));
        rim.insert(static_cast<int>(key & 0xffffffffu));
      }
    for (const auto& e : m_outline) rim.insert(e.begin(), e.end());
    std::vector<Box> boxes;
    std::vector<std::array<std::array<double, 2>, 2>> segments;
    for (const auto& e : m_outline) {
      segments.push_back({flat(pt(e[0])), flat(pt(e[1]))});
      Box b;
      for (const auto& p : segments.back()) b.add(Vec3(p[0], p[1], 0));
      boxes.push_back(b);
    }
    const Bvh tree(boxes);
    for (const auto& [v, l] : lengths) {
      if (rim.count(v)) continue;
      const auto p = flat(pt(v));
      const double length = l.first / l.second;
      if (!within(tree, boxes, segments, p)) continue;
      const double away = distance(tree, segments, p, 3 * length);
      constexpr double kRoom = 0.55; // of an edge, to the outline
      if (away < kRoom * length) continue;
      m_inside.push_back(v);
      if (away < 3 * length) m_near.insert(v);
    }
  }

  static bool within(const Bvh& tree, const std::vector<Box>& boxes,
                     const std::vector<std::array<std::array<double, 2>, 2>>& segments,
                     const std::array<double, 2>& p) {
    Box ray;
    ray.add(Vec3(p[0], p[1], 0));
    double far = p[0];
    for (const auto& b : boxes) far = std::max(far, b.hi.x());
    ray.add(Vec3(far + 1, p[1], 0));
    bool in = false;
    tree.overlapping(ray, [&](int i) {
      const auto& [a, b] = segments[static_cast<std::size_t>(i)];
      if ((a[1] > p[1]) != (b[1] > p[1]) && p[0] < a[0] + (p[1] - a[1]) / (b[1] - a[1]) * (b[0] - a[0])) in = !in;
      return true;
    });
    return in;
  }
  static double distance(const Bvh& tree, const std::vector<std::array<std::array<double, 2>, 2>>& segments,
                         const std::array<double, 2>& p, double most) {
    const Vec3 q(p[0], p[1], 0);
    double best = most * most;
    tree.minimum(
        best, [&](const Box& b, int) { return b.distance2(q); },
        [&](int i) {
          const auto& s = segments[static_cast<std::size_t>(i)];
          const Vec3 a(s[0][0], s[0][1], 0), b(s[1][0], s[1][1], 0), d = b - a;
          const double t = d.squaredNorm() > 0 ? std::clamp((q - a).dot(d) / d.squaredNorm(), 0.0, 1.0) : 0;
          return (a + t * d - q).squaredNorm();
        });
    return std::sqrt(best);
  }

  /// Into the middle of their neighbours, one after the other, unless that turns a triangle over.
  void smooth(const std::vector<std::array<int, 3>>& triangles) {
    std::map<int, std::vector<std::size_t>> at;
    for (std::size_t i = 0; i < triangles.size(); ++i)
      for (int v : triangles[i])
        if (m_near.count(v)) at[v].push_back(i);
    for (const auto& [v, star] : at) {
      Vec3 middle = Vec3::Zero();
      double all = 0;
      for (std::size_t i : star) {
        const auto& t = triangles[i];
        const double area = triangleArea(pt(t[0]), pt(t[1]), pt(t[2]));
        middle += area * (pt(t[0]) + pt(t[1]) + pt(t[2])) / 3;
        all += area;
      }
      const Vec3 was = pt(v);
      Vec3 to = middle / all;
      if (m_part.faces[static_cast<std::size_t>(m_face)].kind != SurfaceKind::Plane)
        to = m_part.shape->projectToFace(m_face, to).point;
      m_points[static_cast<std::size_t>(v)] = to;
      for (std::size_t i : star) {
        const auto& t = triangles[i];
        const Vec3 n = triangleNormal(pt(t[0]), pt(t[1]), pt(t[2]));
        if (n.dot(m_normal) > 0.2 * n.norm()) continue;
        m_points[static_cast<std::size_t>(v)] = was;
        break;
      }
    }
  }
};

} // namespace

std::optional<std::vector<std::array<int, 3>>> fillWithin(const Part& part, int face,
                                                          const std::vector<std::array<int, 3>>& triangles,
                                                          const std::vector<std::array<int, 2>>& outline,
                                                          std::vector<Vec3>& points) {
  return Filling(part, face, triangles, outline, points).run();
}

} // namespace tess
