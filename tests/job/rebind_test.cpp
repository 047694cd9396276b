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

namespace {

/// A plate with three holes and groups of every manner of description.
Brief plateBrief() {
  Brief b;
  b.rules = {group("by kind", {{"surface", "cylinder"}}),
             group("by radius", {{"surface", "cylinder"}, {"radius_min", "3.9 mm"}, {"radius_max", "4.1 mm"}}),
             group("first hole", {{"nearest", "(8, 20, 3)"}}),
             group("second hole", {{"nearest", "(21, 20, 3)"}}),
             group("top", {{"surface", "plane"}, {"normal", "0, 0, 1"}}),
             group("left end", {{"outermost", "-1, 0, 0"}}),
             group("picked end", {{"nearest", "(0, 5, 3)"}, {"of", "faces"}}),
             group("in a box", {{"surface", "cylinder"}, {"box_min", "20, 0, -1"}, {"box_max", "30, 40, 7"}})};
  return b;
}

} // namespace

TEST(Rebind, variantsOfAPlateGiveTheTableExpected) {
  struct Row {
    const char *variant, *recipe;
    std::map<std::string, State> states; ///< of groups that are not the same
  };
  using enum State;
  const Row rows[] = {
      {"faces in another order, names stripped", "plate 0 3 0 0 1", {}},
      {"a hole moved by 3 mm", "plate 0 3 3", {{"first hole", InDoubt}}},
      {"a hole more", "plate 0 4 0", {{"by kind", Changed}, {"by radius", Changed}, {"top", Changed}}},
      {"a hole less", "plate 0 2 0", {{"by kind", Changed}, {"by radius", Changed}, {"top", Changed}}},
      {"a face split", "plate 0 3 0 1", {{"top", Changed}}},
      {"the part moved by 5 mm",
       "plate 5 3 0",
       {{"first hole", InDoubt}, {"second hole", InDoubt}, {"picked end", InDoubt}, {"in a box", Lost}}},
  };
  Part before = made("plate 0 3 0");
  Brief b = plateBrief();
  for (const Row& row : rows) {
    Part now = made(row.recipe);
    for (const auto& [name, g] : compared(b, before, now)) {
      auto it = row.states.find(name);
      State expected = it == row.states.end() ? Same : it->second;
      // Holes end at the split face: other areas of what is cut are no matter here.
      if (std::string(row.variant) == "a face split" && it == row.states.end()) {
        EXPECT_NE(g.state, Lost) << row.variant << ": " << name;
        continue;
      }
      EXPECT_EQ(static_cast<int>(g.state), static_cast<int>(expected)) << row.variant << ": " << name << " " << g.words;
    }
  }
}

TEST(Rebind, whatMovedAlongIsDescribedAnewInOneStep) {
  Part before = made("plate 0 3 0"), now = made("plate 5 3 0");
  Brief b = plateBrief();
  std::vector<Problem> ignored;
  auto was = resolveGroups(b, before, ignored), is = resolveGroups(b, now, ignored);
  int repaired = 0;
  for (const auto& g : compareGroups(b, before, was, now, is)) {
    if (g.state == State::Same) {
      EXPECT_FALSE(g.repair) << g.name;
      continue;
    }
    ASSERT_TRUE(g.repair) << g.name;
    ++repaired;
    for (auto& r : b.rules)
      if (r.get("name") == g.name) r.values = g.repair->values;
  }
  EXPECT_EQ(repaired, 4);
  // Each group now means the counterpart of what it meant.
  auto after = resolveGroups(b, now, ignored);
  for (std::size_t i = 0; i < was.size(); ++i) {
    ASSERT_EQ(after[i].entities.size(), was[i].entities.size()) << was[i].name;
    EXPECT_EQ(after[i].entities, counterparts(before, was[i].entities, now)) << was[i].name;
  }
  for (const auto& p : reboundFindings(compareGroups(b, before, was, now, is), now)) {
    if (p.code == "rebind.doubt") {
      EXPECT_FALSE(p.fix.empty());
    }
  }
  // A hole that is gone has no counterpart.
  EXPECT_TRUE(counterparts(before, was[2].entities, made("box 60 40 6")).empty());
}
