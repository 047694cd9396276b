// SPDX-License-Identifier: GPL-3.0-or-later
// Bodies cut by sheets into pieces with common faces: the kernel's general fuse on exact shapes.
#include "geometry/cut_bodies.h"
#include "base/units.h"
#include "geometry/facet_shape.h"
#include "geometry/kernel_import.h"
#include "geometry/kernel_signals.h"
#include "geometry/kernel_spaces.h"
#include <BOPAlgo_Builder.hxx>
#include <BOPAlgo_Splitter.hxx>
#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepClass3d_SolidClassifier.hxx>
#include <BRepGProp.hxx>
#include <BRepLib.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepTools.hxx>
#include <BRepTools_History.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <GCPnts_TangentialDeflection.hxx>
#include <GProp_GProps.hxx>
#include <Geom_OffsetSurface.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <Standard_ErrorHandler.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_ListOfShape.hxx>
#include <TopTools_MapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Face.hxx>
#include <cmath>
#include <gp_Circ.hxx>
#include <gp_Cone.hxx>
#include <gp_Cylinder.hxx>
#include <gp_Lin.hxx>
#include <gp_Pln.hxx>
#include <gp_Sphere.hxx>
#include <gp_Torus.hxx>
#include <map>
#include <set>

namespace tess {
namespace {

Problem cutProblem(const char* code, std::string what, std::string why, std::string todo) {
  return Problem::of(code, std::move(what)).as(Severity::Warning).because(std::move(why)).advise(std::move(todo));
}

Vec3 vec(const gp_Pnt& p) { return {p.X(), p.Y(), p.Z()}; }
Vec3 vec(const gp_Dir& p) { return {p.X(), p.Y(), p.Z()}; }
gp_Pnt point(const Vec3& p) { return {p.x(), p.y(), p.z()}; }
gp_Dir unit(const Vec3& p) { return {p.x(), p.y(), p.z()}; }

std::array<Vec3, 8> cornersOf(const Box& b) {
  std::array<Vec3, 8> r;
  for (std::size_t i = 0; i < 8; ++i)
    r[i] = Vec3(i & 1 ? b.hi.x() : b.lo.x(), i & 2 ? b.hi.y() : b.lo.y(), i & 4 ? b.hi.z() : b.lo.z());
  return r;
}
/// How far a box reaches along a line.
std::array<double, 2> rangeOf(const Box& b, const Vec3& from, const Vec3& along) {
  std::array<double, 2> r{1e300, -1e300};
  for (const Vec3& c : cornersOf(b)) {
    r[0] = std::min(r[0], (c - from).dot(along));
    r[1] = std::max(r[1], (c - from).dot(along));
  }
  return r;
}

/// Kernel faces of sheets; those that lie on each other come once.
class SheetMaker {
public:
  /// `bodies`: box of what is cut; `reach`: what the sheets have to go through.
  SheetMaker(const KernelSource& source, const Part& whole, const Box& bodies, const Box& reach)
      : m(source), m_whole(whole), m_bodies(bodies), m_reach(reach) {}

  /// Adds to `tools`; a problem where the sheet cannot be.
  std::optional<Problem> add(const CutSheet& s, TopTools_ListOfShape& tools) {
    switch (s.kind) {
    case CutSheet::Kind::Plane: {
      const Vec3 at = (s.middle ? m_bodies.center() : s.at) + s.by * s.normal;
      return plane(at, s.normal, tools);
    }
    case CutSheet::Kind::Face:
      return face(s, tools);
    case CutSheet::Kind::Edge:
      return edge(s, tools);
    case CutSheet::Kind::Core:
      return core(s, tools);
    case CutSheet::Kind::File:
      break;
    }
    auto read = importSheets(s.file, m_whole.unit);
    if (!read) return read.problem();
    for (TopExp_Explorer f(*read, TopAbs_FACE); f.More(); f.Next()) tools.Append(f.Current());
    return {};
  }
  const Vec3& normal() const { return m_normal; } ///< of the last sheet, at `at`
  const Vec3& at() const { return m_at; }

private:
  const KernelSource& m;
  const Part& m_whole;
  Box m_bodies, m_reach;
  std::vector<std::array<double, 8>> m_known; ///< kind, place and direction of surfaces
  Vec3 m_normal = Vec3::Zero(), m_at = Vec3::Zero();

