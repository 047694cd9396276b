// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/edges/counts.h"
#include "base/parallel.h"
#include "mesher/edges/edge_division.h"
#include <cmath>
#include <glpk.h>
#include <map>
#include <numeric>
#include <set>

namespace tess {
namespace {

/// Edges that have one count.
struct Class {
  std::vector<int> edges; ///< unknowns; those after the part's edges are rows round a face
  double natural = 1;     ///< the least largest ratio to what the size asks for along each of them
  int least = 1;          ///< fewer make no mesh: a closed edge needs three, one of two with common ends two
  int fixed = 0;          ///< elements that it must have; 0: none are asked for
  int at = -1;            ///< edge whose division asks for that; -1: it is given
};

/// Sums of classes, those that stand on both sides taken out.
struct Sum {
  std::vector<int> left, right;
  int face = -1;
  int more = 0;
};

/// Classes whose counts together are even, each as often as it occurs.
struct Even {
  std::map<int, int> times;
  int least = 0;
  int face = -1;
  bool needed = true;
  int multiple = 2;
};

class Union {
public:
  explicit Union(std::size_t n) : m_up(n) { std::iota(m_up.begin(), m_up.end(), 0); }
  int root(int e) {
    while (m_up[static_cast<std::size_t>(e)] != e) {
      auto& up = m_up[static_cast<std::size_t>(e)];
      e = up = m_up[static_cast<std::size_t>(up)];
    }
    return e;
  }
  bool unite(int a, int b) {
    const int x = root(a), y = root(b);
    m_up[static_cast<std::size_t>(std::max(x, y))] = std::min(x, y);
    return x != y;
  }

private:
  std::vector<int> m_up;
};

struct Branching {
  const Progress* progress;
  int nodes = 0;
};
void stopAtManyNodes(glp_tree* tree, void* info) {
  constexpr int kNodes = 20000; // by nodes, never by time: the same answer on any machine
  auto& b = *static_cast<Branching*>(info);
  if ((glp_ios_reason(tree) == GLP_ISELECT && ++b.nodes > kNodes) || b.progress->stopped()) glp_ios_terminate(tree);
}

/// One set of classes that hang together by sums. Counts per class of `members`, empty where there are none.
std::vector<int> solve(const std::vector<Class>& classes, const std::vector<int>& members, const std::vector<Sum>& sums,
                       const std::set<int>& held, const std::vector<char>& useSum, const Progress& progress,
                       const std::vector<Even>& evens = {}) {
  constexpr double kFirst = 1000; // weight of the largest deviation against the sum of all
  std::map<int, int> step;        // classes that are even by themselves: half of their count is the unknown
  for (const Even& even : evens)
    if (even.times.size() == 1 && even.times.begin()->second % 2)
      step[even.times.begin()->first] = std::max(step[even.times.begin()->first], even.multiple);
  auto stepOf = [&](int c) {
    const auto it = step.find(c);
    return it == step.end() ? 1 : it->second;
  };
  glp_prob* p = glp_create_prob();
  glp_set_obj_dir(p, GLP_MIN);
  const int n = static_cast<int>(members.size());
  // Columns: counts, their deviations, the largest relative one.
  glp_add_cols(p, 2 * n + 1);
  std::map<int, int> column;
  bool odd = false; // a count that must be even is to be odd
  for (int k = 0; k < n; ++k) {
    const Class& c = classes[static_cast<std::size_t>(members[static_cast<std::size_t>(k)])];
    column[members[static_cast<std::size_t>(k)]] = k + 1;
    glp_set_col_kind(p, k + 1, GLP_IV);
    const int by = stepOf(members[static_cast<std::size_t>(k)]);
    if (c.fixed > 0 && held.count(members[static_cast<std::size_t>(k)])) {
      odd = odd || c.fixed % by != 0;
      glp_set_col_bnds(p, k + 1, GLP_FX, c.fixed / by, c.fixed / by);
    } else
      glp_set_col_bnds(p, k + 1, GLP_LO, (c.least + by - 1) / by, 0);
    glp_set_col_bnds(p, n + k + 1, GLP_LO, 0, 0);
    glp_set_obj_coef(p, n + k + 1, 1 / c.natural);
  }
  glp_set_col_bnds(p, 2 * n + 1, GLP_LO, 0, 0);
  glp_set_obj_coef(p, 2 * n + 1, kFirst);
  auto row = [&](std::vector<std::pair<int, double>> entries, double least, bool equal) {
    const int r = glp_add_rows(p, 1);
    glp_set_row_bnds(p, r, equal ? GLP_FX : GLP_LO, least, least);
    std::vector<int> at{0};
    std::vector<double> value{0};
    for (const auto& [c, v] : entries) {
      at.push_back(c);
      value.push_back(v);
    }
    glp_set_mat_row(p, r, static_cast<int>(entries.size()), at.data(), value.data());
  };
  for (int k = 0; k < n; ++k) {
    const double natural = classes[static_cast<std::size_t>(members[static_cast<std::size_t>(k)])].natural;
    const double by = stepOf(members[static_cast<std::size_t>(k)]);
    row({{n + k + 1, 1}, {k + 1, -by}}, -natural, false);
    row({{n + k + 1, 1}, {k + 1, by}}, natural, false);
    row({{2 * n + 1, natural}, {n + k + 1, -1}}, 0, false);
  }
  for (std::size_t s = 0; s < sums.size(); ++s) {
    if (!useSum[s]) continue;
    std::map<int, double> entries;
    for (int c : sums[s].left) entries[column.at(c)] += stepOf(c);
    for (int c : sums[s].right) entries[column.at(c)] -= stepOf(c);
    row({entries.begin(), entries.end()}, sums[s].more, sums[s].more == 0);
  }
  for (const Even& even : evens) {
    std::vector<std::pair<int, double>> entries;
    bool always = true;
    for (const auto& [c, times] : even.times) {
      entries.emplace_back(column.at(c), times * stepOf(c));
      always = always && times * stepOf(c) % even.multiple == 0;
    }
    if (always) {
      row(std::move(entries), even.least, false);
      continue;
    }
    const int half = glp_add_cols(p, 1);
    glp_set_col_kind(p, half, GLP_IV);
    glp_set_col_bnds(p, half, GLP_LO, (even.least + even.multiple - 1) / even.multiple, 0);
    entries.emplace_back(half, -even.multiple);
    row(std::move(entries), 0, true);
  }
  glp_term_out(GLP_OFF);
  glp_iocp options;
  glp_init_iocp(&options);
  options.presolve = GLP_ON;
  options.msg_lev = GLP_MSG_OFF;
  Branching branching{&progress};
  options.cb_func = stopAtManyNodes;
  options.cb_info = &branching;
  if (!odd) glp_intopt(p, &options);
  std::vector<int> r;
  if (const int status = glp_mip_status(p); status == GLP_OPT || status == GLP_FEAS)
    for (int k = 0; k < n; ++k)
      r.push_back(stepOf(members[static_cast<std::size_t>(k)]) *
                  static_cast<int>(std::lround(glp_mip_col_val(p, k + 1))));
  glp_delete_prob(p);
  progress.check();
  return r;
}

class Counts {
public:
  Counts(const Part& part, const SizeField& size, const EdgeDivisions& divisions, const std::vector<EqualSums>& sums,
         const std::vector<EvenSum>& evens, const std::vector<int>& given, std::vector<Problem>& said,
         const Progress& progress)
      : m_part(part), m_size(size), m_divisions(divisions), m_asked(sums), m_askedEven(evens), m_given(given),
        m_said(said), m_progress(progress), m_union(part.edges.size() + part.faces.size()),
        m_used(part.edges.size() + part.faces.size(), 0) {
    for (const auto& e : part.edges) ++m_byEnds[std::minmax(e.points[0], e.points[1])];
  }

