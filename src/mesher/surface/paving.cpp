// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/paving.h"
#include "base/bvh.h"
#include "base/edge_key.h"
#include "base/matching.h"
#include "base/plane_triangles.h"
#include <cmath>
#include <complex>
#include <deque>
#include <map>
#include <unordered_map>
#include <unordered_set>

namespace tess {
namespace {

double along(const Vec3& d) { return std::atan2(d.y(), d.x()); }

double distanceTo(const Vec3& p, const Vec3& a, const Vec3& b) {
  const Vec3 d = b - a;
  const double l = d.squaredNorm(), t = l > 0 ? std::clamp((p - a).dot(d) / l, 0.0, 1.0) : 0;
  return (a + t * d - p).norm();
}

/// Points by squares of the plane.
class Squares {
public:
  explicit Squares(double side) : m_side(side) {}
  void add(const Vec3& p) { m_at[key(index(p.x()), index(p.y()))].push_back(p); }
  bool anyWithin(const Vec3& p, double reach) const {
    const int x0 = index(p.x() - reach), x1 = index(p.x() + reach), y0 = index(p.y() - reach),
              y1 = index(p.y() + reach);
    for (int x = x0; x <= x1; ++x)
      for (int y = y0; y <= y1; ++y)
        if (const auto it = m_at.find(key(x, y)); it != m_at.end())
          for (const Vec3& q : it->second)
            if ((q - p).squaredNorm() < reach * reach) return true;
    return false;
  }

private:
  double m_side;
  std::unordered_map<std::uint64_t, std::vector<Vec3>> m_at;
  int index(double x) const { return static_cast<int>(std::floor(x / m_side)); }
  static std::uint64_t key(int x, int y) {
    return static_cast<std::uint64_t>(static_cast<std::uint32_t>(x)) << 32 | static_cast<std::uint32_t>(y);
  }
};

class Rows {
public:
  Rows(const std::vector<Vec3>& points, const NodeLoops& loops, const std::function<double(const Vec3&)>& size)
      : m_p(points), m_loops(loops), m_size(size) {
    std::vector<Box> boxes;
    for (const auto& loop : loops)
      for (std::size_t k = 0; k < loop.size(); ++k) {
        const Vec3 &a = pt(loop[k]), &b = pt(loop[(k + 1) % loop.size()]);
        m_sides.push_back({a, b, 0.5 * (a + b), std::polar((b - a).norm(), 4 * along(b - a))});
        boxes.emplace_back();
        boxes.back().add(a);
        boxes.back().add(b);
      }
    m_tree.build(boxes);
  }

  std::vector<Vec3> run(const Progress& progress) {
    double least = 1e300, most = 0;
    for (const auto& loop : m_loops)
      for (int v : loop) {
        const double h = m_size(pt(v));
        least = std::min(least, h);
        most = std::max(most, h);
      }
    Squares squares(std::sqrt(least * most));
    struct Front {
      Vec3 p;
      double h;
      double from, to; ///< directions that lead inside, counter-clockwise
    };
    std::deque<Front> front;
    for (const auto& loop : m_loops)
      for (std::size_t k = 0; k < loop.size(); ++k) {
        const Vec3& p = pt(loop[k]);
        squares.add(p);
        const double from = along(pt(loop[(k + 1) % loop.size()]) - p);
        double to = along(pt(loop[(k + loop.size() - 1) % loop.size()]) - p);
        while (to <= from) to += 2 * kPi;
        front.push_back({p, m_size(p), from, to});
      }
    std::vector<Vec3> r;
    constexpr double kMargin = 0.5;                // rad between a row and the boundary that it leaves
    constexpr double kApart = 0.7, kFromRim = 0.6; // of the size
    for (std::size_t seen = 0; !front.empty(); ++seen) {
      if ((seen & 127) == 0) progress.check();
      const Front f = front.front();
      front.pop_front();
      const double cross = crossAt(f.p, f.to - f.from < 2 * kPi - 1e-9 ? 0.25 * f.h : 0);
      for (int k = 0; k < 4; ++k) {
        double angle = cross + k * kPi / 2;
        while (angle < f.from) angle += 2 * kPi;
        while (angle >= f.from + 2 * kPi) angle -= 2 * kPi;
        if (f.to - f.from < 2 * kPi - 1e-9 && (angle < f.from + kMargin || angle > f.to - kMargin)) continue;
        const Vec3 way(std::cos(angle), std::sin(angle), 0);
        const double h = m_size(f.p + f.h * way), step = 0.5 * (f.h + h);
        const Vec3 to = f.p + step * way;
        if (squares.anyWithin(to, kApart * step) || !clear(f.p, to, kFromRim * step)) continue;
        squares.add(to);
        r.push_back(to);
        front.push_back({to, h, 0, 2 * kPi});
      }
    }
    return r;
  }

private:
  struct Side {
    Vec3 a, b, middle;
    std::complex<double> cross; ///< length, and four times its direction
  };
  const std::vector<Vec3>& m_p;
  const NodeLoops& m_loops;
  const std::function<double(const Vec3&)>& m_size;
  std::vector<Side> m_sides;
  Bvh m_tree;

