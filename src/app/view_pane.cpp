// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view_pane.h"
#include "app/flow_layout.h"
#include "app/theme.h"
#include "app/widgets.h"
#include "base/units.h"
#include "job/fills.h"
#include <QEvent>
#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QMenu>
#include <QSplitter>
#include <QStyle>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

namespace tess {
const QStringList& ViewPane::lensNames() {
  static const QStringList names{tr("Part"),    tr("Groups"), tr("Size"),  tr("Quality"),
                                 tr("Regions"), tr("Edges"),  tr("Method")};
  return names;
}

ViewPane::ViewPane(bool openGl) {
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 0, 0, 0);
  if (!openGl) {
    auto* l = new QLabel(tr("There is no OpenGL on this display, so part and mesh cannot be drawn here.\n\nEverything "
                            "else works: edit the brief, mesh, read the audit, hand over.\nInstall a software OpenGL "
                            "(package libgl1-mesa-dri) to see the part."));
    l->setObjectName("noOpenGl");
    l->setAlignment(Qt::AlignCenter);
    l->setWordWrap(true);
    box->addWidget(l);
    return;
  }
  m_view = new Viewport;
  m_views = new QSplitter;
  m_views->setChildrenCollapsible(false);
  m_views->addWidget(m_view);
  box->addWidget(m_views);
  buildLenses();
  buildSelectionBar();
  buildSectionBar();
  m_hint = new QLabel(m_view);
  m_hint->setObjectName("floatbar");
  connect(m_view, &Viewport::selectionChanged, this, &ViewPane::showSelection);
  connect(m_view, &Viewport::menuRequested, this, &ViewPane::showMenu);
  m_tile = new SizeTile(m_view);
  m_scale = new LensScale(m_view);
  m_why = new WhyBox(m_view);
  m_whyTimer.setSingleShot(true);
  m_whyTimer.setInterval(450);
  connect(&m_whyTimer, &QTimer::timeout, this, &ViewPane::explainSize);
  connect(m_view, &Viewport::surfaceHovered, this, &ViewPane::hoverSurface);
  connect(m_why, &WhyBox::ruleClicked, this, &ViewPane::reasonClicked);
  m_view->installEventFilter(this);
}

void ViewPane::buildLenses() {
  m_lensStrip = new QFrame(m_view);
  m_lensStrip->setObjectName("floating");
  auto* strip = new QHBoxLayout(m_lensStrip);
  strip->setContentsMargins(4, 3, 4, 3);
  strip->setSpacing(2);
  int i = 0;
  for (const QString& name : lensNames()) {
    auto* b = new QToolButton;
    b->setObjectName("lens");
    b->setText(name);
    b->setCheckable(true);
    b->setToolTip(tr("lens %1 (key %2)").arg(name).arg(i + 1));
    connect(b, &QToolButton::clicked, this, [this, i] { setLens(i); });
    strip->addWidget(b);
    m_lensButtons.push_back(b);
    ++i;
  }
  m_lensButtons[0]->setChecked(true);
}

void ViewPane::buildSelectionBar() {
  m_selectionBar = new QFrame(m_view);
  m_selectionBar->setObjectName("floatbar");
  auto* both = new QVBoxLayout(m_selectionBar);
  both->setContentsMargins(10, 4, 6, 4);
  both->setSpacing(1);
  auto* s = new QHBoxLayout;
  both->addLayout(s);
  m_measureRow = new QWidget;
  new FlowLayout(m_measureRow, 16);
  m_measureRow->layout()->setContentsMargins(0, 0, 0, 0);
  both->addWidget(m_measureRow);
  m_measureRow->hide();
  s->addWidget(m_selectionText = new QLabel);
  auto *group = linkButton(tr("Group"), "G"), *size = linkButton(tr("Size"), "Z"), *hide = linkButton(tr("Hide"), "H"),
       *only = linkButton(tr("Only this"), "O");
  for (auto* b : {group, size, hide, only}) s->addWidget(b);
  connect(group, &QToolButton::clicked, this, &ViewPane::groupWanted);
  connect(size, &QToolButton::clicked, this, &ViewPane::sizeWanted);
  connect(hide, &QToolButton::clicked, m_view, &Viewport::hideSelection);
  connect(only, &QToolButton::clicked, m_view, &Viewport::showOnlySelection);
  m_selectionBar->hide();
}

