// SPDX-License-Identifier: GPL-3.0-or-later
// Parts of the families that become hexahedra: family_parts DIR [--each N] [--seed S]. Blocks, prisms, extrusions,
// revolutions and assemblies of irregular sizes, turned at random. Writes STEP files and DIR/parts.json: what is
// expected of each follows from how it was built, not from what any program makes of it. `expect`: per body of the
// file, in its order, the fills that would be right; `hexahedra`: whether its cells may be nothing else; `volume`.
#include "random.h"
#include <BRepAlgoAPI_Common.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepAlgoAPI_Section.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepFeat_SplitShape.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepGProp.hxx>
#include <BRepOffsetAPI_MakePipe.hxx>
#include <BRepOffsetAPI_ThruSections.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeRevol.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepPrimAPI_MakeTorus.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <GC_MakeArcOfCircle.hxx>
#include <GProp_GProps.hxx>
#include <GeomAPI_PointsToBSpline.hxx>
#include <Geom_BSplineCurve.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <Message_PrinterOStream.hxx>
#include <STEPControl_Writer.hxx>
#include <Standard_Failure.hxx>
#include <TColgp_Array1OfPnt.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopTools_ListOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <gp_Circ.hxx>
#include <nlohmann/json.hpp>
#include <vector>

namespace {

using Words = std::vector<std::string>;
const Words kMapped{"mapped"}, kEither{"mapped", "swept"}, kSwept{"swept"}, kFree{"tetrahedra"};

struct Made {
  TopoDS_Shape shape;
  std::vector<Words> expect; ///< per body
  bool hexahedra = true;
};

TopoDS_Shape prism(const TopoDS_Face& f, const gp_Vec& v) { return BRepPrimAPI_MakePrism(f, v).Shape(); }
TopoDS_Wire polygon(const std::vector<gp_Pnt>& p) {
  BRepBuilderAPI_MakePolygon m;
  for (const auto& q : p) m.Add(q);
  m.Close();
  return m.Wire();
}
TopoDS_Face face(const std::vector<gp_Pnt>& p) { return BRepBuilderAPI_MakeFace(polygon(p), true).Face(); }
TopoDS_Shape extruded(const std::vector<gp_Pnt>& p, double h) { return prism(face(p), {0, 0, h}); }
TopoDS_Shape box(double x, double y, double z, double a, double b, double c) {
  return BRepPrimAPI_MakeBox(gp_Pnt(x, y, z), a, b, c).Shape();
}
TopoDS_Shape cylinder(double x, double y, double z, double r, double h) {
  return BRepPrimAPI_MakeCylinder(gp_Ax2({x, y, z}, {0, 0, 1}), r, h).Shape();
}
TopoDS_Shape cut(const TopoDS_Shape& a, const TopoDS_Shape& b) { return BRepAlgoAPI_Cut(a, b).Shape(); }
TopoDS_Shape fused(const TopoDS_Shape& a, const TopoDS_Shape& b) {
  BRepAlgoAPI_Fuse f(a, b);
  f.SimplifyResult();
  return f.Shape();
}
TopoDS_Shape together(const std::vector<TopoDS_Shape>& all) {
  TopoDS_Compound c;
  BRep_Builder b;
  b.MakeCompound(c);
  for (const auto& s : all) b.Add(c, s);
  return c;
}
TopoDS_Wire circle(double r, const gp_Ax2& at) {
  return BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(gp_Circ(at, r)).Edge()).Wire();
}

/// Faces of a solid split by planes, the solid staying one.
TopoDS_Shape splitFaces(const TopoDS_Shape& solid, const std::vector<gp_Ax3>& planes, double reach) {
  TopoDS_Shape r = solid;
  for (const auto& p : planes) {
    const TopoDS_Face f = BRepBuilderAPI_MakeFace(gp_Pln(p), -reach, reach, -reach, reach).Face();
    BRepFeat_SplitShape split(r);
    for (TopExp_Explorer e(r, TopAbs_FACE); e.More(); e.Next()) {
      const TopoDS_Face face = TopoDS::Face(e.Current());
      // Where the plane crosses a face there is an edge inside it.
      BRepAlgoAPI_Section cross(face, f);
      for (TopExp_Explorer k(cross.Shape(), TopAbs_EDGE); k.More(); k.Next()) try {
          split.Add(TopoDS::Edge(k.Current()), face);
        } catch (const Standard_Failure&) {
        }
    }
    split.Build();
    if (split.IsDone()) r = split.Shape();
  }
  return r;
}

