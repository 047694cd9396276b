// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/audit.h"
#include "base/parallel.h"
#include <atomic>
#include <cstring>
#include <numeric>

namespace tess {

const char* elementClassName(ElementClass c) {
  static const char* names[] = {"good", "fair", "poor", "failing"};
  return names[static_cast<int>(c)];
}

const std::vector<LimitSet>& limitSets() {
  static const std::vector<LimitSet> sets = [] {
    const char* practice = "usual in practice";
    const char* house = "our own floor: below it linear solvers lose accuracy visibly";
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
                  {Metric::AspectRatio, false, 10, practice},
                  {Metric::HeightRatio, true, 0.1, "0.5 strict, 0.1 workable in practice"},
                  {Metric::SizeChange, false, 3, practice}},
                 {ElementType::Tet4},
                 "linear tetrahedra are too stiff in bending; use order 2"});
    s.push_back({"flow",
                 "flow",
                 {{Metric::Skewness, false, 0.9, "0.9 in a flow volume, 0.85 accepted, in practice"},
                  {Metric::MinDihedral, true, 5, house},
                  {Metric::HeightRatio, true, 0.05, practice},
                  {Metric::SizeChange, false, 2.5, practice}},
                 {ElementType::Tet10},
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

/// Nodes at exactly the place of another one, each with that, by a hash of the coordinates.
std::vector<std::array<std::int32_t, 2>> repeatedNodes(const Mesh& m) {
  struct Item {
    std::uint64_t hash;
    std::int32_t node;
  };
  std::vector<Item> items(m.nodes.size());
  for (std::size_t i = 0; i < items.size(); ++i) {
    std::uint64_t h = 0;
    for (int k = 0; k < 3; ++k) {
      double x = m.nodes[i][k] + 0.0; // -0 and 0 are one place
      std::uint64_t bits;
      std::memcpy(&bits, &x, sizeof bits);
      h = (h ^ bits) * 0x9E3779B97F4A7C15ull;
      h ^= h >> 29;
    }
    items[i] = {h, static_cast<std::int32_t>(i)};
  }
  parallelSort(items.begin(), items.end(),
               [](const Item& a, const Item& b) { return a.hash != b.hash ? a.hash < b.hash : a.node < b.node; });
  // Copies on the two sides of a separate pair are meant to be at one place.
  std::vector<std::int32_t> original(m.twins.empty() ? 0 : m.nodes.size());
  for (std::size_t i = 0; i < original.size(); ++i) original[i] = static_cast<std::int32_t>(i);
  for (const auto& t : m.twins) original[static_cast<std::size_t>(t[1])] = t[0];
  auto meant = [&](std::int32_t a, std::int32_t b) {
    return !original.empty() && original[static_cast<std::size_t>(a)] == original[static_cast<std::size_t>(b)];
  };
  std::vector<std::array<std::int32_t, 2>> pairs;
  for (std::size_t i = 0; i < items.size(); ++i)
    for (std::size_t j = i; j > 0 && items[j - 1].hash == items[i].hash; --j)
      if (m.nodes[static_cast<std::size_t>(items[j - 1].node)] == m.nodes[static_cast<std::size_t>(items[i].node)] &&
          !meant(items[j - 1].node, items[i].node)) {
        pairs.push_back({items[j - 1].node, items[i].node});
        break;
      }
  return pairs;
}

/// How many of these pairs stand between regions that share no node anywhere: bodies kept apart, as a file tells them.
std::size_t betweenApart(const Mesh& m, const std::vector<std::array<std::int32_t, 2>>& pairs) {
  if (pairs.empty() || m.regions.size() < 2 || m.regions.size() > 64) return 0;
  std::vector<std::uint64_t> of(m.nodes.size(), 0); // regions around a node, a bit each
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    for (auto n : m.cells.of(c)) of[static_cast<std::size_t>(n)] |= std::uint64_t{1} << m.cellRegion[c];
  std::vector<std::uint64_t> joined(m.regions.size(), 0); // by region: those it shares a node with
  for (auto mask : of)
    if (mask & (mask - 1))
      for (std::size_t r = 0; r < joined.size(); ++r)
        if (mask >> r & 1) joined[r] |= mask;
  return static_cast<std::size_t>(std::count_if(pairs.begin(), pairs.end(), [&](const auto& p) {
    const std::uint64_t a = of[static_cast<std::size_t>(p[0])], b = of[static_cast<std::size_t>(p[1])];
    if (!a || !b || a & b) return false;
    for (std::size_t r = 0; r < joined.size(); ++r)
      if (a >> r & 1 && joined[r] & b) return false;
    return true;
  }));
}

/// Cells with the same corners as a cell before.
std::size_t repeatedCells(const Mesh& m, const Neighbours& n, const Progress* progress) {
  if (n.surplus == 0) { // Two such cells are then each other's only neighbours.
    std::atomic<std::size_t> pairs{0};
    parallelFor(m.cells.size(), progress, [&](std::size_t c) {
      const auto first = n.cell.begin() + n.start[c], last = n.cell.begin() + n.start[c + 1];
      if (first != last && *first >= 0 && static_cast<std::size_t>(*first) < c &&
          std::all_of(first, last, [&](auto o) { return o == *first; }) &&
          topology(m.cells.type[c]).corners == topology(m.cells.type[static_cast<std::size_t>(*first)]).corners)
        ++pairs;
    });
    return pairs;
  }
  std::vector<std::uint32_t> bucket(m.nodes.size() + 1, 0);
  auto corners = [&](std::size_t c) {
    std::array<std::int32_t, 8> k;
    k.fill(std::numeric_limits<std::int32_t>::max());
    std::copy_n(m.cells.of(c).begin(), topology(m.cells.type[c]).corners, k.begin());
    std::sort(k.begin(), k.end());
    return k;
  };
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    if (progress && (c & 0xffff) == 0) progress->check();
    ++bucket[static_cast<std::size_t>(corners(c)[0]) + 1];
  }
  std::partial_sum(bucket.begin(), bucket.end(), bucket.begin());
  std::vector<std::int32_t> cells(m.cells.size());
  std::vector<std::uint32_t> next(bucket.begin(), bucket.end() - 1);
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    cells[next[static_cast<std::size_t>(corners(c)[0])]++] = static_cast<std::int32_t>(c);
  std::atomic<std::size_t> repeated{0};
  parallelFor(m.nodes.size(), progress, [&](std::size_t b) {
    std::vector<std::array<std::int32_t, 8>> k;
    for (std::uint32_t i = bucket[b]; i < bucket[b + 1]; ++i) k.push_back(corners(static_cast<std::size_t>(cells[i])));
    std::sort(k.begin(), k.end());
    for (std::size_t i = 0; i + 1 < k.size(); ++i) repeated += k[i] == k[i + 1];
  });
  return repeated;
}

} // namespace

