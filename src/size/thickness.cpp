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
  Probe(const Part& part, double below) : m_part(part), m_below(below), m_slack(1.05e-3 * part.diagonal()) {
    const auto& t = part.display;
    // Long slivers, as plane faces have them, would make large overlapping boxes: the tree holds pieces of them.
    std::vector<Box> boxes;
    const double longest = part.diagonal() / 40;
    for (std::size_t i = 0; i < t.triangles.size(); ++i) {
      std::vector<std::array<Vec3, 3>> todo{{pt(t.triangles[i][0]), pt(t.triangles[i][1]), pt(t.triangles[i][2])}};
      while (!todo.empty()) {
        auto q = todo.back();
        todo.pop_back();
        std::size_t k = longestSide(q);
        if ((q[k] - q[(k + 1) % 3]).norm() > longest) {
          Vec3 m = 0.5 * (q[k] + q[(k + 1) % 3]);
          todo.push_back({q[k], m, q[(k + 2) % 3]});
          todo.push_back({m, q[(k + 1) % 3], q[(k + 2) % 3]});
          continue;
        }
        Box b;
        for (const auto& p : q) b.add(p);
        boxes.push_back(b);
        const auto& bodies = part.faces[static_cast<std::size_t>(t.triangleFace[i])].bodies;
        m_item.push_back({triangleNormal(q[0], q[1], q[2]), bodies, static_cast<int>(i)});
      }
    }
    m_tree.build(boxes);
  }
  static std::size_t longestSide(const std::array<Vec3, 3>& q) {
    std::size_t best = 0;
    for (std::size_t k = 1; k < 3; ++k)
      if ((q[k] - q[(k + 1) % 3]).squaredNorm() > (q[best] - q[(best + 1) % 3]).squaredNorm()) best = k;
    return best;
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
    m_tree.alongRay(from, best.along, reach, [&](int item) {
      int i = m_item[static_cast<std::size_t>(item)].triangle;
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
  /// False when no face can lie opposite anywhere over the triangle: nothing near looks the other way.
  bool mayFace(const std::array<Vec3, 3>& q, int face, int body) const {
    const Vec3 mid = (q[0] + q[1] + q[2]) / 3;
    double window = m_below / kFacing + m_slack, radius = 0;
    for (const auto& p : q) radius = std::max(radius, (p - mid).norm());
    Box b;
    for (const auto& p : q) b.add(p);
    b.grow(window);
    const auto& t = m_part.display;
    Vec3 n = triangleNormal(q[0], q[1], q[2]);
    if (m_part.faces[static_cast<std::size_t>(face)].bodies[0] != body) n = -n;
    bool found = false;
    m_tree.overlapping(b, [&](int k) {
      const Item& item = m_item[static_cast<std::size_t>(k)];
      double facing = n.dot(item.normal);
      if (!(item.bodies[0] == body && facing < -0.4) && !(item.bodies[1] == body && facing > 0.4)) return true;
      const auto& o = t.triangles[static_cast<std::size_t>(item.triangle)];
      Vec3 w = closestOnTriangle(mid, pt(o[0]), pt(o[1]), pt(o[2]));
      Vec3 way = w[0] * pt(o[0]) + w[1] * pt(o[1]) + w[2] * pt(o[2]) - mid;
      found = way.norm() < window + radius && way.dot(n) < m_slack + radius;
      return !found;
    });
    return found;
  }
  const Vec3& pt(int v) const { return m_part.display.points[static_cast<std::size_t>(v)]; }

private:
  const Part& m_part;
  double m_below, m_slack;
  Bvh m_tree;
  struct Item {
    Vec3 normal;
    std::array<int, 2> bodies; ///< of its face
    int triangle;              ///< of the display
  };
  std::vector<Item> m_item; ///< of the tree
};

/// Cuts a display triangle until the distance over a piece is known well enough.
class Cutter {
public:
  Cutter(const Probe& probe, int face, int body, double below, double finest, std::vector<ThinPiece>& out)
      : m_probe(probe), m_face(face), m_body(body), m_below(below), m_finest(finest), m_out(out) {}
  void cut(const std::array<Vec3, 3>& q, int depth = 0) {
    if (!m_probe.mayFace(q, m_face, m_body)) return;
    std::size_t side = Probe::longestSide(q);
    double longest = (q[side] - q[(side + 1) % 3]).norm();
    if (longest > 2 * m_below && depth < 12) return divide(q, depth);
    Vec3 mid = (q[0] + q[1] + q[2]) / 3;
    std::array<Vec3, 7> p;
    for (std::size_t k = 0; k < 3; ++k) {
      p[k] = q[k] + 0.04 * (mid - q[k]); // off the border, where the neighbour's normal could win
      p[k + 3] = 0.5 * (q[k] + q[(k + 1) % 3]);
      p[k + 3] += 0.04 * (mid - p[k + 3]);
    }
    p[6] = mid;
    double lo = std::numeric_limits<double>::infinity(), hi = 0;
    int hits = 0;
    std::array<Probe::Hit, 7> hit;
    for (std::size_t k = 0; k < 7; ++k) {
      hit[k] = m_probe.cast(m_face, p[k], m_body);
      if (!hit[k].found()) continue;
      ++hits;
      if (hit[k].distance < lo) lo = hit[k].distance;
      hi = std::max(hi, hit[k].distance);
    }
    double fine = std::max(hits ? lo : m_below, m_finest);
    bool even = hits == 7 && hi < 1.12 * lo;
    if (hits && longest > (even ? 6 : 1) * fine && depth < 12) return divide(q, depth);
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
    m_out.push_back(piece);
  }

private:
  void divide(const std::array<Vec3, 3>& q, int depth) {
    // Long thin triangles are halved across their longest side instead of quartered.
    std::size_t k = Probe::longestSide(q);
    double longest = (q[k] - q[(k + 1) % 3]).norm();
    double shortest = std::min((q[(k + 1) % 3] - q[(k + 2) % 3]).norm(), (q[(k + 2) % 3] - q[k]).norm());
    if (shortest < 0.3 * longest) {
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

} // namespace tess
