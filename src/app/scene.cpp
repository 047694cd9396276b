// SPDX-License-Identifier: GPL-3.0-or-later
// First: TBB uses a word that Qt makes a macro of.
#include "base/parallel.h"

#include "app/scene.h"
#include "size/opposite.h"
#include <map>
#include <vtkCellArray.h>
#include <vtkCellArrayIterator.h>
#include <vtkCellData.h>
#include <vtkFloatArray.h>
#include <vtkNew.h>
#include <vtkPointData.h>
#include <vtkPoints.h>
#include <vtkUnsignedCharArray.h>

namespace tess {
namespace {

class Builder {
public:
  Builder() {
    m_colors->SetName("colour");
    m_colors->SetNumberOfComponents(3);
  }
  vtkIdType point(const Vec3& p) { return m_points->InsertNextPoint(p.data()); }
  void polygon(const std::vector<vtkIdType>& v, const QColor& c) {
    m_polys->InsertNextCell(static_cast<vtkIdType>(v.size()), v.data());
    unsigned char rgb[3] = {static_cast<unsigned char>(c.red()), static_cast<unsigned char>(c.green()),
                            static_cast<unsigned char>(c.blue())};
    m_colors->InsertNextTypedTuple(rgb);
  }
  void line(vtkIdType a, vtkIdType b) {
    vtkIdType v[2] = {a, b};
    m_lines->InsertNextCell(2, v);
  }
  /// Points of lines carry the mean length of those lines, times `share`: see kLineSpacing.
  PolyData result(double share = 1) {
    auto d = PolyData::New();
    d->SetPoints(m_points);
    if (m_polys->GetNumberOfCells()) {
      d->SetPolys(m_polys);
      d->GetCellData()->SetScalars(m_colors);
    }
    if (m_lines->GetNumberOfCells()) {
      d->SetLines(m_lines);
      d->GetPointData()->AddArray(spacing(share));
    }
    return d;
  }

private:
  vtkNew<vtkFloatArray> spacing(double share) const {
    const auto n = static_cast<std::size_t>(m_points->GetNumberOfPoints());
    std::vector<float> sum(n, 0), count(n, 0);
    vtkIdType size;
    const vtkIdType* v;
    auto lines = vtk::TakeSmartPointer(m_lines->NewIterator());
    for (lines->GoToFirstCell(); !lines->IsDoneWithTraversal(); lines->GoToNextCell()) {
      lines->GetCurrentCell(size, v);
      Vec3 a, b;
      m_points->GetPoint(v[0], a.data());
      m_points->GetPoint(v[1], b.data());
      const auto length = static_cast<float>((b - a).norm());
      for (vtkIdType i : {v[0], v[1]}) {
        sum[static_cast<std::size_t>(i)] += length;
        ++count[static_cast<std::size_t>(i)];
      }
    }
    vtkNew<vtkFloatArray> r;
    r->SetName(kLineSpacing);
    r->SetNumberOfValues(static_cast<vtkIdType>(n));
    for (std::size_t i = 0; i < n; ++i)
      r->SetValue(static_cast<vtkIdType>(i), static_cast<float>(share) * sum[i] / std::max(1.f, count[i]));
    return r;
  }
  vtkNew<vtkPoints> m_points;
  vtkNew<vtkCellArray> m_polys, m_lines;
  vtkNew<vtkUnsignedCharArray> m_colors;
};

/// Points of a mesh that are used, made on demand.
class PointMap {
public:
  PointMap(Builder& b, const std::vector<Vec3>& pts) : m_b(b), m_pts(pts), m_at(pts.size(), -1) {}
  vtkIdType operator()(std::int32_t n) {
    auto& id = m_at[static_cast<std::size_t>(n)];
    if (id < 0) id = m_b.point(m_pts[static_cast<std::size_t>(n)]);
    return id;
  }

private:
  Builder& m_b;
  const std::vector<Vec3>& m_pts;
  std::vector<vtkIdType> m_at;
};

std::uint64_t pairKey(std::int32_t a, std::int32_t b) {
  if (a > b) std::swap(a, b);
  return static_cast<std::uint64_t>(a) << 32 | static_cast<std::uint32_t>(b);
}

/// Boundary of a curved face as a ring: corners with mid nodes between.
std::vector<std::int32_t> ringOf(const Mesh& m, std::size_t f) {
  auto n = m.faces.of(f);
  const auto& t = topology(m.faces.type[f]);
  std::vector<std::int32_t> r;
  for (int i = 0; i < t.corners; ++i) {
    r.push_back(n[static_cast<std::size_t>(i)]);
    if (t.order == 2) r.push_back(n[static_cast<std::size_t>(t.corners + i)]);
  }
  return r;
}

} // namespace

namespace {
/// Smooth normals inside each face at the corners of its drawn triangles; zero for faces that are not `shown`, which
/// cost nothing: lighting a face of a large part must not.
std::vector<std::array<Vec3, 3>> smoothNormals(const Part& part, const std::function<bool(int)>& shown) {
  const auto& t = part.drawn();
  std::map<std::pair<int, int>, Vec3> sum; // by face and vertex
  auto at = [&](int v) -> const Vec3& { return t.points[static_cast<std::size_t>(v)]; };
  for (std::size_t i = 0; i < t.triangles.size(); ++i) {
    if (!shown(t.triangleFace[i])) continue;
    const auto& q = t.triangles[i];
    const Vec3 n = (at(q[1]) - at(q[0])).cross(at(q[2]) - at(q[0]));
    for (int v : q) sum.try_emplace({t.triangleFace[i], v}, Vec3::Zero()).first->second += n;
  }
  std::vector<std::array<Vec3, 3>> r(t.triangles.size(), {Vec3::Zero(), Vec3::Zero(), Vec3::Zero()});
  for (std::size_t i = 0; i < r.size() && !sum.empty(); ++i)
    for (std::size_t k = 0; k < 3 && shown(t.triangleFace[i]); ++k)
      r[i][k] = sum.at({t.triangleFace[i], t.triangles[i][k]}).normalized();
  return r;
}
} // namespace

PolyData partSurface(const Part& part, const std::function<bool(int)>& shown, const std::function<QColor(int)>& color) {
  Builder b;
  const auto& t = part.drawn();
  vtkNew<vtkFloatArray> normals;
  normals->SetNumberOfComponents(3);
  std::vector<QColor> colors;
  for (int f = 0; f < part.count(Dim::Face); ++f) colors.push_back(color(f));
  const auto smooth = smoothNormals(part, shown);
  // Vertices are repeated per face, so that sharp edges stay sharp.
  std::map<std::pair<int, int>, vtkIdType> at;
  for (std::size_t i = 0; i < t.triangles.size(); ++i) {
    const int f = t.triangleFace[i];
    if (!shown(f)) continue;
    std::vector<vtkIdType> ids;
    for (std::size_t k = 0; k < 3; ++k) {
      const int v = t.triangles[i][k];
      auto [it, fresh] = at.try_emplace({f, v}, 0);
      if (fresh) {
        it->second = b.point(t.points[static_cast<std::size_t>(v)]);
        const Vec3& n = smooth[i][k];
        normals->InsertNextTuple3(n.x(), n.y(), n.z());
      }
      ids.push_back(it->second);
    }
    b.polygon(ids, colors[static_cast<std::size_t>(f)]);
  }
  auto d = b.result();
  d->GetPointData()->SetNormals(normals);
  return d;
}

PolyData partEdges(const Part& part, const std::function<bool(int)>& shown) {
  Builder b;
  for (int e = 0; e < part.count(Dim::Edge); ++e) {
    if (!shown(e)) continue;
    vtkIdType last = -1;
    for (int v : part.drawn().edgeChain[static_cast<std::size_t>(e)]) {
      vtkIdType p = b.point(part.drawn().points[static_cast<std::size_t>(v)]);
      if (last >= 0) b.line(last, p);
      last = p;
    }
  }
  return b.result();
}

std::vector<char> followedEdges(const Part& part, const Mesh& m) {
  std::vector<char> r(part.edges.size(), m.nodeLink.empty());
  for (const auto& l : m.nodeLink)
    if (l.dim == 1 && l.entity >= 0 && static_cast<std::size_t>(l.entity) < r.size())
      r[static_cast<std::size_t>(l.entity)] = 1;
  if (std::find(r.begin(), r.end(), 0) == r.end()) return r;
  struct Sides {
    double sum = 0, count = 0;
  };
  std::vector<Sides> of(part.faces.size());
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    if (m.faceLink[f] < 0 || static_cast<std::size_t>(m.faceLink[f]) >= of.size()) continue;
    auto& s = of[static_cast<std::size_t>(m.faceLink[f])];
    const auto n = m.faces.of(f);
    const auto corners = static_cast<std::size_t>(topology(m.faces.type[f]).corners);
    for (std::size_t i = 0; i < corners; ++i) {
      s.sum +=
          (m.nodes[static_cast<std::size_t>(n[i])] - m.nodes[static_cast<std::size_t>(n[(i + 1) % corners])]).norm();
      ++s.count;
    }
  }
  for (std::size_t e = 0; e < r.size(); ++e)
    for (int f : part.edges[e].faces) // one element long, or of a chain whose points are ignored
      if (const auto& s = of[static_cast<std::size_t>(f)]; part.edges[e].length <= 2.5 * s.sum / std::max(1.0, s.count))
        r[e] = 1;
  return r;
}

