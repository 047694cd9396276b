// SPDX-License-Identifier: GPL-3.0-or-later
// A first triangulation of a kernel face that the kernel itself finds none for, or one with holes: in the parameter
// plane, between the points that its edges are divided into.
#pragma once
#include <TopoDS_Face.hxx>
#include <functional>
#include <vector>

class TopoDS_Edge;

namespace tess {
/// Puts triangles, and the polygons of the face's edges on them, into the kernel's model as if it had made them.
/// `division` gives the parameters that an edge is divided at, ascending from end to end; all faces at an edge must get
/// the same. Wires need not close in the parameter plane: where two edges share a vertex, a gap between them there is
/// closed. Between the boundary points, points of the surface are put in until chords are within `deflection`.
/// False, and nothing changed, when no plane is found in which the boundary does not cross itself.
bool triangulateFace(const TopoDS_Face& face, double deflection,
                     const std::function<std::vector<double>(const TopoDS_Edge&)>& division);
} // namespace tess
