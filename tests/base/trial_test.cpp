// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/progress.h"
#include "base/trial.h"
#include <chrono>
#include <filesystem>
#include <fstream>
#include <gtest/gtest.h>
#include <thread>
#include <unistd.h>

using namespace tess;

namespace {
bool shell(const std::string& what, const Progress* progress = nullptr) {
  return survives({"/bin/sh", "-c", what}, progress);
}
} // namespace

TEST(Trial, tellsWhatEndsFromWhatCrashes) {
  EXPECT_TRUE(shell("exit 0"));
  EXPECT_FALSE(shell("exit 1"));
  EXPECT_FALSE(shell("kill -SEGV $$"));
  EXPECT_FALSE(shell("ulimit -t 1; while :; do :; done")) << "its time ran out";
  EXPECT_TRUE(survives({"/nowhere/at/all"})) << "nothing is known against what was not tried";
}

TEST(Trial, aStopEndsIt) {
  const std::string mark =
      (std::filesystem::temp_directory_path() / ("tess_trial_" + std::to_string(getpid()))).string();
  Progress progress;
  std::thread later([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
    progress.stop();
  });
  const auto from = std::chrono::steady_clock::now();
  EXPECT_THROW((void)shell("echo $$ > " + mark + "; exec sleep 100", &progress), Cancelled);
  EXPECT_LT(std::chrono::steady_clock::now() - from, std::chrono::seconds(5));
  later.join();
  int pid = 0;
  std::ifstream(mark) >> pid;
  EXPECT_GT(pid, 0);
  EXPECT_FALSE(std::filesystem::exists("/proc/" + std::to_string(pid))) << "it works on";
  std::filesystem::remove(mark);
}

TEST(Trial, theHelperReadsSoundFilesAndDiesOfDamagedOnes) {
  ASSERT_NE(trialProgram(), "");
  const auto dir = std::filesystem::temp_directory_path() / ("tess_trials_" + std::to_string(getpid()));
  std::filesystem::create_directories(dir);
  auto file = [&](const char* name, const std::string& text) {
    std::ofstream(dir / name) << text;
    return (dir / name).string();
  };
  auto triangle = [&](const char* name, const std::string& points) {
    return file(name,
                "<VTKFile type=\"PolyData\" version=\"0.1\" byte_order=\"LittleEndian\"><PolyData><Piece "
                "NumberOfPoints=\"" +
                    points +
                    "\" NumberOfPolys=\"1\"><Points><DataArray type=\"Float64\" "
                    "NumberOfComponents=\"3\" format=\"ascii\">0 0 0 1 0 0 0 1 0</DataArray></Points><Polys>"
                    "<DataArray type=\"Int64\" Name=\"connectivity\" format=\"ascii\">0 1 2</DataArray><DataArray "
                    "type=\"Int64\" Name=\"offsets\" format=\"ascii\">3</DataArray></Polys></Piece></PolyData>"
                    "</VTKFile>");
  };
  EXPECT_TRUE(readerSurvives("vtp", triangle("sound.vtp", "3")));
  EXPECT_FALSE(readerSurvives("vtp", triangle("huge.vtp", "2000000000"))) << "48 GB for a file of some hundred bytes";
  EXPECT_FALSE(readerSurvives("step", file("no.step", ""))) << "a kind that the helper does not know";
  std::filesystem::remove_all(dir);
}
