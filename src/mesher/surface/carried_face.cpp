// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/carried_face.h"
#include <Eigen/SparseCholesky>
#include <map>
#include <numeric>
#include <set>
#include <unordered_map>

namespace tess {

struct Pattern::Laplace {
  std::vector<std::vector<int>> neighbours; ///< of every node, by places
  Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> solver;
};

Pattern::~Pattern() = default;
Pattern::Pattern(Pattern&&) noexcept = default;

Pattern::Pattern(const SurfaceMesh& mesh, int face, const std::vector<int>& boundary) : m_nodes(boundary) {
  m_boundary = boundary.size();
  std::unordered_map<int, int> place;
  for (std::size_t k = 0; k < boundary.size(); ++k) place.emplace(boundary[k], static_cast<int>(k));
  auto of = [&](int v) {
    const auto [it, fresh] = place.emplace(v, static_cast<int>(m_nodes.size()));
    if (fresh) m_nodes.push_back(v);
    return it->second;
  };
  for (const auto& q : mesh.quads)
    if (q.face == face) m_quads.push_back({of(q.v[0]), of(q.v[1]), of(q.v[2]), of(q.v[3])});
  const std::vector<char> halves = mesh.halves();
  for (std::size_t i = 0; i < mesh.triangles.size(); ++i)
    if (const auto& t = mesh.triangles[i]; mesh.face[i] == face && !halves[i])
      m_triangles.push_back({of(t[0]), of(t[1]), of(t[2])});
  prepare();
}

Pattern::Pattern(const FaceCells& cells)
    : m_nodes(cells.points.size()), m_boundary(cells.rim), m_triangles(cells.triangles), m_quads(cells.quads) {
  std::iota(m_nodes.begin(), m_nodes.end(), 0);
  prepare();
}

void Pattern::prepare() {
  std::vector<std::set<int>> around(m_nodes.size());
  std::set<std::array<int, 2>> once;
  auto join = [&](int a, int b) {
    if (!once.erase({b, a})) once.insert({a, b});
    around[static_cast<std::size_t>(a)].insert(b);
    around[static_cast<std::size_t>(b)].insert(a);
  };
  for (const auto& t : m_triangles)
    for (std::size_t k = 0; k < 3; ++k) join(t[k], t[(k + 1) % 3]);
  for (const auto& q : m_quads)
    for (std::size_t k = 0; k < 4; ++k) join(q[k], q[(k + 1) % 4]);
  m_rim.assign(once.begin(), once.end());
  m_laplace = std::make_unique<Laplace>();
  for (const auto& s : around) m_laplace->neighbours.emplace_back(s.begin(), s.end());
  for (std::size_t k = 0; k < m_boundary; ++k) m_complete = m_complete && !around[k].empty();
  const auto inner = static_cast<Eigen::Index>(m_nodes.size() - m_boundary);
  if (inner == 0) return;
  std::vector<Eigen::Triplet<double>> entries;
  for (Eigen::Index k = 0; k < inner; ++k) {
    const auto& n = m_laplace->neighbours[m_boundary + static_cast<std::size_t>(k)];
    entries.emplace_back(k, k, static_cast<double>(n.size()));
    for (int w : n)
      if (static_cast<std::size_t>(w) >= m_boundary) entries.emplace_back(k, w - static_cast<int>(m_boundary), -1.0);
  }
  Eigen::SparseMatrix<double> matrix(inner, inner);
  matrix.setFromTriplets(entries.begin(), entries.end());
  m_laplace->solver.compute(matrix);
}

std::vector<Vec3> Pattern::carried(const std::vector<Vec3>& from, const std::vector<Vec3>& to) const {
  const std::size_t n = m_boundary;
  Vec3 a = Vec3::Zero(), b = Vec3::Zero();
  for (std::size_t k = 0; k < n; ++k) a += from[k] / static_cast<double>(n), b += to[k] / static_cast<double>(n);
  // Area normals of the two boundaries, by the same loops; as long as the boundary is wide.
  Vec3 na = Vec3::Zero(), nb = Vec3::Zero();
  double spreadA = 0, spreadB = 0;
  for (const auto& [p, q] : m_rim) {
    const auto u = static_cast<std::size_t>(p), v = static_cast<std::size_t>(q);
    if (u >= n || v >= n) continue;
    na += (from[u] - a).cross(from[v] - a);
    nb += (to[u] - b).cross(to[v] - b);
  }
  for (std::size_t k = 0; k < n; ++k) {
    spreadA += (from[k] - a).squaredNorm();
    spreadB += (to[k] - b).squaredNorm();
  }
  na = na.normalized() * std::sqrt(spreadA);
  nb = nb.normalized() * std::sqrt(spreadB);
  Eigen::Matrix3d xx = na * na.transpose(), yx = nb * na.transpose();
  for (std::size_t k = 0; k < n; ++k) {
    xx += (from[k] - a) * (from[k] - a).transpose();
    yx += (to[k] - b) * (from[k] - a).transpose();
  }
  xx += 1e-12 * xx.trace() * Eigen::Matrix3d::Identity();
  const Eigen::Matrix3d linear = yx * xx.inverse();
  std::vector<Vec3> r(from.size());
  for (std::size_t k = 0; k < from.size(); ++k) r[k] = b + linear * (from[k] - a);
  const std::size_t inner = from.size() - n;
  if (inner > 0) {
    Eigen::MatrixX3d right = Eigen::MatrixX3d::Zero(static_cast<Eigen::Index>(inner), 3);
    for (std::size_t k = 0; k < inner; ++k)
      for (int w : m_laplace->neighbours[n + k])
        if (const auto x = static_cast<std::size_t>(w); x < n)
          right.row(static_cast<Eigen::Index>(k)) += (to[x] - r[x]).transpose();
    const Eigen::MatrixX3d more = m_laplace->solver.solve(right);
    for (std::size_t k = 0; k < inner; ++k) r[n + k] += more.row(static_cast<Eigen::Index>(k)).transpose();
  }
  for (std::size_t k = 0; k < n; ++k) r[k] = to[k];
  return r;
}

std::unordered_map<int, int> nodesOver(const Sweep& sweep, const SurfaceMesh& mesh) {
  std::unordered_map<int, int> up; // through walls that stand one over the other
  for (const auto& rows : mesh.faceRows) {
    const auto wall = std::find(sweep.walls.begin(), sweep.walls.end(), rows.face);
    if (wall == sweep.walls.end()) continue;
    const auto k = static_cast<std::size_t>(wall - sweep.walls.begin());
    const auto& foot = mesh.edgeNodes[static_cast<std::size_t>(sweep.feet[k])];
    // Node i along a side of the rows, and j steps from it across.
    auto from = [&](int side, int i, int j) {
      switch (side) {
      case 0:
        return rows.at(i, j);
      case 1:
        return rows.at(rows.ni - j, i);
      case 2:
        return rows.at(i, rows.nj - j);
      default:
        return rows.at(j, i);
      }
    };
    int found = -1;
    for (int side = 0; side < (rows.ring ? 3 : 4) && found < 0; side += rows.ring ? 2 : 1) {
      const int n = side % 2 ? rows.nj : rows.ni;
      for (int i = 0; i < n && found < 0; ++i) {
        const int a = from(side, i, 0), b = from(side, i + 1, 0);
        if ((a == foot[0] && b == foot[1]) || (a == foot[1] && b == foot[0])) found = side;
      }
    }
    if (found < 0) return {};
    const int n = found % 2 ? rows.nj : rows.ni, height = found % 2 ? rows.ni : rows.nj;
    for (int i = 0; i <= n; ++i)
      for (int j = 0; j < height; ++j) {
        const int a = from(found, i, j), b = from(found, i, j + 1);
        if (const auto [it, fresh] = up.emplace(a, b); !fresh && it->second != b) return {};
      }
  }
  return up;
}

Columns columnsOf(const Part& part, const Sweep& sweep, const SurfaceMesh& mesh) {
  const auto up = nodesOver(sweep, mesh);
  std::set<int> onSource, onTarget;
  for (const auto& [end, nodes] : {std::pair{sweep.source, &onSource}, {sweep.target, &onTarget}})
    for (int e : part.faces[static_cast<std::size_t>(end)].edges)
      for (int v : mesh.edgeNodes[static_cast<std::size_t>(e)]) nodes->insert(v);
  Columns r;
  for (int foot : onSource) {
    std::vector<int> column{foot};
    for (auto it = up.find(foot); it != up.end() && column.size() <= up.size(); it = up.find(it->second))
      column.push_back(it->second);
    if (column.size() < 2 || !onTarget.count(column.back())) return {};
    if (!r.empty() && column.size() != r.front().size()) return {};
    r.push_back(std::move(column));
  }
  return r;
}

Problem notCarried(const Part& part, int target, const Vec3& at, const char* what, const char* why) {
  Problem p = Problem::of("fill.face", what)
                  .by(Fault::Meshing)
                  .firstAt({at}, part.unit)
                  .because(why)
                  .advise("ask for tetrahedra on the body, or for a smaller size there");
  p.faces = {target};
  return p;
}

std::optional<Problem> addCarriedFace(const Part& part, const Sweep& sweep, int tetSide, SurfaceMesh& m) {
  const PartFace& face = part.faces[static_cast<std::size_t>(sweep.target)];
  auto failed = [&](const Vec3& at, const char* what, const char* why) {
    return notCarried(part, sweep.target, at, what, why);
  };
  const Columns columns = columnsOf(part, sweep, m);
  if (columns.empty())
    return failed(face.center, "the rows of a body's walls do not meet", "its ends have different counts");
  std::vector<int> feet;
  for (const auto& c : columns) feet.push_back(c.front());
  const Pattern pattern(m, sweep.source, feet);
  if (!pattern.complete())
    return failed(face.center, "a body's walls do not end at the mesh of its end", "its ends have different counts");
  std::vector<Vec3> from, to;
  for (int v : pattern.nodes()) from.push_back(m.points[static_cast<std::size_t>(v)]);
  for (const auto& c : columns) to.push_back(m.points[static_cast<std::size_t>(c.back())]);
  const std::vector<Vec3> at = pattern.carried(from, to);
  CarriedFace carried;
  carried.body = sweep.body;
  carried.from = pattern.nodes();
  std::vector<Vec3> normal;
  for (std::size_t k = 0; k < at.size(); ++k) {
    const FaceProjection on = part.shape->projectToFace(sweep.target, at[k]);
    normal.push_back(on.normal);
    if (k < columns.size()) {
      carried.to.push_back(columns[k].back());
      continue;
    }
    carried.to.push_back(static_cast<int>(m.points.size()));
    m.points.push_back(on.point);
    m.dim.push_back(Dim::Face);
    m.entity.push_back(sweep.target);
  }
  // Seen from outside the body the pattern runs the other way round at the other end.
  auto leaves = [&](int f) { return part.faces[static_cast<std::size_t>(f)].bodies[0] == sweep.body; };
  const bool turned = leaves(sweep.source) == leaves(sweep.target);
  auto pt = [&](int v) -> const Vec3& { return m.points[static_cast<std::size_t>(v)]; };
  constexpr double kFolded = 0.05; // of the sine of a corner, as the face's normal sees it
  auto folded = [&](const auto& places) -> std::optional<Vec3> {
    const std::size_t n = places.size();
    for (std::size_t k = 0; k < n; ++k) {
      const auto p = static_cast<std::size_t>(places[k]);
      const Vec3& o = pt(carried.to[p]);
      const Vec3 a = pt(carried.to[static_cast<std::size_t>(places[(k + 1) % n])]) - o,
                 b = pt(carried.to[static_cast<std::size_t>(places[(k + n - 1) % n])]) - o;
      if (a.cross(b).dot(normal[p]) < kFolded * a.norm() * b.norm()) return o;
    }
    return {};
  };
  const char* what = "the mesh of one end of a body folds on the other";
  const char* why = "the two ends are too different";
  for (auto t : pattern.triangles()) {
    if (turned) std::swap(t[1], t[2]);
    if (const auto place = folded(t)) return failed(*place, what, why);
    for (int& v : t) v = carried.to[static_cast<std::size_t>(v)];
    m.addTriangle(t, sweep.target);
  }
  for (auto q : pattern.quads()) {
    if (turned) std::swap(q[1], q[3]);
    if (const auto place = folded(q)) return failed(*place, what, why);
    for (int& v : q) v = carried.to[static_cast<std::size_t>(v)];
    m.addQuad(q, sweep.target, tetSide);
  }
  m.carried.push_back(std::move(carried));
  return {};
}

} // namespace tess