PolyData pointCloud(const std::vector<Vec3>& points) {
  auto d = PolyData::New();
  vtkNew<vtkPoints> at;
  vtkNew<vtkCellArray> one;
  for (const Vec3& p : points) {
    const vtkIdType id = at->InsertNextPoint(p.data());
    one->InsertNextCell(1, &id);
  }
  d->SetPoints(at);
  d->SetVerts(one);
  return d;
}

PolyData segments(const std::vector<std::array<Vec3, 2>>& lines) {
  Builder b;
  for (const auto& l : lines) b.line(b.point(l[0]), b.point(l[1]));
  return b.result();
}

MeshSurface meshSurface(const Mesh& m, const std::function<bool(std::size_t)>& shown) {
  Builder b;
  MeshSurface r;
  auto add = [&](const std::vector<vtkIdType>& polygon, std::size_t f) {
    b.polygon(polygon, Qt::black);
    r.face.push_back(static_cast<std::uint32_t>(f));
  };
  PointMap at(b, m.nodes);
  std::vector<vtkIdType> ids;
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    if (!shown(f)) continue;
    ids.clear();
    if (m.faces.type[f] == ElementType::Tri6) { // four flat pieces follow the curve
      auto n = m.faces.of(f);
      for (auto [x, y, z] : {std::array{0, 3, 5}, std::array{3, 1, 4}, std::array{5, 4, 2}, std::array{3, 4, 5}})
        add({at(n[static_cast<std::size_t>(x)]), at(n[static_cast<std::size_t>(y)]),
             at(n[static_cast<std::size_t>(z)])},
            f);
      continue;
    }
    for (auto n : ringOf(m, f)) ids.push_back(at(n));
    add(ids, f);
  }
  r.polygons = b.result();
  return r;
}

