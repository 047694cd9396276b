// SPDX-License-Identifier: GPL-3.0-or-later
// Groups of faces on parts of several bodies: descriptions mean outer faces, faces between bodies are a choice.
#include "job/gate.h"
#include "job/proposals.h"
#include "support/briefs.h"

using namespace tess;
using namespace tess::test;

namespace {
bool inner(const Part& part, int f) {
  const auto& b = part.faces[static_cast<std::size_t>(f)].bodies;
  return b[0] >= 0 && b[1] >= 0;
}
std::pair<int, int> outerAndInner(const Part& part, const ResolvedGroup& g) {
  std::pair<int, int> n{0, 0};
  for (int f : g.entities) ++(inner(part, f) ? n.second : n.first);
  return n;
}
int innerFace(const Part& part) {
  for (int f = 0; f < part.count(Dim::Face); ++f)
    if (inner(part, f)) return f;
  return -1;
}
} // namespace

TEST(FacesBetween, areLeftOutOfWhatIsDescribedUnlessAskedFor) {
  const Part part = made("boxes 2"); // two cubes that share one face
  ASSERT_GE(innerFace(part), 0);
  const std::string seat = formatPoint(typicalPoint(part, Dim::Face, innerFace(part)));
  Brief b = briefWith("0.5", {rule("group", {{"name", "planes"}, {"surface", "plane"}}),
                              rule("group", {{"name", "both"}, {"surface", "plane"}, {"between", "also"}}),
                              rule("group", {{"name", "seat"}, {"surface", "plane"}, {"between", "only"}}),
                              rule("group", {{"name", "picked"}, {"nearest", seat}}),
                              rule("group", {{"name", "not picked"}, {"except", "picked"}}),
                              rule("group", {{"name", "together"}, {"any_of", "planes, picked"}}),
                              rule("group", {{"name", "spread"}, {"spread_from", seat}})});
  std::vector<Problem> problems;
  const auto g = resolveGroups(b, part, problems);
  EXPECT_TRUE(problems.empty());
  EXPECT_EQ(outerAndInner(part, g[0]), std::pair(10, 0));
  EXPECT_EQ(outerAndInner(part, g[1]), std::pair(10, 1));
  EXPECT_EQ(outerAndInner(part, g[2]), std::pair(0, 1));
  EXPECT_EQ(outerAndInner(part, g[3]), std::pair(0, 1)) << "what is picked is meant";
  EXPECT_EQ(outerAndInner(part, g[4]), std::pair(10, 0));
  EXPECT_EQ(outerAndInner(part, g[5]), std::pair(10, 1)) << "put together from groups: what these have";
  EXPECT_EQ(outerAndInner(part, g[6]), std::pair(0, 1)) << "spread from a face between bodies";
}

TEST(FacesBetween, aDescriptionThatFitsThemOnlySaysHowToGetThem) {
  const Part part = made("buried 1"); // a cube inside a box: faces of area 1 are between the two
  std::vector<Problem> problems;
  resolveGroups(briefWith("0.5", {rule("group", {{"name", "core"}, {"area_max", "1.01"}})}), part, problems);
  const Problem* p = problemOf(problems, "group.empty");
  ASSERT_NE(p, nullptr);
  EXPECT_NE(p->why.find("between bodies"), std::string::npos) << p->why;
  EXPECT_NE(p->todo.find("between = \"only\""), std::string::npos);
}

TEST(FacesBetween, proposedGroupsHoldNone) {
  for (const char* recipe : {"boxes 3", "buried 1", "halves 2 5"}) {
    const Part part = made(recipe);
    Brief b = defaultBrief("made");
    for (auto& r : proposeGroups(b, part, {})) b.rules.push_back(r);
    std::vector<Problem> problems;
    std::vector<int> uses(part.faces.size(), 0);
    for (const auto& g : resolveGroups(b, part, problems))
      for (int f : g.entities) ++uses[static_cast<std::size_t>(f)];
    for (std::size_t f = 0; f < uses.size(); ++f)
      EXPECT_EQ(uses[f], inner(part, static_cast<int>(f)) ? 0 : 1) << recipe << " face " << f + 1;
  }
}

TEST(FacesBetween, whatIsLikeOneOfThemAreOthersOfThem) {
  const Part part = made("boxes 3");
  const auto like = describeAlike(part, innerFace(part), Alike::SameArea);
  ASSERT_TRUE(like);
  const auto faces = resolveAlone(*like, part);
  EXPECT_EQ(faces.size(), 2u);
  for (int f : faces) EXPECT_TRUE(inner(part, f));
}

TEST(FacesBetween, theGateNamesASetThatMixesBoth) {
  const Part part = made("boxes 2");
  Brief b = briefWith("0.5", {rule("group", {{"name", "mixed"}, {"surface", "plane"}, {"between", "also"}}),
                              rule("group", {{"name", "outer"}, {"surface", "plane"}}),
                              rule("group", {{"name", "seat"}, {"surface", "plane"}, {"between", "only"}})});
  const auto run = runWith(b, part);
  int told = 0;
  for (const auto& p : gateOf(run, part, b).objections)
    if (p.code == "gate.mixed-set") {
      ++told;
      EXPECT_NE(p.what.find("'mixed'"), std::string::npos) << p.what;
    }
  EXPECT_EQ(told, 1);
}

