// SPDX-License-Identifier: GPL-3.0-or-later
// Two runs in one table, with the cards that differ. Stays open beside the window.
#pragma once
#include "job/compare.h"
#include <QDialog>
#include <memory>

class QComboBox;
class QLabel;
class QTableWidget;
class QToolButton;

namespace tess {

/// Figures into a table: names first, a column per run; the best of a row is bold and marked.
void fillComparison(QTableWidget& table, const std::vector<CompareRow>& rows);
/// Rules that differ, a paragraph each; empty when none do.
QString inWords(const std::vector<RuleDifference>& differences);

class CompareDialog : public QDialog {
  Q_OBJECT
public:
  explicit CompareDialog(QWidget* parent);
  /// Runs in order; the two last are compared first.
  void setRuns(std::vector<std::shared_ptr<const RunResult>> runs);
  QTableWidget* table() const { return m_table; }
  QString differences() const;
  QToolButton* sideBySide() const { return m_beside; }

signals:
  void showRun(int index);
  /// Show run `first` and run `second` side by side; -1: no longer.
  void besideWanted(int first, int second);

protected:
  void hideEvent(QHideEvent* e) override;

private:
  std::vector<std::shared_ptr<const RunResult>> m_runs;
  QComboBox *m_first, *m_second;
  QTableWidget* m_table;
  QLabel* m_rules;
  QToolButton* m_beside;
  void compare();
};

} // namespace tess
