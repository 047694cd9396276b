// SPDX-License-Identifier: GPL-3.0-or-later
// Builds the sample parts of Brackwater Robotics' vehicle "Otter" with the geometry kernel and writes them as STEP
// (millimetres, faces with names and colours) and one as STL.
#include <BRepAdaptor_Surface.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepGProp.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeRevol.hxx>
#include <BRep_Tool.hxx>
#include <GC_MakeArcOfCircle.hxx>
#include <GProp_GProps.hxx>
#include <Interface_Static.hxx>
#include <Poly_Triangulation.hxx>
#include <Quantity_Color.hxx>
#include <STEPCAFControl_Writer.hxx>
#include <STEPConstruct.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <StepRepr_RepresentationItem.hxx>
#include <StepShape_FaceSurface.hxx>
#include <TCollection_HAsciiString.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <Transfer_FinderProcess.hxx>
#include <XCAFDoc_ColorTool.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>
#include <XSControl_TransferWriter.hxx>
#include <XSControl_WorkSession.hxx>
#include <cmath>
#include <cstdio>
#include <functional>
#include <string>
#include <vector>

namespace {

constexpr double kPi = 3.14159265358979323846;

using Test = std::function<bool(const BRepAdaptor_Surface&, const gp_Pnt&)>;
struct Tag {
  std::string name;
  Quantity_Color color;
  Test test;
};

gp_Pnt middle(const TopoDS_Face& f) {
  GProp_GProps g;
  BRepGProp::SurfaceProperties(f, g);
  return g.CentreOfMass();
}

TopoDS_Shape cylinder(gp_Pnt at, gp_Dir dir, double r, double h) {
  return BRepPrimAPI_MakeCylinder(gp_Ax2(at, dir), r, h).Shape();
}
TopoDS_Shape cut(const TopoDS_Shape& a, const TopoDS_Shape& b) { return BRepAlgoAPI_Cut(a, b).Shape(); }
TopoDS_Shape fuse(const TopoDS_Shape& a, const TopoDS_Shape& b) {
  ShapeUpgrade_UnifySameDomain u(BRepAlgoAPI_Fuse(a, b).Shape(), true, true, false);
  u.Build();
  return u.Shape();
}
TopoDS_Shape soleSolid(const TopoDS_Shape& s) { return TopExp_Explorer(s, TopAbs_SOLID).Current(); }

/// Rounds all edges whose middle passes the test.
TopoDS_Shape round(const TopoDS_Shape& s, double r, const std::function<bool(const gp_Pnt&, const gp_Pnt&)>& which) {
  BRepFilletAPI_MakeFillet f(s);
  TopTools_IndexedMapOfShape edges;
  TopExp::MapShapes(s, TopAbs_EDGE, edges);
  for (int i = 1; i <= edges.Extent(); ++i) {
    double t0, t1;
    Handle(Geom_Curve) c = BRep_Tool::Curve(TopoDS::Edge(edges(i)), t0, t1);
    if (!c.IsNull() && which(c->Value(0.5 * (t0 + t1)), c->Value(t0))) f.Add(r, TopoDS::Edge(edges(i)));
  }
  return f.Shape();
}

struct Body {
  TopoDS_Shape solid;
  std::string name;
};

bool writeStep(const std::vector<Body>& bodies, const std::vector<Tag>& tags, const std::string& path) {
  Handle(TDocStd_Document) doc = new TDocStd_Document("BinXCAF");
  auto shapes = XCAFDoc_DocumentTool::ShapeTool(doc->Main());
  auto colors = XCAFDoc_DocumentTool::ColorTool(doc->Main());
  std::vector<std::pair<TopoDS_Face, std::string>> named;
  for (const Body& b : bodies) {
    TDF_Label label = shapes->AddShape(b.solid, false);
    TDataStd_Name::Set(label, b.name.c_str());
    colors->SetColor(label, Quantity_Color(0.72, 0.70, 0.66, Quantity_TOC_sRGB), XCAFDoc_ColorGen);
    for (TopExp_Explorer ex(b.solid, TopAbs_FACE); ex.More(); ex.Next()) {
      const TopoDS_Face& f = TopoDS::Face(ex.Current());
      BRepAdaptor_Surface s(f);
      for (const auto& t : tags) {
        if (!t.test(s, middle(f))) continue;
        named.push_back({f, t.name});
        colors->SetColor(shapes->AddSubShape(label, f), t.color, XCAFDoc_ColorSurf);
        break;
      }
    }
  }
  STEPCAFControl_Writer writer;
  Interface_Static::SetCVal("write.step.unit", "MM");
  if (!writer.Transfer(doc)) return false;
  Handle(Transfer_FinderProcess) process = writer.Writer().WS()->TransferWriter()->FinderProcess();
  int done = 0;
  for (const auto& [face, name] : named) {
    Handle(StepRepr_RepresentationItem) item = STEPConstruct::FindEntity(process, face);
    if (item.IsNull()) continue;
    item->SetName(new TCollection_HAsciiString(name.c_str()));
    ++done;
  }
  std::printf("%s: %d of %zu face names\n", path.c_str(), done, named.size());
  return writer.Write(path.c_str()) == IFSelect_RetDone;
}
bool writeStep(const TopoDS_Shape& solid, const std::string& product, const std::vector<Tag>& tags,
               const std::string& path) {
  return writeStep(std::vector<Body>{{solid, product}}, tags, path);
}

void writeStl(const TopoDS_Shape& s, const std::string& path, double deflection) {
  BRepMesh_IncrementalMesh mesh(s, deflection, false, 0.2);
  FILE* f = std::fopen(path.c_str(), "w");
  std::fprintf(f, "solid saddle-clamp\n");
  for (TopExp_Explorer ex(s, TopAbs_FACE); ex.More(); ex.Next()) {
    TopLoc_Location loc;
    Handle(Poly_Triangulation) t = BRep_Tool::Triangulation(TopoDS::Face(ex.Current()), loc);
    for (int i = 1; i <= t->NbTriangles(); ++i) {
      int n[3];
      t->Triangle(i).Get(n[0], n[1], n[2]);
      if (ex.Current().Orientation() == TopAbs_REVERSED) std::swap(n[1], n[2]);
      std::fprintf(f, "facet normal 0 0 0\nouter loop\n");
      for (int k : n) {
        gp_Pnt p = t->Node(k).Transformed(loc.Transformation());
        std::fprintf(f, "vertex %.7g %.7g %.7g\n", p.X(), p.Y(), p.Z());
      }
      std::fprintf(f, "endloop\nendfacet\n");
    }
  }
  std::fprintf(f, "endsolid saddle-clamp\n");
  std::fclose(f);
}

Quantity_Color rgb(double r, double g, double b) { return Quantity_Color(r, g, b, Quantity_TOC_sRGB); }
bool isCylinder(const BRepAdaptor_Surface& s, double r) {
  return s.GetType() == GeomAbs_Cylinder && std::abs(s.Cylinder().Radius() - r) < 1e-6;
}
bool isPlane(const BRepAdaptor_Surface& s) { return s.GetType() == GeomAbs_Plane; }

/// Pressure hull along x: tube with a flange, window seat, O-ring groove, bolt holes, closed rear dome and cable boss.
TopoDS_Shape cameraHousing() {
  std::vector<gp_Pnt> outline = {{0, 0, 0},    {0, 30, 0},   {110, 30, 0}, {110, 48, 0}, {126, 48, 0},
                                 {126, 31, 0}, {120, 31, 0}, {120, 25, 0}, {10, 25, 0},  {8, 0, 0}};
  BRepBuilderAPI_MakeWire wire;
  for (std::size_t i = 0; i < outline.size(); ++i)
    wire.Add(BRepBuilderAPI_MakeEdge(outline[i], outline[(i + 1) % outline.size()]).Edge());
  TopoDS_Shape body = soleSolid(
      BRepPrimAPI_MakeRevol(BRepBuilderAPI_MakeFace(wire.Wire()).Face(), gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(1, 0, 0)))
          .Shape());
  auto radius = [](const gp_Pnt& p) { return std::hypot(p.Y(), p.Z()); };
  body = round(body, 6, [&](const gp_Pnt& p, const gp_Pnt&) {
    return std::abs(p.X() - 110) < 1e-6 && std::abs(radius(p) - 30) < 1e-3;
  });
  body = round(body, 5, [&](const gp_Pnt& p, const gp_Pnt&) {
    return std::abs(p.X()) < 1e-6 && std::abs(radius(p) - 30) < 1e-3;
  });
  body = round(body, 1.5, [&](const gp_Pnt& p, const gp_Pnt&) { return std::abs(radius(p) - 48) < 1e-3; });
  TopoDS_Shape groove = cut(cylinder({124, 0, 0}, {1, 0, 0}, 37.5, 4), cylinder({120, 0, 0}, {1, 0, 0}, 34.5, 12));
  body = cut(body, groove);
  for (int k = 0; k < 8; ++k) {
    double a = 2 * M_PI * k / 8 + M_PI / 8;
    gp_Pnt at(100, 42.5 * std::cos(a), 42.5 * std::sin(a));
    body = cut(body, cylinder(at, {1, 0, 0}, 2.75, 40));
  }
  TopoDS_Shape boss = cylinder({40, 0, 24}, {0, 0, 1}, 11, 14);
  body = fuse(body, cut(boss, cylinder({-10, 0, 0}, {1, 0, 0}, 27, 150)));
  body = round(soleSolid(body), 2, [&](const gp_Pnt& p, const gp_Pnt& q) {
    return p.Z() > 25 && p.Z() < 31 && std::abs(std::hypot(p.X() - 40, p.Y()) - 11) < 0.05 &&
           std::abs(std::hypot(q.X() - 40, q.Y()) - 11) < 0.05;
  });
  body = cut(body, cylinder({40, 0, 15}, {0, 0, 1}, 6, 30));
  return soleSolid(body);
}

