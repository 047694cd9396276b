// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/cell_from_faces.h"
#include <algorithm>
#include <map>

namespace tess {

bool shapeOf(const std::vector<std::vector<std::int32_t>>& faces, ElementType& type, std::vector<std::int32_t>& nodes) {
  std::vector<std::int32_t> all;
  std::size_t triangles = 0, quads = 0;
  for (const auto& f : faces) {
    triangles += f.size() == 3;
    quads += f.size() == 4;
    all.insert(all.end(), f.begin(), f.end());
  }
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end()), all.end());
  if (triangles + quads != faces.size()) return false;
  std::size_t baseCorners;
  if (triangles == 4 && !quads && all.size() == 4)
    type = ElementType::Tet4, baseCorners = 3;
  else if (triangles == 4 && quads == 1 && all.size() == 5)
    type = ElementType::Pyramid5, baseCorners = 4;
  else if (triangles == 2 && quads == 3 && all.size() == 6)
    type = ElementType::Wedge6, baseCorners = 3;
  else if (!triangles && quads == 6 && all.size() == 8)
    type = ElementType::Hex8, baseCorners = 4;
  else
    return false;
  // The base is seen from inside, i.e. the ring of its face backwards.
  const auto base = std::find_if(faces.begin(), faces.end(), [&](const auto& f) { return f.size() == baseCorners; });
  nodes = {base->front()};
  for (std::size_t i = baseCorners - 1; i > 0; --i) nodes.push_back((*base)[i]);
  auto inBase = [&](std::int32_t v) { return std::find(base->begin(), base->end(), v) != base->end(); };
  for (std::size_t i = 0; i < baseCorners; ++i) { // what stands above each of its corners
    std::int32_t above = -1;
    for (const auto& f : faces)
      for (std::size_t k = 0; k < f.size(); ++k) {
        if (f[k] != nodes[i]) continue;
        for (std::int32_t w : {f[(k + 1) % f.size()], f[(k + f.size() - 1) % f.size()]}) {
          if (inBase(w)) continue;
          if (above >= 0 && above != w) return false;
          above = w;
        }
      }
    if (above < 0) return false;
    if (nodes.size() < all.size()) nodes.push_back(above);
    if (type == ElementType::Tet4 || type == ElementType::Pyramid5) break;
  }
  return nodes.size() == all.size();
}

bool uncollapse(ElementType& type, std::vector<std::int32_t>& nodes) {
  const auto& t = topology(type);
  std::vector<std::vector<std::int32_t>> rings;
  for (std::size_t f = 0; f < static_cast<std::size_t>(t.faces); ++f) {
    std::vector<std::int32_t> ring;
    for (int i = 0; i < t.faceSize[f]; ++i) {
      const auto n = nodes[static_cast<std::size_t>(t.face[f][static_cast<std::size_t>(i)])];
      if (std::find(ring.begin(), ring.end(), n) == ring.end()) ring.push_back(n);
    }
    if (ring.size() > 2) rings.push_back(std::move(ring));
  }
  ElementType to{};
  std::vector<std::int32_t> corners;
  if (!shapeOf(rings, to, corners)) return false;
  if (t.order == 2) {
    std::map<std::uint64_t, std::int32_t> mid;
    for (std::size_t e = 0; e < static_cast<std::size_t>(t.edges); ++e) {
      const auto a = nodes[static_cast<std::size_t>(t.edge[e][0])], b = nodes[static_cast<std::size_t>(t.edge[e][1])];
      if (a != b) mid.emplace(edgeKey(a, b), nodes[static_cast<std::size_t>(t.corners) + e]);
    }
    const auto& shape = topology(to);
    for (std::size_t e = 0; e < static_cast<std::size_t>(shape.edges); ++e) {
      const auto it = mid.find(edgeKey(corners[static_cast<std::size_t>(shape.edge[e][0])],
                                       corners[static_cast<std::size_t>(shape.edge[e][1])]));
      if (it == mid.end()) return false;
      corners.push_back(it->second);
    }
    to = *typeOfOrder(to, 2);
  }
  type = to;
  nodes = std::move(corners);
  return true;
}

} // namespace tess
