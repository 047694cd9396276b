// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/stepped.h"
#include "base/plane_triangles.h"
#include "mesher/surface/carried_face.h"
#include "mesher/surface/paving.h"
#include <Eigen/SparseCholesky>
#include <map>
#include <numeric>
#include <set>
#include <unordered_map>

namespace tess {
namespace {

class Steps {
public:
  Steps(const Part& part, const Sweep& sweep, const std::vector<FacePlan>& faces, const SizeField& size,
        SurfaceMesh& mesh, std::vector<Problem>& said, const Progress& progress)
      : m_part(part), m_sweep(sweep), m_faces(faces), m_size(size), m(mesh), m_said(said), m_progress(progress),
        m_x(sweep.up.unitOrthogonal()), m_y(sweep.up.cross(m_x)) {}

  std::optional<Problem> run() {
    m_up = nodesOver(m_sweep, m);
    const char* unequal = "its ends have different counts";
    if (m_up.empty() || !findLevels() || !joinNodes())
      return failed("the rows of a body's walls do not meet", unequal, m_sweep.steps.front());
    if (!findRegions()) return failed("edges of a body's ends cross", "they lie too close above each other", m_at);
    for (std::size_t r = 0; r < m_regions.size(); ++r) {
      m_progress.check();
      if (!coverRegion(m_regions[r]))
        return failed("the mesh of one end of a body does not fit on the others", "an edge runs across it", m_at);
      if (!meshRegion(m_regions[r]))
        return failed("cells on an end of a body come out folded",
                      "its edges, and those of the ends above and below it, are too narrow or too sharp for the size "
                      "asked for",
                      m_at);
    }
    tellOfTriangles();
    for (int f : m_sweep.targets())
      if (!addFace(f))
        return failed("the mesh of the ends of a body folds on one of them", "its walls are not straight", f);
    for (auto& k : m_known) out.known.emplace_back(k.begin(), k.end());
    out.body = m_sweep.body;
    m.stepped.push_back(std::move(out));
    return {};
  }

private:
  struct Region {
    NodeLoops loops;             ///< of the pattern's nodes; the outer one first
    std::vector<std::size_t> in; ///< ends over it, ascending by level
    std::vector<std::array<int, 4>> cells;
    Vec3 inside = Vec3::Zero();
  };
  const Part& m_part;
  const Sweep& m_sweep;
  const std::vector<FacePlan>& m_faces;
  const SizeField& m_size;
  SurfaceMesh& m;
  std::vector<Problem>& m_said;
  const Progress& m_progress;
  const Vec3 m_x, m_y;
  std::unordered_map<int, int> m_up, m_down, m_level;
  std::vector<int> m_endLevel;         ///< per step
  std::unordered_map<int, int> m_node; ///< of the surface -> of the pattern
  std::vector<Vec3> m_place;           ///< of the pattern's nodes, seen along `up`
  std::vector<std::map<int, int>> m_known;
  std::vector<Region> m_regions;
  SteppedCells out;
  Vec3 m_at = Vec3::Zero(); ///< of a failure, as places are seen

  const PartFace& faceOf(int f) const { return m_part.faces[static_cast<std::size_t>(f)]; }
  const std::vector<int>& nodesOf(int edge) const { return m.edgeNodes[static_cast<std::size_t>(edge)]; }
  const Vec3& pt(int v) const { return m.points[static_cast<std::size_t>(v)]; }
  const Vec3& place(int n) const { return m_place[static_cast<std::size_t>(n)]; }
  Vec3 seen(const Vec3& p) const { return {p.dot(m_x), p.dot(m_y), 0}; }
  bool given(int f) const { return std::find(m_sweep.given.begin(), m_sweep.given.end(), f) != m_sweep.given.end(); }
  bool looksUp(std::size_t end) const {
    const PartFace& f = faceOf(m_sweep.steps[end]);
    return (f.axis.dot(m_sweep.up) > 0) == (f.bodies[0] == m_sweep.body);
  }

