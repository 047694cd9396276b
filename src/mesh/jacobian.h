// SPDX-License-Identifier: GPL-3.0-or-later
// The Jacobian determinant of an element's map over the whole element, bounded by Bernstein coefficients: a polynomial
// lies between the smallest and the largest of them (Johnen, Remacle & Geuzaine 2013). The quadratic pyramid's map is
// rational; over the coordinates (x / (1 - z), y / (1 - z), z) its determinant is a polynomial again.
#pragma once
#include "base/vec.h"
#include "mesh/mesh.h"
#include <array>
#include <span>

namespace tess {

/// Bounds of the determinant over an element, in units of volume: of a cube its volume, of a tetrahedron six times its
/// own. `least` is above 0 only where the determinant is everywhere; where it is at or below 0, the determinant is
/// somewhere, or comes nearer to it than some thousandth of the largest.
struct JacobianRange {
  double least = 0, most = 0;
};
/// Of any volume type but polyhedra; `p`: all its nodes.
JacobianRange jacobianRange(ElementType type, std::span<const Vec3> p);

/// Whether all pyramids from the centre of a polyhedron's volume over its faces stand the right way out.
bool facesLookOut(const Mesh& mesh, std::size_t cell);

/// The 20 Bernstein coefficients of the determinant of a tetrahedron of order 2, a cubic; their mean is six times its
/// volume.
std::array<double, 20> tet10Jacobian(std::span<const Vec3> p);
/// Smallest of them over the determinant of the straight tetrahedron; -1 or less where that is none.
double quadraticValidity(std::span<const Vec3> p);

} // namespace tess
