// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/proposals.h"
#include "job/rebind.h"
#include "support/fixtures.h"
#include <map>

using namespace tess;
using namespace tess::test;

namespace {
using State = Rebound::State;

Rule group(const std::string& name, std::map<std::string, std::string> values) {
  Rule r;
  r.kind = "group";
  r.values = std::move(values);
  r.values["name"] = name;
  return r;
}
std::map<std::string, Rebound> compared(const Brief& b, const Part& before, const Part& now) {
  std::vector<Problem> ignored;
  auto x = resolveGroups(b, before, ignored), y = resolveGroups(b, now, ignored);
  std::map<std::string, Rebound> r;
  for (auto& g : compareGroups(b, before, x, now, y)) r[g.name] = g;
  return r;
}
} // namespace

TEST(Rebind, theSamePartMeansTheSame) {
  auto part = loadPart(demo("camera-housing.step"));
  ASSERT_TRUE(part.ok());
  auto b = loadBrief(demo("camera-housing.brief"));
  ASSERT_TRUE(b.ok());
  for (const auto& [name, g] : compared(*b, *part, *part)) {
    EXPECT_EQ(g.state, State::Same) << name << " " << g.words;
    EXPECT_EQ(g.before, g.now);
  }
  std::vector<Problem> ignored;
  auto groups = resolveGroups(*b, *part, ignored);
  auto findings = reboundFindings(compareGroups(*b, *part, groups, *part, groups), *part);
  ASSERT_EQ(findings.size(), 1u);
  EXPECT_EQ(findings[0].code, "rebind.summary");
}

TEST(Rebind, aWiderHoleIsLostByRadiusAndFoundByKind) {
  Brief b;
  b.rules = {group("by radius", {{"surface", "cylinder"}, {"radius_min", "2.4 mm"}, {"radius_max", "2.6 mm"}}),
             group("by kind", {{"surface", "cylinder"}}), group("top", {{"outermost", "0, 0, 1"}})};
  auto r = compared(b, made("drilled 2.5"), made("drilled 3"));
  EXPECT_EQ(r["by radius"].state, State::Lost);
  EXPECT_EQ(r["by radius"].now, 0);
  EXPECT_EQ(r["by kind"].state, State::Changed); // more area
  EXPECT_EQ(r["by kind"].before, r["by kind"].now);
  EXPECT_EQ(r["top"].before, r["top"].now);
}

TEST(Rebind, aRemovedHoleIsChangedNotSilent) {
  Brief b;
  b.rules = {group("holes", {{"surface", "cylinder"}}), group("sides", {{"surface", "plane"}})};
  auto r = compared(b, made("drilled 2.5"), made("box 20 16 12"));
  EXPECT_EQ(r["holes"].state, State::Lost);
  EXPECT_EQ(r["sides"].state, State::Changed);
  EXPECT_FALSE(r["sides"].words.empty());
}

TEST(Rebind, outermostFacesFollowAPartThatGrows) {
  Brief b = defaultBrief("box.step");
  Part small = made("box 20 16 12"), large = made("box 29 16 12");
  for (auto& r : proposeGroups(b, small, {})) b.rules.push_back(r);
  auto r = compared(b, small, large);
  for (const char* side : {"left end", "right end"}) {
    EXPECT_EQ(r[side].now, 1) << side;
    EXPECT_EQ(r[side].state, State::Same) << side << " " << r[side].words;
  }
}

TEST(Rebind, aPointThatLostItsFaceIsInDoubt) {
  Part small = made("box 20 16 12"), large = made("box 29 16 12");
  Brief b;
  b.rules = {group("picked", {{"nearest", "20, 8, 6"}}), group("stays", {{"nearest", "0, 8, 6"}})};
  auto r = compared(b, small, large);
  EXPECT_EQ(r["picked"].state, State::InDoubt);
  EXPECT_EQ(r["stays"].state, State::Same);
  std::vector<Problem> ignored;
  auto findings = reboundFindings(
      compareGroups(b, small, resolveGroups(b, small, ignored), large, resolveGroups(b, large, ignored)), large);
  ASSERT_EQ(findings.size(), 2u);
  EXPECT_EQ(findings[1].code, "rebind.doubt");
  EXPECT_EQ(findings[1].severity, Severity::Warning);
  EXPECT_FALSE(findings[1].todo.empty());
}
