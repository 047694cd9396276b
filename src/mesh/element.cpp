// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/element.h"

namespace tess {
namespace {
using F = std::array<std::array<int, 4>, 6>;
using E = std::array<std::array<int, 2>, 12>;
constexpr F kTetFaces{{{0, 2, 1, -1}, {0, 1, 3, -1}, {1, 2, 3, -1}, {0, 3, 2, -1}}};
constexpr E kTetEdges{{{0, 1}, {1, 2}, {2, 0}, {0, 3}, {1, 3}, {2, 3}}};
constexpr E kTriEdges{{{0, 1}, {1, 2}, {2, 0}}};
constexpr ElementTopology kTable[kElementTypes] = {
    {"tri3", ElementType::Tri3, 2, 1, 3, 3, 1, 3, F{{{0, 1, 2, -1}}}, kTriEdges, 5},
    {"tri6", ElementType::Tri6, 2, 2, 6, 3, 1, 3, F{{{0, 1, 2, -1}}}, kTriEdges, 22},
    {"quad4", ElementType::Quad4, 2, 1, 4, 4, 1, 4, F{{{0, 1, 2, 3}}}, E{{{0, 1}, {1, 2}, {2, 3}, {3, 0}}}, 9},
    {"tet4", ElementType::Tet4, 3, 1, 4, 4, 4, 6, kTetFaces, kTetEdges, 10},
    {"tet10", ElementType::Tet10, 3, 2, 10, 4, 4, 6, kTetFaces, kTetEdges, 24},
    {"pyramid5", ElementType::Pyramid5, 3, 1, 5, 5, 5, 8,
     F{{{0, 3, 2, 1}, {0, 1, 4, -1}, {1, 2, 4, -1}, {2, 3, 4, -1}, {3, 0, 4, -1}}},
     E{{{0, 1}, {1, 2}, {2, 3}, {3, 0}, {0, 4}, {1, 4}, {2, 4}, {3, 4}}}, 14},
    {"wedge6", ElementType::Wedge6, 3, 1, 6, 6, 5, 9,
     F{{{0, 2, 1, -1}, {3, 4, 5, -1}, {0, 1, 4, 3}, {1, 2, 5, 4}, {2, 0, 3, 5}}},
     E{{{0, 1}, {1, 2}, {2, 0}, {3, 4}, {4, 5}, {5, 3}, {0, 3}, {1, 4}, {2, 5}}}, 13},
    {"hex8", ElementType::Hex8, 3, 1, 8, 8, 6, 12,
     F{{{0, 3, 2, 1}, {4, 5, 6, 7}, {0, 1, 5, 4}, {1, 2, 6, 5}, {2, 3, 7, 6}, {3, 0, 4, 7}}},
     E{{{0, 1}, {1, 2}, {2, 3}, {3, 0}, {4, 5}, {5, 6}, {6, 7}, {7, 4}, {0, 4}, {1, 5}, {2, 6}, {3, 7}}}, 12},
};
} // namespace

const ElementTopology& topology(ElementType t) { return kTable[static_cast<int>(t)]; }
const ElementTopology* topologyByName(std::string_view name) {
  for (const auto& t : kTable)
    if (t.name == name) return &t;
  return nullptr;
}

} // namespace tess
