// SPDX-License-Identifier: GPL-3.0-or-later
// orient3d() of base/predicates.h for loops that want its first filter among their own instructions.
#pragma once
#include "base/predicates.h"
#include <cmath>

namespace tess {

/// The rest of orient3d(), where the filter decides nothing. `permanent`: see there.
double orient3dBeyondFilter(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, double permanent);

/// As orient3d().
inline double orient3dInline(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  constexpr double eps = 1.1102230246251565e-16; // 2^-53
  constexpr double share = (7.0 + 56.0 * eps) * eps;
  const double ux = b.x() - a.x(), uy = b.y() - a.y(), uz = b.z() - a.z();
  const double vx = c.x() - a.x(), vy = c.y() - a.y(), vz = c.z() - a.z();
  const double wx = d.x() - a.x(), wy = d.y() - a.y(), wz = d.z() - a.z();
  const double vywz = vy * wz, vzwy = vz * wy, vzwx = vz * wx, vxwz = vx * wz, vxwy = vx * wy, vywx = vy * wx;
  const double det = ux * (vywz - vzwy) + uy * (vzwx - vxwz) + uz * (vxwy - vywx);
  const double permanent = std::abs(ux) * (std::abs(vywz) + std::abs(vzwy)) +
                           std::abs(uy) * (std::abs(vzwx) + std::abs(vxwz)) +
                           std::abs(uz) * (std::abs(vxwy) + std::abs(vywx));
  if (std::abs(det) > share * permanent) [[likely]]
    return det;
  return orient3dBeyondFilter(a, b, c, d, permanent);
}

} // namespace tess
