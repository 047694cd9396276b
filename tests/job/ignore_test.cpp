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

/// All edges that join their faces smoothly, or all points, as a vector to ignore.
std::vector<char> smoothEdges(const Part& part) {
  std::vector<char> r;
  for (int e = 0; e < part.count(Dim::Edge); ++e) r.push_back(joinAngle(part, e) < 1e-4);
  return r;
}
std::vector<char> allPoints(const Part& part) { return std::vector<char>(part.points.size(), 1); }

/// Along an edge: places follow each other without jumps, and each is found again by its place.
void expectOneLine(const Part& part, int edge) {
  const PartEdge& e = part.edges[static_cast<std::size_t>(edge)];
  constexpr int steps = 400;
  Vec3 before = part.shape->edgePoint(edge, e.t0);
  double length = 0;
  for (int k = 1; k <= steps; ++k) {
    const double t = e.t0 + (e.t1 - e.t0) * k / steps;
    const Vec3 p = part.shape->edgePoint(edge, t);
    length += (p - before).norm();
    EXPECT_LT((p - before).norm(), 2 * e.length / steps) << edge << " at " << t;
    before = p;
    const EdgeProjection q = part.shape->projectToEdge(edge, p);
    EXPECT_LT((q.point - p).norm(), 1e-9);
    if (k < steps) { // the ends of a ring are one place
      EXPECT_NEAR(q.t, t, 1e-6 * (e.t1 - e.t0));
    }
  }
  EXPECT_NEAR(length, e.length, 1e-3 * e.length);
  const auto& chain = part.display.edgeChain[static_cast<std::size_t>(edge)];
  const auto& at = part.display.edgeParam[static_cast<std::size_t>(edge)];
  ASSERT_EQ(chain.size(), at.size());
  EXPECT_TRUE(std::is_sorted(at.begin(), at.end()));
  EXPECT_NEAR(at.front(), e.t0, 1e-9);
  EXPECT_NEAR(at.back(), e.t1, 1e-9);
  for (std::size_t k = 0; k < chain.size(); ++k)
    EXPECT_LT((part.display.points[static_cast<std::size_t>(chain[k])] - part.shape->edgePoint(edge, at[k])).norm(),
              1e-6);
}
} // namespace

TEST(JoinedPart, EdgesOnTheTwoSidesOfAnIgnoredPointAreOneLine) {
  const Part part = made("joined 0.3");
  ASSERT_EQ(part.faces.size(), 10u);
  ASSERT_EQ(part.edges.size(), 20u);
  const JoinedPart edgesOnly(part, smoothEdges(part));
  EXPECT_EQ(edgesOnly.part().faces.size(), 6u);
  EXPECT_EQ(edgesOnly.part().edges.size(), 16u);
  EXPECT_EQ(edgesOnly.ignoredPoints(), 0);
  const JoinedPart joined(part, smoothEdges(part), allPoints(part));
  EXPECT_EQ(joined.part().edges.size(), 12u); // corners have three edges, so they are followed
  EXPECT_EQ(joined.ignoredPoints(), 4);
  EXPECT_EQ(joined.ignoredEdges(), 4);
  double all = 0;
  for (int e = 0; e < joined.part().count(Dim::Edge); ++e) {
    all += joined.part().edges[static_cast<std::size_t>(e)].length;
    expectOneLine(joined.part(), e);
    EXPECT_NE(joined.part().edges[static_cast<std::size_t>(e)].points[0],
              joined.part().edges[static_cast<std::size_t>(e)].points[1]);
  }
  EXPECT_NEAR(all, 4 * (20 + 10 + 5), 1e-9);
  // Places on a joined edge belong to the edge that they came from.
  for (int e = 0; e < part.count(Dim::Edge); ++e)
    if (const int own = joined.edgeOf(e); own >= 0) {
      const PartEdge& was = part.edges[static_cast<std::size_t>(e)];
      EXPECT_EQ(joined.originalEdge(own, part.shape->edgePoint(e, 0.5 * (was.t0 + was.t1))), e);
    }
}

TEST(JoinedPart, RingKeepsOneOfItsPoints) {
  const Part part = made("halves 10 4");
  const JoinedPart joined(part, smoothEdges(part), allPoints(part));
  EXPECT_EQ(joined.part().faces.size(), 3u);
  ASSERT_EQ(joined.part().edges.size(), 2u);
  for (int e = 0; e < 2; ++e) {
    EXPECT_EQ(joined.part().edges[static_cast<std::size_t>(e)].points[0],
              joined.part().edges[static_cast<std::size_t>(e)].points[1]);
    EXPECT_NEAR(joined.part().edges[static_cast<std::size_t>(e)].length, 2 * kPi * 10, 1e-9);
    EXPECT_NEAR(joined.part().shape->edgeCurvature(e, 20), 0.1, 1e-9);
    expectOneLine(joined.part(), e);
  }
}

