// SPDX-License-Identifier: GPL-3.0-or-later
// What formats ask for and readers trip over, a test for each: orders of nodes, numbers of sides, places and names of
// sets, units, and files of other programs.
#include "base/file.h"
#include "support/boxes.h"
#include "support/fixtures.h"
#include <cgnslib.h>
#include <netcdf.h>
#include <set>
#include <sstream>
#include <zlib.h>

using namespace tess;
using namespace tess::test;

namespace {

/// A cell of order 2 whose mid nodes tell by their place which edge they are of.
Mesh oneOfOrder2(ElementType linear) {
  std::vector<Vec3> p = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}};
  if (linear == ElementType::Wedge6) p = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {0, 1, 1}};
  if (linear == ElementType::Pyramid5) p = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0.5, 0.5, 1}};
  if (linear == ElementType::Tet4) p = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
  Mesh m = oneCell(linear, p);
  EXPECT_FALSE(changeOrder(m, 2));
  return m;
}

/// The edges of hexahedron and wedge in the order base, uprights, top, corners from 0.
const std::vector<std::array<int, 2>> kHexEdges = {{0, 1}, {1, 2}, {2, 3}, {3, 0}, {0, 4}, {1, 5},
                                                   {2, 6}, {3, 7}, {4, 5}, {5, 6}, {6, 7}, {7, 4}};
const std::vector<std::array<int, 2>> kWedgeEdges = {{0, 1}, {1, 2}, {2, 0}, {0, 3}, {1, 4},
                                                     {2, 5}, {3, 4}, {4, 5}, {5, 3}};

void expectMidNodes(const Mesh& m, const std::vector<int>& list, const std::vector<std::array<int, 2>>& edges,
                    std::size_t corners) {
  ASSERT_EQ(list.size(), corners + edges.size());
  auto at = [&](int i) { return m.nodes[static_cast<std::size_t>(list[static_cast<std::size_t>(i)]) - 1]; };
  for (std::size_t e = 0; e < edges.size(); ++e)
    EXPECT_LT((at(static_cast<int>(corners + e)) - 0.5 * (at(edges[e][0]) + at(edges[e][1]))).norm(), 1e-12) << e;
}

std::vector<int> netcdfInts(const std::string& path, const std::string& name) {
  int file = 0, v = 0, dims = 0, id[8];
  if (nc_open(path.c_str(), NC_NOWRITE, &file) != NC_NOERR) return {};
  std::vector<int> r;
  if (nc_inq_varid(file, name.c_str(), &v) == NC_NOERR) {
    nc_inq_varndims(file, v, &dims);
    nc_inq_vardimid(file, v, id);
    std::size_t n = 1, k = 0;
    for (int d = 0; d < dims; ++d) nc_inq_dimlen(file, id[d], &k), n *= k;
    r.resize(n);
    nc_get_var_int(file, v, r.data());
  }
  nc_close(file);
  return r;
}

/// A bar of two regions, hexahedra and wedges in both, with sets of every kind.
Mesh twoRegions() {
  Mesh m = bar(Filling::HexahedraWedges);
  m.regions = {"tube wall", "core"};
  for (std::size_t c = 0; c < m.cells.size(); ++c) m.cellRegion[c] = cellCenter(m, c).x() > 2;
  rebuildFaces(m);
  nameSides(m, {4, 2, 2});
  m.groups.push_back({"corner nodes", 0, {0, 1, 2}, 0});
  m.groups.push_back({"some cells", 3, {0, 3, 5}, 0});
  MeshGroup inner{"between", 2, {}, 0};
  for (std::size_t f = 0; f < m.faces.size(); ++f)
    if (m.faceRegions[f][1] >= 0) inner.items.push_back(static_cast<std::int32_t>(f));
  m.groups.push_back(inner);
  return m;
}
const MeshGroup* group(const Mesh& m, const std::string& name) {
  for (const auto& g : m.groups)
    if (g.name == name) return &g;
  return nullptr;
}

} // namespace

