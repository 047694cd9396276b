// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/structured/swept_fill.h"
#include "base/parallel.h"
#include "mesher/optimise/node_moves.h"
#include "mesher/structured/about_axis.h"
#include "mesher/surface/carried_face.h"
#include "mesher/surface/paving.h"
#include "mesher/surface/stepped.h"
#include <set>
#include <unordered_map>

namespace tess {

namespace {

Problem unfilled(const Part& part, int body, const Vec3& at, std::string what, std::string why) {
  Problem p =
      Problem::of("fill.inverted", "cells of body '" + part.bodies[static_cast<std::size_t>(body)].name + "' " + what)
          .by(Fault::Meshing)
          .firstAt({at}, part.unit)
          .because(std::move(why))
          .advise("ask for tetrahedra on this body, or for a smaller size there");
  p.faces = part.bodies[static_cast<std::size_t>(body)].faces;
  return p;
}

std::optional<Problem> inverted(const Part& part, int body, const SurfaceMesh& surface, StructuredCells& r,
                                const Progress& progress) {
  const NodeMoves moves = bettered(surface, r, progress);
  if (!moves.inverted) return {};
  return unfilled(part, body, *moves.inverted, "would be inverted",
                  "its ends or walls turn too much for straight layers between them");
}

/// A body of full revolution: its profile stands at as many places as there are nodes round its rings.
class Turned {
public:
  Turned(const Part& part, const Sweep& sweep, const SurfaceMesh& surface) : m_part(part), m_sweep(sweep), m(surface) {}

  Result<StructuredCells> fill(const SizeField& size, const Progress& progress) {
    if (!findStations())
      return unfilled(m_part, m_sweep.body, m_part.bodies[static_cast<std::size_t>(m_sweep.body)].box.center(),
                      "have no layers", "the rows of its walls do not close round its profile");
    const std::vector<Vec3> first = placesOf(0);
    const auto cells = profile(first, size, progress);
    if (!cells)
      return unfilled(m_part, m_sweep.body, first.front(), "have no layers",
                      "its profile is too narrow or too sharp for the size asked for");
    const Pattern pattern(*cells);
    StructuredCells r;
    const std::size_t inner = cells->points.size() - cells->rim, n = m_stations.size();
    r.points.resize(inner * n);
    parallelFor(
        n, &progress,
        [&](std::size_t k) {
          const auto there = pattern.carried(cells->points, placesOf(k));
          for (std::size_t i = 0; i < inner; ++i) r.points[k * inner + i] = there[cells->rim + i];
        },
        1);
    const int base = static_cast<int>(m.points.size());
    auto node = [&](int place, std::size_t k) {
      const auto p = static_cast<std::size_t>(place);
      return p < cells->rim ? m_stations[k % n][p] : base + static_cast<int>((k % n) * inner + p - cells->rim);
    };
    // The profile's normal leads from a place to the next one, or away from it.
    Vec3 on = Vec3::Zero();
    const std::vector<Vec3> second = placesOf(1);
    for (std::size_t i = 0; i < first.size(); ++i) on += second[i] - first[i];
    const bool ahead = on.dot(cells->normals.front()) > 0;
    for (std::size_t k = 0; k < n; ++k) {
      const std::size_t from = ahead ? k : k + 1, to = ahead ? k + 1 : k;
      for (const auto& t : cells->triangles)
        r.wedges.push_back(
            {node(t[0], from), node(t[1], from), node(t[2], from), node(t[0], to), node(t[1], to), node(t[2], to)});
      for (const auto& q : cells->quads)
        r.hexahedra.push_back({node(q[0], from), node(q[1], from), node(q[2], from), node(q[3], from), node(q[0], to),
                               node(q[1], to), node(q[2], to), node(q[3], to)});
    }
    if (auto p = inverted(m_part, m_sweep.body, m, r, progress)) return *p;
    return r;
  }

private:
  const Part& m_part;
  const Sweep& m_sweep;
  const SurfaceMesh& m;
  std::vector<std::vector<int>> m_stations; ///< nodes round the profiles, at each place
  std::vector<std::size_t> m_profiles;      ///< how many of those each profile has

