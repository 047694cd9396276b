// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/units.h"
#include "job/forecast.h"
#include "support/briefs.h"
#include <cmath>
#include <fstream>

using namespace tess;
using namespace tess::test;

namespace {

const AskedGot& gotOf(const RunResult& r, const std::string& kind) {
  for (const auto& a : r.rules)
    if (a.id.rfind(kind + "-", 0) == 0) return a;
  ADD_FAILURE() << "no rule " << kind;
  static AskedGot none;
  return none;
}
SizeField fieldOf(const Brief& b, const Part& part, std::vector<Problem>& problems) {
  auto groups = resolveGroups(b, part, problems);
  return briefSizeField(b, part, groups, problems);
}
/// A result file as a solver leaves it: the mesh with a cell array made from the cell's middle.
template <class F> void writeField(const Mesh& m, const std::string& path, const std::string& name, F&& value) {
  std::ofstream o(path);
  o.precision(17);
  o << "<VTKFile type=\"UnstructuredGrid\" version=\"0.1\" byte_order=\"LittleEndian\"><UnstructuredGrid><Piece "
       "NumberOfPoints=\""
    << m.nodes.size() << "\" NumberOfCells=\"" << m.cells.size()
    << "\"><Points><DataArray type=\"Float64\" NumberOfComponents=\"3\" format=\"ascii\">\n";
  for (const auto& p : m.nodes) o << p.x() << ' ' << p.y() << ' ' << p.z() << '\n';
  o << "</DataArray></Points><Cells><DataArray type=\"Int64\" Name=\"connectivity\" format=\"ascii\">\n";
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    for (auto n : m.cells.of(c)) o << n << ' ';
  o << "</DataArray><DataArray type=\"Int64\" Name=\"offsets\" format=\"ascii\">\n";
  for (std::size_t c = 0; c < m.cells.size(); ++c) o << m.cells.start[c + 1] << ' ';
  o << "</DataArray><DataArray type=\"UInt8\" Name=\"types\" format=\"ascii\">\n";
  for (std::size_t c = 0; c < m.cells.size(); ++c) o << "10 ";
  o << "</DataArray></Cells><CellData><DataArray type=\"Float64\" Name=\"" << name << "\" format=\"ascii\">\n";
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    Vec3 mid = Vec3::Zero();
    for (auto n : m.cells.of(c)) mid += m.nodes[static_cast<std::size_t>(n)] / 4;
    o << value(c, mid) << '\n';
  }
  o << "</DataArray></CellData></Piece></UnstructuredGrid></VTKFile>\n";
}

} // namespace

TEST(SizeRules, TheSizeWhenNoneIsAskedForIsAFigureThatPeopleSay) {
  const Brief plain = defaultBrief("x");
  for (const auto& [recipe, want] : std::vector<std::pair<std::string, double>>{
           {"box 30 20 2", 1.8}, {"box 3000 2000 200", 180}, {"box 0.03 0.02 0.002", 0.0018}}) {
    const Part part = made(recipe);
    EXPECT_NEAR(overallTarget(plain, part), want, 1e-9 * want) << part.diagonal() / 20;
  }
}

TEST(SizeRules, ABriefThatSaysNothingBridgesAsOneWithAnOverallRule) {
  Part part = made("step 0.05"); // a narrow face
  std::vector<Problem> problems;
  Brief with = defaultBrief("made"), without = with;
  std::erase_if(without.rules, [](const Rule& r) { return r.kind == "everywhere"; });
  const SizeField a = fieldOf(with, part, problems), b = fieldOf(without, part, problems);
  const auto tolerance = [&](const Brief& brief) {
    const auto groups = resolveGroups(brief, part, problems);
    return meshWishes(sizeRequestOf(brief, part, groups, problems)).bridging.tolerance;
  };
  EXPECT_GT(tolerance(with), 0);
  EXPECT_EQ(tolerance(with), tolerance(without));
  EXPECT_EQ(a.sourceCount(), b.sourceCount());
}