TEST(Lines, midNodesStandInTheOrderOfEachFormat) {
  TempFolder dir;
  for (auto [type, edges, corners] :
       {std::tuple(ElementType::Hex8, kHexEdges, 8u), std::tuple(ElementType::Wedge6, kWedgeEdges, 6u)}) {
    const Mesh m = oneOfOrder2(type);
    ASSERT_FALSE(writeExodus(m, dir / "m.exo", 1));
    expectMidNodes(m, netcdfInts(dir / "m.exo", "connect1"), edges, corners);
    ASSERT_FALSE(writeCgns(m, dir / "m.cgns", 1));
    int file = 0;
    ASSERT_EQ(cg_open((dir / "m.cgns").c_str(), CG_MODE_READ, &file), CG_OK);
    std::vector<cgsize_t> list(corners + edges.size());
    ASSERT_EQ(cg_elements_read(file, 1, 1, 1, list.data(), nullptr), CG_OK);
    cg_close(file);
    expectMidNodes(m, {list.begin(), list.end()}, edges, corners);
    // .inp: base, top, uprights, over two lines.
    ASSERT_FALSE(writeInp(m, dir / "m.inp", 1));
    std::string text = *readFile(dir / "m.inp");
    text = text.substr(text.find("*ELEMENT"));
    std::istringstream in(text.substr(text.find('\n') + 1));
    std::string first, second;
    std::getline(in, first);
    std::getline(in, second);
    EXPECT_LE(std::count(first.begin(), first.end(), ','), 16) << first; // entries, the last with a comma after it
    std::string all = first + (first.back() == ',' ? second : "");
    std::vector<int> ids;
    std::istringstream words(all);
    for (std::string w; std::getline(words, w, ',');) ids.push_back(std::stoi(w));
    ids.erase(ids.begin());
    const std::size_t base = corners / 2;
    auto byInp = edges; // base, top, uprights
    std::rotate(byInp.begin() + static_cast<std::ptrdiff_t>(base),
                byInp.begin() + static_cast<std::ptrdiff_t>(2 * base), byInp.end());
    expectMidNodes(m, ids, byInp, corners);
  }
}

TEST(Lines, sidesOfExodusAreThoseOfItsOwnNumbering) {
  // Corners of each side, from 1.
  const std::map<ElementType, std::vector<std::set<int>>> sides = {
      {ElementType::Tet4, {{1, 2, 4}, {2, 3, 4}, {1, 3, 4}, {1, 2, 3}}},
      {ElementType::Hex8, {{1, 2, 6, 5}, {2, 3, 7, 6}, {3, 4, 8, 7}, {4, 1, 5, 8}, {1, 2, 3, 4}, {5, 6, 7, 8}}},
      {ElementType::Wedge6, {{1, 2, 5, 4}, {2, 3, 6, 5}, {3, 1, 4, 6}, {1, 2, 3}, {4, 5, 6}}},
      {ElementType::Pyramid5, {{1, 2, 5}, {2, 3, 5}, {3, 4, 5}, {4, 1, 5}, {1, 2, 3, 4}}}};
  TempFolder dir;
  for (const auto& [type, table] : sides) {
    Mesh m = oneOfOrder2(type);
    ASSERT_FALSE(changeOrder(m, 1));
    for (std::size_t f = 0; f < m.faces.size(); ++f)
      m.groups.push_back({"side" + std::to_string(f), 2, {static_cast<std::int32_t>(f)}, 0});
    ASSERT_FALSE(writeExodus(m, dir / "m.exo", 1));
    for (std::size_t f = 0; f < m.faces.size(); ++f) {
      const auto number = netcdfInts(dir / "m.exo", "side_ss" + std::to_string(f + 1));
      ASSERT_EQ(number.size(), 1u);
      std::set<int> corners;
      for (auto n : m.faces.corners(f)) corners.insert(n + 1);
      EXPECT_EQ(table.at(static_cast<std::size_t>(number[0]) - 1), corners) << topology(type).name << " " << f;
    }
  }
}

