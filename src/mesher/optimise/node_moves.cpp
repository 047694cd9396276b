// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/optimise/node_moves.h"
#include "base/parallel.h"
#include "mesh/element.h"
#include "mesh/jacobian.h"
#include <cmath>

namespace tess {
namespace {

class Mover {
public:
  explicit Mover(MovableCells& cells) : m(cells) {}
  /// Finds the cells at each inner node, which most meshes never need.
  void join() {
    m_start.assign(m.inner.size() + 1, 0);
    auto visit = [&](auto&& use) {
      for (std::size_t c = 0; c < size(); ++c)
        for (int v : cell(c))
          if (const auto n = static_cast<std::size_t>(v); n >= m.fixed.size()) use(n - m.fixed.size(), c);
    };
    visit([&](std::size_t n, std::size_t) { ++m_start[n + 1]; });
    for (std::size_t n = 1; n < m_start.size(); ++n) m_start[n] += m_start[n - 1];
    m_cells.resize(m_start.back());
    m_facetStart.assign(m.inner.size() + 1, 0);
    auto atFacets = [&](auto&& use) {
      for (std::size_t f = 0; f < m.facets.size(); ++f)
        for (int v : m.facets[f])
          if (v >= 0)
            if (const auto n = static_cast<std::size_t>(v); n >= m.fixed.size()) use(n - m.fixed.size(), f);
    };
    atFacets([&](std::size_t n, std::size_t) { ++m_facetStart[n + 1]; });
    for (std::size_t n = 1; n < m_facetStart.size(); ++n) m_facetStart[n] += m_facetStart[n - 1];
    m_facetsAt.resize(m_facetStart.back());
    std::vector<std::size_t> nextFacet(m_facetStart.begin(), m_facetStart.end() - 1);
    atFacets([&](std::size_t n, std::size_t f) { m_facetsAt[nextFacet[n]++] = static_cast<int>(f); });
    std::vector<std::size_t> next(m_start.begin(), m_start.end() - 1);
    visit([&](std::size_t n, std::size_t c) { m_cells[next[n]++] = static_cast<int>(c); });
  }

  std::size_t size() const { return m.hexahedra.size() + m.wedges.size() + m.pyramids.size() + m.tetrahedra.size(); }
  std::span<const int> cell(std::size_t c) const {
    if (c < m.hexahedra.size()) return m.hexahedra[c];
    c -= m.hexahedra.size();
    if (c < m.wedges.size()) return m.wedges[c];
    c -= m.wedges.size();
    if (c < m.pyramids.size()) return m.pyramids[c];
    return m.tetrahedra[c - m.pyramids.size()];
  }
  const Vec3& pt(int v) const {
    const auto n = static_cast<std::size_t>(v);
    return n < m.fixed.size() ? m.fixed[n] : m.inner[n - m.fixed.size()];
  }
  /// Where a node comes to that is asked to go from one place to another.
  Vec3 bound(std::size_t n, const Vec3& from, const Vec3& to) const {
    const Vec3 way = to - from;
    if (!m.along.empty() && m.along[n] != Vec3::Zero()) return from + m.along[n].dot(way) * m.along[n];
    if (!m.square.empty() && m.square[n] != Vec3::Zero()) return to - m.square[n].dot(way) * m.square[n];
    return to;
  }
  bool free(std::size_t n) const { return m.held.empty() || !m.held[n]; }
  bool slides(std::size_t n) const {
    return (!m.square.empty() && m.square[n] != Vec3::Zero()) || (!m.along.empty() && m.along[n] != Vec3::Zero());
  }
  /// Smallest sine of a corner of the facets at a node that slides, as their normals see it.
  double worstOfFacets(std::size_t n) const {
    double least = 1;
    for (int at : facetsAt(n)) {
      const auto f = static_cast<std::size_t>(at);
      const auto& q = m.facets[f];
      const std::size_t size = q[3] < 0 ? 3 : 4;
      for (std::size_t k = 0; k < size; ++k) {
        const Vec3 &o = pt(q[k]), a = pt(q[(k + 1) % size]) - o, b = pt(q[(k + size - 1) % size]) - o;
        const double l = std::sqrt(a.squaredNorm() * b.squaredNorm());
        least = std::min(least, l > 0 ? a.cross(b).dot(m.facetNormals[f]) / l : -1.0);
      }
    }
    return least;
  }
  /// Towards the middle of the nodes around in its facets: all of a flat region by and by comes apart so (Tutte 1963).
  void toMiddle(std::size_t n) {
    Vec3& p = m.inner[n];
    Vec3 middle = Vec3::Zero();
    int count = 0;
    for (int f : facetsAt(n))
      for (int v : m.facets[static_cast<std::size_t>(f)])
        if (v >= 0 && static_cast<std::size_t>(v) != n + m.fixed.size()) middle += pt(v), ++count;
    if (count) p = bound(n, p, middle / count);
  }
  /// The same unless a facet folds by it. False where the node stays.
  bool evenOut(std::size_t n) {
    const Vec3 begin = m.inner[n];
    toMiddle(n);
    if (worstOfFacets(n) > 0.1 && (m.inner[n] - begin).squaredNorm() > 0) return true;
    m.inner[n] = begin;
    return false;
  }
  /// Nodes that slide with a folded facet at them, and in rings around.
  std::vector<std::size_t> folded(int rings) const {
    constexpr double kFolded = 0.05;
    std::vector<char> in(m.inner.size(), 0);
    std::vector<std::size_t> r;
    auto add = [&](std::size_t n) {
      if (!in[n] && free(n) && slides(n)) r.push_back(n);
      in[n] = 1;
    };
    for (std::size_t n = 0; n < in.size(); ++n)
      if (free(n) && slides(n) && worstOfFacets(n) < kFolded) add(n);
    for (std::size_t from = 0; rings > 0; --rings) {
      const std::size_t to = r.size();
      for (; from < to; ++from)
        for (int f : facetsAt(r[from]))
          for (int v : m.facets[static_cast<std::size_t>(f)])
            if (v >= static_cast<int>(m.fixed.size())) add(static_cast<std::size_t>(v) - m.fixed.size());
    }
    return r;
  }
  std::span<const int> facetsAt(std::size_t n) const {
    return {m_facetsAt.data() + m_facetStart[n], m_facetStart[n + 1] - m_facetStart[n]};
  }
  std::span<const int> cellsAt(std::size_t n) const {
    return {m_cells.data() + m_start[n], m_start[n + 1] - m_start[n]};
  }

