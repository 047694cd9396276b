// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/cell_shapes.h"
#include <cmath>
#include <limits>
#include <type_traits>

namespace tess {
namespace {

constexpr double kLargest = std::numeric_limits<double>::max();

/// Of the element from its faces as flow solvers do: pyramids over the mean of the face centres.
Lanes3 centreOf(const FaceShape* faces, std::size_t count) {
  Lanes3 middle = faces[0].centre;
  for (std::size_t f = 1; f < count; ++f) middle = middle + faces[f].centre;
  middle = (1.0 / static_cast<double>(count)) * middle;
  Lanes3 sum{Lanes::Zero(), Lanes::Zero(), Lanes::Zero()};
  Lanes volume = Lanes::Zero();
  for (std::size_t f = 0; f < count; ++f) {
    const Lanes v = dot(faces[f].area, faces[f].centre - middle); // three times the pyramid's
    sum = sum + v * (0.75 * faces[f].centre + 0.25 * middle);
    volume += v;
  }
  const Lanes scale = volume.abs().max(1e-300).inverse() * volume.sign();
  const LaneMask flat = volume.abs() < 1e-300;
  const Lanes3 c = scale * sum;
  return choose(flat, middle, c);
}

/// Bernstein coefficients of the Jacobian of a trilinear hexahedron: each derivative is the edge vectors' bilinear
/// mean, so that a coefficient is a mean of products of three edges (Johnen, Weill & Remacle 2017).
void hexJacobian(const std::array<Lanes3, 8>& p, Lanes& least, Lanes& most) {
  auto at = [&](int i, int j, int k) -> const Lanes3& {
    static constexpr std::size_t number[2][2][2] = {{{0, 4}, {3, 7}}, {{1, 5}, {2, 6}}};
    return p[number[i][j][k]];
  };
  Lanes3 a[2][2], b[2][2], c[2][2]; // edges along the three directions
  for (int s = 0; s < 2; ++s)
    for (int t = 0; t < 2; ++t) {
      a[s][t] = at(1, s, t) - at(0, s, t);
      b[s][t] = at(s, 1, t) - at(s, 0, t);
      c[s][t] = at(s, t, 1) - at(s, t, 0);
    }
  Lanes sum[3][3][3];
  for (auto& x : sum)
    for (auto& y : x)
      for (auto& z : y) z = Lanes::Zero();
  for (int j = 0; j < 2; ++j)
    for (int k = 0; k < 2; ++k)
      for (int i = 0; i < 2; ++i)
        for (int l = 0; l < 2; ++l) { // a at (., j, k), b at (i, ., l)
          const Lanes3 n = cross(a[j][k], b[i][l]);
          for (int q = 0; q < 2; ++q)
            for (int r = 0; r < 2; ++r) sum[i + q][j + r][k + l] += dot(n, c[q][r]); // c at (q, r, .)
        }
  least = Lanes::Constant(kLargest);
  most = Lanes::Constant(-kLargest);
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j)
      for (int k = 0; k < 3; ++k) {
        const double share = (i == 1 ? 0.5 : 1) * (j == 1 ? 0.5 : 1) * (k == 1 ? 0.5 : 1);
        least = least.min(share * sum[i][j][k]);
        most = most.max(share * sum[i][j][k]);
      }
}

/// The same of a wedge: linear across the triangle, of degree two along.
void wedgeJacobian(const std::array<Lanes3, 8>& p, Lanes& least, Lanes& most) {
  const Lanes3 a[2] = {p[1] - p[0], p[4] - p[3]}, b[2] = {p[2] - p[0], p[5] - p[3]};
  least = Lanes::Constant(kLargest);
  most = Lanes::Constant(-kLargest);
  Lanes3 n[3] = {cross(a[0], b[0]), 0.5 * (cross(a[0], b[1]) + cross(a[1], b[0])), cross(a[1], b[1])};
  for (const auto& x : n)
    for (std::size_t i = 0; i < 3; ++i) {
      const Lanes j = dot(x, p[i + 3] - p[i]);
      least = least.min(j);
      most = most.max(j);
    }
}

/// The two faces at each edge.
using EdgeFaces = std::array<std::array<std::size_t, 2>, 12>;
EdgeFaces facesAtEdges(ElementType type) {
  const ElementTopology& t = topology(type);
  EdgeFaces r{};
  for (std::size_t e = 0; e < static_cast<std::size_t>(t.edges); ++e) {
    std::size_t n = 0;
    for (std::size_t f = 0; f < static_cast<std::size_t>(t.faces); ++f)
      for (int x : t.faceEdge[f])
        if (x == static_cast<int>(e) && n < 2) r[e][n++] = f;
  }
  return r;
}

/// The edges from each of these corners to its three neighbours.
using CornerEdges = std::array<std::array<std::size_t, 3>, 8>;
template <std::size_t N> CornerEdges cornerEdges(const ElementTopology& t, const std::size_t (&table)[N][4]) {
  CornerEdges r{};
  for (std::size_t c = 0; c < N; ++c)
    for (std::size_t k = 0; k < 3; ++k)
      for (std::size_t e = 0; e < static_cast<std::size_t>(t.edges); ++e)
        if (edgeKey(t.edge[e][0], t.edge[e][1]) ==
            edgeKey(static_cast<std::int32_t>(table[c][0]), static_cast<std::int32_t>(table[c][k + 1])))
          r[c][k] = e;
  return r;
}

} // namespace

