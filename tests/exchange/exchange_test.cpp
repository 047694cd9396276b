// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/file.h"
#include "support/fixtures.h"
#include <cmath>
#include <map>
#include <set>
#include <sstream>

using namespace tess;
using namespace tess::test;

namespace {

/// A meshed box with its six sides as groups.
Mesh boxWithSides(int order, const char* recipe = "box 4 2 1", double size = 0.7) {
  Part part = made(recipe);
  Mesh m = meshOf(part, size, order).mesh;
  const char* names[] = {"left side", "right side", "front side", "rear side", "low side", "high side"};
  for (int axis = 0; axis < 3; ++axis)
    for (int end = 0; end < 2; ++end) {
      MeshGroup g{names[2 * axis + end], 2, {}, 1};
      double at = end ? part.box.hi[axis] : part.box.lo[axis];
      for (std::size_t f = 0; f < m.faces.size(); ++f) {
        bool on = true;
        for (int i = 0; i < 3; ++i)
          on = on && std::abs(m.nodes[static_cast<std::size_t>(m.faces.of(f)[static_cast<std::size_t>(i)])][axis] -
                              at) < 1e-9;
        if (on) g.items.push_back(static_cast<std::int32_t>(f));
      }
      m.groups.push_back(g);
    }
  return m;
}

double area(const Mesh& m, const MeshGroup& g) {
  double a = 0;
  for (auto f : g.items) a += faceArea(m, static_cast<std::size_t>(f));
  return a;
}

/// Runs the solver on a deck in `dir`; the text of its .dat file, empty when it failed.
std::string solve(const TempFolder& dir, const std::string& job) {
  std::string cmd = "cd " + (dir / "") + " && OMP_NUM_THREADS=1 ccx " + job + " > " + job + ".out 2>&1";
  if (std::system(cmd.c_str()) != 0) return {};
  auto t = readFile(dir / (job + ".dat"));
  return t ? *t : "";
}
bool haveSolver() { return std::system("command -v ccx > /dev/null 2>&1") == 0; }

/// The three numbers after the line that starts the total force of a set.
Vec3 totalForce(const std::string& dat, const std::string& set) {
  std::string s = dat;
  for (char& c : s) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  std::string name = set;
  for (char& c : name) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  auto at = s.find("TOTAL FORCE (FX,FY,FZ) FOR SET " + name);
  Vec3 f(1e300, 0, 0);
  if (at == std::string::npos) return f;
  std::istringstream in(s.substr(s.find('\n', at)));
  in >> f.x() >> f.y() >> f.z();
  return f;
}

} // namespace

TEST(Names, fitAllSolvers) {
  auto n = solverNames({"bolt holes", "Bolt Holes", "3rd", "", "ein sehr langer name der nirgends passt", "ok_1"});
  std::set<std::string> folded;
  for (auto s : n) {
    EXPECT_LE(s.size(), 31u);
    EXPECT_TRUE(std::isalpha(static_cast<unsigned char>(s[0])));
    EXPECT_EQ(s.find_first_not_of("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_"),
              std::string::npos);
    for (char& c : s) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    EXPECT_TRUE(folded.insert(s).second);
  }
}

namespace {
/// A grid of two tetrahedra on five points, with the arrays as given.
std::string gridText(const std::string& connectivity = "0 1 2 3 1 2 3 4", const std::string& offsets = "4 8",
                     const std::string& types = "10 10", const std::string& region = "0 1",
                     const std::string& points = "0 0 0 1 0 0 0 1 0 0 0 1 1 1 1") {
  auto array = [](const char* type, const char* name, const std::string& values) {
    return "<DataArray type=\"" + std::string(type) + "\" Name=\"" + name + "\" format=\"ascii\">" + values +
           "</DataArray>";
  };
  return "<VTKFile type=\"UnstructuredGrid\" version=\"1.0\"><UnstructuredGrid><Piece NumberOfPoints=\"5\" "
         "NumberOfCells=\"2\"><Points><DataArray type=\"Float64\" NumberOfComponents=\"3\" format=\"ascii\">" +
         points + "</DataArray></Points><Cells>" + array("Int64", "connectivity", connectivity) +
         array("Int64", "offsets", offsets) + array("UInt8", "types", types) + "</Cells><CellData>" +
         array("Int32", "region", region) + "</CellData></Piece></UnstructuredGrid></VTKFile>";
}
} // namespace

