// SPDX-License-Identifier: GPL-3.0-or-later
// How soon a stop is answered, wherever it comes: bench_stop FILE.brief|PART [--size S] [--steps N]. The job runs once
// to the end, then N times with a stop at evenly spread moments. Prints one line per stop: moment, stage, answer in ms.
#include "job/run.h"
#include <chrono>
#include <cstdio>
#include <cstring>
#include <mutex>
#include <thread>

namespace {
using Clock = std::chrono::steady_clock;
double since(Clock::time_point t) { return std::chrono::duration<double>(Clock::now() - t).count(); }
} // namespace

int main(int argc, char** argv) {
  using namespace tess;
  std::string file, size;
  int steps = 20;
  for (int i = 1; i < argc; ++i) {
    if (!std::strcmp(argv[i], "--size") && i + 1 < argc)
      size = argv[++i];
    else if (!std::strcmp(argv[i], "--steps") && i + 1 < argc)
      steps = std::atoi(argv[++i]);
    else
      file = argv[i];
  }
  auto brief = file.ends_with(".brief") ? loadBrief(file) : Result<Brief>(defaultBrief(file));
  if (!brief) return std::fprintf(stderr, "%s\n", brief.problem().what.c_str()), 3;
  auto part = loadPart(brief->partPath());
  if (!part) return std::fprintf(stderr, "%s\n", part.problem().what.c_str()), 3;
  if (!size.empty())
    for (auto& r : brief->rules)
      if (r.kind == "everywhere") r.values["target"] = size, r.values.erase("minimum");
  auto begin = Clock::now();
  Progress whole;
  auto run = runBrief(*brief, *part, 0, whole);
  if (!run) return std::fprintf(stderr, "%s\n", run.problem().what.c_str()), 4;
  double total = since(begin), worst = 0;
  std::printf("%zu cells in %.2f s\n", run->mesh.cells.size(), total);
  for (int k = 0; k < steps; ++k) {
    double at = total * (k + 0.5) / steps;
    Progress progress;
    std::mutex lock;
    std::string stage;
    progress.onProgress = [&](const std::string& s, double) {
      std::lock_guard l(lock);
      stage = s;
    };
    Clock::time_point ended;
    bool stopped = false;
    std::thread job([&] {
      try {
        (void)runBrief(*brief, *part, 0, progress);
      } catch (const Cancelled&) {
        stopped = true;
      }
      ended = Clock::now();
    });
    std::this_thread::sleep_for(std::chrono::duration<double>(at));
    std::string where;
    {
      std::lock_guard l(lock);
      where = stage;
    }
    auto asked = Clock::now();
    progress.stop();
    job.join();
    double ms = 1000 * std::chrono::duration<double>(ended - asked).count();
    if (stopped) worst = std::max(worst, ms);
    std::printf("%7.2f s  %-24s %8.0f ms%s\n", at, where.c_str(), ms, stopped ? "" : "  (had ended)");
    std::fflush(stdout);
  }
  std::printf("worst %.0f ms\n", worst);
}
