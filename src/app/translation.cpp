// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/translation.h"
#include <QCoreApplication>
#include <QLibraryInfo>
#include <QStandardPaths>
#include <QTranslator>

namespace tess {

QStringList translationFolders() {
  QStringList r{QCoreApplication::applicationDirPath() + "/translations",
                QCoreApplication::applicationDirPath() + "/../share/tesselite/translations"};
  r += QStandardPaths::locateAll(QStandardPaths::GenericDataLocation, "tesselite/translations",
                                 QStandardPaths::LocateDirectory);
  return r;
}

bool loadTranslation(const QLocale& locale, const QStringList& folders) {
  auto* words = new QTranslator(QCoreApplication::instance());
  bool found = false;
  for (const QString& folder : folders)
    if (!found) found = words->load(locale, "tesselite", "_", folder);
  if (!found) {
    delete words;
    return false;
  }
  QCoreApplication::installTranslator(words);
  auto* toolkit = new QTranslator(QCoreApplication::instance());
  if (toolkit->load(locale, "qtbase", "_", QLibraryInfo::path(QLibraryInfo::TranslationsPath)))
    QCoreApplication::installTranslator(toolkit);
  else
    delete toolkit;
  return true;
}

} // namespace tess
