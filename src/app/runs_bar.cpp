// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/runs_bar.h"
#include "app/widgets.h"
#include <QAction>
#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QPointer>
#include <QProgressBar>
#include <QPushButton>
#include <QScrollArea>
#include <QScrollBar>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>
#include <QWheelEvent>

namespace tess {

RunsBar::RunsBar(QWidget* parent) : QWidget(parent) {
  setObjectName("paper");
  setFixedHeight(82);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(12, 9, 12, 9);
  row->setSpacing(10);
  auto* now = new QFrame;
  now->setObjectName("card");
  now->setFixedWidth(310);
  auto* n = new QHBoxLayout(now);
  n->setContentsMargins(11, 6, 8, 6);
  auto* left = new QVBoxLayout;
  left->setSpacing(3);
  m_text = new QLabel;
  m_text->setWordWrap(true);
  m_stage = new QLabel;
  m_stage->setObjectName("small");
  m_progress = new QProgressBar;
  m_progress->setRange(0, 1000);
  m_progress->setTextVisible(false);
  left->addStretch();
  left->addWidget(m_text);
  left->addWidget(m_stage);
  left->addWidget(m_progress);
  left->addStretch();
  n->addLayout(left, 1);
  m_go = new QPushButton(tr("Mesh"));
  m_go->setObjectName("go");
  m_go->setToolTip(tr("Ctrl+Return"));
  m_stop = new QPushButton(tr("Stop"));
  m_stop->setObjectName("go");
  m_stop->setToolTip(tr("Ctrl+."));
  n->addWidget(m_go);
  n->addWidget(m_stop);
  row->addWidget(now);
  auto* tiles = new QWidget;
  m_tiles = new QHBoxLayout(tiles);
  m_tiles->setContentsMargins(0, 0, 0, 0);
  m_tiles->setSpacing(8);
  m_room = new QScrollArea;
  m_room->setObjectName("tiles");
  m_room->setFrameShape(QFrame::NoFrame);
  m_room->setWidgetResizable(true);
  m_room->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_room->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_room->viewport()->setAutoFillBackground(false);
  m_room->setWidget(tiles);
  m_room->viewport()->installEventFilter(this);
  auto arrow = [&](QToolButton*& b, const QString& sign, const QString& name, int step) {
    b = new QToolButton;
    b->setObjectName("chip");
    b->setText(sign);
    b->setToolTip(name);
    b->setAccessibleName(name);
    b->hide();
    connect(b, &QToolButton::clicked, this,
            [this, step] { m_room->horizontalScrollBar()->setValue(m_room->horizontalScrollBar()->value() + step); });
    return b;
  };
  row->addWidget(m_filter = filterLine(tr("filter runs")));
  m_filter->setFixedWidth(120);
  m_filter->hide();
  connect(m_filter, &QLineEdit::textChanged, this, &RunsBar::filterTiles);
  row->addWidget(arrow(m_newer, "‹", tr("Newer runs"), -320));
  row->addWidget(m_room, 1);
  row->addWidget(arrow(m_older, "›", tr("Older runs"), 320));
  // With an arrow as context: the bar still changes while the children are taken down, the arrows first.
  connect(m_room->horizontalScrollBar(), &QScrollBar::rangeChanged, m_newer, [this] { showArrows(); });
  connect(m_room->horizontalScrollBar(), &QScrollBar::valueChanged, m_newer, [this] { showArrows(); });
  connect(m_go, &QPushButton::clicked, this, &RunsBar::meshWanted);
  connect(m_stop, &QPushButton::clicked, this, &RunsBar::stopWanted);
  setBusy(false, false);
  setReady(false, tr("no part yet"));
}

void RunsBar::showArrows() {
  const auto* bar = m_room->horizontalScrollBar();
  m_newer->setVisible(bar->maximum() > 0);
  m_older->setVisible(bar->maximum() > 0);
  m_newer->setEnabled(bar->value() > 0);
  m_older->setEnabled(bar->value() < bar->maximum());
}

void RunsBar::filterTiles() {
  for (int i = 0; i < m_tiles->count(); ++i)
    if (auto* tile = qobject_cast<QPushButton*>(m_tiles->itemAt(i)->widget()))
      tile->setVisible(wordsIn(m_filter->text(), tile->text() + ' ' + tile->toolTip()));
}

bool RunsBar::eventFilter(QObject* o, QEvent* e) {
  if (e->type() == QEvent::Wheel) { // the wheel runs along the tiles
    auto* wheel = static_cast<QWheelEvent*>(e);
    const int turn = wheel->angleDelta().y() ? wheel->angleDelta().y() : wheel->angleDelta().x();
    m_room->horizontalScrollBar()->setValue(m_room->horizontalScrollBar()->value() - turn);
    return true;
  }
  return QWidget::eventFilter(o, e);
}

QString RunsBar::text() const { return m_text->text(); }
QString RunsBar::stage() const { return m_stage->text(); }

void RunsBar::setReady(bool ready, const QString& text, const QString& tip) {
  m_go->setEnabled(ready);
  m_text->setText(text);
  m_text->setToolTip(tip);
}

void RunsBar::setBusy(bool busy, bool canStop) {
  m_go->setVisible(!busy || !canStop);
  m_stop->setVisible(busy && canStop);
  m_progress->setVisible(busy);
  m_stage->setVisible(busy);
}

void RunsBar::setProgress(const QString& stage, double share, double seconds) {
  m_progress->setValue(static_cast<int>(1000 * share));
  if (share < m_share - 0.02) m_passFrom = seconds;
  if (seconds < m_passFrom) m_passFrom = 0; // another task
  m_share = share;
  const double pass = seconds - m_passFrom;
  QString rest;
  if (pass > 2 && share > 0.1) rest = tr(" · about %1 s left").arg(static_cast<int>(pass / share - pass + 0.5));
  m_stage->setText(tr("%1 · %2 s%3").arg(stage).arg(seconds, 0, 'f', 1).arg(rest));
}

void RunsBar::setRuns(const std::vector<std::shared_ptr<const RunResult>>& runs, int current, const Brief& brief,
                      const std::vector<char>& pinned, const std::vector<char>& ofOtherPart) {
  emptyLayout(m_tiles);
  QWidget* shown = nullptr;
  for (int i = static_cast<int>(runs.size()) - 1; i >= 0; --i) {
    const RunResult& r = *runs[static_cast<std::size_t>(i)];
    double k = static_cast<double>(r.mesh.cells.size()) / 1000;
    const auto& dihedral = r.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)];
    const bool other = static_cast<std::size_t>(i) < ofOtherPart.size() && ofOtherPart[static_cast<std::size_t>(i)];
    bool pin = static_cast<std::size_t>(i) < pinned.size() && pinned[static_cast<std::size_t>(i)];
    QString text = tr("Run %1 · %2 k %3\nleast angle %4° · %5\n%6")
                       .arg(i + 1)
                       .arg(k, 0, 'f', k < 10 ? 1 : 0)
                       .arg(r.audit.pass ? "✓" : "✕")
                       .arg(dihedral.min, 0, 'f', 1)
                       .arg(r.reused ? tr("mesh as before") : tr("%1 s").arg(r.seconds, 0, 'f', 1))
                       .arg(pin                ? tr("pinned")
                            : other            ? tr("of the part before")
                            : r.improved       ? tr("improved %1×").arg(r.improved)
                            : r.brief == brief ? tr("as the brief stands")
                                               : tr("older than the brief"));
    auto* b = new QPushButton(text);
    b->setObjectName("tile");
    b->setCheckable(true);
    b->setChecked(i == current);
    b->setToolTip(QString::fromStdString(r.audit.sentence));
    connect(b, &QPushButton::clicked, this, [this, i] { emit runClicked(i); });
    b->setContextMenuPolicy(Qt::ActionsContextMenu);
    auto* keep = new QAction(pin ? tr("Unpin") : tr("Pin: keep this run"), b);
    auto* drop = new QAction(tr("Throw away"), b);
    connect(keep, &QAction::triggered, this, [this, i, pin] { emit pinWanted(i, !pin); });
    connect(drop, &QAction::triggered, this, [this, i] { emit discardWanted(i); });
    b->addActions({keep, drop});
    m_tiles->addWidget(b);
    if (i == current) shown = b;
  }
  m_tiles->addStretch();
  constexpr std::size_t many = 8;
  m_filter->setVisible(runs.size() >= many);
  if (runs.size() < many) m_filter->clear();
  filterTiles();
  if (shown) // once the tiles have their places
    QTimer::singleShot(0, m_room, [room = m_room, tile = QPointer<QWidget>(shown)] {
      if (tile && room->isAncestorOf(tile)) room->ensureWidgetVisible(tile, 8, 0);
    });
}

} // namespace tess
