// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/tets/boundary_moves.h"
#include "base/predicates.h"
#include "mesher/tets/boundary_shape.h"
#include "mesher/tets/max_min.h"
#include <cmath>
#include <map>
#include <set>

namespace tess {
BoundaryMoves::BoundaryMoves(TetCore& core, SurfaceMesh& surface, const Part* part, const SizeField& size)
    : m(core), m_surface(surface), m_part(part), m_size(size), m_farFrom(static_cast<int>(surface.points.size())) {
  m_surface.dim.resize(core.points.size(), Dim::Body);
  m_surface.entity.resize(core.points.size(), -1);
  for (int i = 0; i < static_cast<int>(m_surface.triangles.size()); ++i) enter(i);
  for (std::size_t e = 0; e < m_surface.edgeNodes.size(); ++e)
    for (std::size_t k = 0; k + 1 < m_surface.edgeNodes[e].size(); ++k)
      m_line[edgeKey(m_surface.edgeNodes[e][k], m_surface.edgeNodes[e][k + 1])] = static_cast<int>(e);
}

void BoundaryMoves::added(int v) {
  noteUndo([this, v] {
    m_surface.dim.resize(static_cast<std::size_t>(v));
    m_surface.entity.resize(static_cast<std::size_t>(v));
  });
  m_surface.dim.resize(static_cast<std::size_t>(v) + 1, Dim::Body);
  m_surface.entity.resize(static_cast<std::size_t>(v) + 1, -1);
}

std::uint64_t BoundaryMoves::key(int a, int b, int c) {
  std::array<int, 3> v{a, b, c};
  std::sort(v.begin(), v.end());
  return edgeKey(v[0], v[1]);
}

int BoundaryMoves::triangle(int a, int b, int c) const {
  auto it = m_at.find(key(a, b, c));
  if (it == m_at.end()) return -1;
  std::array<int, 3> v{a, b, c};
  std::sort(v.begin(), v.end());
  for (int i : it->second) {
    auto x = tri(i);
    std::sort(x.begin(), x.end());
    if (x == v) return i;
  }
  return -1;
}
void BoundaryMoves::enter(int i) {
  const auto& q = tri(i);
  m_at[key(q[0], q[1], q[2])].push_back(i);
}
void BoundaryMoves::leave(int i) {
  const auto& q = tri(i);
  auto& l = m_at[key(q[0], q[1], q[2])];
  l.erase(std::find(l.begin(), l.end(), i));
}
void BoundaryMoves::setTriangle(int i, const std::array<int, 3>& q) {
  const auto k = static_cast<std::size_t>(i);
  noteUndo([this, i, k, was = tri(i)] {
    if (tri(i)[0] >= 0) leave(i);
    m_surface.triangles[k] = was;
    if (was[0] >= 0) enter(i);
  });
  if (tri(i)[0] >= 0) leave(i);
  m_surface.triangles[k] = q;
  if (q[0] >= 0) enter(i);
}
void BoundaryMoves::lockEdge(int a, int b) {
  if (m.lockedEdges.insert(edgeKey(a, b)).second) noteUndo([this, a, b] { m.lockedEdges.erase(edgeKey(a, b)); });
}
void BoundaryMoves::unlockEdge(int a, int b) {
  if (m.lockedEdges.erase(edgeKey(a, b))) noteUndo([this, a, b] { m.lockedEdges.insert(edgeKey(a, b)); });
}
void BoundaryMoves::setLine(int a, int b, int edge) {
  auto put = [this, a, b](int e) {
    if (e < 0)
      m_line.erase(edgeKey(a, b));
    else
      m_line[edgeKey(a, b)] = e;
  };
  auto was = m_line.find(edgeKey(a, b));
  noteUndo([put, e = was == m_line.end() ? -1 : was->second] { put(e); });
  put(edge);
}
std::vector<int>& BoundaryMoves::chainOf(int edge) {
  auto& chain = m_surface.edgeNodes[static_cast<std::size_t>(edge)];
  noteUndo([this, edge, was = chain] { m_surface.edgeNodes[static_cast<std::size_t>(edge)] = was; });
  return chain;
}

std::vector<int> BoundaryMoves::trianglesAt(int v) {
  std::set<int> r;
  m.starOf(v, m_star);
  for (int t : m_star)
    for (int i = 0; i < 4; ++i) {
      if (!m.faceLocked(t, i) || m.at(t).v[i] == v) continue;
      const int* f = kTetFace[i];
      int s = triangle(m.at(t).v[f[0]], m.at(t).v[f[1]], m.at(t).v[f[2]]);
      if (s >= 0) r.insert(s);
    }
  return {r.begin(), r.end()};
}

std::vector<int> BoundaryMoves::trianglesAt(int a, int b) const {
  std::set<int> r;
  TetCore::Ring ring;
  int t = m.findEdge(a, b);
  if (t < 0 || !m.ringOf(t, a, b, ring)) return {};
  for (int x : ring.r) {
    int s = triangle(a, b, x);
    if (s >= 0) r.insert(s);
  }
  return {r.begin(), r.end()};
}

void BoundaryMoves::setLock(int t, int face, bool on) {
  auto put = [&](int tet, int f) {
    if (m.log) m.noteState(tet);
    auto bit = static_cast<std::uint8_t>(1 << f);
    auto& l = m.locked[static_cast<std::size_t>(tet)];
    l = static_cast<std::uint8_t>(on ? l | bit : l & ~bit);
  };
  put(t, face);
  put(m.at(t).n[face] >> 2, m.at(t).n[face] & 3);
}

bool BoundaryMoves::slide(int v) {
  if (!m_part || (dim(v) != Dim::Face && dim(v) != Dim::Edge)) return false;
  Dim d = dim(v);
  int e = entity(v);
  std::vector<int> around = trianglesAt(v);
  if (anyFixed(around)) return false;
  std::vector<int> star = m_star;
  Vec3 p = m.pt(v), origin = p;
  double reach = std::numeric_limits<double>::infinity();
  struct Corner {
    int a, b;
    Vec3 n;
  };
  std::vector<Corner> fan;
  for (int i : around) {
    auto q = tri(i);
    while (q[0] != v) std::rotate(q.begin(), q.begin() + 1, q.end());
    fan.push_back({q[1], q[2], normal(q)});
  }
  for (int t : star)
    if (region(t) >= 0)
      for (int w : m.at(t).v)
        if (w != v) reach = std::min(reach, (m.pt(w) - p).norm());
  auto score = [&](const Vec3& to, double stop) {
    double s = 1;
    for (int t : star) {
      if (m.ghost(t)) continue;
      const Vec3* c[4];
      for (int i = 0; i < 4; ++i) c[i] = m.at(t).v[i] == v ? &to : &m.pt(m.at(t).v[i]);
      if (region(t) < 0) {
        if (orient3d(*c[0], *c[1], *c[2], *c[3]) <= 0) return -1.0;
        continue;
      }
      s = std::min(s, tetQuality(*c[0], *c[1], *c[2], *c[3]));
      if (s <= stop) return s;
    }
    return s;
  };
  auto shape = [&](const Vec3& to) {
    double s = 1;
    for (const auto& c : fan) {
      if (triangleNormal(to, m.pt(c.a), m.pt(c.b)).dot(c.n) < kTurn) return 0.0;
      s = std::min(s, shapeOf(to, m.pt(c.a), m.pt(c.b)));
    }
    return s;
  };
  const double start = score(p, -2), least = std::min(shape(p), 0.3);
  auto put = [&](const Vec3& x) {
    return d == Dim::Face ? m_part->shape->projectToFace(e, x).point : m_part->shape->projectToEdge(e, x).point;
  };
  double now = climb(p, 0.3 * reach, start, put, [&](const Vec3& to, double best) {
    if ((to - origin).norm() > 0.5 * reach || shape(to) < least) return -2.0;
    return score(to, best);
  });
  now = raiseSmallest(
      p, 0.2 * reach,
      [&](const Vec3& x, std::vector<double>& out) {
        out.clear();
        for (int t : star) {
          if (m.ghost(t)) continue;
          const Vec3* c[4];
          for (int k = 0; k < 4; ++k) c[k] = m.at(t).v[k] == v ? &x : &m.pt(m.at(t).v[k]);
          double s = tetQuality(*c[0], *c[1], *c[2], *c[3]);
          out.push_back(region(t) >= 0 ? s : s > 0 ? 2.0 : -1.0); // outside: only not turned over
        }
      },
      put, [&](const Vec3& x) { return (x - origin).norm() <= 0.5 * reach && shape(x) >= least; });
  if (now <= start * 1.01 + 1e-9) return false;
  for (int t : star) {
    if (m.ghost(t)) continue;
    const Vec3* c[4];
    for (int k = 0; k < 4; ++k) c[k] = m.at(t).v[k] == v ? &p : &m.pt(m.at(t).v[k]);
    if (orient3d(*c[0], *c[1], *c[2], *c[3]) <= 0) return false;
  }
  m.move(v, p);
  ++counts.slides;
  return true;
}

bool BoundaryMoves::peel(int t) {
  int f[2], n = 0;
  for (int i = 0; i < 4; ++i)
    if (m.faceLocked(t, i)) {
      if (n == 2) return false;
      f[n++] = i;
    }
  if (n != 2) return false;
  const Tet x = m.at(t);
  int c = x.v[f[1]], d = x.v[f[0]]; // apexes of the two triangles; a, b their common edge
  int a = -1, b = -1;
  for (int i = 0; i < 4; ++i)
    if (i != f[0] && i != f[1]) (a < 0 ? a : b) = x.v[i];
  int o0 = x.n[f[0]] >> 2, o1 = x.n[f[1]] >> 2;
  if (m.ghost(o0) || m.ghost(o1) || region(o0) != region(o1)) return false;
  int s0 = triangle(a, b, c), s1 = triangle(a, b, d);
  if (s0 < 0 || s1 < 0 || m_surface.face[static_cast<std::size_t>(s0)] != m_surface.face[static_cast<std::size_t>(s1)])
    return false;
  if (m_surface.fixed(static_cast<std::size_t>(s0))) return false;
  if (m.edgeLocked(c, d) || m_line.count(edgeKey(a, b))) return false;
  std::array<int, 3> u0 = tri(s0), u1 = tri(s1); // as a flip: b -> d in the first, a -> c in the second
  Vec3 n0 = normal(u0), n1 = normal(u1);
  if (n0.dot(n1) < kTurn) return false;
  std::replace(u0.begin(), u0.end(), b, d);
  std::replace(u1.begin(), u1.end(), a, c);
  Vec3 mean = (n0 + n1).normalized();
  if (normal(u0).dot(mean) < kTurn || normal(u1).dot(mean) < kTurn) return false;
  if (trianglesAt(a, b).size() != 2) return false; // only these two may meet at the edge that goes
  if (m.log) {                                     // it changes sides: counted as one that goes and one that comes
    m.log->goes(t);
    m.noteState(t);
  }
  m.region[static_cast<std::size_t>(t)] = region(o0);
  if (m.log) m.log->comes(t);
  for (int i = 0; i < 4; ++i) setLock(t, i, i != f[0] && i != f[1]);
  unlockEdge(a, b);
  lockEdge(c, d);
  setTriangle(s0, u0);
  setTriangle(s1, u1);
  ++counts.peels;
  return true;
}

bool BoundaryMoves::contract(int v, int w, bool dare) {
  if (!m_part || !m.edgeLocked(v, w) || dim(v) == Dim::Point || dim(v) == Dim::Body || dim(w) == Dim::Body)
    return false;
  if (dim(v) == Dim::Edge) { // along its line only
    auto it = m_line.find(edgeKey(v, w));
    if (it == m_line.end() || it->second != entity(v)) return false;
    if (m_surface.edgeNodes[static_cast<std::size_t>(entity(v))].size() <= 4) return false;
  }
  std::vector<int> around = trianglesAt(v);
  if (anyFixed(around)) return false;
  std::vector<int> star = m_star;
  double old = 1;
  for (int t : star) {
    if (m.ghost(t)) return false;
    if (region(t) >= 0) old = std::min(old, tetQuality(m, t));
  }
  const double limit = dare ? kDare : std::max(old * 1.02, 1e-9);
  const Vec3 to = m.pt(w);
  // Surface: common neighbours of v and w are exactly the apexes of the triangles between them.
  std::set<int> ofV, ofW, apexes;
  std::vector<int> keep, drop;
  for (int s : around) {
    const auto& q = tri(s);
    bool between = q[0] == w || q[1] == w || q[2] == w;
    (between ? drop : keep).push_back(s);
    for (int x : q) {
      if (x != v && x != w) ofV.insert(x);
      if (between && x != v && x != w) apexes.insert(x);
    }
  }
  for (int s : trianglesAt(w))
    for (int x : tri(s))
      if (x != w && x != v) ofW.insert(x);
  if (drop.size() < 2) return false;
  for (int x : ofV)
    if (ofW.count(x) && !apexes.count(x)) return false;
  for (int s : keep) {
    auto q = tri(s);
    Vec3 n = normal(q);
    double was = shapeOf(m.pt(q[0]), m.pt(q[1]), m.pt(q[2]));
    std::replace(q.begin(), q.end(), v, w);
    if (normal(q).dot(n) < kTurn || triangle(q[0], q[1], q[2]) >= 0) return false;
    if (shapeOf(m.pt(q[0]), m.pt(q[1]), m.pt(q[2])) < std::min(kShape, was)) return false;
  }
  std::vector<std::array<int, 4>> fresh;
  std::vector<int> regions;
  for (int t : star) {
    if (m.indexOf(t, w) >= 0) continue;
    std::array<int, 4> x;
    const Vec3* c[4];
    for (std::size_t i = 0; i < 4; ++i) {
      x[i] = m.at(t).v[i] == v ? w : m.at(t).v[i];
      c[i] = &m.pt(x[i]);
    }
    if (orient3d(*c[0], *c[1], *c[2], *c[3]) <= 0) return false;
    if (region(t) >= 0 && tetQuality(*c[0], *c[1], *c[2], *c[3]) <= limit) return false;
    fresh.push_back(x);
    regions.push_back(region(t));
  }
  if (fresh.empty()) return false;
  // Last what costs most: no long edges, and off the true face by no more than a small part of the size.
  const double longest = 1.6 * m_size.at(to);
  for (int s : keep) {
    auto q = tri(s);
    std::replace(q.begin(), q.end(), v, w);
    for (int x : q)
      if (x != w && (m.pt(x) - to).norm() > longest) return false;
    int f = m_surface.face[static_cast<std::size_t>(s)];
    if (m_part->faces[static_cast<std::size_t>(f)].kind == SurfaceKind::Plane) continue;
    Vec3 c = (m.pt(q[0]) + m.pt(q[1]) + m.pt(q[2])) / 3;
    if ((m_part->shape->projectToFace(f, c).point - c).norm() > 0.05 * longest) return false;
  }
  for (int s : keep)
    for (int x : tri(s)) unlockEdge(v, x);
  for (int s : drop) {
    for (int x : tri(s)) unlockEdge(v, x);
    setTriangle(s, {-1, -1, -1});
  }
  if (dim(v) == Dim::Edge) {
    int e = entity(v);
    auto& chain = chainOf(e);
    auto it = std::find(chain.begin(), chain.end(), v);
    std::size_t i = static_cast<std::size_t>(it - chain.begin());
    int before = chain[i - 1], after = chain[i + 1];
    setLine(before, v, -1);
    setLine(v, after, -1);
    setLine(before, after, e);
    chain.erase(it);
  }
  m.rebuild(star, fresh, &regions);
  m.tetOf[static_cast<std::size_t>(v)] = -1;
  for (int s : keep) {
    auto q = tri(s);
    std::replace(q.begin(), q.end(), v, w);
    setTriangle(s, q);
    for (std::size_t i = 0; i < 3; ++i) lockEdge(q[i], q[(i + 1) % 3]);
    int tf = m.findFace(q[0], q[1], q[2]);
    setLock(tf >> 2, tf & 3, true);
  }
  ++counts.contractions;
  return true;
}

void BoundaryMoves::finish() {
  std::size_t n = 0;
  for (std::size_t i = 0; i < m_surface.triangles.size(); ++i) {
    if (m_surface.triangles[i][0] < 0) continue;
    m_surface.triangles[n] = m_surface.triangles[i];
    m_surface.face[n++] = m_surface.face[i];
  }
  m_surface.triangles.resize(n);
  m_surface.face.resize(n);
  m_surface.points = m.points;
}

} // namespace tess
