// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/edges/counts.h"
#include "mesher/edges/edge_division.h"
#include "size/part_size.h"
#include "support/briefs.h"
#include "support/fixtures.h"
#include <random>

using namespace tess;
using namespace tess::test;

namespace {

/// The edges of a row of boxes as unknowns; sums between them are as a test likes.
struct Unknowns {
  Part part = made("box 12 8 5");
  SizeField size;
  std::vector<int> length12, length8, length5; ///< edges by their length
  std::vector<Problem> said;
  std::vector<EvenSum> evens;
  explicit Unknowns(double h = 1) : size(h, 0.3) {
    size.build();
    for (std::size_t e = 0; e < part.edges.size(); ++e) {
      const double l = part.edges[e].length;
      (l > 10 ? length12 : l > 7 ? length8 : length5).push_back(static_cast<int>(e));
    }
  }
  Result<std::vector<int>> counts(const std::vector<EqualSums>& sums, std::vector<EdgeDivisions::Pair> exact = {},
                                  const std::vector<int>& given = {}) {
    said.clear();
    return edgeCounts(part, size, EdgeDivisions(std::move(exact)), sums, evens, given, said, Progress());
  }
};
EdgeDivision into(int n) {
  EdgeDivision d;
  d.divisions = n;
  return d;
}

} // namespace

TEST(Counts, oneAgainstOneMeetsBetweenWhatBothAskFor) {
  Unknowns u;
  auto r = u.counts({{{u.length12[0]}, {u.length5[0]}, 0}});
  ASSERT_TRUE(r.ok());
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length12[0])], (*r)[static_cast<std::size_t>(u.length5[0])]);
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length12[0])], std::lround(std::sqrt(12 * 5)));
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length8[0])], 0); // in no sum
}

TEST(Counts, sumsComeAsCloseToTheSizesAsCanBe) {
  // 12 against 8 + 5, which ask for 13 together: the largest relative deviation is the least where the 12 becomes 13
  // or the 8 or 5 give up one; a twelfth is less than an eighth or a fifth.
  Unknowns u;
  auto r = u.counts({{{u.length12[0]}, {u.length8[0], u.length5[0]}, 0}});
  ASSERT_TRUE(r.ok());
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length12[0])], 13);
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length8[0])], 8);
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length5[0])], 5);
  // An exact division holds, and the others make up for it.
  r = u.counts({{{u.length12[0]}, {u.length8[0], u.length5[0]}, 0}}, {{u.length5[0], into(2)}});
  ASSERT_TRUE(r.ok());
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length5[0])], 2);
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length12[0])], (*r)[static_cast<std::size_t>(u.length8[0])] + 2);
  EXPECT_TRUE(u.said.empty());
  // What is there already holds before all.
  std::vector<int> given(u.part.edges.size(), 0);
  given[static_cast<std::size_t>(u.length12[0])] = 20;
  r = u.counts({{{u.length12[0]}, {u.length8[0], u.length5[0]}, 0}}, {}, given);
  ASSERT_TRUE(r.ok());
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length12[0])], 20);
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length8[0])] + (*r)[static_cast<std::size_t>(u.length5[0])], 20);
}

TEST(Counts, whatContradictsIsNamedAndTheCoarsestIsLetGo) {
  Unknowns u;
  auto r = u.counts({{{u.length12[0]}, {u.length8[0], u.length5[0]}, 3}, {{u.length12[1]}, {u.length8[1]}, 4}},
                    {{u.length12[0], into(6)}, {u.length8[0], into(9)}, {u.length12[1], into(7)}});
  ASSERT_TRUE(r.ok());
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length8[0])], 9); // 6 cannot be 9 and something
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length12[0])], (*r)[static_cast<std::size_t>(u.length5[0])] + 9);
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length8[1])], 7);
  const Problem* p = problemOf(u.said, "count.conflict");
  ASSERT_NE(p, nullptr);
  EXPECT_EQ(p->faces, std::vector<int>{3}); // the other face has nothing to do with it
  EXPECT_EQ(p->places.size(), 2u);
}

TEST(Counts, sumsThatLeaveAnEdgeNothingAreAProblem) {
  // a = b + c and a = b cannot both be.
  Unknowns u;
  auto r = u.counts({{{u.length12[0]}, {u.length8[0], u.length5[0]}, 1}, {{u.length12[0]}, {u.length8[0]}, 2}});
  ASSERT_FALSE(r.ok());
  EXPECT_EQ(r.problem().code, "fill.counts");
  EXPECT_FALSE(r.problem().faces.empty());
}

