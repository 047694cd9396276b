// SPDX-License-Identifier: GPL-3.0-or-later
// Regions that touch without sharing nodes: a conforming mesh is cut open along some of its interface faces.
#pragma once
#include "base/progress.h"
#include "mesh/mesh.h"

namespace tess {

/// Gives both sides of the marked faces (per mesh face; only faces between two regions count) nodes of their own. A
/// node is copied once for every group of cells around it that hang together by unmarked faces, so where the cut ends
/// inside a third region the nodes of its rim stay common. Each marked face becomes two boundary faces: the old one
/// for the region behind it, and one at the end of `faces` for the region in front. Both sides have the same nodes at
/// the same places; `twins` lists them. Face groups get both sides, node groups the copies.
/// Returns the number of nodes made. Throws Cancelled on a stop; the mesh is unchanged then.
std::size_t cutOpen(Mesh& mesh, const std::vector<char>& marked, const Progress* progress = nullptr);

} // namespace tess
