// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/cell_faces.h"
#include "base/parallel.h"
#include "base/unset.h"
#include <algorithm>
#include <atomic>
#include <cstring>
#include <tuple>
#include <utility>

namespace tess {

namespace {

constexpr std::int32_t kNone = std::numeric_limits<std::int32_t>::max();
using FaceNodes = std::array<std::int32_t, 4>; ///< as in FaceKey: the first is the smallest node

/// Use of a face by a cell, apart from its first node.
struct AnySide {
  std::uint64_t rest; ///< second and third node
  std::int32_t last, ofCell;
  std::uint32_t slot;
  AnySide() = default;
  AnySide(const FaceNodes& v, std::size_t c, std::uint32_t s)
      : rest(static_cast<std::uint64_t>(v[1]) << 32 | static_cast<std::uint32_t>(v[2])), last(v[3]),
        ofCell(static_cast<std::int32_t>(c)), slot(s) {}
  std::int32_t cell() const { return ofCell; }
  bool sameFace(const AnySide& o) const { return rest == o.rest && last == o.last; }
  std::uint64_t hash() const { return rest * 0x9E3779B97F4A7C15ull; }
  bool before(const AnySide& o) const { return std::tie(rest, last, slot) < std::tie(o.rest, o.last, o.slot); }
};

/// The same where all cells are tetrahedra: half as much to write and to read.
struct TetSide {
  std::int32_t second, third;
  std::uint32_t slot;
  TetSide() = default;
  TetSide(const FaceNodes& v, std::size_t, std::uint32_t s) : second(v[1]), third(v[2]), slot(s) {}
  std::int32_t cell() const { return static_cast<std::int32_t>(slot / 4); }
  bool sameFace(const TetSide& o) const { return second == o.second && third == o.third; }
  std::uint64_t hash() const {
    return (static_cast<std::uint64_t>(second) << 32 | static_cast<std::uint32_t>(third)) * 0x9E3779B97F4A7C15ull;
  }
  bool before(const TetSide& o) const { return std::tie(second, third, slot) < std::tie(o.second, o.third, o.slot); }
};

/// Fills in the cells of `n`, whose `start` stands.
template <class Side> void findNeighbours(const Mesh& m, Neighbours& n, const Progress* progress) {
  const std::size_t cells = m.cells.size();
  n.cell.assign(n.start.back(), -1);
  std::array<std::uint64_t, 4> faceWithout{}; // of a tetrahedron: the face that lacks a corner
  for (std::size_t f = 0; f < 4; ++f) {
    int corner = 6;
    for (int i : topology(ElementType::Tet4).face[f]) corner -= std::max(i, 0);
    faceWithout[static_cast<std::size_t>(corner)] = f;
  }
  auto order = [](auto& x, auto& y) { // without a branch: which is smaller cannot be foreseen
    const auto small = std::min(x, y), large = std::max(x, y);
    x = small;
    y = large;
  };
  auto order4 = [&](auto& s) {
    order(s[0], s[1]), order(s[2], s[3]), order(s[0], s[2]), order(s[1], s[3]), order(s[1], s[2]);
  };
  /// Calls visit(face, its nodes in rising order) for the faces of a cell.
  auto eachFace = [&](std::size_t c, auto&& visit) {
    const auto& t = m.cells.shape(c);
    const auto corners = m.cells.of(c);
    FaceNodes v{kNone, kNone, kNone, kNone};
    if (t.corners == 4) { // most cells: one sorting serves all four faces
      std::array<std::uint64_t, 4> s;
      for (std::size_t i = 0; i < 4; ++i) s[i] = static_cast<std::uint64_t>(corners[i]) << 2 | faceWithout[i];
      order4(s);
      for (std::size_t gone = 0; gone < 4; ++gone) {
        for (std::size_t i = 0; i < 3; ++i) v[i] = static_cast<std::int32_t>(s[i < gone ? i : i + 1] >> 2);
        visit(static_cast<int>(s[gone] & 3), v);
      }
      return;
    }
    if (t.type == ElementType::Polyhedron) {
      std::vector<std::int32_t> ring;
      for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
        ring.clear();
        for (auto i : m.cells.faceCorners(c, f)) ring.push_back(corners[static_cast<std::size_t>(i)]);
        visit(static_cast<int>(f), faceKey(ring).v);
      }
      return;
    }
    for (int f = 0; f < t.faces; ++f) {
      const auto& q = t.face[static_cast<std::size_t>(f)];
      for (std::size_t i = 0; i < 4; ++i) v[i] = q[i] >= 0 ? corners[static_cast<std::size_t>(q[i])] : kNone;
      order4(v);
      visit(f, v);
    }
  };
  // A few stretches of cells count and place their sides beside each other; where each places them follows from the
  // counts of those before it.
  constexpr std::size_t kStretches = 4;
  const std::size_t nodes = m.nodes.size(), length = (cells + kStretches - 1) / kStretches;
  auto eachStretch = [&](auto&& visit) {
    parallelFor(
        kStretches, progress,
        [&](std::size_t s) {
          for (std::size_t c = s * length; c < std::min(cells, (s + 1) * length); ++c) {
            if (progress && (c & 0xffff) == 0) progress->check();
            visit(s, c);
          }
        },
        1);
  };
  std::vector<std::uint32_t> next(kStretches * nodes, 0);
  eachStretch([&](std::size_t s, std::size_t c) {
    std::uint32_t* count = next.data() + s * nodes;
    if (topology(m.cells.type[c]).corners != 4) {
      eachFace(c, [&](int, const auto& v) { ++count[v[0]]; });
      return;
    }
    const auto v = m.cells.of(c); // three faces of a tetrahedron hold its smallest node, the fourth the one after it
    const auto a = std::min(v[0], v[1]), b = std::min(v[2], v[3]);
    count[std::min(a, b)] += 3;
    ++count[std::min({std::max(a, b), std::max(v[0], v[1]), std::max(v[2], v[3])})];
  });
  std::vector<std::uint32_t> bucket(nodes + 1, 0);
  std::uint32_t total = 0;
  for (std::size_t b = 0; b < nodes; ++b) {
    bucket[b] = total;
    for (std::size_t s = 0; s < kStretches; ++s) total += std::exchange(next[s * nodes + b], total);
  }
  bucket[nodes] = total;
  UnsetVector<Side> sides(n.start.back());
  eachStretch([&](std::size_t s, std::size_t c) {
    eachFace(c, [&](int f, const auto& v) {
      sides[next[s * nodes + static_cast<std::size_t>(v[0])]++] =
          Side(v, c, n.start[c] + static_cast<std::uint32_t>(f));
    });
  });
  std::atomic<std::size_t> surplus{0};
  parallelFor(m.nodes.size(), progress, [&](std::size_t b) {
    auto first = sides.begin() + bucket[b], last = sides.begin() + bucket[b + 1];
    // The first and the second use of a face see each other, further ones the first. Sides stand in the order of their
    // slots; each is looked up among the faces before it by a small table, or in a bucket of many, these are sorted.
    constexpr std::size_t kFew = 96;
    if (last - first > static_cast<std::ptrdiff_t>(kFew)) {
      std::sort(first, last, [](const Side& x, const Side& y) { return x.before(y); });
      for (auto i = first; i != last;) {
        auto j = i;
        while (j != last && j->sameFace(*i)) ++j;
        if (j - i >= 2) n.cell[i->slot] = (i + 1)->cell();
        for (auto k = i + 1; k < j; ++k) n.cell[k->slot] = i->cell();
        if (j - i > 2) surplus += static_cast<std::size_t>(j - i - 2);
        i = j;
      }
      return;
    }
    Side faces[kFew]; // their first use, and whether a second was seen
    bool second[kFew];
    constexpr std::size_t kPlaces = 128; // more than kFew: a search always ends
    constexpr unsigned char kFree = 255;
    unsigned char places[kPlaces]; // numbers of faces by hash
    std::memset(places, kFree, sizeof places);
    std::size_t known = 0;
    for (auto i = first; i != last; ++i) {
      std::size_t at = i->hash() >> 57;
      while (places[at] != kFree && !faces[places[at]].sameFace(*i)) at = (at + 1) % kPlaces;
      if (places[at] == kFree) {
        places[at] = static_cast<unsigned char>(known);
        faces[known] = *i;
        second[known++] = false;
        continue;
      }
      const std::size_t k = places[at];
      n.cell[i->slot] = faces[k].cell();
      if (second[k])
        ++surplus;
      else
        n.cell[faces[k].slot] = i->cell();
      second[k] = true;
    }
  });
  n.surplus = surplus;
}

} // namespace

