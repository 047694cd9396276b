// SPDX-License-Identifier: GPL-3.0-or-later
// First: TBB uses a word that Qt makes a macro of.
#include "base/parallel.h"

#include "app/scene.h"
#include "size/opposite.h"
#include <map>
#include <vtkCellArray.h>
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
  PolyData result() {
    auto d = PolyData::New();
    d->SetPoints(m_points);
    if (m_polys->GetNumberOfCells()) {
      d->SetPolys(m_polys);
      d->GetCellData()->SetScalars(m_colors);
    }
    if (m_lines->GetNumberOfCells()) d->SetLines(m_lines);
    return d;
  }

private:
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

/// Surfaces drawn with the lines of their elements: triangles that share no corner, since each corner says where in its
/// triangle it stands and which sides are lines: see kSides.
class Facets {
public:
  Facets() {
    m_colors->SetName("colour");
    m_colors->SetNumberOfComponents(3);
    m_sides->SetName(kSides);
  }
  /// A convex polygon, as a fan; its outline are lines, what divides it is none.
  void polygon(const std::vector<Vec3>& ring, const QColor& c) {
    const std::size_t n = ring.size();
    for (std::size_t i = 1; i + 1 < n; ++i)
      triangle({ring[0], ring[i], ring[i + 1]}, 1 | (i + 2 == n ? 2 : 0) | (i == 1 ? 4 : 0), c);
  }
  /// A face of an element by its corners and, where it is curved, the mid nodes between each and the next: flat pieces
  /// follow the curve, and only its sides are lines.
  void face(const std::vector<Vec3>& nodes, ElementType type, const QColor& c) {
    const std::size_t k = nodes.size() / 2;
    if (topology(type).order == 1) {
      polygon(nodes, c);
      return;
    }
    for (std::size_t i = 0; i < k; ++i) triangle({nodes[i], nodes[k + i], nodes[k + (i + k - 1) % k]}, 2 | 4 | 8, c);
    if (k == 3) {
      triangle({nodes[3], nodes[4], nodes[5]}, 8, c);
      return;
    }
    Vec3 middle = Vec3::Zero(); // as the shape functions have it
    for (std::size_t i = 0; i < 4; ++i) middle += 0.5 * nodes[4 + i] - 0.25 * nodes[i];
    for (std::size_t i = 0; i < 4; ++i) triangle({nodes[4 + i], nodes[4 + (i + 1) % 4], middle}, 8, c);
  }
  /// `lines`: bit i for the side opposite corner i; 8 for a quarter of an element.
  void triangle(const std::array<Vec3, 3>& corners, int lines, const QColor& c) {
    vtkIdType v[3];
    for (int i = 0; i < 3; ++i) {
      v[i] = m_points->InsertNextPoint(corners[static_cast<std::size_t>(i)].data());
      m_sides->InsertNextValue(static_cast<float>(i + 4 * lines));
    }
    m_triangles->InsertNextCell(3, v);
    unsigned char rgb[3] = {static_cast<unsigned char>(c.red()), static_cast<unsigned char>(c.green()),
                            static_cast<unsigned char>(c.blue())};
    m_colors->InsertNextTypedTuple(rgb);
  }
  std::size_t size() const { return static_cast<std::size_t>(m_triangles->GetNumberOfCells()); }
  PolyData result() {
    auto d = PolyData::New();
    d->SetPoints(m_points);
    if (!size()) return d;
    d->SetPolys(m_triangles);
    d->GetCellData()->SetScalars(m_colors);
    d->GetPointData()->AddArray(m_sides);
    return d;
  }

private:
  vtkNew<vtkPoints> m_points;
  vtkNew<vtkCellArray> m_triangles;
  vtkNew<vtkUnsignedCharArray> m_colors;
  vtkNew<vtkFloatArray> m_sides;
};

