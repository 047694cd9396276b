// SPDX-License-Identifier: GPL-3.0-or-later
// From a closed surface mesh to graded, improved tetrahedra; the surface mesh stays unchanged. Many regions share
// their interfaces. Every phase is a function with an input and an output, checks for a stop, and is deterministic.
#pragma once
#include "mesher/surface/surface.h"
#include "mesher/tets/tet_core.h"

namespace tess {

/// What boundary recovery could not bring into the tetrahedra.
struct RecoveryReport {
  int missingEdges = 0, missingFaces = 0; ///< before recovery
  std::vector<std::array<int, 2>> lostEdges;
  std::vector<std::array<int, 3>> lostFaces;
  bool complete() const { return lostEdges.empty() && lostFaces.empty(); }
};

/// Delaunay over the surface's points plus eight far corners, then flips until every surface edge and triangle is
/// there (George, Hecht & Saltel 1991). Surface vertices keep their numbers; the far corners follow them. `bare` is the
/// Delaunay tetrahedrization before the flips: empty at first; when the surface has got more points since, those alone
/// are inserted.
Result<RecoveryReport> recoverBoundary(TetCore& core, TetCore& bare, const SurfaceMesh& surface, Progress& progress);

/// Gives each tet the body it lies in; a leak (one tet reached from two bodies) is a problem with its place.
/// Bodies that the plan fills otherwise count as outside.
std::optional<Problem> assignRegions(TetCore& core, const SurfaceMesh& surface, const Part& part, const MeshPlan& plan,
                                     const Progress& progress);

/// Inserts points inside until edges fit the size field: frontal placement (Rebay 1993) where a finished face is at
/// hand, else circumcentres; points too close to others are refused.
void refineInside(TetCore& core, const SizeField& size, Progress& progress);

struct ImproveStats {
  int flips = 0, removals = 0, moves = 0, collapses = 0, insertions = 0;
  int slides = 0, peels = 0, surfaceInsertions = 0, surfaceContractions = 0; ///< changes of the surface
  double worstBefore = 0, worstAfter = 0;                                    ///< smallest tetQuality()
};
/// Edge and face removal, smoothing, contraction and insertion, worst first (Freitag & Ollivier-Gooch 1997; Klingner &
/// Shewchuk 2007). As a last resort, when `part` is given, the surface itself is changed (boundary_moves.h); `surface`
/// follows: its points are those of the core then, inner ones have dim Body.
ImproveStats improveTets(TetCore& core, SurfaceMesh& surface, const Part* part, const SizeField& size,
                         Progress& progress);

/// The first part of it, inside only and for tets below `quality` only: what flips and recovery have left without
/// volume, so that points can be put between the others.
void freeFlatTets(TetCore& core, SurfaceMesh& surface, const SizeField& size, double quality, Progress& progress);

/// Smallest sine of the six dihedral angles, negative when the tet is inverted; 0.94 for the regular one.
double tetSine(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d);
/// The sine that a scaled Jacobian, or a smallest height over the longest edge, is as bad as: 0.14 at 0.05, the general
/// limits of angles (8 degrees) and of both ratios; rising more slowly above, or angles would hardly count.
double likeSine(double ratio);
/// What improving betters: the smallest sine, or likeSine() of the two ratios where that is less.
double tetQuality(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d);
double tetQuality(const TetCore& core, int t);

} // namespace tess
