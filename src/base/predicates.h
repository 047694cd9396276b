// SPDX-License-Identifier: GPL-3.0-or-later
// Exact signs of geometric determinants: floating-point filter first, expansion arithmetic when the filter cannot
// decide (Shewchuk 1997). Ties of the in-sphere test are broken by a symbolic perturbation of the lifted coordinate
// (Edelsbrunner & Mücke 1990; Devillers & Teillaud 2003). Coordinates must be finite and below 1e60 in size.
#pragma once
#include "base/vec.h"

namespace tess {

/// Sign of the volume of (a, b, c, d): > 0 when d is on the side to which the normal of a, b, c points; 0 exactly flat.
/// The magnitude is 6 x volume where the filter decides, otherwise only the sign is meaningful.
double orient3d(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d);

/// > 0 when e lies inside the circumsphere of the positively oriented tetrahedron (a, b, c, d); 0 exactly on it.
double insphere(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e);

/// As insphere, but never 0: ties are decided by the distinct integer ids of the five points.
int insphereSos(const Vec3* const p[5], const std::uint32_t id[5]);

/// Sign of the 2D orientation of three points projected along coordinate axis `drop` (0, 1 or 2), exact.
double orient2d(const Vec3& a, const Vec3& b, const Vec3& c, int drop);

} // namespace tess
