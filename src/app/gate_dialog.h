// SPDX-License-Identifier: GPL-3.0-or-later
// The gate before a hand-over: what will be written, what stands against it, and a reason to write all the same.
#pragma once
#include "job/gate.h"
#include <QDialog>

class QLineEdit;
class QPushButton;

namespace tess {

class GateDialog : public QDialog {
  Q_OBJECT
public:
  GateDialog(const RunResult& run, const std::vector<Rule>& files, const Gate& gate, QWidget* parent);
  QLineEdit* reason() const { return m_reason; }
  QPushButton* writeButton() const { return m_write; }
  /// Code of the objection whose fix was chosen instead of writing; empty without.
  const std::string& fix() const { return m_fix; }

private:
  QLineEdit* m_reason;
  QPushButton* m_write;
  std::string m_fix;
};

} // namespace tess
