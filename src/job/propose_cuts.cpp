// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/propose_cuts.h"
#include "base/units.h"
#include "geometry/edge_angles.h"
#include "job/cuts.h"
#include "job/groups.h"
#include "job/open_part.h"
#include "mesher/mesher.h"
#include <chrono>
#include <cmath>
#include <map>
#include <set>

namespace tess {
namespace {

constexpr double kInner = kPi + 0.15; ///< above this angle faces meet at an inner corner
constexpr double kSharp = 0.2;

/// A cut that may help, with how much of the inner corners it takes.
struct Candidate {
  std::vector<Rule> rules; ///< in the one piece that needs it, and everywhere
  double weight = 0;
};

/// What a set of cuts makes of a part.
struct Outcome {
  std::shared_ptr<const Part> part;
  double share = 0;       ///< of the volume that is mapped or swept
  double corners = 0;     ///< length of the inner corners of the rest
  std::vector<char> fits; ///< per body
  std::vector<std::vector<EdgeAngle>> angles;
  int sharp = 0;      ///< edges with hardly an angle
  bool sound = false; ///< all cuts could be made, and none leaves more of these
  bool better(const Outcome& o) const {
    if (std::abs(share - o.share) > 1e-6) return share > o.share;
    if (share > 1 - 1e-9) return part->bodies.size() < o.part->bodies.size();
    return corners < o.corners - 1e-9;
  }
};

/// A point inside a body: half way from the middle of a face to what lies across from it.
std::optional<Vec3> pointInside(const Part& part, int body) {
  const PartBody& b = part.bodies[static_cast<std::size_t>(body)];
  std::vector<int> faces = b.faces;
  std::stable_sort(faces.begin(), faces.end(), [&](int x, int y) {
    return part.faces[static_cast<std::size_t>(x)].area > part.faces[static_cast<std::size_t>(y)].area;
  });
  const Tessellation& t = part.display;
  const std::set<int> own(b.faces.begin(), b.faces.end());
  for (int f : faces) {
    const Vec3 p = typicalPoint(part, Dim::Face, f);
    Vec3 in = -part.shape->projectToFace(f, p).normal;
    if (part.faces[static_cast<std::size_t>(f)].bodies[0] != body) in = -in;
    double first = 1e300;
    for (std::size_t i = 0; i < t.triangles.size(); ++i) {
      if (!own.count(t.triangleFace[i])) continue;
      const Vec3 &u = t.points[static_cast<std::size_t>(t.triangles[i][0])],
                 &v = t.points[static_cast<std::size_t>(t.triangles[i][1])],
                 &w = t.points[static_cast<std::size_t>(t.triangles[i][2])];
      const Vec3 e = v - u, g = w - u, h = in.cross(g);
      const double det = e.dot(h);
      if (std::abs(det) < 1e-14 * e.norm() * g.norm()) continue;
      const Vec3 s = p - u, q = s.cross(e);
      const double x = s.dot(h) / det, y = in.dot(q) / det, d = g.dot(q) / det;
      if (x < 0 || y < 0 || x + y > 1 || d < 1e-6 * part.diagonal()) continue;
      first = std::min(first, d);
    }
    if (first < 1e299) return Vec3(p + 0.5 * first * in);
  }
  return {};
}

class Search {
public:
  Search(const Brief& brief, std::shared_ptr<const Part> whole, Progress& progress, const CutSearch& search)
      : m_brief(brief), m_whole(std::move(whole)), m_progress(progress), m_search(search),
        m_begin(std::chrono::steady_clock::now()) {}

