// SPDX-License-Identifier: GPL-3.0-or-later
// How the faces of one body lie against each other: their boundaries as loops with a direction.
#pragma once
#include "geometry/part.h"
#include <optional>
#include <unordered_map>
#include <unordered_set>

namespace tess {

/// An edge on the way round a face, from its start to its end or back.
struct EdgeStep {
  int edge = -1;
  bool forward = true;
  bool operator==(const EdgeStep&) const = default;
};
using EdgeChain = std::vector<EdgeStep>;

/// Points where a step begins and ends.
int startOf(const Part& part, const EdgeStep& step);
int endOf(const Part& part, const EdgeStep& step);
/// Direction in which a step begins, or ends, as the display triangles see it; a unit vector.
Vec3 wayOf(const Part& part, const EdgeStep& step, bool atEnd);
/// The same way back.
EdgeChain reversed(const EdgeChain& chain);

class BodyLoops {
public:
  /// Cost O(display triangles of the body).
  BodyLoops(const Part& part, int body);
  /// The loops that bound a face, each with the face to its left as seen from in front. Nothing where the edges make no
  /// plain loops: loops that touch in a point, or an edge with the face on both sides.
  std::optional<std::vector<EdgeChain>> loops(int face) const;
  /// The other face of the body at an edge of a face; -1 where there is none, or more than one.
  int across(int face, int edge) const;
  /// A loop cut where the face across changes: each chain lies between the same two faces. One that has the same face
  /// across all round is one chain.
  std::vector<EdgeChain> chains(int face, const EdgeChain& loop) const;

private:
  const Part& m_part;
  int m_body;
  std::unordered_map<int, std::unordered_set<std::uint64_t>> m_directed; ///< by face: sides of its display triangles

  static std::uint64_t key(int a, int b) {
    return static_cast<std::uint64_t>(static_cast<std::uint32_t>(a)) << 32 | static_cast<std::uint32_t>(b);
  }
};

} // namespace tess