/// Bent plate over a pipe: half ring, two feet, bends, four holes and a stiffening bead cut-out. The second variant is
/// wider, with longer feet and a longer cut-out.
TopoDS_Shape saddleClamp(bool second = false) {
  const double r = 22, t = 3, foot = second ? 36 : 30, width = second ? 46 : 36, bend = 5, half = second ? 12 : 8;
  // Outline in the x-z plane, extruded along y.
  auto arc = [](gp_Pnt p, gp_Pnt m, gp_Pnt q) {
    return BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(p, m, q).Value()).Edge();
  };
  auto line = [](gp_Pnt p, gp_Pnt q) { return BRepBuilderAPI_MakeEdge(p, q).Edge(); };
  double k = std::sqrt(0.5);
  auto bendMiddle = [&](double x, double z, double s) { return gp_Pnt(x + s * bend * (1 - k), 0, z + bend * (1 - k)); };
  BRepBuilderAPI_MakeWire w;
  // outer, left to right: foot, bend up, half circle over the pipe, bend down, foot
  double zo = t + bend, zi = 0 + bend;
  double xo = r + t, xi = r;
  gp_Pnt o1(-xo - bend - foot, 0, t), o2(-xo - bend, 0, t), o3(-xo, 0, zo), o4(xo, 0, zo), o5(xo + bend, 0, t),
      o6(xo + bend + foot, 0, t);
  gp_Pnt i6(xo + bend + foot, 0, 0), i5(xi + bend, 0, 0), i4(xi, 0, zi), i3(-xi, 0, zi), i2(-xi - bend, 0, 0),
      i1(-xo - bend - foot, 0, 0);
  w.Add(line(o1, o2));
  w.Add(arc(o2, bendMiddle(-xo - bend, t, 1).Translated(gp_Vec(bend * (2 * k - 1), 0, 0)), o3));
  w.Add(arc(o3, gp_Pnt(0, 0, zo + xo), o4));
  w.Add(arc(o4, bendMiddle(xo + bend, t, -1).Translated(gp_Vec(-bend * (2 * k - 1), 0, 0)), o5));
  w.Add(line(o5, o6));
  w.Add(line(o6, i6));
  w.Add(line(i6, i5));
  w.Add(arc(i5, bendMiddle(xi + bend, 0, -1).Translated(gp_Vec(-bend * (2 * k - 1), 0, 0)), i4));
  w.Add(arc(i4, gp_Pnt(0, 0, zi + xi), i3));
  w.Add(arc(i3, bendMiddle(-xi - bend, 0, 1).Translated(gp_Vec(bend * (2 * k - 1), 0, 0)), i2));
  w.Add(line(i2, i1));
  w.Add(line(i1, o1));
  TopoDS_Shape s =
      soleSolid(BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(w.Wire()).Face(), gp_Vec(0, width, 0)).Shape());
  double end = xo + bend + foot;
  s = round(s, 6, [&](const gp_Pnt& p, const gp_Pnt&) {
    return std::abs(std::abs(p.X()) - end) < 1e-6 && std::abs(p.Z() - t / 2) < 1e-6;
  });
  for (double x : {-(xo + bend + 16), xo + bend + 16})
    for (double y : {9.0, width - 9.0}) s = cut(s, cylinder({x, y, -5}, {0, 0, 1}, 3.3, 15));
  TopoDS_Shape slot =
      fuse(fuse(BRepPrimAPI_MakeBox(gp_Pnt(-half, width / 2 - 4, 20), gp_Pnt(half, width / 2 + 4, 50)).Shape(),
                cylinder({-half, width / 2, 20}, {0, 0, 1}, 4, 30)),
           cylinder({half, width / 2, 20}, {0, 0, 1}, 4, 30));
  s = cut(s, slot);
  return soleSolid(s);
}

