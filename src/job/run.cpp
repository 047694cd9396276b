// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/places.h"
#include "base/bvh.h"
#include "base/memory.h"
#include "base/units.h"
#include "job/capacity.h"
#include "job/cuts.h"
#include "job/fills.h"
#include "job/forecast.h"
#include "job/improve.h"
#include "job/layers.h"
#include "job/limit_file.h"
#include "job/limits.h"
#include "job/move_node.h"
#include "job/open_part.h"
#include "job/preview.h"
#include "job/reuse.h"
#include "job/values.h"
#include "mesh/own_angles.h"
#include "mesh/separate.h"
#include "mesh/unite_regions.h"
#include "size/thickness.h"
#include <chrono>
#include <cmath>
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>
#include <set>
#include <thread>

namespace tess {

namespace {

void attachGroups(Mesh& m, const std::vector<ResolvedGroup>& groups, const Part& part) {
  for (const auto& g : groups) {
    MeshGroup out{g.name, 2, {}, static_cast<int>(g.entities.size()), ""};
    std::set<int> in(g.entities.begin(), g.entities.end());
    if (g.dim == Dim::Face) {
      for (std::size_t f = 0; f < m.faces.size(); ++f)
        if (in.count(m.faceLink[f])) out.items.push_back(static_cast<std::int32_t>(f));
    } else if (g.dim == Dim::Body) {
      out.dim = 3;
      for (std::size_t c = 0; c < m.cells.size(); ++c)
        if (in.count(m.cellRegion[c])) out.items.push_back(static_cast<std::int32_t>(c));
    } else {
      out.dim = g.dim == Dim::Edge ? 1 : 0;
      std::set<int> ends;
      if (g.dim == Dim::Edge)
        for (int e : g.entities)
          ends.insert(part.edges[static_cast<std::size_t>(e)].points.begin(),
                      part.edges[static_cast<std::size_t>(e)].points.end());
      else
        ends = in;
      for (std::size_t n = 0; n < m.nodeLink.size(); ++n) {
        const auto& l = m.nodeLink[n];
        if ((l.dim == 1 && g.dim == Dim::Edge && in.count(l.entity)) || (l.dim == 0 && ends.count(l.entity)))
          out.items.push_back(static_cast<std::int32_t>(n));
      }
    }
    m.groups.push_back(out);
  }
}

/// What the groups of bodies say about their regions; what is said of some and missing for others is a finding.
void attachMedia(RunResult& run, const Part& part) {
  Mesh& m = run.mesh;
  std::vector<std::string> ofMaterials(m.regions.size()), ofMedia(m.regions.size()); // what a file brought along
  ofMaterials.swap(m.materials);
  ofMedia.swap(m.media);
  bool materials = false, media = false;
  auto put = [&](const char* what, std::vector<std::string>& list, std::size_t region, const std::string& value) {
    if (value.empty() || list[region] == value) return;
    if (!list[region].empty()) {
      Problem p;
      p.severity = Severity::Warning;
      p.code = "region.two";
      p.what = "region '" + m.regions[region] + "' is said to be " + list[region] + " and " + value;
      p.why = std::string("two groups give it a ") + what + "; the first one holds";
      p.todo = "take the body out of one of them";
      run.problems.push_back(p);
      return;
    }
    list[region] = value;
  };
  for (const auto& g : run.groups) {
    const Rule& rule = run.brief.rules[static_cast<std::size_t>(g.rule)];
    if (g.dim != Dim::Body) continue;
    materials = materials || !rule.get("material").empty();
    media = media || !rule.get("medium").empty();
    for (int b : g.entities) {
      put("material", m.materials, static_cast<std::size_t>(b), rule.get("material"));
      put("kind", m.media, static_cast<std::size_t>(b), rule.get("medium"));
    }
  }
  // A space that a card took is fluid, and so bodies beside it are solid, unless a group says otherwise.
  if (std::any_of(part.bodies.begin(), part.bodies.end(), [](const PartBody& b) { return b.space; }))
    for (std::size_t b = 0; b < part.bodies.size(); ++b)
      if (m.media[b].empty()) m.media[b] = part.bodies[b].space ? "fluid" : "solid";
  auto before = [](std::vector<std::string>& list, const std::vector<std::string>& was) {
    for (std::size_t r = 0; r < std::min(list.size(), was.size()); ++r)
      if (list[r].empty()) list[r] = was[r];
  };
  before(m.materials, ofMaterials);
  before(m.media, ofMedia);
  auto missing = [&](const char* code, const char* what, const std::vector<std::string>& list) {
    Problem p;
    p.severity = Severity::Warning;
    p.code = code;
    std::string names;
    for (std::size_t r = 0; r < list.size(); ++r)
      if (list[r].empty()) {
        names += (names.empty() ? "" : ", ") + m.regions[r];
        p.places.push_back(part.bodies[r].box.center());
      }
    if (names.empty()) return;
    p.what = std::string("no ") + what + " is given for " + names;
    p.why = "other regions have one; the solver would miss it here";
    p.todo = std::string("give a group that holds these bodies a ") + what;
    run.problems.push_back(p);
  };
  if (materials) missing("region.no-material", "material", m.materials);
  if (media) missing("region.no-kind", "kind (solid or fluid)", m.media);
}

/// Cuts the mesh open between bodies that shall not share nodes, and names the sides.
void keepApart(RunResult& run, const Part& part, Progress& progress) {
  Mesh& m = run.mesh;
  std::set<std::pair<int, int>> pairs;
  for (std::size_t i = 0; i < run.brief.rules.size(); ++i) {
    const Rule& rule = run.brief.rules[i];
    if (rule.kind != "apart" || rule.off) continue;
    auto bodies = targetEntities(rule.get("bodies"), Dim::Body, part, run.groups);
    std::string from = rule.get("others").empty() ? "everywhere" : rule.get("others");
    bool any = false;
    std::set<std::pair<int, int>> mine;
    for (int a : bodies)
      for (int b : targetEntities(from, Dim::Body, part, run.groups))
        if (a != b) mine.insert(std::minmax(a, b));
    for (const auto& r : m.faceRegions) any = any || (r[0] >= 0 && r[1] >= 0 && mine.count(std::minmax(r[0], r[1])));
    if (!any) {
      Problem p;
      p.severity = Severity::Warning;
      p.code = "rule.no-target";
      p.what = "there is nothing to keep apart";
      p.where = "rule " + std::to_string(i + 1) + ": " + sentenceOf(rule);
      p.why = mine.empty() ? "it names no two bodies" : "these bodies do not touch";
      p.todo = "name groups of bodies that touch";
      run.problems.push_back(p);
    }
    pairs.insert(mine.begin(), mine.end());
  }
  if (pairs.empty()) return;
  std::vector<char> marked(m.faces.size(), 0);
  std::map<std::pair<int, int>, MeshGroup> sides; // region behind, region it looks at
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    auto r = m.faceRegions[f];
    marked[f] = r[0] >= 0 && r[1] >= 0 && pairs.count(std::minmax(r[0], r[1]));
  }
  std::size_t before = m.faces.size();
  std::vector<std::array<std::int32_t, 2>> regions = m.faceRegions;
  cutOpen(m, marked, &progress);
  auto enter = [&](int own, int other, std::size_t face) {
    auto [it, fresh] = sides.try_emplace({own, other});
    if (fresh) {
      auto name = [&](int r) { return m.regions[static_cast<std::size_t>(r)]; };
      it->second = {name(own) + " to " + name(other), 2, {}, 0, "contact"};
      for (int n = 2; std::any_of(m.groups.begin(), m.groups.end(),
                                  [&, &found = it->second](auto& g) { return g.name == found.name; });
           ++n)
        it->second.name = name(own) + " to " + name(other) + " " + std::to_string(n);
    }
    it->second.items.push_back(static_cast<std::int32_t>(face));
  };
  // The sides in front were added in the order of the marked faces.
  std::size_t front = before;
  for (std::size_t f = 0; f < before; ++f)
    if (marked[f]) {
      enter(regions[f][0], regions[f][1], f);
      enter(regions[f][1], regions[f][0], front++);
    }
  for (auto& [key, g] : sides) {
    std::set<int> entities;
    for (auto f : g.items) entities.insert(m.faceLink[static_cast<std::size_t>(f)]);
    g.entities = static_cast<int>(entities.size());
    std::sort(g.items.begin(), g.items.end());
    m.groups.push_back(std::move(g));
  }
}

/// Other names for regions and sets, as the rules say.
void rename(RunResult& run) {
  for (std::size_t i = 0; i < run.brief.rules.size(); ++i) {
    const Rule& rule = run.brief.rules[i];
    if (rule.kind != "rename" || rule.off) continue;
    bool any = false;
    for (auto& name : run.mesh.regions)
      if (name == rule.get("what")) name = rule.get("name"), any = true;
    for (auto& g : run.mesh.groups) {
      const bool own = std::any_of(run.groups.begin(), run.groups.end(), [&](auto& x) { return x.name == g.name; });
      if (g.name == rule.get("what") && !own) g.name = rule.get("name"), any = true;
    }
    if (any) continue;
    Problem p;
    p.severity = Severity::Warning;
    p.code = "rule.no-target";
    p.what = "the mesh has no region or set '" + rule.get("what") + "'";
    p.where = "rule " + std::to_string(i + 1) + ": " + sentenceOf(rule);
    p.why = "nothing was renamed";
    p.todo = "check the name; groups are renamed on their own cards";
    run.problems.push_back(p);
  }
}

AskedGot quantiles(std::vector<double>& lengths, const std::string& unit) {
  AskedGot a;
  if (lengths.empty()) {
    a.got = "nothing there";
    return a;
  }
  auto at = [&](double q) {
    auto it = lengths.begin() + static_cast<std::ptrdiff_t>(q * static_cast<double>(lengths.size() - 1));
    std::nth_element(lengths.begin(), it, lengths.end());
    return *it;
  };
  a.median = at(0.5);
  a.low = at(0.05);
  a.high = at(0.95);
  a.got =
      formatNumber(a.low, 3) + " – " + formatNumber(a.high, 3) + " " + unit + ", median " + formatNumber(a.median, 3);
  return a;
}

/// What each size rule got, measured on the mesh where the rule acts.
class Comparison {
public:
  Comparison(const Brief& brief, const Part& part, const Mesh& mesh, const std::vector<ResolvedGroup>& groups,
             const SizeRequest& request, const std::vector<ThroughFace>& thin)
      : m_brief(brief), m_part(part), m(mesh), m_groups(groups), m_request(request), m_thin(thin) {}

