// SPDX-License-Identifier: GPL-3.0-or-later
// Shared helpers of the tests: a private temp folder, quick meshes, file helpers.
#pragma once
#include "geometry/kernel_shape.h"
#include "job/run.h"
#include <filesystem>
#include <fstream>
#include <gtest/gtest.h>
#include <unistd.h>

namespace tess::test {

/// A folder of its own per test, removed afterwards.
class TempFolder {
public:
  TempFolder() {
    const auto* info = ::testing::UnitTest::GetInstance()->current_test_info();
    m_path = std::filesystem::temp_directory_path() /
             (std::string("tess-") + info->name() + "-" + std::to_string(::getpid()));
    std::filesystem::create_directories(m_path);
  }
  ~TempFolder() {
    std::error_code ec;
    std::filesystem::remove_all(m_path, ec);
  }
  std::string operator/(const std::string& name) const { return (m_path / name).string(); }
  std::string write(const std::string& name, const std::string& text) const {
    std::ofstream(m_path / name, std::ios::binary) << text;
    return *this / name;
  }

private:
  std::filesystem::path m_path;
};

inline std::string demo(const std::string& name) { return std::string(TESS_DEMO_DIR) + "/" + name; }

inline Part made(const std::string& recipe) {
  auto p = makeKernelPart(recipe);
  EXPECT_TRUE(p.ok()) << recipe << ": " << (p.ok() ? "" : p.problem().sentence());
  return *p;
}

inline MeshOutcome meshOf(const Part& part, double size, int order = 1, int threads = 0, double turn = 30) {
  SizeSettings s;
  s.target = size;
  s.turnDeg = turn;
  SizeField f = makeSizeField(part, {s});
  Progress progress;
  auto m = meshPart(part, f, {}, {order, threads}, progress);
  EXPECT_TRUE(m.ok()) << (m.ok() ? "" : m.problem().sentence());
  return std::move(*m);
}

inline RunResult runOf(const std::string& briefPath, int threads = 0) {
  auto b = loadBrief(briefPath);
  EXPECT_TRUE(b.ok()) << (b.ok() ? "" : b.problem().sentence());
  auto part = loadPart(b->partPath());
  EXPECT_TRUE(part.ok()) << (part.ok() ? "" : part.problem().sentence());
  Progress progress;
  auto r = runBrief(*b, *part, threads, progress);
  EXPECT_TRUE(r.ok()) << (r.ok() ? "" : r.problem().sentence());
  return std::move(*r);
}

/// One regular element of each kind, for formulas and formats.
inline Mesh oneCell(ElementType type, const std::vector<Vec3>& nodes) {
  Mesh m;
  m.nodes = nodes;
  std::vector<std::int32_t> ids;
  for (std::size_t i = 0; i < nodes.size(); ++i) ids.push_back(static_cast<std::int32_t>(i));
  m.cells.add(type, ids);
  m.cellRegion = {0};
  m.regions = {"solid"};
  rebuildFaces(m);
  return m;
}

} // namespace tess::test
