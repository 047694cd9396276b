// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/mesher.h"
#include "geometry/joined.h"
#include "mesher/conductor.h"
#include "mesher/part_wishes.h"
#include "mesher/surface/locked.h"

namespace tess {
namespace {

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
Result<MeshOutcome> meshTogether(const Part& part, const SizeField& size, const MeshWishes& wishes,
                                 const MeshOptions& options, Progress& progress) {
  const bool joins = wishes.bridging.ignoresAny();
  if (!joins && !options.surface) return meshFollowed(part, size, wishes, options, nullptr, progress);
  if (!joins) {
    auto kept = surfaceOfMesh(*options.surface, part);
    if (!kept) return kept.problem();
    return meshFollowed(part, size, wishes, options, &*kept, progress);
  }
  const JoinedPart joined(part, wishes.bridging.ignoreEdge, wishes.bridging.ignorePoint);
  std::optional<SurfaceMesh> keptJoined;
  if (options.surface) {
    std::vector<int> faceOf;
    for (std::size_t f = 0; f < part.faces.size(); ++f) faceOf.push_back(joined.faceOf(static_cast<int>(f)));
    auto kept = surfaceOfMesh(*options.surface, joined.part(), faceOf);
    if (!kept) return kept.problem();
    keptJoined = std::move(*kept);
  }
  auto out = meshFollowed(joined.part(), size, translatedWishes(wishes, joined), options,
                          keptJoined ? &*keptJoined : nullptr, progress);
  if (!out) {
    Problem p = out.problem(); // its face numbers are those of the joined part
    for (std::size_t k = 0; k < p.faces.size(); ++k)
      p.faces[k] = joined.originalFace(p.faces[k], k < p.places.size() ? p.places[k] : part.box.center());
    return p;
  }
  nameOriginals(*out, joined);
  std::vector<FacePlan> faces(part.faces.size());
  for (std::size_t f = 0; f < faces.size(); ++f)
    if (const int own = joined.faceOf(static_cast<int>(f)); own >= 0 && !out->faces.empty())
      faces[f] = out->faces[static_cast<std::size_t>(own)];
  out->faces = std::move(faces);
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
  for (std::size_t k = 0; k < wishes.bridging.ignorePoint.size() && p.places.size() < 50; ++k)
    if (wishes.bridging.ignorePoint[k]) p.places.push_back(part.points[k].at);
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

} // namespace

void nameOriginals(MeshOutcome& out, const SubsetPart& subset, std::size_t wholeFaces) {
  Mesh& m = out.mesh;
  for (auto& link : m.nodeLink) {
    if (link.dim == static_cast<std::int8_t>(Dim::Point)) link.entity = subset.originalPoint(link.entity);
    if (link.dim == static_cast<std::int8_t>(Dim::Edge)) link.entity = subset.originalEdge(link.entity);
    if (link.dim == static_cast<std::int8_t>(Dim::Face)) link.entity = subset.originalFace(link.entity);
  }
  for (auto& f : m.faceLink) f = subset.originalFace(f);
  std::vector<FacePlan> faces(wholeFaces);
  for (std::size_t f = 0; f < out.faces.size(); ++f)
    faces[static_cast<std::size_t>(subset.originalFace(static_cast<int>(f)))] = out.faces[f];
  out.faces = std::move(faces);
}

MeshWishes meshWishes(const SizeRequest& request) {
  return {{}, request.overall.resolved().bridging, EdgeDivisions(request.divisions)};
}

Result<MeshOutcome> meshPart(const Part& part, const SizeField& size, const MeshWishes& wishes,
                             const MeshOptions& options, Progress& progress) {
  auto whole = meshTogether(part, size, wishes, options, progress);
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
    auto rest = meshTogether(subset.part(), size, translatedWishes(wishes, subset), options, progress);
    if (rest) {
      nameOriginals(*rest, subset, part.faces.size());
      std::erase_if(rest->problems, [](const Problem& x) { return x.code == "mesh.empty-body"; });
      rest->problems.insert(rest->problems.begin(), said.begin(), said.end());
      return rest;
    }
    failure = rest.problem();
    for (int& f : failure.faces) f = subset.originalFace(f);
  }
}

} // namespace tess
