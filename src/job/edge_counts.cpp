// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/edge_counts.h"
#include "job/fills.h"
#include "mesher/edges/counts.h"
#include "mesher/mesher.h"
#include <numeric>
#include <set>

namespace tess {
namespace {

/// Numbers of the sets of unknowns that share sums.
std::vector<int> chainsOf(const std::vector<EqualSums>& sums, std::size_t edges) {
  std::vector<int> parent(edges);
  std::iota(parent.begin(), parent.end(), 0);
  auto root = [&](int e) {
    while (parent[static_cast<std::size_t>(e)] != e) e = parent[static_cast<std::size_t>(e)];
    return e;
  };
  std::vector<char> in(edges, 0);
  for (const EqualSums& s : sums) {
    int first = -1;
    for (const auto* side : {&s.left, &s.right})
      for (int e : *side) {
        if (e >= static_cast<int>(edges)) continue; // rows round a face
        in[static_cast<std::size_t>(e)] = 1;
        if (first < 0) first = e;
        const int a = root(first), b = root(e);
        parent[static_cast<std::size_t>(std::max(a, b))] = std::min(a, b);
      }
  }
  std::vector<int> r(edges, -1);
  for (std::size_t e = 0; e < edges; ++e)
    if (in[e]) r[e] = root(static_cast<int>(e));
  return r;
}

} // namespace

EdgeCounts countsBeforeMeshing(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
                               const SizeField& size, const EdgeDivisions& divisions, const Progress& progress) {
  if (std::none_of(brief.rules.begin(), brief.rules.end(), [](const Rule& r) {
        return r.kind == "fill" && !r.off && r.get("with") != fillName(Fill::Tetrahedra);
      }))
    return {};
  std::vector<Problem> unheard;
  MeshWishes wishes{fillsOf(brief, part, groups, unheard).wishes};
  wishes.divisions = divisions;
  const MeshPlan plan = planOf(part, wishes, unheard);
  if (plan.sums.empty()) return {};
  progress.check();
  auto counts = edgeCounts(part, size, plan.divisions, plan.sums, plan.evens, plan.given, unheard, progress);
  if (!counts) return {};
  counts->resize(part.edges.size()); // without the rows round faces
  EdgeCounts r;
  r.chain = chainsOf(plan.sums, part.edges.size());
  r.elements = std::move(*counts);
  r.divisions = plan.divisions;
  return r;
}

std::vector<int> followersOf(const EdgeCounts& counts, const std::vector<int>& edges) {
  std::set<int> chains;
  for (int e : edges)
    if (!counts.empty() && counts.chain[static_cast<std::size_t>(e)] >= 0)
      chains.insert(counts.chain[static_cast<std::size_t>(e)]);
  std::vector<int> r;
  for (std::size_t e = 0; e < counts.chain.size(); ++e)
    if (chains.count(counts.chain[e]) && std::find(edges.begin(), edges.end(), static_cast<int>(e)) == edges.end())
      r.push_back(static_cast<int>(e));
  return r;
}

} // namespace tess
