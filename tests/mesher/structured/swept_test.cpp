// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/limit_file.h"
#include "mesher/structured/swept.h"
#include "support/filled.h"
#include "support/touching.h"

using namespace tess;
using namespace tess::test;

TEST(Swept, extrusionsAndBendsBecomeLayersOfWedges) {
  struct Case {
    const char* recipe;
    double size, volume; ///< volume may be off by that share at order 1
    std::size_t walls;
    double way; ///< from end to end
  };
  for (const auto& c : std::vector<Case>{{"box 6 4 3", 0.8, 1e-9, 4, 3},
                                         {"cylinder 3 10", 0.8, 0.03, 1, 10},
                                         {"tube 4 2.5 6", 0.7, 0.03, 2, 6},
                                         {"quarter 6 3 4", 0.7, 0.03, 4, 4},
                                         {"taper 12 5 3 1", 0.8, 1e-9, 4, 2},
                                         {"plate 0 3 0 0 0", 2.5, 0.01, 7, 6},
                                         {"slot 12 5 6 2", 0.9, 1e-9, 8, 5},
                                         {"elbow 12 4 3 90", 1.2, 0.04, 2, 18.8},
                                         {"elbow 12 4 0 90", 1.2, 0.04, 1, 18.8},
                                         {"elbow 9 4 2.5 150", 1.0, 0.04, 2, 23.5}}) {
    SCOPED_TRACE(c.recipe);
    const Part part = made(c.recipe);
    const Fit fit = fitSwept(part, 0);
    EXPECT_TRUE(fit.fits) << fit.why;
    if (!fit.fits) continue;
    EXPECT_EQ(fit.mapped.size(), c.walls);
    for (int order : {1, 2}) {
      const MeshOutcome out = filled(part, c.size, {Fill::Swept}, order);
      EXPECT_EQ(out.bodies[0].fill, Fill::Swept) << out.bodies[0].why;
      const auto wedges = countOf(out.mesh, order == 1 ? ElementType::Wedge6 : ElementType::Wedge15);
      EXPECT_EQ(wedges, out.mesh.cells.size());
      // As many layers as the size asks for along the way.
      std::size_t onEnds = 0;
      for (std::size_t f = 0; f < out.mesh.faces.size(); ++f) onEnds += out.mesh.faces.cornerCount(f) == 3;
      const double layers = static_cast<double>(wedges) / (0.5 * static_cast<double>(onEnds));
      EXPECT_NEAR(layers, c.way / c.size, 0.25 * c.way / c.size + 0.5);
      const Audit a = auditMesh(out.mesh, *limitsByName("general"));
      EXPECT_TRUE(a.soundness.sound()) << a.sentence;
      EXPECT_NEAR(a.volume, part.volume(), (order == 1 ? c.volume : 2e-3) * part.volume() + 1e-9);
      EXPECT_GT(a.metrics[static_cast<std::size_t>(Metric::ScaledJacobian)].min, 0.2) << order;
      for (std::size_t v = 0; v < out.mesh.nodes.size(); ++v) {
        const auto& l = out.mesh.nodeLink[v];
        if (l.dim == 2) {
          EXPECT_LT((part.shape->projectToFace(l.entity, out.mesh.nodes[v]).point - out.mesh.nodes[v]).norm(), 1e-6);
        }
      }
    }
  }
}

TEST(Swept, chainsOfBodiesCarryOneMeshOnAndOn) {
  const Part part = boxGrid({{{0, 2, 4, 7}, {0, 3}, {0, 2}}}, {"a", "b", "c"}, [](int i, int, int) { return i; });
  for (const auto& fills : std::vector<std::vector<Fill>>{{Fill::Swept},
                                                          {Fill::Mapped, Fill::Swept, Fill::Mapped},
                                                          {Fill::Tetrahedra, Fill::Swept, Fill::Tetrahedra},
                                                          {Fill::Swept, Fill::Tetrahedra, Fill::Swept},
                                                          {Fill::Swept, Fill::Mapped, Fill::Swept},
                                                          {Fill::Swept, Fill::Mapped, Fill::Tetrahedra},
                                                          {Fill::Mapped, Fill::Swept, Fill::Tetrahedra}}) {
    std::string name;
    for (Fill f : fills) name += fillName(f)[0];
    SCOPED_TRACE(name);
    const MeshOutcome out = filled(part, 0.8, fills);
    std::vector<Fill> all = fills;
    all.resize(3, fills.back());
    for (std::size_t b = 0; b < 3; ++b) EXPECT_EQ(out.bodies[b].fill, all[b]) << out.bodies[b].why;
    // Of triangles at tetrahedra it speaks only where no quadrilaterals were carried there.
    const std::size_t pyramids = countOf(out.mesh, ElementType::Pyramid5);
    for (const auto& b : out.bodies)
      if (b.why.find("triangles at the tetrahedra") != std::string::npos) {
        EXPECT_EQ(pyramids, 0u) << b.why;
      }
    for (std::size_t f = 0; f < out.mesh.faces.size(); ++f)
      if (const FacePlan& face = out.faces[static_cast<std::size_t>(out.mesh.faceLink[f])]; face.frozen()) {
        EXPECT_EQ(out.mesh.faces.cornerCount(f) == 4, face.quads);
      }
    const Audit a = auditMesh(out.mesh, *limitsByName("general"));
    EXPECT_TRUE(a.soundness.sound()) << a.sentence;
    EXPECT_NEAR(a.volume, part.volume(), 1e-9);
  }
}

TEST(Swept, whatDoesNotFitSaysWhyAndWhere) {
  for (const char* recipe : {"sphere 2", "torus 5 1", "drilled 2", "step 1", "shell 6 1"}) {
    const Part part = made(recipe);
    const Fit fit = fitSwept(part, 0);
    EXPECT_FALSE(fit.fits) << recipe;
    EXPECT_FALSE(fit.why.empty()) << recipe;
    EXPECT_FALSE(fit.places.empty()) << recipe << ": " << fit.why;
    const MeshOutcome out = filled(part, 1.5, {Fill::Swept});
    EXPECT_EQ(out.bodies[0].fill, Fill::Tetrahedra) << recipe;
  }
}

TEST(Swept, meshesAreTheSameOnAnyNumberOfThreads) {
  const Part part = made("plate 0 3 0 0 0");
  const MeshOutcome one = filled(part, 2, {Fill::Swept}, 1, 1), two = filled(part, 2, {Fill::Swept}, 1, 2);
  EXPECT_EQ(one.mesh.nodes, two.mesh.nodes);
  EXPECT_EQ(one.mesh.cells, two.mesh.cells);
}
