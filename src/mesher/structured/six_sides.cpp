// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/structured/six_sides.h"
#include "mesh/element.h"
#include <map>
#include <set>

namespace tess {
namespace {

Fit refuse(std::string why, std::vector<int> faces, std::vector<Vec3> places) {
  Fit f;
  f.why = std::move(why);
  f.faces = std::move(faces);
  f.places = std::move(places);
  return f;
}

/// Four points and edges of a face one after the other, from the face's edges alone; nothing when they are no ring.
std::optional<MappedFace> ringOf(const Part& part, int face) {
  const auto& edges = part.faces[static_cast<std::size_t>(face)].edges;
  MappedFace m;
  m.face = face;
  std::vector<int> left = edges;
  int at = part.edges[static_cast<std::size_t>(edges.front())].points[0];
  for (std::size_t k = 0; k < 4; ++k) {
    auto next = std::find_if(left.begin(), left.end(), [&](int e) {
      const auto& p = part.edges[static_cast<std::size_t>(e)].points;
      return p[0] != p[1] && (p[0] == at || p[1] == at);
    });
    if (next == left.end()) return {};
    m.corners[k] = at;
    m.edges[k] = *next;
    const auto& p = part.edges[static_cast<std::size_t>(*next)].points;
    at = p[0] == at ? p[1] : p[0];
    left.erase(next);
  }
  std::array<int, 4> c = m.corners;
  std::sort(c.begin(), c.end());
  if (at != m.corners[0] || std::adjacent_find(c.begin(), c.end()) != c.end()) return {};
  return m;
}

/// Turns the ring so that it runs counter-clockwise seen from in front of the face: by the area that its edges enclose
/// against the area of the display triangles, whose turning is known.
void orient(const Part& part, const Vec3& shown, MappedFace& m) {
  Vec3 ring = Vec3::Zero();
  const Vec3 o = part.points[static_cast<std::size_t>(m.corners[0])].at;
  Vec3 before = o;
  for (std::size_t k = 0; k < 4; ++k) {
    const auto& e = part.edges[static_cast<std::size_t>(m.edges[k])];
    const bool forward = e.points[0] == m.corners[k];
    constexpr int kSteps = 16;
    for (int i = 1; i <= kSteps; ++i) {
      const double share = static_cast<double>(forward ? i : kSteps - i) / kSteps;
      const Vec3 p = part.shape->edgePoint(m.edges[k], e.t0 + (e.t1 - e.t0) * share);
      ring += (before - o).cross(p - o);
      before = p;
    }
  }
  if (ring.dot(shown) >= 0) return;
  std::swap(m.corners[1], m.corners[3]);
  std::reverse(m.edges.begin(), m.edges.end());
}

} // namespace

namespace {
/// Twice the areas of faces as vectors, by the display triangles.
std::map<int, Vec3> areasOf(const Part& part, const std::vector<int>& faces) {
  std::map<int, Vec3> r;
  for (int f : faces) r[f] = Vec3::Zero();
  const auto& t = part.display;
  for (std::size_t i = 0; i < t.triangles.size(); ++i) {
    const auto it = r.find(t.triangleFace[i]);
    if (it == r.end()) continue;
    const Vec3 &a = t.points[static_cast<std::size_t>(t.triangles[i][0])],
               &b = t.points[static_cast<std::size_t>(t.triangles[i][1])],
               &c = t.points[static_cast<std::size_t>(t.triangles[i][2])];
    it->second += (b - a).cross(c - a);
  }
  return r;
}
} // namespace

Fit fitSixSides(const Part& part, int body, SixSides* sides) {
  const PartBody& b = part.bodies[static_cast<std::size_t>(body)];
  auto center = [&](int f) { return part.faces[static_cast<std::size_t>(f)].center; };
  if (b.faces.size() != 6) {
    std::vector<Vec3> at;
    for (int f : b.faces) at.push_back(center(f));
    return refuse("it has " + std::to_string(b.faces.size()) + (b.faces.size() == 1 ? " face, and" : " faces, and") +
                      " a mapped body has six",
                  b.faces, at);
  }
  Fit fit;
  const auto areas = areasOf(part, b.faces);
  for (int f : b.faces) {
    const auto& face = part.faces[static_cast<std::size_t>(f)];
    if (face.edges.size() != 4)
      return refuse("one of its faces has " + std::to_string(face.edges.size()) +
                        (face.edges.size() == 1 ? " edge" : " edges") + ", and the sides of a mapped body have four",
                    {f}, {center(f)});
    auto ring = ringOf(part, f);
    if (!ring) return refuse("the edges of one of its faces do not form one ring of four corners", {f}, {center(f)});
    orient(part, areas.at(f), *ring);
    fit.mapped.push_back(*ring);
  }
  std::map<int, std::vector<int>> facesAt; // by point
  for (const auto& m : fit.mapped)
    for (int c : m.corners) facesAt[c].push_back(m.face);
  for (const auto& [point, faces] : facesAt)
    if (faces.size() != 3)
      return refuse("a corner has " + std::to_string(faces.size()) + " of its faces, and those of a brick have three",
                    faces, {part.points[static_cast<std::size_t>(point)].at});
  if (facesAt.size() != 8)
    return refuse("it has " + std::to_string(facesAt.size()) + " corners, and a mapped body has eight", b.faces,
                  {b.box.center()});
  // The first face is the base, seen from inside; above each of its corners stands the end of the third edge there.
  const MappedFace& first = fit.mapped.front();
  const bool behind = part.faces[static_cast<std::size_t>(first.face)].bodies[0] == body; // its normal leaves the body
  SixSides s;
  for (std::size_t k = 0; k < 4; ++k) s.corners[k] = first.corners[behind ? (4 - k) % 4 : k];
  const std::set<int> base(first.edges.begin(), first.edges.end());
  for (std::size_t k = 0; k < 4; ++k) {
    int up = -1;
    for (const auto& m : fit.mapped)
      for (int e : m.edges) {
        const auto& p = part.edges[static_cast<std::size_t>(e)].points;
        if (base.count(e) || (p[0] != s.corners[k] && p[1] != s.corners[k])) continue;
        up = p[0] == s.corners[k] ? p[1] : p[0];
      }
    if (up < 0) return refuse("its edges do not meet like those of a brick", b.faces, {b.box.center()});
    s.corners[k + 4] = up;
  }
  const ElementTopology& hex = topology(ElementType::Hex8);
  for (std::size_t f = 0; f < 6; ++f) {
    std::array<int, 4> want{};
    for (std::size_t k = 0; k < 4; ++k) want[k] = s.corners[static_cast<std::size_t>(hex.face[f][k])];
    std::sort(want.begin(), want.end());
    const auto found = std::find_if(fit.mapped.begin(), fit.mapped.end(), [&](const MappedFace& m) {
      std::array<int, 4> c = m.corners;
      std::sort(c.begin(), c.end());
      return c == want;
    });
    if (found == fit.mapped.end())
      return refuse("its faces do not meet like those of a brick", b.faces, {b.box.center()});
    s.faces[f] = found->face;
  }
  fit.fits = true;
  if (sides) *sides = s;
  return fit;
}

} // namespace tess
