// SPDX-License-Identifier: GPL-3.0-or-later
// A faceted part one of whose faces ends in a narrow corner.
#pragma once
#include "geometry/facet_shape.h"
#include <cmath>
#include <gtest/gtest.h>

namespace tess::test {

/// A block of 40 x 10 along y and z, cut off below by a plane that meets its top under `wedgeDeg`. On the face x = 0 a
/// strip is left along the top that narrows from y = 0 to its corner at (0, 20, 10), where it ends under `cornerDeg`;
/// behind that the top and the plane meet in the wedge itself.
inline Part narrowCorner(double cornerDeg, double wedgeDeg) {
  const double a = std::tan(cornerDeg * kPi / 180), m = std::tan(wedgeDeg * kPi / 180), end = 20, length = 40;
  auto cut = [&](double y, double z) { return (10 - a * end + a * y - z) / m; };
  const double width = cut(length, 0) + 5;
  FacetSoup s;
  s.points = {{0, 0, 10},          {width, 0, 10},
              {width, length, 10}, {cut(length, 10), length, 10},
              {0, end, 10},        {0, 0, 10 - a * end},
              {cut(0, 0), 0, 0},   {width, 0, 0},
              {width, length, 0},  {cut(length, 0), length, 0}};
  const std::vector<std::vector<int>> faces{{0, 1, 2, 3, 4}, {9, 8, 7, 6}, {0, 5, 6, 7, 1}, {2, 8, 9, 3},
                                            {1, 7, 8, 2},    {0, 4, 5},    {4, 3, 9, 6, 5}};
  for (const auto& f : faces)
    for (std::size_t k = 1; k + 1 < f.size(); ++k) s.triangles.push_back({f[0], f[k], f[k + 1]});
  s.triangleName.assign(s.triangles.size(), -1);
  auto p = partFromFacets(s, {});
  EXPECT_TRUE(p.ok()) << (p.ok() ? "" : p.problem().sentence());
  return *p;
}

} // namespace tess::test
