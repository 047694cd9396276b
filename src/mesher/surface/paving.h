// SPDX-License-Identifier: GPL-3.0-or-later
// Quadrilaterals within loops of nodes: points in rows along a cross field that follows the boundary (packing of
// squares, Baudouin et al. 2014), triangles of them (Remacle et al. 2013), paired by maximum-weight matching on the
// quality of what comes out (Remacle et al. 2012).
#pragma once
#include "mesher/plan/plan.h"
#include "mesher/surface/smooth_face.h"
#include <functional>
#include <optional>
#include <unordered_map>

namespace tess {

using NodeLoops = std::vector<std::vector<int>>; ///< closed, the region to the left

/// Places inside a flat region (z = 0) for points of right-angled triangles of legs `size`, in rows that begin at the
/// boundary. `points` holds the nodes of the loops. O(places x nodes of the loops).
std::vector<Vec3> placesInRows(const std::vector<Vec3>& points, const NodeLoops& loops,
                               const std::function<double(const Vec3&)>& size, const Progress& progress);

/// Nodes that lie between those of a side on the boundary, by edgeKey of these.
using SideMiddles = std::unordered_map<std::uint64_t, int>;
/// Of sides between every second node of loops, from the first on.
SideMiddles middlesOf(const NodeLoops& loops);

/// FaceCells::straight of nodes on loops.
std::vector<char> straightNodes(const std::vector<Vec3>& points, const NodeLoops& loops);

/// Makes quadrilaterals of pairs of the cells' triangles where they come out convex and well shaped, with what lies
/// between their nodes on the boundary. Diagonals are turned first so that no triangle ends at both sides of a straight
/// node; inner nodes with two quadrilaterals alone are taken out.
void pairTriangles(FaceCells& cells, const SideMiddles& middles);

/// Every quadrilateral becomes four and every triangle three, by the middles of their sides: those given, others on
/// chords.
void halveCells(FaceCells& cells, const SideMiddles& middles);

/// Quadrilaterals (`all`) or mostly such within loops that lie in a plane: `base` holds the nodes of the loops, with
/// the plane's normal. Every loop needs an even number of nodes, and six, for `all`. None where the loops cross, or the
/// cells come out folded.
std::optional<FaceCells> pavedPlane(const FaceCells& base, const NodeLoops& loops, bool all,
                                    const std::function<double(const Vec3&)>& size, const Progress& progress);

/// As ends are made: quadrilaterals, or mostly such where these come out folded; mostly such; or triangles, every
/// quadrilateral of which is cut along its shorter diagonal.
std::optional<FaceCells> pavedPlane(const FaceCells& base, const NodeLoops& loops, Across across,
                                    const std::function<double(const Vec3&)>& size, const Progress& progress);

/// Every quadrilateral becomes two triangles, over its shorter diagonal.
void cutQuads(FaceCells& cells);

/// Loops of every second node, those with the sharper corners; turns `loops` so that these come first.
NodeLoops everySecond(const std::vector<Vec3>& points, NodeLoops& loops);
constexpr double kFoldedCorner = 0.05; ///< smallest sine of a corner of what was paved
bool mayHalve(
    const NodeLoops& loops); ///< whether loops have even counts, and enough for a triangle of every second node

} // namespace tess