/// Boundary of a curved face as a ring: corners with mid nodes between.
std::vector<std::int32_t> ringOf(const Mesh& m, std::size_t f) {
  auto n = m.faces.of(f);
  const std::size_t corners = m.faces.cornerCount(f);
  std::vector<std::int32_t> r;
  for (std::size_t i = 0; i < corners; ++i) {
    r.push_back(n[i]);
    if (n.size() > corners) r.push_back(n[corners + i]);
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

PaintedSurface partSurface(const Part& part, const std::function<bool(int)>& shown) {
  Builder b;
  PaintedSurface r;
  const auto& t = part.drawn();
  vtkNew<vtkFloatArray> normals;
  normals->SetNumberOfComponents(3);
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
    b.polygon(ids, Qt::black);
    r.face.push_back(static_cast<std::uint32_t>(f));
  }
  r.polygons = b.result();
  r.polygons->GetPointData()->SetNormals(normals);
  return r;
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
    const std::size_t corners = m.faces.cornerCount(f);
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

PaintedSurface meshSurface(const Mesh& m, const std::function<bool(std::size_t)>& shown) {
  Facets b;
  PaintedSurface r;
  std::vector<Vec3> ring;
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    if (!shown(f)) continue;
    ring.clear();
    for (auto n : m.faces.of(f)) ring.push_back(m.nodes[static_cast<std::size_t>(n)]);
    b.face(ring, m.faces.type[f], Qt::black);
    r.face.resize(b.size(), static_cast<std::uint32_t>(f));
  }
  r.polygons = b.result();
  return r;
}

void PaintedSurface::paint(const std::function<QColor(std::size_t)>& color) const {
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

PaintedSurface coarseSurface(const MeshLook& look, const std::function<bool(std::size_t)>& shown) {
  Facets b;
  PaintedSurface r;
  for (const auto& p : look.coarse) {
    if (!shown(p.face)) continue;
    b.triangle(p.at, 0, Qt::black);
    r.face.push_back(p.face);
  }
  r.polygons = b.result();
  return r;
}

namespace {
/// Triangles between the middles of clusters of nodes: those that lie in one cube of a grid become one (vertex
/// clustering, Rossignac & Borrel 1993). Its width is such that a surface of this area comes to about `aim` triangles.
std::vector<MeshLook::Piece> cluster(const Mesh& m, double aim) {
  std::vector<std::array<std::int32_t, 3>> triangles;
  std::vector<std::uint32_t> of;
  double area = 0;
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    if (m.faceRegions[f][1] >= 0 && m.faceRegions[f][0] >= 0) continue;
    const auto n = m.faces.of(f);
    const std::size_t corners = m.faces.cornerCount(f);
    auto at = [&](std::size_t i) -> const Vec3& { return m.nodes[static_cast<std::size_t>(n[i])]; };
    for (std::size_t i = 1; i + 1 < corners; ++i) {
      triangles.push_back({n[0], n[i], n[i + 1]});
      of.push_back(static_cast<std::uint32_t>(f));
      area += 0.5 * (at(i) - at(0)).cross(at(i + 1) - at(0)).norm();
    }
  }
  const double width = std::sqrt(2 * area / aim);
  if (!(width > 0)) return {};
  struct Cluster { // stands where its nodes on points of the part are, else those on edges, else all
    Vec3 sum = Vec3::Zero();
    double count = 0;
    int dim = 3;
  };
  std::vector<Cluster> clusters;
  std::map<std::array<std::int64_t, 3>, std::int32_t> byCube;
  std::vector<std::int32_t> clusterOf(m.nodes.size(), -1);
  auto clustered = [&](std::int32_t node) {
    auto& c = clusterOf[static_cast<std::size_t>(node)];
    if (c < 0) {
      const Vec3& p = m.nodes[static_cast<std::size_t>(node)];
      std::array<std::int64_t, 3> cube;
      for (int k = 0; k < 3; ++k) cube[static_cast<std::size_t>(k)] = std::llround(std::floor(p[k] / width));
      auto [it, fresh] = byCube.try_emplace(cube, static_cast<std::int32_t>(clusters.size()));
      if (fresh) clusters.emplace_back();
      c = it->second;
      auto& to = clusters[static_cast<std::size_t>(c)];
      const int dim = m.nodeLink.empty() ? 2 : m.nodeLink[static_cast<std::size_t>(node)].dim;
      if (dim < to.dim) to = {Vec3::Zero(), 0, dim};
      if (dim == to.dim) to.sum += p, ++to.count;
    }
    return c;
  };
  std::map<std::array<std::int32_t, 3>, std::uint32_t> kept; // turned so that the smallest comes first: sides count
  for (std::size_t i = 0; i < triangles.size(); ++i) {
    std::array<std::int32_t, 3> c;
    for (std::size_t k = 0; k < 3; ++k) c[k] = clustered(triangles[i][k]);
    if (c[0] == c[1] || c[1] == c[2] || c[2] == c[0]) continue;
    std::rotate(c.begin(), std::min_element(c.begin(), c.end()), c.end());
    kept.try_emplace(c, of[i]);
  }
  std::vector<MeshLook::Piece> r;
  for (const auto& [c, face] : kept) {
    auto& piece = r.emplace_back();
    piece.face = face;
    for (std::size_t k = 0; k < 3; ++k) {
      const auto& from = clusters[static_cast<std::size_t>(c[k])];
      piece.at[k] = from.sum / from.count;
    }
  }
  return r;
}
} // namespace

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
    return std::pair(edgeKey(x.a, x.b), x.face) < std::pair(edgeKey(y.a, y.b), y.face);
  });
  if (progress) progress->check();
  if (m.faces.size() > kFacesInMotion) r.coarse = cluster(m, static_cast<double>(kFacesInMotion) / 2);
  return r;
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
    for (j = i; j < look.sides.size() && edgeKey(look.sides[j].a, look.sides[j].b) == edgeKey(s.a, s.b);) ++j;
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

