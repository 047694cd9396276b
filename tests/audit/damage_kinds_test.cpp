// SPDX-License-Identifier: GPL-3.0-or-later
// Every way in which a mesh is broken is found, with a place near it, and nothing is claimed of sound ones.
#include "audit/audit.h"
#include "support/boxes.h"
#include "support/fixtures.h"
#include <functional>

using namespace tess;
using namespace tess::test;

namespace {

using Ring = std::vector<std::int32_t>;

/// The cell whose middle is nearest to a place.
std::size_t cellAt(const Mesh& m, const Vec3& p) {
  std::size_t best = 0;
  for (std::size_t c = 1; c < m.cells.size(); ++c)
    if ((cellCenter(m, c) - p).norm() < (cellCenter(m, best) - p).norm()) best = c;
  return best;
}
/// The mesh without some cells and with others, faces made anew.
void replace(Mesh& m, const std::vector<std::size_t>& gone, const std::function<void(Mesh&)>& add) {
  Mesh r = m;
  r.cells = {};
  r.cellRegion.clear();
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    if (std::find(gone.begin(), gone.end(), c) != gone.end()) continue;
    r.cells.addLike(m.cells, c, m.cells.of(c));
    r.cellRegion.push_back(m.cellRegion[c]);
  }
  add(r);
  r.cellRegion.resize(r.cells.size(), 0);
  r.groups.clear();
  rebuildFaces(r);
  m = std::move(r);
}
Ring nodesOf(const Mesh& m, std::size_t c) { return {m.cells.of(c).begin(), m.cells.of(c).end()}; }
std::int32_t copyOf(Mesh& m, std::int32_t n, const Vec3& by = Vec3::Zero()) {
  m.nodes.push_back(m.nodes[static_cast<std::size_t>(n)] + by);
  return static_cast<std::int32_t>(m.nodes.size()) - 1;
}
void kuhn(Mesh& m, const Ring& v, bool mirrored) {
  static const int path[6][2] = {{1, 2}, {2, 3}, {3, 7}, {7, 4}, {4, 5}, {5, 1}};
  static const int turned[8] = {3, 2, 1, 0, 7, 6, 5, 4}; // y reversed
  auto at = [&](int i) { return v[static_cast<std::size_t>(mirrored ? turned[i] : i)]; };
  for (const auto& p : path) {
    Ring t{at(0), at(p[0]), at(p[1]), at(6)};
    if (mirrored) std::swap(t[1], t[2]);
    m.cells.add(ElementType::Tet4, t);
  }
}

struct Damage {
  std::string name;
  std::function<Mesh()> make;
  Vec3 at; ///< about where
};

const Vec3 kMid(1.5, 0.5, 0.5); // middle of a cell of every bar's hexahedral grid

