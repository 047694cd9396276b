// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/jacobian.h"
#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <vector>

namespace tess {
namespace {

constexpr int kHalvings = 7;         ///< of the element in each direction until its sign counts as undecided
constexpr std::size_t kBoxes = 4000; ///< parts of one element that are looked at
constexpr double kUndecided = 1e-3;  ///< of the largest coefficient

/// The derivatives of all shape functions in the directions of a unit cube that is laid onto the element, by node.
using Gradients = std::vector<Vec3>;

Gradients linearHex(double u, double v, double w) {
  static const int at[8][3] = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}};
  Gradients g;
  for (const auto& a : at) {
    const double x = a[0] ? u : 1 - u, y = a[1] ? v : 1 - v, z = a[2] ? w : 1 - w;
    g.emplace_back((a[0] ? 1 : -1) * y * z, (a[1] ? 1 : -1) * x * z, (a[2] ? 1 : -1) * x * y);
  }
  return g;
}

Gradients quadraticHex(double u, double v, double w) { // serendipity functions
  const double x[3] = {2 * u - 1, 2 * v - 1, 2 * w - 1};
  static const int at[8][3] = {{-1, -1, -1}, {1, -1, -1}, {1, 1, -1}, {-1, 1, -1},
                               {-1, -1, 1},  {1, -1, 1},  {1, 1, 1},  {-1, 1, 1}};
  Gradients g;
  for (const auto& a : at) {
    double f[3], sum = -2;
    for (int k = 0; k < 3; ++k) {
      f[k] = 1 + a[k] * x[k];
      sum += a[k] * x[k];
    }
    Vec3 d;
    for (int k = 0; k < 3; ++k) {
      const double others = f[(k + 1) % 3] * f[(k + 2) % 3];
      d[k] = 2 * 0.125 * a[k] * others * (sum + f[k]);
    }
    g.push_back(d);
  }
  for (std::size_t e = 0; e < 12; ++e) {
    const auto& ends = topology(ElementType::Hex20).edge[e];
    const auto &p = at[ends[0]], &q = at[ends[1]];
    double f[3], df[3];
    for (int k = 0; k < 3; ++k) {
      const bool along = p[k] != q[k];
      f[k] = along ? 1 - x[k] * x[k] : 1 + p[k] * x[k];
      df[k] = along ? -2 * x[k] : p[k];
    }
    Vec3 d;
    for (int k = 0; k < 3; ++k) d[k] = 2 * 0.25 * df[k] * f[(k + 1) % 3] * f[(k + 2) % 3];
    g.push_back(d);
  }
  return g;
}

/// Triangles are laid out by r = u, s = v (1 - u); the derivatives stay those by r and s.
Gradients linearWedge(double u, double v, double w) {
  const double s = v * (1 - u), l[3] = {1 - u - s, u, s};
  static const double dl[3][2] = {{-1, -1}, {1, 0}, {0, 1}};
  Gradients g;
  for (int top = 0; top < 2; ++top)
    for (int i = 0; i < 3; ++i) {
      const double f = top ? w : 1 - w;
      g.emplace_back(dl[i][0] * f, dl[i][1] * f, (top ? 1 : -1) * l[i]);
    }
  return g;
}

Gradients quadraticWedge(double u, double v, double w) {
  const double s = v * (1 - u), l[3] = {1 - u - s, u, s}, z = 2 * w - 1;
  static const double dl[3][2] = {{-1, -1}, {1, 0}, {0, 1}};
  Gradients g;
  for (int side : {-1, 1})
    for (int i = 0; i < 3; ++i) {
      // l (2 l - 1) (1 +- z) / 2 - l (1 - z z) / 2
      const double byL = 0.5 * (4 * l[i] - 1) * (1 + side * z) - 0.5 * (1 - z * z);
      const double byZ = 0.5 * side * l[i] * (2 * l[i] - 1) + l[i] * z;
      g.emplace_back(dl[i][0] * byL, dl[i][1] * byL, 2 * byZ);
    }
  for (int side : {-1, 1})
    for (int i = 0; i < 3; ++i) {
      const int j = (i + 1) % 3;
      const double f = 2 * (1 + side * z);
      g.emplace_back(f * (dl[i][0] * l[j] + l[i] * dl[j][0]), f * (dl[i][1] * l[j] + l[i] * dl[j][1]),
                     2 * 2 * side * l[i] * l[j]);
    }
  for (int i = 0; i < 3; ++i) g.emplace_back(dl[i][0] * (1 - z * z), dl[i][1] * (1 - z * z), 2 * -2 * z * l[i]);
  return g;
}

