// SPDX-License-Identifier: GPL-3.0-or-later
// Quality is the smallest sine of the six dihedral angles, which falls for flat and for needle-like tets alike; where
// the scaled Jacobian or the height are much worse than the angles, these count, as meshes are judged by them too.
// Every change is kept only when the worst of the tets it touches gets better, so the worst element never gets worse.
#include "base/parallel.h"
#include "base/predicates.h"
#include "mesher/tets/boundary_moves.h"
#include "mesher/tets/max_min.h"
#include "mesher/tets/tet.h"
#include "mesher/tets/tet_sweep.h"
#include <cmath>
#include <limits>
#include <spdlog/spdlog.h>

namespace tess {

namespace {

/// Six times the volume, and what its square is to be multiplied with for the squares of the smallest sine and of the
/// two ratios.
struct TetMeasures {
  double v6, sine, jacobian, height;
  TetMeasures(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    // sin(dihedral at edge ij) = 3 V l_ij / (2 A_k A_l) with the two faces at the edge.
    const Vec3 u = b - a, v = c - a, w = d - a, e = c - b, f = d - b;
    const Vec3 nd = u.cross(v), nb = v.cross(w), nc = w.cross(u), na = e.cross(f);
    v6 = nd.dot(w);
    const double A = na.squaredNorm(), B = nb.squaredNorm(), C = nc.squaredNorm(), D = nd.squaredNorm();
    const double ab = u.squaredNorm(), ac = v.squaredNorm(), ad = w.squaredNorm(), bc = e.squaredNorm(),
                 bd = f.squaredNorm(), cd = (d - c).squaredNorm();
    // squares: sin^2 = V6^2 l^2 / (4A_k^2 4A_l^2) with doubled areas; all over the product of the four areas
    sine = std::min({ab * (A * B), ac * (A * C), ad * (A * D), bc * (B * C), bd * (B * D), cd * (C * D)}) / (A * B) /
           (C * D);
    jacobian = 2 / std::max({ab * ac * ad, ab * bc * bd, ac * bc * cd, ad * bd * cd});
    height = 1 / (std::max({A, B, C, D}) * std::max({ab, ac, ad, bc, bd, cd}));
  }
  double of(double squared) const {
    if (!(squared > 0)) return v6 < 0 ? -1 : 0;
    const double s = std::min(1.0, std::abs(v6) * std::sqrt(squared));
    return v6 > 0 ? s : v6 < 0 ? -s : 0.0;
  }
};

} // namespace

double tetSine(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  const TetMeasures t(a, b, c, d);
  return t.of(t.sine);
}

double likeSine(double ratio) { return ratio < 0.05 ? 2.8 * ratio : 0.14 + 1.8 * (ratio - 0.05); }

double tetQuality(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  const TetMeasures t(a, b, c, d);
  const double sine = t.of(t.sine);
  return sine > 0 ? std::min(sine, likeSine(t.of(std::min(t.jacobian, t.height)))) : sine;
}

double tetQuality(const TetCore& core, int t) {
  const Tet& x = core.at(t);
  return tetQuality(core.pt(x.v[0]), core.pt(x.v[1]), core.pt(x.v[2]), core.pt(x.v[3]));
}

namespace {

/// Sines of angles: below 9 degrees a tet's surroundings are changed for it, below 12 the surface, below 15 surface
/// vertices slide.
constexpr double kFlat = 0.16, kChangeSurface = 0.2, kSlide = 0.26;

constexpr std::size_t kManyFlat = 1000; ///< from here on, flat tets are taken for those of wedges of the part

class Improver {
public:
  Improver(TetCore& core, SurfaceMesh& surface, const Part* part, const SizeField& size, Progress& progress)
      : m(core), m_size(size), m_progress(progress), m_surface(core, surface, part, size) {}
  ImproveStats stats;

