// SPDX-License-Identifier: GPL-3.0-or-later
// Boundary recovery by local changes only: what stands in the way of a surface edge (faces it pierces, edges it
// crosses) is flipped away; then edges that pierce a surface triangle are removed. Surface edges that are present are
// never given up again.
#include "base/parallel.h"
#include "base/predicates.h"
#include "mesher/tets/tet.h"
#include <set>

namespace tess {
namespace {

int sgn(double x) { return (x > 0) - (x < 0); }

class Recovery {
public:
  Recovery(TetCore& core, Progress& progress) : m(core), m_progress(progress) {}

  /// True when edge (a, b) is there afterwards.
  bool edge(int a, int b, int effort) {
    for (int k = 0; k < effort; ++k) {
      if ((k & 15) == 0) m_progress.check();
      if (m.findEdge(a, b) >= 0) return true;
      if (!clearSegment(k & 1 ? b : a, k & 1 ? a : b, k)) {
        if (!clearSegment(k & 1 ? a : b, k & 1 ? b : a, k)) return m.findEdge(a, b) >= 0;
      }
    }
    return m.findEdge(a, b) >= 0;
  }

  bool face(int a, int b, int c, int effort) {
    for (int k = 0; k < effort; ++k) {
      if ((k & 15) == 0) m_progress.check();
      if (m.findFace(a, b, c) >= 0) return true;
      int v[3] = {a, b, c};
      bool any = false;
      for (int r = 0; r < 3 && !any; ++r) any = clearTriangle(v[r], v[(r + 1) % 3], v[(r + 2) % 3], k);
      if (!any) return m.findFace(a, b, c) >= 0;
    }
    return m.findFace(a, b, c) >= 0;
  }

private:
  TetCore& m;
  Progress& m_progress;
  std::vector<int> m_star;
  TetCore::Ring m_ring;
  std::vector<std::array<int, 3>> m_tris;

  double o(int a, int b, int c, int d) const { return orient3d(m.pt(a), m.pt(b), m.pt(c), m.pt(d)); }

  /// Removes edge (p, q) in favour of a triangulation of its ring that, where there is a choice, avoids `bad`
  /// triangles (ring triangles pierced by what is being recovered).
  template <class Bad> bool removeEdge(int p, int q, Bad&& bad) {
    if (m.edgeLocked(p, q)) return false;
    int t = m.findEdge(p, q);
    if (t < 0 || !m.ringOf(t, p, q, m_ring)) return false;
    for (int x : m_ring.tets)
      for (int f = 0; f < 4; ++f)
        if (m.faceLocked(x, f) && m.at(x).v[f] != p && m.at(x).v[f] != q) return false;
    double s = m.bestRing(m_ring, m_tris, [&](int x, int y, int z) {
      if (o(x, y, z, q) <= 0 || o(x, z, y, p) <= 0) return 0.0;
      double va =
          std::min(tetQuality(m.pt(x), m.pt(y), m.pt(z), m.pt(q)), tetQuality(m.pt(x), m.pt(z), m.pt(y), m.pt(p)));
      va = std::max(va, 1e-12);
      return bad(x, y, z) ? 1e-3 * va : va + 1;
    });
    if (s <= 0) return false;
    m.replaceRing(m_ring, m_tris);
    return true;
  }

  bool segmentPierces(int a, int b, int x, int y, int z) const {
    if (a == x || a == y || a == z || b == x || b == y || b == z) return false;
    int sa = sgn(o(x, y, z, a)), sb = sgn(o(x, y, z, b));
    if (sa * sb >= 0) return false;
    int s0 = sgn(o(a, b, x, y)), s1 = sgn(o(a, b, y, z)), s2 = sgn(o(a, b, z, x));
    return (s0 >= 0 && s1 >= 0 && s2 >= 0) || (s0 <= 0 && s1 <= 0 && s2 <= 0);
  }

