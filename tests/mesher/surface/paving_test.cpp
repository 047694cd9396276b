// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/matching.h"
#include "mesher/surface/face_map.h"
#include "mesher/surface/paving.h"
#include "support/fixtures.h"
#include <cmath>
#include <map>
#include <set>

using namespace tess;
using namespace tess::test;

namespace {

/// A flat region by the corners of its loops, the outer one counter-clockwise; sides divided evenly by `size`.
struct Region {
  std::string name;
  std::vector<std::vector<Vec3>> loops;
  std::vector<char> arc; ///< per loop: its sides, all but the last of an open one, are elements already
};
std::vector<Vec3> ring(double x, double y, double r, int n, bool hole) {
  std::vector<Vec3> p;
  for (int k = 0; k < n; ++k) {
    const double t = (hole ? -1 : 1) * 2 * kPi * k / n;
    p.emplace_back(x + r * std::cos(t), y + r * std::sin(t), 0);
  }
  return p;
}

/// 60 regions: prisms' ends of all sorts, with holes, slits, narrow necks, and turned by odd angles.
std::vector<Region> regions() {
  std::vector<Region> r;
  auto add = [&](std::string name, std::vector<std::vector<Vec3>> loops, std::vector<char> arc = {}) {
    arc.resize(loops.size(), 0);
    for (int k = 0; k < 4; ++k) {
      Region x{name + " " + std::to_string(k), loops, arc};
      const double t = 0.37 * k, s = 1 + 0.23 * k;
      for (auto& loop : x.loops)
        for (auto& p : loop)
          p = Vec3(s * (std::cos(t) * p.x() - std::sin(t) * p.y()), s * (std::sin(t) * p.x() + std::cos(t) * p.y()), 0);
      r.push_back(std::move(x));
    }
  };
  const auto square = std::vector<Vec3>{{0, 0, 0}, {10, 0, 0}, {10, 8, 0}, {0, 8, 0}};
  add("square", {square});
  add("disc", {ring(0, 0, 5, 24, false)}, {1});
  add("annulus", {ring(0, 0, 6, 28, false), ring(0, 0, 3, 16, true)}, {1, 1});
  add("drilled", {square, ring(5, 4, 2, 16, true)}, {0, 1});
  add("off-centre", {square, ring(2.5, 3, 1.2, 12, true), ring(7, 5, 1.5, 12, true)}, {0, 1, 1});
  add("angle", {{{0, 0, 0}, {10, 0, 0}, {10, 3, 0}, {3, 3, 0}, {3, 8, 0}, {0, 8, 0}}});
  add("triangle", {{{0, 0, 0}, {10, 0, 0}, {4, 8, 0}}});
  add("kite", {{{0, 0, 0}, {9, 1, 0}, {7, 8, 0}, {1, 6, 0}}});
  add("hexagon", {ring(0, 0, 5, 6, false)});
  add("slit", {square, {{3, 3.9, 0}, {3, 4.3, 0}, {7, 4.3, 0}, {7, 3.9, 0}}});
  add("neck", {{{0, 0, 0},
                {4, 0, 0},
                {4, 3, 0},
                {6, 3, 0},
                {6, 0, 0},
                {10, 0, 0},
                {10, 8, 0},
                {6, 8, 0},
                {6, 4.2, 0},
                {4, 4.2, 0},
                {4, 8, 0},
                {0, 8, 0}}});
  add("cross", {{{3, 0, 0},
                 {6, 0, 0},
                 {6, 3, 0},
                 {9, 3, 0},
                 {9, 6, 0},
                 {6, 6, 0},
                 {6, 9, 0},
                 {3, 9, 0},
                 {3, 6, 0},
                 {0, 6, 0},
                 {0, 3, 0},
                 {3, 3, 0}}});
  add("sharp", {{{0, 0, 0}, {12, 0, 0}, {12, 4, 0}}});
  add("comb", {{{0, 0, 0},
                {11, 0, 0},
                {11, 6, 0},
                {9, 6, 0},
                {9, 2, 0},
                {7, 2, 0},
                {7, 6, 0},
                {4, 6, 0},
                {4, 2, 0},
                {2, 2, 0},
                {2, 6, 0},
                {0, 6, 0}}});
  add("half", {[] {
        std::vector<Vec3> p;
        for (int k = 0; k <= 12; ++k) p.emplace_back(5 * std::cos(kPi * k / 12), 5 * std::sin(kPi * k / 12), 0);
        return p;
      }()},
      {1});
  return r;
}

struct Input {
  FaceCells base;
  NodeLoops loops;
  double area = 0, sharpest = kPi; ///< smallest corner of the region
};
Input inputOf(const Region& region, double size, bool even) {
  Input in;
  for (std::size_t l = 0; l < region.loops.size(); ++l) {
    const auto& loop = region.loops[l];
    in.loops.emplace_back();
    const std::size_t n = loop.size();
    for (std::size_t k = 0; k < n; ++k) {
      const Vec3 &a = loop[k], &b = loop[(k + 1) % n], &z = loop[(k + n - 1) % n];
      const double length = (b - a).norm();
      int m = std::max(1, static_cast<int>(std::lround(length / size)));
      if (even) m = 2 * std::max(1, static_cast<int>(std::lround(length / (2 * size))));
      if (even && region.arc[l] && length < 3 * (loop[1] - loop[0]).norm()) m = 1;
      in.area += 0.5 * (a.x() * b.y() - a.y() * b.x());
      const Vec3 out = b - a, back = z - a;
      double angle = std::atan2(out.cross(back).z(), out.dot(back));
      if (angle < 0) angle += 2 * kPi;
      in.sharpest = std::min(in.sharpest, angle);
      for (int i = 0; i < m; ++i) {
        in.loops.back().push_back(static_cast<int>(in.base.points.size()));
        in.base.points.push_back(a + (b - a) * i / m);
        in.base.normals.push_back(Vec3(0, 0, 1));
      }
    }
  }
  in.base.rim = in.base.points.size();
  return in;
}

double areaOf(const FaceCells& m) {
  double a = 0;
  auto pt = [&](int v) -> const Vec3& { return m.points[static_cast<std::size_t>(v)]; };
  for (const auto& t : m.triangles) a += 0.5 * (pt(t[1]) - pt(t[0])).cross(pt(t[2]) - pt(t[0])).z();
  for (const auto& q : m.quads) a += 0.5 * (pt(q[2]) - pt(q[0])).cross(pt(q[3]) - pt(q[1])).z();
  return a;
}

/// Every side belongs to two cells inside, and to one on the loops, which all are there.
void expectConforming(const FaceCells& m, const NodeLoops& loops) {
  std::map<std::pair<int, int>, int> sides;
  auto add = [&](const auto& q) {
    for (std::size_t k = 0; k < q.size(); ++k) ++sides[{q[k], q[(k + 1) % q.size()]}];
  };
  for (const auto& t : m.triangles) add(t);
  for (const auto& q : m.quads) add(q);
  std::set<std::pair<int, int>> rim;
  for (const auto& loop : loops)
    for (std::size_t k = 0; k < loop.size(); ++k) rim.insert({loop[k], loop[(k + 1) % loop.size()]});
  for (const auto& [s, n] : sides) {
    EXPECT_EQ(n, 1);
    EXPECT_EQ(sides.count({s.second, s.first}), rim.count(s) ? 0u : 1u);
  }
  for (const auto& s : rim) EXPECT_EQ(sides.count(s), 1u);
}

} // namespace