  Result<std::vector<int>> run() {
    uniteEdges();
    if (m_impossible >= 0) return contradiction({Sum{{}, {}, m_impossible, 1}}, {1});
    makeClasses();
    std::vector<int> count(m_classes.size(), 0);
    for (const auto& [members, sums, evens] : components()) {
      if (sums.empty() && evens.empty()) {
        const Class& c = m_classes[static_cast<std::size_t>(members.front())];
        count[static_cast<std::size_t>(members.front())] =
            c.fixed > 0 ? c.fixed : std::max(1, static_cast<int>(std::lround(c.natural)));
        continue;
      }
      auto solved = solution(members, sums, evens);
      if (!solved) return solved.problem();
      for (std::size_t k = 0; k < members.size(); ++k) count[static_cast<std::size_t>(members[k])] = (*solved)[k];
    }
    std::vector<int> r(m_used.size(), 0);
    for (std::size_t c = 0; c < m_classes.size(); ++c)
      for (int e : m_classes[c].edges) r[static_cast<std::size_t>(e)] = count[c];
    for (std::size_t e = 0; e < m_given.size(); ++e)
      if (m_given[e] > 0) r[e] = m_given[e];
    return r;
  }

private:
  const Part& m_part;
  const SizeField& m_size;
  const EdgeDivisions& m_divisions;
  const std::vector<EqualSums>& m_asked;
  const std::vector<EvenSum>& m_askedEven;
  const std::vector<int>& m_given;
  std::vector<Problem>& m_said;
  const Progress& m_progress;
  Union m_union;
  std::vector<char> m_used;
  std::vector<Class> m_classes;
  std::vector<int> m_classOf;
  std::map<std::pair<int, int>, int> m_byEnds; ///< how many edges lie between two points
  std::vector<Sum> m_sums;                     ///< of roots of edges at first, of classes then
  std::vector<Even> m_evens;
  int m_impossible = -1; ///< face at which something is to be more than itself

