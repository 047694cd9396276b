// SPDX-License-Identifier: GPL-3.0-or-later
// Surface triangles on the true geometry: edges are divided once, faces are remeshed from a fine tessellation by
// split, collapse, flip and tangential smoothing to the size field (Botsch & Kobbelt 2004; Dunyach et al. 2013), every
// point put back on its face. Works alike for kernel and facet parts; seams and poles play no role.
#pragma once
#include "base/problem.h"
#include "base/progress.h"
#include "geometry/part.h"
#include "mesher/plan/plan.h"
#include "mesher/surface/smooth_face.h"
#include "size/size_field.h"
#include <cstdint>

namespace tess {

/// Four nodes of a quadrilateral, counter-clockwise seen from in front of its face. In the triangles of the surface two
/// stand for it, on both sides of the diagonal from the first node to the third.
struct SurfaceQuad {
  std::array<int, 4> v;
  int face;
};
/// Nodes of a mapped face in rows: (i, j) lies i steps from corner 0 towards corner 1 and j towards corner 3.
struct FaceRows {
  int face = -1;
  bool ring = false;            ///< rows close on themselves: node (ni, j) is node (0, j)
  std::array<int, 4> corners{}; ///< points of the part; -1 for a ring
  int ni = 0, nj = 0;           ///< quadrilaterals along both ways
  std::vector<int> node;        ///< (ni + 1) x (nj + 1), i runs first
  int at(int i, int j) const { return node[static_cast<std::size_t>(j * (ni + 1) + i)]; }
};

/// A face's mesh that was carried to another one: nodes of the one and, at the same places of the list, of the other.
struct CarriedFace {
  int body = -1; ///< through which it was carried
  std::vector<int> from, to;
};

/// What the ends of a stepped body have in common: cells over nodes of a pattern that stands at several levels.
struct SteppedCells {
  int body = -1;
  struct Cell {
    std::array<int, 4> v; ///< counter-clockwise seen from above; the last one -1 for a triangle
    int low, high;        ///< levels of the ends below and above it
  };
  std::vector<Cell> cells;
  std::vector<std::vector<std::pair<int, int>>> known; ///< per node: level -> node of the surface there, ascending
};

/// What the faces of a body that is turned about its axis have in common: a profile that stands at stations round it,
/// and the core along the axis, a pattern that stands at heights.
struct TurnedCells {
  int body = -1;
  std::vector<std::vector<int>> rims; ///< per station: nodes of the profile's rim, from the core at one pole to that at
                                      ///< the other; the first station once more at the end unless it is a full turn
  FaceCells profile;                  ///< at the first station: over its rim, the core's line back, then its own
  FaceCells core;                     ///< over the stations, then places on the sides and the axis, then its own
  int heights = 0;                    ///< layers of the core
  std::array<std::vector<int>, 2> caps;  ///< nodes of the core on both poles
  std::array<std::vector<int>, 2> sides; ///< nodes of the profile on both sides; empty for a full turn
  std::vector<std::vector<int>> inSides; ///< per height: nodes of the core after those of the stations, up to its own
  /// Place in the profile of the core's line at a height.
  int lineAt(int height) const {
    const int n = static_cast<int>(rims.front().size());
    return height == 0 ? 0 : height == heights ? n - 1 : n - 1 + heights - height;
  }
};

/// Triangles and quadrilaterals of all faces. What makes tetrahedra sees triangles only.
struct SurfaceMesh {
  std::vector<Vec3> points;
  std::vector<Dim> dim; ///< what a point lies on
  std::vector<int> entity;
  std::vector<std::array<int, 3>> triangles; ///< counter-clockwise seen from in front of the face
  std::vector<int> face;                     ///< geometry face of each triangle
  std::vector<std::vector<int>> edgeNodes;   ///< per part edge: nodes from start to end
  std::vector<SurfaceQuad> quads;
  std::vector<FaceRows> faceRows; ///< of the mapped faces
  std::vector<CarriedFace> carried;
  std::vector<SteppedCells> stepped;
  std::vector<TurnedCells> turned;
  std::vector<char> frozen; ///< per part face: made for a neighbour and not to be changed; empty: none is
  bool fixed(std::size_t triangle) const {
    return !frozen.empty() && frozen[static_cast<std::size_t>(face[triangle])] != 0;
  }
  void addTriangle(const std::array<int, 3>& v, int f);
  /// With its two triangles. The diagonal lies on the side where tetrahedra meet the face (`tetSide`: 1 in front, -1
  /// behind, 0 none): pyramids above it are valid in any case.
  void addQuad(std::array<int, 4> v, int f, int tetSide);
  /// Per triangle, whether it is half of a quadrilateral.
  std::vector<char> halves() const;
};

/// What was bridged because it lies far below the size asked for.
struct BridgeReport {
  int merged = 0;   ///< pairs of nodes that became one
  double moved = 0; ///< largest way of a node
  std::vector<Vec3> places;
};

struct SurfaceOutcome {
  SurfaceMesh mesh;
  BridgeReport bridged;
  std::vector<Problem> said; ///< about counts along edges
};

/// The mesh of some faces that is there already, with that of their edges.
struct GivenFaces {
  std::vector<char> face;              ///< per part face
  std::vector<std::vector<int>> chain; ///< per part edge: nodes from start to end; empty where it is free
  std::vector<std::vector<double>> at; ///< parameters of those inside
  std::vector<Vec3> points;
  std::vector<std::array<int, 3>> triangles; ///< counter-clockwise seen from in front of the face
  std::vector<int> triangleFace;
  std::vector<SurfaceQuad> quads;
};

/// Meshes all faces but those of `given` (may be null), mapped ones by rows of quadrilaterals. On self-intersection the
/// size is lowered there and the surface made again, at most `rounds` times. A mapped face that folds, or whose edges
/// do not come out as planned, is a problem `fill.face` that names it; a given edge that cannot be divided as it is,
/// one of `surface.given`.
Result<SurfaceOutcome> meshSurface(const Part& part, SizeField size, const MeshPlan& plan, Progress& progress,
                                   const GivenFaces* given = nullptr, int rounds = 5);

/// How well the triangles follow the true faces, at their middles.
struct SurfaceFit {
  double deviation = 0;            ///< largest distance
  double normalRad = 0;            ///< largest angle between a triangle's normal and the true one
  double meanNormalRad = 0;        ///< mean of that angle over the area of curved faces
  Vec3 worstNormal = Vec3::Zero(); ///< where the angle is largest
};
/// Throws Cancelled on a stop.
SurfaceFit surfaceFit(const SurfaceMesh& mesh, const Part& part, const Progress& progress);

/// Splits the given edges (vertex pairs) in their middle, with all triangles there. Returns how many were split.
int splitSurfaceEdges(SurfaceMesh& mesh, const std::vector<std::array<int, 2>>& edges, const Part& part);
/// The same on the chord, whatever the true surface; returns new vertex and ends of each edge that was split.
std::vector<std::array<int, 3>> halveSurfaceEdges(SurfaceMesh& mesh, const std::vector<std::array<int, 2>>& edges);

struct CrossingPair {
  int a, b; ///< triangles
  Vec3 at;
};
/// Pairs of triangles that cross or touch otherwise than in common vertices and edges; exact decisions. `changed` (per
/// triangle, empty for all): only pairs with at least one of these are looked at. All pairs, but for callers that only
/// want to know whether there are any: those look on no further than to `most`.
std::vector<CrossingPair> findCrossings(const std::vector<Vec3>& points,
                                        const std::vector<std::array<int, 3>>& triangles, std::size_t most = SIZE_MAX,
                                        const Progress* progress = nullptr, const std::vector<char>& changed = {});

} // namespace tess
