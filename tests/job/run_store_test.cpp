// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/gate.h"
#include "job/run_store.h"
#include "support/briefs.h"
#include "support/fixtures.h"
#include <nlohmann/json.hpp>

using namespace tess;
using namespace tess::test;

namespace {

RunResult smallRun(int order = 2) {
  Part part = made("boxes 2");
  Brief b = defaultBrief("boxes.step");
  b.rules[0].values["target"] = "0.5";
  b.rules[1].values["order"] = std::to_string(order);
  b.rules.push_back({"group", {{"name", "bottom"}, {"normal", "0, 0, -1"}}, "the bench", false, {}});
  b.rules.push_back({"through", {{"count", "2"}}, "", false, {}});
  Progress progress;
  auto run = runBrief(b, part, 1, progress);
  EXPECT_TRUE(run) << run.problem().sentence();
  return std::move(*run);
}

} // namespace

TEST(RunStore, aRunComesBackWhole) {
  TempFolder folder;
  RunResult run = smallRun();
  ASSERT_FALSE(saveRun(run, "stamp", folder / "a.run"));
  auto back = loadRun(folder / "a.run");
  ASSERT_TRUE(back) << back.problem().sentence();
  EXPECT_EQ(back->partStamp, "stamp");
  const RunResult& r = back->run;
  EXPECT_EQ(r.brief, run.brief);
  EXPECT_EQ(r.mesh.nodes, run.mesh.nodes);
  EXPECT_EQ(r.mesh.cells.nodes, run.mesh.cells.nodes);
  EXPECT_EQ(r.mesh.faces.nodes, run.mesh.faces.nodes);
  EXPECT_EQ(r.mesh.faceRegions, run.mesh.faceRegions);
  ASSERT_EQ(r.mesh.groups.size(), run.mesh.groups.size());
  EXPECT_EQ(r.mesh.groups[0].items, run.mesh.groups[0].items);
  // What is said about it is the same, but for the time and place of saying.
  auto a = runReport(run), b = runReport(r);
  EXPECT_TRUE(a == b) << nlohmann::json::diff(a, b).dump();
}

TEST(RunStore, damagedCutAndForeignFilesAreProblems) {
  TempFolder folder;
  RunResult run = smallRun(1);
  ASSERT_FALSE(saveRun(run, "", folder / "a.run"));
  std::ifstream in(folder / "a.run", std::ios::binary);
  std::string bytes((std::istreambuf_iterator<char>(in)), {});
  EXPECT_FALSE(loadRun(folder.write("cut.run", bytes.substr(0, bytes.size() / 2))));
  EXPECT_FALSE(loadRun(folder.write("short.run", bytes.substr(0, 12))));
  EXPECT_FALSE(loadRun(folder.write("foreign.run", "solid cube\nendsolid\n")));
  EXPECT_FALSE(loadRun(folder / "missing.run"));
  for (std::size_t at = 8; at < bytes.size(); at += bytes.size() / 37) {
    std::string bad = bytes;
    bad[at] = static_cast<char>(bad[at] ^ 0x41);
    EXPECT_FALSE(loadRun(folder.write("bad.run", bad))) << at;
  }
}

TEST(Gate, objectsToWhatASolverWouldStumbleOver) {
  Part part = made("boxes 2");
  RunResult run = smallRun(1);
  part.unitAssumed = false;
  auto codes = [&](const Brief& now) {
    std::set<std::string> r;
    for (const auto& p : gateOf(run, part, now, {rule("hand_over", {{"path", "x.stl"}})}).objections) r.insert(p.code);
    return r;
  };
  EXPECT_EQ(codes(run.brief), (std::set<std::string>{"gate.unnamed"}));
  // A judging or hand-over card changes no mesh; a size does.
  Brief later = run.brief;
  later.rules.push_back({"hand_over", {{"path", "x.inp"}}, "", false, {}});
  EXPECT_FALSE(codes(later).count("gate.older"));
  Brief renamed = run.brief; // the file would hold the old name
  renamed.rules.push_back(rule("rename", {{"what", "body1"}, {"name", "pin"}}));
  EXPECT_TRUE(codes(renamed).count("gate.older"));
  later.rules[0].values["target"] = "0.4";
  EXPECT_TRUE(codes(later).count("gate.older"));
  run.mesh.groups.push_back({"nothing", 2, {}, 0});
  run.mesh.groups.push_back(run.mesh.groups[0]);
  part.unitAssumed = true;
  EXPECT_EQ(codes(run.brief), (std::set<std::string>{"gate.unnamed", "gate.doubled", "gate.empty-set", "gate.unit"}));
  run.mesh.groups.clear();
  EXPECT_TRUE(codes(run.brief).count("gate.no-groups"));
  applyLimits(run.audit, run.mesh, *limitSet("strength"));
  EXPECT_TRUE(codes(run.brief).count("gate.limits"));
  EXPECT_EQ(gateOf(run, part, run.brief).size, "2 x 1 x 1 mm");
  // Every scale that is about to be written is said.
  std::vector<Rule> files{rule("hand_over", {{"path", "a.inp"}}),
                          rule("hand_over", {{"path", "b.inp"}, {"scale", "0.001"}})};
  EXPECT_EQ(gateOf(run, part, run.brief, files).size, "0.002 x 0.001 x 0.001 m; 2 x 1 x 1 mm");
}

TEST(Gate, aCompleteMeshPasses) {
  Part part = made("box 1 1 1");
  part.unitAssumed = false;
  Brief b = defaultBrief("box.step");
  b.rules[0].values["target"] = "0.5";
  b.rules.push_back({"group", {{"name", "all"}, {"surface", "plane"}}, "", false, {}});
  Progress progress;
  auto run = runBrief(b, part, 1, progress);
  ASSERT_TRUE(run);
  auto gate = gateOf(*run, part, b);
  EXPECT_TRUE(gate.open()) << gate.objections[0].sentence();
}
