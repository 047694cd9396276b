// SPDX-License-Identifier: GPL-3.0-or-later
// The brief as a column of sentence cards made from the rule table: words and chips; a chip is edited in place.
#pragma once
#include "job/run.h"
#include <QWidget>

class QLineEdit;
class QScrollArea;
class QVBoxLayout;

namespace tess {

class BriefPanel : public QWidget {
  Q_OBJECT
public:
  explicit BriefPanel(QWidget* parent = nullptr);
  void show(const Brief& brief, const Part* part, const std::vector<ResolvedGroup>& groups, const RunResult* run,
            const std::vector<Problem>& problems);
  QLineEdit* sayLine() const { return m_say; }
  /// Opens the editor of a chip; used by keys and tests.
  void editChip(int rule, const std::string& key);
  /// Scrolls to a card and lights it for a moment.
  void reveal(int rule);

signals:
  void valueChanged(int rule, const std::string& key, const std::string& value);
  void switched(int rule, bool off);
  void removed(int rule);
  void duplicated(int rule);
  void moved(int rule, int by);
  void noteChanged(int rule, const std::string& note);
  void unitChanged(const std::string& unit);
  void ruleWanted(const std::string& kind);
  void hovered(int rule); ///< -1: none
  void groupsWanted();    ///< propose groups

protected:
  void resizeEvent(QResizeEvent* e) override;

private:
  void fitHeight();
  QScrollArea* m_scroll;
  QVBoxLayout* m_cards;
  QLineEdit* m_say;
  std::vector<QWidget*> m_ruleCards;
};

} // namespace tess
