// SPDX-License-Identifier: GPL-3.0-or-later
// Files that were damaged on their way: whatever bytes changed, a reader answers with a mesh, a part or a problem that
// says what is wrong, within bounds. Deterministic; a fuzzer goes further than this.
#include "base/file.h"
#include "exchange/exchange.h"
#include "support/fixtures.h"
#include <cstdlib>
#include <random>
#include <sys/wait.h>

using namespace tess;
using namespace tess::test;

namespace {

std::string damaged(std::string text, std::mt19937& rng) {
  auto below = [&](std::size_t n) { return std::uniform_int_distribution<std::size_t>(0, n - 1)(rng); };
  static const char* const pieces[] = {"-1", "999999999", "nan", "1e999", "0", "\n", "\"", "<", "", "4294967296"};
  for (std::size_t k = 1 + below(4); k > 0 && text.size() > 8; --k) {
    std::size_t at = below(text.size());
    switch (below(5)) {
    case 0:
      text[at] = static_cast<char>(below(256));
      break;
    case 1:
      text.resize(at);
      break;
    case 2:
      text.erase(at, 1 + below(40));
      break;
    case 3:
      text.insert(at, text.substr(below(text.size()), 1 + below(60)));
      break;
    default: { // a number becomes another
      std::size_t from = text.find_first_of("0123456789", at);
      if (from == std::string::npos) break;
      std::size_t to = text.find_first_not_of("0123456789.", from);
      text.replace(from, (to == std::string::npos ? text.size() : to) - from, pieces[below(10)]);
    }
    }
  }
  return text;
}

class DamagedText : public ::testing::TestWithParam<const char*> {};

} // namespace

TEST_P(DamagedText, IsAnsweredByAResultOrAProblem) {
  TempFolder dir;
  std::string ext = GetParam();
  Mesh m = meshOf(made("box 3 2 1"), 1).mesh;
  m.groups.push_back({"some", 2, {0, 1, 2}, 1});
  std::string path = dir / ("whole." + ext);
  if (ext == "brief" || ext == "step")
    dir.write("whole." + ext, *readFile(demo("saddle-clamp." + ext)));
  else
    ASSERT_FALSE(writeMesh(m, *meshFormatByName(ext), path).has_value());
  std::string whole = *readFile(path);
  std::mt19937 rng(20);
  int problems = 0;
  for (int i = 0; i < (ext == "step" ? 30 : 150); ++i) {
    std::string file = dir.write("bad." + ext, damaged(whole, rng));
    std::optional<Problem> p;
    if (ext == "step") { // in a process of its own: the kernel is not used again after a fault
      int status = std::system(
          (std::string("timeout 30 ") + TESSEL + " inspect " + file + " > /dev/null 2> " + (dir / "said")).c_str());
      ASSERT_TRUE(WIFEXITED(status));
      ASSERT_TRUE(WEXITSTATUS(status) == 0 || WEXITSTATUS(status) == 3) << WEXITSTATUS(status) << " at " << i;
      if (WEXITSTATUS(status) == 0) continue;
      ++problems;
      EXPECT_NE(readFile(dir / "said")->find("why:"), std::string::npos);
      continue;
    }
    if (ext == "brief") {
      auto r = loadBrief(file);
      if (!r) p = r.problem();
    } else if (ext == "stl" || ext == "ply") {
      auto r = loadPart(file);
      if (!r)
        p = r.problem();
      else
        EXPECT_TRUE(std::isfinite(r->volume()));
    } else {
      auto r = readMesh(file);
      if (!r)
        p = r.problem();
      else {
        for (auto n : r->cells.nodes) ASSERT_LT(static_cast<std::size_t>(n), r->nodes.size());
        for (const auto& g : r->groups)
          for (auto item : g.items)
            ASSERT_LT(static_cast<std::size_t>(item), g.dim == 3   ? r->cells.size()
                                                      : g.dim == 2 ? r->faces.size()
                                                                   : r->nodes.size());
      }
    }
    if (!p) continue;
    ++problems;
    EXPECT_FALSE(p->what.empty());
    EXPECT_FALSE(p->why.empty() && p->where.empty()) << p->what;
  }
  EXPECT_GT(problems, 10); // the damage is real
}
INSTANTIATE_TEST_SUITE_P(Files, DamagedText, ::testing::Values("vtu", "inp", "stl", "ply", "step", "brief"),
                         [](const auto& i) { return std::string(i.param); });

TEST(KernelFault, IsAProblemAndTheKernelIsNotUsedAgain) {
  TempFolder dir;
  // A vertex that refers to an entity that is no point: the kernel's reader follows it all the same.
  std::string text = *readFile(demo("saddle-clamp.step"));
  std::size_t at = text.find("VERTEX_POINT('',#"), end = text.find(')', at);
  ASSERT_NE(at, std::string::npos);
  text.replace(at, end - at, "VERTEX_POINT('',#1");
  std::string bad = dir.write("bad.step", text);
  EXPECT_EXIT(
      {
        auto first = loadPart(bad);
        auto second = loadPart(demo("keel-bracket.step"));
        bool told = !first && first.problem().code == "file.unreadable" && !second &&
                    second.problem().todo.find("start the program again") != std::string::npos;
        _exit(told ? 0 : 1);
      },
      ::testing::ExitedWithCode(0), "");
}