  bool known(double kind, const Vec3& at, const Vec3& along, double radius) {
    const double near = 1e-7 * m_reach.diagonal();
    for (const auto& k : m_known) {
      const Vec3 a(k[1], k[2], k[3]), d(k[4], k[5], k[6]);
      if (k[0] != kind || std::abs(k[7] - radius) > near || std::abs(std::abs(d.dot(along)) - 1) > 1e-12) continue;
      const Vec3 off = at - a;
      if ((kind == 0 ? std::abs(off.dot(along)) : (off - off.dot(along) * along).norm()) < near) return true;
    }
    m_known.push_back({kind, at.x(), at.y(), at.z(), along.x(), along.y(), along.z(), radius});
    return false;
  }
  std::optional<Problem> plane(const Vec3& through, const Vec3& normal, TopTools_ListOfShape& tools) {
    m_normal = normal;
    // Around the bodies' middle, wide enough for all of them.
    m_at = m_bodies.center() - normal * normal.dot(m_bodies.center() - through);
    if (known(0, m_at, normal, 0)) return {};
    // Upright to the axes where it can be, as it is drawn.
    int least = 0;
    for (int k = 1; k < 3; ++k)
      if (std::abs(normal[k]) < std::abs(normal[least]) - 1e-9) least = k;
    const Vec3 x = (Vec3::Unit(least) - normal[least] * normal).normalized(), y = normal.cross(x);
    const auto u = rangeOf(m_reach, m_at, x), v = rangeOf(m_reach, m_at, y);
    const double more = 0.03 * m_reach.diagonal();
    const gp_Pln p(gp_Ax3(point(m_at), unit(normal), unit(x)));
    tools.Append(BRepBuilderAPI_MakeFace(p, u[0] - more, u[1] + more, v[0] - more, v[1] + more).Shape());
    return {};
  }
  std::optional<Problem> face(const CutSheet& s, TopTools_ListOfShape& tools) {
    const TopoDS_Face f = TopoDS::Face(m.faces(s.entity + 1));
    const PartFace& known_ = m_whole.faces[static_cast<std::size_t>(s.entity)];
    BRepAdaptor_Surface surface(f);
    m_at = m_whole.shape->projectToFace(s.entity, known_.center).point;
    m_normal = m_whole.shape->projectToFace(s.entity, m_at).normal;
    m_at += s.by * m_normal;
    const double sense = [&] { // of the normal against the axis, on round faces
      const Vec3 axisPoint = axisFoot(surface, m_at);
      return (m_at - s.by * m_normal - axisPoint).dot(m_normal) >= 0 ? 1.0 : -1.0;
    }();
    // A seam inside the body would be a line on its pieces: it stands across from the face.
    const double u0 = surface.FirstUParameter(), u1 = surface.LastUParameter();
    const double seam = u1 - u0 > 2 * kPi - 1e-6 ? u0 : 0.5 * (u0 + u1) + kPi;
    switch (surface.GetType()) {
    case GeomAbs_Plane:
      return plane(m_at, m_normal, tools);
    case GeomAbs_Cylinder: {
      const gp_Cylinder c = surface.Cylinder();
      return cylinder(c.Position(), c.Radius() + sense * s.by, seam, tools);
    }
    case GeomAbs_Cone: {
      const gp_Cone c = surface.Cone();
      const Vec3 apex = vec(c.Apex()), axis = vec(c.Position().Direction());
      const double radius = c.RefRadius() + sense * s.by / std::cos(c.SemiAngle());
      if (known(2 + c.SemiAngle(), apex + sense * s.by / std::sin(c.SemiAngle()) * axis, axis, 0)) return {};
      const auto h = rangeOf(m_reach, vec(c.Location()), axis);
      const double more = 0.06 * m_reach.diagonal(), slope = std::sin(c.SemiAngle());
      double v0 = (h[0] - more) / std::cos(c.SemiAngle()), v1 = (h[1] + more) / std::cos(c.SemiAngle());
      const double tip = -radius / slope; // beyond it lies the other nappe
      (slope > 0 ? v0 : v1) = slope > 0 ? std::max(v0, tip) : std::min(v1, tip);
      if (!(v1 > v0)) return tooSmall(s);
      tools.Append(
          BRepBuilderAPI_MakeFace(gp_Cone(c.Position(), c.SemiAngle(), radius), seam, seam + 2 * kPi, v0, v1).Shape());
      return {};
    }
    case GeomAbs_Sphere: {
      const gp_Sphere b = surface.Sphere();
      const double radius = b.Radius() + sense * s.by;
      if (!(radius > 0)) return tooSmall(s);
      if (!known(5, vec(b.Location()), Vec3(0, 0, 1), radius))
        tools.Append(BRepBuilderAPI_MakeFace(gp_Sphere(b.Position(), radius)).Shape());
      return {};
    }
    case GeomAbs_Torus: {
      const gp_Torus t = surface.Torus();
      const double radius = t.MinorRadius() + sense * s.by;
      if (!(radius > 0) || radius >= t.MajorRadius()) return tooSmall(s);
      if (!known(6 + t.MajorRadius(), vec(t.Location()), vec(t.Position().Direction()), radius))
        tools.Append(BRepBuilderAPI_MakeFace(gp_Torus(t.Position(), t.MajorRadius(), radius)).Shape());
      return {};
    }
    default:
      break;
    }
    TopoDS_Face wide;
    Handle(Geom_Surface) under = BRep_Tool::Surface(f);
    if (s.by != 0) {
      const double along = f.Orientation() == TopAbs_REVERSED ? -s.by : s.by;
      under = new Geom_OffsetSurface(under, along);
    }
    BRepLib::ExtendFace(BRepBuilderAPI_MakeFace(under, u0, u1, surface.FirstVParameter(), surface.LastVParameter(),
                                                1e-7 * m_reach.diagonal())
                            .Face(),
                        0.5 * m_reach.diagonal(), true, true, true, true, wide);
    if (wide.IsNull()) return tooSmall(s);
    tools.Append(wide);
    return {};
  }
  static Vec3 axisFoot(const BRepAdaptor_Surface& surface, const Vec3& p) {
    auto foot = [&](const gp_Ax3& a) {
      const Vec3 o = vec(a.Location()), d = vec(a.Direction());
      return Vec3(o + (p - o).dot(d) * d);
    };
    switch (surface.GetType()) {
    case GeomAbs_Cylinder:
      return foot(surface.Cylinder().Position());
    case GeomAbs_Cone:
      return foot(surface.Cone().Position());
    case GeomAbs_Sphere:
      return vec(surface.Sphere().Location());
    case GeomAbs_Torus: { // the ring
      const gp_Torus t = surface.Torus();
      const Vec3 o = vec(t.Location()), on = foot(t.Position());
      const Vec3 out = p - on;
      return out.norm() > 0 ? Vec3(o + t.MajorRadius() * out.normalized()) : o;
    }
    default:
      return p;
    }
  }
  Problem tooSmall(const CutSheet& s) const {
    return cutProblem("cut.value", "a cut's sheet moved by " + formatNumber(s.by, 3) + " " + m_whole.unit + " is none",
                      "nothing is left of the surface at that distance", "move it by less");
  }
  std::optional<Problem> cylinder(const gp_Ax3& frame, double radius, double seam, TopTools_ListOfShape& tools) {
    if (!(radius > 1e-7 * m_reach.diagonal()))
      return cutProblem("cut.value", "a cut's cylinder has no radius left", "it was moved inwards past its axis",
                        "move it by less");
    const Vec3 at = vec(frame.Location()), axis = vec(frame.Direction());
    if (known(1, at, axis, radius)) return {};
    const auto v = rangeOf(m_reach, at, axis);
    const double more = 0.06 * m_reach.diagonal();
    tools.Append(
        BRepBuilderAPI_MakeFace(gp_Cylinder(frame, radius), seam, seam + 2 * kPi, v[0] - more, v[1] + more).Shape());
    return {};
  }
  std::optional<Problem> edge(const CutSheet& s, TopTools_ListOfShape& tools) {
    const auto at = std::find(m.edgeOf.begin(), m.edgeOf.end(), s.entity) - m.edgeOf.begin();
    BRepAdaptor_Curve curve(TopoDS::Edge(m.edges(static_cast<int>(at) + 1)));
    if (curve.GetType() == GeomAbs_Circle) {
      const gp_Circ c = curve.Circle();
      m_at = vec(curve.Value(curve.FirstParameter()));
      m_normal = (m_at - vec(c.Location())).normalized();
      m_at += s.by * m_normal;
      return cylinder(c.Position(), c.Radius() + s.by, curve.FirstParameter(), tools);
    }
    if (curve.GetType() == GeomAbs_Line) {
      const gp_Lin l = curve.Line();
      const gp_Ax3 frame(curve.Value(0.5 * (curve.FirstParameter() + curve.LastParameter())), l.Direction());
      m_normal = vec(frame.XDirection());
      m_at = vec(frame.Location()) + s.by * m_normal;
      return cylinder(frame, s.by, 0, tools);
    }
    return cutProblem("cut.edge", "a cut runs round an edge that is no circle and not straight",
                      "a cylinder has one axis", "take a round or straight edge, or a face");
  }
  std::optional<Problem> core(const CutSheet& s, TopTools_ListOfShape& tools) {
    const TopoDS_Face f = TopoDS::Face(m.faces(s.entity + 1));
    BRepAdaptor_Surface surface(f);
    if (surface.GetType() != GeomAbs_Cylinder)
      return cutProblem("cut.core", "a square core stands round or inside a cylinder's face, and this face is none",
                        "its corners are joined to the face along the axis", "choose the wall of a hole or of a shaft");
    const gp_Cylinder c = surface.Cylinder();
    const double radius = c.Radius(), out = s.side / std::sqrt(2.0);
    const Vec3 axis = vec(c.Axis().Direction());
    const Vec3 on =
        m_whole.shape->projectToFace(s.entity, m_whole.faces[static_cast<std::size_t>(s.entity)].center).point;
    const Vec3 foot = axisFoot(surface, on);
    const bool hole = (on - foot).dot(m_whole.shape->projectToFace(s.entity, on).normal) < 0;
    if (known(8, foot, axis, radius)) return {};
    if (hole ? s.side <= 2.02 * radius : out >= 0.98 * radius)
      return cutProblem(
          "cut.value",
          "a square core of " + formatNumber(s.side, 4) + " " + m_whole.unit +
              (hole ? " does not go round a hole of the radius " : " does not fit into a shaft of the radius ") +
              formatNumber(radius, 4) + " " + m_whole.unit,
          hole ? "its sides have to pass by the hole" : "its corners have to stay inside",
          hole ? "make it wider" : "make it narrower");
    int least = 0;
    for (int k = 1; k < 3; ++k)
      if (std::abs(axis[k]) < std::abs(axis[least]) - 1e-9) least = k;
    const Vec3 e = (Vec3::Unit(least) - axis[least] * axis).normalized(), g = axis.cross(e);
    const Vec3 x = std::cos(s.turn) * e + std::sin(s.turn) * g, y = axis.cross(x);
    m_normal = x;
    m_at = foot + 0.5 * s.side * x;
    // As long as the face: what a hole or a shaft ends at is a face of the body, or of a cut before.
    std::array<double, 2> h{1e300, -1e300};
    for (TopExp_Explorer v(f, TopAbs_VERTEX); v.More(); v.Next()) {
      const double z = (vec(BRep_Tool::Pnt(TopoDS::Vertex(v.Current()))) - foot).dot(axis);
      h = {std::min(h[0], z), std::max(h[1], z)};
    }
    auto sheet = [&](const Vec3& a, const Vec3& b) {
      BRepBuilderAPI_MakePolygon p(point(foot + a + h[0] * axis), point(foot + b + h[0] * axis),
                                   point(foot + b + h[1] * axis), point(foot + a + h[1] * axis), true);
      tools.Append(BRepBuilderAPI_MakeFace(p.Wire(), true).Shape());
    };
    std::array<Vec3, 4> corner;
    for (std::size_t k = 0; k < 4; ++k)
      corner[k] = 0.5 * s.side * ((k == 0 || k == 3 ? 1 : -1) * x + (k < 2 ? 1 : -1) * y);
    for (std::size_t k = 0; k < 4; ++k) {
      sheet(corner[k], corner[(k + 1) % 4]);
      const Vec3 d = corner[k].normalized();
      sheet(hole ? Vec3(0.9 * radius * d) : corner[k], hole ? corner[k] : Vec3(1.02 * radius * d));
    }
    return {};
  }
};

class Cutter {
public:
  /// `sheets`: what entities of sheets are of; the same as `source` for a part that is not cut yet.
  Cutter(KernelSource& source, const KernelSource& sheets, const Part& part)
      : m(std::move(source.model)), m_sheets(sheets), m_whole(part.whole ? *part.whole : part) {
    if (part.whole) return;
    for (int i = 1; i <= source.faces.Extent(); ++i) m.originOf.Bind(source.faces(i), i - 1);
    for (int i = 1; i <= source.edges.Extent(); ++i)
      if (const int e = source.edgeOf[static_cast<std::size_t>(i - 1)]; e >= 0) m.originOf.Bind(source.edges(i), e);
    for (int i = 1; i <= source.vertices.Extent(); ++i)
      if (const int p = source.pointOf[static_cast<std::size_t>(i - 1)]; p >= 0) m.originOf.Bind(source.vertices(i), p);
    for (std::size_t b = 0; b < m.bodies.size(); ++b) {
      m.bodies[b].from = static_cast<int>(b);
      m.bodies[b].name = part.bodies[b].name;
    }
  }

