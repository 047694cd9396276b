// SPDX-License-Identifier: GPL-3.0-or-later
// OpenFOAM polyMesh: inner faces first in upper-triangular order, then one gapless range per patch; owner < neighbour,
// normals point from owner to neighbour and outwards. Linear cells; mid nodes are left out. One patch per face group,
// `unassigned` for the rest; regions become cell zones. The folder is replaced as a whole.
#include "base/file.h"
#include "exchange/exchange.h"
#include "mesh/cell_faces.h"
#include <cmath>
#include <filesystem>
#include <set>
#include <sstream>
#include <unordered_map>

namespace tess {
namespace {

std::string header(const char* cls, const char* object, const std::string& note = {}) {
  std::string s = "FoamFile\n{\n    version     2.0;\n    format      ascii;\n    class       ";
  s += cls;
  s += ";\n";
  if (!note.empty()) s += "    note        \"" + note + "\";\n";
  s += "    location    \"constant/polyMesh\";\n    object      ";
  s += object;
  return s + ";\n}\n\n";
}

/// Files of the folder that number the points, faces or cells of the mesh that was there before; with another mesh they
/// would be wrong. What else lies there is the user's.
bool tellsOfTheMesh(const std::string& name) {
  static const std::set<std::string> known{
      "points",     "faces",   "owner",     "neighbour",  "boundary",    "cellZones",    "faceZones",
      "pointZones", "sets",    "cellLevel", "pointLevel", "level0Edge",  "surfaceIndex", "refinementHistory",
      "cells",      "cellMap", "faceMap",   "pointMap",   "parallelData"};
  const std::string plain = name.ends_with(".gz") ? name.substr(0, name.size() - 3) : name;
  return known.count(plain) || plain.ends_with("ProcAddressing");
}

} // namespace

namespace {
/// Whether all of these faces lie in one plane, as a `symmetryPlane` must.
bool flat(const Mesh& m, const std::vector<std::vector<std::int32_t>>& rings) {
  Vec3 sum = Vec3::Zero();
  Box box;
  for (const auto& r : rings)
    for (std::size_t i = 0; i < r.size(); ++i) {
      const Vec3& p = m.nodes[static_cast<std::size_t>(r[i])];
      box.add(p);
      const Vec3& o = m.nodes[static_cast<std::size_t>(r[0])];
      sum += (p - o).cross(m.nodes[static_cast<std::size_t>(r[(i + 1) % r.size()])] - o);
    }
  if (rings.empty() || sum.norm() == 0) return false;
  const Vec3 n = sum.normalized(), &at = m.nodes[static_cast<std::size_t>(rings[0][0])];
  for (const auto& r : rings)
    for (auto v : r)
      if (std::abs((m.nodes[static_cast<std::size_t>(v)] - at).dot(n)) > 1e-6 * box.size().norm()) return false;
  return true;
}
} // namespace

std::optional<Problem> writeFoam(const Mesh& m, const std::string& folder, double scale) {
  // Corner nodes only, renumbered without gaps.
  std::vector<std::int32_t> to(m.nodes.size(), -1);
  std::vector<std::int32_t> points;
  struct Face {
    std::vector<std::int32_t> v;
    std::int32_t owner, neighbour = -1;
  };
  std::vector<Face> faces;
  const Neighbours near = cellNeighbours(m);
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    const auto q = m.cells.of(c);
    for (auto n : m.cells.corners(c)) {
      auto& id = to[static_cast<std::size_t>(n)];
      if (id < 0) {
        id = static_cast<std::int32_t>(points.size());
        points.push_back(n);
      }
    }
    for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
      const std::int32_t other = near.cell[near.start[c] + f];
      if (other >= 0 && other < static_cast<std::int32_t>(c)) continue; // its owner has written it
      Face face{{}, static_cast<std::int32_t>(c), other};
      for (auto k : m.cells.faceCorners(c, f)) face.v.push_back(q[static_cast<std::size_t>(k)]);
      faces.push_back(std::move(face));
    }
  }
  std::vector<std::size_t> inner, outer;
  for (std::size_t i = 0; i < faces.size(); ++i) (faces[i].neighbour >= 0 ? inner : outer).push_back(i);
  std::sort(inner.begin(), inner.end(), [&](std::size_t a, std::size_t b) {
    return std::pair(faces[a].owner, faces[a].neighbour) < std::pair(faces[b].owner, faces[b].neighbour);
  });
  auto groupOf = firstGroupOfFaces(m);
  std::unordered_map<FaceKey, std::int32_t, FaceKeyHash> patchAt;
  patchAt.reserve(m.faces.size());
  for (std::size_t f = 0; f < m.faces.size(); ++f) patchAt[faceKey(m.faces.corners(f))] = groupOf[f];
  std::vector<std::string> names;
  std::vector<std::size_t> groupIndex;
  for (std::size_t g = 0; g < m.groups.size(); ++g)
    if (m.groups[g].dim == 2) {
      names.push_back(m.groups[g].name);
      groupIndex.push_back(g);
    }
  names.push_back("unassigned");
  names = solverNames(names);
  std::vector<std::vector<std::size_t>> patches(names.size());
  for (std::size_t i : outer) {
    auto it = patchAt.find(faceKey(faces[i].v));
    std::size_t p = names.size() - 1;
    if (it != patchAt.end() && it->second >= 0)
      for (std::size_t k = 0; k < groupIndex.size(); ++k)
        if (groupIndex[k] == static_cast<std::size_t>(it->second)) p = k;
    patches[p].push_back(i);
  }
  std::ostringstream pts, fcs, own, nei, bnd;
  pts.precision(16);
  pts << header("vectorField", "points") << points.size() << "\n(\n";
  for (auto n : points) {
    Vec3 p = scale * m.nodes[static_cast<std::size_t>(n)];
    pts << '(' << p.x() << ' ' << p.y() << ' ' << p.z() << ")\n";
  }
  pts << ")\n";
  std::string note = "nPoints:" + std::to_string(points.size()) + " nCells:" + std::to_string(m.cells.size()) +
                     " nFaces:" + std::to_string(faces.size()) + " nInternalFaces:" + std::to_string(inner.size());
  fcs << header("faceList", "faces") << faces.size() << "\n(\n";
  own << header("labelList", "owner", note) << faces.size() << "\n(\n";
  nei << header("labelList", "neighbour", note) << inner.size() << "\n(\n";
  auto put = [&](std::size_t i) {
    const Face& f = faces[i];
    fcs << f.v.size() << '(';
    for (std::size_t k = 0; k < f.v.size(); ++k) fcs << (k ? " " : "") << to[static_cast<std::size_t>(f.v[k])];
    fcs << ")\n";
    own << f.owner << '\n';
    if (f.neighbour >= 0) nei << f.neighbour << '\n';
  };
  for (std::size_t i : inner) put(i); // outward from the owner, which has the lower number
  std::size_t start = inner.size(), used = 0;
  std::string list;
  for (std::size_t p = 0; p < patches.size(); ++p) {
    if (patches[p].empty()) continue;
    ++used;
    const std::string role = p < groupIndex.size() ? m.groups[groupIndex[p]].role : "";
    const char* type = role == "wall" || role == "contact" ? "wall" : "patch";
    if (role == "symmetry") {
      std::vector<std::vector<std::int32_t>> rings;
      for (std::size_t i : patches[p]) rings.push_back(faces[i].v);
      type = flat(m, rings) ? "symmetryPlane" : "symmetry";
    }
    list += "    " + names[p] + "\n    {\n        type            " + type + ";\n        nFaces          " +
            std::to_string(patches[p].size()) + ";\n        startFace       " + std::to_string(start) + ";\n    }\n";
    start += patches[p].size();
    for (std::size_t i : patches[p]) put(i);
  }
  fcs << ")\n";
  own << ")\n";
  nei << ")\n";
  bnd << header("polyBoundaryMesh", "boundary") << used << "\n(\n" << list << ")\n";
  std::ostringstream zones;
  auto zoneNames = solverNames(m.regions);
  zones << header("regIOobject", "cellZones") << m.regions.size() << "\n(\n";
  for (std::size_t r = 0; r < m.regions.size(); ++r) {
    std::string ids;
    std::size_t n = 0;
    for (std::size_t c = 0; c < m.cells.size(); ++c)
      if (m.cellRegion[c] == static_cast<std::int32_t>(r)) {
        ids += std::to_string(c) + "\n";
        ++n;
      }
    zones << zoneNames[r] << "\n{\n    type cellZone;\n    cellLabels List<label> " << n << "\n(\n" << ids << ");\n}\n";
  }
  zones << ")\n";
  const auto dir = std::filesystem::path(folder) / "constant" / "polyMesh";
  return replaceFolder(dir.string(),
                       {{"points", pts.str()},
                        {"faces", fcs.str()},
                        {"owner", own.str()},
                        {"neighbour", nei.str()},
                        {"boundary", bnd.str()},
                        {"cellZones", zones.str()}},
                       [](const std::string& name) { return !tellsOfTheMesh(name); });
}

} // namespace tess
