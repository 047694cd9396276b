// SPDX-License-Identifier: GPL-3.0-or-later
// Meshes as parts: what a file of elements means as bodies, faces and groups, and the mesh that is taken as it is.
#include "job/improve.h"
#include "job/open_part.h"
#include "support/briefs.h"
#include <fstream>
#include <numeric>
#include <set>

using namespace tess;
using namespace tess::test;

namespace {

OpenedPart opened(const std::string& path, const PartOptions& options = {}) {
  auto r = openPart(path, options);
  EXPECT_TRUE(r.ok()) << (r.ok() ? "" : r.problem().sentence());
  return r.ok() ? std::move(*r) : OpenedPart();
}

std::string written(const TempFolder& dir, const std::string& name, const Mesh& mesh) {
  const std::string path = dir / name;
  auto p = writeMesh(mesh, *meshFormatOfPath(path), path);
  EXPECT_FALSE(p) << (p ? p->sentence() : "");
  return path;
}

/// A block of 12 x 6 x 4 hexahedra in two regions, its floor as a set; two cells and two nodes as sets of their own.
std::string hexDeck(const TempFolder& dir) {
  const int nx = 12, ny = 6, nz = 4;
  auto node = [&](int i, int j, int k) { return 1 + i + (nx + 1) * (j + (ny + 1) * k); };
  const std::string path = dir / "block.inp";
  std::ofstream o(path);
  o << "*NODE\n";
  for (int k = 0; k <= nz; ++k)
    for (int j = 0; j <= ny; ++j)
      for (int i = 0; i <= nx; ++i) o << node(i, j, k) << ", " << 2 * i << ", " << 1.5 * j << ", " << k << "\n";
  int cell = 0;
  std::string floor = "*SURFACE, NAME=floor, TYPE=ELEMENT\n";
  // Layer by layer, now the one region first and now the other: their common faces belong to cells of both.
  for (int k = 0; k < nz; ++k)
    for (int r : {k % 2, 1 - k % 2}) {
      o << "*ELEMENT, TYPE=C3D8, ELSET=" << (r ? "cap" : "block") << "\n";
      for (int j = 0; j < ny; ++j)
        for (int i = 6 * r; i < 6 * r + 6; ++i) {
          o << ++cell;
          for (int up = 0; up < 2; ++up)
            o << ", " << node(i, j, k + up) << ", " << node(i + 1, j, k + up) << ", " << node(i + 1, j + 1, k + up)
              << ", " << node(i, j + 1, k + up);
          o << "\n";
          if (k == 0) floor += std::to_string(cell) + ", S1\n";
        }
    }
  o << floor << "*ELSET, ELSET=probe\n1, 2\n*NSET, NSET=tip\n1, 14\n";
  return path;
}

const MeshGroup* setOf(const Mesh& m, const std::string& name) {
  for (const auto& g : m.groups)
    if (g.name == name) return &g;
  return nullptr;
}

} // namespace

TEST(OpenPart, whatWasWrittenComesBackWithItsGroups) {
  for (int order : {1, 2}) {
    TempFolder dir;
    Brief b = briefWith("1.6 mm", {rule("group", {{"name", "bore"}, {"surface", "cylinder"}, {"role", "fixed"}})});
    b.rules[1].values["order"] = std::to_string(order);
    const RunResult first = runWith(b, made("drilled 2.5"));
    const std::string path = written(dir, "drilled.vtu", first.mesh);
    const OpenedPart o = opened(path);
    ASSERT_EQ(o.part.bodies.size(), 1u);
    EXPECT_EQ(o.part.unit, "mm");
    EXPECT_FALSE(o.part.unitAssumed);
    EXPECT_EQ(o.part.faces.size(), made("drilled 2.5").faces.size()) << "faces end at the same sharp edges";
    // The boundary of order 2 is cut at its mid nodes: closer to the true shape, and to the mesh.
    EXPECT_NEAR(o.part.volume(), first.audit.volume, (order == 1 ? 1e-9 : 3e-3) * first.audit.volume);
    const Brief fresh = withRulesOf(defaultBrief(path), o);
    ASSERT_TRUE(fresh.first("take_mesh"));
    EXPECT_FALSE(fresh.first("fill"));
    const RunResult again = runWith(fresh, o.part);
    EXPECT_EQ(again.mesh.cells.nodes, first.mesh.cells.nodes);
    EXPECT_EQ(again.audit.volume, first.audit.volume);
    EXPECT_EQ(again.audit.pass, first.audit.pass);
    const MeshGroup *was = setOf(first.mesh, "bore"), *is = setOf(again.mesh, "bore");
    ASSERT_TRUE(was && is);
    double a = 0, c = 0;
    for (auto f : was->items) a += faceArea(first.mesh, static_cast<std::size_t>(f));
    for (auto f : is->items) c += faceArea(again.mesh, static_cast<std::size_t>(f));
    EXPECT_EQ(is->items.size(), was->items.size());
    EXPECT_NEAR(c, a, 1e-9 * a);
    // Every boundary face lies on a face of the part, every node on the edge or face that it is linked to.
    for (std::size_t f = 0; f < again.mesh.faces.size(); ++f) ASSERT_GE(again.mesh.faceLink[f], 0);
    std::size_t onEdges = 0;
    for (std::size_t n = 0; n < again.mesh.nodes.size(); ++n) {
      const auto& l = again.mesh.nodeLink[n];
      if (l.dim == 1) {
        ++onEdges;
        EXPECT_LT((o.part.shape->projectToEdge(l.entity, again.mesh.nodes[n]).point - again.mesh.nodes[n]).norm(),
                  1e-9);
      }
    }
    EXPECT_GT(onEdges, 40u);
  }
}

