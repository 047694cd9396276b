// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/cell_faces.h"
#include "base/parallel.h"
#include <atomic>
#include <numeric>

namespace tess {

Neighbours cellNeighbours(const Mesh& m, const Progress* progress) {
  Neighbours n;
  const std::size_t cells = m.cells.size();
  n.start.resize(cells + 1, 0);
  for (std::size_t c = 0; c < cells; ++c)
    n.start[c + 1] = n.start[c] + static_cast<std::uint32_t>(topology(m.cells.type[c]).faces);
  n.cell.assign(n.start.back(), -1);
  struct Side {
    std::uint64_t rest; ///< the second and the third of the nodes in rising order
    std::int32_t last;  ///< the fourth; triangles have kNone
    std::int32_t cell;
    std::uint32_t slot;
    bool sameFace(const Side& o) const { return rest == o.rest && last == o.last; }
  };
  constexpr std::int32_t kNone = std::numeric_limits<std::int32_t>::max();
  std::array<int, 4> faceWithout{}; // of a tetrahedron: the face that lacks a corner
  for (int f = 0; f < 4; ++f) {
    int corner = 6;
    for (int i : topology(ElementType::Tet4).face[static_cast<std::size_t>(f)]) corner -= std::max(i, 0);
    faceWithout[static_cast<std::size_t>(corner)] = f;
  }
  /// Calls visit(face, its nodes in rising order) for the faces of a cell.
  auto eachFace = [&](std::size_t c, auto&& visit) {
    const auto& t = topology(m.cells.type[c]);
    const auto nodes = m.cells.of(c);
    std::array<std::int32_t, 4> v{kNone, kNone, kNone, kNone};
    auto order = [](auto& x, auto& y) {
      if (y < x) std::swap(x, y);
    };
    if (t.corners == 4) { // most cells: one sorting serves all four faces
      std::array<std::pair<std::int32_t, int>, 4> s;
      for (std::size_t i = 0; i < 4; ++i) s[i] = {nodes[i], faceWithout[i]};
      order(s[0], s[1]), order(s[2], s[3]), order(s[0], s[2]), order(s[1], s[3]), order(s[1], s[2]);
      for (std::size_t gone = 0; gone < 4; ++gone) {
        for (std::size_t i = 0; i < 3; ++i) v[i] = s[i < gone ? i : i + 1].first;
        visit(s[gone].second, v);
      }
      return;
    }
    for (int f = 0; f < t.faces; ++f) {
      const auto& q = t.face[static_cast<std::size_t>(f)];
      for (std::size_t i = 0; i < 4; ++i) v[i] = q[i] >= 0 ? nodes[static_cast<std::size_t>(q[i])] : kNone;
      order(v[0], v[1]), order(v[2], v[3]), order(v[0], v[2]), order(v[1], v[3]), order(v[1], v[2]);
      visit(f, v);
    }
  };
  std::vector<std::uint32_t> bucket(m.nodes.size() + 1, 0);
  for (std::size_t c = 0; c < cells; ++c) {
    if (progress && (c & 0xffff) == 0) progress->check();
    eachFace(c, [&](int, const auto& v) { ++bucket[static_cast<std::size_t>(v[0]) + 1]; });
  }
  std::partial_sum(bucket.begin(), bucket.end(), bucket.begin());
  std::vector<Side> sides(n.start.back());
  {
    std::vector<std::uint32_t> next(bucket.begin(), bucket.end() - 1);
    for (std::size_t c = 0; c < cells; ++c) {
      if (progress && (c & 0xffff) == 0) progress->check();
      eachFace(c, [&](int f, const auto& v) {
        sides[next[static_cast<std::size_t>(v[0])]++] = {
            static_cast<std::uint64_t>(v[1]) << 32 | static_cast<std::uint32_t>(v[2]), v[3],
            static_cast<std::int32_t>(c), n.start[c] + static_cast<std::uint32_t>(f)};
      });
    }
  }
  std::atomic<std::size_t> surplus{0};
  parallelFor(m.nodes.size(), progress, [&](std::size_t b) {
    auto first = sides.begin() + bucket[b], last = sides.begin() + bucket[b + 1];
    std::sort(first, last, [](const Side& x, const Side& y) {
      if (x.rest != y.rest) return x.rest < y.rest;
      return x.last != y.last ? x.last < y.last : x.slot < y.slot;
    });
    for (auto i = first; i != last;) {
      auto j = i;
      while (j != last && j->sameFace(*i)) ++j;
      if (j - i >= 2) {
        n.cell[i->slot] = (i + 1)->cell;
        for (auto k = i + 1; k != j; ++k) n.cell[k->slot] = i->cell;
        if (j - i > 2) surplus += static_cast<std::size_t>(j - i - 2);
      }
      i = j;
    }
  });
  n.surplus = surplus;
  return n;
}

} // namespace tess
