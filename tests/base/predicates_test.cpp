// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/predicates.h"
#include <gtest/gtest.h>
#include <random>

using namespace tess;

namespace {
int sgn(double x) { return (x > 0) - (x < 0); }
} // namespace

TEST(Predicates, orientationOfSimpleTetIsPositive) {
  EXPECT_GT(orient3d({0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}), 0);
  EXPECT_LT(orient3d({0, 0, 0}, {0, 1, 0}, {1, 0, 0}, {0, 0, 1}), 0);
}

TEST(Predicates, coplanarPointsGiveExactlyZero) {
  // The plane x + y + z = 3 with coordinates that are exact in binary.
  EXPECT_EQ(orient3d({3, 0, 0}, {0, 3, 0}, {0, 0, 3}, {1, 1, 1}), 0);
  EXPECT_EQ(orient3d({0.5, 0.25, 7}, {1.5, 0.25, 7}, {0.5, 2.25, 7}, {1e6, -3e5, 7}), 0);
}

TEST(Predicates, oneUlpOffThePlaneIsSeen) {
  for (double z : {0.1, 1.0 / 3, 12345.678}) {
    Vec3 a(0.1, 0.7, z), b(12.3, 0.2, z), c(5.1, 9.9, z), d(4.4, 3.3, std::nextafter(z, 1e9)),
        e(4.4, 3.3, std::nextafter(z, -1e9));
    EXPECT_EQ(sgn(orient3d(a, b, c, d)), -sgn(orient3d(a, b, c, e)));
    EXPECT_NE(orient3d(a, b, c, d), 0);
    EXPECT_EQ(orient3d(a, b, c, Vec3(4.4, 3.3, z)), 0);
  }
}

TEST(Predicates, swapsChangeTheSignForNearlyFlatRandomPoints) {
  std::mt19937 rng(7);
  std::uniform_real_distribution<double> u(-1, 1);
  for (int i = 0; i < 2000; ++i) {
    Vec3 a(u(rng), u(rng), 0.3), b(u(rng), u(rng), 0.3), c(u(rng), u(rng), 0.3),
        d(u(rng), u(rng), 0.3 + (i % 3 - 1) * 5.551115123125783e-17);
    int s = sgn(orient3d(a, b, c, d));
    EXPECT_EQ(s, -sgn(orient3d(b, a, c, d)));
    EXPECT_EQ(s, sgn(orient3d(b, c, a, d)));
    EXPECT_EQ(s, -sgn(orient3d(a, b, d, c)));
  }
}

TEST(Predicates, insphereOfCubeCornersIsExactlyZero) {
  // Five corners of a cube lie on one sphere.
  EXPECT_EQ(insphere({0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {1, 1, 1}), 0);
  EXPECT_GT(insphere({0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {0.5, 0.5, 0.5}), 0);
  EXPECT_LT(insphere({0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {1.1, 1.1, 1.1}), 0);
}

TEST(Predicates, symbolicInsphereNeverTiesAndIsConsistent) {
  // For five cospherical points exactly one of "e in abcd" and its mirror questions may hold, whatever the order.
  Vec3 p[5] = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {1, 1, 1}};
  for (std::uint32_t shift = 0; shift < 5; ++shift) {
    std::uint32_t id[5];
    const Vec3* q[5];
    for (std::uint32_t k = 0; k < 5; ++k) {
      id[k] = (k + shift) % 5;
      q[k] = &p[k];
    }
    int s = insphereSos(q, id);
    EXPECT_TRUE(s == 1 || s == -1);
    std::swap(q[0], q[1]);
    std::swap(q[2], q[3]);
    std::swap(id[0], id[1]);
    std::swap(id[2], id[3]);
    EXPECT_EQ(s, insphereSos(q, id)); // an even permutation of the same tet
  }
}

TEST(Predicates, resultsDoNotDependOnLargeOffsets) {
  Vec3 o(1e7, -2e7, 3e7);
  EXPECT_EQ(orient3d(o, o + Vec3(1, 0, 0), o + Vec3(0, 1, 0), o + Vec3(5, 5, 0)), 0);
  EXPECT_EQ(insphere(o, o + Vec3(1, 0, 0), o + Vec3(0, 1, 0), o + Vec3(0, 0, 1), o + Vec3(1, 1, 1)), 0);
}

TEST(Predicates, nearTiesFarBelowTheFilterHaveTheRightSign) {
  // A right prism's corners lie on one sphere; the sixth is moved by single steps of its last coordinate.
  std::mt19937 rng(3);
  std::uniform_real_distribution<double> u(0, 10);
  for (int i = 0; i < 500; ++i) {
    const double z = u(rng), top = z + 0.1 + u(rng);
    Vec3 a(u(rng), u(rng), z), b(u(rng), u(rng), z), c(u(rng), u(rng), z);
    Vec3 d(a.x(), a.y(), top), e(b.x(), b.y(), top);
    if (orient3d(a, b, c, d) < 0) std::swap(a, b), std::swap(d, e);
    EXPECT_EQ(insphere(a, b, c, d, e), 0);
    const Vec3 out(e.x(), e.y(), std::nextafter(top, 1e9)), in(e.x(), e.y(), std::nextafter(top, -1e9));
    EXPECT_LT(insphere(a, b, c, d, out), 0);
    EXPECT_GT(insphere(a, b, c, d, in), 0);
  }
}

TEST(Predicates, signsHoldForTinyAndHugeCoordinates) {
  for (double s : {1e-55, 1e-40, 1e-3, 1e20, 1e50}) {
    const Vec3 a(0, 0, 0), b(s, 0, 0), c(0, s, 0), d(s / 3, s / 3, 1e-17 * s);
    EXPECT_GT(orient3d(a, b, c, d), 0) << s;
    EXPECT_LT(orient3d(b, a, c, d), 0) << s;
    EXPECT_EQ(orient3d(a, b, c, Vec3(s / 3, s / 7, 0)), 0) << s;
  }
}
