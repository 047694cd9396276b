// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/size_rules.h"
#include "exchange/exchange.h"
#include "geometry/joined.h"
#include "job/values.h"
#include <cmath>
#include <map>
#include <set>

namespace tess {

double overallTarget(const Brief& asWritten, const Part& part) {
  const Brief brief = settled(asWritten, &part);
  const Rule* r = brief.first("everywhere");
  double t = r ? slotNumber(*r, "target", part.unit) : 0;
  if (t > 0) return t;
  // A figure that a person would say.
  const double twentieth = part.diagonal() / 20, step = std::pow(10, std::floor(std::log10(twentieth)) - 1);
  return std::round(twentieth / step) * step;
}

std::string sizeReasonName(const Brief& brief, int rule) {
  switch (rule) {
  case kReasonOverall:
    return "the size everywhere";
  case kReasonTurn:
    return "turn per element on curves";
  case kReasonShortEdge:
    return "short edges";
  case kReasonNarrowFace:
    return "narrow faces";
  case kReasonSlender:
    return "thin walls, where longer elements would be flat";
  case kReasonMesher:
    return "faces close together";
  default:
    return rule >= 0 && static_cast<std::size_t>(rule) < brief.rules.size()
               ? sentenceOf(brief.rules[static_cast<std::size_t>(rule)])
               : "another rule";
  }
}

Brief scaledSizes(const Brief& brief, const Part& part, double factor) {
  // Sizes are read with names replaced; what is no size keeps its name.
  const Brief plain = settled(brief, &part);
  Brief b = brief;
  bool overall = false;
  for (std::size_t i = 0; i < b.rules.size(); ++i) {
    Rule& r = b.rules[i];
    const Rule& read = plain.rules[i];
    const RuleKind* kind = ruleKind(r.kind);
    if (r.off || !kind || kind->section != "Sizes") continue;
    for (const auto& slot : kind->entries) {
      // Of the overall rule every length is a size; elsewhere a length may also be a place or a reach.
      if (slot.type != SlotType::Size && !(slot.type == SlotType::Length && r.kind == "everywhere")) continue;
      if (auto share = parseDiameter(read.get(slot.key)); share && slot.diameter)
        r.values[slot.key] = formatNumber(factor * *share, 10) + " D";
      double x = slotNumber(read, slot.key, part.unit);
      if (x > 0) r.values[slot.key] = formatNumber(factor * x, 10) + " " + part.unit;
    }
    // What follows from curvature is refined along: sizes there go with the turn, and with the root of the deviation.
    if (kind->slot("turn"))
      if (double turn = slotNumber(read, "turn", part.unit); turn > 0)
        r.values["turn"] = formatNumber(std::min(120.0, factor * turn), 10) + " deg";
    if (kind->slot("deviation"))
      if (double d = slotNumber(read, "deviation", part.unit); d > 0)
        r.values["deviation"] = formatNumber(factor * factor * d, 10) + " " + part.unit;
    if (r.kind != "everywhere") continue;
    if (!overall) r.values["target"] = formatNumber(factor * overallTarget(brief, part), 10) + " " + part.unit;
    overall = true;
  }
  if (!overall)
    b.rules.push_back({"everywhere",
                       {{"target", formatNumber(factor * overallTarget(brief, part), 10) + " " + part.unit}},
                       "",
                       false,
                       {}});
  return b;
}

std::optional<double> finestPlace(const std::string& word) {
  char* end = nullptr;
  const double x = word == "start" ? 0 : word == "end" ? 1 : word == "middle" ? 0.5 : std::strtod(word.c_str(), &end);
  if ((end && (end == word.c_str() || *end)) || !(x >= 0 && x <= 1)) return {};
  return x;
}

std::vector<double> finestPlaces(const std::string& list) {
  std::vector<double> r;
  for (const auto& w : splitList(list))
    if (auto x = finestPlace(w)) r.push_back(*x);
  if (r.empty()) r.push_back(0);
  return r;
}

Rule freshRule(const std::string& kind, const std::string& on, const Brief& brief, const Part& part) {
  Rule r;
  r.kind = kind;
  auto put = [&](const char* key, double length) { r.values[key] = formatNumber(length, 3) + " " + part.unit; };
  double target = overallTarget(brief, part);
  const RuleKind* k = ruleKind(kind);
  if (const Slot* s = k ? k->slot("on") : nullptr; s && (s->required || on != "everywhere")) r.values["on"] = on;
  if (kind == "size") put("length", 0.5 * target);
  if (kind == "curve") r.values["turn"] = "15 deg";
  if (kind == "divide") r.values["count"] = "10";
  if (kind == "apart") r.values["bodies"] = on;
  // Degrees, of the metric that stands there at first.
  if (kind == "limit") r.values["bound"] = "8";
  if (kind == "accept") r.values["bound"] = "5";
  if (kind == "touch") put("within", 1e-3 * part.diagonal());
  if (kind == "overlap" && !part.bodies.empty())
    r.values["keep"] = part.bodies.back().name; // the first one does anyway
  if (kind == "rename" && !part.bodies.empty()) // as it is, until somebody says otherwise
    r.values["what"] = r.values["name"] = part.bodies.front().name;
  if (kind == "zone") {
    // A box round the middle half of the part.
    r.values["from"] = formatPoint(part.box.lo + 0.25 * part.box.size());
    r.values["to"] = formatPoint(part.box.hi - 0.25 * part.box.size());
    put("length", 0.5 * target);
  }
  return r;
}

std::vector<int> targetEntities(const std::string& names, Dim dim, const Part& part,
                                const std::vector<ResolvedGroup>& groups) {
  std::set<int> r;
  auto edgesOf = [&](int face) {
    const auto& e = part.faces[static_cast<std::size_t>(face)].edges;
    r.insert(e.begin(), e.end());
  };
  auto face = [&](int f) {
    if (dim == Dim::Face) r.insert(f);
    if (dim == Dim::Edge) edgesOf(f);
  };
  for (const auto& name : splitList(names)) {
    if (name == "everywhere")
      for (int i = 0; i < part.count(dim); ++i) r.insert(i);
    for (const auto& g : groups) {
      if (g.name != name) continue;
      for (int e : g.entities) {
        if (g.dim == dim)
          r.insert(e);
        else if (g.dim == Dim::Face)
          face(e);
        else if (g.dim == Dim::Body)
          for (int f : part.bodies[static_cast<std::size_t>(e)].faces) face(f);
      }
    }
  }
  return {r.begin(), r.end()};
}

namespace {

/// Reads the rules one by one; what cannot hold becomes a problem that names the rule.
class Reader {
public:
  Reader(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups, std::vector<Problem>& problems,
         const Progress* progress)
      : m_brief(brief), m_part(part), m_groups(groups), m_problems(problems), m_progress(progress),
        m_target(overallTarget(brief, part)) {}

