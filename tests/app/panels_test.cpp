// SPDX-License-Identifier: GPL-3.0-or-later
// The two columns beside the viewport: cards that are kept while the brief changes, findings that share a card.
#include "app/finding_card.h"
#include "app/machine_dialog.h"
#include "app/quality_scale.h"
#include "app/runs_bar.h"
#include "app/scene.h"
#include "geometry/joined.h"
#include "mesh/order.h"
#include "support/briefs.h"
#include "window_fixture.h"
#include <QDoubleSpinBox>
#include <QScrollArea>
#include <QSpinBox>
#include <map>
#include <sys/resource.h>
#include <vtkCellArray.h>
#include <vtkPointData.h>

using namespace tess;
using namespace tess::test;

namespace {

struct Before {
  bool operator()(const std::array<Vec3, 2>& x, const std::array<Vec3, 2>& y) const {
    auto all = [](const std::array<Vec3, 2>& l) {
      return std::array{l[0].x(), l[0].y(), l[0].z(), l[1].x(), l[1].y(), l[1].z()};
    };
    return all(x) < all(y);
  }
};
std::array<Vec3, 2> sorted(const Vec3& a, const Vec3& b) {
  return std::array{a.x(), a.y(), a.z()} < std::array{b.x(), b.y(), b.z()} ? std::array{a, b} : std::array{b, a};
}
/// What a surface says to be lines, each once, by their ends.
std::set<std::array<Vec3, 2>, Before> linesOf(const PolyData& surface) {
  std::set<std::array<Vec3, 2>, Before> r;
  auto* sides = surface->GetPointData()->GetArray(kSides);
  for (vtkIdType t = 0; t < surface->GetNumberOfPolys(); ++t) {
    vtkIdType n = 0;
    const vtkIdType* v = nullptr;
    surface->GetPolys()->GetCellAtId(t, n, v);
    std::array<Vec3, 3> at;
    for (std::size_t k = 0; k < 3; ++k) {
      surface->GetPoint(v[k], at[k].data());
      EXPECT_EQ(static_cast<std::size_t>(sides->GetTuple1(v[k])) % 4, k);
    }
    for (std::size_t k = 0; k < 3; ++k)
      if (static_cast<int>(sides->GetTuple1(v[0])) & (4 << k)) r.insert(sorted(at[(k + 1) % 3], at[(k + 2) % 3]));
  }
  return r;
}

class Panels : public Window {
protected:
  static void settle() {
    for (int k = 0; k < 20; ++k) QApplication::processEvents(QEventLoop::AllEvents, 10);
  }
  int ruleOf(const std::string& kind) const {
    const auto& rules = w->document().brief().rules;
    for (std::size_t i = 0; i < rules.size(); ++i)
      if (rules[i].kind == kind) return static_cast<int>(i);
    return -1;
  }
  /// The chip of a rule's value.
  QToolButton* chip(const QString& key, const QString& text) const {
    for (auto* c : w->briefPanel()->findChildren<QToolButton*>("chip"))
      if (c->property("key").toString() == key && c->text() == text) return c;
    return nullptr;
  }
};

/// Threads of this program that let this one go first.
std::set<std::string> threadsBehind() {
  std::set<std::string> r;
  for (const auto& t : std::filesystem::directory_iterator("/proc/self/task")) {
    const int thread = std::stoi(t.path().filename().string());
    if (getpriority(PRIO_PROCESS, static_cast<id_t>(thread)) > getpriority(PRIO_PROCESS, 0))
      r.insert(t.path().filename().string());
  }
  return r;
}

/// Tells when a second window comes up.
class WindowCount : public QObject {
public:
  WindowCount() { qApp->installEventFilter(this); }
  int shown = 0;

protected:
  bool eventFilter(QObject* o, QEvent* e) override {
    if (e->type() == QEvent::Show && o->isWidgetType() && static_cast<QWidget*>(o)->isWindow()) ++shown;
    return false;
  }
};

Problem finding(Severity severity, const std::string& code, const std::string& what) {
  Problem p;
  p.severity = severity;
  p.code = code;
  p.what = what;
  p.places = {Vec3(1, 2, 3)};
  return p;
}

} // namespace

