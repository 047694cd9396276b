// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/trial.h"
#include "base/progress.h"
#include <cerrno>
#include <csignal>
#include <fcntl.h>
#include <fstream>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

namespace tess {

bool survives([[maybe_unused]] std::uintmax_t bytes, const std::function<void()>& work, const Progress* progress) {
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
  for (;;) {
    const pid_t ended = waitpid(child, &status, progress ? WNOHANG : 0);
    if (ended == child) break;
    if (ended < 0 && errno != EINTR) return true;
    if (ended == 0 && progress->stopped()) {
      kill(child, SIGKILL);
      waitpid(child, &status, 0);
      progress->check();
    }
    if (ended == 0) usleep(2000);
  }
  return WIFEXITED(status) && WEXITSTATUS(status) == 0;
}

} // namespace tess
