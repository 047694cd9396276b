// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/separate.h"
#include "mesh/cell_faces.h"
#include <algorithm>
#include <map>
#include <numeric>
#include <unordered_map>
#include <unordered_set>

namespace tess {
namespace {

/// Cells around one node, joined into groups that hang together.
class Fan {
public:
  explicit Fan(std::size_t n) : m_up(n) { std::iota(m_up.begin(), m_up.end(), 0); }
  std::size_t root(std::size_t i) {
    while (m_up[i] != i) i = m_up[i] = m_up[m_up[i]];
    return i;
  }
  void join(std::size_t a, std::size_t b) {
    a = root(a), b = root(b);
    m_up[std::max(a, b)] = std::min(a, b); // the first cell leads, whatever the order of joining
  }

private:
  std::vector<std::size_t> m_up;
};

/// Corners whose presence in a face means that the face holds node number `local` of the cell: itself, or the ends of
/// the edge that it is the middle of.
std::array<std::int32_t, 2> cornersBehind(const Mesh& m, std::size_t cell, int local) {
  const auto& t = topology(m.cells.type[cell]);
  auto n = m.cells.of(cell);
  auto at = [&](int i) { return n[static_cast<std::size_t>(i)]; };
  if (t.corners == 0 || local < t.corners) return {at(local), at(local)};
  const auto& e = t.edge[static_cast<std::size_t>(local - t.corners)];
  return {at(e[0]), at(e[1])};
}

} // namespace

std::size_t cutOpen(Mesh& m, const std::vector<char>& marked, const Progress* progress) {
  std::unordered_set<FaceKey, FaceKeyHash> cut;
  std::unordered_map<std::int32_t, std::vector<std::pair<std::int32_t, int>>> around; // node -> cell, local number
  std::vector<std::size_t> cutFaces;
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    if (!marked[f] || m.faceRegions[f][0] < 0 || m.faceRegions[f][1] < 0) continue;
    cutFaces.push_back(f);
    cut.insert(faceKey(m.faces.corners(f)));
    for (auto n : m.faces.of(f)) around[n];
  }
  if (cutFaces.empty()) return 0;
  std::unordered_map<FaceKey, std::array<std::int32_t, 2>, FaceKeyHash> sides; // of cut faces: cells behind, in front
  const auto behind = facesInCells(m);
  for (auto f : cutFaces) sides[faceKey(m.faces.corners(f))] = {behind[f][0], -1};
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    if (progress && (c & 0xffff) == 0) progress->check();
    auto n = m.cells.of(c);
    for (std::size_t i = 0; i < n.size(); ++i)
      if (auto it = around.find(n[i]); it != around.end())
        it->second.push_back({static_cast<std::int32_t>(c), static_cast<int>(i)});
  }
  // Which cell gets which copy; decided on the old numbers, carried out at the end.
  struct Change {
    std::int32_t cell;
    int local;
    std::int32_t node;
  };
  std::vector<Change> changes;
  std::vector<std::int32_t> affected;
  for (const auto& [node, cells] : around) affected.push_back(node);
  std::sort(affected.begin(), affected.end());
  std::vector<std::array<std::int32_t, 2>> made; // original, copy
  auto next = static_cast<std::int32_t>(m.nodes.size());
  for (auto node : affected) {
    const auto& cells = around[node];
    Fan fan(cells.size());
    std::unordered_map<FaceKey, std::size_t, FaceKeyHash> open;
    for (std::size_t k = 0; k < cells.size(); ++k) {
      auto c = static_cast<std::size_t>(cells[k].first);
      auto needed = cornersBehind(m, c, cells[k].second);
      std::vector<std::int32_t> v;
      for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
        v.clear();
        for (auto i : m.cells.faceCorners(c, f)) v.push_back(m.cells.of(c)[static_cast<std::size_t>(i)]);
        if (!std::all_of(needed.begin(), needed.end(),
                         [&](auto corner) { return std::find(v.begin(), v.end(), corner) != v.end(); }))
          continue;
        FaceKey key = faceKey(v);
        if (cut.count(key)) {
          auto& s = sides[key];
          if (s[0] != cells[k].first) s[1] = cells[k].first;
          continue;
        }
        auto [it, fresh] = open.emplace(key, k);
        if (!fresh) fan.join(k, it->second);
      }
    }
    std::map<std::size_t, std::int32_t> copyOf;
    for (std::size_t k = 0; k < cells.size(); ++k) {
      std::size_t r = fan.root(k);
      if (r == fan.root(0)) continue; // the first group keeps the node
      auto [it, fresh] = copyOf.emplace(r, next);
      if (fresh) {
        made.push_back({node, next});
        ++next;
      }
      changes.push_back({cells[k].first, cells[k].second, it->second});
    }
  }
  if (progress) progress->check();
  // From here on the mesh changes.
  for (const auto& t : made) {
    m.nodes.push_back(m.nodes[static_cast<std::size_t>(t[0])]);
    if (!m.nodeLink.empty()) m.nodeLink.push_back(m.nodeLink[static_cast<std::size_t>(t[0])]);
    m.twins.push_back(t);
  }
  std::unordered_map<std::int64_t, std::int32_t> renamed; // cell and old node -> new node
  auto id = [](std::int32_t cell, std::int32_t node) { return static_cast<std::int64_t>(cell) << 32 | node; };
  for (const auto& c : changes) {
    auto n = m.cells.of(static_cast<std::size_t>(c.cell));
    renamed[id(c.cell, n[static_cast<std::size_t>(c.local)])] = c.node;
  }
  for (const auto& c : changes)
    m.cells.of(static_cast<std::size_t>(c.cell))[static_cast<std::size_t>(c.local)] = c.node;
  auto follow = [&](std::span<std::int32_t> nodes, std::int32_t cell) {
    for (auto& n : nodes)
      if (auto it = renamed.find(id(cell, n)); it != renamed.end()) n = it->second;
  };
  std::vector<std::int32_t> frontOf(m.faces.size(), -1);
  for (auto f : cutFaces) {
    const auto key = faceKey(m.faces.corners(f));
    std::int32_t front = sides[key][1];
    std::vector<std::int32_t> n(m.faces.of(f).begin(), m.faces.of(f).end());
    // Seen from the other side: corners the other way round, mid nodes along.
    auto k = static_cast<std::ptrdiff_t>(m.faces.cornerCount(f));
    std::reverse(n.begin() + 1, n.begin() + k);
    std::reverse(n.begin() + k, n.end());
    follow(n, front);
    frontOf[f] = static_cast<std::int32_t>(m.faces.size());
    m.faces.add(m.faces.type[f], n);
    m.faceLink.push_back(m.faceLink[f]);
    m.faceRegions.push_back({m.faceRegions[f][1], -1});
    m.faceRegions[f][1] = -1;
  }
  for (std::size_t f = 0; f < behind.size(); ++f)
    if (behind[f][0] >= 0) follow(m.faces.of(f), behind[f][0]);
  std::unordered_map<std::int32_t, std::vector<std::int32_t>> copies;
  for (const auto& t : made) copies[t[0]].push_back(t[1]);
  for (auto& g : m.groups) {
    std::vector<std::int32_t> more;
    for (auto i : g.items) {
      if (g.dim == 2 && frontOf[static_cast<std::size_t>(i)] >= 0) more.push_back(frontOf[static_cast<std::size_t>(i)]);
      if (g.dim < 2)
        if (auto it = copies.find(i); it != copies.end()) more.insert(more.end(), it->second.begin(), it->second.end());
    }
    g.items.insert(g.items.end(), more.begin(), more.end());
    std::sort(g.items.begin(), g.items.end());
  }
  return made.size();
}

} // namespace tess