TEST(Vtu, cellsThatDoNotMatchTheirTypeOrTheNodesAreTold) {
  TempFolder dir;
  auto why = [&](const std::string& text) {
    const std::string file = dir.write("g.vtu", text);
    auto m = readVtu(file);
    auto a = readVtuArray(file, "region");
    EXPECT_EQ(m.ok(), a.ok());
    if (m.ok()) return std::string("read ") + std::to_string(m->regions.size());
    EXPECT_EQ(m.problem().where, file);
    return m.problem().why;
  };
  EXPECT_EQ(why(gridText()), "read 2");
  EXPECT_EQ(why(gridText("0 1 2 1 2 3 4", "3 7")), "cell 0 is a tet4 of 3 nodes");
  EXPECT_EQ(why(gridText("0 1 2 3 1 2 3 4", "4 8", "10 12")), "cell 1 is a hex8 of 4 nodes");
  EXPECT_EQ(why(gridText("0 1 2 3 1 2 3 5")), "cell 1 refers to a node that is not there");
  EXPECT_EQ(why(gridText("0 1 2 3 1 2 -3 4")), "cell 1 refers to a node that is not there");
  EXPECT_EQ(why(gridText("0 1 2 3 1 2 3 4", "4 8", "10 10", "0 1", "0 0 0 1 0 0 0 nan 0 0 0 1 1 1 1")),
            "node 2 has a coordinate that is not a number");
  // A region's number is no reason to fill the memory with names.
  auto many = readVtu(dir.write("g.vtu", gridText("0 1 2 3 1 2 3 4", "4 8", "10 10", "0 2000000000")));
  ASSERT_FALSE(many.ok());
  EXPECT_NE(many.problem().why.find("region 2000000000"), std::string::npos) << many.problem().why;
}

TEST(Vtu, sizesAreReadFromCellsOfAnyType) {
  TempFolder dir;
  const std::string head = "<VTKFile type=\"UnstructuredGrid\" version=\"1.0\"><UnstructuredGrid><Piece ";
  auto cube = [&](int type, const std::string& order) {
    return dir.write("h.vtu",
                     head +
                         "NumberOfPoints=\"8\" NumberOfCells=\"1\"><Points><DataArray type=\"Float64\" "
                         "NumberOfComponents=\"3\" format=\"ascii\">0 0 0 2 0 0 2 2 0 0 2 0 0 0 2 2 0 2 2 2 2 0 2 2"
                         "</DataArray></Points><Cells><DataArray type=\"Int64\" Name=\"connectivity\" "
                         "format=\"ascii\">" +
                         order +
                         "</DataArray><DataArray type=\"Int64\" Name=\"offsets\" format=\"ascii\">8</DataArray>"
                         "<DataArray type=\"UInt8\" Name=\"types\" format=\"ascii\">" +
                         std::to_string(type) +
                         "</DataArray></Cells><CellData><DataArray type=\"Float64\" Name=\"h\" "
                         "format=\"ascii\">0.5</DataArray></CellData></Piece></UnstructuredGrid></VTKFile>");
  };
  // A voxel numbers its corners by rows.
  for (const auto& [type, order] : {std::pair{12, "0 1 2 3 4 5 6 7"}, std::pair{11, "0 1 3 2 4 5 7 6"}}) {
    auto v = readVtuArray(cube(type, order), "h");
    ASSERT_TRUE(v.ok()) << type;
    ASSERT_EQ(v->value.size(), 1u);
    EXPECT_EQ(v->value[0], 0.5);
    EXPECT_NEAR((v->center[0] - Vec3(1, 1, 1)).norm(), 0, 1e-12);
    EXPECT_NEAR(v->edge[0], 2, 1e-12) << type;
  }
}

TEST(RoundTrip, vtuAndInpKeepEverything) {
  TempFolder dir;
  for (int order : {1, 2}) {
    Mesh m = boxWithSides(order);
    for (const char* name : {"m.vtu", "m.inp"}) {
      std::string path = dir / name;
      ASSERT_FALSE(writeMesh(m, *meshFormatOfPath(path), path).has_value());
      auto r = readMesh(path);
      ASSERT_TRUE(r.ok()) << r.problem().sentence();
      EXPECT_EQ(r->cells.size(), m.cells.size());
      EXPECT_EQ(r->nodes.size(), m.nodes.size());
      EXPECT_NEAR(meshVolume(*r), 8, 1e-9);
      ASSERT_EQ(r->groups.size(), 6u);
      const double want[] = {2, 2, 4, 4, 8, 8};
      for (std::size_t g = 0; g < 6; ++g) EXPECT_NEAR(area(*r, r->groups[g]), want[g], 1e-9) << name;
      EXPECT_FALSE(verifyWritten(m, *meshFormatOfPath(path), path, 1).has_value());
    }
  }
}

