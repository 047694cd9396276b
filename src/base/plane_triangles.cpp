// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/plane_triangles.h"
#include "base/predicates.h"
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <deque>
#include <unordered_map>

namespace tess {
namespace {

class PlaneTriangulation {
public:
  PlaneTriangulation(const std::vector<Vec3>& points, const Vec3& normal) : m_p(points) {
    normal.cwiseAbs().maxCoeff(&m_drop);
    m_sign = normal[m_drop] < 0 ? -1 : 1;
  }

  std::vector<std::array<int, 3>> fill(const std::vector<std::array<int, 2>>& edges, const std::vector<int>& within) {
    std::vector<int> used = within;
    for (const auto& e : edges) used.insert(used.end(), e.begin(), e.end());
    std::sort(used.begin(), used.end());
    used.erase(std::unique(used.begin(), used.end()), used.end());
    if (used.size() < 3) return {};
    frame(used);
    for (int v : used)
      if (!insert(v)) return {};
    for (const auto& e : edges)
      if (!force(e[0], e[1])) return {};
    return inside(edges);
  }

private:
  struct Triangle {
    std::array<int, 3> v;
    std::array<int, 3> n{-1, -1, -1}; ///< neighbour opposite each corner
    std::array<char, 3> fixed{0, 0, 0};
  };
  std::vector<Vec3> m_p; ///< the points, and three far corners at the end
  int m_drop = 2, m_sign = 1;
  std::vector<Triangle> m_t;
  std::vector<int> m_of; ///< a triangle at each vertex
  int m_last = 0;

  Triangle& tri(int t) { return m_t[static_cast<std::size_t>(t)]; }
  const Vec3& pt(int v) const { return m_p[static_cast<std::size_t>(v)]; }
  static std::size_t up(std::size_t i) { return (i + 1) % 3; }
  static std::size_t down(std::size_t i) { return (i + 2) % 3; }
  double turn(int a, int b, int c) const { return m_sign * orient2d(pt(a), pt(b), pt(c), m_drop); }
  std::size_t cornerOf(int t, int v) const {
    const auto& q = m_t[static_cast<std::size_t>(t)].v;
    return q[0] == v ? 0 : q[1] == v ? 1 : 2;
  }
  std::size_t sideTo(int t, int neighbour) const {
    const auto& n = m_t[static_cast<std::size_t>(t)].n;
    return n[0] == neighbour ? 0 : n[1] == neighbour ? 1 : 2;
  }
  void join(int t, std::size_t side, int u) {
    tri(t).n[side] = u;
    if (u < 0) return;
    // The common edge runs the other way in u.
    int a = tri(t).v[up(side)], b = tri(t).v[down(side)];
    for (std::size_t k = 0; k < 3; ++k)
      if (tri(u).v[up(k)] == b && tri(u).v[down(k)] == a) tri(u).n[k] = t;
  }
  void know(int t) {
    for (int v : tri(t).v) m_of[static_cast<std::size_t>(v)] = t;
  }

  void frame(const std::vector<int>& used) {
    Box box;
    for (int v : used) box.add(pt(v));
    const int i = (m_drop + 1) % 3, j = (m_drop + 2) % 3, first = static_cast<int>(m_p.size());
    double reach = 40 * std::max(box.size()[i], box.size()[j]);
    for (auto [x, y] : {std::pair(-1.0, -0.7), std::pair(1.0, -0.7), std::pair(0.0, 1.0)}) {
      Vec3 far = box.center();
      far[i] += reach * x;
      far[j] += reach * y;
      m_p.push_back(far);
    }
    m_of.assign(m_p.size(), -1);
    Triangle t{{first, first + 1, first + 2}};
    if (m_sign < 0) std::swap(t.v[1], t.v[2]);
    m_t.push_back(t);
    know(0);
  }

  bool insert(int v) {
    int t = m_last;
    for (std::size_t guard = 0; guard < 4 * m_t.size() + 100; ++guard) {
      int next = -1;
      for (std::size_t k = 0; k < 3 && next < 0; ++k) {
        std::size_t s = (k + guard) % 3;
        if (turn(tri(t).v[up(s)], tri(t).v[down(s)], v) < 0) next = tri(t).n[s];
      }
      if (next < 0) break;
      t = next;
    }
    for (int c : tri(t).v)
      if (pt(c) == pt(v)) return false;
    for (std::size_t s = 0; s < 3; ++s)
      if (turn(tri(t).v[up(s)], tri(t).v[down(s)], v) == 0) return insertOnEdge(t, s, v);
    const Triangle old = tri(t);
    int t1 = static_cast<int>(m_t.size()), t2 = t1 + 1;
    m_t.push_back({{old.v[1], old.v[2], v}});
    m_t.push_back({{old.v[2], old.v[0], v}});
    tri(t) = {{old.v[0], old.v[1], v}};
    join(t, 2, old.n[2]);
    join(t1, 2, old.n[0]);
    join(t2, 2, old.n[1]);
    join(t, 0, t1);
    join(t1, 0, t2);
    join(t2, 0, t);
    for (int x : {t, t1, t2}) know(x);
    for (int x : {t, t1, t2}) legalize(x, v);
    m_last = m_of[static_cast<std::size_t>(v)];
    return true;
  }

