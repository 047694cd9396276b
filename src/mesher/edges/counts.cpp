// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/edges/counts.h"
#include "base/parallel.h"
#include "mesher/edges/edge_division.h"
#include <cmath>

namespace tess {

std::vector<int> edgeCounts(const Part& part, const SizeField& size, const EdgeDivisions& divisions,
                            const std::vector<int>& classOf, int classes, const std::vector<int>& given,
                            std::vector<Problem>& said) {
  struct Wish {
    double natural = 0;
    int exact = 0;
  };
  std::vector<Wish> wish(part.edges.size());
  parallelFor(
      part.edges.size(), nullptr,
      [&](std::size_t e) {
        if (classOf[e] < 0) return;
        wish[e].natural = naturalCount(part, static_cast<int>(e), size);
        wish[e].exact = exactCount(part, static_cast<int>(e), divisions);
      },
      1);
  std::vector<int> count(static_cast<std::size_t>(classes), 0);
  for (int k = 0; k < classes; ++k) {
    double least = 1e300, most = 0;
    int exact = 0, other = 0, at = -1, has = 0;
    for (std::size_t e = 0; e < classOf.size(); ++e) {
      if (classOf[e] != k) continue;
      if (const EdgeDivision* d = divisions.of(static_cast<int>(e)); d && !d->like.empty()) {
        const auto& edge = part.edges[e];
        said.push_back(Problem::of("count.like", "an edge of hexahedra does not copy the nodes of another chain")
                           .as(Severity::Warning)
                           .firstAt({part.shape->edgePoint(static_cast<int>(e), 0.5 * (edge.t0 + edge.t1))}, part.unit)
                           .because("it gets the count of the edges across from it")
                           .advise("divide it by a number"));
      }
      if (!given.empty()) has = std::max(has, given[e]);
      least = std::min(least, wish[e].natural);
      most = std::max(most, wish[e].natural);
      if (const int x = wish[e].exact; x > 0) {
        if (exact > 0 && x != exact) other = std::min(exact, x), at = static_cast<int>(e);
        exact = std::max(exact, x);
      }
    }
    auto& n = count[static_cast<std::size_t>(k)];
    n = exact > 0 ? exact
                  : std::max(1, static_cast<int>(std::lround(std::sqrt(std::max(1.0, least) * std::max(1.0, most)))));
    if (has > 0) n = has;
    if (at < 0 || has > 0) continue;
    Problem p;
    p.severity = Severity::Warning;
    p.code = "count.conflict";
    p.what = "edges that get equal counts are to be divided into " + std::to_string(other) + " and into " +
             std::to_string(exact) + ": " + std::to_string(exact) + " holds";
    p.why = "they lie across from each other on faces of hexahedra";
    p.todo = "divide them alike, or only one of them";
    const auto& edge = part.edges[static_cast<std::size_t>(at)];
    p.places.push_back(part.shape->edgePoint(at, 0.5 * (edge.t0 + edge.t1)));
    p.where = "at " + formatPoint(p.places.front()) + " " + part.unit;
    said.push_back(std::move(p));
  }
  std::vector<int> r(part.edges.size(), 0);
  for (std::size_t e = 0; e < r.size(); ++e)
    if (!given.empty() && given[e] > 0)
      r[e] = given[e];
    else if (classOf[e] >= 0)
      r[e] = count[static_cast<std::size_t>(classOf[e])];
  return r;
}

} // namespace tess
