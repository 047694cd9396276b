// SPDX-License-Identifier: GPL-3.0-or-later
// Pyramids between quadrilaterals and tetrahedra. Each quadrilateral stands in the surface as two triangles whose
// diagonal bulges into the tetrahedra; a point just inside that diagonal's star makes a valid pyramid in every
// arrangement (after Owen & Saigal 2000), and is lifted from there.
#pragma once
#include "mesher/tets/tet.h"

namespace tess {

/// A pyramid: in the tetrahedra it stands as two, on both sides of the base's diagonal, whose faces are locked.
struct Joint {
  std::array<int, 4> base; ///< counter-clockwise seen from the apex
  int apex = -1;
  int body = -1;
};

/// Puts an apex over every quadrilateral of the surface, on each side where tetrahedra of a body are. The surface's
/// triangles must stand in the core. Throws Cancelled on a stop.
std::vector<Joint> makeJoints(TetCore& core, const SurfaceMesh& surface, const Progress& progress);

/// Once the tetrahedra are improved: apexes are moved where that lifts the worst of pyramid and tetrahedra around.
void liftApexes(TetCore& core, const std::vector<Joint>& joints, const Progress& progress);

/// Smallest scaled Jacobian of a pyramid's base corners; 1 for the one of equal edges.
double pyramidShape(const std::array<Vec3, 4>& base, const Vec3& apex);

double pyramidShape(const TetCore& core, const Joint& joint);

} // namespace tess
