// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/cuts.h"
#include "base/units.h"
#include "geometry/edge_angles.h"
#include "job/groups.h"
#include "job/text.h"
#include "job/values.h"
#include <cmath>
#include <map>
#include <set>

namespace tess {

bool isSpace(const std::string& kind) { return kind == "space" || kind == "cap"; }

bool isCut(const std::string& kind) {
  return kind == "cut" || kind == "cut_along" || kind == "cut_core" || kind == "cut_sheet" || isSpace(kind);
}

int ruleOfCut(const Brief& brief, int k) {
  for (std::size_t i = 0; i < brief.rules.size(); ++i)
    if (isCut(brief.rules[i].kind) && !brief.rules[i].off && k-- == 0) return static_cast<int>(i);
  return -1;
}

int cutOfRule(const Brief& brief, int rule) {
  if (rule < 0 || !isCut(brief.rules[static_cast<std::size_t>(rule)].kind) ||
      brief.rules[static_cast<std::size_t>(rule)].off)
    return -1;
  int k = 0;
  for (int i = 0; i < rule; ++i)
    k += isCut(brief.rules[static_cast<std::size_t>(i)].kind) && !brief.rules[static_cast<std::size_t>(i)].off;
  return k;
}

namespace {

constexpr const char* kNamesInCuts[] = {"what", "on", "square_to"};
constexpr const char* kNamesInGroups[] = {"any_of", "all_of", "except"};

/// Only what decides which entities are meant.
Rule bare(const Rule& rule) {
  Rule r{rule.kind, rule.values, "", false, {}};
  for (const char* key : {"role", "medium", "material", "name"})
    if (rule.kind != "value" && (std::string(key) != "name" || (isCut(rule.kind) && !isSpace(rule.kind))))
      r.values.erase(key);
  return r;
}

bool mentions(const Rule& rule, const std::string& word) {
  for (const auto& [key, text] : rule.values)
    for (std::size_t at = text.find(word); at != std::string::npos; at = text.find(word, at + 1)) {
      auto letter = [&](std::size_t i) {
        return i < text.size() && (std::isalnum(static_cast<unsigned char>(text[i])) || text[i] == '_');
      };
      if (!(at > 0 && letter(at - 1)) && !letter(at + word.size())) return true;
    }
  return false;
}

class CutReader {
public:
  CutReader(const std::vector<Rule>& rules, const std::string& folder, const Part& whole,
            std::vector<Problem>& problems)
      : m_whole(whole), m_problems(problems) {
    m_written.rules = rules;
    m_written.path = folder.empty() ? "" : folder + "/a";
    m_brief = settled(m_written, &whole);
    std::vector<Problem> ignored; // said of the groups' own cards
    for (const auto& r : rules) m_grouped = m_grouped || r.kind == "group";
    if (m_grouped) m_groups = resolveGroups(m_written, whole, ignored);
  }
  std::vector<Cut> all() {
    std::vector<Cut> r;
    for (const Rule& rule : m_brief.rules) {
      if (!isCut(rule.kind)) continue;
      m_number = static_cast<int>(r.size());
      r.push_back(one(rule));
    }
    return r;
  }

private:
  const Part& m_whole;
  std::vector<Problem>& m_problems;
  Brief m_written, m_brief;
  std::vector<ResolvedGroup> m_groups;
  bool m_grouped = false;
  int m_number = 0;

