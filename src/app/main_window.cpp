// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/main_window.h"
#include "app/gate_dialog.h"
#include "app/limits_dialog.h"
#include "app/machine_dialog.h"
#include "app/report_pdf.h"
#include "app/theme.h"
#include "base/file.h"
#include "base/memory.h"
#include "base/units.h"
#include "job/cuts.h"
#include "job/fills.h"
#include "job/improve.h"
#include "job/limit_file.h"
#include "job/limits.h"
#include "job/rebind.h"
#include "job/report.h"
#include "job/reuse.h"
#include "job/values.h"
#include <QActionGroup>
#include <QApplication>
#include <QBuffer>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QMenu>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QRegularExpression>
#include <QScreen>
#include <QSettings>
#include <QSplitter>
#include <QStyle>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>
#include <filesystem>

namespace tess {

namespace {
/// The brief with another file, and its part named from there.
Brief movedTo(Brief b, const std::string& path) {
  const std::string part = b.partPath();
  const std::filesystem::path to = std::filesystem::absolute(path);
  b.path = to.string();
  std::error_code ec;
  auto relative = std::filesystem::relative(std::filesystem::absolute(part), to.parent_path(), ec);
  b.partFile = ec || relative.empty() ? part : relative.string();
  return b;
}
} // namespace

MainWindow::MainWindow(bool openGl) {
  setWindowTitle("Tesselite");
  setMinimumSize(1024, 660);
  resize(QSize(1280, 800).boundedTo(screen()->availableSize()));
  restoreGeometry(QSettings().value("geometry").toByteArray());
  setAcceptDrops(true);
  for (auto** w : {&m_worker, &m_sizer, &m_forecaster, &m_measurer, &m_previewer, &m_teller}) *w = new MeshWorker(this);
  MachineDialog::restore();
  m_shelf = new RunShelf(this);
  m_files = new FileWatch(this);
  auto* central = new QWidget;
  central->setObjectName("paper");
  setCentralWidget(central);
  auto* all = new QVBoxLayout(central);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(0);
  all->addWidget(m_notice = new NoticeBar);
  auto* row = new QHBoxLayout;
  row->setSpacing(0);
  m_briefPanel = new BriefPanel;
  m_briefPanel->setFixedWidth(330);
  m_audit = new AuditPanel;
  m_audit->setFixedWidth(300);
  m_pane = new ViewPane(openGl);
  m_view = m_pane->view();
  row->addWidget(m_briefPanel);
  row->addWidget(m_pane, 1);
  row->addWidget(m_audit);
  all->addLayout(row, 1);
  auto* rule = new QFrame;
  rule->setFixedHeight(1);
  rule->setObjectName("rule");
  all->addWidget(rule);
  all->addWidget(m_runs = new RunsBar);
  buildMenus();
  connectPanels();
  connectView();
  connectWorkers();
  connectRuns();
  qApp->installEventFilter(this);
  m_keep.setSingleShot(true);
  m_keep.setInterval(600);
  connect(&m_keep, &QTimer::timeout, this, [this] {
    if (m_doc.modified())
      m_recovery.keep(m_doc.brief());
    else
      m_recovery.drop();
  });
  refresh();
}

MainWindow::~MainWindow() {
  qApp->removeEventFilter(this);
  for (auto* w : {m_worker, m_sizer, m_forecaster, m_measurer, m_previewer, m_teller}) w->stop();
}

void MainWindow::connectPanels() {
  connect(m_briefPanel, &BriefPanel::valueChanged, this,
          [this](int r, const std::string& key, const std::string& value) {
            edit(
                [&](Brief& b) {
                  auto& v = b.rules[static_cast<std::size_t>(r)].values;
                  if (value.empty())
                    v.erase(key);
                  else
                    v[key] = value;
                  if (b.rules[static_cast<std::size_t>(r)].kind == "group" &&
                      key == "name") { // rules follow a renamed group
                    std::string before = m_doc.brief().rules[static_cast<std::size_t>(r)].get("name");
                    renameGroup(b, before, value);
                  }
                },
                tr("change %1").arg(QString::fromStdString(key)));
          });
  connect(m_briefPanel, &BriefPanel::switched, this, [this](int r, bool off) {
    edit([&](Brief& b) { b.rules[static_cast<std::size_t>(r)].off = off; }, tr("switch"));
  });
  connect(m_briefPanel, &BriefPanel::removed, this,
          [this](int r) { edit([&](Brief& b) { b.rules.erase(b.rules.begin() + r); }, tr("remove")); });
  connect(m_briefPanel, &BriefPanel::duplicated, this, [this](int r) {
    edit(
        [&](Brief& b) {
          Rule copy = b.rules[static_cast<std::size_t>(r)];
          if (copy.kind == "group") copy.values["name"] = freshGroupName();
          b.rules.insert(b.rules.begin() + r + 1, copy);
        },
        tr("duplicate"));
  });
  connect(m_briefPanel, &BriefPanel::moved, this, [this](int r, int by) {
    edit(
        [&](Brief& b) {
          int to = r + by;
          if (to >= 0 && to < static_cast<int>(b.rules.size()))
            std::swap(b.rules[static_cast<std::size_t>(r)], b.rules[static_cast<std::size_t>(to)]);
        },
        tr("move"));
  });
  connect(m_briefPanel, &BriefPanel::noteChanged, this, [this](int r, const std::string& n) {
    edit([&](Brief& b) { b.rules[static_cast<std::size_t>(r)].note = n; }, tr("note"));
  });
  connect(m_briefPanel, &BriefPanel::groupsWanted, this, &MainWindow::proposeGroups);
  connect(m_briefPanel, &BriefPanel::unitChanged, this, &MainWindow::askUnit);
  connect(m_briefPanel, &BriefPanel::ruleWanted, this, &MainWindow::addRule);
  connect(m_briefPanel, &BriefPanel::notUnderstood, this, [this](const Problem& p) {
    m_notice->ask("say", theme::sentences(p.what, p.todo), {{tr("fine"), {}}});
  });
  connect(m_briefPanel, &BriefPanel::sayingLeft, this, [this] { m_pane->setFocus(); });
  connect(m_briefPanel, &BriefPanel::selectWanted, this, [this](int r) {
    if (!m_view) return;
    const RulePreview p = previewTarget(m_doc.brief().rules[static_cast<std::size_t>(r)], m_groups);
    m_view->select(p.dim, {p.lit.begin(), p.lit.end()});
    m_pane->showHint();
  });
  connect(m_briefPanel, &BriefPanel::hovered, this, [this](int r) {
    m_hovered = r;
    if (m_typing) return;
    const bool cut = r >= 0 && static_cast<std::size_t>(r) < m_doc.brief().rules.size() &&
                     isCut(m_doc.brief().rules[static_cast<std::size_t>(r)].kind);
    if (r < 0 && m_sheetOf >= 0) return; // on the way from its card to its handle
    if (!cut) letSheetGo();
    previewCard(r);
  });
  connect(m_briefPanel, &BriefPanel::valueTyped, this, &MainWindow::previewTyped);
  connect(m_briefPanel, &BriefPanel::typingLeft, this, &MainWindow::leavePreview);
  connect(m_audit, &AuditPanel::metricChanged, this, [this](Metric m) { m_pane->setMetric(m); });
  connect(m_audit, &AuditPanel::brushChanged, this, [this](const std::vector<std::int32_t>& cells, bool on) {
    if (m_view) m_view->setBrushed(cells, on);
  });
  connect(m_audit, &AuditPanel::showPlace, this, [this](const std::vector<std::int32_t>& cells, std::int32_t worst) {
    auto run = currentRun();
    if (!m_view || !run) return;
    auto boxOf = [&](std::int32_t c) {
      Box b;
      for (auto n : run->mesh.cells.of(static_cast<std::size_t>(c)))
        b.add(run->mesh.nodes[static_cast<std::size_t>(n)]);
      return b;
    };
    Box one = boxOf(worst), all = one;
    for (auto c : cells) all.add(boxOf(c));
    m_view->setBrushed(cells, true);
    // The place as a whole, unless it sprawls: then the neighbourhood of its worst element.
    bool sprawls = all.diagonal() > 12 * one.diagonal();
    m_view->flyTo(sprawls ? one.center() : all.center(), sprawls ? 9 * one.diagonal() : 4 * all.diagonal());
  });
  connect(m_audit, &AuditPanel::improveWanted, this, &MainWindow::improveAt);
  connect(m_audit, &AuditPanel::nodeWanted, this, &MainWindow::askMoveNode);
  connect(m_audit, &AuditPanel::keepFailing, this, &MainWindow::keepFailing);
  connect(m_audit, &AuditPanel::editLimits, this, &MainWindow::askLimits);
  connect(m_audit, &AuditPanel::acceptWanted, this, &MainWindow::askAccept);
  connect(m_audit, &AuditPanel::showProblem, this, &MainWindow::showProblem);
  connect(m_audit, &AuditPanel::fixProblem, this, &MainWindow::fixProblem);
}

void MainWindow::connectView() {
  m_pane->nameReasonsBy([this](int rule) { return QString::fromStdString(sizeReasonName(m_doc.brief(), rule)); });
  connect(m_pane, &ViewPane::selectionChanged, this, &MainWindow::selectionChanged);
  if (m_view)
    connect(m_view, &Viewport::handleMoved, this, [this](const EdgeHandle& h, bool done) {
      if (h.edge < 0) {
        const auto [key, text] = movedSheet(h);
        if (!done) return previewTyped(h.rule, key, text);
        m_typing = false;
        return edit([&, &k = key, &t = text](Brief& b) { b.rules[static_cast<std::size_t>(h.rule)].values[k] = t; },
                    tr("move the cut"));
      }
      if (!done) return previewTyped(h.rule, "finest", finestWith(h));
      const std::string text = finestWith(h);
      edit([&](Brief& b) { b.rules[static_cast<std::size_t>(h.rule)].values["finest"] = text; },
           tr("move the finest place"));
      previewCard(h.rule);
    });
  connect(m_pane, &ViewPane::takeInWanted, this, &MainWindow::takeIn);
  connect(m_pane, &ViewPane::measureWanted, this, &MainWindow::keepMeasure);
  connect(m_pane, &ViewPane::sizeWanted, this, [this] { sizeFromSelection(); });
  connect(m_pane, &ViewPane::groupWanted, this, [this] {
    bool ok = false;
    const QString n = QInputDialog::getText(this, tr("Group"), tr("Name of the group"), QLineEdit::Normal,
                                            QString::fromStdString(freshGroupName()), &ok)
                          .trimmed();
    if (ok && !n.isEmpty()) groupFromSelection(n);
  });
  connect(m_pane, &ViewPane::reasonClicked, this, [this](int rule) {
    // What follows from the shape is the overall rule's doing.
    for (std::size_t k = 0; rule < 0 && k < m_doc.brief().rules.size(); ++k)
      if (m_doc.brief().rules[k].kind == "everywhere" && !m_doc.brief().rules[k].off) rule = static_cast<int>(k);
    m_briefPanel->reveal(rule);
  });
}

void MainWindow::connectRuns() {
  connect(m_runs, &RunsBar::meshWanted, this, [this] { startMesh(); });
  connect(m_runs, &RunsBar::stopWanted, this, &MainWindow::stopMesh);
  connect(m_runs, &RunsBar::runClicked, this, &MainWindow::showRun);
  connect(m_runs, &RunsBar::pinWanted, this, &MainWindow::pinRun);
  connect(m_runs, &RunsBar::discardWanted, this, &MainWindow::discardRun);
  connect(m_shelf, &RunShelf::recalled, this, [this](int before) {
    if (m_current >= 0) showRun(m_current + before);
    refresh();
    emit runsRecalled();
    takeMeshOfFile();
  });
  connect(m_shelf, &RunShelf::notKept, this, [this](const Problem& p) {
    m_notice->ask("runs", tr("The run could not be kept: %1").arg(QString::fromStdString(p.why)), {{tr("fine"), {}}});
  });
  connect(m_files, &FileWatch::partChanged, this, [this] {
    if (m_part)
      m_notice->ask("part",
                    tr("%1 has changed on disk.").arg(QFileInfo(QString::fromStdString(m_part->path)).fileName()),
                    {{tr("read it again"), [this] { reloadPart(); }}, {tr("not now"), {}}});
  });
  connect(m_files, &FileWatch::limitsChanged, this, [this] {
    const QString file = QFileInfo(QString::fromStdString(limitsFileOf(m_doc.brief()))).fileName();
    briefChanged(); // a file that cannot be read any more is a finding
    m_notice->ask("limits on disk", tr("%1 has changed on disk; the mesh stays as it is.").arg(file),
                  {{tr("judge by it"), [this] { startMesh(); }}, {tr("not now"), {}}});
  });
  connect(m_files, &FileWatch::briefChanged, this, &MainWindow::briefOnDiskChanged);
}

void MainWindow::briefOnDiskChanged() {
  const std::string path = m_doc.brief().path;
  const QString name = QFileInfo(QString::fromStdString(path)).fileName();
  if (m_files->briefPath() != path) return; // news of the brief that was open before
  const FileWatch::OnDisk now = m_files->briefOnDisk();
  if (now == FileWatch::OnDisk::Known) return m_notice->dismiss("brief");
  if (now == FileWatch::OnDisk::Gone)
    return m_notice->ask("brief",
                         QFileInfo::exists(QString::fromStdString(path))
                             ? tr("%1 cannot be read any more; the brief is open here.").arg(name)
                             : tr("%1 is gone from the disk; the brief is open here.").arg(name),
                         {{tr("write it again"), [this] { save(); }}, {tr("not now"), {}}});
  auto b = loadBrief(path);
  if (!b)
    return m_notice->ask("brief",
                         tr("%1 was changed by another program and is no brief any more: %2")
                             .arg(name, QString::fromStdString(b.problem().why)),
                         {{tr("write mine over it"), [this] { writeBrief(m_doc.brief().path); }}, {tr("not now"), {}}});
  if (*b == m_doc.brief()) { // written from here by another window, or changed alike
    m_doc.markSaved();
    m_files->knowBrief();
    m_notice->dismiss("brief");
    return refresh();
  }
  if (!m_doc.modified()) return takeBriefFromDisk();
  m_notice->ask(
      "brief", tr("%1 was changed by another program, and here as well.").arg(name),
      {{tr("take the file's"), [this] { takeBriefFromDisk(); }}, {tr("keep mine"), [this] { m_files->knowBrief(); }}});
}

void MainWindow::takeBriefFromDisk() {
  m_notice->dismiss("brief");
  auto b = loadBrief(m_doc.brief().path);
  if (!b) return tell(b.problem());
  const bool other = b->partPath() != m_doc.brief().partPath();
  m_doc.change(*b, tr("take over from disk").toStdString()); // one step that can be undone
  m_doc.markSaved();
  m_files->knowBrief();
  briefChanged();
  if (other) reloadPart();
}

void MainWindow::connectWorkers() {
  connect(m_previewer, &MeshWorker::previewed, this, [this](int rule, const RulePreview& p) {
    if (m_typing) m_briefPanel->showPreview(rule, QString::fromStdString(p.text), false);
    if (m_view) {
      std::set<int> lit(p.lit.begin(), p.lit.end());
      lit.insert(p.follows.begin(), p.follows.end());
      m_view->light(p.dim, lit);
      m_view->showMarks(p.marks, p.outline);
      if (!p.sheets.empty()) showSheet(rule, p);
    }
    emit previewed(rule);
  });
  connect(m_teller, &MeshWorker::told, m_briefPanel, &BriefPanel::setPreviews);
  connect(m_previewer, &MeshWorker::notPreviewed, this, [this](int rule, const Problem& p) {
    if (m_typing) m_briefPanel->showPreview(rule, theme::sentences(p.what, p.todo), true);
    if (m_view) m_view->showMarks({}, {});
    emit previewed(rule);
  });
  connect(m_measurer, &MeshWorker::measured, this, [this](const std::vector<Measure>& all) {
    m_measures = all;
    m_pane->setMeasures(all);
    emit measured();
  });
  connect(m_worker, &MeshWorker::progressed, this, [this](const QString& stage, double share) {
    m_runs->setProgress(stage, share, static_cast<double>(m_clock.elapsed()) / 1000);
  });
  connect(m_worker, &MeshWorker::loaded, this, [this](std::shared_ptr<const OpenedPart> opened) {
    m_part = opened->same ? opened->same : std::shared_ptr<const Part>(opened, &opened->part);
    m_reading = false;
    if (std::exchange(m_fresh, false)) m_doc.reset(withRulesOf(m_doc.brief(), *opened));
    m_sizes.reset();
    m_meshing = false;
    m_taskProblems.clear();
    m_pane->setPart(m_part);
    m_runs->setBusy(false, false);
    briefChanged();
    if (m_worker->busy()) return; // the brief had moved on while the part was read
    if (m_partBefore) {
      m_reboundGroups = compareGroups(m_doc.brief(), *m_partBefore, m_groupsBefore, *m_part, m_groups);
      m_rebound = reboundFindings(m_reboundGroups, *m_part);
      m_partBefore.reset();
      refresh();
    } else if (m_shelf->size() == 0 && !m_shelf->recall(m_doc.brief(), m_part))
      takeMeshOfFile();
    m_files->follow(m_doc.brief());
    emit partLoaded();
    if (auto act = std::exchange(m_afterReading, {})) act();
  });
  connect(m_sizer, &MeshWorker::sized, this,
          [this](std::shared_ptr<const SizeField> field, std::shared_ptr<const SizeShade> shade,
                 const std::vector<Problem>& problems) {
            m_sizes = field;
            if (field) m_teller->tell(m_doc.brief(), m_part, m_groups, field);
            if (!m_typing)
              previewCard(m_hovered < 0 ? m_sheetOf : m_hovered); // it may have been drawn with the sizes before
            m_pane->setSizeField(field, shade);
            m_audit->setSizes(field);
            bool broken = false;
            for (const auto& x : m_briefProblems) broken = broken || x.severity == Severity::Error;
            if (!field) m_forecast.reset();
            if (m_part && field && !broken && !m_doc.brief().first("take_mesh"))
              m_forecaster->forecast(m_doc.brief(), m_part, field);
            bool changed = !problems.empty() || !m_sizeProblems.empty();
            m_sizeProblems = problems;
            if (changed) refresh(); // a chip may be open for typing: only when there is news
          });
  connect(m_sizer, &MeshWorker::failed, this, [this](const Problem& p) {
    m_sizeProblems = {p};
    refresh();
  });
  connect(m_forecaster, &MeshWorker::counted, this, [this](const EdgeCounts& c) {
    if (m_view) m_view->setEdgeCounts(c);
  });
  connect(m_forecaster, &MeshWorker::forecasted, this, [this](const Forecast& f) {
    m_forecast = f;
    showReady();
    emit forecastReady();
  });
  connect(m_worker, &MeshWorker::cutsProposed, this, [this](const CutProposal& found) {
    m_runs->setBusy(false, false);
    m_taskProblems = found.hinders;
    m_notice->ask("cuts",
                  QString::fromStdString(proposalSentence(found)) +
                      (found.outOfTime ? tr("; the time for trying was up") : QString()),
                  {{tr("fine"), {}}});
    if (found.rules.empty() && found.before <= 0) return refresh();
    edit([&](Brief& b) { b = withProposal(b, found); }, tr("all hexahedra"));
  });
  connect(m_worker, &MeshWorker::surfaceKept, this, [this](const QString& file) {
    m_runs->setBusy(false, false);
    edit(
        [&](Brief& b) {
          std::erase_if(b.rules, [](const Rule& r) { return r.kind == "keep_surface"; });
          Rule r{"keep_surface", {}, "", false, {}};
          r.values["path"] = QFileInfo(file).fileName().toStdString();
          // After the last rule of its section.
          auto at = std::find_if(b.rules.rbegin(), b.rules.rend(), [](const Rule& x) {
            const RuleKind* k = ruleKind(x.kind);
            return k && k->section == "Methods";
          });
          b.rules.insert(at.base(), r);
        },
        tr("keep the surface mesh"));
    m_notice->ask(
        "surface",
        tr("The surface mesh is kept in %1; the volume follows it from now on.").arg(QFileInfo(file).fileName()),
        {{tr("fine"), {}}});
  });
  connect(m_worker, &MeshWorker::handedOver, this, [this](const std::vector<Rule>& rules) {
    m_runs->setBusy(false, false);
    refresh();
    auto run = currentRun();
    if (run && m_part) {
      Box b;
      for (const Vec3& x : run->mesh.nodes) b.add(x);
      QStringList done;
      for (const auto& r : rules) {
        auto scale = fileScale(run->brief, run->mesh.unit, r);
        done << tr("%1, %2").arg(
            QFileInfo(QString::fromStdString(run->brief.resolve(r.get("path")))).fileName(),
            QString::fromStdString(fileSizeText(b.size(), run->mesh.unit, scale ? *scale : 1)).replace(" x ", " × "));
      }
      m_notice->ask("handed over",
                    tr("Written and read back: %1 · %L2 elements").arg(done.join("; ")).arg(run->mesh.cells.size()),
                    {{tr("fine"), {}}});
    }
    emit handedOver();
  });
  connect(m_worker, &MeshWorker::finished, this,
          [this](std::shared_ptr<const RunResult> r, std::shared_ptr<const MeshLook> look) {
            m_meshing = false;
            m_taskProblems.clear();
            m_runs->setBusy(false, false);
            const int before = m_current;
            const bool improved = r->improved > 0;
            m_shelf->add(std::move(r), std::move(look), m_part, m_doc.brief());
            showRun(m_shelf->size() - 1);
            if (improved) offerBack(before);
            // What it took tells more about the next run than the forecast before.
            if (m_forecast) m_forecaster->forecast(m_doc.brief(), m_part, m_sizes);
            if (m_compare && m_compare->isVisible() && m_shelf->size() > 1) m_compare->setRuns(m_shelf->all());
            readAgain();
            emit runFinished();
          });
  connect(m_worker, &MeshWorker::failed, this, [this](const Problem& p) {
    m_meshing = m_reading = false;
    m_afterReading = {};
    m_runs->setBusy(false, false);
    m_taskProblems = {p};
    refresh();
    if (!m_part)
      tell(p);
    else {
      showProblem(p);
      // The verdict beside it may be good: what was not written is said where nobody overlooks it.
      if (p.fault == Fault::Output)
        m_notice->ask("not written",
                      tr("Not written: %1. %2").arg(QString::fromStdString(p.where), theme::sentences(p.why, p.todo)),
                      {{tr("try again"), [this] { askExport(); }}, {tr("fine"), {}}});
    }
    emit taskFailed(p);
  });
  connect(m_worker, &MeshWorker::stopped, this, [this] {
    m_meshing = m_reading = false;
    m_afterReading = {};
    m_runs->setBusy(false, false);
    refresh();
    emit runFinished();
  });
}

void MainWindow::edit(const std::function<void(Brief&)>& change, const QString& what) {
  Brief b = m_doc.brief();
  change(b);
  m_doc.change(std::move(b), what.toStdString());
  briefChanged();
}

void MainWindow::briefChanged() {
  m_forecast.reset();
  if (m_view) m_view->setEdgeCounts({}); // they come with the next forecast
  m_typing = false;
  for (auto* w : {m_forecaster, m_previewer, m_teller}) w->drop();
  if (m_sizedRules != m_doc.brief().rules.size()) m_sizes.reset(); // its reasons are numbers of other rules
  if (m_sheetOf >= 0 && (static_cast<std::size_t>(m_sheetOf) >= m_doc.brief().rules.size() ||
                         !isCut(m_doc.brief().rules[static_cast<std::size_t>(m_sheetOf)].kind)))
    letSheetGo();
  m_sizedRules = m_doc.brief().rules.size();
  m_keep.start();
  m_files->followLimits(limitsFileOf(m_doc.brief()));
  m_briefProblems.clear();
  m_groups.clear();
  if (m_part) {
    m_briefProblems = validateBrief(m_doc.brief(), m_part->unit);
    m_groups = resolveGroups(m_doc.brief(), *m_part, m_briefProblems);
    m_sizer->size(m_doc.brief(), m_part, m_groups);
    MeshPlan plan = planOfBrief(m_doc.brief(), *m_part, m_groups, m_briefProblems);
    if (m_view) {
      m_view->setPlan(std::move(plan.bodies), std::move(plan.faces));
      m_view->setGroups(m_groups); // draws both
    }
    showHandles();
    if (readAgain()) return;
  }
  refresh();
}

bool MainWindow::readAgain() {
  auto o = loadOptionsOf(m_doc.brief()); // a bad value is a finding already
  if (!m_part || !o || *o == m_loaded || m_worker->busy()) return false;
  if (o->unit != m_loaded.unit)
    loadPartOfBrief();
  else
    reloadPart();
  return true;
}

void MainWindow::refresh() {
  auto run = currentRun();
  std::vector<Problem> ofBrief = m_briefProblems;
  ofBrief.insert(ofBrief.end(), m_sizeProblems.begin(), m_sizeProblems.end());
  m_briefPanel->show(m_doc.brief(), m_part.get(), m_groups, run.get(), ofBrief);
  std::vector<Problem> findings = m_taskProblems;
  findings.insert(findings.end(), m_rebound.begin(), m_rebound.end());
  findings.insert(findings.end(), ofBrief.begin(), ofBrief.end());
  if (run) {
    for (const auto& p : run->problems) {
      bool known = false;
      for (const auto& f : findings) known = known || (f.code == p.code && f.what == p.what);
      if (!known) findings.push_back(p);
    }
  } else if (m_part) {
    const auto ofPart = problemsOfPart(*m_part, m_doc.brief());
    findings.insert(findings.end(), ofPart.begin(), ofPart.end());
  }
  m_audit->setFindings(findings);
  std::vector<char> ofOtherPart;
  for (int i = 0; i < m_shelf->size(); ++i) ofOtherPart.push_back(m_part && m_shelf->part(i) != m_part);
  m_runs->setRuns(m_shelf->all(), m_current, m_doc.brief(), m_shelf->pinned(), ofOtherPart);
  showReady();
  QString name = m_doc.brief().path.empty() ? (m_part ? tr("unsaved brief") : QString())
                                            : QFileInfo(QString::fromStdString(m_doc.brief().path)).fileName();
  m_statusText->setText(name + (m_doc.modified() ? tr(" · changed") : ""));
  setWindowTitle(name.isEmpty() ? "Tesselite" : name + " – Tesselite");
  m_undo->setEnabled(m_doc.canUndo());
  m_redo->setEnabled(m_doc.canRedo());
  m_undo->setText(m_doc.canUndo() ? tr("Undo: %1").arg(QString::fromStdString(m_doc.undoText())) : tr("Undo"));
  m_redo->setText(m_doc.canRedo() ? tr("Redo: %1").arg(QString::fromStdString(m_doc.redoText())) : tr("Redo"));
  m_pane->showHint();
}

void MainWindow::previewCard(int rule) {
  const auto& rules = m_doc.brief().rules;
  const auto i = static_cast<std::size_t>(rule);
  const bool some = m_part && rule >= 0 && i < rules.size() && !rules[i].off;
  if (some) // what it acts on at once, the rest when it is known
    m_previewer->preview(m_doc.brief(), rule, m_part, m_groups, m_sizes, rules[i]);
  else
    m_previewer->drop();
  if (!m_view) return;
  const RulePreview now = some ? previewTarget(rules[i], m_groups) : RulePreview();
  m_view->light(now.dim, {now.lit.begin(), now.lit.end()});
  m_view->showMarks({}, {});
}

void MainWindow::previewTyped(int rule, const std::string& key, const std::string& value) {
  if (!m_part || rule < 0 || static_cast<std::size_t>(rule) >= m_doc.brief().rules.size()) return;
  m_typing = true;
  Brief asTyped = m_doc.brief();
  asTyped.rules[static_cast<std::size_t>(rule)].values[key] = value;
  m_previewer->preview(asTyped, rule, m_part, m_groups, m_sizes, m_doc.brief().rules[static_cast<std::size_t>(rule)]);
}

void MainWindow::leavePreview() {
  if (!m_typing) return;
  m_typing = false;
  refresh(); // the card says again what it said
  previewCard(m_hovered < 0 ? m_sheetOf : m_hovered);
}

void MainWindow::showReady() {
  bool errors = false;
  for (const auto* list : {&m_briefProblems, &m_sizeProblems})
    for (const auto& p : *list) errors = errors || p.severity == Severity::Error;
  m_runs->setReady(m_part && !errors && !m_worker->busy(),
                   !m_part     ? tr("no part yet")
                   : errors    ? tr("a card needs mending first")
                   : m_meshing ? tr("<b>Meshing</b>")
                               : forecastText(),
                   m_part && !errors ? forecastTip() : QString());
}

QString MainWindow::forecastText() const {
  if (m_doc.brief().first("take_mesh"))
    return tr("<b>Ready</b> · the mesh of %1 as it is").arg(QFileInfo(QString::fromStdString(m_part->path)).fileName());
  if (!m_forecast)
    return tr("<b>Ready</b> · %1 %2 everywhere")
        .arg(QString::fromStdString(formatNumber(overallTarget(m_doc.brief(), *m_part), 3)))
        .arg(QString::fromStdString(m_part->unit));
  const Forecast& f = *m_forecast;
  bool over = false;
  for (const auto& p : f.problems) over = over || p.code == "forecast.budget";
  QString memory = QString::fromStdString(memoryText(f.memoryBytes));
  if (const auto most = static_cast<double>(MeshWorker::allowedMemory());
      most > 0 && static_cast<double>(memoryInUse()) + f.memoryBytes > most)
    memory = tr("%1, more than the %2 allowed").arg(memory, QString::fromStdString(memoryText(most)));
  QString time = f.seconds < 120 ? tr("%1 s").arg(f.seconds, 0, 'f', f.seconds < 9.5 ? 1 : 0)
                                 : tr("%1 min").arg(f.seconds / 60, 0, 'f', 0);
  return tr("<b>about %1</b> elements%2<br>%3 · %4")
      .arg(QString::fromStdString(roughly(f.elements)))
      .arg(over ? tr(", over budget") : "")
      .arg(memory, time);
}

QString MainWindow::forecastTip() const {
  if (!m_forecast) return {};
  const Forecast& f = *m_forecast;
  QString t = tr("<b>Forecast</b>: %1 to %2 elements, %3 nodes")
                  .arg(QString::fromStdString(roughly(f.low)), QString::fromStdString(roughly(f.high)),
                       QString::fromStdString(roughly(f.nodes)));
  t += "<br>" + (f.calibrationOfPart ? tr("time as in earlier runs of this part")
                 : f.calibrationRuns ? tr("time as in the last %1 runs on this machine").arg(f.calibrationRuns)
                                     : tr("time by a short trial of this machine"));
  for (const auto& s : f.byRule)
    if (s.elements > 0.03 * f.elements)
      t += QString("<br>%1 % ").arg(100 * s.elements / f.elements, 0, 'f', 0) +
           QString::fromStdString(s.name).toHtmlEscaped();
  for (const auto& p : f.problems) t += "<br><i>" + QString::fromStdString(p.what).toHtmlEscaped() + "</i>";
  return t;
}

void MainWindow::setAppearance(Appearance appearance) {
  static const QPalette system = QApplication::palette(); // before the first change
  bool dark = appearance == Appearance::Dark ||
              (appearance == Appearance::System && system.color(QPalette::Window).lightness() < 128);
  QSettings().setValue("appearance", static_cast<int>(appearance));
  theme::setDark(dark);
  QPalette p = QApplication::style()->standardPalette();
  for (auto group : {QPalette::Active, QPalette::Inactive}) {
    p.setColor(group, QPalette::Window, theme::paper);
    p.setColor(group, QPalette::Base, theme::card);
    p.setColor(group, QPalette::Button, theme::card);
    for (auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText}) p.setColor(group, role, theme::ink);
    p.setColor(group, QPalette::PlaceholderText, theme::faint);
    p.setColor(group, QPalette::Link, theme::accent);
    p.setColor(group, QPalette::Highlight, theme::accent);
    p.setColor(group, QPalette::HighlightedText, theme::card);
  }
  QApplication::setPalette(p);
  qApp->setStyleSheet(theme::styleSheet());
  m_pane->applyTheme();
  m_statusText->setMinimumHeight(menuBar()->sizeHint().height()); // or it sits at the upper rim
  for (std::size_t i = 0; i < m_looks.size(); ++i)
    m_looks[i]->setChecked(static_cast<int>(i) == static_cast<int>(appearance));
  refresh();
}