  SizeRequest read() {
    overall();
    for (std::size_t i = 0; i < m_brief.rules.size(); ++i) {
      const Rule& r = m_brief.rules[i];
      m_rule = static_cast<int>(i);
      if (r.off) continue;
      if (r.kind == "size") local(r);
      if (r.kind == "through") through(r);
      if (r.kind == "curve") curve(r);
      if (r.kind == "divide") divide(r);
      if (r.kind == "zone") zone(r);
      if (r.kind == "field") field(r);
      if (r.kind == "limit" || r.kind == "accept") checkNames(r.get("at"));
    }
    // Which edges meet at a point is known when those to be ignored are.
    for (const bool points : {false, true}) {
      for (std::size_t i = 0; i < m_brief.rules.size(); ++i) {
        const Rule& r = m_brief.rules[i];
        m_rule = static_cast<int>(i);
        if (r.off || r.kind != "ignore" || (r.get("what") == "points") != points) continue;
        if (points)
          ignorePoints(r);
        else
          ignoreEdges(r);
      }
      if (!points) followNamedPoints();
    }
    tellOverruled();
    return std::move(m_out);
  }

private:
  const Brief& m_brief;
  const Part& m_part;
  const std::vector<ResolvedGroup>& m_groups;
  std::vector<Problem>& m_problems;
  const Progress* m_progress;
  double m_target;
  SizeRequest m_out;
  int m_rule = -1;
  std::map<int, int> m_divided; ///< edge -> rule that divides it

