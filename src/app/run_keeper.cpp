// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/run_keeper.h"
#include <QCryptographicHash>
#include <QDateTime>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QStandardPaths>
#include <filesystem>

namespace tess {

QString RunKeeper::root() {
  return QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + "/tesselite/runs";
}

void RunKeeper::follow(const Brief& brief) {
  std::error_code ec;
  std::string what = std::filesystem::absolute(brief.path.empty() ? brief.partPath() : brief.path, ec).string();
  QString key = QCryptographicHash::hash(QByteArray::fromStdString(what), QCryptographicHash::Sha1).toHex().left(16);
  m_folder = root() + "/" + key;
}

QString RunKeeper::freshFile() const {
  QDir().mkpath(m_folder);
  for (qint64 t = QDateTime::currentMSecsSinceEpoch();; ++t) {
    QString f = m_folder + QString("/%1.run").arg(t, 15, 10, QChar('0'));
    if (!QFile::exists(f)) return f;
  }
}

QStringList RunKeeper::files() const {
  QStringList r;
  if (m_folder.isEmpty()) return r;
  for (const QString& f : QDir(m_folder).entryList({"*.run"}, QDir::Files, QDir::Name)) r << m_folder + "/" + f;
  return r;
}

bool RunKeeper::pinned(const QString& file) { return file.endsWith(".pinned.run"); }

QString RunKeeper::pin(const QString& file, bool on) {
  if (pinned(file) == on) return file;
  QString to = on ? file.chopped(4) + ".pinned.run" : file.chopped(11) + ".run";
  return QFile::rename(file, to) ? to : file;
}

void RunKeeper::discard(const QString& file) { QFile::remove(file); }

QString RunKeeper::moveHere(const QString& file) const {
  QDir().mkpath(m_folder);
  QString to = m_folder + "/" + QFileInfo(file).fileName();
  return QFile::rename(file, to) ? to : file;
}

void RunKeeper::prune(int most, qint64 bytes) const {
  QStringList all = files();
  qint64 sum = 0;
  for (const QString& f : all) sum += QFileInfo(f).size();
  int left = static_cast<int>(all.size());
  for (const QString& f : all) {
    if (left <= most && sum <= bytes) return;
    if (pinned(f) || f == all.last()) continue;
    sum -= QFileInfo(f).size();
    --left;
    discard(f);
  }
}

} // namespace tess
