// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/plane_triangles.h"
#include <cmath>
#include <functional>
#include <gtest/gtest.h>
#include <map>
#include <random>

using namespace tess;

namespace {

double area(const std::vector<Vec3>& p, const std::vector<std::array<int, 3>>& t, const Vec3& n) {
  double sum = 0;
  for (const auto& q : t) {
    double a = 0.5 * (p[static_cast<std::size_t>(q[1])] - p[static_cast<std::size_t>(q[0])])
                         .cross(p[static_cast<std::size_t>(q[2])] - p[static_cast<std::size_t>(q[0])])
                         .dot(n);
    EXPECT_GT(a, 0);
    sum += a;
  }
  return sum;
}
/// A closed loop of n points; clockwise for a hole.
void addLoop(std::vector<Vec3>& p, std::vector<std::array<int, 2>>& e, int n, bool hole,
             const std::function<Vec3(double)>& at) {
  int first = static_cast<int>(p.size());
  for (int i = 0; i < n; ++i) p.push_back(at(static_cast<double>(i) / n));
  for (int i = 0; i < n; ++i) {
    int a = first + i, b = first + (i + 1) % n;
    e.push_back(hole ? std::array{b, a} : std::array{a, b});
  }
}

} // namespace

TEST(PlaneTriangles, fillAStarWithHolesOnAnyPlane) {
  for (const Vec3& normal : {Vec3(0, 0, 1), Vec3(0, 0, -1), Vec3(0.3, -0.9, 0.2), Vec3(-1, 0.1, 0.4)}) {
    Vec3 n = normal.normalized(), u = n.unitOrthogonal(), v = n.cross(u);
    auto at = [&](double r, double angle, double x, double y) {
      return Vec3((x + r * std::cos(angle)) * u + (y + r * std::sin(angle)) * v);
    };
    std::vector<Vec3> p;
    std::vector<std::array<int, 2>> e;
    double expected = 0;
    addLoop(p, e, 60, false,
            [&](double s) { return at(s * 60 - std::floor(s * 60 / 2) * 2 < 0.5 ? 4 : 10, 2 * kPi * s, 0, 0); });
    for (std::size_t i = 0; i < 60; ++i) expected += 0.5 * p[i].cross(p[(i + 1) % 60]).dot(n);
    addLoop(p, e, 24, true, [&](double s) { return at(1, 2 * kPi * s, 1.2, 0.5); });
    addLoop(p, e, 16, true, [&](double s) { return at(0.4, 2 * kPi * s, -1.5, -0.2); });
    for (auto [from, count] :
         {std::pair<std::size_t, std::size_t>(60, 24), std::pair<std::size_t, std::size_t>(84, 16)}) {
      Vec3 sum(0, 0, 0);
      for (std::size_t i = 0; i < count; ++i) sum += 0.5 * p[from + i].cross(p[from + (i + 1) % count]);
      expected -= sum.dot(n);
    }
    auto t = fillPlane(p, e, n);
    // Euler: 100 corners, two holes.
    EXPECT_EQ(t.size(), p.size() + 2 * 2 - 2);
    EXPECT_NEAR(area(p, t, n), expected, 1e-9);
  }
}

TEST(PlaneTriangles, aStripAThousandTimesLongerThanWide) {
  std::vector<Vec3> p;
  std::vector<std::array<int, 2>> e;
  addLoop(p, e, 402, false, [](double s) {
    int i = static_cast<int>(std::lround(s * 402));
    return i <= 200 ? Vec3(i, 0, 0) : Vec3(401 - i + 0.37, 0.2 + 1e-3 * std::sin(i), 0);
  });
  auto t = fillPlane(p, e, Vec3(0, 0, 1));
  EXPECT_EQ(t.size(), p.size() - 2);
  area(p, t, Vec3(0, 0, 1));
}

TEST(PlaneTriangles, aGridOfCollinearPointsAndAnEdgeInside) {
  std::vector<Vec3> p;
  std::vector<std::array<int, 2>> e;
  addLoop(p, e, 40, false, [](double s) {
    double x = 4 * s;
    return x < 1 ? Vec3(x, 0, 0) : x < 2 ? Vec3(1, x - 1, 0) : x < 3 ? Vec3(3 - x, 1, 0) : Vec3(0, 4 - x, 0);
  });
  p.push_back(Vec3(0.3, 0.5, 0));
  p.push_back(Vec3(0.7, 0.5, 0));
  e.push_back({40, 41});
  e.push_back({41, 40});
  auto t = fillPlane(p, e, Vec3(0, 0, 1));
  EXPECT_NEAR(area(p, t, Vec3(0, 0, 1)), 1, 1e-12);
  int sides = 0;
  for (const auto& q : t)
    for (std::size_t k = 0; k < 3; ++k) sides += q[k] + q[(k + 1) % 3] == 81;
  EXPECT_EQ(sides, 2);
}

TEST(PlaneTriangles, whatCrossesTouchesOrStaysOpenIsRefused) {
  std::vector<Vec3> bow{{0, 0, 0}, {1, 1, 0}, {1, 0, 0}, {0, 1, 0}};
  EXPECT_TRUE(fillPlane(bow, {{0, 1}, {1, 2}, {2, 3}, {3, 0}}, Vec3(0, 0, 1)).empty());
  std::vector<Vec3> square{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0.5, 0, 0}};
  EXPECT_TRUE(fillPlane(square, {{0, 1}, {1, 2}, {2, 3}}, Vec3(0, 0, 1)).empty());
  EXPECT_TRUE(fillPlane(square, {{0, 1}, {1, 2}, {2, 3}, {3, 0}, {4, 2}, {2, 4}}, Vec3(0, 0, 1)).empty());
  EXPECT_TRUE(fillPlane(square, {{1, 0}, {2, 1}, {3, 2}, {0, 3}}, Vec3(0, 0, 1)).empty()); // the outside
}

TEST(PlaneTriangles, randomPolygonsOfManyPoints) {
  std::mt19937 rng(7);
  std::uniform_real_distribution<double> r(0.6, 1);
  for (int round = 0; round < 40; ++round) {
    std::vector<Vec3> p;
    std::vector<std::array<int, 2>> e;
    addLoop(p, e, 300, false, [&](double s) {
      double q = r(rng);
      return Vec3(q * std::cos(2 * kPi * s), q * std::sin(2 * kPi * s), 0.3 * q * std::cos(2 * kPi * s));
    });
    Vec3 n = Vec3(-0.3, 0, 1).normalized();
    double expected = 0;
    for (std::size_t i = 0; i < p.size(); ++i) expected += 0.5 * p[i].cross(p[(i + 1) % p.size()]).dot(n);
    auto t = fillPlane(p, e, n);
    ASSERT_EQ(t.size(), p.size() - 2) << round;
    EXPECT_NEAR(area(p, t, n), expected, 1e-9);
  }
}
