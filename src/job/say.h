// SPDX-License-Identifier: GPL-3.0-or-later
// A line as a person types it, understood as a rule: "size 1.2 mm on bolt holes", "3 through walls", "everywhere 4 mm".
#pragma once
#include "job/groups.h"

namespace tess {

struct Said {
  std::string kind;
  std::map<std::string, std::string> values; ///< what the line names, by slot; the rest is left to the caller
};

/// The rule that a line means, or what stands in the way. Lines begin with the name of a rule, or are a length ("1.2 mm
/// on feet") or a number of elements through something ("2 through gaps"), or "all hexahedra"; after the last " on " or
/// " at " stands a group or "everywhere". Case does not count. Lengths in `unit` where none is given.
Result<Said> understand(const std::string& line, const std::vector<std::string>& groups, const std::string& unit);

} // namespace tess