  Problem failed(const char* what, const char* why, int face) const {
    return notCarried(m_part, face, faceOf(face).center, what, why);
  }
  Problem failed(const char* what, const char* why, const Vec3& at) const {
    const int f = m_sweep.steps.front();
    return notCarried(m_part, f, at.x() * m_x + at.y() * m_y + faceOf(f).center.dot(m_sweep.up) * m_sweep.up, what,
                      why);
  }

  /// Rows of walls go up by one; an end has one level all round. The lowest of all is 0.
  bool findLevels() {
    for (const auto& [a, b] : m_up) m_down[b] = a;
    std::vector<std::vector<int>> rims;
    for (int f : m_sweep.steps) {
      rims.emplace_back();
      for (int e : faceOf(f).edges) rims.back().insert(rims.back().end(), nodesOf(e).begin(), nodesOf(e).end());
    }
    std::vector<int> todo;
    auto give = [&](int v, int l) {
      const auto [it, fresh] = m_level.emplace(v, l);
      if (fresh) todo.push_back(v);
      return it->second == l;
    };
    std::vector<char> has(rims.size(), 0);
    m_endLevel.assign(rims.size(), 0);
    if (!give(rims.front().front(), 0)) return false;
    for (bool any = true; any;) {
      any = false;
      while (!todo.empty()) {
        const int v = todo.back();
        todo.pop_back();
        const int l = m_level.at(v);
        if (const auto it = m_up.find(v); it != m_up.end() && !give(it->second, l + 1)) return false;
        if (const auto it = m_down.find(v); it != m_down.end() && !give(it->second, l - 1)) return false;
      }
      for (std::size_t k = 0; k < rims.size(); ++k) {
        if (has[k]) continue;
        const auto v = std::find_if(rims[k].begin(), rims[k].end(), [&](int x) { return m_level.count(x) > 0; });
        if (v == rims[k].end()) continue;
        m_endLevel[k] = m_level.at(*v);
        for (int x : rims[k])
          if (!give(x, m_endLevel[k])) return false;
        has[k] = any = true;
      }
    }
    if (std::count(has.begin(), has.end(), 1) != static_cast<std::ptrdiff_t>(has.size())) return false;
    const int least = *std::min_element(m_endLevel.begin(), m_endLevel.end());
    for (int& l : m_endLevel) l -= least;
    for (auto& [v, l] : m_level) l -= least;
    return true;
  }

  /// What lies over each other along walls, or along edges that are one, is one node of the pattern.
  bool joinNodes() {
    std::unordered_map<int, int> root;
    auto of = [&](int v) {
      while (root.at(v) != v) v = root[v] = root.at(root.at(v));
      return v;
    };
    auto join = [&](int a, int b) {
      a = of(a), b = of(b);
      root[std::max(a, b)] = std::min(a, b);
    };
    for (const auto& [v, l] : m_level) root[v] = v;
    for (const auto& [a, b] : m_up) join(a, b);
    for (const auto& [a, b] : m_sweep.alike) {
      const std::vector<int> from = nodesOf(a), to = facing(from, nodesOf(b));
      if (to.size() != from.size()) return false;
      for (std::size_t k = 0; k < from.size(); ++k) join(from[k], to[k]);
    }
    std::vector<int> nodes;
    for (const auto& [v, l] : m_level) nodes.push_back(v);
    std::sort(nodes.begin(), nodes.end()); // in one order on any machine
    for (int v : nodes) {
      const auto [it, fresh] = m_node.emplace(of(v), static_cast<int>(m_known.size()));
      const int n = it->second;
      m_node[v] = n;
      if (fresh) {
        m_known.emplace_back();
        m_place.emplace_back(Vec3::Zero());
      }
      if (!m_known[static_cast<std::size_t>(n)].emplace(m_level.at(v), v).second) return false;
    }
    for (std::size_t n = 0; n < m_known.size(); ++n) {
      for (const auto& [l, v] : m_known[n]) m_place[n] += seen(pt(v));
      m_place[n] /= static_cast<double>(m_known[n].size());
    }
    return true;
  }
  /// Nodes of an edge in the order in which they lie nearest those of another one.
  std::vector<int> facing(const std::vector<int>& from, std::vector<int> to) const {
    if (to.size() != from.size()) return {};
    const bool closed = from.front() == from.back();
    const std::size_t n = closed ? to.size() - 1 : to.size();
    double least = 1e300;
    std::vector<int> best;
    for (int way = 0; way < 2; ++way) {
      for (std::size_t turn = 0; turn < (closed ? n : 1); ++turn) {
        double sum = 0;
        for (std::size_t k = 0; k < n && sum < least; ++k)
          sum += (seen(pt(to[(k + turn) % n])) - seen(pt(from[k]))).squaredNorm();
        if (sum >= least * (1 - 1e-9)) continue;
        least = sum;
        best.clear();
        for (std::size_t k = 0; k < from.size(); ++k) best.push_back(to[(k + turn) % n]);
      }
      std::reverse(to.begin(), to.end());
    }
    return best;
  }

