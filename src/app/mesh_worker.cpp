// SPDX-License-Identifier: GPL-3.0-or-later
// First: TBB uses a word that Qt makes a macro of.
#include "base/parallel.h"

#include "app/mesh_worker.h"
#include "base/memory.h"
#include "job/capacity.h"
#include "job/cuts.h"
#include "job/improve.h"
#include "job/size_rules.h"
#include <QMetaObject>
#include <sys/resource.h>
#include <tbb/task_scheduler_observer.h>
#include <unistd.h>

namespace tess {
namespace {

/// The calling thread lets others go first: a window's, and those of a GL that draws on the processor, which want the
/// same few cores. A little only: a solver that runs beside must not starve the meshing. Linux counts the nice value by
/// thread.
void stepBack() {
  constexpr int kBack = 4;
  const auto me = static_cast<id_t>(gettid());
  if (getpriority(PRIO_PROCESS, me) < kBack) setpriority(PRIO_PROCESS, me, kBack);
}

class TeamStepsBack : public tbb::task_scheduler_observer {
public:
  TeamStepsBack() { observe(true); }
  ~TeamStepsBack() override { observe(false); }
  void on_scheduler_entry(bool worker) override {
    if (worker) stepBack();
  }
};

std::atomic<int> s_threads{0};
std::atomic<std::size_t> s_memory{0};

} // namespace

void MeshWorker::allow(int threads, std::size_t memory) {
  s_threads = threads;
  s_memory = memory;
}
int MeshWorker::allowedThreads() { return s_threads; }
std::size_t MeshWorker::allowedMemory() { return s_memory; }

MeshWorker::~MeshWorker() {
  stop();
  if (m_thread.joinable()) m_thread.join();
}

void MeshWorker::stop() {
  if (m_progress) m_progress->stop();
}

void MeshWorker::drop() {
  stop();
  m_progress.reset();
  m_busy = false;
}

template <class F> void MeshWorker::start(F&& work, Pace pace) {
  static TeamStepsBack team;
  stop();
  m_progress = std::make_shared<Progress>();
  m_busy = true;
  auto progress = m_progress;
  auto last = std::make_shared<std::atomic<qint64>>(0);
  // Signals are queued to the window's thread; a result of a task that a newer one replaced is dropped there.
  auto post = [this, progress](auto&& call) {
    QMetaObject::invokeMethod(
        this,
        [this, progress, call] {
          if (m_progress != progress) return;
          call();
        },
        Qt::QueuedConnection);
  };
  auto begin = std::chrono::steady_clock::now();
  progress->onProgress = [this, post, last, begin](const std::string& stage, double share) {
    qint64 now =
        std::chrono::duration_cast<std::chrono::milliseconds>(std::chrono::steady_clock::now() - begin).count();
    qint64 before = last->load();
    if (now - before < 60 && before != 0) return; // the window needs no more than 16 a second
    last->store(now);
    QString s = QString::fromStdString(stage);
    post([this, s, share] { emit progressed(s, share); });
  };
  // The work before comes to its end first, which may take a while: nobody waits for that here.
  m_thread = std::thread([this, before = std::move(m_thread), post, progress, work, pace]() mutable {
    if (before.joinable()) before.join();
    if (pace != Pace::Prompt) stepBack();
    try {
      progress->check();
      const MemoryWatch watch(*progress, pace != Pace::Heavy ? 0 : s_memory ? s_memory.load() : memoryByDefault());
      auto done = work(*progress);
      post([this, done] {
        m_busy = false;
        done();
      });
    } catch (const Cancelled&) {
      post([this] {
        m_busy = false;
        emit stopped();
      });
    } catch (const std::bad_alloc& e) {
      const auto* over = dynamic_cast<const MemoryExceeded*>(&e);
      const Problem p = memoryProblem(over ? over->limit : 0);
      post([this, p] {
        m_busy = false;
        emit failed(p);
      });
    } catch (const std::exception& e) {
      Problem p;
      p.fault = Fault::Meshing;
      p.code = "program";
      p.what = "the program failed at this task";
      p.why = e.what();
      p.todo = "the brief is unharmed; try another size";
      post([this, p] {
        m_busy = false;
        emit failed(p);
      });
    }
  });
}

void MeshWorker::load(const QString& path, const PartOptions& options, std::shared_ptr<const Part> whole) {
  std::string file = path.toStdString();
  start(
      [this, file, options, whole](Progress& progress) -> std::function<void()> {
        auto r = [&]() -> Result<OpenedPart> {
          if (!whole) return openPart(file, options, &progress);
          if (options.cuts.empty()) return OpenedPart{{}, whole, {}};
          auto pieces = withCuts(whole, options, &progress);
          if (!pieces) return pieces.problem();
          return OpenedPart{std::move(*pieces), {}, {}};
        }();
        if (!r) {
          Problem p = r.problem();
          return [this, p] { emit failed(p); };
        }
        if (!r->same) makeSmooth(r->part, &progress);
        auto opened = std::make_shared<const OpenedPart>(std::move(*r));
        return [this, opened] { emit loaded(opened); };
      },
      Pace::Heavy);
}

void MeshWorker::run(const Brief& brief, std::shared_ptr<const Part> part, std::shared_ptr<const RunResult> before) {
  start(
      [this, brief, part, before](Progress& progress) -> std::function<void()> {
        auto r = runBrief(brief, *part, s_threads, progress, before.get());
        if (!r) {
          Problem p = r.problem();
          return [this, p] { emit failed(p); };
        }
        auto run = std::make_shared<const RunResult>(std::move(*r));
        rememberRun(*run, *part);
        auto look = std::make_shared<const MeshLook>(lookAt(run->mesh, &progress));
        return [this, run, look] { emit finished(run, look); };
      },
      Pace::Heavy);
}

void MeshWorker::size(const Brief& brief, std::shared_ptr<const Part> part, std::vector<ResolvedGroup> groups) {
  start(
      [this, brief, part, groups = std::move(groups)](Progress& progress) -> std::function<void()> {
        std::vector<Problem> problems;
        SizeRequest request = sizeRequestOf(brief, *part, groups, problems, &progress);
        if (auto p = tooManyElements(brief, *part, request)) problems.push_back(*p);
        constexpr double kStillShown = 1e4; // beyond that even the field takes more than there is
        if (tooManyElements(brief, *part, request, kStillShown))
          return [this, problems] { emit sized(nullptr, nullptr, problems); };
        const auto small = smallAtCuts(*part, request, &progress);
        auto field = std::make_shared<const SizeField>(makeSizeField(*part, std::move(request), &progress));
        problems.insert(problems.end(), small.begin(), small.end());
        auto shade = std::make_shared<const SizeShade>(shadeSizes(*part, *field, &progress));
        return [this, field, shade, problems] { emit sized(field, shade, problems); };
      },
      Pace::Heavy);
}

void MeshWorker::tell(const Brief& brief, std::shared_ptr<const Part> part, std::vector<ResolvedGroup> groups,
                      std::shared_ptr<const SizeField> field) {
  start([this, brief, part, groups = std::move(groups), field](Progress& progress) -> std::function<void()> {
    auto texts = previewTexts(brief, *part, groups, *field, progress);
    return [this, texts] { emit told(texts); };
  });
}

void MeshWorker::preview(const Brief& brief, int rule, std::shared_ptr<const Part> part,
                         std::vector<ResolvedGroup> groups, std::shared_ptr<const SizeField> field,
                         const Rule& asMade) {
  start(
      [this, brief, rule, part, groups = std::move(groups), field,
       asMade](Progress& progress) -> std::function<void()> {
        auto p = previewRule(brief, rule, *part, groups, field.get(), progress, &asMade);
        if (!p) {
          Problem bad = p.problem();
          return [this, rule, bad] { emit notPreviewed(rule, bad); };
        }
        RulePreview shown = std::move(*p);
        return [this, rule, shown] { emit previewed(rule, shown); };
      },
      Pace::Prompt);
}

void MeshWorker::forecast(const Brief& brief, std::shared_ptr<const Part> part,
                          std::shared_ptr<const SizeField> field) {
  start([this, brief, part, field](Progress& progress) -> std::function<void()> {
    Forecast f = forecastField(brief, *part, *field, progress);
    if (auto p = overBudget(brief, f)) f.problems.push_back(*p);
    std::vector<Problem> unheard;
    const auto groups = resolveGroups(brief, *part, unheard);
    const EdgeCounts counts =
        countsBeforeMeshing(brief, *part, groups, *field, divisionsOf(brief, *part, groups), progress);
    return [this, f, counts] {
      emit counted(counts);
      emit forecasted(f);
    };
  });
}

void MeshWorker::improve(std::shared_ptr<const RunResult> run, std::shared_ptr<const Part> part, ChooseCells choose) {
  start(
      [this, run, part, choose = std::move(choose)](Progress& progress) -> std::function<void()> {
        auto fail = [this](Problem p) -> std::function<void()> { return [this, p] { emit failed(p); }; };
        std::vector<char> cells;
        if (choose) {
          auto chosen = choose(run->mesh, progress);
          if (!chosen) return fail(chosen.problem());
          cells = std::move(*chosen);
        }
        auto r = improveRun(*run, *part, cells, progress);
        if (!r) return fail(r.problem());
        auto better = std::make_shared<const RunResult>(std::move(*r));
        auto look = std::make_shared<const MeshLook>(lookAt(better->mesh, &progress));
        return [this, better, look] { emit finished(better, look); };
      },
      Pace::Heavy);
}

void MeshWorker::moveNode(std::shared_ptr<const RunResult> run, std::shared_ptr<const Part> part, std::int32_t node,
                          const Vec3& to) {
  start(
      [this, run, part, node, to](Progress& progress) -> std::function<void()> {
        auto r = runWithNodeMoved(*run, *part, node, to, progress);
        if (!r) {
          Problem p = r.problem();
          return [this, p] { emit failed(p); };
        }
        auto moved = std::make_shared<const RunResult>(std::move(*r));
        auto look = std::make_shared<const MeshLook>(lookAt(moved->mesh, &progress));
        return [this, moved, look] { emit finished(moved, look); };
      },
      Pace::Heavy);
}

void MeshWorker::handOver(std::shared_ptr<const RunResult> run, std::vector<Rule> rules) {
  start([this, run, rules = std::move(rules)](Progress& progress) -> std::function<void()> {
    for (std::size_t i = 0; i < rules.size(); ++i) {
      progress.stage("Writing " + rules[i].get("path"), static_cast<double>(i) / static_cast<double>(rules.size()), 1);
      progress.check();
      if (auto p = tess::handOver(*run, rules[i])) {
        Problem bad = *p;
        return [this, bad] { emit failed(bad); };
      }
    }
    return [this, rules] { emit handedOver(rules); };
  });
}

void MeshWorker::keepSurface(std::shared_ptr<const RunResult> run, const QString& file) {
  start([this, run, file](Progress& progress) -> std::function<void()> {
    progress.stage("Writing " + file.toStdString(), 0, 1);
    std::optional<Problem> p;
    if (!run->mesh.twins.empty()) {
      p.emplace();
      p->code = "surface.apart";
      p->what = "the surface of this run cannot be kept";
      p->why = "bodies are kept apart in it, so some faces are there twice";
      p->todo = "switch the rule 'apart' off, mesh, and keep that surface";
    } else
      p = writeSurface(run->mesh, file.toStdString());
    if (p) {
      Problem bad = *p;
      return [this, bad] { emit failed(bad); };
    }
    return [this, file] { emit surfaceKept(file); };
  });
}

void MeshWorker::proposeCuts(const Brief& brief, std::shared_ptr<const Part> whole) {
  start(
      [this, brief, whole](Progress& progress) -> std::function<void()> {
        auto found = tess::proposeCuts(brief, whole, progress);
        if (!found) {
          Problem p = found.problem();
          return [this, p] { emit failed(p); };
        }
        auto r = std::make_shared<const CutProposal>(std::move(*found));
        return [this, r] { emit cutsProposed(*r); };
      },
      Pace::Heavy);
}

void MeshWorker::measure(std::shared_ptr<const Part> part, Dim dim, std::vector<int> entities) {
  start(
      [this, part, dim, entities = std::move(entities)](Progress& progress) -> std::function<void()> {
        if (dim == Dim::Face && m_probed != part) {
          m_probe = std::make_shared<const OppositeFaces>(*part);
          m_probed = part;
        }
        auto all = tess::measure(*part, dim, entities, &progress, m_probe.get());
        return [this, all] { emit measured(all); };
      },
      Pace::Prompt);
}

void MeshWorker::keep(std::shared_ptr<const RunResult> run, const std::string& partStamp, const QString& file) {
  start([this, run, partStamp, file](Progress&) -> std::function<void()> {
    if (auto p = saveRun(*run, partStamp, file.toStdString())) {
      Problem bad = *p;
      return [this, bad] { emit failed(bad); };
    }
    return [this, file] { emit kept(file); };
  });
}

void MeshWorker::look(std::shared_ptr<const RunResult> run) {
  start([this, run](Progress& progress) -> std::function<void()> {
    auto look = std::make_shared<const MeshLook>(lookAt(run->mesh, &progress));
    return [this, look] { emit looked(look); };
  });
}

void MeshWorker::alternative(const Brief& brief, std::shared_ptr<const Part> open, const PartOptions& openedWith,
                             const QString& file) {
  start(
      [this, brief, open, openedWith, file](Progress& progress) -> std::function<void()> {
        auto fail = [this](const Problem& p) -> std::function<void()> { return [this, p] { emit failed(p); }; };
        auto options = loadOptionsOf(brief);
        if (!options) return fail(options.problem());
        std::shared_ptr<const Part> part = open;
        if (*options != openedWith) {
          auto own = openPart(brief.partPath(), *options, &progress);
          if (!own) return fail(own.problem());
          part = std::make_shared<const Part>(std::move(own->part));
        }
        auto r = runBrief(brief, *part, s_threads, progress);
        if (!r) return fail(r.problem());
        auto run = std::make_shared<const RunResult>(std::move(*r));
        rememberRun(*run, *part);
        if (auto p = saveRun(*run, partStampOf(part->path), file.toStdString())) return fail(*p);
        return [this, run] { emit alternativeDone(run); };
      },
      Pace::Heavy);
}

void MeshWorker::recall(const QStringList& files) {
  start([this, files](Progress& progress) -> std::function<void()> {
    std::vector<RecalledRun> runs;
    for (const QString& f : files) {
      progress.check();
      if (auto r = loadRun(f.toStdString()))
        runs.push_back({f, std::make_shared<const RunResult>(std::move(r->run)), r->partStamp});
    }
    return [this, runs] { emit recalled(runs); };
  });
}

} // namespace tess
