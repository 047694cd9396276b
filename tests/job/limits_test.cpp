// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/places.h"
#include "base/file.h"
#include "job/limit_file.h"
#include "job/limits.h"
#include "job/run_store.h"
#include "support/briefs.h"
#include <cstdlib>
#include <map>
#include <nlohmann/json.hpp>

using namespace tess;
using namespace tess::test;

namespace {

const LimitResult* find(const Audit& a, Metric m, const std::string& where) {
  for (const auto& r : a.results)
    if (r.limit.metric == m && r.limit.where == where) return &r;
  return nullptr;
}

} // namespace

TEST(BriefLimits, OwnLimitTakesThePlaceOfThePurposes) {
  const Part part = made("box 12 8 6");
  const RunResult r = runWith(briefWith("2 mm", {rule("limit", {{"metric", "min dihedral angle"}, {"bound", "60"}}),
                                                 rule("limit", {{"metric", "aspect ratio"}, {"bound", "50"}})}),
                              part);
  const auto* own = find(r.audit, Metric::MinDihedral, "");
  ASSERT_NE(own, nullptr);
  EXPECT_EQ(own->limit.bound, 60);
  EXPECT_TRUE(own->limit.atLeast);
  std::size_t below = 0;
  for (float v : r.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].value) below += v < 60;
  EXPECT_EQ(own->failing, below);
  EXPECT_GT(below, 0u);
  EXPECT_FALSE(r.audit.pass);
  int same = 0;
  for (const auto& x : r.audit.results) same += x.limit.metric == Metric::MinDihedral;
  EXPECT_EQ(same, 1);
  const auto* aspect = find(r.audit, Metric::AspectRatio, "");
  ASSERT_NE(aspect, nullptr);
  EXPECT_FALSE(aspect->limit.atLeast);
  EXPECT_EQ(aspect->failing, 0u);
}

TEST(BriefLimits, aLengthMayBeAMultipleOfTheTarget) {
  const Part part = made("box 12 8 6");
  const Brief b =
      briefWith("2 mm", {rule("limit", {{"metric", "edge length"}, {"bound", "0.9 x"}}),
                         rule("accept", {{"metric", "edge length"}, {"bound", "1.5 x"}, {"reason", "so"}})});
  const RunResult r = runWith(b, part);
  const auto* own = find(r.audit, Metric::EdgeLength, "");
  ASSERT_NE(own, nullptr);
  EXPECT_NEAR(own->limit.bound, 1.8, 1e-12);
  ASSERT_TRUE(own->limit.accepted);
  EXPECT_NEAR(own->limit.accepted->to, 3, 1e-12);
  const Brief wrong = briefWith("2 mm", {rule("limit", {{"metric", "skewness"}, {"bound", "0.9 x"}})});
  const auto said = validateBrief(wrong, "mm");
  ASSERT_TRUE(problemOf(said, "rule.value"));
  EXPECT_NE(problemOf(said, "rule.value")->what.find("no length"), std::string::npos);
}

TEST(BriefLimits, AMetricMayBeBoundedFromBothSides) {
  const Part part = made("box 12 8 6");
  auto judged = [&](std::vector<Rule> more) {
    std::vector<Rule> rules{rule("limit", {{"metric", "edge length"}, {"bound", "2.2"}}),
                            rule("limit", {{"metric", "edge length"}, {"bound", "1.9"}, {"side", "least"}})};
    rules.insert(rules.end(), more.begin(), more.end());
    return runWith(briefWith("2 mm", std::move(rules)), part);
  };
  const RunResult r = judged({});
  const auto& value = r.audit.metrics[static_cast<std::size_t>(Metric::EdgeLength)].value;
  std::size_t below = 0, above = 0;
  for (float v : value) {
    below += (v < 1.9);
    above += (v > 2.2);
  }
  ASSERT_GT(below, 0u);
  ASSERT_GT(above, 0u);
  std::map<bool, const LimitResult*> of;
  for (const auto& x : r.audit.results)
    if (x.limit.metric == Metric::EdgeLength) of[x.limit.atLeast] = &x;
  ASSERT_EQ(of.size(), 2u);
  // Where the worst is, is told from the side of the limit.
  for (const bool least : {true, false})
    EXPECT_NEAR(worstPlaces(r.mesh, r.audit, of[least]->limit)[0].value, of[least]->worst, 1e-6) << least;
  EXPECT_EQ(of[true]->failing, below);
  EXPECT_EQ(of[false]->failing, above);
  EXPECT_EQ(limitName(of[false]->limit), "Edge length");
  EXPECT_EQ(limitName(of[true]->limit), "Least edge length");
  EXPECT_EQ(sentenceOf(r.brief.rules.back()), "Keep edge length within 1.9 as the least");
  // What is accepted is beyond one of the two.
  const RunResult all =
      judged({rule("accept", {{"metric", "edge length"}, {"bound", "100"}, {"reason", "long ones do no harm"}})});
  for (const auto& x : all.audit.results)
    if (x.limit.metric == Metric::EdgeLength) {
      EXPECT_EQ(x.failing, x.limit.atLeast ? below : 0u);
      EXPECT_EQ(x.accepted, x.limit.atLeast ? 0u : above);
    }
  // A run that is kept is judged the same.
  TempFolder dir;
  ASSERT_FALSE(saveRun(r, "x", dir / "a.run"));
  auto kept = loadRun(dir / "a.run");
  ASSERT_TRUE(kept.ok());
  EXPECT_EQ(kept->run.audit.failingCells, r.audit.failingCells);
}

