// SPDX-License-Identifier: GPL-3.0-or-later
// A part some of whose edges and points need not be followed: the faces on an edge's two sides count as one face, the
// edges on a point's two sides as one edge. Everything else is as before; shape questions go to the face or edge of the
// original part that lies nearest.
#pragma once
#include "geometry/part.h"

namespace tess {

/// What counts as one where edges and points need not be followed. Edges that do not have exactly two faces with the
/// same bodies on their two sides are followed all the same, and so are points that do not lie between exactly two
/// followed edges of the same faces; a ring keeps one of its points.
class Joins {
public:
  /// `ignoreEdge` and `ignorePoint`: per edge and point of the part; shorter ones ignore none of the rest.
  Joins(const Part& part, const std::vector<char>& ignoreEdge, const std::vector<char>& ignorePoint);

  struct Piece {
    int edge = -1;
    bool reversed = false;
    double from = 0; ///< length of the chain before it
  };
  struct Chain {
    std::vector<Piece> pieces; ///< from start to end; a single one is never reversed
    std::array<int, 2> points{-1, -1};
    double length = 0;
  };
  std::vector<int> faceOf; ///< per face, counted from 0
  int faces = 0;
  std::vector<int> chainOf; ///< per edge; -1 when it is not followed
  std::vector<Chain> chains;

private:
  void joinFaces(const Part& part, const std::vector<char>& ignoreEdge);
  void joinEdges(const Part& part, const std::vector<char>& ignorePoint);
};

class JoinedPart {
public:
  /// For the vectors see Joins. `original` must outlive this.
  JoinedPart(const Part& original, const std::vector<char>& ignoreEdge, const std::vector<char>& ignorePoint = {});

  const Part& part() const { return m_part; }
  int faceOf(int originalFace) const { return m_joins.faceOf[static_cast<std::size_t>(originalFace)]; }
  /// -1 for an edge that is not followed.
  int edgeOf(int originalEdge) const { return m_joins.chainOf[static_cast<std::size_t>(originalEdge)]; }
  /// The edge or face of the original part that a point on a joined one belongs to.
  int originalEdge(int edge, const Vec3& p) const;
  int originalFace(int face, const Vec3& p) const;
  int ignoredEdges() const;
  int ignoredPoints() const;

private:
  class JoinedShape;
  Part m_part;
  Joins m_joins;
  std::shared_ptr<const JoinedShape> m_shape;
};

/// Largest angle in radians between the normals of an edge's two faces along it; pi when it has not two.
double joinAngle(const Part& part, int edge);

/// Angle in radians by which two edges turn at a point that is an end of both: 0 when one goes on as the other.
double turnAt(const Part& part, int point, int edge, int other);

} // namespace tess
