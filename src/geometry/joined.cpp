// SPDX-License-Identifier: GPL-3.0-or-later
#include "geometry/joined.h"
#include "base/bvh.h"
#include <cmath>

namespace tess {

class JoinedPart::JoinedShape : public Shape {
public:
  JoinedShape(const Part& original, const std::vector<int>& faceOf, const std::vector<int>& edgeOf,
              const std::vector<int>& edges, std::size_t faces)
      : m_shape(original.shape), m_faceOf(faceOf), m_edgeOf(edgeOf), m_edges(edges), m_pieces(faces) {
    for (std::size_t e = 0; e < original.edges.size(); ++e)
      m_edgeFace.push_back(original.edges[e].faces.empty() ? -1 : original.edges[e].faces.front());
    std::vector<char> followed(original.points.size(), 0);
    m_pointFace.assign(original.points.size(), -1);
    for (std::size_t e = 0; e < original.edges.size(); ++e)
      for (int p : original.edges[e].points) {
        if (p < 0) continue;
        followed[static_cast<std::size_t>(p)] |= edgeOf[e] >= 0;
        m_pointFace[static_cast<std::size_t>(p)] = m_edgeFace[e];
      }
    for (std::size_t p = 0; p < followed.size(); ++p)
      if (followed[p]) m_pointFace[p] = -1;
    for (std::size_t f = 0; f < faceOf.size(); ++f)
      m_pieces[static_cast<std::size_t>(faceOf[f])].original.push_back(static_cast<int>(f));
    const Tessellation& t = original.display;
    for (std::size_t i = 0; i < t.triangles.size(); ++i) {
      Pieces& piece = m_pieces[static_cast<std::size_t>(faceOf[static_cast<std::size_t>(t.triangleFace[i])])];
      if (piece.original.size() < 2) continue;
      std::array<Vec3, 3> corners;
      for (std::size_t k = 0; k < 3; ++k) corners[k] = t.points[static_cast<std::size_t>(t.triangles[i][k])];
      piece.triangles.push_back(corners);
      piece.face.push_back(t.triangleFace[i]);
    }
    for (auto& piece : m_pieces) {
      std::vector<Box> boxes(piece.triangles.size());
      for (std::size_t i = 0; i < boxes.size(); ++i)
        for (const Vec3& p : piece.triangles[i]) boxes[i].add(p);
      piece.tree.build(boxes);
    }
  }

  int originalFace(int face, const Vec3& p) const {
    const Pieces& piece = m_pieces[static_cast<std::size_t>(face)];
    if (piece.original.size() == 1) return piece.original.front();
    double best = std::numeric_limits<double>::max();
    int found = piece.tree.minimum(
        best, [&](const Box& b, int) { return b.distance2(p); },
        [&](int i) {
          const auto& t = piece.triangles[static_cast<std::size_t>(i)];
          const Vec3 w = closestOnTriangle(p, t[0], t[1], t[2]);
          return (p - (w[0] * t[0] + w[1] * t[1] + w[2] * t[2])).squaredNorm();
        });
    return found < 0 ? piece.original.front() : piece.face[static_cast<std::size_t>(found)];
  }