TEST(OpenPart, hexahedraOfTwoRegionsAreTwoBodiesWithACommonFace) {
  TempFolder dir;
  const std::string path = hexDeck(dir);
  const OpenedPart o = opened(path);
  ASSERT_EQ(o.part.bodies.size(), 2u);
  EXPECT_EQ(o.part.bodies[0].name, "block");
  EXPECT_TRUE(o.part.unitAssumed);
  EXPECT_EQ(o.part.faces.size(), 11u); // five and five outside, one between
  int shared = 0;
  for (const auto& f : o.part.faces)
    if (f.bodies[0] >= 0 && f.bodies[1] >= 0) {
      ++shared;
      EXPECT_EQ(f.bodies[0], 0);
      EXPECT_NEAR(f.axis.x(), 1, 1e-12) << "it looks out of the first body";
      EXPECT_NEAR(f.area, 9 * 4, 1e-9);
    }
  EXPECT_EQ(shared, 1);
  for (const auto& b : o.part.bodies) EXPECT_NEAR(b.volume, 12 * 9 * 4, 1e-9);
  Brief b = withRulesOf(defaultBrief(path), o);
  b.rules.push_back(rule("rename", {{"what", "cap"}, {"name", "lid"}}));
  b.rules.push_back(rule("rename", {{"what", "tip"}, {"name", "corner nodes"}}));
  b.rules.push_back(rule("rename", {{"what", "nobody"}, {"name", "x"}}));
  const RunResult run = runWith(b, o.part);
  EXPECT_EQ(run.mesh.cells.size(), 288u);
  EXPECT_EQ(run.mesh.regions[1], "lid");
  ASSERT_TRUE(setOf(run.mesh, "floor"));
  EXPECT_EQ(setOf(run.mesh, "floor")->items.size(), 72u);
  ASSERT_TRUE(setOf(run.mesh, "probe"));
  EXPECT_EQ(setOf(run.mesh, "probe")->items.size(), 2u);
  EXPECT_TRUE(setOf(run.mesh, "corner nodes"));
  EXPECT_FALSE(setOf(run.mesh, "tip"));
  EXPECT_TRUE(problemOf(run.problems, "rule.no-target"));
  EXPECT_TRUE(run.audit.soundness.sound());
  // Cut open between its regions like any other mesh.
  b.rules.push_back(rule("apart", {{"bodies", "everywhere"}}));
  EXPECT_EQ(runWith(b, o.part).mesh.twins.size(), 7u * 5u);
}

TEST(OpenPart, aFaceInTwoSetsIsFoundUnderBothNames) {
  TempFolder dir;
  Mesh m = meshOf(made("box 10 8 6"), 3).mesh;
  MeshGroup low{"low", 2, {}, 0}, left{"left", 2, {}, 0};
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    Vec3 mid = Vec3::Zero();
    for (auto n : m.faces.of(f)) mid += m.nodes[static_cast<std::size_t>(n)] / 3;
    if (mid.z() < 1e-9) low.items.push_back(static_cast<std::int32_t>(f));
    if (mid.x() < 1e-9 || mid.z() < 1e-9) left.items.push_back(static_cast<std::int32_t>(f));
  }
  m.groups = {low, left};
  const OpenedPart o = opened(written(dir, "box.inp", m));
  const RunResult run = runWith(withRulesOf(defaultBrief(o.part.path), o), o.part);
  ASSERT_TRUE(setOf(run.mesh, "low") && setOf(run.mesh, "left"));
  EXPECT_EQ(setOf(run.mesh, "low")->items.size(), low.items.size());
  EXPECT_EQ(setOf(run.mesh, "left")->items.size(), left.items.size());
}

TEST(OpenPart, aMeshIsMadeAnewFromItsBoundary) {
  TempFolder dir;
  const RunResult first = runWith(briefWith("3 mm", {}), made("drilled 2.5"));
  const OpenedPart o = opened(written(dir, "coarse.vtu", first.mesh));
  Brief b = withRulesOf(defaultBrief(o.part.path), o, false);
  ASSERT_FALSE(b.first("take_mesh"));
  EXPECT_FALSE(b.first("everywhere")->get("target").empty());
  for (auto& r : b.rules)
    if (r.kind == "everywhere") r.values["target"] = "1 mm";
  const RunResult fine = runWith(b, o.part);
  EXPECT_GT(fine.mesh.cells.size(), 3 * first.mesh.cells.size());
  EXPECT_NEAR(fine.audit.volume, first.audit.volume, 5e-3 * first.audit.volume);
}