TEST_F(Panels, aChangedValueMakesItsOwnCardAnewAndNoWindows) {
  open("keel-bracket.brief");
  auto* growth = chip("growth", "1.3");
  auto* length = chip("length", "2.5 mm");
  ASSERT_TRUE(growth && length);
  WindowCount windows;
  emit w->briefPanel()->valueChanged(ruleOf("size"), "length", "2.2 mm");
  EXPECT_EQ(chip("growth", "1.3"), growth);
  EXPECT_EQ(chip("length", "2.5 mm"), nullptr);
  ASSERT_NE(chip("length", "2.2 mm"), nullptr);
  settle();
  EXPECT_TRUE(chip("length", "2.2 mm")->isVisible());
  // A rule taken away: those behind it have other numbers and are made anew.
  emit w->briefPanel()->removed(ruleOf("size"));
  EXPECT_EQ(chip("length", "2.2 mm"), nullptr);
  EXPECT_EQ(chip("growth", "1.3"), growth);
  settle();
  EXPECT_EQ(windows.shown, 0); // a label shown before it has a parent flashes up as a window
}

TEST_F(Panels, keysStayOnTheChipTheyChange) {
  open("keel-bracket.brief");
  w->activateWindow();
  auto* c = chip("length", "2.5 mm");
  ASSERT_TRUE(c);
  c->setFocus();
  ASSERT_TRUE(waitFor([&] { return QApplication::focusWidget() == c; }, 3000));
  QTest::keyClick(c, Qt::Key_Up);
  auto* next = qobject_cast<QToolButton*>(QApplication::focusWidget());
  ASSERT_TRUE(next);
  EXPECT_EQ(next->property("key").toString(), "length");
  EXPECT_EQ(next->text(), "2.75 mm");
  QTest::keyClick(next, Qt::Key_Up);
  auto* third = qobject_cast<QToolButton*>(QApplication::focusWidget());
  ASSERT_TRUE(third);
  EXPECT_EQ(third->text(), "3.03 mm");
}

TEST_F(Panels, theTabKeyGoesDownTheColumnAfterAChange) {
  open("keel-bracket.brief");
  emit w->briefPanel()->valueChanged(ruleOf("everywhere"), "growth", "1.25");
  settle();
  std::vector<QToolButton*> inOrder; // by their places
  for (auto* c : w->briefPanel()->findChildren<QToolButton*>("chip"))
    if (c->isVisibleTo(w.get())) inOrder.push_back(c);
  auto place = [&](QToolButton* c) { return c->mapTo(w->briefPanel(), QPoint(0, 0)); };
  std::sort(inOrder.begin(), inOrder.end(), [&](QToolButton* x, QToolButton* y) {
    return std::pair(place(x).y() / 12, place(x).x()) < std::pair(place(y).y() / 12, place(y).x());
  });
  ASSERT_GT(inOrder.size(), 8u);
  QWidget* at = inOrder[0];
  for (std::size_t i = 1; i < inOrder.size(); ++i) {
    do at = at->nextInFocusChain();
    while (at != inOrder[0] && at->objectName() != "chip");
    EXPECT_EQ(at, inOrder[i]) << i << " " << inOrder[i]->text().toStdString();
  }
}

TEST_F(Panels, manyFindingsOfOneKindShareACard) {
  AuditPanel panel;
  std::vector<Problem> all;
  for (int i = 0; i < 5; ++i) all.push_back(finding(Severity::Warning, "part.overlap", "overlap " + std::to_string(i)));
  all.push_back(finding(Severity::Note, "note", "a note"));
  all.push_back(finding(Severity::Error, "bad", "an error"));
  all.push_back(finding(Severity::Error, "bad", "another error"));
  panel.setFindings(all);
  auto cards = panel.findChildren<FindingCard*>();
  ASSERT_EQ(cards.size(), 4);
  EXPECT_EQ(cards[0]->shown().what, "an error"); // what hinders comes first
  EXPECT_EQ(cards[2]->count(), 5u);
  EXPECT_EQ(cards[3]->shown().what, "a note");
  std::vector<std::string> flown;
  QObject::connect(&panel, &AuditPanel::showProblem, [&](const Problem& p) { flown.push_back(p.what); });
  cards[2]->next()->click();
  cards[2]->next()->click();
  EXPECT_EQ(flown, (std::vector<std::string>{"overlap 1", "overlap 2"}));
  // The same findings again leave the cards alone; others keep the place in the pile.
  panel.setFindings(all);
  EXPECT_EQ(panel.findChildren<FindingCard*>(), cards);
  all.pop_back();
  panel.setFindings(all);
  bool found = false;
  for (auto* c : panel.findChildren<FindingCard*>())
    if (c->count() == 5) {
      found = true;
      EXPECT_EQ(c->shown().what, "overlap 2");
    }
  EXPECT_TRUE(found);
  all.erase(all.begin() + 1, all.begin() + 4); // fewer than the place that was shown
  panel.setFindings(all);
  EXPECT_EQ(panel.findings().size(), 4u);
}