TEST(RoundTrip, setsOfEveryKindRolesAndMaterialsComeBack) {
  TempFolder dir;
  for (int order : {1, 2}) {
    Mesh m = boxWithSides(order);
    m.groups[0].role = "inlet";
    m.groups[3].role = "wall";
    m.materials = {"steel"};
    m.media = {"solid"};
    MeshGroup both{"both ends", 2, m.groups[0].items, 2}, cells{"failing", 3, {0, 7, 9}, 0},
        nodes{"pins", 0, {1, 5}, 2}, edge{"rim", 1, {2, 3, 4}, 1};
    both.items.insert(both.items.end(), m.groups[1].items.begin(), m.groups[1].items.end()); // shares faces with both
    std::sort(both.items.begin(), both.items.end());
    m.groups.insert(m.groups.begin() + 2, cells); // among those of faces
    for (const auto& g : {both, nodes, edge}) m.groups.push_back(g);
    const std::string path = dir / "m.vtu";
    ASSERT_FALSE(writeMesh(m, MeshFormat::Vtu, path).has_value());
    auto r = readMesh(path);
    ASSERT_TRUE(r.ok()) << r.problem().sentence();
    EXPECT_EQ(r->materials, m.materials);
    EXPECT_EQ(r->media, m.media);
    ASSERT_EQ(r->groups.size(), m.groups.size());
    for (std::size_t k = 0; k < m.groups.size(); ++k) {
      const MeshGroup &a = m.groups[k], &b = r->groups[k];
      EXPECT_EQ(a.name, b.name);
      EXPECT_EQ(a.dim, b.dim) << a.name;
      EXPECT_EQ(a.role, b.role) << a.name;
      EXPECT_EQ(a.items.size(), b.items.size()) << a.name;
      if (a.dim == 2) {
        EXPECT_NEAR(area(m, a), area(*r, b), 1e-9) << a.name;
      } else {
        EXPECT_EQ(a.items, b.items) << a.name;
      }
    }
    EXPECT_FALSE(verifyWritten(m, MeshFormat::Vtu, path, 1).has_value());
    // Read back, a set that lost a member is not what was written.
    Mesh less = m;
    for (auto& g : less.groups)
      if (g.name == "failing") g.items.pop_back();
    EXPECT_TRUE(verifyWritten(less, MeshFormat::Vtu, path, 1).has_value());

    ASSERT_FALSE(writeMesh(m, MeshFormat::Inp, dir / "m.inp").has_value());
    auto deck = readMesh(dir / "m.inp");
    ASSERT_TRUE(deck.ok());
    EXPECT_EQ(deck->materials, m.materials);
    EXPECT_EQ(deck->media, m.media);
    std::map<std::string, std::string> roles;
    for (const auto& g : deck->groups) roles[g.name] = g.role;
    EXPECT_EQ(roles.at("left_side"), "inlet");
    EXPECT_EQ(roles.at("rear_side"), "wall");
    EXPECT_EQ(roles.at("low_side"), "");
  }
}

TEST(RoundTrip, readingHeedsAStop) {
  TempFolder dir;
  const Mesh m = boxWithSides(1);
  Progress progress;
  progress.stop();
  for (const char* name : {"m.vtu", "m.inp", "m"}) {
    const std::string path = dir / name;
    ASSERT_FALSE(writeMesh(m, meshFormatOfPath(path).value_or(MeshFormat::Foam), path, 1).has_value()) << name;
    ASSERT_TRUE(readMesh(path).ok()) << name;
    if (std::string(name) == "m.inp") continue; // looks up every few thousand lines only
    EXPECT_THROW((void)readMesh(path, &progress), Cancelled) << name;
  }
  // So do results that are read for sizes, and surfaces that are kept.
  ASSERT_TRUE(readVtuArray(dir / "m.vtu", "region").ok());
  EXPECT_THROW((void)readVtuArray(dir / "m.vtu", "region", &progress), Cancelled);
  ASSERT_TRUE(readSurface(dir / "m.vtu").ok());
  EXPECT_THROW((void)readSurface(dir / "m.vtu", &progress), Cancelled);
  // Long enough for that.
  std::string text = readFile(dir / "m.inp").value();
  for (int i = 0; i < 5000; ++i) text += "** a remark\n";
  EXPECT_THROW((void)readMesh(dir.write("long.inp", text), &progress), Cancelled);
}

