// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/recovery.h"
#include "base/file.h"
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QStandardPaths>
#include <atomic>
#include <csignal>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <unistd.h>

namespace tess {

QString RecoveryStore::folder() {
  return QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + "/tesselite/recovery";
}

RecoveryStore::RecoveryStore() {
  static std::atomic<int> count{0};
  m_file = folder() + QString("/%1-%2.json").arg(::getpid()).arg(++count);
}

std::optional<Problem> RecoveryStore::keep(const Brief& brief) {
  QDir().mkpath(folder());
  Brief b = brief;
  if (!b.partFile.empty()) b.partFile = std::filesystem::absolute(brief.partPath()).string();
  nlohmann::json j{{"pid", static_cast<long>(::getpid())}, {"path", brief.path}, {"text", briefText(b)}};
  return writeFileAtomic(m_file.toStdString(), j.dump(1));
}

void RecoveryStore::drop() { QFile::remove(m_file); }
void RecoveryStore::discard(const QString& file) { QFile::remove(file); }

std::vector<RecoveryStore::Left> RecoveryStore::leftBehind() {
  std::vector<Left> r;
  for (const QFileInfo& f : QDir(folder()).entryInfoList({"*.json"}, QDir::Files, QDir::Time)) {
    auto text = readFile(f.absoluteFilePath().toStdString());
    if (!text) continue;
    auto j = nlohmann::json::parse(*text, nullptr, false);
    if (!j.is_object() || !j.contains("text") || !j["text"].is_string()) continue;
    long pid = j.value("pid", 0L);
    if (pid == static_cast<long>(::getpid()) || (pid > 0 && ::kill(static_cast<pid_t>(pid), 0) == 0)) continue;
    std::string path = j.value("path", std::string());
    auto b = parseBrief(j["text"].get<std::string>(), path);
    if (b) r.push_back({f.absoluteFilePath(), f.lastModified(), *b});
  }
  return r;
}

} // namespace tess
