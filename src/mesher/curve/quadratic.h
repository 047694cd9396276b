// SPDX-License-Identifier: GPL-3.0-or-later
// Mid nodes on the true geometry.
#pragma once
#include "base/problem.h"
#include "base/progress.h"
#include "geometry/part.h"
#include "mesh/jacobian.h"
#include "mesh/mesh.h"

namespace tess {

/// Mid nodes on the boundary, and those of them that could not stay on the geometry.
struct CurveStats {
  int straightened = 0, boundary = 0;
  double offset = 0;        ///< largest distance of a straightened one from the true surface or edge
  std::vector<Vec3> places; ///< of the first 50
};

/// Turns linear cells into quadratic ones: mid nodes on the true edges and faces; where an element would be inverted
/// anywhere (Bernstein coefficients of its Jacobian; Johnen, Remacle & Geuzaine 2013), its mid nodes are drawn back
/// towards their chords, inner ones first, until all coefficients are positive.
CurveStats makeQuadratic(Mesh& mesh, const Part& part, Progress& progress);

/// What is said about mid nodes that could not stay on the geometry; nothing when all could.
std::optional<Problem> straightenedProblem(const CurveStats& stats, const std::string& unit);

} // namespace tess