void ViewPane::buildSectionBar() {
  m_sectionBar = new QFrame(m_view);
  m_sectionBar->setObjectName("floatbar");
  auto* both = new QVBoxLayout(m_sectionBar);
  both->setContentsMargins(10, 4, 6, 4);
  both->setSpacing(1);
  // The planes, then what is done to the active one.
  auto* planes = new QHBoxLayout;
  both->addLayout(planes);
  for (std::size_t i = 0; i < ViewLook::kMostSections; ++i) {
    auto* b = linkButton({}, tr("move this plane"));
    connect(b, &QToolButton::clicked, this, [this, i] { m_view->activateSection(i); });
    planes->addWidget(b);
    m_planes.push_back(b);
  }
  planes->addWidget(m_planeAt = new QLineEdit);
  m_planeAt->setFixedWidth(92);
  m_planeAt->setAccessibleName(tr("place of the section"));
  m_planeAt->setToolTip(tr("where the plane stands: a length along its normal"));
  connect(m_planeAt, &QLineEdit::editingFinished, this, &ViewPane::placeTyped);
  planes->addStretch();
  m_another = linkButton("+", tr("Alt+X: another plane"));
  m_fewer = linkButton("−", tr("take this plane away"));
  auto* draw = linkButton(tr("draw"), tr("D: draw a plane across the view"));
  for (auto* b : {m_another, m_fewer, draw}) planes->addWidget(b);
  connect(m_another, &QToolButton::clicked, m_view, &Viewport::addSection);
  connect(m_fewer, &QToolButton::clicked, m_view, &Viewport::dropSection);
  connect(draw, &QToolButton::clicked, this, [this] { m_view->awaitSection(true); });
  auto* c = new QHBoxLayout;
  both->addLayout(c);
  c->addWidget(m_sectionText = new QLabel);
  m_manner = linkButton(tr("whole cells"), tr("W: how the plane meets the cells"));
  auto *axis = linkButton(tr("axis"), tr("Shift+X: the next axis")),
       *flip = linkButton(tr("flip"), tr("V: the other side")), *off = linkButton(tr("off"), "X");
  auto *back = linkButton("◂", tr("Shift+Left: move the plane")),
       *forth = linkButton("▸", tr("Shift+Right: move the plane"));
  for (auto* b : {back, forth, m_manner, axis, flip, off}) c->addWidget(b);
  connect(m_manner, &QToolButton::clicked, this, [this] {
    m_view->setSectionManner(m_view->sectionManner() == SectionManner::Cut ? SectionManner::WholeCells
                                                                           : SectionManner::Cut);
  });
  connect(axis, &QToolButton::clicked, m_view, &Viewport::nextSectionAxis);
  connect(flip, &QToolButton::clicked, m_view, &Viewport::flipSection);
  connect(off, &QToolButton::clicked, this, [this] { m_view->setSection(false); });
  connect(back, &QToolButton::clicked, this, [this] { m_view->moveSection(-0.02); });
  connect(forth, &QToolButton::clicked, this, [this] { m_view->moveSection(0.02); });
  m_sectionBar->hide();
  connect(m_view, &Viewport::sectionChanged, this, &ViewPane::showSection);
  connect(m_view, &Viewport::brushDrawn, this, &ViewPane::showHint);
  connect(m_view, &Viewport::numbersChanged, this, &ViewPane::showHint);
}

namespace {
/// Where a plane stands in words: the coordinate on its axis, or how far along its normal.
QString placeOf(const Section& s, const Part& part) {
  const int axis = s.axis();
  const double at = axis >= 0 && s.normal[axis] < 0 ? -s.offset : s.offset;
  const double step = std::pow(10, std::floor(std::log10(part.diagonal())) - 4); // less is not seen
  const double told = std::round(at / step) * step;
  return QString::fromStdString(formatNumber(told == 0 ? 0 : told, 6) + " " + part.unit);
}
QString nameOf(const Section& s) { return s.axis() < 0 ? QObject::tr("slant") : QString("xyz").mid(s.axis(), 1); }
} // namespace

