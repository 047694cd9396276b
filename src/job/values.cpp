// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/values.h"
#include "base/units.h"
#include <cctype>
#include <set>

namespace tess {
namespace {

bool letter(char c) { return std::isalpha(static_cast<unsigned char>(c)) || c == '_'; }
bool digit(char c) { return std::isdigit(static_cast<unsigned char>(c)); }

/// Words that have a meaning of their own in the text of a slot.
bool reserved(const std::string& name) {
  static const std::set<std::string> words{"D", "x", "deg", "everywhere", "start", "middle", "end"};
  return words.count(name) > 0 || millimetresPer(name).has_value();
}
bool wellNamed(const std::string& name) {
  if (name.empty() || !letter(name[0])) return false;
  for (char c : name)
    if (!letter(c) && !digit(c)) return false;
  return !reserved(name);
}

/// Values by name; the first of two equal names counts.
std::map<std::string, std::string> valuesOf(const Brief& brief) {
  std::map<std::string, std::string> r;
  for (const auto& rule : brief.rules)
    if (rule.kind == "value" && !rule.off) r.emplace(rule.get("name"), rule.get("value"));
  return r;
}

/// Replaces names and percentages in a text. `origin` + share * `extent` is what a percentage stands for.
class Expansion {
public:
  Expansion(const std::map<std::string, std::string>& values, double origin, double extent)
      : m_values(values), m_origin(origin), m_extent(extent) {}

  std::string of(const std::string& text) {
    std::string out;
    for (std::size_t i = 0; i < text.size();) {
      std::size_t j = i;
      if (digit(text[i]) || text[i] == '.') {
        out += number(text, i);
      } else if (letter(text[i])) {
        while (j < text.size() && (letter(text[j]) || digit(text[j]))) ++j;
        std::string word = text.substr(i, j - i);
        auto it = reserved(word) ? m_values.end() : m_values.find(word);
        if (it == m_values.end() || m_open.count(word) || m_open.size() > 40)
          out += word;
        else {
          m_open.insert(word);
          std::string inner = of(it->second);
          m_open.erase(word);
          // A name that stands alone leaves a text that reads well in reports.
          out += i == 0 && j == text.size() ? inner : "(" + inner + ")";
        }
        i = j;
      } else
        out += text[i++];
    }
    return out;
  }

private:
  const std::map<std::string, std::string>& m_values;
  double m_origin, m_extent;
  std::set<std::string> m_open; ///< names being replaced, against circles

