// SPDX-License-Identifier: GPL-3.0-or-later
// A part some of whose edges need not be followed: the faces on their two sides count as one face. Everything else is
// as before; shape questions go to the face of the original part that lies nearest.
#pragma once
#include "geometry/part.h"

namespace tess {

class JoinedPart {
public:
  /// `ignore`: per edge of `original`. Edges that do not have exactly two faces with the same bodies on their two sides
  /// are followed all the same. `original` must outlive this.
  JoinedPart(const Part& original, const std::vector<char>& ignore);

  const Part& part() const { return m_part; }
  int faceOf(int originalFace) const { return m_faceOf[static_cast<std::size_t>(originalFace)]; }
  /// -1 for an edge that is not followed.
  int edgeOf(int originalEdge) const { return m_edgeOf[static_cast<std::size_t>(originalEdge)]; }
  int originalEdge(int edge) const { return m_edges[static_cast<std::size_t>(edge)]; }
  /// The face of the original part that a point on a joined face belongs to.
  int originalFace(int face, const Vec3& p) const;
  int ignoredEdges() const { return static_cast<int>(m_edgeOf.size() - m_edges.size()); }

private:
  class JoinedShape;
  Part m_part;
  std::vector<int> m_faceOf, m_edgeOf, m_edges;
  std::shared_ptr<const JoinedShape> m_shape;
};

/// Largest angle in radians between the normals of an edge's two faces along it; pi when it has not two.
double joinAngle(const Part& part, int edge);

} // namespace tess
