// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/plan/plan.h"

namespace tess {
namespace {

constexpr const char* kWords[kFills] = {"tetrahedra", "mapped"};

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
  p.what = "body " + quoted(part, body) + " gets tetrahedra, not " + fillName(wish) + " hexahedra";
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

MeshPlan makePlan(const Part& part, const MeshWishes& wishes, std::span<const Filler* const> fillers,
                  const std::vector<std::string>& given, std::vector<Problem>& said) {
  MeshPlan plan;
  plan.bridging = wishes.bridging;
  plan.divisions = wishes.divisions;
  plan.bodies.resize(part.bodies.size());
  plan.faces.resize(part.faces.size());
  for (std::size_t b = 0; b < part.bodies.size(); ++b) {
    const int body = static_cast<int>(b);
    BodyPlan& mine = plan.bodies[b];
    const FillWish wish = b < wishes.fills.size() ? wishes.fills[b] : FillWish{};
    mine.asked = wish.asked;
    if (wish.fill == Fill::Tetrahedra) {
      mine.why = wish.asked ? "as asked for" : "nothing else is asked for";
      continue;
    }
    const auto filler =
        std::find_if(fillers.begin(), fillers.end(), [&](const Filler* f) { return f->kind() == wish.fill; });
    if (part.bodies[b].faces.empty() || filler == fillers.end()) continue;
    if (b < given.size() && !given[b].empty()) {
      mine.why = given[b];
      continue;
    }
    Fit fit = (*filler)->fit(part, body);
    // A face that a neighbour has claimed already must be wanted alike.
    for (const MappedFace& f : fit.mapped) {
      if (!fit.fits) break;
      if (!wishes.givenFaces.empty() &&
          wishes.givenFaces[static_cast<std::size_t>(f.face)] == MeshWishes::Given::Triangles) {
        fit.fits = false;
        fit.why = "a face of it has triangles already";
        fit.faces = {f.face};
        continue;
      }
      const FacePlan& have = plan.faces[static_cast<std::size_t>(f.face)];
      if (!have.frozen() || sorted(plan.mapped[static_cast<std::size_t>(have.mapped)].corners) == sorted(f.corners))
        continue;
      fit.fits = false;
      fit.why = "body " + quoted(part, have.decidedBy) + " needs other corners of the face between the two";
      fit.faces = {f.face};
      fit.places = {part.faces[static_cast<std::size_t>(f.face)].center};
    }
    if (!fit.fits) {
      mine.why = "not " + std::string(fillName(wish.fill)) + ", since " + fit.why;
      said.push_back(notFilled(part, body, wish.fill, fit));
      continue;
    }
    mine.fill = wish.fill;
    mine.why = "as asked for";
    for (const MappedFace& f : fit.mapped) {
      FacePlan& face = plan.faces[static_cast<std::size_t>(f.face)];
      if (face.frozen()) continue;
      face.mapped = static_cast<int>(plan.mapped.size());
      face.decidedBy = body;
      face.why = "body " + quoted(part, body) + " is " + fillName(wish.fill);
      plan.mapped.push_back(f);
      for (std::size_t k = 0; k < 2; ++k) plan.sums.push_back(equalSums(f.sides[k], f.sides[k + 2], f.face));
    }
  }
  plan.given = wishes.givenCounts;
  for (std::size_t f = 0; f < part.faces.size(); ++f) {
    FacePlan& face = plan.faces[f];
    face.given = !wishes.givenFaces.empty() && wishes.givenFaces[f] != MeshWishes::Given::No;
    if (!face.frozen()) continue;
    const auto& sides = part.faces[f].bodies;
    if (sides[1] >= 0 && !plan.structured(sides[1])) face.tetSide = 1;
    if (sides[0] >= 0 && !plan.structured(sides[0])) face.tetSide = -1;
  }
  return plan;
}

} // namespace tess
