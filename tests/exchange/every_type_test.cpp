// SPDX-License-Identifier: GPL-3.0-or-later
// Bars of every element type, order and mixture through every format that holds them.
#include "audit/audit.h"
#include "support/boxes.h"
#include "support/fixtures.h"

using namespace tess;
using namespace tess::test;

namespace {

std::map<std::string, std::size_t> typesOf(const Mesh& m) {
  std::map<std::string, std::size_t> r;
  for (auto t : m.cells.type) ++r[std::string(topology(t).name)];
  return r;
}

double areaOf(const Mesh& m, const std::string& name) {
  double a = 0;
  for (const auto& g : m.groups)
    if (g.name == name && g.dim == 2)
      for (auto f : g.items) a += faceArea(m, static_cast<std::size_t>(f));
  return a;
}

struct Case {
  Filling filling;
  int order;
};
std::vector<Case> cases() {
  std::vector<Case> r;
  for (auto f : fillings())
    for (int order : {1, 2})
      if (order == 1 || hasOrder2(f)) r.push_back({f, order});
  return r;
}
std::string nameOf(const Case& c) { return fillingName(c.filling) + " of order " + std::to_string(c.order); }

} // namespace

TEST(EveryType, barsAreSoundAndHaveTheirVolume) {
  for (const auto& c : cases()) {
    SCOPED_TRACE(nameOf(c));
    const Mesh m = bar(c.filling, c.order);
    const Audit a = auditMesh(m, *limitSet("general"));
    EXPECT_TRUE(a.soundness.sound()) << a.sentence;
    EXPECT_NEAR(a.volume, 16, 1e-12);
    EXPECT_NEAR(areaOf(m, "left"), 4, 1e-12);
    EXPECT_NEAR(areaOf(m, "right"), 4, 1e-12);
    EXPECT_NEAR(areaOf(m, "sides"), 32, 1e-12);
    EXPECT_EQ(ordersOf(m).highest(), c.order);
    EXPECT_FALSE(ordersOf(m).mixed());
  }
}

TEST(EveryType, comesBackFromEveryFormatThatHoldsIt) {
  TempFolder dir;
  for (const auto& c : cases())
    for (const auto& format : meshFormats()) {
      if (format.surfaceOnly) continue;
      SCOPED_TRACE(nameOf(c) + " in " + format.title);
      const Mesh m = bar(c.filling, c.order);
      const std::string path = dir / (nameOf(c) + (format.extensions.empty() ? "" : format.extensions[0]));
      const double scale = conventionalScale(format.format, m.unit);
      const auto losses = lossesIn(format.format, m);
      const bool refused = std::any_of(losses.begin(), losses.end(), [](const Loss& l) { return l.refused; });
      const auto problem = writeMesh(m, format.format, path, scale);
      ASSERT_EQ(problem.has_value(), refused) << (problem ? problem->sentence() : "");
      if (refused) {
        EXPECT_EQ(problem->fault, Fault::Output);
        EXPECT_FALSE(std::filesystem::exists(path));
        continue;
      }
      const auto verified = verifyWritten(m, format.format, path, scale);
      EXPECT_FALSE(verified) << verified->sentence();
      auto back = readMesh(path);
      ASSERT_TRUE(back.ok()) << back.problem().sentence();
      Mesh expected = m;
      if (format.linearOnly && c.order == 2) changeOrder(expected, 1);
      EXPECT_EQ(typesOf(*back), typesOf(expected));
      EXPECT_EQ(back->nodes.size(), expected.nodes.size());
      EXPECT_EQ(back->unit, scale == 1 ? "mm" : "m");
      EXPECT_FALSE(back->unitAssumed && format.format != MeshFormat::Foam);
      const Audit a = auditMesh(*back, *limitSet("general"));
      EXPECT_TRUE(a.soundness.sound()) << a.sentence;
      EXPECT_NEAR(a.volume, 16 * scale * scale * scale, 1e-10 * scale * scale * scale);
      EXPECT_NEAR(areaOf(*back, "left"), 4 * scale * scale, 1e-10 * scale * scale);
      EXPECT_NEAR(areaOf(*back, "sides"), 32 * scale * scale, 1e-9 * scale * scale);
    }
}
