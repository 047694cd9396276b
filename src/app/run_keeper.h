// SPDX-License-Identifier: GPL-3.0-or-later
// Where runs are kept between sessions: a folder per brief in the user's data folder. The newest few stay; pinned ones
// stay until they are thrown away.
#pragma once
#include "job/brief.h"
#include <QString>
#include <QStringList>

namespace tess {

class RunKeeper {
public:
  /// Runs of this brief: by its file, or by its part while it was never saved.
  void follow(const Brief& brief);
  /// Name for a new run; later ones sort after earlier ones.
  QString freshFile() const;
  /// Files of the brief's runs, oldest first.
  QStringList files() const;
  static bool pinned(const QString& file);
  /// Returns the file's new name.
  static QString pin(const QString& file, bool on);
  static void discard(const QString& file);
  /// Moves a kept run into this brief's folder; its new name, or the old one when that fails.
  QString moveHere(const QString& file) const;
  /// Throws away the oldest unpinned runs beyond `most` files, or while all together take more than `bytes`.
  void prune(int most = 8, qint64 bytes = 2'000'000'000) const;
  /// Holds the folders of all briefs.
  static QString root();
  const QString& folder() const { return m_folder; }

private:
  QString m_folder;
};

} // namespace tess