  /// Loops between the edges of all ends.
  bool findRegions() {
    std::set<std::array<int, 2>> sides;
    for (int f : m_sweep.steps)
      for (int e : faceOf(f).edges) {
        const auto& nodes = nodesOf(e);
        for (std::size_t k = 0; k + 1 < nodes.size(); ++k) {
          const int a = m_node.at(nodes[k]), b = m_node.at(nodes[k + 1]);
          if (a != b) sides.insert({std::min(a, b), std::max(a, b)});
        }
      }
    if (crosses(sides)) return false;
    std::vector<std::vector<int>> around(m_known.size());
    for (const auto& [a, b] : sides) {
      around[static_cast<std::size_t>(a)].push_back(b);
      around[static_cast<std::size_t>(b)].push_back(a);
    }
    for (std::size_t v = 0; v < around.size(); ++v)
      std::sort(around[v].begin(), around[v].end(), [&](int a, int b) {
        const Vec3 p = place(a) - m_place[v], q = place(b) - m_place[v];
        return std::atan2(p.y(), p.x()) < std::atan2(q.y(), q.x());
      });
    std::set<std::array<int, 2>> done;
    std::vector<std::vector<int>> holes;
    for (const auto& side : sides)
      for (const auto& first : {std::array<int, 2>{side[0], side[1]}, std::array<int, 2>{side[1], side[0]}}) {
        std::vector<int> loop;
        for (auto at = first; done.insert(at).second;) {
          loop.push_back(at[0]);
          const auto& next = around[static_cast<std::size_t>(at[1])];
          const auto back = static_cast<std::size_t>(std::find(next.begin(), next.end(), at[0]) - next.begin());
          at = {at[1], next[(back + next.size() - 1) % next.size()]}; // the next one clockwise: the region to the left
        }
        if (loop.empty()) continue;
        if (areaOf(loop) > 0)
          m_regions.emplace_back().loops.push_back(std::move(loop));
        else
          holes.push_back(std::move(loop));
      }
    for (auto& hole : holes) {
      Region* best = nullptr;
      for (auto& r : m_regions) {
        const auto& loop = r.loops.front();
        const bool own = std::any_of(loop.begin(), loop.end(),
                                     [&](int v) { return std::find(hole.begin(), hole.end(), v) != hole.end(); });
        if (own || !within(place(hole.front()), {loop})) continue;
        if (!best || areaOf(loop) < areaOf(best->loops.front())) best = &r;
      }
      if (best) best->loops.push_back(std::move(hole));
    }
    return true;
  }
  double areaOf(const std::vector<int>& loop) const {
    double a = 0;
    for (std::size_t k = 0; k < loop.size(); ++k)
      a += 0.5 * (place(loop[k]) - place(loop[0])).cross(place(loop[(k + 1) % loop.size()]) - place(loop[0])).z();
    return a;
  }
  bool within(const Vec3& p, const NodeLoops& loops) const {
    bool in = false;
    for (const auto& loop : loops)
      for (std::size_t k = 0; k < loop.size(); ++k) in ^= beside(p, loop[k], loop[(k + 1) % loop.size()]);
    return in;
  }
  /// Whether a ray to the right from p meets a side.
  bool beside(const Vec3& p, int v, int w) const {
    const Vec3 &a = place(v), &b = place(w);
    return (a.y() > p.y()) != (b.y() > p.y()) && p.x() < a.x() + (p.y() - a.y()) / (b.y() - a.y()) * (b.x() - a.x());
  }
  bool crosses(const std::set<std::array<int, 2>>& sides) {
    std::vector<std::array<int, 2>> list(sides.begin(), sides.end());
    auto low = [&](const std::array<int, 2>& s) { return std::min(place(s[0]).x(), place(s[1]).x()); };
    auto high = [&](const std::array<int, 2>& s) { return std::max(place(s[0]).x(), place(s[1]).x()); };
    std::sort(list.begin(), list.end(), [&](const auto& a, const auto& b) { return low(a) < low(b); });
    for (std::size_t i = 0; i < list.size(); ++i)
      for (std::size_t j = i + 1; j < list.size() && low(list[j]) <= high(list[i]); ++j) {
        const auto &s = list[i], &t = list[j];
        if (s[0] == t[0] || s[0] == t[1] || s[1] == t[0] || s[1] == t[1]) continue;
        auto side = [&](int a, int b, int c) { return (place(b) - place(a)).cross(place(c) - place(a)).z(); };
        // Sides of one line that do not meet are beside each other along it.
        auto apart = [&](const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
          const Vec3 way = b - a;
          const double l = way.squaredNorm(), u = (c - a).dot(way), v = (d - a).dot(way);
          return (u < 0 && v < 0) || (u > l && v > l);
        };
        const double s0 = side(t[0], t[1], s[0]), s1 = side(t[0], t[1], s[1]), t0 = side(s[0], s[1], t[0]),
                     t1 = side(s[0], s[1], t[1]);
        if (s0 * s1 <= 0 && t0 * t1 <= 0 && !apart(place(s[0]), place(s[1]), place(t[0]), place(t[1])) &&
            !apart(place(t[0]), place(t[1]), place(s[0]), place(s[1]))) {
          m_at = place(s[0]);
          return true;
        }
      }
    return false;
  }