TEST(RoundTrip, verificationSeesADamagedFile) {
  TempFolder dir;
  Mesh m = boxWithSides(1);
  std::string path = dir / "m.inp";
  ASSERT_FALSE(writeInp(m, path, 1).has_value());
  std::string t = *readFile(path);
  auto at = t.find("*ELEMENT");
  dir.write("m.inp", t.substr(0, at) + "*ELEMENT, TYPE=C3D4, ELSET=x\n1,1,2,3,4\n");
  EXPECT_TRUE(verifyWritten(m, MeshFormat::Inp, path, 1).has_value());
}

TEST(RoundTrip, scaleIsApplied) {
  TempFolder dir;
  Mesh m = boxWithSides(1);
  ASSERT_FALSE(writeMesh(m, MeshFormat::Inp, dir / "s.inp", 0.001).has_value());
  EXPECT_NEAR(meshVolume(*readMesh(dir / "s.inp")), 8e-9, 1e-17);
}

TEST(Inp, numbersAreAtMost20CharactersAndLinesAtMost16Entries) {
  TempFolder dir;
  Part part = made("sphere 3");
  Mesh m = meshOf(part, 1.3, 2).mesh;
  for (auto& n : m.nodes) n = Vec3(-n.x() / 3e9, n.y() * 1e7 / 3, n.z());
  ASSERT_FALSE(writeInp(m, dir / "n.inp", 1).has_value());
  std::ifstream in(dir / "n.inp");
  bool nodes = false;
  for (std::string line; std::getline(in, line);) {
    if (line[0] == '*') {
      nodes = line.find("*NODE") == 0;
      continue;
    }
    EXPECT_LE(std::count(line.begin(), line.end(), ',') + 1, 17); // a trailing comma ends a list line
    if (!nodes) continue;
    std::stringstream s(line);
    for (std::string w; std::getline(s, w, ',');) EXPECT_LE(w.size(), 20u) << w;
  }
}

TEST(Inp, brokenDecksAreRefusedWithTheLine) {
  TempFolder dir;
  auto p = readInp(dir.write("a.inp", "*NODE\n1,0,0,0\n2,1,0,0\n*ELEMENT,TYPE=C3D4\n1,1,2,3,4\n"));
  ASSERT_FALSE(p.ok());
  EXPECT_NE(p.problem().where.find("line 5"), std::string::npos);
  EXPECT_FALSE(readInp(dir.write("b.inp", "hello")).ok());
  EXPECT_FALSE(readVtu(dir.write("c.vtu", "<VTKFile type=\"UnstructuredGrid\">")).ok());
}

TEST(Foam, facesAreOrderedClosedAndOutward) {
  TempFolder dir;
  Mesh m = boxWithSides(1);
  ASSERT_FALSE(writeFoam(m, dir / "case", 0.001).has_value());
  auto numbers = [&](const char* name) {
    std::string t = *readFile(dir / (std::string("case/constant/polyMesh/") + name));
    std::istringstream s(t.substr(t.find("}\n") + 2));
    std::size_t n;
    char c;
    s >> n >> c;
    std::vector<long> v(n);
    for (auto& x : v) s >> x;
    return v;
  };
  auto owner = numbers("owner"), neighbour = numbers("neighbour");
  std::pair<long, long> last{-1, -1};
  for (std::size_t i = 0; i < neighbour.size(); ++i) {
    EXPECT_LT(owner[i], neighbour[i]);
    EXPECT_LT(last, std::pair(owner[i], neighbour[i])); // upper-triangular order
    last = {owner[i], neighbour[i]};
  }
  // Every cell is closed: the sum of its outward face areas vanishes.
  std::string pt = *readFile(dir / "case/constant/polyMesh/points"),
              ft = *readFile(dir / "case/constant/polyMesh/faces");
  std::vector<Vec3> points;
  std::istringstream ps(pt.substr(pt.find("}\n") + 2));
  std::size_t n;
  char c;
  ps >> n >> c;
  for (std::size_t i = 0; i < n; ++i) {
    Vec3 p;
    ps >> c >> p.x() >> p.y() >> p.z() >> c;
    points.push_back(p);
  }
  std::vector<Vec3> sum(m.cells.size(), Vec3::Zero());
  std::istringstream fs(ft.substr(ft.find("}\n") + 2));
  fs >> n >> c;
  for (std::size_t i = 0; i < n; ++i) {
    int k;
    std::size_t v[3];
    fs >> k >> c >> v[0] >> v[1] >> v[2] >> c;
    ASSERT_EQ(k, 3);
    Vec3 a = 0.5 * (points[v[1]] - points[v[0]]).cross(points[v[2]] - points[v[0]]);
    sum[static_cast<std::size_t>(owner[i])] += a;
    if (i < neighbour.size()) sum[static_cast<std::size_t>(neighbour[i])] -= a;
  }
  for (const auto& s : sum) EXPECT_LT(s.norm(), 1e-18);
  std::string b = *readFile(dir / "case/constant/polyMesh/boundary");
  EXPECT_NE(b.find("left_side"), std::string::npos);
  EXPECT_EQ(b.find("unassigned"), std::string::npos); // all faces are in groups here
}

