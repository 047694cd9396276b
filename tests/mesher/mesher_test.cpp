// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/audit.h"
#include "base/predicates.h"
#include "mesh/own_angles.h"
#include "mesher/edges/edge_division.h"
#include "mesher/tets/tet.h"
#include "support/fixtures.h"
#include "support/narrow_corner.h"
#include "support/roof.h"
#include <cmath>
#include <cstring>
#include <map>
#include <numeric>
#include <random>
#include <set>
#include <tbb/global_control.h>
#include <thread>

using namespace tess;
using namespace tess::test;

namespace {

struct Shape2 {
  const char* recipe;
  double size, volume, area;
};
const Shape2 kShapes[] = {{"box 10 8 6", 1.2, 480, 376},
                          {"cylinder 5 10", 1.2, kPi * 250, 2 * kPi * 25 + kPi * 100},
                          {"sphere 5", 1.2, 4.0 / 3 * kPi * 125, 4 * kPi * 25},
                          {"torus 10 3", 1.5, 2 * kPi* kPi * 90, 4 * kPi* kPi * 30}};

double surfaceArea(const Mesh& m) {
  double a = 0;
  for (std::size_t f = 0; f < m.faces.size(); ++f) a += faceArea(m, f);
  return a;
}

void expectSound(const Mesh& m) {
  auto s = checkSoundness(m);
  EXPECT_EQ(s.inverted, 0u);
  EXPECT_EQ(s.openEdges, 0u);
  EXPECT_EQ(s.duplicateNodes, 0u);
  EXPECT_EQ(s.duplicateCells, 0u);
  EXPECT_EQ(s.unusedNodes, 0u);
  EXPECT_EQ(s.nonConforming, 0u);
}

std::vector<int> allOf(const TetCore& core) {
  std::vector<int> which(core.points.size());
  std::iota(which.begin(), which.end(), 0);
  return which;
}

} // namespace

TEST(Delaunay, noPointLiesInsideAnyCircumsphere) {
  TetCore core;
  std::mt19937 rng(11);
  std::uniform_real_distribution<double> u(0, 1);
  for (int i = 0; i < 400; ++i) core.points.emplace_back(u(rng), u(rng), u(rng));
  ASSERT_TRUE(core.delaunay(allOf(core)));
  for (int t = 0; t < static_cast<int>(core.tets.size()); ++t) {
    if (!core.solid(t)) continue;
    const Tet& q = core.at(t);
    ASSERT_GT(orient3d(core.pt(q.v[0]), core.pt(q.v[1]), core.pt(q.v[2]), core.pt(q.v[3])), 0);
    for (int i = 0; i < 4; ++i) EXPECT_EQ(core.at(q.n[i] >> 2).n[q.n[i] & 3], 4 * t + i);
    for (const auto& p : core.points)
      EXPECT_LE(insphere(core.pt(q.v[0]), core.pt(q.v[1]), core.pt(q.v[2]), core.pt(q.v[3]), p), 0);
  }
}

TEST(Delaunay, gridWithAllItsTiesFillsTheCube) {
  TetCore core;
  for (int i = 0; i < 7; ++i)
    for (int j = 0; j < 7; ++j)
      for (int k = 0; k < 7; ++k) core.points.emplace_back(i, j, k);
  ASSERT_TRUE(core.delaunay(allOf(core)));
  double v = 0;
  for (int t = 0; t < static_cast<int>(core.tets.size()); ++t)
    if (core.solid(t)) {
      const Tet& q = core.at(t);
      double w = tetVolume(core.pt(q.v[0]), core.pt(q.v[1]), core.pt(q.v[2]), core.pt(q.v[3]));
      EXPECT_GT(w, 0); // no flat tets, though everything is cospherical
      v += w;
    }
  EXPECT_NEAR(v, 216, 1e-9);
}

