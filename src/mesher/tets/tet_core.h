// SPDX-License-Identifier: GPL-3.0-or-later
// Tetrahedra with neighbours, and the operations that change them: Delaunay insertion, the 2-3 flip, edge removal.
// Compact arrays (4 vertices + 4 neighbours, 32 bit), a ghost vertex at infinity closes the hull. All topological
// decisions use exact predicates. Delaunay tets of a cloud come from mesher/delaunay.h; edge removal by dynamic
// programming over the triangulations of the ring around an edge (Freitag & Ollivier-Gooch 1997; Klincsek 1980). Not
// thread-safe; deterministic.
//
//   Corner order: orient3d(v0, v1, v2, v3) > 0. Face i lies opposite corner i.
//   n[i] = 4 * neighbour + number of the common face in the neighbour.
#pragma once
#include "base/edge_key.h"
#include "base/problem.h"
#include "base/progress.h"
#include "base/unset.h"
#include <functional>
#include <unordered_set>

namespace tess {

constexpr int kGhost = -1;
/// Corners of face i, seen so that corner i lies on the side of the normal.
constexpr int kTetFace[4][3] = {{1, 3, 2}, {0, 2, 3}, {0, 3, 1}, {0, 1, 2}};
constexpr int kTetEdge[6][2] = {{0, 1}, {0, 2}, {0, 3}, {1, 2}, {1, 3}, {2, 3}};

struct alignas(32) Tet { // never over two lines of cache
  int v[4];
  int n[4];
};

using TetList = UnsetVector<Tet>;

/// A series of changes that can be taken back as a whole.
class ChangeLog {
public:
  /// Called with a tet that is about to go or to change its shape.
  std::function<void(int)> goes;
  /// Called with a tet that was made.
  std::function<void(int)> comes;
  void add(std::function<void()> undo) { m_undo.push_back(std::move(undo)); }
  void takeBack() {
    for (; !m_undo.empty(); m_undo.pop_back()) m_undo.back()();
  }

private:
  std::vector<std::function<void()>> m_undo;
};

class TetCore {
public:
  std::vector<Vec3> points;
  TetList tets;
  std::vector<std::int32_t> region; ///< per tet; -1 outside or not known yet
  std::vector<std::uint8_t> locked; ///< per tet: bit i = face i belongs to the surface and must stay
  std::vector<int> tetOf;           ///< per vertex: a live tet, or -1
  std::unordered_set<std::uint64_t> lockedEdges;
  /// Per vertex the `clock` at which its star last changed; kept once `watchChanges` was called.
  std::vector<std::uint32_t> changed;
  std::uint32_t clock = 0;
  void watchChanges() { changed.assign(points.size(), clock); }
  /// Moves a vertex; its tets must stay positive.
  void move(int v, const Vec3& to);
  /// While set, whatever `newTet`, `killTet`, `link`, `newPoint`, `move` and the functions built on them change is
  /// noted there. To be taken back while it is set no more.
  ChangeLog* log = nullptr;

  bool alive(int t) const { return tets[static_cast<std::size_t>(t)].v[0] != -2; }
  bool ghost(int t) const {
    const Tet& q = at(t);
    return q.v[0] == kGhost || q.v[1] == kGhost || q.v[2] == kGhost || q.v[3] == kGhost;
  }
  bool solid(int t) const { return alive(t) && !ghost(t); }
  const Tet& at(int t) const { return tets[static_cast<std::size_t>(t)]; }
  Tet& at(int t) { return tets[static_cast<std::size_t>(t)]; }
  const Vec3& pt(int v) const { return points[static_cast<std::size_t>(v)]; }
  bool faceLocked(int t, int f) const { return locked[static_cast<std::size_t>(t)] >> f & 1; }
  bool edgeLocked(int a, int b) const { return lockedEdges.count(edgeKey(a, b)) > 0; }
  int indexOf(int t, int v) const {
    const Tet& q = at(t);
    for (int i = 0; i < 4; ++i)
      if (q.v[i] == v) return i;
    return -1;
  }
  std::size_t liveCount() const { return tets.size() - m_free.size(); }

  /// Delaunay tetrahedrization of `points` (all of them, or those listed in `which`). Repeated points are left out and
  /// have tetOf < 0. False when all points lie in a plane.
  bool delaunay(const std::vector<int>& which, Progress* progress = nullptr);
  /// Live tet that contains p, walking from `hint`; a ghost when p lies outside the hull. With `stayInside` the walk
  /// does not pass locked faces and returns -1 there.
  int locate(const Vec3& p, int hint, bool stayInside = false);

  struct Cavity {
    std::vector<int> tets;
    struct Wall {
      int v[3];    ///< seen so that the cavity lies on the side of the normal
      int outside; ///< 4 * tet + face
      bool locked;
      int inside; ///< cavity tet that owns the wall
    };
    std::vector<Wall> walls;
  };
  /// Tets whose circumsphere holds p, connected to `start`, not passing locked faces; then shrunk until p sees all
  /// walls. False when `start` itself had to go.
  bool cavityOf(const Vec3& p, int pointId, int start, Cavity& c);
  /// Fills the cavity with tets around vertex p. New tets are listed in `lastMade`.
  void fill(const Cavity& c, int p);
  std::vector<int> lastMade;

