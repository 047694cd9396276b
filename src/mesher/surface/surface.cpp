// SPDX-License-Identifier: GPL-3.0-or-later
// Phases: divide edges -> bring the tessellation's feature lines to the division -> remesh every face on its own (in
// parallel; boundaries stay) -> separate faces that share an inner edge -> verify.
#include "base/parallel.h"
#include "base/predicates.h"
#include "mesher/edges/counts.h"
#include "mesher/edges/edge_division.h"
#include "mesher/surface/carried_face.h"
#include "mesher/surface/face_patch.h"
#include "mesher/surface/given_faces.h"
#include "mesher/surface/mapped_face.h"
#include "mesher/surface/paved_face.h"
#include "mesher/surface/stepped.h"
#include "mesher/surface/surface_bridge.h"
#include "mesher/surface/surface_match.h"
#include "mesher/surface/touching.h"
#include "mesher/surface/turned.h"
#include <cmath>
#include <map>
#include <set>
#include <spdlog/spdlog.h>
#include <unordered_set>
#include <utility>

namespace tess {
namespace {

/// Expected normal of a triangle of `face`: of the true face below its middle.
Vec3 trueNormal(const Part& part, int face, const Vec3& a, const Vec3& b, const Vec3& c) {
  if (part.faces[static_cast<std::size_t>(face)].kind == SurfaceKind::Plane)
    return part.faces[static_cast<std::size_t>(face)].axis;
  return part.shape->projectToFace(face, (a + b + c) / 3).normal;
}

/// Turns the feature lines of the tessellation into the divided edges. Works on all faces together, since every
/// change at a line concerns all faces that meet there.
class LineStage {
public:
  LineStage(const Part& part, SurfaceGraph& g, Progress& progress) : m_part(part), m_g(g), m_progress(progress) {}
  std::vector<std::vector<int>> chains; ///< per part edge, current vertices from start to end
  std::vector<std::vector<double>> params;

  void place(int edge, const std::vector<double>& wanted) {
    auto& c = chains[static_cast<std::size_t>(edge)];
    auto& s = params[static_cast<std::size_t>(edge)];
    std::set<int> keep;
    std::vector<int> fresh;
    double span = m_part.edges[static_cast<std::size_t>(edge)].t1 - m_part.edges[static_cast<std::size_t>(edge)].t0;
    for (double t : wanted) {
      std::size_t i = static_cast<std::size_t>(std::upper_bound(s.begin(), s.end(), t) - s.begin());
      i = std::clamp<std::size_t>(i, 1, s.size() - 1);
      // A tessellation point close by serves as it is: it might not go away afterwards.
      double step = span / static_cast<double>(wanted.size() + 1), snap = 0.06 * step;
      if (std::abs(s[i] - t) < snap && i + 1 < s.size() && !keep.count(c[i])) {
        keep.insert(c[i]);
        continue;
      }
      if (std::abs(s[i - 1] - t) < snap && i > 1 && !keep.count(c[i - 1])) {
        keep.insert(c[i - 1]);
        continue;
      }
      int v = m_g.split(c[i - 1], c[i], m_part.shape->edgePoint(edge, t), Dim::Edge, edge);
      c.insert(c.begin() + static_cast<std::ptrdiff_t>(i), v);
      s.insert(s.begin() + static_cast<std::ptrdiff_t>(i), t);
      keep.insert(v);
    }
    m_keep.push_back(std::move(keep));
  }

  /// Removes tessellation points that are not wanted; those whose removal would fold a face stay. Returns how many
  /// stay.
  int thin() {
    int left = 0;
    for (int round = 0; round < 6; ++round) {
      left = 0;
      int removed = 0;
      for (std::size_t e = 0; e < chains.size(); ++e) {
        m_progress.check();
        auto& c = chains[e];
        auto& s = params[e];
        for (std::size_t i = 1; i + 1 < c.size();) {
          if (m_keep[e].count(c[i])) {
            ++i;
            continue;
          }
          int a = c[i - 1], b = c[i + 1];
          double la = (m_g.pt(c[i]) - m_g.pt(a)).norm(), lb = (m_g.pt(c[i]) - m_g.pt(b)).norm();
          if (lb < la) std::swap(a, b);
          bool closes = c.size() <= 3 && c.front() == c.back();
          if (!closes && (tryCollapse(c[i], a) || tryCollapse(c[i], b))) {
            c.erase(c.begin() + static_cast<std::ptrdiff_t>(i));
            s.erase(s.begin() + static_cast<std::ptrdiff_t>(i));
            ++removed;
          } else if (round > 1 && swapRoles(e, i)) {
            ++removed; // the wanted point next to it went instead
          } else {
            ++left;
            ++i;
          }
        }
      }
      if (!left) break;
      if (!removed && round > 1) break;
      improveFlips();
    }
    return left;
  }

