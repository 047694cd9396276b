// SPDX-License-Identifier: GPL-3.0-or-later
// Patches of cylinders rolled out into a plane, where what is Delaunay is so on the cylinder.
#include "mesher/surface/face_patch.h"
#include <cmath>
#include <map>
#include <set>

namespace tess {

int FacePatch::addRolled(Roll& roll, const Vec3& at) {
  const FaceProjection on = roll.onCylinder(at);
  const int v = g.addPoint(on.point, Dim::Face, m_face);
  globalId.push_back(-1);
  m_h.push_back(m_size.at(on.point));
  m_askedAt.push_back(on.point);
  m_normal.push_back(on.normal);
  roll.flat.push_back(at);
  return v;
}

namespace {
/// Whether two segments of the plane have a point in common; ends that touch count.
bool meet(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  auto turn = [](const Vec3& p, const Vec3& q, const Vec3& r) {
    return (q.x() - p.x()) * (r.y() - p.y()) - (q.y() - p.y()) * (r.x() - p.x());
  };
  return turn(a, b, c) * turn(a, b, d) <= 0 && turn(c, d, a) * turn(c, d, b) <= 0 &&
         std::max(a.x(), b.x()) >= std::min(c.x(), d.x()) && std::max(c.x(), d.x()) >= std::min(a.x(), b.x()) &&
         std::max(a.y(), b.y()) >= std::min(c.y(), d.y()) && std::max(c.y(), d.y()) >= std::min(a.y(), b.y());
}
} // namespace

bool FacePatch::cutRing(Roll& roll, std::vector<Vec3> flat, std::vector<std::array<int, 2>>& edges) {
  const double round = 2 * kPi * roll.radius;
  auto at = [&](int v) -> Vec3& { return flat[static_cast<std::size_t>(v)]; };
  auto wrap = [&](double x) { return x - round * std::round(x / round); };
  // Boundary loops; the two that go round the axis are the ring's rims.
  std::set<std::array<int, 2>> all(edges.begin(), edges.end());
  std::map<int, int> next;
  for (const auto& e : edges)
    if (!all.count({e[1], e[0]}) && !next.emplace(e[0], e[1]).second) return false;
  std::vector<std::vector<int>> rims;
  std::set<int> seen;
  for (const auto& [first, second] : next) {
    if (seen.count(first)) continue;
    std::vector<int> loop;
    double turned = 0;
    for (int v = first; seen.insert(v).second;) {
      const auto it = next.find(v);
      if (it == next.end()) return false;
      loop.push_back(v);
      turned += wrap(at(it->second).x() - at(v).x());
      v = it->second;
    }
    if (std::abs(turned) > 0.5 * round) rims.push_back(std::move(loop));
  }
  if (rims.size() != 2) return false;
  struct Cut {
    double length;
    int a, b;
  };
  std::vector<Cut> cuts;
  for (int a : rims[0]) {
    Cut best{1e300, a, -1};
    for (int b : rims[1]) {
      const double l = std::hypot(wrap(at(b).x() - at(a).x()), at(b).y() - at(a).y());
      if (l < best.length) best = {l, a, b};
    }
    cuts.push_back(best);
  }
  std::stable_sort(cuts.begin(), cuts.end(), [](const Cut& x, const Cut& y) { return x.length < y.length; });
  constexpr std::size_t kMostCuts = 200;
  for (std::size_t k = 0; k < std::min(kMostCuts, cuts.size()); ++k) {
    m_progress.check();
    const int a = cuts[k].a, b = cuts[k].b;
    const Vec3 from = at(a), to(from.x() + wrap(at(b).x() - from.x()), at(b).y(), 0);
    if (std::abs(to.y() - from.y()) < 1e-3 * cuts[k].length) continue;
    const bool crossed = std::any_of(edges.begin(), edges.end(), [&](const auto& e) {
      if (e[0] == a || e[1] == a || e[0] == b || e[1] == b) return false;
      Vec3 p = at(e[0]), q(p.x() + wrap(at(e[1]).x() - p.x()), at(e[1]).y(), 0);
      const Vec3 turn(round, 0, 0);
      const double near = round * std::round((from.x() - p.x()) / round);
      p.x() += near;
      q.x() += near;
      return meet(from, to, p, q) || meet(from, to, p + turn, q + turn) || meet(from, to, p - turn, q - turn);
    });
    if (crossed) continue;
    // Every vertex to the right of the cut, by less than a turn.
    auto cutAt = [&](double y) {
      return from.x() + (to.x() - from.x()) * std::clamp((y - from.y()) / (to.y() - from.y()), 0.0, 1.0);
    };
    std::vector<Vec3> open = flat;
    for (std::size_t v = 0; v < open.size(); ++v) {
      if (g.star[v].empty()) continue;
      const double cut = cutAt(open[v].y());
      double right = std::fmod(open[v].x() - cut, round);
      if (right < 0) right += round;
      if (static_cast<int>(v) == a || static_cast<int>(v) == b) right = 0;
      open[v].x() = cut + right;
    }
    auto apart = [&](int v, int w) {
      return open[static_cast<std::size_t>(w)].x() - open[static_cast<std::size_t>(v)].x();
    };
    auto isEnd = [&](int v) { return v == a || v == b; };
    // Edges at the cut's ends may belong to its right side; others must not lead over it.
    if (std::any_of(edges.begin(), edges.end(), [&](const auto& e) {
          return std::abs(apart(e[0], e[1])) > 0.5 * round && isEnd(e[0]) == isEnd(e[1]);
        }))
      continue;
    roll.flat = std::move(open);
    auto copyOf = [&](int v) {
      const int copy = addRolled(roll, roll.flat[static_cast<std::size_t>(v)] + Vec3(round, 0, 0));
      roll.original[copy] = v;
      return copy;
    };
    std::vector<int> left{a};
    const int pieces = std::max(1, static_cast<int>(cuts[k].length / (kRollStep * roll.radius)));
    for (int i = 1; i < pieces; ++i)
      left.push_back(addRolled(roll, from + (to - from) * (static_cast<double>(i) / pieces)));
    left.push_back(b);
    std::vector<int> right;
    for (int v : left) right.push_back(copyOf(v));
    for (auto& e : edges)
      for (std::size_t i = 0; i < 2; ++i) {
        const int v = e[i], w = e[1 - i];
        if (!isEnd(v) || roll.original.count(w) || isEnd(w)) continue;
        if (roll.flat[static_cast<std::size_t>(w)].x() - roll.flat[static_cast<std::size_t>(v)].x() > 0.5 * round)
          e[i] = v == a ? right.front() : right.back();
      }
    // The region lies to the right of the left side and to the left of the right one.
    const bool upwards = to.y() > from.y();
    for (std::size_t i = 0; i + 1 < left.size(); ++i) {
      if (upwards) {
        edges.push_back({left[i + 1], left[i]});
        edges.push_back({right[i], right[i + 1]});
      } else {
        edges.push_back({left[i], left[i + 1]});
        edges.push_back({right[i + 1], right[i]});
      }
    }
    return true;
  }
  return false;
}

FacePatch::Roll FacePatch::rolledOut(std::vector<std::array<int, 2>>& edges, bool rings) {
  const PartFace& face = m_part.faces[static_cast<std::size_t>(m_face)];
  if (face.kind != SurfaceKind::Cylinder || face.radius <= 0 || face.axis.norm() == 0) return {};
  const Vec3 along = face.axis.normalized(), e1 = along.unitOrthogonal(), e2 = along.cross(e1);
  std::vector<double> turned; // where the normals point
  std::vector<double> angle(g.points.size(), 0);
  Box middle[2]; // of the axis, when normals leave it or point to it
  for (std::size_t v = 0; v < g.points.size(); ++v) {
    if (g.star[v].empty()) continue;
    const Vec3& n = m_normal[v];
    angle[v] = std::atan2(n.dot(e2), n.dot(e1));
    turned.push_back(angle[v]);
    for (int k = 0; k < 2; ++k) {
      const Vec3 c = g.points[v] + (k ? 1 : -1) * face.radius * n;
      middle[k].add(Vec3(c.dot(e1), c.dot(e2), 0));
    }
  }
  if (turned.size() < 3) return {};
  const bool outward = middle[0].diagonal() < middle[1].diagonal();
  if (middle[outward ? 0 : 1].diagonal() > 0.02 * face.radius) return {}; // no such cylinder after all
  // Cut open where nothing is.
  std::sort(turned.begin(), turned.end());
  double widest = turned.front() + 2 * kPi - turned.back(), from = turned.front();
  for (std::size_t i = 0; i + 1 < turned.size(); ++i)
    if (turned[i + 1] - turned[i] > widest) {
      widest = turned[i + 1] - turned[i];
      from = turned[i + 1];
    }
  const int side = outward ? 0 : 1;
  Roll roll;
  roll.e1 = e1;
  roll.e2 = e2;
  roll.along = along;
  roll.axis = middle[side].center().x() * e1 + middle[side].center().y() * e2;
  roll.from = from;
  roll.radius = face.radius;
  roll.outward = outward;
  std::vector<Vec3> flat(g.points.size(), Vec3::Zero());
  for (std::size_t v = 0; v < g.points.size(); ++v) {
    if (g.star[v].empty()) continue;
    double a = angle[v] - from;
    if (a < -1e-12) a += 2 * kPi;
    flat[v] = Vec3((outward ? 1 : -1) * a * face.radius, g.points[v].dot(along), 0);
  }
  for (const auto& e : edges) // an edge over the cut: the patch closes round the axis
    if (std::abs(flat[static_cast<std::size_t>(e[0])].x() - flat[static_cast<std::size_t>(e[1])].x()) >
        kPi * face.radius)
      return rings && cutRing(roll, std::move(flat), edges) ? std::move(roll) : Roll{};
  roll.flat = std::move(flat);
  return roll;
}

FaceProjection FacePatch::Roll::onCylinder(const Vec3& p) const {
  const double a = from + (outward ? 1 : -1) * p.x() / radius;
  FaceProjection r;
  r.normal = std::cos(a) * e1 + std::sin(a) * e2;
  r.point = axis + p.y() * along + (outward ? radius : -radius) * r.normal;
  r.curvature = 1 / radius;
  return r;
}

/// Triangles between the rims alone would cut through the inside of the cylinder where it turns far: places between
/// are laid out in the plane, half a radian apart, each as a short edge inside the region.
void FacePatch::putInside(Roll& roll, std::vector<std::array<int, 2>>& edges) {
  Box box;
  for (const auto& e : edges) box.add(roll.flat[static_cast<std::size_t>(e[0])]);
  const double step = kRollStep * roll.radius;
  if (box.size().x() < 1.3 * step) return;
  const std::vector<std::array<int, 2>> rims = edges;
  auto at = [&](int v) -> const Vec3& { return roll.flat[static_cast<std::size_t>(v)]; };
  // Inside, and clear of all rims.
  auto clear = [&](const Vec3& p) {
    bool in = false;
    for (const auto& e : rims) {
      const Vec3 &a = at(e[0]), &b = at(e[1]);
      const Vec3 d = b - a;
      const double l2 = d.squaredNorm(), t = l2 > 0 ? std::clamp((p - a).dot(d) / l2, 0.0, 1.0) : 0;
      if ((a + t * d - p).norm() < 0.35 * step) return false;
      if ((a.y() > p.y()) != (b.y() > p.y()) && p.x() < a.x() + (p.y() - a.y()) / d.y() * d.x()) in = !in;
    }
    return in;
  };
  const int columns = static_cast<int>(box.size().x() / step),
            rows = static_cast<int>(std::min(box.size().y() / step, 2000.0)) + 1; // a wire's may lie farther apart
  for (int column = 1; column <= columns; ++column)
    for (int row = 0; row < rows; ++row) {
      m_progress.check();
      const Vec3 p(box.lo.x() + box.size().x() * column / (columns + 1),
                   box.lo.y() + box.size().y() * (row + 0.5) / rows, 0);
      if (!clear(p)) continue;
      int ends[2];
      for (int k = 0; k < 2; ++k) {
        const Vec3 q = p + Vec3(0, (k ? 0.1 : -0.1) * step, 0);
        ends[k] = addRolled(roll, q);
      }
      edges.push_back({ends[0], ends[1]});
      edges.push_back({ends[1], ends[0]});
    }
}

} // namespace tess
