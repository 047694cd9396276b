// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/say.h"
#include "job/text.h"
#include "mesher/plan/plan.h"
#include <algorithm>
#include <cctype>

namespace tess {
namespace {

std::string lower(std::string s) {
  for (char& c : s) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return s;
}

Problem notUnderstood(const std::string& what, const std::string& todo) {
  Problem p;
  p.fault = Fault::Usage;
  p.code = "say.unknown";
  p.what = what;
  p.todo = todo;
  return p;
}

const char* kExamples = "say for example: size 1.2 mm on feet, 3 through walls, everywhere 4 mm, all hexahedra";

/// The entry of a rule that has these words among its choices.
const Slot* choiceOf(const RuleKind& kind, const std::string& words) {
  for (const auto& s : kind.entries)
    if (std::find(s.choices.begin(), s.choices.end(), words) != s.choices.end()) return &s;
  return nullptr;
}

/// The words of a line that are no rule's name yet: a length, or so many through something.
std::optional<Said> withoutName(const std::string& words, const std::string& unit) {
  const std::string low = lower(words);
  for (const auto& what : ruleKind("through")->slot("what")->choices)
    if (const std::string tail = "through " + what; low.ends_with(tail)) {
      const std::string count = trimmed(words.substr(0, words.size() - tail.size()));
      if (count.empty() || checkSlot(*ruleKind("through")->slot("count"), count, unit)) return {};
      return Said{"through", {{"count", count}, {"what", what}}};
    }
  for (const char* all : {"all hexahedra please", "all hexahedra", "hexahedra please", "hexahedra"})
    if (low == all) return Said{"fill", {{"with", kBestFill}, {"across", acrossName(Across::Quads)}}};
  if (low == "all tetrahedra" || low == "tetrahedra") return Said{"fill", {{"with", fillName(Fill::Tetrahedra)}}};
  const Slot* length = ruleKind("size")->slot("length");
  if (!words.empty() && !checkSlot(*length, words, unit)) return Said{"size", {{"length", words}}};
  return {};
}

} // namespace

Result<Said> understand(const std::string& line, const std::vector<std::string>& groups, const std::string& unit) {
  std::string words = trimmed(line), target;
  // What stands behind the last "on" or "at", if it is one of the targets that there are.
  for (const char* link : {" on ", " at "}) {
    const auto at = lower(words).rfind(link);
    if (at == std::string::npos) continue;
    const std::string name = trimmed(words.substr(at + 4));
    if (lower(name) == "everywhere") target = "everywhere";
    for (const auto& g : groups)
      if (lower(g) == lower(name)) target = g;
    if (target.empty())
      return notUnderstood("there is no group '" + name + "'", "check the name, or make the group first");
    words = trimmed(words.substr(0, at));
    break;
  }
  const RuleKind* kind = nullptr;
  std::string rest;
  for (const auto& k : ruleTable()) {
    std::string name = k.id;
    std::replace(name.begin(), name.end(), '_', ' ');
    const std::string low = lower(words);
    if (low != name && !low.starts_with(name + " ")) continue;
    if (kind && kind->id.size() >= k.id.size()) continue; // the longest name counts
    kind = &k;
    rest = trimmed(words.substr(name.size()));
  }
  Said said;
  if (kind) {
    said.kind = kind->id;
    if (!rest.empty()) {
      const Slot* first = said.kind == "everywhere" ? kind->slot("target") : askedFirst(*kind);
      if (said.kind == "through") {
        if (auto through = withoutName(rest, unit); through && through->kind == "through")
          said.values = through->values;
        else if (!checkSlot(*first, rest, unit))
          said.values[first->key] = rest;
        else
          return notUnderstood("'" + rest + "' says nothing about elements through walls", kExamples);
      } else if (const Slot* choice = choiceOf(*kind, rest))
        said.values[choice->key] = rest;
      else if (!first)
        return notUnderstood("a rule '" + said.kind + "' takes no value", "leave '" + rest + "' out");
      else if (auto bad = checkSlot(*first, rest, unit))
        return notUnderstood(bad->what, bad->todo);
      else
        said.values[first->key] = rest;
    }
  } else if (auto plain = withoutName(words, unit))
    said = *plain;
  else
    return notUnderstood("'" + trimmed(line) + "' is no rule, group or command", kExamples);
  if (target.empty()) return said;
  kind = ruleKind(said.kind);
  for (const Slot& s : kind->entries)
    if (s.type == SlotType::Target) {
      said.values[s.key] = target;
      return said;
    }
  return notUnderstood("a rule '" + said.kind + "' holds for the whole part", "leave '" + target + "' out");
}

} // namespace tess
