// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/file.h"
#include "job/compare.h"
#include "job/run_store.h"
#include "support/briefs.h"
#include "support/fixtures.h"
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>

using namespace tess;
using namespace tess::test;

TEST(Compare, namesChangedAddedAndRemovedRulesOnce) {
  Brief a, b;
  a.rules = {rule("everywhere", {{"target", "5 mm"}}), rule("size", {{"on", "holes"}, {"length", "1 mm"}}),
             rule("judge", {{"purpose", "flow"}})};
  b.rules = {rule("judge", {{"purpose", "flow"}}), rule("everywhere", {{"target", "4 mm"}}),
             rule("size", {{"on", "rim"}, {"length", "2 mm"}})};
  auto d = differingRules(a, b);
  ASSERT_EQ(d.size(), 3u);
  EXPECT_NE(d[0].first.find("5 mm"), std::string::npos);
  EXPECT_NE(d[0].second.find("4 mm"), std::string::npos);
  EXPECT_NE(d[1].first.find("holes"), std::string::npos);
  EXPECT_TRUE(d[1].second.empty());
  EXPECT_TRUE(d[2].first.empty());
  EXPECT_NE(d[2].second.find("rim"), std::string::npos);
  EXPECT_TRUE(differingRules(a, a).empty()); // order does not matter
  std::swap(a.rules[0], a.rules[2]);
  EXPECT_EQ(differingRules(a, b).size(), 3u);
}

TEST(Compare, aDifferentPartIsADifference) {
  Brief a, b;
  a.partFile = "clamp.step";
  b.partFile = "clamp_2.step";
  b.unit = "inch";
  const auto d = differingRules(a, b);
  ASSERT_EQ(d.size(), 2u);
  EXPECT_EQ(d[0].first, "part clamp.step");
  EXPECT_EQ(d[0].second, "part clamp_2.step");
  EXPECT_EQ(d[1].second, "unit inch");
}

TEST(Compare, marksTheBetterRun) {
  auto good = runOf(demo("keel-bracket.brief"));
  auto bad = good;
  auto& angle = bad.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)];
  angle.min = 1;
  bad.audit.pass = false;
  bad.audit.failingCells = 7;
  good.peakMemory = 30'000'000;
  bad.peakMemory = 60'000'000;
  bool verdict = false, worst = false;
  for (const auto& r : compareRuns({&bad, &good})) {
    if (r.what == "verdict") verdict = r.best == 1;
    if (r.what.find("dihedral") != std::string::npos && r.what.find("worst") != std::string::npos) worst = r.best == 1;
    if (r.what == "elements") {
      EXPECT_EQ(r.best, -1);
    }
    if (r.what == "memory") {
      EXPECT_EQ(r.best, 1);
      EXPECT_EQ(r.values, (std::vector<std::string>{"60 MB", "30 MB"}));
    }
  }
  EXPECT_TRUE(verdict);
  EXPECT_TRUE(worst);
  for (const auto& r : compareRuns({&good, &good})) EXPECT_EQ(r.best, -1) << r.what;
  // A verdict says what it fails for where no element does.
  bad.audit.failingCells = 0;
  bad.audit.notAllowedCells = 9;
  for (const auto& r : compareRuns({&bad, &good}))
    if (r.what == "verdict") {
      EXPECT_EQ(r.values[0], "fails: wrong kind of element");
    }
  // Of three the one that beats all others; what is not there yet has a dash and beats nobody.
  auto better = good;
  better.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].min += 5;
  for (const auto& r : compareRuns({&bad, nullptr, &better, &good})) {
    ASSERT_EQ(r.values.size(), 4u);
    EXPECT_EQ(r.values[1], "–");
    if (r.what == "verdict") {
      EXPECT_EQ(r.best, -1); // two are good
    }
    if (r.what.find("dihedral") != std::string::npos && r.what.find("worst") != std::string::npos) {
      EXPECT_EQ(r.best, 2);
    }
  }
}

