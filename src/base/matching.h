// SPDX-License-Identifier: GPL-3.0-or-later
// Pairs in a graph.
#pragma once
#include <array>
#include <vector>

namespace tess {

/// Maximum-weight matching (Edmonds 1965, as the library LEMON has it): of the edges between `nodes` nodes those that
/// share no node and weigh most together. Per node its mate, -1 where it stays alone. O(n m log n). Weights of 0 and
/// less are never taken. The same input gives the same pairs.
std::vector<int> heaviestPairs(int nodes, const std::vector<std::array<int, 2>>& edges,
                               const std::vector<int>& weights);

} // namespace tess
