// SPDX-License-Identifier: GPL-3.0-or-later
// Faces that the geometry kernel does not manage: triangles of our own, and curves put where they belong.
#include "geometry/kernel_import.h"
#include "geometry/mend_curves.h"
#include "geometry/own_triangles.h"
#include "support/fixtures.h"
#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeRevol.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepPrimAPI_MakeTorus.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <GCPnts_TangentialDeflection.hxx>
#include <GC_MakeArcOfCircle.hxx>
#include <Geom2d_Curve.hxx>
#include <Geom_BezierCurve.hxx>
#include <Poly_PolygonOnTriangulation.hxx>
#include <Poly_Triangulation.hxx>
#include <TColgp_Array1OfPnt.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Vertex.hxx>
#include <cmath>
#include <gp_Ax1.hxx>
#include <gp_Ax2.hxx>
#include <map>

using namespace tess;
using namespace tess::test;

namespace {

/// Volume that the triangles on a shape's faces enclose.
double enclosed(const TopoDS_Shape& shape) {
  double v = 0;
  for (TopExp_Explorer f(shape, TopAbs_FACE); f.More(); f.Next()) {
    TopLoc_Location where;
    const auto tri = BRep_Tool::Triangulation(TopoDS::Face(f.Current()), where);
    EXPECT_FALSE(tri.IsNull());
    if (tri.IsNull()) continue;
    const int sign = f.Current().Orientation() == TopAbs_REVERSED ? -1 : 1;
    for (int i = 1; i <= tri->NbTriangles(); ++i) {
      int n[3];
      tri->Triangle(i).Get(n[0], n[1], n[2]);
      gp_XYZ p[3];
      for (int k = 0; k < 3; ++k) p[k] = tri->Node(n[k]).Transformed(where.Transformation()).XYZ();
      v += sign * p[0].Dot(p[1].Crossed(p[2])) / 6;
    }
  }
  return v;
}

/// Triangulates every face by our own means; every edge is divided once.
bool triangulateAll(const TopoDS_Shape& shape, double deflection) {
  BRepTools::Clean(shape);
  TopTools_IndexedMapOfShape edges;
  std::map<int, std::vector<double>> divided;
  auto division = [&](const TopoDS_Edge& e) {
    auto& t = divided[edges.Add(e)];
    if (t.empty()) {
      const BRepAdaptor_Curve curve(e);
      GCPnts_TangentialDeflection points(curve, 0.2, deflection);
      for (int i = 1; i <= points.NbPoints(); ++i) t.push_back(points.Parameter(i));
    }
    return t;
  };
  for (TopExp_Explorer f(shape, TopAbs_FACE); f.More(); f.Next())
    if (!triangulateFace(TopoDS::Face(f.Current()), deflection, division)) return false;
  return true;
}

/// A ring turned from a curved section, with its two faces of revolution.
TopoDS_Shape turnedRing() {
  TColgp_Array1OfPnt poles(1, 3);
  poles(1) = gp_Pnt(4, 0, 0);
  poles(2) = gp_Pnt(6, 0, 1.5);
  poles(3) = gp_Pnt(4, 0, 3);
  const auto bow = BRepBuilderAPI_MakeEdge(Handle(Geom_Curve)(new Geom_BezierCurve(poles))).Edge();
  const auto back = BRepBuilderAPI_MakeEdge(gp_Pnt(4, 0, 3), gp_Pnt(4, 0, 0)).Edge();
  const auto section = BRepBuilderAPI_MakeFace(BRepBuilderAPI_MakeWire(bow, back).Wire(), true).Face();
  return BRepPrimAPI_MakeRevol(section, gp_Ax1(gp::Origin(), gp::DZ()), 1.5 * kPi).Shape();
}

} // namespace

