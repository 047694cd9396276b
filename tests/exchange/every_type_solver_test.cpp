// SPDX-License-Identifier: GPL-3.0-or-later
// Bars of every element type, order and mixture in the solvers that read them: uniform tension and a linear temperature
// must come out exactly, and the checkers have nothing to say.
#include "base/file.h"
#include "support/boxes.h"
#include "support/fixtures.h"
#include "support/touching.h"
#include <sstream>

using namespace tess;
using namespace tess::test;

namespace {

bool installed(const std::string& program) {
  return std::system(("command -v " + program + " > /dev/null 2>&1").c_str()) == 0;
}
std::string outputOf(const std::string& command) {
  std::string out;
  if (FILE* p = popen((command + " 2>&1").c_str(), "r")) {
    char b[4096];
    while (std::size_t n = fread(b, 1, sizeof b, p)) out.append(b, n);
    pclose(p);
  }
  return out;
}

/// Of a cell with flat faces.
Vec3 centroid(const Mesh& m, std::size_t c) {
  const Vec3 o = cellCenter(m, c);
  const auto n = m.cells.of(c);
  Vec3 sum = Vec3::Zero();
  double volume = 0;
  for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
    const auto q = m.cells.faceCorners(c, f);
    auto at = [&](std::size_t i) -> const Vec3& {
      return m.nodes[static_cast<std::size_t>(n[static_cast<std::size_t>(q[i])])];
    };
    for (std::size_t i = 2; i < q.size(); ++i) {
      const double v = (at(0) - o).dot((at(i - 1) - o).cross(at(i) - o));
      sum += v * (o + at(0) + at(i - 1) + at(i)) / 4;
      volume += v;
    }
  }
  return sum / volume;
}

/// Pulled at its end without contraction across, a bar of this length must move by p x / E everywhere.
void expectStretch(const Mesh& m, double length, double tolerance) {
  TempFolder dir;
  std::string sections;
  for (const auto& r : m.regions) sections += "*SOLID SECTION, ELSET=" + r + ", MATERIAL=S\n";
  ASSERT_FALSE(writeInp(m, dir / "mesh.inp", 1).has_value());
  // Poisson's ratio 0: every node moves by p x / E along the bar and not at all across it.
  dir.write("job.inp", "*INCLUDE, INPUT=mesh.inp\n*MATERIAL, NAME=S\n*ELASTIC\n1000,0.0\n" + sections +
                           "*STEP\n*STATIC\n*BOUNDARY\nleft,1,3\n*DSLOAD\nright,P,-2\n*NODE PRINT, "
                           "NSET=NALL\nU\n*END STEP\n");
  const std::string said = outputOf("cd '" + (dir / "") + "' && OMP_NUM_THREADS=1 ccx job");
  auto dat = readFile(dir / "job.dat");
  ASSERT_TRUE(dat.ok()) << said;
  ASSERT_NE(dat->find("displacements"), std::string::npos) << said;
  std::istringstream s(dat->substr(dat->find("displacements")));
  std::string line;
  std::getline(s, line);
  std::size_t count = 0;
  double worst = 0, stretch = 0, ends = 0;
  for (long id; std::getline(s, line);) {
    std::istringstream l(line);
    Vec3 u;
    if (!(l >> id >> u.x() >> u.y() >> u.z())) continue;
    const Vec3& p = m.nodes.at(static_cast<std::size_t>(id) - 1);
    worst = std::max(worst, (u - Vec3(2 * p.x() / 1000, 0, 0)).norm());
    if (p.x() > length - 1e-9) stretch += u.x(), ++ends;
    ++count;
  }
  EXPECT_EQ(count, m.nodes.size());
  const double exact = 2 * length / 1000.0;
  EXPECT_LT(worst, tolerance * exact);
  EXPECT_NEAR(stretch / ends, exact, 0.5 * tolerance * exact);
}

/// Held at 0 on the left and at its length on the right, a bar must have the temperature x in the middle of each cell.
void expectStraightTemperature(const Mesh& m, double length) {
  TempFolder dir;
  ASSERT_FALSE(writeFoam(m, dir / "", 1).has_value());
  auto put = [&](const std::string& folder, const std::string& name, const std::string& kind, const std::string& text) {
    std::filesystem::create_directories(dir / folder);
    dir.write(folder + "/" + name,
              "FoamFile { version 2.0; format ascii; class " + kind + "; object " + name + "; }\n" + text + "\n");
  };
  put("system", "controlDict", "dictionary",
      "application laplacianFoam; startFrom startTime; startTime 0; stopAt endTime; endTime 4; deltaT 1; "
      "writeControl "
      "timeStep; writeInterval 4; writeFormat ascii; writePrecision 12;");
  put("system", "fvSchemes", "dictionary",
      "ddtSchemes { default steadyState; } gradSchemes { default leastSquares; } divSchemes { default none; } "
      "laplacianSchemes { default Gauss linear corrected; } interpolationSchemes { default linear; } snGradSchemes { "
      "default corrected; }");
  put("system", "fvSolution", "dictionary",
      "solvers { T { solver PCG; preconditioner DIC; tolerance 1e-14; relTol 0; } } SIMPLE { "
      "nNonOrthogonalCorrectors 40; }");
  put("constant", "transportProperties", "dictionary", "DT DT [0 2 -1 0 0 0 0] 1;");
  put("0", "T", "volScalarField",
      "dimensions [0 0 0 1 0 0 0]; internalField uniform 0.5; boundaryField { left { type fixedValue; value uniform "
      "0; } "
      "right { type fixedValue; value uniform " +
          formatNumber(length) + "; } sides { type zeroGradient; } }");
  auto run = [&](const std::string& program) {
    return outputOf("cd '" + (dir / "") + "' && WM_PROJECT_DIR=/usr/share/openfoam " + program);
  };
  const std::string check = run("checkMesh");
  EXPECT_NE(check.find("Mesh OK."), std::string::npos) << check;
  const std::string said = run("laplacianFoam");
  auto field = readFile(dir / "4/T");
  ASSERT_TRUE(field.ok()) << said;
  std::istringstream in(field->substr(field->find("nonuniform")));
  std::string word;
  std::getline(in, word);
  std::size_t count = 0;
  in >> count >> word;
  ASSERT_EQ(count, m.cells.size());
  double worst = 0;
  for (std::size_t c = 0; c < count; ++c) {
    double t = 0;
    in >> t;
    worst = std::max(worst, std::abs(t - centroid(m, c).x()));
  }
  EXPECT_LT(worst, 1e-6 * length);
}

