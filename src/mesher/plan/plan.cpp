// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/plan/plan.h"
#include <cmath>
#include <map>
#include <set>
#include <utility>

namespace tess {
namespace {

constexpr const char* kWords[kFills] = {"tetrahedra", "mapped", "swept"};
constexpr const char* kCoreWords[kCores] = {"square core", "wedges"};
constexpr const char* kAcrossWords[kAcross] = {"", "quads", "mostly quads", "triangles"};

EqualSums equalSums(const EdgeChain& a, const EdgeChain& b, int face) {
  EqualSums r;
  r.face = face;
  for (const auto& s : a) r.left.push_back(s.edge);
  for (const auto& s : b) r.right.push_back(s.edge);
  return r;
}

std::array<int, 4> sorted(std::array<int, 4> v) {
  std::sort(v.begin(), v.end());
  return v;
}

std::string quoted(const Part& part, int body) { return "'" + part.bodies[static_cast<std::size_t>(body)].name + "'"; }

Problem notFilled(const Part& part, int body, Fill wish, const Fit& fit) {
  Problem p;
  p.severity = Severity::Warning;
  p.code = "fill.unfit";
  p.what = "body " + quoted(part, body) + " gets tetrahedra and is not " + fillName(wish);
  p.why = fit.why;
  p.faces = fit.faces;
  p.places = fit.places;
  if (p.places.empty()) p.places.push_back(part.bodies[static_cast<std::size_t>(body)].box.center());
  p.where = "at " + formatPoint(p.places.front()) + " " + part.unit;
  p.todo = "ask for tetrahedra on this body, or change the part where it hinders";
  return p;
}

} // namespace

const char* fillName(Fill fill) { return kWords[static_cast<int>(fill)]; }
std::vector<std::string> fillNames() { return {std::begin(kWords), std::end(kWords)}; }
std::vector<std::string> fillWords() {
  std::vector<std::string> r = fillNames();
  r.emplace_back(kBestFill);
  return r;
}
std::optional<Fill> fillByName(std::string_view word) {
  for (int k = 0; k < kFills; ++k)
    if (word == kWords[k]) return static_cast<Fill>(k);
  return {};
}

const char* acrossName(Across across) { return kAcrossWords[static_cast<int>(across)]; }
std::vector<std::string> acrossNames() { return {std::begin(kAcrossWords) + 1, std::end(kAcrossWords)}; }
std::optional<Across> acrossByName(std::string_view word) {
  for (int k = 0; k < kAcross; ++k)
    if (word == kAcrossWords[k]) return static_cast<Across>(k);
  return {};
}

const char* coreName(Core core) { return kCoreWords[static_cast<int>(core)]; }
std::vector<std::string> coreNames() { return {std::begin(kCoreWords), std::end(kCoreWords)}; }
std::optional<Core> coreByName(std::string_view word) {
  for (int k = 0; k < kCores; ++k)
    if (word == kCoreWords[k]) return static_cast<Core>(k);
  return {};
}

std::string FillWish::how() const {
  std::string r = std::string(acrossName(across)) + "/" + coreName(core) + "/" + (cut ? kCutCells : "");
  for (int f : sources) r += "/" + std::to_string(f);
  return r;
}

BodyFits bodyFits(const Part& part, int body, std::span<const Filler* const> fillers) {
  BodyFits r;
  for (const Filler* f : fillers) {
    Fit fit = f->fit(part, body);
    if (fit.fits)
      r.fits.push_back(f->kind());
    else
      r.others.push_back({f->kind(), std::move(fit.why), std::move(fit.faces), std::move(fit.places)});
  }
  r.fits.push_back(Fill::Tetrahedra);
  return r;
}

namespace {

/// Of bodies that get what fits best: what they are by themselves.
using OwnFits = std::map<int, std::vector<std::pair<Fill, Fit>>>;

class Maker {
public:
  /// `own` is found once and serves again; bodies of `first` are decided before all others.
  Maker(const Part& part, const MeshWishes& wishes, std::span<const Filler* const> fillers,
        const std::vector<std::string>& given, OwnFits& own, const std::vector<int>& first, std::vector<Problem>& said)
      : m_part(part), m_wishes(wishes), m_fillers(fillers), m_given(given), m_said(said), m_first(first), m_own(own) {}