TEST_F(Panels, manyFindingsAreFilteredByWhatTheySay) {
  AuditPanel panel;
  panel.resize(300, 900);
  panel.show();
  panel.setFindings({finding(Severity::Note, "a", "a note")});
  EXPECT_FALSE(panel.findingFilter()->isVisible());
  std::vector<Problem> all;
  for (int i = 0; i < 8; ++i)
    all.push_back(finding(Severity::Warning, "kind" + std::to_string(i), i % 4 ? "a narrow face" : "a thin wall"));
  all[4].why = "the ribs are thin";
  panel.setFindings(all);
  EXPECT_TRUE(panel.findingFilter()->isVisible());
  auto shown = [&] {
    settle(); // new cards are shown by the layout when it gets to it
    QStringList r;
    for (auto* c : panel.findChildren<FindingCard*>())
      if (c->isVisible()) r << QString::fromStdString(c->shown().what);
    return r;
  };
  EXPECT_EQ(shown().size(), 8);
  QTest::keyClicks(panel.findingFilter(), "Wall thin");
  EXPECT_EQ(shown(), QStringList({"a thin wall", "a thin wall"})); // all words, in any order and case
  QTest::keyClicks(panel.findingFilter(), " ribs");
  EXPECT_EQ(shown().size(), 1);
  // What comes while words stand there is filtered as well; all findings are still there.
  all[0].todo = "stiffen the ribs";
  panel.setFindings(all);
  EXPECT_EQ(shown().size(), 2);
  EXPECT_EQ(panel.findings().size(), 8u);
  panel.findingFilter()->setText("no such words");
  EXPECT_TRUE(shown().isEmpty());
  // Few findings are all seen.
  panel.setFindings({finding(Severity::Note, "a", "a note")});
  EXPECT_EQ(shown(), QStringList({"a note"}));
  EXPECT_FALSE(panel.findingFilter()->isVisible());
}

TEST_F(Panels, manyCardsAreFilteredByTheirWords) {
  open("keel-bracket.brief");
  BriefPanel* column = w->briefPanel();
  ASSERT_LT(w->document().brief().rules.size(), 14u);
  EXPECT_FALSE(column->filter()->isVisible());
  const int group = ruleOf("group");
  ASSERT_GE(group, 0);
  for (int i = 0; i < 9; ++i) {
    emit column->duplicated(group);
    emit column->valueChanged(group + 1, "name", "hole " + std::to_string(i));
  }
  settle();
  ASSERT_TRUE(column->filter()->isVisible());
  auto shown = [&] {
    std::vector<int> r;
    for (int i = 0; i < static_cast<int>(w->document().brief().rules.size()); ++i)
      if (column->cardShown(i)) r.push_back(i);
    return r;
  };
  const std::size_t all = shown().size();
  EXPECT_EQ(all, w->document().brief().rules.size());
  QTest::keyClicks(column->filter(), "hole 7");
  ASSERT_EQ(shown().size(), 1u);
  const int seventh = shown()[0];
  EXPECT_EQ(w->document().brief().rules[static_cast<std::size_t>(seventh)].get("name"), "hole 7");
  // A head stands above what is left, and above nothing else.
  QStringList heads;
  for (auto* l : column->findChildren<QLabel*>("section"))
    if (l->isVisible()) heads << l->text();
  EXPECT_EQ(heads, QStringList({"GROUPS"}));
  // A card that is to be shown comes back with the others.
  column->reveal(seventh == 0 ? 1 : seventh - 1);
  EXPECT_TRUE(column->filter()->text().isEmpty());
  EXPECT_EQ(shown().size(), all);
}

