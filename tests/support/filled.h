// SPDX-License-Identifier: GPL-3.0-or-later
// Parts whose bodies are filled as a test says.
#pragma once
#include "support/fixtures.h"

namespace tess::test {

using Divisions = std::vector<EdgeDivisions::Pair>;

/// `fills`: of the first bodies; the last holds for those that follow.
inline Result<MeshOutcome> filledBy(const Part& part, SizeRequest request, std::vector<Fill> fills, int order = 1,
                                    int threads = 0, Across across = Across::ByItself, Core core = Core::Square) {
  MeshWishes wishes = meshWishes(request);
  fills.resize(part.bodies.size(), fills.back());
  for (Fill f : fills) wishes.fills.push_back({f, true, -1, false, across, core});
  MeshOptions options;
  options.order = order;
  options.threads = threads;
  Progress progress;
  return meshPart(part, makeSizeField(part, request), wishes, options, progress);
}

inline MeshOutcome filled(const Part& part, double size, std::vector<Fill> fills, int order = 1, int threads = 0,
                          Divisions divisions = {}, Across across = Across::ByItself, Core core = Core::Square) {
  SizeRequest request;
  request.overall.target = size;
  request.overall.slender = 0;
  request.divisions = std::move(divisions);
  auto m = filledBy(part, request, std::move(fills), order, threads, across, core);
  EXPECT_TRUE(m.ok()) << (m.ok() ? "" : m.problem().sentence());
  return std::move(*m);
}

inline std::size_t countOf(const Mesh& m, ElementType t) {
  return static_cast<std::size_t>(std::count(m.cells.type.begin(), m.cells.type.end(), t));
}

} // namespace tess::test
