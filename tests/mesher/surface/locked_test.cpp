// SPDX-License-Identifier: GPL-3.0-or-later
// Surfaces that are kept, and bodies that fail without taking the others down.
#include "base/predicates.h"
#include "geometry/subset.h"
#include "mesher/tets/take_back.h"
#include "support/fixtures.h"
#include <set>

using namespace tess;
using namespace tess::test;

namespace {
using Triangle = std::array<std::array<double, 3>, 3>;
/// The triangles by place, whatever their numbers.
std::multiset<Triangle> trianglesOf(const Mesh& m) {
  std::multiset<Triangle> r;
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    Triangle t;
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3& p = m.nodes[static_cast<std::size_t>(m.faces.of(f)[k])];
      t[k] = {p.x(), p.y(), p.z()};
    }
    std::sort(t.begin(), t.end());
    r.insert(t);
  }
  return r;
}
SizeField fieldOf(const Part& part, double target) {
  SizeSettings s;
  s.target = target;
  return makeSizeField(part, {s});
}
/// Three cubes of edge 10 as one STL; the last two run through each other.
std::string threeCubes() {
  std::string s = "solid cubes\n";
  for (const Vec3& o : {Vec3(0, 0, 0), Vec3(30, 0, 0), Vec3(35, 3, 4)}) {
    const int q[6][4] = {{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}};
    for (const auto& f : q)
      for (const auto& t : {std::array{f[0], f[1], f[2]}, std::array{f[0], f[2], f[3]}}) {
        s += "facet normal 0 0 0\nouter loop\n";
        for (int i : t)
          s += "vertex " + std::to_string(o.x() + 10 * (i & 1)) + " " + std::to_string(o.y() + 5 * (i & 2)) + " " +
               std::to_string(o.z() + 2.5 * (i & 4)) + "\n";
        s += "endloop\nendfacet\n";
      }
  }
  return s + "endsolid cubes\n";
}
} // namespace

TEST(KeptSurface, volumeFollowsItWhateverSizesAsk) {
  for (const char* recipe : {"drilled 3.5", "boxes 3"}) {
    Part part = made(recipe);
    const double h = part.diagonal() / 12;
    Progress progress;
    MeshOptions only;
    only.onlySurface = true;
    auto surface = meshPart(part, fieldOf(part, h), {}, only, progress);
    ASSERT_TRUE(surface.ok()) << recipe;
    EXPECT_EQ(surface->mesh.cells.size(), 0u);
    TempFolder dir;
    ASSERT_FALSE(writeSurface(surface->mesh, dir / "s.vtp"));
    auto read = readSurface(dir / "s.vtp");
    ASSERT_TRUE(read.ok()) << read.problem().sentence();
    EXPECT_EQ(trianglesOf(*read), trianglesOf(surface->mesh));
    MeshOptions keep;
    keep.surface = &*read;
    auto whole = meshPart(part, fieldOf(part, 0.6 * h), {}, keep, progress);
    ASSERT_TRUE(whole.ok()) << recipe << ": " << whole.problem().sentence();
    EXPECT_EQ(trianglesOf(whole->mesh), trianglesOf(surface->mesh)) << recipe;
    EXPECT_NEAR(meshVolume(whole->mesh), part.volume(), 0.02 * part.volume());
    // What nodes lie on is found again.
    ASSERT_EQ(whole->mesh.nodeLink.size(), whole->mesh.nodes.size());
    std::array<std::map<int, int>, 2> corners; // per part point, nodes there
    for (std::size_t k = 0; k < 2; ++k)
      for (const auto& l : (k ? whole->mesh : surface->mesh).nodeLink)
        if (l.dim == 0) ++corners[k][l.entity];
    EXPECT_EQ(corners[0], corners[1]) << recipe;
  }
}

