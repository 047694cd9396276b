// SPDX-License-Identifier: GPL-3.0-or-later
// What the view shows beyond the part itself: odd edges, views that were kept, parts of the histogram, detail in
// motion.
#include "app/window_fixture.h"
#include "support/briefs.h"
#include <QComboBox>
#include <QFile>
#include <QTemporaryDir>
#include <QWheelEvent>
#include <numeric>

using namespace tess;
using namespace tess::test;

namespace {
class Lenses : public Window {
protected:
  QString hint() const {
    for (auto* l : w->viewport()->findChildren<QLabel*>("floatbar"))
      if (l->text().startsWith("Lens")) return l->text();
    return {};
  }
};
} // namespace

TEST_F(Lenses, theLensSaysWhatEdgesItFound) {
  open("saddle-clamp.brief");
  mesh();
  w->setLens(5);
  EXPECT_EQ(w->viewport()->openEdges(), 0u);
  EXPECT_EQ(w->viewport()->sharedEdges(), 0u);
  EXPECT_TRUE(hint().contains("no open edges")) << hint().toStdString();
  w->setLens(0);
  EXPECT_FALSE(hint().contains("open edges"));
}

TEST_F(Lenses, theLensMethodTellsWhatFillsEachBodyBeforeAndAfterMeshing) {
  open("ballast-block.brief");
  w->setLens(6);
  ASSERT_TRUE(waitFor([&] { return w->viewport()->methodsDrawn() > 0; }));
  EXPECT_EQ(w->viewport()->methodsDrawn(), 3u);
  EXPECT_TRUE(hint().contains("1 body mapped, 2 bodies of tetrahedra")) << hint().toStdString();
  // Edges of rows have their counts, and the forecast knows them; once meshed the mesh tells.
  ASSERT_TRUE(waitFor([&] { return w->viewport()->edgeCountsDrawn() > 0; }));
  const EdgeCounts counts = w->viewport()->edgeCounts();
  EXPECT_LE(w->viewport()->edgeCountsDrawn(), counts.elements.size());
  EXPECT_EQ(w->viewport()->methodsDrawn(), 3u);
  // The face that the block decided says so under the pointer.
  int decided = -1, free = -1;
  for (int f = 0; f < w->part()->count(Dim::Face); ++f) {
    const FacePlan* face = w->viewport()->facePlan(f);
    ASSERT_TRUE(face);
    (face->frozen() ? decided : free) = f;
  }
  ASSERT_GE(decided, 0);
  ASSERT_GE(free, 0);
  emit w->viewport()->surfaceHovered(decided, Vec3::Zero(), {});
  EXPECT_TRUE(hint().contains("since body 'ballast' is mapped")) << hint().toStdString();
  emit w->viewport()->surfaceHovered(free, Vec3::Zero(), {});
  EXPECT_TRUE(hint().contains("this face: triangles")) << hint().toStdString();
  // The card is changed, and back.
  auto mapped = [&] {
    const auto& all = w->viewport()->bodyPlans();
    return std::count_if(all.begin(), all.end(), [](const auto& b) { return b.fill == Fill::Mapped; });
  };
  EXPECT_EQ(mapped(), 1);
  const auto& rules = w->document().brief().rules;
  const auto card = std::find_if(rules.begin(), rules.end(), [](const Rule& r) { return r.get("with") == "mapped"; });
  ASSERT_NE(card, rules.end());
  const int at = static_cast<int>(card - rules.begin());
  emit w->briefPanel()->valueChanged(at, "with", "tetrahedra");
  EXPECT_EQ(mapped(), 0);
  emit w->briefPanel()->valueChanged(at, "with", "mapped");
  EXPECT_EQ(mapped(), 1);
  mesh();
  ASSERT_TRUE(w->currentRun());
  EXPECT_EQ(w->currentRun()->bodies.size(), 3u);
  EXPECT_EQ(mapped(), 1);
  EXPECT_TRUE(waitFor([&] { return w->viewport()->edgeCountsDrawn() == 0; }));
  std::vector<int> on(counts.elements.size(), 1);
  for (const auto& l : w->currentRun()->mesh.nodeLink)
    if (l.dim == 1) ++on[static_cast<std::size_t>(l.entity)];
  for (std::size_t e = 0; e < on.size(); ++e)
    if (counts.elements[e] > 0) {
      EXPECT_EQ(counts.elements[e], on[e]) << e;
    }
  const auto& types = w->currentRun()->mesh.cells.type;
  for (auto t : {ElementType::Tet4, ElementType::Pyramid5, ElementType::Hex8})
    EXPECT_GT(std::count(types.begin(), types.end(), t), 0);
}

