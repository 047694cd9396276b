// SPDX-License-Identifier: GPL-3.0-or-later
// Improves a finished mesh, ours or imported: tetrahedra by reconnection, smoothing of inner nodes, contraction and
// insertion; hexahedra, wedges and pyramids by moving inner nodes, inverted ones first. The boundary, interfaces and
// named sets stay exactly as they are, so volume and areas do not change; the worst element never gets worse.
#pragma once
#include "base/progress.h"
#include "mesh/mesh.h"
#include "mesher/optimise/node_moves.h"
#include "mesher/tets/tet.h"
#include <set>

namespace tess {

struct ImproveOutcome {
  ImproveStats stats;
  NodeMoves others; ///< of hexahedra, wedges and pyramids
  std::size_t cellsBefore = 0, cellsAfter = 0;
};

/// `only`: cells that may change (empty: all). In a mesh of tetrahedra of order 2 the corners
/// are improved and mid nodes on edges that stay keep their places, so that curved boundaries stay as they are. Nodes
/// of node sets stay.
/// Faces, face sets and node sets keep their members; nodes that are no longer used are dropped.
/// Throws Cancelled on a stop, `mesh` is unchanged then.
Result<ImproveOutcome> improveMesh(Mesh& mesh, const std::vector<char>& only, Progress& progress);

/// Cells named by a choice: a group (of cells, or of faces or nodes: the cells there), or a range of a metric as
/// "min_dihedral:0..15"; either with the cells around, so that there is room to change something.
Result<std::vector<char>> chosenCells(const Mesh& mesh, const std::string& choice, const Progress& progress);

/// The cells at faces of the part, with the cells around.
std::vector<char> cellsAtFaces(const Mesh& mesh, const std::set<int>& faces);

/// These cells, with the cells around.
std::vector<char> cellsAround(const Mesh& mesh, const std::vector<std::int32_t>& cells);

/// Changes the order (1 or 2) of all elements, or of those of one region or element set named by `only`.
std::optional<Problem> changeOrderOf(Mesh& mesh, int order, const std::string& only);

} // namespace tess
