// SPDX-License-Identifier: GPL-3.0-or-later
// Cavities and the outside as bodies.
#include "geometry/cut_bodies.h"
#include "support/fixtures.h"

using namespace tess;
using namespace tess::test;

namespace {
Part withSpace(const std::string& recipe, SpaceWish w, std::vector<CapWish> caps = {}) {
  std::vector<Cut> cuts;
  for (auto& c : caps) {
    cuts.emplace_back();
    cuts.back().cap = c;
  }
  cuts.emplace_back();
  cuts.back().space = std::move(w);
  auto r = cutPart(std::make_shared<const Part>(made(recipe)), cuts);
  EXPECT_TRUE(r);
  return std::move(*r);
}
} // namespace

TEST(Spaces, areListedWithTheirOpenings) {
  auto tube = spacesOf(made("tube 20 8 30"));
  ASSERT_TRUE(tube);
  ASSERT_EQ(tube->size(), 2u);
  const FoundSpace& bore = tube->front();
  EXPECT_FALSE(bore.outside);
  EXPECT_NEAR(bore.volume, kPi * 64 * 30, 1e-3);
  ASSERT_EQ(bore.openings.size(), 2u);
  for (const auto& o : bore.openings) {
    EXPECT_NEAR(o.area, kPi * 64, 1e-3);
    EXPECT_NEAR(o.width, 16, 1e-3);
  }
  EXPECT_LT(std::hypot(bore.inside.x(), bore.inside.y()), 8);
  EXPECT_TRUE(tube->back().outside);
  auto closed = spacesOf(made("shell 20 2"));
  ASSERT_TRUE(closed);
  ASSERT_EQ(closed->size(), 2u);
  EXPECT_NEAR(closed->front().volume, 16 * 16 * 16, 1e-6);
  EXPECT_TRUE(closed->front().openings.empty());
  auto solid = spacesOf(made("box 1 2 3"));
  ASSERT_TRUE(solid);
  ASSERT_EQ(solid->size(), 1u);
  EXPECT_TRUE(solid->front().outside);
}

TEST(Spaces, fillATube) {
  SpaceWish w;
  w.name = "water";
  CapWish inlet;
  inlet.at = {Vec3(0, 0, 0)};
  inlet.name = "inlet";
  const Part part = withSpace("tube 20 8 30", w, {inlet});
  ASSERT_EQ(part.bodies.size(), 1u);
  EXPECT_EQ(part.bodies.front().name, "water");
  EXPECT_TRUE(part.bodies.front().space);
  EXPECT_NEAR(part.bodies.front().volume, kPi * 64 * 30, 1e-3);
  ASSERT_EQ(part.faces.size(), 3u);
  int caps = 0, walls = 0;
  for (const auto& f : part.faces) {
    caps += f.from < 0 && f.cut >= 0;
    walls += f.from >= 0;
    if (f.name == "inlet") {
      EXPECT_NEAR(f.center.z(), 0, 1e-9);
    }
  }
  EXPECT_EQ(caps, 2);
  EXPECT_EQ(walls, 1);
  EXPECT_EQ(std::count_if(part.faces.begin(), part.faces.end(), [](const auto& f) { return f.name == "inlet"; }), 1);
}

TEST(Spaces, keepTheBodiesAsRegions) {
  SpaceWish w;
  w.keepSolids = true;
  const Part part = withSpace("shell 20 2", w);
  ASSERT_EQ(part.bodies.size(), 2u);
  EXPECT_NEAR(part.bodies[0].volume + part.bodies[1].volume, 8000, 1e-6);
  int shared = 0;
  for (const auto& f : part.faces) shared += f.bodies[0] >= 0 && f.bodies[1] >= 0;
  EXPECT_EQ(shared, 6);
}

TEST(Spaces, takeWhatLiesAround) {
  SpaceWish w;
  w.around = true;
  w.ahead = 10;
  w.behind = 20;
  w.beside = 5;
  const Part box = withSpace("box 6 4 3", w);
  ASSERT_EQ(box.bodies.size(), 1u);
  EXPECT_NEAR(box.bodies.front().volume, 36 * 14 * 13 - 72, 1e-6);
  EXPECT_EQ(box.faces.size(), 12u);
  EXPECT_NEAR(box.extent.lo.x(), -10, 1e-6);
  EXPECT_NEAR(box.extent.hi.x(), 26, 1e-6);
  for (const char* name : {"far -x", "far +x", "far -y", "far +y", "far -z", "far +z"})
    EXPECT_EQ(std::count_if(box.faces.begin(), box.faces.end(), [&](const auto& f) { return f.name == name; }), 1)
        << name;
  w.flush[2] = true; // -y
  const Part half = withSpace("box 6 4 3", w);
  EXPECT_NEAR(half.bodies.front().volume, 36 * 9 * 13 - 72, 1e-6);
  w.flush[2] = false;
  w.hull = SpaceWish::Hull::Sphere;
  const double radius = 0.5 * std::sqrt(36.0 + 16 + 9) + 5;
  EXPECT_NEAR(withSpace("box 6 4 3", w).bodies.front().volume, 4 * kPi / 3 * std::pow(radius, 3) - 72, 1e-3);
  w.hull = SpaceWish::Hull::Cylinder;
  EXPECT_NEAR(withSpace("box 6 4 3", w).bodies.front().volume, kPi * std::pow(2.5 + 5, 2) * 36 - 72, 1e-3);
}

TEST(Spaces, areFlatWhereTheyEndWithTheBodies) {
  SpaceWish w;
  w.around = true;
  w.ahead = w.behind = w.beside = 10;
  w.flush[0] = w.flush[2] = true;              // -x and -y, as planes of symmetry
  auto hull = loadPart(demo("hull-tow.step")); // its box as the kernel has it is a little larger than it
  ASSERT_TRUE(hull);
  std::vector<Cut> cuts(1);
  cuts.front().space = w;
  auto made = cutPart(std::make_shared<const Part>(std::move(*hull)), cuts);
  ASSERT_TRUE(made);
  const Part& part = *made;
  int on = 0;
  for (const auto& p : part.points)
    if (std::abs(p.at.y()) < 1e-5) {
      ++on;
      EXPECT_NEAR(p.at.y(), 0, 1e-12);
    }
  EXPECT_GE(on, 8);
}

TEST(Spaces, sayWhereThereIsNone) {
  SpaceWish w;
  const Part part = withSpace("box 6 4 3", w);
  ASSERT_EQ(part.bodies.size(), 1u);
  EXPECT_FALSE(part.bodies.front().space);
  const auto p =
      std::find_if(part.problems.begin(), part.problems.end(), [](const Problem& x) { return x.code == "space.none"; });
  ASSERT_NE(p, part.problems.end());
  EXPECT_FALSE(p->todo.empty());
  w.at = {Vec3(0, 0, 5)};
  const Part missed = withSpace("tube 20 8 30", w); // a point in the bore
  EXPECT_TRUE(missed.bodies.front().space);
  w.at = {Vec3(14, 0, 5)}; // in the wall
  EXPECT_FALSE(withSpace("tube 20 8 30", w).bodies.front().space);
}
