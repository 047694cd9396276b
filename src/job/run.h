// SPDX-License-Identifier: GPL-3.0-or-later
// A run: brief + part -> mesh, audit, report. The window and the command line drive only this.
#pragma once
#include "audit/audit.h"
#include "exchange/exchange.h"
#include "job/groups.h"
#include "mesher/mesher.h"
#include <nlohmann/json_fwd.hpp>

namespace tess {

struct AskedGot {
  int rule = -1;
  std::string id, asked, got;
  double median = 0, low = 0, high = 0; ///< edge lengths: median, 5 % and 95 %
};

struct RunResult {
  Brief brief; ///< as it was at the start
  Mesh mesh;
  Audit audit;
  std::vector<ResolvedGroup> groups;
  std::vector<Problem> problems;
  std::vector<AskedGot> rules;
  std::vector<std::pair<std::string, double>> timings;
  double geometryVolume = 0, surfaceArea = 0, deviation = 0, seconds = 0;
  std::size_t peakMemory = 0;
  int threads = 0;
};

/// The size field that the brief asks for; rules whose target is missing are problems.
SizeField briefSizeField(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
                         std::vector<Problem>& problems);
/// Target of the overall rule in the part's unit, or the default.
double overallTarget(const Brief& brief, const Part& part);
/// The brief with every length of its size rules times `factor`; the overall target is written out. Growth and turn
/// stay.
Brief scaledSizes(const Brief& brief, const Part& part, double factor);
/// Meshes and audits. Throws Cancelled on a stop.
Result<RunResult> runBrief(const Brief& brief, const Part& part, int threads, Progress& progress);
/// Writes the file of a hand-over rule and reads it back.
std::optional<Problem> handOver(const RunResult& run, const Rule& rule);
/// The report; keys are stable.
nlohmann::json runReport(const RunResult& run);
nlohmann::json auditReport(const Mesh& mesh, const Audit& audit);
nlohmann::json problemJson(const Problem& p);

} // namespace tess
