// SPDX-License-Identifier: GPL-3.0-or-later
// Limit sets as files that teams share: a TOML text (`*.limits`) with a list of limits and the source of each.
#pragma once
#include "audit/audit.h"

namespace tess {

/// Reads a set; cells of limits at groups are left to atGroups(). Fails with the line or the limit at fault.
Result<LimitSet> parseLimits(const std::string& text, const std::string& path);
Result<LimitSet> loadLimits(const std::string& path);
/// The set as such a text; parseLimits() gives the same set back.
std::string limitsText(const LimitSet& set);
std::optional<Problem> saveLimits(const LimitSet& set, const std::string& path);
/// A set by its name, or from a file when the name ends in ".limits". Multiples of the target size judge nothing.
Result<LimitSet> limitsByName(const std::string& nameOrFile);
/// Word of an element type in such a file: "tet4", "hex8", ...
std::string elementWord(ElementType type);

} // namespace tess
