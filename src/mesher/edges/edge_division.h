// SPDX-License-Identifier: GPL-3.0-or-later
// Where the nodes of the part's edges stand: evenly in the measure ds/h, or as a rule divides an edge exactly.
#pragma once
#include "geometry/part.h"
#include "size/edge_wishes.h"
#include "size/size_field.h"

namespace tess {

/// Parameters of the nodes inside an edge, evenly spread in the measure ds/h, or as its exact division says. Closed
/// edges get at least 3 nodes.
std::vector<double> divideEdge(const Part& part, int edge, const SizeField& size, const EdgeDivisions& divisions,
                               int atLeast);

/// The same for a given number of elements; an exact division holds its spacing where its number is the same.
std::vector<double> divideEdgeInto(const Part& part, int edge, const SizeField& size, const EdgeDivisions& divisions,
                                   int count);
/// Elements along the edge that the size and the curve's turn ask for, not rounded.
double naturalCount(const Part& part, int edge, const SizeField& size);
/// Elements of an edge's exact division; 0 without one, or where it copies other edges.
int exactCount(const Part& part, int edge, const SizeField& size, const EdgeDivisions& divisions);

/// Edges whose nodes copy those of a chain of other edges: at the same shares of the length, counted from the ends that
/// lie nearer to each other. `division`: per part edge, parameters inside the edge, ascending.
void copyDivisions(const Part& part, const SizeField& size, const EdgeDivisions& divisions,
                   std::vector<std::vector<double>>& division);

} // namespace tess