  void run() {
    stats.worstBefore = worst();
    smooth();
    m.watchChanges();
    const double goals[] = {0.35, 0.5, 0.5, 0.42, 0.42, 0.35};
    int pass = 0;
    for (double goal : goals) {
      m_progress.report(0.15 + 0.12 * pass++);
      work(goal, goal < 0.4 ? 2 : 1);
    }
    double flat = std::numeric_limits<double>::infinity();
    for (int k = 0; k < 4; ++k) {
      m_progress.report(0.85 + 0.03 * k);
      if (!work(0.30, 3)) break;
      const auto now = static_cast<double>(m_flat);
      if (m_flat > kManyFlat && now > 0.95 * flat) break; // where the part itself is thin they stay so
      flat = now;
    }
    for (int k = 0; k < 4 && shake(); ++k) m_progress.check();
    dare();
    stats.worstAfter = worst();
    m_surface.finish();
    stats.slides = m_surface.counts.slides;
    stats.peels = m_surface.counts.peels;
    stats.surfaceInsertions = m_surface.counts.insertions;
    stats.surfaceContractions = m_surface.counts.contractions;
  }

  void freeFlat(double goal) {
    m.watchChanges();
    for (int k = 0; k < 4 && work(goal, 2); ++k) m_progress.check();
    // The surface's points are not taken over here: what comes next tells by their number where inner ones begin.
  }

private:
  TetCore& m;
  const SizeField& m_size;
  Progress& m_progress;
  BoundaryMoves m_surface;
  std::vector<int> m_star, m_inTheWay;
  TetCore::Ring m_ring;
  std::vector<std::array<int, 3>> m_tris;
  struct Tried {
    std::uint32_t clock = 0;
    int effort = 0;
  };
  std::size_t m_flat = 0;     ///< tets that were so when the last round of work began
  std::vector<Tried> m_tried; ///< per tet: when it could not be bettered, and by what effort

  double q(int t) const { return tetQuality(m, t); }
  bool inside(int t) const { return m.alive(t) && m.region[static_cast<std::size_t>(t)] >= 0; }
  struct Rated {
    double q;
    int t;
    bool operator<(const Rated& o) const { return q != o.q ? q < o.q : t < o.t; }
  };
  /// Tets inside below `goal` for which `counts` holds, worst first.
  template <class Counts> std::vector<Rated> below(double goal, Counts counts) const {
    auto r = parallelCollect<Rated>(m.tets.size(), &m_progress, [&](std::size_t i, std::vector<Rated>& list) {
      const int t = static_cast<int>(i);
      if (!inside(t)) return;
      const double x = q(t);
      if (x < goal && counts(t)) list.push_back({x, t});
    });
    parallelSort(r.begin(), r.end());
    return r;
  }
  std::vector<Rated> below(double goal) const {
    return below(goal, [](int) { return true; });
  }
  double worst() const {
    const auto least =
        parallelCollect<double>(m.tets.size(), &m_progress, [&](std::size_t i, std::vector<double>& list) {
          if (!inside(static_cast<int>(i))) return;
          if (list.empty()) list.push_back(1);
          list.front() = std::min(list.front(), q(static_cast<int>(i)));
        });
    return least.empty() ? 1 : *std::min_element(least.begin(), least.end());
  }
  void smooth() {
    std::vector<char> movable(m.points.size());
    for (std::size_t v = 0; v < movable.size(); ++v) movable[v] = m_surface.inner(static_cast<int>(v));
    TetSweep sweep(m, movable, m_progress);
    for (int k = 0; k < 2; ++k) stats.moves += static_cast<int>(sweep.run());
  }
  /// Quality of tet t of the star of v with v at p; outside a tet must only stay positive.
  double qualityWith(int t, int v, const Vec3& p) const {
    const Tet& x = m.at(t);
    const bool outside = m.region[static_cast<std::size_t>(t)] < 0;
    if (outside && m.ghost(t)) return 1;
    const Vec3* c[4];
    for (int i = 0; i < 4; ++i) c[i] = x.v[i] == v ? &p : &m.pt(x.v[i]);
    if (outside) return orient3d(*c[0], *c[1], *c[2], *c[3]) > 0 ? 1 : -1;
    return tetQuality(*c[0], *c[1], *c[2], *c[3]);
  }
  double starQuality(const std::vector<int>& star, int v, const Vec3& p) const {
    double w = 1;
    for (int t : star) w = std::min(w, qualityWith(t, v, p));
    return w;
  }

