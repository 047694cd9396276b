// SPDX-License-Identifier: GPL-3.0-or-later
// Tiny edges and narrow faces, far below the size asked for, are bridged: nodes that face each other across less than
// the tolerance (less where the size asked for is small itself) become one. Lines along a narrow face get matching
// nodes first. Nothing moves by more than the tolerance; faces and edges that carry a group or a rule stay. A slot
// whose floor and ends are bridged stays a slot: its two sides keep nodes of their own.
#pragma once
#include "mesher/surface/surface.h"

namespace tess {

/// Adds to the division of every edge the nodes that lie across a narrow face from nodes of other edges.
/// `division`: per part edge, parameters inside the edge, ascending.
void matchDivisions(const Part& part, const SizeField& size, const MeshPlan& plan, const Tessellation& tess,
                    std::vector<std::vector<double>>& division);

/// Contracts surface edges shorter than the tolerance where the surface stays valid: closed, not folded, and without
/// bringing two sides of material together. `surface` is left as it was when it would cross itself afterwards.
BridgeReport bridgeShortEdges(SurfaceMesh& surface, const Part& part, const SizeField& size, const Bridging& bridging,
                              const Progress& progress);

} // namespace tess
