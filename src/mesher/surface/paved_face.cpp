// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/surface/paved_face.h"
#include "mesher/surface/lattice_face.h"
#include "mesher/surface/mapped_face.h"
#include "mesher/surface/paving.h"
#include <map>

namespace tess {
namespace {

class Paver {
public:
  Paver(const Part& part, const PavedFace& face, const SizeField& size, const FacePatch& patch, const SurfaceMesh& mesh,
        const Progress& progress)
      : m_part(part), m_face(face), m_size(size), m_patch(patch), m_progress(progress) {
    for (const auto& loop : face.loops) {
      std::vector<int> nodes = nodesAlong(mesh, loop);
      nodes.pop_back();
      for (std::size_t k = 0; k < face.ways.size(); ++k)
        m_ways.insert(m_ways.end(), mesh.edgeNodes[static_cast<std::size_t>(loop[k].edge)].size() - 1, face.ways[k]);
      m_loops.emplace_back();
      for (int v : nodes) {
        m_loops.back().push_back(static_cast<int>(rim.size()));
        rim.push_back(v);
        m_base.points.push_back(mesh.points[static_cast<std::size_t>(v)]);
        m_base.normals.push_back(part.shape->projectToFace(face.face, m_base.points.back()).normal);
      }
    }
    m_base.rim = rim.size();
  }
  std::vector<int> rim; ///< nodes of the surface, loop by loop

  /// Rows, where all corners are square; none where they do not fit or come out poor.
  std::optional<FaceCells> rows() {
    constexpr double kPoor = 0.35; // paving does as well
    if (m_ways.empty()) return {};
    auto m = cellsInLattice(m_base, m_ways);
    if (!m) return {};
    if (!flat())
      for (std::size_t v = m->rim; v < m->points.size(); ++v) {
        const FaceProjection on = m_part.shape->projectToFace(m_face.face, m->points[v]);
        m->points[v] = on.point;
        m->normals[v] = on.normal;
      }
    if (worstCorner(*m) < 0.5) {
      if (flat())
        smoothInPlane(*m, m_progress);
      else
        smoothOnFace(*m, m_part, m_face.face, m_progress);
    }
    if (worstCorner(*m) < kPoor) return {};
    return m;
  }

  /// Cells over the nodes of the boundary, then their own. None where they come out folded.
  std::optional<FaceCells> cells(bool all) {
    if (flat())
      return pavedPlane(
          m_base, m_loops, all, [&](const Vec3& p) { return m_size.at(p); }, m_progress);
    if (all && !mayHalve(m_loops)) return {};
    NodeLoops loops = m_loops;
    const NodeLoops taken = all ? everySecond(m_base.points, loops) : loops;
    FaceCells m = m_base;
    if (!trianglesOnFace(m, taken, all)) return {};
    m.straight = straightNodes(m_base.points, loops);
    const SideMiddles middles = all ? middlesOf(loops) : SideMiddles();
    pairTriangles(m, middles);
    if (all) halveCells(m, middles);
    for (std::size_t v = m.rim; v < m.points.size(); ++v) {
      const FaceProjection on = m_part.shape->projectToFace(m_face.face, m.points[v]);
      m.points[v] = on.point;
      m.normals[v] = on.normal;
    }
    smoothOnFace(m, m_part, m_face.face, m_progress);
    if (worstCorner(m) < kFoldedCorner) return {};
    return m;
  }

private:
  const Part& m_part;
  const PavedFace& m_face;
  const SizeField& m_size;
  const FacePatch& m_patch;
  const Progress& m_progress;
  NodeLoops m_loops;       ///< in places of `rim`
  FaceCells m_base;        ///< the boundary alone
  std::vector<int> m_ways; ///< as cellsInLattice() takes them; empty: the face has other corners