  /// Works through tets below `goal`, worst first. Returns the number of successes.
  int work(double goal, int effort) {
    struct Bad {
      Rated rated;
      std::array<int, 4> v;
    };
    std::vector<Bad> bad;
    for (const Rated& r : below(goal)) {
      const Tet& x = m.at(r.t);
      bad.push_back({r, {x.v[0], x.v[1], x.v[2], x.v[3]}});
    }
    m_flat = static_cast<std::size_t>(
        std::lower_bound(bad.begin(), bad.end(), kFlat, [](const Bad& b, double x) { return b.rated.q < x; }) -
        bad.begin());
    int done = 0;
    std::size_t k = 0;
    for (const auto& b : bad) {
      if ((++k & 63) == 0) m_progress.check();
      const int t = b.rated.t;
      if (!inside(t) || !std::equal(b.v.begin(), b.v.end(), m.at(t).v)) continue;
      if (q(t) >= goal) continue;
      if (improve(t, effort)) ++done;
    }
    return done;
  }

  /// The last flat tets sit in local optima: their surroundings are bettered, which opens other ways. Returns whether
  /// that helped any of them.
  bool shake() {
    auto bad = below(kFlat);
    if (bad.size() > 300) bad.resize(300);
    bool any = false;
    std::vector<int> around;
    for (auto [was, t] : bad) {
      m_progress.check();
      if (!inside(t) || q(t) != was) continue;
      const Tet x = m.at(t);
      around.clear();
      for (int v : x.v) {
        m.starOf(v, m_star);
        around.insert(around.end(), m_star.begin(), m_star.end());
      }
      std::sort(around.begin(), around.end());
      around.erase(std::unique(around.begin(), around.end()), around.end());
      for (int y : around)
        if (y != t && inside(y) && q(y) < 0.6) improve(y, 2);
      if (!inside(t) || !std::equal(x.v, x.v + 4, m.at(t).v) || improve(t, 3)) any = true;
    }
    return any;
  }

  /// Tets that are flat although the surface they touch is not sharp there, worst first.
  std::vector<Rated> lastFlat() const {
    return below(kFlat, [&](int t) { return !inSharpEdge(t); });
  }
  /// Whether two surface triangles of tet t meet at a sharp angle in an edge of the part: no change can help it then.
  bool inSharpEdge(int t) const {
    for (int i = 0; i < 4; ++i)
      for (int k = 0; k < i; ++k)
        if (m.faceLocked(t, i) && m.faceLocked(t, k)) {
          const int *f = kTetFace[i], *g = kTetFace[k];
          const Tet& x = m.at(t);
          int ends[2], n = 0;
          for (int j = 0; j < 4; ++j)
            if (j != i && j != k) ends[n++] = x.v[j];
          if (!m_surface.onLine(ends[0], ends[1])) continue;
          const Vec3 a = triangleNormal(m.pt(x.v[f[0]]), m.pt(x.v[f[1]]), m.pt(x.v[f[2]])),
                     b = triangleNormal(m.pt(x.v[g[0]]), m.pt(x.v[g[1]]), m.pt(x.v[g[2]]));
          if (a.dot(b) < 0 && a.cross(b).norm() < kFlat) return true;
        }
    return false;
  }

