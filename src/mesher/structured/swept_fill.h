// SPDX-License-Identifier: GPL-3.0-or-later
// Layers of wedges and hexahedra between two ends of one pattern.
#pragma once
#include "mesher/structured/mapped_fill.h"
#include "size/size_field.h"

namespace tess {

/// Every layer lies where the walls' rows are; inside it the source's pattern is carried there from both ends and
/// blended (Knupp 1998). Nodes are moved where a cell would be inverted. A problem `fill.inverted` where one stays so;
/// `surface` is not changed.
/// One that closes on itself has its profile paved by `size` at one place and carried round.
Result<StructuredCells> fillSwept(const Part& part, const Sweep& sweep, const SurfaceMesh& surface,
                                  const SizeField& size, const Progress& progress);

} // namespace tess
