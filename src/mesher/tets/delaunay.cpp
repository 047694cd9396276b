// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/tets/delaunay.h"
#include "base/orient3d.h"
#include "base/parallel.h"
#include <array>
#include <bit>
#include <cmath>
#include <cstring>
#include <unordered_map>
#if defined(__SSE2__)
#include <emmintrin.h>
#endif

namespace tess {
namespace {

/// Bits of x (21 at most) spread to every third place.
std::uint64_t spread(std::uint64_t x) {
  x = (x | x << 32) & 0x001f00000000ffffull;
  x = (x | x << 16) & 0x001f0000ff0000ffull;
  x = (x | x << 8) & 0x100f00f00f00f00full;
  x = (x | x << 4) & 0x10c30c30c30c30c3ull;
  x = (x | x << 2) & 0x1249249249249249ull;
  return x;
}

constexpr std::size_t kTogether = 256; ///< points whose places on the curve are found at a time
using Coordinates = std::array<std::uint32_t, kTogether>;

/// Indices along a Hilbert curve of order 20 by the transpose method (Skilling 2004), without branches and for many
/// points at once, so that wide registers serve.
void hilbert(Coordinates& X, Coordinates& Y, Coordinates& Z) {
  constexpr int bits = 20;
  for (int b = bits - 1; b > 0; --b) {
    const std::uint32_t low = (1u << b) - 1;
    for (std::size_t i = 0; i < kTogether; ++i) {
      std::uint32_t x = X[i], y = Y[i], z = Z[i];
      x ^= low & (0u - (x >> b & 1)); // all ones when the bit is set
      for (auto* c : {&y, &z}) {
        const std::uint32_t set = 0u - (*c >> b & 1), swapped = (x ^ *c) & low & ~set;
        x ^= (low & set) | swapped;
        *c ^= swapped;
      }
      X[i] = x;
      Y[i] = y;
      Z[i] = z;
    }
  }
  for (std::size_t i = 0; i < kTogether; ++i) {
    Y[i] ^= X[i];
    Z[i] ^= Y[i];
    std::uint32_t t = Z[i]; // bit k of it: parity of the bits above k
    for (int shift = 1; shift < 32; shift *= 2) t ^= t >> shift;
    t >>= 1;
    X[i] ^= t;
    Y[i] ^= t;
    Z[i] ^= t;
  }
}

constexpr std::size_t kStretches = 2;        ///< worked on side by side; fixed, so that results depend on nothing else
constexpr std::size_t kWorthSharing = 20000; ///< points in a round

/// Circumsphere of a tet, relative to one of its corners. In single precision with a proven bound on its error it
/// decides nearly all tests at a fraction of the cost of the determinant; the rest goes to the exact predicate.
struct Ball {
  float c2[3]; ///< twice the centre minus corner
  float doubt; ///< twice the square of its error, see decides(); infinity or no number: never decides
  int corner;
  int stamp; ///< of the last insertion that had the tet in its cavity
};

constexpr float kNeverDecides = std::numeric_limits<float>::infinity(); ///< doubt about what has no circumsphere

/// Whether a ball alone tells if p lies `inside` the circumsphere of its tet; `a`: its corner. With d from a to p the
/// point lies inside when d.(c2 - d) > 0. With u = 2^-24, single precision makes each term of this sum wrong by 5 u of
/// itself and 1 u of its part of d.d (rounding of d, of the difference, of the product, of two additions), and what c2
/// is off by adds |d| times its length. With a bound e on that length and 5.1 u |c2|, the sum is off by less than
/// |d| e + 6 u d.d; the square of this is below d.d (2 e^2 + 72 u^2 d.d). The constant covers sums that underflow;
/// those that overflow decide nothing. Written so that neither answer costs a branch.
inline bool decides(const Ball& b, const Vec3& a, const Vec3& p, bool& inside) {
#if defined(__SSE2__)
  const __m128d xy = _mm_sub_pd(_mm_loadu_pd(p.data()), _mm_loadu_pd(a.data()));
  const __m128d z = _mm_sub_sd(_mm_load_sd(p.data() + 2), _mm_load_sd(a.data() + 2));
  const __m128 d = _mm_movelh_ps(_mm_cvtpd_ps(xy), _mm_cvtpd_ps(z)); // x, y, z, 0
  const __m128 dd = _mm_mul_ps(d, d), dc = _mm_mul_ps(d, _mm_sub_ps(_mm_loadu_ps(b.c2), d));
  __m128 sums = _mm_add_ps(_mm_unpacklo_ps(dc, dd), _mm_unpackhi_ps(dc, dd));
  sums = _mm_add_ps(sums, _mm_movehl_ps(sums, sums));
  const float side = _mm_cvtss_f32(sums), square = _mm_cvtss_f32(_mm_shuffle_ps(sums, sums, 1));
#else
  const float x = static_cast<float>(p.x() - a.x()), y = static_cast<float>(p.y() - a.y()),
              z = static_cast<float>(p.z() - a.z());
  const float square = (x * x + z * z) + y * y, side = (x * (b.c2[0] - x) + z * (b.c2[2] - z)) + y * (b.c2[1] - y);
#endif
  inside = side > 0;
  return side * side > square * (b.doubt + 1e-12f * square) + 1e-37f;
}

using Four = float __attribute__((vector_size(16)));
using FourBits = std::int32_t __attribute__((vector_size(16)));
inline Four absolute(Four v) { return std::bit_cast<Four>(std::bit_cast<FourBits>(v) & 0x7fffffff); }
inline Four larger(Four a, Four b) { return a > b ? a : b; }
inline Four root(Four v) {
#if defined(__SSE2__)
  return _mm_sqrt_ps(v);
#else
  return Four{std::sqrt(v[0]), std::sqrt(v[1]), std::sqrt(v[2]), std::sqrt(v[3])};
#endif
}
/// Rows become columns and back.
inline void transpose(Four& a, Four& b, Four& c, Four& d) {
  const Four ab = __builtin_shufflevector(a, b, 0, 4, 1, 5), cd = __builtin_shufflevector(c, d, 0, 4, 1, 5);
  const Four AB = __builtin_shufflevector(a, b, 2, 6, 3, 7), CD = __builtin_shufflevector(c, d, 2, 6, 3, 7);
  a = __builtin_shufflevector(ab, cd, 0, 1, 4, 5);
  b = __builtin_shufflevector(ab, cd, 2, 3, 6, 7);
  c = __builtin_shufflevector(AB, CD, 0, 1, 4, 5);
  d = __builtin_shufflevector(AB, CD, 2, 3, 6, 7);
}
struct FourPoints {
  Four x, y, z, square; ///< and the square of their distance
};

/// Balls of the tets between three given points each and an apex, four at a time. a, b, c: from the apex to the three
/// points, so scaled that what is tiny against the whole cloud stays far from the ends of the range of single
/// precision; `back` takes the result to the true scale. With L the longest of the three and u = 2^-24, the numerator
/// is a sum of terms of size L^4 with an error below 146 u L^4 (125 of its rounding, the rest of that of the input),
/// that of the determinant is below 60 u L^3; as the radius is at least L / 2 the centre is off by less than
/// |c| (206 L^3 / |det| + 16) u. Where |det| < 900 u L^3 this ends to hold, and where L^4 comes near the smallest
/// numbers; before either the bound becomes no number. Wider registers than those all processors have were slower here:
/// they lower the clock. Returns the four balls as they stand in Ball: centre and doubt.
inline std::array<Four, 4> ballsOf(const FourPoints& a, const FourPoints& b, const FourPoints& c, float back) {
  const Four bcx = b.y * c.z - b.z * c.y, bcy = b.z * c.x - b.x * c.z, bcz = b.x * c.y - b.y * c.x;
  const Four cax = c.y * a.z - c.z * a.y, cay = c.z * a.x - c.x * a.z, caz = c.x * a.y - c.y * a.x;
  const Four abx = a.y * b.z - a.z * b.y, aby = a.z * b.x - a.x * b.z, abz = a.x * b.y - a.y * b.x;
  const Four det = a.x * bcx + a.y * bcy + a.z * bcz;
  const Four longest = larger(larger(a.square, b.square), c.square), cube = longest * root(longest);
  const Four inverse = 1 / det, scaled = inverse * back;
  const Four x = (a.square * bcx + b.square * cax + c.square * abx) * scaled,
             y = (a.square * bcy + b.square * cay + c.square * aby) * scaled,
             z = (a.square * bcz + b.square * caz + c.square * abz) * scaled;
  const Four size = absolute(x) + absolute(y) + absolute(z), flat = absolute(inverse) * cube;
  const Four error = size * (1.4e-6f + 1.3e-5f * flat);
  const FourBits unknown = (flat > 8e3f) | (cube < 3e-26f); // all ones are no number
  std::array<Four, 4> r{x, y, z, std::bit_cast<Four>(std::bit_cast<FourBits>(2.0001f * error * error) | unknown)};
  transpose(r[0], r[1], r[2], r[3]);
  return r;
}

/// The lines from a new point to the corners of its cavity, and the balls of the tets between them.
class Spokes {
public:
  void scale(double by) {
    m_scale = by;
    m_back = static_cast<float>(1 / by);
  }
  void room(std::size_t walls) {
    if (m_to.size() < 3 * walls) m_to.resize(6 * walls + 64);
  }
  void set(int corner, const Vec3& to) {
    const auto x = static_cast<float>(m_scale * to.x()), y = static_cast<float>(m_scale * to.y()),
               z = static_cast<float>(m_scale * to.z());
    m_to[static_cast<std::size_t>(corner)] = Four{x, y, z, x * x + y * y + z * z};
  }
  /// Balls of the tets `made` between the new point, with the number `id`, and three corners each. Room for four more
  /// corners than `n` is read.
  void balls(const std::array<int, 3>* corners, std::size_t n, const int* made, int id, Ball* all) const {
    auto points = [&](const std::array<int, 3>* from, std::size_t k) {
      Four a = m_to[static_cast<std::size_t>(from[0][k])], b = m_to[static_cast<std::size_t>(from[1][k])],
           c = m_to[static_cast<std::size_t>(from[2][k])], d = m_to[static_cast<std::size_t>(from[3][k])];
      transpose(a, b, c, d);
      return FourPoints{a, b, c, d};
    };
    for (std::size_t i = 0; i < n; i += 4) {
      const std::array<int, 3>* from = corners + i;
      const auto four = ballsOf(points(from, 0), points(from, 1), points(from, 2), m_back);
      for (std::size_t k = 0; k < std::min<std::size_t>(4, n - i); ++k) {
        Ball& b = all[made[i + k]];
        std::memcpy(&b, &four[k], sizeof(Four)); // centre and doubt
        b.corner = id;
        b.stamp = 0;
      }
    }
  }

private:
  double m_scale = 1;
  float m_back = 1;
  std::vector<Four> m_to;
};

/// inConflict(), with `pt` telling where a vertex is.
template <class At> bool conflictOf(const TetList& tets, At&& pt, int t, const Vec3& p, int id) {
  const Tet& q = tets[static_cast<std::size_t>(t)];
  for (int i = 0; i < 4; ++i)
    if (q.v[i] == kGhost) {
      const int* f = kTetFace[i];
      // With the ghost replaced by p the tet is positive when p lies outside the hull face.
      double o = orient3d(pt(q.v[f[0]]), pt(q.v[f[1]]), pt(q.v[f[2]]), p);
      if (o != 0) return o > 0;
      return conflictOf(tets, pt, q.n[i] >> 2, p, id);
    }
  const Vec3* c[5] = {&pt(q.v[0]), &pt(q.v[1]), &pt(q.v[2]), &pt(q.v[3]), &p};
  const std::uint32_t ids[5] = {static_cast<std::uint32_t>(q.v[0]), static_cast<std::uint32_t>(q.v[1]),
                                static_cast<std::uint32_t>(q.v[2]), static_cast<std::uint32_t>(q.v[3]),
                                static_cast<std::uint32_t>(id)};
  return insphereSos(c, ids) > 0;
}

/// A point that never lies over two lines of cache.
struct alignas(32) Place {
  Vec3 at;
};

class Delaunay {
public:
  Delaunay(const std::vector<Vec3>& points, const InsertionOrder& order, const Progress* progress)
      : m_points(order.order.size()), m_order(order), m_progress(progress) {
    parallelFor(
        m_points.size(), nullptr,
        [&](std::size_t i) { m_points[i].at = points[static_cast<std::size_t>(order.order[i])]; }, 1 << 14);
  }

