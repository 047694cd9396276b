// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/mesher.h"
#include "geometry/joined.h"
#include "geometry/subset.h"
#include "mesh/own_angles.h"
#include "mesher/take_back.h"
#include "mesher/tet.h"
#include <chrono>
#include <malloc.h>
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

/// Final numbering: surface points first, then inner ones in the order of the cells; cells sorted by region, then by
/// the order of making. Nothing of it depends on threads or addresses.
Mesh collect(const TetCore& core, const SurfaceMesh& surface, const Part& part, const Progress& progress) {
  Mesh m;
  m.unit = part.unit;
  for (const auto& b : part.bodies) m.regions.push_back(b.name);
  std::vector<std::int32_t> to(core.points.size(), -1);
  auto node = [&](int v) {
    std::int32_t& id = to[static_cast<std::size_t>(v)];
    if (id < 0) {
      id = static_cast<std::int32_t>(m.nodes.size());
      m.nodes.push_back(core.points[static_cast<std::size_t>(v)]);
      if (surface.dim[static_cast<std::size_t>(v)] != Dim::Body)
        m.nodeLink.push_back({static_cast<std::int8_t>(surface.dim[static_cast<std::size_t>(v)]),
                              surface.entity[static_cast<std::size_t>(v)]});
      else
        m.nodeLink.push_back({});
    }
    return id;
  };
  for (std::size_t i = 0; i < surface.triangles.size(); ++i) {
    std::array<std::int32_t, 3> q;
    for (std::size_t k = 0; k < 3; ++k) q[k] = node(surface.triangles[i][k]);
    const auto& b = part.faces[static_cast<std::size_t>(surface.face[i])].bodies;
    std::array<std::int32_t, 2> regions{b[0], b[1]};
    if (b[0] < 0) { // cannot happen by construction of parts; keep the rule that a region lies behind
      std::swap(q[1], q[2]);
      std::swap(regions[0], regions[1]);
    }
    m.faces.add(ElementType::Tri3, q);
    m.faceLink.push_back(surface.face[i]);
    m.faceRegions.push_back(regions);
  }
  std::vector<std::vector<int>> ofBody(part.bodies.size());
  for (int t = 0; t < static_cast<int>(core.tets.size()); ++t)
    if (core.alive(t) && core.region[static_cast<std::size_t>(t)] >= 0)
      ofBody[static_cast<std::size_t>(core.region[static_cast<std::size_t>(t)])].push_back(t);
  progress.check();
  for (std::size_t r = 0; r < ofBody.size(); ++r)
    for (int t : ofBody[r]) {
      if ((m.cells.size() & 0xffff) == 0) progress.check();
      std::array<std::int32_t, 4> q;
      for (std::size_t k = 0; k < 4; ++k) q[k] = node(core.at(t).v[k]);
      m.cells.add(ElementType::Tet4, q);
      m.cellRegion.push_back(static_cast<std::int32_t>(r));
    }
  return m;
}

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

/// A surface with the tetrahedra that fill it up to its boundary.
struct Filled {
  TetCore core;
  SurfaceMesh surface;
  BridgeReport bridged;
  int split = 0; ///< surface edges halved for it
  std::vector<Vec3> splitAt;
};

