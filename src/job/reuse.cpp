// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/reuse.h"
#include "job/fills.h"
#include "mesh/order.h"
#include "mesher/remake.h"
#include <set>

namespace tess {

namespace {

/// Takes out cards 'fill', and groups of bodies that nothing else names.
void withoutFills(std::vector<Rule>& rules) {
  std::erase_if(rules, [](const Rule& r) { return r.kind == "fill"; });
  std::set<std::string> named;
  for (const auto& r : rules)
    for (const auto& [key, value] : r.values)
      if (key != "name")
        for (const auto& word : splitList(value)) named.insert(word);
  std::erase_if(rules, [&](const Rule& r) {
    return r.kind == "group" && r.get("of") == "bodies" && !named.count(r.get("name"));
  });
}

/// The mesh as meshing made it, without what groups and rules put on it later.
Mesh asMeshed(Mesh m, const Part& part) {
  m.groups.clear();
  for (std::size_t r = 0; r < std::min(m.regions.size(), part.bodies.size()); ++r)
    m.regions[r] = part.bodies[r].wholeName(); // a rule may have renamed them
  m.materials.clear();
  m.media.clear();
  return m;
}

} // namespace

std::vector<Rule> meshRules(const Brief& b) {
  std::vector<Rule> r;
  for (Rule x : b.rules) {
    const RuleKind* kind = ruleKind(x.kind);
    if (x.off || !kind || kind->stage == "export" || kind->stage == "audit") continue;
    x.note.clear();
    r.push_back(std::move(x));
  }
  return r;
}

Reuse reusable(const Brief& brief, const RunResult& before) {
  // A mesh that was improved or cut open, that is not whole, or that came from a file without its findings.
  if (!before.fromMeshing || before.improved || !before.mesh.twins.empty()) return Reuse::None;
  for (const auto& p : *before.fromMeshing)
    if (p.severity == Severity::Error) return Reuse::None;
  std::vector<Rule> now = meshRules(brief), then = meshRules(before.brief);
  bool ignores = false;
  for (const auto& r : now) {
    ignores = ignores || r.kind == "ignore";
    if (r.kind == "take_mesh") return Reuse::None; // the file is read again
    for (const auto& s : ruleKind(r.kind)->entries)
      if (s.type == SlotType::Path) return Reuse::None; // what the file holds may have changed
  }
  if (now == then) return Reuse::Mesh;
  for (auto* rules : {&now, &then})
    for (auto& r : *rules)
      if (r.kind == "fill") r.values.erase("order");
  // Mid nodes of faces that count as one are put on the joined face, which is not at hand here.
  if (ignores) return Reuse::None;
  if (now == then) return Reuse::OtherOrder;
  // Layers stand on the faces of all bodies at once.
  if (std::any_of(now.begin(), now.end(), [](const Rule& r) { return r.kind == "layers"; })) return Reuse::None;
  for (auto* rules : {&now, &then}) withoutFills(*rules);
  return now == then ? Reuse::OtherFills : Reuse::None;
}

MeshOutcome reuseMesh(const Brief& brief, const Part& part, const RunResult& before, Reuse how, Progress& progress) {
  MeshOutcome out;
  out.mesh = asMeshed(before.mesh, part);
  out.problems = *before.fromMeshing;
  out.fit.deviation = before.deviation;
  out.fit.normalRad = before.normalDeg * kPi / 180;
  out.fit.meanNormalRad = before.meanNormalDeg * kPi / 180;
  out.midNodes = before.midNodes;
  out.bodies = before.bodies;
  out.faces = before.faces;
  if (how != Reuse::OtherOrder) return out;
  std::erase_if(out.problems, [](const Problem& p) { return p.code == "mesh.straightened"; });
  out.midNodes = {};
  if (ordersOf(out.mesh).quadratic) changeOrder(out.mesh, 1);
  if (orderOf(brief) == 2) {
    progress.stage("Mid nodes", 0.1, 0.9);
    out.midNodes = makeQuadratic(out.mesh, part, progress);
    if (auto p = straightenedProblem(out.midNodes, part.unit)) out.problems.push_back(*p);
  }
  return out;
}

std::optional<MeshOutcome> reuseBodies(const Part& part, const SizeField& size, const MeshWishes& wishes,
                                       const MeshOptions& options, const RunResult& before, int& kept,
                                       Progress& progress) {
  std::vector<char> stayed;
  auto made =
      remakeBodies(part, size, wishes, options,
                   {asMeshed(before.mesh, part), before.bodies, before.faces, *before.fromMeshing}, stayed, progress);
  if (!made) return {};
  kept = static_cast<int>(std::count(stayed.begin(), stayed.end(), 1));
  std::erase_if(made->problems, [](const Problem& p) { return p.code == "mesh.kept"; });
  std::vector<Vec3> places;
  for (std::size_t b = 0; b < stayed.size() && places.size() < 50; ++b)
    if (stayed[b]) places.push_back(part.bodies[b].box.center());
  made->problems.push_back(
      Problem::of("mesh.kept", std::to_string(kept) + " of " + std::to_string(stayed.size()) +
                                   (kept == 1 ? " bodies keeps its mesh" : " bodies keep their mesh"))
          .as(Severity::Note)
          .firstAt(places, part.unit)
          .because("only what others are filled with has changed, and it does not touch those"));
  return made;
}

} // namespace tess
