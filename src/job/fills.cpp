// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/fills.h"
#include "mesher/mesher.h"

namespace tess {
namespace {

bool everything(const std::string& what) { return what.empty() || what == "everything" || what == "everywhere"; }

std::string placeOf(const Brief& brief, std::size_t rule) {
  return "rule " + std::to_string(rule + 1) + ": " + sentenceOf(brief.rules[rule]);
}

} // namespace

int orderOf(const Brief& brief) {
  for (const auto& r : brief.rules)
    if (r.kind == "fill" && !r.off) return r.get("order") == "2" ? 2 : 1;
  return 1;
}

Fills fillsOf(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
              std::vector<Problem>& problems) {
  Fills r;
  r.order = orderOf(brief);
  r.wishes.resize(part.bodies.size());
  std::vector<std::size_t> extent(part.bodies.size(), SIZE_MAX); // bodies of the card that holds
  bool ordersDiffer = false;
  for (std::size_t i = 0; i < brief.rules.size(); ++i) {
    const Rule& rule = brief.rules[i];
    if (rule.kind != "fill" || rule.off) continue;
    auto warn = [&](const char* code, std::string what, const char* why, const char* todo) {
      problems.push_back(Problem::of(code, std::move(what))
                             .by(Fault::Usage)
                             .as(Severity::Warning)
                             .at(placeOf(brief, i))
                             .because(why)
                             .advise(todo));
    };
    if (rule.values.count("order") && (rule.get("order") == "2" ? 2 : 1) != r.order && !ordersDiffer) {
      ordersDiffer = true;
      warn("fill.order", "bodies are to be filled with orders 1 and 2: all get order " + std::to_string(r.order),
           "a mesh has one order; that of the first card holds", "give all cards 'fill' the same order");
    }
    std::vector<int> bodies;
    std::size_t size = SIZE_MAX - 1;
    if (const std::string what = rule.get("what"); everything(what))
      for (int b = 0; b < static_cast<int>(part.bodies.size()); ++b) bodies.push_back(b);
    else {
      for (const auto& name : splitList(what)) {
        const auto g = std::find_if(groups.begin(), groups.end(), [&](const auto& x) { return x.name == name; });
        if (g != groups.end() && g->dim == Dim::Body)
          bodies.insert(bodies.end(), g->entities.begin(), g->entities.end());
        else
          warn("rule.no-target",
               g == groups.end() ? "there is no group '" + name + "'" : "the group '" + name + "' holds no bodies",
               "bodies are filled, nothing else", "name a group of bodies, or 'everything'");
      }
      std::sort(bodies.begin(), bodies.end());
      bodies.erase(std::unique(bodies.begin(), bodies.end()), bodies.end());
      size = bodies.size();
    }
    FillWish wish{Fill::Tetrahedra, true, static_cast<int>(i)};
    wish.best = rule.get("with") == kBestFill;
    wish.across = acrossByName(rule.get("across")).value_or(Across::ByItself);
    wish.core = coreByName(rule.get("core")).value_or(Core::Square);
    wish.cut = rule.get("cells") == kCutCells;
    if (const std::string from = rule.get("from"); !from.empty())
      for (const auto& name : splitList(from)) {
        const auto g = std::find_if(groups.begin(), groups.end(), [&](const auto& x) { return x.name == name; });
        if (g != groups.end() && g->dim == Dim::Face)
          wish.sources.insert(wish.sources.end(), g->entities.begin(), g->entities.end());
        else
          warn("rule.no-target",
               g == groups.end() ? "there is no group '" + name + "'" : "the group '" + name + "' holds no faces",
               "a sweep begins at a face", "name a group of faces, or take 'from' out");
      }
    if (const auto fill = fillByName(rule.get("with")))
      wish.fill = *fill;
    else if (!wish.best)
      continue; // the value was complained about
    bool told = false;
    for (int b : bodies) {
      auto& mine = r.wishes[static_cast<std::size_t>(b)];
      auto& narrow = extent[static_cast<std::size_t>(b)];
      if (size > narrow) continue;
      if (size == narrow && (mine.fill != wish.fill || mine.best != wish.best) && !told) {
        told = true;
        warn("fill.conflict",
             "two cards fill body '" + part.bodies[static_cast<std::size_t>(b)].name +
                 "' differently: " + rule.get("with") + " holds",
             "they are for as many bodies, and the later one counts",
             "take one of them out, or name fewer bodies in it");
      }
      mine = wish;
      // Those of other bodies are none of its business.
      std::erase_if(mine.sources, [&](int f) {
        const auto& own = part.bodies[static_cast<std::size_t>(b)].faces;
        return std::find(own.begin(), own.end(), f) == own.end();
      });
      narrow = size;
    }
  }
  return r;
}

MeshPlan planOfBrief(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
                     std::vector<Problem>& problems) {
  const Fills fills = fillsOf(brief, part, groups, problems);
  const std::size_t before = problems.size();
  MeshPlan plan = planOf(part, fills.wishes, problems);
  if (!part.faceted)
    for (std::size_t i = before; i < problems.size(); ++i)
      if (problems[i].code == "fill.unfit" || problems[i].code == "fill.best") problems[i].fix = kProposeCuts;
  return plan;
}

std::string fillSummary(const std::vector<BodyPlan>& bodies) {
  std::array<int, kFills> count{};
  for (const auto& b : bodies) ++count[static_cast<std::size_t>(b.fill)];
  std::string r;
  for (int k = kFills - 1; k >= 0; --k)
    if (const int n = count[static_cast<std::size_t>(k)])
      r += (r.empty() ? "" : ", ") + std::to_string(n) + (n == 1 ? " body " : " bodies ") +
           (static_cast<Fill>(k) == Fill::Tetrahedra ? "of " : "") + fillName(static_cast<Fill>(k));
  return r;
}

} // namespace tess