/// `kept`: a surface that is filled as it is; null: it is made.
Result<Filled> fillSurface(const Part& part, const SizeField& size, const SurfaceMesh* kept, MeshOutcome& out,
                           Clock& clock, Progress& progress) {
  Filled filled;
  TetCore& core = filled.core;
  SurfaceMesh& surface = filled.surface;
  int& split = filled.split;
  std::vector<Vec3>& splitAt = filled.splitAt;
  progress.stage("Surface", 0.05, 0.3);
  if (kept)
    surface = *kept;
  else {
    auto s = meshSurface(part, size, progress);
    if (!s) return s.problem();
    surface = std::move(s->mesh);
    filled.bridged = s->bridged;
  }
  clock.lap("surface");
  progress.stage("Filling", 0.3, 0.45);
  // A few last edges deserve more patience than many.
  constexpr int kRounds = 14, kLastRounds = 40;
  constexpr std::size_t kFew = 50;
  int grew = 0;
  std::size_t lostBefore = 0;
  TetCore bare;
  // A surface that is kept is halved as well, but only until the tetrahedra are there.
  std::vector<HalvedEdge> halved;
  RecoveryReport lostFirst;
  auto keptProblem = [&](const RecoveryReport& r, const SurfaceMesh& s) {
    Problem p = lostProblem(r, s, part);
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
    if (halved.empty()) lostFirst = *r;
    // Halving that makes ever more edges drop out will not come to an end: two surfaces lie too close.
    std::size_t lost = r->lostEdges.size() + r->lostFaces.size();
    grew = lost > lostBefore && lost > 100 ? grew + 1 : 0;
    lostBefore = lost;
    if (round + 1 >= (lost <= kFew ? kLastRounds : kRounds) || grew == 4)
      return kept ? keptProblem(lostFirst, *kept) : lostProblem(*r, surface, part);
    // What flips cannot bring in is too coarse for its surroundings: its edges get a point on the geometry.
    std::vector<std::array<int, 2>> edges = r->lostEdges;
    for (const auto& f : r->lostFaces) {
      std::array<int, 2> longest{f[0], f[1]};
      auto length = [&](int a, int b) {
        return (surface.points[static_cast<std::size_t>(a)] - surface.points[static_cast<std::size_t>(b)])
            .squaredNorm();
      };
      for (std::size_t k = 1; k < 3; ++k)
        if (length(f[k], f[(k + 1) % 3]) > length(longest[0], longest[1])) longest = {f[k], f[(k + 1) % 3]};
      edges.push_back(longest);
    }
    if (kept) {
      for (const auto& [v, a, b] : halveSurfaceEdges(surface, edges)) halved.push_back({v, a, b});
      continue;
    }
    for (const auto& e : edges)
      if (splitAt.size() < 50)
        splitAt.push_back(
            0.5 * (surface.points[static_cast<std::size_t>(e[0])] + surface.points[static_cast<std::size_t>(e[1])]));
    split += splitSurfaceEdges(surface, edges, part);
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
};

/// Surface, tetrahedra within it, improvement.
Result<Meshed> meshBySize(const Part& part, SizeField size, const SurfaceMesh* kept, MeshOutcome& out, Clock& clock,
                          Progress& progress) {
  Meshed r;
  const SizeField asked = size;
  for (;; ++r.attempts) {
    auto f = fillSurface(part, size, kept, out, clock, progress);
    if (f) {
      r.filled = std::move(*f);
      break;
    }
    // Where two surfaces nearly touch, a few nodes decide whether the space between can be filled. Other surfaces are
    // tried before giving up: finer at the places that failed, then without bridging.
    if (f.problem().code != "tet.recovery" || r.attempts == 3 || kept) return f.problem();
    spdlog::debug("filling failed: attempt {} follows", r.attempts + 1);
    if (r.attempts == 1) {
      r.lostAt = f.problem().places;
      for (const Vec3& p : r.lostAt) size.addPoint(p, 0.5 * asked.at(p), kReasonMesher);
      size.build();
    } else
      size.bridging.tolerance = 0;
  }
  TetCore& core = r.filled.core;
  SurfaceMesh& surface = r.filled.surface;
  if (auto p = assignRegions(core, surface, part, progress)) return *p;
  progress.stage("Points inside", 0.45, 0.65);
  refineInside(core, size, progress);
  clock.lap("points");
  progress.stage("Improving", 0.65, 0.9);
  r.stats = improveTets(core, surface, kept ? nullptr : &part, size, progress);
  spdlog::debug(
      "improve: {} removals, {} flips, {} moves, {} collapses, {} insertions; surface: {} slides, {} peels, {} "
      "insertions, {} contractions; worst {:.4f} -> {:.4f}",
      r.stats.removals, r.stats.flips, r.stats.moves, r.stats.collapses, r.stats.insertions, r.stats.slides,
      r.stats.peels, r.stats.surfaceInsertions, r.stats.surfaceContractions, r.stats.worstBefore, r.stats.worstAfter);
  r.mesh = collect(core, surface, part, progress);
  const double least = std::sin(kFlatAngle * kPi / 180);
  auto quality = [&](std::size_t c) {
    const auto n = r.mesh.cells.of(c);
    auto at = [&](std::size_t k) -> const Vec3& { return r.mesh.nodes[static_cast<std::size_t>(n[k])]; };
    return tetSine(at(0), at(1), at(2), at(3));
  };
  std::vector<std::int32_t> flat;
  for (std::size_t c = 0; c < r.mesh.cells.size(); ++c)
    if (quality(c) < least) flat.push_back(static_cast<std::int32_t>(c));
  r.flatAll = flat.size();
  if (!flat.empty()) r.flat = causesOfFlatness(r.mesh, ownAngles(r.mesh), flat, kFlatAngle).elsewhere;
  for (auto c : r.flat) r.worst = std::min(r.worst, quality(static_cast<std::size_t>(c)));
  clock.lap("improve");
  return r;
}

/// Meshes a part all of whose edges are followed.
Result<MeshOutcome> meshFollowed(const Part& part, const SizeField& asked, const MeshOptions& options,
                                 const SurfaceMesh* kept, Progress& progress) {
  tbb::global_control limit(tbb::global_control::max_allowed_parallelism,
                            options.threads > 0 ? static_cast<std::size_t>(options.threads)
                                                : static_cast<std::size_t>(std::thread::hardware_concurrency()));
  MeshOutcome out;
  Clock clock(out.timings);
  if (kept) {
    auto crossings = findCrossings(kept->points, kept->triangles, 1, &progress);
    if (!crossings.empty()) {
      Problem p;
      p.fault = Fault::Input;
      p.code = "surface.locked";
      p.what = "the surface mesh that is kept runs through itself";
      p.places.push_back(crossings.front().at);
      p.where = "at " + formatPoint(crossings.front().at) + " " + part.unit;
      p.why = "the part, or the file of the mesh, was changed";
      p.todo = "make the surface again and keep the new one, or take the rule out";
      return p;
    }
  }
  if (options.onlySurface) {
    progress.stage("Surface", 0.05, 0.9);
    auto s = meshSurface(part, asked, progress);
    if (!s) return s.problem();
    clock.lap("surface");
    out.fit = surfaceFit(s->mesh, part, progress);
    TetCore none;
    none.points = s->mesh.points;
    out.mesh = collect(none, s->mesh, part, progress);
    return out;
  }
  auto first = meshBySize(part, asked, kept, out, clock, progress);
  if (!first) return first.problem();
  Meshed meshed = std::move(*first);
  // A few elements that stay flat although the part does not ask for it: others come of smaller triangles there.
  constexpr std::size_t kFewFlat = 200;
  constexpr int kMore = 2;
  SizeField finer = asked;
  std::vector<Vec3> finerAt, places;
  // Beside masses of elements that wedges of the part make flat, some more of their kind are no case for that.
  const auto few = [&] {
    const std::size_t n = meshed.flat.size();
    return n > 0 && n <= kFewFlat && (n <= kFewFlat / 4 || meshed.flatAll <= 100 * n);
  };
  for (int more = 0; more < kMore && !kept && few(); ++more) {
    for (auto c : meshed.flat) {
      const auto n = meshed.mesh.cells.of(static_cast<std::size_t>(c));
      auto at = [&](std::size_t k) -> const Vec3& { return meshed.mesh.nodes[static_cast<std::size_t>(n[k])]; };
      const Vec3 middle = (at(0) + at(1) + at(2) + at(3)) / 4;
      double length = 0; // of the six edges on average; less than asked for where the part has small features
      for (std::size_t a = 0; a < 4; ++a)
        for (std::size_t b = 0; b < a; ++b) length += (at(a) - at(b)).norm() / 6;
      places.push_back(middle);
      finer.addPoint(middle, 0.5 * std::min(length, asked.at(middle)), kReasonMesher);
    }
    finer.build();
    meshed.filled.core = {}; // all that is needed of it is in the mesh
    progress.again("Finer at flat elements");
    std::optional<Result<Meshed>> tried;
    try {
      tried = meshBySize(part, finer, nullptr, out, clock, progress);
    } catch (const std::bad_alloc&) { // the mesh that is there already fits
      malloc_trim(0);                 // so that what was let go counts as free
      progress.goOnWithoutIt();
      progress.check();
      Problem p;
      p.severity = Severity::Note;
      p.code = "size.flat-memory";
      p.what = std::to_string(meshed.flat.size()) + (meshed.flat.size() == 1 ? " element stays" : " elements stay") +
               " flat that a finer mesh there might free";
      p.where = "first at " + formatPoint(places.front()) + " " + part.unit;
      p.why = "the memory that may be used does not suffice to mesh the part once more";
      p.todo = "allow more memory, or ask for a smaller size there";
      p.places = places;
      out.problems.push_back(p);
      break;
    }
    auto& again = *tried;
    spdlog::debug("{} flat elements of {:.4f}: once more gave {} of {:.4f}", meshed.flat.size(), meshed.worst,
                  again ? again->flat.size() : 0, again ? again->worst : 0.0);
    if (!again || again->worst <= meshed.worst) break;
    const bool goOn = again->worst >= 1.5 * meshed.worst || 4 * again->flat.size() <= 3 * meshed.flat.size();
    meshed = std::move(*again);
    finerAt = places;
    if (!goOn) break; // a mesh takes long, and this one gained little
  }
  progress.again("");
  if (!finerAt.empty()) {
    Problem p;
    p.severity = Severity::Note;
    p.code = "size.flat";
    p.what = "the mesh is finer than asked at " + std::to_string(finerAt.size()) +
             (finerAt.size() == 1 ? " place" : " places") + " where elements were flat at first";
    p.where = "first at " + formatPoint(finerAt.front()) + " " + part.unit;
    p.why = "smaller triangles follow the surface better there";
    p.places = finerAt;
    out.problems.push_back(p);
  }
  const SurfaceMesh& surface = meshed.filled.surface;
  const ImproveStats& stats = meshed.stats;
  const int split = meshed.filled.split;
  const std::vector<Vec3>& splitAt = meshed.filled.splitAt;
  const std::vector<Vec3>& lostAt = meshed.lostAt;
  if (meshed.attempts > 1) {
    Problem p;
    p.severity = Severity::Note;
    p.code = "surface.again";
    p.what = "the surface was meshed " + std::to_string(meshed.attempts) + " times before it could be filled";
    p.why = meshed.attempts == 2
                ? "nodes of surfaces that nearly touch left no room between them; it is finer there now"
                : "nodes of surfaces that nearly touch left no room between them; tiny edges are followed now";
    p.todo = "ask for a smaller size there if the mesh is too coarse for the place";
    p.places = lostAt;
    if (!lostAt.empty()) p.where = "first at " + formatPoint(lostAt.front()) + " " + part.unit;
    out.problems.push_back(p);
  }
  if (!asked.slender.places.empty()) {
    Problem p;
    p.severity = Severity::Note;
    p.code = "size.slender";
    p.what =
        "thin walls made the elements finer there, down to " + formatNumber(asked.slender.finest, 3) + " " + part.unit;
    p.places = asked.slender.places;
    p.where = "thinnest at " + formatPoint(p.places.front()) + " " + part.unit;
    p.why = "edges many times longer than a wall is thick make flat elements";
    p.todo = "set 'slender' to 0 or a 'minimum' in the rule 'everywhere' if flat ones are accepted";
    out.problems.push_back(p);
  }
  if (meshed.filled.bridged.merged) {
    Problem p;
    p.severity = Severity::Note;
    p.code = "surface.bridged";
    p.what = "tiny edges and narrow faces were bridged: " + std::to_string(meshed.filled.bridged.merged) +
             " nodes moved by at most " + formatNumber(meshed.filled.bridged.moved, 3) + " " + part.unit;
    p.places = meshed.filled.bridged.places;
    p.where = "first at " + formatPoint(p.places.front()) + " " + part.unit;
    p.why = "they are far below the size asked for";
    p.todo = "put them into a group, or lower 'bridge', if the mesh must follow them";
    out.problems.push_back(p);
  }
  if (split) {
    Problem p;
    p.severity = Severity::Note;
    p.code = "surface.split";
    p.what = std::to_string(split) + (split == 1 ? " surface edge was" : " surface edges were") +
             " halved so that the volume could be filled";
    p.places = splitAt;
    p.where = "first at " + formatPoint(splitAt.front()) + " " + part.unit;
    p.why = "surfaces lie closer together there than the size asked for";
    out.problems.push_back(p);
  }
  out.fit = surfaceFit(surface, part, progress);
  clock.lap("surface");
  if (stats.slides + stats.peels + stats.surfaceInsertions + stats.surfaceContractions > 0) {
    Problem p;
    p.severity = Severity::Note;
    p.code = "surface.changed";
    std::string all;
    auto say = [&](int n, const char* one, const char* many) {
      if (n) all += (all.empty() ? "" : ", ") + std::to_string(n) + " " + (n == 1 ? one : many);
    };
    say(stats.slides, "node slid", "nodes slid");
    say(stats.peels, "diagonal flipped", "diagonals flipped");
    say(stats.surfaceInsertions, "node added", "nodes added");
    say(stats.surfaceContractions, "node taken out", "nodes taken out");
    p.what = "the surface was changed to free flat elements: " + all;
    p.why = "no change inside alone made them better; all nodes lie on the true faces and edges, and the deviation "
            "reported is that of the final surface";
    out.problems.push_back(p);
  }
  out.mesh = std::move(meshed.mesh);
  if (options.order == 2) {
    progress.stage("Mid nodes", 0.9, 0.95);
    auto c = makeQuadratic(out.mesh, part, progress);
    out.midNodes = c;
    clock.lap("quadratic");
    if (auto p = straightenedProblem(c, part.unit)) out.problems.push_back(*p);
  }
  std::vector<std::size_t> count(part.bodies.size(), 0);
  for (auto r : out.mesh.cellRegion) ++count[static_cast<std::size_t>(r)];
  for (std::size_t b = 0; b < count.size(); ++b)
    if (!count[b]) {
      Problem p;
      p.fault = Fault::Meshing;
      p.code = "mesh.empty-body";
      p.what = "body '" + part.bodies[b].name + "' got no elements";
      p.where = "around " + formatPoint(part.bodies[b].box.center()) + " " + part.unit;
      p.places.push_back(part.bodies[b].box.center());
      p.why = "it is smaller than the surface could resolve, or fully overlapped by another body";
      p.todo = "ask for a smaller size on this body";
      out.problems.push_back(p);
    }
  return out;
}

/// What the size field says about the edges and faces of a part, for one that is derived from it. `derived` tells
/// where an edge or face went, -1 for nowhere.
template <class Derived> SizeField translated(const SizeField& asked, const Derived& derived) {
  SizeField size = asked;
  const Bridging& b = asked.bridging;
  size.bridging.ignoreEdge.clear();
  size.bridging.ignorePoint.clear();
  size.bridging.keepEdge.assign(derived.part().edges.size(), 0);
  for (std::size_t e = 0; e < b.keepEdge.size(); ++e)
    if (int own = derived.edgeOf(static_cast<int>(e)); own >= 0)
      size.bridging.keepEdge[static_cast<std::size_t>(own)] |= b.keepEdge[e];
  size.bridging.keepFace.assign(derived.part().faces.size(), 0);
  for (std::size_t f = 0; f < b.keepFace.size(); ++f)
    if (int own = derived.faceOf(static_cast<int>(f)); own >= 0)
      size.bridging.keepFace[static_cast<std::size_t>(own)] |= b.keepFace[f];
  size.divisions.clear();
  for (auto [edge, division] : asked.divisions) {
    for (int& e : division.like) e = derived.edgeOf(e);
    std::erase(division.like, -1);
    if (int own = derived.edgeOf(edge); own >= 0) size.divisions.push_back({own, division});
  }
  return size;
}

/// Entities of the joined part become those of the part itself again.
void nameOriginals(MeshOutcome& out, const JoinedPart& joined) {
  Mesh& m = out.mesh;
  for (std::size_t v = 0; v < m.nodeLink.size(); ++v) {
    auto& link = m.nodeLink[v];
    if (link.dim == static_cast<std::int8_t>(Dim::Edge)) link.entity = joined.originalEdge(link.entity, m.nodes[v]);
    if (link.dim == static_cast<std::int8_t>(Dim::Face)) link.entity = joined.originalFace(link.entity, m.nodes[v]);
  }
  for (std::size_t f = 0; f < m.faceLink.size(); ++f) {
    const auto n = m.faces.of(f);
    const Vec3 middle = (m.nodes[static_cast<std::size_t>(n[0])] + m.nodes[static_cast<std::size_t>(n[1])] +
                         m.nodes[static_cast<std::size_t>(n[2])]) /
                        3;
    m.faceLink[f] = joined.originalFace(m.faceLink[f], middle);
  }
}

/// Meshes all bodies together; edges and points to be ignored are not followed.
Result<MeshOutcome> meshTogether(const Part& part, const SizeField& asked, const MeshOptions& options,
                                 Progress& progress) {
  const bool joins = asked.bridging.ignoresAny();
  if (!joins && !options.surface) return meshFollowed(part, asked, options, nullptr, progress);
  if (!joins) {
    auto kept = surfaceOfMesh(*options.surface, part);
    if (!kept) return kept.problem();
    return meshFollowed(part, asked, options, &*kept, progress);
  }
  const JoinedPart joined(part, asked.bridging.ignoreEdge, asked.bridging.ignorePoint);
  std::optional<SurfaceMesh> keptJoined;
  if (options.surface) {
    std::vector<int> faceOf;
    for (std::size_t f = 0; f < part.faces.size(); ++f) faceOf.push_back(joined.faceOf(static_cast<int>(f)));
    auto kept = surfaceOfMesh(*options.surface, joined.part(), faceOf);
    if (!kept) return kept.problem();
    keptJoined = std::move(*kept);
  }
  auto out =
      meshFollowed(joined.part(), translated(asked, joined), options, keptJoined ? &*keptJoined : nullptr, progress);
  if (!out) {
    Problem p = out.problem(); // its face numbers are those of the joined part
    for (std::size_t k = 0; k < p.faces.size(); ++k)
      p.faces[k] = joined.originalFace(p.faces[k], k < p.places.size() ? p.places[k] : part.box.center());
    return p;
  }
  nameOriginals(*out, joined);
  Problem p;
  p.severity = Severity::Note;
  p.code = "faces.joined";
  const int edges = joined.ignoredEdges(), points = joined.ignoredPoints();
  auto counted = [](int n, const char* what) { return std::to_string(n) + " " + what + (n == 1 ? "" : "s"); };
  if (edges)
    p.what = counted(edges, "edge") + (edges == 1 ? " is" : " are") +
             " not followed: " + std::to_string(part.faces.size()) + " faces count as " +
             std::to_string(joined.part().faces.size());
  if (points)
    p.what += (edges ? ", " : "") + counted(points, "point") + (points == 1 ? " is" : " are") +
              " not followed: " + std::to_string(part.edges.size() - static_cast<std::size_t>(edges)) +
              " edges count as " + std::to_string(joined.part().edges.size());
  p.why = "a rule says so; the surface deviates by at most " + formatNumber(out->fit.deviation, 3) + " " + part.unit +
          " from the true faces";
  for (std::size_t e = 0; e < part.edges.size() && p.places.size() < 50; ++e)
    if (joined.edgeOf(static_cast<int>(e)) < 0)
      p.places.push_back(part.shape->edgePoint(static_cast<int>(e), 0.5 * (part.edges[e].t0 + part.edges[e].t1)));
  for (std::size_t k = 0; k < asked.bridging.ignorePoint.size() && p.places.size() < 50; ++k)
    if (asked.bridging.ignorePoint[k]) p.places.push_back(part.points[k].at);
  if (!p.places.empty()) p.where = "first at " + formatPoint(p.places.front()) + " " + part.unit;
  out->problems.push_back(p);
  return out;
}

/// Bodies that a failure is about: those of the faces it names, else those nearest to its places.
std::vector<char> concerned(const Problem& p, const Part& part, const std::vector<char>& leftOut) {
  std::vector<char> r(part.bodies.size(), 0);
  bool any = false;
  for (int f : p.faces)
    for (int b : part.faces[static_cast<std::size_t>(f)].bodies)
      if (b >= 0 && !leftOut[static_cast<std::size_t>(b)]) r[static_cast<std::size_t>(b)] = any = true;
  if (any) return r;
  for (const Vec3& at : p.places) {
    double best = std::numeric_limits<double>::max();
    std::size_t found = 0;
    for (std::size_t b = 0; b < part.bodies.size(); ++b) {
      if (leftOut[b]) continue;
      const double d = part.bodies[b].box.distance2(at) + 1e-12 * part.bodies[b].box.size().squaredNorm();
      if (d < best) best = d, found = b;
    }
    if (best < std::numeric_limits<double>::max()) r[found] = 1;
  }
  return r;
}

/// Links and face numbers of the mesh of a part without some bodies become those of the whole part.
void nameOriginals(MeshOutcome& out, const SubsetPart& subset) {
  Mesh& m = out.mesh;
  for (auto& link : m.nodeLink) {
    if (link.dim == static_cast<std::int8_t>(Dim::Point)) link.entity = subset.originalPoint(link.entity);
    if (link.dim == static_cast<std::int8_t>(Dim::Edge)) link.entity = subset.originalEdge(link.entity);
    if (link.dim == static_cast<std::int8_t>(Dim::Face)) link.entity = subset.originalFace(link.entity);
  }
  for (auto& f : m.faceLink) f = subset.originalFace(f);
}

} // namespace

