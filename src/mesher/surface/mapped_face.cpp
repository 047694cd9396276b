// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/mapped_face.h"
#include "base/predicates.h"

namespace tess {
namespace {

Problem unmapped(const Part& part, int face, const Vec3& at, std::string what, std::string why) {
  Problem p;
  p.fault = Fault::Meshing;
  p.code = "fill.face";
  p.what = std::move(what);
  p.why = std::move(why);
  p.faces = {face};
  p.places = {at};
  p.where = "at " + formatPoint(at) + " " + part.unit;
  p.todo = "ask for tetrahedra on the body, or for a smaller size there";
  return p;
}

/// Lengths from the first point on, as shares of the whole.
std::vector<double> shares(const std::vector<Vec3>& p) {
  std::vector<double> s{0};
  for (std::size_t i = 1; i < p.size(); ++i) s.push_back(s.back() + (p[i] - p[i - 1]).norm());
  for (double& x : s) x /= std::max(s.back(), 1e-300);
  return s;
}

} // namespace

std::vector<int> nodesAlong(const SurfaceMesh& mesh, const EdgeChain& chain) {
  std::vector<int> r;
  for (const auto& s : chain) {
    std::vector<int> nodes = mesh.edgeNodes[static_cast<std::size_t>(s.edge)];
    if (!s.forward) std::reverse(nodes.begin(), nodes.end());
    r.insert(r.end(), nodes.begin() + (r.empty() ? 0 : 1), nodes.end());
  }
  return r;
}

std::optional<Problem> addMappedFace(const Part& part, const MappedFace& face, int tetSide, SurfaceMesh& m) {
  std::array<std::vector<int>, 4> side; // from corner k to the next
  for (std::size_t k = 0; k < 4; ++k) side[k] = nodesAlong(m, face.sides[k]);
  const Vec3& middle = part.faces[static_cast<std::size_t>(face.face)].center;
  for (std::size_t k = 0; k < 2; ++k)
    if (side[k].size() != side[k + 2].size())
      return unmapped(part, face.face, middle,
                      "opposite sides of a mapped face came out with " + std::to_string(side[k].size() - 1) + " and " +
                          std::to_string(side[k + 2].size() - 1) + " elements",
                      "nodes of the shape itself could not be taken out of one of them");
  std::reverse(side[2].begin(), side[2].end()); // now along with the sides opposite
  std::reverse(side[3].begin(), side[3].end());
  FaceRows g;
  g.face = face.face;
  g.corners = face.corners;
  g.ni = static_cast<int>(side[0].size()) - 1;
  g.nj = static_cast<int>(side[1].size()) - 1;
  std::array<std::vector<Vec3>, 4> p;
  std::array<std::vector<double>, 4> s;
  for (std::size_t k = 0; k < 4; ++k) {
    for (int v : side[k]) p[k].push_back(m.points[static_cast<std::size_t>(v)]);
    s[k] = shares(p[k]);
  }
  const auto ni = static_cast<std::size_t>(g.ni), nj = static_cast<std::size_t>(g.nj);
  g.node.assign((ni + 1) * (nj + 1), -1);
  std::vector<Vec3> normal(g.node.size());
  for (std::size_t j = 0; j <= nj; ++j)
    for (std::size_t i = 0; i <= ni; ++i) {
      int& v = g.node[j * (ni + 1) + i];
      if (j == 0 || j == nj)
        v = side[j == 0 ? 0 : 2][i];
      else if (i == 0 || i == ni)
        v = side[i == 0 ? 3 : 1][j];
      if (v < 0) {
        // Where the line between the places on two opposite edges crosses that between the other two.
        const double du = s[2][i] - s[0][i], dv = s[1][j] - s[3][j], u = (s[0][i] + s[3][j] * du) / (1 - du * dv),
                     w = s[3][j] + u * dv;
        const Vec3 at =
            (1 - w) * p[0][i] + w * p[2][i] + (1 - u) * p[3][j] + u * p[1][j] -
            ((1 - u) * (1 - w) * p[0][0] + u * (1 - w) * p[0][ni] + u * w * p[2][ni] + (1 - u) * w * p[2][0]);
        const FaceProjection on = part.shape->projectToFace(face.face, at);
        v = static_cast<int>(m.points.size());
        m.points.push_back(on.point);
        m.dim.push_back(Dim::Face);
        m.entity.push_back(face.face);
        normal[j * (ni + 1) + i] = on.normal;
      } else
        normal[j * (ni + 1) + i] = part.shape->projectToFace(face.face, m.points[static_cast<std::size_t>(v)]).normal;
    }
  auto pt = [&](int v) -> const Vec3& { return m.points[static_cast<std::size_t>(v)]; };
  constexpr double kFolded = 0.1; // of the sine of a corner, as the face's normal sees it
  for (int j = 0; j < g.nj; ++j)
    for (int i = 0; i < g.ni; ++i) {
      std::array<int, 4> q{g.at(i, j), g.at(i + 1, j), g.at(i + 1, j + 1), g.at(i, j + 1)};
      const std::array<std::size_t, 4> id{static_cast<std::size_t>(j) * (ni + 1) + static_cast<std::size_t>(i),
                                          static_cast<std::size_t>(j) * (ni + 1) + static_cast<std::size_t>(i) + 1,
                                          static_cast<std::size_t>(j + 1) * (ni + 1) + static_cast<std::size_t>(i) + 1,
                                          static_cast<std::size_t>(j + 1) * (ni + 1) + static_cast<std::size_t>(i)};
      for (std::size_t k = 0; k < 4; ++k) {
        const Vec3 a = pt(q[(k + 1) % 4]) - pt(q[k]), b = pt(q[(k + 3) % 4]) - pt(q[k]);
        if (a.cross(b).dot(normal[id[k]]) < kFolded * a.norm() * b.norm())
          return unmapped(part, face.face, pt(q[k]), "rows of quadrilaterals fold on a face",
                          "its edges turn too much for the space between them to be spanned from edge to edge");
      }
      // The diagonal that lies on the tetrahedra's side of the other one: pyramids above it are valid in any case.
      const double bulge = orient3d(pt(q[0]), pt(q[1]), pt(q[2]), pt(q[3])); // > 0: the diagonal 0-2 lies behind
      if (tetSide * bulge > 0) std::rotate(q.begin(), q.begin() + 1, q.end());
      m.quads.push_back({q, face.face});
      m.triangles.push_back({q[0], q[1], q[2]});
      m.triangles.push_back({q[0], q[2], q[3]});
      m.face.push_back(face.face);
      m.face.push_back(face.face);
    }
  m.faceRows.push_back(std::move(g));
  return {};
}

} // namespace tess