  std::vector<AskedGot> all() const {
    std::vector<AskedGot> r;
    for (std::size_t i = 0; i < m_brief.rules.size(); ++i) {
      const Rule& rule = m_brief.rules[i];
      const RuleKind* kind = ruleKind(rule.kind);
      if (rule.off || !kind || kind->section != "Sizes") continue;
      AskedGot a;
      if (rule.kind == "everywhere") {
        a = lengths(cellEdges([](std::size_t) { return true; }));
        a.asked = text(overallTarget(m_brief, m_part));
      } else if (rule.kind == "through")
        a = through(static_cast<int>(i));
      else if (rule.kind == "zone")
        a = zone(static_cast<int>(i));
      else if (rule.kind == "divide")
        a = divide(static_cast<int>(i));
      else if (rule.kind == "field") {
        a = lengths(cellEdges([](std::size_t) { return true; }));
        double budget = slotNumber(rule, "budget", m_part.unit);
        a.asked = budget > 0 ? formatNumber(budget) + " elements" : "the sizes of " + rule.get("array");
        if (budget > 0) a.got = std::to_string(m.cells.size()) + " elements";
      } else {
        a = lengths(targetEdges(rule.get("on")));
        a.asked = rule.kind == "curve" ? "turn " + rule.get("turn") : rule.get("length");
      }
      a.rule = static_cast<int>(i);
      a.id = rule.kind + "-" + std::to_string(i + 1);
      r.push_back(a);
    }
    return r;
  }

private:
  const Brief& m_brief;
  const Part& m_part;
  const Mesh& m;
  const std::vector<ResolvedGroup>& m_groups;
  const SizeRequest& m_request;
  const std::vector<ThroughFace>& m_thin;

  std::string text(double length) const { return formatNumber(length, 4) + " " + m_part.unit; }
  const Vec3& node(std::int32_t n) const { return m.nodes[static_cast<std::size_t>(n)]; }
  AskedGot lengths(std::vector<double> l) const { return quantiles(l, m_part.unit); }

  template <class F> std::vector<double> cellEdges(F&& wanted) const {
    std::vector<double> l;
    for (std::size_t c = 0; c < m.cells.size(); ++c) {
      if (!wanted(c)) continue;
      const auto q = m.cells.of(c);
      m.cells.forEdges(c, [&](int a, int b, int) {
        l.push_back((node(q[static_cast<std::size_t>(a)]) - node(q[static_cast<std::size_t>(b)])).norm());
      });
    }
    return l;
  }

