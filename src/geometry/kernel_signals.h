// SPDX-License-Identifier: GPL-3.0-or-later
// The geometry kernel dereferences null handles on damaged files. While one of these lives, such faults become a
// Standard_Failure inside try blocks that begin with OCC_CATCH_SIGNALS, as the kernel provides for; the kernel has such
// blocks of its own and goes on after them without a word, so every fault is noted where the signal arrives. Handlers
// that were there before, and those of a stop by the user, stay as they are.
#pragma once
#ifndef OCC_CONVERT_SIGNALS
#define OCC_CONVERT_SIGNALS
#endif
#include <OSD.hxx>
#include <Standard_ErrorHandler.hxx>
#include <array>
#include <atomic>
#include <csignal>
#include <mutex>

namespace tess {

class KernelSignals {
public:
  KernelSignals() : m_alone(s_one) {
    for (std::size_t i = 0; i < kAll.size(); ++i) sigaction(kAll[i], nullptr, &m_before[i]);
    OSD::SetSignal(OSD_SignalMode_Set, false);
    restore(kFaults, kAll.size());
    for (std::size_t i = 0; i < kFaults; ++i) {
      sigaction(kAll[i], nullptr, &s_kernel[i]);
      struct sigaction mine = s_kernel[i];
      mine.sa_flags |= SA_SIGINFO;
      mine.sa_sigaction = note;
      sigaction(kAll[i], &mine, nullptr);
    }
  }
  ~KernelSignals() { restore(0, kAll.size()); }
  /// A fault leaves the kernel's own state as it was at that moment, locks included: it must not be used again.
  static bool faulted() { return s_faulted; }
  KernelSignals(const KernelSignals&) = delete;
  KernelSignals& operator=(const KernelSignals&) = delete;

private:
  static constexpr std::size_t kFaults = 5;
  static constexpr std::array<int, 9> kAll{SIGSEGV, SIGBUS, SIGFPE, SIGILL, SIGSYS, SIGINT, SIGTERM, SIGHUP, SIGQUIT};
  static inline std::atomic<bool> s_faulted{false};
  static inline std::array<struct sigaction, kFaults> s_kernel; ///< the kernel's own handlers
  static void note(int signal, siginfo_t* info, void* context) {
    s_faulted = true;
    for (std::size_t i = 0; i < kFaults; ++i) {
      if (kAll[i] != signal) continue;
      if (s_kernel[i].sa_handler == SIG_DFL || s_kernel[i].sa_handler == SIG_IGN) { // the kernel does not take it
        std::signal(signal, SIG_DFL);
        raise(signal);
      } else if (s_kernel[i].sa_flags & SA_SIGINFO)
        s_kernel[i].sa_sigaction(signal, info, context);
      else
        s_kernel[i].sa_handler(signal);
    }
  }
  static inline std::recursive_mutex s_one; ///< handlers are the process's: one thread at a time puts them up
  std::lock_guard<std::recursive_mutex> m_alone;
  std::array<struct sigaction, 9> m_before;
  void restore(std::size_t from, std::size_t to) {
    for (std::size_t i = from; i < to; ++i) sigaction(kAll[i], &m_before[i], nullptr);
  }
};

} // namespace tess
