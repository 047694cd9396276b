// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/memory.h"
#include "base/units.h"
#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <malloc.h>
#include <unistd.h>

namespace tess {
namespace {

/// First number of a file; nothing when there is none ("max").
std::optional<std::size_t> numberIn(const std::filesystem::path& file) {
  std::ifstream in(file);
  std::size_t n = 0;
  if (in >> n) return n;
  return {};
}

/// Room that the control groups above this process leave (version 2 of their file system).
std::optional<std::size_t> roomOfGroup() {
  std::ifstream in("/proc/self/cgroup");
  std::string line;
  while (std::getline(in, line) && line.rfind("0::", 0) != 0) {
  }
  if (line.rfind("0::", 0) != 0) return {};
  std::optional<std::size_t> room;
  const std::filesystem::path root("/sys/fs/cgroup");
  for (std::filesystem::path at = line.substr(3);; at = at.parent_path()) {
    const std::filesystem::path folder = root / at.relative_path();
    const auto most = numberIn(folder / "memory.max"), now = numberIn(folder / "memory.current");
    if (most && now) {
      const std::size_t left = *most > *now ? *most - *now : 0;
      room = room ? std::min(*room, left) : left;
    }
    if (!at.has_relative_path()) return room;
  }
}

} // namespace

std::size_t memoryInUse() {
  std::ifstream in("/proc/self/statm");
  std::size_t all = 0, resident = 0;
  if (!(in >> all >> resident)) return 0;
  return resident * static_cast<std::size_t>(sysconf(_SC_PAGESIZE));
}

std::size_t memoryFree() {
  std::ifstream in("/proc/meminfo");
  std::string key, unit;
  std::size_t value = 0, free = 0;
  while (in >> key >> value) {
    std::getline(in, unit);
    if (key == "MemAvailable:") free = value * 1024;
  }
  const auto room = roomOfGroup();
  return room ? (free ? std::min(free, *room) : *room) : free;
}

MemoryPeak::MemoryPeak() {
  malloc_trim(0); // what earlier tasks left unused would hide what this one takes
  // Resets the largest resident size (Linux 4.0 on; see proc(5)).
  std::ofstream("/proc/self/clear_refs") << 5;
  m_before = memoryInUse();
}

std::size_t MemoryPeak::taken() const {
  std::ifstream in("/proc/self/status");
  std::string key;
  while (in >> key)
    if (std::size_t kilobytes = 0; key == "VmHWM:" && in >> kilobytes)
      return std::max(kilobytes * 1024, m_before) - m_before;
  return 0;
}

std::size_t memoryByDefault() {
  const std::size_t free = memoryFree();
  return free ? memoryInUse() + free / 10 * 9 : 0;
}

Result<std::size_t> parseMemory(const std::string& text) {
  auto bad = [&] {
    Problem p;
    p.fault = Fault::Usage;
    p.code = "memory.text";
    p.what = "'" + text + "' is no amount of memory";
    p.todo = "write it as '4 GB' or '500 MB', at least 1 MB";
    return p;
  };
  static const std::vector<std::pair<const char*, double>> units{
      {"GiB", 1073741824.0}, {"MiB", 1048576.0}, {"TB", 1e12}, {"GB", 1e9}, {"MB", 1e6}};
  for (const auto& [unit, bytes] : units) {
    const std::string end(unit);
    if (text.size() <= end.size() || text.compare(text.size() - end.size(), end.size(), end) != 0) continue;
    auto n = parseNumber(text.substr(0, text.size() - end.size()));
    if (!n || !(*n * bytes >= 1e6) || *n * bytes > 1e15) return bad();
    return static_cast<std::size_t>(*n * bytes);
  }
  return bad();
}

std::string memoryText(double bytes) {
  const bool small = bytes < 995e6;
  const double n = bytes / (small ? 1e6 : 1e9);
  // Two digits: nobody knows it better.
  const std::string digits = n >= 100  ? std::to_string(std::llround(n / 10) * 10)
                             : n >= 10 ? std::to_string(std::llround(n))
                                       : formatNumber(n, 2);
  return digits + (small ? " MB" : " GB");
}

Problem memoryProblem(std::size_t limit) {
  Problem p;
  p.fault = Fault::Meshing;
  p.code = "memory";
  p.what = limit ? "stopped: it takes more than the " + memoryText(static_cast<double>(limit)) + " of memory it may use"
                 : "the memory of this machine does not suffice";
  p.why = "the elements asked for are too many for it";
  p.todo = "ask for a larger size, or allow more memory";
  return p;
}

MemoryWatch::MemoryWatch(Progress& progress, std::size_t limit, std::function<std::size_t()> inUse) {
  if (limit == 0) return;
  m_thread = std::thread([this, &progress, limit, inUse = std::move(inUse)] {
    std::unique_lock lock(m_mutex);
    while (!m_done) {
      if (inUse() > limit) progress.stopForMemory(limit); // again when it goes on without what took it
      m_over.wait_for(lock, std::chrono::milliseconds(50), [this] { return m_done; });
    }
  });
}

MemoryWatch::~MemoryWatch() {
  {
    std::lock_guard lock(m_mutex);
    m_done = true;
  }
  m_over.notify_all();
  if (m_thread.joinable()) m_thread.join();
}

} // namespace tess