PolyData cellFaces(const Mesh& m, const MeshLook& look, const std::vector<std::int32_t>& cells,
                   const std::function<QColor(std::size_t)>& color) {
  Facets b;
  std::vector<char> chosen(m.cells.size(), 0);
  for (auto c : cells) chosen[static_cast<std::size_t>(c)] = 1;
  std::vector<Vec3> ring;
  std::vector<std::int32_t> nodes;
  for (auto cell : cells) {
    auto c = static_cast<std::size_t>(cell);
    const auto& t = m.cells.shape(c);
    for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
      // A face between two chosen cells is hidden from view; it is left out.
      const std::int32_t other = look.near.cell[look.near.start[c] + f];
      if (other >= 0 && chosen[static_cast<std::size_t>(other)]) continue;
      m.cells.faceNodes(c, f, nodes);
      ring.clear();
      for (auto n : nodes) ring.push_back(m.nodes[static_cast<std::size_t>(n)]);
      b.face(ring, faceType(m.cells.faceCorners(c, f).size(), t.order), color(c));
    }
  }
  return b.result();
}

PolyData shrunkCells(const Mesh& m, const std::vector<std::int32_t>& cells, double share,
                     const std::function<QColor(std::size_t)>& color) {
  Facets b;
  std::vector<Vec3> ring;
  std::vector<std::int32_t> nodes;
  for (auto cell : cells) {
    auto c = static_cast<std::size_t>(cell);
    const Vec3 mid = cellCenter(m, c);
    for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
      m.cells.faceNodes(c, f, nodes);
      ring.clear();
      for (auto n : nodes) ring.push_back(mid + share * (m.nodes[static_cast<std::size_t>(n)] - mid));
      b.face(ring, faceType(m.cells.faceCorners(c, f).size(), m.cells.shape(c).order), color(c));
    }
  }
  return b.result();
}

std::vector<std::int32_t> crossedCells(const Mesh& m, const Plane& plane) {
  std::vector<signed char> side(m.nodes.size());
  parallelFor(side.size(), nullptr, [&](std::size_t i) {
    const double h = (m.nodes[i] - plane.origin).dot(plane.normal);
    side[i] = h > 0 ? 1 : h < 0 ? -1 : 0;
  });
  std::vector<char> crossed(m.cells.size());
  parallelFor(crossed.size(), nullptr, [&](std::size_t c) {
    int least = 1, most = -1;
    for (auto n : m.cells.corners(c)) {
      least = std::min<int>(least, side[static_cast<std::size_t>(n)]);
      most = std::max<int>(most, side[static_cast<std::size_t>(n)]);
    }
    crossed[c] = least < 0 && most > 0;
  });
  std::vector<std::int32_t> r;
  for (std::size_t c = 0; c < crossed.size(); ++c)
    if (crossed[c]) r.push_back(static_cast<std::int32_t>(c));
  return r;
}

