// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/file_watch.h"
#include "base/file.h"
#include <QFileInfo>

namespace tess {
namespace {
std::optional<std::string> anyText(const std::string& path) {
  if (path.empty()) return {};
  auto t = readFile(path);
  return t ? std::optional(*t) : std::nullopt;
}
/// What a file holds; nothing when it cannot be read.
std::string textOf(const std::string& path) {
  if (path.empty()) return {};
  auto t = readFile(path);
  return t ? *t : std::string();
}
} // namespace

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
  watch();
  knowBrief();
}

void FileWatch::knowBrief() { m_seen = m_known = anyText(m_brief); }

FileWatch::OnDisk FileWatch::briefOnDisk() const {
  const auto now = anyText(m_brief);
  if (now == m_known) return OnDisk::Known;
  return now ? OnDisk::Other : OnDisk::Gone;
}

void FileWatch::partIsRead(const std::string& path) {
  const QFileInfo part(QString::fromStdString(path));
  m_partTime = part.lastModified();
  m_partSize = part.exists() ? part.size() : -1;
}

bool FileWatch::partOnDiskDiffers() const {
  const QFileInfo part(QString::fromStdString(m_part));
  return !part.exists() || part.lastModified() != m_partTime || part.size() != m_partSize;
}

void FileWatch::followLimits(const std::string& path) {
  if (path == m_limits) return;
  m_limits = path;
  knowLimits();
}

void FileWatch::knowLimits() {
  m_limitsText = textOf(m_limits);
  watch();
}

/// Programs that replace a file instead of writing into it end the watch, so this is done again after each change.
void FileWatch::watch() {
  for (const std::string& f : {m_part, m_brief, m_limits})
    if (const QString file = QString::fromStdString(f);
        !f.empty() && QFileInfo::exists(file) && !m_watcher.files().contains(file))
      m_watcher.addPath(file);
}

void FileWatch::look() {
  const QFileInfo part(QString::fromStdString(m_part));
  const bool partDiffers = part.exists() && part.lastModified() != m_partTime;
  const auto brief = anyText(m_brief);
  const bool briefDiffers = brief != m_seen;
  m_seen = brief;
  const std::string limits = textOf(m_limits);
  const bool limitsDiffer = limits != m_limitsText;
  m_limitsText = limits;
  watch();
  if (partDiffers) emit partChanged();
  if (briefDiffers) emit briefChanged();
  if (limitsDiffer) emit limitsChanged();
}

} // namespace tess
