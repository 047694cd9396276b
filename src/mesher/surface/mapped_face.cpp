// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/mapped_face.h"
#include "mesher/surface/face_map.h"
#include "mesher/surface/smooth_face.h"
#include <cmath>
#include <unordered_map>

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

} // namespace

std::vector<double> lengthShares(const std::vector<Vec3>& p) {
  std::vector<double> s{0};
  for (std::size_t i = 1; i < p.size(); ++i) s.push_back(s.back() + (p[i] - p[i - 1]).norm());
  for (double& x : s) x /= std::max(s.back(), 1e-300);
  return s;
}

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
      s[k] = lengthShares(p[k]);
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
    const std::vector<double> heights = ringHeights();
    const auto up = inwards(low, 1), down = inwards(high, -1);
    for (std::size_t i = 0; i < n; ++i) {
      put(i, 0, low[i]);
      put(i, nj, high[i]);
    }
    for (std::size_t i = 0; i < n; ++i) {
      // A cubic with both directions; an arc of a circle comes out as such, to a few parts in ten thousand.
      const Vec3 a = pt(low[i]), b = pt(high[i]); // copies: nodes are added below
      const double turn = std::acos(std::clamp(up[i].dot(-down[i]), -1.0, 1.0)), chord = (b - a).norm();
      const double length = turn > 1e-6 ? 2 * chord * std::tan(turn / 4) / std::sin(turn / 2) : chord;
      for (std::size_t j = 1; j < nj; ++j) {
        const double t = heights[j], q = 1 - t;
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

  /// Of the rows of a ring, from 0 to 1.
  std::vector<double> ringHeights() const {
    std::vector<double> r{0};
    if (m_face.spacing) {
      EdgeDivision d = *m_face.spacing;
      d.divisions = static_cast<int>(nj);
      for (double x : divisionShares(d, 1)) r.push_back(x);
    } else
      for (std::size_t j = 1; j < nj; ++j) r.push_back(static_cast<double>(j) / static_cast<double>(nj));
    r.push_back(1);
    return r;
  }

  /// Where a quadrilateral is folded.
  std::optional<Vec3> folded() const {
    constexpr double kFolded = 0.1;
    Vec3 at;
    return worstSine(at) < kFolded ? std::optional(at) : std::nullopt;
  }
  /// Smallest sine of a corner, as the face's normal sees it, and where it is.
  double worstSine(Vec3& at) const {
    double worst = 1;
    for (std::size_t j = 0; j < nj; ++j)
      for (std::size_t i = 0; i < ni; ++i) {
        const std::array<std::size_t, 4> id{place(i, j), place(i + 1, j), place(i + 1, j + 1), place(i, j + 1)};
        for (std::size_t k = 0; k < 4; ++k) {
          const Vec3 &o = pt(g.node[id[k]]), a = pt(g.node[id[(k + 1) % 4]]) - o, b = pt(g.node[id[(k + 3) % 4]]) - o;
          const double lengths = a.norm() * b.norm(),
                       sine = lengths > 0 ? a.cross(b).dot(m_normal[id[k]]) / lengths : -1;
          if (sine < worst) worst = sine, at = o;
        }
      }
    return worst;
  }
  /// Rows round a face that bends to and fro lean over, as all columns are divided by their own lengths: those along a
  /// map of the face may stand better.
  void uprightRing() {
    constexpr double kLeaning = 0.85; // sine
    Vec3 at;
    const double before = worstSine(at);
    if (!g.ring || before > kLeaning) return;
    std::vector<Vec3> places;
    for (int v : g.node) places.push_back(pt(v));
    const auto nodes = g.node;
    const auto normals = m_normal;
    if (layByMap() && worstSine(at) > before) return;
    g.node = nodes;
    m_normal = normals;
    for (std::size_t k = 0; k < nodes.size(); ++k) m.points[static_cast<std::size_t>(nodes[k])] = places[k];
  }

  /// Lays the inner nodes along a map of the face instead. False where there is none.
  bool layByMap() {
    const FaceMap map = m_face.ring ? FaceMap(m_part, m_face.face, m_face.sides[0], m_face.sides[2])
                                    : FaceMap(m_part, m_face.face, m_face.sides);
    if (!map.good()) return false;
    if (m_face.ring) {
      turnFarEnd(map);
      std::vector<std::array<double, 2>> ends;
      for (std::size_t i = 0; i < ni; ++i) {
        const double low = map.turnOf(pt(g.node[place(i, 0)]), 0), high = map.turnOf(pt(g.node[place(i, nj)]), 1);
        ends.push_back({low, high + std::round(low - high)});
      }
      const std::vector<double> level = evenLevels(map, ends);
      for (std::size_t j = 1; j < nj; ++j)
        for (std::size_t i = 0; i < ni; ++i)
          lay(i, j, map.at((1 - level[j]) * ends[i][0] + level[j] * ends[i][1], level[j]));
      for (std::size_t j = 1; j < nj; ++j) m_normal[place(ni, j)] = m_normal[place(0, j)];
      return true;
    }
    // Where the nodes of opposite sides stand, in between straight.
    std::array<std::vector<double>, 4> s;
    for (std::size_t k = 0; k < 4; ++k) {
      const std::size_t n = k % 2 ? nj : ni;
      std::vector<Vec3> p;
      for (std::size_t q = 0; q <= n; ++q)
        p.push_back(pt(g.node[k == 0 ? place(q, 0) : k == 1 ? place(ni, q) : k == 2 ? place(q, nj) : place(0, q)]));
      s[k] = lengthShares(p);
    }
    for (std::size_t j = 1; j < nj; ++j)
      for (std::size_t i = 1; i < ni; ++i) {
        const double du = s[2][i] - s[0][i], dv = s[1][j] - s[3][j], u = (s[0][i] + s[3][j] * du) / (1 - du * dv);
        lay(i, j, map.at(u, s[3][j] + u * dv));
      }
    return true;
  }

  /// Moves the inner nodes until the worst corner is as good as it gets.
  void smooth(const Progress& progress) {
    FaceCells c;
    std::unordered_map<int, int> id;
    auto take = [&](std::size_t p) {
      if (!id.emplace(g.node[p], static_cast<int>(c.points.size())).second) return;
      c.points.push_back(pt(g.node[p]));
      c.normals.push_back(m_normal[p]);
    };
    auto inner = [&](std::size_t i, std::size_t j) { return j > 0 && j < nj && (g.ring || (i > 0 && i < ni)); };
    for (bool inside : {false, true}) {
      if (inside) c.rim = c.points.size();
      for (std::size_t j = 0; j <= nj; ++j)
        for (std::size_t i = 0; i <= ni; ++i)
          if (inner(i, j) == inside) take(place(i, j));
    }
    for (std::size_t j = 0; j < nj; ++j)
      for (std::size_t i = 0; i < ni; ++i)
        c.quads.push_back({id.at(g.node[place(i, j)]), id.at(g.node[place(i + 1, j)]),
                           id.at(g.node[place(i + 1, j + 1)]), id.at(g.node[place(i, j + 1)])});
    smoothOnFace(c, m_part, m_face.face, progress);
    for (std::size_t p = 0; p < g.node.size(); ++p) {
      const auto v = static_cast<std::size_t>(id.at(g.node[p]));
      m.points[static_cast<std::size_t>(g.node[p])] = c.points[v];
      m_normal[p] = c.normals[v];
    }
  }

  /// Quadrilaterals, and their triangles with the diagonal on the tetrahedra's side. A problem where one is folded.
  std::optional<Problem> fill(int tetSide, const Progress& progress) {
    uprightRing();
    if (folded() && (!layByMap() || folded())) smooth(progress);
    if (const auto at = folded())
      return unmapped(m_part, m_face.face, *at, "rows of quadrilaterals fold on a face",
                      "its edges turn too much for the space between them to be spanned from edge to edge");
    for (std::size_t j = 0; j < nj; ++j)
      for (std::size_t i = 0; i < ni; ++i) {
        const std::array<std::size_t, 4> id{place(i, j), place(i + 1, j), place(i + 1, j + 1), place(i, j + 1)};
        m.addQuad({g.node[id[0]], g.node[id[1]], g.node[id[2]], g.node[id[3]]}, m_face.face, tetSide);
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
  void lay(std::size_t i, std::size_t j, const Vec3& at) {
    const FaceProjection on = m_part.shape->projectToFace(m_face.face, at);
    m.points[static_cast<std::size_t>(g.node[place(i, j)])] = on.point;
    m_normal[place(i, j)] = on.normal;
  }
  /// Heights in the map at which rows are evenly spaced on average: the same for all columns, so that rows stay square
  /// to a face that bends to and fro.
  std::vector<double> evenLevels(const FaceMap& map, const std::vector<std::array<double, 2>>& ends) const {
    const std::size_t steps = 8 * nj, stride = std::max<std::size_t>(1, ni / 16);
    std::vector<double> length(steps + 1, 0);
    for (std::size_t i = 0; i < ni; i += stride) {
      Vec3 before = map.at(ends[i][0], 0);
      double sum = 0;
      for (std::size_t k = 1; k <= steps; ++k) {
        const double y = static_cast<double>(k) / static_cast<double>(steps);
        const Vec3 p = map.at((1 - y) * ends[i][0] + y * ends[i][1], y);
        sum += (p - before).norm();
        length[k] += sum;
        before = p;
      }
    }
    std::vector<double> r{0};
    const std::vector<double> heights = ringHeights();
    for (std::size_t j = 1, k = 1; j < nj; ++j) {
      const double want = length.back() * heights[j];
      while (k < steps && length[k] < want) ++k;
      const double w = length[k] > length[k - 1] ? (want - length[k - 1]) / (length[k] - length[k - 1]) : 0;
      r.push_back((static_cast<double>(k - 1) + w) / static_cast<double>(steps));
    }
    return r;
  }
  /// Turns the far end of a ring by whole nodes to where they lie straight across as the map sees it.
  void turnFarEnd(const FaceMap& map) {
    double sum = 0;
    for (std::size_t i = 0; i < ni; ++i) {
      const double apart = map.turnOf(pt(g.node[place(i, nj)]), 1) - map.turnOf(pt(g.node[place(i, 0)]), 0);
      sum += i == 0 ? apart : apart - std::round(apart - sum / static_cast<double>(i));
    }
    const double mean = sum / static_cast<double>(ni);
    const auto n = static_cast<long>(ni);
    const long turn = std::lround(-(mean - std::floor(mean)) * static_cast<double>(ni));
    std::vector<int> node;
    std::vector<Vec3> normal;
    for (long i = 0; i < n; ++i) {
      const auto from = place(static_cast<std::size_t>(((i + turn) % n + n) % n), nj);
      node.push_back(g.node[from]);
      normal.push_back(m_normal[from]);
    }
    for (std::size_t i = 0; i <= ni; ++i) {
      g.node[place(i, nj)] = node[i % ni];
      m_normal[place(i, nj)] = normal[i % ni];
    }
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
                                     SurfaceMesh& mesh, const Progress& progress) {
  RowsMaker maker(part, face, mesh);
  if (auto p = face.ring ? maker.around(ringRows) : maker.span()) return p;
  return maker.fill(tetSide, progress);
}

} // namespace tess