TEST_F(Panels, nothingInTheColumnsReachesBeyondThem) {
  open("saddle-clamp.brief");
  // A limit that hardly any mesh meets, so that rows have all they can have.
  emit w->briefPanel()->ruleWanted("limit");
  const int rule = static_cast<int>(w->document().brief().rules.size()) - 1;
  ASSERT_EQ(w->document().brief().rules[static_cast<std::size_t>(rule)].kind, "limit");
  emit w->briefPanel()->valueChanged(rule, "metric", "scaled jacobian");
  emit w->briefPanel()->valueChanged(rule, "bound", "0.6");
  mesh();
  ASSERT_NE(w->currentRun(), nullptr);
  ASSERT_GT(w->currentRun()->audit.failingCells, 100u);
  for (QSize size : {QSize(1280, 800), QSize(1024, 700)}) {
    w->resize(size);
    settle();
    for (QWidget* column : {static_cast<QWidget*>(w->auditPanel()), static_cast<QWidget*>(w->briefPanel())}) {
      auto* scroll = column->findChild<QScrollArea*>();
      ASSERT_TRUE(scroll);
      EXPECT_LE(scroll->widget()->width(), scroll->viewport()->width());
    }
  }
}

TEST_F(Panels, whatFloatsOverTheViewStaysInsideAndApart) {
  open("keel-bracket.brief");
  mesh();
  auto* v = w->viewport();
  auto look = [&](const char* state) {
    settle();
    std::vector<QWidget*> bars;
    for (auto* b : v->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly))
      if (b->isVisible() && (b->objectName() == "floatbar" || b->objectName() == "floating")) bars.push_back(b);
    EXPECT_GE(bars.size(), 2u);
    for (auto* b : bars) {
      EXPECT_TRUE(v->rect().contains(b->geometry())) << state << " at " << w->width() << ": " << b->geometry().right();
      for (auto* other : bars)
        EXPECT_TRUE(other == b || !other->geometry().intersects(b->geometry())) << state << " at " << w->width();
      for (auto* child : b->findChildren<QWidget*>()) {
        if (!child->isVisible() || child->findChild<QWidget*>()) continue;
        const QRect at(child->mapTo(b, QPoint()), child->size());
        EXPECT_TRUE(b->rect().contains(at)) << state << " at " << w->width() << ": a word is cut";
        EXPECT_GE(child->width(), child->minimumSizeHint().width()) << state << " at " << w->width();
      }
    }
  };
  for (const QSize size : {QSize(1280, 800), QSize(1024, 700)}) {
    w->resize(size);
    look("plain");
    v->select(Dim::Face, {3, 4});
    bool measured = false;
    auto c = QObject::connect(w.get(), &MainWindow::measured, [&] { measured = true; });
    waitFor([&] { return measured; }, 3000);
    look("two faces");
    v->setSection(true);
    look("and a section");
    v->setSectionManner(SectionManner::WholeCells);
    look("and whole cells");
    v->setSectionManner(SectionManner::Cut);
    v->addSection();
    v->addSection();
    look("and three");
    w->setLens(static_cast<int>(Lens::Edges));
    look("and the lens of edges");
    w->setLens(static_cast<int>(Lens::Quality));
    auto* h = w->auditPanel()->histogram();
    h->brush(h->lowest(), h->highest());
    v->setNumbersShown(true);
    look("and a choice with numbers");
    v->setNumbersShown(false);
    h->brush(0, 0);
    w->setLens(static_cast<int>(Lens::Part));
    v->setSection(false);
    v->select(Dim::Face, {});
    QObject::disconnect(c);
  }
}

TEST_F(Panels, aChoiceOfVeryManyCellsIsDrawnInSteps) {
  open("keel-bracket.brief");
  mesh();
  auto* v = w->viewport();
  auto* h = w->auditPanel()->histogram();
  ASSERT_NE(w->currentRun(), nullptr);
  ASSERT_GT(w->currentRun()->mesh.cells.size(), 30000u);
  h->brush(h->lowest(), h->highest());
  EXPECT_EQ(v->brushedCount(), w->currentRun()->mesh.cells.size());
  EXPECT_LT(v->brushedDrawn(), v->brushedCount());
  EXPECT_TRUE(w->viewPane()->hint().contains("worst")) << w->viewPane()->hint().toStdString();
  const std::size_t first = v->brushedDrawn();
  std::set<std::size_t> steps;
  EXPECT_TRUE(waitFor(
      [&] {
        steps.insert(v->brushedDrawn());
        return v->brushedDrawn() == v->brushedCount();
      },
      10000));
  EXPECT_GT(steps.size(), 1u);
  EXPECT_EQ(*steps.begin(), first);
  EXPECT_FALSE(w->viewPane()->hint().contains("worst"));
  // A picture is whole at once.
  h->brush(h->lowest(), 0.99 * h->highest());
  EXPECT_LT(v->brushedDrawn(), v->brushedCount());
  v->picture();
  EXPECT_EQ(v->brushedDrawn(), v->brushedCount());
  h->brush(0, 0);
  EXPECT_EQ(v->brushedDrawn(), 0u);
}

