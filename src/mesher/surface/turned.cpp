// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/turned.h"
#include "mesher/surface/carried_face.h"
#include "mesher/surface/mapped_face.h"
#include "mesher/surface/paving.h"
#include <numeric>

namespace tess {
namespace {

/// Quadrilaterals within a ring of 4 m nodes: m x m of them in the middle, rounded towards the ring, and rows round
/// these. The ring comes first.
FaceCells squareInRing(const std::vector<Vec3>& ring, const Vec3& normal, double size) {
  const std::size_t n = ring.size(), m = n / 4;
  double round = 0;
  for (std::size_t k = 0; k < n; ++k) round += (ring[(k + 1) % n] - ring[k]).norm();
  constexpr double kRoom = 0.45; // between the square and the ring, of the ring's radius
  const double room = kRoom * round / (2 * kPi);
  const auto rows =
      static_cast<std::size_t>(std::max(1L, std::lround(room / std::max(size, round / static_cast<double>(n)))));
  FaceCells c;
  c.points = ring;
  c.rim = n;
  Vec3 center = Vec3::Zero();
  for (const Vec3& p : ring) center += p / static_cast<double>(n);
  // The square's rim, node by node beside the ring's.
  std::vector<std::array<std::size_t, 2>> around;
  for (std::size_t k = 0; k < n; ++k) {
    const std::size_t side = k / m, i = k % m;
    around.push_back(side == 0   ? std::array{i, std::size_t{0}}
                     : side == 1 ? std::array{m, i}
                     : side == 2 ? std::array{m - i, m}
                                 : std::array{std::size_t{0}, m - i});
  }
  std::vector<std::vector<Vec3>> square(m + 1, std::vector<Vec3>(m + 1));
  constexpr double kSquare = 0.6, kRound = 0.55; // corners lie so far out, and sides are bent so far
  const double last = static_cast<double>(m);
  auto corner = [&](std::size_t k) { return Vec3(center + kSquare * (ring[(k * m) % n] - center)); };
  for (std::size_t k = 0; k < n; ++k) {
    const std::size_t side = k / m;
    const double w = static_cast<double>(k % m) / last;
    const Vec3 straight = (1 - w) * corner(side) + w * corner(side + 1);
    square[around[k][0]][around[k][1]] = (1 - kRound) * straight + kRound * (center + kSquare * (ring[k] - center));
  }
  for (std::size_t i = 1; i < m; ++i)
    for (std::size_t j = 1; j < m; ++j) {
      const double u = static_cast<double>(i) / last, v = static_cast<double>(j) / last;
      square[i][j] = (1 - v) * square[i][0] + v * square[i][m] + (1 - u) * square[0][j] + u * square[m][j] -
                     ((1 - u) * (1 - v) * square[0][0] + u * (1 - v) * square[m][0] + u * v * square[m][m] +
                      (1 - u) * v * square[0][m]);
    }
  std::vector<int> outer(n);
  std::iota(outer.begin(), outer.end(), 0);
  std::vector<std::vector<int>> id(m + 1, std::vector<int>(m + 1, -1));
  auto add = [&](const Vec3& p) {
    c.points.push_back(p);
    return static_cast<int>(c.points.size()) - 1;
  };
  for (std::size_t row = 1; row <= rows; ++row) {
    const double w = static_cast<double>(row) / static_cast<double>(rows);
    std::vector<int> next;
    for (std::size_t k = 0; k < n; ++k) {
      next.push_back(add((1 - w) * ring[k] + w * square[around[k][0]][around[k][1]]));
      if (row == rows) id[around[k][0]][around[k][1]] = next.back();
    }
    for (std::size_t k = 0; k < n; ++k) c.quads.push_back({outer[k], outer[(k + 1) % n], next[(k + 1) % n], next[k]});
    outer = std::move(next);
  }
  for (std::size_t i = 1; i < m; ++i)
    for (std::size_t j = 1; j < m; ++j) id[i][j] = add(square[i][j]);
  for (std::size_t i = 0; i < m; ++i)
    for (std::size_t j = 0; j < m; ++j) c.quads.push_back({id[i][j], id[i + 1][j], id[i + 1][j + 1], id[i][j + 1]});
  c.normals.assign(c.points.size(), normal);
  return c;
}

class Turning {
public:
  Turning(const Part& part, const Sweep& sweep, const std::vector<FacePlan>& faces, const SizeField& size,
          SurfaceMesh& mesh, const Progress& progress)
      : m_part(part), m_sweep(sweep), m_about(*sweep.axis), m_faces(faces), m_size(size), m(mesh),
        m_progress(progress) {}

