// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/quality_scale.h"
#include <algorithm>

namespace tess {

QualityScale::QualityScale(const Audit& audit, Metric metric) : m_audit(&audit), m_metric(metric) {
  for (const auto& l : audit.limits.limits)
    if (l.metric == metric) {
      m_ofGroups = m_ofGroups || !l.where.empty();
      if (!m_limit || l.where.empty()) m_limit = &l;
    }
  const auto& values = audit.metrics[static_cast<std::size_t>(metric)];
  const bool high = m_limit ? m_limit->atLeast : metricInfo(metric).highIsGood;
  m_best = high ? values.max : values.min;
  m_worst = high ? values.min : values.max;
}

double QualityScale::badness(double value, const Limit* limit) const {
  const double worst = limit ? limit->bound : m_worst;
  if (limit && (limit->atLeast ? value < worst : value > worst)) return 1;
  const double share = worst != m_best ? std::clamp((value - m_best) / (worst - m_best), 0.0, 1.0) : 0;
  return limit ? share : 0.5 * share;
}

double QualityScale::badness(std::size_t cell, double value) const {
  if (m_ofGroups)
    for (const auto& l : m_audit->limits.limits)
      if (l.metric == m_metric && l.judges(cell)) return badness(value, &l);
  return badness(value, m_ofGroups ? nullptr : m_limit);
}

} // namespace tess
