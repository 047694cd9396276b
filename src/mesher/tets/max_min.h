// SPDX-License-Identifier: GPL-3.0-or-later
// Non-smooth optimisation of the place of one vertex (Freitag & Ollivier-Gooch 1997): the smallest of several quality
// functions is raised along the direction in which all of the lowest ones grow, which is the point of least norm in
// the convex hull of their gradients. A search along the axes gets stuck where two of them meet; this does not.
#pragma once
#include "base/least_norm.h"

namespace tess {

/// Raises the smallest value. `values(p, out)` gives all functions at p; `put(p)` lays a point onto what the vertex may
/// lie on; `allowed(p)` says whether it may lie there. Lengths are in units of the caller; `reach` is that of a first
/// step. `p` changes only when the smallest value grows; returns that value.
template <class Values, class Put, class Allowed>
double raiseSmallest(Vec3& p, double reach, Values&& values, Put&& put, Allowed&& allowed, int rounds = 6) {
  std::vector<double> now, moved, least;
  std::vector<std::vector<double>> slope(3);
  values(p, now);
  double worst = *std::min_element(now.begin(), now.end());
  double step = reach;
  for (int round = 0; round < rounds; ++round) {
    const double eps = 1e-4 * reach;
    for (int k = 0; k < 3; ++k) {
      Vec3 e = Vec3::Zero();
      e[k] = eps;
      values(p + e, moved);
      slope[static_cast<std::size_t>(k)].resize(now.size());
      for (std::size_t i = 0; i < now.size(); ++i) slope[static_cast<std::size_t>(k)][i] = (moved[i] - now[i]) / eps;
    }
    bool better = false;
    for (double band : {0.02, 0.004}) { // of values that count as lowest
      std::vector<Vec3> active;
      for (std::size_t i = 0; i < now.size(); ++i)
        if (now[i] <= worst + band) active.push_back({slope[0][i], slope[1][i], slope[2][i]});
      Vec3 d = leastNorm(active);
      double l = d.norm();
      if (l * reach < 1e-6) continue;
      d /= l;
      for (double s = step; s > 0.004 * reach; s *= 0.4) {
        Vec3 to = put(p + s * d);
        if (!allowed(to)) continue;
        values(to, moved);
        double w = *std::min_element(moved.begin(), moved.end());
        if (w <= worst + 1e-7) continue;
        better = w > worst * 1.002 + 1e-6;
        worst = w;
        p = to;
        now = moved;
        step = std::min(reach, 2.5 * s);
        break;
      }
      if (better) break;
    }
    if (!better) break;
  }
  return worst;
}

} // namespace tess
