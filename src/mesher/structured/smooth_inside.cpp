// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/structured/smooth_inside.h"
#include "base/parallel.h"
#include "mesh/element.h"
#include "mesh/jacobian.h"
#include <span>

namespace tess {
namespace {

/// Corner of a cell and its three neighbours in right-handed order.
constexpr int kWedge[6][4] = {{0, 1, 2, 3}, {1, 2, 0, 4}, {2, 0, 1, 5}, {3, 5, 4, 0}, {4, 3, 5, 1}, {5, 4, 3, 2}};
constexpr int kHexahedron[8][4] = {{0, 1, 3, 4}, {1, 2, 0, 5}, {2, 3, 1, 6}, {3, 0, 2, 7},
                                   {4, 7, 5, 0}, {5, 4, 6, 1}, {6, 5, 7, 2}, {7, 6, 4, 3}};

class Inside {
public:
  Inside(const std::vector<Vec3>& fixed, std::vector<Vec3>& inner, const std::vector<std::array<int, 8>>& hexahedra,
         const std::vector<std::array<int, 6>>& wedges)
      : m_fixed(fixed), m_inner(inner), m_hexahedra(hexahedra), m_wedges(wedges), m_at(inner.size()) {
    for (std::size_t c = 0; c < size(); ++c)
      for (int v : cell(c))
        if (const auto n = static_cast<std::size_t>(v); n >= fixed.size())
          m_at[n - fixed.size()].push_back(static_cast<int>(c));
  }
  /// Hexahedra first, then wedges.
  std::size_t size() const { return m_hexahedra.size() + m_wedges.size(); }
  std::span<const int> cell(std::size_t c) const {
    return c < m_hexahedra.size() ? std::span<const int>(m_hexahedra[c])
                                  : std::span<const int>(m_wedges[c - m_hexahedra.size()]);
  }
  const Vec3& pt(int v) const {
    const auto n = static_cast<std::size_t>(v);
    return n < m_fixed.size() ? m_fixed[n] : m_inner[n - m_fixed.size()];
  }
  /// Smallest scaled corner Jacobian of a cell.
  double worstCorner(int c) const {
    double least = 1;
    const auto q = cell(static_cast<std::size_t>(c));
    const std::span<const int[4]> corners =
        q.size() == 8 ? std::span<const int[4]>(kHexahedron) : std::span<const int[4]>(kWedge);
    for (const auto& k : corners) {
      const Vec3 &o = pt(q[static_cast<std::size_t>(k[0])]), a = pt(q[static_cast<std::size_t>(k[1])]) - o,
                 b = pt(q[static_cast<std::size_t>(k[2])]) - o, d = pt(q[static_cast<std::size_t>(k[3])]) - o;
      const double l = a.norm() * b.norm() * d.norm();
      least = std::min(least, l > 0 ? a.cross(b).dot(d) / l : -1.0);
    }
    return least;
  }
  bool inverted(std::size_t c) const {
    std::vector<Vec3> p;
    for (int v : cell(c)) p.push_back(pt(v));
    return jacobianRange(p.size() == 8 ? ElementType::Hex8 : ElementType::Wedge6, p).least <= 0;
  }
  /// Cells that are inverted somewhere.
  std::vector<int> bad(const Progress& progress) const {
    return parallelCollect<int>(size(), &progress, [&](std::size_t c, auto& list) {
      if (inverted(c)) list.push_back(static_cast<int>(c));
    });
  }
  /// Lifts the worst corner around an inner node by steps along the axes. Returns whether it moved.
  bool lift(std::size_t v) {
    Vec3& p = m_inner[v];
    double reach = 0;
    auto score = [&] {
      double s = 1;
      for (int c : m_at[v]) s = std::min(s, worstCorner(c));
      return s;
    };
    for (int c : m_at[v])
      for (int w : cell(static_cast<std::size_t>(c))) reach = std::max(reach, (pt(w) - p).norm());
    double best = score(), step = 0.25 * reach;
    const double before = best;
    for (int level = 0; level < 6; ++level) {
      bool any = false;
      for (int k = 0; k < 6; ++k) {
        const Vec3 was = p;
        p[k / 2] += k % 2 ? -step : step;
        if (const double s = score(); s > best)
          best = s, any = true;
        else
          p = was;
      }
      if (!any) step *= 0.5;
    }
    return best > before + 1e-9;
  }
  const std::vector<int>& cellsAt(std::size_t v) const { return m_at[v]; }

private:
  const std::vector<Vec3>& m_fixed;
  std::vector<Vec3>& m_inner;
  const std::vector<std::array<int, 8>>& m_hexahedra;
  const std::vector<std::array<int, 6>>& m_wedges;
  std::vector<std::vector<int>> m_at; ///< cells at each inner node
};

} // namespace

std::optional<Vec3> untangleInside(const std::vector<Vec3>& fixed, std::vector<Vec3>& inner,
                                   const std::vector<std::array<int, 8>>& hexahedra,
                                   const std::vector<std::array<int, 6>>& wedges, const Progress& progress) {
  Inside mesh(fixed, inner, hexahedra, wedges);
  std::vector<int> bad = mesh.bad(progress);
  constexpr int kRounds = 30, kRings = 2;
  for (int round = 0; round < kRounds && !bad.empty(); ++round) {
    // The nodes of what is inverted and of what lies around it, in their order.
    std::vector<char> near(inner.size(), 0);
    std::vector<int> cells = bad;
    for (int ring = 0; ring < kRings; ++ring) {
      std::vector<int> more;
      for (int c : cells)
        for (int v : mesh.cell(static_cast<std::size_t>(c)))
          if (const auto n = static_cast<std::size_t>(v); n >= fixed.size() && !near[n - fixed.size()]) {
            near[n - fixed.size()] = 1;
            const auto& at = mesh.cellsAt(n - fixed.size());
            more.insert(more.end(), at.begin(), at.end());
          }
      cells = std::move(more);
    }
    bool any = false;
    for (std::size_t v = 0; v < inner.size(); ++v) {
      if ((v & 1023) == 0) progress.check();
      if (near[v]) any = mesh.lift(v) || any;
    }
    if (!any) break;
    bad = mesh.bad(progress);
  }
  if (bad.empty()) return {};
  Vec3 middle = Vec3::Zero();
  const auto worst = mesh.cell(static_cast<std::size_t>(bad.front()));
  for (int v : worst) middle += mesh.pt(v) / static_cast<double>(worst.size());
  return middle;
}

} // namespace tess
