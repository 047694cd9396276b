// SPDX-License-Identifier: GPL-3.0-or-later
// The camera's arithmetic: pixels and rays, and standing where everything is in sight.
#include "app/camera_frame.h"
#include <gtest/gtest.h>
#include <random>

using namespace tess;

namespace {

/// A camera that looks anywhere, with its picture shifted.
CameraFrame anyFrame(std::mt19937& rng) {
  std::uniform_real_distribution<double> u(-1, 1);
  CameraFrame f;
  f.eye = 5 * Vec3(u(rng), u(rng), u(rng));
  f.forward = Vec3(u(rng), u(rng), u(rng) + 1.5).normalized();
  f.right = f.forward.cross(Vec3(0.3, 1, 0)).normalized();
  f.up = f.right.cross(f.forward);
  f.tangent = 0.2 + 0.1 * u(rng);
  f.width = 600 + 200 * u(rng);
  f.height = 500 + 200 * u(rng);
  f.centreX = 0.3 * u(rng);
  f.centreY = 0.3 * u(rng);
  return f;
}

} // namespace

TEST(CameraFrame, theRayThroughAPixelHitsThatPixel) {
  std::mt19937 rng(3);
  std::uniform_real_distribution<double> u(0, 1);
  for (int k = 0; k < 200; ++k) {
    const CameraFrame f = anyFrame(rng);
    const double x = u(rng) * f.width, y = u(rng) * f.height;
    const Vec3 ray = f.ray(x, y);
    EXPECT_NEAR(ray.norm(), 1, 1e-12);
    const auto back = f.project(f.eye + (1 + 10 * u(rng)) * ray);
    ASSERT_TRUE(back);
    EXPECT_NEAR(back->x, x, 1e-8);
    EXPECT_NEAR(back->y, y, 1e-8);
    EXPECT_FALSE(f.project(f.eye - ray)); // behind the eye
    // The line of sight meets the screen where the picture is centred.
    const auto centre = f.project(f.eye + f.forward);
    EXPECT_NEAR(centre->x, 0.5 * f.width * (1 + f.centreX), 1e-9);
    EXPECT_NEAR(centre->y, 0.5 * f.height * (1 - f.centreY), 1e-9);
  }
}

TEST(CameraFrame, fromTheStandAllIsInSightAndAsLargeAsItCanBe) {
  std::mt19937 rng(5);
  std::uniform_real_distribution<double> u(-1, 1);
  for (int k = 0; k < 200; ++k) {
    CameraFrame f = anyFrame(rng);
    const Vec3 middle(u(rng), u(rng), u(rng)), stretch(1 + u(rng), 1 + u(rng), 1 + u(rng));
    std::vector<Vec3> points;
    for (int i = 0; i < 40; ++i) points.push_back(middle + Vec3(u(rng), u(rng), u(rng)).cwiseProduct(stretch));
    const double wide = (0.7 + 0.2 * u(rng)) * f.width, high = (0.7 + 0.2 * u(rng)) * f.height;
    const Stand s = standToSee(f, points, middle, wide, high, 1e-3);
    ASSERT_GT(s.distance, 0);
    EXPECT_NEAR((s.target - middle).dot(f.forward), 0, 1e-12); // at the depth of the pivot
    f.eye = s.target - s.distance * f.forward;
    double left = 1e9, right = -1e9, top = 1e9, bottom = -1e9;
    for (const Vec3& p : points) {
      const auto at = f.project(p);
      ASSERT_TRUE(at);
      left = std::min(left, at->x);
      right = std::max(right, at->x);
      top = std::min(top, at->y);
      bottom = std::max(bottom, at->y);
    }
    const double x0 = 0.5 * (f.width * (1 + f.centreX) - wide), y0 = 0.5 * (f.height * (1 - f.centreY) - high);
    EXPECT_GE(left, x0 - 1e-6);
    EXPECT_LE(right, x0 + wide + 1e-6);
    EXPECT_GE(top, y0 - 1e-6);
    EXPECT_LE(bottom, y0 + high + 1e-6);
    // One direction is filled from rim to rim.
    EXPECT_NEAR(std::max((right - left) / wide, (bottom - top) / high), 1, 1e-9);
  }
}

TEST(CameraFrame, aSinglePointIsLookedAtFromAway) {
  std::mt19937 rng(7);
  CameraFrame f = anyFrame(rng);
  const Stand s = standToSee(f, {Vec3(1, 2, 3)}, Vec3(1, 2, 3), 100, 100, 0.5);
  EXPECT_NEAR(s.distance, 0.5, 1e-12);
  EXPECT_NEAR((s.target - Vec3(1, 2, 3)).norm(), 0, 1e-12);
}
