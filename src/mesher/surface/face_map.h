// SPDX-License-Identifier: GPL-3.0-or-later
// The display triangles of a face mapped onto a square, or round a cylinder, by mean values (Floater 2003): a convex
// combination map onto a convex outline folds nowhere. Rows that would fold elsewhere are laid there.
#pragma once
#include "geometry/body_loops.h"
#include <memory>

namespace tess {

class FaceMap {
public:
  /// A face of four sides onto the unit square: side 0 is y = 0, run from x = 0 to 1, side 1 is x = 1, and so on.
  FaceMap(const Part& part, int face, const std::array<EdgeChain, 4>& sides);
  /// A face between two closed ends onto a cylinder: `low` is y = 0 and `high` y = 1, both with the face to their left;
  /// x runs along `low` and counts turns from some place on.
  FaceMap(const Part& part, int face, const EdgeChain& low, const EdgeChain& high);
  ~FaceMap();
  /// False where the face's triangles do not allow a map.
  bool good() const { return m_good; }
  /// Place on the display triangles, near the face.
  Vec3 at(double x, double y) const;
  /// Turns at which a place on an end of a ring lies: `y` is 0 or 1. For `y` = 1 as seen straight across: the twist
  /// that stretches the face least is taken out.
  double turnOf(const Vec3& p, int y) const;

private:
  struct Solver;
  std::unique_ptr<Solver> m;
  bool m_good = false;
};

} // namespace tess
