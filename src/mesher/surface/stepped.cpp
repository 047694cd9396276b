// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/stepped.h"
#include "mesher/surface/carried_face.h"
#include <Eigen/SparseCholesky>
#include <map>
#include <set>
#include <unordered_map>

namespace tess {

SteppedPattern::SteppedPattern(const Part& part, const Sweep& sweep, const SurfaceMesh& mesh) {
  const auto up = nodesOver(sweep, mesh);
  if (up.empty()) return;
  std::unordered_map<int, int> down;
  for (const auto& [a, b] : up) down[b] = a;
  // Levels: the target is 0, rows of walls go up by one, an end has one level all round.
  std::unordered_map<int, int> level;
  auto rimOf = [&](int face) {
    std::set<int> r;
    for (int e : part.faces[static_cast<std::size_t>(face)].edges)
      for (int v : mesh.edgeNodes[static_cast<std::size_t>(e)]) r.insert(v);
    return r;
  };
  std::map<int, std::set<int>> rims;
  for (int f : sweep.steps) rims[f] = rimOf(f);
  std::map<int, int> levelOf;
  std::vector<int> todo;
  auto give = [&](int v, int l) {
    const auto [it, fresh] = level.emplace(v, l);
    if (fresh) todo.push_back(v);
    return it->second == l;
  };
  for (int v : rimOf(sweep.target)) give(v, 0);
  for (bool any = true; any;) {
    any = false;
    while (!todo.empty()) {
      const int v = todo.back();
      todo.pop_back();
      if (const auto it = up.find(v); it != up.end() && !give(it->second, level.at(v) + 1)) return;
      if (const auto it = down.find(v); it != down.end() && !give(it->second, level.at(v) - 1)) return;
    }
    for (const auto& [f, rim] : rims) {
      if (levelOf.count(f)) continue;
      for (int v : rim)
        if (const auto it = level.find(v); it != level.end()) {
          levelOf[f] = it->second;
          break;
        }
      if (!levelOf.count(f)) continue;
      for (int v : rim)
        if (!give(v, levelOf.at(f))) return;
      any = true;
    }
  }
  if (levelOf.size() != rims.size()) return;
  for (const auto& [f, l] : levelOf) // the floor of a blind hole lies below the target where its walls have more rows
    if (l < 1) return;
  // Columns: a node of a lower end is one with what stands over it.
  std::unordered_map<int, int> place;
  auto placeOf = [&](int v) {
    int top = v;
    for (auto it = up.find(top); it != up.end(); it = up.find(top)) top = it->second;
    const auto [it, fresh] = place.emplace(top, static_cast<int>(m_known.size()));
    if (fresh) {
      m_known.emplace_back();
      for (int at = top;;) {
        const auto l = level.find(at);
        if (l != level.end()) m_known.back().emplace_back(l->second, at);
        const auto below = down.find(at);
        if (below == down.end()) break;
        at = below->second;
      }
      std::reverse(m_known.back().begin(), m_known.back().end());
    }
    return it->second;
  };
  const std::vector<char> halves = mesh.halves();
  auto add = [&](int face, const std::array<int, 4>& nodes) {
    if (!levelOf.count(face)) return;
    const bool leaves = part.faces[static_cast<std::size_t>(face)].bodies[0] == sweep.body;
    Cell c{{-1, -1, -1, -1}, levelOf.at(face), face};
    const std::size_t n = nodes[3] < 0 ? 3 : 4;
    for (std::size_t k = 0; k < n; ++k) {
      const int v = nodes[leaves ? k : n - 1 - k];
      if (!level.count(v)) level[v] = c.level; // inside the end
      c.v[k] = placeOf(v);
    }
    m_cells.push_back(c);
  };
  for (const auto& q : mesh.quads) add(q.face, q.v);
  for (std::size_t i = 0; i < mesh.triangles.size(); ++i)
    if (!halves[i]) add(mesh.face[i], {mesh.triangles[i][0], mesh.triangles[i][1], mesh.triangles[i][2], -1});
  for (const auto& c : m_cells) m_highest = std::max(m_highest, c.level);
  for (const auto& k : m_known)
    if (k.empty()) return;
  m_good = !m_cells.empty();
}

int SteppedPattern::nodeAt(std::size_t node, int level) const {
  for (const auto& [l, v] : m_known[node])
    if (l == level) return v;
  return -1;
}

std::vector<Vec3> SteppedPattern::placesAt(int level, const std::vector<Vec3>& from, const SurfaceMesh& mesh) const {
  std::vector<std::set<int>> around(size());
  std::vector<char> used(size(), 0);
  for (const auto& c : m_cells) {
    if (c.level < level) continue;
    const std::size_t n = c.v[3] < 0 ? 3 : 4;
    for (std::size_t k = 0; k < n; ++k) {
      const int a = c.v[k], b = c.v[(k + 1) % n];
      around[static_cast<std::size_t>(a)].insert(b);
      around[static_cast<std::size_t>(b)].insert(a);
      used[static_cast<std::size_t>(a)] = 1;
    }
  }
  std::vector<Vec3> r = from;
  std::vector<int> row(size(), -1);
  std::vector<Vec3> off(size(), Vec3::Zero());
  int n = 0;
  for (std::size_t v = 0; v < size(); ++v) {
    if (!used[v]) continue;
    if (const int at = nodeAt(v, level); at >= 0) {
      r[v] = mesh.points[static_cast<std::size_t>(at)];
      off[v] = r[v] - from[v];
    } else
      row[v] = n++;
  }
  if (n == 0) return r;
  std::vector<Eigen::Triplet<double>> entries;
  Eigen::MatrixX3d right = Eigen::MatrixX3d::Zero(n, 3);
  for (std::size_t v = 0; v < size(); ++v) {
    if (row[v] < 0) continue;
    entries.emplace_back(row[v], row[v], static_cast<double>(around[v].size()));
    for (int w : around[v])
      if (const auto x = static_cast<std::size_t>(w); row[x] >= 0)
        entries.emplace_back(row[v], row[x], -1.0);
      else
        right.row(row[v]) += off[x].transpose();
  }
  Eigen::SparseMatrix<double> matrix(n, n);
  matrix.setFromTriplets(entries.begin(), entries.end());
  const Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> solver(matrix);
  if (solver.info() != Eigen::Success) return r;
  const Eigen::MatrixX3d more = solver.solve(right);
  for (std::size_t v = 0; v < size(); ++v)
    if (row[v] >= 0) r[v] += more.row(row[v]).transpose();
  return r;
}

std::optional<Problem> addSteppedFace(const Part& part, const Sweep& sweep, int tetSide, SurfaceMesh& m) {
  const PartFace& face = part.faces[static_cast<std::size_t>(sweep.target)];
  auto failed = [&](const Vec3& at, const char* what, const char* why) {
    return notCarried(part, sweep.target, at, what, why);
  };
  const SteppedPattern pattern(part, sweep, m);
  if (!pattern.good())
    return failed(face.center, "the rows of a body's walls do not meet", "its ends have different counts");
  const bool leaves = face.bodies[0] == sweep.body;
  std::vector<Vec3> below;
  for (std::size_t v = 0; v < pattern.size(); ++v) {
    const Vec3& top = m.points[static_cast<std::size_t>(pattern.known(v).back().second)];
    below.push_back(top - (top - face.center).dot(face.axis) * face.axis);
  }
  const std::vector<Vec3> at = pattern.placesAt(0, below, m);
  CarriedFace carried;
  carried.body = sweep.body;
  for (std::size_t v = 0; v < pattern.size(); ++v) {
    carried.from.push_back(pattern.known(v).back().second);
    int node = pattern.nodeAt(v, 0);
    if (node < 0) {
      node = static_cast<int>(m.points.size());
      m.points.push_back(part.shape->projectToFace(sweep.target, at[v]).point);
      m.dim.push_back(Dim::Face);
      m.entity.push_back(sweep.target);
    }
    carried.to.push_back(node);
  }
  auto pt = [&](int v) -> const Vec3& { return m.points[static_cast<std::size_t>(v)]; };
  const Vec3 front = face.axis;
  for (const auto& c : pattern.cells()) {
    const std::size_t n = c.v[3] < 0 ? 3 : 4;
    std::vector<int> q;
    for (std::size_t k = 0; k < n; ++k) q.push_back(carried.to[static_cast<std::size_t>(c.v[k])]);
    if (leaves) std::reverse(q.begin(), q.end()); // it looks down
    constexpr double kFolded = 0.05;              // of the sine of a corner
    for (std::size_t k = 0; k < n; ++k) {
      const Vec3 a = pt(q[(k + 1) % n]) - pt(q[k]), b = pt(q[(k + n - 1) % n]) - pt(q[k]);
      if (a.cross(b).dot(front) < kFolded * a.norm() * b.norm())
        return failed(pt(q[k]), "the mesh of the ends of a body folds below them", "its walls are not straight");
    }
    if (n == 3)
      m.addTriangle({q[0], q[1], q[2]}, sweep.target);
    else
      m.addQuad({q[0], q[1], q[2], q[3]}, sweep.target, tetSide);
  }
  m.carried.push_back(std::move(carried));
  return {};
}

} // namespace tess
