// SPDX-License-Identifier: GPL-3.0-or-later
// Forecast, size tile, proposed groups, improving, recovery, files that change under the window.
#include "app/gate_dialog.h"
#include "app/report_pdf.h"
#include "app/window_fixture.h"
#include "base/file.h"
#include "job/improve.h"
#include "job/report.h"
#include <QBuffer>
#include <QDragEnterEvent>
#include <QDropEvent>
#include <QFileDialog>
#include <QMimeData>
#include <QTableWidget>
#include <QUrl>
#include <filesystem>
#include <iterator>
#include <nlohmann/json.hpp>
#include <regex>

using namespace tess;
using namespace tess::test;

namespace {

class Workbench : public Window {
protected:
  void SetUp() override {
    QDir(RecoveryStore::folder()).removeRecursively(); // windows of other tests were not closed by a person
    Window::SetUp();
  }
  void waitForForecast() {
    ASSERT_TRUE(waitFor([&] { return w->forecast().has_value(); }, 60000));
  }
  void everywhere(const std::string& target) {
    auto b = w->document().brief();
    for (std::size_t i = 0; i < b.rules.size(); ++i)
      if (b.rules[i].kind == "everywhere") emit w->briefPanel()->valueChanged(static_cast<int>(i), "target", target);
  }
  /// A place in the viewport where a face is seen.
  QPoint onAFace() {
    auto* v = w->viewport();
    for (int x = v->width() / 2; x < v->width() - 60; x += 17)
      for (int y = v->height() / 3; y < v->height() - 120; y += 17)
        if (v->pick(QPoint(x, y)) >= 0) return {x, y};
    return {-1, -1};
  }
  void hover(const QPoint& p) {
    auto* v = w->viewport();
    QMouseEvent move(QEvent::MouseMove, QPointF(p), v->mapToGlobal(QPointF(p)), Qt::NoButton, Qt::NoButton, {});
    QApplication::sendEvent(v, &move);
  }
  QToolButton* noticeButton(const QString& text) {
    for (auto* b : w->notice()->findChildren<QToolButton*>())
      if (b->isVisible() && b->text() == text) return b;
    return nullptr;
  }
  /// Brief and part of the demo in a folder of their own.
  std::string copyOf(const std::string& name, const TempFolder& dir) {
    std::filesystem::copy_file(demo(name + ".brief"), dir / name + ".brief");
    std::filesystem::copy_file(demo(name + ".step"), dir / name + ".step");
    return dir / name + ".brief";
  }
  void openPath(const std::string& path) {
    bool loaded = false;
    auto c = QObject::connect(w.get(), &MainWindow::partLoaded, [&] { loaded = true; });
    w->open(QString::fromStdString(path));
    ASSERT_TRUE(waitFor([&] { return loaded; }));
    QObject::disconnect(c);
  }
};

bool has(const std::vector<Problem>& list, const std::string& code) {
  for (const auto& p : list)
    if (p.code == code) return true;
  return false;
}

} // namespace

TEST_F(Workbench, forecastStandsBesideMeshAndFollowsTheBrief) {
  open("saddle-clamp.brief");
  waitForForecast();
  double before = w->forecast()->elements;
  EXPECT_TRUE(w->runsBar()->text().contains("about")) << w->runsBar()->text().toStdString();
  everywhere("6 mm");
  EXPECT_FALSE(w->forecast().has_value()); // the old figure does not stay beside a new brief
  waitForForecast();
  EXPECT_LT(w->forecast()->elements, 0.8 * before);
  mesh();
  double got = static_cast<double>(w->currentRun()->mesh.cells.size());
  EXPECT_NEAR(w->forecast()->elements / got, 1, 0.25);
}

TEST_F(Workbench, forecastLearnsTheTimeFromTheRun) {
  QFile::remove(qEnvironmentVariable("XDG_DATA_HOME") + "/tesselite/runs.jsonl"); // of other tests
  open("saddle-clamp.brief");
  waitForForecast();
  EXPECT_EQ(w->forecast()->calibrationOfPart, 0);
  mesh();
  ASSERT_GT(w->currentRun()->mesh.cells.size(), 5000u);
  ASSERT_TRUE(waitFor([&] { return w->forecast() && w->forecast()->calibrationOfPart == 1; }));
  EXPECT_NEAR(w->forecast()->seconds / w->currentRun()->seconds, 1, 0.3);
}

TEST_F(Workbench, sizeLensShowsScaleTileAndReasons) {
  open("camera-housing.brief");
  waitForForecast(); // it comes after the size field
  w->setLens(2);
  ASSERT_TRUE(w->viewPane()->lensScale()->isVisible());
  EXPECT_TRUE(w->viewPane()->lensScale()->title().contains("mm"));
  ASSERT_GE(w->viewPane()->lensScale()->ticks().size(), 2u);
  EXPECT_NE(w->viewPane()->lensScale()->ticks().front().text, w->viewPane()->lensScale()->ticks().back().text);
  QPoint p = onAFace();
  ASSERT_GE(p.x(), 0);
  hover(p);
  ASSERT_TRUE(w->viewPane()->sizeTile()->shown());
  EXPECT_TRUE(w->viewPane()->sizeTile()->length().endsWith(" mm"));
  ASSERT_TRUE(waitFor([&] { return w->viewPane()->whyBox()->isVisible(); }, 5000));
  const auto& lines = w->viewPane()->whyBox()->lines();
  ASSERT_FALSE(lines.empty());
  EXPECT_EQ(lines.front().size, w->viewPane()->sizeTile()->length());
  auto links = w->viewPane()->whyBox()->findChildren<QToolButton*>();
  ASSERT_EQ(static_cast<std::size_t>(links.size()), lines.size());
  QTest::mouseClick(links.front(), Qt::LeftButton);
  bool lit = false;
  for (auto* c : w->briefPanel()->findChildren<QFrame*>("card")) lit = lit || c->property("lit").toBool();
  EXPECT_TRUE(lit);
  hover({2, 2}); // beside the part
  EXPECT_FALSE(w->viewPane()->sizeTile()->shown());
  w->setLens(0);
  EXPECT_FALSE(w->viewPane()->lensScale()->isVisible());
}

