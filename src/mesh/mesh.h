// SPDX-License-Identifier: GPL-3.0-or-later
// A volume mesh with its boundary: nodes, cells of any type, boundary and interface faces, regions, named groups, and
// the link from nodes and faces to the geometry they lie on. Structure of arrays, 32-bit ids.
#pragma once
#include "base/vec.h"
#include "mesh/element.h"
#include <string>

namespace tess {

/// Elements of mixed types in compressed rows.
struct ElementBlock {
  std::vector<ElementType> type;
  std::vector<std::uint32_t> start{0};
  std::vector<std::int32_t> nodes;
  std::size_t size() const { return type.size(); }
  std::span<const std::int32_t> of(std::size_t e) const { return {nodes.data() + start[e], start[e + 1] - start[e]}; }
  std::span<std::int32_t> of(std::size_t e) { return {nodes.data() + start[e], start[e + 1] - start[e]}; }
  void add(ElementType t, std::span<const std::int32_t> n) {
    type.push_back(t);
    nodes.insert(nodes.end(), n.begin(), n.end());
    start.push_back(static_cast<std::uint32_t>(nodes.size()));
  }
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
/// Area of one boundary face; order 2 by quadrature.
double faceArea(const Mesh& m, std::size_t face);
double meshVolume(const Mesh& m);
/// Builds `faces`, `faceRegions` from cells: faces used once, and faces between different regions.
/// Existing group membership of faces is lost. Deterministic order: by cell, then by face of the cell.
void rebuildFaces(Mesh& m);
/// For each boundary face the cell behind it and the number of the face in that cell.
std::vector<std::array<std::int32_t, 2>> facesInCells(const Mesh& m);

} // namespace tess
