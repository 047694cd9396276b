// SPDX-License-Identifier: GPL-3.0-or-later
// Parts of several touching bodies with flat or slightly warped faces: boxes in a grid, and prisms over polygons.
#pragma once
#include "base/plane_triangles.h"
#include "geometry/part.h"
#include <cmath>
#include <functional>
#include <gtest/gtest.h>
#include <map>

namespace tess::test {

using Bend = std::function<Vec3(const Vec3&)>;
inline Vec3 straight(const Vec3& p) { return p; }

/// Gathers faces between bodies, each face of the part with a name of its own.
class TouchingBodies {
public:
  explicit TouchingBodies(std::vector<std::string> names) { m_surface.bodyNames = std::move(names); }
  int point(const Vec3& p) {
    m_surface.points.push_back(p);
    return static_cast<int>(m_surface.points.size()) - 1;
  }
  /// Triangles whose normals leave body `behind`; `front` is -1 for outside.
  void face(const std::vector<std::array<int, 3>>& triangles, int behind, int front) {
    const int label = static_cast<int>(m_surface.names.size());
    m_surface.names.push_back({"face " + std::to_string(label + 1)});
    for (auto t : triangles) {
      if (behind < 0) std::swap(t[1], t[2]);
      m_surface.triangles.push_back(t);
      m_surface.sides.push_back(behind < 0 ? std::array<int, 2>{front, -1} : std::array<int, 2>{behind, front});
      m_surface.label.push_back(label);
    }
  }
  Part part() const {
    auto p = partFromSurface(m_surface, {});
    EXPECT_TRUE(p.ok()) << (p.ok() ? "" : p.problem().sentence());
    return *p;
  }

private:
  KnownSurface m_surface;
};

/// Boxes between the given coordinates. `body`: of a box by its three numbers, -1 for none.
inline Part boxGrid(const std::array<std::vector<double>, 3>& at, const std::vector<std::string>& names,
                    const std::function<int(int, int, int)>& body, const Bend& bend = straight) {
  TouchingBodies b(names);
  const int n[3] = {static_cast<int>(at[0].size()), static_cast<int>(at[1].size()), static_cast<int>(at[2].size())};
  auto of = [&](std::array<int, 3> c) {
    for (int d = 0; d < 3; ++d)
      if (c[static_cast<std::size_t>(d)] < 0 || c[static_cast<std::size_t>(d)] >= n[d] - 1) return -1;
    return body(c[0], c[1], c[2]);
  };
  std::map<std::array<int, 3>, int> points;
  auto point = [&](std::array<int, 3> c) {
    auto [it, fresh] = points.emplace(c, -1);
    if (fresh)
      it->second = b.point(bend({at[0][static_cast<std::size_t>(c[0])], at[1][static_cast<std::size_t>(c[1])],
                                 at[2][static_cast<std::size_t>(c[2])]}));
    return it->second;
  };
  for (int d = 0; d < 3; ++d)
    for (int i = 0; i < n[0]; ++i)
      for (int j = 0; j < n[1]; ++j)
        for (int k = 0; k < n[2]; ++k) {
          const std::array<int, 3> c{i, j, k};
          const auto u = static_cast<std::size_t>((d + 1) % 3), v = static_cast<std::size_t>((d + 2) % 3);
          if (c[u] + 1 >= n[u] || c[v] + 1 >= n[v]) continue;
          std::array<int, 3> below = c;
          --below[static_cast<std::size_t>(d)];
          const int behind = of(below), front = of(c);
          if (behind == front) continue;
          std::array<int, 3> q[4] = {c, c, c, c};
          ++q[1][u], ++q[2][u], ++q[2][v], ++q[3][v];
          const int p[4] = {point(q[0]), point(q[1]), point(q[2]), point(q[3])};
          b.face({{p[0], p[1], p[2]}, {p[0], p[2], p[3]}}, behind, front);
        }
  return b.part();
}

/// Prisms of one height over polygons, which run counter-clockwise and share their corners.
inline Part prisms(const std::vector<std::array<double, 2>>& corners, const std::vector<std::vector<int>>& polygons,
                   const std::vector<std::string>& names, double height, const Bend& bend = straight) {
  TouchingBodies b(names);
  std::vector<Vec3> low;
  std::vector<int> id[2];
  for (int top = 0; top < 2; ++top)
    for (const auto& c : corners) {
      if (!top) low.push_back({c[0], c[1], 0});
      id[top].push_back(b.point(bend({c[0], c[1], top ? height : 0})));
    }
  std::map<std::array<int, 2>, int> left; // of the edge from the first corner to the second
  for (std::size_t k = 0; k < polygons.size(); ++k) {
    const auto& q = polygons[k];
    std::vector<std::array<int, 2>> edges;
    for (std::size_t i = 0; i < q.size(); ++i) edges.push_back({q[i], q[(i + 1) % q.size()]});
    for (const auto& e : edges) left[e] = static_cast<int>(k);
    std::vector<std::array<int, 3>> cap[2];
    for (const auto& t : fillPlane(low, edges, Vec3::UnitZ())) {
      auto at = [&](int top, std::size_t i) { return id[top][static_cast<std::size_t>(t[i])]; };
      cap[0].push_back({at(0, 0), at(0, 2), at(0, 1)});
      cap[1].push_back({at(1, 0), at(1, 1), at(1, 2)});
    }
    for (const auto& c : cap) b.face(c, static_cast<int>(k), -1);
  }
  for (const auto& [e, behind] : left) {
    const auto other = left.find({e[1], e[0]});
    if (other != left.end() && e[0] > e[1]) continue; // each once
    auto at = [&](int top, int c) { return id[top][static_cast<std::size_t>(c)]; };
    b.face({{at(0, e[0]), at(0, e[1]), at(1, e[1])}, {at(0, e[0]), at(1, e[1]), at(1, e[0])}}, behind,
           other == left.end() ? -1 : other->second);
  }
  return b.part();
}

} // namespace tess::test