TEST(Lines, facesOfDecksAreThoseOfTheirOwnNumbering) {
  const std::map<ElementType, std::vector<std::set<int>>> sides = {
      {ElementType::Tet4, {{1, 2, 3}, {1, 2, 4}, {2, 3, 4}, {1, 3, 4}}},
      {ElementType::Hex8, {{1, 2, 3, 4}, {5, 6, 7, 8}, {1, 2, 6, 5}, {2, 3, 7, 6}, {3, 4, 8, 7}, {4, 1, 5, 8}}},
      {ElementType::Wedge6, {{1, 2, 3}, {4, 5, 6}, {1, 2, 5, 4}, {2, 3, 6, 5}, {3, 1, 4, 6}}},
      {ElementType::Pyramid5, {{1, 2, 3, 4}, {}, {1, 2, 5}, {2, 3, 5}, {3, 4, 5}, {4, 1, 5}}}}; // never S2
  TempFolder dir;
  for (const auto& [type, table] : sides)
    for (int order : {1, 2}) {
      Mesh m = oneOfOrder2(type);
      if (order == 1) {
        ASSERT_FALSE(changeOrder(m, 1));
      }
      for (std::size_t f = 0; f < m.faces.size(); ++f)
        m.groups.push_back({"side" + std::to_string(f), 2, {static_cast<std::int32_t>(f)}, 0});
      ASSERT_FALSE(writeInp(m, dir / "m.inp", 1));
      const std::string text = *readFile(dir / "m.inp");
      for (std::size_t f = 0; f < m.faces.size(); ++f) {
        const auto at = text.find("NAME=side" + std::to_string(f) + ",");
        ASSERT_NE(at, std::string::npos);
        const int number = text[text.find(", S", at) + 3] - '0';
        std::set<int> corners;
        for (auto n : m.faces.corners(f)) corners.insert(n + 1);
        EXPECT_EQ(table.at(static_cast<std::size_t>(number) - 1), corners) << topology(type).name << " " << f;
      }
      // Sets of nodes hold the mid nodes of their faces.
      auto back = readInp(dir / "m.inp");
      ASSERT_TRUE(back.ok()) << back.problem().sentence();
      EXPECT_EQ(back->cells.type[0], m.cells.type[0]);
      for (std::size_t f = 0; f < m.faces.size(); ++f) {
        const auto from = text.find("*NSET, NSET=side" + std::to_string(f) + "\n");
        const std::string line = text.substr(text.find('\n', from) + 1, 200);
        EXPECT_EQ(std::count(line.begin(), line.begin() + static_cast<std::ptrdiff_t>(line.find('\n')), ','),
                  static_cast<std::ptrdiff_t>(m.faces.of(f).size()));
      }
    }
}

TEST(Lines, collapsedHexahedraAreReadAsWhatTheyAre) {
  TempFolder dir;
  const std::string nodes = "*NODE\n1,0,0,0\n2,1,0,0\n3,1,1,0\n4,0,1,0\n5,0,0,1\n6,1,0,1\n7,1,1,1\n8,0,1,1\n";
  auto typeOf = [&](const std::string& corners, const std::string& type = "C3D8") {
    const std::string path = dir.write("c.inp", nodes + "*ELEMENT, TYPE=" + type + ", ELSET=E\n1, " + corners +
                                                    "\n*SURFACE, NAME=LOW\n1, S1\n");
    auto m = readInp(path);
    EXPECT_TRUE(m.ok()) << m.problem().sentence();
    if (!m) return std::string();
    EXPECT_GT(meshVolume(*m), 0);
    EXPECT_EQ(m->groups.at(0).items.size(), 1u) << corners; // the base, whatever the shape
    return std::string(topology(m->cells.type[0]).name);
  };
  EXPECT_EQ(typeOf("1,2,3,4,5,6,7,8"), "hex8");
  EXPECT_EQ(typeOf("1,2,3,4,5,5,5,5"), "pyramid5");
  EXPECT_EQ(typeOf("1,2,3,3,5,6,7,7"), "wedge6");
  EXPECT_EQ(typeOf("1,2,3,3,5,5,5,5"), "tet4");
  EXPECT_EQ(typeOf("1,2,3,4,5,5,8,8"), "wedge6");
  EXPECT_EQ(typeOf("1,2,3,5,5,5", "C3D6"), "tet4");
}

TEST(Lines, decksOfOtherProgramsAreRead) {
  TempFolder dir;
  // Large and missing numbers, D exponents, lower case, CRLF, a skin of shells that names its faces, elements over two
  // lines, reduced integration.
  const std::string path = dir.write(
      "o.inp", "*Heading\r\n other\r\n*node\r\n1000, 0.0d0, 0, 0\r\n2000, 1.0D0, 0, 0\r\n3000, 1, 1, 0\r\n"
               "4000, 0, 1, 0\r\n5000, 0, 0, 1\r\n6000, 1, 0, 1\r\n7000, 1, 1, 1\r\n8000, 0, 1, 1\r\n"
               "*element, type=c3d8r, elset=body\r\n77, 1000, 2000, 3000, 4000,\r\n 5000, 6000, 7000, 8000\r\n"
               "*element, type=s4, elset=Top skin\r\n78, 5000, 6000, 7000, 8000\r\n"
               "*surface, name=low\r\nbody, s1\r\n");
  auto m = readInp(path);
  ASSERT_TRUE(m.ok()) << m.problem().sentence();
  EXPECT_EQ(m->cells.type[0], ElementType::Hex8);
  EXPECT_NEAR(meshVolume(*m), 1, 1e-12);
  ASSERT_NE(group(*m, "low"), nullptr);
  EXPECT_EQ(group(*m, "low")->items.size(), 1u);
  ASSERT_NE(group(*m, "Topskin"), nullptr); // blanks go
  EXPECT_NEAR(faceArea(*m, static_cast<std::size_t>(group(*m, "Topskin")->items.at(0))), 1, 1e-12);
  auto shells = readInp(dir.write("s.inp", "*NODE\n1,0,0,0\n2,1,0,0\n3,1,1,0\n*ELEMENT, TYPE=S3, ELSET=A\n1,1,2,3\n"));
  ASSERT_FALSE(shells.ok());
  EXPECT_NE(shells.problem().why.find("shells only"), std::string::npos);
}

