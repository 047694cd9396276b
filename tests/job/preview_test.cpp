// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/preview.h"
#include "job/size_rules.h"
#include "size/pieces.h"
#include "support/briefs.h"
#include <cmath>
#include <set>

using namespace tess;
using namespace tess::test;

namespace {

Rule allFaces(const std::string& name) { return rule("group", {{"name", name}, {"of", "faces"}}); }

RulePreview previewOf(const Brief& b, int at, const Part& part, const SizeField* field = nullptr,
                      const Rule* asMade = nullptr) {
  Progress progress;
  std::vector<Problem> problems;
  auto p = previewRule(b, at, part, resolveGroups(b, part, problems), field, progress, asMade);
  EXPECT_TRUE(p.ok()) << (p.ok() ? "" : p.problem().sentence());
  return p.ok() ? *p : RulePreview();
}
int last(const Brief& b) { return static_cast<int>(b.rules.size()) - 1; }

} // namespace

TEST(Preview, sizeOnABoxDividesItsEdges) {
  const Part part = made("box 10 20 30");
  const Brief b = briefWith("40 mm", {allFaces("skin"), rule("size", {{"on", "skin"}, {"length", "2"}})});
  const RulePreview p = previewOf(b, last(b), part);
  EXPECT_EQ(p.marks.size(), 4u * (4 + 9 + 14));
  EXPECT_EQ(p.lit.size(), 6u);
  EXPECT_EQ(p.dim, Dim::Face);
  EXPECT_NE(p.text.find("120 divisions on 12 edges"), std::string::npos) << p.text;
  // 2200 mm^2 in equilateral triangles of side 2 mm: 1270.
  EXPECT_NE(p.text.find("about 1\u202F300 triangles on 6 faces"), std::string::npos) << p.text;
  for (const Vec3& m : p.marks) { // on an edge: two coordinates at an end
    const int ends = (std::min(m.x(), 10 - m.x()) < 1e-9) + (std::min(m.y(), 20 - m.y()) < 1e-9) +
                     (std::min(m.z(), 30 - m.z()) < 1e-9);
    EXPECT_EQ(ends, 2);
  }
}

TEST(Preview, marksAreWhereTheMeshGetsItsNodes) {
  const Part part = made("cylinder 5 12");
  const Brief b = briefWith("3 mm", {});
  const RulePreview p = previewOf(b, 0, part);
  const RunResult run = runWith(b, part);
  // Nodes on the two circles: the mesh may differ by one or two from what the sizes alone say.
  auto onRim = [](const Vec3& x) {
    return std::abs(std::hypot(x.x(), x.y()) - 5) < 1e-6 && std::min(std::abs(x.z()), std::abs(x.z() - 12)) < 1e-6;
  };
  const auto marks = std::count_if(p.marks.begin(), p.marks.end(), onRim);
  const auto nodes = std::count_if(run.mesh.nodes.begin(), run.mesh.nodes.end(), onRim);
  EXPECT_NEAR(static_cast<double>(marks), static_cast<double>(nodes), 4);
  EXPECT_GT(marks, 16);
}

TEST(Preview, dividedEdgesShowTheirPlaces) {
  const Part part = made("box 10 10 10");
  const Brief b =
      briefWith("20 mm", {rule("group", {{"name", "e"}, {"of", "edges"}, {"nearest", "(5, 0, 0)"}}),
                          rule("divide", {{"on", "e"}, {"count", "6"}, {"finest", "start"}, {"ratio", "4"}})});
  const RulePreview p = previewOf(b, last(b), part);
  ASSERT_EQ(p.marks.size(), 5u);
  EXPECT_EQ(p.dim, Dim::Edge);
  EXPECT_NE(p.text.find("6 divisions on 1 edge"), std::string::npos) << p.text;
  std::vector<double> x{0, 10};
  for (const Vec3& m : p.marks) x.push_back(m.x());
  std::sort(x.begin(), x.end());
  std::vector<double> lengths;
  for (std::size_t i = 1; i < x.size(); ++i) lengths.push_back(x[i] - x[i - 1]);
  const auto [least, most] = std::minmax_element(lengths.begin(), lengths.end());
  EXPECT_NEAR(*most / *least, 4, 0.05);
  // The other reading of the same: from one element to the next, 4^(1/5).
  EXPECT_NE(p.text.find("up to 1.32 times its neighbour"), std::string::npos) << p.text;
}

