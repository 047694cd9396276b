// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/move_node.h"
#include "support/briefs.h"

using namespace tess;
using namespace tess::test;

namespace {

std::int32_t nodeOn(const Mesh& m, int dim, int entity = -1) {
  for (std::size_t n = 0; n < m.nodeLink.size(); ++n)
    if (m.nodeLink[n].dim == dim && (entity < 0 || m.nodeLink[n].entity == entity)) return static_cast<std::int32_t>(n);
  ADD_FAILURE() << "no node of dimension " << dim;
  return 0;
}

} // namespace

TEST(MoveNode, innerNodesGoWhereTheyAreSent) {
  const Part part = made("box 12 8 6");
  Mesh m = meshOf(part, 2).mesh;
  const std::int32_t n = nodeOn(m, 3);
  const Vec3 to = m.nodes[static_cast<std::size_t>(n)] + Vec3(0.1, -0.05, 0.05);
  const double v = meshVolume(m);
  auto r = moveNode(m, part, n, to);
  ASSERT_TRUE(r.ok()) << r.problem().sentence();
  EXPECT_EQ(m.nodes[static_cast<std::size_t>(n)], to);
  EXPECT_NEAR(*r, Vec3(0.1, -0.05, 0.05).norm(), 1e-12);
  EXPECT_NEAR(meshVolume(m), v, 1e-9 * v);
}

TEST(MoveNode, nodesOnTheBoundaryStayOnIt) {
  const Part part = made("drilled 2.5");
  for (int order : {1, 2}) {
    Mesh m = meshOf(part, 2, order).mesh;
    int bore = -1;
    for (std::size_t f = 0; f < part.faces.size(); ++f)
      if (part.faces[f].kind == SurfaceKind::Cylinder) bore = static_cast<int>(f);
    ASSERT_GE(bore, 0);
    const std::int32_t n = nodeOn(m, 2, bore);
    const Vec3 was = m.nodes[static_cast<std::size_t>(n)];
    auto r = moveNode(m, part, n, was + Vec3(0.2, 0.2, 0.1));
    ASSERT_TRUE(r.ok()) << r.problem().sentence();
    for (std::size_t k = 0; k < m.nodes.size(); ++k) // mid nodes that followed too
      if (m.nodeLink[k].dim == 2 && m.nodeLink[k].entity == bore) {
        EXPECT_NEAR((part.shape->projectToFace(bore, m.nodes[k]).point - m.nodes[k]).norm(), 0, 1e-9);
      }
    EXPECT_GT(*r, 0.05);
    const std::int32_t rim = nodeOn(m, 1);
    const int edge = m.nodeLink[static_cast<std::size_t>(rim)].entity;
    ASSERT_TRUE(moveNode(m, part, rim, m.nodes[static_cast<std::size_t>(rim)] + Vec3(0.05, 0.05, 0.05)).ok());
    const Vec3 at = m.nodes[static_cast<std::size_t>(rim)];
    EXPECT_NEAR((part.shape->projectToEdge(edge, at).point - at).norm(), 0, 1e-9);
  }
}

TEST(MoveNode, whatWouldSpoilTheMeshIsRefusedAndLeavesItAsItWas) {
  const Part part = made("box 12 8 6");
  for (int order : {1, 2}) {
    Mesh m = meshOf(part, 2, order).mesh;
    const auto before = m.nodes;
    auto far = moveNode(m, part, nodeOn(m, 3), Vec3(40, 40, 40));
    ASSERT_FALSE(far.ok());
    EXPECT_NE(far.problem().what.find("inverted"), std::string::npos);
    auto corner = moveNode(m, part, nodeOn(m, 0), Vec3(0.1, 0.1, 0.1));
    ASSERT_FALSE(corner.ok());
    EXPECT_NE(corner.problem().what.find("corner"), std::string::npos);
    EXPECT_FALSE(moveNode(m, part, static_cast<std::int32_t>(m.nodes.size()), Vec3::Zero()).ok());
    EXPECT_FALSE(moveNode(m, part, 0, Vec3(NAN, 0, 0)).ok());
    EXPECT_EQ(m.nodes, before);
  }
}

TEST(MoveNode, aRunIsJudgedAgain) {
  const Part part = made("box 12 8 6");
  const RunResult run = runWith(briefWith("2 mm", {}), part);
  const std::int32_t n = nodeOn(run.mesh, 3);
  const Vec3 at = run.mesh.nodes[static_cast<std::size_t>(n)];
  Progress progress;
  // As far as it goes towards one side: the elements there get flat.
  Result<RunResult> moved = Problem();
  for (double way = 2; way > 0.05 && !moved.ok(); way *= 0.8)
    moved = runWithNodeMoved(run, part, n, at + Vec3(way, 0, 0), progress);
  ASSERT_TRUE(moved.ok());
  auto least = [](const RunResult& r) { return r.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].min; };
  EXPECT_LT(least(*moved), least(run));
  EXPECT_EQ(moved->improved, 1) << "it does not serve in place of meshing";
}
