// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/file_watch.h"
#include "base/file.h"
#include <QFileInfo>

namespace tess {

FileWatch::FileWatch(QObject* parent) : QObject(parent) {
  m_settled.setSingleShot(true);
  m_settled.setInterval(500);
  connect(&m_watcher, &QFileSystemWatcher::fileChanged, &m_settled, qOverload<>(&QTimer::start));
  connect(&m_settled, &QTimer::timeout, this, &FileWatch::look);
}

void FileWatch::follow(const Brief& brief) {
  m_part = brief.partPath();
  m_brief = brief.path;
  if (!m_watcher.files().isEmpty()) m_watcher.removePaths(m_watcher.files());
  QStringList files;
  for (const std::string& f : {m_part, m_brief})
    if (!f.empty() && QFileInfo::exists(QString::fromStdString(f))) files << QString::fromStdString(f);
  if (!files.isEmpty()) m_watcher.addPaths(files);
  m_partTime = QFileInfo(QString::fromStdString(m_part)).lastModified();
  if (!m_brief.empty())
    if (auto t = readFile(m_brief)) m_text = *t;
}

void FileWatch::look() {
  const QFileInfo part(QString::fromStdString(m_part));
  const bool partDiffers = part.exists() && part.lastModified() != m_partTime;
  bool briefDiffers = false;
  if (!m_brief.empty())
    if (auto t = readFile(m_brief); t && *t != m_text) {
      m_text = *t;
      briefDiffers = true;
    }
  // Programs that replace a file instead of writing into it end the watch.
  for (const std::string& f : {m_part, m_brief})
    if (!f.empty() && QFileInfo::exists(QString::fromStdString(f)) &&
        !m_watcher.files().contains(QString::fromStdString(f)))
      m_watcher.addPath(QString::fromStdString(f));
  if (partDiffers) emit partChanged();
  if (briefDiffers) emit briefChanged();
}

} // namespace tess
