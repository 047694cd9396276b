// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/move_node.h"
#include "audit/metrics.h"
#include "mesher/mesher.h"
#include <map>

namespace tess {
namespace {

Problem refused(const std::string& what, const std::string& why, const std::string& todo) {
  Problem p;
  p.fault = Fault::Usage;
  p.code = "node.move";
  p.what = what;
  p.why = why;
  p.todo = todo;
  return p;
}

/// The place nearest to `p` on what a node lies on.
Vec3 onItsShape(const Part& part, const GeometryLink& link, const Vec3& p) {
  if (link.dim == 2 && link.entity >= 0) return part.shape->projectToFace(link.entity, p).point;
  if (link.dim == 1 && link.entity >= 0) return part.shape->projectToEdge(link.entity, p).point;
  return p;
}

bool valid(const Mesh& m, std::size_t cell) {
  const auto n = m.cells.of(cell);
  if (m.cells.type[cell] == ElementType::Tet10) {
    std::array<Vec3, 10> p;
    for (std::size_t i = 0; i < 10; ++i) p[i] = m.nodes[static_cast<std::size_t>(n[i])];
    return quadraticValidity(p) > 0;
  }
  Mesh one;
  std::vector<std::int32_t> ids;
  for (auto v : n) {
    ids.push_back(static_cast<std::int32_t>(one.nodes.size()));
    one.nodes.push_back(m.nodes[static_cast<std::size_t>(v)]);
  }
  one.cells.add(m.cells.type[cell], ids);
  one.cellRegion = {0};
  one.regions = {"one"};
  return computeMetrics(one)[static_cast<std::size_t>(Metric::ScaledJacobian)].min > 0;
}

} // namespace

Result<double> moveNode(Mesh& m, const Part& part, std::int32_t node, const Vec3& to) {
  if (node < 0 || static_cast<std::size_t>(node) >= m.nodes.size())
    return refused("there is no node " + std::to_string(node + 1), "",
                   "nodes count from 1 to " + std::to_string(m.nodes.size()));
  const auto n = static_cast<std::size_t>(node);
  const std::string name = "node " + std::to_string(node + 1);
  const GeometryLink link = n < m.nodeLink.size() ? m.nodeLink[n] : GeometryLink();
  if (!to.allFinite()) return refused("that is no place", "", "write three coordinates");
  if (link.dim == 0)
    return refused(name + " is a corner of the part", "the shape of the part would change", "move another node");
  for (const auto& t : m.twins)
    if (t[0] == node || t[1] == node)
      return refused(name + " lies between two bodies that are kept apart", "both have a node at this place",
                     "move another node");
  std::vector<std::size_t> cells;
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    for (auto v : m.cells.of(c))
      if (v == node) cells.push_back(c);
  std::map<std::int32_t, Vec3> before{{node, m.nodes[n]}};
  const Vec3 goal = onItsShape(part, link, to), way = goal - m.nodes[n];
  m.nodes[n] = goal;
  for (std::size_t c : cells) { // mid nodes of its edges
    if (m.cells.type[c] != ElementType::Tet10) continue;
    const auto& t = topology(ElementType::Tet10);
    const auto q = m.cells.of(c);
    for (std::size_t e = 0; e < 6; ++e) {
      if (q[static_cast<std::size_t>(t.edge[e][0])] != node && q[static_cast<std::size_t>(t.edge[e][1])] != node)
        continue;
      const auto mid = static_cast<std::size_t>(q[4 + e]);
      if (!before.emplace(q[4 + e], m.nodes[mid]).second) continue;
      m.nodes[mid] =
          onItsShape(part, mid < m.nodeLink.size() ? m.nodeLink[mid] : GeometryLink(), m.nodes[mid] + 0.5 * way);
    }
  }
  // Every element with a node that moved.
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    bool touched = false;
    for (auto v : m.cells.of(c)) touched = touched || before.count(v);
    if (!touched || valid(m, c)) continue;
    for (const auto& [v, at] : before) m.nodes[static_cast<std::size_t>(v)] = at;
    return refused("element " + std::to_string(c + 1) + " would be inverted",
                   name + " would go beyond its opposite face, or too near to it", "move it less far");
  }
  return way.norm();
}

} // namespace tess
