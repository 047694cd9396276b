// SPDX-License-Identifier: GPL-3.0-or-later
// Mapped, swept, stepped and turned bodies at about 0.1, 1 and 4 million hexahedra, and counts along the edges of a
// block of bricks: bench_structured [most]. `most`: the largest number of cells, default 1.2e6. Prints Markdown tables;
// "filling" is the bodies' part of the time, "grows as" the power of the number of cells by which the whole time grew.
#include "geometry/kernel_shape.h"
#include "job/run.h"
#include "mesher/edges/counts.h"
#include "mesher/mesher.h"
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>

int main(int argc, char** argv) {
  using namespace tess;
  const double most = argc > 1 ? std::atof(argv[1]) : 1.2e6;
  std::printf(
      "| part | cells | part to audited mesh s | filling, M cells/s | grows as | worst scaled Jacobian | bytes per "
      "cell |\n|---|---|---|---|---|---|---|\n");
  for (const auto& [name, recipe] : {std::pair{"block, mapped", "box 40 30 20"},
                                     {"plate with a hole, swept", "counterbore 40 30 20 6 6"},
                                     {"stepped shaft", "shaft 6 12 10 8 5 14"},
                                     {"pin with a chamfer, turned", "turned 360 0 0 10 0 10 20 8 24 0 24"}}) {
    auto part = makeKernelPart(recipe, {});
    if (!part) return 1;
    double cellsBefore = 0, secondsBefore = 0;
    for (double cells : {1e5, 1e6, 4e6}) {
      if (cells > most) break;
      Brief brief = defaultBrief("part.step");
      for (auto& r : brief.rules) {
        if (r.kind == "everywhere") r.values["target"] = formatNumber(std::cbrt(part->volume() / cells), 6) + " mm";
        if (r.kind == "fill") r.values["with"] = "best";
      }
      Progress progress;
      auto run = runBrief(brief, *part, 0, progress);
      if (!run) {
        std::printf("| %s | failed: %s |\n", name, run.problem().what.c_str());
        break;
      }
      const double n = static_cast<double>(run->mesh.cells.size());
      double filling = 0;
      for (const auto& [stage, s] : run->timings)
        if (stage == "structured") filling += s;
      const double power = std::log(run->seconds / secondsBefore) / std::log(n / cellsBefore);
      std::printf("| %s | %.0f | %.2f | %.2f | %s | %.2f | %.0f |\n", name, n, run->seconds, 1e-6 * n / filling,
                  cellsBefore > 0 ? formatNumber(power, 2).c_str() : "",
                  run->audit.metrics[static_cast<std::size_t>(Metric::ScaledJacobian)].min,
                  static_cast<double>(run->peakMemory) / n);
      cellsBefore = n;
      secondsBefore = run->seconds;
      std::fflush(stdout);
    }
  }
  std::printf("\n| bricks | edges | plan s | counts s |\n|---|---|---|---|\n");
  for (const char* recipe : {"grid 4 4 4", "grid 8 8 8", "grid 11 11 11"}) {
    auto part = makeKernelPart(recipe, {});
    if (!part) return 1;
    using Clock = std::chrono::steady_clock;
    auto since = [](Clock::time_point t) { return std::chrono::duration<double>(Clock::now() - t).count(); };
    std::vector<Problem> said;
    const auto begin = Clock::now();
    const MeshPlan plan =
        planOf(*part, std::vector<FillWish>(part->bodies.size(), {Fill::Mapped, true, -1, true}), said);
    const double planned = since(begin);
    SizeRequest request;
    request.overall.target = 0.3;
    const SizeField size = makeSizeField(*part, request);
    const auto counted = Clock::now();
    if (!edgeCounts(*part, size, {}, plan.sums, plan.evens, {}, said, Progress())) return 1;
    std::printf("| %s | %zu | %.3f | %.3f |\n", recipe + 5, part->edges.size(), planned, since(counted));
  }
}