TEST(JoinedPart, TurnAtAPoint) {
  const Part part = made("joined 3");
  std::map<int, std::vector<int>> at;
  for (int e = 0; e < part.count(Dim::Edge); ++e)
    for (int p : part.edges[static_cast<std::size_t>(e)].points) at[p].push_back(e);
  int straight = 0, corners = 0;
  for (const auto& [p, edges] : at)
    for (std::size_t i = 0; i < edges.size(); ++i)
      for (std::size_t k = 0; k < i; ++k) {
        const double turn = turnAt(part, p, edges[i], edges[k]);
        EXPECT_NEAR(turn, turnAt(part, p, edges[k], edges[i]), 1e-9);
        if (turn < 1e-6)
          ++straight;
        else {
          EXPECT_NEAR(turn, kPi / 2, 1e-6);
          ++corners;
        }
      }
  EXPECT_EQ(straight, 4);            // where the lines round the block meet its long edges
  EXPECT_EQ(corners, 4 * 5 + 8 * 3); // four such points with six pairs each, one straight; eight corners
  const Part round = made("halves 10 4");
  for (int e = 0; e < round.count(Dim::Edge); ++e)
    for (int k = 0; k < e; ++k) {
      const auto &a = round.edges[static_cast<std::size_t>(e)], &b = round.edges[static_cast<std::size_t>(k)];
      if (a.length > 20 && b.length > 20 && a.points[0] == b.points[1] && a.points[1] == b.points[0]) {
        EXPECT_NEAR(turnAt(round, a.points[0], e, k), 0, 1e-5); // arcs of one circle
      }
    }
}

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

TEST(IgnoreRule, MeshNeedNotHaveNodesAtIgnoredPoints) {
  const Part part = made("joined 0.3");
  const Rule edges = rule("ignore", {{"angle", "5 deg"}});
  const Rule points = rule("ignore", {{"what", "points"}, {"angle", "5 deg"}});
  const RunResult followed = runWith(briefWith("4 mm", {edges}), part);
  const RunResult ignored = runWith(briefWith("4 mm", {edges, points}), part);
  auto nodesAtPoints = [](const Mesh& m) {
    return std::count_if(m.nodeLink.begin(), m.nodeLink.end(), [](const auto& l) { return l.dim == 0; });
  };
  EXPECT_EQ(nodesAtPoints(followed.mesh), 12);
  EXPECT_EQ(nodesAtPoints(ignored.mesh), 8);
  // Nor do edges ask for small elements that are no edges of their own any more.
  EXPECT_LT(4 * ignored.mesh.cells.size(), followed.mesh.cells.size());
  EXPECT_NEAR(meshVolume(ignored.mesh), part.volume(), 1e-9 * part.volume());
  EXPECT_EQ(ignored.audit.soundness.openEdges, 0u);
  const Problem* told = problemOf(ignored.problems, "faces.joined");
  ASSERT_NE(told, nullptr);
  EXPECT_NE(told->what.find("4 points are not followed: 16 edges count as 12"), std::string::npos) << told->what;
  EXPECT_EQ(told->places.size(), 8u); // four edges, four points
  // Nodes lie on the part's own edges.
  for (std::size_t v = 0; v < ignored.mesh.nodes.size(); ++v)
    if (const auto& l = ignored.mesh.nodeLink[v]; l.dim == static_cast<int>(Dim::Edge)) {
      EXPECT_LT((part.shape->projectToEdge(l.entity, ignored.mesh.nodes[v]).point - ignored.mesh.nodes[v]).norm(),
                1e-9);
    }
}

TEST(IgnoreRule, CurvedElementsOverIgnoredPointsLieOnTheTrueSurface) {
  const Part part = made("halves 10 4");
  Brief b = briefWith("5 mm", {rule("ignore", {}), rule("ignore", {{"what", "points"}})});
  for (auto& r : b.rules)
    if (r.kind == "fill") r.values["order"] = "2";
  const RunResult r = runWith(b, part);
  EXPECT_NEAR(meshVolume(r.mesh), part.volume(), 2e-4 * part.volume());
  EXPECT_EQ(r.audit.soundness.inverted, 0u);
  for (std::size_t v = 0; v < r.mesh.nodes.size(); ++v)
    if (r.mesh.nodeLink[v].dim == static_cast<int>(Dim::Edge)) {
      EXPECT_NEAR(r.mesh.nodes[v].head<2>().norm(), 10, 1e-9);
    }
}

