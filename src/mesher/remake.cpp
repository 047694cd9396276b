// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/remake.h"
#include "geometry/subset.h"
#include "mesh/order.h"
#include "mesher/conductor.h"
#include "mesher/part_wishes.h"
#include <map>
#include <set>
#include <spdlog/spdlog.h>
#include <unordered_set>

namespace tess {
namespace {

/// Bodies that are filled otherwise than before, and those with a common edge; empty where there are none.
std::vector<char> bodiesToRemake(const Part& part, const MeshPlan& plan, const std::vector<BodyPlan>& before) {
  std::vector<char> changed(part.bodies.size(), 0);
  for (std::size_t b = 0; b < changed.size(); ++b)
    changed[b] = plan.bodies[b].fill != before[b].fill || plan.bodies[b].how != before[b].how;
  if (std::none_of(changed.begin(), changed.end(), [](char c) { return c; })) return {};
  std::vector<char> r = changed;
  for (const auto& e : part.edges) {
    std::set<int> at;
    for (int f : e.faces)
      for (int b : part.faces[static_cast<std::size_t>(f)].bodies)
        if (b >= 0) at.insert(b);
    if (std::any_of(at.begin(), at.end(), [&](int b) { return changed[static_cast<std::size_t>(b)]; }))
      for (int b : at) r[static_cast<std::size_t>(b)] = 1;
  }
  return r;
}

/// The faces between what stays and what is remade, as the mesh before has them.
class Between {
public:
  Between(const Part& part, const SubsetPart& subset, const Mesh& before, const std::vector<char>& remade)
      : m_part(part), m_subset(subset), m(before), m_remade(remade) {}

  /// False where an edge between has not the nodes of the part.
  bool read(GivenFaces& out, MeshWishes& wishes) {
    const Part& own = m_subset.part();
    out.face.assign(own.faces.size(), 0);
    out.chain.resize(own.edges.size());
    out.at.resize(own.edges.size());
    out.points = m.nodes;
    wishes.givenFaces.assign(own.faces.size(), MeshWishes::Given::No);
    wishes.givenCounts.assign(own.edges.size(), 0);
    for (std::size_t f = 0; f < own.faces.size(); ++f) {
      const auto& b = m_part.faces[static_cast<std::size_t>(m_subset.originalFace(static_cast<int>(f)))].bodies;
      out.face[f] = b[0] >= 0 && b[1] >= 0 && remade(b[0]) != remade(b[1]);
      if (out.face[f]) wishes.givenFaces[f] = MeshWishes::Given::Triangles;
    }
    elements(out, wishes);
    return edges(out, wishes);
  }

private:
  const Part& m_part;
  const SubsetPart& m_subset;
  const Mesh& m;
  const std::vector<char>& m_remade;
  std::unordered_set<std::uint64_t> m_joined; ///< nodes with an edge of a given face between them

  bool remade(int body) const { return m_remade[static_cast<std::size_t>(body)] != 0; }

  void elements(GivenFaces& out, MeshWishes& wishes) {
    for (std::size_t i = 0; i < m.faces.size(); ++i) {
      const int f = m.faceLink[i] < 0 ? -1 : m_subset.faceOf(m.faceLink[i]);
      if (f < 0 || !out.face[static_cast<std::size_t>(f)]) continue;
      const auto n = m.faces.corners(i);
      for (std::size_t k = 0; k < n.size(); ++k) m_joined.insert(edgeKey(n[k], n[(k + 1) % n.size()]));
      if (n.size() == 3) {
        out.triangles.push_back({n[0], n[1], n[2]});
        out.triangleFace.push_back(f);
      } else {
        out.quads.push_back({{n[0], n[1], n[2], n[3]}, f});
        wishes.givenFaces[static_cast<std::size_t>(f)] = MeshWishes::Given::Quads;
      }
    }
  }

