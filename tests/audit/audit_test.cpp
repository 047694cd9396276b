// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/places.h"
#include "support/fixtures.h"
#include <cmath>
#include <map>
#include <numeric>
#include <random>
#include <set>

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
  EXPECT_NEAR(value(m, Metric::VolumeSkewness), 0, 1e-6);
  EXPECT_NEAR(value(m, Metric::MinFaceAngle), 60, 1e-4);
  EXPECT_NEAR(value(m, Metric::MaxFaceAngle), 60, 1e-4);
  EXPECT_NEAR(value(m, Metric::NonOrthogonality), 0, 1e-4);
  EXPECT_NEAR(value(m, Metric::JacobianRatio), 1, 1e-6);
}

TEST(Metrics, cornerTetHasKnownAngles) {
  Mesh m = oneCell(ElementType::Tet4, {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}});
  EXPECT_NEAR(value(m, Metric::MinDihedral), std::acos(1 / std::sqrt(3.0)) * 180 / kPi, 1e-4);
  EXPECT_NEAR(value(m, Metric::MaxDihedral), 90, 1e-4);
  EXPECT_NEAR(value(m, Metric::Skewness), 0.25, 1e-6);
  EXPECT_NEAR(value(m, Metric::MinFaceAngle), 45, 1e-4);
  EXPECT_NEAR(value(m, Metric::MaxFaceAngle), 90, 1e-4);
  // Circumradius sqrt(3) / 2, volume 1 / 6: a third of the regular one's volume.
  EXPECT_NEAR(value(m, Metric::VolumeSkewness), 1 - (1.0 / 6) / (8 * std::sqrt(3.0) / 27 * std::pow(0.75, 1.5)), 1e-6);
  // From the centre (1/4, 1/4, 1/4) to the middle (1/3, 1/3, 0) of a face in the plane z = 0.
  EXPECT_NEAR(value(m, Metric::NonOrthogonality), std::atan2(std::sqrt(2.0) / 12, 0.25) * 180 / kPi, 1e-4);
}

TEST(Metrics, cubeIsPerfectAndShearIsNot) {
  std::vector<Vec3> c = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}};
  Mesh m = oneCell(ElementType::Hex8, c);
  EXPECT_NEAR(value(m, Metric::Skewness), 0, 1e-6);
  EXPECT_NEAR(value(m, Metric::ScaledJacobian), 1, 1e-6);
  EXPECT_NEAR(value(m, Metric::Volume), 1, 1e-6);
  EXPECT_NEAR(value(m, Metric::Warpage), 0, 1e-4);
  EXPECT_NEAR(value(m, Metric::Taper), 1, 1e-6);
  EXPECT_NEAR(value(m, Metric::JacobianRatio), 1, 1e-6);
  EXPECT_NEAR(value(m, Metric::NonOrthogonality), 0, 1e-4);
  auto bent = c;
  bent[6].z() += 0.5; // one corner of the top
  Mesh b = oneCell(ElementType::Hex8, bent);
  EXPECT_NEAR(value(b, Metric::JacobianRatio), 1 / 1.5, 1e-5);
  EXPECT_GT(value(b, Metric::Warpage), 20);
  EXPECT_LT(value(b, Metric::Taper), 0.95);
  auto tapered = c; // the top's side at y = 1 shrinks to a half
  tapered[6].x() = 0.75, tapered[7].x() = 0.25;
  // The trapezium's corner triangles have a half and a quarter, its area is three quarters.
  EXPECT_NEAR(value(oneCell(ElementType::Hex8, tapered), Metric::Taper), 0.25 / 0.375, 1e-5);
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
                   Metric::MaxDihedral, Metric::HeightRatio, Metric::VolumeSkewness, Metric::MinFaceAngle,
                   Metric::MaxFaceAngle, Metric::NonOrthogonality, Metric::JacobianRatio})
    EXPECT_NEAR(base[static_cast<std::size_t>(k)].value[0], moved[static_cast<std::size_t>(k)].value[0],
                1e-4 * std::abs(base[static_cast<std::size_t>(k)].value[0]))
        << metricInfo(k).id;
}

