// SPDX-License-Identifier: GPL-3.0-or-later
// Meshes brought in from files, in the real window; and what the view tells about single nodes and elements.
#include "support/boxes.h"
#include "window_fixture.h"
#include <QAbstractButton>
#include <QAction>
#include <QFile>
#include <QLocale>
#include <numeric>

using namespace tess;
using namespace tess::test;

namespace {

class MeshFile : public Window {
protected:
  /// The saddle clamp's mesh as a file of its own.
  std::string written(const std::string& name) {
    auto run = runOf(demo("saddle-clamp.brief"));
    const std::string path = dir / name;
    EXPECT_FALSE(writeMesh(run.mesh, *meshFormatOfPath(path), path));
    return path;
  }
  void openFile(const std::string& path) {
    w->open(QString::fromStdString(path));
    ASSERT_TRUE(waitFor([&] { return w->currentRun() != nullptr && !w->worker()->busy(); }));
  }
  void trigger(const char* name) {
    auto* a = w->findChild<QAction*>(name);
    ASSERT_TRUE(a) << name;
    a->trigger();
  }
  TempFolder dir;
};

} // namespace

TEST_F(MeshFile, isShownAndJudgedWithoutAskingAndHandedOn) {
  const std::string path = written("clamp.vtu");
  openFile(path);
  const auto run = w->currentRun();
  EXPECT_EQ(run->mesh.cells.size(), runOf(demo("saddle-clamp.brief")).mesh.cells.size());
  EXPECT_TRUE(w->document().brief().first("take_mesh"));
  EXPECT_FALSE(w->document().modified()) << "opening a file changes nothing";
  EXPECT_GT(drawn(w->viewport()->picture()), 0.01);
  std::set<std::string> groups;
  for (const auto& g : w->groups()) groups.insert(g.name);
  EXPECT_TRUE(groups.count("bolt holes") && groups.count("feet"));
  // Sets are renamed on their cards; the mesh takes the new name when it is judged again.
  for (std::size_t i = 0; i < w->document().brief().rules.size(); ++i)
    if (w->document().brief().rules[i].get("name") == "bolt holes")
      emit w->briefPanel()->valueChanged(static_cast<int>(i), "name", "screws");
  mesh();
  const std::string out = dir / "on.inp";
  bool done = false;
  QObject::connect(w.get(), &MainWindow::handedOver, [&] { done = true; });
  w->exportTo(out, "inp");
  ASSERT_TRUE(waitFor([&] { return done; }));
  auto back = readMesh(out);
  ASSERT_TRUE(back.ok());
  EXPECT_TRUE(std::any_of(back->groups.begin(), back->groups.end(), [](auto& g) { return g.name == "screws"; }));
  EXPECT_TRUE(std::none_of(back->groups.begin(), back->groups.end(), [](auto& g) { return g.name == "bolt_holes"; }));
  // Improved like a mesh of our own.
  done = false;
  QObject::connect(w.get(), &MainWindow::runFinished, [&] { done = true; });
  w->improveMesh();
  ASSERT_TRUE(waitFor([&] { return done; }));
  EXPECT_EQ(w->currentRun()->improved, 1);
  EXPECT_NEAR(w->currentRun()->audit.volume, run->audit.volume, 1e-9 * run->audit.volume);
}

TEST_F(MeshFile, isNeverOverwrittenByItsOwnHandOver) {
  const std::string path = written("clamp.inp");
  openFile(path);
  QFile file(QString::fromStdString(path));
  const auto size = file.size();
  std::string said;
  QObject::connect(w.get(), &MainWindow::taskFailed, [&](const Problem& p) { said = p.code; });
  w->exportTo(path, "inp");
  ASSERT_TRUE(waitFor([&] { return !said.empty(); }));
  EXPECT_EQ(said, "file.own");
  EXPECT_EQ(file.size(), size);
}

