// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/translation.h"
#include "app/widgets.h"
#include "window_fixture.h"
#include <QAction>
#include <QFile>
#include <QMenuBar>
#include <QProcess>
#include <QTranslator>

using namespace tess;
using namespace tess::test;

namespace {

/// Answers every text with a longer one, as most languages do.
class Longer : public QTranslator {
public:
  bool isEmpty() const override { return false; }
  QString translate(const char* context, const char* text, const char*, int) const override {
    if (!QString(context).startsWith("tess") && QString(context) != "rules" && QString(context) != "counts") return {};
    return QString("¡%1 ñ").arg(text);
  }
};

} // namespace

TEST(Translations, aCompiledFileIsTakenAndAMissingOneLeavesEnglish) {
  const QString tool = "/usr/lib/qt6/bin/lrelease";
  if (!QFile::exists(tool)) GTEST_SKIP() << "no lrelease here";
  TempFolder dir;
  QFile ts(QString::fromStdString(dir / "tesselite_de.ts"));
  ASSERT_TRUE(ts.open(QIODevice::WriteOnly));
  ts.write(R"(<?xml version="1.0" encoding="utf-8"?><!DOCTYPE TS><TS version="2.1" language="de">
<context><name>tess::MainWindow</name><message><source>Undo: %1</source><translation>Zurück: %1</translation></message>
<message><source>Fit</source><translation>Einpassen</translation></message></context>
<context><name>rules</name><message><source>Sizes</source><translation>Größen</translation></message></context></TS>)");
  ts.close();
  const QString folder = QString::fromStdString(dir / "");
  ASSERT_EQ(QProcess::execute(tool, {"-silent", ts.fileName(), "-qm", folder + "tesselite_de.qm"}), 0);
  EXPECT_FALSE(loadTranslation(QLocale("fr_FR"), {folder}));
  ASSERT_TRUE(loadTranslation(QLocale("de_CH"), {folder + "nowhere", folder}));
  MainWindow w(false);
  EXPECT_EQ(ruleWords("Sizes"), "Größen");
  EXPECT_EQ(ruleWords("Groups"), "Groups");
  for (auto* t : qApp->findChildren<QTranslator*>()) {
    QCoreApplication::removeTranslator(t);
    delete t;
  }
  EXPECT_EQ(ruleWords("Sizes"), "Sizes");
}

/// Commands keep their names in every language: keys that were changed are kept under them.
TEST(Translations, commandsAreTheSameInEveryLanguage) {
  auto names = [] {
    MainWindow w(false);
    QStringList r;
    for (const auto& c : w.commands()) r << c.action->objectName();
    return r;
  };
  const QStringList english = names();
  EXPECT_EQ(QSet<QString>(english.begin(), english.end()).size(), english.size()) << "each its own";
  Longer other;
  QCoreApplication::installTranslator(&other);
  const QStringList translated = names();
  MainWindow w(false);
  int english_left = 0;
  for (const auto& c : w.commands()) english_left += !c.action->text().startsWith("¡");
  for (auto* a : w.menuBar()->actions()) EXPECT_TRUE(a->text().startsWith("¡")) << a->text().toStdString();
  EXPECT_EQ(english_left, 0);
  QCoreApplication::removeTranslator(&other);
  EXPECT_EQ(translated, english);
}

TEST_F(Window, cardsKeepTheirChipsInAnotherLanguage) {
  Longer other;
  QCoreApplication::installTranslator(&other);
  w = std::make_unique<MainWindow>();
  w->show();
  open("saddle-clamp.brief");
  QStringList english;
  for (auto* l : w->briefPanel()->findChildren<QLabel*>())
    if (l->text().contains("Everywhere") || l->text().contains("SIZES")) english << l->text();
  EXPECT_FALSE(english.isEmpty());
  for (const QString& t : english) EXPECT_TRUE(t.startsWith("¡")) << t.toStdString();
  std::set<std::string> chips;
  for (auto* c : w->briefPanel()->findChildren<QToolButton*>("chip"))
    chips.insert(c->property("key").toString().toStdString());
  for (const char* key : {"target", "growth", "order", "purpose"}) EXPECT_TRUE(chips.count(key)) << key;
  w.reset();
  QCoreApplication::removeTranslator(&other);
}
