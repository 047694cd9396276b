// SPDX-License-Identifier: GPL-3.0-or-later
// Bodies that are turned about an axis which runs through them.
#pragma once
#include "mesher/plan/plan.h"
#include "mesher/surface/surface.h"

namespace tess {

/// Rings one after the other between two faces of one loop each, all about one axis; or walls of four sides between two
/// of three, all between the same two planes, which meet along the axis. Nothing where it is neither.
std::optional<Fit> fitAboutAxis(const Part& part, int body, const BodyLoops& loops);

struct StructuredCells;
/// Layers of the profile from station to station, and of the core from pole to pole. Not looked at for inverted cells.
StructuredCells fillAboutAxis(const Sweep& sweep, const SurfaceMesh& surface, const Progress& progress);

} // namespace tess
