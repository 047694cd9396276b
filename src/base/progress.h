// SPDX-License-Identifier: GPL-3.0-or-later
// Progress of a long task and the request to stop it. Safe to use from several threads; a stop unwinds as Cancelled,
// which is caught at the job's edge and is not an error.
#pragma once
#include <atomic>
#include <functional>
#include <mutex>
#include <new>
#include <string>

namespace tess {

struct Cancelled {};
/// The task would take more memory than it may; a lack of memory like any other.
struct MemoryExceeded : std::bad_alloc {
  explicit MemoryExceeded(std::size_t bytes) : limit(bytes) {}
  const char* what() const noexcept override { return "more memory than allowed"; }
  std::size_t limit;
};

class Progress {
public:
  /// Called with stage and share of the whole in [0, 1]; from worker threads.
  std::function<void(const std::string&, double)> onProgress;

  void stop() {
    m_asked = true;
    m_stop = true;
  }
  /// Stops because of a lack of memory; `limit`: bytes that were allowed.
  void stopForMemory(std::size_t limit) {
    m_limit = limit;
    m_stop = true;
  }
  /// Goes on after a lack of memory: what took it has been let go. A stop that was asked for stays.
  void goOnWithoutIt() {
    m_limit = 0;
    m_stop = m_asked.load();
  }
  bool stopped() const { return m_stop.load(std::memory_order_relaxed); }
  /// Throws Cancelled when a stop was asked for, MemoryExceeded after stopForMemory().
  void check() const {
    if (!m_stop.load(std::memory_order_acquire)) return; // what was written before the stop is seen
    if (const std::size_t limit = m_limit) throw MemoryExceeded(limit);
    throw Cancelled{};
  }
  /// Starts a stage that covers [from, to] of the whole.
  void stage(const std::string& name, double from, double to) {
    check();
    {
      std::lock_guard lock(m_mutex);
      m_name = m_again.empty() ? name : m_again + ": " + name;
      m_from = from;
      m_to = to;
    }
    report(0);
  }
  /// Stages that were there before follow once more; `why` stands before their names from now on, until it is empty.
  void again(const std::string& why) {
    std::lock_guard lock(m_mutex);
    m_again = why;
  }
  /// Share of the current stage done, in [0, 1].
  void report(double share) {
    check();
    if (!onProgress) return;
    std::lock_guard lock(m_mutex);
    onProgress(m_name, m_from + (m_to - m_from) * share);
  }

private:
  std::atomic<bool> m_stop{false}, m_asked{false};
  std::atomic<std::size_t> m_limit{0};
  std::mutex m_mutex;
  std::string m_name, m_again;
  double m_from = 0, m_to = 1;
};

} // namespace tess
