// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/open_part.h"
#include "exchange/exchange.h"
#include "job/cuts.h"
#include <chrono>
#include <cmath>
#include <map>

namespace tess {
namespace {

struct MeshPart {
  Part part;
  Mesh mesh;
  std::vector<MeshGroup> faceSets;
};

/// Regions without cells would be bodies without faces.
void dropEmptyRegions(Mesh& m) {
  std::vector<std::int32_t> to(m.regions.size(), -1);
  for (auto r : m.cellRegion) to[static_cast<std::size_t>(r)] = 0;
  std::int32_t next = 0;
  auto keep = [&](std::vector<std::string>& list) {
    std::vector<std::string> r;
    for (std::size_t i = 0; i < list.size(); ++i)
      if (to[i] >= 0) r.push_back(list[i]);
    list = std::move(r);
  };
  for (auto* list : {&m.regions, &m.materials, &m.media}) keep(*list);
  for (auto& t : to)
    if (t >= 0) t = next++;
  for (auto& r : m.cellRegion) r = to[static_cast<std::size_t>(r)];
  for (auto& sides : m.faceRegions)
    for (auto& r : sides)
      if (r >= 0) r = to[static_cast<std::size_t>(r)];
}

/// The boundary and the interfaces as triangles; `firstOf`: by face the first of its triangles. Those of order 2 are
/// cut at their mid nodes, so that the part follows them.
KnownSurface surfaceOf(const Mesh& m, const std::vector<MeshGroup>& sets, std::vector<std::size_t>& firstOf,
                       std::vector<int>& pointOf) {
  KnownSurface s;
  s.unit = m.unit;
  s.unitAssumed = m.unitAssumed;
  s.bodyNames = m.regions;
  std::vector<std::vector<int>> setsOf(m.faces.size());
  for (std::size_t k = 0; k < sets.size(); ++k)
    for (auto f : sets[k].items) setsOf[static_cast<std::size_t>(f)].push_back(static_cast<int>(k));
  std::map<std::vector<int>, int> labelOf;
  pointOf.assign(m.nodes.size(), -1);
  auto point = [&](std::int32_t n) {
    int& p = pointOf[static_cast<std::size_t>(n)];
    if (p < 0) {
      p = static_cast<int>(s.points.size());
      s.points.push_back(m.nodes[static_cast<std::size_t>(n)]);
    }
    return p;
  };
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    firstOf.push_back(s.triangles.size());
    int label = -1;
    if (!setsOf[f].empty()) {
      auto [it, fresh] = labelOf.emplace(setsOf[f], static_cast<int>(s.names.size()));
      if (fresh) {
        s.names.emplace_back();
        for (int k : setsOf[f]) s.names.back().push_back(sets[static_cast<std::size_t>(k)].name);
      }
      label = it->second;
    }
    // An interface belongs to the first of its cells, whichever region that is in; here all of it looks the same way.
    auto sides = m.faceRegions[f];
    const bool turned = sides[1] >= 0 && sides[1] < sides[0];
    if (turned) std::swap(sides[0], sides[1]);
    const auto n = m.faces.of(f);
    auto add = [&](std::size_t a, std::size_t b, std::size_t c) {
      if (turned) std::swap(b, c);
      s.triangles.push_back({point(n[a]), point(n[b]), point(n[c])});
      s.sides.push_back({sides[0], sides[1]});
      s.label.push_back(label);
    };
    if (m.faces.type[f] == ElementType::Tri6) {
      add(0, 3, 5);
      add(3, 1, 4);
      add(5, 4, 2);
      add(3, 4, 5);
    } else
      for (std::size_t i = 2; i < m.faces.cornerCount(f); ++i) add(0, i - 1, i);
  }
  return s;
}

Result<MeshPart> readMeshPart(const std::string& path, const LoadOptions& options, Progress* progress) {
  if (progress) progress->stage("Reading the mesh", 0, 0.6);
  auto mesh = readMesh(path, progress);
  if (!mesh) return mesh.problem();
  if (progress) progress->check();
  MeshPart r;
  Mesh& m = r.mesh = std::move(*mesh);
  dropEmptyRegions(m);
  for (auto& g : m.groups)
    if (g.dim == 2 && !g.items.empty()) r.faceSets.push_back(g);
  std::erase_if(m.groups, [](const MeshGroup& g) { return g.dim == 2; });
  std::vector<std::size_t> firstOf;
  std::vector<int> pointOf;
  KnownSurface surface = surfaceOf(m, r.faceSets, firstOf, pointOf);
  surface.path = path;
  if (progress) progress->stage("Faces of the mesh", 0.6, 0.9);
  SurfaceLinks links;
  auto part = partFromSurface(surface, options, &links);
  if (!part) return part.problem();
  if (progress) progress->check();
  r.part = std::move(*part);
  r.part.format =
      formatInfo(polyMeshFolder(path) ? MeshFormat::Foam : meshFormatOfPath(path).value_or(MeshFormat::Vtu)).title;
  m.unit = r.part.unit;
  for (std::size_t f = 0; f < m.faces.size(); ++f) m.faceLink[f] = links.faceOfTriangle[firstOf[f]];
  m.nodeLink.assign(m.nodes.size(), {});
  for (std::size_t n = 0; n < m.nodes.size(); ++n)
    if (pointOf[n] >= 0) {
      const auto& o = links.ofPoint[static_cast<std::size_t>(pointOf[n])];
      m.nodeLink[n] = {static_cast<std::int8_t>(o.dim), o.entity};
    }
  return r;
}

/// "bolts" or "bolts-2": a name that no group has.
std::string freshName(const std::vector<Rule>& rules, const std::string& base) {
  std::string name = base;
  for (int k = 2; std::any_of(rules.begin(), rules.end(), [&](const Rule& r) { return r.get("name") == name; }); ++k)
    name = base + "-" + std::to_string(k);
  return name;
}

} // namespace