void ViewPane::placeTyped() {
  const ViewLook& look = m_view->look();
  if (!m_part || !look.cut) return;
  const Section& s = look.sections[look.active];
  if (auto x = parseLength(m_planeAt->text().toStdString(), m_part->unit))
    m_view->placeSection(s.axis() >= 0 && s.normal[s.axis()] < 0 ? -*x : *x);
  m_planeAt->setText(placeOf(s, *m_part)); // what was no length, or too far, goes back to what holds
}

void ViewPane::showSection() {
  const ViewLook& look = m_view->look();
  m_sectionBar->setVisible(look.cut);
  for (std::size_t i = 0; i < m_planes.size(); ++i) {
    const bool there = m_part && i < look.sections.size(), active = there && i == look.active;
    m_planes[i]->setVisible(there);
    if (!there) continue;
    const Section& s = look.sections[i];
    m_planes[i]->setEnabled(!active);
    if (active && !m_planeAt->hasFocus()) m_planeAt->setText(placeOf(s, *m_part));
    if (active) // behind its name
      static_cast<QHBoxLayout*>(m_sectionBar->layout()->itemAt(0)->layout())
          ->insertWidget(static_cast<int>(i) + 1, m_planeAt);
  }
  m_another->setEnabled(look.sections.size() < ViewLook::kMostSections);
  m_fewer->setEnabled(!look.sections.empty());
  const bool cut = look.manner == SectionManner::Cut;
  m_sectionText->setText(m_view->sectionCells() == 1 ? tr("1 cell") : tr("%L1 cells").arg(m_view->sectionCells()));
  m_manner->setText(cut ? tr("whole cells") : tr("cut through"));
  namePlanes();
  place();
}

/// By axis and place, or by axis alone where the view has no room for more.
void ViewPane::namePlanes() {
  const ViewLook& look = m_view->look();
  for (const bool all : {true, false}) {
    for (std::size_t i = 0; m_part && i < std::min(m_planes.size(), look.sections.size()); ++i) {
      const Section& s = look.sections[i];
      m_planes[i]->setText(all && i != look.active ? nameOf(s) + " " + placeOf(s, *m_part) : nameOf(s));
    }
    m_sectionBar->layout()->activate();
    if (m_sectionBar->sizeHint().width() + 24 <= m_view->width()) return;
  }
}

void ViewPane::showMenu(const QPoint& at) {
  QMenu menu;
  const bool some = !m_view->selection().empty();
  auto add = [&](const QString& t, bool on, auto&& f) {
    auto* a = menu.addAction(t);
    a->setEnabled(on);
    connect(a, &QAction::triggered, this, f);
  };
  if (m_part && m_view->pickDim() == Dim::Face && m_view->selection().size() == 1) {
    auto* take = menu.addMenu(tr("Take in"));
    for (const auto& way : alikeTable())
      if (describeAlike(*m_part, *m_view->selection().begin(), way.how)) {
        auto* a = take->addAction(tr(way.words));
        connect(a, &QAction::triggered, this, [this, how = way.how] { emit takeInWanted(how); });
      }
    menu.addSeparator();
  }
  add(tr("Hide"), some, [this] { m_view->hideSelection(); });
  add(tr("Only this"), some, [this] { m_view->showOnlySelection(); });
  add(tr("Show all"), true, [this] { m_view->showAll(); });
  add(tr("Fit"), true, [this] { m_view->fit(); });
  menu.exec(at);
}

bool ViewPane::eventFilter(QObject* o, QEvent* e) {
  if (o == m_view && e->type() == QEvent::Resize) place();
  return QWidget::eventFilter(o, e);
}

void ViewPane::resizeEvent(QResizeEvent* e) {
  QWidget::resizeEvent(e);
  place();
}

/// The names of the lenses stand closer together where the view is narrow.
void ViewPane::fitLensStrip() {
  auto set = [this](bool tight) {
    if (m_lensButtons[0]->property("tight").toBool() == tight) return;
    for (auto* b : m_lensButtons) {
      b->setProperty("tight", tight);
      b->style()->unpolish(b);
      b->style()->polish(b);
    }
    m_lensStrip->layout()->setSpacing(tight ? 0 : 2);
    m_lensStrip->layout()->invalidate();
  };
  set(false);
  m_lensStrip->adjustSize();
  if (m_lensStrip->width() + 16 <= m_view->width()) return;
  set(true);
  m_lensStrip->adjustSize();
}