  /// Edges of the boundary elements on the faces of a target, along its edges, and at its points.
  std::vector<double> targetEdges(const std::string& on) const {
    auto ofFaces = targetEntities(on, Dim::Face, m_part, m_groups);
    std::set<int> faces(ofFaces.begin(), ofFaces.end()), edges, points;
    for (const auto& name : splitList(on))
      for (const auto& g : m_groups) {
        if (g.name != name) continue;
        if (g.dim == Dim::Edge) edges.insert(g.entities.begin(), g.entities.end());
        if (g.dim == Dim::Point) points.insert(g.entities.begin(), g.entities.end());
      }
    std::vector<double> l;
    for (std::size_t f = 0; f < m.faces.size(); ++f) {
      bool onFace = faces.count(m.faceLink[f]) > 0;
      if (!onFace && edges.empty() && points.empty()) continue;
      auto n = m.faces.of(f);
      const int k = static_cast<int>(m.faces.cornerCount(f));
      for (int i = 0; i < k; ++i) {
        auto a = n[static_cast<std::size_t>(i)], b = n[static_cast<std::size_t>((i + 1) % k)];
        auto tip = [&](std::int32_t v) {
          const auto& x = m.nodeLink[static_cast<std::size_t>(v)];
          return x.dim == 0 && points.count(x.entity) > 0;
        };
        if (onFace || (onEdges(a, edges) && onEdges(b, edges)) || tip(a) || tip(b))
          l.push_back((node(a) - node(b)).norm());
      }
    }
    return l;
  }
  bool onEdges(std::int32_t n, const std::set<int>& edges) const {
    const auto& x = m.nodeLink[static_cast<std::size_t>(n)];
    if (x.dim == 1) return edges.count(x.entity) > 0;
    if (x.dim != 0) return false;
    for (int e : edges)
      if (m_part.edges[static_cast<std::size_t>(e)].points[0] == x.entity ||
          m_part.edges[static_cast<std::size_t>(e)].points[1] == x.entity)
        return true;
    return false;
  }

  AskedGot through(int rule) const {
    AskedGot a;
    for (const auto& t : m_request.through) {
      if (t.rule != rule) continue;
      a.asked = std::to_string(t.count) + (t.gaps ? " across gaps" : " through walls");
      double floor = t.floor > 0 ? t.floor : m_request.overall.resolved().minimum, area = 0, reached = 0;
      for (const auto& f : m_thin) {
        int face = m.faceLink[static_cast<std::size_t>(f.face)];
        if (!t.faces.empty() && (face < 0 || !t.faces[static_cast<std::size_t>(face)])) continue;
        // Where the floor holds, fewer are asked for.
        int want = std::min(t.count, static_cast<int>(f.thickness / floor + 1e-9));
        if (want < 1) continue;
        double w = faceArea(m, static_cast<std::size_t>(f.face));
        area += w;
        if (f.count >= want) reached += w;
      }
      if (t.gaps) {
        acrossGaps(t, floor, a);
        continue;
      }
      a.share = area > 0 ? reached / area : 1;
      a.got = area > 0 ? "on " + formatNumber(100 * a.share, 4) + " % of the thin area" : "nothing is thin there";
    }
    return a;
  }

  /// The gap itself is not meshed: counted is how many elements as long as those of its sides fit across it.
  void acrossGaps(const ThroughSize& t, double floor, AskedGot& a) const {
    const SizeSettings s = m_request.overall.resolved();
    const double largest = std::min(s.target, s.maximum);
    ThinQuery query{.gaps = true, .faces = t.faces, .below = largest / sizeThrough(1, t.count), .finest = floor};
    std::vector<std::vector<std::size_t>> ofFace(m_part.faces.size());
    for (std::size_t f = 0; f < m.faces.size(); ++f)
      if (m.faceLink[f] >= 0) ofFace[static_cast<std::size_t>(m.faceLink[f])].push_back(f);
    std::map<int, Bvh> trees;
    double area = 0, reached = 0, least = std::numeric_limits<double>::max();
    Vec3 where = Vec3::Zero();
    for (const ThinPiece& p : thinPieces(m_part, query)) {
      const auto& mine = ofFace[static_cast<std::size_t>(p.face)];
      auto corner = [&](std::size_t f, std::size_t k) { return node(m.faces.of(f)[k % 3]); };
      auto [it, fresh] = trees.try_emplace(p.face);
      if (fresh) {
        std::vector<Box> boxes(mine.size());
        for (std::size_t i = 0; i < mine.size(); ++i)
          for (std::size_t k = 0; k < 3; ++k) boxes[i].add(corner(mine[i], k));
        it->second.build(boxes);
      }
      const Vec3 at = (p.at[0] + p.at[1] + p.at[2]) / 3;
      double best = std::numeric_limits<double>::max();
      const int found = it->second.minimum(
          best, [&](const Box& b, int) { return b.distance2(at); },
          [&](int i) {
            const std::size_t f = mine[static_cast<std::size_t>(i)];
            const Vec3 w = closestOnTriangle(at, corner(f, 0), corner(f, 1), corner(f, 2));
            return (w[0] * corner(f, 0) + w[1] * corner(f, 1) + w[2] * corner(f, 2) - at).squaredNorm();
          });
      if (found < 0) continue;
      const std::size_t f = mine[static_cast<std::size_t>(found)];
      double edge = 0;
      for (std::size_t k = 0; k < 3; ++k) edge += (corner(f, k + 1) - corner(f, k)).norm() / 3;
      const double fit = p.thickness / edge, piece = triangleArea(p.at[0], p.at[1], p.at[2]);
      if (fit < least) least = fit, where = at;
      area += piece;
      // As many as fit when counted in whole elements.
      if (std::round(fit) >= std::min<double>(t.count, std::floor(p.thickness / floor + 1e-9))) reached += piece;
    }
    a.share = area > 0 ? reached / area : 1;
    a.got = area > 0 ? "on " + formatNumber(100 * a.share, 4) + " % of the area at gaps; fewest " +
                           formatNumber(least, 2) + " at " + formatPoint(where)
                     : "there are no such gaps";
  }

  AskedGot zone(int rule) const {
    AskedGot a;
    for (const auto& z : m_request.zones) {
      if (z.rule != rule) continue;
      a = lengths(cellEdges([&](std::size_t c) {
        Vec3 mid = Vec3::Zero();
        const auto q = m.cells.corners(c);
        for (auto n : q) mid += node(n) / static_cast<double>(q.size());
        return z.zone.distance(mid) == 0;
      }));
      a.asked = text(z.size);
    }
    return a;
  }

