// SPDX-License-Identifier: GPL-3.0-or-later
// Bodies cut by planes into pieces, from the brief to the file.
#include "exchange/exchange.h"
#include "geometry/part.h"
#include "job/cuts.h"
#include "job/forecast.h"
#include "job/gate.h"
#include "job/open_part.h"
#include "support/briefs.h"
#include "support/fixtures.h"
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepTools.hxx>
#include <cstdlib>
#include <fstream>
#include <map>
#include <random>

using namespace tess;
using namespace tess::test;

namespace {

Rule cut(const std::string& across, const std::string& at = "", const std::string& further = "",
         const std::string& what = "everything") {
  return rule("cut", {{"what", what}, {"across", across}, {"at", at}, {"further", further}});
}
Part cutBy(const Part& whole, std::vector<Rule> rules) {
  auto o = loadOptionsOf(briefWith("1 mm", std::move(rules)));
  EXPECT_TRUE(o.ok());
  auto p = withCuts(std::make_shared<const Part>(whole), *o);
  EXPECT_TRUE(p.ok()) << (p.ok() ? "" : p.problem().sentence());
  return std::move(*p);
}
Part pieces(const std::string& recipe, std::vector<Rule> cuts) { return cutBy(made(recipe), std::move(cuts)); }
std::size_t between(const Part& part) {
  return static_cast<std::size_t>(std::count_if(
      part.faces.begin(), part.faces.end(), [](const PartFace& f) { return f.bodies[0] >= 0 && f.bodies[1] >= 0; }));
}

void writeSphereBrep(const std::string& path, const Vec3& c, double r) {
  BRepTools::Write(BRepPrimAPI_MakeSphere(gp_Pnt(c.x(), c.y(), c.z()), r).Shape(), path.c_str());
}

} // namespace

TEST(CutBodies, piecesShareFacesAndAddUp) {
  struct Case {
    const char* recipe;
    std::vector<Rule> cuts;
    std::size_t pieces, inner;
  };
  for (const auto& c : std::vector<Case>{{"box 6 4 3", {cut("1, 0, 0")}, 2, 1},
                                         {"box 6 4 3", {cut("1, 0, 0", "(1, 0, 0)", "2, 0.4 cm")}, 4, 3},
                                         {"box 6 4 3", {cut("1, 0, 0"), cut("0, 1, 0")}, 4, 4},
                                         {"cylinder 3 10", {cut("1, 1, 0"), cut("0, 0, 1", "(0, 0, 4)")}, 4, 4},
                                         {"tube 4 2.5 6", {cut("1, 0, 0"), cut("0, 1, 0")}, 4, 4},
                                         {"slot 12 5 6 2", {cut("0, 0, 1", "(0, 0, 3)")}, 3, 2},
                                         {"torus 5 1", {cut("1, 0, 0")}, 2, 2},
                                         {"sphere 2", {cut("1, 2, 3")}, 2, 1}}) {
    SCOPED_TRACE(c.recipe);
    const Part whole = made(c.recipe), part = pieces(c.recipe, c.cuts);
    EXPECT_EQ(part.bodies.size(), c.pieces);
    EXPECT_EQ(between(part), c.inner);
    EXPECT_NEAR(part.volume(), whole.volume(), 1e-6 * whole.volume());
    std::set<std::string> names;
    for (const auto& b : part.bodies) {
      EXPECT_EQ(b.wholeName(), "body1");
      EXPECT_TRUE(names.insert(b.name).second) << b.name;
      EXPECT_TRUE(b.closed);
      EXPECT_GT(b.volume, 0);
    }
  }
}

