// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/through.h"
#include "base/bvh.h"
#include "base/parallel.h"
#include <map>
#include <set>

namespace tess {
namespace {

constexpr double kFacing = 0.643; ///< cos 50 degrees

/// Nodes to cells in compressed rows.
struct NodeCells {
  std::vector<std::uint32_t> start;
  std::vector<std::int32_t> cell;
  explicit NodeCells(const Mesh& m) : start(m.nodes.size() + 1, 0) {
    auto corners = [&](std::size_t c) {
      return m.cells.of(c).first(static_cast<std::size_t>(topology(m.cells.type[c]).corners));
    };
    for (std::size_t c = 0; c < m.cells.size(); ++c)
      for (auto n : corners(c)) ++start[static_cast<std::size_t>(n) + 1];
    for (std::size_t i = 0; i + 1 < start.size(); ++i) start[i + 1] += start[i];
    cell.resize(start.back());
    std::vector<std::uint32_t> next(start.begin(), start.end() - 1);
    for (std::size_t c = 0; c < m.cells.size(); ++c)
      for (auto n : corners(c)) cell[next[static_cast<std::size_t>(n)]++] = static_cast<std::int32_t>(c);
  }
};

struct Triangle {
  std::array<std::int32_t, 3> node;
  std::int32_t face;
};

} // namespace

std::vector<ThroughFace> countThrough(const Mesh& m, int wanted, const Progress* progress) {
  std::vector<ThroughFace> result;
  if (wanted < 1 || m.faces.size() == 0) return result;
  auto pt = [&](std::int32_t n) -> const Vec3& { return m.nodes[static_cast<std::size_t>(n)]; };
  std::vector<Triangle> tris;
  std::vector<std::vector<std::int32_t>> facesOfNode; // filled below, only for boundary nodes
  std::vector<std::int32_t> boundary(m.nodes.size(), -1);
  std::vector<Vec3> normal(m.faces.size()), middle(m.faces.size());
  std::vector<double> width(m.faces.size());
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    auto q = m.faces.of(f);
    int k = topology(m.faces.type[f]).corners;
    tris.push_back({{q[0], q[1], q[2]}, static_cast<std::int32_t>(f)});
    if (k == 4) tris.push_back({{q[0], q[2], q[3]}, static_cast<std::int32_t>(f)});
    Vec3 n = (pt(q[1]) - pt(q[0])).cross(pt(q[2]) - pt(q[0])), c = pt(q[0]) + pt(q[1]) + pt(q[2]);
    if (k == 4) n += (pt(q[2]) - pt(q[0])).cross(pt(q[3]) - pt(q[0])), c += pt(q[3]);
    normal[f] = n.norm() > 0 ? Vec3(n.normalized()) : Vec3(0, 0, 0);
    middle[f] = c / k;
    for (int i = 0; i < k; ++i) {
      width[f] = std::max(width[f],
                          (pt(q[static_cast<std::size_t>(i)]) - pt(q[static_cast<std::size_t>((i + 1) % k)])).norm());
      auto& b = boundary[static_cast<std::size_t>(q[static_cast<std::size_t>(i)])];
      if (b < 0) {
        b = static_cast<std::int32_t>(facesOfNode.size());
        facesOfNode.emplace_back();
      }
      facesOfNode[static_cast<std::size_t>(b)].push_back(static_cast<std::int32_t>(f));
    }
  }
  if (progress) progress->check();
  std::vector<Box> boxes;
  for (const auto& t : tris) {
    Box b;
    for (auto n : t.node) b.add(pt(n));
    boxes.push_back(b);
  }
  Bvh tree(boxes);
  NodeCells cells(m);
  if (progress) progress->check();
  /// Direction out of `region` through face f, as a factor on the face's normal; 0: the face does not bound it.
  auto outward = [&](std::size_t f, std::int32_t region) {
    return m.faceRegions[f][0] == region ? 1.0 : m.faceRegions[f][1] == region ? -1.0 : 0.0;
  };
  std::vector<std::array<ThroughFace, 2>> found(m.faces.size());
  parallelFor(
      m.faces.size(), progress,
      [&](std::size_t f) {
        for (std::size_t side = 0; side < 2; ++side) {
          std::int32_t region = m.faceRegions[f][side];
          if (region < 0 || normal[f].squaredNorm() == 0) continue;
          const Vec3 out = outward(f, region) * normal[f];
          double reach = 3.0 * wanted * width[f], thickness = -1;
          tree.alongRay(middle[f], -out, reach, [&](int i) {
            const auto& t = tris[static_cast<std::size_t>(i)];
            if (t.face == static_cast<std::int32_t>(f)) return;
            double w = outward(static_cast<std::size_t>(t.face), region);
            if (w == 0 || w * normal[static_cast<std::size_t>(t.face)].dot(-out) < kFacing) return;
            double s = rayTriangle(middle[f], -out, pt(t.node[0]), pt(t.node[1]), pt(t.node[2]));
            if (s <= 0 || s > reach) return;
            thickness = reach = s;
          });
          if (thickness < 0) continue;
          // Breadth first over element edges of the region, from the face's corners to a node of the other side.
          std::vector<std::int32_t> front, seen;
          auto q = m.faces.of(f);
          for (int i = 0; i < topology(m.faces.type[f]).corners; ++i) front.push_back(q[static_cast<std::size_t>(i)]);
          seen = front;
          std::sort(seen.begin(), seen.end());
          auto opposite = [&](std::int32_t n) {
            auto b = boundary[static_cast<std::size_t>(n)];
            if (b < 0 || (pt(n) - middle[f]).norm() > 2 * thickness + width[f]) return false;
            for (auto g : facesOfNode[static_cast<std::size_t>(b)])
              if (outward(static_cast<std::size_t>(g), region) * normal[static_cast<std::size_t>(g)].dot(out) <
                  -kFacing)
                return true;
            return false;
          };
          // Beside a hole or a step the nearest face that looks this way may belong to a thinner place, which its own
          // faces tell of: the other side of this wall is at least half as far away as its thickness.
          auto across = [&](std::int32_t n) { return (middle[f] - pt(n)).dot(out) >= 0.5 * thickness && opposite(n); };
          int count = 0;
          bool arrived = false;
          // A corner on the other side already: the rim of a wedge.
          for (auto n : front) arrived |= opposite(n);
          while (!arrived && count < wanted) {
            ++count;
            if (count == wanted) break; // more is not asked
            std::vector<std::int32_t> next;
            for (auto n : front) {
              for (auto k = cells.start[static_cast<std::size_t>(n)]; k < cells.start[static_cast<std::size_t>(n) + 1];
                   ++k) {
                auto c = static_cast<std::size_t>(cells.cell[k]);
                if (m.cellRegion[c] != region) continue;
                const auto& t = topology(m.cells.type[c]);
                auto v = m.cells.of(c);
                for (int e = 0; e < t.edges; ++e) {
                  auto a = v[static_cast<std::size_t>(t.edge[static_cast<std::size_t>(e)][0])],
                       b = v[static_cast<std::size_t>(t.edge[static_cast<std::size_t>(e)][1])];
                  if (a != n && b != n) continue;
                  auto o = a == n ? b : a;
                  auto it = std::lower_bound(seen.begin(), seen.end(), o);
                  if (it != seen.end() && *it == o) continue;
                  if (across(o)) arrived = true;
                  seen.insert(it, o);
                  next.push_back(o);
                }
              }
            }
            front = std::move(next);
          }
          found[f][side] = {static_cast<std::int32_t>(f), region, thickness, count};
        }
      },
      64);
  for (const auto& pair : found)
    for (const auto& t : pair)
      if (t.face >= 0) result.push_back(t);
  return result;
}

