// SPDX-License-Identifier: GPL-3.0-or-later
#include "geometry/joined.h"
#include "base/bvh.h"
#include <cmath>

namespace tess {

Joins::Joins(const Part& part, const std::vector<char>& ignoreEdge, const std::vector<char>& ignorePoint) {
  joinFaces(part, ignoreEdge);
  joinEdges(part, ignorePoint);
}

void Joins::joinFaces(const Part& part, const std::vector<char>& ignoreEdge) {
  std::vector<int> root(part.faces.size());
  std::iota(root.begin(), root.end(), 0);
  auto find = [&](int f) {
    while (root[static_cast<std::size_t>(f)] != f)
      f = root[static_cast<std::size_t>(f)] = root[static_cast<std::size_t>(root[static_cast<std::size_t>(f)])];
    return f;
  };
  chainOf.assign(part.edges.size(), 0);
  for (std::size_t e = 0; e < part.edges.size(); ++e) {
    const auto& pair = part.edges[e].faces;
    const bool joins =
        e < ignoreEdge.size() && ignoreEdge[e] && pair.size() == 2 &&
        part.faces[static_cast<std::size_t>(pair[0])].bodies == part.faces[static_cast<std::size_t>(pair[1])].bodies;
    if (!joins) continue;
    chainOf[e] = -1;
    const int a = find(pair[0]), b = find(pair[1]);
    root[static_cast<std::size_t>(std::max(a, b))] = std::min(a, b);
  }
  for (std::size_t f = 0; f < root.size(); ++f) {
    const int r = find(static_cast<int>(f)); // the lowest of its faces
    faceOf.push_back(r == static_cast<int>(f) ? faces++ : faceOf[static_cast<std::size_t>(r)]);
  }
}

void Joins::joinEdges(const Part& part, const std::vector<char>& ignorePoint) {
  std::vector<std::vector<int>> at(part.points.size()); // followed edges, one twice when it ends where it starts
  auto points = [&](int e) { return part.edges[static_cast<std::size_t>(e)].points; };
  for (std::size_t e = 0; e < part.edges.size(); ++e)
    if (chainOf[e] >= 0)
      for (int p : part.edges[e].points)
        if (p >= 0) at[static_cast<std::size_t>(p)].push_back(static_cast<int>(e));
  auto facesOf = [&](int e) {
    std::vector<int> r;
    for (int f : part.edges[static_cast<std::size_t>(e)].faces) r.push_back(faceOf[static_cast<std::size_t>(f)]);
    std::sort(r.begin(), r.end());
    return r;
  };
  std::vector<char> passes(part.points.size(), 0);
  for (std::size_t p = 0; p < passes.size() && p < ignorePoint.size(); ++p)
    passes[p] = ignorePoint[p] && at[p].size() == 2 && at[p][0] != at[p][1] && facesOf(at[p][0]) == facesOf(at[p][1]);
  std::vector<char> taken(part.edges.size(), 0);
  /// All edges on the way from `start` by `first` until a point is followed or the ring closes.
  auto walk = [&](int start, int first) {
    Chain c;
    c.points[0] = start;
    for (int here = start, e = first;;) {
      taken[static_cast<std::size_t>(e)] = 1;
      chainOf[static_cast<std::size_t>(e)] = static_cast<int>(chains.size());
      const auto ends = points(e);
      const bool reversed = ends[0] != here;
      c.pieces.push_back({e, reversed, c.length});
      c.length += std::max(part.edges[static_cast<std::size_t>(e)].length, 1e-300);
      here = ends[reversed ? 0 : 1];
      c.points[1] = here;
      if (here < 0 || here == start || !passes[static_cast<std::size_t>(here)]) break;
      const auto& both = at[static_cast<std::size_t>(here)];
      e = both[0] == e ? both[1] : both[0];
    }
    chains.push_back(std::move(c));
  };
  auto passed = [&](int p) { return p >= 0 && passes[static_cast<std::size_t>(p)]; };
  for (int e = 0; e < part.count(Dim::Edge); ++e) {
    if (chainOf[static_cast<std::size_t>(e)] < 0 || taken[static_cast<std::size_t>(e)]) continue;
    // Back to where the chain begins, so that chains come in the order of their lowest edges.
    int start = points(e)[0], first = e;
    while (passed(start)) {
      const auto& both = at[static_cast<std::size_t>(start)];
      const int before = both[0] == first ? both[1] : both[0];
      if (before == e) break; // a ring
      first = before;
      start = points(before)[points(before)[0] == start ? 1 : 0];
    }
    if (passed(start)) { // the ring begins at its lowest edge
      start = points(e)[0];
      first = e;
    }
    walk(start, first);
  }
}

class JoinedPart::JoinedShape : public Shape {
public:
  JoinedShape(const Part& original, const Joins& joins)
      : m_shape(original.shape), m_edges(original.edges), m_joins(joins),
        m_pieces(static_cast<std::size_t>(joins.faces)) {
    m_onFace.assign(original.points.size(), -1);
    std::vector<char> followed(original.points.size(), 0);
    for (std::size_t e = 0; e < original.edges.size(); ++e)
      for (int p : original.edges[e].points) {
        if (p < 0) continue;
        followed[static_cast<std::size_t>(p)] |= joins.chainOf[e] >= 0;
        m_onFace[static_cast<std::size_t>(p)] = faceBeside(static_cast<int>(e));
      }
    for (std::size_t p = 0; p < followed.size(); ++p)
      if (followed[p]) m_onFace[p] = -1;
    m_onChain.assign(original.points.size(), {});
    for (std::size_t c = 0; c < joins.chains.size(); ++c)
      for (const auto& piece : joins.chains[c].pieces) {
        if (piece.from <= 0) continue; // begins at the chain's own point
        const int p = original.edges[static_cast<std::size_t>(piece.edge)].points[piece.reversed ? 1 : 0];
        m_onChain[static_cast<std::size_t>(p)] = {Dim::Edge, static_cast<int>(c), piece.from};
      }
    const auto& faceOf = joins.faceOf;
    for (std::size_t f = 0; f < faceOf.size(); ++f)
      m_pieces[static_cast<std::size_t>(faceOf[f])].original.push_back(static_cast<int>(f));
    const Tessellation& t = original.display;
    for (std::size_t i = 0; i < t.triangles.size(); ++i) {
      Pieces& piece = m_pieces[static_cast<std::size_t>(faceOf[static_cast<std::size_t>(t.triangleFace[i])])];
      if (piece.original.size() < 2) continue;
      std::array<Vec3, 3> corners;
      for (std::size_t k = 0; k < 3; ++k) corners[k] = t.points[static_cast<std::size_t>(t.triangles[i][k])];
      piece.triangles.push_back(corners);
      piece.face.push_back(t.triangleFace[i]);
    }
    for (auto& piece : m_pieces) {
      std::vector<Box> boxes(piece.triangles.size());
      for (std::size_t i = 0; i < boxes.size(); ++i)
        for (const Vec3& p : piece.triangles[i]) boxes[i].add(p);
      piece.tree.build(boxes);
    }
  }

