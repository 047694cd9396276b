// SPDX-License-Identifier: GPL-3.0-or-later
// How much of the machine meshing may take: cores and memory. Kept for the user, not in the brief: the same brief gives
// the same mesh on any machine.
#pragma once
#include <QDialog>

class QDoubleSpinBox;
class QSpinBox;

namespace tess {

class MachineDialog : public QDialog {
  Q_OBJECT
public:
  explicit MachineDialog(QWidget* parent = nullptr);
  QSpinBox* cores() const { return m_cores; }
  QDoubleSpinBox* gigabytes() const { return m_gigabytes; }
  /// Takes over what was kept, for all tasks from now on.
  static void restore();

public slots:
  void accept() override;

private:
  QSpinBox* m_cores;
  QDoubleSpinBox* m_gigabytes;
};

} // namespace tess