  Vec3 edgePoint(int edge, double t) const override { return m_shape->edgePoint(own(edge), t); }
  double edgeCurvature(int edge, double t) const override { return m_shape->edgeCurvature(own(edge), t); }
  EdgeProjection projectToEdge(int edge, const Vec3& p) const override { return m_shape->projectToEdge(own(edge), p); }
  FaceProjection projectToFace(int face, const Vec3& p) const override {
    return m_shape->projectToFace(originalFace(face, p), p);
  }
  Result<Tessellation> tessellate(double deflection, double angleRad, const Progress* progress) const override {
    auto t = m_shape->tessellate(deflection, angleRad, progress);
    if (t) translate(*t);
    return t;
  }
  void translate(Tessellation& t) const {
    for (int& f : t.triangleFace) f = m_faceOf[static_cast<std::size_t>(f)];
    for (auto& o : t.origin) {
      int face = -1;
      if (o.dim == Dim::Face)
        face = o.entity;
      else if (o.dim == Dim::Edge && m_edgeOf[static_cast<std::size_t>(o.entity)] < 0)
        face = m_edgeFace[static_cast<std::size_t>(o.entity)];
      else if (o.dim == Dim::Point)
        face = m_pointFace[static_cast<std::size_t>(o.entity)];
      if (face >= 0)
        o = {Dim::Face, m_faceOf[static_cast<std::size_t>(face)], 0};
      else if (o.dim == Dim::Edge)
        o.entity = m_edgeOf[static_cast<std::size_t>(o.entity)];
    }
    std::vector<std::vector<int>> chain;
    std::vector<std::vector<double>> param;
    for (int e : m_edges) {
      chain.push_back(std::move(t.edgeChain[static_cast<std::size_t>(e)]));
      param.push_back(std::move(t.edgeParam[static_cast<std::size_t>(e)]));
    }
    t.edgeChain = std::move(chain);
    t.edgeParam = std::move(param);
  }

private:
  struct Pieces {
    std::vector<int> original;
    std::vector<std::array<Vec3, 3>> triangles; ///< of the display, where there is more than one face
    std::vector<int> face;                      ///< of the triangles
    Bvh tree;
  };
  std::shared_ptr<const Shape> m_shape;
  std::vector<int> m_faceOf, m_edgeOf, m_edges;
  std::vector<int> m_edgeFace;  ///< a face of each original edge
  std::vector<int> m_pointFace; ///< a face of each original point that no followed edge meets; else -1
  std::vector<Pieces> m_pieces;
  int own(int edge) const { return m_edges[static_cast<std::size_t>(edge)]; }
};

JoinedPart::JoinedPart(const Part& original, const std::vector<char>& ignore) : m_part(original) {
  const std::size_t faces = original.faces.size();
  std::vector<int> root(faces);
  std::iota(root.begin(), root.end(), 0);
  auto find = [&](int f) {
    while (root[static_cast<std::size_t>(f)] != f)
      f = root[static_cast<std::size_t>(f)] = root[static_cast<std::size_t>(root[static_cast<std::size_t>(f)])];
    return f;
  };
  m_edgeOf.assign(original.edges.size(), -1);
  for (std::size_t e = 0; e < original.edges.size(); ++e) {
    const auto& pair = original.edges[e].faces;
    const bool joins = e < ignore.size() && ignore[e] && pair.size() == 2 &&
                       original.faces[static_cast<std::size_t>(pair[0])].bodies ==
                           original.faces[static_cast<std::size_t>(pair[1])].bodies;
    if (!joins) {
      m_edgeOf[e] = static_cast<int>(m_edges.size());
      m_edges.push_back(static_cast<int>(e));
      continue;
    }
    const int a = find(pair[0]), b = find(pair[1]);
    root[static_cast<std::size_t>(std::max(a, b))] = std::min(a, b);
  }
  m_faceOf.assign(faces, -1);
  m_part.faces.clear();
  for (std::size_t f = 0; f < faces; ++f) {
    const int r = find(static_cast<int>(f));
    const PartFace& own = original.faces[f];
    if (r == static_cast<int>(f)) {
      m_faceOf[f] = static_cast<int>(m_part.faces.size());
      m_part.faces.push_back(own);
      m_part.faces.back().edges.clear();
      continue;
    }
    m_faceOf[f] = m_faceOf[static_cast<std::size_t>(r)];
    PartFace& all = m_part.faces[static_cast<std::size_t>(m_faceOf[f])];
    // A plane stays one only where all of it lies in one.
    const bool samePlane = all.kind == SurfaceKind::Plane && own.kind == SurfaceKind::Plane &&
                           all.axis.dot(own.axis) > 1 - 1e-12 &&
                           std::abs(all.axis.dot(own.center - all.center)) < 1e-9 * original.diagonal();
    if (!samePlane) {
      all.kind = SurfaceKind::Other;
      all.radius = 0;
    }
    all.center = (all.area * all.center + own.area * own.center) / std::max(all.area + own.area, 1e-300);
    all.area += own.area;
    all.box.add(own.box.lo);
    all.box.add(own.box.hi);
  }
  m_part.edges.clear();
  for (int e : m_edges) {
    PartEdge edge = original.edges[static_cast<std::size_t>(e)];
    for (int& f : edge.faces) f = m_faceOf[static_cast<std::size_t>(f)];
    std::sort(edge.faces.begin(), edge.faces.end());
    edge.faces.erase(std::unique(edge.faces.begin(), edge.faces.end()), edge.faces.end());
    for (int f : edge.faces)
      m_part.faces[static_cast<std::size_t>(f)].edges.push_back(static_cast<int>(m_part.edges.size()));
    m_part.edges.push_back(std::move(edge));
  }
  for (auto& body : m_part.bodies) {
    for (int& f : body.faces) f = m_faceOf[static_cast<std::size_t>(f)];
    std::sort(body.faces.begin(), body.faces.end());
    body.faces.erase(std::unique(body.faces.begin(), body.faces.end()), body.faces.end());
  }
  auto shape = std::make_shared<JoinedShape>(original, m_faceOf, m_edgeOf, m_edges, m_part.faces.size());
  shape->translate(m_part.display);
  m_shape = shape;
  m_part.shape = shape;
}

int JoinedPart::originalFace(int face, const Vec3& p) const { return m_shape->originalFace(face, p); }

double joinAngle(const Part& part, int edge) {
  const PartEdge& e = part.edges[static_cast<std::size_t>(edge)];
  if (e.faces.size() != 2) return kPi;
  double most = 0;
  for (double share : {0.02, 0.25, 0.5, 0.75, 0.98}) {
    const Vec3 p = part.shape->edgePoint(edge, e.t0 + share * (e.t1 - e.t0));
    const Vec3 a = part.shape->projectToFace(e.faces[0], p).normal, b = part.shape->projectToFace(e.faces[1], p).normal;
    most = std::max(most, std::atan2(a.cross(b).norm(), a.dot(b)));
  }
  return most;
}

} // namespace tess