TEST_F(MeshFile, isMeshedAnewWhenItsCardIsSwitchedOff) {
  openFile(written("clamp.vtu"));
  const auto before = w->currentRun()->mesh.cells.size();
  for (std::size_t i = 0; i < w->document().brief().rules.size(); ++i)
    if (w->document().brief().rules[i].kind == "take_mesh") emit w->briefPanel()->switched(static_cast<int>(i), true);
  for (std::size_t i = 0; i < w->document().brief().rules.size(); ++i)
    if (w->document().brief().rules[i].kind == "everywhere")
      emit w->briefPanel()->valueChanged(static_cast<int>(i), "target", "6 mm");
  mesh();
  ASSERT_TRUE(w->currentRun());
  EXPECT_LT(w->currentRun()->mesh.cells.size(), before);
  EXPECT_NEAR(w->currentRun()->audit.volume, w->part()->volume(), 0.02 * w->part()->volume());
}

TEST_F(MeshFile, aDamagedOneIsToldAndTheWindowGoesOn) {
  QFile f(QString::fromStdString(dir / "torn.inp"));
  ASSERT_TRUE(f.open(QIODevice::WriteOnly));
  f.write("*NODE\n1, 0, 0, 0\n*ELEMENT, TYPE=C3D4\n1, 1, 2, 3, 4\n");
  f.close();
  std::string said;
  QObject::connect(w.get(), &MainWindow::taskFailed, [&](const Problem& p) { said = p.what; });
  QTimer::singleShot(0, w.get(), [&] {
    auto* closer = new QTimer(w.get());
    QObject::connect(closer, &QTimer::timeout, [] {
      if (auto* box = QApplication::activeModalWidget()) box->close();
    });
    closer->start(50);
  });
  w->open(f.fileName());
  ASSERT_TRUE(waitFor([&] { return !said.empty(); }));
  EXPECT_FALSE(w->part());
  openFile(written("clamp.vtu"));
  EXPECT_TRUE(w->currentRun());
}

TEST_F(MeshFile, numbersStandAtWhatIsChosen) {
  openFile(written("clamp.vtu"));
  auto* v = w->viewport();
  trigger("numbersofwhatischosen");
  EXPECT_TRUE(v->numbers().empty());
  v->setBrushed({16}, true);
  ASSERT_EQ(v->numbers().size(), 11u); // an element and its ten nodes
  EXPECT_EQ(v->numbers()[0].text, "17");
  EXPECT_TRUE(v->numbers()[0].element);
  const auto cell = w->currentRun()->mesh.cells.of(16);
  for (std::size_t i = 1; i < 11; ++i) {
    const auto n = v->numbers()[i].text.toInt() - 1;
    EXPECT_TRUE(std::find(cell.begin(), cell.end(), n) != cell.end());
    EXPECT_EQ(v->numbers()[i].at, w->currentRun()->mesh.nodes[static_cast<std::size_t>(n)]);
  }
  const QImage with = v->picture();
  trigger("numbersofwhatischosen");
  EXPECT_NE(v->picture(), with) << "pictures carry the numbers";
  trigger("numbersofwhatischosen");
  // Without a choice of elements: the nodes on what is selected.
  v->setBrushed({}, false);
  const auto& part = *w->part();
  v->select(Dim::Point, {0});
  ASSERT_EQ(v->numbers().size(), 1u);
  EXPECT_LT((v->numbers()[0].at - part.points[0].at).norm(), 1e-9);
  EXPECT_EQ(v->numbersDrawn(), v->inSight(part.points[0].at) ? 1u : 0u);
  std::set<int> points;
  for (int p = 0; p < part.count(Dim::Point); ++p) points.insert(p);
  v->select(Dim::Point, points);
  ASSERT_FALSE(v->numbers().empty());
  v->picture();
  EXPECT_GT(v->numbersDrawn(), 0u);
  EXPECT_LT(v->numbersDrawn(), v->numbers().size()) << "those behind the part are not drawn over it";
  v->setSeeThrough(true);
  v->picture();
  EXPECT_EQ(v->numbersDrawn(), v->numbers().size());
  v->setSeeThrough(false);
  std::set<int> all;
  for (int f = 0; f < part.count(Dim::Face); ++f) all.insert(f);
  v->select(Dim::Face, all);
  EXPECT_TRUE(v->numbers().empty());
  EXPECT_TRUE(v->tooManyNumbers());
  EXPECT_TRUE(w->viewPane()->hint().contains("too much"));
}