Made block(Random& r) { return {box(0, 0, 0, r.in(20, 90), r.in(20, 60), r.in(10, 50)), {kMapped}}; }

Made splitBlock(Random& r) {
  const double a = r.in(40, 90), b = r.in(30, 60), c = r.in(20, 50);
  std::vector<gp_Ax3> planes{{{a * r.in(0.3, 0.7), 0, 0}, {1, 0, 0}}};
  if (r.chance(0.5)) planes.push_back({{0, b * r.in(0.3, 0.7), 0}, {0, 1, 0}});
  return {splitFaces(box(0, 0, 0, a, b, c), planes, 300), {kMapped}};
}

/// A piece of a ring, or a loft between two quadrilaterals.
Made curvedBlock(Random& r) {
  if (r.chance(0.5)) {
    const double in = r.in(20, 60), w = r.in(10, 40), h = r.in(10, 40);
    return {BRepPrimAPI_MakeRevol(
                face({{in, 0, 0}, {in + w, 0, 0}, {in + w * r.in(0.8, 1), 0, h}, {in, 0, h * r.in(0.8, 1)}}),
                gp_Ax1({0, 0, 0}, {0, 0, 1}), r.in(0.5, 2.5))
                .Shape(),
            {kMapped}};
  }
  auto quad = [&](double z, double s, double turn) {
    std::vector<gp_Pnt> p;
    for (int k = 0; k < 4; ++k) {
      const double t = turn + k * M_PI / 2 + M_PI / 4, q = s * r.in(0.85, 1.15);
      p.emplace_back(q * std::cos(t), q * std::sin(t), z);
    }
    return polygon(p);
  };
  BRepOffsetAPI_ThruSections loft(true, r.chance(0.5));
  const double h = r.in(30, 60);
  loft.AddWire(quad(0, 30, 0));
  loft.AddWire(quad(h, 30 * r.in(0.7, 1.2), r.in(-0.3, 0.3)));
  if (r.chance(0.5)) loft.AddWire(quad(2 * h, 30 * r.in(0.7, 1.2), r.in(-0.3, 0.3)));
  return {loft.Shape(), {kMapped}};
}

Made fiveSided(Random& r) {
  return {extruded({{0, 0, 0}, {r.in(40, 70), r.in(-5, 5), 0}, {r.in(15, 40), r.in(35, 60), 0}}, r.in(20, 60)),
          {kEither}};
}

Made angled(Random& r) {
  const double a = r.in(40, 80), b = r.in(40, 80), t = r.in(8, 20), h = r.in(15, 60);
  std::vector<gp_Pnt> p;
  switch (r.below(4)) {
  case 0: // L
    p = {{0, 0, 0}, {a, 0, 0}, {a, t, 0}, {t, t, 0}, {t, b, 0}, {0, b, 0}};
    break;
  case 1: // T
    p = {{-a / 2, b, 0}, {-a / 2, b - t, 0}, {-t / 2, b - t, 0}, {-t / 2, 0, 0},
         {t / 2, 0, 0},  {t / 2, b - t, 0},  {a / 2, b - t, 0},  {a / 2, b, 0}};
    break;
  case 2: // U
    p = {{0, 0, 0}, {a, 0, 0}, {a, b, 0}, {a - t, b, 0}, {a - t, t, 0}, {t, t, 0}, {t, b, 0}, {0, b, 0}};
    break;
  default: // cross
    p = {{t, 0, 0},         {2 * t, 0, 0}, {2 * t, t, 0}, {3 * t, t, 0}, {3 * t, 2 * t, 0}, {2 * t, 2 * t, 0},
         {2 * t, 3 * t, 0}, {t, 3 * t, 0}, {t, 2 * t, 0}, {0, 2 * t, 0}, {0, t, 0},         {t, t, 0}};
  }
  return {extruded(p, h), {kEither}};
}