TEST(KeptSurface, thinWallsAreFilledByPointsInsideAndNoTriangleChanges) {
  // Triangles many times larger than the wall is thick: flips alone cannot bring the surface into the tetrahedra.
  for (const char* recipe : {"box 20 20 1", "taper 30 20 4 0.6", "drilled 3.5"}) {
    Part part = made(recipe);
    SizeSettings s;
    s.target = 4;
    s.slender = 0;
    const SizeField field = makeSizeField(part, {s});
    Progress progress;
    MeshOptions only;
    only.onlySurface = true;
    auto surface = meshPart(part, field, {}, only, progress);
    ASSERT_TRUE(surface.ok()) << recipe;
    MeshOptions keep;
    keep.surface = &surface->mesh;
    for (int threads : {1, 2}) {
      keep.threads = threads;
      auto whole = meshPart(part, field, {}, keep, progress);
      ASSERT_TRUE(whole.ok()) << recipe << ": " << whole.problem().sentence();
      EXPECT_EQ(trianglesOf(whole->mesh), trianglesOf(surface->mesh)) << recipe;
      Audit a = auditMesh(whole->mesh, *limitSet("general"));
      EXPECT_TRUE(a.soundness.sound()) << recipe;
    }
  }
}

TEST(KeptSurface, halvedEdgesAreTakenBackExactly) {
  Part part = made("boxes 3"); // with faces between bodies: three sectors around an edge
  Progress progress;
  auto r = meshSurface(part, fieldOf(part, 0.4), MeshPlan{}, progress);
  ASSERT_TRUE(r.ok());
  SurfaceMesh m = r->mesh;
  std::vector<std::array<int, 2>> edges;
  for (std::size_t t = 0; t < m.triangles.size(); t += 7) edges.push_back({m.triangles[t][1], m.triangles[t][2]});
  std::vector<HalvedEdge> halved;
  for (const auto& [v, a, b] : halveSurfaceEdges(m, edges)) halved.push_back({v, a, b});
  // Halves of what was halved, too.
  edges.clear();
  for (std::size_t k = 0; k < halved.size(); k += 2) edges.push_back({halved[k].vertex, halved[k].b});
  for (const auto& [v, a, b] : halveSurfaceEdges(m, edges)) halved.push_back({v, a, b});
  ASSERT_GT(halved.size(), 30u);
  TetCore core, bare;
  auto recovered = recoverBoundary(core, bare, m, progress);
  for (int round = 0; round < 20 && recovered.ok() && !recovered->complete(); ++round) {
    edges = recovered->lostEdges;
    for (const auto& f : recovered->lostFaces) edges.push_back({f[0], f[1]});
    for (const auto& [v, a, b] : halveSurfaceEdges(m, edges)) halved.push_back({v, a, b});
    recovered = recoverBoundary(core, bare, m, progress);
  }
  ASSERT_TRUE(recovered.ok() && recovered->complete());
  ASSERT_TRUE(takeBack(core, halved));
  for (const auto& q : r->mesh.triangles) {
    const int f = core.findFace(q[0], q[1], q[2]);
    ASSERT_GE(f, 0);
    EXPECT_TRUE(core.faceLocked(f >> 2, f & 3));
  }
  for (int t = 0; t < static_cast<int>(core.tets.size()); ++t) {
    if (!core.alive(t)) continue;
    for (int i = 0; i < 4; ++i) { // neighbours agree
      const int n = core.at(t).n[i];
      EXPECT_EQ(core.at(n >> 2).n[n & 3], 4 * t + i);
    }
    if (core.ghost(t)) continue;
    const int* v = core.at(t).v;
    EXPECT_GT(orient3d(core.pt(v[0]), core.pt(v[1]), core.pt(v[2]), core.pt(v[3])), 0);
  }
}

