// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/soundness.h"
#include "base/bvh.h"
#include "base/parallel.h"
#include "mesh/jacobian.h"
#include <atomic>
#include <cmath>
#include <cstring>
#include <numeric>
#include <unordered_map>

namespace tess {
namespace {

constexpr std::size_t kPlaces = 20;
constexpr double kOpposite = -0.7;   ///< cosine of normals that look at each other
constexpr double kTouching = 1e-3;   ///< of a face's width: so near, a gap is none
constexpr double kCoincident = 1e-7; ///< the same where faces share an edge: a sharp slit may be real

/// Nodes at exactly the place of another one, each with that, by a hash of the coordinates.
std::vector<std::array<std::int32_t, 2>> repeatedNodes(const Mesh& m) {
  struct Item {
    std::uint64_t hash;
    std::int32_t node;
  };
  std::vector<Item> items(m.nodes.size());
  for (std::size_t i = 0; i < items.size(); ++i) {
    std::uint64_t h = 0;
    for (int k = 0; k < 3; ++k) {
      double x = m.nodes[i][k] + 0.0; // -0 and 0 are one place
      std::uint64_t bits;
      std::memcpy(&bits, &x, sizeof bits);
      h = (h ^ bits) * 0x9E3779B97F4A7C15ull;
      h ^= h >> 29;
    }
    items[i] = {h, static_cast<std::int32_t>(i)};
  }
  parallelSort(items.begin(), items.end(),
               [](const Item& a, const Item& b) { return a.hash != b.hash ? a.hash < b.hash : a.node < b.node; });
  // Copies on the two sides of a separate pair are meant to be at one place.
  std::vector<std::int32_t> original(m.twins.empty() ? 0 : m.nodes.size());
  for (std::size_t i = 0; i < original.size(); ++i) original[i] = static_cast<std::int32_t>(i);
  for (const auto& t : m.twins) original[static_cast<std::size_t>(t[1])] = t[0];
  auto meant = [&](std::int32_t a, std::int32_t b) {
    return !original.empty() && original[static_cast<std::size_t>(a)] == original[static_cast<std::size_t>(b)];
  };
  std::vector<std::array<std::int32_t, 2>> pairs;
  for (std::size_t i = 0; i < items.size(); ++i)
    for (std::size_t j = i; j > 0 && items[j - 1].hash == items[i].hash; --j)
      if (m.nodes[static_cast<std::size_t>(items[j - 1].node)] == m.nodes[static_cast<std::size_t>(items[i].node)] &&
          !meant(items[j - 1].node, items[i].node)) {
        pairs.push_back({items[j - 1].node, items[i].node});
        break;
      }
  return pairs;
}

/// How many of these pairs stand between regions that share no node anywhere: bodies kept apart, as a file tells them.
std::size_t betweenApart(const Mesh& m, const std::vector<std::array<std::int32_t, 2>>& pairs) {
  if (pairs.empty() || m.regions.size() < 2 || m.regions.size() > 64) return 0;
  std::vector<std::uint64_t> of(m.nodes.size(), 0); // regions around a node, a bit each
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    for (auto n : m.cells.of(c)) of[static_cast<std::size_t>(n)] |= std::uint64_t{1} << m.cellRegion[c];
  std::vector<std::uint64_t> joined(m.regions.size(), 0); // by region: those it shares a node with
  for (auto mask : of)
    if (mask & (mask - 1))
      for (std::size_t r = 0; r < joined.size(); ++r)
        if (mask >> r & 1) joined[r] |= mask;
  return static_cast<std::size_t>(std::count_if(pairs.begin(), pairs.end(), [&](const auto& p) {
    const std::uint64_t a = of[static_cast<std::size_t>(p[0])], b = of[static_cast<std::size_t>(p[1])];
    if (!a || !b || a & b) return false;
    for (std::size_t r = 0; r < joined.size(); ++r)
      if (a >> r & 1 && joined[r] & b) return false;
    return true;
  }));
}

/// Cells with the same corners as a cell before.
std::vector<std::int32_t> repeatedCells(const Mesh& m, const Neighbours& n, const Progress* progress) {
  std::vector<std::int32_t> found;
  if (n.surplus == 0) { // Two such cells are then each other's only neighbours.
    std::vector<std::uint8_t> is(m.cells.size(), 0);
    parallelFor(m.cells.size(), progress, [&](std::size_t c) {
      const auto first = n.cell.begin() + n.start[c], last = n.cell.begin() + n.start[c + 1];
      is[c] = first != last && *first >= 0 && static_cast<std::size_t>(*first) < c &&
              std::all_of(first, last, [&](auto o) { return o == *first; }) &&
              m.cells.cornerCount(c) == m.cells.cornerCount(static_cast<std::size_t>(*first));
    });
    for (std::size_t c = 0; c < is.size(); ++c)
      if (is[c]) found.push_back(static_cast<std::int32_t>(c));
    return found;
  }
  auto corners = [&](std::size_t c) {
    const auto k = m.cells.corners(c);
    std::vector<std::int32_t> v(k.begin(), k.end());
    std::sort(v.begin(), v.end());
    return v;
  };
  struct Item {
    std::uint64_t hash;
    std::int32_t cell;
  };
  std::vector<Item> items(m.cells.size());
  parallelFor(items.size(), progress, [&](std::size_t c) {
    std::uint64_t h = 0;
    for (auto v : corners(c)) {
      h = (h ^ static_cast<std::uint32_t>(v)) * 0x9E3779B97F4A7C15ull;
      h ^= h >> 29;
    }
    items[c] = {h, static_cast<std::int32_t>(c)};
  });
  parallelSort(items.begin(), items.end(),
               [](const Item& a, const Item& b) { return a.hash != b.hash ? a.hash < b.hash : a.cell < b.cell; });
  for (std::size_t i = 1; i < items.size(); ++i)
    if (items[i].hash == items[i - 1].hash &&
        corners(static_cast<std::size_t>(items[i].cell)) == corners(static_cast<std::size_t>(items[i - 1].cell)))
      found.push_back(items[i].cell);
  return found;
}

/// A face of one cell only.
struct FreeFace {
  std::int32_t cell;
  std::uint32_t face;
};

class Check {
public:
  Check(const Mesh& mesh, const Neighbours& near, const Progress* progress) : m(mesh), n(near), m_progress(progress) {}