/// Machined block: base plate, upright web, two ribs, bore with boss, bolt holes, rounded inner corners.
TopoDS_Shape keelBracket() {
  TopoDS_Shape s = BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 0), gp_Pnt(120, 70, 12)).Shape();
  s = fuse(s, BRepPrimAPI_MakeBox(gp_Pnt(0, 50, 0), gp_Pnt(120, 70, 80)).Shape());
  for (double x : {22.0, 88.0}) {
    BRepBuilderAPI_MakeWire w;
    gp_Pnt a(x, 10, 12), b(x, 50, 12), c(x, 50, 66);
    w.Add(BRepBuilderAPI_MakeEdge(a, b).Edge());
    w.Add(BRepBuilderAPI_MakeEdge(b, c).Edge());
    w.Add(BRepBuilderAPI_MakeEdge(c, a).Edge());
    s = fuse(s, BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(w.Wire()).Face(), gp_Vec(10, 0, 0)).Shape());
  }
  s = soleSolid(s);
  s = round(s, 5, [](const gp_Pnt& p, const gp_Pnt& q) {
    return std::abs(p.Y() - 50) < 1e-6 && std::abs(p.Z() - 12) < 1e-6 && std::abs(q.Z() - 12) < 1e-6;
  });
  s = round(soleSolid(s), 12, [](const gp_Pnt& p, const gp_Pnt& q) {
    return std::abs(p.Y() - 60) < 1e-6 && std::abs(p.Z() - 80) < 1e-6 && std::abs(q.Z() - 80) < 1e-6;
  });
  s = fuse(soleSolid(s), cylinder({60, 78, 52}, {0, -1, 0}, 20, 32));
  s = cut(s, cylinder({60, 100, 52}, {0, -1, 0}, 12, 80));
  for (double x : {11.0, 60.0, 109.0}) {
    s = cut(s, cylinder({x, 22, -5}, {0, 0, 1}, 4.5, 30));
    s = cut(s, cylinder({x, 22, 9}, {0, 0, 1}, 8, 10));
  }
  for (double x : {13.0, 107.0}) s = cut(s, cylinder({x, 80, 66}, {0, -1, 0}, 4, 50));
  return soleSolid(s);
}

