// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/proposals.h"
#include "base/units.h"
#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace tess {
namespace {

Rule faceGroup() {
  Rule r;
  r.kind = "group";
  r.values["of"] = "faces";
  return r;
}

/// Groups allow for rounding by a part in a million; seven digits are closer.
void between(Rule& r, const std::string& key, double low, double high, const std::string& unit) {
  r.values[key + "_min"] = formatNumber(low, 7) + unit;
  r.values[key + "_max"] = formatNumber(high, 7) + unit;
}

/// Round and with empty space on the side of the axis: a hole, or a piece of one that turns by more than 100 degrees.
bool isHole(const Part& part, int face) {
  const auto& f = part.faces[static_cast<std::size_t>(face)];
  if (f.kind != SurfaceKind::Cylinder || f.radius <= 0 || (f.bodies[0] >= 0 && f.bodies[1] >= 0)) return false;
  FaceProjection on = part.shape->projectToFace(face, typicalPoint(part, Dim::Face, face));
  Vec3 out = f.bodies[0] >= 0 ? on.normal : Vec3(-on.normal);
  // The axis lies in front of a hole's wall and behind that of a boss; a small step tells by the turn of the normal.
  Vec3 side = f.axis.cross(on.normal).normalized();
  Vec3 next = part.shape->projectToFace(face, on.point + 0.05 * f.radius * side).normal;
  Vec3 outNext = f.bodies[0] >= 0 ? next : Vec3(-next);
  if ((outNext - out).dot(side) >= 0) return false; // normals of a hole run together
  double widest = 1;
  const auto& t = part.display;
  for (std::size_t i = 0; i < t.triangles.size(); ++i)
    if (t.triangleFace[i] == face) {
      const auto& q = t.triangles[i];
      Vec3 n = triangleNormal(t.points[static_cast<std::size_t>(q[0])], t.points[static_cast<std::size_t>(q[1])],
                              t.points[static_cast<std::size_t>(q[2])]);
      widest = std::min(widest, n.dot(on.normal));
    }
  return widest < std::cos(100 * kPi / 180);
}

class Proposals {
public:
  Proposals(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups) : m_part(part) {
    for (const auto& r : brief.rules)
      if (r.kind == "group") m_names.insert(r.get("name"));
    for (const auto& g : groups)
      if (g.dim == Dim::Face) m_taken.insert(g.entities.begin(), g.entities.end());
    for (const auto& g : groups)
      if (g.dim == Dim::Face) m_all.push_back(g.name);
  }

  std::vector<Rule> run() {
    ends();
    holes();
    rest();
    return m_out;
  }

private:
  const Part& m_part;
  std::set<std::string> m_names;
  std::set<int> m_taken;
  std::vector<std::string> m_all; ///< names of all groups of faces
  std::vector<Rule> m_out;

  bool free(int f) const {
    const auto& b = m_part.faces[static_cast<std::size_t>(f)].bodies;
    return !m_taken.count(f) && (b[0] < 0 || b[1] < 0);
  }
  std::string fresh(const std::string& name) {
    std::string n = name;
    for (int k = 2; m_names.count(n); ++k) n = name + " " + std::to_string(k);
    m_names.insert(n);
    return n;
  }
  void add(Rule r, const std::string& name, const std::vector<int>& faces) {
    if (resolveAlone(r, m_part) != faces) {
      std::string at;
      for (int f : faces) at += (at.empty() ? "" : "; ") + formatPoint(typicalPoint(m_part, Dim::Face, f));
      r.values["nearest"] = at;
    }
    r.values["name"] = fresh(name);
    m_all.push_back(r.values["name"]);
    m_taken.insert(faces.begin(), faces.end());
    m_out.push_back(std::move(r));
  }

  /// Plane faces at the part's extremes that look outwards there and are no mere sliver of that side.
  void ends() {
    static const char* names[3][2] = {{"left end", "right end"}, {"front", "back"}, {"bottom", "top"}};
    const Vec3 size = m_part.box.size();
    int longest = 0;
    for (int k = 1; k < 3; ++k)
      if (size[k] > size[longest]) longest = k;
    for (int step = 0; step < 3; ++step) {
      int k = (longest + step) % 3;
      for (int side = 0; side < 2; ++side) {
        Vec3 dir = Vec3::Zero();
        dir[k] = side ? 1 : -1;
        double at = side ? m_part.box.hi[k] : m_part.box.lo[k], slack = 1e-3 * m_part.diagonal(), area = 0;
        std::vector<int> faces;
        for (int f = 0; f < m_part.count(Dim::Face); ++f) {
          const auto& face = m_part.faces[static_cast<std::size_t>(f)];
          if (face.kind != SurfaceKind::Plane || !free(f)) continue;
          Vec3 out = face.bodies[0] >= 0 ? face.axis : Vec3(-face.axis);
          if (out.normalized().dot(dir) < 0.9998 || std::abs(face.center[k] - at) > slack) continue;
          faces.push_back(f);
          area += face.area;
        }
        if (faces.empty() || area < 0.03 * size[(k + 1) % 3] * size[(k + 2) % 3]) continue;
        Rule r = faceGroup();
        r.values["outermost"] = formatPoint(dir);
        add(r, names[k][side], faces);
      }
    }
  }

