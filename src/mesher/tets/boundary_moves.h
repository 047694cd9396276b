// SPDX-License-Identifier: GPL-3.0-or-later
// Changes of the surface itself while tetrahedra are improved, for the places where no choice of inner points helps:
// vertices slide, diagonals flip, vertices go or come (Klingner & Shewchuk 2007). Both sides of the surface are
// tetrahedra, so that it can neither fold nor cross itself; every point lies on its true face or edge; feature lines
// and corners stay. Each change lifts the worst of the tets it touches, or is not made.
#pragma once
#include "mesher/surface/surface.h"
#include "mesher/tets/tet.h"
#include <unordered_map>

namespace tess {

/// Least quality after a change by way of trial: positive, however flat.
constexpr double kDare = 1e-3;

class BoundaryMoves {
public:
  /// `surface` and `core` are changed together; surface points keep their numbers, others get dim Body in `surface`.
  BoundaryMoves(TetCore& core, SurfaceMesh& surface, const Part* part, const SizeField& size);

  /// False for a vertex that lies on the surface, and for the far corners around everything.
  bool inner(int v) const { return m_surface.dim[static_cast<std::size_t>(v)] == Dim::Body && !farCorner(v); }
  /// Whether these two vertices follow each other on an edge of the part.
  bool onLine(int a, int b) const { return m_line.count(edgeKey(a, b)) > 0; }
  /// A vertex inside was added to the core.
  void added(int v);
  /// Moves a surface vertex along its face or edge; the triangles must keep facing outwards and stay well shaped.
  bool slide(int v);
  /// A flat tet whose two surface triangles lie nearly in one plane: the surface's diagonal is flipped and the tet goes
  /// to the other side. The surface moves by less than the tet's height.
  bool peel(int t);
  /// A new vertex on a surface triangle or edge of tet t, with the tets around it on both sides made anew.
  /// With `dare` it need not lift the worst there, only leave all tets positive; for trials that can be taken back.
  bool insert(int t, bool dare = false);
  /// Pulls surface vertex v into its neighbour w along the surface. `dare` as above.
  bool contract(int v, int w, bool dare = false);
  /// Drops what is gone from the surface and takes over the places of its points.
  void finish();

  struct Counts {
    int slides = 0, peels = 0, insertions = 0, contractions = 0;
  } counts;

private:
  TetCore& m;
  SurfaceMesh& m_surface;
  const Part* m_part;
  const SizeField& m_size;
  int m_farFrom;                                            ///< number of the first far corner
  std::unordered_map<std::uint64_t, std::vector<int>> m_at; ///< smallest two corners -> surface triangles
  std::unordered_map<std::uint64_t, int> m_line;            ///< vertex pair -> part edge
  std::vector<int> m_star;

  bool farCorner(int v) const { return v >= m_farFrom && v < m_farFrom + 8; }
  Dim dim(int v) const { return m_surface.dim[static_cast<std::size_t>(v)]; }
  int entity(int v) const { return m_surface.entity[static_cast<std::size_t>(v)]; }
  const std::array<int, 3>& tri(int i) const { return m_surface.triangles[static_cast<std::size_t>(i)]; }
  int region(int t) const { return m.region[static_cast<std::size_t>(t)]; }
  Vec3 normal(const std::array<int, 3>& q) const { return triangleNormal(m.pt(q[0]), m.pt(q[1]), m.pt(q[2])); }
  static std::uint64_t key(int a, int b, int c);
  int triangle(int a, int b, int c) const;
  void enter(int i);
  void leave(int i);
  /// Surface triangles at edge (a, b), and at vertex v.
  std::vector<int> trianglesAt(int a, int b) const;
  std::vector<int> trianglesAt(int v);
  /// Whether one of them must stay as it is.
  bool anyFixed(const std::vector<int>& triangles) const {
    return std::any_of(triangles.begin(), triangles.end(),
                       [this](int i) { return m_surface.fixed(static_cast<std::size_t>(i)); });
  }
  void setLock(int t, int face, bool on);
  class Insertion; ///< of a new vertex, phase by phase
  // What these change is noted in the core's log, where there is one.
  template <class F> void noteUndo(F undo) {
    if (m.log) m.log->add(std::move(undo));
  }
  void lockEdge(int a, int b);
  void unlockEdge(int a, int b);
  void setTriangle(int i, const std::array<int, 3>& q);
  void setLine(int a, int b, int edge); ///< -1: no line
  std::vector<int>& chainOf(int edge);
};

} // namespace tess
