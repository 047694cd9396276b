// SPDX-License-Identifier: GPL-3.0-or-later
// CGNS in HDF5: one base, one unstructured zone; per region a section of its cells (MIXED where they are of several
// types), or NGON_n and NFACE_n for the whole mesh where there are polyhedra; boundary conditions with families at face
// centres for face groups, at vertices for node groups; the unit of length. Element numbers run on through all
// sections.
#include "base/file.h"
#include "base/trial.h"
#include "base/units.h"
#include "exchange/by_side.h"
#include "exchange/cell_from_faces.h"
#include "mesh/cell_faces.h"
#include <cgnslib.h>
#include <limits>
#include <map>
#include <mutex>
#include <set>
#include <unordered_map>

namespace tess {
namespace {

std::mutex& library() { // its state is global
  static std::mutex m;
  return m;
}

struct TypeRow {
  ElementType ours;
  CGNS_ENUMT(ElementType_t) theirs;
};
constexpr TypeRow kTypes[] = {
    {ElementType::Tri3, CGNS_ENUMV(TRI_3)},      {ElementType::Tri6, CGNS_ENUMV(TRI_6)},
    {ElementType::Quad4, CGNS_ENUMV(QUAD_4)},    {ElementType::Quad8, CGNS_ENUMV(QUAD_8)},
    {ElementType::Tet4, CGNS_ENUMV(TETRA_4)},    {ElementType::Tet10, CGNS_ENUMV(TETRA_10)},
    {ElementType::Pyramid5, CGNS_ENUMV(PYRA_5)}, {ElementType::Pyramid13, CGNS_ENUMV(PYRA_13)},
    {ElementType::Wedge6, CGNS_ENUMV(PENTA_6)},  {ElementType::Wedge15, CGNS_ENUMV(PENTA_15)},
    {ElementType::Hex8, CGNS_ENUMV(HEXA_8)},     {ElementType::Hex20, CGNS_ENUMV(HEXA_20)}};

CGNS_ENUMT(ElementType_t) theirs(ElementType t) {
  for (const auto& r : kTypes)
    if (r.ours == t) return r.theirs;
  return CGNS_ENUMV(ElementTypeNull);
}
const ElementTopology* ours(CGNS_ENUMT(ElementType_t) t) {
  for (const auto& r : kTypes)
    if (r.theirs == t) return &topology(r.ours);
  return nullptr;
}

struct UnitRow {
  const char* name;
  CGNS_ENUMT(LengthUnits_t) unit;
};
constexpr UnitRow kUnits[] = {{"m", CGNS_ENUMV(Meter)},
                              {"cm", CGNS_ENUMV(Centimeter)},
                              {"mm", CGNS_ENUMV(Millimeter)},
                              {"in", CGNS_ENUMV(Inch)},
                              {"ft", CGNS_ENUMV(Foot)}};

/// Of the kind of boundary condition, by the role of a group.
CGNS_ENUMT(BCType_t) conditionOf(const std::string& role) {
  if (role == "inlet") return CGNS_ENUMV(BCInflow);
  if (role == "outlet") return CGNS_ENUMV(BCOutflow);
  if (role == "wall" || role == "contact") return CGNS_ENUMV(BCWall);
  if (role == "symmetry") return CGNS_ENUMV(BCSymmetryPlane);
  return CGNS_ENUMV(BCTypeUserDefined);
}
std::string roleOf(CGNS_ENUMT(BCType_t) t) {
  switch (t) {
  case CGNS_ENUMV(BCInflow):
  case CGNS_ENUMV(BCInflowSubsonic):
  case CGNS_ENUMV(BCInflowSupersonic):
  case CGNS_ENUMV(BCTunnelInflow):
    return "inlet";
  case CGNS_ENUMV(BCOutflow):
  case CGNS_ENUMV(BCOutflowSubsonic):
  case CGNS_ENUMV(BCOutflowSupersonic):
  case CGNS_ENUMV(BCTunnelOutflow):
    return "outlet";
  case CGNS_ENUMV(BCWall):
  case CGNS_ENUMV(BCWallInviscid):
  case CGNS_ENUMV(BCWallViscous):
  case CGNS_ENUMV(BCWallViscousHeatFlux):
  case CGNS_ENUMV(BCWallViscousIsothermal):
    return "wall";
  case CGNS_ENUMV(BCSymmetryPlane):
    return "symmetry";
  default:
    return "";
  }
}

/// Thrown inside this file with what the library says.
struct Bad {
  std::string why;
};
void must(int status) {
  if (status != CG_OK) throw Bad{cg_get_error()};
}

/// An open file, closed in the end whatever happens.
class File {
public:
  File(const std::string& path, int mode) { must(cg_open(path.c_str(), mode, &id)); }
  ~File() {
    if (id >= 0) cg_close(id);
  }
  File(const File&) = delete;
  File& operator=(const File&) = delete;
  void close() {
    const int was = std::exchange(id, -1);
    must(cg_close(was));
  }
  int id = -1;
};

/// All faces of a mesh once, those inside first owned by the lower cell, and for each cell which they are.
struct AllFaces {
  std::vector<cgsize_t> corner, start{0};
  std::vector<std::vector<cgsize_t>> ofCell; ///< from 1, below zero where the normal points into the cell
  std::unordered_map<FaceKey, cgsize_t, FaceKeyHash> number;
};
AllFaces allFaces(const Mesh& m) {
  AllFaces a;
  a.ofCell.resize(m.cells.size());
  forEachCellFace(m, [&](std::size_t c, int, const FaceKey& key, std::span<const std::int32_t> v) {
    const auto [it, fresh] = a.number.emplace(key, static_cast<cgsize_t>(a.start.size()));
    if (fresh) {
      for (auto n : v) a.corner.push_back(n + 1);
      a.start.push_back(static_cast<cgsize_t>(a.corner.size()));
    }
    a.ofCell[c].push_back(fresh ? it->second : -it->second);
  });
  return a;
}

void write(const Mesh& m, const std::string& path, double scale) {
  const std::string unit = unitScaled(m.unit, scale);
  const auto known = std::find_if(std::begin(kUnits), std::end(kUnits), [&](const auto& u) { return unit == u.name; });
  // The format knows few units; conventionalScale turns lengths in any other into metres.
  const auto length = known != std::end(kUnits) ? known->unit : CGNS_ENUMV(LengthUnitsUserDefined);
  must(cg_set_file_type(CG_FILE_HDF5));
  File f(path, CG_MODE_WRITE);
  int base = 0, zone = 0, id = 0;
  must(cg_base_write(f.id, "Base", 3, 3, &base));
  must(cg_goto(f.id, base, "end"));
  must(cg_descriptor_write("Origin", "mesh written by Tesselite"));
  must(cg_dataclass_write(CGNS_ENUMV(Dimensional)));
  must(cg_units_write(CGNS_ENUMV(Kilogram), length, CGNS_ENUMV(Second), CGNS_ENUMV(Kelvin), CGNS_ENUMV(Degree)));
  const cgsize_t size[3] = {static_cast<cgsize_t>(m.nodes.size()), static_cast<cgsize_t>(m.cells.size()), 0};
  must(cg_zone_write(f.id, base, "Zone", size, CGNS_ENUMV(Unstructured), &zone));
  std::vector<double> x(m.nodes.size());
  const char* axis[] = {"CoordinateX", "CoordinateY", "CoordinateZ"};
  for (int k = 0; k < 3; ++k) {
    for (std::size_t i = 0; i < x.size(); ++i) x[i] = scale * m.nodes[i][k];
    must(cg_coord_write(f.id, base, zone, CGNS_ENUMV(RealDouble), axis[k], x.data(), &id));
  }
  std::vector<std::string> names = m.regions;
  for (const auto& g : m.groups) names.push_back(g.name);
  names.push_back("boundary");
  names = solverNames(names);
  cgsize_t next = 1;
  std::vector<cgsize_t> faceNumber(m.faces.size(), 0);
  const bool poly = std::find(m.cells.type.begin(), m.cells.type.end(), ElementType::Polyhedron) != m.cells.type.end();
  auto section = [&](const std::string& name, CGNS_ENUMT(ElementType_t) type, cgsize_t count,
                     const std::vector<cgsize_t>& list, const std::vector<cgsize_t>* start) {
    if (start)
      must(cg_poly_section_write(f.id, base, zone, name.c_str(), type, next, next + count - 1, 0, list.data(),
                                 start->data(), &id));
    else
      must(cg_section_write(f.id, base, zone, name.c_str(), type, next, next + count - 1, 0, list.data(), &id));
    next += count;
  };
  if (poly) {
    const AllFaces a = allFaces(m);
    for (std::size_t k = 0; k < m.faces.size(); ++k)
      if (const auto it = a.number.find(faceKey(m.faces.corners(k))); it != a.number.end()) faceNumber[k] = it->second;
    section("faces", CGNS_ENUMV(NGON_n), static_cast<cgsize_t>(a.start.size() - 1), a.corner, &a.start);
    for (std::size_t r = 0; r < m.regions.size(); ++r) {
      std::vector<cgsize_t> list, start{0};
      for (std::size_t c = 0; c < m.cells.size(); ++c) {
        if (m.cellRegion[c] != static_cast<std::int32_t>(r)) continue;
        list.insert(list.end(), a.ofCell[c].begin(), a.ofCell[c].end());
        start.push_back(static_cast<cgsize_t>(list.size()));
      }
      if (start.size() > 1)
        section(names[r], CGNS_ENUMV(NFACE_n), static_cast<cgsize_t>(start.size() - 1), list, &start);
    }
  } else {
    std::vector<std::int32_t> n;
    /// Elements of a block as one section, MIXED when of several types.
    auto elements = [&](const std::string& name, const ElementBlock& all, const std::vector<std::int32_t>& which) {
      if (which.empty()) return;
      const ElementType first = all.type[static_cast<std::size_t>(which[0])];
      const bool mixed = std::any_of(which.begin(), which.end(),
                                     [&](auto e) { return all.type[static_cast<std::size_t>(e)] != first; });
      std::vector<cgsize_t> list, start{0};
      for (auto e : which) {
        const auto k = static_cast<std::size_t>(e);
        n.assign(all.of(k).begin(), all.of(k).end());
        swapTopAndUprights(all.type[k], n);
        if (mixed) list.push_back(theirs(all.type[k]));
        for (auto v : n) list.push_back(v + 1);
        start.push_back(static_cast<cgsize_t>(list.size()));
      }
      section(name, mixed ? CGNS_ENUMV(MIXED) : theirs(first), static_cast<cgsize_t>(which.size()), list,
              mixed ? &start : nullptr);
    };
    for (std::size_t r = 0; r < m.regions.size(); ++r) {
      std::vector<std::int32_t> which;
      for (std::size_t c = 0; c < m.cells.size(); ++c)
        if (m.cellRegion[c] == static_cast<std::int32_t>(r)) which.push_back(static_cast<std::int32_t>(c));
      elements(names[r], m.cells, which);
    }
    // One section per type: cgnscheck takes faces in MIXED sections for inner ones.
    std::map<ElementType, std::vector<std::int32_t>> byType;
    for (std::size_t k = 0; k < m.faces.size(); ++k) byType[m.faces.type[k]].push_back(static_cast<std::int32_t>(k));
    for (const auto& [type, faces] : byType) {
      for (std::size_t k = 0; k < faces.size(); ++k)
        faceNumber[static_cast<std::size_t>(faces[k])] = next + static_cast<cgsize_t>(k);
      elements(names.back() + "_" + std::string(topology(type).name), m.faces, faces);
    }
  }
  for (std::size_t k = 0; k < m.groups.size(); ++k) {
    const MeshGroup& g = m.groups[k];
    if (g.dim == 3 || g.items.empty()) continue;
    const std::string& name = names[m.regions.size() + k];
    std::vector<cgsize_t> list;
    for (auto i : g.items)
      if (const cgsize_t v = g.dim == 2 ? faceNumber[static_cast<std::size_t>(i)] : i + 1; v > 0) list.push_back(v);
    int family = 0, condition = 0;
    if (g.dim == 2) {
      must(cg_family_write(f.id, base, name.c_str(), &family));
      must(cg_fambc_write(f.id, base, family, "FamBC", conditionOf(g.role), &id));
      if (!g.role.empty()) {
        must(cg_goto(f.id, base, "Family_t", family, "end"));
        must(cg_descriptor_write("Role", g.role.c_str()));
      }
    }
    must(cg_boco_write(f.id, base, zone, name.c_str(),
                       g.dim == 2 ? CGNS_ENUMV(FamilySpecified) : CGNS_ENUMV(BCTypeUserDefined), CGNS_ENUMV(PointList),
                       static_cast<cgsize_t>(list.size()), list.data(), &condition));
    must(cg_boco_gridlocation_write(f.id, base, zone, condition,
                                    g.dim == 2 ? CGNS_ENUMV(FaceCenter) : CGNS_ENUMV(Vertex)));
    if (g.dim != 2) continue;
    must(cg_goto(f.id, base, "Zone_t", zone, "ZoneBC_t", 1, "BC_t", condition, "end"));
    must(cg_famname_write(name.c_str()));
  }
  f.close();
}

/// Cells and faces of one zone as they come, put together into the mesh.
class ZoneReader {
public:
  ZoneReader(int file, int base, int zone, Mesh& mesh, const Progress* progress)
      : m_file(file), m_base(base), m_zone(zone), m(mesh), m_progress(progress),
        m_firstNode(static_cast<std::int32_t>(mesh.nodes.size())) {}