TEST_F(Workbench, tinySizesAreShownMagnified) {
  open("keel-bracket.brief");
  everywhere("0.15 mm");
  waitFor([&] { return w->viewport()->sizeField() && w->viewport()->sizeField()->overall() < 0.2; }, 60000);
  w->setLens(2);
  QPoint p = onAFace();
  hover(p);
  ASSERT_TRUE(w->viewPane()->sizeTile()->shown());
  EXPECT_TRUE(w->viewPane()->sizeTile()->magnified());
  EXPECT_EQ(w->viewPane()->sizeTile()->length(), "0.15 mm");
}

TEST_F(Workbench, proposedGroupsNameEveryFaceInOneStep) {
  open("saddle-clamp.brief");
  auto before = w->document().brief();
  w->proposeGroups();
  EXPECT_GT(w->document().brief().rules.size(), before.rules.size());
  EXPECT_TRUE(unassignedFaces(*w->part(), w->groups()).empty());
  w->document().undo();
  EXPECT_EQ(w->document().brief(), before);
}

TEST_F(Workbench, takeInDescribesWhatIsAlike) {
  open("camera-housing.brief");
  int hole = -1;
  for (int f = 0; f < w->part()->count(Dim::Face) && hole < 0; ++f)
    if (auto r = describeAlike(*w->part(), f, Alike::SameRadius))
      if (resolveAlone(*r, *w->part()).size() > 3) hole = f;
  ASSERT_GE(hole, 0);
  w->viewport()->select(Dim::Face, {hole});
  w->takeIn(Alike::SameRadius);
  auto chosen = w->viewport()->selection();
  EXPECT_GT(chosen.size(), 3u);
  w->groupFromSelection("alike ones");
  const Rule* made = nullptr;
  for (const auto& r : w->document().brief().rules)
    if (r.get("name") == "alike ones") made = &r;
  ASSERT_NE(made, nullptr);
  EXPECT_FALSE(made->get("radius_min").empty()); // by what it is, not by where
  EXPECT_TRUE(made->get("nearest").empty());
  for (const auto& g : w->groups())
    if (g.name == "alike ones") {
      EXPECT_EQ(std::set<int>(g.entities.begin(), g.entities.end()), chosen);
    }
}

TEST_F(Workbench, improvedMeshIsARunOfItsOwn) {
  open("keel-bracket.brief");
  mesh();
  auto before = w->currentRun();
  ASSERT_EQ(before->mesh.cells.type[0], ElementType::Tet4);
  bool done = false;
  QObject::connect(w.get(), &MainWindow::runFinished, [&] { done = true; });
  w->improveMesh("min_dihedral:0..30");
  ASSERT_TRUE(waitFor([&] { return done; }));
  auto after = w->currentRun();
  ASSERT_NE(before, after);
  EXPECT_EQ(after->improved, 1);
  auto worst = [](const RunResult& r) { return r.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)].min; };
  EXPECT_GE(worst(*after), worst(*before) * 0.999);
  EXPECT_NEAR(meshVolume(after->mesh), meshVolume(before->mesh), 1e-9 * meshVolume(before->mesh));
  EXPECT_EQ(after->mesh.faces.size(), before->mesh.faces.size());
}

TEST_F(Workbench, unsavedWorkIsFoundAgainAfterAKill) {
  TempFolder dir;
  openPath(copyOf("saddle-clamp", dir));
  everywhere("4.25 mm");
  auto wanted = w->document().brief();
  auto kept = [] { return QDir(RecoveryStore::folder()).entryInfoList({"*.json"}, QDir::Files); };
  ASSERT_TRUE(waitFor([&] { return !kept().isEmpty(); }, 5000));
  // As if this program had been killed: the file says another one wrote it.
  QString file = kept().front().absoluteFilePath();
  std::ifstream in(file.toStdString());
  auto j = nlohmann::json::parse(in);
  j["pid"] = 99999999;
  QString left = RecoveryStore::folder() + "/99999999-1.json";
  std::ofstream(left.toStdString()) << j.dump();
  MainWindow fresh;
  fresh.show();
  fresh.offerRecovery();
  ASSERT_EQ(fresh.notice()->key(), "recovery");
  bool loaded = false;
  QObject::connect(&fresh, &MainWindow::partLoaded, [&] { loaded = true; });
  for (auto* b : fresh.notice()->findChildren<QToolButton*>())
    if (b->text() == "open them") QTest::mouseClick(b, Qt::LeftButton);
  ASSERT_TRUE(waitFor([&] { return loaded; }));
  EXPECT_EQ(fresh.document().brief().rules, wanted.rules);
  EXPECT_TRUE(fresh.document().modified());
  EXPECT_FALSE(QFileInfo::exists(left));
  ASSERT_TRUE(fresh.save());
  ASSERT_TRUE(w->save());
  waitFor([&] { return kept().isEmpty(); }, 3000);
  EXPECT_TRUE(kept().isEmpty()); // nothing unsaved is left
}

// Sizes, words and forecasts of the first file are on their way, at another stage each time, when the second comes.
TEST_F(Workbench, anotherFileMayBeOpenedAtAnyMoment) {
  for (int wait : {0, 30, 80, 150, 250, 400, 700}) {
    open("saddle-clamp.brief");
    QTest::qWait(wait);
    open("keel-bracket.brief");
    EXPECT_EQ(w->part()->path, w->document().brief().partPath()) << wait;
    EXPECT_TRUE(w->auditPanel()->findings().empty()) << wait;
    bool forecast = false;
    auto c = QObject::connect(w.get(), &MainWindow::forecastReady, [&] { forecast = true; });
    ASSERT_TRUE(waitFor([&] { return forecast; }));
    QObject::disconnect(c);
  }
}