TEST(Lines, exodusBlocksCanBeToldAndJoined) {
  TempFolder dir;
  const Mesh m = twoRegions();
  ASSERT_FALSE(writeExodus(m, dir / "m.exo", 1));
  const auto ids = netcdfInts(dir / "m.exo", "eb_prop1");
  EXPECT_EQ(ids.size(), 4u);
  EXPECT_EQ(std::set<int>(ids.begin(), ids.end()).size(), 4u);
  for (int id : ids) EXPECT_GT(id, 0);
  auto back = readMesh(dir / "m.exo");
  ASSERT_TRUE(back.ok()) << back.problem().sentence();
  EXPECT_EQ(back->regions, (std::vector<std::string>{"tube_wall", "core"}));
  std::array<double, 2> volume{};
  for (std::size_t c = 0; c < back->cells.size(); ++c)
    volume[static_cast<std::size_t>(back->cellRegion[c])] += cellVolume(*back, c);
  EXPECT_NEAR(volume[0], 8, 1e-12);
  EXPECT_NEAR(volume[1], 8, 1e-12);
  ASSERT_NE(group(*back, "some_cells"), nullptr);
  EXPECT_EQ(group(*back, "some_cells")->items.size(), 3u);
  EXPECT_EQ(group(*back, "some_cells")->dim, 3);
  ASSERT_NE(group(*back, "corner_nodes"), nullptr);
  EXPECT_EQ(group(*back, "corner_nodes")->items.size(), 3u);
  ASSERT_NE(group(*back, "between"), nullptr);
  double area = 0;
  for (auto f : group(*back, "between")->items) area += faceArea(*back, static_cast<std::size_t>(f));
  EXPECT_NEAR(area, 4, 1e-12);
}

TEST(Lines, exodusOfOtherProgramsIsRead) {
  TempFolder dir;
  // All coordinates in one variable, a long type text, no names, a side that is none.
  auto write = [&](int side) {
    int f = 0, nodes = 0, dim = 0, blocks = 0, count = 0, per = 0, coord = 0, connect = 0, sets = 0, length = 0,
        elem = 0, sides = 0;
    nc_create((dir / "o.exo").c_str(), NC_CLOBBER, &f);
    nc_def_dim(f, "num_dim", 3, &dim);
    nc_def_dim(f, "num_nodes", 4, &nodes);
    nc_def_dim(f, "num_el_blk", 1, &blocks);
    nc_def_dim(f, "num_el_in_blk1", 1, &count);
    nc_def_dim(f, "num_nod_per_el1", 4, &per);
    nc_def_dim(f, "num_side_sets", 1, &sets);
    nc_def_dim(f, "num_side_ss1", 1, &length);
    const int both[2] = {dim, nodes}, cells[2] = {count, per};
    nc_def_var(f, "coord", NC_DOUBLE, 2, both, &coord);
    nc_def_var(f, "connect1", NC_INT, 2, cells, &connect);
    nc_def_var(f, "elem_ss1", NC_INT, 1, &length, &elem);
    nc_def_var(f, "side_ss1", NC_INT, 1, &length, &sides);
    nc_put_att_text(f, connect, "elem_type", 9, "tetrahedr");
    nc_enddef(f);
    const double x[12] = {0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1};
    const int list[4] = {1, 2, 3, 4}, one = 1;
    nc_put_var_double(f, coord, x);
    nc_put_var_int(f, connect, list);
    nc_put_var_int(f, elem, &one);
    nc_put_var_int(f, sides, &side);
    nc_close(f);
    return readMesh(dir / "o.exo");
  };
  auto m = write(4);
  ASSERT_TRUE(m.ok()) << m.problem().sentence();
  EXPECT_NEAR(meshVolume(*m), 1.0 / 6, 1e-12);
  EXPECT_TRUE(m->unitAssumed);
  EXPECT_EQ(m->regions[0], "block1");
  ASSERT_EQ(m->groups.size(), 1u);
  EXPECT_NEAR(faceArea(*m, static_cast<std::size_t>(m->groups[0].items.at(0))), 0.5, 1e-12); // 1 2 3
  auto wrong = write(7);
  ASSERT_FALSE(wrong.ok());
  EXPECT_NE(wrong.problem().why.find("side 7"), std::string::npos);
}