  TetList run() {
    const std::size_t n = m_points.size();
    const auto& rounds = m_order.rounds;
    m_tets.reserve(n * 7 + 64);
    m_balls.reserve(n * 7 + 64);
    Worker all;
    all.local.resize(n + 1, {0, 0});
    if (!begin(all)) return {};
    Box box;
    for (const Place& p : m_points) box.add(p.at);
    const double unit = std::ldexp(1.0, 10 - std::ilogb(box.diagonal()));
    all.spokes.scale(unit);
    for (Worker& w : m_team) w.spokes.scale(unit);
    for (std::size_t r = 0; r < rounds.size(); ++r) {
      const std::size_t from = rounds[r], to = r + 1 < rounds.size() ? rounds[r + 1] : n;
      if (to - from < kWorthSharing)
        for (std::size_t i = from; i < to; ++i) insertAnywhere(all, static_cast<int>(i));
      else
        insertByStretches(all, from, to);
    }
    m_balls = {};
    compact(all.free);
    return std::move(m_tets);
  }

private:
  struct Local {
    int stamp, number;
  };
  /// What one thread needs to insert points.
  struct Worker {
    unsigned mask = 0; ///< bit of the stretch
    int hint = 0;
    int stamp = 0, step = 1;
    std::uint32_t rng = 12345;
    int next = 0, end = 0; ///< unused tets of its own
    std::vector<int> free;
    std::vector<int> cavity;                 ///< tets to go, then those that take their place
    std::vector<int> walls;                  ///< of the cavity, from outside: 4 * tet + face
    std::vector<std::array<int, 3>> numbers; ///< per wall, of its corners
    std::vector<Local> local;                ///< per vertex + 1: its number on the walls of the cavity at hand
    int localStamp = 0;
    std::vector<int> corners; ///< of the cavity, by local number
    Spokes spokes;
    std::vector<int> table;
    std::vector<int> waiting; ///< points left for the end of the round
    void room(std::size_t n) {
      if (cavity.size() >= n + 64) return;
      cavity.resize(n + 64);
      walls.resize(n + 64);
    }
  };
  std::vector<Place> m_points; ///< in the order of insertion
  const InsertionOrder& m_order;
  const Progress* m_progress;
  TetList m_tets;
  UnsetVector<Ball> m_balls;
  std::array<Worker, kStretches> m_team;
  std::vector<std::uint8_t> m_owner; ///< per vertex + 1 during a shared round: bit of its stretch
  std::size_t m_done = 0;