void ViewPane::place() {
  if (!m_view) return;
  if (std::exchange(m_fittedWidth, m_view->width()) != m_view->width()) {
    fitLensStrip();
    namePlanes();
  }
  for (QWidget* w : {static_cast<QWidget*>(m_lensStrip), static_cast<QWidget*>(m_selectionBar),
                     static_cast<QWidget*>(m_sectionBar), static_cast<QWidget*>(m_hint)}) {
    if (w->layout()) w->layout()->activate(); // or rows within it go by the words that were there before
    w->adjustSize();
  }
  // What is too wide for the view wraps.
  const int room = m_view->width() - 24;
  if (m_measureRow->isVisibleTo(m_selectionBar)) {
    const QMargins rim = m_selectionBar->layout()->contentsMargins();
    const int line = static_cast<FlowLayout*>(m_measureRow->layout())->widthOfLine() + rim.left() + rim.right();
    const int width = std::min(room, std::max(m_selectionBar->sizeHint().width(), line));
    m_selectionBar->resize(width, m_selectionBar->layout()->totalHeightForWidth(width));
  }
  m_hint->setWordWrap(false);
  if (const QSize line = m_hint->sizeHint(); line.width() <= room) {
    m_hint->resize(line);
  } else {
    m_hint->setWordWrap(true);
    m_hint->resize(room, m_hint->heightForWidth(room));
  }
  m_lensStrip->move((m_view->width() - m_lensStrip->width()) / 2, m_view->height() - m_lensStrip->height() - 12);
  m_hint->move(12, 12);
  m_scale->move(12, m_view->height() - m_scale->height() - 12);
  if (m_scale->geometry().right() > m_lensStrip->x()) // a narrow window: above the strip
    m_scale->move(12, m_lensStrip->y() - m_scale->height() - 8);
  m_selectionBar->move(std::max(12, m_view->width() - m_selectionBar->width() - 12), 12);
  if (m_selectionBar->isVisible() && m_selectionBar->x() < m_hint->geometry().right() + 8) // no room beside it
    m_selectionBar->move(m_selectionBar->x(), m_hint->geometry().bottom() + 8);
  m_sectionBar->move((m_view->width() - m_sectionBar->width()) / 2,
                     m_view->height() - m_lensStrip->height() - m_sectionBar->height() - 20);
  if (m_view->height() < 480) // a low view: at the top, off the mesh
    m_sectionBar->move(m_sectionBar->x(), m_hint->geometry().bottom() + 8);
  else if (m_scale->isVisible() && m_sectionBar->geometry().intersects(m_scale->geometry().adjusted(-8, -8, 8, 8))) {
    if (const int beside = m_scale->geometry().right() + 9; beside + m_sectionBar->width() + 8 <= m_view->width())
      m_sectionBar->move(beside, m_sectionBar->y());
    else
      m_sectionBar->move(m_sectionBar->x(), m_scale->y() - m_sectionBar->height() - 8);
  }
  int top = m_hint->geometry().bottom() + 1, bottom = m_lensStrip->y();
  if (m_sectionBar->isVisible()) {
    if (m_view->height() < 480)
      top = m_sectionBar->geometry().bottom() + 1;
    else
      bottom = m_sectionBar->y();
  }
  if (m_selectionBar->isVisible()) top = std::max(top, m_selectionBar->geometry().bottom() + 1);
  if (m_scale->isVisible() && m_scale->geometry().right() > m_view->width() / 3)
    bottom = std::min(bottom, m_scale->y());
  m_view->setCovered({0, top, 0, m_view->height() - bottom});
}

void ViewPane::setPart(std::shared_ptr<const Part> part) {
  m_part = std::move(part);
  m_shown = {}; // the view shows the part alone
  if (!m_view) return;
  m_view->setPart(m_part);
  showHint();
}

