// SPDX-License-Identifier: GPL-3.0-or-later
// Triangles cut into pieces that are short enough.
#pragma once
#include "base/vec.h"
#include <array>
#include <vector>

namespace tess {

/// The longest side of a triangle: 0 for the one from corner 0 to corner 1.
inline std::size_t longestSide(const std::array<Vec3, 3>& q) {
  std::size_t best = 0;
  for (std::size_t k = 1; k < 3; ++k)
    if ((q[k] - q[(k + 1) % 3]).squaredNorm() > (q[best] - q[(best + 1) % 3]).squaredNorm()) best = k;
  return best;
}

/// Halves a triangle at its longest side until none is longer than `longest`; `visit(piece)` in a fixed order.
template <class Visit> void forPieces(const std::array<Vec3, 3>& triangle, double longest, Visit&& visit) {
  std::vector<std::array<Vec3, 3>> todo{triangle};
  while (!todo.empty()) {
    const auto q = todo.back();
    todo.pop_back();
    const std::size_t k = longestSide(q);
    if ((q[k] - q[(k + 1) % 3]).norm() <= longest) {
      visit(q);
      continue;
    }
    const Vec3 m = 0.5 * (q[k] + q[(k + 1) % 3]);
    todo.push_back({q[k], m, q[(k + 2) % 3]});
    todo.push_back({m, q[(k + 1) % 3], q[(k + 2) % 3]});
  }
}

} // namespace tess
