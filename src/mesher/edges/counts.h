// SPDX-License-Identifier: GPL-3.0-or-later
// How many elements stand along edges whose counts hang together.
#pragma once
#include "base/problem.h"
#include "base/progress.h"
#include "geometry/part.h"
#include "size/edge_wishes.h"
#include "size/size_field.h"

namespace tess {

/// As many elements along all edges of one side together as along those of the other.
struct EqualSums {
  std::vector<int> left, right; ///< unknowns, each once
  int face = -1;                ///< that needs it
  int more = 0;                 ///< not 0: that many more on the left, or still more, instead
};

/// An even number of elements, or another multiple, along all edges of a closed way together, and not fewer than
/// `least`.
struct EvenSum {
  std::vector<int> edges; ///< unknowns, each once
  int least = 6;
  int face = -1;      ///< that needs it
  bool needed = true; ///< else it is only better so: nothing is said where it cannot be
  int multiple = 2;
};

/// Unknowns are the elements along each part edge, and after those the rows round each part face, whose natural number
/// follows from the face's area and its edges. Elements per unknown, 0 for those in no sum. What an edge has already
/// (`given`, 0 for none; may be empty) holds, then exact divisions, then sizes as goals: the largest deviation relative
/// to what the size asks for is the least possible, then the sum of all is (as Tam & Armstrong 1993, one integer
/// program for each set of edges that hang together). Of exact divisions that contradict each other as few as possible
/// are let go, each with a finding; even sums are let go before that, and the same way. A problem `fill.counts` naming
/// faces whose sums cannot be had. The same on any machine, for any number of threads. Throws
/// Cancelled on a stop.
Result<std::vector<int>> edgeCounts(const Part& part, const SizeField& size, const EdgeDivisions& divisions,
                                    const std::vector<EqualSums>& sums, const std::vector<EvenSum>& evens,
                                    const std::vector<int>& given, std::vector<Problem>& said,
                                    const Progress& progress);

} // namespace tess