  const Vec3& pt(int v) const { return m_p[static_cast<std::size_t>(v)]; }

  /// One of the four directions of the cross field: those of the boundary, the nearer the more.
  double crossAt(const Vec3& p, double blur) const {
    std::complex<double> sum = 0;
    for (const Side& s : m_sides) {
      const double d2 = (s.middle - p).squaredNorm() + blur * blur + 1e-300;
      sum += s.cross / (d2 * std::sqrt(d2));
    }
    return std::arg(sum) / 4;
  }

  /// Whether the way to a place does not leave the region, nor ends near its boundary.
  bool clear(const Vec3& from, const Vec3& to, double apart) const {
    Box box;
    box.add(from);
    box.add(to);
    box.grow(apart);
    bool free = true;
    const Vec3 way = to - from;
    m_tree.overlapping(box, [&](int k) {
      const Side& s = m_sides[static_cast<std::size_t>(k)];
      if (distanceTo(to, s.a, s.b) < apart) free = false;
      const double a = way.cross(s.a - from).z(), b = way.cross(s.b - from).z();
      const Vec3 d = s.b - s.a;
      const double u = d.cross(from - s.a).z(), v = d.cross(to - s.a).z();
      const double tiny = 1e-12 * way.squaredNorm();
      // It may begin at an end of the side.
      if (a * b < 0 && u * v < 0 && std::abs(u) > tiny) free = false;
      return free;
    });
    return free;
  }
};

/// Sine-like goodness of a corner: 1 when square, 0 when straight or worse.
double squareness(const Vec3& o, const Vec3& next, const Vec3& before, const Vec3& normal) {
  const Vec3 a = next - o, b = before - o;
  double angle = std::atan2(a.cross(b).dot(normal), a.dot(b));
  if (angle < 0) angle += 2 * kPi;
  return std::max(0.0, 1 - std::abs(angle - kPi / 2) / (kPi / 2));
}

} // namespace

std::vector<Vec3> placesInRows(const std::vector<Vec3>& points, const NodeLoops& loops,
                               const std::function<double(const Vec3&)>& size, const Progress& progress) {
  return Rows(points, loops, size).run(progress);
}

namespace {

constexpr double kLeastSquare = 0.15; ///< corners of 14 and of 166 degrees

/// Sides that one triangle or quadrilateral has.
using RimSides = std::unordered_set<std::uint64_t>;

bool straightBetween(const FaceCells& m, const RimSides& rim, int before, int v, int next) {
  return static_cast<std::size_t>(v) < m.straight.size() && m.straight[static_cast<std::size_t>(v)] &&
         rim.count(edgeKey(before, v)) && rim.count(edgeKey(v, next));
}

double leastSquare(const FaceCells& m, const std::array<int, 4>& quad, const SideMiddles& middles,
                   const RimSides& rim) {
  double worst = 1;
  for (std::size_t j = 0; j < 4; ++j)
    if (straightBetween(m, rim, quad[(j + 3) % 4], quad[j], quad[(j + 1) % 4])) return 0;
  auto towards = [&](int a, int b) -> const Vec3& {
    const auto it = middles.find(edgeKey(a, b));
    return m.points[static_cast<std::size_t>(it == middles.end() ? b : it->second)];
  };
  for (std::size_t j = 0; j < 4; ++j)
    worst =
        std::min(worst, squareness(m.points[static_cast<std::size_t>(quad[j])], towards(quad[j], quad[(j + 1) % 4]),
                                   towards(quad[j], quad[(j + 3) % 4]), m.normals[static_cast<std::size_t>(quad[j])]));
  return worst;
}

/// Inner nodes with two quadrilaterals alone: those become one.
void openDoublets(FaceCells& m, const SideMiddles& middles, const RimSides& rim) {
  for (bool any = true; any;) {
    any = false;
    std::vector<std::vector<int>> at(m.points.size());
    std::vector<int> triangles(m.points.size(), 0);
    for (std::size_t c = 0; c < m.quads.size(); ++c)
      for (int v : m.quads[c]) at[static_cast<std::size_t>(v)].push_back(static_cast<int>(c));
    for (const auto& t : m.triangles)
      for (int v : t) ++triangles[static_cast<std::size_t>(v)];
    std::vector<char> gone(m.quads.size(), 0);
    for (std::size_t v = m.rim; v < m.points.size(); ++v) {
      if (at[v].size() != 2 || triangles[v]) continue;
      const auto a = static_cast<std::size_t>(at[v][0]), b = static_cast<std::size_t>(at[v][1]);
      if (gone[a] || gone[b]) continue;
      auto turned = [&](std::size_t c) {
        auto q = m.quads[c];
        std::rotate(q.begin(), std::find(q.begin(), q.end(), static_cast<int>(v)), q.end());
        return q;
      };
      const auto p = turned(a), q = turned(b);
      if (p[1] != q[3] || p[3] != q[1] || p[2] == q[2]) continue;
      const std::array<int, 4> one{p[1], p[2], p[3], q[2]};
      if (leastSquare(m, one, middles, rim) >= kLeastSquare)
        m.quads[a] = one;
      else { // a straight corner of the boundary needs the side that would go
        const int c = static_cast<int>(v);
        gone[a] = 1;
        for (const auto& t : {std::array<int, 3>{c, p[1], p[2]}, {c, p[2], p[3]}, {c, q[1], q[2]}, {c, q[2], q[3]}})
          m.triangles.push_back(t);
      }
      gone[b] = 1;
      any = true;
      break; // what lies around has changed
    }
    std::size_t kept = 0;
    for (std::size_t c = 0; c < m.quads.size(); ++c)
      if (!gone[c]) m.quads[kept++] = m.quads[c];
    m.quads.resize(kept);
  }
}

/// Takes out points that no cell uses any more; those of the rim stay.
void dropUnused(FaceCells& m) {
  std::vector<int> to(m.points.size(), -1);
  for (std::size_t v = 0; v < m.rim; ++v) to[v] = static_cast<int>(v);
  for (const auto& q : m.quads)
    for (int v : q) to[static_cast<std::size_t>(v)] = 0;
  for (const auto& t : m.triangles)
    for (int v : t) to[static_cast<std::size_t>(v)] = 0;
  std::size_t n = 0;
  for (std::size_t v = 0; v < to.size(); ++v) {
    if (v >= m.rim && to[v] < 0) continue;
    m.points[n] = m.points[v];
    m.normals[n] = m.normals[v];
    to[v] = static_cast<int>(n++);
  }
  m.points.resize(n);
  m.normals.resize(n);
  for (auto& q : m.quads)
    for (int& v : q) v = to[static_cast<std::size_t>(v)];
  for (auto& t : m.triangles)
    for (int& v : t) v = to[static_cast<std::size_t>(v)];
}

} // namespace

SideMiddles middlesOf(const NodeLoops& loops) {
  SideMiddles r;
  for (const auto& loop : loops)
    for (std::size_t k = 0; k + 1 < loop.size(); k += 2) r[edgeKey(loop[k], loop[(k + 2) % loop.size()])] = loop[k + 1];
  return r;
}

std::vector<char> straightNodes(const std::vector<Vec3>& points, const NodeLoops& loops) {
  constexpr double kStraight = 0.75; // cosine of 41 degrees
  std::vector<char> r(points.size(), 0);
  auto pt = [&](int v) -> const Vec3& { return points[static_cast<std::size_t>(v)]; };
  for (const auto& loop : loops) {
    const std::size_t n = loop.size();
    for (std::size_t k = 0; k < n; ++k) {
      const Vec3 in = (pt(loop[k]) - pt(loop[(k + n - 1) % n])).normalized(),
                 out = (pt(loop[(k + 1) % n]) - pt(loop[k])).normalized();
      r[static_cast<std::size_t>(loop[k])] = in.dot(out) > kStraight;
    }
  }
  return r;
}

namespace {

RimSides rimSides(const FaceCells& m) {
  RimSides r;
  for (const auto& t : m.triangles)
    for (std::size_t k = 0; k < 3; ++k)
      if (const auto key = edgeKey(t[k], t[(k + 1) % 3]); !r.erase(key)) r.insert(key);
  return r;
}

/// A triangle that alone lies at a straight node of the boundary gives up the side across from it.
void turnFlatCorners(FaceCells& m, const RimSides& rim) {
  std::unordered_map<std::uint64_t, std::size_t> at; // by directed side
  auto directed = [](int a, int b) {
    return static_cast<std::uint64_t>(static_cast<std::uint32_t>(a)) << 32 | static_cast<std::uint32_t>(b);
  };
  for (std::size_t t = 0; t < m.triangles.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) at[directed(m.triangles[t][k], m.triangles[t][(k + 1) % 3])] = t;
  for (std::size_t t = 0; t < m.triangles.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) {
      const auto q = m.triangles[t];
      const int a = q[(k + 2) % 3], b = q[k], c = q[(k + 1) % 3]; // b is the corner, a to c the side across
      if (!straightBetween(m, rim, a, b, c)) continue;
      const auto other = at.find(directed(a, c));
      if (other == at.end()) continue;
      const auto& o = m.triangles[other->second];
      const int d = o[0] + o[1] + o[2] - a - c;
      auto pt = [&](int v) -> const Vec3& { return m.points[static_cast<std::size_t>(v)]; };
      const Vec3& n = m.normals[static_cast<std::size_t>(b)];
      auto area = [&](int x, int y, int z) { return (pt(y) - pt(x)).cross(pt(z) - pt(x)).dot(n); };
      if (area(b, c, d) <= 0 || area(b, d, a) <= 0) continue;
      const std::size_t u = other->second;
      m.triangles[t] = {b, c, d};
      m.triangles[u] = {b, d, a};
      at.erase(directed(a, c));
      at.erase(directed(c, a));
      for (std::size_t x : {t, u})
        for (std::size_t j = 0; j < 3; ++j) at[directed(m.triangles[x][j], m.triangles[x][(j + 1) % 3])] = x;
      break;
    }
}

} // namespace

void pairTriangles(FaceCells& m, const SideMiddles& middles) {
  const RimSides rim = rimSides(m);
  turnFlatCorners(m, rim);
  std::unordered_map<std::uint64_t, std::pair<int, int>> first; // by side: triangle, its corner before the side
  std::vector<std::array<int, 2>> pairs;
  std::vector<std::array<int, 4>> merged;
  std::vector<int> weights;
  for (std::size_t t = 0; t < m.triangles.size(); ++t)
    for (int k = 0; k < 3; ++k) {
      const auto& q = m.triangles[t];
      const int a = q[static_cast<std::size_t>(k)], b = q[static_cast<std::size_t>((k + 1) % 3)],
                c = q[static_cast<std::size_t>((k + 2) % 3)];
      const auto [it, fresh] = first.emplace(edgeKey(a, b), std::pair{static_cast<int>(t), c});
      if (fresh) continue;
      const std::array<int, 4> quad{c, a, it->second.second, b};
      const double worst = leastSquare(m, quad, middles, rim);
      if (worst < kLeastSquare) continue;
      pairs.push_back({static_cast<int>(t), it->second.first});
      merged.push_back(quad);
      constexpr double kPair = 1.5; // a pair more is worth more than better ones
      weights.push_back(static_cast<int>(std::lround(1e6 * (kPair + worst))));
    }
  const std::vector<int> mate = heaviestPairs(static_cast<int>(m.triangles.size()), pairs, weights);
  for (std::size_t k = 0; k < pairs.size(); ++k)
    if (mate[static_cast<std::size_t>(pairs[k][0])] == pairs[k][1]) m.quads.push_back(merged[k]);
  std::size_t alone = 0;
  for (std::size_t t = 0; t < m.triangles.size(); ++t)
    if (mate[t] < 0) m.triangles[alone++] = m.triangles[t];
  m.triangles.resize(alone);
  openDoublets(m, middles, rim);
  dropUnused(m);
}

void halveCells(FaceCells& m, const SideMiddles& middles) {
  SideMiddles middle = middles;
  auto add = [&](const auto& q) {
    Vec3 p = Vec3::Zero(), n = Vec3::Zero();
    for (int v : q) {
      p += m.points[static_cast<std::size_t>(v)] / static_cast<double>(q.size());
      n += m.normals[static_cast<std::size_t>(v)];
    }
    m.points.push_back(p);
    m.normals.push_back(n.normalized());
    return static_cast<int>(m.points.size()) - 1;
  };
  auto middleOf = [&](int a, int b) {
    const auto [it, fresh] = middle.emplace(edgeKey(a, b), -1);
    if (fresh) it->second = add(std::array<int, 2>{a, b});
    return it->second;
  };
  std::vector<std::array<int, 4>> quads;
  auto cut = [&](const auto& q) {
    const std::size_t n = q.size();
    const int centre = add(q);
    for (std::size_t k = 0; k < n; ++k)
      quads.push_back({q[k], middleOf(q[k], q[(k + 1) % n]), centre, middleOf(q[(k + n - 1) % n], q[k])});
  };
  for (const auto& q : m.quads) cut(q);
  for (const auto& t : m.triangles) cut(t);
  m.quads = std::move(quads);
  m.triangles.clear();
}

bool mayHalve(const NodeLoops& loops) {
  return std::all_of(loops.begin(), loops.end(), [](const auto& l) { return l.size() % 2 == 0 && l.size() >= 6; });
}

NodeLoops everySecond(const std::vector<Vec3>& points, NodeLoops& loops) {
  NodeLoops r;
  auto pt = [&](int v) -> const Vec3& { return points[static_cast<std::size_t>(v)]; };
  for (auto& loop : loops) {
    double turn[2] = {0, 0};
    const std::size_t n = loop.size();
    for (std::size_t k = 0; k < n; ++k) {
      const Vec3 in = (pt(loop[k]) - pt(loop[(k + n - 1) % n])).normalized(),
                 out = (pt(loop[(k + 1) % n]) - pt(loop[k])).normalized();
      turn[k % 2] += 1 - in.dot(out);
    }
    if (turn[1] > turn[0] * (1 + 1e-9)) std::rotate(loop.begin(), loop.begin() + 1, loop.end());
    r.emplace_back();
    for (std::size_t k = 0; k < n; k += 2) r.back().push_back(loop[k]);
  }
  return r;
}

std::optional<FaceCells> pavedPlane(const FaceCells& base, const NodeLoops& fine, bool all,
                                    const std::function<double(const Vec3&)>& size, const Progress& progress) {
  if (all && !mayHalve(fine)) return {};
  NodeLoops loops = fine;
  const NodeLoops taken = all ? everySecond(base.points, loops) : loops;
  FaceCells m = base;
  const Vec3 normal = base.normals.front(), e1 = normal.unitOrthogonal(), e2 = normal.cross(e1),
             origin = m.points.front();
  std::vector<Vec3> seen;
  for (const Vec3& p : m.points) seen.emplace_back((p - origin).dot(e1), (p - origin).dot(e2), 0);
  auto back = [&](const Vec3& q) { return Vec3(origin + q.x() * e1 + q.y() * e2); };
  std::vector<std::array<int, 2>> sides;
  for (const auto& loop : taken)
    for (std::size_t k = 0; k < loop.size(); ++k) sides.push_back({loop[k], loop[(k + 1) % loop.size()]});
  const Vec3 up(0, 0, 1);
  if (fillPlane(seen, sides, up).empty()) return {}; // the boundary crosses itself
  const double share = all ? 2 : 1;
  std::vector<int> inside;
  for (const Vec3& q : placesInRows(
           seen, taken, [&](const Vec3& p) { return share * size(back(p)); }, progress)) {
    inside.push_back(static_cast<int>(seen.size()));
    seen.push_back(q);
    m.points.push_back(back(q));
    m.normals.push_back(normal);
  }
  m.straight = straightNodes(base.points, loops);
  m.triangles = fillPlane(seen, sides, up, inside);
  if (m.triangles.empty()) return {};
  const SideMiddles middles = all ? middlesOf(loops) : SideMiddles();
  pairTriangles(m, middles);
  if (all) halveCells(m, middles);
  smoothInPlane(m, progress);
  if (worstCorner(m) < kFoldedCorner) return {};
  return m;
}

std::optional<FaceCells> pavedPlane(const FaceCells& base, const NodeLoops& loops, Across across,
                                    const std::function<double(const Vec3&)>& size, const Progress& progress) {
  std::optional<FaceCells> cells;
  if (across == Across::ByItself || across == Across::Quads) cells = pavedPlane(base, loops, true, size, progress);
  if (!cells) cells = pavedPlane(base, loops, false, size, progress);
  if (cells && across == Across::Triangles) cutQuads(*cells);
  return cells;
}

void cutQuads(FaceCells& cells) {
  for (const auto& q : cells.quads) {
    auto length = [&](std::size_t k) {
      return (cells.points[static_cast<std::size_t>(q[k])] - cells.points[static_cast<std::size_t>(q[k + 2])])
          .squaredNorm();
    };
    const std::size_t k = length(1) < length(0) ? 1 : 0;
    cells.triangles.push_back({q[k], q[k + 1], q[k + 2]});
    cells.triangles.push_back({q[k], q[k + 2], q[(k + 3) % 4]});
  }
  cells.quads.clear();
}

} // namespace tess
