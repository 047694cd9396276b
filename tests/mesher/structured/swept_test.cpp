// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/limit_file.h"
#include "mesher/structured/swept.h"
#include "support/filled.h"
#include "support/touching.h"
#include <map>
#include <set>

using namespace tess;
using namespace tess::test;

namespace {

/// A swept body of hexahedra and nothing else; `off`: of its volume; `worst`: scaled Jacobian at least.
void expectHexahedraAlone(const MeshOutcome& out, const Part& part, int order, double off, double worst) {
  EXPECT_EQ(out.bodies[0].fill, Fill::Swept) << out.bodies[0].why;
  EXPECT_EQ(countOf(out.mesh, order == 1 ? ElementType::Hex8 : ElementType::Hex20), out.mesh.cells.size());
  const Audit a = auditMesh(out.mesh, *limitsByName("general"));
  EXPECT_TRUE(a.soundness.sound()) << a.sentence;
  EXPECT_NEAR(a.volume, part.volume(), off * part.volume());
  EXPECT_GT(a.metrics[static_cast<std::size_t>(Metric::ScaledJacobian)].min, worst);
}

} // namespace

TEST(Swept, extrusionsAndBendsBecomeLayers) {
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
    for (const auto& [order, across] : {std::pair{1, Across::ByItself},
                                        {2, Across::ByItself},
                                        {1, Across::Triangles},
                                        {2, Across::Triangles},
                                        {1, Across::MostlyQuads}}) {
      SCOPED_TRACE(acrossName(across));
      const MeshOutcome out = filled(part, c.size, {Fill::Swept}, order, 0, {}, across);
      EXPECT_EQ(out.bodies[0].fill, Fill::Swept) << out.bodies[0].why;
      const auto wedges = countOf(out.mesh, order == 1 ? ElementType::Wedge6 : ElementType::Wedge15),
                 hexahedra = countOf(out.mesh, order == 1 ? ElementType::Hex8 : ElementType::Hex20);
      EXPECT_EQ(wedges + hexahedra, out.mesh.cells.size());
      if (across == Across::ByItself) {
        EXPECT_EQ(wedges, 0u);
      }
      if (across == Across::Triangles) {
        EXPECT_EQ(hexahedra, 0u);
      }
      if (across == Across::MostlyQuads) {
        EXPECT_GT(hexahedra, wedges);
      }
      // As many layers as the size asks for along the way.
      std::size_t onEnds = 0;
      for (std::size_t f = 0; f < out.mesh.faces.size(); ++f)
        onEnds += out.mesh.faceLink[f] == fit.sweep->source || out.mesh.faceLink[f] == fit.sweep->target;
      const double layers = static_cast<double>(wedges + hexahedra) / (0.5 * static_cast<double>(onEnds));
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
  for (const char* recipe : {"sphere 2", "torus 5 1", "drilled 2", "shell 6 1"}) {
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

TEST(Swept, wallsMayStandOneOverTheOther) {
  const Part part = made("joined 6"); // a block with lines round it: all faces along are in two pieces
  const Fit fit = fitSwept(part, 0);
  ASSERT_TRUE(fit.fits) << fit.why;
  EXPECT_EQ(fit.mapped.size(), 8u);
  const MeshOutcome out = filled(part, 1.3, {Fill::Swept});
  EXPECT_EQ(out.bodies[0].fill, Fill::Swept) << out.bodies[0].why;
  EXPECT_EQ(countOf(out.mesh, ElementType::Hex8), out.mesh.cells.size());
  const Audit a = auditMesh(out.mesh, *limitsByName("general"));
  EXPECT_TRUE(a.soundness.sound()) << a.sentence;
  EXPECT_NEAR(a.volume, 1000, 1e-9);
  // The lines are followed: every edge has nodes of its own.
  std::vector<int> onEdge(part.edges.size(), 0);
  for (const auto& l : out.mesh.nodeLink)
    if (l.dim == 1) ++onEdge[static_cast<std::size_t>(l.entity)];
  for (int n : onEdge) EXPECT_GT(n, 1);
}

TEST(Swept, endsOfSquareCornersGetRows) {
  const Part part = made("slot 12 5 6 2"); // a U
  const MeshOutcome out = filled(part, 0.7, {Fill::Swept});
  expectHexahedraAlone(out, part, 1, 1e-9, 0.95);
  // As many nodes forth as back, and no other than four quadrilaterals at nodes inside the ends.
  std::map<std::int32_t, int> around;
  for (std::size_t f = 0; f < out.mesh.faces.size(); ++f)
    for (auto v : out.mesh.faces.of(f))
      if (out.mesh.nodeLink[static_cast<std::size_t>(v)].dim == 2) ++around[v];
  EXPECT_GT(around.size(), 100u);
  for (const auto& [v, n] : around) EXPECT_EQ(n, 4) << v;
  // With a hole, or corners that are not square, there are none.
  std::vector<Problem> said;
  FillWish wish{Fill::Swept, true};
  for (const char* recipe : {"plate 0 3 0 0 0", "cylinder 3 10"})
    for (const PavedFace& f : planOf(made(recipe), std::vector<FillWish>{wish}, said).paved)
      EXPECT_TRUE(f.ways.empty()) << recipe;
}

TEST(Swept, exactDivisionsThatDifferForthAndBackArePaved) {
  const Part part = made("slot 12 5 6 2");
  const Fit fit = fitSwept(part, 0);
  ASSERT_TRUE(fit.fits);
  const EdgeChain& loop = fit.ends.front().loops.front();
  const auto longest = std::max_element(loop.begin(), loop.end(), [&](const EdgeStep& a, const EdgeStep& b) {
    return part.edges[static_cast<std::size_t>(a.edge)].length < part.edges[static_cast<std::size_t>(b.edge)].length;
  });
  EdgeDivision d;
  d.divisions = 30;
  const MeshOutcome out = filled(part, 1, {Fill::Swept}, 1, 0, {{longest->edge, d}});
  expectHexahedraAlone(out, part, 1, 1e-9, 0.1);
  std::size_t on = 0;
  for (const auto& l : out.mesh.nodeLink) on += l.dim == 1 && l.entity == longest->edge;
  EXPECT_EQ(on, 29u);
}

TEST(Swept, theSourceMayBeChosen) {
  const Part part = made("box 6 4 3");
  std::vector<Problem> said;
  for (int f = 0; f < 6; ++f) {
    FillWish wish{Fill::Swept, true};
    wish.sources = {f};
    const MeshPlan plan = planOf(part, std::vector<FillWish>{wish}, said);
    ASSERT_EQ(plan.sweeps.size(), 1u);
    EXPECT_EQ(plan.sweeps[0].source, f);
    EXPECT_TRUE(said.empty());
  }
  for (const auto& [recipe, fill] :
       std::vector<std::pair<const char*, Fill>>{{"box 6 4 3", Fill::Mapped}, {"flange 5 6 9", Fill::Swept}}) {
    FillWish wish{fill, true};
    wish.sources = {0};
    (void)planOf(made(recipe), std::vector<FillWish>{wish}, said);
    ASSERT_EQ(said.size(), 1u) << recipe;
    EXPECT_EQ(said[0].code, "fill.source");
    EXPECT_FALSE(said[0].why.empty());
    said.clear();
  }
  // The mesh of a wall cannot be carried: the body is swept all the same, and a finding says so.
  const Part bored = made("plate 0 3 0 0 0");
  const Fit fit = fitSwept(bored, 0);
  ASSERT_TRUE(fit.fits);
  FillWish wish{Fill::Swept, true};
  wish.sources = {fit.sweep->walls.front()};
  EXPECT_EQ(planOf(bored, std::vector<FillWish>{wish}, said).bodies[0].fill, Fill::Swept);
  ASSERT_EQ(said.size(), 1u);
  EXPECT_EQ(said[0].code, "fill.source");
}

TEST(Swept, bodiesOfFullRevolutionHaveNoEnds) {
  const Part part = made("flange 5 6 9");
  const Fit fit = fitSwept(part, 0);
  ASSERT_TRUE(fit.fits) << fit.why;
  ASSERT_TRUE(fit.sweep->closed);
  for (int order : {1, 2}) {
    const MeshOutcome out = filled(part, 1.1, {Fill::Swept}, order);
    EXPECT_EQ(out.bodies[0].fill, Fill::Swept) << out.bodies[0].why;
    EXPECT_EQ(countOf(out.mesh, order == 1 ? ElementType::Hex8 : ElementType::Hex20), out.mesh.cells.size());
    const Audit a = auditMesh(out.mesh, *limitsByName("general"));
    EXPECT_TRUE(a.soundness.sound()) << a.sentence;
    EXPECT_NEAR(a.volume, part.volume(), (order == 1 ? 0.02 : 1e-3) * part.volume());
    EXPECT_GT(a.metrics[static_cast<std::size_t>(Metric::ScaledJacobian)].min, 0.5) << order;
  }
  const MeshOutcome wedges = filled(part, 1.1, {Fill::Swept}, 1, 0, {}, Across::Triangles);
  EXPECT_EQ(countOf(wedges.mesh, ElementType::Wedge6), wedges.mesh.cells.size());
  EXPECT_TRUE(auditMesh(wedges.mesh, *limitsByName("general")).soundness.sound());
}

TEST(Swept, best) {
  auto best = [](const Part& part) {
    std::vector<FillWish> wishes(part.bodies.size());
    for (auto& w : wishes) w.asked = w.best = true;
    std::vector<Problem> said;
    const MeshPlan plan = planOf(part, wishes, said);
    std::size_t free = 0;
    for (const auto& b : plan.bodies) free += b.fill == Fill::Tetrahedra;
    EXPECT_EQ(said.size(), free); // why not, and where
    for (const auto& p : said) {
      EXPECT_EQ(p.code, "fill.best");
      EXPECT_EQ(p.severity, Severity::Note);
      EXPECT_FALSE(p.places.empty());
    }
    return plan;
  };
  EXPECT_EQ(best(made("box 6 4 3")).bodies[0].fill, Fill::Mapped);
  EXPECT_EQ(best(made("tube 4 2.5 6")).bodies[0].fill, Fill::Swept);
  const MeshPlan ball = best(made("sphere 2"));
  EXPECT_EQ(ball.bodies[0].fill, Fill::Tetrahedra);
  EXPECT_NE(ball.bodies[0].why.find("not mapped, since"), std::string::npos) << ball.bodies[0].why;
  EXPECT_NE(ball.bodies[0].why.find("not swept, since"), std::string::npos) << ball.bodies[0].why;
  const std::vector<BodyFits> fits = fitsOf(made("sphere 2"));
  ASSERT_EQ(fits.size(), 1u);
  EXPECT_EQ(fits[0].fits, std::vector<Fill>{Fill::Tetrahedra});
  EXPECT_EQ(fits[0].others.size(), 2u);
}

TEST(Swept, stepsAreColumnsOfDifferentHeights) {
  struct Case {
    const char* recipe;
    double size;
    std::size_t ends;
  };
  for (const auto& c : std::vector<Case>{{"boss 20 14 5 3 6", 1.5, 3},
                                         {"boss 20 14 5 3 -2", 1.5, 3},
                                         {"counterbore 20 14 8 2 4", 1.3, 3},
                                         {"stair 6 4 2 3", 1, 4},
                                         {"shaft 3 6 5 4 3 6", 1.2, 4},
                                         {"shaft 3 6 5 4 2 6", 1, 4},
                                         {"shaft 5 3 8 2 6 4 3 5", 1.2, 5}}) {
    SCOPED_TRACE(c.recipe);
    const Part part = made(c.recipe);
    const Fit fit = fitSwept(part, 0);
    ASSERT_TRUE(fit.fits) << fit.why;
    EXPECT_EQ(fit.sweep->steps.size(), c.ends);
    for (int order : {1, 2}) {
      const MeshOutcome out = filled(part, c.size, {Fill::Swept}, order);
      expectHexahedraAlone(out, part, order, order == 1 ? 0.03 : 2e-3, order == 1 ? 0.3 : 0.1);
    }
    const MeshOutcome wedges = filled(part, c.size, {Fill::Swept}, 1, 0, {}, Across::Triangles);
    EXPECT_EQ(countOf(wedges.mesh, ElementType::Wedge6), wedges.mesh.cells.size());
    EXPECT_TRUE(auditMesh(wedges.mesh, *limitsByName("general")).soundness.sound());
  }
}

TEST(Swept, endsGetTheLinesOfNeighboursAndOfEachOther) {
  // A plate between a block above and a disc below.
  const Part part = made("feet 24 16 4 5 0");
  for (const auto& [fill, of] : {std::pair{Fill::Swept, ElementType::Hex8}, {Fill::Tetrahedra, ElementType::Tet4}}) {
    const MeshOutcome out = filled(part, 1.3, {Fill::Swept, fill});
    EXPECT_EQ(out.bodies[0].fill, Fill::Swept) << out.bodies[0].why;
    const Audit a = auditMesh(out.mesh, *limitsByName("general"));
    EXPECT_TRUE(a.soundness.sound()) << a.sentence;
    EXPECT_NEAR(a.volume, part.volume(), 0.02 * part.volume());
    EXPECT_GT(a.metrics[static_cast<std::size_t>(Metric::ScaledJacobian)].min, fill == Fill::Swept ? 0.3 : 0.1);
    EXPECT_GT(countOf(out.mesh, of), 0u);
    EXPECT_EQ(countOf(out.mesh, ElementType::Pyramid5), 0u); // triangles across beside tetrahedra
  }
  // A block that is mapped decides the mesh between the two.
  std::vector<Problem> said;
  const MeshPlan plan = planOf(part, std::vector<FillWish>(3, {Fill::Swept, true, -1, true}), said);
  EXPECT_EQ(plan.bodies[1].fill, Fill::Mapped);
  EXPECT_EQ(plan.bodies[0].fill, Fill::Swept) << plan.bodies[0].why;
  const auto sweep = std::find_if(plan.sweeps.begin(), plan.sweeps.end(), [](const Sweep& s) { return s.body == 0; });
  ASSERT_NE(sweep, plan.sweeps.end());
  EXPECT_EQ(sweep->given.size(), 1u);
  // Lines that cross cannot both be followed.
  const Part crossed = made("feet 24 16 4 5 12");
  const MeshOutcome out = filled(crossed, 1.3, {Fill::Swept});
  EXPECT_EQ(out.bodies[0].fill, Fill::Tetrahedra);
  EXPECT_TRUE(auditMesh(out.mesh, *limitsByName("general")).soundness.sound());
}

TEST(Swept, whatLiesAboveAnotherEndIsHigherByOneLayerAtLeast) {
  // The floor of a blind hole nearly reaches the other side: counts alone would let it lie below.
  const Part part = made("boss 20 14 5 3 -4.7");
  const MeshOutcome out = filled(part, 1.5, {Fill::Swept});
  EXPECT_EQ(out.bodies[0].fill, Fill::Swept) << out.bodies[0].why;
  EXPECT_EQ(countOf(out.mesh, ElementType::Hex8), out.mesh.cells.size());
  EXPECT_TRUE(auditMesh(out.mesh, *limitsByName("general")).soundness.sound());
}

TEST(Swept, bodiesTurnedAboutAnAxisThroughThemHaveACore) {
  struct Case {
    const char* recipe;
    double size;
    double worst; ///< scaled Jacobian, as their own angles allow
  };
  for (const auto& c : std::vector<Case>{{"turned 360 0 0 6 0 6 3 4 5 0 5", 1, 0.3},      // a chamfer
                                         {"turned 360 0 0 6 0 0 5", 1, 0.1},              // a cone
                                         {"turned 360 0 0 5 1 4 4 6 6 5 9 0 10", 1, 0.2}, // a bobbin
                                         {"turned 100 0 0 6 0 6 3 4 5 0 5", 0.8, 0.3},
                                         {"turned 200 0 0 6 0 6 3 4 5 0 5", 0.8, 0.3},
                                         {"pin 3 6", 0.8, 0.2}}) {
    SCOPED_TRACE(c.recipe);
    const Part part = made(c.recipe);
    const Fit fit = fitSwept(part, 0);
    ASSERT_TRUE(fit.fits) << fit.why;
    ASSERT_TRUE(fit.sweep->axis);
    for (int order : {1, 2}) {
      const MeshOutcome out = filled(part, c.size, {Fill::Swept}, order);
      expectHexahedraAlone(out, part, order, order == 1 ? 0.05 : 3e-3, (order == 1 ? 1 : 0.3) * c.worst);
    }
    const MeshOutcome wedges = filled(part, c.size, {Fill::Swept}, 1, 0, {}, Across::ByItself, Core::Wedges);
    EXPECT_EQ(wedges.bodies[0].fill, Fill::Swept) << wedges.bodies[0].why;
    const std::size_t round = countOf(wedges.mesh, ElementType::Wedge6);
    EXPECT_GT(round, 0u);
    EXPECT_EQ(countOf(wedges.mesh, ElementType::Hex8) + round, wedges.mesh.cells.size());
    EXPECT_TRUE(auditMesh(wedges.mesh, *limitsByName("general")).soundness.sound());
    const MeshOutcome all = filled(part, c.size, {Fill::Swept}, 1, 0, {}, Across::Triangles);
    EXPECT_EQ(countOf(all.mesh, ElementType::Wedge6) + countOf(all.mesh, ElementType::Hex8), all.mesh.cells.size());
    EXPECT_TRUE(auditMesh(all.mesh, *limitsByName("general")).soundness.sound());
  }
}

TEST(Swept, unevenDivisionsPassOnToWhatLiesAcross) {
  // A plate with a hole; one upright edge is divided unevenly. The walls outside and round the hole follow.
  const Part part = made("plate 0 1 0");
  int edge = -1;
  for (std::size_t e = 0; e < part.edges.size() && edge < 0; ++e)
    if (std::abs(part.edges[e].length - 6) < 1e-9) edge = static_cast<int>(e);
  ASSERT_GE(edge, 0);
  EdgeDivision d;
  d.divisions = 6;
  d.ratio = 8;
  d.finest = {0};
  const MeshOutcome out = filled(part, 2.5, {Fill::Swept}, 1, 0, {{edge, d}});
  EXPECT_EQ(out.bodies[0].fill, Fill::Swept) << out.bodies[0].why;
  EXPECT_TRUE(auditMesh(out.mesh, *limitsByName("general")).soundness.sound());
  // All nodes lie at the heights of that edge's.
  std::set<long> heights, ofEdge;
  for (std::size_t n = 0; n < out.mesh.nodes.size(); ++n) {
    const long z = std::lround(1e6 * out.mesh.nodes[n].z());
    heights.insert(z);
    if (out.mesh.nodeLink[n].dim == 1 && out.mesh.nodeLink[n].entity == edge) ofEdge.insert(z);
  }
  EXPECT_EQ(ofEdge.size(), 5u); // inside it
  ofEdge.insert(0);
  ofEdge.insert(6000000);
  EXPECT_EQ(heights, ofEdge); // also in the hole and inside
  std::vector<long> step;
  for (auto it = std::next(heights.begin()); it != heights.end(); ++it) step.push_back(*it - *std::prev(it));
  const auto [least, most] = std::minmax_element(step.begin(), step.end());
  EXPECT_NEAR(static_cast<double>(*most) / static_cast<double>(*least), 8, 0.5);
}