  int originalFace(int face, const Vec3& p) const {
    const Pieces& piece = m_pieces[static_cast<std::size_t>(face)];
    if (piece.original.size() == 1) return piece.original.front();
    double best = std::numeric_limits<double>::max();
    int found = piece.tree.minimum(
        best, [&](const Box& b, int) { return b.distance2(p); },
        [&](int i) {
          const auto& t = piece.triangles[static_cast<std::size_t>(i)];
          const Vec3 w = closestOnTriangle(p, t[0], t[1], t[2]);
          return (p - (w[0] * t[0] + w[1] * t[1] + w[2] * t[2])).squaredNorm();
        });
    return found < 0 ? piece.original.front() : piece.face[static_cast<std::size_t>(found)];
  }

  int originalEdge(int edge, const Vec3& p) const {
    const auto& c = chain(edge);
    if (c.pieces.size() == 1) return c.pieces.front().edge;
    return c.pieces[nearest(c, p).first].edge;
  }

  Vec3 edgePoint(int edge, double t) const override {
    const auto [own, s] = ownPlace(edge, t);
    return m_shape->edgePoint(own, s);
  }
  double edgeCurvature(int edge, double t) const override {
    const auto [own, s] = ownPlace(edge, t);
    return m_shape->edgeCurvature(own, s);
  }
  EdgeProjection projectToEdge(int edge, const Vec3& p) const override {
    const auto& c = chain(edge);
    if (c.pieces.size() == 1) return m_shape->projectToEdge(c.pieces.front().edge, p);
    auto [piece, q] = nearest(c, p);
    q.t = chainPlace(c.pieces[piece], q.t);
    return q;
  }
  FaceProjection projectToFace(int face, const Vec3& p) const override {
    return m_shape->projectToFace(originalFace(face, p), p);
  }
  Result<Tessellation> tessellate(double deflection, double angleRad, const Progress* progress) const override {
    auto t = m_shape->tessellate(deflection, angleRad, progress);
    if (t) translate(*t);
    return t;
  }
  void translate(Tessellation& t) const {
    for (int& f : t.triangleFace) f = m_joins.faceOf[static_cast<std::size_t>(f)];
    for (auto& o : t.origin) {
      if (o.dim == Dim::Face)
        o.entity = m_joins.faceOf[static_cast<std::size_t>(o.entity)];
      else if (o.dim == Dim::Edge) {
        const int edge = o.entity, c = m_joins.chainOf[static_cast<std::size_t>(edge)];
        if (c < 0)
          o = {Dim::Face, m_joins.faceOf[static_cast<std::size_t>(faceBeside(edge))], 0};
        else
          o = {Dim::Edge, c, chainPlace(c, edge, o.t)};
      } else if (o.dim == Dim::Point) {
        const auto p = static_cast<std::size_t>(o.entity);
        if (m_onFace[p] >= 0)
          o = {Dim::Face, m_joins.faceOf[static_cast<std::size_t>(m_onFace[p])], 0};
        else if (m_onChain[p].entity >= 0)
          o = m_onChain[p];
      }
    }
    std::vector<std::vector<int>> chains;
    std::vector<std::vector<double>> params;
    for (const auto& c : m_joins.chains) {
      std::vector<int> vertices;
      std::vector<double> places;
      for (const auto& piece : c.pieces) {
        auto v = std::move(t.edgeChain[static_cast<std::size_t>(piece.edge)]);
        auto s = std::move(t.edgeParam[static_cast<std::size_t>(piece.edge)]);
        if (piece.reversed) {
          std::reverse(v.begin(), v.end());
          std::reverse(s.begin(), s.end());
        }
        if (c.pieces.size() > 1)
          for (double& x : s) x = chainPlace(piece, x);
        const std::ptrdiff_t skip = vertices.empty() ? 0 : 1; // the point between two pieces is there already
        vertices.insert(vertices.end(), v.begin() + std::min<std::ptrdiff_t>(skip, std::ssize(v)), v.end());
        places.insert(places.end(), s.begin() + std::min<std::ptrdiff_t>(skip, std::ssize(s)), s.end());
      }
      chains.push_back(std::move(vertices));
      params.push_back(std::move(places));
    }
    t.edgeChain = std::move(chains);
    t.edgeParam = std::move(params);
  }

private:
  struct Pieces {
    std::vector<int> original;
    std::vector<std::array<Vec3, 3>> triangles; ///< of the display, where there is more than one face
    std::vector<int> face;                      ///< of the triangles
    Bvh tree;
  };
  std::shared_ptr<const Shape> m_shape;
  std::vector<PartEdge> m_edges; ///< of the original part
  Joins m_joins;
  std::vector<int> m_onFace;                   ///< a face of each original point that no followed edge meets; else -1
  std::vector<Tessellation::Origin> m_onChain; ///< of each original point inside a chain; else entity -1
  std::vector<Pieces> m_pieces;

