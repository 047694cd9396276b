// SPDX-License-Identifier: GPL-3.0-or-later
// A part without some of its bodies, so that what goes wrong in one does not take the others down. Bodies keep their
// numbers; those left out have no faces. Faces, edges and points are numbered anew.
#pragma once
#include "geometry/part.h"

namespace tess {

class SubsetPart {
public:
  /// `leaveOut`: per body of `original`, which must outlive this.
  SubsetPart(const Part& original, const std::vector<char>& leaveOut);

  const Part& part() const { return m_part; }
  /// -1 for what is left out.
  int faceOf(int originalFace) const { return m_faceOf[static_cast<std::size_t>(originalFace)]; }
  int edgeOf(int originalEdge) const { return m_edgeOf[static_cast<std::size_t>(originalEdge)]; }
  int originalFace(int face) const { return m_faces[static_cast<std::size_t>(face)]; }
  int originalEdge(int edge) const { return m_edges[static_cast<std::size_t>(edge)]; }
  int originalPoint(int point) const { return m_points[static_cast<std::size_t>(point)]; }

private:
  class SubsetShape;
  Part m_part;
  std::vector<int> m_faceOf, m_edgeOf, m_pointOf, m_faces, m_edges, m_points;
};

} // namespace tess