  bool insertOnEdge(int t, std::size_t s, int v) {
    int u = tri(t).n[s];
    if (u < 0) return false;
    const Triangle a = tri(t), b = tri(u);
    std::size_t r = sideTo(u, t);
    // t = (c, p, q) with the edge p q; u = (d, q, p).
    int c = a.v[s], p = a.v[up(s)], q = a.v[down(s)], d = b.v[r];
    int t1 = static_cast<int>(m_t.size()), u1 = t1 + 1;
    tri(t) = {{c, p, v}};
    m_t.push_back({{c, v, q}});
    tri(u) = {{d, q, v}};
    m_t.push_back({{d, v, p}});
    join(t, 2, a.n[down(s)]);
    join(t1, 1, a.n[up(s)]);
    join(u, 2, b.n[down(r)]);
    join(u1, 1, b.n[up(r)]);
    join(t, 1, t1);
    join(u, 1, u1);
    join(t, 0, u1);
    join(u, 0, t1);
    for (int x : {t, t1, u, u1}) know(x);
    for (int x : {t, t1, u, u1}) legalize(x, v);
    m_last = m_of[static_cast<std::size_t>(v)];
    return true;
  }

  /// > 0 when d lies inside the circle of a, b, c; rounding only costs shape here, never validity.
  double inCircle(int a, int b, int c, int d) const {
    const int i = (m_drop + 1) % 3, j = (m_drop + 2) % 3;
    auto row = [&](int v) {
      double x = pt(v)[i] - pt(d)[i], y = pt(v)[j] - pt(d)[j];
      return Vec3(x, y, x * x + y * y);
    };
    return m_sign * row(a).dot(row(b).cross(row(c)));
  }

  void legalize(int t, int v) {
    std::vector<int> todo{t};
    for (int guard = 0; !todo.empty() && guard < 10000; ++guard) {
      int x = todo.back();
      todo.pop_back();
      std::size_t s = cornerOf(x, v);
      if (tri(x).v[s] != v) continue;
      int u = tri(x).n[s];
      if (u < 0 || tri(x).fixed[s]) continue;
      int d = tri(u).v[sideTo(u, x)];
      if (inCircle(tri(x).v[0], tri(x).v[1], tri(x).v[2], d) <= 0 || !flip(x, s)) continue;
      todo.push_back(x);
      todo.push_back(u);
    }
  }

  /// Turns the edge opposite corner s of t inside its quadrangle; false when that is not strictly convex.
  bool flip(int t, std::size_t s) {
    int u = tri(t).n[s];
    if (u < 0 || tri(t).fixed[s]) return false;
    const Triangle a = tri(t), b = tri(u);
    std::size_t r = sideTo(u, t);
    int c = a.v[s], p = a.v[up(s)], q = a.v[down(s)], d = b.v[r];
    if (turn(c, p, d) <= 0 || turn(d, q, c) <= 0) return false;
    tri(t) = {{c, p, d}};
    tri(u) = {{d, q, c}};
    tri(t).fixed = {b.fixed[up(r)], 0, a.fixed[down(s)]};
    tri(u).fixed = {a.fixed[up(s)], 0, b.fixed[down(r)]};
    join(t, 2, a.n[down(s)]);
    join(t, 0, b.n[up(r)]);
    join(u, 2, b.n[down(r)]);
    join(u, 0, a.n[up(s)]);
    tri(t).n[1] = u;
    tri(u).n[1] = t;
    know(t);
    know(u);
    return true;
  }

  /// The triangle that has the directed edge (a, b), and the corner opposite it; -1 when there is none.
  std::pair<int, std::size_t> find(int a, int b) {
    int start = m_of[static_cast<std::size_t>(a)], t = start;
    for (int way : {0, 1}) {
      t = start;
      do {
        std::size_t k = cornerOf(t, a);
        if (tri(t).v[up(k)] == b) return {t, down(k)};
        t = tri(t).n[way == 0 ? up(k) : down(k)];
      } while (t >= 0 && t != start);
    }
    return {-1, 0};
  }

