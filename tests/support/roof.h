// SPDX-License-Identifier: GPL-3.0-or-later
// A faceted part whose sharp edge ends inside a face.
#pragma once
#include "geometry/facet_shape.h"
#include <gtest/gtest.h>

namespace tess::test {

/// A block 40 x 20 x 3 with a saddle roof on it whose ridge falls from z = 13 to z = 3, where the roof is flat: its
/// turn of 90 degrees dies out, and the roof is one face.
inline Part roofThatFlattens() {
  FacetSoup s;
  const int n = 60;
  for (int i = 0; i <= n; ++i) {
    const double x = 2.0 * i;
    for (const Vec3& p : {Vec3(x, 0, 33 - x / 4), Vec3(x, 10, 3), Vec3(x, 10, 0), Vec3(x, -10, 0), Vec3(x, -10, 3)})
      s.points.push_back(p);
  }
  for (int i = 0; i < n; ++i)
    for (int k = 0; k < 5; ++k) {
      const int a = 5 * i + k, b = 5 * i + (k + 1) % 5;
      s.triangles.push_back({a, a + 5, b});
      s.triangles.push_back({b, a + 5, b + 5});
    }
  for (int k = 1; k < 4; ++k) {
    s.triangles.push_back({0, k, k + 1});
    s.triangles.push_back({5 * n, 5 * n + k + 1, 5 * n + k});
  }
  s.triangleName.assign(s.triangles.size(), -1);
  auto p = partFromFacets(s, {});
  EXPECT_TRUE(p.ok()) << (p.ok() ? "" : p.problem().sentence());
  return *p;
}

} // namespace tess::test