TEST(Paving, sixtyFacesOfQuadrilateralsOnly) {
  std::size_t inner = 0, irregular = 0;
  Progress progress;
  for (const Region& region : regions()) {
    SCOPED_TRACE(region.name);
    const Input in = inputOf(region, 0.6, true);
    const auto m = pavedPlane(
        in.base, in.loops, true, [](const Vec3&) { return 0.6; }, progress);
    ASSERT_TRUE(m);
    EXPECT_TRUE(m->triangles.empty());
    EXPECT_NEAR(areaOf(*m), in.area, 1e-9 * in.area);
    for (std::size_t v = 0; v < in.base.rim; ++v) EXPECT_EQ(m->points[v], in.base.points[v]);
    expectConforming(*m, in.loops);
    EXPECT_GT(worstCorner(*m), std::min(0.3, 0.95 * std::sin(in.sharpest)));
    std::vector<int> valence(m->points.size(), 0);
    for (const auto& q : m->quads)
      for (int v : q) ++valence[static_cast<std::size_t>(v)];
    for (std::size_t v = m->rim; v < valence.size(); ++v) {
      ++inner;
      irregular += valence[v] != 4;
    }
  }
  EXPECT_LT(static_cast<double>(irregular), 0.08 * static_cast<double>(inner)) << irregular << " of " << inner;
}

