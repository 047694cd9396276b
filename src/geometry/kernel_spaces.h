// SPDX-License-Identifier: GPL-3.0-or-later
// Internal to geometry: spaces between kernel solids by the general fuse of them with a hull and with caps.
#pragma once
#include "geometry/kernel_import.h"
#include "geometry/spaces.h"
#include <TopTools_ListOfShape.hxx>
#include <TopoDS_Face.hxx>

namespace tess {

struct KernelOpening {
  TopoDS_Shape cap; ///< one face, or several where solids stand in the opening
  SpaceOpening told;
  bool asked = false; ///< by a card
};
/// Caps over the holes of flat faces, where they do not lie in a solid.
std::vector<KernelOpening> openingsOf(const std::vector<TopoDS_Shape>& solids);
/// The cap over a rim of edges: flat, or filled.
std::optional<KernelOpening> capOver(const std::vector<TopoDS_Shape>& edges, const std::vector<TopoDS_Shape>& solids);

struct KernelSpaces {
  struct Piece {
    TopoDS_Shape solid;
    FoundSpace told;
    std::vector<int> openings; ///< that close it
  };
  std::vector<std::vector<TopoDS_Shape>> solids; ///< images of the solids
  std::vector<Piece> pieces;                     ///< of the hull that are in no solid; those at the hull are outside
};
/// Openings between two cavities are dropped, unless a card asks for them. `builder` keeps the history. Nothing where
/// the kernel fails.
std::optional<KernelSpaces> dividedSpace(const TopoDS_Shape& hull, const std::vector<TopoDS_Shape>& solids,
                                         std::vector<KernelOpening>& openings, BOPAlgo_Builder& builder);
/// Box around solids, with this room on each of the six sides.
TopoDS_Shape hullBox(const Box& bodies, const std::array<double, 6>& room);

} // namespace tess
