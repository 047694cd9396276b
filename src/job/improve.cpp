// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/improve.h"
#include "audit/metrics.h"
#include "mesh/order.h"
#include "mesher/mesher.h"
#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace tess {
namespace {

/// What a new cell inherits: its region and the cell sets it belongs to. Faces between different zones stay.
struct Patch {
  std::int32_t region;
  std::vector<int> groups;
  bool operator<(const Patch& o) const { return std::tie(region, groups) < std::tie(o.region, o.groups); }
};

std::vector<int> zonesOf(const Mesh& m, std::vector<Patch>& zones) {
  std::vector<std::vector<int>> groups(m.cells.size());
  for (std::size_t g = 0; g < m.groups.size(); ++g)
    if (m.groups[g].dim == 3)
      for (auto c : m.groups[g].items) groups[static_cast<std::size_t>(c)].push_back(static_cast<int>(g));
  std::map<Patch, int> id;
  std::vector<int> zone(m.cells.size());
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    auto [it, fresh] = id.emplace(Patch{m.cellRegion[c], groups[c]}, static_cast<int>(zones.size()));
    if (fresh) zones.push_back(it->first);
    zone[c] = it->second;
  }
  return zone;
}

/// Closes the tets of `core` with ghosts over every open face, linked over common edges.
void addGhosts(TetCore& core) {
  std::unordered_map<std::uint64_t, std::vector<int>> open; // edge -> ghost faces there that wait for a partner
  const int solid = static_cast<int>(core.tets.size());
  for (int t = 0; t < solid; ++t)
    for (int i = 0; i < 4; ++i) {
      if (core.at(t).n[i] >= 0) continue;
      int g = core.newTet();
      const int* f = kTetFace[i];
      int w[4] = {core.at(t).v[f[0]], core.at(t).v[f[2]], core.at(t).v[f[1]], kGhost};
      std::copy(w, w + 4, core.at(g).v);
      core.link(4 * g + 3, 4 * t + i);
      core.locked[static_cast<std::size_t>(t)] |= static_cast<std::uint8_t>(1 << i);
      core.locked[static_cast<std::size_t>(g)] |= 8;
      for (int k = 0; k < 3; ++k) {
        auto& wait = open[edgeKey(w[(k + 1) % 3], w[(k + 2) % 3])];
        if (wait.empty())
          wait.push_back(4 * g + k);
        else {
          core.link(4 * g + k, wait.back());
          wait.pop_back();
        }
      }
    }
}

using Place = std::array<double, 6>;
/// Names an edge by the places of its ends, which outlast a renumbering.
Place edgePlace(Vec3 a, Vec3 b) {
  if (std::lexicographical_compare(b.data(), b.data() + 3, a.data(), a.data() + 3)) std::swap(a, b);
  return {a.x(), a.y(), a.z(), b.x(), b.y(), b.z()};
}

Result<ImproveOutcome> improveLinear(Mesh& mesh, const std::vector<char>& only, Progress& progress);