  Result<CutProposal> run() {
    CutProposal r;
    m_progress.stage("Trying cuts", 0, 1);
    auto options = loadOptionsOf(m_brief);
    if (!options) return options.problem();
    m_folder = options->folder;
    auto start = withCuts(m_whole, *options);
    if (!start) return start.problem();
    m_start = judged(std::make_shared<const Part>(std::move(*start)), nullptr);
    Outcome now = m_start;
    r.before = now.share;
    std::vector<Rule> kept;
    // One after the other, the best first.
    while (now.share < kAll && static_cast<int>(kept.size()) < m_search.most && !spent()) {
      std::optional<Outcome> best;
      Rule by;
      auto candidates = candidatesOf(now, kept);
      constexpr std::size_t kTry = 12;
      if (candidates.size() > kTry) candidates.resize(kTry);
      for (const Candidate& c : candidates) {
        for (const Rule& rule : c.rules) {
          if (spent()) break;
          auto o = further(now, rule);
          if (!o || !o->sound || !o->better(best ? *best : now)) continue;
          best = std::move(*o);
          by = rule;
        }
        if (best && best->share > kAll) break; // no more can be had
      }
      if (!best) break;
      kept.push_back(by);
      now = std::move(*best);
      m_progress.report(std::min(1.0, std::max(now.share, static_cast<double>(m_tried) / m_search.tries)));
    }
    if (now.share <= r.before + 1e-9) {
      kept.clear();
      now = m_start;
    }
    // Those that only led the way are taken back.
    for (std::size_t k = kept.size(); k-- > 0 && kept.size() > 1;) {
      auto without = kept;
      without.erase(without.begin() + static_cast<std::ptrdiff_t>(k));
      auto o = from(m_start, without);
      if (!o || !o->sound || o->share < now.share - 1e-9) continue;
      kept = std::move(without);
      now = std::move(*o);
    }
    r.rules = kept;
    r.after = now.share;
    r.part = now.part;
    r.pieces = static_cast<int>(now.part->bodies.size());
    r.tried = m_tried;
    r.outOfTime = spent() && now.share < kAll;
    tellWhatHinders(now, r.hinders);
    return r;
  }

private:
  static constexpr double kAll = 1 - 1e-9;
  const Brief& m_brief;
  std::shared_ptr<const Part> m_whole;
  Progress& m_progress;
  CutSearch m_search;
  std::chrono::steady_clock::time_point m_begin;
  std::string m_folder;
  Outcome m_start;
  int m_tried = 0;

  bool spent() const {
    return m_tried >= m_search.tries ||
           std::chrono::duration<double>(std::chrono::steady_clock::now() - m_begin).count() > m_search.seconds;
  }
  std::optional<Outcome> from(const Outcome& base, const std::vector<Rule>& cuts) {
    m_progress.check();
    ++m_tried;
    auto part = cutFurther(base.part, cuts, m_folder);
    if (!part) return {};
    return judged(std::make_shared<const Part>(std::move(*part)), &base);
  }
  std::optional<Outcome> further(const Outcome& base, const Rule& cut) { return from(base, {cut}); }

  /// A round inner corner: where a flat or other face goes over smoothly into a cylinder seen from inside.
  static bool roundsACorner(const Part& part, const EdgeAngle& a, int body, std::size_t side) {
    const auto f = static_cast<std::size_t>(a.faces[side]);
    if (part.faces[f].kind != SurfaceKind::Cylinder || std::abs(a.angle - kPi) > 0.05) return false;
    Vec3 n = part.shape->projectToFace(a.faces[side], a.at).normal;
    if (part.faces[f].bodies[0] != body) n = -n;
    // The axis lies outside: what is beyond it comes down on the far side of the cylinder.
    const double radius = part.faces[f].radius;
    return (part.shape->projectToFace(a.faces[side], a.at + 1.5 * radius * n).point - a.at).norm() > radius;
  }

