// SPDX-License-Identifier: GPL-3.0-or-later
// Which card fills which body, and what the report tells of it.
#include "job/fills.h"
#include "job/forecast.h"
#include "job/preview.h"
#include "job/run_store.h"
#include "support/briefs.h"
#include "support/fixtures.h"
#include "support/touching.h"
#include <nlohmann/json.hpp>

using namespace tess;
using namespace tess::test;

namespace {

Part threeBoxes() {
  return boxGrid({{{0, 2, 4, 6}, {0, 2}, {0, 2}}}, {"end 1", "end 2", "middle"}, [](int i, int, int) { return i; });
}
Rule bodies(const std::string& name, const std::string& pattern) {
  return rule("group", {{"name", name}, {"of", "bodies"}, {"cad_name", pattern}});
}
Rule fill(const std::string& what, const std::string& with, const std::string& order = "1") {
  return rule("fill", {{"what", what}, {"with", with}, {"order", order}});
}
struct Read {
  Fills fills;
  std::vector<Problem> problems;
};
Read readFills(const Part& part, std::vector<Rule> rules) {
  const Brief b = briefWith("1 mm", std::move(rules));
  Read r;
  const auto groups = resolveGroups(b, part, r.problems);
  r.fills = fillsOf(b, part, groups, r.problems);
  return r;
}
std::string letters(const Fills& f) {
  std::string s;
  for (const auto& w : f.wishes) s += w.fill == Fill::Mapped ? 'm' : 't';
  return s;
}

} // namespace

TEST(FillCards, theNarrowerAndThenTheLaterOneHolds) {
  const Part part = threeBoxes();
  const Rule one = bodies("one", "end 2"), two = bodies("two", "end*"), all = bodies("all", "*");
  EXPECT_EQ(letters(readFills(part, {}).fills), "ttt");
  EXPECT_EQ(letters(readFills(part, {fill("everything", "mapped")}).fills), "mmm");
  EXPECT_EQ(letters(readFills(part, {one, fill("one", "mapped"), fill("everything", "tetrahedra")}).fills), "tmt");
  EXPECT_EQ(letters(readFills(part, {one, two, fill("one", "tetrahedra"), fill("two", "mapped")}).fills), "mtt");
  const Read same =
      readFills(part, {one, bodies("again", "end 2"), fill("one", "mapped"), fill("again", "tetrahedra")});
  EXPECT_EQ(letters(same.fills), "ttt");
  EXPECT_TRUE(problemOf(same.problems, "fill.conflict"));
  EXPECT_FALSE(problemOf(readFills(part, {one, fill("everything", "tetrahedra"), fill("one", "mapped")}).problems,
                         "fill.conflict"));
}

TEST(FillCards, tellWhatCellsAreCutIntoAndWhereASweepBegins) {
  const Part part = threeBoxes();
  const Rule three = bodies("three", "*");
  Rule all = fill("three", "swept");
  const Rule end =
      rule("group", {{"name", "end"}, {"of", "faces"}, {"normal", "(-1, 0, 0)"}, {"normal_angle", "1 deg"}});
  all.values["cells"] = "tetrahedra";
  all.values["from"] = "end";
  const Read read = readFills(part, {three, end, all});
  EXPECT_TRUE(read.problems.empty()) << read.problems.front().sentence();
  ASSERT_EQ(read.fills.wishes.size(), 3u);
  for (std::size_t b = 0; b < 3; ++b) {
    EXPECT_TRUE(read.fills.wishes[b].cut);
    for (int f : read.fills.wishes[b].sources) {
      const auto& sides = part.faces[static_cast<std::size_t>(f)].bodies;
      EXPECT_TRUE(sides[0] == static_cast<int>(b) || sides[1] == static_cast<int>(b));
    }
  }
  EXPECT_FALSE(read.fills.wishes[0].sources.empty());
  all.values["from"] = "nothing";
  EXPECT_TRUE(problemOf(readFills(part, {three, all}).problems, "rule.no-target"));
  // From the brief to the mesh.
  all.values["from"] = "end";
  const RunResult run = runWith(briefWith("1 mm", {three, end, all}), part);
  for (const auto t : run.mesh.cells.type) EXPECT_EQ(t, ElementType::Tet4);
  EXPECT_TRUE(run.audit.soundness.sound());
}

