// SPDX-License-Identifier: GPL-3.0-or-later
// The one rule table. A kind of rule is described once: id, section, sentence with entries, and for every slot its key,
// type, unit, bounds, default and help. File keys, validation, cards, `tessel rules` and the reference page come from
// it.
#pragma once
#include "base/problem.h"
#include <map>
#include <string>
#include <vector>

namespace tess {

/// Size is a length or a multiple of the overall size, as "0.4 x".
enum class SlotType { Length, Size, Number, Integer, Angle, Choice, Target, Text, Path, Points, Names, ColorText };

struct Slot {
  std::string key;
  SlotType type = SlotType::Text;
  std::string fallback; ///< default text; empty: not set
  std::string help;
  double low = -1e300, high = 1e300;
  bool lowOpen = false; ///< the lower bound itself is not allowed
  std::vector<std::string> choices;
  bool required = false;
  bool direction = false; ///< Points that are directions, not places
  bool multiple = false;  ///< a Number that may also be a multiple of the target size, as "0.2 x"
  bool diameter = false;  ///< may also be a share of the diameter of what the rule is on, as "D/8"
};

struct RuleKind {
  std::string id;
  std::string section;  ///< Values, Groups, Sizes, Methods, Judging, Hand-over
  std::string sentence; ///< words with {slot} places; [...] parts appear only when a slot in them is set
  std::string stage;    ///< what has to be done again after a change: size, mesh, audit, export
  std::string preview;  ///< what the card shows before a run
  std::string help;
  std::vector<Slot> entries;
  const Slot* slot(const std::string& key) const;
};

const std::vector<RuleKind>& ruleTable();
const RuleKind* ruleKind(const std::string& id);
const char* slotTypeName(SlotType t);
/// The slot of a new rule that a person will want to set next: the first required value that is no target or place,
/// else the first number.
const Slot* askedFirst(const RuleKind& kind);

/// A rule of a brief: values as the texts that were written, by slot key.
struct Rule {
  std::string kind;
  std::map<std::string, std::string> values;
  std::string note;
  bool off = false;
  std::map<std::string, std::string> unknown; ///< keys that the table does not know; kept and reported
  /// Text of a slot, or its default.
  std::string get(const std::string& key) const;
  bool operator==(const Rule&) const = default;
};

/// Checks a value against its slot; lengths in `unit`. Nothing when it is fine.
std::optional<Problem> checkSlot(const Slot& slot, const std::string& value, const std::string& unit);
/// Number of a slot in the part's unit (lengths) or as it stands; the default when the value is missing or bad.
double slotNumber(const Rule& rule, const std::string& key, const std::string& unit);
/// Length of a Length or Size slot in the part's unit; `target` is what "0.4 x" multiplies.
double slotLength(const Rule& rule, const std::string& key, const std::string& unit, double target);
/// "0.4 x", "0.4 x everywhere" -> 0.4; nothing when the text is no multiple.
std::optional<double> parseMultiple(const std::string& text);
/// "D/8", "D", "0.2 D" -> share of a diameter; nothing when the text is none.
std::optional<double> parseDiameter(const std::string& text);
/// The rule in words, with values filled in.
std::string sentenceOf(const Rule& rule);
/// "a, b" -> {a, b}; blanks around entries are dropped.
std::vector<std::string> splitList(const std::string& text, char separator = ',');
/// "1, 2, 3" or "(1, 2, 3); (4, 5, 6)" as points; lengths may carry units.
Result<std::vector<Vec3>> parsePoints(const std::string& text, const std::string& unit);
/// Reference page of all rules in Markdown; `docs/rules.md` is generated from it.
std::string rulesReference();

} // namespace tess
