// SPDX-License-Identifier: GPL-3.0-or-later
// Only what a change touches is redone, and nobody can tell from the mesh.
#include "job/reuse.h"
#include "job/run_store.h"
#include "support/briefs.h"
#include "support/fixtures.h"
#include "support/touching.h"

using namespace tess;
using namespace tess::test;

namespace {
struct Setting {
  Brief brief;
  Part part;
  Progress progress;
  explicit Setting(const char* order) {
    auto b = loadBrief(demo("saddle-clamp.brief"));
    auto p = loadPart(b->partPath());
    brief = *b;
    part = *p;
    rule("fill").values["order"] = order;
  }
  Rule& rule(const std::string& kind) {
    return *std::find_if(brief.rules.begin(), brief.rules.end(), [&](const Rule& r) { return r.kind == kind; });
  }
  RunResult run(const RunResult* before = nullptr) {
    auto r = runBrief(brief, part, 0, progress, before);
    EXPECT_TRUE(r.ok());
    return std::move(*r);
  }
};
void expectSameMesh(const Mesh& a, const Mesh& b) {
  EXPECT_EQ(a.nodes, b.nodes);
  EXPECT_EQ(a.cells.nodes, b.cells.nodes);
  EXPECT_EQ(a.cells.type, b.cells.type);
  EXPECT_EQ(a.faces.nodes, b.faces.nodes);
  EXPECT_EQ(a.faceLink, b.faceLink);
  ASSERT_EQ(a.nodeLink.size(), b.nodeLink.size());
  for (std::size_t n = 0; n < a.nodeLink.size(); ++n) {
    EXPECT_EQ(a.nodeLink[n].dim, b.nodeLink[n].dim);
    EXPECT_EQ(a.nodeLink[n].entity, b.nodeLink[n].entity);
  }
  ASSERT_EQ(a.groups.size(), b.groups.size());
  for (std::size_t g = 0; g < a.groups.size(); ++g) EXPECT_EQ(a.groups[g].items, b.groups[g].items);
}
} // namespace

TEST(Reuse, otherLimitsJudgeTheSameMeshAgain) {
  Setting s("1");
  const RunResult first = s.run();
  EXPECT_FALSE(first.reused);
  s.rule("judge").values["purpose"] = "flow";
  s.rule("everywhere").note = "a reason changes nothing";
  const RunResult again = s.run(&first);
  EXPECT_TRUE(again.reused);
  EXPECT_EQ(again.audit.limits.name, "flow");
  expectSameMesh(again.mesh, s.run().mesh);
  EXPECT_EQ(again.problems.size(), s.run().problems.size());
}

TEST(Reuse, theOrderChangesWithoutMeshingAgainAndTheBytesAreTheSame) {
  for (const auto& [from, to] : {std::pair("1", "2"), std::pair("2", "1")}) {
    Setting s(from);
    const RunResult first = s.run();
    s.rule("fill").values["order"] = to;
    const RunResult again = s.run(&first), fresh = s.run();
    EXPECT_TRUE(again.reused);
    EXPECT_FALSE(fresh.reused);
    expectSameMesh(again.mesh, fresh.mesh);
    EXPECT_EQ(again.midNodes.boundary, fresh.midNodes.boundary);
    EXPECT_EQ(again.audit.sentence, fresh.audit.sentence);
  }
}

TEST(Reuse, aRunThatWasKeptServesAfterARestart) {
  TempFolder folder;
  Setting s("1");
  const RunResult first = s.run();
  ASSERT_FALSE(saveRun(first, "stamp", folder / "a.run"));
  const auto kept = loadRun(folder / "a.run");
  ASSERT_TRUE(kept.ok());
  for (const char* order : {"1", "2"}) {
    s.rule("fill").values["order"] = order;
    const RunResult again = s.run(&std::as_const(kept).value().run), fresh = s.run();
    EXPECT_TRUE(again.reused);
    expectSameMesh(again.mesh, fresh.mesh);
    EXPECT_EQ(again.problems.size(), fresh.problems.size());
    EXPECT_EQ(again.deviation, fresh.deviation);
    // That it used another mesh is known of it as well.
    ASSERT_FALSE(saveRun(again, "stamp", folder / "b.run"));
    const auto second = loadRun(folder / "b.run");
    ASSERT_TRUE(second.ok());
    EXPECT_TRUE(std::as_const(second).value().run.reused);
  }
}