/// A curved block of ballast between two end plates, that follows the hull; a bolt goes through the keel plate.
std::vector<Body> ballastBlock() {
  const double inner = 60, outer = 90, length = 80, half = kPi / 6;
  const gp_Ax1 hull(gp_Pnt(0, 0, 0), gp_Dir(1, 0, 0));
  BRepBuilderAPI_MakeWire w;
  const gp_Pnt p[4] = {{0, 0, inner}, {length, 0, inner}, {length, 0, outer}, {0, 0, outer}};
  for (int k = 0; k < 4; ++k) w.Add(BRepBuilderAPI_MakeEdge(p[k], p[(k + 1) % 4]).Edge());
  gp_Trsf turn;
  turn.SetRotation(hull, -half);
  const TopoDS_Shape profile = BRepBuilderAPI_MakeFace(w.Wire()).Face().Moved(TopLoc_Location(turn));
  const TopoDS_Shape block = BRepPrimAPI_MakeRevol(profile, hull, 2 * half).Shape();
  TopoDS_Shape keel = BRepPrimAPI_MakeBox(gp_Pnt(-16, -56, 30), gp_Pnt(0, 56, 98)).Shape();
  keel = cut(keel, cylinder({-20, 0, 42}, {1, 0, 0}, 5, 30));
  keel = round(soleSolid(keel), 12, [](const gp_Pnt& m, const gp_Pnt& end) {
    return std::abs(std::abs(m.Y()) - 56) < 1e-6 && std::abs(m.Z() - end.Z()) < 1e-6 && m.Z() > 90;
  });
  const TopoDS_Shape nose = BRepPrimAPI_MakeBox(gp_Pnt(length, -50, 46), gp_Pnt(length + 12, 50, 94)).Shape();
  return {{block, "ballast"}, {soleSolid(keel), "keel plate"}, {nose, "nose plate"}};
}

