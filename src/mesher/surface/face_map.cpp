// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/face_map.h"
#include "base/bvh.h"
#include "base/edge_key.h"
#include <Eigen/SparseLU>
#include <cmath>
#include <map>
#include <queue>
#include <set>

namespace tess {
namespace {

/// Display vertices along edges one after the other, from the start of the first to the end of the last.
std::vector<int> verticesAlong(const Part& part, const EdgeChain& chain) {
  std::vector<int> r;
  for (const auto& s : chain) {
    std::vector<int> nodes = part.display.edgeChain[static_cast<std::size_t>(s.edge)];
    if (!s.forward) std::reverse(nodes.begin(), nodes.end());
    r.insert(r.end(), nodes.begin() + (r.empty() ? 0 : 1), nodes.end());
  }
  return r;
}

} // namespace

struct FaceMap::Solver {
  std::vector<Vec3> points;                  ///< on the face
  std::vector<std::array<int, 3>> triangles; ///< of those
  std::vector<std::array<char, 3>> turned;   ///< per corner: one turn more than its point
  std::vector<std::array<double, 2>> place;  ///< per point
  std::vector<char> held;                    ///< per point: its place is given
  Bvh tree;                                  ///< of triangles in the plane
  bool ring = false;
  struct End {
    std::vector<int> nodes; ///< closed: the first comes again at the end
    std::vector<double> turn;
  } ends[2];
  double twist = 0; ///< of the far end against the near one

  std::array<double, 2> corner(std::size_t t, std::size_t k) const {
    auto p = place[static_cast<std::size_t>(triangles[t][k])];
    p[0] += turned[t][k];
    return p;
  }

  void take(const Part& part, int face, std::map<int, int>& local) {
    const auto& d = part.display;
    for (std::size_t i = 0; i < d.triangles.size(); ++i) {
      if (d.triangleFace[i] != face) continue;
      std::array<int, 3> t = d.triangles[i];
      for (int& v : t) {
        const auto [it, fresh] = local.emplace(v, static_cast<int>(points.size()));
        if (fresh) points.push_back(d.points[static_cast<std::size_t>(v)]);
        v = it->second;
      }
      triangles.push_back(t);
    }
    turned.assign(triangles.size(), {0, 0, 0});
    place.assign(points.size(), {0, 0});
    held.assign(points.size(), 0);
  }

  bool solve() {
    std::vector<int> row(points.size(), -1);
    int n = 0;
    for (std::size_t v = 0; v < points.size(); ++v)
      if (!held[v]) row[v] = n++;
    if (n > 0) {
      std::vector<Eigen::Triplet<double>> entries;
      Eigen::MatrixX2d right = Eigen::MatrixX2d::Zero(n, 2);
      for (std::size_t t = 0; t < triangles.size(); ++t)
        for (std::size_t k = 0; k < 3; ++k) {
          const auto v = static_cast<std::size_t>(triangles[t][k]);
          if (row[v] < 0) continue;
          const Vec3 &o = points[v], a = points[static_cast<std::size_t>(triangles[t][(k + 1) % 3])] - o,
                     b = points[static_cast<std::size_t>(triangles[t][(k + 2) % 3])] - o;
          const double half = std::tan(0.5 * std::atan2(a.cross(b).norm(), a.dot(b)));
          for (std::size_t j : {(k + 1) % 3, (k + 2) % 3}) {
            const auto w = static_cast<std::size_t>(triangles[t][j]);
            const double weight = half / std::max((points[w] - o).norm(), 1e-300);
            // weight * (w + its turn - v - its turn) = 0
            entries.emplace_back(row[v], row[v], weight);
            const double more = turned[t][j] - turned[t][k];
            right(row[v], 0) += weight * more;
            if (row[w] >= 0)
              entries.emplace_back(row[v], row[w], -weight);
            else
              for (int c = 0; c < 2; ++c) right(row[v], c) += weight * place[w][static_cast<std::size_t>(c)];
          }
        }
      Eigen::SparseMatrix<double> matrix(n, n);
      matrix.setFromTriplets(entries.begin(), entries.end());
      Eigen::SparseLU<Eigen::SparseMatrix<double>> lu;
      lu.compute(matrix);
      if (lu.info() != Eigen::Success) return false;
      const Eigen::MatrixX2d x = lu.solve(right);
      if (!x.allFinite()) return false;
      for (std::size_t v = 0; v < points.size(); ++v)
        if (row[v] >= 0) place[v] = {x(row[v], 0), x(row[v], 1)};
    }
    return true;
  }

