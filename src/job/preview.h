// SPDX-License-Identifier: GPL-3.0-or-later
// What one rule would do, before anything is meshed: where nodes would stand on edges, which region it covers, what it
// acts on, and counts in words. Which of these a kind of rule shows stands in the rule table (`preview`).
#pragma once
#include "geometry/cut_bodies.h"
#include "job/groups.h"
#include "size/size_field.h"

namespace tess {

struct RulePreview {
  std::vector<Vec3> marks;                  ///< nodes on edges, at most kPreviewMarks
  std::vector<std::array<Vec3, 2>> outline; ///< lines round a region of space
  Dim dim = Dim::Face;
  std::vector<int> lit;     ///< what the rule acts on; empty: everything, or nothing
  std::vector<int> follows; ///< of a division: edges whose counts follow, as sides across from each other do
  /// Of a cut: its sheets as they lie, and the lengths along which they snap, from where they are.
  std::vector<SheetLook> sheets;
  std::vector<double> snaps;
  std::string text; ///< counts in words; may be empty
};
constexpr std::size_t kPreviewMarks = 20000;

/// Two significant digits for people, with a narrow space before each group of three: 184 000, 9 300, 850.
std::string roughly(double n);
/// What a rule acts on as far as its groups tell, without evaluating anything: at once for a card under the pointer.
RulePreview previewTarget(const Rule& rule, const std::vector<ResolvedGroup>& groups);
/// `field`: the size field of the brief as it last was, whose other rules are taken into account where they ask for
/// less; or null. Rules other than `rule` and the overall one are not evaluated anew, which keeps it quick. `asMade`:
/// the rule as it was then, or null: where it still says the same, the field says what it will do, growth from
/// elsewhere included. A problem when a text of the rule is no value of its slot. Throws Cancelled on a stop.
Result<RulePreview> previewRule(const Brief& brief, int rule, const Part& part,
                                const std::vector<ResolvedGroup>& groups, const SizeField* field, Progress& progress,
                                const Rule* asMade = nullptr);
/// The words alone for every rule of a brief, for cards before a run; empty texts where there is nothing to say.
std::vector<std::string> previewTexts(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
                                      const SizeField& field, Progress& progress);

} // namespace tess
