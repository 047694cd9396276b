// SPDX-License-Identifier: GPL-3.0-or-later
// Work by way of trial in a process of its own, for library code that can crash or ask for any amount of memory when
// its input is damaged.
#pragma once
#include <cstdint>
#include <functional>

namespace tess {

class Progress;

/// True when `work` comes to an end in a child process with memory for a file of so many bytes and 120 s of CPU time.
/// True as well when the trial says nothing: no process is to be had, or it has done nothing for `patience` (seconds),
/// as happens when a lock that `work` needs was held by another thread at the time and is held in the child for ever.
/// Throws Cancelled on a stop, the child ended.
bool survives(std::uintmax_t bytes, const std::function<void()>& work, const Progress* progress = nullptr,
              double patience = 10);

} // namespace tess
