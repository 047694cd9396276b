// SPDX-License-Identifier: GPL-3.0-or-later
#include "geometry/own_triangles.h"
#include "base/edge_key.h"
#include "base/plane_triangles.h"
#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepTools_WireExplorer.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Geom2d_Curve.hxx>
#include <Poly_PolygonOnTriangulation.hxx>
#include <Poly_Triangulation.hxx>
#include <ShapeAnalysis_Surface.hxx>
#include <TColStd_Array1OfInteger.hxx>
#include <TColStd_HArray1OfReal.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Vertex.hxx>
#include <TopoDS_Wire.hxx>
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <map>
#include <unordered_map>

namespace tess {
namespace {

constexpr int kPolePieces = 8;  ///< of a degenerate edge, so that triangles fan out from a pole
constexpr int kMostRounds = 12; ///< of points put inside
constexpr std::size_t kMostTriangles = 200000;

Vec3 pointOf(const gp_Pnt& p) { return {p.X(), p.Y(), p.Z()}; }

/// An edge as it is run through by a wire of the face.
struct EdgeRun {
  TopoDS_Edge edge;
  std::vector<double> t;  ///< ascending
  std::vector<int> nodes; ///< one per parameter
};

class OwnTriangles {
public:
  OwnTriangles(const TopoDS_Face& face, double deflection)
      : m_face(TopoDS::Face(face.Oriented(TopAbs_FORWARD))), m_deflection(deflection), m_surface(m_face, false) {}

  bool make(const std::function<std::vector<double>(const TopoDS_Edge&)>& division) {
    for (TopExp_Explorer w(m_face, TopAbs_WIRE); w.More(); w.Next()) addWire(TopoDS::Wire(w.Current()), division);
    if (m_boundary.size() < 3) return false;
    scale();
    if (!fill(m_uv) && !fillAnew() && !fillFlat()) return false;
    if (m_onSurface) refine();
    install();
    return true;
  }

private:
  TopoDS_Face m_face;
  double m_deflection;
  BRepAdaptor_Surface m_surface;
  std::vector<EdgeRun> m_runs;
  std::vector<Vec2> m_uv; ///< of each node
  std::vector<Vec3> m_at;
  std::vector<int> m_place; ///< which nodes are one point of space: a pole, the two sides of a seam
  std::vector<std::array<int, 2>> m_boundary;
  TopTools_IndexedMapOfShape m_vertices;
  std::vector<int> m_vertexPlace; ///< by index of the vertex - 1
  std::vector<std::array<int, 3>> m_triangles;
  double m_su = 1, m_sv = 1;
  bool m_onSurface = true; ///< the triangles were made in the parameter plane

  int addNode(const Vec2& uv, const Vec3& at, int place) {
    m_uv.push_back(uv);
    m_at.push_back(at);
    m_place.push_back(place >= 0 ? place : static_cast<int>(m_at.size()) - 1);
    return static_cast<int>(m_at.size()) - 1;
  }

  void addWire(const TopoDS_Wire& wire, const std::function<std::vector<double>(const TopoDS_Edge&)>& division) {
    std::vector<TopoDS_Edge> edges;
    for (BRepTools_WireExplorer e(wire, m_face); e.More(); e.Next()) edges.push_back(e.Current());
    std::size_t all = 0;
    for (TopExp_Explorer e(wire, TopAbs_EDGE); e.More(); e.Next()) all += e.Current().Orientation() != TopAbs_INTERNAL;
    if (edges.size() < all) { // the explorer stops where a wire does not close: as the edges stand in the file
      edges.clear();
      for (TopExp_Explorer e(wire, TopAbs_EDGE); e.More(); e.Next())
        if (e.Current().Orientation() == TopAbs_FORWARD || e.Current().Orientation() == TopAbs_REVERSED)
          edges.push_back(TopoDS::Edge(e.Current()));
    }
    std::vector<int> loop;
    for (const auto& e : edges) {
      double a, b;
      const Handle(Geom2d_Curve) curve = BRep_Tool::CurveOnSurface(e, m_face, a, b);
      if (curve.IsNull()) continue;
      EdgeRun run{e, {}, {}};
      const bool pole = BRep_Tool::Degenerated(e);
      if (pole)
        for (int i = 0; i <= kPolePieces; ++i) run.t.push_back(a + (b - a) * i / kPolePieces);
      else
        run.t = division(e);
      if (run.t.size() < 2) continue;
      TopoDS_Vertex first, last;
      TopExp::Vertices(TopoDS::Edge(e.Oriented(TopAbs_FORWARD)), first, last);
      const double t0 = run.t.front(), t1 = run.t.back();
      for (std::size_t i = 0; i < run.t.size(); ++i) {
        // Where curve and parameter curve run over different ranges, the same share of them is meant.
        const double s = (run.t[i] - t0) / (t1 - t0);
        const gp_Pnt2d q = curve->Value(a + s * (b - a));
        const bool end = i == 0 || i + 1 == run.t.size();
        Vec3 at;
        int place = -1;
        if (end || pole) {
          const TopoDS_Vertex& v = i == 0 || pole ? first : last;
          at = pointOf(BRep_Tool::Pnt(v));
          if (const int known = m_vertices.FindIndex(v))
            place = m_vertexPlace[static_cast<std::size_t>(known - 1)];
          else {
            m_vertices.Add(v);
            m_vertexPlace.push_back(static_cast<int>(m_at.size()));
          }
        } else
          at = pointOf(BRepAdaptor_Curve(e).Value(run.t[i]));
        run.nodes.push_back(addNode({q.X(), q.Y()}, at, place));
      }
      std::vector<int> path = run.nodes;
      if (e.Orientation() == TopAbs_REVERSED) std::reverse(path.begin(), path.end());
      m_runs.push_back(std::move(run));
      loop.insert(loop.end(), path.begin(), path.end());
    }
    // Neighbouring edges meet in one node where they do in the plane; else a short piece closes the gap between them.
    for (std::size_t i = 0; i < loop.size(); ++i) m_boundary.push_back({loop[i], loop[(i + 1) % loop.size()]});
  }