  MeshPlan make() {
    plan.bridging = m_wishes.bridging;
    plan.divisions = m_wishes.divisions;
    plan.layers = m_wishes.layers;
    plan.given = m_wishes.givenCounts;
    plan.bodies.resize(m_part.bodies.size());
    plan.faces.resize(m_part.faces.size());
    for (std::size_t f = 0; f < plan.faces.size(); ++f) plan.faces[f].given = givenAs(static_cast<int>(f)) != Given::No;
    // What leaves less choice comes first.
    m_decided.assign(m_part.bodies.size(), 0);
    for (std::size_t b = 0; b < m_part.bodies.size(); ++b)
      if (wishOf(b).best && !m_own.count(static_cast<int>(b))) findFits(static_cast<int>(b));
    for (int b : m_first)
      for (Fill fill : {Fill::Mapped, Fill::Swept})
        if (!m_decided[static_cast<std::size_t>(b)]) decide(b, fill);
    for (Fill fill : {Fill::Mapped, Fill::Swept, Fill::Tetrahedra})
      for (std::size_t b = 0; b < m_part.bodies.size(); ++b)
        if (!m_decided[b] && (wishOf(b).best || wishOf(b).fill == fill) &&
            (fill == Fill::Tetrahedra ||
             std::find(m_first.begin(), m_first.end(), static_cast<int>(b)) == m_first.end()))
          decide(static_cast<int>(b), fill);
    orderSweeps();
    pave();
    passSpacing();
    for (std::size_t f = 0; f < m_part.faces.size(); ++f)
      plan.faces[f].quads =
          plan.faces[f].mapped >= 0 || plan.faces[f].paved >= 0 || givenAs(static_cast<int>(f)) == Given::Quads;
    for (const Sweep& s : plan.sweeps) {
      const std::vector<int> sources = s.sources(), targets = s.targets();
      const bool own = s.closed || !s.steps.empty(),
                 quads = own ? s.across != Across::Triangles : face(sources.front()).quads;
      for (int f : targets) face(f).quads = quads;
      auto beside = [&](int f) { return tetrahedraBeside(f); };
      if (!quads &&
          (std::any_of(targets.begin(), targets.end(), beside) || std::any_of(sources.begin(), sources.end(), beside)))
        plan.bodies[static_cast<std::size_t>(s.body)].why += ", with triangles at the tetrahedra beside it";
    }
    for (std::size_t f = 0; f < m_part.faces.size(); ++f) {
      FacePlan& face = plan.faces[f];
      if (!face.frozen()) continue;
      if (plan.cut(m_part, static_cast<int>(f))) {
        face.quads = false; // in the end
        continue;
      }
      const auto& sides = m_part.faces[f].bodies;
      if (sides[1] >= 0 && !plan.structured(sides[1])) face.tetSide = 1;
      if (sides[0] >= 0 && !plan.structured(sides[0])) face.tetSide = -1;
    }
    return std::move(plan);
  }

private:
  using Given = MeshWishes::Given;
  const Part& m_part;
  const MeshWishes& m_wishes;
  std::span<const Filler* const> m_fillers;
  const std::vector<std::string>& m_given;
  std::vector<Problem>& m_said;
  MeshPlan plan;
  std::vector<char> m_decided; ///< per body
  const std::vector<int>& m_first;
  OwnFits& m_own;
  std::map<int, Fit> m_hindered; ///< of those, why the last thing tried does not fit
  std::vector<PavedFace> m_ends; ///< of all sweeps

  FacePlan& face(int f) { return plan.faces[static_cast<std::size_t>(f)]; }
  Given givenAs(int f) const {
    return m_wishes.givenFaces.empty() ? Given::No : m_wishes.givenFaces[static_cast<std::size_t>(f)];
  }

  FillWish wishOf(std::size_t body) const { return body < m_wishes.fills.size() ? m_wishes.fills[body] : FillWish{}; }

  const Filler* fillerFor(Fill fill) const {
    const auto it =
        std::find_if(m_fillers.begin(), m_fillers.end(), [&](const Filler* f) { return f->kind() == fill; });
    return it == m_fillers.end() ? nullptr : *it;
  }

  void findFits(int body) {
    auto& own = m_own[body];
    if (m_part.bodies[static_cast<std::size_t>(body)].faces.empty()) return;
    for (Fill fill : {Fill::Mapped, Fill::Swept})
      if (const Filler* filler = fillerFor(fill)) own.emplace_back(fill, filler->fit(m_part, body));
  }
  /// Whether a body is known to get tetrahedra before its turn comes.
  bool tetrahedraOnly(int body) const {
    const auto b = static_cast<std::size_t>(body);
    if (b < m_given.size() && !m_given[b].empty()) return true;
    if (!wishOf(b).best) return wishOf(b).fill == Fill::Tetrahedra;
    const auto& own = m_own.at(body);
    return std::none_of(own.begin(), own.end(), [](const auto& x) { return x.second.fits; });
  }

