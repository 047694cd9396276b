// SPDX-License-Identifier: GPL-3.0-or-later
// Which face lies opposite a point of a face, through a wall of material or across a gap.
#pragma once
#include "base/bvh.h"
#include "geometry/part.h"
#include "size/pieces.h"

namespace tess {

/// Rays over the display triangles of a part; what they hit is measured on the true faces. Faces count as opposite
/// when their normals are within 50 degrees of facing each other. Safe to ask from several threads.
class OppositeFaces {
public:
  explicit OppositeFaces(const Part& part);

  struct Hit {
    double distance = std::numeric_limits<double>::infinity();
    int face = -1;
    Vec3 at = Vec3::Zero();    ///< on the opposite face
    Vec3 along = Vec3::Zero(); ///< of the ray, also when nothing is hit
    double facing = 0;         ///< cosine of the angle between the ray and the opposite face's normal
    bool found() const { return face >= 0; }
  };
  /// From a point of the face along its normal, towards the side where `body` lies (-1: empty space), up to `below`.
  Hit cast(int face, const Vec3& p, int body, double below) const { return cast(face, project(face, p), body, below); }
  Hit cast(int face, const FaceProjection& on, int body, double below) const;
  /// Whether a hit lies across a sharp edge that both faces share, or that ends inside a face of facets, so that the
  /// distance is that of the wedge there.
  bool acrossEdge(int face, const Vec3& p, const Hit& hit) const;
  /// False when no face can lie opposite within `below` anywhere over the triangle.
  bool mayFace(const std::array<Vec3, 3>& triangle, int face, int body, double below) const;

private:
  FaceProjection project(int face, const Vec3& p) const { return m_part.shape->projectToFace(face, p); }
  const Vec3& pt(int v) const { return m_part.display.points[static_cast<std::size_t>(v)]; }
  const Part& m_part;
  double m_slack; ///< the display triangles lie off the true faces by up to this
  Bvh m_tree;
  struct Item {
    Vec3 normal;
    std::array<int, 2> bodies; ///< of its face
    int triangle;              ///< of the display
  };
  std::vector<Item> m_item; ///< of the tree
};

} // namespace tess
