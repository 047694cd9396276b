// SPDX-License-Identifier: GPL-3.0-or-later
// Shape questions over kernel faces and curves. Analytic surfaces are answered in closed form; on free-form ones the
// nearest triangle of the tessellation gives the start of a Newton search for the foot of the perpendicular.
#include "geometry/kernel_shape.h"
#include "base/bvh.h"
#include "base/edge_key.h"
#include "geometry/facet_shape.h"
#include "geometry/kernel_import.h"
#include "geometry/kernel_signals.h"
#include "geometry/own_triangles.h"
#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepGProp.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepOffsetAPI_MakeThickSolid.hxx>
#include <BRepOffsetAPI_ThruSections.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeRevol.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepPrimAPI_MakeTorus.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <GCPnts_AbscissaPoint.hxx>
#include <GCPnts_TangentialDeflection.hxx>
#include <GProp_GProps.hxx>
#include <GeomAdaptor_Surface.hxx>
#include <Geom_OffsetSurface.hxx>
#include <Geom_RectangularTrimmedSurface.hxx>
#include <IMeshTools_Parameters.hxx>
#include <Message_ProgressIndicator.hxx>
#include <Poly_PolygonOnTriangulation.hxx>
#include <Poly_Triangulation.hxx>
#include <Standard_ErrorHandler.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopTools_ListOfShape.hxx>
#include <TopoDS.hxx>
#include <gp_Circ.hxx>
#include <gp_Cone.hxx>
#include <gp_Cylinder.hxx>
#include <gp_Pln.hxx>
#include <gp_Sphere.hxx>
#include <gp_Torus.hxx>
#include <sstream>
#include <unordered_set>

namespace tess {
namespace {

Vec3 toVec(const gp_Pnt& p) { return {p.X(), p.Y(), p.Z()}; }
Vec3 toVec(const gp_Dir& p) { return {p.X(), p.Y(), p.Z()}; }
Vec3 toVec(const gp_Vec& p) { return {p.X(), p.Y(), p.Z()}; }

struct KernelFace {
  TopoDS_Face face; ///< oriented so that its normal leaves the body behind it
  BRepAdaptor_Surface surface;
  SurfaceKind kind = SurfaceKind::Other;
  Vec3 origin, axis, xdir;
  double r1 = 0, r2 = 0; ///< radii; for a cone: radius at the origin and sine of the half angle
  double tanHalf = 0;
  bool flipped = false; ///< true: normal is opposite to du x dv
  double u0, u1, v0, v1;
  // An offset surface shares its normals with the surface it is offset from, whose derivatives cost much less.
  std::unique_ptr<GeomAdaptor_Surface> basis;
  double offset = 0;
  // Start points of the search, filled by the display tessellation.
  Bvh tree;
  std::vector<std::array<Vec3, 3>> triangles;
  std::vector<std::array<Vec2, 3>> params;
  mutable std::mutex lock; // free-form adaptors keep a cache
};

struct KernelEdge {
  TopoDS_Edge edge;
  BRepAdaptor_Curve curve;
  double t0 = 0, t1 = 1;
  std::vector<Vec3> chain;
  std::vector<double> params;
  mutable std::mutex lock;
};

class KernelShape final : public Shape {
public:
  std::vector<std::unique_ptr<KernelFace>> faces;
  std::vector<std::unique_ptr<KernelEdge>> edges;
  TopoDS_Compound all;
  TopTools_IndexedMapOfShape faceMap, edgeMap, vertexMap; ///< kernel entities; edgeMap holds seams too
  std::vector<int> edgeOf;                                ///< edgeMap index - 1 -> part edge or -1 (seam, pole)
  std::vector<int> pointOf;                               ///< vertexMap index - 1 -> part point or -1
  std::vector<char> degenerate;
  mutable std::mutex meshLock;
  KernelModel model; ///< what it was made from