TEST_F(MeshFile, edgesAloneLeaveTheGroundBetweenThem) {
  openFile(written("clamp.vtu"));
  auto* v = w->viewport();
  const double surfaces = drawn(v->picture());
  const QImage before = v->picture();
  trigger("edgesalone");
  EXPECT_GT(drawn(v->picture()), 0.05) << "what lies behind shows as well";
  EXPECT_NE(v->picture(), before);
  v->setEdgesShown(false); // the part's own lines are left
  EXPECT_LT(drawn(v->picture()), 0.3 * surfaces);
  EXPECT_GT(drawn(v->picture()), 0.003);
  trigger("edgesalone");
  v->setEdgesShown(true);
  EXPECT_NEAR(drawn(v->picture()), surfaces, 0.01);
}

TEST_F(MeshFile, aNodeIsMovedAndTheMoveTakenBack) {
  open("saddle-clamp.brief");
  mesh();
  const auto before = w->currentRun();
  std::int32_t node = 0;
  while (before->mesh.nodeLink[static_cast<std::size_t>(node)].dim != 2) ++node;
  const Vec3 at = before->mesh.nodes[static_cast<std::size_t>(node)];
  bool done = false;
  QObject::connect(w.get(), &MainWindow::runFinished, [&] { done = true; });
  w->moveNode(node, at + Vec3(0.1, 0.1, 0.1));
  ASSERT_TRUE(waitFor([&] { return done; }));
  ASSERT_NE(w->currentRun(), before);
  EXPECT_NE(w->currentRun()->mesh.nodes[static_cast<std::size_t>(node)], at);
  EXPECT_EQ(w->notice()->key(), "improved");
  for (auto* b : w->notice()->findChildren<QAbstractButton*>())
    if (b->text().contains("before")) b->click();
  EXPECT_EQ(w->currentRun(), before);
  EXPECT_FALSE(w->notice()->isVisible());
  // What cannot be done is told, and nothing is lost.
  std::string said;
  QObject::connect(w.get(), &MainWindow::taskFailed, [&](const Problem& p) { said = p.code; });
  w->moveNode(node, at + Vec3(500, 0, 500));
  ASSERT_TRUE(waitFor([&] { return !said.empty(); }));
  EXPECT_EQ(said, "node.move");
  EXPECT_EQ(w->currentRun(), before);
}

TEST_F(MeshFile, theCardOfAnElementLeadsToItsNeighbours) {
  open("saddle-clamp.brief");
  mesh();
  auto* audit = w->auditPanel();
  ASSERT_TRUE(w->findByNumber("17"));
  ASSERT_TRUE(
      waitFor([&] { return audit->elementCard().contains("beside") && audit->elementCard().contains("size asked"); }));
  const Neighbours near = cellNeighbours(w->currentRun()->mesh);
  std::int32_t other = -1;
  for (auto k = near.start[16]; k < near.start[17]; ++k)
    if (near.cell[k] >= 0) other = near.cell[k];
  ASSERT_GE(other, 0);
  EXPECT_TRUE(audit->elementCard().contains(QString::number(other + 1)));
  for (auto* l : audit->findChildren<QLabel*>())
    if (l->text().contains(QString("<a href=\"%1\">").arg(other + 1))) {
      emit l->linkActivated(QString::number(other + 1));
      break;
    }
  EXPECT_TRUE(waitFor([&] { return audit->elementCard().contains(QLocale().toString(other + 1)); }, 3000))
      << audit->elementCard().toStdString();
}