  /// Edges of given faces, in order from end to end. An edge that has what stays on it but no given face could move.
  bool edges(GivenFaces& out, MeshWishes& wishes) const {
    std::vector<std::int32_t> atPoint(m_part.points.size(), -1);
    std::map<int, std::vector<std::int32_t>> onEdge;
    for (std::size_t v = 0; v < m.nodes.size(); ++v) {
      const GeometryLink& l = m.nodeLink[v];
      if (l.dim == 0) atPoint[static_cast<std::size_t>(l.entity)] = static_cast<std::int32_t>(v);
      if (l.dim == 1 && m_subset.edgeOf(l.entity) >= 0)
        onEdge[m_subset.edgeOf(l.entity)].push_back(static_cast<std::int32_t>(v));
    }
    const Part& own = m_subset.part();
    for (std::size_t e = 0; e < own.edges.size(); ++e) {
      const int whole = m_subset.originalEdge(static_cast<int>(e));
      const PartEdge& edge = m_part.edges[static_cast<std::size_t>(whole)];
      const bool given = std::any_of(own.edges[e].faces.begin(), own.edges[e].faces.end(),
                                     [&](int f) { return out.face[static_cast<std::size_t>(f)] != 0; });
      if (!given) {
        for (int f : edge.faces)
          for (int b : m_part.faces[static_cast<std::size_t>(f)].bodies)
            if (b >= 0 && !remade(b)) return false;
        continue;
      }
      std::vector<std::pair<double, std::int32_t>> inside;
      for (auto v : onEdge[static_cast<int>(e)])
        inside.push_back({m_part.shape->projectToEdge(whole, m.nodes[static_cast<std::size_t>(v)]).t, v});
      std::sort(inside.begin(), inside.end());
      auto& chain = out.chain[e];
      chain.push_back(atPoint[static_cast<std::size_t>(edge.points[0])]);
      for (const auto& [t, v] : inside) {
        chain.push_back(v);
        out.at[e].push_back(t);
      }
      chain.push_back(atPoint[static_cast<std::size_t>(edge.points[1])]);
      for (std::size_t k = 0; k + 1 < chain.size(); ++k)
        if (chain[k] < 0 || chain[k + 1] < 0 || !m_joined.count(edgeKey(chain[k], chain[k + 1]))) return false;
      wishes.givenCounts[e] = static_cast<int>(chain.size()) - 1;
    }
    return true;
  }
};

/// Cells and faces of what stays, then those that were made; nodes that are the same by place become one.
class Merger {
public:
  Merger(const Mesh& before, const Mesh& made, const std::vector<char>& remade)
      : m_before(before), m_made(made), m_remade(remade), m_of{std::vector<std::int32_t>(before.nodes.size(), -1),
                                                               std::vector<std::int32_t>(made.nodes.size(), -1)} {}

  /// `given`: per face of the part, whether it is between; `common`: nodes of the mesh before that lie on those.
  Mesh merge(const std::vector<char>& given, const std::set<std::int32_t>& common) {
    r.unit = m_before.unit;
    r.unitAssumed = m_before.unitAssumed;
    r.regions = m_before.regions;
    faces(0, m_before, [&](std::size_t f) { return stays(m_before.faceRegions[f]); });
    std::map<std::array<double, 3>, std::int32_t> byPlace;
    for (auto v : common) {
      const Vec3& p = m_before.nodes[static_cast<std::size_t>(v)];
      byPlace[{p.x(), p.y(), p.z()}] = node(0, m_before, v);
    }
    for (std::size_t v = 0; v < m_made.nodes.size(); ++v) {
      const Vec3& p = m_made.nodes[v];
      if (m_made.nodeLink[v].dim < 3)
        if (const auto it = byPlace.find({p.x(), p.y(), p.z()}); it != byPlace.end()) m_of[1][v] = it->second;
    }
    faces(1, m_made, [&](std::size_t f) { return !given[static_cast<std::size_t>(m_made.faceLink[f])]; });
    for (std::size_t b = 0; b < m_remade.size(); ++b) cells(b, m_remade[b] ? 1 : 0, m_remade[b] ? m_made : m_before);
    return std::move(r);
  }

private:
  const Mesh &m_before, &m_made;
  const std::vector<char>& m_remade;
  std::array<std::vector<std::int32_t>, 2> m_of;
  Mesh r;

  bool stays(const std::array<std::int32_t, 2>& regions) const {
    return std::any_of(regions.begin(), regions.end(),
                       [&](auto b) { return b >= 0 && !m_remade[static_cast<std::size_t>(b)]; });
  }
  std::int32_t node(std::size_t which, const Mesh& from, std::int32_t v) {
    auto& n = m_of[which][static_cast<std::size_t>(v)];
    if (n >= 0) return n;
    n = static_cast<std::int32_t>(r.nodes.size());
    r.nodes.push_back(from.nodes[static_cast<std::size_t>(v)]);
    r.nodeLink.push_back(from.nodeLink[static_cast<std::size_t>(v)]);
    return n;
  }
  std::vector<std::int32_t> nodes(std::size_t which, const Mesh& from, std::span<const std::int32_t> of) {
    std::vector<std::int32_t> n;
    for (auto v : of) n.push_back(node(which, from, v));
    return n;
  }
  template <class F> void faces(std::size_t which, const Mesh& from, F&& wanted) {
    for (std::size_t f = 0; f < from.faces.size(); ++f) {
      if (!wanted(f)) continue;
      r.faces.add(from.faces.type[f], nodes(which, from, from.faces.of(f)));
      r.faceLink.push_back(from.faceLink[f]);
      r.faceRegions.push_back(from.faceRegions[f]);
    }
  }
  void cells(std::size_t body, std::size_t which, const Mesh& from) {
    for (std::size_t c = 0; c < from.cells.size(); ++c) {
      if (from.cellRegion[c] != static_cast<std::int32_t>(body)) continue;
      r.cells.add(from.cells.type[c], nodes(which, from, from.cells.of(c)));
      r.cellRegion.push_back(from.cellRegion[c]);
    }
  }
};

/// The outer faces as triangles, to see how well they follow the part and whether they cross.
SurfaceMesh trianglesOf(const Mesh& m) {
  SurfaceMesh s;
  s.points = m.nodes;
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    const auto n = m.faces.corners(f);
    for (std::size_t k = 1; k + 1 < n.size(); ++k) {
      s.triangles.push_back({n[0], n[k], n[k + 1]});
      s.face.push_back(m.faceLink[f]);
    }
  }
  return s;
}

/// What was said before about bodies that stay.
std::vector<Problem> saidOfKept(const Part& part, const std::vector<Problem>& said, const std::vector<char>& remade) {
  std::vector<Problem> r;
  for (const auto& p : said) {
    bool any = false, ofKept = false;
    for (int f : p.faces)
      for (int b : part.faces[static_cast<std::size_t>(f)].bodies)
        if (b >= 0) any = true, ofKept = ofKept || !remade[static_cast<std::size_t>(b)];
    if (!any)
      for (const Vec3& at : p.places)
        for (std::size_t b = 0; b < part.bodies.size(); ++b)
          if (part.bodies[b].box.distance2(at) <= 1e-12 * part.bodies[b].box.size().squaredNorm())
            any = true, ofKept = ofKept || !remade[b];
    if (!any || ofKept) r.push_back(p);
  }
  return r;
}

} // namespace