namespace {
/// Tets as sets of points, whatever their numbers.
std::vector<std::array<int, 4>> sortedTets(const TetCore& core) {
  std::vector<std::array<int, 4>> r;
  for (const Tet& q : core.tets) {
    r.push_back({q.v[0], q.v[1], q.v[2], q.v[3]});
    std::sort(r.back().begin(), r.back().end());
  }
  std::sort(r.begin(), r.end());
  return r;
}

TEST(Mesher, ElementsThatStayFlatAreMeshedAgainWithSmallerOnes) {
  // A slot far narrower than the elements: flat ones stay beside it however they are improved.
  const Part part = made("slot 20 12 8 0.02");
  const MeshOutcome out = meshOf(part, 3);
  const auto told =
      std::find_if(out.problems.begin(), out.problems.end(), [](const Problem& p) { return p.code == "size.flat"; });
  ASSERT_NE(told, out.problems.end());
  EXPECT_EQ(told->severity, Severity::Note);
  EXPECT_FALSE(told->places.empty());
  const auto angle = computeMetrics(out.mesh)[static_cast<std::size_t>(Metric::MinDihedral)];
  std::vector<std::int32_t> flat;
  for (std::size_t c = 0; c < angle.value.size(); ++c)
    if (angle.value[c] < kFlatAngle) flat.push_back(static_cast<std::int32_t>(c));
  EXPECT_TRUE(causesOfFlatness(out.mesh, ownAngles(out.mesh), flat, kFlatAngle).elsewhere.empty());
}

TEST(Mesher, NarrowCornersOfFacesAndCutOffRimsLeaveNoFlatElements) {
  for (double wedge : {35.0, 45.0}) {
    const Part part = narrowCorner(1.7, wedge);
    for (double h : {3.0, 1.8}) {
      SizeSettings s;
      s.target = h;
      s.bridging.tolerance = 0.02 * h;
      Progress progress;
      auto out = meshPart(part, makeSizeField(part, {s}), meshWishes({s}), {}, progress);
      ASSERT_TRUE(out.ok()) << out.problem().sentence();
      expectSound(out->mesh);
      const auto angle = computeMetrics(out->mesh)[static_cast<std::size_t>(Metric::MinDihedral)];
      EXPECT_GT(*std::min_element(angle.value.begin(), angle.value.end()), 10) << wedge << " " << h;
      // The rim is at most that wide where it is bridged, over a length of about h.
      EXPECT_NEAR(meshVolume(out->mesh), part.volume(), s.bridging.tolerance * h * h);
      for (const auto& q : out->problems) EXPECT_NE(q.code, "size.flat") << q.sentence();
    }
  }
}

TEST(Mesher, FirstMeshIsKeptWhereMemoryDoesNotSufficeForAnother) {
  const Part part = made("slot 20 12 8 0.02");
  SizeSettings settings;
  settings.target = 3;
  const SizeField size = makeSizeField(part, {settings});
  auto mesh = [&](const std::function<void(Progress&)>& onAgain) {
    Progress progress;
    progress.onProgress = [&](const std::string& stage, double) {
      if (stage.rfind("Finer at flat elements", 0) == 0) onAgain(progress);
    };
    return meshPart(part, size, {}, {}, progress);
  };
  auto told = [](const MeshOutcome& m, const std::string& code) {
    return std::any_of(m.problems.begin(), m.problems.end(), [&](const Problem& p) { return p.code == code; });
  };
  auto enough = mesh([](Progress&) {}), little = mesh([](Progress&p) { p.stopForMemory(1000000); });
  ASSERT_TRUE(enough.ok());
  ASSERT_TRUE(little.ok());
  EXPECT_TRUE(told(*enough, "size.flat"));
  EXPECT_FALSE(told(*enough, "size.flat-memory"));
  EXPECT_FALSE(told(*little, "size.flat"));
  EXPECT_TRUE(told(*little, "size.flat-memory"));
  EXPECT_NEAR(meshVolume(little->mesh), part.volume(), 1e-9 * part.volume());
  EXPECT_NE(little->mesh.cells.size(), enough->mesh.cells.size());
  // Somebody who says stop gets no mesh, whatever else lacks.
  EXPECT_THROW(mesh([](Progress& p) { p.stop(); }), Cancelled);
  EXPECT_THROW(mesh([](Progress& p) {
                 p.stopForMemory(1000000);
                 p.stop();
               }),
               Cancelled);
}

/// A ball touches a groove of its own radius along half a circle: no triangles can follow that, and no refinement
/// helps. With a gap there is room for both.
TEST(Mesher, BodiesThatHugEachOtherAlongALineAreNamed) {
  const Part hugging = made("groove 10 10");
  ASSERT_EQ(hugging.bodies.size(), 2u);
  SizeSettings s;
  s.target = 4;
  const SizeField field = makeSizeField(hugging, {s});
  Progress progress;
  auto m = meshPart(hugging, field, {}, {1, 0}, progress);
  const Problem* found = nullptr;
  if (!m)
    found = &m.problem();
  else
    for (const auto& p : m->problems)
      if (p.severity == Severity::Error) found = &p;
  ASSERT_NE(found, nullptr);
  EXPECT_EQ(found->code, "part.touching-line");
  EXPECT_EQ(found->fault, Fault::Input);
  ASSERT_FALSE(found->places.empty());
  for (const Vec3& at : found->places) {
    EXPECT_NEAR((at - Vec3(40, 0, 0)).norm(), 10, 1e-3);
    EXPECT_NEAR(at.y(), 0, 0.1);
  }
  const MeshOutcome apart = meshOf(made("groove 10 9.9"), 4);
  for (const auto& p : apart.problems) EXPECT_NE(p.severity, Severity::Error) << p.sentence();
  EXPECT_EQ(apart.mesh.regions.size(), 2u);
}

} // namespace

