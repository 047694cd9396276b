// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/toml_text.h"
#include "base/units.h"
#include <algorithm>
#include <sstream>
#include <utf8.h>

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

Result<toml::value> parseToml(const std::string& text, const std::string& path, Problem p) {
  // The library behind the brief reads beyond its buffer on such text.
  if (const auto at = utf8::find_invalid(text.begin(), text.end()); at != text.end()) {
    p.why = "line " + std::to_string(1 + std::count(text.begin(), at, '\n')) + " holds bytes that are no text (UTF-8)";
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
