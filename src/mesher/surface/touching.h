// SPDX-License-Identifier: GPL-3.0-or-later
// Faces that touch along a line, as a ball in a groove of its own radius does. However
// fine their triangles are, those of two hollow and round partners run through each other along such a line, so that
// the part has to be changed; the surface mesher asks here before it makes its triangles finer in vain.
#pragma once
#include "base/problem.h"
#include "geometry/part.h"
#include "mesher/surface/surface.h"

namespace tess {

/// The pairs of faces that touch, among those at which triangles cross; nothing when there is none. Two faces touch
/// where their distance falls to a millionth of the part's diagonal with tangent planes that agree, in two places at
/// least that are apart; at an edge they share only when they look at each other, or the one
/// would just continue the other. Found from each crossing by steps to a double root of the signed distance. Throws
/// Cancelled on a stop.
std::optional<Problem> touchingFaces(const Part& part, const SurfaceMesh& mesh,
                                     const std::vector<CrossingPair>& crossings, const Progress& progress);

/// Whether two faces touch within `reach` of a place, tangent planes agreeing.
bool facesTouchNear(const Part& part, int a, int b, const Vec3& place, double reach);

} // namespace tess