TEST(Reuse, whatShapesTheMeshIsMadeAnew) {
  Setting s("1");
  RunResult first = s.run();
  EXPECT_EQ(reusable(s.brief, first), Reuse::Mesh);
  Brief sizes = s.brief, named = s.brief, file = s.brief;
  for (auto& r : sizes.rules)
    if (r.kind == "everywhere") r.values["target"] = "3.1 mm";
  EXPECT_EQ(reusable(sizes, first), Reuse::None);
  for (auto& r : named.rules)
    if (r.kind == "group") r.values["name"] = "other"; // named faces are never bridged
  EXPECT_EQ(reusable(named, first), Reuse::None);
  file.rules.push_back({"keep_surface", {{"path", "s.vtp"}}, "", false, {}});
  EXPECT_EQ(reusable(file, first), Reuse::None);
  first.improved = 1;
  EXPECT_EQ(reusable(s.brief, first), Reuse::None);
  first.improved = 0;
  first.fromMeshing.reset(); // as when it was read from disk
  EXPECT_EQ(reusable(s.brief, first), Reuse::None);
}

namespace {

Rule fillOf(const char* what, const char* with) { return rule("fill", {{"what", what}, {"with", with}}); }

/// A row of six boxes, each a group of its own.
struct Row {
  Part part = boxGrid({{{0, 2, 4, 6, 8, 10, 12}, {0, 2}, {0, 2}}}, {"a", "b", "c", "d", "e", "f"},
                      [](int i, int, int) { return i; });
  Brief brief(std::vector<Rule> fills) const {
    std::vector<Rule> rules;
    for (const auto& b : part.bodies)
      rules.push_back(rule("group", {{"name", "only " + b.name}, {"of", "bodies"}, {"cad_name", b.name}}));
    rules.insert(rules.end(), fills.begin(), fills.end());
    return briefWith("0.7 mm", rules);
  }
  RunResult run(std::vector<Rule> fills, const RunResult* before = nullptr, const char* order = "1") const {
    Progress progress;
    Brief b = brief(std::move(fills));
    for (auto& r : b.rules)
      if (r.kind == "fill") r.values["order"] = order;
    auto r = runBrief(b, part, 0, progress, before);
    EXPECT_TRUE(r.ok()) << (r.ok() ? "" : r.problem().sentence());
    return std::move(*r);
  }
};

/// Corners of the cells of one body, cell after cell.
std::vector<Vec3> cornersOf(const Mesh& m, int body) {
  std::vector<Vec3> r;
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    if (m.cellRegion[c] == body)
      for (auto n : m.cells.corners(c)) r.push_back(m.nodes[static_cast<std::size_t>(n)]);
  return r;
}

void expectWhole(const RunResult& run, const Part& part) {
  EXPECT_TRUE(run.audit.soundness.sound()) << run.audit.sentence;
  EXPECT_NEAR(run.audit.volume, part.volume(), 1e-9 * part.volume());
  for (std::size_t b = 0; b < part.bodies.size(); ++b) EXPECT_FALSE(cornersOf(run.mesh, static_cast<int>(b)).empty());
}

} // namespace

TEST(Reuse, anotherFillRemakesItsBodyAndTheNeighboursOnly) {
  const Row row;
  const RunResult first = row.run({});
  // The fourth body becomes hexahedra; its neighbours, pyramids.
  const RunResult second = row.run({fillOf("only d", "mapped")}, &first);
  EXPECT_EQ(second.keptBodies, 3);
  EXPECT_FALSE(second.reused);
  expectWhole(second, row.part);
  for (int b : {0, 1, 5}) EXPECT_TRUE(cornersOf(second.mesh, b) == cornersOf(first.mesh, b)) << b;
  for (int b : {2, 3, 4}) EXPECT_FALSE(cornersOf(second.mesh, b) == cornersOf(first.mesh, b)) << b;
  EXPECT_EQ(second.bodies[3].fill, Fill::Mapped);
  EXPECT_NE(problemOf(second.problems, "mesh.kept"), nullptr);
  // The same once more from there: a body whose neighbour keeps its quadrilaterals gets pyramids on them.
  const RunResult third = row.run({fillOf("only d", "mapped"), fillOf("only f", "mapped")}, &second);
  EXPECT_EQ(third.keptBodies, 4);
  expectWhole(third, row.part);
  EXPECT_TRUE(cornersOf(third.mesh, 3) == cornersOf(second.mesh, 3));
  const auto pyramids = static_cast<std::size_t>(
      std::count(third.mesh.cells.type.begin(), third.mesh.cells.type.end(), ElementType::Pyramid5));
  EXPECT_EQ(pyramids, 3u * 3 * 3);
  // And a mapped neighbour of a body that stays takes the counts that are there.
  const RunResult fourth =
      row.run({fillOf("only d", "mapped"), fillOf("only f", "mapped"), fillOf("only e", "mapped")}, &third);
  expectWhole(fourth, row.part);
  // Back to tetrahedra, in the other order of elements.
  const RunResult fifth = row.run({fillOf("only d", "mapped")}, &fourth, "2");
  EXPECT_GT(fifth.keptBodies, 0);
  expectWhole(fifth, row.part);
  EXPECT_TRUE(ordersOf(fifth.mesh).quadratic);
}