  AskedGot divide(int rule) const {
    AskedGot a;
    std::set<int> edges;
    for (const auto& [e, d] : m_request.divisions) {
      if (d.rule != rule) continue;
      edges.insert(e);
      a.asked = d.divisions > 0 ? std::to_string(d.divisions) + " elements"
                : d.length > 0  ? text(d.length)
                : d.more != 0
                    ? std::to_string(std::abs(d.more)) + (d.more > 0 ? " more" : " fewer") + " than the size asks"
                    : "nodes as on " + m_brief.rules[static_cast<std::size_t>(rule)].get("like");
    }
    std::map<int, int> inner;
    for (const auto& x : m.nodeLink)
      if (x.dim == 1 && edges.count(x.entity)) ++inner[x.entity];
    // Mid nodes of quadratic elements lie on the edge as well.
    std::map<int, int> mids;
    for (auto n : midNodesOf(m))
      if (const auto& x = m.nodeLink[static_cast<std::size_t>(n)]; x.dim == 1 && edges.count(x.entity))
        ++mids[x.entity];
    int least = std::numeric_limits<int>::max(), most = 0;
    for (int e : edges) {
      const int n = inner[e] - mids[e] + 1;
      least = std::min(least, n);
      most = std::max(most, n);
    }
    std::string asked = a.asked;
    a = lengths(targetEdgesOf(edges));
    a.asked = asked;
    if (!edges.empty())
      a.got = std::to_string(least) + (most > least ? " to " + std::to_string(most) : "") + " elements, " + a.got;
    return a;
  }
  std::vector<double> targetEdgesOf(const std::set<int>& edges) const {
    std::vector<double> l;
    std::set<std::pair<std::int32_t, std::int32_t>> seen;
    for (std::size_t f = 0; f < m.faces.size(); ++f) {
      auto n = m.faces.of(f);
      const int k = static_cast<int>(m.faces.cornerCount(f));
      for (int i = 0; i < k; ++i) {
        auto a = n[static_cast<std::size_t>(i)], b = n[static_cast<std::size_t>((i + 1) % k)];
        const auto &x = m.nodeLink[static_cast<std::size_t>(a)], &y = m.nodeLink[static_cast<std::size_t>(b)];
        bool along = (x.dim == 1 && edges.count(x.entity) && onEdges(b, {x.entity})) ||
                     (y.dim == 1 && edges.count(y.entity) && onEdges(a, {y.entity}));
        if (along && seen.insert(std::minmax(a, b)).second) l.push_back((node(a) - node(b)).norm());
      }
    }
    return l;
  }
};

/// Tells flat elements that the part's own sharp edges and corners enforce from those that it does not.
void judgeFlat(RunResult& run, const std::string& unit) {
  const Mesh& m = run.mesh;
  const auto own = ownAngles(m);
  const auto& angle = run.audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)];
  std::size_t sharpest = 0;
  run.angleElsewhere = 180;
  for (std::size_t n = 0; n < own.size(); ++n)
    if (own[n] < own[sharpest]) sharpest = n;
  if (!own.empty()) run.ownAngle = own[sharpest];
  std::vector<std::int32_t> flat;
  for (std::size_t c = 0; c < angle.value.size(); ++c) {
    if (angle.value[c] < kFlatAngle) {
      flat.push_back(static_cast<std::int32_t>(c));
      continue;
    }
    const auto n = m.cells.of(c);
    if (std::none_of(n.begin(), n.end(), [&](auto v) { return own[static_cast<std::size_t>(v)] < kFlatAngle; }))
      run.angleElsewhere = std::min<double>(run.angleElsewhere, angle.value[c]);
  }
  const FlatCells cause = causesOfFlatness(m, own, flat, kFlatAngle);
  for (auto c : cause.elsewhere)
    run.angleElsewhere = std::min<double>(run.angleElsewhere, angle.value[static_cast<std::size_t>(c)]);
  const std::size_t touching = cause.touching.size(), beside = cause.beside.size();
  if (touching + beside == 0) return;
  Problem p;
  p.severity = Severity::Note;
  p.code = "mesh.own-angle";
  p.what = std::to_string(touching) + " of " + std::to_string(flat.size()) + " flat elements touch an edge or corner " +
           "where the part itself has an angle down to " + formatNumber(run.ownAngle, 2) + " degrees";
  if (beside)
    p.what +=
        ", and " + std::to_string(beside) + " more stand in the wedge beside it where it is thinner than they are";
  p.places.push_back(m.nodes[sharpest]);
  p.where = "sharpest at " + formatPoint(p.places[0]) + " " + unit;
  p.why = "no mesh can have a larger angle there than the part";
  p.todo = "cut the sharp rim off where the part was drawn, if the place matters";
  run.problems.push_back(p);
}

/// Why a place has fewer elements from side to side than a rule asks for: its floor, or what the mesh has there.
void whyFew(const RunResult& run, const SizeRequest& request, const ThinPlace& place, Problem& p) {
  const Mesh& m = run.mesh;
  const std::string unit = " " + m.unit;
  const int face = m.faceLink[static_cast<std::size_t>(place.faces.front())];
  int count = 0;
  double floor = 0;
  for (const auto& t : request.through)
    if (!t.gaps && t.count > count && (t.faces.empty() || (face >= 0 && t.faces[static_cast<std::size_t>(face)]))) {
      count = t.count;
      floor = t.floor > 0 ? t.floor : request.overall.resolved().minimum;
    }
  const double wanted = place.thickness / std::max(1, count);
  if (!count) {
    p.why = "the rule 'through' does not act on the faces there";
    p.todo = "widen its target, or add another one";
    return;
  }
  if (floor > wanted) {
    p.why = "the floor of " + formatNumber(floor, 3) + unit + " holds the size up there: " + std::to_string(count) +
            " elements would be " + formatNumber(wanted, 3) + unit + " each";
    p.todo = "lower the floor of the rule, or the 'minimum' in the rule 'everywhere'";
    return;
  }
  double length = 0;
  std::size_t edges = 0;
  for (auto f : place.faces) {
    const auto q = m.faces.of(static_cast<std::size_t>(f));
    const std::size_t k = m.faces.cornerCount(static_cast<std::size_t>(f));
    for (std::size_t i = 0; i < k; ++i, ++edges)
      length += (m.nodes[static_cast<std::size_t>(q[i])] - m.nodes[static_cast<std::size_t>(q[(i + 1) % k])]).norm();
  }
  length /= static_cast<double>(std::max<std::size_t>(1, edges));
  if (length > wanted) {
    p.why = "elements there are " + formatNumber(length, 3) + unit + " long, more than the wall's thickness over " +
            std::to_string(count) + ", " + formatNumber(wanted, 3) + unit;
    p.todo = "ask for a smaller size on the faces there";
    return;
  }
  p.why = "elements there are short enough (" + formatNumber(length, 3) + unit +
          "), but askew: the shortest way through takes fewer of their edges than fit straight across";
  p.todo = "ask for one element more, if the place matters";
}