TEST(BriefLimits, LimitAtAGroupHoldsThereInPlaceOfTheOther) {
  const Part part = made("box 12 8 6");
  Rule top = rule("group", {{"name", "top"}, {"of", "faces"}, {"outermost", "0, 0, 1"}});
  // Nothing can keep 75 degrees everywhere; at the top anything goes.
  const RunResult r =
      runWith(briefWith("2 mm", {top, rule("limit", {{"metric", "min dihedral angle"}, {"bound", "1"}, {"at", "top"}}),
                                 rule("limit", {{"metric", "min dihedral angle"}, {"bound", "75"}})}),
              part);
  const auto *there = find(r.audit, Metric::MinDihedral, "top"), *elsewhere = find(r.audit, Metric::MinDihedral, "");
  ASSERT_NE(there, nullptr);
  ASSERT_NE(elsewhere, nullptr);
  EXPECT_EQ(there->failing, 0u);
  std::size_t touching = 0;
  const auto& m = r.mesh;
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    bool on = false;
    for (auto n : m.cells.of(c)) on = on || std::abs(m.nodes[static_cast<std::size_t>(n)].z() - 6) < 1e-9;
    touching += on;
    EXPECT_EQ(there->limit.judges(c), on);
    EXPECT_EQ(elsewhere->limit.judges(c), !on);
  }
  EXPECT_EQ(elsewhere->failing, m.cells.size() - touching);
  EXPECT_DOUBLE_EQ(elsewhere->share, 1);
  EXPECT_EQ(r.audit.failingCells, elsewhere->failing);
  // The worst place of each is one of its own elements, whatever fails elsewhere.
  for (const auto* x : {there, elsewhere}) {
    const auto places = worstPlaces(m, r.audit, x->limit);
    ASSERT_FALSE(places.empty());
    EXPECT_TRUE(x->limit.judges(static_cast<std::size_t>(places[0].worst)));
    EXPECT_NEAR(places[0].value, x->worst, 1e-6);
  }
  // A run that was kept is judged the same way.
  TempFolder folder;
  const std::string file = folder / "a.run";
  ASSERT_FALSE(saveRun(r, "", file));
  auto again = loadRun(file);
  ASSERT_TRUE(again.ok());
  EXPECT_EQ(again->run.audit.failingCells, r.audit.failingCells);
}

TEST(BriefLimits, LimitAtAGroupThatIsNotThereIsAFinding) {
  const Part part = made("box 12 8 6");
  const RunResult r =
      runWith(briefWith("2 mm", {rule("limit", {{"metric", "skewness"}, {"bound", "0.1"}, {"at", "nowhere"}})}), part);
  EXPECT_TRUE(r.audit.pass);
  EXPECT_EQ(find(r.audit, Metric::Skewness, "nowhere"), nullptr);
  EXPECT_NE(problemOf(r.problems, "rule.no-target"), nullptr);
}