void ViewPane::setRun(const ShownRun& shown) {
  m_shown = shown;
  if (!m_view) return;
  m_view->setRun(shown.run, shown.look, shown.ofThisPart);
  showScale();
  showHint();
  sayBeside();
}

void ViewPane::setSizeField(std::shared_ptr<const SizeField> field, std::shared_ptr<const SizeShade> shade) {
  if (!m_view) return;
  m_view->setSizeField(std::move(field), std::move(shade));
  showScale();
}

void ViewPane::setMetric(Metric metric) {
  if (!m_view) return;
  m_view->setMetric(metric);
  sayBeside();
  showScale();
}

void ViewPane::setLens(int i) {
  if (!m_view) return;
  for (std::size_t k = 0; k < m_lensButtons.size(); ++k) m_lensButtons[k]->setChecked(static_cast<int>(k) == i);
  m_view->setLens(static_cast<Lens>(i));
  m_tile->clear();
  m_why->hide();
  showScale();
  showHint();
}

void ViewPane::applyTheme() {
  for (Viewport* v : {m_view, m_beside})
    if (v) v->applyTheme();
  showScale();
}

void ViewPane::showHint() {
  if (!m_view) return;
  static const char* lenses[] = {"part", "groups", "size", "quality", "regions", "edges", "method"};
  QString what = m_shown.run && m_view->meshShown() ? tr("mesh of run %1").arg(m_shown.number)
                 : !m_part                          ? tr("nothing open")
                 : m_view->lens() == Lens::Part     ? QString()
                                                    : tr("part");
  if (m_view->lens() == Lens::Edges && m_part) {
    auto count = [](std::size_t n, const QString& one, const QString& many) {
      return n == 1 ? one : many.arg(n ? QLocale().toString(static_cast<qulonglong>(n)) : tr("no"));
    };
    what +=
        " · " + count(m_view->openEdges(), tr("1 open edge"), tr("%1 open edges")) + ", " +
        count(m_view->sharedEdges(), tr("1 where three or more faces meet"), tr("%1 where three or more faces meet"));
  }
  if (m_view->lens() == Lens::Method && m_part) {
    if (const auto& bodies = m_view->bodyPlans(); !bodies.empty())
      what += (what.isEmpty() ? "" : " · ") + QString::fromStdString(fillSummary(bodies));
    if (const FacePlan* face = m_view->facePlan(m_methodFace); face && face->frozen())
      what += (face->quads ? tr(" · this face: quadrilaterals, since %1")
                           : tr(" · this face: the same mesh at both ends, since %1"))
                  .arg(QString::fromStdString(face->why)) +
              (face->tetSide && face->quads ? tr("; pyramids join it") : QString());
    else if (face)
      what += tr(" · this face: triangles");
  }
  if (m_view->brushedDrawn() < m_view->brushedCount())
    what += (what.isEmpty() ? "" : " · ") +
            tr("worst %L1 of %L2 chosen cells").arg(m_view->brushedDrawn()).arg(m_view->brushedCount());
  if (m_view->numbersShown()) {
    what += what.isEmpty() ? "" : " · ";
    what += m_view->tooManyNumbers()    ? tr("too much is chosen for numbers")
            : m_view->numbers().empty() ? tr("numbers of what is chosen")
            : m_view->numbersDrawn() < m_view->numbers().size()
                ? tr("%L1 of %L2 numbers in sight").arg(m_view->numbersDrawn()).arg(m_view->numbers().size())
                : tr("%L1 numbers").arg(m_view->numbers().size());
  }
  m_hint->setText(tr("Lens: %1%2 · picks <b>%3s</b> (Space)")
                      .arg(lenses[static_cast<int>(m_view->lens())])
                      .arg(what.isEmpty() ? what : " · " + what)
                      .arg(dimName(m_view->pickDim()) == std::string("body") ? "bodie" : dimName(m_view->pickDim())));
  place();
}

QString ViewPane::hint() const { return m_hint ? m_hint->text() : QString(); }