  const Vec3& pt(int v) const { return m_points[static_cast<std::size_t>(v)].at; }
  Tet& at(int t) { return m_tets[static_cast<std::size_t>(t)]; }
  const Tet& at(int t) const { return m_tets[static_cast<std::size_t>(t)]; }
  Ball& ball(int t) { return m_balls[static_cast<std::size_t>(t)]; }
  void link(int tf, int uf) {
    at(tf >> 2).n[tf & 3] = uf;
    at(uf >> 2).n[uf & 3] = tf;
  }
  /// A ghost belongs to all.
  unsigned ownerOf(int v) const { return m_owner[static_cast<std::size_t>(v + 1)]; }
  bool allOwned(const Worker& w, int t) const {
    const int* v = at(t).v;
    return (ownerOf(v[0]) & ownerOf(v[1]) & ownerOf(v[2]) & ownerOf(v[3]) & w.mask) != 0;
  }

  int append() {
    m_tets.resize(m_tets.size() + 1);
    m_balls.resize(m_tets.size());
    return static_cast<int>(m_tets.size()) - 1;
  }

  /// The first tetrahedron: four points that span space, with ghosts over its faces.
  bool begin(Worker& w) {
    const int n = static_cast<int>(m_points.size());
    int i1 = 1, i2 = 0, i3 = 0;
    while (i1 < n && pt(i1) == pt(0)) ++i1;
    for (i2 = i1 + 1; i2 < n; ++i2) {
      bool line = true;
      for (int d = 0; d < 3; ++d) line = line && orient2d(pt(0), pt(i1), pt(i2), d) == 0;
      if (!line) break;
    }
    for (i3 = i2 + 1; i3 < n; ++i3)
      if (orient3d(pt(0), pt(i1), pt(i2), pt(i3)) != 0) break;
    if (i3 >= n) return false;
    int v[4] = {0, i1, i2, i3};
    if (orient3d(pt(v[0]), pt(v[1]), pt(v[2]), pt(v[3])) < 0) std::swap(v[0], v[1]);
    int core = append();
    std::copy(v, v + 4, at(core).v);
    ball(core) = {{0, 0, 0}, kNeverDecides, v[3], 0};
    int g[4];
    for (int i = 0; i < 4; ++i) { // ghost over face i: face turned round, then the ghost
      g[i] = append();
      const int* f = kTetFace[i];
      int corners[4] = {v[f[0]], v[f[2]], v[f[1]], kGhost};
      std::copy(corners, corners + 4, at(g[i]).v);
      ball(g[i]) = {{0, 0, 0}, kNeverDecides, 0, 0};
      link(4 * g[i] + 3, 4 * core + i);
    }
    for (int i = 0; i < 4; ++i)
      for (int a = 0; a < 3; ++a) { // ghosts i and j share the edge of the two corners they both have
        int missing = at(g[i]).v[a];
        for (int j = 0; j < 4; ++j)
          if (j != i && v[j] == missing)
            for (int b = 0; b < 3; ++b)
              if (at(g[j]).v[b] == v[i]) link(4 * g[i] + a, 4 * g[j] + b);
      }
    w.hint = core;
    return true;
  }

