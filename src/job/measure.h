// SPDX-License-Identifier: GPL-3.0-or-later
// Measures on the part: of one entity its length, radius, area, volume, thickness; of two their distance and angle.
#pragma once
#include "base/progress.h"
#include "geometry/part.h"
#include "size/opposite.h"

namespace tess {

struct Measure {
  std::string name; ///< "length", "diameter", ...
  double value = 0; ///< in the part's unit to the power of `dim`; degrees for angles
  int dim = 1;      ///< 1 length, 2 area, 3 volume, 0 angle
  /// With its unit, for people.
  std::string text(const std::string& unit) const;
};

/// What can be measured on up to two entities of one kind; of more, only sums (length, area, volume). Distances are the
/// smallest between the entities. Thickness is that of the wall behind the middle of a face, when something lies
/// opposite. Cost of a distance between faces: their display triangles.
/// `opposite`: of this part, for those who measure again and again; making it takes longer than all else.
/// Throws Cancelled on a stop.
std::vector<Measure> measure(const Part& part, Dim dim, const std::vector<int>& entities,
                             const Progress* progress = nullptr, const OppositeFaces* opposite = nullptr);

} // namespace tess
