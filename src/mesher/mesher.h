// SPDX-License-Identifier: GPL-3.0-or-later
// The whole way from a part and a size field to a mesh with regions and links to the geometry.
#pragma once
#include "mesh/jacobian.h"
#include "mesh/mesh.h"
#include "mesher/surface.h"

namespace tess {

/// Raised with every change after which the same part and brief give another mesh: meshes kept on disk by a program
/// with another revision are shown but do not serve again in place of meshing.
constexpr int kMesherRevision = 5;

struct MeshOptions {
  int order = 1;   ///< 1 or 2
  int threads = 0; ///< 0: all cores
  /// A surface of triangles linked to the part's faces that is filled as it is; null: the surface is made.
  const Mesh* surface = nullptr;
  bool onlySurface = false; ///< ends after the surface: a mesh without cells
};

/// Mid nodes on the boundary, and those of them that could not stay on the geometry.
struct CurveStats {
  int straightened = 0, boundary = 0;
  double offset = 0;        ///< largest distance of a straightened one from the true surface or edge
  std::vector<Vec3> places; ///< of the first 50
};

struct MeshOutcome {
  Mesh mesh;
  std::vector<Problem> problems;
  std::vector<std::pair<std::string, double>> timings; ///< stage, seconds
  SurfaceFit fit;                                      ///< of the final surface
  CurveStats midNodes;                                 ///< order 2
  int missingEdges = 0, missingFaces = 0;              ///< that had to be recovered
};

/// Meshes every body of the part. Edges that `size.bridging` says to ignore are not followed, and a finding tells how
/// many and how far the surface is off; links of the mesh name the part's own faces and edges all the same. Throws
/// Cancelled on a stop. The same input gives the same mesh for any `threads`.
Result<MeshOutcome> meshPart(const Part& part, const SizeField& size, const MeshOptions& options, Progress& progress);

/// The triangles of a mesh as a surface of the part, with what each node lies on found again. A problem when they do
/// not fit the part: other faces, nodes beside their faces, faces without triangles. `faceOf`, where given, tells the
/// face of `part` for a link of the mesh.
Result<SurfaceMesh> surfaceOfMesh(const Mesh& mesh, const Part& part, const std::vector<int>& faceOf = {});

/// Turns linear tets into quadratic ones: mid nodes on the true edges and faces; where an element would be inverted
/// anywhere (Bernstein coefficients of its Jacobian; Johnen, Remacle & Geuzaine 2013), its mid nodes are drawn back
/// towards their chords, inner ones first, until all coefficients are positive.
CurveStats makeQuadratic(Mesh& mesh, const Part& part, Progress& progress);

/// What is said about mid nodes that could not stay on the geometry; nothing when all could.
std::optional<Problem> straightenedProblem(const CurveStats& stats, const std::string& unit);

} // namespace tess