TEST(BriefLimits, SentencesAndWrongMetricsAreChecked) {
  EXPECT_EQ(sentenceOf(rule("limit", {{"metric", "skewness"}, {"bound", "0.7"}, {"at", "top"}})),
            "Keep skewness within 0.7 at top");
  EXPECT_TRUE(
      validateBrief(briefWith("2 mm", {rule("limit", {{"metric", "skewness"}, {"bound", "1"}})}), "mm").empty());
  EXPECT_FALSE(validateBrief(briefWith("2 mm", {rule("limit", {{"metric", "beauty"}, {"bound", "1"}})}), "mm").empty());
  EXPECT_FALSE(validateBrief(briefWith("2 mm", {rule("limit", {{"metric", "skewness"}})}), "mm").empty());
}

TEST(BriefLimits, WhatIsAcceptedForAReasonPasses) {
  const Part part = made("box 12 8 6");
  Rule top = rule("group", {{"name", "top"}, {"of", "faces"}, {"outermost", "0, 0, 1"}});
  const Rule strict = rule("limit", {{"metric", "min dihedral angle"}, {"bound", "50"}});
  auto judged = [&](std::vector<Rule> more) {
    std::vector<Rule> rules{top, strict};
    rules.insert(rules.end(), more.begin(), more.end());
    return runWith(briefWith("2 mm", rules), part);
  };
  const RunResult before = judged({});
  const auto& values = before.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].value;
  ASSERT_FALSE(before.audit.pass);
  const double worst = before.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].min;
  ASSERT_LT(worst, 45);

  // All the way down: nothing fails any more, and the verdict says how much was let pass.
  auto accept = [](const std::string& to) {
    return rule("accept", {{"metric", "min dihedral angle"}, {"bound", to}, {"reason", "far from the load"}});
  };
  const RunResult all = judged({accept("1")});
  EXPECT_TRUE(all.audit.pass);
  EXPECT_EQ(all.audit.failingCells, 0u);
  EXPECT_EQ(all.audit.acceptedCells, before.audit.failingCells);
  EXPECT_NE(all.audit.sentence.find(std::to_string(all.audit.acceptedCells) + " elements accepted"), std::string::npos)
      << all.audit.sentence;
  EXPECT_EQ(all.audit.classes[static_cast<std::size_t>(ElementClass::Failing)], 0u);
  EXPECT_EQ(runReport(all)["verdict"]["accepted_elements"], all.audit.acceptedCells);

  // Down to 45 only: what is worse still fails.
  const RunResult some = judged({accept("45")});
  std::size_t fail = 0, pass = 0;
  for (float v : values) fail += v < 45, pass += v >= 45 && v < 50;
  const auto* limit = find(some.audit, Metric::MinDihedral, "");
  ASSERT_NE(limit, nullptr);
  EXPECT_EQ(limit->failing, fail);
  EXPECT_EQ(limit->accepted, pass);
  EXPECT_GT(fail, 0u);
  EXPECT_GT(pass, 0u);
  EXPECT_FALSE(some.audit.pass);

  // At a group: elements elsewhere are judged as before.
  Rule there = accept("1");
  there.values["at"] = "top";
  const RunResult at = judged({there});
  const auto *inside = find(at.audit, Metric::MinDihedral, "top"), *outside = find(at.audit, Metric::MinDihedral, "");
  ASSERT_NE(inside, nullptr);
  ASSERT_NE(outside, nullptr);
  EXPECT_EQ(inside->failing, 0u);
  EXPECT_GT(inside->accepted, 0u);
  EXPECT_EQ(outside->accepted, 0u);
  EXPECT_EQ(inside->accepted + outside->failing, before.audit.failingCells);

  // Where the card stands is no matter.
  const RunResult first = runWith(briefWith("2 mm", {top, accept("1"), strict}), part);
  EXPECT_EQ(first.audit.acceptedCells, all.audit.acceptedCells);
  EXPECT_TRUE(first.audit.pass);

  // Kept and read again it is judged the same; the reason is there.
  TempFolder folder;
  const std::string file = folder / "a.run";
  ASSERT_FALSE(saveRun(at, "", file));
  auto again = loadRun(file);
  ASSERT_TRUE(again) << again.problem().sentence();
  const auto* kept = find(again->run.audit, Metric::MinDihedral, "top");
  ASSERT_NE(kept, nullptr);
  ASSERT_TRUE(kept->limit.accepted);
  EXPECT_EQ(kept->limit.accepted->reason, "far from the load");
  EXPECT_EQ(again->run.audit.failingCells, at.audit.failingCells);
  EXPECT_EQ(again->run.audit.sentence, at.audit.sentence);
}