  /// The far end turned so that the map stretches least: x + c y with the c of the least Dirichlet energy.
  void untwist() {
    double mixed = 0, own = 0;
    for (std::size_t t = 0; t < triangles.size(); ++t) {
      const Vec3 &a = points[static_cast<std::size_t>(triangles[t][0])],
                 b = points[static_cast<std::size_t>(triangles[t][1])] - a,
                 c = points[static_cast<std::size_t>(triangles[t][2])] - a, n = b.cross(c);
      const double area = n.norm();
      if (area <= 0) continue;
      // Gradients, rotated by a right angle and times twice the area; both alike.
      auto turnedGradient = [&](std::size_t k) {
        const double f0 = corner(t, 0)[k], f1 = corner(t, 1)[k], f2 = corner(t, 2)[k];
        return Vec3((f1 - f0) * c - (f2 - f0) * b);
      };
      const Vec3 gx = turnedGradient(0), gy = turnedGradient(1);
      mixed += gx.dot(gy) / area;
      own += gy.dot(gy) / area;
    }
    twist = own > 0 ? -mixed / own : 0;
    for (auto& p : place) p[0] += twist * p[1];
  }

  void index() {
    std::vector<Box> boxes;
    for (std::size_t t = 0; t < triangles.size(); ++t) {
      Box b;
      for (std::size_t k = 0; k < 3; ++k) b.add(Vec3(corner(t, k)[0], corner(t, k)[1], 0));
      b.grow(1e-9);
      boxes.push_back(b);
    }
    tree.build(boxes);
  }

  /// By how much the place lies inside a triangle at worst (negative: outside), and where it is there.
  double within(std::size_t t, double x, double y, Vec3& p) const {
    const auto a = corner(t, 0), b = corner(t, 1), c = corner(t, 2);
    const double d = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1]);
    if (std::abs(d) < 1e-300) {
      p = points[static_cast<std::size_t>(triangles[t][0])];
      return -1e300;
    }
    const double w1 = ((x - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (y - a[1])) / d,
                 w2 = ((b[0] - a[0]) * (y - a[1]) - (x - a[0]) * (b[1] - a[1])) / d, w0 = 1 - w1 - w2;
    p = w0 * points[static_cast<std::size_t>(triangles[t][0])] +
        w1 * points[static_cast<std::size_t>(triangles[t][1])] + w2 * points[static_cast<std::size_t>(triangles[t][2])];
    return std::min({w0, w1, w2});
  }
};

FaceMap::~FaceMap() = default;

FaceMap::FaceMap(const Part& part, int face, const std::array<EdgeChain, 4>& sides) : m(std::make_unique<Solver>()) {
  std::map<int, int> local;
  m->take(part, face, local);
  constexpr double kCorner[5][2] = {{0, 0}, {1, 0}, {1, 1}, {0, 1}, {0, 0}};
  for (std::size_t k = 0; k < 4; ++k) {
    const auto nodes = verticesAlong(part, sides[k]);
    std::vector<double> length{0};
    for (std::size_t i = 1; i < nodes.size(); ++i)
      length.push_back(length.back() + (part.display.points[static_cast<std::size_t>(nodes[i])] -
                                        part.display.points[static_cast<std::size_t>(nodes[i - 1])])
                                           .norm());
    for (std::size_t i = 0; i < nodes.size(); ++i) {
      const auto it = local.find(nodes[i]);
      if (it == local.end()) return;
      const double w = length[i] / std::max(length.back(), 1e-300);
      for (std::size_t c = 0; c < 2; ++c)
        m->place[static_cast<std::size_t>(it->second)][c] = (1 - w) * kCorner[k][c] + w * kCorner[k + 1][c];
      m->held[static_cast<std::size_t>(it->second)] = 1;
    }
  }
  m_good = m->solve();
  if (m_good) m->index();
}

