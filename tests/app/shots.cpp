// SPDX-License-Identifier: GPL-3.0-or-later
// Drives the real window over the sample parts and saves one picture per main view. Usage: shots DEMO_DIR OUT_DIR [WxH]
#include "app/gate_dialog.h"
#include "app/limits_dialog.h"
#include "app/main_window.h"
#include "app/theme.h"
#include <QApplication>
#include <QElapsedTimer>
#include <QFile>
#include <QMouseEvent>
#include <QPushButton>
#include <QTemporaryDir>
#include <QToolButton>

namespace {
template <class F> bool waitFor(F&& done, int ms = 120000) {
  QElapsedTimer t;
  t.start();
  while (!done() && t.elapsed() < ms) QApplication::processEvents(QEventLoop::AllEvents, 20);
  return done();
}
void settle() {
  QElapsedTimer t;
  t.start();
  while (t.elapsed() < 1200) QApplication::processEvents(QEventLoop::AllEvents, 20);
}
/// The face of a group that lies furthest along x, and to the front there.
int holeOf(const tess::MainWindow& w, const std::string& group) {
  auto place = [&](int f) {
    const tess::Vec3 x = w.part()->faces[static_cast<std::size_t>(f)].center;
    return x.x() - x.y();
  };
  for (const auto& g : w.groups())
    if (g.name == group)
      return *std::max_element(g.entities.begin(), g.entities.end(), [&](int a, int b) { return place(a) < place(b); });
  return 0;
}
} // namespace

