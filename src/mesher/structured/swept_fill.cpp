// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/structured/swept_fill.h"
#include "base/parallel.h"
#include "mesher/structured/smooth_inside.h"
#include "mesher/surface/carried_face.h"

namespace tess {

Result<StructuredCells> fillSwept(const Part& part, const Sweep& sweep, const SurfaceMesh& surface,
                                  const Progress& progress) {
  const PartBody& body = part.bodies[static_cast<std::size_t>(sweep.body)];
  auto failed = [&](const Vec3& at, std::string what, std::string why) {
    Problem p = Problem::of("fill.inverted", "cells of body '" + body.name + "' " + std::move(what))
                    .by(Fault::Meshing)
                    .firstAt({at}, part.unit)
                    .because(std::move(why))
                    .advise("ask for tetrahedra on this body, or for a smaller size there");
    p.faces = body.faces;
    return p;
  };
  const Columns columns = columnsOf(part, sweep, surface);
  const auto carried = std::find_if(surface.carried.begin(), surface.carried.end(),
                                    [&](const CarriedFace& c) { return c.body == sweep.body; });
  if (columns.empty() || carried == surface.carried.end())
    return failed(body.box.center(), "have no layers", "the rows of its walls do not meet");
  std::vector<int> feet;
  for (const auto& c : columns) feet.push_back(c.front());
  const Pattern pattern(surface, sweep.source, feet);
  const std::size_t n = pattern.nodes().size(), rim = pattern.boundaryCount(), layers = columns.front().size() - 1;
  // The other end's node over each of the pattern's.
  std::vector<int> over(surface.points.size(), -1), top;
  for (std::size_t k = 0; k < carried->from.size(); ++k)
    over[static_cast<std::size_t>(carried->from[k])] = carried->to[k];
  std::vector<Vec3> low, high;
  for (int v : pattern.nodes()) {
    top.push_back(over[static_cast<std::size_t>(v)]);
    if (top.back() < 0) return failed(body.box.center(), "have no layers", "its ends have different meshes");
    low.push_back(surface.points[static_cast<std::size_t>(v)]);
    high.push_back(surface.points[static_cast<std::size_t>(top.back())]);
  }
  StructuredCells r;
  const int base = static_cast<int>(surface.points.size());
  const std::size_t inner = n - rim;
  r.points.resize(inner * (layers - 1));
  parallelFor(
      layers - 1, &progress,
      [&](std::size_t k) {
        std::vector<Vec3> there;
        for (const auto& c : columns) there.push_back(surface.points[static_cast<std::size_t>(c[k + 1])]);
        const auto up = pattern.carried(low, there), down = pattern.carried(high, there);
        const double w = static_cast<double>(k + 1) / static_cast<double>(layers);
        for (std::size_t i = 0; i < inner; ++i) r.points[k * inner + i] = (1 - w) * up[rim + i] + w * down[rim + i];
      },
      1);
  auto node = [&](int place, std::size_t layer) {
    const auto p = static_cast<std::size_t>(place);
    if (layer == 0) return pattern.nodes()[p];
    if (layer == layers) return top[p];
    return p < rim ? columns[p][layer] : base + static_cast<int>((layer - 1) * inner + p - rim);
  };
  // The pattern runs counter-clockwise seen from in front of the source; cells begin with a face seen from inside.
  const bool leaves = part.faces[static_cast<std::size_t>(sweep.source)].bodies[0] == sweep.body;
  for (std::size_t k = 0; k < layers; ++k) {
    for (auto t : pattern.triangles()) {
      if (leaves) std::swap(t[1], t[2]);
      r.wedges.push_back(
          {node(t[0], k), node(t[1], k), node(t[2], k), node(t[0], k + 1), node(t[1], k + 1), node(t[2], k + 1)});
    }
    for (auto q : pattern.quads()) {
      if (leaves) std::swap(q[1], q[3]);
      r.hexahedra.push_back({node(q[0], k), node(q[1], k), node(q[2], k), node(q[3], k), node(q[0], k + 1),
                             node(q[1], k + 1), node(q[2], k + 1), node(q[3], k + 1)});
    }
  }
  if (const auto bad = untangleInside(surface.points, r.points, r.hexahedra, r.wedges, progress))
    return failed(*bad, "would be inverted", "its ends or walls turn too much for straight layers between them");
  return r;
}

} // namespace tess
