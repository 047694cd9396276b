// SPDX-License-Identifier: GPL-3.0-or-later
// Changes the order of the elements of a finished mesh: mid nodes are added on straight edges, or left out.
#pragma once
#include "base/problem.h"
#include "mesh/mesh.h"

namespace tess {

/// Makes elements of the given order (1 or 2) out of those chosen (empty: all); faces and sets follow. Elements that
/// share an edge must have the same order, or one would have a mid node that the other lacks: a choice that ends at a
/// neighbour of the other order is refused with a place, and so are polyhedra. `mesh` is unchanged then.
std::optional<Problem> changeOrder(Mesh& mesh, int order, const std::vector<char>& only = {});

} // namespace tess