  std::optional<Problem> run() {
    const int pole = m_about.poles[0];
    if (!findWalls()) return failed(pole, "the rows of a body's walls do not meet", "its ends have different counts");
    findAxis();
    if (!findCore())
      return failed(pole, "there is no room for cells along the axis of a body",
                    "its profile comes close to the axis, or its poles have too few elements");
    for (std::size_t end : {0u, 1u})
      if (!addRows(end)) return folds(m_about.poles[end]);
    joinRims();
    if (!makeProfile() || !makeCore())
      return failed(pole, "cells in the profile of a body come out folded",
                    "it is too narrow or too sharp for the size asked for");
    for (std::size_t end : {0u, 1u})
      if (!addCap(end)) return folds(m_about.poles[end]);
    if (!m_about.full()) {
      out.inSides.resize(static_cast<std::size_t>(out.heights) + 1);
      for (std::size_t side : {1u, 0u}) // as the core's places run
        if (!addSide(side)) return folds(m_about.sides[side]);
    }
    out.body = m_sweep.body;
    m.turned.push_back(std::move(out));
    return {};
  }

private:
  const Part& m_part;
  const Sweep& m_sweep;
  const AboutAxis& m_about;
  const std::vector<FacePlan>& m_faces;
  const SizeField& m_size;
  SurfaceMesh& m;
  const Progress& m_progress;
  TurnedCells out;
  std::vector<std::vector<int>> m_walls;                   ///< per station: nodes from arc to arc
  std::array<std::vector<std::vector<int>>, 2> m_rows;     ///< per pole and station: nodes from the arc to the core
  std::array<std::array<std::vector<int>, 2>, 2> m_radii;  ///< per pole and side: nodes from the arc to the axis
  std::vector<int> m_axis;                                 ///< nodes along it, where it is an edge
  std::array<Vec3, 2> m_tip{Vec3(0, 0, 0), Vec3(0, 0, 0)}; ///< where the axis leaves the poles
  double m_core = 0;                                       ///< its radius at most
  std::size_t m_inward = 1;                                ///< elements along the core's radii

  const Vec3& pt(int v) const { return m.points[static_cast<std::size_t>(v)]; }
  int add(const Vec3& at, int face) {
    m.points.push_back(m_part.shape->projectToFace(face, at).point);
    m.dim.push_back(Dim::Face);
    m.entity.push_back(face);
    return static_cast<int>(m.points.size()) - 1;
  }
  Problem failed(int face, const char* what, const char* why) const {
    return notCarried(m_part, face, m_part.faces[static_cast<std::size_t>(face)].center, what, why);
  }
  Problem folds(int face) const {
    return failed(face, "cells on a face at the axis of a body fold", "it bends too much from its edges to the axis");
  }
  std::size_t stations() const { return m_walls.size(); }
  std::size_t next(std::size_t k) const { return (k + 1) % stations(); }

