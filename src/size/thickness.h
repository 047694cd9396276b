// SPDX-License-Identifier: GPL-3.0-or-later
// Where a part is thin: pieces of its faces that have another face opposite, through a wall of material or across a
// gap, with the distance along the normal.
#pragma once
#include "base/progress.h"
#include "geometry/part.h"

namespace tess {

struct ThinPiece {
  int face = -1;
  std::array<Vec3, 3> at;     ///< corners of the piece, on the display triangles of `face`
  std::array<Vec3, 3> across; ///< the points half way to the other side
  double thickness = 0;       ///< least distance to the other side over the piece
  double halfWidth = 0;       ///< half of the largest distance
};

struct ThinQuery {
  bool gaps = false;            ///< across empty space between faces of any bodies instead of through each body
  std::vector<char> faces = {}; ///< only these; empty: all
  double below = 0;             ///< largest distance of interest at a face
  double finest = 0;            ///< pieces need not be smaller than for this distance
  double piece = 1;             ///< how many times the distance a piece may measure where the distance varies
  bool wedges = true;           ///< also where the two faces meet at a sharp edge and are near only because of it
};

/// Faces count as opposite when their normals are within 50 degrees of facing each other. Pieces are as small as the
/// distance where it varies, so that tapered and curved walls are followed.
std::vector<ThinPiece> thinPieces(const Part& part, const ThinQuery& query, const Progress* progress = nullptr);

} // namespace tess
