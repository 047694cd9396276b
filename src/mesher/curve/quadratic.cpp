// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/curve/quadratic.h"
#include "base/parallel.h"
#include <cmath>
#include <unordered_map>

namespace tess {

CurveStats makeQuadratic(Mesh& mesh, const Part& part, Progress& progress) {
  CurveStats stats;
  struct Mid {
    std::int32_t a, b;
    GeometryLink link;
    Vec3 chord, true_;
    double share = 1;  ///< 1: on the geometry, 0: on the chord
    double jumped = 0; ///< distance to a projection that was not taken
  };
  std::vector<Mid> mids;
  std::unordered_map<std::uint64_t, std::int32_t> id;
  id.reserve(mesh.cells.size() * 2);
  const std::int32_t first = static_cast<std::int32_t>(mesh.nodes.size());
  // Surface edges learn what they lie on: an edge between two faces lies on a part edge when both ends do.
  std::unordered_map<std::uint64_t, GeometryLink> on;
  for (std::size_t f = 0; f < mesh.faces.size(); ++f) {
    auto n = mesh.faces.of(f);
    for (std::size_t k = 0; k < n.size(); ++k) {
      GeometryLink link{2, mesh.faceLink[f]};
      auto [it, fresh] = on.emplace(edgeKey(n[k], n[(k + 1) % n.size()]), link);
      if (!fresh && it->second.entity != mesh.faceLink[f]) it->second = {1, -1};
    }
  }
  auto edgesOf = [&](std::int32_t n, std::vector<int>& out) {
    out.clear();
    const auto& l = mesh.nodeLink[static_cast<std::size_t>(n)];
    if (l.dim == 1) out.push_back(l.entity);
    if (l.dim == 0)
      for (std::size_t e = 0; e < part.edges.size(); ++e)
        if (part.edges[e].points[0] == l.entity || part.edges[e].points[1] == l.entity)
          out.push_back(static_cast<int>(e));
  };
  ElementBlock cells;
  cells.start.reserve(mesh.cells.size() + 1);
  for (std::size_t c = 0; c < mesh.cells.size(); ++c) {
    auto n = mesh.cells.of(c);
    const ElementTopology& t = topology(mesh.cells.type[c]);
    const auto corners = static_cast<std::size_t>(t.corners);
    std::array<std::int32_t, 20> q;
    std::copy(n.begin(), n.end(), q.begin());
    for (std::size_t e = 0; e < static_cast<std::size_t>(t.edges); ++e) {
      std::int32_t a = n[static_cast<std::size_t>(t.edge[e][0])], b = n[static_cast<std::size_t>(t.edge[e][1])];
      auto [it, fresh] = id.emplace(edgeKey(a, b), first + static_cast<std::int32_t>(mids.size()));
      if (fresh) {
        Mid m{a,
              b,
              {},
              0.5 * (mesh.nodes[static_cast<std::size_t>(a)] + mesh.nodes[static_cast<std::size_t>(b)]),
              Vec3::Zero()};
        m.true_ = m.chord;
        if (auto l = on.find(edgeKey(a, b)); l != on.end()) m.link = l->second;
        mids.push_back(m);
      }
      q[corners + e] = it->second;
    }
    cells.add(*typeOfOrder(t.type, 2), std::span(q.data(), corners + static_cast<std::size_t>(t.edges)));
  }
  progress.check();
  parallelFor(
      mids.size(), &progress,
      [&](std::size_t k) {
        Mid& m = mids[k];
        if (m.link.dim == 3) return;
        if (m.link.dim == 1) { // the part edge both ends lie on; the nearest if there are several
          std::vector<int> ea, eb;
          edgesOf(m.a, ea);
          edgesOf(m.b, eb);
          double best = 1e300;
          for (int e : ea)
            if (std::find(eb.begin(), eb.end(), e) != eb.end()) {
              Vec3 p = part.shape->projectToEdge(e, m.chord).point;
              if ((p - m.chord).norm() < best) {
                best = (p - m.chord).norm();
                m.link.entity = e;
                m.true_ = p;
              }
            }
          if (m.link.entity < 0) m.link = {3, -1};
          return;
        }
        m.true_ = part.shape->projectToFace(m.link.entity, m.chord).point;
        // A projection that jumps (folded face, self-near surface) is no mid node.
        double l = (mesh.nodes[static_cast<std::size_t>(m.a)] - mesh.nodes[static_cast<std::size_t>(m.b)]).norm();
        if (const double d = (m.true_ - m.chord).norm(); d > 0.5 * l) {
          m.true_ = m.chord;
          m.jumped = d;
        }
      },
      64);
  progress.check();
  auto place = [&](const Mid& m) { return Vec3(m.chord + m.share * (m.true_ - m.chord)); };
  auto cornersOf = [&](std::size_t c) { return static_cast<std::size_t>(topology(cells.type[c]).corners); };
  auto validity = [&](std::size_t c) {
    auto n = cells.of(c);
    std::array<Vec3, 20> p;
    const std::size_t corners = cornersOf(c);
    for (std::size_t i = 0; i < corners; ++i) p[i] = mesh.nodes[static_cast<std::size_t>(n[i])];
    for (std::size_t i = corners; i < n.size(); ++i) p[i] = place(mids[static_cast<std::size_t>(n[i] - first)]);
    if (cells.type[c] == ElementType::Tet10) {
      std::array<Vec3, 10> tet;
      std::copy(p.begin(), p.begin() + 10, tet.begin());
      return quadraticValidity(tet);
    }
    const JacobianRange r = jacobianRange(cells.type[c], std::span(p.data(), n.size()));
    return r.most > 0 ? r.least / r.most : -1.0;
  };
  // Inner mid nodes of a curved element may follow its curved sides half-way; boundary ones are drawn back last.
  constexpr double kValid = 0.02;
  for (int round = 0; round < 30; ++round) {
    progress.check();
    std::vector<char> bad(cells.size(), 0);
    parallelFor(cells.size(), &progress, [&](std::size_t c) { bad[c] = validity(c) < kValid; });
    bool any = false;
    for (std::size_t c = 0; c < cells.size(); ++c) {
      if (!bad[c]) continue;
      any = true;
      auto n = cells.of(c);
      if (round < 4) {
        // Move the straight inner mid nodes along with the mean displacement of the curved ones next to them.
        Vec3 mean(0, 0, 0);
        int curved = 0;
        for (std::size_t i = cornersOf(c); i < n.size(); ++i) {
          const Mid& m = mids[static_cast<std::size_t>(n[i] - first)];
          if (m.link.dim != 3) mean += m.true_ - m.chord, ++curved;
        }
        if (!curved) continue;
        mean /= static_cast<double>(n.size() - cornersOf(c));
        for (std::size_t i = cornersOf(c); i < n.size(); ++i) {
          Mid& m = mids[static_cast<std::size_t>(n[i] - first)];
          if (m.link.dim == 3) {
            m.true_ = m.chord + 0.5 * (m.true_ - m.chord + mean);
            m.share = 1;
          }
        }
        continue;
      }
      for (std::size_t i = cornersOf(c); i < n.size(); ++i) {
        Mid& m = mids[static_cast<std::size_t>(n[i] - first)];
        if (m.link.dim == 3)
          m.true_ = m.chord;
        else
          m.share = round > 25 ? 0 : 0.75 * m.share;
      }
    }
    if (!any) break;
  }
  for (const auto& m : mids) {
    mesh.nodes.push_back(place(m));
    mesh.nodeLink.push_back(m.link.dim == 3 ? GeometryLink{} : m.link);
    if (m.link.dim != 3) {
      ++stats.boundary;
      if (m.share < 1 || m.jumped > 0) {
        ++stats.straightened;
        stats.offset = std::max({stats.offset, m.jumped, (1 - m.share) * (m.true_ - m.chord).norm()});
        if (stats.places.size() < 50) stats.places.push_back(place(m));
      }
    }
  }
  mesh.cells = std::move(cells);
  ElementBlock faces;
  for (std::size_t f = 0; f < mesh.faces.size(); ++f) {
    auto n = mesh.faces.of(f);
    std::array<std::int32_t, 8> q;
    const std::size_t corners = n.size();
    for (std::size_t k = 0; k < corners; ++k) {
      q[k] = n[k];
      q[corners + k] = id.at(edgeKey(n[k], n[(k + 1) % corners]));
    }
    faces.add(faceType(corners, 2), std::span(q.data(), 2 * corners));
  }
  mesh.faces = std::move(faces);
  return stats;
}

std::optional<Problem> straightenedProblem(const CurveStats& c, const std::string& unit) {
  if (!c.straightened) return {};
  Problem p;
  p.severity = Severity::Note;
  p.code = "mesh.straightened";
  p.what = std::to_string(c.straightened) + " of " + std::to_string(c.boundary) +
           " boundary mid nodes were drawn towards their chords, by at most " + formatNumber(c.offset, 3) + " " + unit;
  p.places = c.places;
  p.where = "first at " + formatPoint(p.places.front()) + " " + unit;
  p.why = "on the true surface an element would have been inverted";
  p.todo = "ask for a smaller turn per element there if the shape matters";
  return p;
}

} // namespace tess