/// Elements of order 2: their corners are improved as those of linear ones; then every edge that is still there gets
/// its mid node back where it was, and new ones get theirs half way. Where a curved element would be inverted
/// somewhere, all curved elements stay as they are, and only straight ones change.
Result<ImproveOutcome> improveQuadratic(Mesh& mesh, const std::vector<char>& only, Progress& progress) {
  struct Mid {
    Vec3 at;
    GeometryLink link;
    std::vector<int> groups; ///< node sets that hold it
  };
  std::map<Place, Mid> mids;
  std::vector<std::vector<int>> nodeGroups(mesh.nodes.size());
  for (std::size_t g = 0; g < mesh.groups.size(); ++g)
    if (mesh.groups[g].dim < 2)
      for (auto n : mesh.groups[g].items) nodeGroups[static_cast<std::size_t>(n)].push_back(static_cast<int>(g));
  const auto& table = topology(ElementType::Tet10);
  auto at = [](const Mesh& m, std::int32_t n) -> const Vec3& { return m.nodes[static_cast<std::size_t>(n)]; };
  std::vector<char> straight(mesh.cells.size(), 1);
  for (std::size_t c = 0; c < mesh.cells.size(); ++c) {
    auto q = mesh.cells.of(c);
    for (std::size_t e = 0; e < 6; ++e) {
      auto a = q[static_cast<std::size_t>(table.edge[e][0])], b = q[static_cast<std::size_t>(table.edge[e][1])],
           m = q[4 + e];
      GeometryLink link = mesh.nodeLink.empty() ? GeometryLink{} : mesh.nodeLink[static_cast<std::size_t>(m)];
      mids.try_emplace(edgePlace(at(mesh, a), at(mesh, b)),
                       Mid{at(mesh, m), link, nodeGroups[static_cast<std::size_t>(m)]});
      Vec3 off = at(mesh, m) - 0.5 * (at(mesh, a) + at(mesh, b));
      if (off.norm() > 1e-9 * (at(mesh, a) - at(mesh, b)).norm()) straight[c] = 0;
    }
  }
  for (bool curvedToo : {true, false}) {
    std::vector<char> chosen = only;
    if (!curvedToo) {
      chosen.resize(mesh.cells.size(), 1);
      for (std::size_t c = 0; c < chosen.size(); ++c) chosen[c] = chosen[c] && straight[c];
      if (std::find(chosen.begin(), chosen.end(), 1) == chosen.end()) break;
    }
    Mesh m = mesh;
    if (auto p = changeOrder(m, 1)) return *p;
    auto out = improveLinear(m, chosen, progress);
    if (!out) return out;
    if (auto p = changeOrder(m, 2)) return *p;
    std::vector<char> placed(m.nodes.size(), 0);
    bool valid = true;
    for (std::size_t c = 0; c < m.cells.size(); ++c) {
      auto q = m.cells.of(c);
      for (std::size_t e = 0; e < 6; ++e) {
        auto n = static_cast<std::size_t>(q[4 + e]);
        if (placed[n]) continue;
        placed[n] = 1;
        auto it = mids.find(edgePlace(at(m, q[static_cast<std::size_t>(table.edge[e][0])]),
                                      at(m, q[static_cast<std::size_t>(table.edge[e][1])])));
        if (it == mids.end()) continue;
        m.nodes[n] = it->second.at;
        if (!m.nodeLink.empty()) m.nodeLink[n] = it->second.link;
        for (int g : it->second.groups)
          m.groups[static_cast<std::size_t>(g)].items.push_back(static_cast<std::int32_t>(n));
      }
    }
    for (std::size_t c = 0; c < m.cells.size() && valid; ++c) {
      if ((c & 0xffff) == 0) progress.check();
      std::array<Vec3, 10> p;
      for (std::size_t i = 0; i < 10; ++i) p[i] = at(m, m.cells.of(c)[i]);
      valid = quadraticValidity(p) > 0;
    }
    // Elements that were invalid before, as imported ones may be, are no reason to refuse what is better.
    if (!valid && curvedToo) continue;
    for (auto& g : m.groups)
      if (g.dim < 2) std::sort(g.items.begin(), g.items.end());
    mesh = std::move(m);
    return out;
  }
  ImproveOutcome none;
  none.cellsBefore = none.cellsAfter = mesh.cells.size();
  return none;
}

