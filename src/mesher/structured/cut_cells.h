// SPDX-License-Identifier: GPL-3.0-or-later
// Rows and layers as regular tetrahedra. Nodes are ranked along one direction, and every quadrilateral is cut by the
// diagonal from its first node: cells that share it agree, in whatever body they are (Dompierre et al. 1999). In a
// grid the diagonals come out all alike.
#pragma once
#include "mesher/structured/mapped_fill.h"

namespace tess {

/// Cuts hexahedra into six tetrahedra and wedges into three. Quadrilaterals of faces that are not to be cut (`cut`, per
/// part face) stay whole: such a cell gets a node in its middle, with pyramids over them. A cell too twisted for that
/// gets one as well. A place where a tetrahedron is inverted all the same; `cells` are of no use then.
std::optional<Vec3> cutIntoTetrahedra(const SurfaceMesh& surface, const std::vector<char>& cut, StructuredCells& cells,
                                      const Progress& progress);

/// Two triangles instead of every quadrilateral of the faces `cut`, by the same diagonals.
void cutQuads(SurfaceMesh& surface, const std::vector<char>& cut);

} // namespace tess
