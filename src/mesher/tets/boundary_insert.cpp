// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/predicates.h"
#include "mesher/tets/boundary_moves.h"
#include "mesher/tets/boundary_shape.h"
#include <map>
#include <set>

namespace tess {

/// A new vertex on triangles that are connected and belong to one face, or lie around one edge: a cavity in the surface
/// and one in the tets on both sides, both closed again over the new vertex. Nothing is changed before apply().
class BoundaryMoves::Insertion {
public:
  Insertion(BoundaryMoves& moves, std::vector<int> triangles, Dim d, int entity, const Vec3& start)
      : b(moves), m(moves.m), m_triangles(std::move(triangles)), m_dim(d), m_entity(entity), p(start) {}

  /// False where it would not better the worst there; with `dare`, where a tet would not be positive.
  bool tryIt(bool dare) {
    if (m_dim == Dim::Face) spreadOverFace();
    if (!findRim() || !openCavity()) return false;
    growCavity();
    findWalls();
    if (!placeVertex(dare) || !closes()) return false;
    apply();
    return true;
  }

private:
  struct Rim {
    int a, b, triangle;
    Vec3 n;
  };
  struct Wall {
    int t, i;
  };
  BoundaryMoves& b;
  TetCore& m;
  std::vector<int> m_triangles; ///< of the surface, that go
  Dim m_dim;
  int m_entity;
  Vec3 p;                                  ///< the new vertex
  std::vector<Rim> m_rim;                  ///< edges of the surface that the vertex is joined to
  std::vector<std::pair<int, int>> m_gone; ///< edges of the surface that vanish
  double m_least = 1;                      ///< shape that surface triangles must have afterwards
  std::vector<int> m_cavity;               ///< tets that go
  double m_worst = 1;                      ///< quality of the worst of them
  std::vector<Wall> m_walls;               ///< faces of the cavity that the vertex is joined to
  std::vector<std::array<int, 4>> m_fresh; ///< tets that come
  std::vector<int> m_regions;              ///< theirs

  static bool has(const std::vector<int>& l, int x) { return std::find(l.begin(), l.end(), x) != l.end(); }

  /// Neighbours on the same face whose circumcircle holds the point: a Delaunay cavity in the surface.
  void spreadOverFace() {
    for (std::size_t k = 0; k < m_triangles.size() && m_triangles.size() < 8; ++k) {
      auto q = b.tri(m_triangles[k]);
      for (std::size_t i = 0; i < 3; ++i) {
        const int from = q[i], to = q[(i + 1) % 3];
        if (b.m_line.count(edgeKey(from, to))) continue;
        for (int o : b.trianglesAt(from, to)) {
          if (has(m_triangles, o)) continue;
          const auto& y = b.tri(o);
          if (b.m_surface.face[static_cast<std::size_t>(o)] != m_entity || b.normal(y).dot(b.normal(q)) < kTurn)
            continue;
          const int c = y[0] + y[1] + y[2] - from - to;
          // p sees the edge and c lies beyond: inside the circle when the two angles pass 180 degrees together.
          auto angle = [&](const Vec3& at) {
            Vec3 u = m.pt(from) - at, w = m.pt(to) - at;
            return std::atan2(u.cross(w).norm(), u.dot(w));
          };
          if (angle(p) + angle(m.pt(c)) > kPi * 1.02) m_triangles.push_back(o);
        }
      }
    }
  }

