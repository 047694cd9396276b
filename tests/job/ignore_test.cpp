// SPDX-License-Identifier: GPL-3.0-or-later
#include "geometry/joined.h"
#include "support/briefs.h"
#include <cmath>
#include <map>

using namespace tess;
using namespace tess::test;

namespace {

int edgeNodes(const Mesh& m) {
  int n = 0;
  for (const auto& l : m.nodeLink) n += l.dim == static_cast<int>(Dim::Edge);
  return n;
}
} // namespace

TEST(JoinedPart, SmoothJoinsDisappearAndEverythingElseStays) {
  const Part part = made("rounded 20 3");
  ASSERT_EQ(part.faces.size(), 26u);
  std::vector<char> ignore(part.edges.size(), 0);
  for (std::size_t e = 0; e < ignore.size(); ++e) ignore[e] = joinAngle(part, static_cast<int>(e)) < 1e-4;
  const JoinedPart joined(part, ignore);
  EXPECT_EQ(joined.part().faces.size(), 1u);
  EXPECT_EQ(joined.part().edges.size(), 0u);
  EXPECT_NEAR(joined.part().surfaceArea(), part.surfaceArea(), 1e-9 * part.surfaceArea());
  // Points of the true surface stay where they are, and belong to the face that they came from.
  for (std::size_t f = 0; f < part.faces.size(); ++f) {
    const Vec3 p = part.shape->projectToFace(static_cast<int>(f), part.faces[f].center).point;
    EXPECT_LT((joined.part().shape->projectToFace(0, p).point - p).norm(), 1e-9);
    EXPECT_EQ(joined.originalFace(0, p), static_cast<int>(f));
  }
}

TEST(JoinedPart, SharpEdgesAndEdgesBetweenBodiesAreFollowed) {
  const Part box = made("box 3 2 1");
  for (int e = 0; e < box.count(Dim::Edge); ++e) EXPECT_NEAR(joinAngle(box, e), kPi / 2, 1e-9);
  // Rims of the common face of two touching bodies have three faces.
  const Part row = made("boxes 2");
  const JoinedPart joined(row, std::vector<char>(row.edges.size(), 1));
  for (const auto& e : row.edges)
    if (e.faces.size() > 2) {
      EXPECT_GE(joined.edgeOf(static_cast<int>(&e - row.edges.data())), 0);
    }
}

TEST(IgnoreRule, PickedEdgesAloneAreIgnored) {
  const Part part = made("rounded 20 3");
  // Two smooth joins of a flat side and the round edges beside it.
  int first = -1, second = -1;
  for (int e = 0; e < part.count(Dim::Edge) && second < 0; ++e)
    if (joinAngle(part, e) < 1e-4) (first < 0 ? first : second) = e;
  ASSERT_GE(second, 0);
  const Rule picked = describeSelection(part, Dim::Edge, {first, second}, "picked");
  const Brief b = briefWith("5 mm", {picked, rule("ignore", {{"angle", "5 deg"}, {"inside", "picked"}})});
  std::vector<Problem> problems;
  const auto groups = resolveGroups(b, part, problems);
  const SizeRequest request = sizeRequestOf(b, part, groups, problems);
  for (int e = 0; e < part.count(Dim::Edge); ++e)
    EXPECT_EQ(request.overall.bridging.ignores(e), e == first || e == second) << e;
  EXPECT_FALSE(problemOf(problems, "ignore.none"));
  // A group of edges that no such rule names is followed, whatever the angle.
  const Brief other = briefWith("5 mm", {picked, rule("ignore", {{"angle", "5 deg"}})});
  const SizeRequest all = sizeRequestOf(other, part, resolveGroups(other, part, problems), problems);
  EXPECT_FALSE(all.overall.bridging.ignores(first));
}