TESS_WIDE CellShapes tetShapes(const std::array<Lanes3, 4>& p) {
  CellShapes r;
  const Lanes3 e[6] = {p[1] - p[0], p[2] - p[0], p[3] - p[0], p[2] - p[1], p[3] - p[1], p[3] - p[2]};
  // Reciprocals, as divisions are what takes longest here; infinite where an edge or a face has no extent.
  Lanes l[6], perLength[6];
  r.sum = r.longest = Lanes::Zero();
  for (int i = 0; i < 6; ++i) {
    l[i] = dot(e[i], e[i]).sqrt();
    perLength[i] = l[i].inverse();
    r.sum += l[i];
    r.longest = r.longest.max(l[i]);
  }
  // Twice the faces' areas with their outward normals: face i lies opposite corner i.
  const Lanes3 n[4] = {cross(e[3], e[4]), cross(e[2], e[1]), cross(e[0], e[2]), cross(e[1], e[0])};
  Lanes a[4], perArea[4];
  for (int i = 0; i < 4; ++i) {
    a[i] = dot(n[i], n[i]).sqrt();
    perArea[i] = a[i].inverse();
  }
  const Lanes jacobian = -dot(e[2], n[3]);
  r.volume = jacobian / 6;
  Lanes lowest = Lanes::Constant(1), highest = Lanes::Constant(-1); // cosines of the dihedral angles
  for (int i = 0; i < 4; ++i)
    for (int j = i + 1; j < 4; ++j) {
      const Lanes per = perArea[i] * perArea[j], cosine = choose(per <= kLargest, -dot(n[i], n[j]) * per, -1.0);
      lowest = lowest.min(cosine);
      highest = highest.max(cosine);
    }
  r.minDihedral = degrees(highest);
  r.maxDihedral = degrees(lowest);
  // Cosines of the faces' corners.
  Lanes least = Lanes::Constant(1), most = Lanes::Constant(-1);
  auto corner = [&](int x, int y, double sign) {
    const Lanes per = perLength[x] * perLength[y], cosine = choose(per <= kLargest, sign * dot(e[x], e[y]) * per, 1.0);
    least = least.min(cosine);
    most = most.max(cosine);
  };
  corner(0, 1, 1), corner(0, 2, 1), corner(1, 2, 1);
  corner(0, 3, -1), corner(0, 4, -1), corner(3, 4, 1);
  corner(1, 3, 1), corner(1, 5, -1), corner(3, 5, -1);
  corner(2, 4, 1), corner(2, 5, 1), corner(4, 5, 1);
  r.widest = degrees(least);
  r.narrowest = degrees(most);
  r.skewness = ((r.widest - 60) / 120).max((60 - r.narrowest) / 60).max(0.0);
  const Lanes q0 = l[0] * l[1] * l[2], q1 = l[0] * l[3] * l[4], q2 = l[1] * l[3] * l[5], q3 = l[2] * l[4] * l[5];
  const Lanes small = q0.min(q1).min(q2.min(q3)), large = q0.max(q1).max(q2.max(q3));
  r.scaledJacobian = choose(small > 0, std::sqrt(2.0) * jacobian / choose(jacobian > 0, large, small), 0.0);
  const Lanes area = 0.5 * (a[0] + a[1] + a[2] + a[3]), largest = a[0].max(a[1]).max(a[2].max(a[3]));
  r.aspect = choose(r.volume > 0, r.longest * area / (3 * r.volume * 2 * std::sqrt(6.0)), 1e30);
  r.heightRatio = choose(largest > 0, 6 * r.volume / (largest * r.longest), 0.0);
  // 24 V R is the square root of a product of the opposite edges' products (Crelle); the regular tet of
  // circumradius R has the volume 8 sqrt(3) / 27 R^3.
  const Lanes x = l[0] * l[5], y = l[1] * l[4], z = l[2] * l[3];
  const Lanes crelle = ((x + y + z) * (x + y - z) * (x - y + z) * (-x + y + z)).max(0.0);
  const Lanes radius = crelle.sqrt() / (24 * r.volume);
  r.volumeSkewness =
      choose(r.volume > 0 && radius > 0,
             (1 - r.volume / (8 * std::sqrt(3.0) / 27 * radius * radius * radius)).max(0.0).min(1.0), 1.0);
  r.warpage = Lanes::Zero();
  r.taper = Lanes::Constant(1);
  r.least = r.most = r.leastCorner = jacobian;
  r.centre = 0.25 * (p[0] + p[1] + p[2] + p[3]);
  return r;
}

