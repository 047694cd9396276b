// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/conductor.h"
#include "mesh/own_angles.h"
#include "mesher/collect.h"
#include "mesher/layers/layers.h"
#include "mesher/structured/cut_cells.h"
#include "mesher/structured/six_sides.h"
#include "mesher/structured/swept.h"
#include "mesher/structured/swept_fill.h"
#include "mesher/tets/take_back.h"
#include <chrono>
#include <malloc.h>
#include <map>
#include <set>
#include <spdlog/spdlog.h>
#include <tbb/global_control.h>

namespace tess {
namespace {

class Clock {
public:
  explicit Clock(std::vector<std::pair<std::string, double>>& out) : m_out(out) {}
  void lap(const std::string& name) {
    auto now = std::chrono::steady_clock::now();
    double s = std::chrono::duration<double>(now - m_last).count();
    m_last = now;
    for (auto& o : m_out)
      if (o.first == name) {
        o.second += s;
        return;
      }
    m_out.push_back({name, s});
  }

private:
  std::vector<std::pair<std::string, double>>& m_out;
  std::chrono::steady_clock::time_point m_last = std::chrono::steady_clock::now();
};

Problem lostProblem(const RecoveryReport& r, const SurfaceMesh& s, const Part& part) {
  Problem p;
  p.fault = Fault::Meshing;
  p.code = "tet.recovery";
  p.what = std::to_string(r.lostEdges.size()) + " surface edges and " + std::to_string(r.lostFaces.size()) +
           " surface triangles could not be filled against";
  auto add = [&](int v) {
    p.places.push_back(s.points[static_cast<std::size_t>(v)]);
    if (s.dim[static_cast<std::size_t>(v)] == Dim::Face) p.faces.push_back(s.entity[static_cast<std::size_t>(v)]);
  };
  for (const auto& e : r.lostEdges) add(e[0]);
  for (const auto& f : r.lostFaces) add(f[0]);
  for (std::size_t i = 0; i < std::min<std::size_t>(3, p.places.size()); ++i)
    p.where += (i ? ", " : "at ") + formatPoint(p.places[i]);
  p.where += " " + part.unit;
  p.why = "surfaces lie very close together there";
  p.todo = "ask for a smaller size there";
  return p;
}

Problem jointProblem(const Part& part, int face, const Vec3& at, const char* what) {
  Problem p = Problem::of("fill.joint", what)
                  .by(Fault::Meshing)
                  .firstAt({at}, part.unit)
                  .because("faces lie very close together there")
                  .advise("ask for a smaller size there, or for tetrahedra on the body");
  p.faces = {face};
  return p;
}

/// Whether any body is to be filled with tetrahedra.
bool anyTetrahedra(const Part& part, const MeshPlan& plan) {
  for (std::size_t b = 0; b < part.bodies.size(); ++b)
    if (!part.bodies[b].faces.empty() && !plan.structured(static_cast<int>(b))) return true;
  return false;
}

/// A surface with the tetrahedra that fill it up to its boundary.
struct Filled {
  TetCore core;
  SurfaceMesh surface;
  BridgeReport bridged;
  std::vector<BodyCells> structured;
  SurfaceMesh aside; ///< triangles of faces that no tetrahedra touch
  std::optional<LayeredSurface> layered;
  std::vector<Problem> said; ///< about counts along edges
  int split = 0;             ///< surface edges halved for it
  std::vector<Vec3> splitAt;

