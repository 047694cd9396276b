// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/toml_text.h"
#include "base/units.h"
#include <algorithm>
#include <sstream>

namespace tess {
std::string textOf(const toml::value& v) {
  if (v.is_string()) return v.as_string().str;
  if (v.is_integer()) return std::to_string(v.as_integer());
  if (v.is_floating()) return formatNumber(v.as_floating(), 12);
  if (v.is_boolean()) return v.as_boolean() ? "true" : "false";
  if (v.is_array()) {
    std::string s;
    for (const auto& x : v.as_array()) s += (s.empty() ? "" : ", ") + textOf(x);
    return s;
  }
  std::ostringstream o;
  o << v;
  return o.str();
}

std::string quoted(const std::string& s) {
  std::string r = "\"";
  for (char c : s) {
    if (c == '"' || c == '\\')
      r += '\\', r += c;
    else if (c == '\n')
      r += "\\n";
    else if (c == '\t')
      r += "\\t";
    else if (static_cast<unsigned char>(c) < 32 || c == 127) { // may not stand in a file as they are
      const char* digits = "0123456789ABCDEF";
      r += "\\u00";
      r += digits[static_cast<unsigned char>(c) >> 4];
      r += digits[static_cast<unsigned char>(c) & 15];
    } else
      r += c;
  }
  return r + "\"";
}

namespace {

/// Place of the first byte that is not part of valid UTF-8, or npos. The library behind the brief reads beyond its
/// buffer on such text.
std::size_t firstInvalidUtf8(const std::string& text) {
  for (std::size_t i = 0; i < text.size();) {
    const auto c = static_cast<unsigned char>(text[i]);
    const std::size_t n = c < 0x80                ? 1
                          : c >= 0xc2 && c < 0xe0 ? 2
                          : c >= 0xe0 && c < 0xf0 ? 3
                          : c >= 0xf0 && c < 0xf5 ? 4
                                                  : 0;
    if (!n || i + n > text.size()) return i;
    std::uint32_t code = n == 1 ? c : c & (0x7fu >> n);
    for (std::size_t k = 1; k < n; ++k) {
      const auto b = static_cast<unsigned char>(text[i + k]);
      if ((b & 0xc0) != 0x80) return i;
      code = code << 6 | (b & 0x3f);
    }
    const std::uint32_t least[] = {0, 0, 0x80, 0x800, 0x10000};
    if (code < least[n] || (code >= 0xd800 && code < 0xe000) || code > 0x10ffff) return i;
    i += n;
  }
  return std::string::npos;
}

} // namespace

Result<toml::value> parseToml(const std::string& text, const std::string& path, Problem p) {
  if (std::size_t at = firstInvalidUtf8(text); at != std::string::npos) {
    p.why = "line " +
            std::to_string(1 + std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(at), '\n')) +
            " holds bytes that are no text (UTF-8)";
    return p;
  }
  try {
    std::istringstream in(text);
    return toml::parse(in, path);
  } catch (const std::exception& e) {
    p.why = e.what();
    return p;
  }
}

} // namespace tess
