// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/groups.h"
#include "base/units.h"
#include "job/cuts.h"
#include "job/values.h"
#include <cmath>
#include <set>

namespace tess {

double distanceToEntity(const Part& part, Dim d, int e, const Vec3& p) {
  switch (d) {
  case Dim::Point:
    return (part.points[static_cast<std::size_t>(e)].at - p).norm();
  case Dim::Edge:
    return (part.shape->projectToEdge(e, p).point - p).norm();
  default:
    break;
  }
  double best = 1e300;
  const auto& t = part.display;
  for (std::size_t i = 0; i < t.triangles.size(); ++i) {
    int f = t.triangleFace[i];
    const auto& b = part.faces[static_cast<std::size_t>(f)].bodies;
    if (d == Dim::Face ? f != e : b[0] != e && b[1] != e) continue;
    const Vec3 &a = t.points[static_cast<std::size_t>(t.triangles[i][0])],
               &c = t.points[static_cast<std::size_t>(t.triangles[i][1])],
               &g = t.points[static_cast<std::size_t>(t.triangles[i][2])];
    Vec3 w = closestOnTriangle(p, a, c, g);
    best = std::min(best, (w[0] * a + w[1] * c + w[2] * g - p).norm());
  }
  return best;
}

namespace {

Box boxOf(const Part& part, Dim d, int e) {
  Box b;
  switch (d) {
  case Dim::Point:
    b.add(part.points[static_cast<std::size_t>(e)].at);
    break;
  case Dim::Edge:
    for (int v : part.display.edgeChain[static_cast<std::size_t>(e)])
      b.add(part.display.points[static_cast<std::size_t>(v)]);
    break;
  case Dim::Face:
    return part.faces[static_cast<std::size_t>(e)].box;
  case Dim::Body:
    return part.bodies[static_cast<std::size_t>(e)].box;
  }
  return b;
}

/// Faces reached from `start` over edges at which the normals differ by at most `angleDeg`.
std::set<int> spread(const Part& part, int start, double angleDeg) {
  std::set<int> seen{start};
  std::vector<int> todo{start};
  double limit = std::cos(angleDeg * kPi / 180) - 1e-9;
  while (!todo.empty()) {
    int f = todo.back();
    todo.pop_back();
    for (int e : part.faces[static_cast<std::size_t>(f)].edges) {
      const PartEdge& pe = part.edges[static_cast<std::size_t>(e)];
      Vec3 p = part.shape->edgePoint(e, 0.5 * (pe.t0 + pe.t1));
      Vec3 n = part.shape->projectToFace(f, p).normal;
      for (int o : pe.faces)
        if (!seen.count(o) && n.dot(part.shape->projectToFace(o, p).normal) >= limit) {
          seen.insert(o);
          todo.push_back(o);
        }
    }
  }
  return seen;
}

class Resolver {
public:
  Resolver(const Brief& b, const Part& p, std::vector<Problem>& problems)
      : m_brief(b), m_part(p), m_problems(problems) {}

