// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/own_angles.h"
#include <algorithm>
#include <cmath>
#include <map>

namespace tess {

namespace {

/// A mesh edge where two faces of the part meet round the material of a region.
struct Rim {
  std::int32_t a, b, link[2], region; ///< nodes; geometry faces
  double angle;                       ///< radians, through the material
};

std::vector<Rim> convexRims(const Mesh& m) {
  auto at = [&](std::int32_t n) -> const Vec3& { return m.nodes[static_cast<std::size_t>(n)]; };
  // One entry per region side of each triangle's or quadrangle's edge; corners only, mid nodes lie in between.
  struct Side {
    std::int32_t a, b, region, link;
    Vec3 normal; ///< out of the region
    Vec3 inner;  ///< a point of the face off the edge
  };
  std::vector<Side> sides;
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    const auto n = m.faces.of(f);
    const std::size_t k = m.faces.cornerCount(f);
    Vec3 middle = Vec3::Zero();
    for (std::size_t i = 0; i < k; ++i) middle += at(n[i]) / static_cast<double>(k);
    Vec3 normal = Vec3::Zero();
    for (std::size_t i = 0; i < k; ++i) normal += (at(n[i]) - middle).cross(at(n[(i + 1) % k]) - middle);
    normal.normalize();
    for (std::size_t i = 0; i < k; ++i)
      for (int s = 0; s < 2; ++s)
        if (std::int32_t r = m.faceRegions[f][static_cast<std::size_t>(s)]; r >= 0)
          sides.push_back({std::min(n[i], n[(i + 1) % k]), std::max(n[i], n[(i + 1) % k]), r, m.faceLink[f],
                           s == 0 ? normal : Vec3(-normal), middle});
  }
  std::sort(sides.begin(), sides.end(), [](const Side& x, const Side& y) {
    return std::tie(x.a, x.b, x.region, x.link) < std::tie(y.a, y.b, y.region, y.link);
  });
  std::vector<Rim> rims;
  for (std::size_t i = 0; i + 1 < sides.size(); ++i) {
    const Side &x = sides[i], &y = sides[i + 1];
    if (x.a != y.a || x.b != y.b || x.region != y.region || x.link == y.link) continue;
    // Convex when the other face lies below this one; a slit (concave) leaves room.
    if ((y.inner - at(x.a)).dot(x.normal) >= 0) continue;
    rims.push_back({x.a,
                    x.b,
                    {x.link, y.link},
                    x.region,
                    kPi - std::atan2(x.normal.cross(y.normal).norm(), x.normal.dot(y.normal))});
  }
  return rims;
}

double distanceToSegment(const Vec3& p, const Vec3& a, const Vec3& b) {
  const Vec3 along = b - a;
  const double l2 = along.squaredNorm();
  const double t = l2 > 0 ? std::clamp((p - a).dot(along) / l2, 0.0, 1.0) : 0;
  return (p - a - t * along).norm();
}

} // namespace

std::vector<float> ownAngles(const Mesh& m) {
  std::vector<float> own(m.nodes.size(), 180);
  if (m.faceLink.size() != m.faces.size()) return own;
  auto put = [&](std::int32_t n, double radians) {
    auto& x = own[static_cast<std::size_t>(n)];
    x = std::min(x, static_cast<float>(radians * 180 / kPi));
  };
  auto at = [&](std::int32_t n) -> const Vec3& { return m.nodes[static_cast<std::size_t>(n)]; };
  for (const auto& r : convexRims(m))
    for (auto n : {r.a, r.b}) put(n, r.angle);
  std::map<std::pair<std::int32_t, std::int32_t>, double> corner; ///< (node, geometry face) -> sum of angles there
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    const auto n = m.faces.of(f);
    const std::size_t k = m.faces.cornerCount(f);
    for (std::size_t i = 0; i < k; ++i) {
      const Vec3 u = at(n[(i + 1) % k]) - at(n[i]), v = at(n[(i + k - 1) % k]) - at(n[i]);
      corner[{n[i], m.faceLink[f]}] += std::atan2(u.cross(v).norm(), u.dot(v));
    }
  }
  for (const auto& [key, angle] : corner) {
    auto n = static_cast<std::size_t>(key.first);
    if (n < m.nodeLink.size() && m.nodeLink[n].dim == 0) put(key.first, angle);
  }
  return own;
}

std::vector<char> inSharpWedge(const Mesh& m, const std::vector<std::int32_t>& cells, double degrees) {
  std::vector<char> in(cells.size(), 0);
  if (cells.empty() || m.faceLink.size() != m.faces.size() || m.nodeLink.size() != m.nodes.size()) return in;
  std::vector<Rim> sharp = convexRims(m);
  sharp.erase(std::remove_if(sharp.begin(), sharp.end(), [&](const Rim& r) { return r.angle * 180 / kPi >= degrees; }),
              sharp.end());
  auto at = [&](std::int32_t n) -> const Vec3& { return m.nodes[static_cast<std::size_t>(n)]; };
  constexpr double kThin = 0.25; // of the mean edge length
  for (std::size_t i = 0; i < cells.size(); ++i) {
    const auto c = static_cast<std::size_t>(cells[i]);
    const auto n = m.cells.corners(c);
    std::vector<std::int32_t> on; ///< faces on which corners lie
    Vec3 middle = Vec3::Zero();
    for (auto v : n) {
      middle += at(v) / static_cast<double>(n.size());
      const auto& l = m.nodeLink[static_cast<std::size_t>(v)];
      if (l.dim == 2) on.push_back(l.entity);
    }
    if (on.empty()) continue;
    double length = 0;
    double edges = 0;
    m.cells.forEdges(c, [&](int p, int q, int) {
      length += (at(n[static_cast<std::size_t>(p)]) - at(n[static_cast<std::size_t>(q)])).norm();
      ++edges;
    });
    length /= std::max(1.0, edges);
    for (const auto& r : sharp) {
      const bool between = std::all_of(on.begin(), on.end(), [&](int f) { return f == r.link[0] || f == r.link[1]; });
      if (between && r.region == m.cellRegion[c] &&
          distanceToSegment(middle, at(r.a), at(r.b)) * std::tan(r.angle) < kThin * length) {
        in[i] = 1;
        break;
      }
    }
  }
  return in;
}

FlatCells causesOfFlatness(const Mesh& m, const std::vector<float>& own, const std::vector<std::int32_t>& flat,
                           double degrees) {
  FlatCells r;
  std::vector<std::int32_t> apart;
  for (auto c : flat) {
    const auto n = m.cells.of(static_cast<std::size_t>(c));
    const bool touches =
        std::any_of(n.begin(), n.end(), [&](auto v) { return own[static_cast<std::size_t>(v)] < degrees; });
    (touches ? r.touching : apart).push_back(c);
  }
  const auto wedged = inSharpWedge(m, apart, degrees);
  for (std::size_t i = 0; i < apart.size(); ++i) (wedged[i] ? r.beside : r.elsewhere).push_back(apart[i]);
  return r;
}

} // namespace tess