TEST(Scene, linesOfThePartThatTheMeshRunsAcrossAreLeftOut) {
  const Part part = made("rounded 20 4"); // a block whose round edges join its sides smoothly
  auto smooth = [&](std::size_t e) { return joinAngle(part, static_cast<int>(e)) < 1e-4; };
  const RunResult followed = runWith(briefWith("2 mm", {}), part),
                  across = runWith(briefWith("2 mm", {rule("ignore", {{"angle", "5 deg"}})}), part);
  const auto all = followedEdges(part, followed.mesh), some = followedEdges(part, across.mesh);
  ASSERT_EQ(all.size(), part.edges.size());
  std::size_t left = 0;
  for (std::size_t e = 0; e < part.edges.size(); ++e) {
    EXPECT_TRUE(all[e]) << e;
    left += !some[e];
    if (!smooth(e)) {
      EXPECT_TRUE(some[e]) << e;
    }
  }
  EXPECT_GT(left, 8u);
  // A mesh that does not know the part, as one read from a file, hides nothing.
  Mesh bare = across.mesh;
  bare.nodeLink.clear();
  const auto none = followedEdges(part, bare);
  EXPECT_EQ(std::count(none.begin(), none.end(), 1), static_cast<std::ptrdiff_t>(part.edges.size()));
}

TEST(Scene, facesAndEdgesOfChosenCellsAreDrawnOnce) {
  const Part part = [] {
    auto p = loadPart(demo("saddle-clamp.step"));
    EXPECT_TRUE(p.ok());
    return *p;
  }();
  const Mesh m = meshOf(part, 6).mesh;
  const MeshLook look = lookAt(m);
  // Cells around the first one: some hold each other, some stand apart.
  std::vector<std::int32_t> chosen;
  for (std::int32_t c = 0; c < static_cast<std::int32_t>(m.cells.size()); c += 1 + c % 3) chosen.push_back(c);
  std::map<std::vector<std::int32_t>, int> faces;
  for (auto c : chosen) {
    const auto nodes = m.cells.of(static_cast<std::size_t>(c));
    for (int skip = 0; skip < 4; ++skip) {
      std::vector<std::int32_t> f;
      for (int k = 0; k < 4; ++k)
        if (k != skip) f.push_back(nodes[static_cast<std::size_t>(k)]);
      std::sort(f.begin(), f.end());
      ++faces[f];
    }
  }
  std::size_t outer = 0;
  std::set<std::pair<std::int32_t, std::int32_t>> edges;
  for (const auto& [f, times] : faces) {
    if (times > 1) continue;
    ++outer;
    edges.insert({f[0], f[1]});
    edges.insert({f[0], f[2]});
    edges.insert({f[1], f[2]});
  }
  const auto drawn = cellFaces(m, look, chosen, [](std::size_t) { return QColor(Qt::black); });
  EXPECT_EQ(static_cast<std::size_t>(drawn->GetNumberOfPolys()), outer);
  EXPECT_EQ(linesOf(drawn).size(), edges.size());
}