TEST(IgnoreRule, PointsOfGroupsAndNextToRulesAreFollowed) {
  const Part part = made("joined 3");
  const Rule edges = rule("ignore", {{"angle", "5 deg"}}), points = rule("ignore", {{"what", "points"}});
  auto ignored = [&](std::vector<Rule> more) {
    std::vector<Problem> problems;
    more.insert(more.end(), {edges, points});
    const Brief b = briefWith("4 mm", more);
    const auto off = sizeRequestOf(b, part, resolveGroups(b, part, problems), problems).overall.bridging.ignorePoint;
    std::vector<int> r;
    for (std::size_t p = 0; p < off.size(); ++p)
      if (off[p]) r.push_back(static_cast<int>(p));
    return r;
  };
  const auto all = ignored({});
  ASSERT_EQ(all.size(), 4u);
  for (int p : all) EXPECT_NEAR(part.points[static_cast<std::size_t>(p)].at.x(), 17, 1e-9);
  // A point of a group, a point between an edge of a group and one that is not, one beside a divided edge.
  const Rule named = describeSelection(part, Dim::Point, {all[0]}, "mark");
  EXPECT_EQ(ignored({named}), (std::vector<int>{all[1], all[2], all[3]}));
  // A point in the middle of what is joined keeps its edges.
  const Part ball = made("rounded 20 3");
  const Brief onBall = briefWith("4 mm", {describeSelection(ball, Dim::Point, {0}, "mark"), edges});
  std::vector<Problem> unheard;
  const auto off =
      sizeRequestOf(onBall, ball, resolveGroups(onBall, ball, unheard), unheard).overall.bridging.ignoreEdge;
  for (int e = 0; e < ball.count(Dim::Edge); ++e) {
    const auto& ends = ball.edges[static_cast<std::size_t>(e)].points;
    EXPECT_EQ(off[static_cast<std::size_t>(e)] == 0, ends[0] == 0 || ends[1] == 0) << e;
  }
  int side = -1; // a short edge along x at one of the points
  for (int e = 0; e < part.count(Dim::Edge); ++e) {
    const auto& edge = part.edges[static_cast<std::size_t>(e)];
    if (std::abs(edge.length - 3) < 1e-9 && (edge.points[0] == all[1] || edge.points[1] == all[1])) side = e;
  }
  ASSERT_GE(side, 0);
  const Rule line = describeSelection(part, Dim::Edge, {side}, "line");
  EXPECT_EQ(ignored({line}), (std::vector<int>{all[0], all[2], all[3]}));
  // Both edges in the same group: the point between them is nothing that anybody named.
  std::vector<int> both;
  for (int e = 0; e < part.count(Dim::Edge); ++e) {
    const auto& ends = part.edges[static_cast<std::size_t>(e)].points;
    if ((ends[0] == all[1] || ends[1] == all[1]) && joinAngle(part, e) > 0.1) both.push_back(e);
  }
  ASSERT_EQ(both.size(), 2u);
  EXPECT_EQ(ignored({describeSelection(part, Dim::Edge, both, "line")}), all);
  EXPECT_EQ(ignored({line, rule("divide", {{"on", "line"}, {"count", "2"}})}).size(), 3u);
}

TEST(IgnoreRule, PickedOrShortPointsAloneAreIgnored) {
  const Part part = made("joined 3");
  std::vector<int> marks;
  for (int p = 0; p < part.count(Dim::Point); ++p)
    if (std::abs(part.points[static_cast<std::size_t>(p)].at.x() - 17) < 1e-9) marks.push_back(p);
  ASSERT_EQ(marks.size(), 4u);
  auto count = [&](Rule points, std::vector<Rule> more) {
    std::vector<Problem> problems;
    more.push_back(rule("ignore", {{"angle", "5 deg"}}));
    points.values["what"] = "points";
    more.push_back(points);
    const Brief b = briefWith("4 mm", more);
    const auto off = sizeRequestOf(b, part, resolveGroups(b, part, problems), problems).overall.bridging.ignorePoint;
    return std::pair(std::count(off.begin(), off.end(), 1), problemOf(problems, "ignore.none") != nullptr);
  };
  const Rule picked = describeSelection(part, Dim::Point, {marks[0], marks[2]}, "picked");
  EXPECT_EQ(count(rule("ignore", {{"inside", "picked"}}), {picked}), std::pair(2L, false));
  EXPECT_EQ(count(rule("ignore", {{"shorter", "3.1 mm"}}), {}), std::pair(4L, false));
  EXPECT_EQ(count(rule("ignore", {{"shorter", "2.9 mm"}}), {}), std::pair(0L, true));
  // Without the rule for edges, four edges meet at each of them.
  std::vector<Problem> problems;
  const Brief alone = briefWith("4 mm", {rule("ignore", {{"what", "points"}})});
  const auto off =
      sizeRequestOf(alone, part, resolveGroups(alone, part, problems), problems).overall.bridging.ignorePoint;
  EXPECT_EQ(std::count(off.begin(), off.end(), 1), 0);
}

TEST(IgnoreRule, RuleThatFindsNothingSaysSo) {
  const Part part = made("box 3 2 1");
  std::vector<Problem> problems;
  const Brief b = briefWith("1 mm", {rule("ignore", {{"angle", "5 deg"}})});
  const auto groups = resolveGroups(b, part, problems);
  const Bridging ignored = sizeRequestOf(b, part, groups, problems).overall.bridging;
  EXPECT_NE(problemOf(problems, "ignore.none"), nullptr);
  EXPECT_TRUE(std::none_of(ignored.ignoreEdge.begin(), ignored.ignoreEdge.end(), [](char c) { return c; }));
}