bool holdsMesh(const std::string& path) {
  const auto format = meshFormatOfPath(path);
  return (format && !formatInfo(*format).surfaceOnly) || polyMeshFolder(path);
}

Result<Part> withCuts(std::shared_ptr<const Part> whole, const PartOptions& options, Progress* progress) {
  if (std::none_of(options.cuts.begin(), options.cuts.end(), [](const Rule& r) { return isCut(r.kind); }))
    return *whole;
  return cutFurther(std::move(whole), options.cuts, options.folder, progress);
}

Result<OpenedPart> openPart(const std::string& path, const PartOptions& options, Progress* progress) {
  if (!holdsMesh(path)) {
    auto part = loadPart(path, options, progress);
    if (!part) return part.problem();
    if (options.cuts.empty()) return OpenedPart{std::move(*part), {}, {}};
    auto pieces = withCuts(std::make_shared<const Part>(std::move(*part)), options, progress);
    if (!pieces) return pieces.problem();
    return OpenedPart{std::move(*pieces), {}, {}};
  }
  auto read = readMeshPart(path, options, progress);
  if (!read) return read.problem();
  OpenedPart r;
  for (const auto& set : read->faceSets) {
    Rule g{"group", {{"name", freshName(r.rules, set.name)}, {"cad_name", set.name}}, "", false, {}};
    const auto& roles = ruleKind("group")->slot("role")->choices;
    if (std::find(roles.begin(), roles.end(), set.role) != roles.end()) g.values["role"] = set.role;
    r.rules.push_back(g);
  }
  // The size that the surface has, for when it is meshed anew and for what limits are multiples of.
  double sum = 0;
  std::size_t count = 0;
  for (std::size_t f = 0; f < read->mesh.faces.size(); ++f) {
    const auto n = read->mesh.faces.of(f);
    const std::size_t corners = read->mesh.faces.cornerCount(f);
    for (std::size_t i = 0; i < corners; ++i, ++count)
      sum += (read->mesh.nodes[static_cast<std::size_t>(n[i])] -
              read->mesh.nodes[static_cast<std::size_t>(n[(i + 1) % corners])])
                 .norm();
  }
  const std::string size = formatNumber(sum / static_cast<double>(std::max<std::size_t>(1, count)), 3);
  r.rules.push_back({"everywhere", {{"target", size + " " + read->part.unit}}, "", false, {}});
  r.rules.push_back({"take_mesh", {}, "", false, {}});
  r.part = std::move(read->part);
  if (!options.cuts.empty()) {
    auto told = withCuts(std::make_shared<const Part>(r.part), options, progress);
    if (!told) return told.problem();
    r.part = std::move(*told);
  }
  return r;
}

Brief withRulesOf(Brief brief, const OpenedPart& opened, bool take) {
  std::vector<Rule> groups;
  for (const Rule& r : opened.rules) {
    if (r.kind == "group")
      groups.push_back(r);
    else if (r.kind == "everywhere") {
      for (Rule& x : brief.rules)
        if (x.kind == r.kind && !x.values.count("target")) x.values["target"] = r.get("target");
    } else if (take) {
      auto at = std::find_if(brief.rules.begin(), brief.rules.end(), [](const Rule& x) { return x.kind == "fill"; });
      if (at != brief.rules.end())
        *at = r; // one or the other
      else
        brief.rules.push_back(r);
    }
  }
  brief.rules.insert(brief.rules.begin(), groups.begin(), groups.end());
  return brief;
}

Result<MeshOutcome> takeMesh(const Part& part, const LoadOptions& options, Progress& progress) {
  auto differs = [&](const std::string& what, const std::string& todo) {
    Problem p;
    p.code = "mesh.not-of-part";
    p.what = what;
    p.where = part.path;
    p.why = "the rule 'take_mesh' takes the elements of the part's own file";
    p.todo = todo;
    return p;
  };
  if (!holdsMesh(part.path)) return differs("the part's file holds no mesh", "remove the rule, or let it be meshed");
  const auto begin = std::chrono::steady_clock::now();
  auto read = readMeshPart(part.path, options, &progress);
  if (!read) return read.problem();
  const auto &now = read->part.display, &then = part.display;
  if (now.points != then.points || now.triangles != then.triangles || now.triangleFace != then.triangleFace)
    return differs("the mesh has changed since the part was read", "read the part again");
  MeshOutcome out;
  out.mesh = std::move(read->mesh);
  out.timings.push_back({"reading", std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count()});
  return out;
}

} // namespace tess
