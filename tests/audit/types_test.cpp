// SPDX-License-Identifier: GPL-3.0-or-later
// Metrics of each element type: on the ideal element, an affine and a degenerate one, and under renumbering; the
// Jacobian over whole elements; classes and purposes by type.
#include "audit/audit.h"
#include "mesh/jacobian.h"
#include "support/boxes.h"
#include "support/fixtures.h"
#include <random>

using namespace tess;
using namespace tess::test;

namespace {

constexpr ElementType kSolids[] = {ElementType::Tet4,      ElementType::Tet10,  ElementType::Pyramid5,
                                   ElementType::Pyramid13, ElementType::Wedge6, ElementType::Wedge15,
                                   ElementType::Hex8,      ElementType::Hex20};

/// The ideal element: edges of length 1, order 2 by straight mid nodes.
std::vector<Vec3> ideal(ElementType type) {
  const double h = std::sqrt(3.0) / 2;
  std::vector<Vec3> p;
  switch (topology(type).corners) {
  case 4:
    p = {{0, 0, 0}, {1, 0, 0}, {0.5, h, 0}, {0.5, h / 3, std::sqrt(2.0 / 3)}};
    break;
  case 5:
    p = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0.5, 0.5, std::sqrt(0.5)}};
    break;
  case 6:
    p = {{0, 0, 0}, {1, 0, 0}, {0.5, h, 0}, {0, 0, 1}, {1, 0, 1}, {0.5, h, 1}};
    break;
  default:
    p = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}};
  }
  const auto& t = topology(type);
  if (t.order == 2)
    for (std::size_t e = 0; e < static_cast<std::size_t>(t.edges); ++e)
      p.push_back(0.5 * (p[static_cast<std::size_t>(t.edge[e][0])] + p[static_cast<std::size_t>(t.edge[e][1])]));
  return p;
}
double idealVolume(ElementType type) {
  switch (topology(type).corners) {
  case 4:
    return std::sqrt(2.0) / 12;
  case 5:
    return std::sqrt(0.5) / 3;
  case 6:
    return std::sqrt(3.0) / 4;
  default:
    return 1;
  }
}
std::map<Metric, double> valuesOf(ElementType type, const std::vector<Vec3>& p) {
  const auto all = computeMetrics(oneCell(type, p));
  std::map<Metric, double> r;
  for (int k = 0; k < kMetrics; ++k) r[static_cast<Metric>(k)] = all[static_cast<std::size_t>(k)].value[0];
  return r;
}

/// Shape functions' gradients by differences of the map itself, written anew: x at (u, v, w) of the unit cube or wedge.
Vec3 mapOf(ElementType type, const std::vector<Vec3>& p, double u, double v, double w) {
  const auto& t = topology(type);
  std::vector<double> n;
  if (t.corners == 8) {
    for (int i = 0; i < 8; ++i) {
      static const int at[8][3] = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0},
                                   {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}};
      n.push_back((at[i][0] ? u : 1 - u) * (at[i][1] ? v : 1 - v) * (at[i][2] ? w : 1 - w));
    }
  } else {
    const double l[3] = {1 - u - v, u, v};
    for (int i = 0; i < 6; ++i) n.push_back(l[i % 3] * (i < 3 ? 1 - w : w));
  }
  if (t.order == 2) { // hierarchical: bubbles on the edges carry the distance of mid nodes from the chords
    Vec3 x = Vec3::Zero();
    for (std::size_t i = 0; i < n.size(); ++i) x += n[i] * p[i];
    for (std::size_t e = 0; e < static_cast<std::size_t>(t.edges); ++e) {
      const auto a = static_cast<std::size_t>(t.edge[e][0]), b = static_cast<std::size_t>(t.edge[e][1]);
      const Vec3 off = p[static_cast<std::size_t>(t.corners) + e] - 0.5 * (p[a] + p[b]);
      double f = 0;
      if (t.corners == 8) {
        const double x3[3] = {u, v, w};
        static const int at[8][3] = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0},
                                     {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}};
        f = 1;
        for (int k = 0; k < 3; ++k) f *= at[a][k] != at[b][k] ? 4 * x3[k] * (1 - x3[k]) : at[a][k] ? x3[k] : 1 - x3[k];
      } else {
        const double l[3] = {1 - u - v, u, v};
        if (a % 3 != b % 3)
          f = 4 * l[a % 3] * l[b % 3] * (a < 3 ? 1 - w : w);
        else
          f = 4 * w * (1 - w) * l[a % 3];
      }
      x += f * off;
    }
    return x;
  }
  Vec3 x = Vec3::Zero();
  for (std::size_t i = 0; i < n.size(); ++i) x += n[i] * p[i];
  return x;
}
double determinant(ElementType type, const std::vector<Vec3>& p, double u, double v, double w) {
  const double h = 1e-5;
  const Vec3 a = mapOf(type, p, u + h, v, w) - mapOf(type, p, u - h, v, w),
             b = mapOf(type, p, u, v + h, w) - mapOf(type, p, u, v - h, w),
             c = mapOf(type, p, u, v, w + h) - mapOf(type, p, u, v, w - h);
  return a.cross(b).dot(c) / (8 * h * h * h);
}

} // namespace