std::shared_ptr<const RunResult> MainWindow::currentRun() const { return m_shelf->run(m_current); }

void MainWindow::takeMeshOfFile() {
  // A mesh that is there already is looked at without asking.
  if (!m_doc.brief().first("take_mesh") || currentRun() || m_worker->busy()) return;
  if (const int last = m_shelf->size() - 1; last >= 0 && m_shelf->part(last) == m_part)
    showRun(last);
  else
    startMesh();
}

void MainWindow::showRun(int index) {
  m_current = index;
  auto r = currentRun();
  m_audit->setRun(r);
  if (!r) m_pane->setRun({});
  // The view follows when it is ready, unless another run is wanted by then.
  m_shelf->show(index, [this](const ShownRun& shown) {
    if (shown.run != currentRun()) return;
    m_audit->setNeighbours(std::shared_ptr<const Neighbours>(shown.look, &shown.look->near));
    ShownRun here = shown;
    here.ofThisPart = m_shelf->part(shown.number - 1) == m_part;
    m_pane->setRun(here);
  });
  refresh();
}

void MainWindow::showBeside(int first, int second) {
  if (!m_shelf->has(first) || !m_shelf->has(second)) return m_pane->hideBeside();
  if (m_current != first) showRun(first);
  m_shelf->show(second, [this, first](const ShownRun& other) {
    if (m_current != first) return;
    // Of a kept run of a part that has changed since only the mesh is there; the first view shows it the same way.
    auto itsPart = m_shelf->part(other.number - 1);
    m_pane->showBeside(other, itsPart ? itsPart : m_part);
  });
}