/// By x, y and z, x and y from -1 to 1 on the base; `basis` as it changes along them, with u = x / (1 - z) and v alike
/// held when z changes, which leaves the determinant as it is.
Gradients quadraticPyramid(double u01, double v01, double z) {
  using Matrix = Eigen::Matrix<double, 13, 13>;
  auto basis = [](double x, double y, double h, double* f) {
    const double r = h < 1 ? 1 / (1 - h) : 0; // all three terms with it vanish at the apex
    const double v[13] = {
        1, x, y, h, x * x, x * y, x * h, y * y, y * h, h * h, x * y * h * r, x * x * y * r, x * y * y * r};
    std::copy_n(v, 13, f);
  };
  static const Matrix inverse = [&] {
    std::vector<Vec3> at{{-1, -1, 0}, {1, -1, 0}, {1, 1, 0}, {-1, 1, 0}, {0, 0, 1}};
    for (std::size_t e = 0; e < 8; ++e) {
      const auto& ends = topology(ElementType::Pyramid13).edge[e];
      at.push_back(0.5 * (at[static_cast<std::size_t>(ends[0])] + at[static_cast<std::size_t>(ends[1])]));
    }
    Matrix m;
    for (int i = 0; i < 13; ++i) {
      double row[13];
      basis(at[static_cast<std::size_t>(i)].x(), at[static_cast<std::size_t>(i)].y(),
            at[static_cast<std::size_t>(i)].z(), row);
      for (int k = 0; k < 13; ++k) m(i, k) = row[k];
    }
    return Matrix(m.inverse());
  }();
  const double u = 2 * u01 - 1, v = 2 * v01 - 1, h = 1 - z;
  const double dx[13] = {0, 1, 0, 0, 2 * u * h, v * h, z, 0, 0, 0, v * z, 2 * u * v * h, v * v * h};
  const double dy[13] = {0, 0, 1, 0, 0, u * h, 0, 2 * v * h, z, 0, u * z, u * u * h, 2 * u * v * h};
  const double dz[13] = {0,
                         -u,
                         -v,
                         1,
                         -2 * u * u * h,
                         -2 * u * v * h,
                         u * (1 - 2 * z),
                         -2 * v * v * h,
                         v * (1 - 2 * z),
                         2 * z,
                         u * v * (1 - 2 * z),
                         -2 * u * u * v * h,
                         -2 * u * v * v * h};
  Gradients g;
  for (int node = 0; node < 13; ++node) {
    Vec3 d = Vec3::Zero();
    for (int k = 0; k < 13; ++k) d += inverse(k, node) * Vec3(2 * dx[k], 2 * dy[k], dz[k]); // by a base of width 1
    g.push_back(d);
  }
  return g;
}

/// What is known of a type once: its degrees in the three directions, and the gradients where it is sampled.
struct Sampling {
  std::array<int, 3> degree;
  Eigen::MatrixXd gradients;                  ///< rows: three by sample; columns: nodes
  std::array<Eigen::MatrixXd, 3> toBernstein; ///< by direction, from values at equal steps
  std::size_t count() const { return static_cast<std::size_t>((degree[0] + 1) * (degree[1] + 1) * (degree[2] + 1)); }
};