  /// Delaunay-like flips in all faces, so that collapses at the lines find room.
  void improveFlips() {
    for (int pass = 0; pass < 3; ++pass) {
      int flips = 0;
      for (int t = 0; t < static_cast<int>(m_g.tris.size()); ++t) {
        if ((t & 1023) == 0) m_progress.check();
        for (int k = 0; k < 3 && m_g.alive(t); ++k) flips += tryFlip(t, k);
      }
      if (!flips) break;
    }
  }

private:
  const Part& m_part;
  SurfaceGraph& m_g;
  Progress& m_progress;
  std::vector<std::set<int>> m_keep;

  /// Point i of edge e cannot go; when a wanted point is very close, that one goes and i stays in its place.
  bool swapRoles(std::size_t e, std::size_t i) {
    auto& c = chains[e];
    auto& s = params[e];
    for (std::size_t j : {i - 1, i + 1}) {
      if (j == 0 || j + 1 >= c.size() || !m_keep[e].count(c[j])) continue;
      std::size_t far = j < i ? j - 1 : j + 1;
      double gap = (m_g.pt(c[i]) - m_g.pt(c[j])).norm(), step = (m_g.pt(c[j]) - m_g.pt(c[far])).norm();
      if (gap > 0.5 * step || !tryCollapse(c[j], c[i])) continue;
      m_keep[e].erase(c[j]);
      m_keep[e].insert(c[i]);
      c.erase(c.begin() + static_cast<std::ptrdiff_t>(j));
      s.erase(s.begin() + static_cast<std::ptrdiff_t>(j));
      return true;
    }
    return false;
  }

  bool tryFlip(int t, int k) {
    int a = m_g.tri(t)[static_cast<std::size_t>(k)], b = m_g.tri(t)[static_cast<std::size_t>((k + 1) % 3)];
    if (m_g.isFeature(a, b)) return false;
    std::array<int, 16> at;
    if (m_g.edgeTris(a, b, at) != 2) return false;
    int o = at[0] == t ? at[1] : at[0];
    if (m_g.face[static_cast<std::size_t>(o)] != m_g.face[static_cast<std::size_t>(t)] || o < t) return false;
    int c = m_g.apex(t, a, b), d = m_g.apex(o, a, b);
    if (c == d || m_g.connected(c, d)) return false;
    const Vec3 &pa = m_g.pt(a), &pb = m_g.pt(b), &pc = m_g.pt(c), &pd = m_g.pt(d);
    double now = std::min(minAngle(pa, pb, pc), minAngle(pb, pa, pd)),
           then = std::min(minAngle(pa, pd, pc), minAngle(pd, pb, pc));
    if (then <= now * 1.0001) return false;
    int f = m_g.face[static_cast<std::size_t>(t)];
    // t runs a -> b -> c: after the flip (a, d, c) and (d, b, c)
    if (trueNormal(m_part, f, pa, pd, pc).dot(triangleNormal(pa, pd, pc)) < 0.5) return false;
    if (trueNormal(m_part, f, pd, pb, pc).dot(triangleNormal(pd, pb, pc)) < 0.5) return false;
    m_g.flip(a, b, t, o);
    return true;
  }