  /// One step from a towards b. True when something was flipped.
  bool clearSegment(int a, int b, int seed) {
    // A vertex in the middle of a round face can have tens of thousands of tets.
    if (const int t = m.towards(a, b); t >= 0)
      m_star = {t};
    else
      m.starOf(a, m_star);
    const std::vector<int> star = m_star;
    for (int t : star) {
      if (m.ghost(t) || m.indexOf(t, b) >= 0) continue;
      int ia = m.indexOf(t, a);
      const int* f = kTetFace[ia];
      int p[3] = {m.at(t).v[f[0]], m.at(t).v[f[1]], m.at(t).v[f[2]]};
      // Seen from a, the face p0 p1 p2 turns one way; b's direction lies inside when all three signs agree.
      int s[3];
      for (int k = 0; k < 3; ++k) s[k] = sgn(o(a, p[k], p[(k + 1) % 3], b));
      int reach = sgn(o(p[0], p[1], p[2], a)) * sgn(o(p[0], p[1], p[2], b));
      if (reach > 0) continue; // b on a's side of the face
      // a positive tet (p0, p1, p2, a): inside means orient(a, p_k, p_k+1, b) has the sign of orient(a, p0, p1, p2)
      int want = sgn(o(a, p[0], p[1], p[2]));
      int zeros = 0, wrong = 0, zeroAt = -1;
      for (int k = 0; k < 3; ++k) {
        if (s[k] == 0)
          ++zeros, zeroAt = k;
        else if (s[k] != want)
          ++wrong;
      }
      if (wrong) continue;
      auto bad = [&](int x, int y, int z) { return segmentPierces(a, b, x, y, z); };
      if (zeros == 2) return false; // a vertex on the segment: the surface touches itself
      if (zeros == 1) return removeEdge(p[zeroAt], p[(zeroAt + 1) % 3], bad);
      if (!m.faceLocked(t, ia) && m.canFlip23(t, ia)) {
        m.flip23(t, ia);
        return true;
      }
      for (int k = 0; k < 3; ++k) {
        int e = (k + seed) % 3;
        if (removeEdge(p[e], p[(e + 1) % 3], bad)) return true;
      }
      return clearBeyond(t, ia, a, b, seed);
    }
    return false;
  }

  /// Nothing gives way next to a: follow the segment and try what it meets further on.
  bool clearBeyond(int t, int face, int a, int b, int seed) {
    for (int guard = 0; guard < 60; ++guard) {
      if (m.faceLocked(t, face)) return false;
      int u = m.at(t).n[face] >> 2, back = m.at(t).n[face] & 3;
      if (m.ghost(u)) return false;
      if (m.indexOf(u, b) >= 0) return lastResort(u, b, seed, a);
      int next = -1;
      for (int i = 0; i < 4 && next < 0; ++i) {
        if (i == back) continue;
        const int* f = kTetFace[i];
        int p[3] = {m.at(u).v[f[0]], m.at(u).v[f[1]], m.at(u).v[f[2]]};
        int s0 = sgn(o(a, b, p[0], p[1])), s1 = sgn(o(a, b, p[1], p[2])), s2 = sgn(o(a, b, p[2], p[0]));
        bool through = (s0 >= 0 && s1 >= 0 && s2 >= 0) || (s0 <= 0 && s1 <= 0 && s2 <= 0);
        if (!through) continue;
        auto bad = [&](int x, int y, int z) { return segmentPierces(a, b, x, y, z); };
        for (int k = 0; k < 3; ++k) {
          int sk = k == 0 ? s0 : k == 1 ? s1 : s2;
          if (sk == 0 && removeEdge(p[k], p[(k + 1) % 3], bad)) return true;
        }
        if (m.canFlip23(u, i)) {
          m.flip23(u, i);
          return true;
        }
        for (int k = 0; k < 3; ++k) {
          int e = (k + seed) % 3;
          if (removeEdge(p[e], p[(e + 1) % 3], bad)) return true;
        }
        next = i;
      }
      if (next < 0) return false;
      t = u;
      face = next;
    }
    return false;
  }
  bool lastResort(int u, int b, int seed, int a) {
    auto bad = [&](int x, int y, int z) { return segmentPierces(a, b, x, y, z); };
    for (int k = 0; k < 6; ++k) {
      int e = (k + seed) % 6, p = m.at(u).v[kTetEdge[e][0]], q = m.at(u).v[kTetEdge[e][1]];
      if (p == b || q == b) continue;
      if (removeEdge(p, q, bad)) return true;
    }
    return false;
  }

  bool piercesTriangle(int p, int q, int a, int b, int c) const { return segmentPierces(p, q, a, b, c); }