/// All that is said about a mesh once it stands: audit, thin places, asked/got, flat elements.
void judgeRun(RunResult& run, const Part& part, const SizeRequest& request, Progress& progress) {
  progress.stage("Audit", 0.95, 1);
  auto t0 = std::chrono::steady_clock::now();
  run.audit = auditMesh(run.mesh, briefLimits(run.brief, run.mesh, overallTarget(run.brief, part)), &progress);
  progress.check();
  for (const auto& f : run.audit.soundness.flaws) {
    Problem p;
    p.code = "mesh.unsound";
    p.what = f.what;
    p.places = f.places;
    if (!p.places.empty()) p.where = "first at " + formatPoint(p.places[0]) + " " + part.unit;
    p.why = "a solver may refuse the mesh, or compute nonsense there";
    p.todo = "mesh again, or mend the file that the mesh comes from";
    run.problems.push_back(p);
  }
  run.timings.push_back({"audit", std::chrono::duration<double>(std::chrono::steady_clock::now() - t0).count()});
  int wanted = 0;
  for (const auto& t : request.through)
    if (!t.gaps) wanted = std::max(wanted, t.count);
  if (!wanted) wanted = 2;
  progress.stage("Counting through walls", 0.97, 1);
  t0 = std::chrono::steady_clock::now();
  auto thin = countThrough(run.mesh, wanted, &progress);
  run.through = throughReport(run.mesh, thin, wanted);
  run.timings.push_back({"through", std::chrono::duration<double>(std::chrono::steady_clock::now() - t0).count()});
  bool asked = false;
  for (const auto& t : request.through) asked = asked || !t.gaps;
  const bool linear = ordersOf(run.mesh).linear;
  // Linear elements bend far too stiffly alone in a wall; quadratic ones are judged by what was asked for.
  if ((asked || linear) && !run.through.places.empty() && run.through.share() < 0.99) {
    Problem p;
    p.severity = Severity::Note;
    p.code = "mesh.thin";
    p.what = percentText(1 - run.through.share()) + " of the thin area has fewer than " + std::to_string(wanted) +
             " elements from side to side";
    for (std::size_t i = 0; i < std::min<std::size_t>(run.through.places.size(), 50); ++i)
      p.places.push_back(run.through.places[i].at);
    const ThinPlace& worst = run.through.places.front();
    p.where = std::to_string(run.through.places.size()) + " places, the first with " + std::to_string(worst.count) +
              " at " + formatPoint(worst.at) + ", " + formatNumber(worst.thickness, 3) + " " + part.unit + " thick";
    if (asked)
      whyFew(run, request, worst, p);
    else {
      p.why = "the walls are thin against the size";
      p.todo = "add the rule 'through' if the walls bend";
    }
    if (!asked) p.fix = "ask for " + std::to_string(wanted) + " through walls";
    run.problems.push_back(p);
  }
  const Brief plain = settled(run.brief, &part);
  run.rules = Comparison(plain, part, run.mesh, run.groups, request, thin).all();
  judgeFlat(run, part.unit);
}

} // namespace

namespace {
/// What each card of layers came to, as a finding where stacks fall short.
void tellOfLayers(RunResult& run, const LayerWishes& wishes) {
  for (const LayerStack& s : wishes.stacks)
    if (std::none_of(run.layers.begin(), run.layers.end(), [&](const LayerAudit& a) { return a.rule == s.rule; }))
      run.problems.push_back(Problem::of("layers.none", "no layers could be grown")
                                 .as(Severity::Warning)
                                 .at("rule " + std::to_string(s.rule + 1))
                                 .because("they grow in bodies of tetrahedra, and only where room is left beyond them")
                                 .advise("fill the body with tetrahedra, or ask for thinner layers"));
  for (const LayerAudit& a : run.layers) {
    if (a.places.empty() || a.full >= 0.9999 * a.area) continue;
    Problem p =
        Problem::of("layers.short",
                    "layers fall short on " + formatNumber(100 * (1 - a.full / a.area), 3) + " % of their walls" +
                        (a.none > 0 ? ", with none on " + formatNumber(100 * a.none / a.area, 3) + " %" : ""))
            .as(Severity::Note);
    for (std::size_t i = 0; i < std::min<std::size_t>(50, a.places.size()); ++i) p.places.push_back(a.places[i].at);
    const LayerPlace& worst = a.places.front();
    p.where = "most at " + formatPoint(worst.at) + " " + run.mesh.unit + ", in rule " + std::to_string(a.rule + 1);
    p.why = worst.what;
    p.todo = causeRemedy(worst.cause);
    run.problems.push_back(std::move(p));
  }
}
} // namespace

