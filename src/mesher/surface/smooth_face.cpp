// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/smooth_face.h"
#include <cmath>
#include <span>

namespace tess {
namespace {

double sineAt(const Vec3& o, const Vec3& next, const Vec3& before, const Vec3& normal) {
  const Vec3 a = next - o, b = before - o;
  const double l = a.norm() * b.norm();
  return l > 0 ? a.cross(b).dot(normal) / l : -1.0;
}

class Smoother {
public:
  /// `shape`: null in a plane.
  Smoother(FaceCells& cells, const Shape* shape, int face, const Progress& progress)
      : m(cells), m_shape(shape), m_face(face), m_progress(progress), m_at(cells.points.size()) {
    for (std::size_t c = 0; c < size(); ++c)
      for (int v : cell(c)) m_at[static_cast<std::size_t>(v)].push_back(static_cast<int>(c));
  }

  void run() {
    constexpr int kMiddles = 8, kLifts = 6;
    for (int round = 0; round < kMiddles; ++round)
      for (std::size_t v = m.rim; v < m.points.size(); ++v) {
        if ((v & 511) == 0) m_progress.check();
        toMiddle(v);
      }
    for (int round = 0; round < kLifts; ++round) {
      bool any = false;
      for (std::size_t v = m.rim; v < m.points.size(); ++v) {
        if ((v & 511) == 0) m_progress.check();
        if (score(v) < kPoor) any = lift(v) || any;
      }
      if (!any) break;
    }
  }

private:
  static constexpr double kPoor = 0.7;   // as a sine: corners of 45 and of 135 degrees
  static constexpr double kSlender = 10; // sides that differ by more than that count

  FaceCells& m;
  const Shape* m_shape;
  int m_face;
  const Progress& m_progress;
  std::vector<std::vector<int>> m_at; ///< cells at each node; quadrilaterals first

  std::size_t size() const { return m.quads.size() + m.triangles.size(); }
  std::span<const int> cell(std::size_t c) const {
    return c < m.quads.size() ? std::span<const int>(m.quads[c])
                              : std::span<const int>(m.triangles[c - m.quads.size()]);
  }
  const Vec3& pt(int v) const { return m.points[static_cast<std::size_t>(v)]; }

  /// Worst corner of the cells at a node; corners of 60 degrees are as good for a triangle as 90 for a quadrilateral.
  /// Where the two sides at a corner differ much in length, it is less good.
  double score(std::size_t v) const {
    double s = 1;
    for (int c : m_at[v]) {
      const auto q = cell(static_cast<std::size_t>(c));
      const std::size_t n = q.size();
      for (std::size_t k = 0; k < n; ++k) {
        const double sine =
            sineAt(pt(q[k]), pt(q[(k + 1) % n]), pt(q[(k + n - 1) % n]), m.normals[static_cast<std::size_t>(q[k])]);
        const double u = (pt(q[(k + 1) % n]) - pt(q[k])).norm(), w = (pt(q[(k + n - 1) % n]) - pt(q[k])).norm(),
                     slender = sine > 0 ? std::min(1.0, kSlender * std::min(u, w) / std::max(u, w)) : 1;
        s = std::min(s, slender * (n == 3 ? sine * 2 / std::sqrt(3.0) : sine));
      }
    }
    return s;
  }

  void place(std::size_t v, const Vec3& p) {
    if (!m_shape) {
      m.points[v] = p;
      return;
    }
    const FaceProjection on = m_shape->projectToFace(m_face, p);
    m.points[v] = on.point;
    m.normals[v] = on.normal;
  }

  /// Of the middles of the cells around, by their area: rows stay even, and where cells grow they go on growing.
  void toMiddle(std::size_t v) {
    Vec3 sum = Vec3::Zero();
    double weight = 0;
    for (int c : m_at[v]) {
      const auto q = cell(static_cast<std::size_t>(c));
      Vec3 middle = Vec3::Zero();
      for (int w : q) middle += pt(w) / static_cast<double>(q.size());
      const double area = q.size() == 3 ? 0.5 * (pt(q[1]) - pt(q[0])).cross(pt(q[2]) - pt(q[0])).norm()
                                        : 0.5 * (pt(q[2]) - pt(q[0])).cross(pt(q[3]) - pt(q[1])).norm();
      const double w = std::sqrt(area);
      sum += w * middle;
      weight += w;
    }
    if (weight <= 0) return;
    const Vec3 was = m.points[v], normal = m.normals[v], to = sum / weight;
    const double before = score(v);
    for (double share : {1.0, 0.5, 0.25}) {
      place(v, was + share * (to - was));
      if (const double s = score(v); s > before || s > kPoor) return;
    }
    m.points[v] = was;
    m.normals[v] = normal;
  }

  bool lift(std::size_t v) {
    double reach = 0;
    for (int c : m_at[v])
      for (int w : cell(static_cast<std::size_t>(c))) reach = std::max(reach, (pt(w) - m.points[v]).norm());
    const Vec3 e1 = m.normals[v].unitOrthogonal(), e2 = m.normals[v].cross(e1);
    double best = score(v), step = 0.25 * reach;
    const double before = best;
    for (int level = 0; level < 6; ++level) {
      bool any = false;
      for (int k = 0; k < 8; ++k) {
        const double angle = k * kPi / 4;
        const Vec3 was = m.points[v], normal = m.normals[v];
        place(v, was + step * (std::cos(angle) * e1 + std::sin(angle) * e2));
        if (const double s = score(v); s > best + 1e-12) {
          best = s;
          any = true;
        } else {
          m.points[v] = was;
          m.normals[v] = normal;
        }
      }
      if (!any) step *= 0.5;
    }
    return best > before + 1e-6;
  }
};

} // namespace

double worstCorner(const FaceCells& m, Vec3* at) {
  double least = 1;
  auto look = [&](const auto& q) {
    const std::size_t n = q.size();
    for (std::size_t k = 0; k < n; ++k) {
      const auto o = static_cast<std::size_t>(q[k]);
      const double s = sineAt(m.points[o], m.points[static_cast<std::size_t>(q[(k + 1) % n])],
                              m.points[static_cast<std::size_t>(q[(k + n - 1) % n])], m.normals[o]);
      if (s >= least) continue;
      least = s;
      if (at) *at = m.points[o];
    }
  };
  for (const auto& q : m.quads) look(q);
  for (const auto& t : m.triangles) look(t);
  return least;
}

void smoothOnFace(FaceCells& cells, const Part& part, int face, const Progress& progress) {
  const bool flat = part.faces[static_cast<std::size_t>(face)].kind == SurfaceKind::Plane;
  Smoother(cells, flat ? nullptr : part.shape.get(), face, progress).run();
}
void smoothInPlane(FaceCells& cells, const Progress& progress) { Smoother(cells, nullptr, -1, progress).run(); }

} // namespace tess