/// A pipe that leads a cable round a corner, held by two feet.
std::vector<Body> cableGuide() {
  const double outer = 14, inner = 10, leg = 60, bend = 40;
  auto straight = [&](const gp_Pnt& at, const gp_Dir& way) {
    return cut(cylinder(at, way, outer, leg), cylinder(at, way, inner, leg));
  };
  auto disc = [&](double radius) {
    const gp_Circ c(gp_Ax2(gp_Pnt(leg, 0, 0), gp_Dir(1, 0, 0)), radius);
    return BRepBuilderAPI_MakeFace(BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(c).Edge()).Wire(), true).Shape();
  };
  const TopoDS_Shape round =
      BRepPrimAPI_MakeRevol(cut(disc(outer), disc(inner)), gp_Ax1(gp_Pnt(leg, bend, 0), gp_Dir(0, 0, 1)), kPi / 2)
          .Shape();
  const TopoDS_Shape pipe =
      soleSolid(fuse(fuse(straight({0, 0, 0}, {1, 0, 0}), round), straight({leg + bend, bend, 0}, {0, 1, 0})));
  auto foot = [&](const gp_Trsf& to) {
    TopoDS_Shape s = fuse(BRepPrimAPI_MakeBox(gp_Pnt(-9, -21, -34), gp_Pnt(9, 21, 20)).Shape(),
                          BRepPrimAPI_MakeBox(gp_Pnt(-16, -40, -34), gp_Pnt(16, 40, -27)).Shape());
    for (double y : {-31.0, 31.0}) s = cut(s, cylinder({0, y, -40}, {0, 0, 1}, 4, 20));
    s = cut(s, cylinder({-20, 0, 0}, {1, 0, 0}, outer, 40));
    return BRepBuilderAPI_Transform(soleSolid(s), to, true).Shape();
  };
  gp_Trsf one, two, turn;
  one.SetTranslation(gp_Vec(30, 0, 0));
  turn.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), kPi / 2);
  two.SetTranslation(gp_Vec(leg + bend, bend + 30, 0));
  return {{pipe, "pipe"}, {foot(one), "foot 1"}, {foot(two * turn), "foot 2"}};
}

/// The foot of a mast, turned and milled: a flange with a bolt circle and a recess below, a hub with two flats and a
/// stepped bore. The mast, a tube, stands in it.
std::vector<Body> mastFoot() {
  auto z = [](double radius, double from, double to, double x = 0, double y = 0) {
    return cylinder({x, y, from}, {0, 0, 1}, radius, to - from);
  };
  TopoDS_Shape hub = z(24, 12, 46);
  for (double y : {20.0, -60.0}) hub = cut(hub, BRepPrimAPI_MakeBox(gp_Pnt(-40, y, 0), gp_Pnt(40, y + 40, 60)).Shape());
  TopoDS_Shape foot = cut(cut(cut(fuse(z(45, 0, 12), hub), z(11, -5, 60)), z(17, 26, 60)), z(17, -5, 3));
  for (int k = 0; k < 6; ++k) {
    const double a = kPi * k / 3, x = 35 * std::cos(a), y = 35 * std::sin(a);
    foot = cut(cut(foot, z(4.5, -5, 20, x, y)), z(8, 10, 20, x, y));
  }
  return {{soleSolid(foot), "foot"}, {soleSolid(cut(z(17, 26, 110), z(13, 20, 120))), "mast"}};
}

