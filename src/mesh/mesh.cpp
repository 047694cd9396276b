// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/mesh.h"
#include "base/parallel.h"
#include "mesh/cell_faces.h"
#include "mesh/jacobian.h"
#include <cmath>
#include <numeric>
#include <unordered_map>

namespace tess {
namespace {

/// Calls visit(point, normal, weight) at the points of a rule of degree 5 with 7 points (Radon 1948) on a curved
/// triangle; the normal is as long as the Jacobian.
template <class V> void eachTri6Point(std::span<const Vec3> p, V&& visit) {
  auto at = [&](double a, double b, double c, double w) {
    const Vec3 x = a * (2 * a - 1) * p[0] + b * (2 * b - 1) * p[1] + c * (2 * c - 1) * p[2] + 4 * a * b * p[3] +
                   4 * b * c * p[4] + 4 * c * a * p[5];
    const Vec3 da = (4 * a - 1) * p[0] + 4 * b * p[3] + 4 * c * p[5];
    const Vec3 db = (4 * b - 1) * p[1] + 4 * a * p[3] + 4 * c * p[4];
    const Vec3 dc = (4 * c - 1) * p[2] + 4 * b * p[4] + 4 * a * p[5];
    visit(x, Vec3((db - da).cross(dc - da)), 0.5 * w);
  };
  const double a1 = 0.059715871789770, b1 = 0.470142064105115, w1 = 0.132394152788506;
  const double a2 = 0.797426985353087, b2 = 0.101286507323456, w2 = 0.125939180544827;
  at(1.0 / 3, 1.0 / 3, 1.0 / 3, 0.225);
  at(a1, b1, b1, w1), at(b1, a1, b1, w1), at(b1, b1, a1, w1);
  at(a2, b2, b2, w2), at(b2, a2, b2, w2), at(b2, b2, a2, w2);
}

/// The same on a curved quadrilateral, by Gauss's rule of 3 x 3 points, which is of degree 5 in each direction.
template <class V> void eachQuad8Point(std::span<const Vec3> p, V&& visit) {
  static const double g[3] = {-std::sqrt(0.6), 0, std::sqrt(0.6)}, w[3] = {5.0 / 9, 8.0 / 9, 5.0 / 9};
  static const double at[4][2] = {{-1, -1}, {1, -1}, {1, 1}, {-1, 1}};
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j) {
      const double u = g[i], v = g[j];
      Vec3 x = Vec3::Zero(), du = Vec3::Zero(), dv = Vec3::Zero();
      for (std::size_t k = 0; k < 4; ++k) {
        const double a = at[k][0], b = at[k][1];
        x += 0.25 * (1 + a * u) * (1 + b * v) * (a * u + b * v - 1) * p[k];
        du += 0.25 * a * (1 + b * v) * (2 * a * u + b * v) * p[k];
        dv += 0.25 * b * (1 + a * u) * (2 * b * v + a * u) * p[k];
        const Vec3& mid = p[4 + k]; // between corners k and k + 1: along u for the first and third
        const double side = k == 0 || k == 3 ? -1 : 1;
        if (k % 2 == 0) {
          x += 0.5 * (1 - u * u) * (1 + side * v) * mid;
          du += -u * (1 + side * v) * mid;
          dv += 0.5 * side * (1 - u * u) * mid;
        } else {
          x += 0.5 * (1 - v * v) * (1 + side * u) * mid;
          du += 0.5 * side * (1 - v * v) * mid;
          dv += -v * (1 + side * u) * mid;
        }
      }
      visit(x, Vec3(du.cross(dv)), w[i] * w[j]);
    }
}

} // namespace

void ElementBlock::addPolyhedron(std::span<const std::vector<std::int32_t>> faces) {
  if (poly.row.empty()) poly.row.assign(type.size(), -1);
  poly.row.push_back(static_cast<std::int32_t>(poly.start.size()) - 1);
  type.push_back(ElementType::Polyhedron);
  const std::size_t first = nodes.size();
  std::unordered_map<std::int32_t, std::int32_t> place;
  for (const auto& f : faces) {
    for (auto n : f) {
      const auto [it, fresh] = place.emplace(n, static_cast<std::int32_t>(nodes.size() - first));
      if (fresh) nodes.push_back(n);
      poly.corner.push_back(it->second);
    }
    poly.ring.push_back(static_cast<std::uint32_t>(poly.corner.size()));
  }
  poly.start.push_back(static_cast<std::uint32_t>(poly.ring.size() - 1));
  start.push_back(static_cast<std::uint32_t>(nodes.size()));
}