  double length(const Rule& r, const char* key) const { return slotLength(r, key, m_part.unit, m_target); }
  void warn(const char* code, const std::string& what, const std::string& why, const std::string& todo) {
    Problem p;
    p.severity = Severity::Warning;
    p.code = code;
    p.what = what;
    p.where = "rule " + std::to_string(m_rule + 1) + ": " + sentenceOf(m_brief.rules[static_cast<std::size_t>(m_rule)]);
    p.why = why;
    p.todo = todo;
    m_problems.push_back(p);
  }
  /// Reports names that are no group.
  void checkNames(const std::string& names) {
    for (const auto& name : splitList(names)) {
      bool found = name == "everywhere";
      for (const auto& g : m_groups) found |= g.name == name;
      if (!found)
        warn("rule.no-target", "there is no group '" + name + "'", "the rule has nothing to act on there",
             "name a group of the brief, or 'everywhere'");
    }
  }

  void overall() {
    SizeSettings& s = m_out.overall;
    s.target = m_target;
    s.bridging.tolerance = -1;
    if (const Rule* r = m_brief.first("everywhere")) {
      s.minimum = slotNumber(*r, "minimum", m_part.unit);
      s.maximum = slotNumber(*r, "maximum", m_part.unit);
      s.growth = slotNumber(*r, "growth", m_part.unit);
      s.turnDeg = slotNumber(*r, "turn", m_part.unit);
      s.slender = slotNumber(*r, "slender", m_part.unit);
      if (!r->get("bridge").empty()) s.bridging.tolerance = slotNumber(*r, "bridge", m_part.unit);
    }
    // What is named must be followed.
    s.bridging.keepFace.assign(m_part.faces.size(), 0);
    s.bridging.keepEdge.assign(m_part.edges.size(), 0);
    for (const auto& g : m_groups)
      for (int e : g.entities) {
        if (g.dim == Dim::Face) s.bridging.keepFace[static_cast<std::size_t>(e)] = 1;
        if (g.dim == Dim::Edge) s.bridging.keepEdge[static_cast<std::size_t>(e)] = 1;
      }
  }

  /// Sizes as shares of diameters, entity by entity; what is not round gets none.
  void across(const Rule& r, double share) {
    double within = slotNumber(r, "within", m_part.unit);
    std::size_t round = 0, flat = 0;
    for (Dim dim : {Dim::Face, Dim::Edge}) {
      // Faces by their radius, edges of groups of edges by their curvature.
      std::map<double, std::vector<int>> bySize;
      for (const auto& name : splitList(r.get("on")))
        for (const auto& g : m_groups) {
          if (g.name != name || g.dim != dim) continue;
          for (int e : g.entities) {
            double radius = dim == Dim::Face ? m_part.faces[static_cast<std::size_t>(e)].radius : 0;
            if (dim == Dim::Edge) {
              const auto& edge = m_part.edges[static_cast<std::size_t>(e)];
              double k = m_part.shape->edgeCurvature(e, 0.5 * (edge.t0 + edge.t1));
              radius = k * m_part.diagonal() > 1e-3 ? 1 / k : 0;
            }
            ++(radius > 0 ? round : flat);
            if (radius > 0) bySize[2 * share * radius].push_back(e);
          }
        }
      for (auto& [h, entities] : bySize) m_out.local.push_back({dim, entities, h, m_rule, within});
    }
    if (!round)
      warn("size.no-diameter", "there is no diameter to take a share of",
           "'" + r.get("on") + "' holds no round faces or edges",
           "name a length, or put the rule on holes or their rims");
    else if (flat)
      warn("size.no-diameter",
           std::to_string(flat) + " of its entities have no diameter and get no size from this rule",
           "only round faces and edges have one", "keep the round ones in a group of their own");
  }

  void local(const Rule& r) {
    if (auto share = parseDiameter(r.get("length"))) {
      checkNames(r.get("on"));
      return across(r, *share);
    }
    double h = length(r, "length");
    if (h <= 0) return; // validation has reported it
    checkNames(r.get("on"));
    double within = slotNumber(r, "within", m_part.unit);
    for (const auto& name : splitList(r.get("on"))) {
      if (name == "everywhere") {
        LocalSize l{Dim::Body, {}, h, m_rule, within};
        for (int b = 0; b < m_part.count(Dim::Body); ++b) l.entities.push_back(b);
        m_out.local.push_back(l);
      }
      for (const auto& g : m_groups)
        if (g.name == name && !g.entities.empty()) m_out.local.push_back({g.dim, g.entities, h, m_rule, within});
    }
  }