  /// Makes lengths in the parameter plane about those in space.
  void scale() {
    double u = 0, v = 0;
    for (std::size_t i = 0; i < m_uv.size(); i += std::max<std::size_t>(1, m_uv.size() / 16)) {
      gp_Pnt p;
      gp_Vec du, dv;
      m_surface.D1(m_uv[i].x(), m_uv[i].y(), p, du, dv);
      u = std::max(u, du.Magnitude());
      v = std::max(v, dv.Magnitude());
    }
    if (u > 0 && v > 0) m_su = u, m_sv = v;
  }

  /// Fills between the boundary in a plane; nodes of one place that lie together there become one.
  bool fill(const std::vector<Vec2>& plane) {
    std::vector<Vec3> points;
    double size = 0;
    for (const auto& q : plane) points.emplace_back(m_su * q.x(), m_sv * q.y(), 0);
    for (const auto& p : points) size = std::max(size, (p - points[0]).norm());
    const double near = 1e-9 * size; // rounding; what lies further apart in the plane is two sides of something
    std::vector<int> to(points.size());
    std::map<int, std::vector<int>> ofPlace;
    for (std::size_t i = 0; i < points.size(); ++i) {
      to[i] = static_cast<int>(i);
      auto& others = ofPlace[m_place[i]];
      for (int o : others)
        if ((points[static_cast<std::size_t>(o)] - points[i]).norm() <= near) to[i] = o;
      if (to[i] == static_cast<int>(i)) others.push_back(to[i]);
    }
    std::vector<std::array<int, 2>> edges;
    for (const auto& e : m_boundary) {
      const int a = to[static_cast<std::size_t>(e[0])], b = to[static_cast<std::size_t>(e[1])];
      if (a != b) edges.push_back({a, b});
    }
    auto triangles = fillPlane(points, edges, Vec3(0, 0, 1));
    if (triangles.empty()) return false;
    m_triangles = std::move(triangles);
    for (auto& run : m_runs)
      for (int& n : run.nodes) n = to[static_cast<std::size_t>(n)];
    m_uv = plane;
    return true;
  }

  /// Parameter curves may be wrong where the edges in space are right: their points are looked for on the surface.
  bool fillAnew() {
    ShapeAnalysis_Surface search(BRep_Tool::Surface(m_face));
    std::vector<Vec2> plane = m_uv;
    bool any = false;
    for (const auto& run : m_runs) {
      if (BRep_Tool::Degenerated(run.edge)) continue;
      for (std::size_t i = 1; i + 1 < run.nodes.size(); ++i) {
        const auto n = static_cast<std::size_t>(run.nodes[i]), b = static_cast<std::size_t>(run.nodes[i - 1]);
        const gp_Pnt2d q = search.NextValueOfUV(gp_Pnt2d(plane[b].x(), plane[b].y()),
                                                gp_Pnt(m_at[n].x(), m_at[n].y(), m_at[n].z()), 1e-7);
        plane[n] = {q.X(), q.Y()};
        any = any || (plane[n] - m_uv[n]).norm() > 0;
      }
    }
    return any && fill(plane);
  }