  Vec3 edgePoint(int edge, double t) const override {
    const auto& e = *edges[static_cast<std::size_t>(edge)];
    std::lock_guard g(e.lock);
    return toVec(e.curve.Value(t));
  }
  double edgeCurvature(int edge, double t) const override {
    const auto& e = *edges[static_cast<std::size_t>(edge)];
    std::lock_guard g(e.lock);
    if (e.curve.GetType() == GeomAbs_Line) return 0;
    gp_Pnt p;
    gp_Vec d1, d2;
    e.curve.D2(t, p, d1, d2);
    double l = d1.Magnitude();
    return l > 1e-12 ? d1.Crossed(d2).Magnitude() / (l * l * l) : 0;
  }
  EdgeProjection projectToEdge(int edge, const Vec3& p) const override {
    const auto& e = *edges[static_cast<std::size_t>(edge)];
    double best = std::numeric_limits<double>::max(), t = e.t0;
    for (std::size_t i = 0; i + 1 < e.chain.size(); ++i) {
      double s = closestOnSegment(p, e.chain[i], e.chain[i + 1]);
      double d = (p - (e.chain[i] + s * (e.chain[i + 1] - e.chain[i]))).squaredNorm();
      if (d < best) {
        best = d;
        t = e.params[i] + s * (e.params[i + 1] - e.params[i]);
      }
    }
    std::lock_guard g(e.lock);
    gp_Pnt q, bestPoint = e.curve.Value(t);
    double bestT = t, bestD = (p - toVec(bestPoint)).squaredNorm();
    for (int k = 0; k < 6; ++k) {
      gp_Vec d1, d2;
      e.curve.D2(t, q, d1, d2);
      gp_Vec r(p.x() - q.X(), p.y() - q.Y(), p.z() - q.Z());
      double f = r.Dot(d1), df = r.Dot(d2) - d1.SquareMagnitude();
      if (df >= 0) df = -d1.SquareMagnitude();
      if (df == 0) break;
      double next = std::clamp(t - f / df, e.t0, e.t1);
      if (std::abs(next - t) <= 1e-14 * (e.t1 - e.t0)) break;
      t = next;
      gp_Pnt c = e.curve.Value(t);
      double d = (p - toVec(c)).squaredNorm();
      if (d < bestD) {
        bestD = d;
        bestT = t;
        bestPoint = c;
      }
    }
    return {toVec(bestPoint), bestT};
  }
  FaceProjection projectToFace(int face, const Vec3& p) const override;
  Result<Tessellation> tessellate(double deflection, double angleRad, const Progress* progress) const override;
  Result<Tessellation> tessellateOnce(double deflection, double angleRad, bool otherWay, const Progress* progress,
                                      const std::vector<char>* own = nullptr) const;
  std::vector<double> divisionOf(const TopoDS_Edge& edge, double deflection, double angleRad) const;
};

FaceProjection analytic(const KernelFace& f, const Vec3& p) {
  FaceProjection r;
  Vec3 d = p - f.origin;
  double h = d.dot(f.axis);
  Vec3 radial = d - h * f.axis;
  double rho = radial.norm();
  Vec3 out = rho > 0 ? Vec3(radial / rho) : f.xdir;
  switch (f.kind) {
  case SurfaceKind::Plane:
    r.point = p - h * f.axis;
    r.normal = f.axis;
    break;
  case SurfaceKind::Cylinder:
    r.point = f.origin + h * f.axis + f.r1 * out;
    r.normal = out;
    r.curvature = 1 / f.r1;
    break;
  case SurfaceKind::Sphere: {
    double l = d.norm();
    r.normal = l > 0 ? Vec3(d / l) : f.axis;
    r.point = f.origin + f.r1 * r.normal;
    r.curvature = 1 / f.r1;
    break;
  }
  case SurfaceKind::Torus: {
    Vec3 ring = f.origin + f.r1 * out;
    Vec3 e = p - ring;
    double l = e.norm();
    r.normal = l > 0 ? Vec3(e / l) : out;
    r.point = ring + f.r2 * r.normal;
    double across = std::abs(r.normal.dot(out)) /
                    std::max((r.point - f.origin - (r.point - f.origin).dot(f.axis) * f.axis).norm(), 1e-300);
    r.curvature = std::max(1 / f.r2, across);
    break;
  }
  case SurfaceKind::Cone: {
    // In the half plane through p the generator is radius = r1 + h tan(a); its foot is found by a plain projection.
    double c = 1 / std::sqrt(1 + f.tanHalf * f.tanHalf), s = f.tanHalf * c;
    double along = (h)*c + (rho - f.r1) * s;
    double radius = f.r1 + along * s;
    if (radius < 0) { // p lies on the other nappe's side: stay at the apex
      along = -f.r1 / s;
      radius = 0;
    }
    r.point = f.origin + along * c * f.axis + radius * out;
    r.normal = c * out - s * f.axis;
    r.curvature = radius > 0 ? c / radius : 1e30;
    break;
  }
  case SurfaceKind::Other:
    break;
  }
  // The closed forms give the outward side of the axis; the face may look inwards.
  if (f.flipped && f.kind != SurfaceKind::Plane) r.normal = -r.normal;
  return r;
}

/// The foot of the perpendicular from p onto a free-form surface, by Newton's method from (u, v): full steps where the
/// Hessian of the squared distance is positive, Gauss-Newton ones elsewhere; the best place seen is returned.
struct SurfaceFoot {
  gp_Pnt at;
  gp_Vec du, dv, duu, dvv, duv;
};

SurfaceFoot perpendicularFoot(const Adaptor3d_Surface& surface, const KernelFace& f, const Vec3& p, double u,
                              double v) {
  SurfaceFoot r;
  double bestD = std::numeric_limits<double>::max(), bestU = u, bestV = v;
  bool current = false, last = false; // whether r is that of the best place; evaluations are what costs
  for (int k = 0; k < 8; ++k) {
    surface.D2(u, v, r.at, r.du, r.dv, r.duu, r.dvv, r.duv);
    Vec3 e = toVec(r.at) - p, a = toVec(r.du), b = toVec(r.dv);
    double d = e.squaredNorm();
    current = d < bestD;
    if (current) {
      bestD = d;
      bestU = u;
      bestV = v;
    } else if (k > 2)
      break;
    if (last) break;
    double gu = e.dot(a), gv = e.dot(b);
    double huu = a.dot(a) + e.dot(toVec(r.duu)), hvv = b.dot(b) + e.dot(toVec(r.dvv)),
           huv = a.dot(b) + e.dot(toVec(r.duv));
    double det = huu * hvv - huv * huv;
    if (huu <= 0 || det <= 1e-12 * a.squaredNorm() * b.squaredNorm()) {
      huu = a.dot(a);
      hvv = b.dot(b);
      huv = a.dot(b);
      det = huu * hvv - huv * huv;
      if (det <= 1e-14 * huu * hvv || det <= 0) break;
    }
    double nu = std::clamp(u - (gu * hvv - gv * huv) / det, f.u0, f.u1);
    double nv = std::clamp(v - (gv * huu - gu * huv) / det, f.v0, f.v1);
    const double step = std::max(std::abs(nu - u) / (f.u1 - f.u0), std::abs(nv - v) / (f.v1 - f.v0));
    if (step <= 1e-13) break;
    last = step <= 1e-8; // the next step would be about the square of this one
    u = nu;
    v = nv;
  }
  if (!current) surface.D2(bestU, bestV, r.at, r.du, r.dv, r.duu, r.dvv, r.duv);
  return r;
}

/// Point, normal (along du x dv) and largest curvature at a foot; nothing at a pole or where an offset folds.
std::optional<FaceProjection> describeFoot(const SurfaceFoot& s, double offset) {
  const Vec3 a = toVec(s.du), b = toVec(s.dv);
  Vec3 n = a.cross(b);
  const double l = n.norm();
  if (l <= 1e-10 * (a.squaredNorm() + b.squaredNorm())) return {};
  n /= l;
  // Principal curvatures from the two fundamental forms, positive where the surface bends towards the normal.
  const double E = a.dot(a), F = a.dot(b), G = b.dot(b), L = n.dot(toVec(s.duu)), M = n.dot(toVec(s.duv)),
               N = n.dot(toVec(s.dvv));
  const double det = E * G - F * F, gauss = (L * N - M * M) / det, mean = (E * N - 2 * F * M + G * L) / (2 * det);
  const double root = std::sqrt(std::max(0.0, mean * mean - gauss));
  FaceProjection r;
  for (double k : {mean - root, mean + root}) {
    const double shrink = 1 - offset * k; // parallel surfaces: radii differ by the offset
    if (shrink <= 1e-3) return {};
    r.curvature = std::max(r.curvature, std::abs(k) / shrink);
  }
  r.point = toVec(s.at) + offset * n;
  r.normal = n;
  return r;
}

FaceProjection KernelShape::projectToFace(int face, const Vec3& p) const {
  const KernelFace& f = *faces[static_cast<std::size_t>(face)];
  if (f.kind != SurfaceKind::Other) return analytic(f, p);
  double best = std::numeric_limits<double>::max();
  int tri = f.tree.minimum(
      best, [&](const Box& b, int) { return b.distance2(p); },
      [&](int i) {
        const auto& t = f.triangles[static_cast<std::size_t>(i)];
        Vec3 w = closestOnTriangle(p, t[0], t[1], t[2]);
        return (p - (w[0] * t[0] + w[1] * t[1] + w[2] * t[2])).squaredNorm();
      });
  double u = 0.5 * (f.u0 + f.u1), v = 0.5 * (f.v0 + f.v1);
  if (tri >= 0) {
    const auto& t = f.triangles[static_cast<std::size_t>(tri)];
    const auto& q = f.params[static_cast<std::size_t>(tri)];
    Vec3 w = closestOnTriangle(p, t[0], t[1], t[2]);
    Vec2 uv = w[0] * q[0] + w[1] * q[1] + w[2] * q[2];
    u = uv.x();
    v = uv.y();
  }
  std::lock_guard g(f.lock);
  std::optional<FaceProjection> r;
  if (f.basis) r = describeFoot(perpendicularFoot(*f.basis, f, p, u, v), f.offset);
  if (!r) {
    const SurfaceFoot foot = perpendicularFoot(f.surface, f, p, u, v);
    r = describeFoot(foot, 0);
    if (!r) { // pole: the normal of the triangle nearby is the best there is
      r.emplace();
      r->point = toVec(foot.at);
      const auto* t = tri >= 0 ? &f.triangles[static_cast<std::size_t>(tri)] : nullptr;
      r->normal = t ? triangleNormal((*t)[0], (*t)[1], (*t)[2]) : Vec3(0, 0, 1);
      return *r;
    }
  }
  if (f.flipped) r->normal = -r->normal;
  return *r;
}

namespace {

/// A face whose triangles leave a gap or overlap: an edge inside it that does not join two triangles of opposite
/// direction. -1 when all faces are whole.
int brokenFace(const Tessellation& t, std::size_t faces) {
  std::unordered_set<std::uint64_t> lines;
  for (const auto& c : t.edgeChain)
    for (std::size_t i = 0; i + 1 < c.size(); ++i) lines.insert(edgeKey(c[i], c[i + 1]));
  std::vector<std::vector<std::size_t>> ofFace(faces);
  for (std::size_t i = 0; i < t.triangles.size(); ++i) ofFace[static_cast<std::size_t>(t.triangleFace[i])].push_back(i);
  std::vector<std::pair<std::uint64_t, int>> sides;
  for (std::size_t f = 0; f < faces; ++f) {
    sides.clear();
    for (std::size_t i : ofFace[f])
      for (std::size_t k = 0; k < 3; ++k) {
        int a = t.triangles[i][k], b = t.triangles[i][(k + 1) % 3];
        sides.push_back({edgeKey(a, b), a < b ? 1 : -1});
      }
    std::sort(sides.begin(), sides.end());
    for (std::size_t i = 0; i < sides.size();) {
      std::size_t j = i;
      int sum = 0;
      for (; j < sides.size() && sides[j].first == sides[i].first; ++j) sum += sides[j].second;
      if ((sum != 0 || j - i > 2) && !lines.count(sides[i].first)) return static_cast<int>(f);
      i = j;
    }
  }
  return -1;
}

/// Lets the kernel know of a stop: it asks between faces and between the points it puts into a face.
class StopWatcher : public Message_ProgressIndicator {
public:
  explicit StopWatcher(const Progress* progress) : m_progress(progress) {}
  Standard_Boolean UserBreak() override { return m_progress && m_progress->stopped(); }

protected:
  void Show(const Message_ProgressScope&, const Standard_Boolean) override {}

private:
  const Progress* m_progress;
};

} // namespace

/// The kernel's triangulation of a valid face can fail or leave holes at one setting and be whole at the next.
Result<Tessellation> KernelShape::tessellate(double deflection, double angleRad, const Progress* progress) const {
  struct Setting {
    double deflection, angle;
    bool otherWay;
  };
  std::optional<Result<Tessellation>> last;
  for (const Setting& s :
       {Setting{1, 1, false}, Setting{0.6, 0.7, false}, Setting{0.3, 0.5, false}, Setting{1, 1, true},
        Setting{1.8, 1, false}, Setting{0.1, 0.35, false}, Setting{0.3, 0.5, true}}) {
    auto t = tessellateOnce(s.deflection * deflection, s.angle * angleRad, s.otherWay, progress);
    if (t && brokenFace(*t, faces.size()) < 0) return t;
    if (!last || (t && !last->ok())) last = std::move(t);
  }
  // Faces that the kernel finds no whole triangulation for get one of our own, one after the other as they show.
  std::vector<char> own(faces.size(), 0);
  for (std::size_t n = 0; n < faces.size(); ++n) {
    auto t = tessellateOnce(deflection, angleRad, false, progress, &own);
    const int broken = t ? brokenFace(*t, faces.size()) : t.problem().faces.empty() ? -1 : t.problem().faces[0];
    if (t && broken < 0) return t;
    if (broken < 0 || own[static_cast<std::size_t>(broken)]) break;
    own[static_cast<std::size_t>(broken)] = 1;
  }
  return std::move(*last); // a hole that is left ends the run as a leak with its place
}

/// Parameters at which an edge is divided by the faces that have triangles; where none has, by its own bend.
std::vector<double> KernelShape::divisionOf(const TopoDS_Edge& e, double deflection, double angleRad) const {
  TopLoc_Location loc;
  const int k = edgeMap.FindIndex(e);
  for (const auto& f : faces) {
    const Handle(Poly_Triangulation) tri = BRep_Tool::Triangulation(f->face, loc);
    if (tri.IsNull()) continue;
    const Handle(Poly_PolygonOnTriangulation) poly =
        BRep_Tool::PolygonOnTriangulation(TopoDS::Edge(edgeMap(k)), tri, loc);
    if (poly.IsNull() || !poly->HasParameters()) continue;
    std::vector<double> t;
    for (int i = 1; i <= poly->NbNodes(); ++i) t.push_back(poly->Parameter(i));
    return t;
  }
  const BRepAdaptor_Curve curve(e);
  GCPnts_TangentialDeflection points(curve, angleRad, deflection);
  std::vector<double> t;
  for (int i = 1; i <= points.NbPoints(); ++i) t.push_back(points.Parameter(i));
  return t;
}

Result<Tessellation> KernelShape::tessellateOnce(double deflection, double angleRad, bool otherWay,
                                                 const Progress* progress, const std::vector<char>* own) const {
  std::lock_guard guard(meshLock); // the kernel stores triangulations on the shape itself
  auto fail = [&](int face, const std::string& why) {
    Problem p;
    p.code = "face.no-tessellation";
    p.fault = Fault::Input;
    p.what = "face " + std::to_string(face + 1) + " could not be triangulated";
    p.faces.push_back(face);
    p.why = why;
    p.todo = "mend this face in the part";
    return p;
  };
  try {
    OCC_CATCH_SIGNALS
    BRepTools::Clean(all);
    IMeshTools_Parameters settings;
    settings.Deflection = deflection;
    settings.Angle = angleRad;
#if defined(__SANITIZE_THREAD__)
    settings.InParallel = false; // the thread sanitizer does not see how the kernel orders its tasks
#else
    settings.InParallel = true;
#endif
    settings.MeshAlgo = otherWay ? IMeshTools_MeshAlgoType_Delabella : IMeshTools_MeshAlgoType_Watson;
    const Handle(StopWatcher) watcher = new StopWatcher(progress);
    BRepMesh_IncrementalMesh mesher(all, settings, watcher->Start());
    if (progress) progress->check();
    if (own) {
      BRep_Builder builder;
      std::vector<TopoDS_Face> todo;
      for (std::size_t i = 0; i < faces.size(); ++i) {
        TopLoc_Location loc;
        const bool none = BRep_Tool::Triangulation(faces[i]->face, loc).IsNull();
        if (!none && !(*own)[i]) continue;
        builder.UpdateFace(faces[i]->face, Handle(Poly_Triangulation)());
        todo.push_back(faces[i]->face);
      }
      for (const auto& face : todo)
        triangulateFace(face, deflection, [&](const TopoDS_Edge& e) { return divisionOf(e, deflection, angleRad); });
    }
  } catch (const Standard_Failure& e) {
    return fail(0, e.GetMessageString());
  }

  Tessellation t;
  std::vector<int> vertexId(static_cast<std::size_t>(vertexMap.Extent()), -1);
  auto addPoint = [&](const Vec3& p, Tessellation::Origin o) {
    t.points.push_back(p);
    t.origin.push_back(o);
    return static_cast<int>(t.points.size()) - 1;
  };
  auto vertexOf = [&](const TopoDS_Vertex& v) {
    int k = vertexMap.FindIndex(v) - 1;
    int& id = vertexId[static_cast<std::size_t>(k)];
    if (id < 0) {
      int point = pointOf[static_cast<std::size_t>(k)];
      id = addPoint(toVec(BRep_Tool::Pnt(v)), {point >= 0 ? Dim::Point : Dim::Face, point, 0});
    }
    return id;
  };
  t.edgeChain.resize(edges.size());
  t.edgeParam.resize(edges.size());
  std::vector<std::vector<int>> chainOf(static_cast<std::size_t>(edgeMap.Extent()));
  for (int fi = 0; fi < static_cast<int>(faces.size()); ++fi) {
    const KernelFace& f = *faces[static_cast<std::size_t>(fi)];
    TopLoc_Location loc;
    Handle(Poly_Triangulation) tri = BRep_Tool::Triangulation(f.face, loc);
    if (tri.IsNull() || tri->NbTriangles() == 0) {
      Problem p = fail(fi, "the geometry kernel found no triangles for it");
      GProp_GProps g;
      BRepGProp::SurfaceProperties(f.face, g);
      p.places.push_back(toVec(g.CentreOfMass()));
      p.where = "around " + formatPoint(p.places.front());
      return p;
    }
    const gp_Trsf& trsf = loc.Transformation();
    std::vector<int> node(static_cast<std::size_t>(tri->NbNodes()), -1);
    for (TopExp_Explorer ex(f.face, TopAbs_EDGE); ex.More(); ex.Next()) {
      const TopoDS_Edge& e = TopoDS::Edge(ex.Current());
      Handle(Poly_PolygonOnTriangulation) poly = BRep_Tool::PolygonOnTriangulation(e, tri, loc);
      if (poly.IsNull()) continue;
      int k = edgeMap.FindIndex(e) - 1;
      auto& chain = chainOf[static_cast<std::size_t>(k)];
      TopoDS_Vertex first, last;
      TopExp::Vertices(TopoDS::Edge(edgeMap(k + 1)), first, last); // in the edge's own direction
      int n = poly->NbNodes();
      if (degenerate[static_cast<std::size_t>(k)]) {
        int id = vertexOf(first);
        for (int i = 1; i <= n; ++i) node[static_cast<std::size_t>(poly->Node(i) - 1)] = id;
        if (t.origin[static_cast<std::size_t>(id)].dim == Dim::Face) t.origin[static_cast<std::size_t>(id)].entity = fi;
        continue;
      }
      if (chain.empty()) {
        int part = edgeOf[static_cast<std::size_t>(k)];
        chain.push_back(vertexOf(first));
        for (int i = 2; i < n; ++i) {
          Tessellation::Origin o{part >= 0 ? Dim::Edge : Dim::Face, part >= 0 ? part : fi, 0};
          if (poly->HasParameters()) o.t = poly->Parameter(i);
          gp_Pnt p = tri->Node(poly->Node(i));
          p.Transform(trsf);
          chain.push_back(addPoint(toVec(p), o));
        }
        chain.push_back(vertexOf(last));
        if (part >= 0) {
          const KernelEdge& ke = *edges[static_cast<std::size_t>(part)];
          auto& params = t.edgeParam[static_cast<std::size_t>(part)];
          for (int i = 1; i <= n; ++i)
            params.push_back(poly->HasParameters() ? poly->Parameter(i) : ke.t0 + (ke.t1 - ke.t0) * (i - 1) / (n - 1));
          params.front() = ke.t0;
          params.back() = ke.t1;
          t.edgeChain[static_cast<std::size_t>(part)] = chain;
        }
      }
      if (static_cast<int>(chain.size()) != n) {
        Problem p = fail(fi, "its edges are divided differently on the neighbouring face");
        p.places.push_back(t.points[static_cast<std::size_t>(chain.front())]);
        p.where = "at " + formatPoint(p.places.front());
        return p;
      }
      for (int i = 1; i <= n; ++i) {
        int id = chain[static_cast<std::size_t>(i - 1)];
        node[static_cast<std::size_t>(poly->Node(i) - 1)] = id;
        auto& o = t.origin[static_cast<std::size_t>(id)];
        if (o.dim == Dim::Face) o.entity = fi; // ends of seams and poles
      }
    }
    for (int i = 1; i <= tri->NbNodes(); ++i) {
      int& id = node[static_cast<std::size_t>(i - 1)];
      if (id >= 0) continue;
      gp_Pnt p = tri->Node(i);
      p.Transform(trsf);
      id = addPoint(toVec(p), {Dim::Face, fi, 0});
    }
    bool reversed = f.face.Orientation() == TopAbs_REVERSED;
    for (int i = 1; i <= tri->NbTriangles(); ++i) {
      int a, b, c;
      tri->Triangle(i).Get(a, b, c);
      if (reversed) std::swap(b, c);
      std::array<int, 3> v{node[static_cast<std::size_t>(a - 1)], node[static_cast<std::size_t>(b - 1)],
                           node[static_cast<std::size_t>(c - 1)]};
      if (v[0] == v[1] || v[1] == v[2] || v[2] == v[0]) continue;
      t.triangles.push_back(v);
      t.triangleFace.push_back(fi);
    }
  }
  return t;
}

/// Keeps the start points for the searches of projectToFace and projectToEdge.
void keepSearchStarts(KernelShape& s, const Tessellation& t) {
  for (std::size_t e = 0; e < s.edges.size(); ++e) {
    for (int v : t.edgeChain[e]) s.edges[e]->chain.push_back(t.points[static_cast<std::size_t>(v)]);
    s.edges[e]->params = t.edgeParam[e];
  }
  for (auto& fp : s.faces) {
    KernelFace& f = *fp;
    if (f.kind != SurfaceKind::Other) continue;
    TopLoc_Location loc;
    Handle(Poly_Triangulation) tri = BRep_Tool::Triangulation(f.face, loc);
    if (tri.IsNull() || !tri->HasUVNodes()) continue;
    std::vector<Box> boxes;
    for (int i = 1; i <= tri->NbTriangles(); ++i) {
      int n[3];
      tri->Triangle(i).Get(n[0], n[1], n[2]);
      if (f.face.Orientation() == TopAbs_REVERSED) std::swap(n[1], n[2]);
      std::array<Vec3, 3> p;
      std::array<Vec2, 3> q;
      Box box;
      for (int k = 0; k < 3; ++k) {
        p[static_cast<std::size_t>(k)] = toVec(tri->Node(n[k]).Transformed(loc.Transformation()));
        gp_Pnt2d uv = tri->UVNode(n[k]);
        q[static_cast<std::size_t>(k)] = Vec2(uv.X(), uv.Y());
        box.add(p[static_cast<std::size_t>(k)]);
      }
      f.triangles.push_back(p);
      f.params.push_back(q);
      boxes.push_back(box);
    }
    f.tree.build(boxes);
  }
}

/// Sets `basis` when the kernel's offset surface is where its basis and the offset say, tried at nine places.
void takeBasis(KernelFace& f) {
  Handle(Geom_Surface) surface = BRep_Tool::Surface(f.face);
  while (auto trimmed = Handle(Geom_RectangularTrimmedSurface)::DownCast(surface)) surface = trimmed->BasisSurface();
  auto offset = Handle(Geom_OffsetSurface)::DownCast(surface);
  if (offset.IsNull()) return;
  auto basis = std::make_unique<GeomAdaptor_Surface>(offset->BasisSurface());
  const double scale = std::abs(offset->Offset());
  for (double s : {0.25, 0.5, 0.75})
    for (double t : {0.25, 0.5, 0.75}) {
      const double u = f.u0 + s * (f.u1 - f.u0), v = f.v0 + t * (f.v1 - f.v0);
      gp_Pnt p;
      gp_Vec du, dv;
      basis->D1(u, v, p, du, dv);
      const gp_Vec n = du.Crossed(dv);
      if (n.Magnitude() <= 1e-12) return;
      const Vec3 there = toVec(p) + offset->Offset() * toVec(n).normalized();
      if ((there - toVec(f.surface.Value(u, v))).norm() > 1e-9 * (1 + scale)) return;
    }
  f.offset = offset->Offset();
  f.basis = std::move(basis);
}

std::unique_ptr<KernelFace> describeFace(const TopoDS_Face& face) {
  auto f = std::make_unique<KernelFace>();
  f->face = face;
  f->surface.Initialize(face, true);
  f->flipped = face.Orientation() == TopAbs_REVERSED;
  f->u0 = f->surface.FirstUParameter();
  f->u1 = f->surface.LastUParameter();
  f->v0 = f->surface.FirstVParameter();
  f->v1 = f->surface.LastVParameter();
  auto frame = [&](const gp_Ax3& a) {
    f->origin = toVec(a.Location());
    f->axis = toVec(a.Direction());
    f->xdir = toVec(a.XDirection());
    if (!a.Direct()) f->flipped = !f->flipped; // left-handed frame: du x dv looks inwards
  };
  switch (f->surface.GetType()) {
  case GeomAbs_Plane: {
    f->kind = SurfaceKind::Plane;
    frame(f->surface.Plane().Position());
    // The normal of a plane is its axis of a direct frame; for left-handed frames du x dv is opposite to it.
    gp_Pnt p;
    gp_Vec du, dv;
    f->surface.D1(0, 0, p, du, dv);
    f->axis = toVec(du.Crossed(dv)).normalized();
    if (face.Orientation() == TopAbs_REVERSED) f->axis = -f->axis;
    break;
  }
  case GeomAbs_Cylinder:
    f->kind = SurfaceKind::Cylinder;
    frame(f->surface.Cylinder().Position());
    f->r1 = f->surface.Cylinder().Radius();
    break;
  case GeomAbs_Sphere:
    f->kind = SurfaceKind::Sphere;
    frame(f->surface.Sphere().Position());
    f->r1 = f->surface.Sphere().Radius();
    break;
  case GeomAbs_Torus:
    frame(f->surface.Torus().Position());
    f->r1 = f->surface.Torus().MajorRadius();
    f->r2 = f->surface.Torus().MinorRadius();
    f->kind = f->r2 < f->r1 ? SurfaceKind::Torus : SurfaceKind::Other; // a self-crossing torus needs the search
    break;
  case GeomAbs_Cone:
    f->kind = SurfaceKind::Cone;
    frame(f->surface.Cone().Position());
    f->r1 = f->surface.Cone().RefRadius();
    f->tanHalf = std::tan(f->surface.Cone().SemiAngle());
    if (f->v0 * std::sin(f->surface.Cone().SemiAngle()) + f->r1 < -1e-9 * std::abs(f->r1) &&
        f->v1 * std::sin(f->surface.Cone().SemiAngle()) + f->r1 < 1e-9 * std::abs(f->r1))
      f->kind = SurfaceKind::Other; // the face lies on the far nappe
    break;
  default:
    break;
  }
  if (f->surface.GetType() == GeomAbs_OffsetSurface) takeBasis(*f);
  // Searched faces take their normal from du x dv itself, whatever the frame's hand.
  if (f->kind == SurfaceKind::Other) f->flipped = face.Orientation() == TopAbs_REVERSED;
  return f;
}

void describeEdges(KernelShape& s, const KernelModel& model, Part& part) {
  // A seam closes one face only; a pole has no length. Neither is an edge an engineer would see.
  s.edgeOf.assign(static_cast<std::size_t>(s.edgeMap.Extent()), -1);
  s.degenerate.assign(static_cast<std::size_t>(s.edgeMap.Extent()), 0);
  std::vector<std::vector<int>> facesOf(static_cast<std::size_t>(s.edgeMap.Extent()));
  std::vector<char> seam(static_cast<std::size_t>(s.edgeMap.Extent()), 0);
  for (std::size_t fi = 0; fi < s.faces.size(); ++fi)
    for (TopExp_Explorer ex(s.faces[fi]->face, TopAbs_EDGE); ex.More(); ex.Next()) {
      std::size_t k = static_cast<std::size_t>(s.edgeMap.FindIndex(ex.Current()) - 1);
      if (facesOf[k].empty() || facesOf[k].back() != static_cast<int>(fi))
        facesOf[k].push_back(static_cast<int>(fi));
      else if (BRep_Tool::IsClosed(TopoDS::Edge(ex.Current()), s.faces[fi]->face))
        seam[k] = 1;
    }
  s.pointOf.assign(static_cast<std::size_t>(s.vertexMap.Extent()), -1);
  std::vector<int> pointUse;
  std::vector<char> onlyRings;
  auto pointId = [&](const TopoDS_Vertex& v) {
    int& id = s.pointOf[static_cast<std::size_t>(s.vertexMap.FindIndex(v) - 1)];
    if (id < 0) {
      id = static_cast<int>(part.points.size());
      part.points.push_back({toVec(BRep_Tool::Pnt(v))});
      pointUse.push_back(0);
      onlyRings.push_back(1);
    }
    return id;
  };
  for (int k = 0; k < s.edgeMap.Extent(); ++k) {
    const TopoDS_Edge& e = TopoDS::Edge(s.edgeMap(k + 1));
    s.degenerate[static_cast<std::size_t>(k)] = BRep_Tool::Degenerated(e);
    if (s.degenerate[static_cast<std::size_t>(k)]) continue;
    if (seam[static_cast<std::size_t>(k)] && facesOf[static_cast<std::size_t>(k)].size() == 1) continue;
    auto ke = std::make_unique<KernelEdge>();
    ke->edge = e;
    ke->curve.Initialize(e);
    ke->t0 = ke->curve.FirstParameter();
    ke->t1 = ke->curve.LastParameter();
    PartEdge pe;
    TopoDS_Vertex first, last;
    TopExp::Vertices(e, first, last);
    pe.points = {pointId(first), pointId(last)};
    bool ring = pe.points[0] == pe.points[1];
    for (int p : pe.points) {
      ++pointUse[static_cast<std::size_t>(p)];
      if (!ring) onlyRings[static_cast<std::size_t>(p)] = 0;
    }
    pe.faces = facesOf[static_cast<std::size_t>(k)];
    pe.t0 = ke->t0;
    pe.t1 = ke->t1;
    pe.length = GCPnts_AbscissaPoint::Length(ke->curve);
    s.edgeOf[static_cast<std::size_t>(k)] = static_cast<int>(s.edges.size());
    for (int f : pe.faces) part.faces[static_cast<std::size_t>(f)].edges.push_back(static_cast<int>(s.edges.size()));
    s.edges.push_back(std::move(ke));
    if (model.originOf.IsBound(e)) pe.from = model.originOf.Find(e);
    if (model.cutOf.IsBound(e)) pe.cut = model.cutOf.Find(e);
    part.edges.push_back(pe);
  }
  for (int k = 1; k <= s.vertexMap.Extent(); ++k)
    if (const int p = s.pointOf[static_cast<std::size_t>(k - 1)]; p >= 0 && model.originOf.IsBound(s.vertexMap(k)))
      part.points[static_cast<std::size_t>(p)].from = model.originOf.Find(s.vertexMap(k));
  for (std::size_t p = 0; p < part.points.size(); ++p) part.points[p].hidden = onlyRings[p] && pointUse[p] == 2;
}

} // namespace

Result<Part> partFromKernelModel(KernelModel model, const LoadOptions& options) {
  Part part;
  auto shape = std::make_shared<KernelShape>();
  part.format = model.format;
  part.unit = model.unit;
  part.unitAssumed = model.unitAssumed;
  if (!options.unit.empty() && options.unit != model.unit) {
    part.fileUnit = model.unit;
    part.unit = options.unit;
    part.unitAssumed = false;
  }
  part.problems = model.problems;
  for (auto& b : model.bodies) {
    PartBody body;
    body.name = b.name;
    body.of = b.of;
    body.from = b.from;
    body.space = b.space;
    body.color = b.color;
    part.bodies.push_back(body);
  }
  BRep_Builder().MakeCompound(shape->all);
  std::vector<double> volumes;
  for (std::size_t i = 0; i < model.solids.size(); ++i) {
    const TopoDS_Shape& solid = model.solids[i];
    int body = model.solidBody[i];
    const double volume = model.volumes.empty() ? solidVolume(solid) : model.volumes[i];
    const bool inverted = volume < 0;
    volumes.push_back(volume);
    part.bodies[static_cast<std::size_t>(body)].volume += std::abs(volume);
    BRep_Builder().Add(shape->all, solid);
    for (TopExp_Explorer ex(solid, TopAbs_FACE); ex.More(); ex.Next()) {
      TopoDS_Face face = TopoDS::Face(ex.Current());
      if (face.Orientation() != TopAbs_FORWARD && face.Orientation() != TopAbs_REVERSED) continue;
      if (inverted) face.Reverse();
      int known = shape->faceMap.FindIndex(face) - 1;
      if (known >= 0) {
        auto& pf = part.faces[static_cast<std::size_t>(known)];
        bool same = shape->faces[static_cast<std::size_t>(known)]->face.Orientation() == face.Orientation();
        int& slot = pf.bodies[same ? 0 : 1];
        if (slot < 0) slot = body;
        continue;
      }
      shape->faceMap.Add(face);
      auto kf = describeFace(face);
      PartFace pf;
      pf.kind = kf->kind;
      pf.axis = kf->axis.allFinite() && kf->kind != SurfaceKind::Other && kf->kind != SurfaceKind::Sphere
                    ? kf->axis
                    : Vec3(0, 0, 0);
      pf.radius = kf->kind == SurfaceKind::Torus                                         ? kf->r2
                  : kf->kind == SurfaceKind::Cylinder || kf->kind == SurfaceKind::Sphere ? kf->r1
                                                                                         : 0;
      GProp_GProps a;
      BRepGProp::SurfaceProperties(face, a, 1e-3);
      pf.area = a.Mass();
      pf.center = toVec(a.CentreOfMass());
      pf.bodies[0] = body;
      if (model.faceInfoOf.IsBound(face)) {
        const auto& info = model.faceInfo[static_cast<std::size_t>(model.faceInfoOf.Find(face))];
        pf.name = info.name;
        pf.color = info.color;
      }
      if (model.originOf.IsBound(face)) pf.from = model.originOf.Find(face);
      if (model.cutOf.IsBound(face)) pf.cut = model.cutOf.Find(face);
      shape->faces.push_back(std::move(kf));
      part.faces.push_back(pf);
    }
  }
  for (std::size_t f = 0; f < shape->faces.size(); ++f) {
    TopExp::MapShapes(shape->faces[f]->face, TopAbs_EDGE, shape->edgeMap);
    TopExp::MapShapes(shape->faces[f]->face, TopAbs_VERTEX, shape->vertexMap);
    for (int b : part.faces[f].bodies)
      if (b >= 0) {
        auto& list = part.bodies[static_cast<std::size_t>(b)].faces;
        if (list.empty() || list.back() != static_cast<int>(f)) list.push_back(static_cast<int>(f));
      }
  }
  describeEdges(*shape, model, part);
  Bnd_Box rough;
  BRepBndLib::Add(shape->all, rough, false);
  double scale = rough.IsVoid() ? 0 : std::sqrt(rough.SquareExtent());
  auto t = shape->tessellate(1e-3 * std::max(scale, 1e-9), 15 * kPi / 180, nullptr);
  if (!t) return t.problem();
  part.display = *t;
  keepSearchStarts(*shape, part.display);
  for (std::size_t i = 0; i < part.display.triangles.size(); ++i) {
    auto& f = part.faces[static_cast<std::size_t>(part.display.triangleFace[i])];
    for (int v : part.display.triangles[i]) f.box.add(part.display.points[static_cast<std::size_t>(v)]);
  }
  for (auto& b : part.bodies)
    for (int f : b.faces) b.box.add(part.faces[static_cast<std::size_t>(f)].box);
  model.volumes = std::move(volumes);
  shape->model = std::move(model);
  part.shape = shape;
  return part;
}

std::optional<KernelSource> kernelSourceOf(const Part& part) {
  const auto* shape = dynamic_cast<const KernelShape*>(part.shape.get());
  if (!shape) return {};
  return KernelSource{shape->model, shape->faceMap, shape->edgeMap, shape->vertexMap, shape->edgeOf, shape->pointOf};
}

Result<Part> loadKernelPart(const std::string& path, const std::string& ext, const LoadOptions& options,
                            Progress* progress) {
  auto model = importKernelModel(path, ext, options, progress);
  if (!model) return model.problem();
  if (progress) progress->check();
  KernelSignals signals;
  try {
    OCC_CATCH_SIGNALS
    return partFromKernelModel(std::move(*model), options);
  } catch (const Standard_Failure& e) {
    Problem p;
    p.code = "file.unreadable";
    p.what = "the part cannot be used";
    p.where = path;
    p.why = std::string("the geometry kernel gave up: ") + e.GetMessageString();
    p.todo = "export the part again, or mend it";
    return p;
  }
}

Result<Part> makeKernelPart(const std::string& recipe, const LoadOptions& options) {
  std::istringstream in(recipe);
  std::string what;
  in >> what;
  double a = 0, b = 0, c = 0;
  in >> a >> b >> c;
  KernelModel model;
  model.unit = "mm";
  model.format = "made";
  TopoDS_Compound loose;
  BRep_Builder().MakeCompound(loose);
  auto add = [&](const TopoDS_Shape& s) { BRep_Builder().Add(loose, s); };
  if (what == "box")
    add(BRepPrimAPI_MakeBox(a, b, c).Solid());
  else if (what == "cylinder")
    add(BRepPrimAPI_MakeCylinder(a, b).Solid());
  else if (what == "sphere")
    add(BRepPrimAPI_MakeSphere(a).Solid());
  else if (what == "torus")
    add(BRepPrimAPI_MakeTorus(a, b).Solid());
  else if (what == "boxes")
    for (int i = 0; i < static_cast<int>(a); ++i)
      add(BRepPrimAPI_MakeBox(gp_Pnt(i, 0, 0), gp_Pnt(i + 1, 1, 1)).Solid());
  else if (what == "grid") { // a x b x c bricks, each a little different
    auto at = [](int i, double more) { return i + more * std::sin(3.0 * i); };
    for (int i = 0; i < static_cast<int>(a); ++i)
      for (int j = 0; j < static_cast<int>(b); ++j)
        for (int k = 0; k < static_cast<int>(c); ++k)
          add(BRepPrimAPI_MakeBox(gp_Pnt(at(i, 0.2), at(j, 0.15), at(k, 0.1)),
                                  gp_Pnt(at(i + 1, 0.2), at(j + 1, 0.15), at(k + 1, 0.1)))
                  .Solid());
  } else if (what == "buried") { // a cube of edge `a` in the middle of a box that comes first
    add(BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 0), gp_Pnt(2, 2, 2)).Solid());
    add(BRepPrimAPI_MakeBox(gp_Pnt(1 - a / 2, 1 - a / 2, 1 - a / 2), gp_Pnt(1 + a / 2, 1 + a / 2, 1 + a / 2)).Solid());
  } else if (what == "apart") { // a plate and a smaller block above it, with a gap of `a` between them
    add(BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 0), gp_Pnt(10, 10, 1)).Solid());
    add(BRepPrimAPI_MakeBox(gp_Pnt(3, 3, 1 + a), gp_Pnt(7, 7, 3 + a)).Solid());
  } else if (what == "overlap") {
    add(BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 0), gp_Pnt(2, 1, 1)).Solid());
    add(BRepPrimAPI_MakeBox(gp_Pnt(2 - a, 0.2, 0.2), gp_Pnt(4, 0.8, 0.8)).Solid());
  } else if (what == "step") { // two boxes whose tops differ by `a`: a narrow face between them
    add(BRepAlgoAPI_Fuse(BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 0), gp_Pnt(20, 10, 5)).Solid(),
                         BRepPrimAPI_MakeBox(gp_Pnt(12, 3, 2), gp_Pnt(18, 7, 5 + a)).Solid())
            .Shape());
  } else if (what == "drilled") { // a block of 20 x 16 x 12 with two holes of radius `a` that cross off their middles
    TopoDS_Shape s = BRepAlgoAPI_Cut(BRepPrimAPI_MakeBox(20, 16, 12).Solid(),
                                     BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(10, 8, -1), gp::DZ()), a, 14).Solid())
                         .Shape();
    add(BRepAlgoAPI_Cut(s, BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(-1, 8 + 0.6 * a, 6), gp::DX()), a, 22).Solid())
            .Shape());
  } else if (what == "taper") { // a plate a x b, thick c at x = 0 and d at x = a; a wedge where d is 0
    double d = c;
    in >> d;
    gp_Pnt p[4] = {{0, 0, 0}, {a, 0, 0}, {a, 0, d}, {0, 0, c}};
    BRepBuilderAPI_MakePolygon side = d > 0 ? BRepBuilderAPI_MakePolygon(p[0], p[1], p[2], p[3], true)
                                            : BRepBuilderAPI_MakePolygon(p[0], p[1], p[3], true);
    add(BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(side.Wire()).Face(), gp_Vec(0, b, 0)).Shape());
  } else if (what == "plate") { // 60 x 40 x 6 at x = a, b holes of radius 4, the first moved by c; then: top split,
                                // holes cut in reverse order
    int split = 0, reverse = 0;
    in >> split >> reverse;
    TopoDS_Shape s = BRepPrimAPI_MakeBox(gp_Pnt(a, 0, 0), 60, 40, 6).Solid();
    int n = static_cast<int>(b);
    for (int k = 0; k < n; ++k) {
      int i = reverse ? n - 1 - k : k;
      gp_Ax2 axis(gp_Pnt(a + 12 + 13 * i + (i ? 0 : c), 20, -1), gp::DZ());
      s = BRepAlgoAPI_Cut(s, BRepPrimAPI_MakeCylinder(axis, 4, 8).Solid()).Shape();
    }
    if (split) // a shallow recess over the right part of the top
      s = BRepAlgoAPI_Cut(s, BRepPrimAPI_MakeBox(gp_Pnt(a + 40, -1, 5), 30, 42, 2).Solid()).Shape();
    add(s);
  } else if (what == "joined") { // a block of 20 x 10 x 5 made of two: lines round it at the distance a from its end
    add(BRepAlgoAPI_Fuse(BRepPrimAPI_MakeBox(20 - a, 10, 5).Solid(),
                         BRepPrimAPI_MakeBox(gp_Pnt(20 - a, 0, 0), gp_Pnt(20, 10, 5)).Solid())
            .Shape());
  } else if (what == "halves") { // a cylinder of radius a and height b made of two halves
    add(BRepAlgoAPI_Fuse(BRepPrimAPI_MakeCylinder(gp_Ax2(gp::Origin(), gp::DZ(), gp::DX()), a, b, M_PI).Solid(),
                         BRepPrimAPI_MakeCylinder(gp_Ax2(gp::Origin(), gp::DZ(), -gp::DX()), a, b, M_PI).Solid())
            .Shape());
  } else if (what == "groove") { // a ring with a round groove of radius `a` in its top, and a ball of radius `b` in it
    add(BRepAlgoAPI_Cut(BRepAlgoAPI_Cut(BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, -2 * a), gp::DZ()), 6 * a, 2 * a),
                                        BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, -3 * a), gp::DZ()), 2 * a, 4 * a))
                            .Shape(),
                        BRepPrimAPI_MakeTorus(4 * a, a).Solid())
            .Shape());
    add(BRepPrimAPI_MakeSphere(gp_Pnt(4 * a, 0, 0), b).Solid());
  } else if (what == "slit") { // a block of 12 x 10 x 8 with a slit `a` wide and 2 high that opens at x = 12 only
    add(BRepAlgoAPI_Cut(BRepPrimAPI_MakeBox(12, 10, 8).Solid(),
                        BRepPrimAPI_MakeBox(gp_Pnt(2, 5, 3), gp_Pnt(13, 5 + a, 5)).Solid())
            .Shape());
  } else if (what == "slot") { // a block a x b x c with a slot d wide and half as deep as the block across its middle
    double d = 1;
    in >> d;
    add(BRepAlgoAPI_Cut(
            BRepPrimAPI_MakeBox(a, b, c).Solid(),
            BRepPrimAPI_MakeBox(gp_Pnt(0.5 * (a - d), -1, 0.5 * c), gp_Pnt(0.5 * (a + d), b + 1, c + 1)).Solid())
            .Shape());
  } else if (what == "pierced") { // a torus a, b with a hole of radius c along y at x = d
    double d = 0;
    in >> d;
    add(BRepAlgoAPI_Cut(BRepPrimAPI_MakeTorus(a, b).Solid(),
                        BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(d, -4 * a, 0), gp::DY()), c, 8 * a).Solid())
            .Shape());
  } else if (what == "rounded") { // a cube of side a, all edges rounded with radius b
    TopoDS_Shape cube = BRepPrimAPI_MakeBox(a, a, a).Solid();
    BRepFilletAPI_MakeFillet round(cube);
    for (TopExp_Explorer e(cube, TopAbs_EDGE); e.More(); e.Next()) round.Add(b, TopoDS::Edge(e.Current()));
    add(round.Shape());
  } else if (what == "quarter") // of a tube: outer radius a, inner radius b, height c, from x = 0 to y = 0
    add(BRepAlgoAPI_Cut(BRepPrimAPI_MakeCylinder(a, c, 0.5 * M_PI).Solid(), BRepPrimAPI_MakeCylinder(b, c).Solid())
            .Shape());
  else if (what ==
           "elbow") { // a pipe along an arc of radius a and d degrees: outer radius b, inner radius c, 0 for a bar
    double d = 90;
    in >> d;
    const gp_Ax2 end(gp_Pnt(a, 0, 0), -gp::DY(), gp::DX());
    auto disc = [&](double r) {
      return BRepBuilderAPI_MakeFace(BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(gp_Circ(end, r)).Edge()).Wire())
          .Face();
    };
    const TopoDS_Shape profile = c > 0 ? BRepAlgoAPI_Cut(disc(b), disc(c)).Shape() : TopoDS_Shape(disc(b));
    add(BRepPrimAPI_MakeRevol(profile, gp::OZ(), d * kPi / 180).Shape());
  } else if (what == "tube") // outer radius a, inner radius b, height c
    add(BRepAlgoAPI_Cut(BRepPrimAPI_MakeCylinder(a, c).Solid(), BRepPrimAPI_MakeCylinder(b, c).Solid()).Shape());
  else if (what == "boss") { // a plate a x b, c thick, with a round boss of radius d, e high; a blind hole where e < 0
    double d = 1, e = 1;
    in >> d >> e;
    const TopoDS_Shape plate = BRepPrimAPI_MakeBox(a, b, c).Solid();
    const gp_Ax2 at(gp_Pnt(0.4 * a, 0.5 * b, c + std::min(e, 0.0)), gp::DZ());
    const TopoDS_Shape round = BRepPrimAPI_MakeCylinder(at, d, e > 0 ? e : 1 - e).Solid();
    add(e > 0 ? BRepAlgoAPI_Fuse(plate, round).Shape() : BRepAlgoAPI_Cut(plate, round).Shape());
  } else if (what == "counterbore") { // a plate a x b, c thick, a hole of radius d, e wide in the upper half
    double d = 1, e = 2;
    in >> d >> e;
    auto hole = [&](double r, double from) {
      return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0.5 * a, 0.5 * b, from), gp::DZ()), r, 2 * c).Solid();
    };
    add(BRepAlgoAPI_Cut(BRepAlgoAPI_Cut(BRepPrimAPI_MakeBox(a, b, c).Solid(), hole(d, -0.5 * c)).Shape(),
                        hole(e, 0.5 * c))
            .Shape());
  } else if (what == "stair") { // d discs one over the other, each c high, the lowest of radius a
    double d = 2;
    in >> d;
    TopoDS_Shape s;
    for (int k = 0; k < static_cast<int>(d); ++k) {
      const TopoDS_Shape c1 =
          BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, k * c), gp::DZ()), a * (1 - k / (1.5 * d)), c).Solid();
      s = k ? BRepAlgoAPI_Fuse(s, c1).Shape() : c1;
    }
    add(s);
  } else if (what ==
             "feet") { // a plate a x b, c thick, a block d wide on it, e to the right a disc of radius d / 2 below
    double d = 1, e = 0;
    in >> d >> e;
    add(BRepPrimAPI_MakeBox(a, b, c).Solid());
    add(BRepPrimAPI_MakeBox(gp_Pnt(0.6 * a, 0.5 * (b - d), c), d, d, 1.5 * d).Solid());
    add(BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0.25 * a + e, 0.5 * b, -d), gp::DZ()), 0.5 * d, d).Solid());
  } else if (what == "shaft") { // turned: discs one over the other, radius and height of each in turn
    TopoDS_Shape s;
    double z = 0;
    std::vector<double> more{a, b, c};
    for (double d = 0; in >> d;) more.push_back(d);
    for (std::size_t k = 0; k + 1 < more.size(); k += 2) {
      const TopoDS_Shape disc =
          BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, z), gp::DZ()), more[k], more[k + 1]).Solid();
      s = s.IsNull() ? disc : BRepAlgoAPI_Fuse(s, disc).Shape();
      z += more[k + 1];
    }
    add(s);
  } else if (what == "turned") { // by a degrees about z: a profile from the axis to the axis, radius and height in turn
    BRepBuilderAPI_MakePolygon profile;
    std::vector<double> more{b, c};
    for (double d = 0; in >> d;) more.push_back(d);
    for (std::size_t k = 0; k + 1 < more.size(); k += 2) profile.Add(gp_Pnt(more[k], 0, more[k + 1]));
    profile.Close();
    add(BRepPrimAPI_MakeRevol(BRepBuilderAPI_MakeFace(profile.Wire()).Face(), gp::OZ(), a * kPi / 180).Shape());
  } else if (what == "pin") { // radius a, height b, with a round end
    add(BRepAlgoAPI_Fuse(BRepPrimAPI_MakeCylinder(a, b).Solid(), BRepPrimAPI_MakeSphere(gp_Pnt(0, 0, b), a).Solid())
            .Shape());
  } else if (what == "flange") { // turned: inner radius a, a foot b wide and c / 3 high, a neck b / 2 wide up to c
    BRepBuilderAPI_MakePolygon profile;
    for (const auto& [r, z] :
         {std::pair{a, 0.0}, {a + b, 0.0}, {a + b, c / 3}, {a + b / 2, c / 3}, {a + b / 2, c}, {a, c}})
      profile.Add(gp_Pnt(r, 0, z));
    profile.Close();
    add(BRepPrimAPI_MakeRevol(BRepBuilderAPI_MakeFace(profile.Wire()).Face(), gp::OZ()).Shape());
  } else if (what ==
             "vase") { // a loft through three circles, open above, with a wall b: its inside is an offset surface
    BRepOffsetAPI_ThruSections loft(true, false);
    const double radius[3] = {a, 1.5 * a, 0.8 * a};
    for (int i = 0; i < 3; ++i)
      loft.AddWire(BRepBuilderAPI_MakeWire(
          BRepBuilderAPI_MakeEdge(gp_Circ(gp_Ax2(gp_Pnt(0, 0, 2 * i * a), gp::DZ()), radius[i])).Edge()));
    TopTools_ListOfShape open;
    for (TopExp_Explorer e(loft.Shape(), TopAbs_FACE); e.More(); e.Next()) {
      GProp_GProps g;
      BRepGProp::SurfaceProperties(e.Current(), g);
      if (g.CentreOfMass().Z() > 3.9 * a) open.Append(e.Current());
    }
    BRepOffsetAPI_MakeThickSolid thick;
    thick.MakeThickSolidByJoin(loft.Shape(), open, -b, 1e-4);
    add(thick.Shape());
  } else if (what == "shell")
    add(BRepAlgoAPI_Cut(BRepPrimAPI_MakeBox(a, a, a).Solid(),
                        BRepPrimAPI_MakeBox(gp_Pnt(b, b, b), gp_Pnt(a - b, a - b, a - b)).Solid())
            .Shape());
  if (auto p = finishKernelModel(model, loose, 1, options)) return *p;
  auto r = partFromKernelModel(std::move(model), {});
  if (r) {
    findExtent(*r);
    for (std::size_t k = 0; k < r->bodies.size(); ++k) r->bodies[k].name = "body" + std::to_string(k + 1);
  }
  return r;
}

} // namespace tess
