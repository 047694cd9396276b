// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/units.h"
#include <cctype>
#include <cmath>
#include <cstdlib>

namespace tess {
namespace {

struct UnitRow {
  const char* name;
  double mm;
};
constexpr UnitRow kUnits[] = {{"mm", 1},     {"m", 1000},   {"cm", 10}, {"in", 25.4},
                              {"ft", 304.8}, {"um", 0.001}, {"km", 1e6}};

/// Recursive descent over sums, products and brackets; a value carries whether it is a length or a bare number.
class LengthParser {
public:
  LengthParser(std::string_view t, double partMm) : m_t(t), m_partMm(partMm) {}
  struct Value {
    double v = 0;
    int dim = 0; ///< power of length; 0 is a bare number
  };
  std::optional<Value> whole() {
    auto v = sum();
    space();
    if (v && m_i < m_t.size() && m_t[m_i] == ',' && error.empty()) error = kPoint;
    if (!v || m_i != m_t.size()) return {};
    return v;
  }
  std::string error;

private:
  std::string_view m_t;
  double m_partMm;
  std::size_t m_i = 0;
  int m_depth = 0;
  static constexpr const char* kPoint = "numbers are written with a point, and without marks between thousands";
  void space() {
    while (m_i < m_t.size() && std::isspace(static_cast<unsigned char>(m_t[m_i]))) ++m_i;
  }
  bool take(char c) {
    space();
    if (m_i < m_t.size() && m_t[m_i] == c) {
      ++m_i;
      return true;
    }
    return false;
  }
  std::optional<Value> sum() {
    auto a = product();
    while (a) {
      int s = take('+') ? 1 : take('-') ? -1 : 0;
      if (!s) break;
      auto b = product();
      if (!b) return {};
      if (a->dim != b->dim) { // a bare number beside a length is in the part's unit
        if (a->dim == 0)
          *a = {a->v * m_partMm, b->dim};
        else if (b->dim == 0)
          *b = {b->v * m_partMm, a->dim};
        else
          return {};
      }
      a->v += s * b->v;
    }
    return a;
  }
  std::optional<Value> product() {
    auto a = atom();
    while (a) {
      int s = take('*') ? 1 : take('/') ? -1 : 0;
      if (!s) break;
      auto b = atom(s > 0); // in "1/8 in" the unit belongs to the quotient
      if (!b) return {};
      if (s < 0 && b->v == 0) return {};
      if (s < 0 && a->dim > b->dim) unit(*b); // "6 mm / 2 mm": a length over a length
      a->v = s > 0 ? a->v * b->v : a->v / b->v;
      a->dim += s * b->dim;
      unit(*a);
    }
    return a;
  }
  void unit(Value& v) {
    space();
    std::size_t j = m_i;
    while (j < m_t.size() && std::isalpha(static_cast<unsigned char>(m_t[j]))) ++j;
    if (j == m_i) return;
    auto mm = millimetresPer(m_t.substr(m_i, j - m_i));
    if (!mm) {
      error = "unknown unit '" + std::string(m_t.substr(m_i, j - m_i)) + "'";
      return;
    }
    v = {v.v * *mm, v.dim + 1};
    m_i = j;
  }
  /// "0,8" is 0.8 in half of the world, and a comma means nothing else here; but "1,500" may be either.
  bool pointForComma(std::string& number) {
    std::size_t whole = 0, end;
    auto digit = [&](std::size_t i) {
      return i < number.size() && std::isdigit(static_cast<unsigned char>(number[i]));
    };
    while (digit(whole)) ++whole;
    if (!whole || whole >= number.size() || number[whole] != ',' || !digit(whole + 1)) return true;
    for (end = whole + 1; digit(end);) ++end;
    if (end < number.size() && (number[end] == ',' || number[end] == '.')) {
      error = kPoint;
      return false;
    }
    if (end - whole - 1 == 3 && number[0] != '0') {
      const std::string a = number.substr(0, whole), b = number.substr(whole + 1, 3);
      error = "'" + a + "," + b + "' may be " + a + "." + b + " or " + a + b + ": write a point, or no comma";
      return false;
    }
    number[whole] = '.';
    return true;
  }
  std::optional<Value> atom(bool withUnit = true) {
    space();
    if (++m_depth > 60) return {};
    std::optional<Value> r;
    if (take('(')) {
      r = sum();
      if (r && !take(')')) r.reset();
    } else if (take('-')) {
      r = atom();
      if (r) r->v = -r->v;
    } else {
      std::string rest(m_t.substr(m_i));
      if (!pointForComma(rest)) return {};
      char* end = nullptr;
      double x = std::strtod(rest.c_str(), &end);
      if (end != rest.c_str() && std::isfinite(x)) {
        m_i += static_cast<std::size_t>(end - rest.c_str());
        Value v{x, 0};
        if (withUnit) unit(v);
        r = v;
      }
    }
    --m_depth;
    return r;
  }
};

} // namespace

std::optional<double> millimetresPer(std::string_view unit) {
  for (const auto& u : kUnits)
    if (unit == u.name) return u.mm;
  return {};
}

const std::vector<std::string>& unitNames() {
  static const std::vector<std::string> names = [] {
    std::vector<std::string> n;
    for (const auto& u : kUnits) n.emplace_back(u.name);
    return n;
  }();
  return names;
}

std::string unitScaled(std::string_view unit, double factor) {
  const auto mm = millimetresPer(unit);
  if (!mm || !(factor > 0)) return {};
  if (factor == 1) return std::string(unit);
  for (const auto& row : kUnits)
    if (std::abs(row.mm * factor / *mm - 1) < 1e-9) return row.name;
  return {};
}

Result<double> parseLength(std::string_view text, std::string_view partUnit) {
  double partMm = millimetresPer(partUnit).value_or(1.0);
  LengthParser parser(text, partMm);
  auto v = parser.whole();
  if (!v || !parser.error.empty() || (v->dim != 0 && v->dim != 1) || !std::isfinite(v->v)) {
    Problem p;
    p.fault = Fault::Usage;
    p.code = "length.unreadable";
    p.what = "'" + std::string(text) + "' is not a length";
    p.why = parser.error.empty() ? "a number, with a unit or in the part's unit, is expected" : parser.error;
    p.todo = "write for example 2 mm, 0.05 in, or 2";
    return p;
  }
  return v->dim == 1 ? v->v / partMm : v->v;
}

Result<double> parseNumber(std::string_view text) {
  LengthParser parser(text, 1);
  auto v = parser.whole();
  if (v && parser.error.empty() && v->dim == 0 && std::isfinite(v->v)) return v->v;
  Problem p;
  p.fault = Fault::Usage;
  p.code = "number.unreadable";
  p.what = "'" + std::string(text) + "' is not a number";
  p.why = v && v->dim != 0 ? "it has a unit" : parser.error;
  p.todo = "write for example 3, 1.25, or 2 * 5";
  return p;
}

} // namespace tess
