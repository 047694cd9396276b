// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/improve.h"
#include "mesh/jacobian.h"
#include "support/filled.h"
#include "support/touching.h"
#include <random>
#include <set>

using namespace tess;
using namespace tess::test;

namespace {

double minAngle(const Mesh& m) { return computeMetrics(m)[static_cast<std::size_t>(Metric::MinDihedral)].min; }
double area(const Mesh& m) {
  double a = 0;
  for (std::size_t f = 0; f < m.faces.size(); ++f) a += faceArea(m, f);
  return a;
}
/// Moves inner nodes at random as far as no cell at them is inverted.
void addNoise(Mesh& m, double share) {
  std::vector<char> boundary(m.nodes.size(), 0);
  for (auto n : m.faces.nodes) boundary[static_cast<std::size_t>(n)] = 1;
  std::vector<std::vector<std::size_t>> at(m.nodes.size());
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    for (auto n : m.cells.of(c)) at[static_cast<std::size_t>(n)].push_back(c);
  std::mt19937 rng(5);
  std::uniform_real_distribution<double> u(-1, 1);
  for (std::size_t n = 0; n < m.nodes.size(); ++n) {
    if (boundary[n]) continue;
    double least = 1e300;
    for (std::size_t c : at[n])
      for (auto o : m.cells.of(c))
        if (static_cast<std::size_t>(o) != n)
          least = std::min(least, (m.nodes[static_cast<std::size_t>(o)] - m.nodes[n]).norm());
    Vec3 keep = m.nodes[n], way = share * least * Vec3(u(rng), u(rng), u(rng));
    for (int attempt = 0; attempt < 6; ++attempt, way *= 0.6) {
      m.nodes[n] = keep + way;
      bool good = true;
      for (std::size_t c : at[n]) good = good && cellVolume(m, c) > 0;
      if (good) break;
      m.nodes[n] = keep;
    }
  }
}

} // namespace

TEST(Improve, noisyMeshBecomesGoodAndItsBoundaryStays) {
  Part part = made("torus 10 3");
  Mesh m = meshOf(part, 1.2).mesh;
  addNoise(m, 2.5);
  double v = meshVolume(m), a = area(m), worst = minAngle(m);
  ASSERT_LT(worst, 1);
  auto faces = m.faces.nodes;
  std::vector<Vec3> onFaces;
  for (auto n : faces) onFaces.push_back(m.nodes[static_cast<std::size_t>(n)]);
  Progress progress;
  auto r = improveMesh(m, {}, progress);
  ASSERT_TRUE(r.ok()) << r.problem().sentence();
  EXPECT_GT(minAngle(m), 8);
  EXPECT_NEAR(meshVolume(m), v, 1e-9 * v);
  EXPECT_NEAR(area(m), a, 1e-12 * a);
  ASSERT_EQ(m.faces.nodes.size(), onFaces.size());
  for (std::size_t i = 0; i < onFaces.size(); ++i)
    ASSERT_EQ(m.nodes[static_cast<std::size_t>(m.faces.nodes[i])], onFaces[i]);
  EXPECT_TRUE(checkSoundness(m).sound());
}

TEST(Improve, nodesThatNearlyCoincidePartAgain) {
  Mesh m = meshOf(made("box 10 10 10"), 2).mesh;
  const auto worst = [&](Metric k) { return computeMetrics(m)[static_cast<std::size_t>(k)].min; };
  ASSERT_GT(worst(Metric::ScaledJacobian), 0.1);
  // An inner node comes close to an inner neighbour: thin wedges between large faces.
  std::vector<char> boundary(m.nodes.size(), 0);
  for (auto n : m.faces.nodes) boundary[static_cast<std::size_t>(n)] = 1;
  const auto allPositive = [&] {
    for (std::size_t c = 0; c < m.cells.size(); ++c)
      if (cellVolume(m, c) <= 0) return false;
    return true;
  };
  int moved = 0;
  for (std::size_t c = 0; c < m.cells.size() && moved < 5; ++c) {
    const auto n = m.cells.of(c);
    const auto a = static_cast<std::size_t>(n[0]), b = static_cast<std::size_t>(n[1]);
    if (boundary[a] || boundary[b]) continue;
    boundary[a] = boundary[b] = 1; // each once
    const Vec3 was = m.nodes[a];
    m.nodes[a] = m.nodes[b] + 0.03 * (was - m.nodes[b]);
    if (allPositive())
      ++moved;
    else
      m.nodes[a] = was;
  }
  ASSERT_EQ(moved, 5);
  ASSERT_LT(worst(Metric::ScaledJacobian), 0.05);
  Progress progress;
  auto r = improveMesh(m, {}, progress);
  ASSERT_TRUE(r.ok()) << r.problem().sentence();
  EXPECT_GT(worst(Metric::ScaledJacobian), 0.1);
  EXPECT_GT(worst(Metric::HeightRatio), 0.1);
  EXPECT_GT(worst(Metric::MinDihedral), 15);
}

