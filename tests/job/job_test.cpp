// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/file.h"
#include "job/report.h"
#include "support/fixtures.h"
#include <array>
#include <nlohmann/json.hpp>
#include <set>

using namespace tess;
using namespace tess::test;

namespace {
/// A valid value of a slot that differs from its default.
std::string otherValue(const Slot& s) {
  switch (s.type) {
  case SlotType::Length:
  case SlotType::Size:
    return "1.25 mm";
  case SlotType::Number:
    return "1.5";
  case SlotType::Integer:
    return "2";
  case SlotType::Angle:
    return "17 deg";
  case SlotType::Choice:
    return s.choices.back();
  case SlotType::Points:
    return "(1, 2, 3)";
  case SlotType::ColorText:
    return "#102030";
  default:
    return "some \"text\" \\ with ü";
  }
}
} // namespace

TEST(RuleTable, everyRuleIsCompleteAndSurvivesTheFile) {
  for (const auto& k : ruleTable()) {
    EXPECT_FALSE(k.help.empty()) << k.id;
    EXPECT_FALSE(k.stage.empty()) << k.id;
    EXPECT_FALSE(k.preview.empty()) << k.id;
    Brief b;
    b.partFile = "p.step";
    Rule r;
    r.kind = k.id;
    r.note = "why";
    r.off = true;
    for (const auto& s : k.entries) {
      EXPECT_FALSE(s.help.empty()) << k.id << "." << s.key;
      EXPECT_NE(k.sentence.find("{" + s.key + "}"), std::string::npos)
          << k.id << "." << s.key << " has no place in the sentence";
      r.values[s.key] = otherValue(s);
      EXPECT_FALSE(checkSlot(s, r.values[s.key], "mm").has_value()) << k.id << "." << s.key;
      EXPECT_NE(r.values[s.key], s.fallback) << k.id << "." << s.key;
    }
    b.rules.push_back(r);
    auto back = parseBrief(briefText(b), "");
    ASSERT_TRUE(back.ok()) << back.problem().sentence();
    ASSERT_EQ(back->rules.size(), 1u);
    EXPECT_EQ(back->rules[0], r) << k.id;
  }
}

TEST(RuleTable, referencePageIsUpToDate) {
  auto page = readFile(std::string(TESS_DEMO_DIR) + "/../docs/rules.md");
  ASSERT_TRUE(page.ok());
  EXPECT_EQ(*page, rulesReference()) << "renew it: tessel rules --markdown > docs/rules.md";
}

TEST(Brief, unknownKeysAndRulesAreKeptAndReported) {
  auto b = parseBrief("format = 1\nmood = \"good\"\n[part]\nfile = \"a.step\"\nweight = 3\n[[rule]]\nis = "
                      "\"everywhere\"\ntarget = 5\nshade = \"blue\"\n[[rule]]\nis = \"teleport\"\nto = \"there\"\n",
                      "x.brief");
  ASSERT_TRUE(b.ok());
  int unknown = 0;
  for (const auto& p : validateBrief(*b, "mm")) unknown += p.code == "brief.unknown-key" || p.code == "rule.unknown";
  EXPECT_EQ(unknown, 4);
  std::string again = briefText(*b);
  for (const char* w : {"mood", "weight", "shade", "teleport", "there"})
    EXPECT_NE(again.find(w), std::string::npos) << w;
  EXPECT_EQ(briefText(*parseBrief(again, "x.brief")), again); // stable
}

TEST(Brief, numbersTypedInAnyWayComeBackAsTheyWere) {
  for (const char* typed : {".5", "1.", "007", "+2", "1e3", "-.5e-3", "0.25", "3"}) {
    Brief b = defaultBrief("made");
    b.rules.push_back({"limit", {{"metric", "skewness"}, {"bound", typed}}, "", false, {}});
    auto again = parseBrief(briefText(b), "x.brief");
    ASSERT_TRUE(again.ok()) << typed << ": " << again.problem().sentence();
    EXPECT_DOUBLE_EQ(slotNumber(again->rules.back(), "bound", "mm"), std::atof(typed));
  }
}

TEST(Brief, damagedTextIsAProblemWithTheReason) {
  EXPECT_FALSE(parseBrief("format = 1\n[part\n", "x").ok());
  EXPECT_FALSE(parseBrief("[part]\nfile = \"a\"\n", "x").ok());
  EXPECT_FALSE(parseBrief("format = 1\n", "x").ok());
}