TEST_F(Workbench, anotherPartKeepsRulesAndSaysWhatTheGroupsMean) {
  TempFolder dir;
  openPath(copyOf("saddle-clamp", dir));
  w->proposeGroups();
  auto rules = w->document().brief().rules;
  mesh();
  bool loaded = false;
  QObject::connect(w.get(), &MainWindow::partLoaded, [&] { loaded = true; });
  w->swapPart(QString::fromStdString(demo("keel-bracket.step")));
  ASSERT_TRUE(waitFor([&] { return loaded; }));
  EXPECT_EQ(w->document().brief().rules, rules);
  EXPECT_TRUE(has(w->auditPanel()->findings(), "rebind.summary"));
  EXPECT_FALSE(w->viewPane()->hint().contains("mesh"))
      << w->viewPane()->hint().toStdString(); // that of the part before
  EXPECT_TRUE(has(w->auditPanel()->findings(), "rebind.lost") || has(w->auditPanel()->findings(), "rebind.changed") ||
              has(w->auditPanel()->findings(), "rebind.doubt"));
  w->viewport()->setLens(Lens::Groups); // an older run on a part with fewer faces must not trip
  emit w->runsBar()->runClicked(0);
  EXPECT_GT(drawn(w->viewport()->picture()), 0.01);
}

TEST_F(Workbench, filesThatChangeOnDiskAreNoticed) {
  TempFolder dir;
  std::string brief = copyOf("saddle-clamp", dir), part = dir / "saddle-clamp.step";
  openPath(brief);
  // The brief, edited elsewhere: taken over as one step that can be undone.
  auto before = w->document().brief();
  auto text = [&] {
    std::ifstream in(brief);
    return std::string(std::istreambuf_iterator<char>(in), {});
  }();
  auto b = loadBrief(brief);
  ASSERT_TRUE(b.ok());
  b->rules.push_back(freshRule("zone", "everywhere", *b, *w->part()));
  ASSERT_FALSE(saveBrief(*b, brief));
  ASSERT_TRUE(waitFor([&] { return w->document().brief().rules.size() == before.rules.size() + 1; }, 10000));
  EXPECT_FALSE(w->document().modified());
  w->document().undo();
  EXPECT_EQ(w->document().brief(), before);
  // The part, exported again: asked about, then read again with all rules kept.
  std::filesystem::copy_file(demo("keel-bracket.step"), part, std::filesystem::copy_options::overwrite_existing);
  ASSERT_TRUE(waitFor([&] { return w->notice()->key() == "part"; }, 10000));
  int faces = w->part()->count(Dim::Face);
  bool loaded = false;
  QObject::connect(w.get(), &MainWindow::partLoaded, [&] { loaded = true; });
  auto* again = noticeButton("read it again");
  ASSERT_NE(again, nullptr);
  QTest::mouseClick(again, Qt::LeftButton);
  ASSERT_TRUE(waitFor([&] { return loaded; }));
  EXPECT_NE(w->part()->count(Dim::Face), faces);
}

TEST_F(Workbench, savingOverAnotherProgramsChangeAsksAndTheNoticeFollowsTheFile) {
  TempFolder dir;
  const std::string brief = copyOf("saddle-clamp", dir);
  openPath(brief);
  /// Presses a button of the message box that saving opens; what the box offered.
  auto saveAnd = [&](const QString& button) {
    QStringList offered;
    auto* timer = new QTimer(w.get());
    QObject::connect(timer, &QTimer::timeout, [&offered, timer, button] {
      auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
      if (!box) return;
      timer->stop();
      QAbstractButton* press = nullptr;
      for (auto* b : box->buttons()) {
        offered << b->text().remove('&');
        if (offered.back() == button) press = b;
      }
      if (press)
        press->click();
      else
        box->reject();
    });
    timer->start(20);
    const bool saved = w->save();
    timer->deleteLater();
    return std::pair(saved, offered);
  };
  auto disk = [&] { return *readFile(brief); };
  auto noticed = [&](const char* word) {
    return waitFor([&] { return w->notice()->key() == "brief" && w->notice()->text().contains(word); }, 10000);
  };
  const std::string original = disk();
  auto theirs = loadBrief(brief);
  theirs->rules.push_back(freshRule("zone", "everywhere", *theirs, *w->part()));
  everywhere("7 mm");
  ASSERT_FALSE(saveBrief(*theirs, brief));
  const std::string other = disk();
  ASSERT_TRUE(noticed("as well"));
  // Something else is told meanwhile; the question comes back.
  w->notice()->ask("view", "Kept.", {{"fine", {}}});
  w->notice()->dismiss("view");
  EXPECT_EQ(w->notice()->key(), "brief");
  // Saving does not write over it unasked.
  auto [cancelled, offered] = saveAnd("Cancel");
  EXPECT_FALSE(cancelled);
  EXPECT_EQ(offered.size(), 3);
  EXPECT_EQ(disk(), other);
  EXPECT_TRUE(w->document().modified());
  // The other program takes its change back: nothing is left to ask.
  std::ofstream(brief) << original;
  EXPECT_TRUE(waitFor([&] { return w->notice()->key() != "brief"; }, 10000));
  // What is no brief any more, or gone, is told as that.
  std::ofstream(brief) << "[[[ no brief";
  ASSERT_TRUE(noticed("is no brief"));
  EXPECT_EQ(saveAnd("Cancel").second.size(), 2) << "there is nothing to take";
  std::filesystem::remove(brief);
  ASSERT_TRUE(noticed("gone"));
  EXPECT_TRUE(w->save()) << "nothing is lost by writing it";
  EXPECT_NE(w->notice()->key(), "brief");
  EXPECT_EQ(loadBrief(brief)->rules, w->document().brief().rules);
  // Mine over theirs, when said so.
  everywhere("6 mm");
  ASSERT_FALSE(saveBrief(*theirs, brief));
  ASSERT_TRUE(noticed("as well"));
  EXPECT_TRUE(saveAnd("Write mine over it").first);
  EXPECT_EQ(loadBrief(brief)->rules, w->document().brief().rules);
  EXPECT_NE(w->notice()->key(), "brief");
  // Theirs instead of mine; mine comes back by undoing.
  const auto mine = w->document().brief().rules;
  everywhere("5 mm");
  ASSERT_FALSE(saveBrief(*theirs, brief));
  ASSERT_TRUE(noticed("as well"));
  EXPECT_FALSE(saveAnd("Take the file's").first);
  EXPECT_EQ(w->document().brief().rules, theirs->rules);
  w->document().undo();
  w->document().undo();
  EXPECT_EQ(w->document().brief().rules, mine);
}

