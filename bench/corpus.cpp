// SPDX-License-Identifier: GPL-3.0-or-later
// Robustness campaign: bench_corpus TESSEL [--per N,N,...] [--limit S] [--jobs J] [--brief] FILE|DIR...
// Meshes every part at 1/N of its diagonal for each N (default 40), each run in its own process with S seconds (default
// 300). Prints a Markdown table and a tally: ok, input at fault, ours failed; with --brief only rows that are not ok or
// have an angle below 8 degrees, and a summary. Exit code 1 when ours failed at all.
#include <atomic>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <mutex>
#include <nlohmann/json.hpp>
#include <sstream>
#include <string>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace {
namespace fs = std::filesystem;

struct Row {
  std::string file;
  double per = 0;
  enum { Ok, Input, Failed } verdict = Failed;
  std::string why;
  std::size_t tets = 0, filled = 0, bodies = 0;
  double error = 0, deviation = 0, angle = 90, own = 180, elsewhere = 90, seconds = 0;
  int inverted = 0;
};

int shell(const std::string& c) {
  int s = std::system(c.c_str());
  return WIFEXITED(s) ? WEXITSTATUS(s) : 255;
}
nlohmann::json read(const fs::path& p) { return nlohmann::json::parse(std::ifstream(p), nullptr, false); }
std::string firstProblem(const nlohmann::json& j) {
  if (!j.is_object() || !j.contains("problems")) return "";
  for (const auto& p : j["problems"])
    if (p["severity"] == "error") return p["what"].get<std::string>() + " " + p["where"].get<std::string>();
  return j["problems"].empty() ? "" : j["problems"][0]["what"].get<std::string>();
}

Row runOne(const std::string& tessel, const std::string& file, double per, int limit, const fs::path& dir, int id) {
  Row row;
  row.file = fs::path(file).filename().string();
  row.per = per;
  std::string json = (dir / (std::to_string(id) + "r.json")).string(),
              info = (dir / (std::to_string(id) + "i.json")).string(),
              log = (dir / (std::to_string(id) + ".log")).string();
  fs::remove(json);
  int code = shell("timeout 120 '" + tessel + "' inspect --json '" + file + "' > '" + info + "' 2> /dev/null");
  nlohmann::json part = read(info);
  if (code == 0) {
    char size[64];
    std::snprintf(size, sizeof size, "%.9g", part["diagonal"].get<double>() / per);
    code = shell("timeout " + std::to_string(limit) + " '" + tessel + "' mesh '" + file + "' --size " + size +
                 " --quiet --report '" + json + "' > /dev/null 2> '" + log + "'");
  }
  nlohmann::json r = read(json);
  if (code == 3) {
    row.verdict = Row::Input;
    row.why = firstProblem(part);
  } else if ((code == 0 || code == 1) && r.is_object() && r["soundness"]["sound"].get<bool>()) {
    double v = r["volume"], g = r["geometry_volume"];
    row.bodies = part["bodies"].size();
    for (const auto& x : r["regions"]) row.filled += x["elements"].get<std::size_t>() > 0;
    row.error = v / g - 1;
    row.deviation = r["surface_deviation"];
    // A coarse mesh of a curved part misses volume: at most what its deviation covers.
    bool good = row.filled == row.bodies &&
                std::abs(v - g) < std::max(0.02 * g, row.deviation * r["surface_area"].get<double>());
    row.verdict = good ? Row::Ok : Row::Failed;
    if (!good) row.why = "volume or bodies differ";
    for (const auto& [k, n] : r["elements"].items()) row.tets += n.get<std::size_t>();
    row.angle = r["metrics"]["min_dihedral"]["min"];
    row.own = r["angles"]["own"];
    row.elsewhere = r["angles"]["elsewhere"];
    row.inverted = r["soundness"]["inverted"];
    row.seconds = r["timings"]["total"];
  } else {
    row.why = code == 124 ? "out of time" : "exit " + std::to_string(code) + ": " + firstProblem(r);
    if (!r.is_object()) {
      std::ifstream in(log);
      std::string line;
      if (std::getline(in, line)) row.why += line.substr(0, 160);
    }
  }
  fs::remove(json);
  fs::remove(info);
  fs::remove(log);
  return row;
}

