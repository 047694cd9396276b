// SPDX-License-Identifier: GPL-3.0-or-later
// Length units and texts such as "2 mm", "0.05 in", "1/8 in". A bare number is in the part's unit.
#pragma once
#include "base/problem.h"
#include <string>
#include <string_view>

namespace tess {

/// Millimetres per unit, or nothing when the unit is unknown.
std::optional<double> millimetresPer(std::string_view unit);
/// The unit that lengths in `unit` are in once their numbers were multiplied by `factor`: "mm" times 0.001 is "m".
/// Empty where that is no unit of its own.
std::string unitScaled(std::string_view unit, double factor);
/// Length in the part's unit (`partUnit` is a unit name). Accepts + - * / and brackets over numbers with units.
Result<double> parseLength(std::string_view text, std::string_view partUnit);
/// Number without a unit, with the same arithmetic; "6 mm / 2 mm" is one.
Result<double> parseNumber(std::string_view text);
/// Names that millimetresPer knows, most usual first.
const std::vector<std::string>& unitNames();

} // namespace tess