TEST(Delaunay, cloudsWorkedOnByStretchesAreDelaunayEverywhere) {
  // Large enough for stretches; a part of it is a grid full of ties, a part repeats points, a part lies in a plane.
  TetCore core;
  std::mt19937 rng(5);
  std::uniform_real_distribution<double> u(0, 1);
  for (int i = 0; i < 20000; ++i) core.points.emplace_back(u(rng), u(rng), u(rng));
  for (int i = 0; i < 5000; ++i) core.points.emplace_back(u(rng), u(rng), 0);
  for (int i = 0; i < 20 * 20 * 20; ++i)
    core.points.emplace_back(2 + i % 20 * 0.05, i / 20 % 20 * 0.05, i / 400 * 0.05);
  const std::size_t distinct = core.points.size();
  for (std::size_t i = 0; i < 300; ++i) core.points.push_back(core.points[37 * i]);
  ASSERT_TRUE(core.delaunay(allOf(core)));
  EXPECT_EQ(core.liveCount(), core.tets.size());
  std::size_t used = 0;
  for (int t : core.tetOf) used += t >= 0;
  EXPECT_EQ(used, distinct);
  double volume = 0;
  for (int t = 0; t < static_cast<int>(core.tets.size()); ++t) {
    const Tet& q = core.at(t);
    for (int i = 0; i < 4; ++i) {
      const int o = q.n[i] >> 2;
      ASSERT_EQ(core.at(o).n[q.n[i] & 3], 4 * t + i);
      if (core.ghost(t)) continue;
      // Every tet is empty when the tets across its faces keep out of its sphere.
      const int far = core.at(o).v[q.n[i] & 3];
      if (far != kGhost) {
        ASSERT_LE(insphere(core.pt(q.v[0]), core.pt(q.v[1]), core.pt(q.v[2]), core.pt(q.v[3]), core.pt(far)), 0);
      }
    }
    if (!core.ghost(t)) {
      const double w = tetVolume(core.pt(q.v[0]), core.pt(q.v[1]), core.pt(q.v[2]), core.pt(q.v[3]));
      ASSERT_GE(w, 0);
      volume += w;
    }
  }
  EXPECT_GT(volume, 1.9); // two unit cubes, less the rim of the random one, and what spans between them
  EXPECT_LT(volume, 3);
}

TEST(Delaunay, threadsChangeNothing) {
  TetCore a, b;
  std::mt19937 rng(6);
  std::normal_distribution<double> u;
  for (int i = 0; i < 30000; ++i) a.points.emplace_back(u(rng), u(rng), u(rng) * 0.01);
  b.points = a.points;
  ASSERT_TRUE(a.delaunay(allOf(a)));
  {
    tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
    ASSERT_TRUE(b.delaunay(allOf(b)));
  }
  ASSERT_EQ(a.tets.size(), b.tets.size());
  EXPECT_EQ(std::memcmp(a.tets.data(), b.tets.data(), a.tets.size() * sizeof(Tet)), 0);
}

TEST(Delaunay, coordinatesOfAnySizeGiveTheSameTets) {
  // The bound of the quick test must hold, or give up, at every scale.
  TetCore a;
  std::mt19937 rng(7);
  std::uniform_int_distribution<int> u(0, 4000);
  for (int i = 0; i < 1500; ++i) a.points.emplace_back(u(rng), u(rng), u(rng) / 500);
  ASSERT_TRUE(a.delaunay(allOf(a)));
  const auto expected = sortedTets(a);
  for (int power : {-90, -40, 40, 90}) {
    TetCore b;
    for (const auto& p : a.points) b.points.push_back(p * std::ldexp(1.0, power));
    ASSERT_TRUE(b.delaunay(allOf(b)));
    EXPECT_EQ(sortedTets(b), expected) << power;
  }
}

TEST(Delaunay, nearTiesAndPointsFarCloserThanOthersAreDecidedRightly) {
  // Single precision sees points within 1e-7 of a sphere as on it, and clusters a billionth as wide as the cloud as
  // points: what it cannot tell it must not decide.
  std::mt19937 rng(11);
  std::normal_distribution<double> u;
  std::uniform_real_distribution<double> exponent(-11, -4);
  TetCore core;
  for (int i = 0; i < 3000; ++i) {
    const Vec3 d = Vec3(u(rng), u(rng), u(rng)).normalized();
    core.points.push_back(Vec3(100, 50, -20) + d * (1 + u(rng) * std::pow(10, exponent(rng))));
  }
  for (int cluster = 0; cluster < 12; ++cluster) {
    const Vec3 middle(u(rng), u(rng), u(rng));
    for (int i = 0; i < 120; ++i) core.points.push_back(middle + Vec3(u(rng), u(rng), u(rng)) * std::pow(10, -cluster));
  }
  ASSERT_TRUE(core.delaunay(allOf(core)));
  std::size_t used = 0;
  for (int t : core.tetOf) used += t >= 0;
  EXPECT_GT(used, core.points.size() - 120); // those of the narrowest cluster may be the same
  for (int t = 0; t < static_cast<int>(core.tets.size()); ++t) {
    if (core.ghost(t)) continue;
    const Tet& q = core.at(t);
    ASSERT_GE(orient3d(core.pt(q.v[0]), core.pt(q.v[1]), core.pt(q.v[2]), core.pt(q.v[3])), 0);
    for (int i = 0; i < 4; ++i)
      if (const int far = core.at(q.n[i] >> 2).v[q.n[i] & 3]; far != kGhost) {
        ASSERT_LE(insphere(core.pt(q.v[0]), core.pt(q.v[1]), core.pt(q.v[2]), core.pt(q.v[3]), core.pt(far)), 0);
      }
  }
}

