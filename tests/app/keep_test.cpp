// SPDX-License-Identifier: GPL-3.0-or-later
// What stays and what leaves: kept runs, the gate before a hand-over, measures that become values, worst places.
#include "app/class_bar.h"
#include "app/gate_dialog.h"
#include "app/limits_dialog.h"
#include "app/window_fixture.h"
#include "base/file.h"
#include "job/values.h"
#include <QComboBox>
#include <QTableWidget>
#include <QToolButton>
#include <chrono>
#include <filesystem>
#include <set>

using namespace tess;
using namespace tess::test;

namespace {

class Keep : public Window {
protected:
  /// Waits until every run of the window lies on disk.
  void waitUntilKept(int runs) {
    RunKeeper k;
    k.follow(w->document().brief());
    ASSERT_TRUE(waitFor([&] {
      auto files = k.files();
      return files.size() == runs && loadRun(files.last().toStdString()).ok();
    }));
  }
  void again(const std::string& brief) {
    w = std::make_unique<MainWindow>();
    w->resize(1280, 800);
    w->show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(w.get()));
    bool recalled = false;
    auto c = QObject::connect(w.get(), &MainWindow::runsRecalled, [&] { recalled = true; });
    open(brief);
    ASSERT_TRUE(waitFor([&] { return recalled; }));
    QObject::disconnect(c);
  }
  std::vector<QPushButton*> tiles() {
    QApplication::processEvents(); // new tiles show with the next layout
    std::vector<QPushButton*> r;
    for (auto* b : w->runsBar()->findChildren<QPushButton*>("tile"))
      if (b->isVisible()) r.push_back(b);
    return r;
  }
  void selectFaces(const std::set<int>& faces) {
    bool done = false;
    auto c = QObject::connect(w.get(), &MainWindow::measured, [&] { done = true; });
    w->viewport()->select(Dim::Face, faces);
    ASSERT_TRUE(waitFor([&] { return done; }));
    QObject::disconnect(c);
  }
  /// Answers the gate when it opens: with a reason, or with none.
  void answerGate(const QString& reason) {
    QTimer::singleShot(100, w.get(), [this, reason] {
      auto* gate = w->findChild<GateDialog*>();
      ASSERT_NE(gate, nullptr);
      EXPECT_FALSE(gate->writeButton()->isEnabled());
      if (reason.isEmpty()) return gate->reject();
      QTest::keyClicks(gate->reason(), reason);
      ASSERT_TRUE(gate->writeButton()->isEnabled());
      QTest::mouseClick(gate->writeButton(), Qt::LeftButton);
    });
  }
};

} // namespace

TEST_F(Keep, runsSurviveTheProgramAndCanBePinnedOrThrownAway) {
  open("saddle-clamp.brief");
  mesh();
  mesh();
  waitUntilKept(2);
  auto nodes = w->currentRun()->mesh.nodes;
  w->pinRun(0, true);
  again("saddle-clamp.brief");
  ASSERT_EQ(tiles().size(), 2u);
  EXPECT_EQ(w->currentRun(), nullptr); // the part is shown until a tile is chosen
  QTest::mouseClick(tiles().front(), Qt::LeftButton);
  ASSERT_NE(w->currentRun(), nullptr);
  EXPECT_EQ(w->currentRun()->mesh.nodes, nodes);
  EXPECT_TRUE(tiles().back()->text().contains("pinned")) << tiles().back()->text().toStdString();
  // The part is the same, so the mesh can be worked on.
  bool done = false;
  QObject::connect(w.get(), &MainWindow::runFinished, [&] { done = true; });
  QObject::connect(w.get(), &MainWindow::taskFailed, [&](const Problem& p) {
    ADD_FAILURE() << p.sentence();
    done = true;
  });
  w->improveMesh();
  ASSERT_TRUE(waitFor([&] { return done; }));
  ASSERT_EQ(tiles().size(), 3u);
  waitUntilKept(3);
  w->discardRun(2);
  w->discardRun(1);
  EXPECT_EQ(tiles().size(), 1u);
  RunKeeper k;
  k.follow(w->document().brief());
  ASSERT_EQ(k.files().size(), 1);
  EXPECT_TRUE(RunKeeper::pinned(k.files().first()));
  // Pruning leaves what is pinned, and the newest.
  for (int i = 0; i < 3; ++i) QFile::copy(k.files().first(), k.freshFile());
  k.prune(2);
  EXPECT_EQ(k.files().size(), 2);
  EXPECT_TRUE(RunKeeper::pinned(k.files().first()));
}