std::vector<Damage> damages() {
  std::vector<Damage> d;
  auto add = [&](const std::string& name, const Vec3& at, std::function<Mesh()> make) {
    d.push_back({name, std::move(make), at});
  };
  auto inverted = [&](const std::string& name, Filling f, int order, int a, int b) {
    add(name, kMid, [=] {
      Mesh m = bar(f, order);
      auto q = m.cells.of(cellAt(m, kMid));
      std::swap(q[static_cast<std::size_t>(a)], q[static_cast<std::size_t>(b)]);
      return m;
    });
  };
  inverted("a tetrahedron with two corners changed", Filling::Tetrahedra, 1, 0, 1);
  inverted("a hexahedron with two corners changed", Filling::Hexahedra, 1, 1, 3);
  inverted("a wedge with two corners changed", Filling::Wedges, 1, 1, 2);
  inverted("a pyramid with two corners changed", Filling::Pyramids, 1, 1, 3);
  inverted("a tetrahedron of order 2 with two corners changed and mid nodes left", Filling::Tetrahedra, 2, 0, 1);
  for (const auto& [name, filling] : std::vector<std::pair<std::string, Filling>>{{"tetrahedron", Filling::Tetrahedra},
                                                                                  {"hexahedron", Filling::Hexahedra},
                                                                                  {"wedge", Filling::Wedges},
                                                                                  {"pyramid", Filling::Pyramids}})
    add("a " + name + " folded by a mid node, its corners right", kMid, [f = filling] {
      Mesh m = bar(f, 2);
      const std::size_t c = cellAt(m, kMid);
      const auto& t = m.cells.shape(c);
      const auto q = m.cells.of(c);
      // The last edge's mid node goes almost to its far end.
      const auto& e = t.edge[static_cast<std::size_t>(t.edges) - 1];
      const Vec3 a = m.nodes[static_cast<std::size_t>(q[static_cast<std::size_t>(e[0])])],
                 b = m.nodes[static_cast<std::size_t>(q[static_cast<std::size_t>(e[1])])];
      m.nodes[static_cast<std::size_t>(q[q.size() - 1])] = a + 0.97 * (b - a);
      return m;
    });
  add("a hexahedron with a negative corner at positive volume", {4, 2, 2}, [] {
    Mesh m = bar(Filling::Hexahedra);
    const std::size_t c = cellAt(m, {3.5, 1.5, 1.5});
    m.nodes[static_cast<std::size_t>(m.cells.of(c)[6])] = Vec3(3.25, 1.25, 1.25); // beyond the plane of its three
    return m;
  });
  add("a flat tetrahedron", kMid, [] {
    Mesh m = bar(Filling::Tetrahedra);
    replace(m, {}, [](Mesh& r) {
      const Ring q = nodesOf(r, cellAt(r, kMid));
      const auto n = copyOf(r, q[0]);
      r.nodes.back() = (r.nodes[static_cast<std::size_t>(q[1])] + r.nodes[static_cast<std::size_t>(q[2])] +
                        r.nodes[static_cast<std::size_t>(q[3])]) /
                       3;
      r.cells.add(ElementType::Tet4, Ring{q[1], q[2], q[3], n});
    });
    return m;
  });
  add("a hexahedron that names a node twice", kMid, [] {
    Mesh m = bar(Filling::Hexahedra);
    auto q = m.cells.of(cellAt(m, kMid));
    q[6] = q[7];
    return m;
  });
  add("a cell that stands twice", kMid, [] {
    Mesh m = bar(Filling::Hexahedra);
    replace(m, {}, [](Mesh& r) { r.cells.add(ElementType::Hex8, nodesOf(r, cellAt(r, kMid))); });
    return m;
  });
  add("a wedge that stands twice, its corners in another order", kMid, [] {
    Mesh m = bar(Filling::Wedges);
    replace(m, {}, [](Mesh& r) {
      const Ring q = nodesOf(r, cellAt(r, kMid));
      r.cells.add(ElementType::Wedge6, Ring{q[1], q[2], q[0], q[4], q[5], q[3]});
    });
    return m;
  });
  add("a node of no element", {9, 9, 9}, [] {
    Mesh m = bar(Filling::Hybrid);
    m.nodes.emplace_back(9, 9, 9);
    return m;
  });
  add("a node in the middle that is doubled for one cell", {2, 2, 2}, [] {
    Mesh m = bar(Filling::Hexahedra, 1, {{4, 3, 3}, {4, 3, 3}});
    const auto n = copyOf(m, m.cells.of(cellAt(m, {1.5, 1.5, 1.5}))[6]);
    m.cells.of(cellAt(m, {1.5, 1.5, 1.5}))[6] = n;
    m.groups.clear();
    rebuildFaces(m);
    return m;
  });
  add("a crack: one face's nodes doubled", kMid, [] {
    Mesh m = bar(Filling::Tetrahedra);
    const std::size_t c = cellAt(m, kMid);
    for (std::size_t i = 0; i < 3; ++i) {
      const auto n = copyOf(m, m.cells.of(c)[i]);
      m.cells.of(c)[i] = n;
    }
    m.groups.clear();
    rebuildFaces(m);
    return m;
  });
  add("a gap of a ten thousandth between two halves", {2, 1, 1}, [] {
    Mesh m = bar(Filling::Hexahedra);
    std::map<std::int32_t, std::int32_t> other;
    for (std::size_t c = 0; c < m.cells.size(); ++c) {
      if (cellCenter(m, c).x() < 2) continue;
      for (std::size_t i = 0; i < 8; ++i) {
        const auto n = m.cells.of(c)[i];
        const Vec3 p = m.nodes[static_cast<std::size_t>(n)];
        if (std::abs(p.x() - 2) > 1e-9) continue;
        if (!other.count(n)) other[n] = copyOf(m, n, {1e-4, 0, 0});
        m.cells.of(c)[i] = other[n];
      }
    }
    m.groups.clear();
    rebuildFaces(m);
    return m;
  });
  add("a third cell at a face", kMid, [] {
    Mesh m = bar(Filling::Tetrahedra);
    replace(m, {}, [](Mesh& r) {
      const Ring q = nodesOf(r, cellAt(r, kMid));
      const auto n = copyOf(r, q[3], {0.1, 0.05, 0.02});
      r.cells.add(ElementType::Tet4, Ring{q[0], q[1], q[2], n});
    });
    return m;
  });
  add("a quadrilateral against two triangles", kMid, [] {
    Mesh m = bar(Filling::Hexahedra);
    const std::size_t c = cellAt(m, kMid);
    const Ring v = nodesOf(m, c);
    replace(m, {c}, [&](Mesh& r) { kuhn(r, v, false); });
    return m;
  });
  add("a quadrilateral of a wedge against two triangles", kMid, [] {
    Mesh m = bar(Filling::Hexahedra);
    const std::size_t c = cellAt(m, kMid);
    const Ring v = nodesOf(m, c);
    replace(m, {c}, [&](Mesh& r) {
      r.cells.add(ElementType::Wedge6, Ring{v[0], v[3], v[7], v[1], v[2], v[6]});
      r.cells.add(ElementType::Wedge6, Ring{v[0], v[7], v[4], v[1], v[6], v[5]});
    });
    return m;
  });
  add("a flipped diagonal", kMid, [] {
    Mesh m = bar(Filling::Hexahedra);
    const std::vector<Ring> v = [&] {
      std::vector<Ring> all;
      for (std::size_t c = 0; c < m.cells.size(); ++c) all.push_back(nodesOf(m, c));
      return all;
    }();
    const std::size_t odd = cellAt(m, kMid);
    std::vector<std::size_t> gone(m.cells.size());
    for (std::size_t c = 0; c < gone.size(); ++c) gone[c] = c;
    replace(m, gone, [&](Mesh& r) {
      for (std::size_t c = 0; c < v.size(); ++c) kuhn(r, v[c], c == odd);
    });
    return m;
  });
  add("a flipped diagonal of a warped face", kMid, [] {
    Mesh m = bar(Filling::Hexahedra);
    for (auto& p : m.nodes)
      if (p.x() > 0.5 && p.x() < 1.5) p.x() += 0.1 * p.y() * p.z();
    std::vector<Ring> v;
    for (std::size_t c = 0; c < m.cells.size(); ++c) v.push_back(nodesOf(m, c));
    const std::size_t odd = cellAt(m, kMid);
    std::vector<std::size_t> gone(m.cells.size());
    for (std::size_t c = 0; c < gone.size(); ++c) gone[c] = c;
    replace(m, gone, [&](Mesh& r) {
      for (std::size_t c = 0; c < v.size(); ++c) kuhn(r, v[c], c == odd);
    });
    return m;
  });
  auto refined = [](int parts, bool allWays) {
    Mesh m = bar(Filling::Hexahedra);
    const std::size_t c = cellAt(m, kMid);
    const Ring v = nodesOf(m, c);
    replace(m, {c}, [&](Mesh& r) {
      const Vec3 lo = r.nodes[static_cast<std::size_t>(v[0])], hi = r.nodes[static_cast<std::size_t>(v[6])];
      std::map<std::array<int, 3>, std::int32_t> at;
      const int n[3] = {allWays ? parts : 1, parts, allWays ? parts : 1};
      for (int i = 0; i < 8; ++i) {
        static const int corner[8][3] = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0},
                                         {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}};
        at[{corner[i][0] * n[0], corner[i][1] * n[1], corner[i][2] * n[2]}] = v[static_cast<std::size_t>(i)];
      }
      auto node = [&](int i, int j, int k) {
        const auto it = at.find({i, j, k});
        if (it != at.end()) return it->second;
        r.nodes.push_back(lo + Vec3((hi - lo).x() * i / n[0], (hi - lo).y() * j / n[1], (hi - lo).z() * k / n[2]));
        return at[{i, j, k}] = static_cast<std::int32_t>(r.nodes.size()) - 1;
      };
      for (int i = 0; i < n[0]; ++i)
        for (int j = 0; j < n[1]; ++j)
          for (int k = 0; k < n[2]; ++k)
            r.cells.add(ElementType::Hex8, Ring{node(i, j, k), node(i + 1, j, k), node(i + 1, j + 1, k),
                                                node(i, j + 1, k), node(i, j, k + 1), node(i + 1, j, k + 1),
                                                node(i + 1, j + 1, k + 1), node(i, j + 1, k + 1)});
    });
    return m;
  };
  add("hanging nodes: one hexahedron is eight", kMid, [=] { return refined(2, true); });
  add("hanging nodes: one hexahedron is 27", kMid, [=] { return refined(3, true); });
  add("one hexahedron is two, in one direction", kMid, [=] { return refined(2, false); });
  add("a mid node that a neighbour lacks: it has one of its own", kMid, [] {
    Mesh m = bar(Filling::Hexahedra, 2);
    const std::size_t c = cellAt(m, kMid);
    const auto n = copyOf(m, m.cells.of(c)[8 + 9], {0, 0.01, 0});
    m.cells.of(c)[8 + 9] = n;
    return m;
  });
  add("an element of order 1 among those of order 2", kMid, [] {
    Mesh m = bar(Filling::Tetrahedra, 2);
    const std::size_t c = cellAt(m, kMid);
    const Ring v = nodesOf(m, c);
    replace(m, {c}, [&](Mesh& r) { r.cells.add(ElementType::Tet4, Ring(v.begin(), v.begin() + 4)); });
    return m;
  });
  add("an element that is missing inside", {1.5, 1.5, 1.5}, [] {
    Mesh m = bar(Filling::Hexahedra, 1, {{4, 3, 3}, {4, 3, 3}});
    replace(m, {cellAt(m, {1.5, 1.5, 1.5})}, [](Mesh&) {});
    return m;
  });
  add("a tetrahedron that is missing inside", {1.5, 1.5, 1.5}, [] {
    Mesh m = bar(Filling::Tetrahedra, 1, {{4, 3, 3}, {4, 3, 3}});
    replace(m, {cellAt(m, {1.5, 1.5, 1.5})}, [](Mesh&) {});
    return m;
  });
  auto polyhedron = [&](const std::string& name, std::function<void(std::vector<Ring>&)> change) {
    add(name, kMid, [=] {
      Mesh m = bar(Filling::Polyhedra);
      const std::size_t c = cellAt(m, {1.5, 0.5, 0.5});
      std::vector<Ring> faces;
      for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
        faces.emplace_back();
        for (auto i : m.cells.faceCorners(c, f)) faces.back().push_back(m.cells.of(c)[static_cast<std::size_t>(i)]);
      }
      change(faces);
      replace(m, {c}, [&](Mesh& r) { r.cells.addPolyhedron(faces); });
      return m;
    });
  };
  polyhedron("a polyhedron that lacks a face", [](auto& f) { f.erase(f.begin()); });
  polyhedron("a polyhedron with a face the wrong way round", [](auto& f) { std::reverse(f[0].begin(), f[0].end()); });
  polyhedron("a polyhedron whose side lacks the hanging node", [](auto& f) {
    f[5].erase(std::find_if(f[5].begin(), f[5].end(), [&](auto n) {
      return std::count_if(f.begin(), f.end(),
                           [&](const auto& r) { return std::find(r.begin(), r.end(), n) != r.end(); }) == 3 &&
             std::find(f[0].begin(), f[0].end(), n) == f[0].end();
    }));
  });
  polyhedron("a polyhedron with all faces the wrong way round", [](auto& f) {
    for (auto& r : f) std::reverse(r.begin(), r.end());
  });
  add("a region that is open on one face", {2, 0.5, 0.5}, [] {
    // Two regions that share their nodes but at the middle of one face.
    Mesh m = bar(Filling::Hexahedra, 1, {{4, 3, 3}, {4, 3, 3}});
    m.regions = {"left", "right"};
    for (std::size_t c = 0; c < m.cells.size(); ++c) m.cellRegion[c] = cellCenter(m, c).x() > 2;
    const std::size_t c = cellAt(m, {2.5, 0.5, 0.5});
    const Ring v = nodesOf(m, c);
    replace(m, {c}, [&](Mesh& r) { kuhn(r, v, false); });
    for (std::size_t k = 0; k < m.cells.size(); ++k) m.cellRegion[k] = cellCenter(m, k).x() > 2;
    rebuildFaces(m);
    return m;
  });
  add("all elements the wrong way round", {2, 1, 1}, [] {
    Mesh m = bar(Filling::Hybrid);
    for (auto& p : m.nodes) p.x() = 4 - p.x();
    return m;
  });
  add("a node beyond the other side of its element", kMid, [] {
    Mesh m = bar(Filling::Tetrahedra, 1, {{4, 3, 3}, {4, 3, 3}});
    for (auto& p : m.nodes)
      if ((p - Vec3(2, 1, 1)).norm() < 1e-9) p = Vec3(3.2, 1, 1);
    return m;
  });
  add("an edge where a mesh of a part touches itself", {1, 1, 0.5}, [] {
    Mesh m = bar(Filling::Hexahedra, 1, {{2, 2, 1}, {2, 2, 1}});
    replace(m, {cellAt(m, {0.5, 1.5, 0.5}), cellAt(m, {1.5, 0.5, 0.5})}, [](Mesh&) {});
    std::vector<std::int32_t> to(m.nodes.size(), -1);
    std::vector<Vec3> kept;
    for (auto& n : m.cells.nodes) {
      auto& t = to[static_cast<std::size_t>(n)];
      if (t < 0) {
        t = static_cast<std::int32_t>(kept.size());
        kept.push_back(m.nodes[static_cast<std::size_t>(n)]);
      }
      n = t;
    }
    m.nodes = kept;
    m.nodeLink.assign(m.nodes.size(), {2, 0}); // on a face of the part, so no edge of its own
    rebuildFaces(m);
    return m;
  });
  return d;
}

} // namespace