Result<ImproveOutcome> improveLinear(Mesh& mesh, const std::vector<char>& only, Progress& progress) {
  ImproveOutcome out;
  out.cellsBefore = out.cellsAfter = mesh.cells.size();
  auto chosen = [&](std::size_t c) { return mesh.cells.type[c] == ElementType::Tet4 && (only.empty() || only[c]); };
  std::vector<std::size_t> cells;
  bool quadratic = false;
  for (std::size_t c = 0; c < mesh.cells.size(); ++c) {
    quadratic = quadratic || mesh.cells.type[c] == ElementType::Tet10;
    if (chosen(c)) cells.push_back(c);
  }
  if (cells.empty()) {
    Problem p;
    p.fault = Fault::Input;
    p.code = "improve.nothing";
    p.what = "there is nothing to improve";
    const bool any =
        std::any_of(mesh.cells.type.begin(), mesh.cells.type.end(), [](auto t) { return t == ElementType::Tet4; });
    p.why = quadratic ? "its tetrahedra of order 2 share nodes with other elements"
            : any     ? "the choice holds none"
                      : "all nodes lie on its boundary, or belong to elements of order 2 or to polyhedra";
    p.todo = quadratic ? "change the order of all elements first"
             : any     ? "choose other elements"
                       : "mend the mesh where it was made, or mesh the part again here";
    return p;
  }
  std::vector<Patch> zones;
  std::vector<int> zone = zonesOf(mesh, zones);
  Neighbours near = cellNeighbours(mesh, &progress);

  // Fixed: nodes of faces between a chosen cell and anything else, of boundary faces, of node sets and of other cells.
  std::vector<char> fixed(mesh.nodes.size(), 0), used(mesh.nodes.size(), 0);
  for (std::size_t c = 0; c < mesh.cells.size(); ++c)
    for (auto n : mesh.cells.of(c)) (chosen(c) ? used : fixed)[static_cast<std::size_t>(n)] = 1;
  for (std::size_t f = 0; f < mesh.faces.size(); ++f)
    for (auto n : mesh.faces.of(f)) fixed[static_cast<std::size_t>(n)] = 1;
  for (const auto& g : mesh.groups)
    if (g.dim < 2)
      for (auto n : g.items) fixed[static_cast<std::size_t>(n)] = 1;
  auto stays = [&](std::size_t c, std::size_t f) {
    std::int32_t o = near.cell[near.start[c] + f];
    return o < 0 || !chosen(static_cast<std::size_t>(o)) || zone[static_cast<std::size_t>(o)] != zone[c];
  };
  const auto& table = topology(ElementType::Tet4);
  for (std::size_t c : cells)
    for (std::size_t f = 0; f < 4; ++f)
      if (stays(c, f))
        for (std::size_t k = 0; k < 3; ++k)
          fixed[static_cast<std::size_t>(mesh.cells.of(c)[static_cast<std::size_t>(table.face[f][k])])] = 1;

  TetCore core;
  SurfaceMesh surface;
  std::vector<std::int32_t> old, fresh(mesh.nodes.size(), -1); // numbers in the mesh and here
  auto take = [&](std::size_t n) {
    fresh[n] = static_cast<std::int32_t>(old.size());
    old.push_back(static_cast<std::int32_t>(n));
    core.points.push_back(mesh.nodes[n]);
  };
  for (std::size_t n = 0; n < mesh.nodes.size(); ++n)
    if (used[n] && fixed[n]) take(n);
  surface.points = core.points;
  surface.dim.assign(surface.points.size(), Dim::Point);
  surface.entity.assign(surface.points.size(), -1);
  for (int k = 0; k < 8; ++k) { // the far corners of a fresh mesh, not used here
    old.push_back(-1);
    core.points.push_back(Vec3::Zero());
  }
  for (std::size_t n = 0; n < mesh.nodes.size(); ++n)
    if (used[n] && !fixed[n]) take(n);
  core.tetOf.assign(core.points.size(), -1);
  std::vector<int> tetOfCell(mesh.cells.size(), -1);
  for (std::size_t c : cells) {
    int t = core.newTet();
    tetOfCell[c] = t;
    for (std::size_t k = 0; k < 4; ++k) {
      core.at(t).v[k] = fresh[static_cast<std::size_t>(mesh.cells.of(c)[k])];
      core.at(t).n[k] = -1;
      core.tetOf[static_cast<std::size_t>(core.at(t).v[k])] = t;
    }
    core.region[static_cast<std::size_t>(t)] = zone[c];
  }
  for (std::size_t c : cells)
    for (std::size_t f = 0; f < 4; ++f) {
      std::int32_t o = near.cell[near.start[c] + f];
      int t = tetOfCell[c], corner = 0; // the corner opposite this face
      for (int k = 0; k < 4; ++k)
        if (k != table.face[f][0] && k != table.face[f][1] && k != table.face[f][2]) corner = k;
      if (stays(c, f)) {
        core.locked[static_cast<std::size_t>(t)] |= static_cast<std::uint8_t>(1 << corner);
        for (std::size_t k = 0; k < 3; ++k)
          core.lockedEdges.insert(edgeKey(core.at(t).v[table.face[f][k]], core.at(t).v[table.face[f][(k + 1) % 3]]));
      }
      if (o < 0 || !chosen(static_cast<std::size_t>(o))) continue;
      int u = tetOfCell[static_cast<std::size_t>(o)];
      for (int k = 0; k < 4; ++k)
        if (core.indexOf(t, core.at(u).v[k]) < 0) core.at(t).n[corner] = 4 * u + k;
    }
  addGhosts(core);

  // The sizes at hand are the sizes to keep: mean edge length at the nodes.
  std::vector<double> sum(core.points.size(), 0), count(core.points.size(), 0);
  double largest = 0;
  for (int t = 0; t < static_cast<int>(core.tets.size()); ++t) {
    if (!core.solid(t)) continue;
    for (const auto& e : kTetEdge) {
      int a = core.at(t).v[e[0]], b = core.at(t).v[e[1]];
      double l = (core.pt(a) - core.pt(b)).norm();
      largest = std::max(largest, l);
      for (int v : {a, b}) sum[static_cast<std::size_t>(v)] += l, count[static_cast<std::size_t>(v)] += 1;
    }
  }
  SizeField size(largest, 0.3);
  for (std::size_t v = 0; v < core.points.size(); ++v)
    if (count[v] > 0) size.addPoint(core.points[v], sum[v] / count[v], kReasonMesher);
  size.build();
  out.stats = improveTets(core, surface, nullptr, size, progress);

  // Put together again: other cells first in their order, then the improved ones by zone.
  Mesh r;
  r.unit = mesh.unit;
  r.regions = mesh.regions;
  std::vector<char> needed(mesh.nodes.size(), 0);
  for (std::size_t n = 0; n < mesh.nodes.size(); ++n) needed[n] = fixed[n] || !used[n];
  std::vector<std::vector<int>> ofZone(zones.size());
  for (int t = 0; t < static_cast<int>(core.tets.size()); ++t) {
    if (!core.solid(t) || core.region[static_cast<std::size_t>(t)] < 0) continue;
    ofZone[static_cast<std::size_t>(core.region[static_cast<std::size_t>(t)])].push_back(t);
    for (int v : core.at(t).v)
      if (static_cast<std::size_t>(v) < old.size())
        needed[static_cast<std::size_t>(old[static_cast<std::size_t>(v)])] = 1;
  }
  std::vector<std::int32_t> number(mesh.nodes.size(), -1), numberHere(core.points.size(), -1);
  auto add = [&](const Vec3& p, GeometryLink l) {
    r.nodes.push_back(p);
    if (!mesh.nodeLink.empty()) r.nodeLink.push_back(l);
    return static_cast<std::int32_t>(r.nodes.size()) - 1;
  };
  for (std::size_t n = 0; n < mesh.nodes.size(); ++n)
    if (needed[n])
      number[n] = add(fresh[n] >= 0 ? core.points[static_cast<std::size_t>(fresh[n])] : mesh.nodes[n],
                      mesh.nodeLink.empty() ? GeometryLink{} : mesh.nodeLink[n]);
  auto nodeHere = [&](int v) {
    if (static_cast<std::size_t>(v) < old.size())
      return number[static_cast<std::size_t>(old[static_cast<std::size_t>(v)])];
    auto& id = numberHere[static_cast<std::size_t>(v)];
    if (id < 0) id = add(core.pt(v), {});
    return id;
  };
  std::vector<std::vector<std::int32_t>> members(mesh.groups.size());
  auto addCell = [&](ElementType type, const std::vector<std::int32_t>& n, const Patch& z) {
    for (int g : z.groups) members[static_cast<std::size_t>(g)].push_back(static_cast<std::int32_t>(r.cells.size()));
    r.cells.add(type, n);
    r.cellRegion.push_back(z.region);
  };
  for (std::size_t c = 0; c < mesh.cells.size(); ++c) {
    if (chosen(c)) continue;
    std::vector<std::int32_t> n;
    for (auto x : mesh.cells.of(c)) n.push_back(number[static_cast<std::size_t>(x)]);
    const Patch& z = zones[static_cast<std::size_t>(zone[c])];
    for (int g : z.groups) members[static_cast<std::size_t>(g)].push_back(static_cast<std::int32_t>(r.cells.size()));
    r.cells.addLike(mesh.cells, c, n);
    r.cellRegion.push_back(z.region);
  }
  for (std::size_t z = 0; z < zones.size(); ++z)
    for (int t : ofZone[z]) {
      std::vector<std::int32_t> n;
      for (int v : core.at(t).v) n.push_back(nodeHere(v));
      addCell(ElementType::Tet4, n, zones[z]);
    }
  for (std::size_t f = 0; f < mesh.faces.size(); ++f) {
    std::vector<std::int32_t> n;
    for (auto x : mesh.faces.of(f)) n.push_back(number[static_cast<std::size_t>(x)]);
    r.faces.add(mesh.faces.type[f], n);
  }
  r.faceLink = mesh.faceLink;
  r.faceRegions = mesh.faceRegions;
  r.groups = mesh.groups;
  for (const auto& t : mesh.twins)
    r.twins.push_back({number[static_cast<std::size_t>(t[0])], number[static_cast<std::size_t>(t[1])]});
  for (std::size_t g = 0; g < r.groups.size(); ++g) {
    if (r.groups[g].dim == 3) r.groups[g].items = members[g];
    if (r.groups[g].dim < 2)
      for (auto& n : r.groups[g].items) n = number[static_cast<std::size_t>(n)];
  }
  out.cellsAfter = r.cells.size();
  mesh = std::move(r);
  return out;
}

} // namespace