void MainWindow::showHandles() {
  if (!m_view) return;
  std::vector<EdgeHandle> handles;
  if (m_part && m_view->pickDim() == Dim::Edge) {
    const Brief plain = settled(m_doc.brief(), m_part.get());
    for (std::size_t i = 0; i < plain.rules.size(); ++i) {
      const Rule& r = plain.rules[i];
      if (r.kind != "divide" || r.off || !(slotNumber(r, "ratio", m_part->unit) > 1)) continue;
      const auto edges = targetEntities(r.get("on"), Dim::Edge, *m_part, m_groups);
      const auto places = finestPlaces(r.get("finest"));
      for (int e : m_view->selection())
        if (std::binary_search(edges.begin(), edges.end(), e))
          for (std::size_t k = 0; k < places.size(); ++k)
            handles.push_back({e, places[k], static_cast<int>(i), static_cast<int>(k)});
    }
  }
  m_view->setHandles(std::move(handles));
}

void MainWindow::showSheet(int rule, const RulePreview& p) {
  m_sheetOf = rule;
  const Rule& r = m_doc.brief().rules[static_cast<std::size_t>(rule)];
  if (r.kind == "cut_sheet") return m_view->setHandles({});
  EdgeHandle h;
  h.rule = rule;
  h.at = p.sheets.front().at;
  h.along = p.sheets.front().normal;
  h.snaps = p.snaps;
  m_view->setHandles({h});
}

