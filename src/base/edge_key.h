// SPDX-License-Identifier: GPL-3.0-or-later
// Numbers edges between two nodes for maps and sorting.
#pragma once
#include <cstdint>

namespace tess {

/// The same from both ends; sorted by the smaller node, then the larger.
inline std::uint64_t edgeKey(std::int32_t a, std::int32_t b) {
  return a < b ? static_cast<std::uint64_t>(a) << 32 | static_cast<std::uint32_t>(b)
               : static_cast<std::uint64_t>(b) << 32 | static_cast<std::uint32_t>(a);
}

} // namespace tess
