// SPDX-License-Identifier: GPL-3.0-or-later
// Angles that a part has of itself and that no mesh of it can avoid: between two faces at an edge, through the
// material, and between two edges of a face at a corner.
#pragma once
#include "mesh/mesh.h"

namespace tess {

/// Per node the smallest such angle in degrees, as the boundary of the mesh shows it; 180 where there is none below.
/// Needs boundary faces that know their geometry face (`faceLink`); all 180 otherwise. Cost O(faces log faces).
std::vector<float> ownAngles(const Mesh& mesh);

/// Which of `cells` stand in a wedge of the part that is too thin for them, beside its sharp rim: of their corners,
/// those on faces lie on the two that meet at a rim of their region with an own angle below `degrees`, and where the
/// cell has its middle those faces are closer than a quarter of its mean edge length. (Tetrahedra over a triangle of
/// edge h in a slab of thickness h / 4 have angles of 16 degrees at best; a mesh without structure has about half of
/// that.) One flag per entry of `cells`; all 0 when nodes or faces do not know their geometry. O(cells x sharp rim
/// edges).
std::vector<char> inSharpWedge(const Mesh& mesh, const std::vector<std::int32_t>& cells, double degrees);

/// Dihedral angle in degrees below which an element counts as flat.
constexpr double kFlatAngle = 8;

/// Flat cells by what makes them so.
struct FlatCells {
  std::vector<std::int32_t> touching;  ///< a sharp edge or corner of the part
  std::vector<std::int32_t> beside;    ///< one, in a wedge thinner than they are (inSharpWedge)
  std::vector<std::int32_t> elsewhere; ///< nothing of the part
};

/// Sorts `flat` cells; `own`: what ownAngles tells of the mesh, sharp being what is below `degrees`.
FlatCells causesOfFlatness(const Mesh& mesh, const std::vector<float>& own, const std::vector<std::int32_t>& flat,
                           double degrees);

} // namespace tess
