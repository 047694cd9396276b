// SPDX-License-Identifier: GPL-3.0-or-later
// What a brief will cost, from its size field alone and before anything is meshed: element and node counts, memory,
// time, and which rule makes the most of them. Counts are the integrals of 1/h^3 over the bodies and 1/h^2 over their
// faces with measured factors; memory and time come from what runs on this machine took (job/run_history.h).
#pragma once
#include "job/run_history.h"

namespace tess {

struct ForecastShare {
  int rule = -1;    ///< rule of the brief, or one of the reasons of size_field.h
  std::string name; ///< for people
  double elements = 0;
};
struct Forecast {
  double elements = 0, nodes = 0, surfaceTriangles = 0;
  double low = 0, high = 0; ///< range of the element count
  double memoryBytes = 0, seconds = 0;
  int calibrationRuns = 0;                   ///< runs of this machine that time and memory rest on
  int calibrationOfPart = 0;                 ///< those of them that meshed this part
  std::vector<ForecastShare> byRule, byBody; ///< largest first
  std::vector<Problem> problems;             ///< rules that match nothing, a rule that makes most of the mesh
};

/// The same from a size field that is there already; without rules that match nothing among the problems.
Forecast forecastField(const Brief& brief, const Part& part, const SizeField& field, Progress& progress);
/// Scales the sampled sizes of rules with a budget until the forecast meets the budget, or as near as the other sizes
/// allow. `correction`: elements of an earlier mesh over those forecast for it.
void meetBudget(const Brief& brief, const Part& part, SizeRequest& request, double correction, Progress& progress);
/// Deterministic for any number of threads; well under a second for parts of some hundred faces.
/// Where the sizes ask for more than the machine holds, nothing but an error among the problems. Throws Cancelled on a
/// stop.
Forecast forecastBrief(const Brief& brief, const Part& part, Progress& progress);

/// The warning that a mesh would pass the budget of its brief, if it would.
std::optional<Problem> overBudget(const Brief& brief, const Forecast& forecast);

} // namespace tess
