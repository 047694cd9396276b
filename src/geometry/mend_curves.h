// SPDX-License-Identifier: GPL-3.0-or-later
// Mends faces whose edges are right in space but lie elsewhere in the parameter plane.
#pragma once
#include <TopoDS_Shape.hxx>

namespace tess {
/// The curves that edges have in the parameter planes of their faces are made by the kernel where a file has none. On
/// surfaces of revolution it may take the opposite side, or another turn round the axis, and then widens the edge's
/// tolerance until both agree, up to the size of the face. Such curves are made anew from the edges in space, and the
/// tolerances of the edges and vertices concerned are what they need to be. `tolerance`: how far an edge may stray from
/// its face before that is done. Returns the number of faces mended; a face that does not come out better stays.
int mendParameterCurves(const TopoDS_Shape& shape, double tolerance);
} // namespace tess
