// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/tets/tet_sweep.h"
#include "base/parallel.h"
#include "base/predicates.h"
#include "mesher/tets/tet.h"
#include <atomic>
#include <unordered_set>

namespace tess {

namespace {
constexpr std::size_t kStretch = 4096; ///< vertices
constexpr std::size_t kAlone = 48;     ///< levels of fewer vertices are not worth a second thread
constexpr std::size_t kAhead = 3;      ///< vertices
constexpr double kGoodEnough = 0.45;   ///< a star may fall to this quality: its vertex stands better for the next ones

/// Numbers met before; emptied at once, and quick while they are few.
class FewNumbers {
public:
  void clear() {
    m_count = 0;
    std::fill(std::begin(m_table), std::end(m_table), -1);
    m_more.clear();
  }
  /// False when it was there already.
  bool insert(int x) {
    std::size_t k = (static_cast<std::uint32_t>(x) * 2654435761u) >> 24;
    for (; m_table[k] != -1; k = (k + 1) % kSlots)
      if (m_table[k] == x) return false;
    if (m_count == kSlots / 2) return m_more.insert(x).second;
    ++m_count;
    m_table[k] = x;
    return true;
  }

private:
  static constexpr std::size_t kSlots = 256;
  int m_table[kSlots];
  std::size_t m_count = 0;
  std::unordered_set<int> m_more;
};
} // namespace

TetSweep::TetSweep(TetCore& core, const std::vector<char>& movable, Progress& progress)
    : m(core), m_progress(progress), m_quality(core.tets.size()), m_begin(core.points.size()) {
  parallelFor(m_quality.size(), &progress, [&](std::size_t t) {
    if (m.solid(static_cast<int>(t))) m_quality[t] = tetQuality(m, static_cast<int>(t));
  });

  const std::size_t n = m.points.size(), stretches = (n + kStretch - 1) / kStretch;
  auto moves = [&](std::size_t v) { return movable[v] && m.tetOf[v] >= 0; };
  m_stars.resize(stretches);
  // Per moving vertex the number of its moving neighbours before it, and these.
  std::vector<std::vector<int>> before(stretches);
  parallelFor(
      stretches, &progress,
      [&](std::size_t s) {
        FewNumbers tets, vertices;
        std::vector<int> star, near;
        for (std::size_t v = s * kStretch; v < std::min(n, (s + 1) * kStretch); ++v) {
          if (!moves(v)) continue;
          tets.clear();
          vertices.clear();
          star.clear();
          near.clear();
          tets.insert(m.tetOf[v]);
          star.push_back(m.tetOf[v]);
          for (std::size_t k = 0; k < star.size(); ++k) { // in the order of TetCore::starOf, as sums are taken in it
            const Tet& q = m.at(star[k]);
            for (int i = 0; i < 4; ++i) {
              const int w = q.v[i], o = q.n[i] >> 2;
              if (w == static_cast<int>(v)) continue;
              if (tets.insert(o)) star.push_back(o);
              if (w >= 0 && w < static_cast<int>(v) && moves(static_cast<std::size_t>(w)) && vertices.insert(w))
                near.push_back(w);
            }
          }
          m_begin[v] = static_cast<std::uint32_t>(m_stars[s].size());
          m_stars[s].push_back(static_cast<int>(star.size()));
          m_stars[s].insert(m_stars[s].end(), star.begin(), star.end());
          before[s].push_back(static_cast<int>(near.size()));
          before[s].insert(before[s].end(), near.begin(), near.end());
        }
      },
      1);

  std::vector<int> level(n, -1);
  for (std::size_t s = 0; s < stretches; ++s) {
    progress.check();
    const int* next = before[s].data();
    for (std::size_t v = s * kStretch; v < std::min(n, (s + 1) * kStretch); ++v) {
      if (!moves(v)) continue;
      int highest = -1;
      for (int k = *next++; k > 0; --k) highest = std::max(highest, level[static_cast<std::size_t>(*next++)]);
      level[v] = highest + 1;
      if (m_levels.size() < static_cast<std::size_t>(highest) + 3)
        m_levels.resize(static_cast<std::size_t>(highest) + 3);
      ++m_levels[static_cast<std::size_t>(highest) + 2]; // where the next level begins, once these are summed up
    }
    std::vector<int>().swap(before[s]);
  }
  if (m_levels.empty()) m_levels.resize(1);
  for (std::size_t k = 1; k < m_levels.size(); ++k) m_levels[k] += m_levels[k - 1];
  m_order.resize(m_levels.back());
  std::vector<std::size_t> at(m_levels.begin(), m_levels.end());
  for (std::size_t v = 0; v < n; ++v)
    if (level[v] >= 0) m_order[at[static_cast<std::size_t>(level[v])]++] = static_cast<int>(v);
}

std::span<const int> TetSweep::starOf(int v) const {
  const auto id = static_cast<std::size_t>(v);
  const int* star = m_stars[id / kStretch].data() + m_begin[id];
  return {star + 1, static_cast<std::size_t>(*star)};
}

bool TetSweep::move(int v) {
  const auto id = static_cast<std::size_t>(v);
  const std::span<const int> star = starOf(v);
  Vec3 sum(0, 0, 0);
  double weight = 0, now = 1;
  for (int t : star) {
    const Tet& x = m.at(t);
    const double volume = tetVolume(m.pt(x.v[0]), m.pt(x.v[1]), m.pt(x.v[2]), m.pt(x.v[3]));
    sum += volume * (m.pt(x.v[0]) + m.pt(x.v[1]) + m.pt(x.v[2]) + m.pt(x.v[3])) / 4;
    weight += volume;
    now = std::min(now, m_quality[static_cast<std::size_t>(t)]);
  }
  if (weight <= 0) return false;
  const Vec3 to = sum / weight;
  const double limit = std::max(0.0, std::min(now, kGoodEnough));
  thread_local std::vector<double> then;
  then.clear();
  for (int t : star) {
    const Vec3* c[4];
    for (int i = 0; i < 4; ++i) c[i] = m.at(t).v[i] == v ? &to : &m.pt(m.at(t).v[i]);
    if (m.region[static_cast<std::size_t>(t)] < 0 && orient3d(*c[0], *c[1], *c[2], *c[3]) <= 0) return false;
    then.push_back(tetQuality(*c[0], *c[1], *c[2], *c[3]));
    // outside a body a tet must only stay positive
    if (m.region[static_cast<std::size_t>(t)] >= 0 && then.back() <= limit) return false;
  }
  m.points[id] = to;
  for (std::size_t k = 0; k < then.size(); ++k) m_quality[static_cast<std::size_t>(star[k])] = then[k];
  return true;
}

std::size_t TetSweep::run() {
  std::atomic<std::size_t> moved{0};
  for (std::size_t k = 0; k + 1 < m_levels.size(); ++k) {
    const std::size_t from = m_levels[k], count = m_levels[k + 1] - from;
    auto one = [&](std::size_t i) {
      // Vertices of a level lie all over the mesh: what the next ones need is fetched while this one is moved.
      if (i + kAhead < count)
        for (int t : starOf(m_order[from + i + kAhead])) {
          __builtin_prefetch(&m.at(t));
          __builtin_prefetch(&m_quality[static_cast<std::size_t>(t)]);
        }
      if (i + 1 < count)
        for (int t : starOf(m_order[from + i + 1]))
          for (int w : m.at(t).v) __builtin_prefetch(m.points.data() + w);
      if (move(m_order[from + i])) moved.fetch_add(1, std::memory_order_relaxed);
    };
    if (count > kAlone)
      parallelFor(count, &m_progress, one, 24);
    else {
      m_progress.check();
      for (std::size_t i = 0; i < count; ++i) one(i);
    }
  }
  return moved;
}

} // namespace tess