TEST(OwnTriangles, encloseTheVolumeOfShapesOfEveryKind) {
  const TopoDS_Shape block = BRepPrimAPI_MakeBox(20, 16, 12).Shape();
  const TopoDS_Shape drill = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(8, 8, -1), gp::DZ()), 3, 20).Shape();
  const std::pair<TopoDS_Shape, double> shapes[] = {
      {block, 20 * 16 * 12},
      {BRepPrimAPI_MakeCone(5, 0, 10).Shape(), kPi * 25 * 10 / 3}, // to its apex
      {BRepPrimAPI_MakeCone(5, 2, 10).Shape(), kPi * 10 * (25 + 10 + 4) / 3},
      {BRepPrimAPI_MakeCylinder(3, 8).Shape(), kPi * 9 * 8},
      {BRepPrimAPI_MakeSphere(4).Shape(), 4 * kPi * 64 / 3}, // two poles and a seam
      {BRepPrimAPI_MakeTorus(6, 2).Shape(), 2 * kPi * kPi * 6 * 4},
      {BRepAlgoAPI_Cut(block, drill).Shape(), 20 * 16 * 12 - kPi * 9 * 12},
      {turnedRing(), solidVolume(turnedRing())}};
  int k = 0;
  for (const auto& [shape, volume] : shapes) {
    ASSERT_TRUE(triangulateAll(shape, 0.01)) << k;
    EXPECT_NEAR(enclosed(shape), volume, 0.01 * volume) << k;
    // Edges have their points on the triangles of all their faces, as the kernel would have left them.
    for (TopExp_Explorer f(shape, TopAbs_FACE); f.More(); f.Next()) {
      TopLoc_Location where;
      const auto tri = BRep_Tool::Triangulation(TopoDS::Face(f.Current()), where);
      for (TopExp_Explorer e(f.Current(), TopAbs_EDGE); e.More(); e.Next())
        EXPECT_FALSE(BRep_Tool::PolygonOnTriangulation(TopoDS::Edge(e.Current()), tri, where).IsNull()) << k;
    }
    ++k;
  }
}

TEST(MendCurves, edgesOnTheWrongSideOfAFaceOfRevolutionComeBack) {
  const TopoDS_Shape ring = turnedRing();
  const double volume = solidVolume(ring);
  EXPECT_EQ(mendParameterCurves(ring, 1e-4), 0) << "what is right stays";
  // As files come that were written by way of the opposite side: curves half a turn off, tolerances to match.
  BRep_Builder builder;
  int harmed = 0;
  for (TopExp_Explorer f(ring, TopAbs_FACE); f.More() && harmed < 1; f.Next()) {
    const auto face = TopoDS::Face(f.Current().Oriented(TopAbs_FORWARD));
    if (BRepAdaptor_Surface(face).GetType() != GeomAbs_SurfaceOfRevolution) continue;
    TopExp_Explorer e(face, TopAbs_EDGE);
    double a, b;
    const auto curve = BRep_Tool::CurveOnSurface(TopoDS::Edge(e.Current()), face, a, b);
    const auto moved = Handle(Geom2d_Curve)::DownCast(curve->Translated(gp_Vec2d(kPi, 0)));
    const auto edge = TopoDS::Edge(e.Current().Oriented(TopAbs_FORWARD));
    builder.UpdateEdge(edge, moved, face, 10);
    builder.Range(edge, face, a, b);
    for (TopExp_Explorer v(edge, TopAbs_VERTEX); v.More(); v.Next())
      builder.UpdateVertex(TopoDS::Vertex(v.Current()), 10);
    ++harmed;
  }
  ASSERT_EQ(harmed, 1);
  EXPECT_EQ(mendParameterCurves(ring, 1e-4), 1);
  for (TopExp_Explorer v(ring, TopAbs_VERTEX); v.More(); v.Next())
    EXPECT_LT(BRep_Tool::Tolerance(TopoDS::Vertex(v.Current())), 1e-4);
  for (TopExp_Explorer e(ring, TopAbs_EDGE); e.More(); e.Next())
    EXPECT_LT(BRep_Tool::Tolerance(TopoDS::Edge(e.Current())), 1e-4);
  BRepMesh_IncrementalMesh(ring, 0.005, false, 0.1);
  EXPECT_NEAR(enclosed(ring), volume, 0.01 * volume);
}

TEST(MeshOfAPart, thatLacksABodySaysSoBeforeAllElse) {
  Mesh m = meshOf(made("boxes 2"), 0.5).mesh;
  m.regions.push_back("pin");
  const Audit a = auditMesh(m, *limitSet("general"));
  EXPECT_FALSE(a.pass);
  EXPECT_EQ(a.sentence.rfind("Not whole: 'pin' (1 of 3 bodies) got no mesh.", 0), 0u) << a.sentence;
}
