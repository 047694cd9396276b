// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/problem.h"
#include <algorithm>
#include <cmath>
#include <cstdio>

namespace tess {

std::string formatNumber(double v, int digits) {
  char b[64];
  std::snprintf(b, sizeof b, "%.*g", digits, v);
  return b;
}

std::string percentText(double share) {
  const double p = 100 * share;
  if (share >= 1) return "100 %";
  if (p >= 99.5) return formatNumber(std::min(99.99, std::floor(100 * p) / 100), 4) + " %";
  if (p > 0 && p < 0.001) return "under 0.001 %";
  return formatNumber(p, 2) + " %";
}

std::string formatPoint(const Vec3& p) {
  return "(" + formatNumber(p.x()) + ", " + formatNumber(p.y()) + ", " + formatNumber(p.z()) + ")";
}

Problem Problem::firstAt(std::vector<Vec3> points, const std::string& unit) && {
  if (!points.empty()) where = "first at " + formatPoint(points[0]) + " " + unit;
  places = std::move(points);
  return std::move(*this);
}

std::string Problem::sentence() const {
  std::string s = what;
  if (!where.empty()) s += " | where: " + where;
  if (!why.empty()) s += " | why: " + why;
  if (!todo.empty()) s += " | to do: " + todo;
  return s;
}

} // namespace tess
