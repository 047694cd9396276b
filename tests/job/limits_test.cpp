// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/limits.h"
#include "job/run_store.h"
#include "support/briefs.h"

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
