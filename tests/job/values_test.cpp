// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/values.h"
#include "support/fixtures.h"

using namespace tess;
using namespace tess::test;

namespace {

Rule value(const std::string& name, const std::string& text) {
  return {"value", {{"name", name}, {"value", text}}, "", false, {}};
}
Brief withValues(std::vector<Rule> rules) {
  Brief b;
  b.partFile = "part.step";
  b.rules = std::move(rules);
  return b;
}
bool hasCode(const std::vector<Problem>& problems, const std::string& code) {
  for (const auto& p : problems)
    if (p.code == code) return true;
  return false;
}

} // namespace

TEST(Values, namesStandForLengthsNumbersAndAnglesWithArithmetic) {
  Brief b = withValues({value("wall", "0.1 in"),
                        value("fine", "wall / 2"),
                        value("n", "3"),
                        value("bend", "15 deg"),
                        {"everywhere", {{"target", "2 * fine + 1 mm"}, {"turn", "2 * bend"}}, "", false, {}},
                        {"through", {{"count", "n + 1"}}, "", false, {}}});
  EXPECT_TRUE(validateBrief(b, "mm").empty());
  Brief s = settled(b);
  EXPECT_NEAR(slotNumber(s.rules[4], "target", "mm"), 2.54 + 1, 1e-12);
  EXPECT_NEAR(slotNumber(s.rules[4], "turn", "mm"), 30, 1e-12);
  EXPECT_EQ(slotNumber(s.rules[5], "count", "mm"), 4);
  EXPECT_EQ(s.rules.size(), b.rules.size()); // rule numbers in reports stay true
}

TEST(Values, aBriefWithValuesIsWrittenAndReadUnchanged) {
  Brief b = withValues({value("n", "3"), {"through", {{"count", "2 * n"}}, "", false, {}}});
  auto again = parseBrief(briefText(b), "");
  ASSERT_TRUE(again);
  EXPECT_EQ(again->rules, b.rules);
}

TEST(Values, badNamesTextsAndCirclesAreReported) {
  EXPECT_TRUE(hasCode(validateBrief(withValues({value("mm", "3")}), "mm"), "value.name"));
  EXPECT_TRUE(hasCode(validateBrief(withValues({value("2nd", "3")}), "mm"), "value.name"));
  EXPECT_TRUE(hasCode(validateBrief(withValues({value("a", "3"), value("a", "4")}), "mm"), "value.twice"));
  EXPECT_TRUE(hasCode(validateBrief(withValues({value("a", "b + 1"), value("b", "2 * a")}), "mm"), "value.unreadable"));
  EXPECT_TRUE(hasCode(validateBrief(withValues({value("a", "soon")}), "mm"), "value.unreadable"));
  Brief unknown = withValues({{"everywhere", {{"target", "no_such * 2"}}, "", false, {}}});
  EXPECT_TRUE(hasCode(validateBrief(unknown, "mm"), "rule.value"));
  Brief negative = withValues({value("a", "-1 mm"), {"everywhere", {{"target", "a"}}, "", false, {}}});
  EXPECT_TRUE(hasCode(validateBrief(negative, "mm"), "rule.value"));
}

TEST(Values, aRunCanSetThem) {
  Brief b = withValues({value("hole", "3 mm")});
  EXPECT_FALSE(setValue(b, " hole = 2 mm"));
  EXPECT_EQ(b.rules[0].get("value"), "2 mm");
  auto p = setValue(b, "bolt=2 mm");
  ASSERT_TRUE(p);
  EXPECT_NE(p->why.find("hole"), std::string::npos);
  EXPECT_TRUE(setValue(b, "hole"));
}

TEST(Values, sharesOfTheDiagonalAndOfTheBox) {
  Part part = made("box 20 40 8");
  Brief b = withValues({{"everywhere", {{"target", "5 %"}}, "", false, {}},
                        {"zone",
                         {{"shape", "box"}, {"from", "(0 %, 50 %, 0)"}, {"to", "(50%, 100 %, 1)"}, {"length", "0.5 x"}},
                         "",
                         false,
                         {}}});
  EXPECT_TRUE(validateBrief(b, "mm").empty());
  EXPECT_NEAR(overallTarget(b, part), 0.05 * part.diagonal(), 1e-9);
  std::vector<Problem> problems;
  auto request = sizeRequestOf(b, part, {}, problems);
  ASSERT_EQ(request.zones.size(), 1u);
  auto place = [&](double x, double y) {
    return Vec3(part.box.lo.x() + x * part.box.size().x(), part.box.lo.y() + y * part.box.size().y(), 0);
  };
  EXPECT_NEAR((request.zones[0].zone.a - place(0, 0.5)).norm(), 0, 1e-9);
  EXPECT_NEAR((request.zones[0].zone.b - place(0.5, 1) - Vec3(0, 0, 1)).norm(), 0, 1e-9);
}

TEST(Values, scalingSizesLeavesNamesThatAreNoSizes) {
  Part part = made("box 20 40 8");
  Brief b = withValues({value("h", "2 mm"),
                        value("reach", "5 mm"),
                        {"everywhere", {{"target", "h"}}, "", false, {}},
                        {"size", {{"on", "everywhere"}, {"length", "h / 2"}, {"within", "reach"}}, "", false, {}}});
  Brief finer = scaledSizes(b, part, 0.5);
  EXPECT_NEAR(overallTarget(finer, part), 1, 1e-12);
  EXPECT_NEAR(slotNumber(finer.rules[3], "length", "mm"), 0.5, 1e-12);
  EXPECT_EQ(finer.rules[3].get("within"), "reach");
  EXPECT_EQ(finer.rules[0], b.rules[0]);
}
