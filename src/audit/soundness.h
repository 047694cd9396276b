// SPDX-License-Identifier: GPL-3.0-or-later
// Whether a mesh hangs together: elements the right way out, faces that match, a closed boundary, nothing twice.
#pragma once
#include "audit/metrics.h"

namespace tess {

/// One kind of fault with some of its places.
struct Flaw {
  std::string what;         ///< in words, with its number: "3 elements are inverted"
  std::vector<Vec3> places; ///< the first 20
};

struct Soundness {
  std::size_t inverted = 0;     ///< the Jacobian is not positive all over the element, or it has no volume
  std::size_t openEdges = 0;    ///< of the whole boundary, or of a region's
  std::size_t openCells = 0;    ///< polyhedra whose faces do not close
  std::size_t crowdedEdges = 0; ///< of three and more boundary faces of a region that are no edges of the part
  bool partKnown = false;       ///< the mesh is linked to a part; otherwise crowded edges may be the part's own
  std::size_t duplicateNodes = 0, duplicateCells = 0, unusedNodes = 0;
  std::size_t repeatedCorners = 0; ///< elements that name a node twice
  std::size_t nonConforming = 0;   ///< uses of a face beyond two
  std::size_t mismatched = 0;      ///< free faces that lie on others: other corners, another diagonal, hanging nodes
  std::size_t holes = 0;           ///< closed hollows that one missing element would fill
  std::size_t oddMidNodes = 0;     ///< elements with a mid node where a neighbour has another one or none
  std::size_t apartNodes = 0;      ///< nodes that stand twice since the bodies there share none: wanted, so no fault
  std::vector<Flaw> flaws;         ///< of every kind that there is, worst first
  bool sound() const {
    return !inverted && !openEdges && !openCells && !(partKnown && crowdedEdges) && !duplicateCells && !unusedNodes &&
           !repeatedCorners && !nonConforming && !mismatched && !holes && !oddMidNodes && !duplicateNodes;
  }
};

Soundness checkSoundness(const Mesh& mesh);
/// The same with what is known already. Cost O(cells + faces log faces). Throws Cancelled on a stop.
Soundness checkSoundness(const Mesh& mesh, const std::array<MetricValues, kMetrics>& metrics,
                         const Neighbours& neighbours, const Progress* progress);

} // namespace tess