TEST(Solver, pressureOnAnExportedFaceSetGivesForceAsAVector) {
  ASSERT_TRUE(haveSolver()) << "the package calculix-ccx is missing";
  for (int order : {1, 2}) {
    TempFolder dir;
    Mesh m = boxWithSides(order);
    ASSERT_FALSE(writeInp(m, dir / "mesh.inp", 1).has_value());
    // Supported on the opposite side, which shares no node with the loaded one (RF includes loads on its own nodes).
    const char* pairs[3][2] = {{"left_side", "right_side"}, {"front_side", "rear_side"}, {"low_side", "high_side"}};
    const double areas[3] = {2, 4, 8};
    for (int axis = 0; axis < 3; ++axis) {
      std::string held = pairs[axis][0], pressed = pairs[axis][1];
      dir.write("job.inp", "*INCLUDE, INPUT=mesh.inp\n*MATERIAL, NAME=S\n*ELASTIC\n210000,0.3\n*SOLID SECTION, "
                           "ELSET=body1, MATERIAL=S\n*STEP\n*STATIC\n*BOUNDARY\n" +
                               held + ",1,3\n*DSLOAD\n" + pressed + ",P,2.5\n*NODE PRINT, NSET=" + held +
                               ", TOTALS=ONLY\nRF\n*END STEP\n");
      std::string dat = solve(dir, "job");
      ASSERT_FALSE(dat.empty()) << *readFile(dir / "job.out");
      Vec3 want = Vec3::Zero();
      want[axis] = 2.5 * areas[axis]; // p x A, pushing back
      EXPECT_LT((totalForce(dat, held) - want).norm(), 1e-3 * want.norm()) << order << " " << pressed;
    }
  }
}

TEST(Solver, barStretchesAsTheorySays) {
  ASSERT_TRUE(haveSolver()) << "the package calculix-ccx is missing";
  for (int order : {1, 2}) {
    TempFolder dir;
    Mesh m = boxWithSides(order, "box 10 1 1", 0.5);
    ASSERT_FALSE(writeInp(m, dir / "mesh.inp", 1).has_value());
    // Poisson's ratio 0: uniform tension, stretch = p L / E exactly.
    dir.write("job.inp",
              "*INCLUDE, INPUT=mesh.inp\n*MATERIAL, NAME=S\n*ELASTIC\n1000,0.0\n*SOLID SECTION, ELSET=body1, "
              "MATERIAL=S\n*STEP\n*STATIC\n*BOUNDARY\nleft_side,1,3\n*DSLOAD\nright_side,P,-2\n*NODE PRINT, "
              "NSET=right_side\nU\n*END STEP\n");
    std::string dat = solve(dir, "job");
    ASSERT_FALSE(dat.empty());
    std::istringstream s(dat.substr(dat.find("displacements")));
    std::string line;
    std::getline(s, line);
    int count = 0;
    for (long id; std::getline(s, line);) {
      std::istringstream l(line);
      double ux, uy, uz;
      if (!(l >> id >> ux >> uy >> uz)) continue;
      EXPECT_NEAR(ux, 2 * 10 / 1000.0, 0.01 * 0.02);
      ++count;
    }
    EXPECT_GT(count, 5);
  }
}

