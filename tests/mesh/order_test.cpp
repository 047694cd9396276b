// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/exchange.h"
#include "mesh/order.h"
#include "support/boxes.h"
#include "support/fixtures.h"

using namespace tess;
using namespace tess::test;

TEST(Order, UpAndDownGivesTheSameMesh) {
  Mesh m = meshOf(made("box 4 3 2"), 1).mesh;
  Mesh q = m;
  ASSERT_FALSE(changeOrder(q, 2).has_value());
  EXPECT_EQ(q.cells.size(), m.cells.size());
  for (auto t : q.cells.type) EXPECT_EQ(t, ElementType::Tet10);
  for (auto t : q.faces.type) EXPECT_EQ(t, ElementType::Tri6);
  EXPECT_NEAR(meshVolume(q), 24, 1e-9);
  // Euler: one mid node per edge, V - E + F - C = 1 with F the triangles of all tetrahedra.
  std::size_t triangles = (4 * m.cells.size() + m.faces.size()) / 2;
  EXPECT_EQ(q.nodes.size() - m.nodes.size(), m.nodes.size() + triangles - m.cells.size() - 1);
  Audit a = auditMesh(q, *limitSet("general"));
  EXPECT_TRUE(a.soundness.sound());
  ASSERT_FALSE(changeOrder(q, 1).has_value());
  EXPECT_EQ(q.cells.nodes, m.cells.nodes);
  EXPECT_EQ(q.faces.nodes, m.faces.nodes);
  ASSERT_EQ(q.nodes.size(), m.nodes.size());
  for (std::size_t i = 0; i < m.nodes.size(); ++i) EXPECT_EQ(q.nodes[i], m.nodes[i]);
}

TEST(Order, ACurvedMeshKeepsItsNodesWhenNothingChanges) {
  Mesh m = meshOf(made("sphere 3"), 1.5, 2).mesh;
  Mesh q = m;
  ASSERT_FALSE(changeOrder(q, 2).has_value());
  EXPECT_EQ(q.cells.nodes, m.cells.nodes);
  EXPECT_DOUBLE_EQ(meshVolume(q), meshVolume(m));
}

TEST(Order, PartOfAMeshOnlyWhereNoNeighbourLacksAMidNode) {
  Mesh joined = meshOf(made("boxes 2"), 0.5).mesh; // two regions that share nodes
  std::vector<char> first(joined.cells.size());
  for (std::size_t c = 0; c < first.size(); ++c) first[c] = joined.cellRegion[c] == 0;
  Mesh before = joined;
  auto p = changeOrder(joined, 2, first);
  ASSERT_TRUE(p.has_value());
  EXPECT_NEAR(p->places.at(0).x(), 1, 0.5); // beside the interface
  EXPECT_EQ(joined.cells.nodes, before.cells.nodes);
  EXPECT_EQ(joined.nodes.size(), before.nodes.size());
  // Apart from each other the first can change alone.
  Mesh apart = meshOf(made("box 1 1 1"), 0.5).mesh;
  auto shift = static_cast<std::int32_t>(apart.nodes.size());
  std::size_t one = apart.cells.size();
  for (std::int32_t n = 0; n < shift; ++n)
    apart.nodes.push_back(apart.nodes[static_cast<std::size_t>(n)] + Vec3(5, 0, 0));
  for (std::size_t c = 0; c < one; ++c) {
    std::array<std::int32_t, 4> q;
    for (std::size_t k = 0; k < 4; ++k) q[k] = apart.cells.of(c)[k] + shift;
    apart.cells.add(ElementType::Tet4, q);
    apart.cellRegion.push_back(1);
  }
  apart.nodeLink.clear();
  apart.regions = {"a", "b"};
  rebuildFaces(apart);
  std::vector<char> only(apart.cells.size(), 0);
  std::fill(only.begin(), only.begin() + static_cast<std::ptrdiff_t>(one), 1);
  ASSERT_FALSE(changeOrder(apart, 2, only).has_value());
  for (std::size_t c = 0; c < apart.cells.size(); ++c)
    EXPECT_EQ(apart.cells.type[c], c < one ? ElementType::Tet10 : ElementType::Tet4);
  EXPECT_NEAR(meshVolume(apart), 2, 1e-9);
}

TEST(Order, PolyhedraAreRefusedAndTheMeshStays) {
  Mesh m = bar(Filling::Polyhedra);
  const auto before = m.cells;
  auto p = changeOrder(m, 2);
  ASSERT_TRUE(p.has_value());
  EXPECT_NE(p->what.find("polyhedron"), std::string::npos);
  EXPECT_EQ(p->places.size(), 1u);
  EXPECT_TRUE(m.cells == before);
}

TEST(Order, EveryOtherShapeGoesToOrder2AndBack) {
  for (auto f : fillings()) {
    if (!hasOrder2(f)) continue;
    SCOPED_TRACE(fillingName(f));
    const Mesh first = bar(f, 1);
    Mesh m = first;
    ASSERT_FALSE(changeOrder(m, 2));
    EXPECT_FALSE(ordersOf(m).linear);
    for (std::size_t c = 0; c < m.cells.size(); ++c) {
      const auto q = m.cells.of(c);
      m.cells.forEdges(c, [&](int a, int b, int mid) {
        const auto at = [&](int i) -> const Vec3& {
          return m.nodes[static_cast<std::size_t>(q[static_cast<std::size_t>(i)])];
        };
        EXPECT_LT((at(mid) - 0.5 * (at(a) + at(b))).norm(), 1e-12);
      });
    }
    for (std::size_t k = 0; k < m.faces.size(); ++k) EXPECT_EQ(topology(m.faces.type[k]).order, 2);
    ASSERT_FALSE(changeOrder(m, 1));
    EXPECT_TRUE(m.cells == first.cells);
    EXPECT_TRUE(m.faces == first.faces);
    EXPECT_EQ(m.nodes.size(), first.nodes.size());
  }
}

TEST(Order, APartOfARegionIsRefusedForEveryShape) {
  for (auto f : {Filling::Hexahedra, Filling::Wedges, Filling::Hybrid}) {
    Mesh m = bar(f);
    std::vector<char> only(m.cells.size(), 0);
    only[0] = 1;
    auto p = changeOrder(m, 2, only);
    ASSERT_TRUE(p.has_value()) << fillingName(f);
    EXPECT_NE(p->why.find("mid node"), std::string::npos);
    EXPECT_FALSE(ordersOf(m).quadratic);
  }
}