Soundness checkSoundness(const Mesh& m, const std::vector<float>& volumes, const Neighbours& neighbours,
                         const Progress* progress) {
  Soundness s;
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    bool bad = volumes.empty() ? cellVolume(m, c) <= 0 : volumes[c] <= 0;
    s.inverted += bad;
  }
  std::vector<char> used(m.nodes.size(), 0);
  for (auto n : m.cells.nodes) used[static_cast<std::size_t>(n)] = 1;
  for (char u : used) s.unusedNodes += !u;
  if (progress) progress->check();
  const auto repeated = repeatedNodes(m);
  s.apartNodes = betweenApart(m, repeated);
  s.duplicateNodes = repeated.size() - s.apartNodes;
  s.nonConforming = neighbours.surplus;
  // Faces used once are the boundary; it must be closed, and so must the boundary of every region.
  std::vector<std::pair<std::uint64_t, int>> edges;
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    if (progress && (c & 0xffff) == 0) progress->check();
    const auto& t = topology(m.cells.type[c]);
    auto q = m.cells.of(c);
    for (int side = 0; side < t.faces; ++side) {
      if (neighbours.cell[neighbours.start[c] + static_cast<std::uint32_t>(side)] >= 0) continue;
      const auto& f = t.face[static_cast<std::size_t>(side)];
      int k = f[3] < 0 ? 3 : 4;
      for (int e = 0; e < k; ++e) {
        std::uint64_t a = static_cast<std::uint64_t>(q[static_cast<std::size_t>(f[static_cast<std::size_t>(e)])]),
                      b = static_cast<std::uint64_t>(
                          q[static_cast<std::size_t>(f[static_cast<std::size_t>((e + 1) % k)])]);
        edges.push_back({std::min(a, b) << 32 | std::max(a, b), a < b ? 1 : -1});
      }
    }
  }
  if (progress) progress->check();
  parallelSort(edges.begin(), edges.end());
  for (std::size_t i = 0; i < edges.size();) {
    std::size_t j = i;
    int sum = 0;
    for (; j < edges.size() && edges[j].first == edges[i].first; ++j) sum += edges[j].second;
    if (sum != 0 || j - i == 1)
      ++s.openEdges;
    else if (j - i > 2)
      ++s.crowdedEdges;
    i = j;
  }
  s.duplicateCells = repeatedCells(m, neighbours, progress);
  return s;
}

Soundness checkSoundness(const Mesh& m, const std::vector<float>& volumes) {
  return checkSoundness(m, volumes, cellNeighbours(m), nullptr);
}