TEST(TetQuality, isTheSmallestSineUnlessTheRatiosAreWorse) {
  const double h = std::sqrt(2.0 / 3);
  const Vec3 a(0, 0, 0), b(1, 0, 0), c(0.5, std::sqrt(3.0) / 2, 0), d(0.5, std::sqrt(3.0) / 6, h);
  EXPECT_NEAR(tetQuality(a, b, c, d), std::sqrt(8.0) / 3, 1e-12); // sine of 70.5 degrees
  EXPECT_NEAR(tetQuality(a, c, b, d), -std::sqrt(8.0) / 3, 1e-12);
  // A needle: its angles are about 60 and 90 degrees, but its Jacobian is tiny for its long edges.
  const Vec3 far(0.5, std::sqrt(3.0) / 6, 10);
  EXPECT_GT(tetSine(a, b, c, far), 0.8);
  const double l = (far - a).norm(), jacobian = std::sqrt(2.0) * 10 * std::sqrt(3.0) / 2 / (l * l * l);
  EXPECT_NEAR(tetQuality(a, b, c, far), likeSine(jacobian), 1e-12);
  // A slab: its height is what is small; angles and ratio agree that it is bad.
  const Vec3 low(0.5, std::sqrt(3.0) / 6, 0.03);
  EXPECT_NEAR(tetQuality(a, b, c, low), std::min(tetSine(a, b, c, low), likeSine(0.03)), 1e-12);
  for (double x : {0.0, 0.03, 0.0499, 0.05, 0.1, 0.4}) EXPECT_LT(likeSine(x), likeSine(x + 1e-3));
  EXPECT_NEAR(likeSine(0.05), std::sin(8 * kPi / 180), 1e-3);
}

TEST(Improve, bodiesAndSetsKeepWhatIsTheirs) {
  Part part = made("boxes 3");
  Mesh m = meshOf(part, 0.22).mesh;
  MeshGroup half{"half", 3, {}, 0}, pins{"pins", 0, {}, 0};
  double halfVolume = 0;
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    if (cellCenter(m, c).y() < 0.5) half.items.push_back(static_cast<std::int32_t>(c)), halfVolume += cellVolume(m, c);
  m.groups = {half};
  std::vector<double> volumes(m.regions.size(), 0);
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    volumes[static_cast<std::size_t>(m.cellRegion[c])] += cellVolume(m, c);
  Vec3 pin = m.nodes.back();
  pins.items.push_back(static_cast<std::int32_t>(m.nodes.size()) - 1);
  m.groups.push_back(pins);
  Progress progress;
  double worst = minAngle(m);
  auto r = improveMesh(m, {}, progress);
  ASSERT_TRUE(r.ok()) << r.problem().sentence();
  EXPECT_GE(minAngle(m), worst - 1e-4);
  std::vector<double> after(m.regions.size(), 0);
  double halfAfter = 0;
  for (std::size_t c = 0; c < m.cells.size(); ++c) after[static_cast<std::size_t>(m.cellRegion[c])] += cellVolume(m, c);
  for (auto c : m.groups[0].items) halfAfter += cellVolume(m, static_cast<std::size_t>(c));
  for (std::size_t b = 0; b < after.size(); ++b) EXPECT_NEAR(after[b], volumes[b], 1e-9);
  EXPECT_NEAR(halfAfter, halfVolume, 1e-9);
  EXPECT_EQ(m.nodes[static_cast<std::size_t>(m.groups[1].items[0])], pin);
  EXPECT_TRUE(checkSoundness(m).sound());
}

