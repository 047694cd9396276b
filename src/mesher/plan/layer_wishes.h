// SPDX-License-Identifier: GPL-3.0-or-later
// What the brief wants of layers along walls.
#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <vector>

namespace tess {

/// A stack of layers on walls, counted from the wall.
struct LayerStack {
  double first = 0;   ///< height of the first layer; 0: `share` of the wall's own edges there
  double share = 0;   ///< of the mean edge length at the place
  double ratio = 1.2; ///< of each height to the one before
  int count = 0;      ///< layers; 0: as many as the last one needs to fit the cells beyond it
  int most = 60;      ///< of those
  double jump = 1;    ///< height of the first free cell over that of the last layer, where their number is free
  int rule = -1;      ///< of the brief
  bool operator==(const LayerStack&) const = default;
};

/// Height of the first free cell on a stack, over the edges of its base: measured on ducts of even size.
constexpr double kFirstFree = 0.75;

/// Layers that a stack asks for, and their height, where the wall has edges of this length.
inline int askedLayers(const LayerStack& s, double length) {
  if (s.count > 0) return s.count;
  const double first = s.first > 0 ? s.first : s.share * length, last = kFirstFree * length / s.jump;
  if (first >= last || s.ratio <= 1) return s.ratio <= 1 ? std::min(s.most, 5) : 1;
  return std::clamp(1 + static_cast<int>(std::lround(std::log(last / first) / std::log(s.ratio))), 1, s.most);
}
inline double askedHeight(const LayerStack& s, double length) {
  double sum = 0, h = s.first > 0 ? s.first : s.share * length;
  for (int k = askedLayers(s, length); k > 0; --k, h *= s.ratio) sum += h;
  return sum;
}

struct LayerWishes {
  std::vector<LayerStack> stacks;
  /// Per face of the part: number of the stack towards the body behind it and the one in front, -1 for none. Empty: no
  /// layers at all.
  std::vector<std::array<int, 2>> ofFace;
  bool any() const { return !ofFace.empty(); }
};

/// Why a column of layers is shorter than asked for.
enum class LayerCause : std::uint8_t {
  None,
  Gap,      ///< something lies across; value: how far
  Corner,   ///< no direction suits all walls there; value: the sharpest angle between them in degrees
  SideLean, ///< the face at which the stack ends leans; value: its angle to the wall in degrees
  Side,     ///< the face at which the stack ends is not free to change
  Crossing, ///< stacks would run into each other or into other faces
  Folded,   ///< cells would be inverted
  Fine,     ///< the wall's edges are far shorter than layers are high; value: how long
  Beside,   ///< the stack beside it has fewer layers; value: how many
  Filling,  ///< nothing could be put between the stack and what lies beyond
};

/// A node of the wall with what stands on it.
struct LayerColumn {
  int node = -1; ///< of the surface; of the mesh once that is numbered
  int body = -1;
  int stack = -1;
  int asked = 0, got = 0; ///< layers
  double first = 0;       ///< height of the first, across the wall
  double height = 0;      ///< of all that there are, across the wall
  LayerCause cause{};     ///< where got < asked
  double value = 0;       ///< of the cause
  int source = -1;        ///< column at which the cause lies; itself, or one whose neighbours give way step by step
};

} // namespace tess