TEST(Gate, overlapsAndFreeFacesAreObjectionsOnlyWhereTheyMatter) {
  Part part = made("box 1 1 1");
  part.unitAssumed = false;
  Brief b = briefWith("0.5", {rule("group", {{"name", "top"}, {"outermost", "0, 0, 1"}}),
                              rule("group", {{"name", "top again"}, {"outermost", "0, 0, 1"}})});
  const auto run = runWith(b, part);
  auto codes = [&](const Brief& now, const std::string& path) {
    std::set<std::string> r;
    Rule file = rule("hand_over", {{"path", path}});
    if (path == "case") file.values["format"] = "foam";
    for (const auto& p : gateOf(run, part, now, {file}).objections) r.insert(p.code);
    return r;
  };
  EXPECT_EQ(codes(b, "a.inp"), std::set<std::string>{"gate.unnamed"}) << "sets of a deck may overlap";
  EXPECT_EQ(codes(b, "case"), (std::set<std::string>{"gate.unnamed", "gate.doubled"}));
  ASSERT_TRUE(problemOf(run.problems, "groups.unassigned"));
  Brief free = b;
  free.rules.push_back(rule("stay_free", {}));
  EXPECT_TRUE(codes(free, "a.inp").empty()) << "settled by a card, without meshing again";
  EXPECT_FALSE(problemOf(runWith(free, part).problems, "groups.unassigned"));
}

TEST(HandOver, polyMeshIsInMetresUnlessAScaleSaysOtherwise) {
  TempFolder dir;
  Part part = made("box 40 20 10");
  Brief b = briefWith("10", {});
  b.path = dir / "x.brief";
  const auto run = runWith(b, part);
  auto lengthOf = [&](std::map<std::string, std::string> values) {
    const Rule file = rule("hand_over", std::move(values));
    const auto p = handOver(run, file);
    EXPECT_FALSE(p) << p->sentence();
    Box box;
    const auto back = readMesh(dir / file.get("path"));
    if (!back) return 0.0;
    for (const auto& n : back.value().nodes) box.add(n);
    return box.size().x();
  };
  EXPECT_NEAR(lengthOf({{"path", "case"}, {"format", "foam"}}), 0.04, 1e-12);
  EXPECT_NEAR(lengthOf({{"path", "case"}, {"format", "foam"}, {"scale", "1"}}), 40, 1e-9);
  EXPECT_NEAR(lengthOf({{"path", "a.inp"}}), 40, 1e-9);
  EXPECT_EQ(gateOf(run, part, b, {rule("hand_over", {{"path", "case"}, {"format", "foam"}})}).size,
            "0.04 x 0.02 x 0.01 m");
  // A file says the unit that its numbers are in.
  EXPECT_NEAR(lengthOf({{"path", "m.vtu"}, {"scale", "0.001"}}), 0.04, 1e-12);
  EXPECT_EQ(readMesh(dir / "m.vtu")->unit, "m");
  lengthOf({{"path", "odd.vtu"}, {"scale", "0.7"}});
  EXPECT_TRUE(readMesh(dir / "odd.vtu")->unitAssumed);
  lengthOf({{"path", "m.inp"}, {"scale", "0.001"}});
  EXPECT_EQ(readMesh(dir / "m.inp")->unit, "m");
}

TEST(Brief, whatHasNoEffectIsSaid) {
  const Part part = made("tube 5 4 10");
  auto said = [&](std::vector<Rule> rules) { return runWith(briefWith("2", std::move(rules)), part).problems; };
  const auto problems = said({rule("fill", {{"what", "tube"}, {"order", "2"}})});
  ASSERT_TRUE(problemOf(problems, "rule.no-target"));
  EXPECT_NE(problemOf(problems, "rule.no-target")->what.find("'tube'"), std::string::npos);
  EXPECT_TRUE(problemOf(problems, "fill.order")) << "the order of the first counts";
  EXPECT_FALSE(problemOf(said({}), "rule.no-target"));
}

TEST(SizeRules, ofTwoSizesOnTheSameFacesItIsSaidWhichHolds) {
  const Part part = made("drilled 2.5");
  Brief b = briefWith("5", {rule("group", {{"name", "round"}, {"surface", "cylinder"}}),
                            rule("size", {{"on", "round"}, {"length", "2 mm"}}),
                            rule("size", {{"on", "round"}, {"length", "1 mm"}}),
                            rule("size", {{"on", "everywhere"}, {"length", "4 mm"}})});
  std::vector<Problem> problems;
  sizeRequestOf(b, part, resolveGroups(b, part, problems), problems, nullptr);
  const Problem* p = problemOf(problems, "size.overruled");
  ASSERT_NE(p, nullptr);
  const std::size_t first = b.rules.size() - 3;
  EXPECT_NE(p->where.find("rule " + std::to_string(first + 1)), std::string::npos) << p->where;
  EXPECT_NE(p->what.find("rule " + std::to_string(first + 2) + " (1 mm) holds"), std::string::npos) << p->what;
  EXPECT_EQ(std::count_if(problems.begin(), problems.end(), [](auto& x) { return x.code == "size.overruled"; }), 1);
  b.rules[first].values["within"] = "3 mm"; // reaches further than the smaller one
  problems.clear();
  sizeRequestOf(b, part, resolveGroups(b, part, problems), problems, nullptr);
  EXPECT_FALSE(problemOf(problems, "size.overruled"));
}
