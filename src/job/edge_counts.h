// SPDX-License-Identifier: GPL-3.0-or-later
// Elements along the edges of rows and layers, before anything is meshed.
#pragma once
#include "job/groups.h"
#include "size/edge_wishes.h"
#include "size/size_field.h"

namespace tess {

struct EdgeCounts {
  std::vector<int> elements; ///< per part edge; 0 where the edge stands alone. Empty: no rows or layers are planned
  /// Per part edge: those with the same number hang together, as sides across from each other do; -1 for none.
  std::vector<int> chain;
  EdgeDivisions divisions; ///< exact ones, with the spacing that passes on to edges across
  bool empty() const { return elements.empty(); }
};

/// Counts as the mesher will find them, with the cards `divide` as they stand in `divisions`. Empty, too, where they
/// contradict each other. Throws Cancelled on a stop.
EdgeCounts countsBeforeMeshing(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
                               const SizeField& size, const EdgeDivisions& divisions, const Progress& progress);

/// Edges that hang together with any of `edges`, those left out; ascending.
std::vector<int> followersOf(const EdgeCounts& counts, const std::vector<int>& edges);

} // namespace tess
