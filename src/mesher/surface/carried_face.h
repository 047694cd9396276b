// SPDX-License-Identifier: GPL-3.0-or-later
// The mesh of one face carried to another place of the same pattern: a least-squares affine map of its boundary, with
// its area normal so that flat ones determine it (Knupp 1998; Roca & Sarrate 2010), and what the boundary deviates from
// that spread inside by Laplace's equation.
#pragma once
#include "mesher/surface/smooth_face.h"
#include "mesher/surface/surface.h"
#include <unordered_map>

namespace tess {

/// Triangles and quadrilaterals of one face, by places in a list of its nodes.
class Pattern {
public:
  /// `boundary`: nodes that will be told where they go.
  Pattern(const SurfaceMesh& mesh, int face, const std::vector<int>& boundary);
  /// Of cells by themselves; nodes() counts their points.
  explicit Pattern(const FaceCells& cells);
  ~Pattern();
  Pattern(Pattern&&) noexcept;
  const std::vector<int>& nodes() const { return m_nodes; } ///< numbers in the surface; those of the boundary first
  std::size_t boundaryCount() const { return m_boundary; }
  const std::vector<std::array<int, 3>>& triangles() const { return m_triangles; } ///< that are no halves
  const std::vector<std::array<int, 4>>& quads() const { return m_quads; }
  bool complete() const { return m_complete; } ///< every node of the boundary is a node of the face
  /// Places of all nodes when those of the boundary are at `to`; `from`: where all are.
  std::vector<Vec3> carried(const std::vector<Vec3>& from, const std::vector<Vec3>& to) const;

private:
  std::vector<int> m_nodes;
  std::size_t m_boundary = 0;
  bool m_complete = true;
  std::vector<std::array<int, 3>> m_triangles;
  std::vector<std::array<int, 4>> m_quads;
  std::vector<std::array<int, 2>> m_rim; ///< sides that one triangle or quadrilateral has, as it runs along them
  struct Laplace;
  void prepare();
  std::unique_ptr<Laplace> m_laplace;
};

/// The node over each node of a sweep's walls, away from their feet; empty where rows do not belong together.
std::unordered_map<int, int> nodesOver(const Sweep& sweep, const SurfaceMesh& mesh);
/// Rows of a wall as seen by a sweep: columns of nodes from the source to the target, one for each node of the source.
using Columns = std::vector<std::vector<int>>;
/// One column per node on the boundary of the source; empty where the walls' rows do not belong together.
Columns columnsOf(const Part& part, const Sweep& sweep, const SurfaceMesh& mesh);

/// Why a target gets no mesh from its other end.
Problem notCarried(const Part& part, int target, const Vec3& at, const char* what, const char* why);
/// Adds the mesh of a sweep's target to a surface that has its source and its walls. A problem `fill.face` where it
/// would be folded; `mesh` is of no use then.
std::optional<Problem> addCarriedFace(const Part& part, const Sweep& sweep, int tetSide, SurfaceMesh& mesh);

} // namespace tess
