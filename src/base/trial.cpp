// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/trial.h"
#include "base/progress.h"
#include <cerrno>
#include <chrono>
#include <csignal>
#include <fcntl.h>
#include <fstream>
#include <iterator>
#include <sstream>
#include <string>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

namespace tess {

namespace {
/// CPU time of a process in the system's ticks; -1 when it is not known.
long ticksOf(pid_t p) {
  std::ifstream stat("/proc/" + std::to_string(p) + "/stat");
  std::string text((std::istreambuf_iterator<char>(stat)), {});
  std::istringstream fields(text.substr(std::min(text.size(), text.rfind(')') + 1))); // names may hold anything
  std::string skipped;
  for (int i = 0; i < 11; ++i) fields >> skipped;
  long user = 0, system = 0;
  return fields >> user >> system ? user + system : -1;
}
} // namespace

bool survives([[maybe_unused]] std::uintmax_t bytes, const std::function<void()>& work, const Progress* progress,
              double patience) {
  pid_t child = fork();
  if (child < 0) return true; // no processes to be had: read without the trial
  if (child == 0) {
    for (int signal : {SIGSEGV, SIGABRT, SIGBUS, SIGFPE}) std::signal(signal, SIG_DFL);
    int quiet = open("/dev/null", O_WRONLY);
    dup2(quiet, 2);
    rlimit none{0, 0}, time{120, 120};
    setrlimit(RLIMIT_CORE, &none);
    setrlimit(RLIMIT_CPU, &time);
#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
    // Room for what zlib can unpack of such a file at most (a factor of about 1000 is possible, 60 is not usual).
    rlimit memory{};
    getrlimit(RLIMIT_AS, &memory);
    std::ifstream statm("/proc/self/statm");
    rlim_t pages = 0;
    statm >> pages;
    memory.rlim_cur = std::min<rlim_t>(memory.rlim_cur, pages * static_cast<rlim_t>(sysconf(_SC_PAGESIZE)) +
                                                            (rlim_t(1) << 30) + 60 * bytes);
    setrlimit(RLIMIT_AS, &memory);
#endif
    try {
      work();
    } catch (...) {
      _exit(1);
    }
    _exit(0);
  }
  int status = 0;
  using Clock = std::chrono::steady_clock;
  auto lastSeen = Clock::now();
  long ticks = 0;
  int idle = 0; // looks in a row: where the whole machine stood still, that is one of them
  constexpr int looks = 10;
  for (;;) {
    const pid_t ended = waitpid(child, &status, WNOHANG);
    if (ended == child) break;
    if (ended < 0 && errno != EINTR) return true;
    auto end = [&] {
      kill(child, SIGKILL);
      waitpid(child, &status, 0);
    };
    if (progress && progress->stopped()) {
      end();
      progress->check();
    }
    usleep(2000);
    const auto now = Clock::now();
    if (std::chrono::duration<double>(now - lastSeen).count() < patience / looks) continue;
    lastSeen = now;
    if (const long t = ticksOf(child); t != ticks) {
      ticks = t;
      idle = 0;
    } else if (++idle > looks) {
      end();
      return true;
    }
  }
  return WIFEXITED(status) && WEXITSTATUS(status) == 0;
}

} // namespace tess
