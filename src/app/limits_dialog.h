// SPDX-License-Identifier: GPL-3.0-or-later
// A limit set in a table: metric, bound, group, source. What is changed goes into a file that a team can share.
#pragma once
#include "audit/audit.h"
#include <QDialog>
#include <QStringList>

class QLabel;
class QLineEdit;
class QPushButton;
class QTableWidget;

namespace tess {

class LimitsDialog : public QDialog {
  Q_OBJECT
public:
  /// `unit`: of lengths. `groups`: names that a limit can be at.
  LimitsDialog(const LimitSet& set, const QString& unit, const QStringList& groups, QWidget* parent);
  /// The set as the table stands; why not, when a cell is no number or the set has no name.
  Result<LimitSet> edited() const;
  QTableWidget* table() const { return m_table; }
  QPushButton* keepButton() const { return m_keep; }
  void addRow();
  void removeRow(); ///< the selected one

private:
  LimitSet m_set; ///< with what the table does not show
  QString m_unit;
  QStringList m_groups;
  QLineEdit *m_name, *m_purpose;
  QTableWidget* m_table;
  QLabel* m_wrong;
  QPushButton* m_keep;
  void put(int row, const Limit& limit);
  void check();
};

} // namespace tess