void MainWindow::letSheetGo() {
  if (std::exchange(m_sheetOf, -1) < 0 || !m_view) return;
  m_view->showMarks({}, {});
  showHandles();
}

std::pair<std::string, std::string> MainWindow::movedSheet(const EdgeHandle& h) const {
  const Rule rule = settled(m_doc.brief(), m_part.get()).rules[static_cast<std::size_t>(h.rule)];
  const std::string& unit = m_part->unit;
  auto length = [&](double x) { return formatNumber(std::abs(x) < 1e-9 * m_part->diagonal() ? 0 : x, 6) + " " + unit; };
  if (rule.kind == "cut_core") return {"side", length(std::max(0.0, slotNumber(rule, "side", unit) + 2 * h.share))};
  if (rule.kind == "cut_along") {
    auto by = parseLength(rule.get("by").empty() ? "0" : rule.get("by"), unit);
    return {"by", length((by ? *by : 0) + h.share)};
  }
  std::vector<Vec3> points{h.at};
  if (auto given = parsePoints(rule.get("at"), unit); given && !rule.get("at").empty()) points = *given;
  std::string text;
  for (const Vec3& from : points) {
    Vec3 p = from + h.share * h.along;
    for (int k = 0; k < 3; ++k)
      if (std::abs(p[k]) < 1e-9 * m_part->diagonal()) p[k] = 0;
    text += (text.empty() ? "(" : "; (") + formatNumber(p.x(), 6) + ", " + formatNumber(p.y(), 6) + ", " +
            formatNumber(p.z(), 6) + ")";
  }
  return {"at", text};
}

void MainWindow::proposeCuts() {
  if (!m_part) return;
  if (m_reading || m_worker->busy()) return waitForPart([this] { proposeCuts(); });
  if (m_part->faceted) {
    m_notice->ask("cuts", tr("Cuts are made on exact shapes, and this part consists of triangles."),
                  {{tr("fine"), {}}});
    return;
  }
  m_clock.start();
  m_worker->proposeCuts(m_doc.brief(), m_part->whole ? m_part->whole : m_part);
  m_runs->setBusy(true, true);
  refresh();
}

std::string MainWindow::finestWith(const EdgeHandle& h) const {
  auto places = finestPlaces(m_doc.brief().rules[static_cast<std::size_t>(h.rule)].get("finest"));
  places[static_cast<std::size_t>(h.place)] = h.share;
  std::string text;
  for (double x : places) {
    const double snap = 0.03;
    const std::string word = x < snap                   ? "start"
                             : x > 1 - snap             ? "end"
                             : std::abs(x - 0.5) < snap ? "middle"
                                                        : formatNumber(std::round(100 * x) / 100, 3);
    text += (text.empty() ? "" : ", ") + word;
  }
  return text;
}

void MainWindow::selectionChanged() {
  showHandles();
  m_measures.clear();
  if (m_part && !m_view->selection().empty())
    m_measurer->measure(m_part, m_view->pickDim(), {m_view->selection().begin(), m_view->selection().end()});
}

std::string MainWindow::freshValueName(const std::string& base) const {
  auto used = [&](const std::string& n) {
    for (const auto& r : m_doc.brief().rules)
      if (r.kind == "value" && r.get("name") == n) return true;
    return false;
  };
  std::string name = base;
  for (int k = 2; used(name); ++k) name = base + "_" + std::to_string(k);
  return name;
}

