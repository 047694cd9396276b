// SPDX-License-Identifier: GPL-3.0-or-later
// Filters and bounds follow Shewchuk (1997), "Adaptive precision floating-point arithmetic and fast robust geometric
// predicates". What they leave open is evaluated with pairs of doubles (Dekker 1971), which decides the near ties of
// real surfaces (nodes opposite each other, points on cylinders) at a tenth of the cost of the last stage: a plain
// expansion evaluation with zero elimination, which stays short on grid-like input where it is needed most.
#include "base/orient3d.h"
#include <cmath>

// Compiled for processors with fused products too; a fused product is exact here, so the results are the same.
// Sanitizers cannot run the choice at load time.
#if defined(__x86_64__) && !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
#define TESS_FMA __attribute__((target_clones("fma", "default")))
#else
#define TESS_FMA
#endif

namespace tess {
namespace {

constexpr double kEps = 1.1102230246251565e-16; // 2^-53
constexpr double kInsphereBound = (16.0 + 224.0 * kEps) * kEps;
constexpr double kOrient2Bound = (3.0 + 16.0 * kEps) * kEps;

inline void twoSum(double a, double b, double& x, double& y) {
  x = a + b;
  double bv = x - a;
  y = (a - (x - bv)) + (b - bv);
}
inline void twoProduct(double a, double b, double& x, double& y) {
  x = a * b;
  y = std::fma(a, b, -x); // correctly rounded by the standard, so the error term is exact
}

/// A sum of doubles without overlap, smallest first; empty means zero.
class Expansion {
public:
  Expansion() = default;
  static Expansion difference(double a, double b) {
    Expansion e;
    double x, y;
    twoSum(a, -b, x, y);
    e.push(y);
    e.push(x);
    return e;
  }
  double sign() const { return m_c.empty() ? 0.0 : m_c.back(); }
  Expansion operator+(const Expansion& o) const {
    Expansion r = *this;
    for (double b : o.m_c) r.grow(b);
    return r;
  }
  Expansion operator-() const {
    Expansion r = *this;
    for (double& c : r.m_c) c = -c;
    return r;
  }
  Expansion operator-(const Expansion& o) const { return *this + (-o); }
  Expansion operator*(const Expansion& o) const {
    const Expansion& longer = m_c.size() >= o.m_c.size() ? *this : o;
    const Expansion& shorter = m_c.size() >= o.m_c.size() ? o : *this;
    Expansion r;
    for (double b : shorter.m_c) {
      Expansion s = longer.scaled(b);
      r = r.m_c.empty() ? s : r + s;
    }
    return r;
  }

private:
  std::vector<double> m_c;
  void push(double v) {
    if (v != 0) m_c.push_back(v);
  }
  void grow(double b) {
    double q = b;
    std::size_t out = 0;
    for (std::size_t i = 0; i < m_c.size(); ++i) {
      double x, y;
      twoSum(q, m_c[i], x, y);
      if (y != 0) m_c[out++] = y;
      q = x;
    }
    m_c.resize(out);
    push(q);
  }
  Expansion scaled(double b) const {
    Expansion r;
    r.m_c.reserve(2 * m_c.size());
    double q = 0;
    bool first = true;
    for (double e : m_c) {
      double hi, lo;
      twoProduct(e, b, hi, lo);
      if (first) {
        r.push(lo);
        q = hi;
        first = false;
        continue;
      }
      double s, t, u, v;
      twoSum(q, lo, s, t);
      r.push(t);
      twoSum(hi, s, u, v);
      r.push(v);
      q = u;
    }
    if (!first) r.push(q);
    return r;
  }
};

using Row = std::array<Expansion, 3>;

Row rowOf(const Vec3& p, const Vec3& o) {
  return {Expansion::difference(p.x(), o.x()), Expansion::difference(p.y(), o.y()),
          Expansion::difference(p.z(), o.z())};
}
Expansion det3(const Row& a, const Row& b, const Row& c) {
  return a[0] * (b[1] * c[2] - b[2] * c[1]) + a[1] * (b[2] * c[0] - b[0] * c[2]) + a[2] * (b[0] * c[1] - b[1] * c[0]);
}

double orient3dExact(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  return det3(rowOf(b, a), rowOf(c, a), rowOf(d, a)).sign();
}

double insphereExact(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e) {
  Row r[4] = {rowOf(a, e), rowOf(b, e), rowOf(c, e), rowOf(d, e)};
  Expansion lift[4];
  for (int i = 0; i < 4; ++i) lift[i] = r[i][0] * r[i][0] + r[i][1] * r[i][1] + r[i][2] * r[i][2];
  Expansion s = lift[0] * det3(r[1], r[2], r[3]) - lift[1] * det3(r[0], r[2], r[3]) + lift[2] * det3(r[0], r[1], r[3]) -
                lift[3] * det3(r[0], r[1], r[2]);
  return s.sign();
}

/// An unevaluated sum of two doubles. Every operation is off by less than 2^-101 of the sum of the sizes of what it
/// adds up, so a polynomial is off by less than that times its depth (20 at most here) and its permanent.
struct Pair {
  double h, l;
  static Pair difference(double a, double b) {
    Pair r;
    twoSum(a, -b, r.h, r.l);
    return r;
  }
  static Pair fast(double h, double l) {
    const double s = h + l;
    return {s, l - (s - h)};
  }
  Pair operator+(const Pair& o) const {
    double s, e;
    twoSum(h, o.h, s, e);
    return fast(s, e + (l + o.l));
  }
  Pair operator-(const Pair& o) const { return *this + Pair{-o.h, -o.l}; }
  Pair operator*(const Pair& o) const {
    double p, e;
    twoProduct(h, o.h, p, e);
    return fast(p, e + (h * o.l + l * o.h));
  }
};
constexpr double kPairBound = 1e-28; ///< 20 x 2^-101 with a wide margin, for the rounding of the permanent too
/// Between these no product underflows enough to matter, and none overflows.
constexpr double kPairLeast = 1e-180, kPairMost = 1e280;
struct PairRow {
  Pair x, y, z;
  PairRow(const Vec3& p, const Vec3& o)
      : x(Pair::difference(p.x(), o.x())), y(Pair::difference(p.y(), o.y())), z(Pair::difference(p.z(), o.z())) {}
};
inline Pair det3(const PairRow& a, const PairRow& b, const PairRow& c) {
  return a.x * (b.y * c.z - b.z * c.y) + a.y * (b.z * c.x - b.x * c.z) + a.z * (b.x * c.y - b.y * c.x);
}
inline bool decides(const Pair& d, double permanent) {
  return permanent > kPairLeast && permanent < kPairMost && std::abs(d.h) > kPairBound * permanent;
}

TESS_FMA double orient3dPair(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, double permanent) {
  const Pair r = det3(PairRow(b, a), PairRow(c, a), PairRow(d, a));
  return decides(r, permanent) ? r.h : 0;
}
TESS_FMA double inspherePair(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e,
                             double permanent) {
  const PairRow r[4] = {{a, e}, {b, e}, {c, e}, {d, e}};
  Pair lift[4];
  for (int i = 0; i < 4; ++i) lift[i] = r[i].x * r[i].x + r[i].y * r[i].y + r[i].z * r[i].z;
  const Pair s = (lift[0] * det3(r[1], r[2], r[3]) - lift[1] * det3(r[0], r[2], r[3])) +
                 (lift[2] * det3(r[0], r[1], r[3]) - lift[3] * det3(r[0], r[1], r[2]));
  return decides(s, permanent) ? s.h : 0;
}

} // namespace

double orient3d(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) { return orient3dInline(a, b, c, d); }

double orient3dBeyondFilter(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, double permanent) {
  if (permanent == 0) return 0;
  if (const double s = orient3dPair(a, b, c, d, permanent); s != 0) return s;
  return orient3dExact(a, b, c, d);
}

double insphere(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e) {
  double ax = a.x() - e.x(), ay = a.y() - e.y(), az = a.z() - e.z();
  double bx = b.x() - e.x(), by = b.y() - e.y(), bz = b.z() - e.z();
  double cx = c.x() - e.x(), cy = c.y() - e.y(), cz = c.z() - e.z();
  double dx = d.x() - e.x(), dy = d.y() - e.y(), dz = d.z() - e.z();
  double axby = ax * by, bxay = bx * ay, bxcy = bx * cy, cxby = cx * by, cxdy = cx * dy, dxcy = dx * cy;
  double dxay = dx * ay, axdy = ax * dy, axcy = ax * cy, cxay = cx * ay, bxdy = bx * dy, dxby = dx * by;
  double ab = axby - bxay, bc = bxcy - cxby, cd = cxdy - dxcy, da = dxay - axdy, ac = axcy - cxay, bd = bxdy - dxby;
  double abc = az * bc - bz * ac + cz * ab, bcd = bz * cd - cz * bd + dz * bc;
  double cda = cz * da + dz * ac + az * cd, dab = dz * ab + az * bd + bz * da;
  double al = ax * ax + ay * ay + az * az, bl = bx * bx + by * by + bz * bz;
  double cl = cx * cx + cy * cy + cz * cz, dl = dx * dx + dy * dy + dz * dz;
  double det = -((dl * abc - cl * dab) + (bl * cda - al * bcd));
  // Most calls end here: every term of the permanent below is at most the product of the largest differences and the
  // largest squared distance (24 terms; semi-static filter after Meyer & Pion 2008).
  double mx = std::max(std::max(std::abs(ax), std::abs(bx)), std::max(std::abs(cx), std::abs(dx)));
  double my = std::max(std::max(std::abs(ay), std::abs(by)), std::max(std::abs(cy), std::abs(dy)));
  double mz = std::max(std::max(std::abs(az), std::abs(bz)), std::max(std::abs(cz), std::abs(dz)));
  double quick = 24 * kInsphereBound * mx * my * mz * std::max(std::max(al, bl), std::max(cl, dl));
  if (quick > 1e-280 && (det > quick || -det > quick)) return det;
  double azp = std::abs(az), bzp = std::abs(bz), czp = std::abs(cz), dzp = std::abs(dz);
  double abp = std::abs(axby) + std::abs(bxay), bcp = std::abs(bxcy) + std::abs(cxby),
         cdp = std::abs(cxdy) + std::abs(dxcy);
  double dap = std::abs(dxay) + std::abs(axdy), acp = std::abs(axcy) + std::abs(cxay),
         bdp = std::abs(bxdy) + std::abs(dxby);
  double permanent = (cdp * bzp + bdp * czp + bcp * dzp) * al + (dap * czp + acp * dzp + cdp * azp) * bl +
                     (abp * dzp + bdp * azp + dap * bzp) * cl + (bcp * azp + acp * bzp + abp * czp) * dl;
  double bound = kInsphereBound * permanent;
  if (det > bound || -det > bound) return det;
  if (const double s = inspherePair(a, b, c, d, e, permanent); s != 0) return s;
  return insphereExact(a, b, c, d, e);
}

int insphereSos(const Vec3* const p[5], const std::uint32_t id[5]) {
  double s = insphere(*p[0], *p[1], *p[2], *p[3], *p[4]);
  if (s != 0) return s > 0 ? 1 : -1;
  // The point with the highest id carries the largest perturbation of its lifted coordinate.
  int order[5] = {0, 1, 2, 3, 4};
  std::sort(order, order + 5, [&](int x, int y) { return id[x] > id[y]; });
  for (int k : order) {
    if (k == 4) return -1;
    const Vec3* q[4] = {p[0], p[1], p[2], p[3]};
    q[k] = p[4];
    double o = orient3d(*q[0], *q[1], *q[2], *q[3]);
    if (o != 0) return o > 0 ? 1 : -1;
  }
  return -1; // all five coplanar: cannot happen for a tetrahedron of positive volume
}

double orient2d(const Vec3& a, const Vec3& b, const Vec3& c, int drop) {
  int i = (drop + 1) % 3, j = (drop + 2) % 3;
  double l = (b[i] - a[i]) * (c[j] - a[j]), r = (b[j] - a[j]) * (c[i] - a[i]);
  double det = l - r, bound = kOrient2Bound * (std::abs(l) + std::abs(r));
  if (det > bound || -det > bound) return det;
  auto d = [](double x, double y) { return Expansion::difference(x, y); };
  return (d(b[i], a[i]) * d(c[j], a[j]) - d(b[j], a[j]) * d(c[i], a[i])).sign();
}

} // namespace tess