void addLimit(LimitSet& set, Limit limit) {
  if (limit.where.empty()) {
    std::erase_if(set.limits, [&](const Limit& l) { return l.alike(limit) && l.where.empty(); });
    // Cells of groups keep limits of their own.
    for (const auto& l : set.limits) {
      if (!l.alike(limit)) continue;
      if (limit.cells.empty()) limit.cells.assign(l.cells.size(), 1);
      for (std::size_t c = 0; c < l.cells.size(); ++c)
        if (l.cells[c]) limit.cells[c] = 0;
    }
  } else
    for (auto& l : set.limits) {
      if (!l.alike(limit)) continue;
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
  std::vector<std::uint8_t> accepted(m.cells.size(), 0);
  for (const auto& l : limits.limits) {
    LimitResult r{l};
    const auto& x = a.metrics[static_cast<std::size_t>(l.metric)];
    std::size_t judged = 0;
    for (std::size_t c = 0; c < x.value.size(); ++c) {
      if (!l.judges(c)) continue;
      const double v = x.value[c];
      if (!judged++) r.worst = v;
      r.worst = l.atLeast ? std::min(r.worst, v) : std::max(r.worst, v);
      if (!l.broken(c, v)) continue;
      if (l.accepts(v)) {
        ++r.accepted;
        accepted[c] = 1;
        continue;
      }
      ++r.failing;
      a.failing[c] = 1;
    }
    r.share = judged ? static_cast<double>(r.failing) / static_cast<double>(judged) : 0;
    if (!judged) continue; // no such cells: nothing to report
    a.results.push_back(r);
  }
  a.classes = {};
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    double room = 1;
    for (const auto& l : limits.limits) {
      const double best = metricInfo(l.metric).best;
      if (!l.judges(c) || !(std::abs(best - l.bound) > 0)) continue;
      const double v = a.metrics[static_cast<std::size_t>(l.metric)].value[c];
      // Beyond the ideal value, as an angle of 75 degrees in a hexahedron, there is room enough.
      room = std::min(room, (l.atLeast ? v - l.bound : l.bound - v) / std::abs(best - l.bound));
    }
    const ElementClass k = a.failing[c]       ? ElementClass::Failing
                           : room < kPoorRoom ? ElementClass::Poor
                           : room < kFairRoom ? ElementClass::Fair
                                              : ElementClass::Good;
    ++a.classes[static_cast<std::size_t>(k)];
  }
  a.failingCells = a.acceptedCells = 0;
  for (std::size_t c = 0; c < a.failing.size(); ++c) {
    a.failingCells += a.failing[c];
    a.acceptedCells += accepted[c] && !a.failing[c];
  }
  a.notAllowedCells = 0;
  for (auto t : m.cells.type)
    if (std::find(limits.notAllowed.begin(), limits.notAllowed.end(), t) != limits.notAllowed.end())
      ++a.notAllowedCells;
  const Soundness& s = a.soundness;
  a.pass = a.failingCells == 0 && a.notAllowedCells == 0 && s.sound();
  int order = m.cells.size() ? topology(m.cells.type[0]).order : 1;
  const std::string& what = limits.purpose;
  if (a.pass)
    a.sentence = "Good for " + what + ", order " + std::to_string(order) +
                 (a.acceptedCells == 0   ? "."
                  : a.acceptedCells == 1 ? ", with one element accepted."
                                         : ", with " + std::to_string(a.acceptedCells) + " elements accepted.");
  else if (!s.sound())
    a.sentence = s.inverted ? std::to_string(s.inverted) + " elements are inverted or have no volume."
                            : "The mesh is not sound.";
  else if (a.notAllowedCells)
    a.sentence = "Not for " + what + " as it is: " + limits.notAllowedWhy + ".";
  else
    a.sentence = "Outside the " + (what == "any purpose" ? "general limits" : "limits for " + what) + ", order " +
                 std::to_string(order) + ".";
  a.missing = bodiesWithout(m);
  if (a.missing.empty()) return;
  a.pass = false;
  a.sentence = "Not whole: " + a.missing + " got no mesh. What there is: " + a.sentence;
}

Audit auditMesh(const Mesh& m, const LimitSet& limits, const Progress* progress) {
  Audit a;
  Neighbours neighbours = cellNeighbours(m, progress);
  a.metrics = computeMetrics(m, neighbours, progress);
  a.soundness = checkSoundness(m, a.metrics[static_cast<std::size_t>(Metric::Volume)].value, neighbours, progress);
  a.volume = meshVolume(m);
  std::array<bool, kElementTypes> occurs{};
  for (ElementType t : m.cells.type) occurs[static_cast<std::size_t>(t)] = true;
  for (int k = 0; k < kElementTypes; ++k)
    if (occurs[static_cast<std::size_t>(k)]) a.types.push_back(static_cast<ElementType>(k));
  applyLimits(a, m, limits);
  return a;
}

} // namespace tess
