// SPDX-License-Identifier: GPL-3.0-or-later
// Uses the window at random, as nobody would: clicks, types, drags, opens, meshes, stops, answers dialogs. Ends with 0
// when the program has lived through it; the log tells the way. A seed alone does not: work in the background takes its
// time.
//   xvfb-run -a random_use DEMO_FOLDER SEED STEPS [LOG]
#include "app/main_window.h"
#include <QAbstractButton>
#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDialog>
#include <QDir>
#include <QFileDialog>
#include <QLineEdit>
#include <QMenu>
#include <QPointer>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>
#include <QWheelEvent>
#include <cstdio>
#include <cstdlib>
#include <random>

namespace {

class RandomUse {
public:
  RandomUse(tess::MainWindow& w, const QString& folder, unsigned seed, FILE* log)
      : m_window(w), m_random(seed), m_log(log) {
    for (const auto& f : QDir(folder).entryInfoList({"*.brief", "*.step", "*.stl", "*.vtu", "*.inp"}, QDir::Files))
      m_files << f.filePath();
    answer();
  }
  void step(int number) {
    m_number = number;
    auto* v = m_window.viewport();
    const int what = number == 0 ? 0 : below(100);
    if (what < 2) {
      const QString file = m_files[below(static_cast<int>(m_files.size()))];
      say("open", file);
      m_window.open(file);
      QTest::qWait(below(3000));
    } else if (what < 20) {
      QList<QAction*> can;
      for (auto* a : m_window.findChildren<QAction*>())
        if (a->isEnabled() && !a->menu() && !a->text().isEmpty() && a->objectName() != "quit") can << a;
      auto* a = can[below(static_cast<int>(can.size()))];
      say("command", a->text());
      a->trigger();
    } else if (what < 27) {
      say("mesh", {});
      m_window.startMesh(below(4) == 0);
      QTest::qWait(below(2) ? below(5000) : below(100));
    } else if (what < 55) {
      if (auto* x = anyOf(&m_window)) {
        say("click", x->property("text").toString());
        QTest::mouseClick(x, below(6) ? Qt::LeftButton : Qt::RightButton);
      }
    } else if (what < 70) {
      QPointer<QWidget> x = QApplication::focusWidget() ? QApplication::focusWidget() : v;
      const QString words = any({"2 mm", "D/8", "0", "-1", "1e9", "abc", "3 in", "0.5 x", "window seat", "everywhere",
                                 "99999999999999999999", "5 deg", "(1, 2, 3)", "0.0001 mm"});
      say("type", words);
      if (auto* line = qobject_cast<QLineEdit*>(x.data()); line && below(2)) line->selectAll();
      QTest::keyClicks(x, words);
      if (x && below(3)) QTest::keyClick(x.data(), below(3) ? Qt::Key_Return : below(2) ? Qt::Key_Escape : Qt::Key_Tab);
    } else if (what < 81) {
      const QString key = any({"X", "H", "O", "U", "F", " ", "G", "Z", "1", "2", "3", "4",
                               "5", "6", ".", ",", "T", "K", "W", "N", "I", "V", "D", "C"});
      const auto with = below(4) ? Qt::NoModifier : below(2) ? Qt::ShiftModifier : Qt::ControlModifier;
      say("key", key);
      QTest::keyClick(&m_window, key[0].toLatin1(), with);
    } else if (what < 85) {
      const QPointF p(place());
      QWheelEvent e(p, v->mapToGlobal(p), {}, QPoint(0, below(2) ? 240 : -240), Qt::NoButton, Qt::NoModifier,
                    Qt::NoScrollPhase, false);
      QApplication::sendEvent(v, &e);
    } else if (what < 95) {
      const auto button = below(3) ? Qt::LeftButton : Qt::RightButton;
      QPoint at = place();
      say("drag", QString("from %1, %2").arg(at.x()).arg(at.y()));
      QTest::mousePress(v, button, below(3) ? Qt::NoModifier : Qt::ControlModifier, at);
      for (int j = below(5); j > 0; --j) {
        at = place();
        QMouseEvent e(QEvent::MouseMove, QPointF(at), v->mapToGlobal(QPointF(at)), Qt::NoButton, button,
                      Qt::NoModifier);
        QApplication::sendEvent(v, &e);
      }
      QTest::mouseRelease(v, button, Qt::NoModifier, at);
    } else if (what < 97) {
      m_window.resize(1024 + below(360), 700 + below(250));
    } else {
      QTest::qWait(below(600));
    }
    QTest::qWait(below(40));
  }

private:
  int below(int n) { return n > 0 ? static_cast<int>(m_random() % static_cast<unsigned>(n)) : 0; }
  QString any(const QStringList& of) { return of[below(static_cast<int>(of.size()))]; }
  QPoint place() { return {below(m_window.viewport()->width()), below(m_window.viewport()->height())}; }
  void say(const char* what, const QString& which) {
    std::fprintf(m_log, "%d %s %s\n", m_number, what, qPrintable(which));
    std::fflush(m_log);
  }
  /// Something to click or to write into; null when there is none.
  QWidget* anyOf(QWidget* in) {
    QList<QWidget*> can;
    for (auto* x : in->findChildren<QWidget*>())
      if (x->isVisible() && x->isEnabled() &&
          (qobject_cast<QAbstractButton*>(x) || qobject_cast<QLineEdit*>(x) || qobject_cast<QComboBox*>(x)))
        can << x;
    return can.isEmpty() ? nullptr : can[below(static_cast<int>(can.size()))];
  }
  /// Menus and dialogs hold the program until somebody answers, and may open more: each answer asks for the next.
  void answer() {
    QTimer::singleShot(40, &m_window, [this] { answer(); });
    if (auto* menu = QApplication::activePopupWidget()) {
      say("menu", {});
      if (below(3))
        QTest::keyClick(menu, below(2) ? Qt::Key_Down : Qt::Key_Return);
      else
        menu->close();
    } else if (auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget())) {
      auto* x = below(qobject_cast<QFileDialog*>(dialog) ? 5 : 2) ? nullptr : anyOf(dialog);
      say("dialog", x ? x->property("text").toString() : "leave");
      if (!x)
        dialog->reject();
      else if (qobject_cast<QLineEdit*>(x))
        QTest::keyClicks(x, "2.5 mm");
      else
        QTest::mouseClick(x, Qt::LeftButton);
    }
  }