TEST(Counts, randomSumsHoldAndAreTheSameTwice) {
  // Sums that a hidden assignment fulfils can be had.
  std::mt19937 random(5);
  for (int trial = 0; trial < 60; ++trial) {
    Unknowns u(0.5 + 0.1 * (trial % 20));
    const int edges = static_cast<int>(u.part.edges.size());
    std::vector<int> hidden;
    for (int e = 0; e < edges; ++e) hidden.push_back(1 + static_cast<int>(random() % 9));
    std::vector<EqualSums> sums;
    for (int tries = 0; tries < 400 && sums.size() < 5; ++tries) {
      EqualSums s;
      s.face = 0;
      std::vector<int> order(static_cast<std::size_t>(edges));
      std::iota(order.begin(), order.end(), 0);
      std::shuffle(order.begin(), order.end(), random);
      const std::size_t left = 1 + random() % 3, right = 1 + random() % 3;
      int balance = 0;
      for (std::size_t k = 0; k < left; ++k)
        s.left.push_back(order[k]), balance += hidden[static_cast<std::size_t>(order[k])];
      for (std::size_t k = left; k < left + right; ++k)
        s.right.push_back(order[k]), balance -= hidden[static_cast<std::size_t>(order[k])];
      if (balance == 0) sums.push_back(s);
    }
    const auto r = u.counts(sums), again = u.counts(sums);
    ASSERT_TRUE(r.ok()) << trial << ": " << r.problem().sentence();
    EXPECT_EQ(r.value(), again.value());
    for (const auto& s : sums) {
      int balance = 0;
      for (int e : s.left) balance += r.value()[static_cast<std::size_t>(e)];
      for (int e : s.right) balance -= r.value()[static_cast<std::size_t>(e)];
      for (const auto* side : {&s.left, &s.right})
        for (int e : *side) EXPECT_GE(r.value()[static_cast<std::size_t>(e)], 1);
      EXPECT_EQ(balance, 0) << trial;
    }
  }
}

TEST(Counts, evenSumsHoldWhereDivisionsAllowThem) {
  Unknowns u;
  const int a = u.length5[0], b = u.length5[1], c = u.length8[0];
  // Together even, though sizes ask for 5, 5 and 8 and a division for 7.
  u.evens = {{{a, b, c}, 6, 0, true}};
  auto n = u.counts({}, {{a, into(7)}});
  ASSERT_TRUE(n.ok());
  EXPECT_EQ((*n)[static_cast<std::size_t>(a)], 7);
  EXPECT_EQ(
      ((*n)[static_cast<std::size_t>(a)] + (*n)[static_cast<std::size_t>(b)] + (*n)[static_cast<std::size_t>(c)]) % 2,
      0);
  EXPECT_TRUE(u.said.empty());
  // Each by itself.
  u.evens = {{{a}, 2, 0, false}, {{b}, 2, 0, false}, {{a, b}, 14, 0, true}};
  n = u.counts({});
  ASSERT_TRUE(n.ok());
  for (int e : {a, b}) EXPECT_EQ((*n)[static_cast<std::size_t>(e)] % 2, 0);
  EXPECT_GE((*n)[static_cast<std::size_t>(a)] + (*n)[static_cast<std::size_t>(b)], 14);
  // What cannot be even is told, and the division holds.
  u.evens = {{{a, b}, 6, 0, true}};
  n = u.counts({}, {{a, into(4)}, {b, into(3)}});
  ASSERT_TRUE(n.ok());
  EXPECT_EQ((*n)[static_cast<std::size_t>(a)], 4);
  EXPECT_EQ((*n)[static_cast<std::size_t>(b)], 3);
  ASSERT_EQ(u.said.size(), 1u);
  EXPECT_EQ(u.said[0].code, "count.odd");
}

TEST(Counts, countsMayBeRaisedAndLowered) {
  Unknowns u;
  EdgeDivision more, fewer;
  more.more = 3;
  fewer.more = -20;
  auto r = u.counts({{{u.length12[0]}, {u.length12[1]}, 0}, {{u.length5[0]}, {u.length5[1]}, 0}},
                    {{u.length12[0], more}, {u.length5[0], fewer}});
  ASSERT_TRUE(r.ok());
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length12[1])], 15);
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length5[1])], 1);
  EXPECT_EQ(divideEdge(u.part, u.length8[0], u.size, EdgeDivisions({{u.length8[0], more}}), 1).size(), 10u);
}

TEST(Counts, copiesGetAsManyAsTheirChainWhereNothingForbidsIt) {
  Unknowns u;
  EdgeDivision like;
  like.like = {u.length5[2], u.length5[3]};
  const std::vector<EqualSums> across{{{u.length12[0]}, {u.length12[1]}, 0}};
  auto r = u.counts(across, {{u.length12[0], like}});
  ASSERT_TRUE(r.ok());
  EXPECT_TRUE(u.said.empty());
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length12[1])],
            (*r)[static_cast<std::size_t>(u.length5[2])] + (*r)[static_cast<std::size_t>(u.length5[3])]);
  // Divisions of others hold before it.
  r = u.counts(across,
               {{u.length12[0], like}, {u.length12[1], into(7)}, {u.length5[2], into(5)}, {u.length5[3], into(5)}});
  ASSERT_TRUE(r.ok());
  EXPECT_EQ((*r)[static_cast<std::size_t>(u.length12[0])], 7);
  ASSERT_EQ(u.said.size(), 1u);
  EXPECT_EQ(u.said[0].code, "count.like");
}

TEST(Counts, aSumMayHaveToBeLarger) {
  Unknowns u;
  auto r = u.counts({{{u.length5[0]}, {u.length12[0]}, 0, 1}});
  ASSERT_TRUE(r.ok());
  EXPECT_GT((*r)[static_cast<std::size_t>(u.length5[0])], (*r)[static_cast<std::size_t>(u.length12[0])]);
  EXPECT_FALSE(u.counts({{{u.length5[0]}, {u.length5[0]}, 0, 1}}).ok());
}
