// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/structured/about_axis.h"
#include "base/parallel.h"
#include "mesher/structured/mapped_fill.h"
#include "mesher/surface/carried_face.h"
#include <map>
#include <set>

namespace tess {
namespace {

class AxisFinder {
public:
  AxisFinder(const Part& part, int body, const BodyLoops& loops) : m_part(part), m_body(body), m_loops(loops) {
    for (int f : part.bodies[static_cast<std::size_t>(body)].faces) {
      auto around = loops.loops(f);
      Face face;
      if (around)
        for (const auto& loop : *around) face.loops.push_back(loops.chains(f, loop));
      m_faces.emplace(f, std::move(face));
    }
  }

  std::optional<Fit> full() {
    std::vector<int> poles;
    for (const auto& [f, face] : m_faces) {
      if (face.loops.empty() || face.loops.size() > 2) return {};
      for (const auto& loop : face.loops)
        if (loop.size() != 1) return {};
      if (face.loops.size() == 1) poles.push_back(f);
    }
    if (poles.size() != 2) return {};
    AboutAxis about;
    about.poles = {poles[0], poles[1]};
    about.arcs[0] = m_faces.at(poles[0]).loops[0][0];
    about.arcs[1] = m_faces.at(poles[1]).loops[0][0];
    m_done = {poles[0], poles[1]};
    int face = across(poles[0], about.arcs[0]), edge = about.arcs[0].front().edge;
    while (face != poles[1]) {
      if (face < 0 || !m_done.insert(face).second) return {};
      const auto& loops = m_faces.at(face).loops;
      MappedFace m;
      m.face = face;
      m.ring = true;
      m.corners = {-1, -1, -1, -1};
      m.sides[0] = loops[0][0];
      m.sides[2] = loops[1][0];
      if (!has(m.sides[0], edge)) std::swap(m.sides[0], m.sides[2]);
      if (!has(m.sides[0], edge) || !circle(m.sides[0])) return {};
      m_fit.evens.push_back({{ringUnknown(m_part, face)}, 2, face, false});
      edge = m.sides[2].front().edge;
      const int next = across(face, m.sides[2]);
      m_walls.push_back(std::move(m));
      face = next;
    }
    if (!circle(about.arcs[1])) return {};
    EvenSum round;
    for (const auto& s : about.arcs[0]) round.edges.push_back(s.edge);
    round.least = 8;
    round.face = poles[0];
    round.needed = false;
    round.multiple = flat(poles[0]) && flat(poles[1]) ? 4 : 8; // a square of 4, with a node in its middle for a tip
    m_fit.evens.push_back(std::move(round));
    return finished(std::move(about));
  }

  std::optional<Fit> partial() {
    for (const auto& [f, face] : m_faces) {
      if (!flat(f) || face.loops.size() != 1) continue;
      const auto& chains = face.loops[0];
      for (std::size_t k = 0; k < chains.size(); ++k)
        if (const int other = across(f, chains[k]); other > f && flat(other) && straight(chains[k]))
          if (auto fit = between(f, other, k)) return fit;
    }
    return {};
  }

private:
  struct Face {
    std::vector<std::vector<EdgeChain>> loops; ///< cut where the face across changes
  };
  const Part& m_part;
  int m_body;
  const BodyLoops& m_loops;
  std::map<int, Face> m_faces;
  std::set<int> m_done;
  std::vector<MappedFace> m_walls;
  Fit m_fit;
  bool m_first = true; ///< no circle was seen yet
  Vec3 m_center = Vec3::Zero(), m_axis = Vec3::Zero();