  std::string number(const std::string& text, std::size_t& i) {
    const char* begin = text.c_str() + i;
    char* end = nullptr;
    double v = std::strtod(begin, &end);
    if (end == begin) return std::string(1, text[i++]);
    std::string digits(begin, static_cast<std::size_t>(end - begin));
    i += digits.size();
    std::size_t j = text.find_first_not_of(" \t", i);
    if (j == std::string::npos || text[j] != '%' || m_extent < 0) return digits;
    i = j + 1;
    return "(" + formatNumber(m_origin + v / 100 * m_extent, 15) + ")";
  }
};

std::string expanded(const std::map<std::string, std::string>& values, const Slot& slot, const std::string& text,
                     const Part* part) {
  switch (slot.type) {
  case SlotType::Length:
  case SlotType::Size:
    return Expansion(values, 0, part ? part->diagonal() : 1).of(text);
  case SlotType::Number:
  case SlotType::Integer:
  case SlotType::Angle:
    return Expansion(values, 0, -1).of(text);
  case SlotType::Points: {
    if (slot.direction || text.find('%') == std::string::npos) return Expansion(values, 0, -1).of(text);
    std::string out;
    for (std::string point : splitList(text, ';')) {
      if (point.size() >= 2 && point.front() == '(' && point.back() == ')') point = point.substr(1, point.size() - 2);
      auto c = splitList(point);
      out += out.empty() ? "(" : "; (";
      for (std::size_t k = 0; k < c.size(); ++k) {
        auto axis = static_cast<Eigen::Index>(std::min<std::size_t>(k, 2));
        double lo = part ? part->extent.lo[axis] : 0, size = part ? part->extent.size()[axis] : 1;
        out += (k ? ", " : "") + Expansion(values, lo, size).of(c[k]);
      }
      out += ")";
    }
    return out;
  }
  default:
    return text;
  }
}

} // namespace

namespace {
/// Shares are of the whole part, whatever cuts leave of it.
const Part* measured(const Part* part) { return part && part->whole ? part->whole.get() : part; }
} // namespace

std::string settledText(const Brief& brief, const Slot& slot, const std::string& text, const Part* part) {
  part = measured(part);
  return expanded(valuesOf(brief), slot, text, part);
}

Brief settled(const Brief& brief, const Part* part) {
  part = measured(part);
  Brief b = brief;
  const auto values = valuesOf(brief);
  for (auto& rule : b.rules) {
    const RuleKind* kind = ruleKind(rule.kind);
    if (!kind || rule.kind == "value") continue;
    for (const auto& slot : kind->entries)
      if (auto it = rule.values.find(slot.key); it != rule.values.end() && !it->second.empty())
        it->second = expanded(values, slot, it->second, part);
  }
  return b;
}

std::vector<Problem> checkValues(const Brief& brief, const std::string& unit) {
  std::vector<Problem> r;
  std::set<std::string> seen;
  const auto values = valuesOf(brief);
  for (std::size_t i = 0; i < brief.rules.size(); ++i) {
    const Rule& rule = brief.rules[i];
    if (rule.kind != "value" || rule.off) continue;
    Problem p;
    p.fault = Fault::Usage;
    p.where = "rule " + std::to_string(i + 1) + " (value)";
    std::string name = rule.get("name"), text = rule.get("value");
    if (name.empty() || text.empty()) continue; // reported as missing
    if (!wellNamed(name)) {
      p.code = "value.name";
      p.what = "'" + name + "' cannot name a value";
      p.why = reserved(name) ? "the word has a meaning of its own" : "letters, digits and _ are allowed";
      p.todo = "choose another name, for example hole_size";
      r.push_back(p);
      continue;
    }
    if (!seen.insert(name).second) {
      p.code = "value.twice";
      p.what = "two values are named '" + name + "'";
      p.why = "rules that use it cannot know which is meant";
      p.todo = "give one of them another name";
      r.push_back(p);
    }
    Slot s;
    s.type = SlotType::Length;
    std::string whole = expanded(values, s, text, nullptr);
    Slot angle;
    angle.key = "value";
    angle.type = SlotType::Angle;
    if (!parseLength(whole, unit) && checkSlot(angle, whole, unit)) {
      p.code = "value.unreadable";
      p.what = "'" + text + "' is no value for " + name;
      p.why = "a number, a length or an angle is expected; a name in it must be another value, and none its own";
      p.todo = "write for example 3 mm, 15 deg, or 0.5 * wall";
      r.push_back(p);
    }
  }
  return r;
}

std::optional<Problem> setValue(Brief& brief, const std::string& assignment) {
  auto eq = assignment.find('=');
  auto trim = [](const std::string& s) {
    auto b = s.find_first_not_of(" \t"), e = s.find_last_not_of(" \t");
    return b == std::string::npos ? std::string() : s.substr(b, e - b + 1);
  };
  Problem p;
  p.fault = Fault::Usage;
  p.code = "value.unknown";
  std::string name = trim(assignment.substr(0, eq)), all;
  if (eq == std::string::npos) {
    p.what = "'" + assignment + "' sets nothing";
    p.todo = "write NAME=VALUE, for example hole=\"2 mm\"";
    return p;
  }
  for (auto& rule : brief.rules)
    if (rule.kind == "value" && !rule.off) {
      if (rule.get("name") == name) {
        rule.values["value"] = trim(assignment.substr(eq + 1));
        return {};
      }
      all += (all.empty() ? "" : ", ") + rule.get("name");
    }
  p.what = "the brief has no value named '" + name + "'";
  p.where = brief.path;
  p.why = all.empty() ? "it names no values" : "it names " + all;
  p.todo = "add a rule with is = \"value\", or check the name";
  return p;
}

} // namespace tess