TEST(Damage, everyKindIsFoundWithAPlace) {
  const auto all = damages();
  EXPECT_GE(all.size(), 30u);
  for (const auto& d : all) {
    SCOPED_TRACE(d.name);
    const Mesh m = d.make();
    const Audit a = auditMesh(m, *limitSet("general"));
    EXPECT_FALSE(a.soundness.sound());
    EXPECT_FALSE(a.pass);
    ASSERT_FALSE(a.soundness.flaws.empty());
    double nearest = 1e300;
    for (const auto& f : a.soundness.flaws)
      for (const Vec3& p : f.places) nearest = std::min(nearest, (p - d.at).norm());
    EXPECT_LT(nearest, 1.5);
  }
}

TEST(Damage, soundMeshesAreNotAccused) {
  for (auto f : fillings())
    for (int order : {1, 2}) {
      if (order == 2 && !hasOrder2(f)) continue;
      SCOPED_TRACE(fillingName(f));
      Mesh m = bar(f, order, {{6, 3, 3}, {7, 2, 3}});
      EXPECT_TRUE(checkSoundness(m).sound());
      // Twisted and bent, but nowhere folded.
      for (auto& p : m.nodes) {
        const double t = 0.1 * p.x();
        p = Vec3(p.x() + 0.05 * p.y() * p.z(), std::cos(t) * p.y() - std::sin(t) * p.z(),
                 std::sin(t) * p.y() + std::cos(t) * p.z());
      }
      const Soundness s = checkSoundness(m);
      EXPECT_TRUE(s.sound()) << (s.flaws.empty() ? "" : s.flaws[0].what);
    }
}