  bool findWalls() {
    const auto up = nodesOver(m_sweep, m);
    std::vector<int> arc = nodesAlong(m, m_about.arcs[0]), end = nodesAlong(m, m_about.arcs[1]);
    if (m_about.full()) arc.pop_back();
    for (int v : arc) {
      std::vector<int> line{v};
      for (auto it = up.find(v); it != up.end() && line.size() <= up.size(); it = up.find(it->second))
        line.push_back(it->second);
      if (std::find(end.begin(), end.end(), line.back()) == end.end()) return false;
      if (!m_walls.empty() && line.size() != m_walls.front().size()) return false;
      m_walls.push_back(std::move(line));
    }
    if (m_about.full()) return m_walls.size() >= 3;
    for (std::size_t pole : {0u, 1u})
      for (std::size_t side : {0u, 1u}) m_radii[pole][side] = nodesAlong(m, m_about.radii[pole][side]);
    m_axis = nodesAlong(m, m_about.axis);
    for (const auto& r : m_radii)
      if (r[0].size() != r[1].size() || r[0].size() < 3) return false;
    return m_walls.size() >= 2 && m_axis.size() >= 2;
  }

  void findAxis() {
    for (std::size_t end : {0u, 1u}) {
      if (!m_about.full()) {
        m_tip[end] = pt(end == 0 ? m_axis.front() : m_axis.back());
        continue;
      }
      Vec3 area = Vec3::Zero(), center = Vec3::Zero();
      auto at = [&](std::size_t k) -> const Vec3& {
        const auto& line = m_walls[k % stations()];
        return pt(end == 0 ? line.front() : line.back());
      };
      for (std::size_t k = 0; k < stations(); ++k) area += 0.5 * (at(k) - at(0)).cross(at(k + 1) - at(0));
      for (std::size_t k = 0; k < stations(); ++k)
        center += 0.5 * (at(k) - at(0)).cross(at(k + 1) - at(0)).dot(area) / area.squaredNorm() *
                  (at(0) + at(k) + at(k + 1)) / 3;
      // The place on the face nearest to the axis: of places along it, that whose foot lies nearest.
      const int face = m_about.poles[end];
      const Vec3 axis = area.normalized();
      const Box& box = m_part.faces[static_cast<std::size_t>(face)].box;
      double least = 1e300;
      auto look = [&](double t) {
        const Vec3 p = center + t * axis, foot = m_part.shape->projectToFace(face, p).point;
        const double off = axis.cross(foot - center).norm() + 1e-3 * (foot - p).norm();
        if (off >= least) return;
        least = off;
        m_tip[end] = foot;
      };
      look(0);
      constexpr int kPlaces = 32;
      for (int k = -kPlaces; k <= kPlaces; ++k) look(box.diagonal() * k / kPlaces);
      for (std::size_t i = 0; i < m_part.display.triangles.size(); ++i)
        if (m_part.display.triangleFace[i] == face)
          for (int v : m_part.display.triangles[i]) {
            const Vec3& p = m_part.display.points[static_cast<std::size_t>(v)];
            if (axis.cross(p - center).norm() < 0.3 * std::sqrt(area.norm() / kPi)) look((p - center).dot(axis));
          }
    }
  }
  double radius(const Vec3& p) const {
    const Vec3 way = (m_tip[1] - m_tip[0]).normalized();
    return way.cross(p - m_tip[0]).norm();
  }

  /// How wide the core may be.
  bool findCore() {
    constexpr double kOfNarrowest = 0.7;
    double least = 1e300;
    for (const auto& line : m_walls)
      for (int v : line) least = std::min(least, radius(pt(v)));
    m_core = kOfNarrowest * least;
    if (m_about.full()) return m_core > 0;
    const std::size_t most = std::min(m_radii[0][0].size(), m_radii[1][0].size()) - 2;
    auto wide = [&](std::size_t inward) {
      double r = 0;
      for (const auto& pole : m_radii)
        for (const auto& nodes : pole) r = std::max(r, radius(pt(nodes[nodes.size() - 1 - inward])));
      return r;
    };
    if (m_about.core == Core::Square)
      while (m_inward < most && wide(m_inward + 1) < m_core) ++m_inward;
    if (m_inward > 2) m_inward -= m_inward % 2; // corners of the profile lie at every second node then
    return wide(m_inward) < 0.95 * least;
  }

