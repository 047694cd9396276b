// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/structured/swept.h"
#include "mesher/structured/about_axis.h"
#include "mesher/structured/level_lines.h"
#include <cmath>
#include <deque>
#include <map>
#include <set>

namespace tess {
namespace {

/// What stops a face from being a source.
struct Hindrance {
  std::string why;
  int face = -1;
  std::size_t walls = 0; ///< that were good before
};

/// One way to sweep a body.
struct Way {
  Sweep sweep;
  std::vector<MappedFace> walls;
  std::vector<std::vector<int>> heights; ///< per loop of the source: unknowns that add up to it
  bool flat = false;                     ///< both ends are planes
  double ends = 0;                       ///< area of source and target
};

/// A loop cut where it turns sharply to its left, as its face sees it.
std::vector<EdgeChain> betweenCorners(const Part& part, int face, const EdgeChain& loop) {
  constexpr double kCorner = 0.8; // rad
  const std::size_t n = loop.size();
  std::vector<char> corner(n, 0);
  for (std::size_t k = 0; k < n; ++k) {
    const Vec3 in = wayOf(part, loop[(k + n - 1) % n], true), out = wayOf(part, loop[k], false),
               normal =
                   part.shape->projectToFace(face, part.points[static_cast<std::size_t>(startOf(part, loop[k]))].at)
                       .normal;
    corner[k] = std::atan2(in.cross(out).dot(normal), in.dot(out)) > kCorner;
  }
  const std::size_t first = static_cast<std::size_t>(std::find(corner.begin(), corner.end(), 1) - corner.begin());
  if (first == n) return {loop};
  std::vector<EdgeChain> r;
  for (std::size_t k = 0; k < n; ++k) {
    const std::size_t i = (first + k) % n;
    if (corner[i]) r.emplace_back();
    r.back().push_back(loop[i]);
  }
  return r;
}

/// Puts walls round a source, side by side and one over the other, until nothing but ends is left.
class Walls {
public:
  Walls(const Part& part, int body, const BodyLoops& loops, int source) : m_part(part), m_body(body), m_loops(loops) {
    below.insert(source);
  }
  std::map<int, MappedFace> walls; ///< side 0 looks to the source, side 2 to the target
  std::set<int> below, above;      ///< ends
  /// Where it is not zero: the way up from the source, a plane. Ends may lie at several heights then, all level, with
  /// straight walls up and down from them.
  Vec3 up = Vec3::Zero();
  std::string why; ///< where it does not come out
  int hinders = -1;

  bool build(const std::vector<EdgeChain>& around) {
    const int source = *below.begin();
    if (!up.isZero()) {
      m_todo.push_back(source);
      return follow();
    }
    for (const auto& loop : around)
      for (const auto& step : loop) {
        const int w = m_loops.across(source, step.edge);
        if (w < 0) return fail(source, "more than two of its faces meet at an edge");
        if (smooth(source, w, step.edge)) return fail(source, "a face bends smoothly into those around it");
        if (!place(w, step.edge, 0)) return false;
      }
    return follow();
  }

  /// Edges and rings whose counts add up to the height over an edge of the source.
  std::vector<int> height(int edge) const {
    int top = -1;
    return heightFrom(*below.begin(), edge, top);
  }
  /// The same over an edge of any end that walls go up from, and the end that they lead to.
  std::vector<int> heightFrom(int end, int edge, int& top) const {
    std::vector<int> r;
    int w = m_loops.across(end, edge);
    for (auto it = walls.find(w); it != walls.end() && r.size() <= m_part.edges.size();) {
      const MappedFace& m = it->second;
      if (m.ring)
        r.push_back(ringUnknown(m_part, m.face));
      else
        for (const auto& s : m.sides[1]) r.push_back(s.edge);
      top = m_loops.across(m.face, m.sides[2].front().edge);
      it = walls.find(top);
    }
    return r;
  }

  /// Whether the face's normal leaves the body.
  bool leaves(int face) const { return m_part.faces[static_cast<std::size_t>(face)].bodies[0] == m_body; }
  Vec3 outward(int face, const Vec3& at) const {
    const Vec3 n = m_part.shape->projectToFace(face, at).normal;
    return leaves(face) ? n : Vec3(-n);
  }

private:
  const Part& m_part;
  int m_body;
  const BodyLoops& m_loops;
  std::deque<int> m_todo;