void MeshSurface::paint(const std::function<QColor(std::size_t)>& color) const {
  vtkNew<vtkUnsignedCharArray> colors;
  colors->SetName("colour");
  colors->SetNumberOfComponents(3);
  colors->SetNumberOfTuples(static_cast<vtkIdType>(face.size()));
  unsigned char* at = colors->GetPointer(0);
  QColor c;
  for (std::size_t i = 0; i < face.size(); ++i) {
    if (i == 0 || face[i] != face[i - 1]) c = color(face[i]);
    for (int part : {c.red(), c.green(), c.blue()}) *at++ = static_cast<unsigned char>(part);
  }
  const auto* now = vtkUnsignedCharArray::SafeDownCast(polygons->GetCellData()->GetScalars());
  if (now && std::equal(colors->GetPointer(0), at, const_cast<vtkUnsignedCharArray*>(now)->GetPointer(0))) return;
  polygons->GetCellData()->SetScalars(colors);
}

MeshLook lookAt(const Mesh& m, const Progress* progress) {
  MeshLook r;
  r.near = cellNeighbours(m, progress);
  if (progress) progress->check();
  for (const auto& x : facesInCells(m)) r.behind.push_back(x[0]);
  if (progress) progress->check();
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    const auto ring = ringOf(m, f);
    for (std::size_t i = 0; i < ring.size(); ++i) {
      r.sides.push_back({ring[i], ring[(i + 1) % ring.size()], static_cast<std::int32_t>(f)});
    }
  }
  std::sort(r.sides.begin(), r.sides.end(), [](const MeshLook::Side& x, const MeshLook::Side& y) {
    return std::pair(pairKey(x.a, x.b), x.face) < std::pair(pairKey(y.a, y.b), y.face);
  });
  return r;
}