TEST(Compare, aHoleThatMovedIsAnotherPart) {
  Part part = made("drilled 2");
  Brief b = defaultBrief("made");
  b.rules[0].values["target"] = "4 mm";
  auto run = [&] {
    Progress progress;
    auto r = runBrief(b, part, 0, progress);
    EXPECT_TRUE(r.ok());
    return std::move(*r);
  };
  const RunResult here = run();
  for (auto& f : part.faces)
    if (f.kind == SurfaceKind::Cylinder) f.center += Vec3(1, 0, 0); // as if the holes were elsewhere
  const RunResult there = run();
  EXPECT_NEAR(here.geometryVolume, there.geometryVolume, 1e-9 * here.geometryVolume);
  EXPECT_FALSE(samePart({&here, &there}));
  EXPECT_TRUE(samePart({&here, nullptr, &here}));
  // A run that was kept remembers it; one kept by an earlier version tells the volume alone.
  TempFolder dir;
  ASSERT_FALSE(saveRun(there, "x", dir / "a.run"));
  auto kept = loadRun(dir / "a.run");
  ASSERT_TRUE(kept.ok());
  EXPECT_FALSE(samePart({&here, &kept->run}));
  EXPECT_TRUE(samePart({&there, &kept->run}));
  RunResult early = there;
  early.partArea = 0;
  EXPECT_TRUE(samePart({&early, &here}));
  EXPECT_FALSE(samePart({&early, &here, &there}));
}

TEST(Alternatives, briefsOfTheSameFolderAndPart) {
  TempFolder folder;
  for (const char* f : {"saddle-clamp.step", "keel-bracket.step", "saddle-clamp.brief", "keel-bracket.brief"})
    std::filesystem::copy_file(demo(f), folder / f);
  auto b = loadBrief(folder / "saddle-clamp.brief");
  ASSERT_TRUE(b);
  EXPECT_EQ(alternativesOf(*b).size(), 1u);
  Brief fine = *b;
  fine.path = folder / "fine.brief";
  for (auto& r : fine.rules)
    if (r.kind == "everywhere") r.values["target"] = "2 mm";
  ASSERT_FALSE(saveBrief(fine, fine.path));
  std::ofstream(folder / "broken.brief") << "format = ";
  auto all = alternativesOf(*b);
  ASSERT_EQ(all.size(), 2u);
  EXPECT_EQ(all[0].path, b->path);
  EXPECT_EQ(std::filesystem::path(all[1].path).filename(), "fine.brief");
  EXPECT_EQ(differingRules(all[0], all[1]).size(), 1u);
  Brief unsaved = *b;
  unsaved.path.clear();
  EXPECT_EQ(alternativesOf(unsaved).size(), 1u);
}

// Each in a process of its own, so that memory is that of its own run.
TEST(Alternatives, oneTableOnTheCommandLine) {
  TempFolder folder;
  for (const char* f : {"saddle-clamp.step", "saddle-clamp.brief"}) std::filesystem::copy_file(demo(f), folder / f);
  auto b = loadBrief(folder / "saddle-clamp.brief");
  ASSERT_TRUE(b);
  for (auto& r : b->rules)
    if (r.kind == "everywhere") r.values["target"] = "9 mm";
  ASSERT_FALSE(saveBrief(*b, folder / "coarse.brief"));
  const std::string report = folder / "r.json", text = folder / "t.txt";
  const std::string command = std::string(TESSEL) + " compare " + (folder / "saddle-clamp.brief") + " " +
                              (folder / "coarse.brief") + " --report " + report + " > " + text + " 2>/dev/null";
  EXPECT_EQ(std::system(command.c_str()), 0);
  const auto j = nlohmann::json::parse(*readFile(report));
  ASSERT_EQ(j["alternatives"].size(), 2u);
  EXPECT_GT(j["alternatives"][0]["elements"], j["alternatives"][1]["elements"]);
  EXPECT_GT(j["alternatives"][0]["peak_memory_bytes"], 0);
  ASSERT_EQ(j["alternatives"][1]["differs"].size(), 1u);
  const std::string table = *readFile(text);
  EXPECT_NE(table.find("coarse"), std::string::npos) << table;
  EXPECT_NE(table.find("9 mm"), std::string::npos) << table;
  EXPECT_EQ(
      std::system((std::string(TESSEL) + " compare " + (folder / "coarse.brief") + " /no/such.brief > /dev/null 2>&1")
                      .c_str()) >>
          8,
      3);
}