gp_Pnt onFace(const BRepAdaptor_Surface& s) {
  return s.Value(0.5 * (s.FirstUParameter() + s.LastUParameter()), 0.5 * (s.FirstVParameter() + s.LastVParameter()));
}

/// Points joined by straight edges, as a face.
TopoDS_Shape profile(const std::vector<gp_Pnt>& p) {
  BRepBuilderAPI_MakeWire w;
  for (std::size_t k = 0; k < p.size(); ++k) w.Add(BRepBuilderAPI_MakeEdge(p[k], p[(k + 1) % p.size()]).Edge());
  return BRepBuilderAPI_MakeFace(w.Wire(), true).Shape();
}

/// The ring around a thruster, with the hub of its motor on four struts.
TopoDS_Shape thrusterDuct() {
  const gp_Ax1 axis(gp_Pnt(0, 0, 0), gp_Dir(1, 0, 0));
  // The ring: a mouth that narrows to the throat and opens again.
  TopoDS_Shape ring = BRepPrimAPI_MakeRevol(
                          profile({{0, 0, 66}, {130, 0, 62}, {130, 0, 54}, {60, 0, 50}, {40, 0, 50}, {0, 0, 60}}), axis)
                          .Shape();
  // The hub: a cylinder with a round nose and a cone that ends blunt.
  BRepBuilderAPI_MakeWire w;
  const gp_Pnt nose(25, 0, 0), round(39, 0, 14), back(80, 0, 14), tail(112, 0, 4), end(112, 0, 0);
  const double q = 14 * std::sqrt(0.5);
  w.Add(BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(nose, gp_Pnt(39 - q, 0, q), round).Value()).Edge());
  w.Add(BRepBuilderAPI_MakeEdge(round, back).Edge());
  w.Add(BRepBuilderAPI_MakeEdge(back, tail).Edge());
  w.Add(BRepBuilderAPI_MakeEdge(tail, end).Edge());
  w.Add(BRepBuilderAPI_MakeEdge(end, nose).Edge());
  TopoDS_Shape all = fuse(ring, BRepPrimAPI_MakeRevol(BRepBuilderAPI_MakeFace(w.Wire(), true).Face(), axis).Shape());
  for (int k = 0; k < 4; ++k) {
    // A strut: a plate with a round front and back, from inside the hub to inside the ring.
    TopoDS_Shape strut = BRepPrimAPI_MakeBox(gp_Pnt(50, -2.5, 8), gp_Pnt(72, 2.5, 54)).Shape();
    strut = fuse(strut, cylinder({50, 0, 8}, {0, 0, 1}, 2.5, 46));
    strut = fuse(strut, cylinder({72, 0, 8}, {0, 0, 1}, 2.5, 46));
    gp_Trsf turn;
    turn.SetRotation(axis, kPi / 4 + k * kPi / 2);
    all = fuse(all, BRepBuilderAPI_Transform(strut, turn, true).Shape());
  }
  return soleSolid(all);
}

/// The dry part of the hull: a tray with its lid, two batteries and a board on posts, with air between them.
std::vector<Body> dryBay() {
  TopoDS_Shape tray = BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 0), gp_Pnt(180, 110, 60)).Shape();
  tray = cut(tray, BRepPrimAPI_MakeBox(gp_Pnt(4, 4, 4), gp_Pnt(176, 106, 60)).Shape());
  const TopoDS_Shape lid = BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 60), gp_Pnt(180, 110, 64)).Shape();
  const TopoDS_Shape one = BRepPrimAPI_MakeBox(gp_Pnt(14, 14, 4), gp_Pnt(84, 44, 40)).Shape();
  const TopoDS_Shape two = BRepPrimAPI_MakeBox(gp_Pnt(14, 62, 4), gp_Pnt(84, 92, 40)).Shape();
  TopoDS_Shape board = BRepPrimAPI_MakeBox(gp_Pnt(100, 16, 16), gp_Pnt(164, 94, 19)).Shape();
  for (double x : {106.0, 158.0})
    for (double y : {24.0, 86.0}) board = fuse(board, cylinder({x, y, 4}, {0, 0, 1}, 3, 12));
  board = fuse(board, BRepPrimAPI_MakeBox(gp_Pnt(120, 44, 19), gp_Pnt(144, 68, 25)).Shape());
  return {{soleSolid(tray), "tray"}, {lid, "lid"}, {one, "battery 1"}, {two, "battery 2"}, {soleSolid(board), "board"}};
}