FaceMap::FaceMap(const Part& part, int face, const EdgeChain& low, const EdgeChain& high)
    : m(std::make_unique<Solver>()) {
  std::map<int, int> local;
  m->ring = true;
  m->take(part, face, local);
  std::vector<int> loop[2] = {verticesAlong(part, low), verticesAlong(part, reversed(high))};
  std::vector<int> side(m->points.size(), -1); // which end a point lies on
  for (int y = 0; y < 2; ++y)
    for (int& v : loop[y]) {
      const auto it = local.find(v);
      if (it == local.end()) return;
      v = it->second;
      side[static_cast<std::size_t>(v)] = y;
    }
  // The shortest way from end to end that runs through the inside.
  std::map<int, std::set<int>> around;
  std::map<std::pair<int, int>, int> triangleOf; // by directed side
  for (std::size_t t = 0; t < m->triangles.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) {
      const int a = m->triangles[t][k], b = m->triangles[t][(k + 1) % 3];
      around[a].insert(b);
      around[b].insert(a);
      triangleOf[{a, b}] = static_cast<int>(t);
    }
  std::vector<double> far(m->points.size(), 1e300);
  std::vector<int> before(m->points.size(), -1);
  using Step = std::pair<double, int>;
  std::priority_queue<Step, std::vector<Step>, std::greater<>> todo;
  for (int v : loop[0])
    if (far[static_cast<std::size_t>(v)] > 0) {
      far[static_cast<std::size_t>(v)] = 0;
      todo.push({0, v});
    }
  int end = -1;
  while (!todo.empty() && end < 0) {
    const auto [d, v] = todo.top();
    todo.pop();
    if (d > far[static_cast<std::size_t>(v)]) continue;
    if (side[static_cast<std::size_t>(v)] == 1) {
      end = v;
      break;
    }
    for (int w : around[v]) {
      if (side[static_cast<std::size_t>(w)] == 0) continue;
      const double l = d + (m->points[static_cast<std::size_t>(w)] - m->points[static_cast<std::size_t>(v)]).norm();
      if (l >= far[static_cast<std::size_t>(w)]) continue;
      far[static_cast<std::size_t>(w)] = l;
      before[static_cast<std::size_t>(w)] = v;
      todo.push({l, w});
    }
  }
  if (end < 0) return;
  std::vector<int> cut{end};
  while (before[static_cast<std::size_t>(cut.back())] >= 0) cut.push_back(before[static_cast<std::size_t>(cut.back())]);
  std::reverse(cut.begin(), cut.end());
  // To the left of the cut, corners on it count one turn more.
  std::set<std::uint64_t> onCut;
  for (std::size_t k = 0; k + 1 < cut.size(); ++k) onCut.insert(edgeKey(cut[k], cut[k + 1]));
  for (std::size_t k = 0; k < cut.size(); ++k) {
    const int v = cut[k];
    const auto left = k + 1 < cut.size() ? triangleOf.find({v, cut[k + 1]}) : triangleOf.find({cut[k - 1], v});
    if (left == triangleOf.end()) return;
    std::vector<int> fan{left->second};
    std::set<int> seen{left->second};
    while (!fan.empty()) {
      const int t = fan.back();
      fan.pop_back();
      const auto& q = m->triangles[static_cast<std::size_t>(t)];
      for (std::size_t j = 0; j < 3; ++j) {
        if (q[j] == v) m->turned[static_cast<std::size_t>(t)][j] = 1;
        const int a = q[j], b = q[(j + 1) % 3];
        if ((a != v && b != v) || onCut.count(edgeKey(a, b))) continue;
        if (const auto next = triangleOf.find({b, a}); next != triangleOf.end() && seen.insert(next->second).second)
          fan.push_back(next->second);
      }
    }
  }
  for (int y = 0; y < 2; ++y) {
    auto& nodes = loop[y];
    nodes.pop_back();
    const auto first = std::find(nodes.begin(), nodes.end(), y == 0 ? cut.front() : cut.back());
    if (first == nodes.end()) return;
    std::rotate(nodes.begin(), first, nodes.end());
    nodes.push_back(nodes.front());
    auto& e = m->ends[y];
    e.nodes = nodes;
    e.turn = {0};
    for (std::size_t i = 1; i < nodes.size(); ++i)
      e.turn.push_back(
          e.turn.back() +
          (m->points[static_cast<std::size_t>(nodes[i])] - m->points[static_cast<std::size_t>(nodes[i - 1])]).norm());
    for (double& x : e.turn) x /= std::max(e.turn.back(), 1e-300);
    for (std::size_t i = 0; i + 1 < nodes.size(); ++i) {
      m->place[static_cast<std::size_t>(nodes[i])] = {e.turn[i], static_cast<double>(y)};
      m->held[static_cast<std::size_t>(nodes[i])] = 1;
    }
  }
  m_good = m->solve();
  if (!m_good) return;
  m->untwist();
  m->index();
}

Vec3 FaceMap::at(double x, double y) const {
  Vec3 best = Vec3::Zero(), p = Vec3::Zero();
  double most = -1e301;
  const double whole = m->ring ? std::floor(x) : 0;
  for (int k = m->ring ? -2 : 0; k <= (m->ring ? 2 : 0); ++k)
    for (double reach : {0.0, 0.05}) { // beside the outline, where it is straight between the face's points
      Box b;
      const double px = x - whole + k;
      b.add(Vec3(px, y, 0));
      b.grow(1e-9 + reach);
      m->tree.overlapping(b, [&](int t) {
        if (const double w = m->within(static_cast<std::size_t>(t), px, y, p); w > most) {
          most = w;
          best = p;
        }
        return true;
      });
      if (most >= -1e-9) return best;
    }
  return best;
}

double FaceMap::turnOf(const Vec3& p, int y) const {
  const auto& e = m->ends[y];
  double least = 1e300, r = 0;
  for (std::size_t i = 0; i + 1 < e.nodes.size(); ++i) {
    const Vec3 &a = m->points[static_cast<std::size_t>(e.nodes[i])],
               d = m->points[static_cast<std::size_t>(e.nodes[i + 1])] - a;
    const double l = d.squaredNorm(), w = l > 0 ? std::clamp((p - a).dot(d) / l, 0.0, 1.0) : 0;
    if (const double apart = (a + w * d - p).squaredNorm(); apart < least) {
      least = apart;
      r = (1 - w) * e.turn[i] + w * e.turn[i + 1];
    }
  }
  return r + (y ? m->twist : 0);
}

} // namespace tess