  void holes() {
    std::vector<std::pair<double, int>> found;
    for (int f = 0; f < m_part.count(Dim::Face); ++f)
      if (free(f) && isHole(m_part, f)) found.push_back({m_part.faces[static_cast<std::size_t>(f)].radius, f});
    std::sort(found.begin(), found.end());
    for (std::size_t i = 0; i < found.size();) {
      std::size_t j = i;
      std::vector<int> faces;
      while (j < found.size() && found[j].first <= found[i].first * (1 + 1e-4)) faces.push_back(found[j++].second);
      std::sort(faces.begin(), faces.end());
      Rule r = faceGroup();
      r.values["surface"] = "cylinder";
      between(r, "radius", found[i].first, found[j - 1].first, " " + m_part.unit);
      add(r, (faces.size() == 1 ? "hole " : "holes ") + formatNumber(2 * found[i].first, 4) + " " + m_part.unit, faces);
      i = j;
    }
  }

  void rest() {
    std::vector<int> faces;
    for (int f = 0; f < m_part.count(Dim::Face); ++f)
      if (free(f)) faces.push_back(f);
    if (faces.empty() || m_all.empty()) return;
    Rule r = faceGroup();
    for (const auto& n : m_all) r.values["except"] += (r.values["except"].empty() ? "" : ", ") + n;
    r.values["name"] = fresh("rest");
    m_out.push_back(std::move(r));
  }
};

} // namespace

std::vector<int> resolveAlone(const Rule& group, const Part& part) {
  Brief b;
  b.rules.push_back(group);
  b.rules[0].values["name"] = "one";
  std::vector<Problem> problems;
  return resolveGroups(b, part, problems)[0].entities;
}

std::vector<Rule> proposeGroups(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups) {
  return Proposals(brief, part, groups).run();
}

const std::vector<AlikeInfo>& alikeTable() {
  static const std::vector<AlikeInfo> table{{Alike::Smooth, "smooth", "faces that join smoothly"},
                                            {Alike::Coplanar, "coplanar", "faces in the same plane"},
                                            {Alike::SameRadius, "radius", "faces of the same radius"},
                                            {Alike::SameArea, "area", "faces of the same area"},
                                            {Alike::SameKind, "kind", "faces of the same kind"},
                                            {Alike::SameColour, "colour", "faces of the same colour"},
                                            {Alike::Opposite, "opposite", "the face opposite"}};
  return table;
}

std::optional<Rule> describeAlike(const Part& part, int face, Alike how) {
  const auto& f = part.faces[static_cast<std::size_t>(face)];
  Rule r = faceGroup();
  if (f.bodies[0] >= 0 && f.bodies[1] >= 0 && how != Alike::Opposite) r.values["between"] = "only";
  switch (how) {
  case Alike::Smooth:
    r.values["spread_from"] = formatPoint(typicalPoint(part, Dim::Face, face));
    return r;
  case Alike::Coplanar: {
    if (f.kind != SurfaceKind::Plane) return {};
    // A slab as thick as rounding needs: its box holds a plane face only when the plane is square to an axis.
    Vec3 n = f.axis.normalized();
    int k = 0;
    for (int i = 1; i < 3; ++i)
      if (std::abs(n[i]) > std::abs(n[k])) k = i;
    r.values["surface"] = "plane";
    r.values["normal"] = formatPoint(n);
    r.values["normal_angle"] = "0.1 deg";
    if (std::abs(n[k]) > 1 - 1e-9) {
      double slack = 1e-5 * part.diagonal();
      Vec3 lo = part.box.lo - Vec3::Constant(slack), hi = part.box.hi + Vec3::Constant(slack);
      lo[k] = f.center[k] - slack;
      hi[k] = f.center[k] + slack;
      r.values["box_min"] = formatPoint(lo);
      r.values["box_max"] = formatPoint(hi);
      return r;
    }
    std::string at;
    for (int o : resolveAlone(r, part)) {
      const auto& x = part.faces[static_cast<std::size_t>(o)];
      if (std::abs((x.center - f.center).dot(n)) < 1e-5 * part.diagonal())
        at += (at.empty() ? "" : "; ") + formatPoint(typicalPoint(part, Dim::Face, o));
    }
    r.values["nearest"] = at;
    return r;
  }
  case Alike::SameRadius:
    if (f.radius <= 0) return {};
    r.values["surface"] = surfaceKindName(f.kind);
    between(r, "radius", f.radius, f.radius, " " + part.unit);
    return r;
  case Alike::SameArea:
    between(r, "area", f.area * (1 - 1e-5), f.area * (1 + 1e-5), "");
    return r;
  case Alike::SameKind:
    r.values["surface"] = surfaceKindName(f.kind);
    return r;
  case Alike::SameColour: {
    if (!f.color) return {};
    char text[8];
    auto byte = [&](std::size_t k) { return static_cast<unsigned>(std::lround((*f.color)[k] * 255)); };
    std::snprintf(text, sizeof text, "#%02x%02x%02x", byte(0), byte(1), byte(2));
    r.values["colour"] = text;
    return r;
  }
  case Alike::Opposite: {
    // Along the normal through the material: the first face that looks the other way.
    Vec3 from = typicalPoint(part, Dim::Face, face);
    FaceProjection on = part.shape->projectToFace(face, from);
    Vec3 in = f.bodies[0] >= 0 ? Vec3(-on.normal) : on.normal;
    const auto& t = part.display;
    double best = 1e300;
    int other = -1;
    Vec3 at = Vec3::Zero();
    for (std::size_t i = 0; i < t.triangles.size(); ++i) {
      if (t.triangleFace[i] == face) continue;
      const auto& q = t.triangles[i];
      double s = rayTriangle(on.point, in, t.points[static_cast<std::size_t>(q[0])],
                             t.points[static_cast<std::size_t>(q[1])], t.points[static_cast<std::size_t>(q[2])]);
      if (s > 1e-6 * part.diagonal() && s < best) best = s, other = t.triangleFace[i], at = on.point + s * in;
    }
    if (other < 0 || std::abs(part.shape->projectToFace(other, at).normal.dot(in)) < 0.5) return {};
    r.values["nearest"] = formatPoint(from) + "; " + formatPoint(typicalPoint(part, Dim::Face, other));
    return r;
  }
  }
  return {};
}