  bool conflicts(int t, const Ball& b, const Place* points, const Vec3& p, int id) const {
    bool inside;
    if (decides(b, points[b.corner].at, p, inside)) [[likely]]
      return inside;
    return conflictOf(
        m_tets, [points](int v) -> const Vec3& { return points[v].at; }, t, p, id);
  }

  /// Tet that holds p, or a ghost that sees it; -1 when the way leads through tets of other stretches.
  template <bool Shared> int locate(Worker& w, const Vec3& p, int t) {
    for (int i = 0; i < 4; ++i)
      if (at(t).v[i] == kGhost) {
        t = at(t).n[i] >> 2;
        break;
      }
    int came = -1; // the face through which the walk entered
    const Place* points = m_points.data();
    for (;;) {
      const Tet& q = at(t);
      w.rng = w.rng * 1664525u + 1013904223u;
      const int start = static_cast<int>(w.rng >> 30);
      int next = -1;
      for (int k = 0; k < 4; ++k) {
        const int i = (start + k) & 3;
        if (i == came) continue;
        const int* f = kTetFace[i];
        if (orient3dInline(points[q.v[f[0]]].at, points[q.v[f[1]]].at, points[q.v[f[2]]].at, p) < 0) {
          if (Shared && ((ownerOf(q.v[f[0]]) | ownerOf(q.v[f[1]]) | ownerOf(q.v[f[2]])) & w.mask) == 0) return -1;
          next = q.n[i];
          break;
        }
      }
      if (next < 0) return t;
      t = next >> 2;
      came = next & 3;
      for (int v : at(t).v)
        if (v == kGhost) return t;
    }
  }