double binomial(int n, int k) {
  double r = 1;
  for (int i = 1; i <= k; ++i) r = r * (n - k + i) / i;
  return r;
}

Sampling samplingOf(std::array<int, 3> degree, Gradients (*at)(double, double, double)) {
  Sampling s;
  s.degree = degree;
  for (std::size_t d = 0; d < 3; ++d) {
    const int n = degree[d];
    Eigen::MatrixXd m(n + 1, n + 1);
    for (int i = 0; i <= n; ++i)
      for (int k = 0; k <= n; ++k) {
        const double x = n ? static_cast<double>(i) / n : 0;
        m(i, k) = binomial(n, k) * std::pow(x, k) * std::pow(1 - x, n - k);
      }
    s.toBernstein[d] = m.inverse();
  }
  auto step = [&](std::size_t d, int i) { return degree[d] ? static_cast<double>(i) / degree[d] : 0.0; };
  std::vector<Gradients> all;
  for (int k = 0; k <= degree[2]; ++k)
    for (int j = 0; j <= degree[1]; ++j)
      for (int i = 0; i <= degree[0]; ++i) all.push_back(at(step(0, i), step(1, j), step(2, k)));
  s.gradients.resize(static_cast<Eigen::Index>(3 * all.size()), static_cast<Eigen::Index>(all[0].size()));
  for (std::size_t r = 0; r < all.size(); ++r)
    for (std::size_t n = 0; n < all[r].size(); ++n)
      for (std::size_t d = 0; d < 3; ++d)
        s.gradients(static_cast<Eigen::Index>(3 * r + d), static_cast<Eigen::Index>(n)) =
            all[r][n][static_cast<int>(d)];
  return s;
}

const Sampling& samplingOf(ElementType type) {
  static const Sampling hex8 = samplingOf({2, 2, 2}, linearHex), hex20 = samplingOf({5, 5, 5}, quadraticHex),
                        wedge6 = samplingOf({1, 1, 2}, linearWedge), wedge15 = samplingOf({4, 4, 5}, quadraticWedge),
                        pyramid13 = samplingOf({5, 5, 3}, quadraticPyramid);
  switch (type) {
  case ElementType::Hex8:
    return hex8;
  case ElementType::Hex20:
    return hex20;
  case ElementType::Wedge6:
    return wedge6;
  case ElementType::Wedge15:
    return wedge15;
  default:
    return pyramid13;
  }
}

/// Coefficients in three directions, the first running fastest.
struct Coefficients {
  std::array<int, 3> degree{};
  std::vector<double> b{};
  std::size_t stride(std::size_t d) const {
    std::size_t s = 1;
    for (std::size_t k = 0; k < d; ++k) s *= static_cast<std::size_t>(degree[k] + 1);
    return s;
  }
  /// Calls visit(first) for every line of coefficients in a direction.
  template <class V> void eachLine(std::size_t d, V&& visit) const {
    const std::size_t s = stride(d), n = static_cast<std::size_t>(degree[d] + 1);
    for (std::size_t at = 0; at < b.size(); at += s * n)
      for (std::size_t k = 0; k < s; ++k) visit(at + k);
  }
  double least() const { return *std::min_element(b.begin(), b.end()); }
  double most() const { return *std::max_element(b.begin(), b.end()); }
  /// The smallest of the values at its eight corners, which are coefficients.
  double atCorners() const {
    double v = b[0];
    for (int c = 1; c < 8; ++c) {
      std::size_t at = 0;
      for (std::size_t d = 0; d < 3; ++d)
        if (c >> d & 1) at += stride(d) * static_cast<std::size_t>(degree[d]);
      v = std::min(v, b[at]);
    }
    return v;
  }
  /// Both halves in a direction (de Casteljau).
  std::array<Coefficients, 2> halves(std::size_t d) const {
    std::array<Coefficients, 2> r{*this, *this};
    const std::size_t s = stride(d), n = static_cast<std::size_t>(degree[d]);
    eachLine(d, [&](std::size_t first) {
      double line[8];
      for (std::size_t i = 0; i <= n; ++i) line[i] = b[first + i * s];
      for (std::size_t k = 0; k <= n; ++k) {
        r[0].b[first + k * s] = line[0];
        r[1].b[first + (n - k) * s] = line[n - k];
        for (std::size_t i = 0; i + k < n; ++i) line[i] = 0.5 * (line[i] + line[i + 1]);
      }
    });
    return r;
  }
};