  void cut(const Cut& cut, int number) {
    m_number = number;
    if (cut.cap) return void(m_caps.push_back(*cut.cap));
    if (cut.space) return space(*cut.space);
    std::set<std::size_t> chosen;
    Box box, all;
    for (std::size_t s = 0; s < m.solids.size(); ++s) {
      const Box here = trueBox(m.solids[s]);
      all.add(here);
      if (!wants(cut, m.bodies[static_cast<std::size_t>(m.solidBody[s])]) || !holds(m.solids[s], cut.only)) continue;
      chosen.insert(s);
      box.add(here);
    }
    if (chosen.empty())
      return say(
          cutProblem("cut.no-body", "a cut names no body of the part",
                     cut.only.empty() ? "nothing is called so" : "nothing is called so and holds one of its points",
                     "check the names and points in its card"));
    TopTools_ListOfShape tools;
    SheetMaker maker(m_sheets, m_whole, box, all);
    for (const CutSheet& s : cut.sheets)
      if (auto p = maker.add(s, tools)) return say(*p);
    if (tools.IsEmpty()) return;
    if (cut.keep && (tools.Extent() > 1 || TopoDS::Face(tools.First()).IsNull() ||
                     BRepAdaptor_Surface(TopoDS::Face(tools.First())).GetType() != GeomAbs_Plane))
      return say(cutProblem("cut.keep", "a cut that keeps one side has more than one plane",
                            "what lies ahead of it or behind it is not clear then", "let it cut by one plane"));
    split(cut, chosen, tools, all.diagonal(), maker.at(), maker.normal());
  }
  KernelModel take() { return std::move(m); }
  std::vector<Problem> problems; ///< of the cuts

private:
  KernelModel m;
  const KernelSource& m_sheets;
  const Part& m_whole;
  int m_number = 0;
  std::vector<CapWish> m_caps;

