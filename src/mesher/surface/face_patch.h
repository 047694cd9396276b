// SPDX-License-Identifier: GPL-3.0-or-later
// Remeshing of one face by split, collapse, flip and tangential smoothing to the size field (Botsch & Kobbelt 2004;
// Dunyach et al. 2013). Not thread-safe; patches of different faces may run at the same time.
#pragma once
#include "base/progress.h"
#include "mesher/surface/surface_graph.h"
#include "size/size_field.h"
#include <map>

namespace tess {

/// Smallest angle of a triangle in radians; 0 when two corners coincide.
double minAngle(const Vec3& a, const Vec3& b, const Vec3& c);

/// Remeshes one face; its boundary vertices and feature edges stay as they are.
class FacePatch {
public:
  FacePatch(const Part& part, int face, const SizeField& size, Progress& progress)
      : m_part(part), m_face(face), m_size(size), m_progress(progress) {}
  SurfaceGraph g;
  std::vector<int> globalId; ///< per local vertex, -1 for new ones
  double coarser = 1;        ///< factor on the size asked for
  bool frozen = false;       ///< it gets rows of quadrilaterals instead: what the triangles are for is its edges

  void run();
  /// After run(): brings an inner vertex to each of the given places, holds it there from now on and remeshes once
  /// more. Places near the boundary or near one another are left out. Returns how many vertices are held.
  int anchor(const std::vector<FaceProjection>& places);
  /// Before run(): takes vertices of the boundary out; their neighbours there are joined by straight sides. False where
  /// the triangles do not allow that.
  bool takeOut(const std::vector<int>& vertices);
  /// Splits inner edge (a, b), named by global ids; used when another face has the same edge.
  bool splitShared(int globalA, int globalB);
  int face() const { return m_face; }
  double sizeAt(int v) const { return m_h[static_cast<std::size_t>(v)]; }
  /// Of the true face at vertex v.
  const Vec3& normalAt(int v) const { return m_normal[static_cast<std::size_t>(v)]; }
  bool onBoundary(int v) const { return g.dim[static_cast<std::size_t>(v)] != Dim::Face; }

private:
  const Part& m_part;
  int m_face;
  const SizeField& m_size;
  Progress& m_progress;
  std::vector<double> m_h;
  std::vector<Vec3> m_askedAt; ///< where the size of each vertex was last asked for
  std::vector<Vec3> m_normal; ///< of the true face at each vertex, zero on creases; their mean stands in for the normal
                              ///< below a triangle
  std::vector<char> m_held;   ///< per vertex: anchored; may be shorter than the list of vertices

  bool held(int v) const { return static_cast<std::size_t>(v) < m_held.size() && m_held[static_cast<std::size_t>(v)]; }
  bool fixed(int v) const { return onBoundary(v) || held(v); }
  void prepare();
  double askedAt(const Vec3& p) const { return coarser * m_size.at(p); }
  Vec3 onFace(const Vec3& p) const { return m_part.shape->projectToFace(m_face, p).point; }
  /// A sharp edge that ends inside the face has the face on both sides, turned differently: its vertices have no normal
  /// that would suit both, and none (zero) from now on.
  void forgetCreases();
  /// How well a triangle of these vertices faces the way the face does there, with the vertices at the places given.
  double facing(int a, int b, int c, const Vec3& pa, const Vec3& pb, const Vec3& pc, const Vec3& extra) const;
  double facing(int a, int b, int c) const { return facing(a, b, c, g.pt(a), g.pt(b), g.pt(c), Vec3::Zero()); }
  int splitAt(int a, int b, const FaceProjection& m);
  int splitAt(int a, int b) { return splitAt(a, b, m_part.shape->projectToFace(m_face, 0.5 * (g.pt(a) + g.pt(b)))); }
  /// Splits unless the new point, put on the true face, would turn a triangle over: next to an edge that spans a wide
  /// arc a flat triangle lies between chord and arc. Flips change such places in later rounds.
  bool trySplit(int a, int b);

  struct Edge {
    int a, b;
    double rank;
  };
  template <class F> std::vector<Edge> collect(F&& rank) const;
  int splitLong(int round);
  bool collapseGood(int v, int w, const Vec3& to) const;
  int collapseShort();
  void flips(bool byAngle);
  /// Triangles that look the wrong way, as a divided edge leaves them behind where a flat triangle lay between the old
  /// chord and the true curve: flipped whenever that turns the pair the right way.
  void untangle();
  /// A face that is folded, as where its edges nearly touch, is triangulated anew between its edges, if it is flat,
  /// part of a cylinder, or turns little.
  void unfold();
  struct Roll {
    std::vector<Vec3> flat;      ///< per vertex; empty when the patch cannot be rolled out
    std::map<int, int> original; ///< of the vertices on the right side of a cut through a ring: the same on its left
    Vec3 e1, e2, along, axis;
    double from = 0, radius = 0;
    bool outward = true;
    /// Place on the cylinder and in the plane.
    FaceProjection onCylinder(const Vec3& p) const;
  };
  static constexpr double kRollStep = 0.45; ///< rad between places put inside
  /// The patch rolled out into a plane, when it is part of a cylinder: places are preserved along the surface. One that
  /// closes round the axis is cut open from rim to rim if `rings`, the sides of the cut among `edges` then. Empty when
  /// it cannot be.
  Roll rolledOut(std::vector<std::array<int, 2>>& edges, bool rings);
  bool cutRing(Roll& roll, std::vector<Vec3> flat, std::vector<std::array<int, 2>>& edges);
  int addRolled(Roll& roll, const Vec3& at);
  void putInside(Roll& roll, std::vector<std::array<int, 2>>& edges);
  bool narrow(const std::vector<std::array<int, 2>>& edges) const;
  bool tryFlip(int t, int a, int b, bool byAngle);
  void smooth();
  /// Moves v when its triangles stay good.
  bool tryHold(int v, const FaceProjection& to);
  /// Puts a new held vertex at the place by splitting an edge of the triangle there, whose corner is near vertex v.
  bool insertHeld(int v, const FaceProjection& to);
  /// A triangle whose three corners all lie on edges of one sharp wedge leaves its tetrahedra no room; splitting is
  /// left to the volume. Here only triangles that lie flat between two feature edges of a smooth join are opened.
  void separateCorners();
};

} // namespace tess
