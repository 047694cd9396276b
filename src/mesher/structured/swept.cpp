// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/structured/swept.h"
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
  bool flat = false; ///< both ends are planes
  double ends = 0;   ///< area of source and target
};

class Finder {
public:
  Finder(const Part& part, int body) : m_part(part), m_body(body), m_loops(part, body) {
    for (int f : faces()) m_around[f] = m_loops.loops(f);
  }

  Fit find() {
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
    if (ways.empty()) {
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
    // All walls are as many rows high.
    auto height = [&](const MappedFace& w) {
      if (w.ring) return std::vector<int>{ringUnknown(m_part, w.face)};
      std::vector<int> r;
      for (const auto& s : w.sides[1]) r.push_back(s.edge);
      return r;
    };
    for (std::size_t k = 1; k < fit.mapped.size(); ++k)
      fit.sums.push_back({height(fit.mapped[0]), height(fit.mapped[k]), fit.mapped[k].face});
    return fit;
  }

  const Part& m_part;
  int m_body;
  BodyLoops m_loops;
  std::map<int, std::optional<std::vector<EdgeChain>>> m_around;

  const std::vector<int>& faces() const { return m_part.bodies[static_cast<std::size_t>(m_body)].faces; }
  double area(int f) const { return m_part.faces[static_cast<std::size_t>(f)].area; }
  bool flat(int f) const { return m_part.faces[static_cast<std::size_t>(f)].kind == SurfaceKind::Plane; }
  int across(int face, const EdgeChain& chain) const { return m_loops.across(face, chain.front().edge); }

  Hindrance tryFrom(int source, Way& way) const {
    const auto& loops = m_around.at(source);
    if (!loops || loops->empty()) return {"the edges of a face form no plain loops", source, 0};
    std::set<int> walls;
    for (const auto& loop : *loops)
      for (const auto& chain : m_loops.chains(source, loop)) {
        const int w = across(source, chain);
        if (w < 0) return {"more than two of its faces meet at an edge", source, walls.size()};
        if (w == source || !walls.insert(w).second)
          return {"a face meets another one along two stretches", source, walls.size()};
      }
    int target = -1;
    for (int w : walls) {
      MappedFace m;
      int top = -1;
      if (std::string why = wall(w, source, walls, m, top); !why.empty()) return {std::move(why), w, way.walls.size()};
      if (top == source || walls.count(top) || (target >= 0 && top != target))
        return {"walls that begin at one face do not end at one", w, way.walls.size()};
      target = top;
      way.walls.push_back(std::move(m));
    }
    if (faces().size() != walls.size() + 2)
      return {"it has more faces than two ends and the walls between them", target, way.walls.size()};
    const auto& ends = m_around.at(target);
    if (!ends || ends->size() != loops->size()) return {"its two ends have different loops", target, way.walls.size()};
    way.sweep.source = source;
    way.sweep.target = target;
    way.sweep.walls.assign(walls.begin(), walls.end());
    way.ends = area(source) + area(target);
    way.flat = flat(source) && flat(target);
    return {};
  }

  /// A wall as rows between the source and the face `top`, or why it is none.
  std::string wall(int face, int source, const std::set<int>& walls, MappedFace& m, int& top) const {
    const auto& loops = m_around.at(face);
    if (!loops) return "the edges of a wall form no plain loops";
    m.face = face;
    if (loops->size() == 2) {
      const auto first = m_loops.chains(face, loops->front()), second = m_loops.chains(face, loops->back());
      if (first.size() != 1 || second.size() != 1) return "a wall with a hole meets several faces at one end";
      const bool begins = across(face, first.front()) == source;
      if (!begins && across(face, second.front()) != source) return "a wall with a hole does not begin at the end";
      top = across(face, begins ? second.front() : first.front());
      if (top < 0) return "more than two of its faces meet at an edge";
      m.ring = true;
      m.corners = {-1, -1, -1, -1};
      m.sides[0] = begins ? loops->front() : loops->back();
      m.sides[2] = begins ? loops->back() : loops->front();
      return {};
    }
    if (loops->size() != 1) return "a wall has holes";
    const auto chains = m_loops.chains(face, loops->front());
    if (chains.size() != 4)
      return "a wall has " + std::to_string(chains.size()) +
             (chains.size() == 1 ? " side, not four" : " sides, not four");
    std::size_t foot = 4;
    for (std::size_t k = 0; k < 4; ++k)
      if (across(face, chains[k]) == source) foot = k;
    if (foot == 4) return "a wall does not begin at the end";
    for (std::size_t k = 0; k < 4; ++k) {
      m.sides[k] = chains[(foot + k) % 4];
      m.corners[k] = startOf(m_part, m.sides[k].front());
    }
    top = across(face, m.sides[2]);
    for (std::size_t k : {1u, 3u})
      if (!walls.count(across(face, m.sides[k]))) return "a wall does not meet the next one";
    return top < 0 ? "more than two of its faces meet at an edge" : std::string();
  }
};

} // namespace

Fit fitSwept(const Part& part, int body) { return Finder(part, body).find(); }

} // namespace tess