  void read(const std::string& zoneName, bool oneOfMany) {
    cgsize_t size[9] = {0};
    char name[33];
    must(cg_zone_read(m_file, m_base, m_zone, name, size));
    const cgsize_t nodes = size[0];
    if (nodes < 1) throw Bad{"zone '" + zoneName + "' has no points"};
    int axes = 0;
    must(cg_ncoords(m_file, m_base, m_zone, &axes));
    std::vector<double> x(static_cast<std::size_t>(nodes));
    m.nodes.resize(m.nodes.size() + x.size(), Vec3::Zero());
    const cgsize_t one = 1;
    const char* axis[] = {"CoordinateX", "CoordinateY", "CoordinateZ"};
    for (int k = 0; k < 3; ++k) {
      must(cg_coord_read(m_file, m_base, m_zone, axis[k], CGNS_ENUMV(RealDouble), &one, &nodes, x.data()));
      for (std::size_t i = 0; i < x.size(); ++i) m.nodes[static_cast<std::size_t>(m_firstNode) + i][k] = x[i];
    }
    for (std::size_t i = static_cast<std::size_t>(m_firstNode); i < m.nodes.size(); ++i)
      if (!m.nodes[i].allFinite()) throw Bad{"a coordinate is not a number"};
    int sections = 0;
    must(cg_nsections(m_file, m_base, m_zone, &sections));
    for (int s = 1; s <= sections; ++s) {
      if (m_progress) m_progress->check();
      section(s, oneOfMany ? zoneName : "");
    }
    polyhedra();
  }

