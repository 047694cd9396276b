// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/audit.h"
#include "mesh/separate.h"
#include "support/fixtures.h"
#include <set>

using namespace tess;
using namespace tess::test;

namespace {

/// Marks the interface between two regions, or all interfaces for -1.
std::vector<char> between(const Mesh& m, int a, int b) {
  std::vector<char> marked(m.faces.size(), 0);
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    auto r = m.faceRegions[f];
    if (r[0] < 0 || r[1] < 0) continue;
    marked[f] = a < 0 || std::minmax(r[0], r[1]) == std::minmax(a, b);
  }
  return marked;
}
std::set<std::int32_t> nodesOf(const Mesh& m, int region) {
  std::set<std::int32_t> r;
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    if (m.cellRegion[c] == region)
      for (auto n : m.cells.of(c)) r.insert(n);
  return r;
}
std::size_t common(const Mesh& m, int a, int b) {
  auto x = nodesOf(m, a), y = nodesOf(m, b);
  std::size_t n = 0;
  for (auto v : x) n += y.count(v);
  return n;
}

} // namespace

TEST(Separate, bothSidesHaveTheirOwnNodesAtTheSamePlaces) {
  for (int order : {1, 2}) {
    Mesh m = meshOf(made("boxes 2"), 0.3, order).mesh;
    const double volume = meshVolume(m);
    const std::size_t shared = common(m, 0, 1), nodes = m.nodes.size(), faces = m.faces.size();
    ASSERT_GT(shared, 8u);
    auto marked = between(m, 0, 1);
    std::size_t cut = 0;
    for (char c : marked) cut += c;
    EXPECT_EQ(cutOpen(m, marked), shared) << "order " << order;
    EXPECT_EQ(common(m, 0, 1), 0u);
    EXPECT_EQ(m.nodes.size(), nodes + shared);
    EXPECT_EQ(m.nodeLink.size(), m.nodes.size());
    EXPECT_EQ(m.faces.size(), faces + cut);
    EXPECT_DOUBLE_EQ(meshVolume(m), volume);
    for (const auto& t : m.twins)
      EXPECT_EQ(m.nodes[static_cast<std::size_t>(t[0])], m.nodes[static_cast<std::size_t>(t[1])]);
    // Every face is the boundary of one region now, lies in a cell of it, and has the same area as its partner.
    auto in = facesInCells(m);
    for (std::size_t f = 0; f < m.faces.size(); ++f) {
      EXPECT_EQ(m.faceRegions[f][1], -1);
      ASSERT_GE(in[f][0], 0);
      EXPECT_EQ(m.cellRegion[static_cast<std::size_t>(in[f][0])], m.faceRegions[f][0]);
    }
    auto audit = auditMesh(m, *limitSet("general"), nullptr);
    EXPECT_TRUE(audit.soundness.sound()) << "order " << order;
  }
}

TEST(Separate, theRimStaysCommonWhereAThirdRegionHoldsIt) {
  // Three boxes in a row: cut between the first two only.
  Mesh m = meshOf(made("boxes 3"), 0.4).mesh;
  std::size_t second = common(m, 1, 2);
  cutOpen(m, between(m, 0, 1));
  EXPECT_EQ(common(m, 0, 1), 0u);
  EXPECT_EQ(common(m, 1, 2), second);
}

TEST(Separate, aCutThatEndsInsideARegionLeavesItsRimAlone) {
  Mesh m = meshOf(made("boxes 2"), 0.2).mesh;
  // Only the faces near the middle of the common square: a slit whose rim is inside.
  auto marked = between(m, 0, 1);
  std::set<std::int32_t> inside, rim;
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    if (!marked[f]) continue;
    for (auto n : m.faces.of(f)) {
      const Vec3& p = m.nodes[static_cast<std::size_t>(n)];
      if (std::abs(p.y() - 0.5) > 0.3 || std::abs(p.z() - 0.5) > 0.3) marked[f] = 0;
    }
  }
  for (std::size_t f = 0; f < m.faces.size(); ++f)
    if (m.faceRegions[f][1] >= 0)
      for (auto n : m.faces.of(f)) (marked[f] ? inside : rim).insert(n);
  std::size_t free = 0;
  for (auto n : inside) free += !rim.count(n);
  ASSERT_GT(free, 0u);
  EXPECT_EQ(cutOpen(m, marked), free);
}

TEST(Separate, nothingMarkedChangesNothing) {
  Mesh m = meshOf(made("boxes 2"), 0.5).mesh;
  auto nodes = m.nodes.size();
  EXPECT_EQ(cutOpen(m, std::vector<char>(m.faces.size(), 0)), 0u);
  EXPECT_EQ(m.nodes.size(), nodes);
}
