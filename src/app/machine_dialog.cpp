// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/machine_dialog.h"
#include "app/mesh_worker.h"
#include "app/widgets.h"
#include "base/memory.h"
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLabel>
#include <QPushButton>
#include <QSettings>
#include <thread>

namespace tess {

MachineDialog::MachineDialog(QWidget* parent) : QDialog(parent) {
  setObjectName("paper");
  setWindowTitle(tr("Cores and memory"));
  auto* form = new QFormLayout(this);
  form->setContentsMargins(18, 16, 18, 16);
  form->setVerticalSpacing(8);
  const int all = static_cast<int>(std::max(1u, std::thread::hardware_concurrency()));
  m_cores = new QSpinBox;
  m_cores->setRange(0, all);
  m_cores->setSpecialValueText(all == 1 ? tr("the only one") : tr("all %1").arg(all));
  m_cores->setValue(MeshWorker::allowedThreads());
  m_gigabytes = new QDoubleSpinBox;
  m_gigabytes->setRange(0, 100000);
  m_gigabytes->setDecimals(1);
  m_gigabytes->setSingleStep(0.5);
  m_gigabytes->setSuffix(tr(" GB"));
  m_gigabytes->setSpecialValueText(
      tr("what is free (%1 now)").arg(QString::fromStdString(memoryText(static_cast<double>(memoryFree())))));
  m_gigabytes->setValue(static_cast<double>(MeshWorker::allowedMemory()) / 1e9);
  form->addRow(tr("Cores for meshing"), m_cores);
  form->addRow(tr("Most memory of the program"), m_gigabytes);
  form->addRow(styledLabel(tr("A task that would need more is stopped; nothing else is lost. It holds from the next "
                              "task on, and meshes do not depend on it."),
                           "small"));
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  for (auto* b : buttons->buttons()) b->setIcon({}); // as everywhere else
  connect(buttons, &QDialogButtonBox::accepted, this, &MachineDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &MachineDialog::reject);
  form->addRow(buttons);
}

void MachineDialog::accept() {
  QSettings s;
  s.setValue("cores", m_cores->value());
  s.setValue("gigabytes", m_gigabytes->value());
  restore();
  QDialog::accept();
}

void MachineDialog::restore() {
  const QSettings s;
  MeshWorker::allow(std::max(0, s.value("cores", 0).toInt()),
                    static_cast<std::size_t>(std::max(0.0, s.value("gigabytes", 0).toDouble()) * 1e9));
}

} // namespace tess
