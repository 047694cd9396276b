// SPDX-License-Identifier: GPL-3.0-or-later
// How many elements stand along edges that must have equal counts.
#pragma once
#include "base/problem.h"
#include "geometry/part.h"
#include "size/edge_wishes.h"
#include "size/size_field.h"

namespace tess {

/// Elements per part edge, 0 for edges of no class (`classOf` -1). What an edge has already (`given`, 0 for none;
/// may be empty) holds, then an exact division; of several that differ the finest does, and a finding says so. Else the
/// count with the least largest ratio to what the size asks for along each edge of the class.
std::vector<int> edgeCounts(const Part& part, const SizeField& size, const EdgeDivisions& divisions,
                            const std::vector<int>& classOf, int classes, const std::vector<int>& given,
                            std::vector<Problem>& said);

} // namespace tess
