// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/audit_panel.h"
#include "app/class_bar.h"
#include "app/finding_card.h"
#include "app/theme.h"
#include "app/widgets.h"
#include "job/limits.h"
#include <QApplication>
#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QRegularExpression>
#include <QScrollArea>
#include <QScrollBar>
#include <QSignalBlocker>
#include <QToolButton>
#include <QVBoxLayout>
#include <set>

namespace tess {
namespace {

constexpr std::size_t kMany = 6; ///< rows that want a filter: fewer are seen at once
constexpr std::size_t kManyPlaces = 10;
constexpr int kPlaceRows = 4; ///< worst places listed at a time

QString withUnit(double v, const MetricInfo& m, const std::string& unit) {
  QString s = QString::number(v, 'g', 3);
  std::string u = m.unit;
  if (u == "deg") return s + "°";
  if (u == "L") return s + " " + QString::fromStdString(unit);
  if (u == "L3") return s + " " + QString::fromStdString(unit) + "³";
  return s;
}

} // namespace

AuditPanel::AuditPanel(QWidget* parent) : QWidget(parent) {
  setObjectName("paper");
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(0, 0, 0, 0);
  auto* scroll = new QScrollArea;
  scroll->setWidgetResizable(true);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  outer->addWidget(scroll);
  auto* body = new QWidget;
  body->setObjectName("paper");
  scroll->setWidget(body);
  auto* box = m_box = new QVBoxLayout(body);
  box->setContentsMargins(14, 12, 12, 12);
  box->setSpacing(5);
  box->addWidget(m_verdict = styledLabel({}, "verdict"));
  box->addWidget(m_detail = styledLabel({}, "small"));
  box->addWidget(m_classes = new ClassBar);
  box->addWidget(m_findingsAhead = flushLink({}), 0, Qt::AlignLeft);
  m_findingsAhead->setToolTip(tr("go down to the findings"));
  connect(m_findingsAhead, &QToolButton::clicked, this,
          [this, scroll] { scroll->verticalScrollBar()->setValue(m_findingsTitle->y() - 6); });
  box->addSpacing(4);
  m_metric = new QComboBox;
  m_metric->setAccessibleName(tr("Metric"));
  for (int k = 0; k < kMetrics; ++k) m_metric->addItem(metricInfo(static_cast<Metric>(k)).name);
  m_metric->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  auto* what = new QHBoxLayout;
  what->setSpacing(6);
  what->addWidget(m_metric, 1);
  m_heights = flushLink(tr("other heights"));
  m_heights->setToolTip(tr("how heights tell counts: by square root, by logarithm, or as they are"));
  what->addWidget(m_heights);
  box->addLayout(what);
  m_counted = new QComboBox;
  m_counted->setAccessibleName(tr("Elements counted"));
  m_counted->setToolTip(tr("which elements the histogram counts"));
  box->addWidget(m_counted);
  box->addWidget(m_histogram = new Histogram);
  box->addWidget(m_definition = styledLabel({}, "small"));
  box->addSpacing(4);
  auto* limitsRow = new QHBoxLayout;
  limitsRow->addWidget(styledLabel(tr("LIMITS"), "section", false));
  limitsRow->addStretch();
  m_editLimits = flushLink(tr("change"));
  m_editLimits->setToolTip(tr("other bounds, in a file that can be shared"));
  connect(m_editLimits, &QToolButton::clicked, this, &AuditPanel::editLimits);
  limitsRow->addWidget(m_editLimits);
  box->addLayout(limitsRow);
  m_limits = new QVBoxLayout;
  m_limits->setSpacing(0);
  box->addLayout(m_limits);
  box->addSpacing(4);
  auto* row = new QHBoxLayout;
  m_worstTitle = styledLabel({}, "section", false);
  row->addWidget(m_worstTitle);
  row->addStretch();
  auto *previous = linkButton("‹"), *next = linkButton("›");
  previous->setAccessibleName(tr("Previous worst place"));
  next->setAccessibleName(tr("Next worst place"));
  previous->setToolTip(tr("previous (,)"));
  next->setToolTip(tr("next (.)"));
  row->addWidget(previous);
  row->addWidget(next);
  box->addLayout(row);
  box->addWidget(m_placeFilter = filterLine(tr("filter places")));
  connect(m_placeFilter, &QLineEdit::textChanged, this, &AuditPanel::listPlaces);
  m_placeRows = new QVBoxLayout;
  m_placeRows->setSpacing(0);
  box->addLayout(m_placeRows);
  box->addWidget(m_worst = styledLabel({}, "small"));
  box->addWidget(m_improve = flushLink(tr("improve here")), 0, Qt::AlignLeft);
  m_improve->setToolTip(tr("better elements at this place and around it; the rest of the mesh stays"));
  connect(m_improve, &QToolButton::clicked, this, [this] { emit improveWanted(m_here); });
  m_card = new QVBoxLayout;
  m_card->setSpacing(0);
  box->addLayout(m_card);
  box->addSpacing(4);
  box->addWidget(m_findingsTitle = styledLabel({}, "section"));
  box->addWidget(m_findingFilter = filterLine(tr("filter findings")));
  connect(m_findingFilter, &QLineEdit::textChanged, this, &AuditPanel::fillFindings);
  m_findingRows = new QVBoxLayout;
  m_findingRows->setSpacing(4);
  box->addLayout(m_findingRows);
  box->addStretch();
  connect(m_metric, &QComboBox::currentIndexChanged, this, [this](int) {
    refreshMetric();
    emit metricChanged(metric());
  });
  connect(m_counted, &QComboBox::currentIndexChanged, this, [this](int) {
    const bool brushed = m_histogram->brushed();
    refreshHistogram();
    if (brushed) emit brushChanged({}, false);
  });
  connect(m_heights, &QToolButton::clicked, this, [this] {
    m_histogram->setHeights(static_cast<Histogram::Heights>((static_cast<int>(m_histogram->heights()) + 1) % 3));
  });
  connect(m_histogram, &Histogram::brushChanged, this, [this] {
    std::vector<std::int32_t> cells;
    if (m_run && m_histogram->brushed()) {
      const auto& v = m_run->audit.metrics[static_cast<std::size_t>(metric())].value;
      for (std::size_t c = 0; c < v.size(); ++c)
        if (m_histogram->chosen(c)) cells.push_back(static_cast<std::int32_t>(c));
    }
    emit brushChanged(cells, m_histogram->brushed());
  });
  connect(previous, &QToolButton::clicked, this, [this] { stepWorst(-1); });
  connect(next, &QToolButton::clicked, this, [this] { stepWorst(1); });
  setRun(nullptr);
  setFindings({});
}

Metric AuditPanel::metric() const { return static_cast<Metric>(std::max(0, m_metric->currentIndex())); }
void AuditPanel::setMetric(Metric m) { m_metric->setCurrentIndex(static_cast<int>(m)); }

namespace {
/// "31,744 hex8, 1,024 pyramid5", most of them first.
QString countsByType(const RunResult& run) {
  std::array<std::size_t, kElementTypes> count{};
  for (auto t : run.mesh.cells.type) ++count[static_cast<std::size_t>(t)];
  std::vector<ElementType> types = run.audit.types;
  std::stable_sort(types.begin(), types.end(), [&](ElementType a, ElementType b) {
    return count[static_cast<std::size_t>(a)] > count[static_cast<std::size_t>(b)];
  });
  QStringList r;
  for (auto t : types)
    r << QString("%1 %2").arg(QLocale().toString(static_cast<qulonglong>(count[static_cast<std::size_t>(t)])),
                              QString::fromUtf8(topology(t).name.data()));
  return r.join(", ");
}
} // namespace

void AuditPanel::setRun(std::shared_ptr<const RunResult> run) {
  m_run = std::move(run);
  m_near.reset();
  m_onCard = -1;
  m_worstAt = -1;
  m_classes->setClasses(m_run ? m_run->audit.classes : decltype(m_run->audit.classes){});
  if (!m_run) {
    m_verdict->setText(tr("No mesh yet"));
    m_detail->setText(tr("Press Mesh (Ctrl+Return) and the verdict stands here."));
  } else {
    QLocale loc;
    m_verdict->setText(QString::fromStdString(m_run->audit.sentence));
    const auto& a = m_run->audit;
    m_detail->setText(
        tr("%1 of %2 elements fail %3 limits · %4 nodes · volume %5 % of the part's")
            .arg(loc.toString(static_cast<qulonglong>(a.failingCells + a.notAllowedCells)))
            .arg(loc.toString(static_cast<qulonglong>(m_run->mesh.cells.size())))
            .arg(a.results.size())
            .arg(loc.toString(static_cast<qulonglong>(m_run->mesh.nodes.size())))
            .arg(QString::number(100 * m_run->audit.volume / std::max(1e-300, m_run->geometryVolume), 'f', 3)) +
        (a.types.size() > 1 ? "\n" + countsByType(*m_run) : QString()));
  }
  fillCounted();
  refreshMetric();
  refreshLimits();
}

void AuditPanel::refreshMetric() {
  const MetricInfo& info = metricInfo(metric());
  m_definition->setText(QString("%1. %2").arg(QString(info.definition)).arg(QString(info.range)));
  m_places.clear();
  if (m_run) m_places = worstPlaces(m_run->mesh, m_run->audit, metric());
  m_placed = 0;
  for (const auto& p : m_places) m_placed += p.cells.size();
  m_placeFilter->setVisible(m_places.size() >= kManyPlaces);
  {
    const QSignalBlocker quiet(m_placeFilter);
    m_placeFilter->clear();
  }
  listPlaces();
  if (!m_run) {
    m_histogram->setValues(nullptr, {});
    return;
  }
  refreshHistogram();
  const auto& x = m_run->audit.metrics[static_cast<std::size_t>(metric())];
  if (!x.known && !x.value.empty())
    m_definition->setText(m_definition->text() + tr(". It says nothing of these elements"));
  else if (!x.value.empty())
    m_definition->setText(m_definition->text() + tr(". Mean here %1").arg(withUnit(x.mean, info, m_run->mesh.unit)));
}

/// Regions and element types, where there is more than one of them.
void AuditPanel::fillCounted() {
  const QSignalBlocker quiet(m_counted);
  const QString before = m_counted->currentText();
  m_counted->clear();
  m_counted->addItem(tr("all elements"));
  if (m_run) {
    const Mesh& m = m_run->mesh;
    if (m.regions.size() > 1)
      for (std::size_t r = 0; r < m.regions.size(); ++r)
        m_counted->addItem(tr("in %1").arg(QString::fromStdString(m.regions[r])), QPoint(0, static_cast<int>(r)));
    const auto& types = m_run->audit.types;
    if (types.size() > 1)
      for (ElementType t : types)
        m_counted->addItem(QString::fromUtf8(topology(t).name.data()), QPoint(1, static_cast<int>(t)));
  }
  m_counted->setCurrentIndex(std::max(0, m_counted->findText(before)));
  m_counted->setVisible(m_counted->count() > 1);
  m_heights->setVisible(m_run != nullptr);
}

void AuditPanel::refreshHistogram() {
  if (!m_run) return;
  std::vector<char> only;
  if (m_counted->currentIndex() > 0) {
    const QPoint what = m_counted->currentData().toPoint();
    const Mesh& m = m_run->mesh;
    for (std::size_t c = 0; c < m.cells.size(); ++c)
      only.push_back((what.x() == 0 ? m.cellRegion[c] : static_cast<int>(m.cells.type[c])) == what.y());
  }
  m_histogram->setValues(&m_run->audit.metrics[static_cast<std::size_t>(metric())].value,
                         QualityScale(m_run->audit, metric()), std::move(only));
}

void AuditPanel::refreshLimits() {
  emptyLayout(m_limits);
  if (!m_run) {
    m_limits->addWidget(styledLabel(tr("chosen by the Judge card"), "small"));
    return;
  }
  auto* host = new QWidget;
  auto* table = new QGridLayout(host);
  table->setContentsMargins(0, 0, 0, 0);
  table->setVerticalSpacing(1);
  table->setHorizontalSpacing(5);
  int row = 0;
  for (const auto& r : m_run->audit.results) {
    const auto& info = metricInfo(r.limit.metric);
    auto* name = flushLink(QString::fromStdString(limitName(r.limit)));
    Metric m = r.limit.metric;
    name->setToolTip(QString::fromStdString(r.limit.source));
    connect(name, &QToolButton::clicked, this, [this, m] { setMetric(m); });
    auto* got = styledLabel(withUnit(r.worst, info, m_run->mesh.unit), r.failing ? "problem" : "", false);
    got->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    auto* bound = styledLabel({}, "small", false);
    bound->setText(QString(r.limit.atLeast ? "≥ " : "≤ ") + withUnit(r.limit.bound, info, m_run->mesh.unit));
    bound->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    table->addWidget(name, row, 0, Qt::AlignLeft);
    table->addWidget(got, row, 1);
    table->addWidget(bound, row++, 2);
    if (r.failing) {
      auto* accept = flushLink(tr("accept…"));
      accept->setToolTip(tr("let these elements pass, for a reason that stands in the report"));
      connect(accept, &QToolButton::clicked, this,
              [this, l = r.limit, worst = r.worst] { emit acceptWanted(l, worst); });
      auto* line = new QHBoxLayout;
      line->setSpacing(16);
      line->addStretch();
      line->addWidget(styledLabel(r.failing == 1 ? tr("1 fails") : tr("%L1 fail").arg(r.failing), "problem", false));
      line->addWidget(accept);
      table->addLayout(line, row++, 0, 1, 3);
    }
    if (r.accepted) {
      auto* why = styledLabel({}, "small");
      why->setText(tr("%L1 accepted to %2: %3")
                       .arg(r.accepted)
                       .arg(withUnit(r.limit.accepted->to, info, m_run->mesh.unit))
                       .arg(QString::fromStdString(r.limit.accepted->reason)));
      table->addWidget(why, row++, 0, 1, 3);
    }
  }
  table->setColumnStretch(1, 1);
  m_limits->addWidget(host);
  if (m_run->audit.failingCells > 0) {
    auto* keep = flushLink(tr("keep what fails as a set"));
    keep->setToolTip(tr("the failing elements become the set 'failing' of this mesh, and are handed over with it"));
    connect(keep, &QToolButton::clicked, this, &AuditPanel::keepFailing);
    m_limits->addWidget(keep, 0, Qt::AlignLeft);
  }
}

/// In words: the groups of faces it touches, or that it lies inside.
QString AuditPanel::whereIs(const WorstPlace& p) const {
  if (!p.groups.empty()) {
    QStringList names;
    for (const auto& g : p.groups) names << QString::fromStdString(g);
    return tr("at %1").arg(names.join(", "));
  }
  if (p.atBoundary) return tr("at a face in no group");
  const Mesh& m = m_run->mesh;
  const auto region = m.cellRegion[static_cast<std::size_t>(p.worst)];
  return m.regions.size() > 1 ? tr("inside %1").arg(QString::fromStdString(m.regions[static_cast<std::size_t>(region)]))
                              : tr("inside");
}

void AuditPanel::listPlaces() {
  m_worstAt = -1;
  m_listed.clear();
  for (std::size_t i = 0; i < m_places.size(); ++i)
    if (wordsIn(m_placeFilter->text(), whereIs(m_places[i]))) m_listed.push_back(static_cast<int>(i));
  emptyLayout(m_card);
  m_onCard = -1;
  m_worst->hide();
  m_improve->hide();
  fillPlaces();
}

/// A few rows around the place on show, or the worst ones.
void AuditPanel::fillPlaces() {
  const QWidget* focus = QApplication::focusWidget(); // stays at the place that a row led to
  const bool follow = focus && m_placeRows->count() > 0 && m_placeRows->itemAt(0)->widget()->isAncestorOf(focus);
  emptyLayout(m_placeRows);
  const int n = static_cast<int>(m_listed.size());
  m_worstTitle->setText(m_worstAt >= 0 ? tr("WORST PLACES  %1 of %2").arg(m_worstAt + 1).arg(n)
                        : n > 0        ? tr("WORST PLACES  %1").arg(n) + (m_placed >= kMostFailing
                                                                              ? tr(", of the worst %L1 elements").arg(m_placed)
                                                                              : QString())
                                       : tr("WORST PLACES"));
  if (n == 0)
    m_placeRows->addWidget(styledLabel(m_places.empty() ? tr("none yet") : tr("no place holds these words"), "small"));
  auto* host = n > 0 ? new QWidget : nullptr;
  auto* table = n > 0 ? new QGridLayout(host) : nullptr;
  QWidget* now = nullptr;
  const int first = std::clamp(m_worstAt - kPlaceRows / 2, 0, std::max(0, n - kPlaceRows));
  for (int row = 0; row < kPlaceRows && first + row < n; ++row) {
    const int at = first + row;
    const WorstPlace& p = m_places[static_cast<std::size_t>(m_listed[static_cast<std::size_t>(at)])];
    auto* value = flushLink(withUnit(p.value, metricInfo(metric()), m_run->mesh.unit));
    const QString count = p.cells.size() == 1 ? tr("1 element") : tr("%L1 elements").arg(p.cells.size());
    value->setToolTip(tr("go there"));
    value->setAccessibleName(value->text() + ", " + whereIs(p) + ", " + count);
    QFont f = value->font();
    f.setBold(at == m_worstAt);
    value->setFont(f);
    connect(value, &QToolButton::clicked, this, [this, at] { showWorst(at); });
    if (follow && at == m_worstAt) now = value;
    auto *where = styledLabel({}, "small", false), *many = styledLabel(count, "small", false);
    many->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    for (QWidget* x : {static_cast<QWidget*>(value), static_cast<QWidget*>(where), static_cast<QWidget*>(many)})
      x->ensurePolished();
    where->setToolTip(whereIs(p));
    where->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    // What the others leave of a row beside the scroll bar.
    const int room = width() - 60 - value->sizeHint().width() - many->sizeHint().width();
    where->setText(where->fontMetrics().elidedText(whereIs(p), Qt::ElideRight, std::max(30, room)));
    table->addWidget(value, row, 0, Qt::AlignLeft);
    table->addWidget(where, row, 1);
    table->addWidget(many, row, 2);
  }
  if (table) {
    table->setContentsMargins(0, 0, 0, 0);
    table->setVerticalSpacing(0);
    table->setHorizontalSpacing(6);
    table->setColumnStretch(1, 1);
    m_placeRows->addWidget(host);
  }
  if (now) now->setFocus();
  fitHeight();
}

void AuditPanel::stepWorst(int by) {
  const int n = static_cast<int>(m_listed.size());
  if (n) showWorst(m_worstAt < 0 ? (by > 0 ? 0 : n - 1) : (m_worstAt + by + n) % n);
}

void AuditPanel::showWorst(int at) {
  m_worstAt = at;
  const WorstPlace& p = m_places[static_cast<std::size_t>(m_listed[static_cast<std::size_t>(at)])];
  fillPlaces();
  m_here = p.cells;
  m_improve->show();
  m_worst->show();
  m_worst->setText(tr("%1 here, the worst %2, at %3 %4")
                       .arg(p.cells.size() == 1 ? tr("1 element") : tr("%1 elements").arg(p.cells.size()))
                       .arg(withUnit(p.value, metricInfo(metric()), m_run->mesh.unit))
                       .arg(QString::fromStdString("(" + formatNumber(p.at.x(), 4) + ", " + formatNumber(p.at.y(), 4) +
                                                   ", " + formatNumber(p.at.z(), 4) + ")"))
                       .arg(QString::fromStdString(m_run->mesh.unit)));
  fillCard(p.worst);
  emit showPlace(p.cells, p.worst);
}

void AuditPanel::showElement(std::int32_t cell) {
  if (!m_run || cell < 0 || static_cast<std::size_t>(cell) >= m_run->mesh.cells.size()) return;
  m_here = {cell};
  m_improve->show();
  m_worst->show();
  m_worst->setText(tr("chosen by its number"));
  fillCard(cell);
  emit showPlace({cell}, cell);
}

QString AuditPanel::elementCard() const {
  QStringList r;
  for (auto* l : m_card->parentWidget()->findChildren<QLabel*>())
    if (l->property("element").toBool()) r << l->text().replace("<br>", " ").remove(QRegularExpression("<[^>]*>"));
  return r.join(" ");
}

void AuditPanel::setNeighbours(std::shared_ptr<const Neighbours> near) {
  m_near = std::move(near);
  if (m_onCard >= 0) fillCard(m_onCard);
}

void AuditPanel::setSizes(std::shared_ptr<const SizeField> sizes) {
  m_sizes = std::move(sizes);
  if (m_onCard >= 0) fillCard(m_onCard);
}

void AuditPanel::fillCard(std::int32_t cell) {
  emptyLayout(m_card);
  m_onCard = cell;
  const Mesh& m = m_run->mesh;
  auto c = static_cast<std::size_t>(cell);
  auto* card = new QFrame;
  card->setObjectName("card");
  auto* table = new QGridLayout(card);
  table->setContentsMargins(9, 6, 9, 6);
  table->setVerticalSpacing(1);
  auto add = [&](int row, int column, const QString& text, const char* name, Qt::Alignment a = Qt::AlignLeft) {
    auto* l = styledLabel(text, name, false);
    l->setAlignment(a);
    l->setProperty("element", true);
    table->addWidget(l, row, column);
  };
  QStringList nodes, neighbours;
  for (auto n : m.cells.corners(c)) nodes << QString("<a href=\"n%1\">%1</a>").arg(n + 1);
  if (m_near && c + 1 < m_near->start.size())
    for (auto k = m_near->start[c]; k < m_near->start[c + 1]; ++k)
      if (const auto o = m_near->cell[k]; o >= 0) neighbours << QString("<a href=\"%1\">%1</a>").arg(o + 1);
  add(0, 0, tr("%1 no. %L2").arg(QString::fromUtf8(topology(m.cells.type[c]).name.data())).arg(c + 1), "");
  add(0, 1, QString::fromStdString(m.regions[static_cast<std::size_t>(m.cellRegion[c])]), "small", Qt::AlignRight);
  auto* corners = styledLabel({}, "small");
  QString lines = tr("nodes %1").arg(nodes.join(", "));
  if (!neighbours.isEmpty()) lines += "<br>" + tr("beside %1").arg(neighbours.join(", "));
  if (m_sizes && !m_run->brief.first("take_mesh")) {
    const auto got = m_run->audit.metrics[static_cast<std::size_t>(Metric::EdgeLength)].value[c];
    const QString unit = QString::fromStdString(m.unit);
    lines += "<br>" + tr("size asked %1 %3, got %2 %3")
                          .arg(QString::fromStdString(formatNumber(m_sizes->at(cellCenter(m, c), m.cellRegion[c]), 3)),
                               QString::fromStdString(formatNumber(static_cast<double>(got), 3)), unit);
  }
  corners->setText(lines);
  corners->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
  corners->setToolTip(tr("a node: to move it; an element: to go there"));
  connect(corners, &QLabel::linkActivated, this, [this](const QString& to) {
    if (to.startsWith('n'))
      emit nodeWanted(to.mid(1).toInt() - 1);
    else
      showElement(to.toInt() - 1);
  });
  corners->setProperty("element", true);
  table->addWidget(corners, 1, 0, 1, 2);
  for (int k = 0; k < kMetrics; ++k) {
    const auto& v = m_run->audit.metrics[static_cast<std::size_t>(k)].value;
    if (c >= v.size() || std::isnan(v[c])) continue; // says nothing of such an element
    const bool ofQuads = k == static_cast<int>(Metric::Warpage) || k == static_cast<int>(Metric::Taper);
    if (ofQuads && topology(m.cells.type[c]).corners == 4) continue; // says nothing about triangles
    const auto& info = metricInfo(static_cast<Metric>(k));
    bool fails = false;
    for (const auto& l : m_run->audit.limits.limits)
      if (l.metric == static_cast<Metric>(k)) fails = fails || l.broken(c, m.cells.type[c], v[c]);
    add(2 + k, 0, info.name, "small");
    add(2 + k, 1, withUnit(v[c], info, m.unit), fails ? "problem" : "", Qt::AlignRight);
  }
  m_card->addWidget(card);
  fitHeight();
  QMetaObject::invokeMethod(
      this, [this] { fitHeight(); }, Qt::QueuedConnection); // again when the card has its style
}

void AuditPanel::setFindings(const std::vector<Problem>& findings) {
  auto same = [](const Problem& x, const Problem& y) {
    return x.code == y.code && x.what == y.what && x.why == y.why && x.todo == y.todo && x.fix == y.fix &&
           x.severity == y.severity && x.faces == y.faces && x.places == y.places;
  };
  if (m_findingRows->count() > 0 &&
      std::equal(findings.begin(), findings.end(), m_findings.begin(), m_findings.end(), same))
    return;
  m_findings = findings;
  // The list may begin below what is in sight.
  auto of = [&](Severity s) {
    return std::count_if(findings.begin(), findings.end(), [s](const Problem& p) { return p.severity == s; });
  };
  QStringList ahead{findings.size() == 1 ? tr("1 finding") : tr("%1 findings").arg(findings.size())};
  if (const auto n = of(Severity::Error)) ahead << (n == 1 ? tr("1 error") : tr("%1 errors").arg(n));
  if (const auto n = of(Severity::Warning)) ahead << (n == 1 ? tr("1 warning") : tr("%1 warnings").arg(n));
  m_findingsAhead->setText(ahead.join(", "));
  m_findingsAhead->setVisible(!findings.empty());
  m_findingFilter->setVisible(findings.size() >= kMany);
  if (findings.size() < kMany) m_findingFilter->clear();
  fillFindings();
}

void AuditPanel::fillFindings() {
  std::vector<Problem> findings;
  for (const auto& p : m_findings)
    if (wordsIn(m_findingFilter->text(), QString::fromStdString(p.what + ' ' + p.where + ' ' + p.why + ' ' + p.todo)))
      findings.push_back(p);
  m_findingsTitle->setText(findings.size() == m_findings.size()
                               ? tr("FINDINGS  %1").arg(findings.size())
                               : tr("FINDINGS  %1 of %2").arg(findings.size()).arg(m_findings.size()));
  emptyLayout(m_findingRows);
  if (m_findings.empty())
    m_findingRows->addWidget(styledLabel(tr("nothing needs eyes"), "small"));
  else if (findings.empty())
    m_findingRows->addWidget(styledLabel(tr("no finding holds these words"), "small"));
  // What hinders comes first. Three or more of one kind share a card, or they would bury the rest.
  std::vector<std::vector<Problem>> kinds;
  for (auto severity : {Severity::Error, Severity::Warning, Severity::Note})
    for (const auto& p : findings) {
      if (p.severity != severity) continue;
      auto alike = std::find_if(kinds.begin(), kinds.end(), [&](const auto& k) {
        return !p.code.empty() && k[0].code == p.code && k[0].severity == severity;
      });
      if (alike == kinds.end())
        kinds.push_back({p});
      else
        alike->push_back(p);
    }
  auto add = [this](std::vector<Problem> alike) {
    const std::string code = alike[0].code;
    auto* card = new FindingCard(std::move(alike), m_leafed[code]);
    connect(card, &FindingCard::showWanted, this, &AuditPanel::showProblem);
    connect(card, &FindingCard::fixWanted, this, &AuditPanel::fixProblem);
    connect(card, &FindingCard::leafed, this, [this, code](std::size_t at) {
      m_leafed[code] = at;
      fitHeight();
    });
    m_findingRows->addWidget(card);
  };
  for (auto& kind : kinds)
    if (kind.size() > 2)
      add(std::move(kind));
    else
      for (auto& p : kind) add({p});
  fitHeight();
}

void AuditPanel::fitHeight() {
  for (auto* w : m_box->parentWidget()->findChildren<QWidget*>()) w->ensurePolished();
  m_box->invalidate();
  m_box->activate();
  m_box->parentWidget()->setMinimumHeight(std::max(0, m_box->totalHeightForWidth(std::max(100, width() - 10))));
}

void AuditPanel::resizeEvent(QResizeEvent* e) {
  QWidget::resizeEvent(e);
  fitHeight();
}

} // namespace tess
