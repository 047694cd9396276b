// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/surface_match.h"
#include "base/parallel.h"
#include <map>
#include <numeric>

namespace tess {
namespace {

/// Faces match up to this distance, as a share of the size. Beyond it free points have room in between.
constexpr double kReach = 0.75;
/// Walls thinner than this share of the size are flat whatever their nodes do; measured, free nodes serve them better.
constexpr double kThinnestWall = 0.15;

class Matcher {
public:
  Matcher(const Part& part, std::vector<std::unique_ptr<FacePatch>>& patches, Progress& progress)
      : m_part(part), m_patches(patches), m_progress(progress), m_opposite(part) {}

  int run() {
    findPairs();
    if (m_pairs.empty()) return 0;
    // A face follows the one with which it has most in common, that one another: trees, from their roots outwards.
    std::vector<std::pair<std::pair<int, int>, int>> order(m_pairs.begin(), m_pairs.end());
    std::stable_sort(order.begin(), order.end(), [](const auto& a, const auto& b) { return a.second > b.second; });
    const auto n = m_patches.size();
    std::vector<std::vector<int>> sources(n), tree(n);
    std::vector<std::size_t> root(n);
    std::iota(root.begin(), root.end(), std::size_t(0));
    auto find = [&](std::size_t i) {
      while (root[i] != i) i = root[i] = root[root[i]];
      return i;
    };
    for (const auto& [pair, count] : order) {
      auto a = static_cast<std::size_t>(pair.first), b = static_cast<std::size_t>(pair.second);
      sources[a].push_back(pair.second);
      sources[b].push_back(pair.first);
      if (find(a) == find(b)) continue;
      root[find(a)] = find(b);
      tree[a].push_back(pair.second);
      tree[b].push_back(pair.first);
    }
    std::vector<int> level(n, -1);
    std::vector<std::vector<std::size_t>> waves;
    for (const auto& [pair, count] : order) {
      if (level[static_cast<std::size_t>(pair.first)] >= 0) continue;
      std::vector<int> todo{pair.first};
      level[static_cast<std::size_t>(pair.first)] = 0;
      for (std::size_t k = 0; k < todo.size(); ++k) {
        auto f = static_cast<std::size_t>(todo[k]);
        if (waves.size() <= static_cast<std::size_t>(level[f])) waves.emplace_back();
        waves[static_cast<std::size_t>(level[f])].push_back(f);
        for (int o : tree[f])
          if (level[static_cast<std::size_t>(o)] < 0) {
            level[static_cast<std::size_t>(o)] = level[f] + 1;
            todo.push_back(o);
          }
      }
    }
    std::vector<int> held(n, 0);
    for (const auto& mine : waves) {
      // First all places, then the changes: faces of one wave may see each other.
      std::vector<std::vector<FaceProjection>> places(mine.size());
      parallelFor(
          mine.size(), &m_progress,
          [&](std::size_t k) {
            for (int s : sources[mine[k]])
              collectPlaces(s, static_cast<int>(mine[k]), level[static_cast<std::size_t>(s)] < level[mine[k]],
                            places[k]);
          },
          1);
      parallelFor(
          mine.size(), &m_progress, [&](std::size_t k) { held[mine[k]] = m_patches[mine[k]]->anchor(places[k]); }, 1);
    }
    int all = 0;
    for (int h : held) all += h;
    return all;
  }

private:
  const Part& m_part;
  std::vector<std::unique_ptr<FacePatch>>& m_patches;
  Progress& m_progress;
  OppositeFaces m_opposite;
  std::map<std::pair<int, int>, int> m_pairs; ///< faces opposite each other -> number of triangles that say so

  /// A triangle is asked for its middle only: where faces match, most triangles of both see the other.
  void findPairs() {
    std::vector<std::vector<int>> seen(m_patches.size());
    parallelFor(
        m_patches.size(), &m_progress,
        [&](std::size_t f) {
          const FacePatch& p = *m_patches[f];
          if (p.frozen) return;
          int face = static_cast<int>(f);
          for (int t = 0; t < static_cast<int>(p.g.tris.size()); ++t) {
            if (!p.g.alive(t)) continue;
            if ((t & 255) == 0) m_progress.check();
            const auto& q = p.g.tri(t);
            std::array<Vec3, 3> at{p.g.pt(q[0]), p.g.pt(q[1]), p.g.pt(q[2])};
            double reach = kReach * (p.sizeAt(q[0]) + p.sizeAt(q[1]) + p.sizeAt(q[2])) / 3;
            for (int body : m_part.faces[f].bodies) {
              if (!m_opposite.mayFace(at, face, body, reach)) continue;
              auto hit = m_opposite.cast(face, (at[0] + at[1] + at[2]) / 3, body, reach);
              if (hit.found() && hit.face != face && (body < 0 || hit.distance > kThinnestWall / kReach * reach))
                seen[f].push_back(hit.face);
            }
          }
        },
        1);
    for (std::size_t f = 0; f < seen.size(); ++f)
      for (int o : seen[f])
        if (!m_patches[static_cast<std::size_t>(o)]->frozen) ++m_pairs[std::minmax(static_cast<int>(f), o)];
  }

  /// Places on face `to` opposite the boundary vertices of face `from`, and opposite its inner ones when `inner`.
  void collectPlaces(int from, int to, bool inner, std::vector<FaceProjection>& places) const {
    const FacePatch& p = *m_patches[static_cast<std::size_t>(from)];
    for (int v = 0; v < static_cast<int>(p.g.points.size()); ++v) {
      if ((v & 255) == 0) m_progress.check();
      if (p.g.starOf(v).empty() || !(inner || p.onBoundary(v))) continue;
      for (int body : m_part.faces[static_cast<std::size_t>(from)].bodies) {
        auto hit = m_opposite.cast(from, FaceProjection{p.g.pt(v), p.normalAt(v)}, body, kReach * p.sizeAt(v));
        if (!hit.found() || hit.face != to || (body >= 0 && hit.distance < kThinnestWall * p.sizeAt(v))) continue;
        places.push_back(m_part.shape->projectToFace(to, hit.at));
      }
    }
  }
};

} // namespace

int matchPatches(const Part& part, std::vector<std::unique_ptr<FacePatch>>& patches, Progress& progress) {
  return Matcher(part, patches, progress).run();
}

} // namespace tess