TEST(Lines, cgnsSaysWhereItsConditionsAreAndInWhichUnit) {
  TempFolder dir;
  const Mesh m = twoRegions();
  ASSERT_FALSE(writeCgns(m, dir / "m.cgns", 1));
  EXPECT_EQ(readFile(dir / "m.cgns")->substr(1, 3), "HDF");
  int file = 0, sections = 0, conditions = 0;
  ASSERT_EQ(cg_open((dir / "m.cgns").c_str(), CG_MODE_READ, &file), CG_OK);
  ASSERT_EQ(cg_goto(file, 1, "end"), CG_OK);
  CGNS_ENUMT(MassUnits_t) mass;
  CGNS_ENUMT(LengthUnits_t) length;
  CGNS_ENUMT(TimeUnits_t) time;
  CGNS_ENUMT(TemperatureUnits_t) temperature;
  CGNS_ENUMT(AngleUnits_t) angle;
  ASSERT_EQ(cg_units_read(&mass, &length, &time, &temperature, &angle), CG_OK);
  EXPECT_EQ(length, CGNS_ENUMV(Millimeter));
  cg_nsections(file, 1, 1, &sections);
  cgsize_t next = 1;
  std::set<int> types;
  for (int s = 1; s <= sections; ++s) { // numbers run on without a gap
    char name[33];
    CGNS_ENUMT(ElementType_t) type;
    cgsize_t from = 0, to = 0;
    int boundary = 0, parents = 0;
    cg_section_read(file, 1, 1, s, name, &type, &from, &to, &boundary, &parents);
    EXPECT_EQ(from, next) << name;
    next = to + 1;
    types.insert(type);
  }
  EXPECT_TRUE(types.count(CGNS_ENUMV(MIXED)));
  cg_nbocos(file, 1, 1, &conditions);
  EXPECT_EQ(conditions, 5);
  for (int b = 1; b <= conditions; ++b) {
    char name[33], family[33];
    CGNS_ENUMT(BCType_t) type;
    CGNS_ENUMT(PointSetType_t) kind;
    CGNS_ENUMT(DataType_t) data;
    CGNS_ENUMT(GridLocation_t) where;
    cgsize_t points = 0, normals = 0;
    int index[3], sets = 0;
    cg_boco_info(file, 1, 1, b, name, &type, &kind, &points, index, &normals, &data, &sets);
    cg_boco_gridlocation_read(file, 1, 1, b, &where);
    const bool ofNodes = std::string(name) == "corner_nodes";
    EXPECT_EQ(where, ofNodes ? CGNS_ENUMV(Vertex) : CGNS_ENUMV(FaceCenter)) << name;
    if (ofNodes) continue;
    EXPECT_EQ(type, CGNS_ENUMV(FamilySpecified));
    ASSERT_EQ(cg_goto(file, 1, "Zone_t", 1, "ZoneBC_t", 1, "BC_t", b, "end"), CG_OK);
    ASSERT_EQ(cg_famname_read(family), CG_OK);
    EXPECT_STREQ(family, name);
  }
  cg_close(file);
  auto back = readMesh(dir / "m.cgns");
  ASSERT_TRUE(back.ok()) << back.problem().sentence();
  EXPECT_EQ(back->regions, (std::vector<std::string>{"tube_wall", "core"}));
  EXPECT_EQ(group(*back, "left")->role, "fixed");
  EXPECT_EQ(group(*back, "sides")->role, "wall");
  EXPECT_EQ(group(*back, "corner_nodes")->items.size(), 3u);
  EXPECT_EQ(back->unit, "mm");
  // A unit that it has no word for goes as metres.
  Mesh small = m;
  small.unit = "um";
  const double scale = conventionalScale(MeshFormat::Cgns, "um");
  EXPECT_NEAR(scale, 1e-6, 1e-18);
  ASSERT_FALSE(writeCgns(small, dir / "u.cgns", scale));
  auto metres = readMesh(dir / "u.cgns");
  ASSERT_TRUE(metres.ok());
  EXPECT_EQ(metres->unit, "m");
}

