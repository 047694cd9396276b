// SPDX-License-Identifier: GPL-3.0-or-later
// How the real window answers: the longest time its thread is busy while a brief is meshed and its result is shown, and
// what turning, hovering, picking, lenses, sections and brushes cost on that mesh. Needs a display with OpenGL.
// Usage: bench_window BRIEF [SIZE]      prints a Markdown table
#include "app/main_window.h"
#include <QApplication>
#include <QElapsedTimer>
#include <QMouseEvent>
#include <QTemporaryDir>
#include <QThread>
#include <chrono>
#include <cstdio>
#include <numeric>
#include <utility>

namespace {

/// Longest time between two turns of the event loop.
class Heartbeat : public QObject {
public:
  Heartbeat() {
    m_since.start();
    startTimer(2, Qt::PreciseTimer);
  }
  /// Forgets it; where BENCH_STALLS is set it says when it was, in the seconds `perf record -k CLOCK_MONOTONIC` counts.
  double take() {
    const double r = split();
    m_since.restart();
    return r;
  }
  /// The same, and what goes on just now counts as what follows.
  double split() {
    if (qEnvironmentVariableIsSet("BENCH_STALLS"))
      std::fprintf(stderr, "stall %.3f,%.3f\n", m_end - m_longest / 1e3, m_end);
    return std::exchange(m_longest, 0);
  }

protected:
  void timerEvent(QTimerEvent*) override {
    const double now = static_cast<double>(m_since.nsecsElapsed()) / 1e6;
    if (now > m_longest) {
      m_longest = now;
      m_end = std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
    }
    m_since.restart();
  }

private:
  QElapsedTimer m_since;
  double m_longest = 0, m_end = 0;
};

template <class F> bool waitFor(F&& done, int ms = 600000) {
  QElapsedTimer t;
  t.start();
  while (!done() && t.elapsed() < ms) {
    QApplication::processEvents(QEventLoop::AllEvents, 5);
    if (!done()) QThread::usleep(300); // leaves the processors to the work that is waited for
  }
  return done();
}

void settle(int ms) {
  QElapsedTimer t;
  t.start();
  while (t.elapsed() < ms) QApplication::processEvents(QEventLoop::AllEvents, 5);
}

void row(const char* what, double ms, const char* also = "") { std::printf("| %s | %.0f ms | %s |\n", what, ms, also); }

} // namespace