int main(int argc, char** argv) {
  QTemporaryDir home; // what the program keeps of its user
  for (const char* v : {"XDG_DATA_HOME", "XDG_CONFIG_HOME"}) qputenv(v, home.path().toUtf8());
  QApplication app(argc, argv);
  app.setStyle("Fusion");
  if (argc < 3) return 2;
  QString demo = argv[1], out = argv[2];
  tess::MainWindow w;
  if (argc > 3) {
    auto s = QString(argv[3]).split('x');
    w.resize(s[0].toInt(), s[1].toInt());
  }
  w.setAppearance(tess::MainWindow::Appearance::Light);
  w.show();
  auto shot = [&](const char* name) {
    settle();
    w.grab().save(out + "/" + name + ".png");
  };
  auto open = [&](const char* file) {
    bool loaded = false;
    auto c = QObject::connect(&w, &tess::MainWindow::partLoaded, [&] { loaded = true; });
    w.open(demo + "/" + file);
    waitFor([&] { return loaded; });
    QObject::disconnect(c);
  };
  auto mesh = [&] {
    bool done = false;
    auto c = QObject::connect(&w, &tess::MainWindow::runFinished, [&] { done = true; });
    w.startMesh();
    waitFor([&] { return done; });
    QObject::disconnect(c);
    waitFor([&] { return w.forecast() && w.forecast()->calibrationOfPart > 0; }, 10000); // it knows that run
  };
  open("camera-housing.brief");
  {
    const QPointF at(w.viewport()->width() * 0.5, w.viewport()->height() * 0.5);
    QMouseEvent move(QEvent::MouseMove, at, w.viewport()->mapToGlobal(at), Qt::NoButton, Qt::NoButton, {});
    QApplication::sendEvent(w.viewport(), &move);
  }
  settle();
  for (std::size_t i = 0; i < w.document().brief().rules.size(); ++i)
    if (w.document().brief().rules[i].kind == "size") {
      bool drawn = false;
      auto c = QObject::connect(&w, &tess::MainWindow::previewed, [&] { drawn = true; });
      emit w.briefPanel()->valueTyped(static_cast<int>(i), "length", "1.2 mm");
      waitFor([&] { return drawn; }, 5000);
      QObject::disconnect(c);
      for (const auto& g : w.groups())
        if (g.name == w.document().brief().rules[i].get("on") && !g.entities.empty())
          w.viewport()->flyTo(w.part()->faces[static_cast<std::size_t>(g.entities[0])].center, 45);
      shot("preview");
      emit w.briefPanel()->typingLeft();
      w.viewport()->fit();
    }
  mesh();
  shot("mesh");
  w.viewport()->setSection(true);
  w.viewport()->nextSectionAxis();
  w.setLens(3);
  w.viewport()->addSection(); // two planes leave a corner open
  shot("section");
  w.viewport()->dropSection();
  w.viewport()->setSectionManner(tess::SectionManner::WholeCells);
  shot("section-whole-cells");
  w.viewport()->setSection(false);
  w.auditPanel()->setMetric(tess::Metric::MinDihedral);
  w.auditPanel()->histogram()->brush(w.auditPanel()->histogram()->lowest(), 30);
  shot("brush");
  w.auditPanel()->histogram()->brush(0, 0);
  {
    auto run = w.currentRun();
    tess::GateDialog gate(*run, {{"hand_over", {{"path", "camera-housing.inp"}}, "", false, {}}},
                          tess::gateOf(*run, *w.part(), w.document().brief()), &w);
    gate.show();
    settle();
    gate.grab().save(out + "/gate.png");
  }
  open("keel-bracket.brief");
  w.setLens(1);
  w.viewport()->select(tess::Dim::Face, {w.groups()[0].entities.begin(), w.groups()[0].entities.end()});
  shot("groups");
  // A measured diameter becomes a value, and a size uses it.
  for (int face = 0; face < w.part()->count(tess::Dim::Face); ++face)
    if (w.part()->faces[static_cast<std::size_t>(face)].kind == tess::SurfaceKind::Cylinder) {
      w.viewport()->select(tess::Dim::Face, {face});
      break;
    }
  waitFor([&] { return !w.measures().empty(); });
  w.keepMeasure(w.measures().front());
  for (std::size_t i = 0; i < w.document().brief().rules.size(); ++i)
    if (w.document().brief().rules[i].kind == "size") {
      emit w.briefPanel()->valueChanged(static_cast<int>(i), "length", "diameter / 6");
      break;
    }
  shot("measure");
  w.document().undo();
  w.document().undo();
  w.viewport()->select(tess::Dim::Face, {});
  {
    // A first hour, as the guide tells it: from a bare part to two variants side by side.
    QTemporaryDir folder;
    const QString part = folder.filePath("saddle-clamp.step");
    QFile::copy(QString(argv[1]) + "/saddle-clamp.step", part);
    bool loaded = false;
    auto c = QObject::connect(&w, &tess::MainWindow::partLoaded, [&] { loaded = true; });
    w.open(part);
    waitFor([&] { return loaded; });
    w.saveAs(folder.filePath("clamp.brief"));
    w.setLens(1);
    w.proposeGroups();
    shot("proposed");
    std::string holes;
    for (const auto& g : w.groups())
      if (g.entities.size() == 4) holes = g.name;
    w.addRule("size", {{"length", "D/8"}, {"on", holes}});
    w.setLens(2);
    waitFor([&] { return w.forecast().has_value(); });
    // The pointer rests near a bolt hole until the reasons come up.
    QPointF at = w.viewport()->project(w.part()->faces[static_cast<std::size_t>(holeOf(w, holes))].box.hi);
    at += QPointF(24, 6);
    QMouseEvent move(QEvent::MouseMove, at, w.viewport()->mapToGlobal(at), Qt::NoButton, Qt::NoButton, {});
    QApplication::sendEvent(w.viewport(), &move);
    waitFor([&] { return w.viewPane()->whyBox()->isVisible(); }, 10000);
    shot("size");
    mesh();
    w.setLens(3);
    w.auditPanel()->setMetric(tess::Metric::MinDihedral);
    w.viewport()->setNumbersShown(true);
    w.auditPanel()->stepWorst(1);
    waitFor([&] { return w.auditPanel()->elementCard().contains("beside"); }, 5000);
    shot("place");
    w.viewport()->setNumbersShown(false);
    w.viewport()->setBrushed({}, false);
    QFile::remove(part);
    QFile::copy(QString(argv[1]) + "/saddle-clamp-b.step", part);
    loaded = false;
    w.reloadPart();
    waitFor([&] { return loaded; });
    QObject::disconnect(c);
    mesh();
    w.viewport()->fit();
    auto* compare = w.compareRuns();
    settle();
    compare->grab().save(out + "/compare.png");
    compare->sideBySide()->setChecked(true);
    waitFor([&] { return w.besideView() && w.besideView()->isVisible() && w.viewport()->height() < 400; });
    w.viewport()->fit();
    shot("beside");
    compare->hide();
  }
  open("mast-foot-hybrid.brief");
  mesh();
  w.setLens(6);
  shot("method");
  open("keel-bracket-hexahedra.brief");
  w.setLens(0);
  for (std::size_t i = 0; i < w.document().brief().rules.size(); ++i)
    if (w.document().brief().rules[i].kind == "cut") {
      bool drawn = false;
      auto c = QObject::connect(&w, &tess::MainWindow::previewed, [&] { drawn = true; });
      emit w.briefPanel()->hovered(static_cast<int>(i));
      waitFor([&] { return drawn; }, 5000);
      QObject::disconnect(c);
      break;
    }
  shot("pieces");
  const auto& rules = w.document().brief().rules;
  emit w.briefPanel()->hovered(static_cast<int>(w.document().brief().first("judge") - rules.data()));
  emit w.briefPanel()->hovered(-1);
  mesh();
  shot("hexahedra");
  open("saddle-clamp.brief");
  mesh();
  w.setLens(3);
  {
    QStringList groups;
    for (const auto& g : w.groups()) groups << QString::fromStdString(g.name);
    tess::LimitSet own = *tess::limitSet("strength");
    own.name = "brackets";
    own.limits.push_back({tess::Metric::MinDihedral, true, 12, "fatigue at the bolts", "bolt holes"});
    tess::LimitsDialog limits(own, "mm", groups, &w);
    limits.show();
    settle();
    limits.grab().save(out + "/limits.png");
  }
  {
    QTemporaryDir folder; // briefs for one part, as a team would have them
    for (const char* file : {"saddle-clamp.brief", "saddle-clamp.step"})
      QFile::copy(QString(argv[1]) + "/" + file, folder.filePath(file));
    auto brief = tess::loadBrief(folder.filePath("saddle-clamp.brief").toStdString());
    for (const auto& [name, target, order] :
         {std::tuple("coarse look", "8 mm", "1"), {"fine", "2.2 mm", "2"}, {"as strength wants it", "5 mm", "2"}}) {
      tess::Brief b = *brief;
      for (auto& r : b.rules) {
        if (r.kind == "everywhere") r.values["target"] = target;
        if (r.kind == "fill") r.values["order"] = order;
      }
      if (name == std::string("as strength wants it")) b = tess::withPurpose(b, "strength");
      tess::saveBrief(b, folder.filePath(QString(name) + ".brief").toStdString());
    }
    tess::AlternativesDialog alternatives(&w);
    bool ready = false;
    QObject::connect(&alternatives, &tess::AlternativesDialog::ready, [&] { ready = true; });
    alternatives.compare(*brief, w.part(), *tess::loadOptionsOf(*brief));
    alternatives.show();
    waitFor([&] { return ready; });
    ready = false;
    alternatives.meshButton()->click();
    waitFor([&] { return ready; });
    settle();
    alternatives.grab().save(out + "/alternatives.png");
  }
  w.setAppearance(tess::MainWindow::Appearance::Dark);
  shot("dark");
  return 0;
}
