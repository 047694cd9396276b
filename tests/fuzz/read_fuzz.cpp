// SPDX-License-Identifier: GPL-3.0-or-later
// Fuzz target for everything that reads bytes from outside (libFuzzer): whatever comes, the answer is a result or a
// problem. TESS_FUZZ_AS names what the bytes are: stl, obj, ply, inp, vtu, brief, value. docs/dev/fuzz.md says how to
// run it.
#include "base/file.h"
#include "base/units.h"
#include "exchange/exchange.h"
#include "geometry/part.h"
#include "job/brief.h"
#include "job/values.h"
#include <cstdlib>
#include <filesystem>
#include <fstream>
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
  {
    std::ofstream out(scratch(), std::ios::binary);
    out.write(text.data(), static_cast<std::streamsize>(text.size()));
  }
  if (kind() == "inp" || kind() == "vtu")
    (void)readMesh(scratch());
  else
    (void)loadPart(scratch());
  return 0;
}