  /// Places on a pole between a node of its arc and the axis, at shares of the length of that way.
  std::vector<Vec3> meridian(std::size_t end, const Vec3& from, const std::vector<double>& shares) const {
    constexpr std::size_t kParts = 48;
    std::vector<Vec3> way;
    std::vector<double> length{0};
    for (std::size_t k = 0; k <= kParts; ++k) {
      const double w = static_cast<double>(k) / kParts;
      const Vec3 p = (1 - w) * from + w * m_tip[end];
      way.push_back(k == 0 || k == kParts ? p : m_part.shape->projectToFace(m_about.poles[end], p).point);
      if (k > 0) length.push_back(length.back() + (way[k] - way[k - 1]).norm());
    }
    std::vector<Vec3> r;
    for (double s : shares) {
      const double want = s * length.back();
      std::size_t k = 1;
      while (k < kParts && length[k] < want) ++k;
      const double w = length[k] > length[k - 1] ? (want - length[k - 1]) / (length[k] - length[k - 1]) : 0;
      r.push_back((1 - w) * way[k - 1] + w * way[k]);
    }
    return r;
  }
  /// Rows round a pole, from its arc to the core.
  bool addRows(std::size_t end) {
    const int face = m_about.poles[end];
    const std::size_t n = stations();
    auto arc = [&](std::size_t k) { return end == 0 ? m_walls[k].front() : m_walls[k].back(); };
    auto& rows = m_rows[end];
    std::vector<double> shares;
    std::array<std::vector<double>, 2> sideShares;
    std::size_t count = 0;
    if (m_about.full()) {
      std::vector<double> fine;
      constexpr std::size_t kFine = 200;
      for (std::size_t k = 0; k <= kFine; ++k) fine.push_back(static_cast<double>(k) / kFine);
      const auto way = meridian(end, pt(arc(0)), fine);
      std::size_t at = kFine; // where the core begins
      double length = 0;
      while (at > 1 && radius(way[at - 1]) < m_core) --at;
      for (std::size_t k = 1; k <= at; ++k) length += (way[k] - way[k - 1]).norm();
      // Even: the profile's cells come of every second node, and its corners are to be among these.
      count = 2 * std::max<std::size_t>(1, static_cast<std::size_t>(std::lround(length / m_size.at(way[at / 2]) / 2)));
      for (std::size_t k = 1; k <= count; ++k)
        shares.push_back(fine[at] * static_cast<double>(k) / static_cast<double>(count));
    } else {
      for (std::size_t side : {0u, 1u}) {
        std::vector<Vec3> p;
        for (int v : m_radii[end][side]) p.push_back(pt(v));
        sideShares[side] = lengthShares(p);
      }
      count = m_radii[end][0].size() - 1 - m_inward;
    }
    for (std::size_t k = 0; k < n; ++k) {
      std::vector<int> line{arc(k)};
      if (!m_about.full() && (k == 0 || k + 1 == n)) {
        const auto& nodes = m_radii[end][k == 0 ? 0 : 1];
        if (nodes.front() != arc(k)) return false;
        line.assign(nodes.begin(), nodes.begin() + static_cast<std::ptrdiff_t>(count + 1));
      } else {
        if (!m_about.full()) {
          const double w = static_cast<double>(k) / static_cast<double>(n - 1);
          shares.clear();
          for (std::size_t j = 1; j <= count; ++j) shares.push_back((1 - w) * sideShares[0][j] + w * sideShares[1][j]);
        }
        for (const Vec3& p : meridian(end, pt(arc(k)), shares)) line.push_back(add(p, face));
      }
      rows.push_back(std::move(line));
    }
    for (std::size_t k = 0; k + (m_about.full() ? 0 : 1) < n; ++k)
      for (std::size_t j = 0; j < count; ++j)
        if (!addCell({rows[k][j], rows[next(k)][j], rows[next(k)][j + 1], rows[k][j + 1]}, face)) return false;
    return true;
  }