TEST(LimitFiles, EverySetComesBackTheSame) {
  for (LimitSet set : limitSets()) {
    set.limits[0].where = "fillets, \"holes\"";
    set.limits[0].accepted = Acceptance{0.1, "said so\nin a line"};
    set.limits.push_back({Metric::EdgeLength, metricInfo(Metric::EdgeLength).highIsGood, 0.2, "house"});
    set.limits.back().timesTarget = true;
    set.limits.push_back({Metric::EdgeLength, !metricInfo(Metric::EdgeLength).highIsGood, 7, "house"});
    auto r = parseLimits(limitsText(set), "a.limits");
    ASSERT_TRUE(r) << r.problem().sentence() << "\n" << limitsText(set);
    EXPECT_EQ(r->name, set.name);
    EXPECT_EQ(r->purpose, set.purpose);
    EXPECT_EQ(r->notAllowed, set.notAllowed);
    EXPECT_EQ(r->notAllowedWhy, set.notAllowedWhy);
    ASSERT_EQ(r->limits.size(), set.limits.size());
    for (std::size_t i = 0; i < set.limits.size(); ++i) {
      const Limit &a = set.limits[i], &b = r->limits[i];
      EXPECT_EQ(a.metric, b.metric);
      EXPECT_EQ(a.atLeast, b.atLeast);
      EXPECT_EQ(a.bound, b.bound);
      EXPECT_EQ(a.where, b.where);
      EXPECT_EQ(a.source, b.source);
      EXPECT_EQ(a.accepted, b.accepted);
      EXPECT_EQ(a.timesTarget, b.timesTarget);
    }
    EXPECT_EQ(limitsText(*r), limitsText(set));
  }
}

TEST(LimitFiles, ABriefIsJudgedByTheFileAndItsFiguresStayWithTheRun) {
  TempFolder folder;
  LimitSet house = *limitSet("general");
  house.name = "house";
  house.purpose = "cast brackets";
  house.limits = {{Metric::MinDihedral, true, 70, "a wish"}, {Metric::EdgeLength, true, 0.1, ""}};
  house.limits[1].timesTarget = true;
  const bool least = house.limits[1].atLeast = metricInfo(Metric::EdgeLength).highIsGood;
  house.limits[1].bound = least ? 0.1 : 5;
  house.notAllowed = {ElementType::Tet10};
  const std::string file = folder / "house.limits";
  ASSERT_FALSE(saveLimits(house, file));
  const Part part = made("box 12 8 6");
  Brief b = briefWith("2 mm", {});
  std::erase_if(b.rules, [](const Rule& r) { return r.kind == "judge"; });
  b.rules.push_back(rule("judge", {{"purpose", "strength"}, {"file", file}}));
  EXPECT_TRUE(validateBrief(b, "mm").empty());
  const RunResult r = runWith(b, part);
  EXPECT_EQ(r.audit.limits.name, "house");
  ASSERT_EQ(r.audit.results.size(), 2u);
  EXPECT_EQ(r.audit.results[0].limit.bound, 70);
  EXPECT_EQ(r.audit.results[0].failing, r.mesh.cells.size());
  EXPECT_DOUBLE_EQ(r.audit.results[1].limit.bound, least ? 0.2 : 10);
  EXPECT_NE(r.audit.sentence.find("cast brackets"), std::string::npos);
  // The file changes; a run that was kept is still judged by what held then.
  const std::string run = folder / "a.run";
  ASSERT_FALSE(saveRun(r, "", run));
  house.limits[0].bound = 1;
  ASSERT_FALSE(saveLimits(house, file));
  auto again = loadRun(run);
  ASSERT_TRUE(again);
  EXPECT_EQ(again->run.audit.sentence, r.audit.sentence);
  EXPECT_TRUE(runWith(b, part).audit.pass);
  // A file that is gone, or broken, is an error of the brief that names it.
  std::filesystem::remove(file);
  auto wrong = validateBrief(b, "mm");
  ASSERT_EQ(wrong.size(), 1u);
  EXPECT_EQ(wrong[0].severity, Severity::Error);
  EXPECT_NE(wrong[0].sentence().find("house.limits"), std::string::npos) << wrong[0].sentence();
}