TEST(Reuse, aMappedBodyBesideOneThatStaysTakesItsCounts) {
  const Row row;
  Rule fine = rule("size", {{"on", "only b"}, {"length", "0.3 mm"}});
  const RunResult first = row.run({fine, fillOf("only b", "mapped"), fillOf("only c", "mapped")});
  expectWhole(first, row.part);
  // The fourth changes; the third is its neighbour, mapped, and has the second beside it, which stays.
  const RunResult second =
      row.run({fine, fillOf("only b", "mapped"), fillOf("only c", "mapped"), fillOf("only d", "mapped")}, &first);
  EXPECT_EQ(second.keptBodies, 3);
  expectWhole(second, row.part);
  EXPECT_TRUE(cornersOf(second.mesh, 1) == cornersOf(first.mesh, 1));
  EXPECT_EQ(second.bodies[2].fill, Fill::Mapped);
}

TEST(Reuse, sweptBodiesTakeFacesAsTheyAre) {
  const Row row;
  const RunResult first = row.run({fillOf("only b", "swept")});
  expectWhole(first, row.part);
  // The third has triangles towards the second, which stays; it is swept from there and hands them on.
  const RunResult second = row.run({fillOf("only b", "swept"), fillOf("only d", "swept")}, &first);
  EXPECT_EQ(second.keptBodies, 3);
  expectWhole(second, row.part);
  EXPECT_EQ(second.bodies[3].fill, Fill::Swept);
  const RunResult third =
      row.run({fillOf("only b", "swept"), fillOf("only d", "swept"), fillOf("only e", "swept")}, &second);
  expectWhole(third, row.part);
  EXPECT_EQ(third.bodies[4].fill, Fill::Swept);
  EXPECT_GT(third.keptBodies, 0);
  // Rows beside what stays swept.
  const RunResult fourth =
      row.run({fillOf("only b", "swept"), fillOf("only d", "swept"), fillOf("only e", "mapped")}, &third);
  expectWhole(fourth, row.part);
  EXPECT_EQ(fourth.bodies[4].fill, Fill::Mapped);
}

TEST(Reuse, steppedBodiesKeepWhatNeighboursHaveAndAreKept) {
  Row row; // a plate, a block on it and a disc below
  row.part = made("feet 24 16 4 5 0");
  const char* names[] = {"a", "b", "c"};
  ASSERT_EQ(row.part.bodies.size(), 3u);
  for (std::size_t b = 0; b < 3; ++b) row.part.bodies[b].name = names[b];
  auto sound = [&](const RunResult& run) {
    EXPECT_TRUE(run.audit.soundness.sound()) << run.audit.sentence;
    EXPECT_NEAR(run.audit.volume, row.part.volume(), 0.02 * row.part.volume());
  };
  const RunResult first = row.run({});
  sound(first);
  // The plate between tetrahedra that stay.
  const RunResult plate = row.run({fillOf("only a", "swept")}, &first);
  sound(plate);
  // The disc changes below a plate that was made stepped: its neighbours are made again, the rest stays.
  const RunResult disc = row.run({fillOf("only a", "swept"), fillOf("only c", "swept")}, &plate);
  sound(disc);
  EXPECT_EQ(disc.bodies[2].fill, Fill::Swept) << disc.bodies[2].why;
  const RunResult block =
      row.run({fillOf("only a", "swept"), fillOf("only c", "swept"), fillOf("only b", "mapped")}, &disc);
  sound(block);
  EXPECT_EQ(block.bodies[1].fill, Fill::Mapped) << block.bodies[1].why;
  const RunResult back = row.run({fillOf("only b", "mapped")}, &block);
  sound(back);
  EXPECT_EQ(back.bodies[0].fill, Fill::Tetrahedra);
}

TEST(Reuse, sizesOrANeighbourEverywhereMeanAllIsMadeAgain) {
  const Row row;
  const RunResult first = row.run({});
  EXPECT_EQ(row.run({fillOf("everything", "mapped")}, &first).keptBodies, 0);
  EXPECT_EQ(
      row.run({fillOf("only d", "mapped"), rule("size", {{"on", "only a"}, {"length", "0.5 mm"}})}, &first).keptBodies,
      0);
}
