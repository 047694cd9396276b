// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/predicates.h"
#include "mesher/tets/tet.h"
#include <cmath>

namespace tess {
namespace {

constexpr double kTooLarge = 0.80; ///< circumradius over size above which a tet is refined (0.61 is regular)
constexpr double kTooClose = 0.70; ///< least distance of a new point to others, over the size there
constexpr double kTooLow = 0.35;   ///< least height of a new point over a surface triangle, over the size there

struct Sphere {
  Vec3 center;
  double radius;
};
bool circumsphere(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, Sphere& s) {
  Vec3 u = b - a, v = c - a, w = d - a;
  double det = 2 * u.dot(v.cross(w));
  if (std::abs(det) < 1e-300) return false;
  Vec3 x = (u.squaredNorm() * v.cross(w) + v.squaredNorm() * w.cross(u) + w.squaredNorm() * u.cross(v)) / det;
  s.center = a + x;
  s.radius = x.norm();
  return std::isfinite(s.radius);
}

class Refinement {
public:
  Refinement(TetCore& core, const SizeField& size, Progress& progress) : m(core), m_size(size), m_progress(progress) {}

  void run() {
    m_state.assign(m.tets.size(), 0);
    for (int round = 0; round < 200; ++round) {
      collect();
      if (m_todo.empty()) break;
      int made = 0;
      std::size_t k = 0;
      for (int t : m_todo) {
        if ((++k & 255) == 0) m_progress.check();
        if (!m.solid(t) || !large(t)) continue;
        if (insertFor(t))
          ++made;
        else
          setState(t, kRefused);
      }
      m_total += made;
      if (!made) break;
      m_progress.report(1 - 1.0 / (1 + 0.15 * round));
    }
  }

private:
  TetCore& m;
  const SizeField& m_size;
  Progress& m_progress;
  enum : std::uint8_t { kUnknown = 0, kFine = 1, kLarge = 2, kRefused = 3 };
  std::vector<std::uint8_t> m_state;
  std::vector<int> m_todo;
  TetCore::Cavity m_cavity;
  int m_total = 0;

  std::vector<double> m_atVertex; ///< sizes at vertices without those of bodies; 0: not asked yet
  double vertexSize(int v) {
    if (m_atVertex.size() < m.points.size()) m_atVertex.resize(m.points.size(), 0);
    double& h = m_atVertex[static_cast<std::size_t>(v)];
    if (h == 0) h = m_size.at(m.pt(v));
    return h;
  }

  std::uint8_t state(int t) {
    if (m_state.size() < m.tets.size()) m_state.resize(m.tets.size(), kUnknown);
    return m_state[static_cast<std::size_t>(t)];
  }
  void setState(int t, std::uint8_t s) {
    state(t);
    m_state[static_cast<std::size_t>(t)] = s;
  }
  bool large(int t) {
    std::uint8_t s = state(t);
    if (s != kUnknown) return s == kLarge;
    const Tet& q = m.at(t);
    Sphere ball;
    const Vec3 &a = m.pt(q.v[0]), &b = m.pt(q.v[1]), &c = m.pt(q.v[2]), &d = m.pt(q.v[3]);
    bool is = true;
    if (circumsphere(a, b, c, d, ball)) {
      // Size queries are dear. The field grows by no more than its slope per length, so that the sizes at the corners
      // settle tets that are far too large; of others, about as large as the size, their mean is near enough.
      double h = 0, most = 1e300;
      for (int v : q.v) {
        h += vertexSize(v) / 4;
        most = std::min(most, vertexSize(v) + m_size.slope() * ball.radius);
      }
      double limit = m_size.bodySize(m.region[static_cast<std::size_t>(t)]);
      if (ball.radius > kTooLarge * std::min(most, limit))
        is = true;
      else {
        if (ball.radius > 1.5 * h) h = m_size.at((a + b + c + d) / 4);
        is = ball.radius > kTooLarge * std::min(h, limit);
      }
    }
    setState(t, is ? kLarge : kFine);
    return is;
  }
  void collect() {
    m_todo.clear();
    for (int t = 0; t < static_cast<int>(m.tets.size()); ++t) {
      if ((t & 4095) == 0) m_progress.check();
      if (m.alive(t) && m.region[static_cast<std::size_t>(t)] >= 0 && large(t)) m_todo.push_back(t);
    }
  }