  /// Decides a body as `fill`, unless it gets what fits best and that does not.
  void decide(int body, Fill fill) {
    const auto b = static_cast<std::size_t>(body);
    BodyPlan& mine = plan.bodies[b];
    const FillWish wish = wishOf(b);
    mine.asked = wish.asked;
    if (fill == Fill::Tetrahedra && !wish.best) {
      mine.why = wish.asked ? "as asked for" : "nothing else is asked for";
      m_decided[b] = 1;
      return;
    }
    const Filler* filler = fillerFor(fill);
    if (b < m_given.size() && !m_given[b].empty()) {
      mine.why = m_given[b];
      m_decided[b] = 1;
      return;
    }
    if (fill == Fill::Tetrahedra) { // of what it was tried for, the last reasons stand
      mine.why = mine.why.empty() ? "nothing else fits" : mine.why;
      m_decided[b] = 1;
      if (const auto last = m_hindered.find(body); last != m_hindered.end()) {
        Fit fit = last->second;
        fit.why = mine.why;
        Problem p = notFilled(m_part, body, fill, fit);
        p.severity = Severity::Note;
        p.code = "fill.best";
        p.what = "body " + quoted(m_part, body) + " gets tetrahedra, which fit it best";
        p.todo = "change the part where it hinders, if rows or layers are wanted";
        m_said.push_back(std::move(p));
      }
      return;
    }
    if (m_part.bodies[b].faces.empty() || !filler) return;
    Fit fit;
    if (wish.best) {
      for (auto& [kind, own] : m_own.at(body))
        if (kind == fill) fit = own;
    } else
      fit = filler->fit(m_part, body);
    if (fit.fits) chooseWay(body, fit);
    if (!fit.fits) {
      if (wish.best) {
        mine.why += (mine.why.empty() ? "not " : "; not ") + std::string(fillName(fill)) + ", since " + fit.why;
        m_hindered.insert_or_assign(body, std::move(fit));
        return;
      }
      mine.why = "not " + std::string(fillName(fill)) + ", since " + fit.why;
      m_said.push_back(notFilled(m_part, body, fill, fit));
      m_decided[b] = 1;
      return;
    }
    m_decided[b] = 1;
    mine.fill = fill;
    mine.why = wish.best ? "the best that fits" : "as asked for";
    mine.cut = wish.cut;
    mine.how = wish.how();
    take(body, fit);
    if (!wish.sources.empty()) checkSource(body, wish);
  }
  /// A finding where a body is not swept from the face asked for.
  void checkSource(int body, const FillWish& wish) {
    const auto mine =
        std::find_if(plan.sweeps.begin(), plan.sweeps.end(), [&](const Sweep& s) { return s.body == body; });
    auto wished = [&](int f) { return std::find(wish.sources.begin(), wish.sources.end(), f) != wish.sources.end(); };
    if (mine != plan.sweeps.end() && !mine->closed && mine->steps.empty() && wished(mine->source)) return;
    std::string why = "no sweep of it begins at such a face";
    if (mine == plan.sweeps.end())
      why = "it is mapped, and no face's mesh is carried through it";
    else if (mine->closed)
      why = "it is turned about its axis, and no face's mesh is carried through it";
    else if (!mine->steps.empty())
      why = "its ends stand at several heights, and their meshes are made together";
    else if (wished(mine->target))
      why = "the mesh of the face that it would end at is decided by a neighbour";
    Problem p = Problem::of("fill.source", "body " + quoted(m_part, body) + " is not swept from the face asked for")
                    .as(Severity::Warning)
                    .firstAt({m_part.faces[static_cast<std::size_t>(wish.sources.front())].center}, m_part.unit)
                    .because(std::move(why))
                    .advise("take 'from' out of the card, or name another face");
    p.faces = wish.sources;
    m_said.push_back(std::move(p));
  }

  /// Of a face of a swept body, once all is decided.
  bool tetrahedraBeside(int f) const {
    const auto& sides = m_part.faces[static_cast<std::size_t>(f)].bodies;
    return std::any_of(sides.begin(), sides.end(), [&](int b) { return b >= 0 && !plan.structured(b); });
  }
  /// Whether they are wished for there.
  bool tetrahedraAt(int f, int body) const {
    for (int b : m_part.faces[static_cast<std::size_t>(f)].bodies)
      if (b >= 0 && b != body && tetrahedraOnly(b)) return true;
    return false;
  }