TEST(Metrics, sizeChangeIsThatOfTheWorstNeighbourLargerOrSmaller) {
  // A tet of height 1 between one of height 4 below it and a low one beside it; nothing else has a neighbour.
  Mesh m = oneCell(ElementType::Tet4, {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}});
  auto change = [&](std::size_t c) { return computeMetrics(m)[static_cast<std::size_t>(Metric::SizeChange)].value[c]; };
  auto add = [&](const Vec3& apex, std::array<std::int32_t, 3> base) {
    m.nodes.push_back(apex);
    m.cells.add(ElementType::Tet4,
                std::array<std::int32_t, 4>{base[0], base[1], base[2], static_cast<std::int32_t>(m.nodes.size()) - 1});
    m.cellRegion.push_back(0);
  };
  const double corner = (3 + 3 * std::sqrt(2.0)) / 6, tall = (2 + std::sqrt(2.0) + 4 + 2 * std::sqrt(17.0)) / 6,
               low = (2 + std::sqrt(2.0) + 0.1 + 2 * std::sqrt(1.01)) / 6;
  EXPECT_FLOAT_EQ(change(0), 1);
  add({0, -0.1, 0}, {0, 1, 3});
  EXPECT_NEAR(change(0), corner / low, 1e-6);
  EXPECT_NEAR(change(1), corner / low, 1e-6);
  add({0, 0, -4}, {0, 2, 1});
  EXPECT_NEAR(change(0), tall / corner, 1e-6);
  EXPECT_NEAR(change(1), corner / low, 1e-6);
  EXPECT_NEAR(change(2), tall / corner, 1e-6);
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
  const Soundness s = checkSoundness(m);
  EXPECT_EQ(s.nonConforming, 1u);
  EXPECT_EQ(s.openEdges, 3u); // what is left of the third cell's faces does not close
  ASSERT_GE(s.flaws.size(), 2u);
  for (const auto& f : s.flaws) EXPECT_FALSE(f.places.empty()) << f.what;
}

TEST(Neighbours, agreeWithALookAtAllFacesHoweverManyMeetAtANode) {
  // Tets of random corners share faces twice, three times and more; node 0 is in every third, far above what a bucket
  // is searched for one by one.
  std::mt19937 random(3);
  Mesh m;
  for (int k = 0; k < 40; ++k) m.nodes.emplace_back(k, k * k, k * k * k);
  std::uniform_int_distribution<std::int32_t> node(0, 39), near(0, 9);
  for (int k = 0; k < 3000; ++k) {
    std::set<std::int32_t> corners;
    if (k % 3 == 0) corners.insert(0);
    while (corners.size() < 4) corners.insert(k < 1500 ? near(random) : node(random));
    std::vector<std::int32_t> v(corners.begin(), corners.end());
    std::shuffle(v.begin(), v.end(), random);
    m.cells.add(ElementType::Tet4, v);
    m.cellRegion.push_back(0);
  }
  std::map<std::set<std::int32_t>, std::vector<std::pair<std::size_t, int>>> uses;
  const auto& t = topology(ElementType::Tet4);
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    for (int f = 0; f < 4; ++f) {
      std::set<std::int32_t> key;
      for (std::size_t i = 0; i < 3; ++i)
        key.insert(m.cells.of(c)[static_cast<std::size_t>(t.face[static_cast<std::size_t>(f)][i])]);
      uses[key].push_back({c, f});
    }
  const Neighbours n = cellNeighbours(m);
  std::size_t surplus = 0, pairs = 0;
  for (const auto& [key, list] : uses) {
    if (list.size() > 2) surplus += list.size() - 2;
    pairs += list.size() == 2;
    for (std::size_t i = 0; i < list.size(); ++i) {
      const auto wanted = list.size() < 2 ? -1 : static_cast<std::int32_t>(list[i ? 0 : 1].first);
      ASSERT_EQ(n.cell[n.start[list[i].first] + static_cast<std::uint32_t>(list[i].second)], wanted);
    }
  }
  EXPECT_EQ(n.surplus, surplus);
  EXPECT_GT(surplus, 1000u);
  EXPECT_GT(pairs, 100u);
}

