// SPDX-License-Identifier: GPL-3.0-or-later
// The runs of the open brief, in order: each with the part it was made for, its file and what is needed to show it.
// Keeps them on disk and brings back those of earlier sessions.
#pragma once
#include "app/mesh_worker.h"
#include "app/run_keeper.h"
#include "app/view_pane.h"
#include <functional>

namespace tess {

class RunShelf : public QObject {
  Q_OBJECT
public:
  explicit RunShelf(QObject* parent);
  ~RunShelf() override;
  int size() const { return static_cast<int>(m_runs.size()); }
  bool has(int index) const { return index >= 0 && index < size(); }
  /// Null when there is none of that number.
  std::shared_ptr<const RunResult> run(int index) const;
  /// The part as it was for a run; null when it has changed since the run was kept.
  std::shared_ptr<const Part> part(int index) const;
  std::vector<std::shared_ptr<const RunResult>> all() const;
  /// By run: whether it is kept until it is thrown away.
  std::vector<char> pinned() const;
  /// Forgets all runs; those on disk stay there.
  void clear();
  /// Takes in a run and keeps it under `brief`, unless `file` says where it is kept already. `look` may be null.
  void add(std::shared_ptr<const RunResult> run, std::shared_ptr<const MeshLook> look, std::shared_ptr<const Part> part,
           const Brief& brief, const QString& file = {});
  /// Puts a changed run in a run's place, on disk as well.
  void replace(int index, std::shared_ptr<const RunResult> run);
  void pin(int index, bool on);
  void discard(int index);
  /// Brings back the runs of a brief that earlier sessions kept; comes as recalled(). False when there are
  /// none.
  bool recall(const Brief& brief, std::shared_ptr<const Part> part);
  /// The brief has got another file: its runs go along.
  void moveWith(const Brief& brief);
  /// Calls back with a run ready to be shown: at once, or when its look has been made. Not at all when the run is gone
  /// by then.
  void show(int index, std::function<void(const ShownRun&)> then);

signals:
  /// So many runs now stand before those there were.
  void recalled(int count);
  void notKept(const tess::Problem& problem);

private:
  struct Entry {
    std::shared_ptr<const RunResult> run;
    std::shared_ptr<const MeshLook> look; ///< made when first shown
    std::shared_ptr<const Part> part;
    QString file; ///< empty until it is being written
  };
  std::vector<Entry> m_runs;
  RunKeeper m_kept;
  MeshWorker *m_keeper, *m_looker;
  std::shared_ptr<const Part> m_recallPart;
  PartOptions m_recallRead; ///< how that was read
  std::vector<std::pair<std::shared_ptr<const RunResult>, std::function<void(const ShownRun&)>>> m_awaited;

  int indexOf(const RunResult* run) const;
  void keepNext();
  void lookNext();
};

} // namespace tess