TEST_F(Workbench, readingAnUnchangedPartKeepsItsMeshAndKeysMeanwhileCount) {
  TempFolder dir;
  const std::string brief = copyOf("saddle-clamp", dir);
  openPath(brief);
  mesh();
  const auto run = w->currentRun();
  ASSERT_TRUE(run);
  const auto part = w->part();
  w->reloadPart();
  EXPECT_EQ(w->notice()->key(), "same part");
  EXPECT_EQ(w->currentRun(), run) << "the mesh on show stays";
  EXPECT_EQ(w->part(), part);
  // Changed, it is read; what is pressed while that lasts is done afterwards.
  std::filesystem::copy_file(demo("saddle-clamp-b.step"), dir / "saddle-clamp.step",
                             std::filesystem::copy_options::overwrite_existing);
  ASSERT_TRUE(w->save()); // of the brief: the part is as new as before
  bool meshed = false;
  QObject::connect(w.get(), &MainWindow::runFinished, [&] { meshed = true; });
  w->reloadPart();
  EXPECT_FALSE(w->currentRun());
  QApplication::setActiveWindow(w.get()); // no window manager does it on a bare display
  QTest::keyClick(w.get(), Qt::Key_Return, Qt::ControlModifier);
  EXPECT_FALSE(meshed);
  ASSERT_TRUE(waitFor([&] { return meshed; }));
  EXPECT_NE(w->part(), part);
  EXPECT_TRUE(w->currentRun());
}

TEST_F(Workbench, keysOfTheMenusHoldInEveryField) {
  open("saddle-clamp.brief");
  auto* say = w->briefPanel()->sayLine();
  auto focus = [&](QWidget* f) {
    QApplication::setActiveWindow(w.get()); // no window manager does it on a bare display
    f->setFocus();
    QApplication::processEvents();
  };
  auto count = [&](const char* name) {
    QAction* found = nullptr;
    for (const auto& c : w->commands())
      if (c.action->objectName() == name) found = c.action;
    auto n = std::make_shared<int>(0);
    if (found) QObject::connect(found, &QAction::triggered, w.get(), [n] { ++*n; });
    return n;
  };
  const auto handOver = count("handover"), finer = count("finerallsizes08"), fit = count("fit");
  // "There is no mesh yet" is answered as it comes.
  auto* timer = new QTimer(w.get());
  QObject::connect(timer, &QTimer::timeout, [] {
    if (auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget())) box->accept();
  });
  timer->start(20);
  focus(say);
  QTest::keyClicks(say, "size 3");
  QTest::keyClick(say, Qt::Key_E, Qt::ControlModifier);
  EXPECT_EQ(*handOver, 1) << "not the end of the line";
  focus(say);
  QTest::keyClick(say, Qt::Key_Plus, Qt::ControlModifier);
  EXPECT_EQ(*finer, 1);
  QTest::keyClick(say, Qt::Key_F);
  EXPECT_EQ(*fit, 0) << "plain typing";
  EXPECT_TRUE(say->text().endsWith("f"));
  QTest::keyClick(say, Qt::Key_A, Qt::ControlModifier);
  EXPECT_EQ(say->selectedText(), say->text()) << "editing stays the field's";
  // Begun anew, and left empty.
  QTest::keyClick(say, Qt::Key_K, Qt::ControlModifier);
  EXPECT_TRUE(say->text().isEmpty());
  QTest::keyClicks(say, "siz");
  QTest::keyClick(QApplication::activePopupWidget() ? QApplication::activePopupWidget() : say, Qt::Key_Escape);
  EXPECT_TRUE(say->text().isEmpty());
  EXPECT_FALSE(say->hasFocus());
}

TEST_F(Workbench, theSentenceLineAnswersWhileTypingAndKnowsCommands) {
  open("saddle-clamp.brief");
  auto* panel = w->briefPanel();
  auto* say = panel->sayLine();
  say->setText("wibble");
  EXPECT_TRUE(panel->answer().contains("'wibble' is no rule, group or command")) << panel->answer().toStdString();
  say->setText("1.2 mm on nothing");
  EXPECT_TRUE(panel->answer().contains("no group 'nothing'")) << panel->answer().toStdString();
  say->setText("3 through walls");
  EXPECT_TRUE(panel->answer().contains("3 elements through walls")) << panel->answer().toStdString();
  say->setText("siz");
  EXPECT_TRUE(panel->answer().isEmpty()) << "the list offers";
  say->setText("0,8 mm");
  EXPECT_TRUE(panel->answer().startsWith("Return adds")) << panel->answer().toStdString();
  say->setText("dark");
  QTest::keyClick(say, Qt::Key_Return);
  EXPECT_EQ(theme::paper.lightness() < 100, true) << "the window's own commands are known";
  EXPECT_TRUE(panel->answer().isEmpty());
  w->setAppearance(MainWindow::Appearance::Light);
}

TEST_F(Workbench, aHandOverThatFailsIsToldWithFileAndCause) {
  open("saddle-clamp.brief");
  mesh();
  bool failed = false;
  QObject::connect(w.get(), &MainWindow::taskFailed, [&] { failed = true; });
  w->exportTo("/proc/no/such/place/m.inp", "");
  ASSERT_TRUE(waitFor([&] { return failed; }));
  EXPECT_EQ(w->notice()->key(), "not written");
  EXPECT_TRUE(w->notice()->text().contains("/proc/no/such/place/m.inp")) << w->notice()->text().toStdString();
  EXPECT_TRUE(w->notice()->text().contains("check the folder", Qt::CaseInsensitive));
}