/// A thick tube under inner pressure, plane strain: halving the sizes moves the widening of the bore towards Lamé's
/// u = p a (1 + nu) ((1 - 2 nu) a^2 + b^2) / (E (b^2 - a^2)).
TEST(Solver, halvingTheSizesConvergesToLame) {
  ASSERT_TRUE(haveSolver()) << "the package calculix-ccx is missing";
  const double a = 2, b = 4, E = 1000, nu = 0.3, p = 10;
  const double exact = p * a * (1 + nu) * ((1 - 2 * nu) * a * a + b * b) / (E * (b * b - a * a));
  Part part = made("quarter 4 2 1");
  auto group = [](const std::string& name, std::map<std::string, std::string> values) {
    values["name"] = name;
    return Rule{"group", std::move(values), "", false, {}};
  };
  std::array<std::vector<double>, 2> error;
  for (int order : {1, 2})
    for (double factor : {1.0, 0.5, 0.25}) {
      if (order == 2 && factor < 0.4) continue;
      TempFolder dir;
      Brief brief = defaultBrief("made");
      brief.rules = {group("bore", {{"surface", "cylinder"}, {"radius_max", "2.5"}}),
                     group("ends", {{"normal", "0, 0, 1"}, {"surface", "plane"}}),
                     group("bottom", {{"normal", "0, 0, -1"}, {"surface", "plane"}}),
                     group("left", {{"normal", "-1, 0, 0"}, {"surface", "plane"}}),
                     group("front", {{"normal", "0, -1, 0"}, {"surface", "plane"}}),
                     {"everywhere", {{"target", "1"}, {"turn", "25"}}, "", false, {}},
                     {"fill", {{"order", std::to_string(order)}}, "", false, {}}};
      Progress progress;
      auto run = runBrief(scaledSizes(brief, part, factor), part, 0, progress);
      ASSERT_TRUE(run.ok());
      ASSERT_FALSE(writeInp(run->mesh, dir / "mesh.inp", 1).has_value());
      dir.write("job.inp", "*INCLUDE, INPUT=mesh.inp\n*MATERIAL, NAME=S\n*ELASTIC\n1000,0.3\n*SOLID SECTION, "
                           "ELSET=body1, MATERIAL=S\n*STEP\n*STATIC\n*BOUNDARY\nends,3,3\nbottom,3,3\nleft,1,1\n"
                           "front,2,2\n*DSLOAD\nbore,P,10\n*NODE PRINT, NSET=bore\nU\n*END STEP\n");
      std::string dat = solve(dir, "job");
      ASSERT_NE(dat.find("displacements"), std::string::npos) << *readFile(dir / "job.out");
      std::istringstream s(dat.substr(dat.find("displacements")));
      std::string line;
      std::getline(s, line);
      double sum = 0;
      int count = 0;
      for (long id; std::getline(s, line);) {
        std::istringstream l(line);
        double ux, uy, uz;
        if (!(l >> id >> ux >> uy >> uz)) continue;
        sum += std::hypot(ux, uy);
        ++count;
      }
      ASSERT_GT(count, 5);
      error[static_cast<std::size_t>(order - 1)].push_back(std::abs(sum / count / exact - 1));
    }
  for (const auto& e : error)
    for (std::size_t i = 1; i < e.size(); ++i) EXPECT_LT(e[i], 0.6 * e[i - 1]) << e[i - 1] << " -> " << e[i];
  EXPECT_LT(error[0].back(), 0.01);
  EXPECT_LT(error[1].back(), 0.001);
  EXPECT_LT(error[1][0], error[0][0]);
}

TEST(Solver, reactionsBalanceOnARealPart) {
  ASSERT_TRUE(haveSolver()) << "the package calculix-ccx is missing";
  TempFolder dir;
  RunResult run = runOf(demo("saddle-clamp.brief"));
  ASSERT_FALSE(writeInp(run.mesh, dir / "mesh.inp", 1).has_value());
  Vec3 load = Vec3::Zero(); // pressure pushes against the outward normal
  for (const auto& g : run.mesh.groups)
    if (g.name == "pipe seat")
      for (auto f : g.items) {
        auto n = run.mesh.faces.of(static_cast<std::size_t>(f));
        Vec3 p[6];
        for (std::size_t i = 0; i < 6; ++i) p[i] = run.mesh.nodes[static_cast<std::size_t>(n[i])];
        // Area vector of the curved triangle from its outline, which is all it depends on.
        auto edge = [](const Vec3& a, const Vec3& mid, const Vec3& b) {
          return Vec3((4 * (a.cross(mid) + mid.cross(b)) - a.cross(b)) / 6);
        };
        load -= edge(p[0], p[3], p[1]) + edge(p[1], p[4], p[2]) + edge(p[2], p[5], p[0]);
      }
  dir.write("job.inp",
            "*INCLUDE, INPUT=mesh.inp\n*MATERIAL, NAME=S\n*ELASTIC\n70000,0.33\n*SOLID SECTION, ELSET=saddle_clamp, "
            "MATERIAL=S\n*STEP\n*STATIC\n*BOUNDARY\nbolt_holes,1,3\n*DSLOAD\npipe_seat,P,1.0\n*NODE PRINT, "
            "NSET=bolt_holes, TOTALS=ONLY\nRF\n*END STEP\n");
  std::string dat = solve(dir, "job");
  ASSERT_FALSE(dat.empty()) << *readFile(dir / "job.out");
  Vec3 f = totalForce(dat, "bolt_holes");
  EXPECT_GT(load.norm(), 100);
  EXPECT_LT((f + load).norm(), 0.01 * load.norm());
}