  /// Finds the ends over a region, in the order of their levels.
  bool coverRegion(Region& r) {
    std::vector<std::array<int, 2>> sides;
    for (const auto& loop : r.loops)
      for (std::size_t k = 0; k < loop.size(); ++k) sides.push_back({loop[k], loop[(k + 1) % loop.size()]});
    m_at = place(r.loops[0][0]);
    double most = 0;
    for (const auto& t : fillPlane(m_place, sides, {0, 0, 1})) {
      const double area = triangleArea(place(t[0]), place(t[1]), place(t[2]));
      if (area <= most) continue;
      most = area;
      r.inside = (place(t[0]) + place(t[1]) + place(t[2])) / 3;
    }
    if (most == 0) return false;
    for (std::size_t k = 0; k < m_sweep.steps.size(); ++k) {
      bool in = false;
      for (int e : faceOf(m_sweep.steps[k]).edges) {
        const auto& nodes = nodesOf(e);
        for (std::size_t i = 0; i + 1 < nodes.size(); ++i)
          in ^= beside(r.inside, m_node.at(nodes[i]), m_node.at(nodes[i + 1]));
      }
      if (in) r.in.push_back(k);
    }
    std::sort(r.in.begin(), r.in.end(), [&](std::size_t a, std::size_t b) { return m_endLevel[a] < m_endLevel[b]; });
    if (r.in.size() % 2) return false;
    for (std::size_t k = 0; k < r.in.size(); ++k) { // in by one that looks down, out by one that looks up
      if (looksUp(r.in[k]) != (k % 2 == 1)) return false;
      if (k > 0 && m_endLevel[r.in[k]] <= m_endLevel[r.in[k - 1]]) return false;
    }
    return true;
  }

