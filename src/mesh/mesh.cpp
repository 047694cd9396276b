// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/mesh.h"
#include "mesh/cell_faces.h"
#include <map>
#include <unordered_map>

namespace tess {
namespace {

/// Keast-type rule for cubics on the tetrahedron: 5 points are not enough for the curved Jacobian (degree 3), which
/// the 4-corner + 4-face-centre rule integrates exactly: weights 1/40 and 9/40.
double tet10Volume(const Mesh& m, std::span<const std::int32_t> n) {
  static const double corners[4][4] = {{1, 0, 0, 0}, {0, 1, 0, 0}, {0, 0, 1, 0}, {0, 0, 0, 1}};
  static const auto& edges = topology(ElementType::Tet10).edge;
  auto jac = [&](const double l[4]) {
    Vec3 d[4];
    for (int i = 0; i < 4; ++i)
      d[i] = (4 * l[i] - 1) * m.nodes[static_cast<std::size_t>(n[static_cast<std::size_t>(i)])];
    for (std::size_t e = 0; e < 6; ++e) {
      auto a = static_cast<std::size_t>(edges[e][0]), b = static_cast<std::size_t>(edges[e][1]);
      const Vec3& p = m.nodes[static_cast<std::size_t>(n[4 + e])];
      d[a] += 4 * l[b] * p;
      d[b] += 4 * l[a] * p;
    }
    return (d[1] - d[0]).cross(d[2] - d[0]).dot(d[3] - d[0]);
  };
  double v = 0;
  for (int i = 0; i < 4; ++i) {
    v += jac(corners[i]) / 40;
    double f[4] = {1.0 / 3, 1.0 / 3, 1.0 / 3, 1.0 / 3};
    f[i] = 0;
    v += jac(f) * 9 / 40;
  }
  return v / 6;
}

} // namespace

double cellVolume(const Mesh& m, std::size_t c) {
  auto n = m.cells.of(c);
  auto p = [&](int i) -> const Vec3& { return m.nodes[static_cast<std::size_t>(n[static_cast<std::size_t>(i)])]; };
  ElementType type = m.cells.type[c];
  if (type == ElementType::Tet4) return tetVolume(p(0), p(1), p(2), p(3));
  if (type == ElementType::Tet10) return tet10Volume(m, n);
  // Divergence theorem over the faces; quads as the mean of both splits.
  const auto& t = topology(type);
  Vec3 o = p(0);
  double v = 0;
  for (int f = 0; f < t.faces; ++f) {
    const auto& q = t.face[static_cast<std::size_t>(f)];
    Vec3 a = p(q[0]) - o, b = p(q[1]) - o, d = p(q[2]) - o;
    if (q[3] < 0)
      v += a.dot(b.cross(d)) / 6;
    else {
      Vec3 e = p(q[3]) - o;
      v += (a.dot(b.cross(d)) + a.dot(d.cross(e)) + a.dot(b.cross(e)) + b.dot(d.cross(e))) / 12;
    }
  }
  return v;
}

double faceArea(const Mesh& m, std::size_t f) {
  auto n = m.faces.of(f);
  auto p = [&](int i) -> const Vec3& { return m.nodes[static_cast<std::size_t>(n[static_cast<std::size_t>(i)])]; };
  switch (m.faces.type[f]) {
  case ElementType::Tri3:
    return triangleArea(p(0), p(1), p(2));
  case ElementType::Tri6: { // 7-point rule of degree 5 (Radon 1948)
    double area = 0;
    auto at = [&](double a, double b, double c, double w) {
      Vec3 da = (4 * a - 1) * p(0) + 4 * b * p(3) + 4 * c * p(5);
      Vec3 db = (4 * b - 1) * p(1) + 4 * a * p(3) + 4 * c * p(4);
      Vec3 dc = (4 * c - 1) * p(2) + 4 * b * p(4) + 4 * a * p(5);
      area += 0.5 * w * (db - da).cross(dc - da).norm();
    };
    const double a1 = 0.059715871789770, b1 = 0.470142064105115, w1 = 0.132394152788506;
    const double a2 = 0.797426985353087, b2 = 0.101286507323456, w2 = 0.125939180544827;
    at(1.0 / 3, 1.0 / 3, 1.0 / 3, 0.225);
    at(a1, b1, b1, w1), at(b1, a1, b1, w1), at(b1, b1, a1, w1);
    at(a2, b2, b2, w2), at(b2, a2, b2, w2), at(b2, b2, a2, w2);
    return area;
  }
  default:
    return 0.5 * (triangleArea(p(0), p(1), p(2)) + triangleArea(p(0), p(2), p(3)) + triangleArea(p(0), p(1), p(3)) +
                  triangleArea(p(1), p(2), p(3)));
  }
}

double meshVolume(const Mesh& m) {
  double v = 0;
  for (std::size_t c = 0; c < m.cells.size(); ++c) v += cellVolume(m, c);
  return v;
}

std::vector<std::array<std::int32_t, 2>> facesInCells(const Mesh& m) {
  std::unordered_map<FaceKey, std::vector<std::int32_t>, FaceKeyHash> at;
  at.reserve(m.faces.size() * 2);
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    auto n = m.faces.of(f);
    at[faceKey(n.data(), topology(m.faces.type[f]).corners)].push_back(static_cast<std::int32_t>(f));
  }
  std::vector<std::array<std::int32_t, 2>> r(m.faces.size(), {-1, -1});
  std::vector<char> onFace(m.nodes.size(), 0); // most faces of cells lie inside: they need no search
  for (std::size_t f = 0; f < m.faces.size(); ++f)
    for (auto n : m.faces.of(f)) onFace[static_cast<std::size_t>(n)] = 1;
  forEachCellFace(m, [&](std::size_t c, int f, const FaceKey& key, const std::int32_t* v, int k) {
    for (int i = 0; i < k; ++i)
      if (!onFace[static_cast<std::size_t>(v[i])]) return;
    auto it = at.find(key);
    if (it == at.end()) return;
    for (std::int32_t face : it->second) {
      auto n = m.faces.of(static_cast<std::size_t>(face));
      int corners = topology(m.faces.type[static_cast<std::size_t>(face)]).corners;
      if (corners != k) continue;
      // The face's normal leaves the cell behind it: same cyclic order as the cell's own outward face.
      int s = -1;
      for (int i = 0; i < k; ++i)
        if (n[static_cast<std::size_t>(i)] == v[0]) s = i;
      if (s < 0 || n[static_cast<std::size_t>((s + 1) % k)] != v[1] || n[static_cast<std::size_t>((s + 2) % k)] != v[2])
        continue;
      if (r[static_cast<std::size_t>(face)][0] < 0)
        r[static_cast<std::size_t>(face)] = {static_cast<std::int32_t>(c), f};
    }
  });
  return r;
}

