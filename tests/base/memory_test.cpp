// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/memory.h"
#include <chrono>
#include <gtest/gtest.h>

using namespace tess;

TEST(Memory, amountsAreReadWithTheirUnits) {
  EXPECT_EQ(*parseMemory("4 GB"), 4000000000u);
  EXPECT_EQ(*parseMemory("500MB"), 500000000u);
  EXPECT_EQ(*parseMemory("1.5 GiB"), 1610612736u);
  EXPECT_EQ(*parseMemory("2 * 3 GB"), 6000000000u);
  for (const char* bad : {"", "4", "GB", "-1 GB", "0 MB", "four GB", "4 kB", "1e9 TB", "nan GB"}) {
    auto r = parseMemory(bad);
    ASSERT_FALSE(r.ok()) << bad;
    EXPECT_EQ(r.problem().fault, Fault::Usage);
    EXPECT_FALSE(r.problem().todo.empty());
  }
  EXPECT_EQ(memoryText(4e9), "4 GB");
  EXPECT_EQ(memoryText(730e6), "730 MB");
  EXPECT_EQ(memoryText(63.9e6), "64 MB");
  EXPECT_EQ(memoryText(994e6), "990 MB");
  EXPECT_EQ(memoryText(999.9e6), "1 GB");
  EXPECT_EQ(memoryText(2.54e9), "2.5 GB");
}

TEST(Memory, theSystemTellsWhatIsThere) {
  const std::size_t before = memoryInUse();
  EXPECT_GT(before, 1000000u);
  std::vector<char> much(200000000, 1);
  EXPECT_GT(memoryInUse(), before + 150000000u);
  EXPECT_EQ(much[1000], 1);
  EXPECT_GT(memoryFree(), 0u);
  EXPECT_GT(memoryByDefault(), memoryInUse());
}

TEST(Memory, thePeakIsThatOfTheTaskAlone) {
  {
    const MemoryPeak first;
    std::vector<char> much(150000000, 1);
    EXPECT_EQ(much[1000], 1);
    much = {};
    EXPECT_GT(first.taken(), 140000000u);
    EXPECT_LT(first.taken(), 200000000u);
  }
  const std::vector<char> kept(100000000, 1); // held before the task begins
  const MemoryPeak second;
  std::vector<char> some(30000000, 1);
  EXPECT_EQ(some[1000] + kept[1000], 2);
  EXPECT_GT(second.taken(), 25000000u);
  EXPECT_LT(second.taken(), 80000000u);
}

TEST(Memory, aTaskThatTakesTooMuchIsStopped) {
  Progress progress;
  std::atomic<std::size_t> held{10};
  const MemoryWatch watch(progress, 1000, [&] { return held.load(); });
  const auto begin = std::chrono::steady_clock::now();
  auto late = [&] { return std::chrono::steady_clock::now() - begin > std::chrono::seconds(20); };
  EXPECT_NO_THROW(progress.check());
  held = 1001;
  std::size_t limit = 0;
  while (!late() && !limit) {
    try {
      progress.check();
      std::this_thread::sleep_for(std::chrono::milliseconds(2));
    } catch (const MemoryExceeded& e) {
      limit = e.limit;
    }
  }
  EXPECT_EQ(limit, 1000u);
  EXPECT_NE(memoryProblem(limit).what.find("0.001 MB"), std::string::npos);
}

TEST(Memory, aTaskThatLetsGoOfWhatTookTooMuchGoesOn) {
  Progress progress;
  std::atomic<std::size_t> held{2000};
  const MemoryWatch watch(progress, 1000, [&] { return held.load(); });
  const auto begin = std::chrono::steady_clock::now();
  auto stopped = [&] {
    while (!progress.stopped() && std::chrono::steady_clock::now() - begin < std::chrono::seconds(20))
      std::this_thread::sleep_for(std::chrono::milliseconds(2));
    return progress.stopped();
  };
  ASSERT_TRUE(stopped());
  held = 10;
  std::this_thread::sleep_for(std::chrono::milliseconds(120)); // the watch has seen it
  progress.goOnWithoutIt();
  EXPECT_NO_THROW(progress.check());
  held = 3000; // it is watched on
  ASSERT_TRUE(stopped());
  EXPECT_THROW(progress.check(), MemoryExceeded);
}

TEST(Memory, aStopBeforeIsAStopAndNoLimitNeverStops) {
  Progress progress;
  {
    const MemoryWatch none(progress, 0, [] { return std::size_t{1} << 60; });
    const MemoryWatch wide(progress, 1000, [] { return std::size_t{5}; });
    std::this_thread::sleep_for(std::chrono::milliseconds(120));
    EXPECT_NO_THROW(progress.check());
  } // both end at once
  progress.stop();
  EXPECT_THROW(progress.check(), Cancelled);
}
