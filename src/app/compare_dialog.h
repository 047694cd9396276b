// SPDX-License-Identifier: GPL-3.0-or-later
// Two runs in one table, with the cards that differ. Stays open beside the window.
#pragma once
#include "job/run.h"
#include <QDialog>
#include <memory>

class QComboBox;
class QLabel;
class QTableWidget;

namespace tess {

class CompareDialog : public QDialog {
  Q_OBJECT
public:
  explicit CompareDialog(QWidget* parent);
  /// Runs in order; the two last are compared first.
  void setRuns(std::vector<std::shared_ptr<const RunResult>> runs);
  QTableWidget* table() const { return m_table; }
  QString differences() const;

signals:
  void showRun(int index);

private:
  std::vector<std::shared_ptr<const RunResult>> m_runs;
  QComboBox *m_first, *m_second;
  QTableWidget* m_table;
  QLabel* m_rules;
  void compare();
};

} // namespace tess
