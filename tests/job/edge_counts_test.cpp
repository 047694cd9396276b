// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/edge_counts.h"
#include "job/preview.h"
#include "job/run.h"
#include "job/size_rules.h"
#include "support/briefs.h"
#include "support/fixtures.h"
#include "support/touching.h"

using namespace tess;
using namespace tess::test;

namespace {

struct Planned {
  Brief brief;
  std::vector<ResolvedGroup> groups;
  EdgeCounts counts;
};
Planned planned(const Part& part, std::vector<Rule> rules) {
  Planned r{briefWith("1 mm", std::move(rules)), {}, {}};
  std::vector<Problem> problems;
  r.groups = resolveGroups(r.brief, part, problems);
  Progress progress;
  r.counts = countsBeforeMeshing(r.brief, part, r.groups, briefSizeField(r.brief, part, r.groups, problems, nullptr),
                                 divisionsOf(r.brief, part, r.groups), progress);
  return r;
}
Rule mapped() { return rule("fill", {{"what", "everything"}, {"with", "mapped"}}); }

} // namespace

TEST(EdgeCounts, areThoseOfTheMesh) {
  const Part part = made("box 6 4 3");
  const Planned p = planned(part, {mapped()});
  ASSERT_EQ(p.counts.elements.size(), part.edges.size());
  const RunResult run = runWith(p.brief, part);
  std::vector<int> on(part.edges.size(), 1);
  for (const auto& l : run.mesh.nodeLink)
    if (l.dim == 1) ++on[static_cast<std::size_t>(l.entity)];
  EXPECT_EQ(p.counts.elements, on);
  // Three directions, four edges each.
  for (int e = 0; e < static_cast<int>(part.edges.size()); ++e) EXPECT_EQ(followersOf(p.counts, {e}).size(), 3u);
}

TEST(EdgeCounts, areNoneWithoutRows) {
  const Part part = made("box 6 4 3");
  EXPECT_TRUE(planned(part, {}).counts.empty());
  EXPECT_TRUE(planned(made("sphere 2"), {mapped()}).counts.empty()); // does not fit
  EXPECT_TRUE(followersOf({}, {0, 1}).empty());
}

TEST(EdgeCounts, knowTheSpacingThatPassesOn) {
  const Part part = made("box 6 4 3");
  const Rule uneven = rule("divide", {{"on", "one"}, {"count", "6"}, {"ratio", "4"}, {"finest", "start"}});
  const Planned p =
      planned(part, {mapped(), rule("group", {{"name", "one"}, {"of", "edges"}, {"nearest", "(3, 0, 0)"}}), uneven});
  ASSERT_FALSE(p.counts.empty());
  std::size_t spaced = 0;
  for (const auto& [edge, d] : p.counts.divisions) spaced += d.ratio > 1;
  EXPECT_EQ(spaced, 4u); // that edge and the three across
}

TEST(EdgeCounts, aDivisionShowsWhatFollows) {
  // Two bricks side by side: a division of one edge across passes on to those of both.
  const Part part = boxGrid({{{0, 4, 8}, {0, 3}, {0, 2}}}, {"left", "right"}, [](int i, int, int) { return i; });
  const int edge = [&] {
    for (std::size_t e = 0; e < part.edges.size(); ++e)
      if (std::abs(part.edges[e].length - 3) < 1e-9) return static_cast<int>(e);
    return -1;
  }();
  ASSERT_GE(edge, 0);
  const Vec3 middle = part.shape->edgePoint(
      edge, 0.5 * (part.edges[static_cast<std::size_t>(edge)].t0 + part.edges[static_cast<std::size_t>(edge)].t1));
  Rule group = rule("group", {{"name", "one"}, {"of", "edges"}, {"nearest", formatPoint(middle)}});
  const Rule divide = rule("divide", {{"on", "one"}, {"count", "7"}});
  const Planned p = planned(part, {mapped(), group, divide});
  ASSERT_FALSE(p.counts.empty());
  EXPECT_EQ(p.counts.elements[static_cast<std::size_t>(edge)], 7);
  const auto follow = followersOf(p.counts, {edge});
  EXPECT_EQ(follow.size(), 5u);
  for (int e : follow) EXPECT_EQ(p.counts.elements[static_cast<std::size_t>(e)], 7);
  std::vector<Problem> problems;
  const SizeField field = briefSizeField(p.brief, part, p.groups, problems, nullptr);
  Progress progress;
  const int at = static_cast<int>(p.brief.rules.size()) - 1;
  auto shown = previewRule(p.brief, at, part, p.groups, &field, progress);
  ASSERT_TRUE(shown.ok());
  EXPECT_EQ(shown->follows, follow);
  EXPECT_NE(shown->text.find("5 edges follow"), std::string::npos) << shown->text;
  EXPECT_GE(shown->marks.size(), 6u * 6u); // nodes inside of all six
}
