// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/bvh.h"
#include "base/file.h"
#include "base/units.h"
#include "support/fixtures.h"
#include <random>

using namespace tess;

TEST(Units, lengthsCarryUnitsAndArithmetic) {
  EXPECT_DOUBLE_EQ(*parseLength("2 mm", "mm"), 2);
  EXPECT_DOUBLE_EQ(*parseLength("2", "in"), 2);
  EXPECT_NEAR(*parseLength("0.05 in", "mm"), 1.27, 1e-12);
  EXPECT_NEAR(*parseLength("1/8 in", "mm"), 3.175, 1e-12);
  EXPECT_NEAR(*parseLength("2 * (3 mm + 1 cm)", "mm"), 26, 1e-12);
  EXPECT_NEAR(*parseLength("5mm", "m"), 0.005, 1e-15);
  EXPECT_NEAR(*parseLength("40 mm / 8", "mm"), 5, 1e-12);
  EXPECT_NEAR(*parseLength("3 mm * (6 mm / 2 mm)", "mm"), 9, 1e-12);
}

TEST(Units, aCommaIsTakenForAPointWhereItCanMeanNothingElse) {
  EXPECT_DOUBLE_EQ(*parseLength("0,8 mm", "mm"), 0.8);
  EXPECT_DOUBLE_EQ(*parseLength("0,125", "mm"), 0.125);
  EXPECT_DOUBLE_EQ(*parseLength("2 * (1,25 mm + 1 mm)", "mm"), 4.5);
  EXPECT_DOUBLE_EQ(*parseNumber("12,5"), 12.5);
  for (const char* text : {"1,500 mm", "1,500,000", "1.500,5", "1,5,2"}) {
    auto r = parseLength(text, "mm");
    ASSERT_FALSE(r) << text;
    EXPECT_NE(r.problem().why.find("point"), std::string::npos) << text << ": " << r.problem().why;
  }
  EXPECT_FALSE(parseLength("1, 5", "mm"));
  EXPECT_FALSE(parseLength(",5", "mm"));
}

TEST(Units, scaledNumbersAreInAnotherUnit) {
  EXPECT_EQ(unitScaled("mm", 0.001), "m");
  EXPECT_EQ(unitScaled("in", 25.4), "mm");
  EXPECT_EQ(unitScaled("mm", 1), "mm");
  EXPECT_EQ(unitScaled("mm", 0.7), "");
  EXPECT_EQ(unitScaled("furlong", 1), "");
}

TEST(Units, nonsenseIsAProblemNotAZero) {
  for (const char* t : {"", "abc", "2 parsec", "2 mm mm", "1/0", "2 mm * 3 mm", "((((", "nan", "1e999"})
    EXPECT_FALSE(parseLength(t, "mm").ok()) << t;
}

TEST(Bvh, minimumAgreesWithBruteForce) {
  std::mt19937 rng(3);
  std::uniform_real_distribution<double> u(0, 1);
  std::vector<Vec3> p;
  std::vector<Box> boxes;
  for (int i = 0; i < 500; ++i) {
    p.emplace_back(u(rng), u(rng), u(rng));
    Box b;
    b.add(p.back());
    boxes.push_back(b);
  }
  Bvh tree(boxes);
  for (int k = 0; k < 100; ++k) {
    Vec3 q(u(rng), u(rng), u(rng));
    double best = 1e300, brute = 1e300;
    tree.minimum(
        best, [&](const Box& b, int) { return b.distance2(q); },
        [&](int i) { return (p[static_cast<std::size_t>(i)] - q).squaredNorm(); });
    for (const auto& x : p) brute = std::min(brute, (x - q).squaredNorm());
    EXPECT_EQ(best, brute);
  }
}

TEST(Files, writingToAFullOrMissingPlaceKeepsTheOldFile) {
  test::TempFolder dir;
  std::string path = dir.write("a.txt", "old");
  EXPECT_TRUE(writeFileAtomic(dir / "missing/folder/a.txt", "x").has_value());
  auto full = writeFileAtomic("/dev/full/x", "x");
  EXPECT_TRUE(full.has_value());
  EXPECT_FALSE(full->todo.empty());
  EXPECT_EQ(*readFile(path), "old");
  EXPECT_FALSE(writeFileAtomic(path, "new").has_value());
  EXPECT_EQ(*readFile(path), "new");
}

TEST(Percent, allOfItIsAHundredAndNothingElseIs) {
  EXPECT_EQ(percentText(1), "100 %");
  EXPECT_EQ(percentText(0.99999), "99.99 %");
  EXPECT_EQ(percentText(0.9968), "99.68 %");
  EXPECT_EQ(percentText(0.871), "87 %");
  EXPECT_EQ(percentText(0.000093), "0.0093 %");
  EXPECT_EQ(percentText(1e-7), "under 0.001 %");
  EXPECT_EQ(percentText(0), "0 %");
}
