// SPDX-License-Identifier: GPL-3.0-or-later
// Bodies with six sides, like a brick: what can be mapped.
#pragma once
#include "mesher/plan/plan.h"

namespace tess {

/// The body as a brick, in the order of corners and faces of the hexahedron of mesh/element.h.
struct SixSides {
  std::array<int, 8> corners{}; ///< points of the part
  std::array<int, 6> faces{};
};

/// Six faces of four sides each, that meet like those of a brick; sides may be curved and consist of several edges. A
/// reason otherwise.
Fit fitSixSides(const Part& part, int body, SixSides* sides = nullptr);

class MappedFiller : public Filler {
public:
  Fill kind() const override { return Fill::Mapped; }
  Fit fit(const Part& part, int body) const override; ///< six sides, or rows through a body with walls in pieces
};

} // namespace tess
