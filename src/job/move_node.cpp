// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/move_node.h"
#include "mesh/jacobian.h"
#include <map>

namespace tess {
namespace {

Problem refused(const std::string& what, const std::string& why, const std::string& todo) {
  return Problem::of("node.move", what).by(Fault::Usage).because(why).advise(todo);
}

/// The place nearest to `p` on what a node lies on.
Vec3 onItsShape(const Part& part, const GeometryLink& link, const Vec3& p) {
  if (link.dim == 2 && link.entity >= 0) return part.shape->projectToFace(link.entity, p).point;
  if (link.dim == 1 && link.entity >= 0) return part.shape->projectToEdge(link.entity, p).point;
  return p;
}

bool valid(const Mesh& m, std::size_t cell) {
  if (m.cells.type[cell] == ElementType::Polyhedron) return facesLookOut(m, cell);
  std::vector<Vec3> p;
  for (auto v : m.cells.of(cell)) p.push_back(m.nodes[static_cast<std::size_t>(v)]);
  return jacobianRange(m.cells.type[cell], p).least > 0;
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
    const auto q = m.cells.of(c);
    m.cells.forEdges(c, [&](int a, int b, int k) {
      if (k < 0 || (q[static_cast<std::size_t>(a)] != node && q[static_cast<std::size_t>(b)] != node)) return;
      const auto mid = static_cast<std::size_t>(q[static_cast<std::size_t>(k)]);
      if (!before.emplace(static_cast<std::int32_t>(mid), m.nodes[mid]).second) return;
      m.nodes[mid] =
          onItsShape(part, mid < m.nodeLink.size() ? m.nodeLink[mid] : GeometryLink(), m.nodes[mid] + 0.5 * way);
    });
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
