// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/forecast.h"
#include "support/fixtures.h"
#include <tbb/global_control.h>

using namespace tess;
using namespace tess::test;

namespace {
/// No memory of runs of this machine: forecasts must hold without it.
class Forecasts : public ::testing::Test {
protected:
  void SetUp() override {
    const char* old = std::getenv("XDG_DATA_HOME");
    if (old) m_old = old;
    setenv("XDG_DATA_HOME", (m_dir / "data").c_str(), 1);
  }
  void TearDown() override {
    if (m_old.empty())
      unsetenv("XDG_DATA_HOME");
    else
      setenv("XDG_DATA_HOME", m_old.c_str(), 1);
  }
  TempFolder m_dir;
  std::string m_old;
};
} // namespace

TEST_F(Forecasts, countsOfTheSamplePartsAreMetWithinAQuarter) {
  for (const char* name : {"saddle-clamp", "keel-bracket", "camera-housing"}) {
    auto brief = loadBrief(demo(std::string(name) + ".brief"));
    ASSERT_TRUE(brief.ok());
    auto part = loadPart(brief->partPath());
    ASSERT_TRUE(part.ok());
    Progress progress;
    Forecast f = forecastBrief(*brief, *part, progress);
    EXPECT_EQ(f.calibrationRuns, 0);
    auto run = runBrief(*brief, *part, 0, progress);
    ASSERT_TRUE(run.ok());
    double cells = static_cast<double>(run->mesh.cells.size()), nodes = static_cast<double>(run->mesh.nodes.size());
    EXPECT_NEAR(f.elements / cells, 1, 0.25) << name;
    EXPECT_NEAR(f.nodes / nodes, 1, 0.25) << name;
    EXPECT_LE(f.low, cells) << name;
    EXPECT_GE(f.high, cells) << name;
    double shares = 0, bodies = 0;
    for (const auto& s : f.byRule) shares += s.elements;
    for (const auto& s : f.byBody) bodies += s.elements;
    EXPECT_NEAR(shares / f.elements, 1, 1e-9);
    EXPECT_NEAR(bodies / f.elements, 1, 1e-9);
  }
}

TEST_F(Forecasts, countsOfPartsThatNoConstantWasFittedToAreMetAsWell) {
  const std::pair<const char*, const char*> parts[] = {
      {"sphere 10", "1.5 mm"}, {"cylinder 5 20", "1.2 mm"}, {"box 30 20 2", "1 mm"}, {"quarter 4 2 6", "0.4 mm"}};
  for (const auto& [recipe, size] : parts) {
    Part part = made(recipe);
    Brief b = defaultBrief("made");
    for (auto& r : b.rules)
      if (r.kind == "everywhere") r.values["target"] = size;
    Progress progress;
    const Forecast f = forecastBrief(b, part, progress);
    auto run = runBrief(b, part, 0, progress);
    ASSERT_TRUE(run.ok()) << recipe;
    const double cells = static_cast<double>(run->mesh.cells.size());
    EXPECT_NEAR(f.elements / cells, 1, 0.25) << recipe;
    EXPECT_LE(f.low, cells) << recipe;
    EXPECT_GE(f.high, cells) << recipe;
  }
}

TEST_F(Forecasts, boxIsCountedFromItsVolumeAndArea) {
  Part part = made("box 10 8 6");
  Brief b = defaultBrief("box");
  for (auto& r : b.rules)
    if (r.kind == "everywhere") r.values["target"] = "0.5 mm";
  Progress progress;
  Forecast f = forecastBrief(b, part, progress);
  // Iv = 480 / 0.125, Ia = 376 / 0.25: nothing but the size everywhere acts.
  double ratio = f.elements / (480 / 0.125);
  EXPECT_GT(ratio, 6);
  EXPECT_LT(ratio, 12);
  ASSERT_EQ(f.byRule.size(), 1u);
  EXPECT_NEAR(f.surfaceTriangles, 376 / 0.25 * 4 / std::sqrt(3.0), 0.01 * f.surfaceTriangles);
}

TEST_F(Forecasts, sameForOneAndTwoThreads) {
  auto brief = loadBrief(demo("keel-bracket.brief"));
  auto part = loadPart(brief->partPath());
  ASSERT_TRUE(part.ok());
  double n[2];
  for (std::size_t k : {1u, 2u}) {
    tbb::global_control limit(tbb::global_control::max_allowed_parallelism, k);
    Progress progress;
    n[k - 1] = forecastBrief(*brief, *part, progress).elements;
  }
  EXPECT_EQ(n[0], n[1]);
}

namespace {
/// A run of 100 000 elements that took so long.
RunResult runOf(double seconds) {
  RunResult run;
  run.mesh.cells.type.assign(100000, ElementType::Tet4);
  run.mesh.faces.type.assign(20000, ElementType::Tri3);
  run.seconds = seconds;
  run.peakMemory = 1'000'000'000;
  return run;
}
} // namespace

