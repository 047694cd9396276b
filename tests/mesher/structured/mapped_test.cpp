// SPDX-License-Identifier: GPL-3.0-or-later
// Bodies of six sides filled with rows of hexahedra, alone and in chains; and those that do not fit.
#include "job/limit_file.h"
#include "mesher/structured/six_sides.h"
#include "support/filled.h"
#include "support/touching.h"

using namespace tess;
using namespace tess::test;

namespace {

MeshOutcome mapped(const Part& part, double size, int order = 1, Divisions divide = {}) {
  return filled(part, size, {Fill::Mapped}, order, 0, std::move(divide));
}

} // namespace

TEST(Mapped, aBrickBecomesRowsOfEqualBricks) {
  const Part part = made("box 4 3 2");
  const MeshOutcome out = mapped(part, 0.5);
  const Mesh& m = out.mesh;
  EXPECT_EQ(m.cells.size(), 8u * 6 * 4);
  EXPECT_EQ(countOf(m, ElementType::Hex8), m.cells.size());
  EXPECT_EQ(m.nodes.size(), 9u * 7 * 5);
  EXPECT_EQ(out.bodies[0].fill, Fill::Mapped);
  const Audit a = auditMesh(m, *limitsByName("general"));
  EXPECT_TRUE(a.pass) << a.sentence;
  EXPECT_NEAR(a.volume, 24, 1e-9);
  EXPECT_NEAR(a.metrics[static_cast<std::size_t>(Metric::ScaledJacobian)].min, 1, 1e-6);
  // Every boundary node knows the face, edge or point that it lies on.
  std::array<int, 4> links{};
  for (const auto& l : m.nodeLink) ++links[static_cast<std::size_t>(l.dim)];
  EXPECT_EQ(links[0], 8);
  EXPECT_EQ(links[1], 4 * (7 + 5 + 3));
  EXPECT_EQ(links[2], 2 * (7 * 5 + 7 * 3 + 5 * 3));
  for (std::size_t f = 0; f < m.faces.size(); ++f) EXPECT_EQ(m.faces.type[f], ElementType::Quad4);
}

TEST(Mapped, curvedSidesAreFollowed) {
  auto part = loadPart(demo("ballast-block.step"));
  ASSERT_TRUE(part.ok());
  for (int order : {1, 2}) {
    SizeRequest request;
    request.overall.target = 7;
    MeshWishes wishes = meshWishes(request);
    MeshOptions options;
    options.order = order;
    for (const auto& b : part->bodies)
      wishes.fills.push_back({b.name == "ballast" ? Fill::Mapped : Fill::Tetrahedra, true, -1});
    Progress progress;
    auto out = meshPart(*part, makeSizeField(*part, request), wishes, options, progress);
    ASSERT_TRUE(out.ok()) << out.problem().sentence();
    const Audit a = auditMesh(out->mesh, *limitsByName("general"));
    EXPECT_TRUE(a.soundness.sound()) << a.sentence;
    EXPECT_NEAR(a.volume, part->volume(), (order == 1 ? 5e-3 : 1e-4) * part->volume());
    EXPECT_GT(countOf(out->mesh, order == 1 ? ElementType::Hex8 : ElementType::Hex20), 0u);
    EXPECT_GT(countOf(out->mesh, order == 1 ? ElementType::Pyramid5 : ElementType::Pyramid13), 0u);
    for (std::size_t v = 0; v < out->mesh.nodes.size(); ++v) {
      const auto& l = out->mesh.nodeLink[v];
      const Vec3& p = out->mesh.nodes[v];
      if (l.dim == 2) {
        EXPECT_LT((part->shape->projectToFace(l.entity, p).point - p).norm(), 1e-6);
      }
      if (l.dim == 1) {
        EXPECT_LT((part->shape->projectToEdge(l.entity, p).point - p).norm(), 1e-6);
      }
    }
    // Who decided the faces of the block is known.
    int decided = 0;
    for (const auto& f : out->faces) decided += f.frozen();
    EXPECT_EQ(decided, 6);
  }
}

TEST(Mapped, countsRunOnThroughTouchingBodies) {
  // An exact division on one edge of a chain of three holds for all of them, and a free body takes it as it is.
  const Part part = boxGrid({{{0, 2, 4, 6}, {0, 2}, {0, 2}}}, {"a", "b", "c"}, [](int i, int, int) { return i; });
  std::vector<std::pair<int, EdgeDivision>> divide;
  for (std::size_t e = 0; e < part.edges.size(); ++e) {
    const Vec3& p = part.points[static_cast<std::size_t>(part.edges[e].points[0])].at;
    const Vec3& q = part.points[static_cast<std::size_t>(part.edges[e].points[1])].at;
    if (std::abs(p.x()) > 1e-9 || std::abs(q.x()) > 1e-9 || std::abs(p.z()) > 1e-9 || std::abs(q.z()) > 1e-9) continue;
    EdgeDivision d;
    d.divisions = 7;
    divide = {{static_cast<int>(e), d}};
  }
  ASSERT_EQ(divide.size(), 1u);
  const MeshOutcome out = mapped(part, 1, 1, divide);
  const auto onFarEdge = std::count_if(out.mesh.nodes.begin(), out.mesh.nodes.end(), [](const Vec3& p) {
    return std::abs(p.x() - 6) < 1e-9 && std::abs(p.z() - 2) < 1e-9;
  });
  EXPECT_EQ(onFarEdge, 8);
  EXPECT_EQ(countOf(out.mesh, ElementType::Hex8), out.mesh.cells.size());
  EXPECT_EQ(out.mesh.cells.size() % 7, 0u);
  EXPECT_TRUE(auditMesh(out.mesh, *limitsByName("general")).soundness.sound());
}