  /// A hull around all solids, its faces with names.
  TopoDS_Shape hullFor(const SpaceWish& w, const Box& box, std::vector<std::pair<TopoDS_Shape, std::string>>& named) {
    const auto axis = static_cast<std::size_t>(w.along);
    if (w.hull == SpaceWish::Hull::Sphere) {
      const double radius = 0.5 * box.diagonal() + w.beside;
      const TopoDS_Shape s = BRepPrimAPI_MakeSphere(point(box.center()), radius).Solid();
      for (TopExp_Explorer f(s, TopAbs_FACE); f.More(); f.Next()) named.push_back({f.Current(), "far"});
      return s;
    }
    std::array<double, 6> room;
    for (std::size_t k = 0; k < 6; ++k) {
      const bool high = k % 2 == 1;
      room[k] = k / 2 != axis ? w.beside : high != w.backwards ? w.behind : w.ahead;
      if (w.flush[k]) room[k] = 0;
    }
    TopoDS_Shape s;
    if (w.hull == SpaceWish::Hull::Cylinder) {
      const Vec3 d = Vec3::Unit(w.along), c = box.center();
      double radius = 0;
      for (const Vec3& p : cornersOf(box)) {
        const Vec3 off = p - c - (p - c).dot(d) * d;
        radius = std::max(radius, off.norm());
      }
      const double low = box.lo[w.along] - room[2 * axis], high = box.hi[w.along] + room[2 * axis + 1];
      Vec3 from = c;
      from[w.along] = low;
      s = BRepPrimAPI_MakeCylinder(gp_Ax2(point(from), unit(d)), radius + w.beside, high - low).Solid();
    } else
      s = hullBox(box, room);
    const Box all = trueBox(s);
    for (TopExp_Explorer f(s, TopAbs_FACE); f.More(); f.Next()) {
      GProp_GProps g;
      BRepGProp::SurfaceProperties(f.Current(), g);
      const Vec3 at = vec(g.CentreOfMass());
      std::string name = "far";
      for (int k = 0; k < 3; ++k)
        for (double side : {-1.0, 1.0}) {
          const double wall = side < 0 ? all.lo[k] : all.hi[k];
          if (BRepAdaptor_Surface(TopoDS::Face(f.Current())).GetType() == GeomAbs_Plane &&
              std::abs(at[k] - wall) < 1e-9 * all.diagonal())
            name = std::string("far ") + (side < 0 ? "-" : "+") + "xyz"[k];
        }
      named.push_back({f.Current(), name});
    }
    return s;
  }