TEST(Delaunay, pointsInAPlaneAreRefused) {
  TetCore core;
  std::vector<int> which;
  for (int i = 0; i < 20; ++i) {
    core.points.emplace_back(i % 5, i / 5, 2);
    which.push_back(i);
  }
  EXPECT_FALSE(core.delaunay(which));
}

TEST(Crossing, foldsAndPiercingsAreFoundNeighboursAreNot) {
  std::vector<Vec3> p = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {1, 1, 0}, {0.3, 0.3, -1}, {0.3, 0.3, 1}, {5, 5, 0}};
  EXPECT_TRUE(findCrossings(p, {{0, 1, 2}, {1, 3, 2}}).empty());
  EXPECT_EQ(findCrossings(p, {{0, 1, 2}, {4, 5, 6}}).size(), 1u);
  std::vector<Vec3> folded = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0.4, 0.4, 0}};
  EXPECT_EQ(findCrossings(folded, {{0, 1, 2}, {0, 3, 1}}).size(), 1u);
  std::vector<Vec3> line = {{0, 0, 0}, {1, 0, 0}, {0.5, 1, 0}, {2, 0, 0}, {3, 0, 0}, {2.5, 1, 0}};
  EXPECT_TRUE(findCrossings(line, {{0, 1, 2}, {3, 4, 5}}).empty());
}

TEST(Crossing, onlyPairsWithAChangedTriangleAreLookedAt) {
  std::vector<Vec3> p{{0, 0, 0}, {2, 0, 0}, {0, 2, 0}, {0.5, 0.5, -1}, {0.5, 0.5, 1}, {0.6, 0.4, 1}};
  const std::vector<std::array<int, 3>> t{{0, 1, 2}, {3, 4, 5}};
  for (int only : {0, 1}) { // the pair is found once, whichever of the two changed
    std::vector<char> changed{static_cast<char>(only == 0), static_cast<char>(only == 1)};
    EXPECT_EQ(findCrossings(p, t, 10, nullptr, changed).size(), 1u);
  }
  EXPECT_TRUE(findCrossings(p, t, 10, nullptr, {0, 0}).empty());
}

TEST(TetMesh, pointsAddedToTheSurfaceAreTakenIntoTheTetsThatAreThere) {
  Part part = made("drilled 3.5");
  SizeSettings s;
  s.target = 2;
  Progress progress;
  auto r = meshSurface(part, makeSizeField(part, {s}), MeshPlan{}, progress);
  ASSERT_TRUE(r.ok());
  SurfaceMesh m = r->mesh;
  TetCore core, bare;
  ASSERT_TRUE(recoverBoundary(core, bare, m, progress).ok());
  auto hull = [](const TetCore& c) {
    double v = 0;
    for (int t = 0; t < static_cast<int>(c.tets.size()); ++t) {
      if (!c.solid(t)) continue;
      const int* q = c.at(t).v;
      double six = orient3d(c.pt(q[0]), c.pt(q[1]), c.pt(q[2]), c.pt(q[3]));
      EXPECT_GT(six, 0);
      v += six / 6;
    }
    return v;
  };
  const double before = hull(bare);
  const std::size_t points = m.points.size();
  std::vector<std::array<int, 2>> edges;
  for (std::size_t t = 0; t < m.triangles.size(); t += 40) edges.push_back({m.triangles[t][0], m.triangles[t][1]});
  const int split = splitSurfaceEdges(m, edges, part);
  ASSERT_GT(split, 5);
  auto again = recoverBoundary(core, bare, m, progress);
  ASSERT_TRUE(again.ok());
  EXPECT_TRUE(again->complete());
  EXPECT_EQ(bare.points.size(), points + static_cast<std::size_t>(split) + 8);
  EXPECT_NEAR(hull(bare), before, 1e-9 * before);
  EXPECT_NEAR(hull(core), before, 1e-9 * before);
  for (std::size_t v = 0; v < bare.points.size(); ++v) EXPECT_GE(bare.indexOf(bare.tetOf[v], static_cast<int>(v)), 0);
}

