// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/audit.h"
#include "job/forecast.h"
#include "job/layer_audit.h"
#include "job/layers.h"
#include "support/briefs.h"
#include "support/fixtures.h"

using namespace tess;
using namespace tess::test;

namespace {
Rule layersOn(const std::string& on, std::map<std::string, std::string> values) {
  values["on"] = on;
  return {"layers", std::move(values), "", false, {}};
}
/// A box as a duct along x, or another part, with layers on all faces but those at its ends.
Brief ductBrief(const std::string& size, std::map<std::string, std::string> layers) {
  return briefWith(size, {rule("group", {{"name", "ends"}, {"of", "faces"}, {"normal", "1, 0, 0"}}),
                          rule("group", {{"name", "ends2"}, {"of", "faces"}, {"normal", "-1, 0, 0"}}),
                          rule("group", {{"name", "walls"}, {"of", "faces"}, {"except", "ends, ends2"}}),
                          layersOn("walls", std::move(layers))});
}
} // namespace

TEST(Layers, fillADuctWithFullStacks) {
  const Part part = made("box 60 20 20");
  const RunResult run = runWith(ductBrief("3 mm", {{"count", "5"}, {"first", "0.2 mm"}, {"ratio", "1.3"}}), part);
  EXPECT_TRUE(run.audit.soundness.sound());
  EXPECT_NEAR(meshVolume(run.mesh), 24000, 1e-6 * 24000);
  ASSERT_EQ(run.layers.size(), 1u);
  const LayerAudit& a = run.layers.front();
  EXPECT_NEAR(a.area, 4800, 1e-6);
  EXPECT_NEAR(a.full / a.area, 1, 1e-12);
  EXPECT_NEAR(a.firstLeast, 0.2, 1e-9);
  EXPECT_NEAR(a.firstMost, 0.2, 1e-9);
  EXPECT_NEAR(a.ratioMean, 1.3, 0.02); // of volumes over areas, which are less in the corners
  EXPECT_EQ(a.most, 5);
  EXPECT_TRUE(a.places.empty());
  // The ends carry quadrilaterals in their plane.
  std::size_t quads = 0;
  for (std::size_t f = 0; f < run.mesh.faces.size(); ++f)
    if (run.mesh.faces.type[f] == ElementType::Quad4) {
      ++quads;
      for (auto n : run.mesh.faces.of(f)) {
        const double x = run.mesh.nodes[static_cast<std::size_t>(n)].x();
        EXPECT_TRUE(std::abs(x) < 1e-9 || std::abs(x - 60) < 1e-9) << x;
      }
    }
  EXPECT_GT(quads, 2u * 5 * 4 * 5);
  EXPECT_EQ(quads % 5, 0u);
}

TEST(Layers, areTheSameForAnyNumberOfThreads) {
  const Part part = made("tube 20 8 30");
  const Brief b = briefWith("3 mm", {layersOn("everywhere", {{"count", "3"}, {"first", "0.2 mm"}})});
  Progress progress;
  auto one = runBrief(b, part, 1, progress), two = runBrief(b, part, 2, progress);
  ASSERT_TRUE(one && two);
  EXPECT_TRUE(one->mesh.cells == two->mesh.cells);
  EXPECT_EQ(one->mesh.nodes, two->mesh.nodes);
  EXPECT_EQ(one->mesh.cellLayer, two->mesh.cellLayer);
}

TEST(Layers, goAllRoundAClosedSpace) {
  // All eight corners and twelve edges are hollow: full stacks everywhere.
  const Part part = made("box 20 20 20");
  const RunResult run =
      runWith(briefWith("2 mm", {layersOn("everywhere", {{"count", "4"}, {"first", "0.1 mm"}})}), part);
  EXPECT_TRUE(run.audit.soundness.sound());
  EXPECT_NEAR(run.layers.front().full, 2400, 1e-6);
  EXPECT_NEAR(meshVolume(run.mesh), 8000, 1e-6 * 8000);
}

