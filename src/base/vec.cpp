// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/vec.h"

namespace tess {

double closestOnSegment(const Vec3& p, const Vec3& a, const Vec3& b) {
  Vec3 d = b - a;
  double l2 = d.squaredNorm();
  if (l2 <= 0) return 0;
  return std::clamp((p - a).dot(d) / l2, 0.0, 1.0);
}

Vec3 closestOnTriangle(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c) {
  // Project on the plane; when the projection falls outside, the answer lies on one of the three sides.
  Vec3 n = (b - a).cross(c - a);
  double n2 = n.squaredNorm();
  if (n2 > 0) {
    double wa = n.dot((c - b).cross(p - b)) / n2;
    double wb = n.dot((a - c).cross(p - c)) / n2;
    double wc = 1 - wa - wb;
    if (wa >= 0 && wb >= 0 && wc >= 0) return {wa, wb, wc};
  }
  const Vec3* v[3] = {&a, &b, &c};
  double best = std::numeric_limits<double>::max();
  Vec3 w(1, 0, 0);
  for (int i = 0; i < 3; ++i) {
    int j = (i + 1) % 3;
    double t = closestOnSegment(p, *v[i], *v[j]);
    double d2 = (p - (*v[i] + t * (*v[j] - *v[i]))).squaredNorm();
    if (d2 < best) {
      best = d2;
      w = Vec3::Zero();
      w[i] = 1 - t;
      w[j] = t;
    }
  }
  return w;
}

double rayTriangle(const Vec3& from, const Vec3& along, const Vec3& a, const Vec3& b, const Vec3& c) {
  Vec3 u = b - a, v = c - a, p = along.cross(v);
  double det = u.dot(p);
  if (det == 0) return -1;
  Vec3 s = from - a, q = s.cross(u);
  double x = s.dot(p) / det, y = along.dot(q) / det;
  constexpr double kBorder = 1e-9; // a ray through a common edge must not slip between two triangles
  if (x < -kBorder || y < -kBorder || x + y > 1 + kBorder) return -1;
  return v.dot(q) / det;
}

} // namespace tess
