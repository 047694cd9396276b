// SPDX-License-Identifier: GPL-3.0-or-later
// A volume mesh with its boundary: nodes, cells of any type, boundary and interface faces, regions, named groups, and
// the link from nodes and faces to the geometry they lie on. Structure of arrays, 32-bit ids.
#pragma once
#include "base/vec.h"
#include "mesh/element.h"
#include <span>
#include <string>
#include <vector>

namespace tess {

/// Faces of the polyhedra of a block, in compressed rows.
struct PolyhedronFaces {
  std::vector<std::int32_t> row;       ///< by element, its number among the polyhedra or -1; empty without any
  std::vector<std::uint32_t> start{0}; ///< by polyhedron, its first face
  std::vector<std::uint32_t> ring{0};  ///< by face, its first corner
  std::vector<std::int32_t> corner;    ///< places in the polyhedron's own list of nodes, rings seen from outside
};

/// Elements of mixed types in compressed rows. Polygons list their corners in a ring; polyhedra list each of their
/// nodes once and have `poly` for their faces.
struct ElementBlock {
  std::vector<ElementType> type;
  std::vector<std::uint32_t> start{0};
  std::vector<std::int32_t> nodes;
  PolyhedronFaces poly;

  std::size_t size() const { return type.size(); }
  std::span<const std::int32_t> of(std::size_t e) const { return {nodes.data() + start[e], start[e + 1] - start[e]}; }
  std::span<std::int32_t> of(std::size_t e) { return {nodes.data() + start[e], start[e + 1] - start[e]}; }
  const ElementTopology& shape(std::size_t e) const { return topology(type[e]); }
  std::size_t cornerCount(std::size_t e) const {
    const int n = shape(e).corners;
    return n ? static_cast<std::size_t>(n) : start[e + 1] - start[e];
  }
  std::span<const std::int32_t> corners(std::size_t e) const { return of(e).first(cornerCount(e)); }
  std::size_t faceCount(std::size_t e) const {
    if (type[e] != ElementType::Polyhedron) return static_cast<std::size_t>(shape(e).faces);
    const auto p = static_cast<std::size_t>(poly.row[e]);
    return poly.start[p + 1] - poly.start[p];
  }
  /// Corners of a face of a cell as places in the cell's list, outward by the right hand rule.
  std::span<const std::int32_t> faceCorners(std::size_t e, std::size_t f) const {
    if (type[e] != ElementType::Polyhedron)
      return {shape(e).face[f].data(), static_cast<std::size_t>(shape(e).faceSize[f])};
    const std::size_t r = poly.start[static_cast<std::size_t>(poly.row[e])] + f;
    return {poly.corner.data() + poly.ring[r], poly.ring[r + 1] - poly.ring[r]};
  }
  /// Calls visit(a, b, mid) for each edge, as places in the element's list; mid is -1 where there is no mid node.
  template <class V> void forEdges(std::size_t e, V&& visit) const {
    const auto& t = shape(e);
    for (int k = 0; k < t.edges; ++k) {
      const auto& ends = t.edge[static_cast<std::size_t>(k)];
      visit(ends[0], ends[1], t.order == 2 ? t.corners + k : -1);
    }
    if (type[e] == ElementType::Polygon)
      for (int i = 0, n = static_cast<int>(of(e).size()); i < n; ++i) visit(i, (i + 1) % n, -1);
    if (type[e] == ElementType::Polyhedron) // two faces run along an edge, in opposite directions
      for (std::size_t f = 0; f < faceCount(e); ++f) {
        const auto q = faceCorners(e, f);
        for (std::size_t i = 0; i < q.size(); ++i)
          if (const auto a = q[i], b = q[(i + 1) % q.size()]; a < b) visit(a, b, -1);
      }
  }
  /// Nodes of a face of a cell: its corners, then the mid nodes between each and the next.
  void faceNodes(std::size_t e, std::size_t f, std::vector<std::int32_t>& out) const {
    out.clear();
    for (auto i : faceCorners(e, f)) out.push_back(of(e)[static_cast<std::size_t>(i)]);
    if (const auto& t = shape(e); t.order == 2)
      for (int i = 0; i < t.faceSize[f]; ++i)
        out.push_back(of(e)[static_cast<std::size_t>(t.corners + t.faceEdge[f][static_cast<std::size_t>(i)])]);
  }
  /// Not for polyhedra.
  void add(ElementType t, std::span<const std::int32_t> n) {
    type.push_back(t);
    nodes.insert(nodes.end(), n.begin(), n.end());
    start.push_back(static_cast<std::uint32_t>(nodes.size()));
    if (!poly.row.empty()) poly.row.push_back(-1);
  }
  /// A polyhedron by its faces, rings of nodes seen from outside.
  void addPolyhedron(std::span<const std::vector<std::int32_t>> faces);
  /// Element `e` of another block with other nodes in the places of its own, of its own type.
  void addLike(const ElementBlock& from, std::size_t e, std::span<const std::int32_t> n);
  bool operator==(const ElementBlock& o) const { return type == o.type && start == o.start && nodes == o.nodes; }
};

/// What a node or face lies on; dim 3 and entity -1 for the inside.
struct GeometryLink {
  std::int8_t dim = 3;
  std::int32_t entity = -1;
};

struct MeshGroup {
  std::string name;
  int dim = 2;                     ///< 2 boundary faces, 3 cells, 1 and 0 nodes
  std::vector<std::int32_t> items; ///< faces, cells or nodes by dim, ascending
  int entities = 0;                ///< geometry entities behind it
  std::string role = {};           ///< of faces: inlet, outlet, wall, symmetry, ...; empty: none
};

struct Mesh {
  std::vector<Vec3> nodes;
  std::vector<GeometryLink> nodeLink; ///< as nodes, or empty for imported meshes
  ElementBlock cells;
  std::vector<std::int32_t> cellRegion;
  std::vector<std::uint16_t> cellLayer; ///< of wall layers: which one counted from the wall, 0 elsewhere; may be empty
  std::vector<std::string> regions;
  std::vector<std::string> materials, media; ///< label, and "solid" or "fluid", by region; shorter: none given
  ElementBlock faces;                        ///< boundary and interface faces; normals leave the first region
  std::vector<std::int32_t> faceLink;        ///< geometry face, or -1
  std::vector<std::array<std::int32_t, 2>> faceRegions; ///< region behind, region in front (-1 outside)
  std::vector<MeshGroup> groups;
  std::vector<std::array<std::int32_t, 2>>
      twins; ///< nodes at one place on purpose: node, its copy across a separate pair
  std::string unit = "mm";
  bool unitAssumed = false; ///< read from a file that does not say