  /// The first way that neighbours allow. Those whose rows meet the fewest faces of tetrahedra come first: triangles at
  /// the ends join them without pyramids.
  void chooseWay(int body, Fit& fit) {
    std::vector<Fit> ways{std::move(fit)};
    for (Fit& other : std::exchange(ways.front().others, {})) ways.push_back(std::move(other));
    auto pyramids = [&](const Fit& f) {
      return std::count_if(f.mapped.begin(), f.mapped.end(),
                           [&](const MappedFace& m) { return tetrahedraAt(m.face, body); });
    };
    std::stable_sort(ways.begin(), ways.end(), [&](const Fit& a, const Fit& b) { return pyramids(a) < pyramids(b); });
    // Those that begin at a face asked for come before all others.
    const std::vector<int> sources = wishOf(static_cast<std::size_t>(body)).sources;
    auto wished = [&](int f) { return std::find(sources.begin(), sources.end(), f) != sources.end(); };
    auto begins = [&](Fit& f) {
      if (!f.sweep || f.sweep->closed || !f.sweep->steps.empty()) return false;
      if (wished(f.sweep->source)) return true;
      const bool rows =
          std::any_of(f.mapped.begin(), f.mapped.end(), [&](const MappedFace& m) { return m.face == f.sweep->source; });
      if (rows || !wished(f.sweep->target)) return false;
      std::swap(f.sweep->source, f.sweep->target);
      std::swap(f.sweep->feet, f.sweep->heads);
      return true;
    };
    std::stable_partition(ways.begin(), ways.end(), begins);
    for (Fit& way : ways) {
      meetNeighbours(way);
      if (way.fits) {
        fit = std::move(way);
        return;
      }
    }
    fit = std::move(ways.front());
  }

  void refuse(Fit& fit, int f, std::string why) const {
    fit.fits = false;
    fit.why = std::move(why);
    fit.faces = {f};
    fit.places = {m_part.faces[static_cast<std::size_t>(f)].center};
  }
  /// A face that a neighbour has claimed already must be wanted alike.
  void meetNeighbours(Fit& fit) {
    for (const MappedFace& f : fit.mapped) {
      const FacePlan& have = face(f.face);
      if (givenAs(f.face) == Given::Triangles) return refuse(fit, f.face, "a face of it has triangles already");
      if (have.copied)
        return refuse(fit, f.face,
                      "the mesh of a face of it comes from the other end of body " + quoted(m_part, have.decidedBy));
      if (have.mapped >= 0 && sorted(plan.mapped[static_cast<std::size_t>(have.mapped)].corners) != sorted(f.corners))
        return refuse(fit, f.face,
                      "body " + quoted(m_part, have.decidedBy) + " needs other corners of the face between the two");
    }
    if (!fit.sweep) return;
    auto free = [&](int f) { return face(f).mapped < 0 && !face(f).given && !face(f).copied; };
    if (fit.sweep->closed) {
      for (int f : fit.sweep->targets())
        if (!free(f)) return refuse(fit, f, "the mesh of a face at its axis is decided by a neighbour");
      return;
    }
    if (!fit.sweep->steps.empty()) {
      if (!meetSteps(fit, free)) return;
      return comesBack(fit);
    }
    const bool rows = std::any_of(fit.mapped.begin(), fit.mapped.end(),
                                  [&](const MappedFace& m) { return m.face == fit.sweep->source; });
    if (!free(fit.sweep->target)) {
      std::swap(fit.sweep->source, fit.sweep->target);
      std::swap(fit.sweep->feet, fit.sweep->heads);
      // The mesh that was to be made at this end comes from the other one now.
      std::erase_if(fit.mapped, [&](const MappedFace& m) { return m.face == fit.sweep->target; });
    }
    if (!free(fit.sweep->target))
      return refuse(fit, fit.sweep->target, "the meshes of both of its ends are decided by neighbours");
    if (rows && givenAs(fit.sweep->source) == Given::Triangles)
      return refuse(fit, fit.sweep->source, "a face of it has triangles already");
    comesBack(fit);
  }
  /// Ends that neighbours have decided keep their meshes, where no lines of others run across them.
  template <class Free> bool meetSteps(Fit& fit, const Free& free) const {
    Sweep& s = *fit.sweep;
    for (std::size_t k = 0; k < s.steps.size(); ++k) {
      if (free(s.steps[k])) continue;
      s.given.push_back(s.steps[k]);
      if (s.alone[k]) continue;
      refuse(fit, s.steps[k], "the mesh of an end of it is decided by a neighbour, and edges of other ends run across");
      return false;
    }
    auto given = [&](int k) {
      return std::find(s.given.begin(), s.given.end(), s.steps[static_cast<std::size_t>(k)]) != s.given.end();
    };
    for (const auto& [a, b] : s.over)
      if (given(a) && given(b)) {
        refuse(fit, s.steps[static_cast<std::size_t>(a)], "the meshes of both of its ends are decided by neighbours");
        return false;
      }
    return true;
  }
  /// Carried on and on, a mesh must not come back to where it began.
  void comesBack(Fit& fit) const {
    const std::vector<int> targets = fit.sweep->targets();
    std::vector<int> todo = fit.sweep->sources();
    std::set<int> seen;
    while (!todo.empty()) {
      const int at = todo.back();
      todo.pop_back();
      if (std::find(targets.begin(), targets.end(), at) != targets.end())
        return refuse(fit, at, "bodies that are swept one after the other come back to the face they begin with");
      if (!seen.insert(at).second) continue;
      for (const Sweep& s : plan.sweeps)
        if (const auto to = s.targets(); std::find(to.begin(), to.end(), at) != to.end())
          for (int f : s.sources()) todo.push_back(f);
    }
  }

