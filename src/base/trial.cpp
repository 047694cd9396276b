// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/trial.h"
#include "base/progress.h"
#include <cerrno>
#include <csignal>
#include <fcntl.h>
#include <filesystem>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

namespace tess {

bool survives(const std::vector<std::string>& command, const Progress* progress) {
  std::vector<char*> words;
  for (const auto& w : command) words.push_back(const_cast<char*>(w.c_str())); // C's habit; nobody writes there
  words.push_back(nullptr);
  posix_spawn_file_actions_t quiet;
  posix_spawn_file_actions_init(&quiet);
  for (int stream : {1, 2}) posix_spawn_file_actions_addopen(&quiet, stream, "/dev/null", O_WRONLY, 0);
  pid_t child = -1;
  const int refused = posix_spawn(&child, words[0], &quiet, nullptr, words.data(), environ);
  posix_spawn_file_actions_destroy(&quiet);
  if (refused) return true;
  int status = 0;
  for (;;) {
    const pid_t ended = waitpid(child, &status, WNOHANG);
    if (ended == child) break;
    if (ended < 0 && errno != EINTR) return true;
    if (progress && progress->stopped()) {
      kill(child, SIGKILL);
      waitpid(child, &status, 0);
      progress->check();
    }
    usleep(2000);
  }
  return WIFEXITED(status) && WEXITSTATUS(status) == 0;
}

std::string trialProgram() {
  std::error_code ec;
  const auto here = std::filesystem::read_symlink("/proc/self/exe", ec).parent_path();
  // Installed, it lies among the programs that nobody calls by hand; in a build beside the command.
  for (const char* at : {"../libexec/tesselite", ".", "..", "../src"})
    if (const auto p = here / at / "tesselite-trial"; access(p.c_str(), X_OK) == 0) return p.string();
  return {};
}

bool readerSurvives(const std::string& kind, const std::string& path, const Progress* progress) {
  static const std::string program = trialProgram();
  return program.empty() || survives({program, kind, path}, progress);
}

} // namespace tess