TEST(CutBodies, whatCannotBeCutIsAFindingAndStaysWhole) {
  for (const auto& [rules, code] :
       std::vector<std::pair<Rule, const char*>>{{cut("1, 0, 0", "(100, 0, 0)"), "cut.missed"},
                                                 {cut("1, 0, 0", "(6, 0, 0)"), "cut.missed"}, // along a face
                                                 {cut("1, 0, 0", "", "", "nobody"), "cut.no-body"},
                                                 {cut("0, 0, 0"), "cut.value"},
                                                 {cut("1, 0, 0", "(1, 2, 3); (4, 5, 6)"), "cut.value"},
                                                 {cut("1, 0, 0", "", "so far"), "cut.value"}}) {
    const Part part = pieces("box 6 4 3", {rules});
    EXPECT_EQ(part.bodies.size(), 1u) << code;
    const auto p = problemOf(part.problems, code);
    ASSERT_TRUE(p) << code;
    EXPECT_FALSE(p->why.empty());
    EXPECT_FALSE(p->todo.empty());
  }
  // Pieces that meet in a line alone are not said to be apart.
  const Part quarters = pieces("box 6 4 3", {cut("1, 0, 0"), cut("0, 1, 0")});
  EXPECT_TRUE(nearBodies(quarters, 0.1).empty());
  // One that is off is none.
  Rule off = cut("1, 0, 0");
  off.off = true;
  EXPECT_EQ(pieces("box 6 4 3", {off}).bodies.size(), 1u);
}

TEST(CutBodies, aBodyThatFitsNothingBecomesHexahedraAndOneRegion) {
  const std::vector<Rule> rules{
      cut("0, 0, 1", "(0, 0, 3)"),
      rule("group", {{"name", "bottom"}, {"of", "faces"}, {"normal", "(0, 0, -1)"}, {"normal_angle", "1 deg"}}),
      rule("group", {{"name", "all"}, {"of", "bodies"}, {"cad_name", "body1"}}),
      rule("fill", {{"what", "all"}, {"with", "mapped"}})};
  const Part part = pieces("slot 12 5 6 2", rules);
  const RunResult run = runWith(briefWith("1 mm", rules), part);
  ASSERT_EQ(run.bodies.size(), 3u);
  for (const auto& b : run.bodies) EXPECT_EQ(b.fill, Fill::Mapped) << b.why;
  for (const auto t : run.mesh.cells.type) EXPECT_EQ(t, ElementType::Hex8);
  EXPECT_TRUE(run.audit.soundness.sound()) << run.audit.sentence;
  EXPECT_NEAR(run.audit.volume, part.volume(), 1e-9 * part.volume());
  // Neither the cuts' faces nor the pieces are seen in the file.
  TempFolder dir;
  const auto problem = handOver(run, rule("hand_over", {{"path", dir / "m.vtu"}, {"format", "vtu"}}));
  ASSERT_FALSE(problem) << problem->sentence();
  auto back = readMesh(dir / "m.vtu");
  ASSERT_TRUE(back.ok());
  EXPECT_EQ(back->regions, std::vector<std::string>{"body1"});
  for (const auto& r : back->faceRegions) EXPECT_NE(r[0], r[1]);
  EXPECT_NEAR(meshVolume(*back), part.volume(), 1e-9 * part.volume());
}

TEST(CutBodies, planesThroughThreePointsAndSquareToAnEdge) {
  // Three points of a box: a corner is cut off.
  const Part corner = pieces("box 6 4 3", {cut("0, 0, 1", "(3, 0, 0); (0, 2, 0); (0, 0, 1)")});
  ASSERT_EQ(corner.bodies.size(), 2u);
  EXPECT_NEAR(std::min(corner.bodies[0].volume, corner.bodies[1].volume), 3.0 * 2 * 1 / 6, 1e-9);
  // Square to the long edges of a taper: at the middle of one.
  Rule square = rule("cut", {{"square_to", "rim"}});
  const Rule rim = rule("group", {{"name", "rim"}, {"of", "edges"}, {"nearest", "(3, 0, 0)"}});
  const Part halves = pieces("box 6 4 3", {rim, square});
  ASSERT_EQ(halves.bodies.size(), 2u);
  EXPECT_NEAR(halves.bodies[0].volume, 36, 1e-9);
  square.values["at"] = "(1, 0, 0)";
  const Part third = pieces("box 6 4 3", {rim, square});
  EXPECT_NEAR(std::min(third.bodies[0].volume, third.bodies[1].volume), 12, 1e-9);
}

