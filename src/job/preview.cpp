// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/preview.h"
#include "base/parallel.h"
#include "base/units.h"
#include "job/cuts.h"
#include "job/edge_counts.h"
#include "job/fills.h"
#include "job/layers.h"
#include "job/run.h"
#include "job/size_rules.h"
#include "job/values.h"
#include "mesher/edges/edge_division.h"
#include "size/opposite.h"
#include "size/turn.h"
#include <algorithm>
#include <cmath>
#include <functional>
#include <numeric>

namespace tess {
namespace {

/// At a place of an edge by its parameter, or of a face.
using EdgeSize = std::function<double(double t, const Vec3&)>;
using FaceSize = std::function<double(int face, const Vec3&)>;

std::string counted(std::size_t n, const char* one, const char* many) {
  return std::to_string(n) + " " + (n == 1 ? one : many);
}

/// The size that one rule, with the overall one, asks for on the edges and faces themselves. What grows from elsewhere
/// and what thin walls need is left to the field: it takes longer than a keystroke may.
class OwnSizes {
public:
  OwnSizes(const Part& part, SizeRequest request) : m_part(part), m_request(std::move(request)) {
    m_request.overall = m_request.overall.resolved();
    const SizeSettings& s = m_request.overall;
    const Follow overall{s.turnDeg, 0, s.minimum};
    const double top = s.target;
    for (std::size_t d = 0; d < 2; ++d) {
      const auto n = d ? part.faces.size() : part.edges.size();
      m_follow[d].assign(n, overall);
      m_size[d].assign(n, top);
    }
    for (const auto& l : m_request.turns)
      for (int id : l.entities) {
        const Follow w{l.turnDeg, l.deviation, l.floor > 0 ? l.floor : s.minimum};
        if (l.dim == Dim::Edge) m_follow[0][static_cast<std::size_t>(id)] = w;
        if (l.dim != Dim::Face) continue;
        m_follow[1][static_cast<std::size_t>(id)] = w;
        for (int e : part.faces[static_cast<std::size_t>(id)].edges) m_follow[0][static_cast<std::size_t>(e)] = w;
      }
    auto lower = [&](std::size_t d, int id, double h) {
      auto& x = m_size[d][static_cast<std::size_t>(id)];
      x = std::min(x, h);
    };
    auto lowerFace = [&](int f, double h) {
      lower(1, f, h);
      for (int e : part.faces[static_cast<std::size_t>(f)].edges) lower(0, e, h);
    };
    for (const auto& l : m_request.local)
      for (int id : l.entities) {
        if (l.dim == Dim::Edge) lower(0, id, l.size);
        if (l.dim == Dim::Face) lowerFace(id, l.size);
        if (l.dim == Dim::Body)
          for (int f : part.bodies[static_cast<std::size_t>(id)].faces) lowerFace(f, l.size);
      }
    for (std::size_t e = 0; e < part.edges.size(); ++e)
      if (part.edges[e].length >= s.bridging.tolerance)
        lower(0, static_cast<int>(e), std::max(part.edges[e].length, s.minimum));
  }
  double onEdge(int edge, double t, const Vec3& x) const {
    const auto e = static_cast<std::size_t>(edge);
    double h = std::min(m_size[0][e], follow(m_follow[0][e], m_part.shape->edgeCurvature(edge, t)));
    for (int f : m_part.edges[e].faces) h = std::min(h, turnOf(f, x));
    return inZones(h, x);
  }
  double onFace(int face, const Vec3& x) const {
    return inZones(std::min(m_size[1][static_cast<std::size_t>(face)], turnOf(face, x)), x);
  }
  const SizeRequest& request() const { return m_request; }

private:
  struct Follow {
    double turn, deviation, floor;
  };
  const Part& m_part;
  SizeRequest m_request;
  std::array<std::vector<Follow>, 2> m_follow; ///< of edges, of faces
  std::array<std::vector<double>, 2> m_size;
  static double follow(const Follow& w, double curvature) {
    return std::max(sizeOnCurve(curvature, w.turn, w.deviation), w.floor);
  }
  double turnOf(int face, const Vec3& x) const {
    const auto& w = m_follow[1][static_cast<std::size_t>(face)];
    const PartFace& f = m_part.faces[static_cast<std::size_t>(face)];
    if (f.kind == SurfaceKind::Plane || (w.turn <= 0 && w.deviation <= 0)) return 1e300;
    if (f.radius > 0) return follow(w, 1 / f.radius);
    return follow(w, m_part.shape->projectToFace(face, x).curvature);
  }
  double inZones(double h, const Vec3& x) const {
    const double slope = std::max(0.0, m_request.overall.growth - 1);
    for (const auto& z : m_request.zones) h = std::min(h, z.size + slope * z.zone.distance(x));
    return h;
  }
};

/// Nodes inside an edge for a size along it; ends are not counted among the marks.
struct Walk {
  int elements = 1;
  std::vector<Vec3> marks;
};

Walk walkEdge(const Part& part, int edge, const EdgeSize& size, const EdgeDivision* division) {
  const PartEdge& e = part.edges[static_cast<std::size_t>(edge)];
  Walk w;
  if (e.length <= 0) return w;
  // A table of places along the edge: arc length, and elements so far.
  const double middle = size(0.5 * (e.t0 + e.t1), part.shape->edgePoint(edge, 0.5 * (e.t0 + e.t1)));
  const int n = std::clamp(static_cast<int>(2 * e.length / std::max(middle, 1e-12 * e.length)), 8, 60);
  std::vector<Vec3> at;
  std::vector<double> along{0}, count{0};
  for (int i = 0; i <= n; ++i) {
    at.push_back(part.shape->edgePoint(edge, e.t0 + (e.t1 - e.t0) * i / n));
    if (i == 0) continue;
    const auto k = static_cast<std::size_t>(i);
    const double step = (at[k] - at[k - 1]).norm();
    along.push_back(along.back() + step);
    count.push_back(count.back() + step / size(e.t0 + (e.t1 - e.t0) * (i - 0.5) / n, 0.5 * (at[k] + at[k - 1])));
  }
  std::vector<double> shares; // of `measure`, where the nodes stand
  const std::vector<double>* measure = &count;
  if (division && division->own()) {
    measure = &along;
    shares = divisionShares(*division, e.length);
  } else {
    const int elements =
        std::clamp(static_cast<int>(std::lround(count.back())) + (division ? division->more : 0), 1, 1000000);
    for (int k = 1; k < elements && shares.size() < kPreviewMarks; ++k)
      shares.push_back(static_cast<double>(k) / elements);
    w.elements = elements;
  }
  if (division && division->own()) w.elements = static_cast<int>(shares.size()) + 1;
  for (double s : shares) {
    const double x = s * measure->back();
    const auto up = std::upper_bound(measure->begin(), measure->end(), x);
    const auto k = std::clamp<std::ptrdiff_t>(up - measure->begin(), 1, n);
    const double a = (*measure)[static_cast<std::size_t>(k - 1)], b = (*measure)[static_cast<std::size_t>(k)];
    const double t = (static_cast<double>(k - 1) + (b > a ? (x - a) / (b - a) : 0)) / n;
    w.marks.push_back(part.shape->edgePoint(edge, e.t0 + (e.t1 - e.t0) * t));
  }
  return w;
}

/// Triangles on faces for a size over them: 4 / sqrt(3) to the square of the size.
double trianglesOn(const Part& part, const std::vector<int>& faces, const FaceSize& size, Progress& progress) {
  std::vector<char> on(part.faces.size(), 0);
  double area = 0;
  for (int f : faces) {
    on[static_cast<std::size_t>(f)] = 1;
    area += part.faces[static_cast<std::size_t>(f)].area;
  }
  // Beside what is fine the size grows over few elements: halves of a piece that is many of them long are asked, and
  // theirs, as long as they differ.
  constexpr int kHalved = 6;
  constexpr double kElementsAcross = 3;
  const double longest = 0.15 * std::sqrt(std::max(area, 1e-300)); // some hundred pieces suffice for two digits
  const auto& t = part.display;
  auto corners = [&](std::size_t i) {
    std::array<Vec3, 3> c;
    for (std::size_t k = 0; k < 3; ++k) c[k] = t.points[static_cast<std::size_t>(t.triangles[i][k])];
    return c;
  };
  auto areaOf = [](const std::array<Vec3, 3>& q) { return 0.5 * (q[1] - q[0]).cross(q[2] - q[0]).norm(); };
  // Where the display is finer than that, one triangle speaks for those just before it on its face.
  struct Sample {
    std::size_t triangle;
    double times; ///< the area it speaks for over its own
  };
  std::vector<Sample> samples;
  for (std::size_t i = 0; i < t.triangles.size();) {
    const int f = t.triangleFace[i];
    const double enough = std::min(0.1 * longest * longest, part.faces[static_cast<std::size_t>(f)].area / 24);
    double spoken = 0, own = 0;
    const std::size_t first = i;
    for (; i < t.triangles.size() && t.triangleFace[i] == f; ++i) {
      if (!on[static_cast<std::size_t>(f)]) continue;
      spoken += own = areaOf(corners(i));
      const bool last = i + 1 == t.triangles.size() || t.triangleFace[i + 1] != f;
      if (own <= 0 || (spoken < enough && !last)) continue;
      samples.push_back({i, spoken / own});
      spoken = 0;
    }
    if (spoken > 0 && !samples.empty() && samples.back().triangle >= first) // the last ones have no area of their own
      samples.back().times += spoken / areaOf(corners(samples.back().triangle));
  }
  std::vector<double> shares(samples.size(), 0); // summed in one order, whatever the number of threads
  parallelFor(
      shares.size(), &progress,
      [&](std::size_t i) {
        const int face = t.triangleFace[samples[i].triangle];
        const auto add = [&](auto& again, const std::array<Vec3, 3>& q, double before, int halved) -> void {
          const double h = size(face, (q[0] + q[1] + q[2]) / 3);
          const std::size_t k = longestSide(q);
          const Vec3 &a = q[k], &b = q[(k + 1) % 3], &c = q[(k + 2) % 3], m = 0.5 * (a + b);
          const bool varies = std::abs(h - before) > 0.05 * before;
          if (varies && halved < kHalved && (a - b).squaredNorm() > kElementsAcross * kElementsAcross * h * h) {
            again(again, {a, m, c}, h, halved + 1);
            again(again, {m, b, c}, h, halved + 1);
          } else {
            shares[i] += samples[i].times * areaOf(q) / (h * h);
          }
        };
        forPieces(corners(samples[i].triangle), longest, [&](const std::array<Vec3, 3>& q) { add(add, q, 0, 0); });
      },
      64);
  return 4 / std::sqrt(3.0) * std::accumulate(shares.begin(), shares.end(), 0.0);
}

std::vector<std::array<Vec3, 2>> outlineOf(const Zone& z) {
  std::vector<std::array<Vec3, 2>> r;
  auto ring = [&](const Vec3& centre, const Vec3& normal, double radius) {
    if (radius <= 0) return;
    const Vec3 u = normal.unitOrthogonal(), v = normal.cross(u);
    constexpr int n = 48;
    auto at = [&](int i) -> Vec3 {
      return centre + radius * (std::cos(2 * kPi * i / n) * u + std::sin(2 * kPi * i / n) * v);
    };
    for (int i = 0; i < n; ++i) r.push_back({at(i), at(i + 1)});
  };
  switch (z.kind) {
  case Zone::Kind::Box:
    for (int i = 0; i < 8; ++i)
      for (int k = 0; k < 3; ++k) {
        if (i & 1 << k) continue;
        auto corner = [&](int c) {
          return Vec3(c & 1 ? z.b.x() : z.a.x(), c & 2 ? z.b.y() : z.a.y(), c & 4 ? z.b.z() : z.a.z());
        };
        r.push_back({corner(i), corner(i | 1 << k)});
      }
    break;
  case Zone::Kind::Sphere:
    for (int k = 0; k < 3; ++k) ring(z.a, Vec3::Unit(k), z.radius);
    break;
  case Zone::Kind::Cylinder:
  case Zone::Kind::Cone: {
    const Vec3 axis = (z.b - z.a).normalized();
    const double end = z.kind == Zone::Kind::Cylinder ? z.radius : z.radiusEnd;
    ring(z.a, axis, z.radius);
    ring(z.b, axis, end);
    const Vec3 u = axis.unitOrthogonal(), v = axis.cross(u);
    for (const Vec3& d : {u, v, Vec3(-u), Vec3(-v)}) r.push_back({z.a + z.radius * d, z.b + end * d});
    break;
  }
  }
  return r;
}

/// Names of groups that a rule acts on: its own name, or those of its first target.
std::string targetOf(const Rule& r) {
  if (r.kind == "group") return r.get("name");
  if (const RuleKind* k = ruleKind(r.kind))
    for (const auto& s : k->entries)
      if (s.type == SlotType::Target && !r.get(s.key).empty()) return r.get(s.key);
  return "";
}

std::string countOf(Dim dim, std::size_t n) {
  const std::string many = dim == Dim::Body ? "bodies" : std::string(dimName(dim)) + "s";
  return n == 0 ? "matches nothing" : counted(n, dimName(dim), many.c_str());
}

} // namespace

std::string roughly(double n) {
  if (!(n < 1e12)) return formatNumber(n, 2); // no count any more
  const double unit = n >= 100 ? std::pow(10, std::floor(std::log10(n)) - 1) : 1;
  std::string t = std::to_string(std::llround(std::round(n / unit) * unit));
  for (std::size_t i = t.size(); i > 3;) t.insert(i -= 3, "\u202F");
  return t;
}

RulePreview previewTarget(const Rule& rule, const std::vector<ResolvedGroup>& groups) {
  RulePreview p;
  // The first kind of entity that its groups hold, with all of it.
  const auto wanted = splitList(targetOf(rule));
  for (const auto& g : groups) {
    if (std::find(wanted.begin(), wanted.end(), g.name) == wanted.end()) continue;
    if (p.lit.empty()) p.dim = g.dim;
    if (g.dim == p.dim) p.lit.insert(p.lit.end(), g.entities.begin(), g.entities.end());
  }
  std::sort(p.lit.begin(), p.lit.end());
  p.lit.erase(std::unique(p.lit.begin(), p.lit.end()), p.lit.end());
  return p;
}

namespace {
/// Where a sheet that is moved comes to points, middles and the ends and middles of faces.
std::vector<double> snapsAlong(const Part& part, const SheetLook& sheet) {
  std::vector<double> r;
  auto add = [&](const Vec3& p) { r.push_back((p - sheet.at).dot(sheet.normal)); };
  constexpr std::size_t kMost = 2000;
  for (std::size_t i = 0; i < part.points.size() && i < kMost; ++i) add(part.points[i].at);
  for (std::size_t i = 0; i < part.faces.size() && i < kMost; ++i) {
    add(part.faces[i].center);
    if (part.faces[i].radius > 0) add(part.faces[i].box.center()); // near the axis of a hole
  }
  for (const auto& b : part.bodies) add(b.box.center());
  std::sort(r.begin(), r.end());
  const double near = 1e-6 * part.diagonal();
  r.erase(std::unique(r.begin(), r.end(), [&](double a, double b) { return b - a < near; }), r.end());
  return r;
}
} // namespace

Result<RulePreview> previewRule(const Brief& brief, int rule, const Part& part, const std::vector<ResolvedGroup>& known,
                                const SizeField* field, Progress& progress, const Rule* asMade) {
  RulePreview p;
  if (rule < 0 || static_cast<std::size_t>(rule) >= brief.rules.size()) return p;
  const auto at = static_cast<std::size_t>(rule);
  const RuleKind* kind = ruleKind(brief.rules[at].kind);
  if (!kind) return p;
  // The rule and the overall one alone; the others keep their place, so that reasons keep their numbers.
  Brief alone = settled(brief, &part);
  auto counts = [&](const Rule& other) {
    // Which points can be ignored hangs on the edges that are followed.
    const bool forPoints = brief.rules[at].kind == "ignore" && brief.rules[at].get("what") == "points";
    return other.kind == "everywhere" || other.kind == "group" ||
           (forPoints && other.kind == "ignore" && other.get("what") != "points");
  };
  for (std::size_t i = 0; i < alone.rules.size(); ++i)
    if (i != at && !counts(alone.rules[i])) alone.rules[i].off = true;
  alone.rules[at].off = false;
  const Rule& r = alone.rules[at];
  for (const auto& s : kind->entries) {
    auto bad = checkSlot(s, r.get(s.key), part.unit);
    if (bad) return *bad;
  }
  std::vector<Problem> unheard; // they are on the card once the text is taken
  std::vector<ResolvedGroup> changed;
  if (r.kind == "group") changed = resolveGroups(alone, part, unheard);
  const std::vector<ResolvedGroup>& groups = r.kind == "group" ? changed : known;
  progress.check();
  const std::string target = targetOf(r);
  p = previewTarget(r, groups);
  if (r.kind == "overlap")
    for (const auto& name : splitList(r.get("keep")))
      for (std::size_t b = 0; b < part.bodies.size(); ++b)
        if (matchesName(name, part.bodies[b].name) || matchesName(name, part.bodies[b].wholeName()))
          p.dim = Dim::Body, p.lit.push_back(static_cast<int>(b));
  if (r.kind == "group") p.text = countOf(p.dim, p.lit.size());
  if (r.kind == "fill") { // of the bodies for which this card holds, against the others of the brief
    const Fills fills = fillsOf(brief, part, groups, unheard);
    const auto plan = planOf(part, fills.wishes, unheard).bodies;
    std::vector<BodyPlan> mine;
    int unfit = 0;
    p.dim = Dim::Body;
    p.lit.clear();
    for (std::size_t b = 0; b < plan.size(); ++b) {
      if (fills.wishes[b].rule != rule) continue;
      mine.push_back(plan[b]);
      unfit += !fills.wishes[b].metBy(plan[b].fill);
      p.lit.push_back(static_cast<int>(b));
    }
    p.text = mine.empty()
                 ? "holds for no body"
                 : fillSummary(mine) +
                       (unfit ? ": " + std::to_string(unfit) + (unfit == 1 ? " does not fit" : " do not fit") : "");
  }
  if (r.kind == "hand_over")
    if (auto scale = fileScale(alone, part.unit, r))
      p.text = fileSizeText(part.box.size(), part.unit, *scale) + " in the file";
  if ((r.kind == "limit" || r.kind == "accept") && !target.empty())
    p.text = "elements that touch " + countOf(p.dim, p.lit.size());
  if (kind->preview == "sheet") {
    // Its groups and values, and the cuts before it, for its number.
    Brief with = brief;
    with.rules[at].off = false;
    const Part& whole = part.whole ? *part.whole : part;
    const auto cuts = cutsOf(rulesOfCuts(with), with.resolve("."), whole, unheard);
    const int number = cutOfRule(with, rule);
    const auto mine = std::find_if(unheard.begin(), unheard.end(),
                                   [&](const Problem& x) { return x.where == "cut " + std::to_string(number + 1); });
    if (mine != unheard.end()) return *mine;
    progress.check();
    auto looks = looksOf(whole, cuts[static_cast<std::size_t>(number)]);
    if (!looks) return looks.problem();
    for (const auto& l : *looks) p.outline.insert(p.outline.end(), l.lines.begin(), l.lines.end());
    p.sheets = std::move(*looks);
    if (!p.sheets.empty()) p.snaps = snapsAlong(whole, p.sheets.front());
    const auto faces = std::count_if(part.faces.begin(), part.faces.end(),
                                     [&](const PartFace& f) { return part.whole && f.cut == number; });
    if (asMade && *asMade == brief.rules[at] && faces)
      p.text = counted(static_cast<std::size_t>(faces), "face", "faces") +
               (part.half[static_cast<std::size_t>(number)] ? " where it ends" : " between pieces");
    return p;
  }
  if (kind->preview != "edge-marks" && kind->preview != "outline" && r.kind != "ignore") return p;

  SizeRequest request = sizeRequestOf(alone, part, groups, unheard, &progress);
  if (r.kind == "layers") {
    const double h = overallTarget(brief, part);
    p.text = layerText(layerCardOf(r, part.unit, h), part.unit, h);
    return p;
  }
  if (r.kind == "ignore") {
    const bool points = r.get("what") == "points";
    p.dim = points ? Dim::Point : Dim::Edge;
    p.lit.clear();
    const auto& off = points ? request.overall.bridging.ignorePoint : request.overall.bridging.ignoreEdge;
    for (std::size_t e = 0; e < off.size(); ++e)
      if (off[e]) p.lit.push_back(static_cast<int>(e));
    if (p.lit.empty())
      p.text = std::string("no ") + (points ? "point" : "edge") + " can be ignored";
    else
      p.text =
          (points ? counted(p.lit.size(), "point", "points") : counted(p.lit.size(), "edge", "edges")) + " ignored";
    return p;
  }
  const OwnSizes mine(part, std::move(request));
  const bool overall = r.kind == "everywhere";
  // What a rule asks for through walls or from a file is in the field only, as it last was.
  const bool fromField = r.kind == "through" || r.kind == "field";
  const bool same = asMade && *asMade == brief.rules[at];
  auto untargeted = [](Rule q) {
    q.values.erase("target");
    return q;
  };
  // What follows from curves stays then.
  const bool sameShape = asMade && overall && untargeted(*asMade) == untargeted(brief.rules[at]);
  auto others = [&](double h, const Vec3& x) {
    if (!field) return h;
    const SizeReason d = field->deciding(x);
    if (same || d.size >= h) return std::min(h, d.size);
    const bool ours = d.rule == rule || (overall && d.rule == kReasonOverall) ||
                      (overall && !sameShape && d.rule < 0 && d.rule != kReasonSlender && d.rule != kReasonMesher);
    return ours && !fromField ? h : std::min(h, d.size);
  };
  const bool all = target.empty() || target == "everywhere";
  std::vector<int> edges = targetEntities(all ? "everywhere" : target, Dim::Edge, part, groups);
  std::vector<int> faces = targetEntities(all ? "everywhere" : target, Dim::Face, part, groups);
  if (r.kind == "zone") {
    for (const auto& z : mine.request().zones) {
      const auto lines = outlineOf(z.zone);
      p.outline.insert(p.outline.end(), lines.begin(), lines.end());
      std::erase_if(edges, [&](int e) {
        const PartEdge& edge = part.edges[static_cast<std::size_t>(e)];
        return z.zone.distance(part.shape->edgePoint(e, 0.5 * (edge.t0 + edge.t1))) > 0;
      });
    }
    if (mine.request().zones.empty()) edges.clear();
    faces.clear();
  }
  if (p.dim == Dim::Edge && !p.lit.empty()) faces.clear(); // a rule on edges is told by them
  std::size_t elements = 0;
  std::vector<Walk> walks(edges.size());
  const EdgeDivisions divided = divisionsOf(brief, part, groups);
  const auto walk = [&](std::size_t i) {
    const int e = edges[i];
    const EdgeDivision* d = field ? divided.of(e) : nullptr;
    if (d && d->rule == rule) d = nullptr; // as it was
    for (const auto& x : mine.request().divisions)
      if (x.first == e) d = &x.second;
    if (d && !d->like.empty()) d = nullptr; // nodes come from other edges, which only the mesher knows
    walks[i] = walkEdge(
        part, e, [&](double t, const Vec3& x) { return others(mine.onEdge(e, t, x), x); }, d);
  };
  parallelFor(edges.size(), &progress, walk, 1);
  for (const Walk& w : walks) {
    elements += static_cast<std::size_t>(w.elements);
    for (const Vec3& x : w.marks)
      if (p.marks.size() < kPreviewMarks) p.marks.push_back(x);
  }
  if (!edges.empty())
    p.text = counted(elements, "division", "divisions") + " on " + counted(edges.size(), "edge", "edges");
  if (p.marks.size() == kPreviewMarks) p.text += ", the first " + roughly(kPreviewMarks) + " marked";
  for (const auto& [edge, division] : mine.request().divisions)
    if (division.ratio > 1 && division.own()) { // both ways to say how uneven
      const double whole = part.edges[static_cast<std::size_t>(edge)].length;
      std::vector<double> share = divisionShares(division, whole);
      share.insert(share.begin(), 0);
      share.push_back(1);
      double step = 1;
      for (std::size_t k = 2; k < share.size(); ++k) {
        const double a = share[k - 1] - share[k - 2], b = share[k] - share[k - 1];
        step = std::max({step, a / b, b / a});
      }
      p.text += ", each up to " + formatNumber(step, 3) + " times its neighbour";
      break;
    }
  if (r.kind == "divide" && field) {
    std::vector<EdgeDivisions::Pair> exact(divided.begin(), divided.end());
    std::erase_if(exact, [&](const auto& x) { return x.second.rule == rule; });
    for (const auto& x : mine.request().divisions) exact.push_back(x);
    const EdgeCounts planned =
        countsBeforeMeshing(brief, part, groups, *field, EdgeDivisions(std::move(exact)), progress);
    p.follows = followersOf(planned, edges);
    for (int e : p.follows)
      for (double t : divideEdgeInto(part, e, *field, planned.divisions, planned.elements[static_cast<std::size_t>(e)]))
        if (p.marks.size() < kPreviewMarks) p.marks.push_back(part.shape->edgePoint(e, t));
    if (!p.follows.empty()) p.text += "; " + counted(p.follows.size(), "edge follows", "edges follow");
  }
  if (!faces.empty() && r.kind != "divide") {
    const double n = trianglesOn(
        part, faces, [&](int f, const Vec3& x) { return others(mine.onFace(f, x), x); }, progress);
    p.text += (p.text.empty() ? "" : ", ") + std::string("about ") + roughly(n) + " triangles on " +
              counted(faces.size(), "face", "faces");
  }
  if (edges.empty() && faces.empty()) p.text = r.kind == "zone" ? "no edge of the part lies inside" : "matches nothing";
  return p;
}

std::vector<std::string> previewTexts(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
                                      const SizeField& field, Progress& progress) {
  std::vector<std::string> r(brief.rules.size());
  for (std::size_t i = 0; i < r.size(); ++i) {
    const Rule& rule = brief.rules[i];
    if (rule.off || rule.kind == "group") continue; // groups are counted as they are found
    if (auto p = previewRule(brief, static_cast<int>(i), part, groups, &field, progress, &rule)) r[i] = p->text;
  }
  return r;
}

} // namespace tess