TEST(IgnoreRule, MeshNeedNotFollowSmoothJoins) {
  const Part part = made("rounded 20 1");
  const RunResult followed = runWith(briefWith("4 mm", {}), part);
  const RunResult ignored = runWith(briefWith("4 mm", {rule("ignore", {{"angle", "5 deg"}})}), part);
  EXPECT_GT(edgeNodes(followed.mesh), 50);
  EXPECT_EQ(edgeNodes(ignored.mesh), 0);
  ASSERT_NE(problemOf(ignored.problems, "faces.joined"), nullptr);
  EXPECT_NE(problemOf(ignored.problems, "faces.joined")->what.find("26 faces count as 1"), std::string::npos);
  // The surface is still the true one: links name the part's own faces, every one of them, and nodes lie on them.
  std::map<int, double> area;
  for (std::size_t f = 0; f < ignored.mesh.faces.size(); ++f)
    area[ignored.mesh.faceLink[f]] += faceArea(ignored.mesh, f);
  for (int f = 0; f < part.count(Dim::Face); ++f)
    if (part.faces[static_cast<std::size_t>(f)].kind == SurfaceKind::Plane) {
      EXPECT_NEAR(area[f], part.faces[static_cast<std::size_t>(f)].area,
                  0.15 * part.faces[static_cast<std::size_t>(f)].area);
    }
  for (std::size_t v = 0; v < ignored.mesh.nodes.size(); ++v)
    if (const auto& l = ignored.mesh.nodeLink[v]; l.dim == static_cast<int>(Dim::Face)) {
      EXPECT_LT((part.shape->projectToFace(l.entity, ignored.mesh.nodes[v]).point - ignored.mesh.nodes[v]).norm(),
                1e-6);
    }
  EXPECT_NEAR(meshVolume(ignored.mesh), part.volume(), 0.02 * part.volume());
  EXPECT_EQ(ignored.audit.soundness.openEdges, 0u);
}

TEST(IgnoreRule, EdgesOfGroupsAndBetweenGroupsAreFollowed) {
  const Part part = made("rounded 20 3");
  // The top with its rim: four edges lead out of the group.
  Rule top = rule("group", {{"name", "top"}, {"of", "faces"}, {"outermost", "0, 0, 1"}});
  const RunResult r = runWith(briefWith("2 mm", {top, rule("ignore", {{"angle", "5 deg"}})}), part);
  ASSERT_EQ(r.mesh.groups.size(), 1u);
  double area = 0;
  for (auto f : r.mesh.groups[0].items) area += faceArea(r.mesh, static_cast<std::size_t>(f));
  EXPECT_NEAR(area, 14 * 14, 1e-6);
  EXPECT_GE(edgeNodes(r.mesh), 4 * 5);
  const Problem* joined = problemOf(r.problems, "faces.joined");
  ASSERT_NE(joined, nullptr);
  EXPECT_NE(joined->what.find("count as 2"), std::string::npos) << joined->what;
}

TEST(IgnoreRule, AnyEdgeCanBeIgnoredAndTheDeviationIsTold) {
  // Even the rims of a cylinder go: chords lie across its corners.
  const Part part = made("cylinder 5 10");
  const RunResult r =
      runWith(briefWith("2 mm", {rule("ignore", {{"angle", "180 deg"}, {"inside", "everywhere"}})}), part);
  EXPECT_EQ(edgeNodes(r.mesh), 0);
  EXPECT_GT(meshVolume(r.mesh), 0.8 * part.volume());
  EXPECT_LT(meshVolume(r.mesh), part.volume());
  EXPECT_EQ(r.audit.soundness.openEdges, 0u);
  ASSERT_NE(problemOf(r.problems, "faces.joined"), nullptr);
  EXPECT_NE(problemOf(r.problems, "faces.joined")->why.find("deviates by at most"), std::string::npos);
}

TEST(IgnoreRule, CurvedElementsLieOnTheTrueSurface) {
  const Part part = made("rounded 20 4");
  Brief b = briefWith("4 mm", {rule("ignore", {{"angle", "5 deg"}})});
  for (auto& r : b.rules)
    if (r.kind == "fill") r.values["order"] = "2";
  const RunResult r = runWith(b, part);
  ASSERT_EQ(r.mesh.cells.type[0], ElementType::Tet10);
  EXPECT_NEAR(meshVolume(r.mesh), part.volume(), 2e-3 * part.volume());
  EXPECT_EQ(r.audit.soundness.inverted, 0u);
}

TEST(IgnoreRule, RuleThatFindsNothingSaysSo) {
  const Part part = made("box 3 2 1");
  std::vector<Problem> problems;
  const Brief b = briefWith("1 mm", {rule("ignore", {{"angle", "5 deg"}})});
  const auto groups = resolveGroups(b, part, problems);
  const SizeField f = briefSizeField(b, part, groups, problems);
  EXPECT_NE(problemOf(problems, "ignore.none"), nullptr);
  EXPECT_TRUE(std::none_of(f.bridging.ignoreEdge.begin(), f.bridging.ignoreEdge.end(), [](char c) { return c; }));
}
