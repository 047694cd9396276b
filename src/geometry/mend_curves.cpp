// SPDX-License-Identifier: GPL-3.0-or-later
#include "geometry/mend_curves.h"
#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Geom2dAPI_Interpolate.hxx>
#include <Geom2d_BSplineCurve.hxx>
#include <Precision.hxx>
#include <ShapeFix_ShapeTolerance.hxx>
#include <TColStd_HArray1OfReal.hxx>
#include <TColgp_HArray1OfPnt2d.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopTools_ListIteratorOfListOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Vertex.hxx>
#include <TopoDS_Wire.hxx>
#include <algorithm>
#include <cmath>
#include <vector>

namespace tess {
namespace {

constexpr int kPoints = 33;    ///< along an edge
constexpr int kMeridian = 256; ///< where the foot on a meridian is looked for first
constexpr double kTurn = 2 * M_PI;

/// Parameters of points on a surface of revolution, found by the distance from the axis and the place along it.
class Revolution {
public:
  Revolution(const BRepAdaptor_Surface& s, double v0, double v1) : m_axis(s.AxeOfRevolution()), m_v0(v0), m_v1(v1) {
    m_closed = s.IsVPeriodic();
    m_period = m_closed ? s.VPeriod() : 0;
    m_surface = &s;
    for (int i = 0; i <= kMeridian; ++i) m_samples.push_back(flat(s.Value(0, at(i))));
    const gp_Pnt mid = furthest();
    if (!m_good) return;
    m_x = radial(mid).Normalized();
    m_y = gp_Vec(m_axis.Direction()).Crossed(m_x);
  }
  bool good() const { return m_good; }

  /// `before` steadies u at the axis, and v on closed meridians.
  gp_Pnt2d find(const gp_Pnt& p, const gp_Pnt2d& before) const {
    const gp_XY q = flat(p);
    int best = 0;
    for (int i = 0; i <= kMeridian; ++i)
      if ((m_samples[index(i)] - q).SquareModulus() < (m_samples[index(best)] - q).SquareModulus()) best = i;
    double a = at(std::max(0, best - 1)), b = at(std::min(kMeridian, best + 1));
    for (int k = 0; k < 80; ++k) { // the distance has one minimum between neighbours of the nearest sample
      const double c = a + (b - a) / 3, d = b - (b - a) / 3;
      if ((flat(m_surface->Value(0, c)) - q).SquareModulus() < (flat(m_surface->Value(0, d)) - q).SquareModulus())
        b = d;
      else
        a = c;
    }
    double v = 0.5 * (a + b), u = before.X();
    const gp_Vec r = radial(p);
    const gp_Pnt on = m_surface->Value(0, v);
    const gp_Vec at0 = radial(on);
    if (r.Magnitude() > 1e-9 * m_size && at0.Magnitude() > 1e-9 * m_size)
      u = std::atan2(r.Dot(m_y), r.Dot(m_x)) - std::atan2(at0.Dot(m_y), at0.Dot(m_x));
    u += kTurn * std::round((before.X() - u) / kTurn);
    if (m_closed) v += m_period * std::round((before.Y() - v) / m_period);
    return {u, v};
  }

private:
  gp_Ax1 m_axis;
  double m_v0, m_v1, m_period = 0, m_size = 1;
  bool m_closed = false, m_good = true;
  const BRepAdaptor_Surface* m_surface = nullptr;
  std::vector<gp_XY> m_samples;
  gp_Vec m_x, m_y;