TEST_F(MeshFile, theLineUnderstandsSentencesAndOffersGroupsAndCommands) {
  open("saddle-clamp.brief");
  auto* panel = w->briefPanel();
  const QStringList offers = panel->offers();
  EXPECT_TRUE(offers.filter("bolt holes").size() > 0);
  EXPECT_TRUE(offers.filter("Propose groups").size() > 0);
  EXPECT_TRUE(offers.filter("through – ").size() > 0);
  auto say = [&](const QString& line) {
    panel->sayLine()->setText(line);
    QTest::keyClick(panel->sayLine(), Qt::Key_Return);
    QApplication::processEvents();
  };
  auto rules = [&]() -> const std::vector<Rule>& { return w->document().brief().rules; };
  const auto count = rules().size();
  say("1.2 mm on feet");
  ASSERT_EQ(rules().size(), count + 1);
  EXPECT_EQ(rules().back().kind, "size");
  EXPECT_EQ(rules().back().get("on"), "feet");
  EXPECT_EQ(rules().back().get("length"), "1.2 mm");
  EXPECT_TRUE(panel->sayLine()->text().isEmpty());
  say("everywhere 4 mm");
  EXPECT_EQ(rules().size(), count + 1) << "the card that is there is changed";
  EXPECT_EQ(w->document().brief().first("everywhere")->get("target"), "4 mm");
  say("judge flow");
  EXPECT_EQ(rules().size(), count + 1);
  EXPECT_EQ(w->document().brief().first("judge")->get("purpose"), "flow");
  say("all hexahedra please");
  EXPECT_EQ(rules().size(), count + 1) << "the card for everything is changed";
  EXPECT_EQ(w->document().brief().first("fill")->get("with"), "best");
  EXPECT_EQ(w->document().brief().first("fill")->get("across"), "quads");
  // What becomes tetrahedra all the same is a finding with a place.
  const auto& findings = w->auditPanel()->findings();
  const auto whyNot =
      std::find_if(findings.begin(), findings.end(), [](const Problem& x) { return x.code == "fill.best"; });
  ASSERT_NE(whyNot, findings.end());
  EXPECT_FALSE(whyNot->places.empty());
  say("polish the feet");
  EXPECT_EQ(rules().size(), count + 1);
  EXPECT_EQ(panel->sayLine()->text(), "polish the feet") << "nothing that was typed is lost";
  EXPECT_EQ(w->notice()->key(), "say");
  say(offers.filter("bolt holes – ").front());
  EXPECT_EQ(w->viewport()->selection().size(), 4u);
  say("2 through walls");
  EXPECT_EQ(rules().back().kind, "through");
  EXPECT_EQ(w->notice()->key(), "");
  say(offers.filter("Undo").front());
  EXPECT_NE(rules().back().kind, "through");
}

TEST_F(MeshFile, aMillionCellsAreJudgedCutAndChosen) {
  // A block of 100 x 100 x 100 hexahedra, a little skewed towards one corner.
  constexpr std::int32_t n = 100;
  Mesh m;
  for (std::int32_t k = 0; k <= n; ++k)
    for (std::int32_t j = 0; j <= n; ++j)
      for (std::int32_t i = 0; i <= n; ++i) m.nodes.push_back(Vec3(i + 2e-5 * i * j, j, k));
  auto node = [](std::int32_t i, std::int32_t j, std::int32_t k) { return i + (n + 1) * (j + (n + 1) * k); };
  for (std::int32_t k = 0; k < n; ++k)
    for (std::int32_t j = 0; j < n; ++j)
      for (std::int32_t i = 0; i < n; ++i)
        m.cells.add(ElementType::Hex8, std::array{node(i, j, k), node(i + 1, j, k), node(i + 1, j + 1, k),
                                                  node(i, j + 1, k), node(i, j, k + 1), node(i + 1, j, k + 1),
                                                  node(i + 1, j + 1, k + 1), node(i, j + 1, k + 1)});
  m.cellRegion.assign(m.cells.size(), 0);
  m.regions = {"block"};
  rebuildFaces(m);
  const std::string path = dir / "block.vtu";
  ASSERT_FALSE(writeMesh(m, MeshFormat::Vtu, path));
  m = {};
  openFile(path);
  EXPECT_EQ(w->currentRun()->mesh.cells.size(), 1000000u);
  EXPECT_EQ(w->part()->faces.size(), 6u);
  EXPECT_TRUE(w->currentRun()->audit.pass);
  auto* v = w->viewport();
  ASSERT_TRUE(waitFor([&] { return drawn(v->picture()) > 0.05; }, 20000)); // the view follows when it is ready
  v->setSectionManner(SectionManner::WholeCells);
  v->setSection(true);
  v->placeSection(49.7);
  EXPECT_GT(v->sectionCells(), 9900u);
  EXPECT_LT(v->sectionCells(), 20100u);
  v->setSection(false);
  auto* h = w->auditPanel()->histogram();
  h->brush(h->lowest(), 0.5 * (h->lowest() + h->highest()));
  EXPECT_GT(v->brushedCount(), 100000u);
  EXPECT_LE(v->brushedDrawn(), 20000u) << "the worst of them at once";
}

