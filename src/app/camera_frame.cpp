// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/camera_frame.h"
#include <algorithm>

namespace tess {

Vec3 CameraFrame::ray(double x, double y) const {
  const double sx = 2 * x / width - 1 - centreX, sy = 1 - 2 * y / height - centreY;
  return (forward + tangent * (sx * width / height * right + sy * up)).normalized();
}

std::optional<CameraFrame::Pixel> CameraFrame::project(const Vec3& p) const {
  const Vec3 v = p - eye;
  const double z = v.dot(forward);
  if (z <= 0) return {};
  const double sx = v.dot(right) / z / tangent * height / width + centreX, sy = v.dot(up) / z / tangent + centreY;
  return Pixel{0.5 * width * (1 + sx), 0.5 * height * (1 - sy)};
}

Stand standToSee(const CameraFrame& frame, const std::vector<Vec3>& points, const Vec3& pivot, double freeWidth,
                 double freeHeight, double least) {
  // In the frame of the camera with its origin in the pivot, an eye at (a, z) sees a point (b, d) within the slope t
  // of its line of sight when b - t d <= a - t z and b + t d >= a + t z.
  struct Axis {
    double slope, above = -1e300, below = 1e300; ///< largest b - t d, least b + t d
    double nearest() const { return (below - above) / (2 * slope); }
  };
  Axis x{frame.tangent * freeWidth / frame.height}, y{frame.tangent * freeHeight / frame.height};
  double front = 1e300;
  for (const Vec3& p : points) {
    const Vec3 v = p - pivot;
    const double depth = v.dot(frame.forward), b[2] = {v.dot(frame.right), v.dot(frame.up)};
    front = std::min(front, depth);
    int k = 0;
    for (Axis* axis : {&x, &y}) {
      axis->above = std::max(axis->above, b[k] - axis->slope * depth);
      axis->below = std::min(axis->below, b[k] + axis->slope * depth);
      ++k;
    }
  }
  const double eye = std::min({x.nearest(), y.nearest(), front - least});
  Stand s;
  s.target = pivot + 0.5 * (x.above + x.below) * frame.right + 0.5 * (y.above + y.below) * frame.up;
  s.distance = -eye;
  return s;
}

} // namespace tess