  std::vector<Vec3> placesOf(std::size_t station) const {
    std::vector<Vec3> r;
    for (int v : m_stations[station]) r.push_back(m.points[static_cast<std::size_t>(v)]);
    return r;
  }

  bool findStations() {
    std::unordered_map<int, int> up; // across the walls
    for (std::size_t k = 0; k < m_sweep.walls.size(); ++k) {
      const auto rows = std::find_if(m.faceRows.begin(), m.faceRows.end(),
                                     [&](const FaceRows& r) { return r.face == m_sweep.walls[k]; });
      if (rows == m.faceRows.end() || !rows->ring) return false;
      const auto& foot = m.edgeNodes[static_cast<std::size_t>(m_sweep.feet[k])];
      bool below = false;
      for (int i = 0; i < rows->ni; ++i) below = below || rows->at(i, 0) == foot[1];
      for (int i = 0; i < rows->ni; ++i)
        for (int j = 0; j < rows->nj; ++j) {
          const int a = rows->at(i, below ? j : rows->nj - j), b = rows->at(i, below ? j + 1 : rows->nj - j - 1);
          if (!up.emplace(a, b).second) return false;
        }
      std::vector<int> ring;
      for (int i = 0; i < rows->ni; ++i) ring.push_back(rows->at(i, below ? 0 : rows->nj));
      m_first.push_back(std::move(ring));
    }
    // Rings of nodes round the body; a place is one node of the first and what lies across from it.
    const std::vector<int>& round = m_first.front();
    m_stations.assign(round.size(), {});
    std::set<int> done;
    for (std::size_t w = 0; w < m_first.size(); ++w) {
      if (done.count(m_first[w].front())) continue;
      std::vector<int> ring = m_first[w];
      if (ring.size() != round.size()) return false;
      if (w > 0) faceAlike(round, ring);
      std::size_t length = 0;
      for (std::size_t k = 0; k < ring.size(); ++k) {
        std::size_t steps = 0;
        int at = ring[k];
        do {
          m_stations[k].push_back(at);
          done.insert(at);
          const auto it = up.find(at);
          if (it == up.end() || ++steps > up.size()) return false;
          at = it->second;
        } while (at != ring[k]);
        if (k > 0 && steps != length) return false;
        length = steps;
      }
      m_profiles.push_back(length);
    }
    return !m_stations.empty();
  }
  std::vector<std::vector<int>> m_first; ///< per wall: nodes of the ring it begins with

  /// Turns a ring of another profile so that its nodes lie at the places of the first one's.
  void faceAlike(const std::vector<int>& round, std::vector<int>& ring) const {
    const std::size_t n = ring.size();
    double least = 1e300;
    std::vector<int> best = ring;
    for (bool back : {false, true}) {
      if (back) std::reverse(ring.begin(), ring.end());
      for (std::size_t turn = 0; turn < n; ++turn) {
        double sum = 0;
        for (std::size_t k = 0; k < n && sum < least; ++k)
          sum +=
              (m.points[static_cast<std::size_t>(ring[(k + turn) % n])] - m.points[static_cast<std::size_t>(round[k])])
                  .squaredNorm();
        if (sum >= least * (1 - 1e-9)) continue;
        least = sum;
        for (std::size_t k = 0; k < n; ++k) best[k] = ring[(k + turn) % n];
      }
    }
    ring = std::move(best);
  }