TEST(Damage, bodiesThatTouchOrAreHollowAreNone) {
  // Two regions side by side that share no node, a hollow of many faces, and voxels that meet at an edge.
  Mesh m = bar(Filling::Hexahedra);
  Mesh other = bar(Filling::Wedges);
  const auto shift = static_cast<std::int32_t>(m.nodes.size());
  for (const Vec3& p : other.nodes) m.nodes.push_back(p + Vec3(4, 0, 0));
  for (std::size_t c = 0; c < other.cells.size(); ++c) {
    Ring q = nodesOf(other, c);
    for (auto& n : q) n += shift;
    m.cells.add(other.cells.type[c], q);
    m.cellRegion.push_back(1);
  }
  m.regions.push_back("second");
  m.groups.clear();
  rebuildFaces(m);
  EXPECT_TRUE(checkSoundness(m).sound());
  EXPECT_EQ(checkSoundness(m).apartNodes, 9u);
  Mesh hollow = bar(Filling::Hexahedra, 1, {{6, 4, 4}, {6, 4, 4}});
  replace(hollow, {cellAt(hollow, {2.5, 1.5, 1.5}), cellAt(hollow, {3.5, 1.5, 1.5})}, [](Mesh&) {});
  EXPECT_TRUE(checkSoundness(hollow).sound());
  Mesh voxels = bar(Filling::Hexahedra, 1, {{3, 3, 1}, {3, 3, 1}});
  replace(voxels, {cellAt(voxels, {0.5, 1.5, 0.5}), cellAt(voxels, {1.5, 0.5, 0.5})}, [](Mesh&) {});
  EXPECT_TRUE(checkSoundness(voxels).sound());
  EXPECT_GT(checkSoundness(voxels).crowdedEdges, 0u);
}