TEST(Layers, giveWayInAGapAlikeOnBothSides) {
  const Part part = made("box 40 40 3");
  Brief b = briefWith("2 mm", {rule("group", {{"name", "top"}, {"of", "faces"}, {"outermost", "0, 0, 1"}}),
                               rule("group", {{"name", "bottom"}, {"of", "faces"}, {"outermost", "0, 0, -1"}}),
                               layersOn("top, bottom", {{"count", "8"}, {"first", "0.2 mm"}, {"ratio", "1.2"}})});
  const RunResult run = runWith(b, part);
  EXPECT_TRUE(run.audit.soundness.sound());
  const LayerAudit& a = run.layers.front();
  EXPECT_EQ(a.full, 0);
  EXPECT_GT(a.most, 2);
  EXPECT_LT(a.most, 8);
  ASSERT_FALSE(a.places.empty());
  bool gap = false;
  for (const auto& p : a.places) {
    gap = gap || (p.cause == LayerCause::Gap && std::abs(p.value - 3) < 1e-6);
  }
  EXPECT_TRUE(gap);
  EXPECT_EQ(a.places.front().what, "gap of 3 mm");
  EXPECT_TRUE(std::any_of(run.problems.begin(), run.problems.end(),
                          [](const Problem& p) { return p.code == "layers.short" && !p.todo.empty(); }));
}

TEST(Layers, asManyAsNeededFitTheirNeighbours) {
  const Part part = made("box 60 40 40");
  const RunResult run = runWith(ductBrief("3 mm", {{"first", "0.05 mm"}, {"ratio", "1.3"}}), part);
  EXPECT_TRUE(run.audit.soundness.sound());
  const LayerAudit& a = run.layers.front();
  EXPECT_GT(a.most, 10);
  EXPECT_GT(a.jumpWithin, 0.8);
}

TEST(Layers, standAgainstBodiesOnBothSidesOfAFace) {
  // Two blocks with a common face; layers on it, in both.
  const Part part = made("boxes 2");
  Brief b = briefWith("0.15 mm", {rule("group", {{"name", "common"}, {"of", "faces"}, {"between", "only"}}),
                                  layersOn("common", {{"count", "2"}, {"first", "0.02 mm"}})});
  const RunResult run = runWith(b, part);
  EXPECT_TRUE(run.audit.soundness.sound());
  EXPECT_NEAR(meshVolume(run.mesh), 2, 1e-9);
  EXPECT_NEAR(run.layers.front().area, 2, 1e-9); // of both sides
  EXPECT_NEAR(run.layers.front().full, 2, 1e-9);
}

TEST(Layers, areCountedInTheForecast) {
  const Part part = made("box 60 20 20");
  const Brief b = ductBrief("3 mm", {{"count", "5"}, {"first", "0.2 mm"}, {"ratio", "1.3"}});
  Progress progress;
  const Forecast f = forecastBrief(b, part, progress);
  const auto cells = static_cast<double>(runWith(b, part).mesh.cells.size());
  EXPECT_NEAR(f.elements, cells, 0.25 * cells);
}

TEST(LayerCards, saysWhatFollowsFromYPlus) {
  // Water at 2 m/s along 0.13 m: Re 2.6e5, c_f 0.026 / Re^(1/7) = 0.00438, u_tau = 0.0936 m/s.
  const double y = wallDistance({2, 1000, 1e-3, 0.13}, 1);
  EXPECT_NEAR(y, 1.068e-5, 2e-8);
  EXPECT_EQ(wallDistance({2, 1000, 0, 0.13}, 1), 0);
  const LayerCard c = layerCardOf(
      layersOn("x",
               {{"yplus", "1"}, {"speed", "2"}, {"density", "1000"}, {"viscosity", "0.001"}, {"length", "130 mm"}}),
      "mm", 5);
  EXPECT_NEAR(c.stack.first, 1e3 * y, 1e-9);
  EXPECT_EQ(c.stack.count, 0);
  const LayerCard missing = layerCardOf(layersOn("x", {{"yplus", "1"}}), "mm", 5);
  EXPECT_FALSE(missing.problem.empty());
}

TEST(LayerCards, solveForWhatIsLeftOpen) {
  auto sum = [](const LayerStack& s) {
    double total = 0, h = s.first;
    for (int k = 0; k < s.count; ++k, h *= s.ratio) total += h;
    return total;
  };
  for (const auto& values : {std::map<std::string, std::string>{{"first", "0.1 mm"}, {"count", "6"}, {"total", "2 mm"}},
                             {{"count", "6"}, {"ratio", "1.3"}, {"total", "2 mm"}},
                             {{"first", "0.1 mm"}, {"ratio", "1.3"}, {"total", "2 mm"}}}) {
    const LayerCard c = layerCardOf(layersOn("x", values), "mm", 5);
    EXPECT_TRUE(c.problem.empty()) << c.problem;
    EXPECT_NEAR(sum(c.stack), 2, 1e-6);
    EXPECT_NEAR(c.total, 2, 1e-6);
  }
  EXPECT_FALSE(
      layerCardOf(layersOn("x", {{"first", "1 mm"}, {"count", "3"}, {"total", "0.5 mm"}}), "mm", 5).problem.empty());
}