  Soundness run(const std::array<MetricValues, kMetrics>& metrics) {
    cells(metrics);
    nodes();
    step();
    s.nonConforming = n.surplus;
    surplus();
    m_free = parallelCollect<FreeFace>(m.cells.size(), m_progress, [&](std::size_t c, auto& list) {
      for (std::uint32_t k = n.start[c]; k < n.start[c + 1]; ++k)
        if (n.cell[k] < 0) list.push_back({static_cast<std::int32_t>(c), k - n.start[c]});
    });
    edges();
    step();
    mismatches();
    step();
    midNodes();
    const auto twice = repeatedCells(m, n, m_progress);
    s.duplicateCells = twice.size();
    note(twice.size(), "element stands twice", "elements stand twice", [&](std::size_t i) { return centre(twice[i]); });
    return std::move(s);
  }

private:
  const Mesh& m;
  const Neighbours& n;
  const Progress* m_progress;
  Soundness s;
  std::vector<FreeFace> m_free;

  void step() const {
    if (m_progress) m_progress->check();
  }
  Vec3 centre(std::int32_t c) const { return cellCenter(m, static_cast<std::size_t>(c)); }
  const Vec3& at(std::int32_t v) const { return m.nodes[static_cast<std::size_t>(v)]; }
  template <class P> void note(std::size_t count, const char* one, const char* many, P&& place) {
    if (!count) return;
    Flaw f{std::to_string(count) + " " + (count == 1 ? one : many), {}};
    for (std::size_t i = 0; i < std::min(count, kPlaces); ++i) f.places.push_back(place(i));
    s.flaws.push_back(std::move(f));
  }
  /// Cells of which `is` holds.
  template <class Is> std::vector<std::int32_t> cellsThat(Is&& is) const {
    return parallelCollect<std::int32_t>(m.cells.size(), m_progress, [&](std::size_t c, auto& list) {
      if (is(c)) list.push_back(static_cast<std::int32_t>(c));
    });
  }