  /// A size that another rule asks to be smaller on all of the same faces, edges or bodies does nothing; said once, as
  /// both cards look alike.
  void tellOverruled() {
    std::set<int> told;
    for (const auto& weak : m_out.local)
      for (const auto& strong : m_out.local) {
        if (weak.rule == strong.rule || weak.dim != strong.dim || strong.within < weak.within) continue;
        if (strong.size > weak.size || (strong.size == weak.size && strong.rule > weak.rule)) continue;
        if (weak.entities.empty() || weak.entities != strong.entities || !told.insert(weak.rule).second) continue;
        m_rule = weak.rule;
        warn("size.overruled",
             "rule " + std::to_string(strong.rule + 1) + " (" + formatNumber(strong.size, 4) + " " + m_part.unit +
                 ") holds there, not this one (" + formatNumber(weak.size, 4) + " " + m_part.unit + ")",
             "both are on the same " +
                 std::string(weak.dim == Dim::Body   ? "bodies"
                             : weak.dim == Dim::Face ? "faces"
                             : weak.dim == Dim::Edge ? "edges"
                                                     : "points") +
                 ", and of sizes at one place the smallest holds",
             "take one of them out, or switch it off");
      }
  }

  void through(const Rule& r) {
    ThroughSize t;
    t.gaps = r.get("what") == "gaps";
    t.count = static_cast<int>(slotNumber(r, "count", m_part.unit));
    t.floor = length(r, "floor");
    t.rule = m_rule;
    if (std::string on = r.get("on"); !on.empty()) {
      checkNames(on);
      t.faces.assign(m_part.faces.size(), 0);
      for (int f : targetEntities(on, Dim::Face, m_part, m_groups)) t.faces[static_cast<std::size_t>(f)] = 1;
    }
    if (t.count >= 1) m_out.through.push_back(t);
  }

  void curve(const Rule& r) {
    checkNames(r.get("on"));
    LocalTurn t;
    t.turnDeg = slotNumber(r, "turn", m_part.unit);
    t.deviation = slotNumber(r, "deviation", m_part.unit);
    t.floor = length(r, "floor");
    t.rule = m_rule;
    t.entities = targetEntities(r.get("on"), Dim::Face, m_part, m_groups);
    if (!t.entities.empty()) m_out.turns.push_back(t);
    t.dim = Dim::Edge;
    t.entities.clear();
    for (const auto& name : splitList(r.get("on")))
      for (const auto& g : m_groups)
        if (g.name == name && g.dim == Dim::Edge) t.entities = g.entities;
    if (!t.entities.empty()) m_out.turns.push_back(t);
  }

  void divide(const Rule& r) {
    checkNames(r.get("on"));
    EdgeDivision d;
    d.divisions = static_cast<int>(slotNumber(r, "count", m_part.unit));
    d.length = length(r, "length");
    if (d.divisions <= 0 && d.length <= 0) d.more = static_cast<int>(slotNumber(r, "more", m_part.unit));
    d.ratio = slotNumber(r, "ratio", m_part.unit);
    d.rule = m_rule;
    for (const auto& w : splitList(r.get("finest"))) {
      const auto x = finestPlace(w);
      if (!x) {
        warn("rule.value", "'" + w + "' is no place on an edge", "",
             "write start, middle, end, or a share of the length between 0 and 1");
        continue;
      }
      d.finest.push_back(*x);
    }
    if (d.ratio > 1 && d.finest.empty()) d.finest = {0};
    if (std::string like = r.get("like"); !like.empty()) {
      checkNames(like);
      d.like = targetEntities(like, Dim::Edge, m_part, m_groups);
    }
    if (d.divisions <= 0 && d.length <= 0 && d.more == 0 && d.like.empty()) {
      warn("rule.incomplete", "it does not say how to divide", "neither a count, a length nor edges to copy are given",
           "give one of count, length, more or like");
      return;
    }
    for (int e : targetEntities(r.get("on"), Dim::Edge, m_part, m_groups)) {
      auto [it, fresh] = m_divided.emplace(e, m_rule);
      if (!fresh) {
        if (it->second == m_rule) continue;
        warn("rule.conflict", "edge " + std::to_string(e + 1) + " is divided exactly by two rules",
             "rule " + std::to_string(it->second + 1) + " divides it as well; the first one holds",
             "take the edge out of one of the two groups");
        continue;
      }
      if (std::find(d.like.begin(), d.like.end(), e) != d.like.end()) continue;
      m_out.divisions.push_back({e, d});
      m_out.overall.bridging.keepEdge[static_cast<std::size_t>(e)] = 1;
    }
  }

