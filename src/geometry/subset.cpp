// SPDX-License-Identifier: GPL-3.0-or-later
#include "geometry/subset.h"

namespace tess {

class SubsetPart::SubsetShape : public Shape {
public:
  SubsetShape(std::shared_ptr<const Shape> shape, std::vector<int> faceOf, std::vector<int> edgeOf,
              std::vector<int> pointOf, std::vector<int> faces, std::vector<int> edges)
      : m_shape(std::move(shape)), m_faceOf(std::move(faceOf)), m_edgeOf(std::move(edgeOf)),
        m_pointOf(std::move(pointOf)), m_faces(std::move(faces)), m_edges(std::move(edges)) {}

  Vec3 edgePoint(int edge, double t) const override { return m_shape->edgePoint(own(m_edges, edge), t); }
  double edgeCurvature(int edge, double t) const override { return m_shape->edgeCurvature(own(m_edges, edge), t); }
  EdgeProjection projectToEdge(int edge, const Vec3& p) const override {
    return m_shape->projectToEdge(own(m_edges, edge), p);
  }
  FaceProjection projectToFace(int face, const Vec3& p) const override {
    return m_shape->projectToFace(own(m_faces, face), p);
  }
  Result<Tessellation> tessellate(double deflection, double angleRad, const Progress* progress) const override {
    auto t = m_shape->tessellate(deflection, angleRad, progress);
    if (t) reduce(*t);
    return t;
  }
  /// Leaves only the triangles of the faces that are there, and the points that they need.
  void reduce(Tessellation& t) const {
    Tessellation r;
    std::vector<int> number(t.points.size(), -1);
    auto point = [&](int v) {
      int& n = number[static_cast<std::size_t>(v)];
      if (n < 0) {
        n = static_cast<int>(r.points.size());
        Tessellation::Origin o = t.origin[static_cast<std::size_t>(v)];
        const auto& to = o.dim == Dim::Face ? m_faceOf : o.dim == Dim::Edge ? m_edgeOf : m_pointOf;
        o.entity = to[static_cast<std::size_t>(o.entity)];
        r.points.push_back(t.points[static_cast<std::size_t>(v)]);
        r.origin.push_back(o);
      }
      return n;
    };
    for (std::size_t i = 0; i < t.triangles.size(); ++i) {
      const int f = m_faceOf[static_cast<std::size_t>(t.triangleFace[i])];
      if (f < 0) continue;
      auto q = t.triangles[i];
      for (int& v : q) v = point(v);
      r.triangles.push_back(q);
      r.triangleFace.push_back(f);
    }
    for (int e : m_edges) {
      std::vector<int> chain;
      for (int v : t.edgeChain[static_cast<std::size_t>(e)]) chain.push_back(point(v));
      r.edgeChain.push_back(std::move(chain));
      r.edgeParam.push_back(std::move(t.edgeParam[static_cast<std::size_t>(e)]));
    }
    t = std::move(r);
  }

private:
  std::shared_ptr<const Shape> m_shape;
  std::vector<int> m_faceOf, m_edgeOf, m_pointOf, m_faces, m_edges;
  static int own(const std::vector<int>& list, int i) { return list[static_cast<std::size_t>(i)]; }
};

SubsetPart::SubsetPart(const Part& original, const std::vector<char>& leaveOut) : m_part(original) {
  auto out = [&](int body) { return body < 0 || leaveOut[static_cast<std::size_t>(body)]; };
  m_part.faces.clear();
  m_part.edges.clear();
  m_part.points.clear();
  m_faceOf.assign(original.faces.size(), -1);
  m_edgeOf.assign(original.edges.size(), -1);
  m_pointOf.assign(original.points.size(), -1);
  for (std::size_t f = 0; f < original.faces.size(); ++f) {
    PartFace face = original.faces[f];
    if (out(face.bodies[0]) && out(face.bodies[1])) continue;
    for (int& b : face.bodies)
      if (out(b)) b = -1;
    face.edges.clear();
    m_faceOf[f] = static_cast<int>(m_faces.size());
    m_faces.push_back(static_cast<int>(f));
    m_part.faces.push_back(std::move(face));
  }
  for (std::size_t e = 0; e < original.edges.size(); ++e) {
    PartEdge edge = original.edges[e];
    std::vector<int> faces;
    for (int f : edge.faces)
      if (m_faceOf[static_cast<std::size_t>(f)] >= 0) faces.push_back(m_faceOf[static_cast<std::size_t>(f)]);
    if (faces.empty()) continue;
    edge.faces = faces;
    for (int& p : edge.points) {
      int& n = m_pointOf[static_cast<std::size_t>(p)];
      if (n < 0) {
        n = static_cast<int>(m_points.size());
        m_points.push_back(p);
        m_part.points.push_back(original.points[static_cast<std::size_t>(p)]);
      }
      p = n;
    }
    m_edgeOf[e] = static_cast<int>(m_edges.size());
    for (int f : faces) m_part.faces[static_cast<std::size_t>(f)].edges.push_back(m_edgeOf[e]);
    m_edges.push_back(static_cast<int>(e));
    m_part.edges.push_back(std::move(edge));
  }
  for (std::size_t b = 0; b < m_part.bodies.size(); ++b) {
    auto& faces = m_part.bodies[b].faces;
    if (leaveOut[b]) {
      faces.clear();
      m_part.bodies[b].volume = 0;
      continue;
    }
    for (int& f : faces) f = m_faceOf[static_cast<std::size_t>(f)];
  }
  auto shape = std::make_shared<SubsetShape>(original.shape, m_faceOf, m_edgeOf, m_pointOf, m_faces, m_edges);
  shape->reduce(m_part.display);
  m_part.shape = shape;
}

} // namespace tess
