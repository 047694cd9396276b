// SPDX-License-Identifier: GPL-3.0-or-later
// The brief: which part, which rules. A TOML file (`*.brief`) that people read and edit; unknown keys are kept and
// reported. BriefDocument adds undo and redo.
#pragma once
#include "geometry/part.h"
#include "job/rules.h"

namespace tess {

struct Brief {
  std::string path;     ///< of the brief file; empty when it was never saved
  std::string partFile; ///< as written, relative to the brief
  std::string unit;     ///< override; empty: as in the part file
  std::string facetAngle;
  std::vector<Rule> rules;
  std::map<std::string, std::string> unknown; ///< unknown keys of the file and of [part]

  std::string partPath() const; ///< resolved against the brief's folder
  std::string resolve(const std::string& relative) const;
  const Rule* first(const std::string& kind) const; ///< first rule of a kind that is not off
  bool operator==(const Brief&) const = default;
};

Result<Brief> parseBrief(const std::string& text, const std::string& path);
Result<Brief> loadBrief(const std::string& path);
std::string briefText(const Brief& brief);
std::optional<Problem> saveBrief(const Brief& brief, const std::string& path);
/// A brief for a bare part: overall size, tetrahedra, general limits.
Brief defaultBrief(const std::string& partFile);
/// What of a brief concerns reading its part.
struct PartOptions : LoadOptions {
  std::vector<Rule> cuts; ///< its cuts and what they use, see rulesOfCuts()
  std::string folder;     ///< where files of sheets are looked for
  bool operator==(const PartOptions&) const = default;
};
/// Unit, sharp lines, overlaps, gaps that are closed, cuts.
Result<PartOptions> loadOptionsOf(const Brief& brief);
/// Follows a renamed group in every rule that names it.
void renameGroup(Brief& brief, const std::string& from, const std::string& to);
/// All that is wrong with the values, unknown keys and kinds; lengths in `unit`.
std::vector<Problem> validateBrief(const Brief& brief, const std::string& unit);

/// The brief being edited. Every change is one step that can be undone.
class BriefDocument {
public:
  const Brief& brief() const { return m_now; }
  void reset(Brief b);
  void change(Brief b, const std::string& what);
  bool canUndo() const { return !m_past.empty(); }
  bool canRedo() const { return !m_future.empty(); }
  std::string undoText() const { return m_past.empty() ? "" : m_past.back().second; }
  std::string redoText() const { return m_future.empty() ? "" : m_future.back().second; }
  void undo();
  void redo();
  bool modified() const { return !(m_now == m_saved); }
  void markSaved() { m_saved = m_now; }

private:
  Brief m_now, m_saved;
  std::vector<std::pair<Brief, std::string>> m_past, m_future;
};

} // namespace tess