TEST(LimitFiles, WhatIsWrongIsSaidWithItsLimit) {
  const std::string head = "format = 1\nname = \"a\"\n";
  auto why = [&](const std::string& text) {
    auto r = parseLimits(text, "a.limits");
    return r ? std::string("read") : r.problem().why;
  };
  auto one = [&](const std::string& lines) { return why(head + "[[limit]]\n" + lines); };
  EXPECT_EQ(one("metric = \"skewness\"\nbound = 0.8\n"), "read");
  EXPECT_NE(why("name = \"a\"\n").find("format"), std::string::npos);
  EXPECT_NE(why(head).find("no limit"), std::string::npos);
  EXPECT_NE(why("format = 1\n[[limit]]\nmetric = \"skewness\"\nbound = 1\n").find("no name"), std::string::npos);
  EXPECT_NE(why(head + "colour = 3\n").find("colour"), std::string::npos);
  EXPECT_NE(why(head + "not_allowed = [\"tet5\"]\n").find("tet5"), std::string::npos);
  EXPECT_NE(one("metric = \"beauty\"\nbound = 1\n").find("limit 1: there is no metric 'beauty'"), std::string::npos);
  EXPECT_NE(one("metric = \"skewness\"\nbound = \"much\"\n").find("'much'"), std::string::npos);
  EXPECT_NE(one("metric = \"skewness\"\nbound = \"0.2 x\"\n").find("only lengths"), std::string::npos);
  EXPECT_NE(one("metric = \"skewness\"\nbound = 0.8\naccepted_to = 0.9\n").find("reason"), std::string::npos);
  EXPECT_NE(one("metric = \"skewness\"\nbound = nan\n").find("no number"), std::string::npos);
  EXPECT_NE(one("metric = \n").find("a.limits"), std::string::npos);
  EXPECT_NE(why("\xff\xfe").find("UTF-8"), std::string::npos);
  EXPECT_FALSE(limitsByName("no such set"));
  EXPECT_FALSE(loadLimits("/no/such/file.limits"));
}

TEST(LimitFiles, LimitsAtAGroupFollowAMeshThatChanges) {
  TempFolder folder;
  const Rule top = rule("group", {{"name", "top"}, {"of", "faces"}, {"outermost", "0, 0, 1"}});
  const RunResult run = runWith(briefWith("2 mm", {top}), made("box 12 8 6"));
  ASSERT_FALSE(handOver(run, rule("hand_over", {{"path", folder / "box.vtu"}})));
  LimitSet set = *limitSet("general");
  set.name = "house";
  set.limits.push_back({Metric::MinDihedral, true, 25, "", "top"});
  ASSERT_FALSE(saveLimits(set, folder / "house.limits"));
  const std::string report = folder / "r.json";
  const std::string command = std::string(TESSEL) + " improve " + (folder / "box.vtu") + " --limits " +
                              (folder / "house.limits") + " --out " + (folder / "better.vtu") + " --report " + report +
                              " > /dev/null 2>&1";
  EXPECT_LE(std::system(command.c_str()) >> 8, 1);
  const auto j = nlohmann::json::parse(*readFile(report));
  bool there = false;
  for (const auto& l : j["verdict"]["limits"]) there = there || l["at"] == "top";
  EXPECT_TRUE(there) << j["verdict"].dump(1);
}

TEST(Limits, anAcceptanceWithoutALimitIsTold) {
  auto idle = [](std::vector<Rule> rules) {
    int n = 0;
    for (const auto& p : validateBrief(briefWith("5 mm", std::move(rules)), "mm")) n += p.code == "accept.idle";
    return n;
  };
  const Rule accept = rule("accept", {{"metric", "taper"}, {"bound", "0.5"}, {"reason", "far from the load"}});
  EXPECT_EQ(idle({accept}), 1);
  EXPECT_EQ(idle({accept, rule("limit", {{"metric", "taper"}, {"bound", "0.3"}})}), 0);
  Rule off = accept;
  off.off = true;
  EXPECT_EQ(idle({off}), 0);
  EXPECT_EQ(idle({rule("accept", {{"metric", "min dihedral angle"}, {"bound", "3"}, {"reason", "thin"}})}), 0);
}
