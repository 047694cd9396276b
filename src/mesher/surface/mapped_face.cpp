// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/mapped_face.h"
#include "base/predicates.h"
#include <cmath>

namespace tess {
namespace {

Problem unmapped(const Part& part, int face, const Vec3& at, std::string what, std::string why) {
  Problem p;
  p.fault = Fault::Meshing;
  p.code = "fill.face";
  p.what = std::move(what);
  p.why = std::move(why);
  p.faces = {face};
  p.places = {at};
  p.where = "at " + formatPoint(at) + " " + part.unit;
  p.todo = "ask for tetrahedra on the body, or for a smaller size there";
  return p;
}

/// Lengths from the first point on, as shares of the whole.
std::vector<double> shares(const std::vector<Vec3>& p) {
  std::vector<double> s{0};
  for (std::size_t i = 1; i < p.size(); ++i) s.push_back(s.back() + (p[i] - p[i - 1]).norm());
  for (double& x : s) x /= std::max(s.back(), 1e-300);
  return s;
}

} // namespace

std::vector<int> nodesAlong(const SurfaceMesh& mesh, const EdgeChain& chain) {
  std::vector<int> r;
  for (const auto& s : chain) {
    std::vector<int> nodes = mesh.edgeNodes[static_cast<std::size_t>(s.edge)];
    if (!s.forward) std::reverse(nodes.begin(), nodes.end());
    r.insert(r.end(), nodes.begin() + (r.empty() ? 0 : 1), nodes.end());
  }
  return r;
}

namespace {

/// Rows being made on one face.
class RowsMaker {
public:
  RowsMaker(const Part& part, const MappedFace& face, SurfaceMesh& mesh) : m_part(part), m_face(face), m(mesh) {
    g.face = face.face;
    g.corners = face.corners;
    g.ring = face.ring;
  }

  /// Between four sides.
  std::optional<Problem> span() {
    std::array<std::vector<int>, 4> side; // from corner k to the next
    for (std::size_t k = 0; k < 4; ++k) side[k] = nodesAlong(m, m_face.sides[k]);
    for (std::size_t k = 0; k < 2; ++k)
      if (side[k].size() != side[k + 2].size()) return unequal(side[k].size() - 1, side[k + 2].size() - 1);
    std::reverse(side[2].begin(), side[2].end()); // now along with the sides opposite
    std::reverse(side[3].begin(), side[3].end());
    begin(side[0].size() - 1, side[1].size() - 1);
    std::array<std::vector<Vec3>, 4> p;
    std::array<std::vector<double>, 4> s;
    for (std::size_t k = 0; k < 4; ++k) {
      for (int v : side[k]) p[k].push_back(pt(v));
      s[k] = shares(p[k]);
    }
    for (std::size_t j = 0; j <= nj; ++j)
      for (std::size_t i = 0; i <= ni; ++i) {
        if (j == 0 || j == nj) {
          put(i, j, side[j == 0 ? 0 : 2][i]);
        } else if (i == 0 || i == ni) {
          put(i, j, side[i == 0 ? 3 : 1][j]);
        } else {
          // Where the line between the places on two opposite edges crosses that between the other two.
          const double du = s[2][i] - s[0][i], dv = s[1][j] - s[3][j], u = (s[0][i] + s[3][j] * du) / (1 - du * dv),
                       w = s[3][j] + u * dv;
          add(i, j,
              (1 - w) * p[0][i] + w * p[2][i] + (1 - u) * p[3][j] + u * p[1][j] -
                  ((1 - u) * (1 - w) * p[0][0] + u * (1 - w) * p[0][ni] + u * w * p[2][ni] + (1 - u) * w * p[2][0]));
        }
      }
    return {};
  }

  /// Round, between two closed ends.
  std::optional<Problem> around(int rows) {
    std::vector<int> low = nodesAlong(m, m_face.sides[0]), high = nodesAlong(m, reversed(m_face.sides[2]));
    low.pop_back();
    high.pop_back();
    if (low.size() != high.size()) return unequal(low.size(), high.size());
    const std::size_t n = low.size();
    std::rotate(high.begin(), high.begin() + static_cast<std::ptrdiff_t>(nearestTurn(low, high)), high.end());
    begin(n, static_cast<std::size_t>(std::max(1, rows)));
    const auto up = inwards(low, 1), down = inwards(high, -1);
    for (std::size_t i = 0; i < n; ++i) {
      put(i, 0, low[i]);
      put(i, nj, high[i]);
    }
    for (std::size_t i = 0; i < n; ++i) {
      // A cubic with both directions; an arc of a circle comes out as such, to a few parts in ten thousand.
      const Vec3 &a = pt(low[i]), &b = pt(high[i]);
      const double turn = std::acos(std::clamp(up[i].dot(-down[i]), -1.0, 1.0)), chord = (b - a).norm();
      const double length = turn > 1e-6 ? 2 * chord * std::tan(turn / 4) / std::sin(turn / 2) : chord;
      for (std::size_t j = 1; j < nj; ++j) {
        const double t = static_cast<double>(j) / static_cast<double>(nj), q = 1 - t;
        add(i, j,
            q * q * (1 + 2 * t) * a + t * t * (3 - 2 * t) * b + q * q * t * length * up[i] +
                t * t * q * length * down[i]);
      }
    }
    for (std::size_t j = 0; j <= nj; ++j) {
      g.node[place(n, j)] = g.node[place(0, j)];
      m_normal[place(n, j)] = m_normal[place(0, j)];
    }
    return {};
  }