  /// Part and plan as the tetrahedra see them.
  const Part& part(const Part& whole) const { return layered ? layered->part : whole; }
  const MeshPlan& plan(const MeshPlan& whole) const { return layered ? layered->plan : whole; }
  /// Faces that a problem names are those of the part.
  Problem named(Problem p) const {
    if (layered)
      for (int& f : p.faces) f = layered->original(f);
    return p;
  }
};

/// Edges of what must not change.
std::unordered_set<std::uint64_t> frozenEdges(const SurfaceMesh& s) {
  std::unordered_set<std::uint64_t> r;
  for (std::size_t i = 0; i < s.triangles.size(); ++i)
    if (s.fixed(i))
      for (std::size_t k = 0; k < 3; ++k) r.insert(edgeKey(s.triangles[i][k], s.triangles[i][(k + 1) % 3]));
  return r;
}

/// Edges that would get the tetrahedra further when they are halved: what flips could not bring in is too coarse for
/// its surroundings.
std::vector<std::array<int, 2>> edgesToHalve(const RecoveryReport& r, const SurfaceMesh& surface) {
  std::vector<std::array<int, 2>> edges = r.lostEdges;
  for (const auto& f : r.lostFaces) {
    std::array<int, 2> longest{f[0], f[1]};
    auto length = [&](int a, int b) {
      return (surface.points[static_cast<std::size_t>(a)] - surface.points[static_cast<std::size_t>(b)]).squaredNorm();
    };
    for (std::size_t k = 1; k < 3; ++k)
      if (length(f[k], f[(k + 1) % 3]) > length(longest[0], longest[1])) longest = {f[k], f[(k + 1) % 3]};
    edges.push_back(longest);
  }
  return edges;
}

/// Moves triangles of faces that no tetrahedra touch from the first surface to the second.
void setAside(SurfaceMesh& surface, SurfaceMesh& aside, const Part& part, const MeshPlan& plan) {
  std::size_t kept = 0;
  for (std::size_t i = 0; i < surface.triangles.size(); ++i) {
    const int f = surface.face[i];
    bool touched = false;
    for (int b : part.faces[static_cast<std::size_t>(f)].bodies) touched = touched || (b >= 0 && !plan.structured(b));
    if (touched) {
      surface.triangles[kept] = surface.triangles[i];
      surface.face[kept++] = f;
    } else {
      aside.triangles.push_back(surface.triangles[i]);
      aside.face.push_back(f);
    }
  }
  surface.triangles.resize(kept);
  surface.face.resize(kept);
}
void putBack(SurfaceMesh& surface, const SurfaceMesh& aside) {
  surface.triangles.insert(surface.triangles.end(), aside.triangles.begin(), aside.triangles.end());
  surface.face.insert(surface.face.end(), aside.face.begin(), aside.face.end());
}

/// Diagonals of flat quadrilaterals that are lost although the other one stands in the Delaunay tetrahedra: that one is
/// taken. `turned`: per quadrilateral, those that were turned before. Returns how many are turned now.
int turnDiagonals(SurfaceMesh& s, const std::vector<std::array<int, 2>>& lost, const TetCore& bare,
                  std::vector<char>& turned) {
  if (s.quads.empty()) return 0;
  std::unordered_set<std::uint64_t> wanted;
  for (const auto& e : lost) wanted.insert(edgeKey(e[0], e[1]));
  std::map<std::pair<std::uint64_t, int>, std::size_t> byDiagonal;
  auto at = [&](int v) -> const Vec3& { return s.points[static_cast<std::size_t>(v)]; };
  constexpr double kFlat = 0.02; // of the edges: so near, pyramids are valid over either diagonal
  for (std::size_t k = 0; k < s.quads.size(); ++k) {
    const auto& v = s.quads[k].v;
    if (turned[k] || !wanted.count(edgeKey(v[0], v[2])) || bare.findEdge(v[1], v[3]) < 0) continue;
    const Vec3 a = at(v[2]) - at(v[0]), b = at(v[3]) - at(v[1]), n = a.cross(b).normalized();
    if (std::abs((at(v[0]) + at(v[2]) - at(v[1]) - at(v[3])).dot(n)) < kFlat * std::min(a.norm(), b.norm()))
      byDiagonal[{edgeKey(v[0], v[2]), s.quads[k].face}] = k;
  }
  int done = 0;
  for (std::size_t i = 0; i < s.triangles.size() && !byDiagonal.empty(); ++i) {
    auto& t = s.triangles[i];
    if (!s.fixed(i)) continue;
    for (std::size_t j = 0; j < 3; ++j) {
      const auto it = byDiagonal.find({edgeKey(t[j], t[(j + 1) % 3]), s.face[i]});
      if (it == byDiagonal.end()) continue;
      auto& v = s.quads[it->second].v;
      if (turned[it->second]++) { // the second of its triangles: turned with it
        t = {v[0], v[2], v[3]};
        byDiagonal.erase(it);
        break;
      }
      std::rotate(v.begin(), v.begin() + 1, v.end());
      t = {v[0], v[1], v[2]};
      ++done;
      break;
    }
  }
  return done;
}

/// Rows and layers can only fill what lies between the faces they begin at: where that is another body, the volume says
/// so.
std::optional<Problem> wrongVolume(const PartBody& body, const Part& part, const SurfaceMesh& surface,
                                   const StructuredCells& cells) {
  constexpr double kOff = 0.3; // far more than coarse cells on curved faces are off
  const auto base = static_cast<int>(surface.points.size());
  auto pt = [&](int v) -> const Vec3& {
    return v < base ? surface.points[static_cast<std::size_t>(v)] : cells.points[static_cast<std::size_t>(v - base)];
  };
  double volume = 0;
  auto add = [&](const auto& c, std::initializer_list<std::array<std::size_t, 4>> tets) {
    for (const auto& t : tets)
      volume += (pt(c[t[1]]) - pt(c[t[0]])).cross(pt(c[t[2]]) - pt(c[t[0]])).dot(pt(c[t[3]]) - pt(c[t[0]])) / 6;
  };
  for (const auto& c : cells.hexahedra)
    add(c, {{0, 1, 2, 6}, {0, 2, 3, 6}, {0, 3, 7, 6}, {0, 7, 4, 6}, {0, 4, 5, 6}, {0, 5, 1, 6}});
  for (const auto& c : cells.wedges) add(c, {{0, 1, 2, 5}, {0, 1, 5, 4}, {0, 4, 5, 3}});
  if (std::abs(volume - body.volume) <= kOff * body.volume) return {};
  Problem p = Problem::of("fill.volume", "cells of body '" + body.name + "' would fill " + formatNumber(volume, 3) +
                                             " of " + formatNumber(body.volume, 3) + " " + part.unit + "^3")
                  .by(Fault::Meshing)
                  .firstAt({body.box.center()}, part.unit)
                  .because("it is not the body that its faces look like, or they bend more than the size follows")
                  .advise("ask for tetrahedra on this body, or for a smaller size");
  p.faces = body.faces;
  return p;
}

/// Cuts cells, and quadrilaterals of faces, where the plan wants tetrahedra of rows and layers.
std::optional<Problem> cutWhereAsked(const Part& part, const MeshPlan& plan, Filled& filled, const Progress& progress) {
  if (std::none_of(plan.bodies.begin(), plan.bodies.end(), [](const BodyPlan& b) { return b.cut; })) return {};
  std::vector<char> cut(part.faces.size(), 0);
  for (std::size_t f = 0; f < cut.size(); ++f) cut[f] = plan.cut(part, static_cast<int>(f));
  for (auto& s : filled.structured) {
    if (!plan.cut(s.body)) continue;
    const auto at = cutIntoTetrahedra(filled.surface, cut, s.cells, progress);
    if (!at) continue;
    const PartBody& body = part.bodies[static_cast<std::size_t>(s.body)];
    Problem p = Problem::of("fill.inverted", "tetrahedra cut of the rows of body '" + body.name + "' would be inverted")
                    .by(Fault::Meshing)
                    .firstAt({*at}, part.unit)
                    .because("its rows are twisted there")
                    .advise("take 'cells' out of the card, or ask for a smaller size there");
    p.faces = body.faces;
    return p;
  }
  cutQuads(filled.surface, cut);
  return {};
}

/// Cells of the bodies that the plan maps or sweeps.
std::optional<Problem> fillStructured(const Part& part, const SizeField& size, const MeshPlan& plan, Filled& filled,
                                      Progress& progress) {
  std::size_t bodies = 0, done = 0;
  for (std::size_t b = 0; b < plan.bodies.size(); ++b)
    bodies += plan.structured(static_cast<int>(b)) && !part.bodies[b].faces.empty();
  // All the room up to the mid nodes where no tetrahedra follow.
  const double share = (anyTetrahedra(part, plan) ? 0.05 : 0.6) / static_cast<double>(std::max<std::size_t>(1, bodies));
  for (std::size_t b = 0; b < plan.bodies.size(); ++b) {
    if (!plan.structured(static_cast<int>(b)) || part.bodies[b].faces.empty()) continue;
    const double from = 0.3 + share * static_cast<double>(done++);
    progress.stage("Filling '" + part.bodies[b].name + "'", from, from + share);
    const auto sweep = std::find_if(plan.sweeps.begin(), plan.sweeps.end(),
                                    [&](const Sweep& s) { return s.body == static_cast<int>(b); });
    auto cells = sweep == plan.sweeps.end() ? fillMapped(part, static_cast<int>(b), filled.surface, progress)
                                            : fillSwept(part, *sweep, filled.surface, size, progress);
    if (!cells) return cells.problem();
    if (auto p = wrongVolume(part.bodies[b], part, filled.surface, *cells)) return *p;
    filled.structured.push_back(
        {static_cast<int>(b), static_cast<int>(filled.surface.points.size()), std::move(*cells)});
  }
  return cutWhereAsked(part, plan, filled, progress);
}

/// `kept`: a surface that is filled as it is; null: it is made. `bareOfLayers`: what there was before layers grew,
/// taken if it is there and left behind if not.
Result<Filled> fillSurface(const Part& part, const SizeField& size, const MeshPlan& plan, const SurfaceMesh* kept,
                           const GivenFaces* given, const std::vector<LayersLower>& lower,
                           std::optional<Filled>& bareOfLayers, MeshOutcome& out, Clock& clock, Progress& progress) {
  Filled filled;
  const bool again = bareOfLayers.has_value();
  if (again) filled = *bareOfLayers;
  TetCore& core = filled.core;
  SurfaceMesh& surface = filled.surface;
  int& split = filled.split;
  std::vector<Vec3>& splitAt = filled.splitAt;
  progress.stage("Surface", 0.05, 0.3);
  if (again)
    ; // it is there
  else if (kept)
    surface = *kept;
  else {
    auto s = meshSurface(part, size, plan, progress, given);
    if (!s) return s.problem();
    surface = std::move(s->mesh);
    filled.bridged = s->bridged;
    filled.said = std::move(s->said);
  }
  clock.lap("surface");
  if (!again)
    if (auto p = fillStructured(part, size, plan, filled, progress)) return *p;
  if (!plan.tetrahedraOnly()) clock.lap("structured");
  if (!anyTetrahedra(part, plan)) {
    core.points = surface.points;
    return filled;
  }
  if (!again && !plan.tetrahedraOnly()) setAside(surface, filled.aside, part, plan);
  std::optional<SurfaceMesh> whole; // once nothing but frozen faces is missing
  if (plan.layers.any()) {
    progress.stage("Layers", 0.3, 0.35);
    if (!again) bareOfLayers = filled;
    filled.layered = growLayers(part, plan, surface, lower, progress);
    surface = std::move(filled.layered->surface);
    for (auto& c : filled.layered->cells) filled.structured.push_back(std::move(c));
    if (kept) kept = &whole.emplace(surface);
    clock.lap("layers");
  }
  const Part& seen = filled.part(part);
  progress.stage("Filling", plan.tetrahedraOnly() ? 0.3 : 0.35, 0.45);
  // A few last edges deserve more patience than many.
  constexpr int kRounds = 14, kLastRounds = 40;
  constexpr std::size_t kFew = 50;
  int grew = 0;
  std::size_t lostBefore = 0;
  TetCore bare;
  // A surface that is kept is halved as well, but only until the tetrahedra are there.
  std::vector<HalvedEdge> halved;
  const auto frozen = frozenEdges(surface);
  std::vector<char> turned(surface.quads.size(), 0);
  RecoveryReport lostFirst;
  auto keptProblem = [&](const RecoveryReport& r, const SurfaceMesh& s) {
    Problem p = filled.named(lostProblem(r, s, part));
    if (whole) { // no rule keeps it: nothing but the rows of hexahedra is missing
      p.why = "the rows and layers beside tetrahedra leave those too little room there";
      p.todo = "ask for a smaller size there, or for tetrahedra on the body";
      return p;
    }
    p.why = "the surface mesh is kept as it is, and leaves too little room there";
    p.todo = "make the surface again with a smaller size there, or take out the rule that keeps it";
    return p;
  };
  for (int round = 0; round < kLastRounds; ++round) {
    auto r = recoverBoundary(core, bare, surface, progress);
    if (!r) return r.problem();
    out.missingEdges = std::max(out.missingEdges, r->missingEdges);
    out.missingFaces = std::max(out.missingFaces, r->missingFaces);
    spdlog::debug("recovery round {}: {} edges and {} faces missing, {} edges and {} faces lost", round,
                  r->missingEdges, r->missingFaces, r->lostEdges.size(), r->lostFaces.size());
    if (r->complete()) {
      if (!kept || halved.empty()) break;
      if (!takeBack(core, halved)) return keptProblem(lostFirst, *kept);
      // The surface as it was; what was put into it are inner points now.
      const std::size_t points = surface.points.size();
      surface = *kept;
      surface.points.insert(surface.points.end(),
                            core.points.begin() + static_cast<std::ptrdiff_t>(kept->points.size()),
                            core.points.begin() + static_cast<std::ptrdiff_t>(points));
      surface.dim.resize(points, Dim::Body);
      surface.entity.resize(points, -1);
      break;
    }
    if (halved.empty() && turnDiagonals(surface, r->lostEdges, bare, turned)) continue;
    if (halved.empty()) lostFirst = *r;
    // Halving that makes ever more edges drop out will not come to an end: two surfaces lie too close.
    std::size_t lost = r->lostEdges.size() + r->lostFaces.size();
    grew = lost > lostBefore && lost > 100 ? grew + 1 : 0;
    lostBefore = lost;
    if (round + 1 >= (lost <= kFew ? kLastRounds : kRounds) || grew == 4)
      return kept ? keptProblem(lostFirst, *kept) : filled.named(lostProblem(*r, surface, part));
    // Edges get a point on the geometry, where they may.
    std::vector<std::array<int, 2>> edges = edgesToHalve(*r, surface);
    if (!frozen.empty() && !kept) {
      auto free = edges;
      std::erase_if(free, [&](const auto& e) { return frozen.count(edgeKey(e[0], e[1])) > 0; });
      if (free.empty()) {
        whole = surface;
        kept = &*whole;
        lostFirst = *r;
      } else
        edges = std::move(free);
    }
    if (kept) {
      for (const auto& [v, a, b] : halveSurfaceEdges(surface, edges)) halved.push_back({v, a, b});
      continue;
    }
    for (const auto& e : edges)
      if (splitAt.size() < 50)
        splitAt.push_back(
            0.5 * (surface.points[static_cast<std::size_t>(e[0])] + surface.points[static_cast<std::size_t>(e[1])]));
    split += splitSurfaceEdges(surface, edges, seen);
  }
  clock.lap("fill");
  return filled;
}

/// Tetrahedra with their surface, ready to be judged.
struct Meshed {
  Filled filled;
  int attempts = 1;         ///< at surfaces, until one could be filled
  std::vector<Vec3> lostAt; ///< where the first one could not
  ImproveStats stats;
  Mesh mesh;
  std::vector<std::int32_t> flat; ///< cells flatter than kFlatAngle that no sharp rim or corner of the part enforces
  std::size_t flatAll = 0;        ///< with those that the part enforces
  double worst = 1;               ///< their smallest quality
  std::vector<LayerColumn> layers;
};

/// The whole surface again. A problem where it crosses itself now, or a quadrilateral beside tetrahedra has no valid
/// pyramid.
std::optional<Problem> putTogether(Filled& filled, const std::vector<Joint>& joints, const Part& part,
                                   const MeshPlan& whole, const Progress& progress) {
  const MeshPlan& plan = filled.plan(whole);
  if (plan.tetrahedraOnly()) return {};
  std::set<std::array<int, 4>> joined;
  auto sorted = [](std::array<int, 4> v) {
    std::sort(v.begin(), v.end());
    return v;
  };
  for (const auto& j : joints)
    if (pyramidShape(filled.core, j) > 0) joined.insert(sorted(j.base));
  for (const auto& q : filled.surface.quads)
    if (plan.faces[static_cast<std::size_t>(q.face)].tetSide && !joined.count(sorted(q.v)))
      return jointProblem(part, filled.layered ? filled.layered->original(q.face) : q.face,
                          filled.surface.points[static_cast<std::size_t>(q.v[0])],
                          "no pyramid fits between a hexahedron and the tetrahedra beside it");
  if (filled.layered) filled.layered->putBack(filled.surface);
  putBack(filled.surface, filled.aside);
  if (filled.aside.triangles.empty() && !filled.layered) return {};
  const auto crossings = findCrossings(filled.surface.points, filled.surface.triangles, 1, &progress);
  if (crossings.empty()) return {};
  return jointProblem(part, filled.surface.face[static_cast<std::size_t>(crossings.front().a)], crossings.front().at,
                      "surfaces of tetrahedra and of rows or layers came to cross");
}

/// Surface, tetrahedra within it, improvement.
Result<Meshed> meshBySize(const Part& part, SizeField size, MeshPlan plan, const SurfaceMesh* kept,
                          const GivenFaces* given, MeshOutcome& out, Clock& clock, Progress& progress) {
  Meshed r;
  const SizeField asked = size;
  std::vector<LayersLower> lower;
  std::optional<Filled> bareOfLayers;
  for (int lowered = 0;; ++r.attempts) {
    auto f = fillSurface(part, size, plan, kept, given, lower, bareOfLayers, out, clock, progress);
    if (f) {
      r.filled = std::move(*f);
      break;
    }
    if (plan.layers.any() && f.problem().fault == Fault::Meshing && !f.problem().places.empty()) {
      // Stacks that leave too little room are lower there, then everywhere none.
      constexpr int kLower = 6;
      if (++lowered > kLower)
        plan.layers = {};
      else
        for (const Vec3& p : f.problem().places) lower.push_back({p, (1 + lowered) * asked.at(p)});
      --r.attempts;
      spdlog::debug("filling failed: layers lower at {} places", f.problem().places.size());
      continue;
    }
    // Where two surfaces nearly touch, a few nodes decide whether the space between can be filled. Other surfaces are
    // tried before giving up: finer at the places that failed, then without bridging.
    if (f.problem().code != "tet.recovery" || r.attempts == 3 || kept) return f.problem();
    bareOfLayers.reset();
    spdlog::debug("filling failed: attempt {} follows", r.attempts + 1);
    if (r.attempts == 1) {
      r.lostAt = f.problem().places;
      for (const Vec3& p : r.lostAt) size.addPoint(p, 0.5 * asked.at(p), kReasonMesher);
      size.build();
    } else
      plan.bridging.tolerance = 0;
  }
  TetCore& core = r.filled.core;
  SurfaceMesh& surface = r.filled.surface;
  if (!anyTetrahedra(part, plan)) {
    r.mesh = collect(core, surface, {}, r.filled.structured, part, progress);
    return r;
  }
  const Part& seen = r.filled.part(part);
  if (auto p = assignRegions(core, surface, seen, r.filled.plan(plan), progress)) return *p;
  progress.stage("Points inside", 0.45, 0.65);
  refineInside(core, size, progress);
  clock.lap("points");
  progress.stage("Improving", 0.65, 0.9);
  constexpr double kVolume = 0.02; // as a sine: tets flatter than that leave an apex no room
  if (!r.filled.plan(plan).tetrahedraOnly()) freeFlatTets(core, surface, size, kVolume, progress);
  const auto joints = makeJoints(core, surface, progress);
  if (!joints.empty()) clock.lap("joints");
  r.stats = improveTets(core, surface, kept ? nullptr : &seen, size, progress);
  spdlog::debug(
      "improve: {} removals, {} flips, {} moves, {} collapses, {} insertions; surface: {} slides, {} peels, {} "
      "insertions, {} contractions; worst {:.4f} -> {:.4f}",
      r.stats.removals, r.stats.flips, r.stats.moves, r.stats.collapses, r.stats.insertions, r.stats.slides,
      r.stats.peels, r.stats.surfaceInsertions, r.stats.surfaceContractions, r.stats.worstBefore, r.stats.worstAfter);
  liftApexes(core, joints, progress);
  if (auto p = putTogether(r.filled, joints, part, plan, progress)) {
    if (!r.filled.layered) return *p;
    spdlog::debug("{}: once more without layers", p->what);
    plan.layers = {};
    return meshBySize(part, asked, plan, kept, given, out, clock, progress);
  }
  std::vector<std::int32_t> nodeOf;
  r.mesh = collect(core, surface, joints, r.filled.structured, part, progress, &nodeOf);
  if (r.filled.layered) {
    r.layers = r.filled.layered->columns;
    for (auto& c : r.layers) c.node = nodeOf[static_cast<std::size_t>(c.node)];
  }
  const double least = std::sin(kFlatAngle * kPi / 180);
  auto quality = [&](std::size_t c) {
    const auto n = r.mesh.cells.of(c);
    auto at = [&](std::size_t k) -> const Vec3& { return r.mesh.nodes[static_cast<std::size_t>(n[k])]; };
    return tetSine(at(0), at(1), at(2), at(3));
  };
  std::vector<std::int32_t> flat;
  for (std::size_t c = 0; c < r.mesh.cells.size(); ++c)
    if (r.mesh.cells.type[c] == ElementType::Tet4 && !plan.structured(r.mesh.cellRegion[c]) &&
        (r.mesh.cellLayer.empty() || r.mesh.cellLayer[c] == 0) && quality(c) < least)
      flat.push_back(static_cast<std::int32_t>(c));
  r.flatAll = flat.size();
  if (!flat.empty()) r.flat = causesOfFlatness(r.mesh, ownAngles(r.mesh), flat, kFlatAngle).elsewhere;
  for (auto c : r.flat) r.worst = std::min(r.worst, quality(static_cast<std::size_t>(c)));
  clock.lap("improve");
  return r;
}

std::span<const Filler* const> allFillers() {
  static const MappedFiller mapped;
  static const SweptFiller swept;
  static const Filler* const fillers[] = {&mapped, &swept};
  return fillers;
}

/// The plan, and bodies whose wish came to nothing on the way.
class Planner {
public:
  Planner(const Part& part, const MeshWishes& wishes, const MeshOptions& options, bool kept)
      : m_part(part), m_wishes(wishes) {
    m_given.resize(part.bodies.size());
    if (kept || options.onlySurface)
      for (auto& why : m_given) why = "tetrahedra, since the surface is kept as it is";
  }
  MeshPlan plan(std::vector<Problem>& said) const { return makePlan(m_part, m_wishes, allFillers(), m_given, said); }
  /// After a failure: the structured bodies it is about get tetrahedra. False when there is none left to give way.
  bool giveWay(const MeshPlan& plan, const Problem& failure, std::vector<Problem>& said) {
    if (failure.fault != Fault::Meshing) return false; // other cells would not help
    std::vector<char> concerned(m_part.bodies.size(), 0);
    bool any = false;
    auto take = [&](int b) {
      if (b >= 0 && plan.structured(b)) concerned[static_cast<std::size_t>(b)] = any = true;
    };
    for (int f : failure.faces)
      for (int b : m_part.faces[static_cast<std::size_t>(f)].bodies) take(b);
    // What names no face of theirs may lie between them: they all step back.
    for (std::size_t b = 0; b < concerned.size() && !any; ++b) take(static_cast<int>(b));
    if (!any) return false;
    for (std::size_t b = 0; b < concerned.size(); ++b) {
      if (!concerned[b]) continue;
      m_given[b] = std::string("not ") + fillName(plan.bodies[b].fill) + ", since " + failure.what;
      Problem p = failure;
      p.severity = Severity::Warning;
      p.code = "fill.gave-way";
      p.what = "body '" + m_part.bodies[b].name + "' gets tetrahedra and is not " + fillName(plan.bodies[b].fill) +
               ": " + failure.what;
      said.push_back(std::move(p));
    }
    return true;
  }

private:
  const Part& m_part;
  const MeshWishes& m_wishes;
  std::vector<std::string> m_given; ///< per body why it gets tetrahedra whatever is wished
};

/// One run from plan to finished mesh; what it has to say gathers in the outcome.
class Conductor {
public:
  Conductor(const Part& part, const SizeField& asked, const MeshWishes& wishes, const MeshOptions& options,
            const SurfaceMesh* kept, Progress& progress)
      : m_part(part), m_asked(asked), m_options(options), m_kept(kept), m_progress(progress), m_clock(m_out.timings),
        m_planner(part, wishes, options, kept != nullptr) {}

