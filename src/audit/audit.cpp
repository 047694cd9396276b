// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/audit.h"
#include "base/parallel.h"
#include <cmath>

namespace tess {

const char* elementClassName(ElementClass c) {
  static const char* names[] = {"good", "fair", "poor", "failing"};
  return names[static_cast<int>(c)];
}

const std::vector<LimitSet>& limitSets() {
  static const std::vector<LimitSet> sets = [] {
    const char* practice = "usual in practice";
    const char* house = "our own floor: below it linear solvers lose accuracy visibly";
    // Layers along walls and swept bodies are long on purpose: their ratio of edges says nothing against them.
    const std::vector<ElementType> tets{ElementType::Tet4, ElementType::Tet10};
    auto ofTets = [&](Metric m, bool atLeast, double bound, const char* source) {
      Limit l{m, atLeast, bound, source};
      l.types = tets;
      return l;
    };
    std::vector<LimitSet> s;
    s.push_back({"general",
                 "any purpose",
                 {{Metric::MinDihedral, true, 8, house},
                  {Metric::ScaledJacobian, true, 0.05, house},
                  {Metric::HeightRatio, true, 0.05, house}},
                 {},
                 ""});
    s.push_back({"strength",
                 "strength",
                 {{Metric::Skewness, false, 0.85, practice},
                  {Metric::MinDihedral, true, 8, house},
                  {Metric::ScaledJacobian, true, 0.1, house},
                  ofTets(Metric::AspectRatio, false, 10, practice),
                  {Metric::HeightRatio, true, 0.1, "0.5 strict, 0.1 workable in practice"},
                  {Metric::SizeChange, false, 3, practice}},
                 {ElementType::Tet4, ElementType::Wedge6},
                 "linear tetrahedra and wedges are too stiff in bending; use order 2",
                 0.05});
    s.push_back({"flow",
                 "flow",
                 {{Metric::Skewness, false, 0.9, "0.9 in a flow volume, 0.85 accepted, in practice"},
                  {Metric::MinDihedral, true, 5, house},
                  {Metric::HeightRatio, true, 0.05, practice},
                  {Metric::SizeChange, false, 2.5, practice}},
                 {ElementType::Tet10, ElementType::Pyramid13, ElementType::Wedge15, ElementType::Hex20},
                 "finite-volume solvers read linear cells only"});
    return s;
  }();
  return sets;
}

const LimitSet* limitSet(std::string_view name) {
  for (const auto& s : limitSets())
    if (s.name == name) return &s;
  return nullptr;
}

namespace {
/// Whether one limit says more than the other about everything that the other judges: one for all types takes the place
/// of one for some.
bool covers(const Limit& a, const Limit& b) {
  return a.metric == b.metric && a.atLeast == b.atLeast && (a.types.empty() || a.types == b.types);
}
} // namespace

void addLimit(LimitSet& set, Limit limit) {
  if (limit.where.empty()) {
    std::erase_if(set.limits, [&](const Limit& l) { return covers(limit, l) && l.where.empty(); });
    // Cells of groups keep limits of their own.
    for (const auto& l : set.limits) {
      if (!covers(l, limit)) continue;
      if (limit.cells.empty()) limit.cells.assign(l.cells.size(), 1);
      for (std::size_t c = 0; c < l.cells.size(); ++c)
        if (l.cells[c]) limit.cells[c] = 0;
    }
  } else
    for (auto& l : set.limits) {
      if (!covers(limit, l)) continue;
      if (l.cells.empty()) l.cells.assign(limit.cells.size(), 1);
      for (std::size_t c = 0; c < limit.cells.size(); ++c)
        if (limit.cells[c]) l.cells[c] = 0;
    }
  set.limits.push_back(std::move(limit));
}

LimitSet withTarget(LimitSet set, double target) {
  std::vector<Limit> kept;
  for (Limit& l : set.limits) {
    if (l.timesTarget && target <= 0) continue;
    if (l.timesTarget) l.bound *= target;
    l.timesTarget = false;
    kept.push_back(std::move(l));
  }
  set.limits = std::move(kept);
  return set;
}

namespace {
/// "'tube', 'pin' (2 of 5 bodies)": what has no elements; empty when all have.
std::string bodiesWithout(const Mesh& m) {
  std::vector<char> has(m.regions.size(), 0);
  for (auto r : m.cellRegion) has[static_cast<std::size_t>(r)] = 1;
  std::string names;
  std::size_t count = 0;
  for (std::size_t r = 0; r < has.size(); ++r)
    if (!has[r] && ++count <= 3) names += (names.empty() ? "'" : ", '") + m.regions[r] + "'";
  if (!count) return {};
  return names + (count > 3 ? " and others" : "") + " (" + std::to_string(count) + " of " + std::to_string(has.size()) +
         " bodies)";
}
} // namespace

void applyLimits(Audit& a, const Mesh& m, const LimitSet& limits) {
  a.limits = limits;
  a.results.clear();
  a.failing.assign(m.cells.size(), 0);
  std::vector<std::array<double, kElementTypes>> best; // by limit and type
  for (const auto& l : limits.limits) {
    best.emplace_back();
    for (int t = 0; t < kElementTypes; ++t)
      best.back()[static_cast<std::size_t>(t)] = bestValue(l.metric, static_cast<ElementType>(t));
  }
  // A stretch of cells after the other, each on one core, then all together in their order.
  struct Count {
    std::size_t judged = 0, failing = 0, accepted = 0;
    double worst = 0;
  };
  struct Stretch {
    std::vector<Count> byLimit;
    std::array<std::size_t, kElementClasses> classes{};
    std::size_t failing = 0, accepted = 0;
  };
  constexpr std::size_t kStretch = 16384;
  std::vector<Stretch> stretches((m.cells.size() + kStretch - 1) / kStretch);
  parallelFor(
      stretches.size(), nullptr,
      [&](std::size_t k) {
        Stretch& s = stretches[k];
        const std::size_t first = k * kStretch, last = std::min(m.cells.size(), first + kStretch);
        std::vector<std::uint8_t> accepted(last - first, 0);
        std::vector<double> room(last - first, 1); // to the nearest limit, as a share of the way to the ideal
        for (std::size_t i = 0; i < limits.limits.size(); ++i) {
          const Limit& l = limits.limits[i];
          Count& r = s.byLimit.emplace_back();
          const auto& x = a.metrics[static_cast<std::size_t>(l.metric)].value;
          for (std::size_t c = first; c < std::min(last, x.size()); ++c) {
            const double v = x[c];
            if (std::isnan(v) || !l.judges(c, m.cells.type[c])) continue;
            // Beyond the ideal value, as an angle of 75 degrees in a wedge, there is room enough.
            const double ideal = best[i][static_cast<std::size_t>(m.cells.type[c])];
            if (const double way = std::abs(ideal - l.bound); way > 0)
              room[c - first] = std::min(room[c - first], (l.atLeast ? v - l.bound : l.bound - v) / way);
            r.worst = r.judged++ ? l.worse(r.worst, v) : v;
            if (!l.beyond(v)) continue;
            if (l.accepts(v)) {
              ++r.accepted;
              accepted[c - first] = 1;
            } else {
              ++r.failing;
              a.failing[c] = 1;
            }
          }
        }
        for (std::size_t c = first; c < last; ++c) {
          const ElementClass kind = a.failing[c]                  ? ElementClass::Failing
                                    : room[c - first] < kPoorRoom ? ElementClass::Poor
                                    : room[c - first] < kFairRoom ? ElementClass::Fair
                                                                  : ElementClass::Good;
          ++s.classes[static_cast<std::size_t>(kind)];
          s.failing += a.failing[c];
          s.accepted += accepted[c - first] && !a.failing[c];
        }
      },
      1);
  a.classes = {};
  a.failingCells = a.acceptedCells = 0;
  for (const Stretch& s : stretches) {
    for (std::size_t k = 0; k < s.classes.size(); ++k) a.classes[k] += s.classes[k];
    a.failingCells += s.failing;
    a.acceptedCells += s.accepted;
  }
  for (std::size_t i = 0; i < limits.limits.size(); ++i) {
    LimitResult r{limits.limits[i]};
    std::size_t judged = 0;
    for (const Stretch& s : stretches) {
      const Count& part = s.byLimit[i];
      if (!part.judged) continue;
      r.worst = judged ? r.limit.worse(r.worst, part.worst) : part.worst;
      judged += part.judged;
      r.failing += part.failing;
      r.accepted += part.accepted;
    }
    if (!judged) continue; // no such cells: nothing to report
    r.share = static_cast<double>(r.failing) / static_cast<double>(judged);
    a.results.push_back(std::move(r));
  }
  a.notAllowedCells = 0;
  double ruledOut = 0, all = 0;
  const auto& volume = a.metrics[static_cast<std::size_t>(Metric::Volume)].value;
  std::array<std::size_t, kElementTypes> ruledOutOf{};
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    const double v = c < volume.size() ? std::max(0.0f, volume[c]) : 0;
    all += v;
    const ElementType t = m.cells.type[c];
    if (std::find(limits.notAllowed.begin(), limits.notAllowed.end(), t) == limits.notAllowed.end()) continue;
    ruledOut += v;
    ++ruledOutOf[static_cast<std::size_t>(t)];
    ++a.notAllowedCells;
  }
  a.notAllowedShare = all > 0 ? ruledOut / all : a.notAllowedCells ? 1 : 0;
  if (limits.allowedShare > 0 && a.notAllowedShare <= limits.allowedShare) a.notAllowedCells = 0;
  const Soundness& s = a.soundness;
  a.pass = a.failingCells == 0 && a.notAllowedCells == 0 && s.sound();
  const Orders orders = ordersOf(m);
  const std::string order = (orders.mixed() ? "orders " : "order ") + orderText(orders);
  const std::string& what = limits.purpose;
  if (a.pass)
    a.sentence = "Good for " + what + ", " + order +
                 (a.acceptedCells == 0   ? "."
                  : a.acceptedCells == 1 ? ", with one element accepted."
                                         : ", with " + std::to_string(a.acceptedCells) + " elements accepted.");
  else if (!s.sound())
    a.sentence = "The mesh is not sound: " + s.flaws.front().what + ".";
  else if (a.notAllowedCells) {
    std::string which; // by type, where others are there as well
    for (int t = 0; t < kElementTypes; ++t)
      if (ruledOutOf[static_cast<std::size_t>(t)])
        which += (which.empty() ? "" : ", ") + std::string(topology(static_cast<ElementType>(t)).name);
    a.sentence = "Not for " + what + " as it is: " + limits.notAllowedWhy;
    if (a.notAllowedCells < m.cells.size())
      a.sentence += " (" + which + ", " + percentText(a.notAllowedShare) + " of the volume)";
    a.sentence += ".";
  } else
    a.sentence =
        "Outside the " + (what == "any purpose" ? "general limits" : "limits for " + what) + ", " + order + ".";
  a.missing = bodiesWithout(m);
  if (a.missing.empty()) return;
  a.pass = false;
  a.sentence = "Not whole: " + a.missing + " got no mesh. What there is: " + a.sentence;
}

Audit auditMesh(const Mesh& m, const LimitSet& limits, const Progress* progress) {
  Audit a;
  Neighbours neighbours = cellNeighbours(m, progress);
  a.metrics = computeMetrics(m, neighbours, progress);
  a.soundness = checkSoundness(m, a.metrics, neighbours, progress);
  a.volume = meshVolume(m);
  a.cellType = m.cells.type;
  std::array<bool, kElementTypes> occurs{};
  for (ElementType t : m.cells.type) occurs[static_cast<std::size_t>(t)] = true;
  for (int k = 0; k < kElementTypes; ++k)
    if (occurs[static_cast<std::size_t>(k)]) a.types.push_back(static_cast<ElementType>(k));
  applyLimits(a, m, limits);
  return a;
}

} // namespace tess