  bool meshRegion(Region& r) {
    if (r.in.empty()) return true;
    std::vector<std::size_t> from;
    for (std::size_t k : r.in)
      if (given(m_sweep.steps[k])) from.push_back(k);
    m_at = place(r.loops[0][0]);
    if (from.size() > 1 || !(from.empty() ? pave(r) : take(r, from.front()))) return false;
    for (std::size_t k = 0; k < r.in.size(); k += 2)
      for (const auto& c : r.cells) out.cells.push_back({c, m_endLevel[r.in[k]], m_endLevel[r.in[k + 1]]});
    return true;
  }

  int add(const Vec3& at) {
    m_place.push_back(at);
    m_known.emplace_back();
    return static_cast<int>(m_place.size()) - 1;
  }

  bool pave(Region& r) {
    FaceCells base;
    NodeLoops loops;
    std::vector<int> id;
    const Vec3 normal(0, 0, 1);
    for (const auto& loop : r.loops) {
      loops.emplace_back();
      for (int v : loop) {
        loops.back().push_back(static_cast<int>(id.size()));
        id.push_back(v);
        base.points.push_back(place(v));
        base.normals.push_back(normal);
      }
    }
    base.rim = id.size();
    const std::function<double(const Vec3&)> asked = [&](const Vec3& p) {
      double h = 1e300;
      for (std::size_t k : r.in)
        h = std::min(
            h, m_size.at(p.x() * m_x + p.y() * m_y + faceOf(m_sweep.steps[k]).center.dot(m_sweep.up) * m_sweep.up));
      return h;
    };
    const auto cells = pavedPlane(base, loops, m_sweep.across, asked, m_progress);
    if (!cells) return false;
    for (std::size_t v = cells->rim; v < cells->points.size(); ++v) id.push_back(add(cells->points[v]));
    auto of = [&](int v) { return id[static_cast<std::size_t>(v)]; };
    for (const auto& t : cells->triangles) r.cells.push_back({of(t[0]), of(t[1]), of(t[2]), -1});
    if (m_sweep.across == Across::Quads && !cells->triangles.empty()) {
      m_triangles += static_cast<int>(cells->triangles.size());
      m_trianglesAt = r.in.front();
    }
    for (const auto& q : cells->quads) r.cells.push_back({of(q[0]), of(q[1]), of(q[2]), of(q[3])});
    return true;
  }
  int m_triangles = 0;
  std::size_t m_trianglesAt = 0;
  void tellOfTriangles() {
    if (m_triangles == 0) return;
    const int f = m_sweep.steps[m_trianglesAt];
    Problem p = Problem::of("fill.triangles",
                            std::to_string(m_triangles) + " triangles stay among the quadrilaterals of a face")
                    .as(Severity::Warning)
                    .firstAt({faceOf(f).center}, m_part.unit)
                    .because("it is narrower than its nodes are apart, or its edges have odd counts")
                    .advise("ask for a smaller size there if no wedges are wanted");
    p.faces = {f};
    m_said.push_back(std::move(p));
  }

