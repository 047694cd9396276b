// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/audit.h"

namespace tess {

const std::vector<LimitSet>& limitSets() {
  static const std::vector<LimitSet> sets = [] {
    const char* practice = "figure heard in practice";
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

Soundness checkSoundness(const Mesh& m, const std::vector<float>& volumes) {
  Soundness s;
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    bool bad = volumes.empty() ? cellVolume(m, c) <= 0 : volumes[c] <= 0;
    s.inverted += bad;
  }
  std::vector<char> used(m.nodes.size(), 0);
  for (auto n : m.cells.nodes) used[static_cast<std::size_t>(n)] = 1;
  for (char u : used) s.unusedNodes += !u;
  std::vector<std::size_t> order(m.nodes.size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  auto less = [&](std::size_t a, std::size_t b) {
    const Vec3 &p = m.nodes[a], &q = m.nodes[b];
    return std::lexicographical_compare(p.data(), p.data() + 3, q.data(), q.data() + 3);
  };
  std::sort(order.begin(), order.end(), less);
  for (std::size_t i = 0; i + 1 < order.size(); ++i) s.duplicateNodes += m.nodes[order[i]] == m.nodes[order[i + 1]];
  // Faces: used once (boundary) or twice; the boundary of every region must be closed.
  struct Side {
    std::array<std::int32_t, 4> key;
    std::int32_t cell;
    std::int32_t face;
  };
  std::vector<Side> sides;
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    const auto& t = topology(m.cells.type[c]);
    for (int f = 0; f < t.faces; ++f) {
      std::array<std::int32_t, 4> v{-1, -1, -1, -1};
      for (std::size_t i = 0; i < 4; ++i)
        if (t.face[static_cast<std::size_t>(f)][i] >= 0)
          v[i] = m.cells.of(c)[static_cast<std::size_t>(t.face[static_cast<std::size_t>(f)][i])];
      std::sort(v.begin(), v.end());
      sides.push_back({v, static_cast<std::int32_t>(c), f});
    }
  }
  std::sort(sides.begin(), sides.end(), [](const Side& a, const Side& b) { return a.key < b.key; });
  std::vector<std::pair<std::uint64_t, int>> edges;
  for (std::size_t i = 0; i < sides.size();) {
    std::size_t j = i;
    while (j < sides.size() && sides[j].key == sides[i].key) ++j;
    if (j - i > 2) s.nonConforming += j - i - 2;
    if (j - i == 1) {
      const auto& t = topology(m.cells.type[static_cast<std::size_t>(sides[i].cell)]);
      auto q = m.cells.of(static_cast<std::size_t>(sides[i].cell));
      const auto& f = t.face[static_cast<std::size_t>(sides[i].face)];
      int k = f[3] < 0 ? 3 : 4;
      for (int e = 0; e < k; ++e) {
        std::uint64_t a = static_cast<std::uint64_t>(q[static_cast<std::size_t>(f[static_cast<std::size_t>(e)])]),
                      b = static_cast<std::uint64_t>(
                          q[static_cast<std::size_t>(f[static_cast<std::size_t>((e + 1) % k)])]);
        edges.push_back({std::min(a, b) << 32 | std::max(a, b), a < b ? 1 : -1});
      }
    }
    i = j;
  }
  std::sort(edges.begin(), edges.end());
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
  std::vector<std::array<std::int32_t, 8>> cells;
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    std::array<std::int32_t, 8> k;
    k.fill(-1);
    int n = topology(m.cells.type[c]).corners;
    std::copy_n(m.cells.of(c).begin(), n, k.begin());
    std::sort(k.begin(), k.end());
    cells.push_back(k);
  }
  std::sort(cells.begin(), cells.end());
  for (std::size_t i = 0; i + 1 < cells.size(); ++i) s.duplicateCells += cells[i] == cells[i + 1];
  return s;
}

void applyLimits(Audit& a, const Mesh& m, const LimitSet& limits) {
  a.limits = limits;
  a.results.clear();
  a.failing.assign(m.cells.size(), 0);
  for (const auto& l : limits.limits) {
    LimitResult r{l};
    const auto& x = a.metrics[static_cast<std::size_t>(l.metric)];
    for (std::size_t c = 0; c < x.value.size(); ++c) {
      bool ok = l.atLeast ? x.value[c] >= l.bound : x.value[c] <= l.bound;
      if (ok) continue;
      ++r.failing;
      a.failing[c] = 1;
    }
    r.share = m.cells.size() ? static_cast<double>(r.failing) / static_cast<double>(m.cells.size()) : 0;
    r.worst = l.atLeast ? x.min : x.max;
    a.results.push_back(r);
  }
  a.failingCells = 0;
  for (auto f : a.failing) a.failingCells += f;
  a.notAllowedCells = 0;
  for (auto t : m.cells.type)
    if (std::find(limits.notAllowed.begin(), limits.notAllowed.end(), t) != limits.notAllowed.end())
      ++a.notAllowedCells;
  const Soundness& s = a.soundness;
  a.pass = a.failingCells == 0 && a.notAllowedCells == 0 && s.sound();
  int order = m.cells.size() ? topology(m.cells.type[0]).order : 1;
  std::string what = limits.purpose == "any purpose" ? "any purpose" : limits.purpose;
  if (a.pass)
    a.sentence = "Good for " + what + ", order " + std::to_string(order) + ".";
  else if (!s.sound())
    a.sentence = s.inverted ? std::to_string(s.inverted) + " elements are inverted or have no volume."
                            : "The mesh is not sound.";
  else if (a.notAllowedCells)
    a.sentence = "Not for " + what + " as it is: " + limits.notAllowedWhy + ".";
  else
    a.sentence = "Outside the limits for " + what + ", order " + std::to_string(order) + ".";
}

Audit auditMesh(const Mesh& m, const LimitSet& limits) {
  Audit a;
  a.metrics = computeMetrics(m);
  a.soundness = checkSoundness(m, a.metrics[static_cast<std::size_t>(Metric::Volume)].value);
  applyLimits(a, m, limits);
  return a;
}

} // namespace tess