  void cells(const std::array<MetricValues, kMetrics>& metrics) {
    const auto& volume = metrics[static_cast<std::size_t>(Metric::Volume)].value;
    const auto& jacobian = metrics[static_cast<std::size_t>(Metric::JacobianRatio)].value;
    std::vector<std::uint8_t> bad(m.cells.size(), 0);
    parallelFor(bad.size(), m_progress, [&](std::size_t c) {
      std::uint8_t& b = bad[c];
      const bool poly = m.cells.type[c] == ElementType::Polyhedron;
      if (!(volume[c] > 0) || (poly ? !facesLookOut(m, c) : jacobian[c] <= 0)) b = 1;
      const auto v = m.cells.of(c);
      for (std::size_t i = 0; i < v.size(); ++i)
        for (std::size_t k = 0; k < i; ++k)
          if (v[i] == v[k]) b |= 2;
      if (poly && !closed(c)) b |= 4;
    });
    const auto inverted = cellsThat([&](std::size_t c) { return bad[c] & 1; }),
               repeated = cellsThat([&](std::size_t c) { return bad[c] & 2; }),
               open = cellsThat([&](std::size_t c) { return bad[c] & 4; });
    s.inverted = inverted.size();
    s.repeatedCorners = repeated.size();
    s.openCells = open.size();
    note(s.inverted, "element is inverted or has no volume", "elements are inverted or have no volume",
         [&](std::size_t i) { return centre(inverted[i]); });
    note(s.openCells, "polyhedron does not close", "polyhedra do not close",
         [&](std::size_t i) { return centre(open[i]); });
    note(s.repeatedCorners, "element names a node twice", "elements name a node twice",
         [&](std::size_t i) { return centre(repeated[i]); });
  }

  /// Every edge of a polyhedron belongs to two of its faces, once in each direction.
  bool closed(std::size_t c) const {
    std::vector<std::pair<std::uint64_t, int>> uses;
    for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
      const auto q = m.cells.faceCorners(c, f);
      for (std::size_t i = 0; i < q.size(); ++i) {
        const auto a = q[i], b = q[(i + 1) % q.size()];
        uses.push_back({edgeKey(a, b), a < b ? 1 : -1});
      }
    }
    std::sort(uses.begin(), uses.end());
    for (std::size_t i = 0; i < uses.size(); i += 2)
      if (i + 1 >= uses.size() || uses[i].first != uses[i + 1].first || uses[i].second == uses[i + 1].second)
        return false;
    return true;
  }

  void nodes() {
    std::vector<char> used(m.nodes.size(), 0);
    for (auto v : m.cells.nodes) used[static_cast<std::size_t>(v)] = 1;
    std::vector<std::int32_t> unused;
    for (std::size_t i = 0; i < used.size(); ++i)
      if (!used[i]) unused.push_back(static_cast<std::int32_t>(i));
    s.unusedNodes = unused.size();
    note(s.unusedNodes, "node belongs to no element", "nodes belong to no element",
         [&](std::size_t i) { return at(unused[i]); });
    step();
    const auto repeated = repeatedNodes(m);
    s.apartNodes = betweenApart(m, repeated);
    s.duplicateNodes = repeated.size() - s.apartNodes;
    if (s.duplicateNodes)
      note(s.duplicateNodes, "node stands at the place of another", "nodes stand at the place of another",
           [&](std::size_t i) { return at(repeated[i][1]); });
  }