PolyData meshEdges(const Mesh& m, const MeshLook& look, const std::function<bool(std::size_t)>& shown) {
  Builder b;
  PointMap at(b, m.nodes);
  for (std::size_t i = 0, j; i < look.sides.size(); i = j) {
    bool on = false;
    const std::uint64_t key = pairKey(look.sides[i].a, look.sides[i].b);
    for (j = i; j < look.sides.size() && pairKey(look.sides[j].a, look.sides[j].b) == key; ++j)
      on = on || shown(static_cast<std::size_t>(look.sides[j].face));
    if (on) b.line(at(look.sides[i].a), at(look.sides[i].b));
  }
  // The lines of curved elements are halves of sides.
  return b.result(m.faces.size() > 0 && topology(m.faces.type[0]).order == 2 ? 2 : 1);
}

OddEdges oddEdges(const Part& part) {
  OddEdges r;
  auto faces = [&](int e) { return part.edges[static_cast<std::size_t>(e)].faces.size(); };
  auto is = [&](int e, bool open) {
    // A seam is an edge of one face that closes on itself; the part does not list those.
    return open ? faces(e) < 2 : faces(e) > 2;
  };
  r.open = partEdges(part, [&](int e) { return is(e, true); });
  r.many = partEdges(part, [&](int e) { return is(e, false); });
  for (int e = 0; e < part.count(Dim::Edge); ++e) {
    r.openCount += is(e, true);
    r.manyCount += is(e, false);
  }
  return r;
}

OddEdges oddEdges(const Mesh& m, const MeshLook& look) {
  OddEdges r;
  Builder open, many;
  PointMap atOpen(open, m.nodes), atMany(many, m.nodes);
  for (std::size_t i = 0, j; i < look.sides.size(); i = j) {
    const auto& s = look.sides[i];
    for (j = i; j < look.sides.size() && pairKey(look.sides[j].a, look.sides[j].b) == pairKey(s.a, s.b);) ++j;
    if (j - i == 1) {
      open.line(atOpen(s.a), atOpen(s.b));
      ++r.openCount;
    } else if (j - i > 2) {
      many.line(atMany(s.a), atMany(s.b));
      ++r.manyCount;
    }
  }
  r.open = open.result();
  r.many = many.result();
  return r;
}

CellDrawing cellFaces(const Mesh& m, const MeshLook& look, const std::vector<std::int32_t>& cells,
                      const std::function<QColor(std::size_t)>& color) {
  Builder b, lines;
  PointMap at(b, m.nodes), onLine(lines, m.nodes);
  std::vector<char> chosen(m.cells.size(), 0);
  for (auto c : cells) chosen[static_cast<std::size_t>(c)] = 1;
  std::vector<vtkIdType> ids;
  // The faces close up, so that each side is passed as often one way as the other: one way will do.
  auto side = [&](std::int32_t from, std::int32_t to) {
    if (from < to) lines.line(onLine(from), onLine(to));
  };
  for (auto cell : cells) {
    auto c = static_cast<std::size_t>(cell);
    const auto& t = topology(m.cells.type[c]);
    const auto nodes = m.cells.of(c);
    for (int f = 0; f < t.faces; ++f) {
      // A face between two chosen cells is hidden from view; it is left out.
      const std::int32_t other = look.near.cell[look.near.start[c] + static_cast<std::uint32_t>(f)];
      if (other >= 0 && chosen[static_cast<std::size_t>(other)]) continue;
      ids.clear();
      std::int32_t first = -1, last = -1;
      for (int i : t.face[static_cast<std::size_t>(f)]) {
        if (i < 0) continue;
        const std::int32_t n = nodes[static_cast<std::size_t>(i)];
        ids.push_back(at(n));
        if (last >= 0) side(last, n);
        if (first < 0) first = n;
        last = n;
      }
      side(last, first);
      b.polygon(ids, color(c));
    }
  }
  return {b.result(), lines.result()};
}