Result<RunResult> runBrief(const Brief& brief, const Part& part, int threads, Progress& progress,
                           const RunResult* before) {
  auto begin = std::chrono::steady_clock::now();
  const MemoryPeak peak;
  RunResult run;
  run.brief = brief;
  run.threads = threads > 0 ? threads : static_cast<int>(std::thread::hardware_concurrency());
  run.problems = problemsOfPart(part, brief);
  for (auto& p : validateBrief(brief, part.unit)) {
    if (p.severity == Severity::Error) return p;
    run.problems.push_back(p);
  }
  progress.stage("Sizes", 0, 0.05);
  run.groups = resolveGroups(brief, part, run.problems);
  SizeRequest request = sizeRequestOf(brief, part, run.groups, run.problems, &progress);
  // What is wrong with one body of the part leaves the others as they are.
  for (std::size_t i = part.problems.size(); i < run.problems.size(); ++i)
    if (run.problems[i].severity == Severity::Error) return run.problems[i];
  // A size that asks for more elements than the machine can hold is refused before anything is built.
  if (!brief.first("take_mesh"))
    if (auto p = tooManyElements(brief, part, request)) return *p;
  MeshOptions options;
  options.threads = run.threads;
  const Fills fills = fillsOf(brief, part, run.groups, run.problems);
  options.order = fills.order;
  double budget = 0;
  for (const auto& s : request.sampled)
    if (s.budget > 0) budget = s.budget;
  const Reuse reuse = before ? reusable(brief, *before) : Reuse::None;
  run.reused = reuse == Reuse::Mesh || reuse == Reuse::OtherOrder;
  const bool taken = brief.first("take_mesh");
  if (budget > 0 && !run.reused && !taken) meetBudget(brief, part, request, 1, progress);
  std::optional<Mesh> kept;
  if (const Rule* r = brief.first("keep_surface")) {
    auto surface = readSurface(brief.resolve(r->get("path")), &progress);
    if (!surface) return surface.problem();
    kept = std::move(*surface);
    options.surface = &*kept;
  }
  const LayerWishes layers = layersOf(brief, part, run.groups, run.problems);
  const auto wishes = [&](const SizeRequest& from) {
    MeshWishes w = meshWishes(from);
    w.fills = fills.wishes;
    w.layers = layers;
    return w;
  };
  std::vector<Problem> atCuts;
  auto meshWith = [&]() -> Result<MeshOutcome> {
    SizeField field = makeSizeField(part, request, &progress);
    atCuts = smallAtCuts(part, request, &progress);
    if (reuse == Reuse::OtherFills && budget == 0)
      if (auto some = reuseBodies(part, field, wishes(request), options, *before, run.keptBodies, progress))
        return std::move(*some);
    auto r = meshPart(part, field, wishes(request), options, progress);
    // What failed: the whole part, or bodies that were left out for it.
    std::optional<Problem> failure;
    if (!r)
      failure = r.problem();
    else
      for (const auto& p : r->problems)
        if (p.severity == Severity::Error && !failure) failure = p;
    if (!failure || field.slender.places.empty() ||
        (failure->code != "part.crossing" && failure->code != "surface.crossing" && failure->code != "tet.recovery"))
      return r;
    // Faces that run through each other a little look like an ever thinner wall; coarser elements may pass over it. And
    // where a wall thins out to nothing, fine surfaces nearly touch over a long way.
    SizeRequest plain = request;
    plain.overall.slender = 0;
    auto again = meshPart(part, makeSizeField(part, plain, &progress), wishes(plain), options, progress);
    if (!again || std::any_of(again->problems.begin(), again->problems.end(),
                              [](const Problem& x) { return x.severity == Severity::Error; }))
      return r;
    Problem p = *failure;
    p.severity = Severity::Warning;
    p.code = "size.slender-off";
    p.what = "thin walls were left with flat elements, as sizes fine enough for them failed: " + p.what;
    p.why = "elements fine enough for walls that thin would show the crossing; the coarser ones pass over it";
    again->problems.push_back(p);
    return again;
  };
  auto takenMesh = [&]() -> Result<MeshOutcome> {
    auto read = loadOptionsOf(brief);
    if (!read) return read.problem();
    return takeMesh(part, *read, progress);
  };
  auto m = run.reused ? Result<MeshOutcome>(reuseMesh(brief, part, *before, reuse, progress))
           : taken    ? takenMesh()
                      : meshWith();
  // The forecast is right within a quarter; what a budget asks for is met closer by learning from the mesh made.
  for (int again = 0; m && budget > 0 && !run.reused && !taken && again < 2; ++again) {
    double got = static_cast<double>(m->mesh.cells.size());
    if (std::abs(got / budget - 1) < 0.05) break;
    double forecast = forecastField(brief, part, makeSizeField(part, request, &progress), progress).elements;
    meetBudget(brief, part, request, got / forecast, progress);
    m = meshWith();
  }
  if (!m) return m.problem();
  run.mesh = std::move(m->mesh);
  run.timings = m->timings;
  run.deviation = m->fit.deviation;
  run.normalDeg = m->fit.normalRad * 180 / kPi;
  run.meanNormalDeg = m->fit.meanNormalRad * 180 / kPi;
  run.midNodes = m->midNodes;
  run.bodies = std::move(m->bodies);
  run.faces = std::move(m->faces);
  run.problems.insert(run.problems.end(), m->problems.begin(), m->problems.end());
  run.fromMeshing = std::move(m->problems);
  if (run.reused) {
    run.layers = before->layers;
    run.layersReached = before->layersReached;
  } else if (layers.any()) {
    run.layers = auditLayers(run.mesh, m->layers, layers);
    run.layersReached = layersReached(run.mesh, m->layers, layers);
  }
  tellOfLayers(run, layers);
  if (run.reused)
    for (const auto& p : before->problems)
      if (isSmallAtCut(p)) atCuts.push_back(p);
  run.problems.insert(run.problems.end(), atCuts.begin(), atCuts.end());
  if (const std::string half = halfSentence(part, brief); !half.empty())
    run.problems.push_back(Problem::of("part.half", "this is " + half)
                               .as(Severity::Note)
                               .because("volume, mass, forces and flows of the results are those of that share")
                               .advise("none, if the whole is meant to be symmetric there"));
  attachGroups(run.mesh, run.groups, part);
  for (auto& g : run.mesh.groups)
    for (const auto& r : run.groups)
      if (r.name == g.name && g.dim == 2) g.role = roleOf(run.brief.rules[static_cast<std::size_t>(r.rule)]);
  attachMedia(run, part);
  keepApart(run, part, progress);
  rename(run);
  judgeRun(run, part, request, progress);
  run.geometryVolume = part.volume();
  run.partArea = part.surfaceArea();
  for (const auto& f : part.faces) run.partCenter += f.area / std::max(1e-300, run.partArea) * f.center;
  for (std::size_t f = 0; f < run.mesh.faces.size(); ++f) run.surfaceArea += faceArea(run.mesh, f);
  auto loose = unassignedFaces(part, run.groups);
  if (!loose.empty() && !run.groups.empty() && !brief.first("stay_free")) {
    Problem p;
    p.severity = Severity::Note;
    p.code = "groups.unassigned";
    p.what =
        std::to_string(loose.size()) + (loose.size() == 1 ? " outer face is" : " outer faces are") + " in no group";
    p.faces = loose;
    p.places.push_back(typicalPoint(part, Dim::Face, loose.front()));
    p.where = "first at " + formatPoint(p.places[0]) + " " + part.unit;
    p.why = "no boundary condition can be put on them by name";
    p.todo = "add them to a group if the solver needs them";
    p.fix = "propose groups";
    run.problems.push_back(p);
  }
  run.peakMemory = peak.taken();
  run.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return run;
}

Result<Mesh> surfaceOfBrief(const Brief& brief, const Part& part, int threads, Progress& progress,
                            std::vector<Problem>& problems) {
  for (auto& p : validateBrief(brief, part.unit)) {
    if (p.severity == Severity::Error) return p;
    problems.push_back(p);
  }
  progress.stage("Sizes", 0, 0.05);
  auto groups = resolveGroups(brief, part, problems);
  const SizeRequest request = sizeRequestOf(brief, part, groups, problems, &progress);
  for (const auto& p : problems)
    if (p.severity == Severity::Error) return p;
  MeshOptions options;
  options.threads = threads;
  options.onlySurface = true;
  auto read = loadOptionsOf(brief);
  if (!read) return read.problem();
  if (!brief.first("take_mesh"))
    if (auto p = tooManyElements(brief, part, request)) return *p;
  auto m = brief.first("take_mesh")
               ? takeMesh(part, *read, progress)
               : meshPart(part, makeSizeField(part, request, &progress), meshWishes(request), options, progress);
  if (!m) return m.problem();
  m->mesh.cells = {};
  m->mesh.cellRegion.clear();
  problems.insert(problems.end(), m->problems.begin(), m->problems.end());
  attachGroups(m->mesh, groups, part);
  return std::move(m->mesh);
}

namespace {
/// A run whose mesh was changed by hand or by improving: what was said about it before is said anew.
template <class F>
Result<RunResult> changed(const RunResult& run, const Part& part, Progress& progress, const char* stage, F&& change) {
  auto begin = std::chrono::steady_clock::now();
  RunResult r = run;
  progress.stage(stage, 0, 0.8);
  if (std::optional<Problem> bad = change(r.mesh)) return *bad;
  std::vector<Problem> ignored;
  SizeRequest request = sizeRequestOf(r.brief, part, r.groups, ignored, &progress);
  std::erase_if(r.problems, [](const Problem& p) { return p.code == "mesh.thin" || p.code == "mesh.own-angle"; });
  r.timings.clear();
  r.improved = run.improved + 1;
  judgeRun(r, part, request, progress);
  r.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return r;
}
} // namespace

Result<RunResult> improveRun(const RunResult& run, const Part& part, const std::vector<char>& only,
                             Progress& progress) {
  return changed(run, part, progress, "Improving", [&](Mesh& mesh) -> std::optional<Problem> {
    auto done = improveMesh(mesh, only, progress);
    return done ? std::optional<Problem>() : done.problem();
  });
}

Result<RunResult> runWithNodeMoved(const RunResult& run, const Part& part, std::int32_t node, const Vec3& to,
                                   Progress& progress) {
  return changed(run, part, progress, "Moving a node", [&](Mesh& mesh) -> std::optional<Problem> {
    auto done = moveNode(mesh, part, node, to);
    return done ? std::optional<Problem>() : done.problem();
  });
}