  struct Condition {
    std::string name, role;
    bool atNodes;
    std::vector<FaceKey> faces;
    std::vector<std::int32_t> nodes;
  };
  std::vector<Condition> conditions() {
    std::vector<Condition> r;
    int count = 0;
    must(cg_nbocos(m_file, m_base, m_zone, &count));
    for (int b = 1; b <= count; ++b) {
      char name[33] = {0};
      CGNS_ENUMT(BCType_t) type;
      CGNS_ENUMT(PointSetType_t) kind;
      cgsize_t points = 0, normals = 0;
      int index[3], sets = 0;
      CGNS_ENUMT(DataType_t) data;
      must(cg_boco_info(m_file, m_base, m_zone, b, name, &type, &kind, &points, index, &normals, &data, &sets));
      CGNS_ENUMT(GridLocation_t) where = CGNS_ENUMV(Vertex);
      must(cg_boco_gridlocation_read(m_file, m_base, m_zone, b, &where));
      const bool range = kind == CGNS_ENUMV(PointRange) || kind == CGNS_ENUMV(ElementRange);
      const bool old = kind == CGNS_ENUMV(ElementRange) || kind == CGNS_ENUMV(ElementList);
      std::vector<cgsize_t> list(static_cast<std::size_t>(std::max<cgsize_t>(points, 2)));
      must(cg_boco_read(m_file, m_base, m_zone, b, list.data(), nullptr));
      if (range) {
        const cgsize_t from = list[0], to = list[1];
        if (from < 1 || to < from || to - from > static_cast<cgsize_t>(m_faces.size() + m.nodes.size() + 1000000000))
          throw Bad{std::string("the range of boundary '") + name + "' makes no sense"};
        list.clear();
        for (cgsize_t i = from; i <= to; ++i) list.push_back(i);
      } else
        list.resize(static_cast<std::size_t>(points));
      Condition c{name, roleOf(type), !old && where == CGNS_ENUMV(Vertex), {}, {}};
      char family[33] = {0};
      if (cg_goto(m_file, m_base, "Zone_t", m_zone, "ZoneBC_t", 1, "BC_t", b, "end") == CG_OK &&
          cg_famname_read(family) == CG_OK && *family) {
        c.name = family;
        if (const auto known = familyRole(family); !known.empty()) c.role = known;
      }
      for (auto v : list)
        if (c.atNodes) {
          if (v >= 1 && v <= static_cast<cgsize_t>(m.nodes.size()) - m_firstNode)
            c.nodes.push_back(m_firstNode + static_cast<std::int32_t>(v) - 1);
        } else if (const auto it = m_faces.find(v); it != m_faces.end())
          c.faces.push_back(it->second);
      r.push_back(std::move(c));
    }
    return r;
  }

private:
  int m_file, m_base, m_zone;
  Mesh& m;
  const Progress* m_progress;
  std::int32_t m_firstNode;
  std::map<cgsize_t, FaceKey> m_faces;                                ///< surface elements by number
  std::map<cgsize_t, std::vector<std::int32_t>> m_rings;              ///< of NGON sections by number
  std::vector<std::pair<std::int32_t, std::vector<cgsize_t>>> m_poly; ///< region, faces of NFACE cells