  /// Quadrilaterals, and their triangles with the diagonal on the tetrahedra's side. A problem where one is folded.
  std::optional<Problem> fill(int tetSide) {
    constexpr double kFolded = 0.1; // of the sine of a corner, as the face's normal sees it
    for (std::size_t j = 0; j < nj; ++j)
      for (std::size_t i = 0; i < ni; ++i) {
        const std::array<std::size_t, 4> id{place(i, j), place(i + 1, j), place(i + 1, j + 1), place(i, j + 1)};
        std::array<int, 4> q{g.node[id[0]], g.node[id[1]], g.node[id[2]], g.node[id[3]]};
        for (std::size_t k = 0; k < 4; ++k) {
          const Vec3 a = pt(q[(k + 1) % 4]) - pt(q[k]), b = pt(q[(k + 3) % 4]) - pt(q[k]);
          if (a.cross(b).dot(m_normal[id[k]]) < kFolded * a.norm() * b.norm())
            return unmapped(m_part, m_face.face, pt(q[k]), "rows of quadrilaterals fold on a face",
                            "its edges turn too much for the space between them to be spanned from edge to edge");
        }
        // The diagonal that lies on the tetrahedra's side of the other one: pyramids above it are valid in any case.
        const double bulge = orient3d(pt(q[0]), pt(q[1]), pt(q[2]), pt(q[3])); // > 0: the diagonal 0-2 lies behind
        if (tetSide * bulge > 0) std::rotate(q.begin(), q.begin() + 1, q.end());
        m.quads.push_back({q, m_face.face});
        m.triangles.push_back({q[0], q[1], q[2]});
        m.triangles.push_back({q[0], q[2], q[3]});
        m.face.push_back(m_face.face);
        m.face.push_back(m_face.face);
      }
    m.faceRows.push_back(std::move(g));
    return {};
  }

private:
  const Part& m_part;
  const MappedFace& m_face;
  SurfaceMesh& m;
  FaceRows g;
  std::size_t ni = 0, nj = 0;
  std::vector<Vec3> m_normal;

  const Vec3& pt(int v) const { return m.points[static_cast<std::size_t>(v)]; }
  std::size_t place(std::size_t i, std::size_t j) const { return j * (ni + 1) + i; }
  void begin(std::size_t along, std::size_t across) {
    ni = along;
    nj = across;
    g.ni = static_cast<int>(ni);
    g.nj = static_cast<int>(nj);
    g.node.assign((ni + 1) * (nj + 1), -1);
    m_normal.resize(g.node.size());
  }
  void put(std::size_t i, std::size_t j, int v) {
    g.node[place(i, j)] = v;
    m_normal[place(i, j)] = m_part.shape->projectToFace(m_face.face, pt(v)).normal;
  }
  void add(std::size_t i, std::size_t j, const Vec3& at) {
    const FaceProjection on = m_part.shape->projectToFace(m_face.face, at);
    g.node[place(i, j)] = static_cast<int>(m.points.size());
    m.points.push_back(on.point);
    m.dim.push_back(Dim::Face);
    m.entity.push_back(m_face.face);
    m_normal[place(i, j)] = on.normal;
  }
  Problem unequal(std::size_t a, std::size_t b) const {
    return unmapped(m_part, m_face.face, m_part.faces[static_cast<std::size_t>(m_face.face)].center,
                    "opposite sides of a mapped face came out with " + std::to_string(a) + " and " + std::to_string(b) +
                        " elements",
                    "nodes of the shape itself could not be taken out of one of them");
  }
  /// By how many nodes the second end must be turned so that its nodes lie nearest to those of the first.
  std::size_t nearestTurn(const std::vector<int>& low, const std::vector<int>& high) const {
    std::size_t best = 0;
    double least = 1e300;
    for (std::size_t turn = 0; turn < high.size(); ++turn) {
      double sum = 0;
      for (std::size_t i = 0; i < low.size() && sum < least; ++i)
        sum += (pt(low[i]) - pt(high[(i + turn) % high.size()])).squaredNorm();
      if (sum < least * (1 - 1e-9)) least = sum, best = turn;
    }
    return best;
  }
  /// Directions in the face, square to an end, that lead into it. `sense`: 1 where the face lies to the left of the
  /// way round, -1 to the right.
  std::vector<Vec3> inwards(const std::vector<int>& ring, double sense) const {
    std::vector<Vec3> r;
    const std::size_t n = ring.size();
    for (std::size_t i = 0; i < n; ++i) {
      const Vec3 along = pt(ring[(i + 1) % n]) - pt(ring[(i + n - 1) % n]);
      r.push_back(sense * m_part.shape->projectToFace(m_face.face, pt(ring[i])).normal.cross(along).normalized());
    }
    return r;
  }
};

} // namespace

std::optional<Problem> addMappedFace(const Part& part, const MappedFace& face, int tetSide, int ringRows,
                                     SurfaceMesh& mesh) {
  RowsMaker maker(part, face, mesh);
  if (auto p = face.ring ? maker.around(ringRows) : maker.span()) return p;
  return maker.fill(tetSide);
}

} // namespace tess
