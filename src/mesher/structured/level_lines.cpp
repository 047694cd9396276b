// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/structured/level_lines.h"
#include <map>
#include <numeric>

namespace tess {
namespace {

constexpr std::size_t kParts = 96; ///< of a line that bends
constexpr std::size_t kFew = 8;    ///< of one that does not

double cross(const Eigen::Vector2d& a, const Eigen::Vector2d& b) { return a.x() * b.y() - a.y() * b.x(); }

double distance(const Eigen::Vector2d& p, const Eigen::Vector2d& a, const Eigen::Vector2d& b) {
  const Eigen::Vector2d way = b - a;
  const double l = way.squaredNorm();
  return (a + (l > 0 ? std::clamp((p - a).dot(way) / l, 0.0, 1.0) : 0) * way - p).norm();
}

} // namespace

LevelLines::LevelLines(const Part& part, const std::vector<PavedFace>& ends, const Vec3& up,
                       const std::vector<std::vector<int>>& joined)
    : m_part(part), m_up(up), m_x(up.unitOrthogonal()), m_y(up.cross(m_x)) {
  constexpr double kNear = 3e-3; // of the ends' diagonal
  std::map<int, int> group;
  std::vector<int> root(joined.size());
  std::iota(root.begin(), root.end(), 0);
  auto of = [&](int k) {
    while (root[static_cast<std::size_t>(k)] != k) k = root[static_cast<std::size_t>(k)];
    return k;
  };
  for (std::size_t k = 0; k < joined.size(); ++k)
    for (int e : joined[k])
      if (const auto [it, fresh] = group.emplace(e, static_cast<int>(k)); !fresh) {
        const int a = of(it->second), b = of(static_cast<int>(k));
        root[static_cast<std::size_t>(std::max(a, b))] = std::min(a, b);
      }
  Box box;
  for (const auto& e : ends) box.add(part.faces[static_cast<std::size_t>(e.face)].box);
  m_near = kNear * box.diagonal();
  std::map<int, std::size_t> endOf;
  for (const auto& e : ends) {
    endOf[e.face] = m_ends.size();
    End& end = m_ends.emplace_back();
    end.height = part.faces[static_cast<std::size_t>(e.face)].center.dot(up);
    for (const auto& loop : e.loops)
      for (const auto& step : loop) {
        const auto& edge = part.edges[static_cast<std::size_t>(step.edge)];
        const auto g = group.find(step.edge);
        // What no wall has lies between two ends of one height.
        Line line{step.edge, g == group.end() ? -1 - step.edge : of(g->second), end.height, {}, {}};
        for (std::size_t k = 0; k <= kParts; ++k)
          line.at.push_back(seen(part.shape->edgePoint(
              step.edge, edge.t0 + (edge.t1 - edge.t0) * static_cast<double>(k) / static_cast<double>(kParts))));
        const Place first = line.at.front(), last = line.at.back();
        if (std::all_of(line.at.begin(), line.at.end(),
                        [&](const Place& p) { return distance(p, first, last) < 1e-3 * m_near; })) {
          for (std::size_t k = 0; k <= kFew; ++k) line.at[k] = line.at[k * kParts / kFew];
          line.at.resize(kFew + 1);
        }
        for (const Place& p : line.at) line.box.extend(p);
        end.box.extend(line.box);
        end.lines.push_back(std::move(line));
      }
  }
  constexpr std::size_t kMost = 200;
  std::vector<std::vector<Place>> middles(ends.size());
  for (std::size_t i = 0; i < part.display.triangles.size(); ++i)
    if (const auto it = endOf.find(part.display.triangleFace[i]); it != endOf.end()) {
      const auto& t = part.display.triangles[i];
      auto pt = [&](std::size_t k) -> const Vec3& { return part.display.points[static_cast<std::size_t>(t[k])]; };
      middles[it->second].push_back(seen((pt(0) + pt(1) + pt(2)) / 3));
    }
  for (std::size_t e = 0; e < ends.size(); ++e)
    for (std::size_t k = 0; k < middles[e].size(); k += 1 + middles[e].size() / kMost)
      m_ends[e].inside.push_back(middles[e][k]);
  for (std::size_t a = 0; a < m_ends.size() && m_good; ++a)
    for (std::size_t b = a + 1; b < m_ends.size() && m_good; ++b) compare(m_ends[a], m_ends[b]);
}

bool LevelLines::covers(const Line& line, const Line& by) const {
  for (std::size_t k = 1; k < 8; ++k) {
    const Place& p = line.part(k, 8);
    const Vec3 at = p.x() * m_x + p.y() * m_y + by.height * m_up;
    if ((m_part.shape->projectToEdge(by.edge, at).point - at).norm() > m_near) return false;
  }
  return true;
}

void LevelLines::compare(const End& a, const End& b) {
  auto crossing = [&](const Place& p) {
    m_good = false;
    m_crossAt = p.x() * m_x + p.y() * m_y + a.height * m_up;
  };
  auto wider = [&](Eigen::AlignedBox2d box) {
    box.min().array() -= m_near;
    box.max().array() += m_near;
    return box;
  };
  auto sidesIn = [](const Line& line, const Eigen::AlignedBox2d& box) {
    std::vector<std::size_t> r;
    for (std::size_t i = 0; i + 1 < line.at.size(); ++i) {
      Eigen::AlignedBox2d side(line.at[i]);
      if (side.extend(line.at[i + 1]).intersects(box)) r.push_back(i);
    }
    return r;
  };
  if (!wider(a.box).intersects(b.box)) return;
  for (const Line& l : a.lines) {
    const Eigen::AlignedBox2d wide = wider(l.box);
    if (!wide.intersects(b.box)) continue;
    for (const Line& k : b.lines) {
      if (l.group == k.group || !wide.intersects(k.box)) continue;
      const bool in = covers(l, k), out = covers(k, l);
      if (in && out) {
        m_alike.push_back({l.edge, k.edge});
        continue;
      }
      if (in || out) return crossing(l.part(1, 2));
      const std::vector<std::size_t> others = sidesIn(k, l.box);
      for (std::size_t i : sidesIn(l, k.box))
        for (std::size_t j : others) {
          const Place &p = l.at[i], &q = l.at[i + 1], &r = k.at[j], &s = k.at[j + 1];
          const double d = cross(q - p, s - r);
          if (d == 0) continue;
          const double u = cross(r - p, s - r) / d, w = cross(r - p, q - p) / d;
          if (u < 0 || u > 1 || w < 0 || w > 1) continue;
          const Place at = p + u * (q - p);
          // Lines may end at each other.
          const bool ends = std::min({(at - l.at.front()).norm(), (at - l.at.back()).norm(), (at - k.at.front()).norm(),
                                      (at - k.at.back()).norm()}) < m_near;
          auto closed = [&](const Line& x) { return (x.at.front() - x.at.back()).norm() < m_near; };
          if (!ends || closed(l) || closed(k)) return crossing(at);
        }
    }
  }
}

bool LevelLines::near(const Place& p, const End& end) const {
  for (const Line& l : end.lines) {
    if (l.box.exteriorDistance(p) >= 2 * m_near) continue;
    for (std::size_t k = 0; k + 1 < l.at.size(); ++k)
      if (distance(p, l.at[k], l.at[k + 1]) < 2 * m_near) return true;
  }
  return false;
}

bool LevelLines::within(const Place& p, const End& end) {
  bool in = false;
  if (!end.box.contains(p)) return in;
  for (const Line& l : end.lines)
    // What lies to the left of p, or above or below it, meets no ray to the right.
    for (std::size_t k = 0;
         k + 1 < l.at.size() && p.x() <= l.box.max().x() && p.y() <= l.box.max().y() && p.y() >= l.box.min().y(); ++k) {
      const Place &a = l.at[k], &b = l.at[k + 1];
      if ((a.y() > p.y()) != (b.y() > p.y()) && p.x() < a.x() + (p.y() - a.y()) / (b.y() - a.y()) * (b.x() - a.x()))
        in = !in;
    }
  return in;
}

std::vector<char> LevelLines::alone() const {
  std::vector<char> r(m_ends.size(), 1);
  for (std::size_t a = 0; a < m_ends.size(); ++a)
    for (std::size_t b = 0; b < m_ends.size() && r[a]; ++b) {
      if (a == b) continue;
      for (const Line& l : m_ends[b].lines)
        for (std::size_t k = 1; k < kFew && r[a]; ++k)
          if (const Place& p = l.part(k, kFew); within(p, m_ends[a]) && !near(p, m_ends[a])) r[a] = 0;
    }
  return r;
}

bool LevelLines::above(std::size_t a, std::size_t b) const {
  const End &low = m_ends[a], &high = m_ends[b];
  if (high.height <= low.height || !high.box.intersects(low.box)) return false;
  auto any = [](const End& of, const End& in) {
    return std::any_of(of.inside.begin(), of.inside.end(), [&](const Place& p) { return within(p, in); });
  };
  return any(low, high) || any(high, low);
}

} // namespace tess
