// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/limit_file.h"
#include "base/file.h"
#include "base/units.h"
#include "job/limits.h"
#include "job/rules.h"
#include "job/toml_text.h"
#include <algorithm>
#include <cmath>
#include <sstream>

namespace tess {
namespace {

std::optional<double> numberOf(const std::string& text) {
  std::size_t end = 0;
  try {
    const double v = std::stod(text, &end);
    if (end == text.size() && std::isfinite(v)) return v;
  } catch (const std::exception&) {
  }
  return {};
}

std::optional<ElementType> elementByWord(const std::string& word) {
  for (int k = 0; k < kElementTypes; ++k)
    if (elementWord(static_cast<ElementType>(k)) == word) return static_cast<ElementType>(k);
  return {};
}

} // namespace

std::string elementWord(ElementType type) {
  std::string r(topology(type).name);
  std::transform(r.begin(), r.end(), r.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return r;
}

Result<LimitSet> parseLimits(const std::string& text, const std::string& path) {
  Problem p;
  p.code = "limits.unreadable";
  p.what = "the limits cannot be read";
  p.where = path;
  p.todo = "mend the file; `tessel limits general` shows one that holds";
  auto parsed = parseToml(text, path, p);
  if (!parsed) return parsed.problem();
  LimitSet set;
  auto bad = [&](const std::string& why) {
    p.why = why;
    return p;
  };
  try {
    const toml::value& root = *parsed;
    if (!root.contains("format") || !root.at("format").is_integer() || root.at("format").as_integer() != 1)
      return bad("'format = 1' is missing, or the file is of another version");
    for (const auto& [key, v] : root.as_table()) {
      if (key == "name")
        set.name = textOf(v);
      else if (key == "for")
        set.purpose = textOf(v);
      else if (key == "not_allowed_why")
        set.notAllowedWhy = textOf(v);
      else if (key == "allowed_share") {
        const auto share = numberOf(textOf(v));
        if (!share || *share < 0 || *share > 1) return bad("'allowed_share' is no number from 0 to 1");
        set.allowedShare = *share;
      } else if (key == "not_allowed") {
        for (const auto& word : splitList(textOf(v))) {
          auto t = elementByWord(word);
          if (!t) return bad("there is no element type '" + word + "'");
          set.notAllowed.push_back(*t);
        }
      } else if (key != "format" && key != "limit")
        return bad("the key '" + key + "' is not known");
    }
    const auto words = metricWords();
    std::size_t number = 0;
    if (root.contains("limit"))
      for (const auto& item : root.at("limit").as_array()) {
        const std::string which = "limit " + std::to_string(++number);
        Limit l{Metric::Skewness, false, 0, {}};
        std::string metric, bound, side, until, reason;
        for (const auto& [k, x] : item.as_table()) {
          if (k == "metric")
            metric = textOf(x);
          else if (k == "bound")
            bound = textOf(x);
          else if (k == "side")
            side = textOf(x);
          else if (k == "source")
            l.source = textOf(x);
          else if (k == "at")
            l.where = textOf(x);
          else if (k == "types") {
            for (const auto& word : splitList(textOf(x))) {
              auto t = elementByWord(word);
              if (!t) return bad(which + ": there is no element type '" + word + "'");
              l.types.push_back(*t);
            }
          } else if (k == "accepted_to")
            until = textOf(x);
          else if (k == "accepted_because")
            reason = textOf(x);
          else
            return bad(which + ": the key '" + k + "' is not known");
        }
        const auto word = std::find(words.begin(), words.end(), metric);
        if (word == words.end()) return bad(which + ": there is no metric '" + metric + "'");
        l.metric = static_cast<Metric>(word - words.begin());
        if (!side.empty() && side != "least" && side != "most")
          return bad(which + ": the side '" + side + "' is neither least nor most");
        l.atLeast = side.empty() ? metricInfo(l.metric).highIsGood : side == "least";
        if (auto share = parseMultiple(bound)) {
          if (!isLength(l.metric)) return bad(which + ": only lengths can be multiples of the target size");
          l.bound = *share;
          l.timesTarget = true;
        } else if (auto v = numberOf(bound))
          l.bound = *v;
        else
          return bad(which + ": the bound '" + bound + "' is no number");
        if (!until.empty()) {
          auto v = numberOf(until);
          if (!v || reason.empty()) return bad(which + ": what is accepted needs a number and a reason");
          l.accepted = Acceptance{*v, reason};
        }
        set.limits.push_back(std::move(l));
      }
  } catch (const std::exception& e) {
    return bad(e.what());
  }
  if (set.limits.empty() && set.notAllowed.empty()) return bad("it holds no limit");
  if (set.name.empty()) return bad("the set has no name");
  if (set.purpose.empty()) set.purpose = set.name;
  if (!set.notAllowed.empty() && set.notAllowedWhy.empty())
    set.notAllowedWhy = "it has element types that are ruled out";
  return set;
}

Result<LimitSet> loadLimits(const std::string& path) {
  auto t = readFile(path);
  if (!t) return t.problem();
  return parseLimits(*t, path);
}

namespace {
std::string typesText(const std::vector<ElementType>& types) {
  std::string r = "[";
  for (auto t : types) r += (r.size() > 1 ? ", " : "") + quoted(elementWord(t));
  return r + "]";
}
} // namespace

std::string limitsText(const LimitSet& set) {
  std::ostringstream o;
  o << "format = 1\nname = " << quoted(set.name) << "\nfor = " << quoted(set.purpose) << "\n";
  if (!set.notAllowed.empty()) {
    o << "not_allowed = " << typesText(set.notAllowed) << "\n";
    if (set.allowedShare > 0) o << "allowed_share = " << formatNumber(set.allowedShare, 15) << "\n";
    o << "not_allowed_why = " << quoted(set.notAllowedWhy) << "\n";
  }
  const auto words = metricWords();
  for (const auto& l : set.limits) {
    o << "\n[[limit]]\nmetric = " << quoted(words[static_cast<std::size_t>(l.metric)]) << "\n";
    if (l.timesTarget)
      o << "bound = " << quoted(formatNumber(l.bound, 15) + " x") << "\n";
    else
      o << "bound = " << formatNumber(l.bound, 15) << "\n";
    if (l.atLeast != metricInfo(l.metric).highIsGood) o << "side = " << quoted(l.atLeast ? "least" : "most") << "\n";
    if (!l.where.empty()) o << "at = " << quoted(l.where) << "\n";
    if (!l.types.empty()) o << "types = " << typesText(l.types) << "\n";
    if (!l.source.empty()) o << "source = " << quoted(l.source) << "\n";
    if (l.accepted)
      o << "accepted_to = " << formatNumber(l.accepted->to, 15) << "\naccepted_because = " << quoted(l.accepted->reason)
        << "\n";
  }
  return o.str();
}

std::optional<Problem> saveLimits(const LimitSet& set, const std::string& path) {
  return writeFileAtomic(path, limitsText(set));
}

Result<LimitSet> limitsByName(const std::string& name) {
  if (name.ends_with(".limits")) return loadLimits(name);
  if (const LimitSet* set = limitSet(name)) return *set;
  Problem p;
  p.fault = Fault::Usage;
  p.code = "usage";
  p.what = "there is no limit set '" + name + "'";
  p.todo = "one of general, strength, flow, or a file that ends in .limits";
  return p;
}

} // namespace tess
