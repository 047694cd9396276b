// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/compare.h"
#include "base/memory.h"
#include "base/units.h"
#include "job/text.h"
#include <cmath>
#include <filesystem>
#include <optional>
#include <set>

namespace tess {
namespace {

/// The run whose value beats all others by more than rounding; -1 when none does.
int bestOf(const std::vector<std::optional<double>>& values, bool highIsGood) {
  int best = -1;
  for (int i = 0; i < static_cast<int>(values.size()); ++i) {
    const auto& v = values[static_cast<std::size_t>(i)];
    if (!v) continue;
    bool beats = true, others = false;
    for (int k = 0; k < static_cast<int>(values.size()); ++k) {
      const auto& o = values[static_cast<std::size_t>(k)];
      if (k == i || !o) continue;
      others = true;
      const bool alike = std::abs(*v - *o) <= 1e-3 * std::max(std::abs(*v), std::abs(*o));
      beats = beats && !alike && (*v > *o) == highIsGood;
    }
    if (beats && others) best = i;
  }
  return best;
}
std::string words(const Rule& r) {
  return (r.off ? "(off) " : "") + sentenceOf(r) + (r.note.empty() ? "" : " – " + r.note);
}

} // namespace

bool samePart(const std::vector<const RunResult*>& runs) {
  auto near = [](double a, double b) { return std::abs(a - b) <= 1e-9 * std::abs(a); };
  const RunResult *first = nullptr, *told = nullptr; // and the first that tells more than the volume
  for (const auto* r : runs) {
    if (!r) continue;
    if (!first) first = r;
    if (!near(first->geometryVolume, r->geometryVolume)) return false;
    if (r->partArea <= 0) continue;
    if (!told) told = r;
    if (!near(told->partArea, r->partArea) ||
        (told->partCenter - r->partCenter).norm() > 1e-7 * std::sqrt(told->partArea))
      return false;
  }
  return true;
}

std::vector<CompareRow> compareRuns(const std::vector<const RunResult*>& runs) {
  std::vector<CompareRow> table;
  enum class Good { Low, High, Neither };
  auto add = [&](const std::string& what, Good good, auto&& value, auto&& text) {
    CompareRow row{what, {}, -1};
    std::vector<std::optional<double>> values;
    for (const auto* r : runs) {
      std::optional<double> v;
      if (r) v = value(*r);
      const bool known = v && !std::isnan(*v); // a metric may say nothing of a mesh
      values.push_back(known ? v : std::nullopt);
      row.values.push_back(known ? text(*r) : "–");
    }
    if (good != Good::Neither) row.best = bestOf(values, good == Good::High);
    table.push_back(std::move(row));
  };
  auto count = [&](const std::string& what, Good good, auto&& of) {
    add(
        what, good, [&](const RunResult& r) { return static_cast<double>(of(r)); },
        [&](const RunResult& r) { return grouped(of(r)); });
  };
  auto number = [&](const std::string& what, Good good, const std::string& unit, auto&& of) {
    add(what, good, of, [&](const RunResult& r) { return formatNumber(of(r), 3) + unit; });
  };
  std::string unit;
  for (const auto* r : runs)
    if (r) unit = r->mesh.unit;
  if (!samePart(runs))
    add(
        "part's volume", Good::Neither, [](const RunResult& r) { return r.geometryVolume; },
        [&](const RunResult& r) { return formatNumber(r.geometryVolume, 6) + " " + unit + "³"; });
  count("elements", Good::Neither, [](const RunResult& r) { return r.mesh.cells.size(); });
  count("nodes", Good::Neither, [](const RunResult& r) { return r.mesh.nodes.size(); });
  number("time", Good::Low, " s", [](const RunResult& r) { return r.seconds; });
  add(
      "memory", Good::Low, [](const RunResult& r) { return static_cast<double>(r.peakMemory); },
      [](const RunResult& r) { return memoryText(static_cast<double>(r.peakMemory)); });
  add(
      "verdict", Good::High, [](const RunResult& r) { return r.audit.pass ? 1.0 : 0.0; },
      [](const RunResult& r) {
        const Audit& a = r.audit;
        if (a.pass) return std::string("good");
        return std::string(a.failingCells         ? "fails"
                           : !a.soundness.sound() ? "fails: not sound"
                           : a.notAllowedCells    ? "fails: wrong kind of element"
                                                  : "fails");
      });
  count("elements that fail", Good::Low, [](const RunResult& r) { return r.audit.failingCells; });
  number("off the true surface", Good::Low, " " + unit, [](const RunResult& r) { return r.deviation; });
  std::set<std::pair<Metric, bool>> seen;
  for (const auto* run : runs)
    for (std::size_t i = 0; run && i < run->audit.limits.limits.size(); ++i) {
      const Limit& l = run->audit.limits.limits[i];
      if (!seen.insert({l.metric, l.atLeast}).second) continue;
      const auto& info = metricInfo(l.metric);
      const std::string sign = info.unit == std::string("deg") ? "°" : "";
      const Good good = l.atLeast ? Good::High : Good::Low;
      auto of = [m = l.metric](const RunResult& r) -> const MetricValues& {
        return r.audit.metrics[static_cast<std::size_t>(m)];
      };
      const bool usual = l.atLeast == info.highIsGood;
      number(std::string(info.name) + (usual       ? ", worst"
                                       : l.atLeast ? ", least"
                                                   : ", largest"),
             good, sign, [&](const RunResult& r) { return l.atLeast ? of(r).min : of(r).max; });
      if (usual) number(std::string(info.name) + ", mean", good, sign, [&](const RunResult& r) { return of(r).mean; });
    }
  return table;
}

namespace {
std::string orAsInFile(const std::string& said) { return said.empty() ? "as by itself" : said; }
} // namespace

std::vector<RuleDifference> differingRules(const Brief& a, const Brief& b) {
  std::vector<Rule> x = a.rules, y = b.rules;
  for (std::size_t i = 0; i < x.size();) { // those in both go
    auto it = std::find(y.begin(), y.end(), x[i]);
    if (it == y.end()) {
      ++i;
      continue;
    }
    y.erase(it);
    x.erase(x.begin() + static_cast<std::ptrdiff_t>(i));
  }
  std::vector<RuleDifference> r;
  if (a.partPath() != b.partPath()) r.push_back({"part " + a.partFile, "part " + b.partFile});
  if (a.unit != b.unit) r.push_back({"unit " + orAsInFile(a.unit), "unit " + orAsInFile(b.unit)});
  if (a.facetAngle != b.facetAngle)
    r.push_back({"sharp edges from " + orAsInFile(a.facetAngle), "sharp edges from " + orAsInFile(b.facetAngle)});
  for (const auto& rule : x) {
    // The same rule, changed: of the same kind on the same target, or with the same name.
    auto same = [&](const Rule& o) {
      return o.kind == rule.kind && o.get("on") == rule.get("on") && o.get("name") == rule.get("name");
    };
    auto it = std::find_if(y.begin(), y.end(), same);
    r.push_back({words(rule), it == y.end() ? "" : words(*it)});
    if (it != y.end()) y.erase(it);
  }
  for (const auto& rule : y) r.push_back({"", words(rule)});
  return r;
}

std::vector<Brief> alternativesOf(const Brief& brief) {
  std::vector<Brief> r{brief};
  if (brief.path.empty()) return r;
  namespace fs = std::filesystem;
  std::error_code ec;
  std::set<std::string> files;
  for (const auto& f : fs::directory_iterator(fs::absolute(brief.path).parent_path(), ec))
    if (f.path().extension() == ".brief" && !fs::equivalent(f.path(), brief.path, ec)) files.insert(f.path().string());
  for (const auto& f : files)
    if (auto b = loadBrief(f); b && fs::equivalent(b->partPath(), brief.partPath(), ec)) r.push_back(std::move(*b));
  return r;
}

} // namespace tess
