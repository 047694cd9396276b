// SPDX-License-Identifier: GPL-3.0-or-later
// The menus of the window, and the kept views that one of them lists.
#include "app/machine_dialog.h"
#include "app/main_window.h"
#include "app/theme.h"
#include "base/units.h"
#include <QActionGroup>
#include <QApplication>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>
#include <QLabel>
#include <QMenu>
#include <QMenuBar>
#include <QMessageBox>
#include <QRegularExpression>
#include <QSettings>

namespace tess {

void MainWindow::buildMenus() {
  // Commands are known by their words as they stand here, whatever the language of the window.
  auto add = [this](QMenu* m, const char* text, const QKeySequence& key, auto&& f, const QString& of = {}) {
    auto* a = m->addAction(of.isEmpty() ? tr(text) : tr(text).arg(of));
    a->setShortcut(key);
    a->setObjectName(QString(text).toLower().remove(QRegularExpression("[^a-z0-9]")));
    m_commands.push_back({a, key});
    connect(a, &QAction::triggered, this, f);
    return a;
  };
  auto* file = menuBar()->addMenu(tr("File"));
  add(file, QT_TR_NOOP("Open part, mesh or brief…"), QKeySequence::Open, [this] { askOpen(); });
  add(file, QT_TR_NOOP("Save brief"), QKeySequence::Save, [this] { save(); });
  add(file, QT_TR_NOOP("Save brief as…"), QKeySequence::SaveAs, [this] {
    QString p = QFileDialog::getSaveFileName(this, tr("Save brief"), QString::fromStdString(m_doc.brief().path),
                                             tr("Briefs (*.brief)"));
    if (!p.isEmpty()) saveAs(p);
  });
  file->addSeparator();
  add(file, QT_TR_NOOP("Hand over…"), QKeySequence("Ctrl+E"), [this] { askExport(); });
  add(file, QT_TR_NOOP("Report…"), QKeySequence("Ctrl+R"), [this] {
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
    add(file, QT_TR_NOOP("Picture of the view…"), QKeySequence("Ctrl+P"), [this] {
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
  add(file, QT_TR_NOOP("Quit"), QKeySequence::Quit, [this] { close(); });
  auto* editMenu = menuBar()->addMenu(tr("Edit"));
  m_undo = add(editMenu, QT_TR_NOOP("Undo"), QKeySequence::Undo, [this] {
    m_doc.undo();
    briefChanged();
  });
  m_redo = add(editMenu, QT_TR_NOOP("Redo"), QKeySequence::Redo, [this] {
    m_doc.redo();
    briefChanged();
  });
  add(editMenu, QT_TR_NOOP("Say what you need…"), QKeySequence("Ctrl+K"), [this] { m_briefPanel->beginSaying(); });
  if (m_view) {
    editMenu->addSeparator();
    add(editMenu, QT_TR_NOOP("Group from selection"), QKeySequence("G"), [this] {
      if (!m_view->selection().empty()) groupFromSelection(QString::fromStdString(freshGroupName()));
    });
    add(editMenu, QT_TR_NOOP("Size from selection"), QKeySequence("Z"), [this] { sizeFromSelection(); });
    add(editMenu, QT_TR_NOOP("Let go"), QKeySequence("Esc"), [this] {
      m_view->awaitSection(false);
      letSheetGo();
      m_view->select(m_view->pickDim(), {});
      if (m_audit->histogram()->brushed()) m_audit->histogram()->brush(0, 0);
    });
    auto* view = menuBar()->addMenu(tr("View"));
    add(view, QT_TR_NOOP("Fit"), QKeySequence("F"), [this] { m_view->fit(); });
    int n = 1;
    struct Std {
      const char* name;
      Vec3 dir, up;
    };
    for (const Std& s :
         {Std{QT_TR_NOOP("From the front"), {0, 1, 0}, {0, 0, 1}},
          Std{QT_TR_NOOP("From behind"), {0, -1, 0}, {0, 0, 1}}, Std{QT_TR_NOOP("From the left"), {1, 0, 0}, {0, 0, 1}},
          Std{QT_TR_NOOP("From the right"), {-1, 0, 0}, {0, 0, 1}},
          Std{QT_TR_NOOP("From above"), {0, 0, -1}, {0, 1, 0}}, Std{QT_TR_NOOP("From below"), {0, 0, 1}, {0, 1, 0}}})
      add(view, s.name, QKeySequence(QString("Alt+%1").arg(n++)), [this, s] { m_view->view(s.dir, s.up); });
    m_viewsMenu = view->addMenu(tr("Kept views"));
    connect(m_viewsMenu, &QMenu::aboutToShow, this, &MainWindow::fillViews);
    add(view, QT_TR_NOOP("Keep this view…"), QKeySequence("Ctrl+B"), [this] {
      bool ok = false;
      const QString name = QInputDialog::getText(this, tr("Keep this view"), tr("Name of the view"), QLineEdit::Normal,
                                                 tr("view %1").arg(keptViews().size() + 1), &ok)
                               .trimmed();
      if (ok && !name.isEmpty()) keepView(name);
    });
    view->addSeparator();
    for (int i = 0; i < ViewPane::lensNames().size(); ++i)
      add(
          view, QT_TR_NOOP("Lens: %1"), QKeySequence(QString::number(i + 1)), [this, i] { setLens(i); },
          ViewPane::lensNames()[i])
          ->setObjectName(QString("lens%1").arg(i + 1));
    view->addSeparator();
    auto* mesh = add(view, QT_TR_NOOP("Show the mesh"), QKeySequence("M"),
                     [this] { m_view->setMeshShown(!m_view->meshShown()); });
    mesh->setCheckable(true);
    mesh->setChecked(true);
    auto* edges = add(view, QT_TR_NOOP("Mesh edges"), QKeySequence("E"),
                      [this] { m_view->setEdgesShown(!m_view->edgesShown()); });
    edges->setCheckable(true);
    edges->setChecked(true);
    auto* lines = add(view, QT_TR_NOOP("Edges alone"), QKeySequence("Shift+E"),
                      [this] { m_view->setLinesOnly(!m_view->linesOnly()); });
    lines->setCheckable(true);
    auto* numbers = add(view, QT_TR_NOOP("Numbers of what is chosen"), QKeySequence("N"),
                        [this] { m_view->setNumbersShown(!m_view->numbersShown()); });
    numbers->setCheckable(true);
    auto* through = add(view, QT_TR_NOOP("See through"), QKeySequence("T"),
                        [this] { m_view->setSeeThrough(!m_view->seeThrough()); });
    through->setCheckable(true);
    connect(view, &QMenu::aboutToShow, this,
            [this, mesh, edges, through, lines, numbers] { // a kept view may have changed them
              lines->setChecked(m_view->linesOnly());
              numbers->setChecked(m_view->numbersShown());
              mesh->setChecked(m_view->meshShown());
              edges->setChecked(m_view->edgesShown());
              through->setChecked(m_view->seeThrough());
            });
    auto* apart =
        add(view, QT_TR_NOOP("Cells apart"), QKeySequence("K"), [this] { m_view->setShrunk(!m_view->shrunk()); });
    apart->setCheckable(true);
    add(view, QT_TR_NOOP("Section"), QKeySequence("X"), [this] { m_view->setSection(!m_view->sectionOn()); });
    add(view, QT_TR_NOOP("Section: another plane"), QKeySequence("Alt+X"), [this] { m_view->addSection(); });
    add(view, QT_TR_NOOP("Section: draw a plane across the view"), QKeySequence("D"),
        [this] { m_view->awaitSection(true); });
    add(view, QT_TR_NOOP("Section: next axis"), QKeySequence("Shift+X"), [this] { m_view->nextSectionAxis(); });
    add(view, QT_TR_NOOP("Section: the other side"), QKeySequence("V"), [this] { m_view->flipSection(); });
    add(view, QT_TR_NOOP("Section: whole cells / through cells"), QKeySequence("W"), [this] {
      m_view->setSectionManner(m_view->sectionManner() == SectionManner::Cut ? SectionManner::WholeCells
                                                                             : SectionManner::Cut);
    });
    add(view, QT_TR_NOOP("Section: forth"), QKeySequence("Shift+Right"), [this] { m_view->moveSection(0.02); });
    add(view, QT_TR_NOOP("Section: back"), QKeySequence("Shift+Left"), [this] { m_view->moveSection(-0.02); });
    view->addSeparator();
    add(view, QT_TR_NOOP("Hide selection"), QKeySequence("H"), [this] { m_view->hideSelection(); });
    add(view, QT_TR_NOOP("Only the selection"), QKeySequence("O"), [this] { m_view->showOnlySelection(); });
    add(view, QT_TR_NOOP("Show all"), QKeySequence("U"), [this] { m_view->showAll(); });
    add(view, QT_TR_NOOP("Pick bodies, faces, edges, points in turn"), QKeySequence("Space"), [this] {
      Dim next = m_view->pickDim() == Dim::Body   ? Dim::Face
                 : m_view->pickDim() == Dim::Face ? Dim::Edge
                 : m_view->pickDim() == Dim::Edge ? Dim::Point
                                                  : Dim::Body;
      m_view->setPickDim(next);
      m_pane->showHint();
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
    m_unkeyed.push_back({a, tr("Appearance: %1").arg(name)});
  }
  auto* partMenu = menuBar()->addMenu(tr("Part"));
  add(partMenu, QT_TR_NOOP("Propose groups"), QKeySequence("Ctrl+G"), [this] { proposeGroups(); });
  auto* purpose = partMenu->addMenu(tr("Rules for"));
  for (const auto& p : purposes()) {
    auto* a = purpose->addAction(tr(p.c_str()));
    connect(a, &QAction::triggered, this, [this, p] { setPurpose(p); });
    m_unkeyed.push_back({a, tr("Rules for: %1").arg(a->text())});
  }
  add(partMenu, QT_TR_NOOP("All hexahedra, please"), QKeySequence(), [this] { proposeCuts(); });
  partMenu->addSeparator();
  add(partMenu, QT_TR_NOOP("Read the part again"), QKeySequence("F5"), [this] { reloadPart(); });
  add(partMenu, QT_TR_NOOP("Put another part in its place…"), QKeySequence(), [this] {
    QString p = QFileDialog::getOpenFileName(this, tr("Another part"), QString(),
                                             tr("Parts and meshes (%1)").arg(readPatterns()));
    if (!p.isEmpty()) swapPart(p);
  });
  if (m_view) {
    partMenu->addSeparator();
    auto* take = partMenu->addMenu(tr("Take in with the selected face"));
    for (const auto& way : alikeTable()) {
      auto* a = take->addAction(tr(way.words));
      connect(a, &QAction::triggered, this, [this, how = way.how] { takeIn(how); });
      m_unkeyed.push_back({a, tr("Take in: %1").arg(a->text())});
    }
  }
  auto* run = menuBar()->addMenu(tr("Run"));
  add(run, QT_TR_NOOP("Mesh"), QKeySequence("Ctrl+Return"), [this] { startMesh(); });
  add(run, QT_TR_NOOP("Mesh from nothing"), QKeySequence("Ctrl+Shift+Return"), [this] { startMesh(true); });
  add(run, QT_TR_NOOP("Stop"), QKeySequence("Ctrl+."), [this] { stopMesh(); });
  auto* surface = add(run, QT_TR_NOOP("Keep this surface mesh"), QKeySequence(), [this] { keepSurface(); });
  connect(run, &QMenu::aboutToShow, this, [this, surface] { surface->setEnabled(currentRun() && !m_worker->busy()); });
  connect(run, &QMenu::aboutToHide, surface, [surface] { surface->setEnabled(true); });
  add(run, QT_TR_NOOP("Improve the mesh"), QKeySequence("I"), [this] {
    // A range chosen in the histogram is what is meant, else the selected faces, else the whole mesh.
    auto* h = m_audit->histogram();
    improveMesh(h->brushed() ? metricInfo(m_audit->metric()).id + (":" + formatNumber(h->from(), 9)) + ".." +
                                   formatNumber(h->to(), 9)
                             : "");
  });
  add(run, QT_TR_NOOP("Compare two runs…"), QKeySequence("C"), [this] { compareRuns(); });
  add(run, QT_TR_NOOP("Alternatives…"), QKeySequence("Shift+C"), [this] { showAlternatives(); });
  run->addSeparator();
  add(run, QT_TR_NOOP("Finer: all sizes × 0.8"), QKeySequence("Ctrl++"), [this] { scaleSizes(0.8); });
  add(run, QT_TR_NOOP("Coarser: all sizes × 1.25"), QKeySequence("Ctrl+-"), [this] { scaleSizes(1.25); });
  run->addSeparator();
  add(run, QT_TR_NOOP("Cores and memory…"), QKeySequence(), [this] {
    if (MachineDialog(this).exec() == QDialog::Accepted) briefChanged(); // what was stopped before is tried again
  });
  run->addSeparator();
  add(run, QT_TR_NOOP("Next worst place"), QKeySequence("."), [this] { m_audit->stepWorst(1); });
  add(run, QT_TR_NOOP("Previous worst place"), QKeySequence(","), [this] { m_audit->stepWorst(-1); });
  add(run, QT_TR_NOOP("Element or node by number…"), QKeySequence("Ctrl+F"), [this] {
    auto r = currentRun();
    if (!r) return;
    bool ok = false;
    QString t = QInputDialog::getText(this, tr("Find"), tr("Number of an element, or n and the number of a node"),
                                      QLineEdit::Normal, QString(), &ok)
                    .trimmed();
    if (ok && !findByNumber(t)) m_notice->ask("find", tr("There is no '%1' in this mesh.").arg(t), {{tr("fine"), {}}});
  });
  auto* help = menuBar()->addMenu(tr("Help"));
  auto offerCommands = [this] { // by what is typed into the brief's line
    QList<QAction*> all;
    for (const Command& c : m_commands)
      if (c.action->objectName() != "saywhatyouneed" && c.action->objectName() != "quit") all << c.action;
    m_briefPanel->setCommands(all, m_unkeyed);
  };
  add(help, QT_TR_NOOP("Keys and mouse…"), QKeySequence("?"), [this, offerCommands] {
    KeysDialog(m_commands, this).exec();
    offerCommands();
  });
  add(help, QT_TR_NOOP("About"), QKeySequence(), [this] {
    QMessageBox::about(
        this, tr("About"),
        tr("Tesselite %1\nMeshes for simulation.\nGPL-3.0-or-later").arg(QApplication::applicationVersion()));
  });
  KeysDialog::restore(m_commands);
  offerCommands();
  m_statusText = new QLabel;
  m_statusText->setObjectName("small");
  m_statusText->setContentsMargins(0, 0, 14, 0);
  m_statusText->setFixedWidth(420);
  m_statusText->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  m_statusText->setMinimumHeight(menuBar()->sizeHint().height()); // or it sits at the upper rim
  menuBar()->setCornerWidget(m_statusText, Qt::TopRightCorner);
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

} // namespace tess
