// SPDX-License-Identifier: GPL-3.0-or-later
// Opening the demo, meshing, brushing, sections, groups, saving, export, stop.
#include "app/window_fixture.h"

using namespace tess;
using namespace tess::test;

TEST_F(Window, everyKindOfSizeRuleCanBeAddedInWordsAndActs) {
  open("keel-bracket.brief");
  auto* say = w->findChild<QLineEdit*>("say");
  ASSERT_NE(say, nullptr);
  for (const char* kind : {"through", "zone", "curve", "divide", "size"}) {
    std::size_t before = w->document().brief().rules.size();
    say->setFocus();
    say->clear();
    QTest::keyClicks(say, kind);
    QTest::keyClick(say, Qt::Key_Return);
    ASSERT_TRUE(waitFor([&] { return w->document().brief().rules.size() == before + 1; }, 5000)) << kind;
    EXPECT_EQ(w->document().brief().rules.back().kind, kind);
    auto* editor = w->findChild<QLineEdit*>("chipEditor");
    EXPECT_TRUE(waitFor([&] { return (editor = w->findChild<QLineEdit*>("chipEditor")) != nullptr; }, 5000)) << kind;
    if (editor) QTest::keyClick(editor, Qt::Key_Return);
    for (const auto& p : validateBrief(w->document().brief(), "mm"))
      EXPECT_NE(p.severity, Severity::Error) << kind << ": " << p.what;
  }
}

TEST_F(Window, opensMeshesBrushesAndExports) {
  open("saddle-clamp.brief");
  EXPECT_GT(drawn(w->viewport()->picture()), 0.05);
  mesh();
  auto run = w->currentRun();
  ASSERT_TRUE(run);
  EXPECT_GT(run->mesh.cells.size(), 5000u);
  EXPECT_GT(drawn(w->viewport()->picture()), 0.05);
  // A drag over the histogram shows as many cells as its bars count.
  w->auditPanel()->setMetric(Metric::MinDihedral);
  Histogram* h = w->auditPanel()->histogram();
  QTest::mousePress(h, Qt::LeftButton, {}, QPoint(10, 80));
  QTest::mouseMove(h, QPoint(60, 80));
  QMouseEvent drag(QEvent::MouseMove, QPointF(90, 80), h->mapToGlobal(QPointF(90, 80)), Qt::NoButton, Qt::LeftButton,
                   {});
  QApplication::sendEvent(h, &drag);
  QTest::mouseRelease(h, Qt::LeftButton, {}, QPoint(90, 80));
  ASSERT_TRUE(h->brushed());
  EXPECT_GT(h->brushedCount(), 0u);
  EXPECT_EQ(w->viewport()->brushedCount(), h->brushedCount());
  std::size_t bars = 0;
  double width = (h->highest() - h->lowest()) / static_cast<double>(h->bars().size());
  for (std::size_t i = 0; i < h->bars().size(); ++i) {
    double mid = h->lowest() + (static_cast<double>(i) + 0.5) * width;
    if (mid > h->from() && mid < h->to()) bars += h->bars()[i];
  }
  EXPECT_NEAR(static_cast<double>(bars), static_cast<double>(h->brushedCount()), 2); // values on a bar's rim
  h->brush(0, 0);
  EXPECT_EQ(w->viewport()->brushedCount(), 0u);
  TempFolder dir;
  bool written = false;
  QObject::connect(w.get(), &MainWindow::handedOver, [&] { written = true; });
  w->exportTo(dir / "w.inp", "inp");
  ASSERT_TRUE(waitFor([&] { return written; }));
  EXPECT_NE(w->notice()->text().indexOf("w.inp"), -1);
  EXPECT_EQ(readMesh(dir / "w.inp")->cells.size(), run->mesh.cells.size());
}

TEST_F(Window, wholeCellSectionShowsExactlyTheCrossedCells) {
  open("saddle-clamp.brief");
  mesh();
  auto* v = w->viewport();
  v->setSection(true);
  v->setSectionManner(SectionManner::WholeCells);
  // Count by hand for the first axis at the middle.
  const Mesh& m = w->currentRun()->mesh;
  double x = w->part()->box.center().x();
  std::size_t n = 0;
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    double lo = 1e300, hi = -1e300;
    for (int i = 0; i < 4; ++i) {
      double p = m.nodes[static_cast<std::size_t>(m.cells.of(c)[static_cast<std::size_t>(i)])].x();
      lo = std::min(lo, p);
      hi = std::max(hi, p);
    }
    n += lo < x && hi > x;
  }
  EXPECT_EQ(v->sectionCells(), n);
  EXPECT_GT(drawn(v->picture()), 0.002);
  v->setSectionManner(SectionManner::Cut);
  EXPECT_EQ(v->sectionCells(), n);
}