  bool follow() {
    while (!m_todo.empty()) {
      const int w = m_todo.front();
      m_todo.pop_front();
      if (walls.count(w) ? !spread(w) : !spreadStep(w)) return false;
    }
    return true;
  }

  bool fail(int face, std::string reason) {
    why = std::move(reason);
    hinders = face;
    return false;
  }

  /// Makes a face a wall that has an edge on its side `role`: 0 to 3 as in MappedFace.
  bool place(int face, int edge, std::size_t role) {
    if (below.count(face) || above.count(face)) return fail(face, "a face is an end and a wall");
    auto on = [&](const EdgeChain& side) {
      return std::any_of(side.begin(), side.end(), [&](const EdgeStep& s) { return s.edge == edge; });
    };
    if (const auto it = walls.find(face); it != walls.end())
      return on(it->second.sides[role]) || fail(face, "a wall runs along it and up");
    MappedFace m;
    if (!sides(face, m)) return false;
    std::size_t k = 0;
    while (k < 4 && !on(m.sides[k])) ++k;
    if (k == 4) return fail(face, "the edges of a wall form no plain loops");
    if (m.ring) {
      if (role % 2) return fail(face, "a wall that closes on itself has another one beside it");
      if (k != role) std::swap(m.sides[0], m.sides[2]);
    } else {
      std::rotate(m.sides.begin(), m.sides.begin() + static_cast<std::ptrdiff_t>((k + 4 - role) % 4), m.sides.end());
      for (std::size_t j = 0; j < 4; ++j) m.corners[j] = startOf(m_part, m.sides[j].front());
    }
    walls.emplace(face, std::move(m));
    m_todo.push_back(face);
    return true;
  }

  /// What lies round a wall.
  bool spread(int face) {
    const MappedFace m = walls.at(face);
    for (std::size_t k = 0; k < 4; ++k)
      for (const auto& step : m.sides[k]) {
        const int x = m_loops.across(face, step.edge);
        if (x < 0) return fail(face, "more than two of its faces meet at an edge");
        // Of the same edge on the face across: faces that are seen from inside have left and right exchanged.
        const std::size_t role = k % 2 && leaves(face) != leaves(x) ? k : (k + 2) % 4;
        if (k % 2) {
          if (!place(x, step.edge, role)) return false;
          continue;
        }
        if (!up.isZero()) {
          if (below.count(x) || above.count(x)) continue;
          if (walls.count(x) || (!level(x) && smooth(face, x, step.edge))) {
            if (!place(x, step.edge, role)) return false;
          } else if (!addStep(x))
            return false;
          continue;
        }
        auto& ends = k == 0 ? below : above;
        if (ends.count(x)) continue;
        if (walls.count(x) || smooth(face, x, step.edge)) {
          if (!place(x, step.edge, role)) return false;
        } else if ((k == 0 ? above : below).count(x))
          return fail(x, "walls that begin at one face do not end at one");
        else
          ends.insert(x);
      }
    return true;
  }

  bool level(int face) const {
    constexpr double kLevel = 1e-6;
    const PartFace& f = m_part.faces[static_cast<std::size_t>(face)];
    return f.kind == SurfaceKind::Plane && std::abs(f.axis.dot(up)) > 1 - kLevel;
  }
  /// A level face at any height.
  bool addStep(int face) {
    if (!level(face)) return fail(face, "walls that begin at one face do not end at one, nor at level ones");
    const bool looksUp = outward(face, m_part.faces[static_cast<std::size_t>(face)].center).dot(up) > 0;
    if ((looksUp ? above : below).insert(face).second) m_todo.push_back(face);
    return true;
  }
  /// Walls at a level face: where they stand in front of it they lead on beyond it, else back into the body.
  bool spreadStep(int face) {
    const auto loops = m_loops.loops(face);
    if (!loops) return fail(face, "the edges of a face form no plain loops");
    const bool isAbove = above.count(face) > 0;
    for (const auto& loop : *loops)
      for (const auto& step : loop) {
        const int x = m_loops.across(face, step.edge);
        if (x < 0) return fail(face, "more than two of its faces meet at an edge");
        if (walls.count(x) || (isAbove ? above : below).count(x)) continue;
        if (level(x)) { // the same end goes on beyond a line
          if (!addStep(x)) return false;
          continue;
        }
        const auto& e = m_part.edges[static_cast<std::size_t>(step.edge)];
        const double t = 0.5 * (e.t0 + e.t1), d = 1e-4 * (e.t1 - e.t0);
        const Vec3 at = m_part.shape->edgePoint(step.edge, t);
        Vec3 way = m_part.shape->edgePoint(step.edge, t + d) - m_part.shape->edgePoint(step.edge, t - d);
        if (!step.forward) way = -way;
        const Vec3 into = m_part.shape->projectToFace(face, at).normal.cross(way);
        const bool before = outward(x, at).dot(into) > 0;
        if (!place(x, step.edge, isAbove == before ? 0 : 2)) return false;
      }
    return true;
  }

