// SPDX-License-Identifier: GPL-3.0-or-later
// A perspective camera as seen by arithmetic: from places on the screen to rays, from points in space to the screen,
// and where to stand so that points fill a part of the view. No OpenGL in it.
#pragma once
#include "base/vec.h"
#include <optional>
#include <vector>

namespace tess {

struct CameraFrame {
  Vec3 eye, forward, right, up; ///< unit vectors, perpendicular
  double tangent = 1;           ///< of half the vertical angle of view
  double width = 1, height = 1; ///< of the view, pixels
  /// Where the line of sight meets the screen, in shares of the half view from its middle: right, up. The camera is
  /// not turned for that; the picture is shifted, so that what it turns about stays there.
  double centreX = 0, centreY = 0;

  /// Through the pixel x, y, counted from the upper left; a unit vector.
  Vec3 ray(double x, double y) const;
  struct Pixel {
    double x, y;
  };
  /// Nothing behind the eye is on the screen.
  std::optional<Pixel> project(const Vec3& p) const;
};

/// What to look at and from how far.
struct Stand {
  Vec3 target; ///< on the line of sight
  double distance = 0;
};

/// The nearest place from which all points, seen along frame.forward, lie within `freeWidth` x `freeHeight` pixels
/// about the line of sight, as near to the middle as they can be; the target lies at the depth of `pivot`. Solves the
/// four half-planes of the cone directly. Points: one at least; a single point is looked at from `least` away.
Stand standToSee(const CameraFrame& frame, const std::vector<Vec3>& points, const Vec3& pivot, double freeWidth,
                 double freeHeight, double least);

} // namespace tess