TEST(CutBodies, facesAreCarriedOnThroughTheBody) {
  struct Case {
    const char* recipe;
    Rule cut;
    std::size_t pieces;
    double least; // volume of the smallest piece
  };
  auto along = [](const char* at, const char* by = "") { return rule("cut_along", {{"at", at}, {"by", by}}); };
  for (const auto& c : std::vector<Case>{
           {"slot 12 5 6 2", along("(6, 2.5, 3)"), 3, 5 * 5 * 3}, // the floor of the slot
           {"slot 12 5 6 2", along("(5, 2.5, 4)"), 2, 5 * 5 * 6}, // its side
           {"slot 12 5 6 2", along("(0, 2, 2)", "-2 mm"), 2, 2 * 5 * 6},
           {"boss 20 20 5 4 6", along("(12, 10, 9)"), 2, kPi * 16 * 11}, // the boss goes on through the plate
           {"boss 20 20 5 4 6", along("(12, 10, 9)", "0.1 cm"), 2, kPi * 25 * 5 + kPi * 16 * 6},
           {"tube 4 2.5 6", along("(2.5, 0, 3)", "-0.75 mm"), 2, kPi * (3.25 * 3.25 - 2.5 * 2.5) * 6},
           {"sphere 2", along("(2, 0, 0)", "-1 mm"), 2, 4.0 / 3 * kPi},
           {"torus 5 1", along("(6, 0, 0)", "-0.5 mm"), 2, 2 * kPi * kPi * 5 * 0.25},
           {"turned 360 0 0 4 0 2 6 0 6", along("(3, 0, 3)", "-0.5 mm"), 2, 0}}) {
    SCOPED_TRACE(std::string(c.recipe) + " " + c.cut.get("at") + " " + c.cut.get("by"));
    const Part whole = made(c.recipe), part = pieces(c.recipe, {c.cut});
    EXPECT_EQ(part.bodies.size(), c.pieces);
    EXPECT_NEAR(part.volume(), whole.volume(), 1e-6 * whole.volume());
    double least = 1e300;
    for (const auto& b : part.bodies) least = std::min(least, b.volume);
    if (c.least > 0) {
      EXPECT_NEAR(least, c.least, 1e-4 * c.least);
    }
  }
  // Of a group of edges: the cylinder through a circle.
  const Part core =
      pieces("cylinder 4 10", {rule("group", {{"name", "rim"}, {"of", "edges"}, {"nearest", "(4, 0, 10)"}}),
                               rule("cut_along", {{"on", "rim"}, {"by", "-2 mm"}})});
  ASSERT_EQ(core.bodies.size(), 2u);
  EXPECT_NEAR(std::min(core.bodies[0].volume, core.bodies[1].volume), kPi * 4 * 10, 1e-4);
}

TEST(CutBodies, onlyThePieceThatHoldsAPointIsCut) {
  Rule second = cut("0, 1, 0");
  second.values["only"] = "(1, 1, 1)";
  const Part part = pieces("box 6 4 3", {cut("1, 0, 0"), second});
  EXPECT_EQ(part.bodies.size(), 3u);
  second.values["only"] = "(100, 1, 1)";
  const Part none = pieces("box 6 4 3", {cut("1, 0, 0"), second});
  EXPECT_EQ(none.bodies.size(), 2u);
  EXPECT_TRUE(problemOf(none.problems, "cut.no-body"));
}

TEST(CutBodies, squareCores) {
  const auto core = [](const char* at, const char* side) { return rule("cut_core", {{"at", at}, {"side", side}}); };
  // Inside a shaft: five pieces, each a brick.
  const std::vector<Rule> shaft{core("(4, 0, 5)", "3.5 mm"), rule("fill", {{"with", "mapped"}})};
  const Part round = pieces("cylinder 4 10", shaft);
  ASSERT_EQ(round.bodies.size(), 5u);
  Brief brief = briefWith("1 mm", {shaft[0]});
  for (auto& r : brief.rules)
    if (r.kind == "fill") r.values["with"] = "mapped";
  const RunResult run = runWith(brief, round);
  for (const auto& b : run.bodies) EXPECT_EQ(b.fill, Fill::Mapped) << b.why;
  EXPECT_TRUE(run.audit.soundness.sound()) << run.audit.sentence;
  // Round a hole: four pieces round it, and the rest.
  const Part plate = pieces("plate 0 1 0", {core("(16, 20, 3)", "12 mm")});
  EXPECT_EQ(plate.bodies.size(), 5u);
  // What does not fit says so and cuts nothing.
  for (const char* side : {"6 mm", "5.6 mm"}) {
    const Part bad = pieces("cylinder 4 10", {core("(4, 0, 5)", side)});
    EXPECT_EQ(bad.bodies.size(), 1u);
    EXPECT_TRUE(problemOf(bad.problems, "cut.value"));
  }
}

