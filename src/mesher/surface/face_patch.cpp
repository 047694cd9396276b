// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/face_patch.h"
#include "base/bvh.h"
#include "base/plane_triangles.h"
#include <cmath>
#include <map>
#include <set>

namespace tess {

constexpr double kCrease = 0.9; ///< cosine of the turn at which an edge inside a face of facets is a crease

double minAngle(const Vec3& a, const Vec3& b, const Vec3& c) {
  double la = (b - c).squaredNorm(), lb = (c - a).squaredNorm(), lc = (a - b).squaredNorm();
  // The smallest angle faces the shortest side.
  double lo = std::min({la, lb, lc});
  double other = lo == la ? std::sqrt(lb * lc) : lo == lb ? std::sqrt(la * lc) : std::sqrt(la * lb);
  if (other <= 0) return 0;
  return std::acos(std::clamp((la + lb + lc - 2 * lo) / (2 * other), -1.0, 1.0));
}

double FacePatch::facing(int a, int b, int c, const Vec3& pa, const Vec3& pb, const Vec3& pc, const Vec3& extra) const {
  Vec3 n = m_normal[static_cast<std::size_t>(a)] + m_normal[static_cast<std::size_t>(b)] +
           m_normal[static_cast<std::size_t>(c)] + extra;
  double l = n.norm();
  if (l == 0) return 1; // between creases on all sides: nothing is known
  return triangleNormal(pa, pb, pc).dot(n) / l;
}

void FacePatch::forgetCreases() {
  std::array<int, 16> at;
  std::set<int> onCrease;
  for (const auto& [ends, edge] : g.feature) {
    const int a = static_cast<int>(ends >> 32), b = static_cast<int>(ends & 0xffffffffu);
    if (g.edgeTris(a, b, at) != 2) continue;
    auto normalOf = [&](int t) {
      const auto& q = g.tri(t);
      return m_part.shape->projectToFace(m_face, (g.pt(q[0]) + g.pt(q[1]) + g.pt(q[2])) / 3).normal;
    };
    if (normalOf(at[0]).dot(normalOf(at[1])) < kCrease) onCrease.insert({a, b});
  }
  for (int v : onCrease) m_normal[static_cast<std::size_t>(v)] = Vec3::Zero();
}

void FacePatch::prepare() {
  if (m_h.size() == g.points.size()) return;
  m_h.resize(g.points.size());
  m_normal.resize(g.points.size());
  m_askedAt = g.points;
  for (std::size_t i = 0; i < g.points.size(); ++i) {
    if ((i & 255) == 0) m_progress.check();
    m_h[i] = askedAt(g.points[i]);
    m_normal[i] = m_part.shape->projectToFace(m_face, g.points[i]).normal;
  }
  if (m_part.faceted) forgetCreases();
}

void FacePatch::run() {
  prepare();
  unfold();
  for (int round = 0; round < 12; ++round) {
    m_progress.check();
    bool late = round >= 8;
    if (round < 4 || late) untangle();
    int changes = splitLong(round) + (late ? 0 : collapseShort());
    flips(true);
    smooth();
    flips(late);
    if (round >= 4 && changes == 0 && round < 10) round = 10; // two closing rounds
  }
  separateCorners();
}

/// Whether the patch is a strip that is narrower than the elements on it: area over half the length of its boundary.
bool FacePatch::narrow(const std::vector<std::array<int, 2>>& edges) const {
  double area = 0, rim = 0, asked = 0;
  for (int t = 0; t < static_cast<int>(g.tris.size()); ++t)
    if (g.alive(t)) area += triangleArea(g.pt(g.tri(t)[0]), g.pt(g.tri(t)[1]), g.pt(g.tri(t)[2]));
  for (const auto& e : edges) {
    const double l = (g.pt(e[0]) - g.pt(e[1])).norm();
    rim += l;
    asked += l * m_h[static_cast<std::size_t>(e[0])];
  }
  return rim > 0 && area / (0.5 * rim) < 1.5 * asked / rim;
}

void FacePatch::unfold() {
  // A flat face always starts from the constrained Delaunay triangulation of its boundary: the long fans of other ones
  // would be split, and in a narrow strip no inner vertex that came so ever goes again. So does a strip of a cylinder.
  const bool plane = m_part.faces[static_cast<std::size_t>(m_face)].kind == SurfaceKind::Plane;
  const bool round = m_part.faces[static_cast<std::size_t>(m_face)].kind == SurfaceKind::Cylinder;
  bool folded = plane;
  std::vector<std::array<int, 2>> edges;
  for (int t = 0; t < static_cast<int>(g.tris.size()); ++t) {
    if (!g.alive(t)) continue;
    const auto& q = g.tri(t);
    folded = folded || facing(q[0], q[1], q[2]) <= 0;
    // A side over more than a quarter of a turn leads through the inside: its middle is no place to split it at.
    if (round)
      for (std::size_t k = 0; k < 3; ++k)
        folded = folded ||
                 m_normal[static_cast<std::size_t>(q[k])].dot(m_normal[static_cast<std::size_t>(q[(k + 1) % 3])]) < 0;
    for (std::size_t k = 0; k < 3; ++k) {
      std::array<int, 16> at;
      if (g.isFeature(q[k], q[(k + 1) % 3]) || g.edgeTris(q[k], q[(k + 1) % 3], at) == 1)
        edges.push_back({q[k], q[(k + 1) % 3]});
    }
  }
  if (edges.empty()) return;
  std::vector<Vec3> seen;
  std::map<int, int> original; // of a vertex that a cut through a ring has twice
  if (const bool strip = narrow(edges); folded || strip) {
    Roll roll = rolledOut(edges, folded);
    if (!roll.flat.empty() && !strip) putInside(roll, edges);
    seen = std::move(roll.flat);
    original = std::move(roll.original);
  }
  if (!folded && seen.empty()) return;
  Vec3 mean(0, 0, 1);
  if (seen.empty()) {
    // Flat faces as they are; others seen along their mean normal, where they turn little from it.
    mean = Vec3::Zero();
    for (const auto& e : edges) mean += m_normal[static_cast<std::size_t>(e[0])];
    if (mean.norm() == 0) return;
    mean.normalize();
    for (std::size_t v = 0; v < g.points.size(); ++v)
      if (!g.star[v].empty() && m_normal[v].dot(mean) < 0.5) return;
    seen = g.points;
    if (!plane) {
      Vec3 u = mean.unitOrthogonal(), w = mean.cross(u);
      for (auto& p : seen) p = Vec3(p.dot(u), p.dot(w), 0);
      mean = Vec3(0, 0, 1);
    }
  }
  auto fresh = fillPlane(seen, edges, mean);
  if (fresh.empty()) return; // the edges themselves cross: they must get finer
  for (auto& t : fresh)
    for (int& v : t)
      if (const auto it = original.find(v); it != original.end()) v = it->second;
  for (int t = 0; t < static_cast<int>(g.tris.size()); ++t) g.tri(t) = {-1, -1, -1};
  for (auto& s : g.star) s.clear();
  for (const auto& t : fresh) g.addTriangle(t, m_face);
}

bool FacePatch::tryHold(int v, const FaceProjection& to) {
  Vec3 turn = to.normal - m_normal[static_cast<std::size_t>(v)];
  for (int t : g.starOf(v)) {
    const auto& id = g.tri(t);
    std::array<Vec3, 3> q;
    for (std::size_t k = 0; k < 3; ++k) q[k] = id[k] == v ? to.point : g.pt(id[k]);
    if (minAngle(q[0], q[1], q[2]) < 0.15 || facing(id[0], id[1], id[2], q[0], q[1], q[2], turn) <= 0.6) return false;
  }
  g.points[static_cast<std::size_t>(v)] = to.point;
  m_normal[static_cast<std::size_t>(v)] = to.normal;
  m_h[static_cast<std::size_t>(v)] = askedAt(to.point);
  m_askedAt[static_cast<std::size_t>(v)] = to.point;
  m_held[static_cast<std::size_t>(v)] = 1;
  return true;
}

bool FacePatch::insertHeld(int v, const FaceProjection& to) {
  // The triangles around v and around its neighbours are near enough to hold the place.
  std::vector<int> near = g.starOf(v);
  for (int t : g.starOf(v))
    for (int w : g.tri(t)) near.insert(near.end(), g.starOf(w).begin(), g.starOf(w).end());
  std::sort(near.begin(), near.end());
  near.erase(std::unique(near.begin(), near.end()), near.end());
  int bestA = -1, bestB = -1;
  double best = 0.1;
  for (int t : near) {
    auto q = g.tri(t);
    for (std::size_t k = 0; k < 3; ++k) {
      int a = q[k], b = q[(k + 1) % 3];
      std::array<int, 16> at;
      if (g.isFeature(a, b) || g.edgeTris(a, b, at) != 2) continue;
      double worst = kPi;
      for (int i = 0; i < 2 && worst > best; ++i) {
        const auto& x = g.tri(at[static_cast<std::size_t>(i)]);
        for (int end : {a, b}) {
          std::array<Vec3, 3> p;
          Vec3 n = to.normal;
          for (std::size_t j = 0; j < 3; ++j) {
            p[j] = x[j] == end ? to.point : g.pt(x[j]);
            if (x[j] != end) n += m_normal[static_cast<std::size_t>(x[j])];
          }
          if (triangleNormal(p[0], p[1], p[2]).dot(n.normalized()) < 0.6) worst = 0;
          worst = std::min(worst, minAngle(p[0], p[1], p[2]));
        }
      }
      if (worst > best) best = worst, bestA = a, bestB = b;
    }
  }
  if (bestA < 0) return false;
  int made = splitAt(bestA, bestB, to);
  m_held.resize(g.points.size(), 0);
  m_held[static_cast<std::size_t>(made)] = 1;
  return true;
}

int FacePatch::anchor(const std::vector<FaceProjection>& places) {
  if (places.empty()) return 0;
  m_held.resize(g.points.size(), 0);
  std::vector<FaceProjection> todo = places;
  int count = 0;
  for (int pass = 0; pass < 3 && !todo.empty(); ++pass) {
    std::vector<int> live;
    std::vector<Box> boxes;
    for (int v = 0; v < static_cast<int>(g.points.size()); ++v) {
      if (g.starOf(v).empty()) continue;
      live.push_back(v);
      Box b;
      b.add(g.pt(v));
      boxes.push_back(b);
    }
    Bvh tree(boxes);
    std::vector<FaceProjection> left;
    int seen = 0;
    for (const auto& p : todo) {
      if ((++seen & 63) == 0) m_progress.check();
      double h = askedAt(p.point);
      Box around;
      around.add(p.point);
      around.grow(1.6 * h); // vertices may have moved since the tree was built
      std::vector<std::pair<double, int>> near;
      bool taken = false;
      tree.overlapping(around, [&](int i) {
        int v = live[static_cast<std::size_t>(i)];
        if (g.starOf(v).empty()) return true;
        double d = (g.pt(v) - p.point).norm();
        if (fixed(v) && d < 0.4 * h) taken = true;
        if (!fixed(v) && d < 0.8 * h) near.push_back({d, v});
        return !taken;
      });
      if (taken) continue;
      std::sort(near.begin(), near.end());
      bool done = false;
      for (std::size_t k = 0; k < std::min<std::size_t>(3, near.size()) && !done; ++k)
        done = tryHold(near[k].second, p);
      if (!done && pass == 2 && !near.empty()) done = insertHeld(near.front().second, p);
      count += done;
      if (!done) left.push_back(p);
    }
    todo = std::move(left);
    flips(true);
    smooth();
    flips(true);
  }
  for (int round = 0; round < 4; ++round) {
    m_progress.check();
    splitLong(round + 2);
    if (round < 3) collapseShort();
    flips(true);
    smooth();
    flips(true);
  }
  separateCorners();
  return count;
}

bool FacePatch::takeOut(const std::vector<int>& vertices) {
  prepare();
  std::vector<int> left = vertices;
  for (bool any = true; any && !left.empty();) {
    any = false;
    std::erase_if(left, [&](int v) {
      // Neighbours along the boundary.
      std::vector<int> ends;
      for (int t : g.starOf(v))
        for (int w : g.tri(t))
          if (w != v && g.isFeature(v, w) && std::find(ends.begin(), ends.end(), w) == ends.end()) ends.push_back(w);
      if (ends.size() != 2) return false;
      for (int w : ends) {
        if (!g.canCollapse(v, w)) continue;
        bool good = true;
        for (int t : g.starOf(v)) {
          if (g.has(t, w)) continue;
          std::array<Vec3, 3> q;
          for (std::size_t k = 0; k < 3; ++k) q[k] = g.pt(g.tri(t)[k] == v ? w : g.tri(t)[k]);
          const Vec3 n = m_part.shape->projectToFace(m_face, (q[0] + q[1] + q[2]) / 3).normal;
          good = good && triangleNormal(q[0], q[1], q[2]).dot(n) > 0.2;
        }
        if (!good) continue;
        g.collapse(v, w);
        any = true;
        return true;
      }
      return false;
    });
    // What stays has its flat triangles turned away.
    if (!left.empty()) flips(true);
  }
  return left.empty();
}

bool FacePatch::splitShared(int globalA, int globalB) {
  int a = -1, b = -1;
  for (std::size_t i = 0; i < globalId.size(); ++i) {
    if (globalId[i] == globalA) a = static_cast<int>(i);
    if (globalId[i] == globalB) b = static_cast<int>(i);
  }
  if (a < 0 || b < 0 || !g.connected(a, b) || g.isFeature(a, b)) return false;
  splitAt(a, b);
  flips(false);
  smooth();
  return true;
}

int FacePatch::splitAt(int a, int b, const FaceProjection& m) {
  int v = g.split(a, b, m.point, Dim::Face, m_face);
  globalId.push_back(-1);
  m_h.push_back(askedAt(m.point));
  m_askedAt.push_back(m.point);
  m_normal.push_back(m.normal);
  return v;
}

bool FacePatch::trySplit(int a, int b) {
  if (m_part.faces[static_cast<std::size_t>(m_face)].kind != SurfaceKind::Plane) {
    std::array<int, 16> at;
    int k = g.edgeTris(a, b, at);
    FaceProjection m = m_part.shape->projectToFace(m_face, 0.5 * (g.pt(a) + g.pt(b)));
    double now = 1, then = 1;
    for (int i = 0; i < k; ++i) {
      auto q = g.tri(at[static_cast<std::size_t>(i)]);
      now = std::min(now, facing(q[0], q[1], q[2]));
      for (int end : {a, b}) { // each half has the new point in place of one end
        std::array<Vec3, 3> p;
        Vec3 n = m.normal;
        for (std::size_t j = 0; j < 3; ++j) {
          p[j] = q[j] == end ? m.point : g.pt(q[j]);
          if (q[j] != end) n += m_normal[static_cast<std::size_t>(q[j])];
        }
        then = std::min(then, triangleNormal(p[0], p[1], p[2]).dot(n.normalized()));
      }
    }
    if (then < 0.03 && then < now) return false;
  }
  splitAt(a, b);
  return true;
}

template <class F> std::vector<FacePatch::Edge> FacePatch::collect(F&& rank) const {
  std::vector<Edge> r;
  for (int t = 0; t < static_cast<int>(g.tris.size()); ++t) {
    if (!g.alive(t)) continue;
    for (std::size_t k = 0; k < 3; ++k) {
      int a = g.tri(t)[k], b = g.tri(t)[(k + 1) % 3];
      if (a > b || g.isFeature(a, b)) continue; // an inner edge is met from both sides, once with a < b
      double x = rank(a, b);
      if (x > 0) r.push_back({a, b, x});
    }
  }
  std::sort(r.begin(), r.end(), [](const Edge& x, const Edge& y) {
    return x.rank != y.rank ? x.rank > y.rank : std::pair(x.a, x.b) < std::pair(y.a, y.b);
  });
  return r;
}

int FacePatch::splitLong(int round) {
  int n = 0;
  bool curved = m_part.faces[static_cast<std::size_t>(m_face)].kind != SurfaceKind::Plane;
  auto edges = collect([&](int a, int b) {
    double l = (g.pt(a) - g.pt(b)).norm(),
           h = 0.5 * (m_h[static_cast<std::size_t>(a)] + m_h[static_cast<std::size_t>(b)]);
    double r = l / h;
    if (l > 2 * h) r = std::max(r, l / askedAt(0.5 * (g.pt(a) + g.pt(b)))); // ends may not see a small size in between
    if (r > 1.36) return r;
    // An edge that leaves the curved face by much must be split though it is short enough.
    if (curved && r > 0.5 && round > 1) {
      Vec3 m = 0.5 * (g.pt(a) + g.pt(b));
      if ((onFace(m) - m).norm() > 0.16 * l) return r;
    }
    return 0.0;
  });
  int seen = 0;
  for (const auto& e : edges) {
    if ((++seen & 255) == 0) m_progress.check();
    if (g.connected(e.a, e.b) && trySplit(e.a, e.b)) ++n;
  }
  return n;
}

bool FacePatch::collapseGood(int v, int w, const Vec3& to) const {
  for (int t : g.starOf(v)) {
    if (g.has(t, w)) continue;
    std::array<Vec3, 3> q;
    std::array<int, 3> id;
    for (std::size_t k = 0; k < 3; ++k) {
      id[k] = g.tri(t)[k] == v ? w : g.tri(t)[k];
      q[k] = g.tri(t)[k] == v ? to : g.pt(g.tri(t)[k]);
    }
    for (std::size_t k = 0; k < 3; ++k) { // no new edge that would be split again
      int x = g.tri(t)[k];
      if (x == v || x == w) continue;
      if ((g.pt(x) - to).norm() > 1.33 * 0.5 * (m_h[static_cast<std::size_t>(x)] + m_h[static_cast<std::size_t>(w)]))
        return false;
    }
    if (facing(id[0], id[1], id[2], q[0], q[1], q[2], Vec3::Zero()) <= 0.5) return false;
  }
  return true;
}

int FacePatch::collapseShort() {
  int n = 0;
  auto edges = collect([&](int a, int b) {
    double l = (g.pt(a) - g.pt(b)).norm(),
           h = 0.5 * (m_h[static_cast<std::size_t>(a)] + m_h[static_cast<std::size_t>(b)]);
    return l < 0.72 * h ? h / l : 0.0;
  });
  int seen = 0;
  for (const auto& e : edges) {
    if ((++seen & 255) == 0) m_progress.check();
    int v = e.a, w = e.b;
    if (g.starOf(v).empty() || g.starOf(w).empty() || !g.connected(v, w)) continue;
    if (fixed(v)) std::swap(v, w);
    if (fixed(v)) continue; // both on the boundary
    for (int k = 0; k < 2; ++k) {
      if (!fixed(v) && g.canCollapse(v, w) && collapseGood(v, w, g.pt(w))) {
        g.collapse(v, w);
        ++n;
        break;
      }
      std::swap(v, w);
    }
  }
  return n;
}

void FacePatch::flips(bool byAngle) {
  for (int pass = 0; pass < 4; ++pass) {
    int n = 0;
    for (int t = 0; t < static_cast<int>(g.tris.size()); ++t) {
      if ((t & 1023) == 0) m_progress.check();
      for (std::size_t k = 0; k < 3; ++k)
        if (g.alive(t)) n += tryFlip(t, g.tri(t)[k], g.tri(t)[(k + 1) % 3], byAngle);
    }
    if (!n) break;
  }
}

void FacePatch::untangle() {
  if (m_part.faces[static_cast<std::size_t>(m_face)].kind == SurfaceKind::Plane) return;
  for (int pass = 0; pass < 6; ++pass) {
    int n = 0;
    for (int t = 0; t < static_cast<int>(g.tris.size()); ++t) {
      if (!g.alive(t)) continue;
      auto q = g.tri(t);
      if (facing(q[0], q[1], q[2]) > 0.1) continue;
      int best = -1;
      double gain = 0.05;
      for (std::size_t k = 0; k < 3; ++k) {
        int a = q[k], b = q[(k + 1) % 3];
        std::array<int, 16> at;
        if (g.isFeature(a, b) || g.edgeTris(a, b, at) != 2) continue;
        int o = at[0] == t ? at[1] : at[0], c = g.apex(t, a, b), d = g.apex(o, a, b);
        if (c == d || g.connected(c, d)) continue;
        double before = std::min(facing(a, b, c), facing(b, a, d)), after = std::min(facing(a, d, c), facing(d, b, c));
        if (after - before > gain) gain = after - before, best = static_cast<int>(k);
      }
      if (best < 0) continue;
      int a = q[static_cast<std::size_t>(best)], b = q[static_cast<std::size_t>((best + 1) % 3)];
      std::array<int, 16> at;
      g.edgeTris(a, b, at);
      g.flip(a, b, t, at[0] == t ? at[1] : at[0]);
      ++n;
    }
    if (!n) break;
  }
}

bool FacePatch::tryFlip(int t, int a, int b, bool byAngle) {
  if (g.isFeature(a, b)) return false;
  std::array<int, 16> at;
  if (g.edgeTris(a, b, at) != 2) return false;
  int o = at[0] == t ? at[1] : at[0];
  if (o < t) return false;
  int c = g.apex(t, a, b), d = g.apex(o, a, b);
  if (c == d || g.connected(c, d)) return false;
  const Vec3 &pa = g.pt(a), &pb = g.pt(b), &pc = g.pt(c), &pd = g.pt(d);
  auto angleAt = [](const Vec3& p, const Vec3& q, const Vec3& r) {
    Vec3 x = q - p, y = r - p;
    return std::atan2(x.cross(y).norm(), x.dot(y));
  };
  if (byAngle) {
    double now = std::min(minAngle(pa, pb, pc), minAngle(pb, pa, pd)),
           then = std::min(minAngle(pa, pd, pc), minAngle(pd, pb, pc));
    if (then <= now + 1e-6) return false;
  } else if (angleAt(pc, pa, pb) + angleAt(pd, pa, pb) <= kPi + 1e-6)
    return false;
  // No edge over a wider arc than needed: cos 37 degrees, or as wide as the one that goes.
  auto arc = [&](int x, int y) {
    const Vec3 &n = m_normal[static_cast<std::size_t>(x)], &m = m_normal[static_cast<std::size_t>(y)];
    return n.isZero(0) || m.isZero(0) ? 1.0 : n.dot(m);
  };
  if (arc(c, d) < std::min(0.8, arc(a, b) - 1e-9)) return false;
  double after = std::min(facing(a, d, c), facing(d, b, c));
  // Allowed all the same when it mends something worse.
  if (after <= 0.7 && after <= std::min(facing(a, b, c), facing(b, a, d))) return false;
  g.flip(a, b, t, o);
  return true;
}

void FacePatch::smooth() {
  for (int v = 0; v < static_cast<int>(g.points.size()); ++v) {
    if ((v & 255) == 0) m_progress.check();
    if (fixed(v) || g.starOf(v).empty()) continue;
    // Centroid of the neighbours' triangles, weighted by area in units of the local size.
    Vec3 sum(0, 0, 0);
    double weight = 0, before = kPi;
    for (int t : g.starOf(v)) {
      const auto& q = g.tri(t);
      const Vec3 &a = g.pt(q[0]), &b = g.pt(q[1]), &c = g.pt(q[2]);
      double h = (m_h[static_cast<std::size_t>(q[0])] + m_h[static_cast<std::size_t>(q[1])] +
                  m_h[static_cast<std::size_t>(q[2])]) /
                 3;
      double w = triangleArea(a, b, c) / (h * h);
      sum += w * (a + b + c) / 3;
      weight += w;
      before = std::min(before, minAngle(a, b, c));
    }
    if (weight <= 0) continue;
    Vec3 to = sum / weight;
    for (int attempt = 0; attempt < 3; ++attempt) {
      FaceProjection f = m_part.shape->projectToFace(
          m_face, attempt == 0 ? to : Vec3(g.pt(v) + (to - g.pt(v)) * (attempt == 1 ? 0.5 : 0.2)));
      const Vec3& p = f.point;
      Vec3 turn = f.normal - m_normal[static_cast<std::size_t>(v)];
      double after = kPi;
      bool good = true;
      for (int t : g.starOf(v)) {
        const auto& id = g.tri(t);
        std::array<Vec3, 3> q;
        for (std::size_t k = 0; k < 3; ++k) q[k] = id[k] == v ? p : g.pt(id[k]);
        after = std::min(after, minAngle(q[0], q[1], q[2]));
        if (facing(id[0], id[1], id[2], q[0], q[1], q[2], turn) <= 0.6) good = false;
      }
      if (good && (after > before || after > 0.5)) {
        g.points[static_cast<std::size_t>(v)] = p;
        m_normal[static_cast<std::size_t>(v)] = f.normal;
        // Size queries are dear; over a tenth of the size the field changes by a few per cent at most.
        auto& asked = m_askedAt[static_cast<std::size_t>(v)];
        if ((p - asked).norm() > 0.1 * m_h[static_cast<std::size_t>(v)]) {
          m_h[static_cast<std::size_t>(v)] = askedAt(p);
          asked = p;
        }
        break;
      }
    }
  }
}

void FacePatch::separateCorners() {
  for (int t = 0, n = static_cast<int>(g.tris.size()); t < n; ++t) {
    if (!g.alive(t)) continue;
    auto q = g.tri(t);
    if (minAngle(g.pt(q[0]), g.pt(q[1]), g.pt(q[2])) > 2 * kPi / 180) continue;
    std::size_t longest = 0;
    double best = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      double l = (g.pt(q[k]) - g.pt(q[(k + 1) % 3])).norm();
      if (l > best) best = l, longest = k;
    }
    int a = q[longest], b = q[(longest + 1) % 3];
    if (g.isFeature(a, b)) continue;
    std::array<int, 16> at;
    if (g.edgeTris(a, b, at) == 2) {
      int o = at[0] == t ? at[1] : at[0];
      int c = g.apex(t, a, b), d = g.apex(o, a, b);
      if (c != d && !g.connected(c, d) && facing(a, d, c) > 0.2 && facing(d, b, c) > 0.2) g.flip(a, b, t, o);
    }
  }
}

} // namespace tess