  /// Inserts a point; false when it has to wait.
  template <bool Shared> bool insert(Worker& w, int id) {
    const Vec3& p = pt(id);
    int first = locate<Shared>(w, p, w.hint);
    if (first < 0) return false;
    for (int k : at(first).v)
      if (k != kGhost && pt(k) == p) return true; // repeated
    // The cavity grows over faces; what does not conflict lies behind a wall. Both are written, and the test decides
    // without a branch which of the two stays: its outcome cannot be predicted. What is in the cavity already
    // conflicts, and is not written again.
    w.stamp += w.step;
    const int stamp = w.stamp;
    const Tet* tets = m_tets.data();
    Ball* balls = m_balls.data();
    const Place* points = m_points.data();
    w.room(4);
    int* cavity = w.cavity.data(); // 4 * tet + face through which it was reached
    int* walls = w.walls.data();
    std::size_t size = 1, wallCount = 0, room = w.cavity.size();
    auto look = [&](int n) __attribute__((always_inline)) {
      Ball& b = balls[n >> 2];
      const int other = b.stamp ^ stamp; // none where it is in the cavity
      const unsigned hit = conflicts(n >> 2, b, points, p, id);
      b.stamp ^= other & -static_cast<int>(hit);
      cavity[size] = n;
      size += hit & static_cast<unsigned>(other != 0);
      walls[wallCount] = n;
      wallCount += hit ^ 1u;
      __builtin_prefetch(tets + (n >> 2)); // of either the corners come next
    };
    if (Shared && !allOwned(w, first)) return false;
    balls[first].stamp = stamp;
    cavity[0] = 4 * first;
    for (int n : tets[first].n) look(n);
    for (std::size_t k = 1; k < size; ++k) {
      const int face = cavity[k] & 3;
      // Its other corners are those of the tet through which it was reached.
      if (Shared && (ownerOf(tets[cavity[k] >> 2].v[face]) & w.mask) == 0) return false;
      if (std::max(size, wallCount) + 4 > room) [[unlikely]] {
        w.room(2 * std::max(size, wallCount) + 8);
        room = w.cavity.size();
        cavity = w.cavity.data();
        walls = w.walls.data();
      }
      const int* n = tets[cavity[k] >> 2].n;
      const int n1 = n[(face + 1) & 3], n2 = n[(face + 2) & 3], n3 = n[(face + 3) & 3];
      look(n1);
      look(n2);
      look(n3);
    }
    if (Shared && wallCount > size + w.free.size() + static_cast<std::size_t>(w.end - w.next)) return false;
    fill<Shared>(w, id, size, wallCount);
    return true;
  }