/// Halves where the sign is open until it is known, or the part too small to matter.
class SignSearch {
public:
  explicit SignSearch(double most) : m_open(-kUndecided * std::max(most, 0.0)), m_least(most) {}
  /// Whether all of a part is above 0; `depth`: halvings that made it.
  bool positive(const Coefficients& c, int depth) {
    const double low = c.least();
    if (low > 0) {
      m_least = std::min(m_least, low);
      return true;
    }
    const bool small = depth >= 6 * kHalvings || (depth >= 3 * kHalvings && low >= m_open);
    if (c.atCorners() <= 0 || small || ++m_parts > kBoxes) return false;
    const auto halves = c.halves(static_cast<std::size_t>(depth % 3));
    return positive(halves[0], depth + 1) && positive(halves[1], depth + 1);
  }
  double least() const { return m_least; } ///< bound from below of all parts that were found positive

private:
  double m_open, m_least;
  std::size_t m_parts = 0;
};

JacobianRange rangeOf(const Coefficients& whole) {
  SignSearch search(whole.most());
  return {search.positive(whole, 0) ? search.least() : std::min(whole.least(), 0.0), whole.most()};
}

Coefficients coefficientsOf(ElementType type, std::span<const Vec3> p) {
  const Sampling& s = samplingOf(type);
  Eigen::Matrix<double, Eigen::Dynamic, 3> x(static_cast<Eigen::Index>(p.size()), 3);
  for (std::size_t i = 0; i < p.size(); ++i) x.row(static_cast<Eigen::Index>(i)) = (p[i] - p[0]).transpose();
  const Eigen::Matrix<double, Eigen::Dynamic, 3> d = s.gradients * x; // three rows by sample
  Coefficients c{s.degree, std::vector<double>(s.count())};
  for (std::size_t k = 0; k < c.b.size(); ++k) c.b[k] = d.middleRows<3>(static_cast<Eigen::Index>(3 * k)).determinant();
  for (std::size_t dir = 0; dir < 3; ++dir) {
    const std::size_t st = c.stride(dir), n = static_cast<std::size_t>(c.degree[dir] + 1);
    const auto& m = s.toBernstein[dir];
    c.eachLine(dir, [&](std::size_t first) {
      double line[8];
      for (std::size_t i = 0; i < n; ++i) {
        line[i] = 0;
        for (std::size_t k = 0; k < n; ++k)
          line[i] += m(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(k)) * c.b[first + k * st];
      }
      for (std::size_t i = 0; i < n; ++i) c.b[first + i * st] = line[i];
    });
  }
  return c;
}

/// Places of the 20 coefficients of a cubic on the tetrahedron, by three picks of a corner.
int cubicIndex(std::size_t a, std::size_t b, std::size_t c) {
  static const auto table = [] {
    std::array<int, 256> t{};
    int k = 0;
    for (int x = 0; x <= 3; ++x)
      for (int y = 0; x + y <= 3; ++y)
        for (int z = 0; x + y + z <= 3; ++z) t[static_cast<std::size_t>(x * 64 + y * 16 + z * 4)] = k++;
    return t;
  }();
  int n[4] = {0, 0, 0, 0};
  ++n[a], ++n[b], ++n[c];
  return table[static_cast<std::size_t>(n[0] * 64 + n[1] * 16 + n[2] * 4)];
}