  /// What no single change betters may give way to several: one that makes things worse at first, then all around it
  /// is bettered. Kept when the tets that changed are better in the end, taken back as a whole otherwise.
  void dare() {
    // A trial takes some milliseconds: where flat tets are many, in wedges of the part, not all get theirs.
    const std::size_t most = std::min<std::size_t>(100 + m.tets.size() / 100, 1500);
    std::size_t trials = 0;
    for (int round = 0; round < 8; ++round) {
      bool any = false;
      const auto flat = lastFlat();
      spdlog::debug("last flat tets: {}, worst {}, after {} trials", flat.size(), flat.empty() ? 1 : flat.front().q,
                    trials);
      for (auto [was, t] : flat) {
        m_progress.check();
        // Also when something else there gave way: until this one has.
        for (int kick = 0; kick < kKicks && inside(t) && q(t) == was && trials < most; ++kick, ++trials)
          if (trial(t, kick)) any = true;
      }
      if (!any || trials >= most) return;
    }
  }

  static constexpr int kKicks = 28; ///< ways to change the surroundings of a tet

  /// A change for the worse at tet t; false when there is none of this number.
  bool kickAt(int t, int kick) {
    const Tet x = m.at(t);
    if (kick < 6) return removeEdge(t, x.v[kTetEdge[kick][0]], x.v[kTetEdge[kick][1]], true);
    if ((kick -= 6) < 12) {
      const auto& e = kTetEdge[kick / 2];
      const int v = x.v[e[kick % 2]], w = x.v[e[1 - kick % 2]];
      return contract(v, w, true) || m_surface.contract(v, w, true);
    }
    if ((kick -= 12) < 4) return flipFace(t, kick, true);
    if ((kick -= 4) < 1) return m_surface.insert(t, true);
    if ((kick -= 1) < 1) return insert(t, true);
    return m_surface.inner(x.v[kick - 1]) && toMiddle(x.v[kick - 1]);
  }

  bool trial(int t, int kick) {
    const ImproveStats before = stats;
    const auto surfaceBefore = m_surface.counts;
    ChangeLog log;
    std::vector<double> lost;
    std::vector<int> fresh;
    std::unordered_set<int> known; // fresh ones, and dead ones among them
    log.goes = [&](int y) {
      if (inside(y) && !known.count(y)) lost.push_back(q(y));
    };
    log.comes = [&](int y) {
      if (known.insert(y).second) fresh.push_back(y);
    };
    m.log = &log;
    ++m.clock;
    if (kickAt(t, kick)) settle(fresh);
    m.log = nullptr;
    std::vector<double> now;
    for (int y : fresh)
      if (inside(y)) now.push_back(q(y));
    if (better(now, lost)) return true;
    ++m.clock;
    log.takeBack();
    stats = before;
    m_surface.counts = surfaceBefore;
    return false;
  }

  /// Betters what lies around the tets made by a trial.
  void settle(const std::vector<int>& fresh) {
    for (int k = 0; k < 3; ++k) {
      std::vector<int> around;
      for (int t : fresh) {
        if (!inside(t)) continue;
        for (int v : m.at(t).v) {
          m.starOf(v, m_star);
          around.insert(around.end(), m_star.begin(), m_star.end());
        }
      }
      std::sort(around.begin(), around.end());
      around.erase(std::unique(around.begin(), around.end()), around.end());
      std::vector<std::pair<double, int>> bad;
      for (int t : around)
        if (inside(t))
          if (const double x = q(t); x < 0.3) bad.push_back({x, t});
      std::sort(bad.begin(), bad.end());
      bool any = false;
      for (auto [was, t] : bad)
        if (inside(t) && q(t) == was && improve(t, 3)) any = true;
      if (!any) return;
    }
  }

  /// Whether the worst of `now` are better than the worst of `before`, one by one.
  static bool better(std::vector<double> now, std::vector<double> before) {
    auto flat = [](std::vector<double>& list) {
      std::sort(list.begin(), list.end());
      list.erase(std::lower_bound(list.begin(), list.end(), kSlide), list.end());
    };
    flat(now);
    flat(before);
    for (std::size_t i = 0; i < before.size(); ++i) {
      if (i == now.size() || now[i] > 1.01 * before[i]) return true;
      if (now[i] < 0.99 * before[i]) return false;
    }
    return false;
  }