TEST_F(Lenses, bodiesThatTouchHaveEdgesOfThreeFacesAndAreCountedApart) {
  auto part = std::make_shared<const Part>(made("boxes 2"));
  auto run = std::make_shared<const RunResult>(runWith(briefWith("0.3 mm", {}), *part));
  Viewport v;
  v.setPart(part);
  v.setLens(Lens::Edges);
  EXPECT_EQ(v.openEdges(), 0u);
  EXPECT_EQ(v.sharedEdges(), 4u); // round the common face
  v.setRun(run);
  EXPECT_EQ(v.openEdges(), 0u);
  EXPECT_GE(v.sharedEdges(), 4u * 3);
  // The outer half of the mesh alone is open at the common face.
  Mesh half = run->mesh;
  half.faceRegions.clear();
  ElementBlock kept;
  for (std::size_t f = 0; f < run->mesh.faces.size(); ++f)
    if (run->mesh.faceRegions[f][0] == 0 && run->mesh.faceRegions[f][1] < 0) {
      kept.add(run->mesh.faces.type[f], run->mesh.faces.of(f));
      half.faceRegions.push_back(run->mesh.faceRegions[f]);
    }
  half.faces = kept;
  EXPECT_EQ(oddEdges(half, lookAt(half)).openCount, v.sharedEdges());

  AuditPanel panel;
  panel.setRun(run);
  auto* counted = panel.counted();
  ASSERT_EQ(counted->count(), 3); // all, and one entry per region
  auto* h = panel.histogram();
  auto sum = [&] { return std::accumulate(h->bars().begin(), h->bars().end(), std::size_t(0)); };
  EXPECT_EQ(sum(), run->mesh.cells.size());
  counted->setCurrentIndex(1);
  const std::size_t one = sum();
  std::size_t told = 0;
  QObject::connect(&panel, &AuditPanel::brushChanged,
                   [&](const std::vector<std::int32_t>& cells, bool) { told = cells.size(); });
  h->brush(h->lowest(), h->highest());
  EXPECT_EQ(told, one);
  counted->setCurrentIndex(2);
  EXPECT_EQ(told, 0u); // another choice lets the brush go
  EXPECT_EQ(one + sum(), run->mesh.cells.size());
}

TEST_F(Lenses, keptViewsComeBackAndCanBeForgotten) {
  open("saddle-clamp.brief");
  mesh();
  auto* v = w->viewport();
  v->view(Vec3(0, 0, -1), Vec3(0, 1, 0));
  w->setLens(3);
  v->setSection(true);
  v->moveSection(0.2);
  const QString state = v->viewState();
  w->keepView("from above");
  v->setSection(false);
  w->setLens(0);
  v->view(Vec3(-1, 0.3, -0.4), Vec3(0, 0, 1));
  EXPECT_NE(v->viewState(), state);
  EXPECT_FALSE(w->showView("no such view"));
  ASSERT_TRUE(w->showView("from above"));
  EXPECT_EQ(v->viewState(), state);
  EXPECT_EQ(v->lens(), Lens::Quality);
  EXPECT_TRUE(v->sectionOn());
  EXPECT_FALSE(v->setViewState("1 2 3"));
  EXPECT_FALSE(v->setViewState(QString(state).replace("\"eye\":[", "\"eye\":[\"x\",")));
  EXPECT_FALSE(v->setViewState(QString(state).replace("\"normal\":[", "\"normal\":[7,")));
  EXPECT_FALSE(v->setViewState(QString(state).replace("\"active\":0", "\"active\":3")));
  EXPECT_EQ(v->viewState(), state);
  open("keel-bracket.brief"); // another part has views of its own
  EXPECT_TRUE(w->keptViews().isEmpty());
  open("saddle-clamp.brief");
  EXPECT_EQ(w->keptViews().keys(), QStringList{"from above"});
  w->forgetView("from above");
  EXPECT_TRUE(w->keptViews().isEmpty());
}

