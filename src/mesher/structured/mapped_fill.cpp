// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/structured/mapped_fill.h"
#include "base/parallel.h"
#include "mesh/element.h"
#include "mesh/jacobian.h"
#include "mesher/optimise/node_moves.h"

namespace tess {
namespace {

/// A face's rows seen from one of its corners: i steps towards the second corner, j towards the third.
class Seen {
public:
  Seen(const FaceRows& g, int origin, int towards) : m_rows(g) {
    auto place = [&](int corner) {
      return static_cast<int>(std::find(g.corners.begin(), g.corners.end(), corner) - g.corners.begin());
    };
    m_at = place(origin);
    m_forward = (m_at + 1) % 4 == place(towards);
  }
  int operator()(int i, int j) const {
    if (!m_forward) std::swap(i, j);
    const int ni = m_rows.ni, nj = m_rows.nj;
    switch (m_at) {
    case 0:
      return m_rows.at(i, j);
    case 1:
      return m_rows.at(ni - j, i);
    case 2:
      return m_rows.at(ni - i, nj - j);
    default:
      return m_rows.at(j, nj - i);
    }
  }
  /// Steps from the origin towards the second corner.
  int along() const { return (m_at % 2 == 0) == m_forward ? m_rows.ni : m_rows.nj; }
  int across() const { return (m_at % 2 == 0) == m_forward ? m_rows.nj : m_rows.ni; }

private:
  const FaceRows& m_rows;
  int m_at = 0;
  bool m_forward = true;
};

} // namespace

Result<StructuredCells> fillMapped(const Part& part, int body, const SurfaceMesh& surface, const Progress& progress) {
  SixSides s;
  const Fit fit = fitSixSides(part, body, &s);
  auto failed = [&](const Vec3& at, std::string what, std::string why) {
    Problem p;
    p.fault = Fault::Meshing;
    p.code = "fill.inverted";
    p.what = "hexahedra of body '" + part.bodies[static_cast<std::size_t>(body)].name + "' " + std::move(what);
    p.why = std::move(why);
    p.faces = part.bodies[static_cast<std::size_t>(body)].faces;
    p.places = {at};
    p.where = "at " + formatPoint(at) + " " + part.unit;
    p.todo = "ask for tetrahedra on this body, or for a smaller size there";
    return p;
  };
  const Vec3 centre = part.bodies[static_cast<std::size_t>(body)].box.center();
  if (!fit.fits) return failed(centre, "have no rows", fit.why);
  auto rowsOf = [&](int a, int b, int d) -> std::optional<Seen> { // from corner a towards b, and across towards d
    for (const auto& g : surface.faceRows) {
      auto has = [&](int corner) {
        return std::find(g.corners.begin(), g.corners.end(), s.corners[static_cast<std::size_t>(corner)]) !=
               g.corners.end();
      };
      if (std::find(s.faces.begin(), s.faces.end(), g.face) != s.faces.end() && has(a) && has(b) && has(d))
        return Seen(g, s.corners[static_cast<std::size_t>(a)], s.corners[static_cast<std::size_t>(b)]);
    }
    return {};
  };
  const auto bottom = rowsOf(0, 1, 3), top = rowsOf(4, 5, 7), front = rowsOf(0, 1, 4), back = rowsOf(3, 2, 7),
             left = rowsOf(0, 3, 4), right = rowsOf(1, 2, 5);
  for (const auto* g : {&bottom, &top, &front, &back, &left, &right})
    if (!*g) return failed(centre, "have no rows", "a face of it has none");
  const int ni = bottom->along(), nj = bottom->across(), nk = front->across();
  if (top->along() != ni || top->across() != nj || front->along() != ni || back->along() != ni ||
      back->across() != nk || left->along() != nj || left->across() != nk || right->along() != nj ||
      right->across() != nk)
    return failed(centre, "have no rows", "its faces came out with different counts");
  auto index = [&](int i, int j, int k) {
    return (static_cast<std::size_t>(k) * static_cast<std::size_t>(nj + 1) + static_cast<std::size_t>(j)) *
               static_cast<std::size_t>(ni + 1) +
           static_cast<std::size_t>(i);
  };
  const std::size_t total = index(ni, nj, nk) + 1;
  std::vector<int> node(total, -1);
  for (int j = 0; j <= nj; ++j)
    for (int i = 0; i <= ni; ++i) node[index(i, j, 0)] = (*bottom)(i, j), node[index(i, j, nk)] = (*top)(i, j);
  for (int k = 0; k <= nk; ++k)
    for (int i = 0; i <= ni; ++i) node[index(i, 0, k)] = (*front)(i, k), node[index(i, nj, k)] = (*back)(i, k);
  for (int k = 0; k <= nk; ++k)
    for (int j = 0; j <= nj; ++j) node[index(0, j, k)] = (*left)(j, k), node[index(ni, j, k)] = (*right)(j, k);
  std::vector<Vec3> at(total, Vec3::Zero());
  for (std::size_t x = 0; x < total; ++x)
    if (node[x] >= 0) at[x] = surface.points[static_cast<std::size_t>(node[x])];
  // Shares of the length along the four edges of each direction; inside they are mixed.
  auto share = [&](int n, auto&& place) {
    std::vector<double> r{0};
    for (int i = 1; i <= n; ++i) r.push_back(r.back() + (place(i) - place(i - 1)).norm());
    for (double& x : r) x /= std::max(r.back(), 1e-300);
    return r;
  };
  std::vector<double> su[2][2], sv[2][2], sw[2][2];
  for (int a = 0; a < 2; ++a)
    for (int b = 0; b < 2; ++b) {
      su[a][b] = share(ni, [&](int i) { return at[index(i, a * nj, b * nk)]; });
      sv[a][b] = share(nj, [&](int j) { return at[index(a * ni, j, b * nk)]; });
      sw[a][b] = share(nk, [&](int k) { return at[index(a * ni, b * nj, k)]; });
    }
  auto mixed = [](const std::vector<double>(&x)[2][2], int i, double p, double q) {
    const auto n = static_cast<std::size_t>(i);
    return (1 - p) * ((1 - q) * x[0][0][n] + q * x[0][1][n]) + p * ((1 - q) * x[1][0][n] + q * x[1][1][n]);
  };
  parallelFor(
      static_cast<std::size_t>(std::max(0, nk - 1)), &progress,
      [&](std::size_t layer) {
        const int k = static_cast<int>(layer) + 1;
        for (int j = 1; j < nj; ++j)
          for (int i = 1; i < ni; ++i) {
            double u = static_cast<double>(i) / ni, v = static_cast<double>(j) / nj, w = static_cast<double>(k) / nk;
            for (int round = 0; round < 3; ++round) {
              const double a = mixed(su, i, v, w), b = mixed(sv, j, u, w), c = mixed(sw, k, u, v);
              u = a, v = b, w = c;
            }
            const double x[2] = {1 - u, u}, y[2] = {1 - v, v}, z[2] = {1 - w, w};
            Vec3 p = x[0] * at[index(0, j, k)] + x[1] * at[index(ni, j, k)] + y[0] * at[index(i, 0, k)] +
                     y[1] * at[index(i, nj, k)] + z[0] * at[index(i, j, 0)] + z[1] * at[index(i, j, nk)];
            for (int a = 0; a < 2; ++a)
              for (int b = 0; b < 2; ++b)
                p -= x[a] * y[b] * at[index(a * ni, b * nj, k)] + x[a] * z[b] * at[index(a * ni, j, b * nk)] +
                     y[a] * z[b] * at[index(i, a * nj, b * nk)];
            for (int a = 0; a < 2; ++a)
              for (int b = 0; b < 2; ++b)
                for (int c = 0; c < 2; ++c) p += x[a] * y[b] * z[c] * at[index(a * ni, b * nj, c * nk)];
            at[index(i, j, k)] = p;
          }
      },
      1);
  StructuredCells r;
  for (std::size_t x = 0; x < total; ++x)
    if (node[x] < 0) {
      node[x] = static_cast<int>(surface.points.size() + r.points.size());
      r.points.push_back(at[x]);
    }
  for (int k = 0; k < nk; ++k)
    for (int j = 0; j < nj; ++j)
      for (int i = 0; i < ni; ++i)
        r.hexahedra.push_back({node[index(i, j, k)], node[index(i + 1, j, k)], node[index(i + 1, j + 1, k)],
                               node[index(i, j + 1, k)], node[index(i, j, k + 1)], node[index(i + 1, j, k + 1)],
                               node[index(i + 1, j + 1, k + 1)], node[index(i, j + 1, k + 1)]});
  if (const auto moves = bettered(surface, r, progress); moves.inverted)
    return failed(*moves.inverted, "would be inverted", "its faces turn too much for straight rows between them");
  return r;
}

NodeMoves bettered(const SurfaceMesh& surface, StructuredCells& cells, const Progress& progress) {
  constexpr double kGood = 0.4; // above, what a filler lays is left as even as it is
  MovableCells all{surface.points, cells.points};
  all.hexahedra = cells.hexahedra;
  all.wedges = cells.wedges;
  return moveNodes(std::move(all), kGood, progress);
}

} // namespace tess
