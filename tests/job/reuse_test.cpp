// SPDX-License-Identifier: GPL-3.0-or-later
// Only what a change touches is redone, and nobody can tell from the mesh.
#include "job/reuse.h"
#include "job/run_store.h"
#include "support/fixtures.h"

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
