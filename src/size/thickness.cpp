// SPDX-License-Identifier: GPL-3.0-or-later
#include "size/thickness.h"
#include "base/parallel.h"
#include "size/opposite.h"
#include <cmath>

namespace tess {
namespace {

constexpr int kDepth = 14;

/// Cuts a display triangle until the distance over a piece is known well enough.
class Cutter {
public:
  Cutter(const OppositeFaces& probe, const ThinQuery& query, int face, int body, std::vector<ThinPiece>& out)
      : m_probe(probe), m_face(face), m_body(body), m_below(query.below), m_finest(query.finest), m_piece(query.piece),
        m_wedges(query.wedges), m_out(out) {}
  void cut(const std::array<Vec3, 3>& q, int depth = 0) {
    if (!m_probe.mayFace(q, m_face, m_body, m_below)) return;
    std::size_t side = longestSide(q);
    double longest = (q[side] - q[(side + 1) % 3]).norm();
    if (longest > 2 * m_below && depth < kDepth) return divide(q, 2 * m_below, depth);
    Vec3 mid = (q[0] + q[1] + q[2]) / 3;
    // The middles of the sides matter where a count must hold all over a wall.
    const std::size_t samples = m_piece > 1 ? 4 : 7;
    std::array<Vec3, 7> p;
    for (std::size_t k = 0; k < 3; ++k) {
      p[k] = q[k] + 0.04 * (mid - q[k]); // off the border, where the neighbour's normal could win
      p[k + 4] = 0.5 * (q[k] + q[(k + 1) % 3]);
      p[k + 4] += 0.04 * (mid - p[k + 4]);
    }
    p[3] = mid;
    double lo = std::numeric_limits<double>::infinity(), hi = 0;
    std::size_t hits = 0;
    std::array<OppositeFaces::Hit, 7> hit;
    for (std::size_t k = 0; k < samples; ++k) {
      hit[k] = m_probe.cast(m_face, p[k], m_body, m_below);
      if (!m_wedges && m_probe.acrossEdge(m_face, p[k], hit[k])) hit[k].face = -1;
      if (!hit[k].found()) continue;
      ++hits;
      if (hit[k].distance < lo) lo = hit[k].distance;
      hi = std::max(hi, hit[k].distance);
    }
    double fine = std::max(hits ? lo : m_below, m_finest);
    bool even = hits == samples && hi < 1.12 * lo;
    // What is thinner than the finest distance of interest gets the same size wherever it lies in the piece.
    const double loose = m_piece > 1 && lo < m_finest ? 4 : 1;
    const double largest = (even ? std::max(6.0, m_piece) : m_piece) * fine * loose;
    if (hits && longest > largest && depth < kDepth) return divide(q, largest, depth);
    if (!hits) return;
    // At the border of a thin region a piece also sees far sides; they are no part of the wall.
    hi = lo;
    for (const auto& h : hit)
      if (h.found() && h.distance < 1.6 * lo) hi = std::max(hi, h.distance);
    ThinPiece piece;
    piece.face = m_face;
    piece.at = q;
    for (std::size_t k = 0; k < 3; ++k) {
      double d = hit[k].found() && hit[k].distance <= hi ? hit[k].distance : lo;
      piece.across[k] = q[k] + 0.5 * d * hit[k].along;
    }
    piece.thickness = lo;
    piece.halfWidth = 0.5 * hi;
    m_out.push_back(piece);
  }

private:
  void divide(const std::array<Vec3, 3>& q, double largest, int depth) {
    std::size_t k = longestSide(q);
    double longest = (q[k] - q[(k + 1) % 3]).norm();
    std::size_t small = 0;
    auto side = [&](std::size_t i) { return (q[i] - q[(i + 1) % 3]).norm(); };
    for (std::size_t i = 1; i < 3; ++i)
      if (side(i) < side(small)) small = i;
    if (side(small) < 0.3 * longest) {
      // A needle is cut across its long sides: pieces of any other cut would be needles again.
      const Vec3 &tip = q[(small + 2) % 3], a = q[small], b = q[(small + 1) % 3];
      const int slabs = static_cast<int>(
          std::ceil(std::clamp(std::min(longest / (1.5 * side(small)), longest / largest), 2.0, 64.0)));
      Vec3 lowA = tip, lowB = tip;
      for (int slab = 1; slab <= slabs; ++slab) {
        Vec3 highA = tip + (a - tip) * slab / slabs, highB = tip + (b - tip) * slab / slabs;
        if (slab > 1) cut({lowA, highA, lowB}, depth + 1);
        cut({highA, highB, lowB}, depth + 1);
        lowA = highA;
        lowB = highB;
      }
      return;
    }
    double height = (q[1] - q[0]).cross(q[2] - q[0]).norm() / longest;
    if (height < 0.25 * longest) { // an obtuse one
      Vec3 m = 0.5 * (q[k] + q[(k + 1) % 3]);
      cut({q[k], m, q[(k + 2) % 3]}, depth + 1);
      cut({m, q[(k + 1) % 3], q[(k + 2) % 3]}, depth + 1);
      return;
    }
    Vec3 a = 0.5 * (q[0] + q[1]), b = 0.5 * (q[1] + q[2]), c = 0.5 * (q[2] + q[0]);
    cut({q[0], a, c}, depth + 1);
    cut({a, q[1], b}, depth + 1);
    cut({c, b, q[2]}, depth + 1);
    cut({a, b, c}, depth + 1);
  }

  const OppositeFaces& m_probe;
  int m_face, m_body;
  double m_below, m_finest, m_piece;
  bool m_wedges;
  std::vector<ThinPiece>& m_out;
};

} // namespace

std::vector<ThinPiece> thinPieces(const Part& part, const ThinQuery& query, const Progress* progress) {
  OppositeFaces probe(part);
  const auto& t = part.display;
  std::vector<std::vector<ThinPiece>> byTriangle(t.triangles.size());
  parallelFor(
      t.triangles.size(), progress,
      [&](std::size_t i) {
        int face = t.triangleFace[i];
        if (!query.faces.empty() && !query.faces[static_cast<std::size_t>(face)]) return;
        const auto& q = t.triangles[i];
        for (int body : part.faces[static_cast<std::size_t>(face)].bodies)
          if ((body < 0) == query.gaps)
            Cutter(probe, query, face, body, byTriangle[i])
                .cut({t.points[static_cast<std::size_t>(q[0])], t.points[static_cast<std::size_t>(q[1])],
                      t.points[static_cast<std::size_t>(q[2])]});
      },
      8);
  std::vector<ThinPiece> r;
  for (auto& b : byTriangle) r.insert(r.end(), b.begin(), b.end());
  return r;
}

} // namespace tess
