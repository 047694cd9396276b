// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/compare.h"
#include "base/units.h"
#include <cmath>
#include <set>

namespace tess {
namespace {

std::string grouped(std::size_t n) {
  std::string s = std::to_string(n);
  for (int i = static_cast<int>(s.size()) - 3; i > 0; i -= 3) s.insert(static_cast<std::size_t>(i), " ");
  return s;
}
int better(double a, double b, bool highIsGood) {
  if (std::abs(a - b) <= 1e-3 * std::max(std::abs(a), std::abs(b))) return 0;
  return (a > b) == highIsGood ? 1 : 2;
}
std::string words(const Rule& r) {
  return (r.off ? "(off) " : "") + sentenceOf(r) + (r.note.empty() ? "" : " – " + r.note);
}

} // namespace

std::vector<CompareRow> compareRuns(const RunResult& a, const RunResult& b) {
  std::vector<CompareRow> r;
  auto numbers = [&](const std::string& what, double x, double y, const std::string& unit, int which) {
    r.push_back({what, formatNumber(x, 3) + unit, formatNumber(y, 3) + unit, which});
  };
  r.push_back({"elements", grouped(a.mesh.cells.size()), grouped(b.mesh.cells.size()), 0});
  r.push_back({"nodes", grouped(a.mesh.nodes.size()), grouped(b.mesh.nodes.size()), 0});
  numbers("time", a.seconds, b.seconds, " s", better(a.seconds, b.seconds, false));
  r.push_back({"verdict", a.audit.pass ? "good" : "fails", b.audit.pass ? "good" : "fails",
               a.audit.pass == b.audit.pass ? 0
               : a.audit.pass               ? 1
                                            : 2});
  r.push_back({"elements that fail", grouped(a.audit.failingCells), grouped(b.audit.failingCells),
               better(static_cast<double>(a.audit.failingCells), static_cast<double>(b.audit.failingCells), false)});
  numbers("off the true surface", a.deviation, b.deviation, " " + a.mesh.unit, better(a.deviation, b.deviation, false));
  std::set<Metric> seen;
  for (const auto* run : {&a, &b})
    for (const auto& l : run->audit.limits.limits) {
      if (!seen.insert(l.metric).second) continue;
      const auto& info = metricInfo(l.metric);
      const auto &x = a.audit.metrics[static_cast<std::size_t>(l.metric)],
                 &y = b.audit.metrics[static_cast<std::size_t>(l.metric)];
      std::string unit = info.unit == std::string("deg") ? "°" : "";
      double wx = l.atLeast ? x.min : x.max, wy = l.atLeast ? y.min : y.max;
      numbers(std::string(info.name) + ", worst", wx, wy, unit, better(wx, wy, l.atLeast));
      numbers(std::string(info.name) + ", mean", x.mean, y.mean, unit, better(x.mean, y.mean, l.atLeast));
    }
  return r;
}

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

} // namespace tess