TEST(TetMesh, analyticShapesAreFilledExactly) {
  for (const auto& s : kShapes) {
    Part part = made(s.recipe);
    auto m = meshOf(part, s.size);
    expectSound(m.mesh);
    // The chords of curved faces cost volume: of order (h / r)^2.
    EXPECT_NEAR(meshVolume(m.mesh) / s.volume, 1, 0.025) << s.recipe;
    auto metrics = computeMetrics(m.mesh);
    EXPECT_GT(metrics[static_cast<std::size_t>(Metric::MinDihedral)].min, 15) << s.recipe;
  }
}

TEST(TetMesh, order2VolumeAndAreaConverge) {
  for (const auto& s : kShapes) {
    Part part = made(s.recipe);
    double error[2];
    int k = 0;
    for (double f : {1.0, 0.5}) {
      auto m = meshOf(part, s.size * f, 2);
      expectSound(m.mesh);
      error[k++] = std::abs(meshVolume(m.mesh) / s.volume - 1);
      EXPECT_NEAR(surfaceArea(m.mesh) / s.area, 1, 2e-3) << s.recipe;
    }
    EXPECT_LT(error[0], 1e-3) << s.recipe;
    EXPECT_LT(error[1], std::max(error[0] / 4, 1e-9)) << s.recipe;
  }
}

TEST(TetMesh, quadraticElementsAreValidEverywhere) {
  Part part = made("torus 10 3");
  auto m = meshOf(part, 2.5, 2);
  double lo = 1;
  for (std::size_t c = 0; c < m.mesh.cells.size(); ++c) {
    std::array<Vec3, 10> p;
    for (std::size_t i = 0; i < 10; ++i) p[i] = m.mesh.nodes[static_cast<std::size_t>(m.mesh.cells.of(c)[i])];
    lo = std::min(lo, quadraticValidity(p));
  }
  EXPECT_GT(lo, 0);
}

TEST(TetMesh, bernsteinBoundSeesAnInvertedQuadraticTet) {
  std::array<Vec3, 10> p{Vec3(0, 0, 0), Vec3(1, 0, 0), Vec3(0, 1, 0), Vec3(0, 0, 1)};
  const auto& e = topology(ElementType::Tet10).edge;
  for (std::size_t k = 0; k < 6; ++k)
    p[4 + k] = 0.5 * (p[static_cast<std::size_t>(e[k][0])] + p[static_cast<std::size_t>(e[k][1])]);
  EXPECT_NEAR(quadraticValidity(p), 1, 1e-12);
  p[4] += Vec3(0, 0.6, 0.6);
  EXPECT_LT(quadraticValidity(p), 0);
}

TEST(TetMesh, edgeLengthsMeanWhatTheTargetSays) {
  for (const char* recipe : {"box 10 10 10", "sphere 6"}) {
    Part part = made(recipe);
    const double h = 0.9;
    auto m = meshOf(part, h, 1, 0, 0);
    std::vector<double> l;
    std::map<std::pair<int, int>, bool> seen;
    for (std::size_t c = 0; c < m.mesh.cells.size(); ++c)
      for (const auto& e : kTetEdge) {
        int a = m.mesh.cells.of(c)[static_cast<std::size_t>(e[0])],
            b = m.mesh.cells.of(c)[static_cast<std::size_t>(e[1])];
        if (!seen.emplace(std::minmax(a, b), true).second) continue;
        l.push_back((m.mesh.nodes[static_cast<std::size_t>(a)] - m.mesh.nodes[static_cast<std::size_t>(b)]).norm() / h);
      }
    std::sort(l.begin(), l.end());
    EXPECT_NEAR(l[l.size() / 2], 1, 0.1) << recipe;
    auto inside = std::count_if(l.begin(), l.end(), [](double x) { return x >= 0.6 && x <= 1.5; });
    EXPECT_GT(static_cast<double>(inside) / static_cast<double>(l.size()), 0.95) << recipe;
  }
}

TEST(TetMesh, touchingBodiesShareNodesAndFillTheirOwnSpace) {
  Part part = made("boxes 3");
  auto m = meshOf(part, 0.25);
  expectSound(m.mesh);
  std::vector<double> v(3, 0);
  for (std::size_t c = 0; c < m.mesh.cells.size(); ++c)
    v[static_cast<std::size_t>(m.mesh.cellRegion[c])] += cellVolume(m.mesh, c);
  for (double x : v) EXPECT_NEAR(x, 1, 1e-9);
  double interface = 0;
  for (std::size_t f = 0; f < m.mesh.faces.size(); ++f)
    if (m.mesh.faceRegions[f][0] >= 0 && m.mesh.faceRegions[f][1] >= 0) interface += faceArea(m.mesh, f);
  EXPECT_NEAR(interface, 2, 1e-9);
}