namespace {
/// Ids of the corners of cell c, moved towards its middle; none is shared with a neighbour.
std::vector<vtkIdType> shrunkCorners(Builder& b, const Mesh& m, std::size_t c, double share) {
  const auto& t = topology(m.cells.type[c]);
  auto q = m.cells.of(c).first(static_cast<std::size_t>(t.corners));
  Vec3 mid = Vec3::Zero();
  for (auto n : q) mid += m.nodes[static_cast<std::size_t>(n)] / static_cast<double>(q.size());
  std::vector<vtkIdType> id;
  for (auto n : q) id.push_back(b.point(mid + share * (m.nodes[static_cast<std::size_t>(n)] - mid)));
  return id;
}
} // namespace

PolyData shrunkCells(const Mesh& m, const std::vector<std::int32_t>& cells, double share,
                     const std::function<QColor(std::size_t)>& color) {
  Builder b;
  std::vector<vtkIdType> ids;
  for (auto cell : cells) {
    auto c = static_cast<std::size_t>(cell);
    const auto& t = topology(m.cells.type[c]);
    auto corner = shrunkCorners(b, m, c, share);
    for (int f = 0; f < t.faces; ++f) {
      ids.clear();
      for (int i : t.face[static_cast<std::size_t>(f)])
        if (i >= 0) ids.push_back(corner[static_cast<std::size_t>(i)]);
      b.polygon(ids, color(c));
    }
  }
  return b.result();
}

PolyData shrunkEdges(const Mesh& m, const std::vector<std::int32_t>& cells, double share) {
  Builder b;
  for (auto cell : cells) {
    auto c = static_cast<std::size_t>(cell);
    const auto& t = topology(m.cells.type[c]);
    auto corner = shrunkCorners(b, m, c, share);
    for (int e = 0; e < t.edges; ++e)
      b.line(corner[static_cast<std::size_t>(t.edge[static_cast<std::size_t>(e)][0])],
             corner[static_cast<std::size_t>(t.edge[static_cast<std::size_t>(e)][1])]);
  }
  return b.result();
}

std::vector<std::int32_t> crossedCells(const Mesh& m, const Plane& plane) {
  std::vector<double> side(m.nodes.size());
  for (std::size_t i = 0; i < side.size(); ++i) side[i] = (m.nodes[i] - plane.origin).dot(plane.normal);
  std::vector<std::int32_t> r;
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    bool above = false, below = false;
    int k = topology(m.cells.type[c]).corners;
    for (int i = 0; i < k; ++i) {
      double s = side[static_cast<std::size_t>(m.cells.of(c)[static_cast<std::size_t>(i)])];
      above = above || s > 0;
      below = below || s < 0;
    }
    if (above && below) r.push_back(static_cast<std::int32_t>(c));
  }
  return r;
}

PolyData cutPolygons(const Mesh& m, const Plane& plane, const std::vector<std::int32_t>& cells,
                     const std::function<QColor(std::size_t)>& color) {
  Builder b;
  Vec3 u = plane.normal.unitOrthogonal(), v = plane.normal.cross(u);
  for (auto cell : cells) {
    auto c = static_cast<std::size_t>(cell);
    const auto& t = topology(m.cells.type[c]);
    std::vector<Vec3> hits;
    Vec3 mid(0, 0, 0);
    for (int e = 0; e < t.edges; ++e) {
      const Vec3 &p = m.nodes[static_cast<std::size_t>(
                     m.cells.of(c)[static_cast<std::size_t>(t.edge[static_cast<std::size_t>(e)][0])])],
                 &q = m.nodes[static_cast<std::size_t>(
                     m.cells.of(c)[static_cast<std::size_t>(t.edge[static_cast<std::size_t>(e)][1])])];
      double a = (p - plane.origin).dot(plane.normal), d = (q - plane.origin).dot(plane.normal);
      if ((a > 0) == (d > 0)) continue;
      hits.push_back(p + (q - p) * (a / (a - d)));
      mid += hits.back();
    }
    if (hits.size() < 3) continue;
    mid /= static_cast<double>(hits.size());
    // The cell is convex: its cut is the hull of the hits, ordered by angle.
    std::sort(hits.begin(), hits.end(), [&](const Vec3& x, const Vec3& y) {
      return std::atan2((x - mid).dot(v), (x - mid).dot(u)) < std::atan2((y - mid).dot(v), (y - mid).dot(u));
    });
    std::vector<vtkIdType> ids;
    for (const auto& h : hits) ids.push_back(b.point(h));
    b.polygon(ids, color(c));
  }
  return b.result();
}

