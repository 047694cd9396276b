// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/main_window.h"
#include "app/gate_dialog.h"
#include "app/theme.h"
#include "base/file.h"
#include "base/units.h"
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
#include <QPdfWriter>
#include <QRegularExpression>
#include <QSettings>
#include <QSplitter>
#include <QStyle>
#include <QTextDocument>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>
#include <filesystem>

namespace tess {

MainWindow::MainWindow(bool openGl) {
  setWindowTitle("Tesselite");
  setMinimumSize(1024, 660);
  resize(1280, 800);
  setAcceptDrops(true);
  m_worker = new MeshWorker(this);
  m_sizer = new MeshWorker(this);
  m_forecaster = new MeshWorker(this);
  m_measurer = new MeshWorker(this);
  m_keeper = new MeshWorker(this);
  m_previewer = new MeshWorker(this);
  m_teller = new MeshWorker(this);
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
  m_middle = new QWidget;
  row->addWidget(m_briefPanel);
  row->addWidget(m_middle, 1);
  row->addWidget(m_audit);
  all->addLayout(row, 1);
  auto* rule = new QFrame;
  rule->setFixedHeight(1);
  rule->setObjectName("rule");
  all->addWidget(rule);
  all->addWidget(m_runs = new RunsBar);
  buildViewport(openGl);
  buildMenus();
  connectPanels();
  m_keep.setSingleShot(true);
  m_keep.setInterval(600);
  connect(&m_keep, &QTimer::timeout, this, [this] {
    if (m_doc.modified())
      m_recovery.keep(m_doc.brief());
    else
      m_recovery.drop();
  });
  m_fileChanged.setSingleShot(true);
  m_fileChanged.setInterval(500);
  connect(&m_watcher, &QFileSystemWatcher::fileChanged, &m_fileChanged, qOverload<>(&QTimer::start));
  connect(&m_fileChanged, &QTimer::timeout, this, &MainWindow::filesChanged);
  refresh();
}

MainWindow::~MainWindow() {
  for (auto* w : {m_worker, m_sizer, m_forecaster, m_measurer, m_previewer, m_teller}) w->stop();
}

void MainWindow::buildViewport(bool openGl) {
  auto* box = new QVBoxLayout(m_middle);
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
  auto link = [](const QString& text, const QString& tip) {
    auto* b = new QToolButton;
    b->setObjectName("link");
    b->setText(text);
    b->setToolTip(tip);
    b->setCursor(Qt::PointingHandCursor);
    return b;
  };
  m_lensStrip = new QFrame(m_view);
  m_lensStrip->setObjectName("floating");
  auto* strip = new QHBoxLayout(m_lensStrip);
  strip->setContentsMargins(4, 3, 4, 3);
  strip->setSpacing(2);
  int i = 0;
  for (const QString& name : {tr("Part"), tr("Groups"), tr("Size"), tr("Quality"), tr("Regions"), tr("Edges")}) {
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
  m_selectionBar = new QFrame(m_view);
  m_selectionBar->setObjectName("floatbar");
  auto* both = new QVBoxLayout(m_selectionBar);
  both->setContentsMargins(10, 4, 6, 4);
  both->setSpacing(1);
  auto* s = new QHBoxLayout;
  both->addLayout(s);
  m_measureRow = new QWidget;
  auto* mrow = new QHBoxLayout(m_measureRow);
  mrow->setContentsMargins(0, 0, 0, 0);
  mrow->setSpacing(6);
  both->addWidget(m_measureRow);
  m_measureRow->hide();
  s->addWidget(m_selectionText = new QLabel);
  auto *group = link(tr("Group"), "G"), *size = link(tr("Size"), "Z"), *hide = link(tr("Hide"), "H"),
       *only = link(tr("Only this"), "O");
  for (auto* b : {group, size, hide, only}) s->addWidget(b);
  connect(group, &QToolButton::clicked, this, [this] {
    bool ok = false;
    QString n = QInputDialog::getText(this, tr("Group"), tr("Name of the group"), QLineEdit::Normal,
                                      QString::fromStdString(freshGroupName()), &ok);
    if (ok && !n.trimmed().isEmpty()) groupFromSelection(n.trimmed());
  });
  connect(size, &QToolButton::clicked, this, [this] { sizeFromSelection(); });
  connect(hide, &QToolButton::clicked, m_view, &Viewport::hideSelection);
  connect(only, &QToolButton::clicked, m_view, &Viewport::showOnlySelection);
  m_selectionBar->hide();
  m_sectionBar = new QFrame(m_view);
  m_sectionBar->setObjectName("floatbar");
  auto* c = new QHBoxLayout(m_sectionBar);
  c->setContentsMargins(10, 4, 6, 4);
  c->addWidget(m_sectionText = new QLabel);
  auto *manner = link(tr("whole cells"), tr("W: how the plane meets the cells")),
       *axis = link(tr("axis"), tr("Shift+X: the next axis")), *off = link(tr("off"), "X");
  auto *back = link("◂", tr("Shift+Left: move the plane")), *forth = link("▸", tr("Shift+Right: move the plane"));
  for (auto* b : {back, forth, manner, axis, off}) c->addWidget(b);
  connect(manner, &QToolButton::clicked, this, [this] {
    m_view->setSectionManner(m_view->sectionManner() == SectionManner::Cut ? SectionManner::WholeCells
                                                                           : SectionManner::Cut);
  });
  connect(axis, &QToolButton::clicked, m_view, &Viewport::nextSectionAxis);
  connect(off, &QToolButton::clicked, this, [this] { m_view->setSection(false); });
  connect(back, &QToolButton::clicked, this, [this] { m_view->moveSection(-0.02); });
  connect(forth, &QToolButton::clicked, this, [this] { m_view->moveSection(0.02); });
  m_sectionBar->hide();
  m_hint = new QLabel(m_view);
  m_hint->setObjectName("floatbar");
  connect(m_view, &Viewport::selectionChanged, this, &MainWindow::selectionChanged);
  connect(m_view, &Viewport::sectionChanged, this, [this, manner] {
    m_sectionBar->setVisible(m_view->sectionOn());
    const bool cut = m_view->sectionManner() == SectionManner::Cut;
    QString n = m_view->sectionCells() == 1 ? tr("1 cell") : tr("%L1 cells").arg(m_view->sectionCells());
    m_sectionText->setText(cut ? tr("cut: %1").arg(n) : tr("whole: %1").arg(n));
    manner->setText(cut ? tr("whole cells") : tr("cut through"));
    placeFloating();
  });
  connect(m_view, &Viewport::menuRequested, this, [this](const QPoint& p) {
    QMenu menu;
    bool some = !m_view->selection().empty();
    auto add = [&](const QString& t, bool on, auto&& f) {
      auto* a = menu.addAction(t);
      a->setEnabled(on);
      connect(a, &QAction::triggered, this, f);
    };
    if (m_view->pickDim() == Dim::Face && m_view->selection().size() == 1) {
      auto* take = menu.addMenu(tr("Take in"));
      for (const auto& way : alikeTable())
        if (describeAlike(*m_part, *m_view->selection().begin(), way.how)) {
          auto* a = take->addAction(tr(way.words));
          connect(a, &QAction::triggered, this, [this, how = way.how] { takeIn(how); });
        }
      menu.addSeparator();
    }
    add(tr("Hide"), some, [this] { m_view->hideSelection(); });
    add(tr("Only this"), some, [this] { m_view->showOnlySelection(); });
    add(tr("Show all"), true, [this] { m_view->showAll(); });
    add(tr("Fit"), true, [this] { m_view->fit(); });
    menu.exec(p);
  });
  m_tile = new SizeTile(m_view);
  m_scale = new LensScale(m_view);
  m_why = new WhyBox(m_view);
  m_whyTimer.setSingleShot(true);
  m_whyTimer.setInterval(450);
  connect(&m_whyTimer, &QTimer::timeout, this, &MainWindow::explainSize);
  connect(m_view, &Viewport::surfaceHovered, this, &MainWindow::hoverSurface);
  connect(m_why, &WhyBox::ruleClicked, this, [this](int rule) {
    // What follows from the shape is the overall rule's doing.
    for (std::size_t k = 0; rule < 0 && k < m_doc.brief().rules.size(); ++k)
      if (m_doc.brief().rules[k].kind == "everywhere" && !m_doc.brief().rules[k].off) rule = static_cast<int>(k);
    m_briefPanel->reveal(rule);
  });
  m_view->installEventFilter(this);
}

bool MainWindow::eventFilter(QObject* o, QEvent* e) {
  if (o == m_view && e->type() == QEvent::Resize) placeFloating();
  return QMainWindow::eventFilter(o, e);
}

void MainWindow::placeFloating() {
  if (!m_view) return;
  for (QWidget* w : {static_cast<QWidget*>(m_lensStrip), static_cast<QWidget*>(m_selectionBar),
                     static_cast<QWidget*>(m_sectionBar), static_cast<QWidget*>(m_hint)})
    w->adjustSize();
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
  else if (m_scale->isVisible() && m_sectionBar->geometry().intersects(m_scale->geometry().adjusted(-8, -8, 8, 8)))
    m_sectionBar->move(m_sectionBar->x(), m_scale->y() - m_sectionBar->height() - 8);
}

void MainWindow::resizeEvent(QResizeEvent* e) {
  QMainWindow::resizeEvent(e);
  placeFloating();
}

void MainWindow::buildMenus() {
  auto add = [this](QMenu* m, const QString& text, const QKeySequence& key, auto&& f) {
    auto* a = m->addAction(text);
    a->setShortcut(key);
    connect(a, &QAction::triggered, this, f);
    return a;
  };
  auto* file = menuBar()->addMenu(tr("File"));
  add(file, tr("Open part or brief…"), QKeySequence::Open, [this] { askOpen(); });
  add(file, tr("Save brief"), QKeySequence::Save, [this] { save(); });
  add(file, tr("Save brief as…"), QKeySequence::SaveAs, [this] {
    QString p = QFileDialog::getSaveFileName(this, tr("Save brief"), QString::fromStdString(m_doc.brief().path),
                                             tr("Briefs (*.brief)"));
    if (!p.isEmpty()) saveAs(p);
  });
  file->addSeparator();
  add(file, tr("Hand over…"), QKeySequence("Ctrl+E"), [this] { askExport(); });
  add(file, tr("Report…"), QKeySequence("Ctrl+R"), [this] {
    if (!currentRun()) {
      m_notice->ask("report", tr("There is no mesh to report on yet."), {{tr("fine"), {}}});
      return;
    }
    QString p = QFileDialog::getSaveFileName(this, tr("Report"), QString(), tr("Web page (*.html);;PDF (*.pdf)"));
    if (p.isEmpty()) return;
    if (auto bad = writeReport(p)) return tell(*bad);
    m_notice->ask("report", tr("Written: %1").arg(QFileInfo(p).fileName()), {{tr("fine"), {}}});
  });
  if (m_view)
    add(file, tr("Picture of the view…"), QKeySequence("Ctrl+P"), [this] {
      QString p = QFileDialog::getSaveFileName(this, tr("Picture"), QString(), tr("PNG (*.png)"));
      if (p.isEmpty()) return;
      if (!p.endsWith(".png")) p += ".png";
      if (!m_view->picture().save(p)) {
        Problem bad;
        bad.what = "the picture could not be written";
        bad.where = p.toStdString();
        bad.todo = "check the folder and the space on the disk";
        tell(bad);
      }
    });
  file->addSeparator();
  add(file, tr("Quit"), QKeySequence::Quit, [this] { close(); });
  auto* editMenu = menuBar()->addMenu(tr("Edit"));
  m_undo = add(editMenu, tr("Undo"), QKeySequence::Undo, [this] {
    m_doc.undo();
    briefChanged();
  });
  m_redo = add(editMenu, tr("Redo"), QKeySequence::Redo, [this] {
    m_doc.redo();
    briefChanged();
  });
  add(editMenu, tr("Say what you need…"), QKeySequence("Ctrl+K"), [this] { m_briefPanel->sayLine()->setFocus(); });
  if (m_view) {
    editMenu->addSeparator();
    add(editMenu, tr("Group from selection"), QKeySequence("G"), [this] {
      if (!m_view->selection().empty()) groupFromSelection(QString::fromStdString(freshGroupName()));
    });
    add(editMenu, tr("Size from selection"), QKeySequence("Z"), [this] { sizeFromSelection(); });
    add(editMenu, tr("Let go"), QKeySequence("Esc"), [this] {
      m_view->select(m_view->pickDim(), {});
      if (m_audit->histogram()->brushed()) m_audit->histogram()->brush(0, 0);
    });
    auto* view = menuBar()->addMenu(tr("View"));
    add(view, tr("Fit"), QKeySequence("F"), [this] { m_view->fit(); });
    int n = 1;
    struct Std {
      QString name;
      Vec3 dir, up;
    };
    for (const Std& s :
         {Std{tr("From the front"), {0, 1, 0}, {0, 0, 1}}, Std{tr("From behind"), {0, -1, 0}, {0, 0, 1}},
          Std{tr("From the left"), {1, 0, 0}, {0, 0, 1}}, Std{tr("From the right"), {-1, 0, 0}, {0, 0, 1}},
          Std{tr("From above"), {0, 0, -1}, {0, 1, 0}}, Std{tr("From below"), {0, 0, 1}, {0, 1, 0}}})
      add(view, s.name, QKeySequence(QString("Alt+%1").arg(n++)), [this, s] { m_view->view(s.dir, s.up); });
    m_viewsMenu = view->addMenu(tr("Kept views"));
    connect(m_viewsMenu, &QMenu::aboutToShow, this, &MainWindow::fillViews);
    add(view, tr("Keep this view…"), QKeySequence("Ctrl+B"), [this] {
      bool ok = false;
      const QString name = QInputDialog::getText(this, tr("Keep this view"), tr("Name of the view"), QLineEdit::Normal,
                                                 tr("view %1").arg(keptViews().size() + 1), &ok)
                               .trimmed();
      if (ok && !name.isEmpty()) keepView(name);
    });
    view->addSeparator();
    for (int i = 0; i < static_cast<int>(m_lensButtons.size()); ++i)
      add(view, tr("Lens: %1").arg(m_lensButtons[static_cast<std::size_t>(i)]->text()),
          QKeySequence(QString::number(i + 1)), [this, i] { setLens(i); });
    view->addSeparator();
    auto* mesh =
        add(view, tr("Show the mesh"), QKeySequence("M"), [this] { m_view->setMeshShown(!m_view->meshShown()); });
    mesh->setCheckable(true);
    mesh->setChecked(true);
    auto* edges =
        add(view, tr("Mesh edges"), QKeySequence("E"), [this] { m_view->setEdgesShown(!m_view->edgesShown()); });
    edges->setCheckable(true);
    edges->setChecked(true);
    auto* through =
        add(view, tr("See through"), QKeySequence("T"), [this] { m_view->setSeeThrough(!m_view->seeThrough()); });
    through->setCheckable(true);
    connect(view, &QMenu::aboutToShow, this, [this, mesh, edges, through] { // a kept view may have changed them
      mesh->setChecked(m_view->meshShown());
      edges->setChecked(m_view->edgesShown());
      through->setChecked(m_view->seeThrough());
    });
    auto* apart = add(view, tr("Cells apart"), QKeySequence("K"), [this] { m_view->setShrunk(!m_view->shrunk()); });
    apart->setCheckable(true);
    add(view, tr("Section"), QKeySequence("X"), [this] { m_view->setSection(!m_view->sectionOn()); });
    add(view, tr("Section: next axis"), QKeySequence("Shift+X"), [this] { m_view->nextSectionAxis(); });
    add(view, tr("Section: whole cells / through cells"), QKeySequence("W"), [this] {
      m_view->setSectionManner(m_view->sectionManner() == SectionManner::Cut ? SectionManner::WholeCells
                                                                             : SectionManner::Cut);
    });
    add(view, tr("Section: forth"), QKeySequence("Shift+Right"), [this] { m_view->moveSection(0.02); });
    add(view, tr("Section: back"), QKeySequence("Shift+Left"), [this] { m_view->moveSection(-0.02); });
    view->addSeparator();
    add(view, tr("Hide selection"), QKeySequence("H"), [this] { m_view->hideSelection(); });
    add(view, tr("Only the selection"), QKeySequence("O"), [this] { m_view->showOnlySelection(); });
    add(view, tr("Show all"), QKeySequence("U"), [this] { m_view->showAll(); });
    add(view, tr("Pick bodies, faces, edges, points in turn"), QKeySequence("Space"), [this] {
      Dim next = m_view->pickDim() == Dim::Body   ? Dim::Face
                 : m_view->pickDim() == Dim::Face ? Dim::Edge
                 : m_view->pickDim() == Dim::Edge ? Dim::Point
                                                  : Dim::Body;
      m_view->setPickDim(next);
      showHint();
    });
  }
  if (!m_view) menuBar()->addMenu(tr("View"))->setObjectName("view");
  QMenu* viewMenu = nullptr;
  for (auto* m : menuBar()->findChildren<QMenu*>())
    if (m->title() == tr("View")) viewMenu = m;
  viewMenu->addSeparator();
  auto* looks = viewMenu->addMenu(tr("Appearance"));
  auto* one = new QActionGroup(this);
  for (const QString& name : {tr("As the system"), tr("Light"), tr("Dark")}) {
    auto* a = looks->addAction(name);
    a->setCheckable(true);
    one->addAction(a);
    auto which = static_cast<Appearance>(m_looks.size());
    connect(a, &QAction::triggered, this, [this, which] { setAppearance(which); });
    m_looks.push_back(a);
  }
  auto* partMenu = menuBar()->addMenu(tr("Part"));
  add(partMenu, tr("Propose groups"), QKeySequence("Ctrl+G"), [this] { proposeGroups(); });
  auto* purpose = partMenu->addMenu(tr("Rules for"));
  for (const auto& p : purposes()) {
    auto* a = purpose->addAction(tr(p.c_str()));
    connect(a, &QAction::triggered, this, [this, p] { setPurpose(p); });
  }
  partMenu->addSeparator();
  add(partMenu, tr("Read the part again"), QKeySequence("F5"), [this] { reloadPart(); });
  add(partMenu, tr("Put another part in its place…"), QKeySequence(), [this] {
    QString p = QFileDialog::getOpenFileName(
        this, tr("Another part"), QString(),
        tr("Parts (*.step *.stp *.iges *.igs *.brep *.brp *.stl *.obj *.ply *.vtp *.vtk)"));
    if (!p.isEmpty()) swapPart(p);
  });
  if (m_view) {
    partMenu->addSeparator();
    auto* take = partMenu->addMenu(tr("Take in with the selected face"));
    for (const auto& way : alikeTable()) {
      auto* a = take->addAction(tr(way.words));
      connect(a, &QAction::triggered, this, [this, how = way.how] { takeIn(how); });
    }
  }
  auto* run = menuBar()->addMenu(tr("Run"));
  add(run, tr("Mesh"), QKeySequence("Ctrl+Return"), [this] { startMesh(); });
  add(run, tr("Mesh from nothing"), QKeySequence("Ctrl+Shift+Return"), [this] { startMesh(true); });
  add(run, tr("Stop"), QKeySequence("Ctrl+."), [this] { stopMesh(); });
  auto* surface = add(run, tr("Keep this surface mesh"), QKeySequence(), [this] { keepSurface(); });
  connect(run, &QMenu::aboutToShow, this, [this, surface] { surface->setEnabled(currentRun() && !m_worker->busy()); });
  connect(run, &QMenu::aboutToHide, surface, [surface] { surface->setEnabled(true); });
  add(run, tr("Improve the mesh"), QKeySequence("I"), [this] {
    // A range chosen in the histogram is what is meant; else the whole mesh.
    auto* h = m_audit->histogram();
    improveMesh(h->brushed() ? metricInfo(m_audit->metric()).id + (":" + formatNumber(h->from(), 9)) + ".." +
                                   formatNumber(h->to(), 9)
                             : "");
  });
  add(run, tr("Compare two runs…"), QKeySequence("C"), [this] { compareRuns(); });
  run->addSeparator();
  add(run, tr("Finer: all sizes × 0.8"), QKeySequence("Ctrl++"), [this] { scaleSizes(0.8); });
  add(run, tr("Coarser: all sizes × 1.25"), QKeySequence("Ctrl+-"), [this] { scaleSizes(1.25); });
  run->addSeparator();
  add(run, tr("Next worst place"), QKeySequence("."), [this] { m_audit->stepWorst(1); });
  add(run, tr("Previous worst place"), QKeySequence(","), [this] { m_audit->stepWorst(-1); });
  add(run, tr("Element or node by number…"), QKeySequence("Ctrl+F"), [this] {
    auto r = currentRun();
    if (!r) return;
    bool ok = false;
    QString t = QInputDialog::getText(this, tr("Find"), tr("Number of an element, or n and the number of a node"),
                                      QLineEdit::Normal, QString(), &ok)
                    .trimmed();
    if (ok && !findByNumber(t)) m_notice->ask("find", tr("There is no '%1' in this mesh.").arg(t), {{tr("fine"), {}}});
  });
  auto* help = menuBar()->addMenu(tr("Help"));
  add(help, tr("Keys and mouse"), QKeySequence("?"), [this] {
    QString rows;
    for (auto* m : menuBar()->findChildren<QMenu*>())
      for (auto* a : m->actions())
        if (!a->shortcut().isEmpty())
          rows += "<tr><td><b>" + a->shortcut().toString().toHtmlEscaped() + "</b>&nbsp;&nbsp;</td><td>" +
                  a->text().toHtmlEscaped() + "</td></tr>";
    QMessageBox::information(this, tr("Keys and mouse"),
                             tr("Left picks, Ctrl adds; right drags to turn, a click opens the menu; middle pans; the "
                                "wheel zooms to the pointer. With a section on, left drags the plane.") +
                                 "<br><br><table>" + rows + "</table>");
  });
  add(help, tr("About"), QKeySequence(), [this] {
    QMessageBox::about(
        this, tr("About"),
        tr("Tesselite %1\nMeshes for simulation.\nGPL-3.0-or-later").arg(QApplication::applicationVersion()));
  });
  m_statusText = new QLabel;
  m_statusText->setObjectName("small");
  m_statusText->setContentsMargins(0, 0, 14, 0);
  m_statusText->setFixedWidth(420);
  m_statusText->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  m_statusText->setMinimumHeight(menuBar()->sizeHint().height()); // or it sits at the upper rim
  menuBar()->setCornerWidget(m_statusText, Qt::TopRightCorner);
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
  connect(m_briefPanel, &BriefPanel::ruleWanted, this, [this](const std::string& kind) {
    if (!m_part) return;
    const RuleKind* known = ruleKind(kind);
    if (known && known->section == "Sizes" && kind != "everywhere") return sizeFromSelection(kind);
    if (kind == "group" && m_view && !m_view->selection().empty())
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
            r.values["path"] = std::filesystem::path(m_part->path).stem().string() + ".inp";
            r.values["format"] = "inp";
          }
          b.rules.push_back(r);
        },
        tr("add %1").arg(QString::fromStdString(kind)));
  });
  connect(m_briefPanel, &BriefPanel::hovered, this, [this](int r) {
    m_hovered = r;
    if (!m_typing) previewCard(r);
  });
  connect(m_briefPanel, &BriefPanel::valueTyped, this, &MainWindow::previewTyped);
  connect(m_briefPanel, &BriefPanel::typingLeft, this, &MainWindow::leavePreview);
  connect(m_previewer, &MeshWorker::previewed, this, [this](int rule, const RulePreview& p) {
    if (m_typing) m_briefPanel->showPreview(rule, QString::fromStdString(p.text), false);
    if (m_view) {
      m_view->light(p.dim, {p.lit.begin(), p.lit.end()});
      m_view->showMarks(p.marks, p.outline);
    }
    emit previewed(rule);
  });
  connect(m_teller, &MeshWorker::told, m_briefPanel, &BriefPanel::setPreviews);
  connect(m_previewer, &MeshWorker::notPreviewed, this, [this](int rule, const Problem& p) {
    if (m_typing) m_briefPanel->showPreview(rule, theme::sentences(p.what, p.todo), true);
    if (m_view) m_view->showMarks({}, {});
    emit previewed(rule);
  });
  connect(m_audit, &AuditPanel::metricChanged, this, [this](Metric m) {
    if (m_view) m_view->setMetric(m);
    sayBeside();
    showScale();
  });
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
    m_view->flyTo(sprawls ? one.center() : all.center(), sprawls ? 14 * one.diagonal() : 6 * all.diagonal());
  });
  connect(m_audit, &AuditPanel::keepFailing, this, &MainWindow::keepFailing);
  connect(m_runs, &RunsBar::pinWanted, this, &MainWindow::pinRun);
  connect(m_runs, &RunsBar::discardWanted, this, &MainWindow::discardRun);
  connect(m_measurer, &MeshWorker::measured, this, [this](const std::vector<Measure>& all) {
    m_measures = all;
    showMeasures();
    emit measured();
  });
  connect(m_keeper, &MeshWorker::kept, this, [this](const QString&) {
    m_kept.prune();
    keepNextRun();
  });
  connect(m_keeper, &MeshWorker::failed, this, [this](const Problem& p) {
    m_notice->ask("runs", tr("The run could not be kept: %1").arg(QString::fromStdString(p.why)), {{tr("fine"), {}}});
  });
  connect(m_keeper, &MeshWorker::recalled, this, [this](const std::vector<RecalledRun>& runs) {
    // Runs of earlier sessions stand before those made meanwhile.
    std::string stamp = partStampOf(m_doc.brief().partPath());
    std::size_t n = 0;
    for (const auto& r : runs) {
      if (!m_part || r.run->mesh.unit != m_part->unit) continue; // made when the file's numbers meant something else
      auto at = static_cast<std::ptrdiff_t>(n++);
      m_allRuns.insert(m_allRuns.begin() + at, r.run);
      m_runParts.insert(m_runParts.begin() + at, r.partStamp == stamp ? m_part : nullptr);
      m_runFiles.insert(m_runFiles.begin() + at, r.file);
    }
    if (m_current >= 0) m_current += static_cast<int>(n);
    refresh();
    keepNextRun();
    emit runsRecalled();
  });
  connect(m_audit, &AuditPanel::showProblem, this, &MainWindow::showProblem);
  connect(m_audit, &AuditPanel::fixProblem, this, &MainWindow::fixProblem);
  connect(m_runs, &RunsBar::meshWanted, this, [this] { startMesh(); });
  connect(m_runs, &RunsBar::stopWanted, this, &MainWindow::stopMesh);
  connect(m_runs, &RunsBar::runClicked, this, &MainWindow::showRun);
  connect(m_worker, &MeshWorker::progressed, this, [this](const QString& stage, double share) {
    m_runs->setProgress(stage, share, static_cast<double>(m_clock.elapsed()) / 1000);
  });
  connect(m_worker, &MeshWorker::loaded, this, [this](std::shared_ptr<const Part> p) {
    m_part = std::move(p);
    m_sizes.reset();
    m_meshing = false;
    m_taskProblems.clear();
    if (m_view) m_view->setPart(m_part);
    m_runs->setBusy(false, false);
    briefChanged();
    if (m_worker->busy()) return; // the brief had moved on while the part was read
    if (m_partBefore) {
      m_reboundGroups = compareGroups(m_doc.brief(), *m_partBefore, m_groupsBefore, *m_part, m_groups);
      m_rebound = reboundFindings(m_reboundGroups, *m_part);
      m_partBefore.reset();
      refresh();
    } else if (m_allRuns.empty()) {
      m_kept.follow(m_doc.brief());
      if (auto files = m_kept.files(); !files.isEmpty()) m_keeper->recall(files);
    }
    watchFiles();
    emit partLoaded();
  });
  connect(m_sizer, &MeshWorker::sized, this,
          [this](std::shared_ptr<const SizeField> field, std::shared_ptr<const SizeShade> shade,
                 const std::vector<Problem>& problems) {
            m_sizes = field;
            m_teller->tell(m_doc.brief(), m_part, m_groups, field);
            if (!m_typing) previewCard(m_hovered); // it may have been drawn with the sizes before
            if (m_view) m_view->setSizeField(field, shade);
            showScale();
            bool broken = false;
            for (const auto& x : m_briefProblems) broken = broken || x.severity == Severity::Error;
            if (m_part && !broken) m_forecaster->forecast(m_doc.brief(), m_part, field);
            bool changed = !problems.empty() || !m_sizeProblems.empty();
            m_sizeProblems = problems;
            if (changed) refresh(); // a chip may be open for typing: only when there is news
          });
  connect(m_forecaster, &MeshWorker::forecasted, this, [this](const Forecast& f) {
    m_forecast = f;
    showReady();
    emit forecastReady();
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
    QStringList done;
    for (const auto& r : rules)
      done << QFileInfo(QString::fromStdString(run ? run->brief.resolve(r.get("path")) : r.get("path"))).fileName();
    if (run && m_part) {
      Box b;
      for (const Vec3& x : run->mesh.nodes) b.add(x);
      Vec3 s = b.size();
      m_notice->ask("handed over",
                    tr("Written and read back: %1 · %L2 elements · %3 × %4 × %5 %6")
                        .arg(done.join(", "))
                        .arg(run->mesh.cells.size())
                        .arg(s.x(), 0, 'g', 4)
                        .arg(s.y(), 0, 'g', 4)
                        .arg(s.z(), 0, 'g', 4)
                        .arg(QString::fromStdString(run->mesh.unit)),
                    {{tr("fine"), {}}});
    }
    emit handedOver();
  });
  connect(m_worker, &MeshWorker::finished, this,
          [this](std::shared_ptr<const RunResult> r, std::shared_ptr<const MeshLook> look) {
            m_meshLooks[r.get()] = std::move(look);
            m_meshing = false;
            m_taskProblems.clear();
            m_runs->setBusy(false, false);
            m_allRuns.push_back(std::move(r));
            m_runParts.push_back(m_part);
            m_runFiles.emplace_back();
            keepNextRun();
            showRun(static_cast<int>(m_allRuns.size()) - 1);
            if (m_compare && m_compare->isVisible() && m_allRuns.size() > 1) m_compare->setRuns(m_allRuns);
            readAgain();
            emit runFinished();
          });
  connect(m_worker, &MeshWorker::failed, this, [this](const Problem& p) {
    m_meshing = false;
    m_runs->setBusy(false, false);
    m_taskProblems = {p};
    refresh();
    if (!m_part)
      tell(p);
    else
      showProblem(p);
    emit taskFailed(p);
  });
  connect(m_worker, &MeshWorker::stopped, this, [this] {
    m_meshing = false;
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
  m_typing = false;
  for (auto* w : {m_forecaster, m_previewer, m_teller}) w->drop();
  if (m_sizedRules != m_doc.brief().rules.size()) m_sizes.reset(); // its reasons are numbers of other rules
  m_sizedRules = m_doc.brief().rules.size();
  m_keep.start();
  m_briefProblems.clear();
  m_groups.clear();
  if (m_part) {
    m_briefProblems = validateBrief(m_doc.brief(), m_part->unit);
    m_groups = resolveGroups(m_doc.brief(), *m_part, m_briefProblems);
    m_sizer->size(m_doc.brief(), m_part, m_groups);
    if (m_view) m_view->setGroups(m_groups);
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
  } else if (m_part)
    findings.insert(findings.end(), m_part->problems.begin(), m_part->problems.end());
  m_audit->setFindings(findings);
  std::vector<char> pinned;
  for (const QString& f : m_runFiles) pinned.push_back(RunKeeper::pinned(f));
  m_runs->setRuns(m_allRuns, m_current, m_doc.brief(), pinned);
  showReady();
  QString name = m_doc.brief().path.empty() ? (m_part ? tr("unsaved brief") : QString())
                                            : QFileInfo(QString::fromStdString(m_doc.brief().path)).fileName();
  m_statusText->setText(name + (m_doc.modified() ? tr(" · changed") : ""));
  setWindowTitle(name.isEmpty() ? "Tesselite" : name + " – Tesselite");
  m_undo->setEnabled(m_doc.canUndo());
  m_redo->setEnabled(m_doc.canRedo());
  m_undo->setText(m_doc.canUndo() ? tr("Undo: %1").arg(QString::fromStdString(m_doc.undoText())) : tr("Undo"));
  m_redo->setText(m_doc.canRedo() ? tr("Redo: %1").arg(QString::fromStdString(m_doc.redoText())) : tr("Redo"));
  showHint();
}

void MainWindow::showHint() {
  if (!m_view) return;
  static const char* lenses[] = {"part", "groups", "size", "quality", "regions", "edges"};
  QString what = currentRun() && m_view->meshShown() ? tr("mesh of run %1").arg(m_current + 1)
                 : m_part                            ? tr("part")
                                                     : tr("nothing open");
  if (m_view->lens() == Lens::Edges && m_part) {
    auto count = [](std::size_t n, const QString& one, const QString& many) {
      return n == 1 ? one : many.arg(n ? QLocale().toString(static_cast<qulonglong>(n)) : tr("no"));
    };
    what +=
        " · " + count(m_view->openEdges(), tr("1 open edge"), tr("%1 open edges")) + ", " +
        count(m_view->sharedEdges(), tr("1 where three or more faces meet"), tr("%1 where three or more faces meet"));
  }
  m_hint->setText(tr("Lens: %1 · %2 · picks <b>%3s</b> (Space)")
                      .arg(lenses[static_cast<int>(m_view->lens())])
                      .arg(what)
                      .arg(dimName(m_view->pickDim()) == std::string("body") ? "bodie" : dimName(m_view->pickDim())));
  placeFloating();
}

void MainWindow::previewCard(int rule) {
  const auto& rules = m_doc.brief().rules;
  const auto i = static_cast<std::size_t>(rule);
  const bool some = m_part && rule >= 0 && i < rules.size() && !rules[i].off;
  if (some) // what it acts on at once, the rest when it is known
    m_previewer->preview(m_doc.brief(), rule, m_part, m_groups, m_sizes);
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
  m_previewer->preview(asTyped, rule, m_part, m_groups, m_sizes);
}

void MainWindow::leavePreview() {
  if (!m_typing) return;
  m_typing = false;
  refresh(); // the card says again what it said
  previewCard(m_hovered);
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
  if (!m_forecast)
    return tr("<b>Ready</b> · %1 %2 everywhere")
        .arg(QString::fromStdString(formatNumber(overallTarget(m_doc.brief(), *m_part), 3)))
        .arg(QString::fromStdString(m_part->unit));
  const Forecast& f = *m_forecast;
  bool over = false;
  for (const auto& p : f.problems) over = over || p.code == "forecast.budget";
  QString memory = f.memoryBytes < 1e9 ? tr("%1 MB").arg(f.memoryBytes / 1e6, 0, 'f', 0)
                                       : tr("%1 GB").arg(f.memoryBytes / 1e9, 0, 'f', 1);
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
  t += f.calibrationRuns ? tr("<br>time and memory after %1 runs on this machine").arg(f.calibrationRuns)
                         : tr("<br>time and memory are not yet known on this machine");
  for (const auto& s : f.byRule)
    if (s.elements > 0.03 * f.elements)
      t += QString("<br>%1 % ").arg(100 * s.elements / f.elements, 0, 'f', 0) +
           QString::fromStdString(s.name).toHtmlEscaped();
  for (const auto& p : f.problems) t += "<br><i>" + QString::fromStdString(p.what).toHtmlEscaped() + "</i>";
  return t;
}

void MainWindow::hoverSurface(int face, const Vec3& at, const QPointF& where) {
  if (!m_tile) return;
  const SizeField* field = m_view->sizeField();
  if (face < 0 || !field || !m_part || m_view->lens() != Lens::Size) {
    m_tile->clear();
    m_whyTimer.stop();
    if (!m_why->underMouse()) m_why->hide();
    return;
  }
  if (m_why->isVisible() && (where - m_whyWhere).manhattanLength() > 40) m_why->hide();
  const PartFace& f = m_part->faces[static_cast<std::size_t>(face)];
  FaceProjection on = m_part->shape->projectToFace(face, at);
  double h = field->at(on.point, f.bodies[0]);
  Vec3 u = on.normal.unitOrthogonal(), v = on.normal.cross(u);
  QPolygonF corners;
  for (int k = 0; k < 6; ++k)
    corners << m_view->project(on.point + h * (std::cos(k * kPi / 3) * u + std::sin(k * kPi / 3) * v));
  QPointF middle = m_view->project(on.point);
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

void MainWindow::explainSize() {
  const SizeField* field = m_view->sizeField();
  if (!field || !m_part || m_whyFace < 0 || m_view->lens() != Lens::Size) return;
  std::vector<WhyBox::Line> lines;
  for (const auto& r : field->explain(m_whyAt, m_part->faces[static_cast<std::size_t>(m_whyFace)].bodies[0], 3))
    lines.push_back({QString::fromStdString(formatNumber(r.size, 3) + " " + m_part->unit),
                     QString::fromStdString(sizeReasonName(m_doc.brief(), r.rule)), r.rule});
  if (!lines.empty()) m_why->show(lines, (m_whyWhere + QPointF(22, 18)).toPoint());
}

void MainWindow::showScale() {
  if (!m_scale) return;
  auto run = currentRun();
  if (m_view->lens() == Lens::Size && m_part && m_view->sizeRange().first > 0) {
    auto [lo, hi] = m_view->sizeRange();
    std::vector<LensScale::Tick> ticks;
    auto text = [&](double h) { return QString::fromStdString(formatNumber(h, 2)); };
    bool even = hi <= 1.001 * lo;
    if (even)
      ticks.push_back({1, text(hi)});
    else
      for (double t : {0.0, 0.25, 0.5, 0.75, 1.0}) ticks.push_back({t, text(lo * std::pow(hi / lo, t))});
    m_scale->show(even ? tr("size asked for, %1: the same everywhere").arg(QString::fromStdString(m_part->unit))
                       : tr("size asked for, %1").arg(QString::fromStdString(m_part->unit)),
                  ticks, [even](double t) { return theme::size(even ? 1 : t); });
  } else if (m_view->lens() == Lens::Quality && run && m_view->meshShown()) {
    auto r = m_view->qualityRange();
    const auto& info = metricInfo(m_view->metric());
    QString unit = info.unit == std::string("deg") ? tr(", degrees") : QString();
    std::vector<LensScale::Tick> ticks;
    for (double t : {0.0, 0.5, 1.0}) {
      QString text = QString::fromStdString(formatNumber(r.best + t * (r.worst - r.best), 3));
      ticks.push_back({t, t == 1 && r.limit ? tr("limit %1").arg(text) : text});
    }
    m_scale->show(QString(info.name) + unit, ticks, [](double t) { return theme::quality(t); });
  } else
    m_scale->hide();
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
    p.setColor(group, QPalette::Highlight, theme::accent);
    p.setColor(group, QPalette::HighlightedText, theme::card);
  }
  QApplication::setPalette(p);
  qApp->setStyleSheet(theme::styleSheet());
  if (m_view) m_view->applyTheme();
  if (m_beside) m_beside->applyTheme();
  m_statusText->setMinimumHeight(menuBar()->sizeHint().height()); // or it sits at the upper rim
  for (std::size_t i = 0; i < m_looks.size(); ++i)
    m_looks[i]->setChecked(static_cast<int>(i) == static_cast<int>(appearance));
  showScale();
  refresh();
}

void MainWindow::setLens(int i) {
  for (std::size_t k = 0; k < m_lensButtons.size(); ++k) m_lensButtons[k]->setChecked(static_cast<int>(k) == i);
  m_view->setLens(static_cast<Lens>(i));
  m_tile->clear();
  m_why->hide();
  showScale();
  showHint();
}

std::shared_ptr<const RunResult> MainWindow::currentRun() const {
  return m_current >= 0 && m_current < static_cast<int>(m_allRuns.size())
             ? m_allRuns[static_cast<std::size_t>(m_current)]
             : nullptr;
}

namespace {
/// Views belong to a part, by where its file lies.
QString viewsOf(const Part& part) {
  return "views/" + QString::fromUtf8(QFileInfo(QString::fromStdString(part.path)).absoluteFilePath().toUtf8().toHex());
}
} // namespace

QMap<QString, QString> MainWindow::keptViews() const {
  QMap<QString, QString> r;
  if (!m_part) return r;
  QSettings s;
  s.beginGroup(viewsOf(*m_part));
  for (const QString& k : s.childKeys())
    r[QString::fromUtf8(QByteArray::fromHex(k.toLatin1()))] = s.value(k).toString();
  return r;
}

void MainWindow::keepView(const QString& name) {
  if (!m_view || !m_part) return;
  QSettings().setValue(viewsOf(*m_part) + "/" + QString::fromLatin1(name.toUtf8().toHex()), m_view->viewState());
  m_notice->ask("view", tr("Kept: the view '%1' is in the menu View, for this part.").arg(name), {{tr("fine"), {}}});
}

bool MainWindow::showView(const QString& name) {
  if (!m_view) return false;
  const auto views = keptViews();
  const auto it = views.find(name);
  if (it == views.end() || !m_view->setViewState(*it)) return false;
  m_audit->setMetric(m_view->metric());
  setLens(static_cast<int>(m_view->lens()));
  return true;
}

void MainWindow::forgetView(const QString& name) {
  if (m_part) QSettings().remove(viewsOf(*m_part) + "/" + QString::fromLatin1(name.toUtf8().toHex()));
}

void MainWindow::fillViews() {
  m_viewsMenu->clear();
  const auto views = keptViews();
  if (views.isEmpty())
    m_viewsMenu->addAction(tr("none yet: turn the part as you like it, then keep the view"))->setEnabled(false);
  for (auto it = views.begin(); it != views.end(); ++it) {
    const QString name = it.key();
    connect(m_viewsMenu->addAction(name), &QAction::triggered, this, [this, name] { showView(name); });
  }
  if (views.isEmpty()) return;
  m_viewsMenu->addSeparator();
  auto* forget = m_viewsMenu->addMenu(tr("Forget"));
  for (auto it = views.begin(); it != views.end(); ++it) {
    const QString name = it.key();
    connect(forget->addAction(name), &QAction::triggered, this, [this, name] { forgetView(name); });
  }
}

std::shared_ptr<const MeshLook> MainWindow::lookOf(const std::shared_ptr<const RunResult>& run) {
  std::erase_if(m_meshLooks, [&](const auto& x) {
    return std::none_of(m_allRuns.begin(), m_allRuns.end(), [&](const auto& r) { return r.get() == x.first; });
  });
  if (!run) return nullptr;
  auto& look = m_meshLooks[run.get()];
  if (!look) look = std::make_shared<const MeshLook>(lookAt(run->mesh));
  return look;
}

void MainWindow::showRun(int index) {
  m_current = index;
  auto r = currentRun();
  if (m_view) m_view->setRun(r, lookOf(r));
  m_audit->setRun(r);
  showScale();
  refresh();
}

void MainWindow::selectionChanged() {
  if (!m_view) return;
  auto n = m_view->selection().size();
  m_selectionBar->setVisible(n > 0);
  QString kind = m_view->pickDim() == Dim::Body ? (n == 1 ? tr("body") : tr("bodies"))
                                                : QString(dimName(m_view->pickDim())) + (n == 1 ? "" : "s");
  m_selectionText->setText(QString("%1 %2 ·").arg(n).arg(kind));
  m_measures.clear();
  showMeasures();
  if (m_part && n > 0)
    m_measurer->measure(m_part, m_view->pickDim(), {m_view->selection().begin(), m_view->selection().end()});
}

void MainWindow::showMeasures() {
  if (!m_measureRow) return;
  auto* row = static_cast<QHBoxLayout*>(m_measureRow->layout());
  while (auto* i = row->takeAt(0)) {
    if (auto* w = i->widget()) {
      w->hide();
      w->setParent(nullptr);
      w->deleteLater();
    }
    delete i;
  }
  for (const auto& m : m_measures) {
    QString words = QString::fromStdString(m.name + " " + m.text(m_part->unit)).replace("^2", "²").replace("^3", "³");
    if (m.dim > 1) { // no size can use an area
      row->addWidget(new QLabel(words));
      continue;
    }
    auto* b = new QToolButton;
    b->setObjectName("link");
    b->setText(words);
    b->setToolTip(tr("keep it as a value that sizes can use"));
    b->setCursor(Qt::PointingHandCursor);
    connect(b, &QToolButton::clicked, this, [this, m] { keepMeasure(m); });
    row->addWidget(b);
  }
  row->addStretch();
  m_measureRow->setVisible(!m_measures.empty());
  placeFloating();
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
  edit([&](Brief& b) { b = withPurpose(b, purpose); }, tr("rules for %1").arg(QString::fromStdString(purpose)));
}

void MainWindow::replaceRun(int index, std::shared_ptr<const RunResult> run) {
  auto i = static_cast<std::size_t>(index);
  m_allRuns[i] = std::move(run);
  // Written anew, under its old name.
  if (!m_runFiles[i].isEmpty()) RunKeeper::discard(m_runFiles[i]);
  m_runFiles[i].clear();
  keepNextRun();
  if (index == m_current) showRun(index);
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
  replaceRun(m_current, std::make_shared<const RunResult>(std::move(r)));
  m_notice->ask("failing", tr("The set 'failing' holds %1 elements; it is handed over with the mesh.").arg(n),
                {{tr("fine"), {}}});
}

void MainWindow::keepNextRun() {
  if (m_keeper->busy()) return;
  for (std::size_t i = 0; i < m_allRuns.size(); ++i)
    if (m_runFiles[i].isEmpty()) {
      m_kept.follow(m_doc.brief());
      m_runFiles[i] = m_kept.freshFile();
      m_keeper->keep(m_allRuns[i], m_runParts[i] ? partStampOf(m_runParts[i]->path) : std::string(), m_runFiles[i]);
      return;
    }
}

void MainWindow::pinRun(int index, bool on) {
  auto i = static_cast<std::size_t>(index);
  if (i >= m_runFiles.size() || m_runFiles[i].isEmpty()) return;
  m_runFiles[i] = RunKeeper::pin(m_runFiles[i], on);
  refresh();
}

void MainWindow::discardRun(int index) {
  auto i = static_cast<std::size_t>(index);
  if (i >= m_allRuns.size() || m_worker->busy()) return;
  if (!m_runFiles[i].isEmpty()) RunKeeper::discard(m_runFiles[i]);
  auto at = static_cast<std::ptrdiff_t>(i);
  m_allRuns.erase(m_allRuns.begin() + at);
  m_runParts.erase(m_runParts.begin() + at);
  m_runFiles.erase(m_runFiles.begin() + at);
  if (m_compare) m_compare->hide();
  showBeside(-1, -1); // its runs are told by their numbers
  int next = m_current > index ? m_current - 1 : m_current == index ? -1 : m_current;
  showRun(next);
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

void MainWindow::sizeFromSelection(const std::string& kind) {
  if (!m_part) return;
  std::string on = "everywhere";
  const RuleKind* known = ruleKind(kind);
  if (known && known->slot("on") && m_view && !m_view->selection().empty()) {
    std::vector<int> e(m_view->selection().begin(), m_view->selection().end());
    on.clear();
    for (const auto& g : m_groups)
      if (g.dim == m_view->pickDim() && g.entities == e) on = g.name;
    if (on.empty()) {
      on = freshGroupName();
      groupFromSelection(QString::fromStdString(on));
    }
  }
  edit([&](Brief& b) { b.rules.push_back(freshRule(kind, on, b, *m_part)); },
       tr("add %1").arg(QString::fromStdString(kind)));
  int at = static_cast<int>(m_doc.brief().rules.size()) - 1;
  const Slot* next = known ? askedFirst(*known) : nullptr;
  std::string key = next ? next->key : "";
  QMetaObject::invokeMethod(
      this, [this, at, key] { m_briefPanel->editChip(at, key); }, Qt::QueuedConnection);
}

void MainWindow::showProblem(const Problem& p) {
  if (!m_view || !m_part) return;
  if (!p.faces.empty()) m_view->select(Dim::Face, {p.faces.begin(), p.faces.end()});
  if (!p.places.empty()) m_view->flyTo(p.places.front(), 0.35 * m_part->diagonal());
}

void MainWindow::fixProblem(const Problem& p) {
  if (!m_part) return;
  if (p.code == "groups.unassigned") return proposeGroups();
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
  if (!m_part || m_worker->busy()) return;
  m_meshing = true;
  m_clock.start();
  // The newest run whose mesh serves the brief as it is now.
  std::shared_ptr<const RunResult> before;
  for (std::size_t i = m_allRuns.size(); !fromNothing && !before && i-- > 0;)
    if (m_runParts[i] == m_part && reusable(m_doc.brief(), *m_allRuns[i]) != Reuse::None) before = m_allRuns[i];
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

void MainWindow::readPart() {
  auto options = loadOptionsOf(m_doc.brief());
  if (!options) return tell(options.problem());
  m_loaded = *options;
  m_clock.start();
  m_worker->load(QString::fromStdString(m_doc.brief().partPath()), m_loaded);
  m_runs->setBusy(true, false);
  refresh();
}

void MainWindow::loadPartOfBrief() {
  // What is on its way belongs to the part that goes now.
  for (auto* w : {m_sizer, m_forecaster, m_measurer, m_keeper, m_previewer, m_teller}) w->drop();
  m_part.reset();
  m_sizes.reset();
  m_partBefore.reset();
  m_groups.clear();
  m_briefProblems.clear();
  m_sizeProblems.clear();
  m_taskProblems.clear();
  m_rebound.clear();
  m_forecast.reset();
  if (m_compare) m_compare->hide();
  showBeside(-1, -1);
  m_allRuns.clear();
  m_runParts.clear();
  m_runFiles.clear();
  m_measures.clear();
  m_current = -1;
  m_audit->setRun(nullptr);
  if (m_view) m_view->setPart(nullptr);
  readPart();
}

void MainWindow::reloadPart() {
  if (!m_part || m_worker->busy()) return;
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

void MainWindow::watchFiles() {
  if (!m_watcher.files().isEmpty()) m_watcher.removePaths(m_watcher.files());
  QStringList files;
  for (const std::string& f : {m_doc.brief().partPath(), m_doc.brief().path})
    if (!f.empty() && QFileInfo::exists(QString::fromStdString(f))) files << QString::fromStdString(f);
  if (!files.isEmpty()) m_watcher.addPaths(files);
  m_partTime = QFileInfo(QString::fromStdString(m_doc.brief().partPath())).lastModified();
  if (!m_doc.brief().path.empty())
    if (auto t = readFile(m_doc.brief().path)) m_briefOnDisk = *t;
}

void MainWindow::filesChanged() {
  QFileInfo part(QString::fromStdString(m_doc.brief().partPath()));
  if (m_part && part.exists() && part.lastModified() != m_partTime)
    m_notice->ask("part", tr("%1 has changed on disk.").arg(part.fileName()),
                  {{tr("read it again"), [this] { reloadPart(); }}, {tr("not now"), {}}});
  const std::string path = m_doc.brief().path;
  auto text = path.empty() ? Result<std::string>(Problem{}) : readFile(path);
  if (text && *text != m_briefOnDisk) {
    m_briefOnDisk = *text;
    auto take = [this, path] {
      auto b = loadBrief(path);
      if (!b) return tell(b.problem());
      bool other = b->partPath() != m_doc.brief().partPath();
      m_doc.change(*b, tr("take over from disk").toStdString()); // one step that can be undone
      m_doc.markSaved();
      briefChanged();
      if (other) reloadPart();
    };
    if (!m_doc.modified())
      take();
    else
      m_notice->ask("brief",
                    tr("%1 was changed by another program, and here as well.")
                        .arg(QFileInfo(QString::fromStdString(path)).fileName()),
                    {{tr("take the file's"), take}, {tr("keep mine"), {}}});
  }
  // Programs that replace a file instead of writing into it end the watch.
  for (const std::string& f : {m_doc.brief().partPath(), path})
    if (!f.empty() && QFileInfo::exists(QString::fromStdString(f)) &&
        !m_watcher.files().contains(QString::fromStdString(f)))
      m_watcher.addPath(QString::fromStdString(f));
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
  if (m_allRuns.size() < 2) {
    m_notice->ask("compare", tr("There is nothing to compare yet: mesh a second time, or improve the mesh."),
                  {{tr("fine"), {}}});
    return nullptr;
  }
  if (!m_compare) {
    m_compare = new CompareDialog(this);
    connect(m_compare, &CompareDialog::showRun, this, &MainWindow::showRun);
    connect(m_compare, &CompareDialog::besideWanted, this, &MainWindow::showBeside);
  }
  m_compare->setRuns(m_allRuns);
  m_compare->show();
  m_compare->raise();
  return m_compare;
}

void MainWindow::showBeside(int first, int second) {
  if (!m_view) return;
  auto known = [&](int i) { return i >= 0 && static_cast<std::size_t>(i) < m_allRuns.size(); };
  if (!known(first) || !known(second)) {
    if (m_beside) m_beside->hide();
    m_besideRun = -1;
    return;
  }
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
  if (m_current != first) showRun(first);
  // Of a kept run of a part that has changed since only the mesh is there; the first view shows it the same way.
  const auto& itsPart = m_runParts[static_cast<std::size_t>(second)];
  m_beside->setPart(itsPart ? itsPart : m_part);
  const auto& other = m_allRuns[static_cast<std::size_t>(second)];
  m_beside->setRun(other, lookOf(other));
  m_besideRun = second;
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

void MainWindow::sayBeside() {
  if (!m_beside || m_besideRun < 0 || static_cast<std::size_t>(m_besideRun) >= m_allRuns.size()) return;
  const RunResult& other = *m_allRuns[static_cast<std::size_t>(m_besideRun)];
  const Metric metric = m_view->metric();
  auto worst = [&](const RunResult& r) {
    const auto& m = r.audit.metrics[static_cast<std::size_t>(metric)];
    return metricInfo(metric).highIsGood ? m.min : m.max;
  };
  auto text = [&](double v) {
    return QString::fromStdString(formatNumber(v, 3)) +
           (metricInfo(metric).unit == std::string("deg") ? QString(QChar(0xb0)) : QString());
  };
  QString line = tr("mesh of run %1 · %2 elements · %3 %4")
                     .arg(m_besideRun + 1)
                     .arg(QLocale(QLocale::English).toString(static_cast<qulonglong>(other.mesh.cells.size())))
                     .arg(QString::fromUtf8(metricInfo(metric).name).toLower())
                     .arg(text(worst(other)));
  if (auto run = currentRun()) {
    double mine = worst(*run), its = worst(other);
    const bool better = metricInfo(metric).highIsGood ? its > mine : its < mine;
    if (mine != its)
      line += (better ? tr(", <b>better</b> than run %1's %2") : tr(", worse than run %1's %2"))
                  .arg(m_current + 1)
                  .arg(text(mine));
  }
  m_besideText->setText(line);
  m_besideText->adjustSize();
}

void MainWindow::improveMesh(const std::string& only) {
  auto run = currentRun();
  if (!run || !m_part || m_worker->busy()) return;
  if (!m_runParts[static_cast<std::size_t>(m_current)]) {
    m_notice->ask("improve", tr("The part has changed since this mesh was made: mesh it again."), {{tr("fine"), {}}});
    return;
  }
  m_meshing = true;
  m_clock.start();
  m_worker->improve(run, m_runParts[static_cast<std::size_t>(m_current)], only);
  m_runs->setBusy(true, true);
  m_runs->setProgress(tr("Improving"), 0, 0);
  refresh();
}

void MainWindow::open(const QString& path) {
  if (path.endsWith(".brief", Qt::CaseInsensitive)) {
    auto b = loadBrief(path.toStdString());
    if (!b) return tell(b.problem());
    m_doc.reset(*b);
  } else
    m_doc.reset(defaultBrief(QFileInfo(path).absoluteFilePath().toStdString()));
  loadPartOfBrief();
}

void MainWindow::askUnit(const std::string& unit) {
  if (!m_part || unit == m_part->unit) return;
  edit([&](Brief& b) { b.unit = unit; }, tr("unit"));
}

bool MainWindow::save() {
  if (!m_doc.brief().path.empty()) return saveAs(QString::fromStdString(m_doc.brief().path));
  QString p = QFileDialog::getSaveFileName(this, tr("Save brief"), QString(), tr("Briefs (*.brief)"));
  return !p.isEmpty() && saveAs(p);
}

bool MainWindow::saveAs(const QString& chosen) {
  QString path = chosen.endsWith(".brief") ? chosen : chosen + ".brief";
  Brief b = m_doc.brief();
  std::string part = b.partPath();
  std::filesystem::path to = std::filesystem::absolute(path.toStdString());
  b.path = to.string();
  std::error_code ec;
  auto relative = std::filesystem::relative(std::filesystem::absolute(part), to.parent_path(), ec);
  b.partFile = ec || relative.empty() ? part : relative.string();
  if (auto p = saveBrief(b, b.path)) {
    tell(*p);
    return false;
  }
  m_doc.change(b, tr("save").toStdString());
  m_doc.markSaved();
  m_recovery.drop();
  // Runs go along with the brief.
  m_kept.follow(m_doc.brief());
  for (QString& f : m_runFiles)
    if (!f.isEmpty() && QFileInfo(f).absolutePath() != m_kept.folder() && QFile::exists(f)) f = m_kept.moveHere(f);
  watchFiles();
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
        {m_hint->text().remove(QRegularExpression("<[^>]*>")).section(" · ", 0, 1).toStdString(), bytes.toStdString()});
  }
  const auto& ofRun = m_runParts[static_cast<std::size_t>(m_current)];
  std::string html = reportHtml(*run, ofRun ? *ofRun : *m_part, pictures);
  if (!path.endsWith(".pdf", Qt::CaseInsensitive)) return writeFileAtomic(path.toStdString(), html);
  QTextDocument document;
  document.setHtml(QString::fromStdString(html));
  QPdfWriter pdf(path);
  pdf.setPageSize(QPageSize(QPageSize::A4));
  pdf.setPageMargins(QMarginsF(15, 15, 15, 15), QPageLayout::Millimeter);
  pdf.setTitle(tr("Mesh report"));
  document.print(&pdf);
  if (QFileInfo(path).size() > 0) return {};
  Problem p;
  p.fault = Fault::Usage;
  p.code = "file.write";
  p.what = "the report could not be written";
  p.where = path.toStdString();
  p.todo = "check the folder and the space on the disk";
  return p;
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
  if (m_runParts[static_cast<std::size_t>(m_current)] != m_part) {
    Problem p;
    p.code = "gate.part";
    p.what = "the part has changed since this mesh was made";
    p.why = "what is written follows the part as it was";
    p.todo = "mesh again";
    gate.objections.push_back(p);
  }
  if (gate.open()) return handOverAll(rules);
  GateDialog dialog(*run, rules, gate, this);
  if (dialog.exec() != QDialog::Accepted) return;
  RunResult r = *run;
  r.problems.push_back(gateOverruled(gate, dialog.reason()->text().trimmed().toStdString()));
  replaceRun(m_current, std::make_shared<const RunResult>(std::move(r)));
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
  auto run = currentRun();
  if (!run) {
    QMessageBox::information(this, tr("Hand over"), tr("There is no mesh yet. Press Mesh (Ctrl+Return) first."));
    return;
  }
  std::vector<Rule> rules;
  for (const auto& r : m_doc.brief().rules)
    if (r.kind == "hand_over" && !r.off) rules.push_back(r);
  if (!rules.empty()) return handOver(rules);
  QString p = QFileDialog::getSaveFileName(this, tr("Hand over"), QString(),
                                           tr("Solver deck (*.inp);;VTU (*.vtu);;Surface (*.stl *.ply)"));
  if (!p.isEmpty()) handOver({{"hand_over", {{"path", p.toStdString()}}, "", false, {}}});
}

void MainWindow::askOpen() {
  if (!mayDiscard()) return;
  QString p = QFileDialog::getOpenFileName(
      this, tr("Open part or brief"), QString(),
      tr("Parts and briefs (*.brief *.step *.stp *.iges *.igs *.brep *.brp *.stl *.obj *.ply *.vtp *.vtk)"));
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

void MainWindow::closeEvent(QCloseEvent* e) {
  if (!mayDiscard()) return e->ignore();
  for (auto* w : {m_worker, m_sizer, m_forecaster, m_measurer, m_previewer, m_teller}) w->stop();
  m_keep.stop();
  m_recovery.drop();
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