TEST_F(Keep, runsOfAPartThatHasChangedStandSideBySide) {
  open("saddle-clamp.brief");
  mesh();
  mesh();
  waitUntilKept(2);
  const std::string part = w->document().brief().partPath();
  std::filesystem::last_write_time(part, std::filesystem::last_write_time(part) + std::chrono::seconds(5));
  again("saddle-clamp.brief");
  auto* d = w->compareRuns();
  ASSERT_NE(d, nullptr);
  QTest::mouseClick(d->sideBySide(), Qt::LeftButton);
  ASSERT_TRUE(
      waitFor([&] { return w->besideView() && w->besideView()->isVisible() && w->besideView()->height() > 100; }));
  // Something is drawn: more than a few colours.
  const QImage drawn = w->besideView()->picture();
  std::set<QRgb> colours;
  for (int y = 0; y < drawn.height(); y += 3)
    for (int x = 0; x < drawn.width(); x += 3) colours.insert(drawn.pixel(x, y));
  EXPECT_GT(colours.size(), 20u);
}

TEST_F(Keep, aDamagedRunIsLeftOut) {
  open("saddle-clamp.brief");
  mesh();
  waitUntilKept(1);
  RunKeeper k;
  k.follow(w->document().brief());
  QFile f(k.files().first());
  ASSERT_TRUE(f.open(QIODevice::ReadWrite));
  f.resize(f.size() / 2);
  f.close();
  again("saddle-clamp.brief");
  EXPECT_TRUE(tiles().empty());
  mesh();
  EXPECT_EQ(tiles().size(), 1u);
}

TEST_F(Keep, theGateAsksBeforeSomethingDoubtfulIsWritten) {
  open("keel-bracket.brief");
  mesh();
  TempFolder folder;
  std::string path = folder / "out.vtu";
  Rule file{"hand_over", {{"path", path}}, "", false, {}};
  auto b = w->document().brief();
  for (std::size_t i = 0; i < b.rules.size(); ++i) // the brief moves on after the mesh
    if (b.rules[i].kind == "everywhere") emit w->briefPanel()->valueChanged(static_cast<int>(i), "target", "9 mm");
  answerGate("");
  w->handOver({file});
  EXPECT_FALSE(std::filesystem::exists(path));
  bool written = false;
  QObject::connect(w.get(), &MainWindow::handedOver, [&] { written = true; });
  answerGate("only a first look at the file");
  w->handOver({file});
  ASSERT_TRUE(waitFor([&] { return written; }));
  EXPECT_TRUE(std::filesystem::exists(path));
  // The reason stands in the run, and so in its report.
  const Problem* overruled = nullptr;
  for (const auto& p : w->currentRun()->problems)
    if (p.code == "gate.overruled") overruled = &p;
  ASSERT_NE(overruled, nullptr);
  EXPECT_EQ(overruled->why, "only a first look at the file");
}

