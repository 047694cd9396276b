// SPDX-License-Identifier: GPL-3.0-or-later
// Runs kept on disk, so that they survive the program: the mesh as it is in memory, the brief as it was, and what was
// said about it. Metrics are computed again on reading.
#pragma once
#include "job/run.h"

namespace tess {

/// Writes a run as one file, replaced as a whole. `partStamp` names the state of the part that it was made from.
std::optional<Problem> saveRun(const RunResult& run, const std::string& partStamp, const std::string& path);
struct StoredRun {
  RunResult run;
  std::string partStamp;
};
/// Reads it back and judges it anew. Damaged or foreign files are a problem, never more.
Result<StoredRun> loadRun(const std::string& path);
/// What tells one state of a part file from another: its size and time of change; empty when it cannot be read.
std::string partStampOf(const std::string& partPath);

} // namespace tess
