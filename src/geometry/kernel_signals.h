// SPDX-License-Identifier: GPL-3.0-or-later
// The geometry kernel dereferences null handles on damaged files. While one of these lives, such faults inside a
// try block that begins with OCC_CATCH_SIGNALS become a Standard_Failure, as the kernel provides for; handlers that
// were there before, and those of a stop by the user, stay as they are.
#pragma once
#ifndef OCC_CONVERT_SIGNALS
#define OCC_CONVERT_SIGNALS
#endif
#include <OSD.hxx>
#include <OSD_Signal.hxx>
#include <Standard_ErrorHandler.hxx>
#include <array>
#include <atomic>
#include <csignal>

namespace tess {

class KernelSignals {
public:
  KernelSignals() {
    for (std::size_t i = 0; i < kAll.size(); ++i) sigaction(kAll[i], nullptr, &m_before[i]);
    OSD::SetSignal(OSD_SignalMode_Set, false);
    restore(kFaults, kAll.size());
  }
  ~KernelSignals() { restore(0, kAll.size()); }
  /// A fault leaves the kernel's own state as it was at that moment, locks included: it must not be used again.
  static bool faulted() { return s_faulted; }
  /// To be called where a failure is caught; true when it was a fault.
  static bool note(const Standard_Failure& e) {
    bool fault = e.IsKind(STANDARD_TYPE(OSD_Signal));
    if (fault) s_faulted = true;
    return fault;
  }
  KernelSignals(const KernelSignals&) = delete;
  KernelSignals& operator=(const KernelSignals&) = delete;

private:
  static constexpr std::size_t kFaults = 5;
  static constexpr std::array<int, 9> kAll{SIGSEGV, SIGBUS, SIGFPE, SIGILL, SIGSYS, SIGINT, SIGTERM, SIGHUP, SIGQUIT};
  static inline std::atomic<bool> s_faulted{false};
  std::array<struct sigaction, 9> m_before;
  void restore(std::size_t from, std::size_t to) {
    for (std::size_t i = from; i < to; ++i) sigaction(kAll[i], &m_before[i], nullptr);
  }
};

} // namespace tess