std::optional<MeshFormat> fileFormat(const Rule& rule) {
  return rule.get("format").empty() ? meshFormatOfPath(rule.get("path")) : meshFormatByName(rule.get("format"));
}

Result<double> fileScale(const Brief& brief, const std::string& unit, const Rule& rule) {
  const Slot* slot = ruleKind("hand_over")->slot("scale");
  Rule plain = rule;
  if (rule.get("scale").empty()) {
    const auto format = fileFormat(rule);
    return format ? conventionalScale(*format, unit) : 1.0;
  }
  plain.values["scale"] = settledText(brief, *slot, rule.get("scale"));
  if (auto p = checkSlot(*slot, plain.values["scale"], unit)) return *p;
  return slotNumber(plain, "scale", unit);
}

std::string fileSizeText(const Vec3& size, const std::string& unit, double scale) {
  const Vec3 s = scale * size;
  const std::string there = unitScaled(unit, scale);
  return formatNumber(s.x(), 5) + " x " + formatNumber(s.y(), 5) + " x " + formatNumber(s.z(), 5) + " " +
         (there.empty() ? "(coordinates in " + unit + " times " + formatNumber(scale, 6) + ")" : there);
}

std::optional<Problem> handOver(const RunResult& run, const Rule& rule) {
  std::string path = run.brief.resolve(rule.get("path"));
  const auto format = fileFormat(rule);
  if (!format) {
    Problem p;
    p.fault = Fault::Usage;
    p.code = "file.format";
    p.what = "the format of '" + path + "' is not known";
    p.todo = "name one of vtu, inp, foam, stl, ply";
    return p;
  }
  auto scale = fileScale(run.brief, run.mesh.unit, rule);
  if (!scale) return scale.problem();
  if (std::error_code ec; std::filesystem::equivalent(path, run.brief.partPath(), ec)) {
    Problem p;
    p.fault = Fault::Usage;
    p.code = "file.own";
    p.what = "the mesh would overwrite the file that its part was read from";
    p.where = path;
    p.why = "the brief could not be run again";
    p.todo = "give the file another name";
    return p;
  }
  if (!hasNamesakes(run.mesh)) {
    if (auto p = writeMesh(run.mesh, *format, path, *scale)) return p;
    return verifyWritten(run.mesh, *format, path, *scale);
  }
  Mesh united = run.mesh;
  if (const auto apart = uniteNamesakes(united); !apart.empty())
    return Problem::of("file.namesakes", "regions called '" + apart.front() + "' have different materials or media")
        .by(Fault::Usage)
        .at(path)
        .because("bodies of one name are one region in a file")
        .advise("rename one of them otherwise, or give them the same material and medium");
  if (auto p = writeMesh(united, *format, path, *scale)) return p;
  return verifyWritten(united, *format, path, *scale);
}

nlohmann::json problemJson(const Problem& p) {
  static const char* severities[] = {"note", "warning", "error"};
  nlohmann::json j{{"severity", severities[static_cast<int>(p.severity)]},
                   {"code", p.code},
                   {"what", p.what},
                   {"where", p.where},
                   {"why", p.why},
                   {"todo", p.todo}};
  if (p.places.size() > 50) j["places_in_all"] = p.places.size();
  for (std::size_t i = 0; i < std::min<std::size_t>(p.places.size(), 50); ++i)
    j["places"].push_back({p.places[i].x(), p.places[i].y(), p.places[i].z()});
  return j;
}

nlohmann::json auditReport(const Mesh& m, const Audit& a) {
  nlohmann::json j;
  std::array<std::size_t, kElementTypes> count{};
  for (auto t : m.cells.type) ++count[static_cast<std::size_t>(t)];
  j["elements"] = nlohmann::json::object();
  for (int t = 0; t < kElementTypes; ++t)
    if (const std::size_t n = count[static_cast<std::size_t>(t)])
      j["elements"][std::string(topology(static_cast<ElementType>(t)).name)] = n;
  j["nodes"] = m.nodes.size();
  j["volume"] = a.volume;
  j["unit"] = m.unit;
  std::vector<std::size_t> cells(m.regions.size(), 0);
  std::vector<double> vol(m.regions.size(), 0);
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    auto r = static_cast<std::size_t>(m.cellRegion[c]);
    ++cells[r];
    vol[r] += cellVolume(m, c);
  }
  j["regions"] = nlohmann::json::array();
  for (std::size_t r = 0; r < m.regions.size(); ++r) {
    nlohmann::json x{{"name", m.regions[r]}, {"elements", cells[r]}, {"volume", vol[r]}};
    if (r < m.materials.size() && !m.materials[r].empty()) x["material"] = m.materials[r];
    if (r < m.media.size() && !m.media[r].empty()) x["medium"] = m.media[r];
    j["regions"].push_back(x);
  }
  j["groups"] = nlohmann::json::object();
  static const char* kinds[] = {"points", "edges", "faces", "bodies"};
  for (const auto& g : m.groups) {
    nlohmann::json x{{"kind", kinds[g.dim]}, {"entities", g.entities}, {"elements", g.items.size()}};
    double area = 0;
    if (g.dim == 2)
      for (auto f : g.items) area += faceArea(m, static_cast<std::size_t>(f));
    x["area"] = area;
    if (!g.role.empty()) x["role"] = g.role;
    j["groups"][g.name] = x;
  }
  for (int k = 0; k < kMetrics; ++k) {
    const auto& v = a.metrics[static_cast<std::size_t>(k)];
    const auto& info = metricInfo(static_cast<Metric>(k));
    nlohmann::json x{{"min", v.min}, {"max", v.max}, {"mean", v.mean}, {"unit", info.unit}};
    if (v.known < v.value.size()) x["known"] = v.known; // elements that the metric tells of
    struct OfType {
      double least = 1e300, most = -1e300, sum = 0;
      std::size_t count = 0;
    };
    std::array<OfType, kElementTypes> byType;
    for (std::size_t c = 0; c < v.value.size(); ++c) {
      const double value = v.value[c];
      if (std::isnan(value)) continue;
      OfType& t = byType[static_cast<std::size_t>(m.cells.type[c])];
      t.least = std::min(t.least, value);
      t.most = std::max(t.most, value);
      t.sum += value;
      ++t.count;
    }
    for (int type = 0; type < kElementTypes; ++type)
      if (const OfType& t = byType[static_cast<std::size_t>(type)]; t.count)
        x["by_type"][std::string(topology(static_cast<ElementType>(type)).name)] = {
            {"min", t.least}, {"max", t.most}, {"mean", t.sum / static_cast<double>(t.count)}};
    x["worst"] = nlohmann::json::array();
    for (std::size_t i = 0; i < std::min<std::size_t>(5, v.worst.size()); ++i) {
      Vec3 p = cellCenter(m, static_cast<std::size_t>(v.worst[i]));
      x["worst"].push_back({{"element", v.worst[i] + 1},
                            {"value", v.value[static_cast<std::size_t>(v.worst[i])]},
                            {"at", {p.x(), p.y(), p.z()}}});
    }
    j["metrics"][info.id] = x;
  }
  nlohmann::json limits = nlohmann::json::array();
  for (const auto& r : a.results) {
    limits.push_back({{"metric", metricInfo(r.limit.metric).id},
                      {"at_least", r.limit.atLeast},
                      {"bound", r.limit.bound},
                      {"failing", r.failing},
                      {"accepted", r.accepted},
                      {"accepted_because", r.limit.accepted ? r.limit.accepted->reason : ""},
                      {"share", r.share},
                      {"worst", r.worst},
                      {"at", r.limit.where},
                      {"source", r.limit.source}});
    for (auto t : r.limit.types) limits.back()["types"].push_back(elementWord(t));
    if (const auto places = worstPlaces(m, a, r.limit); !places.empty()) {
      const WorstPlace& p = places[0];
      limits.back()["worst_place"] = {
          {"elements", p.cells.size()}, {"value", p.value},         {"at", {p.at.x(), p.at.y(), p.at.z()}},
          {"groups", p.groups},         {"boundary", p.atBoundary}, {"of", places.size()}};
    }
  }
  j["verdict"] = {{"pass", a.pass},
                  {"set", a.limits.name},
                  {"sentence", a.sentence},
                  {"limits", limits},
                  {"failing_elements", a.failingCells},
                  {"accepted_elements", a.acceptedCells},
                  {"type_not_allowed", a.notAllowedCells},
                  {"type_not_allowed_share", a.notAllowedShare}};
  for (int k = 0; k < kElementClasses; ++k)
    j["verdict"]["classes"][elementClassName(static_cast<ElementClass>(k))] = a.classes[static_cast<std::size_t>(k)];
  const auto& s = a.soundness;
  j["soundness"] = {{"sound", s.sound()},
                    {"inverted", s.inverted},
                    {"open_edges", s.openEdges},
                    {"crowded_edges", s.crowdedEdges},
                    {"duplicate_nodes", s.duplicateNodes},
                    {"duplicate_elements", s.duplicateCells},
                    {"nodes_between_bodies_apart", s.apartNodes},
                    {"unused_nodes", s.unusedNodes},
                    {"non_conforming_faces", s.nonConforming + s.mismatched},
                    {"odd_mid_nodes", s.oddMidNodes},
                    {"holes", s.holes},
                    {"open_polyhedra", s.openCells},
                    {"repeated_corners", s.repeatedCorners},
                    {"flaws", nlohmann::json::array()}};
  for (const auto& f : s.flaws) {
    j["soundness"]["flaws"].push_back({{"what", f.what}, {"places", nlohmann::json::array()}});
    for (const Vec3& p : f.places) j["soundness"]["flaws"].back()["places"].push_back({p.x(), p.y(), p.z()});
  }
  return j;
}

