// SPDX-License-Identifier: GPL-3.0-or-later
// Angles that a part has of itself and that no mesh of it can avoid: between two faces at an edge, through the
// material, and between two edges of a face at a corner.
#pragma once
#include "mesh/mesh.h"

namespace tess {

/// Per node the smallest such angle in degrees, as the boundary of the mesh shows it; 180 where there is none below.
/// Needs boundary faces that know their geometry face (`faceLink`); all 180 otherwise. Cost O(faces log faces).
std::vector<float> ownAngles(const Mesh& mesh);

} // namespace tess