TEST_F(Window, pickingGroupingSizingAndUndo) {
  open("keel-bracket.brief");
  auto* v = w->viewport();
  // Click where the middle of a face is seen, and get a face.
  int hit = -1;
  QPoint at;
  for (int x = 100; x < v->width() - 100 && hit < 0; x += 40)
    for (int y = 100; y < v->height() - 100 && hit < 0; y += 40) {
      at = QPoint(x, y);
      hit = v->pick(at);
    }
  ASSERT_GE(hit, 0);
  QTest::mouseClick(v, Qt::LeftButton, {}, at);
  EXPECT_EQ(v->selection(), std::set<int>{hit});
  std::size_t rules = w->document().brief().rules.size();
  w->groupFromSelection("picked");
  ASSERT_EQ(w->document().brief().rules.size(), rules + 1);
  bool found = false;
  for (const auto& g : w->groups())
    if (g.name == "picked") {
      found = true;
      EXPECT_EQ(g.entities, std::vector<int>{hit});
    }
  EXPECT_TRUE(found);
  w->sizeFromSelection();
  EXPECT_EQ(w->document().brief().rules.back().kind, "size");
  EXPECT_EQ(w->document().brief().rules.back().get("on"), "picked");
  // The new card's chip is open for typing.
  QLineEdit* editor = nullptr;
  ASSERT_TRUE(waitFor([&] { return (editor = w->findChild<QLineEdit*>("chipEditor")) != nullptr; }, 3000));
  editor->setText("1.75 mm");
  QTest::keyClick(editor, Qt::Key_Return);
  EXPECT_EQ(w->document().brief().rules.back().get("length"), "1.75 mm");
  w->document().undo();
  w->document().undo();
  w->document().undo();
  EXPECT_EQ(w->document().brief().rules.size(), rules);
}

TEST_F(Window, hoveringACardLightsItsTargetAndKeepsTheSelection) {
  open("camera-housing.brief");
  w->viewport()->select(Dim::Face, {0});
  emit w->briefPanel()->hovered(1); // the group of bolt holes
  EXPECT_EQ(w->viewport()->lit().size(), 8u);
  EXPECT_EQ(w->viewport()->selection(), std::set<int>{0});
  emit w->briefPanel()->hovered(-1);
  EXPECT_TRUE(w->viewport()->lit().empty());
}

TEST_F(Window, aCardShowsWhatItWouldDoWhileItsValueIsTyped) {
  open("camera-housing.brief");
  const auto& rules = w->document().brief().rules;
  const int size = static_cast<int>(
      std::find_if(rules.begin(), rules.end(), [](const Rule& r) { return r.kind == "size"; }) - rules.begin());
  const auto before = rules;
  ASSERT_TRUE(waitFor([&] { return w->briefPanel()->below(size).contains("divisions"); })); // before any run
  bool shown = false;
  QObject::connect(w.get(), &MainWindow::previewed, [&] { shown = true; });
  w->briefPanel()->editChip(size, "length");
  auto* editor = w->findChild<QLineEdit*>("chipEditor");
  ASSERT_TRUE(editor);
  auto type = [&](const QString& text) {
    editor->selectAll();
    QTest::keyClicks(editor, text);
    shown = false;
    return waitFor([&] { return shown; }, 5000);
  };
  ASSERT_TRUE(type("2 mm"));
  const auto coarse = w->viewport()->markCount();
  const QString said = w->briefPanel()->below(size);
  EXPECT_GT(coarse, 50u);
  EXPECT_EQ(w->viewport()->lit().size(), 8u);
  ASSERT_TRUE(type("0.5 mm"));
  EXPECT_GT(w->viewport()->markCount(), 2 * coarse);
  EXPECT_NE(w->briefPanel()->below(size), said);
  ASSERT_TRUE(type("0.5 m m"));
  EXPECT_EQ(w->viewport()->markCount(), 0u);
  EXPECT_FALSE(w->briefPanel()->below(size).contains("divisions")); // it says what is wrong instead
  QTest::keyClick(editor, Qt::Key_Escape);
  EXPECT_TRUE(w->document().brief().rules == before); // Esc leaves it as it was
  EXPECT_TRUE(waitFor([&] { return w->briefPanel()->below(size).contains("divisions"); }, 5000));
  EXPECT_FALSE(w->document().canUndo());
  EXPECT_EQ(w->viewport()->markCount(), 0u);
}

