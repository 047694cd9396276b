// SPDX-License-Identifier: GPL-3.0-or-later
// Turns parts and meshes into drawable polygons and lines. Pure functions; no drawing happens here.
#pragma once
#include "job/run.h"
#include "mesh/cell_faces.h"
#include <QColor>
#include <functional>
#include <vtkPolyData.h>
#include <vtkSmartPointer.h>

namespace tess {

using PolyData = vtkSmartPointer<vtkPolyData>;
struct Plane {
  Vec3 origin, normal;
};

/// Faces of a mesh's boundary from which on something simpler stands in for them while the picture moves.
inline constexpr std::size_t kFacesInMotion = 30000;
/// What drawing asks of a mesh again and again: made once per mesh, off the window's thread.
struct MeshLook {
  struct Side {
    std::int32_t a, b, face; ///< in the face's direction: a GL leaves out the last pixel of a line
  };
  Neighbours near;
  std::vector<std::int32_t> behind; ///< cell behind each boundary face, -1 for none
  std::vector<Side> sides;          ///< sides of the boundary faces (halves of curved ones), equal ones in a row
  struct Piece {
    std::array<Vec3, 3> at;
    std::uint32_t face; ///< a boundary face that it stands for
  };
  /// A surface of fewer triangles that stands in for that of a fine mesh while the picture moves; else empty.
  std::vector<Piece> coarse;
};
MeshLook lookAt(const Mesh& mesh, const Progress* progress = nullptr);

/// The size asked for over the part's surface, in pieces small against the part.
struct SizeShade {
  std::vector<std::array<Vec3, 3>> at;
  std::vector<std::array<Vec3, 3>> normal; ///< at the corners, smooth inside a face
  std::vector<int> face;
  std::vector<float> size;
  double low = 0, high = 0;
};
SizeShade shadeSizes(const Part& part, const SizeField& field, const Progress* progress = nullptr);
PolyData shadeSurface(const SizeShade& shade, const std::function<bool(int)>& shown,
                      const std::function<QColor(double)>& color);
/// Sizes at the middles of the mesh's boundary faces.
std::vector<float> boundarySizes(const Mesh& mesh, const SizeField& field);

/// A surface that every lens colours anew.
struct PaintedSurface {
  PolyData polygons;
  std::vector<std::uint32_t> face; ///< by triangle: the face it is a part of, of the part or of the mesh's boundary
  /// Colours by face. What has them already is not touched.
  void paint(const std::function<QColor(std::size_t)>& color) const;
};
/// Part triangles of the faces for which `shown` holds, with smooth normals inside a face.
PaintedSurface partSurface(const Part& part, const std::function<bool(int)>& shown);
PolyData partEdges(const Part& part, const std::function<bool(int)>& shown);
/// By edge of the part: whether a line along it is a line of the mesh too. Not so where the brief lets the mesh run
/// across the edge: it is longer than the elements there and none of their nodes lies on it. All, where nodes are not
/// linked to the part.
std::vector<char> followedEdges(const Part& part, const Mesh& mesh);
/// Edges that are no boundary between two faces: open ones (one face), and ones where three or more faces meet.
struct OddEdges {
  PolyData open, many;
  std::size_t openCount = 0, manyCount = 0;
};
OddEdges oddEdges(const Part& part);
OddEdges oddEdges(const Mesh& mesh, const MeshLook& look);
PolyData pointCloud(const std::vector<Vec3>& points);
PolyData segments(const std::vector<std::array<Vec3, 2>>& lines);
/// Point array of all surfaces of elements made here, which are triangles without common corners. At each corner: its
/// place in the triangle (0 to 2), plus 4, 8, 16 where the side opposite the first, second, third corner is a line of
/// an element. A program for the graphics draws the lines with the surface; as a set of lines they took as long again.
inline constexpr const char* kSides = "sides";
/// Boundary faces of a mesh.
PaintedSurface meshSurface(const Mesh& mesh, const std::function<bool(std::size_t)>& shown);
/// What stands in for it, of the faces for which `shown` holds.
PaintedSurface coarseSurface(const MeshLook& look, const std::function<bool(std::size_t)>& shown);
/// Whole cells: all their outer faces against the rest, coloured per cell.
PolyData cellFaces(const Mesh& mesh, const MeshLook& look, const std::vector<std::int32_t>& cells,
                   const std::function<QColor(std::size_t)>& color);
/// Each cell on its own, drawn `share` of its size about its middle, so that gaps show what lies behind.
PolyData shrunkCells(const Mesh& mesh, const std::vector<std::int32_t>& cells, double share,
                     const std::function<QColor(std::size_t)>& color);
/// Cells that the plane crosses: corners strictly on both sides, or touching from one side with a face in the plane not
/// counted.
std::vector<std::int32_t> crossedCells(const Mesh& mesh, const Plane& plane);
/// The cut through the cells: one polygon per crossed cell, coloured per cell.
PolyData cutPolygons(const Mesh& mesh, const Plane& plane, const std::vector<std::int32_t>& cells,
                     const std::function<QColor(std::size_t)>& color);

} // namespace tess