  /// Cells between the profiles in their plane.
  std::optional<FaceCells> profile(const std::vector<Vec3>& at, const SizeField& size, const Progress& progress) const {
    NodeLoops loops;
    std::size_t begin = 0;
    std::vector<Vec3> areas;
    std::size_t outer = 0;
    for (std::size_t n : m_profiles) {
      loops.emplace_back();
      Vec3 area = Vec3::Zero();
      for (std::size_t k = 0; k < n; ++k) {
        loops.back().push_back(static_cast<int>(begin + k));
        area += 0.5 * at[begin + k].cross(at[begin + (k + 1) % n]);
      }
      areas.push_back(area);
      if (area.norm() > areas[outer].norm()) outer = areas.size() - 1;
      begin += n;
    }
    const Vec3 normal = areas[outer].normalized();
    for (std::size_t k = 0; k < loops.size(); ++k)
      if ((areas[k].dot(normal) > 0) != (k == outer)) std::reverse(loops[k].begin(), loops[k].end());
    FaceCells base;
    base.points = at;
    base.normals.assign(at.size(), normal);
    base.rim = at.size();
    const auto asked = [&](const Vec3& p) { return size.at(p); };
    return pavedPlane(base, loops, m_sweep.across, asked, progress);
  }
};

/// A stepped body: columns between its ends, one level after the other.
Result<StructuredCells> fillStepped(const Part& part, const Sweep& sweep, const SurfaceMesh& surface,
                                    const Progress& progress) {
  const auto pattern = std::find_if(surface.stepped.begin(), surface.stepped.end(),
                                    [&](const SteppedCells& s) { return s.body == sweep.body; });
  if (pattern == surface.stepped.end())
    return unfilled(part, sweep.body, part.bodies[static_cast<std::size_t>(sweep.body)].box.center(), "have no layers",
                    "the rows of its walls do not meet");
  auto pt = [&](int v) -> const Vec3& { return surface.points[static_cast<std::size_t>(v)]; };
  const std::size_t n = pattern->known.size();
  int highest = 0;
  for (const auto& c : pattern->cells) highest = std::max(highest, c.high);
  StructuredCells r;
  const int base = static_cast<int>(surface.points.size());
  std::vector<int> below(n), here(n);
  Spreader spreader;
  for (int level = 0; level <= highest; ++level) {
    progress.check();
    std::vector<std::array<int, 4>> cells; // that reach this level
    std::vector<char> used(n, 0);
    for (const auto& c : pattern->cells) {
      if (c.low > level || c.high < level) continue;
      cells.push_back(c.v);
      for (int v : c.v)
        if (v >= 0) used[static_cast<std::size_t>(v)] = 1;
    }
    // Between the nodes known below and above, and moved as those around are off.
    std::vector<Vec3> between(n, Vec3::Zero());
    std::vector<const Vec3*> fixed(n, nullptr);
    here.assign(n, -1);
    for (std::size_t v = 0; v < n; ++v) {
      if (!used[v]) continue;
      const auto& known = pattern->known[v];
      const auto above = std::find_if(known.begin(), known.end(), [&](const auto& at) { return at.first >= level; });
      if (above == known.end() || (above == known.begin() && above->first != level))
        return unfilled(part, sweep.body, known.empty() ? Vec3(0, 0, 0) : pt(known.front().second), "have no layers",
                        "the rows of its walls do not meet");
      between[v] = pt(above->second);
      if (above->first == level) {
        here[v] = above->second;
        fixed[v] = &pt(above->second);
        continue;
      }
      const auto& [low, node] = *std::prev(above);
      const double w = static_cast<double>(level - low) / static_cast<double>(above->first - low);
      between[v] = (1 - w) * pt(node) + w * pt(above->second);
    }
    const std::vector<Vec3> at = spreader.places(cells, between, fixed);
    for (std::size_t v = 0; v < n; ++v)
      if (used[v] && here[v] < 0) {
        here[v] = base + static_cast<int>(r.points.size());
        r.points.push_back(at[v]);
      }
    for (const auto& c : pattern->cells) {
      if (c.low >= level || c.high < level) continue;
      auto low = [&](std::size_t k) { return below[static_cast<std::size_t>(c.v[k])]; };
      auto high = [&](std::size_t k) { return here[static_cast<std::size_t>(c.v[k])]; };
      if (c.v[3] < 0)
        r.wedges.push_back({low(0), low(1), low(2), high(0), high(1), high(2)});
      else
        r.hexahedra.push_back({low(0), low(1), low(2), low(3), high(0), high(1), high(2), high(3)});
    }
    std::swap(below, here);
  }
  if (auto p = inverted(part, sweep.body, surface, r, progress)) return *p;
  return r;
}

} // namespace

Result<StructuredCells> fillSwept(const Part& part, const Sweep& sweep, const SurfaceMesh& surface,
                                  const SizeField& size, const Progress& progress) {
  if (sweep.axis) {
    StructuredCells cells = fillAboutAxis(sweep, surface, progress);
    if (auto p = inverted(part, sweep.body, surface, cells, progress)) return *p;
    return cells;
  }
  if (sweep.closed) return Turned(part, sweep, surface).fill(size, progress);
  if (!sweep.steps.empty()) return fillStepped(part, sweep, surface, progress);
  const PartBody& body = part.bodies[static_cast<std::size_t>(sweep.body)];
  auto failed = [&](const Vec3& at, std::string what, std::string why) {
    return unfilled(part, sweep.body, at, std::move(what), std::move(why));
  };
  const Columns columns = columnsOf(part, sweep, surface);
  const auto carried = std::find_if(surface.carried.begin(), surface.carried.end(),
                                    [&](const CarriedFace& c) { return c.body == sweep.body; });
  if (columns.empty() || carried == surface.carried.end())
    return failed(body.box.center(), "have no layers", "the rows of its walls do not meet");
  std::vector<int> feet;
  for (const auto& c : columns) feet.push_back(c.front());
  const Pattern pattern(surface, sweep.source, feet);
  const std::size_t n = pattern.nodes().size(), rim = pattern.boundaryCount(), layers = columns.front().size() - 1;
  // The other end's node over each of the pattern's.
  std::vector<int> over(surface.points.size(), -1), top;
  for (std::size_t k = 0; k < carried->from.size(); ++k)
    over[static_cast<std::size_t>(carried->from[k])] = carried->to[k];
  std::vector<Vec3> low, high;
  for (int v : pattern.nodes()) {
    top.push_back(over[static_cast<std::size_t>(v)]);
    if (top.back() < 0) return failed(body.box.center(), "have no layers", "its ends have different meshes");
    low.push_back(surface.points[static_cast<std::size_t>(v)]);
    high.push_back(surface.points[static_cast<std::size_t>(top.back())]);
  }
  StructuredCells r;
  const int base = static_cast<int>(surface.points.size());
  const std::size_t inner = n - rim;
  r.points.resize(inner * (layers - 1));
  parallelFor(
      layers - 1, &progress,
      [&](std::size_t k) {
        std::vector<Vec3> there;
        for (const auto& c : columns) there.push_back(surface.points[static_cast<std::size_t>(c[k + 1])]);
        const auto up = pattern.carried(low, there), down = pattern.carried(high, there);
        const double w = static_cast<double>(k + 1) / static_cast<double>(layers);
        for (std::size_t i = 0; i < inner; ++i) r.points[k * inner + i] = (1 - w) * up[rim + i] + w * down[rim + i];
      },
      1);
  auto node = [&](int place, std::size_t layer) {
    const auto p = static_cast<std::size_t>(place);
    if (layer == 0) return pattern.nodes()[p];
    if (layer == layers) return top[p];
    return p < rim ? columns[p][layer] : base + static_cast<int>((layer - 1) * inner + p - rim);
  };
  // The pattern runs counter-clockwise seen from in front of the source; cells begin with a face seen from inside.
  const bool leaves = part.faces[static_cast<std::size_t>(sweep.source)].bodies[0] == sweep.body;
  for (std::size_t k = 0; k < layers; ++k) {
    for (auto t : pattern.triangles()) {
      if (leaves) std::swap(t[1], t[2]);
      r.wedges.push_back(
          {node(t[0], k), node(t[1], k), node(t[2], k), node(t[0], k + 1), node(t[1], k + 1), node(t[2], k + 1)});
    }
    for (auto q : pattern.quads()) {
      if (leaves) std::swap(q[1], q[3]);
      r.hexahedra.push_back({node(q[0], k), node(q[1], k), node(q[2], k), node(q[3], k), node(q[0], k + 1),
                             node(q[1], k + 1), node(q[2], k + 1), node(q[3], k + 1)});
    }
  }
  if (auto p = inverted(part, sweep.body, surface, r, progress)) return *p;
  return r;
}

} // namespace tess