void ViewPane::showSelection() {
  const auto n = m_view->selection().size();
  m_selectionBar->setVisible(n > 0);
  QString text = countOf(n, m_view->pickDim());
  const auto first = n ? static_cast<std::size_t>(*m_view->selection().begin()) : 0;
  if (n == 1 && m_part && m_view->pickDim() == Dim::Face)
    text += " · " + (m_part->faces[first].kind == SurfaceKind::Other ? tr("free-form")
                                                                     : surfaceKindName(m_part->faces[first].kind));
  if (n == 1 && m_part && m_view->pickDim() == Dim::Body)
    text += " · " + QString::fromStdString(m_part->bodies[first].name).left(24);
  m_selectionText->setText(text);
  setMeasures({});
  emit selectionChanged();
}

void ViewPane::setMeasures(const std::vector<Measure>& measures) {
  if (!m_measureRow) return;
  auto* row = m_measureRow->layout();
  emptyLayout(row);
  for (const auto& m : measures) {
    QString words = QString::fromStdString(m.name + " " + m.text(m_part->unit)).replace("^2", "²").replace("^3", "³");
    if (m.dim > 1) { // no size can use an area
      row->addWidget(new QLabel(words));
      continue;
    }
    auto* b = flushLink(words, tr("keep it as a value that sizes can use"));
    connect(b, &QToolButton::clicked, this, [this, m] { emit measureWanted(m); });
    row->addWidget(b);
  }
  m_measureRow->setVisible(!measures.empty());
  place();
}

void ViewPane::hoverSurface(int face, const Vec3& at, const QPointF& where) {
  const SizeField* field = m_view->sizeField();
  if (m_view->lens() == Lens::Method && m_methodFace != face) {
    m_methodFace = face;
    showHint();
  }
  if (face < 0 || !field || !m_part || m_view->lens() != Lens::Size) {
    m_tile->clear();
    m_whyTimer.stop();
    if (!m_why->underMouse()) m_why->hide();
    return;
  }
  if (m_why->isVisible() && (where - m_whyWhere).manhattanLength() > 40) m_why->hide();
  const PartFace& f = m_part->faces[static_cast<std::size_t>(face)];
  const FaceProjection on = m_part->shape->projectToFace(face, at);
  const double h = field->at(on.point, f.bodies[0]);
  const Vec3 u = on.normal.unitOrthogonal(), v = on.normal.cross(u);
  QPolygonF corners;
  for (int k = 0; k < 6; ++k)
    corners << m_view->project(on.point + h * (std::cos(k * kPi / 3) * u + std::sin(k * kPi / 3) * v));
  const QPointF middle = m_view->project(on.point);
  double pixels = 0;
  for (const QPointF& c : corners) pixels = std::max(pixels, std::hypot(c.x() - middle.x(), c.y() - middle.y()));
  m_tile->show(corners, middle, QString::fromStdString(formatNumber(h, 3) + " " + m_part->unit), pixels);
  m_why->raise();
  m_whyFace = face;
  m_whyAt = on.point;
  if (!m_why->isVisible()) {
    m_whyWhere = where;
    m_whyTimer.start();
  }
}

void ViewPane::explainSize() {
  const SizeField* field = m_view->sizeField();
  if (!field || !m_part || m_whyFace < 0 || m_view->lens() != Lens::Size) return;
  std::vector<WhyBox::Line> lines;
  for (const auto& r : field->explain(m_whyAt, m_part->faces[static_cast<std::size_t>(m_whyFace)].bodies[0], 3))
    lines.push_back(
        {QString::fromStdString(formatNumber(r.size, 3) + " " + m_part->unit), m_reasonName(r.rule), r.rule});
  if (!lines.empty()) m_why->show(lines, (m_whyWhere + QPointF(22, 18)).toPoint());
}

