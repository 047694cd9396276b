// SPDX-License-Identifier: GPL-3.0-or-later
// Delaunay kernel alone: bench_delaunay --points N --cloud cube|ball. Prints one JSON line. The kernel runs on one
// thread.
#include "mesher/tet_core.h"
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <random>
#include <string>

int main(int argc, char** argv) {
  std::size_t n = 100000;
  std::string cloud = "cube";
  for (int i = 1; i + 1 < argc; i += 2) {
    std::string key = argv[i];
    if (key == "--points")
      n = static_cast<std::size_t>(std::atoll(argv[i + 1]));
    else if (key == "--cloud")
      cloud = argv[i + 1];
    else if (key != "--threads")
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
  auto t0 = std::chrono::steady_clock::now();
  bool ok = core.delaunay(which);
  double s = std::chrono::duration<double>(std::chrono::steady_clock::now() - t0).count();
  std::size_t tets = core.liveCount();
  double bytes = static_cast<double>(core.tets.capacity() * (sizeof(tess::Tet) + sizeof(int) + 1 + sizeof(int))) /
                 static_cast<double>(tets);
  std::printf("{\"points\": %zu, \"cloud\": \"%s\", \"threads\": 1, \"seconds\": %.3f, \"points_per_second\": %.0f, "
              "\"tets\": %zu, \"bytes_per_tet\": %.1f}\n",
              n, cloud.c_str(), s, static_cast<double>(n) / s, tets, bytes);
  return ok ? 0 : 1;
}