  std::int32_t node(cgsize_t v) const {
    if (v < 1 || v > static_cast<cgsize_t>(m.nodes.size()) - m_firstNode)
      throw Bad{"an element refers to point " + std::to_string(v) + ", which is not there"};
    return m_firstNode + static_cast<std::int32_t>(v) - 1;
  }
  std::int32_t region(const std::string& name) {
    const auto it = std::find(m.regions.begin(), m.regions.end(), name);
    if (it != m.regions.end()) return static_cast<std::int32_t>(it - m.regions.begin());
    m.regions.push_back(name);
    return static_cast<std::int32_t>(m.regions.size()) - 1;
  }
  std::string familyRole(const std::string& name) {
    int families = 0;
    must(cg_nfamilies(m_file, m_base, &families));
    for (int k = 1; k <= families; ++k) {
      char is[33] = {0}, bc[33] = {0};
      int conditions = 0, geometries = 0;
      must(cg_family_read(m_file, m_base, k, is, &conditions, &geometries));
      if (name != is) continue;
      if (cg_goto(m_file, m_base, "Family_t", k, "end") == CG_OK) { // what write() says
        int notes = 0;
        must(cg_ndescriptors(&notes));
        for (int d = 1; d <= notes; ++d) {
          char title[33] = {0};
          char* text = nullptr;
          must(cg_descriptor_read(d, title, &text));
          const std::string role = text ? text : "";
          cg_free(text);
          if (std::string(title) == "Role") return role;
        }
      }
      CGNS_ENUMT(BCType_t) type;
      if (conditions > 0 && cg_fambc_read(m_file, m_base, k, 1, bc, &type) == CG_OK) return roleOf(type);
    }
    return {};
  }