PolyData polygonOutlines(const PolyData& polygons) {
  Builder b;
  auto* cells = polygons->GetPolys();
  vtkIdType n;
  const vtkIdType* v;
  for (cells->InitTraversal(); cells->GetNextCell(n, v);) {
    std::vector<vtkIdType> ids;
    for (vtkIdType i = 0; i < n; ++i) {
      double p[3];
      polygons->GetPoint(v[i], p);
      ids.push_back(b.point(Vec3(p[0], p[1], p[2])));
    }
    for (std::size_t i = 0; i < ids.size(); ++i) b.line(ids[i], ids[(i + 1) % ids.size()]);
  }
  return b.result();
}

SizeShade shadeSizes(const Part& part, const SizeField& field, const Progress* progress) {
  SizeShade s;
  const auto& t = part.drawn();
  const double longest = part.diagonal() / 70;
  const auto smooth = smoothNormals(part, [](int) { return true; });
  for (std::size_t i = 0; i < t.triangles.size(); ++i) {
    std::array<Vec3, 3> whole;
    for (std::size_t k = 0; k < 3; ++k) whole[k] = t.points[static_cast<std::size_t>(t.triangles[i][k])];
    forPieces(whole, longest, [&](const std::array<Vec3, 3>& q) {
      s.at.push_back(q);
      s.face.push_back(t.triangleFace[i]);
      auto& normals = s.normal.emplace_back();
      for (std::size_t k = 0; k < 3; ++k) {
        const Vec3 w = closestOnTriangle(q[k], whole[0], whole[1], whole[2]);
        normals[k] = w[0] * smooth[i][0] + w[1] * smooth[i][1] + w[2] * smooth[i][2];
      }
    });
  }
  s.size.resize(s.at.size());
  parallelFor(s.at.size(), progress, [&](std::size_t i) {
    int body = part.faces[static_cast<std::size_t>(s.face[i])].bodies[0];
    s.size[i] = static_cast<float>(field.at((s.at[i][0] + s.at[i][1] + s.at[i][2]) / 3, body));
  });
  s.low = s.high = s.size.empty() ? 0 : s.size[0];
  for (float h : s.size) {
    s.low = std::min<double>(s.low, h);
    s.high = std::max<double>(s.high, h);
  }
  return s;
}

PolyData shadeSurface(const SizeShade& shade, const std::function<bool(int)>& shown,
                      const std::function<QColor(double)>& color) {
  Builder b;
  vtkNew<vtkFloatArray> normals;
  normals->SetNumberOfComponents(3);
  for (std::size_t i = 0; i < shade.at.size(); ++i) {
    if (!shown(shade.face[i])) continue;
    std::vector<vtkIdType> v;
    for (std::size_t k = 0; k < 3; ++k) {
      v.push_back(b.point(shade.at[i][k]));
      const Vec3& n = shade.normal[i][k];
      normals->InsertNextTuple3(n.x(), n.y(), n.z());
    }
    b.polygon(v, color(shade.size[i]));
  }
  auto d = b.result();
  d->GetPointData()->SetNormals(normals);
  return d;
}

std::vector<float> boundarySizes(const Mesh& m, const SizeField& field) {
  std::vector<float> r(m.faces.size());
  parallelFor(r.size(), nullptr, [&](std::size_t f) {
    Vec3 mid = Vec3::Zero();
    auto n = m.faces.of(f);
    for (auto v : n) mid += m.nodes[static_cast<std::size_t>(v)] / static_cast<double>(n.size());
    r[f] = static_cast<float>(field.at(mid, m.faceRegions[f][0]));
  });
  return r;
}

} // namespace tess