  void take(int body, const Fit& fit) {
    auto decided = [&](FacePlan& f) {
      if (f.decidedBy >= 0) return;
      f.decidedBy = body;
      f.why = "body " + quoted(m_part, body) + " is " + fillName(plan.bodies[static_cast<std::size_t>(body)].fill);
    };
    for (const MappedFace& f : fit.mapped) {
      FacePlan& mine = face(f.face);
      if (mine.mapped >= 0) continue;
      mine.mapped = static_cast<int>(plan.mapped.size());
      decided(mine);
      plan.mapped.push_back(f);
      for (std::size_t k = 0; k < (f.ring ? 1u : 2u); ++k)
        plan.sums.push_back(equalSums(f.sides[k], f.sides[k + 2], f.face));
      if (f.ring) plan.sums.push_back({{ringUnknown(m_part, f.face)}, {ringUnknown(m_part, f.face)}, f.face});
    }
    plan.sums.insert(plan.sums.end(), fit.sums.begin(), fit.sums.end());
    if (fit.sweep && fit.sweep->closed) {
      plan.sweeps.push_back(*fit.sweep);
      plan.sweeps.back().body = body;
      const Across across = plan.sweeps.back().across = wishOf(static_cast<std::size_t>(body)).across;
      if (across == Across::ByItself || across == Across::Quads)
        plan.evens.insert(plan.evens.end(), fit.evens.begin(), fit.evens.end());
      if (plan.sweeps.back().axis) plan.sweeps.back().axis->core = wishOf(static_cast<std::size_t>(body)).core;
      for (int f : fit.sweep->targets()) {
        face(f).copied = true;
        decided(face(f));
      }
    }
    if (!fit.sweep || fit.sweep->closed) return;
    m_ends.insert(m_ends.end(), fit.ends.begin(), fit.ends.end());
    for (int f : fit.sweep->sources()) {
      face(f).source = true;
      decided(face(f));
    }
    for (int f : fit.sweep->targets()) {
      face(f).copied = true;
      decided(face(f));
    }
    plan.sweeps.push_back(*fit.sweep);
    plan.sweeps.back().body = body;
  }

