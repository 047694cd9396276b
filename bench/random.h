// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cmath>
#include <cstdint>

/// The same numbers on every machine (splitmix64; Steele, Lea & Flood 2014).
class Random {
public:
  explicit Random(std::uint64_t seed) : m_state(seed * 0x9E3779B97F4A7C15ull + 1) {}
  double unit() { return static_cast<double>(next() >> 11) * 0x1p-53; }
  double in(double a, double b) { return a + (b - a) * unit(); }
  /// Evenly spread over orders of magnitude.
  double scale(double a, double b) { return a * std::exp(unit() * std::log(b / a)); }
  int below(int n) { return static_cast<int>(next() % static_cast<std::uint64_t>(n)); }
  bool chance(double p) { return unit() < p; }

private:
  std::uint64_t m_state;
  std::uint64_t next() {
    std::uint64_t z = (m_state += 0x9E3779B97F4A7C15ull);
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ull;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBull;
    return z ^ (z >> 31);
  }
};
