// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/surface_bridge.h"
#include "base/bvh.h"
#include "mesher/surface/surface_graph.h"
#include <cmath>
#include <map>
#include <set>
#include <spdlog/spdlog.h>

namespace tess {

void matchDivisions(const Part& part, const SizeField& size, const MeshPlan& plan, const Tessellation& tess,
                    std::vector<std::vector<double>>& division) {
  if (plan.bridging.tolerance <= 0) return;
  struct Piece {
    int edge;
    std::size_t at; ///< position in the edge's chain
  };
  std::vector<Piece> pieces;
  std::vector<Box> boxes;
  for (std::size_t e = 0; e < part.edges.size(); ++e)
    for (std::size_t i = 0; i + 1 < tess.edgeChain[e].size(); ++i) {
      pieces.push_back({static_cast<int>(e), i});
      Box b;
      for (std::size_t k : {i, i + 1}) b.add(tess.points[static_cast<std::size_t>(tess.edgeChain[e][k])]);
      boxes.push_back(b);
    }
  if (pieces.empty()) return;
  Bvh tree(boxes);
  std::vector<std::set<double>> forced(part.edges.size());
  auto sameFace = [&](int a, int b) {
    const auto &x = part.edges[static_cast<std::size_t>(a)].faces, &y = part.edges[static_cast<std::size_t>(b)].faces;
    for (int f : x)
      if (std::find(y.begin(), y.end(), f) != y.end()) return true;
    return false;
  };
  /// Puts a node opposite p into each other edge of the same faces that passes within the tolerance; only edges after
  /// `from`, when it is given, so that two edges do not chase each other.
  auto project = [&](const Vec3& p, const std::vector<int>& own, int from) {
    const double tolerance = plan.bridging.below(size.at(p));
    Box around;
    around.add(p - Vec3::Constant(1.2 * tolerance));
    around.add(p + Vec3::Constant(1.2 * tolerance));
    std::set<int> near;
    tree.overlapping(around, [&](int i) {
      int e = pieces[static_cast<std::size_t>(i)].edge;
      if (e > from && !plan.divisions.of(e)) near.insert(e);
      return true;
    });
    for (int e : near) {
      if (std::find(own.begin(), own.end(), e) != own.end()) continue;
      bool together = false;
      for (int o : own) together = together || sameFace(o, e);
      if (!together) continue;
      EdgeProjection q = part.shape->projectToEdge(e, p);
      const PartEdge& pe = part.edges[static_cast<std::size_t>(e)];
      if ((q.point - p).norm() > tolerance || q.t <= pe.t0 || q.t >= pe.t1) continue;
      bool taken = false; // ends and nodes forced before serve as they are
      for (double t : {pe.t0, pe.t1}) taken = taken || (part.shape->edgePoint(e, t) - q.point).norm() < tolerance;
      for (double t : forced[static_cast<std::size_t>(e)])
        taken = taken || (part.shape->edgePoint(e, t) - q.point).norm() < tolerance;
      if (!taken) forced[static_cast<std::size_t>(e)].insert(q.t);
    }
  };
  std::vector<std::vector<int>> edgesAt(part.points.size());
  for (std::size_t e = 0; e < part.edges.size(); ++e)
    for (int p : part.edges[e].points) edgesAt[static_cast<std::size_t>(p)].push_back(static_cast<int>(e));
  for (std::size_t p = 0; p < part.points.size(); ++p) project(part.points[p].at, edgesAt[p], -1);
  for (std::size_t e = 0; e < part.edges.size(); ++e) {
    if (!forced[e].empty()) {
      std::vector<double> all(forced[e].begin(), forced[e].end());
      std::vector<Vec3> at;
      for (double t : all) at.push_back(part.shape->edgePoint(static_cast<int>(e), t));
      // Closed edges and edges with common ends need their inner nodes: there fewer of the natural ones give way.
      const std::size_t least = std::min<std::size_t>(2, division[e].size());
      for (double room : {0.6, 0.2, 0.0}) {
        all.resize(at.size());
        for (double t : division[e]) {
          Vec3 p = part.shape->edgePoint(static_cast<int>(e), t);
          double h = size.at(p);
          bool close = false;
          for (const auto& q : at) close = close || (p - q).norm() < std::max(room * h, plan.bridging.below(h));
          if (!close) all.push_back(t);
        }
        if (all.size() >= least) break;
      }
      std::sort(all.begin(), all.end());
      division[e] = all;
    }
    for (double t : division[e])
      project(part.shape->edgePoint(static_cast<int>(e), t), {static_cast<int>(e)}, static_cast<int>(e));
  }
}

namespace {

class Bridge {
public:
  /// `leave`: vertices that take no part.
  Bridge(SurfaceMesh& m, const Part& part, const SizeField& size, const Bridging& bridging, const std::set<int>& leave)
      : m_mesh(m), m_part(part), m_size(size), m_b(bridging), m_leave(leave), g(graphOf(m)) {
    m_to.resize(g.points.size());
    std::iota(m_to.begin(), m_to.end(), 0);
    m_origin = g.points;
    m_given.assign(g.points.size(), 1);
  }