Made iBeam(Random& r) {
  const double w = r.in(40, 70), h = r.in(50, 90), f = r.in(5, 10), t = r.in(5, 10);
  return {extruded({{0, 0, 0},
                    {w, 0, 0},
                    {w, f, 0},
                    {(w + t) / 2, f, 0},
                    {(w + t) / 2, h - f, 0},
                    {w, h - f, 0},
                    {w, h, 0},
                    {0, h, 0},
                    {0, h - f, 0},
                    {(w - t) / 2, h - f, 0},
                    {(w - t) / 2, f, 0},
                    {0, f, 0}},
                   r.in(60, 200)),
          {kEither}};
}

Made boltCircle(Random& r) {
  const double R = r.in(40, 60), h = r.in(8, 20);
  TopoDS_Shape s = r.chance(0.6) ? cylinder(0, 0, 0, R, h) : box(-R, -R, 0, 2 * R, 2 * R, h);
  if (r.chance(0.7)) s = cut(s, cylinder(0, 0, -1, R * r.in(0.2, 0.4), h + 2));
  const int n = 3 + r.below(6);
  const double d = R * r.in(0.06, 0.1), at = R * 0.72;
  for (int k = 0; k < n; ++k) {
    const double t = 2 * M_PI * k / n;
    s = cut(s, cylinder(at * std::cos(t), at * std::sin(t), -1, d, h + 2));
  }
  return {s, {kSwept}};
}

Made gear(Random& r) {
  const int n = 10 + r.below(14);
  const double R = r.in(35, 55), deep = R * r.in(0.12, 0.2), h = r.in(8, 25);
  std::vector<gp_Pnt> p;
  for (int k = 0; k < n; ++k)
    for (const auto& [share, radius] : {std::pair{0.0, R - deep}, {0.35, R - deep}, {0.55, R}, {0.8, R}}) {
      const double t = 2 * M_PI * (k + share) / n;
      p.emplace_back(radius * std::cos(t), radius * std::sin(t), 0);
    }
  return {cut(extruded(p, h), cylinder(0, 0, -1, R * r.in(0.2, 0.4), h + 2)), {kSwept}};
}

/// A round or square pipe, or a bar, round a quarter or more of a circle, with straight ends or without.
Made elbow(Random& r) {
  const double R = r.in(50, 80), a = r.in(10, 18), turn = r.in(0.8, 2.4);
  const gp_Ax2 at({R, 0, 0}, {0, 1, 0}, {1, 0, 0});
  auto profile = [&](double q, bool round) {
    return round ? BRepBuilderAPI_MakeFace(circle(q, at), true).Face()
                 : face({{R - q, 0, -q}, {R + q, 0, -q}, {R + q, 0, q}, {R - q, 0, q}});
  };
  const bool round = r.chance(0.6), hollow = r.chance(0.5);
  auto swept = [&](const TopoDS_Face& f) {
    return BRepPrimAPI_MakeRevol(f, gp_Ax1({0, 0, 0}, {0, 0, 1}), turn).Shape();
  };
  TopoDS_Shape s = swept(profile(a, round));
  if (hollow) s = cut(s, swept(profile(a * r.in(0.5, 0.75), round)));
  return {s, {round || hollow ? kSwept : kEither}};
}

/// Along a spline.
Made sBend(Random& r) {
  TColgp_Array1OfPnt p(1, 4);
  const double a = r.in(20, 45);
  p(1) = {0, 0, 0};
  p(2) = {0, 0, 50};
  p(3) = {a, r.in(-10, 10), 100};
  p(4) = {a * r.in(0.8, 1.1), 0, 150};
  const Handle(Geom_BSplineCurve) c = GeomAPI_PointsToBSpline(p).Curve();
  gp_Pnt at;
  gp_Vec d;
  c->D1(c->FirstParameter(), at, d);
  const TopoDS_Wire spine = BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(c).Edge()).Wire();
  const gp_Ax2 axes(at, gp_Dir(d));
  const double q = r.in(8, 14);
  auto pipe = [&](double radius) {
    return BRepOffsetAPI_MakePipe(spine, BRepBuilderAPI_MakeFace(circle(radius, axes), true).Face()).Shape();
  };
  return {r.chance(0.4) ? cut(pipe(q), pipe(0.6 * q)) : pipe(q), {kSwept}};
}