TEST(Scene, aConcavePolyhedronIsCutAlongItsTrueOutline) {
  // A comb of two teeth, one long: cut across it is one piece, or one for each tooth that is met.
  const std::vector<std::array<double, 2>> outline{{0, 0}, {5, 0}, {5, 4}, {4, 4}, {4, 1}, {1, 1}, {1, 2}, {0, 2}};
  const auto n = static_cast<std::int32_t>(outline.size());
  Mesh m;
  for (double z : {0.0, 2.0})
    for (const auto& p : outline) m.nodes.push_back({p[0], p[1], z});
  std::vector<std::vector<std::int32_t>> faces(2);
  for (std::int32_t i = 0; i < n; ++i) {
    faces[0].push_back(n - 1 - i);
    faces[1].push_back(n + i);
    faces.push_back({i, (i + 1) % n, n + (i + 1) % n, n + i});
  }
  m.cells.addPolyhedron(faces);
  auto cut = [&](const Vec3& at, const Vec3& normal) {
    const auto drawn = cutPolygons(m, {at, normal}, {0}, [](std::size_t) { return QColor(Qt::black); });
    double area = 0;
    auto ids = vtkSmartPointer<vtkIdList>::New();
    for (drawn->GetPolys()->InitTraversal(); drawn->GetPolys()->GetNextCell(ids);) {
      Vec3 sum = Vec3::Zero(), p[2], o;
      drawn->GetPoint(ids->GetId(0), o.data());
      for (vtkIdType k = 1; k + 1 < ids->GetNumberOfIds(); ++k) {
        drawn->GetPoint(ids->GetId(k), p[0].data());
        drawn->GetPoint(ids->GetId(k + 1), p[1].data());
        sum += (p[0] - o).cross(p[1] - o) / 2;
      }
      area += sum.norm(); // what lies outside the outline would be counted on top
    }
    return area;
  };
  EXPECT_NEAR(cut({0, 0, 1}, Vec3::UnitZ()), 9, 1e-6);     // the whole outline
  EXPECT_NEAR(cut({0, 1.5, 0}, Vec3::UnitY()), 4, 1e-6);   // both teeth, apart
  EXPECT_NEAR(cut({0, 0.5, 0}, Vec3::UnitY()), 10, 1e-6);  // the back
  EXPECT_NEAR(cut({0, 3, 0}, Vec3::UnitY()), 2, 1e-6);     // the long tooth
  EXPECT_NEAR(cut({0.5, 0, 0}, Vec3::UnitX()), 4, 1e-6);   // along the short tooth
  EXPECT_NEAR(cut({0, 0, 0.25}, -Vec3::UnitZ()), 9, 1e-6); // from the other side
}

TEST(Scene, linesOfASurfaceAreTheSidesOfItsElements) {
  const Part part = [] {
    auto p = loadPart(demo("saddle-clamp.step"));
    EXPECT_TRUE(p.ok());
    return *p;
  }();
  Mesh curved = meshOf(part, 6).mesh;
  Mesh straight = curved;
  ASSERT_FALSE(changeOrder(curved, 2));
  Mesh brick;
  for (int k = 0; k < 8; ++k) brick.nodes.push_back(Vec3((k & 3) % 3 != 0, (k & 3) > 1, k > 3));
  brick.cells.add(ElementType::Hex8, std::array<std::int32_t, 8>{0, 1, 2, 3, 4, 5, 6, 7});
  for (const auto& f : topology(ElementType::Hex8).face)
    brick.faces.add(ElementType::Quad4, std::array<std::int32_t, 4>{f[0], f[1], f[2], f[3]});
  for (const Mesh* m : {&straight, &curved, &brick}) {
    std::set<std::array<Vec3, 2>, Before> sides; // halves of curved ones
    for (std::size_t f = 0; f < m->faces.size(); ++f) {
      const auto n = m->faces.of(f);
      const auto corners = static_cast<std::size_t>(topology(m->faces.type[f]).corners);
      auto at = [&](std::size_t i) { return m->nodes[static_cast<std::size_t>(n[i])]; };
      for (std::size_t i = 0; i < corners; ++i) {
        const Vec3 a = at(i), b = at((i + 1) % corners);
        if (n.size() == corners) {
          sides.insert(sorted(a, b));
        } else {
          sides.insert(sorted(a, at(corners + i)));
          sides.insert(sorted(at(corners + i), b));
        }
      }
    }
    const auto drawn = meshSurface(*m, [](std::size_t) { return true; });
    const auto lines = linesOf(drawn.polygons);
    EXPECT_EQ(lines.size(), sides.size());
    for (const auto& l : lines)
      EXPECT_TRUE(std::any_of(sides.begin(), sides.end(),
                              [&](const auto& s) {
                                auto off = [&](std::size_t i) {
                                  return (s[0] - l[i]).norm() + (s[1] - l[1 - i]).norm();
                                };
                                return std::min(off(0), off(1)) < 1e-4; // drawn in single precision
                              }))
          << l[0].transpose() << " to " << l[1].transpose();
    EXPECT_EQ(drawn.face.size(), static_cast<std::size_t>(drawn.polygons->GetNumberOfPolys()));
    std::set<std::uint32_t> faces(drawn.face.begin(), drawn.face.end());
    EXPECT_EQ(faces.size(), m->faces.size());
  }
}

