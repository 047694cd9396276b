// SPDX-License-Identifier: GPL-3.0-or-later
// Random parts for the robustness campaign, built with the kernel's operations: random_parts DIR [--count N] [--seed
// S]. Every part is a valid closed solid (or several that touch); a third and more of them hold an edge under 1/1000 of
// the diagonal or a gap or wall far below any sensible size. Writes BREP, STEP or STL files and DIR/parts.json with
// what each part holds.
#include "random.h"
#include <BRepAlgoAPI_Common.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepFilletAPI_MakeChamfer.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepGProp.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepOffsetAPI_MakePipe.hxx>
#include <BRepOffsetAPI_MakeThickSolid.hxx>
#include <BRepOffsetAPI_ThruSections.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeRevol.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepPrimAPI_MakeTorus.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
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
#include <StlAPI_Writer.hxx>
#include <TColgp_Array1OfPnt.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopTools_ListOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <gp_Circ.hxx>
#include <nlohmann/json.hpp>
#include <sys/wait.h>
#include <unistd.h>
#include <vector>

namespace {

struct Made {
  TopoDS_Shape shape;
  std::vector<std::string> history;
  double gap = 1e300; ///< smallest gap or wall made on purpose
};

double volumeOf(const TopoDS_Shape& s) {
  GProp_GProps g;
  BRepGProp::VolumeProperties(s, g);
  return g.Mass();
}
Bnd_Box boxOf(const TopoDS_Shape& s) {
  Bnd_Box b;
  BRepBndLib::AddOptimal(s, b, false, false);
  return b;
}
double diagonalOf(const TopoDS_Shape& s) { return std::sqrt(boxOf(s).SquareExtent()); }
gp_Pnt pointIn(const TopoDS_Shape& s, Random& r) {
  double a, b, c, x, y, z;
  boxOf(s).Get(a, b, c, x, y, z);
  return {r.in(a, x), r.in(b, y), r.in(c, z)};
}
gp_Dir direction(Random& r) {
  if (r.chance(0.75)) {
    gp_Dir d[3] = {gp::DX(), gp::DY(), gp::DZ()};
    return d[r.below(3)];
  }
  return {r.in(-1, 1), r.in(-1, 1), r.in(0.1, 1)};
}
TopoDS_Shape throughHole(const TopoDS_Shape& s, const gp_Pnt& at, const gp_Dir& d, double radius) {
  double l = 2 * diagonalOf(s);
  return BRepPrimAPI_MakeCylinder(gp_Ax2(at.Translated(gp_Vec(d) * -l), d), radius, 2 * l).Shape();
}

TopoDS_Face polygon(Random& r, double radius, int corners, bool smooth) {
  if (smooth) {
    BRepBuilderAPI_MakeWire w;
    w.Add(BRepBuilderAPI_MakeEdge(gp_Circ(gp::XOY(), radius)).Edge());
    return BRepBuilderAPI_MakeFace(w.Wire()).Face();
  }
  BRepBuilderAPI_MakePolygon p;
  for (int i = 0; i < corners; ++i) {
    double a = 2 * M_PI * (i + r.in(-0.3, 0.3)) / corners, q = radius * r.in(0.5, 1);
    p.Add(gp_Pnt(q * std::cos(a), q * std::sin(a), 0));
  }
  p.Close();
  return BRepBuilderAPI_MakeFace(p.Wire()).Face();
}

TopoDS_Shape base(Random& r, std::vector<std::string>& history) {
  double a = r.in(20, 100), b = a * r.in(0.2, 1), c = a * r.scale(0.04, 1);
  switch (r.below(10)) {
  case 0:
    history.push_back("box");
    return BRepPrimAPI_MakeBox(a, b, c).Shape();
  case 1:
    history.push_back("cylinder");
    return BRepPrimAPI_MakeCylinder(0.5 * b, a).Shape();
  case 2:
    history.push_back("cone");
    return BRepPrimAPI_MakeCone(0.5 * b, r.chance(0.3) ? 0 : 0.5 * b * r.in(0.1, 0.9), a).Shape();
  case 3:
    history.push_back("prism");
    return BRepPrimAPI_MakePrism(polygon(r, a, 3 + r.below(9), false), gp_Vec(0, 0, c)).Shape();
  case 4: {
    history.push_back("revolved");
    BRepBuilderAPI_MakePolygon p;
    double inner = r.chance(0.5) ? 0 : 0.2 * b;
    p.Add(gp_Pnt(inner, 0, 0));
    p.Add(gp_Pnt(0.5 * b, 0, 0));
    int n = 1 + r.below(4);
    for (int i = 1; i <= n; ++i) p.Add(gp_Pnt(r.in(0.3, 0.9) * b, 0, a * i / (n + 1)));
    p.Add(gp_Pnt(0.5 * b, 0, a));
    p.Add(gp_Pnt(inner, 0, a));
    p.Close();
    return BRepPrimAPI_MakeRevol(BRepBuilderAPI_MakeFace(p.Wire()).Face(), gp::OZ(),
                                 r.chance(0.7) ? 2 * M_PI : r.in(0.5, 5.5))
        .Shape();
  }
  case 5: {
    history.push_back("angle");
    TopoDS_Shape u = BRepPrimAPI_MakeBox(a, b, c).Shape(), v = BRepPrimAPI_MakeBox(c, b, a).Shape();
    return BRepAlgoAPI_Fuse(u, v).Shape();
  }
  case 6: {
    history.push_back("loft");
    BRepOffsetAPI_ThruSections t(true, r.chance(0.5));
    int corners = 4 + r.below(3), sections = 2 + r.below(2);
    for (int k = 0; k < sections; ++k) {
      TopoDS_Wire w = BRepTools::OuterWire(polygon(r, a * r.in(0.3, 0.6), corners, false));
      gp_Trsf m;
      m.SetTranslation(gp_Vec(r.in(-0.1, 0.1) * a, r.in(-0.1, 0.1) * a, a * k / (sections - 1)));
      t.AddWire(TopoDS::Wire(BRepBuilderAPI_Transform(w, m, true).Shape()));
    }
    t.Build();
    return t.Shape();
  }
  case 7: {
    history.push_back("swept pipe");
    TColgp_Array1OfPnt p(1, 4);
    p(1) = gp_Pnt(0, 0, 0);
    p(2) = gp_Pnt(0, 0, 0.5 * a);
    p(3) = gp_Pnt(r.in(0.2, 0.6) * a, r.in(-0.3, 0.3) * a, 0.9 * a);
    p(4) = gp_Pnt(r.in(0.8, 1.2) * a, r.in(-0.3, 0.3) * a, a);
    TopoDS_Edge e = BRepBuilderAPI_MakeEdge(GeomAPI_PointsToBSpline(p).Curve()).Edge();
    return BRepOffsetAPI_MakePipe(BRepBuilderAPI_MakeWire(e).Wire(), polygon(r, a * r.in(0.04, 0.12), 5, r.chance(0.6)))
        .Shape();
  }
  case 8: {
    history.push_back("cut sphere");
    TopoDS_Shape s = BRepPrimAPI_MakeSphere(0.5 * a).Shape();
    return BRepAlgoAPI_Cut(s, BRepPrimAPI_MakeBox(gp_Pnt(-a, -a, r.in(0, 0.3) * a), gp_Pnt(a, a, a)).Shape()).Shape();
  }
  default:
    history.push_back("torus");
    return BRepPrimAPI_MakeTorus(0.5 * a, 0.5 * a * r.in(0.1, 0.6)).Shape();
  }
}

/// One more operation on the shape; throws or returns a null shape when it does not work out.
TopoDS_Shape feature(const TopoDS_Shape& s, Random& r, Made& made) {
  double d = diagonalOf(s);
  double lo[3], hi[3];
  boxOf(s).Get(lo[0], lo[1], lo[2], hi[0], hi[1], hi[2]);
  double least = std::min({hi[0] - lo[0], hi[1] - lo[1], hi[2] - lo[2]});
  switch (r.below(13)) {
  case 0:
  case 1:
    made.history.push_back("hole");
    return BRepAlgoAPI_Cut(s, throughHole(s, pointIn(s, r), direction(r), d * r.scale(0.01, 0.1))).Shape();
  case 2: {
    made.history.push_back("boss");
    gp_Pnt p = pointIn(s, r);
    return BRepAlgoAPI_Fuse(
               s,
               BRepPrimAPI_MakeCylinder(gp_Ax2(p, direction(r)), d * r.scale(0.02, 0.12), d * r.in(0.1, 0.4)).Shape())
        .Shape();
  }
  case 3: {
    made.history.push_back("pocket");
    gp_Pnt p = pointIn(s, r);
    return BRepAlgoAPI_Cut(s, BRepPrimAPI_MakeBox(gp_Ax2(p, gp::DZ()), d * r.scale(0.03, 0.4), d * r.scale(0.03, 0.4),
                                                  d * r.in(0.05, 0.6))
                                  .Shape())
        .Shape();
  }
  case 4:
  case 5: {
    made.history.push_back("fillet");
    BRepFilletAPI_MakeFillet f(s);
    TopTools_IndexedMapOfShape edges;
    TopExp::MapShapes(s, TopAbs_EDGE, edges);
    double radius = least * r.scale(0.01, 0.3);
    int n = 0;
    for (int i = 1; i <= edges.Extent(); ++i)
      if (r.chance(0.35) && !BRep_Tool::Degenerated(TopoDS::Edge(edges(i))) && ++n < 10)
        f.Add(radius, TopoDS::Edge(edges(i)));
    if (!n) return {};
    f.Build();
    return f.IsDone() ? f.Shape() : TopoDS_Shape();
  }
  case 6: {
    made.history.push_back("chamfer");
    BRepFilletAPI_MakeChamfer f(s);
    TopTools_IndexedMapOfShape edges;
    TopExp::MapShapes(s, TopAbs_EDGE, edges);
    int k = 1 + r.below(edges.Extent());
    f.Add(least * r.scale(0.01, 0.2), TopoDS::Edge(edges(k)));
    f.Build();
    return f.IsDone() ? f.Shape() : TopoDS_Shape();
  }
  case 7: {
    made.history.push_back("shell");
    TopTools_IndexedMapOfShape faces;
    TopExp::MapShapes(s, TopAbs_FACE, faces);
    TopTools_ListOfShape open;
    open.Append(faces(1 + r.below(faces.Extent())));
    BRepOffsetAPI_MakeThickSolid t;
    double wall = least * r.scale(0.02, 0.2);
    t.MakeThickSolidByJoin(s, open, -wall, 1e-4);
    if (!t.IsDone()) return {};
    made.gap = std::min(made.gap, wall);
    return t.Shape();
  }
  case 8: { // two faces almost in one plane: a step much smaller than anything else
    made.history.push_back("tiny step");
    double step = d * r.scale(1e-5, 8e-4), w = 0.3 * d;
    gp_Pnt p(r.in(lo[0], hi[0]), r.in(lo[1], hi[1]), hi[2] + step);
    return BRepAlgoAPI_Fuse(s, BRepPrimAPI_MakeBox(gp_Pnt(p.X(), p.Y(), hi[2] - 0.3 * (hi[2] - lo[2])),
                                                   gp_Pnt(p.X() + w, p.Y() + w, p.Z()))
                                   .Shape())
        .Shape();
  }
  case 9: {
    made.history.push_back("tiny gap");
    double gap = d * r.scale(1e-4, 8e-4);
    int k = r.below(3);
    gp_Pnt p = pointIn(s, r), a(lo[0] - d, lo[1] - d, lo[2] - d), b(hi[0] + d, hi[1] + d, hi[2] + d);
    a.SetCoord(k + 1, p.Coord(k + 1));
    b.SetCoord(k + 1, p.Coord(k + 1) + gap);
    int j = (k + 1 + r.below(2)) % 3; // not all the way through
    b.SetCoord(j + 1, p.Coord(j + 1));
    made.gap = std::min(made.gap, gap);
    return BRepAlgoAPI_Cut(s, BRepPrimAPI_MakeBox(a, b).Shape()).Shape();
  }
  case 10: { // two parallel holes with a thin wall between them
    made.history.push_back("thin wall");
    gp_Pnt p = pointIn(s, r);
    gp_Dir along = direction(r);
    double radius = d * r.scale(0.02, 0.08), wall = d * r.scale(3e-4, 5e-3);
    gp_Vec off = gp_Vec(along.IsParallel(gp::DX(), 0.1) ? gp::DY() : gp::DX()).Crossed(gp_Vec(along)).Normalized();
    TopoDS_Shape one = BRepAlgoAPI_Cut(s, throughHole(s, p, along, radius)).Shape();
    made.gap = std::min(made.gap, wall);
    return BRepAlgoAPI_Cut(one, throughHole(s, p.Translated(off * (2 * radius + wall)), along, radius)).Shape();
  }
  case 11: { // a hole that all but touches a side
    made.history.push_back("nearly tangent hole");
    double radius = d * r.scale(0.02, 0.08), wall = d * r.scale(1e-4, 2e-3) * (r.chance(0.3) ? -1 : 1);
    gp_Pnt p(lo[0] + radius + wall, r.in(lo[1], hi[1]), 0);
    made.gap = std::min(made.gap, std::abs(wall));
    return BRepAlgoAPI_Cut(s, throughHole(s, p, gp::DZ(), radius)).Shape();
  }
  default: { // a blade: an acute wedge
    made.history.push_back("wedge cut");
    BRepBuilderAPI_MakePolygon p;
    gp_Pnt q = pointIn(s, r);
    p.Add(gp_Pnt(q.X(), lo[1] - d, q.Z()));
    p.Add(gp_Pnt(q.X() + 2 * d, lo[1] - d, q.Z()));
    p.Add(gp_Pnt(q.X() + 2 * d, lo[1] - d, q.Z() + 2 * d * std::tan(r.in(0.2, 0.8))));
    p.Close();
    return BRepAlgoAPI_Cut(s,
                           BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(p.Wire()).Face(), gp_Vec(0, 4 * d, 0)).Shape())
        .Shape();
  }
  }
}

