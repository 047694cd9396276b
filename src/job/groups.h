// SPDX-License-Identifier: GPL-3.0-or-later
// Finds the entities that a group's description means on a part. The description, never entity numbers, is what a
// brief keeps.
#pragma once
#include "geometry/part.h"
#include "job/brief.h"

namespace tess {

struct ResolvedGroup {
  std::string name;
  Dim dim = Dim::Face;
  std::vector<int> entities; ///< ascending
  int rule = -1;
  bool outerByDefault = false; ///< faces between bodies were left out without being asked about
  bool leftAway = false;       ///< what it describes is no longer there, since cuts keep one side
};
/// All groups of the brief in order, those of the faces of cuts last; what matches nothing, or refers to a group that
/// is not there, is a problem. Of a part that is cut, what describes something on the whole part means all that became
/// of it; what describes nothing there, pieces, or what cuts made, is looked for among the pieces.
std::vector<ResolvedGroup> resolveGroups(const Brief& brief, const Part& part, std::vector<Problem>& problems);
/// Whether a group's card can only mean pieces or what cuts made.
bool tellsOfPieces(const Brief& brief, const Rule& group);
/// Role that a rule gives to its group of faces; the faces where a cut left one side are a symmetry.
std::string roleOf(const Rule& rule);
/// Description of a selection: one nearest point per entity.
Rule describeSelection(const Part& part, Dim dim, const std::vector<int>& entities, const std::string& name);
/// Faces in no group.
std::vector<int> unassignedFaces(const Part& part, const std::vector<ResolvedGroup>& groups);
/// Distance of a point to an entity; faces and bodies by their display triangles, which know their trimming.
double distanceToEntity(const Part& part, Dim dim, int entity, const Vec3& p);
/// A point on the entity, far from its boundary where that is cheap to find.
Vec3 typicalPoint(const Part& part, Dim dim, int entity);

} // namespace tess