void ViewPane::showScale() {
  if (!m_scale) return;
  if (m_view->lens() == Lens::Size && m_part && m_view->sizeRange().first > 0) {
    auto [lo, hi] = m_view->sizeRange();
    std::vector<LensScale::Tick> ticks;
    auto text = [&](double h) { return QString::fromStdString(formatNumber(h, 2)); };
    bool even = hi <= 1.001 * lo;
    if (even)
      ticks.push_back({1, text(hi)});
    else
      for (double t : {0.0, 0.25, 0.5, 0.75, 1.0}) ticks.push_back({t, text(lo * std::pow(hi / lo, t))});
    m_scale->show(even ? tr("asked for, %1: the same everywhere").arg(QString::fromStdString(m_part->unit))
                       : tr("size asked for, %1").arg(QString::fromStdString(m_part->unit)),
                  ticks, [even](double t) { return theme::size(even ? 1 : t); });
  } else if (m_view->lens() == Lens::Quality && m_shown.run && m_view->meshShown()) {
    const QualityScale scale = m_view->qualityScale();
    const auto& info = metricInfo(m_view->metric());
    QString unit = info.unit == std::string("deg") ? tr(", degrees") : QString();
    std::vector<LensScale::Tick> ticks;
    for (double t : {0.0, 0.5, 1.0}) {
      QString text = QString::fromStdString(formatNumber(scale.best() + t * (scale.worst() - scale.best()), 3));
      ticks.push_back({t, t == 1 && scale.limit() ? tr("limit %1").arg(text) : text});
    }
    m_scale->show(QString(info.name) + unit, ticks,
                  [end = scale.worstBadness()](double t) { return theme::quality(end * t); });
  } else
    m_scale->hide();
}

void ViewPane::showBeside(const ShownRun& other, std::shared_ptr<const Part> part) {
  if (!m_view) return;
  if (!m_beside) {
    m_beside = new Viewport;
    m_beside->setAccessibleName(tr("3D view of the second run"));
    m_besideText = new QLabel(m_beside);
    m_besideText->setObjectName("floatbar");
    m_besideText->move(12, 12);
    m_views->addWidget(m_beside);
    m_beside->hide(); // a splitter shows what is added
    // Either view leads: what one was turned to, the other follows when it has been drawn.
    connect(m_view, &Viewport::drawn, this, [this] {
      if (m_beside->isVisible()) m_beside->follow(*m_view);
    });
    connect(m_beside, &Viewport::drawn, this, [this] { m_view->followCamera(*m_beside); });
  }
  // Above one another where the room is not wide enough for two.
  m_views->setOrientation(m_views->width() > 1.3 * m_views->height() ? Qt::Horizontal : Qt::Vertical);
  m_beside->setPart(std::move(part));
  m_beside->setRun(other.run, other.look);
  m_other = other;
  sayBeside();
  const bool fresh = !m_beside->isVisible();
  m_beside->show();
  if (fresh) // half each, once the new one has its place
    QTimer::singleShot(0, m_views, [this] {
      const int all = m_views->orientation() == Qt::Horizontal ? m_views->width() : m_views->height();
      m_views->setSizes({all / 2, all / 2});
    });
  m_beside->follow(*m_view);
}

void ViewPane::hideBeside() {
  if (m_beside) m_beside->hide();
  m_other = {};
}

void ViewPane::sayBeside() {
  if (!m_beside || !m_other.run) return;
  const Metric metric = m_view->metric();
  auto worst = [&](const RunResult& r) {
    const auto& m = r.audit.metrics[static_cast<std::size_t>(metric)];
    return metricInfo(metric).highIsGood ? m.min : m.max;
  };
  auto text = [&](double v) {
    if (std::isnan(v)) return QString(QChar(0x2013)); // it says nothing of that mesh
    return QString::fromStdString(formatNumber(v, 3)) +
           (metricInfo(metric).unit == std::string("deg") ? QString(QChar(0xb0)) : QString());
  };
  QString line = tr("mesh of run %1 · %2 elements · %3 %4")
                     .arg(m_other.number)
                     .arg(QLocale(QLocale::English).toString(static_cast<qulonglong>(m_other.run->mesh.cells.size())))
                     .arg(QString::fromUtf8(metricInfo(metric).name).toLower())
                     .arg(text(worst(*m_other.run)));
  if (m_shown.run) {
    double mine = worst(*m_shown.run), its = worst(*m_other.run);
    const bool better = metricInfo(metric).highIsGood ? its > mine : its < mine;
    if (mine != its && !std::isnan(mine) && !std::isnan(its))
      line += (better ? tr(", <b>better</b> than run %1's %2") : tr(", worse than run %1's %2"))
                  .arg(m_shown.number)
                  .arg(text(mine));
  }
  m_besideText->setText(line);
  m_besideText->adjustSize();
}

} // namespace tess