TEST(Inp, numbersMayBeAnyAndWrittenInAnyUsualWay) {
  TempFolder dir;
  // Signs, powers of ten with D, blanks, tabs and line ends of another system; an element over two lines, numbers from
  // 0 to far beyond what the file could count up to, given twice (the last one counts), in no order.
  auto m = readMesh(dir.write("a.inp", "*NODE,NSET=all\r\n 2000000000 , +1.5D+01,\t0.d0 ,-0\r\n7, 0, 1e1, 0\r\n"
                                       "0, 9, 9, 9\r\n5,0,0,+2.5E+1\r\n0,0,0,0\r\n\r\n** a word\r\n"
                                       "*Element, Type = c3d4, ElSet = Body\r\n4000000000, 0, 2000000000,\r\n7, 5\r\n"
                                       "*elset,elset=few\r\n3, 4000000000,\r\n4000000000\r\n"
                                       "*nset,nset=two\r\n7,, 2000000000, 8\r\n"));
  ASSERT_TRUE(m.ok()) << m.problem().sentence();
  ASSERT_EQ(m->cells.size(), 1u);
  const auto n = m->cells.of(0);
  EXPECT_EQ(m->nodes[static_cast<std::size_t>(n[0])], Vec3(0, 0, 0));
  EXPECT_EQ(m->nodes[static_cast<std::size_t>(n[1])], Vec3(15, 0, 0));
  EXPECT_EQ(m->nodes[static_cast<std::size_t>(n[2])], Vec3(0, 10, 0));
  EXPECT_EQ(m->nodes[static_cast<std::size_t>(n[3])], Vec3(0, 0, 25));
  EXPECT_EQ(m->regions, (std::vector<std::string>{"Body"}));
  std::map<std::string, std::vector<std::int32_t>> items;
  for (const auto& g : m->groups) items[g.name] = g.items;
  EXPECT_EQ(items["few"], (std::vector<std::int32_t>{0}));
  EXPECT_EQ(items["two"], (std::vector<std::int32_t>{0, 1}));
  for (const char* node : {"1, 0, 0", "1, 1e999, 0, 0", "1, inf, 0, 0", "1, 0, nan, 0"}) {
    auto r = readMesh(dir.write("b.inp", std::string("*NODE\n") + node + "\n1, 0, 0, 0\n"));
    ASSERT_FALSE(r.ok()) << node;
    EXPECT_NE(r.problem().where.find("line 2"), std::string::npos) << node;
  }
}

TEST(Inp, RangesOfSetsAreReadAndBounded) {
  TempFolder dir;
  const std::string mesh = "*NODE\n1, 0, 0, 0\n2, 1, 0, 0\n3, 0, 1, 0\n4, 0, 0, 1\n5, 1, 1, 1\n"
                           "*ELEMENT, TYPE=C3D4, ELSET=body\n1, 1, 2, 3, 4\n2, 2, 3, 4, 5\n";
  auto m = readMesh(
      dir.write("a.inp", mesh + "*ELSET, ELSET=both, GENERATE\n1, 2, 1\n*NSET, NSET=odd, GENERATE\n1, 5, 2\n"));
  ASSERT_TRUE(m.ok()) << m.problem().sentence();
  std::map<std::string, std::size_t> items;
  for (const auto& g : m->groups) items[g.name] = g.items.size();
  EXPECT_EQ(items["both"], 2u);
  EXPECT_EQ(items["odd"], 3u);
  for (const char* range :
       {"1, 999999999999, 1", "5, 1, 1", "1, 5, 0", "-9223372036854775807, 9223372036854775807", "1"})
    EXPECT_FALSE(readMesh(dir.write("b.inp", mesh + "*ELSET, ELSET=e, GENERATE\n" + range + "\n")).ok()) << range;
  for (const char* kind : {"*ELSET, ELSET=e, GENERATE\n", "*NSET, NSET=n, GENERATE\n"}) { // thousands of short lines
    std::string many = mesh + kind;
    for (int k = 0; k < 3000; ++k) many += "1, 900000\n";
    EXPECT_FALSE(readMesh(dir.write("c.inp", many)).ok()) << kind;
  }
}

