// SPDX-License-Identifier: GPL-3.0-or-later
// Shapes of single elements from their corners, four of a type side by side; the definitions stand in docs/metrics.md.
#pragma once
#include "audit/lanes.h"
#include "mesh/element.h"
#include <array>

namespace tess {

struct CellShapes {
  Lanes volume, longest, sum, skewness, aspect, scaledJacobian, minDihedral, maxDihedral, heightRatio;
  Lanes narrowest, widest; ///< corners of the faces, degrees as all angles here
  Lanes volumeSkewness, warpage, taper;
  Lanes least, most; ///< bounds of the Jacobian over the whole straight element
  Lanes leastCorner; ///< Jacobian at corners
  Lanes3 centre;     ///< of its volume, as flow solvers take it
};

CellShapes tetShapes(const std::array<Lanes3, 4>& p);
/// Of pyramids, wedges and hexahedra, by the corners that the type has.
CellShapes solidShapes(ElementType linear, const std::array<Lanes3, 8>& p);

} // namespace tess