  /// What an `ignore` rule may touch: all, or what its `inside` names.
  struct Inside {
    std::vector<char> faces;                 ///< those that it names, alone or with their bodies
    std::array<std::vector<char>, 2> picked; ///< points and edges of groups that it names; empty: of none
    std::set<std::string> named;             ///< those groups
  };
  Inside insideOf(const Rule& r) {
    Inside in;
    in.faces.assign(m_part.faces.size(), 1);
    const std::string where = r.get("inside");
    if (where.empty()) return in;
    checkNames(where);
    const auto names = splitList(where);
    for (const auto& g : m_groups) {
      if (g.dim > Dim::Edge || std::find(names.begin(), names.end(), g.name) == names.end()) continue;
      in.named.insert(g.name);
      auto& picked = in.picked[static_cast<std::size_t>(g.dim)];
      picked.resize(static_cast<std::size_t>(m_part.count(g.dim)), 0);
      for (int e : g.entities) picked[static_cast<std::size_t>(e)] = 1;
    }
    const auto faces = targetEntities(where, Dim::Face, m_part, m_groups);
    in.faces.assign(m_part.faces.size(), 0);
    for (int f : faces) in.faces[static_cast<std::size_t>(f)] = 1;
    return in;
  }
  /// Edges whose nodes a rule for divisions sets.
  std::vector<char> dividedEdges() const {
    std::vector<char> r(m_part.edges.size(), 0);
    for (const auto& [edge, rule] : m_divided) r[static_cast<std::size_t>(edge)] = 1;
    for (const auto& [edge, division] : m_out.divisions)
      for (int e : division.like) r[static_cast<std::size_t>(e)] = 1;
    return r;
  }

  /// After all other rules: what they name is followed.
  void ignoreEdges(const Rule& r) {
    const double angle = slotNumber(r, "angle", m_part.unit) * kPi / 180;
    const double shorter = length(r, "shorter");
    const Inside in = insideOf(r);
    // Faces of different groups have an edge between groups between them.
    std::vector<std::vector<std::size_t>> member(m_part.faces.size());
    std::vector<char> keep = dividedEdges();
    for (std::size_t g = 0; g < m_groups.size(); ++g)
      for (int e : m_groups[g].entities) {
        if (m_groups[g].dim == Dim::Face) member[static_cast<std::size_t>(e)].push_back(g);
        if (m_groups[g].dim == Dim::Edge && !in.named.count(m_groups[g].name)) keep[static_cast<std::size_t>(e)] = 1;
      }
    auto& out = m_out.overall.bridging.ignoreEdge;
    out.resize(m_part.edges.size(), 0);
    const auto& picked = in.picked[static_cast<std::size_t>(Dim::Edge)];
    bool any = false;
    for (std::size_t e = 0; e < m_part.edges.size(); ++e) {
      const PartEdge& edge = m_part.edges[e];
      if (keep[e] || edge.faces.size() != 2 || (shorter > 0 && edge.length > shorter)) continue;
      const auto a = static_cast<std::size_t>(edge.faces[0]), b = static_cast<std::size_t>(edge.faces[1]);
      if (!(in.faces[a] && in.faces[b]) && !(e < picked.size() && picked[e])) continue;
      if (member[a] != member[b] || m_part.faces[a].bodies != m_part.faces[b].bodies) continue;
      // Normals of a smooth join differ by rounding.
      if (joinAngle(m_part, static_cast<int>(e)) > angle + 1e-6) continue;
      out[e] = 1;
      any = true;
    }
    if (!any)
      warn("ignore.none", "no edge can be ignored by this rule",
           "all edges join their faces at a larger angle, are longer, lie between groups or bodies, or carry rules",
           "raise the angle or the length, or leave the rule out");
  }