TEST_F(Window, whatCardsWillDoIsForgottenWithThePart) {
  auto everywhere = [&] {
    const auto& rules = w->document().brief().rules;
    return static_cast<int>(
        std::find_if(rules.begin(), rules.end(), [](const Rule& r) { return r.kind == "everywhere"; }) - rules.begin());
  };
  open("camera-housing.brief");
  EXPECT_TRUE(waitFor([&] { return w->briefPanel()->below(everywhere()).contains("37 edges"); }, 20000));
  open("keel-bracket.brief");
  EXPECT_FALSE(w->briefPanel()->below(everywhere()).contains("37 edges"));
  EXPECT_TRUE(waitFor([&] { return w->briefPanel()->below(everywhere()).contains("73 edges"); }, 20000));
}

TEST_F(Window, whatACardWillDoStaysWithItWhereItGoes) {
  open("keel-bracket.brief");
  auto* panel = w->briefPanel();
  auto at = [&](const char* kind) {
    const auto& rules = w->document().brief().rules;
    return static_cast<int>(std::find_if(rules.begin(), rules.end(), [&](const Rule& r) { return r.kind == kind; }) -
                            rules.begin());
  };
  ASSERT_TRUE(waitFor([&] { return panel->below(at("size")).contains("1 face"); }, 20000));
  const QString everywhere = panel->below(at("everywhere")), size = panel->below(at("size"));
  const auto told = [&] { // before any new words can have come
    EXPECT_EQ(panel->below(at("everywhere")), everywhere);
    EXPECT_EQ(panel->below(at("size")), size);
  };
  const int first = at("everywhere");
  emit panel->moved(first, 1);
  ASSERT_EQ(at("everywhere"), first + 1);
  told();
  emit panel->duplicated(at("everywhere"));
  told();
  emit panel->removed(at("size"));
  EXPECT_EQ(panel->below(at("everywhere")), everywhere);
  emit panel->valueChanged(at("everywhere"), "target", "4 mm");
  EXPECT_EQ(panel->below(at("everywhere")), everywhere) << "until it is known";
  EXPECT_TRUE(waitFor([&] { return panel->below(at("everywhere")) != everywhere; }, 20000));
}

TEST_F(Window, theFinestPlaceOfAnEdgeIsDraggedAlongIt) {
  open("keel-bracket.brief");
  auto* v = w->viewport();
  // A long edge that is seen well.
  int edge = -1;
  double longest = 0;
  for (int e = 0; e < w->part()->count(Dim::Edge); ++e) {
    const auto& pe = w->part()->edges[static_cast<std::size_t>(e)];
    if (pe.points[0] == pe.points[1]) continue;
    const QPointF a = v->project(w->part()->points[static_cast<std::size_t>(pe.points[0])].at),
                  b = v->project(w->part()->points[static_cast<std::size_t>(pe.points[1])].at);
    if (std::hypot(a.x() - b.x(), a.y() - b.y()) > longest)
      longest = std::hypot(a.x() - b.x(), a.y() - b.y()), edge = e;
  }
  ASSERT_GT(longest, 150);
  v->select(Dim::Edge, {edge});
  EXPECT_TRUE(v->handles().empty());
  w->addRule("divide", {{"count", "12"}, {"finest", "start"}, {"ratio", "4"}});
  ASSERT_EQ(w->document().brief().rules.back().kind, "divide");
  v->select(Dim::Edge, {edge});
  ASSERT_EQ(v->handles().size(), 1u);
  EXPECT_EQ(v->handles()[0].share, 0);
  const QPoint from = v->handleAt(v->handles()[0]).toPoint();
  EdgeHandle goal = v->handles()[0];
  goal.share = 0.7;
  const QPoint to = v->handleAt(goal).toPoint();
  const auto before = v->selection();
  QTest::mousePress(v, Qt::LeftButton, {}, from);
  for (int k = 1; k <= 5; ++k) {
    const QPointF at = from + (to - from) * (k / 5.0);
    QMouseEvent move(QEvent::MouseMove, at, v->mapToGlobal(at), Qt::NoButton, Qt::LeftButton, {});
    QApplication::sendEvent(v, &move);
  }
  EXPECT_EQ(w->document().brief().rules.back().get("finest"), "start") << "it counts when it is let go";
  QTest::mouseRelease(v, Qt::LeftButton, {}, to);
  auto place = finestPlace(w->document().brief().rules.back().get("finest"));
  ASSERT_TRUE(place);
  EXPECT_NEAR(*place, 0.7, 0.03);
  EXPECT_EQ(v->selection(), before);
  // Near to an end it goes there.
  QTest::mousePress(v, Qt::LeftButton, {}, v->handleAt(v->handles()[0]).toPoint());
  goal.share = 0.99;
  const QPointF end = v->handleAt(goal);
  QMouseEvent move(QEvent::MouseMove, end, v->mapToGlobal(end), Qt::NoButton, Qt::LeftButton, {});
  QApplication::sendEvent(v, &move);
  QTest::mouseRelease(v, Qt::LeftButton, {}, end.toPoint());
  EXPECT_EQ(w->document().brief().rules.back().get("finest"), "end");
  w->document().undo();
  EXPECT_NE(w->document().brief().rules.back().get("finest"), "end");
}