  /// Tets around edge (a, b) in order with ring vertices r (tet i has r[i], r[i+1]); false if a ghost is there or the
  /// ring is longer than 24.
  struct Ring {
    int a = 0, b = 0;
    std::vector<int> tets, r;
  };
  bool ringOf(int t, int a, int b, Ring& ring) const;
  /// The tet at vertex a that holds b or through which the way from a to b begins, found without a look at the whole
  /// star; -1 when that is not clear, as along a face or at the hull.
  int towards(int a, int b) const;
  /// A live tet holding edge (a, b), or -1.
  int findEdge(int a, int b) const;
  /// A live tet and face number for a triangle; -1 if absent. Returns 4 * tet + face.
  int findFace(int a, int b, int c) const;
  /// Live tets around a vertex.
  void starOf(int v, std::vector<int>& out) const;

  /// True when the two tets at face f of t form a convex pair: the 2-3 flip is valid.
  bool canFlip23(int t, int f) const;
  void flip23(int t, int f);
  /// Replaces the ring's tets by a fan over `triangles` (ring index triples, counter-clockwise seen from a).
  void replaceRing(const Ring& ring, const std::vector<std::array<int, 3>>& triangles);
  /// Best triangulation of the ring by `score` of the two tets over each triangle; score <= 0 means not allowed.
  /// Returns the lowest score, or 0 when there is none.
  template <class S> double bestRing(const Ring& ring, std::vector<std::array<int, 3>>& triangles, S&& score) const;

  /// Replaces `old` tets, which fill the same space, by `fresh` ones; outer faces keep their neighbours and locks.
  /// `regions`: of each fresh tet; without it all get that of the first old one.
  void rebuild(const std::vector<int>& old, const std::vector<std::array<int, 4>>& fresh,
               const std::vector<int>* regions = nullptr);

  int newTet();
  void killTet(int t);
  int newPoint(const Vec3& p) {
    points.push_back(p);
    tetOf.push_back(-1);
    if (!changed.empty()) changed.push_back(clock);
    if (log)
      log->add([this] {
        points.pop_back();
        tetOf.pop_back();
        if (!changed.empty()) changed.pop_back();
      });
    return static_cast<int>(points.size()) - 1;
  }
  void link(int tf, int uf) {
    if (log) [[unlikely]] {
      noteState(tf >> 2);
      noteState(uf >> 2);
    }
    at(tf >> 2).n[tf & 3] = uf;
    at(uf >> 2).n[uf & 3] = tf;
  }

  /// Notes what tet t is now, before a change that its functions do not note themselves.
  void noteState(int t);

private:
  std::vector<int> m_free;
  mutable std::vector<int> m_stamp; ///< marks of the walk at hand
  mutable int m_stampNow = 0;
  std::uint32_t m_rng = 12345;
  struct Local {
    int stamp, number;
  };
  std::vector<Local> m_local; ///< per vertex + 1: its number on the walls of the cavity at hand
  int m_localStamp = 0;
  std::vector<int> m_table;
  void linkByHash();
  void rebuildWalls(const std::vector<int>& tets, int stamp, Cavity& c) const;
};

template <class S>
double TetCore::bestRing(const Ring& ring, std::vector<std::array<int, 3>>& triangles, S&& score) const {
  const int n = static_cast<int>(ring.r.size());
  triangles.clear();
  if (n < 3 || n > 12) return 0;
  int cut[12][12];
  double best[12][12];
  for (int len = 1; len < n; ++len)
    for (int i = 0; i + len < n; ++i) {
      int j = i + len;
      if (len == 1) {
        best[i][j] = 1e300;
        cut[i][j] = -1;
        continue;
      }
      best[i][j] = 0;
      cut[i][j] = -1;
      for (int k = i + 1; k < j; ++k) {
        double limit = std::min(best[i][k], best[k][j]);
        if (limit <= best[i][j]) continue;
        double s = std::min(limit, score(ring.r[static_cast<std::size_t>(i)], ring.r[static_cast<std::size_t>(k)],
                                         ring.r[static_cast<std::size_t>(j)]));
        if (s > best[i][j]) {
          best[i][j] = s;
          cut[i][j] = k;
        }
      }
    }
  if (best[0][n - 1] <= 0) return 0;
  int stack[32][2], top = 0;
  stack[top][0] = 0;
  stack[top++][1] = n - 1;
  while (top) {
    --top;
    int i = stack[top][0], j = stack[top][1];
    if (j - i < 2) continue;
    int k = cut[i][j];
    triangles.push_back({i, k, j});
    stack[top][0] = i;
    stack[top++][1] = k;
    stack[top][0] = k;
    stack[top++][1] = j;
  }
  return best[0][n - 1];
}

} // namespace tess
