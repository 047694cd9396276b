// SPDX-License-Identifier: GPL-3.0-or-later
// Hexahedra beside tetrahedra in every arrangement of their common faces.
#include "job/limit_file.h"
#include "support/fixtures.h"
#include "support/touching.h"

using namespace tess;
using namespace tess::test;

namespace {

struct Outcome {
  Audit audit;
  Mesh mesh;
  double tetAngle = 180, pyramid = 1; ///< least dihedral angle of a tetrahedron; least scaled Jacobian of a pyramid
};

/// Meshes a part all of whose bodies are mapped but for those called "free".
Outcome joined(const Part& part, double size, std::vector<std::pair<int, EdgeDivision>> divisions = {},
               int threads = 0) {
  SizeRequest request;
  request.overall.target = size;
  request.overall.slender = 0;
  request.divisions = std::move(divisions);
  MeshWishes wishes = meshWishes(request);
  MeshOptions options;
  options.threads = threads;
  for (const auto& b : part.bodies)
    wishes.fills.push_back({b.name == "free" ? Fill::Tetrahedra : Fill::Mapped, true, -1});
  Progress progress;
  auto m = meshPart(part, makeSizeField(part, request), wishes, options, progress);
  Outcome r;
  EXPECT_TRUE(m.ok()) << (m.ok() ? "" : m.problem().sentence());
  if (!m) return r;
  for (std::size_t b = 0; b < part.bodies.size(); ++b)
    EXPECT_EQ(m->bodies[b].fill, wishes.fills[b].fill) << part.bodies[b].name << ": " << m->bodies[b].why;
  r.mesh = std::move(m->mesh);
  r.audit = auditMesh(r.mesh, *limitsByName("general"));
  const auto& angle = r.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].value;
  const auto& shape = r.audit.metrics[static_cast<std::size_t>(Metric::ScaledJacobian)].value;
  std::array<std::size_t, kElementTypes> count{};
  for (std::size_t c = 0; c < r.mesh.cells.size(); ++c) {
    const auto type = r.mesh.cells.type[c];
    ++count[static_cast<std::size_t>(type)];
    if (type == ElementType::Tet4) r.tetAngle = std::min<double>(r.tetAngle, angle[c]);
    if (type == ElementType::Pyramid5) r.pyramid = std::min<double>(r.pyramid, shape[c]);
  }
  EXPECT_GT(count[static_cast<std::size_t>(ElementType::Hex8)], 0u);
  EXPECT_GT(count[static_cast<std::size_t>(ElementType::Tet4)], 0u);
  EXPECT_GT(count[static_cast<std::size_t>(ElementType::Pyramid5)], 0u);
  EXPECT_TRUE(r.audit.soundness.sound()) << r.audit.sentence;
  // Warped faces are two triangles each in the part, and smooth in the mesh.
  EXPECT_NEAR(r.audit.volume, part.volume(), 2e-2 * part.volume());
  return r;
}

/// As the better joints must be.
void expectGood(const Outcome& r) {
  EXPECT_GT(r.tetAngle, 8);
  EXPECT_GT(r.pyramid, 0.2);
}

/// Two mapped bodies that meet in a line; the free one fills the angle between them.
Part fold(double degrees, const Bend& bend = straight) {
  const double length = 4, thick = 1.5;
  auto at = [](double r, double deg) {
    return std::array<double, 2>{r * std::cos(deg * kPi / 180), r * std::sin(deg * kPi / 180)};
  };
  std::vector<std::array<double, 2>> p{{0, 0}, {length, 0}};
  std::vector<int> free{0, 1};
  const int arcs = std::max(1, static_cast<int>(std::ceil(degrees / 40)));
  for (int k = 1; k <= arcs; ++k) {
    free.push_back(static_cast<int>(p.size()));
    p.push_back(at(length, degrees * k / arcs));
  }
  const int end = free.back();
  std::vector<std::vector<int>> bodies{free};
  const double rest = 360 - degrees;
  if (rest > 180) { // a slab behind each side
    const int a = static_cast<int>(p.size());
    p.push_back({0, -thick});
    p.push_back({length, -thick});
    const auto out = at(thick, degrees + 90), far = at(length, degrees);
    p.push_back({out[0], out[1]});
    p.push_back({far[0] + out[0], far[1] + out[1]});
    bodies.push_back({0, a, a + 1, 1});
    bodies.push_back({0, end, a + 3, a + 2});
  } else { // that share a face between them
    const int a = static_cast<int>(p.size());
    p.push_back(at(length, degrees + rest / 2));
    p.push_back(at(1.6 * length, degrees + 0.75 * rest));
    p.push_back(at(1.6 * length, degrees + 0.25 * rest));
    bodies.push_back({0, a, a + 1, 1});
    bodies.push_back({0, end, a + 2, a});
  }
  return prisms(p, bodies, {"free", "first", "second"}, 3, bend);
}

