// SPDX-License-Identifier: GPL-3.0-or-later
// The whole way from a part and a size field to a mesh with regions and links to the geometry.
#pragma once
#include "mesh/mesh.h"
#include "mesher/curve/quadratic.h"
#include "mesher/surface/surface.h"
#include "size/part_size.h"

namespace tess {

/// Raised with every change after which the same part and brief give another mesh: meshes kept on disk by a program
/// with another revision are shown but do not serve again in place of meshing.
constexpr int kMesherRevision = 11;

struct MeshOptions {
  int order = 1;   ///< 1 or 2
  int threads = 0; ///< 0: all cores
  /// A surface of triangles linked to the part's faces that is filled as it is; null: the surface is made.
  const Mesh* surface = nullptr;
  bool onlySurface = false;          ///< ends after the surface: a mesh without cells
  const GivenFaces* given = nullptr; ///< faces that are taken as they are; the wishes name them too
};

struct MeshOutcome {
  Mesh mesh;
  std::vector<Problem> problems;
  std::vector<std::pair<std::string, double>> timings; ///< stage, seconds
  SurfaceFit fit;                                      ///< of the final surface
  CurveStats midNodes;                                 ///< order 2
  int missingEdges = 0, missingFaces = 0;              ///< that had to be recovered
  std::vector<BodyPlan> bodies;                        ///< what each body of the part was filled with, and why
  std::vector<LayerColumn> layers;                     ///< at nodes of walls with layers
  std::vector<FacePlan>
      faces; ///< per face of the part: who decided what it is made of; `mapped` says no more than that
};

/// What the bodies would be filled with, before anything is meshed; reasons against a wish are added to `said`.
MeshPlan planOf(const Part& part, const std::vector<FillWish>& wishes, std::vector<Problem>& said);
/// The same with all that the brief wants besides sizes.
MeshPlan planOf(const Part& part, const MeshWishes& wishes, std::vector<Problem>& said);

/// What each body can be by itself.
std::vector<BodyFits> fitsOf(const Part& part);

/// What a size request asks for besides sizes; without fills.
MeshWishes meshWishes(const SizeRequest& request);

/// Meshes every body of the part. Edges that `wishes.bridging` says to ignore are not followed, and a finding tells how
/// many and how far the surface is off; links of the mesh name the part's own faces and edges all the same. Throws
/// Cancelled on a stop. The same input gives the same mesh for any `threads`.
Result<MeshOutcome> meshPart(const Part& part, const SizeField& size, const MeshWishes& wishes,
                             const MeshOptions& options, Progress& progress);

} // namespace tess