  template <bool Shared> int takeTet(Worker& w) {
    if (!w.free.empty()) {
      int t = w.free.back();
      w.free.pop_back();
      return t;
    }
    return Shared ? w.next++ : append();
  }

  template <bool Shared> void fill(Worker& w, int id, std::size_t size, std::size_t wallCount) {
    const Vec3& p = pt(id);
    // The places of the cavity's tets are used again first.
    for (std::size_t k = 0; k < size; ++k) w.cavity[k] >>= 2;
    for (std::size_t k = wallCount; k < size; ++k) w.free.push_back(w.cavity[k]);
    for (std::size_t k = size; k < wallCount; ++k) w.cavity[k] = takeTet<Shared>(w);
    // The walls form a closed surface: every directed edge of it occurs once, its reverse in the neighbour. Vertices
    // get small local numbers, and a square table finds the neighbour without hashing. A closed surface of W triangles
    // has W / 2 + 2 vertices; pinched ones have more, hence the check below.
    int bits = 5;
    while ((std::size_t{1} << bits) < wallCount / 2 + 2) ++bits;
    const int side = 1 << bits;
    if (bits < 12 && w.table.size() < std::size_t{1} << 2 * bits) w.table.resize(std::size_t{1} << 2 * bits);
    int* table = w.table.data();
    const int* made = w.cavity.data();
    Tet* tets = m_tets.data();
    Ball* balls = m_balls.data();
    w.spokes.room(wallCount);
    if (w.numbers.size() < wallCount + 4) w.numbers.resize(2 * wallCount + 64);
    if (w.corners.size() < 3 * wallCount + 1) w.corners.resize(3 * wallCount + 1);
    Local* local = w.local.data() + 1;
    std::array<int, 3>* numbers = w.numbers.data();
    int* corners = w.corners.data();
    const int* walls = w.walls.data();
    const int stamp = ++w.localStamp;
    int known = 0;
    for (std::size_t k = 0; k < wallCount; ++k) {
      const int t = made[k], wall = walls[k];
      Tet& q = tets[t];
      Tet& beyond = tets[wall >> 2];
      const int* f = kTetFace[wall & 3];
      // Seen from the cavity, the face turns the other way round. Whether a corner is new cannot be predicted, hence
      // no branch.
      for (int i = 0; i < 3; ++i) {
        const int v = beyond.v[f[2 - i]];
        Local& own = local[v];
        const int fresh = own.stamp != stamp;
        const int number = own.number ^ ((own.number ^ known) & -fresh);
        own = {stamp, number};
        corners[known] = v;
        known += fresh;
        numbers[k][static_cast<std::size_t>(i)] = number;
        q.v[i] = v;
      }
      q.v[3] = id;
      q.n[3] = wall;
      beyond.n[wall & 3] = 4 * t + 3;
    }
    int ghost = -1;
    for (int c = 0; c < known; ++c) {
      const int v = corners[c];
      if (v == kGhost) ghost = c;
      w.spokes.set(c, pt(v == kGhost ? id : v) - p);
    }
    for (std::size_t k = wallCount; k < wallCount + 3; ++k) numbers[k] = numbers[0];
    w.spokes.balls(numbers, wallCount, made, id, balls);
    if (ghost >= 0)
      for (std::size_t k = 0; k < wallCount; ++k)
        if (const auto& l = numbers[k]; l[0] == ghost || l[1] == ghost || l[2] == ghost)
          balls[made[k]].doubt = kNeverDecides;
    const bool square = bits < 12 && known <= side;
    if (square) {
      for (std::size_t k = 0; k < wallCount; ++k) {
        const auto& l = numbers[k];
        table[(l[1] << bits) + l[2]] = 4 * made[k];
        table[(l[2] << bits) + l[0]] = 4 * made[k] + 1;
        table[(l[0] << bits) + l[1]] = 4 * made[k] + 2;
      }
      for (std::size_t k = 0; k < wallCount; ++k) {
        Tet& q = tets[made[k]];
        const auto& l = numbers[k];
        q.n[0] = table[(l[2] << bits) + l[1]];
        q.n[1] = table[(l[0] << bits) + l[2]];
        q.n[2] = table[(l[1] << bits) + l[0]];
      }
    } else
      linkByHash(w, wallCount);
    w.hint = made[wallCount - 1];
  }