  void element(const ElementTopology& t, const cgsize_t* v, cgsize_t number, const std::string& regionName) {
    std::vector<std::int32_t> n;
    for (int i = 0; i < t.nodes; ++i) n.push_back(node(v[i]));
    if (t.dim == 2) {
      m_faces.emplace(number, faceKey(std::span(n).first(static_cast<std::size_t>(t.corners))));
      return;
    }
    swapTopAndUprights(t.type, n);
    m.cells.add(t.type, n);
    m.cellRegion.push_back(region(regionName));
  }

  void section(int s, const std::string& zoneName) {
    char name[33] = {0};
    CGNS_ENUMT(ElementType_t) type;
    cgsize_t from = 0, to = 0, size = 0;
    int boundary = 0, parents = 0;
    must(cg_section_read(m_file, m_base, m_zone, s, name, &type, &from, &to, &boundary, &parents));
    must(cg_ElementDataSize(m_file, m_base, m_zone, s, &size));
    const std::string regionName = zoneName.empty() ? name : zoneName;
    if (to < from || size < 0) throw Bad{"section '" + std::string(name) + "' has no elements"};
    std::vector<cgsize_t> list(static_cast<std::size_t>(size)), start(static_cast<std::size_t>(to - from + 2), 0);
    const bool rows = type == CGNS_ENUMV(MIXED) || type == CGNS_ENUMV(NGON_n) || type == CGNS_ENUMV(NFACE_n);
    if (rows)
      must(cg_poly_elements_read(m_file, m_base, m_zone, s, list.data(), start.data(), nullptr));
    else
      must(cg_elements_read(m_file, m_base, m_zone, s, list.data(), nullptr));
    const auto count = static_cast<std::size_t>(to - from + 1);
    if (rows)
      for (std::size_t k = 0; k < count; ++k)
        if (start[k] < 0 || start[k + 1] < start[k] || start[k + 1] > size)
          throw Bad{"section '" + std::string(name) + "' is damaged"};
    auto known = [&](CGNS_ENUMT(ElementType_t) t) -> const ElementTopology* {
      if (t == CGNS_ENUMV(NODE) || t == CGNS_ENUMV(BAR_2) || t == CGNS_ENUMV(BAR_3)) return nullptr;
      const auto* e = ours(t);
      if (!e) throw Bad{std::string("elements of type ") + cg_ElementTypeName(t) + " cannot be read"};
      return e;
    };
    for (std::size_t k = 0; k < count; ++k) {
      if (m_progress && k % 65536 == 0) m_progress->check();
      const cgsize_t number = from + static_cast<cgsize_t>(k);
      if (type == CGNS_ENUMV(NGON_n)) {
        std::vector<std::int32_t> ring;
        for (cgsize_t i = start[k]; i < start[k + 1]; ++i) ring.push_back(node(list[static_cast<std::size_t>(i)]));
        if (ring.size() < 3) throw Bad{"a face has less than three corners"};
        m_faces.emplace(number, faceKey(ring));
        m_rings.emplace(number, std::move(ring));
      } else if (type == CGNS_ENUMV(NFACE_n)) {
        m_poly.push_back({region(regionName), {list.begin() + start[k], list.begin() + start[k + 1]}});
      } else if (type == CGNS_ENUMV(MIXED)) {
        if (start[k] >= size) throw Bad{"section '" + std::string(name) + "' is damaged"};
        const auto t = static_cast<CGNS_ENUMT(ElementType_t)>(list[static_cast<std::size_t>(start[k])]);
        const auto* e = known(t);
        if (!e) continue;
        if (start[k + 1] - start[k] != e->nodes + 1) throw Bad{"section '" + std::string(name) + "' is damaged"};
        element(*e, list.data() + start[k] + 1, number, regionName);
      } else {
        const auto* e = known(type);
        if (!e) return;
        if (static_cast<std::size_t>(size) != count * static_cast<std::size_t>(e->nodes))
          throw Bad{"section '" + std::string(name) + "' is damaged"};
        element(*e, list.data() + k * static_cast<std::size_t>(e->nodes), number, regionName);
      }
    }
  }