  /// A point of a group needs an edge that is followed, or no node would come to stand there.
  void followNamedPoints() {
    auto& out = m_out.overall.bridging.ignoreEdge;
    if (out.empty()) return;
    for (const auto& g : m_groups)
      for (int p : g.entities) {
        if (g.dim != Dim::Point) continue;
        std::vector<std::size_t> edges;
        bool followed = false;
        for (std::size_t e = 0; e < m_part.edges.size(); ++e)
          if (m_part.edges[e].points[0] == p || m_part.edges[e].points[1] == p) {
            edges.push_back(e);
            followed = followed || !out[e];
          }
        if (!followed)
          for (auto e : edges) out[e] = 0;
      }
  }

  /// Points between two edges that are followed, when those turn little there. Edges of which one alone is in a group
  /// or has a division keep the point between them.
  void ignorePoints(const Rule& r) {
    const double angle = slotNumber(r, "angle", m_part.unit) * kPi / 180;
    const double shorter = length(r, "shorter");
    const Inside in = insideOf(r);
    const std::vector<char> divided = dividedEdges();
    std::vector<std::vector<std::size_t>> member(m_part.edges.size());
    std::vector<char> keep(m_part.points.size(), 0);
    for (std::size_t g = 0; g < m_groups.size(); ++g)
      for (int e : m_groups[g].entities) {
        if (m_groups[g].dim == Dim::Edge) member[static_cast<std::size_t>(e)].push_back(g);
        if (m_groups[g].dim == Dim::Point && !in.named.count(m_groups[g].name)) keep[static_cast<std::size_t>(e)] = 1;
      }
    std::vector<std::vector<int>> at(m_part.points.size());
    for (std::size_t e = 0; e < m_part.edges.size(); ++e)
      if (!m_out.overall.bridging.ignores(static_cast<int>(e)))
        for (int p : m_part.edges[e].points)
          if (p >= 0) at[static_cast<std::size_t>(p)].push_back(static_cast<int>(e));
    auto& out = m_out.overall.bridging.ignorePoint;
    out.resize(m_part.points.size(), 0);
    bool any = false;
    for (std::size_t p = 0; p < out.size(); ++p) {
      if (keep[p] || at[p].size() != 2 || at[p][0] == at[p][1]) continue;
      const auto a = static_cast<std::size_t>(at[p][0]), b = static_cast<std::size_t>(at[p][1]);
      if (divided[a] || divided[b] || member[a] != member[b]) continue;
      if (shorter > 0 && std::min(m_part.edges[a].length, m_part.edges[b].length) > shorter) continue;
      auto within = [&](std::size_t e) {
        const auto& f = m_part.edges[e].faces;
        const auto& picked = in.picked[static_cast<std::size_t>(Dim::Edge)];
        return (e < picked.size() && picked[e]) ||
               std::all_of(f.begin(), f.end(), [&](int k) { return in.faces[static_cast<std::size_t>(k)] != 0; });
      };
      const auto& picked = in.picked[static_cast<std::size_t>(Dim::Point)];
      if (!(p < picked.size() && picked[p]) && !(within(a) && within(b))) continue;
      if (turnAt(m_part, static_cast<int>(p), at[p][0], at[p][1]) > angle + 1e-6) continue;
      out[p] = 1;
      any = true;
    }
    if (!any)
      warn(
          "ignore.none", "no point can be ignored by this rule",
          "edges turn more there, are longer, end at more than two edges, or one of the two is in a group or carries a "
          "rule",
          "raise the angle or the length, or leave the rule out");
  }