TEST_F(Window, theSheetOfACutIsDraggedAndSnaps) {
  open("keel-bracket-hexahedra.brief");
  EXPECT_GT(w->part()->bodies.size(), 1u);
  auto* v = w->viewport();
  int cut = -1;
  for (std::size_t i = 0; i < w->document().brief().rules.size() && cut < 0; ++i)
    if (w->document().brief().rules[i].kind == "cut") cut = static_cast<int>(i);
  auto point = [&](int rule) {
    bool drawn = false;
    auto c = QObject::connect(w.get(), &MainWindow::previewed, [&] { drawn = true; });
    emit w->briefPanel()->hovered(rule);
    EXPECT_TRUE(waitFor([&] { return drawn; }, 20000));
    QObject::disconnect(c);
  };
  point(cut);
  EXPECT_GT(v->outlineCount(), 10u);
  ASSERT_EQ(v->handles().size(), 1u);
  emit w->briefPanel()->hovered(-1); // on the way to the handle it stays
  ASSERT_EQ(v->handles().size(), 1u);
  // To the height of the bore's middle, where it snaps; the card changes when it is let go, and the part with it.
  EdgeHandle goal = v->handles()[0];
  EXPECT_NEAR(goal.at.z(), 17, 1e-6);
  goal.share = 35 * goal.along.z() + 0.3;
  const QPoint from = v->handleAt(v->handles()[0]).toPoint();
  const QPointF to = v->handleAt(goal);
  QTest::mousePress(v, Qt::LeftButton, {}, from);
  QMouseEvent move(QEvent::MouseMove, to, v->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, {});
  QApplication::sendEvent(v, &move);
  EXPECT_EQ(w->document().brief().rules[static_cast<std::size_t>(cut)].get("at"), "(0, 0, 17)");
  bool loaded = false;
  auto c = QObject::connect(w.get(), &MainWindow::partLoaded, [&] { loaded = true; });
  const auto before = w->part();
  QTest::mouseRelease(v, Qt::LeftButton, {}, to.toPoint());
  EXPECT_EQ(w->document().brief().rules[static_cast<std::size_t>(cut)].get("at"), "(0, 0, 52)");
  ASSERT_TRUE(waitFor([&] { return loaded; }, 30000));
  EXPECT_NE(w->part(), before);
  EXPECT_EQ(w->part()->whole, before->whole) << "the file is not read for that";
  // Another card takes the sheet away, and undo brings the cut back.
  point(static_cast<int>(w->document().brief().first("everywhere") - w->document().brief().rules.data()));
  EXPECT_TRUE(v->handles().empty());
  loaded = false;
  for (auto* a : w->findChildren<QAction*>())
    if (a->shortcut() == QKeySequence("Ctrl+Z")) a->trigger();
  ASSERT_TRUE(waitFor([&] { return loaded; }, 30000));
  QObject::disconnect(c);
  EXPECT_EQ(w->document().brief().rules[static_cast<std::size_t>(cut)].get("at"), "(0, 0, 17)");
  EXPECT_EQ(w->part()->bodies.size(), before->bodies.size());
}