TEST_F(Keep, aMeasureBecomesAValueThatSizesUse) {
  open("saddle-clamp.brief");
  int hole = -1;
  for (int f = 0; f < w->part()->count(Dim::Face); ++f)
    if (w->part()->faces[static_cast<std::size_t>(f)].kind == SurfaceKind::Cylinder) hole = f;
  ASSERT_GE(hole, 0);
  selectFaces({hole});
  ASSERT_FALSE(w->measures().empty());
  EXPECT_EQ(w->measures()[0].name, "diameter");
  EXPECT_NEAR(w->measures()[0].value, 2 * w->part()->faces[static_cast<std::size_t>(hole)].radius, 1e-9);
  // The measure stands as a link at the selection.
  QToolButton* link = nullptr;
  for (auto* b : w->findChildren<QToolButton*>())
    if (b->isVisible() && b->text().startsWith("diameter")) link = b;
  ASSERT_NE(link, nullptr);
  QTest::mouseClick(link, Qt::LeftButton);
  const Brief& b = w->document().brief();
  ASSERT_EQ(b.rules[0].kind, "value");
  EXPECT_EQ(b.rules[0].get("name"), "diameter");
  for (std::size_t i = 0; i < b.rules.size(); ++i)
    if (b.rules[i].kind == "everywhere")
      emit w->briefPanel()->valueChanged(static_cast<int>(i), "target", "diameter / 4");
  EXPECT_NEAR(overallTarget(w->document().brief(), *w->part()),
              w->part()->faces[static_cast<std::size_t>(hole)].radius / 2, 1e-6);
  EXPECT_TRUE(validateBrief(w->document().brief(), w->part()->unit).empty());
  emit w->briefPanel()->ruleWanted("value"); // a fresh card is valid at once
  EXPECT_TRUE(validateBrief(w->document().brief(), w->part()->unit).empty());
  w->document().undo();
  w->keepMeasure(w->measures()[0]); // a second one gets a name of its own
  EXPECT_EQ(w->document().brief().rules[1].get("name"), "diameter_2");
}

TEST_F(Keep, worstPlacesHaveACardAndFailingElementsBecomeASet) {
  open("saddle-clamp.brief");
  mesh();
  auto* audit = w->auditPanel();
  audit->setMetric(Metric::MinDihedral);
  audit->stepWorst(1);
  ASSERT_FALSE(audit->places().empty());
  const auto& first = audit->places()[0];
  const auto& metric = w->currentRun()->audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)];
  EXPECT_EQ(first.worst, metric.worst[0]);
  EXPECT_EQ(w->viewport()->brushedCount(), first.cells.size());
  EXPECT_TRUE(audit->elementCard().contains(QString::number(metric.min, 'g', 3))) << audit->elementCard().toStdString();
  if (audit->places().size() > 1) {
    audit->stepWorst(1);
    EXPECT_EQ(w->viewport()->brushedCount(), audit->places()[1].cells.size());
  }
  // Places are listed with where they are; words leave some of them, and stepping keeps to those.
  const auto named = std::find_if(audit->places().begin(), audit->places().end(),
                                  [](const WorstPlace& p) { return !p.groups.empty(); });
  ASSERT_NE(named, audit->places().end());
  EXPECT_EQ(audit->placesListed().size(), audit->places().size());
  audit->placeFilter()->setText(QString::fromStdString(named->groups[0]));
  ASSERT_FALSE(audit->placesListed().empty());
  for (int i : audit->placesListed()) {
    const auto& g = audit->places()[static_cast<std::size_t>(i)].groups;
    EXPECT_NE(std::find(g.begin(), g.end(), named->groups[0]), g.end());
  }
  for (std::size_t k = 0; k < audit->placesListed().size(); ++k) {
    audit->stepWorst(1);
    EXPECT_EQ(w->viewport()->brushedCount(),
              audit->places()[static_cast<std::size_t>(audit->placesListed()[k])].cells.size());
  }
  audit->placeFilter()->setText("no such words");
  EXPECT_TRUE(audit->placesListed().empty());
  audit->stepWorst(1); // there is nowhere to go
  audit->placeFilter()->clear();
  // A row leads to its place.
  auto rows = [&] {
    std::vector<QToolButton*> r;
    for (auto* b : audit->findChildren<QToolButton*>("link"))
      if (b->toolTip() == "go there") r.push_back(b);
    return r;
  };
  ASSERT_GT(rows().size(), 1u);
  QTest::mouseClick(rows()[1], Qt::LeftButton);
  EXPECT_EQ(w->viewport()->brushedCount(), audit->places()[1].cells.size());
  EXPECT_TRUE(rows()[1]->font().bold());
  EXPECT_FALSE(rows()[0]->font().bold());
  // By number: an element, a node, and what is not there.
  EXPECT_TRUE(w->findByNumber("17"));
  EXPECT_TRUE(audit->elementCard().contains("no. 17"));
  EXPECT_TRUE(w->findByNumber("n 3"));
  EXPECT_GT(w->viewport()->brushedCount(), 0u);
  EXPECT_FALSE(w->findByNumber("99999999"));
  EXPECT_FALSE(w->findByNumber("three"));
  // Judged for strength, linear elements fail; those that fail a limit can be kept.
  auto fails = w->currentRun()->audit.failingCells;
  w->keepFailing();
  std::size_t kept = 0;
  for (const auto& g : w->currentRun()->mesh.groups)
    if (g.name == "failing") kept = g.items.size();
  EXPECT_EQ(kept, fails);
}