  std::size_t cellCount() const { return cells.size(); }
  bool empty() const { return nodes.empty(); }
};

/// Volume of one cell from its corners and mid nodes (order 2 by quadrature), signed.
double cellVolume(const Mesh& m, std::size_t cell);
/// The part of a cell's volume that a face of it carries by the divergence theorem, seen from `o`: a third of the
/// integral of (x - o) . n over it. `p`: its nodes as in `faces`; quadrilaterals are bilinear patches, polygons fans
/// about their mean point, curved faces are integrated exactly (Gauss; Radon 1948).
double faceFlux(std::span<const Vec3> p, const Vec3& o, ElementType type);
/// Area of one boundary face; order 2 by quadrature.
double faceArea(const Mesh& m, std::size_t face);
double meshVolume(const Mesh& m);
/// Mean of the corners.
Vec3 cellCenter(const Mesh& m, std::size_t cell);
/// Which orders occur among the cells.
struct Orders {
  bool linear = false, quadratic = false;
  bool mixed() const { return linear && quadratic; }
  int highest() const { return quadratic ? 2 : 1; }
};
Orders ordersOf(const Mesh& m);
/// Mid nodes of all cells of order 2, ascending.
std::vector<std::int32_t> midNodesOf(const Mesh& m);
/// "1", "2" or "1 and 2".
std::string orderText(const Orders& o);
/// Builds `faces`, `faceRegions` from cells: faces used once, and faces between different regions.
/// Existing group membership of faces is lost. Deterministic order: by cell, then by face of the cell.
void rebuildFaces(Mesh& m);
/// For each boundary face the cell behind it and the number of the face in that cell.
std::vector<std::array<std::int32_t, 2>> facesInCells(const Mesh& m);

} // namespace tess