TEST(SizeRules, ThroughIsAskedForAndReported) {
  Part part = made("box 30 20 2");
  RunResult r = runWith(briefWith("8 mm", {rule("through", {{"count", "3"}, {"floor", "0.2"}})}), part);
  EXPECT_GE(gotOf(r, "through").share, 0.99);
  EXPECT_EQ(r.through.wanted, 3);
  // Nothing asked: counted all the same, and the thin places are listed.
  RunResult plain = runWith(briefWith("8 mm", {}), part);
  EXPECT_EQ(plain.through.wanted, 2);
  ASSERT_FALSE(plain.through.places.empty());
  EXPECT_EQ(plain.through.places[0].count, 1);
  EXPECT_NEAR(plain.through.places[0].thickness, 2, 1e-6);
  EXPECT_NEAR(plain.through.thinArea, 1200, 100);
}

TEST(SizeRules, ThroughActsOnItsGroupOnly) {
  Part part = made("shell 16 1.5");
  Brief b = briefWith("8 mm", {rule("group", {{"name", "side"}, {"nearest", "16, 8, 8"}}),
                               rule("through", {{"count", "2"}, {"on", "side"}, {"floor", "0.1"}})});
  std::vector<Problem> problems;
  SizeField f = fieldOf(b, part, problems);
  EXPECT_NEAR(f.at({15.3, 8, 8}), 0.75, 0.01);
  EXPECT_GT(f.at({0.7, 8, 8}), 4); // the wall across is left alone
}

TEST(SizeRules, MultiplesFollowTheOverallSize) {
  Part part = made("box 20 20 20");
  Brief b = briefWith("5 mm", {rule("group", {{"name", "top"}, {"normal", "0, 0, 1"}}),
                               rule("size", {{"on", "top"}, {"length", "0.4 x"}, {"within", "2 mm"}})});
  std::vector<Problem> problems;
  SizeField f = fieldOf(b, part, problems);
  EXPECT_TRUE(problems.empty());
  EXPECT_DOUBLE_EQ(f.at({10, 10, 20}), 2);
  EXPECT_DOUBLE_EQ(f.at({10, 10, 18.1}), 2);
  EXPECT_NEAR(f.at({10, 10, 17}), 2.3, 1e-9);
  Brief half = scaledSizes(b, part, 0.5);
  SizeField g = fieldOf(half, part, problems);
  EXPECT_DOUBLE_EQ(g.at({10, 10, 20}), 1);
  EXPECT_DOUBLE_EQ(g.at({10, 10, 18.1}), 1); // the reach is no size
  EXPECT_FALSE(validateBrief(briefWith("5 mm", {rule("size", {{"on", "top"}, {"length", "-1 x"}})}), "mm").empty());
}

TEST(SizeRules, ZonesSayWhenTheyTouchNothingOrLackAPoint) {
  Part part = made("box 20 20 20");
  Brief b = briefWith("5 mm",
                      {rule("zone", {{"shape", "sphere"}, {"from", "10, 10, 20"}, {"radius", "4"}, {"length", "1"}})});
  RunResult r = runWith(b, part);
  const AskedGot& a = gotOf(r, "zone");
  EXPECT_NEAR(a.median, 1, 0.25);
  EXPECT_FALSE(problemOf(r.problems, "rule.touches-nothing"));
  std::vector<Problem> problems;
  b.rules.back().values["from"] = "10, 10, 60";
  briefSizeField(b, part, {}, problems);
  EXPECT_TRUE(problemOf(problems, "rule.touches-nothing"));
  problems.clear();
  b.rules.back().values["shape"] = "cylinder";
  briefSizeField(b, part, {}, problems);
  EXPECT_TRUE(problemOf(problems, "rule.incomplete"));
}

TEST(SizeRules, TwoExactDivisionsOfOneEdgeAreAFinding) {
  Part part = made("box 20 10 10");
  Brief b =
      briefWith("5 mm", {rule("group", {{"name", "long"}, {"of", "edges"}, {"nearest", "10, 0, 0"}}),
                         rule("divide", {{"on", "long"}, {"count", "9"}, {"finest", "start, end"}, {"ratio", "3"}})});
  RunResult r = runWith(b, part);
  EXPECT_EQ(gotOf(r, "divide").got.rfind("9 elements", 0), 0u) << gotOf(r, "divide").got;
  EXPECT_FALSE(problemOf(r.problems, "rule.conflict"));
  b.rules.push_back(rule("divide", {{"on", "long"}, {"count", "4"}}));
  std::vector<Problem> problems;
  fieldOf(b, part, problems);
  EXPECT_TRUE(problemOf(problems, "rule.conflict"));
}