  int across(int face, const EdgeChain& chain) const { return m_loops.across(face, chain.front().edge); }
  bool flat(int f) const { return m_part.faces[static_cast<std::size_t>(f)].kind == SurfaceKind::Plane; }
  static bool has(const EdgeChain& chain, int edge) {
    return std::any_of(chain.begin(), chain.end(), [&](const EdgeStep& s) { return s.edge == edge; });
  }
  std::vector<Vec3> along(const EdgeChain& chain) const {
    constexpr std::size_t kParts = 32; // of an edge
    std::vector<Vec3> r;
    for (const auto& s : chain) {
      const auto& e = m_part.edges[static_cast<std::size_t>(s.edge)];
      for (std::size_t k = 0; k < kParts; ++k) {
        const double t = static_cast<double>(k) / kParts, u = s.forward ? t : 1 - t;
        r.push_back(m_part.shape->edgePoint(s.edge, e.t0 + u * (e.t1 - e.t0)));
      }
    }
    return r;
  }
  /// Whether a loop is a circle about the same axis as those before it.
  bool circle(const EdgeChain& loop) {
    constexpr double kOff = 0.02; // of the radius
    const std::vector<Vec3> p = along(loop);
    Vec3 area = Vec3::Zero(), center = Vec3::Zero();
    for (std::size_t k = 0; k < p.size(); ++k) area += 0.5 * (p[k] - p[0]).cross(p[(k + 1) % p.size()] - p[0]);
    for (std::size_t k = 0; k < p.size(); ++k) {
      const Vec3 &a = p[k], &b = p[(k + 1) % p.size()];
      center += 0.5 * (a - p[0]).cross(b - p[0]).dot(area) / area.squaredNorm() * (p[0] + a + b) / 3;
    }
    const double radius = std::sqrt(area.norm() / kPi);
    const Vec3 axis = area.normalized();
    for (const Vec3& x : p)
      if (std::abs((x - center).norm() - radius) > kOff * radius) return false;
    if (m_first) {
      m_center = center;
      m_axis = axis;
      m_first = false;
      return true;
    }
    return std::abs(axis.dot(m_axis)) > 1 - kOff * kOff && m_axis.cross(center - m_center).norm() < kOff * radius;
  }
  bool straight(const EdgeChain& chain) const {
    const std::vector<Vec3> p = along(chain);
    const Vec3 end = m_part.points[static_cast<std::size_t>(endOf(m_part, chain.back()))].at, way = end - p[0];
    return std::all_of(p.begin(), p.end(),
                       [&](const Vec3& x) { return way.cross(x - p[0]).norm() < 1e-6 * way.squaredNorm(); });
  }

  /// Sides of a face with one loop, from that at `first` on; empty unless there are `n`.
  std::vector<EdgeChain> from(int face, int first, std::size_t n) const {
    const auto it = m_faces.find(face);
    if (it == m_faces.end() || it->second.loops.size() != 1 || it->second.loops[0].size() != n) return {};
    std::vector<EdgeChain> r = it->second.loops[0];
    const auto at = std::find_if(r.begin(), r.end(), [&](const EdgeChain& c) { return across(face, c) == first; });
    if (at == r.end()) return {};
    std::rotate(r.begin(), at, r.end());
    return r;
  }

  /// Whether an arc leads into the body from side 0 and out of it at side 1.
  bool inside(const AboutAxis& about, const EdgeChain& arc) const {
    auto leaves = [&](std::size_t side, const Vec3& way) {
      const PartFace& f = m_part.faces[static_cast<std::size_t>(about.sides[side])];
      return way.dot(f.axis) * (f.bodies[0] == m_body ? 1 : -1);
    };
    return leaves(0, wayOf(m_part, arc.front(), false)) < 0 && leaves(1, wayOf(m_part, arc.back(), true)) > 0;
  }