TEST(TetMesh, overlappingAndPartlyTouchingBodiesAreFilledOnce) {
  for (const char* recipe : {"overlap 0", "overlap 0.5"}) {
    Part part = made(recipe);
    auto m = meshOf(part, 0.25);
    expectSound(m.mesh);
    EXPECT_NEAR(meshVolume(m.mesh), part.volume(), 1e-9) << recipe;
    std::set<int> regions(m.mesh.cellRegion.begin(), m.mesh.cellRegion.end());
    EXPECT_EQ(regions.size(), 2u) << recipe;
  }
}

TEST(TetMesh, cavityStaysEmpty) {
  Part part = made("shell 10 2");
  auto m = meshOf(part, 1.5);
  expectSound(m.mesh);
  EXPECT_NEAR(meshVolume(m.mesh), 1000 - 216, 1e-6);
}

TEST(TetMesh, sameMeshForOneAndTwoThreads) {
  auto part = loadPart(demo("saddle-clamp.step"));
  ASSERT_TRUE(part.ok());
  auto a = meshOf(*part, 3, 2, 1), b = meshOf(*part, 3, 2, 2);
  ASSERT_EQ(a.mesh.nodes.size(), b.mesh.nodes.size());
  for (std::size_t i = 0; i < a.mesh.nodes.size(); ++i) ASSERT_EQ(a.mesh.nodes[i], b.mesh.nodes[i]);
  EXPECT_EQ(a.mesh.cells.nodes, b.mesh.cells.nodes);
  EXPECT_EQ(a.mesh.faceLink, b.mesh.faceLink);
}

TEST(TetMesh, facetPartIsRemeshedToTheSize) {
  auto part = loadPart(demo("saddle-clamp.stl"));
  ASSERT_TRUE(part.ok());
  auto m = meshOf(*part, 3);
  expectSound(m.mesh);
  EXPECT_NEAR(meshVolume(m.mesh) / part->volume(), 1, 0.005);
  // None of the long thin input facets survives.
  auto metrics = computeMetrics(m.mesh);
  EXPECT_LT(metrics[static_cast<std::size_t>(Metric::AspectRatio)].max, 12);
}

TEST(TetMesh, stopAnswersAndThrowsCancelled) {
  auto part = loadPart(demo("keel-bracket.step"));
  ASSERT_TRUE(part.ok());
  SizeSettings s;
  s.target = 1.2;
  SizeField f = makeSizeField(*part, {s});
  for (const char* stage : {"Surface", "Filling", "Points inside", "Improving"}) {
    Progress progress;
    std::string want = stage;
    progress.onProgress = [&](const std::string& name, double) {
      if (name == want) progress.stop();
    };
    EXPECT_THROW((void)meshPart(*part, f, {}, {1, 0}, progress), Cancelled) << stage;
  }
}

TEST(Surface, crossedHolesNeverFoldWhateverTheSize) {
  Part part = made("drilled 3.5");
  for (double size : {5.0, 2.5, 0.9})
    for (double turn : {0.0, 60.0, 20.0}) {
      SizeSettings s;
      s.target = size;
      s.turnDeg = turn;
      Progress progress;
      auto r = meshSurface(part, makeSizeField(part, {s}), MeshPlan{}, progress);
      ASSERT_TRUE(r.ok()) << size << " " << turn << ": " << r.problem().sentence();
      const SurfaceMesh& m = r->mesh;
      double volume = 0;
      int turned = 0;
      for (std::size_t i = 0; i < m.triangles.size(); ++i) {
        const auto& q = m.triangles[i];
        const Vec3 &a = m.points[static_cast<std::size_t>(q[0])], &b = m.points[static_cast<std::size_t>(q[1])],
                   &c = m.points[static_cast<std::size_t>(q[2])];
        volume += a.dot(b.cross(c)) / 6;
        turned += triangleNormal(a, b, c).dot(part.shape->projectToFace(m.face[i], (a + b + c) / 3).normal) < 0;
      }
      EXPECT_EQ(turned, 0) << size << " " << turn;
      EXPECT_TRUE(findCrossings(m.points, m.triangles).empty());
      EXPECT_NEAR(volume, part.volume(), (turn == 20.0 ? 0.02 : 0.12) * part.volume()) << size << " " << turn;
    }
}

