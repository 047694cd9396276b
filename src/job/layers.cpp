// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/layers.h"
#include "base/units.h"
#include "job/size_rules.h"
#include "job/values.h"
#include <cmath>
#include <set>

namespace tess {
namespace {

/// Height of n layers over that of the first.
double heightOf(int n, double ratio) {
  return std::abs(ratio - 1) < 1e-12 ? n : (std::pow(ratio, n) - 1) / (ratio - 1);
}
/// The ratio with which n layers from `first` on are `total` high; nothing when none between 0.5 and 5 does it.
std::optional<double> ratioFor(int n, double first, double total) {
  double low = 0.5, high = 5;
  const double want = total / first;
  if (n < 2 || heightOf(n, low) > want || heightOf(n, high) < want) return {};
  for (int k = 0; k < 100; ++k) {
    const double middle = 0.5 * (low + high);
    (heightOf(n, middle) < want ? low : high) = middle;
  }
  return 0.5 * (low + high);
}

} // namespace

double wallDistance(const WallFlow& f, double yPlus) {
  if (!(f.speed > 0 && f.density > 0 && f.viscosity > 0 && f.length > 0 && yPlus > 0)) return 0;
  const double re = f.density * f.speed * f.length / f.viscosity;
  const double friction = 0.026 / std::pow(re, 1.0 / 7);
  const double shearSpeed = f.speed * std::sqrt(friction / 2);
  return yPlus * f.viscosity / (f.density * shearSpeed);
}

LayerCard layerCardOf(const Rule& r, const std::string& unit, double target) {
  LayerCard c;
  LayerStack& s = c.stack;
  auto given = [&](const char* key) { return !r.get(key).empty(); };
  s.ratio = slotNumber(r, "ratio", unit);
  s.count = given("count") ? static_cast<int>(slotNumber(r, "count", unit)) : 0;
  s.jump = slotNumber(r, "jump", unit);
  double total = given("total") ? slotLength(r, "total", unit, target) : 0;
  if (given("first")) s.first = slotLength(r, "first", unit, target);
  if (given("yplus")) {
    const double metre = millimetresPer(unit).value_or(1) * 1e-3; // per unit
    const WallFlow flow{slotNumber(r, "speed", unit), slotNumber(r, "density", unit), slotNumber(r, "viscosity", unit),
                        slotLength(r, "length", unit, target) * metre};
    c.yPlus = slotNumber(r, "yplus", unit);
    const double y = wallDistance(flow, c.yPlus);
    if (y <= 0) {
      c.problem = "y+ needs speed, density, viscosity and a length along the wall";
      return c;
    }
    c.reynolds = flow.density * flow.speed * flow.length / flow.viscosity;
    s.first = y / metre;
  }
  if (s.first <= 0 && given("share")) s.share = slotNumber(r, "share", unit);
  if (total > 0) {
    if (s.first > 0 && s.count > 1) {
      const auto ratio = ratioFor(s.count, s.first, total);
      if (!ratio) {
        c.problem = "no ratio between 0.5 and 5 makes " + std::to_string(s.count) + " layers " +
                    formatNumber(total, 4) + " " + unit + " high from a first one of " + formatNumber(s.first, 4) +
                    " " + unit;
        return c;
      }
      s.ratio = *ratio;
    } else if (s.first > 0 && s.count == 0) {
      while (s.count < 200 && heightOf(s.count, s.ratio) * s.first < 0.999 * total) ++s.count;
      if (const auto ratio = ratioFor(s.count, s.first, total)) s.ratio = *ratio;
    } else if (s.first <= 0) {
      if (s.count == 0) s.count = 5;
      s.share = 0;
      s.first = total / heightOf(s.count, s.ratio);
    }
  }
  if (s.first <= 0 && s.share <= 0) s.share = 0.2;
  if (s.count > 0 && s.first > 0) c.total = s.first * heightOf(s.count, s.ratio);
  return c;
}

std::string layerText(const LayerCard& c, const std::string& unit, double size) {
  if (!c.problem.empty()) return c.problem;
  const LayerStack& s = c.stack;
  std::string r = s.first > 0 ? "first " + formatNumber(s.first, 4) + " " + unit
                              : "first " + formatNumber(s.share, 3) + " of the edges there";
  if (c.yPlus > 0) r += " (y+ " + formatNumber(c.yPlus, 3) + " at Re " + formatNumber(c.reynolds, 3) + ")";
  if (s.count > 0)
    r += ", " + std::to_string(s.count) + (s.count == 1 ? " layer" : " layers") + " by " + formatNumber(s.ratio, 4);
  else
    r += ", by " + formatNumber(s.ratio, 4) + " until the last fits its neighbour";
  if (c.total > 0) r += ", " + formatNumber(c.total, 4) + " " + unit + " in all";
  if (s.count > 0 && size > 0) {
    const double first = s.first > 0 ? s.first : s.share * size;
    const double jump = kFirstFree * size / (first * std::pow(s.ratio, s.count - 1));
    r += ", the next cell about " + formatNumber(jump, 2) + " times the last";
  }
  return r;
}

LayerWishes layersOf(const Brief& written, const Part& part, const std::vector<ResolvedGroup>& groups,
                     std::vector<Problem>& problems) {
  const Brief brief = settled(written, &part);
  LayerWishes w;
  std::set<int> fluid, solid;
  for (const auto& r : brief.rules)
    if (r.kind == "group" && !r.off && !r.get("medium").empty())
      for (const auto& g : groups)
        if (g.name == r.get("name") && g.dim == Dim::Body)
          (r.get("medium") == "fluid" ? fluid : solid).insert(g.entities.begin(), g.entities.end());
  for (std::size_t b = 0; b < part.bodies.size(); ++b)
    if (part.bodies[b].space) fluid.insert(static_cast<int>(b));
  for (std::size_t i = 0; i < brief.rules.size(); ++i) {
    const Rule& r = brief.rules[i];
    if (r.kind != "layers" || r.off) continue;
    auto warn = [&](const char* code, std::string what, std::string why, std::string todo) {
      problems.push_back(Problem::of(code, std::move(what))
                             .by(Fault::Usage)
                             .as(Severity::Warning)
                             .at("rule " + std::to_string(i + 1) + ": " + sentenceOf(r))
                             .because(std::move(why))
                             .advise(std::move(todo)));
    };
    LayerCard card = layerCardOf(r, part.unit, overallTarget(brief, part));
    if (!card.problem.empty()) {
      warn("layers.value", "layers cannot be grown: " + card.problem, "heights follow from these values",
           "complete the card, or give the first height");
      continue;
    }
    for (const auto& name : splitList(r.get("on")))
      if (name != "everywhere" && std::none_of(groups.begin(), groups.end(), [&](const auto& g) {
            return g.name == name && (g.dim == Dim::Face || g.dim == Dim::Body);
          }))
        warn("rule.no-target", "there is no group of faces or bodies '" + name + "'", "layers grow on faces",
             "name a group of faces, or make one");
    card.stack.rule = static_cast<int>(i);
    const int number = static_cast<int>(w.stacks.size());
    bool any = false;
    const auto faces = targetEntities(r.get("on"), Dim::Face, part, groups);
    if (w.ofFace.empty() && !faces.empty()) w.ofFace.assign(part.faces.size(), {-1, -1});
    for (int f : faces)
      for (std::size_t s = 0; s < 2; ++s) {
        const int b = part.faces[static_cast<std::size_t>(f)].bodies[s];
        if (b < 0 || solid.count(b) || (!fluid.empty() && !fluid.count(b))) continue;
        w.ofFace[static_cast<std::size_t>(f)][s] = number;
        any = true;
      }
    if (!faces.empty() && !any)
      warn("layers.no-body", "layers have no body to grow in", "the faces belong to solids only",
           "name walls of a fluid, or leave the kind of these bodies open");
    w.stacks.push_back(card.stack);
  }
  const bool any = std::any_of(w.ofFace.begin(), w.ofFace.end(), [](const auto& s) { return s[0] >= 0 || s[1] >= 0; });
  if (!any) w.ofFace.clear();
  return w;
}

} // namespace tess
