// SPDX-License-Identifier: GPL-3.0-or-later
// Wishes and meshes between a part and one that is derived from it.
#pragma once
#include "geometry/subset.h"
#include "mesher/mesher.h"

namespace tess {

/// Wishes about the edges and faces of a part, for one that is derived from it. `derived` tells where an edge or face
/// went, -1 for nowhere.
template <class Derived> MeshWishes translatedWishes(const MeshWishes& asked, const Derived& derived) {
  MeshWishes own = asked;
  const Bridging& b = asked.bridging;
  own.bridging.ignoreEdge.clear();
  own.bridging.ignorePoint.clear();
  own.bridging.keepEdge.assign(derived.part().edges.size(), 0);
  for (std::size_t e = 0; e < b.keepEdge.size(); ++e)
    if (int there = derived.edgeOf(static_cast<int>(e)); there >= 0)
      own.bridging.keepEdge[static_cast<std::size_t>(there)] |= b.keepEdge[e];
  own.bridging.keepFace.assign(derived.part().faces.size(), 0);
  for (std::size_t f = 0; f < b.keepFace.size(); ++f)
    if (int there = derived.faceOf(static_cast<int>(f)); there >= 0)
      own.bridging.keepFace[static_cast<std::size_t>(there)] |= b.keepFace[f];
  std::vector<EdgeDivisions::Pair> divisions;
  for (auto [edge, division] : asked.divisions) {
    for (int& e : division.like) e = derived.edgeOf(e);
    std::erase(division.like, -1);
    if (int there = derived.edgeOf(edge); there >= 0) divisions.push_back({there, division});
  }
  own.divisions = EdgeDivisions(std::move(divisions));
  own.layers.ofFace.clear();
  if (asked.layers.any()) {
    own.layers.ofFace.assign(derived.part().faces.size(), {-1, -1});
    for (std::size_t f = 0; f < asked.layers.ofFace.size(); ++f)
      if (int there = derived.faceOf(static_cast<int>(f)); there >= 0)
        own.layers.ofFace[static_cast<std::size_t>(there)] = asked.layers.ofFace[f];
  }
  return own;
}

/// Links and face numbers of the mesh of a part without some bodies become those of the whole part.
void nameOriginals(MeshOutcome& out, const SubsetPart& subset, std::size_t wholeFaces);

} // namespace tess
