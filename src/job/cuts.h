// SPDX-License-Identifier: GPL-3.0-or-later
// What the cards of the section Pieces mean on a part: the sheets that its bodies are cut by, what of it is kept, and
// the names of the faces that a cut leaves.
#pragma once
#include "geometry/cut_bodies.h"
#include "job/brief.h"
#include "size/part_size.h"

namespace tess {

/// Whether a kind changes the pieces that a part is meshed as: cuts, and spaces with their caps.
bool isCut(const std::string& kind);
bool isSpace(const std::string& kind);
/// The rule of a brief that is cut number `k`, from 0; -1 when there is none.
int ruleOfCut(const Brief& brief, int k);
/// Number of the cut that a rule is, from 0; -1 when it is none or off.
int cutOfRule(const Brief& brief, int rule);
/// What reading a brief's part hangs on besides the file: its cuts in their order, and the groups and values that they
/// use. Roles, notes and the like are left out.
std::vector<Rule> rulesOfCuts(const Brief& brief);
/// The cuts of such rules on the part as it is before all of them. What cannot be understood cuts nothing and is a
/// problem at "cut 2" or so.
std::vector<Cut> cutsOf(const std::vector<Rule>& rules, const std::string& folder, const Part& whole,
                        std::vector<Problem>& problems);
/// The part with these cuts made as well.
Result<Part> cutFurther(std::shared_ptr<const Part> part, const std::vector<Rule>& rules, const std::string& folder,
                        Progress* progress = nullptr);
/// "symmetry-x": what the face is called that a cut leaves where it keeps one side; empty where it keeps both and no
/// name is given. Among several cuts of one name the later ones get a number.
std::string faceNameOfCut(const Brief& brief, int k);
/// "1 body in 5 pieces", "3 bodies, one of them in 4 pieces", "2 bodies".
std::string bodiesText(const Part& part);
/// Where a problem of the part says "cut 2" the card is named instead.
std::vector<Problem> problemsOfPart(const Part& part, const Brief& brief);
/// Edges, faces and angles that cuts left and that are too small for the elements there; what the part itself brings
/// along is not meant, nor that thin walls get finer elements by themselves.
std::vector<Problem> smallAtCuts(const Part& part, SizeRequest request, Progress* progress = nullptr);
bool isSmallAtCut(const Problem& problem); ///< one of these
/// "one half of the part, as one side of 'symmetry-x' is kept": for findings and the gate; empty for a whole part.
std::string halfSentence(const Part& part, const Brief& brief);

} // namespace tess