  Result<MeshOutcome> run() {
    if (m_kept)
      if (auto p = keptCrosses()) return *p;
    if (m_options.onlySurface) return surfaceAlone();
    auto first = meshedAsPlanned();
    if (!first) return first.problem();
    m_meshed = std::move(*first);
    finerAtFlat();
    tellOfSurface();
    m_out.fit = surfaceFit(m_meshed.filled.surface, m_part, m_progress);
    m_clock.lap("surface");
    tellOfChanges();
    m_out.mesh = std::move(m_meshed.mesh);
    midNodes();
    tellOfEmptyBodies();
    m_out.bodies = m_plan.bodies;
    m_out.faces = m_plan.faces;
    m_out.layers = std::move(m_meshed.layers);
    return std::move(m_out);
  }

private:
  const Part& m_part;
  const SizeField& m_asked;
  const MeshOptions& m_options;
  const SurfaceMesh* m_kept;
  Progress& m_progress;
  MeshOutcome m_out;
  Clock m_clock;
  Planner m_planner;
  MeshPlan m_plan;
  Meshed m_meshed;

  void note(Problem p) {
    p.severity = Severity::Note;
    m_out.problems.push_back(std::move(p));
  }

  std::optional<Problem> keptCrosses() const {
    auto crossings = findCrossings(m_kept->points, m_kept->triangles, 1, &m_progress);
    if (crossings.empty()) return {};
    Problem p = Problem::of("surface.locked", "the surface mesh that is kept runs through itself")
                    .at("at " + formatPoint(crossings.front().at) + " " + m_part.unit)
                    .because("the part, or the file of the mesh, was changed")
                    .advise("make the surface again and keep the new one, or take the rule out");
    p.places = {crossings.front().at};
    return p;
  }

