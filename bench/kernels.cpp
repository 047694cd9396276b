// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/metrics.h"
#include "base/predicates.h"
#include "geometry/kernel_shape.h"
#include "mesher/mesher.h"
#include "mesher/tets/tet.h"
#include "size/part_size.h"
#include <benchmark/benchmark.h>
#include <random>

using namespace tess;

static std::vector<Vec3> cloud(int n) {
  std::mt19937 rng(1);
  std::uniform_real_distribution<double> u(0, 1);
  std::vector<Vec3> p;
  for (int i = 0; i < n; ++i) p.emplace_back(u(rng), u(rng), u(rng));
  return p;
}

static void orientation(benchmark::State& s) {
  auto p = cloud(1000);
  std::size_t i = 0;
  for (auto _ : s) {
    benchmark::DoNotOptimize(orient3d(p[i], p[i + 1], p[i + 2], p[i + 3]));
    i = (i + 1) % 990;
  }
}
BENCHMARK(orientation);

static void insphereFiltered(benchmark::State& s) {
  auto p = cloud(1000);
  std::size_t i = 0;
  for (auto _ : s) {
    benchmark::DoNotOptimize(insphere(p[i], p[i + 1], p[i + 2], p[i + 3], p[i + 4]));
    i = (i + 1) % 990;
  }
}
BENCHMARK(insphereFiltered);

static void insphereExactTie(benchmark::State& s) {
  Vec3 a(0, 0, 0), b(1, 0, 0), c(0, 1, 0), d(0, 0, 1), e(1, 1, 1);
  for (auto _ : s) benchmark::DoNotOptimize(insphere(a, b, c, d, e));
}
BENCHMARK(insphereExactTie);

static void quality(benchmark::State& s) {
  auto p = cloud(1000);
  std::size_t i = 0;
  for (auto _ : s) {
    benchmark::DoNotOptimize(tetQuality(p[i], p[i + 1], p[i + 2], p[i + 3]));
    i = (i + 1) % 990;
  }
}
BENCHMARK(quality);

static void sizeQuery(benchmark::State& s) {
  auto part = makeKernelPart("torus 10 3");
  SizeSettings z;
  z.target = 2;
  z.turnDeg = 10;
  SizeField f = makeSizeField(*part, {z});
  auto p = cloud(1000);
  std::size_t i = 0;
  for (int k = 0; k < 200000; ++k)
    benchmark::DoNotOptimize(f.at(26 * (p[static_cast<std::size_t>(k % 1000)] -
                                        Vec3(0.5, 0.5, 0.5)))); // as it is when all places were often asked for
  for (auto _ : s) {
    benchmark::DoNotOptimize(f.at(26 * (p[i] - Vec3(0.5, 0.5, 0.5))));
    i = (i + 1) % 1000;
  }
  s.counters["sources"] = static_cast<double>(f.sourceCount());
}
BENCHMARK(sizeQuery);

static void allMetrics(benchmark::State& s) {
  auto part = makeKernelPart("box 10 10 10");
  SizeSettings z;
  z.target = 0.5;
  Progress progress;
  auto m = meshPart(*part, makeSizeField(*part, {z}), {}, {}, progress);
  for (auto _ : s) benchmark::DoNotOptimize(computeMetrics(m->mesh));
  s.SetItemsProcessed(static_cast<std::int64_t>(s.iterations()) * static_cast<std::int64_t>(m->mesh.cells.size()));
}
BENCHMARK(allMetrics)->Unit(benchmark::kMillisecond)->UseRealTime();

/// Metrics of 216 000 hexahedra (0), or of hexahedra, wedges, pyramids and tetrahedra in turn (1), bent a little.
static void metricsOfSolids(benchmark::State& s) {
  const int n = 60;
  Mesh m;
  m.regions = {"box"};
  auto node = [&](int i, int j, int k) { return static_cast<std::int32_t>((i * (n + 1) + j) * (n + 1) + k); };
  for (int i = 0; i <= n; ++i)
    for (int j = 0; j <= n; ++j)
      for (int k = 0; k <= n; ++k)
        m.nodes.emplace_back(i + 0.1 * std::sin(j), j + 0.1 * std::sin(k), k + 0.1 * std::sin(i));
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j)
      for (int k = 0; k < n; ++k) {
        const std::int32_t v[8] = {
            node(i, j, k),     node(i + 1, j, k),     node(i + 1, j + 1, k),     node(i, j + 1, k),
            node(i, j, k + 1), node(i + 1, j, k + 1), node(i + 1, j + 1, k + 1), node(i, j + 1, k + 1)};
        if (s.range(0) == 0 || (i + j + k) % 3 == 0)
          m.cells.add(ElementType::Hex8, v);
        else if ((i + j + k) % 3 == 1) {
          m.cells.add(ElementType::Wedge6, std::array{v[0], v[3], v[7], v[1], v[2], v[6]});
          m.cells.add(ElementType::Wedge6, std::array{v[0], v[7], v[4], v[1], v[6], v[5]});
        } else {
          m.cells.add(ElementType::Pyramid5, std::array{v[0], v[1], v[2], v[3], v[6]});
          m.cells.add(ElementType::Tet4, std::array{v[0], v[4], v[5], v[6]});
          m.cells.add(ElementType::Tet4, std::array{v[0], v[7], v[4], v[6]});
        }
      }
  m.cellRegion.assign(m.cells.size(), 0);
  for (auto _ : s) benchmark::DoNotOptimize(computeMetrics(m));
  s.SetItemsProcessed(static_cast<std::int64_t>(s.iterations()) * static_cast<std::int64_t>(m.cells.size()));
}
BENCHMARK(metricsOfSolids)->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond)->UseRealTime();

BENCHMARK_MAIN();