  void say(const char* code, std::string what, std::string why, std::string todo) {
    if (what.rfind("a cut", 0) == 0) what = "cut " + std::to_string(m_number + 1) + what.substr(5);
    m_problems.push_back(Problem::of(code, std::move(what))
                             .as(Severity::Warning)
                             .at("cut " + std::to_string(m_number + 1))
                             .because(std::move(why))
                             .advise(std::move(todo)));
  }
  const ResolvedGroup* group(const std::string& name) const {
    for (const auto& g : m_groups)
      if (g.name == name) return &g;
    return nullptr;
  }
  std::optional<double> length(const std::string& text) {
    auto x = parseLength(text, m_whole.unit);
    if (x && std::isfinite(*x)) return *x;
    say("cut.value", "'" + text + "' is no distance", "a cut goes on by lengths", "write for example 10 mm");
    return {};
  }
  /// Names of bodies as they are, those of groups as their bodies' names.
  std::optional<std::vector<std::string>> bodies(const Rule& rule) {
    std::vector<std::string> r;
    if (rule.get("what") == "everything") return r;
    for (const auto& name : splitList(rule.get("what"))) {
      const ResolvedGroup* g = group(name);
      if (!g || g->dim != Dim::Body) {
        r.push_back(name);
        continue;
      }
      for (int b : g->entities) r.push_back(m_whole.bodies[static_cast<std::size_t>(b)].name);
    }
    if (!r.empty()) return r;
    say("cut.no-body", "a cut names no body of the part", "'" + rule.get("what") + "' matches nothing",
        "check the names in its card");
    return {};
  }
  /// Faces or edges of the groups of a card; nothing, and a problem, where there are none.
  std::optional<std::pair<Dim, std::vector<int>>> entities(const std::string& names) {
    std::set<int> all;
    std::optional<Dim> dim;
    for (const auto& name : splitList(names)) {
      const ResolvedGroup* g = group(name);
      if (!g) {
        say("cut.no-group", "a cut goes along '" + name + "', which is no group", "only groups can be named here",
            "check the name, or add that group");
        return {};
      }
      if ((g->dim != Dim::Face && g->dim != Dim::Edge) || (dim && *dim != g->dim)) {
        say("cut.no-group", "a cut cannot go along '" + name + "'", "it goes along faces, or along edges",
            "name a group of faces or of edges");
        return {};
      }
      dim = g->dim;
      all.insert(g->entities.begin(), g->entities.end());
    }
    if (dim && !all.empty()) return std::pair{*dim, std::vector<int>(all.begin(), all.end())};
    say("cut.no-group", "a cut goes along nothing", "the group '" + names + "' is empty on this part",
        "say in its card which faces are meant");
    return {};
  }
  /// Of the groups in `on`, or the faces nearest to the points in `at`.
  std::optional<std::pair<Dim, std::vector<int>>> where(const Rule& rule) {
    if (rule.get("at").empty()) return entities(rule.get("on"));
    auto points = parsePoints(rule.get("at"), m_whole.unit);
    if (!points || points->empty()) {
      say("cut.value", "'" + rule.get("at") + "' is no point", "a cut goes along the face nearest to it",
          "write for example (1, 2, 3)");
      return {};
    }
    std::set<int> all;
    if (!rule.get("on").empty()) {
      auto on = entities(rule.get("on"));
      if (!on) return {};
      if (on->first != Dim::Face) {
        say("cut.value", "a cut goes along edges of a group and along faces at points", "it is one or the other",
            "take one of them out");
        return {};
      }
      all.insert(on->second.begin(), on->second.end());
    }
    for (const Vec3& p : *points) {
      int best = -1;
      double d = 1e300;
      for (std::size_t f = 0; f < m_whole.faces.size(); ++f) {
        if (best >= 0 && m_whole.faces[f].box.distance2(p) >= d * d) continue;
        const double x = distanceToEntity(m_whole, Dim::Face, static_cast<int>(f), p);
        if (x < d) d = x, best = static_cast<int>(f);
      }
      all.insert(best);
    }
    return std::pair{Dim::Face, std::vector<int>(all.begin(), all.end())};
  }
  std::optional<std::vector<CutSheet>> planes(const Rule& rule) {
    CutSheet s;
    auto across = parsePoints(rule.get("across"), "mm");
    if (across && across->size() == 1 && across->front().norm() > 0) s.normal = across->front().normalized();
    if (!rule.get("at").empty()) {
      auto at = parsePoints(rule.get("at"), m_whole.unit);
      if (!at || (at->size() != 1 && at->size() != 3)) {
        say("cut.value", "a cut's place is no point", "one plane goes through one point, or through three",
            "write for example (1, 2, 3)");
        return {};
      }
      s.middle = false;
      s.at = at->front();
      if (at->size() == 3) {
        const Vec3 n = ((*at)[1] - s.at).cross((*at)[2] - s.at);
        if (!(n.norm() > 1e-9 * m_whole.diagonal() * m_whole.diagonal())) {
          say("cut.value", "a cut's three points lie on a line", "no single plane goes through them",
              "choose another third point");
          return {};
        }
        s.normal = n.normalized();
      }
    }
    if (const std::string to = rule.get("square_to"); !to.empty()) {
      auto on = entities(to);
      if (!on) return {};
      if (on->first != Dim::Edge) {
        say("cut.no-group", "a cut cannot be square to '" + to + "'", "it is square to an edge",
            "name a group of edges");
        return {};
      }
      // At the place nearest to the point given, or at the middle of the edge.
      double best = 1e300;
      CutSheet square = s;
      for (int e : on->second) {
        const PartEdge& edge = m_whole.edges[static_cast<std::size_t>(e)];
        const double t = s.middle ? 0.5 * (edge.t0 + edge.t1) : m_whole.shape->projectToEdge(e, s.at).t;
        const Vec3 p = m_whole.shape->edgePoint(e, t);
        const double d = s.middle ? 0 : (p - s.at).norm();
        if (d >= best) continue;
        best = d;
        const double dt = 1e-5 * (edge.t1 - edge.t0);
        square.at = p;
        square.middle = false;
        square.normal = (m_whole.shape->edgePoint(e, std::min(t + dt, edge.t1)) -
                         m_whole.shape->edgePoint(e, std::max(t - dt, edge.t0)))
                            .normalized();
      }
      s = square;
    }
    if (!(s.normal.norm() > 0.5)) {
      say("cut.value", "a cut has no direction", "its planes are square to one", "write for example 1, 0, 0");
      return {};
    }
    std::vector<CutSheet> r{s};
    for (const auto& text : splitList(rule.get("further"))) {
      auto d = length(text);
      if (!d) return {};
      r.push_back(s);
      r.back().by = *d;
    }
    return r;
  }
  std::optional<std::vector<CutSheet>> along(const Rule& rule) {
    auto on = where(rule);
    if (!on) return {};
    double by = 0;
    if (!rule.get("by").empty()) {
      auto d = length(rule.get("by"));
      if (!d) return {};
      by = *d;
    }
    std::vector<CutSheet> r;
    for (int e : on->second) {
      r.emplace_back();
      r.back().kind = on->first == Dim::Face ? CutSheet::Kind::Face : CutSheet::Kind::Edge;
      r.back().entity = e;
      r.back().by = by;
    }
    return r;
  }
  std::optional<std::vector<CutSheet>> cores(const Rule& rule) {
    auto on = where(rule);
    if (!on) return {};
    if (on->first != Dim::Face) {
      say("cut.no-group", "a square core stands round no edge", "it stands round the wall of a hole, or inside a shaft",
          "name a group of such faces");
      return {};
    }
    std::vector<CutSheet> r;
    for (int e : on->second) {
      r.emplace_back();
      r.back().kind = CutSheet::Kind::Core;
      r.back().entity = e;
      r.back().side = slotNumber(rule, "side", m_whole.unit);
      r.back().turn = slotNumber(rule, "turn", m_whole.unit) * kPi / 180;
    }
    return r;
  }
  std::optional<std::vector<Vec3>> places(const Rule& rule, const char* what) {
    if (rule.get("at").empty()) return std::vector<Vec3>{};
    auto points = parsePoints(rule.get("at"), m_whole.unit);
    if (points) return *points;
    say("cut.value", "'" + rule.get("at") + "' is no point", what, "write for example (1, 2, 3)");
    return {};
  }
  Cut capOf(const Rule& rule) {
    CapWish c;
    c.name = rule.get("name");
    const auto at = places(rule, "the opening nearest to it is meant");
    if (!at) return {};
    c.at = *at;
    if (!rule.get("on").empty()) {
      const auto on = entities(rule.get("on"));
      if (!on) return {};
      if (on->first != Dim::Edge) {
        say("cut.no-group", "a cap cannot close '" + rule.get("on") + "'", "a rim is made of edges",
            "name a group of edges");
        return {};
      }
      c.edges = on->second;
    }
    if (c.at.empty() && c.edges.empty())
      say("cut.value", "a cap closes nothing", "it names neither a rim nor a point",
          "give the edges of a rim, or a point near an opening");
    Cut cut;
    cut.cap = std::move(c);
    return cut;
  }
  Cut spaceOf(const Rule& rule) {
    SpaceWish w;
    w.around = rule.get("where") == "around";
    w.all = rule.get("which") == "all";
    w.hull = rule.get("hull") == "cylinder" ? SpaceWish::Hull::Cylinder
             : rule.get("hull") == "ball"   ? SpaceWish::Hull::Sphere
                                            : SpaceWish::Hull::Box;
    const std::string along = rule.get("along");
    w.backwards = !along.empty() && along.front() == '-';
    if (!along.empty()) w.along = along.back() - 'x';
    const double side = m_whole.extent.size().maxCoeff();
    auto room = [&](const char* key, double ofSide) {
      return rule.get(key).empty() ? ofSide * side : slotNumber(rule, key, m_whole.unit);
    };
    w.ahead = room("ahead", 1);
    w.behind = room("behind", 2);
    w.beside = room("beside", 1);
    for (const auto& f : splitList(rule.get("flush"))) {
      const std::string name = f.size() == 1 ? "+" + f : f;
      if (name.size() != 2 || (name[0] != '-' && name[0] != '+') || name[1] < 'x' || name[1] > 'z') {
        say("cut.value", "'" + f + "' is no side", "a hull has the sides -x, +x, -y, +y, -z and +z",
            "write for example -y");
        continue;
      }
      w.flush[static_cast<std::size_t>(2 * (name[1] - 'x') + (name[0] == '+'))] = true;
    }
    const auto at = places(rule, "the space that holds it is meant");
    if (!at) return {};
    w.at = *at;
    w.keepSolids = rule.get("solids") == "keep";
    w.name = rule.get("name");
    Cut cut;
    cut.space = std::move(w);
    return cut;
  }
  Cut one(const Rule& rule) {
    if (rule.kind == "cap") return capOf(rule);
    if (rule.kind == "space") return spaceOf(rule);
    Cut none, cut;
    const auto what = bodies(rule);
    if (!what) return none;
    cut.bodies = *what;
    if (const std::string only = rule.get("only"); !only.empty()) {
      auto points = parsePoints(only, m_whole.unit);
      if (!points) {
        say("cut.value", "'" + only + "' is no point", "only the pieces that hold it are cut",
            "write for example (1, 2, 3)");
        return none;
      }
      cut.only = *points;
    }
    std::optional<std::vector<CutSheet>> sheets;
    if (rule.kind == "cut") sheets = planes(rule);
    if (rule.kind == "cut_along") sheets = along(rule);
    if (rule.kind == "cut_core") sheets = cores(rule);
    if (rule.kind == "cut_sheet") {
      sheets.emplace(1);
      sheets->front().kind = CutSheet::Kind::File;
      sheets->front().file = m_written.resolve(rule.get("file"));
    }
    if (!sheets) return none;
    cut.sheets = std::move(*sheets);
    cut.keep = rule.get("keep") == "ahead" ? 1 : rule.get("keep") == "behind" ? -1 : 0;
    return cut;
  }
};

} // namespace

std::vector<Rule> rulesOfCuts(const Brief& brief) {
  std::set<std::size_t> used;
  for (std::size_t i = 0; i < brief.rules.size(); ++i)
    if (isCut(brief.rules[i].kind) && !brief.rules[i].off) used.insert(i);
  if (used.empty()) return {};
  // Groups that they name, those that these are put together from, and values in any of them.
  for (bool more = true; more;) {
    more = false;
    const auto now = used;
    for (std::size_t i = 0; i < brief.rules.size(); ++i) {
      const Rule& r = brief.rules[i];
      if (r.off || used.count(i) || (r.kind != "group" && r.kind != "value")) continue;
      const std::string name = r.get("name");
      const bool wanted = std::any_of(now.begin(), now.end(), [&](std::size_t u) {
        const Rule& by = brief.rules[u];
        if (r.kind == "value") return mentions(by, name);
        auto named = [&](const char* key) {
          const auto list = splitList(by.get(key));
          return std::find(list.begin(), list.end(), name) != list.end();
        };
        if (isCut(by.kind)) return std::any_of(std::begin(kNamesInCuts), std::end(kNamesInCuts), named);
        return by.kind == "group" && std::any_of(std::begin(kNamesInGroups), std::end(kNamesInGroups), named);
      });
      if (wanted) more = used.insert(i).second || more;
    }
  }
  std::vector<Rule> r;
  for (std::size_t i : used) r.push_back(bare(brief.rules[i]));
  return r;
}

std::vector<Cut> cutsOf(const std::vector<Rule>& rules, const std::string& folder, const Part& whole,
                        std::vector<Problem>& problems) {
  return CutReader(rules, folder, whole, problems).all();
}

Result<Part> cutFurther(std::shared_ptr<const Part> part, const std::vector<Rule>& rules, const std::string& folder,
                        Progress* progress) {
  std::vector<Problem> said;
  const std::vector<Cut> cuts = cutsOf(rules, folder, part->whole ? *part->whole : *part, said);
  auto r = cutPart(part, cuts, progress);
  if (r) r->problems.insert(r->problems.end(), said.begin(), said.end());
  return r;
}

std::string faceNameOfCut(const Brief& brief, int k) {
  auto plain = [&](int c) -> std::string {
    const int i = ruleOfCut(brief, c);
    if (i < 0 || isSpace(brief.rules[static_cast<std::size_t>(i)].kind)) return {};
    const Rule& r = brief.rules[static_cast<std::size_t>(i)];
    if (const std::string name = trimmed(r.get("name")); !name.empty()) return name;
    if (r.get("keep").empty() || r.get("keep") == "both") return {};
    auto across = parsePoints(r.get("across"), "mm");
    if (r.kind == "cut" && r.get("square_to").empty() && across && across->size() == 1)
      for (int axis = 0; axis < 3; ++axis)
        if (std::abs(across->front().normalized()[axis]) > 1 - 1e-9) return std::string("symmetry-") + "xyz"[axis];
    return "symmetry";
  };
  const std::string name = plain(k);
  int same = 1;
  for (int c = 0; c < k; ++c) same += !name.empty() && plain(c) == name;
  return same > 1 ? name + "-" + std::to_string(same) : name;
}

std::string bodiesText(const Part& part) {
  std::map<std::string, int> pieces;
  for (const auto& b : part.bodies) ++pieces[b.wholeName()];
  int cut = 0, most = 0;
  for (const auto& [name, n] : pieces)
    if (n > 1) ++cut, most += n;
  const std::string all = pieces.size() == 1 ? "1 body" : std::to_string(pieces.size()) + " bodies";
  if (!cut) return all;
  const std::string in = " in " + std::to_string(most) + " pieces";
  if (pieces.size() == 1) return all + in;
  return all + ", " + (cut == 1 ? "one" : std::to_string(cut)) + " of them" + in;
}

std::vector<Problem> problemsOfPart(const Part& part, const Brief& brief) {
  std::vector<Problem> r = part.problems;
  for (auto& p : r) {
    if (p.code.rfind("cut.", 0) != 0 || p.where.rfind("cut ", 0) != 0) continue;
    const int i = ruleOfCut(brief, std::atoi(p.where.c_str() + 4) - 1);
    if (i >= 0) p.where = "rule " + std::to_string(i + 1);
  }
  return r;
}

std::vector<Problem> smallAtCuts(const Part& part, SizeRequest request, Progress* progress) {
  if (!part.whole) return {};
  request.overall.slender = 0;
  request.overall.minimum = request.overall.target; // what is derived from shape follows what a cut left
  const SizeField field = makeSizeField(part, std::move(request), progress);
  constexpr double kShort = 0.3, kNarrow = 0.25, kSharp = 15 * kPi / 180; // of the size; of an angle
  std::vector<Problem> r;
  auto size = [&](const Vec3& p) { return field.at(p); };
  auto tell = [&](const char* code, std::string what, std::vector<Vec3> places, std::string why) {
    if (places.empty()) return;
    r.push_back(Problem::of(code, std::to_string(places.size()) + " " + what)
                    .as(Severity::Warning)
                    .because(std::move(why))
                    .advise("move the cut away from there, or onto it, or ask for smaller elements there")
                    .firstAt(places, part.unit));
  };
  std::vector<std::pair<double, Vec3>> edges, faces, corners;
  auto ofCut = [&](const PartEdge& e) {
    return e.cut >= 0 || (e.from >= 0 && e.length < 0.999 * part.whole->edges[static_cast<std::size_t>(e.from)].length);
  };
  for (std::size_t e = 0; e < part.edges.size(); ++e) {
    const PartEdge& edge = part.edges[e];
    if (!ofCut(edge)) continue;
    const Vec3 p = part.shape->edgePoint(static_cast<int>(e), 0.5 * (edge.t0 + edge.t1));
    if (const double s = size(p); edge.length < kShort * s) edges.push_back({edge.length / s, p});
  }
  for (const PartFace& f : part.faces) {
    if (f.cut < 0 && !(f.from >= 0 && f.area < 0.999 * part.whole->faces[static_cast<std::size_t>(f.from)].area))
      continue;
    double round = 0;
    for (int e : f.edges) round += part.edges[static_cast<std::size_t>(e)].length;
    const double width = round > 0 ? 2 * f.area / round : 0;
    if (const double s = size(f.center); round > 0 && width < kNarrow * s) faces.push_back({width / s, f.center});
  }
  for (const auto& body : edgeAngles(part))
    for (const EdgeAngle& a : body) {
      const bool made = std::any_of(a.faces.begin(), a.faces.end(),
                                    [&](int f) { return part.faces[static_cast<std::size_t>(f)].cut >= 0; });
      if (made && a.angle < kSharp) corners.push_back({a.angle, a.at});
    }
  auto places = [](std::vector<std::pair<double, Vec3>>& list) {
    std::stable_sort(list.begin(), list.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<Vec3> p;
    for (const auto& x : list) p.push_back(x.second);
    return p;
  };
  auto many = [](std::size_t n, const char* one, const char* more) { return std::string(n == 1 ? one : more); };
  const std::string least = edges.empty() && faces.empty() ? "" : "elements there become as small as that, or flat";
  tell("cut.short-edge",
       many(edges.size(), "edge at a cut is", "edges at cuts are") + " much shorter than the elements there",
       places(edges), least);
  tell("cut.narrow-face",
       many(faces.size(), "face at a cut is", "faces at cuts are") + " much narrower than the elements there",
       places(faces), least);
  tell("cut.sharp-angle",
       many(corners.size(), "edge where a cut meets", "edges where cuts meet") + " faces at less than 15 degrees",
       places(corners), "elements cannot be better than the corner that they lie in");
  return r;
}

bool isSmallAtCut(const Problem& p) {
  return p.code == "cut.short-edge" || p.code == "cut.narrow-face" || p.code == "cut.sharp-angle";
}

std::string halfSentence(const Part& part, const Brief& brief) {
  std::string cuts;
  int count = 0;
  for (std::size_t k = 0; k < part.half.size(); ++k) {
    if (!part.half[k]) continue;
    ++count;
    const std::string face = faceNameOfCut(brief, static_cast<int>(k));
    cuts += (cuts.empty() ? "" : ", ") + (face.empty() ? "cut " + std::to_string(k + 1) : "'" + face + "'");
  }
  if (!count || !part.whole || !(part.whole->volume() > 0)) return {};
  const double share = part.volume() / part.whole->volume();
  std::string words;
  for (const auto& [of, name] : {std::pair{0.5, "one half"}, {0.25, "one quarter"}, {0.125, "one eighth"}})
    if (std::abs(share / of - 1) < 1e-4) words = name;
  if (words.empty()) words = formatNumber(100 * share, 3) + " %";
  return words + " of the part, as " + (count == 1 ? "one side of " : "one side each of ") + cuts + " is kept";
}

} // namespace tess