TEST_F(Workbench, rulesForFlowAskWhetherThePartFlows) {
  open("saddle-clamp.brief");
  w->setPurpose("flow");
  ASSERT_EQ(w->notice()->key(), "flow");
  auto* flows = noticeButton("what flows");
  ASSERT_NE(flows, nullptr);
  QTest::mouseClick(flows, Qt::LeftButton);
  const auto& rules = w->document().brief().rules;
  EXPECT_TRUE(std::any_of(rules.begin(), rules.end(), [](const Rule& r) {
    return r.kind == "through" && r.get("what") == "walls" && r.get("on") == "fluid";
  }));
  EXPECT_TRUE(std::any_of(w->groups().begin(), w->groups().end(),
                          [](const auto& g) { return g.name == "fluid" && !g.entities.empty(); }));
}

TEST_F(Workbench, reportIsWrittenAsPageAndAsPdf) {
  open("keel-bracket.brief");
  mesh();
  TempFolder dir;
  ASSERT_FALSE(w->writeReport(QString::fromStdString(dir / "r.html")).has_value());
  auto html = readFile(dir / "r.html");
  ASSERT_TRUE(html.ok());
  EXPECT_NE(html->find("data:image/png;base64,"), std::string::npos);
  ASSERT_FALSE(w->writeReport(QString::fromStdString(dir / "r.pdf")).has_value());
  auto pdf = readFile(dir / "r.pdf");
  ASSERT_TRUE(pdf.ok());
  EXPECT_EQ(pdf->substr(0, 5), "%PDF-");
  EXPECT_GT(pdf->size(), 20000u); // with the picture
  EXPECT_TRUE(w->writeReport(QString::fromStdString(dir / "no/such/r.html")).has_value());
}

TEST_F(Workbench, reportFitsItsPages) {
  open("keel-bracket.brief");
  mesh();
  TempFolder dir;
  // Enough rows that tables go on over pages.
  RunResult run = *w->currentRun();
  for (int i = 0; i < 60; ++i) {
    Problem p;
    p.what = "finding number " + std::to_string(i + 1);
    p.why = "a cause that takes some words to tell, so that the cell has more than one line of text in it";
    run.problems.push_back(p);
  }
  QByteArray png;
  QBuffer buffer(&png);
  buffer.open(QIODevice::WriteOnly);
  QImage wide(1640, 900, QImage::Format_RGB32);
  wide.fill(Qt::darkCyan);
  wide.save(&buffer, "PNG");
  const QString html = QString::fromStdString(reportHtml(run, *w->part(), {{"the picture", png.toStdString()}}));
  for (auto size : {QPageSize::A4, QPageSize::Letter}) {
    const QPageSize page(size);
    const QSizeF points = page.size(QPageSize::Point);
    const std::string file = dir / "r.pdf";
    ASSERT_FALSE(writePdf(html, "report", QString::fromStdString(file), page).has_value());
    const std::string read = "pdftotext -bbox " + file + " " + (dir / "words") + " && pdftoppm -r 72 -f 1 -l 1 -png " +
                             "-singlefile " + file + " " + (dir / "page");
    ASSERT_EQ(std::system(read.c_str()), 0);
    const std::string words = *readFile(dir / "words");
    // Every word lies between the margins, and is of a size to be read.
    const std::regex pageOf("<page width=\"([0-9.]+)\" height=\"([0-9.]+)\""),
        wordOf("<word xMin=\"([0-9.]+)\" yMin=\"([0-9.]+)\" xMax=\"([0-9.]+)\" yMax=\"([0-9.]+)\">([^<]*)");
    std::size_t pages = 0, count = 0, heads = 0;
    for (std::sregex_iterator it(words.begin(), words.end(), pageOf), end; it != end; ++it, ++pages) {
      EXPECT_NEAR(std::stod((*it)[1]), points.width(), 1);
      EXPECT_NEAR(std::stod((*it)[2]), points.height(), 1);
    }
    const double margin = 15 / 25.4 * 72 - 0.5;
    std::vector<double> heights;
    for (std::sregex_iterator it(words.begin(), words.end(), wordOf), end; it != end; ++it, ++count) {
      const double x0 = std::stod((*it)[1]), y0 = std::stod((*it)[2]), x1 = std::stod((*it)[3]),
                   y1 = std::stod((*it)[4]);
      EXPECT_GE(x0, margin) << (*it)[5];
      EXPECT_LE(x1, points.width() - margin) << (*it)[5];
      EXPECT_GE(y0, margin) << (*it)[5];
      EXPECT_LE(y1, points.height() - 10) << (*it)[5];
      heights.push_back(y1 - y0);
      heads += (*it)[5] == "Where";
    }
    ASSERT_GT(count, 500u);
    EXPECT_GE(pages, 3u);
    EXPECT_GE(heads, 2u) << "the head of the findings stands on each of their pages";
    // The box of a word is as high as the font's ascent and descent, about 1.16 of its size: 9 to 10 points for most.
    std::sort(heights.begin(), heights.end());
    EXPECT_GT(heights.front(), 8);
    EXPECT_NEAR(heights[heights.size() / 2] / 1.164, 9.5, 0.6);
    EXPECT_LT(heights.back(), 22) << "the title";
    // The picture is as wide as the text, whole, and of its own shape.
    const QImage drawn(QString::fromStdString(dir / "page.png"));
    QRect picture;
    for (int y = 0; y < drawn.height(); ++y)
      for (int x = 0; x < drawn.width(); ++x)
        if (const QColor c = drawn.pixelColor(x, y); c.red() < 40 && c.green() > 100 && c.blue() > 100)
          picture |= QRect(x, y, 1, 1);
    EXPECT_NEAR(picture.width(), points.width() - 2 * 15 / 25.4 * 72, 4);
    EXPECT_NEAR(picture.height(), picture.width() * 900.0 / 1640, 4);
    EXPECT_NEAR(picture.left(), 15 / 25.4 * 72, 3);
  }
  EXPECT_TRUE(writePdf(html, "report", QString::fromStdString(dir / "no/such/r.pdf"), usualPage()).has_value());
}