  void zone(const Rule& r) {
    double h = length(r, "length");
    if (h <= 0) return;
    static const std::map<std::string, Zone::Kind> kinds{{"box", Zone::Kind::Box},
                                                         {"sphere", Zone::Kind::Sphere},
                                                         {"cylinder", Zone::Kind::Cylinder},
                                                         {"cone", Zone::Kind::Cone}};
    Zone z;
    z.kind = kinds.at(r.get("shape"));
    auto from = parsePoints(r.get("from"), m_part.unit), to = parsePoints(r.get("to"), m_part.unit);
    if (!from || from->empty()) return;
    z.a = from->front();
    bool axis = z.kind == Zone::Kind::Cylinder || z.kind == Zone::Kind::Cone;
    if (z.kind != Zone::Kind::Sphere) {
      if (!to || to->empty()) {
        warn("rule.incomplete", "the region has no second point", "'to' is missing",
             "give the opposite corner, or the end of the axis");
        return;
      }
      z.b = to->front();
    }
    z.radius = slotNumber(r, "radius", m_part.unit);
    z.radiusEnd = slotNumber(r, "radius_end", m_part.unit);
    if ((axis || z.kind == Zone::Kind::Sphere) && z.radius <= 0 && z.radiusEnd <= 0) {
      warn("rule.incomplete", "the region has no radius", "'radius' is missing", "give a radius");
      return;
    }
    Box where = z.box();
    if (!where.overlaps(m_part.box))
      warn("rule.touches-nothing", "the region lies outside the part",
           "it reaches from " + formatPoint(where.lo) + " to " + formatPoint(where.hi) + " " + m_part.unit,
           "move the region, or check the unit");
    m_out.zones.push_back({z, h, m_rule});
  }

  void field(const Rule& r) {
    auto read = readVtuArray(m_brief.resolve(r.get("path")), r.get("array"), m_progress);
    if (!read) {
      Problem p = read.problem();
      p.severity = Severity::Error;
      p.fault = Fault::Input;
      m_problems.push_back(p);
      return;
    }
    double factor = slotNumber(r, "factor", m_part.unit), order = slotNumber(r, "order", m_part.unit);
    SampledSize s;
    s.rule = m_rule;
    s.budget = slotNumber(r, "budget", m_part.unit);
    s.at = read->center;
    s.radius = read->radius;
    s.size = read->value;
    std::size_t bad = 0;
    if (r.get("meaning") == "error") {
      // An element of size h has the squared error e^2 ~ h^(2p + 3); elements of size g inside it have
      // e^2 (g / h)^(2p + 3) each. Equal errors everywhere mean g = c h e^(-2 / (2p + 3)).
      double power = 2 / (2 * order + 3);
      std::vector<double> positive;
      for (double e : s.size)
        if (e > 0 && std::isfinite(e)) positive.push_back(e);
      double typical = 1;
      if (!positive.empty()) {
        std::nth_element(positive.begin(), positive.begin() + static_cast<std::ptrdiff_t>(positive.size() / 2),
                         positive.end());
        typical = positive[positive.size() / 2];
      }
      for (std::size_t i = 0; i < s.size.size(); ++i) {
        double e = s.size[i];
        if (!(e >= 0) || !std::isfinite(e)) ++bad;
        // An element without error may still not grow beyond eight times its size in one pass.
        s.size[i] = read->edge[i] * std::min(8.0, e > 0 ? std::pow(e / typical, -power) : 8.0);
      }
    } else
      for (double h : s.size) bad += !(h > 0) || !std::isfinite(h);
    if (bad) {
      Problem p;
      p.code = "field.values";
      p.what = std::to_string(bad) + " values of '" + r.get("array") + "' are no " +
               (r.get("meaning") == "error" ? "errors" : "sizes");
      p.where = r.get("path");
      p.why = "they are negative, zero or not numbers";
      p.todo = "check the array, and what it is said to hold";
      m_problems.push_back(p);
      return;
    }
    for (double& h : s.size) h *= factor;
    m_out.sampled.push_back(std::move(s));
  }
};

} // namespace

SizeRequest sizeRequestOf(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
                          std::vector<Problem>& problems, const Progress* progress) {
  const Brief plain = settled(brief, &part);
  return Reader(plain, part, groups, problems, progress).read();
}

EdgeDivisions divisionsOf(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups) {
  Brief only = settled(brief, &part);
  for (auto& r : only.rules) r.off = r.off || r.kind != "divide"; // the others keep their numbers
  std::vector<Problem> unheard;
  return EdgeDivisions(Reader(only, part, groups, unheard, nullptr).read().divisions);
}

SizeField briefSizeField(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
                         std::vector<Problem>& problems, const Progress* progress) {
  return makeSizeField(part, sizeRequestOf(brief, part, groups, problems, progress), progress);
}

} // namespace tess
