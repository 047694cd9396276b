// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/face_patch.h"
#include "support/fixtures.h"
#include <algorithm>

using namespace tess;
using namespace tess::test;

namespace {

struct Measured {
  double area = 0, longest = 0;
  std::size_t turned = 0; ///< triangles that look elsewhere than the face
};
Measured measure(FacePatch& patch, const Part& part, int face, double cosine) {
  Measured m;
  for (int t = 0; t < static_cast<int>(patch.g.tris.size()); ++t) {
    if (!patch.g.alive(t)) continue;
    const auto& q = patch.g.tri(t);
    const Vec3 &a = patch.g.pt(q[0]), &b = patch.g.pt(q[1]), &c = patch.g.pt(q[2]);
    m.area += triangleArea(a, b, c);
    m.longest = std::max({m.longest, (a - b).norm(), (b - c).norm(), (c - a).norm()});
    m.turned += triangleNormal(a, b, c).dot(part.shape->projectToFace(face, (a + b + c) / 3).normal) < cosine;
  }
  return m;
}

/// A part of a cylinder with finely divided sides whose triangles to start from fan out from a corner, right through
/// its inside: rolled out and filled anew, it must get triangles that follow it, also far from the rims.
TEST(FacePatch, AWideCylinderThatStartsFoldedFollowsItsSurface) {
  const double r = 10, h = 98, arc = 2.5;
  const Part part = made("cylinder 10 98");
  const auto face = std::find_if(part.faces.begin(), part.faces.end(), [&](const PartFace& f) {
    return f.kind == SurfaceKind::Cylinder && std::abs(f.radius - r) < 1e-9;
  });
  ASSERT_NE(face, part.faces.end());
  const int id = static_cast<int>(face - part.faces.begin());
  SizeSettings s;
  s.target = 1;
  const SizeField size = makeSizeField(part, {s});
  Progress progress;
  FacePatch patch(part, id, size, progress);
  std::vector<std::pair<double, double>> rim; // angle and height, round the patch as seen from outside
  const int across = 25, up = 980;
  for (int i = 0; i < across; ++i) rim.push_back({arc * i / across, 0});
  for (int i = 0; i < up; ++i) rim.push_back({arc, h * i / up});
  for (int i = across; i > 0; --i) rim.push_back({arc * i / across, h});
  for (int i = up; i > 0; --i) rim.push_back({0, h * i / up});
  for (auto [angle, z] : rim) {
    patch.g.addPoint(Vec3(r * std::cos(angle), r * std::sin(angle), z), Dim::Edge, 0);
    patch.globalId.push_back(-1);
  }
  const int n = static_cast<int>(rim.size());
  for (int i = 1; i + 1 < n; ++i) patch.g.addTriangle({0, i, i + 1}, id);
  for (int i = 0; i < n; ++i) patch.g.feature[SurfaceGraph::key(i, (i + 1) % n)] = 0;
  patch.run();
  const auto [area, longest, turned] = measure(patch, part, id, 0.9);
  EXPECT_NEAR(area, arc * r * h, 0.01 * arc * r * h);
  EXPECT_LT(longest, 1.6);
  EXPECT_EQ(turned, 0u);
}

/// A whole ring whose triangles to start from lead from one rim to the far side of the other, through its inside: no
/// place to cut it is given, so that one has to be found. A notch in the upper rim is in the way of some.
TEST(FacePatch, ARingThatStartsTwistedFollowsItsSurface) {
  const double r = 3, h = 8;
  const Part part = made("cylinder 3 8");
  const auto face = std::find_if(part.faces.begin(), part.faces.end(),
                                 [&](const PartFace& f) { return f.kind == SurfaceKind::Cylinder; });
  ASSERT_NE(face, part.faces.end());
  const int id = static_cast<int>(face - part.faces.begin());
  SizeSettings s;
  s.target = 0.8;
  const SizeField size = makeSizeField(part, {s});
  for (int shift : {5, 12, 17}) {
    Progress progress;
    FacePatch patch(part, id, size, progress);
    const int n = 24;
    auto point = [&](double turn, double z) {
      const double a = 2 * kPi * turn / n;
      patch.g.addPoint(Vec3(r * std::cos(a), r * std::sin(a), z), Dim::Edge, 0);
      patch.globalId.push_back(-1);
    };
    for (int i = 0; i < n; ++i) point(i, 0);
    for (int i = 0; i < n; ++i) point(i, i > 3 && i < 9 ? 5 : h);
    // Each lower point is joined with the upper one `shift` further on.
    for (int i = 0; i < n; ++i) {
      const int a = i, b = (i + 1) % n, c = n + (i + shift) % n, d = n + (i + 1 + shift) % n;
      patch.g.addTriangle({a, b, d}, id);
      patch.g.addTriangle({a, d, c}, id);
      patch.g.feature[SurfaceGraph::key(a, b)] = 0;
      patch.g.feature[SurfaceGraph::key(c, d)] = 1;
    }
    patch.run();
    const auto [area, longest, turned] = measure(patch, part, id, 0.8);
    EXPECT_LT(longest, 3.2) << shift << ": but for the sides of the notch, which are given";
    const double step = 2 * kPi * r / n, whole = 2 * kPi * r * h - 3 * step * (4 + 2 * 0.5);
    EXPECT_NEAR(area, whole, 0.02 * whole) << shift;
    EXPECT_EQ(turned, 0u) << shift;
  }
}

} // namespace