TEST(SizeRules, ASizeFieldFromAFileIsFollowed) {
  TempFolder folder;
  Part part = made("box 20 20 20");
  Mesh old = meshOf(part, 3).mesh;
  auto wanted = [](const Vec3& p) { return 1 + 0.1 * p.x(); };
  writeField(old, folder / "h.vtu", "h", [&](std::size_t, const Vec3& p) { return wanted(p); });
  Brief b = briefWith("5 mm", {rule("field", {{"path", folder / "h.vtu"}, {"array", "h"}})});
  std::vector<Problem> problems;
  SizeField f = briefSizeField(b, part, {}, problems);
  EXPECT_TRUE(problems.empty());
  for (const auto& n : meshOf(part, 4).mesh.nodes) EXPECT_NEAR(f.at(n), wanted(n), 0.4);
  b.rules.back().values["array"] = "nothing";
  Progress progress;
  auto r = runBrief(b, part, 0, progress);
  ASSERT_FALSE(r.ok());
  EXPECT_EQ(r.problem().code, "field.array");
  EXPECT_NE(r.problem().todo.find("h"), std::string::npos);
}

TEST(SizeRules, AnErrorIsSpreadEvenlyWithinTheBudget) {
  TempFolder folder;
  Part part = made("box 20 20 20");
  Mesh old = meshOf(part, 2.5).mesh;
  // An error that falls away from one corner, as near a notch.
  auto error = [](const Vec3& p) { return 1 / (1 + p.squaredNorm()); };
  writeField(old, folder / "e.vtu", "e", [&](std::size_t, const Vec3& p) { return error(p); });
  for (const char* budget : {"6000", "20000"}) {
    Brief b = briefWith(
        "20 mm",
        {rule("field", {{"path", folder / "e.vtu"}, {"array", "e"}, {"meaning", "error"}, {"budget", budget}})});
    RunResult r = runWith(b, part);
    EXPECT_NEAR(static_cast<double>(r.mesh.cells.size()) / std::stod(budget), 1, 0.1);
    // Equal errors: h ~ e^(-2/5) at order 1, so the sizes at two places compare as the errors do.
    std::vector<Problem> problems;
    Progress progress;
    SizeRequest q = sizeRequestOf(b, part, {}, problems);
    meetBudget(b, part, q, 1, progress);
    SizeField f = makeSizeField(part, q);
    Vec3 near(3, 3, 3), far(8, 8, 8);
    EXPECT_NEAR(f.at(far) / f.at(near), std::pow(error(near) / error(far), 0.4), 0.5);
  }
}

TEST(Budget, IsAWarningOfTheForecast) {
  Part part = made("box 20 20 20");
  Brief b = briefWith("1 mm", {});
  b.rules[0].values["budget"] = "10000";
  Progress progress;
  Forecast f = forecastBrief(b, part, progress);
  EXPECT_TRUE(problemOf(f.problems, "forecast.budget"));
  b.rules[0].values["budget"] = "1000000";
  EXPECT_FALSE(overBudget(b, f).has_value());
}

TEST(SizeAcrossDiameters, readsSharesAndRefusesTheRest) {
  EXPECT_DOUBLE_EQ(*parseDiameter("D/8"), 0.125);
  EXPECT_DOUBLE_EQ(*parseDiameter(" D / 10 "), 0.1);
  EXPECT_DOUBLE_EQ(*parseDiameter("D"), 1);
  EXPECT_DOUBLE_EQ(*parseDiameter("0.2 D"), 0.2);
  for (const char* bad : {"", "D/0", "D/-2", "D8", "8", "D/", "2 mm", "D/8 mm", "nan D"})
    EXPECT_FALSE(parseDiameter(bad)) << bad;
  const RuleKind* size = ruleKind("size");
  EXPECT_FALSE(checkSlot(*size->slot("length"), "D/8", "mm"));
  EXPECT_TRUE(checkSlot(*size->slot("within"), "D/8", "mm"));
  EXPECT_TRUE(checkSlot(*ruleKind("zone")->slot("length"), "D/8", "mm")); // a zone has no diameter of its own
}