  /// Whether a wall goes on beyond an edge.
  bool smooth(int face, int other, int edge) const {
    constexpr double kSmooth = 0.9; // cosine of 26 degrees
    const auto& e = m_part.edges[static_cast<std::size_t>(edge)];
    const Vec3 at = m_part.shape->edgePoint(edge, 0.5 * (e.t0 + e.t1));
    return outward(face, at).dot(outward(other, at)) > kSmooth;
  }

  /// A face as four sides or as a ring.
  bool sides(int face, MappedFace& m) {
    const auto loops = m_loops.loops(face);
    if (!loops) return fail(face, "the edges of a wall form no plain loops");
    m.face = face;
    if (loops->size() == 2) {
      m.ring = true;
      m.corners = {-1, -1, -1, -1};
      m.sides[0] = loops->front();
      m.sides[2] = loops->back();
      return true;
    }
    if (loops->size() != 1) return fail(face, loops->empty() ? "a wall has no edges" : "a wall has holes");
    auto chains = m_loops.chains(face, loops->front());
    if (chains.size() != 4 || runStraightOn(m_part, chains)) chains = betweenCorners(m_part, face, loops->front());
    if (chains.size() != 4)
      return fail(face, "a wall has " + std::to_string(chains.size()) +
                            (chains.size() == 1 ? " side, not four" : " sides, not four"));
    for (std::size_t k = 0; k < 4; ++k) {
      m.sides[k] = chains[k];
      m.corners[k] = startOf(m_part, chains[k].front());
    }
    return true;
  }
};

class Finder {
public:
  Finder(const Part& part, int body) : m_part(part), m_body(body), m_loops(part, body) {
    for (int f : faces()) m_around[f] = m_loops.loops(f);
  }

  /// `plain`: only ways from one end to one other.
  Fit find(bool plain = false) {
    std::vector<Way> ways;
    Hindrance least;
    for (int source : faces()) {
      Way way;
      Hindrance h = tryFrom(source, way);
      if (h.why.empty()) {
        // The same way from the other end is found once.
        if (std::none_of(ways.begin(), ways.end(), [&](const Way& w) { return w.sweep.target == source; }))
          ways.push_back(std::move(way));
      } else if (least.why.empty() || h.walls > least.walls)
        least = std::move(h);
    }
    Fit fit;
    if (ways.empty() && plain) return fit;
    if (ways.empty()) {
      if (closes(fit) || stepped(fit)) return fit;
      if (auto about = fitAboutAxis(m_part, m_body, m_loops)) return *about;
      if (!fit.why.empty()) return fit;
      fit.why = "no two of its faces have walls of four sides, or rings, all round between them: " + least.why;
      if (least.face >= 0) {
        fit.faces = {least.face};
        fit.places = {m_part.faces[static_cast<std::size_t>(least.face)].center};
      }
      return fit;
    }
    std::stable_sort(ways.begin(), ways.end(), [](const Way& a, const Way& b) {
      if (a.flat != b.flat) return a.flat;
      if (a.walls.size() != b.walls.size()) return a.walls.size() > b.walls.size();
      return a.ends > b.ends * (1 + 1e-9);
    });
    fit = fitOf(ways.front());
    for (std::size_t k = 1; k < ways.size(); ++k) fit.others.push_back(fitOf(ways[k]));
    return fit;
  }

private:
  Fit fitOf(Way& way) const {
    Fit fit;
    fit.fits = true;
    fit.mapped = std::move(way.walls);
    fit.sweep = std::move(way.sweep);
    for (int end : {fit.sweep->source, fit.sweep->target}) fit.ends.push_back({end, true, *m_around.at(end)});
    // All walls are as many rows high.
    for (std::size_t k = 1; k < way.heights.size(); ++k)
      fit.sums.push_back(EqualSums{way.heights[0], way.heights[k], fit.sweep->source});
    return fit;
  }