void MainWindow::keepMeasure(const Measure& m) {
  if (!m_part) return;
  std::string name = m.name;
  std::replace(name.begin(), name.end(), ' ', '_');
  name = freshValueName(name);
  edit(
      [&](Brief& b) {
        auto at = b.rules.begin();
        while (at != b.rules.end() && at->kind == "value") ++at;
        b.rules.insert(at,
                       {"value", {{"name", name}, {"value", m.text(m_part->unit)}}, "measured on the part", false, {}});
      },
      tr("keep a measure"));
}

bool MainWindow::findByNumber(const QString& text) {
  auto run = currentRun();
  if (!run) return false;
  bool node = text.startsWith('n', Qt::CaseInsensitive), ok = false;
  qlonglong number = (node ? text.mid(1) : text).trimmed().toLongLong(&ok) - 1;
  if (!ok || number < 0) return false;
  if (!node) {
    if (number >= static_cast<qlonglong>(run->mesh.cells.size())) return false;
    m_audit->showElement(static_cast<std::int32_t>(number));
    return true;
  }
  if (number >= static_cast<qlonglong>(run->mesh.nodes.size())) return false;
  // A node is shown by the elements around it.
  std::vector<std::int32_t> around;
  for (std::size_t c = 0; c < run->mesh.cells.size(); ++c)
    for (auto n : run->mesh.cells.of(c))
      if (n == number) around.push_back(static_cast<std::int32_t>(c));
  if (around.empty()) return false;
  m_audit->showElement(around.front());
  if (m_view) m_view->setBrushed(around, true);
  return true;
}

void MainWindow::scaleSizes(double factor) {
  if (!m_part) return;
  edit([&](Brief& b) { b = scaledSizes(b, *m_part, factor); }, factor < 1 ? tr("finer") : tr("coarser"));
}

void MainWindow::setPurpose(const std::string& purpose) {
  auto set = [this, purpose](FlowSpace space) {
    edit([&](Brief& b) { b = withPurpose(b, purpose, space); },
         tr("rules for %1").arg(QString::fromStdString(purpose)));
  };
  if (purpose != "flow" || flowSpaceOf(m_doc.brief()) != FlowSpace::Unknown) return set(FlowSpace::Unknown);
  m_notice->ask("flow",
                tr("Is this part what flows, or what is flowed around? Its narrow places are asked for accordingly."),
                {{tr("what flows"), [set] { set(FlowSpace::Inside); }},
                 {tr("what is flowed around"), [set] { set(FlowSpace::Around); }},
                 {tr("neither"), {}}});
}

void MainWindow::keepFailing() {
  auto run = currentRun();
  if (!run || run->audit.failingCells == 0) return;
  RunResult r = *run;
  auto& groups = r.mesh.groups;
  groups.erase(std::remove_if(groups.begin(), groups.end(), [](const MeshGroup& g) { return g.name == "failing"; }),
               groups.end());
  MeshGroup g{"failing", 3, {}, 0};
  for (std::size_t c = 0; c < r.audit.failing.size(); ++c)
    if (r.audit.failing[c]) g.items.push_back(static_cast<std::int32_t>(c));
  QString n = QLocale().toString(static_cast<qulonglong>(g.items.size()));
  groups.push_back(std::move(g));
  m_shelf->replace(m_current, std::make_shared<const RunResult>(std::move(r)));
  showRun(m_current);
  m_notice->ask("failing", tr("The set 'failing' holds %1 elements; it is handed over with the mesh.").arg(n),
                {{tr("fine"), {}}});
}

void MainWindow::pinRun(int index, bool on) {
  m_shelf->pin(index, on);
  refresh();
}

void MainWindow::discardRun(int index) {
  if (!m_shelf->has(index) || m_worker->busy()) return;
  m_shelf->discard(index);
  if (m_compare) m_compare->hide();
  showBeside(-1, -1); // its runs are told by their numbers
  showRun(m_current > index ? m_current - 1 : m_current == index ? -1 : m_current);
}

std::string MainWindow::freshGroupName() const {
  for (int k = 1;; ++k) {
    std::string n = "group " + std::to_string(k);
    bool used = false;
    for (const auto& r : m_doc.brief().rules) used = used || (r.kind == "group" && r.get("name") == n);
    if (!used) return n;
  }
}

void MainWindow::groupFromSelection(const QString& name) {
  if (!m_view || !m_part || m_view->selection().empty()) return;
  std::vector<int> e(m_view->selection().begin(), m_view->selection().end());
  Rule r = describeSelection(*m_part, m_view->pickDim(), e, name.toStdString());
  if (m_alike && m_view->pickDim() == Dim::Face && m_view->selection() == m_alikeFaces) {
    r = *m_alike;
    r.values["name"] = name.toStdString();
  }
  edit(
      [&](Brief& b) {
        // Groups stand before the sizes that use them.
        auto at = b.rules.begin();
        while (at != b.rules.end() && at->kind == "group") ++at;
        b.rules.insert(at, r);
      },
      tr("group"));
}

void MainWindow::addRule(const std::string& kind, const std::map<std::string, std::string>& values) {
  if (!m_part) return;
  m_notice->dismiss("say");
  const RuleKind* known = ruleKind(kind);
  // Cards that fill some bodies stand beside that for everything.
  const auto bodies = std::find_if(m_groups.begin(), m_groups.end(), [](const auto& g) { return g.dim == Dim::Body; });
  if (kind == "fill" && values.empty() && bodies != m_groups.end()) {
    const std::map<std::string, std::string> some{{"what", bodies->name}, {"with", "mapped"}};
    return addRule(kind, some);
  }
  if (kind == "everywhere" || kind == "judge" || (kind == "fill" && !values.count("what"))) // it is changed where it is
    for (std::size_t i = 0; i < m_doc.brief().rules.size(); ++i)
      if (const Rule& r = m_doc.brief().rules[i];
          r.kind == kind && !r.off && !(kind == "fill" && values.count("with") && r.get("what") != "everything")) {
        const int at = static_cast<int>(i);
        if (values.empty() && kind == "everywhere") return m_briefPanel->editChip(at, "target");
        edit(
            [&](Brief& b) {
              for (const auto& [key, value] : values) b.rules[i].values[key] = value;
            },
            tr("change %1").arg(QString::fromStdString(kind)));
        return m_briefPanel->reveal(at);
      }
  if (known && known->section == "Sizes" && kind != "everywhere") return sizeFromSelection(kind, values);
  if (kind == "group" && values.empty() && m_view && !m_view->selection().empty())
    return groupFromSelection(QString::fromStdString(freshGroupName()));
  edit(
      [&](Brief& b) {
        Rule r = freshRule(kind, "everywhere", b, *m_part);
        if (kind == "group") r.values["name"] = freshGroupName();
        if (kind == "value") {
          r.values["name"] = freshValueName("value");
          r.values["value"] = "1 " + m_part->unit;
        }
        if (kind == "hand_over") {
          const std::filesystem::path file(m_part->path); // never over a mesh that is the part itself
          r.values["path"] = file.stem().string() + (holdsMesh(m_part->path) ? "-1.inp" : ".inp");
          r.values["format"] = "inp";
        }
        if (kind == "fill") r.values["order"] = std::to_string(orderOf(b));
        for (const auto& [key, value] : values) r.values[key] = value;
        if (kind == "hand_over" && values.count("path")) r.values.erase("format"); // by the path's ending
        b.rules.push_back(r);
      },
      tr("add %1").arg(QString::fromStdString(kind)));
}

void MainWindow::sizeFromSelection(const std::string& kind, const std::map<std::string, std::string>& values) {
  if (!m_part) return;
  std::string on = "everywhere";
  const RuleKind* known = ruleKind(kind);
  if (values.count("on"))
    on = values.at("on");
  else if (known && known->slot("on") && m_view && !m_view->selection().empty()) {
    std::vector<int> e(m_view->selection().begin(), m_view->selection().end());
    on.clear();
    for (const auto& g : m_groups)
      if (g.dim == m_view->pickDim() && g.entities == e) on = g.name;
    if (on.empty()) {
      on = freshGroupName();
      groupFromSelection(QString::fromStdString(on));
    }
  }
  edit(
      [&](Brief& b) {
        b.rules.push_back(freshRule(kind, on, b, *m_part));
        if (const Box box = selectedBox(); kind == "zone" && !box.empty()) { // fitted to what is selected
          b.rules.back().values["from"] = formatPoint(box.lo);
          b.rules.back().values["to"] = formatPoint(box.hi);
        }
        for (const auto& [key, value] : values) b.rules.back().values[key] = value;
        if (kind == "divide" && values.count("length")) b.rules.back().values.erase("count");
      },
      tr("add %1").arg(QString::fromStdString(kind)));
  int at = static_cast<int>(m_doc.brief().rules.size()) - 1;
  const Slot* next = known ? askedFirst(*known) : nullptr;
  std::string key = next ? next->key : "";
  if (values.count(key)) { // nothing is left to ask
    QMetaObject::invokeMethod(
        this, [this, at] { m_briefPanel->reveal(at); }, Qt::QueuedConnection);
    return;
  }
  QMetaObject::invokeMethod(
      this, [this, at, key] { m_briefPanel->editChip(at, key); }, Qt::QueuedConnection);
}

Box MainWindow::selectedBox() const {
  Box b;
  if (!m_view || !m_part || m_view->selection().empty()) return b;
  for (int e : m_view->selection()) {
    const auto i = static_cast<std::size_t>(e);
    if (m_view->pickDim() == Dim::Body) b.add(m_part->bodies[i].box);
    if (m_view->pickDim() == Dim::Face) b.add(m_part->faces[i].box);
    if (m_view->pickDim() == Dim::Edge)
      for (int v : m_part->drawn().edgeChain[i]) b.add(m_part->drawn().points[static_cast<std::size_t>(v)]);
    if (m_view->pickDim() == Dim::Point) b.add(m_part->points[i].at);
  }
  b.grow(0.01 * m_part->diagonal()); // a flat selection has room too
  return b;
}

