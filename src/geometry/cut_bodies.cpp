// SPDX-License-Identifier: GPL-3.0-or-later
// Bodies cut by planes into pieces with common faces: the kernel's general fuse on exact shapes.
#include "base/units.h"
#include "geometry/kernel_import.h"
#include "geometry/kernel_signals.h"
#include <BOPAlgo_Builder.hxx>
#include <BOPAlgo_Splitter.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <Bnd_Box.hxx>
#include <Standard_ErrorHandler.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_ListOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Face.hxx>
#include <gp_Pln.hxx>
#include <map>
#include <set>

namespace tess {
namespace {

Problem cutProblem(const char* code, std::string what, std::string why, std::string todo) {
  return Problem::of(code, std::move(what)).as(Severity::Warning).because(std::move(why)).advise(std::move(todo));
}

class Cutter {
public:
  Cutter(KernelModel& model, const LoadOptions& options)
      : m(model), m_unit(options.unit.empty() ? model.unit : options.unit) {}

  void cut(const CutPlanes& planes) {
    std::set<std::size_t> chosen;
    Box box, all;
    for (std::size_t s = 0; s < m.solids.size(); ++s) {
      const Box here = boxOf(m.solids[s]);
      all.add(here);
      if (!wants(planes, m.bodies[static_cast<std::size_t>(m.solidBody[s])])) continue;
      chosen.insert(s);
      box.add(here);
    }
    if (chosen.empty())
      return say(planes, cutProblem("cut.no-body", "a cut names no body of the part", "nothing is called so",
                                    "check the names in the card 'cut'"));
    if (planes.across == Vec3::Zero())
      return say(planes, cutProblem("cut.value", "a cut has no direction", "its planes are square to one",
                                    "write for example 1, 0, 0"));
    Vec3 at = box.center();
    for (std::size_t k = 0; k < planes.at.size(); ++k) {
      auto x = parseLength(planes.at[k], m_unit);
      if (!x || planes.at.size() != 3)
        return say(planes, cutProblem("cut.value", "a cut's place is no point", "one plane goes through it",
                                      "write for example (1, 2, 3)"));
      at[static_cast<Eigen::Index>(k)] = *x;
    }
    std::vector<double> distances{0};
    for (const auto& text : planes.further) {
      auto d = parseLength(text, m_unit);
      if (!d)
        return say(planes, cutProblem("cut.value", "'" + text + "' is no distance", "a cut goes on by lengths",
                                      "write for example 10 mm, 20 mm"));
      distances.push_back(*d);
    }
    TopTools_ListOfShape tools;
    for (double d : distances) {
      const Vec3 p = at + d * planes.across;
      // Around the bodies' middle, wide enough for all of them.
      const Vec3 c = all.center() - planes.across * planes.across.dot(all.center() - p);
      const double wide = all.diagonal();
      const gp_Pln plane(gp_Pnt(c.x(), c.y(), c.z()), gp_Dir(planes.across.x(), planes.across.y(), planes.across.z()));
      const TopoDS_Shape sheet = BRepBuilderAPI_MakeFace(plane, -wide, wide, -wide, wide).Shape();
      tools.Append(sheet);
    }
    split(planes, chosen, tools, all.diagonal());
  }

private:
  KernelModel& m;
  std::string m_unit;

