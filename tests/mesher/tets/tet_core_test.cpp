// SPDX-License-Identifier: GPL-3.0-or-later
// Tetrahedra under change: what is taken back leaves no trace, whatever was done in between; what is looked up is
// found.
#include "mesher/tets/boundary_moves.h"
#include "mesher/tets/tet.h"
#include "mesher/tets/tet_sweep.h"
#include "support/fixtures.h"
#include <map>
#include <random>
#include <set>

using namespace tess;
using namespace tess::test;

namespace {

/// All that a trial may touch, in a form that can be compared; the order of unused places and of a vertex's own tet are
/// free.
struct State {
  std::vector<Vec3> points;
  std::map<int, std::array<int, 10>> tets; ///< corners, neighbours, region, locks
  std::set<std::uint64_t> lockedEdges;
  std::vector<std::array<int, 3>> triangles;
  std::vector<int> face, entity;
  std::vector<Dim> dim;
  std::vector<std::vector<int>> edgeNodes;
  bool operator==(const State&) const = default;
};
State stateOf(const TetCore& core, const SurfaceMesh& s) {
  State r;
  r.points = core.points;
  for (int t = 0; t < static_cast<int>(core.tets.size()); ++t)
    if (core.alive(t)) {
      const Tet& x = core.at(t);
      r.tets[t] = {x.v[0],
                   x.v[1],
                   x.v[2],
                   x.v[3],
                   x.n[0],
                   x.n[1],
                   x.n[2],
                   x.n[3],
                   core.region[static_cast<std::size_t>(t)],
                   core.locked[static_cast<std::size_t>(t)]};
    }
  r.lockedEdges = {core.lockedEdges.begin(), core.lockedEdges.end()};
  r.triangles = s.triangles;
  r.face = s.face;
  r.entity = s.entity;
  r.dim = s.dim;
  r.edgeNodes = s.edgeNodes;
  return r;
}

TEST(Undo, AnySeriesOfChangesIsTakenBackWhole) {
  const Part part = made("drilled 4");
  SizeSettings settings;
  settings.target = 4;
  const SizeField size = makeSizeField(part, {settings});
  Progress progress;
  auto made = meshSurface(part, size, MeshPlan{}, progress);
  ASSERT_TRUE(made.ok());
  SurfaceMesh& surface = made->mesh;
  TetCore core, bare;
  ASSERT_TRUE(recoverBoundary(core, bare, surface, progress).ok());
  ASSERT_FALSE(assignRegions(core, surface, part, {}, progress));
  refineInside(core, size, progress);
  BoundaryMoves moves(core, surface, &part, size);
  core.watchChanges();
  std::mt19937 rng(7);
  auto pick = [&](int n) { return static_cast<int>(rng() % static_cast<std::uint32_t>(n)); };
  int done[8] = {};
  for (int series = 0; series < 60; ++series) {
    const State before = stateOf(core, surface);
    ChangeLog log;
    std::set<int> fresh;
    log.goes = [&](int t) { fresh.erase(t); };
    log.comes = [&](int t) { fresh.insert(t); };
    core.log = &log;
    for (int step = 0; step < 40; ++step) {
      int t = pick(static_cast<int>(core.tets.size()));
      if (!core.solid(t) || core.region[static_cast<std::size_t>(t)] < 0) continue;
      const Tet x = core.at(t);
      const int a = x.v[pick(4)], b = x.v[pick(4)];
      const int what = pick(8);
      bool changed = false;
      if (what == 0 && core.canFlip23(t, 0)) {
        core.flip23(t, 0);
        changed = true;
      } else if (what == 1) {
        TetCore::Cavity cavity;
        const Vec3 middle = (core.pt(x.v[0]) + core.pt(x.v[1]) + core.pt(x.v[2]) + core.pt(x.v[3])) / 4;
        const int id = static_cast<int>(core.points.size());
        if (core.cavityOf(middle, id, t, cavity)) {
          core.newPoint(middle);
          moves.added(id);
          core.fill(cavity, id);
          changed = true;
        }
      } else if (what == 2)
        changed = moves.slide(a);
      else if (what == 3)
        changed = moves.peel(t);
      else if (what == 4)
        changed = moves.insert(t, true);
      else if (what == 5)
        changed = a != b && moves.contract(a, b, true);
      else if (what == 6 && moves.inner(a)) {
        core.move(a, core.pt(a) + 1e-3 * Vec3(1, 2, 3));
        changed = true;
      } else if (what == 7 && a != b && !core.edgeLocked(a, b)) {
        TetCore::Ring ring;
        std::vector<std::array<int, 3>> tris;
        if (core.ringOf(t, a, b, ring) && core.bestRing(ring, tris, [&](int u, int v, int w) {
              return std::min(tetQuality(core.pt(u), core.pt(v), core.pt(w), core.pt(b)),
                              tetQuality(core.pt(u), core.pt(w), core.pt(v), core.pt(a)));
            }) > 0) {
          core.replaceRing(ring, tris);
          changed = true;
        }
      }
      done[what] += changed;
    }
    core.log = nullptr;
    for (int t : fresh) EXPECT_TRUE(core.alive(t));
    // Every other series stays, so that later ones start from elsewhere.
    if (series % 2) continue;
    EXPECT_FALSE(stateOf(core, surface) == before);
    log.takeBack();
    ASSERT_TRUE(stateOf(core, surface) == before) << "series " << series;
    for (int v = 0; v < static_cast<int>(core.points.size()); ++v)
      if (const int t = core.tetOf[static_cast<std::size_t>(v)]; t >= 0) {
        ASSERT_TRUE(core.alive(t));
        ASSERT_GE(core.indexOf(t, v), 0);
      }
  }
  for (int what : {0, 1, 2, 4, 5, 6, 7}) EXPECT_GT(done[what], 0) << what;
  // What was looked up before is found again: no tet refers to a triangle or an edge that is not there.
  moves.finish();
  for (const auto& q : surface.triangles) EXPECT_GE(core.findFace(q[0], q[1], q[2]), 0);
}

/// Edges and faces are found by a walk towards their other end; the whole star must say the same, also among
/// points of a sphere and a grid, where many tets are flat and a vertex has hundreds of neighbours.
TEST(TetCore, EdgesAndFacesAreFoundOnlyWhereTheyAre) {
  std::mt19937 rng(3);
  std::uniform_real_distribution<double> u(-1, 1);
  for (int kind = 0; kind < 3; ++kind) {
    TetCore core;
    core.points.push_back(Vec3(0, 0, 0));
    for (int k = 0; k < 700; ++k) {
      Vec3 p(u(rng), u(rng), u(rng));
      if (kind == 1) p.normalize(); // around the first point
      if (kind == 2) p = Vec3(k % 9, k / 9 % 9, k / 81) + Vec3(1, 1, 1);
      core.points.push_back(p);
    }
    std::vector<int> which(core.points.size());
    for (std::size_t i = 0; i < which.size(); ++i) which[i] = static_cast<int>(i);
    ASSERT_TRUE(core.delaunay(which));
    const int n = static_cast<int>(core.points.size());
    std::size_t there = 0, missing = 0;
    std::vector<int> star;
    for (int a = 0; a < n; a += kind == 1 ? 7 : 5) {
      core.starOf(a, star);
      std::set<int> neighbours;
      std::set<std::pair<int, int>> opposite;
      for (int t : star)
        for (int v : core.at(t).v) {
          if (v == a || v == kGhost) continue;
          neighbours.insert(v);
          for (int w : core.at(t).v)
            if (w != a && w != kGhost && v < w) opposite.insert({v, w});
        }
      for (int b = 0; b < n; ++b) {
        if (b == a) continue;
        const int t = core.findEdge(a, b);
        ASSERT_EQ(t >= 0, neighbours.count(b) > 0) << kind << ": " << a << " " << b;
        if (t < 0) {
          ++missing;
          continue;
        }
        ++there;
        ASSERT_GE(core.indexOf(t, a), 0);
        ASSERT_GE(core.indexOf(t, b), 0);
        for (int c : neighbours) {
          if (c <= b) continue;
          const int f = core.findFace(a, b, c);
          ASSERT_EQ(f >= 0, opposite.count({b, c}) > 0) << kind << ": " << a << " " << b << " " << c;
          if (f < 0) continue;
          std::set<int> corners;
          for (int i : kTetFace[f & 3]) corners.insert(core.at(f >> 2).v[i]);
          ASSERT_EQ(corners, (std::set<int>{a, b, c}));
        }
      }
    }
    EXPECT_GT(there, 500u);
    EXPECT_GT(missing, 5000u);
  }
}

/// Vertices one after the other, each into the middle of its star as that is by then.
int sweptInOrder(TetCore& core, const std::vector<char>& movable) {
  int moved = 0;
  std::vector<int> star;
  auto quality = [&](int t) { return tetQuality(core, t); };
  for (std::size_t v = 0; v < movable.size(); ++v) {
    if (!movable[v]) continue;
    core.starOf(static_cast<int>(v), star);
    Vec3 sum(0, 0, 0);
    double weight = 0, before = 1, after = 1;
    for (int t : star) {
      const Tet& x = core.at(t);
      const double volume = tetVolume(core.pt(x.v[0]), core.pt(x.v[1]), core.pt(x.v[2]), core.pt(x.v[3]));
      sum += volume * (core.pt(x.v[0]) + core.pt(x.v[1]) + core.pt(x.v[2]) + core.pt(x.v[3])) / 4;
      weight += volume;
      before = std::min(before, quality(t));
    }
    const Vec3 was = core.points[v];
    core.points[v] = sum / weight;
    for (int t : star) after = std::min(after, quality(t));
    if (after > std::max(0.0, std::min(before, 0.45)))
      ++moved;
    else
      core.points[v] = was;
  }
  return moved;
}

TEST(TetSweep, onAllCoresDoesWhatOneDoesInTheOrderOfNumbers) {
  TetCore core;
  std::mt19937 random(5);
  std::uniform_real_distribution<double> u(-1, 1);
  // One vertex has a star of many hundred tets: points on a sphere around it.
  core.points.push_back({0, 0, 0});
  for (int k = 0; k < 700; ++k) core.points.push_back(Vec3(u(random), u(random), u(random)).normalized());
  for (int k = 0; k < 9000; ++k) {
    const Vec3 p(3 * u(random), 3 * u(random), 3 * u(random));
    if (p.norm() > 1.05) core.points.push_back(p);
  }
  std::vector<int> all(core.points.size());
  for (std::size_t k = 0; k < all.size(); ++k) all[k] = static_cast<int>(k);
  ASSERT_TRUE(core.delaunay(all));
  core.region.assign(core.tets.size(), 0);
  std::vector<char> movable(core.points.size(), 1);
  for (int t = 0; t < static_cast<int>(core.tets.size()); ++t) {
    if (!core.alive(t) || !core.ghost(t)) continue;
    for (int v : core.at(t).v)
      if (v >= 0) movable[static_cast<std::size_t>(v)] = 0;
  }
  std::vector<int> star;
  core.starOf(0, star);
  ASSERT_GT(star.size(), 600u);
  TetCore alone = core;
  Progress progress;
  TetSweep sweep(core, movable, progress);
  for (int round = 0; round < 3; ++round) {
    const int moved = sweptInOrder(alone, movable);
    EXPECT_EQ(static_cast<int>(sweep.run()), moved);
    EXPECT_GT(moved, 1000);
    EXPECT_EQ(core.points, alone.points);
  }
  progress.stop();
  EXPECT_THROW(sweep.run(), Cancelled);
}

} // namespace