  /// A triangle or quadrilateral, turned to the front of its face. False where it would be folded.
  bool addCell(std::array<int, 4> q, int face) {
    const std::size_t n = q[3] < 0 ? 3 : 4;
    Vec3 middle = Vec3::Zero(), area = Vec3::Zero();
    for (std::size_t k = 0; k < n; ++k) middle += pt(q[k]) / static_cast<double>(n);
    for (std::size_t k = 0; k < n; ++k) area += (pt(q[k]) - middle).cross(pt(q[(k + 1) % n]) - middle);
    const Vec3 front = m_part.shape->projectToFace(face, middle).normal;
    if (area.dot(front) < 0) std::reverse(q.begin(), q.begin() + static_cast<std::ptrdiff_t>(n));
    for (std::size_t k = 0; k < n; ++k) {
      const Vec3 a = pt(q[(k + 1) % n]) - pt(q[k]), b = pt(q[(k + n - 1) % n]) - pt(q[k]);
      if (a.cross(b).dot(front) < kFoldedCorner * a.norm() * b.norm()) return false;
    }
    if (n == 3)
      m.addTriangle({q[0], q[1], q[2]}, face);
    else
      m.addQuad(q, face, m_faces[static_cast<std::size_t>(face)].tetSide);
    return true;
  }

  void joinRims() {
    for (std::size_t k = 0; k < stations(); ++k) {
      std::vector<int> rim(m_rows[0][k].rbegin(), m_rows[0][k].rend());
      rim.insert(rim.end(), m_walls[k].begin() + 1, m_walls[k].end());
      rim.insert(rim.end(), m_rows[1][k].begin() + 1, m_rows[1][k].end());
      out.rims.push_back(std::move(rim));
    }
  }

  std::optional<FaceCells> paved(const FaceCells& base) const {
    NodeLoops loops(1);
    for (std::size_t k = 0; k < base.points.size(); ++k) loops[0].push_back(static_cast<int>(k));
    const auto asked = [&](const Vec3& p) { return m_size.at(p); };
    return pavedPlane(base, loops, m_sweep.across, asked, m_progress);
  }
  static Vec3 normalOf(const std::vector<Vec3>& loop) {
    Vec3 area = Vec3::Zero();
    for (std::size_t k = 0; k < loop.size(); ++k)
      area += (loop[k] - loop[0]).cross(loop[(k + 1) % loop.size()] - loop[0]);
    return area.normalized();
  }

  bool makeProfile() {
    const auto& rim = out.rims.front();
    const Vec3 low = pt(rim.front()), high = pt(rim.back());
    std::vector<double> shares;
    if (m_about.full()) {
      const double length = (high - low).norm();
      auto n = static_cast<std::size_t>(2 * std::max(1L, std::lround(length / m_size.at(0.5 * (low + high)) / 2)));
      if ((rim.size() + n - 1) % 2) ++n; // an even way round
      for (std::size_t k = 0; k <= n; ++k) shares.push_back(static_cast<double>(k) / static_cast<double>(n));
    } else {
      std::vector<Vec3> p;
      for (int v : m_axis) p.push_back(pt(v));
      shares = lengthShares(p);
    }
    out.heights = static_cast<int>(shares.size()) - 1;
    FaceCells base;
    for (int v : rim) base.points.push_back(pt(v));
    for (std::size_t k = shares.size() - 2; k > 0; --k) base.points.push_back((1 - shares[k]) * low + shares[k] * high);
    base.rim = base.points.size();
    base.normals.assign(base.rim, normalOf(base.points));
    auto cells = paved(base);
    if (!cells) return false;
    out.profile = std::move(*cells);
    return true;
  }

