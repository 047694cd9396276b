// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/progress.h"
#include "base/trial.h"
#include <chrono>
#include <csignal>
#include <gtest/gtest.h>
#include <thread>
#include <unistd.h>

using namespace tess;

namespace {
double secondsOf(const std::function<void()>& f) {
  const auto from = std::chrono::steady_clock::now();
  f();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - from).count();
}
} // namespace

TEST(Trial, TellsWorkThatEndsFromWorkThatCrashes) {
  int here = 0;
  EXPECT_TRUE(survives(100, [&] { here = 1; }));
  EXPECT_EQ(here, 0) << "it was done elsewhere";
  EXPECT_FALSE(survives(100, [] { std::raise(SIGSEGV); }));
  EXPECT_FALSE(survives(100, [] { throw 1; }));
}

TEST(Trial, WhatStandsStillSaysNothingAndIsNotWaitedForForEver) {
  EXPECT_LT(secondsOf([] {
              EXPECT_TRUE(survives(
                  100, [] { pause(); }, nullptr, 0.5));
            }),
            20);
  // What works on is waited for, though it takes longer.
  EXPECT_FALSE(survives(
      100,
      [] {
        const auto from = std::chrono::steady_clock::now();
        while (std::chrono::steady_clock::now() - from < std::chrono::milliseconds(3000)) {
        }
        throw 1;
      },
      nullptr, 1));
}

TEST(Trial, AStopEndsIt) {
  Progress progress;
  std::thread later([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
    progress.stop();
  });
  EXPECT_LT(secondsOf([&] {
              EXPECT_THROW((void)survives(
                               100, [] { pause(); }, &progress),
                           Cancelled);
            }),
            5);
  later.join();
}
