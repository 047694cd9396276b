// SPDX-License-Identifier: GPL-3.0-or-later
// The point of a convex hull nearest to the origin.
#pragma once
#include "base/vec.h"
#include <algorithm>
#include <vector>

namespace tess {

/// Point of least norm in the convex hull of `g` (Gilbert's iteration); zero length when the origin lies inside. Of
/// unit vectors it points where the least of their cosines is greatest, and that is its length.
inline Vec3 leastNorm(const std::vector<Vec3>& g) {
  Vec3 x = g.front();
  for (const auto& v : g)
    if (v.squaredNorm() < x.squaredNorm()) x = v;
  for (int k = 0; k < 40; ++k) {
    const Vec3* low = &g.front();
    for (const auto& v : g)
      if (v.dot(x) < low->dot(x)) low = &v;
    Vec3 d = *low - x;
    double gap = -d.dot(x), l2 = d.squaredNorm();
    if (gap <= 1e-6 * x.squaredNorm() || l2 <= 0) break;
    x += std::min(1.0, gap / l2) * d;
  }
  return x;
}

} // namespace tess
