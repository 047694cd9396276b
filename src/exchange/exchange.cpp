// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/exchange.h"
#include "base/file.h"
#include "base/units.h"
#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <set>

namespace tess {

namespace {
struct FormatRow {
  MeshFormat format;
  const char* name;
  const char* extension;
  const char* unit;   ///< that numbers in such a file are in by convention; empty: any
  bool oneGroupAFace; ///< a face stands in one set at most
};
constexpr FormatRow kFormats[] = {{MeshFormat::Vtu, "vtu", ".vtu", "", false},
                                  {MeshFormat::Inp, "inp", ".inp", "", false},
                                  {MeshFormat::Foam, "foam", "", "m", true},
                                  {MeshFormat::Stl, "stl", ".stl", "", true},
                                  {MeshFormat::Ply, "ply", ".ply", "", true}};
} // namespace

std::optional<MeshFormat> meshFormatByName(std::string_view name) {
  for (const auto& r : kFormats)
    if (name == r.name) return r.format;
  return {};
}
std::optional<MeshFormat> meshFormatOfPath(const std::string& path) {
  std::string e = std::filesystem::path(path).extension().string();
  for (char& c : e) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  for (const auto& r : kFormats)
    if (*r.extension && e == r.extension) return r.format;
  return {};
}
const char* meshFormatName(MeshFormat f) {
  for (const auto& r : kFormats)
    if (r.format == f) return r.name;
  return "";
}

double conventionalScale(MeshFormat f, const std::string& unit) {
  for (const auto& r : kFormats)
    if (r.format == f && *r.unit)
      if (const auto from = millimetresPer(unit), to = millimetresPer(r.unit); from && to) return *from / *to;
  return 1;
}
bool holdsOneGroupAFace(MeshFormat f) {
  return std::any_of(std::begin(kFormats), std::end(kFormats),
                     [&](const auto& r) { return r.format == f && r.oneGroupAFace; });
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
  case MeshFormat::Stl:
    return writeStl(mesh, path, scale);
  case MeshFormat::Ply:
    return writePly(mesh, path, scale);
  }
  return {};
}

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
  if (f == MeshFormat::Vtu) return readVtu(path, progress);
  if (f == MeshFormat::Inp) return readInp(path, progress);
  if (polyMeshFolder(path)) return readFoam(path, progress);
  Problem p;
  p.code = "file.format";
  p.what = "the mesh format is not readable";
  p.where = path;
  p.why = "meshes come as .vtu, .inp or a folder with a polyMesh";
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
  if (format == MeshFormat::Stl || format == MeshFormat::Ply) return {};
  auto back = readMesh(path);
  if (!back) return back.problem();
  if (back->cells.size() != mesh.cells.size())
    return differ("it has " + std::to_string(back->cells.size()) + " elements instead of " +
                  std::to_string(mesh.cells.size()));
  const bool curved = mesh.cells.size() && topology(mesh.cells.type[0]).order == 2;
  if (format == MeshFormat::Foam && curved) return {}; // written without its mid nodes
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
  std::vector<double> a0, a1;
  for (const auto& g : mesh.groups)
    if (g.dim == 2 && !g.items.empty()) a0.push_back(area(mesh, g) * scale * scale);
  for (const auto& g : back->groups)
    if (g.dim == 2 && !g.items.empty()) a1.push_back(area(*back, g));
  if (format == MeshFormat::Foam) { // a face stands in the first of its groups only
    a0.clear();
    std::vector<double> first(mesh.groups.size(), 0);
    const auto groupOf = firstGroupOfFaces(mesh);
    for (std::size_t f = 0; f < mesh.faces.size(); ++f)
      if (groupOf[f] >= 0 && (mesh.faceRegions[f][0] < 0 || mesh.faceRegions[f][1] < 0))
        first[static_cast<std::size_t>(groupOf[f])] += faceArea(mesh, f) * scale * scale;
    for (double a : first)
      if (a > 0) a0.push_back(a);
  }
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