  double worstCorner(std::size_t c) const {
    const auto q = cell(c);
    const CornerTable table = cornerTable(q.size());
    double least = 1;
    for (const auto& k : table.corners) {
      const Vec3 &o = pt(q[k[0]]), a = pt(q[k[1]]) - o, b = pt(q[k[2]]) - o, d = pt(q[k[3]]) - o;
      const double l = std::sqrt(a.squaredNorm() * b.squaredNorm() * d.squaredNorm());
      least = std::min(least, l > 0 ? table.scale * a.cross(b).dot(d) / l : -1.0);
    }
    return least;
  }
  /// Positive corners are all that tetrahedra and pyramids need.
  bool inverted(std::size_t c) const {
    const auto q = cell(c);
    if (q.size() < 6) return worstCorner(c) <= 0;
    std::array<Vec3, 8> p;
    for (std::size_t k = 0; k < q.size(); ++k) p[k] = pt(q[k]);
    if (q.size() == 8 && plainlyPositive(p)) return false;
    return jacobianRange(q.size() == 8 ? ElementType::Hex8 : ElementType::Wedge6, {p.data(), q.size()}).least <= 0;
  }

  /// The Jacobian's columns are means of a hexahedron's edges one way, another and the third: where all determinants
  /// of one edge each are positive, so is the Jacobian throughout.
  static bool plainlyPositive(const std::array<Vec3, 8>& p) {
    const std::array<Vec3, 4> i{p[1] - p[0], p[2] - p[3], p[5] - p[4], p[6] - p[7]},
        j{p[3] - p[0], p[2] - p[1], p[7] - p[4], p[6] - p[5]}, k{p[4] - p[0], p[5] - p[1], p[6] - p[2], p[7] - p[3]};
    for (const Vec3& a : i)
      for (const Vec3& b : j) {
        const Vec3 n = a.cross(b);
        for (const Vec3& c : k)
          if (!(n.dot(c) > 0)) return false;
      }
    return true;
  }

  double score(std::size_t n) const {
    double s = slides(n) ? worstOfFacets(n) : 1;
    for (int c : cellsAt(n)) s = std::min(s, worstCorner(static_cast<std::size_t>(c)));
    return s;
  }
  bool anyInverted(std::size_t n) const {
    return std::any_of(cellsAt(n).begin(), cellsAt(n).end(),
                       [&](int c) { return inverted(static_cast<std::size_t>(c)); });
  }

