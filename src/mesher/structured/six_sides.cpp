// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/structured/six_sides.h"
#include "mesh/element.h"
#include "mesher/structured/swept.h"
#include <map>
#include <set>

namespace tess {
namespace {

Fit refuse(std::string why, std::vector<int> faces, std::vector<Vec3> places) {
  Fit f;
  f.why = std::move(why);
  f.faces = std::move(faces);
  f.places = std::move(places);
  return f;
}

/// A face as four sides, each between it and another face of the body, whatever edges it consists of; else why not.
std::string foursided(const Part& part, const BodyLoops& loops, int face, MappedFace& m) {
  const auto around = loops.loops(face);
  if (!around) return "the edges of one of its faces do not form plain loops";
  if (around->size() != 1)
    return around->empty() ? "one of its faces has no edges, and the sides of a mapped body have four"
                           : "one of its faces has a hole, and the sides of a mapped body have none";
  const auto chains = loops.chains(face, around->front());
  if (chains.size() != 4)
    return "one of its faces has " + std::to_string(chains.size()) + (chains.size() == 1 ? " side" : " sides") +
           ", and those of a mapped body have four";
  m.face = face;
  for (std::size_t k = 0; k < 4; ++k) {
    if (loops.across(face, chains[k].front().edge) < 0) return "more than two of its faces meet at an edge";
    m.sides[k] = chains[k];
    m.corners[k] = startOf(part, chains[k].front());
  }
  if (runStraightOn(part, chains))
    return "two sides of one of its faces go straight on at a corner, and those of a mapped body turn there";
  return {};
}

} // namespace

Fit fitSixSides(const Part& part, int body, SixSides* sides) {
  const PartBody& b = part.bodies[static_cast<std::size_t>(body)];
  auto center = [&](int f) { return part.faces[static_cast<std::size_t>(f)].center; };
  if (b.faces.size() != 6) {
    std::vector<Vec3> at;
    for (int f : b.faces) at.push_back(center(f));
    return refuse("it has " + std::to_string(b.faces.size()) + (b.faces.size() == 1 ? " face, and" : " faces, and") +
                      " a mapped body has six sides",
                  b.faces, at);
  }
  Fit fit;
  const BodyLoops loops(part, body);
  for (int f : b.faces) {
    MappedFace m;
    if (std::string why = foursided(part, loops, f, m); !why.empty()) return refuse(std::move(why), {f}, {center(f)});
    fit.mapped.push_back(std::move(m));
  }
  std::map<int, std::vector<int>> facesAt; // by point
  for (const auto& m : fit.mapped)
    for (int c : m.corners) facesAt[c].push_back(m.face);
  for (const auto& [point, faces] : facesAt)
    if (faces.size() != 3)
      return refuse("a corner has " + std::to_string(faces.size()) + " of its faces, and those of a brick have three",
                    faces, {part.points[static_cast<std::size_t>(point)].at});
  if (facesAt.size() != 8)
    return refuse("it has " + std::to_string(facesAt.size()) + " corners, and a mapped body has eight", b.faces,
                  {b.box.center()});
  // The first face is the base, seen from inside; above each of its corners stands the end of the third edge there.
  const MappedFace& first = fit.mapped.front();
  const bool behind = part.faces[static_cast<std::size_t>(first.face)].bodies[0] == body; // its normal leaves the body
  SixSides s;
  for (std::size_t k = 0; k < 4; ++k) s.corners[k] = first.corners[behind ? (4 - k) % 4 : k];
  // A side that leaves a corner of the base and does not lie in it leads up from there.
  std::set<int> base;
  for (const auto& side : first.sides)
    for (const auto& step : side) base.insert(step.edge);
  for (std::size_t k = 0; k < 4; ++k) {
    int up = -1;
    for (const auto& m : fit.mapped)
      for (std::size_t j = 0; j < 4; ++j)
        if (const int from = m.corners[j], to = m.corners[(j + 1) % 4];
            (from == s.corners[k] || to == s.corners[k]) && !base.count(m.sides[j].front().edge))
          up = from == s.corners[k] ? to : from;
    if (up < 0) return refuse("its edges do not meet like those of a brick", b.faces, {b.box.center()});
    s.corners[k + 4] = up;
  }
  const ElementTopology& hex = topology(ElementType::Hex8);
  for (std::size_t f = 0; f < 6; ++f) {
    std::array<int, 4> want{};
    for (std::size_t k = 0; k < 4; ++k) want[k] = s.corners[static_cast<std::size_t>(hex.face[f][k])];
    std::sort(want.begin(), want.end());
    const auto found = std::find_if(fit.mapped.begin(), fit.mapped.end(), [&](const MappedFace& m) {
      std::array<int, 4> c = m.corners;
      std::sort(c.begin(), c.end());
      return c == want;
    });
    if (found == fit.mapped.end())
      return refuse("its faces do not meet like those of a brick", b.faces, {b.box.center()});
    s.faces[f] = found->face;
  }
  fit.fits = true;
  if (sides) *sides = s;
  return fit;
}

Fit MappedFiller::fit(const Part& part, int body) const {
  Fit six = fitSixSides(part, body);
  if (six.fits) return six;
  Fit through = fitThrough(part, body);
  return through.fits ? through : six;
}

} // namespace tess