  bool isRing(int unknown) const { return static_cast<std::size_t>(unknown) >= m_part.edges.size(); }
  int faceOf(int unknown) const { return unknown - static_cast<int>(m_part.edges.size()); }

  Vec3 middle(int edge) const {
    if (isRing(edge)) return m_part.faces[static_cast<std::size_t>(faceOf(edge))].center;
    const auto& e = m_part.edges[static_cast<std::size_t>(edge)];
    return m_part.shape->edgePoint(edge, 0.5 * (e.t0 + e.t1));
  }

  /// What both sides have in common goes; one edge against one is no sum but one class.
  void uniteEdges() {
    for (const auto& s : m_asked)
      for (const auto* side : {&s.left, &s.right})
        for (int e : *side) m_used[static_cast<std::size_t>(e)] = 1;
    for (const auto& s : m_askedEven)
      for (int e : s.edges) m_used[static_cast<std::size_t>(e)] = 1;
    for (bool changed = true; changed;) {
      changed = false;
      m_impossible = -1;
      m_sums.clear();
      for (const auto& s : m_asked) {
        Sum sum;
        sum.face = s.face;
        std::map<int, int> balance;
        for (int e : s.left) ++balance[m_union.root(e)];
        for (int e : s.right) --balance[m_union.root(e)];
        for (const auto& [root, n] : balance)
          for (int k = 0; k < std::abs(n); ++k) (n > 0 ? sum.left : sum.right).push_back(root);
        sum.more = s.more;
        if (s.more > 0) {
          if (sum.left.empty() && sum.right.empty())
            m_impossible = s.face;
          else if (!sum.right.empty() || static_cast<int>(sum.left.size()) < s.more)
            m_sums.push_back(std::move(sum));
          continue;
        }
        if (sum.left.empty() && sum.right.empty()) continue;
        if (sum.left.size() == 1 && sum.right.size() == 1) {
          m_union.unite(sum.left[0], sum.right[0]);
          changed = true;
        } else
          m_sums.push_back(std::move(sum));
      }
    }
  }