/// The hull as it is towed: the half at y > 0, with a fin on its back.
TopoDS_Shape hullTow() {
  const gp_Ax1 axis(gp_Pnt(0, 0, 0), gp_Dir(1, 0, 0));
  const double radius = 60, q = radius * std::sqrt(0.5);
  const gp_Pnt nose(0, 0, 0), front(radius, 0, radius), back(300, 0, radius), tail(440, 0, 10), end(440, 0, 0);
  BRepBuilderAPI_MakeWire w;
  w.Add(BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(nose, gp_Pnt(radius - q, 0, q), front).Value()).Edge());
  w.Add(BRepBuilderAPI_MakeEdge(front, back).Edge());
  w.Add(BRepBuilderAPI_MakeEdge(back, tail).Edge());
  w.Add(BRepBuilderAPI_MakeEdge(tail, end).Edge());
  w.Add(BRepBuilderAPI_MakeEdge(end, nose).Edge());
  TopoDS_Shape hull = BRepPrimAPI_MakeRevol(BRepBuilderAPI_MakeFace(w.Wire(), true).Face(), axis).Shape();
  TopoDS_Shape fin = BRepPrimAPI_MakeBox(gp_Pnt(150, -8, 40), gp_Pnt(230, 8, 120)).Shape();
  fin = fuse(fin, cylinder({150, 0, 40}, {0, 0, 1}, 8, 80));
  fin = fuse(fin, cylinder({230, 0, 40}, {0, 0, 1}, 8, 80));
  hull = fuse(hull, fin);
  return soleSolid(cut(hull, BRepPrimAPI_MakeBox(gp_Pnt(-10, -200, -200), gp_Pnt(500, 0, 200)).Shape()));
}

} // namespace

