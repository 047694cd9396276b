// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/joints/joints.h"
#include "base/predicates.h"
#include <cmath>
#include <spdlog/spdlog.h>

namespace tess {
namespace {

class Joiner {
public:
  explicit Joiner(TetCore& core) : m(core) {}

  /// A pyramid on the side of the quadrilateral where tet `start` lies, with its face `face` on the first triangle.
  std::optional<Joint> join(const SurfaceQuad& quad, int start, int face) {
    if (!wedge(quad, start, face)) {
      spdlog::debug("joint: the diagonal of face {} is not surrounded", quad.face);
      return {};
    }
    const auto& v = quad.v;
    const Vec3 middle = 0.5 * (m.pt(v[0]) + m.pt(v[2]));
    Vec3 up = (inward(start, face) + inward(m_last, m_lastFace)).normalized();
    double length = 0;
    for (std::size_t k = 0; k < 4; ++k) length += 0.25 * (m.pt(v[k]) - m.pt(v[(k + 1) % 4])).norm();
    // The foot of the apex: over the middle of the quadrilateral, or at least of its diagonal.
    const Vec3 centre = 0.25 * (m.pt(v[0]) + m.pt(v[1]) + m.pt(v[2]) + m.pt(v[3]));
    double best = 0;
    Vec3 p = Vec3::Zero();
    bool wide = false;
    TetCore::Cavity cavity, found;
    const int id = static_cast<int>(m.points.size());
    for (double h : {0.7, 0.5, 0.35, 0.22, 0.12, 0.06, 0.03, 0.01, 1e-3, 1e-5})
      for (const Vec3& foot : {centre, middle}) {
        if (h < 0.1 && best > 0) break;
        const Vec3 at = foot + h * length * up;
        if (const double s = overWedge(at, best); s > best) best = s, p = at, wide = false;
        if (!m.cavityOf(at, id, start, cavity)) continue;
        if (const double s = overCavity(cavity, at, best); s > best) best = s, p = at, wide = true, found = cavity;
      }
    if (best <= 0) {
      spdlog::debug("joint: no place over face {} among {} tetrahedra", quad.face, m_wedge.size());
      return {};
    }
    const int body = m.region[static_cast<std::size_t>(start)];
    m.newPoint(p);
    if (wide)
      m.fill(found, id);
    else
      fillWedge(id);
    Joint j;
    j.apex = id;
    j.body = body;
    j.base = v;
    if (orient3d(m.pt(v[0]), m.pt(v[1]), m.pt(v[2]), p) < 0) std::swap(j.base[1], j.base[3]);
    lock(j);
    return j;
  }

private:
  TetCore& m;
  std::vector<int> m_wedge; ///< tets around the diagonal, from the first triangle to the second
  int m_v0 = -1, m_v2 = -1, m_last = -1, m_lastFace = -1;

  Vec3 inward(int t, int face) const {
    const int* f = kTetFace[face];
    const Tet& x = m.at(t);
    return triangleNormal(m.pt(x.v[f[0]]), m.pt(x.v[f[1]]), m.pt(x.v[f[2]]));
  }

  bool wedge(const SurfaceQuad& quad, int start, int face) {
    m_wedge.clear();
    m_v0 = quad.v[0];
    m_v2 = quad.v[2];
    int t = start, from = quad.v[1], through = face;
    for (int guard = 0; guard < 1000; ++guard) {
      m_wedge.push_back(t);
      const Tet& x = m.at(t);
      const int next = x.v[through]; // opposite the face that was passed
      const int out = m.indexOf(t, from);
      if (m.faceLocked(t, out)) {
        m_last = t;
        m_lastFace = out;
        return next == quad.v[3];
      }
      const int beyond = x.n[out];
      t = beyond >> 2;
      through = beyond & 3;
      if (m.ghost(t)) return false;
      from = next;
    }
    return false;
  }