void print(const Row& r) {
  static const char* verdicts[] = {"ok", "input at fault", "ours failed"};
  std::printf("| %s | 1/%g | %s%s%s | %zu | %zu/%zu | %.3f | %.3g | %.2f | %.2f | %.1f | %d | %.1f |\n", r.file.c_str(),
              r.per, verdicts[r.verdict], r.why.empty() ? "" : ": ", r.why.c_str(), r.tets, r.filled, r.bodies,
              100 * r.error, r.deviation, r.angle, r.elsewhere, std::min(r.own, 99.0), r.inverted, r.seconds);
  std::fflush(stdout);
}

} // namespace

int main(int argc, char** argv) {
  if (argc < 3) return 2;
  std::string tessel = argv[1];
  std::vector<double> per{40};
  std::vector<std::string> files;
  int limit = 300, jobs = 1;
  bool brief = false;
  for (int i = 2; i < argc; ++i) {
    std::string a = argv[i];
    if (a == "--per" && i + 1 < argc) {
      per.clear();
      std::stringstream s(argv[++i]);
      for (std::string x; std::getline(s, x, ',');) per.push_back(std::atof(x.c_str()));
    } else if (a == "--limit" && i + 1 < argc)
      limit = std::atoi(argv[++i]);
    else if (a == "--jobs" && i + 1 < argc)
      jobs = std::atoi(argv[++i]);
    else if (a == "--brief")
      brief = true;
    else if (fs::is_directory(a)) {
      std::vector<std::string> in;
      for (const auto& e : fs::recursive_directory_iterator(a)) {
        std::string x = e.path().extension().string();
        for (auto& c : x) c = static_cast<char>(std::tolower(c));
        for (const char* known :
             {".step", ".stp", ".iges", ".igs", ".brep", ".brp", ".stl", ".obj", ".ply", ".vtp", ".vtk"})
          if (x == known) in.push_back(e.path().string());
      }
      std::sort(in.begin(), in.end());
      files.insert(files.end(), in.begin(), in.end());
    } else
      files.push_back(a);
  }
  fs::path dir = fs::temp_directory_path() / ("corpus-" + std::to_string(::getpid()));
  fs::create_directories(dir);
  std::printf("| file | size | result | tets | regions/bodies | volume error %% | deviation | min dihedral | elsewhere "
              "| own | inverted | "
              "s |\n|---|---|---|---|---|---|---|---|---|---|---|---|\n");
  std::size_t total = files.size() * per.size();
  std::vector<Row> rows(total);
  std::atomic<std::size_t> next{0};
  std::mutex lock;
  std::vector<std::thread> team;
  for (int j = 0; j < jobs; ++j)
    team.emplace_back([&] {
      for (std::size_t k; (k = next++) < total;) {
        Row r = runOne(tessel, files[k / per.size()], per[k % per.size()], limit, dir, static_cast<int>(k));
        std::lock_guard guard(lock);
        if (!brief || r.verdict != Row::Ok || r.angle < 8) print(r);
        rows[k] = r;
      }
    });
  for (auto& t : team) t.join();
  int count[3] = {0, 0, 0}, low = 0, sharp = 0, inverted = 0;
  double seconds = 0, slowest = 0;
  std::size_t tets = 0;
  for (const auto& r : rows) {
    ++count[r.verdict];
    low += r.verdict == Row::Ok && r.elsewhere < 8;
    sharp += r.verdict == Row::Ok && r.angle < 8 && r.elsewhere >= 8;
    inverted += r.inverted;
    seconds += r.seconds;
    slowest = std::max(slowest, r.seconds);
    tets += r.tets;
  }
  std::printf("\nok %d, input at fault %d, ours failed %d; min dihedral below 8 degrees in %d (and in %d more where "
              "the part itself is sharper), inverted elements %d; %zu "
              "elements in %.0f s, slowest %.0f s\n",
              count[Row::Ok], count[Row::Input], count[Row::Failed], low, sharp, inverted, tets, seconds, slowest);
  fs::remove_all(dir);
  return count[Row::Failed] ? 1 : 0;
}