TEST(Surface, chainsOfBridgedNodesStayWithinTheToleranceAsAWhole) {
  // Nodes far closer than what is bridged, all along one edge and wider apart towards its end: shortest first, each
  // could go into the next one, to the end.
  const Part part = made("box 10 8 6");
  SizeSettings s;
  s.target = 2;
  s.bridging.tolerance = 0.1;
  const SizeField size = makeSizeField(part, {s});
  EdgeDivision fine;
  fine.divisions = 400;
  fine.finest = {0};
  fine.ratio = 3;
  MeshPlan plan;
  plan.bridging = s.bridging;
  plan.divisions = EdgeDivisions({{0, fine}});
  Progress progress;
  auto r = meshSurface(part, size, plan, progress);
  ASSERT_TRUE(r.ok()) << r.problem().sentence();
  EXPECT_GT(r->bridged.merged, 100);
  EXPECT_LE(r->bridged.moved, 2 * 0.1);
  const auto& chain = r->mesh.edgeNodes[0];
  for (std::size_t i = 0; i + 1 < chain.size(); ++i)
    EXPECT_LT(
        (r->mesh.points[static_cast<std::size_t>(chain[i])] - r->mesh.points[static_cast<std::size_t>(chain[i + 1])])
            .norm(),
        5 * 0.1);
}

TEST(Surface, narrowFaceIsBridgedUnlessItIsKept) {
  Part part = made("step 0.004");
  int narrow = 0;
  for (const auto& f : part.faces) narrow += f.area < 0.1;
  ASSERT_GT(narrow, 0);
  SizeSettings s;
  s.target = 1;
  s.bridging.tolerance = -1;
  Progress progress;
  auto onNarrow = [&](const Mesh& m) {
    int n = 0;
    for (int f : m.faceLink) n += part.faces[static_cast<std::size_t>(f)].area < 0.1;
    return n;
  };
  auto bridged = meshPart(part, makeSizeField(part, {s}), meshWishes({s}), {}, progress);
  ASSERT_TRUE(bridged.ok()) << bridged.problem().sentence();
  expectSound(bridged->mesh);
  EXPECT_EQ(onNarrow(bridged->mesh), 0);
  EXPECT_GT(computeMetrics(bridged->mesh)[static_cast<std::size_t>(Metric::MinDihedral)].min, 10);
  EXPECT_NEAR(meshVolume(bridged->mesh), part.volume(), 24 * 0.004 + 1e-9);
  bool noted = false;
  for (const auto& p : bridged->problems) noted = noted || (p.code == "surface.bridged" && !p.places.empty());
  EXPECT_TRUE(noted);

  s.bridging.keepFace.assign(part.faces.size(), 1); // as when groups name the faces
  auto kept = meshPart(part, makeSizeField(part, {s}), meshWishes({s}), {}, progress);
  ASSERT_TRUE(kept.ok()) << kept.problem().sentence();
  EXPECT_GT(onNarrow(kept->mesh), 0);
  s.bridging = {};
  auto never = meshPart(part, makeSizeField(part, {s}), meshWishes({s}), {}, progress);
  ASSERT_TRUE(never.ok()) << never.problem().sentence();
  EXPECT_GT(onNarrow(never->mesh), 0);
  EXPECT_NEAR(meshVolume(never->mesh), part.volume(), 1e-9 * part.volume()); // plane faces: exact
}

TEST(Surface, slitWithNarrowRimsKeepsItsTwoSides) {
  // Floor, roof and end of the slit are far narrower than the size. Bridged, its sides have all nodes of their rims in
  // common; without nodes of their own in between they would fall together and weld the slit.
  for (double width : {0.004, 0.012})
    for (double size : {1.3, 2.5, 5.0}) {
      SCOPED_TRACE(std::to_string(width) + " at " + std::to_string(size));
      Part part = made("slit " + std::to_string(width));
      SizeSettings s;
      s.target = size;
      s.bridging.tolerance = -1;
      Progress progress;
      auto out = meshPart(part, makeSizeField(part, {s}), meshWishes({s}), {}, progress);
      ASSERT_TRUE(out.ok()) << out.problem().sentence();
      expectSound(out->mesh);
      EXPECT_GT(computeMetrics(out->mesh)[static_cast<std::size_t>(Metric::MinDihedral)].min, 10);
      EXPECT_NEAR(meshVolume(out->mesh), 960, 0.5); // the slit's and what bridging moves
      double sides = 0;
      for (std::size_t f = 0; f < out->mesh.faces.size(); ++f)
        if (std::abs(part.faces[static_cast<std::size_t>(out->mesh.faceLink[f])].area - 20) < 0.2)
          sides += faceArea(out->mesh, f);
      EXPECT_NEAR(sides, 40, 0.5);
    }
}

TEST(Surface, thinWallIsNotBridged) {
  // The wall is thinner than the tolerance; bringing its sides together would leave no material.
  Part part = made("box 10 10 0.01");
  SizeSettings s;
  s.target = 1;
  s.slender = 0;
  s.bridging.tolerance = -1;
  MeshPlan plan;
  plan.bridging = meshWishes({s}).bridging;
  Progress progress;
  auto r = meshSurface(part, makeSizeField(part, {s}), plan, progress);
  ASSERT_TRUE(r.ok()) << r.problem().sentence();
  EXPECT_EQ(r->bridged.merged, 0);
}

