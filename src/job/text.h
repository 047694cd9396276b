// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

namespace tess {

/// Without white space at either end.
inline std::string trimmed(const std::string& s) {
  const auto b = s.find_first_not_of(" \t\n"), e = s.find_last_not_of(" \t\n");
  return b == std::string::npos ? "" : s.substr(b, e - b + 1);
}

/// "12 345 678".
inline std::string grouped(std::size_t n) {
  std::string s = std::to_string(n);
  for (int i = static_cast<int>(s.size()) - 3; i > 0; i -= 3) s.insert(static_cast<std::size_t>(i), " ");
  return s;
}

} // namespace tess