  /// Whether all faces are rings that lie round a closed profile, or several: a body of full revolution without ends.
  bool closes(Fit& found) const {
    Fit fit;
    for (int f : faces()) {
      const auto& loops = m_around.at(f);
      if (!loops || loops->size() != 2) return false;
      for (const auto& loop : *loops) {
        const auto chains = m_loops.chains(f, loop);
        if (chains.size() != 1 || m_loops.across(f, loop.front().edge) < 0) return false;
      }
    }
    Sweep sweep;
    sweep.closed = true;
    std::set<int> left(faces().begin(), faces().end());
    while (!left.empty()) { // one profile after the other
      const int first = *left.begin();
      EvenSum even;
      even.face = first;
      int face = first, end = 0; // of the two loops the one that leads on
      do {
        if (!left.erase(face)) return false;
        const auto& loops = *m_around.at(face);
        MappedFace m;
        m.face = face;
        m.ring = true;
        m.corners = {-1, -1, -1, -1};
        m.sides[0] = loops[static_cast<std::size_t>(1 - end)];
        m.sides[2] = loops[static_cast<std::size_t>(end)];
        sweep.walls.push_back(face);
        sweep.feet.push_back(m.sides[0].front().edge);
        sweep.heads.push_back(m.sides[2].front().edge);
        even.edges.push_back(ringUnknown(m_part, face));
        const int edge = m.sides[2].front().edge;
        fit.mapped.push_back(std::move(m));
        face = m_loops.across(face, edge);
        const auto& next = *m_around.at(face);
        auto on = [&](const EdgeChain& loop) {
          return std::any_of(loop.begin(), loop.end(), [&](const EdgeStep& s) { return s.edge == edge; });
        };
        if (on(next[0]) == on(next[1])) return false;
        end = on(next[0]) ? 1 : 0;
      } while (face != first);
      if (even.edges.size() < 2) return false;
      fit.evens.push_back(even);
      for (int unknown : even.edges) // sides between corners of the profile
        fit.evens.push_back({{unknown}, 2, even.face, false});
    }
    fit.fits = true;
    fit.sweep = std::move(sweep);
    found = std::move(fit);
    return true;
  }

  /// Level ends at several heights, with upright walls between them.
  bool stepped(Fit& found) const {
    std::vector<Vec3> tried;
    for (int first : faces()) {
      if (!flat(first) || !m_around.at(first) || m_around.at(first)->empty()) continue;
      const Vec3 axis = m_part.faces[static_cast<std::size_t>(first)].axis;
      if (std::any_of(tried.begin(), tried.end(), [&](const Vec3& t) { return std::abs(t.dot(axis)) > 1 - 1e-6; }))
        continue;
      tried.push_back(axis);
      Walls walls(m_part, m_body, m_loops, first);
      walls.up = -walls.outward(first, m_part.faces[static_cast<std::size_t>(first)].center);
      if (!walls.build(*m_around.at(first)) ||
          faces().size() != walls.walls.size() + walls.above.size() + walls.below.size() || !upright(walls))
        continue;
      Fit fit;
      Sweep& sweep = fit.sweep.emplace();
      sweep.up = walls.up;
      sweep.steps.assign(walls.below.begin(), walls.below.end());
      sweep.steps.insert(sweep.steps.end(), walls.above.begin(), walls.above.end());
      if (std::any_of(sweep.steps.begin(), sweep.steps.end(), [&](int f) { return !m_around.at(f); })) continue;
      for (int end : sweep.steps) fit.ends.push_back({end, true, *m_around.at(end)});
      for (const auto& [face, m] : walls.walls) {
        sweep.walls.push_back(face);
        sweep.feet.push_back(m.sides[0].front().edge);
        sweep.heads.push_back(m.sides[2].front().edge);
      }
      std::vector<std::vector<int>> joined; // feet and heads of walls
      for (const auto& [face, m] : walls.walls) {
        joined.emplace_back();
        for (std::size_t side : {0u, 2u})
          for (const auto& s : m.sides[side]) joined.back().push_back(s.edge);
      }
      const LevelLines lines(m_part, fit.ends, sweep.up, joined);
      if (!lines.good()) {
        found.why = "edges of its ends cross, seen along the walls between them";
        found.places = {lines.crossAt()};
        found.faces = sweep.steps;
        continue;
      }
      sweep.alone = lines.alone();
      sweep.alike = lines.alike();
      for (const auto& [a, b] : sweep.alike) fit.sums.push_back({{a}, {b}, sweep.steps.front()});
      for (std::size_t a = 0; a < sweep.steps.size(); ++a)
        for (std::size_t b = 0; b < sweep.steps.size(); ++b)
          if (lines.above(a, b)) sweep.over.push_back({static_cast<int>(a), static_cast<int>(b)});
      if (!levels(walls, fit)) continue;
      for (auto& [face, m] : walls.walls) fit.mapped.push_back(std::move(m));
      fit.fits = true;
      found = std::move(fit);
      return true;
    }
    return false;
  }

