// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/metrics.h"
#include "mesh/through.h"
#include "mesher/edges/edge_division.h"
#include "size/thickness.h"
#include "support/fixtures.h"
#include "support/narrow_corner.h"
#include "support/roof.h"
#include <cmath>
#include <random>

using namespace tess;
using namespace tess::test;

namespace {

ThroughSize through(int count, double floor = 0) {
  ThroughSize t;
  t.count = count;
  t.floor = floor;
  t.rule = 0;
  return t;
}
SizeRequest overall(double target) {
  SizeRequest r;
  r.overall.target = target;
  return r;
}
Mesh meshWith(const Part& part, const SizeRequest& request) {
  Progress progress;
  auto m = meshPart(part, makeSizeField(part, request), meshWishes(request), {}, progress);
  EXPECT_TRUE(m.ok()) << (m.ok() ? "" : m.problem().sentence());
  return m->mesh;
}
/// Nodes on an edge, its ends included, by their distance from the start.
std::vector<double> lengthsAlong(const Mesh& m, const Part& part, int edge) {
  const auto& e = part.edges[static_cast<std::size_t>(edge)];
  Vec3 start = part.points[static_cast<std::size_t>(e.points[0])].at;
  std::vector<double> at{0, e.length};
  for (std::size_t n = 0; n < m.nodes.size(); ++n)
    if (m.nodeLink[n].dim == 1 && m.nodeLink[n].entity == edge) at.push_back((m.nodes[n] - start).norm());
  std::sort(at.begin(), at.end());
  std::vector<double> l;
  for (std::size_t i = 1; i < at.size(); ++i) l.push_back(at[i] - at[i - 1]);
  return l;
}

} // namespace

class ThroughWalls : public ::testing::TestWithParam<std::tuple<std::string, double, int>> {};
TEST_P(ThroughWalls, ReachTheCountOnNearlyAllOfTheThinArea) {
  auto [recipe, target, count] = GetParam();
  Part part = made(recipe);
  SizeRequest r = overall(target);
  r.through.push_back(through(count, 0.05));
  Mesh m = meshWith(part, r);
  auto faces = countThrough(m, count);
  std::erase_if(faces, [&](const ThroughFace& f) { return f.thickness < 0.05 * count; });
  auto report = throughReport(m, faces, count);
  // Both sides of the wall are thin, and only they.
  EXPECT_GT(report.thinArea, 0.6 * part.surfaceArea());
  EXPECT_GE(report.share(), 0.99);
  double sum = 0;
  for (double a : report.areaByCount) sum += a;
  EXPECT_NEAR(sum, report.thinArea, 1e-9 * sum);
  // Without the rule the wall has fewer.
  Mesh coarse = meshWith(part, overall(target));
  EXPECT_LT(throughReport(coarse, countThrough(coarse, count), count).share(), 0.9);
}
INSTANTIATE_TEST_SUITE_P(Parts, ThroughWalls,
                         ::testing::Values(std::tuple{std::string("box 30 20 2"), 8.0, 2},
                                           std::tuple{std::string("box 30 20 2"), 8.0, 3},
                                           std::tuple{std::string("box 20 12 2"), 6.0, 5},
                                           std::tuple{std::string("taper 30 12 3 0.6"), 8.0, 3},
                                           std::tuple{std::string("tube 10 9 8"), 6.0, 3},
                                           std::tuple{std::string("shell 16 1.5"), 6.0, 3}));

TEST(SizeFieldCells, sizesAreTheSameToTheLastBitHoweverOftenPlacesWereAskedFor) {
  const Part part = made("tube 10 9 8");
  SizeRequest r = overall(2);
  r.overall.turnDeg = 6;
  r.through.push_back(through(2, 0.05));
  const SizeField field = makeSizeField(part, r), scattered = field.forScatteredPlaces();
  ASSERT_GT(field.sourceCount(), 500u);
  std::mt19937 random(7);
  std::uniform_real_distribution<double> u(-1, 1);
  std::vector<Vec3> p;
  for (int k = 0; k < 1500; ++k) p.emplace_back(11 * u(random), 11 * u(random), 4 + 5 * u(random));
  for (int k = 0; k < 3000; ++k) { // also where a source is as near as the box around it, but for rounding
    Vec3 x = part.display.points[random() % part.display.points.size()];
    for (int d = k % 3; d < 3; d += 2) x[d] += u(random);
    p.push_back(x);
  }
  for (int round = 0; round < 40; ++round) // cells are made and parted meanwhile
    for (const Vec3& x : p) ASSERT_EQ(field.at(x), scattered.at(x)) << round << ": " << x.transpose();
  for (const Vec3& x : p) EXPECT_EQ(field.deciding(x).size, scattered.deciding(x).size);
}