namespace {

/// How nodes of the boundary may slide: in a plane where all faces of the boundary at a node are flat and of one set,
/// along a line where two such meet, or two sets within one plane.
class Slides {
public:
  Slides(const Mesh& mesh, const Neighbours& near)
      : square(mesh.nodes.size(), Vec3::Zero()), along(square), m(mesh), m_at(mesh.nodes.size()) {
    std::vector<std::vector<int>> groups(mesh.faces.size());
    for (std::size_t g = 0; g < mesh.groups.size(); ++g)
      if (mesh.groups[g].dim == 2)
        for (auto f : mesh.groups[g].items) groups[static_cast<std::size_t>(f)].push_back(static_cast<int>(g));
    std::map<std::vector<int>, int> kinds;
    std::set<std::vector<std::int32_t>> listed;
    auto sorted = [](std::vector<std::int32_t> v) {
      std::sort(v.begin(), v.end());
      return v;
    };
    for (std::size_t f = 0; f < mesh.faces.size(); ++f) {
      const auto n = mesh.faces.corners(f);
      std::vector<int> key = groups[f];
      key.insert(key.end(),
                 {-1, mesh.faceLink.empty() ? -1 : mesh.faceLink[f], mesh.faceRegions[f][0], mesh.faceRegions[f][1]});
      add({n.begin(), n.end()}, kinds.emplace(std::move(key), static_cast<int>(kinds.size())).first->second);
      listed.insert(sorted({n.begin(), n.end()}));
    }
    for (std::size_t c = 0; c < mesh.cells.size(); ++c) {
      const ElementTopology& t = topology(mesh.cells.type[c]);
      for (std::size_t f = 0; f < static_cast<std::size_t>(t.faces); ++f) {
        if (near.cell[near.start[c] + f] >= 0) continue;
        std::vector<std::int32_t> n;
        for (std::size_t k = 0; k < static_cast<std::size_t>(t.faceSize[f]); ++k)
          n.push_back(mesh.cells.of(c)[static_cast<std::size_t>(t.face[f][k])]);
        if (listed.count(sorted(n))) continue;
        add(std::move(n),
            kinds.emplace(std::vector<int>{-2, mesh.cellRegion[c]}, static_cast<int>(kinds.size())).first->second);
      }
    }
    orient();
    for (std::size_t n = 0; n < m_at.size(); ++n) find(n);
  }
  std::vector<Vec3> square, along; ///< MovableCells
  /// Those at nodes that slide, with the normals of all.
  void facets(std::vector<std::array<int, 4>>& of, std::vector<Vec3>& normals) const {
    for (std::size_t f = 0; f < m_facets.size(); ++f) {
      const auto& n = m_facets[f];
      if (m_normal[f] == Vec3::Zero() || n.size() > 4) continue;
      if (std::none_of(n.begin(), n.end(), [&](auto v) { return may(static_cast<std::size_t>(v)); })) continue;
      std::array<int, 4> q{-1, -1, -1, -1};
      std::copy(n.begin(), n.end(), q.begin());
      of.push_back(q);
      normals.push_back(m_normal[f]);
    }
  }
  bool may(std::size_t n) const { return square[n] != Vec3::Zero() || along[n] != Vec3::Zero(); }

private:
  struct At {
    int facet, kind;
  };
  const Mesh& m;
  std::vector<std::vector<std::int32_t>> m_facets;
  std::vector<Vec3> m_normal; ///< per facet; zero where it is not flat
  std::vector<int> m_kind;    ///< per facet
  std::vector<std::vector<At>> m_at;