TEST(KeptSurface, ofAnotherPartIsRefused) {
  Part part = made("box 10 10 10"), other = made("box 10 10 12"), more = made("drilled 3.5");
  Progress progress;
  MeshOptions only;
  only.onlySurface = true;
  auto surface = meshPart(part, fieldOf(part, 3), {}, only, progress);
  ASSERT_TRUE(surface.ok());
  MeshOptions keep;
  keep.surface = &surface->mesh;
  for (const Part* p : {&other, &more}) {
    auto r = meshPart(*p, fieldOf(*p, 3), {}, keep, progress);
    ASSERT_FALSE(r.ok());
    EXPECT_EQ(r.problem().code, "surface.locked");
    EXPECT_EQ(r.problem().fault, Fault::Input);
  }
}

TEST(KeptSurface, ruleInTheBriefReadsItsFile) {
  TempFolder dir;
  std::filesystem::copy_file(demo("saddle-clamp.step"), dir / "saddle-clamp.step");
  auto brief = parseBrief("format = 1\n[part]\nfile = \"saddle-clamp.step\"\n[[rule]]\nis = \"everywhere\"\ntarget = "
                          "\"4 mm\"\n[[rule]]\nis = \"keep_surface\"\npath = \"s.vtp\"\n",
                          dir / "a.brief");
  ASSERT_TRUE(brief.ok());
  auto part = loadPart(brief->partPath());
  ASSERT_TRUE(part.ok());
  Progress progress;
  auto missing = runBrief(*brief, *part, 0, progress);
  EXPECT_FALSE(missing.ok());
  std::vector<Problem> problems;
  auto surface = surfaceOfBrief(*brief, *part, 0, progress, problems);
  ASSERT_TRUE(surface.ok());
  ASSERT_FALSE(writeSurface(*surface, dir / "s.vtp"));
  auto run = runBrief(*brief, *part, 0, progress);
  ASSERT_TRUE(run.ok()) << run.problem().sentence();
  EXPECT_EQ(trianglesOf(run->mesh), trianglesOf(*surface));
  EXPECT_TRUE(run->audit.soundness.sound());
}

TEST(FailingBody, othersGetTheirMeshAndThePlaceIsNamed) {
  TempFolder dir;
  auto part = loadPart(dir.write("three.stl", threeCubes()));
  ASSERT_TRUE(part.ok());
  ASSERT_EQ(part->bodies.size(), 3u);
  Progress progress;
  auto r = meshPart(*part, fieldOf(*part, 2.5), {}, {}, progress);
  ASSERT_TRUE(r.ok()) << r.problem().sentence();
  EXPECT_NEAR(meshVolume(r->mesh), 1000, 1e-6);
  ASSERT_EQ(r->mesh.regions.size(), 3u); // regions keep their numbers
  for (auto region : r->mesh.cellRegion) EXPECT_EQ(region, 0);
  for (int f : r->mesh.faceLink) EXPECT_EQ(part->faces[static_cast<std::size_t>(f)].bodies[0], 0);
  int told = 0;
  for (const auto& p : r->problems)
    told += p.severity == Severity::Error && p.what.find("body2") != std::string::npos && !p.places.empty();
  EXPECT_EQ(told, 1);
}

TEST(SubsetPart, leavesTheOtherBodiesAsTheyAre) {
  Part part = made("boxes 3");
  SubsetPart subset(part, {0, 1, 0});
  const Part& p = subset.part();
  EXPECT_EQ(p.faces.size(), 12u); // two boxes of six; what was shared is outside now
  EXPECT_NEAR(p.volume(), 2, 1e-9);
  for (std::size_t e = 0; e < p.edges.size(); ++e) EXPECT_EQ(p.edges[e].faces.size(), 2u) << e;
  for (std::size_t f = 0; f < p.faces.size(); ++f)
    EXPECT_EQ(subset.faceOf(subset.originalFace(static_cast<int>(f))), static_cast<int>(f));
  Progress progress;
  auto m = meshPart(p, fieldOf(p, 0.4), {}, {}, progress);
  ASSERT_TRUE(m.ok()) << m.problem().sentence();
  EXPECT_NEAR(meshVolume(m->mesh), 2, 1e-9);
}