TEST(CutBodies, facesOfAnotherFileCut) {
  TempFolder dir;
  // A sphere, whose face cuts a ball out of a box.
  const std::string file = dir / "ball.brep";
  writeSphereBrep(file, Vec3(3, 2, 1.5), 1);
  auto o = loadOptionsOf([&] {
    Brief b = briefWith("1 mm", {rule("cut_sheet", {{"file", "ball.brep"}})});
    b.path = dir / "a.brief";
    return b;
  }());
  ASSERT_TRUE(o.ok());
  auto part = withCuts(std::make_shared<const Part>(made("box 6 4 3")), *o);
  ASSERT_TRUE(part.ok());
  ASSERT_EQ(part->bodies.size(), 2u);
  EXPECT_NEAR(std::min(part->bodies[0].volume, part->bodies[1].volume), 4.0 / 3 * kPi, 1e-4);
  const Part none = pieces("box 6 4 3", {rule("cut_sheet", {{"file", "/nowhere/x.step"}})});
  EXPECT_EQ(none.bodies.size(), 1u);
  EXPECT_TRUE(problemOf(none.problems, "file.missing"));
}

TEST(CutBodies, oneSideIsKeptWithItsSymmetry) {
  for (const char* recipe : {"tube 4 2.5 6", "cylinder 3 10", "flange 3 2 6", "torus 5 1"}) {
    SCOPED_TRACE(recipe);
    const Part whole = made(recipe);
    const std::vector<Rule> rules{
        rule("cut", {{"across", "1, 0, 0"}, {"at", "(0, 0, 0)"}, {"keep", "ahead"}}),
        rule("cut", {{"across", "0, 1, 0"}, {"at", "(0, 0, 0)"}, {"keep", "behind"}}),
    };
    const Part quarter = pieces(recipe, rules);
    EXPECT_NEAR(quarter.volume(), whole.volume() / 4, 1e-6 * whole.volume());
    double outer = 0, all = 0;
    for (const auto& f : quarter.faces)
      if (f.cut < 0) outer += f.area;
    for (const auto& f : whole.faces) all += f.area;
    EXPECT_NEAR(outer, all / 4, 1e-6 * all);
    EXPECT_GE(quarter.extent.lo.x(), -1e-9);
    EXPECT_LE(quarter.extent.hi.y(), 1e-9);
    // The planes are sets with a role, all of them.
    Brief b = briefWith("1 mm", rules);
    const RunResult run = runWith(b, quarter);
    std::vector<char> named(run.mesh.faces.size(), 0);
    for (const char* name : {"symmetry-x", "symmetry-y"}) {
      const auto g =
          std::find_if(run.mesh.groups.begin(), run.mesh.groups.end(), [&](const auto& x) { return x.name == name; });
      ASSERT_NE(g, run.mesh.groups.end()) << name;
      EXPECT_EQ(g->role, "symmetry");
      for (auto f : g->items) named[static_cast<std::size_t>(f)] = 1;
    }
    for (std::size_t f = 0; f < run.mesh.faces.size(); ++f) {
      bool onPlane = true;
      for (int axis : {0, 1}) {
        bool all0 = true;
        for (auto n : run.mesh.faces.of(f))
          all0 = all0 && std::abs(run.mesh.nodes[static_cast<std::size_t>(n)][axis]) < 1e-9;
        onPlane = axis ? onPlane || all0 : all0;
      }
      EXPECT_EQ(onPlane, named[f] != 0);
    }
    const auto half = problemOf(run.problems, "part.half");
    ASSERT_TRUE(half);
    EXPECT_NE(half->what.find("one quarter"), std::string::npos) << half->what;
    EXPECT_NE(gateOf(run, quarter, b).size.find("one quarter"), std::string::npos);
  }
  // Nothing but the plane decides: several sheets, or a side without anything, are refused.
  Rule two = rule("cut", {{"across", "1, 0, 0"}, {"further", "1 mm"}, {"keep", "ahead"}});
  EXPECT_TRUE(problemOf(pieces("box 6 4 3", {two}).problems, "cut.keep"));
}

