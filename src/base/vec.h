// SPDX-License-Identifier: GPL-3.0-or-later
// Points, boxes and small vector helpers shared by all modules. Lengths are in the part's unit unless a name says more.
#pragma once
#include <Eigen/Core>
#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cstdint>
#include <limits>
#include <vector>

namespace tess {

using Vec3 = Eigen::Vector3d;
using Vec2 = Eigen::Vector2d;

constexpr double kPi = 3.14159265358979323846;

/// Axis-aligned box; starts empty (lo > hi).
struct Box {
  Vec3 lo = Vec3::Constant(std::numeric_limits<double>::max());
  Vec3 hi = Vec3::Constant(-std::numeric_limits<double>::max());
  void add(const Vec3& p) {
    lo = lo.cwiseMin(p);
    hi = hi.cwiseMax(p);
  }
  void add(const Box& b) {
    lo = lo.cwiseMin(b.lo);
    hi = hi.cwiseMax(b.hi);
  }
  void grow(double by) {
    lo.array() -= by;
    hi.array() += by;
  }
  bool empty() const { return lo.x() > hi.x(); }
  Vec3 size() const { return empty() ? Vec3(0, 0, 0) : Vec3(hi - lo); }
  Vec3 center() const { return 0.5 * (lo + hi); }
  double diagonal() const { return size().norm(); }
  bool contains(const Vec3& p) const { return (p.array() >= lo.array()).all() && (p.array() <= hi.array()).all(); }
  bool overlaps(const Box& b) const { return (lo.array() <= b.hi.array()).all() && (b.lo.array() <= hi.array()).all(); }
  /// Squared distance from p to the box, 0 inside.
  double distance2(const Vec3& p) const { return (lo - p).cwiseMax(p - hi).cwiseMax(0.0).squaredNorm(); }
};

inline double triangleArea(const Vec3& a, const Vec3& b, const Vec3& c) { return 0.5 * (b - a).cross(c - a).norm(); }
inline Vec3 triangleNormal(const Vec3& a, const Vec3& b, const Vec3& c) {
  Vec3 n = (b - a).cross(c - a);
  double l = n.norm();
  return l > 0 ? Vec3(n / l) : Vec3(0, 0, 0);
}
/// Signed volume; positive when d lies on the side to which the normal of (a, b, c) points.
inline double tetVolume(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  return (b - a).cross(c - a).dot(d - a) / 6.0;
}
/// Parameter t >= 0 at which the ray from + t * along meets the triangle, borders included; negative when it does not
/// (Möller & Trumbore 1997).
double rayTriangle(const Vec3& from, const Vec3& along, const Vec3& a, const Vec3& b, const Vec3& c);
/// Closest point of triangle (a, b, c) to p, as barycentric weights.
Vec3 closestOnTriangle(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c);
/// Closest point of segment (a, b) to p, as parameter in [0, 1].
double closestOnSegment(const Vec3& p, const Vec3& a, const Vec3& b);

} // namespace tess