  /// The rim: edges that one triangle has (around a part edge: all but the edge itself).
  bool findRim() {
    std::map<std::uint64_t, int> uses;
    for (int s : m_triangles)
      for (std::size_t i = 0; i < 3; ++i) ++uses[edgeKey(b.tri(s)[i], b.tri(s)[(i + 1) % 3])];
    for (int s : m_triangles)
      for (std::size_t i = 0; i < 3; ++i) {
        const int from = b.tri(s)[i], to = b.tri(s)[(i + 1) % 3];
        if (uses[edgeKey(from, to)] == 1)
          m_rim.push_back({from, to, s, b.normal(b.tri(s))});
        else if (from < to || uses[edgeKey(from, to)] > 2 || m_dim == Dim::Edge)
          m_gone.push_back({from, to});
      }
    auto keyOf = [](const std::pair<int, int>& x) { return edgeKey(x.first, x.second); };
    std::sort(m_gone.begin(), m_gone.end(), [&](auto x, auto y) { return keyOf(x) < keyOf(y); });
    m_gone.erase(std::unique(m_gone.begin(), m_gone.end(), [&](auto x, auto y) { return keyOf(x) == keyOf(y); }),
                 m_gone.end());
    if (m_dim == Dim::Edge && m_gone.size() != 1) return false;
    for (int s : m_triangles)
      m_least = std::min(m_least, shapeOf(m.pt(b.tri(s)[0]), m.pt(b.tri(s)[1]), m.pt(b.tri(s)[2])));
    m_least = std::min(kShape, 0.7 * m_least);
    return true;
  }
  /// Whether the surface stays well shaped and keeps facing as it does.
  bool surfaceHolds(const Vec3& to) const {
    for (const auto& r : m_rim) {
      if (triangleNormal(m.pt(r.a), m.pt(r.b), to).dot(r.n) < kTurn) return false;
      if (shapeOf(m.pt(r.a), m.pt(r.b), to) < m_least) return false;
    }
    return true;
  }

  /// Tets that must go: on both sides of the triangles and around the edges that vanish.
  bool openCavity() {
    auto take = [&](int t) {
      if (!has(m_cavity, t)) m_cavity.push_back(t);
    };
    for (int s : m_triangles) {
      const int tf = m.findFace(b.tri(s)[0], b.tri(s)[1], b.tri(s)[2]);
      if (tf < 0) return false;
      take(tf >> 2);
      take(m.at(tf >> 2).n[tf & 3] >> 2);
    }
    TetCore::Ring ring;
    for (auto [from, to] : m_gone) {
      const int t = m.findEdge(from, to);
      if (t < 0 || !m.ringOf(t, from, to, ring)) return false;
      for (int y : ring.tets) take(y);
    }
    for (int t : m_cavity) {
      if (m.ghost(t)) return false;
      if (b.region(t) >= 0) m_worst = std::min(m_worst, tetQuality(m, t));
    }
    return true;
  }

  double wallScore(int t, int i, const Vec3& to) const {
    const int* f = kTetFace[i];
    const Vec3 &x = m.pt(m.at(t).v[f[0]]), &y = m.pt(m.at(t).v[f[1]]), &z = m.pt(m.at(t).v[f[2]]);
    if (b.region(t) < 0) return orient3d(x, y, z, to) > 0 ? 1.0 : -1.0;
    return tetQuality(x, y, z, to);
  }
  bool isWall(int t, int i) const {
    const int* f = kTetFace[i];
    if (!m.faceLocked(t, i)) return !has(m_cavity, m.at(t).n[i] >> 2);
    const int s = b.triangle(m.at(t).v[f[0]], m.at(t).v[f[1]], m.at(t).v[f[2]]);
    return s < 0 || !has(m_triangles, s);
  }

  /// More of both sides where that betters the tets at the new point: through open faces, while p sees what comes.
  void growCavity() {
    constexpr double kGood = 0.35;
    for (int grown = 0; grown < 12; ++grown) {
      double low = 2;
      int at = -1, side = -1;
      for (int t : m_cavity)
        for (int i = 0; i < 4; ++i)
          if (isWall(t, i))
            if (const double s = wallScore(t, i, p); s < low) low = s, at = t, side = i;
      if (at < 0 || low > kGood || m.faceLocked(at, side)) return;
      const int o = m.at(at).n[side] >> 2;
      if (m.ghost(o)) return;
      double then = 2;
      for (int i = 0; i < 4; ++i)
        if ((m.at(o).n[i] >> 2) != at && (m.faceLocked(o, i) || !has(m_cavity, m.at(o).n[i] >> 2)))
          then = std::min(then, wallScore(o, i, p));
      if (then <= low) return;
      m_cavity.push_back(o);
      if (b.region(o) >= 0) m_worst = std::min(m_worst, tetQuality(m, o));
    }
  }
  void findWalls() {
    for (int t : m_cavity)
      for (int i = 0; i < 4; ++i)
        if (isWall(t, i)) m_walls.push_back({t, i});
  }