  void surplus() {
    if (!n.surplus) return;
    std::vector<std::int32_t> cells; // a third cell sees the first, which does not see it
    for (std::size_t c = 0; c < m.cells.size() && cells.size() < kPlaces; ++c)
      for (std::uint32_t k = n.start[c]; k < n.start[c + 1]; ++k) {
        const auto o = n.cell[k];
        if (o < 0) continue;
        const auto first = n.cell.begin() + n.start[static_cast<std::size_t>(o)],
                   last = n.cell.begin() + n.start[static_cast<std::size_t>(o) + 1];
        if (std::find(first, last, static_cast<std::int32_t>(c)) != last) continue;
        cells.push_back(static_cast<std::int32_t>(c));
        break;
      }
    Flaw f{std::to_string(n.surplus) + (n.surplus == 1 ? " face belongs" : " faces belong") +
               " to more than two elements",
           {}};
    for (auto c : cells) f.places.push_back(centre(c));
    s.flaws.push_back(std::move(f));
  }

  /// Faces used once are the boundary; it must be closed, and so must the boundary of every region.
  void edges() {
    struct Side {
      std::uint64_t edge;
      std::int32_t region;
      int sense;
      auto key() const { return std::tie(edge, region, sense); }
      bool operator<(const Side& o) const { return key() < o.key(); }
    };
    auto add = [&](std::size_t c, std::size_t f, std::vector<Side>& sides) {
      const auto q = m.cells.of(c);
      const auto ring = m.cells.faceCorners(c, f);
      for (std::size_t i = 0; i < ring.size(); ++i) {
        const auto a = q[static_cast<std::size_t>(ring[i])],
                   b = q[static_cast<std::size_t>(ring[(i + 1) % ring.size()])];
        sides.push_back({edgeKey(a, b), m.cellRegion[c], a < b ? 1 : -1});
      }
    };
    auto sides = parallelCollect<Side>(m_free.size(), m_progress, [&](std::size_t i, auto& list) {
      add(static_cast<std::size_t>(m_free[i].cell), m_free[i].face, list);
    });
    const std::size_t outer = sides.size();
    if (m.regions.size() > 1) {
      const auto inner = parallelCollect<Side>(m.cells.size(), m_progress, [&](std::size_t c, auto& list) {
        for (std::uint32_t k = n.start[c]; k < n.start[c + 1]; ++k)
          if (const auto o = n.cell[k]; o >= 0 && m.cellRegion[static_cast<std::size_t>(o)] != m.cellRegion[c])
            add(c, k - n.start[c], list);
      });
      sides.insert(sides.end(), inner.begin(), inner.end());
    }
    std::vector<std::uint64_t> open, crowded;
    auto own = [&](std::uint64_t edge) { // may be an edge of the part, of which any number of faces may meet
      for (auto v : {edge >> 32, edge & 0xffffffff})
        if (v < m.nodeLink.size() && m.nodeLink[v].dim > 1) return false;
      return !m.nodeLink.empty();
    };
    auto look = [&](std::size_t count, bool byRegion) {
      parallelSort(sides.begin(), sides.begin() + static_cast<std::ptrdiff_t>(count));
      for (std::size_t i = 0, j; i < count; i = j) {
        int sum = 0;
        for (j = i; j < count && sides[j].edge == sides[i].edge && (!byRegion || sides[j].region == sides[i].region);
             ++j)
          sum += sides[j].sense;
        if (sum != 0)
          open.push_back(sides[i].edge);
        else if (byRegion && j - i > 2 && !own(sides[i].edge))
          crowded.push_back(sides[i].edge);
      }
    };
    look(outer, false);
    look(sides.size(), true);
    for (auto* list : {&open, &crowded}) {
      std::sort(list->begin(), list->end());
      list->erase(std::unique(list->begin(), list->end()), list->end());
    }
    auto middle = [&](std::uint64_t e) {
      return Vec3(0.5 * (at(static_cast<std::int32_t>(e >> 32)) + at(static_cast<std::int32_t>(e & 0xffffffff))));
    };
    s.openEdges = open.size();
    s.crowdedEdges = crowded.size();
    s.partKnown = !m.nodeLink.empty();
    note(s.openEdges, "edge of the boundary is open", "edges of the boundary are open",
         [&](std::size_t i) { return middle(open[i]); });
    note(s.partKnown ? s.crowdedEdges : 0, "edge has more than two faces of one boundary",
         "edges have more than two faces of one boundary", [&](std::size_t i) { return middle(crowded[i]); });
  }