TEST_F(Keep, aWorstPlaceIsImprovedAndTheRestStays) {
  open("saddle-clamp.brief");
  mesh();
  auto* audit = w->auditPanel();
  audit->setMetric(Metric::MinDihedral);
  auto link = [&]() -> QToolButton* {
    for (auto* b : audit->findChildren<QToolButton*>("link"))
      if (b->text() == "improve here") return b;
    return nullptr;
  };
  ASSERT_NE(link(), nullptr);
  EXPECT_FALSE(link()->isVisible()); // of nothing yet
  audit->stepWorst(1);
  ASSERT_TRUE(link()->isVisible());
  const auto before = w->currentRun();
  const WorstPlace place = audit->places()[0];
  bool done = false;
  QObject::connect(w.get(), &MainWindow::runFinished, [&] { done = true; });
  QTest::mouseClick(link(), Qt::LeftButton);
  ASSERT_TRUE(waitFor([&] { return done; }));
  const auto after = w->currentRun();
  ASSERT_NE(after, before);
  EXPECT_EQ(after->improved, 1);
  const auto least = [](const RunResult& r) {
    return r.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].min;
  };
  EXPECT_GE(least(*after), least(*before));
  // Far from the place every node is where it was.
  double reach = 0;
  for (auto c : place.cells)
    for (auto n : before->mesh.cells.of(static_cast<std::size_t>(c)))
      reach = std::max(reach, (before->mesh.nodes[static_cast<std::size_t>(n)] - place.at).norm());
  reach += 4 * 3.9; // elements are no longer than that; two rows of them have room to move
  std::set<std::array<double, 3>> now;
  for (const Vec3& p : after->mesh.nodes) now.insert({p.x(), p.y(), p.z()});
  std::size_t gone = 0, far = 0;
  for (const Vec3& p : before->mesh.nodes) {
    const bool there = now.count({p.x(), p.y(), p.z()}) > 0;
    gone += !there;
    if ((p - place.at).norm() <= reach) continue;
    ++far;
    EXPECT_TRUE(there) << p.transpose();
  }
  EXPECT_GT(far, before->mesh.nodes.size() / 3);
  EXPECT_GT(gone, 0u) << "something was done";
}

