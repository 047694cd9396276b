// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/places.h"
#include "base/bvh.h"
#include <algorithm>
#include <numeric>
#include <unordered_map>

namespace tess {
namespace {

/// Says of each place which groups of faces its nodes lie in.
void tellGroups(const Mesh& m, std::vector<WorstPlace>& places) {
  std::unordered_map<std::int32_t, std::vector<std::int32_t>> placesAt; // by node
  std::vector<char> bad(m.nodes.size(), 0);
  for (std::size_t p = 0; p < places.size(); ++p)
    for (auto c : places[p].cells)
      for (auto n : m.cells.of(static_cast<std::size_t>(c))) {
        bad[static_cast<std::size_t>(n)] = 1;
        auto& at = placesAt[n];
        if (at.empty() || at.back() != static_cast<std::int32_t>(p)) at.push_back(static_cast<std::int32_t>(p));
      }
  std::vector<std::array<std::int32_t, 2>> touched; // face and place, once per common node, by face
  for (std::size_t f = 0; f < m.faces.size(); ++f)
    for (auto n : m.faces.of(f))
      if (bad[static_cast<std::size_t>(n)])
        for (auto p : placesAt[n]) {
          places[static_cast<std::size_t>(p)].atBoundary = true;
          touched.push_back({static_cast<std::int32_t>(f), p});
        }
  struct Share {
    std::size_t count;
    std::string group;
  };
  std::vector<std::vector<Share>> shares(places.size());
  for (const auto& g : m.groups) {
    if (g.dim != 2) continue;
    auto t = touched.begin();
    for (auto f : g.items) { // both ascend
      while (t != touched.end() && (*t)[0] < f) ++t;
      for (; t != touched.end() && (*t)[0] == f; ++t) {
        auto& s = shares[static_cast<std::size_t>((*t)[1])];
        if (s.empty() || s.back().group != g.name) s.push_back({0, g.name});
        ++s.back().count;
      }
    }
  }
  for (std::size_t p = 0; p < places.size(); ++p) {
    std::stable_sort(shares[p].begin(), shares[p].end(),
                     [](const Share& x, const Share& y) { return x.count > y.count; });
    for (auto& s : shares[p]) places[p].groups.push_back(std::move(s.group));
  }
}

} // namespace

std::vector<WorstPlace> worstPlaces(const Mesh& m, const Audit& audit, Metric metric) {
  const auto& value = audit.metrics[static_cast<std::size_t>(metric)].value;
  const MetricInfo& info = metricInfo(metric);
  std::vector<std::int32_t> bad;
  for (const auto& l : audit.limits.limits)
    if (l.metric == metric)
      for (std::size_t c = 0; c < value.size(); ++c)
        if (l.broken(c, value[c])) bad.push_back(static_cast<std::int32_t>(c));
  const bool none = bad.empty();
  if (none) {
    bad.resize(value.size());
    std::iota(bad.begin(), bad.end(), 0);
  }
  const bool low = info.highIsGood;
  auto worse = [&](std::int32_t a, std::int32_t b) {
    float x = value[static_cast<std::size_t>(a)], y = value[static_cast<std::size_t>(b)];
    return x != y ? (low ? x < y : x > y) : a < b;
  };
  std::size_t most = std::min<std::size_t>(bad.size(), none ? 30 : 5000);
  std::partial_sort(bad.begin(), bad.begin() + static_cast<std::ptrdiff_t>(most), bad.end(), worse);
  bad.resize(most);

  std::vector<std::size_t> up(bad.size());
  std::iota(up.begin(), up.end(), 0);
  auto root = [&](std::size_t i) {
    while (up[i] != i) i = up[i] = up[up[i]];
    return i;
  };
  auto join = [&](std::size_t a, std::size_t b) {
    a = root(a), b = root(b);
    up[std::max(a, b)] = std::min(a, b); // the worst leads: cells are sorted
  };
  std::unordered_map<std::int32_t, std::size_t> atNode;
  std::vector<Box> boxes;
  for (std::size_t i = 0; i < bad.size(); ++i) {
    Box b;
    for (auto n : m.cells.of(static_cast<std::size_t>(bad[i]))) {
      auto [it, fresh] = atNode.emplace(n, i);
      if (!fresh) join(i, it->second);
      b.add(m.nodes[static_cast<std::size_t>(n)]);
    }
    boxes.push_back(b);
  }
  if (bad.empty()) return {};
  Bvh tree(boxes);
  for (std::size_t i = 0; i < bad.size() && !none; ++i) {
    Box around = boxes[i];
    around.grow(boxes[i].diagonal());
    tree.overlapping(around, [&](int j) {
      // The tree also visits what lies in the same leaf.
      if (boxes[static_cast<std::size_t>(j)].overlaps(around)) join(i, static_cast<std::size_t>(j));
      return true;
    });
  }
  std::unordered_map<std::size_t, std::size_t> number;
  std::vector<WorstPlace> r;
  for (std::size_t i = 0; i < bad.size(); ++i) {
    auto [it, fresh] = number.emplace(root(i), r.size());
    if (fresh) {
      auto c = static_cast<std::size_t>(bad[i]);
      r.push_back({bad[i], {}, value[c], cellCenter(m, c), false, {}});
    }
    r[it->second].cells.push_back(bad[i]);
  }
  for (auto& p : r) std::sort(p.cells.begin(), p.cells.end());
  tellGroups(m, r);
  return r;
}

} // namespace tess