  BridgeReport run(const Progress& progress) {
    BridgeReport r;
    r.merged = settle({}, true, progress);
    // Long slots have many pairs that have to be parted. What that allows lies around each of them: to look at the
    // whole surface again would cost the square of its size.
    for (bool parted = true; parted;) {
      parted = false;
      for (const Short& s : shortEdges(allTriangles())) {
        progress.check();
        m_touched.clear();
        if (!partSides(s.a, s.b)) continue;
        parted = true;
        r.merged += 1 + settle(around(m_touched), false, progress);
      }
    }
    keepSidesApart();
    for (std::size_t v = 0; v < m_to.size(); ++v) {
      int w = find(static_cast<int>(v));
      if (w == static_cast<int>(v)) continue;
      const double way = (m_origin[v] - g.pt(w)).norm();
      if (way == 0) continue; // a node that was tried and taken away again
      r.moved = std::max(r.moved, way);
      if (r.places.size() < 50) r.places.push_back(g.pt(w));
    }
    return r;
  }

  /// Writes the surface back; returns the number before of each point.
  std::vector<int> store() {
    std::vector<int> origin;
    m_mesh.triangles.clear();
    m_mesh.face.clear();
    std::vector<int> number(g.points.size(), -1);
    m_mesh.points.clear();
    m_mesh.dim.clear();
    m_mesh.entity.clear();
    for (std::size_t v = 0; v < g.points.size(); ++v) {
      if (g.star[v].empty()) continue;
      number[v] = static_cast<int>(m_mesh.points.size());
      m_mesh.points.push_back(g.points[v]);
      m_mesh.dim.push_back(g.dim[v]);
      m_mesh.entity.push_back(g.entity[v]);
      origin.push_back(static_cast<int>(v));
    }
    for (int t = 0; t < static_cast<int>(g.tris.size()); ++t) {
      if (!g.alive(t)) continue;
      auto q = g.tri(t);
      for (int& v : q) v = number[static_cast<std::size_t>(v)];
      m_mesh.triangles.push_back(q);
      m_mesh.face.push_back(g.face[static_cast<std::size_t>(t)]);
    }
    for (auto& q : m_mesh.quads)
      for (int& v : q.v) v = number[static_cast<std::size_t>(v)];
    for (auto& rows : m_mesh.faceRows)
      for (int& v : rows.node) v = number[static_cast<std::size_t>(v)];
    for (auto& c : m_mesh.carried)
      for (auto* nodes : {&c.from, &c.to})
        for (int& v : *nodes) v = number[static_cast<std::size_t>(v)];
    for (auto& s : m_mesh.stepped)
      for (auto& known : s.known)
        for (auto& at : known) at.second = number[static_cast<std::size_t>(at.second)];
    for (auto& t : m_mesh.turned) {
      std::vector<std::vector<int>*> lists{&t.caps[0], &t.caps[1], &t.sides[0], &t.sides[1]};
      for (auto* more : {&t.rims, &t.inSides})
        for (auto& list : *more) lists.push_back(&list);
      for (auto* list : lists)
        for (int& v : *list) v = number[static_cast<std::size_t>(v)];
    }
    for (auto& chain : m_mesh.edgeNodes) {
      for (int& v : chain) v = number[static_cast<std::size_t>(find(v))];
      chain.erase(std::unique(chain.begin(), chain.end()), chain.end());
    }
    return origin;
  }
  /// Adds all vertices that went into one of `at`, and those themselves.
  void mergedInto(const std::set<int>& at, std::set<int>& into) const {
    for (int v = 0; v < static_cast<int>(m_to.size()); ++v)
      if (m_to[static_cast<std::size_t>(v)] != v && at.count(find(v))) {
        into.insert(v);
        into.insert(find(v));
      }
  }

private:
  SurfaceMesh& m_mesh;
  const Part& m_part;
  const SizeField& m_size;
  const Bridging& m_b;
  const std::set<int>& m_leave;
  SurfaceGraph g;
  std::vector<int> m_to; ///< vertex -> the one it went into
  std::vector<Vec3> m_origin;
  std::unordered_map<int, double> m_reach; ///< node that others went into -> how far the farthest of them came
  std::set<std::pair<int, int>> m_parted;  ///< pairs that partSides() was tried for
  /// Per node: it is one that the surface came with, or such a one went into it. What partSides() makes is none.
  std::vector<char> m_given;
  bool m_parting = false;     ///< within partSides()
  std::set<int> m_rims;       ///< nodes where it parted two sides
  std::vector<int> m_touched; ///< nodes that others went into, and new ones