  void linkByHash(const Worker& w, std::size_t count) {
    std::unordered_map<std::uint64_t, int> open;
    for (std::size_t k = 0; k < count; ++k)
      for (int i = 0; i < 3; ++i) {
        const int t = w.cavity[k], a = at(t).v[(i + 1) % 3], b = at(t).v[(i + 2) % 3];
        auto [it, fresh] = open.emplace(edgeKey(a + 1, b + 1), 4 * t + i);
        if (!fresh) link(4 * t + i, it->second);
      }
  }

  void insertAnywhere(Worker& all, int id) {
    if (m_progress && (++m_done & 4095) == 0) m_progress->check();
    insert<false>(all, id);
  }

  /// A round whose points are inserted by stretches of the curve. A stretch alters only tets of which all corners
  /// are its own; such tets have no face in common with those of another stretch, so that nothing one thread writes
  /// is read by another.
  void insertByStretches(Worker& all, std::size_t from, std::size_t to) {
    const auto& along = m_order.along;
    std::array<std::size_t, kStretches + 1> cut;
    cut.front() = from;
    cut.back() = to;
    std::array<std::uint64_t, kStretches - 1> border;
    for (std::size_t s = 1; s < kStretches; ++s) {
      border[s - 1] = along[from + (to - from) * s / kStretches];
      cut[s] =
          static_cast<std::size_t>(std::lower_bound(along.begin() + static_cast<std::ptrdiff_t>(from),
                                                    along.begin() + static_cast<std::ptrdiff_t>(to), border[s - 1]) -
                                   along.begin());
    }
    m_owner.resize(to + 1);
    m_owner[0] = 0xff;
    parallelFor(
        to, nullptr,
        [&](std::size_t v) {
          m_owner[v + 1] = static_cast<std::uint8_t>(
              1u << (std::upper_bound(border.begin(), border.end(), along[v]) - border.begin()));
        },
        1 << 16);
    const int stampBefore = all.stamp;
    for (std::size_t s = 0; s < kStretches; ++s) {
      Worker& w = m_team[s];
      w.mask = 1u << s;
      w.stamp = stampBefore + static_cast<int>(s);
      w.step = static_cast<int>(kStretches);
      w.waiting.clear();
      w.hint = -1;
      // A tet of its own to start from.
      for (std::size_t i = cut[s]; i < cut[s + 1] && w.hint < 0; ++i) {
        all.hint = locate<false>(all, pt(static_cast<int>(i)), all.hint);
        if (allOwned(w, all.hint)) w.hint = all.hint;
      }
      w.next = static_cast<int>(m_tets.size());
      m_tets.resize(m_tets.size() + 7 * (cut[s + 1] - cut[s]) + 64);
      w.end = static_cast<int>(m_tets.size());
    }
    m_balls.resize(m_tets.size());
    parallelFor(
        kStretches, m_progress,
        [&](std::size_t s) {
          Worker& w = m_team[s];
          w.local.resize(m_points.size() + 1, {0, 0});
          for (std::size_t i = cut[s]; i < cut[s + 1]; ++i) {
            if (m_progress && (i & 4095) == 0) m_progress->check();
            if (w.hint < 0 || !insert<true>(w, static_cast<int>(i))) w.waiting.push_back(static_cast<int>(i));
          }
        },
        1);
    for (Worker& w : m_team) {
      all.stamp = std::max(all.stamp, w.stamp);
      for (int t = w.end; t-- > w.next;) all.free.push_back(t);
      all.free.insert(all.free.end(), w.free.begin(), w.free.end());
      w.free.clear();
    }
    for (const Worker& w : m_team)
      for (int id : w.waiting) insertAnywhere(all, id);
  }