ThroughReport throughReport(const Mesh& m, const std::vector<ThroughFace>& faces, int wanted) {
  ThroughReport r;
  r.wanted = wanted;
  r.areaByCount.assign(static_cast<std::size_t>(wanted) + 1, 0);
  std::map<std::int32_t, const ThroughFace*> shortFall;
  for (const auto& t : faces) {
    double area = faceArea(m, static_cast<std::size_t>(t.face));
    int c = std::min(t.count, wanted);
    r.thinArea += area;
    r.areaByCount[static_cast<std::size_t>(c)] += area;
    if (c >= wanted)
      r.reachedArea += area;
    else if (auto [it, fresh] = shortFall.emplace(t.face, &t); !fresh && t.count < it->second->count)
      it->second = &t;
  }
  // Faces that share a node belong to one place.
  std::map<std::int32_t, std::vector<std::int32_t>> ofNode;
  for (const auto& [f, t] : shortFall)
    for (auto n : m.faces.of(static_cast<std::size_t>(f))) ofNode[n].push_back(f);
  std::set<std::int32_t> done;
  for (const auto& [start, first] : shortFall) {
    if (!done.insert(start).second) continue;
    ThinPlace p;
    p.count = std::numeric_limits<int>::max();
    std::vector<std::int32_t> todo{start};
    while (!todo.empty()) {
      auto f = todo.back();
      todo.pop_back();
      const ThroughFace& t = *shortFall.at(f);
      auto q = m.faces.of(static_cast<std::size_t>(f));
      if (t.count < p.count || (t.count == p.count && t.thickness < p.thickness)) {
        p.count = t.count;
        p.thickness = t.thickness;
        p.at = Vec3::Zero();
        int k = topology(m.faces.type[static_cast<std::size_t>(f)]).corners;
        for (int i = 0; i < k; ++i) p.at += m.nodes[static_cast<std::size_t>(q[static_cast<std::size_t>(i)])] / k;
      }
      p.area += faceArea(m, static_cast<std::size_t>(f));
      p.faces.push_back(f);
      for (auto n : q)
        for (auto g : ofNode.at(n))
          if (done.insert(g).second) todo.push_back(g);
    }
    std::sort(p.faces.begin(), p.faces.end());
    r.places.push_back(std::move(p));
  }
  std::stable_sort(r.places.begin(), r.places.end(), [](const ThinPlace& a, const ThinPlace& b) {
    return a.count != b.count ? a.count < b.count : a.area > b.area;
  });
  return r;
}

} // namespace tess