  const Joins::Chain& chain(int edge) const { return m_joins.chains[static_cast<std::size_t>(edge)]; }
  int faceBeside(int originalEdge) const {
    const auto& faces = m_edges[static_cast<std::size_t>(originalEdge)].faces;
    return faces.empty() ? -1 : faces.front();
  }
  /// A place on a chain as one on an edge of the original part. Chains of several pieces go by length, so that a piece
  /// takes as much of the parameter as it is long; single edges keep their own parameter.
  std::pair<int, double> ownPlace(int edge, double t) const {
    const auto& pieces = chain(edge).pieces;
    if (pieces.size() == 1) return {pieces.front().edge, t};
    std::size_t k = pieces.size() - 1;
    while (k > 0 && pieces[k].from > t) --k;
    const PartEdge& e = m_edges[static_cast<std::size_t>(pieces[k].edge)];
    const double share = std::clamp((t - pieces[k].from) / std::max(e.length, 1e-300), 0.0, 1.0);
    return {pieces[k].edge, pieces[k].reversed ? e.t1 - share * (e.t1 - e.t0) : e.t0 + share * (e.t1 - e.t0)};
  }
  double chainPlace(const Joins::Piece& piece, double t) const {
    const PartEdge& e = m_edges[static_cast<std::size_t>(piece.edge)];
    const double share = (piece.reversed ? e.t1 - t : t - e.t0) / (e.t1 - e.t0);
    return piece.from + share * std::max(e.length, 1e-300);
  }
  double chainPlace(int edge, int originalEdge, double t) const {
    const auto& pieces = chain(edge).pieces;
    if (pieces.size() == 1) return t;
    const auto it = std::find_if(pieces.begin(), pieces.end(), [&](const auto& p) { return p.edge == originalEdge; });
    return chainPlace(*it, t);
  }
  /// Which of several pieces a place is nearest to, and where on it.
  std::pair<std::size_t, EdgeProjection> nearest(const Joins::Chain& c, const Vec3& p) const {
    std::pair<std::size_t, EdgeProjection> best;
    double least = std::numeric_limits<double>::max();
    for (std::size_t k = 0; k < c.pieces.size(); ++k) {
      const EdgeProjection q = m_shape->projectToEdge(c.pieces[k].edge, p);
      if (const double d = (q.point - p).squaredNorm(); d < least) {
        least = d;
        best = {k, q};
      }
    }
    return best;
  }
};

JoinedPart::JoinedPart(const Part& original, const std::vector<char>& ignoreEdge, const std::vector<char>& ignorePoint)
    : m_part(original), m_joins(original, ignoreEdge, ignorePoint) {
  m_part.faces.clear();
  for (std::size_t f = 0; f < original.faces.size(); ++f) {
    const PartFace& own = original.faces[f];
    const auto joined = static_cast<std::size_t>(m_joins.faceOf[f]);
    if (joined == m_part.faces.size()) {
      m_part.faces.push_back(own);
      m_part.faces.back().edges.clear();
      continue;
    }
    PartFace& all = m_part.faces[joined];
    // A plane stays one only where all of it lies in one.
    const bool samePlane = all.kind == SurfaceKind::Plane && own.kind == SurfaceKind::Plane &&
                           all.axis.dot(own.axis) > 1 - 1e-12 &&
                           std::abs(all.axis.dot(own.center - all.center)) < 1e-9 * original.diagonal();
    if (!samePlane) {
      all.kind = SurfaceKind::Other;
      all.radius = 0;
    }
    all.center = (all.area * all.center + own.area * own.center) / std::max(all.area + own.area, 1e-300);
    all.area += own.area;
    all.box.add(own.box.lo);
    all.box.add(own.box.hi);
  }
  m_part.edges.clear();
  for (const auto& c : m_joins.chains) {
    PartEdge edge = original.edges[static_cast<std::size_t>(c.pieces.front().edge)];
    if (c.pieces.size() > 1) {
      edge.points = c.points;
      edge.length = c.length;
      edge.t0 = 0;
      edge.t1 = c.length;
    }
    for (int& f : edge.faces) f = m_joins.faceOf[static_cast<std::size_t>(f)];
    std::sort(edge.faces.begin(), edge.faces.end());
    edge.faces.erase(std::unique(edge.faces.begin(), edge.faces.end()), edge.faces.end());
    for (int f : edge.faces)
      m_part.faces[static_cast<std::size_t>(f)].edges.push_back(static_cast<int>(m_part.edges.size()));
    m_part.edges.push_back(std::move(edge));
  }
  for (auto& body : m_part.bodies) {
    for (int& f : body.faces) f = m_joins.faceOf[static_cast<std::size_t>(f)];
    std::sort(body.faces.begin(), body.faces.end());
    body.faces.erase(std::unique(body.faces.begin(), body.faces.end()), body.faces.end());
  }
  auto shape = std::make_shared<JoinedShape>(original, m_joins);
  shape->translate(m_part.display);
  m_shape = shape;
  m_part.shape = shape;
}

int JoinedPart::originalFace(int face, const Vec3& p) const { return m_shape->originalFace(face, p); }

int JoinedPart::originalEdge(int edge, const Vec3& p) const { return m_shape->originalEdge(edge, p); }

int JoinedPart::ignoredEdges() const {
  return static_cast<int>(std::count(m_joins.chainOf.begin(), m_joins.chainOf.end(), -1));
}

int JoinedPart::ignoredPoints() const {
  std::size_t n = 0;
  for (const auto& c : m_joins.chains) n += c.pieces.size() - 1;
  return static_cast<int>(n);
}

double joinAngle(const Part& part, int edge) {
  const PartEdge& e = part.edges[static_cast<std::size_t>(edge)];
  if (e.faces.size() != 2) return kPi;
  double most = 0;
  for (double share : {0.02, 0.25, 0.5, 0.75, 0.98}) {
    const Vec3 p = part.shape->edgePoint(edge, e.t0 + share * (e.t1 - e.t0));
    const Vec3 a = part.shape->projectToFace(e.faces[0], p).normal, b = part.shape->projectToFace(e.faces[1], p).normal;
    most = std::max(most, std::atan2(a.cross(b).norm(), a.dot(b)));
  }
  return most;
}

double turnAt(const Part& part, int point, int edge, int other) {
  /// Direction from the point along an edge, of second order in the step.
  auto away = [&](int id, bool fromEnd) {
    const PartEdge& e = part.edges[static_cast<std::size_t>(id)];
    auto at = [&](double share) {
      const double step = share * (e.t1 - e.t0);
      return part.shape->edgePoint(id, fromEnd ? e.t1 - step : e.t0 + step);
    };
    const Vec3 here = at(0), near = at(1e-3) - here, far = at(2e-3) - here;
    return Vec3(4 * near - far);
  };
  const auto &a = part.edges[static_cast<std::size_t>(edge)].points,
             &b = part.edges[static_cast<std::size_t>(other)].points;
  const Vec3 in = -away(edge, a[0] != point), out = away(other, b[0] != point);
  return std::atan2(in.cross(out).norm(), in.dot(out));
}

} // namespace tess
