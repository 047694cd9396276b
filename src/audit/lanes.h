// SPDX-License-Identifier: GPL-3.0-or-later
// Four elements of one type looked at side by side. Elementwise arithmetic only, so that the results are the same bits
// whatever registers the machine has.
#pragma once
#include "base/vec.h"
#include <cstddef>

// Functions that spend their time in lanes are compiled twice, for wide registers and for any machine; sanitizers do
// not bear the choice at start-up.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__SANITIZE_ADDRESS__) &&               \
    !defined(__SANITIZE_THREAD__)
#define TESS_WIDE __attribute__((flatten, target_clones("avx2", "default")))
#else
#define TESS_WIDE __attribute__((flatten))
#endif

namespace tess {

constexpr std::size_t kLanes = 4;

struct LaneMask {
  typedef long long V __attribute__((vector_size(32)));
  V v;
};

struct alignas(32) Lanes {
  typedef double V __attribute__((vector_size(32), may_alias));
  V v;
  Lanes() = default;
  Lanes(double s) : v{s, s, s, s} {}
  explicit Lanes(const V& x) : v(x) {}
  static Lanes Zero() { return Lanes(0.0); }
  static Lanes Constant(double s) { return Lanes(s); }
  double operator[](std::size_t i) const { return v[i]; }
  double& operator[](std::size_t i) { return reinterpret_cast<double*>(&v)[i]; }
  Lanes& operator+=(const Lanes& o) { return v += o.v, *this; }
  Lanes min(const Lanes& o) const { return Lanes(V(v < o.v ? v : o.v)); }
  Lanes max(const Lanes& o) const { return Lanes(V(v > o.v ? v : o.v)); }
  Lanes abs() const { return Lanes(V(v < 0 ? -v : v)); }
  Lanes inverse() const { return Lanes(V(1.0 / v)); }
  Lanes sign() const { return Lanes(V(v < 0 ? V{-1, -1, -1, -1} : V{1, 1, 1, 1})); }
  Lanes sqrt() const {
    Lanes r;
    for (int i = 0; i < 4; ++i) r.v[i] = __builtin_sqrt(v[i]);
    return r;
  }
};
inline Lanes operator+(const Lanes& a, const Lanes& b) { return Lanes(Lanes::V(a.v + b.v)); }
inline Lanes operator-(const Lanes& a, const Lanes& b) { return Lanes(Lanes::V(a.v - b.v)); }
inline Lanes operator*(const Lanes& a, const Lanes& b) { return Lanes(Lanes::V(a.v * b.v)); }
inline Lanes operator/(const Lanes& a, const Lanes& b) { return Lanes(Lanes::V(a.v / b.v)); }
inline Lanes operator-(const Lanes& a) { return Lanes(Lanes::V(-a.v)); }
inline LaneMask operator<(const Lanes& a, const Lanes& b) { return {a.v < b.v}; }
inline LaneMask operator<=(const Lanes& a, const Lanes& b) { return {a.v <= b.v}; }
inline LaneMask operator>(const Lanes& a, const Lanes& b) { return {a.v > b.v}; }
inline LaneMask operator>=(const Lanes& a, const Lanes& b) { return {a.v >= b.v}; }
inline LaneMask operator&&(const LaneMask& a, const LaneMask& b) { return {a.v & b.v}; }
/// One or the other, by lane.
inline Lanes choose(const LaneMask& m, const Lanes& a, const Lanes& b) { return Lanes(Lanes::V(m.v ? a.v : b.v)); }

struct alignas(32) Lanes3 {
  Lanes x, y, z;
};
inline Lanes3 operator-(const Lanes3& a, const Lanes3& b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
inline Lanes3 operator+(const Lanes3& a, const Lanes3& b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
inline Lanes3 operator*(const Lanes& s, const Lanes3& a) { return {s * a.x, s * a.y, s * a.z}; }
inline Lanes dot(const Lanes3& a, const Lanes3& b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
inline Lanes3 cross(const Lanes3& a, const Lanes3& b) {
  return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
inline Lanes norm(const Lanes3& a) { return dot(a, a).sqrt(); }
inline Lanes3 choose(const LaneMask& m, const Lanes3& a, const Lanes3& b) {
  return {choose(m, a.x, b.x), choose(m, a.y, b.y), choose(m, a.z, b.z)};
}

/// Arc cosines in degrees, within 2e-6 (Abramowitz & Stegun 1964, 4.4.46).
inline Lanes degrees(const Lanes& cosine) {
  const Lanes x = cosine.abs().min(1.0);
  Lanes p = -0.0012624911;
  for (double k : {0.0066700901, -0.0170881256, 0.0308918810, -0.0501743046, 0.0889789874, -0.2145988016, 1.5707963050})
    p = p * x + k;
  const Lanes sharp = (1 - x).sqrt() * p;
  return choose(cosine < 0, kPi - sharp, sharp) * (180 / kPi);
}

/// A face as flow solvers see it: area vector, and centre weighted by the triangles about the mean of its corners.
struct FaceShape {
  Lanes3 area, centre;
};
inline FaceShape faceShape(const Lanes3* p, std::size_t count) {
  if (count == 3) return {0.5 * cross(p[1] - p[0], p[2] - p[0]), (1.0 / 3) * (p[0] + p[1] + p[2])};
  Lanes3 middle = p[0];
  for (std::size_t i = 1; i < count; ++i) middle = middle + p[i];
  middle = (1.0 / static_cast<double>(count)) * middle;
  FaceShape r{{0.0, 0.0, 0.0}, {0.0, 0.0, 0.0}};
  Lanes weight = 0.0;
  for (std::size_t i = 0; i < count; ++i) {
    const Lanes3 &a = p[i], &b = p[(i + 1) % count];
    const Lanes3 n = cross(a - middle, b - middle);
    const Lanes area = norm(n);
    r.area = r.area + 0.5 * n;
    r.centre = r.centre + area * (a + b + middle);
    weight += area;
  }
  r.centre = choose(weight <= 1e-300, middle, (3 * weight.max(1e-300)).inverse() * r.centre);
  return r;
}

} // namespace tess
