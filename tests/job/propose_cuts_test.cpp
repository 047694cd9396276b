// SPDX-License-Identifier: GPL-3.0-or-later
// Cuts that the program proposes, what becomes of them when the part changes, and the sample made of them.
#include "job/cuts.h"
#include "job/fills.h"
#include "job/open_part.h"
#include "job/propose_cuts.h"
#include "support/briefs.h"
#include "support/fixtures.h"
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepTools.hxx>

using namespace tess;
using namespace tess::test;

namespace {

struct Bracket {
  double thick = 14, hole = 60; ///< of the upright plate; place of the hole in the base
  bool step = false;            ///< a block on the base
};

/// A base with a hole down and an upright plate with a hole across.
std::shared_ptr<const Part> bracket(const TempFolder& dir, const Bracket& b) {
  auto box = [](double x, double y, double z, double a, double c, double h) {
    return BRepPrimAPI_MakeBox(gp_Pnt(x, y, z), a, c, h).Shape();
  };
  TopoDS_Shape s = BRepAlgoAPI_Fuse(box(0, 0, 0, 90, 50, 12), box(0, 0, 0, b.thick, 50, 55)).Shape();
  if (b.step) s = BRepAlgoAPI_Fuse(s, box(70, 0, 0, 20, 50, 20)).Shape();
  s = BRepAlgoAPI_Cut(s, BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(-1, 25, 35), gp_Dir(1, 0, 0)), 9, 60).Shape()).Shape();
  s = BRepAlgoAPI_Cut(s, BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(b.hole, 25, -1), gp_Dir(0, 0, 1)), 4, 14).Shape())
          .Shape();
  const std::string path = dir / "bracket.brep";
  BRepTools::Write(s, path.c_str());
  auto part = loadPart(path);
  EXPECT_TRUE(part.ok());
  return std::make_shared<const Part>(std::move(*part));
}
CutProposal proposed(const Brief& brief, std::shared_ptr<const Part> part, const CutSearch& search = {}) {
  Progress progress;
  auto r = proposeCuts(brief, std::move(part), progress, search);
  EXPECT_TRUE(r.ok()) << (r.ok() ? "" : r.problem().sentence());
  return std::move(*r);
}
std::size_t unfit(const Brief& brief, const Part& part) {
  std::vector<Problem> problems;
  const auto groups = resolveGroups(brief, part, problems);
  const MeshPlan plan = planOfBrief(brief, part, groups, problems);
  return static_cast<std::size_t>(std::count_if(plan.bodies.begin(), plan.bodies.end(),
                                                [](const BodyPlan& b) { return b.fill == Fill::Tetrahedra; }));
}

} // namespace

TEST(ProposedCuts, makeHexahedraOfABracket) {
  TempFolder dir;
  const auto part = bracket(dir, {});
  Brief brief = briefWith("5 mm", {});
  const CutProposal found = proposed(brief, part);
  EXPECT_EQ(found.before, 0);
  EXPECT_EQ(found.after, 1);
  EXPECT_EQ(found.rules.size(), 1u);
  EXPECT_TRUE(found.hinders.empty());
  EXPECT_FALSE(found.outOfTime);
  EXPECT_EQ(proposed(brief, part).rules, found.rules);
  const Brief with = withProposal(brief, found);
  const RunResult run = runWith(with, *found.part);
  for (const auto t : run.mesh.cells.type) EXPECT_EQ(t, ElementType::Hex8);
  EXPECT_TRUE(run.audit.soundness.sound()) << run.audit.sentence;
  // With those cuts nothing more is to be found.
  const CutProposal again = proposed(with, part);
  EXPECT_TRUE(again.rules.empty());
  EXPECT_EQ(again.before, 1);
  EXPECT_NE(proposalSentence(again).find("no cut is needed"), std::string::npos);
}

TEST(ProposedCuts, sayWhatHindersAndKeepToTheirLimits) {
  const auto ball = std::make_shared<const Part>(made("rounded 10 2"));
  const CutProposal none = proposed(briefWith("2 mm", {}), ball, {12, 10, 30});
  EXPECT_TRUE(none.rules.empty());
  ASSERT_EQ(none.hinders.size(), 1u);
  EXPECT_FALSE(none.hinders[0].why.empty());
  EXPECT_FALSE(none.hinders[0].places.empty());
  EXPECT_LE(none.tried, 10);
  TempFolder dir;
  const CutProposal late = proposed(briefWith("5 mm", {}), bracket(dir, {}), {12, 400, 0});
  EXPECT_TRUE(late.outOfTime);
  EXPECT_TRUE(late.rules.empty());
  Progress stopped;
  stopped.stop();
  EXPECT_THROW((void)proposeCuts(briefWith("5 mm", {}), bracket(dir, {}), stopped), Cancelled);
}

TEST(ProposedCuts, holdWhenThePartChangesOrSayWhatTheyLost) {
  TempFolder dir;
  const Brief brief = briefWith(
      "5 mm", {rule("group", {{"name", "hole"}, {"of", "faces"}, {"surface", "cylinder"}, {"radius_max", "5 mm"}})});
  const Brief with = withProposal(brief, proposed(brief, bracket(dir, {})));
  auto now = [&](const Bracket& b) {
    auto part = withCuts(bracket(dir, b), *loadOptionsOf(with));
    EXPECT_TRUE(part.ok());
    return std::move(*part);
  };
  // A hole that moves, a plate that gets thicker or thinner: still hexahedra, and the group is what it was.
  for (const Bracket& b : {Bracket{14, 60}, Bracket{14, 72}, Bracket{20, 60}, Bracket{8, 50}}) {
    const Part part = now(b);
    EXPECT_EQ(part.bodies.size(), 2u);
    EXPECT_EQ(unfit(with, part), 0u);
    std::vector<Problem> problems;
    const auto groups = resolveGroups(with, part, problems);
    EXPECT_EQ(groups[0].entities.size(), 1u);
    EXPECT_TRUE(problems.empty());
  }
  // A step that is added: what the cuts leave goes on fitting, or the body says why not and what to do.
  const Part stepped = now({14, 50, true});
  std::vector<Problem> problems;
  const auto groups = resolveGroups(with, stepped, problems);
  const MeshPlan plan = planOfBrief(with, stepped, groups, problems);
  for (std::size_t b = 0; b < plan.bodies.size(); ++b) {
    if (plan.bodies[b].fill != Fill::Tetrahedra) continue;
    EXPECT_FALSE(plan.bodies[b].why.empty());
  }
  const CutProposal more = proposed(with, bracket(dir, {14, 50, true}));
  EXPECT_EQ(more.after, 1);
}

TEST(ProposedCuts, theKeelBracketIsHexahedraByItsOwnCuts) {
  auto brief = loadBrief(demo("keel-bracket-hexahedra.brief"));
  ASSERT_TRUE(brief.ok());
  auto opened = openPart(brief->partPath(), *loadOptionsOf(*brief));
  ASSERT_TRUE(opened.ok());
  EXPECT_EQ(bodiesText(opened->part), "1 body in 21 pieces");
  const RunResult run = runWith(*brief, opened->part);
  for (const auto t : run.mesh.cells.type) EXPECT_EQ(t, ElementType::Hex8);
  EXPECT_TRUE(run.audit.soundness.sound()) << run.audit.sentence;
  EXPECT_TRUE(run.audit.pass) << run.audit.sentence;
  EXPECT_GT(run.audit.metrics[static_cast<std::size_t>(Metric::ScaledJacobian)].min, 0.2);
  for (const auto& g : run.groups) EXPECT_FALSE(g.entities.empty()) << g.name;
}