TEST_F(Lenses, severalSectionsLeaveACornerAndEachIsPlacedTyped) {
  open("saddle-clamp.brief");
  mesh();
  auto* v = w->viewport();
  const auto& nodes = w->currentRun()->mesh.nodes;
  const auto& cells = w->currentRun()->mesh.cells;
  auto crossed = [&] { // cells that a plane crosses and no plane cuts away as a whole
    std::size_t n = 0;
    for (std::size_t c = 0; c < cells.size(); ++c) {
      bool met = false, gone = false;
      for (const Section& s : v->look().sections) {
        int front = 0, all = 0;
        for (auto k : cells.of(c)) ++all, front += s.height(nodes[static_cast<std::size_t>(k)]) > 0;
        met = met || (front > 0 && front < all);
        gone = gone || front == all;
      }
      n += met && !gone;
    }
    return n;
  };
  v->setSection(true);
  EXPECT_EQ(v->sectionCells(), crossed());
  const std::size_t one = v->sectionCells();
  v->addSection();
  ASSERT_EQ(v->look().sections.size(), 2u);
  EXPECT_EQ(v->look().active, 1u);
  EXPECT_NE(v->look().sections[0].axis(), v->look().sections[1].axis());
  EXPECT_EQ(v->sectionCells(), crossed());
  EXPECT_NE(v->sectionCells(), one);
  for (auto manner : {SectionManner::WholeCells, SectionManner::Cut}) {
    v->setSectionManner(manner);
    EXPECT_EQ(v->sectionCells(), crossed());
    EXPECT_GT(drawn(v->picture()), 0.01);
  }
  // Typed, with a unit; what is no length changes nothing.
  auto* at = w->viewPane()->sectionPlace();
  const double before = v->look().sections[1].offset;
  const Box& box = w->part()->box;
  const int axis = v->look().sections[1].axis();
  const double wanted = box.lo[axis] + 0.3 * box.size()[axis];
  at->setFocus();
  at->setText(QString::number(wanted / 10) + " cm");
  QTest::keyClick(at, Qt::Key_Return);
  EXPECT_NEAR(std::abs(v->look().sections[1].offset), std::abs(wanted), 1e-6);
  EXPECT_NE(v->look().sections[1].offset, before);
  EXPECT_EQ(v->sectionCells(), crossed());
  const QString placed = at->text();
  EXPECT_TRUE(placed.endsWith(" mm")) << placed.toStdString();
  at->setText("much");
  QTest::keyClick(at, Qt::Key_Return);
  EXPECT_EQ(at->text(), placed);
  EXPECT_NEAR(std::abs(v->look().sections[1].offset), std::abs(wanted), 1e-6);
  // Nothing that is cut away can be picked.
  auto shown = [&] {
    std::set<int> faces;
    for (int x = 4; x < v->width(); x += 9)
      for (int y = 4; y < v->height(); y += 9)
        if (const int f = v->pick(QPointF(x, y)); f >= 0) faces.insert(f);
    return faces;
  };
  v->setSectionManner(SectionManner::Cut);
  const auto kept = shown();
  v->flipSection();
  EXPECT_NE(shown(), kept);
  EXPECT_EQ(v->sectionCells(), crossed());
  // A plane drawn across the view stands along the eye: its cut is seen as a line.
  v->awaitSection(true);
  const QPoint from(v->width() / 2, 30), to(v->width() / 2, v->height() - 30);
  QTest::mousePress(v, Qt::LeftButton, {}, from);
  QTest::mouseRelease(v, Qt::LeftButton, {}, to);
  ASSERT_EQ(v->look().sections.size(), 3u);
  EXPECT_EQ(v->look().sections[2].axis(), -1);
  EXPECT_EQ(v->sectionCells(), crossed());
  const Section drawnOne = v->look().sections[2];
  for (double y : {0.2, 0.5, 0.8}) { // right of the line nothing is left
    const QPointF right(0.5 * v->width() + 40, y * v->height());
    EXPECT_EQ(v->pick(right), -1);
  }
  EXPECT_NEAR(v->project(box.center() - drawnOne.height(box.center()) * drawnOne.normal).x(), 0.5 * v->width(), 1);
  v->addSection();
  v->addSection(); // one too many: nothing happens
  EXPECT_EQ(v->look().sections.size(), ViewLook::kMostSections);
  const QString state = v->viewState();
  while (v->sectionOn()) v->dropSection();
  EXPECT_EQ(v->sectionCells(), 0u);
  EXPECT_TRUE(v->look().sections.empty());
  ASSERT_TRUE(v->setViewState(state));
  EXPECT_EQ(v->look().sections.size(), ViewLook::kMostSections);
}

