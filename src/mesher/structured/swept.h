// SPDX-License-Identifier: GPL-3.0-or-later
// Bodies that one face runs through: a source, a target of the same pattern, and walls between them.
#pragma once
#include "mesher/plan/plan.h"

namespace tess {

/// Two faces with walls between them all round, each wall either of four sides or a ring; of several ways the one
/// with flat ends, then with the most walls, then with the largest ends; the others follow. A reason otherwise, with
/// the place of the face that came closest.
Fit fitSwept(const Part& part, int body);

/// A swept body whose ends have four corners each, however many edges and walls lie between them: rows run through it
/// both ways, as in a body of six sides. Does not fit where there is none.
Fit fitThrough(const Part& part, int body);
/// Whether of sides round a face two run straight on where they meet (less than 15 degrees): rows would fold there.
bool runStraightOn(const Part& part, std::span<const EdgeChain> sides);

class SweptFiller : public Filler {
public:
  Fill kind() const override { return Fill::Swept; }
  Fit fit(const Part& part, int body) const override { return fitSwept(part, body); }
};

} // namespace tess
