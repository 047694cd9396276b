// SPDX-License-Identifier: GPL-3.0-or-later
// Bridging comes to an end whatever lies far below the size. A signal mast that ends in a needle: near its tip the
// sides of the needle are parted, and would fall together again between the nodes that were made for it.
#include "support/fixtures.h"
#include <cmath>

using namespace tess;
using namespace tess::test;

namespace {
/// A round foot of radius 4 and height 2 with a needle of radius 0.37 and height 19.3 on it, as facets.
std::string mast(const TempFolder& dir, int sides) {
  std::string points, faces;
  auto ring = [&](double radius, double z) {
    for (int i = 0; i < sides; ++i) {
      const double a = 2 * kPi * i / sides + 0.2;
      points += "v " + std::to_string(radius * std::cos(a)) + " " + std::to_string(radius * std::sin(a)) + " " +
                std::to_string(z) + "\n";
    }
  };
  ring(4, 0);
  ring(4, 2);
  ring(0.37, 2);
  points += "v 0 0 21.3\nv 0 0 0\n";
  const int tip = 3 * sides + 1, middle = tip + 1;
  auto face = [&](int a, int b, int c) {
    faces += "f " + std::to_string(a) + " " + std::to_string(b) + " " + std::to_string(c) + "\n";
  };
  for (int i = 0; i < sides; ++i) {
    const int a = i + 1, b = (i + 1) % sides + 1;
    face(middle, b, a);
    for (int k = 0; k < 2; ++k) {
      face(k * sides + a, k * sides + b, (k + 1) * sides + b);
      face(k * sides + a, (k + 1) * sides + b, (k + 1) * sides + a);
    }
    face(2 * sides + a, 2 * sides + b, tip);
  }
  return dir.write("mast.obj", points + faces);
}
} // namespace

TEST(Bridging, comesToAnEndAtTheTipOfANeedle) {
  TempFolder dir;
  for (int sides : {4, 8}) {
    auto part = loadPart(mast(dir, sides));
    ASSERT_TRUE(part.ok()) << part.problem().sentence();
    for (double size : {2.2, 2.5, 3.5}) {
      const Mesh m = meshOf(*part, size).mesh;
      EXPECT_NEAR(meshVolume(m), part->volume(), 2e-3 * part->volume()) << sides << " sides, size " << size;
    }
  }
}