TEST(Types, theIdealElementIsPerfect) {
  for (auto type : kSolids) {
    SCOPED_TRACE(topology(type).name);
    const auto v = valuesOf(type, ideal(type));
    for (const auto& [metric, value] : v) {
      if (metric == Metric::Volume)
        EXPECT_NEAR(value, idealVolume(type), 1e-6);
      else if (metric == Metric::EdgeLength)
        EXPECT_NEAR(value, 1, 1e-6);
      else if (topology(type).corners == 5 && (metric == Metric::NonOrthogonality || metric == Metric::FaceSkewness))
        EXPECT_GT(value, 0); // alone, its centre stands low over its base
      else if (!judges(metric, type))
        EXPECT_TRUE(std::isnan(value)) << metricInfo(metric).id;
      else
        EXPECT_NEAR(value, bestValue(metric, type), metricInfo(metric).unit == std::string("deg") ? 0.01 : 1e-4)
            << metricInfo(metric).id;
    }
    const Audit a = auditMesh(oneCell(type, ideal(type)), *limitSet("general"));
    EXPECT_TRUE(a.pass) << a.sentence;
    EXPECT_EQ(a.classes[static_cast<std::size_t>(ElementClass::Good)], 1u) << "a cube is no fair element";
  }
}

TEST(Types, anAffineElementHasOneJacobianAndItsOwnVolume) {
  Eigen::Matrix3d stretch;
  stretch << 2, 0.3, 0.1, 0, 0.7, 0.2, 0, 0, 1.3;
  for (auto type : kSolids) {
    SCOPED_TRACE(topology(type).name);
    auto p = ideal(type);
    for (auto& x : p) x = stretch * x + Vec3(5, -3, 2);
    const auto v = valuesOf(type, p);
    EXPECT_NEAR(v.at(Metric::JacobianRatio), 1, 1e-5);
    EXPECT_NEAR(v.at(Metric::Volume), idealVolume(type) * stretch.determinant(), 1e-5);
    EXPECT_NEAR(v.at(Metric::Warpage), 0, 1e-4);
    EXPECT_GT(v.at(Metric::ScaledJacobian), 0);
    EXPECT_LT(v.at(Metric::ScaledJacobian), 0.95);
    EXPECT_GT(v.at(Metric::Skewness), 0.05);
    const JacobianRange j = jacobianRange(type, p);
    EXPECT_NEAR(j.least, j.most, 1e-9 * j.most);
  }
}