  void makeClasses() {
    struct Wish {
      double natural = 0;
      int exact = 0;
    };
    std::vector<Wish> wish(m_used.size());
    parallelFor(
        m_used.size(), nullptr,
        [&](std::size_t e) {
          if (m_used[e] && isRing(static_cast<int>(e)))
            wish[e].natural = naturalRows(faceOf(static_cast<int>(e)));
          else if (m_used[e])
            wish[e] = {naturalCount(m_part, static_cast<int>(e), m_size),
                       exactCount(m_part, static_cast<int>(e), m_size, m_divisions)};
        },
        1);
    m_classOf.assign(m_used.size(), -1);
    for (std::size_t e = 0; e < m_used.size(); ++e) {
      if (!m_used[e]) continue;
      int& c = m_classOf[static_cast<std::size_t>(m_union.root(static_cast<int>(e)))];
      if (c < 0) {
        c = static_cast<int>(m_classes.size());
        m_classes.emplace_back();
      }
      m_classes[static_cast<std::size_t>(c)].edges.push_back(static_cast<int>(e));
    }
    for (auto& c : m_classes) {
      double least = 1e300, most = 0;
      int other = 0, at = -1, has = 0;
      for (int e : c.edges) {
        const auto k = static_cast<std::size_t>(e);
        if (!isRing(e)) {
          const auto& ends = m_part.edges[k].points;
          c.least = std::max(c.least, ends[0] == ends[1] ? 3 : m_byEnds.at(std::minmax(ends[0], ends[1])) > 1 ? 2 : 1);
        }
        if (!m_given.empty() && !isRing(e)) has = std::max(has, m_given[k]);
        least = std::min(least, wish[k].natural);
        most = std::max(most, wish[k].natural);
        const int x = wish[k].exact;
        if (x <= 0) continue;
        if (c.fixed > 0 && x != c.fixed) other = std::min(c.fixed, x), at = e;
        if (x > c.fixed) c.fixed = x, c.at = e;
      }
      c.natural = std::max<double>(c.least, std::sqrt(std::max(1.0, least) * std::max(1.0, most)));
      if (c.fixed > 0) c.fixed = std::max(c.fixed, c.least);
      if (has > 0) {
        c.fixed = has;
        c.at = -1;
      } else if (at >= 0)
        differ(at, other, c.fixed);
    }
    for (auto& s : m_sums)
      for (auto* side : {&s.left, &s.right})
        for (int& e : *side) e = m_classOf[static_cast<std::size_t>(e)];
    for (const auto& s : m_askedEven) {
      Even even;
      even.least = s.least;
      even.face = s.face;
      even.needed = s.needed;
      even.multiple = s.multiple;
      for (int e : s.edges) ++even.times[m_classOf[static_cast<std::size_t>(m_union.root(e))]];
      m_evens.push_back(std::move(even));
    }
    dropImplied();
  }

  /// Even sums of classes that are even each by itself say nothing more, and would tie together what does not hang
  /// together.
  void dropImplied() {
    std::vector<int> step(m_classes.size(), 1);
    for (const Even& e : m_evens)
      if (const auto& [c, times] = *e.times.begin();
          e.times.size() == 1 && times % 2 && m_classes[static_cast<std::size_t>(c)].fixed % e.multiple == 0)
        step[static_cast<std::size_t>(c)] = std::max(step[static_cast<std::size_t>(c)], e.multiple);
    std::erase_if(m_evens, [&](const Even& e) {
      if (e.times.size() == 1) return false;
      int least = 0;
      for (const auto& [c, times] : e.times) {
        const Class& x = m_classes[static_cast<std::size_t>(c)];
        if (times * step[static_cast<std::size_t>(c)] % e.multiple) return false;
        least += times * std::max({x.least, x.fixed, step[static_cast<std::size_t>(c)]});
      }
      return least >= e.least;
    });
  }

  /// Rows that fit between the two ends of a face that closes on itself.
  double naturalRows(int face) const {
    const PartFace& f = m_part.faces[static_cast<std::size_t>(face)];
    double round = 0, bySize = 0;
    std::size_t samples = 0;
    for (int e : f.edges) {
      round += 0.5 * m_part.edges[static_cast<std::size_t>(e)].length;
      for (int v : m_part.display.edgeChain[static_cast<std::size_t>(e)]) {
        bySize += 1 / m_size.at(m_part.display.points[static_cast<std::size_t>(v)]);
        ++samples;
      }
    }
    return std::max(1.0,
                    f.area / std::max(round, 1e-300) * bySize / static_cast<double>(std::max<std::size_t>(1, samples)));
  }

  void differ(int at, int other, int holds) {
    Problem p = Problem::of("count.conflict", "edges that get equal counts are to be divided into " +
                                                  std::to_string(other) + " and into " + std::to_string(holds) + ": " +
                                                  std::to_string(holds) + " holds")
                    .as(Severity::Warning)
                    .because("they lie across from each other on faces of rows")
                    .advise("divide them alike, or only one of them");
    p.places.push_back(middle(at));
    p.where = "at " + formatPoint(p.places.front()) + " " + m_part.unit;
    m_said.push_back(std::move(p));
  }

