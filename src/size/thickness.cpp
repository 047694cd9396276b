// SPDX-License-Identifier: GPL-3.0-or-later
#include "size/thickness.h"
#include "base/bvh.h"
#include "base/parallel.h"
#include <cmath>

namespace tess {
namespace {

constexpr double kFacing = 0.643; ///< cos 50 degrees

class Probe {
public:
  Probe(const Part& part, double below) : m_part(part), m_below(below), m_slack(2e-3 * part.diagonal()) {
    const auto& t = part.display;
    std::vector<Box> boxes;
    for (const auto& q : t.triangles) {
      Box b;
      for (int v : q) b.add(pt(v));
      boxes.push_back(b);
    }
    m_tree.build(boxes);
  }
  struct Hit {
    double distance = std::numeric_limits<double>::infinity();
    int face = -1;
    Vec3 along = Vec3::Zero(); ///< of the ray, also when nothing is hit
    bool found() const { return face >= 0; }
  };
  /// From a point of the face, towards the side where `body` lies (-1: empty space).
  Hit cast(int face, const Vec3& p, int body) const {
    const auto& f = m_part.faces[static_cast<std::size_t>(face)];
    FaceProjection on = m_part.shape->projectToFace(face, p);
    Hit best;
    best.along = f.bodies[0] == body ? Vec3(-on.normal) : on.normal;
    // The display triangles lie off the true faces by up to its tolerance: start a little behind, decide by the true
    // points.
    double reach = m_below / kFacing + 2 * m_slack;
    Vec3 from = on.point - m_slack * best.along;
    m_tree.alongRay(from, best.along, reach, [&](int i) {
      const auto& t = m_part.display;
      const auto& q = t.triangles[static_cast<std::size_t>(i)];
      int other = t.triangleFace[static_cast<std::size_t>(i)];
      const auto& g = m_part.faces[static_cast<std::size_t>(other)];
      double s = rayTriangle(from, best.along, pt(q[0]), pt(q[1]), pt(q[2]));
      if (s < 0 || s > reach) return;
      double facing = best.along.dot(triangleNormal(pt(q[0]), pt(q[1]), pt(q[2])));
      // The ray leaves `body`: it runs with the normal when the body lies behind the face, against it otherwise.
      bool leaves = (g.bodies[0] == body && facing > kFacing) || (g.bodies[1] == body && facing < -kFacing);
      if (!leaves) return;
      FaceProjection there = m_part.shape->projectToFace(other, from + s * best.along);
      double d = (there.point - on.point).dot(best.along);
      if (d <= 1e-6 * m_slack || d >= best.distance) return;
      best.distance = d;
      best.face = other;
      reach = std::min(reach, d + 2 * m_slack);
    });
    if (best.distance > m_below) best.face = -1;
    return best;
  }
  const Vec3& pt(int v) const { return m_part.display.points[static_cast<std::size_t>(v)]; }

private:
  const Part& m_part;
  double m_below, m_slack;
  Bvh m_tree;
};

/// Cuts a display triangle until the distance over a piece is known well enough.
class Cutter {
public:
  Cutter(const Probe& probe, int face, int body, double below, double finest, std::vector<ThinPiece>& out)
      : m_probe(probe), m_face(face), m_body(body), m_below(below), m_finest(finest), m_out(out) {}
  void cut(const std::array<Vec3, 3>& q, int depth = 0) {
    Vec3 mid = (q[0] + q[1] + q[2]) / 3;
    std::array<Vec3, 7> p;
    for (std::size_t k = 0; k < 3; ++k) {
      p[k] = q[k] + 0.04 * (mid - q[k]); // off the border, where the neighbour's normal could win
      p[k + 3] = 0.5 * (q[k] + q[(k + 1) % 3]);
      p[k + 3] += 0.04 * (mid - p[k + 3]);
    }
    p[6] = mid;
    double lo = std::numeric_limits<double>::infinity(), hi = 0;
    int hits = 0, other = -1;
    std::array<Probe::Hit, 7> hit;
    for (std::size_t k = 0; k < 7; ++k) {
      hit[k] = m_probe.cast(m_face, p[k], m_body);
      if (!hit[k].found()) continue;
      ++hits;
      if (hit[k].distance < lo) lo = hit[k].distance, other = hit[k].face;
      hi = std::max(hi, hit[k].distance);
    }
    double longest = std::max({(q[0] - q[1]).norm(), (q[1] - q[2]).norm(), (q[2] - q[0]).norm()});
    double fine = std::max(hits ? lo : m_below, m_finest);
    bool even = hits == 7 && hi < 1.12 * lo;
    double enough = even ? 6 * fine : hits ? fine : 2 * m_below;
    if (longest > enough && depth < 12) {
      Vec3 a = 0.5 * (q[0] + q[1]), b = 0.5 * (q[1] + q[2]), c = 0.5 * (q[2] + q[0]);
      // Long thin triangles are halved across their longest side instead of quartered.
      double shortest = std::min({(q[0] - q[1]).norm(), (q[1] - q[2]).norm(), (q[2] - q[0]).norm()});
      if (shortest < 0.3 * longest) {
        std::size_t k = 0;
        while ((q[k] - q[(k + 1) % 3]).norm() < longest) ++k;
        Vec3 m = 0.5 * (q[k] + q[(k + 1) % 3]);
        cut({q[k], m, q[(k + 2) % 3]}, depth + 1);
        cut({m, q[(k + 1) % 3], q[(k + 2) % 3]}, depth + 1);
        return;
      }
      cut({q[0], a, c}, depth + 1);
      cut({a, q[1], b}, depth + 1);
      cut({c, b, q[2]}, depth + 1);
      cut({a, b, c}, depth + 1);
      return;
    }
    if (!hits) return;
    // At the border of a thin region a piece also sees far sides; they are no part of the wall.
    hi = lo;
    for (const auto& h : hit)
      if (h.found() && h.distance < 1.6 * lo) hi = std::max(hi, h.distance);
    ThinPiece piece;
    piece.at = q;
    for (std::size_t k = 0; k < 3; ++k) {
      double d = hit[k].found() && hit[k].distance <= hi ? hit[k].distance : lo;
      piece.across[k] = q[k] + 0.5 * d * hit[k].along;
    }
    piece.thickness = lo;
    piece.halfWidth = 0.5 * hi;
    piece.face = m_face;
    piece.other = other;
    m_out.push_back(piece);
  }

private:
  const Probe& m_probe;
  int m_face, m_body;
  double m_below, m_finest;
  std::vector<ThinPiece>& m_out;
};

} // namespace

std::vector<ThinPiece> thinPieces(const Part& part, bool gaps, const std::vector<char>& faces, double below,
                                  double finest, const Progress* progress) {
  Probe probe(part, below);
  const auto& t = part.display;
  std::vector<std::vector<ThinPiece>> byTriangle(t.triangles.size());
  parallelFor(
      t.triangles.size(), progress,
      [&](std::size_t i) {
        int face = t.triangleFace[i];
        if (!faces.empty() && !faces[static_cast<std::size_t>(face)]) return;
        const auto& q = t.triangles[i];
        for (int body : part.faces[static_cast<std::size_t>(face)].bodies)
          if ((body < 0) == gaps)
            Cutter(probe, face, body, below, finest, byTriangle[i])
                .cut({probe.pt(q[0]), probe.pt(q[1]), probe.pt(q[2])});
      },
      8);
  std::vector<ThinPiece> r;
  for (auto& b : byTriangle) r.insert(r.end(), b.begin(), b.end());
  return r;
}

double thicknessAt(const Part& part, int face, const Vec3& point, double below) {
  auto hit = Probe(part, below).cast(face, point, part.faces[static_cast<std::size_t>(face)].bodies[0]);
  return hit.found() ? hit.distance : 0;
}

} // namespace tess
