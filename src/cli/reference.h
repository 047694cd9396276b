// SPDX-License-Identifier: GPL-3.0-or-later
// The manual page and the shell completion, made from the command line's own definition, so that neither can go stale.
#pragma once
#include <string>

namespace CLI {
class App;
}

namespace tess {
/// troff source of tessel(1).
std::string manualPage(const CLI::App& app);
/// Completion of subcommands, options and files for bash.
std::string bashCompletion(const CLI::App& app);
} // namespace tess