TEST_F(Forecasts, runsOfThisMachineCalibrateTimeAndMemory) {
  const Part part = made("box 10 8 6"), other = made("box 10 8 7");
  const MeshExtent same{100000, 20000, false}, twice{200000, 40000, false};
  const double before = expectedCost(same, part).seconds;
  EXPECT_GT(before, 0.1);
  EXPECT_LT(before, 100);
  EXPECT_EQ(expectedCost(same, part).runs, 0);
  // Two runs of other parts do not outweigh the trial of the machine, three do.
  for (int k = 0; k < 2; ++k) rememberRun(runOf(1000), other);
  EXPECT_EQ(expectedCost(same, part).seconds, before);
  rememberRun(runOf(1000), other);
  TimeAndMemory t = expectedCost(same, part);
  EXPECT_EQ(t.runs, 3);
  EXPECT_EQ(t.ofThePart, 0);
  EXPECT_NEAR(t.seconds, 1000, 1e-6);
  EXPECT_NEAR(t.memoryBytes, 1e9, 1);
  EXPECT_NEAR(expectedCost(twice, part).seconds, 2000, 10);
  // One run of the part itself counts more than all others; of several the last three.
  rememberRun(runOf(50), part);
  EXPECT_NEAR(expectedCost(same, part).seconds, 50, 1e-6);
  EXPECT_EQ(expectedCost(same, part).ofThePart, 1);
  EXPECT_NEAR(expectedCost(same, other).seconds, 1000, 1e-6);
  for (double s : {7.0, 9.0, 8.0}) rememberRun(runOf(s), part);
  EXPECT_NEAR(expectedCost(same, part).seconds, 8, 1e-6);
  EXPECT_NEAR(expectedCost({100000, 20000, true}, part).memoryBytes, 7e6 + 430 * 1e5, 1); // another order
}

TEST_F(Forecasts, whatTellsNothingIsNotRemembered) {
  const Part part = made("box 10 8 6");
  const MeshExtent extent{100000, 20000, false};
  const double before = expectedCost(extent, part).seconds;
  RunResult small = runOf(1000), reused = runOf(1000);
  small.mesh.cells.type.resize(4000);
  reused.reused = true;
  rememberRun(small, part);
  rememberRun(reused, part);
  const std::filesystem::path file(m_dir / "data/tesselite/runs.jsonl");
  std::filesystem::create_directories(file.parent_path());
  std::ofstream(file, std::ios::app) << "no JSON\n[1, 2]\n\n{\"elements\": \"many\", \"seconds\": null}\n"
                                     << R"({"elements": 100000, "order": 1, "seconds": 5, "part": 3})"
                                     << "\n";
  EXPECT_EQ(expectedCost(extent, part).seconds, before);
  rememberRun(runOf(30), part); // beside what cannot be read
  EXPECT_NEAR(expectedCost(extent, part).seconds, 30, 1e-6);
}

TEST_F(Forecasts, aRuleThatMakesMostOfTheMeshIsNamed) {
  Part part = made("box 10 8 6");
  Brief b = defaultBrief("box");
  b.rules.push_back({"group", {{"name", "top"}, {"nearest", "(5, 4, 6)"}}, "", false, {}});
  b.rules.push_back({"size", {{"on", "top"}, {"length", "0.1 mm"}}, "", false, {}});
  Progress progress;
  Forecast f = forecastBrief(b, part, progress);
  bool said = false;
  for (const auto& p : f.problems) said = said || (p.code == "forecast.one-rule" && p.what.find("top") != p.what.npos);
  EXPECT_TRUE(said);
}

TEST_F(Forecasts, scaledBriefScalesEverySizeAndNothingElse) {
  auto brief = loadBrief(demo("keel-bracket.brief"));
  auto part = loadPart(brief->partPath());
  Brief half = scaledSizes(*brief, *part, 0.5);
  EXPECT_NEAR(overallTarget(half, *part), 0.5 * overallTarget(*brief, *part), 1e-9);
  for (std::size_t i = 0; i < brief->rules.size(); ++i) {
    const Rule &a = brief->rules[i], &b = half.rules[i];
    if (a.kind == "size") {
      EXPECT_NEAR(slotNumber(b, "length", "mm"), 0.5 * slotNumber(a, "length", "mm"), 1e-9);
    }
    EXPECT_EQ(a.get("growth"), b.get("growth"));
    if (a.kind == "everywhere") {
      EXPECT_NEAR(slotNumber(b, "turn", "mm"), 0.5 * slotNumber(a, "turn", "mm"), 1e-9);
    }
  }
}