void ElementBlock::addLike(const ElementBlock& from, std::size_t e, std::span<const std::int32_t> n) {
  if (from.type[e] != ElementType::Polyhedron) return add(from.type[e], n);
  if (poly.row.empty()) poly.row.assign(type.size(), -1);
  poly.row.push_back(static_cast<std::int32_t>(poly.start.size()) - 1);
  type.push_back(ElementType::Polyhedron);
  nodes.insert(nodes.end(), n.begin(), n.end());
  start.push_back(static_cast<std::uint32_t>(nodes.size()));
  for (std::size_t f = 0; f < from.faceCount(e); ++f) {
    const auto q = from.faceCorners(e, f);
    poly.corner.insert(poly.corner.end(), q.begin(), q.end());
    poly.ring.push_back(static_cast<std::uint32_t>(poly.corner.size()));
  }
  poly.start.push_back(static_cast<std::uint32_t>(poly.ring.size() - 1));
}

double faceFlux(std::span<const Vec3> p, const Vec3& o, ElementType type) {
  double v = 0;
  switch (type) {
  case ElementType::Tri3:
    return (p[0] - o).dot((p[1] - o).cross(p[2] - o)) / 6;
  case ElementType::Quad4: {
    const Vec3 a = p[0] - o, b = p[1] - o, d = p[2] - o, e = p[3] - o;
    return (a.dot(b.cross(d)) + a.dot(d.cross(e)) + a.dot(b.cross(e)) + b.dot(d.cross(e))) / 12;
  }
  case ElementType::Tri6:
    eachTri6Point(p, [&](const Vec3& x, const Vec3& n, double w) { v += w * (x - o).dot(n) / 3; });
    return v;
  case ElementType::Quad8:
    eachQuad8Point(p, [&](const Vec3& x, const Vec3& n, double w) { v += w * (x - o).dot(n) / 3; });
    return v;
  default: {
    Vec3 mid = Vec3::Zero();
    for (const Vec3& x : p) mid += x / static_cast<double>(p.size());
    for (std::size_t i = 0; i < p.size(); ++i) v += (mid - o).dot((p[i] - o).cross(p[(i + 1) % p.size()] - o)) / 6;
    return v;
  }
  }
}

double cellVolume(const Mesh& m, std::size_t c) {
  auto n = m.cells.of(c);
  auto at = [&](std::int32_t i) -> const Vec3& {
    return m.nodes[static_cast<std::size_t>(n[static_cast<std::size_t>(i)])];
  };
  const auto& t = m.cells.shape(c);
  if (t.type == ElementType::Tet4) return tetVolume(at(0), at(1), at(2), at(3));
  if (t.type == ElementType::Tet10) {
    std::array<Vec3, 10> p;
    for (std::int32_t i = 0; i < 10; ++i) p[static_cast<std::size_t>(i)] = at(i);
    const auto b = tet10Jacobian(p);
    return std::accumulate(b.begin(), b.end(), 0.0) / 120;
  }
  const Vec3 o = at(0);
  double v = 0;
  if (t.order == 1) {
    std::array<Vec3, 4> few;
    std::vector<Vec3> many;
    for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
      const auto q = m.cells.faceCorners(c, f);
      if (q.size() <= 4) {
        for (std::size_t i = 0; i < q.size(); ++i) few[i] = at(q[i]);
        v += faceFlux({few.data(), q.size()}, o, faceType(q.size(), 1));
        continue;
      }
      many.clear();
      for (auto i : q) many.push_back(at(i));
      v += faceFlux(many, o, ElementType::Polygon);
    }
    return v;
  }
  for (std::size_t f = 0; f < static_cast<std::size_t>(t.faces); ++f) {
    const auto k = static_cast<std::size_t>(t.faceSize[f]);
    std::array<Vec3, 8> p;
    for (std::size_t i = 0; i < k; ++i) {
      p[i] = at(t.face[f][i]);
      p[k + i] = at(t.corners + t.faceEdge[f][i]);
    }
    v += faceFlux({p.data(), 2 * k}, o, faceType(k, 2));
  }
  return v;
}