TEST(Brief, bytesThatAreNoTextAreRefusedWithTheirLine) {
  std::string bad = "format = 1\n'o";
  bad += std::string(80, '\xff');
  bad += "'o = 1\n";
  for (const std::string& tail : {bad.substr(11), std::string("a = \"\xc0\x80\""), std::string("a = \"\xed\xa0\x80\""),
                                  std::string("a = \"\xe2\x82"), std::string("a = \"\xf5\x80\x80\x80\"")}) {
    auto b = parseBrief("format = 1\n" + tail, "x.brief");
    ASSERT_FALSE(b.ok());
    EXPECT_NE(b.problem().why.find("line 2"), std::string::npos) << b.problem().why;
  }
  // Letters of any script are fine.
  auto fine = parseBrief("format = 1\n[part]\nfile = \"Gehäuse-部品-𝛼.step\"\n", "x.brief");
  ASSERT_TRUE(fine.ok()) << fine.problem().sentence();
  EXPECT_EQ(fine->partFile, "Gehäuse-部品-𝛼.step");
}

TEST(Brief, controlCharactersSurviveTheFile) {
  Brief b = defaultBrief("part.step");
  std::string odd = "a";
  for (int c : {0, 1, 7, 9, 10, 13, 27, 31, 127}) odd += static_cast<char>(c);
  b.rules.front().note = odd;
  auto again = parseBrief(briefText(b), "x.brief");
  ASSERT_TRUE(again.ok()) << again.problem().sentence();
  EXPECT_EQ(again->rules.front().note, odd);
}

TEST(Brief, absurdValuesAreRefused) {
  for (const char* v : {"-1 mm", "0", "many", "1e400"}) {
    Brief b = defaultBrief("a.step");
    b.rules[0].values["target"] = v;
    bool error = false;
    for (const auto& p : validateBrief(b, "mm")) error = error || p.severity == Severity::Error;
    EXPECT_TRUE(error) << v;
  }
}

TEST(Brief, undoAndRedoWalkThroughEverySingleChange) {
  BriefDocument d;
  d.reset(defaultBrief("a.step"));
  std::vector<Brief> states{d.brief()};
  for (int i = 0; i < 5; ++i) {
    Brief b = d.brief();
    b.rules[0].values["target"] = std::to_string(i + 1) + " mm";
    d.change(b, "size");
    states.push_back(b);
  }
  EXPECT_TRUE(d.modified());
  for (int i = 4; i >= 0; --i) {
    d.undo();
    EXPECT_EQ(d.brief(), states[static_cast<std::size_t>(i)]);
  }
  EXPECT_FALSE(d.modified());
  EXPECT_FALSE(d.canUndo());
  for (int i = 1; i < 6; ++i) {
    d.redo();
    EXPECT_EQ(d.brief(), states[static_cast<std::size_t>(i)]);
  }
}

TEST(Groups, descriptionsFindWhatTheyMean) {
  auto part = loadPart(demo("camera-housing.step"));
  ASSERT_TRUE(part.ok());
  auto count = [&](std::map<std::string, std::string> v) {
    Brief b = defaultBrief("x");
    v["name"] = "g";
    b.rules.push_back({"group", v, "", false, {}});
    std::vector<Problem> problems;
    auto g = resolveGroups(b, *part, problems);
    EXPECT_EQ(problems.empty(), !g[0].entities.empty());
    return g[0].entities.size();
  };
  EXPECT_EQ(count({{"cad_name", "bolt hole"}}), 8u);
  EXPECT_EQ(count({{"cad_name", "b*hole"}}), 8u);
  EXPECT_EQ(count({{"surface", "cylinder"}, {"radius_min", "2.7 mm"}, {"radius_max", "2.8 mm"}}), 8u);
  EXPECT_EQ(count({{"colour", "#b37a3b"}}), 8u);
  EXPECT_EQ(count({{"surface", "plane"}, {"normal", "(-1, 0, 0)"}}), 2u);
  EXPECT_EQ(count({{"nearest", "(118, 16.3, 39.3)"}, {"surface", "cylinder"}}), 1u);
  EXPECT_EQ(count({{"box_min", "(100, -60, -60)"}, {"box_max", "(130, 60, 60)"}, {"cad_name", "bolt hole"}}), 8u);
  EXPECT_EQ(count({{"cad_name", "nothing of the kind"}}), 0u);
  EXPECT_GE(count({{"spread_from", "(60, 30, 0)"}, {"spread_angle", "10 deg"}}), 4u);
  EXPECT_EQ(count({{"of", "bodies"}}), 1u);
}

