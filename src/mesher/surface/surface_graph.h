// SPDX-License-Identifier: GPL-3.0-or-later
// Triangles with vertex stars and the three local operations of remeshing. More than two triangles may meet at an
// edge (bodies that share a face). Operations check first and change last; they are topological, geometry is judged
// by the caller. Not thread-safe.
#pragma once
#include "base/edge_key.h"
#include "base/vec.h"
#include "geometry/part.h"
#include <unordered_map>

namespace tess {

class SurfaceGraph {
public:
  std::vector<Vec3> points;
  std::vector<Dim> dim;
  std::vector<int> entity;
  std::vector<std::array<int, 3>> tris; ///< dead ones have tris[i][0] < 0
  std::vector<int> face;
  std::vector<std::vector<int>> star;             ///< vertex -> live triangles
  std::unordered_map<std::uint64_t, int> feature; ///< vertex pair -> part edge

  static std::uint64_t key(int a, int b) { return edgeKey(a, b); }
  bool isFeature(int a, int b) const { return feature.count(key(a, b)) > 0; }
  bool alive(int t) const { return tris[static_cast<std::size_t>(t)][0] >= 0; }
  const Vec3& pt(int v) const { return points[static_cast<std::size_t>(v)]; }
  std::array<int, 3>& tri(int t) { return tris[static_cast<std::size_t>(t)]; }
  const std::array<int, 3>& tri(int t) const { return tris[static_cast<std::size_t>(t)]; }
  const std::vector<int>& starOf(int v) const { return star[static_cast<std::size_t>(v)]; }
  int addPoint(const Vec3& p, Dim d, int e);
  int addTriangle(std::array<int, 3> t, int f);
  bool has(int t, int v) const { return tri(t)[0] == v || tri(t)[1] == v || tri(t)[2] == v; }
  /// Triangles at edge (a, b); at most 16 are reported.
  int edgeTris(int a, int b, std::array<int, 16>& out) const;
  int apex(int t, int a, int b) const { return tri(t)[0] + tri(t)[1] + tri(t)[2] - a - b; }
  bool connected(int a, int b) const;
  Vec3 normal(int t) const { return triangleNormal(pt(tri(t)[0]), pt(tri(t)[1]), pt(tri(t)[2])); }

  /// Puts a new vertex into edge (a, b); all triangles there are split, a feature edge is split with them.
  int split(int a, int b, const Vec3& p, Dim d, int e);
  /// True when removing v into w keeps a valid complex (link condition, no repeated triangle). Two feature lines stay
  /// two unless `mergeLines`.
  bool canCollapse(int v, int w, bool mergeLines = false) const;
  void collapse(int v, int w);
  /// Replaces edge (a, b), shared by exactly two triangles, by the edge between their apexes.
  void flip(int a, int b, int t0, int t1);
};

struct SurfaceMesh;
/// Graph of a finished surface mesh with its divided edges as features; vertices and triangles keep their numbers.
SurfaceGraph graphOf(const SurfaceMesh& mesh);

} // namespace tess
