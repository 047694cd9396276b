// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/edges/edge_division.h"
#include <cmath>
#include <map>
#include <set>

namespace tess {
namespace {

struct CurveSample {
  double t;
  Vec3 p;
  double h;
};

/// Samples finely enough for both the curve and the size: until a step is short against the size there.
std::vector<CurveSample> sampleEdge(const Part& part, int edge, const SizeField& size) {
  const PartEdge& e = part.edges[static_cast<std::size_t>(edge)];
  auto sample = [&](double t) {
    Vec3 p = part.shape->edgePoint(edge, t);
    return CurveSample{t, p, size.at(p)};
  };
  std::vector<CurveSample> s;
  const int start = 8;
  for (int i = 0; i <= start; ++i) s.push_back(sample(e.t0 + (e.t1 - e.t0) * i / start));
  for (int round = 0; round < 14; ++round) {
    std::vector<CurveSample> finer;
    bool changed = false;
    for (std::size_t i = 0; i + 1 < s.size(); ++i) {
      finer.push_back(s[i]);
      if ((s[i + 1].p - s[i].p).norm() > 0.25 * std::min(s[i].h, s[i + 1].h)) {
        finer.push_back(sample(0.5 * (s[i].t + s[i + 1].t)));
        changed = true;
      }
    }
    finer.push_back(s.back());
    s = std::move(finer);
    if (!changed || s.size() > 2000000) break;
  }
  return s;
}

/// Parameters where the integral of `weight` per length reaches the given shares (ascending) of the whole.
template <class F>
std::vector<double> atShares(const std::vector<CurveSample>& s, const std::vector<double>& shares, F&& weight,
                             double* whole = nullptr) {
  std::vector<double> acc{0}, t;
  for (std::size_t i = 1; i < s.size(); ++i)
    acc.push_back(acc.back() + (s[i].p - s[i - 1].p).norm() * 0.5 * (weight(s[i]) + weight(s[i - 1])));
  if (whole) *whole = acc.back();
  std::size_t i = 1;
  for (double share : shares) {
    double want = acc.back() * share;
    while (i + 1 < s.size() && acc[i] < want) ++i;
    double span = acc[i] - acc[i - 1], w = span > 0 ? std::clamp((want - acc[i - 1]) / span, 0.0, 1.0) : 0;
    t.push_back(s[i - 1].t + w * (s[i].t - s[i - 1].t));
  }
  return t;
}

double byLength(const CurveSample&) { return 1; }

} // namespace

namespace {
double bySize(const CurveSample& x) { return 1 / x.h; }

/// Elements that the size asks for along the samples, and how far the curve turns.
struct Asked {
  double bySize = 0, turn = 0;
};
Asked askedOf(const std::vector<CurveSample>& s) {
  Asked r;
  for (std::size_t i = 2; i < s.size(); ++i) {
    Vec3 a = s[i - 1].p - s[i - 2].p, b = s[i].p - s[i - 1].p;
    double l = a.norm() * b.norm();
    if (l > 0) r.turn += std::acos(std::clamp(a.dot(b) / l, -1.0, 1.0));
  }
  atShares(s, {}, bySize, &r.bySize);
  return r;
}

std::vector<double> evenShares(int n) {
  std::vector<double> shares;
  for (int k = 1; k < n; ++k) shares.push_back(static_cast<double>(k) / n);
  return shares;
}

/// Shares of an exact division of the edge's own; empty without one.
std::vector<double> ownShares(const Part& part, int edge, const EdgeDivisions& divisions) {
  const EdgeDivision* d = divisions.of(edge);
  return d && d->own() ? divisionShares(*d, part.edges[static_cast<std::size_t>(edge)].length) : std::vector<double>{};
}
} // namespace

std::vector<double> divideEdge(const Part& part, int edge, const SizeField& size, const EdgeDivisions& divisions,
                               int atLeast) {
  const PartEdge& e = part.edges[static_cast<std::size_t>(edge)];
  bool closed = e.points[0] == e.points[1];
  std::vector<CurveSample> s = sampleEdge(part, edge, size);
  const EdgeDivision* d = divisions.of(edge);
  if (d && d->own()) {
    auto shares = divisionShares(*d, e.length);
    if (static_cast<int>(shares.size()) + 1 >= (closed ? 3 : atLeast)) return atShares(s, shares, byLength);
  }
  const Asked asked = askedOf(s);
  int n = std::max(
      {static_cast<int>(std::lround(asked.bySize)), 1, static_cast<int>(std::ceil(asked.turn / (0.5 * kPi) - 0.05))});
  n = std::max(n + (d ? d->more : 0), atLeast);
  if (closed) n = std::max(n, 3);
  return atShares(s, evenShares(n), bySize);
}

std::vector<double> divideEdgeInto(const Part& part, int edge, const SizeField& size, const EdgeDivisions& divisions,
                                   int count) {
  const auto s = sampleEdge(part, edge, size);
  if (const auto own = ownShares(part, edge, divisions); !own.empty() && static_cast<int>(own.size()) + 1 == count)
    return atShares(s, own, byLength);
  return atShares(s, evenShares(count), bySize);
}

double naturalCount(const Part& part, int edge, const SizeField& size) {
  const Asked asked = askedOf(sampleEdge(part, edge, size));
  return std::max({1.0, asked.bySize, asked.turn / (0.5 * kPi) - 0.05});
}

int exactCount(const Part& part, int edge, const SizeField& size, const EdgeDivisions& divisions) {
  const EdgeDivision* d = divisions.of(edge);
  if (!d || !d->like.empty()) return 0;
  if (d->more != 0) return std::max(1, static_cast<int>(std::lround(naturalCount(part, edge, size))) + d->more);
  return static_cast<int>(divisionShares(*d, part.edges[static_cast<std::size_t>(edge)].length).size()) + 1;
}

void copyDivisions(const Part& part, const SizeField& size, const EdgeDivisions& divisions,
                   std::vector<std::vector<double>>& division) {
  for (const auto& [edge, d] : divisions) {
    if (d.like.empty()) continue;
    // The chain in order: from an end that only one of its edges has.
    std::map<int, std::vector<int>> at;
    for (int e : d.like)
      for (int p : part.edges[static_cast<std::size_t>(e)].points) at[p].push_back(e);
    int from = part.edges[static_cast<std::size_t>(d.like.front())].points[0];
    for (const auto& [p, edges] : at)
      if (edges.size() == 1) {
        from = p;
        break;
      }
    const Vec3 begin = part.points[static_cast<std::size_t>(from)].at;
    std::vector<double> places; // lengths along the chain
    double sofar = 0;
    std::set<int> used;
    for (int here = from;;) {
      int next = -1;
      for (int e : at[here])
        if (!used.count(e)) {
          next = e;
          break;
        }
      if (next < 0) break;
      used.insert(next);
      const auto& pe = part.edges[static_cast<std::size_t>(next)];
      bool forward = pe.points[0] == here;
      if (sofar > 0) places.push_back(sofar);
      auto s = sampleEdge(part, next, size);
      std::vector<double> length{0};
      for (std::size_t i = 1; i < s.size(); ++i) length.push_back(length.back() + (s[i].p - s[i - 1].p).norm());
      std::vector<double> mine;
      for (double t : division[static_cast<std::size_t>(next)]) {
        auto i = static_cast<std::size_t>(
            std::lower_bound(s.begin(), s.end(), t, [](const CurveSample& x, double v) { return x.t < v; }) -
            s.begin());
        i = std::clamp<std::size_t>(i, 1, s.size() - 1);
        double w = (t - s[i - 1].t) / (s[i].t - s[i - 1].t), l = length[i - 1] + w * (length[i] - length[i - 1]);
        mine.push_back(sofar + (forward ? l : length.back() - l));
      }
      if (!forward) std::reverse(mine.begin(), mine.end());
      places.insert(places.end(), mine.begin(), mine.end());
      sofar += length.back();
      here = forward ? pe.points[1] : pe.points[0];
    }
    if (sofar <= 0) continue;
    for (double& x : places) x /= sofar;
    const auto& e = part.edges[static_cast<std::size_t>(edge)];
    if ((part.points[static_cast<std::size_t>(e.points[1])].at - begin).norm() <
        (part.points[static_cast<std::size_t>(e.points[0])].at - begin).norm()) {
      for (double& x : places) x = 1 - x;
      std::reverse(places.begin(), places.end());
    }
    if (e.points[0] == e.points[1] && places.size() < 2) continue; // a ring needs two nodes besides its own
    division[static_cast<std::size_t>(edge)] = atShares(sampleEdge(part, edge, size), places, byLength);
  }
}

} // namespace tess