TEST(Metrics, areThoseOfTheElementAloneWhateverStandsBesideIt) {
  std::mt19937 random(11);
  std::uniform_real_distribution<double> off(-0.2, 0.2);
  const std::vector<Vec3> cube = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0},
                                  {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}};
  auto cell = [&](ElementType type) {
    const std::vector<Vec3> tet = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
    std::vector<Vec3> p = type == ElementType::Tet4 ? tet : cube;
    for (auto& x : p) x += Vec3(off(random), off(random), off(random));
    return p;
  };
  Mesh all;
  std::vector<Mesh> alone;
  for (int k = 0; k < 203; ++k) { // also tets without volume, inverted ones and points
    const ElementType type = k % 5 == 2 || k % 7 == 3 ? ElementType::Hex8 : ElementType::Tet4;
    auto p = cell(type);
    if (k % 50 == 0) p[3] = (p[0] + p[1] + p[2]) / 3;
    if (k % 50 == 1) std::swap(p[0], p[1]);
    if (k == 100) std::fill(p.begin(), p.end(), p[0]);
    alone.push_back(oneCell(type, p));
    const auto first = static_cast<std::int32_t>(all.nodes.size());
    all.nodes.insert(all.nodes.end(), p.begin(), p.end());
    std::vector<std::int32_t> n(p.size());
    for (std::size_t i = 0; i < n.size(); ++i) n[i] = first + static_cast<std::int32_t>(i);
    all.cells.add(type, n);
    all.cellRegion.push_back(0);
  }
  const auto together = computeMetrics(all);
  for (std::size_t c = 0; c < alone.size(); ++c) {
    const auto single = computeMetrics(alone[c]);
    for (std::size_t k = 0; k < kMetrics; ++k) {
      const auto metric = static_cast<Metric>(k);
      ASSERT_EQ(std::isnan(single[k].value[0]), !judges(metric, all.cells.type[c]))
          << metricInfo(metric).id << " of " << c;
      if (judges(metric, all.cells.type[c]))
        EXPECT_EQ(together[k].value[c], single[k].value[0]) << metricInfo(metric).id << " of " << c;
      else
        EXPECT_TRUE(std::isnan(together[k].value[c])) << metricInfo(metric).id << " of " << c;
    }
  }
  // The worst stand in order, ties by number, as a sorting of all gives them.
  for (const auto& x : together) {
    const bool high = metricInfo(static_cast<Metric>(&x - together.data())).highIsGood;
    std::vector<std::int32_t> order;
    for (std::size_t c = 0; c < x.value.size(); ++c)
      if (!std::isnan(x.value[c])) order.push_back(static_cast<std::int32_t>(c));
    EXPECT_EQ(order.size(), x.known);
    std::stable_sort(order.begin(), order.end(), [&](auto a, auto b) {
      const float u = x.value[static_cast<std::size_t>(a)], w = x.value[static_cast<std::size_t>(b)];
      return high ? u < w : u > w;
    });
    order.resize(x.worst.size());
    EXPECT_EQ(x.worst, order);
    EXPECT_EQ(order.size(), 20u);
  }
}

TEST(Soundness, stopEndsTheAudit) {
  Mesh m = oneCell(ElementType::Tet4, {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}});
  Progress p;
  p.stop();
  EXPECT_THROW(auditMesh(m, *limitSet("general"), &p), Cancelled);
}

TEST(Soundness, invertedUnusedAndRepeatedAreSeen) {
  Mesh m = regularTet();
  EXPECT_TRUE(checkSoundness(m).sound());
  Mesh inverted = m;
  std::swap(inverted.cells.nodes[0], inverted.cells.nodes[1]);
  EXPECT_EQ(checkSoundness(inverted).inverted, 1u);
  Mesh extra = m;
  extra.nodes.emplace_back(9, 9, 9);
  EXPECT_EQ(checkSoundness(extra).unusedNodes, 1u);
  Mesh twice = m;
  twice.cells.add(ElementType::Tet4, m.cells.of(0));
  twice.cellRegion.push_back(0);
  EXPECT_EQ(checkSoundness(twice).duplicateCells, 1u);
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
  ASSERT_FALSE(a.results.empty());
  for (const auto& r : a.results)
    if (r.limit.metric == Metric::MinDihedral) {
      EXPECT_EQ(r.failing, 1u);
      EXPECT_DOUBLE_EQ(r.share, 1);
    }
}