TEST(Improve, onlyTheChosenCellsChange) {
  Part part = made("box 10 8 6");
  Mesh m = meshOf(part, 1.2).mesh;
  addNoise(m, 1.5);
  std::vector<char> only(m.cells.size(), 0);
  std::set<std::array<double, 12>> others;
  auto key = [&](const Mesh& x, std::size_t c) {
    std::array<double, 12> k;
    for (std::size_t i = 0; i < 4; ++i)
      for (int d = 0; d < 3; ++d)
        k[3 * i + static_cast<std::size_t>(d)] = x.nodes[static_cast<std::size_t>(x.cells.of(c)[i])][d];
    return k;
  };
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    only[c] = cellCenter(m, c).x() < 5;
    if (!only[c]) others.insert(key(m, c));
  }
  double v = meshVolume(m);
  Progress progress;
  auto r = improveMesh(m, only, progress);
  ASSERT_TRUE(r.ok());
  EXPECT_GT(r->stats.moves, 0);
  std::size_t found = 0;
  for (std::size_t c = 0; c < m.cells.size(); ++c) found += others.count(key(m, c));
  EXPECT_EQ(found, others.size());
  EXPECT_NEAR(meshVolume(m), v, 1e-9 * v);
  EXPECT_TRUE(checkSoundness(m).sound());
}

TEST(Improve, choicesAreReadAndWrongOnesRefused) {
  Part part = made("box 10 8 6");
  Mesh m = meshOf(part, 2).mesh;
  m.groups.push_back({"first", 3, {0}, 0});
  Progress progress;
  auto one = chosenCells(m, "first", progress);
  ASSERT_TRUE(one.ok());
  EXPECT_TRUE((*one)[0]);
  auto all = chosenCells(m, "min_dihedral:0..180", progress);
  ASSERT_TRUE(all.ok());
  EXPECT_EQ(std::count(all->begin(), all->end(), 1), static_cast<std::ptrdiff_t>(m.cells.size()));
  for (const char* bad : {"second", "min_dihedral", "min_dihedral:5", "min_dihedral:9..2", "nothing:0..1", ":..", ""})
    EXPECT_FALSE(chosenCells(m, bad, progress).ok()) << bad;
  Mesh none = oneCell(ElementType::Hex8,
                      {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}});
  auto r = improveMesh(none, {}, progress);
  ASSERT_FALSE(r.ok());
  EXPECT_EQ(r.problem().code, "improve.nothing");
}

namespace {

std::array<Vec3, 10> tet10(const Mesh& m, std::size_t c) {
  std::array<Vec3, 10> p;
  for (std::size_t i = 0; i < 10; ++i) p[i] = m.nodes[static_cast<std::size_t>(m.cells.of(c)[i])];
  return p;
}

/// Moves inner corners of a mesh of order 2 as far as its elements stay valid; mid nodes there become straight.
void addQuadraticNoise(Mesh& m, double share) {
  const auto& table = topology(ElementType::Tet10);
  std::vector<char> held(m.nodes.size(), 0), corner(m.nodes.size(), 0);
  for (auto n : m.faces.nodes) held[static_cast<std::size_t>(n)] = 1;
  std::vector<std::vector<std::size_t>> around(m.nodes.size());
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    for (std::size_t i = 0; i < 4; ++i) {
      auto n = static_cast<std::size_t>(m.cells.of(c)[i]);
      corner[n] = 1;
      around[n].push_back(c);
    }
  std::mt19937 rng(5);
  std::uniform_real_distribution<double> u(-1, 1);
  for (std::size_t n = 0; n < m.nodes.size(); ++n) {
    if (held[n] || !corner[n]) continue;
    auto before = m.nodes;
    Vec3 way = share * Vec3(u(rng), u(rng), u(rng));
    for (int attempt = 0; attempt < 6; ++attempt, way *= 0.6) {
      m.nodes[n] = before[n] + way;
      bool good = true;
      for (std::size_t c : around[n]) {
        auto q = m.cells.of(c);
        for (std::size_t e = 0; e < 6; ++e) {
          auto a = static_cast<std::size_t>(q[static_cast<std::size_t>(table.edge[e][0])]),
               b = static_cast<std::size_t>(q[static_cast<std::size_t>(table.edge[e][1])]);
          if (a == n || b == n) m.nodes[static_cast<std::size_t>(q[4 + e])] = 0.5 * (m.nodes[a] + m.nodes[b]);
        }
      }
      for (std::size_t c : around[n]) good = good && quadraticValidity(tet10(m, c)) > 0;
      if (good) break;
      m.nodes = before;
    }
  }
}

} // namespace