  /// The middle of all nodes that share a cell, then steps along the axes. `sound`: no cell around may become inverted.
  bool lift(std::size_t n, bool sound) {
    Vec3& p = m.inner[n];
    const Vec3 begin = p;
    const double before = score(n);
    double best = before, reach = 0;
    Vec3 middle = Vec3::Zero();
    int count = 0;
    for (int c : cellsAt(n))
      for (int w : cell(static_cast<std::size_t>(c)))
        if (static_cast<std::size_t>(w) != n + m.fixed.size()) {
          middle += pt(w);
          ++count;
          reach = std::max(reach, (pt(w) - p).norm());
        }
    if (count == 0) return false;
    auto tryAt = [&](const Vec3& at) {
      const Vec3 was = p;
      p = bound(n, begin, at);
      if (const double s = score(n); s > best + 1e-9) {
        best = s;
        return true;
      }
      p = was;
      return false;
    };
    middle /= count;
    for (double share : {1.0, 0.5}) tryAt(begin + share * (middle - begin));
    double step = 0.25 * reach;
    for (int level = 0; level < 6; ++level) {
      bool any = false;
      for (int k = 0; k < 6; ++k) {
        Vec3 at = p;
        at[k / 2] += k % 2 ? -step : step;
        any = tryAt(at) || any;
      }
      if (!any) step *= 0.5;
    }
    if (best <= before + 1e-6) {
      p = begin;
      return false;
    }
    if (sound && anyInverted(n)) {
      p = begin;
      return false;
    }
    return true;
  }

  /// Lowers the foldover-free energy at a node (Garanzha, Kaporin, Kudryavtseva, Protais, Ray & Sokolov 2021) by steps
  /// along the axes: unlike the worst corner alone it lets a knot of inverted cells come apart together. `soft`: below
  /// this share of a regular corner's determinant a corner counts as nearly flat, whatever its sign.
  bool relax(std::size_t n, double soft) {
    Vec3& p = m.inner[n];
    double edge = 0;
    int edges = 0;
    for (int c : cellsAt(n)) {
      const auto q = cell(static_cast<std::size_t>(c));
      for (const auto& k : cornerTable(q.size()).corners)
        for (std::size_t j = 1; j < 4; ++j) {
          edge += (pt(q[k[j]]) - pt(q[k[0]])).norm();
          ++edges;
        }
    }
    if (edges == 0 || edge <= 0) return false;
    edge /= edges;
    auto energy = [&] {
      double sum = 0;
      for (int c : cellsAt(n)) {
        const auto q = cell(static_cast<std::size_t>(c));
        const CornerTable table = cornerTable(q.size());
        for (const auto& k : table.corners) {
          const Vec3 &o = pt(q[k[0]]), a = (pt(q[k[1]]) - o) / edge, b = (pt(q[k[2]]) - o) / edge,
                     d = (pt(q[k[3]]) - o) / edge;
          const double det = table.scale * a.cross(b).dot(d), lifted = 0.5 * (det + std::sqrt(soft * soft + det * det)),
                       root = std::cbrt(lifted);
          sum += (a.squaredNorm() + b.squaredNorm() + d.squaredNorm()) / (root * root) + (det * det + 1) / lifted;
        }
      }
      return sum;
    };
    const Vec3 begin = p;
    double best = energy();
    const double before = best;
    double step = 0.3 * edge;
    for (int level = 0; level < 5; ++level) {
      bool any = false;
      for (int k = 0; k < 6; ++k) {
        const Vec3 was = p;
        Vec3 to = p;
        to[k / 2] += k % 2 ? -step : step;
        p = bound(n, begin, to);
        if (const double e = energy(); e < best * (1 - 1e-9)) {
          best = e;
          any = true;
        } else
          p = was;
      }
      if (!any) step *= 0.5;
    }
    return best < before * (1 - 1e-6);
  }

  /// Nodes that may be moved in these cells and in rings around them.
  std::vector<char> around(std::vector<int> cells, int rings) const {
    std::vector<char> near(m.inner.size(), 0);
    for (int ring = 0; ring < rings; ++ring) {
      std::vector<int> more;
      for (int c : cells)
        for (int v : cell(static_cast<std::size_t>(c)))
          if (const auto k = static_cast<std::size_t>(v); k >= m.fixed.size() && !near[k - m.fixed.size()]) {
            near[k - m.fixed.size()] = 1;
            const auto at = cellsAt(k - m.fixed.size());
            more.insert(more.end(), at.begin(), at.end());
          }
      cells = std::move(more);
    }
    return near;
  }