int solidsOf(const TopoDS_Shape& s) {
  int n = 0;
  for (TopExp_Explorer e(s, TopAbs_SOLID); e.More(); e.Next()) ++n;
  return n;
}
bool usable(const TopoDS_Shape& s) {
  return !s.IsNull() && solidsOf(s) >= 1 && solidsOf(s) <= 6 && BRepCheck_Analyzer(s).IsValid() && volumeOf(s) > 0;
}

/// A box that touches the part's lowest side on part of a face, as a second body.
TopoDS_Shape withNeighbour(const TopoDS_Shape& s, Random& r) {
  double lo[3], hi[3];
  boxOf(s).Get(lo[0], lo[1], lo[2], hi[0], hi[1], hi[2]);
  double x = r.in(lo[0], 0.5 * (lo[0] + hi[0])), y = r.in(lo[1], 0.5 * (lo[1] + hi[1]));
  TopoDS_Compound c;
  BRep_Builder b;
  b.MakeCompound(c);
  b.Add(c, s);
  b.Add(c, BRepPrimAPI_MakeBox(gp_Pnt(x, y, lo[2] - 0.4 * (hi[2] - lo[2])),
                               gp_Pnt(x + 0.5 * (hi[0] - lo[0]), y + 0.5 * (hi[1] - lo[1]), lo[2]))
               .Shape());
  return c;
}