TEST(Improve, quadraticElementsStayValidOnTheirCurvedBoundary) {
  Part part = made("torus 10 3");
  Mesh m = meshOf(part, 1.2, 2).mesh;
  addQuadraticNoise(m, 1.0);
  double v = meshVolume(m), a = area(m), worst = minAngle(m);
  ASSERT_LT(worst, 6);
  auto boundary = [&] {
    std::set<std::array<double, 3>> r;
    for (auto n : m.faces.nodes) {
      const Vec3& p = m.nodes[static_cast<std::size_t>(n)];
      r.insert({p.x(), p.y(), p.z()});
    }
    return r;
  };
  auto places = boundary();
  Progress progress;
  auto r = improveMesh(m, {}, progress);
  ASSERT_TRUE(r.ok()) << r.problem().sentence();
  EXPECT_GT(minAngle(m), worst);
  EXPECT_NEAR(meshVolume(m), v, 1e-9 * v);
  EXPECT_NEAR(area(m), a, 1e-9 * a);
  EXPECT_EQ(boundary(), places); // mid nodes on the true surface among them
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    ASSERT_EQ(m.cells.type[c], ElementType::Tet10);
    ASSERT_GT(quadraticValidity(tet10(m, c)), 0) << c;
  }
  EXPECT_TRUE(auditMesh(m, *limitSet("general")).soundness.sound());
}

TEST(Improve, bodiesKeptApartStayApart) {
  Part part = made("boxes 2");
  Brief b = defaultBrief("boxes.step");
  b.rules[0].values["target"] = "0.3";
  b.rules[1].values["order"] = "2";
  b.rules.push_back({"apart", {{"bodies", "everywhere"}}, "", false, {}});
  Progress progress;
  auto run = runBrief(b, part, 1, progress);
  ASSERT_TRUE(run);
  std::size_t twins = run->mesh.twins.size();
  ASSERT_GT(twins, 0u);
  auto r = improveMesh(run->mesh, {}, progress);
  ASSERT_TRUE(r) << r.problem().sentence();
  EXPECT_EQ(run->mesh.twins.size(), twins);
  EXPECT_TRUE(auditMesh(run->mesh, *limitSet("general")).soundness.sound());
}

TEST(Improve, atFacesOfThePartTheRestStays) {
  const Part part = made("box 20 16 12");
  Mesh m = meshOf(part, 2).mesh;
  addNoise(m, 2.5);
  int top = -1;
  for (std::size_t f = 0; f < part.faces.size(); ++f)
    if (part.faces[f].center.z() > 11.9) top = static_cast<int>(f);
  const auto cells = cellsAtFaces(m, {top});
  std::size_t chosen = 0;
  double deepest = 12;
  for (std::size_t c = 0; c < cells.size(); ++c)
    if (cells[c]) {
      ++chosen;
      deepest = std::min(deepest, cellCenter(m, c).z());
    }
  EXPECT_GT(chosen, 100u);
  EXPECT_GT(deepest, 4) << "two rings below the face";
  const auto before = m.nodes;
  Progress progress;
  ASSERT_TRUE(improveMesh(m, cells, progress).ok());
  // Nodes well below are where they were; numbers may have moved.
  std::set<std::array<double, 3>> now;
  for (const Vec3& p : m.nodes) now.insert({p.x(), p.y(), p.z()});
  std::size_t low = 0, kept = 0;
  for (const Vec3& p : before)
    if (p.z() < 4) {
      ++low;
      kept += now.count({p.x(), p.y(), p.z()});
    }
  EXPECT_GT(low, 50u);
  EXPECT_EQ(kept, low);
  EXPECT_TRUE(cellsAtFaces(m, {}) == std::vector<char>(m.cells.size(), 0));
}