TEST(Types, aFlatElementIsInvertedAndNothingIsUnknown) {
  for (auto type : kSolids) {
    SCOPED_TRACE(topology(type).name);
    auto p = ideal(type);
    for (auto& x : p) x.z() = 0;
    const Mesh m = oneCell(type, p);
    EXPECT_EQ(checkSoundness(m).inverted, 1u);
    const auto v = valuesOf(type, p);
    for (const auto& [metric, value] : v) EXPECT_EQ(std::isnan(value), !judges(metric, type)) << metricInfo(metric).id;
    EXPECT_LE(v.at(Metric::JacobianRatio), 0);
    auto mirrored = ideal(type);
    for (auto& x : mirrored) x.z() = -x.z();
    EXPECT_EQ(checkSoundness(oneCell(type, mirrored)).inverted, 1u);
    EXPECT_LT(valuesOf(type, mirrored).at(Metric::ScaledJacobian), 0);
  }
}

TEST(Types, numberingDoesNotMatter) {
  const std::map<int, std::vector<int>> turned = {
      {4, {1, 2, 0, 3}}, {5, {1, 2, 3, 0, 4}}, {6, {4, 3, 5, 1, 0, 2}}, {8, {1, 2, 3, 0, 5, 6, 7, 4}}};
  std::mt19937 random(4);
  std::uniform_real_distribution<double> off(-0.12, 0.12);
  for (auto type : kSolids) {
    SCOPED_TRACE(topology(type).name);
    const auto& t = topology(type);
    auto p = ideal(type);
    for (auto& x : p) x += 0.5 * Vec3(off(random), off(random), off(random));
    std::vector<Vec3> q;
    const auto& perm = turned.at(t.corners);
    for (int i : perm) q.push_back(p[static_cast<std::size_t>(i)]);
    if (t.order == 2)
      for (std::size_t e = 0; e < static_cast<std::size_t>(t.edges); ++e) {
        const auto key =
            edgeKey(perm[static_cast<std::size_t>(t.edge[e][0])], perm[static_cast<std::size_t>(t.edge[e][1])]);
        for (std::size_t k = 0; k < static_cast<std::size_t>(t.edges); ++k)
          if (edgeKey(t.edge[k][0], t.edge[k][1]) == key) q.push_back(p[static_cast<std::size_t>(t.corners) + k]);
      }
    const auto a = valuesOf(type, p), b = valuesOf(type, q);
    for (const auto& [metric, value] : a)
      if (judges(metric, type)) {
        EXPECT_NEAR(value, b.at(metric), 2e-5 * std::max(1.0, std::abs(value))) << metricInfo(metric).id;
      }
  }
}

TEST(Jacobian, boundsHoldWhatIsSampledAndAreTight) {
  std::mt19937 random(9);
  std::uniform_real_distribution<double> off(-1, 1);
  for (auto type : {ElementType::Hex8, ElementType::Wedge6, ElementType::Hex20, ElementType::Wedge15}) {
    SCOPED_TRACE(topology(type).name);
    int valid = 0, folded = 0;
    for (int round = 0; round < 120; ++round) {
      const double amount = 0.05 + (topology(type).order == 1 ? 0.8 : 0.3) * (round % 12) / 12;
      auto p = ideal(type);
      for (auto& x : p) x += amount * Vec3(off(random), off(random), off(random));
      double least = 1e300, most = -1e300;
      const int n = 10;
      for (int i = 0; i <= n; ++i)
        for (int j = 0; j <= n; ++j)
          for (int k = 0; k <= n; ++k) {
            double u = static_cast<double>(i) / n, v = static_cast<double>(j) / n;
            if (topology(type).corners == 6) v *= 1 - u;
            const double d = determinant(type, p, u, v, static_cast<double>(k) / n);
            least = std::min(least, d);
            most = std::max(most, d);
          }
      const JacobianRange r = jacobianRange(type, p);
      EXPECT_LE(r.least, least + 1e-4);
      EXPECT_GE(r.most, most - 1e-4);
      // The sign is right but where the smallest value is next to zero.
      if (least > 0.02) {
        EXPECT_GT(r.least, 0);
        ++valid;
      } else if (least < -1e-4) {
        EXPECT_LE(r.least, 0);
        ++folded;
      }
    }
    EXPECT_GT(valid, 20);
    EXPECT_GT(folded, 20);
  }
}