  /// Faces whose own mesh is carried on get quadrilaterals, so that layers are hexahedra: unless triangles are asked
  /// for, or lie better beside tetrahedra.
  void pave() {
    for (Sweep& first : plan.sweeps) {
      for (int source : first.sources()) paveEnd(first, source);
      if (first.steps.empty()) continue;
      first.across = acrossFrom(first);
      if (first.across == Across::Quads)
        for (int f : first.steps)
          if (const PavedFace* end = endAt(f); end && !face(f).given) evenLoops(*end);
    }
  }
  const PavedFace* endAt(int f) const {
    const auto end = std::find_if(m_ends.begin(), m_ends.end(), [&](const PavedFace& p) { return p.face == f; });
    return end == m_ends.end() ? nullptr : &*end;
  }
  /// Of all bodies that a mesh runs through from one on, and all that is carried with it.
  Across acrossFrom(const Sweep& first) const {
    const std::vector<int> begin = first.sources(), made = first.steps.empty() ? std::vector<int>{} : first.targets();
    std::set<int> faces(begin.begin(), begin.end());
    faces.insert(made.begin(), made.end());
    Across across = Across::ByItself;
    for (const Sweep& s : plan.sweeps) { // sources come before what is carried on from them
      const std::vector<int> from = s.sources(), to = s.targets();
      if (&s != &first && std::none_of(from.begin(), from.end(), [&](int x) { return faces.count(x) > 0; })) continue;
      faces.insert(from.begin(), from.end());
      faces.insert(to.begin(), to.end());
      const Across mine = wishOf(static_cast<std::size_t>(s.body)).across;
      if (across == Across::ByItself) across = mine;
    }
    if (across != Across::ByItself) return across;
    const bool beside = std::any_of(faces.begin(), faces.end(), [&](int x) { return tetrahedraBeside(x); });
    return beside ? Across::Triangles : Across::Quads;
  }
  void paveEnd(const Sweep& first, int source) {
    FacePlan& f = face(source);
    if (f.copied || f.mapped >= 0 || f.given || f.paved >= 0) return;
    const PavedFace* end = endAt(source);
    if (!end) return;
    const Across across = acrossFrom(first);
    if (across == Across::Triangles) return;
    if (runsRound(*end)) {
      MappedFace m;
      m.face = source;
      m.ring = true;
      m.corners = {-1, -1, -1, -1};
      m.sides[0] = end->loops[0];
      m.sides[2] = end->loops[1];
      f.mapped = static_cast<int>(plan.mapped.size());
      plan.sums.push_back(equalSums(m.sides[0], m.sides[2], source));
      plan.sums.push_back({{ringUnknown(m_part, source)}, {ringUnknown(m_part, source)}, source});
      plan.mapped.push_back(std::move(m));
      return;
    }
    f.paved = static_cast<int>(plan.paved.size());
    plan.paved.push_back(*end);
    PavedFace& mine = plan.paved.back();
    mine.all = across != Across::MostlyQuads;
    mine.ways = waysRound(*end);
    if (!mine.ways.empty())
      sameForthAndBack(mine);
    else if (mine.all)
      evenLoops(mine);
  }
  /// Whether a face lies between two loops beside each other, as the end of a pipe: rows run round it.
  bool runsRound(const PavedFace& end) const {
    if (end.loops.size() != 2) return false;
    constexpr double kNarrower = 0.45, kEven = 1.6; // lengths of the loops; widths between them
    constexpr int kPlaces = 24;                     // on each edge
    std::array<std::vector<Vec3>, 2> at;
    std::array<double, 2> length{0, 0};
    for (std::size_t k = 0; k < 2; ++k)
      for (const auto& step : end.loops[k]) {
        const auto& e = m_part.edges[static_cast<std::size_t>(step.edge)];
        length[k] += e.length;
        for (int i = 0; i < kPlaces; ++i)
          at[k].push_back(m_part.shape->edgePoint(step.edge, e.t0 + (e.t1 - e.t0) * i / kPlaces));
      }
    if (std::min(length[0], length[1]) < kNarrower * std::max(length[0], length[1])) return false;
    double least = 1e300, most = 0;
    for (std::size_t k = 0; k < 2; ++k)
      for (const Vec3& p : at[k]) {
        double near = 1e300;
        for (const auto& step : end.loops[1 - k])
          near = std::min(near, (m_part.shape->projectToEdge(step.edge, p).point - p).norm());
        least = std::min(least, near);
        most = std::max(most, near);
      }
    return most < kEven * least;
  }
  /// PavedFace::ways of a face all of whose corners are about square, be they convex or not, and that is as long forth
  /// as back. What is divided exactly may contradict that: such a face is paved.
  std::vector<int> waysRound(const PavedFace& end) const {
    constexpr double kStraight = 40, kLeast = 50, kMost = 130; // of a turn, degrees
    constexpr double kAlike = 1.5;                             // lengths forth and back
    if (end.loops.size() != 1 || end.loops.front().size() < 4) return {};
    const EdgeChain& loop = end.loops.front();
    std::vector<int> ways;
    std::array<double, 4> length{};
    int way = 0;
    for (std::size_t k = 0; k < loop.size(); ++k) {
      const auto e = static_cast<std::size_t>(loop[k].edge);
      if (plan.divisions.of(loop[k].edge) || (!plan.given.empty() && plan.given[e] > 0)) return {};
      ways.push_back(way);
      length[static_cast<std::size_t>(way)] += m_part.edges[e].length;
      const EdgeStep& next = loop[(k + 1) % loop.size()];
      const Vec3 a = wayOf(m_part, loop[k], true), b = wayOf(m_part, next, false);
      const Vec3 at = m_part.points[static_cast<std::size_t>(startOf(m_part, next))].at;
      const Vec3 n = m_part.shape->projectToFace(end.face, at).normal;
      const double turn = std::atan2(n.dot(a.cross(b)), a.dot(b)) * 180 / kPi;
      const double size = std::abs(turn);
      if (size > kMost || (size > kStraight && size < kLeast)) return {};
      if (size >= kLeast) way += turn > 0 ? 1 : 3;
      if (k + 1 == loop.size() && way % 4 != 0) return {};
      if (k + 1 < loop.size()) way %= 4;
    }
    for (std::size_t k = 0; k < 2; ++k)
      if (std::min(length[k], length[k + 2]) * kAlike < std::max(length[k], length[k + 2]) || length[k] == 0) return {};
    return ways;
  }
  void sameForthAndBack(const PavedFace& face) {
    for (int k : {0, 1}) {
      EqualSums sums;
      sums.face = face.face;
      for (std::size_t i = 0; i < face.ways.size(); ++i) {
        if (face.ways[i] == k) sums.left.push_back(face.loops.front()[i].edge);
        if (face.ways[i] == k + 2) sums.right.push_back(face.loops.front()[i].edge);
      }
      plan.sums.push_back(std::move(sums));
    }
  }
  void evenLoops(const PavedFace& end) {
    for (const auto& loop : end.loops) {
      EvenSum even;
      even.face = end.face;
      for (const auto& step : loop) even.edges.push_back(step.edge);
      if (loop.size() == 1) even.least = 8; // a round hole
      plan.evens.push_back(std::move(even));
      betweenCorners(loop, end.face);
    }
  }