namespace {

/// Moves inner nodes at random, whatever becomes of the cells.
void damage(Mesh& m, double way) {
  std::vector<char> boundary(m.nodes.size(), 0);
  for (auto n : m.faces.nodes) boundary[static_cast<std::size_t>(n)] = 1;
  std::mt19937 rng(7);
  std::uniform_real_distribution<double> u(-way, way);
  for (std::size_t n = 0; n < m.nodes.size(); ++n)
    if (!boundary[n] && n % 3 == 0) m.nodes[n] += Vec3(u(rng), u(rng), u(rng));
}

std::size_t invertedCells(const Mesh& m) {
  std::size_t r = 0;
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    std::vector<Vec3> p;
    for (auto n : m.cells.of(c)) p.push_back(m.nodes[static_cast<std::size_t>(n)]);
    r += jacobianRange(m.cells.type[c], p).least <= 0;
  }
  return r;
}

} // namespace

TEST(Improve, damagedMeshesOfAllTypesAreMended) {
  struct Case {
    const char* name;
    Mesh mesh;
    double way;
  };
  const Part grid = boxGrid({{{0, 2, 4, 7}, {0, 3}, {0, 2}}}, {"a", "b", "c"}, [](int i, int, int) { return i; });
  std::vector<Case> cases;
  cases.push_back({"mapped", filled(made("box 8 6 5"), 1, {Fill::Mapped}).mesh, 1.0});
  cases.push_back({"hexahedra", filled(made("plate 0 3 0 0 0"), 2, {Fill::Swept}).mesh, 2.0});
  cases.push_back({"wedges", filled(made("cylinder 3 8"), 0.8, {Fill::Swept}, 1, 0, {}, Across::Triangles).mesh, 0.8});
  cases.push_back({"hybrid", filled(grid, 0.6, {Fill::Mapped, Fill::Tetrahedra, Fill::Swept}).mesh, 0.5});
  Mesh imported = cases[1].mesh; // as a file brings it: without links to a part
  imported.nodeLink.clear();
  imported.faceLink.clear();
  cases.push_back({"imported", imported, 1.5});
  for (auto& c : cases) {
    SCOPED_TRACE(c.name);
    const double volume = meshVolume(c.mesh), surface = area(c.mesh);
    ASSERT_EQ(invertedCells(c.mesh), 0u);
    damage(c.mesh, c.way);
    ASSERT_GT(invertedCells(c.mesh), 0u);
    const std::size_t cells = c.mesh.cells.size();
    Progress progress;
    auto r = improveMesh(c.mesh, {}, progress);
    ASSERT_TRUE(r.ok()) << r.problem().sentence();
    EXPECT_EQ(invertedCells(c.mesh), 0u);
    EXPECT_GT(r->others.worstAfter, r->others.worstBefore);
    EXPECT_NEAR(meshVolume(c.mesh), volume, 1e-9 * volume);
    EXPECT_NEAR(area(c.mesh), surface, 1e-9 * surface);
    if (std::string(c.name) != "hybrid") {
      EXPECT_EQ(c.mesh.cells.size(), cells);
    }
  }
}

