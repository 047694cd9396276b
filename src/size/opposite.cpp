// SPDX-License-Identifier: GPL-3.0-or-later
#include "size/opposite.h"
#include <algorithm>
#include <cmath>

namespace tess {
namespace {

constexpr double kFacing = 0.643; ///< cos 50 degrees

} // namespace

OppositeFaces::OppositeFaces(const Part& part) : m_part(part), m_slack(1.05e-3 * part.diagonal()) {
  const auto& t = part.display;
  // Long slivers, as plane faces have them, would make large overlapping boxes: the tree holds pieces of them.
  std::vector<Box> boxes;
  const double longest = part.diagonal() / 40;
  for (std::size_t i = 0; i < t.triangles.size(); ++i) {
    const std::array whole{pt(t.triangles[i][0]), pt(t.triangles[i][1]), pt(t.triangles[i][2])};
    forPieces(whole, longest, [&](const std::array<Vec3, 3>& q) {
      Box b;
      for (const auto& p : q) b.add(p);
      boxes.push_back(b);
      const auto& bodies = part.faces[static_cast<std::size_t>(t.triangleFace[i])].bodies;
      m_item.push_back({triangleNormal(q[0], q[1], q[2]), bodies, static_cast<int>(i)});
    });
  }
  m_tree.build(boxes);
}

OppositeFaces::Hit OppositeFaces::cast(int face, const FaceProjection& on, int body, double below) const {
  const auto& f = m_part.faces[static_cast<std::size_t>(face)];
  Hit best;
  best.along = f.bodies[0] == body ? Vec3(-on.normal) : on.normal;
  // The display triangles lie off the true faces by up to its tolerance: start a little behind, decide by the true
  // points.
  double reach = below / kFacing + 2 * m_slack;
  Vec3 from = on.point - m_slack * best.along;
  m_tree.alongRay(from, best.along, reach, [&](int item) {
    int i = m_item[static_cast<std::size_t>(item)].triangle;
    const auto& t = m_part.display;
    const auto& q = t.triangles[static_cast<std::size_t>(i)];
    int other = t.triangleFace[static_cast<std::size_t>(i)];
    const auto& g = m_part.faces[static_cast<std::size_t>(other)];
    double s = rayTriangle(from, best.along, pt(q[0]), pt(q[1]), pt(q[2]));
    if (s < 0 || s > reach) return;
    double facing = best.along.dot(triangleNormal(pt(q[0]), pt(q[1]), pt(q[2])));
    // The ray leaves `body`: it runs with the normal when the body lies behind the face, against it otherwise.
    bool leaves = (g.bodies[0] == body && facing > kFacing) || (g.bodies[1] == body && facing < -kFacing);
    if (!leaves) return;
    FaceProjection there = m_part.shape->projectToFace(other, from + s * best.along);
    double d = (there.point - on.point).dot(best.along);
    if (d <= 1e-6 * m_slack || d >= best.distance) return;
    best.distance = d;
    best.face = other;
    best.at = there.point;
    best.facing = std::abs(best.along.dot(there.normal));
    reach = std::min(reach, d + 2 * m_slack);
  });
  if (best.distance > below) best.face = -1;
  return best;
}

bool OppositeFaces::acrossEdge(int face, const Vec3& p, const Hit& hit) const {
  // A face of facets may meet itself in a sharp edge that ends inside it.
  const bool itself = hit.face == face;
  if (!hit.found() || (itself && !m_part.faceted)) return false;
  // In a wedge of angle a the distance is x tan a, at x from its edge.
  double tangent = std::sqrt(std::max(0.0, 1 / (hit.facing * hit.facing) - 1));
  if (tangent < 0.01) return false;
  const auto& mine = m_part.faces[static_cast<std::size_t>(face)].edges;
  const auto& other = m_part.faces[static_cast<std::size_t>(hit.face)].edges;
  double away = std::numeric_limits<double>::infinity();
  for (int e : mine) {
    if (std::find(other.begin(), other.end(), e) == other.end()) continue;
    const auto& around = m_part.edges[static_cast<std::size_t>(e)].faces;
    if (itself && std::any_of(around.begin(), around.end(), [&](int f) { return f != face; })) continue;
    const auto& c = m_part.display.edgeChain[static_cast<std::size_t>(e)];
    for (std::size_t i = 0; i + 1 < c.size(); ++i) {
      double w = closestOnSegment(p, pt(c[i]), pt(c[i + 1]));
      away = std::min(away, (p - (pt(c[i]) + w * (pt(c[i + 1]) - pt(c[i])))).norm());
    }
  }
  return away * tangent < 2 * hit.distance;
}

bool OppositeFaces::mayFace(const std::array<Vec3, 3>& q, int face, int body, double below) const {
  const Vec3 mid = (q[0] + q[1] + q[2]) / 3;
  double window = below / kFacing + m_slack, radius = 0;
  for (const auto& p : q) radius = std::max(radius, (p - mid).norm());
  Box b;
  for (const auto& p : q) b.add(p);
  b.grow(window);
  const auto& t = m_part.display;
  Vec3 n = triangleNormal(q[0], q[1], q[2]);
  if (m_part.faces[static_cast<std::size_t>(face)].bodies[0] != body) n = -n;
  bool found = false;
  m_tree.overlapping(b, [&](int k) {
    const Item& item = m_item[static_cast<std::size_t>(k)];
    double facing = n.dot(item.normal);
    if (!(item.bodies[0] == body && facing < -0.4) && !(item.bodies[1] == body && facing > 0.4)) return true;
    const auto& o = t.triangles[static_cast<std::size_t>(item.triangle)];
    Vec3 w = closestOnTriangle(mid, pt(o[0]), pt(o[1]), pt(o[2]));
    Vec3 way = w[0] * pt(o[0]) + w[1] * pt(o[1]) + w[2] * pt(o[2]) - mid;
    found = way.norm() < window + radius && way.dot(n) < m_slack + radius;
    return !found;
  });
  return found;
}

} // namespace tess
