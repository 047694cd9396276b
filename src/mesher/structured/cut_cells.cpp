// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/structured/cut_cells.h"
#include "base/predicates.h"
#include "mesh/element.h"
#include <algorithm>
#include <set>

namespace tess {
namespace {

/// Rank of a node among others: along a direction that no usual edge is square to.
double rankOf(const Vec3& p) { return p.dot(Vec3(1, 0.6180339887498949, 0.3819660112501051)); }

/// Whether one node comes before another, in whatever body they are.
bool ranksBefore(int a, const Vec3& atA, int b, const Vec3& atB) {
  const double ra = rankOf(atA), rb = rankOf(atB);
  return ra < rb || (ra == rb && a < b);
}

class Cutter {
public:
  Cutter(const SurfaceMesh& surface, const std::vector<char>& cut, StructuredCells& cells)
      : m_surface(surface), m(cells), m_base(static_cast<int>(surface.points.size())) {
    for (const auto& q : surface.quads)
      if (!cut[static_cast<std::size_t>(q.face)]) m_whole.insert(sorted(q.v));
  }

  std::optional<Vec3> run(const Progress& progress) {
    std::size_t done = 0;
    auto all = [&](const auto& list, ElementType type) {
      for (const auto& c : list) {
        if ((++done & 0xfff) == 0) progress.check();
        cell(topology(type), c.data());
      }
    };
    all(std::exchange(m.hexahedra, {}), ElementType::Hex8);
    all(std::exchange(m.wedges, {}), ElementType::Wedge6);
    return m_inverted;
  }

private:
  const SurfaceMesh& m_surface;
  StructuredCells& m;
  int m_base;
  std::set<std::array<int, 4>> m_whole; ///< quadrilaterals that stay
  std::optional<Vec3> m_inverted;

  static std::array<int, 4> sorted(std::array<int, 4> v) {
    std::sort(v.begin(), v.end());
    return v;
  }
  const Vec3& pt(int v) const {
    return v < m_base ? m_surface.points[static_cast<std::size_t>(v)] : m.points[static_cast<std::size_t>(v - m_base)];
  }
  bool before(int a, int b) const { return ranksBefore(a, pt(a), b, pt(b)); }

  void cell(const ElementTopology& type, const int* v) {
    bool beside = false;
    std::vector<std::array<int, 4>>
        faces; // outward, the last -1 for a triangle; those to be cut begin with their first
    for (int f = 0; f < type.faces; ++f) {
      std::array<int, 4> q{-1, -1, -1, -1};
      const auto size = static_cast<std::size_t>(type.faceSize[static_cast<std::size_t>(f)]);
      for (std::size_t k = 0; k < size; ++k) q[k] = v[type.face[static_cast<std::size_t>(f)][k]];
      if (size == 4 && !m_whole.empty() && m_whole.count(sorted(q)))
        beside = true;
      else
        std::rotate(q.begin(),
                    std::min_element(q.begin(), q.begin() + static_cast<std::ptrdiff_t>(size),
                                     [&](int a, int b) { return before(a, b); }),
                    q.begin() + static_cast<std::ptrdiff_t>(size));
      faces.push_back(q);
    }
    if (beside ||
        !fromCorner(faces, *std::min_element(v, v + type.corners, [&](int a, int b) { return before(a, b); })))
      fromMiddle(faces, v, type.corners);
  }

  /// Tetrahedra over a face cut from its first node. False where one is not positive.
  bool over(const std::array<int, 4>& q, int apex) {
    const bool good = add(q[0], q[2], q[1], apex);
    return q[3] < 0 ? good : add(q[0], q[3], q[2], apex) && good;
  }
  bool add(int a, int b, int c, int d) {
    m.tetrahedra.push_back({a, b, c, d});
    return orient3d(pt(a), pt(b), pt(c), pt(d)) > 0;
  }
  bool fromCorner(const std::vector<std::array<int, 4>>& faces, int first) {
    const std::size_t count = m.tetrahedra.size();
    for (const auto& q : faces) {
      if (std::find(q.begin(), q.end(), first) != q.end() || over(q, first)) continue;
      m.tetrahedra.resize(count);
      return false;
    }
    return true;
  }
  void fromMiddle(const std::vector<std::array<int, 4>>& faces, const int* v, int corners) {
    Vec3 middle = Vec3::Zero();
    for (int k = 0; k < corners; ++k) middle += pt(v[k]) / corners;
    const int apex = m_base + static_cast<int>(m.points.size());
    m.points.push_back(middle);
    for (const auto& q : faces) {
      bool good = true;
      if (q[3] >= 0 && m_whole.count(sorted(q))) {
        m.pyramids.push_back({q[0], q[3], q[2], q[1], apex}); // the base seen from inside
        for (std::size_t k = 0; k < 4; ++k)
          good = good && orient3d(pt(q[k]), pt(q[(k + 3) % 4]), pt(q[(k + 1) % 4]), middle) > 0;
      } else
        good = over(q, apex);
      if (!good) m_inverted = middle;
    }
  }
};

} // namespace

std::optional<Vec3> cutIntoTetrahedra(const SurfaceMesh& surface, const std::vector<char>& cut, StructuredCells& cells,
                                      const Progress& progress) {
  return Cutter(surface, cut, cells).run(progress);
}

void cutQuads(SurfaceMesh& s, const std::vector<char>& cut) {
  const std::vector<char> halves = s.halves();
  std::size_t kept = 0;
  for (std::size_t i = 0; i < s.triangles.size(); ++i) {
    if (halves[i] && cut[static_cast<std::size_t>(s.face[i])]) continue;
    s.triangles[kept] = s.triangles[i];
    s.face[kept++] = s.face[i];
  }
  s.triangles.resize(kept);
  s.face.resize(kept);
  std::erase_if(s.quads, [&](const SurfaceQuad& quad) {
    if (!cut[static_cast<std::size_t>(quad.face)]) return false;
    std::array<int, 4> q = quad.v;
    auto at = [&](int v) -> const Vec3& { return s.points[static_cast<std::size_t>(v)]; };
    const auto first =
        std::min_element(q.begin(), q.end(), [&](int a, int b) { return ranksBefore(a, at(a), b, at(b)); });
    std::rotate(q.begin(), first, q.end());
    s.addTriangle({q[0], q[1], q[2]}, quad.face);
    s.addTriangle({q[0], q[2], q[3]}, quad.face);
    return true;
  });
}

} // namespace tess