/// A profile that turns or shrinks on its way up.
Made lofted(Random& r, double turn, double share) {
  const int n = 5 + r.below(4);
  std::vector<double> radius;
  for (int k = 0; k < n; ++k) radius.push_back(r.in(22, 34));
  const int sections = turn != 0 ? 4 : 2;
  const double h = r.in(50, 100);
  BRepOffsetAPI_ThruSections loft(true, turn == 0);
  for (int s = 0; s < sections; ++s) {
    const double w = static_cast<double>(s) / (sections - 1), q = 1 + w * (share - 1);
    std::vector<gp_Pnt> p;
    for (int k = 0; k < n; ++k) {
      const double t = 2 * M_PI * k / n + w * turn;
      p.emplace_back(q * radius[static_cast<std::size_t>(k)] * std::cos(t),
                     q * radius[static_cast<std::size_t>(k)] * std::sin(t), w * h);
    }
    loft.AddWire(polygon(p));
  }
  return {loft.Shape(), {kSwept}};
}
Made twisted(Random& r) { return lofted(r, r.in(0.3, 0.9), r.in(0.9, 1.1)); }
Made tapered(Random& r) { return lofted(r, 0, r.in(0.5, 0.85)); }

std::vector<gp_Pnt> ringProfile(Random& r, double in) {
  const double w = r.in(15, 30), h = r.in(15, 40);
  if (r.chance(0.5)) // a flange
    return {{in, 0, 0},           {in + w, 0, 0}, {in + w, 0, h * 0.3}, {in + w * 0.4, 0, h * 0.3},
            {in + w * 0.4, 0, h}, {in, 0, h}};
  return {{in, 0, 0}, {in + w, 0, 0}, {in + w, 0, h * 0.6}, {in + w * 0.5, 0, h}, {in, 0, h}};
}
Made partialTurn(Random& r) {
  return {
      BRepPrimAPI_MakeRevol(face(ringProfile(r, r.in(20, 40))), gp_Ax1({0, 0, 0}, {0, 0, 1}), r.in(0.8, 4.5)).Shape(),
      {kSwept}};
}
Made fullTurn(Random& r) {
  return {BRepPrimAPI_MakeRevol(face(ringProfile(r, r.in(20, 40))), gp_Ax1({0, 0, 0}, {0, 0, 1})).Shape(), {kSwept}};
}
/// Round an axis that is one of its own sides: wedges stand along it, or a square core.
Made axisTurn(Random& r) {
  const double R = r.in(30, 50), h = r.in(15, 40);
  return {BRepPrimAPI_MakeRevol(face({{0, 0, 0}, {R, 0, 0}, {R, 0, h * 0.5}, {R * 0.5, 0, h}, {0, 0, h}}),
                                gp_Ax1({0, 0, 0}, {0, 0, 1}), r.in(0.8, 2.5))
              .Shape(),
          {kSwept},
          false};
}

Made shaft(Random& r) {
  TopoDS_Shape s;
  double z = 0, before = 0;
  const int n = 2 + r.below(3);
  const bool bored = r.chance(0.4);
  for (int k = 0; k < n; ++k) {
    const double h = r.in(15, 40);
    double q = r.in(10, 35);
    while (std::abs(q - before) < 4) q = r.in(10, 35);
    before = q;
    const TopoDS_Shape c = cylinder(0, 0, z, q, h);
    s = s.IsNull() ? c : fused(s, c);
    z += h;
  }
  if (bored) s = cut(s, cylinder(0, 0, -1, 5, z + 2));
  return {s, {kSwept}};
}
Made boss(Random& r) {
  const double a = r.in(60, 90), b = r.in(50, 80), t = r.in(10, 20);
  TopoDS_Shape s =
      fused(box(0, 0, 0, a, b, t), cylinder(a * r.in(0.35, 0.6), b * r.in(0.4, 0.6), t, r.in(8, 14), r.in(10, 30)));
  return {s, {kSwept}};
}
Made counterbore(Random& r) {
  const double a = r.in(60, 90), b = r.in(50, 80), t = r.in(20, 35), x = a * r.in(0.4, 0.6), y = b * r.in(0.4, 0.6),
               q = r.in(5, 9);
  return {cut(cut(box(0, 0, 0, a, b, t), cylinder(x, y, -1, q, t + 2)), cylinder(x, y, t * r.in(0.5, 0.7), q * 1.8, t)),
          {kSwept}};
}

