// SPDX-License-Identifier: GPL-3.0-or-later
// Keeps a brief with unsaved changes in the user's data folder while it is edited, so that nothing is lost when the
// program or the machine stops.
#pragma once
#include "job/brief.h"
#include <QDateTime>
#include <QString>

namespace tess {

class RecoveryStore {
public:
  RecoveryStore();
  /// Writes the brief; one file per store, replaced as a whole.
  std::optional<Problem> keep(const Brief& brief);
  /// Nothing is unsaved any more.
  void drop();
  const QString& file() const { return m_file; }

  struct Left {
    QString file;   ///< of the store
    QDateTime when; ///< last kept
    Brief brief;
  };
  /// What programs that no longer run have left behind, newest first; unreadable ones are skipped.
  static std::vector<Left> leftBehind();
  static void discard(const QString& file);
  static QString folder();

private:
  QString m_file;
};

} // namespace tess