TEST(FillCards, whatCannotHoldIsAFinding) {
  const Part part = threeBoxes();
  EXPECT_TRUE(problemOf(readFills(part, {fill("nobody", "mapped")}).problems, "rule.no-target"));
  const Rule faces =
      rule("group", {{"name", "top"}, {"of", "faces"}, {"normal", "(0, 0, 1)"}, {"normal_angle", "1 deg"}});
  EXPECT_TRUE(problemOf(readFills(part, {faces, fill("top", "mapped")}).problems, "rule.no-target"));
  const Read orders =
      readFills(part, {bodies("one", "end 2"), fill("everything", "tetrahedra", "2"), fill("one", "mapped", "1")});
  EXPECT_TRUE(problemOf(orders.problems, "fill.order"));
  EXPECT_EQ(orders.fills.order, 1); // that of the first card, which the brief begins with
}

TEST(FillCards, theReportTellsEachBodyAndWhoDecidedItsFaces) {
  const Part part = threeBoxes();
  const RunResult run = runWith(briefWith("1 mm", {bodies("one", "end 2"), fill("one", "mapped")}), part);
  const auto j = runReport(run);
  ASSERT_EQ(j["bodies"].size(), 3u);
  EXPECT_EQ(j["bodies"][0]["fill"], "tetrahedra");
  EXPECT_EQ(j["bodies"][1]["name"], "end 2");
  EXPECT_EQ(j["bodies"][1]["fill"], "mapped");
  EXPECT_EQ(j["bodies"][1]["elements"]["hex8"], 8);
  EXPECT_EQ(j["bodies"][2]["elements"]["pyramid5"], 4);
  EXPECT_FALSE(j["bodies"][1]["why"].get<std::string>().empty());
  ASSERT_EQ(j["faces_decided"].size(), 6u);
  int joints = 0;
  for (const auto& f : j["faces_decided"]) {
    EXPECT_EQ(f["by"], "end 2");
    joints += f["pyramids"].get<bool>();
  }
  EXPECT_EQ(joints, 2);
  // Kept on disk and read again it still does.
  TempFolder dir;
  ASSERT_FALSE(saveRun(run, "stamp", dir / "one.run"));
  auto back = loadRun(dir / "one.run");
  ASSERT_TRUE(back.ok()) << back.problem().sentence();
  EXPECT_EQ(runReport(back->run)["bodies"], j["bodies"]);
  EXPECT_EQ(runReport(back->run)["faces_decided"], j["faces_decided"]);
}

TEST(FillCards, theForecastKnowsThem) {
  auto near = [](const Brief& brief, const Part& part) {
    Progress progress;
    const Forecast f = forecastBrief(brief, part, progress);
    auto run = runBrief(brief, part, 0, progress);
    ASSERT_TRUE(run.ok()) << run.problem().sentence();
    const auto cells = static_cast<double>(run->mesh.cells.size()), nodes = static_cast<double>(run->mesh.nodes.size());
    EXPECT_NEAR(f.elements, cells, 0.25 * cells);
    EXPECT_NEAR(f.nodes, nodes, 0.25 * nodes);
  };
  auto brief = loadBrief(demo("ballast-block.brief"));
  ASSERT_TRUE(brief.ok());
  auto part = loadPart(brief->partPath());
  ASSERT_TRUE(part.ok());
  near(*brief, *part);
  for (const char* recipe : {"tube 4 2.2 6", "flange 5 6 9", "counterbore 20 14 8 2 4"})
    for (const char* across : {"", "triangles"}) {
      SCOPED_TRACE(std::string(recipe) + " " + across);
      Rule swept = fill("everything", "swept");
      swept.values["across"] = across;
      near(briefWith("0.6 mm", {swept}), made(recipe));
    }
}