TEST(Lines, facesOfPolyhedraInCgnsAreUsedOnceFromEachSide) {
  TempFolder dir;
  const Mesh m = bar(Filling::Polyhedra);
  ASSERT_FALSE(writeCgns(m, dir / "p.cgns", 1));
  int file = 0;
  ASSERT_EQ(cg_open((dir / "p.cgns").c_str(), CG_MODE_READ, &file), CG_OK);
  char name[33];
  CGNS_ENUMT(ElementType_t) type;
  cgsize_t from = 0, to = 0, size = 0;
  int boundary = 0, parents = 0;
  cg_section_read(file, 1, 1, 1, name, &type, &from, &to, &boundary, &parents);
  EXPECT_EQ(type, CGNS_ENUMV(NGON_n));
  const cgsize_t faces = to;
  cg_section_read(file, 1, 1, 2, name, &type, &from, &to, &boundary, &parents);
  EXPECT_EQ(type, CGNS_ENUMV(NFACE_n));
  EXPECT_EQ(from, faces + 1);
  cg_ElementDataSize(file, 1, 1, 2, &size);
  std::vector<cgsize_t> list(static_cast<std::size_t>(size)), start(static_cast<std::size_t>(to - from + 2));
  ASSERT_EQ(cg_poly_elements_read(file, 1, 1, 2, list.data(), start.data(), nullptr), CG_OK);
  cg_close(file);
  EXPECT_EQ(start.front(), 0);
  std::vector<std::array<int, 2>> uses(static_cast<std::size_t>(faces) + 1, {0, 0});
  for (auto f : list) ++uses[static_cast<std::size_t>(std::abs(f))][f < 0];
  std::size_t outer = 0;
  for (std::size_t f = 1; f < uses.size(); ++f) {
    EXPECT_EQ(uses[f][0], 1) << f;
    EXPECT_LE(uses[f][1], 1) << f;
    outer += uses[f][1] == 0;
  }
  EXPECT_EQ(outer, m.faces.size());
}

TEST(Lines, su2PutsEveryOuterFaceIntoOneMarker) {
  TempFolder dir;
  Mesh m = twoRegions();
  m.groups[2].items.resize(m.groups[2].items.size() / 2); // half of the sides is free
  ASSERT_FALSE(writeSu2(m, dir / "m.su2", 1));
  const std::string text = *readFile(dir / "m.su2");
  EXPECT_NE(text.find("MARKER_TAG= unassigned"), std::string::npos);
  EXPECT_NE(text.find("NMARK= 4"), std::string::npos);
  std::size_t marked = 0;
  for (std::size_t at = text.find("MARKER_ELEMS= "); at != std::string::npos; at = text.find("MARKER_ELEMS= ", at + 1))
    marked += static_cast<std::size_t>(std::stol(text.substr(at + 14)));
  std::size_t outer = 0;
  for (const auto& r : m.faceRegions) outer += r[1] < 0;
  EXPECT_EQ(marked, outer);
  // Comments, blank lines, lines of edges, no running numbers.
  auto other = readMesh(dir.write(
      "o.su2", "% a mesh\n\nNDIME = 3\nNPOIN= 4\n0 0 0\n1 0 0 1\n0 1 0 2 % third\n0 0 1\nNELEM=1\n10 0 1 2 3\n"
               "NMARK= 1\nMARKER_TAG= low\nMARKER_ELEMS= 2\n5 0 2 1\n3 0 1\n"));
  ASSERT_TRUE(other.ok()) << other.problem().sentence();
  EXPECT_NEAR(meshVolume(*other), 1.0 / 6, 1e-12);
  EXPECT_EQ(group(*other, "low")->items.size(), 1u);
  auto flat = readMesh(dir.write("f.su2", "NDIME= 2\n"));
  ASSERT_FALSE(flat.ok());
  EXPECT_NE(flat.problem().why.find("2 dimensions"), std::string::npos);
  auto cut = readMesh(dir.write("c.su2", "NDIME= 3\nNELEM= 2\n10 0 1 2 3\n"));
  ASSERT_FALSE(cut.ok());
  EXPECT_NE(cut.problem().why.find("claims 2"), std::string::npos);
}

