// SPDX-License-Identifier: GPL-3.0-or-later
// How many elements stand along edges that must have equal counts.
#pragma once
#include "base/problem.h"
#include "geometry/part.h"
#include "size/edge_wishes.h"
#include "size/size_field.h"

namespace tess {

/// Elements per part edge, 0 for edges of no class (`classOf` -1). An exact division holds; of several that differ the
/// finest does, and a finding says so; one that is
/// `given` (elements per part edge, 0 for none; may be empty) overrules them all. Else the count with the least largest
/// ratio to what the size asks for along each edge of the class. `atLeast`: per class, a bound from below; may be
/// empty.
std::vector<int> edgeCounts(const Part& part, const SizeField& size, const EdgeDivisions& divisions,
                            const std::vector<int>& classOf, int classes, const std::vector<int>& atLeast,
                            const std::vector<int>& given, std::vector<Problem>& said);

} // namespace tess
