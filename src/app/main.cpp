// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/main_window.h"
#include "app/translation.h"
#include <QApplication>
#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QSettings>
#include <QTimer>
#include <filesystem>

namespace {
/// True when a context of at least OpenGL 3.2 can be made.
bool openGlWorks() {
  QOpenGLContext c;
  c.setFormat(tess::Viewport::format());
  if (!c.create()) return false;
  QOffscreenSurface s;
  s.setFormat(c.format());
  s.create();
  return s.isValid() && c.makeCurrent(&s) && c.format().version() >= qMakePair(3, 2);
}
} // namespace

int main(int argc, char** argv) {
  QApplication app(argc, argv);
  QApplication::setApplicationName("Tesselite");
  QApplication::setApplicationVersion(TESSELITE_VERSION);
  app.setStyle("Fusion");
  QApplication::setOrganizationName("tesselite");
  tess::loadTranslation(QLocale(), tess::translationFolders());
  tess::MainWindow w(openGlWorks());
  w.setAppearance(
      static_cast<tess::MainWindow::Appearance>(std::clamp(QSettings().value("appearance", 0).toInt(), 0, 2)));
  w.show();
  QStringList args = QApplication::arguments();
  for (int i = 1; i < args.size(); ++i)
    if (!args[i].startsWith("--")) w.open(args[i]);
  w.offerRecovery();
  return QApplication::exec();
}