TEST(Jacobian, aHexahedronMayBeFoldedThoughAllItsCornersAreRight) {
  // Found by trying: positive at the eight corners, negative on an edge between two of them.
  std::mt19937 random(21);
  std::uniform_real_distribution<double> off(-0.75, 0.75);
  int found = 0;
  for (int round = 0; round < 200000 && found < 5; ++round) {
    auto p = ideal(ElementType::Hex8);
    for (auto& x : p) x += Vec3(off(random), off(random), off(random));
    double corner = 1e300;
    for (int c = 0; c < 8; ++c) corner = std::min(corner, determinant(ElementType::Hex8, p, c & 1, c >> 1 & 1, c >> 2));
    if (corner < 0.02) continue;
    double least = 1e300;
    for (int i = 0; i <= 6; ++i)
      for (int j = 0; j <= 6; ++j)
        for (int k = 0; k <= 6; ++k)
          least = std::min(least, determinant(ElementType::Hex8, p, i / 6.0, j / 6.0, k / 6.0));
    if (least > -1e-3) continue;
    ++found;
    const Mesh m = oneCell(ElementType::Hex8, p);
    EXPECT_LE(jacobianRange(ElementType::Hex8, p).least, 0);
    EXPECT_EQ(checkSoundness(m).inverted, 1u);
    EXPECT_LE(valuesOf(ElementType::Hex8, p).at(Metric::ScaledJacobian), 0);
  }
  EXPECT_EQ(found, 5);
}

TEST(Jacobian, curvedPyramidsAreSeenThroughTheirRationalMap) {
  const auto straight = ideal(ElementType::Pyramid13);
  const JacobianRange r = jacobianRange(ElementType::Pyramid13, straight);
  EXPECT_NEAR(r.least, std::sqrt(0.5), 1e-9);
  EXPECT_NEAR(r.most, std::sqrt(0.5), 1e-9);
  auto bent = straight; // a rising edge's mid node far towards the apex folds it there
  bent[9] = straight[0] + 0.9 * (straight[4] - straight[0]);
  EXPECT_LE(jacobianRange(ElementType::Pyramid13, bent).least, 0);
  bent[9] = straight[0] + 0.6 * (straight[4] - straight[0]);
  EXPECT_GT(jacobianRange(ElementType::Pyramid13, bent).least, 0);
  bent[9] = straight[0] + 0.8 * (straight[4] - straight[0]);
  EXPECT_LE(jacobianRange(ElementType::Pyramid13, bent).least, 0);
}

TEST(Jacobian, curvedTetrahedraAreDecidedWhereTheirBoundsAreNot) {
  std::mt19937 random(5);
  std::uniform_real_distribution<double> off(-0.16, 0.16);
  int undecided = 0;
  for (int round = 0; round < 3000; ++round) {
    auto p = ideal(ElementType::Tet10);
    for (std::size_t i = 4; i < 10; ++i) p[i] += Vec3(off(random), off(random), off(random));
    const JacobianRange r = jacobianRange(ElementType::Tet10, p);
    const double bound = quadraticValidity(p);
    if (bound > 0) {
      EXPECT_GT(r.least, 0);
    } else if (r.least > 0)
      ++undecided; // proven by halving
  }
  EXPECT_GT(undecided, 0);
}