  /// In a plane across the axis.
  bool makeCore() {
    const Vec3 way = (m_tip[1] - m_tip[0]).normalized();
    auto seen = [&](int v) { return Vec3(pt(v) - (pt(v) - m_tip[0]).dot(way) * way); };
    FaceCells base;
    for (const auto& rim : out.rims) base.points.push_back(seen(rim.front()));
    if (!m_about.full())
      for (int v : inward(0)) base.points.push_back(seen(v));
    base.rim = base.points.size();
    const Vec3 normal = normalOf(base.points);
    base.normals.assign(base.rim, normal);
    const bool quads = m_sweep.across == Across::ByItself || m_sweep.across == Across::Quads;
    if (m_about.core == Core::Wedges) {
      fan(base, normal);
      return true;
    }
    const bool sharp = std::any_of(m_about.poles.begin(), m_about.poles.end(), [&](int f) {
      return m_part.faces[static_cast<std::size_t>(f)].kind != SurfaceKind::Plane;
    });
    if (m_about.full() && sharp && stations() % 8 != 0) { // its tip must be a node
      fan(base, normal);
      return true;
    }
    if (m_about.full() && quads && stations() % 4 == 0) {
      out.core = squareInRing(base.points, normal, m_size.at(m_tip[0]));
      smoothInPlane(out.core, m_progress);
      return true;
    }
    auto cells = m_inward > 1 || m_about.full() ? paved(base) : std::nullopt;
    if (!cells)
      fan(base, normal);
    else
      out.core = std::move(*cells);
    return true;
  }
  /// Triangles about the axis.
  void fan(FaceCells base, const Vec3& normal) {
    const auto n = static_cast<int>(stations());
    int middle = n; // the axis, of a part of a revolution
    if (m_about.full()) {
      Vec3 center = Vec3::Zero();
      for (const Vec3& p : base.points) center += p / static_cast<double>(n);
      middle = static_cast<int>(base.points.size());
      base.points.push_back(center);
      base.normals.push_back(normal);
    }
    for (int k = 0; k + (m_about.full() ? 0 : 1) < n; ++k) base.triangles.push_back({k, (k + 1) % n, middle});
    out.core = std::move(base);
  }

  /// Nodes of a pole on the sides and the axis within the core, from side 1 to side 0.
  std::vector<int> inward(std::size_t end) const {
    std::vector<int> r;
    const auto &far = m_radii[end][1], &near = m_radii[end][0];
    r.insert(r.end(), far.end() - static_cast<std::ptrdiff_t>(m_inward), far.end());
    r.insert(r.end(), near.rbegin() + 1, near.rbegin() + static_cast<std::ptrdiff_t>(m_inward));
    return r;
  }

  /// The core's pattern on a pole.
  bool addCap(std::size_t end) {
    const int face = m_about.poles[end];
    std::vector<int> nodes;
    for (const auto& rim : out.rims) nodes.push_back(end == 0 ? rim.front() : rim.back());
    if (!m_about.full())
      for (int v : inward(end)) nodes.push_back(v);
    std::vector<Vec3> there;
    for (int v : nodes) there.push_back(pt(v));
    const bool flat = m_part.faces[static_cast<std::size_t>(face)].kind == SurfaceKind::Plane;
    const auto at = flat ? Pattern(out.core).carried(out.core.points, there) : std::vector<Vec3>();
    for (std::size_t k = out.core.rim; k < out.core.points.size(); ++k) {
      nodes.push_back(add(flat ? at[k] : towardsTip(end, out.core.points[k], there), face));
      out.caps[end].push_back(nodes.back());
    }
    return addPattern(out.core, nodes, face);
  }
  /// Where a place of the core's pattern lies on a pole: on the way from the ring to the tip, as far along as in the
  /// pattern.
  Vec3 towardsTip(std::size_t end, const Vec3& place, const std::vector<Vec3>& ring) const {
    const std::size_t n = stations();
    const Vec3 way = (m_tip[1] - m_tip[0]).normalized(), x = place - m_tip[0];
    for (std::size_t k = 0; k + (m_about.full() ? 0 : 1) < n; ++k) {
      const Vec3 a = out.core.points[k] - m_tip[0], b = out.core.points[next(k)] - m_tip[0];
      const double whole = a.cross(b).dot(way), u = x.cross(b).dot(way) / whole, v = a.cross(x).dot(way) / whole;
      constexpr double kBeside = -1e-9;
      if (u < kBeside || v < kBeside) continue;
      const double share = u + v; // share of the way from the axis to the ring
      if (share < 1e-9) break;
      return meridian(end, (u * ring[k] + v * ring[next(k)]) / share, {1 - share}).front();
    }
    return m_tip[end];
  }
  bool addPattern(const FaceCells& cells, const std::vector<int>& nodes, int face) {
    auto of = [&](int v) { return nodes[static_cast<std::size_t>(v)]; };
    for (const auto& t : cells.triangles)
      if (!addCell({of(t[0]), of(t[1]), of(t[2]), -1}, face)) return false;
    for (const auto& q : cells.quads)
      if (!addCell({of(q[0]), of(q[1]), of(q[2]), of(q[3])}, face)) return false;
    return true;
  }

