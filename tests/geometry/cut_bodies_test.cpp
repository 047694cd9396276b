// SPDX-License-Identifier: GPL-3.0-or-later
// Bodies cut by planes into pieces, from the brief to the file.
#include "exchange/exchange.h"
#include "geometry/part.h"
#include "job/open_part.h"
#include "support/briefs.h"
#include "support/fixtures.h"
#include <fstream>

using namespace tess;
using namespace tess::test;

namespace {

Rule cut(const std::string& across, const std::string& at = "", const std::string& further = "",
         const std::string& what = "everything") {
  return rule("cut", {{"what", what}, {"across", across}, {"at", at}, {"further", further}});
}
Part pieces(const std::string& recipe, std::vector<Rule> cuts) {
  auto o = loadOptionsOf(briefWith("1 mm", std::move(cuts)));
  EXPECT_TRUE(o.ok());
  auto p = makeKernelPart(recipe, *o);
  EXPECT_TRUE(p.ok()) << (p.ok() ? "" : p.problem().sentence());
  return std::move(*p);
}
std::size_t between(const Part& part) {
  return static_cast<std::size_t>(std::count_if(
      part.faces.begin(), part.faces.end(), [](const PartFace& f) { return f.bodies[0] >= 0 && f.bodies[1] >= 0; }));
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
  auto part = loadPart(path, *o);
  ASSERT_TRUE(part.ok()) << part.problem().sentence();
  EXPECT_TRUE(problemOf(part->problems, "cut.facets"));
}

TEST(CutBodies, neighboursGetTheLinesOfTheCut) {
  // Two boxes side by side; the first alone is cut through the face between them.
  const Part part = pieces("boxes 2", {cut("0, 1, 0", "", "", "body1")});
  EXPECT_EQ(part.bodies.size(), 3u);
  EXPECT_EQ(between(part), 3u); // the cut's own, and both halves of the one between the boxes
  const RunResult run = runWith(briefWith("0.5 mm", {}), part);
  EXPECT_TRUE(run.audit.soundness.sound()) << run.audit.sentence;
}