  bool flat() const { return m_part.faces[static_cast<std::size_t>(m_face.face)].kind == SurfaceKind::Plane; }
  /// By the remesher, up to every second node of the boundary.
  bool trianglesOnFace(FaceCells& m, const NodeLoops& loops, bool all) const {
    FacePatch patch = m_patch;
    patch.coarser = all ? 2 : 1;
    std::map<std::array<double, 3>, int> place;
    for (std::size_t v = 0; v < m.rim; ++v)
      place[{m.points[v].x(), m.points[v].y(), m.points[v].z()}] = static_cast<int>(v);
    std::vector<char> stays(m.rim, 0);
    for (const auto& loop : loops)
      for (int v : loop) stays[static_cast<std::size_t>(v)] = 1;
    std::vector<int> id(patch.g.points.size(), -1), gone;
    for (std::size_t v = 0; v < id.size(); ++v) {
      if (patch.g.star[v].empty() || patch.g.dim[v] == Dim::Face) continue;
      const Vec3& p = patch.g.points[v];
      const auto it = place.find({p.x(), p.y(), p.z()});
      if (it == place.end()) return false;
      id[v] = it->second;
      if (!stays[static_cast<std::size_t>(it->second)]) gone.push_back(static_cast<int>(v));
    }
    if (!patch.takeOut(gone)) return false;
    patch.run();
    const auto& g = patch.g;
    id.resize(g.points.size(), -1);
    for (int t = 0; t < static_cast<int>(g.tris.size()); ++t) {
      if (!g.alive(t)) continue;
      std::array<int, 3> q = g.tri(t);
      for (int& v : q) {
        int& k = id[static_cast<std::size_t>(v)];
        if (k < 0) {
          k = static_cast<int>(m.points.size());
          m.points.push_back(g.pt(v));
          m.normals.push_back(patch.normalAt(v));
        }
        v = k;
      }
      m.triangles.push_back(q);
    }
    return true;
  }
};

} // namespace

std::optional<Problem> addPavedFace(const Part& part, const PavedFace& face, int tetSide, const SizeField& size,
                                    const FacePatch& patch, SurfaceMesh& m, std::vector<Problem>& said,
                                    const Progress& progress) {
  const PartFace& f = part.faces[static_cast<std::size_t>(face.face)];
  Paver paver(part, face, size, patch, m, progress);
  auto cells = paver.rows();
  if (!cells) cells = paver.cells(face.all);
  if (!cells && face.all) {
    cells = paver.cells(false);
    if (cells && !cells->triangles.empty()) {
      Problem p = Problem::of("fill.triangles", std::to_string(cells->triangles.size()) +
                                                    " triangles stay among the quadrilaterals of a face")
                      .as(Severity::Warning)
                      .firstAt({f.center}, part.unit)
                      .because("it is narrower than its nodes are apart, or its edges have odd counts")
                      .advise("ask for a smaller size there if no wedges are wanted");
      p.faces = {face.face};
      said.push_back(std::move(p));
    }
  }
  if (!cells) {
    Problem p = Problem::of("fill.face", "quadrilaterals on a face come out folded")
                    .by(Fault::Meshing)
                    .firstAt({f.center}, part.unit)
                    .because("its boundary is too narrow or too sharp for the size asked for")
                    .advise("ask for a smaller size there, for triangles across, or for tetrahedra on the body");
    p.faces = {face.face};
    return p;
  }
  std::vector<int> id = paver.rim;
  for (std::size_t v = cells->rim; v < cells->points.size(); ++v) {
    id.push_back(static_cast<int>(m.points.size()));
    m.points.push_back(cells->points[v]);
    m.dim.push_back(Dim::Face);
    m.entity.push_back(face.face);
  }
  for (auto t : cells->triangles) {
    for (int& v : t) v = id[static_cast<std::size_t>(v)];
    m.addTriangle(t, face.face);
  }
  for (auto q : cells->quads) {
    for (int& v : q) v = id[static_cast<std::size_t>(v)];
    m.addQuad(q, face.face, tetSide);
  }
  return {};
}

} // namespace tess
