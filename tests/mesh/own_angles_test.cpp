// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/own_angles.h"
#include "support/fixtures.h"

using namespace tess;
using namespace tess::test;

namespace {
/// A wedge: two quadrilaterals that meet at the y axis with an angle, closed by three more faces; one prism.
Mesh wedge(double degrees) {
  double a = degrees * kPi / 180, x = 2 * std::cos(a), z = 2 * std::sin(a);
  Mesh m = oneCell(ElementType::Wedge6, {{0, 0, 0}, {x, 0, z}, {2, 0, 0}, {0, 3, 0}, {x, 3, z}, {2, 3, 0}});
  m.faceLink.clear();
  for (std::size_t f = 0; f < m.faces.size(); ++f) m.faceLink.push_back(static_cast<std::int32_t>(f));
  m.nodeLink.assign(m.nodes.size(), {0, 0});
  return m;
}
} // namespace

TEST(OwnAngles, aWedgeHasItsOpeningAngleAtItsRim) {
  for (double degrees : {3.0, 7.0, 20.0, 60.0}) {
    Mesh m = wedge(degrees);
    auto own = ownAngles(m);
    EXPECT_NEAR(own[0], degrees, 1e-3) << degrees;
    EXPECT_NEAR(own[3], degrees, 1e-3) << degrees;
    EXPECT_NEAR(own[1], std::min(90.0, 90 - degrees / 2), 1e-3);
    for (auto& l : m.nodeLink) l = {1, 0}; // no corners: the rim tells it too
    EXPECT_NEAR(ownAngles(m)[0], degrees, 1e-3) << degrees;
  }
}

TEST(OwnAngles, facesOfOneGeometryFaceDoNotCount) {
  Mesh m = wedge(5);
  m.faceLink.assign(m.faces.size(), 0);
  m.nodeLink.assign(m.nodes.size(), {2, 0});
  for (float a : ownAngles(m)) EXPECT_FLOAT_EQ(a, 180);
  m.faceLink.clear();
  for (float a : ownAngles(m)) EXPECT_FLOAT_EQ(a, 180);
}

TEST(OwnAngles, aBoxHasRightAnglesOnly) {
  Mesh m = meshOf(made("box 20 16 12"), 5).mesh;
  auto own = ownAngles(m);
  for (std::size_t n = 0; n < own.size(); ++n)
    EXPECT_NEAR(own[n], m.nodeLink[n].dim < 2 ? 90 : 180, 0.01) << n << " on dim " << int(m.nodeLink[n].dim);
}

namespace {
/// A tet in the wedge of opening `degrees` between z = 0 and the plane through the y axis, about x from the rim: two
/// corners on each face, edges about 1 long, and a prism far thinner than that at the rim.
Mesh besideTheRim(double degrees, double x) {
  Mesh m = wedge(degrees);
  const double a = degrees * kPi / 180;
  auto upper = [&](double along, double y) { return Vec3(along * std::cos(a), y, along * std::sin(a)); };
  const auto n = static_cast<std::int32_t>(m.nodes.size());
  for (const Vec3& p : {Vec3(x - 0.5, 1, 0), Vec3(x + 0.5, 1, 0), upper(x, 0.5), upper(x, 1.5)}) m.nodes.push_back(p);
  // The prism's faces: which of them are the two that meet at the rim?
  std::vector<std::int32_t> low, high;
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    bool bottom = true, top = true;
    for (auto v : m.faces.of(f)) {
      bottom = bottom && (v == 0 || v == 2 || v == 3 || v == 5);
      top = top && (v == 0 || v == 1 || v == 3 || v == 4);
    }
    if (bottom) low.push_back(static_cast<std::int32_t>(f));
    if (top) high.push_back(static_cast<std::int32_t>(f));
  }
  EXPECT_EQ(low.size() + high.size(), 2u);
  for (auto f : {low[0], low[0], high[0], high[0]}) m.nodeLink.push_back({2, f});
  m.cells.add(ElementType::Tet4, std::vector<std::int32_t>{n, n + 1, n + 2, n + 3});
  m.cellRegion.push_back(0);
  return m;
}
} // namespace

TEST(OwnAngles, aFlatCellBesideASharpRimIsTheWedgesWhereItIsThin) {
  // The mean edge is 0.81, a quarter of it the thickness at 2.3.
  EXPECT_EQ(inSharpWedge(besideTheRim(5, 2.1), {1}, 8), std::vector<char>{1});
  EXPECT_EQ(inSharpWedge(besideTheRim(5, 2.5), {1}, 8), std::vector<char>{0});
  EXPECT_EQ(inSharpWedge(besideTheRim(2, 1.9), {1}, 8), std::vector<char>{1});
  EXPECT_EQ(inSharpWedge(besideTheRim(9, 0.6), {1}, 8), std::vector<char>{0}); // no sharp rim
  Mesh other = besideTheRim(5, 1.2);
  other.nodeLink.back().entity = 99; // a corner on a third face: not between the two
  EXPECT_EQ(inSharpWedge(other, {1}, 8), std::vector<char>{0});
  other.nodeLink.back() = {}; // inside the wedge: just as thin
  EXPECT_EQ(inSharpWedge(other, {1}, 8), std::vector<char>{1});
  other.cellRegion.back() = 1; // of the neighbour across one of the faces
  EXPECT_EQ(inSharpWedge(other, {1}, 8), std::vector<char>{0});
  other.nodeLink.clear();
  EXPECT_EQ(inSharpWedge(other, {1}, 8), std::vector<char>{0});
}
