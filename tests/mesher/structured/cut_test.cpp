// SPDX-License-Identifier: GPL-3.0-or-later
// Rows and layers cut into tetrahedra.
#include "job/limit_file.h"
#include "support/filled.h"
#include "support/touching.h"

using namespace tess;
using namespace tess::test;

namespace {

MeshOutcome cut(const Part& part, double size, const std::vector<Fill>& fills, const std::vector<bool>& cut,
                int order = 1, Across across = Across::ByItself) {
  SizeRequest request;
  request.overall.target = size;
  request.overall.slender = 0;
  MeshWishes wishes = meshWishes(request);
  for (std::size_t b = 0; b < part.bodies.size(); ++b) {
    FillWish w{fills[std::min(b, fills.size() - 1)], true, -1, false, across};
    w.cut = cut[std::min(b, cut.size() - 1)];
    wishes.fills.push_back(w);
  }
  MeshOptions options;
  options.order = order;
  Progress progress;
  auto m = meshPart(part, makeSizeField(part, request), wishes, options, progress);
  EXPECT_TRUE(m.ok()) << (m.ok() ? "" : m.problem().sentence());
  return std::move(*m);
}
void expectSound(const MeshOutcome& out, const Part& part, double off) {
  const Audit a = auditMesh(out.mesh, *limitsByName("general"));
  EXPECT_TRUE(a.soundness.sound()) << a.sentence;
  EXPECT_NEAR(a.volume, part.volume(), off * part.volume());
  EXPECT_GT(a.metrics[static_cast<std::size_t>(Metric::ScaledJacobian)].min, 0.1);
}

} // namespace

TEST(Cut, aBlockBecomesSixTetrahedraForEveryHexahedron) {
  const Part part = made("box 6 4 3");
  for (int order : {1, 2}) {
    const MeshOutcome whole = filled(part, 1, {Fill::Mapped}, order), out = cut(part, 1, {Fill::Mapped}, {true}, order);
    EXPECT_EQ(out.bodies[0].fill, Fill::Mapped);
    EXPECT_EQ(out.mesh.cells.size(), 6 * whole.mesh.cells.size());
    EXPECT_EQ(countOf(out.mesh, order == 1 ? ElementType::Tet4 : ElementType::Tet10), out.mesh.cells.size());
    EXPECT_EQ(out.mesh.faces.size(), 2 * whole.mesh.faces.size());
    if (order == 1) {
      EXPECT_EQ(out.mesh.nodes.size(), whole.mesh.nodes.size());
    }
    expectSound(out, part, 1e-9);
  }
}

TEST(Cut, layersAndTurnedBodiesLikewise) {
  for (const auto& [recipe, across] :
       std::vector<std::pair<const char*, Across>>{{"tube 4 2.5 6", Across::ByItself},
                                                   {"slot 12 5 6 2", Across::Triangles},
                                                   {"flange 5 6 9", Across::ByItself},
                                                   {"counterbore 12 10 4 2 3.5", Across::ByItself},
                                                   {"cylinder 3 5", Across::ByItself}}) {
    SCOPED_TRACE(recipe);
    const Part part = made(recipe);
    const MeshOutcome out = cut(part, 1, {Fill::Swept}, {true}, 1, across);
    EXPECT_EQ(out.bodies[0].fill, Fill::Swept) << out.bodies[0].why;
    EXPECT_EQ(countOf(out.mesh, ElementType::Tet4), out.mesh.cells.size());
    expectSound(out, part, 0.04);
  }
}

TEST(Cut, neighboursOfAnyKindShareTheirFaces) {
  // Cut, whole, cut, free: pyramids stand between the first three only, and none at the tetrahedra.
  const Part part =
      boxGrid({{{0, 3, 6, 9, 12}, {0, 3}, {0, 3}}}, {"a", "b", "c", "d"}, [](int i, int, int) { return i; });
  const MeshOutcome out =
      cut(part, 1, {Fill::Mapped, Fill::Mapped, Fill::Mapped, Fill::Tetrahedra}, {true, false, true, true});
  std::array<std::array<std::size_t, 3>, 4> count{}; // per body: tetrahedra, pyramids, hexahedra
  for (std::size_t c = 0; c < out.mesh.cells.size(); ++c) {
    const ElementType t = out.mesh.cells.type[c];
    ++count[static_cast<std::size_t>(out.mesh.cellRegion[c])][t == ElementType::Tet4       ? 0
                                                              : t == ElementType::Pyramid5 ? 1
                                                                                           : 2];
  }
  EXPECT_EQ(count[1], (std::array<std::size_t, 3>{0, 0, 27}));
  for (std::size_t b : {0u, 2u}) {
    EXPECT_EQ(count[b][1], 9u);
    EXPECT_EQ(count[b][0], 18u * 6 + 9u * 10); // beside the whole ones a node stands in the middle
    EXPECT_EQ(count[b][2], 0u);
  }
  EXPECT_GT(count[3][0], 0u);
  EXPECT_EQ(count[3][1] + count[3][2], 0u);
  expectSound(out, part, 1e-9);
}

TEST(Cut, theSameTwice) {
  const Part part = made("tube 4 2.5 6");
  const MeshOutcome one = cut(part, 1, {Fill::Swept}, {true}), two = cut(part, 1, {Fill::Swept}, {true});
  EXPECT_EQ(one.mesh.nodes, two.mesh.nodes);
  EXPECT_EQ(one.mesh.cells, two.mesh.cells);
}