  struct Short {
    double length;
    int a, b;
  };
  std::vector<int> allTriangles() const {
    std::vector<int> r(g.tris.size());
    std::iota(r.begin(), r.end(), 0);
    return r;
  }
  /// Triangles whose edges may be contracted now that these nodes changed: those at their neighbours.
  std::vector<int> around(const std::vector<int>& nodes) const {
    std::set<int> near, r;
    for (int v : nodes)
      for (int t : g.starOf(find(v))) near.insert(g.tri(t).begin(), g.tri(t).end());
    for (int v : near) r.insert(g.starOf(v).begin(), g.starOf(v).end());
    return {r.begin(), r.end()};
  }
  /// Edges below the tolerance, shortest first; each once for each of its triangles.
  std::vector<Short> shortEdges(const std::vector<int>& triangles) const {
    std::vector<Short> r;
    for (int t : triangles) {
      if (!g.alive(t)) continue;
      for (std::size_t k = 0; k < 3; ++k) {
        int a = g.tri(t)[k], b = g.tri(t)[(k + 1) % 3];
        double l = (g.pt(a) - g.pt(b)).norm();
        if (l < m_b.tolerance && l < (alongOneEdge(a, b) ? 0.5 : 1.0) * below(0.5 * (g.pt(a) + g.pt(b))))
          r.push_back({l, std::min(a, b), std::max(a, b)});
      }
    }
    std::sort(r.begin(), r.end(), [](const Short& x, const Short& y) {
      return std::tie(x.length, x.a, x.b) < std::tie(y.length, y.a, y.b);
    });
    return r;
  }
  /// Contracts and closes what it can among these triangles (or all), then around what that changed, to the end.
  int settle(std::vector<int> where, bool all, const Progress& progress) {
    int sum = 0;
    std::vector<int> caps = where;
    if (all) where = allTriangles();
    for (int round = 0; round < 60; ++round) {
      progress.check();
      m_touched.clear();
      int done = 0;
      for (const Short& s : shortEdges(where)) {
        if (g.starOf(s.a).empty() || g.starOf(s.b).empty() || !g.connected(s.a, s.b)) continue;
        done += merge(s.a, s.b);
      }
      if (!done) done = closeCaps(all ? allTriangles() : caps);
      sum += done;
      if (!done) break;
      where = around(m_touched);
      if (!all) caps.insert(caps.end(), where.begin(), where.end());
    }
    return sum;
  }

  bool given(int v) const { return m_given[static_cast<std::size_t>(v)]; }
  /// Enters a node that was put into the graph.
  int enter(int v, const Vec3& p) {
    m_to.push_back(v);
    m_origin.push_back(p);
    m_given.push_back(0);
    return v;
  }