/// Three boxes in a row, `fill` in the middle one and tetrahedra in the others, or the other way round.
Mesh barWithJoints(int order, bool rowsInTheMiddle, Fill fill = Fill::Mapped) {
  const Part part =
      boxGrid({{{0, 3, 5, 8}, {0, 4}, {0, 4}}}, {"first", "second", "third"}, [](int i, int, int) { return i; });
  SizeRequest request;
  request.overall.target = 1.3;
  MeshWishes wishes;
  MeshOptions options;
  options.order = order;
  for (int b = 0; b < 3; ++b) wishes.fills.push_back({(b == 1) == rowsInTheMiddle ? fill : Fill::Tetrahedra, true, -1});
  Progress progress;
  auto made = meshPart(part, makeSizeField(part, request), wishes, options, progress);
  EXPECT_TRUE(made.ok()) << (made.ok() ? "" : made.problem().sentence());
  nameSides(made->mesh, {8, 4, 4});
  return std::move(made->mesh);
}

} // namespace

TEST(EveryTypeSolver, barsStretchAsTheorySays) {
  ASSERT_TRUE(installed("ccx")) << "the package calculix-ccx is missing";
  for (auto filling : fillings())
    for (int order : {1, 2}) {
      if (filling == Filling::Polyhedra) continue;
      SCOPED_TRACE(fillingName(filling) + " of order " + std::to_string(order));
      // Pyramids of order 2 are collapsed hexahedra there, whose sides do not quite fit tetrahedra of order 2.
      const bool odd = order == 2 && (filling == Filling::Hybrid || filling == Filling::Pyramids);
      expectStretch(bar(filling, order, {{8, 4, 4}, {8, 2, 2}}), 8, odd ? 2e-3 : 1e-6);
    }
}

TEST(EveryTypeSolver, flowSolversFindAStraightTemperature) {
  ASSERT_TRUE(installed("checkMesh") && installed("laplacianFoam")) << "the package openfoam is missing";
  for (auto filling : fillings()) {
    SCOPED_TRACE(fillingName(filling));
    expectStraightTemperature(bar(filling, 1, {{4, 2, 2}, {4, 2, 2}}), 4);
  }
}

TEST(EveryTypeSolver, jointsBetweenHexahedraAndTetrahedraCarryTensionAndHeat) {
  ASSERT_TRUE(installed("ccx") && installed("checkMesh") && installed("laplacianFoam"));
  for (bool middle : {true, false}) {
    SCOPED_TRACE(middle ? "rows in the middle" : "rows at the ends");
    expectStretch(barWithJoints(1, middle), 8, 1e-6);
    expectStretch(barWithJoints(2, middle), 8, 2e-2); // collapsed hexahedra, as above, of every shape here
    expectStraightTemperature(barWithJoints(1, middle), 8);
    // Layers of wedges join tetrahedra by triangles: exact in either order.
    for (int order : {1, 2}) {
      const Mesh swept = barWithJoints(order, middle, Fill::Swept);
      EXPECT_TRUE(std::none_of(swept.cells.type.begin(), swept.cells.type.end(), [](ElementType t) {
        return t == ElementType::Pyramid5 || t == ElementType::Pyramid13;
      }));
      expectStretch(swept, 8, 1e-6);
    }
    expectStraightTemperature(barWithJoints(1, middle, Fill::Swept), 8);
  }
}

TEST(EveryTypeSolver, cgnscheckHasNoError) {
  ASSERT_TRUE(installed("cgnscheck")) << "the package cgns-convert is missing";
  for (auto filling : fillings())
    for (int order : {1, 2}) {
      if (order == 2 && !hasOrder2(filling)) continue;
      SCOPED_TRACE(fillingName(filling) + " of order " + std::to_string(order));
      TempFolder dir;
      ASSERT_FALSE(writeCgns(bar(filling, order), dir / "bar.cgns", 1).has_value());
      const std::string said = outputOf("cgnscheck -v '" + (dir / "bar.cgns") + "'");
      EXPECT_EQ(said.find("ERROR"), std::string::npos) << said;
      EXPECT_EQ(said.find("not boundary elements"), std::string::npos) << said;
      EXPECT_EQ(said.find("are not exterior"), std::string::npos) << said;
    }
}
