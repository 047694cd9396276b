// SPDX-License-Identifier: GPL-3.0-or-later
// Campaign over the families that become hexahedra: bench_families TESSEL DIR [--per N] [--limit S] [--jobs J]. DIR
// comes from family_parts. Every part is meshed with what fits best at 1/N of its diagonal (default 30), each run in
// its own process with S seconds (default 200). Prints what is not as expected, then a table by family. Exit code 1
// when a mesh is unsound, or a run failed or promised a fill and gave another.
#include <atomic>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>
#include <string>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace {
namespace fs = std::filesystem;
using nlohmann::json;

int shell(const std::string& c) {
  const int s = std::system(c.c_str());
  return WIFEXITED(s) ? WEXITSTATUS(s) : 255;
}
json read(const fs::path& p) { return json::parse(std::ifstream(p), nullptr, false); }

struct Row {
  std::string family, file, why;
  enum { AsExpected, Better, Refused, BrokePromise, Unsound, Failed } verdict = Failed;
  double worst = 1, volume = 0, seconds = 0;
  bool others = false; ///< cells that are no hexahedra, where all should be
};
constexpr const char* kVerdicts[] = {
    "as expected", "better than expected", "wrongly refused", "promised and failed", "unsound", "failed"};

Row runOne(const std::string& tessel, const fs::path& dir, const json& part, double per, int limit,
           const fs::path& work) {
  Row row;
  row.family = part["family"];
  row.file = part["file"];
  const std::string file = (dir / row.file).string();
  const fs::path report = work / (row.file + ".json"), info = work / (row.file + ".info"),
                 fills = work / (row.file + ".fills");
  if (shell("timeout 120 '" + tessel + "' inspect --json '" + file + "' > '" + info.string() + "' 2> /dev/null") ||
      shell("timeout 120 '" + tessel + "' inspect --fills --json '" + file + "' > '" + fills.string() +
            "' 2> /dev/null")) {
    row.why = "cannot be read";
    return row;
  }
  char size[64];
  std::snprintf(size, sizeof size, "%.9g", read(info)["diagonal"].get<double>() / per);
  const int code =
      shell("timeout " + std::to_string(limit) + " '" + tessel + "' mesh '" + file + "' --fill best --size " + size +
            " --quiet --report '" + report.string() + "' > /dev/null 2> /dev/null");
  const json r = read(report), promised = read(fills)["bodies"];
  if ((code != 0 && code != 1) || !r.is_object()) {
    row.why = code == 124 ? "out of time" : "exit " + std::to_string(code);
    return row;
  }
  row.worst = r["metrics"]["scaled_jacobian"]["min"];
  row.volume = r["volume"].get<double>() / part["volume"].get<double>() - 1;
  row.seconds = r["timings"]["total"];
  for (const auto& [type, n] : r["elements"].items())
    row.others = row.others || (part["hexahedra"].get<bool>() && type.rfind("hex", 0) != 0 && n.get<std::size_t>() > 0);
  const json& bodies = r["bodies"];
  row.verdict = Row::AsExpected;
  for (std::size_t b = 0; b < bodies.size(); ++b) {
    const std::string got = bodies[b]["fill"];
    const auto& expect = part["expect"];
    const bool right = b < expect.size() && std::find(expect[b].begin(), expect[b].end(), json(got)) != expect[b].end();
    if (b < promised.size() && promised[b]["best"] != got) {
      row.verdict = Row::BrokePromise;
      row.why = bodies[b]["why"];
    } else if (!right && row.verdict <= Row::Better) {
      // Mapped is what one would rather have, then swept.
      auto rank = [](const json& fill) { return fill == "mapped" ? 2 : fill == "swept" ? 1 : 0; };
      const bool better = b < expect.size() && std::all_of(expect[b].begin(), expect[b].end(),
                                                           [&](const json& e) { return rank(e) < rank(json(got)); });
      if (better && row.verdict == Row::Better) continue;
      row.verdict = better ? Row::Better : Row::Refused;
      row.why = got + ": " + bodies[b]["why"].get<std::string>();
    }
  }
  if (!r["soundness"]["sound"].get<bool>()) row.verdict = Row::Unsound;
  return row;
}

} // namespace

int main(int argc, char** argv) {
  std::vector<std::string> names;
  double per = 30;
  int limit = 200, jobs = 1;
  for (int i = 1; i < argc; ++i)
    if (!std::strcmp(argv[i], "--per") && i + 1 < argc)
      per = std::atof(argv[++i]);
    else if (!std::strcmp(argv[i], "--limit") && i + 1 < argc)
      limit = std::atoi(argv[++i]);
    else if (!std::strcmp(argv[i], "--jobs") && i + 1 < argc)
      jobs = std::atoi(argv[++i]);
    else
      names.emplace_back(argv[i]);
  if (names.size() != 2) {
    std::fprintf(stderr, "usage: bench_families TESSEL DIR [--per N] [--limit S] [--jobs J]\n");
    return 2;
  }
  const fs::path dir = names[1], work = fs::temp_directory_path() / ("families-" + std::to_string(::getpid()));
  const json parts = read(dir / "parts.json");
  if (!parts.is_array()) {
    std::fprintf(stderr, "%s holds no parts.json\n", dir.c_str());
    return 2;
  }
  fs::create_directories(work);
  std::vector<Row> rows(parts.size());
  std::atomic<std::size_t> next{0};
  std::vector<std::thread> team;
  for (int j = 0; j < jobs; ++j)
    team.emplace_back([&] {
      for (std::size_t k; (k = next++) < parts.size();) rows[k] = runOne(names[0], dir, parts[k], per, limit, work);
    });
  for (auto& t : team) t.join();
  fs::remove_all(work);
  struct Sum {
    int count[6] = {}, others = 0, n = 0;
    double worst = 1, volume = 0, seconds = 0;
  };
  std::vector<std::string> order;
  std::map<std::string, Sum> sums;
  Sum all;
  for (const Row& r : rows) {
    if (!sums.count(r.family)) order.push_back(r.family);
    if (r.verdict != Row::AsExpected)
      std::printf("%s %s: %.200s\n", r.file.c_str(), kVerdicts[r.verdict], r.why.c_str());
    else if (r.others)
      std::printf("%s: not hexahedra alone\n", r.file.c_str());
    for (Sum* s : {&sums[r.family], &all}) {
      ++s->n;
      ++s->count[r.verdict];
      s->others += r.others;
      s->worst = std::min(s->worst, r.worst);
      s->volume = std::max(s->volume, std::abs(r.volume));
      s->seconds = std::max(s->seconds, r.seconds);
    }
  }
  std::printf(
      "\n| family | parts | as expected | better | wrongly refused | promised and failed | unsound | failed | not "
      "hexahedra alone | worst scaled Jacobian | volume off | s at most |\n|---|---|---|---|---|---|---|---|---"
      "|---|---|---|\n");
  auto print = [](const std::string& name, const Sum& s) {
    std::printf("| %s | %d | %d | %d | %d | %d | %d | %d | %d | %.3f | %.2g %% | %.1f |\n", name.c_str(), s.n,
                s.count[0], s.count[1], s.count[2], s.count[3], s.count[4], s.count[5], s.others, s.worst,
                100 * s.volume, s.seconds);
  };
  for (const auto& f : order) print(f, sums[f]);
  print("all", all);
  return all.count[Row::Unsound] + all.count[Row::Failed] + all.count[Row::BrokePromise] > 0;
}