  /// Corners of the free faces, one after the other.
  struct Rings {
    std::vector<std::size_t> start;
    std::vector<std::int32_t> node;
    std::size_t size() const { return start.size() - 1; }
    std::span<const std::int32_t> operator[](std::size_t i) const {
      return {node.data() + start[i], start[i + 1] - start[i]};
    }
  };
  Rings rings() const {
    Rings r;
    r.start.assign(1, 0);
    for (const auto& f : m_free)
      r.start.push_back(r.start.back() + m.cells.faceCorners(static_cast<std::size_t>(f.cell), f.face).size());
    r.node.resize(r.start.back());
    parallelFor(m_free.size(), m_progress, [&](std::size_t i) {
      const auto c = static_cast<std::size_t>(m_free[i].cell);
      std::size_t k = r.start[i];
      for (auto x : m.cells.faceCorners(c, m_free[i].face)) r.node[k++] = m.cells.of(c)[static_cast<std::size_t>(x)];
    });
    return r;
  }

  /// Free faces that should be inner ones: those that lie on other free faces but have other corners.
  void mismatches() {
    const Rings ring = rings();
    std::vector<Vec3> middle(m_free.size()), normal(m_free.size());
    std::vector<double> width(m_free.size());
    parallelFor(m_free.size(), m_progress, [&](std::size_t i) {
      const auto q = ring[i];
      middle[i] = normal[i] = Vec3::Zero();
      for (auto v : q) middle[i] += at(v) / static_cast<double>(q.size());
      for (std::size_t k = 0; k < q.size(); ++k) {
        normal[i] += (at(q[k]) - middle[i]).cross(at(q[(k + 1) % q.size()]) - middle[i]);
        width[i] = std::max(width[i], (at(q[k]) - at(q[(k + 1) % q.size()])).norm());
      }
      if (normal[i].norm() > 0) normal[i].normalize();
    });
    std::vector<std::uint8_t> bad(m_free.size(), 0);
    byCorners(ring, bad);
    step();
    byPlace(ring, middle, normal, width, bad);
    hollows(ring, middle, bad);
    std::vector<std::size_t> found;
    for (std::size_t i = 0; i < bad.size(); ++i)
      if (bad[i]) found.push_back(i);
    s.mismatched = found.size();
    note(s.mismatched, "face lies on another one without sharing its corners",
         "faces lie on others without sharing their corners", [&](std::size_t i) { return middle[found[i]]; });
  }

  struct Use {
    std::uint64_t edge;
    std::uint32_t face;
    bool operator<(const Use& o) const { return std::tie(edge, face) < std::tie(o.edge, o.face); }
  };
  /// Edges of those rings of which `of` holds, each with its face, sorted.
  template <class Of> std::vector<Use> edgesOf(const Rings& ring, Of&& of) const {
    auto uses = parallelCollect<Use>(ring.size(), m_progress, [&](std::size_t i, auto& list) {
      const auto q = ring[i];
      if (of(i))
        for (std::size_t k = 0; k < q.size(); ++k)
          list.push_back({edgeKey(q[k], q[(k + 1) % q.size()]), static_cast<std::uint32_t>(i)});
    });
    parallelSort(uses.begin(), uses.end());
    return uses;
  }