TEST_F(Keep, manyRunsHaveALineThatFiltersThem) {
  TempFolder dir;
  std::string wedge = "solid wedge\n"; // little to mesh
  const Vec3 at[] = {{0, 0, 0}, {30, 0, 0}, {0, 30, 0}, {0, 0, 30}};
  for (const auto& t : {std::array{0, 2, 1}, {0, 1, 3}, {0, 3, 2}, {1, 2, 3}}) {
    wedge += "facet normal 0 0 0\nouter loop\n";
    for (int v : t)
      wedge +=
          "vertex " + formatNumber(at[v].x()) + " " + formatNumber(at[v].y()) + " " + formatNumber(at[v].z()) + "\n";
    wedge += "endloop\nendfacet\n";
  }
  bool loaded = false;
  QObject::connect(w.get(), &MainWindow::partLoaded, [&] { loaded = true; });
  w->open(QString::fromStdString(dir.write("wedge.stl", wedge + "endsolid\n")));
  ASSERT_TRUE(waitFor([&] { return loaded; }));
  auto everywhere = [&](const char* size) {
    const auto& rules = w->document().brief().rules;
    for (std::size_t i = 0; i < rules.size(); ++i)
      if (rules[i].kind == "everywhere") emit w->briefPanel()->valueChanged(static_cast<int>(i), "target", size);
  };
  for (const char* size : {"9 mm", "9.1 mm", "9.2 mm", "9.3 mm", "9.4 mm", "9.5 mm", "9.6 mm"}) {
    everywhere(size);
    mesh();
  }
  EXPECT_EQ(tiles().size(), 7u);
  EXPECT_FALSE(w->runsBar()->filter()->isVisible());
  everywhere("9.7 mm");
  mesh();
  ASSERT_TRUE(w->runsBar()->filter()->isVisible());
  w->pinRun(3, true);
  QTest::keyClicks(w->runsBar()->filter(), "PINNED");
  ASSERT_EQ(tiles().size(), 1u);
  EXPECT_TRUE(tiles()[0]->text().startsWith("Run 4"));
  everywhere("9.8 mm");
  mesh(); // the filter stays with the next run
  EXPECT_EQ(tiles().size(), 1u);
  w->runsBar()->filter()->setText("stands brief");
  ASSERT_EQ(tiles().size(), 1u);
  EXPECT_TRUE(tiles()[0]->text().startsWith("Run 9"));
  // Few are all seen.
  w->discardRun(0);
  w->discardRun(0);
  EXPECT_EQ(tiles().size(), 7u);
  EXPECT_FALSE(w->runsBar()->filter()->isVisible());
}

TEST_F(Keep, aBoxTakesInWhatLiesWhollyInside) {
  open("saddle-clamp.brief");
  auto* v = w->viewport();
  auto drag = [&](const QPoint& a, const QPoint& b, Qt::KeyboardModifiers keys = {}) {
    auto send = [&](QEvent::Type type, const QPoint& at, Qt::MouseButton button, Qt::MouseButtons held) {
      QMouseEvent e(type, QPointF(at), v->mapToGlobal(QPointF(at)), button, held, keys);
      QApplication::sendEvent(v, &e);
    };
    send(QEvent::MouseButtonPress, a, Qt::LeftButton, Qt::LeftButton);
    send(QEvent::MouseMove, (a + b) / 2, Qt::NoButton, Qt::LeftButton);
    send(QEvent::MouseMove, b, Qt::NoButton, Qt::LeftButton);
    send(QEvent::MouseButtonRelease, b, Qt::LeftButton, Qt::NoButton);
  };
  drag({1, 1}, {v->width() - 2, v->height() - 2});
  EXPECT_EQ(v->selection().size(), static_cast<std::size_t>(w->part()->count(Dim::Face)));
  drag({1, 1}, {v->width() / 2, v->height() - 2});
  auto half = v->selection();
  EXPECT_GT(half.size(), 0u);
  EXPECT_LT(half.size(), static_cast<std::size_t>(w->part()->count(Dim::Face)));
  drag({v->width() / 2, 1}, {v->width() - 2, v->height() - 2}, Qt::ControlModifier);
  EXPECT_GT(v->selection().size(), half.size());
  drag({1, 1}, {9, 9});
  EXPECT_TRUE(v->selection().empty());
}