  /// What the rule means; on a part that is cut first on the whole one.
  ResolvedGroup resolve(std::size_t index) {
    const Rule& r = m_brief.rules[index];
    if (!m_part.whole || r.get("as") == "cut" || tellsOfPieces(m_brief, r)) return onThis(index);
    std::vector<Problem> said;
    ResolvedGroup g = Resolver(m_brief, *m_part.whole, said).onThis(index);
    if (g.entities.empty() && r.get("as") != "whole") {
      ResolvedGroup here = onThis(index);
      if (!here.entities.empty()) return here;
    }
    m_problems.insert(m_problems.end(), said.begin(), said.end());
    const std::set<int> meant(g.entities.begin(), g.entities.end());
    std::vector<int> all;
    for (int e = 0; e < m_part.count(g.dim); ++e) {
      const auto i = static_cast<std::size_t>(e);
      const int from = g.dim == Dim::Face   ? m_part.faces[i].from
                       : g.dim == Dim::Edge ? m_part.edges[i].from
                       : g.dim == Dim::Body ? m_part.bodies[i].from
                                            : m_part.points[i].from;
      if (from >= 0 && meant.count(from)) all.push_back(e);
    }
    g.leftAway = all.empty() && !meant.empty();
    g.entities = std::move(all);
    return g;
  }
  ResolvedGroup onThis(std::size_t index) {
    const Rule& r = m_brief.rules[index];
    ResolvedGroup g;
    g.name = r.get("name");
    g.rule = static_cast<int>(index);
    std::string of = r.get("of");
    g.dim = of == "edges" ? Dim::Edge : of == "points" ? Dim::Point : of == "bodies" ? Dim::Body : Dim::Face;
    if (m_active.count(g.name)) {
      problem("group.circle", "group '" + g.name + "' is described by itself", index, "break the circle");
      return g;
    }
    m_active.insert(g.name);
    std::vector<int> c;
    for (int e = 0; e < m_part.count(g.dim); ++e)
      if (g.dim != Dim::Point || !m_part.points[static_cast<std::size_t>(e)].hidden) c.push_back(e);
    auto keep = [&](auto&& test) {
      c.erase(std::remove_if(c.begin(), c.end(), [&](int e) { return !test(e); }), c.end());
    };
    auto set = [&](const char* key) { return !r.get(key).empty() && r.values.count(key) && !r.values.at(key).empty(); };
    const std::string& unit = m_part.unit;
    auto face = [&](int e) -> const PartFace& { return m_part.faces[static_cast<std::size_t>(e)]; };
    bool faces = g.dim == Dim::Face;
    if (faces) sides(r, c, g);
    if (set("cad_name")) {
      std::string n = r.get("cad_name");
      auto named = [&](const std::string& x) { return matchesName(n, x); };
      keep([&](int e) {
        if (g.dim == Dim::Body) {
          const PartBody& body = m_part.bodies[static_cast<std::size_t>(e)];
          return named(body.name) || named(body.wholeName());
        }
        return faces &&
               (named(face(e).name) || std::any_of(face(e).furtherNames.begin(), face(e).furtherNames.end(), named));
      });
    }
    if (set("colour")) {
      unsigned rgb = static_cast<unsigned>(std::strtoul(r.get("colour").c_str() + 1, nullptr, 16));
      keep([&](int e) {
        auto col = faces                ? face(e).color
                   : g.dim == Dim::Body ? m_part.bodies[static_cast<std::size_t>(e)].color
                                        : std::optional<Color>();
        if (!col) return false;
        for (int k = 0; k < 3; ++k)
          if (std::abs((*col)[static_cast<std::size_t>(k)] * 255 - static_cast<double>(rgb >> (16 - 8 * k) & 255)) > 6)
            return false;
        return true;
      });
    }
    if (set("surface")) keep([&](int e) { return faces && r.get("surface") == surfaceKindName(face(e).kind); });
    if (set("radius_min"))
      keep([&](int e) { return faces && face(e).radius >= slotNumber(r, "radius_min", unit) * (1 - 1e-6); });
    if (set("radius_max"))
      keep([&](int e) {
        return faces && face(e).radius > 0 && face(e).radius <= slotNumber(r, "radius_max", unit) * (1 + 1e-6);
      });
    if (set("area_min"))
      keep([&](int e) { return faces && face(e).area >= slotNumber(r, "area_min", unit) * (1 - 1e-6); });
    if (set("area_max"))
      keep([&](int e) { return faces && face(e).area <= slotNumber(r, "area_max", unit) * (1 + 1e-6); });
    auto points = [&](const char* key) {
      auto p = parsePoints(r.get(key), unit);
      return p ? *p : std::vector<Vec3>();
    };
    if (set("normal") && !points("normal").empty()) {
      Vec3 n = points("normal")[0].normalized();
      double limit = std::cos(slotNumber(r, "normal_angle", unit) * kPi / 180);
      keep([&](int e) {
        if (!faces || face(e).axis.norm() == 0) return false;
        double d = face(e).axis.normalized().dot(n);
        return (face(e).kind == SurfaceKind::Plane ? d : std::abs(d)) >= limit;
      });
    }
    if (set("outermost") && !points("outermost").empty()) {
      Vec3 n = points("outermost")[0].normalized();
      auto looks = [&](int e) {
        const auto& x = face(e);
        Vec3 out = x.bodies[0] >= 0 ? x.axis : Vec3(-x.axis);
        return faces && x.kind == SurfaceKind::Plane && out.normalized().dot(n) > 0.9998; // 1.1 degrees
      };
      double furthest = -1e300;
      for (int e : c)
        if (looks(e)) furthest = std::max(furthest, face(e).center.dot(n));
      keep([&](int e) { return looks(e) && face(e).center.dot(n) > furthest - 1e-3 * m_part.diagonal(); });
    }
    if (set("box_min") && set("box_max") && !points("box_min").empty() && !points("box_max").empty()) {
      Box b;
      b.add(points("box_min")[0]);
      b.add(points("box_max")[0]);
      b.grow(1e-6 * m_part.diagonal());
      keep([&](int e) {
        Box x = boxOf(m_part, g.dim, e);
        return b.contains(x.lo) && b.contains(x.hi);
      });
    }
    if (set("spread_from") && faces) {
      std::set<int> all;
      for (const Vec3& p : points("spread_from")) {
        auto s = spread(m_part, nearest(Dim::Face, p), slotNumber(r, "spread_angle", unit));
        all.insert(s.begin(), s.end());
      }
      keep([&](int e) { return all.count(e) > 0; });
    }
    if (set("made_by")) {
      std::set<int> cuts;
      for (const auto& n : splitList(r.get("made_by"))) {
        const std::size_t before = cuts.size();
        for (int k = 0; ruleOfCut(m_brief, k) >= 0; ++k)
          if (n == "cut " + std::to_string(k + 1) || n == faceNameOfCut(m_brief, k)) cuts.insert(k);
        if (cuts.size() == before)
          problem("group.no-cut", "group '" + g.name + "' is of '" + n + "', which is no cut", index,
                  "write 'cut 1' for the first cut, or the name of its faces");
      }
      keep([&](int e) {
        const auto i = static_cast<std::size_t>(e);
        return cuts.count(g.dim == Dim::Face ? m_part.faces[i].cut : g.dim == Dim::Edge ? m_part.edges[i].cut : -1) > 0;
      });
    }
    if (set("piece")) {
      const auto names = splitList(r.get("piece"));
      auto wanted = [&](int b) {
        return b >= 0 && std::any_of(names.begin(), names.end(), [&](const auto& n) {
                 return matchesName(n, m_part.bodies[static_cast<std::size_t>(b)].name);
               });
      };
      auto ofFace = [&](int f) { return wanted(face(f).bodies[0]) || wanted(face(f).bodies[1]); };
      auto ofEdge = [&](int e) {
        const auto& on = m_part.edges[static_cast<std::size_t>(e)].faces;
        return std::any_of(on.begin(), on.end(), ofFace);
      };
      std::set<int> ends;
      if (g.dim == Dim::Point)
        for (int e = 0; e < m_part.count(Dim::Edge); ++e)
          if (ofEdge(e))
            for (int p : m_part.edges[static_cast<std::size_t>(e)].points) ends.insert(p);
      keep([&](int e) {
        return g.dim == Dim::Body   ? wanted(e)
               : g.dim == Dim::Face ? ofFace(e)
               : g.dim == Dim::Edge ? ofEdge(e)
                                    : ends.count(e) > 0;
      });
    }
    if (set("any_of")) {
      std::set<int> all;
      for (const auto& n : splitList(r.get("any_of"))) {
        auto x = named(n, g.dim, index);
        all.insert(x.begin(), x.end());
      }
      keep([&](int e) { return all.count(e) > 0; });
    }
    if (set("all_of"))
      for (const auto& n : splitList(r.get("all_of"))) {
        auto x = named(n, g.dim, index);
        keep([&](int e) { return std::binary_search(x.begin(), x.end(), e); });
      }
    if (set("except"))
      for (const auto& n : splitList(r.get("except"))) {
        auto x = named(n, g.dim, index);
        keep([&](int e) { return !std::binary_search(x.begin(), x.end(), e); });
      }
    if (set("nearest")) {
      std::set<int> all;
      for (const Vec3& p : points("nearest")) {
        int best = -1;
        double d = 1e300;
        for (int e : c)
          if (boxOf(m_part, g.dim, e).distance2(p) < d * d || best < 0) {
            double x = distanceToEntity(m_part, g.dim, e, p);
            if (x < d) d = x, best = e;
          }
        if (best >= 0) all.insert(best);
      }
      c.assign(all.begin(), all.end());
    }
    m_active.erase(g.name);
    g.entities = c;
    return g;
  }

private:
  const Brief& m_brief;
  const Part& m_part;
  std::vector<Problem>& m_problems;
  std::set<std::string> m_active;