TEST(Groups, selectionIsDescribedAndFoundAgain) {
  auto part = loadPart(demo("keel-bracket.step"));
  ASSERT_TRUE(part.ok());
  for (Dim d : {Dim::Face, Dim::Edge, Dim::Point})
    for (int e = 0; e < part->count(d); e += 5) {
      if (d == Dim::Point && part->points[static_cast<std::size_t>(e)].hidden) continue;
      Brief b = defaultBrief("x");
      b.rules.push_back(describeSelection(*part, d, {e}, "picked"));
      std::vector<Problem> problems;
      auto g = resolveGroups(b, *part, problems);
      ASSERT_EQ(g[0].entities.size(), 1u);
      EXPECT_EQ(g[0].entities[0], e) << dimName(d);
    }
}

TEST(Groups, combinationsAndCirclesWork) {
  auto part = loadPart(demo("camera-housing.step"));
  ASSERT_TRUE(part.ok());
  Brief b = defaultBrief("x");
  auto add = [&](std::map<std::string, std::string> v) { b.rules.push_back({"group", v, "", false, {}}); };
  add({{"name", "holes"}, {"cad_name", "bolt hole"}});
  add({{"name", "round"}, {"surface", "cylinder"}});
  add({{"name", "other round"}, {"any_of", "round"}, {"except", "holes"}});
  add({{"name", "both"}, {"all_of", "round, holes"}});
  add({{"name", "a"}, {"any_of", "b"}});
  add({{"name", "b"}, {"any_of", "a"}});
  std::vector<Problem> problems;
  auto g = resolveGroups(b, *part, problems);
  EXPECT_EQ(g[2].entities.size() + g[0].entities.size(), g[1].entities.size());
  EXPECT_EQ(g[3].entities, g[0].entities);
  bool circle = false;
  for (const auto& p : problems) circle = circle || p.code == "group.circle";
  EXPECT_TRUE(circle);
}

TEST(Run, demoBriefsPassTheirLimits) {
  for (const char* name : {"camera-housing", "saddle-clamp", "keel-bracket"}) {
    RunResult r = runOf(demo(std::string(name) + ".brief"));
    EXPECT_TRUE(r.audit.pass) << name << ": " << r.audit.sentence;
    EXPECT_TRUE(r.audit.soundness.sound()) << name;
    EXPECT_NEAR(meshVolume(r.mesh) / r.geometryVolume, 1, 0.005) << name;
    EXPECT_GT(r.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].min, 8) << name;
    EXPECT_GT(r.audit.metrics[static_cast<std::size_t>(Metric::ScaledJacobian)].min, 0.15) << name;
    for (const auto& g : r.mesh.groups) EXPECT_FALSE(g.items.empty()) << name << " " << g.name;
    auto j = runReport(r);
    for (const char* key :
         {"status", "elements", "nodes", "volume", "geometry_volume", "surface_area", "regions", "groups", "metrics",
          "timings", "peak_memory_bytes", "threads", "problems", "rules", "verdict"})
      EXPECT_TRUE(j.contains(key)) << key;
  }
}

TEST(Run, emptyGroupAndMissingTargetAreProblemsNotIgnored) {
  auto part = loadPart(demo("saddle-clamp.step"));
  ASSERT_TRUE(part.ok());
  Brief b = defaultBrief("x");
  b.rules[0].values["target"] = "8 mm";
  b.rules.push_back({"group", {{"name", "ghost"}, {"cad_name", "no such name"}}, "", false, {}});
  b.rules.push_back({"size", {{"on", "ghost"}, {"length", "1 mm"}}, "", false, {}});
  b.rules.push_back({"size", {{"on", "nobody"}, {"length", "1 mm"}}, "", false, {}});
  Progress progress;
  auto r = runBrief(b, *part, 0, progress);
  ASSERT_TRUE(r.ok());
  std::set<std::string> codes;
  for (const auto& p : r->problems) codes.insert(p.code);
  EXPECT_TRUE(codes.count("group.empty"));
  EXPECT_TRUE(codes.count("rule.no-target"));
}

TEST(Run, localSizeIsObeyed) {
  RunResult r = runOf(demo("keel-bracket.brief"));
  bool seen = false;
  for (const auto& a : r.rules)
    if (a.id.rfind("size", 0) == 0) {
      seen = true;
      EXPECT_NEAR(a.median, 2.5, 0.5);
    }
  EXPECT_TRUE(seen);
}