  /// Everything between two sides that meet along chain `k` of the first one.
  std::optional<Fit> between(int side, int other, std::size_t k) {
    m_fit = {};
    m_walls.clear();
    std::vector<EdgeChain> near = m_faces.at(side).loops[0];
    std::rotate(near.begin(), near.begin() + static_cast<std::ptrdiff_t>(k), near.end());
    std::vector<EdgeChain> far = from(other, side, near.size());
    const std::size_t n = near.size() - 1; // faces from pole to pole
    if (far.empty() || n < 2) return {};
    AboutAxis about;
    about.sides = {side, other};
    about.axis = reversed(near[0]);
    m_done = {side, other};
    for (std::size_t j = 1; j <= n; ++j) {
      const int face = across(side, near[j]);
      if (!m_done.insert(face).second || across(other, far[n + 1 - j]) != face) return {};
      if (j == 1 || j == n) {
        const std::size_t pole = j == 1 ? 0 : 1;
        const int wall = across(side, near[j == 1 ? 2 : n - 1]);
        const std::vector<EdgeChain> sides = from(face, wall, 3);
        if (sides.empty()) return {};
        about.poles[pole] = face;
        about.radii[pole] = j == 1 ? std::array{reversed(near[j]), far[n]} : std::array{near[n], reversed(far[1])};
        about.arcs[pole] = sides[0];
        if (startOf(m_part, sides[0].front()) != startOf(m_part, about.radii[pole][0].front()))
          about.arcs[pole] = reversed(sides[0]);
        if (!inside(about, about.arcs[pole])) return {};
        EqualSums equal, more;
        for (const auto& s : about.radii[pole][0]) equal.left.push_back(s.edge);
        for (const auto& s : about.radii[pole][1]) equal.right.push_back(s.edge);
        more.left = equal.left;
        equal.face = more.face = face;
        more.more = 2; // the core, and one row round it
        m_fit.sums.push_back(std::move(equal));
        m_fit.sums.push_back(std::move(more));
        continue;
      }
      const std::vector<EdgeChain> sides = from(face, across(side, near[j - 1]), 4);
      if (sides.empty() || across(face, sides[2]) != across(side, near[j + 1])) return {};
      MappedFace m;
      m.face = face;
      for (std::size_t i = 0; i < 4; ++i) {
        m.sides[i] = sides[i];
        m.corners[i] = startOf(m_part, sides[i].front());
      }
      m_walls.push_back(std::move(m));
    }
    EvenSum profile, round;
    for (const auto& chain : near)
      for (const auto& s : chain) profile.edges.push_back(s.edge);
    for (const auto& s : about.arcs[0]) round.edges.push_back(s.edge);
    profile.face = side;
    round.face = about.poles[0];
    round.least = 2;
    m_fit.evens = {profile, round};
    // Even counts between the corners of the profile, too: its cells come of every second node.
    for (const auto& chain : near) {
      EvenSum part;
      for (const auto& s : chain) part.edges.push_back(s.edge);
      part.face = side;
      part.least = 2;
      part.needed = false;
      m_fit.evens.push_back(std::move(part));
    }
    return finished(std::move(about));
  }

