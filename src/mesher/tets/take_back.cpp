// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/tets/take_back.h"
#include "base/predicates.h"
#include <map>
#include <set>

namespace tess {
namespace {

/// The tets around a vertex that lie between two neighbouring sheets of the surface.
struct Sector {
  std::vector<int> tets;
  /// Per sheet its corner opposite the edge, with a tet there: its vertices, the place of the vertex that goes, and
  /// that of the corner inside. The whole triangle's tet has the edge's other end and the moved vertex there.
  struct Sheet {
    std::array<int, 4> tet;
    std::size_t out, inside;
    int other;
  };
  std::map<int, Sheet> sheets;
};

/// Splits the star of h.vertex at locked faces. False when it does not look like a halved edge.
bool sectorsOf(const TetCore& core, const HalvedEdge& h, const std::vector<int>& star, std::vector<Sector>& sectors) {
  const int v = h.vertex;
  std::set<int> left(star.begin(), star.end());
  while (!left.empty()) {
    Sector s;
    s.tets.push_back(*left.begin());
    left.erase(left.begin());
    for (std::size_t k = 0; k < s.tets.size(); ++k) {
      const int t = s.tets[k], at = core.indexOf(t, v);
      if (core.ghost(t)) return false;
      for (int i = 0; i < 4; ++i) {
        if (i == at) continue; // the face that v does not lie on
        const int o = core.at(t).n[i] >> 2;
        if (!core.faceLocked(t, i)) {
          if (left.erase(o)) s.tets.push_back(o);
          continue;
        }
        // A half of a triangle: v, one end of the edge, and the corner opposite.
        int end = -1, corner = -1;
        for (int j = 0; j < 4; ++j) {
          if (j == i || j == at) continue;
          const int w = core.at(t).v[j];
          (w == h.a || w == h.b ? end : corner) = w;
        }
        if (end < 0 || corner < 0) return false;
        std::array<int, 4> q;
        std::copy(core.at(t).v, core.at(t).v + 4, q.begin());
        s.sheets[corner] = {q, static_cast<std::size_t>(at), static_cast<std::size_t>(i), end == h.a ? h.b : h.a};
      }
    }
    if (s.sheets.size() != 2) return false;
    sectors.push_back(std::move(s));
  }
  return true;
}

bool takeBackOne(TetCore& core, const HalvedEdge& h) {
  std::vector<int> star;
  core.starOf(h.vertex, star);
  std::vector<Sector> sectors;
  if (!sectorsOf(core, h, star, sectors)) return false;
  const Vec3 from = core.pt(h.vertex);
  const double length = (core.pt(h.a) - core.pt(h.b)).norm();
  std::vector<std::array<int, 4>> fresh;
  std::set<int> corners;
  for (std::size_t k = 0; k < sectors.size(); ++k) {
    const Sector& s = sectors[k];
    const int own = k ? core.newPoint(from) : h.vertex;
    std::vector<std::array<int, 4>> mine;
    for (int t : s.tets) {
      std::array<int, 4> q;
      std::copy(core.at(t).v, core.at(t).v + 4, q.begin());
      for (int& w : q)
        if (w == h.vertex) w = own;
      mine.push_back(q);
    }
    Vec3 inward = Vec3::Zero(), middle = Vec3::Zero();
    for (const auto& [corner, sheet] : s.sheets) {
      std::array<int, 4> q = sheet.tet;
      q[sheet.out] = sheet.other;
      q[sheet.inside] = own;
      mine.push_back(q);
      corners.insert(corner);
      Vec3 n = (core.pt(h.b) - core.pt(h.a)).cross(core.pt(corner) - core.pt(h.a)).normalized();
      if (n.dot(core.pt(sheet.tet[sheet.inside]) - from) < 0) n = -n;
      inward += n;
    }
    for (const auto& q : mine)
      for (int w : q) middle += (core.pt(w) - from) / (4.0 * static_cast<double>(mine.size()));
    // The best place along a few ways off the surface. Every tet there must be positive, by the exact predicate.
    double best = 0;
    Vec3 found = from;
    for (const Vec3& way : {inward, middle, Vec3(inward.normalized() + middle.normalized())}) {
      if (!(way.norm() > 0)) continue;
      const Vec3 unit = way.normalized();
      for (double share = 0.5; share > 1e-9; share *= 0.5) {
        const Vec3 p = from + share * length * unit;
        double worst = 2;
        for (const auto& q : mine) {
          std::array<Vec3, 4> c;
          for (std::size_t i = 0; i < 4; ++i) c[i] = q[i] == own ? p : core.pt(q[i]);
          if (orient3d(c[0], c[1], c[2], c[3]) <= 0) {
            worst = -1;
            break;
          }
          worst = std::min(worst, std::max(tetQuality(c[0], c[1], c[2], c[3]), 1e-300));
        }
        if (worst > best) best = worst, found = p;
      }
    }
    if (best <= 0) return false;
    core.points[static_cast<std::size_t>(own)] = found; // `from` remembers where it was
    fresh.insert(fresh.end(), mine.begin(), mine.end());
  }
  core.rebuild(star, fresh);
  for (int c : corners) {
    core.lockedEdges.erase(edgeKey(h.vertex, c));
    const int f = core.findFace(h.a, h.b, c);
    if (f < 0) return false;
    const int g = core.at(f >> 2).n[f & 3];
    core.locked[static_cast<std::size_t>(f >> 2)] |= static_cast<std::uint8_t>(1 << (f & 3));
    core.locked[static_cast<std::size_t>(g >> 2)] |= static_cast<std::uint8_t>(1 << (g & 3));
  }
  core.lockedEdges.erase(edgeKey(h.vertex, h.a));
  core.lockedEdges.erase(edgeKey(h.vertex, h.b));
  core.lockedEdges.insert(edgeKey(h.a, h.b));
  return true;
}

} // namespace

bool takeBack(TetCore& core, const std::vector<HalvedEdge>& halved) {
  for (auto h = halved.rbegin(); h != halved.rend(); ++h)
    if (!takeBackOne(core, *h)) return false;
  return true;
}

} // namespace tess
