// SPDX-License-Identifier: GPL-3.0-or-later
// The space that solids leave: cavities inside them and between them, closed by caps over their openings, and the
// outside within a box, a cylinder or a ball.
#pragma once
#include "geometry/part.h"

namespace tess {

/// Which space becomes a body. Lengths are in the part's unit.
struct SpaceWish {
  bool around = false;  ///< the outside within a hull; else cavities
  std::vector<Vec3> at; ///< cavities that hold these points; empty: the largest one
  bool all = false;     ///< every cavity
  enum class Hull { Box, Cylinder, Sphere } hull = Hull::Box;
  int along = 0;                            ///< coordinate axis of the flow
  bool backwards = false;                   ///< it flows against that axis
  double ahead = 0, behind = 0, beside = 0; ///< room around the bodies
  std::array<bool, 6> flush{};              ///< -x, +x, -y, ...: sides without room
  bool keepSolids = false;
  std::string name = "fluid";
};
/// Closes an opening, or gives a found one its name.
struct CapWish {
  std::vector<Vec3> at;   ///< openings nearest to these points are meant
  std::vector<int> edges; ///< or edges of the whole part that make up rims
  std::string name;
};

/// A hole through which a space would be open.
struct SpaceOpening {
  Vec3 at = Vec3::Zero();
  double area = 0;
  double width = 0; ///< four times the area over the rim's length
  std::string name;
};
struct FoundSpace {
  bool outside = false; ///< what lies around all bodies
  double volume = 0;    ///< 0 for the outside
  Box box;
  Vec3 inside = Vec3::Zero(); ///< a point in it
  std::vector<SpaceOpening> openings;
  std::vector<int> bodies; ///< that it touches
};
/// All cavities, largest first, then the outside. Openings are holes in flat faces. A part of triangles: cavities that
/// are closed by themselves. Throws Cancelled.
Result<std::vector<FoundSpace>> spacesOf(const Part& part, Progress* progress = nullptr);

} // namespace tess