std::optional<MeshOutcome> remakeBodies(const Part& part, const SizeField& size, const MeshWishes& wishes,
                                        const MeshOptions& options, MeshBefore before, std::vector<char>& kept,
                                        Progress& progress) {
  if (wishes.bridging.ignoresAny() || options.surface || options.onlySurface || !before.mesh.twins.empty() ||
      before.bodies.size() != part.bodies.size() || before.faces.size() != part.faces.size() ||
      before.mesh.nodeLink.size() != before.mesh.nodes.size() || before.mesh.regions.size() != part.bodies.size())
    return {};
  std::vector<Problem> unheard;
  const MeshPlan plan = planOf(part, wishes.fills, unheard);
  const std::vector<char> remade = bodiesToRemake(part, plan, before.bodies);
  if (remade.empty() || std::all_of(remade.begin(), remade.end(), [](char c) { return c; })) return {};
  Mesh corners = std::move(before.mesh);
  if (ordersOf(corners).quadratic) changeOrder(corners, 1);
  std::vector<char> leaveOut;
  for (char c : remade) leaveOut.push_back(!c);
  const SubsetPart subset(part, leaveOut);
  MeshWishes own = translatedWishes(wishes, subset);
  GivenFaces given;
  if (!Between(part, subset, corners, remade).read(given, own)) return {};
  MeshOptions linear = options;
  linear.order = 1;
  linear.given = &given;
  auto made = meshFollowed(subset.part(), size, own, linear, nullptr, progress);
  if (!made) {
    spdlog::debug("all bodies are meshed again: {}", made.problem().what);
    return {};
  }
  for (std::size_t b = 0; b < remade.size(); ++b)
    if (remade[b] && made->bodies[b].fill != plan.bodies[b].fill) return {}; // with all free it may fit
  std::vector<char> between(part.faces.size(), 0);
  std::set<std::int32_t> common;
  for (std::size_t f = 0; f < given.face.size(); ++f)
    between[static_cast<std::size_t>(subset.originalFace(static_cast<int>(f)))] = given.face[f];
  for (const auto& t : given.triangles) common.insert(t.begin(), t.end());
  for (const auto& q : given.quads) common.insert(q.v.begin(), q.v.end());
  nameOriginals(*made, subset, part.faces.size());
  MeshOutcome out;
  out.mesh = Merger(corners, made->mesh, remade).merge(between, common);
  const SurfaceMesh surface = trianglesOf(out.mesh);
  if (!findCrossings(surface.points, surface.triangles, 1, &progress).empty()) return {};
  out.problems = saidOfKept(part, before.problems, remade);
  std::erase_if(made->problems, [](const Problem& p) { return p.code == "mesh.empty-body"; });
  std::erase_if(out.problems, [](const Problem& p) { return p.code == "mesh.straightened"; });
  out.problems.insert(out.problems.end(), made->problems.begin(), made->problems.end());
  out.timings = std::move(made->timings);
  out.missingEdges = made->missingEdges;
  out.missingFaces = made->missingFaces;
  out.fit = surfaceFit(surface, part, progress);
  out.bodies = before.bodies;
  out.faces = before.faces;
  for (std::size_t b = 0; b < remade.size(); ++b)
    if (remade[b]) out.bodies[b] = made->bodies[b];
  for (std::size_t f = 0; f < out.faces.size(); ++f)
    if (subset.faceOf(static_cast<int>(f)) >= 0 && !between[f]) out.faces[f] = made->faces[f];
  if (options.order == 2) {
    progress.stage("Mid nodes", 0.9, 0.95);
    out.midNodes = makeQuadratic(out.mesh, part, progress);
    if (auto p = straightenedProblem(out.midNodes, part.unit)) out.problems.push_back(*p);
  }
  kept.assign(leaveOut.begin(), leaveOut.end());
  return out;
}

} // namespace tess