bool make(Random& r, Made& out) {
  out = {};
  out.shape = base(r, out.history);
  if (!usable(out.shape)) return false;
  int wanted = 1 + r.below(5);
  for (int k = 0; k < wanted; ++k) {
    Made next = out;
    try {
      next.shape = feature(out.shape, r, next);
      // The kernel's operations may give shapes that call themselves valid and are not; the volume tells.
      double before = volumeOf(out.shape);
      if (usable(next.shape) && solidsOf(next.shape) == 1 && volumeOf(next.shape) > 0.02 * before &&
          std::abs(volumeOf(next.shape) / before - 1) > 1e-9)
        out = next;
    } catch (const Standard_Failure&) {
    }
  }
  if (r.chance(0.12)) {
    Made next = out;
    next.history.push_back("neighbour");
    next.shape = withNeighbour(out.shape, r);
    if (usable(next.shape)) out = next;
  }
  return true;
}

double shortestEdge(const TopoDS_Shape& s) {
  double l = 1e300;
  TopTools_IndexedMapOfShape edges;
  TopExp::MapShapes(s, TopAbs_EDGE, edges);
  for (int i = 1; i <= edges.Extent(); ++i) {
    if (BRep_Tool::Degenerated(TopoDS::Edge(edges(i)))) continue;
    GProp_GProps g;
    BRepGProp::LinearProperties(edges(i), g);
    l = std::min(l, g.Mass());
  }
  return l;
}

