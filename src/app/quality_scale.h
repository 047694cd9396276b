// SPDX-License-Identifier: GPL-3.0-or-later
// How good a value of a metric looks: one answer for the lens, its scale and the histogram.
#pragma once
#include "audit/audit.h"

namespace tess {

/// From the best value of a mesh to the limit, and beyond it failing. Without a limit nothing fails, so the worst value
/// of the mesh looks only half as bad as one at a limit would.
class QualityScale {
public:
  QualityScale() = default;
  /// `audit` must outlive the scale.
  QualityScale(const Audit& audit, Metric metric);

  double best() const { return m_best; }
  /// The limit where there is one, else the worst value.
  double worst() const { return m_limit ? m_limit->bound : m_worst; }
  /// The limit for all cells on the usual side; where only groups have one, the first of theirs. Null when there is
  /// none.
  const Limit* limit() const { return m_limit; }
  /// Colour value (see theme::quality) at the end of the scale.
  double worstBadness() const { return m_limit ? 1 : 0.5; }
  /// Of what is at its limit and does not fail: a colour of its own, since what fails is hatched by its colour.
  static constexpr double kNearlyFailing = 0.98;
  /// Colour value, 0 to kNearlyFailing, or 1: failing, and nothing else.
  double badness(double value) const;
  /// The same by the limits that judge this cell: failing where it fails one of them.
  double badness(std::size_t cell, double value) const;

private:
  const Audit* m_audit = nullptr;
  Metric m_metric{};
  const Limit* m_limit = nullptr;
  bool m_several = false;         ///< limits: of groups, or of both sides
  double m_best = 0, m_worst = 0; ///< of the mesh
  double badness(double value, const Limit* limit) const;
};

} // namespace tess