  void polyhedra() {
    std::vector<std::int32_t> nodes;
    for (const auto& [r, faces] : m_poly) {
      std::vector<std::vector<std::int32_t>> rings;
      for (auto f : faces) {
        const auto it = m_rings.find(f < 0 ? -f : f);
        if (it == m_rings.end()) throw Bad{"a polyhedron refers to face " + std::to_string(f) + ", which is not there"};
        rings.push_back(it->second);
        if (f < 0) std::reverse(rings.back().begin(), rings.back().end());
      }
      ElementType type{};
      if (shapeOf(rings, type, nodes))
        m.cells.add(type, nodes);
      else
        m.cells.addPolyhedron(rings);
      m.cellRegion.push_back(r);
    }
  }
};

Mesh read(const std::string& path, const Progress* progress) {
  File f(path, CG_MODE_READ);
  Mesh m;
  m.unit = "m";
  m.unitAssumed = true;
  int bases = 0, zones = 0, cell = 0, space = 0;
  must(cg_nbases(f.id, &bases));
  int base = 0;
  for (int b = 1; b <= bases && !base; ++b) {
    char name[33];
    must(cg_base_read(f.id, b, name, &cell, &space));
    if (cell == 3 && space == 3) base = b;
  }
  if (!base) throw Bad{"it holds no base of three dimensions"};
  if (cg_goto(f.id, base, "end") == CG_OK) {
    CGNS_ENUMT(MassUnits_t) mass;
    CGNS_ENUMT(LengthUnits_t) length;
    CGNS_ENUMT(TimeUnits_t) time;
    CGNS_ENUMT(TemperatureUnits_t) temperature;
    CGNS_ENUMT(AngleUnits_t) angle;
    if (cg_units_read(&mass, &length, &time, &temperature, &angle) == CG_OK)
      for (const auto& u : kUnits)
        if (u.unit == length) {
          m.unit = u.name;
          m.unitAssumed = false;
        }
  }
  must(cg_nzones(f.id, base, &zones));
  std::vector<ZoneReader::Condition> conditions;
  for (int z = 1; z <= zones; ++z) {
    CGNS_ENUMT(ZoneType_t) type;
    char name[33] = {0};
    cgsize_t size[9] = {0};
    must(cg_zone_read(f.id, base, z, name, size));
    must(cg_zone_type(f.id, base, z, &type));
    if (type != CGNS_ENUMV(Unstructured))
      throw Bad{"zone '" + std::string(name) + "' is structured; unstructured zones can be read"};
    ZoneReader reader(f.id, base, z, m, progress);
    reader.read(name, zones > 1);
    for (auto& c : reader.conditions()) conditions.push_back(std::move(c));
  }
  if (m.cells.size() == 0) throw Bad{"it holds no volume elements"};
  rebuildFaces(m);
  std::unordered_map<FaceKey, std::int32_t, FaceKeyHash> at;
  for (std::size_t k = 0; k < m.faces.size(); ++k)
    at.emplace(faceKey(m.faces.corners(k)), static_cast<std::int32_t>(k));
  for (auto& c : conditions) {
    const int dim = c.atNodes ? 0 : 2;
    auto g =
        std::find_if(m.groups.begin(), m.groups.end(), [&](const auto& x) { return x.name == c.name && x.dim == dim; });
    if (g == m.groups.end()) g = m.groups.insert(g, {c.name, dim, {}, 0, c.role});
    for (const auto& key : c.faces)
      if (const auto it = at.find(key); it != at.end()) g->items.push_back(it->second);
    g->items.insert(g->items.end(), c.nodes.begin(), c.nodes.end());
    std::sort(g->items.begin(), g->items.end());
    g->items.erase(std::unique(g->items.begin(), g->items.end()), g->items.end());
  }
  return m;
}

} // namespace

std::optional<Problem> writeCgns(const Mesh& m, const std::string& path, double scale) {
  if (m.nodes.size() + m.cells.size() + m.faces.size() > std::numeric_limits<std::int32_t>::max() / 30) {
    Problem p = unreadableFile(path, "the library counts entries in 32 bits");
    p.fault = Fault::Output;
    p.what = "the mesh is too large for a CGNS file";
    p.todo = "choose another format, or mesh coarser";
    return p;
  }
  return writeByLibrary(path, [&](const std::string& beside) -> std::string {
    std::lock_guard lock(library());
    try {
      write(m, beside, scale);
      return {};
    } catch (const Bad& b) {
      return b.why.empty() ? "the library gave no reason" : b.why;
    }
  });
}

Result<Mesh> readCgns(const std::string& path, const Progress* progress) {
  if (auto text = readFile(path); !text) return text.problem();
  if (!readerSurvives("cgns", path, progress))
    return unreadableFile(path, "its contents are damaged, or need more memory than such a file can");
  std::lock_guard lock(library());
  try {
    return read(path, progress);
  } catch (const Bad& b) {
    return unreadableFile(path, b.why);
  }
}

} // namespace tess
