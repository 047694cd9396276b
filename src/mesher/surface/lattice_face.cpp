// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/lattice_face.h"
#include <Eigen/SparseCholesky>
#include <algorithm>
#include <vector>

namespace tess {
namespace {

constexpr int kStepI[4] = {1, 0, -1, 0}, kStepJ[4] = {0, 1, 0, -1};

class Lattice {
public:
  Lattice(const FaceCells& base, const std::vector<int>& ways) : m_ways(ways), m(base) {}

  std::optional<FaceCells> cells() {
    if (!place() || !fill()) return {};
    spacings();
    solve();
    return std::move(m);
  }

private:
  const std::vector<int>& m_ways;
  FaceCells m;
  std::vector<int> m_i, m_j;               ///< per node of the boundary
  int m_ni = 0, m_nj = 0;                  ///< cells along both ways
  std::vector<int> m_node;                 ///< per place in the grid, -1 where there is none
  std::vector<double> m_di, m_dj;          ///< lengths of columns and rows
  std::vector<std::array<int, 2>> m_inner; ///< places of the inner nodes

  std::size_t at(int i, int j) const {
    return static_cast<std::size_t>(j) * static_cast<std::size_t>(m_ni + 1) + static_cast<std::size_t>(i);
  }

  bool place() {
    const std::size_t n = m.rim;
    int i = 0, j = 0, lowI = 0, lowJ = 0;
    for (std::size_t k = 0; k < n; ++k) {
      m_i.push_back(i);
      m_j.push_back(j);
      lowI = std::min(lowI, i);
      lowJ = std::min(lowJ, j);
      i += kStepI[m_ways[k]];
      j += kStepJ[m_ways[k]];
    }
    if (i != 0 || j != 0) return false;
    for (std::size_t k = 0; k < n; ++k) {
      m_ni = std::max(m_ni, m_i[k] -= lowI);
      m_nj = std::max(m_nj, m_j[k] -= lowJ);
    }
    m_node.assign(at(m_ni, m_nj) + 1, -1);
    for (std::size_t k = 0; k < n; ++k) {
      int& v = m_node[at(m_i[k], m_j[k])];
      if (v >= 0) return false; // the boundary meets itself
      v = static_cast<int>(k);
    }
    return true;
  }

  /// Cells that the boundary goes round, and nodes inside.
  bool fill() {
    // Upright sides at which a row enters and leaves.
    std::vector<std::vector<std::array<int, 2>>> crossed(static_cast<std::size_t>(m_nj)); // column, enters
    for (std::size_t k = 0; k < m.rim; ++k)
      if (m_ways[k] % 2)
        crossed[static_cast<std::size_t>(m_ways[k] == 1 ? m_j[k] : m_j[k] - 1)].push_back(
            {m_i[k], m_ways[k] == 3 ? 1 : 0});
    std::vector<char> inside(static_cast<std::size_t>(m_ni) * static_cast<std::size_t>(m_nj), 0);
    auto cell = [&](int i, int j) -> char& {
      return inside[static_cast<std::size_t>(j) * static_cast<std::size_t>(m_ni) + static_cast<std::size_t>(i)];
    };
    for (int j = 0; j < m_nj; ++j) {
      auto& row = crossed[static_cast<std::size_t>(j)];
      std::sort(row.begin(), row.end());
      for (std::size_t k = 0; k < row.size(); ++k)
        if ((row[k][1] != 0) != (k % 2 == 0)) return false; // inside out
      for (std::size_t k = 0; k + 1 < row.size(); k += 2)
        for (int i = row[k][0]; i < row[k + 1][0]; ++i) cell(i, j) = 1;
    }
    for (int j = 1; j < m_nj; ++j)
      for (int i = 1; i < m_ni; ++i) {
        if (m_node[at(i, j)] >= 0 || !cell(i, j)) continue;
        m_node[at(i, j)] = static_cast<int>(m.rim + m_inner.size());
        m_inner.push_back({i, j});
      }
    for (int j = 0; j < m_nj; ++j)
      for (int i = 0; i < m_ni; ++i)
        if (cell(i, j))
          m.quads.push_back({m_node[at(i, j)], m_node[at(i + 1, j)], m_node[at(i + 1, j + 1)], m_node[at(i, j + 1)]});
    return true;
  }

  /// Mean lengths of the boundary's elements that lie along each column and row.
  void spacings() {
    std::vector<int> countI(static_cast<std::size_t>(m_ni), 0), countJ(static_cast<std::size_t>(m_nj), 0);
    m_di.assign(countI.size(), 0);
    m_dj.assign(countJ.size(), 0);
    for (std::size_t k = 0; k < m.rim; ++k) {
      const std::size_t next = (k + 1) % m.rim;
      const double length = (m.points[next] - m.points[k]).norm();
      const bool along = m_ways[k] % 2 == 0;
      const auto c = static_cast<std::size_t>(along ? std::min(m_i[k], m_i[next]) : std::min(m_j[k], m_j[next]));
      (along ? m_di : m_dj)[c] += length;
      ++(along ? countI : countJ)[c];
    }
    for (std::size_t c = 0; c < m_di.size(); ++c) m_di[c] /= std::max(1, countI[c]);
    for (std::size_t c = 0; c < m_dj.size(); ++c) m_dj[c] /= std::max(1, countJ[c]);
  }

  void solve() {
    const auto n = static_cast<Eigen::Index>(m_inner.size());
    m.points.resize(m.rim + m_inner.size());
    m.normals.resize(m.points.size(), m.normals.front());
    if (n == 0) return;
    std::vector<Eigen::Triplet<double>> entries;
    Eigen::MatrixX3d right = Eigen::MatrixX3d::Zero(n, 3);
    for (Eigen::Index k = 0; k < n; ++k) {
      const auto [i, j] = m_inner[static_cast<std::size_t>(k)];
      const double west = m_di[static_cast<std::size_t>(i - 1)], east = m_di[static_cast<std::size_t>(i)],
                   south = m_dj[static_cast<std::size_t>(j - 1)], north = m_dj[static_cast<std::size_t>(j)];
      const double high = 0.5 * (south + north), wide = 0.5 * (west + east);
      double sum = 0;
      auto add = [&](int node, double w) {
        sum += w;
        if (static_cast<std::size_t>(node) < m.rim)
          right.row(k) += w * m.points[static_cast<std::size_t>(node)].transpose();
        else
          entries.emplace_back(k, node - static_cast<int>(m.rim), -w);
      };
      add(m_node[at(i - 1, j)], high / west);
      add(m_node[at(i + 1, j)], high / east);
      add(m_node[at(i, j - 1)], wide / south);
      add(m_node[at(i, j + 1)], wide / north);
      entries.emplace_back(k, k, sum);
    }
    Eigen::SparseMatrix<double> a(n, n);
    a.setFromTriplets(entries.begin(), entries.end());
    const Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> ldlt(a);
    const Eigen::MatrixX3d x = ldlt.solve(right);
    for (Eigen::Index k = 0; k < n; ++k) m.points[m.rim + static_cast<std::size_t>(k)] = x.row(k).transpose();
  }
};

} // namespace

std::optional<FaceCells> cellsInLattice(const FaceCells& base, const std::vector<int>& ways) {
  if (base.rim < 4 || ways.size() != base.rim) return {};
  return Lattice(base, ways).cells();
}

} // namespace tess
