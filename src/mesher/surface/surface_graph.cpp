// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/surface_graph.h"
#include "mesher/surface/surface.h"

namespace tess {

int SurfaceGraph::addPoint(const Vec3& p, Dim d, int e) {
  points.push_back(p);
  dim.push_back(d);
  entity.push_back(e);
  star.emplace_back();
  return static_cast<int>(points.size()) - 1;
}

int SurfaceGraph::addTriangle(std::array<int, 3> t, int f) {
  int id = static_cast<int>(tris.size());
  tris.push_back(t);
  face.push_back(f);
  for (int v : t) star[static_cast<std::size_t>(v)].push_back(id);
  return id;
}

int SurfaceGraph::edgeTris(int a, int b, std::array<int, 16>& out) const {
  int n = 0;
  for (int t : starOf(a))
    if (has(t, b) && n < 16) out[static_cast<std::size_t>(n++)] = t;
  return n;
}

bool SurfaceGraph::connected(int a, int b) const {
  for (int t : starOf(a))
    if (has(t, b)) return true;
  return false;
}

int SurfaceGraph::split(int a, int b, const Vec3& p, Dim d, int e) {
  std::array<int, 16> at;
  int n = edgeTris(a, b, at);
  int m = addPoint(p, d, e);
  for (int i = 0; i < n; ++i) {
    int t = at[static_cast<std::size_t>(i)];
    std::array<int, 3> second = tri(t);
    for (int& v : tri(t))
      if (v == b) v = m;
    for (int& v : second)
      if (v == a) v = m;
    auto& sb = star[static_cast<std::size_t>(b)];
    sb.erase(std::find(sb.begin(), sb.end(), t));
    star[static_cast<std::size_t>(m)].push_back(t);
    addTriangle(second, face[static_cast<std::size_t>(t)]);
  }
  if (auto it = feature.find(key(a, b)); it != feature.end()) {
    int edge = it->second;
    feature.erase(it);
    feature[key(a, m)] = edge;
    feature[key(m, b)] = edge;
  }
  return m;
}

bool SurfaceGraph::canCollapse(int v, int w, bool mergeLines) const {
  std::array<int, 16> at;
  int n = edgeTris(v, w, at);
  if (n == 0) return false;
  // Vertices next to both must be exactly the apexes of the triangles at the edge.
  std::vector<int> nv, nw, both;
  for (int t : starOf(v))
    for (int x : tri(t))
      if (x != v && x != w) nv.push_back(x);
  for (int t : starOf(w))
    for (int x : tri(t))
      if (x != v && x != w) nw.push_back(x);
  auto tidy = [](std::vector<int>& x) {
    std::sort(x.begin(), x.end());
    x.erase(std::unique(x.begin(), x.end()), x.end());
  };
  tidy(nv);
  tidy(nw);
  std::set_intersection(nv.begin(), nv.end(), nw.begin(), nw.end(), std::back_inserter(both));
  if (static_cast<int>(both.size()) != n) return false;
  for (int i = 0; i < n; ++i)
    if (!std::binary_search(both.begin(), both.end(), apex(at[static_cast<std::size_t>(i)], v, w))) return false;
  // A feature edge (v, x) must not land on another feature edge (w, x) of a different line, and a plain edge between
  // two lines must not merge them.
  if (mergeLines) return true;
  for (int x : both)
    if (isFeature(v, x) && isFeature(w, x)) return false;
  return true;
}

void SurfaceGraph::collapse(int v, int w) {
  auto& sv = star[static_cast<std::size_t>(v)];
  std::vector<int> neighbours;
  for (int t : sv)
    for (int x : tri(t))
      if (x != v && x != w) neighbours.push_back(x);
  for (int x : neighbours)
    if (auto it = feature.find(key(v, x)); it != feature.end()) {
      int edge = it->second;
      feature.erase(it);
      feature[key(w, x)] = edge;
    }
  feature.erase(key(v, w));
  for (int t : sv) {
    if (has(t, w)) {
      for (int x : tri(t))
        if (x != v) {
          auto& s = star[static_cast<std::size_t>(x)];
          s.erase(std::find(s.begin(), s.end(), t));
        }
      tri(t) = {-1, -1, -1};
    } else {
      for (int& x : tri(t))
        if (x == v) x = w;
      star[static_cast<std::size_t>(w)].push_back(t);
    }
  }
  sv.clear();
}

void SurfaceGraph::flip(int a, int b, int t0, int t1) {
  int c = apex(t0, a, b), d = apex(t1, a, b);
  // t0 runs a -> b -> c in some rotation or b -> a -> c; keep the directions of both triangles.
  auto replace = [&](int t, int from, int to) {
    for (int& v : tri(t))
      if (v == from) v = to;
    auto& s = star[static_cast<std::size_t>(from)];
    s.erase(std::find(s.begin(), s.end(), t));
    star[static_cast<std::size_t>(to)].push_back(t);
  };
  replace(t0, b, d);
  replace(t1, a, c);
}

SurfaceGraph graphOf(const SurfaceMesh& m) {
  SurfaceGraph g;
  g.points = m.points;
  g.dim = m.dim;
  g.entity = m.entity;
  g.star.resize(m.points.size());
  for (std::size_t i = 0; i < m.triangles.size(); ++i) g.addTriangle(m.triangles[i], m.face[i]);
  for (std::size_t e = 0; e < m.edgeNodes.size(); ++e)
    for (std::size_t i = 0; i + 1 < m.edgeNodes[e].size(); ++i)
      g.feature[SurfaceGraph::key(m.edgeNodes[e][i], m.edgeNodes[e][i + 1])] = static_cast<int>(e);
  return g;
}

} // namespace tess
