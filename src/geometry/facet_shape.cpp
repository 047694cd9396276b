// SPDX-License-Identifier: GPL-3.0-or-later
// From a triangle soup to a part: weld, mend, orient, split along sharp lines. Welding joins equal coordinates first;
// then only vertices on open edges are joined within a tolerance, so that a crack closes and a thin trailing edge,
// whose edges are not open, stays.
#include "geometry/facet_shape.h"
#include "base/bvh.h"
#include <cmath>
#include <filesystem>
#include <map>
#include <numeric>
#include <set>

namespace tess {
namespace {

using Tri = std::array<int, 3>;
using Ends = std::pair<int, int>;
Ends endsOf(int a, int b) { return a < b ? Ends{a, b} : Ends{b, a}; }

class FacetShape final : public Shape {
public:
  Tessellation base;
  std::vector<Bvh> tree;                                 ///< per face
  std::vector<std::vector<int>> faceTriangles;           ///< per face: triangles of base
  std::vector<std::vector<std::array<Vec3, 3>>> corners; ///< per face: corners of its triangles, side by side in memory
  std::vector<std::vector<Vec3>> cornerNormals;          ///< per face: three normals for each of its triangles
  std::vector<std::vector<double>> curvature;            ///< per face, per triangle

  const Vec3& pt(int v) const { return base.points[static_cast<std::size_t>(v)]; }
  Vec3 edgePoint(int edge, double t) const override {
    const auto& c = base.edgeChain[static_cast<std::size_t>(edge)];
    const auto& s = base.edgeParam[static_cast<std::size_t>(edge)];
    auto it = std::upper_bound(s.begin(), s.end(), t);
    std::size_t i = static_cast<std::size_t>(
        std::clamp<std::ptrdiff_t>(it - s.begin() - 1, 0, static_cast<std::ptrdiff_t>(s.size()) - 2));
    double l = s[i + 1] - s[i], w = l > 0 ? std::clamp((t - s[i]) / l, 0.0, 1.0) : 0;
    return pt(c[i]) + w * (pt(c[i + 1]) - pt(c[i]));
  }
  double edgeCurvature(int edge, double t) const override {
    const auto& s = base.edgeParam[static_cast<std::size_t>(edge)];
    const auto& c = base.edgeChain[static_cast<std::size_t>(edge)];
    if (c.size() < 3) return 0;
    auto it = std::upper_bound(s.begin(), s.end(), t);
    std::size_t i = static_cast<std::size_t>(
        std::clamp<std::ptrdiff_t>(it - s.begin() - 1, 0, static_cast<std::ptrdiff_t>(s.size()) - 2));
    double k = 0; // turn at the nearer ends over the mean length of the segments there
    for (std::size_t j : {i, i + 1})
      if (j > 0 && j + 1 < c.size()) {
        Vec3 a = pt(c[j]) - pt(c[j - 1]), b = pt(c[j + 1]) - pt(c[j]);
        double la = a.norm(), lb = b.norm();
        if (la > 0 && lb > 0) k = std::max(k, std::acos(std::clamp(a.dot(b) / (la * lb), -1.0, 1.0)) * 2 / (la + lb));
      }
    return k;
  }
  EdgeProjection projectToEdge(int edge, const Vec3& p) const override {
    const auto& c = base.edgeChain[static_cast<std::size_t>(edge)];
    const auto& s = base.edgeParam[static_cast<std::size_t>(edge)];
    double best = std::numeric_limits<double>::max();
    EdgeProjection r{p, 0};
    for (std::size_t i = 0; i + 1 < c.size(); ++i) {
      double w = closestOnSegment(p, pt(c[i]), pt(c[i + 1]));
      Vec3 q = pt(c[i]) + w * (pt(c[i + 1]) - pt(c[i]));
      double d = (p - q).squaredNorm();
      if (d < best) {
        best = d;
        r = {q, s[i] + w * (s[i + 1] - s[i])};
      }
    }
    return r;
  }
  FaceProjection projectToFace(int face, const Vec3& p) const override {
    std::size_t f = static_cast<std::size_t>(face);
    double best = std::numeric_limits<double>::max();
    Vec3 w(1, 0, 0);
    FaceProjection r;
    r.point = p;
    int hit = tree[f].minimum(
        best, [&](const Box& b, int) { return b.distance2(p); },
        [&](int i) {
          const std::array<Vec3, 3>& t = corners[f][static_cast<std::size_t>(i)];
          Vec3 x = closestOnTriangle(p, t[0], t[1], t[2]), y = x[0] * t[0] + x[1] * t[1] + x[2] * t[2];
          double d = (y - p).squaredNorm();
          if (d < best) w = x, r.point = y;
          return d;
        });
    std::size_t h = static_cast<std::size_t>(hit);
    Vec3 n = w[0] * cornerNormals[f][3 * h] + w[1] * cornerNormals[f][3 * h + 1] + w[2] * cornerNormals[f][3 * h + 2];
    r.normal = n.normalized();
    r.curvature = curvature[f][h];
    return r;
  }
  Result<Tessellation> tessellate(double, double, const Progress*) const override { return base; }
};

struct Counts {
  int degenerate = 0, duplicate = 0, welded = 0, turned = 0;
};

void renumber(std::vector<Tri>& tris, const std::vector<int>& to) {
  for (auto& t : tris)
    for (int& v : t) v = to[static_cast<std::size_t>(v)];
}

std::map<Ends, std::vector<int>> edgeUse(const std::vector<Tri>& tris) {
  std::map<Ends, std::vector<int>> use;
  for (std::size_t i = 0; i < tris.size(); ++i)
    for (int k = 0; k < 3; ++k)
      use[endsOf(tris[i][static_cast<std::size_t>(k)], tris[i][static_cast<std::size_t>((k + 1) % 3)])].push_back(
          static_cast<int>(i));
  return use;
}

void dropBad(FacetSoup& s, Counts& c) {
  std::set<Tri> seen;
  std::size_t out = 0;
  for (std::size_t i = 0; i < s.triangles.size(); ++i) {
    Tri t = s.triangles[i], k = t;
    if (t[0] == t[1] || t[1] == t[2] || t[2] == t[0]) {
      ++c.degenerate;
      continue;
    }
    std::sort(k.begin(), k.end());
    if (!seen.insert(k).second) {
      ++c.duplicate;
      continue;
    }
    s.triangles[out] = t;
    s.triangleName[out++] = s.triangleName[i];
  }
  s.triangles.resize(out);
  s.triangleName.resize(out);
}

void weld(FacetSoup& s, Counts& counts) {
  std::map<std::array<double, 3>, int> at;
  std::vector<int> to(s.points.size());
  std::vector<Vec3> points;
  for (std::size_t i = 0; i < s.points.size(); ++i) {
    std::array<double, 3> k{s.points[i].x() + 0.0, s.points[i].y() + 0.0, s.points[i].z() + 0.0};
    auto [it, fresh] = at.emplace(k, static_cast<int>(points.size()));
    if (fresh) points.push_back(s.points[i]);
    to[i] = it->second;
  }
  s.points = points;
  renumber(s.triangles, to);
  dropBad(s, counts);

  // Open vertices only; the tolerance stays well below the edges that meet there.
  Box box;
  for (const auto& p : s.points) box.add(p);
  double limit = 1e-4 * box.diagonal();
  for (int round = 0; round < 3; ++round) {
    std::map<int, double> open; // vertex -> shortest edge there
    for (const auto& [e, tris] : edgeUse(s.triangles))
      if (tris.size() == 1) open[e.first], open[e.second];
    if (open.empty()) return;
    for (auto& [v, l] : open) l = std::numeric_limits<double>::max();
    for (const auto& t : s.triangles)
      for (std::size_t k = 0; k < 3; ++k) {
        int a = t[k], b = t[(k + 1) % 3];
        double l = (s.points[static_cast<std::size_t>(a)] - s.points[static_cast<std::size_t>(b)]).norm();
        if (auto it = open.find(a); it != open.end()) it->second = std::min(it->second, l);
        if (auto it = open.find(b); it != open.end()) it->second = std::min(it->second, l);
      }
    std::vector<int> ids;
    std::vector<Box> boxes;
    for (auto& [v, l] : open) {
      ids.push_back(v);
      Box b;
      b.add(s.points[static_cast<std::size_t>(v)]);
      boxes.push_back(b);
    }
    Bvh tree(boxes);
    std::vector<int> map(s.points.size());
    for (std::size_t i = 0; i < map.size(); ++i) map[i] = static_cast<int>(i);
    int joined = 0;
    for (std::size_t i = 0; i < ids.size(); ++i) {
      if (map[static_cast<std::size_t>(ids[i])] != ids[i]) continue;
      double tol = std::min(limit, 0.3 * open[ids[i]]);
      Box q = boxes[i];
      q.grow(tol);
      tree.overlapping(q, [&](int j) {
        int other = ids[static_cast<std::size_t>(j)];
        if (other <= ids[i] || map[static_cast<std::size_t>(other)] != other) return true;
        double d = (s.points[static_cast<std::size_t>(other)] - s.points[static_cast<std::size_t>(ids[i])]).norm();
        if (d <= std::min(tol, 0.3 * open[other])) {
          map[static_cast<std::size_t>(other)] = ids[i];
          ++joined;
        }
        return true;
      });
    }
    if (!joined) return;
    counts.welded += joined;
    renumber(s.triangles, map);
    dropBad(s, counts);
  }
}

struct Shells {
  std::vector<int> of; ///< triangle -> shell
  int count = 0;
};

/// Connects triangles over shared edges and turns those that disagree with their shell.
Shells orient(std::vector<Tri>& tris, const std::map<Ends, std::vector<int>>& use, Counts& counts) {
  Shells s;
  s.of.assign(tris.size(), -1);
  auto forward = [&](int t, int a, int b) {
    for (std::size_t k = 0; k < 3; ++k)
      if (tris[static_cast<std::size_t>(t)][k] == a && tris[static_cast<std::size_t>(t)][(k + 1) % 3] == b) return true;
    return false;
  };
  for (std::size_t seed = 0; seed < tris.size(); ++seed) {
    if (s.of[seed] >= 0) continue;
    std::vector<int> stack{static_cast<int>(seed)}, members{static_cast<int>(seed)};
    std::vector<char> turnedHere;
    int turned = 0;
    s.of[seed] = s.count;
    while (!stack.empty()) {
      int t = stack.back();
      stack.pop_back();
      for (std::size_t k = 0; k < 3; ++k) {
        int a = tris[static_cast<std::size_t>(t)][k], b = tris[static_cast<std::size_t>(t)][(k + 1) % 3];
        const auto& pair = use.at(endsOf(a, b));
        if (pair.size() != 2) continue;
        int o = pair[0] == t ? pair[1] : pair[0];
        if (s.of[static_cast<std::size_t>(o)] >= 0) continue;
        if (forward(o, a, b)) {
          std::swap(tris[static_cast<std::size_t>(o)][1], tris[static_cast<std::size_t>(o)][2]);
          ++turned;
        }
        s.of[static_cast<std::size_t>(o)] = s.count;
        stack.push_back(o);
        members.push_back(o);
      }
    }
    counts.turned += std::min(turned, static_cast<int>(members.size()) - turned);
    ++s.count;
  }
  return s;
}

Problem placesProblem(const char* code, const std::string& what, const std::vector<Vec3>& places,
                      const std::string& unit, const std::string& why, const std::string& todo) {
  Problem p;
  p.code = code;
  p.what = what;
  p.places = places;
  for (std::size_t i = 0; i < std::min<std::size_t>(5, places.size()); ++i)
    p.where += (i ? ", " : "at ") + formatPoint(places[i]);
  p.where += " " + unit;
  p.why = why;
  p.todo = todo;
  return p;
}

/// Shell volumes decide direction; a shell inside another one bounds a cavity of it.
struct Nesting {
  std::vector<double> volume;
  std::vector<int> body; ///< shell -> body
  int bodies = 0;
};

Nesting nest(FacetSoup& s, const Shells& shells) {
  Nesting n;
  std::size_t count = static_cast<std::size_t>(shells.count);
  n.volume.assign(count, 0);
  std::vector<Box> boxes(count);
  std::vector<int> sample(count, -1);
  for (std::size_t i = 0; i < s.triangles.size(); ++i) {
    std::size_t k = static_cast<std::size_t>(shells.of[i]);
    const auto& t = s.triangles[i];
    n.volume[k] += tetVolume(Vec3::Zero(), s.points[static_cast<std::size_t>(t[0])],
                             s.points[static_cast<std::size_t>(t[1])], s.points[static_cast<std::size_t>(t[2])]);
    for (int v : t) boxes[k].add(s.points[static_cast<std::size_t>(v)]);
    if (sample[k] < 0) sample[k] = t[0];
  }
  // Winding number of shell k at a point: sum of solid angles (van Oosterom & Strackee 1983).
  auto inside = [&](std::size_t k, const Vec3& p) {
    double w = 0;
    for (std::size_t i = 0; i < s.triangles.size(); ++i) {
      if (static_cast<std::size_t>(shells.of[i]) != k) continue;
      Vec3 a = s.points[static_cast<std::size_t>(s.triangles[i][0])] - p,
           b = s.points[static_cast<std::size_t>(s.triangles[i][1])] - p,
           c = s.points[static_cast<std::size_t>(s.triangles[i][2])] - p;
      double la = a.norm(), lb = b.norm(), lc = c.norm();
      w += 2 * std::atan2(a.dot(b.cross(c)), la * lb * lc + a.dot(b) * lc + b.dot(c) * la + c.dot(a) * lb);
    }
    return std::abs(w) > 2 * kPi;
  };
  std::vector<std::vector<int>> outer(count);
  for (std::size_t i = 0; i < count; ++i)
    for (std::size_t j = 0; j < count; ++j)
      if (i != j && std::abs(n.volume[j]) > std::abs(n.volume[i]) && boxes[j].contains(boxes[i].lo) &&
          boxes[j].contains(boxes[i].hi) && inside(j, s.points[static_cast<std::size_t>(sample[i])]))
        outer[i].push_back(static_cast<int>(j));
  n.body.assign(count, -1);
  for (std::size_t i = 0; i < count; ++i)
    if (outer[i].size() % 2 == 0) n.body[i] = n.bodies++;
  for (std::size_t i = 0; i < count; ++i) {
    if (outer[i].size() % 2 == 0) continue;
    int parent = outer[i][0]; // the innermost of the shells around it
    for (int j : outer[i])
      if (std::abs(n.volume[static_cast<std::size_t>(j)]) < std::abs(n.volume[static_cast<std::size_t>(parent)]))
        parent = j;
    n.body[i] = n.body[static_cast<std::size_t>(parent)];
  }
  for (std::size_t i = 0; i < s.triangles.size(); ++i) {
    std::size_t k = static_cast<std::size_t>(shells.of[i]);
    bool cavity = outer[k].size() % 2 == 1;
    if ((n.volume[k] < 0) != cavity) std::swap(s.triangles[i][1], s.triangles[i][2]);
  }
  for (std::size_t k = 0; k < count; ++k) n.volume[k] = (outer[k].size() % 2 ? -1 : 1) * std::abs(n.volume[k]);
  return n;
}

using Sides = std::vector<std::array<int, 2>>; ///< by triangle: body behind it, body in front of it or -1

/// Faces are what sharp edges, names and other bodies separate, and edges where not just two triangles meet.
std::vector<int> splitFaces(const FacetSoup& s, const Sides& sides, const std::map<Ends, std::vector<int>>& use,
                            double angleDeg, std::set<Ends>& feature, int& count) {
  std::vector<Vec3> normal(s.triangles.size());
  auto pt = [&](int v) { return s.points[static_cast<std::size_t>(v)]; };
  for (std::size_t i = 0; i < s.triangles.size(); ++i)
    normal[i] = triangleNormal(pt(s.triangles[i][0]), pt(s.triangles[i][1]), pt(s.triangles[i][2]));
  double limit = std::cos(angleDeg * kPi / 180);
  for (const auto& [e, t] : use) {
    std::size_t a = static_cast<std::size_t>(t.front()), b = static_cast<std::size_t>(t.back());
    if (t.size() != 2 || normal[a].dot(normal[b]) < limit || s.triangleName[a] != s.triangleName[b] ||
        sides[a] != sides[b])
      feature.insert(e);
  }
  std::vector<int> face(s.triangles.size(), -1);
  count = 0;
  for (std::size_t seed = 0; seed < face.size(); ++seed) {
    if (face[seed] >= 0) continue;
    std::vector<int> stack{static_cast<int>(seed)};
    face[seed] = count;
    while (!stack.empty()) {
      std::size_t t = static_cast<std::size_t>(stack.back());
      stack.pop_back();
      for (std::size_t k = 0; k < 3; ++k) {
        Ends e = endsOf(s.triangles[t][k], s.triangles[t][(k + 1) % 3]);
        if (feature.count(e)) continue;
        for (int o : use.at(e))
          if (face[static_cast<std::size_t>(o)] < 0) {
            face[static_cast<std::size_t>(o)] = count;
            stack.push_back(o);
          }
      }
    }
    ++count;
  }
  return face;
}

/// Chains feature edges between corners. A corner is where other than two meet, faces change, or the line turns
/// sharply.
void chainEdges(Part& part, Tessellation& t, const std::map<Ends, std::vector<int>>& use, const std::set<Ends>& feature,
                double turnDeg) {
  std::map<int, std::vector<int>> around;
  for (const auto& e : feature) {
    around[e.first].push_back(e.second);
    around[e.second].push_back(e.first);
  }
  auto facesOf = [&](const Ends& e) {
    std::vector<int> f;
    for (int i : use.at(e)) f.push_back(t.triangleFace[static_cast<std::size_t>(i)]);
    std::sort(f.begin(), f.end());
    f.erase(std::unique(f.begin(), f.end()), f.end());
    return f;
  };
  auto pt = [&](int v) { return t.points[static_cast<std::size_t>(v)]; };
  std::map<int, int> corner;
  auto makeCorner = [&](int v, bool hidden) {
    auto [it, fresh] = corner.emplace(v, static_cast<int>(part.points.size()));
    if (fresh) {
      part.points.push_back({pt(v), hidden});
      t.origin[static_cast<std::size_t>(v)] = {Dim::Point, it->second, 0};
    }
    return it->second;
  };
  double cosTurn = std::cos(turnDeg * kPi / 180);
  for (const auto& [v, n] : around) {
    bool is = n.size() != 2;
    if (!is) {
      is = facesOf(endsOf(v, n[0])) != facesOf(endsOf(v, n[1]));
      Vec3 a = (pt(v) - pt(n[0])).normalized(), b = (pt(n[1]) - pt(v)).normalized();
      is = is || a.dot(b) < cosTurn;
    }
    if (is) makeCorner(v, false);
  }
  std::set<Ends> done;
  auto follow = [&](int start, int next) {
    std::vector<int> chain{start, next};
    done.insert(endsOf(start, next));
    while (!corner.count(chain.back())) {
      const auto& n = around[chain.back()];
      int to = n[0] == chain[chain.size() - 2] ? n[1] : n[0];
      done.insert(endsOf(chain.back(), to));
      chain.push_back(to);
    }
    PartEdge e;
    int id = static_cast<int>(part.edges.size());
    e.points = {corner.at(chain.front()), corner.at(chain.back())};
    e.faces = facesOf(endsOf(chain[0], chain[1]));
    std::vector<double> s{0};
    for (std::size_t i = 1; i < chain.size(); ++i) s.push_back(s.back() + (pt(chain[i]) - pt(chain[i - 1])).norm());
    e.length = s.back();
    e.t0 = 0;
    e.t1 = s.back();
    for (std::size_t i = 1; i + 1 < chain.size(); ++i)
      t.origin[static_cast<std::size_t>(chain[i])] = {Dim::Edge, id, s[i]};
    for (int f : e.faces) part.faces[static_cast<std::size_t>(f)].edges.push_back(id);
    part.edges.push_back(e);
    t.edgeChain.push_back(chain);
    t.edgeParam.push_back(s);
  };
  for (const auto& [v, n] : around) {
    if (!corner.count(v)) continue;
    for (int o : n)
      if (!done.count(endsOf(v, o))) follow(v, o);
  }
  for (const auto& [v, n] : around) // rings without any corner
    if (!done.count(endsOf(v, n[0]))) {
      makeCorner(v, true);
      follow(v, n[0]);
    }
}

/// Normals of a face at the corners of its triangles, three for each: angle-weighted means over the triangles that lie
/// around the corner on the same side of sharp edges. A sharp edge may end inside a face, which then has two normals
/// along it.
std::vector<Vec3> cornerNormalsOf(const FacetShape& s, const std::vector<int>& triangles, const std::set<Ends>& sharp) {
  struct Corner {
    int triangle;
    std::size_t k;  ///< of its corners
    std::size_t at; ///< in the result
    Vec3 share;
  };
  std::map<int, std::vector<Corner>> around;
  for (std::size_t i = 0; i < triangles.size(); ++i) {
    const Tri& q = s.base.triangles[static_cast<std::size_t>(triangles[i])];
    const Vec3 normal = triangleNormal(s.pt(q[0]), s.pt(q[1]), s.pt(q[2]));
    for (std::size_t k = 0; k < 3; ++k) {
      Vec3 u = (s.pt(q[(k + 1) % 3]) - s.pt(q[k])).normalized(), w = (s.pt(q[(k + 2) % 3]) - s.pt(q[k])).normalized();
      around[q[k]].push_back({triangles[i], k, 3 * i + k, std::acos(std::clamp(u.dot(w), -1.0, 1.0)) * normal});
    }
  }
  std::vector<Vec3> normals(3 * triangles.size());
  for (const auto& [v, corners] : around) {
    std::vector<std::size_t> side(corners.size()); // the first corner on the same side
    std::iota(side.begin(), side.end(), std::size_t{0});
    auto first = [&](std::size_t i) {
      while (side[i] != i) i = side[i];
      return i;
    };
    std::map<int, std::size_t> byEdge; // other end of an edge -> a corner at it
    for (std::size_t i = 0; i < corners.size(); ++i)
      for (std::size_t step : {std::size_t{1}, std::size_t{2}}) {
        const int other = s.base.triangles[static_cast<std::size_t>(corners[i].triangle)][(corners[i].k + step) % 3];
        if (sharp.count(endsOf(v, other))) continue;
        auto [it, fresh] = byEdge.emplace(other, i);
        if (fresh) continue;
        const std::size_t a = first(i), b = first(it->second);
        side[std::max(a, b)] = std::min(a, b);
      }
    std::vector<Vec3> sum(corners.size(), Vec3::Zero());
    for (std::size_t i = 0; i < corners.size(); ++i) sum[first(i)] += corners[i].share;
    for (std::size_t i = 0; i < corners.size(); ++i) normals[corners[i].at] = sum[first(i)].normalized();
  }
  return normals;
}

void prepareQueries(FacetShape& s, Part& part) {
  const Tessellation& t = s.base;
  std::size_t n = part.faces.size();
  s.tree.resize(n);
  s.faceTriangles.resize(n);
  s.corners.resize(n);
  s.cornerNormals.resize(n);
  s.curvature.resize(n);
  for (std::size_t i = 0; i < t.triangles.size(); ++i)
    s.faceTriangles[static_cast<std::size_t>(t.triangleFace[i])].push_back(static_cast<int>(i));
  std::set<Ends> sharp;
  for (const auto& chain : t.edgeChain)
    for (std::size_t i = 0; i + 1 < chain.size(); ++i) sharp.insert(endsOf(chain[i], chain[i + 1]));
  for (std::size_t f = 0; f < n; ++f) {
    PartFace& pf = part.faces[f];
    std::vector<Box> boxes;
    Vec3 mean(0, 0, 0);
    for (int i : s.faceTriangles[f]) {
      const Tri& q = t.triangles[static_cast<std::size_t>(i)];
      Vec3 a = s.pt(q[0]), b = s.pt(q[1]), c = s.pt(q[2]), nn = triangleNormal(a, b, c);
      double area = triangleArea(a, b, c);
      Box box;
      for (int v : q) box.add(s.pt(v));
      boxes.push_back(box);
      s.corners[f].push_back({a, b, c});
      pf.area += area;
      pf.center += area * (a + b + c) / 3;
      pf.box.add(box);
      mean += area * nn;
    }
    if (pf.area > 0) pf.center /= pf.area;
    s.cornerNormals[f] = cornerNormalsOf(s, s.faceTriangles[f], sharp);
    const std::vector<Vec3>& normals = s.cornerNormals[f];
    bool flat = true;
    Vec3 dir = mean.normalized();
    for (std::size_t i = 0; i < s.faceTriangles[f].size(); ++i) {
      const Tri& q = t.triangles[static_cast<std::size_t>(s.faceTriangles[f][i])];
      double k = 0;
      for (std::size_t c = 0; c < 3; ++c) {
        double l = (s.pt(q[(c + 1) % 3]) - s.pt(q[c])).norm();
        if (l > 0)
          k = std::max(k, std::acos(std::clamp(normals[3 * i + c].dot(normals[3 * i + (c + 1) % 3]), -1.0, 1.0)) / l);
        flat = flat && std::abs(dir.dot(s.pt(q[c]) - pf.center)) < 1e-6 * part.diagonal();
      }
      s.curvature[f].push_back(k);
    }
    if (flat) {
      pf.kind = SurfaceKind::Plane;
      pf.axis = dir;
      std::fill(s.curvature[f].begin(), s.curvature[f].end(), 0.0);
    }
    s.tree[f].build(boxes);
  }
}

/// Gives the part its faces, edges, points and shape; its bodies stand already, without their faces. `pointOf`: by
/// point of the soup that of the tessellation, or -1.
void shapeUp(Part& part, const FacetSoup& s, const Sides& sides, const std::map<Ends, std::vector<int>>& use,
             const LoadOptions& options, std::vector<int>& pointOf) {
  auto shape = std::make_shared<FacetShape>();
  Tessellation& t = shape->base;
  std::set<Ends> feature;
  int faceCount = 0;
  std::vector<int> face = splitFaces(s, sides, use, options.facetAngleDeg, feature, faceCount);
  part.faces.resize(static_cast<std::size_t>(faceCount));
  std::vector<int>& to = pointOf; // points that are not used are dropped
  to.assign(s.points.size(), -1);
  for (std::size_t i = 0; i < s.triangles.size(); ++i) {
    Tri q = s.triangles[i];
    for (int& v : q) {
      int& id = to[static_cast<std::size_t>(v)];
      if (id < 0) {
        id = static_cast<int>(t.points.size());
        t.points.push_back(s.points[static_cast<std::size_t>(v)]);
        t.origin.push_back({Dim::Face, face[i], 0});
      }
      v = id;
    }
    t.triangles.push_back(q);
    t.triangleFace.push_back(face[i]);
    auto& pf = part.faces[static_cast<std::size_t>(face[i])];
    pf.bodies = sides[i];
    if (s.triangleName[i] >= 0) pf.name = s.names[static_cast<std::size_t>(s.triangleName[i])];
  }
  for (const auto& p : t.points) part.box.add(p);
  std::set<Ends> moved;
  for (const auto& e : feature)
    moved.insert(endsOf(to[static_cast<std::size_t>(e.first)], to[static_cast<std::size_t>(e.second)]));
  chainEdges(part, t, edgeUse(t.triangles), moved, 45);
  for (std::size_t f = 0; f < part.faces.size(); ++f)
    for (int body : part.faces[f].bodies)
      if (body >= 0) part.bodies[static_cast<std::size_t>(body)].faces.push_back(static_cast<int>(f));
  for (auto& f : part.faces) {
    std::sort(f.edges.begin(), f.edges.end());
    f.edges.erase(std::unique(f.edges.begin(), f.edges.end()), f.edges.end());
  }
  prepareQueries(*shape, part);
  for (auto& b : part.bodies)
    for (int f : b.faces) b.box.add(part.faces[static_cast<std::size_t>(f)].box);
  part.display = t;
  part.shape = shape;
}

} // namespace

Result<Part> partFromFacets(FacetSoup s, const LoadOptions& options) {
  Part part;
  part.faceted = true;
  part.unitAssumed = options.unit.empty();
  part.unit = options.unit.empty() ? "mm" : options.unit;
  Counts counts;
  weld(s, counts);
  if (s.triangles.empty()) {
    Problem p;
    p.code = "part.no-body";
    p.what = "the file holds no triangles";
    p.why = "all are degenerate, or there are none";
    p.todo = "export the part again";
    return p;
  }
  auto use = edgeUse(s.triangles);
  auto mid = [&](const Ends& e) {
    return Vec3(0.5 * (s.points[static_cast<std::size_t>(e.first)] + s.points[static_cast<std::size_t>(e.second)]));
  };
  std::vector<Vec3> open, crowded;
  for (const auto& [e, t] : use) {
    if (t.size() == 1) open.push_back(mid(e));
    if (t.size() > 2) crowded.push_back(mid(e));
  }
  if (!open.empty())
    return placesProblem(
        "part.open-edges", std::to_string(open.size()) + " open edges: the triangles do not close a body", open,
        part.unit, "a volume mesh needs a closed surface", "close the gaps in the part and export it again");
  if (!crowded.empty())
    return placesProblem("part.crowded-edges", std::to_string(crowded.size()) + " edges have three or more triangles",
                         crowded, part.unit, "inside and outside cannot be told apart there",
                         "separate the surfaces that meet there and export the part again");
  Shells shells = orient(s.triangles, use, counts);
  for (const auto& [e, t] : use) { // a shell that cannot be oriented (one-sided) would pass all checks above
    int dir = 0;
    for (int i : t)
      for (std::size_t k = 0; k < 3; ++k)
        if (s.triangles[static_cast<std::size_t>(i)][k] == e.first &&
            s.triangles[static_cast<std::size_t>(i)][(k + 1) % 3] == e.second)
          ++dir;
    if (dir != 1)
      return placesProblem("part.one-sided", "the surface has one side only", {mid(e)}, part.unit,
                           "inside and outside cannot be told apart", "mend the surface in the part");
  }
  Nesting nesting = nest(s, shells);
  for (int b = 0; b < nesting.bodies; ++b) part.bodies.emplace_back();
  for (std::size_t k = 0; k < nesting.body.size(); ++k)
    part.bodies[static_cast<std::size_t>(nesting.body[k])].volume += nesting.volume[k];

  Sides sides(s.triangles.size());
  for (std::size_t i = 0; i < sides.size(); ++i) sides[i] = {nesting.body[static_cast<std::size_t>(shells.of[i])], -1};
  std::vector<int> pointOf;
  shapeUp(part, s, sides, use, options, pointOf);
  auto note = [&](const char* code, int n, const std::string& what) {
    if (!n) return;
    Problem p;
    p.severity = Severity::Note;
    p.code = code;
    p.what = std::to_string(n) + " " + what;
    p.why = "mended while reading";
    part.problems.push_back(p);
  };
  note("part.turned", counts.turned, "triangles were turned to agree with their shell");
  note("part.welded", counts.welded, "points on open edges were welded");
  note("part.degenerate", counts.degenerate, "triangles without area were dropped");
  note("part.duplicate", counts.duplicate, "repeated triangles were dropped");
  return part;
}

Result<Part> partFromSurface(const KnownSurface& surface, const LoadOptions& options, SurfaceLinks* links) {
  Part part;
  part.faceted = true;
  part.unit = options.unit.empty() ? surface.unit : options.unit;
  part.unitAssumed = options.unit.empty() && surface.unitAssumed;
  if (!options.unit.empty() && options.unit != surface.unit && !surface.unitAssumed) part.fileUnit = surface.unit;
  FacetSoup s;
  s.points = surface.points;
  s.triangles = surface.triangles;
  s.triangleName = surface.label;
  for (const auto& names : surface.names) s.names.push_back(names.empty() ? "" : names.front());
  for (const auto& name : surface.bodyNames) part.bodies.emplace_back().name = name;
  for (std::size_t i = 0; i < s.triangles.size(); ++i)
    for (std::size_t side = 0; side < 2; ++side)
      if (const int body = surface.sides[i][side]; body >= 0) {
        const auto& t = s.triangles[i];
        auto at = [&](int v) { return s.points[static_cast<std::size_t>(v)]; };
        part.bodies[static_cast<std::size_t>(body)].volume +=
            (side ? -1 : 1) * tetVolume(Vec3::Zero(), at(t[0]), at(t[1]), at(t[2]));
      }
  std::vector<int> pointOf;
  shapeUp(part, s, surface.sides, edgeUse(s.triangles), options, pointOf);
  for (std::size_t i = 0; i < s.triangles.size(); ++i)
    if (const int label = surface.label[i]; label >= 0) {
      const auto& names = surface.names[static_cast<std::size_t>(label)];
      if (names.size() > 1)
        part.faces[static_cast<std::size_t>(part.display.triangleFace[i])].furtherNames = {names.begin() + 1,
                                                                                           names.end()};
    }
  if (links) {
    links->faceOfTriangle = part.display.triangleFace;
    links->ofPoint.assign(s.points.size(), {Dim::Body, -1, 0});
    for (std::size_t v = 0; v < pointOf.size(); ++v)
      if (pointOf[v] >= 0) links->ofPoint[v] = part.display.origin[static_cast<std::size_t>(pointOf[v])];
  }
  return finishedPart(std::move(part), surface.path);
}

Result<Part> loadFacetPart(const std::string& path, const std::string& ext, const LoadOptions& options) {
  auto soup = ext == ".stl"   ? readStl(path)
              : ext == ".obj" ? readObj(path)
              : ext == ".ply" ? readPly(path)
                              : readVtkSurface(path, ext == ".vtp");
  if (!soup) return soup.problem();
  auto part = partFromFacets(std::move(*soup), options);
  if (!part) {
    Problem p = part.problem();
    if (p.where.empty()) p.where = path;
    return p;
  }
  part->format = ext == ".stl" ? "STL" : ext == ".obj" ? "OBJ" : ext == ".ply" ? "PLY" : "VTK";
  if (part->bodies.size() == 1) part->bodies[0].name = std::filesystem::path(path).stem().string();
  return part;
}

} // namespace tess