  /// Least quality of the tets that an apex at p would make in the wedge alone; 0 where one is not positive.
  double overWedge(const Vec3& p, double stop) const {
    double s = 1;
    auto look = [&](const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
      s = std::min(s, tetQuality(a, b, c, d));
      if (s > stop && orient3d(a, b, c, d) <= 0) s = 0;
      return s > stop;
    };
    for (int t : m_wedge)
      for (int end : {m_v0, m_v2}) {
        const Vec3* c[4];
        for (int i = 0; i < 4; ++i) c[i] = m.at(t).v[i] == end ? &p : &m.pt(m.at(t).v[i]);
        if (!look(*c[0], *c[1], *c[2], *c[3])) return 0;
      }
    for (const auto& base : bases())
      if (!look(m.pt(base[0]), m.pt(base[1]), m.pt(base[2]), p)) return 0;
    return s;
  }
  double overCavity(const TetCore::Cavity& c, const Vec3& p, double stop) const {
    for (int t : m_wedge)
      if (std::find(c.tets.begin(), c.tets.end(), t) == c.tets.end()) return 0;
    double s = 1;
    for (const auto& w : c.walls) {
      s = std::min(s, tetQuality(m.pt(w.v[0]), m.pt(w.v[1]), m.pt(w.v[2]), p));
      if (s <= stop || orient3d(m.pt(w.v[0]), m.pt(w.v[1]), m.pt(w.v[2]), p) <= 0) return 0;
    }
    return s;
  }
  /// The two triangles, seen from inside.
  std::array<std::array<int, 3>, 2> bases() const {
    std::array<std::array<int, 3>, 2> r{};
    int n = 0;
    for (int t : {m_wedge.front(), m_last}) {
      int face = m_lastFace;
      if (n == 0)
        for (int i = 0; i < 4; ++i) {
          const int x = m.at(t).v[i];
          if (x != m_v0 && x != m_v2 && m.faceLocked(t, i) && (m_wedge.size() > 1 || i != m_lastFace)) face = i;
        }
      const int* f = kTetFace[face];
      for (std::size_t k = 0; k < 3; ++k) r[static_cast<std::size_t>(n)][k] = m.at(t).v[f[k]];
      ++n;
    }
    return r;
  }
  void fillWedge(int id) {
    std::vector<std::array<int, 4>> fresh;
    for (int t : m_wedge)
      for (int end : {m_v0, m_v2}) {
        std::array<int, 4> q;
        for (std::size_t i = 0; i < 4; ++i) q[i] = m.at(t).v[i] == end ? id : m.at(t).v[i];
        fresh.push_back(q);
      }
    for (const auto& b : bases()) fresh.push_back({b[0], b[1], b[2], id});
    m.rebuild(m_wedge, fresh);
  }

