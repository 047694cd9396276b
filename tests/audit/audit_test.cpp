// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/places.h"
#include "support/fixtures.h"
#include <cmath>

using namespace tess;
using namespace tess::test;

namespace {
const std::vector<Vec3> kRegular = {{1, 1, 1}, {1, -1, -1}, {-1, 1, -1}, {-1, -1, 1}};
Mesh regularTet() {
  auto p = kRegular;
  if (tetVolume(p[0], p[1], p[2], p[3]) < 0) std::swap(p[0], p[1]);
  return oneCell(ElementType::Tet4, p);
}
double value(const Mesh& m, Metric k) { return computeMetrics(m)[static_cast<std::size_t>(k)].value[0]; }
} // namespace

TEST(Metrics, regularTetIsPerfect) {
  Mesh m = regularTet();
  EXPECT_NEAR(value(m, Metric::Skewness), 0, 1e-6);
  EXPECT_NEAR(value(m, Metric::AspectRatio), 1, 1e-6);
  EXPECT_NEAR(value(m, Metric::ScaledJacobian), 1, 1e-6);
  EXPECT_NEAR(value(m, Metric::MinDihedral), std::acos(1.0 / 3) * 180 / kPi, 1e-4);
  EXPECT_NEAR(value(m, Metric::MaxDihedral), std::acos(1.0 / 3) * 180 / kPi, 1e-4);
  EXPECT_NEAR(value(m, Metric::HeightRatio), std::sqrt(2.0 / 3), 1e-6);
  EXPECT_NEAR(value(m, Metric::Volume), 8.0 / 3, 1e-5);
  EXPECT_NEAR(value(m, Metric::EdgeLength), 2 * std::sqrt(2.0), 1e-5);
}

TEST(Metrics, cornerTetHasKnownAngles) {
  Mesh m = oneCell(ElementType::Tet4, {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}});
  EXPECT_NEAR(value(m, Metric::MinDihedral), std::acos(1 / std::sqrt(3.0)) * 180 / kPi, 1e-4);
  EXPECT_NEAR(value(m, Metric::MaxDihedral), 90, 1e-4);
  EXPECT_NEAR(value(m, Metric::Skewness), 0.25, 1e-6);
}

TEST(Metrics, cubeIsPerfectAndShearIsNot) {
  std::vector<Vec3> c = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}};
  Mesh m = oneCell(ElementType::Hex8, c);
  EXPECT_NEAR(value(m, Metric::Skewness), 0, 1e-6);
  EXPECT_NEAR(value(m, Metric::ScaledJacobian), 1, 1e-6);
  EXPECT_NEAR(value(m, Metric::Volume), 1, 1e-6);
  for (std::size_t i = 4; i < 8; ++i) c[i].x() += 1;
  Mesh s = oneCell(ElementType::Hex8, c);
  EXPECT_NEAR(value(s, Metric::ScaledJacobian), std::sqrt(0.5), 1e-5);
  EXPECT_NEAR(value(s, Metric::Volume), 1, 1e-6);
}

TEST(Metrics, doNotChangeWithPlaceScaleOrNumbering) {
  std::vector<Vec3> p = {{0, 0, 0}, {2, 0.1, 0}, {0.3, 1.5, 0.2}, {0.5, 0.4, 1.1}};
  auto base = computeMetrics(oneCell(ElementType::Tet4, p));
  std::vector<Vec3> q;
  Eigen::AngleAxisd r(0.7, Vec3(1, 2, 3).normalized());
  for (int i : {1, 2, 0, 3})
    q.push_back(7 * (r * p[static_cast<std::size_t>(i)]) + Vec3(100, -50, 3)); // an even permutation
  auto moved = computeMetrics(oneCell(ElementType::Tet4, q));
  for (Metric k : {Metric::Skewness, Metric::AspectRatio, Metric::ScaledJacobian, Metric::MinDihedral,
                   Metric::MaxDihedral, Metric::HeightRatio})
    EXPECT_NEAR(base[static_cast<std::size_t>(k)].value[0], moved[static_cast<std::size_t>(k)].value[0],
                1e-4 * std::abs(base[static_cast<std::size_t>(k)].value[0]))
        << metricInfo(k).id;
}

TEST(Soundness, threeCellsAtOneFaceAreCounted) {
  Mesh m = oneCell(ElementType::Tet4, {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}});
  m.nodes.push_back({0, 0, -1});
  m.nodes.push_back({0.2, 0.2, -2});
  for (std::int32_t apex : {4, 5}) {
    m.cells.add(ElementType::Tet4, std::array<std::int32_t, 4>{0, 2, 1, apex});
    m.cellRegion.push_back(0);
  }
  auto n = cellNeighbours(m);
  EXPECT_EQ(n.surplus, 1u);
  EXPECT_EQ(checkSoundness(m, {}).nonConforming, 1u);
}