  void fix(int a, int b) {
    for (auto [x, y] : {std::pair(a, b), std::pair(b, a)})
      if (auto [t, s] = find(x, y); t >= 0) tri(t).fixed[s] = 1;
  }

  bool force(int a, int b) {
    if (find(a, b).first >= 0 || find(b, a).first >= 0) {
      fix(a, b);
      return true;
    }
    // Edges crossed on the way from a to b.
    std::deque<std::array<int, 2>> crossed;
    int t = -1;
    std::size_t side = 0;
    {
      int start = m_of[static_cast<std::size_t>(a)], x = start;
      do {
        std::size_t k = cornerOf(x, a);
        int p = tri(x).v[up(k)], q = tri(x).v[down(k)];
        double l = turn(a, b, p), r = turn(a, b, q);
        if ((l == 0 && towards(a, b, p)) || (r == 0 && towards(a, b, q))) return false; // another vertex on the way
        if (l < 0 && r > 0) {
          t = x;
          side = k;
          break;
        }
        x = tri(x).n[up(k)];
      } while (x >= 0 && x != start);
    }
    if (t < 0) return false;
    for (std::size_t guard = 0; guard < m_t.size() + 1; ++guard) {
      if (tri(t).fixed[side]) return false; // two edges cross
      crossed.push_back({tri(t).v[up(side)], tri(t).v[down(side)]});
      int u = tri(t).n[side];
      if (u < 0) return false;
      std::size_t r = sideTo(u, t);
      int d = tri(u).v[r];
      if (d == b) break;
      double x = turn(a, b, d);
      if (x == 0) return false;
      // u = (d, q, p) with p right and q left of the way: it goes on between p and d, or between d and q.
      side = x > 0 ? up(r) : down(r);
      t = u;
    }
    for (std::size_t guard = 0; !crossed.empty(); ++guard) {
      if (guard > 40 * m_t.size() + 1000) return false;
      auto [p, q] = crossed.front();
      crossed.pop_front();
      auto [x, s] = find(p, q);
      if (x < 0) return false;
      int u = tri(x).n[s];
      int c = tri(x).v[s], d = u < 0 ? -1 : tri(u).v[sideTo(u, x)];
      if (!flip(x, s)) {
        crossed.push_back({p, q});
        continue;
      }
      // The new edge runs between c and d.
      if (c == a || c == b || d == a || d == b) continue;
      double l = turn(a, b, c), r = turn(a, b, d);
      if ((l > 0 && r < 0) || (l < 0 && r > 0)) {
        if (find(c, d).first >= 0)
          crossed.push_back({c, d});
        else
          crossed.push_back({d, c});
      }
    }
    if (find(a, b).first < 0) return false;
    fix(a, b);
    return true;
  }
  bool towards(int a, int b, int c) const { return (pt(c) - pt(a)).dot(pt(b) - pt(a)) > 0; }

  std::vector<std::array<int, 3>> inside(const std::vector<std::array<int, 2>>& edges) {
    std::vector<char> in(m_t.size(), 0);
    std::vector<int> todo;
    auto enter = [&](int t) {
      if (t < 0 || in[static_cast<std::size_t>(t)]) return;
      in[static_cast<std::size_t>(t)] = 1;
      todo.push_back(t);
    };
    for (const auto& e : edges) enter(find(e[0], e[1]).first);
    while (!todo.empty()) {
      int t = todo.back();
      todo.pop_back();
      for (std::size_t s = 0; s < 3; ++s)
        if (!tri(t).fixed[s]) enter(tri(t).n[s]);
    }
    // A region that leaks reaches the far corners, or lies on both sides of an edge that has it on one side only.
    const int far = static_cast<int>(m_p.size()) - 3;
    std::vector<std::array<int, 3>> r;
    for (std::size_t t = 0; t < m_t.size(); ++t) {
      if (!in[t]) continue;
      for (int v : m_t[t].v)
        if (v >= far) return {};
      r.push_back(m_t[t].v);
    }
    std::unordered_map<std::uint64_t, char> listed;
    auto key = [](int a, int b) { return static_cast<std::uint64_t>(a) << 32 | static_cast<std::uint32_t>(b); };
    for (const auto& e : edges) listed[key(e[0], e[1])] = 1;
    for (const auto& e : edges)
      if (!listed.count(key(e[1], e[0])))
        if (auto [t, s] = find(e[1], e[0]); t >= 0 && in[static_cast<std::size_t>(t)]) return {};
    return r;
  }
};

} // namespace

std::vector<std::array<int, 3>> fillPlane(const std::vector<Vec3>& points, const std::vector<std::array<int, 2>>& edges,
                                          const Vec3& normal, const std::vector<int>& inside) {
  return PlaneTriangulation(points, normal).fill(edges, inside);
}

} // namespace tess