TEST(ThroughWallsCount, aThickWallIsNotThinForAHoleBesideIt) {
  // A block of 12 x 10 x 8 with a slit in its middle: 3 mm below and above it, 8 mm beside.
  const Part part = made("slit 4");
  Mesh m = meshWith(part, overall(2));
  double thin = 0;
  std::size_t thick = 0;
  for (const auto& f : countThrough(m, 3)) {
    const Vec3 n = triangleNormal(m.nodes[static_cast<std::size_t>(m.faces.of(static_cast<std::size_t>(f.face))[0])],
                                  m.nodes[static_cast<std::size_t>(m.faces.of(static_cast<std::size_t>(f.face))[1])],
                                  m.nodes[static_cast<std::size_t>(m.faces.of(static_cast<std::size_t>(f.face))[2])]);
    if (std::abs(n.z()) < 0.9) continue;
    if (f.thickness > 7) {
      ++thick;
      EXPECT_EQ(f.count, 3) << f.face;
    } else if (f.count < 3)
      thin += faceArea(m, static_cast<std::size_t>(f.face));
  }
  EXPECT_GT(thick, 20u);
  EXPECT_GT(thin, 50); // of four times 4 x 10
}

TEST(ThroughWallsFloor, BoundsTheSizeWhereTheWallRunsOut) {
  Part part = made("taper 30 12 3 0.02");
  SizeRequest r = overall(6);
  r.through.push_back(through(3, 0.4));
  SizeField f = makeSizeField(part, r);
  EXPECT_NEAR(f.at({29.9, 6, 0.01}), 0.4, 1e-9);
  EXPECT_NEAR(f.at({0.1, 6, 1.5}), 1.0, 0.1);
  EXPECT_EQ(f.deciding({29.9, 6, 0.01}).rule, 0);
}

namespace {
double leastAngle(const Mesh& m) {
  auto metrics = computeMetrics(m);
  const auto& v = metrics[static_cast<std::size_t>(Metric::MinDihedral)].value;
  return *std::min_element(v.begin(), v.end());
}
} // namespace

TEST(Slender, ThinWallsGetElementsThatAreNotFlat) {
  Part plate = made("box 60 40 0.2");
  SizeRequest r = overall(6);
  SizeField f = makeSizeField(plate, r);
  EXPECT_NEAR(f.at({30, 20, 0.1}), 5 * 0.2, 0.1);
  EXPECT_EQ(f.deciding({30, 20, 0.1}).rule, kReasonSlender);
  EXPECT_NEAR(f.slender.finest, 1, 1e-6);
  EXPECT_GT(leastAngle(meshWith(plate, r)), 8);
  r.overall.slender = 0;
  SizeField flat = makeSizeField(plate, r);
  EXPECT_GT(flat.at({30, 20, 0.1}), 4);
  EXPECT_TRUE(flat.slender.places.empty());
  EXPECT_LT(leastAngle(meshWith(plate, r)), 8);
}

TEST(Slender, DoesNotGoBelowWhatWasSetAsLeast) {
  Part plate = made("box 20 12 0.01");
  SizeRequest r = overall(3);
  r.overall.minimum = 0.5;
  EXPECT_NEAR(makeSizeField(plate, r).at({10, 6, 0.005}), 0.5, 0.05);
  r.overall.minimum = 0; // a hundredth of the target when nothing is said
  r.overall.slender = 1;
  EXPECT_NEAR(makeSizeField(plate, r).at({10, 6, 0.005}), 0.03, 0.006);
}

TEST(Slender, AWedgeIsLeftAlone) {
  // 30 long and 3 thick at its back: 5.7 degrees whatever the size.
  EXPECT_TRUE(makeSizeField(made("taper 30 12 3 0"), overall(4)).slender.places.empty());
  // The same plate with a rim of 0.3 is a thin wall there.
  SizeField f = makeSizeField(made("taper 30 12 3 0.3"), overall(4));
  ASSERT_FALSE(f.slender.places.empty());
  EXPECT_NEAR(f.slender.finest, 5 * 0.3, 0.1);
}

TEST(Slender, ThicknessOfNeedlesTakesFewPieces) {
  // The faces of a long tube are displayed by needles; the pieces shall follow the wall, not their shape.
  Part tube = made("tube 4 3.9 80");
  auto pieces = thinPieces(tube, {.below = 1, .finest = 0.02, .piece = 5});
  EXPECT_FALSE(pieces.empty());
  double area = 0, wall = 2 * kPi * (4 + 3.9) * 80;
  for (const auto& p : pieces) area += triangleArea(p.at[0], p.at[1], p.at[2]);
  EXPECT_NEAR(area / wall, 1, 0.02);
  EXPECT_LT(static_cast<double>(pieces.size()), 20 * wall / (0.6 * 0.6));
}