  /// Tries to better a tet by all that `effort` allows; what failed is not tried again before something around the
  /// tet's vertices has changed, since in thin walls most tets stay what they are.
  bool improve(int t, int effort) {
    const auto id = static_cast<std::size_t>(t);
    if (m_tried.size() <= id) m_tried.resize(std::max(id + 1, m.tets.size()));
    std::uint32_t latest = 0;
    for (int v : m.at(t).v) latest = std::max(latest, m.changed[static_cast<std::size_t>(v)]);
    if (m_tried[id].effort >= effort && latest <= m_tried[id].clock) return false;
    ++m.clock;
    if (change(t, effort)) return true;
    m_tried[id] = {m.clock, effort};
    return false;
  }

  bool change(int t, int effort) {
    Tet x = m.at(t);
    for (const auto& e : kTetEdge)
      if (removeEdge(t, x.v[e[0]], x.v[e[1]])) return true;
    for (int f = 0; f < 4; ++f)
      if (flipFace(t, f)) return true;
    for (int v : x.v)
      if (m_surface.inner(v) && relocate(v)) return true;
    if (effort < 2) return false;
    if (q(t) < 0.25 && m_surface.peel(t)) return true;
    for (const auto& e : kTetEdge) {
      if (contract(x.v[e[0]], x.v[e[1]])) return true;
      if (contract(x.v[e[1]], x.v[e[0]])) return true;
    }
    if (q(t) < 0.30 && insert(t)) return true;
    if (effort < 3 || q(t) > kSlide) return false;
    for (int v : x.v)
      if (m_surface.slide(v)) return true;
    if (q(t) > kChangeSurface) return false;
    for (const auto& e : kTetEdge)
      if (m_surface.contract(x.v[e[0]], x.v[e[1]]) || m_surface.contract(x.v[e[1]], x.v[e[0]])) return true;
    return m_surface.insert(t);
  }

  // With `dare` a change need only leave the tets positive (kDare).

  bool removeEdge(int t, int a, int b, bool dare = false) {
    if (m.edgeLocked(a, b) || !m.ringOf(t, a, b, m_ring)) return false;
    double old = 1;
    for (int x : m_ring.tets) {
      if (m.region[static_cast<std::size_t>(x)] < 0) return false;
      old = std::min(old, q(x));
    }
    double limit = dare ? kDare : std::max(old * 1.0001, 1e-9);
    double s = m.bestRing(m_ring, m_tris, [&](int x, int y, int z) {
      double v = tetQuality(m.pt(x), m.pt(y), m.pt(z), m.pt(b));
      if (v <= limit) return 0.0;
      return std::min(v, tetQuality(m.pt(x), m.pt(z), m.pt(y), m.pt(a)));
    });
    if (s <= limit) return false;
    for (const auto& tr : m_tris) { // exact check before anything changes
      const Vec3 &x = m.pt(m_ring.r[static_cast<std::size_t>(tr[0])]),
                 &y = m.pt(m_ring.r[static_cast<std::size_t>(tr[1])]),
                 &z = m.pt(m_ring.r[static_cast<std::size_t>(tr[2])]);
      if (orient3d(x, y, z, m.pt(b)) <= 0 || orient3d(x, z, y, m.pt(a)) <= 0) return false;
    }
    m.replaceRing(m_ring, m_tris);
    ++stats.removals;
    return true;
  }

  bool flipFace(int t, int f, bool dare = false) {
    if (!m.canFlip23(t, f)) return false;
    int o = m.at(t).n[f] >> 2, of = m.at(t).n[f] & 3;
    double limit = dare ? kDare : std::min(q(t), q(o)) * 1.0001;
    const int* k = kTetFace[f];
    const Vec3 &top = m.pt(m.at(t).v[f]), &bottom = m.pt(m.at(o).v[of]);
    for (int i = 0; i < 3; ++i)
      if (tetQuality(m.pt(m.at(t).v[k[i]]), m.pt(m.at(t).v[k[(i + 1) % 3]]), bottom, top) <= limit) return false;
    m.flip23(t, f);
    ++stats.flips;
    return true;
  }