  /// The mesh that an end has already.
  bool take(Region& r, std::size_t end) {
    const int f = m_sweep.steps[end];
    const bool up = faceOf(f).axis.dot(m_sweep.up) > 0;
    auto of = [&](int v) {
      const auto [it, fresh] = m_node.emplace(v, 0);
      if (fresh) {
        it->second = add(seen(pt(v)));
        m_known.back()[m_endLevel[end]] = v;
      }
      return it->second;
    };
    double area = 0;
    auto take = [&](const int* v, std::size_t n) {
      std::array<int, 4> c{-1, -1, -1, -1};
      for (std::size_t k = 0; k < n; ++k) c[k] = of(v[up ? k : n - 1 - k]);
      for (std::size_t k = 1; k + 1 < n; ++k)
        area += 0.5 * (place(c[k]) - place(c[0])).cross(place(c[k + 1]) - place(c[0])).z();
      r.cells.push_back(c);
    };
    for (const auto& q : m.quads)
      if (q.face == f) take(q.v.data(), 4);
    const std::vector<char> halves = m.halves();
    for (std::size_t i = 0; i < m.triangles.size(); ++i)
      if (m.face[i] == f && !halves[i]) take(m.triangles[i].data(), 3);
    // It fills the region and nothing else.
    double whole = 0;
    for (const auto& loop : r.loops) whole += areaOf(loop);
    constexpr double kOff = 1e-6;
    return !r.cells.empty() && std::abs(area - whole) < kOff * whole;
  }