TEST(Types, aWallLayerDoesNotFailForItsRatio) {
  Mesh m = bar(Filling::Wedges, 1, {{4, 2, 2}, {100, 2, 2}});
  for (const auto& name : {"general", "flow"}) {
    const Audit a = auditMesh(m, *limitSet(name));
    EXPECT_GT(a.metrics[static_cast<std::size_t>(Metric::AspectRatio)].max, 20);
    EXPECT_EQ(a.failingCells, 0u) << name;
  }
  Mesh flat = bar(Filling::Hexahedra, 1, {{4, 4, 4}, {100, 100, 1}}); // 25 to 0.25
  const Audit a = auditMesh(flat, *limitSet("strength"));
  EXPECT_NEAR(a.metrics[static_cast<std::size_t>(Metric::AspectRatio)].max, 100, 1e-3);
  EXPECT_TRUE(a.pass) << a.sentence;
  EXPECT_EQ(a.classes[static_cast<std::size_t>(ElementClass::Good)], flat.cells.size());
}

TEST(Types, purposesRuleOutTypesByTheirShareOfVolume) {
  const LimitSet strength = *limitSet("strength");
  EXPECT_TRUE(auditMesh(bar(Filling::Hexahedra), strength).pass);
  const Audit wedges = auditMesh(bar(Filling::Wedges), strength);
  EXPECT_EQ(wedges.notAllowedCells, 32u);
  EXPECT_NEAR(wedges.notAllowedShare, 1, 1e-6);
  EXPECT_FALSE(wedges.pass);
  // Half of the volume, and what it is.
  const Audit half = auditMesh(bar(Filling::HexahedraWedges), strength);
  EXPECT_NEAR(half.notAllowedShare, 0.5, 1e-6);
  EXPECT_NE(half.sentence.find("wedge6, 50 % of the volume"), std::string::npos) << half.sentence;
  // A few wedges among hexahedra are let pass.
  Mesh few = bar(Filling::Hexahedra, 1, {{4, 4, 4}, {4, 4, 4}});
  const std::vector<std::int32_t> v(few.cells.of(0).begin(), few.cells.of(0).end());
  auto at = [&](std::size_t i) { return v[i]; };
  Mesh with = few;
  with.cells = {};
  with.cells.add(ElementType::Wedge6, std::vector<std::int32_t>{at(0), at(3), at(7), at(1), at(2), at(6)});
  with.cells.add(ElementType::Wedge6, std::vector<std::int32_t>{at(0), at(7), at(4), at(1), at(6), at(5)});
  for (std::size_t c = 1; c < few.cells.size(); ++c) with.cells.addLike(few.cells, c, few.cells.of(c));
  with.cellRegion.assign(with.cells.size(), 0);
  with.groups.clear();
  rebuildFaces(with);
  const Audit allowed = auditMesh(with, strength);
  EXPECT_EQ(allowed.notAllowedCells, 0u);
  EXPECT_NEAR(allowed.notAllowedShare, 1.0 / 64, 1e-6);
  // Flow solvers read no order 2 at all.
  EXPECT_FALSE(auditMesh(bar(Filling::Hexahedra, 2), *limitSet("flow")).pass);
  EXPECT_TRUE(auditMesh(bar(Filling::Hexahedra, 1), *limitSet("flow")).pass);
}

TEST(Types, aLimitOfYourOwnTakesThePlaceOfOneForSomeTypes) {
  LimitSet set = *limitSet("strength");
  const auto aspects = [&] {
    return std::count_if(set.limits.begin(), set.limits.end(),
                         [](const Limit& l) { return l.metric == Metric::AspectRatio; });
  };
  ASSERT_EQ(aspects(), 1);
  addLimit(set, {Metric::AspectRatio, false, 20, "own"}); // for all types: 10 for tetrahedra holds no more
  ASSERT_EQ(aspects(), 1);
  EXPECT_EQ(set.limits.back().bound, 20);
  Limit hexes{Metric::AspectRatio, false, 50, "own"};
  hexes.types = {ElementType::Hex8};
  addLimit(set, hexes); // beside it
  EXPECT_EQ(aspects(), 2);
}

