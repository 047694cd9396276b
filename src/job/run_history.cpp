// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/run_history.h"
#include "mesher/tets/delaunay.h"
#include <chrono>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <random>

namespace tess {
namespace {

constexpr double kTellsEnough = 5000; ///< elements; smaller runs say more about the moment than about the machine
constexpr double kFixedBytes = 7e6;
/// Runs that count: the latest, as machines and versions change.
constexpr std::size_t kOfAnyPart = 20, kOfOnePart = 3;
/// Runs of other parts that it takes to trust their median more than the trial.
constexpr std::size_t kTrusted = 3;

std::filesystem::path historyFile() {
  const char* data = std::getenv("XDG_DATA_HOME");
  const char* home = std::getenv("HOME");
  std::filesystem::path base = data && *data ? std::filesystem::path(data)
                               : home        ? std::filesystem::path(home) / ".local" / "share"
                                             : std::filesystem::path();
  return base.empty() ? base : base / "tesselite" / "runs.jsonl";
}

/// Seconds on two cores of 2.5 GHz: the surface's share goes with its triangles, the rest with the elements. Fitted to
/// 42 runs of 14 parts (`FIT=1 bench_forecast`, bench/README.md); eight of ten runs take between 0.8 and 2.1 times as
/// long, the worst, with many narrow faces, 3.8 times.
double usualSeconds(const MeshExtent& e) {
  return 0.02 + 1.1e-4 * e.surfaceTriangles + (e.quadratic ? 1.4e-5 : 5e-6) * e.elements;
}

/// How many times as long as there this machine takes at the moment, by the time for a cloud of points.
double machineFactor() {
  static const double factor = [] {
    constexpr int n = 4000;
    constexpr double usual = 0.016; // 0.018 where usualSeconds() was measured, with a kernel a tenth slower
    std::mt19937 rng(1);
    std::uniform_real_distribution<double> u(0, 1);
    std::vector<Vec3> cloud(n);
    std::vector<int> all(n);
    for (int i = 0; i < n; ++i) {
      cloud[static_cast<std::size_t>(i)] = {u(rng), u(rng), u(rng)};
      all[static_cast<std::size_t>(i)] = i;
    }
    const auto begin = std::chrono::steady_clock::now();
    delaunayTets(cloud, insertionOrder(cloud, all));
    const double s = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    return std::clamp(s / usual, 0.2, 10.0);
  }();
  return factor;
}

/// The same for parts that are the same to the eye, whatever their files are called.
std::string keyOf(const Part& part) {
  return std::to_string(part.bodies.size()) + "-" + std::to_string(part.count(Dim::Face)) + "-" +
         formatNumber(part.diagonal(), 9) + part.unit;
}

double median(std::vector<double> v) {
  std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
  return v[v.size() / 2];
}

void keepLast(std::vector<double>& v, std::size_t n) {
  if (v.size() > n) v.erase(v.begin(), v.end() - static_cast<std::ptrdiff_t>(n));
}

} // namespace

TimeAndMemory expectedCost(const MeshExtent& extent, const Part& part) {
  std::vector<double> any, same, bytes; // times over what is usual; bytes per element
  if (const auto path = historyFile(); !path.empty()) {
    const std::string key = keyOf(part);
    std::ifstream in(path);
    for (std::string line; std::getline(in, line);) {
      const auto j = nlohmann::json::parse(line, nullptr, false);
      auto number = [&](const char* name) {
        const auto it = j.find(name);
        return it != j.end() && it->is_number() ? it->get<double>() : 0.0;
      };
      if (!j.is_object() || number("elements") < kTellsEnough) continue;
      const MeshExtent e{number("elements"), number("triangles"), number("order") == 2};
      if (e.surfaceTriangles > 0 && number("seconds") > 0) {
        any.push_back(number("seconds") / usualSeconds(e));
        if (const auto it = j.find("part"); it != j.end() && *it == key) same.push_back(any.back());
      }
      if (number("taken") > 0 && e.quadratic == extent.quadratic)
        bytes.push_back(std::max(0.0, number("taken") - kFixedBytes) / e.elements);
    }
    keepLast(any, kOfAnyPart);
    keepLast(same, kOfOnePart);
    keepLast(bytes, kOfAnyPart);
  }
  TimeAndMemory r;
  r.runs = static_cast<int>(any.size());
  r.ofThePart = static_cast<int>(same.size());
  const double factor = !same.empty() ? median(same) : any.size() >= kTrusted ? median(any) : machineFactor();
  if (same.empty() && any.size() < kTrusted) r.runs = 0;
  r.seconds = factor * usualSeconds(extent);
  const double perElement = bytes.size() >= kTrusted ? median(bytes) : extent.quadratic ? 430 : 280;
  r.memoryBytes = kFixedBytes + perElement * extent.elements;
  return r;
}

void rememberRun(const RunResult& run, const Part& part) {
  const auto path = historyFile();
  if (path.empty() || run.reused || run.keptBodies || run.brief.first("take_mesh") ||
      static_cast<double>(run.mesh.cells.size()) < kTellsEnough)
    return;
  std::error_code ec;
  std::filesystem::create_directories(path.parent_path(), ec);
  std::vector<std::string> lines;
  {
    std::ifstream in(path);
    for (std::string l; std::getline(in, l);) lines.push_back(l);
  }
  if (lines.size() > 200) lines.erase(lines.begin(), lines.end() - 100);
  const nlohmann::json j{{"elements", run.mesh.cells.size()},
                         {"triangles", run.mesh.faces.size()},
                         {"order", ordersOf(run.mesh).highest()},
                         {"seconds", run.seconds},
                         {"taken", run.peakMemory},
                         {"part", keyOf(part)}};
  lines.push_back(j.dump());
  std::filesystem::path fresh = path;
  fresh += "." + std::to_string(std::chrono::steady_clock::now().time_since_epoch().count());
  {
    std::ofstream out(fresh);
    for (const auto& l : lines) out << l << '\n';
    if (!out) return;
  }
  std::filesystem::rename(fresh, path, ec);
}

} // namespace tess
