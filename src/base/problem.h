// SPDX-License-Identifier: GPL-3.0-or-later
// One type for everything a user must hear about: what, where, why and what to do, with a stable code for tests and
// scripts. A Result holds a value or the problem that prevented it.
#pragma once
#include "base/vec.h"
#include <optional>
#include <string>
#include <utility>
#include <variant>

namespace tess {

enum class Severity { Note, Warning, Error };
/// Whose fault an error is; decides the exit code of the command line.
enum class Fault { Usage, Input, Meshing, Output };

struct Problem {
  Severity severity = Severity::Error;
  Fault fault = Fault::Input;
  std::string code; ///< stable, e.g. "part.open-edges"
  std::string what, where, why, todo;
  std::vector<Vec3> places; ///< coordinates in the part's unit, worst first
  std::vector<int> faces;   ///< geometry faces concerned, if any
  std::string fix;          ///< words of the action that would mend it, where the window has one
  std::string sentence() const;

  /// Built in the order of a sentence: Problem::of("file.missing", "...").at(path).because("...").advise("...").
  static Problem of(std::string code, std::string what) {
    Problem p;
    p.code = std::move(code);
    p.what = std::move(what);
    return p;
  }
  Problem by(Fault f) && { return fault = f, std::move(*this); }
  Problem as(Severity s) && { return severity = s, std::move(*this); }
  Problem at(std::string text) && { return where = std::move(text), std::move(*this); }
  /// First of some places, with the unit of lengths.
  Problem firstAt(std::vector<Vec3> points, const std::string& unit) &&;
  Problem because(std::string text) && { return why = std::move(text), std::move(*this); }
  Problem advise(std::string text) && { return todo = std::move(text), std::move(*this); }
};

template <class T> class Result {
public:
  Result(T value) : m_v(std::move(value)) {}
  Result(Problem p) : m_v(std::move(p)) {}
  bool ok() const { return m_v.index() == 0; }
  explicit operator bool() const { return ok(); }
  T& value() { return std::get<0>(m_v); }
  const T& value() const { return std::get<0>(m_v); }
  T& operator*() { return value(); }
  T* operator->() { return &value(); }
  const Problem& problem() const { return std::get<1>(m_v); }

private:
  std::variant<T, Problem> m_v;
};

/// "(1.2, 3, 4)" with six significant digits.
std::string formatPoint(const Vec3& p);
/// Shortest text of a number with `digits` significant digits.
std::string formatNumber(double v, int digits = 6);
/// A share of 0 to 1 as "13 %", "0.0093 %", "99.98 %"; "100 %" for all of it only.
std::string percentText(double share);

} // namespace tess
