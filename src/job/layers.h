// SPDX-License-Identifier: GPL-3.0-or-later
// What cards of layers mean on a part: stacks on faces, heights from a wall distance y+.
#pragma once
#include "job/brief.h"
#include "job/groups.h"
#include "mesher/plan/layer_wishes.h"

namespace tess {

/// Flow along a wall, in SI units.
struct WallFlow {
  double speed = 0;     ///< m/s
  double density = 0;   ///< kg/m3
  double viscosity = 0; ///< dynamic, Pa s
  double length = 0;    ///< along the wall, m
};
/// The distance from the wall in metres at which y+ has this value, on a flat plate with a turbulent boundary layer
/// from its front on: skin friction c_f = 0.026 / Re^(1/7) (White, Viscous Fluid Flow, 2006, section 6-6), tau =
/// c_f rho U^2 / 2, u_tau = sqrt(tau / rho), y = y+ mu / (rho u_tau). 0 where a value is missing.
double wallDistance(const WallFlow& flow, double yPlus);

/// A card of layers in figures.
struct LayerCard {
  LayerStack stack;
  double yPlus = 0, reynolds = 0; ///< where heights follow from them, else 0
  double total = 0;               ///< height of all layers; 0 where it hangs on the place
  std::string problem;            ///< why it means nothing; empty where it does
};
/// `unit`: of the part; `target`: what multiples in sizes are of.
LayerCard layerCardOf(const Rule& rule, const std::string& unit, double target);
/// "first 0.02 mm (y+ 1 at Re 1.2e5), 12 layers, 0.79 mm in all, the next cell 3 times the last": what follows from a
/// card where the mesh has edges of the length `size`.
std::string layerText(const LayerCard& card, const std::string& unit, double size);

/// Stacks of all cards of the brief on the faces of a part. Bodies of fluid get them where the brief names any, else
/// all that the faces belong to; of several cards for one face the later one holds.
LayerWishes layersOf(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
                     std::vector<Problem>& problems);

} // namespace tess
