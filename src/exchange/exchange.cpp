// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/exchange.h"
#include "base/file.h"
#include "base/units.h"
#include <algorithm>
#include <cctype>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <set>

namespace tess {

const std::vector<FormatInfo>& meshFormats() {
  //                          name, title, extensions, unit, one group a face, surface only, linear only, polyhedra,
  //                          inner sets, cell sets, node sets, regions
  static const std::vector<FormatInfo> all = {
      {MeshFormat::Vtu, "vtu", "VTU", {".vtu"}, "", false, false, false, true, true, true, true, true},
      {MeshFormat::Inp, "inp", "Solver deck", {".inp"}, "", false, false, false, false, true, true, true, true},
      {MeshFormat::Foam, "foam", "polyMesh", {}, "m", true, false, true, true, false, false, false, true},
      {MeshFormat::Cgns, "cgns", "CGNS", {".cgns"}, "", false, false, false, true, true, false, true, true},
      {MeshFormat::Exodus,
       "exodus",
       "Exodus II",
       {".exo", ".e", ".exodus"},
       "",
       false,
       false,
       false,
       false,
       true,
       true,
       true,
       true},
      {MeshFormat::Su2, "su2", "SU2", {".su2"}, "", true, false, true, false, false, false, false, false},
      {MeshFormat::Stl, "stl", "STL", {".stl"}, "", true, true, true, false, true, false, false, false},
      {MeshFormat::Ply, "ply", "PLY", {".ply"}, "", true, true, true, false, true, false, false, false}};
  return all;
}
const FormatInfo& formatInfo(MeshFormat f) {
  const auto& all = meshFormats();
  return *std::find_if(all.begin(), all.end(), [&](const auto& r) { return r.format == f; });
}

std::optional<MeshFormat> meshFormatByName(std::string_view name) {
  for (const auto& r : meshFormats())
    if (name == r.name) return r.format;
  return {};
}
std::optional<MeshFormat> meshFormatOfPath(const std::string& path) {
  std::string e = std::filesystem::path(path).extension().string();
  for (char& c : e) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  for (const auto& r : meshFormats())
    for (const char* x : r.extensions)
      if (e == x) return r.format;
  return {};
}
const char* meshFormatName(MeshFormat f) { return formatInfo(f).name; }

namespace {
std::string orList(const std::vector<std::string>& words) {
  std::string r;
  for (std::size_t i = 0; i < words.size(); ++i) r += (i == 0 ? "" : i + 1 == words.size() ? " or " : ", ") + words[i];
  return r;
}
} // namespace

std::string formatNames() {
  std::vector<std::string> words;
  for (const auto& r : meshFormats()) words.push_back(r.name);
  return orList(words);
}
std::string formatTitles(const std::function<bool(const FormatInfo&)>& which) {
  std::vector<std::string> words;
  for (const auto& r : meshFormats())
    if (which(r)) words.push_back(r.title);
  return orList(words);
}

double conventionalScale(MeshFormat f, const std::string& unit) {
  const FormatInfo& r = formatInfo(f);
  static const std::set<std::string> inCgns{"m", "cm", "mm", "in", "ft"}; // it has words for these
  if (f == MeshFormat::Cgns && !inCgns.count(unit))
    if (const auto mm = millimetresPer(unit)) return *mm / 1000;
  if (*r.unit)
    if (const auto from = millimetresPer(unit), to = millimetresPer(r.unit); from && to) return *from / *to;
  return 1;
}
bool holdsOneGroupAFace(MeshFormat f) { return formatInfo(f).oneGroupAFace; }

std::vector<Loss> lossesIn(MeshFormat f, const Mesh& m) {
  const FormatInfo& r = formatInfo(f);
  std::vector<Loss> l;
  const std::string title = r.title;
  if (r.surfaceOnly) return l; // asked for as a surface
  auto has = [&](ElementType t) {
    return std::find(m.cells.type.begin(), m.cells.type.end(), t) != m.cells.type.end();
  };
  if (!r.polyhedra && has(ElementType::Polyhedron))
    l.push_back(
        {"polyhedra cannot be written to " + title, "the format has no word for cells of any number of faces", true});
  if (r.linearOnly && ordersOf(m).quadratic)
    l.push_back({"mid nodes are left out in " + title, "it holds elements of order 1 only: curved faces become flat"});
  if (f == MeshFormat::Inp && has(ElementType::Pyramid13))
    l.push_back({"pyramids of order 2 are written to a solver deck as collapsed hexahedra",
                 "the format has no pyramid; beside tetrahedra of order 2 stresses come out up to 5 % off there"});
  auto sets = [&](int dim) {
    std::string names;
    for (const auto& g : m.groups)
      if (g.dim == dim || (dim < 2 && g.dim < 2)) names += (names.empty() ? "'" : ", '") + g.name + "'";
    return names;
  };
  if (!r.cellSets)
    if (const auto names = sets(3); !names.empty())
      l.push_back({"the sets of elements " + names + " are left out in " + title, "it has no such sets"});
  if (!r.nodeSets)
    if (const auto names = sets(0); !names.empty())
      l.push_back({"the sets of nodes " + names + " are left out in " + title, "it has no such sets"});
  if (!r.regions && m.regions.size() > 1)
    l.push_back({"the " + std::to_string(m.regions.size()) + " regions become one in " + title,
                 "it has no names for parts of the volume"});
  if (!r.innerSets) {
    std::string names;
    for (const auto& g : m.groups)
      if (g.dim == 2 && std::any_of(g.items.begin(), g.items.end(), [&](auto i) {
            const auto& x = m.faceRegions[static_cast<std::size_t>(i)];
            return x[0] >= 0 && x[1] >= 0;
          }))
        names += (names.empty() ? "'" : ", '") + g.name + "'";
    if (!names.empty())
      l.push_back({"faces between bodies are left out of the sets " + names + " in " + title,
                   "its boundaries hold outer faces only"});
  }
  return l;
}

Problem cannotHold(MeshFormat f, ElementType type, const std::string& path) {
  return Problem::of(std::string(meshFormatName(f)) + "." + std::string(topology(type).name),
                     std::string(topology(type).name) + " elements cannot be written to " + formatInfo(f).title)
      .by(Fault::Output)
      .at(path)
      .because("the format has no word for them")
      .advise("choose " + formatTitles([](const FormatInfo& r) { return r.polyhedra; }));
}

std::vector<std::string> solverNames(const std::vector<std::string>& names) {
  std::vector<std::string> out;
  std::set<std::string> used;
  for (const auto& n : names) {
    std::string s;
    for (char c : n) s += std::isalnum(static_cast<unsigned char>(c)) && static_cast<unsigned char>(c) < 128 ? c : '_';
    if (s.empty() || !std::isalpha(static_cast<unsigned char>(s[0]))) s = "g_" + s;
    if (s.size() > 31) s.resize(31);
    auto fold = [](std::string t) {
      for (char& c : t) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
      return t;
    };
    std::string base = s;
    for (int k = 2; !used.insert(fold(s)).second; ++k) {
      std::string tail = "_" + std::to_string(k);
      s = base.substr(0, 31 - tail.size()) + tail;
    }
    out.push_back(s);
  }
  return out;
}

std::vector<std::int32_t> firstGroupOfFaces(const Mesh& m) {
  std::vector<std::int32_t> g(m.faces.size(), -1);
  for (std::size_t i = 0; i < m.groups.size(); ++i)
    if (m.groups[i].dim == 2)
      for (auto f : m.groups[i].items)
        if (g[static_cast<std::size_t>(f)] < 0) g[static_cast<std::size_t>(f)] = static_cast<std::int32_t>(i);
  return g;
}

std::optional<Problem> writeMesh(const Mesh& mesh, MeshFormat format, const std::string& path, double scale) {
  std::error_code ec;
  auto parent = std::filesystem::path(path).parent_path();
  if (!parent.empty()) std::filesystem::create_directories(parent, ec);
  switch (format) {
  case MeshFormat::Vtu:
    return writeVtu(mesh, path, scale);
  case MeshFormat::Inp:
    return writeInp(mesh, path, scale);
  case MeshFormat::Foam:
    return writeFoam(mesh, path, scale);
  case MeshFormat::Cgns:
    return writeCgns(mesh, path, scale);
  case MeshFormat::Exodus:
    return writeExodus(mesh, path, scale);
  case MeshFormat::Su2:
    return writeSu2(mesh, path, scale);
  case MeshFormat::Stl:
    return writeStl(mesh, path, scale);
  case MeshFormat::Ply:
    return writePly(mesh, path, scale);
  }
  return {};
}

namespace {
/// Whatever the path's ending says; not for formats of surfaces.
Result<Mesh> readAs(MeshFormat f, const std::string& path, const Progress* progress) {
  switch (f) {
  case MeshFormat::Vtu:
    return readVtu(path, progress);
  case MeshFormat::Inp:
    return readInp(path, progress);
  case MeshFormat::Cgns:
    return readCgns(path, progress);
  case MeshFormat::Exodus:
    return readExodus(path, progress);
  case MeshFormat::Su2:
    return readSu2(path, progress);
  default:
    return readFoam(path, progress);
  }
}
} // namespace

Result<Mesh> readMesh(const std::string& path, const Progress* progress) {
  auto f = meshFormatOfPath(path);
  std::error_code ec;
  if (!std::filesystem::exists(path, ec)) {
    Problem p;
    p.code = "file.missing";
    p.what = "the mesh file does not exist";
    p.where = path;
    p.why = "no file of this name can be opened";
    p.todo = "check the path";
    return p;
  }
  if (f && !formatInfo(*f).surfaceOnly) return readAs(*f, path, progress);
  if (polyMeshFolder(path)) return readFoam(path, progress);
  Problem p;
  p.code = "file.format";
  p.what = "the mesh format is not readable";
  p.where = path;
  std::string endings;
  for (const auto& r : meshFormats())
    for (const char* e : r.extensions)
      if (!r.surfaceOnly) endings += std::string(e) + ", ";
  p.why = "meshes come as " + endings + "or a folder with a polyMesh";
  p.todo = "convert the mesh to one of these";
  return p;
}

std::optional<Problem> verifyWritten(const Mesh& mesh, MeshFormat format, const std::string& path, double scale) {
  auto differ = [&](const std::string& why) {
    Problem p;
    p.fault = Fault::Output;
    p.code = "file.readback";
    p.what = "the file does not hold what was to be written";
    p.where = path;
    p.why = why;
    p.todo = "write it again to another place; keep both files for a report";
    return p;
  };
  const FormatInfo& info = formatInfo(format);
  if (info.surfaceOnly) return {};
  auto back = readAs(format, path, nullptr);
  if (!back) return back.problem();
  if (back->cells.size() != mesh.cells.size())
    return differ("it has " + std::to_string(back->cells.size()) + " elements instead of " +
                  std::to_string(mesh.cells.size()));
  if (info.linearOnly && ordersOf(mesh).quadratic) return {}; // written without its mid nodes
  if (back->nodes.size() != mesh.nodes.size())
    return differ("it has " + std::to_string(back->nodes.size()) + " nodes instead of " +
                  std::to_string(mesh.nodes.size()));
  double v0 = meshVolume(mesh) * scale * scale * scale, v1 = meshVolume(*back);
  if (std::abs(v1 - v0) > 1e-8 * std::abs(v0))
    return differ("its volume is " + formatNumber(v1, 9) + " instead of " + formatNumber(v0, 9));
  auto area = [](const Mesh& m, const MeshGroup& g) {
    double a = 0;
    for (auto f : g.items) a += faceArea(m, static_cast<std::size_t>(f));
    return a;
  };
  auto outer = [&](std::int32_t f) {
    const auto& r = mesh.faceRegions[static_cast<std::size_t>(f)];
    return r[0] < 0 || r[1] < 0;
  };
  std::vector<double> a0, a1;
  const auto first = firstGroupOfFaces(mesh);
  for (std::size_t k = 0; k < mesh.groups.size(); ++k) {
    const MeshGroup& g = mesh.groups[k];
    if (g.dim != 2) continue;
    MeshGroup held{g.name, 2, {}};
    for (auto f : g.items) // a face stands in the first of its groups only, or outer faces do
      if ((!info.oneGroupAFace || first[static_cast<std::size_t>(f)] == static_cast<std::int32_t>(k)) &&
          (info.innerSets || outer(f)))
        held.items.push_back(f);
    if (!held.items.empty()) a0.push_back(area(mesh, held) * scale * scale);
  }
  for (const auto& g : back->groups)
    if (g.dim == 2 && !g.items.empty()) a1.push_back(area(*back, g));
  if (a0.size() != a1.size())
    return differ("it has " + std::to_string(a1.size()) + " face sets instead of " + std::to_string(a0.size()));
  for (std::size_t i = 0; i < a0.size(); ++i)
    if (std::abs(a0[i] - a1[i]) > 1e-6 * a0[i]) return differ("the area of a face set differs");
  if (format == MeshFormat::Vtu)
    for (const auto& g : mesh.groups) {
      auto same = [&](const MeshGroup& x) {
        return x.name == g.name && x.dim == g.dim && x.items.size() == g.items.size();
      };
      if (std::none_of(back->groups.begin(), back->groups.end(), same))
        return differ("the set '" + g.name + "' is not there, or has other members");
    }
  return {};
}

} // namespace tess
