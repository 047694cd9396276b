// SPDX-License-Identifier: GPL-3.0-or-later
// All commands with their keys, which can be changed. What was changed is kept in the user's settings.
#pragma once
#include <QDialog>
#include <QKeySequence>
#include <vector>

class QAction;
class QLabel;
class QTableWidget;

namespace tess {

/// A command with the key it comes with.
struct Command {
  QAction* action;
  QKeySequence usual;
};

class KeysDialog : public QDialog {
  Q_OBJECT
public:
  /// Commands are known by their object names, which must differ.
  KeysDialog(std::vector<Command> commands, QWidget* parent);
  QTableWidget* table() const { return m_table; }
  /// Gives a command another key; false, with words, when it is one of another command. Empty: no key.
  bool setKey(std::size_t command, const QKeySequence& key);
  QString said() const;
  /// All keys as they come.
  void reset();
  /// Keys as the settings have them.
  static void restore(const std::vector<Command>& commands);

private:
  std::vector<Command> m_commands;
  QTableWidget* m_table;
  QLabel* m_said;
};

} // namespace tess