  bool insertFor(int t) {
    const Tet q = m.at(t);
    int body = m.region[static_cast<std::size_t>(t)];
    Sphere ball;
    if (!circumsphere(m.pt(q.v[0]), m.pt(q.v[1]), m.pt(q.v[2]), m.pt(q.v[3]), ball)) return false;
    // A face whose other side is finished (or surface) carries the front: the new point stands over it at the height
    // of a well-shaped tet, but never beyond the circumcentre.
    int best = -1;
    double smallest = 1e300;
    for (int i = 0; i < 4; ++i) {
      int o = q.n[i] >> 2;
      bool done = m.faceLocked(t, i) || (m.solid(o) && m.region[static_cast<std::size_t>(o)] == body && !large(o));
      if (!done) continue;
      const int* f = kTetFace[i];
      double area = triangleArea(m.pt(q.v[f[0]]), m.pt(q.v[f[1]]), m.pt(q.v[f[2]]));
      if (area < smallest) smallest = area, best = i;
    }
    if (best >= 0) {
      const int* f = kTetFace[best];
      const Vec3 &a = m.pt(q.v[f[0]]), &b = m.pt(q.v[f[1]]), &c = m.pt(q.v[f[2]]);
      Vec3 n = triangleNormal(a, b, c);
      Vec3 u = b - a, v = c - a, w = u.cross(v);
      Vec3 foot = a + (u.squaredNorm() * v.cross(w) + v.squaredNorm() * w.cross(u)) / (2 * w.squaredNorm());
      double r2 = (foot - a).squaredNorm();
      double reach = (ball.center - foot).dot(n);
      double h = (vertexSize(q.v[f[0]]) + vertexSize(q.v[f[1]]) + vertexSize(q.v[f[2]]) + vertexSize(q.v[best])) / 4;
      if (r2 > h * h) h = m_size.at((a + b + c) / 3 + n * 0.8 * std::sqrt(r2));
      h = std::min(h, m_size.bodySize(body));
      double height = r2 < 0.8 * h * h ? std::sqrt(h * h - r2) : 0.45 * h;
      if (reach > 0 && height < reach) {
        if (tryInsert(foot + height * n, t, body)) return true;
      }
    }
    return tryInsert(ball.center, t, body);
  }

  bool tryInsert(const Vec3& p, int t, int body) {
    int where = m.locate(p, t, true);
    if (where < 0 || m.ghost(where) || m.region[static_cast<std::size_t>(where)] != body) return false;
    double own = m_size.at(p), h = std::min(own, m_size.bodySize(body));
    double close2 = kTooClose * kTooClose * h * h;
    // Most points are refused for a corner of the tet they lie in, which is known before their cavity is.
    for (int v : m.at(where).v)
      if ((m.pt(v) - p).squaredNorm() < close2) return false;
    int id = static_cast<int>(m.points.size());
    if (!m.cavityOf(p, id, where, m_cavity)) return false;
    for (const auto& w : m_cavity.walls) {
      for (int v : w.v)
        if ((m.pt(v) - p).squaredNorm() < close2) return false;
      if (w.locked) {
        const Vec3 &a = m.pt(w.v[0]), &b = m.pt(w.v[1]), &c = m.pt(w.v[2]);
        if (triangleNormal(a, b, c).dot(p - a) < kTooLow * h) return false;
      }
    }
    m.newPoint(p);
    m_atVertex.resize(m.points.size(), 0);
    m_atVertex.back() = own;
    m.fill(m_cavity, id);
    for (int x : m.lastMade) setState(x, kUnknown);
    return true;
  }
};

} // namespace

void refineInside(TetCore& core, const SizeField& size, Progress& progress) { Refinement(core, size, progress).run(); }

} // namespace tess