  bool upright(const Walls& walls) const {
    constexpr double kUpright = 1e-4; // sine
    for (const auto& [face, m] : walls.walls)
      for (const auto& side : m.sides)
        for (const auto& step : side) {
          const auto& e = m_part.edges[static_cast<std::size_t>(step.edge)];
          for (double w : {0.2, 0.5, 0.9}) {
            const Vec3 at = m_part.shape->edgePoint(step.edge, e.t0 + w * (e.t1 - e.t0));
            if (std::abs(walls.outward(face, at).dot(walls.up)) > kUpright) return false;
          }
        }
    return true;
  }

  /// Unknowns that add up to the height of an end over the first one, and those to be taken off again.
  struct Height {
    std::vector<int> plus, minus;
  };
  /// Ways from end to end must add up to one height for each, and what lies above another by more than nothing. False
  /// where no walls lead to an end, as into a cavity.
  bool levels(const Walls& walls, Fit& fit) const {
    const std::vector<int>& ends = fit.sweep->steps;
    std::map<int, Height> at{{ends.front(), {}}};
    struct Climb {
      int low, high;
      std::vector<int> height;
      bool done = false;
    };
    std::vector<Climb> open;
    for (int end : ends) {
      std::set<int> seen;
      for (const auto& loop : *m_around.at(end))
        for (const auto& step : loop) {
          const int x = m_loops.across(end, step.edge);
          if (!seen.insert(x).second) continue;
          const auto it = walls.walls.find(x);
          if (it == walls.walls.end()) { // beyond a line it goes on at the same height
            open.push_back({end, x, {}});
            continue;
          }
          const auto& foot = it->second.sides[0];
          if (std::none_of(foot.begin(), foot.end(), [&](const EdgeStep& s) { return s.edge == step.edge; })) continue;
          int top = -1;
          auto height = walls.heightFrom(end, step.edge, top);
          open.push_back({end, top, std::move(height)});
        }
    }
    auto plus = [](std::vector<int> a, const std::vector<int>& b) {
      a.insert(a.end(), b.begin(), b.end());
      return a;
    };
    for (bool any = true; any;) {
      any = false;
      for (auto& way : open) {
        const auto low = at.find(way.low), high = at.find(way.high);
        if (way.done || (low == at.end()) == (high == at.end())) continue;
        if (high == at.end())
          at.emplace(way.high, Height{plus(low->second.plus, way.height), low->second.minus});
        else
          at.emplace(way.low, Height{high->second.plus, plus(high->second.minus, way.height)});
        way.done = any = true;
      }
    }
    if (at.size() != ends.size()) return false;
    for (const auto& way : open) {
      if (way.done) continue;
      const Height &low = at.at(way.low), &high = at.at(way.high);
      fit.sums.push_back({plus(plus(low.plus, way.height), high.minus), plus(high.plus, low.minus), way.low});
    }
    for (const auto& [a, b] : fit.sweep->over) {
      const int lower = ends[static_cast<std::size_t>(a)], upper = ends[static_cast<std::size_t>(b)];
      const Height &low = at.at(lower), &high = at.at(upper);
      fit.sums.push_back({plus(high.plus, low.minus), plus(low.plus, high.minus), upper, 1});
    }
    return true;
  }