TEST(Bridging, StaysBelowASmallSize) {
  Bridging b;
  b.tolerance = 0.1;
  EXPECT_NEAR(b.below(0.2), 0.12 * 0.2, 1e-9);
  EXPECT_DOUBLE_EQ(b.below(3.2), 0.1);
}

TEST(ThroughWallsGap, SizesBothSidesOfAGap) {
  // A slot 1 wide between two blocks of one part: the faces of the slot, not the walls, ask.
  Part part = made("slot 20 12 8 1");
  SizeRequest r = overall(4);
  ThroughSize t = through(2);
  t.gaps = true;
  r.through.push_back(t);
  SizeField f = makeSizeField(part, r);
  double inSlot = f.at({10, 6, 6}), far = f.at({1, 1, 1});
  EXPECT_NEAR(inSlot, sizeThrough(1, 2), 0.02);
  EXPECT_GT(far, 2);
}

TEST(Thickness, isNotSeenAcrossACreaseOfAFaceOfFacets) {
  // Both sides of the ridge are one face, a wedge and no thin wall.
  const Part part = roofThatFlattens();
  EXPECT_FALSE(thinPieces(part, {.below = 1, .finest = 0.01}).empty());
  EXPECT_TRUE(thinPieces(part, {.below = 1, .finest = 0.01, .wedges = false}).empty());
}

TEST(NarrowFaces, areNotSeenAcrossASlotThatCutsAFace) {
  // The slot's floor is 0.3 wide and asks for small elements. Its mouths in the end faces, where two edges of one face
  // are as close, ask for nothing: the face is on the other side of either.
  Part part = made("slot 20 12 8 0.3");
  SizeRequest r = overall(4);
  SizeField f = makeSizeField(part, r);
  EXPECT_NEAR(f.at({10, 6, 4}), 1.2 * 0.3, 0.1);
  const double atMouth = f.at({9.85, 0, 8}), fromFloor = 1.2 * 0.3 + f.slope() * 4;
  EXPECT_NEAR(atMouth, fromFloor, 0.1 * fromFloor);
}

TEST(NarrowFaces, areNotSeenAlongASlotEither) {
  // The floor is bridged, and nothing else is narrow: pieces of the other mouth that lie further along do not count.
  Part part = made("slot 20 12 8 0.02");
  SizeRequest r = overall(4);
  r.overall.bridging.tolerance = 0.08;
  SizeField f = makeSizeField(part, r);
  for (const Vec3& p : {Vec3(10, 0, 6), Vec3(9.99, 0, 8), Vec3(10, 12, 7), Vec3(10, 3, 8)}) EXPECT_GT(f.at(p), 3.9);
}

TEST(NarrowFaces, askWhereTheirEdgesMeetInANarrowCorner) {
  const Part part = narrowCorner(1.7, 45);
  const double slope = std::tan(1.7 * kPi / 180);
  SizeRequest r = overall(3);
  r.overall.bridging.tolerance = 0.06;
  r.overall.minimum = 0.3;
  r.overall.slender = 0;
  const SizeField f = makeSizeField(part, r);
  // Edges are looked at in pieces of half of the size: over one of them the strip widens by 0.045.
  for (double y : {5.0, 8.0, 11.0, 14.0}) {
    const double width = slope * (20 - y);
    EXPECT_NEAR(f.at({0, y, 10}), 3 * width, 3 * 0.03) << y;
    EXPECT_NEAR(f.at({0, y, 10 - width}), 3 * width, 3 * 0.03) << y;
  }
  // What is bridged asks for nothing, and corners that are not narrow neither.
  EXPECT_DOUBLE_EQ(f.smallest(), 0.3);
  EXPECT_GT(f.at({0, 20, 10}), 0.31);
  EXPECT_DOUBLE_EQ(f.at({15, 40, 10}), 3);
  EXPECT_GT(makeSizeField(narrowCorner(12, 45), r).smallest(), 2.9);
}