  int find(int v) const {
    while (m_to[static_cast<std::size_t>(v)] != v) v = m_to[static_cast<std::size_t>(v)];
    return v;
  }
  /// At most how far `to` is from where the nodes once were that are v now.
  double reachFrom(int v, const Vec3& to) const {
    const auto it = m_reach.find(v);
    return (it == m_reach.end() ? 0 : it->second) + (g.pt(v) - to).norm();
  }
  double height(const std::array<Vec3, 3>& p) const {
    double l = std::max({(p[0] - p[1]).norm(), (p[1] - p[2]).norm(), (p[2] - p[0]).norm()});
    return l > 0 ? 2 * triangleArea(p[0], p[1], p[2]) / l : 0;
  }
  std::array<Vec3, 3> corners(int t, int v = -1, const Vec3& to = Vec3::Zero()) const {
    std::array<Vec3, 3> p;
    for (std::size_t k = 0; k < 3; ++k) p[k] = g.tri(t)[k] == v ? to : g.pt(g.tri(t)[k]);
    return p;
  }
  double below(const Vec3& p) const { return m_b.below(m_size.at(p)); }
  double below(int t) const { return below((g.pt(g.tri(t)[0]) + g.pt(g.tri(t)[1]) + g.pt(g.tri(t)[2])) / 3); }
  bool sliver(int t) const {
    double h = height(corners(t));
    return h < 1.5 * m_b.tolerance && h < 1.5 * below(t);
  }
  bool kept(int face) const { return m_b.keepFace.size() && m_b.keepFace[static_cast<std::size_t>(face)]; }

  /// Nodes that stand close on one long edge are no narrow place of the part.
  bool alongOneEdge(int a, int b) const {
    const auto i = static_cast<std::size_t>(a), j = static_cast<std::size_t>(b);
    return g.dim[i] == Dim::Edge && g.dim[j] == Dim::Edge && g.entity[i] == g.entity[j];
  }
  /// Whether the triangle spans a strip that is as wide as `tolerance`: its height over a side on an edge of the part
  /// is the strip's width, the one over a diagonal is less. Strips go as a whole or not at all.
  bool spansWideStrip(int t, double tolerance) const {
    const auto p = corners(t);
    for (std::size_t k = 0; k < 3; ++k)
      if (g.feature.count(SurfaceGraph::key(g.tri(t)[k], g.tri(t)[(k + 1) % 3])) &&
          2 * triangleArea(p[0], p[1], p[2]) >= tolerance * (p[k] - p[(k + 1) % 3]).norm())
        return true;
    return false;
  }

  /// Sum of the normals around v, leaving the narrow triangles out.
  Vec3 direction(int v) const {
    Vec3 n = Vec3::Zero();
    for (int t : g.starOf(v))
      if (!sliver(t)) n += g.normal(t);
    return n.norm() > 0 ? n.normalized() : n;
  }

  /// Angle inside the material between two triangles at edge (a, b), in (0, 2 pi).
  static double inside(const std::array<Vec3, 3>& t, const Vec3& apexT, const std::array<Vec3, 3>& u,
                       const Vec3& apexU) {
    Vec3 n = triangleNormal(t[0], t[1], t[2]), m = triangleNormal(u[0], u[1], u[2]);
    double turn = std::atan2(n.cross(m).norm(), n.dot(m));
    return n.dot(apexU - apexT) > 0 ? kPi + turn : kPi - turn;
  }

