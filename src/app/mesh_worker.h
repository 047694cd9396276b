// SPDX-License-Identifier: GPL-3.0-or-later
// Long work off the window's thread: loading a part, running a brief, making the size field of a brief. Results come
// back as queued signals; a newer request makes older results stale, they are dropped.
#pragma once
#include "app/scene.h"
#include "job/edge_counts.h"
#include "job/forecast.h"
#include "job/measure.h"
#include "job/open_part.h"
#include "job/preview.h"
#include "job/propose_cuts.h"
#include "job/run_store.h"
#include <QObject>
#include <QStringList>
#include <set>
#include <thread>

namespace tess {

/// A run that was kept, with its file.
struct RecalledRun {
  QString file;
  std::shared_ptr<const RunResult> run;
  std::string partStamp;
};

class MeshWorker : public QObject {
  Q_OBJECT
public:
  using QObject::QObject;
  ~MeshWorker() override;
  /// `whole`: the part before all cuts, where it has been read so already; or null.
  void load(const QString& path, const PartOptions& options, std::shared_ptr<const Part> whole = nullptr);
  /// `before`: an earlier run of this part whose mesh may serve again, or null.
  void run(const Brief& brief, std::shared_ptr<const Part> part, std::shared_ptr<const RunResult> before = nullptr);
  void size(const Brief& brief, std::shared_ptr<const Part> part, std::vector<ResolvedGroup> groups);
  /// What a rule of a brief would do; `field` is that of the brief as it last was, or null, and `asMade` the rule in
  /// it.
  void preview(const Brief& brief, int rule, std::shared_ptr<const Part> part, std::vector<ResolvedGroup> groups,
               std::shared_ptr<const SizeField> field, const Rule& asMade);
  /// The words of all previews; after the size field, which others wait for.
  void tell(const Brief& brief, std::shared_ptr<const Part> part, std::vector<ResolvedGroup> groups,
            std::shared_ptr<const SizeField> field);
  void forecast(const Brief& brief, std::shared_ptr<const Part> part, std::shared_ptr<const SizeField> field);
  using ChooseCells = std::function<Result<std::vector<char>>(const Mesh&, const Progress&)>;
  /// Improves the mesh of a run at the cells that `choose` chooses; null: everywhere.
  void improve(std::shared_ptr<const RunResult> run, std::shared_ptr<const Part> part, ChooseCells choose);
  /// Moves one node of a run's mesh.
  void moveNode(std::shared_ptr<const RunResult> run, std::shared_ptr<const Part> part, std::int32_t node,
                const Vec3& to);
  /// Writes and reads back the files of these rules, one after the other, up to the first that fails.
  void handOver(std::shared_ptr<const RunResult> run, std::vector<Rule> rules);
  /// Writes the boundary of a run's mesh, for the rule that keeps it.
  void keepSurface(std::shared_ptr<const RunResult> run, const QString& file);
  /// Looks for cuts that make hexahedra of bodies; `whole`: the part before all cuts.
  void proposeCuts(const Brief& brief, std::shared_ptr<const Part> whole);
  void measure(std::shared_ptr<const Part> part, Dim dim, std::vector<int> entities);
  /// Keeps a run on disk.
  void keep(std::shared_ptr<const RunResult> run, const std::string& partStamp, const QString& file);
  /// Reads kept runs; files that cannot be read are left out.
  void recall(const QStringList& files);
  /// What is needed to show a run; see lookAt().
  void look(std::shared_ptr<const RunResult> run);
  /// Meshes a brief that stands beside the open one, and keeps the run; `open`: the part as read for the open brief,
  /// which serves when this one reads it the same way.
  void alternative(const Brief& brief, std::shared_ptr<const Part> open, const PartOptions& openedWith,
                   const QString& file);
  void stop();
  /// Stops, and a result that is on its way does not count either.
  void drop();
  bool busy() const { return m_busy; }
  /// For tasks that start from now on, of all workers. `threads` 0: all cores; `memory` in bytes, 0: what is free then.
  static void allow(int threads, std::size_t memory);
  static int allowedThreads();
  static std::size_t allowedMemory();

signals:
  void progressed(const QString& stage, double share);
  void loaded(std::shared_ptr<const OpenedPart> opened);
  void finished(std::shared_ptr<const RunResult> run, std::shared_ptr<const MeshLook> look);
  /// Without a field where the problems say that there can be none.
  void sized(std::shared_ptr<const SizeField> field, std::shared_ptr<const SizeShade> shade,
             const std::vector<Problem>& problems);
  void told(const std::vector<std::string>& previews);
  void previewed(int rule, const RulePreview& preview);
  void notPreviewed(int rule, const Problem& problem);
  void forecasted(const Forecast& forecast);
  void counted(const EdgeCounts& counts); ///< with every forecast, before it
  void handedOver(const std::vector<Rule>& rules);
  void surfaceKept(const QString& file);
  void cutsProposed(const CutProposal& found);
  void measured(const std::vector<Measure>& measures);
  void kept(const QString& file);
  void alternativeDone(std::shared_ptr<const RunResult> run);
  void looked(std::shared_ptr<const MeshLook> look);
  void recalled(const std::vector<RecalledRun>& runs);
  void failed(const Problem& problem);
  void stopped();

private:
  std::thread m_thread;
  std::shared_ptr<Progress> m_progress;
  bool m_busy = false;
  std::shared_ptr<const Part> m_probed; ///< the part that was measured last; tasks alone touch it
  std::shared_ptr<const OppositeFaces> m_probe;
  /// Prompt: somebody waits for it while typing. Patient: it lets window and picture go first. Heavy: the same, and it
  /// is stopped when it takes more memory than allowed; what only shows or keeps a result is not.
  enum class Pace { Prompt, Patient, Heavy };
  template <class F> void start(F&& work, Pace pace = Pace::Patient);
};

} // namespace tess