  /// Pattern search for the place of an inner vertex that lifts the worst tet of its star.
  bool relocate(int v) {
    m.starOf(v, m_star);
    Vec3 p = m.pt(v), middle(0, 0, 0);
    double now = starQuality(m_star, v, p), start = now, reach = 0;
    int worstTet = m_star.front();
    double worstQ = 2;
    for (int t : m_star) {
      double x = q(t);
      if (x < worstQ) worstQ = x, worstTet = t;
      for (int w : m.at(t).v) {
        middle += m.pt(w);
        reach += (m.pt(w) - p).norm();
      }
    }
    middle /= 4.0 * static_cast<double>(m_star.size());
    reach /= 3.0 * static_cast<double>(m_star.size());
    int i = m.indexOf(worstTet, v);
    const int* f = kTetFace[i];
    Vec3 lift =
        triangleNormal(m.pt(m.at(worstTet).v[f[0]]), m.pt(m.at(worstTet).v[f[1]]), m.pt(m.at(worstTet).v[f[2]]));
    m_inTheWay = m_star; // those first that a place failed for lately: most places fail for the same few
    auto attempt = [&](const Vec3& to) {
      double least = 1;
      for (std::size_t k = 0; k < m_inTheWay.size(); ++k) {
        least = std::min(least, qualityWith(m_inTheWay[k], v, to));
        if (least <= now) {
          std::swap(m_inTheWay[k], m_inTheWay[k / 2]);
          return false;
        }
      }
      now = least;
      p = to;
      return true;
    };
    attempt(middle);
    attempt(p + 0.5 * (middle - p));
    double step = 0.25 * reach;
    for (int level = 0; level < 5; ++level) {
      bool any = attempt(p + step * lift) || attempt(p - step * lift);
      for (int d = 0; d < 3; ++d) {
        Vec3 e = Vec3::Zero();
        e[d] = step;
        any = attempt(p + e) || attempt(p - e) || any;
      }
      if (!any) step *= 0.5;
    }
    if (now < 0.42)
      now = raiseSmallest(
          p, 0.2 * reach,
          [&](const Vec3& x, std::vector<double>& out) {
            out.clear();
            for (int t : m_star) {
              const Vec3* c[4];
              for (int k = 0; k < 4; ++k) c[k] = m.at(t).v[k] == v ? &x : &m.pt(m.at(t).v[k]);
              out.push_back(tetQuality(*c[0], *c[1], *c[2], *c[3]));
            }
          },
          [](const Vec3& x) { return x; }, [](const Vec3&) { return true; });
    if (now <= start * 1.001 + 1e-9) return false;
    for (int t : m_star) {
      const Vec3* c[4];
      for (int k = 0; k < 4; ++k) c[k] = m.at(t).v[k] == v ? &p : &m.pt(m.at(t).v[k]);
      if (orient3d(*c[0], *c[1], *c[2], *c[3]) <= 0) return false;
    }
    m.move(v, p);
    ++stats.moves;
    return true;
  }

  /// Puts an inner vertex into the middle of its neighbours, where its tets stay positive.
  bool toMiddle(int v) {
    m.starOf(v, m_star);
    Vec3 middle(0, 0, 0);
    for (int t : m_star)
      for (int w : m.at(t).v)
        if (w != v) middle += m.pt(w);
    middle /= 3.0 * static_cast<double>(m_star.size());
    if (starQuality(m_star, v, middle) <= kDare) return false;
    m.move(v, middle);
    ++stats.moves;
    return true;
  }