TEST_F(Window, aZoneIsFittedToWhatIsSelected) {
  open("keel-bracket.brief");
  const PartFace& face = w->part()->faces[0];
  w->viewport()->select(Dim::Face, {0});
  w->addRule("zone");
  const Rule& zone = w->document().brief().rules.back();
  ASSERT_EQ(zone.kind, "zone");
  auto from = parsePoints(zone.get("from"), "mm"), to = parsePoints(zone.get("to"), "mm");
  ASSERT_TRUE(from && to);
  Box fitted;
  fitted.add(from->front());
  fitted.add(to->front());
  EXPECT_TRUE(fitted.contains(face.box.lo) && fitted.contains(face.box.hi));
  EXPECT_LT((fitted.size() - face.box.size()).maxCoeff(), 0.05 * w->part()->diagonal());
}

TEST_F(Window, aZoneIsOutlinedWhenItsCardIsHovered) {
  open("keel-bracket.brief");
  emit w->briefPanel()->ruleWanted("zone");
  const int zone = static_cast<int>(w->document().brief().rules.size()) - 1;
  ASSERT_EQ(w->document().brief().rules.back().kind, "zone");
  emit w->briefPanel()->hovered(zone);
  EXPECT_TRUE(waitFor([&] { return w->viewport()->outlineCount() == 12; }, 5000));
  emit w->briefPanel()->hovered(-1);
  EXPECT_EQ(w->viewport()->outlineCount(), 0u);
}

TEST_F(Window, hideOnlyAndShowAllChangeThePicture) {
  open("keel-bracket.brief");
  auto* v = w->viewport();
  double all = drawn(v->picture());
  v->select(Dim::Face, {0, 1, 2});
  v->showOnlySelection();
  double few = drawn(v->picture());
  v->showAll();
  v->select(Dim::Face, {});
  EXPECT_LT(few, 0.8 * all);
  EXPECT_NEAR(drawn(v->picture()), all, 0.02);
}

TEST_F(Window, stopKeepsThePreviousMeshAndAnswersSoon) {
  open("keel-bracket.brief");
  mesh();
  auto before = w->currentRun();
  Brief b = w->document().brief();
  for (auto& r : b.rules)
    if (r.kind == "everywhere") r.values["target"] = "0.9 mm";
  w->document().change(b, "finer");
  bool done = false;
  QObject::connect(w.get(), &MainWindow::runFinished, [&] { done = true; });
  w->startMesh();
  waitFor([] { return false; }, 1500); // far from the end: this mesh takes a minute
  ASSERT_FALSE(done);
  EXPECT_FALSE(w->runsBar()->stopButton()->isHidden());
  QTest::mouseClick(w->runsBar()->stopButton(), Qt::LeftButton);
  ASSERT_TRUE(waitFor([&] { return done; })); // bench_stop times the answer
  EXPECT_EQ(w->currentRun(), before);         // a run that went on to its end would have replaced it
}

TEST_F(Window, whatACardIsAboutIsSeenWhateverItsKind) {
  open("saddle-clamp.brief");
  auto* v = w->viewport();
  for (auto dim : {Dim::Body, Dim::Face, Dim::Edge, Dim::Point}) {
    v->light(dim, {});
    const QImage before = v->picture();
    std::set<int> all;
    for (int i = 0; i < w->part()->count(dim); ++i) all.insert(i);
    v->light(dim, all);
    EXPECT_NE(v->picture(), before) << static_cast<int>(dim);
  }
}

TEST_F(Window, linesBehindWallsStayHiddenFromNear) {
  open("camera-housing.brief");
  auto* v = w->viewport();
  const Part& part = *w->part();
  int hidden = 0, seen = 0;
  for (int face : {0, 5, 9, 14, 20}) {
    v->flyTo(part.faces[static_cast<std::size_t>(face)].center, 45);
    const QImage picture = v->picture();
    const qreal ratio = picture.devicePixelRatio();
    for (const auto& chain : part.drawn().edgeChain)
      for (int i : chain) {
        const Vec3 x = part.drawn().points[static_cast<std::size_t>(i)];
        const QPoint at = (ratio * v->project(x)).toPoint();
        if (v->inSight(x) || !picture.rect().contains(at)) continue;
        ++hidden;
        const QColor c = picture.pixelColor(at), line = theme::partLine;
        seen += std::abs(c.red() - line.red()) + std::abs(c.green() - line.green()) < 24;
      }
  }
  EXPECT_GT(hidden, 200);
  EXPECT_LT(seen, hidden / 20) << "of " << hidden << "; some lie behind lines that are seen";
}