TEST(CutBodies, groupsMeanThePartsOfWhatTheyMeant) {
  const auto group = [](std::map<std::string, std::string> v) {
    if (!v.count("of")) v["of"] = "faces";
    return rule("group", v);
  };
  const std::vector<Rule> rules{
      cut("1, 0, 0"),
      cut("0, 1, 0"),
      group({{"name", "top"}, {"nearest", "(1, 1, 3)"}}),
      group({{"name", "large"}, {"area_min", "20"}}), // top and bottom, that are 6 on each piece
      group({{"name", "rim"}, {"of", "edges"}, {"nearest", "(1, 0, 3)"}}),
      group({{"name", "all"}, {"of", "bodies"}, {"cad_name", "body1"}}),
      group({{"name", "corner"}, {"of", "points"}, {"nearest", "(0, 0, 0)"}}),
      group({{"name", "first"}, {"made_by", "cut 1"}}),
      group({{"name", "both"}, {"made_by", "cut 1, cut 2"}}),
      group({{"name", "piece"}, {"of", "bodies"}, {"piece", "body1 piece 2"}}),
      group({{"name", "of piece"}, {"piece", "body1 piece 2"}, {"between", "not"}}),
      group({{"name", "piece top"}, {"all_of", "top, of piece"}}),
      group({{"name", "here"}, {"nearest", "(1, 1, 3)"}, {"as", "cut"}}),
      group({{"name", "nowhere"}, {"made_by", "cut 7"}}),
  };
  const Part part = pieces("box 6 4 3", rules);
  ASSERT_EQ(part.bodies.size(), 4u);
  std::vector<Problem> problems;
  const auto groups = resolveGroups(briefWith("1 mm", rules), part, problems);
  std::map<std::string, std::size_t> count;
  for (const auto& g : groups) count[g.name] = g.entities.size();
  EXPECT_EQ(count["top"], 4u);
  EXPECT_EQ(count["large"], 8u);
  EXPECT_EQ(count["rim"], 2u);
  EXPECT_EQ(count["all"], 4u);
  EXPECT_EQ(count["corner"], 1u);
  EXPECT_EQ(count["first"], 2u);
  EXPECT_EQ(count["both"], 4u);
  EXPECT_EQ(count["piece"], 1u);
  EXPECT_EQ(count["of piece"], 4u);
  EXPECT_EQ(count["piece top"], 1u);
  EXPECT_EQ(count["here"], 1u);
  EXPECT_EQ(count["nowhere"], 0u);
  EXPECT_TRUE(problemOf(problems, "group.no-cut"));
  // A selection among pieces is described so that it is found again.
  for (std::size_t f = 0; f < part.faces.size(); ++f) {
    Brief alone;
    alone.rules.push_back(describeSelection(part, Dim::Face, {static_cast<int>(f)}, "one"));
    std::vector<Problem> none;
    EXPECT_EQ(resolveGroups(alone, part, none).front().entities, std::vector<int>{static_cast<int>(f)});
  }
  std::vector<int> top;
  for (const auto& g : groups)
    if (g.name == "top") top = g.entities;
  EXPECT_EQ(describeSelection(part, Dim::Face, top, "top").get("as"), "");
  // What lies on the side that is left away is a note.
  const std::vector<Rule> half{rule("cut", {{"across", "1, 0, 0"}, {"keep", "ahead"}}),
                               group({{"name", "left"}, {"nearest", "(0, 2, 1)"}})};
  const Part right = pieces("box 6 4 3", half);
  problems.clear();
  resolveGroups(briefWith("1 mm", half), right, problems);
  const auto empty = problemOf(problems, "group.empty");
  ASSERT_TRUE(empty);
  EXPECT_EQ(empty->severity, Severity::Note);
}