TEST(OpenPart, anImprovedMeshKeepsItsBoundaryAndSets) {
  TempFolder dir;
  Brief b = briefWith("1.6 mm", {rule("group", {{"name", "bore"}, {"surface", "cylinder"}})});
  Mesh m = runWith(b, made("drilled 2.5")).mesh;
  std::vector<char> outside(m.nodes.size(), 0);
  for (auto n : m.faces.nodes) outside[static_cast<std::size_t>(n)] = 1;
  std::size_t moved = 0;
  for (std::size_t c = 0; c < m.cells.size() && moved < 20; ++c) // flat cells: a node moved towards its opposite face
    for (auto n : m.cells.of(c)) {
      if (outside[static_cast<std::size_t>(n)]) continue;
      Vec3 mid = Vec3::Zero();
      for (auto o : m.cells.of(c))
        if (o != n) mid += m.nodes[static_cast<std::size_t>(o)] / 3;
      Vec3& at = m.nodes[static_cast<std::size_t>(n)];
      at = 0.03 * at + 0.97 * mid;
      outside[static_cast<std::size_t>(n)] = 1;
      ++moved;
      break;
    }
  ASSERT_GT(moved, 3u);
  const OpenedPart o = opened(written(dir, "bad.vtu", m));
  const RunResult bad = runWith(withRulesOf(defaultBrief(o.part.path), o), o.part);
  auto worst = [](const RunResult& r) { return r.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].min; };
  ASSERT_LT(worst(bad), 5);
  Progress progress;
  auto good = improveRun(bad, o.part, {}, progress);
  ASSERT_TRUE(good.ok()) << good.problem().sentence();
  EXPECT_GT(worst(*good), 8);
  EXPECT_EQ(setOf(good->mesh, "bore")->items.size(), setOf(bad.mesh, "bore")->items.size());
  EXPECT_NEAR(good->audit.volume, bad.audit.volume, 1e-9 * bad.audit.volume);
}

TEST(OpenPart, whatCannotBeTakenSaysWhy) {
  TempFolder dir;
  // Geometry has no elements to take.
  Brief b = briefWith("3 mm", {rule("take_mesh", {})});
  Progress progress;
  auto none = runBrief(b, made("box 10 8 6"), 0, progress);
  ASSERT_FALSE(none.ok());
  EXPECT_EQ(none.problem().code, "mesh.not-of-part");
  // The file was written again, with another mesh, after the part was read.
  const std::string path = written(dir, "box.vtu", meshOf(made("box 10 8 6"), 3).mesh);
  const OpenedPart o = opened(path);
  written(dir, "box.vtu", meshOf(made("box 10 8 6"), 2).mesh);
  auto other = runBrief(withRulesOf(defaultBrief(path), o), o.part, 0, progress);
  ASSERT_FALSE(other.ok());
  EXPECT_EQ(other.problem().code, "mesh.not-of-part");
  EXPECT_NE(other.problem().what.find("changed"), std::string::npos);
  // Damaged files.
  std::ofstream(dir / "torn.inp") << "*NODE\n1, 0, 0, 0\n*ELEMENT, TYPE=C3D4\n1, 1, 2, 3, 4\n";
  EXPECT_FALSE(openPart(dir / "torn.inp", {}).ok());
  EXPECT_FALSE(openPart(dir / "nothing.vtu", {}).ok());
}

TEST(OpenPart, unitsAreOverriddenAndRemembered) {
  TempFolder dir;
  PartOptions inCentimetres;
  inCentimetres.unit = "cm";
  const OpenedPart o = opened(hexDeck(dir), inCentimetres);
  EXPECT_EQ(o.part.unit, "cm");
  EXPECT_FALSE(o.part.unitAssumed);
  Brief b = withRulesOf(defaultBrief(o.part.path), o);
  b.unit = "cm";
  EXPECT_EQ(runWith(b, o.part).mesh.unit, "cm");
  Mesh m = meshOf(made("box 10 8 6"), 3).mesh;
  m.unit = "in";
  EXPECT_EQ(opened(written(dir, "inch.inp", m)).part.unit, "in") << "what our own decks say in their first line";
}

TEST(OpenPart, aFolderOrAFileInItMeansTheSameMesh) {
  TempFolder dir;
  Mesh m = meshOf(made("box 10 8 6"), 3).mesh;
  ASSERT_FALSE(writeMesh(m, MeshFormat::Foam, dir / "case"));
  const std::string file = dir / "case/constant/polyMesh/boundary";
  EXPECT_TRUE(holdsMesh(dir / "case"));
  EXPECT_TRUE(holdsMesh(file));
  EXPECT_FALSE(holdsMesh(dir / "box.step"));
  EXPECT_EQ(opened(dir / "case").part.faces.size(), 6u);
  EXPECT_EQ(opened(file).part.display.triangles.size(), m.faces.size());
}
