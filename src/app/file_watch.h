// SPDX-License-Identifier: GPL-3.0-or-later
// Notices when another program changes the brief's file, its part's or that of its limits.
#pragma once
#include "job/brief.h"
#include <QDateTime>
#include <QFileSystemWatcher>
#include <QTimer>
#include <optional>

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
  /// The part's file is about to be read: what it is now is known. Saving a brief does not make it so.
  void partIsRead(const std::string& path);
  /// The part's file is another one than when it was read last. Looks at the disk.
  bool partOnDiskDiffers() const;
  /// What the brief's file holds now is known and may be written over.
  void knowBrief();
  /// The brief's file differs from what was last read or written here, or can no longer be read. Looks at the disk.
  enum class OnDisk { Known, Other, Gone };
  OnDisk briefOnDisk() const;
  const std::string& briefPath() const { return m_brief; } ///< of the brief that is followed

signals:
  /// Said again after each further change, until follow() is called.
  void partChanged();
  void briefChanged(); ///< also when it is what it was again
  void limitsChanged();

private:
  QFileSystemWatcher m_watcher;
  QTimer m_settled; ///< editors write in several steps: looked at when they are done
  std::string m_part, m_brief, m_limits;
  QDateTime m_partTime; ///< of the part file as it was read
  qint64 m_partSize = -1;
  std::optional<std::string> m_known; ///< text of the brief file as read or written here
  std::optional<std::string> m_seen;  ///< as last seen; nothing while it cannot be read
  std::string m_limitsText;
  void watch();
  void look();
};

} // namespace tess