TEST(Scene, aFineSurfaceHasACoarseOneThatStandsIn) {
  // A cube of many small squares, each side with nodes of its own that know edges and corners.
  auto cube = [](int n) {
    Mesh m;
    for (int side = 0; side < 6; ++side) {
      const int axis = side / 2, u = (axis + 1) % 3, v = (axis + 2) % 3;
      const auto first = static_cast<std::int32_t>(m.nodes.size());
      for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= n; ++i) {
          Vec3 p = Vec3::Zero();
          p[axis] = side % 2;
          p[u] = i / static_cast<double>(n);
          p[v] = j / static_cast<double>(n);
          m.nodes.push_back(p);
          m.nodeLink.push_back({static_cast<std::int8_t>(2 - (i % n == 0) - (j % n == 0)), 0});
        }
      for (int j = 0; j < n; ++j)
        for (int i = 0; i < n; ++i) {
          const std::int32_t a = first + j * (n + 1) + i, b = a + 1, c = a + n + 2, d = a + n + 1;
          const std::array<std::int32_t, 4> out{a, b, c, d}, in{d, c, b, a};
          m.faces.add(ElementType::Quad4, side % 2 ? out : in);
          m.faceLink.push_back(side);
          m.faceRegions.push_back({0, -1});
        }
    }
    return m;
  };
  EXPECT_TRUE(lookAt(cube(20)).coarse.empty()) << "what is not fine needs none";
  const MeshLook look = lookAt(cube(80));
  const auto whole = coarseSurface(look, [](std::size_t) { return true; });
  EXPECT_LT(whole.face.size(), 38400u / 2);
  EXPECT_GT(whole.face.size(), 5000u);
  double area = 0;
  for (const auto& p : look.coarse) {
    const Vec3 n = 0.5 * (p.at[1] - p.at[0]).cross(p.at[2] - p.at[0]), mid = (p.at[0] + p.at[1] + p.at[2]) / 3;
    area += n.norm();
    EXPECT_GT(n.dot(mid - Vec3(0.5, 0.5, 0.5)), 0);
    EXPECT_NEAR((mid - Vec3(0.5, 0.5, 0.5)).cwiseAbs().maxCoeff(), 0.5, 1e-9);
  }
  EXPECT_NEAR(area, 6, 0.4);
  const auto one = coarseSurface(look, [](std::size_t f) { return f < 6400; });
  EXPECT_GT(one.face.size(), 800u);
  EXPECT_LT(one.face.size(), whole.face.size() / 5);
}

TEST_F(Panels, aTaskOverItsMemoryIsTold) {
  open("saddle-clamp.brief");
  Problem told;
  QObject::connect(w.get(), &MainWindow::taskFailed, [&](const Problem& p) { told = p; });
  MeshWorker::allow(0, 5000000); // less than the program itself takes
  QTest::mouseClick(w->runsBar()->meshButton(), Qt::LeftButton);
  EXPECT_TRUE(waitFor([&] { return !told.code.empty(); }, 30000));
  MeshWorker::allow(0, 0);
  EXPECT_EQ(told.code, "memory");
  EXPECT_EQ(w->currentRun(), nullptr);
  mesh(); // nothing else is lost
  EXPECT_NE(w->currentRun(), nullptr);
}

TEST_F(Panels, coresAndMemoryAreKept) {
  {
    MachineDialog d;
    d.cores()->setValue(1);
    d.gigabytes()->setValue(2.5);
    d.accept();
  }
  EXPECT_EQ(MeshWorker::allowedThreads(), 1);
  EXPECT_EQ(MeshWorker::allowedMemory(), 2500000000u);
  MeshWorker::allow(0, 0);
  MachineDialog::restore(); // as the next start of the program does
  EXPECT_EQ(MeshWorker::allowedThreads(), 1);
  open("saddle-clamp.brief");
  mesh();
  ASSERT_NE(w->currentRun(), nullptr);
  EXPECT_EQ(w->currentRun()->threads, 1);
  MachineDialog d;
  EXPECT_EQ(d.gigabytes()->value(), 2.5);
  d.cores()->setValue(0);
  d.gigabytes()->setValue(0);
  EXPECT_TRUE(d.gigabytes()->text().contains("free"));
  d.accept();
  EXPECT_EQ(MeshWorker::allowedMemory(), 0u);
}