  void space(const SpaceWish& w) {
    Box box;
    for (const auto& s : m.solids) box.add(trueBox(s));
    std::vector<std::pair<TopoDS_Shape, std::string>> named;
    std::vector<KernelOpening> openings;
    TopoDS_Shape hull;
    if (w.around)
      hull = hullFor(w, box, named);
    else {
      const double room = 0.1 * box.diagonal();
      hull = hullBox(box, {room, room, room, room, room, room});
      openings = openingsOf(m.solids);
      for (const CapWish& c : m_caps) closeOrName(c, openings);
    }
    BOPAlgo_Builder builder;
    auto found = dividedSpace(hull, m.solids, openings, builder);
    for (const auto& o : openings)
      for (TopExp_Explorer f(o.cap, TopAbs_FACE); f.More(); f.Next()) named.push_back({f.Current(), o.told.name});
    if (!found)
      return say(cutProblem("space.failed", "a space could not be made", "the geometry kernel finds no closed volumes",
                            "mend the part where bodies run into each other, or move the hull a little"));
    std::vector<const KernelSpaces::Piece*> chosen;
    for (const auto& p : found->pieces) {
      if (p.told.outside != w.around) continue;
      if (w.at.empty() ? (w.all || w.around || chosen.empty()) : holds(p.solid, w.at)) chosen.push_back(&p);
    }
    if (chosen.empty()) {
      std::string why = "the bodies enclose nothing, even with the holes of their flat faces closed";
      if (!w.at.empty())
        why = w.around ? "the points lie in a body, or beyond the hull"
                       : "the points lie in a body, or where the space is open to the outside";
      return say(cutProblem("space.none", "a space of that kind is not there", why,
                            "look at the list of spaces, and close what is open by a card 'cap'"));
    }
    for (const auto& s : m.solids) carryBy(builder, s);
    for (const auto& [face, name] : named) {
      m.faceInfo.push_back({name, {}});
      const int info = static_cast<int>(m.faceInfo.size()) - 1;
      auto give = [&](const TopoDS_Shape& image) {
        if (!m.faceInfoOf.IsBound(image) && !m.originOf.IsBound(image)) m.faceInfoOf.Bind(image, info);
      };
      give(face);
      for (const TopoDS_Shape& image : builder.Modified(face)) give(image);
    }
    KernelModel next = m;
    next.bodies.clear();
    next.solids.clear();
    next.volumes.clear();
    next.solidBody.clear();
    auto add = [&](KernelBody body, const std::vector<TopoDS_Shape>& solids) {
      body.solid = solids.front();
      for (const auto& s : solids) {
        next.solids.push_back(s);
        next.volumes.push_back(solidVolume(s));
        next.solidBody.push_back(static_cast<int>(next.bodies.size()));
      }
      next.bodies.push_back(std::move(body));
    };
    if (w.keepSolids)
      for (std::size_t b = 0; b < m.bodies.size(); ++b) {
        std::vector<TopoDS_Shape> mine;
        for (std::size_t s = 0; s < m.solids.size(); ++s)
          if (m.solidBody[s] == static_cast<int>(b))
            mine.insert(mine.end(), found->solids[s].begin(), found->solids[s].end());
        if (!mine.empty()) add(m.bodies[b], mine);
      }
    int count = 0;
    for (const auto* p : chosen) {
      KernelBody body;
      body.name = ++count > 1 ? w.name + " " + std::to_string(count) : w.name;
      body.space = true;
      add(std::move(body), {p->solid});
    }
    m = std::move(next);
    claim();
  }
  /// Openings nearest to points get the cap's name; a rim of edges becomes one more opening.
  void closeOrName(const CapWish& c, std::vector<KernelOpening>& openings) {
    if (!c.edges.empty()) {
      std::vector<TopoDS_Shape> edges;
      for (const auto& s : m.solids)
        for (TopExp_Explorer e(s, TopAbs_EDGE); e.More(); e.Next())
          if (m.originOf.IsBound(e.Current()) &&
              std::find(c.edges.begin(), c.edges.end(), m.originOf.Find(e.Current())) != c.edges.end() &&
              std::none_of(edges.begin(), edges.end(), [&](const auto& x) { return x.IsSame(e.Current()); }))
            edges.push_back(e.Current());
      auto cap = capOver(edges, m.solids);
      if (!cap)
        return say(cutProblem("space.cap", "a cap cannot be made", "its edges form no closed rim, or it lies in a body",
                              "name all edges of one rim"));
      cap->told.name = c.name;
      cap->asked = true;
      openings.push_back(std::move(*cap));
    }
    for (const Vec3& p : c.at) {
      KernelOpening* best = nullptr;
      for (auto& o : openings)
        if (!best || (o.told.at - p).norm() < (best->told.at - p).norm()) best = &o;
      if (!best)
        return say(cutProblem("space.cap", "a cap finds no opening", "no flat face of the bodies has a hole",
                              "name the edges of the rim"));
      best->told.name = c.name;
      best->asked = true;
    }
  }