TEST(Preview, otherRulesThatAskForLessAreSeen) {
  const Part part = made("box 10 10 10");
  const Brief b = briefWith("10 mm", {allFaces("skin"), rule("size", {{"on", "skin"}, {"length", "5"}}),
                                      rule("size", {{"on", "skin"}, {"length", "1"}})});
  std::vector<Problem> problems;
  const SizeField field = briefSizeField(b, part, resolveGroups(b, part, problems), problems);
  EXPECT_EQ(previewOf(b, 4, part).marks.size(), 12u);             // alone: two elements per edge
  EXPECT_EQ(previewOf(b, 4, part, &field).marks.size(), 12u * 9); // the finer rule decides
  Brief finer = b;
  finer.rules[5].values["length"] = "2"; // as typed; the field knows it as 1 mm
  EXPECT_EQ(previewOf(finer, 5, part, &field).marks.size(), 12u * 4);
}

namespace {
double trianglesIn(const std::string& text) {
  std::string digits;
  const auto from = text.find("about "), to = text.find(" triangles");
  EXPECT_NE(from, std::string::npos) << text;
  for (std::size_t k = from; k < to; ++k)
    if (std::isdigit(static_cast<unsigned char>(text[k]))) digits += text[k];
  return digits.empty() ? 0 : std::stod(digits);
}
} // namespace

TEST(Preview, trianglesAreThoseOfTheFieldHoweverFineTheDisplayIs) {
  // Fillets are displayed in thousands of triangles, plane faces in few.
  for (const char* name : {"camera-housing", "keel-bracket", "saddle-clamp"}) {
    auto brief = loadBrief(demo(name + std::string(".brief")));
    ASSERT_TRUE(brief.ok());
    auto part = loadPart(demo(name + std::string(".step")));
    ASSERT_TRUE(part.ok());
    std::vector<Problem> problems;
    const SizeField field = briefSizeField(*brief, *part, resolveGroups(*brief, *part, problems), problems);
    const auto& rules = brief->rules;
    const auto everywhere =
        std::find_if(rules.begin(), rules.end(), [](const Rule& r) { return r.kind == "everywhere"; });
    const int at = static_cast<int>(everywhere - rules.begin());
    const std::string text = previewOf(*brief, at, *part, &field, &*everywhere).text;
    double exact = 0; // by the field at every small piece
    const auto& t = part->display;
    for (const auto& q : t.triangles) {
      const std::array whole{t.points[static_cast<std::size_t>(q[0])], t.points[static_cast<std::size_t>(q[1])],
                             t.points[static_cast<std::size_t>(q[2])]};
      forPieces(whole, 0.01 * part->diagonal(), [&](const std::array<Vec3, 3>& x) {
        const double h = field.at((x[0] + x[1] + x[2]) / 3);
        exact += 2 / std::sqrt(3.0) * (x[1] - x[0]).cross(x[2] - x[0]).norm() / (h * h);
      });
    }
    EXPECT_NEAR(trianglesIn(text), exact, 0.08 * exact) << name << ": " << text;
    // Typed, and not made into a field yet: what follows from curves stays.
    Brief typed = *brief;
    typed.rules[static_cast<std::size_t>(at)].values["target"] = "3 mm";
    const SizeField finer = briefSizeField(typed, *part, resolveGroups(typed, *part, problems), problems);
    const Rule& rule = typed.rules[static_cast<std::size_t>(at)];
    EXPECT_NEAR(trianglesIn(previewOf(typed, at, *part, &field, &*everywhere).text),
                trianglesIn(previewOf(typed, at, *part, &finer, &rule).text), 0.2 * exact)
        << name;
  }
}

