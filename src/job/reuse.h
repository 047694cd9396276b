// SPDX-License-Identifier: GPL-3.0-or-later
// What of an earlier run of the same part can serve a changed brief, so that only what the change touches is redone.
#pragma once
#include "job/run.h"

namespace tess {

/// The rules that shape the mesh: without those for judging and hand-over, without what is off, without notes.
std::vector<Rule> meshRules(const Brief& brief);

enum class Reuse {
  None,       ///< a rule that shapes the mesh has changed, or a file it reads may have
  Mesh,       ///< only judging or hand-over have changed: the mesh as it is
  OtherOrder, ///< only the order of the elements has: their corners
  OtherFills  ///< only what bodies are filled with has: the bodies that this does not reach
};
/// `before` must be a run of the same part. With Mesh and OtherOrder the mesh is the same to the byte as
/// one made from nothing.
Reuse reusable(const Brief& brief, const RunResult& before);

/// The outcome of meshing again: links, findings and figures of the mesh of `before`, without its groups; with
/// OtherOrder in the order that `brief` asks for.
MeshOutcome reuseMesh(const Brief& brief, const Part& part, const RunResult& before, Reuse how, Progress& progress);

/// The outcome of meshing only the bodies that a change of fills reaches, with OtherFills; nothing where all must be.
/// `kept`: how many stayed.
std::optional<MeshOutcome> reuseBodies(const Part& part, const SizeField& size, const MeshWishes& wishes,
                                       const MeshOptions& options, const RunResult& before, int& kept,
                                       Progress& progress);

} // namespace tess