  bool addFace(int f) {
    const auto end =
        static_cast<std::size_t>(std::find(m_sweep.steps.begin(), m_sweep.steps.end(), f) - m_sweep.steps.begin());
    const PartFace& face = faceOf(f);
    const int level = m_endLevel[end];
    std::vector<std::array<int, 4>> cells;
    for (const auto& r : m_regions)
      if (std::find(r.in.begin(), r.in.end(), end) != r.in.end())
        cells.insert(cells.end(), r.cells.begin(), r.cells.end());
    std::vector<Vec3> from;
    std::vector<const Vec3*> fixed(m_place.size(), nullptr);
    const Vec3 height = face.center.dot(m_sweep.up) * m_sweep.up;
    for (std::size_t n = 0; n < m_place.size(); ++n) {
      from.push_back(m_place[n].x() * m_x + m_place[n].y() * m_y + height);
      if (const auto it = m_known[n].find(level); it != m_known[n].end()) fixed[n] = &pt(it->second);
    }
    const std::vector<Vec3> at = Spreader().places(cells, from, fixed); // before points move
    for (const auto& c : cells)
      for (int v : c) {
        if (v < 0) continue;
        const auto [it, fresh] = m_known[static_cast<std::size_t>(v)].emplace(level, static_cast<int>(m.points.size()));
        if (!fresh) continue;
        m.points.push_back(m_part.shape->projectToFace(f, at[static_cast<std::size_t>(v)]).point);
        m.dim.push_back(Dim::Face);
        m.entity.push_back(f);
      }
    for (const auto& c : cells) {
      const std::size_t n = c[3] < 0 ? 3 : 4;
      std::array<int, 4> q{-1, -1, -1, -1};
      for (std::size_t k = 0; k < n; ++k) q[k] = m_known[static_cast<std::size_t>(c[k])].at(level);
      if (face.axis.dot(m_sweep.up) < 0) std::reverse(q.begin(), q.begin() + static_cast<std::ptrdiff_t>(n));
      for (std::size_t k = 0; k < n; ++k) {
        const Vec3 a = pt(q[(k + 1) % n]) - pt(q[k]), b = pt(q[(k + n - 1) % n]) - pt(q[k]);
        if (a.cross(b).dot(face.axis) < kFoldedCorner * a.norm() * b.norm()) return false;
      }
      if (n == 3)
        m.addTriangle({q[0], q[1], q[2]}, f);
      else
        m.addQuad(q, f, m_faces[static_cast<std::size_t>(f)].tetSide);
    }
    return true;
  }
};

} // namespace

int nodeAt(const SteppedCells& pattern, std::size_t node, int level) {
  for (const auto& [l, v] : pattern.known[node])
    if (l == level) return v;
  return -1;
}

struct Spreader::System {
  std::vector<std::array<int, 4>> cells;
  std::vector<int> row;                   ///< per node; -1 where it is fixed, -2 where it has no cells
  std::vector<std::array<int, 2>> beside; ///< row and fixed node next to it
  Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> solver;
  int rows = 0;
};
Spreader::Spreader() = default;
Spreader::~Spreader() = default;

std::vector<Vec3> Spreader::places(const std::vector<std::array<int, 4>>& cells, const std::vector<Vec3>& from,
                                   const std::vector<const Vec3*>& fixed) {
  auto same = [&] {
    if (!m_system || m_system->row.size() != from.size() || m_system->cells != cells) return false;
    for (std::size_t v = 0; v < from.size(); ++v)
      if ((fixed[v] != nullptr) != (m_system->row[v] == -1)) return false;
    return true;
  };
  if (!same()) {
    m_system = std::make_unique<System>();
    System& s = *m_system;
    s.cells = cells;
    std::vector<std::array<int, 2>> sides; // both ways
    for (const auto& c : cells) {
      const std::size_t n = c[3] < 0 ? 3 : 4;
      for (std::size_t k = 0; k < n; ++k) {
        sides.push_back({c[k], c[(k + 1) % n]});
        sides.push_back({c[(k + 1) % n], c[k]});
      }
    }
    std::sort(sides.begin(), sides.end());
    sides.erase(std::unique(sides.begin(), sides.end()), sides.end());
    s.row.assign(from.size(), -2);
    std::vector<int> count(from.size(), 0);
    for (const auto& side : sides) ++count[static_cast<std::size_t>(side[0])];
    for (std::size_t v = 0; v < from.size(); ++v) {
      if (fixed[v])
        s.row[v] = -1;
      else if (count[v] > 0)
        s.row[v] = s.rows++;
    }
    std::vector<Eigen::Triplet<double>> entries;
    for (std::size_t v = 0; v < from.size(); ++v)
      if (s.row[v] >= 0) entries.emplace_back(s.row[v], s.row[v], static_cast<double>(count[v]));
    for (const auto& [a, b] : sides) {
      const int i = s.row[static_cast<std::size_t>(a)], j = s.row[static_cast<std::size_t>(b)];
      if (i >= 0 && j >= 0) entries.emplace_back(i, j, -1.0);
      if (i >= 0 && j == -1) s.beside.push_back({i, b});
    }
    Eigen::SparseMatrix<double> matrix(s.rows, s.rows);
    matrix.setFromTriplets(entries.begin(), entries.end());
    if (s.rows > 0) s.solver.compute(matrix);
  }
  std::vector<Vec3> r = from;
  for (std::size_t v = 0; v < from.size(); ++v)
    if (fixed[v]) r[v] = *fixed[v];
  if (m_system->rows == 0 || m_system->solver.info() != Eigen::Success) return r;
  Eigen::MatrixX3d right = Eigen::MatrixX3d::Zero(m_system->rows, 3);
  for (const auto& [row, node] : m_system->beside) {
    const auto v = static_cast<std::size_t>(node);
    right.row(row) += (r[v] - from[v]).transpose();
  }
  if (right.isZero(0)) return r;
  const Eigen::MatrixX3d more = m_system->solver.solve(right);
  for (std::size_t v = 0; v < from.size(); ++v)
    if (const int row = m_system->row[v]; row >= 0) r[v] += more.row(row).transpose();
  return r;
}

std::optional<Problem> addSteppedFaces(const Part& part, const Sweep& sweep, const std::vector<FacePlan>& faces,
                                       const SizeField& size, SurfaceMesh& mesh, std::vector<Problem>& said,
                                       const Progress& progress) {
  return Steps(part, sweep, faces, size, mesh, said, progress).run();
}

} // namespace tess
