// SPDX-License-Identifier: GPL-3.0-or-later
// STL (one named solid per group as text, triangles) and PLY (binary, any polygons) of the surface mesh.
#include "base/file.h"
#include "exchange/exchange.h"
#include <cstring>

namespace tess {
namespace {

/// Outer and interface faces as triangles; others are cut along diagonals from their first corner.
template <class V> void eachTriangle(const Mesh& m, std::size_t f, V&& visit) {
  const auto n = m.faces.corners(f);
  for (std::size_t i = 2; i < n.size(); ++i) visit(n[0], n[i - 1], n[i]);
}

} // namespace

std::optional<Problem> writeStl(const Mesh& m, const std::string& path, double scale) {
  auto groupOf = firstGroupOfFaces(m);
  std::vector<std::string> names;
  for (const auto& g : m.groups) names.push_back(g.name);
  names.push_back("unassigned");
  names = solverNames(names);
  std::string out;
  char b[400];
  for (std::size_t g = 0; g < names.size(); ++g) {
    bool head = false;
    for (std::size_t f = 0; f < m.faces.size(); ++f) {
      std::size_t mine = groupOf[f] < 0 ? names.size() - 1 : static_cast<std::size_t>(groupOf[f]);
      if (mine != g) continue;
      if (!head) out += "solid " + names[g] + "\n";
      head = true;
      eachTriangle(m, f, [&](std::int32_t i, std::int32_t j, std::int32_t k) {
        Vec3 p = scale * m.nodes[static_cast<std::size_t>(i)], q = scale * m.nodes[static_cast<std::size_t>(j)],
             r = scale * m.nodes[static_cast<std::size_t>(k)];
        Vec3 n = triangleNormal(p, q, r);
        std::snprintf(b, sizeof b,
                      "facet normal %.6g %.6g %.6g\nouter loop\nvertex %.9g %.9g %.9g\nvertex %.9g %.9g %.9g\nvertex "
                      "%.9g %.9g %.9g\nendloop\nendfacet\n",
                      n.x(), n.y(), n.z(), p.x(), p.y(), p.z(), q.x(), q.y(), q.z(), r.x(), r.y(), r.z());
        out += b;
      });
    }
    if (head) out += "endsolid " + names[g] + "\n";
  }
  return writeFileAtomic(path, out);
}

std::optional<Problem> writePly(const Mesh& m, const std::string& path, double scale) {
  std::vector<std::int32_t> to(m.nodes.size(), -1), points;
  std::string body;
  std::size_t count = 0;
  for (std::size_t f = 0; f < m.faces.size(); ++f) { // polygons as they are
    const auto corners = m.faces.corners(f);
    body += static_cast<char>(static_cast<unsigned char>(std::min<std::size_t>(corners.size(), 255)));
    for (auto n : corners.first(std::min<std::size_t>(corners.size(), 255))) {
      auto& id = to[static_cast<std::size_t>(n)];
      if (id < 0) {
        id = static_cast<std::int32_t>(points.size());
        points.push_back(n);
      }
      char b[4];
      std::memcpy(b, &id, 4);
      body.append(b, 4);
    }
    ++count;
  }
  std::string out = "ply\nformat binary_little_endian 1.0\nelement vertex " + std::to_string(points.size()) +
                    "\nproperty double x\nproperty double y\nproperty double z\nelement face " + std::to_string(count) +
                    "\nproperty list uchar int vertex_indices\nend_header\n";
  for (auto n : points) {
    Vec3 p = scale * m.nodes[static_cast<std::size_t>(n)];
    char b[24];
    std::memcpy(b, p.data(), 24);
    out.append(b, 24);
  }
  return writeFileAtomic(path, out + body);
}

} // namespace tess