void MainWindow::showProblem(const Problem& p) {
  if (!m_view || !m_part) return;
  if (!p.faces.empty()) m_view->select(Dim::Face, {p.faces.begin(), p.faces.end()});
  if (!p.places.empty()) m_view->flyTo(p.places.front(), 0.35 * m_part->diagonal());
}

void MainWindow::fixProblem(const Problem& p) {
  if (!m_part) return;
  if (p.code == "groups.unassigned") return proposeGroups();
  if (p.fix == kProposeCuts) return proposeCuts();
  if (p.code == "mesh.thin")
    return edit(
        [&](Brief& b) {
          Rule r = freshRule("through", "everywhere", b, *m_part);
          r.values["count"] = "2";
          r.values["what"] = "walls";
          b.rules.push_back(r);
        },
        tr("elements through walls"));
  for (const auto& g : m_reboundGroups) {
    if (!g.repair || p.fix.find("'" + g.name + "'") == std::string::npos) continue;
    edit(
        [&](Brief& b) {
          for (auto& r : b.rules)
            if (r.kind == "group" && r.get("name") == g.name) r.values = g.repair->values;
        },
        tr("describe '%1' anew").arg(QString::fromStdString(g.name)));
    // Said again for what it means now.
    m_rebound.erase(
        std::remove_if(m_rebound.begin(), m_rebound.end(), [&](const Problem& x) { return x.fix == p.fix; }),
        m_rebound.end());
    return refresh();
  }
}

void MainWindow::startMesh(bool fromNothing) {
  if (m_reading) return waitForPart([this, fromNothing] { startMesh(fromNothing); });
  if (!m_part || m_worker->busy()) return;
  m_meshing = true;
  m_clock.start();
  // The newest run whose mesh serves the brief as it is now.
  std::shared_ptr<const RunResult> before;
  for (int i = m_shelf->size(); !fromNothing && !before && i-- > 0;)
    if (m_shelf->part(i) == m_part && reusable(m_doc.brief(), *m_shelf->run(i)) != Reuse::None)
      before = m_shelf->run(i);
  m_worker->run(m_doc.brief(), m_part, before);
  m_runs->setBusy(true, true);
  m_runs->setProgress(tr("Starting"), 0, 0);
  refresh();
}
void MainWindow::keepSurface() {
  auto run = currentRun();
  if (!run || m_worker->busy()) return;
  if (m_doc.brief().path.empty() && !save()) return; // the file stands beside the brief
  const QFileInfo brief(QString::fromStdString(m_doc.brief().path));
  m_runs->setBusy(true, false);
  m_worker->keepSurface(run, brief.dir().filePath(brief.completeBaseName() + ".surface.vtp"));
}
void MainWindow::stopMesh() { m_worker->stop(); }

void MainWindow::waitForPart(std::function<void()> act) {
  if (m_reading) m_afterReading = std::move(act);
}

void MainWindow::readPart() {
  auto options = loadOptionsOf(m_doc.brief());
  if (!options) return tell(options.problem());
  // Cuts are made anew on the part as it was read.
  std::shared_ptr<const Part> whole;
  if (m_part && m_part->path == m_doc.brief().partPath() && !holdsMesh(m_part->path) &&
      static_cast<const LoadOptions&>(*options) == m_loaded && !m_files->partOnDiskDiffers())
    whole = m_part->whole ? m_part->whole : m_part;
  m_loaded = *options;
  m_reading = true;
  if (whole) m_partBefore.reset(); // groups mean what they meant
  if (!whole) m_files->partIsRead(m_doc.brief().partPath());
  m_clock.start();
  m_worker->load(QString::fromStdString(m_doc.brief().partPath()), m_loaded, whole);
  m_runs->setBusy(true, false);
  refresh();
}

void MainWindow::loadPartOfBrief() {
  m_afterReading = {}; // it was meant for the part before
  // What is on its way belongs to the part that goes now.
  for (auto* w : {m_sizer, m_forecaster, m_measurer, m_previewer, m_teller}) w->drop();
  m_part.reset();
  m_sizes.reset();
  m_briefPanel->setPreviews({}); // what was said of the part that goes
  if (m_view) m_view->setEdgeCounts({});
  m_partBefore.reset();
  m_groups.clear();
  m_briefProblems.clear();
  m_sizeProblems.clear();
  m_taskProblems.clear();
  m_rebound.clear();
  m_forecast.reset();
  if (m_compare) m_compare->hide();
  if (m_alternatives) m_alternatives->hide();
  showBeside(-1, -1);
  m_shelf->clear();
  m_measures.clear();
  m_current = -1;
  m_audit->setRun(nullptr);
  m_pane->setRun({});
  m_pane->setPart(nullptr);
  readPart();
}

void MainWindow::reloadPart() {
  if (!m_part) return;
  if (m_worker->busy()) return waitForPart([this] { reloadPart(); });
  auto options = loadOptionsOf(m_doc.brief());
  if (options && *options == m_loaded && m_part->path == m_doc.brief().partPath() && !m_files->partOnDiskDiffers()) {
    // Nothing would come out differently: the mesh on show goes on being that of the part.
    m_notice->dismiss("part");
    return m_notice->ask("same part",
                         tr("%1 is as it was when it was read; nothing has changed.")
                             .arg(QFileInfo(QString::fromStdString(m_part->path)).fileName()),
                         {{tr("fine"), {}}});
  }
  m_partBefore = m_part;
  m_groupsBefore = m_groups;
  m_rebound.clear();
  m_notice->dismiss("part");
  // The mesh shown lies on the part as it was; its run stays in the bar.
  m_current = -1;
  m_audit->setRun(nullptr);
  readPart();
}

void MainWindow::swapPart(const QString& path) {
  if (m_worker->busy()) return;
  edit([&](Brief& b) { b.partFile = QFileInfo(path).absoluteFilePath().toStdString(); }, tr("another part"));
  reloadPart();
}

void MainWindow::proposeGroups() {
  if (!m_part) return;
  auto proposed = tess::proposeGroups(m_doc.brief(), *m_part, m_groups);
  if (proposed.empty()) {
    m_notice->ask("groups", tr("Every outer face is in a group already."), {{tr("fine"), {}}});
    return;
  }
  edit(
      [&](Brief& b) {
        auto at = b.rules.begin();
        while (at != b.rules.end() && at->kind == "group") ++at;
        b.rules.insert(at, proposed.begin(), proposed.end());
      },
      tr("propose groups"));
}

void MainWindow::takeIn(Alike how) {
  if (!m_view || !m_part || m_view->pickDim() != Dim::Face || m_view->selection().size() != 1) return;
  auto rule = describeAlike(*m_part, *m_view->selection().begin(), how);
  if (!rule) {
    m_notice->ask("alike", tr("This face has no such likes."), {{tr("fine"), {}}});
    return;
  }
  auto faces = resolveAlone(*rule, *m_part);
  m_view->select(Dim::Face, {faces.begin(), faces.end()});
  m_alike = rule;
  m_alikeFaces = m_view->selection();
}

void MainWindow::offerRecovery() {
  auto left = RecoveryStore::leftBehind();
  if (left.empty()) return;
  auto first = left.front();
  QString name = first.brief.path.empty() ? QFileInfo(QString::fromStdString(first.brief.partFile)).fileName()
                                          : QFileInfo(QString::fromStdString(first.brief.path)).fileName();
  m_notice->ask("recovery",
                tr("Unsaved changes to %1 from %2 were left when the program ended.")
                    .arg(name, QLocale().toString(first.when, QLocale::ShortFormat)),
                {{tr("open them"),
                  [this, first] {
                    // The saved state stays what is on disk, so the recovered one counts as changed.
                    Brief onDisk;
                    if (!first.brief.path.empty())
                      if (auto b = loadBrief(first.brief.path)) onDisk = *b;
                    m_doc.reset(onDisk);
                    m_doc.change(first.brief, tr("recover").toStdString());
                    RecoveryStore::discard(first.file);
                    m_recovery.keep(m_doc.brief());
                    loadPartOfBrief();
                  }},
                 {tr("throw them away"), [this, first] {
                    RecoveryStore::discard(first.file);
                    offerRecovery();
                  }}});
}

CompareDialog* MainWindow::compareRuns() {
  if (m_shelf->size() < 2) {
    m_notice->ask("compare", tr("There is nothing to compare yet: mesh a second time, or improve the mesh."),
                  {{tr("fine"), {}}});
    return nullptr;
  }
  if (!m_compare) {
    m_compare = new CompareDialog(this);
    connect(m_compare, &CompareDialog::showRun, this, &MainWindow::showRun);
    connect(m_compare, &CompareDialog::besideWanted, this, &MainWindow::showBeside);
  }
  m_compare->setRuns(m_shelf->all());
  m_compare->show();
  m_compare->raise();
  return m_compare;
}

AlternativesDialog* MainWindow::showAlternatives() {
  if (!m_part || (m_doc.brief().path.empty() && !save())) return nullptr;
  if (!m_alternatives) {
    m_alternatives = new AlternativesDialog(this);
    connect(m_alternatives, &AlternativesDialog::openWanted, this, [this](const QString& path) {
      if (mayDiscard()) open(path);
    });
    connect(m_alternatives, &AlternativesDialog::openMeshed, this,
            [this](std::shared_ptr<const RunResult> run, std::shared_ptr<const Part> part, const QString& file) {
              if (run->brief.path != m_doc.brief().path) return; // another brief was opened meanwhile
              m_shelf->add(std::move(run), nullptr, std::move(part), m_doc.brief(), file);
              showRun(m_shelf->size() - 1);
            });
    connect(m_alternatives, &AlternativesDialog::anotherWanted, this, [this] {
      const QString p =
          QFileDialog::getSaveFileName(m_alternatives, tr("Keep as an alternative"),
                                       QString::fromStdString(m_doc.brief().path), tr("Briefs (*.brief)"));
      if (!p.isEmpty() && keepAlternative(p)) showAlternatives();
    });
  }
  m_alternatives->compare(m_doc.brief(), m_part, m_loaded, m_shelf->part(m_current) == m_part ? currentRun() : nullptr);
  m_alternatives->show();
  m_alternatives->raise();
  return m_alternatives;
}

