// SPDX-License-Identifier: GPL-3.0-or-later
// A loop over 0..n-1 on all cores that heeds a stop. Iterations must not depend on each other's order.
#pragma once
#include "base/progress.h"
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

namespace tess {

/// Throws Cancelled from the calling thread when a stop was asked for; `progress` may be null. `grain` is the number
/// of iterations done without looking.
template <class F> void parallelFor(std::size_t n, const Progress* progress, F&& body, std::size_t grain = 1024) {
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, n, grain), [&](const tbb::blocked_range<std::size_t>& r) {
    if (progress) progress->check();
    for (std::size_t i = r.begin(); i < r.end(); ++i) body(i);
  });
}

} // namespace tess
