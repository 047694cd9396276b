// SPDX-License-Identifier: GPL-3.0-or-later
// Moves inner nodes of hexahedra and wedges whose rows or layers came out inverted.
#pragma once
#include "base/progress.h"
#include "base/vec.h"
#include <array>
#include <optional>
#include <vector>

namespace tess {

/// Cells over `fixed` nodes followed by those of `inner`, which may be moved. Where the Jacobian of one is not
/// positive throughout, the nodes around are moved one at a time to where the worst corner of the cells at the node is
/// best. The middle of a cell that stays inverted; nothing when all are positive.
std::optional<Vec3> untangleInside(const std::vector<Vec3>& fixed, std::vector<Vec3>& inner,
                                   const std::vector<std::array<int, 8>>& hexahedra,
                                   const std::vector<std::array<int, 6>>& wedges, const Progress& progress);

} // namespace tess