  void add(std::vector<std::int32_t> n, int kind) {
    constexpr double kFlat = 1e-9;
    auto pt = [&](std::size_t k) -> const Vec3& { return m.nodes[static_cast<std::size_t>(n[k % n.size()])]; };
    Vec3 normal = Vec3::Zero();
    double scale = 0;
    for (std::size_t k = 0; k < n.size(); ++k) {
      normal += (pt(k) - pt(0)).cross(pt(k + 1) - pt(0));
      scale = std::max(scale, (pt(k) - pt(0)).norm());
    }
    normal.normalize();
    for (std::size_t k = 0; k < n.size(); ++k)
      if (!(std::abs(normal.dot(pt(k) - pt(0))) <= kFlat * scale)) normal = Vec3::Zero();
    for (auto v : n) m_at[static_cast<std::size_t>(v)].push_back({static_cast<int>(m_facets.size()), kind});
    m_facets.push_back(std::move(n));
    m_normal.push_back(normal);
    m_kind.push_back(kind);
  }
  /// A facet that is folded over shows its back: together with all others of its plane and kind it does not.
  void orient() {
    constexpr double kGrid = 1e-6;
    double size = 0;
    for (const Vec3& p : m.nodes) size = std::max(size, p.cwiseAbs().maxCoeff());
    auto area = [&](std::size_t f) {
      Vec3 sum = Vec3::Zero();
      for (std::size_t k = 1; k + 1 < m_facets[f].size(); ++k) {
        auto pt = [&](std::size_t i) -> const Vec3& { return m.nodes[static_cast<std::size_t>(m_facets[f][i])]; };
        sum += 0.5 * (pt(k) - pt(0)).cross(pt(k + 1) - pt(0));
      }
      return sum;
    };
    std::map<std::array<long long, 5>, std::pair<Vec3, std::vector<std::size_t>>> planes; // sum of areas, and facets
    for (std::size_t f = 0; f < m_facets.size(); ++f) {
      Vec3& normal = m_normal[f];
      if (normal == Vec3::Zero()) continue;
      int first = 0;
      while (std::abs(normal[first]) < 0.5) ++first; // one of three is larger
      if (normal[first] < 0) normal = -normal;
      const double offset = normal.dot(m.nodes[static_cast<std::size_t>(m_facets[f].front())]) / std::max(size, 1e-300);
      std::array<long long, 5> key{m_kind[f], 0, 0, 0, std::llround(offset / kGrid)};
      for (int k = 0; k < 3; ++k) key[static_cast<std::size_t>(k + 1)] = std::llround(normal[k] / kGrid);
      auto& plane = planes.try_emplace(key, Vec3(Vec3::Zero()), std::vector<std::size_t>()).first->second;
      plane.first += area(f);
      plane.second.push_back(f);
    }
    for (const auto& [key, plane] : planes)
      for (std::size_t f : plane.second)
        if (m_normal[f].dot(plane.first) < 0) m_normal[f] = -m_normal[f];
  }
  void find(std::size_t n) {
    constexpr double kAlike = 1e-9;
    if (m_at[n].empty()) return;
    // Facets of one plane and one kind.
    struct Side {
      Vec3 normal;
      int kind;
    };
    std::vector<Side> sides;
    std::map<std::int32_t, std::set<std::size_t>> beside; // sides at each neighbour along an edge of a facet
    for (const At& at : m_at[n]) {
      const Vec3& normal = m_normal[static_cast<std::size_t>(at.facet)];
      if (normal == Vec3::Zero()) return;
      std::size_t side = 0;
      while (side < sides.size() && !(sides[side].kind == at.kind && (sides[side].normal - normal).norm() < kAlike))
        ++side;
      if (side == sides.size()) sides.push_back({normal, at.kind});
      if (sides.size() > 2) return;
      const auto& f = m_facets[static_cast<std::size_t>(at.facet)];
      const std::size_t here =
          static_cast<std::size_t>(std::find(f.begin(), f.end(), static_cast<std::int32_t>(n)) - f.begin());
      for (std::size_t step : {std::size_t{1}, f.size() - 1}) beside[f[(here + step) % f.size()]].insert(side);
    }
    if (sides.size() == 1) {
      square[n] = sides[0].normal;
      return;
    }
    std::vector<Vec3> ways;
    for (const auto& [v, at] : beside)
      if (at.size() == 2) ways.push_back((m.nodes[static_cast<std::size_t>(v)] - m.nodes[n]).normalized());
    // Whether they lead the same way or not: nodes may have passed each other.
    if (ways.size() == 2 && ways[0].cross(ways[1]).norm() < kAlike) along[n] = ways[0];
  }
};

/// Nodes of hexahedra, wedges and pyramids inside one zone, away from what was not chosen; those of the boundary slide
/// where it is flat or straight.
class OtherCells {
public:
  OtherCells(const Mesh& mesh, const std::vector<char>& only, const Progress& progress) : m(mesh) {
    std::vector<Patch> zones;
    const std::vector<int> zone = zonesOf(mesh, zones);
    const Neighbours near = cellNeighbours(mesh, &progress);
    Slides slides(mesh, near);
    std::vector<int> ofNode(mesh.nodes.size(), -1);
    std::vector<char> other(mesh.nodes.size(), 0);
    held.assign(mesh.nodes.size(), 0);
    auto hold = [&](std::int32_t n) { held[static_cast<std::size_t>(n)] = 1; };
    for (std::size_t c = 0; c < mesh.cells.size(); ++c) {
      const ElementType type = mesh.cells.type[c];
      const bool linear = isTet(type) || isOther(type);
      for (auto n : mesh.cells.of(c)) {
        const auto k = static_cast<std::size_t>(n);
        if (!linear || (!only.empty() && !only[c])) hold(n);
        if (isOther(type)) other[k] = 1;
        if (ofNode[k] >= 0 && ofNode[k] != zone[c]) hold(n);
        ofNode[k] = zone[c];
      }
      const ElementTopology& t = topology(type);
      for (std::size_t f = 0; linear && f < static_cast<std::size_t>(t.faces); ++f)
        if (near.cell[near.start[c] + f] < 0)
          for (std::size_t k = 0; k < static_cast<std::size_t>(t.faceSize[f]); ++k)
            if (const auto n = mesh.cells.of(c)[static_cast<std::size_t>(t.face[f][k])];
                !slides.may(static_cast<std::size_t>(n)))
              hold(n);
    }
    for (std::size_t f = 0; f < mesh.faces.size(); ++f)
      for (auto n : mesh.faces.of(f))
        if (!slides.may(static_cast<std::size_t>(n))) hold(n);
    for (const auto& g : mesh.groups)
      if (g.dim < 2)
        for (auto n : g.items) hold(n);
    for (const auto& t : mesh.twins)
      for (auto n : t) hold(n);
    for (std::size_t n = 0; n < mesh.nodeLink.size(); ++n) // corners of the part, and lines within a face of it
      if (mesh.nodeLink[n].dim == 0 || (mesh.nodeLink[n].dim == 1 && slides.along[n] == Vec3::Zero()))
        hold(static_cast<std::int32_t>(n));
    for (std::size_t n = 0; n < held.size(); ++n) {
      if (!other[n]) held[n] = 1;
      any = any || !held[n];
    }
    slides.facets(facets, facetNormals);
    square = std::move(slides.square);
    along = std::move(slides.along);
  }
  static bool isTet(ElementType t) { return t == ElementType::Tet4; }
  static bool isOther(ElementType t) {
    return t == ElementType::Hex8 || t == ElementType::Wedge6 || t == ElementType::Pyramid5;
  }
  bool any = false; ///< whether a node may move

