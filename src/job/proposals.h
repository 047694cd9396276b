// SPDX-License-Identifier: GPL-3.0-or-later
// Descriptions that a person would give: default groups for a whole part, and everything that is like a picked face.
#pragma once
#include "job/groups.h"

namespace tess {

/// Groups that a part suggests, as ordinary rules: its flat ends, its round holes by diameter, and the rest. Faces that
/// groups of the brief hold already are left alone; names do not repeat those of the brief. What a description would
/// take in besides the faces meant is told apart by points.
std::vector<Rule> proposeGroups(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups);

/// Whether a flow runs inside the bodies (they are the fluid) or around and between them.
enum class FlowSpace { Unknown, Inside, Around };
/// What the kinds of the brief's groups of bodies say; Unknown where none has one.
FlowSpace flowSpaceOf(const Brief& brief);

/// Sizes that a purpose usually wants, as ordinary rules that can be changed afterwards: "strength", "heat" or "flow".
/// Targets, local sizes and groups of the brief stay as they are; growth, turn, elements through walls or across gaps,
/// order and limits are set. Unchanged for any other word.
/// For flow, elements are asked for through fluid bodies, whose channels are what a solid calls its walls, and across
/// gaps where bodies are what is flowed around: as the brief says, else as `space` does (a group of all bodies with the
/// kind 'fluid' is added for Inside), else across gaps.
Brief withPurpose(const Brief& brief, const std::string& purpose, FlowSpace space = FlowSpace::Unknown);
const std::vector<std::string>& purposes();

/// Ways to go from one face to others.
enum class Alike { Smooth, Coplanar, SameRadius, SameArea, SameKind, SameColour, Opposite };
struct AlikeInfo {
  Alike how;
  const char* id;
  const char* words; ///< as in "take in: ..."
};
const std::vector<AlikeInfo>& alikeTable();

/// A group rule (without a name) that describes the face and what is like it; nothing when the way makes no sense for
/// the face (no radius, no colour, no face opposite).
std::optional<Rule> describeAlike(const Part& part, int face, Alike how);
/// Entities of one group rule on its own.
std::vector<int> resolveAlone(const Rule& group, const Part& part);

} // namespace tess
