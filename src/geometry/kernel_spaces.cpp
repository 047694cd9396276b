// SPDX-License-Identifier: GPL-3.0-or-later
#include "geometry/kernel_spaces.h"
#include "geometry/kernel_signals.h"
#include <BOPTools_AlgoTools3D.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepGProp.hxx>
#include <BRepOffsetAPI_MakeFilling.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <GProp_GProps.hxx>
#include <IntTools_Context.hxx>
#include <Standard_ErrorHandler.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_MapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <cmath>
#include <set>

namespace tess {
namespace {

Vec3 placeOf(const gp_Pnt& p) { return {p.X(), p.Y(), p.Z()}; }

double areaOfShape(const TopoDS_Shape& s, Vec3* centre) {
  GProp_GProps g;
  BRepGProp::SurfaceProperties(s, g);
  if (centre) *centre = placeOf(g.CentreOfMass());
  return g.Mass();
}
double lengthOfRim(const TopoDS_Shape& s) {
  GProp_GProps g;
  BRepGProp::LinearProperties(s, g);
  return g.Mass();
}
/// What of a cap lies in no solid; nothing where none does.
std::optional<KernelOpening> openPart(const TopoDS_Face& cap, const std::vector<TopoDS_Shape>& solids) {
  const double whole = areaOfShape(cap, nullptr);
  if (!(whole > 0)) return {};
  TopTools_ListOfShape args, tools;
  args.Append(cap);
  for (const auto& s : solids) tools.Append(s);
  BRepAlgoAPI_Cut cut;
  cut.SetArguments(args);
  cut.SetTools(tools);
  cut.Build();
  if (!cut.IsDone() || cut.HasErrors()) return {};
  KernelOpening o;
  o.cap = cut.Shape();
  o.told.area = areaOfShape(o.cap, &o.told.at);
  constexpr double kNone = 1e-6;
  if (!(o.told.area > kNone * whole)) return {};
  // A point of the cap itself: the centre of a ring is none.
  TopExp_Explorer first(o.cap, TopAbs_FACE);
  if (!first.More()) return {};
  const Handle(IntTools_Context) context = new IntTools_Context;
  gp_Pnt p;
  gp_Pnt2d uv;
  if (BOPTools_AlgoTools3D::PointInFace(TopoDS::Face(first.Current()), p, uv, context) == 0 &&
      !context->IsValidPointForFace(gp_Pnt(o.told.at.x(), o.told.at.y(), o.told.at.z()), TopoDS::Face(first.Current()),
                                    1e-6))
    o.told.at = placeOf(p);
  o.told.width = 4 * o.told.area / lengthOfRim(o.cap);
  return o;
}

} // namespace

std::vector<KernelOpening> openingsOf(const std::vector<TopoDS_Shape>& solids) {
  std::vector<KernelOpening> r;
  for (const auto& s : solids)
    for (TopExp_Explorer f(s, TopAbs_FACE); f.More(); f.Next()) {
      const TopoDS_Face face = TopoDS::Face(f.Current());
      BRepAdaptor_Surface surface(face);
      if (surface.GetType() != GeomAbs_Plane) continue;
      const TopoDS_Wire outer = BRepTools::OuterWire(face);
      for (TopExp_Explorer w(face, TopAbs_WIRE); w.More(); w.Next()) {
        if (w.Current().IsSame(outer)) continue;
        BRepBuilderAPI_MakeFace make(surface.Plane(), TopoDS::Wire(w.Current()), true);
        if (!make.IsDone()) continue;
        if (auto o = openPart(make.Face(), solids)) r.push_back(std::move(*o));
      }
    }
  std::stable_sort(r.begin(), r.end(), [](const auto& a, const auto& b) { return a.told.area > b.told.area; });
  for (std::size_t k = 0; k < r.size(); ++k) r[k].told.name = "opening " + std::to_string(k + 1);
  return r;
}

std::optional<KernelOpening> capOver(const std::vector<TopoDS_Shape>& edges, const std::vector<TopoDS_Shape>& solids) {
  BRepBuilderAPI_MakeWire wire;
  TopTools_ListOfShape list;
  for (const auto& e : edges) list.Append(e);
  wire.Add(list);
  if (!wire.IsDone() || !wire.Wire().Closed()) return {};
  BRepBuilderAPI_MakeFace flat(wire.Wire(), true);
  if (flat.IsDone()) return openPart(flat.Face(), solids);
  BRepOffsetAPI_MakeFilling fill;
  for (const auto& e : edges) fill.Add(TopoDS::Edge(e), GeomAbs_C0);
  fill.Build();
  if (!fill.IsDone()) return {};
  for (TopExp_Explorer f(fill.Shape(), TopAbs_FACE); f.More(); f.Next())
    return openPart(TopoDS::Face(f.Current()), solids);
  return {};
}

TopoDS_Shape hullBox(const Box& b, const std::array<double, 6>& room) {
  return BRepPrimAPI_MakeBox(gp_Pnt(b.lo.x() - room[0], b.lo.y() - room[2], b.lo.z() - room[4]),
                             gp_Pnt(b.hi.x() + room[1], b.hi.y() + room[3], b.hi.z() + room[5]))
      .Solid();
}

namespace {
std::optional<KernelSpaces> dividedBy(const TopoDS_Shape& hull, const std::vector<TopoDS_Shape>& solids,
                                      const std::vector<KernelOpening>& openings, BOPAlgo_Builder& builder) {
  builder.Clear();
  builder.AddArgument(hull);
  for (const auto& s : solids) builder.AddArgument(s);
  for (const auto& o : openings)
    for (TopExp_Explorer f(o.cap, TopAbs_FACE); f.More(); f.Next()) builder.AddArgument(f.Current());
  builder.SetNonDestructive(true);
  builder.SetRunParallel(false);
  try {
    OCC_CATCH_SIGNALS
    builder.Perform();
    if (builder.HasErrors()) return {};
  } catch (const Standard_Failure&) {
    return {};
  }
  auto imagesOfShape = [&](const TopoDS_Shape& s) {
    std::vector<TopoDS_Shape> r;
    for (const TopoDS_Shape& image : builder.Modified(s)) r.push_back(image);
    if (r.empty() && !builder.IsDeleted(s)) r.push_back(s);
    return r;
  };
  KernelSpaces k;
  TopTools_MapOfShape taken, atHull;
  TopTools_DataMapOfShapeInteger bodyOf, openingOf;
  for (std::size_t s = 0; s < solids.size(); ++s) {
    k.solids.push_back(imagesOfShape(solids[s]));
    for (const auto& image : k.solids.back()) taken.Add(image);
    for (TopExp_Explorer f(solids[s], TopAbs_FACE); f.More(); f.Next())
      for (const auto& image : imagesOfShape(f.Current()))
        if (!bodyOf.IsBound(image)) bodyOf.Bind(image, static_cast<int>(s));
  }
  for (TopExp_Explorer f(hull, TopAbs_FACE); f.More(); f.Next())
    for (const auto& image : imagesOfShape(f.Current())) atHull.Add(image);
  for (std::size_t o = 0; o < openings.size(); ++o)
    for (TopExp_Explorer f(openings[o].cap, TopAbs_FACE); f.More(); f.Next())
      for (const auto& image : imagesOfShape(f.Current())) openingOf.Bind(image, static_cast<int>(o));
  const Handle(IntTools_Context) context = new IntTools_Context;
  for (TopoDS_Shape piece : imagesOfShape(hull)) {
    if (taken.Contains(piece) || piece.ShapeType() != TopAbs_SOLID) continue;
    BRepTools::RemoveInternals(piece); // caps that close nothing
    KernelSpaces::Piece p;
    p.solid = piece;
    p.told.volume = std::abs(solidVolume(piece));
    p.told.box = trueBox(piece);
    std::set<int> bodies, open;
    for (TopExp_Explorer f(piece, TopAbs_FACE); f.More(); f.Next()) {
      p.told.outside = p.told.outside || atHull.Contains(f.Current());
      if (bodyOf.IsBound(f.Current())) bodies.insert(bodyOf.Find(f.Current()));
      if (openingOf.IsBound(f.Current())) open.insert(openingOf.Find(f.Current()));
    }
    p.told.bodies.assign(bodies.begin(), bodies.end());
    p.openings.assign(open.begin(), open.end());
    for (int o : open) p.told.openings.push_back(openings[static_cast<std::size_t>(o)].told);
    // A point just inside one of its faces.
    for (TopExp_Explorer f(piece, TopAbs_FACE); f.More(); f.Next()) {
      const TopoDS_Face face = TopoDS::Face(f.Current());
      gp_Pnt at;
      gp_Pnt2d uv;
      if (BOPTools_AlgoTools3D::PointInFace(face, at, uv, context) != 0) continue;
      gp_Dir normal;
      BOPTools_AlgoTools3D::GetNormalToSurface(BRep_Tool::Surface(face), uv.X(), uv.Y(), normal);
      const double in = (face.Orientation() == TopAbs_REVERSED ? 1 : -1) * 1e-4 * p.told.box.diagonal();
      p.told.inside = placeOf(at) + in * Vec3(normal.X(), normal.Y(), normal.Z());
      break;
    }
    k.pieces.push_back(std::move(p));
  }
  std::stable_sort(k.pieces.begin(), k.pieces.end(), [](const auto& a, const auto& b) {
    return a.told.outside != b.told.outside ? b.told.outside : a.told.volume > b.told.volume;
  });
  return k;
}
} // namespace

std::optional<KernelSpaces> dividedSpace(const TopoDS_Shape& hull, const std::vector<TopoDS_Shape>& solids,
                                         std::vector<KernelOpening>& openings, BOPAlgo_Builder& builder) {
  auto k = dividedBy(hull, solids, openings, builder);
  if (!k) return k;
  // A cap between two cavities closes nothing to the outside: the cavities are one.
  std::vector<char> outer(openings.size(), 0);
  for (const auto& p : k->pieces)
    for (int o : p.openings)
      if (p.told.outside) outer[static_cast<std::size_t>(o)] = 1;
  std::vector<KernelOpening> kept;
  for (std::size_t o = 0; o < openings.size(); ++o)
    if (outer[o] || openings[o].asked) kept.push_back(openings[o]);
  if (kept.size() == openings.size()) return k;
  openings = std::move(kept);
  int number = 0;
  for (auto& o : openings)
    if (!o.asked) o.told.name = "opening " + std::to_string(++number);
  return dividedBy(hull, solids, openings, builder);
}

Result<std::vector<FoundSpace>> spacesOf(const Part& part, Progress* progress) {
  auto source = kernelSourceOf(part);
  if (!source)
    return Problem::of("space.facets", "spaces of a part of triangles cannot be found")
        .at(part.path)
        .because("they are found between exact shapes")
        .advise("use the part's STEP, IGES or BREP file");
  auto gaveUp = [&](const char* why) {
    return Problem::of("space.failed", "spaces could not be found")
        .at(part.path)
        .because(std::string("the geometry kernel gave up") + (*why ? ": " : "") + why)
        .advise("mend the part where it overlaps itself, and try again");
  };
  if (KernelSignals::faulted()) return gaveUp("it broke down before; start the program again");
  if (progress) progress->check();
  KernelSignals signals;
  try {
    OCC_CATCH_SIGNALS
    auto openings = openingsOf(source->model.solids);
    Box box;
    for (const auto& s : source->model.solids) box.add(trueBox(s));
    const double room = 0.1 * box.diagonal();
    BOPAlgo_Builder builder;
    const auto k =
        dividedSpace(hullBox(box, {room, room, room, room, room, room}), source->model.solids, openings, builder);
    if (!k || KernelSignals::faulted()) return gaveUp("");
    std::vector<FoundSpace> r;
    for (const auto& p : k->pieces) {
      r.push_back(p.told);
      for (int& b : r.back().bodies) b = source->model.solidBody[static_cast<std::size_t>(b)];
      if (p.told.outside) r.back().volume = 0;
    }
    return r;
  } catch (const Standard_Failure& e) {
    return gaveUp(e.GetMessageString());
  }
}

} // namespace tess