FaceKey polygonKey(std::span<const std::int32_t> n) {
  std::vector<std::int32_t> v(n.begin(), n.end());
  std::sort(v.begin(), v.end());
  std::uint64_t h = v.size();
  for (auto i : v) {
    h = (h ^ static_cast<std::uint32_t>(i)) * 0x9E3779B97F4A7C15ull;
    h ^= h >> 31;
  }
  // Below zero, as no node is: never the key of a face of fewer corners.
  return {{v[0], v[1], static_cast<std::int32_t>(static_cast<std::uint32_t>(h >> 32) | 0x80000000u),
           static_cast<std::int32_t>(static_cast<std::uint32_t>(h))}};
}

bool sameRing(std::span<const std::int32_t> a, std::span<const std::int32_t> b) {
  if (a.size() != b.size()) return false;
  const auto at = std::find(b.begin(), b.end(), a[0]);
  if (at == b.end()) return false;
  const auto s = static_cast<std::size_t>(at - b.begin());
  for (std::size_t i = 1; i < a.size(); ++i)
    if (a[i] != b[(s + i) % b.size()]) return false;
  return true;
}

Neighbours cellNeighbours(const Mesh& m, const Progress* progress) {
  Neighbours n;
  const std::size_t cells = m.cells.size();
  n.start.resize(cells + 1, 0);
  bool allTets = true;
  for (std::size_t c = 0; c < cells; ++c) {
    n.start[c + 1] = n.start[c] + static_cast<std::uint32_t>(m.cells.faceCount(c));
    allTets = allTets && m.cells.shape(c).corners == 4;
  }
  if (allTets)
    findNeighbours<TetSide>(m, n, progress);
  else
    findNeighbours<AnySide>(m, n, progress);
  return n;
}

} // namespace tess