/// Some operations crash the kernel itself: each attempt is made in a process of its own first.
bool crashes(std::uint64_t attempt) {
  std::fflush(nullptr);
  const pid_t child = fork();
  if (child == 0) {
    alarm(60);
    try {
      Random r(attempt);
      Made m;
      if (make(r, m)) shortestEdge(m.shape);
    } catch (const Standard_Failure&) {
    }
    _exit(0);
  }
  int status = 0;
  return child < 0 || waitpid(child, &status, 0) < 0 || !WIFEXITED(status);
}
} // namespace

int main(int argc, char** argv) {
  if (argc < 2 || argv[1][0] == '-') { // an option is no folder
    std::fprintf(stderr, "usage: random_parts FOLDER [--count N] [--seed N]\n");
    return 2;
  }
  std::filesystem::path dir = argv[1];
  int count = 200;
  std::uint64_t seed = 1;
  for (int i = 2; i + 1 < argc; ++i) {
    if (!std::strcmp(argv[i], "--count")) count = std::atoi(argv[++i]);
    if (!std::strcmp(argv[i], "--seed")) seed = static_cast<std::uint64_t>(std::atoll(argv[++i]));
  }
  std::filesystem::create_directories(dir);
  Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_PrinterOStream));
  Interface_Static::SetCVal("write.step.unit", "MM");
  nlohmann::json list = nlohmann::json::array();
  int hard = 0;
  for (int k = 0, attempt = 0; k < count; ++attempt) {
    const std::uint64_t number = seed * 1000003 + static_cast<std::uint64_t>(attempt);
    if (crashes(number)) continue;
    Random r(number);
    Made m;
    double d = 0, edge = 0;
    try {
      if (!make(r, m)) continue;
      d = diagonalOf(m.shape);
      edge = shortestEdge(m.shape);
    } catch (const Standard_Failure&) {
      continue;
    }
    bool isHard = edge < 1e-3 * d || m.gap < d / 60 / 20;
    // Two of five parts must be hard ones.
    if (k % 5 < 2 && !isHard) continue;
    char name[32];
    const char* suffix = k % 10 == 9 ? "stl" : k % 3 == 0 ? "step" : "brep";
    std::snprintf(name, sizeof name, "part-%03d.%s", k, suffix);
    std::string path = (dir / name).string();
    if (!std::strcmp(suffix, "stl")) {
      BRepMesh_IncrementalMesh mesh(m.shape, 0.002 * d, false, 0.3);
      StlAPI_Writer().Write(m.shape, path.c_str());
    } else if (!std::strcmp(suffix, "step")) {
      STEPControl_Writer w;
      w.Transfer(m.shape, STEPControl_AsIs);
      w.Write(path.c_str());
    } else
      BRepTools::Write(m.shape, path.c_str());
    TopTools_IndexedMapOfShape faces;
    TopExp::MapShapes(m.shape, TopAbs_FACE, faces);
    hard += isHard;
    list.push_back({{"file", name},
                    {"history", m.history},
                    {"faces", faces.Extent()},
                    {"bodies", solidsOf(m.shape)},
                    {"shortest_edge_share", edge / d},
                    {"gap_share", m.gap < 1e299 ? m.gap / d : -1.0},
                    {"hard", isHard}});
    ++k;
  }
  std::ofstream(dir / "parts.json") << list.dump(1) << '\n';
  std::printf("%d parts, %d with an edge under 1/1000 of the diagonal or a gap under 1/20 of diagonal/60\n", count,
              hard);
}
