// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/rebind.h"
#include "base/units.h"
#include "job/values.h"
#include <algorithm>
#include <cmath>

namespace tess {
namespace {

double measure(const Part& part, const ResolvedGroup& g) {
  double sum = 0;
  for (int e : g.entities) {
    auto i = static_cast<std::size_t>(e);
    if (g.dim == Dim::Face) sum += part.faces[i].area;
    if (g.dim == Dim::Edge) sum += part.edges[i].length;
    if (g.dim == Dim::Body) sum += part.bodies[i].volume;
  }
  return sum;
}
const char* plural(Dim d, int n) {
  static const char* one[] = {"point", "edge", "face", "body"};
  static const char* many[] = {"points", "edges", "faces", "bodies"};
  return (n == 1 ? one : many)[static_cast<int>(d)];
}
const ResolvedGroup* named(const std::vector<ResolvedGroup>& groups, const std::string& name) {
  for (const auto& g : groups)
    if (g.name == name) return &g;
  return nullptr;
}

} // namespace

std::vector<Rebound> compareGroups(const Brief& brief, const Part& before,
                                   const std::vector<ResolvedGroup>& groupsBefore, const Part& now,
                                   const std::vector<ResolvedGroup>& groupsNow) {
  std::vector<Rebound> r;
  const Brief plain = settled(brief, &now);
  for (const auto& g : groupsNow) {
    const ResolvedGroup* old = named(groupsBefore, g.name);
    if (!old) continue;
    Rebound x;
    x.name = g.name;
    x.before = static_cast<int>(old->entities.size());
    x.now = static_cast<int>(g.entities.size());
    if (!g.entities.empty()) x.at = typicalPoint(now, g.dim, g.entities.front());
    const Rule& rule = plain.rules[static_cast<std::size_t>(g.rule)];
    double was = measure(before, *old), is = measure(now, g);
    if (x.before && !x.now) {
      x.state = Rebound::State::Lost;
      x.words = "matches nothing any more; it had " + std::to_string(x.before) + " " + plural(g.dim, x.before);
      x.at = now.box.center();
      if (!old->entities.empty()) x.at = typicalPoint(before, g.dim, old->entities.front());
    } else if (x.before != x.now) {
      x.state = Rebound::State::Changed;
      x.words =
          "had " + std::to_string(x.before) + " " + plural(g.dim, x.before) + ", has " + std::to_string(x.now) + " now";
    } else if (was > 0 && std::abs(is / was - 1) > 0.01) {
      x.state = Rebound::State::Changed;
      x.words = std::string("has changed in ") +
                (g.dim == Dim::Face   ? "area"
                 : g.dim == Dim::Edge ? "length"
                                      : "volume") +
                " by " + formatNumber(100 * (is / was - 1), 2) + " %";
    }
    if (!rule.get("nearest").empty() && x.state != Rebound::State::Lost) {
      if (auto points = parsePoints(rule.get("nearest"), now.unit)) {
        auto off = [](const Part& part, const ResolvedGroup& in, const Vec3& p) {
          double d = std::numeric_limits<double>::infinity();
          for (int e : in.entities) d = std::min(d, distanceToEntity(part, in.dim, e, p));
          return d;
        };
        double slack = 0.01 * now.diagonal();
        for (const Vec3& p : *points) {
          double d = off(now, g, p);
          if (d <= slack || off(before, *old, p) > slack) continue;
          x.state = Rebound::State::InDoubt;
          x.words = "what is nearest to " + formatPoint(p) + " is " + formatNumber(d, 3) + " " + now.unit + " away";
          break;
        }
        if (x.state == Rebound::State::Changed && x.now < x.before && static_cast<int>(points->size()) == x.before) {
          x.state = Rebound::State::InDoubt;
          x.words = "several of its points mean the same " + std::string(plural(g.dim, 1)) + " now";
        }
      }
    }
    // A part that was moved may have brought another face to where the description looks.
    if (auto shift = movedAsAWhole(before, now); shift && x.state == Rebound::State::Same && g.dim == Dim::Face) {
      auto meant = counterparts(before, old->entities, now);
      std::sort(meant.begin(), meant.end());
      if (!meant.empty() && meant != g.entities) {
        x.state = Rebound::State::InDoubt;
        x.words = "means other faces now: the part has moved by " + formatPoint(*shift) + " " + now.unit;
      }
    }
    if ((x.state == Rebound::State::Lost || x.state == Rebound::State::InDoubt) && g.dim == Dim::Face) {
      auto meant = counterparts(before, old->entities, now);
      if (!meant.empty()) {
        Rule anew = describeSelection(now, Dim::Face, meant, g.name);
        for (const char* keep : {"role", "medium", "material"})
          if (!rule.get(keep).empty()) anew.values[keep] = rule.get(keep);
        anew.note = rule.note;
        x.repair = anew;
      }
    }
    r.push_back(std::move(x));
  }
  return r;
}

std::optional<Vec3> movedAsAWhole(const Part& before, const Part& now) {
  const double slack = 1e-3 * now.diagonal();
  Vec3 shift = now.box.center() - before.box.center();
  if ((now.box.size() - before.box.size()).norm() > slack || shift.norm() < slack) return {};
  return shift;
}

std::vector<int> counterparts(const Part& before, const std::vector<int>& faces, const Part& now) {
  std::vector<Vec3> shifts{Vec3::Zero(), now.box.center() - before.box.center(), now.box.lo - before.box.lo,
                           now.box.hi - before.box.hi};
  if (auto shift = movedAsAWhole(before, now)) shifts = {*shift}; // else a neighbour could be taken for the same
  const double slack = 0.02 * now.diagonal();
  auto alike = [](const PartFace& a, const PartFace& b) {
    bool round = a.radius > 0 || b.radius > 0;
    bool axis = a.axis.norm() > 0 && b.axis.norm() > 0;
    double turn = axis ? a.axis.normalized().dot(b.axis.normalized()) : 1;
    return a.kind == b.kind && (!round || std::abs(a.radius - b.radius) < 0.02 * std::max(a.radius, b.radius)) &&
           (a.kind == SurfaceKind::Plane ? turn : std::abs(turn)) > 0.999 &&
           std::abs(a.area - b.area) < 0.05 * std::max(a.area, b.area);
  };
  for (const Vec3& shift : shifts) {
    std::vector<int> found;
    for (int f : faces) {
      const PartFace& was = before.faces[static_cast<std::size_t>(f)];
      int match = -1, count = 0;
      for (int k = 0; k < now.count(Dim::Face); ++k) {
        const PartFace& is = now.faces[static_cast<std::size_t>(k)];
        if ((is.center - was.center - shift).norm() > slack || !alike(was, is)) continue;
        match = k;
        ++count;
      }
      if (count != 1 || std::find(found.begin(), found.end(), match) != found.end()) break;
      found.push_back(match);
    }
    if (!faces.empty() && found.size() == faces.size()) return found;
  }
  return {};
}

std::vector<Problem> reboundFindings(const std::vector<Rebound>& groups, const Part& now) {
  std::vector<Problem> r;
  int same = 0;
  for (const auto& g : groups) {
    if (g.state == Rebound::State::Same) {
      ++same;
      continue;
    }
    Problem p;
    p.severity = g.state == Rebound::State::Changed ? Severity::Note : Severity::Warning;
    p.code = g.state == Rebound::State::Lost      ? "rebind.lost"
             : g.state == Rebound::State::InDoubt ? "rebind.doubt"
                                                  : "rebind.changed";
    p.what = "group '" + g.name + "' " + g.words;
    p.places.push_back(g.at);
    p.where = "near " + formatPoint(g.at) + " " + now.unit;
    p.why = "the part has changed";
    p.todo = g.state == Rebound::State::Changed ? "look whether it still means what you want"
                                                : "select what it should mean and describe it anew";
    if (g.repair) {
      p.todo = "what it meant is still there and can be described anew";
      p.fix = "describe '" + g.name + "' anew";
    }
    r.push_back(p);
  }
  if (groups.empty()) return r;
  Problem p;
  p.severity = Severity::Note;
  p.code = "rebind.summary";
  p.what = "the part was read again: " + std::to_string(same) + " of " + std::to_string(groups.size()) +
           (groups.size() == 1 ? " group means" : " groups mean") + " the same as before";
  r.insert(r.begin(), p);
  return r;
}

} // namespace tess
