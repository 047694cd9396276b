// SPDX-License-Identifier: GPL-3.0-or-later
// The whole job over the sample parts at the size of the brief, then without its local sizes at that size halved again
// and again: bench_job DEMO_DIR [halvings]. Prints a Markdown table; "grows as" is the power of the number of tets by
// which the time grew from one halving to the next.
#include "job/run.h"
#include <cmath>
#include <cstdio>
#include <cstdlib>

int main(int argc, char** argv) {
  using namespace tess;
  if (argc < 2) return 2;
  int halvings = argc > 2 ? std::atoi(argv[2]) : 3;
  std::printf("| part | size | tets | part to audited mesh s | tets/s | grows as | min dihedral | bytes per tet "
              "|\n|---|---|---|---|---|---|---|---|\n");
  for (const char* name : {"saddle-clamp", "keel-bracket", "camera-housing"}) {
    auto brief = loadBrief(std::string(argv[1]) + "/" + name + ".brief");
    if (!brief) return 1;
    auto part = loadPart(brief->partPath());
    if (!part) return 1;
    double size = overallTarget(*brief, *part);
    double tetsBefore = 0, secondsBefore = 0;
    for (int k = 0; k <= halvings; ++k, size /= 2) {
      for (auto& r : brief->rules) {
        if (r.kind == "fill") r.values["order"] = "1";
        if (r.kind == "everywhere") r.values["target"] = formatNumber(size) + " mm", r.values.erase("minimum");
        if (r.kind == "size" && k > 0) r.off = true;
      }
      Progress progress;
      auto run = runBrief(*brief, *part, 0, progress);
      if (!run) {
        std::printf("| %s | %g | failed: %s |\n", name, size, run.problem().what.c_str());
        continue;
      }
      double n = static_cast<double>(run->mesh.cells.size());
      const double power = std::log(run->seconds / secondsBefore) / std::log(n / tetsBefore);
      std::printf("| %s | %g | %.0f | %.2f | %.0f | %s | %.1f | %.0f |\n", name, size, n, run->seconds,
                  n / run->seconds, k > 1 ? formatNumber(power, 2).c_str() : "", // the first one has other rules
                  run->audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].min,
                  static_cast<double>(run->peakMemory) / n);
      tetsBefore = n;
      secondsBefore = run->seconds;
      std::fflush(stdout);
    }
  }
}
