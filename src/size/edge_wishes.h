// SPDX-License-Identifier: GPL-3.0-or-later
// What is asked of edges and points besides a size: which are not followed, and how edges are divided. The size field
// knows what follows from it; the mesher's plan carries it.
#pragma once
#include "base/vec.h"
#include <string>
#include <vector>

namespace tess {

/// Edges and faces narrower than the tolerance are bridged by the mesher, so they ask for no size of their own.
struct Bridging {
  double tolerance = 0;                 ///< length; 0: nothing is bridged
  std::vector<char> keepFace, keepEdge; ///< per part face and edge: never bridged; empty: none
  std::vector<char> ignoreEdge;         ///< per part edge: not followed, its faces count as one; empty: none
  std::vector<char> ignorePoint;        ///< per part point: not followed, its two edges count as one; empty: none
  bool ignores(int edge) const { return !ignoreEdge.empty() && ignoreEdge[static_cast<std::size_t>(edge)]; }
  bool ignoresAny() const;
  /// What is narrower than this is bridged where the size is `h`: the tolerance, but well below a size that is small
  /// itself.
  double below(double h) const;
};

/// An exact division of an edge, which the mesher follows whatever the field says.
struct EdgeDivision {
  int divisions = 0;          ///< number of elements along the edge; 0: from `length`
  double length = 0;          ///< mean length of an element where `divisions` is 0
  int more = 0;               ///< not 0: that many more than the size asks for, instead of both
  std::vector<double> finest; ///< places of the shortest elements, as shares of the length in [0, 1]; empty: even
  double ratio = 1;           ///< longest over shortest element, >= 1
  std::vector<int> like;      ///< nodes at the same shares of the length as on this chain of edges; empty: none
  int rule = -1;
  bool own() const { return like.empty() && more == 0; } ///< says by itself where the nodes stand
};

/// Exact divisions by part edge.
class EdgeDivisions {
public:
  using Pair = std::pair<int, EdgeDivision>;
  EdgeDivisions() = default;
  explicit EdgeDivisions(std::vector<Pair> pairs);
  const EdgeDivision* of(int edge) const; ///< null without one
  std::vector<Pair>::const_iterator begin() const { return m_pairs.begin(); }
  std::vector<Pair>::const_iterator end() const { return m_pairs.end(); }

private:
  std::vector<Pair> m_pairs; ///< ascending
};

/// Shares of an edge's length at which its inner nodes stand; `length` is that of the edge. Empty when the division
/// copies other edges, or is relative to the size. Element lengths grow linearly with the distance from the finest
/// place, i.e. by a constant ratio from one to the next.
std::vector<double> divisionShares(const EdgeDivision& division, double length);

} // namespace tess