namespace {
/// What each body was filled with and why, and faces of which a body decided what they are made of.
void fillsReport(const RunResult& run, nlohmann::json& j) {
  const Mesh& m = run.mesh;
  if (run.bodies.size() != m.regions.size()) return;
  std::vector<std::array<std::size_t, kElementTypes>> count(m.regions.size());
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    ++count[static_cast<std::size_t>(m.cellRegion[c])][static_cast<std::size_t>(m.cells.type[c])];
  j["bodies"] = nlohmann::json::array();
  for (std::size_t b = 0; b < run.bodies.size(); ++b) {
    nlohmann::json elements = nlohmann::json::object();
    for (int t = 0; t < kElementTypes; ++t)
      if (const auto n = count[b][static_cast<std::size_t>(t)])
        elements[std::string(topology(static_cast<ElementType>(t)).name)] = n;
    j["bodies"].push_back({{"name", m.regions[b]},
                           {"fill", fillName(run.bodies[b].fill)},
                           {"why", run.bodies[b].why},
                           {"elements", elements}});
  }
  j["faces_decided"] = nlohmann::json::array();
  for (std::size_t f = 0; f < run.faces.size(); ++f)
    if (const FacePlan& face = run.faces[f]; face.frozen())
      j["faces_decided"].push_back({{"face", f + 1},
                                    {"made_of", face.quads ? "quadrilaterals" : "triangles"},
                                    {"carried", face.source || face.copied},
                                    {"by", m.regions[static_cast<std::size_t>(face.decidedBy)]},
                                    {"why", face.why},
                                    {"pyramids", face.quads && face.tetSide != 0}});
}
} // namespace

nlohmann::json runReport(const RunResult& run) {
  nlohmann::json j = auditReport(run.mesh, run.audit);
  j["status"] = "ok";
  j["geometry_volume"] = run.geometryVolume;
  j["surface_area"] = run.surfaceArea;
  j["surface_deviation"] = run.deviation;
  j["surface_normal_deg"] = {{"largest", run.normalDeg}, {"mean", run.meanNormalDeg}};
  if (run.midNodes.boundary)
    j["mid_nodes"] = {{"boundary", run.midNodes.boundary},
                      {"straightened", run.midNodes.straightened},
                      {"share", static_cast<double>(run.midNodes.straightened) / run.midNodes.boundary},
                      {"offset", run.midNodes.offset}};
  fillsReport(run, j);
  if (!run.layers.empty()) j["layers"] = layersReport(run.layers, run.brief, run.mesh.unit);
  if (run.keptBodies) j["kept_bodies"] = run.keptBodies;
  j["threads"] = run.threads;
  j["peak_memory_bytes"] = run.peakMemory;
  j["timings"] = nlohmann::json::object();
  for (const auto& [k, v] : run.timings) j["timings"][k] = v;
  j["timings"]["total"] = run.seconds;
  j["angles"] = {{"own", run.ownAngle}, {"elsewhere", run.angleElsewhere}, {"flat_below", kFlatAngle}};
  j["through"] = {{"wanted", run.through.wanted},
                  {"thin_area", run.through.thinArea},
                  {"share", run.through.share()},
                  {"area_by_count", run.through.areaByCount},
                  {"places_in_all", run.through.places.size()},
                  {"places", nlohmann::json::array()}};
  for (std::size_t i = 0; i < std::min<std::size_t>(run.through.places.size(), 50); ++i) {
    const auto& p = run.through.places[i];
    j["through"]["places"].push_back({{"at", {p.at.x(), p.at.y(), p.at.z()}},
                                      {"count", p.count},
                                      {"thickness", p.thickness},
                                      {"area", p.area},
                                      {"faces", p.faces.size()}});
  }
  j["problems"] = nlohmann::json::array();
  for (const auto& p : run.problems) j["problems"].push_back(problemJson(p));
  j["rules"] = nlohmann::json::array();
  for (const auto& r : run.rules)
    j["rules"].push_back(
        {{"id", r.id}, {"asked", r.asked}, {"got", r.got}, {"median", r.median}, {"p05", r.low}, {"p95", r.high}});
  for (std::size_t i = 0; i < run.rules.size(); ++i)
    if (run.rules[i].share >= 0) j["rules"][i]["share"] = run.rules[i].share;
  return j;
}

} // namespace tess
