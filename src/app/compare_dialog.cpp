// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/compare_dialog.h"
#include "app/widgets.h"
#include <QComboBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QTableWidget>
#include <QToolButton>
#include <QVBoxLayout>

namespace tess {

void fillComparison(QTableWidget& table, const std::vector<CompareRow>& rows) {
  table.setRowCount(static_cast<int>(rows.size()));
  for (int r = 0; r < static_cast<int>(rows.size()); ++r) {
    const CompareRow& row = rows[static_cast<std::size_t>(r)];
    auto put = [&](int column, const std::string& text, bool good) {
      auto* item = new QTableWidgetItem(QString::fromStdString(text) + (good ? " ✓" : ""));
      QFont f = item->font();
      f.setBold(good);
      item->setFont(f);
      table.setItem(r, column, item);
    };
    put(0, row.what, false);
    for (int k = 0; k < static_cast<int>(row.values.size()); ++k)
      put(k + 1, row.values[static_cast<std::size_t>(k)], row.best == k);
  }
  // Close rows, so that all figures are seen at once; verdicts of several words take more than one.
  table.verticalHeader()->setMinimumSectionSize(table.fontMetrics().height() + 8);
  table.resizeRowsToContents();
}

QString inWords(const std::vector<RuleDifference>& differences) {
  auto side = [](const std::string& t) {
    return t.empty() ? "<i>" + CompareDialog::tr("not there") + "</i>" : QString::fromStdString(t).toHtmlEscaped();
  };
  QString r;
  for (const auto& d : differences)
    r += "<p style='margin: 0 0 4px 0'>" + side(d.first) + " → " + side(d.second) + "</p>";
  return r;
}

CompareDialog::CompareDialog(QWidget* parent) : QDialog(parent) {
  setWindowTitle(tr("Compare two runs"));
  setObjectName("paper");
  resize(560, 660);
  auto* all = new QVBoxLayout(this);
  auto* row = new QHBoxLayout;
  auto side = [&](QComboBox*& box, const QString& name) {
    box = new QComboBox;
    box->setAccessibleName(name);
    auto* show = linkButton(tr("show"));
    connect(show, &QToolButton::clicked, this, [this, box] { emit showRun(box->currentIndex()); });
    connect(box, &QComboBox::currentIndexChanged, this, [this] { compare(); });
    row->addWidget(box, 1);
    row->addWidget(show);
  };
  side(m_first, tr("First run"));
  side(m_second, tr("Second run"));
  all->addLayout(row);
  m_beside = new QToolButton;
  m_beside->setObjectName("chip");
  m_beside->setCheckable(true);
  m_beside->setText(tr("Show both side by side"));
  m_beside->setToolTip(tr("Both meshes in the window, from the same side, in the same lens and section"));
  connect(m_beside, &QToolButton::toggled, this, [this] { compare(); });
  all->addWidget(m_beside, 0, Qt::AlignLeft);
  m_table = new QTableWidget(0, 3);
  m_table->setHorizontalHeaderLabels({tr("figure"), tr("first"), tr("second")});
  m_table->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
  m_table->verticalHeader()->hide();
  m_table->setEditTriggers(QAbstractItemView::NoEditTriggers);
  m_table->setSelectionMode(QAbstractItemView::NoSelection);
  m_table->setAccessibleName(tr("Figures of both runs; the better one is bold and marked"));
  all->addWidget(m_table, 1);
  auto* head = new QLabel(tr("CARDS THAT DIFFER"));
  head->setObjectName("section");
  all->addWidget(head);
  m_rules = new QLabel;
  m_rules->setWordWrap(true);
  m_rules->setTextInteractionFlags(Qt::TextSelectableByMouse);
  all->addWidget(m_rules);
}

QString CompareDialog::differences() const { return m_rules->text(); }

void CompareDialog::hideEvent(QHideEvent* e) {
  m_beside->setChecked(false);
  QDialog::hideEvent(e);
}

void CompareDialog::setRuns(std::vector<std::shared_ptr<const RunResult>> runs) {
  m_runs = std::move(runs);
  for (auto* box : {m_first, m_second}) {
    QSignalBlocker quiet(box);
    box->clear();
    for (std::size_t i = 0; i < m_runs.size(); ++i)
      box->addItem(tr("Run %1 · %L2 elements").arg(i + 1).arg(m_runs[i]->mesh.cells.size()));
  }
  QSignalBlocker a(m_first), b(m_second);
  m_first->setCurrentIndex(std::max(0, static_cast<int>(m_runs.size()) - 2));
  m_second->setCurrentIndex(static_cast<int>(m_runs.size()) - 1);
  compare();
}

void CompareDialog::compare() {
  int i = m_first->currentIndex(), j = m_second->currentIndex();
  if (i < 0 || j < 0) return;
  emit besideWanted(m_beside->isChecked() ? i : -1, m_beside->isChecked() ? j : -1);
  const RunResult &x = *m_runs[static_cast<std::size_t>(i)], &y = *m_runs[static_cast<std::size_t>(j)];
  auto rows = compareRuns({&x, &y});
  fillComparison(*m_table, rows);
  QString text = inWords(differingRules(x.brief, y.brief));
  if (text.isEmpty())
    text = x.improved != y.improved ? tr("none: the second was improved %1×").arg(y.improved) : tr("none");
  if (!samePart({&x, &y}))
    text = (x.brief == y.brief ? QString() : text + "<br>") + tr("the part itself has changed between the two runs");
  m_rules->setText(text);
}

} // namespace tess