  /// Even counts between sharp corners, too: a side that is every second node's then ends at them.
  void betweenCorners(const EdgeChain& loop, int f) {
    constexpr double kSharp = 0.8; // cosine
    const std::size_t n = loop.size();
    auto sharp = [&](std::size_t k) {
      return wayOf(m_part, loop[(k + n - 1) % n], true).dot(wayOf(m_part, loop[k], false)) < kSharp;
    };
    std::size_t first = 0;
    while (first < n && !sharp(first)) ++first;
    for (std::size_t k = 0; k < n && first < n; ++k) {
      const std::size_t i = (first + k) % n;
      if (k == 0 || sharp(i)) {
        plan.evens.emplace_back();
        plan.evens.back().face = f;
        plan.evens.back().least = 2;
        plan.evens.back().needed = false;
      }
      plan.evens.back().edges.push_back(loop[i].edge);
    }
  }

  /// Uneven divisions pass on to what lies across: over faces of rows from side to side, and along a sweep to all its
  /// walls. What is divided itself keeps that.
  void passSpacing() {
    std::vector<EdgeDivisions::Pair> all(plan.divisions.begin(), plan.divisions.end());
    std::map<int, EdgeDivision> known;
    std::vector<int> todo;
    for (const auto& [e, d] : all) {
      const bool fresh = known.emplace(e, d).second;
      if (fresh && d.own() && d.ratio > 1 && !d.finest.empty()) todo.push_back(e);
    }
    if (todo.empty()) return;
    auto turned = [](EdgeDivision d, bool turn) {
      if (turn)
        for (double& x : d.finest) x = 1 - x;
      return d;
    };
    // As seen along a step, and back.
    auto along = [&](const EdgeStep& s) {
      EdgeDivision d = known.at(s.edge);
      const double length = m_part.edges[static_cast<std::size_t>(s.edge)].length;
      d.divisions = static_cast<int>(divisionShares(d, length).size()) + 1;
      return turned(std::move(d), !s.forward);
    };
    auto give = [&](const EdgeStep& s, const EdgeDivision& d) {
      const EdgeDivision mine = turned(d, !s.forward);
      if (!known.emplace(s.edge, mine).second) return;
      all.emplace_back(s.edge, mine);
      todo.push_back(s.edge);
    };
    auto onlyEdge = [](const EdgeChain& side, int edge) { return side.size() == 1 && side.front().edge == edge; };
    while (!todo.empty()) {
      const int edge = todo.back();
      todo.pop_back();
      for (const MappedFace& m : plan.mapped)
        for (std::size_t k = 0; k < 4 && !m.ring; ++k)
          if (const auto& across = m.sides[(k + 2) % 4]; onlyEdge(m.sides[k], edge) && across.size() == 1)
            give({across.front().edge, !across.front().forward}, along(m.sides[k].front()));
      for (const Sweep& s : plan.sweeps) passUp(s, edge, along, give);
    }
    plan.divisions = EdgeDivisions(std::move(all));
  }
  template <class Along, class Give> void passUp(const Sweep& s, int edge, const Along& along, const Give& give) {
    if (s.closed || !s.steps.empty()) return;
    struct Wall {
      MappedFace* rows;
      std::size_t foot; ///< its side at the source
    };
    std::vector<Wall> walls;
    for (std::size_t k = 0; k < s.walls.size(); ++k) {
      const int index = face(s.walls[k]).mapped;
      if (index < 0) return;
      MappedFace& m = plan.mapped[static_cast<std::size_t>(index)];
      std::size_t foot = 0;
      auto on = [&](std::size_t side, int e) {
        return std::any_of(m.sides[side].begin(), m.sides[side].end(), [&](const EdgeStep& x) { return x.edge == e; });
      };
      while (foot < 4 && !on(foot, s.feet[k])) ++foot;
      if (foot == 4 || !on((foot + 2) % 4, s.heads[k])) return;
      walls.push_back({&m, foot});
    }
    // Walls one over the other have no height in common.
    std::set<int> feet;
    for (const auto& w : walls)
      for (const auto& x : w.rows->sides[w.foot]) feet.insert(x.edge);
    for (const auto& w : walls)
      for (const auto& x : w.rows->sides[(w.foot + 2) % 4])
        if (feet.count(x.edge)) return;
    std::optional<EdgeDivision> spacing; // from the source on
    for (const auto& w : walls)
      for (std::size_t k : {1u, 3u}) {
        const auto& side = w.rows->sides[(w.foot + k) % 4];
        if (w.rows->ring || side.size() != 1 || side.front().edge != edge) continue;
        spacing = along(k == 1 ? side.front() : EdgeStep{edge, !side.front().forward});
      }
    if (!spacing) return;
    for (const auto& w : walls) {
      if (w.rows->ring) {
        EdgeDivision d = *spacing;
        if (w.foot != 0)
          for (double& x : d.finest) x = 1 - x;
        if (!w.rows->spacing) w.rows->spacing = std::move(d);
        continue;
      }
      for (std::size_t k : {1u, 3u}) {
        const auto& side = w.rows->sides[(w.foot + k) % 4];
        if (side.size() == 1)
          give(k == 1 ? side.front() : EdgeStep{side.front().edge, !side.front().forward}, *spacing);
      }
    }
  }

