// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/measure.h"
#include "job/groups.h"
#include <cmath>
#include <optional>

namespace tess {
namespace {

const PartFace& faceOf(const Part& part, int f) { return part.faces[static_cast<std::size_t>(f)]; }
const PartEdge& edgeOf(const Part& part, int e) { return part.edges[static_cast<std::size_t>(e)]; }

/// Chord points of an edge; fine enough for its display.
std::vector<Vec3> pointsOf(const Part& part, Dim dim, int entity) {
  std::vector<Vec3> r;
  const auto& t = part.display;
  if (dim == Dim::Point)
    r.push_back(part.points[static_cast<std::size_t>(entity)].at);
  else if (dim == Dim::Edge)
    for (int v : t.edgeChain[static_cast<std::size_t>(entity)]) r.push_back(t.points[static_cast<std::size_t>(v)]);
  else
    for (std::size_t i = 0; i < t.triangles.size(); ++i) {
      int f = t.triangleFace[i];
      bool in =
          dim == Dim::Face ? f == entity : faceOf(part, f).bodies[0] == entity || faceOf(part, f).bodies[1] == entity;
      if (!in) continue;
      Vec3 mid = Vec3::Zero();
      for (int v : t.triangles[i]) {
        r.push_back(t.points[static_cast<std::size_t>(v)]);
        mid += t.points[static_cast<std::size_t>(v)] / 3;
      }
      r.push_back(mid);
    }
  return r;
}

/// The nearest point of an entity on its true shape.
Vec3 onEntity(const Part& part, Dim dim, int entity, const Vec3& p) {
  if (dim == Dim::Point) return part.points[static_cast<std::size_t>(entity)].at;
  if (dim == Dim::Edge) return part.shape->projectToEdge(entity, p).point;
  return part.shape->projectToFace(entity, p).point;
}

/// Smallest distance of two entities: from the sample points of each to the other, then by projecting to and fro on
/// the true shapes, which ends at the common normal.
double distanceBetween(const Part& part, Dim dim, int a, int b, const Progress* progress) {
  double best = std::numeric_limits<double>::infinity();
  Vec3 from = Vec3::Zero();
  for (int way : {0, 1})
    for (const Vec3& p : pointsOf(part, dim, way ? b : a)) {
      if (progress) progress->check();
      double d = distanceToEntity(part, dim, way ? a : b, p);
      if (d < best) best = d, from = p;
    }
  if (dim == Dim::Body || best == 0) return best;
  Vec3 x = onEntity(part, dim, a, from), y = onEntity(part, dim, b, x);
  for (int k = 0; k < 50; ++k) {
    Vec3 x2 = onEntity(part, dim, a, y), y2 = onEntity(part, dim, b, x2);
    bool still = (x2 - x).norm() + (y2 - y).norm() < 1e-12 * part.diagonal();
    x = x2, y = y2;
    if (still) break;
  }
  // Projections know no trimming: a pair that left the faces is not believed.
  const double slack = 1e-3 * part.diagonal();
  if (distanceToEntity(part, dim, a, x) > slack || distanceToEntity(part, dim, b, y) > slack) return best;
  return (x - y).norm();
}

/// Straight edges have a direction, others none.
std::optional<Vec3> directionOf(const Part& part, Dim dim, int e) {
  if (dim == Dim::Face) {
    if (faceOf(part, e).kind == SurfaceKind::Plane || faceOf(part, e).kind == SurfaceKind::Cylinder ||
        faceOf(part, e).kind == SurfaceKind::Cone)
      return faceOf(part, e).axis.normalized();
    return {};
  }
  if (dim != Dim::Edge) return {};
  const auto& edge = edgeOf(part, e);
  Vec3 chord = part.shape->edgePoint(e, edge.t1) - part.shape->edgePoint(e, edge.t0);
  if (chord.norm() < (1 - 1e-9) * edge.length || edge.length <= 0) return {};
  return chord.normalized();
}

double edgeRadius(const Part& part, int e) {
  const auto& edge = edgeOf(part, e);
  double k[3];
  for (int i = 0; i < 3; ++i) k[i] = part.shape->edgeCurvature(e, edge.t0 + (0.2 + 0.3 * i) * (edge.t1 - edge.t0));
  double lo = std::min({k[0], k[1], k[2]}), hi = std::max({k[0], k[1], k[2]});
  return hi * part.diagonal() > 1e-3 && hi - lo < 1e-6 * hi ? 1 / k[1] : 0;
}

} // namespace

std::string Measure::text(const std::string& unit) const {
  std::string number = formatNumber(value, 5);
  if (dim == 0) return number + " deg";
  return number + " " + unit + (dim == 2 ? "^2" : dim == 3 ? "^3" : "");
}

std::vector<Measure> measure(const Part& part, Dim dim, const std::vector<int>& entities, const Progress* progress,
                             const OppositeFaces* opposite) {
  std::vector<Measure> r;
  std::optional<OppositeFaces> own;
  if (entities.empty()) return r;
  const int e = entities[0];
  double sum = 0;
  for (int i : entities) {
    if (dim == Dim::Edge) sum += edgeOf(part, i).length;
    if (dim == Dim::Face) sum += faceOf(part, i).area;
    if (dim == Dim::Body) sum += part.bodies[static_cast<std::size_t>(i)].volume;
  }
  if (entities.size() == 1 && dim == Dim::Face && faceOf(part, e).radius > 0)
    r.push_back({"diameter", 2 * faceOf(part, e).radius, 1});
  if (entities.size() == 1 && dim == Dim::Edge)
    if (double radius = edgeRadius(part, e); radius > 0) r.push_back({"diameter", 2 * radius, 1});
  if (entities.size() == 2) {
    r.push_back({"distance", distanceBetween(part, dim, e, entities[1], progress), 1});
    auto u = directionOf(part, dim, e), v = directionOf(part, dim, entities[1]);
    if (u && v) {
      // Between lines, axes and planes alike: from 0 to 90 degrees.
      bool mixed = dim == Dim::Face && (faceOf(part, e).kind == SurfaceKind::Plane) !=
                                           (faceOf(part, entities[1]).kind == SurfaceKind::Plane);
      double angle = std::atan2(u->cross(*v).norm(), std::abs(u->dot(*v))) * 180 / kPi;
      r.push_back({"angle", mixed ? 90 - angle : angle, 0});
    }
  }
  if (dim == Dim::Edge) r.push_back({"length", sum, 1});
  if (dim == Dim::Face) {
    if (entities.size() == 1)
      for (int body : faceOf(part, e).bodies)
        if (body >= 0) {
          if (!opposite) opposite = &own.emplace(part);
          const auto hit = opposite->cast(e, typicalPoint(part, Dim::Face, e), body, part.diagonal());
          if (hit.found()) r.push_back({"thickness", hit.distance, 1});
        }
    r.push_back({"area", sum, 2});
    if (r.empty() || r[0].name != "diameter") r.push_back({"equivalent diameter", 2 * std::sqrt(sum / kPi), 1});
  }
  if (dim == Dim::Body) r.push_back({"volume", sum, 3});
  return r;
}

} // namespace tess
