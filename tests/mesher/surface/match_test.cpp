// SPDX-License-Identifier: GPL-3.0-or-later
// Faces across thin walls get nodes opposite each other; the surface is changed where flat tetrahedra need it.
#include "mesher/surface/surface.h"
#include "mesher/tets/max_min.h"
#include "size/opposite.h"
#include "support/fixtures.h"

using namespace tess;
using namespace tess::test;

namespace {
/// Share of the vertices inside faces that see another face within 0.15 to 0.6 of the size and have a vertex there.
double matchedShare(const Part& part, double size) {
  SizeSettings s;
  s.target = size;
  SizeField field = makeSizeField(part, {s});
  Progress progress;
  auto surface = meshSurface(part, field, MeshPlan{}, progress);
  EXPECT_TRUE(surface.ok());
  const SurfaceMesh& m = surface->mesh;
  OppositeFaces opposite(part);
  int see = 0, matched = 0;
  for (std::size_t v = 0; v < m.points.size(); ++v) {
    if (m.dim[v] != Dim::Face) continue;
    for (int body : part.faces[static_cast<std::size_t>(m.entity[v])].bodies) {
      if (body < 0) continue;
      auto hit = opposite.cast(m.entity[v], m.points[v], body, 0.6 * size);
      if (!hit.found() || hit.face == m.entity[v] || hit.distance < 0.15 * size) continue;
      ++see;
      double best = size;
      for (std::size_t w = 0; w < m.points.size(); ++w)
        if (w != v) best = std::min(best, (m.points[w] - hit.at).norm());
      matched += best < 0.05 * size;
    }
  }
  EXPECT_GT(see, 20);
  return see ? static_cast<double>(matched) / see : 0;
}
} // namespace

TEST(MatchedFaces, nodesStandOppositeEachOtherAcrossThinWalls) {
  // A plate 1.6 thick and a tube with a wall of 2, at elements several times longer.
  EXPECT_GT(matchedShare(made("box 40 30 1.6"), 6), 0.9);
  EXPECT_GT(matchedShare(made("tube 20 18 30"), 5), 0.8);
}

TEST(MatchedFaces, thinPlateHasNoFlatElements) {
  for (double size : {4.0, 6.0, 8.0}) {
    auto m = meshOf(made("box 40 30 1.6"), size).mesh;
    auto angle = computeMetrics(m)[static_cast<std::size_t>(Metric::MinDihedral)];
    EXPECT_GT(angle.min, 8) << "size " << size;
    EXPECT_NEAR(meshVolume(m), made("box 40 30 1.6").volume(), 1e-6 * meshVolume(m));
  }
}

TEST(RaiseSmallest, climbsRidgesThatAxesDoNotFollow) {
  // Two planes whose ridge runs along (1, 1, 0) upwards: every step along an axis lowers one of them.
  auto values = [](const Vec3& p, std::vector<double>& out) {
    out = {0.01 * (p.x() + p.y()) + (p.x() - p.y()), 0.01 * (p.x() + p.y()) - (p.x() - p.y())};
  };
  Vec3 p = Vec3::Zero();
  double w = raiseSmallest(
      p, 1.0, values, [](const Vec3& x) { return x; }, [](const Vec3& x) { return x.norm() < 5; }, 20);
  EXPECT_GT(w, 0.03);
  EXPECT_NEAR(p.x(), p.y(), 1e-6);
}

TEST(RaiseSmallest, leastNormIsZeroInsideTheHull) {
  EXPECT_NEAR(leastNorm({{1, 0, 0}, {-1, 0.5, 0}, {0, -1, 0}}).norm(), 0, 0.02);
  EXPECT_NEAR(leastNorm({{2, 1, 0}, {2, -1, 0}}).x(), 2, 1e-6);
}