TEST(CutBodies, cutsGoAlongGroupsThatMoveWithThePart) {
  // The slot's floor, described by what it is: its cut follows when the slot gets wider or the block longer.
  const std::vector<Rule> rules{rule("group", {{"name", "sides"},
                                               {"of", "faces"},
                                               {"surface", "plane"},
                                               {"normal", "(1, 0, 0)"},
                                               {"normal_angle", "1 deg"},
                                               {"except", "ends"}}),
                                rule("group", {{"name", "ends"}, {"of", "faces"}, {"outermost", "(1, 0, 0)"}}),
                                rule("cut_along", {{"on", "sides"}})};
  for (const char* recipe : {"slot 12 5 6 2", "slot 14 5 6 3"}) {
    const Part part = pieces(recipe, rules);
    EXPECT_EQ(part.bodies.size(), 2u) << recipe;
    EXPECT_FALSE(problemOf(part.problems, "cut.no-group"));
  }
  // Where nothing is left of the group the card says so, and the body stays whole.
  const Part box = pieces("box 6 4 3", rules);
  EXPECT_EQ(box.bodies.size(), 1u);
  const auto p = problemOf(problemsOfPart(box, briefWith("1 mm", rules)), "cut.no-group");
  ASSERT_TRUE(p);
  EXPECT_EQ(p->where, "rule 6"); // three cards of every brief, two groups
  // Roles and notes are no reason to cut anew, other descriptions are.
  auto optionsWith = [&](auto&& change) {
    Brief b = briefWith("1 mm", rules);
    change(b.rules[3]);
    return *loadOptionsOf(b);
  };
  const auto as = optionsWith([](Rule&) {});
  EXPECT_TRUE(as == optionsWith([](Rule& r) { r.values["role"] = "wall", r.note = "why"; }));
  EXPECT_FALSE(as == optionsWith([](Rule& r) { r.values["normal_angle"] = "2 deg"; }));
}

TEST(CutBodies, whatACutLeavesTooSmallIsAFinding) {
  const std::vector<Rule> rules{cut("1, 0, 0", "(0.1, 0, 0)"), cut("0.02, 1, 0", "(3, 4, 0)")};
  const Part part = pieces("box 6 4 3", rules);
  Progress progress;
  const Forecast f = forecastBrief(briefWith("1 mm", rules), part, progress);
  for (const char* code : {"cut.short-edge", "cut.narrow-face", "cut.sharp-angle"}) {
    const auto p = problemOf(f.problems, code);
    ASSERT_TRUE(p) << code;
    EXPECT_FALSE(p->places.empty());
    EXPECT_FALSE(p->todo.empty());
  }
  // Elements fine enough for the sliver leave the angle alone.
  const Forecast fine = forecastBrief(briefWith("0.1 mm", {rules[0]}), pieces("box 6 4 3", {rules[0]}), progress);
  EXPECT_FALSE(problemOf(fine.problems, "cut.short-edge"));
  EXPECT_FALSE(problemOf(fine.problems, "cut.sharp-angle"));
}

TEST(CutBodies, aPartOfTrianglesSaysThatItCannotBeCut) {
  TempFolder dir;
  const std::string path = dir / "tetrahedron.stl";
  std::ofstream out(path);
  out << "solid t\n";
  const double p[4][3] = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
  for (const auto& t : {std::array{0, 2, 1}, std::array{0, 1, 3}, std::array{1, 2, 3}, std::array{0, 3, 2}}) {
    out << "facet normal 0 0 0\nouter loop\n";
    for (int v : t) out << "vertex " << p[v][0] << ' ' << p[v][1] << ' ' << p[v][2] << '\n';
    out << "endloop\nendfacet\n";
  }
  out << "endsolid t\n";
  out.close();
  auto o = loadOptionsOf(briefWith("1 mm", {cut("1, 0, 0")}));
  ASSERT_TRUE(o.ok());
  auto opened = openPart(path, *o);
  ASSERT_TRUE(opened.ok()) << opened.problem().sentence();
  EXPECT_TRUE(problemOf(opened->part.problems, "cut.facets"));
}

TEST(CutBodies, neighboursGetTheLinesOfTheCut) {
  // Two boxes side by side; the first alone is cut through the face between them.
  const Part part = pieces("boxes 2", {cut("0, 1, 0", "", "", "body1")});
  EXPECT_EQ(part.bodies.size(), 3u);
  EXPECT_EQ(between(part), 3u); // the cut's own, and both halves of the one between the boxes
  const RunResult run = runWith(briefWith("0.5 mm", {}), part);
  EXPECT_TRUE(run.audit.soundness.sound()) << run.audit.sentence;
}

