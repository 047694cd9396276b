// SPDX-License-Identifier: GPL-3.0-or-later
// Meshes of the ends of a stepped body: the edges of all ends, seen along its walls, bound regions of one plane; each
// region has one mesh, which every end above and below it gets.
#pragma once
#include "mesher/surface/surface.h"

namespace tess {

/// Adds the meshes of all ends that have none yet, and what they have in common as SurfaceMesh::stepped, to a surface
/// that has the walls and the meshes of given ends. `faces`: with the side of the tetrahedra. A problem `fill.face`
/// where edges cross, or cells would be folded; `mesh` is of no use then. Triangles that stay among quadrilaterals are
/// a finding in `said`.
std::optional<Problem> addSteppedFaces(const Part& part, const Sweep& sweep, const std::vector<FacePlan>& faces,
                                       const SizeField& size, SurfaceMesh& mesh, std::vector<Problem>& said,
                                       const Progress& progress);

/// Node of the surface at a level of a pattern's node; -1 where there is none.
int nodeAt(const SteppedCells& pattern, std::size_t node, int level);

/// Moves of some nodes spread to others along the sides of cells by Laplace's equation. What is the same as the last
/// time is not set up again.
class Spreader {
public:
  Spreader();
  ~Spreader();
  /// Places of nodes: `from`, moved by what those that are `fixed` (per node: a place, or null) are off there. Nodes
  /// without cells stay.
  std::vector<Vec3> places(const std::vector<std::array<int, 4>>& cells, const std::vector<Vec3>& from,
                           const std::vector<const Vec3*>& fixed);

private:
  struct System;
  std::unique_ptr<System> m_system;
};

} // namespace tess
