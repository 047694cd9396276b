// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/plan/plan.h"
#include <utility>

namespace tess {
namespace {

constexpr const char* kWords[kFills] = {"tetrahedra", "mapped", "swept"};

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
std::optional<Fill> fillByName(std::string_view word) {
  for (int k = 0; k < kFills; ++k)
    if (word == kWords[k]) return static_cast<Fill>(k);
  return {};
}

namespace {

class Maker {
public:
  Maker(const Part& part, const MeshWishes& wishes, std::span<const Filler* const> fillers,
        const std::vector<std::string>& given, std::vector<Problem>& said)
      : m_part(part), m_wishes(wishes), m_fillers(fillers), m_given(given), m_said(said) {}

  MeshPlan make() {
    plan.bridging = m_wishes.bridging;
    plan.divisions = m_wishes.divisions;
    plan.given = m_wishes.givenCounts;
    plan.bodies.resize(m_part.bodies.size());
    plan.faces.resize(m_part.faces.size());
    for (std::size_t f = 0; f < plan.faces.size(); ++f) plan.faces[f].given = givenAs(static_cast<int>(f)) != Given::No;
    // What leaves less choice comes first.
    for (Fill fill : {Fill::Mapped, Fill::Swept, Fill::Tetrahedra})
      for (std::size_t b = 0; b < m_part.bodies.size(); ++b)
        if (wishOf(b).fill == fill) decide(static_cast<int>(b));
    orderSweeps();
    for (std::size_t f = 0; f < m_part.faces.size(); ++f)
      plan.faces[f].quads = plan.faces[f].mapped >= 0 || givenAs(static_cast<int>(f)) == Given::Quads;
    for (const Sweep& s : plan.sweeps) {
      face(s.target).quads = face(s.source).quads;
      if (!face(s.source).quads && (tetrahedraBeside(s.source) || tetrahedraBeside(s.target)))
        plan.bodies[static_cast<std::size_t>(s.body)].why += ", with triangles at the tetrahedra beside it";
    }
    for (std::size_t f = 0; f < m_part.faces.size(); ++f) {
      FacePlan& face = plan.faces[f];
      if (!face.frozen()) continue;
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

  FacePlan& face(int f) { return plan.faces[static_cast<std::size_t>(f)]; }
  Given givenAs(int f) const {
    return m_wishes.givenFaces.empty() ? Given::No : m_wishes.givenFaces[static_cast<std::size_t>(f)];
  }

  FillWish wishOf(std::size_t body) const { return body < m_wishes.fills.size() ? m_wishes.fills[body] : FillWish{}; }

  void decide(int body) {
    const auto b = static_cast<std::size_t>(body);
    BodyPlan& mine = plan.bodies[b];
    const FillWish wish = wishOf(b);
    mine.asked = wish.asked;
    if (wish.fill == Fill::Tetrahedra) {
      mine.why = wish.asked ? "as asked for" : "nothing else is asked for";
      return;
    }
    const auto filler =
        std::find_if(m_fillers.begin(), m_fillers.end(), [&](const Filler* f) { return f->kind() == wish.fill; });
    if (m_part.bodies[b].faces.empty() || filler == m_fillers.end()) return;
    if (b < m_given.size() && !m_given[b].empty()) {
      mine.why = m_given[b];
      return;
    }
    Fit fit = (*filler)->fit(m_part, body);
    if (fit.fits) chooseWay(body, fit);
    if (!fit.fits) {
      mine.why = "not " + std::string(fillName(wish.fill)) + ", since " + fit.why;
      m_said.push_back(notFilled(m_part, body, wish.fill, fit));
      return;
    }
    mine.fill = wish.fill;
    mine.why = "as asked for";
    take(body, fit);
  }

  /// Of a face of a swept body, once all is decided.
  bool tetrahedraBeside(int f) const {
    const auto& sides = m_part.faces[static_cast<std::size_t>(f)].bodies;
    return std::any_of(sides.begin(), sides.end(), [&](int b) { return b >= 0 && !plan.structured(b); });
  }
  /// Whether they are wished for there.
  bool tetrahedraAt(int f, int body) const {
    for (int b : m_part.faces[static_cast<std::size_t>(f)].bodies)
      if (b >= 0 && b != body && wishOf(static_cast<std::size_t>(b)).fill == Fill::Tetrahedra) return true;
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
    if (!free(fit.sweep->target)) std::swap(fit.sweep->source, fit.sweep->target);
    if (!free(fit.sweep->target))
      return refuse(fit, fit.sweep->target, "the meshes of both of its ends are decided by neighbours");
    // Carried on and on, a mesh must not come back to where it began.
    for (int at = fit.sweep->source; at >= 0;) {
      if (at == fit.sweep->target)
        return refuse(fit, at, "bodies that are swept one after the other come back to the face they begin with");
      const auto before =
          std::find_if(plan.sweeps.begin(), plan.sweeps.end(), [&](const Sweep& s) { return s.target == at; });
      at = before == plan.sweeps.end() ? -1 : before->source;
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
    if (!fit.sweep) return;
    face(fit.sweep->source).source = true;
    face(fit.sweep->target).copied = true;
    decided(face(fit.sweep->source));
    decided(face(fit.sweep->target));
    plan.sweeps.push_back(*fit.sweep);
    plan.sweeps.back().body = body;
  }

  void orderSweeps() {
    std::vector<Sweep> ordered;
    while (!plan.sweeps.empty()) {
      const auto next = std::find_if(plan.sweeps.begin(), plan.sweeps.end(), [&](const Sweep& s) {
        return std::none_of(plan.sweeps.begin(), plan.sweeps.end(),
                            [&](const Sweep& other) { return other.target == s.source; });
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
  return Maker(part, wishes, fillers, given, said).make();
}

} // namespace tess
