// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/lattice_face.h"
#include <gtest/gtest.h>
#include <map>

using namespace tess;

namespace {

/// A boundary in steps: letters E, N, W, S, each one element long; widths of columns and rows may differ.
struct Boundary {
  FaceCells base;
  std::vector<int> ways;
};
Boundary walk(const std::string& steps, const std::vector<double>& columns = {}, const std::vector<double>& rows = {}) {
  Boundary r;
  int i = 0, j = 0;
  auto at = [](const std::vector<double>& widths, int k) {
    if (widths.empty()) return static_cast<double>(k);
    double x = 0;
    for (int n = 0; n < k; ++n) x += widths[static_cast<std::size_t>(n)];
    return x;
  };
  for (char c : steps) {
    r.base.points.push_back({at(columns, i), at(rows, j), 0});
    r.base.normals.push_back({0, 0, 1});
    const int way = c == 'E' ? 0 : c == 'N' ? 1 : c == 'W' ? 2 : 3;
    r.ways.push_back(way);
    i += way == 0 ? 1 : way == 2 ? -1 : 0;
    j += way == 1 ? 1 : way == 3 ? -1 : 0;
  }
  r.base.rim = r.base.points.size();
  return r;
}

double coveredArea(const FaceCells& m) {
  double area = 0;
  for (const auto& q : m.quads)
    for (std::size_t k = 1; k < 3; ++k) {
      const Vec3 &a = m.points[static_cast<std::size_t>(q[0])], &b = m.points[static_cast<std::size_t>(q[k])],
                 &c = m.points[static_cast<std::size_t>(q[k + 1])];
      area += 0.5 * (b - a).cross(c - a).z();
    }
  return area;
}

} // namespace

TEST(Lattice, shapesOfSquareCornersBecomeRows) {
  const std::map<std::string, std::size_t> shapes{
      {"EEEENNWWNNWWSSSS", 12},         // L
      {"EEEEEENNWWNNWWSSWWSS", 16},     // T, upside down
      {"EEEEEENNNNWWSSWWNNWWSSSS", 20}, // U
      {"EENNEENNWWNNWWSSWWSSEESS", 20}, // a cross
      {"EEEEEENWWNWWNWWSSS", 12},       // stairs
      {"EEEENNNNWWWWSSSS", 16},         // a square
  };
  for (const auto& [steps, cells] : shapes) {
    SCOPED_TRACE(steps);
    const Boundary b = walk(steps);
    const auto m = cellsInLattice(b.base, b.ways);
    ASSERT_TRUE(m);
    EXPECT_EQ(m->quads.size(), cells);
    EXPECT_NEAR(coveredArea(*m), static_cast<double>(cells), 1e-9);
    EXPECT_NEAR(worstCorner(*m), 1, 1e-9);
    for (std::size_t v = 0; v < b.base.rim; ++v) EXPECT_EQ(m->points[v], b.base.points[v]);
  }
}

TEST(Lattice, innerNodesKeepTheSpacingOfTheBoundary) {
  const std::vector<double> columns{0.2, 0.4, 0.8, 1.6}, rows{1, 0.5, 0.25, 2};
  const Boundary b = walk("EEEENNWWNNWWSSSS", columns, rows);
  const auto m = cellsInLattice(b.base, b.ways);
  ASSERT_TRUE(m);
  EXPECT_NEAR(worstCorner(*m), 1, 1e-9); // columns stay upright
  EXPECT_NEAR(coveredArea(*m), 3.0 * 1.5 + 0.6 * 2.25, 1e-9);
}

TEST(Lattice, whatDoesNotCloseOrMeetsItselfIsNone) {
  for (const char* steps : {"EEEENNWWWSS", // one element too few
                            "EEENNNWWWWSSEEEESSSWWNN", "EEEESSSSWWWWNNNN" /* the region to the right */}) {
    const Boundary b = walk(steps);
    EXPECT_FALSE(cellsInLattice(b.base, b.ways)) << steps;
  }
  const Boundary b = walk("EENNWWSS");
  EXPECT_FALSE(cellsInLattice(b.base, {0, 0, 1})); // a way for some nodes only
}