TEST_F(Workbench, twoRunsStandInOneTableWithTheCardsThatDiffer) {
  open("keel-bracket.brief");
  EXPECT_EQ(w->compareRuns(), nullptr);
  mesh();
  everywhere("8 mm");
  mesh();
  auto* d = w->compareRuns();
  ASSERT_NE(d, nullptr);
  ASSERT_GT(d->table()->rowCount(), 8);
  EXPECT_EQ(d->table()->item(0, 0)->text(), "elements");
  EXPECT_NE(d->table()->item(0, 1)->text(), d->table()->item(0, 2)->text());
  EXPECT_TRUE(d->differences().contains("8 mm")) << d->differences().toStdString();
  EXPECT_FALSE(d->differences().contains("bolt holes")); // the same in both
}

TEST_F(Workbench, twoRunsSideBySideTurnTogether) {
  open("saddle-clamp.brief");
  mesh();
  mesh();
  auto* d = w->compareRuns();
  ASSERT_NE(d, nullptr);
  EXPECT_EQ(w->besideView(), nullptr);
  QTest::mouseClick(d->sideBySide(), Qt::LeftButton);
  auto* beside = w->besideView();
  ASSERT_NE(beside, nullptr);
  ASSERT_TRUE(waitFor([&] { return beside->isVisible() && beside->height() > 100; }));
  auto* line = beside->findChild<QLabel*>("floatbar");
  ASSERT_NE(line, nullptr);
  EXPECT_TRUE(line->text().contains("elements")) << line->text().toStdString();
  EXPECT_FALSE(line->text().contains("better")); // the same brief twice
  // The direction in which the part's length runs over the screen, which does not depend on the size of the view.
  const Box& box = w->part()->box;
  auto along = [&](Viewport* v) {
    const QPointF q = v->project(box.hi) - v->project(box.lo);
    return std::atan2(q.y(), q.x());
  };
  for (Viewport* lead : {w->viewport(), beside}) {
    for (const Vec3& from : {Vec3(0, 0, -1), Vec3(-1, 0.3, -0.4)}) {
      lead->view(from, from.x() == 0 ? Vec3(0, 1, 0) : Vec3(0, 0, 1));
      ASSERT_TRUE(waitFor([&] { return std::abs(along(w->viewport()) - along(beside)) < 1e-6; }));
    }
  }
  w->viewport()->setMetric(Metric::MinDihedral);
  w->viewport()->setLens(Lens::Quality);
  EXPECT_TRUE(waitFor([&] { return beside->lens() == Lens::Quality && beside->metric() == Metric::MinDihedral; }));
  w->viewport()->setSection(true);
  EXPECT_TRUE(waitFor([&] { return beside->sectionOn() && beside->sectionCells() > 0; }));
  d->hide();
  EXPECT_TRUE(waitFor([&] { return !beside->isVisible(); }));
}

TEST_F(Workbench, everyRunHasATileAndTheCurrentOneIsInSight) {
  open("saddle-clamp.brief");
  for (int k = 0; k < 7; ++k) mesh();
  w->resize(1024, 700);
  QApplication::processEvents();
  auto tiles = w->runsBar()->findChildren<QPushButton*>("tile");
  tiles.removeIf([](QPushButton* b) { return !b->parentWidget(); });
  ASSERT_EQ(tiles.size(), 7);
  auto inSight = [&](int run) {
    for (auto* b : w->runsBar()->findChildren<QPushButton*>("tile"))
      if (b->text().startsWith(QString("Run %1 ").arg(run)))
        return b->visibleRegion().boundingRect().width() >= b->width() - 1;
    return false;
  };
  EXPECT_TRUE(waitFor([&] { return inSight(7); }));
  EXPECT_FALSE(inSight(1));
  QToolButton* older = nullptr;
  for (auto* b : w->runsBar()->findChildren<QToolButton*>())
    if (b->accessibleName() == "Older runs") older = b;
  ASSERT_NE(older, nullptr);
  for (int k = 0; k < 10 && older->isEnabled(); ++k) QTest::mouseClick(older, Qt::LeftButton);
  EXPECT_TRUE(waitFor([&] { return inSight(1); }));
}