TEST(Paving, sixtyFacesOfMostlyQuadrilaterals) {
  Progress progress;
  double sum = 0;
  int faces = 0;
  for (const Region& region : regions()) {
    SCOPED_TRACE(region.name);
    const Input in = inputOf(region, 0.45, false);
    const auto m = pavedPlane(
        in.base, in.loops, false, [](const Vec3&) { return 0.45; }, progress);
    ASSERT_TRUE(m);
    const double share =
        static_cast<double>(m->quads.size()) / static_cast<double>(m->quads.size() + m->triangles.size());
    EXPECT_GT(share, 0.87);
    sum += share;
    ++faces;
    EXPECT_NEAR(areaOf(*m), in.area, 1e-9 * in.area);
    expectConforming(*m, in.loops);
    EXPECT_GT(worstCorner(*m), std::min(0.3, 0.95 * std::sin(in.sharpest)));
  }
  EXPECT_GT(sum / faces, 0.92);
}

TEST(Paving, oddAndTinyLoopsAreRefused) {
  Progress progress;
  const Region triangle{"", {{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}}, {0}};
  const Input in = inputOf(triangle, 2, false);
  EXPECT_FALSE(pavedPlane(
      in.base, in.loops, true, [](const Vec3&) { return 1.0; }, progress));
  const auto one = pavedPlane(
      in.base, in.loops, false, [](const Vec3&) { return 1.0; }, progress);
  ASSERT_TRUE(one);
  EXPECT_EQ(one->triangles.size(), 1u);
}

TEST(Matching, takesTheHeaviestPairs) {
  // A path of four nodes: the two ends together weigh more than the middle alone.
  EXPECT_EQ(heaviestPairs(4, {{0, 1}, {1, 2}, {2, 3}}, {3, 5, 3}), (std::vector<int>{1, 0, 3, 2}));
  EXPECT_EQ(heaviestPairs(4, {{0, 1}, {1, 2}, {2, 3}}, {3, 7, 3}), (std::vector<int>{-1, 2, 1, -1}));
  EXPECT_TRUE(heaviestPairs(0, {}, {}).empty());
}

TEST(FaceMaps, aRingIsLaidRoundACylinder) {
  const Part part = made("elbow 12 4 0 90");
  const BodyLoops loops(part, 0);
  for (int f : part.bodies[0].faces) {
    const auto around = loops.loops(f);
    ASSERT_TRUE(around);
    if (around->size() != 2) continue;
    const FaceMap map(part, f, around->front(), around->back());
    ASSERT_TRUE(map.good());
    for (double x : {0.0, 0.3, 0.8, 1.4})
      for (double y : {0.0, 0.25, 0.5, 1.0}) {
        const Vec3 p = map.at(x, y);
        EXPECT_LT((part.shape->projectToFace(f, p).point - p).norm(), 0.1);
        EXPECT_LT((map.at(x + 1, y) - p).norm(), 1e-6);
      }
    // Straight across, without a twist: the same place round both ends.
    for (double x : {0.1, 0.6}) EXPECT_NEAR(std::remainder(map.turnOf(map.at(x, 1), 1) - x, 1.0), 0, 0.02);
  }
}