TEST_F(MeshFile, everyElementTypeIsShownCutAndJudged) {
  const std::string path = dir / "mixed.vtu";
  ASSERT_FALSE(writeMesh(bar(Filling::Hybrid, 1, {{16, 8, 8}, {16, 8, 8}}), MeshFormat::Vtu, path));
  openFile(path);
  const auto run = w->currentRun();
  ASSERT_EQ(run->audit.types.size(), 3u);
  auto* panel = w->auditPanel();
  // All elements, and one entry per type; height to base tells of tetrahedra only.
  panel->setMetric(Metric::HeightRatio);
  auto* counted = panel->counted();
  ASSERT_EQ(counted->count(), 4);
  auto* h = panel->histogram();
  auto sum = [&] { return std::accumulate(h->bars().begin(), h->bars().end(), std::size_t(0)); };
  std::array<std::size_t, kElementTypes> of{};
  for (auto t : run->mesh.cells.type) ++of[static_cast<std::size_t>(t)];
  const std::size_t tets = of[static_cast<std::size_t>(ElementType::Tet4)],
                    hexes = of[static_cast<std::size_t>(ElementType::Hex8)];
  EXPECT_EQ(sum(), tets);
  const int hex = counted->findText("hex8");
  ASSERT_GT(hex, 0);
  counted->setCurrentIndex(hex);
  EXPECT_EQ(sum(), 0u);
  // A brush over hexahedra only.
  panel->setMetric(Metric::Volume);
  counted->setCurrentIndex(hex);
  EXPECT_EQ(sum(), hexes);
  h->brush(h->lowest(), h->highest());
  EXPECT_EQ(w->viewport()->brushedCount(), hexes);
  h->brush(0, 0);
  counted->setCurrentIndex(0);
  auto* v = w->viewport();
  v->setSection(true);
  v->placeSection(7.3); // through the pyramids
  EXPECT_GT(v->sectionCells(), 300u);
  EXPECT_GT(drawn(v->picture()), 0.05);
  v->setSection(false);
  // The card of a pyramid has its own figures and not those that say nothing of it.
  const auto at = std::find(run->mesh.cells.type.begin(), run->mesh.cells.type.end(), ElementType::Pyramid5);
  panel->showElement(static_cast<std::int32_t>(at - run->mesh.cells.type.begin()));
  const QString card = panel->elementCard();
  EXPECT_TRUE(card.contains("pyramid5")) << card.toStdString();
  EXPECT_TRUE(card.contains("Face weight"));
  EXPECT_FALSE(card.contains("Height to base"));
  EXPECT_FALSE(card.contains("nan"));
  // Polyhedra with hanging nodes are cut as well.
  const std::string poly = dir / "poly.vtu";
  ASSERT_FALSE(writeMesh(bar(Filling::Polyhedra, 1, {{8, 4, 4}, {8, 4, 4}}), MeshFormat::Vtu, poly));
  w->open(QString::fromStdString(poly));
  ASSERT_TRUE(waitFor([&] { return w->currentRun() && w->currentRun() != run && !w->worker()->busy(); }));
  EXPECT_TRUE(w->currentRun()->audit.soundness.sound());
  v->setSection(true);
  v->placeSection(3.5);
  EXPECT_GE(v->sectionCells(), 16u);
  EXPECT_GT(drawn(v->picture()), 0.05);
}