  /// Hollows with no more faces than an element has: what is missing there is one. Real ones are meshed by more.
  void hollows(const Rings& ring, const std::vector<Vec3>& middle, const std::vector<std::uint8_t>& bad) {
    constexpr std::size_t kFaces = 6;
    const auto uses = edgesOf(ring, [](std::size_t) { return true; });
    std::vector<std::uint32_t> up(ring.size());
    std::iota(up.begin(), up.end(), 0);
    auto root = [&](std::uint32_t i) {
      while (up[i] != i) i = up[i] = up[up[i]];
      return i;
    };
    for (std::size_t i = 1; i < uses.size(); ++i)
      if (uses[i].edge == uses[i - 1].edge) {
        const auto a = root(uses[i].face), b = root(uses[i - 1].face);
        up[std::max(a, b)] = std::min(a, b);
      }
    std::vector<std::uint32_t> size(ring.size(), 0);
    for (std::uint32_t i = 0; i < ring.size(); ++i) ++size[root(i)];
    std::vector<double> volume(ring.size(), 0);
    std::vector<Vec3> p;
    for (std::uint32_t i = 0; i < ring.size(); ++i) {
      const auto r = root(i);
      if (size[r] > kFaces || bad[i]) continue;
      p.clear();
      for (auto v : ring[i]) p.push_back(at(v));
      volume[r] += faceFlux(p, middle[r], faceType(p.size(), 1));
    }
    std::vector<std::uint32_t> found;
    for (std::uint32_t r = 0; r < ring.size(); ++r)
      if (volume[r] < 0) found.push_back(r);
    s.holes = found.size();
    note(s.holes, "hollow has the size of one element: it is missing",
         "hollows have the size of one element: they are missing", [&](std::size_t i) { return middle[found[i]]; });
  }

  /// A quadrilateral against triangles, and two triangles against two along the other diagonal.
  void byCorners(const Rings& ring, std::vector<std::uint8_t>& bad) const {
    auto triangle = [&](std::size_t i) { return ring[i].size() == 3; };
    if (ring.node.size() != 3 * ring.size()) againstTriangles(ring, bad);
    // Pairs of triangles at a common edge, by their four corners.
    struct Pair {
      FaceKey four;
      std::uint32_t a, b;
      auto key() const { return std::tie(four.v, a, b); }
      bool operator<(const Pair& o) const { return key() < o.key(); }
    };
    const auto uses = edgesOf(ring, triangle);
    auto pairs = parallelCollect<Pair>(uses.size(), m_progress, [&](std::size_t a, auto& list) {
      for (std::size_t b = a + 1; b < std::min(uses.size(), a + 8) && uses[b].edge == uses[a].edge; ++b) {
        const auto p = ring[uses[a].face], q = ring[uses[b].face];
        std::vector<std::int32_t> four(p.begin(), p.end());
        for (auto x : q)
          if (std::find(p.begin(), p.end(), x) == p.end()) four.push_back(x);
        if (four.size() == 4) list.push_back({faceKey(four), uses[a].face, uses[b].face});
      }
    });
    parallelSort(pairs.begin(), pairs.end());
    for (std::size_t i = 0, j; i < pairs.size(); i = j) {
      for (j = i + 1; j < pairs.size() && pairs[j].four == pairs[i].four; ++j)
        for (std::size_t k = i; k < j; ++k) {
          const std::size_t all[4] = {pairs[j].a, pairs[j].b, pairs[k].a, pairs[k].b};
          if (all[0] == all[2] || all[0] == all[3] || all[1] == all[2] || all[1] == all[3]) continue;
          double volume = 0; // below 0 or none at all: a void, not an element that hangs free
          const Vec3& o = at(ring[all[0]][0]);
          for (auto f : all) volume += (at(ring[f][0]) - o).dot((at(ring[f][1]) - o).cross(at(ring[f][2]) - o));
          const double extent = std::pow((o - at(ring[all[0]][1])).norm(), 3);
          if (volume > 1e-9 * extent) continue;
          for (auto f : all) bad[f] = 1;
        }
    }
  }