  struct Component {
    std::vector<int> members;
    std::vector<Sum> sums;
    std::vector<Even> evens;
  };
  /// Classes that hang together, each with its sums.
  std::vector<Component> components() const {
    Union together(m_classes.size());
    for (const auto& s : m_sums) {
      const int first = s.left.empty() ? s.right.front() : s.left.front();
      for (const auto* side : {&s.left, &s.right})
        for (int c : *side) together.unite(first, c);
    }
    for (const auto& s : m_evens)
      for (const auto& [c, n] : s.times) together.unite(s.times.begin()->first, c);
    std::map<int, Component> r;
    for (std::size_t c = 0; c < m_classes.size(); ++c)
      r[together.root(static_cast<int>(c))].members.push_back(static_cast<int>(c));
    for (const auto& s : m_sums) r[together.root(s.left.empty() ? s.right.front() : s.left.front())].sums.push_back(s);
    for (const auto& s : m_evens) r[together.root(s.times.begin()->first)].evens.push_back(s);
    std::vector<Component> list;
    for (auto& [root, x] : r) list.push_back(std::move(x));
    return list;
  }

  /// Divisions and sums as they are; even sums where those allow them.
  Result<std::vector<int>> solution(const std::vector<int>& members, const std::vector<Sum>& sums,
                                    const std::vector<Even>& evens) {
    std::set<int> held;
    for (int c : members)
      if (m_classes[static_cast<std::size_t>(c)].fixed > 0) held.insert(c);
    const std::vector<char> all(sums.size(), 1);
    if (!evens.empty())
      if (auto r = solve(m_classes, members, sums, held, all, m_progress, evens); !r.empty()) return r;
    auto r = withoutEvens(members, sums);
    if (!r || evens.empty()) return r;
    std::erase_if(held, [&](int c) {
      const auto at = std::find(members.begin(), members.end(), c) - members.begin();
      return (*r)[static_cast<std::size_t>(at)] != m_classes[static_cast<std::size_t>(c)].fixed; // was let go
    });
    std::vector<Even> kept, ordered = evens;
    std::stable_partition(ordered.begin(), ordered.end(), [](const Even& e) { return e.needed; });
    for (const Even& e : ordered) {
      kept.push_back(e);
      if (auto some = solve(m_classes, members, sums, held, all, m_progress, kept); !some.empty()) {
        r = std::move(some);
        continue;
      }
      kept.pop_back();
      if (!e.needed) continue;
      Problem p = Problem::of("count.odd", "a face gets some triangles among its quadrilaterals")
                      .as(Severity::Warning)
                      .firstAt({m_part.faces[static_cast<std::size_t>(e.face)].center}, m_part.unit)
                      .because("its edges are divided into an odd number of elements, or into too few")
                      .advise("divide them into an even number together");
      p.faces = {e.face};
      m_said.push_back(std::move(p));
    }
    return r;
  }