/// Edges along z rounded: side walls in pieces, or one of them.
Made roundedBlock(Random& r) {
  const double a = r.in(40, 80), b = r.in(30, 60), c = r.in(20, 50);
  const TopoDS_Shape s = box(0, 0, 0, a, b, c);
  BRepFilletAPI_MakeFillet f(s);
  const int n = 1 + r.below(4);
  int k = 0;
  TopTools_IndexedMapOfShape edges;
  TopExp::MapShapes(s, TopAbs_EDGE, edges);
  for (int i = 1; i <= edges.Extent() && k < n; ++i) {
    const TopoDS_Edge e = TopoDS::Edge(edges(i));
    const gp_Pnt p = BRep_Tool::Pnt(TopExp::FirstVertex(e)), q = BRep_Tool::Pnt(TopExp::LastVertex(e));
    if (std::abs(p.Z() - q.Z()) < 1e-6) continue;
    f.Add(r.in(4, 10), e);
    ++k;
  }
  return {f.Shape(), {kEither}};
}

Made seams(Random& r) {
  const double q = r.in(15, 35), h = r.in(30, 90);
  switch (r.below(3)) {
  case 0:
    return {cylinder(0, 0, 0, q, h), {kSwept}};
  case 1:
    return {BRepPrimAPI_MakeCone(q, q * r.in(0.4, 0.8), h).Shape(), {kSwept}};
  default:
    return {cut(cylinder(0, 0, 0, q, h), cylinder(0, 0, -1, q * r.in(0.4, 0.8), h + 2)), {kSwept}};
  }
}

/// An extrusion with a hole of any shape whose outer walls are split along and across.
Made splitPrism(Random& r) {
  const double a = r.in(50, 80), b = r.in(40, 60), h = r.in(30, 60);
  TopoDS_Shape s = cut(box(0, 0, 0, a, b, h), cylinder(a / 2, b / 2, -1, b * 0.25, h + 2));
  std::vector<gp_Ax3> planes{{{0, 0, h * r.in(0.3, 0.7)}, {0, 0, 1}}};
  if (r.chance(0.5)) planes.push_back({{a * r.in(0.2, 0.3), 0, 0}, {1, 0, 0}});
  return {splitFaces(s, planes, 300), {kSwept}};
}

/// Bodies that touch.
Made assembly(Random& r) {
  switch (r.below(3)) {
  case 0: { // a pin in a plate
    const double a = r.in(50, 80), b = r.in(40, 60), h = r.in(10, 25), q = b * r.in(0.15, 0.25), x = a / 2, y = b / 2;
    return {together({cut(box(0, 0, 0, a, b, h), cylinder(x, y, -1, q, h + 2)), cylinder(x, y, 0, q, h)}),
            {kSwept, kSwept}};
  }
  case 1: { // a stack of plates of one outline
    const double a = r.in(50, 80), b = r.in(40, 60);
    double z = 0;
    std::vector<TopoDS_Shape> all;
    std::vector<Words> expect;
    for (int k = 0; k < 3; ++k) {
      const double h = r.in(6, 25);
      all.push_back(cut(box(0, 0, z, a, b, h), cylinder(a / 2, b / 2, z - 1, b * 0.2, h + 2)));
      expect.push_back(kSwept);
      z += h;
    }
    return {together(all), expect};
  }
  default: { // a small block on a large one
    const double a = r.in(60, 80), b = r.in(50, 60), h = r.in(15, 25);
    return {together({box(0, 0, 0, a, b, h), box(a * 0.3, b * 0.3, h, a * 0.4, b * 0.4, r.in(15, 40))}),
            {kEither, kEither}};
  }
  }
}