// From a part to two runs compared and a solver file, with keys and clicks only.
/// From a part file to a solver's deck of its second variant, by mouse and keys alone.
TEST_F(Workbench, aNewUsersFirstHour) {
  TempFolder dir;
  const std::string part = dir / "saddle-clamp.step";
  std::filesystem::copy_file(demo("saddle-clamp.step"), part);
  auto* v = w->viewport();
  auto key = [&](Qt::Key k, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QApplication::setActiveWindow(w.get()); // no window manager does it on a bare display
    v->setFocus();
    QTest::keyClick(v, k, m);
    QApplication::processEvents();
  };
  auto say = [&](const QString& line) {
    key(Qt::Key_K, Qt::ControlModifier);
    auto* field = w->findChild<QLineEdit*>("say");
    QTest::keyClicks(field, line);
    QTest::keyClick(field, Qt::Key_Return);
    QApplication::processEvents();
  };
  auto rules = [&]() -> const std::vector<Rule>& { return w->document().brief().rules; };
  auto finished = [&](auto&& act) {
    bool done = false;
    auto c = QObject::connect(w.get(), &MainWindow::runFinished, [&] { done = true; });
    act();
    bool ok = waitFor([&] { return done; });
    QObject::disconnect(c);
    return ok;
  };
  /// Answers the next file dialog with a name.
  auto answerWith = [&](const std::string& path) {
    auto* timer = new QTimer(w.get());
    QObject::connect(timer, &QTimer::timeout, [timer, path] {
      auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
      auto* name = dialog ? dialog->findChild<QLineEdit*>("fileNameEdit") : nullptr;
      if (!name) return;
      timer->deleteLater();
      name->setText(QString::fromStdString(path)); // typed keys would open its list of files, which takes the next one
      QTest::keyClick(name, Qt::Key_Return);
    });
    timer->start(50);
  };
  auto loadedBy = [&](auto&& act) {
    bool loaded = false;
    auto c = QObject::connect(w.get(), &MainWindow::partLoaded, [&] { loaded = true; });
    act();
    bool ok = waitFor([&] { return loaded; });
    QObject::disconnect(c);
    return ok;
  };
  // The part is dropped onto the window, and the brief saved beside it.
  ASSERT_TRUE(loadedBy([&] {
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(QString::fromStdString(part))});
    QDragEnterEvent enter(QPoint(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(w.get(), &enter);
    EXPECT_TRUE(enter.isAccepted());
    QDropEvent drop(QPointF(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(w.get(), &drop);
  }));
  answerWith(dir / "clamp.brief");
  key(Qt::Key_S, Qt::ControlModifier);
  ASSERT_TRUE(std::filesystem::exists(dir / "clamp.brief"));
  // Groups that the part suggests: the round holes are among them.
  key(Qt::Key_G, Qt::ControlModifier);
  EXPECT_TRUE(unassignedFaces(*w->part(), w->groups()).empty());
  QString holes;
  for (const auto& g : w->groups())
    if (g.entities.size() == 4 && w->part()->faces[static_cast<std::size_t>(g.entities[0])].radius < 4)
      holes = QString::fromStdString(g.name);
  ASSERT_FALSE(holes.isEmpty());
  // Eight elements across their diameter, said in words.
  say("size D/8 on " + holes);
  ASSERT_EQ(rules().back().get("length"), "D/8");
  ASSERT_EQ(rules().back().get("on"), holes.toStdString());
  // The size lens shows a tile under the pointer before there is a mesh.
  waitForForecast();
  key(Qt::Key_3);
  hover(onAFace());
  EXPECT_TRUE(w->viewPane()->sizeTile()->shown());
  // Mesh, walk to the worst element, improve.
  ASSERT_TRUE(finished([&] { key(Qt::Key_Return, Qt::ControlModifier); }));
  ASSERT_TRUE(w->currentRun());
  const auto first = w->currentRun();
  key(Qt::Key_Period);
  EXPECT_EQ(v->brushedCount(), w->auditPanel()->places()[0].cells.size());
  key(Qt::Key_Escape);
  ASSERT_TRUE(finished([&] { key(Qt::Key_I); }));
  EXPECT_EQ(w->currentRun()->improved, 1);
  const auto second = w->currentRun();
  // A group from a clicked face.
  key(Qt::Key_1);
  QTest::mouseClick(v, Qt::LeftButton, {}, onAFace());
  ASSERT_EQ(v->selection().size(), 1u);
  const std::size_t before = rules().size();
  key(Qt::Key_G);
  ASSERT_EQ(rules().size(), before + 1);
  // The designer sends the second variant; it is noticed, read, and meshed with the same brief.
  std::filesystem::copy_file(demo("saddle-clamp-b.step"), part, std::filesystem::copy_options::overwrite_existing);
  ASSERT_TRUE(waitFor([&] { return noticeButton("read it again") != nullptr; }, 20000));
  const double width = w->part()->box.size().y();
  ASSERT_TRUE(loadedBy([&] { QTest::mouseClick(noticeButton("read it again"), Qt::LeftButton); }));
  EXPECT_GT(w->part()->box.size().y(), width + 5);
  EXPECT_TRUE(has(w->auditPanel()->findings(), "rebind.summary"));
  for (const auto& g : w->groups())
    if (g.name == holes.toStdString()) {
      EXPECT_EQ(g.entities.size(), 4u) << "found again by what they are";
    }
  ASSERT_TRUE(finished([&] { key(Qt::Key_Return, Qt::ControlModifier); }));
  ASSERT_NE(w->currentRun(), second);
  // Both in one table.
  key(Qt::Key_C);
  auto* compare = w->findChild<CompareDialog*>();
  ASSERT_NE(compare, nullptr);
  EXPECT_TRUE(compare->isVisible());
  EXPECT_TRUE(compare->differences().contains("part itself has changed")) << compare->differences().toStdString();
  compare->hide();
  QStringList tiles;
  for (auto* t : w->runsBar()->findChildren<QPushButton*>("tile")) tiles << t->text();
  EXPECT_EQ(tiles.filter("of the part before").size(), 2) << tiles.join(" | ").toStdString();
  EXPECT_EQ(tiles.filter("as the brief stands").size(), 1) << tiles.join(" | ").toStdString();
  // And the solver's file; the gate asks, since the clicked face is in two groups now.
  say("hand over clamp.inp");
  ASSERT_EQ(rules().back().get("path"), "clamp.inp");
  bool written = false;
  QObject::connect(w.get(), &MainWindow::handedOver, [&] { written = true; });
  auto* gates = new QTimer(w.get());
  QObject::connect(gates, &QTimer::timeout, [&, gates] {
    auto* gate = w->findChild<GateDialog*>();
    if (!gate || !gate->isVisible()) return;
    gates->deleteLater();
    QTest::keyClicks(gate->reason(), "the groups overlap on purpose");
    QTest::mouseClick(gate->writeButton(), Qt::LeftButton);
  });
  gates->start(100);
  key(Qt::Key_E, Qt::ControlModifier);
  ASSERT_TRUE(waitFor([&] { return written; }));
  auto file = readMesh(dir / "clamp.inp");
  ASSERT_TRUE(file.ok());
  EXPECT_EQ(file->cells.size(), w->currentRun()->mesh.cells.size());
  EXPECT_NE(w->currentRun()->mesh.cells.size(), first->mesh.cells.size());
}

TEST_F(Workbench, alternativesStandInOneTable) {
  TempFolder dir;
  openPath(copyOf("saddle-clamp", dir));
  mesh();
  ASSERT_TRUE(w->keepAlternative(QString::fromStdString(dir / "coarse")));
  auto coarse = loadBrief(dir / "coarse.brief");
  ASSERT_TRUE(coarse);
  for (auto& r : coarse->rules)
    if (r.kind == "everywhere") r.values["target"] = "9 mm";
  ASSERT_FALSE(saveBrief(*coarse, coarse->path));
  coarse->rules.push_back({"size", {{"on", "everywhere"}, {"length", "-1 mm"}}, "", false, {}});
  ASSERT_FALSE(saveBrief(*coarse, dir / "wrong.brief"));
  auto* d = w->showAlternatives();
  ASSERT_NE(d, nullptr);
  ASSERT_EQ(d->briefs().size(), 3u);
  ASSERT_TRUE(waitFor([&] { return !d->busy(); }));
  ASSERT_TRUE(waitFor([&] { return d->runs()[0] != nullptr; })); // kept a moment ago
  EXPECT_EQ(d->runs()[1], nullptr);
  EXPECT_TRUE(d->differences().contains("9 mm"));
  bool done = false;
  QObject::connect(d, &AlternativesDialog::ready, [&] { done = true; });
  QTest::mouseClick(d->meshButton(), Qt::LeftButton);
  EXPECT_FALSE(d->meshButton()->isEnabled());
  ASSERT_TRUE(waitFor([&] { return done; }));
  ASSERT_NE(d->runs()[1], nullptr);
  EXPECT_LT(d->runs()[1]->mesh.cells.size(), d->runs()[0]->mesh.cells.size());
  EXPECT_EQ(d->runs()[2], nullptr); // the wrong one is told, and the others stand
  EXPECT_TRUE(d->differences().contains("-1 mm"));
  ASSERT_EQ(d->table()->columnCount(), 4);
  EXPECT_EQ(d->table()->item(0, 0)->text(), "elements");
  EXPECT_EQ(d->table()->item(0, 3)->text(), "–");
  EXPECT_FALSE(d->filter()->isVisible());
  // Opened again, the run that was made here is known; the alternative is opened with it. Where there are many, words
  // leave those that hold them.
  d->hide();
  for (const char* also : {"flange", "fine", "rough"})
    ASSERT_FALSE(saveBrief(*loadBrief(dir / "coarse.brief"), dir / (std::string(also) + ".brief")));
  d = w->showAlternatives();
  ASSERT_TRUE(waitFor([&] { return d->runs()[1] != nullptr; }));
  ASSERT_EQ(d->briefs().size(), 6u);
  ASSERT_TRUE(d->filter()->isVisible());
  auto left = [&] {
    QStringList r;
    for (int c = 1; c < d->table()->columnCount(); ++c)
      if (!d->table()->isColumnHidden(c)) r << d->table()->horizontalHeaderItem(c)->text().section('\n', 0, 0);
    return r;
  };
  EXPECT_EQ(left().size(), 6);
  QTest::keyClicks(d->filter(), "Flange");
  EXPECT_EQ(left(), (QStringList{"saddle-clamp", "flange"})); // the open one stays, to compare with
  d->filter()->setText("-1 mm");
  EXPECT_EQ(left(), (QStringList{"saddle-clamp", "wrong"}));
  EXPECT_FALSE(d->differences().contains("flange"));
  d->filter()->clear();
  EXPECT_EQ(left().size(), 6);
  for (const char* also : {"flange", "fine", "rough"}) std::filesystem::remove(dir / (std::string(also) + ".brief"));
  // The open brief, meshed here after a change, is a run like any other.
  d->hide();
  Brief changed = w->document().brief();
  for (auto& r : changed.rules)
    if (r.kind == "everywhere") r.values["target"] = "6 mm";
  w->document().change(changed, "coarser");
  const auto earlier = w->currentRun();
  d = w->showAlternatives();
  ASSERT_TRUE(waitFor([&] { return d->runs()[1] != nullptr; }));
  EXPECT_EQ(d->runs()[0], nullptr);
  done = false;
  QTest::mouseClick(d->meshButton(), Qt::LeftButton);
  ASSERT_TRUE(waitFor([&] { return done && w->currentRun() != earlier; }));
  EXPECT_EQ(w->currentRun(), d->runs()[0]);
  w->document().undo(); // nothing that opening another brief would ask about
  bool loaded = false;
  QObject::connect(w.get(), &MainWindow::partLoaded, [&] { loaded = true; });
  emit d->openWanted(QString::fromStdString(dir / "coarse.brief"));
  ASSERT_TRUE(waitFor([&] { return loaded; }));
  EXPECT_EQ(w->document().brief().path, dir / "coarse.brief");
  EXPECT_FALSE(d->isVisible());
}

TEST_F(Workbench, fitKeepsThePartClearOfTheBars) {
  open("saddle-clamp.brief");
  auto* v = w->viewport();
  for (const QSize size : {QSize(1280, 800), QSize(1024, 700)}) {
    w->resize(size);
    v->setSection(true);
    QApplication::processEvents();
    for (const Vec3& from : {Vec3(-1, 1.35, -0.85), Vec3(0, 0, -1), Vec3(0, 1, 0)}) {
      v->view(from, from.x() == 0 && from.y() == 0 ? Vec3(0, 1, 0) : Vec3(0, 0, 1));
      QRectF part;
      for (const Vec3& p : w->part()->display.points) {
        const QPointF at = v->project(p);
        part |= QRectF(at - QPointF(0.5, 0.5), QSizeF(1, 1));
      }
      EXPECT_TRUE(QRectF(v->rect()).contains(part));
      EXPECT_GT(part.width(), 0.2 * v->width());
      for (auto* bar : v->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly)) {
        if (!bar->isVisible() || (bar->objectName() != "floatbar" && bar->objectName() != "floating")) continue;
        EXPECT_FALSE(part.intersects(QRectF(bar->geometry())))
            << size.width() << ": " << bar->geometry().y() << " over " << part.top() << " to " << part.bottom();
      }
    }
    v->setSection(false);
  }
  // A view that changes its size keeps showing all.
  auto extent = [&] {
    QRectF part;
    for (const Vec3& p : w->part()->display.points) part |= QRectF(v->project(p), QSizeF(1, 1));
    return part;
  };
  v->fit();
  for (const QSize size : {QSize(1400, 720), QSize(1024, 900)}) {
    w->resize(size);
    QApplication::processEvents();
    EXPECT_TRUE(QRectF(v->rect()).contains(extent()));
    EXPECT_GT(std::max(extent().width() / v->width(), extent().height() / v->height()), 0.7);
  }
  // What lies under a pixel is found there although the picture is shifted.
  const auto& face = w->part()->faces[0];
  v->flyTo(face.center, 0.3 * w->part()->diagonal());
  const QPointF centre = v->project(face.center);
  EXPECT_NEAR(centre.x(), 0.5 * v->width(), 1);
  EXPECT_LT(centre.y(), 0.5 * v->height() - 1); // the lens strip takes more than the line at the top
}
