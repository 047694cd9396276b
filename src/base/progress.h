// SPDX-License-Identifier: GPL-3.0-or-later
// Progress of a long task and the request to stop it. Safe to use from several threads; a stop unwinds as Cancelled,
// which is caught at the job's edge and is not an error.
#pragma once
#include <atomic>
#include <functional>
#include <mutex>
#include <string>

namespace tess {

struct Cancelled {};

class Progress {
public:
  /// Called with stage and share of the whole in [0, 1]; from worker threads.
  std::function<void(const std::string&, double)> onProgress;

  void stop() { m_stop = true; }
  bool stopped() const { return m_stop.load(std::memory_order_relaxed); }
  /// Throws Cancelled when a stop was asked for.
  void check() const {
    if (stopped()) throw Cancelled{};
  }
  /// Starts a stage that covers [from, to] of the whole.
  void stage(const std::string& name, double from, double to) {
    check();
    {
      std::lock_guard lock(m_mutex);
      m_name = name;
      m_from = from;
      m_to = to;
    }
    report(0);
  }
  /// Share of the current stage done, in [0, 1].
  void report(double share) {
    check();
    if (!onProgress) return;
    std::lock_guard lock(m_mutex);
    onProgress(m_name, m_from + (m_to - m_from) * share);
  }

private:
  std::atomic<bool> m_stop{false};
  std::mutex m_mutex;
  std::string m_name;
  double m_from = 0, m_to = 1;
};

} // namespace tess
