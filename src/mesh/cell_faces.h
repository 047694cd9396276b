// SPDX-License-Identifier: GPL-3.0-or-later
// Faces of cells by their corners: a key that two cells of a conforming mesh share, and a walk over all of them.
#pragma once
#include "base/progress.h"
#include "mesh/mesh.h"
#include <limits>

namespace tess {

/// The three smallest corners identify a face of a conforming mesh.
struct FaceKey {
  std::array<std::int32_t, 3> v;
  bool operator==(const FaceKey&) const = default;
};
struct FaceKeyHash {
  std::size_t operator()(const FaceKey& k) const {
    std::uint64_t h = 0x9E3779B97F4A7C15ull;
    for (std::int32_t i : k.v) h = (h ^ static_cast<std::uint64_t>(i)) * 0xff51afd7ed558ccdull, h ^= h >> 32;
    return h;
  }
};
inline FaceKey faceKey(const std::int32_t* n, int count) {
  std::array<std::int32_t, 4> v{n[0], n[1], n[2], count > 3 ? n[3] : std::numeric_limits<std::int32_t>::max()};
  for (std::size_t i = 1; i < 4; ++i)
    for (std::size_t j = i; j > 0 && v[j] < v[j - 1]; --j) std::swap(v[j], v[j - 1]);
  return {{v[0], v[1], v[2]}};
}

/// Calls visit(cell, face, key, corners, corner count) for all faces of all cells.
template <class V> void forEachCellFace(const Mesh& m, V&& visit) {
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    const auto& t = topology(m.cells.type[c]);
    auto n = m.cells.of(c);
    for (int f = 0; f < t.faces; ++f) {
      std::int32_t v[4] = {0, 0, 0, 0};
      int k = 0;
      for (int i : t.face[static_cast<std::size_t>(f)])
        if (i >= 0) v[k++] = n[static_cast<std::size_t>(i)];
      visit(c, f, faceKey(v, k), v, k);
    }
  }
}

/// For every cell the neighbours over its faces (-1 none), in the order of the type's faces; flat with `start`.
struct Neighbours {
  std::vector<std::uint32_t> start;
  std::vector<std::int32_t> cell;
  std::size_t surplus = 0; ///< uses of a face beyond two
};
/// Faces are sorted into buckets by their smallest node, then matched inside each bucket. Cost O(faces).
Neighbours cellNeighbours(const Mesh& mesh, const Progress* progress = nullptr);

} // namespace tess