  const Part& m_part;
  int m_body;
  BodyLoops m_loops;
  std::map<int, std::optional<std::vector<EdgeChain>>> m_around;

  const std::vector<int>& faces() const { return m_part.bodies[static_cast<std::size_t>(m_body)].faces; }
  double area(int f) const { return m_part.faces[static_cast<std::size_t>(f)].area; }
  bool flat(int f) const { return m_part.faces[static_cast<std::size_t>(f)].kind == SurfaceKind::Plane; }

  Hindrance tryFrom(int source, Way& way) const {
    const auto& loops = m_around.at(source);
    if (!loops || loops->empty()) return {"the edges of a face form no plain loops", source, 0};
    Walls walls(m_part, m_body, m_loops, source);
    if (!walls.build(*loops)) return {walls.why, walls.hinders, walls.walls.size()};
    if (walls.below.size() > 1 || walls.above.size() != 1)
      return {"walls that begin at one face do not end at one",
              walls.above.empty() ? *walls.below.rbegin() : *walls.above.rbegin(), walls.walls.size()};
    const int target = *walls.above.begin();
    if (faces().size() != walls.walls.size() + 2)
      return {"it has more faces than two ends and the walls between them", target, walls.walls.size()};
    const auto& ends = m_around.at(target);
    if (!ends || ends->size() != loops->size())
      return {"its two ends have different loops", target, walls.walls.size()};
    way.sweep.source = source;
    way.sweep.target = target;
    for (const auto& loop : *loops) way.heights.push_back(walls.height(loop.front().edge));
    for (auto& [face, m] : walls.walls) {
      way.sweep.walls.push_back(face);
      way.sweep.feet.push_back(m.sides[0].front().edge);
      way.sweep.heads.push_back(m.sides[2].front().edge);
      way.walls.push_back(std::move(m));
    }
    way.ends = area(source) + area(target);
    way.flat = flat(source) && flat(target);
    return {};
  }
};

} // namespace

Fit fitSwept(const Part& part, int body) { return Finder(part, body).find(); }

bool runStraightOn(const Part& part, std::span<const EdgeChain> sides) {
  constexpr double kStraight = 0.966; // cosine of 15 degrees
  for (std::size_t k = 0; k < sides.size(); ++k)
    if (wayOf(part, sides[k].back(), true).dot(wayOf(part, sides[(k + 1) % sides.size()].front(), false)) > kStraight)
      return true;
  return false;
}

Fit fitThrough(const Part& part, int body) {
  const Fit swept = Finder(part, body).find(true);
  if (!swept.fits) return {};
  std::vector<const Fit*> ways{&swept};
  for (const Fit& other : swept.others) ways.push_back(&other);
  auto length = [&](const EdgeChain& side) {
    double l = 0;
    for (const auto& s : side) l += part.edges[static_cast<std::size_t>(s.edge)].length;
    return l;
  };
  for (const Fit* way : ways) {
    bool four = true;
    MappedFace m;
    for (const PavedFace& end : {way->ends[1], way->ends[0]}) { // the source last
      four = four && end.loops.size() == 1;
      if (!four) break;
      const auto chains = betweenCorners(part, end.face, end.loops.front());
      constexpr double kStraight = 0.93; // cosine of 22 degrees: a side turns no more at its points
      four = chains.size() == 4;
      for (const auto& chain : chains)
        for (std::size_t k = 1; k < chain.size(); ++k)
          four = four && wayOf(part, chain[k - 1], true).dot(wayOf(part, chain[k], false)) > kStraight;
      if (!four || runStraightOn(part, chains)) {
        four = false;
        break;
      }
      m.face = end.face;
      for (std::size_t k = 0; k < 4; ++k) {
        m.sides[k] = chains[k];
        m.corners[k] = startOf(part, chains[k].front());
      }
      constexpr double kUneven = 3; // opposite sides that get one count
      for (std::size_t k = 0; k < 2; ++k) {
        const double ratio = length(m.sides[k]) / length(m.sides[k + 2]);
        four = four && ratio < kUneven && ratio > 1 / kUneven;
      }
    }
    if (!four) continue;
    Fit fit = *way;
    fit.others.clear();
    fit.ends.clear();
    fit.mapped.push_back(m);
    return fit;
  }
  return {};
}

} // namespace tess