TESS_WIDE CellShapes solidShapes(ElementType linear, const std::array<Lanes3, 8>& p) {
  const ElementTopology& t = topology(linear);
  CellShapes r;
  const auto faces = static_cast<std::size_t>(t.faces), edges = static_cast<std::size_t>(t.edges);
  // Lengths of edges and their reciprocals; infinite where an edge has no extent.
  Lanes3 e[12];
  Lanes perLength[12], shortest = Lanes::Constant(kLargest);
  r.longest = r.sum = Lanes::Zero();
  for (std::size_t k = 0; k < edges; ++k) {
    e[k] = p[static_cast<std::size_t>(t.edge[k][1])] - p[static_cast<std::size_t>(t.edge[k][0])];
    const Lanes l = norm(e[k]);
    perLength[k] = l.inverse();
    r.sum += l;
    r.longest = r.longest.max(l);
    shortest = shortest.min(l);
  }
  r.aspect = choose(shortest > 0, r.longest / shortest, 1e30);
  // Corners of faces, and what quadrilaterals are like.
  FaceShape shape[6];
  Lanes3 normal[6];
  Lanes perNormal[6];
  Lanes triLow = Lanes::Constant(1), triHigh = Lanes::Constant(-1), quadLow = Lanes::Constant(1),
        quadHigh = Lanes::Constant(-1), bend = Lanes::Constant(1);
  r.taper = Lanes::Constant(1);
  r.volume = Lanes::Zero();
  auto look = [&](std::size_t f, auto sides) {
    constexpr std::size_t k = decltype(sides)::value;
    Lanes3 q[k], side[k];
    Lanes per[k];
    for (std::size_t i = 0; i < k; ++i) {
      q[i] = p[static_cast<std::size_t>(t.face[f][i])];
      const auto edge = static_cast<std::size_t>(t.faceEdge[f][i]);
      side[i] = t.edge[edge][0] == t.face[f][i] ? e[edge] : -1.0 * e[edge]; // to the next corner
      per[i] = perLength[edge];
    }
    Lanes &low = k == 3 ? triLow : quadLow, &high = k == 3 ? triHigh : quadHigh;
    for (std::size_t i = 0; i < k; ++i) {
      const std::size_t before = (i + k - 1) % k;
      const Lanes both = per[i] * per[before],
                  cosine = choose(both <= kLargest, -dot(side[i], side[before]) * both, 1.0);
      low = low.min(cosine);
      high = high.max(cosine);
    }
    shape[f] = faceShape(q, k);
    normal[f] = k == 3 ? 2.0 * shape[f].area : cross(q[2] - q[0], q[k - 1] - q[1]);
    perNormal[f] = norm(normal[f]).inverse();
    const Lanes3 o = p[0];
    if constexpr (k == 3)
      r.volume += dot(q[0] - o, cross(q[1] - o, q[2] - o)) / 6;
    else {
      const Lanes3 a = q[0] - o, b = q[1] - o, c = q[2] - o, d = q[3] - o;
      const Lanes3 bc = cross(b, c), cd = cross(c, d), bd = cross(b, d);
      r.volume += (dot(a, bc) + dot(a, cd) + dot(a, bd) + dot(b, cd)) / 12;
      Lanes3 n[4]; // of the corner triangles
      Lanes size[4], area = Lanes::Zero();
      for (std::size_t i = 0; i < 4; ++i) {
        n[i] = cross(side[(i + 3) % 4], side[i]); // of the sides that meet at the corner
        size[i] = norm(n[i]);
        area += 0.25 * size[i]; // each pair of opposite corner triangles makes up the face
      }
      const Lanes smallest = size[0].min(size[1]).min(size[2].min(size[3]));
      r.taper = r.taper.min(choose(area > 0, smallest / area, 0.0));
      for (std::size_t i = 0; i < 2; ++i) {
        const Lanes both = size[i] * size[i + 2];
        bend = bend.min(choose(both > 0, dot(n[i], n[i + 2]) / both, 1.0));
      }
    }
  };
  for (std::size_t f = 0; f < faces; ++f)
    if (t.faceSize[f] == 3)
      look(f, std::integral_constant<std::size_t, 3>());
    else
      look(f, std::integral_constant<std::size_t, 4>());
  r.warpage = degrees(bend);
  const Lanes triWide = degrees(triLow), triNarrow = degrees(triHigh), quadWide = degrees(quadLow),
              quadNarrow = degrees(quadHigh);
  const bool triangles = linear != ElementType::Hex8;
  r.widest = triangles ? Lanes(triWide.max(quadWide)) : quadWide;
  r.narrowest = triangles ? Lanes(triNarrow.min(quadNarrow)) : quadNarrow;
  r.skewness = ((quadWide - 90) / 90).max((90 - quadNarrow) / 90).max(0.0);
  if (triangles) r.skewness = r.skewness.max((triWide - 60) / 120).max((60 - triNarrow) / 60);
  r.volumeSkewness = r.skewness;
  r.heightRatio = Lanes::Constant(std::numeric_limits<double>::quiet_NaN());
  // Between faces that share an edge the angle inside is pi minus that between their outward normals.
  static const std::array<EdgeFaces, 3> known{facesAtEdges(ElementType::Pyramid5), facesAtEdges(ElementType::Wedge6),
                                              facesAtEdges(ElementType::Hex8)};
  const EdgeFaces& beside = known[linear == ElementType::Hex8 ? 2 : linear == ElementType::Wedge6 ? 1 : 0];
  Lanes lowest = Lanes::Constant(1), highest = Lanes::Constant(-1);
  for (std::size_t k = 0; k < edges; ++k) {
    const auto& found = beside[k];
    const Lanes per = perNormal[found[0]] * perNormal[found[1]],
                cosine = choose(per <= kLargest, -dot(normal[found[0]], normal[found[1]]) * per, -1.0);
    lowest = lowest.min(cosine);
    highest = highest.max(cosine);
  }
  r.minDihedral = degrees(highest);
  r.maxDihedral = degrees(lowest);
  // Corner Jacobians.
  Lanes scaled = Lanes::Constant(kLargest);
  r.leastCorner = Lanes::Constant(kLargest);
  Lanes mostCorner = Lanes::Constant(-kLargest);
  auto corners = [&](const auto& table, const CornerEdges& at) {
    for (std::size_t c = 0; c < std::size(table); ++c) {
      const auto& q = table[c];
      const Lanes3 a = p[q[1]] - p[q[0]], b = p[q[2]] - p[q[0]], d = p[q[3]] - p[q[0]];
      const Lanes j = dot(cross(a, b), d), per = perLength[at[c][0]] * perLength[at[c][1]] * perLength[at[c][2]];
      scaled = scaled.min(choose(per <= kLargest, j * per, 0.0));
      r.leastCorner = r.leastCorner.min(j);
      mostCorner = mostCorner.max(j);
    }
  };
  double regular = 1;
  if (linear == ElementType::Hex8) {
    static const CornerEdges at = cornerEdges(t, kHexCorners);
    corners(kHexCorners, at);
    hexJacobian(p, r.least, r.most);
  } else if (linear == ElementType::Wedge6) {
    static const CornerEdges at = cornerEdges(t, kWedgeCorners);
    corners(kWedgeCorners, at);
    wedgeJacobian(p, r.least, r.most);
    regular = 2 / std::sqrt(3.0);
  } else {
    static const CornerEdges at = cornerEdges(t, kPyramidCorners);
    corners(kPyramidCorners, at);
    r.least = r.leastCorner;
    r.most = mostCorner;
    regular = std::sqrt(2.0);
  }
  r.scaledJacobian = regular * scaled;
  r.centre = centreOf(shape, faces);
  return r;
}

} // namespace tess