  /// Moves the last tets into the unused places, `holes`.
  void compact(std::vector<int>& holes) {
    std::sort(holes.begin(), holes.end());
    auto last = static_cast<int>(m_tets.size());
    std::size_t end = holes.size();
    for (std::size_t k = 0; k < end; ++k) {
      for (; k < end && holes[end - 1] == last - 1; --end) --last;
      if (k == end) break;
      const int hole = holes[k];
      at(hole) = at(--last);
      for (int i = 0; i < 4; ++i) {
        const int n = at(hole).n[i];
        at(n >> 2).n[n & 3] = 4 * hole + i;
      }
    }
    m_tets.resize(static_cast<std::size_t>(last));
  }
};

} // namespace

InsertionOrder insertionOrder(const std::vector<Vec3>& points, const std::vector<int>& which, std::uint32_t seed) {
  Box box;
  for (int i : which) box.add(points[static_cast<std::size_t>(i)]);
  double scale = box.empty() || box.size().maxCoeff() <= 0 ? 0 : ((1u << 20) - 1) / box.size().maxCoeff();
  struct Item {
    std::uint64_t key; ///< round above the place along the curve
    int id;
  };
  int rounds = 0;
  for (std::size_t n = which.size(); n > 1000; n /= 8) ++rounds;
  std::vector<Item> items(which.size());
  std::uint32_t rng = seed;
  for (std::size_t k = 0; k < which.size(); ++k) {
    int round = rounds;
    // Each point falls into the last round with probability 7/8, into the one before with 7/64, ...
    for (; round > 0; --round) {
      rng = rng * 1664525u + 1013904223u;
      if (rng >> 29 != 0) break;
    }
    items[k] = {static_cast<std::uint64_t>(round) << 60, which[k]};
  }
  parallelFor((items.size() + kTogether - 1) / kTogether, nullptr,
              [&](std::size_t block) {
                const std::size_t from = block * kTogether, count = std::min(kTogether, items.size() - from);
                Coordinates X{}, Y{}, Z{};
                for (std::size_t i = 0; i < count; ++i) {
                  const Vec3 q = (points[static_cast<std::size_t>(items[from + i].id)] - box.lo) * scale;
                  X[i] = static_cast<std::uint32_t>(q.x());
                  Y[i] = static_cast<std::uint32_t>(q.y());
                  Z[i] = static_cast<std::uint32_t>(q.z());
                }
                hilbert(X, Y, Z);
                for (std::size_t i = 0; i < count; ++i)
                  items[from + i].key |= spread(X[i]) << 2 | spread(Y[i]) << 1 | spread(Z[i]);
              },
              8);
  // Into buckets by the upper bits first: what remains to be sorted is short and lies together.
  const int upper = std::clamp(static_cast<int>(std::bit_width(items.size())) - 3, 4, 16), lower = 64 - upper;
  std::vector<std::size_t> start((std::size_t{1} << upper) + 1, 0);
  for (const auto& i : items) ++start[(i.key >> lower) + 1];
  for (std::size_t b = 1; b < start.size(); ++b) start[b] += start[b - 1];
  {
    std::vector<Item> sorted(items.size());
    std::vector<std::size_t> next(start.begin(), start.end() - 1);
    for (const auto& i : items) sorted[next[i.key >> lower]++] = i;
    items = std::move(sorted);
  }
  parallelFor(start.size() - 1, nullptr, [&](std::size_t b) {
    if (start[b + 1] - start[b] > 1)
      std::sort(items.begin() + static_cast<std::ptrdiff_t>(start[b]),
                items.begin() + static_cast<std::ptrdiff_t>(start[b + 1]),
                [](const Item& a, const Item& b2) { return a.key != b2.key ? a.key < b2.key : a.id < b2.id; });
  });
  InsertionOrder r;
  r.order.reserve(items.size());
  r.along.reserve(items.size());
  constexpr std::uint64_t place = (std::uint64_t{1} << 60) - 1;
  for (std::size_t k = 0; k < items.size(); ++k) {
    if (k == 0 || items[k].key >> 60 != items[k - 1].key >> 60) r.rounds.push_back(k);
    r.order.push_back(items[k].id);
    r.along.push_back(items[k].key & place);
  }
  return r;
}

bool inConflict(const TetList& tets, const std::vector<Vec3>& points, int t, const Vec3& p, int id) {
  return conflictOf(
      tets, [&](int v) -> const Vec3& { return points[static_cast<std::size_t>(v)]; }, t, p, id);
}

TetList delaunayTets(const std::vector<Vec3>& points, const InsertionOrder& order, const Progress* progress) {
  return Delaunay(points, order, progress).run();
}

} // namespace tess