TEST(FillCards, saysBeforeMeshingWhatItWillDo) {
  const Part part = threeBoxes();
  const Brief b = briefWith("1 mm", {bodies("one", "end 2"), fill("one", "mapped"), fill("everything", "tetrahedra")});
  std::vector<Problem> problems;
  const auto groups = resolveGroups(b, part, problems);
  Progress progress;
  auto at = [&](const std::string& with, const std::string& what) {
    for (std::size_t i = b.rules.size(); i-- > 0;) // after the one that the brief begins with
      if (b.rules[i].kind == "fill" && b.rules[i].get("with") == with && b.rules[i].get("what") == what)
        return previewRule(b, static_cast<int>(i), part, groups, nullptr, progress);
    return Result<RulePreview>(Problem::of("test", "no such card"));
  };
  auto some = at("mapped", "one");
  ASSERT_TRUE(some.ok());
  EXPECT_EQ(some->text, "1 body mapped");
  EXPECT_EQ(some->lit, std::vector<int>{1});
  auto rest = at("tetrahedra", "everything");
  ASSERT_TRUE(rest.ok());
  EXPECT_EQ(rest->text, "2 bodies of tetrahedra");
}

TEST(FillCards, theCableGuideIsAHybridOfWhatFitsBest) {
  const RunResult run = runOf(demo("cable-guide.brief"));
  ASSERT_EQ(run.bodies.size(), 3u);
  EXPECT_EQ(run.bodies[0].fill, Fill::Swept) << run.bodies[0].why;
  EXPECT_EQ(run.bodies[0].why, "the best that fits");
  for (std::size_t b : {1u, 2u}) {
    EXPECT_EQ(run.bodies[b].fill, Fill::Tetrahedra);
    EXPECT_NE(run.bodies[b].why.find("not swept, since"), std::string::npos) << run.bodies[b].why;
  }
  for (ElementType t : {ElementType::Hex8, ElementType::Pyramid5, ElementType::Tet4})
    EXPECT_GT(std::count(run.mesh.cells.type.begin(), run.mesh.cells.type.end(), t), 100) << topology(t).name;
  EXPECT_TRUE(run.audit.soundness.sound()) << run.audit.sentence;
  EXPECT_TRUE(run.audit.pass) << run.audit.sentence;
}

TEST(FillCards, theMastFootIsHexahedraAloneAndAHybrid) {
  const RunResult run = runOf(demo("mast-foot.brief"));
  ASSERT_EQ(run.bodies.size(), 2u);
  for (const auto& b : run.bodies) EXPECT_EQ(b.fill, Fill::Swept) << b.why;
  EXPECT_EQ(std::count(run.mesh.cells.type.begin(), run.mesh.cells.type.end(), ElementType::Hex8),
            static_cast<std::ptrdiff_t>(run.mesh.cells.size()));
  EXPECT_TRUE(run.audit.soundness.sound()) << run.audit.sentence;
  EXPECT_TRUE(run.audit.pass) << run.audit.sentence;
  EXPECT_GT(run.audit.metrics[static_cast<std::size_t>(Metric::ScaledJacobian)].min, 0.2);
  const RunResult hybrid = runOf(demo("mast-foot-hybrid.brief"));
  for (ElementType t : {ElementType::Hex8, ElementType::Pyramid5, ElementType::Tet4})
    EXPECT_GT(std::count(hybrid.mesh.cells.type.begin(), hybrid.mesh.cells.type.end(), t), 100) << topology(t).name;
  EXPECT_TRUE(hybrid.audit.soundness.sound()) << hybrid.audit.sentence;
  EXPECT_TRUE(hybrid.audit.pass) << hybrid.audit.sentence;
}

TEST(FillCards, acrossDecidesWhatEndsAreMadeOf) {
  const Part part = threeBoxes();
  Rule swept = fill("everything", "swept");
  swept.values["across"] = "mostly quads";
  EXPECT_EQ(sentenceOf(swept), "Fill everything with swept, mostly quads across, order 1");
  const Read r = readFills(part, {swept, fill("everything", "best")});
  EXPECT_TRUE(problemOf(r.problems, "fill.conflict"));
  const Read alone = readFills(part, {swept});
  for (const auto& w : alone.fills.wishes) EXPECT_EQ(w.across, Across::MostlyQuads);
}