  template <class F> std::vector<int> cellsThat(const Progress& progress, F&& are) const {
    return parallelCollect<int>(size(), &progress, [&](std::size_t c, auto& list) {
      if (are(c)) list.push_back(static_cast<int>(c));
    });
  }

private:
  MovableCells& m;
  std::vector<std::size_t> m_start; ///< per inner node, into m_cells
  std::vector<int> m_cells;
  std::vector<std::size_t> m_facetStart; ///< per inner node, into m_facetsAt
  std::vector<int> m_facetsAt;
};

} // namespace

NodeMoves moveNodes(MovableCells cells, double good, const Progress& progress) {
  Mover mesh(cells);
  NodeMoves r;
  auto inverted = [&](std::size_t c) { return mesh.inverted(c); };
  auto poor = [&](std::size_t c) { return mesh.worstCorner(c) < good; };
  auto worst = [&] {
    const auto all = parallelCollect<double>(mesh.size(), &progress, [&](std::size_t c, auto& list) {
      if (const double w = mesh.worstCorner(c); list.empty() || w < list.back()) list.push_back(w);
    });
    return all.empty() ? 1.0 : *std::min_element(all.begin(), all.end());
  };
  std::vector<int> bad = mesh.cellsThat(progress, inverted);
  r.worstBefore = r.worstAfter = worst();
  if (bad.empty() && r.worstBefore >= good) return r;
  mesh.join();
  constexpr int kUnfold = 200, kUntangle = 20, kRelax = 60, kImprove = 8, kRings = 2;
  auto pass = [&](const std::vector<char>& near, auto&& change) {
    bool any = false;
    for (std::size_t n = 0; n < near.size(); ++n) {
      if ((n & 255) == 0) progress.check();
      if (near[n] && mesh.free(n) && !mesh.slides(n)) any = change(n) || any;
    }
    return any;
  };
  // The boundary first, so that it stays where it is while cells come apart.
  for (int round = 0; round < kUnfold; ++round) {
    const std::vector<std::size_t> nodes = mesh.folded(1 + round / 20);
    if (nodes.empty()) break;
    progress.check();
    for (std::size_t n : nodes) mesh.toMiddle(n);
    bad = mesh.cellsThat(progress, inverted);
  }
  auto untangle = [&] {
    for (int round = 0; round < kUntangle && !bad.empty(); ++round) {
      if (!pass(mesh.around(bad, kRings), [&](std::size_t n) { return mesh.lift(n, false); })) break;
      bad = mesh.cellsThat(progress, inverted);
    }
  };
  untangle();
  if (!bad.empty()) {
    // A knot: all of it comes apart at once, and what comes of that is taken where less is inverted.
    const std::vector<Vec3> knotted(cells.inner.begin(), cells.inner.end());
    const std::vector<int> wereBad = bad;
    double soft = 0.5;
    for (int round = 0; round < kRelax && !bad.empty(); ++round) {
      const bool any = pass(mesh.around(bad, kRings + 1), [&](std::size_t n) { return mesh.relax(n, soft); });
      bad = mesh.cellsThat(progress, inverted);
      if (!any && soft < 1e-3) break;
      if (round % 4 == 3 || !any) soft *= 0.5;
    }
    untangle();
    if (bad.size() >= wereBad.size()) {
      std::copy(knotted.begin(), knotted.end(), cells.inner.begin());
      bad = wereBad;
    }
  }
  // Cells at a boundary that is crowded: it becomes more even there, too.
  for (int round = 0; round < kUntangle && !bad.empty() && !cells.facets.empty(); ++round) {
    const auto near = mesh.around(bad, kRings);
    bool any = false;
    for (std::size_t n = 0; n < near.size(); ++n)
      if (near[n] && mesh.free(n) && mesh.slides(n)) any = mesh.evenOut(n) || any;
    if (!any) break;
    bad = mesh.cellsThat(progress, inverted);
    untangle();
  }
  for (int round = 0; round < kImprove; ++round) {
    const auto cellsBelow = mesh.cellsThat(progress, poor);
    if (cellsBelow.empty()) break;
    const auto near = mesh.around(cellsBelow, 1);
    bool any = false;
    for (std::size_t n = 0; n < near.size(); ++n) {
      if ((n & 255) == 0) progress.check();
      if (near[n] && mesh.free(n) && mesh.score(n) < good) any = mesh.lift(n, !mesh.anyInverted(n)) || any;
    }
    if (!any) break;
  }
  bad = mesh.cellsThat(progress, inverted);
  r.worstAfter = worst();
  if (!bad.empty()) {
    const auto q = mesh.cell(static_cast<std::size_t>(bad.front()));
    Vec3 middle = Vec3::Zero();
    for (int v : q) middle += mesh.pt(v) / static_cast<double>(q.size());
    r.inverted = middle;
  }
  return r;
}

} // namespace tess
