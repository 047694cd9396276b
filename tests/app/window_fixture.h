// SPDX-License-Identifier: GPL-3.0-or-later
// The real window with the demo, driven through its widgets.
#pragma once
#include "app/main_window.h"
#include "app/theme.h"
#include "support/fixtures.h"
#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QLabel>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPushButton>
#include <QTest>
#include <QTimer>
#include <QToolButton>
#include <set>

namespace tess::test {

/// Lets the window work until `done`, or the time is over.
template <class F> bool waitFor(F&& done, int ms = 120000) {
  QElapsedTimer t;
  t.start();
  while (!done() && t.elapsed() < ms) QApplication::processEvents(QEventLoop::AllEvents, 10);
  return done();
}

class Window : public ::testing::Test {
protected:
  void SetUp() override {
    QDir(RunKeeper::root()).removeRecursively(); // each test begins without runs of others
    w = std::make_unique<MainWindow>();
    w->setAppearance(MainWindow::Appearance::Light);
    w->resize(1280, 800);
    w->show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(w.get()));
  }
  /// One of the demo's files, or any by its whole path.
  void open(const std::string& name) {
    bool loaded = false;
    auto c = QObject::connect(w.get(), &MainWindow::partLoaded, [&] { loaded = true; });
    w->open(QString::fromStdString(name.starts_with('/') ? name : demo(name)));
    ASSERT_TRUE(waitFor([&] { return loaded; }));
    QObject::disconnect(c);
  }
  void mesh() {
    bool done = false;
    auto c = QObject::connect(w.get(), &MainWindow::runFinished, [&] { done = true; });
    QTest::mouseClick(w->runsBar()->meshButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return done; }));
    QObject::disconnect(c);
  }
  std::unique_ptr<MainWindow> w;
};

/// Share of pixels that differ from the viewport's ground.
inline double drawn(const QImage& i) {
  int n = 0;
  QColor ground = theme::viewport;
  for (int y = 0; y < i.height(); y += 3)
    for (int x = 0; x < i.width(); x += 3) {
      QColor c = i.pixelColor(x, y);
      n +=
          std::abs(c.red() - ground.red()) + std::abs(c.green() - ground.green()) + std::abs(c.blue() - ground.blue()) >
          24;
    }
  return 9.0 * n / (i.width() * i.height());
}

} // namespace tess::test
