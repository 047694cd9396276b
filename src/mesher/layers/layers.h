// SPDX-License-Identifier: GPL-3.0-or-later
// Layers along walls: columns of nodes stand on the walls' triangles, each with its own count, and between them lie
// wedges, where counts differ pyramids and tetrahedra. The side between two columns depends on their counts only, so
// that cells always fit together. Tetrahedra fill what lies beyond the tops.
#pragma once
#include "mesher/surface/body_cells.h"
#include "mesher/surface/surface.h"

namespace tess {

/// Where stacks have to be lower, since nothing could be put between them and what lies beyond.
struct LayersLower {
  Vec3 at;
  double within = 0;
};

/// A surface with layers taken off: what tetrahedra have to fill now.
struct LayeredSurface {
  /// The part as they see it: tops of stacks, and the far sides of walls and of the stacks' ends, are faces of their
  /// own, after those of the part itself.
  Part part;
  MeshPlan plan;
  SurfaceMesh surface;
  SurfaceMesh walls; ///< triangles and quadrilaterals that are not of it: walls and ends of stacks, on their own faces
  std::vector<BodyCells> cells;
  std::vector<LayerColumn> columns;
  std::vector<int> from; ///< per face of their own: the one of the part that it comes from
  int original(int face) const {
    const auto own = static_cast<std::size_t>(face) + from.size();
    return own < part.faces.size() ? face : from[own - part.faces.size()];
  }

  /// The whole surface again, after the tetrahedra are there.
  void putBack(SurfaceMesh& filled) const;
};

/// Grows the layers of the plan in bodies of tetrahedra. Heights are those asked for, corrected for the slant of a
/// column; counts fall, by steps from node to node, where cells would be inverted or stacks meet something. Ends of
/// stacks lie on the faces beside the walls, whose triangles make room. Throws Cancelled on a stop.
LayeredSurface growLayers(const Part& part, const MeshPlan& plan, const SurfaceMesh& surface,
                          const std::vector<LayersLower>& lower, const Progress& progress);

} // namespace tess
