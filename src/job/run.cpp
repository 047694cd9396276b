// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/run.h"
#include <chrono>
#include <map>
#include <nlohmann/json.hpp>
#include <set>
#include <sys/resource.h>
#include <thread>

namespace tess {

double overallTarget(const Brief& brief, const Part& part) {
  const Rule* r = brief.first("everywhere");
  double t = r ? slotNumber(*r, "target", part.unit) : 0;
  return t > 0 ? t : part.diagonal() / 20;
}

Brief scaledSizes(const Brief& brief, const Part& part, double factor) {
  Brief b = brief;
  auto scale = [&](Rule& r, const std::string& key) {
    double x = slotNumber(r, key, part.unit);
    if (x > 0) r.values[key] = formatNumber(factor * x, 10) + " " + part.unit;
  };
  bool overall = false;
  for (auto& r : b.rules) {
    if (r.off) continue;
    const RuleKind* kind = ruleKind(r.kind);
    if (!kind || kind->section != "Sizes") continue;
    for (const auto& slot : kind->entries)
      if (slot.type == SlotType::Length) scale(r, slot.key);
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

SizeField briefSizeField(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
                         std::vector<Problem>& problems) {
  SizeSettings s;
  s.target = overallTarget(brief, part);
  if (const Rule* r = brief.first("everywhere")) {
    s.minimum = slotNumber(*r, "minimum", part.unit);
    s.maximum = slotNumber(*r, "maximum", part.unit);
    s.growth = slotNumber(*r, "growth", part.unit);
    s.turnDeg = slotNumber(*r, "turn", part.unit);
    s.bridging.tolerance = r->get("bridge").empty() ? -1 : slotNumber(*r, "bridge", part.unit);
  }
  // What is named must be followed.
  s.bridging.keepFace.assign(part.faces.size(), 0);
  s.bridging.keepEdge.assign(part.edges.size(), 0);
  for (const auto& g : groups)
    for (int e : g.entities) {
      if (g.dim == Dim::Face) s.bridging.keepFace[static_cast<std::size_t>(e)] = 1;
      if (g.dim == Dim::Edge) s.bridging.keepEdge[static_cast<std::size_t>(e)] = 1;
    }
  std::vector<LocalSize> local;
  for (std::size_t i = 0; i < brief.rules.size(); ++i) {
    const Rule& r = brief.rules[i];
    if (r.kind != "size" || r.off) continue;
    double length = slotNumber(r, "length", part.unit);
    if (length <= 0) continue; // validation has reported it
    for (const auto& name : splitList(r.get("on"))) {
      if (name == "everywhere") {
        LocalSize l{Dim::Body, {}, length, static_cast<int>(i)};
        for (int b = 0; b < part.count(Dim::Body); ++b) l.entities.push_back(b);
        local.push_back(l);
        continue;
      }
      bool found = false;
      for (const auto& g : groups)
        if (g.name == name) {
          found = true;
          if (!g.entities.empty()) local.push_back({g.dim, g.entities, length, static_cast<int>(i)});
        }
      if (found) continue;
      Problem p;
      p.severity = Severity::Warning;
      p.code = "rule.no-target";
      p.what = "there is no group '" + name + "'";
      p.where = "rule " + std::to_string(i + 1) + ": " + sentenceOf(r);
      p.why = "the size has nothing to act on";
      p.todo = "name a group of the brief, or 'everywhere'";
      problems.push_back(p);
    }
  }
  return makeSizeField(part, s, local);
}

namespace {

void attachGroups(Mesh& m, const std::vector<ResolvedGroup>& groups, const Part& part) {
  for (const auto& g : groups) {
    MeshGroup out{g.name, 2, {}, static_cast<int>(g.entities.size())};
    std::set<int> in(g.entities.begin(), g.entities.end());
    if (g.dim == Dim::Face) {
      for (std::size_t f = 0; f < m.faces.size(); ++f)
        if (in.count(m.faceLink[f])) out.items.push_back(static_cast<std::int32_t>(f));
    } else if (g.dim == Dim::Body) {
      out.dim = 3;
      for (std::size_t c = 0; c < m.cells.size(); ++c)
        if (in.count(m.cellRegion[c])) out.items.push_back(static_cast<std::int32_t>(c));
    } else {
      out.dim = g.dim == Dim::Edge ? 1 : 0;
      std::set<int> ends;
      if (g.dim == Dim::Edge)
        for (int e : g.entities)
          ends.insert(part.edges[static_cast<std::size_t>(e)].points.begin(),
                      part.edges[static_cast<std::size_t>(e)].points.end());
      else
        ends = in;
      for (std::size_t n = 0; n < m.nodeLink.size(); ++n) {
        const auto& l = m.nodeLink[n];
        if ((l.dim == 1 && g.dim == Dim::Edge && in.count(l.entity)) || (l.dim == 0 && ends.count(l.entity)))
          out.items.push_back(static_cast<std::int32_t>(n));
      }
    }
    m.groups.push_back(out);
  }
}

AskedGot quantiles(std::vector<double>& lengths, const std::string& unit) {
  AskedGot a;
  if (lengths.empty()) {
    a.got = "nothing there";
    return a;
  }
  auto at = [&](double q) {
    auto it = lengths.begin() + static_cast<std::ptrdiff_t>(q * static_cast<double>(lengths.size() - 1));
    std::nth_element(lengths.begin(), it, lengths.end());
    return *it;
  };
  a.median = at(0.5);
  a.low = at(0.05);
  a.high = at(0.95);
  a.got =
      formatNumber(a.low, 3) + " – " + formatNumber(a.high, 3) + " " + unit + ", median " + formatNumber(a.median, 3);
  return a;
}

/// Edge lengths that each size rule got, on the boundary of its target.
std::vector<AskedGot> compareAskedGot(const Brief& brief, const Part& part, const Mesh& m,
                                      const std::vector<ResolvedGroup>& groups) {
  std::vector<AskedGot> r;
  auto faceEdges = [&](const std::set<int>& faces, bool all) {
    std::vector<double> l;
    for (std::size_t f = 0; f < m.faces.size(); ++f) {
      if (!all && !faces.count(m.faceLink[f])) continue;
      auto n = m.faces.of(f);
      int k = topology(m.faces.type[f]).corners;
      for (int i = 0; i < k; ++i)
        l.push_back((m.nodes[static_cast<std::size_t>(n[static_cast<std::size_t>(i)])] -
                     m.nodes[static_cast<std::size_t>(n[static_cast<std::size_t>((i + 1) % k)])])
                        .norm());
    }
    return l;
  };
  auto cellEdges = [&] {
    std::vector<double> l;
    for (std::size_t c = 0; c < m.cells.size(); ++c) {
      const auto& t = topology(m.cells.type[c]);
      for (int e = 0; e < t.edges; ++e)
        l.push_back((m.nodes[static_cast<std::size_t>(
                         m.cells.of(c)[static_cast<std::size_t>(t.edge[static_cast<std::size_t>(e)][0])])] -
                     m.nodes[static_cast<std::size_t>(
                         m.cells.of(c)[static_cast<std::size_t>(t.edge[static_cast<std::size_t>(e)][1])])])
                        .norm());
    }
    return l;
  };
  for (std::size_t i = 0; i < brief.rules.size(); ++i) {
    const Rule& rule = brief.rules[i];
    if (rule.off || (rule.kind != "size" && rule.kind != "everywhere")) continue;
    AskedGot a;
    if (rule.kind == "everywhere") {
      auto l = cellEdges();
      a = quantiles(l, part.unit);
      a.asked = formatNumber(overallTarget(brief, part), 4) + " " + part.unit;
    } else {
      std::set<int> faces, edges, points;
      for (const auto& name : splitList(rule.get("on"))) {
        if (name == "everywhere")
          for (int f = 0; f < part.count(Dim::Face); ++f) faces.insert(f);
        for (const auto& g : groups) {
          if (g.name != name) continue;
          if (g.dim == Dim::Face) faces.insert(g.entities.begin(), g.entities.end());
          if (g.dim == Dim::Body)
            for (int b : g.entities)
              faces.insert(part.bodies[static_cast<std::size_t>(b)].faces.begin(),
                           part.bodies[static_cast<std::size_t>(b)].faces.end());
          if (g.dim == Dim::Edge) edges.insert(g.entities.begin(), g.entities.end());
          if (g.dim == Dim::Point) points.insert(g.entities.begin(), g.entities.end());
        }
      }
      std::vector<double> l = faceEdges(faces, false);
      if (!edges.empty() || !points.empty())
        for (std::size_t f = 0; f < m.faces.size(); ++f) {
          auto n = m.faces.of(f);
          for (int k = 0; k < 3; ++k) {
            auto a0 = static_cast<std::size_t>(n[static_cast<std::size_t>(k)]),
                 b0 = static_cast<std::size_t>(n[static_cast<std::size_t>((k + 1) % 3)]);
            auto on = [&](std::size_t v) {
              const auto& x = m.nodeLink[v];
              if (x.dim == 1) return edges.count(x.entity) > 0;
              if (x.dim != 0) return false;
              for (int e : edges)
                if (part.edges[static_cast<std::size_t>(e)].points[0] == x.entity ||
                    part.edges[static_cast<std::size_t>(e)].points[1] == x.entity)
                  return true;
              return false;
            };
            auto tip = [&](std::size_t v) { return m.nodeLink[v].dim == 0 && points.count(m.nodeLink[v].entity) > 0; };
            if ((on(a0) && on(b0)) || tip(a0) || tip(b0)) l.push_back((m.nodes[a0] - m.nodes[b0]).norm());
          }
        }
      a = quantiles(l, part.unit);
      a.asked = rule.get("length");
    }
    a.rule = static_cast<int>(i);
    a.id = rule.kind + "-" + std::to_string(i + 1);
    r.push_back(a);
  }
  return r;
}

} // namespace

Result<RunResult> runBrief(const Brief& brief, const Part& part, int threads, Progress& progress) {
  auto begin = std::chrono::steady_clock::now();
  RunResult run;
  run.brief = brief;
  run.threads = threads > 0 ? threads : static_cast<int>(std::thread::hardware_concurrency());
  run.problems = part.problems;
  for (auto& p : validateBrief(brief, part.unit)) {
    if (p.severity == Severity::Error) return p;
    run.problems.push_back(p);
  }
  progress.stage("Sizes", 0, 0.05);
  run.groups = resolveGroups(brief, part, run.problems);
  SizeField size = briefSizeField(brief, part, run.groups, run.problems);
  // A size that asks for more elements than the machine can hold is refused before anything is built.
  double target = overallTarget(brief, part), estimate = 8.5 * part.volume() / (target * target * target);
  double surface = 2.31 * part.surfaceArea() / (target * target) * 4;
  if (estimate + surface > 3e8) {
    Problem p;
    p.fault = Fault::Usage;
    p.code = "size.absurd";
    p.what = "a size of " + formatNumber(target, 4) + " " + part.unit + " would need about " +
             formatNumber(estimate + surface, 2) + " elements";
    p.where = part.sizeText();
    p.why = "that is more than a machine can hold";
    p.todo = "ask for a larger size, or check the unit of the part and of the size";
    return p;
  }
  MeshOptions options;
  options.threads = run.threads;
  if (const Rule* f = brief.first("fill")) options.order = f->get("order") == "2" ? 2 : 1;
  auto m = meshPart(part, size, options, progress);
  if (!m) return m.problem();
  run.mesh = std::move(m->mesh);
  run.timings = m->timings;
  run.deviation = m->surfaceDeviation;
  run.problems.insert(run.problems.end(), m->problems.begin(), m->problems.end());
  attachGroups(run.mesh, run.groups, part);
  progress.stage("Audit", 0.95, 1);
  auto t0 = std::chrono::steady_clock::now();
  const Rule* judge = brief.first("judge");
  run.audit = auditMesh(run.mesh, *limitSet(judge ? judge->get("purpose") : "general"), &progress);
  progress.check();
  run.timings.push_back({"audit", std::chrono::duration<double>(std::chrono::steady_clock::now() - t0).count()});
  run.rules = compareAskedGot(brief, part, run.mesh, run.groups);
  run.geometryVolume = part.volume();
  for (std::size_t f = 0; f < run.mesh.faces.size(); ++f) run.surfaceArea += faceArea(run.mesh, f);
  auto loose = unassignedFaces(part, run.groups);
  if (!loose.empty() && !run.groups.empty()) {
    Problem p;
    p.severity = Severity::Note;
    p.code = "groups.unassigned";
    p.what =
        std::to_string(loose.size()) + (loose.size() == 1 ? " outer face is" : " outer faces are") + " in no group";
    p.faces = loose;
    p.places.push_back(typicalPoint(part, Dim::Face, loose.front()));
    p.where = "first at " + formatPoint(p.places[0]) + " " + part.unit;
    p.why = "no boundary condition can be put on them by name";
    p.todo = "add them to a group if the solver needs them";
    run.problems.push_back(p);
  }
  rusage u{};
  getrusage(RUSAGE_SELF, &u);
  run.peakMemory = static_cast<std::size_t>(u.ru_maxrss) * 1024;
  run.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return run;
}

std::optional<Problem> handOver(const RunResult& run, const Rule& rule) {
  std::string path = run.brief.resolve(rule.get("path"));
  auto format = rule.get("format").empty() ? meshFormatOfPath(path) : meshFormatByName(rule.get("format"));
  if (!format) {
    Problem p;
    p.fault = Fault::Usage;
    p.code = "file.format";
    p.what = "the format of '" + path + "' is not known";
    p.todo = "name one of vtu, inp, foam, stl, ply";
    return p;
  }
  double scale = slotNumber(rule, "scale", run.mesh.unit);
  if (auto p = writeMesh(run.mesh, *format, path, scale)) return p;
  return verifyWritten(run.mesh, *format, path, scale);
}

nlohmann::json problemJson(const Problem& p) {
  static const char* severities[] = {"note", "warning", "error"};
  nlohmann::json j{{"severity", severities[static_cast<int>(p.severity)]},
                   {"code", p.code},
                   {"what", p.what},
                   {"where", p.where},
                   {"why", p.why},
                   {"todo", p.todo}};
  for (std::size_t i = 0; i < std::min<std::size_t>(p.places.size(), 50); ++i)
    j["places"].push_back({p.places[i].x(), p.places[i].y(), p.places[i].z()});
  return j;
}

nlohmann::json auditReport(const Mesh& m, const Audit& a) {
  nlohmann::json j;
  std::map<std::string, std::size_t> count;
  for (auto t : m.cells.type) ++count[std::string(topology(t).name)];
  j["elements"] = count;
  j["nodes"] = m.nodes.size();
  j["volume"] = meshVolume(m);
  j["unit"] = m.unit;
  std::vector<std::size_t> cells(m.regions.size(), 0);
  std::vector<double> vol(m.regions.size(), 0);
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    auto r = static_cast<std::size_t>(m.cellRegion[c]);
    ++cells[r];
    vol[r] += cellVolume(m, c);
  }
  j["regions"] = nlohmann::json::array();
  for (std::size_t r = 0; r < m.regions.size(); ++r)
    j["regions"].push_back({{"name", m.regions[r]}, {"elements", cells[r]}, {"volume", vol[r]}});
  j["groups"] = nlohmann::json::object();
  static const char* kinds[] = {"points", "edges", "faces", "bodies"};
  for (const auto& g : m.groups) {
    nlohmann::json x{{"kind", kinds[g.dim]}, {"entities", g.entities}, {"elements", g.items.size()}};
    double area = 0;
    if (g.dim == 2)
      for (auto f : g.items) area += faceArea(m, static_cast<std::size_t>(f));
    x["area"] = area;
    j["groups"][g.name] = x;
  }
  for (int k = 0; k < kMetrics; ++k) {
    const auto& v = a.metrics[static_cast<std::size_t>(k)];
    const auto& info = metricInfo(static_cast<Metric>(k));
    nlohmann::json x{{"min", v.min}, {"max", v.max}, {"mean", v.mean}, {"unit", info.unit}};
    std::map<std::string, std::array<double, 4>> byType; // min, max, sum, count
    for (std::size_t c = 0; c < v.value.size(); ++c) {
      auto [it, fresh] = byType.emplace(topology(m.cells.type[c]).name, std::array<double, 4>{1e300, -1e300, 0, 0});
      auto& [lo, hi, sum, number] = it->second;
      lo = std::min(lo, static_cast<double>(v.value[c]));
      hi = std::max(hi, static_cast<double>(v.value[c]));
      sum += v.value[c];
      ++number;
    }
    for (const auto& [type, t] : byType) x["by_type"][type] = {{"min", t[0]}, {"max", t[1]}, {"mean", t[2] / t[3]}};
    x["worst"] = nlohmann::json::array();
    for (std::size_t i = 0; i < std::min<std::size_t>(5, v.worst.size()); ++i) {
      Vec3 p = cellCenter(m, static_cast<std::size_t>(v.worst[i]));
      x["worst"].push_back({{"element", v.worst[i] + 1},
                            {"value", v.value[static_cast<std::size_t>(v.worst[i])]},
                            {"at", {p.x(), p.y(), p.z()}}});
    }
    j["metrics"][info.id] = x;
  }
  nlohmann::json limits = nlohmann::json::array();
  for (const auto& r : a.results)
    limits.push_back({{"metric", metricInfo(r.limit.metric).id},
                      {"at_least", r.limit.atLeast},
                      {"bound", r.limit.bound},
                      {"failing", r.failing},
                      {"share", r.share},
                      {"worst", r.worst},
                      {"source", r.limit.source}});
  j["verdict"] = {{"pass", a.pass},
                  {"set", a.limits.name},
                  {"sentence", a.sentence},
                  {"limits", limits},
                  {"failing_elements", a.failingCells},
                  {"type_not_allowed", a.notAllowedCells}};
  const auto& s = a.soundness;
  j["soundness"] = {{"sound", s.sound()},
                    {"inverted", s.inverted},
                    {"open_edges", s.openEdges},
                    {"crowded_edges", s.crowdedEdges},
                    {"duplicate_nodes", s.duplicateNodes},
                    {"duplicate_elements", s.duplicateCells},
                    {"unused_nodes", s.unusedNodes},
                    {"non_conforming_faces", s.nonConforming}};
  return j;
}

nlohmann::json runReport(const RunResult& run) {
  nlohmann::json j = auditReport(run.mesh, run.audit);
  j["status"] = "ok";
  j["geometry_volume"] = run.geometryVolume;
  j["surface_area"] = run.surfaceArea;
  j["surface_deviation"] = run.deviation;
  j["threads"] = run.threads;
  j["peak_memory_bytes"] = run.peakMemory;
  j["timings"] = nlohmann::json::object();
  for (const auto& [k, v] : run.timings) j["timings"][k] = v;
  j["timings"]["total"] = run.seconds;
  j["problems"] = nlohmann::json::array();
  for (const auto& p : run.problems) j["problems"].push_back(problemJson(p));
  j["rules"] = nlohmann::json::array();
  for (const auto& r : run.rules)
    j["rules"].push_back(
        {{"id", r.id}, {"asked", r.asked}, {"got", r.got}, {"median", r.median}, {"p05", r.low}, {"p95", r.high}});
  return j;
}

} // namespace tess