TEST(Size, decidingRuleAgreesWithTheFullExplanation) {
  SizeField f(5, 0.3);
  f.addPoint({0, 0, 0}, 0.5, 3);
  f.addSegment({10, 0, 0}, {10, 10, 0}, 1, 4);
  f.setBodySize(1, 2, 7);
  f.build();
  for (int i = 0; i < 200; ++i) {
    Vec3 p(0.1 * i, 0.05 * i, -0.02 * i);
    for (int body : {0, 1}) {
      auto all = f.explain(p, body);
      auto one = f.deciding(p, body);
      EXPECT_DOUBLE_EQ(one.size, all[0].size);
      EXPECT_DOUBLE_EQ(one.size, f.at(p, body));
      if (all.size() > 1 && all[1].size > all[0].size * 1.0001) {
        EXPECT_EQ(one.rule, all[0].rule);
      }
    }
  }
}

TEST(Size, fieldIsTheSmallestThatGrowsByTheRatio) {
  SizeField f(5, 0.3);
  f.addPoint({0, 0, 0}, 0.5, 3);
  f.addSegment({10, 0, 0}, {10, 10, 0}, 1, 4);
  f.build();
  EXPECT_DOUBLE_EQ(f.at({0, 0, 0}), 0.5);
  EXPECT_NEAR(f.at({0, 0, 4}), 0.5 + 0.3 * 4, 1e-12);
  EXPECT_NEAR(f.at({10, 5, 2}), 1.6, 1e-12);
  EXPECT_DOUBLE_EQ(f.at({100, 100, 100}), 5);
  auto why = f.explain({10, 5, 2});
  EXPECT_EQ(why[0].rule, 4);
  EXPECT_GT(why.size(), 1u);
}

TEST(Size, closedEdgeGetsAtLeastThreeNodes) {
  Part c = made("cylinder 1 5");
  SizeField f(100, 0.3);
  f.build();
  for (int e = 0; e < 2; ++e) EXPECT_GE(divideEdge(c, e, f, {}, 1).size() + 1, 3u);
}

TEST(Surface, aStripJustWiderThanWhatIsBridgedStaysClean) {
  // The bottom of a slot: 35 mm long and 0.0241 mm wide, where 0.0203 mm would be bridged and elements are 0.1 mm long.
  const MeshOutcome m = meshOf(made("slot 8 35 6 0.0241"), 1.015);
  const Audit audit = auditMesh(m.mesh, *limitSet("general"));
  EXPECT_GT(audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].min, 8);
  EXPECT_GT(audit.metrics[static_cast<std::size_t>(Metric::EdgeLength)].min, 0.015);
}

TEST(Surface, roundsFarNarrowerThanTheMeshStayClean) {
  // Rounds of 0.05 mm along edges of 30 mm, in elements of 1.5 mm: strips of a cylinder, 0.08 mm wide.
  const Part part = made("rounded 30 0.05");
  const MeshOutcome m = meshOf(part, 1.5);
  const Audit audit = auditMesh(m.mesh, *limitSet("general"));
  EXPECT_GT(audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].min, 8);
  EXPECT_GT(audit.metrics[static_cast<std::size_t>(Metric::EdgeLength)].min, 0.01);
  EXPECT_NEAR(audit.volume, 27000 - (1 - kPi / 4) * 0.05 * 0.05 * 12 * 30, 0.27); // one chord across each
  // Where the strips are so fine, they hold some thousand triangles, not a hundred thousand.
  std::size_t onRounds = 0;
  for (std::size_t f = 0; f < m.mesh.faces.size(); ++f)
    onRounds += part.faces[static_cast<std::size_t>(m.mesh.faceLink[f])].kind == SurfaceKind::Cylinder;
  EXPECT_LT(onRounds, 30000u);
  EXPECT_GT(onRounds, 2000u);
}

TEST(Mesher, aCreaseThatEndsInsideAFaceIsMeshedWell) {
  const Part part = roofThatFlattens();
  for (double size : {3.0, 0.7}) {
    const MeshOutcome m = meshOf(part, size);
    const Audit a = auditMesh(m.mesh, *limitSet("general"));
    EXPECT_NEAR(a.volume, part.volume(), 1e-3 * part.volume());
    EXPECT_GT(a.metrics[static_cast<std::size_t>(Metric::MinDihedral)].min, 10) << size;
    double shortest = 1e300;
    for (std::size_t f = 0; f < m.mesh.faces.size(); ++f) {
      const auto q = m.mesh.faces.of(f);
      for (std::size_t k = 0; k < 3; ++k)
        shortest = std::min(shortest, (m.mesh.nodes[static_cast<std::size_t>(q[k])] -
                                       m.mesh.nodes[static_cast<std::size_t>(q[(k + 1) % 3])])
                                          .norm());
    }
    EXPECT_GT(shortest, 0.25 * std::min(size, 2.0)) << size;
  }
}