  Outcome judged(std::shared_ptr<const Part> part, const Outcome* base) const {
    Outcome o;
    o.part = std::move(part);
    auto failures = [](const Part& p) {
      return std::count_if(p.problems.begin(), p.problems.end(),
                           [](const Problem& x) { return x.code.rfind("cut.", 0) == 0; });
    };
    o.sound = !base || failures(*o.part) == failures(*base->part);
    if (!o.sound) return o;
    o.angles = edgeAngles(*o.part);
    for (const auto& body : o.angles)
      for (const EdgeAngle& a : body) o.sharp += a.angle < kSharp;
    o.sound = !base || o.sharp <= base->sharp; // a feathered edge is no way to a good mesh
    if (!o.sound) return o;
    std::vector<FillWish> wishes(o.part->bodies.size());
    for (auto& w : wishes) w.best = true;
    std::vector<Problem> unheard;
    const MeshPlan plan = planOf(*o.part, wishes, unheard);
    double all = 0;
    for (std::size_t k = 0; k < o.part->bodies.size(); ++k) {
      const bool fits = plan.bodies[k].fill != Fill::Tetrahedra;
      o.fits.push_back(fits);
      all += o.part->bodies[k].volume;
      if (fits) {
        o.share += o.part->bodies[k].volume;
        continue;
      }
      for (const EdgeAngle& a : o.angles[k])
        if (a.angle > kInner || roundsACorner(*o.part, a, static_cast<int>(k), 0) ||
            roundsACorner(*o.part, a, static_cast<int>(k), 1))
          o.corners += o.part->edges[static_cast<std::size_t>(a.edge)].length;
    }
    o.share /= all;
    return o;
  }
  /// Rounded where it only has to be near: to a thousandth of the part or so. `exact`: the direction in which it is
  /// not.
  std::string point(const Vec3& p, const Vec3& exact = Vec3::Zero()) const {
    const double step = std::pow(10, std::floor(std::log10(m_whole->diagonal())) - 3);
    Vec3 q;
    for (int k = 0; k < 3; ++k) q[k] = std::round(p[k] / step) * step;
    q -= exact.dot(q - p) * exact;
    std::string s = "(";
    for (int k = 0; k < 3; ++k) s += (k ? ", " : "") + formatNumber(std::abs(q[k]) < 1e-6 * step ? 0 : q[k], 9);
    return s + ")";
  }
  static std::string direction(Vec3 n) {
    n.normalize();
    for (int k = 0; k < 3; ++k) {
      if (std::abs(n[k]) > 1 - 1e-9) n = n[k] > 0 ? Vec3(Vec3::Unit(k)) : Vec3(-Vec3::Unit(k));
      if (std::abs(n[k]) < 1e-9) n[k] = 0;
    }
    return formatNumber(n.x(), 10) + ", " + formatNumber(n.y(), 10) + ", " + formatNumber(n.z(), 10);
  }
  std::string planeKey(Vec3 n, const Vec3& p) const {
    const double grid = 1e-5 * m_whole->diagonal();
    auto round = [&](double v, double unit) { return std::to_string(std::llround(v / unit)) + " "; };
    for (int k = 0; k < 3; ++k)
      if (std::abs(n[k]) > 1e-6) {
        if (n[k] < 0) n = -n;
        break;
      }
    return "p" + round(n.x(), 1e-5) + round(n.y(), 1e-5) + round(n.z(), 1e-5) + round(n.dot(p), grid);
  }
  /// The surface that a face lies on, coarsely, so that faces on one surface are one.
  std::string keyOf(const Part& part, int f) const {
    const PartFace& x = part.faces[static_cast<std::size_t>(f)];
    const double grid = 1e-5 * m_whole->diagonal();
    auto round = [&](double v) { return std::to_string(std::llround(v / grid)) + " "; };
    const Vec3 p = part.shape->projectToFace(f, typicalPoint(part, Dim::Face, f)).point;
    if (x.kind == SurfaceKind::Plane) return planeKey(x.axis, p);
    if (x.kind != SurfaceKind::Cylinder) return "f" + std::to_string(part.whole ? x.from : f);
    // The axis lies one radius to one side or the other: on the one where another point of the face agrees.
    const Vec3 n = part.shape->projectToFace(f, p).normal,
               q = part.shape->projectToFace(f, x.center + x.radius * n).point;
    Vec3 axis = p - x.radius * n;
    auto off = [&](const Vec3& o) {
      const Vec3 d = q - o;
      return std::abs((d - d.dot(x.axis) * x.axis).norm() - x.radius);
    };
    if (off(p + x.radius * n) < off(axis)) axis = p + x.radius * n;
    axis -= axis.dot(x.axis) * x.axis;
    return "c" + round(x.radius) + round(axis.x()) + round(axis.y()) + round(axis.z());
  }
  /// What may help bodies that fit nothing, what takes most of their inner corners first: faces that stop there carried
  /// on, planes where a round corner begins, planes between holes of different directions.
  std::vector<Candidate> candidatesOf(const Outcome& now, const std::vector<Rule>& kept) const {
    const Part& part = *now.part;
    std::map<std::string, Candidate> found;
    for (std::size_t b = 0; b < part.bodies.size(); ++b) {
      if (now.fits[b]) continue;
      const PartBody& body = part.bodies[b];
      const std::string what = m_whole->bodies.size() > 1 ? body.wholeName() : "everything";
      std::optional<Vec3> inside;
      auto add = [&](const std::string& key, double weight, auto&& make) {
        Candidate& c = found[body.name + key];
        c.weight += weight;
        if (!c.rules.empty()) return;
        Rule rule = make();
        if (what != "everything") rule.values["what"] = what;
        if (!body.of.empty()) {
          if (!inside) inside = pointInside(part, static_cast<int>(b));
          if (inside) {
            Rule narrow = rule;
            narrow.values["only"] = point(*inside);
            c.rules.push_back(narrow);
          }
        }
        c.rules.push_back(rule);
      };
      for (const EdgeAngle& a : now.angles[b]) {
        const double length = part.edges[static_cast<std::size_t>(a.edge)].length;
        for (std::size_t side = 0; side < 2; ++side) {
          const int f = a.faces[side];
          const PartFace& x = part.faces[static_cast<std::size_t>(f)];
          if (roundsACorner(part, a, static_cast<int>(b), side)) {
            const PartEdge& e = part.edges[static_cast<std::size_t>(a.edge)];
            const Vec3 along = part.shape->edgePoint(a.edge, e.t1) - part.shape->edgePoint(a.edge, e.t0);
            if (std::abs(along.norm() / std::max(length, 1e-300) - 1) > 1e-6) continue;
            const Vec3 n = along.normalized().cross(part.shape->projectToFace(f, a.at).normal);
            add(planeKey(n, a.at), length, [&] {
              return Rule{"cut", {{"across", direction(n)}, {"at", point(a.at, n)}}, "", false, {}};
            });
          }
          if (a.angle < kInner || (part.whole && x.from < 0) ||
              (x.kind != SurfaceKind::Plane && x.kind != SurfaceKind::Cylinder && x.kind != SurfaceKind::Cone))
            continue;
          add(keyOf(part, f), length * (x.kind == SurfaceKind::Plane ? 1.0 : 0.7), [&] {
            return Rule{"cut_along", {{"at", point(typicalPoint(part, Dim::Face, f))}}, "", false, {}};
          });
        }
      }
      betweenHoles(part, body, add);
    }
    std::vector<Candidate> r;
    for (auto& [key, c] : found) {
      std::erase_if(c.rules, [&](const Rule& x) { return std::find(kept.begin(), kept.end(), x) != kept.end(); });
      if (!c.rules.empty()) r.push_back(std::move(c));
    }
    std::stable_sort(r.begin(), r.end(), [](const auto& x, const auto& y) { return x.weight > y.weight * (1 + 1e-9); });
    return r;
  }
  /// Holes of two directions in one body hinder a sweep along either; a plane between them parts them.
  template <class Add> void betweenHoles(const Part& part, const PartBody& body, Add&& add) const {
    std::vector<int> holes;
    for (int f : body.faces)
      if (part.faces[static_cast<std::size_t>(f)].kind == SurfaceKind::Cylinder && holes.size() < 30)
        holes.push_back(f);
    for (std::size_t i = 0; i < holes.size(); ++i)
      for (std::size_t j = i + 1; j < holes.size(); ++j) {
        const PartFace &x = part.faces[static_cast<std::size_t>(holes[i])],
                       &y = part.faces[static_cast<std::size_t>(holes[j])];
        if (std::abs(x.axis.dot(y.axis)) > 0.99) continue;
        int best = -1;
        double gap = 1e-3 * part.diagonal(), at = 0;
        for (int k = 0; k < 3; ++k)
          for (const auto& [lo, hi] : {std::pair{x.box.hi[k], y.box.lo[k]}, std::pair{y.box.hi[k], x.box.lo[k]}})
            if (hi - lo > gap) gap = hi - lo, best = k, at = 0.5 * (lo + hi);
        if (best < 0) continue;
        Vec3 p = body.box.center();
        p[best] = at;
        add(planeKey(Vec3::Unit(best), p), 0.1 * gap, [&] {
          return Rule{
              "cut", {{"across", direction(Vec3::Unit(best))}, {"at", point(p, Vec3::Unit(best))}}, "", false, {}};
        });
      }
  }
  void tellWhatHinders(const Outcome& now, std::vector<Problem>& out) const {
    constexpr std::size_t kMost = 6;
    const auto fits = fitsOf(*now.part);
    for (std::size_t b = 0; b < now.fits.size() && out.size() < kMost; ++b) {
      if (now.fits[b]) continue;
      std::string why;
      std::vector<Vec3> places;
      for (const auto& no : fits[b].others) {
        why += (why.empty() ? "not " : "; not ") + std::string(fillName(no.fill)) + ", since " + no.why;
        if (places.empty()) places = no.places;
      }
      if (why.empty()) why = "the bodies beside it do not allow it";
      if (places.empty()) places.push_back(now.part->bodies[b].box.center());
      out.push_back(Problem::of("cut.hinders", "'" + now.part->bodies[b].name + "' stays tetrahedra")
                        .as(Severity::Note)
                        .because(why)
                        .advise("cut it there by hand, or leave it")
                        .firstAt(places, now.part->unit));
    }
  }
};

} // namespace

Result<CutProposal> proposeCuts(const Brief& brief, std::shared_ptr<const Part> whole, Progress& progress,
                                const CutSearch& search) {
  return Search(brief, std::move(whole), progress, search).run();
}

Brief withProposal(const Brief& brief, const CutProposal& proposal) {
  Brief b = brief;
  auto at = b.rules.begin();
  for (auto it = b.rules.begin(); it != b.rules.end(); ++it)
    if (isCut(it->kind)) at = it + 1;
  b.rules.insert(at, proposal.rules.begin(), proposal.rules.end());
  bool any = false;
  for (Rule& r : b.rules)
    if (r.kind == "fill" && !r.off) {
      any = true;
      if (r.get("what") == "everything" || r.get("what").empty()) r.values["with"] = kBestFill;
    }
  if (!any) b.rules.push_back({"fill", {{"with", kBestFill}}, "", false, {}});
  return b;
}

std::string proposalSentence(const CutProposal& p) {
  auto share = [](double x) { return formatNumber(std::floor(1000 * x + 1e-6) / 10, 3) + " %"; };
  if (p.rules.empty() && p.before > 1 - 1e-9) return "no cut is needed: all of it can be mapped or swept";
  if (p.rules.empty())
    return "no cut was found that helps: " + share(p.before) + " of the volume can be mapped or swept";
  return std::to_string(p.rules.size()) + (p.rules.size() == 1 ? " cut: " : " cuts: ") + share(p.after) +
         " of the volume can be mapped or swept, " + share(p.before) + " without";
}

} // namespace tess
