// SPDX-License-Identifier: GPL-3.0-or-later
// What became of layers: measured on the mesh, against what the cards ask for.
#pragma once
#include "job/brief.h"
#include "mesher/mesher.h"
#include <nlohmann/json_fwd.hpp>

namespace tess {

/// Where a stack falls short, and why: all columns that give way for one.
struct LayerPlace {
  Vec3 at = Vec3::Zero();
  LayerCause cause{};
  double value = 0;
  double area = 0;  ///< of the walls that it touches
  int got = 0;      ///< layers at the place itself
  std::string what; ///< "gap of 0.8 mm"
};

/// Of one card.
struct LayerAudit {
  int rule = -1;
  double area = 0, full = 0, fewer = 0, none = 0; ///< of its walls, and those with all layers asked for, some, none
  double firstLeast = 0, firstMean = 0, firstMost = 0; ///< measured: distance of its top from the wall
  double firstWithin = 0;              ///< share of the layered area that is within 5 % of what was asked
  double ratioMean = 0;                ///< measured, of the second layer to the first
  double jumpMean = 0, jumpWithin = 0; ///< height of the first free cell over the last layer's; share between 0.5 and 2
  int least = 0, most = 0;             ///< layers over a triangle
  std::size_t cells = 0;
  std::vector<LayerPlace> places; ///< largest area first
};

/// "corner of 32 degrees": for findings, cards and reports.
std::string causeText(LayerCause cause, double value, const std::string& unit);
/// What to do about it.
std::string causeRemedy(LayerCause cause);
/// For the report and for kept runs; keys are stable.
nlohmann::json layersReport(const std::vector<LayerAudit>& layers, const Brief& brief, const std::string& unit);
std::vector<LayerAudit> layersOfReport(const nlohmann::json& report);

/// One per stack that has walls; `columns` are those of the mesh.
std::vector<LayerAudit> auditLayers(const Mesh& mesh, const std::vector<LayerColumn>& columns,
                                    const LayerWishes& wishes);
/// Share of the layers asked for that a face of the mesh has, 1 for all, by face; -1 where none were asked for.
std::vector<float> layersReached(const Mesh& mesh, const std::vector<LayerColumn>& columns, const LayerWishes& wishes);

} // namespace tess
