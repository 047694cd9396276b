// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/say.h"
#include <gtest/gtest.h>

using namespace tess;

namespace {
const std::vector<std::string> kGroups{"feet", "Bolt Holes", "size on top"};

Said said(const std::string& line) {
  auto r = understand(line, kGroups, "mm");
  EXPECT_TRUE(r.ok()) << line << ": " << (r.ok() ? "" : r.problem().sentence());
  return r.ok() ? *r : Said();
}
} // namespace

TEST(Say, aRuleByItsNameAloneOrWithValueAndTarget) {
  EXPECT_EQ(said("size").kind, "size");
  EXPECT_TRUE(said("size").values.empty());
  const Said s = said("  Size 1.2 mm on bolt holes ");
  EXPECT_EQ(s.kind, "size");
  EXPECT_EQ(s.values, (std::map<std::string, std::string>{{"length", "1.2 mm"}, {"on", "Bolt Holes"}}));
  EXPECT_EQ(said("size D/8 on feet").values.at("length"), "D/8");
  EXPECT_EQ(said("divide 12 on feet").values.at("count"), "12");
  EXPECT_EQ(said("curve 15 on everywhere").values.at("on"), "everywhere");
  EXPECT_EQ(said("hand over").kind, "hand_over") << "names of two words, not 'hand'";
  EXPECT_EQ(said("keep surface accepted.vtp").values.at("path"), "accepted.vtp");
  EXPECT_EQ(said("everywhere 4 mm").values.at("target"), "4 mm");
  EXPECT_EQ(said("judge strength").values.at("purpose"), "strength");
  EXPECT_EQ(said("fill 2").values.at("order"), "2");
}

TEST(Say, lengthsAndCountsNeedNoName) {
  EXPECT_EQ(said("0.4 x on feet").kind, "size");
  EXPECT_EQ(said("1/8 in on feet").values.at("length"), "1/8 in");
  const Said t = said("3 through gaps on feet");
  EXPECT_EQ(t.kind, "through");
  EXPECT_EQ(t.values, (std::map<std::string, std::string>{{"count", "3"}, {"what", "gaps"}, {"on", "feet"}}));
  EXPECT_EQ(said("through 2 through walls").values.at("count"), "2");
  EXPECT_EQ(said("through 4").values.at("count"), "4");
}

TEST(Say, allHexahedraIsAWish) {
  for (const char* line : {"all hexahedra please", "All hexahedra", "hexahedra"}) {
    EXPECT_EQ(said(line).kind, "fill");
    EXPECT_EQ(said(line).values, (std::map<std::string, std::string>{{"with", "best"}, {"across", "quads"}}));
  }
  EXPECT_EQ(said("tetrahedra").values.at("with"), "tetrahedra");
}

TEST(Say, whatIsNotUnderstoodSaysWhatStandsInTheWay) {
  auto problem = [](const std::string& line) {
    auto r = understand(line, kGroups, "mm");
    EXPECT_FALSE(r.ok()) << line;
    return r.ok() ? std::string() : r.problem().what;
  };
  EXPECT_NE(problem("size 2 mm on wheels").find("wheels"), std::string::npos);
  EXPECT_NE(problem("make it nice").find("make it nice"), std::string::npos);
  EXPECT_NE(problem("size -3 mm on feet").find("-3 mm"), std::string::npos);
  EXPECT_NE(problem("divide 1.5 on feet").find("1.5"), std::string::npos);
  EXPECT_NE(problem("0 through walls").find("0 through walls"), std::string::npos);
  EXPECT_NE(problem("take mesh now").find("takes no value"), std::string::npos);
  EXPECT_NE(problem("everywhere 4 mm on feet").find("whole part"), std::string::npos);
  problem("");
}