TEST(Lines, symmetryPlanesAreFlat) {
  TempFolder dir;
  Mesh m = bar(Filling::Hexahedra);
  for (auto& g : m.groups) g.role = "symmetry"; // "sides" goes round
  ASSERT_FALSE(writeFoam(m, dir / "case", 0.001));
  const std::string text = *readFile(dir / "case/constant/polyMesh/boundary");
  auto typeOf = [&](const std::string& name) {
    const auto at = text.find("type", text.find("    " + name + "\n"));
    return text.substr(at + 16, text.find(';', at) - at - 16);
  };
  EXPECT_EQ(typeOf("left"), "symmetryPlane");
  EXPECT_EQ(typeOf("right"), "symmetryPlane");
  EXPECT_EQ(typeOf("sides"), "symmetry");
}

TEST(Lines, packedAndBinaryPolyMeshesAreRead) {
  TempFolder dir;
  const Mesh m = bar(Filling::Polyhedra);
  ASSERT_FALSE(writeFoam(m, dir / "case", 0.001));
  const std::string folder = dir / "case/constant/polyMesh/";
  auto expectSame = [&] {
    auto back = readMesh(dir / "case");
    ASSERT_TRUE(back.ok()) << back.problem().sentence();
    EXPECT_EQ(back->cells.size(), m.cells.size());
    EXPECT_NEAR(meshVolume(*back), 16e-9, 1e-18);
    EXPECT_EQ(back->groups.size(), 3u);
  };
  expectSame();
  // Binary, as the format's own programs write it.
  auto numbersOf = [&](const std::string& name) { // all numbers after the count and the first bracket
    std::string t = *readFile(folder + name);
    t = t.substr(t.find('}') + 1);
    for (char& c : t)
      if (c == '(' || c == ')') c = ' ';
    std::istringstream in(t);
    std::vector<double> v;
    for (double x; in >> x;) v.push_back(x);
    v.erase(v.begin());
    return v;
  };
  auto head = [](const std::string& kind, const std::string& name) {
    return "FoamFile\n{\n    version     2.0;\n    format      binary;\n    arch        \"LSB;label=32;scalar=64\";\n  "
           "  class       " +
           kind + ";\n    location    \"constant/polyMesh\";\n    object      " + name + ";\n}\n\n";
  };
  auto raw = [](const auto& list) {
    return std::string(reinterpret_cast<const char*>(list.data()), list.size() * sizeof(list[0]));
  };
  auto labels = [&](const std::vector<std::int32_t>& l) { return std::to_string(l.size()) + "\n(" + raw(l) + ")\n"; };
  const auto points = numbersOf("points"), faces = numbersOf("faces");
  std::ofstream(folder + "points", std::ios::binary)
      << head("vectorField", "points") << points.size() / 3 << "\n(" << raw(points) << ")\n";
  std::vector<std::int32_t> start{0}, corner;
  for (std::size_t i = 0; i < faces.size();) {
    const auto n = static_cast<std::size_t>(faces[i++]);
    for (std::size_t k = 0; k < n; ++k) corner.push_back(static_cast<std::int32_t>(faces[i++]));
    start.push_back(static_cast<std::int32_t>(corner.size()));
  }
  std::ofstream(folder + "faces", std::ios::binary)
      << head("faceCompactList", "faces") << labels(start) << labels(corner);
  for (const std::string name : {"owner", "neighbour"}) {
    const auto v = numbersOf(name);
    std::ofstream(folder + name, std::ios::binary) << head("labelList", name) << labels({v.begin(), v.end()});
  }
  expectSame();
  for (const std::string name : {"points", "faces", "owner", "neighbour", "boundary"}) {
    const std::string text = *readFile(folder + name);
    gzFile f = gzopen((folder + name + ".gz").c_str(), "wb");
    gzwrite(f, text.data(), static_cast<unsigned>(text.size()));
    gzclose(f);
    std::filesystem::remove(folder + name);
  }
  expectSame();
  // A packed file that is cut short says so.
  const std::string packed = *readFile(folder + "points.gz");
  std::ofstream(folder + "points.gz", std::ios::binary | std::ios::trunc) << packed.substr(0, packed.size() / 2);
  auto cut = readMesh(dir / "case");
  ASSERT_FALSE(cut.ok());
  EXPECT_NE(cut.problem().where.find("points.gz"), std::string::npos);
}

