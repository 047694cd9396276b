// SPDX-License-Identifier: GPL-3.0-or-later
// A mesh file over an older one, while the writing process is killed or the disk fills: the old or the new, never both.
#include "base/file.h"
#include "support/fixtures.h"
#include <chrono>
#include <csignal>
#include <sys/wait.h>
#include <thread>

using namespace tess;
using namespace tess::test;

namespace {

/// Two meshes of one box whose sets differ in name too, so that every file of an output differs.
void writeTwo(const TempFolder& dir) {
  Part part = made("box 4 2 1");
  for (auto [size, name, group] : {std::tuple{0.5, "old", "before"}, {0.2, "new", "after"}}) {
    Mesh m = meshOf(part, size).mesh;
    m.groups.push_back({group, 2, {}, 1});
    for (std::size_t f = 0; f < m.faces.size(); f += 2) m.groups[0].items.push_back(static_cast<std::int32_t>(f));
    m.regions = {std::string(group) + "_region"};
    ASSERT_FALSE(writeVtu(m, dir / (std::string(name) + ".vtu"), 1));
  }
}

std::vector<std::string> convertTo(const TempFolder& dir, const std::string& source, const std::string& out) {
  return {TESSEL, "convert", dir / (source + ".vtu"), (out == "case" ? "foam:" : "") + (dir / out)};
}

pid_t start(const std::vector<std::string>& words) {
  std::vector<char*> argv;
  for (const auto& w : words) argv.push_back(const_cast<char*>(w.c_str()));
  argv.push_back(nullptr);
  const pid_t pid = ::fork();
  if (pid == 0) {
    ::close(STDOUT_FILENO);
    ::close(STDERR_FILENO);
    ::execv(argv[0], argv.data());
    ::_exit(127);
  }
  return pid;
}
int ended(pid_t pid) {
  int status = 0;
  ::waitpid(pid, &status, 0);
  return status;
}

/// "old", "new", or what is wrong.
std::string stateOf(const std::string& path, const Mesh& old, const Mesh& fresh) {
  auto m = readMesh(path);
  if (!m) return m.problem().sentence();
  for (const auto* is : {&old, &fresh})
    if (m->cells.size() == is->cells.size() && m->nodes.size() == is->nodes.size()) {
      const bool sets = std::any_of(m->groups.begin(), m->groups.end(),
                                    [&](const auto& g) { return g.name == is->groups[0].name && g.items.size() > 10; });
      if (!sets) return "the cells of one mesh with the sets of another";
      if (m->regions.size() != 1 || m->regions[0] != is->regions[0]) return "its region is '" + m->regions[0] + "'";
      return is == &old ? "old" : "new";
    }
  return "neither mesh";
}

const char* const kOutputs[] = {"out.vtu", "out.inp", "case"};

} // namespace

TEST(Replace, aKilledProcessLeavesTheOldOrTheNew) {
  TempFolder dir;
  writeTwo(dir);
  for (const std::string out : kOutputs) {
    ASSERT_EQ(ended(start(convertTo(dir, "old", out))), 0);
    const Mesh old = *readMesh(dir / out);
    const auto from = std::chrono::steady_clock::now();
    ASSERT_EQ(ended(start(convertTo(dir, "new", out))), 0);
    const auto takes = std::chrono::steady_clock::now() - from;
    const Mesh fresh = *readMesh(dir / out);
    ASSERT_NE(old.cells.size(), fresh.cells.size());
    constexpr int kTries = 8;
    for (int i = 0; i < kTries; ++i) {
      ASSERT_EQ(ended(start(convertTo(dir, "old", out))), 0);
      const pid_t pid = start(convertTo(dir, "new", out));
      std::this_thread::sleep_for(takes * (i + 1) / (kTries + 1));
      ::kill(pid, SIGKILL);
      ended(pid);
      const std::string state = stateOf(dir / out, old, fresh);
      EXPECT_TRUE(state == "old" || state == "new") << out << ", killed at " << i << ": " << state;
    }
  }
}

TEST(Replace, aFullDiskLeavesTheOldAndSaysSo) {
  TempFolder dir;
  writeTwo(dir);
  for (const std::string out : kOutputs) {
    ASSERT_EQ(ended(start(convertTo(dir, "old", out))), 0);
    const Mesh old = *readMesh(dir / out), fresh = *readMesh(dir / "new.vtu");
    int refused = 0;
    for (int blocks : {1, 8, 40, 80, 160, 320}) { // of 512 bytes, the most that a file may take
      std::string command = "trap '' XFSZ; ulimit -f " + std::to_string(blocks) + "; exec";
      for (const auto& w : convertTo(dir, "new", out)) command += " '" + w + "'";
      const int status = ended(start({"/bin/sh", "-c", command + " 2> '" + (dir / "said") + "'"}));
      const std::string state = stateOf(dir / out, old, fresh);
      if (status == 0) {
        EXPECT_EQ(state, "new") << out << ", " << blocks;
        break;
      }
      ++refused;
      EXPECT_EQ(state, "old") << out << ", " << blocks;
      EXPECT_NE(readFile(dir / "said")->find("nothing was changed"), std::string::npos) << *readFile(dir / "said");
    }
    EXPECT_GT(refused, 1) << out;
  }
}

TEST(Replace, boundaryOfAnotherMeshIsToldNotUsed) {
  TempFolder dir;
  writeTwo(dir);
  std::filesystem::copy_file(dir / "new.boundary.vtp", dir / "old.boundary.vtp",
                             std::filesystem::copy_options::overwrite_existing);
  auto m = readMesh(dir / "old.vtu");
  ASSERT_FALSE(m.ok());
  EXPECT_EQ(m.problem().code, "file.mixed");
  EXPECT_NE(m.problem().where.find("old.boundary.vtp"), std::string::npos);
  std::filesystem::remove(dir / "old.boundary.vtp");
  EXPECT_TRUE(readMesh(dir / "old.vtu").ok()) << "the cells alone";
}

TEST(Replace, polyMeshDropsWhatNumbersTheOldMeshAndKeepsTheRest) {
  TempFolder dir;
  Part part = made("box 1 1 1");
  const Mesh m = meshOf(part, 0.5).mesh;
  ASSERT_FALSE(writeFoam(m, dir / "c", 1));
  const std::string folder = dir / "c/constant/polyMesh/";
  std::filesystem::create_directory(folder + "sets");
  for (const char* name : {"sets/hot", "faceZones", "points.gz", "cellLevel.gz", "my notes.txt"})
    std::ofstream(folder + name) << "x";
  ASSERT_FALSE(writeFoam(m, dir / "c", 1));
  for (const char* name : {"sets", "faceZones", "points.gz", "cellLevel.gz"})
    EXPECT_FALSE(std::filesystem::exists(folder + name)) << name;
  EXPECT_TRUE(std::filesystem::exists(folder + "my notes.txt"));
  EXPECT_TRUE(readMesh(dir / "c").ok());
}