  static bool holds(const TopoDS_Shape& solid, const std::vector<Vec3>& points) {
    if (points.empty()) return true;
    BRepClass3d_SolidClassifier in(solid);
    return std::any_of(points.begin(), points.end(), [&](const Vec3& p) {
      in.Perform(point(p), 1e-7);
      return in.State() == TopAbs_IN || in.State() == TopAbs_ON;
    });
  }
  static bool wants(const Cut& cut, const KernelBody& body) {
    if (cut.bodies.empty()) return true;
    for (const auto& name : cut.bodies)
      if (matchesName(name, body.name) || (!body.of.empty() && matchesName(name, body.of))) return true;
    return false;
  }
  void say(Problem p) {
    p.where = "cut " + std::to_string(m_number + 1);
    if (p.what.rfind("a cut", 0) == 0) p.what = p.where + p.what.substr(5);
    problems.push_back(std::move(p));
  }
  /// Images of all solids; empty where the kernel fails.
  std::vector<std::vector<TopoDS_Shape>> imagesOf(BOPAlgo_Builder& builder, const std::vector<TopoDS_Shape>& solids) {
    builder.SetNonDestructive(true);
    builder.SetRunParallel(false);
    try {
      OCC_CATCH_SIGNALS
      builder.Perform();
      if (builder.HasErrors()) return {};
    } catch (const Standard_Failure&) {
      return {};
    }
    std::vector<std::vector<TopoDS_Shape>> r;
    for (const auto& s : solids) {
      r.emplace_back();
      for (const TopoDS_Shape& image : builder.Modified(s)) r.back().push_back(image);
      if (r.back().empty()) r.back().push_back(s);
    }
    return r;
  }
  /// Names, and what of the whole part entities are, go over to what the kernel made of them; `images` of a shape.
  template <class Images> void carry(const TopoDS_Shape& before, Images&& images) {
    for (auto type : {TopAbs_FACE, TopAbs_EDGE, TopAbs_VERTEX}) {
      TopTools_IndexedMapOfShape all;
      TopExp::MapShapes(before, type, all);
      for (int i = 1; i <= all.Extent(); ++i)
        for (auto* map : {&m.originOf, &m.cutOf, &m.faceInfoOf})
          if (map->IsBound(all(i))) {
            const int k = map->Find(all(i));
            for (const TopoDS_Shape& image : images(all(i)))
              if (!map->IsBound(image)) map->Bind(image, k);
          }
    }
  }
  void carryBy(BOPAlgo_Builder& builder, const TopoDS_Shape& before) {
    carry(before, [&](const TopoDS_Shape& s) { return builder.Modified(s); });
  }
  /// Seams of closed faces that have become lines between two faces of one surface are taken out: nobody would see a
  /// reason for them.
  void removeSeams(const std::vector<TopoDS_Shape>& before, const TopTools_ListOfShape& tools, BOPAlgo_Builder& builder,
                   std::vector<std::vector<TopoDS_Shape>>& pieces) {
    TopTools_IndexedMapOfShape seams;
    auto take = [&](const TopoDS_Shape& s) {
      for (TopExp_Explorer f(s, TopAbs_FACE); f.More(); f.Next())
        for (TopExp_Explorer e(f.Current(), TopAbs_EDGE); e.More(); e.Next())
          if (BRep_Tool::IsClosed(TopoDS::Edge(e.Current()), TopoDS::Face(f.Current()))) {
            seams.Add(e.Current());
            for (const TopoDS_Shape& image : builder.Modified(e.Current())) seams.Add(image);
          }
    };
    for (const auto& s : before) take(s);
    for (const TopoDS_Shape& t : tools) take(t);
    if (seams.IsEmpty()) return;
    TopoDS_Compound all;
    BRep_Builder().MakeCompound(all);
    for (const auto& list : pieces)
      for (const auto& p : list) BRep_Builder().Add(all, p);
    TopTools_IndexedMapOfShape edges;
    TopExp::MapShapes(all, TopAbs_EDGE, edges);
    TopTools_MapOfShape kept;
    bool any = false;
    TopTools_IndexedDataMapOfShapeListOfShape facesOf;
    TopExp::MapShapesAndUniqueAncestors(all, TopAbs_EDGE, TopAbs_FACE, facesOf);
    for (int i = 1; i <= edges.Extent(); ++i) {
      const bool line = seams.Contains(edges(i)) && facesOf.FindFromKey(edges(i)).Extent() == 2;
      any = any || line;
      if (!line) kept.Add(edges(i));
    }
    if (!any) return;
    ShapeUpgrade_UnifySameDomain unify(all, false, true, false);
    unify.SetSafeInputMode(true);
    unify.KeepShapes(kept);
    unify.Build();
    const Handle(BRepTools_History) history = unify.History();
    auto fresh = pieces;
    for (auto& list : fresh)
      for (auto& p : list) {
        const TopTools_ListOfShape& now = history->Modified(p);
        if (now.Extent() > 1) return;
        if (now.Extent() == 1) p = now.First();
        if (p.ShapeType() != TopAbs_SOLID || history->IsRemoved(p)) return;
      }
    for (const auto& list : pieces)
      for (const auto& p : list)
        carry(p, [&](const TopoDS_Shape& s) {
          return BRepTools_History::IsSupportedType(s) ? history->Modified(s) : TopTools_ListOfShape();
        });
    pieces = std::move(fresh);
  }
  /// What is not of the whole part, nor of an earlier cut, is of this one.
  void claim() {
    for (const auto& s : m.solids)
      for (auto type : {TopAbs_FACE, TopAbs_EDGE, TopAbs_VERTEX}) {
        TopTools_IndexedMapOfShape all;
        TopExp::MapShapes(s, type, all);
        for (int i = 1; i <= all.Extent(); ++i)
          if (!m.originOf.IsBound(all(i)) && !m.cutOf.IsBound(all(i))) m.cutOf.Bind(all(i), m_number);
      }
  }
  void split(const Cut& cut, const std::set<std::size_t>& chosen, const TopTools_ListOfShape& tools, double diagonal,
             const Vec3& at, const Vec3& normal) {
    constexpr double kVolume = 1e-6; // relative: how well the kernel measures curved ones
    for (double fuzzy : {0.0, 1e-6 * diagonal}) {
      BOPAlgo_Splitter splitter;
      std::vector<TopoDS_Shape> whole;
      std::vector<double> volumeOf;
      for (std::size_t s : chosen) {
        splitter.AddArgument(m.solids[s]);
        whole.push_back(m.solids[s]);
        volumeOf.push_back(m.volumes[s]);
      }
      for (const TopoDS_Shape& t : tools) splitter.AddTool(t);
      splitter.SetFuzzyValue(fuzzy);
      auto pieces = imagesOf(splitter, whole);
      if (pieces.empty()) continue;
      bool any = false, sound = true;
      std::vector<std::vector<double>> volumes(whole.size());
      for (std::size_t k = 0; k < whole.size() && sound; ++k) {
        any = any || pieces[k].size() > 1;
        if (pieces[k].size() == 1 && pieces[k].front().IsSame(whole[k])) {
          volumes[k].push_back(volumeOf[k]);
          continue;
        }
        double volume = 0;
        for (auto& p : pieces[k]) {
          BRepTools::RemoveInternals(p); // sheets that end inside divide nothing there
          volumes[k].push_back(solidVolume(p));
          const double v = std::abs(volumes[k].back());
          sound = sound && p.ShapeType() == TopAbs_SOLID && v > 0;
          volume += v;
        }
        const double want = std::abs(volumeOf[k]);
        sound = sound && std::abs(volume - want) <= kVolume * want;
      }
      if (!sound) continue;
      if (!any)
        return say(cutProblem("cut.missed", "a cut goes through no body",
                              "its sheets lie beside the bodies, along their faces, or end inside them",
                              "move it, or turn it off"));
      for (const auto& w : whole) carryBy(splitter, w);
      removeSeams(whole, tools, splitter, pieces);
      std::vector<std::vector<char>> stays;
      bool left = false;
      for (const auto& list : pieces) {
        stays.emplace_back();
        for (const auto& p : list) {
          bool stay = cut.keep == 0;
          if (!stay) {
            GProp_GProps g;
            BRepGProp::VolumeProperties(p, g, 1e-3);
            stay = cut.keep * (vec(g.CentreOfMass()) - at).dot(normal) > 0;
          }
          stays.back().push_back(stay);
          left = left || stays.back().back();
        }
      }
      for (std::size_t s = 0; s < m.solids.size(); ++s) left = left || !chosen.count(s);
      if (!left)
        return say(cutProblem("cut.nothing-left", "a cut leaves nothing of the part",
                              "no body lies on the side that it keeps", "keep the other side"));
      return replace(chosen, pieces, volumes, stays);
    }
    say(cutProblem("cut.failed", "a cut could not be made, and the bodies stay as they were",
                   "the geometry kernel finds no closed pieces there",
                   "move the cut a little, or cut along other faces"));
  }