TEST(CutBodies, randomSequencesAddUpOrAreRefused) {
  const char* given = std::getenv("TESS_CUT_SEQUENCES");
  const int sequences = given ? std::atoi(given) : 25;
  const char* recipes[] = {
      "box 6 4 3",       "slot 12 5 6 2", "cylinder 3 10",   "tube 4 2.5 6",  "boss 20 20 5 4 6",
      "sphere 2",        "torus 5 1",     "plate 0 3 0",     "drilled 3",     "flange 3 2 6",
      "taper 20 10 3 1", "rounded 4 0.5", "stair 6 0 2 3",   "quarter 4 2 5", "counterbore 20 20 6 3 5",
      "overlap 0.5",     "boxes 3",       "elbow 10 3 2 70", "shell 5 1",     "feet 20 10 2 4 1"};
  std::mt19937 random(7);
  auto in = [&](double a, double b) { return a + (b - a) * static_cast<double>(random()) / 4294967296.0; };
  int made_ = 0, refused = 0;
  for (int k = 0; k < sequences; ++k) {
    const char* recipe = recipes[static_cast<std::size_t>(k) % std::size(recipes)];
    const Part whole = made(recipe);
    std::vector<Rule> rules;
    const int cuts = 1 + static_cast<int>(random() % 5);
    for (int c = 0; c < cuts; ++c) {
      const Vec3 n =
          random() % 3 ? Vec3(Vec3::Unit(static_cast<int>(random() % 3))) : Vec3(in(-1, 1), in(-1, 1), in(-1, 1));
      Vec3 p;
      for (int a = 0; a < 3; ++a) p[a] = in(whole.extent.lo[a], whole.extent.hi[a]);
      const auto& face = whole.faces[random() % whole.faces.size()];
      const std::string on =
          formatPoint(whole.shape->projectToFace(static_cast<int>(&face - whole.faces.data()), face.center).point);
      if (random() % 4)
        rules.push_back(cut(formatPoint(n), formatPoint(p)));
      else
        rules.push_back(rule("cut_along", {{"at", on}, {"by", formatNumber(in(-1, 1), 3) + " mm"}}));
    }
    SCOPED_TRACE(recipe + std::to_string(k));
    for (const auto& r : rules) SCOPED_TRACE(sentenceOf(r));
    const Part part = cutBy(whole, rules);
    EXPECT_NEAR(part.volume(), whole.volume(), 1e-6 * whole.volume());
    bool flat = true;
    for (const auto& f : part.faces) flat = flat && f.kind == SurfaceKind::Plane;
    if (flat) {
      EXPECT_NEAR(part.volume(), whole.volume(), 1e-9 * whole.volume());
    }
    for (std::size_t b = 0; b < part.bodies.size(); ++b) {
      EXPECT_GT(part.bodies[b].volume, 0);
      // Closed: each side of a display triangle of the body has another.
      std::map<std::pair<int, int>, int> sides;
      for (std::size_t i = 0; i < part.display.triangles.size(); ++i) {
        const auto& f = part.faces[static_cast<std::size_t>(part.display.triangleFace[i])].bodies;
        if ((f[0] == static_cast<int>(b)) == (f[1] == static_cast<int>(b))) continue;
        auto t = part.display.triangles[i];
        if (f[0] != static_cast<int>(b)) std::swap(t[0], t[1]);
        for (std::size_t s = 0; s < 3; ++s) {
          const int u = t[s], v = t[(s + 1) % 3];
          sides[{std::min(u, v), std::max(u, v)}] += u < v ? 1 : -1;
        }
      }
      for (const auto& [side, sum] : sides) EXPECT_EQ(sum, 0);
    }
    int said = 0;
    for (const auto& p : part.problems) {
      if (p.code.rfind("cut.", 0) != 0) continue;
      ++said;
      EXPECT_FALSE(p.why.empty());
      EXPECT_EQ(p.where.rfind("cut ", 0), 0u);
    }
    refused += said;
    made_ += cuts - said;
    EXPECT_GE(cuts, said);
    // Without its cuts the part is as it was.
    const Part back = cutBy(*part.whole, {});
    EXPECT_EQ(back.bodies.size(), whole.bodies.size());
    EXPECT_EQ(back.faces.size(), whole.faces.size());
  }
  EXPECT_GT(made_, refused);
  if (given) std::printf("%d cuts made, %d refused\n", made_, refused);
}