/// A tet10 whose sign is open, halved at its longest parameter edge until it is known. Both halves are quadratic maps
/// of straight halves of the parameter tetrahedron, so again tet10s with nodes on the same map.
JacobianRange tet10Range(std::span<const Vec3> p) {
  auto b = tet10Jacobian(p);
  const auto [lo, hi] = std::minmax_element(b.begin(), b.end());
  const double most = *hi;
  auto corners = [](const std::array<double, 20>& x) {
    return std::min({x[static_cast<std::size_t>(cubicIndex(0, 0, 0))], x[static_cast<std::size_t>(cubicIndex(1, 1, 1))],
                     x[static_cast<std::size_t>(cubicIndex(2, 2, 2))],
                     x[static_cast<std::size_t>(cubicIndex(3, 3, 3))]});
  };
  if (*lo > 0 || corners(b) <= 0) return {*lo, most};
  struct Part {
    std::array<Vec3, 10> p;
    double share; ///< of the whole's volume, by which its determinant is smaller
  };
  const auto& edges = topology(ElementType::Tet10).edge;
  auto at = [&](const std::array<Vec3, 10>& q, const double* l) {
    Vec3 x = Vec3::Zero();
    for (std::size_t i = 0; i < 4; ++i) x += l[i] * (2 * l[i] - 1) * q[i];
    for (std::size_t e = 0; e < 6; ++e) x += 4 * l[edges[e][0]] * l[edges[e][1]] * q[4 + e];
    return x;
  };
  Part whole{{}, 1};
  std::copy(p.begin(), p.begin() + 10, whole.p.begin());
  std::vector<Part> parts{whole};
  double least = most;
  for (std::size_t seen = 0; !parts.empty() && seen < kBoxes; ++seen) {
    const Part q = parts.back();
    parts.pop_back();
    auto c = tet10Jacobian(q.p);
    const double low = *std::min_element(c.begin(), c.end()) / q.share;
    if (low > 0) {
      least = std::min(least, low);
      continue;
    }
    if (corners(c) <= 0 || q.share < 1e-7 || (q.share < 1e-5 && low >= -kUndecided * most))
      return {std::min(*lo, 0.0), most};
    // Regular division into eight would keep shapes; halving edges in turn is enough here.
    std::array<std::array<double, 4>, 4> corner{};
    for (std::size_t i = 0; i < 4; ++i) corner[i][i] = 1;
    std::size_t cut = 0;
    double longest = -1;
    for (std::size_t e = 0; e < 6; ++e)
      if (const double l =
              (q.p[static_cast<std::size_t>(edges[e][0])] - q.p[static_cast<std::size_t>(edges[e][1])]).norm();
          l > longest) {
        longest = l;
        cut = e;
      }
    for (std::size_t side = 0; side < 2; ++side) {
      auto l = corner;
      const auto from = static_cast<std::size_t>(edges[cut][side]), to = static_cast<std::size_t>(edges[cut][1 - side]);
      l[from][from] = l[from][to] = 0.5;
      Part half{{}, q.share / 2};
      for (std::size_t i = 0; i < 4; ++i) half.p[i] = at(q.p, l[i].data());
      for (std::size_t e = 0; e < 6; ++e) {
        std::array<double, 4> mid;
        for (std::size_t k = 0; k < 4; ++k)
          mid[k] = 0.5 * (l[static_cast<std::size_t>(edges[e][0])][k] + l[static_cast<std::size_t>(edges[e][1])][k]);
        half.p[4 + e] = at(q.p, mid.data());
      }
      parts.push_back(half);
    }
  }
  return {parts.empty() ? least : std::min(*lo, 0.0), most};
}

} // namespace

