// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/alternatives_dialog.h"
#include "app/compare_dialog.h"
#include "app/run_keeper.h"
#include "app/widgets.h"
#include <QFileInfo>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QScrollArea>
#include <QTableWidget>
#include <QTextDocumentFragment>
#include <QToolButton>
#include <QVBoxLayout>

namespace tess {
namespace {

QString nameOf(const Brief& b) {
  return b.path.empty() ? AlternativesDialog::tr("unsaved brief")
                        : QFileInfo(QString::fromStdString(b.path)).completeBaseName();
}

} // namespace

AlternativesDialog::AlternativesDialog(QWidget* parent) : QDialog(parent), m_worker(new MeshWorker(this)) {
  setWindowTitle(tr("Alternatives"));
  setObjectName("paper");
  resize(760, 740);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(18, 16, 18, 16);
  auto* what =
      new QLabel(tr("Briefs in this folder that are for the same part. Double-click a column to open its brief."));
  what->setObjectName("small");
  what->setWordWrap(true);
  all->addWidget(what);
  all->addWidget(m_filter = filterLine(tr("filter briefs")));
  connect(m_filter, &QLineEdit::textChanged, this, &AlternativesDialog::fill);
  m_table = new QTableWidget(0, 1);
  m_table->verticalHeader()->hide();
  m_table->setEditTriggers(QAbstractItemView::NoEditTriggers);
  m_table->setSelectionMode(QAbstractItemView::NoSelection);
  m_table->setAccessibleName(tr("Figures of all alternatives; the best is bold and marked"));
  all->addWidget(m_table, 4);
  auto openColumn = [this](int column) {
    const auto i = static_cast<std::size_t>(column - 1);
    if (column > 0 && i < m_briefs.size()) emit openWanted(QString::fromStdString(m_briefs[i].path));
  };
  connect(m_table, &QTableWidget::cellDoubleClicked, this, [openColumn](int, int column) { openColumn(column); });
  connect(m_table->horizontalHeader(), &QHeaderView::sectionDoubleClicked, this, openColumn);
  auto* head = new QLabel(tr("CARDS THAT DIFFER"));
  head->setObjectName("section");
  all->addWidget(head);
  auto* scroll = new QScrollArea;
  scroll->setWidgetResizable(true);
  auto* body = new QWidget;
  body->setObjectName("paper");
  auto* text = new QVBoxLayout(body);
  text->setContentsMargins(0, 0, 8, 0);
  text->addWidget(m_rules = new QLabel);
  text->addStretch();
  scroll->setWidget(body);
  m_rules->setWordWrap(true);
  m_rules->setTextInteractionFlags(Qt::TextSelectableByMouse);
  all->addWidget(scroll, 1);
  auto* busy = new QHBoxLayout;
  busy->addWidget(m_stage = new QLabel, 1);
  m_progress = new QProgressBar;
  m_progress->setRange(0, 1000);
  m_progress->setTextVisible(false);
  m_progress->setFixedWidth(160);
  busy->addWidget(m_progress);
  all->addLayout(busy);
  auto* row = new QHBoxLayout;
  auto* another = linkButton(tr("keep the open brief under another name…"));
  connect(another, &QToolButton::clicked, this, &AlternativesDialog::anotherWanted);
  row->addWidget(another);
  row->addStretch();
  row->addWidget(m_stop = new QPushButton(tr("Stop")));
  row->addWidget(m_mesh = new QPushButton(tr("Mesh what has no run")));
  m_mesh->setObjectName("go");
  all->addLayout(row);
  connect(m_stop, &QPushButton::clicked, m_worker, &MeshWorker::stop);
  connect(m_mesh, &QPushButton::clicked, this, [this] {
    std::fill(m_failed.begin(), m_failed.end(), QString());
    meshNext(0);
  });
  connect(m_worker, &MeshWorker::progressed, this, [this](const QString& stage, double share) {
    if (m_meshing < 0) return;
    m_stage->setText(nameOf(m_briefs[static_cast<std::size_t>(m_meshing)]) + " · " + stage);
    m_progress->setValue(static_cast<int>(1000 * share));
  });
  connect(m_worker, &MeshWorker::alternativeDone, this, [this](std::shared_ptr<const RunResult> run) {
    const int at = m_meshing;
    m_runs[static_cast<std::size_t>(at)] = run;
    fill();
    if (at == 0) emit openMeshed(run, m_part, m_file);
    meshNext(at + 1);
  });
  connect(m_worker, &MeshWorker::failed, this, [this](const Problem& p) {
    const int at = m_meshing;
    if (at < 0) return;
    m_failed[static_cast<std::size_t>(at)] = QString::fromStdString(p.sentence());
    fill();
    meshNext(at + 1); // one that fails leaves the others
  });
  connect(m_worker, &MeshWorker::stopped, this, [this] {
    m_meshing = -1;
    fill();
    emit ready();
  });
  connect(m_worker, &MeshWorker::recalled, this, [this](const std::vector<RecalledRun>& runs) {
    // A kept run counts when it was made from the brief as it is now, and from the part as it is now.
    const std::string stamp = m_part ? partStampOf(m_part->path) : "";
    for (const auto& r : runs)
      for (std::size_t i = 0; i < m_briefs.size(); ++i)
        if (r.partStamp == stamp && r.run->brief.rules == m_briefs[i].rules && r.run->brief.unit == m_briefs[i].unit)
          m_runs[i] = r.run;
    fill();
    emit ready();
  });
}

AlternativesDialog::~AlternativesDialog() { m_worker->stop(); }

void AlternativesDialog::hideEvent(QHideEvent* e) {
  m_worker->stop();
  QDialog::hideEvent(e);
}

QString AlternativesDialog::differences() const { return m_rules->text(); }

void AlternativesDialog::compare(const Brief& open, std::shared_ptr<const Part> part, const PartOptions& readWith,
                                 std::shared_ptr<const RunResult> shown) {
  m_worker->drop();
  m_meshing = -1;
  m_part = std::move(part);
  m_readWith = readWith;
  m_briefs = alternativesOf(open);
  m_runs.assign(m_briefs.size(), nullptr);
  m_failed.assign(m_briefs.size(), {});
  // What is on show may still be on its way to the disk.
  if (shown && !m_briefs.empty() && shown->brief.rules == m_briefs[0].rules && shown->brief.unit == m_briefs[0].unit)
    m_runs[0] = std::move(shown);
  QStringList newest;
  for (const Brief& b : m_briefs) {
    RunKeeper k;
    k.follow(b);
    if (const QStringList files = k.files(); !files.isEmpty()) newest << files.last();
  }
  fill();
  m_worker->recall(newest);
}

void AlternativesDialog::fill() {
  std::vector<const RunResult*> runs;
  QStringList heads{QString()};
  for (std::size_t i = 0; i < m_briefs.size(); ++i) {
    runs.push_back(m_runs[i].get());
    heads << nameOf(m_briefs[i]) + (i == 0                  ? "\n" + tr("open now")
                                    : m_failed[i].isEmpty() ? QString()
                                                            : "\n" + tr("failed"));
  }
  m_table->setColumnCount(static_cast<int>(heads.size()));
  m_table->setHorizontalHeaderLabels(heads);
  fillComparison(*m_table, compareRuns(runs));
  for (std::size_t i = 0; i < m_failed.size(); ++i)
    m_table->horizontalHeaderItem(static_cast<int>(i) + 1)->setToolTip(m_failed[i]);
  m_table->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
  m_table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
  QString text;
  constexpr std::size_t many = 6;
  m_filter->setVisible(m_briefs.size() >= many);
  for (std::size_t i = 1; i < m_briefs.size(); ++i) {
    const QString differ = inWords(differingRules(m_briefs[0], m_briefs[i]));
    const bool left =
        m_briefs.size() < many ||
        wordsIn(m_filter->text(), nameOf(m_briefs[i]) + ' ' + QTextDocumentFragment::fromHtml(differ).toPlainText());
    m_table->setColumnHidden(static_cast<int>(i) + 1, !left);
    if (!left) continue;
    text += "<p style='margin: 6px 0 2px 0'><b>" + nameOf(m_briefs[i]).toHtmlEscaped() + "</b>" +
            (differ.isEmpty() ? tr(": no card differs") : QString()) + "</p>" + differ;
    if (!m_failed[i].isEmpty()) text += "<p style='margin: 0 0 4px 0'><i>" + m_failed[i].toHtmlEscaped() + "</i></p>";
  }
  if (m_briefs.size() == 1)
    text = tr(
        "There is no other brief for this part here yet: keep the open one under another name, and change its cards.");
  m_rules->setText(text);
  const bool missing = std::any_of(m_runs.begin(), m_runs.end(), [](const auto& r) { return !r; });
  m_mesh->setEnabled(missing && m_meshing < 0 && m_part);
  m_stop->setVisible(m_meshing >= 0);
  m_progress->setVisible(m_meshing >= 0);
  if (m_meshing < 0) m_stage->setText(missing ? tr("no run yet of some") : QString());
}

void AlternativesDialog::meshNext(int from) {
  m_meshing = -1;
  for (int i = from; m_meshing < 0 && i < static_cast<int>(m_briefs.size()); ++i)
    if (!m_runs[static_cast<std::size_t>(i)]) m_meshing = i;
  fill();
  if (m_meshing < 0) {
    emit ready();
    return;
  }
  const Brief& b = m_briefs[static_cast<std::size_t>(m_meshing)];
  RunKeeper k;
  k.follow(b);
  m_file = k.freshFile();
  m_worker->alternative(b, m_part, m_readWith, m_file);
}

} // namespace tess