  bool tryCollapse(int v, int w) {
    if (!m_g.canCollapse(v, w)) return false;
    for (int t : m_g.starOf(v)) {
      if (m_g.has(t, w)) continue;
      std::array<Vec3, 3> q;
      for (std::size_t k = 0; k < 3; ++k) {
        int x = m_g.tri(t)[k];
        q[k] = m_g.pt(x == v ? w : x);
      }
      Vec3 n = triangleNormal(q[0], q[1], q[2]);
      if (n.squaredNorm() == 0) return false;
      double longest = std::max({(q[0] - q[1]).norm(), (q[1] - q[2]).norm(), (q[2] - q[0]).norm()});
      if (2 * triangleArea(q[0], q[1], q[2]) < 1e-5 * longest * longest) return false;
      if (n.dot(trueNormal(m_part, m_g.face[static_cast<std::size_t>(t)], q[0], q[1], q[2])) < 0.3) return false;
    }
    m_g.collapse(v, w);
    return true;
  }
};

SurfaceMesh assemble(const SurfaceGraph& lines, const std::vector<std::unique_ptr<FacePatch>>& patches,
                     std::vector<std::vector<int>>& ids, const std::vector<std::vector<int>>& chains) {
  SurfaceMesh m;
  std::vector<int> to(lines.points.size(), -1);
  for (std::size_t v = 0; v < lines.points.size(); ++v) {
    if (lines.dim[v] == Dim::Face || lines.star[v].empty()) continue;
    to[v] = static_cast<int>(m.points.size());
    m.points.push_back(lines.points[v]);
    m.dim.push_back(lines.dim[v]);
    m.entity.push_back(lines.entity[v]);
  }
  ids.assign(patches.size(), {});
  for (std::size_t f = 0; f < patches.size(); ++f) {
    if (patches[f]->frozen) continue; // gets its rows from its edges
    const auto& g = patches[f]->g;
    auto& id = ids[f];
    id.assign(g.points.size(), -1);
    for (int t = 0; t < static_cast<int>(g.tris.size()); ++t) {
      if (!g.alive(t)) continue;
      std::array<int, 3> q = g.tri(t);
      for (int& v : q) {
        int& k = id[static_cast<std::size_t>(v)];
        if (k < 0) {
          int global = patches[f]->globalId[static_cast<std::size_t>(v)];
          if (g.dim[static_cast<std::size_t>(v)] != Dim::Face && global >= 0)
            k = to[static_cast<std::size_t>(global)];
          else {
            k = static_cast<int>(m.points.size());
            m.points.push_back(g.points[static_cast<std::size_t>(v)]);
            m.dim.push_back(Dim::Face);
            m.entity.push_back(static_cast<int>(f));
          }
        }
        v = k;
      }
      m.triangles.push_back(q);
      m.face.push_back(static_cast<int>(f));
    }
  }
  for (const auto& c : chains) {
    std::vector<int> n;
    for (int v : c) n.push_back(to[static_cast<std::size_t>(v)]);
    m.edgeNodes.push_back(n);
  }
  return m;
}

/// Inner edges that two faces have in common would join four triangles; each face splits its own.
int separateFaces(const SurfaceGraph& lines, std::vector<std::unique_ptr<FacePatch>>& patches) {
  struct Use {
    int face;
    bool shared = false;
  };
  std::unordered_map<std::uint64_t, Use> seen;
  std::vector<std::pair<int, std::uint64_t>> todo;
  for (std::size_t f = 0; f < patches.size(); ++f) {
    const auto& p = *patches[f];
    if (p.frozen) continue;
    for (int t = 0; t < static_cast<int>(p.g.tris.size()); ++t) {
      if (!p.g.alive(t)) continue;
      for (std::size_t k = 0; k < 3; ++k) {
        int a = p.g.tri(t)[k], b = p.g.tri(t)[(k + 1) % 3];
        int ga = p.globalId[static_cast<std::size_t>(a)], gb = p.globalId[static_cast<std::size_t>(b)];
        if (ga < 0 || gb < 0 || a > b || p.g.dim[static_cast<std::size_t>(a)] == Dim::Face ||
            p.g.dim[static_cast<std::size_t>(b)] == Dim::Face)
          continue;
        if (p.g.isFeature(a, b)) continue;
        std::uint64_t key = SurfaceGraph::key(ga, gb);
        if (lines.feature.count(key)) { // an inner edge that doubles a divided edge
          todo.push_back({static_cast<int>(f), key});
          continue;
        }
        auto [it, fresh] = seen.emplace(key, Use{static_cast<int>(f)});
        if (fresh || it->second.face == static_cast<int>(f)) continue;
        if (!it->second.shared) todo.push_back({it->second.face, key});
        it->second.shared = true;
        todo.push_back({static_cast<int>(f), key});
      }
    }
  }
  for (auto [f, key] : todo)
    patches[static_cast<std::size_t>(f)]->splitShared(static_cast<int>(key >> 32), static_cast<int>(key & 0xffffffffu));
  return static_cast<int>(todo.size());
}

struct Attempt {
  SurfaceMesh mesh;
  int stayedFiner = 0;
  int held = 0; ///< vertices that stand opposite others
  std::vector<Problem> said;
};

Result<Attempt> meshOnce(const Part& part, const Tessellation& tess, const SizeField& size, const MeshPlan& plan,
                         const GivenFaces* given, Progress& progress) {
  SurfaceGraph g;
  for (std::size_t i = 0; i < tess.points.size(); ++i)
    g.addPoint(tess.points[i], tess.origin[i].dim, tess.origin[i].entity);
  for (std::size_t i = 0; i < tess.triangles.size(); ++i) g.addTriangle(tess.triangles[i], tess.triangleFace[i]);
  LineStage lines(part, g, progress);
  lines.chains = tess.edgeChain;
  lines.params = tess.edgeParam;
  for (std::size_t e = 0; e < lines.chains.size(); ++e)
    for (std::size_t i = 0; i + 1 < lines.chains[e].size(); ++i)
      g.feature[SurfaceGraph::key(lines.chains[e][i], lines.chains[e][i + 1])] = static_cast<int>(e);

  // Edges with common ends must differ in at least one inner node.
  std::unordered_map<std::uint64_t, int> byEnds;
  for (const auto& e : part.edges) ++byEnds[SurfaceGraph::key(e.points[0], e.points[1])];
  Attempt out;
  std::vector<int> counts(part.edges.size(), 0), ringRows(part.faces.size(), 1);
  if (!plan.sums.empty() || !plan.evens.empty() || given) {
    auto solved = edgeCounts(part, size, plan.divisions, plan.sums, plan.evens, plan.given, out.said, progress);
    if (!solved) return solved.problem();
    ringRows.assign(solved->begin() + static_cast<std::ptrdiff_t>(part.edges.size()), solved->end());
    counts.assign(solved->begin(), solved->begin() + static_cast<std::ptrdiff_t>(part.edges.size()));
  }
  std::vector<std::vector<double>> division(part.edges.size());
  parallelFor(
      part.edges.size(), &progress,
      [&](std::size_t e) {
        if (given && !given->chain[e].empty()) {
          division[e] = given->at[e];
          return;
        }
        if (counts[e]) {
          division[e] = divideEdgeInto(part, static_cast<int>(e), size, plan.divisions, counts[e]);
          return;
        }
        bool twin = byEnds.at(SurfaceGraph::key(part.edges[e].points[0], part.edges[e].points[1])) > 1;
        division[e] = divideEdge(part, static_cast<int>(e), size, plan.divisions, twin ? 2 : 1);
      },
      1);
  progress.check();
  const auto planned = division;
  matchDivisions(part, size, plan, tess, division);
  for (std::size_t e = 0; e < counts.size(); ++e)
    if (counts[e]) division[e] = planned[e]; // what lies across gives way
  copyDivisions(part, size, plan.divisions, division);
  for (std::size_t e = 0; e < counts.size(); ++e) // but for copies that came out with as many
    if (counts[e] && static_cast<int>(division[e].size()) + 1 != counts[e]) division[e] = planned[e];
  lines.improveFlips();
  for (std::size_t e = 0; e < part.edges.size(); ++e) {
    progress.check();
    lines.place(static_cast<int>(e), division[e]);
  }
  progress.check();
  lines.improveFlips();
  out.stayedFiner = lines.thin();
  progress.report(0.3);

  std::vector<std::unique_ptr<FacePatch>> patches;
  std::vector<int> local(g.points.size(), -1);
  std::vector<std::vector<int>> byFace(part.faces.size());
  for (int t = 0; t < static_cast<int>(g.tris.size()); ++t)
    if (g.alive(t)) byFace[static_cast<std::size_t>(g.face[static_cast<std::size_t>(t)])].push_back(t);
  for (std::size_t f = 0; f < part.faces.size(); ++f) {
    auto p = std::make_unique<FacePatch>(part, static_cast<int>(f), size, progress);
    p->frozen = plan.takesMesh(static_cast<int>(f));
    for (int t : byFace[f]) {
      std::array<int, 3> q = g.tri(t);
      for (int& v : q) {
        int& id = local[static_cast<std::size_t>(v)];
        if (id < 0) {
          id = p->g.addPoint(g.pt(v), g.dim[static_cast<std::size_t>(v)], g.entity[static_cast<std::size_t>(v)]);
          p->globalId.push_back(v);
        }
        v = id;
      }
      p->g.addTriangle(q, static_cast<int>(f));
    }
    for (int t : byFace[f])
      for (std::size_t k = 0; k < 3; ++k) {
        int a = g.tri(t)[k], b = g.tri(t)[(k + 1) % 3];
        auto it = g.feature.find(SurfaceGraph::key(a, b));
        if (it != g.feature.end())
          p->g.feature[SurfaceGraph::key(local[static_cast<std::size_t>(a)], local[static_cast<std::size_t>(b)])] =
              it->second;
      }
    for (int v : p->globalId) local[static_cast<std::size_t>(v)] = -1;
    patches.push_back(std::move(p));
  }
  std::atomic<int> done{0};
  parallelFor(
      patches.size(), &progress,
      [&](std::size_t f) {
        if (!patches[f]->frozen) patches[f]->run();
        progress.report(0.3 + 0.6 * ++done / static_cast<double>(patches.size()));
      },
      1);
  progress.check();
  out.held = matchPatches(part, patches, progress);
  for (int k = 0; k < 5 && separateFaces(g, patches) > 0; ++k) progress.check();
  std::vector<std::vector<int>> ids;
  out.mesh = assemble(g, patches, ids, lines.chains);
  if (plan.tetrahedraOnly()) return out;
  out.mesh.frozen.assign(part.faces.size(), 0);
  if (given)
    if (auto p = addGivenFaces(part, *given, plan, out.mesh)) return *p;
  for (std::size_t f = 0; f < part.faces.size(); ++f) {
    const FacePlan& face = plan.faces[f];
    if (!face.frozen()) continue;
    out.mesh.frozen[f] = 1;
    if (!face.given && face.paved >= 0)
      if (auto p = addPavedFace(part, plan.paved[static_cast<std::size_t>(face.paved)], face.tetSide, size, *patches[f],
                                out.mesh, out.said, progress))
        return *p;
    if (face.given || face.mapped < 0) continue;
    if (auto p = addMappedFace(part, plan.mapped[static_cast<std::size_t>(face.mapped)], face.tetSide, ringRows[f],
                               out.mesh, progress))
      return *p;
  }
  for (const Sweep& s : plan.sweeps) {
    if (s.closed) {
      if (!s.axis) continue;
      if (auto p = addTurnedFaces(part, s, plan.faces, size, out.mesh, progress)) return *p;
    } else if (!s.steps.empty()) {
      if (auto p = addSteppedFaces(part, s, plan.faces, size, out.mesh, out.said, progress)) return *p;
    } else if (auto p = addCarriedFace(part, s, plan.faces[static_cast<std::size_t>(s.target)].tetSide, out.mesh))
      return *p;
  }
  return out;
}

} // namespace

namespace {

/// Pairs of faces, and how many of their triangles cross.
using PairCounts = std::map<std::pair<int, int>, std::size_t>;

/// Faces of the part itself that run through each other: found when fine triangulations of the part still cross after
/// they were made finer once more. No mesh can follow such a part. Only pairs that cross in the mesh too: two faces
/// that nearly touch may cross in a triangulation although they do not.
std::optional<Problem> ownCrossings(const Part& part, const PairCounts& inMesh, Progress& progress) {
  std::vector<CrossingPair> found;
  Tessellation fine;
  for (double finer : {1.0, 0.5}) {
    auto t = part.shape->tessellate(2e-4 * finer * part.diagonal(), 8 * finer * kPi / 180, &progress);
    if (!t) return {};
    fine = std::move(*t);
    found = findCrossings(fine.points, fine.triangles, SIZE_MAX, &progress);
    if (found.empty()) return {};
    if (part.faceted) break;
  }
  Problem p;
  p.fault = Fault::Input;
  p.code = "part.crossing";
  std::map<std::pair<int, int>, Vec3> pairs;
  for (const auto& c : found) {
    std::pair<int, int> faces =
        std::minmax(fine.triangleFace[static_cast<std::size_t>(c.a)], fine.triangleFace[static_cast<std::size_t>(c.b)]);
    if (part.faceted || inMesh.count(faces)) pairs.emplace(faces, c.at);
  }
  if (pairs.empty()) return {};
  // A round face in a slot of its own width touches the slot's walls: nothing runs through anything, but along such a
  // line the body has no thickness.
  constexpr double kReach = 0.01; // of the diagonal, as crossings of a fine triangulation lie beside the line
  const bool touch = std::all_of(pairs.begin(), pairs.end(), [&](const auto& x) {
    return x.first.first != x.first.second &&
           facesTouchNear(part, x.first.first, x.first.second, x.second, kReach * part.diagonal());
  });
  p.what = std::to_string(pairs.size()) + (pairs.size() == 1 ? " pair" : " pairs") + " of the part's own faces " +
           (touch ? "touch along a line" : "run through each other");
  for (const auto& [f, at] : pairs) {
    if (p.places.size() < 3)
      p.where += (p.where.empty() ? "" : "; ") + std::string("faces ") + std::to_string(f.first + 1) + " and " +
                 std::to_string(f.second + 1) + " at " + formatPoint(at) + " " + part.unit;
    p.places.push_back(at);
    p.faces.push_back(f.first);
    p.faces.push_back(f.second);
  }
  p.why = touch ? "the body has no thickness along it, and flat triangles run through each other there, however small"
                : "such a part does not say which side is inside";
  p.todo = touch ? "leave a gap there where the part was drawn, or let the faces overlap and unite them"
                 : "mend the part where it was drawn, for instance by uniting the bodies there";
  return p;
}

} // namespace

void SurfaceMesh::addTriangle(const std::array<int, 3>& v, int f) {
  triangles.push_back(v);
  face.push_back(f);
}

void SurfaceMesh::addQuad(std::array<int, 4> v, int f, int tetSide) {
  auto pt = [&](int k) -> const Vec3& { return points[static_cast<std::size_t>(k)]; };
  // Above 0: the diagonal from the first node lies behind the other one.
  if (tetSide * orient3d(pt(v[0]), pt(v[1]), pt(v[2]), pt(v[3])) > 0) std::rotate(v.begin(), v.begin() + 1, v.end());
  addTriangle({v[0], v[1], v[2]}, f);
  addTriangle({v[0], v[2], v[3]}, f);
  quads.push_back({v, f});
}

std::vector<char> SurfaceMesh::halves() const {
  std::vector<char> r(triangles.size(), 0);
  if (quads.empty()) return r;
  std::unordered_map<std::uint64_t, int> diagonal; // with the face it lies in
  for (const auto& q : quads) diagonal[SurfaceGraph::key(q.v[0], q.v[2])] = q.face;
  for (std::size_t i = 0; i < r.size(); ++i)
    for (std::size_t k = 0; k < 3; ++k)
      if (const auto it = diagonal.find(SurfaceGraph::key(triangles[i][k], triangles[i][(k + 1) % 3]));
          it != diagonal.end() && it->second == face[i])
        r[i] = 1;
  return r;
}

Result<SurfaceOutcome> meshSurface(const Part& part, SizeField size, const MeshPlan& plan, Progress& progress,
                                   const GivenFaces* given, int rounds) {
  // Triangles to start from: they give a face its shape, the remesher puts every node onto the face itself. What is
  // needed at one thin wall must not be asked of all faces: the kernel takes minutes for a torus then.
  const double chord = std::max(
      std::clamp(0.2 * size.smallest(), std::min(0.02 * size.overall(), 1e-3 * part.diagonal()), 0.05 * size.overall()),
      1e-5 * part.diagonal());
  auto tess = part.shape->tessellate(chord, 20 * kPi / 180, &progress);
  if (!tess) return tess.problem();
  progress.check();
  SurfaceOutcome out;
  const SizeField asked = size;
  std::size_t crossedBefore = std::numeric_limits<std::size_t>::max();
  PairCounts firstCount; ///< of the first round
  for (int round = 0; round < rounds; ++round) {
    auto made = meshOnce(part, *tess, size, plan, given, progress);
    if (!made) return made.problem();
    Attempt& a = *made;
    out.said = std::move(a.said);
    auto crossings = findCrossings(a.mesh.points, a.mesh.triangles, SIZE_MAX, &progress);
    progress.check();
    spdlog::debug("surface round {}: {} triangles, {} left on lines, {} held, {} crossings, {} sources", round,
                  a.mesh.triangles.size(), a.stayedFiner, a.held, crossings.size(), size.sourceCount());
    PairCounts count;
    auto facesOf = [&](const CrossingPair& c) -> std::pair<int, int> {
      return std::minmax(a.mesh.face[static_cast<std::size_t>(c.a)], a.mesh.face[static_cast<std::size_t>(c.b)]);
    };
    for (const auto& c : crossings) ++count[facesOf(c)];
    for (const auto& [f, n] : count)
      spdlog::debug("  {} times faces {} ({}) and {} ({})", n, f.first + 1,
                    surfaceKindName(part.faces[static_cast<std::size_t>(f.first)].kind), f.second + 1,
                    surfaceKindName(part.faces[static_cast<std::size_t>(f.second)].kind));
    // Faces that lie closer together than what is bridged may cross before and not afterwards. The last resort, as
    // bridging what crosses leaves flat elements behind: where thin walls made sizes smaller, whoever called tries
    // without that first.
    if (!crossings.empty() && round + 1 == rounds && size.slender.places.empty()) {
      SurfaceMesh bridged = a.mesh;
      const BridgeReport report = bridgeShortEdges(bridged, part, size, plan.bridging, progress);
      if (report.merged > 0 && findCrossings(bridged.points, bridged.triangles, 1, &progress).empty()) {
        spdlog::debug("bridged: {} pairs of nodes, and nothing crosses any more", report.merged);
        out.mesh = std::move(bridged);
        out.bridged = report;
        break;
      }
    }
    // Along a line of touch, and at a cusp of the part, a refinement does not help: what crosses there grows in number.
    // Where it fades, triangles were too coarse, whatever the faces do beyond their ends.
    if (!crossings.empty() && round == 1) {
      std::vector<CrossingPair> stayed;
      for (const auto& c : crossings)
        if (2 * count[facesOf(c)] >= firstCount[facesOf(c)]) stayed.push_back(c);
      if (auto p = touchingFaces(part, a.mesh, stayed, progress)) return *p;
    }
    if (round == 0) firstCount = std::move(count);
    // Crossings that outlive a refinement and other triangles to start from may be the part's own.
    if (!crossings.empty() && round == 2)
      if (auto p = ownCrossings(part, count, progress)) return *p;
    if (crossings.empty() || round + 1 == rounds) {
      if (!crossings.empty()) {
        Problem p;
        p.fault = Fault::Meshing;
        p.code = "surface.crossing";
        p.what = std::to_string(crossings.size()) + " pairs of surface triangles cross";
        for (const auto& c : crossings) {
          p.places.push_back(c.at);
          p.faces.push_back(a.mesh.face[static_cast<std::size_t>(c.a)]);
          p.faces.push_back(a.mesh.face[static_cast<std::size_t>(c.b)]);
        }
        for (std::size_t i = 0; i < std::min<std::size_t>(3, crossings.size()); ++i)
          p.where += (i ? "; " : "") + std::string("faces ") + std::to_string(p.faces[2 * i] + 1) + " and " +
                     std::to_string(p.faces[2 * i + 1] + 1) + " at " + formatPoint(crossings[i].at);
        p.where += " " + part.unit;
        p.why = "the faces come closer than the triangles can follow, or cross in the part";
        p.todo = "ask for a smaller size there, or mend the part";
        return p;
      }
      out.mesh = std::move(a.mesh);
      out.bridged = bridgeShortEdges(out.mesh, part, size, plan.bridging, progress);
      spdlog::debug("bridged: {} pairs of nodes, moved by at most {}", out.bridged.merged, out.bridged.moved);
      break;
    }
    // Where a smaller size does not help, the triangles to start from may be what leads astray: others are taken.
    if (round > 0 && crossings.size() > crossedBefore / 2) {
      if (auto other = part.shape->tessellate(chord * (round % 2 ? 16 : 4), 20 * kPi / 180, &progress))
        tess = std::move(other);
      size = asked;
      crossedBefore = std::numeric_limits<std::size_t>::max();
      continue;
    }
    crossedBefore = crossings.size();
    std::vector<char> done(a.mesh.triangles.size(), 0); // one that crosses many asks once
    for (const auto& c : crossings)
      for (int t : {c.a, c.b}) {
        if (std::exchange(done[static_cast<std::size_t>(t)], 1)) continue;
        const auto& q = a.mesh.triangles[static_cast<std::size_t>(t)];
        Vec3 p[3];
        double longest = 0;
        for (int k = 0; k < 3; ++k) p[k] = a.mesh.points[static_cast<std::size_t>(q[static_cast<std::size_t>(k)])];
        for (int k = 0; k < 3; ++k) longest = std::max(longest, (p[k] - p[(k + 1) % 3]).norm());
        // Also below the size there: where triangles stayed longer than asked, asking for the same again changes
        // nothing.
        double h = 0.5 * std::min(longest, size.at((p[0] + p[1] + p[2]) / 3));
        size.addTriangle(p[0], p[1], p[2], h, kReasonMesher);
      }
    size.build();
  }
  return out;
}

SurfaceFit surfaceFit(const SurfaceMesh& m, const Part& part, const Progress& progress) {
  std::vector<std::vector<std::size_t>> ofFace(part.faces.size());
  for (std::size_t i = 0; i < m.triangles.size(); ++i)
    if (part.faces[static_cast<std::size_t>(m.face[i])].kind != SurfaceKind::Plane)
      ofFace[static_cast<std::size_t>(m.face[i])].push_back(i);
  struct OfFace {
    SurfaceFit fit;
    double area = 0, turned = 0;
  };
  std::vector<OfFace> each(part.faces.size());
  parallelFor(
      part.faces.size(), &progress,
      [&](std::size_t f) {
        OfFace& mine = each[f];
        for (std::size_t k = 0; k < ofFace[f].size(); ++k) {
          if ((k & 1023) == 0) progress.check();
          const auto& q = m.triangles[ofFace[f][k]];
          const Vec3 &a = m.points[static_cast<std::size_t>(q[0])], &b = m.points[static_cast<std::size_t>(q[1])],
                     &c = m.points[static_cast<std::size_t>(q[2])];
          const Vec3 middle = (a + b + c) / 3, normal = (b - a).cross(c - a);
          const FaceProjection on = part.shape->projectToFace(static_cast<int>(f), middle);
          mine.fit.deviation = std::max(mine.fit.deviation, (on.point - middle).norm());
          const double angle = std::atan2(normal.cross(on.normal).norm(), normal.dot(on.normal));
          mine.area += normal.norm();
          mine.turned += angle * normal.norm();
          if (angle > mine.fit.normalRad) mine.fit.normalRad = angle, mine.fit.worstNormal = middle;
        }
      },
      1);
  SurfaceFit r;
  double area = 0;
  for (const auto& x : each) {
    r.deviation = std::max(r.deviation, x.fit.deviation);
    if (x.fit.normalRad > r.normalRad) r.normalRad = x.fit.normalRad, r.worstNormal = x.fit.worstNormal;
    area += x.area;
    r.meanNormalRad += x.turned;
  }
  if (area > 0) r.meanNormalRad /= area;
  return r;
}

} // namespace tess