  /// Looks along edge (a, b) for the tet through which triangle (a, b, c) runs and removes the edge that pierces it.
  bool clearTriangle(int a, int b, int c, int seed) {
    int t = m.findEdge(a, b);
    if (t < 0) return false;
    TetCore::Ring ring;
    if (!m.ringOf(t, a, b, ring)) return false;
    std::vector<std::pair<int, int>> todo;
    std::set<std::pair<int, int>> seen;
    auto push = [&](int x, int y) {
      if (x > y) std::swap(x, y);
      if (piercesTriangle(x, y, a, b, c) && seen.insert({x, y}).second) todo.push_back({x, y});
    };
    for (std::size_t i = 0; i < ring.tets.size(); ++i) push(ring.r[i], ring.r[(i + 1) % ring.r.size()]);
    auto bad = [&](int x, int y, int z) {
      return piercesTriangle(x, y, a, b, c) || piercesTriangle(y, z, a, b, c) || piercesTriangle(z, x, a, b, c);
    };
    for (std::size_t k = 0; k < todo.size() && k < 60; ++k) {
      auto [x, y] = todo[k];
      if (removeEdge(x, y, bad)) return true;
      int e = m.findEdge(x, y);
      TetCore::Ring r;
      if (e < 0 || !m.ringOf(e, x, y, r)) continue;
      // Shorten the ring by a 2-3 flip, then try again.
      for (std::size_t i = 0; i < r.tets.size(); ++i) {
        std::size_t j = (i + static_cast<std::size_t>(seed)) % r.tets.size();
        int u = r.tets[j];
        int f = m.indexOf(u, r.r[j]); // face shared with the next tet of the ring
        if (m.faceLocked(u, f) || !m.canFlip23(u, f)) continue;
        // the flip's new edge joins r[j] and r[j+2]; it must not pierce as well
        int v1 = r.r[j], v2 = r.r[(j + 2) % r.r.size()];
        if (piercesTriangle(v1, v2, a, b, c) && (seed & 3) != 3) continue;
        m.flip23(u, f);
        removeEdge(x, y, bad);
        return true;
      }
      for (int u : r.tets)
        for (const auto& ed : kTetEdge) push(m.at(u).v[ed[0]], m.at(u).v[ed[1]]);
      // Other edges at the piercing edge's ends may hold the ring together.
      for (std::size_t i = 0; i < r.r.size(); ++i)
        for (int end : {x, y}) {
          int w = r.r[i];
          if (w == a || w == b || w == c) continue;
          if (removeEdge(end, w, bad)) return true;
        }
    }
    return false;
  }
};

constexpr int kFarCorners = 8;

/// Delaunay of the surface's points and the far corners; a problem when two points coincide.
std::optional<Problem> delaunayOf(TetCore& core, const SurfaceMesh& surface, Progress& progress) {
  core = {};
  core.points = surface.points;
  Box box;
  for (const auto& p : core.points) box.add(p);
  Vec3 c = box.center();
  double r = box.diagonal();
  for (int k = 0; k < kFarCorners; ++k)
    core.points.push_back(c + r * Vec3(k & 1 ? 1.53 : -1.49, k & 2 ? 1.51 : -1.57, k & 4 ? 1.48 : -1.54));
  // Points of what lies beyond the surface, rows and layers, would only be in the way.
  std::vector<char> used(core.points.size(), surface.frozen.empty());
  for (const auto& t : surface.triangles)
    for (int v : t) used[static_cast<std::size_t>(v)] = 1;
  std::fill(used.end() - kFarCorners, used.end(), 1);
  std::vector<int> which;
  for (std::size_t i = 0; i < used.size(); ++i)
    if (used[i]) which.push_back(static_cast<int>(i));
  auto fail = [&](const std::string& what, const Vec3& at) {
    Problem p;
    p.fault = Fault::Meshing;
    p.code = "tet.surface";
    p.what = what;
    p.where = "at " + formatPoint(at);
    p.places.push_back(at);
    p.why = "the surface mesh is not a valid boundary there";
    p.todo = "ask for another size near this place";
    return p;
  };
  if (!core.delaunay(which, &progress)) return fail("the surface points could not be connected", c);
  for (std::size_t i = 0; i < core.points.size(); ++i)
    if (used[i] && core.tetOf[i] < 0) return fail("two surface points coincide", core.points[i]);
  return {};
}

/// Takes points that the surface has got since into a Delaunay tetrahedrization of the others. False when that does not
/// work out: it has to be made anew then.
bool extendDelaunay(TetCore& core, const SurfaceMesh& surface) {
  const int old = static_cast<int>(core.points.size()) - kFarCorners, all = static_cast<int>(surface.points.size()),
            more = all - old;
  if (old < 0 || more < 0 || more > old / 4) return false;
  // The far corners follow the surface's points.
  for (auto& t : core.tets)
    for (int& v : t.v)
      if (v >= old) v += more;
  const auto at = static_cast<std::ptrdiff_t>(old);
  core.points.insert(core.points.begin() + at, surface.points.begin() + at, surface.points.end());
  core.tetOf.insert(core.tetOf.begin() + at, static_cast<std::size_t>(more), -1);
  TetCore::Cavity cavity;
  std::set<int> inner, onWalls;
  for (int v = old; v < all; ++v) {
    const Vec3& p = core.pt(v);
    const auto hint = v > old ? core.tetOf.begin() + v - 1
                              : std::find_if(core.tetOf.begin(), core.tetOf.end(), [](int x) { return x >= 0; });
    int t = core.locate(p, *hint);
    if (t < 0 || core.ghost(t)) return false;
    for (int w : core.at(t).v)
      if (core.pt(w) == p) return false;
    if (!core.cavityOf(p, v, t, cavity)) return false;
    // No vertex may be swallowed.
    inner.clear(), onWalls.clear();
    for (int c : cavity.tets) inner.insert(core.at(c).v, core.at(c).v + 4);
    for (const auto& w : cavity.walls) onWalls.insert(w.v, w.v + 3);
    if (inner != onWalls) return false;
    core.fill(cavity, v);
  }
  return true;
}

} // namespace

Result<RecoveryReport> recoverBoundary(TetCore& core, TetCore& bare, const SurfaceMesh& surface, Progress& progress) {
  if (bare.tets.empty() || !extendDelaunay(bare, surface))
    if (auto p = delaunayOf(bare, surface, progress)) return *p;
  core = bare;
  progress.report(0.4);

  auto sortUnique = [&](std::vector<std::uint64_t>& keys) {
    progress.check();
    parallelSort(keys.begin(), keys.end());
    keys.erase(std::unique(keys.begin(), keys.end()), keys.end());
    progress.check();
  };
  std::vector<std::uint64_t> edges;
  edges.reserve(3 * surface.triangles.size());
  for (const auto& t : surface.triangles)
    for (std::size_t k = 0; k < 3; ++k) edges.push_back(edgeKey(t[k], t[(k + 1) % 3]));
  sortUnique(edges);
  // Which of them are there: the tets' edges are looked up among those of their lower vertex.
  std::vector<std::size_t> first(surface.points.size() + 1, 0);
  for (std::uint64_t e : edges) ++first[static_cast<std::size_t>(e >> 32) + 1];
  for (std::size_t v = 1; v < first.size(); ++v) first[v] += first[v - 1];
  std::vector<char> present(edges.size(), 0);
  const int points = static_cast<int>(surface.points.size());
  for (int t = 0; t < static_cast<int>(core.tets.size()); ++t) {
    if ((t & 0xffff) == 0) progress.check();
    if (!core.solid(t)) continue;
    for (const auto& e : kTetEdge) {
      const int a = core.at(t).v[e[0]], b = core.at(t).v[e[1]];
      if (a >= points || b >= points) continue;
      const std::uint64_t key = edgeKey(a, b);
      for (std::size_t i = first[key >> 32]; i < first[(key >> 32) + 1]; ++i)
        if (edges[i] == key) present[i] = 1;
    }
  }
  // All surface edges are locked from the start: one that is present must not be given up for another.
  core.lockedEdges.clear();
  core.lockedEdges.reserve(edges.size() * 2);
  std::vector<std::pair<int, int>> missing;
  for (std::size_t i = 0; i < edges.size(); ++i) {
    if ((i & 0xffff) == 0) progress.check();
    core.lockedEdges.insert(edges[i]);
    if (!present[i]) missing.push_back({static_cast<int>(edges[i] >> 32), static_cast<int>(edges[i] & 0xffffffffu)});
  }
  RecoveryReport report;
  report.missingEdges = static_cast<int>(missing.size());
  Recovery recovery(core, progress);
  for (int effort : {15, 40}) {
    std::vector<std::pair<int, int>> left;
    for (const auto& e : missing)
      if (!recovery.edge(e.first, e.second, effort)) left.push_back(e);
    missing = std::move(left);
    if (missing.empty()) break;
  }
  for (const auto& e : missing) report.lostEdges.push_back({e.first, e.second});
  progress.report(0.8);
  if (!report.lostEdges.empty()) return report;

  std::vector<std::array<int, 3>> faces;
  auto lock = [&](const std::array<int, 3>& f) {
    int tf = core.findFace(f[0], f[1], f[2]);
    if (tf < 0) return false;
    int uf = core.at(tf >> 2).n[tf & 3];
    core.locked[static_cast<std::size_t>(tf >> 2)] |= static_cast<std::uint8_t>(1 << (tf & 3));
    core.locked[static_cast<std::size_t>(uf >> 2)] |= static_cast<std::uint8_t>(1 << (uf & 3));
    return true;
  };
  for (std::size_t i = 0; i < surface.triangles.size(); ++i) {
    if ((i & 1023) == 0) progress.check();
    if (!lock(surface.triangles[i])) faces.push_back(surface.triangles[i]);
  }
  report.missingFaces = static_cast<int>(faces.size());
  for (int effort : {15, 40}) {
    std::vector<std::array<int, 3>> left;
    for (const auto& f : faces) {
      if (!recovery.face(f[0], f[1], f[2], effort) || !lock(f)) left.push_back(f);
    }
    faces = std::move(left);
    if (faces.empty()) break;
  }
  report.lostFaces = faces;
  return report;
}

std::optional<Problem> assignRegions(TetCore& core, const SurfaceMesh& surface, const Part& part, const MeshPlan& plan,
                                     const Progress& progress) {
  std::fill(core.region.begin(), core.region.end(), -2);
  std::vector<int> stack;
  auto conflict = [&](int t) {
    Vec3 at =
        (core.pt(core.at(t).v[0]) + core.pt(core.at(t).v[1]) + core.pt(core.at(t).v[2]) + core.pt(core.at(t).v[3])) / 4;
    Problem p;
    p.fault = Fault::Meshing;
    p.code = "tet.leak";
    p.what = "inside and outside are connected";
    p.where = "near " + formatPoint(at);
    p.places.push_back(at);
    p.why = "the surface does not separate the bodies there";
    p.todo = "check that the part is closed there";
    return p;
  };
  auto seed = [&](int t, int body) -> bool {
    int& r = core.region[static_cast<std::size_t>(t)];
    if (core.ghost(t)) return true;
    if (r == -2) {
      r = body;
      stack.push_back(t);
      return true;
    }
    return r == body;
  };
  auto flood = [&]() -> std::optional<Problem> {
    while (!stack.empty()) {
      int t = stack.back();
      stack.pop_back();
      for (int i = 0; i < 4; ++i) {
        if (core.faceLocked(t, i)) continue;
        int o = core.at(t).n[i] >> 2;
        if (!seed(o, core.region[static_cast<std::size_t>(t)])) return conflict(t);
      }
    }
    return {};
  };
  for (std::size_t i = 0; i < surface.triangles.size(); ++i) {
    if ((i & 1023) == 0) progress.check();
    const auto& q = surface.triangles[i];
    const auto& bodies = part.faces[static_cast<std::size_t>(surface.face[i])].bodies;
    int tf = core.findFace(q[0], q[1], q[2]);
    for (int side : {tf, core.at(tf >> 2).n[tf & 3]}) {
      int t = side >> 2;
      if (core.ghost(t)) continue;
      bool front = orient3d(core.pt(q[0]), core.pt(q[1]), core.pt(q[2]), core.pt(core.at(t).v[side & 3])) > 0;
      const int body = bodies[front ? 1 : 0];
      if (!seed(t, body >= 0 && plan.structured(body) ? -1 : body)) return conflict(t);
    }
    if (auto p = flood()) return p;
  }
  for (auto& r : core.region)
    if (r == -2) r = -1;
  return {};
}

} // namespace tess
