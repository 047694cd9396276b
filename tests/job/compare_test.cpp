// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/compare.h"
#include "support/fixtures.h"

using namespace tess;
using namespace tess::test;

namespace {
Rule rule(const std::string& kind, std::map<std::string, std::string> values) {
  Rule r;
  r.kind = kind;
  r.values = std::move(values);
  return r;
}
} // namespace

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

TEST(Compare, marksTheBetterRun) {
  auto good = runOf(demo("keel-bracket.brief"));
  auto bad = good;
  auto& angle = bad.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)];
  angle.min = 1;
  bad.audit.pass = false;
  bad.audit.failingCells = 7;
  bool verdict = false, worst = false;
  for (const auto& r : compareRuns(bad, good)) {
    if (r.what == "verdict") verdict = r.better == 2;
    if (r.what.find("dihedral") != std::string::npos && r.what.find("worst") != std::string::npos)
      worst = r.better == 2;
    if (r.what == "elements") {
      EXPECT_EQ(r.better, 0);
    }
  }
  EXPECT_TRUE(verdict);
  EXPECT_TRUE(worst);
  for (const auto& r : compareRuns(good, good)) EXPECT_EQ(r.better, 0) << r.what;
}
