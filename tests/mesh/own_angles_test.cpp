// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/own_angles.h"
#include "support/fixtures.h"

using namespace tess;
using namespace tess::test;

namespace {
/// A wedge: two quadrilaterals that meet at the y axis with an angle, closed by three more faces; one prism.
Mesh wedge(double degrees) {
  double a = degrees * kPi / 180, x = 2 * std::cos(a), z = 2 * std::sin(a);
  Mesh m = oneCell(ElementType::Wedge6, {{0, 0, 0}, {2, 0, 0}, {x, 0, z}, {0, 3, 0}, {2, 3, 0}, {x, 3, z}});
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