TEST_F(Lenses, whatIsUnderThePointerIsOutlinedWithoutDrawingAgain) {
  open("saddle-clamp.brief");
  auto* v = w->viewport();
  waitFor([&] { return w->forecast().has_value(); });
  int pictures = 0;
  auto c = QObject::connect(v, &Viewport::drawn, [&] { ++pictures; });
  QTest::qWait(300);
  pictures = 0;
  std::set<std::size_t> lines;
  auto hover = [&](const QPointF& p) {
    QMouseEvent move(QEvent::MouseMove, p, v->mapToGlobal(p), Qt::NoButton, Qt::NoButton, {});
    QApplication::sendEvent(v, &move);
    QTest::qWait(20);
  };
  for (int i = 0; i < 20; ++i) {
    const QPointF p(v->width() * (0.2 + 0.03 * i), v->height() * 0.5);
    hover(p);
    EXPECT_EQ(v->hoverLines() > 0, v->pick(p) >= 0) << i;
    lines.insert(v->hoverLines());
  }
  EXPECT_GT(lines.size(), 2u);
  EXPECT_EQ(pictures, 0);
  hover({1, 1});
  EXPECT_EQ(v->hoverLines(), 0u);
  QObject::disconnect(c);
}

TEST_F(Lenses, heightsOfTheHistogramChangeAndEveryPictureIsWholeAtRest) {
  open("camera-housing.brief");
  mesh();
  auto* h = w->auditPanel()->histogram();
  const QImage root = h->grab().toImage();
  h->setHeights(Histogram::Heights::Log);
  const QImage log = h->grab().toImage();
  h->setHeights(Histogram::Heights::Linear);
  EXPECT_NE(root, log);
  EXPECT_NE(log, h->grab().toImage());
  // Turning there and back gives the same picture, edges included, once it has come to rest.
  auto* v = w->viewport();
  const QImage before = v->picture();
  auto drag = [&](int by) {
    const QPoint from(v->width() / 2, v->height() / 2);
    QTest::mousePress(v, Qt::RightButton, {}, from);
    for (int i = 1; i <= 4; ++i) {
      QMouseEvent e(QEvent::MouseMove, QPointF(from + QPoint(by * i, 0)),
                    v->mapToGlobal(QPointF(from + QPoint(by * i, 0))), Qt::NoButton, Qt::RightButton, Qt::NoModifier);
      QApplication::sendEvent(v, &e);
    }
    QTest::mouseRelease(v, Qt::RightButton, {}, from + QPoint(4 * by, 0));
  };
  drag(10);
  EXPECT_NE(v->picture(), before);
  drag(-10);
  QTest::qWait(400);
  const QImage after = v->picture();
  int differ = 0;
  for (int y = 0; y < before.height(); ++y)
    for (int x = 0; x < before.width(); ++x) {
      const QColor a = before.pixelColor(x, y), b = after.pixelColor(x, y);
      differ += std::abs(a.red() - b.red()) + std::abs(a.green() - b.green()) + std::abs(a.blue() - b.blue()) > 60;
    }
  EXPECT_LT(differ, before.width() * before.height() / 100);
}