  bool between(int face) const {
    const auto& b = m_part.faces[static_cast<std::size_t>(face)].bodies;
    return b[0] >= 0 && b[1] >= 0;
  }
  /// Leaves out faces between bodies, or outer ones, as the rule says. What only describes a shape means outer faces: a
  /// pressure on faces between bodies would load the inside.
  void sides(const Rule& r, std::vector<int>& c, ResolvedGroup& g) {
    if (m_part.bodies.size() < 2) return;
    std::string want = r.get("between");
    const bool told = std::any_of(std::begin(kTelling), std::end(kTelling), [&](auto k) { return !r.get(k).empty(); });
    if (want.empty() && !told) {
      want = "not";
      // Spreading from a face between bodies means these.
      auto from = parsePoints(r.get("spread_from"), m_part.unit);
      if (from && !from->empty() && between(nearest(Dim::Face, from->front()))) want = "only";
      g.outerByDefault = want == "not";
    }
    if (want.empty() || want == "also") return;
    std::erase_if(c, [&](int f) { return between(f) == (want == "not"); });
  }
  /// Slots that name faces instead of describing them.
  static constexpr const char* kTelling[] = {"cad_name", "colour", "nearest", "any_of", "all_of", "made_by"};

  void problem(const char* code, const std::string& what, std::size_t rule, const std::string& todo) {
    Problem p;
    p.severity = Severity::Warning;
    p.code = code;
    p.what = what;
    p.where = "rule " + std::to_string(rule + 1);
    p.todo = todo;
    m_problems.push_back(p);
  }
  int nearest(Dim d, const Vec3& p) const {
    int best = 0;
    double x = 1e300;
    for (int e = 0; e < m_part.count(d); ++e) {
      double y = distanceToEntity(m_part, d, e, p);
      if (y < x) x = y, best = e;
    }
    return best;
  }
  std::vector<int> named(const std::string& name, Dim dim, std::size_t from) {
    for (std::size_t i = 0; i < m_brief.rules.size(); ++i) {
      const Rule& r = m_brief.rules[i];
      if (r.kind != "group" || r.off || r.get("name") != name) continue;
      auto g = resolve(i);
      if (g.dim == dim) return g.entities;
    }
    problem("group.unknown", "there is no group '" + name + "' of this kind", from, "check the name");
    return {};
  }
};

} // namespace

bool tellsOfPieces(const Brief& brief, const Rule& group) {
  std::set<std::string> seen;
  auto tells = [&](auto&& self, const Rule& r) -> bool {
    if (!r.get("made_by").empty() || !r.get("piece").empty()) return true;
    for (const char* key : {"any_of", "all_of", "except"})
      for (const auto& n : splitList(r.get(key))) {
        if (!seen.insert(n).second) continue;
        for (const Rule& x : brief.rules)
          if (x.kind == "group" && !x.off && x.get("name") == n && (x.get("as") == "cut" || self(self, x))) return true;
      }
    return false;
  };
  return tells(tells, group);
}

std::string roleOf(const Rule& rule) {
  if (!isCut(rule.kind)) return rule.get("role");
  return rule.get("keep") == "ahead" || rule.get("keep") == "behind" ? "symmetry" : "";
}

std::vector<ResolvedGroup> resolveGroups(const Brief& asWritten, const Part& part, std::vector<Problem>& problems) {
  const Brief brief = settled(asWritten, &part);
  std::vector<ResolvedGroup> r;
  Resolver resolver(brief, part, problems);
  for (std::size_t i = 0; i < brief.rules.size(); ++i) {
    if (brief.rules[i].kind != "group" || brief.rules[i].off) continue;
    r.push_back(resolver.resolve(i));
    if (!r.back().entities.empty()) continue;
    Problem p;
    p.severity = Severity::Warning;
    p.code = "group.empty";
    p.what = "group '" + r.back().name + "' matches nothing";
    p.where = "rule " + std::to_string(i + 1);
    p.why = "no entity of the part fits: " + sentenceOf(brief.rules[i]);
    p.todo = "change its description, or remove it";
    if (r.back().leftAway) {
      p.severity = Severity::Note;
      p.why = "what it describes lies where cuts leave nothing, or consists of lines that they removed";
      p.todo = "none, if the rest of the part needs no such group";
    }
    if (r.back().outerByDefault) {
      Brief also = brief;
      also.rules[i].values["between"] = "only";
      std::vector<Problem> none;
      if (const auto inner = Resolver(also, part, none).resolve(i).entities; !inner.empty()) {
        p.why = "only faces between bodies fit (" + std::to_string(inner.size()) + "), and such a description means " +
                "outer ones";
        p.todo = "say that faces between bodies are wanted: between = \"only\"";
      }
    }
    problems.push_back(p);
  }
  // Faces of cuts that have a name, unless a card of that name says more.
  for (std::size_t k = 0; k < part.half.size(); ++k) {
    ResolvedGroup g;
    g.name = faceNameOfCut(brief, static_cast<int>(k));
    g.rule = ruleOfCut(brief, static_cast<int>(k));
    if (g.name.empty() || std::any_of(r.begin(), r.end(), [&](const auto& x) { return x.name == g.name; })) continue;
    for (std::size_t f = 0; f < part.faces.size(); ++f)
      if (part.faces[f].cut == static_cast<int>(k)) g.entities.push_back(static_cast<int>(f));
    if (!g.entities.empty()) r.push_back(std::move(g));
  }
  return r;
}

Vec3 typicalPoint(const Part& part, Dim dim, int e) {
  switch (dim) {
  case Dim::Point:
    return part.points[static_cast<std::size_t>(e)].at;
  case Dim::Edge: {
    const auto& pe = part.edges[static_cast<std::size_t>(e)];
    return part.shape->edgePoint(e, 0.5 * (pe.t0 + pe.t1));
  }
  case Dim::Face: {
    // The middle of the face's largest display triangle lies on the face, which its centre of area need not.
    const auto& t = part.display;
    double best = -1;
    Vec3 p = part.faces[static_cast<std::size_t>(e)].center;
    for (std::size_t i = 0; i < t.triangles.size(); ++i) {
      if (t.triangleFace[i] != e) continue;
      const Vec3 &a = t.points[static_cast<std::size_t>(t.triangles[i][0])],
                 &b = t.points[static_cast<std::size_t>(t.triangles[i][1])],
                 &c = t.points[static_cast<std::size_t>(t.triangles[i][2])];
      double area = triangleArea(a, b, c);
      if (area > best) best = area, p = (a + b + c) / 3;
    }
    return part.shape->projectToFace(e, p).point;
  }
  case Dim::Body:
    return part.bodies[static_cast<std::size_t>(e)].box.center();
  }
  return Vec3::Zero();
}

Rule describeSelection(const Part& part, Dim dim, const std::vector<int>& entities, const std::string& name) {
  Rule r;
  r.kind = "group";
  r.values["name"] = name;
  r.values["of"] = dim == Dim::Edge ? "edges" : dim == Dim::Point ? "points" : dim == Dim::Body ? "bodies" : "faces";
  std::string at;
  if (dim == Dim::Body) { // bodies have names
    Rule b = r;
    bool plain =
        entities.size() == 1 && part.bodies[static_cast<std::size_t>(entities[0])].name.find('*') == std::string::npos;
    if (plain) {
      b.values["cad_name"] = part.bodies[static_cast<std::size_t>(entities[0])].name;
      return b;
    }
  }
  for (int e : entities) {
    Vec3 p = dim == Dim::Body ? typicalPoint(part, Dim::Face, part.bodies[static_cast<std::size_t>(e)].faces.front())
                              : typicalPoint(part, dim, e);
    at += (at.empty() ? "" : "; ") + formatPoint(p);
  }
  r.values["nearest"] = at;
  if (!part.whole || dim == Dim::Body) return r;
  // Where the same points mean more, or another thing, on the part before the cuts, pieces are meant.
  Brief alone;
  alone.rules.push_back(r);
  std::vector<Problem> ignored;
  auto meant = entities;
  std::sort(meant.begin(), meant.end());
  if (resolveGroups(alone, part, ignored).front().entities != meant) r.values["as"] = "cut";
  return r;
}

std::vector<int> unassignedFaces(const Part& part, const std::vector<ResolvedGroup>& groups) {
  std::vector<char> in(part.faces.size(), 0);
  for (const auto& g : groups)
    if (g.dim == Dim::Face)
      for (int f : g.entities) in[static_cast<std::size_t>(f)] = 1;
  std::vector<int> r;
  for (std::size_t f = 0; f < in.size(); ++f)
    if (!in[f] && (part.faces[f].bodies[0] < 0 || part.faces[f].bodies[1] < 0)) r.push_back(static_cast<int>(f));
  return r;
}

} // namespace tess