  NodeMoves improve(std::vector<Vec3>& nodes, const Progress& progress) {
    constexpr double kGood = 0.6;
    std::vector<std::array<int, 8>> hexahedra;
    std::vector<std::array<int, 6>> wedges;
    std::vector<std::array<int, 5>> pyramids;
    std::vector<std::array<int, 4>> tetrahedra;
    auto take = [&](auto& list, std::size_t c) {
      list.emplace_back();
      const auto n = m.cells.of(c);
      std::copy(n.begin(), n.end(), list.back().begin());
    };
    for (std::size_t c = 0; c < m.cells.size(); ++c) switch (m.cells.type[c]) {
      case ElementType::Hex8:
        take(hexahedra, c);
        break;
      case ElementType::Wedge6:
        take(wedges, c);
        break;
      case ElementType::Pyramid5:
        take(pyramids, c);
        break;
      case ElementType::Tet4:
        take(tetrahedra, c);
        break;
      default:
        break;
      }
    return moveNodes({{}, nodes, held, square, along, facets, facetNormals, hexahedra, wedges, pyramids, tetrahedra},
                     kGood, progress);
  }

private:
  const Mesh& m;
  std::vector<char> held;
  std::vector<Vec3> square, along, facetNormals;
  std::vector<std::array<int, 4>> facets;
};

} // namespace

