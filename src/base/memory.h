// SPDX-License-Identifier: GPL-3.0-or-later
// What memory a task may use, and the watch over it. A task that would run a machine out of memory is stopped with a
// problem before the system ends the program, and all that was open with it.
#pragma once
#include "base/problem.h"
#include "base/progress.h"
#include <condition_variable>
#include <cstddef>
#include <thread>

namespace tess {

/// Bytes of memory that this program holds now; 0 when the system does not tell.
std::size_t memoryInUse();
/// Bytes that could be had without swapping: of the machine, or of the control group the program runs in, whichever is
/// less; 0 when the system does not tell.
std::size_t memoryFree();
/// What is used when nobody says otherwise: what the program holds and nine tenths of what is free.
std::size_t memoryByDefault();
/// "4 GB", "500 MB", "2.5 GiB"; at least 1 MB.
Result<std::size_t> parseMemory(const std::string& text);
/// "4.1 GB", "730 MB"
std::string memoryText(double bytes);
/// The most memory that is taken at once from its making on, beyond what the program held then. Counts the whole
/// program, so of tasks at the same time each sees the others. Only one may be in use at a time.
class MemoryPeak {
public:
  MemoryPeak();
  /// Bytes; 0 when the system does not tell.
  std::size_t taken() const;

private:
  std::size_t m_before;
};

/// What to tell when a task went over its limit.
Problem memoryProblem(std::size_t limit);

/// While it lives, a task whose program holds more than `limit` bytes (0: any) is stopped: its next
/// Progress::check() throws MemoryExceeded. Looks twenty times a second.
class MemoryWatch {
public:
  MemoryWatch(Progress& progress, std::size_t limit, std::function<std::size_t()> inUse = memoryInUse);
  ~MemoryWatch();
  MemoryWatch(const MemoryWatch&) = delete;
  MemoryWatch& operator=(const MemoryWatch&) = delete;

private:
  std::mutex m_mutex;
  std::condition_variable m_over;
  bool m_done = false;
  std::thread m_thread;
};

} // namespace tess
