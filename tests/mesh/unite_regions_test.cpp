// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/soundness.h"
#include "exchange/exchange.h"
#include "mesh/unite_regions.h"
#include "support/briefs.h"
#include "support/fixtures.h"
#include "support/touching.h"

using namespace tess;
using namespace tess::test;

namespace {
/// Three boxes in a row, the first two called alike; `between`: with a group of the face between those.
RunResult twoCalledAlike(bool between, std::vector<Rule> more = {}) {
  const Part part =
      boxGrid({{{0, 2, 4, 6}, {0, 2}, {0, 2}}}, {"one", "two", "three"}, [](int i, int, int) { return i; });
  std::vector<Rule> rules{rule("rename", {{"what", "one"}, {"name", "hull"}}),
                          rule("rename", {{"what", "two"}, {"name", "hull"}})};
  if (between)
    rules.push_back(rule("group", {{"name", "sheet"},
                                   {"of", "faces"},
                                   {"box_min", "(1.9, 0, 0)"},
                                   {"box_max", "(2.1, 2, 2)"},
                                   {"between", "only"}}));
  rules.insert(rules.end(), more.begin(), more.end());
  return runWith(briefWith("1 mm", rules), part);
}
} // namespace

TEST(UniteRegions, bodiesCalledAlikeAreOneRegionInFiles) {
  const RunResult run = twoCalledAlike(false);
  ASSERT_TRUE(hasNamesakes(run.mesh));
  TempFolder dir;
  for (const char* format : {"vtu", "inp", "foam", "cgns", "exodus"}) {
    const std::string path = dir / (std::string("mesh.") + format);
    const auto problem = handOver(run, rule("hand_over", {{"path", path}, {"format", format}}));
    ASSERT_FALSE(problem) << format << ": " << problem->sentence();
    auto back = readMesh(path);
    ASSERT_TRUE(back.ok()) << format << ": " << back.problem().sentence();
    EXPECT_EQ(back->regions.size(), 2u) << format;
    EXPECT_EQ(std::count(back->regions.begin(), back->regions.end(), "hull"), 1) << format;
    EXPECT_NEAR(meshVolume(*back) / (back->unit == "m" ? 1e-9 : 1), 24, 1e-6) << format;
    EXPECT_TRUE(checkSoundness(*back).sound()) << format;
  }
}

TEST(UniteRegions, facesBetweenThemStayWhereAGroupNamesThem) {
  for (bool between : {false, true}) {
    Mesh m = twoCalledAlike(between).mesh;
    const std::size_t faces = m.faces.size();
    EXPECT_TRUE(uniteNamesakes(m).empty());
    EXPECT_EQ(m.regions, (std::vector<std::string>{"hull", "three"}));
    std::size_t inner = 0;
    for (const auto& r : m.faceRegions) inner += r[0] == r[1];
    EXPECT_EQ(inner > 0, between);
    EXPECT_EQ(m.faces.size() == faces, between);
    for (const auto& g : m.groups)
      for (auto f : g.items) EXPECT_LT(static_cast<std::size_t>(f), m.faces.size());
    EXPECT_TRUE(checkSoundness(m).sound());
  }
}

TEST(UniteRegions, differentMaterialsStayApartAndAreSaid) {
  Mesh m = twoCalledAlike(false).mesh;
  m.materials = {"steel", "bronze", ""};
  EXPECT_EQ(uniteNamesakes(m), std::vector<std::string>{"hull"});
  EXPECT_EQ(m.regions.size(), 3u);
  m.materials = {"", "bronze"};
  EXPECT_TRUE(uniteNamesakes(m).empty());
  EXPECT_EQ(m.materials, (std::vector<std::string>{"bronze", ""}));
}