void rebuildFaces(Mesh& m) {
  const Neighbours near = cellNeighbours(m);
  m.faces = {};
  m.faceRegions.clear();
  m.faceLink.clear();
  forEachCellFace(m, [&](std::size_t c, int f, const FaceKey&, const std::int32_t* v, int k) {
    const std::int32_t other = near.cell[near.start[c] + static_cast<std::uint32_t>(f)];
    const std::int32_t front = other >= 0 ? m.cellRegion[static_cast<std::size_t>(other)] : -1;
    // A face between regions belongs to the first of its cells.
    if (other >= 0 && (other < static_cast<std::int32_t>(c) || front == m.cellRegion[c])) return;
    std::vector<std::int32_t> n(v, v + k);
    ElementType type = k == 3 ? ElementType::Tri3 : ElementType::Quad4;
    if (m.cells.type[c] == ElementType::Tet10) {
      const auto& t = topology(ElementType::Tet10);
      auto cn = m.cells.of(c);
      type = ElementType::Tri6;
      for (int i = 0; i < 3; ++i)
        for (int e = 0; e < 6; ++e) {
          std::int32_t a = cn[static_cast<std::size_t>(t.edge[static_cast<std::size_t>(e)][0])],
                       b = cn[static_cast<std::size_t>(t.edge[static_cast<std::size_t>(e)][1])];
          std::int32_t p = v[i], q = v[(i + 1) % 3];
          if ((a == p && b == q) || (a == q && b == p)) n.push_back(cn[static_cast<std::size_t>(4 + e)]);
        }
    }
    m.faces.add(type, n);
    m.faceRegions.push_back({m.cellRegion[c], front});
    m.faceLink.push_back(-1);
  });
}

} // namespace tess