double faceArea(const Mesh& m, std::size_t f) {
  std::vector<Vec3> p;
  for (auto n : m.faces.of(f)) p.push_back(m.nodes[static_cast<std::size_t>(n)]);
  double area = 0;
  switch (m.faces.type[f]) {
  case ElementType::Tri3:
    return triangleArea(p[0], p[1], p[2]);
  case ElementType::Tri6:
    eachTri6Point(p, [&](const Vec3&, const Vec3& n, double w) { area += w * n.norm(); });
    return area;
  case ElementType::Quad8:
    eachQuad8Point(p, [&](const Vec3&, const Vec3& n, double w) { area += w * n.norm(); });
    return area;
  case ElementType::Quad4:
    return 0.5 * (triangleArea(p[0], p[1], p[2]) + triangleArea(p[0], p[2], p[3]) + triangleArea(p[0], p[1], p[3]) +
                  triangleArea(p[1], p[2], p[3]));
  default: {
    Vec3 mid = Vec3::Zero();
    for (const Vec3& x : p) mid += x / static_cast<double>(p.size());
    for (std::size_t i = 0; i < p.size(); ++i) area += triangleArea(mid, p[i], p[(i + 1) % p.size()]);
    return area;
  }
  }
}

Vec3 cellCenter(const Mesh& m, std::size_t c) {
  Vec3 s(0, 0, 0);
  const auto corners = m.cells.corners(c);
  for (auto n : corners) s += m.nodes[static_cast<std::size_t>(n)];
  return s / static_cast<double>(corners.size());
}

Orders ordersOf(const Mesh& m) {
  Orders o;
  for (auto t : m.cells.type) (topology(t).order == 2 ? o.quadratic : o.linear) = true;
  return o;
}
std::vector<std::int32_t> midNodesOf(const Mesh& m) {
  std::vector<char> is(m.nodes.size(), 0);
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    if (m.cells.shape(c).order == 2)
      for (auto n : m.cells.of(c).subspan(m.cells.cornerCount(c))) is[static_cast<std::size_t>(n)] = 1;
  std::vector<std::int32_t> r;
  for (std::size_t n = 0; n < is.size(); ++n)
    if (is[n]) r.push_back(static_cast<std::int32_t>(n));
  return r;
}
std::string orderText(const Orders& o) { return o.mixed() ? "1 and 2" : o.quadratic ? "2" : "1"; }

double meshVolume(const Mesh& m) {
  constexpr std::size_t kStretch = 16384; // always the same, so that the sum is the same on any number of cores
  std::vector<double> part((m.cells.size() + kStretch - 1) / kStretch, 0);
  parallelFor(
      part.size(), nullptr,
      [&](std::size_t s) {
        for (std::size_t c = s * kStretch; c < std::min(m.cells.size(), (s + 1) * kStretch); ++c)
          part[s] += cellVolume(m, c);
      },
      1);
  return std::accumulate(part.begin(), part.end(), 0.0);
}

std::vector<std::array<std::int32_t, 2>> facesInCells(const Mesh& m) {
  std::unordered_map<FaceKey, std::vector<std::int32_t>, FaceKeyHash> at;
  at.reserve(m.faces.size() * 2);
  for (std::size_t f = 0; f < m.faces.size(); ++f)
    at[faceKey(m.faces.corners(f))].push_back(static_cast<std::int32_t>(f));
  std::vector<std::array<std::int32_t, 2>> r(m.faces.size(), {-1, -1});
  std::vector<char> onFace(m.nodes.size(), 0); // most faces of cells lie inside: they need no search
  for (std::size_t f = 0; f < m.faces.size(); ++f)
    for (auto n : m.faces.of(f)) onFace[static_cast<std::size_t>(n)] = 1;
  forEachCellFace(m, [&](std::size_t c, int f, const FaceKey& key, std::span<const std::int32_t> v) {
    for (auto i : v)
      if (!onFace[static_cast<std::size_t>(i)]) return;
    auto it = at.find(key);
    if (it == at.end()) return;
    for (std::int32_t face : it->second) // the face's normal leaves the cell behind it
      if (auto& cell = r[static_cast<std::size_t>(face)];
          cell[0] < 0 && sameRing(v, m.faces.corners(static_cast<std::size_t>(face))))
        cell = {static_cast<std::int32_t>(c), f};
  });
  return r;
}

void rebuildFaces(Mesh& m) {
  const Neighbours near = cellNeighbours(m);
  m.faces = {};
  m.faceRegions.clear();
  m.faceLink.clear();
  std::vector<std::int32_t> n;
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
      const std::int32_t other = near.cell[near.start[c] + f];
      const std::int32_t front = other >= 0 ? m.cellRegion[static_cast<std::size_t>(other)] : -1;
      // A face between regions belongs to the first of its cells.
      if (other >= 0 && (other < static_cast<std::int32_t>(c) || front == m.cellRegion[c])) continue;
      m.cells.faceNodes(c, f, n);
      m.faces.add(faceType(m.cells.faceCorners(c, f).size(), m.cells.shape(c).order), n);
      m.faceRegions.push_back({m.cellRegion[c], front});
      m.faceLink.push_back(-1);
    }
}

} // namespace tess
