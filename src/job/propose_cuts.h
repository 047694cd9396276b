// SPDX-License-Identifier: GPL-3.0-or-later
// Cuts that turn bodies into hexahedra, found by trying: faces that stop at an inner corner of a body are carried on
// through it, levels between the ends of a stepped body become planes. What helps is kept, what turns out not to be
// needed is taken back, so that few cuts are left.
#pragma once
#include "job/brief.h"

namespace tess {

struct CutProposal {
  std::vector<Rule> rules; ///< cut cards, to be appended to those of the brief; none where nothing helps
  double before = 0;       ///< share of the volume that can be mapped or swept without them
  double after = 0;        ///< and with them
  int pieces = 0;          ///< bodies and pieces there are then
  int tried = 0;           ///< sets of cuts that were made to see
  bool outOfTime = false;
  std::vector<Problem> hinders;     ///< why what is left is none, one per body or piece, at most a few
  std::shared_ptr<const Part> part; ///< with the cuts made
};

struct CutSearch {
  int most = 12;       ///< cuts
  int tries = 400;     ///< sets of cuts
  double seconds = 30; ///< after which the best so far is what there is
};

/// `whole`: the part before all cuts; those of the brief are made first. Bodies that the brief fills with tetrahedra by
/// name are left alone. The same for the same input as long as time does not run out. Throws Cancelled on a stop.
Result<CutProposal> proposeCuts(const Brief& brief, std::shared_ptr<const Part> whole, Progress& progress,
                                const CutSearch& search = {});
/// The brief with the cuts after those that it has, and every body filled with what fits best.
Brief withProposal(const Brief& brief, const CutProposal& proposal);
/// "3 cuts: 100 % of the volume can be mapped or swept, 41 % without them".
std::string proposalSentence(const CutProposal& proposal);

} // namespace tess