  std::optional<Fit> finished(AboutAxis about) {
    if (m_done.size() != m_faces.size()) return {};
    Fit fit = std::move(m_fit);
    fit.fits = true;
    Sweep& sweep = fit.sweep.emplace();
    sweep.closed = true;
    for (const auto& m : m_walls) {
      sweep.walls.push_back(m.face);
      sweep.feet.push_back(m.sides[0].front().edge);
      sweep.heads.push_back(m.sides[2].front().edge);
    }
    sweep.axis = std::move(about);
    fit.mapped = std::move(m_walls);
    return fit;
  }
};

} // namespace

std::optional<Fit> fitAboutAxis(const Part& part, int body, const BodyLoops& loops) {
  AxisFinder finder(part, body, loops);
  if (auto fit = finder.full()) return fit;
  return finder.partial();
}

StructuredCells fillAboutAxis(const Sweep& sweep, const SurfaceMesh& surface, const Progress& progress) {
  const TurnedCells& t = *std::find_if(surface.turned.begin(), surface.turned.end(),
                                       [&](const TurnedCells& x) { return x.body == sweep.body; });
  const bool full = sweep.axis->full();
  const std::size_t stations = t.rims.size(), rim = t.profile.rim, length = t.rims.front().size(),
                    count = t.profile.points.size(), inner = count - length,
                    heights = static_cast<std::size_t>(t.heights), own = t.core.points.size() - t.core.rim;
  auto pt = [&](int v) -> const Vec3& { return surface.points[static_cast<std::size_t>(v)]; };
  StructuredCells r;
  const int base = static_cast<int>(surface.points.size());
  // Nodes of the profile at all stations but the sides, then those inside the core at all heights but the poles.
  const std::size_t first = full ? 0 : 1, last = full ? stations : stations - 1;
  r.points.resize((last - first) * inner + (heights - 1) * own);
  std::vector<double> share(heights + 1, 0); // along the core's line
  for (int j = 1; j <= t.heights; ++j)
    share[static_cast<std::size_t>(j)] =
        share[static_cast<std::size_t>(j) - 1] + (t.profile.points[static_cast<std::size_t>(t.lineAt(j))] -
                                                  t.profile.points[static_cast<std::size_t>(t.lineAt(j - 1))])
                                                     .norm();
  const Pattern profile(t.profile);
  parallelFor(
      last - first, &progress,
      [&](std::size_t i) {
        const auto& nodes = t.rims[i + first];
        std::vector<Vec3> there(rim);
        for (std::size_t k = 0; k < length; ++k) there[k] = pt(nodes[k]);
        for (int j = 1; j < t.heights; ++j) {
          const double w = share[static_cast<std::size_t>(j)] / share.back();
          there[static_cast<std::size_t>(t.lineAt(j))] = (1 - w) * pt(nodes.front()) + w * pt(nodes.back());
        }
        const auto at = profile.carried(t.profile.points, there);
        for (std::size_t k = 0; k < inner; ++k) r.points[i * inner + k] = at[length + k];
      },
      1);
  auto node = [&](int place, std::size_t station) {
    const auto p = static_cast<std::size_t>(place);
    if (p < length) return t.rims[station][p];
    if (!full && (station == 0 || station + 1 == stations)) return t.sides[station == 0 ? 0 : 1][p];
    return base + static_cast<int>((station - first) * inner + p - length);
  };
  const auto coreBase = base + static_cast<int>((last - first) * inner);
  auto coreNode = [&](int place, std::size_t height) {
    const auto p = static_cast<std::size_t>(place);
    if (p < stations) return node(t.lineAt(static_cast<int>(height)), p);
    if (p < t.core.rim) return t.inSides[height][p - stations];
    if (height == 0 || height == heights) return t.caps[height == 0 ? 0 : 1][p - t.core.rim];
    return coreBase + static_cast<int>((height - 1) * own + p - t.core.rim);
  };
  auto at = [&](int v) -> const Vec3& { return v < base ? pt(v) : r.points[static_cast<std::size_t>(v - base)]; };
  if (own > 0) {
    const Pattern core(t.core);
    std::array<std::vector<Vec3>, 2> cap;
    for (std::size_t p = 0; p < t.core.points.size(); ++p)
      for (std::size_t end : {0u, 1u}) cap[end].push_back(at(coreNode(static_cast<int>(p), end ? heights : 0)));
    parallelFor(
        heights - 1, &progress,
        [&](std::size_t i) {
          std::vector<Vec3> there;
          for (std::size_t p = 0; p < t.core.rim; ++p) there.push_back(at(coreNode(static_cast<int>(p), i + 1)));
          const auto up = core.carried(cap[0], there), down = core.carried(cap[1], there);
          const double w = share[i + 1] / share.back();
          for (std::size_t k = 0; k < own; ++k)
            r.points[static_cast<std::size_t>(coreBase - base) + i * own + k] =
                (1 - w) * up[t.core.rim + k] + w * down[t.core.rim + k];
        },
        1);
  }
  auto layers = [&](const FaceCells& cells, std::size_t n, std::size_t round, const auto& of) {
    // Whether the pattern's normal leads to the next layer.
    Vec3 on = Vec3::Zero();
    for (std::size_t p = 0; p < cells.rim; ++p) on += at(of(static_cast<int>(p), 1)) - at(of(static_cast<int>(p), 0));
    const bool ahead = on.dot(cells.normals.front()) > 0;
    for (std::size_t k = 0; k < n; ++k) {
      const std::size_t low = ahead ? k : (k + 1) % round, high = ahead ? (k + 1) % round : k;
      for (const auto& c : cells.triangles)
        r.wedges.push_back(
            {of(c[0], low), of(c[1], low), of(c[2], low), of(c[0], high), of(c[1], high), of(c[2], high)});
      for (const auto& q : cells.quads)
        r.hexahedra.push_back({of(q[0], low), of(q[1], low), of(q[2], low), of(q[3], low), of(q[0], high),
                               of(q[1], high), of(q[2], high), of(q[3], high)});
    }
  };
  layers(t.profile, full ? stations : stations - 1, stations, node);
  layers(t.core, heights, heights + 1, coreNode);
  return r;
}

} // namespace tess
