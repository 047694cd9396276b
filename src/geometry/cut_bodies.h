// SPDX-License-Identifier: GPL-3.0-or-later
// Bodies cut into pieces with common faces, by sheets: planes, faces carried on beyond their edges, square cores, faces
// of another file. The whole part stays at hand, so that a cut can be moved without reading a file.
#pragma once
#include "geometry/part.h"
#include "geometry/spaces.h"

namespace tess {

/// What a body is cut by. Lengths are in the part's unit.
struct CutSheet {
  enum class Kind {
    Plane, ///< through `at`, or through the middle of the bodies; square to `normal`; moved along it by `by`
    Face,  ///< the surface of a face of the whole part, carried on, moved along the face's normal by `by`
    Edge,  ///< the cylinder through a circle, or round a straight edge, of a radius larger by `by`
    Core,  ///< a square of `side` round the axis of a round face, joined to that face by planes at its corners
    File   ///< the faces of a file
  };
  Kind kind = Kind::Plane;
  Vec3 at = Vec3::Zero();
  bool middle = true;
  Vec3 normal = Vec3::Zero(); ///< unit
  double by = 0;
  int entity = -1; ///< face or edge of the whole part
  double side = 0;
  double turn = 0; ///< of the square, radians about its axis
  std::string file;
};

struct Cut {
  std::vector<std::string> bodies; ///< names; * stands for any text. Empty: all bodies
  std::vector<Vec3> only;          ///< only pieces that hold one of these points are cut; empty: all
  std::vector<CutSheet> sheets;
  /// 1: only what lies ahead of the sheet, where its normal points, is kept; -1: only what lies behind it; 0: both.
  int keep = 0;
  std::optional<SpaceWish> space; ///< instead: a space becomes a body
  std::optional<CapWish> cap;     ///< or: an opening is closed for the spaces that follow
};

/// The part with its bodies cut, one cut after the other; a part that is cut already is cut further, and sheets are
/// still of its whole. Each piece is a body called after the whole one,
/// PartBody::of; entities know what of `whole` they are part of and which cut made them. Volumes are checked; a cut
/// that fails is left out alone, with a problem at "cut 2" or so. Parts of triangles stay as they are, with a problem.
/// Throws Cancelled.
Result<Part> cutPart(std::shared_ptr<const Part> part, const std::vector<Cut>& cuts, Progress* progress = nullptr);

/// How a sheet looks before it has cut anything, around the bodies that it is for.
struct SheetLook {
  std::vector<std::array<Vec3, 2>> lines; ///< its rims, and a few lines over it
  Vec3 at = Vec3::Zero();                 ///< a point of it near the middle of the bodies
  Vec3 normal = Vec3::Zero();             ///< there; along it the sheet is moved
};
/// In the order of the sheets; a problem where one cannot be made.
Result<std::vector<SheetLook>> looksOf(const Part& whole, const Cut& cut);

} // namespace tess
