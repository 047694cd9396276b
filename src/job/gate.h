// SPDX-License-Identifier: GPL-3.0-or-later
// What stands against handing a mesh to a solver, said before anything is written.
#pragma once
#include "job/run.h"

namespace tess {

struct Gate {
  std::vector<Problem> objections; ///< reasons not to write; may be overruled with a reason
  std::string size;                ///< of the mesh in each file: "182 x 96 x 96 mm"; what share of the part it is
  bool open() const { return objections.empty(); }
};

/// Judges the run against its part and against the brief as it stands now: failed limits, an unsound mesh, faces in no
/// group or in two, sets without elements, a unit that was only assumed, a brief that has moved on.
/// `files`: the rules 'hand_over' about to be carried out, whose scales the size is said in. Cost O(nodes + boundary
/// faces).
Gate gateOf(const RunResult& run, const Part& part, const Brief& now, const std::vector<Rule>& files = {});
/// The finding that the gate was passed for a reason, all objections named.
Problem gateOverruled(const Gate& gate, const std::string& reason);

} // namespace tess
