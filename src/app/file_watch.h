// SPDX-License-Identifier: GPL-3.0-or-later
// Notices when another program changes the brief's file, its part's or that of its limits.
#pragma once
#include "job/brief.h"
#include <QDateTime>
#include <QFileSystemWatcher>
#include <QTimer>

namespace tess {

class FileWatch : public QObject {
  Q_OBJECT
public:
  explicit FileWatch(QObject* parent);
  /// Watches the files of this brief; what they hold now is known.
  void follow(const Brief& brief);
  /// Watches this file of limits as well; empty: none. What another file holds now is known; of the same one a change
  /// that is still to be told stays one.
  void followLimits(const std::string& path);
  /// What the file of limits holds now is known, as it was written here.
  void knowLimits();

signals:
  /// Said again after each further change, until follow() is called.
  void partChanged();
  void briefChanged();
  void limitsChanged();

private:
  QFileSystemWatcher m_watcher;
  QTimer m_settled; ///< editors write in several steps: looked at when they are done
  std::string m_part, m_brief, m_limits;
  QDateTime m_partTime; ///< of the part file as it was read
  std::string m_text;   ///< of the brief file as last seen
  std::string m_limitsText;
  void watch();
  void look();
};

} // namespace tess
