// SPDX-License-Identifier: GPL-3.0-or-later
// A loop over 0..n-1 and a sort on all cores that heed a stop. Iterations must not depend on each other's order.
#pragma once
#include "base/progress.h"
#include <algorithm>
#include <vector>
#if defined(__SANITIZE_THREAD__)
#include <exception>
#include <mutex>
#include <thread>
#else
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>
#endif

namespace tess {

/// Throws Cancelled from the calling thread when a stop was asked for; `progress` may be null. `grain` is the number
/// of iterations done without looking.
template <class F> void parallelFor(std::size_t n, const Progress* progress, F&& body, std::size_t grain = 1024) {
#if defined(__SANITIZE_THREAD__)
  // The thread sanitizer does not see how TBB's library orders its tasks; it sees these threads.
  std::atomic<std::size_t> next{0};
  std::mutex lock;
  std::exception_ptr failed;
  auto work = [&] {
    try {
      for (std::size_t from; (from = next.fetch_add(grain)) < n;) {
        if (progress) progress->check();
        for (std::size_t i = from; i < std::min(n, from + grain); ++i) body(i);
      }
    } catch (...) {
      std::lock_guard guard(lock);
      if (!failed) failed = std::current_exception();
      next = n;
    }
  };
  std::vector<std::thread> team;
  for (int k = 0; k < 2; ++k) team.emplace_back(work);
  for (auto& t : team) t.join();
  if (failed) std::rethrow_exception(failed);
#else
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, n, grain), [&](const tbb::blocked_range<std::size_t>& r) {
    if (progress) progress->check();
    for (std::size_t i = r.begin(); i < r.end(); ++i) body(i);
  });
#endif
}

/// Calls `body(i, list)`, which may add to `list`, on all cores. Returns what was added in the order of i.
template <class T, class F> std::vector<T> parallelCollect(std::size_t n, const Progress* progress, F&& body) {
  constexpr std::size_t kStretch = 16384;
  std::vector<std::vector<T>> lists((n + kStretch - 1) / kStretch);
  parallelFor(
      lists.size(), progress,
      [&](std::size_t s) {
        for (std::size_t i = s * kStretch; i < std::min(n, (s + 1) * kStretch); ++i) body(i, lists[s]);
      },
      1);
  std::vector<T> all;
  std::size_t total = 0;
  for (const auto& l : lists) total += l.size();
  all.reserve(total);
  for (const auto& l : lists) all.insert(all.end(), l.begin(), l.end());
  return all;
}

template <class Iterator, class Less> void parallelSort(Iterator begin, Iterator end, Less less) {
#if defined(__SANITIZE_THREAD__)
  std::sort(begin, end, less);
#else
  tbb::parallel_sort(begin, end, less);
#endif
}
template <class Iterator> void parallelSort(Iterator begin, Iterator end) { parallelSort(begin, end, std::less<>()); }

} // namespace tess