bool MainWindow::keepAlternative(const QString& chosen) {
  const Brief b = movedTo(m_doc.brief(), (chosen.endsWith(".brief") ? chosen : chosen + ".brief").toStdString());
  auto p = saveBrief(b, b.path);
  if (p) tell(*p);
  return !p;
}

void MainWindow::changeMesh(const QString& stage, const std::function<void()>& change) {
  if (!currentRun() || !m_part || m_worker->busy()) return;
  if (!m_shelf->part(m_current)) {
    m_notice->ask("improve", tr("The part has changed since this mesh was made: mesh it again."), {{tr("fine"), {}}});
    return;
  }
  m_meshing = true;
  m_clock.start();
  change();
  m_runs->setBusy(true, true);
  m_runs->setProgress(stage, 0, 0);
  refresh();
}

void MainWindow::improveMesh(const std::string& only) {
  std::set<int> faces; // what is selected is meant
  if (only.empty() && m_view && m_view->pickDim() == Dim::Face) faces = m_view->selection();
  MeshWorker::ChooseCells choose;
  if (!only.empty())
    choose = [only](const Mesh& m, const Progress& p) { return chosenCells(m, only, p); };
  else if (!faces.empty())
    choose = [faces](const Mesh& m, const Progress&) { return Result(cellsAtFaces(m, faces)); };
  changeMesh(faces.empty() ? tr("Improving") : tr("Improving at what is selected"),
             [&] { m_worker->improve(currentRun(), m_shelf->part(m_current), std::move(choose)); });
}

void MainWindow::improveAt(const std::vector<std::int32_t>& cells) {
  changeMesh(tr("Improving at this place"), [&] {
    m_worker->improve(currentRun(), m_shelf->part(m_current),
                      [cells](const Mesh& m, const Progress&) { return Result(cellsAround(m, cells)); });
  });
}

void MainWindow::moveNode(std::int32_t node, const Vec3& to) {
  changeMesh(tr("Moving a node"), [&] { m_worker->moveNode(currentRun(), m_shelf->part(m_current), node, to); });
}

void MainWindow::askMoveNode(std::int32_t node) {
  auto run = currentRun();
  if (!run || node < 0 || static_cast<std::size_t>(node) >= run->mesh.nodes.size()) return;
  const QString unit = QString::fromStdString(run->mesh.unit);
  bool ok = false;
  const QString text = QInputDialog::getText(
      this, tr("Move node %1").arg(node + 1),
      tr("Its place in %1; on the boundary it goes to the nearest place on its face or edge").arg(unit),
      QLineEdit::Normal, QString::fromStdString(formatPoint(run->mesh.nodes[static_cast<std::size_t>(node)])), &ok);
  if (!ok) return;
  auto to = parsePoints(text.toStdString(), run->mesh.unit);
  if (!to) return tell(to.problem());
  if (to->size() == 1) moveNode(node, to->front());
}

void MainWindow::offerBack(int before) {
  const auto was = m_shelf->run(before), is = currentRun();
  if (!was || !is) return;
  auto least = [](const RunResult& r) {
    return QString::fromStdString(formatNumber(r.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].min, 3));
  };
  QString text = tr("Least angle %1° before, %2° now.").arg(least(*was), least(*is));
  if (was->audit.failingCells + is->audit.failingCells > 0)
    text += " " + tr("Elements outside the limits: %L1 before, %L2 now.")
                      .arg(was->audit.failingCells)
                      .arg(is->audit.failingCells);
  m_notice->ask("improved", text,
                {{tr("keep it"), {}}, {tr("back to the mesh before"), [this, was, is] {
                                         const auto all = m_shelf->all();
                                         auto at = [&](const auto& r) {
                                           return static_cast<int>(std::find(all.begin(), all.end(), r) - all.begin());
                                         };
                                         const int mine = at(is), old = at(was);
                                         if (m_shelf->has(mine)) discardRun(mine);
                                         if (m_shelf->has(old)) showRun(old > mine ? old - 1 : old);
                                       }}});
}

void MainWindow::open(const QString& path) {
  if (path.endsWith(".brief", Qt::CaseInsensitive)) {
    auto b = loadBrief(path.toStdString());
    if (!b) return tell(b.problem());
    m_doc.reset(*b);
  } else
    m_doc.reset(defaultBrief(QFileInfo(path).absoluteFilePath().toStdString()));
  m_fresh = m_doc.brief().path.empty();
  loadPartOfBrief();
}

void MainWindow::askUnit(const std::string& unit) {
  if (!m_part || unit == m_part->unit) return;
  edit([&](Brief& b) { b.unit = unit; }, tr("unit"));
}

bool MainWindow::save() {
  if (const std::string path = m_doc.brief().path; !path.empty()) {
    auto onDisk = readFile(path);
    const bool same = onDisk && *onDisk == briefText(m_doc.brief()); // nothing of the other program's would be lost
    if (same || m_files->briefOnDisk() != FileWatch::OnDisk::Other) return writeBrief(path);
    QMessageBox box(QMessageBox::Warning, "Tesselite",
                    tr("%1 was changed by another program since it was read here.")
                        .arg(QFileInfo(QString::fromStdString(path)).fileName()),
                    QMessageBox::Cancel, this);
    box.setInformativeText(
        tr("Saving would write over that change. What is open here can be undone step by step either way."));
    auto* mine = box.addButton(tr("Write mine over it"), QMessageBox::DestructiveRole);
    auto* theirs = loadBrief(path) ? box.addButton(tr("Take the file's"), QMessageBox::ActionRole) : nullptr;
    box.setDefaultButton(QMessageBox::Cancel);
    box.exec();
    if (theirs && box.clickedButton() == theirs) takeBriefFromDisk();
    return box.clickedButton() == mine && writeBrief(path);
  }
  QString p = QFileDialog::getSaveFileName(this, tr("Save brief"), QString(), tr("Briefs (*.brief)"));
  return !p.isEmpty() && saveAs(p);
}

bool MainWindow::saveAs(const QString& chosen) {
  return writeBrief((chosen.endsWith(".brief") ? chosen : chosen + ".brief").toStdString());
}

bool MainWindow::writeBrief(const std::string& path) {
  const Brief b = movedTo(m_doc.brief(), path);
  if (auto p = saveBrief(b, b.path)) {
    tell(*p);
    return false;
  }
  m_doc.change(b, tr("save").toStdString());
  m_doc.markSaved();
  m_recovery.drop();
  m_shelf->moveWith(m_doc.brief());
  m_files->follow(m_doc.brief());
  m_notice->dismiss("brief");
  refresh();
  return true;
}

std::optional<Problem> MainWindow::writeReport(const QString& path) {
  auto run = currentRun();
  if (!run) return {};
  std::vector<ReportPicture> pictures;
  if (m_view) {
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    m_view->picture().save(&buffer, "PNG");
    pictures.push_back(
        {m_pane->hint().remove(QRegularExpression("<[^>]*>")).section(" · ", 0, 1).toStdString(), bytes.toStdString()});
  }
  const auto ofRun = m_shelf->part(m_current);
  std::string html = reportHtml(*run, ofRun ? *ofRun : *m_part, pictures);
  if (!path.endsWith(".pdf", Qt::CaseInsensitive)) return writeFileAtomic(path.toStdString(), html);
  return writePdf(QString::fromStdString(html), tr("Mesh report"), path, usualPage());
}

void MainWindow::exportTo(const std::string& path, const std::string& format) {
  Rule r;
  r.kind = "hand_over";
  r.values["path"] = path;
  if (!format.empty()) r.values["format"] = format;
  handOverAll({r});
}

void MainWindow::handOver(const std::vector<Rule>& rules) {
  auto run = currentRun();
  if (!run || !m_part || rules.empty()) return handOverAll(rules);
  Gate gate = gateOf(*run, *m_part, m_doc.brief(), rules);
  if (m_shelf->part(m_current) != m_part) {
    Problem p;
    p.code = "gate.part";
    p.what = "the part has changed since this mesh was made";
    p.why = "what is written follows the part as it was";
    p.todo = "mesh again";
    gate.objections.push_back(p);
  }
  if (gate.open()) return handOverAll(rules);
  GateDialog dialog(*run, rules, gate, this);
  const bool write = dialog.exec() == QDialog::Accepted;
  if (dialog.fix() == "gate.unnamed") {
    edit([](Brief& b) { b.rules.push_back({"stay_free", {}, "", false, {}}); }, tr("free faces"));
    return handOver(rules);
  }
  if (!write) return;
  RunResult r = *run;
  r.problems.push_back(gateOverruled(gate, dialog.reason()->text().trimmed().toStdString()));
  m_shelf->replace(m_current, std::make_shared<const RunResult>(std::move(r)));
  showRun(m_current);
  handOverAll(rules);
}

void MainWindow::handOverAll(const std::vector<Rule>& rules) {
  auto run = currentRun();
  if (!run) {
    Problem p;
    p.code = "no-mesh";
    p.what = "there is no mesh to hand over";
    p.todo = "press Mesh first";
    emit taskFailed(p);
    return;
  }
  if (m_worker->busy()) return;
  m_clock.start();
  m_worker->handOver(run, rules);
  m_runs->setBusy(true, true);
  m_runs->setProgress(tr("Writing"), 0, 0);
  refresh();
}

