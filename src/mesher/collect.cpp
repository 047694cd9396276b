// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/collect.h"

namespace tess {
namespace {

class Collector {
public:
  Collector(const TetCore& core, const SurfaceMesh& surface, const Part& part)
      : m_core(core), m_surface(surface), m_part(part), m_to(core.points.size(), -1) {
    m.unit = part.unit;
    for (const auto& b : part.bodies) m.regions.push_back(b.wholeName());
  }

  void faces() {
    const std::vector<char> halves = m_surface.halves();
    for (std::size_t i = 0; i < m_surface.triangles.size(); ++i)
      if (const auto& t = m_surface.triangles[i]; !halves[i]) face({t[0], t[1], t[2], -1}, m_surface.face[i]);
    for (const auto& q : m_surface.quads) face(q.v, q.face);
  }

  void cells(const std::vector<Joint>& joints, const std::vector<BodyCells>& structured, const Progress& progress) {
    std::vector<char> half(joints.empty() ? 0 : m_core.tets.size(), 0);
    for (const auto& j : joints) {
      const int tf = m_core.findFace(j.base[0], j.base[2], j.apex);
      for (int side : {tf, m_core.at(tf >> 2).n[tf & 3]}) half[static_cast<std::size_t>(side >> 2)] = 1;
    }
    std::vector<std::vector<int>> ofBody(m_part.bodies.size());
    for (int t = 0; t < static_cast<int>(m_core.tets.size()); ++t)
      if (m_core.alive(t) && m_core.region[static_cast<std::size_t>(t)] >= 0 &&
          (half.empty() || !half[static_cast<std::size_t>(t)]))
        ofBody[static_cast<std::size_t>(m_core.region[static_cast<std::size_t>(t)])].push_back(t);
    progress.check();
    for (std::size_t r = 0; r < ofBody.size(); ++r) {
      const auto body = static_cast<std::int32_t>(r);
      for (int t : ofBody[r]) {
        if ((m.cells.size() & 0xffff) == 0) progress.check();
        std::array<std::int32_t, 4> q;
        for (std::size_t k = 0; k < 4; ++k) q[k] = node(m_core.at(t).v[k]);
        m.cells.add(ElementType::Tet4, q);
        m.cellRegion.push_back(body);
      }
      for (const auto& j : joints) {
        if (j.body != body) continue;
        std::array<std::int32_t, 5> q;
        for (std::size_t k = 0; k < 4; ++k) q[k] = node(j.base[k]);
        q[4] = node(j.apex);
        m.cells.add(ElementType::Pyramid5, q);
        m.cellRegion.push_back(body);
      }
      for (const auto& s : structured)
        if (s.body == body) layered(s);
    }
    if (!m.cellLayer.empty()) m.cellLayer.resize(m.cells.size(), 0);
  }

  const std::vector<std::int32_t>& nodes() const { return m_to; }
  Mesh take() { return std::move(m); }

private:
  const TetCore& m_core;
  const SurfaceMesh& m_surface;
  const Part& m_part;
  Mesh m;
  std::vector<std::int32_t> m_to;

  std::int32_t node(int v) {
    std::int32_t& id = m_to[static_cast<std::size_t>(v)];
    if (id >= 0) return id;
    id = static_cast<std::int32_t>(m.nodes.size());
    m.nodes.push_back(m_core.points[static_cast<std::size_t>(v)]);
    const bool onSurface =
        static_cast<std::size_t>(v) < m_surface.dim.size() && m_surface.dim[static_cast<std::size_t>(v)] != Dim::Body;
    m.nodeLink.push_back(onSurface ? GeometryLink{static_cast<std::int8_t>(m_surface.dim[static_cast<std::size_t>(v)]),
                                                  m_surface.entity[static_cast<std::size_t>(v)]}
                                   : GeometryLink{});
    return id;
  }

  void face(const std::array<int, 4>& v, int link) {
    const std::size_t corners = v[3] < 0 ? 3 : 4;
    std::array<std::int32_t, 4> q{};
    for (std::size_t k = 0; k < corners; ++k) q[k] = node(v[k]);
    const auto& b = m_part.faces[static_cast<std::size_t>(link)].bodies;
    std::array<std::int32_t, 2> regions{b[0], b[1]};
    if (b[0] < 0) { // cannot happen by construction of parts; keep the rule that a region lies behind
      std::swap(q[1], q[corners - 1]);
      std::swap(regions[0], regions[1]);
    }
    m.faces.add(corners == 3 ? ElementType::Tri3 : ElementType::Quad4, std::span(q.data(), corners));
    m.faceLink.push_back(link);
    m.faceRegions.push_back(regions);
  }

  void layered(const BodyCells& s) {
    std::vector<std::int32_t> own(s.cells.points.size(), -1);
    std::size_t count = 0;
    auto add = [&](ElementType type, const auto& cell) {
      std::array<std::int32_t, 8> q{};
      for (std::size_t k = 0; k < cell.size(); ++k) {
        if (cell[k] < s.base) {
          q[k] = node(cell[k]);
          continue;
        }
        auto& id = own[static_cast<std::size_t>(cell[k] - s.base)];
        if (id < 0) {
          id = static_cast<std::int32_t>(m.nodes.size());
          m.nodes.push_back(s.cells.points[static_cast<std::size_t>(cell[k] - s.base)]);
          m.nodeLink.push_back({});
        }
        q[k] = id;
      }
      if (!s.cells.layer.empty()) {
        m.cellLayer.resize(m.cells.size(), 0);
        m.cellLayer.push_back(s.cells.layer[count++]);
      }
      m.cells.add(type, std::span(q.data(), cell.size()));
      m.cellRegion.push_back(s.body);
    };
    for (const auto& h : s.cells.hexahedra) add(ElementType::Hex8, h);
    for (const auto& w : s.cells.wedges) add(ElementType::Wedge6, w);
    for (const auto& p : s.cells.pyramids) add(ElementType::Pyramid5, p);
    for (const auto& t : s.cells.tetrahedra) add(ElementType::Tet4, t);
  }
};

} // namespace

Mesh collect(const TetCore& core, const SurfaceMesh& surface, const std::vector<Joint>& joints,
             const std::vector<BodyCells>& structured, const Part& part, const Progress& progress,
             std::vector<std::int32_t>* nodeOf) {
  Collector c(core, surface, part);
  c.faces();
  c.cells(joints, structured, progress);
  if (nodeOf) *nodeOf = c.nodes();
  return c.take();
}

} // namespace tess
