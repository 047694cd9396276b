// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/quality_scale.h"
#include <algorithm>

namespace tess {
namespace {
/// One for all cells before one of a group, then the side on which the metric is usually bounded.
bool ranksAbove(const Limit& a, const Limit& b) {
  auto usual = [](const Limit& l) { return l.atLeast == metricInfo(l.metric).highIsGood; };
  return a.where.empty() != b.where.empty() ? a.where.empty() : usual(a) && !usual(b);
}
} // namespace

QualityScale::QualityScale(const Audit& audit, Metric metric) : m_audit(&audit), m_metric(metric) {
  std::size_t count = 0;
  for (const auto& l : audit.limits.limits)
    if (l.metric == metric) {
      ++count;
      if (!m_limit || ranksAbove(l, *m_limit)) m_limit = &l;
    }
  m_several = count > 1 || (m_limit && (!m_limit->where.empty() || !m_limit->types.empty()));
  const auto& values = audit.metrics[static_cast<std::size_t>(metric)];
  const bool high = m_limit ? m_limit->atLeast : metricInfo(metric).highIsGood;
  m_best = high ? values.max : values.min;
  m_worst = high ? values.min : values.max;
}

double QualityScale::badness(double value, const Limit* limit) const {
  const double worst = limit ? limit->bound : m_worst;
  if (limit && (limit->atLeast ? value < worst : value > worst)) return 1;
  const double share = worst != m_best ? std::clamp((value - m_best) / (worst - m_best), 0.0, 1.0) : 0;
  return limit ? std::min(share, kNearlyFailing) : 0.5 * share;
}

double QualityScale::badness(double value) const {
  if (m_several)
    for (const auto& l : m_audit->limits.limits)
      if (l.metric == m_metric && l.where.empty() && l.types.empty() && (l.atLeast ? value < l.bound : value > l.bound))
        return 1;
  return badness(value, m_limit);
}

double QualityScale::badness(std::size_t cell, double value) const {
  if (!m_several) return badness(value, m_limit);
  const Limit* usual = nullptr;
  for (const auto& l : m_audit->limits.limits) {
    if (l.metric != m_metric || !l.judges(cell)) continue;
    if (!l.types.empty() && !l.judges(cell, m_audit->cellType[cell])) continue;
    if (l.beyond(value)) return 1;
    if (!usual || ranksAbove(l, *usual)) usual = &l;
  }
  return badness(value, usual);
}

} // namespace tess
