// SPDX-License-Identifier: GPL-3.0-or-later
// One table of element shapes: counts, faces, edges, node order. Corner order: base counter-clockwise seen from inside
// the cell, then the top. Mid-edge nodes follow `edges`; this is the order of .inp and VTK for tet10.
//
//   tet4/tet10     3                 hex8          7-----6
//                 /|\                             /|    /|
//                7 | 9                           4-----5 |
//               /  8  \                          | 3---|-2
//              0---6|---2                        |/    |/
//               4  \|  5                         0-----1
//                   1
#pragma once
#include <array>
#include <cstdint>
#include <span>
#include <string_view>

namespace tess {

enum class ElementType : std::uint8_t { Tri3, Tri6, Quad4, Tet4, Tet10, Pyramid5, Wedge6, Hex8 };
constexpr int kElementTypes = 8;

struct ElementTopology {
  std::string_view name;
  ElementType type;
  int dim, order, nodes, corners, faces, edges;
  std::array<std::array<int, 4>, 6> face; ///< corners of each face, outward by the right hand rule; -1 pads triangles
  std::array<std::array<int, 2>, 12> edge;
  int vtkType;
};

const ElementTopology& topology(ElementType t);
/// Nothing when no type has this name.
const ElementTopology* topologyByName(std::string_view name);

} // namespace tess
