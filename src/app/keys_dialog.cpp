// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/keys_dialog.h"
#include <QAction>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeySequenceEdit>
#include <QLabel>
#include <QPushButton>
#include <QSettings>
#include <QTableWidget>
#include <QVBoxLayout>

namespace tess {
namespace {
QString settingOf(const QAction* a) { return "keys/" + a->objectName(); }
} // namespace

KeysDialog::KeysDialog(std::vector<Command> commands, QWidget* parent)
    : QDialog(parent), m_commands(std::move(commands)) {
  setWindowTitle(tr("Keys and mouse"));
  setObjectName("paper");
  resize(560, 620);
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(18, 16, 18, 16);
  auto* mouse = new QLabel(tr("Left picks, Ctrl adds; right drags to turn, a click opens the menu; middle pans; the "
                              "wheel zooms to the pointer. With a section on, left drags the plane."));
  mouse->setWordWrap(true);
  box->addWidget(mouse);
  auto* how = new QLabel(tr("Click a key and press another one; the cross in it takes it away."));
  how->setObjectName("small");
  box->addWidget(how);
  m_table = new QTableWidget(static_cast<int>(m_commands.size()), 2);
  m_table->setHorizontalHeaderLabels({tr("Command"), tr("Key")});
  m_table->verticalHeader()->hide();
  m_table->verticalHeader()->setDefaultSectionSize(32);
  m_table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
  m_table->setColumnWidth(1, 190);
  m_table->setEditTriggers(QAbstractItemView::NoEditTriggers);
  m_table->setSelectionMode(QAbstractItemView::NoSelection);
  m_table->setAccessibleName(tr("Commands and their keys"));
  for (std::size_t i = 0; i < m_commands.size(); ++i) {
    const QAction* a = m_commands[i].action;
    const int row = static_cast<int>(i);
    m_table->setItem(row, 0, new QTableWidgetItem(QString(a->text()).remove("…")));
    auto* edit = new QKeySequenceEdit(a->shortcut());
    edit->setAccessibleName(tr("key of %1").arg(a->text()));
    edit->setClearButtonEnabled(true);
    connect(edit, &QKeySequenceEdit::keySequenceChanged, this, [this, i](const QKeySequence& key) {
      if (key.isEmpty()) setKey(i, key); // by the cross in it; other keys count when they are complete
    });
    connect(edit, &QKeySequenceEdit::editingFinished, this, [this, i, edit] {
      if (!setKey(i, edit->keySequence())) edit->setKeySequence(m_commands[i].action->shortcut());
    });
    m_table->setCellWidget(row, 1, edit);
  }
  box->addWidget(m_table, 1);
  box->addWidget(m_said = new QLabel);
  m_said->setObjectName("problem");
  m_said->setWordWrap(true);
  auto* row = new QHBoxLayout;
  auto *usual = new QPushButton(tr("All as they come")), *done = new QPushButton(tr("Done"));
  done->setObjectName("go");
  row->addWidget(usual);
  row->addStretch();
  row->addWidget(done);
  box->addLayout(row);
  for (auto* b : {usual, done}) b->setAutoDefault(false);
  connect(usual, &QPushButton::clicked, this, &KeysDialog::reset);
  connect(done, &QPushButton::clicked, this, &QDialog::accept);
}

bool KeysDialog::setKey(std::size_t command, const QKeySequence& key) {
  QAction* mine = m_commands[command].action;
  for (const Command& c : m_commands)
    if (!key.isEmpty() && c.action != mine && c.action->shortcut() == key) {
      m_said->setText(
          tr("%1 is the key of '%2': take it away there first.").arg(key.toString(), c.action->text().remove("…")));
      return false;
    }
  m_said->clear();
  mine->setShortcut(key);
  if (key == m_commands[command].usual)
    QSettings().remove(settingOf(mine));
  else
    QSettings().setValue(settingOf(mine), key.toString(QKeySequence::PortableText));
  auto* edit = static_cast<QKeySequenceEdit*>(m_table->cellWidget(static_cast<int>(command), 1));
  if (edit->keySequence() != key) edit->setKeySequence(key);
  return true;
}

QString KeysDialog::said() const { return m_said->text(); }

void KeysDialog::reset() {
  // All at once: on the way two commands may have the same key.
  for (const Command& c : m_commands) c.action->setShortcut({});
  for (std::size_t i = 0; i < m_commands.size(); ++i) setKey(i, m_commands[i].usual);
}

void KeysDialog::restore(const std::vector<Command>& commands) {
  const QSettings s;
  for (const Command& c : commands)
    if (s.contains(settingOf(c.action)))
      c.action->setShortcut(
          QKeySequence::fromString(s.value(settingOf(c.action)).toString(), QKeySequence::PortableText));
}

} // namespace tess