TEST(Lines, wedgesOfEitherSenseAreReadFromVtuAndSu2) {
  TempFolder dir;
  for (int order : {1, 2}) {
    Mesh m = bar(Filling::Wedges, order);
    Mesh other = m; // as programs write them that number the base the other way
    for (std::size_t c = 0; c < m.cells.size(); ++c) {
      auto q = other.cells.of(c);
      std::swap(q[1], q[2]);
      std::swap(q[4], q[5]);
      if (order == 2) std::swap(q[6], q[8]), std::swap(q[9], q[11]), std::swap(q[13], q[14]);
    }
    ASSERT_FALSE(writeVtu(other, dir / "w.vtu", 1));
    auto vtu = readMesh(dir / "w.vtu");
    ASSERT_TRUE(vtu.ok()) << vtu.problem().sentence();
    EXPECT_NEAR(meshVolume(*vtu), 16, 1e-12) << order;
    if (order == 2) continue;
    ASSERT_FALSE(writeSu2(other, dir / "w.su2", 1));
    auto su2 = readMesh(dir / "w.su2");
    ASSERT_TRUE(su2.ok()) << su2.problem().sentence();
    EXPECT_NEAR(meshVolume(*su2), 16, 1e-12);
  }
}

TEST(Lines, whatAFormatCannotHoldIsToldBefore) {
  const Mesh m = twoRegions();
  auto told = [&](MeshFormat f, const std::string& word) {
    const auto l = lossesIn(f, m);
    return std::any_of(l.begin(), l.end(), [&](const Loss& x) { return x.what.find(word) != std::string::npos; });
  };
  EXPECT_TRUE(told(MeshFormat::Su2, "'some cells'"));
  EXPECT_TRUE(told(MeshFormat::Su2, "2 regions"));
  EXPECT_TRUE(told(MeshFormat::Su2, "'between'"));
  EXPECT_TRUE(told(MeshFormat::Foam, "'corner nodes'"));
  EXPECT_TRUE(told(MeshFormat::Cgns, "'some cells'"));
  EXPECT_TRUE(lossesIn(MeshFormat::Exodus, m).empty());
  EXPECT_TRUE(lossesIn(MeshFormat::Inp, m).empty());
  EXPECT_TRUE(lossesIn(MeshFormat::Vtu, m).empty());
  const auto curved = lossesIn(MeshFormat::Foam, bar(Filling::Hexahedra, 2));
  ASSERT_EQ(curved.size(), 1u);
  EXPECT_NE(curved[0].what.find("mid nodes"), std::string::npos);
  EXPECT_NE(lossesIn(MeshFormat::Inp, bar(Filling::Hybrid, 2)).at(0).why.find("5 %"), std::string::npos);
  EXPECT_TRUE(lossesIn(MeshFormat::Exodus, bar(Filling::Polyhedra)).at(0).refused);
}

TEST(Lines, plyKeepsQuadrilaterals) {
  TempFolder dir;
  ASSERT_FALSE(writePly(bar(Filling::Hexahedra), dir / "m.ply", 1));
  const std::string text = *readFile(dir / "m.ply");
  EXPECT_NE(text.find("element face 40\n"), std::string::npos); // 2 x 4 at the ends, 4 x 8 round: as quadrilaterals
  EXPECT_EQ(text[text.size() - 17], 4);
}

TEST(Lines, damagedFilesOfLibrariesSaySoAndCrashNothing) {
  TempFolder dir;
  const Mesh m = twoRegions();
  for (const std::string name : {"m.cgns", "m.exo"}) {
    ASSERT_FALSE(writeMesh(m, *meshFormatOfPath(name), dir / name));
    const std::string good = *readFile(dir / name);
    for (std::size_t share = 1; share < 8; ++share) { // cut short
      std::ofstream(dir / ("cut-" + name), std::ios::binary | std::ios::trunc)
          << good.substr(0, share * good.size() / 8);
      auto r = readMesh(dir / ("cut-" + name));
      EXPECT_TRUE(r.ok() || !r.problem().why.empty());
    }
    for (std::size_t k = 0; k < 24; ++k) { // a stretch of other bytes
      std::string bad = good;
      const std::size_t at = (k * 7919 + 101) % (bad.size() - 16);
      for (std::size_t i = 0; i < 12; ++i) bad[at + i] = static_cast<char>(0xff - 13 * i);
      std::ofstream(dir / ("bad-" + name), std::ios::binary | std::ios::trunc) << bad;
      auto r = readMesh(dir / ("bad-" + name));
      EXPECT_TRUE(r.ok() || !r.problem().why.empty());
    }
  }
}