  /// Narrow triangles without a short side: their apex lies across from the middle of the longest side, which gets a
  /// node there that the apex can be merged with. Returns how many were closed.
  int closeCaps(const std::vector<int>& triangles) {
    int done = 0;
    for (int t : triangles) {
      if (!g.alive(t) || height(corners(t)) >= m_b.tolerance) continue;
      const double tolerance = below(t);
      if (height(corners(t)) >= tolerance || spansWideStrip(t, tolerance)) continue;
      std::size_t apex = 0;
      for (std::size_t k = 1; k < 3; ++k) {
        auto side = [&](std::size_t i) { return (g.pt(g.tri(t)[(i + 1) % 3]) - g.pt(g.tri(t)[(i + 2) % 3])).norm(); };
        if (side(k) > side(apex)) apex = k;
      }
      const int v = g.tri(t)[apex], a = g.tri(t)[(apex + 1) % 3], b = g.tri(t)[(apex + 2) % 3];
      if (m_leave.count(v) || m_leave.count(a) || m_leave.count(b)) continue;
      Vec3 along = g.pt(b) - g.pt(a);
      double x = (g.pt(v) - g.pt(a)).dot(along) / along.squaredNorm();
      Vec3 p = g.pt(a) + x * along;
      if (!(x > 0 && x < 1) || std::min(x, 1 - x) * along.norm() < tolerance) continue;
      const int edge = lineOf(a, b);
      if (edge >= 0) {
        if (keptLine(a, b)) continue;
        p = m_part.shape->projectToEdge(edge, p).point;
      } else
        p = m_part.shape->projectToFace(g.face[static_cast<std::size_t>(t)], p).point;
      if ((p - g.pt(v)).norm() > tolerance || !splitsWell(a, b, p)) continue;
      std::ptrdiff_t place = -1; // where the node goes in the chain of its edge
      if (edge >= 0 && (place = placeInChain(edge, a, b)) < 0) continue;
      const int m = enter(
          g.split(a, b, p, edge >= 0 ? Dim::Edge : Dim::Face, edge >= 0 ? edge : g.face[static_cast<std::size_t>(t)]),
          p);
      if (merge(v, m)) {
        ++done;
        if (edge >= 0) {
          auto& chain = m_mesh.edgeNodes[static_cast<std::size_t>(edge)];
          chain.insert(chain.begin() + place, m);
        }
      } else {
        g.collapse(m, a);
        m_to.back() = a;
        m_origin.back() = g.pt(a); // it was never there: no way to report
      }
    }
    return done;
  }
  /// Nodes across the floor of a slot that cannot become one since both are joined to the same node where the slot is
  /// bridged already: triangles of its two sides would fall together, and the slot would be gone. Both sides get a node
  /// of their own in between. Returns 1 when a and b became one.
  int partSides(int a, int b) {
    if (g.starOf(a).empty() || g.starOf(b).empty() || !g.connected(a, b) || !m_parted.insert(std::minmax(a, b)).second)
      return 0;
    // Sides that were parted would fall together again, between nodes made for that, and be parted again without end.
    // Only nodes that the surface came with are made one, so that there is one less of these each time.
    if (!given(a) || !given(b)) return 0;
    std::set<int> ofA, shared;
    for (int t : g.starOf(a)) ofA.insert(g.tri(t).begin(), g.tri(t).end());
    for (int t : g.starOf(b))
      for (int x : g.tri(t))
        if (x != a && x != b && ofA.count(x)) shared.insert(x);
    std::array<int, 16> at;
    const int n = g.edgeTris(a, b, at);
    for (int i = 0; i < n; ++i) shared.erase(g.apex(at[static_cast<std::size_t>(i)], a, b));
    std::vector<std::pair<int, int>> made; // new node, the end of its edge that it would go back into
    for (int x : shared)
      for (int end : {a, b}) {
        if (m_leave.count(x)) continue;
        const int edge = lineOf(end, x), f = g.edgeTris(end, x, at) > 0 ? g.face[static_cast<std::size_t>(at[0])] : -1;
        const std::ptrdiff_t place = edge < 0 ? -1 : placeInChain(edge, end, x);
        if (f < 0 || (edge >= 0 && (place < 0 || keptLine(end, x)))) continue;
        const Vec3 middle = 0.5 * (g.pt(end) + g.pt(x));
        const Vec3 p =
            edge < 0 ? m_part.shape->projectToFace(f, middle).point : m_part.shape->projectToEdge(edge, middle).point;
        if (!splitsWell(end, x, p)) continue;
        const int m = enter(g.split(end, x, p, edge < 0 ? Dim::Face : Dim::Edge, edge < 0 ? f : edge), p);
        if (edge >= 0) {
          auto& chain = m_mesh.edgeNodes[static_cast<std::size_t>(edge)];
          chain.insert(chain.begin() + place, m);
        }
        made.push_back({m, x});
        m_touched.push_back(m);
      }
    m_parting = true;
    const bool one = !made.empty() && merge(a, b);
    m_parting = false;
    if (one) {
      m_rims.insert(shared.begin(), shared.end());
      m_rims.insert({a, b});
      return 1;
    }
    for (auto it = made.rbegin(); it != made.rend(); ++it) {
      const auto [m, x] = *it;
      g.collapse(m, x);
      m_to[static_cast<std::size_t>(m)] = x;
      m_origin[static_cast<std::size_t>(m)] = g.pt(x); // it was never there: no way to report
    }
    return 0;
  }
  /// An edge inside one side of a slot from rim to rim, where both rims were bridged and moved off that side, would run
  /// along the other side: it gets a node on its own.
  void keepSidesApart() {
    std::set<int> rims, merged;
    for (int v : m_rims) rims.insert(find(v));
    for (std::size_t v = 0; v < m_to.size(); ++v)
      if (m_to[v] != static_cast<int>(v)) merged.insert(find(static_cast<int>(v)));
    std::array<int, 16> at;
    for (int z : rims)
      for (int x : neighbours(z)) {
        if (!merged.count(x) || lineOf(z, x) >= 0 || g.edgeTris(z, x, at) != 2) continue;
        const int f = g.face[static_cast<std::size_t>(at[0])];
        if (f != g.face[static_cast<std::size_t>(at[1])]) continue;
        const Vec3 middle = 0.5 * (g.pt(z) + g.pt(x)), p = m_part.shape->projectToFace(f, middle).point;
        if ((p - middle).norm() < 1e-6 * (g.pt(z) - g.pt(x)).norm() || !splitsWell(z, x, p)) continue;
        enter(g.split(z, x, p, Dim::Face, f), p);
      }
  }
  std::vector<int> neighbours(int v) const {
    std::set<int> r;
    for (int t : g.starOf(v)) r.insert(g.tri(t).begin(), g.tri(t).end());
    r.erase(v);
    return {r.begin(), r.end()};
  }
  /// Part edge that the edge between two nodes lies on, or -1.
  int lineOf(int a, int b) const {
    auto it = g.feature.find(SurfaceGraph::key(a, b));
    return it == g.feature.end() ? -1 : it->second;
  }
  bool keptLine(int a, int b) const {
    const int edge = lineOf(a, b);
    return edge >= 0 && m_b.keepEdge.size() && m_b.keepEdge[static_cast<std::size_t>(edge)];
  }
  /// No triangle at edge (a, b) may turn over or vanish when a node is put there at p.
  bool splitsWell(int a, int b, const Vec3& p) const {
    std::array<int, 16> at;
    int n = g.edgeTris(a, b, at);
    for (int i = 0; i < n; ++i) {
      int t = at[static_cast<std::size_t>(i)];
      if (kept(g.face[static_cast<std::size_t>(t)])) return false;
      if (sliver(t)) continue;
      for (int end : {a, b})
        if (triangleNormal(corners(t)[0], corners(t)[1], corners(t)[2])
                .dot(triangleNormal(corners(t, end, p)[0], corners(t, end, p)[1], corners(t, end, p)[2])) < 0.7)
          return false;
    }
    return n >= 2;
  }
  /// Position in the chain of a part edge before which a node between a and b goes, or -1.
  std::ptrdiff_t placeInChain(int edge, int a, int b) const {
    const auto& chain = m_mesh.edgeNodes[static_cast<std::size_t>(edge)];
    for (std::size_t i = 0; i + 1 < chain.size(); ++i) {
      int x = find(chain[i]), y = find(chain[i + 1]);
      if ((x == a && y == b) || (x == b && y == a)) return static_cast<std::ptrdiff_t>(i) + 1;
    }
    return -1;
  }
  /// Makes v and w one: v goes where it may, else w; what is left lies on the lower of their entities.
  bool merge(int v, int w) {
    if (g.dim[static_cast<std::size_t>(v)] < g.dim[static_cast<std::size_t>(w)]) std::swap(v, w);
    // Where a corner lies on the line through the neighbours of what goes, only the other way round is open: the
    // corner moves, by less than the tolerance.
    const Dim lower = g.dim[static_cast<std::size_t>(w)];
    const int entity = g.entity[static_cast<std::size_t>(w)];
    if (contract(v, w)) return true;
    if (!contract(w, v)) return false;
    g.dim[static_cast<std::size_t>(v)] = lower;
    g.entity[static_cast<std::size_t>(v)] = entity;
    return true;
  }

