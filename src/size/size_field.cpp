// SPDX-License-Identifier: GPL-3.0-or-later
#include "size/size_field.h"
#include <cmath>
#include <map>

namespace tess {

SizeSettings SizeSettings::resolved() const {
  SizeSettings s = *this;
  if (s.minimum <= 0) s.minimum = s.target / 10;
  if (s.maximum <= 0) s.maximum = s.target;
  s.minimum = std::min(s.minimum, s.target);
  if (s.bridging.tolerance < 0) s.bridging.tolerance = s.target / 50;
  // What a size rule can still follow is not bridged.
  s.bridging.tolerance = std::min(s.bridging.tolerance, 0.2 * s.minimum);
  return s;
}

double SizeField::Source::distance(const Vec3& x) const {
  if (p[1] == p[2]) {
    if (p[0] == p[1]) return (x - p[0]).norm();
    double t = closestOnSegment(x, p[0], p[1]);
    return (x - (p[0] + t * (p[1] - p[0]))).norm();
  }
  Vec3 w = closestOnTriangle(x, p[0], p[1], p[2]);
  return (x - (w[0] * p[0] + w[1] * p[1] + w[2] * p[2])).norm();
}

void SizeField::add(std::array<Vec3, 3> p, double size, int rule) { m_sources.push_back({p, size, rule}); }

void SizeField::setBodySize(int body, double size, int rule) {
  if (static_cast<std::size_t>(body) >= m_body.size())
    m_body.resize(static_cast<std::size_t>(body) + 1, {std::numeric_limits<double>::max(), kReasonOverall});
  auto& b = m_body[static_cast<std::size_t>(body)];
  if (size < b.size) b = {size, rule};
}

void SizeField::rebuild() {
  std::vector<Box> boxes;
  std::vector<double> sizes;
  for (const auto& s : m_sources) {
    Box b;
    for (const auto& q : s.p) b.add(q);
    boxes.push_back(b);
    sizes.push_back(s.size);
  }
  m_tree.build(boxes);
  m_nodeMin = m_tree.nodeMinimum(sizes);
}

void SizeField::build() {
  // Smallest first; a source whose own size the field already undercuts at all its corners and its middle decides
  // nothing (the field along it is a maximum of concave pieces only in between, which the middle samples).
  // Sources are tested in batches of doubling size against the tree of those kept before, so that the cost stays
  // O(n log n).
  std::vector<Source> all = std::move(m_sources);
  std::stable_sort(all.begin(), all.end(), [](const Source& a, const Source& b) { return a.size < b.size; });
  m_sources.clear();
  rebuild();
  for (std::size_t begin = 0, length = 256; begin < all.size(); begin += length, length *= 2) {
    std::size_t end = std::min(all.size(), begin + length);
    for (std::size_t i = begin; i < end; ++i) {
      const Source& s = all[i];
      if (s.size >= m_overall && s.rule < 0) continue;
      auto covered = [&](const Vec3& p) {
        double limit = s.size * 1.02, best = limit;
        return nearest(p, best), best < limit;
      };
      if (s.rule < 0 && covered(s.p[0]) && covered(s.p[1]) && covered(s.p[2]) &&
          covered((s.p[0] + s.p[1] + s.p[2]) / 3))
        continue;
      m_sources.push_back(s);
    }
    rebuild();
  }
}

int SizeField::nearest(const Vec3& p, double& best) const {
  return m_tree.minimum(
      best,
      [&](const Box& b, int node) {
        return m_nodeMin[static_cast<std::size_t>(node)] + m_slope * std::sqrt(b.distance2(p));
      },
      [&](int i) {
        return m_sources[static_cast<std::size_t>(i)].size +
               m_slope * m_sources[static_cast<std::size_t>(i)].distance(p);
      });
}

double SizeField::at(const Vec3& p, int body) const {
  double best = m_overall;
  if (body >= 0 && static_cast<std::size_t>(body) < m_body.size())
    best = std::min(best, m_body[static_cast<std::size_t>(body)].size);
  nearest(p, best);
  return best;
}

SizeReason SizeField::deciding(const Vec3& p, int body) const {
  SizeReason r{m_overall, kReasonOverall};
  if (body >= 0 && static_cast<std::size_t>(body) < m_body.size() &&
      m_body[static_cast<std::size_t>(body)].size < r.size)
    r = m_body[static_cast<std::size_t>(body)];
  if (int i = nearest(p, r.size); i >= 0) r.rule = m_sources[static_cast<std::size_t>(i)].rule;
  return r;
}

std::vector<SizeReason> SizeField::explain(const Vec3& p, int body, int most) const {
  std::map<int, double> byRule;
  byRule[kReasonOverall] = m_overall;
  for (const auto& s : m_sources) {
    double h = s.size + m_slope * s.distance(p);
    auto [it, fresh] = byRule.emplace(s.rule, h);
    if (!fresh) it->second = std::min(it->second, h);
  }
  if (body >= 0 && static_cast<std::size_t>(body) < m_body.size() && m_body[static_cast<std::size_t>(body)].rule >= 0) {
    const auto& b = m_body[static_cast<std::size_t>(body)];
    auto [it, fresh] = byRule.emplace(b.rule, b.size);
    if (!fresh) it->second = std::min(it->second, b.size);
  }
  std::vector<SizeReason> r;
  for (const auto& [rule, h] : byRule) r.push_back({h, rule});
  std::stable_sort(r.begin(), r.end(), [](const SizeReason& a, const SizeReason& b) { return a.size < b.size; });
  if (static_cast<int>(r.size()) > most) r.resize(static_cast<std::size_t>(most));
  return r;
}

double SizeField::smallest() const {
  double s = m_overall;
  for (const auto& q : m_sources) s = std::min(s, q.size);
  for (const auto& b : m_body) s = std::min(s, b.size);
  return s;
}

namespace {

void addTurn(SizeField& f, const Part& part, const SizeSettings& s) {
  const auto& t = part.display;
  double chord = 2 * std::sin(0.5 * s.turnDeg * kPi / 180);
  auto sizeOf = [&](double curvature) { return curvature > 0 ? std::max(chord / curvature, s.minimum) : 1e300; };
  auto pt = [&](int v) -> const Vec3& { return t.points[static_cast<std::size_t>(v)]; };
  for (std::size_t i = 0; i < t.triangles.size(); ++i) {
    int face = t.triangleFace[i];
    const PartFace& pf = part.faces[static_cast<std::size_t>(face)];
    if (pf.kind == SurfaceKind::Plane) continue;
    const auto& q = t.triangles[i];
    double k = part.shape->projectToFace(face, (pt(q[0]) + pt(q[1]) + pt(q[2])) / 3).curvature;
    if (pf.kind == SurfaceKind::Other || pf.kind == SurfaceKind::Torus)
      for (int v : q) k = std::max(k, part.shape->projectToFace(face, pt(v)).curvature);
    double h = sizeOf(k);
    if (h < s.target) f.addTriangle(pt(q[0]), pt(q[1]), pt(q[2]), h, kReasonTurn);
  }
  for (std::size_t e = 0; e < part.edges.size(); ++e) {
    const auto& c = t.edgeChain[e];
    const auto& u = t.edgeParam[e];
    for (std::size_t i = 0; i + 1 < c.size(); ++i) {
      double h = sizeOf(part.shape->edgeCurvature(static_cast<int>(e), 0.5 * (u[i] + u[i + 1])));
      if (h < s.target) f.addSegment(pt(c[i]), pt(c[i + 1]), h, kReasonTurn);
    }
  }
}

/// Short edges, and edges of a face that run close to each other, would otherwise meet elements several times longer.
void addNarrow(SizeField& f, const Part& part, const SizeSettings& s) {
  const auto& t = part.display;
  const Bridging& bridge = s.bridging;
  auto keepEdge = [&](int e) { return !bridge.keepEdge.empty() && bridge.keepEdge[static_cast<std::size_t>(e)]; };
  auto pt = [&](int v) -> const Vec3& { return t.points[static_cast<std::size_t>(v)]; };
  for (std::size_t e = 0; e < part.edges.size(); ++e) {
    double h = std::max(part.edges[e].length, s.minimum);
    if (h >= s.target) continue;
    if (part.edges[e].length < bridge.tolerance && !keepEdge(static_cast<int>(e))) continue;
    const auto& c = t.edgeChain[e];
    for (std::size_t i = 0; i + 1 < c.size(); ++i) f.addSegment(pt(c[i]), pt(c[i + 1]), h, kReasonShortEdge);
  }
  struct Piece {
    Vec3 a, b;
    int edge;
  };
  for (std::size_t fi = 0; fi < part.faces.size(); ++fi) {
    const auto& face = part.faces[fi];
    bool keepFace = !bridge.keepFace.empty() && bridge.keepFace[fi];
    std::vector<Piece> pieces;
    std::vector<Box> boxes;
    for (int e : face.edges) {
      const auto& c = t.edgeChain[static_cast<std::size_t>(e)];
      for (std::size_t i = 0; i + 1 < c.size(); ++i) {
        Vec3 a = pt(c[i]), b = pt(c[i + 1]);
        int n = std::clamp(static_cast<int>(std::ceil((b - a).norm() / (0.5 * s.target))), 1, 200);
        for (int k = 0; k < n; ++k) {
          pieces.push_back({a + (b - a) * k / n, a + (b - a) * (k + 1) / n, e});
          Box box;
          box.add(pieces.back().a);
          box.add(pieces.back().b);
          boxes.push_back(box);
        }
      }
    }
    if (pieces.size() < 2) continue;
    Bvh tree(boxes);
    auto adjacent = [&](int a, int b) {
      const auto& p = part.edges[static_cast<std::size_t>(a)].points;
      const auto& q = part.edges[static_cast<std::size_t>(b)].points;
      return p[0] == q[0] || p[0] == q[1] || p[1] == q[0] || p[1] == q[1];
    };
    for (const auto& piece : pieces) {
      Vec3 m = 0.5 * (piece.a + piece.b);
      double best = s.target / 1.2;
      tree.minimum(
          best, [&](const Box& b, int) { return std::sqrt(b.distance2(m)); },
          [&](int i) {
            const Piece& o = pieces[static_cast<std::size_t>(i)];
            if (o.edge == piece.edge || adjacent(o.edge, piece.edge)) return 1e300;
            double w = closestOnSegment(m, o.a, o.b);
            return (m - (o.a + w * (o.b - o.a))).norm();
          });
      if (best < bridge.tolerance && !keepFace) continue;
      double h = std::max(1.2 * best, s.minimum);
      if (h < 0.99 * s.target) f.addSegment(piece.a, piece.b, h, kReasonNarrowFace);
    }
  }
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
      f.addTriangle(pt(t.triangles[i][0]), pt(t.triangles[i][1]), pt(t.triangles[i][2]), l.size, l.rule);
}

} // namespace

SizeField makeSizeField(const Part& part, const SizeSettings& asked, const std::vector<LocalSize>& local) {
  SizeSettings s = asked.resolved();
  SizeField f(std::min(s.target, s.maximum), std::max(0.02, s.growth - 1));
  f.bridging = s.bridging;
  if (s.turnDeg > 0) addTurn(f, part, s);
  addNarrow(f, part, s);
  for (const auto& l : local) addLocal(f, part, l);
  f.build();
  return f;
}

} // namespace tess
