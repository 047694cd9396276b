// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/touching.h"
#include <algorithm>
#include <cmath>
#include <map>
#include <spdlog/spdlog.h>

namespace tess {
namespace {

constexpr double kAlike = 0.05;    ///< turn between tangent planes that counts as none, rad
constexpr std::size_t kTries = 40; ///< crossings looked at per pair of faces
/// Faces that go over into each other without a bend touch at the edge they share: places as near to it, in sizes of a
/// triangle, prove nothing unless the faces look at each other. A line of touch may carry edges here and there, left
/// over from joining the bodies.
constexpr double kAtEdge = 0.15;
/// Places that far apart, in diagonals of the part, make a line: a single place is known to half of that, as surfaces
/// of radius R are within a millionth of the diagonal of each other over sqrt(2e-6 R diagonal).
constexpr double kApart = 3e-3;

struct Touch {
  Vec3 at;
  bool opposed; ///< the faces look at each other there, or have their backs to each other
};

/// Where faces a and b touch within `reach` of `start`.
std::optional<Touch> touchNear(const Shape& shape, int a, int b, const Vec3& start, double reach, double tolerance) {
  Vec3 x = start;
  for (int step = 0; step < 40; ++step) {
    const FaceProjection on = shape.projectToFace(a, x), other = shape.projectToFace(b, on.point);
    const bool opposed = other.normal.dot(on.normal) < 0;
    const Vec3 n = on.normal, m = opposed ? Vec3(-other.normal) : other.normal;
    const double along = m.dot(n);
    if (along < 0.8 || (on.point - start).norm() > reach) return {};
    // The other face as a height over this one's tangent plane.
    const Vec3 slope = (m - along * n) / -along;
    const double height = (other.point - on.point).dot(n);
    if (std::abs(height) <= tolerance && slope.norm() < kAlike) return Touch{on.point, opposed};
    const double steep = slope.squaredNorm();
    if (steep < 1e-20) return {}; // side by side at a distance
    Vec3 way = -2 * height / steep * slope;
    if (way.norm() > reach) way *= reach / way.norm();
    x = on.point + way;
  }
  return {};
}

std::vector<int> sharedEdges(const Part& part, int a, int b) {
  const auto &ofA = part.faces[static_cast<std::size_t>(a)].edges, &ofB = part.faces[static_cast<std::size_t>(b)].edges;
  std::vector<int> r;
  std::set_intersection(ofA.begin(), ofA.end(), ofB.begin(), ofB.end(), std::back_inserter(r));
  return r;
}

double longestSide(const SurfaceMesh& mesh, const CrossingPair& c) {
  double r = 0;
  for (int t : {c.a, c.b})
    for (std::size_t i = 0; i < 3; ++i) {
      const auto& q = mesh.triangles[static_cast<std::size_t>(t)];
      r = std::max(
          r,
          (mesh.points[static_cast<std::size_t>(q[i])] - mesh.points[static_cast<std::size_t>(q[(i + 1) % 3])]).norm());
    }
  return r;
}

/// Whether p, a point of a face's surface, lies where the face has ended: it is then about as far from the face's
/// triangles as from its edges, and more than `tolerance` from these.
bool beyondEnds(const Part& part, const SurfaceMesh& mesh, int face, const Vec3& p, double tolerance) {
  double triangles = std::numeric_limits<double>::max(), edges = triangles;
  for (std::size_t i = 0; i < mesh.triangles.size(); ++i) {
    if (mesh.face[i] != face) continue;
    const auto& q = mesh.triangles[i];
    const Vec3 &a = mesh.points[static_cast<std::size_t>(q[0])], &b = mesh.points[static_cast<std::size_t>(q[1])],
               &c = mesh.points[static_cast<std::size_t>(q[2])];
    const Vec3 w = closestOnTriangle(p, a, b, c);
    triangles = std::min(triangles, (w[0] * a + w[1] * b + w[2] * c - p).norm());
  }
  for (int e : part.faces[static_cast<std::size_t>(face)].edges)
    edges = std::min(edges, (part.shape->projectToEdge(e, p).point - p).norm());
  return edges > tolerance && triangles > 0.5 * edges;
}

} // namespace

bool facesTouchNear(const Part& part, int a, int b, const Vec3& place, double reach) {
  return touchNear(*part.shape, a, b, place, reach, 1e-6 * part.diagonal()).has_value();
}

std::optional<Problem> touchingFaces(const Part& part, const SurfaceMesh& mesh,
                                     const std::vector<CrossingPair>& crossings, const Progress& progress) {
  const double tolerance = 1e-6 * part.diagonal();
  // A face whose own triangles cross may do so since it touches another one there.
  struct Suspect {
    const CrossingPair* crossing;
    int other; ///< the face that no triangle of the crossing is on: it has to be there then; else -1
  };
  std::map<std::pair<int, int>, std::vector<Suspect>> ofFaces;
  for (const CrossingPair& c : crossings) {
    const int a = mesh.face[static_cast<std::size_t>(c.a)], b = mesh.face[static_cast<std::size_t>(c.b)];
    if (a != b)
      ofFaces[std::minmax(a, b)].push_back({&c, -1});
    else
      for (int f = 0; f < static_cast<int>(part.faces.size()); ++f) {
        const double reach = longestSide(mesh, c);
        if (f != a && part.faces[static_cast<std::size_t>(f)].box.distance2(c.at) < reach * reach)
          ofFaces[std::minmax(a, f)].push_back({&c, f});
      }
  }
  Problem p;
  std::size_t pairs = 0;
  for (const auto& [faces, list] : ofFaces) {
    progress.check();
    const std::vector<int> shared = sharedEdges(part, faces.first, faces.second);
    std::optional<Vec3> first;
    bool twice = false;
    const std::size_t tries = std::min(list.size(), kTries);
    for (std::size_t k = 0; k < tries && !twice; ++k) {
      const auto& [crossing, other] = list[k * list.size() / tries];
      const CrossingPair& c = *crossing;
      const double reach = longestSide(mesh, c);
      const auto touch = touchNear(*part.shape, faces.first, faces.second, c.at, reach, tolerance);
      if (!touch) continue;
      auto near = [&](int e) {
        return (part.shape->projectToEdge(e, touch->at).point - touch->at).norm() < kAtEdge * reach;
      };
      if (!touch->opposed && std::any_of(shared.begin(), shared.end(), near)) continue;
      if (other >= 0 && beyondEnds(part, mesh, other, touch->at, 0.05 * reach)) continue;
      if (!first)
        first = touch->at;
      else
        twice = (touch->at - *first).norm() > std::min(reach, kApart * part.diagonal());
    }
    spdlog::debug("faces {} and {}: {} crossings, touching {}{}", faces.first + 1, faces.second + 1, list.size(),
                  first.has_value(), twice ? ", in a line" : "");
    if (!twice) continue;
    ++pairs;
    if (pairs <= 3)
      p.where += (p.where.empty() ? "" : "; ") + std::string("faces ") + std::to_string(faces.first + 1) + " and " +
                 std::to_string(faces.second + 1) + " at " + formatPoint(*first) + " " + part.unit;
    p.places.push_back(*first);
    p.faces.push_back(faces.first);
    p.faces.push_back(faces.second);
  }
  if (pairs == 0) return {};
  p.fault = Fault::Input;
  p.code = "part.touching-line";
  p.what = std::to_string(pairs) + (pairs == 1 ? " pair" : " pairs") + " of faces touch along a line";
  p.why = "flat triangles of two faces that hug each other run through each other along such a line, however small "
          "they are";
  p.todo = "leave a gap between the bodies, or let them share a narrow face there";
  return p;
}

} // namespace tess