Bend twist(double degreesPerHeight) {
  return [=](const Vec3& p) {
    const double a = degreesPerHeight * p.z() / 3 * kPi / 180;
    return Vec3(p.x() * std::cos(a) - p.y() * std::sin(a), p.x() * std::sin(a) + p.y() * std::cos(a), p.z());
  };
}

} // namespace

TEST(Joints, foldsFromSharpToNearlyRound) {
  for (double degrees : {20., 30., 46., 60., 75., 90., 110., 135., 160., 180., 210., 240., 270., 300., 330.})
    for (double turn : {0., 12., -9.}) {
      SCOPED_TRACE(std::to_string(degrees) + " degrees, twisted by " + std::to_string(turn));
      const Outcome r = joined(fold(degrees, twist(turn)), 0.8);
      if (degrees > 45) expectGood(r);
    }
}

TEST(Joints, thinGapsAndLongQuadrilaterals) {
  const double size = 0.8;
  for (double gap : {0.3, 0.5, 0.7, 1.0, 1.5, 2.0, 3.0})
    for (double ratio : {1.0, 2.5, 5.0, 10.0}) {
      SCOPED_TRACE("gap of " + std::to_string(gap) + " sizes, ratio " + std::to_string(ratio));
      const Part part = boxGrid({{{0, 3.2}, {0, 2.4}, {0, 1.5, 1.5 + gap * size, 3 + gap * size}}},
                                {"under", "free", "over"}, [](int, int, int k) { return k; });
      // Along y the quadrilaterals are as long as asked for.
      std::vector<std::pair<int, EdgeDivision>> divisions;
      for (std::size_t e = 0; e < part.edges.size(); ++e) {
        const Vec3 d = part.points[static_cast<std::size_t>(part.edges[e].points[1])].at -
                       part.points[static_cast<std::size_t>(part.edges[e].points[0])].at;
        if (std::abs(d.x()) < 1e-9 || std::abs(d.y()) > 1e-9) continue;
        EdgeDivision x;
        x.divisions = static_cast<int>(std::lround(2.4 / size * ratio));
        divisions.push_back({static_cast<int>(e), x});
      }
      const Outcome r = joined(part, size, ratio > 1 ? divisions : std::vector<std::pair<int, EdgeDivision>>{});
      if (gap >= 1 && ratio < 3) expectGood(r);
    }
}

TEST(Joints, cornersAndNotchesBetweenMappedBodies) {
  const std::vector<double> at{0, 2, 5, 7};
  // Which of the boxes around the free one in the middle are there, by direction.
  const std::vector<std::vector<std::array<int, 3>>> around{
      {{0, 1, 1}},
      {{0, 1, 1}, {2, 1, 1}},
      {{0, 1, 1}, {1, 0, 1}},
      {{0, 1, 1}, {1, 0, 1}, {1, 1, 0}},
      {{0, 1, 1}, {2, 1, 1}, {1, 0, 1}},
      {{0, 1, 1}, {2, 1, 1}, {1, 0, 1}, {1, 2, 1}},
      {{0, 1, 1}, {2, 1, 1}, {1, 0, 1}, {1, 2, 1}, {1, 1, 0}},
      {{0, 1, 1}, {2, 1, 1}, {1, 0, 1}, {1, 2, 1}, {1, 1, 0}, {1, 1, 2}},
  };
  for (std::size_t k = 0; k < around.size(); ++k)
    for (double warp : {0.0, 0.25}) {
      SCOPED_TRACE(std::to_string(k) + ", warped by " + std::to_string(warp));
      std::vector<std::string> names{"free"};
      for (std::size_t i = 0; i < around[k].size(); ++i) names.push_back("box " + std::to_string(i + 1));
      const Part part = boxGrid(
          {at, at, at}, names,
          [&](int x, int y, int z) {
            if (x == 1 && y == 1 && z == 1) return 0;
            for (std::size_t i = 0; i < around[k].size(); ++i)
              if (around[k][i] == std::array<int, 3>{x, y, z}) return static_cast<int>(i) + 1;
            return -1;
          },
          [&](const Vec3& p) {
            return Vec3(p.x() + warp * std::sin(p.y() + 2 * p.z()), p.y() + warp * std::sin(p.z() + 2 * p.x()),
                        p.z() + warp * std::sin(p.x() + 2 * p.y()));
          });
      expectGood(joined(part, 0.8));
    }
}

TEST(Joints, meshesAreTheSameOnAnyNumberOfThreads) {
  const Part part = fold(75, twist(8));
  const Mesh one = joined(part, 0.6, {}, 1).mesh, two = joined(part, 0.6, {}, 2).mesh;
  EXPECT_EQ(one.nodes, two.nodes);
  EXPECT_EQ(one.cells.nodes, two.cells.nodes);
  EXPECT_EQ(one.cells.type, two.cells.type);
}