  /// Pulls inner vertex v into w.
  bool contract(int v, int w, bool dare = false) {
    if (!m_surface.inner(v)) return false;
    m.starOf(v, m_star);
    double old = 1;
    for (int t : m_star) {
      const auto others = static_cast<unsigned>(m.locked[static_cast<std::size_t>(t)]) & ~(1u << m.indexOf(t, v));
      if (others) return false; // the apex of a pyramid
      old = std::min(old, q(t));
    }
    double limit = dare ? kDare : std::max(old * 1.0001, 1e-9);
    std::vector<std::array<int, 4>> fresh;
    Vec3 to = m.pt(w);
    double longest = -1; // twice the size there, asked for when all else is well
    for (int t : m_star) {
      if (m.indexOf(t, w) >= 0) continue;
      std::array<int, 4> x;
      const Vec3* c[4];
      for (int i = 0; i < 4; ++i) {
        x[static_cast<std::size_t>(i)] = m.at(t).v[i] == v ? w : m.at(t).v[i];
        c[i] = &m.pt(x[static_cast<std::size_t>(i)]);
      }
      if (tetQuality(*c[0], *c[1], *c[2], *c[3]) <= limit || orient3d(*c[0], *c[1], *c[2], *c[3]) <= 0) return false;
      fresh.push_back(x);
    }
    if (fresh.empty()) return false;
    for (const auto& x : fresh)
      for (int y : x) {
        if (longest < 0) longest = 2 * m_size.at(to);
        if ((m.pt(y) - to).norm() > longest) return false;
      }
    std::vector<int> old_ = m_star;
    m.rebuild(old_, fresh);
    m.tetOf[static_cast<std::size_t>(v)] = -1; // a log restores it with the tets
    ++stats.collapses;
    return true;
  }

  /// A new point in the cavity around a bad tet, when it lifts the worst there.
  bool insert(int t, bool dare = false) {
    const Tet x = m.at(t);
    const Vec3 &a = m.pt(x.v[0]), &b = m.pt(x.v[1]), &c = m.pt(x.v[2]), &d = m.pt(x.v[3]);
    Vec3 middle = (a + b + c + d) / 4;
    TetCore::Cavity cavity;
    int id = static_cast<int>(m.points.size());
    if (!m.cavityOf(middle, id, t, cavity)) return false;
    double old = 1;
    for (int y : cavity.tets) old = std::min(old, q(y));
    auto score = [&](const Vec3& p, double stop) {
      double s = 1;
      for (const auto& w : cavity.walls) {
        s = std::min(s, tetQuality(m.pt(w.v[0]), m.pt(w.v[1]), m.pt(w.v[2]), p));
        if (s <= stop) return s;
      }
      return s;
    };
    Vec3 p = middle;
    double best = score(p, -2);
    double step = 0.15 * ((a - b).norm() + (c - d).norm());
    for (int level = 0; level < 6; ++level) {
      bool any = false;
      for (int k = 0; k < 6; ++k) {
        Vec3 e = Vec3::Zero();
        e[k / 2] = k & 1 ? -step : step;
        double s = score(p + e, best);
        if (s > best) best = s, p = p + e, any = true;
      }
      if (!any) step *= 0.5;
    }
    if (best <= (dare ? kDare : old * 1.05 + 1e-9)) return false;
    for (const auto& w : cavity.walls)
      if (orient3d(m.pt(w.v[0]), m.pt(w.v[1]), m.pt(w.v[2]), p) <= 0) return false;
    m.newPoint(p);
    m_surface.added(id);
    m.fill(cavity, id);
    ++stats.insertions;
    return true;
  }
};

} // namespace

ImproveStats improveTets(TetCore& core, SurfaceMesh& surface, const Part* part, const SizeField& size,
                         Progress& progress) {
  Improver i(core, surface, part, size, progress);
  i.run();
  return i.stats;
}

void freeFlatTets(TetCore& core, SurfaceMesh& surface, const SizeField& size, double quality, Progress& progress) {
  Improver(core, surface, nullptr, size, progress).freeFlat(quality);
}

} // namespace tess
