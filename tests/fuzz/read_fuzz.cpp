// SPDX-License-Identifier: GPL-3.0-or-later
// Fuzz target for everything that reads bytes from outside (libFuzzer): whatever comes, the answer is a result or a
// problem. TESS_FUZZ_AS names what the bytes are: stl, obj, ply, vtp, vtk, inp, vtu, field (a VTU for its values),
// sibling (the boundary beside a VTU), run, limits, brief, value, or a file of a folder: points, faces, owner,
// neighbour, boundary. docs/dev/fuzz.md says how to run it.
#include "base/file.h"
#include "base/units.h"
#include "exchange/exchange.h"
#include "geometry/part.h"
#include "job/brief.h"
#include "job/limit_file.h"
#include "job/run_store.h"
#include "job/values.h"
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <map>
#include <unistd.h>

using namespace tess;

namespace {

std::string kind() {
  static const std::string k = [] {
    const char* e = std::getenv("TESS_FUZZ_AS");
    return std::string(e ? e : "brief");
  }();
  return k;
}

const std::string& scratch() {
  static const std::string path = [] {
    std::filesystem::path dir =
        std::filesystem::exists("/dev/shm") ? "/dev/shm" : std::filesystem::temp_directory_path();
    return (dir / ("tess_fuzz_" + std::to_string(getpid()) + "." + kind())).string();
  }();
  return path;
}

/// Where the bytes are one file of a mesh in a folder: that folder, with sound files beside it; else empty.
std::string foamFolder() {
  static const std::string folder = []() -> std::string {
    static const std::map<std::string, std::string> sound{
        {"points", "4((0 0 0)(1 0 0)(0 1 0)(0 0 1))"},
        {"faces", "4(3(0 2 1) 3(0 1 3) 3(0 3 2) 3(1 2 3))"},
        {"owner", "4(0 0 0 0)"},
        {"neighbour", "0()"},
        {"boundary", "1( wall { type patch; nFaces 4; startFace 0; } )"}};
    if (!sound.count(kind())) return {};
    const std::string at = scratch() + ".folder";
    std::filesystem::create_directories(at);
    for (const auto& [name, text] : sound)
      std::ofstream(at + "/" + name) << "FoamFile { version 2.0; format ascii; class dictionary; object " << name
                                     << "; }\n"
                                     << text << "\n";
    return at;
  }();
  return folder;
}

void readText(const std::string& text) {
  auto brief = parseBrief(text, "some.brief");
  if (!brief) return;
  validateBrief(*brief, "mm");
  // What could be read can be written and read again, and stays what it was.
  auto again = parseBrief(briefText(*brief), "some.brief");
  if (!again || briefText(*again) != briefText(*brief)) std::abort();
}

} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  std::string text(reinterpret_cast<const char*>(data), size);
  if (kind() == "brief") {
    readText(text);
    return 0;
  }
  if (kind() == "value") {
    Brief b = defaultBrief("part.step");
    b.rules.front().values["target"] = text;
    validateBrief(b, "mm");
    readText(briefText(b));
    return 0;
  }
  if (kind() == "limits") {
    auto set = parseLimits(text, "some.limits");
    if (!set) return 0;
    auto again = parseLimits(limitsText(*set), "some.limits");
    if (!again || limitsText(*again) != limitsText(*set)) std::abort();
    return 0;
  }
  if (const std::string folder = foamFolder(); !folder.empty()) {
    std::ofstream(folder + "/" + kind(), std::ios::binary)
        .write(text.data(), static_cast<std::streamsize>(text.size()));
    (void)readMesh(folder);
    return 0;
  }
  if (kind() == "sibling") { // of a sound grid; and as a surface of its own
    static const std::string grid = scratch() + ".vtu";
    static const bool written = [] {
      Mesh m;
      m.nodes = {Vec3(0, 0, 0), Vec3(1, 0, 0), Vec3(0, 1, 0), Vec3(0, 0, 1)};
      m.cells.add(ElementType::Tet4, std::vector<std::int32_t>{0, 1, 2, 3});
      m.cellRegion = {0};
      m.regions = {"solid"};
      rebuildFaces(m);
      return !writeVtu(m, grid, 1).has_value();
    }();
    if (!written) std::abort();
    std::ofstream(scratch() + ".boundary.vtp", std::ios::binary)
        .write(text.data(), static_cast<std::streamsize>(text.size()));
    (void)readMesh(grid);
    (void)readSurface(grid);
    return 0;
  }
  {
    std::ofstream out(scratch(), std::ios::binary);
    out.write(text.data(), static_cast<std::streamsize>(text.size()));
  }
  if (kind() == "run")
    (void)loadRun(scratch());
  else if (kind() == "inp" || kind() == "vtu")
    (void)readMesh(scratch());
  else if (kind() == "field")
    (void)readVtuArray(scratch(), "region");
  else
    (void)loadPart(scratch());
  return 0;
}