TEST_F(Lenses, aPictureHoldsThePartOnceAndIsSmoothedAtRest) {
  open("keel-bracket.brief");
  auto* v = w->viewport();
  for (const QSize size : {QSize(1280, 800), QSize(1100, 720)}) {
    w->resize(size);
    QTest::qWait(400);
    const QImage still = v->picture();
    EXPECT_EQ(still.size(), (v->devicePixelRatioF() * QSizeF(v->size())).toSize());
    QRectF part; // on the screen
    for (const Vec3& x : w->part()->display.points) part |= QRectF(v->project(x) - QPointF(3, 3), QSizeF(6, 6));
    std::set<QRgb> colors;
    int outside = 0;
    for (int y = 0; y < still.height(); ++y)
      for (int x = 0; x < still.width(); ++x) {
        colors.insert(still.pixel(x, y));
        outside +=
            still.pixelColor(x, y) != theme::viewport && !part.contains(QPointF(x, y) / still.devicePixelRatio());
      }
    EXPECT_EQ(outside, 0);
    // Turned a little and caught in motion: the same shades, without those between them along every line.
    const QPoint at(v->width() / 2, v->height() / 2);
    QTest::mousePress(v, Qt::RightButton, {}, at);
    QMouseEvent e(QEvent::MouseMove, QPointF(at + QPoint(20, 0)), v->mapToGlobal(QPointF(at + QPoint(20, 0))),
                  Qt::NoButton, Qt::RightButton, Qt::NoModifier);
    QApplication::sendEvent(v, &e);
    const QImage moving = v->grab().toImage();
    QTest::mouseRelease(v, Qt::RightButton, {}, at + QPoint(20, 0));
    std::set<QRgb> fewer;
    for (int y = 0; y < moving.height(); ++y)
      for (int x = 0; x < moving.width(); ++x) fewer.insert(moving.pixel(x, y));
    EXPECT_GT(colors.size(), fewer.size() * 5 / 4);
  }
}

TEST_F(Lenses, linesOfElementsAreFaintWhereTheyWouldCoverThem) {
  open("camera-housing.brief");
  mesh();
  auto* v = w->viewport();
  // Mean lightness of what is drawn, with lines and without.
  auto lightness = [](const QImage& i) {
    double sum = 0, n = 0;
    for (int y = 0; y < i.height(); ++y)
      for (int x = 0; x < i.width(); ++x)
        if (const QColor c = i.pixelColor(x, y); c != theme::viewport) sum += c.lightnessF(), ++n;
    return sum / n;
  };
  auto share = [&] {
    v->setEdgesShown(false);
    const double without = lightness(v->picture());
    v->setEdgesShown(true);
    return lightness(v->picture()) / without;
  };
  auto zoom = [&](int turns) {
    const QPointF at(v->width() / 2.0, v->height() / 2.0);
    QWheelEvent e(at, v->mapToGlobal(at), {}, QPoint(0, 120 * turns), Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase,
                  false);
    QApplication::sendEvent(v, &e);
  };
  EXPECT_GT(share(), 0.88);
  zoom(-8); // elements of about a pixel
  EXPECT_GT(share(), 0.88);
  EXPECT_LT(share(), 0.995) << "there are lines still";
  zoom(12); // and of many: a line is a line
  const QImage near = v->picture();
  v->setEdgesShown(false);
  const QImage bare = v->picture();
  int dark = 0;
  for (int y = 0; y < near.height(); ++y)
    for (int x = 0; x < near.width(); ++x)
      dark += bare.pixelColor(x, y).lightness() - near.pixelColor(x, y).lightness() > 50;
  EXPECT_GT(dark, near.width());
}