TEST_F(Keep, seeThroughAndCellsApartChangeThePicture) {
  open("saddle-clamp.brief");
  mesh();
  QImage plain = w->viewport()->picture();
  w->viewport()->setSeeThrough(true);
  QImage through = w->viewport()->picture();
  w->viewport()->setSeeThrough(false);
  w->viewport()->setShrunk(true);
  QImage apart = w->viewport()->picture();
  EXPECT_NE(plain, through);
  EXPECT_NE(plain, apart);
  EXPECT_GT(drawn(apart), 0.3 * drawn(plain));
  w->viewport()->setShrunk(false);
  EXPECT_EQ(w->viewport()->picture(), plain);
}

TEST_F(Keep, finerAndPurposesAreOrdinaryEdits) {
  open("saddle-clamp.brief");
  double before = overallTarget(w->document().brief(), *w->part());
  w->scaleSizes(0.8);
  EXPECT_NEAR(overallTarget(w->document().brief(), *w->part()), 0.8 * before, 1e-6 * before);
  w->setPurpose("flow");
  ASSERT_EQ(w->notice()->key(), "flow"); // no group says what flows
  for (auto* b : w->notice()->findChildren<QToolButton*>())
    if (b->text() == "what is flowed around") QTest::mouseClick(b, Qt::LeftButton);
  EXPECT_EQ(w->document().brief().first("judge")->get("purpose"), "flow");
  EXPECT_EQ(w->document().brief().first("everywhere")->get("growth"), "1.2");
  bool gaps = false;
  for (const auto& r : w->document().brief().rules) gaps = gaps || (r.kind == "through" && r.get("what") == "gaps");
  EXPECT_TRUE(gaps);
  EXPECT_TRUE(validateBrief(w->document().brief(), w->part()->unit).empty());
  w->document().undo();
  w->document().undo();
  EXPECT_NEAR(overallTarget(w->document().brief(), *w->part()), before, 1e-12);
}

TEST_F(Keep, aFindingWithARemedyOffersIt) {
  open("keel-bracket.brief");
  mesh();
  std::size_t before = w->document().brief().rules.size();
  QToolButton* fix = nullptr;
  for (auto* b : w->auditPanel()->findChildren<QToolButton*>())
    if (b->text() == "propose groups") fix = b;
  ASSERT_NE(fix, nullptr);
  QTest::mouseClick(fix, Qt::LeftButton);
  EXPECT_GT(w->document().brief().rules.size(), before);
  EXPECT_TRUE(unassignedFaces(*w->part(), w->groups()).empty());
  w->document().undo();
  EXPECT_EQ(w->document().brief().rules.size(), before);
}

TEST_F(Keep, aSurfaceIsKeptAndTheVolumeFollowsIt) {
  TempFolder dir; // the surface is written beside the brief
  for (const char* f : {"saddle-clamp.brief", "saddle-clamp.step"}) std::filesystem::copy_file(demo(f), dir / f);
  bool loaded = false;
  QObject::connect(w.get(), &MainWindow::partLoaded, [&] { loaded = true; });
  w->open(QString::fromStdString(dir / "saddle-clamp.brief"));
  ASSERT_TRUE(waitFor([&] { return loaded; }));
  mesh();
  const double area = w->currentRun()->surfaceArea;
  auto* bar = w->findChild<ClassBar*>();
  ASSERT_NE(bar, nullptr);
  EXPECT_TRUE(bar->isVisible());
  EXPECT_TRUE(bar->text().contains("good")) << bar->text().toStdString();
  bool kept = false;
  QObject::connect(w->worker(), &MeshWorker::surfaceKept, [&] { kept = true; });
  w->keepSurface();
  ASSERT_TRUE(waitFor([&] { return kept; }));
  const Rule* r = w->document().brief().first("keep_surface");
  ASSERT_NE(r, nullptr);
  EXPECT_TRUE(std::filesystem::exists(w->document().brief().resolve(r->get("path"))));
  mesh();
  EXPECT_NEAR(w->currentRun()->surfaceArea, area, 1e-9 * area);
}