  /// The place on the face or edge that lifts the worst of the tets that come.
  bool placeVertex(bool dare) {
    auto score = [&](const Vec3& to, double stop) {
      if (!surfaceHolds(to)) return -1.0;
      double s = 1;
      for (const auto& w : m_walls) {
        s = std::min(s, wallScore(w.t, w.i, to));
        if (s <= stop) return s;
      }
      return s;
    };
    double reach = 0;
    for (const auto& r : m_rim) reach = std::max(reach, (m.pt(r.a) - p).norm());
    auto put = [&](const Vec3& x) {
      return m_dim == Dim::Face ? b.m_part->shape->projectToFace(m_entity, x).point
                                : b.m_part->shape->projectToEdge(m_entity, x).point;
    };
    const double best = climb(p, 0.2 * reach, score(p, -2), put, score);
    return best > (dare ? kDare : m_worst * 1.05 + 1e-6);
  }

  /// Whether walls and vertex make a closed whole: no wall twice, every rim edge on the walls, no vertex or line
  /// swallowed.
  bool closes() {
    const int id = static_cast<int>(m.points.size());
    std::map<std::array<int, 3>, int> closed;
    std::map<std::uint64_t, int> wallEdges;
    std::set<int> wallVertices;
    for (const auto& w : m_walls) {
      const int* f = kTetFace[w.i];
      std::array<int, 4> v{m.at(w.t).v[f[0]], m.at(w.t).v[f[1]], m.at(w.t).v[f[2]], id};
      if (orient3d(m.pt(v[0]), m.pt(v[1]), m.pt(v[2]), p) <= 0) return false;
      std::array<int, 3> k{v[0], v[1], v[2]};
      std::sort(k.begin(), k.end());
      if (closed[k]++) return false;
      for (std::size_t i = 0; i < 3; ++i) {
        ++wallEdges[edgeKey(v[i], v[(i + 1) % 3])];
        wallVertices.insert(v[i]);
      }
      m_fresh.push_back(v);
      m_regions.push_back(b.region(w.t));
    }
    for (const auto& [k, n] : wallEdges)
      if (n != 2) return false; // pinched
    for (const auto& r : m_rim)
      if (!wallEdges.count(edgeKey(r.a, r.b))) return false;
    for (int t : m_cavity)
      for (const auto& ed : kTetEdge) {
        const int from = m.at(t).v[ed[0]], to = m.at(t).v[ed[1]];
        if (!wallVertices.count(from) || !wallVertices.count(to)) return false;
        if (m.edgeLocked(from, to) && !wallEdges.count(edgeKey(from, to)) &&
            std::none_of(m_gone.begin(), m_gone.end(),
                         [&](auto g) { return edgeKey(g.first, g.second) == edgeKey(from, to); }))
          return false;
      }
    return true;
  }