TEST(FlowMetrics, areAsFlowSolversDefineThem) {
  // Two boxes in a row, 1 and 2 long; the second one's middle is moved sideways by shearing its far end.
  Mesh m;
  m.regions = {"r"};
  for (double x : {0.0, 1.0, 3.0})
    for (const auto& yz : {std::pair(0, 0), std::pair(1, 0), std::pair(1, 1), std::pair(0, 1)})
      m.nodes.emplace_back(x, yz.first + (x > 2 ? 0.6 : 0), yz.second);
  m.cells.add(ElementType::Hex8, std::vector<std::int32_t>{0, 1, 2, 3, 4, 5, 6, 7});
  m.cells.add(ElementType::Hex8, std::vector<std::int32_t>{4, 5, 6, 7, 8, 9, 10, 11});
  m.cellRegion = {0, 0};
  rebuildFaces(m);
  const auto v = computeMetrics(m);
  auto of = [&](Metric k, std::size_t c) { return v[static_cast<std::size_t>(k)].value[c]; };
  // Centres (0.5, 0.5, 0.5) and (2, 0.8, 0.5): the line is (1.5, 0.3, 0), the face's normal along x, its centre at x
  // = 1.
  EXPECT_NEAR(of(Metric::NonOrthogonality, 0), std::atan2(0.3, 1.5) * 180 / kPi, 1e-3);
  EXPECT_NEAR(of(Metric::VolumeRatio, 0), 0.5, 1e-6);
  EXPECT_NEAR(of(Metric::VolumeRatio, 1), 0.5, 1e-6);
  EXPECT_NEAR(of(Metric::FaceWeight, 0), 1.0 / 3, 1e-6);
  // It crosses the face 0.1 beside its centre, which reaches 0.5 that way.
  EXPECT_NEAR(of(Metric::FaceSkewness, 0), 0.1 / 0.5, 1e-5);
  const auto cube = computeMetrics(bar(Filling::Hexahedra));
  for (float x : cube[static_cast<std::size_t>(Metric::FaceSkewness)].value) EXPECT_NEAR(x, 0, 1e-6);
  for (float x : cube[static_cast<std::size_t>(Metric::FaceWeight)].value) EXPECT_NEAR(x, 0.5, 1e-6);
  // Hanging nodes leave the flow figures of polyhedra finite and right: the coarse side is twice as far off.
  const Mesh p = bar(Filling::Polyhedra);
  const auto poly = computeMetrics(p);
  for (std::size_t c = 0; c < p.cells.size(); ++c)
    if (p.cells.type[c] == ElementType::Polyhedron) {
      EXPECT_NEAR(poly[static_cast<std::size_t>(Metric::VolumeRatio)].value[c], 0.125, 1e-6);
      EXPECT_NEAR(poly[static_cast<std::size_t>(Metric::FaceWeight)].value[c], 1.0 / 3, 1e-6);
      EXPECT_NEAR(poly[static_cast<std::size_t>(Metric::Warpage)].value[c], 0, 1e-4);
    }
}

TEST(Neighbours, polygonsWithHangingNodesDoNotCollide) {
  // Faces of one polygon each that share three and more corners.
  const std::vector<std::int32_t> a{0, 1, 2, 3, 4}, b{0, 1, 2, 3, 5}, c{4, 3, 2, 1, 0};
  EXPECT_FALSE(faceKey(a) == faceKey(b));
  EXPECT_TRUE(faceKey(a) == faceKey(c));
  const std::vector<std::int32_t> quad{0, 1, 2, 3}, tri{0, 1, 2};
  EXPECT_FALSE(faceKey(quad) == faceKey(tri));
  const Mesh m = bar(Filling::Polyhedra, 1, {{8, 4, 4}, {8, 4, 4}});
  const auto near = cellNeighbours(m);
  EXPECT_EQ(near.surplus, 0u);
  std::size_t inner = 0;
  for (auto n : near.cell) inner += n >= 0;
  std::size_t faces = 0;
  for (std::size_t k = 0; k < m.cells.size(); ++k) faces += m.cells.faceCount(k);
  EXPECT_EQ(faces - inner, m.faces.size());
}