  Result<std::vector<int>> withoutEvens(const std::vector<int>& members, const std::vector<Sum>& sums) {
    std::set<int> held;
    for (int c : members)
      if (m_classes[static_cast<std::size_t>(c)].fixed > 0) held.insert(c);
    const std::vector<char> all(sums.size(), 1);
    for (;;) {
      auto r = solve(m_classes, members, sums, held, all, m_progress);
      if (!r.empty()) return r;
      // An irreducible set of what contradicts (deletion filter, Chinneck & Dravnieks 1991): what is not needed for the
      // contradiction goes.
      std::vector<char> use = all;
      std::set<int> needed = held;
      for (std::size_t s = 0; s < sums.size(); ++s) {
        use[s] = 0;
        if (!solve(m_classes, members, sums, needed, use, m_progress).empty()) use[s] = 1;
      }
      for (int c : held) {
        needed.erase(c);
        if (!solve(m_classes, members, sums, needed, use, m_progress).empty()) needed.insert(c);
      }
      int letGo = -1; // the coarsest of the divisions
      for (int c : needed)
        if (const Class& x = m_classes[static_cast<std::size_t>(c)];
            x.at >= 0 && (letGo < 0 || x.fixed < m_classes[static_cast<std::size_t>(letGo)].fixed))
          letGo = c;
      if (letGo < 0) return contradiction(sums, use);
      tellLetGo(letGo, needed, sums, use);
      held.erase(letGo);
    }
  }
  void tellLetGo(int letGo, const std::set<int>& needed, const std::vector<Sum>& sums, const std::vector<char>& use) {
    const Class& gone = m_classes[static_cast<std::size_t>(letGo)];
    std::string others;
    Problem p;
    p.places.push_back(middle(gone.at));
    for (int c : needed)
      if (const Class& x = m_classes[static_cast<std::size_t>(c)]; c != letGo) {
        others += (others.empty() ? "" : ", ") + std::to_string(x.fixed);
        p.places.push_back(middle(x.at >= 0 ? x.at : x.edges.front()));
      }
    p.severity = Severity::Warning;
    p.code = "count.conflict";
    p.what = "edges cannot be divided into " + std::to_string(gone.fixed) +
             (others.empty() ? "" : " beside others that are divided into " + others) + ": the " +
             std::to_string(gone.fixed) + " is let go";
    p.why = "opposite sides of faces of rows have as many elements";
    p.todo = "divide them so that the sums agree, or fewer of them";
    for (std::size_t s = 0; s < sums.size(); ++s)
      if (use[s] && sums[s].face >= 0) p.faces.push_back(sums[s].face);
    p.where = "at " + formatPoint(p.places.front()) + " " + m_part.unit;
    m_said.push_back(std::move(p));
  }
  Problem contradiction(const std::vector<Sum>& sums, const std::vector<char>& use) const {
    Problem p = Problem::of("fill.counts", "opposite sides of faces cannot get as many elements")
                    .by(Fault::Meshing)
                    .because("the sides of these faces hang together so that one of their edges would have none")
                    .advise("ask for tetrahedra on one of the bodies");
    for (std::size_t s = 0; s < sums.size(); ++s)
      if (use[s] && sums[s].face >= 0) {
        p.faces.push_back(sums[s].face);
        p.places.push_back(m_part.faces[static_cast<std::size_t>(sums[s].face)].center);
      }
    if (!p.places.empty()) p.where = "at " + formatPoint(p.places.front()) + " " + m_part.unit;
    return p;
  }
};

} // namespace

Result<std::vector<int>> edgeCounts(const Part& part, const SizeField& size, const EdgeDivisions& divisions,
                                    const std::vector<EqualSums>& sums, const std::vector<EvenSum>& evens,
                                    const std::vector<int>& given, std::vector<Problem>& said,
                                    const Progress& progress) {
  struct Freed { // what the solver keeps for each thread would be lost with it
    ~Freed() { glp_free_env(); }
  } freed;
  auto solved = [&](const std::vector<EqualSums>& all, std::vector<Problem>& findings) {
    return Counts(part, size, divisions, all, evens, given, findings, progress).run();
  };
  std::vector<Problem> plain;
  auto best = solved(sums, plain);
  // Edges that copy the nodes of a chain get as many as it has, where that costs nothing else.
  std::vector<char> used(part.edges.size(), 0);
  auto use = [&](int e) {
    if (static_cast<std::size_t>(e) < used.size()) used[static_cast<std::size_t>(e)] = 1;
  };
  for (const auto& s : sums)
    for (const auto* side : {&s.left, &s.right})
      for (int e : *side) use(e);
  for (const auto& s : evens)
    for (int e : s.edges) use(e);
  std::vector<int> copies;
  std::vector<EqualSums> all = sums;
  for (const auto& [e, d] : divisions)
    if (best && !d.like.empty() && used[static_cast<std::size_t>(e)]) {
      copies.push_back(e);
      all.push_back({{e}, d.like});
    }
  auto accept = [&] {
    std::vector<Problem> with;
    auto r = solved(all, with);
    if (!r || with.size() > plain.size()) return false;
    best = std::move(r);
    plain = std::move(with);
    return true;
  };
  if (!copies.empty() && !accept()) { // one after the other, then
    all = sums;
    for (int e : copies) {
      all.push_back({{e}, divisions.of(e)->like});
      if (accept()) continue;
      all.pop_back();
      const auto& edge = part.edges[static_cast<std::size_t>(e)];
      said.push_back(
          Problem::of("count.like", "an edge of a mapped or swept body does not copy the nodes of another chain")
              .as(Severity::Warning)
              .firstAt({part.shape->edgePoint(e, 0.5 * (edge.t0 + edge.t1))}, part.unit)
              .because("the edges across from it cannot have as many elements as that chain")
              .advise("divide it by a number"));
    }
  }
  said.insert(said.end(), plain.begin(), plain.end());
  return best;
}

} // namespace tess
