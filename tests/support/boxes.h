// SPDX-License-Identifier: GPL-3.0-or-later
// Meshes of a straight bar, of every element type, order and mixture, with named ends and sides.
#pragma once
#include "mesh/cell_faces.h"
#include "mesh/order.h"
#include <algorithm>
#include <cmath>
#include <map>
#include <string>

namespace tess::test {

enum class Filling { Hexahedra, Wedges, Tetrahedra, Pyramids, HexahedraWedges, Hybrid, Polyhedra };
inline const std::vector<Filling>& fillings() {
  static const std::vector<Filling> all{Filling::Hexahedra, Filling::Wedges,          Filling::Tetrahedra,
                                        Filling::Pyramids,  Filling::HexahedraWedges, Filling::Hybrid,
                                        Filling::Polyhedra};
  return all;
}
inline std::string fillingName(Filling f) {
  static const char* names[] = {"hexahedra",        "wedges", "tetrahedra", "pyramids",
                                "hexahedra-wedges", "hybrid", "polyhedra"};
  return names[static_cast<int>(f)];
}

struct BarSize {
  std::array<int, 3> cells{4, 2, 2}; ///< even along x
  Vec3 length{4, 2, 2};
};

/// Outer faces by the side of the box they lie on: `left` and `right` along x, `sides`.
inline void nameSides(Mesh& m, const Vec3& length) {
  m.groups = {{"left", 2, {}, 0, "fixed"}, {"right", 2, {}, 0, "loaded"}, {"sides", 2, {}, 0, "wall"}};
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    if (m.faceRegions[f][1] >= 0) continue;
    bool low = true, high = true;
    for (auto n : m.faces.corners(f)) {
      const double x = m.nodes[static_cast<std::size_t>(n)].x();
      low = low && std::abs(x) < 1e-9 * length.x();
      high = high && std::abs(x - length.x()) < 1e-9 * length.x();
    }
    m.groups[low ? 0 : high ? 1 : 2].items.push_back(static_cast<std::int32_t>(f));
  }
}

