// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/element.h"

namespace tess {
namespace {
using F = std::array<std::array<int, 4>, 6>;
using E = std::array<std::array<int, 2>, 12>;
constexpr F kTetFaces{{{0, 2, 1, -1}, {0, 1, 3, -1}, {1, 2, 3, -1}, {0, 3, 2, -1}}};
constexpr E kTetEdges{{{0, 1}, {1, 2}, {2, 0}, {0, 3}, {1, 3}, {2, 3}}};
constexpr E kTriEdges{{{0, 1}, {1, 2}, {2, 0}}};
constexpr E kQuadEdges{{{0, 1}, {1, 2}, {2, 3}, {3, 0}}};
constexpr F kPyramidFaces{{{0, 3, 2, 1}, {0, 1, 4, -1}, {1, 2, 4, -1}, {2, 3, 4, -1}, {3, 0, 4, -1}}};
constexpr E kPyramidEdges{{{0, 1}, {1, 2}, {2, 3}, {3, 0}, {0, 4}, {1, 4}, {2, 4}, {3, 4}}};
constexpr F kWedgeFaces{{{0, 2, 1, -1}, {3, 4, 5, -1}, {0, 1, 4, 3}, {1, 2, 5, 4}, {2, 0, 3, 5}}};
constexpr E kWedgeEdges{{{0, 1}, {1, 2}, {2, 0}, {3, 4}, {4, 5}, {5, 3}, {0, 3}, {1, 4}, {2, 5}}};
constexpr F kHexFaces{{{0, 3, 2, 1}, {4, 5, 6, 7}, {0, 1, 5, 4}, {1, 2, 6, 5}, {2, 3, 7, 6}, {3, 0, 4, 7}}};
constexpr E kHexEdges{{{0, 1}, {1, 2}, {2, 3}, {3, 0}, {4, 5}, {5, 6}, {6, 7}, {7, 4}, {0, 4}, {1, 5}, {2, 6}, {3, 7}}};

/// Fills in what follows from faces and edges.
constexpr ElementTopology whole(ElementTopology t) {
  for (std::size_t f = 0; f < static_cast<std::size_t>(t.faces); ++f) {
    const int k = t.face[f][3] < 0 ? 3 : 4;
    t.faceSize[f] = k;
    for (int i = 0; i < 4; ++i) {
      int& edge = t.faceEdge[f][static_cast<std::size_t>(i)];
      edge = -1;
      if (i >= k) continue;
      const int a = t.face[f][static_cast<std::size_t>(i)], b = t.face[f][static_cast<std::size_t>((i + 1) % k)];
      for (int e = 0; e < t.edges; ++e) {
        const auto& ends = t.edge[static_cast<std::size_t>(e)];
        if ((ends[0] == a && ends[1] == b) || (ends[0] == b && ends[1] == a)) edge = e;
      }
    }
  }
  return t;
}

constexpr ElementTopology kTable[kElementTypes] = {
    whole({"tri3", ElementType::Tri3, 2, 1, 3, 3, 1, 3, F{{{0, 1, 2, -1}}}, kTriEdges, 5}),
    whole({"tri6", ElementType::Tri6, 2, 2, 6, 3, 1, 3, F{{{0, 1, 2, -1}}}, kTriEdges, 22}),
    whole({"quad4", ElementType::Quad4, 2, 1, 4, 4, 1, 4, F{{{0, 1, 2, 3}}}, kQuadEdges, 9}),
    whole({"tet4", ElementType::Tet4, 3, 1, 4, 4, 4, 6, kTetFaces, kTetEdges, 10}),
    whole({"tet10", ElementType::Tet10, 3, 2, 10, 4, 4, 6, kTetFaces, kTetEdges, 24}),
    whole({"pyramid5", ElementType::Pyramid5, 3, 1, 5, 5, 5, 8, kPyramidFaces, kPyramidEdges, 14}),
    whole({"wedge6", ElementType::Wedge6, 3, 1, 6, 6, 5, 9, kWedgeFaces, kWedgeEdges, 13}),
    whole({"hex8", ElementType::Hex8, 3, 1, 8, 8, 6, 12, kHexFaces, kHexEdges, 12}),
    whole({"quad8", ElementType::Quad8, 2, 2, 8, 4, 1, 4, F{{{0, 1, 2, 3}}}, kQuadEdges, 23}),
    whole({"pyramid13", ElementType::Pyramid13, 3, 2, 13, 5, 5, 8, kPyramidFaces, kPyramidEdges, 27}),
    whole({"wedge15", ElementType::Wedge15, 3, 2, 15, 6, 5, 9, kWedgeFaces, kWedgeEdges, 26}),
    whole({"hex20", ElementType::Hex20, 3, 2, 20, 8, 6, 12, kHexFaces, kHexEdges, 25}),
    {"polygon", ElementType::Polygon, 2, 1, 0, 0, 0, 0, F{}, E{}, 7},
    {"polyhedron", ElementType::Polyhedron, 3, 1, 0, 0, 0, 0, F{}, E{}, 42},
};
} // namespace

const ElementTopology& topology(ElementType t) { return kTable[static_cast<int>(t)]; }
const ElementTopology* topologyByName(std::string_view name) {
  for (const auto& t : kTable)
    if (t.name == name) return &t;
  return nullptr;
}

std::optional<ElementType> typeOfOrder(ElementType type, int order) {
  const auto& t = topology(type);
  if (t.order == order) return type;
  for (const auto& o : kTable)
    if (t.corners && o.dim == t.dim && o.corners == t.corners && o.order == order) return o.type;
  return {};
}

ElementType faceType(std::size_t corners, int order) {
  if (corners == 3) return order == 2 ? ElementType::Tri6 : ElementType::Tri3;
  if (corners == 4) return order == 2 ? ElementType::Quad8 : ElementType::Quad4;
  return ElementType::Polygon;
}

} // namespace tess