int main(int argc, char** argv) {
  if (argc < 2) return 2;
  std::string dir = std::string(argv[1]) + "/";
  auto plum = rgb(0.55, 0.38, 0.52), ochre = rgb(0.70, 0.48, 0.23), teal = rgb(0.36, 0.54, 0.54),
       moss = rgb(0.54, 0.54, 0.36);
  bool ok = writeStep(
      cameraHousing(), "camera-housing",
      {{"window seat", plum,
        [](const BRepAdaptor_Surface& s, const gp_Pnt& p) { return isPlane(s) && std::abs(p.X() - 120) < 1e-6; }},
       {"bolt hole", ochre, [](const BRepAdaptor_Surface& s, const gp_Pnt&) { return isCylinder(s, 2.75); }},
       {"seal groove", moss,
        [](const BRepAdaptor_Surface& s, const gp_Pnt& p) { return isPlane(s) && std::abs(p.X() - 124) < 1e-6; }},
       {"outside", teal, [](const BRepAdaptor_Surface& s, const gp_Pnt&) { return isCylinder(s, 30); }},
       {"cable bore", rgb(0.40, 0.42, 0.60),
        [](const BRepAdaptor_Surface& s, const gp_Pnt&) { return isCylinder(s, 6); }}},
      dir + "camera-housing.step");
  TopoDS_Shape clamp = saddleClamp();
  const std::vector<Tag> ofClamp{
      {"bolt hole", ochre, [](const BRepAdaptor_Surface& s, const gp_Pnt&) { return isCylinder(s, 3.3); }},
      {"pipe seat", teal, [](const BRepAdaptor_Surface& s, const gp_Pnt&) { return isCylinder(s, 22); }},
      {"foot", moss,
       [](const BRepAdaptor_Surface& s, const gp_Pnt& p) { return isPlane(s) && std::abs(p.Z()) < 1e-6; }}};
  ok = writeStep(clamp, "saddle-clamp", ofClamp, dir + "saddle-clamp.step") && ok;
  ok = writeStep(saddleClamp(true), "saddle-clamp", ofClamp, dir + "saddle-clamp-b.step") && ok;
  writeStl(clamp, dir + "saddle-clamp.stl", 0.02);
  ok = writeStep(keelBracket(), "keel-bracket",
                 {{"bore", plum,
                   [](const BRepAdaptor_Surface& s, const gp_Pnt& p) { return isCylinder(s, 12) && p.Z() < 60; }},
                  {"base", moss,
                   [](const BRepAdaptor_Surface& s, const gp_Pnt& p) { return isPlane(s) && std::abs(p.Z()) < 1e-6; }},
                  {"bolt hole", ochre,
                   [](const BRepAdaptor_Surface& s, const gp_Pnt&) { return isCylinder(s, 4.5) || isCylinder(s, 4); }}},
                 dir + "keel-bracket.step") &&
       ok;
  ok = writeStep(
           ballastBlock(),
           {{"bolt hole", ochre, [](const BRepAdaptor_Surface& s, const gp_Pnt&) { return isCylinder(s, 5); }},
            {"hull side", teal, [](const BRepAdaptor_Surface& s, const gp_Pnt&) { return isCylinder(s, 90); }},
            {"foot", moss,
             [](const BRepAdaptor_Surface& s, const gp_Pnt& p) { return isPlane(s) && std::abs(p.Z() - 30) < 1e-6; }},
            {"nose", plum,
             [](const BRepAdaptor_Surface& s, const gp_Pnt& p) { return isPlane(s) && std::abs(p.X() - 92) < 1e-6; }}},
           dir + "ballast-block.step") &&
       ok;
  ok = writeStep(
           cableGuide(),
           {{"bolt hole", ochre, [](const BRepAdaptor_Surface& s, const gp_Pnt&) { return isCylinder(s, 4); }},
            {"bore", plum,
             [](const BRepAdaptor_Surface& s, const gp_Pnt&) {
               if (isPlane(s) || s.GetType() == GeomAbs_Cylinder) return isCylinder(s, 10);
               const gp_Pnt q = s.Value(0.5 * (s.FirstUParameter() + s.LastUParameter()),
                                        0.5 * (s.FirstVParameter() + s.LastVParameter()));
               return std::abs(std::hypot(std::hypot(q.X() - 60, q.Y() - 40) - 40, q.Z()) - 10) < 1e-6; // the bend
             }},
            {"sole", moss,
             [](const BRepAdaptor_Surface& s, const gp_Pnt& p) { return isPlane(s) && std::abs(p.Z() + 34) < 1e-6; }},
            {"mouth", teal,
             [](const BRepAdaptor_Surface& s, const gp_Pnt& p) {
               return isPlane(s) && (std::abs(p.X()) < 1e-6 || std::abs(p.Y() - 100) < 1e-6);
             }}},
           dir + "cable-guide.step") &&
       ok;
  ok = writeStep(
           mastFoot(),
           {{"bolt hole", ochre, [](const BRepAdaptor_Surface& s, const gp_Pnt&) { return isCylinder(s, 4.5); }},
            {"sole", moss,
             [](const BRepAdaptor_Surface& s, const gp_Pnt& p) { return isPlane(s) && std::abs(p.Z()) < 1e-6; }},
            {"mouth", teal,
             [](const BRepAdaptor_Surface& s, const gp_Pnt& p) { return isPlane(s) && std::abs(p.Z() - 110) < 1e-6; }}},
           dir + "mast-foot.step") &&
       ok;
  ok = writeStep(thrusterDuct(), "thruster-duct",
                 {{"hub", plum,
                   [](const BRepAdaptor_Surface& s, const gp_Pnt&) {
                     const gp_Pnt q = onFace(s); // the middle of a face that runs round lies on the axis
                     return std::hypot(q.Y(), q.Z()) < 14.5;
                   }},
                  {"strut", ochre,
                   [](const BRepAdaptor_Surface& s, const gp_Pnt& p) {
                     const double r = std::hypot(p.Y(), p.Z());
                     return r < 48 && r > 14.5 && (isPlane(s) || isCylinder(s, 2.5));
                   }}},
                 dir + "thruster-duct.step") &&
       ok;
  ok = writeStep(dryBay(), {}, dir + "dry-bay.step") && ok;
  ok = writeStep(hullTow(), "hull",
                 {{"middle", moss,
                   [](const BRepAdaptor_Surface& s, const gp_Pnt& p) { return isPlane(s) && std::abs(p.Y()) < 1e-6; }},
                  {"fin", teal, [](const BRepAdaptor_Surface&, const gp_Pnt& p) { return p.Z() > 60.5; }}},
                 dir + "hull-tow.step") &&
       ok;
  return ok ? 0 : 1;
}
