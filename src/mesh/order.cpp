// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/order.h"
#include <algorithm>
#include <unordered_map>

namespace tess {
namespace {

Problem refused(const std::string& what, const Vec3& at, const std::string& unit, const std::string& why,
                const std::string& todo) {
  return Problem::of("mesh.order", what).by(Fault::Usage).firstAt({at}, unit).because(why).advise(todo);
}

} // namespace

std::optional<Problem> changeOrder(Mesh& mesh, int order, const std::vector<char>& only) {
  auto chosen = [&](std::size_t c) { return only.empty() || only[c]; };
  // Order of every edge after the change, and mid nodes that are there already.
  std::unordered_map<std::uint64_t, int> orderOf;
  std::unordered_map<std::uint64_t, std::int32_t> mid;
  for (std::size_t c = 0; c < mesh.cells.size(); ++c) {
    const auto& t = topology(mesh.cells.type[c]);
    if (chosen(c) && !typeOfOrder(t.type, order))
      return refused("elements of type " + std::string(t.name) + " cannot change their order", cellCenter(mesh, c),
                     mesh.unit, "cells of any number of faces have no mid nodes in any format",
                     "choose the other elements only");
    int to = chosen(c) ? order : t.order;
    auto q = mesh.cells.of(c);
    std::optional<Problem> problem;
    mesh.cells.forEdges(c, [&](int a, int b, int m) {
      const auto k = edgeKey(q[static_cast<std::size_t>(a)], q[static_cast<std::size_t>(b)]);
      auto [it, fresh] = orderOf.emplace(k, to);
      if (!fresh && it->second != to && !problem)
        problem = refused("the chosen elements end at elements of another order", cellCenter(mesh, c), mesh.unit,
                          "a mid node there would be missing in the element beside it",
                          "choose whole regions that share no nodes with others, or all elements");
      if (m >= 0) mid[k] = q[static_cast<std::size_t>(m)];
    });
    if (problem) return problem;
  }
  auto changed = [&](const ElementBlock& from, auto&& target) {
    ElementBlock out;
    std::vector<std::int32_t> n;
    for (std::size_t c = 0; c < from.size(); ++c) {
      const auto& t = topology(from.type[c]);
      auto q = from.of(c);
      ElementType to = target(c);
      if (to == t.type) {
        out.addLike(from, c, q);
        continue;
      }
      n.assign(q.begin(), q.begin() + t.corners);
      if (topology(to).order == 2)
        for (int e = 0; e < t.edges; ++e) {
          auto a = n[static_cast<std::size_t>(t.edge[static_cast<std::size_t>(e)][0])],
               b = n[static_cast<std::size_t>(t.edge[static_cast<std::size_t>(e)][1])];
          auto [it, fresh] = mid.emplace(edgeKey(a, b), static_cast<std::int32_t>(mesh.nodes.size()));
          if (fresh) {
            mesh.nodes.push_back(0.5 *
                                 (mesh.nodes[static_cast<std::size_t>(a)] + mesh.nodes[static_cast<std::size_t>(b)]));
            if (!mesh.nodeLink.empty()) mesh.nodeLink.push_back({});
          }
          n.push_back(it->second);
        }
      out.add(to, n);
    }
    return out;
  };
  mesh.cells = changed(mesh.cells, [&](std::size_t c) {
    return chosen(c) ? *typeOfOrder(mesh.cells.type[c], order) : mesh.cells.type[c];
  });
  mesh.faces = changed(mesh.faces, [&](std::size_t f) {
    auto q = mesh.faces.of(f);
    auto it = orderOf.find(edgeKey(q[0], q[1]));
    auto to = typeOfOrder(mesh.faces.type[f], it == orderOf.end() ? order : it->second);
    return to ? *to : mesh.faces.type[f];
  });
  // Mid nodes of edges that lie on both sides of a separate pair are twins as their ends are.
  if (!mesh.twins.empty()) {
    std::unordered_map<std::int32_t, std::vector<std::int32_t>> copies;
    for (const auto& t : mesh.twins) copies[t[0]].push_back(t[1]);
    auto sidesOf = [&](std::int32_t n) {
      std::vector<std::int32_t> r{n};
      if (auto it = copies.find(n); it != copies.end()) r.insert(r.end(), it->second.begin(), it->second.end());
      return r;
    };
    for (const auto& [key, m] : mid)
      for (auto a : sidesOf(static_cast<std::int32_t>(key >> 32)))
        for (auto b : sidesOf(static_cast<std::int32_t>(key & 0xffffffffu)))
          if (auto it = mid.find(edgeKey(a, b)); it != mid.end() && it->second != m)
            mesh.twins.push_back({m, it->second});
    std::sort(mesh.twins.begin(), mesh.twins.end());
    mesh.twins.erase(std::unique(mesh.twins.begin(), mesh.twins.end()), mesh.twins.end());
  }
  // Nodes that no element uses any more go; node sets lose them.
  std::vector<std::int32_t> to(mesh.nodes.size(), -1);
  for (auto n : mesh.cells.nodes) to[static_cast<std::size_t>(n)] = 0;
  std::size_t kept = 0;
  for (std::size_t n = 0; n < to.size(); ++n) {
    if (to[n] < 0) continue;
    to[n] = static_cast<std::int32_t>(kept);
    mesh.nodes[kept] = mesh.nodes[n];
    if (!mesh.nodeLink.empty()) mesh.nodeLink[kept] = mesh.nodeLink[n];
    ++kept;
  }
  mesh.nodes.resize(kept);
  if (!mesh.nodeLink.empty()) mesh.nodeLink.resize(kept);
  for (ElementBlock* elements : {&mesh.cells, &mesh.faces})
    for (auto& n : elements->nodes) n = to[static_cast<std::size_t>(n)];
  std::vector<std::array<std::int32_t, 2>> twins;
  for (const auto& t : mesh.twins) {
    auto a = to[static_cast<std::size_t>(t[0])], b = to[static_cast<std::size_t>(t[1])];
    if (a >= 0 && b >= 0) twins.push_back({a, b});
  }
  mesh.twins = std::move(twins);
  for (auto& g : mesh.groups) {
    if (g.dim > 1) continue;
    std::vector<std::int32_t> items;
    for (auto n : g.items)
      if (to[static_cast<std::size_t>(n)] >= 0) items.push_back(to[static_cast<std::size_t>(n)]);
    g.items = std::move(items);
  }
  return {};
}

} // namespace tess
