// SPDX-License-Identifier: GPL-3.0-or-later
// What runs on this machine took: one line per run in the user's data folder, from which forecasts learn time and
// memory. Without any such line a short trial of the Delaunay kernel tells how fast the machine is at the moment.
#pragma once
#include "job/run.h"

namespace tess {

/// What decides how long a mesh takes.
struct MeshExtent {
  double elements = 0, surfaceTriangles = 0;
  bool quadratic = false;
};

struct TimeAndMemory {
  double seconds = 0, memoryBytes = 0;
  int runs = 0;      ///< of this machine, that the figures rest on; 0: none, the trial alone
  int ofThePart = 0; ///< those among them that meshed the same part, which then decide the time
};

/// Time and memory that a mesh will take on this machine, by what is remembered. Never fails: what cannot be read
/// does not count.
TimeAndMemory expectedCost(const MeshExtent& extent, const Part& part);

/// Keeps extent, time and memory of a run that was meshed, unless it is too small to tell anything or used an earlier
/// mesh. Failures are of no matter.
void rememberRun(const RunResult& run, const Part& part);

} // namespace tess