  static std::size_t index(int i) { return static_cast<std::size_t>(i); }
  double at(int i) const { return m_v0 + (m_v1 - m_v0) * i / kMeridian; }
  gp_Vec radial(const gp_Pnt& p) const {
    const gp_Vec d(m_axis.Location(), p), n(m_axis.Direction());
    return d - n * d.Dot(n);
  }
  gp_XY flat(const gp_Pnt& p) const {
    const gp_Vec d(m_axis.Location(), p);
    return {radial(p).Magnitude(), d.Dot(gp_Vec(m_axis.Direction()))};
  }
  gp_Pnt furthest() {
    int best = 0;
    for (int i = 0; i <= kMeridian; ++i)
      if (m_samples[index(i)].X() > m_samples[index(best)].X()) best = i;
    m_size = m_samples[index(best)].X();
    m_good = m_size > 1e-12;
    return m_surface->Value(0, at(best));
  }
};

/// An edge in a wire of the face, in the wire's direction.
struct Run {
  TopoDS_Edge edge;
  double t0 = 0, t1 = 0;
  std::vector<gp_Pnt2d> uv; ///< along the wire
  Handle(Geom2d_Curve) curve;
};

double strayOf(const BRepAdaptor_Surface& s, const TopoDS_Edge& e, const Handle(Geom2d_Curve) & c, double a, double b,
               int points) {
  const BRepAdaptor_Curve curve(e);
  double worst = 0;
  for (int i = 0; i <= points; ++i) {
    const double x = static_cast<double>(i) / points;
    const gp_Pnt2d q = c->Value(a + x * (b - a));
    const double t = curve.FirstParameter() + x * (curve.LastParameter() - curve.FirstParameter());
    worst = std::max(worst, s.Value(q.X(), q.Y()).Distance(curve.Value(t)));
  }
  return worst;
}

class FaceMender {
public:
  FaceMender(const TopoDS_Face& face, double tolerance)
      : m_face(TopoDS::Face(face.Oriented(TopAbs_FORWARD))), m_tolerance(tolerance), m_surface(m_face, false) {}

  bool mend() {
    if (m_surface.GetType() != GeomAbs_SurfaceOfRevolution || !strays()) return false;
    double u0, u1, v0 = m_surface.FirstVParameter(), v1 = m_surface.LastVParameter();
    if (Precision::IsInfinite(v0) || Precision::IsInfinite(v1)) BRepTools::UVBounds(m_face, u0, u1, v0, v1);
    if (Precision::IsInfinite(v0) || Precision::IsInfinite(v1) || !(v1 > v0)) return false;
    const Revolution revolution(m_surface, v0, v1);
    if (!revolution.good()) return false;
    std::vector<Run> all;
    for (TopExp_Explorer w(m_face, TopAbs_WIRE); w.More(); w.Next()) {
      auto runs = walk(TopoDS::Wire(w.Current()));
      if (runs.empty() || !place(runs, revolution, v0, v1)) return false;
      all.insert(all.end(), runs.begin(), runs.end());
    }
    for (auto& r : all) {
      makeCurve(r);
      if (r.curve.IsNull() || strayOf(m_surface, r.edge, r.curve, r.t0, r.t1, 4 * kPoints) > 0.1 * m_worst + 1e-7)
        return false;
    }
    write(all);
    return true;
  }

private:
  TopoDS_Face m_face;
  double m_tolerance, m_worst = 0;
  BRepAdaptor_Surface m_surface;

  /// Whether an edge lies elsewhere than its curve in the parameter plane says, or those do not close there.
  bool strays() {
    for (TopExp_Explorer w(m_face, TopAbs_WIRE); w.More(); w.Next()) {
      auto runs = walk(TopoDS::Wire(w.Current()));
      gp_Pnt2d first, last;
      for (std::size_t i = 0; i < runs.size(); ++i) {
        double a, b;
        const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(runs[i].edge, m_face, a, b);
        if (c.IsNull()) return false; // a face of another kind of fault
        if (!BRep_Tool::Degenerated(runs[i].edge))
          m_worst = std::max(m_worst, strayOf(m_surface, runs[i].edge, c, a, b, 16));
        gp_Pnt2d from = c->Value(a), to = c->Value(b);
        if (runs[i].edge.Orientation() == TopAbs_REVERSED) std::swap(from, to);
        // A gap of turns in the parameter plane is as wrong as one in space.
        if (i && from.Distance(last) > 0.5) m_worst = std::max(m_worst, 2 * m_tolerance);
        if (!i) first = from;
        last = to;
      }
      if (!runs.empty() && first.Distance(last) > 0.5) m_worst = std::max(m_worst, 2 * m_tolerance);
    }
    return m_worst > m_tolerance;
  }

