// SPDX-License-Identifier: GPL-3.0-or-later
#include "size/edge_wishes.h"
#include <algorithm>
#include <cmath>

namespace tess {

bool Bridging::ignoresAny() const {
  auto any = [](const std::vector<char>& v) { return std::find(v.begin(), v.end(), 1) != v.end(); };
  return any(ignoreEdge) || any(ignorePoint);
}

double Bridging::below(double h) const {
  // The rim of a thin wall that asked for this size is a fifth of it wide and must stay.
  return h >= 5 * tolerance ? tolerance : std::min(tolerance, 0.12 * h);
}

EdgeDivisions::EdgeDivisions(std::vector<Pair> pairs) : m_pairs(std::move(pairs)) {
  std::stable_sort(m_pairs.begin(), m_pairs.end(), [](const Pair& a, const Pair& b) { return a.first < b.first; });
}

const EdgeDivision* EdgeDivisions::of(int edge) const {
  auto it = std::lower_bound(m_pairs.begin(), m_pairs.end(), edge, [](const Pair& d, int e) { return d.first < e; });
  return it != m_pairs.end() && it->first == edge ? &it->second : nullptr;
}

std::vector<double> divisionShares(const EdgeDivision& d, double length) {
  std::vector<double> r;
  if (!d.own() || length <= 0) return r;
  int n = d.divisions > 0 ? d.divisions
          : d.length > 0  ? std::max(1, static_cast<int>(std::lround(length / d.length)))
                          : 1;
  n = std::min(n, 1000000);
  std::vector<double> places = d.finest;
  std::sort(places.begin(), places.end());
  if (places.empty() || d.ratio <= 1) {
    for (int k = 1; k < n; ++k) r.push_back(static_cast<double>(k) / n);
    return r;
  }
  // Runs from a finest place to the end or to the middle between two; along a run h = 1 + (R - 1) * d / longest, and
  // the integral of ds / h is a logarithm.
  struct Run {
    double from, to; ///< shares; `from` is the finest end
  };
  std::vector<Run> runs;
  if (places.front() > 0) runs.push_back({places.front(), 0});
  for (std::size_t i = 0; i < places.size(); ++i) {
    double to = i + 1 < places.size() ? 0.5 * (places[i] + places[i + 1]) : 1;
    if (to > places[i]) runs.push_back({places[i], to});
    if (i + 1 < places.size() && places[i + 1] > to) runs.push_back({places[i + 1], to});
  }
  double longest = 0;
  for (const auto& u : runs) longest = std::max(longest, std::abs(u.to - u.from));
  double total = 0, R = d.ratio;
  auto weight = [&](double along) { return std::log1p((R - 1) * along / longest); };
  // The first and the last of m elements along a run differ by the power (m - 1) / m of the ratio of the ends.
  for (int pass = 0; pass < 8; ++pass) {
    total = 0;
    for (const auto& u : runs) total += weight(std::abs(u.to - u.from));
    double m = n * weight(longest) / total;
    R = std::pow(d.ratio, m > 1.5 ? m / (m - 1) : 3.0);
  }
  total = 0;
  for (const auto& u : runs) total += weight(std::abs(u.to - u.from));
  std::sort(runs.begin(), runs.end(),
            [](const Run& a, const Run& b) { return std::min(a.from, a.to) < std::min(b.from, b.to); });
  std::size_t k = 0;
  double before = 0;
  for (int i = 1; i < n; ++i) {
    double want = total * i / n;
    while (k + 1 < runs.size() && before + weight(std::abs(runs[k].to - runs[k].from)) < want)
      before += weight(std::abs(runs[k].to - runs[k].from)), ++k;
    const Run& u = runs[k];
    double span = std::abs(u.to - u.from), w = weight(span);
    double x = std::clamp(u.to > u.from ? want - before : w - (want - before), 0.0, w); // measured from the fine end
    double along = std::expm1(x) * longest / (R - 1);
    r.push_back(u.from + (u.to > u.from ? along : -along));
  }
  return r;
}

} // namespace tess
