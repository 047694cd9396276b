// SPDX-License-Identifier: GPL-3.0-or-later
// A run: brief + part -> mesh, audit, report. The window and the command line drive only this.
#pragma once
#include "audit/audit.h"
#include "exchange/exchange.h"
#include "job/groups.h"
#include "job/layer_audit.h"
#include "job/size_rules.h"
#include "mesh/through.h"
#include "mesher/mesher.h"
#include <nlohmann/json_fwd.hpp>

namespace tess {

struct AskedGot {
  int rule = -1;
  std::string id, asked, got;
  double median = 0, low = 0, high = 0; ///< edge lengths: median, 5 % and 95 %
  double share = -1;                    ///< `through` rules: share of the thin area that reaches the count; else -1
};

struct RunResult {
  Brief brief; ///< as it was at the start
  Mesh mesh;
  Audit audit;
  std::vector<ResolvedGroup> groups;
  std::vector<Problem> problems;
  std::vector<AskedGot> rules;
  ThroughReport through; ///< elements through thin places, against the largest count asked for (2 when none is)
  std::vector<std::pair<std::string, double>> timings;
  double ownAngle = 180;     ///< smallest angle that the part itself has at an edge or corner, degrees
  double angleElsewhere = 0; ///< smallest dihedral angle of the elements that no own angle below kFlatAngle makes flat
  double geometryVolume = 0, surfaceArea = 0, deviation = 0, seconds = 0;
  /// Area of all faces of the part and its centre, which tell parts of one volume apart; area 0 in runs kept by earlier
  /// versions.
  double partArea = 0;
  Vec3 partCenter = Vec3::Zero();
  double normalDeg = 0;             ///< largest angle between a surface triangle and the true face, degrees
  double meanNormalDeg = 0;         ///< its mean over the area of curved faces
  CurveStats midNodes;              ///< order 2
  std::vector<BodyPlan> bodies;     ///< what each body of the part was filled with; empty: not known
  std::vector<LayerAudit> layers;   ///< of each card of layers that has walls
  std::vector<float> layersReached; ///< per face of the mesh: share of the layers asked for, -1 without; may be empty
  std::vector<FacePlan> faces;      ///< per face of the part who decided what it is made of
  std::size_t peakMemory = 0;       ///< bytes that the run took at once, beside what the program held before it
  int threads = 0;
  int improved = 0; ///< times the mesh was improved after it was made
  /// What meshing itself said, when the mesh was made by this program run; runs read from disk do not have it.
  std::optional<std::vector<Problem>> fromMeshing;
  bool reused = false; ///< the mesh, or its corners, are those of an earlier run
  int keptBodies = 0;  ///< bodies of the part whose cells are those of an earlier run, where others were remade
};

/// The surface alone, to be looked at and kept: a mesh without cells, groups attached. Throws Cancelled on a stop.
Result<Mesh> surfaceOfBrief(const Brief& brief, const Part& part, int threads, Progress& progress,
                            std::vector<Problem>& problems);
/// Meshes and audits. `before`: an earlier run of the same part, whose mesh serves again where the brief has changed
/// only in what leaves it as it is (job/reuse.h). Throws Cancelled on a stop.
Result<RunResult> runBrief(const Brief& brief, const Part& part, int threads, Progress& progress,
                           const RunResult* before = nullptr);
/// The run with its mesh improved (job/improve.h) and judged again; the boundary stays. `only`: cells that may change,
/// empty for all. Throws Cancelled on a stop.
Result<RunResult> improveRun(const RunResult& run, const Part& part, const std::vector<char>& only, Progress& progress);
/// The run with one node moved (job/move_node.h) and judged again. Throws Cancelled on a stop.
Result<RunResult> runWithNodeMoved(const RunResult& run, const Part& part, std::int32_t node, const Vec3& to,
                                   Progress& progress);
/// The format that a rule 'hand_over' names, or the path's extension.
std::optional<MeshFormat> fileFormat(const Rule& rule);
/// Factor on the coordinates, given in `unit`, that a rule 'hand_over' asks for, or that its format's convention does;
/// fails when it is no number above 0.
Result<double> fileScale(const Brief& brief, const std::string& unit, const Rule& rule);
/// What a mesh of this size measures in a file: "0.25 x 0.12 x 0.1 m".
std::string fileSizeText(const Vec3& size, const std::string& unit, double scale);
/// Writes the file of a hand-over rule and reads it back.
std::optional<Problem> handOver(const RunResult& run, const Rule& rule);
/// The report; keys are stable.
nlohmann::json runReport(const RunResult& run);
nlohmann::json auditReport(const Mesh& mesh, const Audit& audit);
nlohmann::json problemJson(const Problem& p);

} // namespace tess