  tess::MainWindow& m_window;
  std::mt19937 m_random;
  FILE* m_log;
  QStringList m_files;
  int m_number = 0;
};

} // namespace

int main(int argc, char** argv) {
  QTemporaryDir home, work; // what the program keeps of its user, and what it may overwrite
  for (const char* v : {"XDG_DATA_HOME", "XDG_CONFIG_HOME"}) qputenv(v, home.path().toUtf8());
  QApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
  QApplication app(argc, argv);
  app.setStyle("Fusion");
  if (argc < 4) {
    std::fprintf(stderr, "random_use DEMO_FOLDER SEED STEPS [LOG]\n");
    return 2;
  }
  for (const auto& f : QDir(argv[1]).entryInfoList(QDir::Files)) QFile::copy(f.filePath(), work.filePath(f.fileName()));
  FILE* log = argc > 4 ? std::fopen(argv[4], "w") : stdout;
  if (!log) return 2;
  QDir::setCurrent(work.path());
  tess::MainWindow w;
  w.resize(1280, 800);
  w.show();
  QTest::qWait(300);
  RandomUse use(w, work.path(), static_cast<unsigned>(std::atoi(argv[2])), log);
  for (int i = 0; i < std::atoi(argv[3]); ++i) use.step(i);
  std::fprintf(log, "done\n");
  std::fflush(log);
  std::_Exit(0); // dialogs may be open yet
}