  /// Close, as its middle is what a card means.
  static Box boxOf(const TopoDS_Shape& s) {
    Bnd_Box b;
    BRepBndLib::AddOptimal(s, b, false, false);
    double x0, y0, z0, x1, y1, z1;
    b.Get(x0, y0, z0, x1, y1, z1);
    Box r;
    r.add(Vec3(x0, y0, z0));
    r.add(Vec3(x1, y1, z1));
    return r;
  }
  static bool wants(const CutPlanes& planes, const KernelBody& body) {
    if (planes.bodies.empty()) return true;
    for (const auto& name : planes.bodies)
      if (matchesName(name, body.name) || (!body.of.empty() && matchesName(name, body.of))) return true;
    return false;
  }
  void say(const CutPlanes& planes, Problem p) const {
    if (planes.rule >= 0) p.where = "rule " + std::to_string(planes.rule + 1);
    m.problems.push_back(std::move(p));
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
  void split(const CutPlanes& planes, const std::set<std::size_t>& chosen, const TopTools_ListOfShape& tools,
             double diagonal) {
    constexpr double kVolume = 1e-6; // relative: how well the kernel measures curved ones
    for (double fuzzy : {0.0, 1e-6 * diagonal}) {
      BOPAlgo_Splitter splitter;
      std::vector<TopoDS_Shape> whole;
      for (std::size_t s : chosen) {
        splitter.AddArgument(m.solids[s]);
        whole.push_back(m.solids[s]);
      }
      for (const TopoDS_Shape& t : tools) splitter.AddTool(t);
      splitter.SetFuzzyValue(fuzzy);
      const auto pieces = imagesOf(splitter, whole);
      if (pieces.empty()) continue;
      bool any = false, sound = true;
      for (std::size_t k = 0; k < whole.size(); ++k) {
        any = any || pieces[k].size() > 1;
        double volume = 0;
        for (const auto& p : pieces[k]) {
          const double v = std::abs(solidVolume(p));
          sound = sound && p.ShapeType() == TopAbs_SOLID && v > 0;
          volume += v;
        }
        const double want = std::abs(solidVolume(whole[k]));
        sound = sound && std::abs(volume - want) <= kVolume * want;
      }
      if (!sound) continue;
      if (!any)
        return say(planes,
                   cutProblem("cut.missed", "a cut goes through no body",
                              "its planes lie beside the bodies, or along their faces", "move it, or turn it off"));
      for (const auto& w : whole) carryFaceInfo(m, w, splitter);
      return take(chosen, pieces);
    }
    say(planes, cutProblem("cut.failed", "a cut could not be made, and the bodies stay as they were",
                           "the geometry kernel finds no closed pieces there",
                           "move the cut a little, or cut along other faces"));
  }

  /// Puts pieces in place of their solids; neighbours get the lines of the cut on their common faces.
  void take(const std::set<std::size_t>& chosen, const std::vector<std::vector<TopoDS_Shape>>& pieces) {
    std::vector<TopoDS_Shape> solids;
    std::vector<int> body;
    std::vector<char> cut;
    std::size_t next = 0;
    for (std::size_t s = 0; s < m.solids.size(); ++s) {
      if (!chosen.count(s)) {
        solids.push_back(m.solids[s]);
        body.push_back(m.solidBody[s]);
        cut.push_back(0);
        continue;
      }
      for (const auto& p : pieces[next]) {
        solids.push_back(p);
        body.push_back(m.solidBody[s]);
        cut.push_back(pieces[next].size() > 1);
      }
      ++next;
    }
    if (chosen.size() < m.solids.size()) {
      BOPAlgo_Builder builder;
      for (const auto& s : solids) builder.AddArgument(s);
      const auto images = imagesOf(builder, solids);
      if (!images.empty() && std::all_of(images.begin(), images.end(), [](const auto& x) { return x.size() == 1; })) {
        for (const auto& w : solids) carryFaceInfo(m, w, builder);
        for (std::size_t s = 0; s < solids.size(); ++s) solids[s] = images[s].front();
      }
    }
    // Each piece is a body of its own, called after the whole one.
    std::set<int> divided;
    for (std::size_t s = 0; s < solids.size(); ++s)
      if (cut[s]) divided.insert(body[s]);
    std::vector<KernelBody> bodies;
    std::vector<TopoDS_Shape> ordered;
    std::vector<int> solidBody;
    for (std::size_t b = 0; b < m.bodies.size(); ++b) {
      const bool whole = !divided.count(static_cast<int>(b));
      if (whole) bodies.push_back(m.bodies[b]);
      for (std::size_t s = 0; s < solids.size(); ++s) {
        if (body[s] != static_cast<int>(b)) continue;
        if (!whole) {
          bodies.push_back(m.bodies[b]);
          bodies.back().solid = solids[s];
          if (bodies.back().of.empty()) bodies.back().of = bodies.back().name;
        }
        ordered.push_back(solids[s]);
        solidBody.push_back(static_cast<int>(bodies.size()) - 1);
      }
    }
    std::map<std::string, int> count;
    for (auto& b : bodies)
      if (!b.of.empty()) b.name = b.of + " piece " + std::to_string(++count[b.of]);
    m.solids = std::move(ordered);
    m.solidBody = std::move(solidBody);
    m.bodies = std::move(bodies);
  }
};

} // namespace

void cutBodies(KernelModel& model, const LoadOptions& options) {
  Cutter cutter(model, options);
  for (const CutPlanes& planes : options.cuts) cutter.cut(planes);
}

} // namespace tess