void MainWindow::askExport() {
  if (m_reading) return waitForPart([this] { askExport(); });
  auto run = currentRun();
  if (!run) {
    QMessageBox::information(this, tr("Hand over"), tr("There is no mesh yet. Press Mesh (Ctrl+Return) first."));
    return;
  }
  std::vector<Rule> rules;
  for (const auto& r : m_doc.brief().rules)
    if (r.kind == "hand_over" && !r.off) rules.push_back(r);
  if (!rules.empty()) return handOver(rules);
  QString p = QFileDialog::getSaveFileName(this, tr("Hand over"), QString(), writtenPatterns());
  if (!p.isEmpty()) handOver({{"hand_over", {{"path", p.toStdString()}}, "", false, {}}});
}

void MainWindow::askLimits() {
  const Brief& b = m_doc.brief();
  const Rule* judge = b.first("judge");
  const std::string file = limitsFileOf(b);
  auto set = file.empty() ? limitsByName(judge ? judge->get("purpose") : "general") : loadLimits(file);
  if (!set) return tell(set.problem());
  if (file.empty()) set->name = "own";
  QStringList groups;
  for (const auto& g : m_groups) groups << QString::fromStdString(g.name);
  LimitsDialog dialog(*set, QString::fromStdString(m_part ? m_part->unit : "mm"), groups, this);
  if (dialog.exec() != QDialog::Accepted) return;
  const QString suggested = QString::fromStdString(file.empty() ? b.resolve("own.limits") : file);
  const QString path = QFileDialog::getSaveFileName(this, tr("Keep the limits"), suggested, tr("Limits (*.limits)"));
  if (!path.isEmpty()) keepLimits(*dialog.edited(), path);
}

bool MainWindow::keepLimits(const LimitSet& set, const QString& chosen) {
  const std::string path = (chosen.endsWith(".limits") ? chosen : chosen + ".limits").toStdString();
  if (auto p = saveLimits(set, path)) {
    tell(*p);
    return false;
  }
  // Beside the brief by its name alone, so that both can be moved together.
  const std::filesystem::path brief(m_doc.brief().path), file(path);
  std::error_code ec;
  const bool beside =
      !m_doc.brief().path.empty() && std::filesystem::equivalent(brief.parent_path(), file.parent_path(), ec);
  edit(
      [&](Brief& b) {
        auto judge =
            std::find_if(b.rules.begin(), b.rules.end(), [](const Rule& r) { return r.kind == "judge" && !r.off; });
        if (judge == b.rules.end()) judge = b.rules.insert(b.rules.end(), Rule{"judge", {}, "", false, {}});
        judge->values["file"] = beside ? file.filename().string() : path;
      },
      tr("other limits"));
  m_files->knowLimits(); // written by ourselves: nothing to ask about
  m_notice->ask(
      "limits",
      tr("The limits are kept in %1; Mesh judges by them.").arg(QString::fromStdString(file.filename().string())),
      {{tr("fine"), {}}});
  return true;
}

void MainWindow::askAccept(const Limit& limit, double worst) {
  bool ok = false;
  const auto& info = metricInfo(limit.metric);
  const double to = limit.atLeast ? std::floor(worst * 100) / 100 : std::ceil(worst * 100) / 100;
  const QString reason =
      QInputDialog::getText(this, tr("Accept what fails"),
                            tr("%1 down to %2 is let pass, because")
                                .arg(QString::fromStdString(limitName(limit)),
                                     QString::fromStdString(formatNumber(to, 4)) +
                                         (info.unit == std::string("deg") ? QString(QChar(0xb0)) : QString())),
                            QLineEdit::Normal, {}, &ok)
          .trimmed();
  if (ok && !reason.isEmpty()) acceptFailing(limit, to, reason.toStdString());
}

void MainWindow::acceptFailing(const Limit& limit, double to, const std::string& reason) {
  edit(
      [&](Brief& b) {
        Rule r{"accept",
               {{"metric", metricWords()[static_cast<std::size_t>(limit.metric)]},
                {"bound", formatNumber(to, 9)},
                {"reason", reason}},
               "",
               false,
               {}};
        if (!limit.where.empty()) r.values["at"] = limit.where;
        // One acceptance per metric and place; it stands behind what it lets pass.
        std::erase_if(b.rules, [&](const Rule& x) {
          return x.kind == "accept" && x.get("metric") == r.get("metric") && x.get("at") == r.get("at");
        });
        auto at = std::find_if(b.rules.rbegin(), b.rules.rend(),
                               [](const Rule& x) { return x.kind == "judge" || x.kind == "limit"; });
        b.rules.insert(at.base(), r);
      },
      tr("accept what fails"));
  m_notice->ask("limits", tr("Accepted: press Mesh to have it judged so; the mesh itself stays."), {{tr("fine"), {}}});
}

/// Endings of parts and of meshes that open like parts.
QString MainWindow::readPatterns() {
  QString p = "*.step *.stp *.iges *.igs *.brep *.brp *.stl *.obj *.ply *.vtp *.vtk";
  for (const auto& f : meshFormats())
    for (const char* e : f.extensions)
      if (!f.surfaceOnly) p += QString(" *") + e;
  return p + " boundary"; // a file of a polyMesh
}

/// A line for each format that is one file, the solver deck first.
QString MainWindow::writtenPatterns() {
  QStringList lines;
  for (const auto& f : meshFormats()) {
    if (f.extensions.empty()) continue;
    QStringList endings;
    for (const char* e : f.extensions) endings << QString("*") + e;
    const QString line = QString("%1 (%2)").arg(f.title, endings.join(' '));
    if (f.format == MeshFormat::Inp)
      lines.prepend(line);
    else
      lines.append(line);
  }
  return lines.join(";;");
}

void MainWindow::askOpen() {
  if (!mayDiscard()) return;
  QString p = QFileDialog::getOpenFileName(this, tr("Open part, mesh or brief"), QString(),
                                           tr("Parts, meshes and briefs (%1)").arg("*.brief " + readPatterns()));
  if (!p.isEmpty()) open(p);
}

void MainWindow::tell(const Problem& p) {
  QMessageBox box(QMessageBox::Warning, "Tesselite", QString::fromStdString(p.what), QMessageBox::Ok, this);
  box.setInformativeText(
      QString::fromStdString((p.where.empty() ? "" : p.where + "\n") + (p.why.empty() ? "" : p.why + "\n") + p.todo));
  box.exec();
}

bool MainWindow::mayDiscard() {
  if (!m_doc.modified()) return true;
  auto a = QMessageBox::question(this, "Tesselite", tr("The brief has changes that are not saved."),
                                 QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel);
  return a == QMessageBox::Discard || (a == QMessageBox::Save && save());
}

namespace {
/// Keys that a field of text needs for itself: what is typed, and what edits it.
bool editsText(const QLineEdit& field, const QKeyEvent& e) {
  const auto held = e.modifiers() & ~(Qt::ShiftModifier | Qt::KeypadModifier);
  if (held == Qt::NoModifier && (!e.text().isEmpty() || e.key() < Qt::Key_F1 || e.key() > Qt::Key_F35)) return true;
  for (auto key : {QKeySequence::Copy, QKeySequence::Cut, QKeySequence::Paste, QKeySequence::SelectAll})
    if (e.matches(key)) return true;
  for (auto key : {QKeySequence::MoveToNextWord, QKeySequence::MoveToPreviousWord, QKeySequence::SelectNextWord,
                   QKeySequence::SelectPreviousWord, QKeySequence::DeleteStartOfWord, QKeySequence::DeleteEndOfWord})
    if (e.matches(key)) return true;
  return (e.matches(QKeySequence::Undo) && field.isUndoAvailable()) ||
         (e.matches(QKeySequence::Redo) && field.isRedoAvailable());
}
} // namespace

QAction* MainWindow::actionOf(const QKeyEvent& e) const {
  const QKeySequence key(e.keyCombination());
  for (const Command& c : m_commands)
    if (c.action->isEnabled() && !c.action->shortcut().isEmpty() && c.action->shortcut() == key) return c.action;
  return nullptr;
}

bool MainWindow::eventFilter(QObject* o, QEvent* e) {
  // Fields of text take Ctrl+E, Ctrl+K and others for editing of old terminals, and a list that is open below one keeps
  // all keys: the keys of the menus hold everywhere but for what types and edits.
  if (e->type() == QEvent::ShortcutOverride) {
    auto* field = qobject_cast<QLineEdit*>(o);
    const auto& key = *static_cast<QKeyEvent*>(e);
    if (field && field->window() == this && !editsText(*field, key) && actionOf(key)) {
      e->ignore();
      return true;
    }
  }
  if (e->type() == QEvent::KeyPress)
    if (auto* list = QApplication::activePopupWidget();
        list && o == list && !qobject_cast<QMenu*>(list) && isActiveWindow() && !QApplication::activeModalWidget()) {
      const auto& key = *static_cast<QKeyEvent*>(e);
      auto* field = qobject_cast<QLineEdit*>(focusWidget());
      if (QAction* action = actionOf(key); action && field && !editsText(*field, key)) {
        list->hide();
        action->trigger();
        return true;
      }
    }
  return QMainWindow::eventFilter(o, e);
}

void MainWindow::closeEvent(QCloseEvent* e) {
  if (!mayDiscard()) return e->ignore();
  for (auto* w : {m_worker, m_sizer, m_forecaster, m_measurer, m_previewer, m_teller}) w->stop();
  m_keep.stop();
  m_recovery.drop();
  QSettings().setValue("geometry", saveGeometry());
  e->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}
void MainWindow::dropEvent(QDropEvent* e) {
  for (const auto& u : e->mimeData()->urls())
    if (u.isLocalFile() && mayDiscard()) return open(u.toLocalFile());
}

} // namespace tess
