// SPDX-License-Identifier: GPL-3.0-or-later
// Briefs made of rules, and their runs, for the tests of the job.
#pragma once
#include "job/run.h"
#include "support/fixtures.h"

namespace tess::test {

inline Rule rule(const std::string& kind, std::map<std::string, std::string> values) {
  return {kind, std::move(values), "", false, {}};
}
inline Brief briefWith(const std::string& target, std::vector<Rule> rules) {
  Brief b = defaultBrief("made");
  b.rules[0].values["target"] = target;
  b.rules.insert(b.rules.end(), rules.begin(), rules.end());
  return b;
}
inline RunResult runWith(const Brief& b, const Part& part) {
  Progress progress;
  auto r = runBrief(b, part, 0, progress);
  EXPECT_TRUE(r.ok()) << (r.ok() ? "" : r.problem().sentence());
  return std::move(*r);
}
inline const Problem* problemOf(const std::vector<Problem>& problems, const std::string& code) {
  for (const auto& p : problems)
    if (p.code == code) return &p;
  return nullptr;
}

} // namespace tess::test
