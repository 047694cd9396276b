// SPDX-License-Identifier: GPL-3.0-or-later
// What changes of the surface must hold on to, and the search for a place that lifts the worst.
#pragma once
#include "base/vec.h"
#include <cmath>

namespace tess {

inline constexpr double kTurn = 0.9; ///< cosine by which a surface triangle may turn in one change
inline constexpr double kShape =
    0.2; ///< least shape of a changed surface triangle (1: equilateral), unless it was worse

/// Area against edge lengths: 1 for an equilateral triangle, 0 for a flat one.
inline double shapeOf(const Vec3& a, const Vec3& b, const Vec3& c) {
  double l2 = (a - b).squaredNorm() + (b - c).squaredNorm() + (c - a).squaredNorm();
  return l2 > 0 ? (b - a).cross(c - a).norm() * 2 * std::sqrt(3.0) / l2 : 0.0;
}

/// Largest coordinate search: p moves by steps along the axes, as `put` lays it onto the geometry, while `score` grows.
template <class Put, class Score> double climb(Vec3& p, double step, double best, Put&& put, Score&& score) {
  for (int level = 0; level < 5; ++level) {
    bool any = false;
    for (int k = 0; k < 6; ++k) {
      Vec3 e = Vec3::Zero();
      e[k / 2] = k & 1 ? -step : step;
      Vec3 to = put(p + e);
      double s = score(to, best);
      if (s > best) best = s, p = to, any = true;
    }
    if (!any) step *= 0.5;
  }
  return best;
}

} // namespace tess
