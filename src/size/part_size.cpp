// SPDX-License-Identifier: GPL-3.0-or-later
#include "size/part_size.h"
#include "base/bvh.h"
#include "base/parallel.h"
#include "geometry/joined.h"
#include "size/thickness.h"
#include "size/turn.h"
#include <cmath>
#include <map>
#include <set>

namespace tess {

double sizeOnCurve(double curvature, double turnDeg, double deviation) {
  if (curvature <= 0) return 1e300;
  double h = 1e300;
  if (turnDeg > 0) h = 2 * std::sin(0.5 * turnDeg * kPi / 180) / curvature;
  // A chord of length h leaves a circle of radius r by d: h^2 = 8 r d - 4 d^2.
  const double d = std::min(deviation, 1 / curvature);
  if (d > 0) h = std::min(h, std::sqrt(4 * d * (2 / curvature - d)));
  return h;
}

SizeSettings SizeSettings::resolved() const {
  SizeSettings s = *this;
  if (s.slenderFloor <= 0) s.slenderFloor = s.minimum > 0 ? s.minimum : s.target / 100;
  s.slenderFloor = std::min(s.slenderFloor, s.target);
  if (s.minimum <= 0) s.minimum = s.target / 10;
  if (s.maximum <= 0) s.maximum = s.target;
  s.minimum = std::min(s.minimum, s.target);
  if (s.bridging.tolerance < 0) s.bridging.tolerance = s.target / 50;
  // What a size rule can still follow is not bridged.
  s.bridging.tolerance = std::min(s.bridging.tolerance, 0.2 * s.minimum);
  return s;
}

double sizeThrough(double distance, int count) {
  // Measured on plates and tubes: the largest factor at which at least 99 % of the area reaches the count. The more
  // elements lie through a wall, the more their longer edges add up.
  double factor = count == 1 ? 1.2 : count <= 3 ? 1.0 : std::max(0.85, 1 - 0.02 * (count - 2));
  return factor * distance / count;
}

namespace {

/// Turn and deviation per face and per edge: the overall turn, or what a rule puts in its place.
struct Follow {
  double turnDeg, deviation, floor;
  int rule;
};

void addTurn(SizeField& f, const Part& part, const SizeSettings& s, const std::vector<LocalTurn>& local,
             const Progress* progress) {
  const auto& t = part.display;
  const Follow overall{s.turnDeg, 0, s.minimum, kReasonTurn};
  std::vector<Follow> faces(part.faces.size(), overall), edges(part.edges.size(), overall);
  for (const auto& l : local) {
    Follow w{l.turnDeg, l.deviation, l.floor > 0 ? l.floor : s.minimum, l.rule};
    for (int id : l.entities) {
      if (l.dim == Dim::Edge) edges[static_cast<std::size_t>(id)] = w;
      if (l.dim != Dim::Face) continue;
      faces[static_cast<std::size_t>(id)] = w;
      for (int e : part.faces[static_cast<std::size_t>(id)].edges) edges[static_cast<std::size_t>(e)] = w;
    }
  }
  auto sizeOf = [&](const Follow& w, double curvature) {
    return std::max(sizeOnCurve(curvature, w.turnDeg, w.deviation), w.floor);
  };
  auto pt = [&](int v) -> const Vec3& { return t.points[static_cast<std::size_t>(v)]; };
  std::vector<double> size(t.triangles.size(), 1e300);
  parallelFor(
      t.triangles.size(), progress,
      [&](std::size_t i) {
        int face = t.triangleFace[i];
        const PartFace& pf = part.faces[static_cast<std::size_t>(face)];
        const Follow& w = faces[static_cast<std::size_t>(face)];
        if (pf.kind == SurfaceKind::Plane || (w.turnDeg <= 0 && w.deviation <= 0)) return;
        const auto& q = t.triangles[i];
        double k = part.shape->projectToFace(face, (pt(q[0]) + pt(q[1]) + pt(q[2])) / 3).curvature;
        if (pf.kind == SurfaceKind::Other || pf.kind == SurfaceKind::Torus)
          for (int v : q) k = std::max(k, part.shape->projectToFace(face, pt(v)).curvature);
        size[i] = sizeOf(w, k);
      },
      64);
  for (std::size_t i = 0; i < t.triangles.size(); ++i) {
    const auto& q = t.triangles[i];
    int rule = faces[static_cast<std::size_t>(t.triangleFace[i])].rule;
    if (size[i] < s.target) f.addTriangle(pt(q[0]), pt(q[1]), pt(q[2]), size[i], rule);
  }
  for (std::size_t e = 0; e < part.edges.size(); ++e) {
    const Follow& w = edges[e];
    if (w.turnDeg <= 0 && w.deviation <= 0) continue;
    const auto& c = t.edgeChain[e];
    const auto& u = t.edgeParam[e];
    for (std::size_t i = 0; i + 1 < c.size(); ++i) {
      double h = sizeOf(w, part.shape->edgeCurvature(static_cast<int>(e), 0.5 * (u[i] + u[i + 1])));
      if (h < s.target) f.addSegment(pt(c[i]), pt(c[i + 1]), h, w.rule);
    }
  }
}

/// Short edges, and edges of a face that run close to each other, would otherwise meet elements several times longer.
void addNarrow(SizeField& f, const Part& part, const SizeSettings& s) {
  constexpr double kAcross = 1.2;        // largest size between two edges of a face, against their distance
  constexpr double kAtCorner = 3;        // the same where they meet in a narrow corner: they come closer for long
  constexpr double kNarrowCorner = 0.15; // tangent of its angle
  const auto& t = part.display;
  const Bridging& bridge = s.bridging;
  auto keepEdge = [&](int e) { return !bridge.keepEdge.empty() && bridge.keepEdge[static_cast<std::size_t>(e)]; };
  auto pt = [&](int v) -> const Vec3& { return t.points[static_cast<std::size_t>(v)]; };
  const Joins joins(part, bridge.ignoreEdge, bridge.ignorePoint);
  auto chainOf = [&](int e) -> const Joins::Chain& {
    return joins.chains[static_cast<std::size_t>(joins.chainOf[static_cast<std::size_t>(e)])];
  };
  for (std::size_t e = 0; e < part.edges.size(); ++e) {
    if (joins.chainOf[e] < 0) continue;
    const double length = chainOf(static_cast<int>(e)).length, h = std::max(length, s.minimum);
    if (h >= s.target || (length < bridge.tolerance && !keepEdge(static_cast<int>(e)))) continue;
    const auto& c = t.edgeChain[e];
    for (std::size_t i = 0; i + 1 < c.size(); ++i) f.addSegment(pt(c[i]), pt(c[i + 1]), h, kReasonShortEdge);
  }
  // Triangles at the pieces of the edges, by the numbers of their two points.
  std::map<std::pair<int, int>, std::vector<int>> atEdge;
  for (const auto& c : t.edgeChain)
    for (std::size_t i = 0; i + 1 < c.size(); ++i) atEdge[std::minmax(c[i], c[i + 1])];
  for (std::size_t i = 0; i < t.triangles.size(); ++i)
    for (std::size_t k = 0; k < 3; ++k)
      if (auto it = atEdge.find(std::minmax(t.triangles[i][k], t.triangles[i][(k + 1) % 3])); it != atEdge.end())
        it->second.push_back(static_cast<int>(i));
  struct Piece {
    Vec3 a, b;
    int edge;
    std::array<double, 2> along; ///< where a and b lie on the length of the edge's chain
    std::vector<Vec3> inward;    ///< directions from the edge into the face: two along a seam
    /// Whether a place near the edge lies on the face's side of it, not across a slot that the face is cut by, nor
    /// along the edge. A face that turns by half a circle from edge to edge still has the other one on its side.
    bool faces(const Vec3& way) const {
      return inward.empty() ||
             std::any_of(inward.begin(), inward.end(), [&](const Vec3& in) { return way.dot(in) > 0.01 * way.norm(); });
    }
  };
  for (std::size_t fi = 0; fi < part.faces.size(); ++fi) {
    const auto& face = part.faces[fi];
    bool keepFace = !bridge.keepFace.empty() && bridge.keepFace[fi];
    std::vector<Piece> pieces;
    std::vector<Box> boxes;
    for (int e : face.edges) {
      if (joins.chainOf[static_cast<std::size_t>(e)] < 0) continue;
      const auto& c = t.edgeChain[static_cast<std::size_t>(e)];
      const auto& own = chainOf(e).pieces;
      const auto place = std::find_if(own.begin(), own.end(), [&](const auto& x) { return x.edge == e; });
      double passed = 0;
      for (std::size_t i = 0; i + 1 < c.size(); ++i) {
        Vec3 a = pt(c[i]), b = pt(c[i + 1]);
        auto along = [&](double share) {
          const double l = passed + share * (b - a).norm();
          return place->from + (place->reversed ? part.edges[static_cast<std::size_t>(e)].length - l : l);
        };
        std::vector<Vec3> inward;
        for (int k : atEdge[std::minmax(c[i], c[i + 1])]) {
          const auto& q = t.triangles[static_cast<std::size_t>(k)];
          if (t.triangleFace[static_cast<std::size_t>(k)] != static_cast<int>(fi)) continue;
          const Vec3 way = pt(q[0] + q[1] + q[2] - c[i] - c[i + 1]) - a, line = (b - a).normalized(),
                     across = way - way.dot(line) * line;
          if (across.norm() > 0) inward.push_back(across.normalized()); // a flat triangle tells nothing
        }
        int n = std::clamp(static_cast<int>(std::ceil((b - a).norm() / (0.5 * s.target))), 1, 200);
        for (int k = 0; k < n; ++k) {
          const double from = static_cast<double>(k) / n, to = static_cast<double>(k + 1) / n;
          pieces.push_back({a + (b - a) * k / n, a + (b - a) * (k + 1) / n, e, {along(from), along(to)}, inward});
          Box box;
          box.add(pieces.back().a);
          box.add(pieces.back().b);
          boxes.push_back(box);
        }
        passed += (b - a).norm();
      }
    }
    if (pieces.size() < 2) continue;
    Bvh tree(boxes);
    // Distance from `m` to the nearest point in which the two edges meet; infinite when they do not.
    auto toCorner = [&](int a, int b, const Vec3& m) {
      double d = std::numeric_limits<double>::infinity();
      for (int p : part.edges[static_cast<std::size_t>(a)].points)
        for (int q : part.edges[static_cast<std::size_t>(b)].points)
          if (p == q && p >= 0) d = std::min(d, (part.points[static_cast<std::size_t>(p)].at - m).norm());
      return d;
    };
    for (const auto& piece : pieces) {
      Vec3 m = 0.5 * (piece.a + piece.b);
      double best = s.target / kAcross, corner = s.target / kAtCorner;
      tree.minimum(
          best, [&](const Box& b, int) { return std::sqrt(b.distance2(m)); },
          [&](int i) {
            const Piece& o = pieces[static_cast<std::size_t>(i)];
            if (o.edge == piece.edge) return 1e300;
            const double on = closestOnSegment(m, o.a, o.b);
            const Vec3 way = o.a + on * (o.b - o.a) - m;
            if (const double away = toCorner(o.edge, piece.edge, m); std::isfinite(away)) {
              if (way.norm() < kNarrowCorner * away && piece.faces(way) && o.faces(-way))
                corner = std::min(corner, way.norm());
              return 1e300;
            }
            // On one line whose points need not be followed, what comes soon after is no other side.
            if (const auto& chain = chainOf(o.edge); &chain == &chainOf(piece.edge)) {
              double gap =
                  std::abs(o.along[0] + on * (o.along[1] - o.along[0]) - 0.5 * (piece.along[0] + piece.along[1]));
              if (chain.points[0] == chain.points[1]) gap = std::min(gap, chain.length - gap);
              if (gap < 2 * way.norm()) return 1e300;
            }
            return piece.faces(way) && o.faces(-way) ? way.norm() : 1e300;
          });
      double h = s.target;
      if (best >= bridge.tolerance || keepFace) h = kAcross * best;
      if (corner >= bridge.tolerance || keepFace) h = std::min(h, kAtCorner * corner);
      h = std::max(h, s.minimum);
      if (h < 0.99 * s.target) f.addSegment(piece.a, piece.b, h, kReasonNarrowFace);
    }
  }
}

/// The sources fill the wall: triangles in its middle that hold the size over half of its thickness, so that growth
/// does not begin inside.
void addThrough(SizeField& f, const Part& part, const SizeSettings& s, const ThroughSize& w, const Progress* progress) {
  double floor = w.floor > 0 ? w.floor : s.minimum, largest = std::min(s.target, s.maximum);
  ThinQuery query{.gaps = w.gaps, .faces = w.faces, .below = largest / sizeThrough(1, w.count), .finest = floor};
  for (const auto& p : thinPieces(part, query, progress)) {
    double h = std::max(sizeThrough(p.thickness, w.count), floor);
    if (h < largest) f.addTriangle(p.across[0], p.across[1], p.across[2], h, w.rule, p.halfWidth);
  }
}

/// A wall with one element through it makes that flat when its edges are many times longer than the wall is thick:
/// prisms of height t over triangles of edge h, cut into tetrahedra, have angles of atan(1.15 t / h) at best. In a
/// wedge no size helps: its angle is the part's own.
void addSlender(SizeField& f, const Part& part, const SizeRequest& request, const SizeSettings& s,
                const Progress* progress) {
  if (s.slender <= 0) return;
  // Where a rule for walls has a floor of its own, that is what was asked for.
  std::vector<double> floors(part.faces.size(), s.slenderFloor);
  for (const auto& w : request.through)
    for (std::size_t i = 0; i < floors.size(); ++i)
      if (!w.gaps && w.floor > 0 && (w.faces.empty() || w.faces[i])) floors[i] = std::max(floors[i], w.floor);
  const double largest = std::min(s.target, s.maximum);
  ThinQuery query{
      .below = largest / s.slender, .finest = s.slenderFloor / s.slender, .piece = s.slender, .wedges = false};
  struct Ball {
    double h, reach;
    Vec3 at;
  };
  std::vector<Ball> balls;
  for (const auto& p : thinPieces(part, query, progress)) {
    double h = std::max(s.slender * p.thickness, floors[static_cast<std::size_t>(p.face)]);
    if (h < largest) balls.push_back({h, p.halfWidth + 0.3 * h, (p.across[0] + p.across[1] + p.across[2]) / 3});
  }
  // Both faces of a wall ask, and pieces are smaller than the elements: one ball for each place is enough.
  std::stable_sort(balls.begin(), balls.end(), [](const Ball& a, const Ball& b) { return a.h < b.h; });
  std::set<std::array<long long, 4>> taken;
  for (const auto& b : balls) {
    int level = std::ilogb(b.h / s.slenderFloor);
    double cell = 0.5 * std::ldexp(s.slenderFloor, level);
    auto at = [&](int d) { return std::llround(b.at[d] / cell); };
    if (!taken.insert({level, at(0), at(1), at(2)}).second) continue;
    f.addPoint(b.at, b.h, kReasonSlender, b.reach);
    if (f.slender.places.size() < 50) f.slender.places.push_back(b.at);
    f.slender.finest = std::min(f.slender.finest, b.h);
  }
}

/// Faces next to a divided edge grade from its elements.
void addDivision(SizeField& f, const Part& part, int edge, const EdgeDivision& d) {
  if (d.more != 0) return;
  const auto& e = part.edges[static_cast<std::size_t>(edge)];
  std::vector<double> share{0};
  for (double x : divisionShares(d, e.length)) share.push_back(x);
  share.push_back(1);
  const auto& t = part.display;
  const auto& c = t.edgeChain[static_cast<std::size_t>(edge)];
  std::vector<double> at{0};
  for (std::size_t i = 0; i + 1 < c.size(); ++i)
    at.push_back(at.back() +
                 (t.points[static_cast<std::size_t>(c[i + 1])] - t.points[static_cast<std::size_t>(c[i])]).norm());
  auto point = [&](double x) {
    double want = x * at.back();
    std::size_t i = static_cast<std::size_t>(std::upper_bound(at.begin(), at.end(), want) - at.begin());
    i = std::clamp<std::size_t>(i, 1, at.size() - 1);
    double span = at[i] - at[i - 1], w = span > 0 ? (want - at[i - 1]) / span : 0;
    const Vec3 &a = t.points[static_cast<std::size_t>(c[i - 1])], &b = t.points[static_cast<std::size_t>(c[i])];
    return Vec3(a + w * (b - a));
  };
  for (std::size_t i = 0; i + 1 < share.size(); ++i)
    f.addSegment(point(share[i]), point(share[i + 1]), (share[i + 1] - share[i]) * e.length, d.rule);
}

void addLocal(SizeField& f, const Part& part, const LocalSize& l) {
  const auto& t = part.display;
  auto pt = [&](int v) -> const Vec3& { return t.points[static_cast<std::size_t>(v)]; };
  std::vector<char> faces(part.faces.size(), 0);
  auto edge = [&](int e) {
    const auto& c = t.edgeChain[static_cast<std::size_t>(e)];
    for (std::size_t i = 0; i + 1 < c.size(); ++i) f.addSegment(pt(c[i]), pt(c[i + 1]), l.size, l.rule);
  };
  for (int id : l.entities) switch (l.dim) {
    case Dim::Point:
      f.addPoint(part.points[static_cast<std::size_t>(id)].at, l.size, l.rule);
      break;
    case Dim::Edge:
      edge(id);
      break;
    case Dim::Face:
      faces[static_cast<std::size_t>(id)] = 1;
      break;
    case Dim::Body:
      f.setBodySize(id, l.size, l.rule);
      for (int x : part.bodies[static_cast<std::size_t>(id)].faces) faces[static_cast<std::size_t>(x)] = 1;
      break;
    }
  for (std::size_t i = 0; i < t.triangles.size(); ++i)
    if (faces[static_cast<std::size_t>(t.triangleFace[i])])
      f.addTriangle(pt(t.triangles[i][0]), pt(t.triangles[i][1]), pt(t.triangles[i][2]), l.size, l.rule, l.within);
}

} // namespace

SizeField makeSizeField(const Part& part, const SizeRequest& request, const Progress* progress) {
  SizeSettings s = request.overall.resolved();
  SizeField f(std::min(s.target, s.maximum), std::max(0.02, s.growth - 1));
  addTurn(f, part, s, request.turns, progress);
  addNarrow(f, part, s);
  for (const auto& w : request.through) addThrough(f, part, s, w, progress);
  addSlender(f, part, request, s, progress);
  for (const auto& l : request.local) addLocal(f, part, l);
  for (const auto& z : request.zones) f.addZone(z.zone, z.size, z.rule);
  for (const auto& p : request.sampled)
    for (std::size_t i = 0; i < p.at.size(); ++i)
      if (p.size[i] < f.overall()) f.addPoint(p.at[i], p.size[i], p.rule, p.radius[i]);
  for (const auto& [edge, d] : EdgeDivisions(request.divisions)) addDivision(f, part, edge, d);
  f.build();
  return f;
}

} // namespace tess
