// SPDX-License-Identifier: GPL-3.0-or-later
#include "geometry/edge_angles.h"
#include <cmath>
#include <map>

namespace tess {

std::vector<std::vector<EdgeAngle>> edgeAngles(const Part& part) {
  const Tessellation& t = part.display;
  // The side of a triangle at the middle of each edge tells on which side of the edge its face lies.
  struct Middle {
    int a = -1, b = -1;
    double t = 0;
  };
  std::vector<Middle> middle(part.edges.size());
  std::map<std::pair<int, int>, int> edgeAt;
  for (std::size_t e = 0; e < part.edges.size(); ++e) {
    const auto& c = t.edgeChain[e];
    if (c.size() < 2) continue;
    const std::size_t k = (c.size() - 2) / 2;
    middle[e] = {c[k], c[k + 1], 0.5 * (t.edgeParam[e][k] + t.edgeParam[e][k + 1])};
    edgeAt[{std::min(c[k], c[k + 1]), std::max(c[k], c[k + 1])}] = static_cast<int>(e);
  }
  std::map<std::pair<int, int>, int> tip; // edge, face -> third point of the triangle there
  for (std::size_t i = 0; i < t.triangles.size(); ++i)
    for (std::size_t k = 0; k < 3; ++k) {
      const int a = t.triangles[i][k], b = t.triangles[i][(k + 1) % 3];
      const auto it = edgeAt.find({std::min(a, b), std::max(a, b)});
      if (it != edgeAt.end()) tip[{it->second, t.triangleFace[i]}] = t.triangles[i][(k + 2) % 3];
    }
  std::vector<std::vector<EdgeAngle>> r(part.bodies.size());
  for (std::size_t e = 0; e < part.edges.size(); ++e) {
    const Middle& m = middle[e];
    if (m.a < 0) continue;
    std::map<int, std::vector<int>> facesOf;
    for (int f : part.edges[e].faces)
      for (int b : part.faces[static_cast<std::size_t>(f)].bodies)
        if (b >= 0) facesOf[b].push_back(f);
    const Vec3 p = part.shape->edgePoint(static_cast<int>(e), m.t);
    const Vec3 along = (t.points[static_cast<std::size_t>(m.b)] - t.points[static_cast<std::size_t>(m.a)]).normalized();
    for (const auto& [b, faces] : facesOf) {
      if (faces.size() != 2 || faces[0] == faces[1]) continue;
      EdgeAngle x;
      x.edge = static_cast<int>(e);
      x.faces = {faces[0], faces[1]};
      x.at = p;
      std::array<Vec3, 2> out, in;
      bool known = true;
      for (std::size_t k = 0; k < 2; ++k) {
        const auto it = tip.find({x.edge, faces[k]});
        if (it == tip.end()) {
          known = false;
          break;
        }
        out[k] = part.shape->projectToFace(faces[k], p).normal;
        if (part.faces[static_cast<std::size_t>(faces[k])].bodies[0] != b) out[k] = -out[k];
        in[k] = out[k].cross(along).normalized();
        if (in[k].dot(t.points[static_cast<std::size_t>(it->second)] - t.points[static_cast<std::size_t>(m.a)]) < 0)
          in[k] = -in[k];
      }
      if (!known) continue;
      const double open = std::acos(std::clamp(in[0].dot(in[1]), -1.0, 1.0));
      x.angle = out[0].dot(in[1]) > 1e-9 ? 2 * kPi - open : open;
      r[static_cast<std::size_t>(b)].push_back(x);
    }
  }
  return r;
}

} // namespace tess