/// What no family fits.
Made other(Random& r) {
  const double a = r.in(40, 70);
  switch (r.below(3)) {
  case 0:
    return {BRepPrimAPI_MakeSphere(a / 2).Shape(), {kFree}, false};
  case 1: // two holes that cross in the middle
    return {cut(cut(box(0, 0, 0, a, a, a), cylinder(a / 2, a / 2, -1, a / 5, a + 2)),
                BRepPrimAPI_MakeCylinder(gp_Ax2({-1, a / 2, a / 2}, {1, 0, 0}), a / 6, a + 2).Shape()),
            {kFree},
            false};
  default: // a tetrahedron's corner cut off a sphere
    return {cut(BRepPrimAPI_MakeSphere(a / 2).Shape(), box(0, 0, 0, a, a, a)), {kFree}, false};
  }
}

/// A turned part with chamfers and grooves, solid: its profile from the axis to the axis.
std::vector<gp_Pnt> turnedProfile(Random& r) {
  std::vector<gp_Pnt> p{{0, 0, 0}};
  double z = 0, before = 0;
  const int n = 2 + r.below(3);
  for (int k = 0; k < n; ++k) {
    double q = r.in(12, 35);
    while (std::abs(q - before) < 4) q = r.in(12, 35);
    before = q;
    const double h = r.in(15, 40), chamfer = r.chance(0.6) ? r.in(1.5, 3) : 0;
    p.emplace_back(q, 0, z);
    if (chamfer > 0) {
      p.emplace_back(q, 0, z + h - chamfer);
      p.emplace_back(q - chamfer, 0, z + h);
    } else
      p.emplace_back(q, 0, z + h);
    z += h;
  }
  p.emplace_back(0, 0, z);
  return p;
}
Made turnedSolid(Random& r) {
  return {BRepPrimAPI_MakeRevol(face(turnedProfile(r)), gp_Ax1({0, 0, 0}, {0, 0, 1})).Shape(), {kSwept}};
}
Made turnedSector(Random& r) {
  return {BRepPrimAPI_MakeRevol(face(turnedProfile(r)), gp_Ax1({0, 0, 0}, {0, 0, 1}), r.in(0.8, 4)).Shape(),
          {kSwept},
          false};
}
/// A round end on a pin, or a cone.
Made roundEnd(Random& r) {
  const double q = r.in(15, 30), h = r.in(30, 60);
  if (r.chance(0.3)) return {BRepPrimAPI_MakeCone(q, 0, h).Shape(), {kSwept}};
  return {fused(cylinder(0, 0, 0, q, h), BRepPrimAPI_MakeSphere(gp_Pnt(0, 0, h), q).Shape()), {kSwept}};
}
/// Bosses, holes and blind holes on both sides of a plate; each keeps to its own quarter as seen from above.
Made twoSided(Random& r) {
  const double a = r.in(80, 120), b = r.in(70, 90), t = r.in(14, 22);
  TopoDS_Shape s = box(0, 0, 0, a, b, t);
  for (int k = 0; k < 4; ++k) {
    const double x = a * (k % 2 ? 0.75 : 0.25), y = b * (k / 2 ? 0.75 : 0.25), q = r.in(7, 12), h = r.in(8, 20);
    switch (r.below(4)) {
    case 0:
      s = fused(s, cylinder(x, y, t, q, h));
      break;
    case 1:
      s = fused(s, cylinder(x, y, -h, q, h));
      break;
    case 2:
      s = cut(s, cylinder(x, y, t * r.in(0.4, 0.7), q, t));
      break;
    default:
      s = cut(s, cylinder(x, y, -1, q, t + 2));
    }
  }
  return {s, {kSwept}};
}
/// A plate with blocks on it and a disc below, each over its own part of it.
Made feet(Random& r) {
  const double a = r.in(80, 110), b = r.in(50, 70), t = r.in(8, 16), w = r.in(12, 20);
  return {together({box(0, 0, 0, a, b, t), box(a * 0.08, b * 0.3, t, w, b * 0.4, r.in(10, 30)),
                    box(a * 0.92 - w, b * 0.2, t, w, b * 0.5, r.in(10, 30)),
                    cylinder(a * 0.5, b * 0.5, -20, r.in(8, 12), 20)}),
          {kSwept, kEither, kEither, kSwept}};
}

