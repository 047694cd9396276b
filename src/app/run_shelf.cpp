// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/run_shelf.h"
#include <QFile>
#include <QFileInfo>

namespace tess {

RunShelf::RunShelf(QObject* parent) : QObject(parent), m_keeper(new MeshWorker(this)), m_looker(new MeshWorker(this)) {
  connect(m_keeper, &MeshWorker::kept, this, [this](const QString& file) {
    // Thrown away while it was being written.
    if (std::none_of(m_runs.begin(), m_runs.end(), [&](const Entry& e) { return e.file == file; }))
      RunKeeper::discard(file);
    m_kept.prune();
    keepNext();
  });
  connect(m_keeper, &MeshWorker::failed, this, &RunShelf::notKept);
  connect(m_keeper, &MeshWorker::recalled, this, [this](const std::vector<RecalledRun>& runs) {
    const auto part = std::exchange(m_recallPart, nullptr);
    if (!part) return;
    const std::string stamp = partStampOf(part->path);
    std::vector<Entry> before;
    for (const auto& r : runs) {
      if (r.run->mesh.unit != part->unit) continue; // the file's numbers meant something else then
      auto read = loadOptionsOf(r.run->brief);      // faces have other numbers where it was cut otherwise
      const bool same = r.partStamp == stamp && read && *read == m_recallRead;
      before.push_back({r.run, nullptr, same ? part : nullptr, r.file});
    }
    m_runs.insert(m_runs.begin(), before.begin(), before.end());
    emit recalled(static_cast<int>(before.size()));
    keepNext();
  });
  connect(m_looker, &MeshWorker::looked, this, [this](const std::shared_ptr<const MeshLook>& look) {
    auto [run, then] = std::move(m_awaited.front());
    m_awaited.erase(m_awaited.begin());
    if (const int i = indexOf(run.get()); i >= 0) {
      m_runs[static_cast<std::size_t>(i)].look = look;
      then({run, look, i + 1});
    }
    if (!m_looker->busy()) lookNext();
  });
}

RunShelf::~RunShelf() { m_looker->stop(); }

int RunShelf::indexOf(const RunResult* run) const {
  for (int i = 0; i < size(); ++i)
    if (m_runs[static_cast<std::size_t>(i)].run.get() == run) return i;
  return -1;
}

std::shared_ptr<const RunResult> RunShelf::run(int index) const {
  return has(index) ? m_runs[static_cast<std::size_t>(index)].run : nullptr;
}

std::shared_ptr<const Part> RunShelf::part(int index) const {
  return has(index) ? m_runs[static_cast<std::size_t>(index)].part : nullptr;
}

std::vector<std::shared_ptr<const RunResult>> RunShelf::all() const {
  std::vector<std::shared_ptr<const RunResult>> r;
  for (const auto& e : m_runs) r.push_back(e.run);
  return r;
}

std::vector<char> RunShelf::pinned() const {
  std::vector<char> r;
  for (const auto& e : m_runs) r.push_back(RunKeeper::pinned(e.file));
  return r;
}

void RunShelf::clear() {
  m_keeper->drop();
  m_looker->drop();
  m_awaited.clear();
  m_recallPart.reset();
  m_runs.clear();
}

void RunShelf::add(std::shared_ptr<const RunResult> run, std::shared_ptr<const MeshLook> look,
                   std::shared_ptr<const Part> part, const Brief& brief, const QString& file) {
  m_runs.push_back({std::move(run), std::move(look), std::move(part), file});
  m_kept.follow(brief);
  keepNext();
}

void RunShelf::replace(int index, std::shared_ptr<const RunResult> run) {
  Entry& e = m_runs[static_cast<std::size_t>(index)];
  e.run = std::move(run);
  e.look.reset();
  if (!e.file.isEmpty()) RunKeeper::discard(e.file); // written anew
  e.file.clear();
  keepNext();
}

void RunShelf::keepNext() {
  if (m_keeper->busy()) return;
  for (Entry& e : m_runs)
    if (e.file.isEmpty()) {
      e.file = m_kept.freshFile();
      m_keeper->keep(e.run, e.part ? partStampOf(e.part->path) : std::string(), e.file);
      return;
    }
}

void RunShelf::pin(int index, bool on) {
  if (!has(index)) return;
  Entry& e = m_runs[static_cast<std::size_t>(index)];
  if (!e.file.isEmpty()) e.file = RunKeeper::pin(e.file, on);
}

void RunShelf::discard(int index) {
  if (!has(index)) return;
  const auto at = m_runs.begin() + index;
  if (!at->file.isEmpty()) RunKeeper::discard(at->file);
  m_runs.erase(at);
}

bool RunShelf::recall(const Brief& brief, std::shared_ptr<const Part> part) {
  m_kept.follow(brief);
  const QStringList files = m_kept.files();
  if (files.isEmpty()) return false;
  m_recallPart = std::move(part);
  if (auto read = loadOptionsOf(brief)) m_recallRead = *read;
  m_keeper->recall(files);
  return true;
}

void RunShelf::moveWith(const Brief& brief) {
  m_kept.follow(brief);
  for (Entry& e : m_runs)
    if (!e.file.isEmpty() && QFileInfo(e.file).absolutePath() != m_kept.folder() && QFile::exists(e.file))
      e.file = m_kept.moveHere(e.file);
}

void RunShelf::show(int index, std::function<void(const ShownRun&)> then) {
  if (!has(index)) return;
  const Entry& e = m_runs[static_cast<std::size_t>(index)];
  if (e.look) return then({e.run, e.look, index + 1});
  m_awaited.emplace_back(e.run, std::move(then));
  if (!m_looker->busy()) lookNext();
}

void RunShelf::lookNext() {
  if (!m_awaited.empty()) m_looker->look(m_awaited.front().first);
}

} // namespace tess
