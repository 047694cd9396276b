// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/gate_dialog.h"
#include "app/theme.h"
#include "app/widgets.h"
#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>

namespace tess {
GateDialog::GateDialog(const RunResult& run, const std::vector<Rule>& files, const Gate& gate, QWidget* parent)
    : QDialog(parent) {
  setObjectName("paper");
  setWindowTitle(tr("Before it is handed over"));
  resize(520, 210 + 70 * static_cast<int>(std::min<std::size_t>(4, gate.objections.size())));
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(18, 16, 18, 16);
  box->setSpacing(8);
  QStringList paths;
  for (const auto& r : files) paths << QString::fromStdString(r.get("path"));
  box->addWidget(styledLabel(tr("%1 of %L2 elements, %3")
                                 .arg(paths.size() == 1 ? tr("A mesh") : tr("%1 files with a mesh").arg(paths.size()))
                                 .arg(run.mesh.cells.size())
                                 .arg(QString::fromStdString(gate.size).replace(" x ", " × ")),
                             "verdict"));
  box->addWidget(styledLabel(paths.join(", "), "small"));
  auto* scroll = new QScrollArea;
  scroll->setWidgetResizable(true);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* list = new QWidget;
  list->setObjectName("paper");
  auto* rows = new QVBoxLayout(list);
  rows->setContentsMargins(0, 0, 8, 0);
  rows->setSpacing(6);
  for (const auto& p : gate.objections) {
    auto* card = new QFrame;
    card->setObjectName("card");
    auto* v = new QVBoxLayout(card);
    v->setContentsMargins(10, 7, 10, 7);
    v->setSpacing(2);
    v->addWidget(styledLabel(QString::fromStdString(p.what), "problem"));
    QString more = theme::sentences(p.why, p.todo);
    if (!more.isEmpty()) v->addWidget(styledLabel(more, "small"));
    if (!p.fix.empty()) {
      auto* fix = linkButton(QString::fromStdString(p.fix));
      connect(fix, &QToolButton::clicked, this, [this, code = p.code] {
        m_fix = code;
        reject();
      });
      v->addWidget(fix, 0, Qt::AlignLeft);
    }
    rows->addWidget(card);
  }
  rows->addStretch();
  scroll->setWidget(list);
  box->addWidget(scroll, 1);
  m_reason = new QLineEdit;
  m_reason->setPlaceholderText(tr("Write all the same, because…"));
  m_reason->setAccessibleName(tr("Reason to write all the same"));
  box->addWidget(m_reason);
  auto* row = new QHBoxLayout;
  auto* back = new QPushButton(tr("Back to the mesh"));
  m_write = new QPushButton(tr("Write"));
  m_write->setObjectName("go");
  m_write->setEnabled(false);
  row->addStretch();
  row->addWidget(back);
  row->addWidget(m_write);
  box->addLayout(row);
  connect(m_reason, &QLineEdit::textChanged, this,
          [this](const QString& t) { m_write->setEnabled(t.trimmed().size() >= 3); });
  connect(back, &QPushButton::clicked, this, &QDialog::reject);
  connect(m_write, &QPushButton::clicked, this, &QDialog::accept);
}

} // namespace tess