bool facesLookOut(const Mesh& m, std::size_t c) {
  const auto n = m.cells.of(c);
  std::vector<std::vector<Vec3>> rings;
  for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
    rings.emplace_back();
    for (auto i : m.cells.faceCorners(c, f))
      rings.back().push_back(m.nodes[static_cast<std::size_t>(n[static_cast<std::size_t>(i)])]);
  }
  const Vec3 middle = cellCenter(m, c);
  Vec3 centre = Vec3::Zero();
  double volume = 0;
  for (const auto& r : rings) { // by tetrahedra over the triangles about each face's middle
    Vec3 mid = Vec3::Zero();
    for (const Vec3& x : r) mid += x / static_cast<double>(r.size());
    for (std::size_t i = 0; i < r.size(); ++i) {
      const Vec3 &a = r[i], &b = r[(i + 1) % r.size()];
      const double v = (mid - middle).dot((a - middle).cross(b - middle));
      centre += v * (mid + a + b + middle) / 4;
      volume += v;
    }
  }
  if (!(volume > 0)) return false;
  centre /= volume;
  return std::all_of(rings.begin(), rings.end(),
                     [&](const auto& r) { return faceFlux(r, centre, faceType(r.size(), 1)) > 0; });
}

std::array<double, 20> tet10Jacobian(std::span<const Vec3> p) {
  // Quadratic control points: corners, and 2 m - (a + b) / 2 for each edge.
  const auto& edges = topology(ElementType::Tet10).edge;
  Vec3 c[4][4];
  for (std::size_t i = 0; i < 4; ++i) c[i][i] = p[i];
  for (std::size_t e = 0; e < 6; ++e) {
    auto a = static_cast<std::size_t>(edges[e][0]), b = static_cast<std::size_t>(edges[e][1]);
    c[a][b] = c[b][a] = 2 * p[4 + e] - 0.5 * (p[a] + p[b]);
  }
  // Derivative along edge 0 -> d has control vectors 2 (c[d][k] - c[0][k]), linear in the corners k.
  Vec3 u[4], v[4], w[4];
  for (int k = 0; k < 4; ++k) {
    u[k] = 2 * (c[1][k] - c[0][k]);
    v[k] = 2 * (c[2][k] - c[0][k]);
    w[k] = 2 * (c[3][k] - c[0][k]);
  }
  std::array<double, 20> b{};
  int count[20] = {};
  for (std::size_t i = 0; i < 4; ++i)
    for (std::size_t j = 0; j < 4; ++j) {
      Vec3 x = u[i].cross(v[j]);
      for (std::size_t k = 0; k < 4; ++k) {
        const auto at = static_cast<std::size_t>(cubicIndex(i, j, k));
        b[at] += x.dot(w[k]);
        ++count[at];
      }
    }
  for (std::size_t k = 0; k < 20; ++k) b[k] /= count[k];
  return b;
}

double quadraticValidity(std::span<const Vec3> p) {
  const auto b = tet10Jacobian(p);
  const double straight = (p[1] - p[0]).cross(p[2] - p[0]).dot(p[3] - p[0]), lo = *std::min_element(b.begin(), b.end());
  return straight > 0 ? lo / straight : std::min(lo, -1.0);
}

JacobianRange jacobianRange(ElementType type, std::span<const Vec3> p) {
  auto corner = [&](std::size_t o, std::size_t x, std::size_t y, std::size_t z) {
    return (p[x] - p[o]).cross(p[y] - p[o]).dot(p[z] - p[o]);
  };
  switch (type) {
  case ElementType::Tet4: {
    const double j = corner(0, 1, 2, 3);
    return {j, j};
  }
  case ElementType::Pyramid5: {
    // Over the base's two directions and the way to the apex it is (1 - w)^2 times a bilinear function, whose corners
    // are these.
    const double j[4] = {corner(0, 1, 3, 4), corner(1, 2, 0, 4), corner(2, 3, 1, 4), corner(3, 0, 2, 4)};
    return {*std::min_element(j, j + 4), *std::max_element(j, j + 4)};
  }
  case ElementType::Tet10:
    return tet10Range(p);
  default:
    return rangeOf(coefficientsOf(type, p));
  }
}

} // namespace tess
