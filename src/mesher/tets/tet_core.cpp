// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/tets/tet_core.h"
#include "base/parallel.h"
#include "base/predicates.h"
#include "mesher/tets/delaunay.h"
#include <array>
#include <unordered_map>

namespace tess {
int TetCore::newTet() {
  if (!m_free.empty()) {
    int t = m_free.back();
    if (log) {
      log->add([this, t] { m_free.push_back(t); });
      noteState(t);
      log->comes(t);
    }
    m_free.pop_back();
    region[static_cast<std::size_t>(t)] = -1;
    locked[static_cast<std::size_t>(t)] = 0;
    return t;
  }
  tets.push_back({{-2, -2, -2, -2}, {-1, -1, -1, -1}});
  region.push_back(-1);
  locked.push_back(0);
  m_stamp.push_back(0);
  const int made = static_cast<int>(tets.size()) - 1;
  if (log) {
    log->add([this] {
      tets.pop_back();
      region.pop_back();
      locked.pop_back();
      m_stamp.pop_back();
    });
    log->comes(made);
  }
  return made;
}

void TetCore::noteState(int t) {
  const auto i = static_cast<std::size_t>(t);
  log->add([this, i, was = tets[i], r = region[i], l = locked[i]] {
    tets[i] = was;
    region[i] = r;
    locked[i] = l;
  });
}

void TetCore::killTet(int t) {
  if (log) {
    log->goes(t);
    log->add([this, t] { // runs last: the tet is whole again
      m_free.pop_back();
      for (int v : at(t).v)
        if (v >= 0) {
          tetOf[static_cast<std::size_t>(v)] = t;
          if (!changed.empty()) changed[static_cast<std::size_t>(v)] = clock;
        }
    });
    noteState(t);
  }
  if (!changed.empty())
    for (int v : at(t).v)
      if (v >= 0) changed[static_cast<std::size_t>(v)] = clock;
  at(t).v[0] = -2;
  m_free.push_back(t);
}

void TetCore::move(int v, const Vec3& to) {
  Vec3& p = points[static_cast<std::size_t>(v)];
  std::vector<int> star;
  if (log || !changed.empty()) starOf(v, star);
  if (log) {
    for (int t : star) log->goes(t);
    log->add([this, v, was = p] { points[static_cast<std::size_t>(v)] = was; });
  }
  p = to;
  for (int t : star) {
    if (log) log->comes(t);
    if (changed.empty()) continue;
    for (int w : at(t).v)
      if (w >= 0) changed[static_cast<std::size_t>(w)] = clock;
  }
}

int TetCore::locate(const Vec3& p, int t, bool stayInside) {
  if (ghost(t)) {
    for (int i = 0; i < 4; ++i)
      if (at(t).v[i] == kGhost) {
        t = at(t).n[i] >> 2;
        break;
      }
  }
  int from = -1;
  for (long long guard = 0; guard < 4000000; ++guard) {
    const Tet& q = at(t);
    m_rng = m_rng * 1664525u + 1013904223u;
    int start = static_cast<int>(m_rng >> 30);
    int next = -1;
    for (int k = 0; k < 4; ++k) {
      int i = (start + k) & 3;
      int o = q.n[i] >> 2;
      if (o == from) continue;
      const int* f = kTetFace[i];
      if (orient3d(pt(q.v[f[0]]), pt(q.v[f[1]]), pt(q.v[f[2]]), p) < 0) {
        if (stayInside && faceLocked(t, i)) return -1;
        next = o;
        break;
      }
    }
    if (next < 0) return t;
    from = t;
    t = next;
    if (ghost(t)) return t;
    if (stayInside && guard > 5000) return -1;
  }
  return -1;
}

void TetCore::rebuildWalls(const std::vector<int>& members, int stamp, Cavity& c) const {
  c.walls.clear();
  for (int t : members) {
    const Tet& q = at(t);
    for (int i = 0; i < 4; ++i) {
      int o = q.n[i] >> 2;
      bool lock = faceLocked(t, i);
      if (m_stamp[static_cast<std::size_t>(o)] == stamp && !lock) continue;
      const int* f = kTetFace[i];
      c.walls.push_back({{q.v[f[0]], q.v[f[1]], q.v[f[2]]}, q.n[i], lock, t});
    }
  }
}

bool TetCore::cavityOf(const Vec3& p, int pointId, int start, Cavity& c) {
  c.tets.clear();
  int stamp = ++m_stampNow;
  m_stamp[static_cast<std::size_t>(start)] = stamp;
  c.tets.push_back(start);
  for (std::size_t k = 0; k < c.tets.size(); ++k) {
    const Tet& q = at(c.tets[k]);
    for (int i = 0; i < 4; ++i) {
      int o = q.n[i] >> 2;
      int& mark = m_stamp[static_cast<std::size_t>(o)];
      if (faceLocked(c.tets[k], i) || mark == stamp || mark == -stamp) continue;
      bool taken = inConflict(tets, points, o, p, pointId);
      mark = taken ? stamp : -stamp;
      if (taken) c.tets.push_back(o);
    }
  }
  // Away from the Delaunay property the cavity need not be star-shaped: drop tets whose walls p does not see.
  for (int round = 0; round < 100; ++round) {
    rebuildWalls(c.tets, stamp, c);
    int dropped = 0;
    for (const auto& w : c.walls) {
      if (m_stamp[static_cast<std::size_t>(w.inside)] != stamp) continue;
      if (w.v[0] != kGhost && w.v[1] != kGhost && w.v[2] != kGhost &&
          orient3d(pt(w.v[0]), pt(w.v[1]), pt(w.v[2]), p) > 0)
        continue;
      if (w.inside == start) return false;
      m_stamp[static_cast<std::size_t>(w.inside)] = -stamp;
      ++dropped;
    }
    if (!dropped) break;
    // Keep what is still connected to the start.
    std::vector<int> kept{start};
    int old = stamp;
    stamp = ++m_stampNow;
    m_stamp[static_cast<std::size_t>(start)] = stamp;
    for (std::size_t k = 0; k < kept.size(); ++k)
      for (int i = 0; i < 4; ++i) {
        int o = at(kept[k]).n[i] >> 2;
        if (m_stamp[static_cast<std::size_t>(o)] == old && !faceLocked(kept[k], i)) {
          m_stamp[static_cast<std::size_t>(o)] = stamp;
          kept.push_back(o);
        }
      }
    c.tets = std::move(kept);
  }
  // A cavity that swallowed a locked edge or vertex is refused: some edge of it would vanish.
  return true;
}

void TetCore::fill(const Cavity& c, int p) {
  lastMade.clear();
  int reg = region[static_cast<std::size_t>(c.tets.front())];
  for (int t : c.tets) killTet(t);
  // The walls form a closed surface: every directed edge of it occurs once, its reverse in the neighbour. Vertices get
  // small local numbers, and a square table finds the neighbour without hashing.
  const std::size_t corners = c.walls.size() / 2 + 2 + 16; // Euler; pinched surfaces have more, hence the check below
  if (m_local.size() < points.size() + 1) m_local.resize(points.size() + 1, {0, 0});
  ++m_localStamp;
  int known = 0;
  auto local = [&](int v) {
    Local& l = m_local[static_cast<std::size_t>(v + 1)];
    if (l.stamp != m_localStamp) l = {m_localStamp, known++};
    return l.number;
  };
  std::size_t side = corners;
  m_table.resize(std::max(m_table.size(), side * side));
  bool square = true;
  for (const auto& w : c.walls) {
    int t = newTet();
    lastMade.push_back(t);
    Tet& q = at(t);
    q.v[0] = w.v[0];
    q.v[1] = w.v[1];
    q.v[2] = w.v[2];
    q.v[3] = p;
    region[static_cast<std::size_t>(t)] = reg;
    if (w.locked) locked[static_cast<std::size_t>(t)] |= 8;
    link(4 * t + 3, w.outside);
    if (!square) continue;
    std::size_t l[3];
    for (std::size_t i = 0; i < 3; ++i) l[i] = static_cast<std::size_t>(local(q.v[i]));
    if (static_cast<std::size_t>(known) > side) {
      square = false;
      continue;
    }
    for (std::size_t i = 0; i < 3; ++i) m_table[l[(i + 1) % 3] * side + l[(i + 2) % 3]] = 4 * t + static_cast<int>(i);
  }
  if (square)
    for (int t : lastMade) {
      const Tet& q = at(t);
      std::size_t l[3];
      for (std::size_t i = 0; i < 3; ++i)
        l[i] = static_cast<std::size_t>(m_local[static_cast<std::size_t>(q.v[i] + 1)].number);
      for (std::size_t i = 0; i < 3; ++i) at(t).n[i] = m_table[l[(i + 2) % 3] * side + l[(i + 1) % 3]];
    }
  else
    linkByHash();
  for (int t : lastMade)
    for (int i = 0; i < 3; ++i)
      if (at(t).v[i] != kGhost) tetOf[static_cast<std::size_t>(at(t).v[i])] = t;
  tetOf[static_cast<std::size_t>(p)] = lastMade.front();
}

void TetCore::linkByHash() {
  std::unordered_map<std::uint64_t, int> open;
  for (int t : lastMade)
    for (int i = 0; i < 3; ++i) {
      int a = at(t).v[(i + 1) % 3], b = at(t).v[(i + 2) % 3];
      auto [it, fresh] = open.emplace(edgeKey(a + 1, b + 1), 4 * t + i);
      if (!fresh) link(4 * t + i, it->second);
    }
}

bool TetCore::delaunay(const std::vector<int>& which, Progress* progress) {
  // Points are worked on in the order of insertion, which runs along a curve: what is close in space is then close in
  // memory. Vertices get their own numbers back at the end.
  const InsertionOrder order = insertionOrder(points, which);
  tets = delaunayTets(points, order, progress);
  // In two halves, each with the last of its tets at every vertex, beside the other arrays.
  std::array<std::vector<int>, 2> lastAt;
  const std::size_t half = tets.size() / 2;
  parallelFor(
      5, nullptr,
      [&](std::size_t job) {
        if (job == 2) region.assign(tets.size(), -1);
        if (job == 3) locked.assign(tets.size(), 0);
        if (job == 4) m_stamp.assign(tets.size(), 0);
        if (job > 1) return;
        auto& last = lastAt[job];
        last.assign(order.order.size(), -1);
        for (std::size_t t = job ? half : 0; t < (job ? tets.size() : half); ++t)
          for (int& v : tets[t].v)
            if (v != kGhost) {
              last[static_cast<std::size_t>(v)] = static_cast<int>(t);
              v = order.order[static_cast<std::size_t>(v)];
            }
      },
      1);
  tetOf.assign(points.size(), -1);
  for (std::size_t i = 0; i < order.order.size(); ++i)
    tetOf[static_cast<std::size_t>(order.order[i])] = std::max(lastAt[0][i], lastAt[1][i]);
  m_stampNow = 0;
  m_free.clear();
  return !tets.empty();
}

bool TetCore::ringOf(int t, int a, int b, Ring& ring) const {
  ring.a = a;
  ring.b = b;
  ring.tets.clear();
  ring.r.clear();
  // In a positive tet with corners a, b, x, y the ring runs x -> y when (a, b, x, y) is positive.
  int ia = indexOf(t, a), ib = indexOf(t, b);
  int k0 = -1, k1 = -1;
  for (int i = 0; i < 4; ++i)
    if (i != ia && i != ib) (k0 < 0 ? k0 : k1) = i;
  // parity of the permutation (ia, ib, k0, k1)
  int perm[4] = {ia, ib, k0, k1}, inv = 0;
  for (int i = 0; i < 4; ++i)
    for (int j = i + 1; j < 4; ++j) inv += perm[i] > perm[j];
  if (inv & 1) std::swap(k0, k1);
  int first = at(t).v[k0], cur = first, tet = t;
  for (int guard = 0; guard < 25; ++guard) {
    if (ghost(tet)) return false;
    int ic = indexOf(tet, cur);
    ring.tets.push_back(tet);
    ring.r.push_back(cur);
    int next = -1;
    for (int v : at(tet).v)
      if (v != a && v != b && v != cur) next = v;
    cur = next;
    tet = at(tet).n[ic] >> 2; // leave through the face opposite the vertex left behind
    if (cur == first) return tet == t;
  }
  return false;
}

void TetCore::starOf(int v, std::vector<int>& out) const {
  out.clear();
  int t0 = tetOf[static_cast<std::size_t>(v)];
  if (t0 < 0) return;
  const int stamp = ++m_stampNow;
  m_stamp[static_cast<std::size_t>(t0)] = stamp;
  out.push_back(t0);
  for (std::size_t k = 0; k < out.size(); ++k) {
    const Tet& q = at(out[k]);
    for (int i = 0; i < 4; ++i) {
      if (q.v[i] == v) continue;
      const int o = q.n[i] >> 2;
      int& mark = m_stamp[static_cast<std::size_t>(o)];
      if (mark == stamp) continue;
      mark = stamp;
      out.push_back(o);
    }
  }
}

int TetCore::towards(int a, int b) const {
  int t = tetOf[static_cast<std::size_t>(a)];
  if (t < 0) return -1;
  const Vec3& to = pt(b);
  std::uint32_t rng = 12345;
  // A walk in tets that are not Delaunay can run in circles: after so many steps the whole star is looked at.
  for (int step = 0; step < 300; ++step) {
    const Tet& x = at(t);
    rng = rng * 1664525u + 1013904223u;
    const int start = static_cast<int>(rng >> 30);
    int next = -1;
    bool within = true;
    for (int k = 0; k < 4 && next < 0; ++k) {
      const int i = (start + k) & 3;
      if (x.v[i] == b) return t;
      if (x.v[i] == kGhost) return -1;
      if (x.v[i] == a) continue;
      const int* f = kTetFace[i];
      if (x.v[f[0]] == kGhost || x.v[f[1]] == kGhost || x.v[f[2]] == kGhost) return -1;
      const double side = orient3d(pt(x.v[f[0]]), pt(x.v[f[1]]), pt(x.v[f[2]]), to);
      if (side < 0) next = x.n[i] >> 2;
      within = within && side > 0;
    }
    if (next < 0) return within ? t : -1;
    t = next;
  }
  return -1;
}

int TetCore::findEdge(int a, int b) const {
  if (const int t = towards(a, b); t >= 0) return indexOf(t, b) >= 0 ? t : -1;
  std::vector<int> star;
  starOf(a, star);
  for (int t : star)
    if (indexOf(t, b) >= 0) return t;
  return -1;
}

int TetCore::findFace(int a, int b, int c) const {
  const int start = findEdge(a, b);
  if (start < 0) return -1;
  int t = start, kept = kGhost - 2; // round the edge: out opposite the corner that was kept from the tet before
  do {
    const Tet& q = at(t);
    int others[2], n = 0;
    for (int i = 0; i < 4; ++i)
      if (q.v[i] != a && q.v[i] != b) others[n++] = i;
    for (int i : others)
      if (q.v[i] == c) return 4 * t + (6 - indexOf(t, a) - indexOf(t, b) - i);
    const int out = q.v[others[1]] == kept ? 1 : 0;
    kept = q.v[others[1 - out]];
    t = q.n[others[out]] >> 2;
  } while (t != start);
  return -1;
}

bool TetCore::canFlip23(int t, int f) const {
  if (faceLocked(t, f)) return false;
  int o = at(t).n[f] >> 2, of = at(t).n[f] & 3;
  if (ghost(t) || ghost(o)) return false;
  const Vec3 &top = pt(at(t).v[f]), &bottom = pt(at(o).v[of]);
  const int* k = kTetFace[f];
  int a = at(t).v[k[0]], b = at(t).v[k[1]], c = at(t).v[k[2]];
  // (a, b, c, top) is positive; the segment bottom-top must pass strictly inside abc.
  return orient3d(pt(a), pt(b), bottom, top) > 0 && orient3d(pt(b), pt(c), bottom, top) > 0 &&
         orient3d(pt(c), pt(a), bottom, top) > 0;
}

void TetCore::flip23(int t, int f) {
  int o = at(t).n[f] >> 2, of = at(t).n[f] & 3;
  const int* k = kTetFace[f];
  int v[3] = {at(t).v[k[0]], at(t).v[k[1]], at(t).v[k[2]]};
  int top = at(t).v[f], bottom = at(o).v[of];
  int outT[3], outO[3];
  bool lockT[3], lockO[3];
  for (int i = 0; i < 3; ++i) {
    int it = indexOf(t, v[i]), io = indexOf(o, v[i]);
    outT[i] = at(t).n[it];
    outO[i] = at(o).n[io];
    lockT[i] = faceLocked(t, it);
    lockO[i] = faceLocked(o, io);
  }
  int reg = region[static_cast<std::size_t>(t)];
  killTet(t);
  killTet(o);
  lastMade.clear();
  for (int i = 0; i < 3; ++i) lastMade.push_back(newTet());
  for (int i = 0; i < 3; ++i) { // tet i: edge v[i+1] -> v[i+2] with bottom and top
    int n = lastMade[static_cast<std::size_t>(i)], a = v[(i + 1) % 3], b = v[(i + 2) % 3];
    int w[4] = {a, b, bottom, top};
    std::copy(w, w + 4, at(n).v);
    region[static_cast<std::size_t>(n)] = reg;
    for (int x : w) tetOf[static_cast<std::size_t>(x)] = n;
    link(4 * n + 2, outT[i]); // opposite bottom: face a b top, outside of t
    link(4 * n + 3, outO[i]);
    locked[static_cast<std::size_t>(n)] = static_cast<std::uint8_t>((lockT[i] ? 4 : 0) | (lockO[i] ? 8 : 0));
  }
  for (int i = 0; i < 3; ++i) { // face bottom-top-v[i+2] is shared by tet i (opposite a) and tet i+1 (opposite its b)
    int n = lastMade[static_cast<std::size_t>(i)], m = lastMade[static_cast<std::size_t>((i + 1) % 3)];
    link(4 * n + 0, 4 * m + 1);
  }
}

void TetCore::replaceRing(const Ring& ring, const std::vector<std::array<int, 3>>& triangles) {
  const int n = static_cast<int>(ring.r.size());
  std::vector<int> outA(static_cast<std::size_t>(n)), outB(static_cast<std::size_t>(n));
  std::vector<char> lockA(static_cast<std::size_t>(n)), lockB(static_cast<std::size_t>(n));
  for (int i = 0; i < n; ++i) {
    int t = ring.tets[static_cast<std::size_t>(i)], ia = indexOf(t, ring.a), ib = indexOf(t, ring.b);
    outB[static_cast<std::size_t>(i)] = at(t).n[ia]; // face with b, beyond it the outside on b's side
    outA[static_cast<std::size_t>(i)] = at(t).n[ib];
    lockB[static_cast<std::size_t>(i)] = faceLocked(t, ia);
    lockA[static_cast<std::size_t>(i)] = faceLocked(t, ib);
  }
  int reg = region[static_cast<std::size_t>(ring.tets.front())];
  for (int t : ring.tets) killTet(t);
  lastMade.clear();
  // Open sides (pairs of ring indices) waiting for their partner: polygon sides and inner diagonals.
  std::vector<std::array<int, 4>> open; // i, j, face on a's side, face on b's side
  for (const auto& tri : triangles) {
    int x = ring.r[static_cast<std::size_t>(tri[0])], y = ring.r[static_cast<std::size_t>(tri[1])],
        z = ring.r[static_cast<std::size_t>(tri[2])];
    int ta = newTet(), tb = newTet();
    lastMade.push_back(ta);
    lastMade.push_back(tb);
    // Ring order x, y, z turns with (a, b, x, y) positive: (x, y, z, b) is positive, (x, z, y, a) is positive.
    int wa[4] = {x, z, y, ring.a}, wb[4] = {x, y, z, ring.b};
    std::copy(wa, wa + 4, at(ta).v);
    std::copy(wb, wb + 4, at(tb).v);
    region[static_cast<std::size_t>(ta)] = region[static_cast<std::size_t>(tb)] = reg;
    for (int v : {x, y, z}) tetOf[static_cast<std::size_t>(v)] = ta;
    tetOf[static_cast<std::size_t>(ring.a)] = ta;
    tetOf[static_cast<std::size_t>(ring.b)] = tb;
    link(4 * ta + 3, 4 * tb + 3);
    for (int k = 0; k < 3; ++k) {
      int i = tri[static_cast<std::size_t>(k)], j = tri[static_cast<std::size_t>((k + 1) % 3)];
      int other = ring.r[static_cast<std::size_t>(tri[static_cast<std::size_t>((k + 2) % 3)])];
      int fa = 4 * ta + indexOf(ta, other), fb = 4 * tb + indexOf(tb, other);
      int lo = std::min(i, j), hi = std::max(i, j);
      if (hi - lo == 1 || (lo == 0 && hi == n - 1)) {
        std::size_t side = static_cast<std::size_t>(hi - lo == 1 ? lo : n - 1);
        link(fa, outA[side]);
        link(fb, outB[side]);
        if (lockA[side]) locked[static_cast<std::size_t>(ta)] |= static_cast<std::uint8_t>(1 << (fa & 3));
        if (lockB[side]) locked[static_cast<std::size_t>(tb)] |= static_cast<std::uint8_t>(1 << (fb & 3));
        continue;
      }
      bool met = false;
      for (const auto& o : open)
        if (o[0] == lo && o[1] == hi) {
          link(fa, o[2]);
          link(fb, o[3]);
          met = true;
        }
      if (!met) open.push_back({lo, hi, fa, fb});
    }
  }
}

void TetCore::rebuild(const std::vector<int>& old, const std::vector<std::array<int, 4>>& fresh,
                      const std::vector<int>* regions) {
  struct Open {
    std::array<int, 3> v;
    int face;
    bool lock;
  };
  auto sorted = [](int a, int b, int c) {
    std::array<int, 3> v{a, b, c};
    std::sort(v.begin(), v.end());
    return v;
  };
  std::vector<Open> open;
  for (int t : old)
    for (int i = 0; i < 4; ++i) {
      int o = at(t).n[i] >> 2;
      if (std::find(old.begin(), old.end(), o) != old.end()) continue;
      const int* f = kTetFace[i];
      open.push_back({sorted(at(t).v[f[0]], at(t).v[f[1]], at(t).v[f[2]]), at(t).n[i], faceLocked(t, i)});
    }
  int reg = region[static_cast<std::size_t>(old.front())];
  for (int t : old) killTet(t);
  lastMade.clear();
  for (std::size_t k = 0; k < fresh.size(); ++k) {
    const auto& v = fresh[k];
    int t = newTet();
    lastMade.push_back(t);
    std::copy(v.begin(), v.end(), at(t).v);
    region[static_cast<std::size_t>(t)] = regions ? (*regions)[k] : reg;
    for (int i = 0; i < 4; ++i) {
      if (v[static_cast<std::size_t>(i)] >= 0) tetOf[static_cast<std::size_t>(v[static_cast<std::size_t>(i)])] = t;
      const int* f = kTetFace[i];
      auto key = sorted(at(t).v[f[0]], at(t).v[f[1]], at(t).v[f[2]]);
      std::size_t o = 0;
      while (o < open.size() && open[o].v != key) ++o;
      if (o == open.size()) {
        open.push_back({key, 4 * t + i, false});
        continue;
      }
      link(4 * t + i, open[o].face);
      if (open[o].lock) locked[static_cast<std::size_t>(t)] |= static_cast<std::uint8_t>(1 << i);
      open[o] = open.back();
      open.pop_back();
    }
  }
}

} // namespace tess