  /// A quadrilateral and the triangles with three of its corners.
  void againstTriangles(const Rings& ring, std::vector<std::uint8_t>& bad) const {
    std::unordered_map<FaceKey, std::size_t, FaceKeyHash> triangles;
    for (std::size_t i = 0; i < ring.size(); ++i)
      if (ring[i].size() == 3) triangles.emplace(faceKey(ring[i]), i);
    if (triangles.empty()) return;
    for (std::size_t i = 0; i < ring.size(); ++i) {
      const auto q = ring[i];
      if (q.size() != 4) continue;
      for (std::size_t gone = 0; gone < 4; ++gone) {
        const std::array<std::int32_t, 3> three{q[(gone + 1) % 4], q[(gone + 2) % 4], q[(gone + 3) % 4]};
        if (auto it = triangles.find(faceKey(three)); it != triangles.end()) bad[i] = bad[it->second] = 1;
      }
    }
  }

  /// Faces whose middle lies on another one that looks the other way.
  void byPlace(const Rings& ring, const std::vector<Vec3>& middle, const std::vector<Vec3>& normal,
               const std::vector<double>& width, std::vector<std::uint8_t>& bad) const {
    struct Triangle {
      std::array<Vec3, 3> p;
      std::uint32_t face;
    };
    const auto triangles = parallelCollect<Triangle>(ring.size(), m_progress, [&](std::size_t i, auto& list) {
      const auto q = ring[i];
      for (std::size_t k = 0; k < (q.size() == 3 ? 1 : q.size()); ++k)
        list.push_back({{at(q[k]), at(q[(k + 1) % q.size()]), q.size() == 3 ? at(q[2]) : middle[i]},
                        static_cast<std::uint32_t>(i)});
    });
    if (triangles.empty()) return;
    std::vector<Box> boxes(triangles.size());
    parallelFor(triangles.size(), m_progress, [&](std::size_t i) {
      for (const Vec3& p : triangles[i].p) boxes[i].add(p);
    });
    Bvh tree(boxes);
    const auto together = regionsTogether();
    std::vector<std::int32_t> original(m.twins.empty() ? 0 : m.nodes.size());
    std::iota(original.begin(), original.end(), 0);
    for (const auto& t : m.twins) original[static_cast<std::size_t>(t[1])] = t[0];
    auto meant = [&](std::size_t a, std::size_t b) { // the two sides of bodies kept apart
      auto key = [&](std::size_t f) {
        std::vector<std::int32_t> v(ring[f].begin(), ring[f].end());
        if (!original.empty())
          for (auto& x : v) x = original[static_cast<std::size_t>(x)];
        return faceKey(v);
      };
      return !original.empty() && key(a) == key(b);
    };
    parallelFor(ring.size(), m_progress, [&](std::size_t i) {
      if (normal[i].squaredNorm() == 0) return;
      const double reach = kTouching * width[i];
      Box around;
      around.add(middle[i] - Vec3::Constant(reach));
      around.add(middle[i] + Vec3::Constant(reach));
      tree.overlapping(around, [&](int item) {
        const Triangle& t = triangles[static_cast<std::size_t>(item)];
        if (t.face == i || normal[i].dot(normal[t.face]) > kOpposite) return true;
        const Vec3 w = closestOnTriangle(middle[i], t.p[0], t.p[1], t.p[2]);
        const double distance = (w[0] * t.p[0] + w[1] * t.p[1] + w[2] * t.p[2] - middle[i]).norm();
        int shared = 0;
        for (auto v : ring[i]) shared += std::find(ring[t.face].begin(), ring[t.face].end(), v) != ring[t.face].end();
        if (distance > (shared > 1 ? kCoincident * width[i] : reach) || meant(i, t.face) ||
            !together(m.cellRegion[static_cast<std::size_t>(m_free[i].cell)],
                      m.cellRegion[static_cast<std::size_t>(m_free[t.face].cell)]))
          return true;
        bad[i] = 1;
        return false;
      });
    });
  }

