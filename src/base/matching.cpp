// SPDX-License-Identifier: GPL-3.0-or-later
// The library does not compile as C++20; this file is C++17.
#include "base/matching.h"
#include <lemon/matching.h>
#include <lemon/smart_graph.h>

namespace tess {

std::vector<int> heaviestPairs(int nodes, const std::vector<std::array<int, 2>>& edges,
                               const std::vector<int>& weights) {
  using Graph = lemon::SmartGraph;
  Graph g;
  g.reserveNode(nodes);
  g.reserveEdge(static_cast<int>(edges.size()));
  for (int k = 0; k < nodes; ++k) g.addNode();
  Graph::EdgeMap<int> weight(g);
  for (std::size_t k = 0; k < edges.size(); ++k)
    weight[g.addEdge(Graph::nodeFromId(edges[k][0]), Graph::nodeFromId(edges[k][1]))] = weights[k];
  lemon::MaxWeightedMatching<Graph, Graph::EdgeMap<int>> matching(g, weight);
  matching.run();
  std::vector<int> r(static_cast<std::size_t>(nodes), -1);
  for (int k = 0; k < nodes; ++k)
    if (const Graph::Node mate = matching.mate(Graph::nodeFromId(k)); mate != lemon::INVALID)
      r[static_cast<std::size_t>(k)] = Graph::id(mate);
  return r;
}

} // namespace tess