  /// The profile on a side, and rows between the core's line and the axis.
  bool addSide(std::size_t side) {
    const int face = m_about.sides[side];
    const auto& rim = side == 0 ? out.rims.front() : out.rims.back();
    std::vector<Vec3> axis;
    for (int v : m_axis) axis.push_back(pt(v));
    const std::vector<double> shares = lengthShares(axis);
    std::vector<Vec3> there;
    for (int v : rim) there.push_back(pt(v));
    for (std::size_t k = shares.size() - 2; k > 0; --k)
      there.push_back((1 - shares[k]) * pt(rim.front()) + shares[k] * pt(rim.back()));
    const auto at = Pattern(out.profile).carried(out.profile.points, there);
    std::vector<int> nodes = rim;
    for (std::size_t k = rim.size(); k < at.size(); ++k) nodes.push_back(add(at[k], face));
    out.sides[side] = nodes;
    if (!addPattern(out.profile, nodes, face)) return false;
    const std::size_t n = m_inward;
    std::vector<std::vector<int>> grid(shares.size()); // per height: from the line to the axis
    for (std::size_t j = 0; j < shares.size(); ++j) {
      const bool first = j == 0, last = j + 1 == shares.size();
      if (first || last) {
        const auto& radius = m_radii[first ? 0 : 1][side];
        grid[j].assign(radius.end() - static_cast<std::ptrdiff_t>(n + 1), radius.end());
        continue;
      }
      const int line = nodes[static_cast<std::size_t>(out.lineAt(static_cast<int>(j)))];
      grid[j].push_back(line);
      for (std::size_t i = 1; i < n; ++i) {
        // As far in as at the poles.
        auto in = [&](std::size_t end) {
          const auto& radius = m_radii[end][side];
          const std::size_t from = radius.size() - 1 - n;
          return (pt(radius[from + i]) - pt(radius[from])).norm() / (pt(radius.back()) - pt(radius[from])).norm();
        };
        const double w = (1 - shares[j]) * in(0) + shares[j] * in(1);
        grid[j].push_back(add((1 - w) * pt(line) + w * pt(m_axis[j]), face));
      }
      grid[j].push_back(m_axis[j]);
    }
    for (std::size_t j = 0; j < grid.size(); ++j) {
      auto& in = out.inSides[j];
      if (side == 1)
        in.insert(in.end(), grid[j].begin() + 1, grid[j].end());
      else
        in.insert(in.end(), grid[j].rbegin() + 1, grid[j].rend() - 1);
    }
    for (std::size_t j = 0; j + 1 < grid.size(); ++j)
      for (std::size_t i = 0; i < n; ++i)
        if (!addCell({grid[j][i], grid[j][i + 1], grid[j + 1][i + 1], grid[j + 1][i]}, face)) return false;
    return true;
  }
};

} // namespace

std::optional<Problem> addTurnedFaces(const Part& part, const Sweep& sweep, const std::vector<FacePlan>& faces,
                                      const SizeField& size, SurfaceMesh& mesh, const Progress& progress) {
  return Turning(part, sweep, faces, size, mesh, progress).run();
}

} // namespace tess
