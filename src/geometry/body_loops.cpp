// SPDX-License-Identifier: GPL-3.0-or-later
#include "geometry/body_loops.h"
#include <map>

namespace tess {

int startOf(const Part& part, const EdgeStep& s) {
  return part.edges[static_cast<std::size_t>(s.edge)].points[s.forward ? 0 : 1];
}
int endOf(const Part& part, const EdgeStep& s) {
  return part.edges[static_cast<std::size_t>(s.edge)].points[s.forward ? 1 : 0];
}
Vec3 wayOf(const Part& part, const EdgeStep& s, bool atEnd) {
  const auto& chain = part.display.edgeChain[static_cast<std::size_t>(s.edge)];
  auto at = [&](std::size_t k) -> const Vec3& { return part.display.points[static_cast<std::size_t>(chain[k])]; };
  const std::size_t n = chain.size();
  const Vec3 d = atEnd == s.forward ? at(n - 1) - at(n - 2) : at(1) - at(0);
  return (s.forward ? d : Vec3(-d)).normalized();
}
EdgeChain reversed(const EdgeChain& chain) {
  EdgeChain r(chain.rbegin(), chain.rend());
  for (auto& s : r) s.forward = !s.forward;
  return r;
}

BodyLoops::BodyLoops(const Part& part, int body) : m_part(part), m_body(body) {
  for (int f : part.bodies[static_cast<std::size_t>(body)].faces) m_directed[f];
  const auto& t = part.display;
  for (std::size_t i = 0; i < t.triangles.size(); ++i) {
    const auto it = m_directed.find(t.triangleFace[i]);
    if (it == m_directed.end()) continue;
    for (std::size_t k = 0; k < 3; ++k) it->second.insert(key(t.triangles[i][k], t.triangles[i][(k + 1) % 3]));
  }
}

std::optional<std::vector<EdgeChain>> BodyLoops::loops(int face) const {
  std::map<int, EdgeStep> from; // by the point where a step begins
  const auto& sides = m_directed.at(face);
  const auto& edges = m_part.faces[static_cast<std::size_t>(face)].edges;
  for (int e : edges) {
    const auto& chain = m_part.display.edgeChain[static_cast<std::size_t>(e)];
    if (chain.size() < 2) return {};
    const bool forward = sides.count(key(chain[0], chain[1])) > 0, back = sides.count(key(chain[1], chain[0])) > 0;
    if (forward == back) return {};
    const EdgeStep s{e, forward};
    if (!from.emplace(startOf(m_part, s), s).second) return {};
  }
  std::vector<EdgeChain> r;
  while (!from.empty()) {
    EdgeChain loop;
    const int begin = from.begin()->first;
    for (int at = begin;;) {
      const auto it = from.find(at);
      if (it == from.end()) return {};
      loop.push_back(it->second);
      at = endOf(m_part, it->second);
      from.erase(it);
      if (at == begin) break;
    }
    r.push_back(std::move(loop));
  }
  return r;
}

int BodyLoops::across(int face, int edge) const {
  int other = -1;
  for (int f : m_part.edges[static_cast<std::size_t>(edge)].faces) {
    const auto& b = m_part.faces[static_cast<std::size_t>(f)].bodies;
    if (f == face || (b[0] != m_body && b[1] != m_body)) continue;
    if (other >= 0) return -1;
    other = f;
  }
  return other;
}

std::vector<EdgeChain> BodyLoops::chains(int face, const EdgeChain& loop) const {
  const std::size_t n = loop.size();
  std::vector<int> side(n);
  for (std::size_t k = 0; k < n; ++k) side[k] = across(face, loop[k].edge);
  std::size_t first = 0;
  while (first < n && side[first] == side[(first + n - 1) % n]) ++first;
  if (first == n) return {loop};
  std::vector<EdgeChain> r;
  for (std::size_t k = 0; k < n; ++k) {
    const std::size_t i = (first + k) % n;
    if (k == 0 || side[i] != side[(i + n - 1) % n]) r.emplace_back();
    r.back().push_back(loop[i]);
  }
  return r;
}

} // namespace tess
