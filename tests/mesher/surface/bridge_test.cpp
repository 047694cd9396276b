// SPDX-License-Identifier: GPL-3.0-or-later
// Bridging comes to an end whatever lies far below the size. A signal mast that ends in a needle: near its tip the
// sides of the needle are parted, and would fall together again between the nodes that were made for it.
#include "mesher/surface/surface.h"
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

TEST(Crossings, areCountedWhole) {
  // Two fences of upright strips that stand across each other: every strip crosses every one of the other fence.
  std::vector<Vec3> points;
  std::vector<std::array<int, 3>> triangles;
  const int n = 60;
  for (int fence = 0; fence < 2; ++fence)
    for (int i = 0; i < n; ++i) {
      const int first = static_cast<int>(points.size());
      for (const Vec3& p : {Vec3(-1, i, 0.3), Vec3(n, i, 0.4), Vec3(n, i, 0.7)})
        points.push_back(fence ? Vec3(p.y() + 0.31, p.x(), 1 - p.z()) : p);
      triangles.push_back({first, first + 1, first + 2});
    }
  std::size_t brute = 0;
  for (int a = 0; a < n; ++a)
    for (int b = 0; b < n; ++b)
      brute +=
          !findCrossings(points, {triangles[static_cast<std::size_t>(a)], triangles[static_cast<std::size_t>(n + b)]})
               .empty();
  ASSERT_GT(brute, 1000u);
  EXPECT_EQ(findCrossings(points, triangles).size(), brute);
  EXPECT_LT(findCrossings(points, triangles, 1).size(), brute)
      << "whoever asks whether there is any is answered sooner";
}
