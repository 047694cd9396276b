// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/places.h"
#include "base/bvh.h"
#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
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

/// The worst of `cells`, worst first, `most` at most.
std::vector<std::int32_t> worstOf(std::vector<std::int32_t> cells, const std::vector<float>& value, bool low,
                                  std::size_t most) {
  most = std::min(most, cells.size());
  std::partial_sort(cells.begin(), cells.begin() + static_cast<std::ptrdiff_t>(most), cells.end(),
                    [&](std::int32_t a, std::int32_t b) {
                      const float x = value[static_cast<std::size_t>(a)], y = value[static_cast<std::size_t>(b)];
                      return x != y ? (low ? x < y : x > y) : a < b;
                    });
  cells.resize(most);
  return cells;
}

constexpr std::size_t kMostSound = 20;
constexpr double kWidest = 1.0 / 3; ///< of a place, against the diagonal of the mesh

std::vector<std::int32_t> cellsWhere(std::size_t count, const std::function<bool(std::size_t)>& on) {
  std::vector<std::int32_t> r;
  for (std::size_t c = 0; c < count; ++c)
    if (on(c)) r.push_back(static_cast<std::int32_t>(c));
  return r;
}

/// `bad`: cells, worst first; whether they fail, and are one place when they are only near each other.
std::vector<WorstPlace> placesOf(const Mesh& m, const std::vector<float>& value, const std::vector<std::int32_t>& bad,
                                 bool fail) {
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
  for (std::size_t i = 0; i < bad.size() && fail; ++i) {
    Box around = boxes[i];
    around.grow(boxes[i].diagonal());
    tree.overlapping(around, [&](int j) {
      // The tree also visits what lies in the same leaf.
      if (boxes[static_cast<std::size_t>(j)].overlaps(around)) join(i, static_cast<std::size_t>(j));
      return true;
    });
  }
  std::unordered_map<std::size_t, std::size_t> number;
  std::vector<std::vector<std::size_t>> joined; // each with its worst first
  for (std::size_t i = 0; i < bad.size(); ++i) {
    auto [it, fresh] = number.emplace(root(i), joined.size());
    if (fresh) joined.emplace_back();
    joined[it->second].push_back(i);
  }
  // What fails all over the part is no place that one can look at: it is divided around its worst cells.
  double reach = std::numeric_limits<double>::infinity();
  if (fail) { // the few worst of a sound mesh are not so many
    Box whole;
    for (const Vec3& p : m.nodes) whole.add(p);
    reach = kWidest / 2 * whole.diagonal();
  }
  std::vector<std::vector<std::size_t>> found;
  for (auto& left : joined)
    while (!left.empty()) {
      auto& place = found.emplace_back();
      const Vec3 at = boxes[left[0]].center();
      std::vector<std::size_t> rest;
      for (std::size_t i : left) ((boxes[i].center() - at).norm() <= reach ? place : rest).push_back(i);
      left = std::move(rest);
    }
  std::sort(found.begin(), found.end()); // by their worst cells
  std::vector<WorstPlace> r;
  for (const auto& place : found) {
    const auto c = static_cast<std::size_t>(bad[place[0]]);
    r.push_back({bad[place[0]], {}, value[c], cellCenter(m, c), false, {}});
    for (std::size_t i : place) r.back().cells.push_back(bad[i]);
  }
  for (auto& p : r) std::sort(p.cells.begin(), p.cells.end());
  tellGroups(m, r);
  return r;
}

} // namespace

std::vector<WorstPlace> worstPlaces(const Mesh& m, const Audit& audit, Metric metric) {
  const MetricValues& x = audit.metrics[static_cast<std::size_t>(metric)];
  const auto& limits = audit.limits.limits;
  const auto bad = cellsWhere(x.value.size(), [&](std::size_t c) {
    return std::any_of(limits.begin(), limits.end(),
                       [&](const Limit& l) { return l.metric == metric && l.broken(c, m.cells.type[c], x.value[c]); });
  });
  if (bad.empty()) return placesOf(m, x.value, x.worst, false); // the audit has them
  return placesOf(m, x.value, worstOf(bad, x.value, metricInfo(metric).highIsGood, kMostFailing), true);
}

std::vector<WorstPlace> worstPlaces(const Mesh& m, const Audit& audit, const Limit& limit) {
  const auto& value = audit.metrics[static_cast<std::size_t>(limit.metric)].value;
  const auto bad = cellsWhere(value.size(), [&](std::size_t c) { return limit.broken(c, m.cells.type[c], value[c]); });
  if (!bad.empty()) return placesOf(m, value, worstOf(bad, value, limit.atLeast, kMostFailing), true);
  const auto judged = cellsWhere(
      value.size(), [&](std::size_t c) { return !std::isnan(value[c]) && limit.judges(c, m.cells.type[c]); });
  return placesOf(m, value, worstOf(judged, value, limit.atLeast, kMostSound), false);
}

} // namespace tess