TEST_F(Keep, rulesAboutReadingReadThePartAgain) {
  open("saddle-clamp.brief");
  const auto before = w->part();
  bool loaded = false;
  QObject::connect(w->worker(), &MeshWorker::loaded, [&] { loaded = true; });
  auto* say = w->findChild<QLineEdit*>("say");
  say->setFocus();
  QTest::keyClicks(say, "touch");
  QTest::keyClick(say, Qt::Key_Return);
  ASSERT_TRUE(waitFor([&] { return loaded; }));
  EXPECT_NE(w->part(), before);
  ASSERT_NE(w->document().brief().first("touch"), nullptr);
}

TEST_F(Keep, keysCanBeChangedAndAreKept) {
  std::set<QString> names;
  for (const auto& c : w->commands())
    EXPECT_TRUE(names.insert(c.action->objectName()).second) << c.action->text().toStdString();
  auto at = [&](const MainWindow& window, const QString& name) {
    for (std::size_t i = 0; i < window.commands().size(); ++i)
      if (window.commands()[i].action->objectName() == name) return i;
    return std::size_t(-1);
  };
  const std::size_t fit = at(*w, "fit"), hide = at(*w, "hideselection");
  ASSERT_LT(fit, w->commands().size());
  ASSERT_LT(hide, w->commands().size());
  KeysDialog d(w->commands(), w.get());
  EXPECT_FALSE(d.setKey(fit, QKeySequence("H"))); // that of another command
  EXPECT_TRUE(d.said().contains("Hide selection"));
  EXPECT_EQ(w->commands()[fit].action->shortcut(), QKeySequence("F"));
  EXPECT_TRUE(d.setKey(hide, {}));
  EXPECT_TRUE(d.setKey(fit, QKeySequence("H")));
  {
    MainWindow other;
    EXPECT_EQ(other.commands()[fit].action->shortcut(), QKeySequence("H"));
    EXPECT_TRUE(other.commands()[hide].action->shortcut().isEmpty());
  }
  d.reset();
  EXPECT_EQ(w->commands()[fit].action->shortcut(), QKeySequence("F"));
  MainWindow other;
  EXPECT_EQ(other.commands()[hide].action->shortcut(), QKeySequence("H"));
}

