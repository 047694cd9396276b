// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/units.h"
#include "job/proposals.h"
#include "support/fixtures.h"
#include <map>
#include <set>

using namespace tess;
using namespace tess::test;

namespace {
std::map<std::string, std::vector<int>> proposed(const Part& part) {
  Brief b = defaultBrief("part.step");
  for (auto& r : proposeGroups(b, part, {})) b.rules.push_back(r);
  std::vector<Problem> problems;
  std::map<std::string, std::vector<int>> r;
  for (const auto& g : resolveGroups(b, part, problems)) r[g.name] = g.entities;
  EXPECT_TRUE(problems.empty()) << problems.front().what;
  return r;
}
} // namespace

TEST(Proposals, coverEveryOuterFaceExactlyOnce) {
  for (const char* name : {"saddle-clamp.step", "keel-bracket.step", "camera-housing.step"}) {
    auto part = loadPart(demo(name));
    ASSERT_TRUE(part.ok());
    std::vector<int> uses(part->faces.size(), 0);
    for (const auto& [group, faces] : proposed(*part)) {
      EXPECT_FALSE(faces.empty()) << name << ": " << group;
      for (int f : faces) ++uses[static_cast<std::size_t>(f)];
    }
    for (std::size_t f = 0; f < uses.size(); ++f) {
      bool outer = part->faces[f].bodies[0] < 0 || part->faces[f].bodies[1] < 0;
      EXPECT_EQ(uses[f], outer ? 1 : 0) << name << " face " << f + 1;
    }
  }
}

TEST(Purposes, aFlowIsAskedForThroughFluidBodiesAndAcrossGapsOfOthers) {
  auto narrow = [](const Brief& b) {
    std::string r;
    for (const auto& x : b.rules)
      if (x.kind == "through") r += x.get("count") + " " + x.get("what") + " on '" + x.get("on") + "';";
    return r;
  };
  auto with = [](const char* medium) {
    Brief b = defaultBrief("duct.step");
    b.rules.push_back({"group", {{"name", "duct"}, {"of", "bodies"}, {"medium", medium}}, "", false, {}});
    return b;
  };
  EXPECT_EQ(narrow(withPurpose(with("fluid"), "flow")), "8 walls on 'duct';");
  EXPECT_EQ(narrow(withPurpose(with("solid"), "flow")), "8 gaps on '';");
  EXPECT_EQ(narrow(withPurpose(with("fluid"), "strength")), "2 walls on '';");
  const Brief plain = defaultBrief("duct.step");
  EXPECT_EQ(flowSpaceOf(plain), FlowSpace::Unknown);
  EXPECT_EQ(narrow(withPurpose(plain, "flow", FlowSpace::Around)), "8 gaps on '';");
  const Brief inside = withPurpose(plain, "flow", FlowSpace::Inside);
  EXPECT_EQ(narrow(inside), "8 walls on 'fluid';");
  EXPECT_EQ(flowSpaceOf(inside), FlowSpace::Inside);
  EXPECT_EQ(withPurpose(inside, "flow").rules, inside.rules) << "said again it changes nothing";
  // It means the bodies themselves.
  const Part duct = made("tube 10 8 30");
  std::vector<Problem> problems;
  const auto request = sizeRequestOf(inside, duct, resolveGroups(inside, duct, problems), problems, nullptr);
  ASSERT_EQ(request.through.size(), 1u);
  EXPECT_EQ(std::count(request.through[0].faces.begin(), request.through[0].faces.end(), 1), duct.count(Dim::Face));
}

TEST(Proposals, holesAreToldFromBossesAndNamedByDiameter) {
  Part drilled = made("drilled 2.5");
  auto groups = proposed(drilled);
  int holes = 0;
  for (const auto& [name, faces] : groups) {
    if (name.rfind("hole", 0) != 0) continue;
    ++holes;
    for (int f : faces) {
      const auto& face = drilled.faces[static_cast<std::size_t>(f)];
      EXPECT_EQ(face.kind, SurfaceKind::Cylinder);
      EXPECT_NE(name.find(formatNumber(2 * face.radius, 4)), std::string::npos) << name;
    }
  }
  EXPECT_GT(holes, 0);
  for (const auto& [name, faces] : proposed(made("cylinder 3 8"))) EXPECT_NE(name.rfind("hole", 0), 0u) << name;
}

TEST(Proposals, theBoxHasItsSixSides) {
  auto groups = proposed(made("box 20 16 12"));
  EXPECT_EQ(groups.size(), 6u);
  for (const char* side : {"left end", "right end", "front", "back", "bottom", "top"})
    EXPECT_EQ(groups[side].size(), 1u) << side;
}

TEST(Proposals, leaveWhatIsGroupedAndDoNotRepeatNames) {
  Part box = made("box 20 16 12");
  Brief b = defaultBrief("box.step");
  Rule top = describeSelection(box, Dim::Face, {0}, "top");
  b.rules.push_back(top);
  std::vector<Problem> problems;
  auto groups = resolveGroups(b, box, problems);
  std::set<std::string> names{"top"};
  for (const auto& r : proposeGroups(b, box, groups)) {
    EXPECT_TRUE(names.insert(r.get("name")).second) << r.get("name");
    auto e = resolveAlone(r, box);
    EXPECT_EQ(std::count(e.begin(), e.end(), 0), 0) << r.get("name");
  }
}

TEST(Alike, eachWayFindsTheFaceAndItsLikes) {
  auto part = loadPart(demo("saddle-clamp.step"));
  ASSERT_TRUE(part.ok());
  for (int f = 0; f < part->count(Dim::Face); ++f)
    for (const auto& way : alikeTable()) {
      auto r = describeAlike(*part, f, way.how);
      if (!r) continue;
      auto e = resolveAlone(*r, *part);
      EXPECT_TRUE(std::binary_search(e.begin(), e.end(), f)) << way.id << " face " << f + 1;
      for (const auto& [key, value] : r->values)
        EXPECT_FALSE(checkSlot(*ruleKind("group")->slot(key), value, "mm")) << key << " = " << value;
      for (int o : e) {
        const auto &a = part->faces[static_cast<std::size_t>(f)], &b = part->faces[static_cast<std::size_t>(o)];
        if (way.how == Alike::SameRadius) {
          EXPECT_NEAR(a.radius, b.radius, 1e-3 * a.radius);
        }
        if (way.how == Alike::SameArea) {
          EXPECT_NEAR(a.area, b.area, 1e-3 * a.area);
        }
        if (way.how == Alike::SameKind) {
          EXPECT_EQ(a.kind, b.kind);
        }
        if (way.how == Alike::Coplanar) {
          EXPECT_NEAR((b.center - a.center).dot(a.axis.normalized()), 0, 1e-4 * part->diagonal());
        }
      }
    }
}

TEST(Alike, oppositeGoesThroughTheMaterial) {
  Part box = made("box 20 16 12");
  for (int f = 0; f < 6; ++f) {
    auto r = describeAlike(box, f, Alike::Opposite);
    ASSERT_TRUE(r.has_value());
    auto e = resolveAlone(*r, box);
    ASSERT_EQ(e.size(), 2u);
    EXPECT_NEAR(box.faces[static_cast<std::size_t>(e[0])].axis.dot(box.faces[static_cast<std::size_t>(e[1])].axis), -1,
                1e-9);
  }
}