  void orderSweeps() {
    std::vector<Sweep> ordered;
    while (!plan.sweeps.empty()) {
      const auto next = std::find_if(plan.sweeps.begin(), plan.sweeps.end(), [&](const Sweep& s) {
        return std::none_of(plan.sweeps.begin(), plan.sweeps.end(), [&](const Sweep& other) {
          const std::vector<int> from = s.sources(), made = other.targets();
          return std::any_of(from.begin(), from.end(),
                             [&](int f) { return std::find(made.begin(), made.end(), f) != made.end(); });
        });
      });
      ordered.push_back(*next); // there is one, as nothing comes back to where it began
      plan.sweeps.erase(next);
    }
    plan.sweeps = std::move(ordered);
  }
};

} // namespace

MeshPlan makePlan(const Part& part, const MeshWishes& wishes, std::span<const Filler* const> fillers,
                  const std::vector<std::string>& given, std::vector<Problem>& said) {
  OwnFits own;
  std::vector<int> first;
  std::vector<Problem> words;
  MeshPlan best = Maker(part, wishes, fillers, given, own, first, words).make();
  // Bodies that fit by themselves and were kept from it by neighbours that were decided before are tried first: those
  // may go another way, or from their other end.
  auto kept = [&](const MeshPlan& plan) {
    std::vector<int> r;
    for (const auto& [b, fits] : own) {
      const auto i = static_cast<std::size_t>(b);
      if (plan.bodies[i].fill == Fill::Tetrahedra && (i >= given.size() || given[i].empty()) &&
          std::any_of(fits.begin(), fits.end(), [](const auto& x) { return x.second.fits; }))
        r.push_back(b);
    }
    return r;
  };
  auto volume = [&](const std::vector<int>& bodies) {
    double v = 0;
    for (int b : bodies) v += part.bodies[static_cast<std::size_t>(b)].volume;
    return v;
  };
  constexpr int kRounds = 6;
  std::vector<int> left = kept(best), lastLeft = left;
  for (int round = 0, idle = 0; round < kRounds && idle < 2 && !lastLeft.empty(); ++round) {
    std::erase_if(first, [&](int b) { return std::find(lastLeft.begin(), lastLeft.end(), b) != lastLeft.end(); });
    first.insert(first.begin(), lastLeft.begin(), lastLeft.end());
    std::vector<Problem> now;
    MeshPlan plan = Maker(part, wishes, fillers, given, own, first, now).make();
    lastLeft = kept(plan);
    if (volume(lastLeft) >= volume(left) * (1 - 1e-9)) {
      ++idle;
      continue;
    }
    idle = 0;
    left = lastLeft;
    best = std::move(plan);
    words = std::move(now);
  }
  said.insert(said.end(), words.begin(), words.end());
  return best;
}

} // namespace tess