  void apply() {
    const int id = static_cast<int>(m.points.size());
    m.newPoint(p);
    b.added(id);
    b.m_surface.dim[static_cast<std::size_t>(id)] = m_dim;
    b.m_surface.entity[static_cast<std::size_t>(id)] = m_entity;
    for (auto [from, to] : m_gone) b.unlockEdge(from, to);
    if (m_dim == Dim::Edge) intoLine(id);
    std::vector<int> faceOf;
    for (const auto& r : m_rim) faceOf.push_back(b.m_surface.face[static_cast<std::size_t>(r.triangle)]);
    for (int s : m_triangles) b.setTriangle(s, {-1, -1, -1});
    m.rebuild(m_cavity, m_fresh, &m_regions);
    for (std::size_t k = 0; k < m_rim.size(); ++k) addTriangle(m_rim[k], faceOf[k], id);
    ++b.counts.insertions;
  }
  void intoLine(int id) {
    auto [from, to] = m_gone.front();
    b.setLine(from, to, -1);
    b.setLine(from, id, m_entity);
    b.setLine(id, to, m_entity);
    auto& chain = b.chainOf(m_entity);
    for (std::size_t i = 0; i + 1 < chain.size(); ++i)
      if (edgeKey(chain[i], chain[i + 1]) == edgeKey(from, to)) {
        chain.insert(chain.begin() + static_cast<std::ptrdiff_t>(i) + 1, id);
        break;
      }
  }
  void addTriangle(const Rim& r, int face, int id) {
    BoundaryMoves* moves = &b; // outlives this, as what is undone later needs
    b.noteUndo([moves] {
      moves->m_surface.triangles.pop_back();
      moves->m_surface.face.pop_back();
    });
    b.m_surface.triangles.push_back({-1, -1, -1});
    b.m_surface.face.push_back(face);
    b.setTriangle(static_cast<int>(b.m_surface.triangles.size()) - 1, {r.a, r.b, id});
    b.lockEdge(r.a, id);
    b.lockEdge(r.b, id);
    for (int t : m.lastMade) {
      const int ia = m.indexOf(t, r.a), ib = m.indexOf(t, r.b);
      if (ia < 0 || ib < 0) continue;
      for (int i = 0; i < 4; ++i)
        if (i != ia && i != ib && m.at(t).v[i] != id) b.setLock(t, i, true);
    }
  }
};

bool BoundaryMoves::insert(int t, bool dare) {
  if (!m_part) return false;
  const Tet x = m.at(t);
  struct Try {
    std::vector<int> triangles;
    Dim d;
    int e;
    Vec3 p;
    double length;
  };
  std::vector<Try> tries;
  for (const auto& e : kTetEdge) {
    int a = x.v[e[0]], b = x.v[e[1]];
    if (!m.edgeLocked(a, b)) continue;
    auto at = trianglesAt(a, b);
    if (at.empty()) continue;
    auto line = m_line.find(edgeKey(a, b));
    Vec3 mid = 0.5 * (m.pt(a) + m.pt(b));
    double l = (m.pt(a) - m.pt(b)).norm();
    if (line != m_line.end())
      tries.push_back({at, Dim::Edge, line->second, m_part->shape->projectToEdge(line->second, mid).point, l});
    else if (at.size() == 2) {
      int f = m_surface.face[static_cast<std::size_t>(at[0])];
      tries.push_back({at, Dim::Face, f, m_part->shape->projectToFace(f, mid).point, l});
    }
  }
  for (int i = 0; i < 4; ++i) {
    if (!m.faceLocked(t, i)) continue;
    const int* k = kTetFace[i];
    int s = triangle(x.v[k[0]], x.v[k[1]], x.v[k[2]]);
    if (s < 0) continue;
    Vec3 mid = (m.pt(x.v[k[0]]) + m.pt(x.v[k[1]]) + m.pt(x.v[k[2]])) / 3;
    int f = m_surface.face[static_cast<std::size_t>(s)];
    tries.push_back({{s}, Dim::Face, f, m_part->shape->projectToFace(f, mid).point, 0});
  }
  std::stable_sort(tries.begin(), tries.end(), [](const Try& a, const Try& b) { return a.length > b.length; });
  for (auto& y : tries)
    if (!anyFixed(y.triangles) && Insertion(*this, std::move(y.triangles), y.d, y.e, y.p).tryIt(dare)) return true;
  return false;
}

} // namespace tess