/// The bar of this filling. `Hybrid`: hexahedra up to the middle, then a column of pyramids and tetrahedra, then
/// tetrahedra. `Polyhedra`: one half refined twice as fine as cubes, so that cells in the middle have hanging nodes in
/// their faces. Order 2 (not for polyhedra) by straight mid nodes.
inline Mesh bar(Filling filling, int order = 1, const BarSize& size = {}) {
  Mesh m;
  m.regions = {"bar"};
  const auto& c = size.cells;
  std::map<std::array<int, 3>, std::int32_t> at; // by place on a grid four times as fine
  auto node = [&](int i, int j, int k) {
    const auto [it, fresh] = at.emplace(std::array<int, 3>{i, j, k}, static_cast<std::int32_t>(m.nodes.size()));
    if (fresh)
      m.nodes.emplace_back(size.length.x() * i / (4 * c[0]), size.length.y() * j / (4 * c[1]),
                           size.length.z() * k / (4 * c[2]));
    return it->second;
  };
  auto add = [&](ElementType t, const std::vector<std::int32_t>& n) {
    m.cells.add(t, n);
    m.cellRegion.push_back(0);
  };
  using Ring = std::vector<std::int32_t>;
  static const int corner[8][3] = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0},
                                   {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}};
  for (int i = 0; i < c[0]; ++i)
    for (int j = 0; j < c[1]; ++j)
      for (int k = 0; k < c[2]; ++k) {
        Ring v;
        for (const auto& o : corner) v.push_back(node(4 * (i + o[0]), 4 * (j + o[1]), 4 * (k + o[2])));
        auto centre = [&] { return node(4 * i + 2, 4 * j + 2, 4 * k + 2); };
        const auto& t = topology(ElementType::Hex8);
        auto pyramids = [&](const std::vector<int>& only) {
          for (int f : only) {
            const auto& q = t.face[static_cast<std::size_t>(f)];
            add(ElementType::Pyramid5,
                {v[static_cast<std::size_t>(q[0])], v[static_cast<std::size_t>(q[3])],
                 v[static_cast<std::size_t>(q[2])], v[static_cast<std::size_t>(q[1])], centre()});
          }
        };
        // Six tetrahedra around the diagonal 0-6, the same in every cell: faces of neighbours match (Kuhn).
        auto kuhn = [&] {
          static const int path[6][2] = {{1, 2}, {2, 3}, {3, 7}, {7, 4}, {4, 5}, {5, 1}};
          for (const auto& p : path)
            add(ElementType::Tet4, {v[0], v[static_cast<std::size_t>(p[0])], v[static_cast<std::size_t>(p[1])], v[6]});
        };
        auto wedges = [&] { // cut along the diagonal of the face x = 0, extruded along x
          add(ElementType::Wedge6, {v[0], v[3], v[7], v[1], v[2], v[6]});
          add(ElementType::Wedge6, {v[0], v[7], v[4], v[1], v[6], v[5]});
        };
        switch (filling) {
        case Filling::Hexahedra:
          add(ElementType::Hex8, v);
          break;
        case Filling::Wedges:
          wedges();
          break;
        case Filling::Tetrahedra:
          kuhn();
          break;
        case Filling::Pyramids:
          pyramids({0, 1, 2, 3, 4, 5});
          break;
        case Filling::HexahedraWedges: // one row along x of each
          if (j % 2)
            wedges();
          else
            add(ElementType::Hex8, v);
          break;
        case Filling::Hybrid:
          if (2 * i + 2 < c[0])
            add(ElementType::Hex8, v);
          else if (2 * i < c[0] + 0) { // the face to the hexahedra as it is, the others halved as Kuhn's
            pyramids({5});
            for (int f : {0, 1, 2, 3, 4}) {
              const auto& q = t.face[static_cast<std::size_t>(f)];
              std::size_t from = 0; // the diagonal of Kuhn's goes through corner 0 or 6
              for (std::size_t x = 0; x < 4; ++x)
                if (q[x] == 0 || q[x] == 6) from = x;
              for (std::size_t x : {1u, 2u})
                add(ElementType::Tet4,
                    {v[static_cast<std::size_t>(q[from])], v[static_cast<std::size_t>(q[(from + x + 1) % 4])],
                     v[static_cast<std::size_t>(q[(from + x) % 4])], centre()});
            }
          } else
            kuhn();
          break;
        case Filling::Polyhedra: {
          if (2 * i < c[0] - 1) { // coarse; those beside the fine half have a face of four
            if (2 * i + 2 < c[0]) {
              add(ElementType::Hex8, v);
              break;
            }
          }
          if (2 * i + 2 <= c[0]) {
            const int X = 4 * i + 4, y = 4 * j, z = 4 * k;
            auto p = [&](int dy, int dz) { return node(X, y + 2 * dy, z + 2 * dz); };
            std::vector<Ring> faces{{v[0], v[4], v[7], v[3]}};
            for (int a = 0; a < 2; ++a)
              for (int b = 0; b < 2; ++b) faces.push_back({p(a, b), p(a + 1, b), p(a + 1, b + 1), p(a, b + 1)});
            faces.push_back({v[0], v[1], p(0, 1), v[5], v[4]}); // y = 0 with the hanging node in its side
            faces.push_back({v[3], v[7], v[6], p(2, 1), v[2]});
            faces.push_back({v[0], v[3], v[2], p(1, 0), v[1]});
            faces.push_back({v[4], v[5], p(1, 2), v[6], v[7]});
            m.cells.addPolyhedron(faces);
            m.cellRegion.push_back(0);
          } else
            for (const auto& o : corner) {
              Ring w;
              for (const auto& q : corner)
                w.push_back(node(4 * i + 2 * (o[0] + q[0]), 4 * j + 2 * (o[1] + q[1]), 4 * k + 2 * (o[2] + q[2])));
              add(ElementType::Hex8, w);
            }
          break;
        }
        }
      }
  rebuildFaces(m);
  if (order == 2) changeOrder(m, 2);
  nameSides(m, size.length);
  return m;
}

/// Whether the filling has elements of order 2.
inline bool hasOrder2(Filling f) { return f != Filling::Polyhedra; }

} // namespace tess::test