Result<ImproveOutcome> improveMesh(Mesh& mesh, const std::vector<char>& only, Progress& progress) {
  bool quadratic = mesh.cells.size() > 0;
  for (auto t : mesh.cells.type) quadratic = quadratic && t == ElementType::Tet10;
  if (quadratic) return improveQuadratic(mesh, only, progress);
  if (std::none_of(mesh.cells.type.begin(), mesh.cells.type.end(), OtherCells::isOther))
    return improveLinear(mesh, only, progress);
  // Cells are numbered anew when tetrahedra change: the others come first.
  OtherCells others(mesh, only, progress);
  NodeMoves moves;
  std::vector<Vec3> nodes = mesh.nodes;
  if (others.any) moves = others.improve(nodes, progress);
  bool tetrahedra = false;
  for (std::size_t c = 0; c < mesh.cells.size(); ++c)
    tetrahedra = tetrahedra || (OtherCells::isTet(mesh.cells.type[c]) && (only.empty() || only[c]));
  ImproveOutcome out;
  out.cellsBefore = out.cellsAfter = mesh.cells.size();
  if (tetrahedra || !others.any) {
    Mesh changed = mesh;
    changed.nodes = nodes;
    auto made = improveLinear(changed, only, progress);
    if (!made) return made.problem();
    out = *made;
    mesh = std::move(changed);
  } else
    mesh.nodes = std::move(nodes);
  out.others = moves;
  return out;
}

