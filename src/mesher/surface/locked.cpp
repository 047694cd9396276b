// SPDX-License-Identifier: GPL-3.0-or-later
// A surface mesh that was accepted before: it is taken as it is, checked against the part, and the volume follows it.
#include "mesher/surface/locked.h"
#include <set>

namespace tess {
namespace {

Problem misfit(const std::string& what, const std::string& why) {
  Problem p;
  p.fault = Fault::Input;
  p.code = "surface.locked";
  p.what = "the surface mesh that is kept does not fit the part: " + what;
  p.why = why;
  p.todo = "make the surface again and keep the new one, or take the rule out";
  return p;
}

} // namespace

Result<SurfaceMesh> surfaceOfMesh(const Mesh& mesh, const Part& part, const std::vector<int>& faceOf) {
  SurfaceMesh s;
  s.points = mesh.nodes;
  s.edgeNodes.resize(part.edges.size());
  std::vector<std::set<int>> facesAt(s.points.size());
  std::vector<double> reach(s.points.size(), 0);
  std::vector<char> covered(part.faces.size(), 0);
  for (std::size_t i = 0; i < mesh.faces.size(); ++i) {
    if (mesh.faces.type[i] != ElementType::Tri3)
      return misfit("it does not consist of triangles", "only triangles can be filled with tetrahedra");
    int f = mesh.faceLink[i];
    if (!faceOf.empty())
      f = f >= 0 && static_cast<std::size_t>(f) < faceOf.size() ? faceOf[static_cast<std::size_t>(f)] : -1;
    if (f < 0 || static_cast<std::size_t>(f) >= part.faces.size())
      return misfit("it has triangles on a face that the part does not have", "the part has other faces now");
    covered[static_cast<std::size_t>(f)] = 1;
    const auto n = mesh.faces.of(i);
    std::array<int, 3> q{n[0], n[1], n[2]};
    // Triangles run counter-clockwise seen from the side to which the face's normal points.
    const auto& bodies = part.faces[static_cast<std::size_t>(f)].bodies;
    if (bodies[0] < 0 && bodies[1] >= 0) std::swap(q[1], q[2]);
    s.triangles.push_back(q);
    s.face.push_back(f);
    for (std::size_t k = 0; k < 3; ++k) {
      facesAt[static_cast<std::size_t>(q[k])].insert(f);
      const double l =
          (s.points[static_cast<std::size_t>(q[k])] - s.points[static_cast<std::size_t>(q[(k + 1) % 3])]).norm();
      for (std::size_t e : {k, (k + 1) % 3})
        reach[static_cast<std::size_t>(q[e])] = std::max(reach[static_cast<std::size_t>(q[e])], l);
    }
  }
  for (std::size_t f = 0; f < covered.size(); ++f)
    if (!covered[f] && part.faces[f].area > 1e-4 * part.surfaceArea())
      return misfit("face " + std::to_string(f + 1) + " has no triangles", "the part has more faces now");
  const double exact = 1e-6 * part.diagonal();
  s.dim.assign(s.points.size(), Dim::Face);
  s.entity.assign(s.points.size(), -1);
  for (std::size_t v = 0; v < s.points.size(); ++v) {
    if (facesAt[v].empty()) return misfit("a point belongs to no triangle", "the file was changed");
    const Vec3& p = s.points[v];
    const int first = *facesAt[v].begin();
    const double off = (part.shape->projectToFace(first, p).point - p).norm();
    if (off > 0.3 * reach[v]) {
      Problem q = misfit("a node lies " + formatNumber(off, 3) + " " + part.unit + " beside its face",
                         "the part has another shape now");
      q.places.push_back(p);
      q.faces.push_back(first);
      q.where = "at " + formatPoint(p) + " " + part.unit;
      return q;
    }
    s.entity[v] = first;
    if (facesAt[v].size() < 2) continue;
    double best = std::max(exact, 0.3 * reach[v]);
    for (int f : facesAt[v])
      for (int e : part.faces[static_cast<std::size_t>(f)].edges) {
        const auto& edge = part.edges[static_cast<std::size_t>(e)];
        int common = 0;
        for (int g : edge.faces) common += facesAt[v].count(g) > 0;
        if (common < 2) continue;
        const double d = (part.shape->projectToEdge(e, p).point - p).norm();
        if (d < best) {
          best = d;
          s.dim[v] = Dim::Edge;
          s.entity[v] = e;
        }
      }
    if (s.dim[v] != Dim::Edge) continue;
    for (int q : part.edges[static_cast<std::size_t>(s.entity[v])].points)
      if ((part.points[static_cast<std::size_t>(q)].at - p).norm() < exact) {
        s.dim[v] = Dim::Point;
        s.entity[v] = q;
        break;
      }
  }
  return s;
}

} // namespace tess