TEST_F(Keep, limitsAreChangedInATableAndWhatFailsIsAcceptedForAReason) {
  TempFolder dir;
  for (const char* f : {"saddle-clamp.brief", "saddle-clamp.step"}) std::filesystem::copy_file(demo(f), dir / f);
  bool loaded = false;
  auto c = QObject::connect(w.get(), &MainWindow::partLoaded, [&] { loaded = true; });
  w->open(QString::fromStdString(dir / "saddle-clamp.brief"));
  ASSERT_TRUE(waitFor([&] { return loaded; }));
  QObject::disconnect(c);
  mesh();
  ASSERT_TRUE(w->currentRun()->audit.pass);
  const auto nodes = w->currentRun()->mesh.nodes;

  LimitsDialog dialog(w->currentRun()->audit.limits, "mm", {"bore"}, w.get());
  auto* table = dialog.table();
  ASSERT_EQ(table->rowCount(), static_cast<int>(w->currentRun()->audit.limits.limits.size()));
  EXPECT_TRUE(dialog.keepButton()->isEnabled());
  // The ratio of edges is for tetrahedra only, and the table says and keeps that.
  auto untouched = dialog.edited();
  ASSERT_TRUE(untouched);
  for (std::size_t i = 0; i < untouched->limits.size(); ++i)
    EXPECT_EQ(untouched->limits[i].types, w->currentRun()->audit.limits.limits[i].types) << i;
  int angle = -1;
  for (int r = 0; r < table->rowCount(); ++r)
    if (static_cast<QComboBox*>(table->cellWidget(r, 0))->currentText() == metricInfo(Metric::MinDihedral).name)
      angle = r;
  ASSERT_GE(angle, 0);
  table->item(angle, 2)->setText("steep");
  EXPECT_FALSE(dialog.keepButton()->isEnabled());
  table->item(angle, 2)->setText("40");
  EXPECT_TRUE(dialog.keepButton()->isEnabled());
  // The same metric twice, but from the other side.
  dialog.addRow();
  const int added = table->rowCount() - 1;
  static_cast<QComboBox*>(table->cellWidget(added, 0))->setCurrentIndex(static_cast<int>(Metric::MinDihedral));
  EXPECT_EQ(static_cast<QComboBox*>(table->cellWidget(added, 1))->currentText(), "at least"); // as is usual for it
  EXPECT_FALSE(dialog.edited());
  dialog.show();
  for (int column : {0, 1, 3}) { // no choice is cut
    auto* box = static_cast<QComboBox*>(table->cellWidget(added, column));
    EXPECT_GE(box->width(), box->sizeHint().width()) << column;
  }
  static_cast<QComboBox*>(table->cellWidget(added, 1))->setCurrentIndex(0);
  ASSERT_TRUE(dialog.edited());
  EXPECT_FALSE(dialog.edited()->limits.back().atLeast);
  dialog.removeRow();
  dialog.addRow();
  EXPECT_EQ(table->rowCount(), static_cast<int>(w->currentRun()->audit.limits.limits.size()) + 1);
  ASSERT_TRUE(dialog.edited());
  dialog.removeRow();
  ASSERT_TRUE(w->keepLimits(*dialog.edited(), QString::fromStdString(dir / "own")));
  EXPECT_EQ(w->document().brief().first("judge")->get("file"), "own.limits"); // beside the brief
  mesh();
  EXPECT_EQ(w->currentRun()->mesh.nodes, nodes); // judged again, not meshed again
  EXPECT_FALSE(w->currentRun()->audit.pass);

  // Another program changes the limits: they are asked about, and judged by without meshing.
  auto outside = [&](const std::string& from, const std::string& to) {
    std::string text = *readFile(dir / "own.limits");
    ASSERT_NE(text.find(from), std::string::npos) << text;
    dir.write("own.limits", text.replace(text.find(from), from.size(), to));
    ASSERT_TRUE(waitFor([&] { return w->notice()->key() == "limits on disk"; }, 10000));
    bool done = false;
    auto over = QObject::connect(w.get(), &MainWindow::runFinished, [&] { done = true; });
    for (auto* b : w->notice()->findChildren<QToolButton*>())
      if (b->text() == "judge by it") b->click();
    ASSERT_TRUE(waitFor([&] { return done; }));
    QObject::disconnect(over);
    EXPECT_EQ(w->currentRun()->mesh.nodes, nodes);
  };
  outside("bound = 40", "bound = 4");
  EXPECT_TRUE(w->currentRun()->audit.pass);
  outside("bound = 4\n", "bound = 40\n");
  EXPECT_FALSE(w->currentRun()->audit.pass);

  const LimitResult* failing = nullptr;
  for (const auto& r : w->currentRun()->audit.results)
    if (r.failing) failing = &r;
  ASSERT_NE(failing, nullptr);
  bool offered = false;
  for (auto* b : w->auditPanel()->findChildren<QToolButton*>()) offered = offered || b->text() == "accept…";
  EXPECT_TRUE(offered);
  const std::size_t fail = failing->failing;
  w->acceptFailing(failing->limit, std::floor(failing->worst), "a trial");
  mesh();
  EXPECT_TRUE(w->currentRun()->audit.pass);
  EXPECT_EQ(w->currentRun()->audit.acceptedCells, fail);
  EXPECT_TRUE(gateOf(*w->currentRun(), *w->part(), w->document().brief()).objections.empty() ||
              gateOf(*w->currentRun(), *w->part(), w->document().brief()).objections[0].code != "gate.limits");
  bool told = false;
  for (auto* l : w->auditPanel()->findChildren<QLabel*>()) told = told || l->text().contains("a trial");
  EXPECT_TRUE(told);
  w->document().undo();
  w->document().undo();
  EXPECT_TRUE(w->document().brief().first("judge")->get("file").empty());
}
