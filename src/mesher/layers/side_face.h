// SPDX-License-Identifier: GPL-3.0-or-later
// The triangles of a face at which stacks of layers end: they leave the band along its rim to the layers.
#pragma once
#include "mesher/surface/surface.h"
#include <optional>

namespace tess {

/// What lies inside the new outline, directed edges with the face to their left as seen from in front. Nodes of the
/// face inside it that are far enough from it are taken over from `triangles`, which the face had before; near the
/// outline they move in `points`, and lie on the face. Nothing where the outline crosses itself or the face turns too
/// much.
std::optional<std::vector<std::array<int, 3>>> fillWithin(const Part& part, int face,
                                                          const std::vector<std::array<int, 3>>& triangles,
                                                          const std::vector<std::array<int, 2>>& outline,
                                                          std::vector<Vec3>& points);

} // namespace tess
