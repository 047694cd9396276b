// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/own_angles.h"
#include <algorithm>
#include <cmath>
#include <map>

namespace tess {

std::vector<float> ownAngles(const Mesh& m) {
  std::vector<float> own(m.nodes.size(), 180);
  if (m.faceLink.size() != m.faces.size()) return own;
  auto put = [&](std::int32_t n, double radians) {
    auto& x = own[static_cast<std::size_t>(n)];
    x = std::min(x, static_cast<float>(radians * 180 / kPi));
  };
  auto at = [&](std::int32_t n) -> const Vec3& { return m.nodes[static_cast<std::size_t>(n)]; };
  // One entry per region side of each triangle's or quadrangle's edge; corners only, mid nodes lie in between.
  struct Side {
    std::int32_t a, b, region, link;
    Vec3 normal; ///< out of the region
    Vec3 inner;  ///< a point of the face off the edge
  };
  std::vector<Side> sides;
  std::map<std::pair<std::int32_t, std::int32_t>, double> corner; ///< (node, geometry face) -> sum of angles there
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    const auto n = m.faces.of(f);
    const std::size_t k = topology(m.faces.type[f]).corners;
    Vec3 middle = Vec3::Zero();
    for (std::size_t i = 0; i < k; ++i) middle += at(n[i]) / static_cast<double>(k);
    Vec3 normal = Vec3::Zero();
    for (std::size_t i = 0; i < k; ++i) normal += (at(n[i]) - middle).cross(at(n[(i + 1) % k]) - middle);
    normal.normalize();
    for (std::size_t i = 0; i < k; ++i) {
      std::int32_t a = n[i], b = n[(i + 1) % k], c = n[(i + k - 1) % k];
      for (int s = 0; s < 2; ++s)
        if (std::int32_t r = m.faceRegions[f][static_cast<std::size_t>(s)]; r >= 0)
          sides.push_back({std::min(a, b), std::max(a, b), r, m.faceLink[f], s == 0 ? normal : Vec3(-normal), middle});
      Vec3 u = at(b) - at(a), v = at(c) - at(a);
      corner[{a, m.faceLink[f]}] += std::atan2(u.cross(v).norm(), u.dot(v));
    }
  }
  std::sort(sides.begin(), sides.end(), [](const Side& x, const Side& y) {
    return std::tie(x.a, x.b, x.region, x.link) < std::tie(y.a, y.b, y.region, y.link);
  });
  for (std::size_t i = 0; i + 1 < sides.size(); ++i) {
    const Side &x = sides[i], &y = sides[i + 1];
    if (x.a != y.a || x.b != y.b || x.region != y.region || x.link == y.link) continue;
    // Convex when the other face lies below this one; a slit (concave) leaves room.
    if ((y.inner - at(x.a)).dot(x.normal) >= 0) continue;
    double angle = kPi - std::atan2(x.normal.cross(y.normal).norm(), x.normal.dot(y.normal));
    put(x.a, angle);
    put(x.b, angle);
  }
  for (const auto& [key, angle] : corner) {
    auto n = static_cast<std::size_t>(key.first);
    if (n < m.nodeLink.size() && m.nodeLink[n].dim == 0) put(key.first, angle);
  }
  return own;
}

} // namespace tess