TEST(RunsBars, whatIsLeftCountsFromWhereStagesBeganAgain) {
  RunsBar bar;
  bar.setProgress("Filling", 0.5, 10);
  EXPECT_TRUE(bar.stage().contains("about 10 s left")) << bar.stage().toStdString();
  bar.setProgress("Improving", 0.9, 18);
  EXPECT_TRUE(bar.stage().contains("about 2 s left")) << bar.stage().toStdString();
  bar.setProgress("Finer at flat elements: Surface", 0.05, 20); // not 380
  EXPECT_FALSE(bar.stage().contains("left")) << bar.stage().toStdString();
  bar.setProgress("Finer at flat elements: Filling", 0.5, 30);
  EXPECT_TRUE(bar.stage().contains("30.0 s · about 10 s left")) << bar.stage().toStdString();
  bar.setProgress("Reading", 0.5, 4); // another task
  EXPECT_TRUE(bar.stage().contains("about 4 s left")) << bar.stage().toStdString();
}

TEST(QualityScales, nothingFailsWithoutALimitAndEverythingBeyondOneDoes) {
  Audit a;
  auto& values = a.metrics[static_cast<std::size_t>(Metric::MinDihedral)];
  values.value = {20, 40, 60};
  values.min = 20;
  values.max = 60;
  const QualityScale free(a, Metric::MinDihedral);
  EXPECT_EQ(free.limit(), nullptr);
  EXPECT_DOUBLE_EQ(free.badness(60), 0);
  EXPECT_DOUBLE_EQ(free.badness(20), 0.5); // the worst there is, and yet no failure
  EXPECT_DOUBLE_EQ(free.worstBadness(), 0.5);

  a.limits.limits = {{Metric::MinDihedral, true, 30, "here"}};
  const QualityScale limited(a, Metric::MinDihedral);
  EXPECT_DOUBLE_EQ(limited.badness(45), 0.5);
  EXPECT_DOUBLE_EQ(limited.badness(30), QualityScale::kNearlyFailing); // at the limit: it passes
  EXPECT_DOUBLE_EQ(limited.badness(20), 1);

  a.limits.limits = {{Metric::MinDihedral, true, 70, "here"}}; // beyond the whole mesh
  EXPECT_DOUBLE_EQ(QualityScale(a, Metric::MinDihedral).badness(60), 1);

  // The second cell is judged by its group's limit, the others by the general one.
  a.limits.limits = {{Metric::MinDihedral, true, 50, "here", "cover", {0, 1, 0}},
                     {Metric::MinDihedral, true, 10, "here", "", {1, 0, 1}}};
  const QualityScale both(a, Metric::MinDihedral);
  EXPECT_DOUBLE_EQ(both.worst(), 10);
  EXPECT_DOUBLE_EQ(both.badness(std::size_t{1}, 40), 1);
  EXPECT_DOUBLE_EQ(both.badness(std::size_t{0}, 35), 0.5);

  // Bounded from both sides: the scale is that of the usual one, and beyond either all fails.
  a.limits.limits = {{Metric::MinDihedral, false, 55, "here"}, {Metric::MinDihedral, true, 20, "here"}};
  const QualityScale sides(a, Metric::MinDihedral);
  EXPECT_DOUBLE_EQ(sides.worst(), 20);
  EXPECT_DOUBLE_EQ(sides.badness(40), 0.5);
  EXPECT_DOUBLE_EQ(sides.badness(58), 1);
  EXPECT_DOUBLE_EQ(sides.badness(std::size_t{2}, 60), 1);
  EXPECT_DOUBLE_EQ(sides.badness(std::size_t{1}, 40), 0.5);
}

TEST_F(Panels, whileMeshingTheWindowGoesFirst) {
  open("camera-housing.brief");
  if (getpriority(PRIO_PROCESS, 0) >= 4) GTEST_SKIP() << "nothing is put behind a program that is itself";
  ASSERT_TRUE(waitFor([&] { return w->forecast().has_value(); }));
  const auto before = threadsBehind();
  bool done = false;
  QObject::connect(w.get(), &MainWindow::runFinished, [&] { done = true; });
  QTest::mouseClick(w->runsBar()->meshButton(), Qt::LeftButton);
  bool behind = false;
  waitFor([&] {
    for (const auto& t : threadsBehind()) behind = behind || !before.count(t);
    return behind || done;
  });
  EXPECT_TRUE(behind);
  EXPECT_FALSE(done);
  ASSERT_TRUE(waitFor([&] { return done; }));
}
