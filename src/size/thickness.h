// SPDX-License-Identifier: GPL-3.0-or-later
// Where a part is thin: pieces of its faces that have another face opposite, through a wall of material or across a
// gap, with the distance along the normal.
#pragma once
#include "base/progress.h"
#include "geometry/part.h"

namespace tess {

struct ThinPiece {
  std::array<Vec3, 3> at;     ///< corners of the piece, on the display triangles of `face`
  std::array<Vec3, 3> across; ///< the points half way to the other side
  double thickness = 0;       ///< least distance to the other side over the piece
  double halfWidth = 0;       ///< half of the largest distance
};

/// Faces count as opposite when their normals are within 50 degrees of facing each other: through the material of each
/// body (walls), or through empty space between faces of any bodies (`gaps`). Pieces are as small as the distance where
/// it varies, so that tapered and curved walls are followed.
/// `below`: largest distance of interest at a face; `finest`: pieces need not be smaller; `faces`: only these (empty:
/// all).
std::vector<ThinPiece> thinPieces(const Part& part, bool gaps, const std::vector<char>& faces, double below,
                                  double finest, const Progress* progress = nullptr);

} // namespace tess