struct Family {
  const char* name;
  Made (*make)(Random&);
};
constexpr Family kFamilies[] = {{"block", block},
                                {"split-block", splitBlock},
                                {"curved-block", curvedBlock},
                                {"five-sided", fiveSided},
                                {"angled", angled},
                                {"i-beam", iBeam},
                                {"bolt-circle", boltCircle},
                                {"gear", gear},
                                {"elbow", elbow},
                                {"s-bend", sBend},
                                {"twisted", twisted},
                                {"tapered", tapered},
                                {"partial-turn", partialTurn},
                                {"full-turn", fullTurn},
                                {"axis-turn", axisTurn},
                                {"shaft", shaft},
                                {"boss", boss},
                                {"counterbore", counterbore},
                                {"rounded-block", roundedBlock},
                                {"seams", seams},
                                {"split-prism", splitPrism},
                                {"assembly", assembly},
                                {"other", other},
                                {"turned-solid", turnedSolid},
                                {"turned-sector", turnedSector},
                                {"round-end", roundEnd},
                                {"two-sided", twoSided},
                                {"feet", feet}};

double volumeOf(const TopoDS_Shape& s) {
  GProp_GProps g;
  BRepGProp::VolumeProperties(s, g);
  return g.Mass();
}

} // namespace

int main(int argc, char** argv) {
  std::string dir;
  int each = 7;
  std::uint64_t seed = 1;
  for (int i = 1; i < argc; ++i)
    if (!std::strcmp(argv[i], "--each") && i + 1 < argc)
      each = std::atoi(argv[++i]);
    else if (!std::strcmp(argv[i], "--seed") && i + 1 < argc)
      seed = std::strtoull(argv[++i], nullptr, 10);
    else
      dir = argv[i];
  if (dir.empty() || each < 1) {
    std::fprintf(stderr, "usage: family_parts DIR [--each N] [--seed S]\n");
    return 2;
  }
  Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_PrinterOStream));
  std::filesystem::create_directories(dir);
  auto list = nlohmann::json::array();
  std::uint64_t number = seed * 100000;
  for (const Family& family : kFamilies)
    for (int k = 0; k < each; ++k) {
      Random r(++number);
      Made m;
      for (int attempt = 0;; ++attempt) {
        try {
          m = family.make(r);
          if (!m.shape.IsNull() && BRepCheck_Analyzer(m.shape).IsValid() && volumeOf(m.shape) > 0) break;
        } catch (const Standard_Failure&) {
        }
        if (attempt == 20) {
          std::fprintf(stderr, "%s: cannot be built\n", family.name);
          return 1;
        }
      }
      gp_Trsf turn;
      turn.SetRotation(gp_Ax1({0, 0, 0}, gp_Dir(r.in(-1, 1), r.in(-1, 1), r.in(0.1, 1))), r.in(0, 6));
      m.shape = BRepBuilderAPI_Transform(m.shape, turn).Shape();
      const std::string name = std::string(family.name) + "-" + std::to_string(k + 1) + ".step";
      STEPControl_Writer w;
      w.Transfer(m.shape, STEPControl_AsIs);
      w.Write((std::filesystem::path(dir) / name).c_str());
      list.push_back({{"file", name},
                      {"family", family.name},
                      {"expect", m.expect},
                      {"hexahedra", m.hexahedra},
                      {"volume", volumeOf(m.shape)}});
    }
  std::ofstream(std::filesystem::path(dir) / "parts.json") << list.dump(1) << "\n";
  std::printf("%zu parts of %zu families\n", list.size(), std::size(kFamilies));
}