TEST_F(Window, chosenPointsInSightAreDrawnWhole) {
  open("keel-bracket.brief");
  auto* v = w->viewport();
  std::set<int> all;
  std::size_t inSight = 0;
  for (int i = 0; i < w->part()->count(Dim::Point); ++i) {
    if (w->part()->points[static_cast<std::size_t>(i)].hidden) continue;
    all.insert(i);
    inSight += v->inSight(w->part()->points[static_cast<std::size_t>(i)].at);
  }
  v->select(Dim::Point, all);
  const QImage picture = v->picture();
  EXPECT_EQ(v->pointsDrawn(), inSight);
  EXPECT_GT(inSight, all.size() / 4);
  EXPECT_LT(inSight, all.size());
  const qreal ratio = picture.devicePixelRatio();
  int looked = 0;
  for (int i : all) {
    const Vec3 x = w->part()->points[static_cast<std::size_t>(i)].at;
    auto crowds = [&](int k) { // whose rim may lie on this one
      const QPointF way = v->project(w->part()->points[static_cast<std::size_t>(k)].at) - v->project(x);
      return k != i && way.manhattanLength() < 16;
    };
    if (!v->inSight(x) || std::any_of(all.begin(), all.end(), crowds)) continue;
    ++looked;
    for (const QPointF off : {QPointF(2, 0), QPointF(-2, 0), QPointF(0, 2), QPointF(0, -2)}) {
      const QPointF at = ratio * (v->project(x) + off);
      const QColor there = picture.pixelColor(at.toPoint()), own = theme::accent; // but for its soft rim
      EXPECT_LT(std::abs(there.red() - own.red()) + std::abs(there.green() - own.green()), 60) << i << " is cut";
    }
  }
  EXPECT_GT(looked, 5);
  v->setSection(true); // what is cut away takes its points along
  (void)v->picture();
  EXPECT_LT(v->pointsDrawn(), inSight);
}

TEST_F(Window, theViewIsSafeWithoutAPart) {
  auto* v = w->viewport();
  for (const char* command :
       {"section", "sectionanotherplane", "sectionnextaxis", "sectiontheotherside", "sectionforth", "hideselection",
        "onlytheselection", "showall", "fit", "seethrough", "edgesalone"}) {
    auto* a = w->findChild<QAction*>(command);
    ASSERT_TRUE(a) << command;
    a->trigger();
    for (auto button : {Qt::LeftButton, Qt::RightButton, Qt::MiddleButton}) {
      const QPoint from(v->width() / 3, v->height() / 3);
      QTest::mousePress(v, button, {}, from);
      for (int i = 1; i <= 3; ++i) {
        const QPointF at = from + QPoint(20 * i, 10 * i);
        QMouseEvent e(QEvent::MouseMove, at, v->mapToGlobal(at), Qt::NoButton, button, Qt::NoModifier);
        QApplication::sendEvent(v, &e);
      }
      QTest::mouseRelease(v, button, {}, from + QPoint(60, 30));
    }
  }
  EXPECT_FALSE(v->sectionOn());
  EXPECT_EQ(v->picture().pixelColor(v->width() / 2, v->height() / 2), theme::viewport);
}

TEST_F(Window, failingPartIsAFindingNotACrash) {
  TempFolder dir;
  std::string path = dir.write("gone.brief", "format = 1\n[part]\nfile = \"none.step\"\n");
  bool failed = false;
  Problem problem;
  QObject::connect(w.get(), &MainWindow::taskFailed, [&](const Problem& p) {
    failed = true;
    problem = p;
  });
  // A message box comes up; close it as a person would.
  QTimer closer;
  bool boxed = false;
  QObject::connect(&closer, &QTimer::timeout, [&] {
    if (auto* box = QApplication::activeModalWidget()) {
      boxed = true;
      box->close();
    }
  });
  closer.start(50);
  w->open(QString::fromStdString(path));
  ASSERT_TRUE(waitFor([&] { return failed; }, 20000));
  EXPECT_TRUE(boxed);
  EXPECT_EQ(problem.code, "file.missing");
}