TEST(WorstPlaces, neighboursAreOnePlace) {
  // Flat elements: two with a common face here, one far away, flatter; and a good one between them.
  Mesh m;
  auto flat = [&](double x, double height) {
    auto first = static_cast<std::int32_t>(m.nodes.size());
    for (const Vec3& p : {Vec3(0, 0, 0), Vec3(1, 0, 0), Vec3(0, 1, 0), Vec3(0.3, 0.3, height)})
      m.nodes.push_back(p + Vec3(x, 0, 0));
    m.cells.add(ElementType::Tet4, std::vector<std::int32_t>{first, first + 1, first + 2, first + 3});
    return first;
  };
  auto a = flat(0, 0.02);
  m.nodes.push_back(Vec3(0.3, 0.3, -0.03));
  m.cells.add(ElementType::Tet4,
              std::vector<std::int32_t>{a, a + 2, a + 1, static_cast<std::int32_t>(m.nodes.size()) - 1});
  flat(50, 0.8);
  flat(100, 0.01);
  m.cellRegion.assign(m.cells.size(), 0);
  m.regions = {"solid"};
  rebuildFaces(m);
  Audit audit = auditMesh(m, *limitSet("general"), nullptr);
  auto places = worstPlaces(m, audit, Metric::MinDihedral);
  ASSERT_EQ(places.size(), 2u);
  EXPECT_EQ(places[0].worst, audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].worst[0]);
  EXPECT_EQ(places[0].cells, (std::vector<std::int32_t>{3}));
  EXPECT_GT(places[0].at.x(), 99);
  EXPECT_EQ(places[1].cells, (std::vector<std::int32_t>{0, 1}));
  EXPECT_LT(places[0].value, places[1].value);
  // They lie at the outside, and a place tells of which groups it is, the one it has more of first.
  EXPECT_TRUE(places[0].atBoundary);
  EXPECT_TRUE(places[0].groups.empty());
  std::vector<std::int32_t> some, one;
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    double x = 0;
    for (auto n : m.faces.of(f)) x = std::max(x, m.nodes[static_cast<std::size_t>(n)].x());
    if (x > 99)
      some.push_back(static_cast<std::int32_t>(f));
    else if (one.empty())
      one.push_back(static_cast<std::int32_t>(f));
  }
  ASSERT_EQ(some.size(), 4u);
  m.groups = {{"tip", 2, {some[0]}}, {"all", 2, some}, {"near", 2, one}, {"nodes", 0, {0, 1, 2}}};
  places = worstPlaces(m, audit, Metric::MinDihedral);
  EXPECT_EQ(places[0].groups, (std::vector<std::string>{"all", "tip"}));
  EXPECT_EQ(places[1].groups, (std::vector<std::string>{"near"}));
  // Where nothing fails the worst ones are shown all the same.
  EXPECT_FALSE(worstPlaces(m, audit, Metric::Volume).empty());
  // An element that has no node at the boundary lies inside.
  Mesh block = meshOf(made("box 10 10 10"), 1.2).mesh;
  Audit whole = auditMesh(block, *limitSet("general"));
  std::set<std::int32_t> outside(block.faces.nodes.begin(), block.faces.nodes.end());
  ASSERT_FALSE(worstPlaces(block, whole, Metric::Skewness).empty());
  for (const auto& p : worstPlaces(block, whole, Metric::Skewness)) {
    bool touches = false;
    for (auto c : p.cells)
      for (auto n : block.cells.of(static_cast<std::size_t>(c))) touches = touches || outside.count(n);
    EXPECT_EQ(p.atBoundary, touches);
  }
}

TEST(WorstPlaces, whatFailsAllAlongThePartIsSeveral) {
  Mesh m;
  for (int i = 0; i < 60; ++i) { // each touches the next; the worst stand at 20 and 45
    const auto first = static_cast<std::int32_t>(m.nodes.size());
    const double height = 0.01 + 0.0002 * std::min(std::abs(i - 20), std::abs(i - 45) + 1);
    for (const Vec3& p : {Vec3(0, 0, 0), Vec3(1, 0, 0), Vec3(0, 1, 0), Vec3(0.3, 0.3, height)})
      m.nodes.push_back(p + Vec3(i, 0, 0));
    m.cells.add(ElementType::Tet4, std::vector<std::int32_t>{first, first + 1, first + 2, first + 3});
  }
  m.cellRegion.assign(m.cells.size(), 0);
  m.regions = {"solid"};
  rebuildFaces(m);
  const Audit audit = auditMesh(m, *limitSet("general"), nullptr);
  const auto places = worstPlaces(m, audit, Metric::MinDihedral);
  ASSERT_GE(places.size(), 3u);
  EXPECT_EQ(places[0].worst, 20);
  EXPECT_EQ(places[1].worst, 45);
  std::set<std::int32_t> all;
  ASSERT_FALSE(places.empty());
  for (std::size_t k = 0; k < places.size(); ++k) {
    all.insert(places[k].cells.begin(), places[k].cells.end());
    EXPECT_LE(places[k].cells.back() - places[k].cells.front(), 20);
    EXPECT_TRUE(std::is_sorted(places[k].cells.begin(), places[k].cells.end()));
    if (k) {
      EXPECT_LE(places[k - 1].value, places[k].value);
    }
  }
  EXPECT_EQ(all.size(), 60u) << "each is in one";
}

TEST(Audit, classesCountEveryElementOnceByItsRoomToTheLimits) {
  Mesh m = meshOf(made("cylinder 3 8"), 1.5).mesh;
  Audit a = auditMesh(m, *limitSet("general"));
  std::size_t all = 0;
  for (auto n : a.classes) all += n;
  EXPECT_EQ(all, m.cells.size());
  EXPECT_EQ(a.classes[static_cast<std::size_t>(ElementClass::Failing)], a.failingCells);
  // The only limit, at the ideal value less 10 degrees: good from 4 degrees of room on.
  LimitSet own{"own", "own", {{Metric::MinDihedral, true, 60.53, "test"}}, {}, ""};
  applyLimits(a, m, own);
  std::array<std::size_t, kElementClasses> expected{};
  for (float v : a.metrics[static_cast<std::size_t>(Metric::MinDihedral)].value)
    ++expected[v < 60.53 ? 3 : v < 62.03 ? 2 : v < 64.53 ? 1 : 0];
  EXPECT_EQ(a.classes, expected);
}
