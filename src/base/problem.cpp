// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/problem.h"
#include <cstdio>

namespace tess {

std::string formatNumber(double v, int digits) {
  char b[64];
  std::snprintf(b, sizeof b, "%.*g", digits, v);
  return b;
}

std::string formatPoint(const Vec3& p) {
  return "(" + formatNumber(p.x()) + ", " + formatNumber(p.y()) + ", " + formatNumber(p.z()) + ")";
}

std::string Problem::sentence() const {
  std::string s = what;
  if (!where.empty()) s += " | where: " + where;
  if (!why.empty()) s += " | why: " + why;
  if (!todo.empty()) s += " | to do: " + todo;
  return s;
}

} // namespace tess