const std::vector<std::string>& purposes() {
  static const std::vector<std::string> all{"strength", "heat", "flow"};
  return all;
}

namespace {
std::string fluidBodies(const Brief& brief) {
  std::string names;
  for (const auto& r : brief.rules)
    if (r.kind == "group" && !r.off && r.get("of") == "bodies" && r.get("medium") == "fluid")
      names += (names.empty() ? "" : ", ") + r.get("name");
  return names;
}
} // namespace

FlowSpace flowSpaceOf(const Brief& brief) {
  if (!fluidBodies(brief).empty()) return FlowSpace::Inside;
  const bool solid = std::any_of(brief.rules.begin(), brief.rules.end(), [](const Rule& r) {
    return r.kind == "group" && !r.off && r.get("of") == "bodies" && r.get("medium") == "solid";
  });
  return solid ? FlowSpace::Around : FlowSpace::Unknown;
}

Brief withPurpose(const Brief& brief, const std::string& purpose, FlowSpace space) {
  struct Row {
    const char *purpose, *growth, *turn, *what, *count, *order, *limits;
  };
  // Stress needs bending represented and curves followed; conduction is forgiving; a flow wants its gaps resolved and
  // sizes that change slowly.
  static const Row rows[] = {{"strength", "1.3", "20 deg", "walls", "2", "2", "strength"},
                             {"heat", "1.4", "30 deg", "walls", "2", "1", "general"},
                             {"flow", "1.2", "15 deg", "gaps", "8", "1", "flow"}};
  Brief b = brief;
  auto rule = [&](const std::string& kind, auto&& fits) -> Rule& {
    for (auto& r : b.rules)
      if (r.kind == kind && !r.off && fits(r)) return r;
    // New size rules stand after the others of their section.
    auto at = b.rules.end();
    const RuleKind* k = ruleKind(kind);
    for (auto it = b.rules.begin(); it != b.rules.end(); ++it)
      if (const RuleKind* o = ruleKind(it->kind); o && o->section == k->section) at = it + 1;
    return *b.rules.insert(at, Rule{kind, {}, "", false, {}});
  };
  auto any = [](const Rule&) { return true; };
  for (const Row& row : rows) {
    if (purpose != row.purpose) continue;
    rule("everywhere", any).values["growth"] = row.growth;
    rule("everywhere", any).values["turn"] = row.turn;
    std::string what = row.what, on;
    if (purpose == std::string("flow")) {
      const FlowSpace known = flowSpaceOf(brief);
      if (known == FlowSpace::Unknown && space == FlowSpace::Inside) {
        std::string name = "fluid";
        auto taken = [&](const Rule& r) { return r.kind == "group" && r.get("name") == name; };
        for (int k = 2; std::any_of(b.rules.begin(), b.rules.end(), taken); ++k) name = "fluid " + std::to_string(k);
        auto at = b.rules.begin();
        while (at != b.rules.end() && at->kind == "group") ++at;
        b.rules.insert(at, {"group", {{"name", name}, {"of", "bodies"}, {"medium", "fluid"}}, "", false, {}});
      }
      on = fluidBodies(b);
      if (!on.empty()) what = "walls";
    }
    Rule& through = rule("through", [&](const Rule& r) { return r.get("what") == what && r.get("on") == on; });
    through.values["what"] = what;
    if (!on.empty()) through.values["on"] = on;
    through.values["count"] = row.count;
    rule("fill", any).values["order"] = row.order;
    rule("judge", any).values["purpose"] = row.limits;
  }
  return b;
}

} // namespace tess