TEST_F(Lenses, failingElementsAreHatched) {
  QTemporaryDir dir;
  for (const char* name : {"saddle-clamp.step", "saddle-clamp.brief"})
    QFile::copy(QString::fromStdString(demo(name)), dir.filePath(name));
  QFile limits(dir.filePath("strict.limits")), brief(dir.filePath("saddle-clamp.brief"));
  ASSERT_TRUE(limits.open(QIODevice::WriteOnly));
  limits.write("format = 1\nname = \"strict\"\n\n[[limit]]\nmetric = \"skewness\"\nbound = 0.35\n");
  limits.close();
  ASSERT_TRUE(brief.open(QIODevice::ReadWrite));
  QByteArray text = brief.readAll();
  ASSERT_TRUE(text.contains("purpose = \"strength\""));
  text.replace("purpose = \"strength\"", "purpose = \"strength\"\nfile = \"strict.limits\"");
  brief.resize(0);
  brief.write(text);
  brief.close();
  open(brief.fileName().toStdString());
  mesh();
  w->setLens(static_cast<int>(Lens::Quality));
  auto* v = w->viewport();
  v->setEdgesShown(false);
  // Of what is chosen: stripes of ink among pixels of a strong colour.
  auto striped = [&](double from, double to) {
    w->auditPanel()->histogram()->brush(from, to);
    const QImage i = v->picture();
    double ink = 0, colour = 0;
    for (int y = 0; y < i.height(); ++y)
      for (int x = 0; x < i.width(); ++x) {
        const QColor c = i.pixelColor(x, y);
        colour += c.hsvSaturationF() > 0.4f;
        ink += c.hsvSaturationF() < 0.35f && c.lightness() < 120;
      }
    EXPECT_GT(colour, 1000);
    return ink / colour;
  };
  const double failing = striped(0.36, 0.7), near = striped(0.2, 0.34);
  EXPECT_GT(failing, 0.1);
  EXPECT_LT(near, 0.3 * failing);
}

TEST_F(Lenses, chosenElementsAreSeenWhateverLiesBeforeThem) {
  open("camera-housing.brief");
  mesh();
  auto* v = w->viewport();
  const auto& m = w->currentRun()->mesh;
  // The elements at each end of the part, a long way behind what one looks at from the other end.
  std::vector<std::int32_t> low, high;
  const Box& box = w->part()->box;
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    const double x = cellCenter(m, c).x();
    if (x < box.lo.x() + 2) low.push_back(static_cast<std::int32_t>(c));
    if (x > box.hi.x() - 2) high.push_back(static_cast<std::int32_t>(c));
  }
  ASSERT_FALSE(low.empty() || high.empty());
  // Elements have a colour of their own, the part behind them hardly any.
  auto coloured = [&] {
    const QImage i = v->picture();
    int n = 0;
    for (int y = 0; y < i.height(); ++y)
      for (int x = 0; x < i.width(); ++x) n += i.pixelColor(x, y).hsvSaturationF() > 0.2f;
    return n;
  };
  for (const auto& cells : {low, high}) {
    std::vector<int> seen;
    for (double side : {1.0, -1.0}) {
      v->view(Vec3(side, 0.02, 0.01), Vec3(0, 0, 1));
      v->setBrushed({}, true);
      EXPECT_GT(drawn(v->picture()), 0.02) << "the part shows where it was";
      EXPECT_LT(coloured(), 50);
      v->setBrushed(cells, true);
      seen.push_back(coloured());
    }
    EXPECT_GT(std::min(seen[0], seen[1]), std::max(seen[0], seen[1]) / 10); // nearer and farther
    EXPECT_GT(std::min(seen[0], seen[1]), 1000);
  }
  v->setBrushed({}, false);
}