int main(int argc, char** argv) {
  QTemporaryDir home; // what the program keeps of its user
  for (const char* v : {"XDG_DATA_HOME", "XDG_CONFIG_HOME"}) qputenv(v, home.path().toUtf8());
  QApplication app(argc, argv);
  app.setStyle("Fusion");
  if (argc < 2) return 2;
  std::setvbuf(stdout, nullptr, _IOLBF, 0);
  tess::MainWindow w;
  w.resize(1280, 800);
  w.show();
  Heartbeat beat;
  auto* v = w.viewport();
  int drawn = 0;
  QObject::connect(v, &tess::Viewport::drawn, [&] { ++drawn; });
  bool loaded = false, done = false;
  QObject::connect(&w, &tess::MainWindow::partLoaded, [&] { loaded = true; });
  double meshing = 0;
  QObject::connect(&w, &tess::MainWindow::runFinished, [&] {
    meshing = beat.split(); // it is shown by then
    done = true;
  });
  QObject::connect(&w, &tess::MainWindow::taskFailed, [&](const tess::Problem& p) {
    std::fprintf(stderr, "%s\n", p.what.c_str());
    done = loaded = true;
  });
  std::printf("| what | time | |\n|---|---|---|\n");
  w.open(argv[1]);
  waitFor([&] { return loaded; });
  settle(500);
  const bool taken = w.document().brief().first("take_mesh"); // a mesh as it is has no forecast
  waitFor([&] { return taken ? w.currentRun() != nullptr : w.forecast().has_value(); });
  settle(300);
  // A mesh of a file is shown as a run by itself.
  const double opening = std::max(beat.take(), std::exchange(meshing, 0));
  done = false;
  row("opening: window busy at a stretch", opening);
  {
    double most = 0, known = 0;
    bool shown = false;
    int before = 0; // pictures when the preview was known
    auto c = QObject::connect(&w, &tess::MainWindow::previewed, [&] {
      shown = true;
      before = drawn;
    });
    const auto& rules = w.document().brief().rules;
    int cards = 0;
    for (std::size_t i = 0; i < rules.size(); ++i) {
      const auto* kind = tess::ruleKind(rules[i].kind);
      const auto* slot = kind ? tess::askedFirst(*kind) : nullptr;
      if (!slot || kind->section != "Sizes") continue;
      ++cards;
      for (const char* typed : {"2", "2.", "2.5", "2.5 mm"}) {
        QElapsedTimer t;
        t.start();
        shown = false;
        emit w.briefPanel()->valueTyped(static_cast<int>(i), slot->key, typed);
        waitFor([&] { return shown; }, 5000);
        known = std::max(known, static_cast<double>(t.nsecsElapsed()) / 1e6);
        waitFor([&] { return drawn > before; }, 5000); // it counts when it can be seen
        most = std::max(most, static_cast<double>(t.nsecsElapsed()) / 1e6);
        settle(150);
      }
    }
    emit w.briefPanel()->typingLeft();
    QObject::disconnect(c);
    char also[80];
    std::snprintf(also, sizeof also, "%d cards, four keystrokes each; told after %.0f ms", cards, known);
    row("keystroke to preview drawn, worst", most, also);
    settle(500);
    beat.take();
  }
  if (argc > 2) {
    const auto& rules = w.document().brief().rules;
    for (std::size_t i = 0; i < rules.size(); ++i)
      if (rules[i].kind == "everywhere") emit w.briefPanel()->valueChanged(static_cast<int>(i), "target", argv[2]);
    settle(1500);
    row("a value changed: window busy at a stretch", beat.take());
  }
  w.startMesh();
  beat.take();
  waitFor([&] { return done; });
  if (!w.currentRun()) return 1;
  settle(1500);
  char cells[80];
  std::snprintf(cells, sizeof cells, "%zu cells, %zu boundary faces", w.currentRun()->mesh.cells.size(),
                w.currentRun()->mesh.faces.size());
  row("meshing: window busy at a stretch", meshing, cells);
  row("showing the result: window busy at a stretch", beat.take());

  auto send = [&](QEvent::Type type, QPointF at, Qt::MouseButton b, Qt::MouseButtons held) {
    QMouseEvent e(type, at, v->mapToGlobal(at), b, held, Qt::NoModifier);
    QApplication::sendEvent(v, &e);
  };
  auto timed = [&](auto&& f) {
    QElapsedTimer t;
    t.start();
    const int before = drawn;
    f();
    v->update();
    waitFor([&] { return drawn > before; }, 30000);
    return static_cast<double>(t.nsecsElapsed()) / 1e6;
  };
  auto turning = [&](const char* what) {
    QPointF at(v->width() / 2.0, v->height() / 2.0);
    send(QEvent::MouseButtonPress, at, Qt::RightButton, Qt::RightButton);
    std::vector<double> ms;
    for (int i = 0; i < 40; ++i) {
      at += QPointF(6, i % 2);
      ms.push_back(timed([&] { send(QEvent::MouseMove, at, Qt::NoButton, Qt::RightButton); }));
    }
    QElapsedTimer t;
    t.start();
    send(QEvent::MouseButtonRelease, at, Qt::RightButton, Qt::NoButton);
    double all = 0; // the last picture after letting go
    while (t.elapsed() < 1500) {
      const int before = drawn;
      QApplication::processEvents(QEventLoop::AllEvents, 5);
      if (drawn != before) all = static_cast<double>(t.nsecsElapsed()) / 1e6;
    }
    char also[80];
    std::snprintf(also, sizeof also, "worst %.0f ms; whole picture %.0f ms after letting go",
                  *std::max_element(ms.begin(), ms.end()), all);
    row(what, std::accumulate(ms.begin(), ms.end(), 0.0) / static_cast<double>(ms.size()), also);
  };
  turning("a frame while turning");
  v->setEdgesShown(false);
  turning("a frame while turning without edges");
  v->setEdgesShown(true);
  w.setLens(static_cast<int>(tess::Lens::Quality)); // whose colours only the whole mesh has
  settle(800);
  turning("a frame while turning, lens Quality");
  w.setLens(static_cast<int>(tess::Lens::Part));
  settle(800);
  settle(500);
  double worst = 0;
  char told[60];
  std::vector<double> hovers;
  const int pictures = drawn;
  for (int i = 0; i < 40; ++i) {
    QPointF at(v->width() * (0.3 + 0.01 * i), v->height() * (0.35 + 0.007 * i));
    QElapsedTimer t;
    t.start();
    send(QEvent::MouseMove, at, Qt::NoButton, Qt::NoButton);
    QApplication::processEvents(); // the outline is painted
    hovers.push_back(static_cast<double>(t.nsecsElapsed()) / 1e6);
  }
  std::sort(hovers.begin(), hovers.end());
  std::snprintf(told, sizeof told, "median %.0f ms, %d pictures drawn", hovers[hovers.size() / 2], drawn - pictures);
  row("hovering, worst", hovers.back(), told);
  row("picking", timed([&] {
        QPointF at(v->width() / 2.0, v->height() / 2.0);
        send(QEvent::MouseButtonPress, at, Qt::LeftButton, Qt::LeftButton);
        send(QEvent::MouseButtonRelease, at, Qt::LeftButton, Qt::NoButton);
      }));
  const char* lenses[] = {"lens Part", "lens Groups", "lens Size", "lens Quality", "lens Regions"};
  for (int i : {1, 2, 3, 4, 0}) {
    beat.take();
    double ms = timed([&] { w.setLens(i); });
    settle(800);
    char also[60];
    std::snprintf(also, sizeof also, "busy at a stretch %.0f ms", std::max(ms, beat.take()));
    row(lenses[i], ms, also);
  }
  row("section on", timed([&] { v->setSection(true); }));
  worst = 0;
  for (int i = 0; i < 10; ++i) worst = std::max(worst, timed([&] { v->moveSection(0.02); }));
  row("section moved, worst", worst);
  v->setSectionManner(tess::SectionManner::WholeCells);
  worst = 0;
  for (int i = 0; i < 10; ++i) worst = std::max(worst, timed([&] { v->moveSection(-0.02); }));
  row("section of whole cells moved, worst", worst);
  turning("a frame while turning with a section");
  v->setSection(false);
  auto* h = w.auditPanel()->histogram();
  row("brush over the lower half of the range",
      timed([&] { h->brush(h->lowest(), h->lowest() + 0.5 * (h->highest() - h->lowest())); }));
  waitFor([&] { return v->brushedDrawn() >= std::min<std::size_t>(v->brushedCount(), 150000); }, 10000);
  settle(400);
  const double lo = h->lowest(), hi = h->highest(), from = lo + 0.6 * (hi - lo);
  h->brush(from, hi);
  beat.take();
  double dragged = 0;
  for (int i = 1; i <= 8; ++i) dragged = std::max(dragged, timed([&] { h->brush(from + 0.01 * i * (hi - lo), hi); }));
  std::snprintf(told, sizeof told, "last %zu cells", v->brushedCount());
  row("brush dragged, worst", dragged, told);
  row("brush let go", timed([&] { h->brush(0, 0); }));
  beat.take();
  w.auditPanel()->setMetric(tess::Metric::MinDihedral);
  settle(300);
  row("another metric: window busy at a stretch", beat.take());
  w.groupFromSelection("looked_at");
  settle(1500);
  row("a group made: window busy at a stretch", beat.take());
}
