// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/limits_dialog.h"
#include "app/widgets.h"
#include "base/units.h"
#include "job/limit_file.h"
#include "job/limits.h"
#include "job/rules.h"
#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

namespace tess {
namespace {
enum Column { kMetric, kSense, kBound, kAt, kSource, kColumns };

} // namespace

LimitsDialog::LimitsDialog(const LimitSet& set, const QString& unit, const QStringList& groups, QWidget* parent)
    : QDialog(parent), m_set(set), m_unit(unit), m_groups(groups) {
  setObjectName("paper");
  setWindowTitle(tr("Limits"));
  resize(760, 480);
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(18, 16, 18, 16);
  box->setSpacing(8);
  auto* names = new QFormLayout;
  names->addRow(tr("Name of the set"), m_name = new QLineEdit(QString::fromStdString(set.name)));
  names->addRow(tr("Good for"), m_purpose = new QLineEdit(QString::fromStdString(set.purpose)));
  box->addLayout(names);
  m_table = new QTableWidget(0, kColumns);
  m_table->setAccessibleName(tr("Limits"));
  m_table->setHorizontalHeaderLabels({tr("Metric"), "", tr("Bound"), tr("Only at"), tr("Where the figure comes from")});
  m_table->verticalHeader()->hide();
  m_table->verticalHeader()->setDefaultSectionSize(34);
  m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
  m_table->setSelectionMode(QAbstractItemView::SingleSelection);
  m_table->horizontalHeader()->setStretchLastSection(true);
  for (auto [column, width] : {std::pair(kMetric, 180), {kSense, 96}, {kBound, 84}, {kAt, 145}})
    m_table->setColumnWidth(column, width);
  for (const Limit& l : set.limits) {
    m_table->insertRow(m_table->rowCount());
    put(m_table->rowCount() - 1, l);
  }
  box->addWidget(m_table, 1);
  auto* rows = new QHBoxLayout;
  auto *more = linkButton(tr("another limit")), *less = linkButton(tr("take this one out"));
  rows->addWidget(more);
  rows->addWidget(less);
  rows->addStretch();
  box->addLayout(rows);
  connect(more, &QToolButton::clicked, this, &LimitsDialog::addRow);
  connect(less, &QToolButton::clicked, this, &LimitsDialog::removeRow);
  box->addWidget(m_wrong = new QLabel);
  m_wrong->setObjectName("problem");
  m_wrong->setWordWrap(true);
  auto* buttons = new QHBoxLayout;
  auto* back = new QPushButton(tr("Leave them as they are"));
  m_keep = new QPushButton(tr("Keep in a file…"));
  m_keep->setObjectName("go");
  buttons->addStretch();
  buttons->addWidget(back);
  buttons->addWidget(m_keep);
  box->addLayout(buttons);
  connect(back, &QPushButton::clicked, this, &QDialog::reject);
  connect(m_keep, &QPushButton::clicked, this, &QDialog::accept);
  connect(m_table, &QTableWidget::itemChanged, this, &LimitsDialog::check);
  for (auto* e : {m_name, m_purpose}) connect(e, &QLineEdit::textChanged, this, &LimitsDialog::check);
  check();
}

void LimitsDialog::put(int row, const Limit& l) {
  const QSignalBlocker quiet(m_table);
  auto* metric = new QComboBox;
  for (int k = 0; k < kMetrics; ++k) metric->addItem(metricInfo(static_cast<Metric>(k)).name);
  metric->setCurrentIndex(static_cast<int>(l.metric));
  m_table->setCellWidget(row, kMetric, metric);
  auto* sense = new QComboBox;
  sense->addItems({tr("at most"), tr("at least")});
  sense->setAccessibleName(tr("Which value the bound is"));
  m_table->setCellWidget(row, kSense, sense);
  auto tell = [sense](int k) { // as usual for the metric
    const auto& info = metricInfo(static_cast<Metric>(k));
    sense->setCurrentIndex(info.highIsGood);
    sense->setToolTip(QString(info.definition) + ". " + info.range);
  };
  tell(metric->currentIndex());
  sense->setCurrentIndex(l.atLeast);
  connect(sense, &QComboBox::currentIndexChanged, this, &LimitsDialog::check);
  connect(metric, &QComboBox::currentIndexChanged, this, [this, tell](int k) {
    tell(k);
    check();
  });
  m_table->setItem(
      row, kBound,
      new QTableWidgetItem(QString::fromStdString(formatNumber(l.bound, 9) + (l.timesTarget ? " x" : ""))));
  m_table->item(row, kBound)
      ->setToolTip(tr("a number; angles in degrees, lengths in %1 or, as \"0.2 x\", as a multiple of the target size")
                       .arg(m_unit));
  auto* at = new QComboBox;
  QStringList words; // of the types it judges, which the row keeps
  QVariantList types;
  for (ElementType t : l.types) {
    words << QString::fromStdString(elementWord(t));
    types << static_cast<int>(t);
  }
  at->addItem(words.isEmpty() ? tr("all elements") : tr("all %1").arg(words.join(", ")), QString());
  QStringList all = m_groups;
  if (const QString own = QString::fromStdString(l.where); !own.isEmpty() && !all.contains(own)) all << own;
  for (const QString& g : all) at->addItem(g, g);
  at->setCurrentIndex(std::max(0, at->findData(QString::fromStdString(l.where))));
  connect(at, &QComboBox::currentIndexChanged, this, &LimitsDialog::check);
  m_table->setCellWidget(row, kAt, at);
  m_table->setItem(row, kSource, new QTableWidgetItem(QString::fromStdString(l.source)));
  m_table->item(row, kSource)->setData(Qt::UserRole, types);
}

void LimitsDialog::addRow() {
  // A metric that the set does not judge yet.
  std::vector<char> judged(kMetrics, 0);
  for (int r = 0; r < m_table->rowCount(); ++r)
    judged[static_cast<std::size_t>(static_cast<QComboBox*>(m_table->cellWidget(r, kMetric))->currentIndex())] = 1;
  int k = 0;
  while (k + 1 < kMetrics && judged[static_cast<std::size_t>(k)]) ++k;
  const auto& info = metricInfo(static_cast<Metric>(k));
  m_table->insertRow(m_table->rowCount());
  put(m_table->rowCount() - 1,
      {static_cast<Metric>(k), info.highIsGood, std::isfinite(info.best) ? 0.5 * info.best : 1, "our own experience"});
  m_table->selectRow(m_table->rowCount() - 1);
  m_table->scrollToBottom();
  check();
}

void LimitsDialog::removeRow() {
  if (m_table->currentRow() >= 0) m_table->removeRow(m_table->currentRow());
  check();
}

Result<LimitSet> LimitsDialog::edited() const {
  LimitSet r = m_set;
  r.name = m_name->text().trimmed().toStdString();
  r.purpose = m_purpose->text().trimmed().toStdString();
  r.limits.clear();
  Problem p;
  p.fault = Fault::Usage;
  p.code = "limits.edit";
  auto bad = [&](const QString& why) {
    p.what = why.toStdString();
    return p;
  };
  if (r.name.empty() || r.purpose.empty()) return bad(tr("The set needs a name, and words for what it is good for."));
  for (int row = 0; row < m_table->rowCount(); ++row) {
    Limit l{
        static_cast<Metric>(static_cast<QComboBox*>(m_table->cellWidget(row, kMetric))->currentIndex()), false, 0, {}};
    const auto& info = metricInfo(l.metric);
    l.atLeast = static_cast<QComboBox*>(m_table->cellWidget(row, kSense))->currentIndex() == 1;
    const QString text = m_table->item(row, kBound)->text().trimmed();
    bool number = false;
    l.bound = text.toDouble(&number);
    if (auto share = parseMultiple(text.toStdString())) {
      if (!isLength(l.metric)) return bad(tr("%1: only lengths can be multiples of the target size.").arg(info.name));
      l.bound = *share;
      l.timesTarget = number = true;
    }
    if (!number || !std::isfinite(l.bound)) return bad(tr("%1: '%2' is no number.").arg(info.name, text));
    l.where = static_cast<QComboBox*>(m_table->cellWidget(row, kAt))->currentData().toString().toStdString();
    l.source = m_table->item(row, kSource)->text().trimmed().toStdString();
    for (const QVariant& t : m_table->item(row, kSource)->data(Qt::UserRole).toList())
      l.types.push_back(static_cast<ElementType>(t.toInt()));
    for (const auto& x : r.limits)
      if (x.alike(l) && x.where == l.where) return bad(tr("%1 stands there twice.").arg(info.name));
    // What was accepted stays accepted while the limit is the same.
    for (const auto& x : m_set.limits)
      if (x.alike(l) && x.where == l.where && x.bound == l.bound) l.accepted = x.accepted;
    r.limits.push_back(std::move(l));
  }
  if (r.limits.empty() && r.notAllowed.empty()) return bad(tr("A set without limits judges nothing."));
  return r;
}

void LimitsDialog::check() {
  auto r = edited();
  m_wrong->setText(r ? QString() : QString::fromStdString(r.problem().what));
  m_keep->setEnabled(r.ok());
}

} // namespace tess
