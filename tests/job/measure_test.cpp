// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/measure.h"
#include "support/fixtures.h"
#include <cmath>

using namespace tess;
using namespace tess::test;

namespace {

double of(const std::vector<Measure>& all, const std::string& name) {
  for (const auto& m : all)
    if (m.name == name) return m.value;
  return std::nan("");
}
/// Face of a box that looks along an axis.
int facing(const Part& part, const Vec3& axis) {
  for (std::size_t f = 0; f < part.faces.size(); ++f)
    if (part.faces[f].kind == SurfaceKind::Plane && part.faces[f].axis.dot(axis) > 0.999) return static_cast<int>(f);
  return -1;
}

} // namespace

TEST(Measure, distancesAnglesAndThicknessOfABox) {
  Part box = made("box 20 30 8");
  int left = facing(box, -Vec3::UnitX()), right = facing(box, Vec3::UnitX()), top = facing(box, Vec3::UnitZ());
  auto across = measure(box, Dim::Face, {left, right});
  EXPECT_NEAR(of(across, "distance"), 20, 1e-9);
  EXPECT_NEAR(of(across, "angle"), 0, 1e-9);
  EXPECT_NEAR(of(across, "area"), 2 * 30 * 8, 1e-9);
  auto corner = measure(box, Dim::Face, {left, top});
  EXPECT_NEAR(of(corner, "distance"), 0, 1e-9);
  EXPECT_NEAR(of(corner, "angle"), 90, 1e-9);
  auto one = measure(box, Dim::Face, {top});
  EXPECT_NEAR(of(one, "thickness"), 8, 1e-9);
  EXPECT_NEAR(of(one, "equivalent diameter"), 2 * std::sqrt(600 / kPi), 1e-9);
  EXPECT_TRUE(std::isnan(of(one, "diameter")));
  EXPECT_NEAR(of(measure(box, Dim::Body, {0}), "volume"), 4800, 1e-6);
}

TEST(Measure, roundThingsHaveDiameters) {
  Part tube = made("tube 10 7 25");
  std::set<double> faces, edges;
  int outer = -1, inner = -1;
  for (int f = 0; f < tube.count(Dim::Face); ++f)
    if (double d = of(measure(tube, Dim::Face, {f}), "diameter"); !std::isnan(d)) {
      faces.insert(std::round(1e6 * d) / 1e6);
      (d > 15 ? outer : inner) = f;
    }
  for (int e = 0; e < tube.count(Dim::Edge); ++e)
    if (double d = of(measure(tube, Dim::Edge, {e}), "diameter"); !std::isnan(d))
      edges.insert(std::round(1e6 * d) / 1e6);
  EXPECT_EQ(faces, (std::set<double>{14, 20}));
  EXPECT_EQ(edges, (std::set<double>{14, 20}));
  EXPECT_NEAR(of(measure(tube, Dim::Face, {outer}), "thickness"), 3, 1e-9);
  EXPECT_NEAR(of(measure(tube, Dim::Face, {outer, inner}), "distance"), 3, 1e-6);
}

TEST(Measure, pointsAndTexts) {
  Part box = made("box 3 4 12");
  double longest = 0;
  for (int p = 1; p < box.count(Dim::Point); ++p)
    longest = std::max(longest, of(measure(box, Dim::Point, {0, p}), "distance"));
  EXPECT_NEAR(longest, 13, 1e-9);
  EXPECT_EQ((Measure{"area", 12.5, 2}).text("mm"), "12.5 mm^2");
  EXPECT_EQ((Measure{"angle", 30, 0}).text("mm"), "30 deg");
  EXPECT_TRUE(measure(box, Dim::Face, {}).empty());
}