  Result<MeshOutcome> surfaceAlone() {
    m_progress.stage("Surface", 0.05, 0.9);
    auto s = meshSurface(m_part, m_asked, m_planner.plan(m_out.problems), m_progress);
    if (!s) return s.problem();
    m_clock.lap("surface");
    m_out.fit = surfaceFit(s->mesh, m_part, m_progress);
    TetCore none;
    none.points = s->mesh.points;
    m_out.mesh = collect(none, s->mesh, {}, {}, m_part, m_progress);
    return std::move(m_out);
  }

  /// Bodies that cannot become what is planned give way one after the other, at the latest until all are tetrahedra.
  Result<Meshed> meshedAsPlanned() {
    for (;;) {
      std::vector<Problem> said;
      m_plan = m_planner.plan(said);
      auto made = meshBySize(m_part, m_asked, m_plan, m_kept, m_options.given, m_out, m_clock, m_progress);
      if (made || m_plan.tetrahedraOnly() || !m_planner.giveWay(m_plan, made.problem(), m_out.problems)) {
        m_out.problems.insert(m_out.problems.end(), said.begin(), said.end());
        return made;
      }
      spdlog::debug("{}: planned anew", made.problem().what);
    }
  }

  /// A few elements that stay flat although the part does not ask for it: others come of smaller triangles there.
  void finerAtFlat() {
    constexpr std::size_t kFewFlat = 200;
    constexpr int kMore = 2;
    SizeField finer = m_asked;
    std::vector<Vec3> finerAt, places;
    // Beside masses of elements that wedges of the part make flat, some more of their kind are no case for that.
    const auto few = [&] {
      const std::size_t n = m_meshed.flat.size();
      return n > 0 && n <= kFewFlat && (n <= kFewFlat / 4 || m_meshed.flatAll <= 100 * n);
    };
    for (int more = 0; more < kMore && !m_kept && few(); ++more) {
      askFiner(finer, places);
      m_meshed.filled.core = {}; // all that is needed of it is in the mesh
      m_progress.again("Finer at flat elements");
      std::optional<Result<Meshed>> tried;
      try {
        tried = meshBySize(m_part, finer, m_plan, nullptr, m_options.given, m_out, m_clock, m_progress);
      } catch (const std::bad_alloc&) { // the mesh that is there already fits
        malloc_trim(0);                 // so that what was let go counts as free
        m_progress.goOnWithoutIt();
        m_progress.check();
        const std::size_t n = m_meshed.flat.size();
        note(Problem::of("size.flat-memory", std::to_string(n) + (n == 1 ? " element stays" : " elements stay") +
                                                 " flat that a finer mesh there might free")
                 .firstAt(places, m_part.unit)
                 .because("the memory that may be used does not suffice to mesh the part once more")
                 .advise("allow more memory, or ask for a smaller size there"));
        break;
      }
      auto& again = *tried;
      spdlog::debug("{} flat elements of {:.4f}: once more gave {} of {:.4f}", m_meshed.flat.size(), m_meshed.worst,
                    again ? again->flat.size() : 0, again ? again->worst : 0.0);
      if (!again || again->worst <= m_meshed.worst) break;
      const bool goOn = again->worst >= 1.5 * m_meshed.worst || 4 * again->flat.size() <= 3 * m_meshed.flat.size();
      m_meshed = std::move(*again);
      finerAt = places;
      if (!goOn) break; // a mesh takes long, and this one gained little
    }
    m_progress.again("");
    if (finerAt.empty()) return;
    note(Problem::of("size.flat", "the mesh is finer than asked at " + std::to_string(finerAt.size()) +
                                      (finerAt.size() == 1 ? " place" : " places") +
                                      " where elements were flat at first")
             .firstAt(finerAt, m_part.unit)
             .because("smaller triangles follow the surface better there"));
  }