  /// Last, in the plane that the boundary lies closest to.
  bool fillFlat() {
    Vec3 normal = Vec3::Zero();
    for (const auto& e : m_boundary)
      normal += (m_at[static_cast<std::size_t>(e[0])] - m_at[0]).cross(m_at[static_cast<std::size_t>(e[1])] - m_at[0]);
    if (!(normal.norm() > 0)) return false;
    const Vec3 x = normal.unitOrthogonal(), y = normal.normalized().cross(x);
    std::vector<Vec2> plane, uv = m_uv;
    for (const auto& p : m_at) plane.emplace_back(x.dot(p - m_at[0]), y.dot(p - m_at[0]));
    m_su = m_sv = 1;
    if (!fill(plane)) return false;
    m_uv = uv; // the nodes' places on the surface stay what they were
    m_onSurface = false;
    return true;
  }

  Vec2 flat(int n) const {
    const auto& q = m_uv[static_cast<std::size_t>(n)];
    return {m_su * q.x(), m_sv * q.y()};
  }
  static double cross(const Vec2& a, const Vec2& b, const Vec2& c) {
    return (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
  }

  /// Halves inner edges whose chord is too far from the surface, then flips to what is closer to Delaunay.
  void refine() {
    for (int round = 0; round < kMostRounds && m_triangles.size() < kMostTriangles; ++round) {
      std::map<std::uint64_t, int> uses;
      for (const auto& t : m_triangles)
        for (std::size_t k = 0; k < 3; ++k) ++uses[edgeKey(t[k], t[(k + 1) % 3])];
      std::unordered_map<std::uint64_t, int> middle;
      for (const auto& [e, count] : uses) {
        if (count != 2) continue;
        const auto a = static_cast<int>(e >> 32), b = static_cast<int>(e & 0xffffffff);
        const Vec2 uv = 0.5 * (m_uv[static_cast<std::size_t>(a)] + m_uv[static_cast<std::size_t>(b)]);
        const Vec3 at = pointOf(m_surface.Value(uv.x(), uv.y()));
        const Vec3 chord = 0.5 * (m_at[static_cast<std::size_t>(a)] + m_at[static_cast<std::size_t>(b)]);
        if ((at - chord).norm() > m_deflection) middle[e] = addNode(uv, at, -1);
      }
      if (middle.empty()) return;
      std::vector<std::array<int, 3>> next;
      for (const auto& t : m_triangles) {
        std::array<int, 3> m;
        int n = 0;
        for (std::size_t k = 0; k < 3; ++k) {
          const auto it = middle.find(edgeKey(t[k], t[(k + 1) % 3]));
          m[k] = it == middle.end() ? -1 : it->second;
          n += m[k] >= 0;
        }
        if (n == 3) {
          next.push_back({m[0], m[1], m[2]});
          for (std::size_t k = 0; k < 3; ++k) next.push_back({t[k], m[k], m[(k + 2) % 3]});
          continue;
        }
        std::size_t k = 0;
        if (n == 1)
          while (m[k] < 0) ++k;
        else
          while (n == 2 && m[(k + 2) % 3] >= 0) ++k; // m[k] and m[k + 1] are there
        const int a = t[k % 3], b = t[(k + 1) % 3], c = t[(k + 2) % 3];
        if (n == 0)
          next.push_back(t);
        else if (n == 1) {
          next.push_back({a, m[k % 3], c});
          next.push_back({m[k % 3], b, c});
        } else {
          const int p = m[k % 3], q = m[(k + 1) % 3];
          next.push_back({p, b, q});
          next.push_back({a, p, q});
          next.push_back({a, q, c});
        }
      }
      m_triangles = std::move(next);
      flip();
    }
  }

  void flip() {
    for (int pass = 0; pass < 4; ++pass) {
      std::map<std::uint64_t, std::vector<int>> at;
      for (std::size_t i = 0; i < m_triangles.size(); ++i)
        for (std::size_t k = 0; k < 3; ++k)
          at[edgeKey(m_triangles[i][k], m_triangles[i][(k + 1) % 3])].push_back(static_cast<int>(i));
      std::vector<char> touched(m_triangles.size(), 0);
      bool any = false;
      for (const auto& [e, both] : at) {
        if (both.size() != 2) continue;
        auto &s = m_triangles[static_cast<std::size_t>(both[0])], &t = m_triangles[static_cast<std::size_t>(both[1])];
        if (touched[static_cast<std::size_t>(both[0])] || touched[static_cast<std::size_t>(both[1])]) continue;
        const int a = static_cast<int>(e >> 32), b = static_cast<int>(e & 0xffffffff);
        std::size_t k = 0;
        while (edgeKey(s[k], s[(k + 1) % 3]) != e) ++k;
        const int from = s[k], to = s[(k + 1) % 3], c = s[(k + 2) % 3];
        int d = -1;
        for (int v : t)
          if (v != a && v != b) d = v;
        if (d < 0 || c == d || at.count(edgeKey(c, d))) continue;
        const Vec2 A = flat(from), B = flat(to), C = flat(c), D = flat(d);
        const double before = std::min(cross(A, B, C), cross(B, A, D)), x = cross(C, D, B), y = cross(D, C, A);
        if (!(std::min(x, y) > 0.1 * before)) continue; // it stays a triangulation of the same region
        // Angles opposite the edge sum to more than 180 degrees.
        auto cosine = [](const Vec2& p, const Vec2& q, const Vec2& r) {
          return (q - p).dot(r - p) / std::max(1e-300, (q - p).norm() * (r - p).norm());
        };
        const double alpha = std::acos(std::clamp(cosine(C, A, B), -1.0, 1.0)),
                     beta = std::acos(std::clamp(cosine(D, A, B), -1.0, 1.0));
        if (alpha + beta < M_PI + 1e-6) continue;
        s = {c, d, to};
        t = {d, c, from};
        touched[static_cast<std::size_t>(both[0])] = touched[static_cast<std::size_t>(both[1])] = 1;
        any = true;
      }
      if (!any) return;
    }
  }

  void install() {
    // Only nodes of triangles and of edges, numbered from 1.
    std::vector<int> number(m_at.size(), 0);
    int count = 0;
    for (const auto& t : m_triangles)
      for (int v : t)
        if (!number[static_cast<std::size_t>(v)]) number[static_cast<std::size_t>(v)] = ++count;
    for (const auto& run : m_runs)
      for (int v : run.nodes)
        if (!number[static_cast<std::size_t>(v)]) number[static_cast<std::size_t>(v)] = ++count;
    const Handle(Poly_Triangulation) tri = new Poly_Triangulation(count, static_cast<int>(m_triangles.size()), true);
    const TopLoc_Location where = m_face.Location();
    const gp_Trsf back = where.IsIdentity() ? gp_Trsf() : where.Transformation().Inverted();
    for (std::size_t i = 0; i < m_at.size(); ++i) {
      if (!number[i]) continue;
      tri->SetNode(number[i], gp_Pnt(m_at[i].x(), m_at[i].y(), m_at[i].z()).Transformed(back));
      tri->SetUVNode(number[i], gp_Pnt2d(m_uv[i].x(), m_uv[i].y()));
    }
    auto of = [&](int v) { return number[static_cast<std::size_t>(v)]; };
    for (std::size_t i = 0; i < m_triangles.size(); ++i)
      tri->SetTriangle(static_cast<int>(i) + 1,
                       Poly_Triangle(of(m_triangles[i][0]), of(m_triangles[i][1]), of(m_triangles[i][2])));
    tri->Deflection(m_deflection);
    BRep_Builder builder;
    builder.UpdateFace(m_face, tri);
    auto polygon = [&](const EdgeRun& run) -> Handle(Poly_PolygonOnTriangulation) {
      const int n = static_cast<int>(run.nodes.size());
      TColStd_Array1OfInteger nodes(1, n);
      TColStd_Array1OfReal t(1, n);
      for (int i = 0; i < n; ++i) {
        nodes(i + 1) = of(run.nodes[static_cast<std::size_t>(i)]);
        t(i + 1) = run.t[static_cast<std::size_t>(i)];
      }
      return new Poly_PolygonOnTriangulation(nodes, t);
    };
    for (std::size_t i = 0; i < m_runs.size(); ++i) {
      const EdgeRun& run = m_runs[i];
      std::size_t other = m_runs.size(); // the seam's other side
      for (std::size_t k = 0; k < m_runs.size(); ++k)
        if (k != i && m_runs[k].edge.IsSame(run.edge)) other = k;
      if (other == m_runs.size())
        builder.UpdateEdge(run.edge, polygon(run), tri, where);
      else if (other > i) {
        const bool forward = run.edge.Orientation() == TopAbs_FORWARD;
        const EdgeRun &one = forward ? run : m_runs[other], &two = forward ? m_runs[other] : run;
        builder.UpdateEdge(TopoDS::Edge(run.edge.Oriented(TopAbs_FORWARD)), polygon(one), polygon(two), tri, where);
      }
    }
  }
};

} // namespace

bool triangulateFace(const TopoDS_Face& face, double deflection,
                     const std::function<std::vector<double>(const TopoDS_Edge&)>& division) {
  return OwnTriangles(face, deflection).make(division);
}

} // namespace tess