TEST(SizeAcrossDiameters, eachHoleGetsItsOwnSizeAndSaysSo) {
  Part part = made("drilled 2.5");
  Brief b = defaultBrief("drilled.step");
  Rule holes, size;
  holes.kind = "group";
  holes.values = {{"name", "holes"}, {"surface", "cylinder"}};
  size.kind = "size";
  size.values = {{"on", "holes"}, {"length", "D/10"}};
  b.rules = {holes, b.rules[0], size};
  std::vector<Problem> problems;
  auto groups = resolveGroups(b, part, problems);
  auto request = sizeRequestOf(b, part, groups, problems);
  EXPECT_TRUE(problems.empty());
  ASSERT_FALSE(request.local.empty());
  for (const auto& l : request.local) EXPECT_NEAR(l.size, 0.5, 1e-9);
  // A series halves it like any other size.
  Brief half = scaledSizes(b, part, 0.5);
  for (const auto& l : sizeRequestOf(half, part, groups, problems).local) EXPECT_NEAR(l.size, 0.25, 1e-9);
  Progress progress;
  auto run = runBrief(b, part, 0, progress);
  ASSERT_TRUE(run.ok());
  for (const auto& a : run->rules)
    if (a.rule == 2) {
      EXPECT_EQ(a.asked, "D/10");
      EXPECT_NEAR(a.median, 0.5, 0.12);
    }
}

TEST(SizeAcrossDiameters, flatTargetsAreAFinding) {
  Part part = made("box 20 16 12");
  Brief b = defaultBrief("box.step");
  Rule top, size;
  top.kind = "group";
  top.values = {{"name", "top"}, {"outermost", "0, 0, 1"}};
  size.kind = "size";
  size.values = {{"on", "top"}, {"length", "D/8"}};
  b.rules = {top, b.rules[0], size};
  std::vector<Problem> problems;
  auto groups = resolveGroups(b, part, problems);
  auto request = sizeRequestOf(b, part, groups, problems);
  EXPECT_TRUE(request.local.empty());
  ASSERT_EQ(problems.size(), 1u);
  EXPECT_EQ(problems[0].code, "size.no-diameter");
}

TEST(SizeRules, elementsAcrossGapsAreCountedThoughTheGapIsEmpty) {
  Part part = made("apart 0.5");
  Brief brief;
  brief.rules.push_back({"everywhere", {{"target", "2 mm"}, {"slender", "0"}}, "", false, {}});
  brief.rules.push_back({"through", {{"what", "gaps"}, {"count", "2"}, {"floor", "0.1 mm"}}, "", false, {}});
  Progress progress;
  auto with = runBrief(brief, part, 0, progress);
  ASSERT_TRUE(with.ok()) << with.problem().sentence();
  ASSERT_EQ(with->rules.size(), 2u);
  EXPECT_GT(with->rules[1].share, 0.95);
  brief.rules[1].values["count"] = "2";
  brief.rules[1].values["floor"] = "1 mm"; // holds the size up: no more than none are asked for
  auto floor = runBrief(brief, part, 0, progress);
  ASSERT_TRUE(floor.ok());
  EXPECT_EQ(floor->rules[1].share, 1);
}

TEST(SizeRules, readingThePartFollowsTheBrief) {
  Brief brief;
  brief.rules.push_back({"value", {{"name", "slack"}, {"value", "0.1 mm"}}, "", false, {}});
  brief.rules.push_back({"overlap", {{"keep", "pin*, board"}}, "", false, {}});
  brief.rules.push_back({"touch", {{"within", "2 * slack"}}, "", false, {}});
  auto o = loadOptionsOf(brief);
  ASSERT_TRUE(o.ok());
  EXPECT_EQ(o->keepsSpace, (std::vector<std::string>{"pin*", "board"}));
  EXPECT_NEAR(*parseLength(o->touchWithin, "mm"), 0.2, 1e-12);
  brief.rules[1].off = true;
  EXPECT_TRUE(loadOptionsOf(brief)->keepsSpace.empty());
  brief.facetAngle = "wide";
  EXPECT_FALSE(loadOptionsOf(brief).ok());
}
