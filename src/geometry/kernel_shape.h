// SPDX-License-Identifier: GPL-3.0-or-later
// Parts held by the geometry kernel (STEP, IGES, BREP).
#pragma once
#include "geometry/part.h"

namespace tess {
Result<Part> loadKernelPart(const std::string& path, const std::string& ext, const LoadOptions& options,
                            Progress* progress);
/// A part of one analytic body, for tests and examples: "box a b c", "cylinder r h", "sphere r", "torus R r",
/// "overlap d" (a beam that reaches d into a block), "boxes n" (n unit cubes in a row that touch but do not share
/// faces), "shell a t" (box with a cavity),
/// "taper a b c d" (a plate a x b, c thick at x = 0 and d at x = a), "tube R r h", "quarter R r h" of it, "slot a b c
/// d", "rounded a r" (a cube with all edges rounded), "pierced R r c x" (a torus with a hole of radius c along y at x),
/// "groove r b" (a ring with a round groove of radius r in its top and a ball of radius b in it).
Result<Part> makeKernelPart(const std::string& recipe, const LoadOptions& options = {});
} // namespace tess