TEST(Thickness, IsExactOnPlatesTubesAndWedges) {
  Part box = made("box 30 20 2");
  int checked = 0;
  for (const auto& p : thinPieces(box, {.below = 5, .finest = 0.1})) {
    EXPECT_NEAR(p.thickness, 2, 1e-9);
    EXPECT_NEAR(p.across[0].z(), 1, 1e-9);
    ++checked;
  }
  EXPECT_GT(checked, 1);
  Part tube = made("tube 10 9 8");
  double area = 0;
  for (const auto& p : thinPieces(tube, {.below = 3, .finest = 0.1})) {
    EXPECT_NEAR(p.thickness, 1, 0.02);
    area += triangleArea(p.at[0], p.at[1], p.at[2]);
  }
  EXPECT_NEAR(area, 2 * kPi * 19 * 8, 0.03 * area);
  Part taper = made("taper 30 12 3 0.6");
  for (const auto& p : thinPieces(taper, {.below = 5, .finest = 0.05})) {
    double x = (p.at[0].x() + p.at[1].x() + p.at[2].x()) / 3;
    EXPECT_NEAR(p.thickness, 3 - 0.08 * x, 0.35);
  }
  // A cube is not thin, whatever its corners look like.
  EXPECT_TRUE(thinPieces(made("box 10 10 10"), {.below = 5, .finest = 0.1}).empty());
}

TEST(Zones, HoldTheirSizeInsideAndGrowOutside) {
  SizeField f(10, 0.3);
  Zone cylinder{Zone::Kind::Cylinder, {0, 0, 0}, {0, 0, 10}, 2, 0};
  f.addZone(cylinder, 1, 3);
  f.build();
  EXPECT_DOUBLE_EQ(f.at({0, 1.9, 5}), 1);
  EXPECT_DOUBLE_EQ(f.at({0, 0, 0}), 1);
  EXPECT_NEAR(f.at({5, 0, 5}), 1 + 0.3 * 3, 1e-12);
  EXPECT_NEAR(f.at({0, 0, 12}), 1 + 0.3 * 2, 1e-12);
  EXPECT_NEAR(f.at({5, 0, 14}), 1 + 0.3 * 5, 1e-12); // 3-4-5 from the rim
  EXPECT_EQ(f.deciding({0, 0, 0}).rule, 3);
  EXPECT_EQ(f.deciding({100, 0, 0}).rule, kReasonOverall);
  Zone cone{Zone::Kind::Cone, {0, 0, 0}, {0, 0, 10}, 5, 0};
  EXPECT_EQ(cone.distance({0, 0, 9.9}), 0);
  EXPECT_EQ(cone.distance({4.9, 0, 0.1}), 0);
  EXPECT_GT(cone.distance({4.9, 0, 5}), 1);
  Zone box{Zone::Kind::Box, {5, 5, 5}, {0, 0, 0}, 0, 0}; // corners in any order
  EXPECT_EQ(box.distance({2, 2, 2}), 0);
  EXPECT_DOUBLE_EQ(box.distance({-1, 2, 2}), 1);
}

TEST(Zones, DistanceNeverExceedsTheDistanceToAnyPointInside) {
  std::mt19937 rng(7);
  std::uniform_real_distribution<double> u(-10, 10);
  for (auto kind : {Zone::Kind::Box, Zone::Kind::Sphere, Zone::Kind::Cylinder, Zone::Kind::Cone}) {
    Zone z{kind, {-3, 1, 0}, {4, 2, 5}, 2.5, 1};
    std::vector<Vec3> inside, outside;
    for (int i = 0; i < 20000; ++i) {
      Vec3 p(u(rng), u(rng), u(rng));
      (z.distance(p) == 0 ? inside : outside).push_back(p);
      EXPECT_TRUE(z.distance(p) > 0 || z.box().contains(p));
    }
    ASSERT_GT(inside.size(), 20u);
    outside.resize(500);
    for (const auto& p : outside) {
      double least = 1e300;
      for (const auto& q : inside) least = std::min(least, (p - q).norm());
      EXPECT_LE(z.distance(p), least + 1e-12);
      EXPECT_GE(z.distance(p), least - 4); // the samples lie that close together
    }
  }
}

