// SPDX-License-Identifier: GPL-3.0-or-later
// Forecast against the mesh: bench_forecast [--per N,N,...] FILE.brief|PART... with the size of the brief (or 1/20 of
// the diagonal), then 0.7 and 0.5 of it. Prints a Markdown table, and with FIT=1 what the time can be fitted to.
#include "job/forecast.h"
#include <chrono>
#include <cstdio>

int main(int argc, char** argv) {
  using namespace tess;
  std::printf("| part | size | forecast | meshed | off %% | nodes off %% | forecast took s | time forecast s | meshing "
              "took s |\n"
              "|---|---|---|---|---|---|---|---|---|\n");
  double worst = 0;
  for (int i = 1; i < argc; ++i) {
    std::string file = argv[i];
    auto brief = file.ends_with(".brief") ? loadBrief(file) : Result<Brief>(defaultBrief(file));
    if (!brief) return 3;
    auto part = loadPart(brief->partPath());
    if (!part) continue;
    double size = overallTarget(*brief, *part);
    for (double share : {1.0, 0.7, 0.5}) {
      for (auto& r : brief->rules)
        if (r.kind == "everywhere") r.values["target"] = formatNumber(share * size) + " " + part->unit;
      Progress progress;
      auto t0 = std::chrono::steady_clock::now();
      Forecast f = forecastBrief(*brief, *part, progress);
      double s = std::chrono::duration<double>(std::chrono::steady_clock::now() - t0).count();
      auto run = runBrief(*brief, *part, 0, progress);
      if (!run) continue;
      double n = static_cast<double>(run->mesh.cells.size());
      worst = std::max(worst, std::abs(f.elements / n - 1));
      std::printf("| %s | %.3g | %.0f | %.0f | %.1f | %.1f | %.2f | %.2f | %.2f |\n",
                  file.substr(file.rfind('/') + 1).c_str(), share * size, f.elements, n, 100 * (f.elements / n - 1),
                  100 * (f.nodes / static_cast<double>(run->mesh.nodes.size()) - 1), s, f.seconds, run->seconds);
      if (std::getenv("FIT"))
        std::printf("fit triangles %g elements %g order %d seconds %g\n", f.surfaceTriangles, f.elements,
                    ordersOf(run->mesh).highest(), run->seconds);
      std::fflush(stdout);
    }
  }
  std::printf("\nworst %.1f %%\n", 100 * worst);
}
