// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/gate.h"
#include "job/cuts.h"
#include "job/reuse.h"
#include <algorithm>
#include <map>
#include <set>

namespace tess {
namespace {
/// What decides over names in the file without shaping the mesh.
std::vector<Rule> renames(const Brief& b) {
  std::vector<Rule> r;
  for (const Rule& x : b.rules)
    if (x.kind == "rename" && !x.off) r.push_back({x.kind, x.values, {}, false, {}});
  return r;
}
} // namespace

Gate gateOf(const RunResult& run, const Part& part, const Brief& now, const std::vector<Rule>& files) {
  Gate g;
  const Mesh& m = run.mesh;
  auto object = [&](const char* code, const std::string& what, const std::string& why, const std::string& todo) {
    Problem p;
    p.severity = Severity::Warning;
    p.code = code;
    p.what = what;
    p.why = why;
    p.todo = todo;
    g.objections.push_back(p);
  };
  auto count = [](std::size_t n, const std::string& one, const std::string& many) {
    return std::to_string(n) + " " + (n == 1 ? one : many);
  };
  Box box;
  for (const Vec3& p : m.nodes) box.add(p);
  if (m.nodes.empty()) {
    object("gate.empty", "the mesh has no nodes", "", "press Mesh first");
    return g;
  }
  std::set<double> scales;
  bool oneGroup = false; // a file keeps one group of a face
  std::vector<Loss> losses;
  for (const auto& f : files) {
    if (auto x = fileScale(run.brief, m.unit, f)) scales.insert(*x);
    if (auto x = fileFormat(f)) {
      oneGroup = oneGroup || holdsOneGroupAFace(*x);
      for (auto& l : lossesIn(*x, m))
        if (std::none_of(losses.begin(), losses.end(), [&](const Loss& k) { return k.what == l.what; }))
          losses.push_back(std::move(l));
    }
  }
  if (scales.empty()) scales.insert(1);
  for (double scale : scales) g.size += (g.size.empty() ? "" : "; ") + fileSizeText(box.size(), m.unit, scale);

  if (const std::string half = halfSentence(part, run.brief); !half.empty()) g.size += ", " + half;

  const Audit& a = run.audit;
  for (const auto& l : losses)
    object(l.refused ? "gate.cannot" : "gate.format", l.what, l.why,
           l.refused ? "choose another format" : "choose another format if the solver needs it");
  if (!a.soundness.sound())
    object("gate.unsound", "the mesh is not sound", "a solver may refuse it, or compute nonsense",
           "look at the findings, and mesh again");
  for (const auto& p : run.problems)
    if (p.severity == Severity::Error) object("gate.body", p.what, p.why, p.todo);
  if (a.failingCells + a.notAllowedCells > 0)
    object("gate.limits",
           count(a.failingCells + a.notAllowedCells, "element fails", "elements fail") + " the limits for " +
               a.limits.name,
           a.sentence, "improve the mesh, ask for smaller sizes there, or choose other limits");
  if (meshRules(run.brief) != meshRules(now) || renames(run.brief) != renames(now) ||
      run.brief.partFile != now.partFile || run.brief.unit != now.unit)
    object("gate.older", "the brief has changed since this mesh was made",
           "what is written follows the brief as it was", "mesh again");
  if (part.unitAssumed)
    object("gate.unit", "the part's file names no unit; " + part.unit + " is assumed",
           "the mesh would measure " + g.size, "set the unit on the part's card");
  std::map<std::int32_t, int> groupsOf; // boundary face -> groups that hold it
  std::vector<std::string> empty;
  bool faceGroups = false;
  for (const auto& x : m.groups) {
    if (x.items.empty()) empty.push_back(x.name);
    if (x.dim != 2) continue;
    faceGroups = true;
    for (auto f : x.items) ++groupsOf[f];
  }
  for (const auto& name : empty)
    object("gate.empty-set", "the set '" + name + "' holds nothing", "a boundary condition on it would act on nothing",
           "mend the group's description, or take it out");
  for (const auto& x : m.groups) {
    if (x.dim != 2) continue;
    const auto inside = static_cast<std::size_t>(std::count_if(x.items.begin(), x.items.end(), [&](auto f) {
      const auto& r = m.faceRegions[static_cast<std::size_t>(f)];
      return r[0] >= 0 && r[1] >= 0;
    }));
    if (inside && inside < x.items.size())
      object("gate.mixed-set",
             "the set '" + x.name + "' holds " + std::to_string(x.items.size() - inside) +
                 " outer boundary elements and " + std::to_string(inside) + " between bodies",
             "a pressure on it would load the inside as well",
             "make two groups of it, or say on its card whether faces between bodies belong to it");
  }
  std::size_t outer = 0, unnamed = 0, doubled = 0;
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    bool outside = m.faceRegions[f][0] < 0 || m.faceRegions[f][1] < 0;
    auto it = groupsOf.find(static_cast<std::int32_t>(f));
    outer += outside;
    unnamed += outside && it == groupsOf.end();
    doubled += it != groupsOf.end() && it->second > 1;
  }
  if (!faceGroups)
    object("gate.no-groups", "no boundary has a name", "the solver will get no sets to put conditions on",
           "let the part propose groups, or select faces and press G");
  else if (unnamed && !now.first("stay_free")) {
    object("gate.unnamed",
           count(unnamed, "boundary element is", "boundary elements are") + " in no group (" +
               percentText(static_cast<double>(unnamed) / static_cast<double>(std::max<std::size_t>(1, outer))) +
               " of the boundary)",
           "no condition can be put on them by name",
           "add their faces to a group if the solver needs them; else leave them free, by the rule 'stay_free'");
    g.objections.back().fix = "leave them free";
  }
  if (doubled && oneGroup)
    object("gate.doubled", count(doubled, "boundary element is", "boundary elements are") + " in two groups or more",
           formatTitles([](const FormatInfo& f) { return f.oneGroupAFace; }) +
               ": each keeps the first group of a face only",
           "take the faces out of one of the groups");
  return g;
}

Problem gateOverruled(const Gate& gate, const std::string& reason) {
  Problem p;
  p.severity = Severity::Note;
  p.code = "gate.overruled";
  p.what = "handed over although " + std::to_string(gate.objections.size()) +
           (gate.objections.size() == 1 ? " thing stood against it" : " things stood against it");
  for (const auto& o : gate.objections) p.where += (p.where.empty() ? "" : "; ") + o.what;
  p.why = reason;
  return p;
}

} // namespace tess