TEST_F(Window, savedBriefIsReadBackTheSame) {
  open("saddle-clamp.brief");
  TempFolder dir;
  ASSERT_TRUE(w->saveAs(QString::fromStdString(dir / "copy.brief")));
  auto b = loadBrief(dir / "copy.brief");
  ASSERT_TRUE(b.ok());
  EXPECT_EQ(b->rules, w->document().brief().rules);
  EXPECT_TRUE(std::filesystem::equivalent(b->partPath(), demo("saddle-clamp.step")));
}

TEST_F(Window, noTextIsCutAtBothSizesLightAndDark) {
  open("camera-housing.brief");
  for (auto [s, look] : {std::pair(QSize(1280, 800), MainWindow::Appearance::Light),
                         std::pair(QSize(1024, 700), MainWindow::Appearance::Light),
                         std::pair(QSize(1024, 700), MainWindow::Appearance::Dark)}) {
    w->setAppearance(look);
    w->resize(s);
    w->viewport()->select(Dim::Face, {0, 1});
    w->viewport()->select(Dim::Face, {2}); // told with its kind, in the bar that held fewer words
    for (int k = 0; k < 20; ++k) QApplication::processEvents(QEventLoop::AllEvents, 10);
    for (auto* b : w->findChildren<QToolButton*>("chip"))
      if (b->isVisible()) {
        EXPECT_TRUE(b->parentWidget()->rect().contains(b->geometry())) << b->text().toStdString();
      }
    for (auto* l : w->findChildren<QLabel*>()) {
      if (!l->isVisible() || l->text().isEmpty()) continue;
      int need = l->wordWrap() ? l->heightForWidth(l->width()) : l->sizeHint().height();
      EXPECT_LE(need, l->height() + 2) << l->text().toStdString();
      if (!l->wordWrap()) {
        EXPECT_LE(l->sizeHint().width(), l->width() + 2) << l->text().toStdString();
      }
    }
  }
}

TEST_F(Window, textStandsOutFromItsGroundLightAndDark) {
  auto luminance = [](const QColor& c) {
    auto f = [](double x) { return x <= 0.03928 ? x / 12.92 : std::pow((x + 0.055) / 1.055, 2.4); };
    return 0.2126 * f(c.redF()) + 0.7152 * f(c.greenF()) + 0.0722 * f(c.blueF());
  };
  auto contrast = [&](const QColor& a, const QColor& b) {
    double x = luminance(a), y = luminance(b);
    return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
  };
  open("keel-bracket.brief");
  QImage light = w->viewport()->picture();
  for (auto look : {MainWindow::Appearance::Light, MainWindow::Appearance::Dark}) {
    w->setAppearance(look);
    for (const QColor& ground : {theme::paper, theme::card}) {
      EXPECT_GE(contrast(theme::ink, ground), 7);
      EXPECT_GE(contrast(theme::faint, ground), 4.2);
      EXPECT_GE(contrast(theme::accent, ground), 4.5);
    }
    // What is really on the screen: panels in the paper's colour, the view in its own.
    QImage shot = w->grab().toImage();
    EXPECT_EQ(shot.pixelColor(4, shot.height() / 2).lightness() < 128, theme::isDark());
    EXPECT_EQ(w->viewport()->picture().pixelColor(3, 3).lightness() < 128, theme::isDark());
  }
  w->setAppearance(MainWindow::Appearance::Light);
  EXPECT_EQ(w->viewport()->picture().pixelColor(3, 3), light.pixelColor(3, 3));
}

TEST(WindowWithoutOpenGl, saysSoInTheViewportsPlace) {
  MainWindow w(false);
  w.show();
  EXPECT_EQ(w.viewport(), nullptr);
  auto* l = w.findChild<QLabel*>("noOpenGl");
  ASSERT_TRUE(l);
  EXPECT_TRUE(l->text().contains("OpenGL"));
}

int main(int argc, char** argv) {
  // What the program keeps of its user goes to a folder of the tests.
  auto home = std::filesystem::temp_directory_path() / ("tess-window-" + std::to_string(::getpid()));
  for (const char* v : {"XDG_DATA_HOME", "XDG_CONFIG_HOME"}) qputenv(v, QByteArray::fromStdString(home.string()));
  QApplication app(argc, argv);
  app.setStyle("Fusion");
  app.setStyleSheet(theme::styleSheet());
  ::testing::InitGoogleTest(&argc, argv);
  int r = RUN_ALL_TESTS();
  std::error_code ec;
  std::filesystem::remove_all(home, ec);
  return r;
}
