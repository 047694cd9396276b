// SPDX-License-Identifier: GPL-3.0-or-later
// Element sizes that follow curvature.
#pragma once

namespace tess {

/// Longest edge on a curve of this curvature (1/length) that turns by at most `turnDeg` and stays within `deviation`
/// of it; 0 of either does not bound it. A very large number where nothing does.
double sizeOnCurve(double curvature, double turnDeg, double deviation);

} // namespace tess