  /// The edges of a wire, each beginning where the one before it ends; empty when they do not.
  static std::vector<Run> walk(const TopoDS_Wire& wire) {
    std::vector<TopoDS_Edge> left;
    for (TopExp_Explorer e(wire, TopAbs_EDGE); e.More(); e.Next())
      if (e.Current().Orientation() == TopAbs_FORWARD || e.Current().Orientation() == TopAbs_REVERSED)
        left.push_back(TopoDS::Edge(e.Current()));
    std::vector<Run> runs;
    if (left.empty()) return runs;
    TopoDS_Edge now = left.front();
    left.erase(left.begin());
    for (;;) {
      runs.push_back({now, 0, 0, {}, {}});
      if (left.empty()) break;
      const TopoDS_Vertex end = TopExp::LastVertex(now, true);
      auto fits = [&](const TopoDS_Edge& e) { return TopExp::FirstVertex(e, true).IsSame(end); };
      // A seam's other side comes only when nothing else is left there.
      auto next = std::find_if(left.begin(), left.end(), [&](auto& e) { return fits(e) && !e.IsSame(now); });
      if (next == left.end()) next = std::find_if(left.begin(), left.end(), fits);
      if (next == left.end()) return {};
      now = *next;
      left.erase(next);
    }
    if (!TopExp::FirstVertex(runs.front().edge, true).IsSame(TopExp::LastVertex(now, true))) return {};
    return runs;
  }

  /// Points of the edges in the parameter plane, each edge beginning where the one before it ends.
  static bool place(std::vector<Run>& runs, const Revolution& revolution, double v0, double v1) {
    gp_Pnt2d before(0, 0.5 * (v0 + v1));
    for (auto& r : runs) {
      if (BRep_Tool::Degenerated(r.edge)) return false; // a pole: turns cannot be told there
      const BRepAdaptor_Curve c(r.edge);
      r.t0 = c.FirstParameter();
      r.t1 = c.LastParameter();
      for (int i = 0; i < kPoints; ++i) {
        double x = static_cast<double>(i) / (kPoints - 1);
        if (r.edge.Orientation() == TopAbs_REVERSED) x = 1 - x;
        before = revolution.find(c.Value(r.t0 + x * (r.t1 - r.t0)), before);
        r.uv.push_back(before);
      }
    }
    return runs.front().uv.front().Distance(before) < 1e-4;
  }

  static void makeCurve(Run& r) {
    std::vector<gp_Pnt2d> p = r.uv;
    if (r.edge.Orientation() == TopAbs_REVERSED) std::reverse(p.begin(), p.end());
    double bend = 0;
    for (int i = 0; i < kPoints; ++i) {
      const double x = static_cast<double>(i) / (kPoints - 1);
      const gp_XY straight = (1 - x) * p.front().XY() + x * p.back().XY();
      bend = std::max(bend, (straight - p[static_cast<std::size_t>(i)].XY()).Modulus());
    }
    if (bend < 1e-9 * (1 + p.front().Distance(p.back()))) {
      TColgp_Array1OfPnt2d poles(1, 2);
      poles(1) = p.front();
      poles(2) = p.back();
      TColStd_Array1OfReal knots(1, 2);
      knots(1) = r.t0;
      knots(2) = r.t1;
      TColStd_Array1OfInteger times(1, 2);
      times.Init(2);
      r.curve = new Geom2d_BSplineCurve(poles, knots, times, 1);
      return;
    }
    Handle(TColgp_HArray1OfPnt2d) points = new TColgp_HArray1OfPnt2d(1, kPoints);
    Handle(TColStd_HArray1OfReal) t = new TColStd_HArray1OfReal(1, kPoints);
    for (int i = 0; i < kPoints; ++i) {
      points->SetValue(i + 1, p[static_cast<std::size_t>(i)]);
      t->SetValue(i + 1, r.t0 + (r.t1 - r.t0) * i / (kPoints - 1));
    }
    Geom2dAPI_Interpolate through(points, t, false, 1e-12);
    through.Perform();
    if (through.IsDone()) r.curve = through.Curve();
  }

