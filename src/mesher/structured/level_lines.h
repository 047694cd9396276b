// SPDX-License-Identifier: GPL-3.0-or-later
// The edges of level ends as lines in one plane: which are the same, which cross, and what lies over what.
#pragma once
#include "mesher/plan/plan.h"

namespace tess {

class LevelLines {
public:
  /// `ends`: level faces, with their loops. `joined`: edges that walls have at their feet and heads, set by set: they
  /// lie over each other.
  LevelLines(const Part& part, const std::vector<PavedFace>& ends, const Vec3& up,
             const std::vector<std::vector<int>>& joined);
  /// False where lines of different ends cross, or run together for a part of their way.
  bool good() const { return m_good; }
  const Vec3& crossAt() const { return m_crossAt; } ///< a place where they do
  /// Pairs of edges of different ends that are one line although no wall joins them.
  const std::vector<std::array<int, 2>>& alike() const { return m_alike; }
  /// Per end, whether no line of another one runs across it.
  std::vector<char> alone() const;
  /// Whether end b lies above end a, at least for a part of it.
  bool above(std::size_t a, std::size_t b) const;

private:
  using Place = Eigen::Vector2d;
  struct Line {
    int edge, group;
    double height;
    std::vector<Place> at; ///< few where it is straight
    Eigen::AlignedBox2d box;
    const Place& part(std::size_t k, std::size_t of) const { return at[(at.size() - 1) * k / of]; }
  };
  struct End {
    std::vector<Line> lines;
    std::vector<Place> inside; ///< places within it
    double height;
    Eigen::AlignedBox2d box;
  };
  const Part& m_part;
  Vec3 m_up, m_x, m_y;
  double m_near = 0; ///< lines that close are one
  std::vector<End> m_ends;
  std::vector<std::array<int, 2>> m_alike;
  bool m_good = true;
  Vec3 m_crossAt = Vec3::Zero();

  Place seen(const Vec3& p) const { return {p.dot(m_x), p.dot(m_y)}; }
  bool near(const Place& p, const End& end) const;
  static bool within(const Place& p, const End& end);
  void compare(const End& a, const End& b);
  bool covers(const Line& line, const Line& by) const;
};

} // namespace tess
