// SPDX-License-Identifier: GPL-3.0-or-later
// Runs `tessel` over part files, each in its own process: bench_corpus TESSEL SHARE FILE... with the size at SHARE of
// the diagonal (e.g. 0.025). Prints a Markdown table and a tally: ok, input at fault, ours failed.
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <string>
#include <sys/wait.h>
#include <unistd.h>

int main(int argc, char** argv) {
  if (argc < 4) return 2;
  namespace fs = std::filesystem;
  std::string tessel = argv[1];
  double share = std::atof(argv[2]);
  fs::path dir = fs::temp_directory_path() / ("corpus-" + std::to_string(::getpid()));
  fs::create_directories(dir);
  int ok = 0, input = 0, failed = 0;
  std::printf("| file | result | tets | regions/bodies | volume error %% | deviation | min dihedral | inverted | s "
              "|\n|---|---|---|---|---|---|---|---|---|\n");
  for (int i = 3; i < argc; ++i) {
    std::string file = argv[i], json = (dir / "r.json").string(), info = (dir / "i.json").string();
    auto shell = [](const std::string& c) {
      int s = std::system(c.c_str());
      return WIFEXITED(s) ? WEXITSTATUS(s) : 255;
    };
    fs::remove(json);
    int code = shell("timeout 120 '" + tessel + "' inspect --json '" + file + "' > '" + info + "' 2> /dev/null");
    nlohmann::json part = nlohmann::json::parse(std::ifstream(info), nullptr, false);
    std::string name = fs::path(file).filename().string();
    if (code == 0) {
      char size[64];
      std::snprintf(size, sizeof size, "%.9g", share * part["diagonal"].get<double>());
      code = shell("timeout 300 '" + tessel + "' mesh '" + file + "' --size " + size + " --quiet --report '" + json +
                   "' > /dev/null 2>&1");
    }
    nlohmann::json r = nlohmann::json::parse(std::ifstream(json), nullptr, false);
    if (code == 3) {
      ++input;
      std::string why =
          part.contains("problems") && part["problems"].size() ? part["problems"][0]["what"].get<std::string>() : "";
      std::printf("| %s | input at fault: %s |\n", name.c_str(), why.c_str());
    } else if ((code == 0 || code == 1) && r.is_object() && r["soundness"]["sound"].get<bool>()) {
      double v = r["volume"], g = r["geometry_volume"];
      std::size_t bodies = part["bodies"].size(), filled = 0;
      for (const auto& x : r["regions"]) filled += x["elements"].get<std::size_t>() > 0;
      bool good = filled == bodies && std::abs(v / g - 1) < 0.02;
      ++(good ? ok : failed);
      std::size_t tets = 0;
      for (const auto& [k, n] : r["elements"].items()) tets += n.get<std::size_t>();
      std::printf("| %s | %s | %zu | %zu/%zu | %.3f | %.3g | %.2f | %d | %.1f |\n", name.c_str(),
                  good ? "ok" : "ours failed", tets, filled, bodies, 100 * (v / g - 1),
                  r["surface_deviation"].get<double>(), r["metrics"]["min_dihedral"]["min"].get<double>(),
                  r["soundness"]["inverted"].get<int>(), r["timings"]["total"].get<double>());
    } else {
      ++failed;
      std::string why = r.is_object() && r.contains("problems") && r["problems"].size()
                            ? r["problems"][0]["what"].get<std::string>()
                            : "";
      std::printf("| %s | ours failed: exit %d %s |\n", name.c_str(), code, why.c_str());
    }
    std::fflush(stdout);
  }
  std::printf("\nok %d, input at fault %d, ours failed %d\n", ok, input, failed);
  fs::remove_all(dir);
  return failed ? 1 : 0;
}