  /// Half the size at every flat element.
  void askFiner(SizeField& finer, std::vector<Vec3>& places) const {
    for (auto c : m_meshed.flat) {
      const auto n = m_meshed.mesh.cells.of(static_cast<std::size_t>(c));
      auto at = [&](std::size_t k) -> const Vec3& { return m_meshed.mesh.nodes[static_cast<std::size_t>(n[k])]; };
      const Vec3 middle = (at(0) + at(1) + at(2) + at(3)) / 4;
      double length = 0; // of the six edges on average; less than asked for where the part has small features
      for (std::size_t a = 0; a < 4; ++a)
        for (std::size_t b = 0; b < a; ++b) length += (at(a) - at(b)).norm() / 6;
      places.push_back(middle);
      finer.addPoint(middle, 0.5 * std::min(length, m_asked.at(middle)), kReasonMesher);
    }
    finer.build();
  }

  void tellOfSurface() {
    const Filled& filled = m_meshed.filled;
    for (const auto& p : filled.said) m_out.problems.push_back(p);
    if (m_meshed.attempts > 1)
      note(Problem::of("surface.again", "the surface was meshed " + std::to_string(m_meshed.attempts) +
                                            " times before it could be filled")
               .firstAt(m_meshed.lostAt, m_part.unit)
               .because(m_meshed.attempts == 2
                            ? "nodes of surfaces that nearly touch left no room between them; it is finer there now"
                            : "nodes of surfaces that nearly touch left no room between them; tiny edges are followed "
                              "now")
               .advise("ask for a smaller size there if the mesh is too coarse for the place"));
    if (const auto& slender = m_asked.slender; !slender.places.empty()) {
      Problem p = Problem::of("size.slender", "thin walls made the elements finer there, down to " +
                                                  formatNumber(slender.finest, 3) + " " + m_part.unit)
                      .firstAt(slender.places, m_part.unit)
                      .because("edges many times longer than a wall is thick make flat elements")
                      .advise("set 'slender' to 0 or a 'minimum' in the rule 'everywhere' if flat ones are accepted");
      p.where = "thinnest at " + formatPoint(p.places.front()) + " " + m_part.unit;
      note(std::move(p));
    }
    if (filled.bridged.merged)
      note(Problem::of("surface.bridged",
                       "tiny edges and narrow faces were bridged: " + std::to_string(filled.bridged.merged) +
                           " nodes moved by at most " + formatNumber(filled.bridged.moved, 3) + " " + m_part.unit)
               .firstAt(filled.bridged.places, m_part.unit)
               .because("they are far below the size asked for")
               .advise("put them into a group, or lower 'bridge', if the mesh must follow them"));
    if (filled.split)
      note(Problem::of("surface.split", std::to_string(filled.split) +
                                            (filled.split == 1 ? " surface edge was" : " surface edges were") +
                                            " halved so that the volume could be filled")
               .firstAt(filled.splitAt, m_part.unit)
               .because("surfaces lie closer together there than the size asked for"));
  }