  void lock(const Joint& j) {
    auto edge = [&](int a, int b) { m.lockedEdges.insert(edgeKey(a, b)); };
    edge(j.base[0], j.base[2]);
    for (int v : j.base) edge(v, j.apex);
    for (std::size_t half : {std::size_t(0), std::size_t(2)}) {
      const int tf = m.findFace(j.base[half], j.base[(half + 1) % 4], j.apex);
      for (int side : {tf, m.at(tf >> 2).n[tf & 3]}) {
        const int t = side >> 2;
        // The half of the pyramid is the one that has the third corner of its triangle.
        if (m.indexOf(t, j.base[(half + 2) % 4]) < 0 || m.indexOf(t, j.base[half]) < 0) continue;
        for (int i = 0; i < 4; ++i) {
          m.locked[static_cast<std::size_t>(t)] |= static_cast<std::uint8_t>(1 << i);
          const int o = m.at(t).n[i];
          m.locked[static_cast<std::size_t>(o >> 2)] |= static_cast<std::uint8_t>(1 << (o & 3));
        }
      }
    }
  }
};

} // namespace

std::vector<Joint> makeJoints(TetCore& core, const SurfaceMesh& surface, const Progress& progress) {
  std::vector<Joint> joints;
  Joiner joiner(core);
  std::size_t done = 0;
  for (const auto& q : surface.quads) {
    if ((++done & 255) == 0) progress.check();
    const int found = core.findFace(q.v[0], q.v[1], q.v[2]);
    if (found < 0) continue;
    for (int tf : {found, core.at(found >> 2).n[found & 3]}) { // what is made on one side leaves the other alone
      if (core.ghost(tf >> 2) || core.region[static_cast<std::size_t>(tf >> 2)] < 0) continue;
      if (auto j = joiner.join(q, tf >> 2, tf & 3)) joints.push_back(*j);
    }
  }
  return joints;
}

double pyramidShape(const std::array<Vec3, 4>& base, const Vec3& apex) {
  double least = 1;
  for (std::size_t k = 0; k < 4; ++k) {
    const Vec3 a = base[(k + 1) % 4] - base[k], b = base[(k + 3) % 4] - base[k], c = apex - base[k];
    const double l = a.norm() * b.norm() * c.norm();
    least = std::min(least, l > 0 ? std::sqrt(2.0) * a.cross(b).dot(c) / l : -1.0);
  }
  return least;
}

double pyramidShape(const TetCore& core, const Joint& j) {
  return pyramidShape({core.pt(j.base[0]), core.pt(j.base[1]), core.pt(j.base[2]), core.pt(j.base[3])},
                      core.pt(j.apex));
}

void liftApexes(TetCore& core, const std::vector<Joint>& joints, const Progress& progress) {
  std::vector<int> star;
  for (int round = 0; round < 3; ++round) {
    bool any = false;
    for (std::size_t n = 0; n < joints.size(); ++n) {
      if ((n & 255) == 0) progress.check();
      const Joint& j = joints[n];
      std::array<Vec3, 4> base;
      for (std::size_t k = 0; k < 4; ++k) base[k] = core.pt(j.base[k]);
      core.starOf(j.apex, star);
      double reach = 0;
      for (std::size_t k = 0; k < 4; ++k) reach = std::max(reach, (base[k] - core.pt(j.apex)).norm());
      auto score = [&](const Vec3& p, double stop) {
        double s = 0.7 * pyramidShape(base, p); // as the sine of 45 degrees, the half of a regular one
        for (int t : star) {
          if (s <= stop) return s;
          const Tet& x = core.at(t);
          const Vec3* c[4];
          bool half = true; // of a pyramid, which its own measure judges: it must stay positive only
          for (int i = 0; i < 4; ++i) {
            c[i] = x.v[i] == j.apex ? &p : &core.pt(x.v[i]);
            half = half && (x.v[i] == j.apex || std::find(j.base.begin(), j.base.end(), x.v[i]) != j.base.end());
          }
          if (!half) s = std::min(s, tetQuality(*c[0], *c[1], *c[2], *c[3]));
          if (s > stop && orient3d(*c[0], *c[1], *c[2], *c[3]) <= 0) return -2.0;
        }
        return s;
      };
      Vec3 p = core.pt(j.apex);
      const double before = score(p, -3);
      double best = before, step = 0.2 * reach;
      constexpr double kGood = 0.35;
      if (before < kGood)
        for (int level = 0; level < 6; ++level) {
          bool moved = false;
          for (int k = 0; k < 8; ++k) {
            Vec3 e = Vec3::Zero();
            if (k < 6)
              e[k / 2] = k % 2 ? -step : step;
            else
              e = (k == 6 ? step : -step) * (base[2] - base[0]).cross(base[3] - base[1]).normalized();
            if (const double s = score(p + e, best); s > best) best = s, p += e, moved = true;
          }
          if (!moved) step *= 0.5;
        }
      if (best > before * 1.01 + 1e-9) {
        core.move(j.apex, p);
        any = true;
      }
    }
    if (!any) break;
  }
}

} // namespace tess