namespace {
struct CutTriangle {
  std::array<Vec3, 3> at;
  int lines; ///< as Facets has them
};

/// Cuts the ears off a simple polygon in a plane, `normal` on the side from which it runs counter-clockwise.
std::vector<CutTriangle> earsOf(std::vector<Vec3> p, const Vec3& normal) {
  std::vector<CutTriangle> r;
  std::vector<char> outline(p.size(), 1); // whether the side from a corner to the next is one of the polygon's own
  auto turn = [&](const Vec3& a, const Vec3& b, const Vec3& c) { return (b - a).cross(c - a).dot(normal); };
  while (p.size() > 3) {
    std::size_t ear = p.size();
    for (std::size_t i = 0; i < p.size() && ear == p.size(); ++i) {
      const std::size_t before = (i + p.size() - 1) % p.size(), next = (i + 1) % p.size();
      if (turn(p[before], p[i], p[next]) <= 0) continue;
      bool free = true;
      for (std::size_t k = 0; k < p.size() && free; ++k)
        if (k != before && k != i && k != next)
          free = turn(p[before], p[i], p[k]) < 0 || turn(p[i], p[next], p[k]) < 0 || turn(p[next], p[before], p[k]) < 0;
      if (free) ear = i;
    }
    if (ear == p.size()) ear = 0; // what is left has no area to speak of
    const std::size_t before = (ear + p.size() - 1) % p.size(), next = (ear + 1) % p.size();
    r.push_back({{p[before], p[ear], p[next]}, (outline[before] ? 4 : 0) | (outline[ear] ? 1 : 0)});
    outline[before] = 0;
    p.erase(p.begin() + static_cast<std::ptrdiff_t>(ear));
    outline.erase(outline.begin() + static_cast<std::ptrdiff_t>(ear));
  }
  if (p.size() == 3)
    r.push_back({{p[0], p[1], p[2]}, (outline[0] ? 4 : 0) | (outline[1] ? 1 : 0) | (outline[2] ? 2 : 0)});
  return r;
}

/// The section of a polyhedron: each face leaves segments between its crossings, which join into rings.
std::vector<CutTriangle> cutPolyhedron(const Mesh& m, std::size_t c, const Plane& plane) {
  const auto q = m.cells.of(c);
  auto at = [&](std::int32_t i) -> const Vec3& {
    return m.nodes[static_cast<std::size_t>(q[static_cast<std::size_t>(i)])];
  };
  auto height = [&](std::int32_t i) { return (at(i) - plane.origin).dot(plane.normal); };
  std::map<std::uint64_t, Vec3> hit;           // by crossed edge
  std::map<std::uint64_t, std::uint64_t> next; // along the ring
  for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
    const auto ring = m.cells.faceCorners(c, f);
    struct Crossing {
      std::uint64_t edge;
      bool up;
      double along = 0;
    };
    std::vector<Crossing> crossings;
    Vec3 area = Vec3::Zero();
    for (std::size_t i = 0; i < ring.size(); ++i) {
      const auto a = ring[i], b = ring[(i + 1) % ring.size()];
      area += (at(a) - at(ring[0])).cross(at(b) - at(ring[0]));
      const double h = height(a), k = height(b);
      if ((h > 0) == (k > 0)) continue;
      const auto edge = edgeKey(a, b);
      hit[edge] = at(a) + (at(b) - at(a)) * (h / (h - k));
      crossings.push_back({edge, k > 0});
    }
    // A concave face may be crossed more than twice: neighbours along the line of section belong together.
    const Vec3 line = plane.normal.cross(area);
    for (auto& x : crossings) x.along = hit[x.edge].dot(line);
    std::sort(crossings.begin(), crossings.end(),
              [](const Crossing& x, const Crossing& y) { return x.along < y.along; });
    for (std::size_t i = 0; i + 1 < crossings.size(); i += 2) {
      const auto &x = crossings[i], &y = crossings[i + 1];
      next[x.up ? x.edge : y.edge] = x.up ? y.edge : x.edge;
    }
  }
  std::vector<CutTriangle> r;
  while (!next.empty()) {
    std::vector<Vec3> ring;
    auto it = next.begin();
    while (it != next.end()) {
      ring.push_back(hit[it->first]);
      const auto to = it->second;
      next.erase(it);
      it = next.find(to);
    }
    Vec3 area = Vec3::Zero();
    for (std::size_t i = 1; i + 1 < ring.size(); ++i) area += (ring[i] - ring[0]).cross(ring[i + 1] - ring[0]);
    for (auto& t : earsOf(ring, area)) r.push_back(t);
  }
  return r;
}
} // namespace

PolyData cutPolygons(const Mesh& m, const Plane& plane, const std::vector<std::int32_t>& cells,
                     const std::function<QColor(std::size_t)>& color) {
  Facets b;
  Vec3 u = plane.normal.unitOrthogonal(), v = plane.normal.cross(u);
  for (auto cell : cells) {
    auto c = static_cast<std::size_t>(cell);
    if (m.cells.type[c] == ElementType::Polyhedron) { // may be concave
      for (const auto& triangle : cutPolyhedron(m, c, plane)) b.triangle(triangle.at, triangle.lines, color(c));
      continue;
    }
    std::vector<Vec3> hits;
    Vec3 mid(0, 0, 0);
    const auto q = m.cells.of(c);
    m.cells.forEdges(c, [&](int from, int to, int) {
      const Vec3 &p = m.nodes[static_cast<std::size_t>(q[static_cast<std::size_t>(from)])],
                 &r = m.nodes[static_cast<std::size_t>(q[static_cast<std::size_t>(to)])];
      const double a = (p - plane.origin).dot(plane.normal), d = (r - plane.origin).dot(plane.normal);
      if ((a > 0) == (d > 0)) return;
      hits.push_back(p + (r - p) * (a / (a - d)));
      mid += hits.back();
    });
    if (hits.size() < 3) continue;
    mid /= static_cast<double>(hits.size());
    // The cell is convex: its cut is the hull of the hits, ordered by angle.
    std::sort(hits.begin(), hits.end(), [&](const Vec3& x, const Vec3& y) {
      return std::atan2((x - mid).dot(v), (x - mid).dot(u)) < std::atan2((y - mid).dot(v), (y - mid).dot(u));
    });
    b.polygon(hits, color(c));
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
