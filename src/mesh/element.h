// SPDX-License-Identifier: GPL-3.0-or-later
// One table of element shapes: counts, faces, edges, node order. Corner order: base counter-clockwise seen from inside
// the cell, then the top. Mid-edge nodes follow `edge`; this is the order of .inp, and of VTK but for the wedge's base.
// Polygons and polyhedra have as many nodes as their rows say; the table has zeros for them.
//
//   tet4/tet10     3                 hex8          7-----6
//                 /|\                             /|    /|
//                7 | 9                           4-----5 |
//               /  8  \                          | 3---|-2
//              0---6|---2                        |/    |/
//               4  \|  5                         0-----1
//                   1
#pragma once
#include "base/edge_key.h"
#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <string_view>

namespace tess {

/// Kept runs hold these numbers: new types go to the end.
enum class ElementType : std::uint8_t {
  Tri3,
  Tri6,
  Quad4,
  Tet4,
  Tet10,
  Pyramid5,
  Wedge6,
  Hex8,
  Quad8,
  Pyramid13,
  Wedge15,
  Hex20,
  Polygon,
  Polyhedron
};
constexpr int kElementTypes = 14;

struct ElementTopology {
  std::string_view name;
  ElementType type;
  int dim, order, nodes, corners, faces, edges;
  std::array<std::array<int, 4>, 6> face; ///< corners of each face, outward by the right hand rule; -1 pads triangles
  std::array<std::array<int, 2>, 12> edge;
  int vtkType;
  std::array<int, 6> faceSize = {};                ///< corners of each face
  std::array<std::array<int, 4>, 6> faceEdge = {}; ///< edge between each corner of a face and the next; -1 pads
};

/// Corners of linear cells that have three neighbours in it: corner, and these in right-handed order.
constexpr std::size_t kTetCorners[4][4] = {{0, 1, 2, 3}, {1, 2, 0, 3}, {2, 0, 1, 3}, {3, 0, 2, 1}};
constexpr std::size_t kPyramidCorners[4][4] = {{0, 1, 3, 4}, {1, 2, 0, 4}, {2, 3, 1, 4}, {3, 0, 2, 4}};
constexpr std::size_t kWedgeCorners[6][4] = {{0, 1, 2, 3}, {1, 2, 0, 4}, {2, 0, 1, 5},
                                             {3, 5, 4, 0}, {4, 3, 5, 1}, {5, 4, 3, 2}};
constexpr std::size_t kHexCorners[8][4] = {{0, 1, 3, 4}, {1, 2, 0, 5}, {2, 3, 1, 6}, {3, 0, 2, 7},
                                           {4, 7, 5, 0}, {5, 4, 6, 1}, {6, 5, 7, 2}, {7, 6, 4, 3}};
/// Those of the cell with so many corners (4, 5, 6 or 8), and what makes the determinant of three unit edges 1 in a
/// regular one.
struct CornerTable {
  std::span<const std::size_t[4]> corners;
  double scale;
};
inline CornerTable cornerTable(std::size_t corners) {
  switch (corners) {
  case 4:
    return {kTetCorners, 1.4142135623730951};
  case 5:
    return {kPyramidCorners, 1.4142135623730951};
  case 6:
    return {kWedgeCorners, 1.1547005383792517};
  default:
    return {kHexCorners, 1};
  }
}

const ElementTopology& topology(ElementType t);
/// Nothing when no type has this name.
const ElementTopology* topologyByName(std::string_view name);
/// The type of the same shape with mid nodes (order 2) or without (1); nothing where the shape has none.
std::optional<ElementType> typeOfOrder(ElementType t, int order);
/// The type of a face with so many corners.
ElementType faceType(std::size_t corners, int order);

} // namespace tess