  /// Whether two regions are one, or share a node anywhere: only then must their faces match.
  std::function<bool(std::int32_t, std::int32_t)> regionsTogether() const {
    if (m.regions.size() < 2) return [](auto, auto) { return true; };
    std::vector<std::array<std::int32_t, 2>> pairs;
    std::vector<std::int32_t> seen(m.nodes.size(), -1);
    for (std::size_t c = 0; c < m.cells.size(); ++c)
      for (auto v : m.cells.of(c)) {
        auto& r = seen[static_cast<std::size_t>(v)];
        if (r >= 0 && r != m.cellRegion[c])
          pairs.push_back({std::min(r, m.cellRegion[c]), std::max(r, m.cellRegion[c])});
        r = m.cellRegion[c];
      }
    std::sort(pairs.begin(), pairs.end());
    pairs.erase(std::unique(pairs.begin(), pairs.end()), pairs.end());
    return [pairs](std::int32_t a, std::int32_t b) {
      return a == b || std::binary_search(pairs.begin(), pairs.end(),
                                          std::array<std::int32_t, 2>{std::min(a, b), std::max(a, b)});
    };
  }

  /// Where elements of order 2 meet others over a face, both have the same mid nodes there.
  void midNodes() {
    if (!ordersOf(m).quadratic) return;
    auto midOf = [&](std::size_t c, std::uint64_t edge) { // -1: none; -2: no such edge
      const auto q = m.cells.of(c);
      std::int32_t r = -2;
      m.cells.forEdges(c, [&](int a, int b, int mid) {
        if (edgeKey(q[static_cast<std::size_t>(a)], q[static_cast<std::size_t>(b)]) == edge)
          r = mid < 0 ? -1 : q[static_cast<std::size_t>(mid)];
      });
      return r;
    };
    std::vector<std::uint8_t> bad(m.cells.size(), 0);
    parallelFor(m.cells.size(), m_progress, [&](std::size_t c) {
      const auto& t = m.cells.shape(c);
      if (t.order != 2) return;
      const auto q = m.cells.of(c);
      for (std::size_t f = 0; f < static_cast<std::size_t>(t.faces); ++f) {
        const auto o = n.cell[n.start[c] + f];
        if (o < 0) continue;
        for (std::size_t k = 0; k < static_cast<std::size_t>(t.faceSize[f]); ++k) {
          const auto& ends = t.edge[static_cast<std::size_t>(t.faceEdge[f][k])];
          const auto mid = q[static_cast<std::size_t>(t.corners + t.faceEdge[f][k])];
          const auto key = edgeKey(q[static_cast<std::size_t>(ends[0])], q[static_cast<std::size_t>(ends[1])]);
          if (const auto other = midOf(static_cast<std::size_t>(o), key); other != -2 && other != mid) bad[c] = 1;
        }
      }
    });
    const auto found = cellsThat([&](std::size_t c) { return bad[c] != 0; });
    s.oddMidNodes = found.size();
    note(s.oddMidNodes, "element has a mid node that its neighbour lacks",
         "elements have mid nodes that their neighbours lack", [&](std::size_t i) { return centre(found[i]); });
  }
};

} // namespace

Soundness checkSoundness(const Mesh& m, const std::array<MetricValues, kMetrics>& metrics, const Neighbours& n,
                         const Progress* progress) {
  return Check(m, n, progress).run(metrics);
}

Soundness checkSoundness(const Mesh& m) {
  const Neighbours n = cellNeighbours(m);
  return checkSoundness(m, computeMetrics(m, n, nullptr), n, nullptr);
}

} // namespace tess