TEST(Divisions, FollowCountRatioAndPlaces) {
  EdgeDivision d;
  d.divisions = 10;
  d.ratio = 8;
  d.finest = {0};
  auto s = divisionShares(d, 1);
  ASSERT_EQ(s.size(), 9u);
  s.insert(s.begin(), 0);
  s.push_back(1);
  double q = (s[2] - s[1]) / (s[1] - s[0]);
  for (std::size_t i = 1; i + 1 < s.size(); ++i) EXPECT_NEAR((s[i + 1] - s[i]) / (s[i] - s[i - 1]), q, 1e-6);
  EXPECT_NEAR((s[10] - s[9]) / (s[1] - s[0]), 8, 0.05);
  // Both ends fine: symmetric.
  d.finest = {0, 1};
  s = divisionShares(d, 1);
  for (std::size_t i = 0; i < s.size(); ++i) EXPECT_NEAR(s[i] + s[s.size() - 1 - i], 1, 1e-9);
  EXPECT_LT(s[0], 0.5 * (s[4] - s[3]));
  // Somewhere in between: the shortest element lies there, and the shares ascend.
  d.finest = {0.3};
  d.divisions = 23;
  s = divisionShares(d, 1);
  s.insert(s.begin(), 0);
  s.push_back(1);
  std::size_t shortest = 0;
  for (std::size_t i = 0; i + 1 < s.size(); ++i) {
    ASSERT_LT(s[i], s[i + 1]);
    if (s[i + 1] - s[i] < s[shortest + 1] - s[shortest]) shortest = i;
  }
  EXPECT_NEAR(0.5 * (s[shortest] + s[shortest + 1]), 0.3, 0.05);
}

TEST(Divisions, AreFollowedExactlyByTheMesh) {
  Part part = made("box 20 10 10");
  SizeRequest r = overall(3);
  int edge = -1, other = -1;
  for (std::size_t e = 0; e < part.edges.size(); ++e)
    if (std::abs(part.edges[e].length - 20) < 1e-9) (edge < 0 ? edge : other) = static_cast<int>(e);
  EdgeDivision d;
  d.divisions = 11;
  d.ratio = 5;
  d.finest = {0};
  EdgeDivision like;
  like.like = {edge};
  r.divisions = {{edge, d}, {other, like}};
  Mesh m = meshWith(part, r);
  auto a = lengthsAlong(m, part, edge), b = lengthsAlong(m, part, other);
  ASSERT_EQ(a.size(), 11u);
  EXPECT_NEAR(a.back() / a.front(), 5, 0.2);
  ASSERT_EQ(b.size(), 11u);
  Vec3 pa = part.points[static_cast<std::size_t>(part.edges[static_cast<std::size_t>(edge)].points[0])].at,
       pb = part.points[static_cast<std::size_t>(part.edges[static_cast<std::size_t>(other)].points[0])].at;
  if (std::abs(pa.x() - pb.x()) > 1) std::reverse(b.begin(), b.end()); // the two edges run against each other
  for (std::size_t i = 0; i < a.size(); ++i) EXPECT_NEAR(a[i], b[i], 1e-6);
}

TEST(Divisions, MayBeCoarserThanTheSizeAround) {
  Part part = made("box 20 10 10");
  SizeRequest r = overall(2);
  EdgeDivision d;
  d.divisions = 2;
  r.divisions = {{0, d}};
  Mesh m = meshWith(part, r);
  EXPECT_EQ(lengthsAlong(m, part, 0).size(), 2u);
}

TEST(Turn, CanBeSetPerFace) {
  Part part = made("cylinder 5 10");
  SizeRequest r = overall(5);
  r.overall.turnDeg = 30;
  LocalTurn t;
  for (int f = 0; f < part.count(Dim::Face); ++f) t.entities.push_back(f);
  t.rule = 4;
  t.deviation = 0.01;
  t.floor = 0.01;
  r.turns.push_back(t);
  SizeField f = makeSizeField(part, r);
  // h^2 = 8 r d - 4 d^2
  EXPECT_NEAR(f.at({5, 0, 5}), std::sqrt(8 * 5 * 0.01 - 4e-4), 0.01);
  EXPECT_EQ(f.deciding({5, 0, 5}).rule, 4);
  r.turns[0].deviation = 0; // neither turn nor deviation: curvature is ignored there
  EXPECT_DOUBLE_EQ(makeSizeField(part, r).at({5, 0, 5}), 5);
  // The mesh keeps the deviation.
  r.turns[0].deviation = 0.05;
  Mesh m = meshWith(part, r);
  double worst = 0;
  for (std::size_t q = 0; q < m.faces.size(); ++q) {
    if (part.faces[static_cast<std::size_t>(m.faceLink[q])].kind != SurfaceKind::Cylinder) continue;
    for (std::size_t k = 0; k < 3; ++k) {
      auto n = m.faces.of(q);
      Vec3 mid = 0.5 * (m.nodes[static_cast<std::size_t>(n[k])] + m.nodes[static_cast<std::size_t>(n[(k + 1) % 3])]);
      worst = std::max(worst, 5 - std::hypot(mid.x(), mid.y()));
    }
  }
  EXPECT_LT(worst, 0.05 * 2.2); // edges are up to 1.4 times as long as asked
}
