// SPDX-License-Identifier: GPL-3.0-or-later
// Named values and relative lengths of a brief. A rule of kind `value` gives a text a name ("hole" is "3 mm"); other
// rules and values may use the name in any length, number, angle or place, with arithmetic ("0.4 * hole"). "5 %" is a
// share of the part's diagonal in a length, and of its box along the axis in a place.
#pragma once
#include "geometry/part.h"
#include "job/brief.h"

namespace tess {

/// The brief with names and percentages replaced by what they stand for; rules keep their order. Without a part,
/// shares are taken of a box of size one, which is enough to check the texts. Names that cannot be resolved (unknown,
/// in a circle) stay as they are, so that the check of the slot reports them.
Brief settled(const Brief& brief, const Part* part = nullptr);
/// Text of a slot with names and percentages replaced.
std::string settledText(const Brief& brief, const Slot& slot, const std::string& text, const Part* part = nullptr);
/// What is wrong with the names and texts of the values themselves.
std::vector<Problem> checkValues(const Brief& brief, const std::string& unit);
/// Gives a named value another text: "hole=2 mm". A problem when there is no such value.
std::optional<Problem> setValue(Brief& brief, const std::string& assignment);

} // namespace tess