TEST(Improve, theWorstCornerOfHexahedraNeverGetsWorse) {
  Mesh m = filled(made("quarter 6 3 4"), 0.7, {Fill::Swept}).mesh;
  damage(m, 0.25);
  auto worst = [&] { return computeMetrics(m)[static_cast<std::size_t>(Metric::ScaledJacobian)].min; };
  const double before = worst();
  Progress progress;
  ASSERT_TRUE(improveMesh(m, {}, progress).ok());
  EXPECT_GE(worst(), before - 1e-12);
  // Of a choice, only its inner nodes move.
  Mesh some = m;
  damage(some, 0.3);
  std::vector<char> only(some.cells.size(), 0);
  std::fill(only.begin(), only.begin() + static_cast<std::ptrdiff_t>(only.size() / 2), 1);
  const Mesh held = some;
  ASSERT_TRUE(improveMesh(some, only, progress).ok());
  std::set<std::int32_t> mayMove;
  for (std::size_t c = 0; c < only.size(); ++c)
    if (only[c]) mayMove.insert(some.cells.of(c).begin(), some.cells.of(c).end());
  for (std::size_t n = 0; n < some.nodes.size(); ++n)
    if (!mayMove.count(static_cast<std::int32_t>(n))) {
      EXPECT_EQ(some.nodes[n], held.nodes[n]);
    }
}

TEST(Improve, nodesOfFlatFacesAndStraightEdgesSlide) {
  Mesh whole = filled(made("box 8 6 5"), 1, {Fill::Mapped}).mesh;
  // A set that ends within a face: its rim is a line that nodes do not leave.
  MeshGroup half;
  half.name = "half";
  half.dim = 2;
  for (std::size_t f = 0; f < whole.faces.size(); ++f) {
    const auto n = whole.faces.of(f);
    const bool top = std::all_of(n.begin(), n.end(),
                                 [&](auto v) { return whole.nodes[static_cast<std::size_t>(v)].z() > 5 - 1e-9; });
    const bool left = std::all_of(n.begin(), n.end(),
                                  [&](auto v) { return whole.nodes[static_cast<std::size_t>(v)].x() < 4 + 1e-9; });
    if (top && left) half.items.push_back(static_cast<std::int32_t>(f));
  }
  ASSERT_EQ(half.items.size(), 24u);
  whole.groups.push_back(half);
  Mesh imported = whole;
  imported.nodeLink.clear();
  imported.faceLink.clear();
  for (Mesh mesh : {whole, imported}) {
    auto setArea = [&] {
      double sum = 0;
      for (auto f : mesh.groups[0].items) {
        const auto n = mesh.faces.of(static_cast<std::size_t>(f));
        auto at = [&](std::size_t k) -> const Vec3& { return mesh.nodes[static_cast<std::size_t>(n[k])]; };
        sum += 0.5 * (at(2) - at(0)).cross(at(3) - at(1)).norm();
      }
      return sum;
    };
    const std::vector<Vec3> sound = mesh.nodes;
    // Nodes inside the top and bottom move in these, those of edges along x along them.
    int moved = 0;
    for (Vec3& p : mesh.nodes) {
      const bool lid = p.z() < 1e-9 || p.z() > 5 - 1e-9, side = p.y() < 1e-9 || p.y() > 6 - 1e-9,
                 end = p.x() < 1e-9 || p.x() > 8 - 1e-9, rim = std::abs(p.x() - 4) < 1e-9;
      if (!lid || end || rim) continue;
      p.x() += (++moved % 3 - 1) * 1.3;
      if (!side) p.y() += (moved % 2 ? 1 : -1) * 0.4;
    }
    ASSERT_GT(invertedCells(mesh), 0u);
    Progress progress;
    auto r = improveMesh(mesh, {}, progress);
    ASSERT_TRUE(r.ok()) << r.problem().sentence();
    EXPECT_EQ(invertedCells(mesh), 0u);
    EXPECT_NEAR(meshVolume(mesh), 240, 1e-9);
    EXPECT_NEAR(setArea(), 24, 1e-9);
    for (std::size_t n = 0; n < sound.size(); ++n) {
      const Vec3 &a = sound[n], &b = mesh.nodes[n];
      const std::array<double, 3> extent{8, 6, 5};
      for (int k = 0; k < 3; ++k)
        if (a[k] < 1e-9 || a[k] > extent[static_cast<std::size_t>(k)] - 1e-9) {
          EXPECT_NEAR(a[k], b[k], 1e-9);
        }
    }
  }
}