Result<MeshOutcome> meshPart(const Part& part, const SizeField& asked, const MeshOptions& options, Progress& progress) {
  auto whole = meshTogether(part, asked, options, progress);
  if (whole || part.bodies.size() < 2 || options.surface) return whole;
  // What goes wrong in one body must not take the others down: it is left out, and said so.
  std::vector<char> leftOut(part.bodies.size(), 0);
  std::vector<Problem> said;
  Problem failure = whole.problem();
  for (std::size_t left = part.bodies.size();;) {
    const auto bad = concerned(failure, part, leftOut);
    const auto count = static_cast<std::size_t>(std::count(bad.begin(), bad.end(), 1));
    if (!count || count >= left) return said.empty() ? whole.problem() : said.front();
    left -= count;
    Problem p = failure;
    std::string names;
    for (std::size_t b = 0; b < bad.size(); ++b)
      if (bad[b]) {
        leftOut[b] = 1;
        names += (names.empty() ? "'" : ", '") + part.bodies[b].name + "'";
      }
    p.severity = Severity::Error;
    p.what = (count == 1 ? "body " : "bodies ") + names + " got no mesh: " + failure.what;
    said.push_back(p);
    const SubsetPart subset(part, leftOut);
    auto rest = meshTogether(subset.part(), translated(asked, subset), options, progress);
    if (rest) {
      nameOriginals(*rest, subset);
      std::erase_if(rest->problems, [](const Problem& x) { return x.code == "mesh.empty-body"; });
      rest->problems.insert(rest->problems.begin(), said.begin(), said.end());
      return rest;
    }
    failure = rest.problem();
    for (int& f : failure.faces) f = subset.originalFace(f);
  }
}

std::optional<Problem> straightenedProblem(const CurveStats& c, const std::string& unit) {
  if (!c.straightened) return {};
  Problem p;
  p.severity = Severity::Note;
  p.code = "mesh.straightened";
  p.what = std::to_string(c.straightened) + " of " + std::to_string(c.boundary) +
           " boundary mid nodes were drawn towards their chords, by at most " + formatNumber(c.offset, 3) + " " + unit;
  p.places = c.places;
  p.where = "first at " + formatPoint(p.places.front()) + " " + unit;
  p.why = "on the true surface an element would have been inverted";
  p.todo = "ask for a smaller turn per element there if the shape matters";
  return p;
}

} // namespace tess
