// SPDX-License-Identifier: GPL-3.0-or-later
// Puts points into surface edges that the tetrahedra could not take in. New points go onto the true geometry unless the
// surface would cross itself there; then they stay on the chord.
#include "mesher/surface/surface.h"
#include "mesher/surface/surface_graph.h"

namespace tess {

int splitSurfaceEdges(SurfaceMesh& m, const std::vector<std::array<int, 2>>& edges, const Part& part) {
  SurfaceGraph g = graphOf(m);
  struct Fresh {
    int v;
    Vec3 chord;
  };
  std::vector<Fresh> fresh;
  // Where faces were bridged, the true surface may lie beside the triangles: none may become flat or turn over.
  auto splitsWell = [&](int a, int b, const Vec3& p) {
    std::array<int, 16> at;
    int n = g.edgeTris(a, b, at);
    for (int i = 0; i < n; ++i) {
      int t = at[static_cast<std::size_t>(i)];
      const auto& q = g.tri(t);
      Vec3 whole = (g.pt(q[1]) - g.pt(q[0])).cross(g.pt(q[2]) - g.pt(q[0]));
      for (int end : {a, b}) {
        std::array<Vec3, 3> c;
        for (std::size_t k = 0; k < 3; ++k) c[k] = q[k] == end ? p : g.pt(q[k]);
        if ((c[1] - c[0]).cross(c[2] - c[0]).dot(whole) < 0.15 * whole.squaredNorm()) return false;
      }
    }
    return true;
  };
  for (const auto& [a, b] : edges) {
    if (!g.connected(a, b)) continue;
    Vec3 chord = 0.5 * (g.pt(a) + g.pt(b)), p = chord;
    auto line = g.feature.find(SurfaceGraph::key(a, b));
    double limit = 0.15 * (g.pt(a) - g.pt(b)).norm();
    int v;
    if (line != g.feature.end()) {
      int e = line->second;
      p = part.shape->projectToEdge(e, chord).point;
      if ((p - chord).norm() > limit || !splitsWell(a, b, p)) p = chord;
      v = g.split(a, b, p, Dim::Edge, e);
      auto& chain = m.edgeNodes[static_cast<std::size_t>(e)];
      for (std::size_t i = 0; i + 1 < chain.size(); ++i)
        if ((chain[i] == a && chain[i + 1] == b) || (chain[i] == b && chain[i + 1] == a)) {
          chain.insert(chain.begin() + static_cast<std::ptrdiff_t>(i) + 1, v);
          break;
        }
    } else {
      std::array<int, 16> at;
      g.edgeTris(a, b, at);
      int f = g.face[static_cast<std::size_t>(at[0])];
      p = part.shape->projectToFace(f, chord).point;
      if ((p - chord).norm() > limit || !splitsWell(a, b, p)) p = chord;
      v = g.split(a, b, p, Dim::Face, f);
    }
    fresh.push_back({v, chord});
  }
  m.points = g.points;
  m.dim = g.dim;
  m.entity = g.entity;
  m.triangles = g.tris;
  m.face = g.face;
  std::vector<char> isFresh(m.points.size(), 0), changed(m.triangles.size(), 0);
  for (const auto& f : fresh) isFresh[static_cast<std::size_t>(f.v)] = 1;
  for (std::size_t t = 0; t < m.triangles.size(); ++t)
    for (int v : m.triangles[t])
      if (isFresh[static_cast<std::size_t>(v)]) changed[t] = 1;
  auto crossings = findCrossings(m.points, m.triangles, SIZE_MAX, nullptr, changed);
  if (!crossings.empty()) {
    std::vector<char> touched(m.points.size(), 0);
    for (const auto& c : crossings)
      for (int t : {c.a, c.b})
        for (int v : m.triangles[static_cast<std::size_t>(t)]) touched[static_cast<std::size_t>(v)] = 1;
    for (const auto& f : fresh)
      if (touched[static_cast<std::size_t>(f.v)]) m.points[static_cast<std::size_t>(f.v)] = f.chord;
  }
  return static_cast<int>(fresh.size());
}

std::vector<std::array<int, 3>> halveSurfaceEdges(SurfaceMesh& m, const std::vector<std::array<int, 2>>& edges) {
  SurfaceGraph g = graphOf(m);
  std::vector<std::array<int, 3>> r;
  for (const auto& [a, b] : edges) {
    if (!g.connected(a, b)) continue;
    std::array<int, 16> at;
    g.edgeTris(a, b, at);
    const int face = g.face[static_cast<std::size_t>(at[0])];
    r.push_back({g.split(a, b, 0.5 * (g.pt(a) + g.pt(b)), Dim::Face, face), a, b});
  }
  m.points = g.points;
  m.dim = g.dim;
  m.entity = g.entity;
  m.triangles = g.tris;
  m.face = g.face;
  return r;
}

} // namespace tess
