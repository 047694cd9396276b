// SPDX-License-Identifier: GPL-3.0-or-later
// The size field of a part: overall size, what its shape asks for, and local rules.
#pragma once
#include "base/progress.h"
#include "geometry/part.h"
#include "size/edge_wishes.h"
#include "size/size_field.h"

namespace tess {

/// Overall request; lengths in the part's unit, 0 = derived from `target`.
struct SizeSettings {
  double target = 0;       ///< mean edge length
  double minimum = 0;      ///< bounds what is derived from shape; default target / 10
  double maximum = 0;      ///< default target
  double growth = 1.3;     ///< size ratio of neighbouring elements
  double turnDeg = 30;     ///< turn per element on curved edges and faces; 0 = off
  double slender = 5;      ///< longest edge against the thickness of the wall it lies in; 0 = off
  double slenderFloor = 0; ///< least size derived from it; default: `minimum` where given, else target / 100
  Bridging bridging;       ///< tolerance < 0: a fiftieth of the target
  SizeSettings resolved() const;
};

/// A size asked for on entities of one kind.
struct LocalSize {
  Dim dim = Dim::Face;
  std::vector<int> entities;
  double size = 0;
  int rule = -1;     ///< index of the rule that asks, for explanations
  double within = 0; ///< faces: the size holds up to this distance from them
};

/// How closely some faces or edges are followed, in place of the overall turn.
struct LocalTurn {
  Dim dim = Dim::Face;
  std::vector<int> entities;
  double turnDeg = 0;   ///< 0: the turn asks for nothing there
  double deviation = 0; ///< largest distance of a chord from the curve; 0: not bounded
  double floor = 0;     ///< least size derived from it; 0: the overall minimum
  int rule = -1;
};

/// At least `count` elements between opposite faces.
struct ThroughSize {
  bool gaps = false;       ///< across gaps instead of through walls
  std::vector<char> faces; ///< per part face; empty: all
  int count = 3;
  double floor = 0; ///< least size derived from it; 0: the overall minimum
  int rule = -1;
};

struct ZoneSize {
  Zone zone;
  double size = 0;
  int rule = -1;
};

/// Sizes at points of an earlier mesh; each holds within a radius.
struct SampledSize {
  std::vector<Vec3> at;
  std::vector<double> radius, size;
  double budget = 0; ///< elements that the mesh shall have, by scaling these sizes; 0: as they are
  int rule = -1;
};

struct SizeRequest {
  SizeSettings overall = {};
  std::vector<LocalSize> local = {};
  std::vector<LocalTurn> turns = {};
  std::vector<ThroughSize> through = {};
  std::vector<ZoneSize> zones = {};
  std::vector<SampledSize> sampled = {};
  std::vector<std::pair<int, EdgeDivision>> divisions = {};
};

/// Size for `count` elements through a distance; a little below distance / count, since the edges that cross a wall
/// are not all as short as asked.
double sizeThrough(double distance, int count);

/// Throws Cancelled on a stop.
SizeField makeSizeField(const Part& part, const SizeRequest& request, const Progress* progress = nullptr);

} // namespace tess