  /// Puts pieces in place of their solids; neighbours get the lines of the cut on their common faces.
  void replace(const std::set<std::size_t>& chosen, const std::vector<std::vector<TopoDS_Shape>>& pieces,
               const std::vector<std::vector<double>>& volumes, const std::vector<std::vector<char>>& stays) {
    std::vector<double> volume, orderedVolume;
    std::vector<TopoDS_Shape> solids;
    std::vector<int> body;
    std::vector<char> cut, stay;
    std::size_t next = 0;
    for (std::size_t s = 0; s < m.solids.size(); ++s) {
      if (!chosen.count(s)) {
        solids.push_back(m.solids[s]);
        volume.push_back(m.volumes[s]);
        body.push_back(m.solidBody[s]);
        cut.push_back(0);
        stay.push_back(1);
        continue;
      }
      const auto remain = std::count(stays[next].begin(), stays[next].end(), 1);
      for (std::size_t k = 0; k < pieces[next].size(); ++k) {
        solids.push_back(pieces[next][k]);
        volume.push_back(volumes[next][k]);
        body.push_back(m.solidBody[s]);
        cut.push_back(remain > 1);
        stay.push_back(stays[next][k]);
      }
      ++next;
    }
    if (chosen.size() < m.solids.size()) {
      BOPAlgo_Builder builder;
      for (const auto& s : solids) builder.AddArgument(s);
      const auto images = imagesOf(builder, solids);
      if (!images.empty() && std::all_of(images.begin(), images.end(), [](const auto& x) { return x.size() == 1; })) {
        for (const auto& w : solids) carryBy(builder, w);
        for (std::size_t s = 0; s < solids.size(); ++s) solids[s] = images[s].front();
      }
    }
    // Each piece is a body of its own, called after the whole one.
    std::set<int> divided;
    for (std::size_t s = 0; s < solids.size(); ++s)
      if (cut[s] && stay[s]) divided.insert(body[s]);
    std::vector<KernelBody> bodies;
    std::vector<TopoDS_Shape> ordered;
    std::vector<int> solidBody;
    for (std::size_t b = 0; b < m.bodies.size(); ++b) {
      const bool whole = !divided.count(static_cast<int>(b));
      bool first = true;
      for (std::size_t s = 0; s < solids.size(); ++s) {
        if (body[s] != static_cast<int>(b) || !stay[s]) continue;
        if (!whole || first) {
          bodies.push_back(m.bodies[b]);
          bodies.back().solid = solids[s];
          if (!whole && bodies.back().of.empty()) bodies.back().of = bodies.back().name;
        }
        first = false;
        ordered.push_back(solids[s]);
        orderedVolume.push_back(volume[s]);
        solidBody.push_back(static_cast<int>(bodies.size()) - 1);
      }
    }
    std::map<std::string, int> count, all;
    for (const auto& b : bodies)
      if (!b.of.empty()) ++all[b.of];
    for (auto& b : bodies)
      if (!b.of.empty()) b.name = all[b.of] > 1 ? b.of + " piece " + std::to_string(++count[b.of]) : b.of;
    for (auto& b : bodies)
      if (!b.of.empty() && b.name == b.of) b.of.clear();
    m.solids = std::move(ordered);
    m.volumes = std::move(orderedVolume);
    m.solidBody = std::move(solidBody);
    m.bodies = std::move(bodies);
    claim();
  }
};

Problem kernelGaveUp(const std::string& path, const char* why) {
  return Problem::of("cut.failed", "the part cannot be used once it is cut")
      .at(path)
      .because(std::string("the geometry kernel gave up: ") + why)
      .advise("turn the cuts off, one after the other, to find the one");
}

Problem uncutFacets(std::size_t k) {
  return cutProblem("cut.facets", "this part cannot be cut",
                    "it consists of triangles, and cuts are made on exact shapes",
                    "use the part's STEP, IGES or BREP file, or take the card out")
      .at("cut " + std::to_string(k + 1));
}

} // namespace

Result<Part> cutPart(std::shared_ptr<const Part> part, const std::vector<Cut>& cuts, Progress* progress) {
  auto source = kernelSourceOf(*part);
  if (!source) {
    Part r = *part;
    for (std::size_t k = 0; k < cuts.size(); ++k) r.problems.push_back(uncutFacets(k));
    return r;
  }
  if (KernelSignals::faulted()) return kernelGaveUp(part->path, "it broke down before; start the program again");
  const std::shared_ptr<const Part> whole = part->whole ? part->whole : part;
  auto sheets = kernelSourceOf(*whole);
  KernelSignals signals;
  std::vector<Problem> said;
  std::vector<char> half = part->half;
  if (part->whole)
    for (const Problem& p : part->problems)
      if (p.code.rfind("cut.", 0) == 0) said.push_back(p);
  Result<Part> made = [&]() -> Result<Part> {
    try {
      OCC_CATCH_SIGNALS
      Cutter cutter(*source, *sheets, *part);
      const int first = static_cast<int>(half.size());
      for (std::size_t k = 0; k < cuts.size(); ++k) {
        if (progress) progress->stage("Cutting", 0.8 * static_cast<double>(k) / static_cast<double>(cuts.size()), 0.8);
        if (progress) progress->check();
        const std::size_t before = cutter.problems.size();
        cutter.cut(cuts[k], first + static_cast<int>(k));
        half.push_back(cuts[k].keep != 0 && cutter.problems.size() == before);
      }
      said.insert(said.end(), cutter.problems.begin(), cutter.problems.end());
      if (KernelSignals::faulted()) return kernelGaveUp(whole->path, "it broke down");
      LoadOptions options;
      options.unit = whole->fileUnit.empty() ? "" : whole->unit;
      return partFromKernelModel(cutter.take(), options);
    } catch (const Standard_Failure& e) {
      return kernelGaveUp(whole->path, e.GetMessageString());
    }
  }();
  if (!made) return made.problem();
  made->problems.insert(made->problems.end(), said.begin(), said.end());
  made->format = whole->format;
  made->whole = whole;
  made->half = std::move(half);
  return finishedPart(std::move(*made), whole->path);
}

Result<std::vector<SheetLook>> looksOf(const Part& whole, const Cut& cut) {
  auto source = kernelSourceOf(whole);
  if (!source) return uncutFacets(0);
  Box box;
  for (const PartBody& b : whole.bodies)
    if (cut.bodies.empty() ||
        std::any_of(cut.bodies.begin(), cut.bodies.end(), [&](const auto& n) { return matchesName(n, b.name); }))
      box.add(b.box);
  if (box.empty())
    return cutProblem("cut.no-body", "a cut names no body of the part", "nothing is called so", "check the names");
  if (KernelSignals::faulted()) return kernelGaveUp(whole.path, "it broke down before; start the program again");
  std::vector<SheetLook> r;
  KernelSignals signals;
  try {
    OCC_CATCH_SIGNALS
    SheetMaker maker(*source, whole, box, box);
    for (const CutSheet& s : cut.sheets) {
      TopTools_ListOfShape tools;
      if (auto p = maker.add(s, tools)) return *p;
      SheetLook look;
      look.at = maker.at();
      look.normal = maker.normal();
      for (const TopoDS_Shape& t : tools) {
        TopTools_IndexedMapOfShape edges;
        TopExp::MapShapes(t, TopAbs_EDGE, edges);
        for (int i = 1; i <= edges.Extent(); ++i) {
          if (BRep_Tool::Degenerated(TopoDS::Edge(edges(i)))) continue;
          BRepAdaptor_Curve curve(TopoDS::Edge(edges(i)));
          GCPnts_TangentialDeflection points(curve, 10 * kPi / 180, 1e-2 * box.diagonal());
          for (int k = 1; k < points.NbPoints(); ++k)
            look.lines.push_back({vec(points.Value(k)), vec(points.Value(k + 1))});
        }
        // A few lines over it tell where it passes.
        BRepAdaptor_Surface surface(TopoDS::Face(t));
        const double u0 = surface.FirstUParameter(), u1 = surface.LastUParameter(), v0 = surface.FirstVParameter(),
                     v1 = surface.LastVParameter();
        constexpr int kLines = 6, kSteps = 24;
        for (int k = 1; k < kLines; ++k)
          for (int j = 0; j < kSteps; ++j) {
            auto at = [&](double along, double across) {
              return vec(surface.Value(u0 + along * (u1 - u0), v0 + across * (v1 - v0)));
            };
            const double a = static_cast<double>(k) / kLines, x = static_cast<double>(j) / kSteps, y = x + 1.0 / kSteps;
            look.lines.push_back({at(a, x), at(a, y)});
            look.lines.push_back({at(x, a), at(y, a)});
          }
      }
      r.push_back(std::move(look));
    }
  } catch (const Standard_Failure& e) {
    return kernelGaveUp(whole.path, e.GetMessageString());
  }
  return r;
}

} // namespace tess