TEST(Run, sizesOnEdgesPointsAndBodiesAreObeyed) {
  auto part = loadPart(demo("keel-bracket.step"));
  ASSERT_TRUE(part.ok());
  for (const char* of : {"edges", "points", "bodies"}) {
    Brief b = defaultBrief("x");
    b.rules[0].values["target"] = "12 mm";
    b.rules[0].values["turn"] = "0";
    b.rules.push_back({"group", {{"name", "g"}, {"of", of}, {"nearest", "(120, 0, 0)"}}, "", false, {}});
    b.rules.push_back({"size", {{"on", "g"}, {"length", "3 mm"}}, "", false, {}});
    Progress progress;
    auto r = runBrief(b, *part, 0, progress);
    ASSERT_TRUE(r.ok());
    const AskedGot& a = r->rules.back();
    EXPECT_EQ(a.asked, "3 mm");
    EXPECT_GT(a.median, 2) << of;
    EXPECT_LT(a.median, 4) << of;
    EXPECT_TRUE(r->audit.soundness.sound()) << of;
  }
}

TEST(Run, sizeThatNoMachineCanHoldIsRefused) {
  auto part = loadPart(demo("keel-bracket.step"));
  Brief b = defaultBrief("x");
  b.rules[0].values["target"] = "0.001 mm";
  Progress progress;
  auto r = runBrief(b, *part, 0, progress);
  ASSERT_FALSE(r.ok());
  EXPECT_EQ(r.problem().code, "size.absurd");
}

TEST(Apart, bodiesGetTheirOwnNodesAndASetForEachSide) {
  Part part = made("boxes 3");
  Brief b = defaultBrief("boxes.step");
  b.rules[0].values["target"] = "0.4";
  b.rules.push_back({"group", {{"name", "left"}, {"of", "bodies"}, {"nearest", "(0.1, 0.5, 0.5)"}}, "", false, {}});
  b.rules.push_back({"apart", {{"bodies", "left"}}, "", false, {}});
  Progress progress;
  auto run = runBrief(b, part, 1, progress);
  ASSERT_TRUE(run) << run.problem().sentence();
  EXPECT_TRUE(run->audit.soundness.sound());
  std::vector<const MeshGroup*> sides;
  for (const auto& g : run->mesh.groups)
    if (g.dim == 2 && g.name.find(" to ") != std::string::npos) sides.push_back(&g);
  ASSERT_EQ(sides.size(), 2u); // the second and third box stay joined
  ASSERT_EQ(sides[0]->items.size(), sides[1]->items.size());
  double area[2] = {0, 0};
  for (int k : {0, 1})
    for (auto f : sides[static_cast<std::size_t>(k)]->items)
      area[k] += faceArea(run->mesh, static_cast<std::size_t>(f));
  EXPECT_NEAR(area[0], 1, 1e-12);
  EXPECT_NEAR(area[1], 1, 1e-12);
  // What is written holds both sides too.
  TempFolder folder;
  for (const char* name : {"boxes.inp", "boxes.vtu"}) {
    auto p = handOver(*run, {"hand_over", {{"path", folder / name}}, "", false, {}});
    EXPECT_FALSE(p) << (p ? p->sentence() : "");
  }
  // A file does not say that nodes stand twice on purpose: bodies that share none anywhere tell it.
  for (const char* name : {"boxes.inp", "boxes.vtu"}) {
    auto m = readMesh(folder / name);
    ASSERT_TRUE(m);
    const Soundness s = auditMesh(*m, *limitSet("general")).soundness;
    EXPECT_TRUE(s.sound()) << name;
    EXPECT_EQ(s.duplicateNodes, 0u);
    EXPECT_EQ(s.apartNodes, run->mesh.twins.size()) << name;
    // Where the same two bodies share a node as well, the others were left unmerged.
    const auto& twin = run->mesh.twins.front();
    for (auto& n : m->cells.nodes)
      if (n == twin[1]) n = twin[0];
    EXPECT_EQ(auditMesh(*m, *limitSet("general")).soundness.apartNodes, 0u);
  }
  // Bodies that do not touch are no pair: said, not done.
  b.rules.push_back({"group", {{"name", "right"}, {"of", "bodies"}, {"nearest", "(2.9, 0.5, 0.5)"}}, "", false, {}});
  b.rules[4] = {"apart", {{"bodies", "left"}, {"others", "right"}}, "", false, {}};
  auto again = runBrief(b, part, 1, progress);
  ASSERT_TRUE(again);
  EXPECT_TRUE(again->mesh.twins.empty());
  EXPECT_TRUE(std::any_of(again->problems.begin(), again->problems.end(),
                          [](const Problem& p) { return p.code == "rule.no-target"; }));
}

