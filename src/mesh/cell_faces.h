// SPDX-License-Identifier: GPL-3.0-or-later
// Faces of cells by their corners: a key that two cells of a conforming mesh share, and a walk over all of them.
#pragma once
#include "base/progress.h"
#include "mesh/mesh.h"
#include <limits>

namespace tess {

/// Identifies a face by its corners, in any order. Up to four stand in it as they are; of more, the two smallest and 63
/// bits of a hash of all: a face with a hanging node shares three corners with the face beside it.
struct FaceKey {
  std::array<std::int32_t, 4> v;
  bool operator==(const FaceKey&) const = default;
};
struct FaceKeyHash {
  std::size_t operator()(const FaceKey& k) const {
    std::uint64_t h = 0x9E3779B97F4A7C15ull;
    for (std::int32_t i : k.v) h = (h ^ static_cast<std::uint32_t>(i)) * 0xff51afd7ed558ccdull, h ^= h >> 32;
    return h;
  }
};
FaceKey polygonKey(std::span<const std::int32_t> n); ///< of more than four corners
inline FaceKey faceKey(std::span<const std::int32_t> n) {
  if (n.size() > 4) return polygonKey(n);
  std::array<std::int32_t, 4> v{n[0], n[1], n[2], n.size() > 3 ? n[3] : std::numeric_limits<std::int32_t>::max()};
  for (std::size_t i = 1; i < 4; ++i)
    for (std::size_t j = i; j > 0 && v[j] < v[j - 1]; --j) std::swap(v[j], v[j - 1]);
  return {v};
}

/// Calls visit(cell, face, key, corners as a span) for all faces of all cells.
template <class V> void forEachCellFace(const Mesh& m, V&& visit) {
  std::vector<std::int32_t> v;
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    const auto n = m.cells.of(c);
    const std::size_t faces = m.cells.faceCount(c);
    for (std::size_t f = 0; f < faces; ++f) {
      v.clear();
      for (auto i : m.cells.faceCorners(c, f)) v.push_back(n[static_cast<std::size_t>(i)]);
      const std::span<const std::int32_t> corners(v);
      visit(c, static_cast<int>(f), faceKey(corners), corners);
    }
  }
}
/// Whether two rings are the same corners in the same sense of turning, wherever they start.
bool sameRing(std::span<const std::int32_t> a, std::span<const std::int32_t> b);

/// For every cell the neighbours over its faces (-1 none), in the order of the type's faces; flat with `start`.
struct Neighbours {
  std::vector<std::uint32_t> start;
  std::vector<std::int32_t> cell;
  std::size_t surplus = 0; ///< uses of a face beyond two
};
/// Faces are sorted into buckets by their smallest node, then matched inside each bucket. Cost O(faces).
Neighbours cellNeighbours(const Mesh& mesh, const Progress* progress = nullptr);

} // namespace tess
