// SPDX-License-Identifier: GPL-3.0-or-later
// Regions of one name as one region: several bodies, or pieces of one, that a solver is to see as a whole.
#pragma once
#include "mesh/mesh.h"

namespace tess {

/// Whether two regions have one name; none is no name.
bool hasNamesakes(const Mesh& mesh);
/// Makes regions of one name one, in the order of their first. Faces between them that are in no group go; others have
/// the same region on both sides. A region without material or medium takes that of a namesake. Returns the names
/// whose regions differ in those, which are left apart.
std::vector<std::string> uniteNamesakes(Mesh& mesh);

} // namespace tess
