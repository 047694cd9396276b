// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/touching.h"
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

} // namespace

std::optional<Problem> touchingFaces(const Part& part, const SurfaceMesh& mesh,
                                     const std::vector<CrossingPair>& crossings, bool atEdges,
                                     const Progress& progress) {
  const double tolerance = 1e-6 * part.diagonal();
  // A face whose own triangles cross may do so since it touches another one there.
  std::map<std::pair<int, int>, std::vector<const CrossingPair*>> ofFaces;
  for (const CrossingPair& c : crossings) {
    const int a = mesh.face[static_cast<std::size_t>(c.a)], b = mesh.face[static_cast<std::size_t>(c.b)];
    if (a != b)
      ofFaces[std::minmax(a, b)].push_back(&c);
    else
      for (int f = 0; f < static_cast<int>(part.faces.size()); ++f) {
        const double reach = longestSide(mesh, c);
        if (f != a && part.faces[static_cast<std::size_t>(f)].box.distance2(c.at) < reach * reach)
          ofFaces[std::minmax(a, f)].push_back(&c);
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
      const CrossingPair& c = *list[k * list.size() / tries];
      const double reach = longestSide(mesh, c);
      const auto touch = touchNear(*part.shape, faces.first, faces.second, c.at, reach, tolerance);
      if (!touch) continue;
      auto near = [&](int e) {
        return (part.shape->projectToEdge(e, touch->at).point - touch->at).norm() < kAtEdge * reach;
      };
      if (!(atEdges && touch->opposed) && std::any_of(shared.begin(), shared.end(), near)) continue;
      if (!first)
        first = touch->at;
      else
        twice = (touch->at - *first).norm() > reach;
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
