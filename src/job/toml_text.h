// SPDX-License-Identifier: GPL-3.0-or-later
// What briefs and limit files share in reading and writing TOML.
#pragma once
#include "base/problem.h"
#include <string>
#include <toml.hpp>

namespace tess {

/// `failed`: the problem to return, whose `why` will name the line. Texts that are not UTF-8 are refused.
Result<toml::value> parseToml(const std::string& text, const std::string& path, Problem failed);
/// Any value as a text; arrays as a list with commas.
std::string textOf(const toml::value& v);
/// A text as it stands in a file, with quotes.
std::string quoted(const std::string& s);

} // namespace tess