TEST(Roles, goWithTheGroupsIntoReportAndFiles) {
  Part part = made("boxes 2");
  Brief b = defaultBrief("boxes.step");
  b.rules[0].values["target"] = "0.5";
  b.rules.push_back({"group",
                     {{"name", "left"},
                      {"of", "bodies"},
                      {"nearest", "(0.1, 0.5, 0.5)"},
                      {"material", "alloy 6"},
                      {"medium", "solid"}},
                     "",
                     false,
                     {}});
  b.rules.push_back({"group", {{"name", "bench"}, {"normal", "0, 0, -1"}, {"role", "wall"}}, "", false, {}});
  b.rules.push_back({"group", {{"name", "middle"}, {"normal", "0, 1, 0"}, {"role", "symmetry"}}, "", false, {}});
  ASSERT_TRUE(validateBrief(b, "mm").empty());
  Progress progress;
  auto run = runBrief(b, part, 1, progress);
  ASSERT_TRUE(run) << run.problem().sentence();
  auto j = runReport(*run);
  EXPECT_EQ(j["groups"]["bench"]["role"], "wall");
  // Each limit says where its worst elements are.
  const auto& limits = j["verdict"]["limits"];
  ASSERT_FALSE(limits.empty());
  for (const auto& l : limits) {
    const auto& place = l["worst_place"];
    EXPECT_NEAR(place["value"].get<double>(), l["worst"].get<double>(), 1e-6) << l["metric"];
    EXPECT_GE(place["elements"], 1);
    EXPECT_GE(place["of"], 1);
    const auto at = place["at"].get<std::array<double, 3>>();
    EXPECT_TRUE(part.box.contains(Vec3(at[0], at[1], at[2])));
    for (const auto& g : place["groups"]) EXPECT_TRUE(g == "bench" || g == "middle") << g;
  }
  EXPECT_NE(reportHtml(*run, part).find("Worst place"), std::string::npos);
  EXPECT_EQ(j["regions"][0]["material"], "alloy 6");
  EXPECT_FALSE(j["regions"][1].contains("material"));
  std::set<std::string> codes;
  for (const auto& p : run->problems) codes.insert(p.code);
  EXPECT_TRUE(codes.count("region.no-material"));
  EXPECT_TRUE(codes.count("region.no-kind"));
  TempFolder folder;
  for (auto [path, format] : {std::pair{"case", "foam"}, std::pair{"case.inp", "inp"}}) {
    auto p = handOver(*run, {"hand_over", {{"path", folder / path}, {"format", format}}, "", false, {}});
    ASSERT_FALSE(p) << p->sentence();
  }
  auto text = [&](const std::string& path) {
    std::ifstream in(folder / path);
    return std::string((std::istreambuf_iterator<char>(in)), {});
  };
  std::string boundary;
  for (const auto& e : std::filesystem::recursive_directory_iterator(folder / "case"))
    if (e.path().filename() == "boundary") {
      std::ifstream in(e.path());
      boundary.assign((std::istreambuf_iterator<char>(in)), {});
    }
  auto typeOf = [&](const std::string& name) {
    auto at = boundary.find("    " + name + "\n");
    auto type = boundary.find("type", at);
    return boundary.substr(type + 16, boundary.find(';', type) - type - 16);
  };
  EXPECT_EQ(typeOf("bench"), "wall");
  EXPECT_EQ(typeOf("middle"), "symmetryPlane"); // it is flat
  EXPECT_NE(text("case.inp").find("material alloy_6"), std::string::npos);
  // Two materials for one body are told.
  b.rules.push_back(
      {"group",
       {{"name", "both"}, {"of", "bodies"}, {"box_min", "-1, -1, -1"}, {"box_max", "9, 9, 9"}, {"material", "steel"}},
       "",
       false,
       {}});
  auto again = runBrief(b, part, 1, progress);
  ASSERT_TRUE(again);
  EXPECT_EQ(again->mesh.materials, (std::vector<std::string>{"alloy 6", "steel"}));
  EXPECT_TRUE(std::any_of(again->problems.begin(), again->problems.end(),
                          [](const Problem& p) { return p.code == "region.two"; }));
}
