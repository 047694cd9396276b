// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/brief.h"
#include "base/file.h"
#include "job/cuts.h"
#include "job/limit_file.h"
#include "job/limits.h"
#include "job/open_part.h"
#include "job/toml_text.h"
#include "job/values.h"
#include <algorithm>
#include <cmath>
#include <filesystem>
#include <regex>
#include <set>
#include <sstream>

namespace tess {
namespace fs = std::filesystem;

std::string Brief::resolve(const std::string& relative) const {
  fs::path p(relative);
  if (p.is_absolute() || path.empty()) return relative;
  return (fs::path(path).parent_path() / p).lexically_normal().string();
}
std::string Brief::partPath() const { return resolve(partFile); }
const Rule* Brief::first(const std::string& kind) const {
  for (const auto& r : rules)
    if (r.kind == kind && !r.off) return &r;
  return nullptr;
}

Result<Brief> parseBrief(const std::string& text, const std::string& path) {
  Problem p;
  p.code = "brief.unreadable";
  p.what = "the brief cannot be read";
  p.where = path;
  p.todo = "mend the line; the reference of rules is in docs/rules.md";
  auto parsed = parseToml(text, path, p);
  if (!parsed) return parsed.problem();
  const toml::value& root = *parsed;
  Brief b;
  b.path = path;
  try {
    if (!root.contains("format") || !root.at("format").is_integer() || root.at("format").as_integer() != 1) {
      p.why = "'format = 1' is missing, or the file is of another version";
      return p;
    }
    for (const auto& [key, v] : root.as_table()) {
      if (key == "format") continue;
      if (key == "part" && v.is_table()) {
        for (const auto& [k, x] : v.as_table()) {
          if (k == "file")
            b.partFile = textOf(x);
          else if (k == "unit")
            b.unit = textOf(x);
          else if (k == "facet_angle")
            b.facetAngle = textOf(x);
          else
            b.unknown["part." + k] = textOf(x);
        }
      } else if (key == "rule" && v.is_array()) {
        for (const auto& item : v.as_array()) {
          Rule r;
          for (const auto& [k, x] : item.as_table()) {
            if (k == "is")
              r.kind = textOf(x);
            else if (k == "note")
              r.note = textOf(x);
            else if (k == "off")
              r.off = textOf(x) == "true";
            else
              r.values[k] = textOf(x);
          }
          if (const RuleKind* kind = ruleKind(r.kind))
            for (auto it = r.values.begin(); it != r.values.end();) {
              if (kind->slot(it->first))
                ++it;
              else {
                r.unknown.insert(*it);
                it = r.values.erase(it);
              }
            }
          b.rules.push_back(r);
        }
      } else
        b.unknown[key] = textOf(v);
    }
  } catch (const std::exception& e) {
    p.why = e.what();
    return p;
  }
  if (b.partFile.empty()) {
    p.why = "it names no part: [part] needs file = \"...\"";
    return p;
  }
  return b;
}

Result<Brief> loadBrief(const std::string& path) {
  auto t = readFile(path);
  if (!t) return t.problem();
  return parseBrief(*t, path);
}

std::string briefText(const Brief& b) {
  std::ostringstream o;
  o << "format = 1\n";
  for (const auto& [k, v] : b.unknown)
    if (k.rfind("part.", 0) != 0) o << k << " = " << quoted(v) << "\n";
  o << "\n[part]\nfile = " << quoted(b.partFile) << "\n";
  if (!b.unit.empty()) o << "unit = " << quoted(b.unit) << "\n";
  if (!b.facetAngle.empty()) o << "facet_angle = " << quoted(b.facetAngle) << "\n";
  for (const auto& [k, v] : b.unknown)
    if (k.rfind("part.", 0) == 0) o << k.substr(5) << " = " << quoted(v) << "\n";
  for (const auto& r : b.rules) {
    o << "\n[[rule]]\nis = " << quoted(r.kind) << "\n";
    auto put = [&](const std::string& key, const std::string& v, const Slot* s) {
      if (v.empty()) return;
      // What the file's format takes for a number; ".5", "1." and "007" are none there and stand in quotes.
      static const std::regex plain("[+-]?(0|[1-9][0-9]*)(\\.[0-9]+)?([eE][+-]?[0-9]+)?");
      const bool number = std::regex_match(v, plain) && std::isfinite(std::strtod(v.c_str(), nullptr));
      bool bare =
          s && number && (s->type == SlotType::Number || s->type == SlotType::Integer) && !checkSlot(*s, v, "mm");
      bare = bare || (s && s->type == SlotType::Choice && v.find_first_not_of("0123456789") == std::string::npos);
      o << key << " = " << (bare ? v : quoted(v)) << "\n";
    };
    if (const RuleKind* k = ruleKind(r.kind)) {
      for (const auto& s : k->entries)
        if (auto it = r.values.find(s.key); it != r.values.end()) put(s.key, it->second, &s);
    } else
      for (const auto& [key, v] : r.values) put(key, v, nullptr);
    for (const auto& [key, v] : r.unknown) o << key << " = " << quoted(v) << "\n";
    if (!r.note.empty()) o << "note = " << quoted(r.note) << "\n";
    if (r.off) o << "off = true\n";
  }
  return o.str();
}

std::optional<Problem> saveBrief(const Brief& b, const std::string& path) {
  return writeFileAtomic(path, briefText(b));
}

Brief defaultBrief(const std::string& partFile) {
  Brief b;
  b.partFile = partFile;
  b.rules.push_back({"everywhere", {}, "", false, {}});
  b.rules.push_back({"fill", {{"order", "1"}}, "", false, {}});
  b.rules.push_back({"judge", {{"purpose", "general"}}, "", false, {}});
  return b;
}

Result<PartOptions> loadOptionsOf(const Brief& asWritten) {
  const Brief brief = settled(asWritten);
  PartOptions o;
  o.unit = brief.unit;
  if (!brief.facetAngle.empty()) {
    char* end = nullptr;
    double v = std::strtod(brief.facetAngle.c_str(), &end);
    if (end == brief.facetAngle.c_str() || v <= 0 || v >= 180) {
      Problem p;
      p.fault = Fault::Usage;
      p.code = "usage";
      p.what = "facet_angle '" + brief.facetAngle + "' is not an angle between 0 and 180";
      p.todo = "write for example facet_angle = 30";
      return p;
    }
    o.facetAngleDeg = v;
  }
  if (const Rule* r = brief.first("overlap")) o.keepsSpace = splitList(r->get("keep"));
  if (const Rule* r = brief.first("touch")) o.touchWithin = r->get("within");
  o.cuts = rulesOfCuts(asWritten);
  if (std::any_of(o.cuts.begin(), o.cuts.end(), [](const Rule& r) { return r.kind == "cut_sheet"; }))
    o.folder = std::filesystem::path(brief.resolve("x")).parent_path().string();
  return o;
}

void renameGroup(Brief& brief, const std::string& from, const std::string& to) {
  for (auto& rule : brief.rules) {
    const RuleKind* kind = ruleKind(rule.kind);
    if (!kind) continue;
    for (const auto& slot : kind->entries) {
      auto it = rule.values.find(slot.key);
      if (it == rule.values.end() || (slot.type != SlotType::Target && slot.type != SlotType::Names)) continue;
      auto names = splitList(it->second);
      if (std::find(names.begin(), names.end(), from) == names.end()) continue;
      std::string text;
      for (const auto& n : names) text += (text.empty() ? "" : ", ") + (n == from ? to : n);
      it->second = text;
    }
  }
}

std::vector<Problem> validateBrief(const Brief& asWritten, const std::string& unit) {
  const Brief b = settled(asWritten);
  std::vector<Problem> r = checkValues(asWritten, unit);
  auto add = [&](Severity s, const char* code, const std::string& what, const std::string& where,
                 const std::string& todo) {
    Problem p;
    p.severity = s;
    p.fault = Fault::Usage;
    p.code = code;
    p.what = what;
    p.where = where;
    p.todo = todo;
    r.push_back(p);
  };
  for (const auto& [k, v] : b.unknown)
    add(Severity::Warning, "brief.unknown-key", "the key '" + k + "' is not known", b.path,
        "remove it, or check its spelling; it is kept");
  std::map<std::string, int> names;
  for (std::size_t i = 0; i < b.rules.size(); ++i) {
    const Rule& rule = b.rules[i];
    std::string where = "rule " + std::to_string(i + 1) + " (" + rule.kind + ")";
    const RuleKind* kind = ruleKind(rule.kind);
    if (!kind) {
      add(Severity::Warning, "rule.unknown", "there is no rule '" + rule.kind + "'", where,
          "see `tessel rules`; the rule is kept and does nothing");
      continue;
    }
    for (const auto& [k, v] : rule.unknown)
      add(Severity::Warning, "brief.unknown-key", "the key '" + k + "' is not known", where,
          "remove it, or check its spelling; it is kept");
    if (rule.off) continue;
    for (const auto& s : kind->entries) {
      auto it = rule.values.find(s.key);
      if (auto p = checkSlot(s, it == rule.values.end() ? "" : it->second, unit)) {
        p->where = where;
        r.push_back(*p);
      }
    }
    if ((rule.kind == "limit" || rule.kind == "accept") && parseMultiple(rule.get("bound"))) {
      const auto words = metricWords();
      const auto word = std::find(words.begin(), words.end(), rule.get("metric"));
      if (word != words.end() && !isLength(static_cast<Metric>(word - words.begin())))
        add(Severity::Error, "rule.value", "the " + rule.get("metric") + " is no length", where,
            "write its bound as a plain number");
    }
    if (rule.kind == "take_mesh" && !holdsMesh(b.partPath()))
      add(Severity::Error, "mesh.not-of-part", "the part's file holds no mesh to take", where,
          "switch the rule off or remove it: then the part is meshed");
    if (rule.kind == "judge" && !rule.get("file").empty())
      if (auto set = loadLimits(b.resolve(rule.get("file"))); !set) {
        Problem p = set.problem();
        p.fault = Fault::Usage;
        r.push_back(p);
      }
    if (rule.kind == "group" && names[rule.get("name")]++)
      add(Severity::Error, "group.twice", "two groups are named '" + rule.get("name") + "'", where,
          "give one of them another name");
  }
  // An acceptance without a limit to widen would do nothing, and say nothing.
  std::set<std::string> limited;
  const auto words = metricWords();
  for (const auto& l : judgedBy(b).limits) limited.insert(words[static_cast<std::size_t>(l.metric)]);
  for (const auto& rule : b.rules)
    if (rule.kind == "limit" && !rule.off) limited.insert(rule.get("metric"));
  for (std::size_t i = 0; i < b.rules.size(); ++i) {
    const std::string metric = b.rules[i].get("metric");
    if (b.rules[i].kind == "accept" && !b.rules[i].off && !limited.count(metric) &&
        std::find(words.begin(), words.end(), metric) != words.end())
      add(Severity::Warning, "accept.idle", "there is nothing to accept: no limit is set on the " + metric,
          "rule " + std::to_string(i + 1) + " (accept)", "add a limit on it, or remove the rule");
  }
  return r;
}

void BriefDocument::reset(Brief b) {
  m_now = m_saved = std::move(b);
  m_past.clear();
  m_future.clear();
}
void BriefDocument::change(Brief b, const std::string& what) {
  if (b == m_now) return;
  m_past.emplace_back(std::move(m_now), what);
  m_now = std::move(b);
  m_future.clear();
}
void BriefDocument::undo() {
  if (m_past.empty()) return;
  auto [b, what] = std::move(m_past.back());
  m_past.pop_back();
  m_future.emplace_back(std::move(m_now), what);
  m_now = std::move(b);
}
void BriefDocument::redo() {
  if (m_future.empty()) return;
  auto [b, what] = std::move(m_future.back());
  m_future.pop_back();
  m_past.emplace_back(std::move(m_now), what);
  m_now = std::move(b);
}

} // namespace tess
