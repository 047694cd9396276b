// SPDX-License-Identifier: GPL-3.0-or-later
// A part from any file: geometry, or a mesh whose boundary is the part. Of a mesh its face sets become names of faces
// (so that groups, sizes and selections mean the same as on any part), and the rule 'take_mesh' keeps its elements.
#pragma once
#include "job/brief.h"
#include "mesher/mesher.h"

namespace tess {

struct OpenedPart {
  Part part;
  std::shared_ptr<const Part> same = {}; ///< the part as it was given, where nothing was changed; `part` is empty then
  /// What the file brings along for a brief: its sets as groups, and that its mesh is taken. Empty for geometry.
  std::vector<Rule> rules;
};

/// Whether a path means a mesh: a file of a format that holds cells, or a folder with a polyMesh or a file in it.
/// Nothing is read.
bool holdsMesh(const std::string& path);
/// Reads a part or a mesh and makes the cuts. Throws Cancelled on a stop.
Result<OpenedPart> openPart(const std::string& path, const PartOptions& options, Progress* progress = nullptr);
/// The part with cuts made, or as it is where there are none; `whole` is the part before all of them.
Result<Part> withCuts(std::shared_ptr<const Part> whole, const PartOptions& options, Progress* progress = nullptr);
/// Puts what a file brings along into a brief that says nothing about it yet. `take`: with its mesh as it is; else it
/// is meshed anew from its boundary.
Brief withRulesOf(Brief brief, const OpenedPart& opened, bool take = true);
/// The mesh in the file of `part`, linked to the part's faces, edges and points; `options`: those that the part was
/// read with. Sets of cells and nodes are kept, those of faces are left to the groups of a brief. A problem when the
/// file holds no mesh, or another one than the part was read from. Throws Cancelled on a stop.
Result<MeshOutcome> takeMesh(const Part& part, const LoadOptions& options, Progress& progress);

} // namespace tess