TEST(FoamRead, meshesComeBackWithPatchesAndZones) {
  TempFolder dir;
  Part part = made("boxes 3");
  Mesh m = meshOf(part, 0.5).mesh;
  MeshGroup left{"left", 2, {}, 1, "wall"};
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    bool at = true;
    for (auto n : m.faces.of(f)) at = at && m.nodes[static_cast<std::size_t>(n)].x() < 1e-9;
    if (at) left.items.push_back(static_cast<std::int32_t>(f));
  }
  m.groups = {left};
  ASSERT_FALSE(writeFoam(m, dir / "case", 0.001));
  for (const char* path : {"case", "case/constant", "case/constant/polyMesh"}) {
    auto r = readMesh(dir / path);
    ASSERT_TRUE(r.ok()) << path << ": " << r.problem().sentence();
    EXPECT_EQ(r->cells.size(), m.cells.size());
    EXPECT_EQ(r->nodes.size(), m.nodes.size());
    EXPECT_EQ(r->regions.size(), 3u);
    EXPECT_NEAR(meshVolume(*r), 3e-9, 1e-17);
    ASSERT_EQ(r->groups.size(), 1u);
    EXPECT_EQ(r->groups[0].name, "left");
    EXPECT_EQ(r->groups[0].role, "wall");
    EXPECT_EQ(r->groups[0].items.size(), left.items.size());
  }
  EXPECT_FALSE(verifyWritten(m, MeshFormat::Foam, dir / "case", 0.001));
  EXPECT_TRUE(verifyWritten(m, MeshFormat::Foam, dir / "case", 0.002)); // another volume
}

TEST(FoamRead, everyCellShapeKeepsItsVolume) {
  TempFolder dir;
  const std::vector<std::pair<ElementType, std::vector<Vec3>>> cells = {
      {ElementType::Tet4, {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}}},
      {ElementType::Pyramid5, {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0.5, 0.5, 1}}},
      {ElementType::Wedge6, {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {0, 1, 1}}},
      {ElementType::Hex8, {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}}}};
  for (const auto& [type, nodes] : cells) {
    Mesh m = oneCell(type, nodes);
    const std::string folder = dir / std::string(topology(type).name);
    ASSERT_FALSE(writeFoam(m, folder, 1));
    auto r = readMesh(folder);
    ASSERT_TRUE(r.ok()) << topology(type).name << ": " << r.problem().sentence();
    ASSERT_EQ(r->cells.size(), 1u);
    EXPECT_EQ(r->cells.type[0], type);
    EXPECT_NEAR(cellVolume(*r, 0), cellVolume(m, 0), 1e-12) << topology(type).name;
  }
}

TEST(FoamRead, damagedFoldersSayWhatIsWrong) {
  TempFolder dir;
  Mesh m = oneCell(ElementType::Tet4, {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}});
  ASSERT_FALSE(writeFoam(m, dir / "c", 1));
  const std::string base = dir / "c/constant/polyMesh/";
  auto damage = [&](const std::string& file, const std::string& from, const std::string& to) {
    const std::string good = *readFile(base + file);
    std::string bad = good;
    if (auto at = bad.find(from); at != std::string::npos) bad.replace(at, from.size(), to);
    std::ofstream(base + file) << bad;
    auto r = readMesh(dir / "c");
    std::ofstream(base + file) << good;
    EXPECT_FALSE(r.ok()) << file << " " << to;
    return r.ok() ? std::string() : r.problem().where + ": " + r.problem().why;
  };
  EXPECT_NE(damage("faces", "3(", "3(9").find("not there"), std::string::npos);
  EXPECT_NE(damage("points", "4\n(", "999999999999\n(").find("claims more"), std::string::npos);
  EXPECT_FALSE(damage("points", "ascii", "binary").empty());
  EXPECT_NE(damage("owner", "0\n0", "0").find("owner"), std::string::npos);
  EXPECT_NE(damage("boundary", "nFaces          4", "nFaces          40").find("not there"), std::string::npos);
  EXPECT_FALSE(damage("faces", ")", "").empty());
  std::filesystem::remove(base + "neighbour");
  EXPECT_FALSE(readMesh(dir / "c").ok());
}