namespace {
/// The cells at marked nodes and one more ring, so that there is room to change something.
std::vector<char> withRoom(const Mesh& mesh, std::vector<char> node) {
  std::vector<char> in(mesh.cells.size(), 0);
  for (int ring = 0; ring < 2; ++ring) {
    for (std::size_t c = 0; c < mesh.cells.size(); ++c)
      for (auto n : mesh.cells.of(c))
        if (node[static_cast<std::size_t>(n)]) in[c] = 1;
    for (std::size_t c = 0; c < mesh.cells.size(); ++c)
      if (in[c])
        for (auto n : mesh.cells.of(c)) node[static_cast<std::size_t>(n)] = 1;
  }
  return in;
}
} // namespace

std::vector<char> cellsAtFaces(const Mesh& mesh, const std::set<int>& faces) {
  std::vector<char> node(mesh.nodes.size(), 0);
  for (std::size_t f = 0; f < mesh.faces.size(); ++f)
    if (faces.count(mesh.faceLink[f]))
      for (auto n : mesh.faces.of(f)) node[static_cast<std::size_t>(n)] = 1;
  return withRoom(mesh, std::move(node));
}

std::vector<char> cellsAround(const Mesh& mesh, const std::vector<std::int32_t>& cells) {
  std::vector<char> node(mesh.nodes.size(), 0);
  for (auto c : cells)
    for (auto n : mesh.cells.of(static_cast<std::size_t>(c))) node[static_cast<std::size_t>(n)] = 1;
  return withRoom(mesh, std::move(node));
}

Result<std::vector<char>> chosenCells(const Mesh& mesh, const std::string& choice, const Progress& progress) {
  auto wrong = [&](const std::string& why, const std::string& todo) {
    Problem p;
    p.fault = Fault::Usage;
    p.code = "improve.choice";
    p.what = "'" + choice + "' chooses nothing";
    p.why = why;
    p.todo = todo;
    return p;
  };
  std::vector<char> node(mesh.nodes.size(), 0);
  bool found = false;
  for (const auto& g : mesh.groups) {
    if (g.name != choice) continue;
    found = true;
    for (auto i : g.items) {
      if (g.dim == 3)
        for (auto n : mesh.cells.of(static_cast<std::size_t>(i))) node[static_cast<std::size_t>(n)] = 1;
      if (g.dim == 2)
        for (auto n : mesh.faces.of(static_cast<std::size_t>(i))) node[static_cast<std::size_t>(n)] = 1;
      if (g.dim < 2) node[static_cast<std::size_t>(i)] = 1;
    }
  }
  if (!found) {
    auto colon = choice.find(':'), dots = choice.find("..");
    auto metric = metricById(choice.substr(0, colon));
    if (colon == std::string::npos || dots == std::string::npos || !metric) {
      std::string names;
      for (const auto& g : mesh.groups) names += (names.empty() ? "" : ", ") + g.name;
      return wrong("there is neither such a group nor is it a range of a metric",
                   (names.empty() ? std::string() : "groups here: " + names + "; ") +
                       "write a range as min_dihedral:0..15");
    }
    char *e1 = nullptr, *e2 = nullptr;
    std::string a = choice.substr(colon + 1, dots - colon - 1), b = choice.substr(dots + 2);
    double lo = std::strtod(a.c_str(), &e1), hi = std::strtod(b.c_str(), &e2);
    if (a.empty() || b.empty() || *e1 || *e2 || !(lo <= hi))
      return wrong("the range is not two rising numbers", "write a range as min_dihedral:0..15");
    auto values = computeMetrics(mesh, &progress)[static_cast<std::size_t>(*metric)].value;
    for (std::size_t c = 0; c < values.size(); ++c)
      if (values[c] >= lo && values[c] <= hi)
        for (auto n : mesh.cells.of(c)) node[static_cast<std::size_t>(n)] = 1;
  }
  return withRoom(mesh, std::move(node));
}

std::optional<Problem> changeOrderOf(Mesh& mesh, int order, const std::string& only) {
  std::vector<char> chosen;
  if (!only.empty()) {
    chosen.assign(mesh.cells.size(), 0);
    bool known = false;
    for (std::size_t r = 0; r < mesh.regions.size(); ++r) {
      if (mesh.regions[r] != only) continue;
      known = true;
      for (std::size_t c = 0; c < chosen.size(); ++c) chosen[c] |= mesh.cellRegion[c] == static_cast<int>(r);
    }
    for (const auto& g : mesh.groups)
      if (g.name == only && g.dim == 3) {
        known = true;
        for (auto c : g.items) chosen[static_cast<std::size_t>(c)] = 1;
      }
    if (!known) {
      Problem p;
      p.fault = Fault::Usage;
      p.code = "usage";
      p.what = "there is no region or element set '" + only + "'";
      p.todo = "name one of:";
      for (const auto& r : mesh.regions) p.todo += " " + r;
      return p;
    }
  }
  return changeOrder(mesh, order, chosen);
}

} // namespace tess