TEST(Mapped, whatDoesNotFitSaysWhyAndWhereAndGetsTetrahedra) {
  const std::vector<std::pair<std::string, std::string>> cases{
      {"cylinder 2 4", "3 faces"}, {"sphere 2", "1 face,"}, {"shell 6 1", "12 faces"}};
  for (const auto& [recipe, why] : cases) {
    const Part part = made(recipe);
    const Fit fit = fitSixSides(part, 0);
    EXPECT_FALSE(fit.fits) << recipe;
    EXPECT_NE(fit.why.find(why), std::string::npos) << recipe << ": " << fit.why;
    EXPECT_FALSE(fit.places.empty()) << recipe;
    const MeshOutcome out = mapped(part, 0.8);
    EXPECT_EQ(out.bodies[0].fill, Fill::Tetrahedra);
    EXPECT_EQ(countOf(out.mesh, ElementType::Tet4), out.mesh.cells.size());
    EXPECT_TRUE(std::any_of(out.problems.begin(), out.problems.end(), [](const Problem& p) {
      return p.code == "fill.unfit" && !p.why.empty();
    })) << recipe;
  }
}

TEST(Mapped, orderTwoLiesOnTheTrueGeometry) {
  const Part part = boxGrid({{{0, 4}, {0, 2}, {0, 2}}}, {"bent"}, [](int, int, int) { return 0; });
  const MeshOutcome out = mapped(part, 1, 2);
  EXPECT_EQ(countOf(out.mesh, ElementType::Hex20), out.mesh.cells.size());
  EXPECT_TRUE(auditMesh(out.mesh, *limitsByName("general")).pass);
}

TEST(Mapped, sidesMayConsistOfSeveralEdges) {
  // A small box touches a long one along half of one edge, which is two edges therefore.
  TouchingBodies b({"long", "small"});
  auto box = [&](int body, const std::array<int, 8>& p, const std::vector<std::array<int, 5>>& faces) {
    for (const auto& f : faces) {
      auto at = [&](int k) {
        return f[static_cast<std::size_t>(k)] < 8 ? p[static_cast<std::size_t>(f[static_cast<std::size_t>(k)])]
                                                  : f[static_cast<std::size_t>(k)] - 8;
      };
      std::vector<std::array<int, 3>> t{{at(0), at(1), at(2)}, {at(0), at(2), at(3)}};
      if (f[4] >= 0) t.push_back({at(0), at(3), at(4)});
      b.face(t, body, -1);
    }
  };
  std::array<int, 8> large{}, small{};
  for (int k = 0; k < 8; ++k) {
    const double x = (k + 1) / 2 % 2, y = k / 2 % 2, z = k / 4;
    large[static_cast<std::size_t>(k)] = b.point({4 * x, 2 * y, 2 * z});
  }
  const int middle = b.point({2, 2, 2}); // between the corners 6 and 7 of the long one
  for (int k = 0; k < 8; ++k) {
    const double x = (k + 1) / 2 % 2, y = k / 2 % 2, z = k / 4;
    small[static_cast<std::size_t>(k)] = k == 0 ? large[7] : k == 1 ? middle : b.point({2 * x, 2 + 2 * y, 2 + 2 * z});
  }
  box(0, large,
      {{0, 3, 2, 1, -1},
       {0, 1, 5, 4, -1},
       {1, 2, 6, 5, -1},
       {3, 0, 4, 7, -1},
       {5, 6, middle + 8, 7, 4},
       {3, 7, middle + 8, 6, 2}});
  box(1, small,
      {{0, 3, 2, 1, -1}, {0, 1, 5, 4, -1}, {1, 2, 6, 5, -1}, {3, 0, 4, 7, -1}, {4, 5, 6, 7, -1}, {2, 3, 7, 6, -1}});
  const Part part = b.part();
  ASSERT_EQ(part.bodies[0].faces.size(), 6u);
  ASSERT_EQ(part.edges.size(), 24u);
  for (double size : {0.3, 0.45, 0.7, 1.1}) {
    const MeshOutcome out = mapped(part, size);
    EXPECT_EQ(countOf(out.mesh, ElementType::Hex8), out.mesh.cells.size()) << size;
    const Audit a = auditMesh(out.mesh, *limitsByName("general"));
    EXPECT_TRUE(a.soundness.sound()) << a.sentence;
    EXPECT_NEAR(a.volume, part.volume(), 1e-9);
    // The point between the two edges is a node.
    EXPECT_TRUE(std::any_of(out.mesh.nodes.begin(), out.mesh.nodes.end(),
                            [](const Vec3& p) { return (p - Vec3(2, 2, 2)).norm() < 1e-12; }));
  }
}

TEST(Mapped, sidesMayConsistOfSeveralFaces) {
  const Part part = made("joined 6"); // a block with lines round it: four of its sides are two faces each
  const MeshOutcome out = filled(part, 1.3, {Fill::Mapped});
  EXPECT_EQ(out.bodies[0].fill, Fill::Mapped) << out.bodies[0].why;
  EXPECT_EQ(countOf(out.mesh, ElementType::Hex8), out.mesh.cells.size());
  const Audit a = auditMesh(out.mesh, *limitsByName("general"));
  EXPECT_TRUE(a.soundness.sound()) << a.sentence;
  EXPECT_NEAR(a.volume, 1000, 1e-9);
  EXPECT_NEAR(a.metrics[static_cast<std::size_t>(Metric::ScaledJacobian)].min, 1, 1e-9); // bricks
}