  bool contract(int v, int w) {
    Vec3 to = g.pt(w);
    if (m_leave.count(v) || m_leave.count(w)) return false;
    if (std::max((m_origin[static_cast<std::size_t>(v)] - to).norm(), reachFrom(v, to)) > 2 * below(to)) return false;
    std::array<int, 16> at;
    int n = g.edgeTris(v, w, at);
    if (n < 2) return false;
    for (int i = 0; i < n; ++i)
      if (kept(g.face[static_cast<std::size_t>(at[static_cast<std::size_t>(i)])])) return false;
    if (keptLine(v, w)) return false;
    // A corner goes only into another corner or along a line it ends; a line's node only along or across a line.
    if (!g.canCollapse(v, w, true)) return false;
    // Two sides of a thin wall must not meet; two sides of a gap may, and those of a wedge of 20 degrees or more whose
    // rim was cut off, but for partSides(), which is for slots.
    Vec3 d = (to - g.pt(v)).normalized(), nv = direction(v), nw = direction(w);
    if (nv.dot(d) < -0.3 && nw.dot(d) > 0.3 && (m_parting || nv.dot(nw) < -0.94)) return false;
    for (int t : g.starOf(v)) {
      if (g.has(t, w)) continue;
      auto before = corners(t), after = corners(t, v, to);
      double l = std::max({(after[0] - after[1]).norm(), (after[1] - after[2]).norm(), (after[2] - after[0]).norm()});
      if (height(after) < 1e-6 * l) return false;
      if (!sliver(t) &&
          triangleNormal(before[0], before[1], before[2]).dot(triangleNormal(after[0], after[1], after[2])) < 0.7)
        return false;
    }
    // No sharp blade may come about that was not there: angles inside the material at the edges around v.
    for (int t : g.starOf(v)) {
      if (g.has(t, w)) continue;
      for (int x : g.tri(t)) {
        if (x == v) continue;
        std::array<int, 16> two;
        if (g.edgeTris(v, x, two) != 2) continue;
        int o = two[0] == t ? two[1] : two[0];
        if (o < t || g.has(o, w)) continue;
        if (sliver(t) || sliver(o)) continue;
        int at0 = g.apex(t, v, x), at1 = g.apex(o, v, x);
        double after = inside(corners(t, v, to), g.pt(at0), corners(o, v, to), g.pt(at1));
        if (after < 0.2 && after < 0.95 * inside(corners(t), g.pt(at0), corners(o), g.pt(at1))) return false;
      }
    }
    m_reach[w] = std::max(reachFrom(w, to), reachFrom(v, to));
    m_given[static_cast<std::size_t>(w)] |= m_given[static_cast<std::size_t>(v)];
    g.collapse(v, w);
    m_to[static_cast<std::size_t>(v)] = w;
    m_touched.push_back(w);
    return true;
  }
};

} // namespace

BridgeReport bridgeShortEdges(SurfaceMesh& surface, const Part& part, const SizeField& size, const Bridging& bridging,
                              const Progress& progress) {
  if (bridging.tolerance <= 0) return {};
  // Where the surface crosses itself afterwards, what was contracted there is left alone the next time.
  std::set<int> leave;
  for (const auto& rows : surface.faceRows) leave.insert(rows.node.begin(), rows.node.end());
  for (std::size_t t = 0; t < surface.triangles.size(); ++t)
    if (surface.fixed(t)) leave.insert(surface.triangles[t].begin(), surface.triangles[t].end());
  for (int round = 0; round < 8; ++round) {
    SurfaceMesh copy = surface;
    Bridge b(copy, part, size, bridging, leave);
    BridgeReport r = b.run(progress);
    if (!r.merged) return r;
    std::vector<int> origin = b.store();
    auto crossings = findCrossings(copy.points, copy.triangles, SIZE_MAX, &progress);
    if (crossings.empty()) {
      surface = std::move(copy);
      return r;
    }
    std::set<int> at;
    for (const auto& c : crossings)
      for (int t : {c.a, c.b})
        for (int v : copy.triangles[static_cast<std::size_t>(t)]) at.insert(origin[static_cast<std::size_t>(v)]);
    const std::size_t before = leave.size();
    b.mergedInto(at, leave);
    spdlog::debug("bridging: {} crossings, {} nodes left alone", crossings.size(), leave.size());
    if (leave.size() == before) return {};
  }
  return {};
}

} // namespace tess
