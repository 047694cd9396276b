// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/limits.h"
#include "job/limit_file.h"
#include "job/values.h"
#include <cctype>

namespace tess {
namespace {

/// Cells that belong to a group or have a node on it.
std::vector<std::uint8_t> cellsAt(const Mesh& m, const std::vector<std::string>& names) {
  std::vector<std::uint8_t> cells(m.cells.size(), 0), nodes(m.nodes.size(), 0);
  bool any = false;
  for (const auto& g : m.groups) {
    if (std::find(names.begin(), names.end(), g.name) == names.end()) continue;
    for (std::int32_t i : g.items) {
      const auto k = static_cast<std::size_t>(i);
      if (g.dim == 3)
        cells[k] = 1;
      else if (g.dim == 2)
        for (std::int32_t n : m.faces.of(k)) nodes[static_cast<std::size_t>(n)] = 1;
      else
        nodes[k] = 1;
      any = any || g.dim < 3;
    }
  }
  for (std::size_t c = 0; any && c < m.cells.size(); ++c)
    for (std::int32_t n : m.cells.of(c))
      if (nodes[static_cast<std::size_t>(n)]) cells[c] = 1;
  return cells;
}

} // namespace

std::vector<std::string> metricWords() {
  std::vector<std::string> r;
  for (int k = 0; k < kMetrics; ++k) {
    std::string name = metricInfo(static_cast<Metric>(k)).name;
    for (char& c : name) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    r.push_back(name);
  }
  return r;
}

LimitSet atGroups(const LimitSet& set, const Mesh& mesh) {
  LimitSet r = set;
  r.limits.clear();
  for (const auto& l : set.limits) { // those for all cells come first: the ones at groups take their place
    Limit x = l;
    if (!x.where.empty()) x.cells = cellsAt(mesh, splitList(x.where));
    addLimit(r, std::move(x));
  }
  return r;
}

std::string limitsFileOf(const Brief& brief) {
  const Rule* judge = brief.first("judge");
  return judge && !judge->get("file").empty() ? brief.resolve(judge->get("file")) : std::string();
}

LimitSet judgedBy(const Brief& brief) {
  const Rule* judge = brief.first("judge");
  if (const std::string file = limitsFileOf(brief); !file.empty())
    if (auto kept = loadLimits(file)) return *kept;
  const LimitSet* base = limitSet(judge ? judge->get("purpose") : "general");
  return base ? *base : *limitSet("general");
}

LimitSet briefLimits(const Brief& asWritten, const Mesh& mesh, double target) {
  const Brief brief = settled(asWritten, nullptr);
  LimitSet set = atGroups(withTarget(judgedBy(brief), target), mesh);
  const auto words = metricWords();
  // Limits first, wherever they stand: what is accepted widens them.
  std::vector<Rule> own = brief.rules;
  std::erase_if(own, [](const Rule& r) { return r.off || (r.kind != "limit" && r.kind != "accept"); });
  std::stable_partition(own.begin(), own.end(), [](const Rule& r) { return r.kind == "limit"; });
  for (const auto& r : own) {
    auto word = std::find(words.begin(), words.end(), r.get("metric"));
    if (word == words.end() || r.get("bound").empty()) continue; // validation has reported it
    Limit l;
    l.metric = static_cast<Metric>(word - words.begin());
    const std::string side = r.get("side");
    l.atLeast = side.empty() ? metricInfo(l.metric).highIsGood : side == "least";
    if (const auto share = parseMultiple(r.get("bound"))) {
      if (!(target > 0) || !isLength(l.metric)) continue; // validation has reported the metric
      l.bound = *share * target;
    } else
      l.bound = slotNumber(r, "bound", mesh.unit);
    l.source = "a card of the brief";
    l.where = r.get("at");
    if (!l.where.empty()) l.cells = cellsAt(mesh, splitList(l.where));
    if (r.kind == "limit") {
      addLimit(set, std::move(l));
      continue;
    }
    // All limits of the metric that this is beyond, or the one at the group named.
    const Acceptance accepted{l.bound, r.get("reason")};
    const Limit* general = nullptr;
    bool there = false;
    for (auto& x : set.limits) {
      if (x.metric != l.metric || (x.atLeast ? l.bound > x.bound : l.bound < x.bound)) continue;
      if (x.where.empty()) general = &x;
      if (l.where.empty() || x.where == l.where) {
        x.accepted = accepted;
        there = true;
      }
    }
    if (there || !general) continue;
    l.bound = general->bound;
    l.atLeast = general->atLeast;
    l.source = general->source;
    l.accepted = accepted;
    addLimit(set, std::move(l));
  }
  return set;
}

bool isLength(Metric metric) { return std::string_view(metricInfo(metric).unit) == "L"; }

std::string limitName(const Limit& limit) {
  const auto& info = metricInfo(limit.metric);
  std::string name = info.name;
  if (limit.atLeast != info.highIsGood) { // not the side that the name alone says
    name[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(name[0])));
    name = (limit.atLeast ? "Least " : "Largest ") + name;
  }
  return name + (limit.where.empty() ? "" : " at " + limit.where);
}

} // namespace tess