  void tellOfChanges() {
    const ImproveStats& stats = m_meshed.stats;
    std::string all;
    auto say = [&](int n, const char* one, const char* many) {
      if (n) all += (all.empty() ? "" : ", ") + std::to_string(n) + " " + (n == 1 ? one : many);
    };
    say(stats.slides, "node slid", "nodes slid");
    say(stats.peels, "diagonal flipped", "diagonals flipped");
    say(stats.surfaceInsertions, "node added", "nodes added");
    say(stats.surfaceContractions, "node taken out", "nodes taken out");
    if (!all.empty())
      note(Problem::of("surface.changed", "the surface was changed to free flat elements: " + all)
               .because("no change inside alone made them better; all nodes lie on the true faces and edges, and the "
                        "deviation reported is that of the final surface"));
  }

  void midNodes() {
    if (m_options.order != 2) return;
    m_progress.stage("Mid nodes", 0.9, 0.95);
    m_out.midNodes = makeQuadratic(m_out.mesh, m_part, m_progress);
    m_clock.lap("quadratic");
    if (auto p = straightenedProblem(m_out.midNodes, m_part.unit)) m_out.problems.push_back(*p);
  }

  void tellOfEmptyBodies() {
    std::vector<std::size_t> count(m_part.bodies.size(), 0);
    for (auto r : m_out.mesh.cellRegion) ++count[static_cast<std::size_t>(r)];
    for (std::size_t b = 0; b < count.size(); ++b) {
      if (count[b]) continue;
      const Vec3 centre = m_part.bodies[b].box.center();
      Problem p = Problem::of("mesh.empty-body", "body '" + m_part.bodies[b].name + "' got no elements")
                      .by(Fault::Meshing)
                      .at("around " + formatPoint(centre) + " " + m_part.unit)
                      .because("it is smaller than the surface could resolve, or fully overlapped by another body")
                      .advise("ask for a smaller size on this body");
      p.places = {centre};
      m_out.problems.push_back(std::move(p));
    }
  }
};

} // namespace

MeshPlan planOf(const Part& part, const std::vector<FillWish>& wishes, std::vector<Problem>& said) {
  return planOf(part, MeshWishes{wishes}, said);
}
MeshPlan planOf(const Part& part, const MeshWishes& wishes, std::vector<Problem>& said) {
  return makePlan(part, wishes, allFillers(), {}, said);
}

std::vector<BodyFits> fitsOf(const Part& part) {
  std::vector<BodyFits> r;
  for (std::size_t b = 0; b < part.bodies.size(); ++b) r.push_back(bodyFits(part, static_cast<int>(b), allFillers()));
  return r;
}

Result<MeshOutcome> meshFollowed(const Part& part, const SizeField& asked, const MeshWishes& wishes,
                                 const MeshOptions& options, const SurfaceMesh* kept, Progress& progress) {
  tbb::global_control limit(tbb::global_control::max_allowed_parallelism,
                            options.threads > 0 ? static_cast<std::size_t>(options.threads)
                                                : static_cast<std::size_t>(std::thread::hardware_concurrency()));
  return Conductor(part, asked, wishes, options, kept, progress).run();
}

} // namespace tess