TEST(Preview, regionsHaveAnOutlineAndMarksInside) {
  const Part part = made("box 10 10 10");
  Brief b = briefWith(
      "5 mm", {rule("zone", {{"shape", "box"}, {"from", "(-1, -1, -1)"}, {"to", "(11, 11, 1)"}, {"length", "1"}})});
  RulePreview p = previewOf(b, last(b), part);
  EXPECT_EQ(p.outline.size(), 12u);
  EXPECT_EQ(p.marks.size(), 4u * 9); // the edges of the bottom
  for (const Vec3& m : p.marks) EXPECT_NEAR(m.z(), 0, 1e-9);
  b.rules.back().values = {{"shape", "sphere"}, {"from", "(50, 0, 0)"}, {"radius", "2"}, {"length", "1"}};
  p = previewOf(b, last(b), part);
  EXPECT_EQ(p.outline.size(), 3u * 48);
  for (const auto& line : p.outline) EXPECT_NEAR((line[0] - Vec3(50, 0, 0)).norm(), 2, 1e-9);
  EXPECT_TRUE(p.marks.empty());
}

TEST(Preview, whatIsTypedMayBeNoValue) {
  const Part part = made("box 1 1 1");
  Brief b = briefWith("1 mm", {allFaces("skin"), rule("size", {{"on", "skin"}, {"length", "1 m m"}})});
  Progress progress;
  std::vector<Problem> problems;
  const auto groups = resolveGroups(b, part, problems);
  auto p = previewRule(b, last(b), part, groups, nullptr, progress);
  ASSERT_FALSE(p.ok());
  EXPECT_FALSE(p.problem().what.empty());
  EXPECT_TRUE(previewRule(b, 99, part, groups, nullptr, progress).ok()); // no such rule: nothing to show
  progress.stop();
  b.rules.back().values["length"] = "1e-5";
  EXPECT_THROW((void)previewRule(b, last(b), part, groups, nullptr, progress), Cancelled);
}

TEST(Preview, everyKindOfTheTableShowsWhatItNames) {
  const std::set<std::string> known{"none", "highlight", "edge-marks", "outline", "sheet"};
  const Part part = made("plate 0 3 0");
  for (const auto& kind : ruleTable()) {
    EXPECT_TRUE(known.count(kind.preview)) << kind.id;
    if (kind.id == "field" || kind.id == "cut_sheet") continue; // they need a file
    Brief b = briefWith("4 mm", {allFaces("skin")});
    b.rules.push_back(freshRule(kind.id, "skin", b, part));
    if (kind.id == "everywhere") b.rules.erase(b.rules.begin());
    if (kind.id == "group") b.rules.back() = allFaces("again");
    if (kind.id == "accept") b.rules.back().values["reason"] = "far from the load";
    if (kind.id == "value") b.rules.back().values = {{"name", "x"}, {"value", "2"}};
    if (kind.id == "keep_surface" || kind.id == "hand_over") b.rules.back().values["path"] = "x.vtu";
    if (kind.id == "cap") b.rules.back().values = {{"at", "(0, 0, 0)"}, {"name", "inlet"}};
    if (kind.id == "cut_core") b.rules.back().values = {{"at", "(16, 20, 3)"}, {"side", "12 mm"}};
    const RulePreview p = previewOf(b, last(b), part);
    EXPECT_EQ(!p.sheets.empty(), kind.preview == "sheet") << kind.id;
    if (kind.id != "zone") { // its box lies inside the part, where no edge is
      EXPECT_EQ(!p.marks.empty(), kind.preview == "edge-marks") << kind.id;
    }
    EXPECT_EQ(!p.outline.empty(), kind.preview == "outline" || kind.preview == "sheet") << kind.id;
  }
}