TEST(Soundness, stopEndsTheAudit) {
  Mesh m = oneCell(ElementType::Tet4, {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}});
  Progress p;
  p.stop();
  EXPECT_THROW(auditMesh(m, *limitSet("general"), &p), Cancelled);
}

TEST(Soundness, invertedOpenAndUnusedAreSeen) {
  Mesh m = regularTet();
  EXPECT_TRUE(checkSoundness(m, {}).sound());
  Mesh inverted = m;
  std::swap(inverted.cells.nodes[0], inverted.cells.nodes[1]);
  EXPECT_EQ(checkSoundness(inverted, {}).inverted, 1u);
  Mesh extra = m;
  extra.nodes.emplace_back(9, 9, 9);
  EXPECT_EQ(checkSoundness(extra, {}).unusedNodes, 1u);
  Mesh twice = m;
  twice.cells.add(ElementType::Tet4, m.cells.of(0));
  twice.cellRegion.push_back(0);
  EXPECT_EQ(checkSoundness(twice, {}).duplicateCells, 1u);
}

TEST(Verdict, strengthRefusesLinearTets) {
  Mesh m = regularTet();
  Audit a = auditMesh(m, *limitSet("strength"));
  EXPECT_FALSE(a.pass);
  EXPECT_EQ(a.notAllowedCells, 1u);
  EXPECT_TRUE(auditMesh(m, *limitSet("general")).pass);
  EXPECT_TRUE(auditMesh(m, *limitSet("flow")).pass);
}

TEST(Verdict, failingElementsAreCountedPerLimit) {
  Mesh m = oneCell(ElementType::Tet4, {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0.3, 0.3, 0.02}});
  Audit a = auditMesh(m, *limitSet("general"));
  EXPECT_FALSE(a.pass);
  EXPECT_EQ(a.failingCells, 1u);
  for (const auto& r : a.results)
    if (r.limit.metric == Metric::MinDihedral) {
      EXPECT_EQ(r.failing, 1u);
      EXPECT_DOUBLE_EQ(r.share, 1);
    }
}

TEST(WorstPlaces, neighboursAreOnePlace) {
  // A sound block with two far corners spoilt: two places, the worse one first.
  Mesh m = meshOf(made("box 8 2 2"), 0.5).mesh;
  auto squeeze = [&](const Vec3& at, double by) {
    std::size_t near = 0;
    for (std::size_t n = 0; n < m.nodes.size(); ++n)
      if (m.nodeLink[n].dim == 3 && (m.nodes[n] - at).norm() < (m.nodes[near] - at).norm()) near = n;
    for (std::size_t c = 0; c < m.cells.size(); ++c) {
      auto q = m.cells.of(c);
      for (std::size_t i = 0; i < 4; ++i)
        if (static_cast<std::size_t>(q[i]) == near) { // towards the opposite face
          Vec3 mid = Vec3::Zero();
          for (std::size_t k = 0; k < 4; ++k)
            if (k != i) mid += m.nodes[static_cast<std::size_t>(q[k])] / 3;
          m.nodes[near] += by * (mid - m.nodes[near]);
          return;
        }
    }
  };
  squeeze(Vec3(0.8, 1, 1), 0.93);
  squeeze(Vec3(7.2, 1, 1), 0.95);
  Audit a = auditMesh(m, *limitSet("general"), nullptr);
  auto places = worstPlaces(m, a, Metric::MinDihedral);
  ASSERT_GE(places.size(), 2u);
  EXPECT_EQ(places[0].worst, a.metrics[static_cast<std::size_t>(Metric::MinDihedral)].worst[0]);
  bool left = false, right = false;
  for (const auto& p : places) left = left || p.at.x() < 2, right = right || p.at.x() > 6;
  EXPECT_TRUE(left && right);
  std::size_t cells = 0;
  std::set<std::int32_t> all;
  for (std::size_t i = 0; i < places.size(); ++i) {
    cells += places[i].cells.size();
    all.insert(places[i].cells.begin(), places[i].cells.end());
    if (i) {
      EXPECT_GE(places[i].value, places[i - 1].value);
      EXPECT_GT((places[i].at - places[0].at).norm(), 0.5);
    }
  }
  EXPECT_EQ(all.size(), cells); // no cell in two places
}
