// SPDX-License-Identifier: GPL-3.0-or-later
// Whole-file reading and atomic writing: a temporary file beside the target, flushed to disk, then renamed.
#pragma once
#include "base/problem.h"
#include <string>

namespace tess {
std::optional<Problem> writeFileAtomic(const std::string& path, const std::string& content);
Result<std::string> readFile(const std::string& path);
} // namespace tess
