// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/through.h"
#include "base/bvh.h"
#include "base/parallel.h"
#include <map>
#include <set>
#include <span>
#include <tbb/parallel_sort.h>

namespace tess {
namespace {

constexpr double kFacing = 0.643;  ///< cos 50 degrees
constexpr double kAlike = 0.940;   ///< cos 20 degrees: directions that are looked at together
constexpr double kMayFace = 0.342; ///< cos 70 degrees: what faces one of them may be that far off the first

/// Which nodes of a region are joined by element edges, in compressed rows over the region's own numbers.
struct RegionEdges {
  std::vector<std::int32_t> node; ///< of the mesh, by number in the region
  std::vector<std::uint32_t> start;
  std::vector<std::int32_t> next;

  std::span<const std::int32_t> of(std::int32_t n) const {
    const auto i = static_cast<std::size_t>(n);
    return {next.data() + start[i], next.data() + start[i + 1]};
  }
  /// `number`: per node of the mesh, its number in the region; -1 before and for others.
  RegionEdges(const Mesh& m, const std::vector<std::int32_t>& cells, std::vector<std::int32_t>& number) {
    std::vector<std::uint64_t> pairs;
    pairs.reserve(cells.size() * 12);
    auto of = [&](std::int32_t n) {
      auto& k = number[static_cast<std::size_t>(n)];
      if (k < 0) {
        k = static_cast<std::int32_t>(node.size());
        node.push_back(n);
      }
      return static_cast<std::uint64_t>(k);
    };
    for (auto c : cells) {
      const auto v = m.cells.of(static_cast<std::size_t>(c));
      m.cells.forEdges(static_cast<std::size_t>(c), [&](int i, int j, int) {
        const auto a = of(v[static_cast<std::size_t>(i)]), b = of(v[static_cast<std::size_t>(j)]);
        pairs.push_back(a << 32 | b);
        pairs.push_back(b << 32 | a);
      });
    }
    tbb::parallel_sort(pairs.begin(), pairs.end());
    pairs.erase(std::unique(pairs.begin(), pairs.end()), pairs.end());
    start.assign(node.size() + 1, 0);
    next.reserve(pairs.size());
    for (auto p : pairs) {
      ++start[static_cast<std::size_t>(p >> 32) + 1];
      next.push_back(static_cast<std::int32_t>(p & 0xffffffff));
    }
    for (std::size_t i = 0; i + 1 < start.size(); ++i) start[i + 1] += start[i];
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
    const std::size_t k = m.faces.cornerCount(f);
    Vec3 n = Vec3::Zero(), c = pt(q[0]) + pt(q[1]);
    for (std::size_t i = 2; i < k; ++i) {
      tris.push_back({{q[0], q[i - 1], q[i]}, static_cast<std::int32_t>(f)});
      n += (pt(q[i - 1]) - pt(q[0])).cross(pt(q[i]) - pt(q[0]));
      c += pt(q[i]);
    }
    normal[f] = n.norm() > 0 ? Vec3(n.normalized()) : Vec3(0, 0, 0);
    middle[f] = c / static_cast<double>(k);
    for (std::size_t i = 0; i < k; ++i) {
      width[f] = std::max(width[f], (pt(q[i]) - pt(q[(i + 1) % k])).norm());
      auto& b = boundary[static_cast<std::size_t>(q[i])];
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
  if (progress) progress->check();
  /// Direction out of `region` through face f, as a factor on the face's normal; 0: the face does not bound it.
  auto outward = [&](std::size_t f, std::int32_t region) {
    return m.faceRegions[f][0] == region ? 1.0 : m.faceRegions[f][1] == region ? -1.0 : 0.0;
  };
  // First where there is another side, and how far.
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
          if (thickness >= 0) found[f][side] = {static_cast<std::int32_t>(f), region, thickness, wanted};
        }
      },
      64);
  // Then the edges up to there, faces that look in about the same direction together: how many edges a node is away
  // from any face that looks the other way is a bound from below for all of them, and what cannot arrive in time by it
  // is not walked over.
  struct Look {
    std::uint32_t face;
    std::uint32_t side;
  };
  struct Direction {
    Vec3 out;
    std::vector<Look> faces;
  };
  std::vector<std::vector<Direction>> directions(m.regions.size());
  for (std::size_t f = 0; f < found.size(); ++f)
    for (std::size_t side = 0; side < 2; ++side) {
      const ThroughFace& t = found[f][side];
      if (t.face < 0) continue;
      const Vec3 out = outward(f, t.region) * normal[f];
      auto& all = directions[static_cast<std::size_t>(t.region)];
      auto it = std::find_if(all.begin(), all.end(), [&](const Direction& d) { return d.out.dot(out) > kAlike; });
      if (it == all.end()) it = all.insert(it, {out, {}});
      it->faces.push_back({static_cast<std::uint32_t>(f), static_cast<std::uint32_t>(side)});
    }
  std::vector<std::vector<std::int32_t>> cellsOf(m.regions.size());
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    cellsOf[static_cast<std::size_t>(m.cellRegion[c])].push_back(static_cast<std::int32_t>(c));
  std::vector<std::int32_t> number(m.nodes.size(), -1);
  std::vector<std::uint8_t> away;
  for (std::size_t region = 0; region < directions.size(); ++region) {
    if (directions[region].empty()) continue;
    const RegionEdges edges(m, cellsOf[region], number);
    if (progress) progress->check();
    std::vector<std::vector<std::pair<std::int32_t, Vec3>>> facesOut(edges.node.size()); // with their outward normals
    for (std::size_t i = 0; i < edges.node.size(); ++i)
      if (const auto b = boundary[static_cast<std::size_t>(edges.node[i])]; b >= 0)
        for (auto g : facesOfNode[static_cast<std::size_t>(b)])
          if (const double w = outward(static_cast<std::size_t>(g), static_cast<std::int32_t>(region)); w != 0)
            facesOut[i].push_back({g, w * normal[static_cast<std::size_t>(g)]});
    // More edges than a byte counts are as good as none.
    const auto beyond = static_cast<std::uint8_t>(std::min(wanted, 255));
    for (const Direction& d : directions[region]) {
      away.assign(edges.node.size(), beyond);
      std::vector<std::int32_t> front, next;
      for (std::size_t i = 0; i < facesOut.size(); ++i)
        for (const auto& [g, n] : facesOut[i])
          if (n.dot(d.out) < -kMayFace && away[i]) {
            away[i] = 0;
            front.push_back(static_cast<std::int32_t>(i));
          }
      for (std::uint8_t k = 1; k < beyond && !front.empty(); ++k) {
        if (progress) progress->check();
        next.clear();
        for (auto n : front)
          for (auto o : edges.of(n))
            if (auto& a = away[static_cast<std::size_t>(o)]; a > k) {
              a = k;
              next.push_back(o);
            }
        front.swap(next);
      }
      parallelFor(
          d.faces.size(), progress,
          [&](std::size_t k) {
            const auto f = static_cast<std::size_t>(d.faces[k].face);
            ThroughFace& t = found[f][d.faces[k].side];
            const Vec3 out = outward(f, t.region) * normal[f];
            auto opposite = [&](std::int32_t i) {
              const auto& faces = facesOut[static_cast<std::size_t>(i)];
              if (faces.empty() ||
                  (pt(edges.node[static_cast<std::size_t>(i)]) - middle[f]).norm() > 2 * t.thickness + width[f])
                return false;
              return std::any_of(faces.begin(), faces.end(),
                                 [&](const auto& g) { return g.second.dot(out) < -kFacing; });
            };
            // Beside a hole or a step the nearest face that looks this way may belong to a thinner place, which its own
            // faces tell of: the other side of this wall is at least half as far away as its thickness.
            auto across = [&](std::int32_t i) {
              return (middle[f] - pt(edges.node[static_cast<std::size_t>(i)])).dot(out) >= 0.5 * t.thickness &&
                     opposite(i);
            };
            std::vector<std::int32_t> corners;
            int least = wanted;
            for (auto v : m.faces.corners(f)) {
              corners.push_back(number[static_cast<std::size_t>(v)]);
              least = std::min<int>(least, away[static_cast<std::size_t>(corners.back())]);
              // A corner on the other side already: the rim of a wedge.
              if (opposite(corners.back())) t.count = 0;
            }
            if (t.count == 0) return;
            thread_local std::vector<std::uint32_t> seen; // by the number of the walk that was there last
            thread_local std::uint32_t walk = 0;
            if (seen.size() < edges.node.size() || walk == 0xffffffff) seen.assign(edges.node.size(), walk = 0);
            std::vector<std::int32_t> now, then;
            for (int most = std::max(1, least); most < wanted; ++most) { // a walk of that many edges, if there is one
              ++walk;
              now = corners;
              for (auto n : now) seen[static_cast<std::size_t>(n)] = walk;
              for (int step = 1; step <= most && !now.empty(); ++step) {
                then.clear();
                for (auto n : now)
                  for (auto o : edges.of(n)) {
                    auto& s = seen[static_cast<std::size_t>(o)];
                    if (s == walk || step + away[static_cast<std::size_t>(o)] > most) continue;
                    s = walk;
                    if (across(o)) {
                      t.count = step;
                      return;
                    }
                    then.push_back(o);
                  }
                now.swap(then);
              }
            }
          },
          64);
    }
    for (auto n : edges.node) number[static_cast<std::size_t>(n)] = -1;
  }
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
        const auto corners = m.faces.corners(static_cast<std::size_t>(f));
        for (auto n : corners) p.at += m.nodes[static_cast<std::size_t>(n)] / static_cast<double>(corners.size());
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
