// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/given_faces.h"
#include "base/edge_key.h"
#include "base/predicates.h"
#include "mesher/surface/mapped_face.h"
#include <unordered_map>
#include <unordered_set>

namespace tess {
namespace {

Problem misfit(const Part& part, const char* code, int face, std::string what) {
  Problem p = Problem::of(code, std::move(what))
                  .by(Fault::Meshing)
                  .firstAt({part.faces[static_cast<std::size_t>(face)].center}, part.unit)
                  .because("faces that are there already do not fit what is made around them")
                  .advise("mesh all bodies anew");
  p.faces = {face};
  return p;
}

/// Rows of quadrilaterals between four sides: each quadrilateral is found by the two nodes before it.
class MappedRows {
public:
  MappedRows(const MappedFace& face, const SurfaceMesh& m, std::size_t firstQuad) {
    for (std::size_t k = firstQuad; k < m.quads.size(); ++k)
      if (m.quads[k].face == face.face)
        for (std::size_t j = 0; j < 4; ++j)
          m_next[directed(m.quads[k].v[j], m.quads[k].v[(j + 1) % 4])] = {m.quads[k].v[(j + 3) % 4],
                                                                          m.quads[k].v[(j + 2) % 4]};
    m_rows.face = face.face;
    m_rows.corners = face.corners;
    const auto bottom = nodesAlong(m, face.sides[0]), right = nodesAlong(m, face.sides[1]),
               top = nodesAlong(m, face.sides[2]);
    m_rows.ni = static_cast<int>(bottom.size()) - 1;
    m_rows.nj = static_cast<int>(right.size()) - 1;
    m_rows.node = bottom;
    for (int j = 1; j <= m_rows.nj && m_good; ++j) addRow(j);
    m_good = m_good && std::equal(top.rbegin(), top.rend(), m_rows.node.end() - (m_rows.ni + 1), m_rows.node.end());
  }
  bool good() const { return m_good; }
  FaceRows take() { return std::move(m_rows); }

private:
  std::unordered_map<std::uint64_t, std::array<int, 2>> m_next; ///< the two nodes across from a directed side
  FaceRows m_rows;
  bool m_good = true;

  static std::uint64_t directed(int a, int b) {
    return static_cast<std::uint64_t>(static_cast<std::uint32_t>(a)) << 32 | static_cast<std::uint32_t>(b);
  }
  void addRow(int j) {
    for (int i = 0; i < m_rows.ni; ++i) {
      const auto it = m_next.find(directed(m_rows.at(i, j - 1), m_rows.at(i + 1, j - 1)));
      m_good = it != m_next.end() && (i == 0 || m_rows.node.back() == it->second[0]);
      if (!m_good) return;
      if (i == 0) m_rows.node.push_back(it->second[0]);
      m_rows.node.push_back(it->second[1]);
    }
  }
};

} // namespace

std::optional<Problem> addGivenFaces(const Part& part, const GivenFaces& given, const MeshPlan& plan, SurfaceMesh& m) {
  std::vector<int> to(given.points.size(), -1);
  std::unordered_set<std::uint64_t> divided;
  for (std::size_t e = 0; e < given.chain.size(); ++e) {
    const auto &want = given.chain[e], &have = m.edgeNodes[e];
    if (want.empty()) continue;
    if (want.size() != have.size())
      return misfit(part, "surface.given", part.edges[e].faces.front(), "an edge cannot be divided as it is");
    for (std::size_t k = 0; k < want.size(); ++k) {
      to[static_cast<std::size_t>(want[k])] = have[k];
      m.points[static_cast<std::size_t>(have[k])] = given.points[static_cast<std::size_t>(want[k])];
      if (k) divided.insert(edgeKey(have[k - 1], have[k]));
    }
  }
  // An inner edge that a face made around them has as well would join four triangles.
  std::unordered_set<std::uint64_t> inner;
  for (const auto& t : m.triangles)
    for (std::size_t k = 0; k < 3; ++k)
      if (const auto key = edgeKey(t[k], t[(k + 1) % 3]); !divided.count(key)) inner.insert(key);
  auto node = [&](int v, int face) {
    int& n = to[static_cast<std::size_t>(v)];
    if (n >= 0) return n;
    n = static_cast<int>(m.points.size());
    m.points.push_back(given.points[static_cast<std::size_t>(v)]);
    m.dim.push_back(Dim::Face);
    m.entity.push_back(face);
    return n;
  };
  auto add = [&](const std::array<int, 3>& t, int face) {
    m.triangles.push_back(t);
    m.face.push_back(face);
  };
  for (std::size_t t = 0; t < given.triangles.size(); ++t) {
    std::array<int, 3> q = given.triangles[t];
    for (int& v : q) v = node(v, given.triangleFace[t]);
    for (std::size_t k = 0; k < 3; ++k)
      if (inner.count(edgeKey(q[k], q[(k + 1) % 3])))
        return misfit(part, "surface.given", given.triangleFace[t],
                      "two faces have an edge between inner nodes in common");
    add(q, given.triangleFace[t]);
  }
  const std::size_t firstQuad = m.quads.size();
  for (SurfaceQuad q : given.quads) {
    for (int& v : q.v) v = node(v, q.face);
    auto at = [&](std::size_t k) -> const Vec3& { return m.points[static_cast<std::size_t>(q.v[k])]; };
    // The diagonal that lies on the tetrahedra's side of the other one: pyramids above it are valid in any case.
    if (plan.faces[static_cast<std::size_t>(q.face)].tetSide * orient3d(at(0), at(1), at(2), at(3)) > 0)
      std::rotate(q.v.begin(), q.v.begin() + 1, q.v.end());
    add({q.v[0], q.v[1], q.v[2]}, q.face);
    add({q.v[0], q.v[2], q.v[3]}, q.face);
    m.quads.push_back(q);
  }
  for (std::size_t f = 0; f < part.faces.size(); ++f) {
    if (!given.face[f] || plan.faces[f].mapped < 0) continue;
    MappedRows rows(plan.mapped[static_cast<std::size_t>(plan.faces[f].mapped)], m, firstQuad);
    if (!rows.good()) return misfit(part, "fill.face", static_cast<int>(f), "the quadrilaterals of a face are no rows");
    m.faceRows.push_back(rows.take());
  }
  return {};
}

} // namespace tess
