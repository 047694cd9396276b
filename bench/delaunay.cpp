// SPDX-License-Identifier: GPL-3.0-or-later
// Delaunay kernel alone: bench_delaunay --points N --cloud cube|ball --threads T. Prints one JSON line.
#include "mesher/tets/delaunay.h"
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <random>
#include <string>
#include <tbb/global_control.h>

int main(int argc, char** argv) {
  std::size_t n = 100000;
  int threads = 1;
  std::string cloud = "cube";
  for (int i = 1; i + 1 < argc; i += 2) {
    std::string key = argv[i];
    if (key == "--points")
      n = static_cast<std::size_t>(std::atoll(argv[i + 1]));
    else if (key == "--cloud")
      cloud = argv[i + 1];
    else if (key == "--threads")
      threads = std::max(1, std::atoi(argv[i + 1]));
    else
      return 2;
  }
  tess::TetCore core;
  std::mt19937_64 rng(42);
  std::uniform_real_distribution<double> u(-1, 1);
  while (core.points.size() < n) {
    tess::Vec3 p(u(rng), u(rng), u(rng));
    if (cloud == "ball") {
      double l = p.norm();
      if (l > 1 || l < 1e-6) continue;
      if (core.points.size() % 2) p /= l; // half of the points on the sphere
    }
    core.points.push_back(p);
  }
  std::vector<int> which(n);
  for (std::size_t i = 0; i < n; ++i) which[i] = static_cast<int>(i);
  tbb::global_control limit(tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(threads));
  auto t0 = std::chrono::steady_clock::now();
  bool ok = core.delaunay(which);
  double s = std::chrono::duration<double>(std::chrono::steady_clock::now() - t0).count();
  std::size_t tets = core.liveCount();
  // 32 bytes of corners and neighbours and 24 of the circumsphere while points are inserted.
  double bytes = static_cast<double>(core.tets.capacity() * 56) / static_cast<double>(tets);
  std::printf("{\"points\": %zu, \"cloud\": \"%s\", \"threads\": %d, \"seconds\": %.3f, \"points_per_second\": %.0f, "
              "\"tets\": %zu, \"bytes_per_tet\": %.1f}\n",
              n, cloud.c_str(), threads, s, static_cast<double>(n) / s, tets, bytes);
  return ok ? 0 : 1;
}