  void write(const std::vector<Run>& runs) const {
    BRep_Builder builder;
    for (std::size_t i = 0; i < runs.size(); ++i) {
      std::size_t other = runs.size(); // the seam's other side
      for (std::size_t k = 0; k < runs.size(); ++k)
        if (k != i && runs[k].edge.IsSame(runs[i].edge)) other = k;
      const auto plain = TopoDS::Edge(runs[i].edge.Oriented(TopAbs_FORWARD));
      if (other == runs.size())
        builder.UpdateEdge(plain, runs[i].curve, m_face, 0);
      else if (other > i) {
        const bool forward = runs[i].edge.Orientation() == TopAbs_FORWARD;
        builder.UpdateEdge(plain, runs[forward ? i : other].curve, runs[forward ? other : i].curve, m_face, 0);
      } else
        continue;
      builder.Range(plain, m_face, runs[i].t0, runs[i].t1);
      builder.SameRange(plain, true);
      builder.SameParameter(plain, true);
    }
  }
};

/// The tolerance that an edge needs for its curve and those in the planes of its faces to be one.
double neededBy(const TopoDS_Edge& e, const TopTools_ListOfShape& faces) {
  double worst = 0;
  for (TopTools_ListIteratorOfListOfShape f(faces); f.More(); f.Next()) {
    const auto face = TopoDS::Face(f.Value().Oriented(TopAbs_FORWARD));
    const BRepAdaptor_Surface s(face, false);
    for (auto way : {TopAbs_FORWARD, TopAbs_REVERSED}) {
      double a, b;
      const auto oriented = TopoDS::Edge(e.Oriented(way));
      const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(oriented, face, a, b);
      if (!c.IsNull()) worst = std::max(worst, strayOf(s, e, c, a, b, 4 * kPoints));
    }
  }
  return worst;
}

} // namespace

int mendParameterCurves(const TopoDS_Shape& shape, double tolerance) {
  TopTools_IndexedMapOfShape faces, edges, vertices;
  TopTools_IndexedDataMapOfShapeListOfShape facesOf, edgesOf;
  TopExp::MapShapes(shape, TopAbs_FACE, faces);
  int mended = 0;
  for (int i = 1; i <= faces.Extent(); ++i)
    if (FaceMender(TopoDS::Face(faces(i)), tolerance).mend()) {
      ++mended;
      TopExp::MapShapes(faces(i), TopAbs_EDGE, edges);
      TopExp::MapShapes(faces(i), TopAbs_VERTEX, vertices);
    }
  if (!mended) return 0;
  TopExp::MapShapesAndAncestors(shape, TopAbs_EDGE, TopAbs_FACE, facesOf);
  TopExp::MapShapesAndAncestors(shape, TopAbs_VERTEX, TopAbs_EDGE, edgesOf);
  const ShapeFix_ShapeTolerance set;
  for (int i = 1; i <= edges.Extent(); ++i) {
    const TopoDS_Edge& e = TopoDS::Edge(edges(i));
    if (!BRep_Tool::Degenerated(e))
      set.SetTolerance(e, std::max(Precision::Confusion(), 1.05 * neededBy(e, facesOf.FindFromKey(e))), TopAbs_EDGE);
  }
  for (int i = 1; i <= vertices.Extent(); ++i) {
    const TopoDS_Vertex& v = TopoDS::Vertex(vertices(i));
    const gp_Pnt p = BRep_Tool::Pnt(v);
    double need = Precision::Confusion();
    for (TopTools_ListIteratorOfListOfShape it(edgesOf.FindFromKey(v)); it.More(); it.Next()) {
      const auto e = TopoDS::Edge(it.Value().Oriented(TopAbs_FORWARD));
      if (BRep_Tool::Degenerated(e)) continue;
      const BRepAdaptor_Curve c(e);
      need = std::max(need, BRep_Tool::Tolerance(e));
      for (bool last : {false, true})
        if (v.IsSame(last ? TopExp::LastVertex(e) : TopExp::FirstVertex(e)))
          need = std::max(need, 1.05 * p.Distance(c.Value(last ? c.LastParameter() : c.FirstParameter())));
    }
    set.SetTolerance(v, need, TopAbs_VERTEX);
  }
  return mended;
}

} // namespace tess
