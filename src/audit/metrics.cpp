// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/metrics.h"
#include "audit/cell_shapes.h"
#include "base/parallel.h"
#include "base/unset.h"
#include "mesh/jacobian.h"
#include <cmath>
#include <numeric>

namespace tess {
namespace {

constexpr std::size_t kWorst = 20;   ///< elements that are listed by number
constexpr std::size_t kChunk = 1024; ///< cells that are sorted by type and looked at together
constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
constexpr MetricInfo kInfo[kMetrics] = {
    {"skewness", "Skewness", "",
     "largest of (a_max - a_e)/(180 - a_e) and (a_e - a_min)/a_e over the corner angles a of all faces; a_e = 60 or 90 "
     "degrees",
     "0 best, 1 degenerate", false, 0},
    {"aspect_ratio", "Aspect ratio", "",
     "tetrahedra: longest edge / (2 sqrt(6) x inscribed radius); others: longest / shortest edge", "1 best, unbounded",
     false, 1},
    {"scaled_jacobian", "Scaled Jacobian", "",
     "smallest corner Jacobian over the product of its edge lengths, scaled so that the regular element has 1; less by "
     "as "
     "much as the Jacobian is smaller elsewhere in the element",
     "1 best, below 0 inverted", true, 1},
    {"min_dihedral", "Min dihedral angle", "deg", "smallest angle between two faces",
     "70.5 for the regular tetrahedron, 90 for a cube, 60 for the regular wedge, 54.7 for the pyramid", true, 70.53},
    {"max_dihedral", "Max dihedral angle", "deg", "largest angle between two faces",
     "70.5 for the regular tetrahedron, 90 for a cube and a wedge, 109.5 for the pyramid", false, 70.53},
    {"height_ratio", "Height to base", "",
     "smallest height of a tetrahedron / its longest edge; tells of tetrahedra only",
     "0.82 for the regular tetrahedron, 0 flat", true, 0.8165},
    {"volume", "Volume", "L3", "volume of the element, curved where it is of order 2", "positive", true, kNone},
    {"edge_length", "Edge length", "L", "mean length of the element's edges", "as asked", false, kNone},
    {"size_change", "Size change", "",
     "largest ratio of mean edge lengths between the element and a neighbour over a face", "1 best", false, 1},
    {"volume_skewness", "Skewness by volume", "",
     "tetrahedra: 1 - volume / volume of the regular one in the same circumsphere; others: the skewness by angles",
     "0 best, 1 degenerate", false, 0},
    {"min_face_angle", "Min face angle", "deg", "smallest corner angle of the element's faces",
     "60 for the regular tetrahedron, 90 for a cube", true, 60},
    {"max_face_angle", "Max face angle", "deg", "largest corner angle of the element's faces",
     "60 for the regular tetrahedron, 90 for a cube", false, 60},
    {"non_orthogonality", "Non-orthogonality", "deg",
     "largest angle between a face's normal and the line from the element's centre of volume to the neighbour's, or to "
     "the face's centre on the boundary; some count orthogonality as its cosine",
     "0 best, 90 and more unusable", false, 0},
    {"jacobian_ratio", "Jacobian ratio", "",
     "smallest over largest Jacobian over the whole element, by bounds; some count the inverse",
     "1 best, 0 or below inverted", true, 1},
    {"warpage", "Warpage", "deg",
     "largest angle between the two triangles that either diagonal makes of a quadrilateral face, or between a polygon "
     "and "
     "the triangles about its middle; 0 for triangles",
     "0 best", false, 0},
    {"taper", "Taper", "",
     "smallest of the four corner triangles of a quadrilateral face over half of its area; 1 for triangles", "1 best",
     true, 1},
    {"face_skewness", "Skewness at faces", "",
     "largest distance between a face's centre and where the line to the neighbour's centre crosses it, over the "
     "face's "
     "extent that way; as flow solvers take it",
     "0 best, above 4 too much for most flow solvers", false, 0},
    {"volume_ratio", "Volume ratio", "", "smallest ratio of the volumes of the element and a neighbour over a face",
     "1 best, 0 worst", true, 1},
    {"face_weight", "Face weight", "",
     "smallest share that a face's centre has of the way between the centres of its two elements, along its normal",
     "0.5 best, 0 worst", true, 0.5},
};

bool ofTets(ElementType t) { return topology(t).corners == 4 && topology(t).dim == 3; }

/// Places of four elements beside each other: what neighbours ask for lies on one line of cache.
struct alignas(32) Middle {
  double at[3];
  float length, volume;
};

/// Lane by lane at once: single values put into a vector in memory would be waited for.
template <class Of> Lanes lanesOf(Of&& of) { return Lanes(Lanes::V{of(0), of(1), of(2), of(3)}); }

Lanes3 gather(const Mesh& m, const std::size_t* cells, std::size_t local) {
  const Vec3* p[kLanes];
  for (std::size_t k = 0; k < kLanes; ++k) p[k] = &m.nodes[static_cast<std::size_t>(m.cells.of(cells[k])[local])];
  return {lanesOf([&](int k) { return (*p[k])[0]; }), lanesOf([&](int k) { return (*p[k])[1]; }),
          lanesOf([&](int k) { return (*p[k])[2]; })};
}

/// A polyhedron, one at a time.
struct PolyShape {
  double volume = 0, longest = 0, shortest = 1e300, sum = 0, edges = 0, skewness = 0, least = kPi, most = 0,
         dihedralLow = kPi, dihedralHigh = 0, warpage = 0;
  Vec3 centre = Vec3::Zero();
};

double angleBetween(const Vec3& a, const Vec3& b) { return std::atan2(a.cross(b).norm(), a.dot(b)); }

struct PolyFace {
  Vec3 area = Vec3::Zero(), centre = Vec3::Zero();
};
PolyFace polyFace(const std::vector<Vec3>& p) {
  Vec3 middle = Vec3::Zero();
  for (const Vec3& x : p) middle += x / static_cast<double>(p.size());
  PolyFace r;
  double weight = 0;
  for (std::size_t i = 0; i < p.size(); ++i) {
    const Vec3 n = (p[i] - middle).cross(p[(i + 1) % p.size()] - middle);
    r.area += 0.5 * n;
    r.centre += n.norm() * (p[i] + p[(i + 1) % p.size()] + middle) / 3;
    weight += n.norm();
  }
  r.centre = weight > 0 ? Vec3(r.centre / weight) : middle;
  return r;
}

PolyShape polyShape(const Mesh& m, std::size_t c) {
  PolyShape r;
  const auto n = m.cells.of(c);
  auto at = [&](std::int32_t i) -> const Vec3& {
    return m.nodes[static_cast<std::size_t>(n[static_cast<std::size_t>(i)])];
  };
  std::vector<PolyFace> faces;
  struct Use {
    std::uint64_t edge;
    std::size_t face;
  };
  std::vector<Use> uses;
  std::vector<Vec3> p;
  for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
    const auto q = m.cells.faceCorners(c, f);
    p.clear();
    for (auto i : q) p.push_back(at(i));
    faces.push_back(polyFace(p));
    const double equal = kPi * (1 - 2.0 / static_cast<double>(q.size()));
    Vec3 middle = Vec3::Zero();
    for (const Vec3& x : p) middle += x / static_cast<double>(p.size());
    for (std::size_t i = 0; i < p.size(); ++i) {
      const Vec3 &next = p[(i + 1) % p.size()], &before = p[(i + p.size() - 1) % p.size()];
      const double a = angleBetween(next - p[i], before - p[i]);
      r.skewness = std::max({r.skewness, (a - equal) / (kPi - equal), (equal - a) / equal});
      r.least = std::min(r.least, a);
      r.most = std::max(r.most, a);
      uses.push_back({edgeKey(q[i], q[(i + 1) % q.size()]), f});
      if (q.size() > 3)
        r.warpage = std::max(r.warpage, angleBetween((p[i] - middle).cross(next - middle), faces.back().area));
    }
  }
  m.cells.forEdges(c, [&](int a, int b, int) {
    const double l = (at(a) - at(b)).norm();
    r.longest = std::max(r.longest, l);
    r.shortest = std::min(r.shortest, l);
    r.sum += l;
    ++r.edges;
  });
  std::sort(uses.begin(), uses.end(),
            [](const Use& x, const Use& y) { return std::pair(x.edge, x.face) < std::pair(y.edge, y.face); });
  for (std::size_t i = 0; i + 1 < uses.size(); ++i)
    if (uses[i].edge == uses[i + 1].edge) {
      const double a = kPi - angleBetween(faces[uses[i].face].area, faces[uses[i + 1].face].area);
      r.dihedralLow = std::min(r.dihedralLow, a);
      r.dihedralHigh = std::max(r.dihedralHigh, a);
    }
  r.volume = cellVolume(m, c);
  Vec3 middle = Vec3::Zero();
  for (const auto& f : faces) middle += f.centre / static_cast<double>(faces.size());
  double volume = 0;
  for (const auto& f : faces) {
    const double v = f.area.dot(f.centre - middle);
    r.centre += v * (0.75 * f.centre + 0.25 * middle);
    volume += v;
  }
  r.centre = volume != 0 ? Vec3(r.centre / volume) : middle;
  return r;
}

class Metrics {
public:
  Metrics(const Mesh& mesh, const Neighbours& near, std::array<MetricValues, kMetrics>& to)
      : m(mesh), n(near), r(to), m_middle(mesh.cells.size()) {}

  /// Calls of(cells, count) for up to four cells of one type at a time; the places beyond `count` repeat the last.
  template <class V> void eachFew(std::size_t chunk, V&& of) const {
    const std::size_t first = chunk * kChunk, last = std::min(m.cells.size(), first + kChunk);
    const ElementType type = m.cells.type[first];
    std::size_t few[kLanes];
    auto pass = [&](const auto& cellAt, std::size_t count) {
      for (std::size_t from = 0; from < count; from += kLanes) {
        const std::size_t k = std::min(kLanes, count - from);
        for (std::size_t i = 0; i < kLanes; ++i) few[i] = cellAt(from + std::min(i, k - 1));
        of(few, k);
      }
    };
    if (std::all_of(m.cells.type.begin() + static_cast<std::ptrdiff_t>(first),
                    m.cells.type.begin() + static_cast<std::ptrdiff_t>(last), [&](auto t) { return t == type; }))
      return pass([&](std::size_t i) { return first + i; }, last - first);
    std::array<std::vector<std::uint32_t>, kElementTypes> byType;
    for (std::size_t c = first; c < last; ++c)
      byType[static_cast<std::size_t>(m.cells.type[c])].push_back(static_cast<std::uint32_t>(c));
    for (const auto& list : byType) pass([&](std::size_t i) { return std::size_t{list[i]}; }, list.size());
  }

  void shapes(const std::size_t* cells, std::size_t count) {
    const ElementType type = m.cells.type[cells[0]];
    if (type == ElementType::Polyhedron) {
      for (std::size_t k = 0; k < count; ++k) polyhedron(cells[k]);
      return;
    }
    const ElementTopology& t = topology(type);
    CellShapes s;
    if (t.corners == 4) {
      std::array<Lanes3, 4> p;
      for (std::size_t i = 0; i < 4; ++i) p[i] = gather(m, cells, i);
      s = tetShapes(p);
    } else {
      std::array<Lanes3, 8> p;
      for (std::size_t i = 0; i < static_cast<std::size_t>(t.corners); ++i) p[i] = gather(m, cells, i);
      s = solidShapes(*typeOfOrder(type, 1), p);
    }
    auto put = [&](Metric metric, const Lanes& v) {
      float* to = r[static_cast<std::size_t>(metric)].value.data();
      if (count == kLanes && cells[kLanes - 1] == cells[0] + kLanes - 1)
        for (std::size_t k = 0; k < kLanes; ++k) to[cells[0] + k] = static_cast<float>(v[k]);
      else
        for (std::size_t k = 0; k < count; ++k) to[cells[k]] = static_cast<float>(v[k]);
    };
    const Lanes length = s.sum / t.edges;
    put(Metric::Skewness, s.skewness);
    put(Metric::AspectRatio, s.aspect);
    put(Metric::MinDihedral, choose(s.volume <= 0, -s.minDihedral, s.minDihedral));
    put(Metric::MaxDihedral, s.maxDihedral);
    put(Metric::HeightRatio, s.heightRatio);
    put(Metric::EdgeLength, length);
    put(Metric::VolumeSkewness, s.volumeSkewness);
    put(Metric::MinFaceAngle, s.narrowest);
    put(Metric::MaxFaceAngle, s.widest);
    put(Metric::Warpage, s.warpage);
    put(Metric::Taper, s.taper);
    // Where the bounds of the straight element leave its sign open, or it is curved, it is looked at by itself.
    std::vector<Vec3> own;
    for (std::size_t k = 0; k < count; ++k) {
      const std::size_t lane = k;
      const std::size_t c = cells[k];
      if (t.order == 2 || (s.least[lane] <= 0 && s.leastCorner[lane] > 0)) {
        own.clear();
        for (auto v : m.cells.of(c)) own.push_back(m.nodes[static_cast<std::size_t>(v)]);
        const JacobianRange j = jacobianRange(type, own);
        s.least[lane] = j.least;
        s.most[lane] = j.most;
        if (t.order == 2) s.volume[lane] = cellVolume(m, c);
      }
      m_middle[c] = {{s.centre.x[lane], s.centre.y[lane], s.centre.z[lane]},
                     static_cast<float>(length[lane]),
                     static_cast<float>(s.volume[lane])};
    }
    put(Metric::Volume, s.volume);
    const Lanes share = choose(s.leastCorner > 0, (s.least / s.leastCorner).min(1.0), 1.0);
    put(Metric::ScaledJacobian, s.scaledJacobian * share);
    put(Metric::JacobianRatio, choose(s.most > 0, s.least / s.most, -1.0));
  }

  /// Size change, and what flow solvers look at across faces.
  void across(const std::size_t* cells, std::size_t count) {
    const bool poly = m.cells.type[cells[0]] == ElementType::Polyhedron;
    if (!poly) return acrossFaces(cells, count);
    for (std::size_t k = 0; k < count; ++k) { // each has faces of its own
      const std::size_t same[kLanes] = {cells[k], cells[k], cells[k], cells[k]};
      acrossFaces(same, 1);
    }
  }

private:
  const Mesh& m;
  const Neighbours& n;
  std::array<MetricValues, kMetrics>& r;
  UnsetVector<Middle> m_middle;

  void set(Metric k, std::size_t c, double v) { r[static_cast<std::size_t>(k)].value[c] = static_cast<float>(v); }

  void polyhedron(std::size_t c) {
    const PolyShape s = polyShape(m, c);
    const double deg = 180 / kPi, length = s.edges > 0 ? s.sum / s.edges : 0;
    set(Metric::Skewness, c, s.skewness);
    set(Metric::VolumeSkewness, c, s.skewness);
    set(Metric::AspectRatio, c, s.shortest > 0 ? s.longest / s.shortest : 1e30);
    set(Metric::MinDihedral, c, (s.volume <= 0 ? -1 : 1) * s.dihedralLow * deg);
    set(Metric::MaxDihedral, c, s.dihedralHigh * deg);
    set(Metric::EdgeLength, c, length);
    set(Metric::MinFaceAngle, c, s.least * deg);
    set(Metric::MaxFaceAngle, c, s.most * deg);
    set(Metric::Warpage, c, s.warpage * deg);
    set(Metric::Volume, c, s.volume);
    for (Metric k : {Metric::HeightRatio, Metric::Taper, Metric::ScaledJacobian, Metric::JacobianRatio})
      set(k, c, kNone);
    m_middle[c] = {{s.centre[0], s.centre[1], s.centre[2]}, static_cast<float>(length), static_cast<float>(s.volume)};
  }

  TESS_WIDE void acrossFaces(const std::size_t* cells, std::size_t count) {
    const std::size_t first = cells[0], faces = m.cells.faceCount(first);
    const Middle* mine4[kLanes];
    for (std::size_t k = 0; k < kLanes; ++k) mine4[k] = &m_middle[cells[k]];
    const Lanes3 own{lanesOf([&](int k) { return mine4[k]->at[0]; }), lanesOf([&](int k) { return mine4[k]->at[1]; }),
                     lanesOf([&](int k) { return mine4[k]->at[2]; })};
    const Lanes length = lanesOf([&](int k) { return static_cast<double>(mine4[k]->length); }),
                volume = lanesOf([&](int k) { return static_cast<double>(mine4[k]->volume); });
    Lanes longest = length, shortest = length; // among its neighbours' as well
    Lanes least = Lanes::Constant(1), skew = Lanes::Zero(), ratio = Lanes::Constant(1), weight = Lanes::Constant(0.5);
    const bool poly = m.cells.type[first] == ElementType::Polyhedron;
    Lanes3 corner[8], few[4];
    if (!poly)
      for (std::size_t i = 0; i < m.cells.cornerCount(first); ++i) corner[i] = gather(m, cells, i);
    std::vector<Lanes3> many;
    for (std::size_t f = 0; f < faces; ++f) {
      const auto corners = m.cells.faceCorners(first, f); // of cells of one type the same
      const Lanes3* q = few;
      FaceShape s;
      if (poly) {
        many.clear();
        for (auto i : corners) many.push_back(gather(m, cells, static_cast<std::size_t>(i)));
        q = many.data();
        s = faceShape(q, corners.size());
      } else if (corners.size() == 3) {
        for (std::size_t i = 0; i < 3; ++i) few[i] = corner[static_cast<std::size_t>(corners[i])];
        s = faceShape(few, 3);
      } else {
        for (std::size_t i = 0; i < 4; ++i) few[i] = corner[static_cast<std::size_t>(corners[i])];
        s = faceShape(few, 4);
      }
      const Lanes3 out = s.centre - own;
      Lanes3 way = out;
      const Middle* other[kLanes];
      bool outside = false;
      for (std::size_t k = 0; k < kLanes; ++k) {
        const std::int32_t beyond = n.cell[n.start[cells[k]] + f];
        other[k] = beyond < 0 ? nullptr : &m_middle[static_cast<std::size_t>(beyond)];
        outside = outside || beyond < 0;
      }
      Lanes inside = 1.0;
      if (outside) { // such faces stand for themselves; their other values decide nothing
        inside = lanesOf([&](int k) { return other[k] ? 1.0 : 0.0; });
        for (std::size_t k = 0; k < kLanes; ++k)
          if (!other[k]) other[k] = mine4[k];
      }
      const Lanes3 beside{lanesOf([&](int k) { return other[k]->at[0]; }),
                          lanesOf([&](int k) { return other[k]->at[1]; }),
                          lanesOf([&](int k) { return other[k]->at[2]; })};
      way = outside ? choose(inside > 0, beside - own, out) : beside - own;
      const Lanes l = lanesOf([&](int k) { return static_cast<double>(other[k]->length); }),
                  v = lanesOf([&](int k) { return static_cast<double>(other[k]->volume); });
      longest = longest.max(l);
      shortest = choose(l > 0, shortest.min(l), shortest);
      const Lanes small = v.min(volume), large = v.max(volume);
      const Lanes part = choose(small > 0, small / large, 0.0);
      ratio = ratio.min(outside ? choose(inside > 0, part, 1.0) : part);
      const Lanes nn = dot(s.area, s.area), along = dot(s.area, way), both = nn * dot(way, way),
                  mine = dot(s.area, out);
      least = least.min(choose(both > 0, along * along.abs() / both, 1.0));
      const Lanes ours = mine.abs(), theirs = (along - mine).abs();
      weight = weight.min(choose(inside > 0 && ours + theirs > 0, ours.min(theirs) / (ours + theirs), 0.5));
      // Where the line to the neighbour, or the normal on the boundary, crosses the face.
      Lanes3 line = way;
      Lanes step = mine / along, reach = 0.2;
      if (outside) {
        line = choose(inside > 0, way, (mine / nn) * s.area);
        step = choose(inside > 0, step, 1.0);
        reach = choose(inside > 0, reach, 0.4);
      }
      // Its way from the centre over the face's extent along that way, both times the way's length.
      const Lanes3 off = out - step * line;
      const Lanes size = dot(off, off);
      Lanes extent = reach * (size * dot(line, line)).sqrt();
      for (std::size_t i = 0; i < corners.size(); ++i) extent = extent.max(dot(off, q[i] - s.centre).abs());
      const Lanes value = size / extent;
      skew = skew.max(choose(nn > 0 && size > 1e-24 * dot(out, out) && value >= 0, value, 0.0));
    }
    const Lanes cosine = least.abs().sqrt(), angle = degrees(choose(least < 0, -cosine, cosine));
    // An element without extent says nothing about its neighbours.
    const Lanes change = choose(length > 0, (longest / length).max(length / shortest), 1.0);
    for (std::size_t k = 0; k < count; ++k) {
      const std::size_t lane = k;
      set(Metric::SizeChange, cells[k], change[lane]);
      set(Metric::NonOrthogonality, cells[k], angle[lane]);
      set(Metric::FaceSkewness, cells[k], skew[lane]);
      set(Metric::VolumeRatio, cells[k], ratio[lane]);
      set(Metric::FaceWeight, cells[k], weight[lane]);
    }
  }
};

/// Extremes, mean and the worst cells of what is known.
void summarise(MetricValues& x, bool high) {
  double sum = 0;
  auto worse = [&](std::int32_t p, std::int32_t q) {
    const float u = x.value[static_cast<std::size_t>(p)], w = x.value[static_cast<std::size_t>(q)];
    return u != w ? (high ? u < w : u > w) : p < q;
  };
  auto rank = [&](std::size_t c) {
    const auto id = static_cast<std::int32_t>(c);
    if (x.worst.size() == kWorst && !worse(id, x.worst.back())) return;
    x.worst.insert(std::lower_bound(x.worst.begin(), x.worst.end(), id, worse), id);
    if (x.worst.size() > kWorst) x.worst.pop_back();
  };
  const std::size_t count = x.value.size();
  double least = std::numeric_limits<double>::infinity(), most = -least;
  constexpr std::size_t kBlock = 256;
  for (std::size_t from = 0; from < count; from += kBlock) {
    const std::size_t to = std::min(count, from + kBlock);
    const Eigen::Map<const Eigen::ArrayXf> block(x.value.data() + from, static_cast<Eigen::Index>(to - from));
    const double total = block.cast<double>().sum();
    if (std::isnan(total)) { // some say nothing
      for (std::size_t c = from; c < to; ++c) {
        const float v = x.value[c];
        if (std::isnan(v)) continue;
        ++x.known;
        least = std::min<double>(least, v);
        most = std::max<double>(most, v);
        sum += v;
        rank(c);
      }
      continue;
    }
    const float low = block.minCoeff(), top = block.maxCoeff();
    least = std::min<double>(least, low);
    most = std::max<double>(most, top);
    sum += total;
    x.known += to - from;
    if (x.worst.size() == kWorst) { // most blocks hold none of the worst
      const float last = x.value[static_cast<std::size_t>(x.worst.back())];
      if (high ? low >= last : top <= last) continue;
    }
    for (std::size_t c = from; c < to; ++c) rank(c);
  }
  if (!x.known) {
    x.min = x.max = x.mean = kNone;
    return;
  }
  x.min = least;
  x.max = most;
  x.mean = sum / static_cast<double>(x.known);
}

} // namespace

const MetricInfo& metricInfo(Metric m) { return kInfo[static_cast<int>(m)]; }

double bestValue(Metric m, ElementType type) {
  const int corners = topology(type).corners;
  if (!judges(m, type)) return kNone;
  switch (m) {
  case Metric::MinDihedral:
    return corners == 8 ? 90 : corners == 6 ? 60 : corners == 5 ? 54.7356 : corners == 4 ? 70.53 : kNone;
  case Metric::MaxDihedral:
    return corners == 8 || corners == 6 ? 90 : corners == 5 ? 109.4712 : corners == 4 ? 70.53 : kNone;
  case Metric::MinFaceAngle:
    return corners == 8 ? 90 : corners ? 60 : kNone;
  case Metric::MaxFaceAngle:
    return corners == 4 ? 60 : corners ? 90 : kNone;
  default:
    return kInfo[static_cast<int>(m)].best;
  }
}

bool judges(Metric m, ElementType type) {
  if (m == Metric::HeightRatio) return ofTets(type);
  if (m == Metric::Taper || m == Metric::ScaledJacobian || m == Metric::JacobianRatio)
    return type != ElementType::Polyhedron;
  return true;
}

std::optional<Metric> metricById(std::string_view id) {
  for (int i = 0; i < kMetrics; ++i)
    if (id == kInfo[i].id) return static_cast<Metric>(i);
  return {};
}

std::array<MetricValues, kMetrics> computeMetrics(const Mesh& m, const Progress* progress) {
  return computeMetrics(m, cellNeighbours(m, progress), progress);
}

std::array<MetricValues, kMetrics> computeMetrics(const Mesh& m, const Neighbours& n, const Progress* progress) {
  std::array<MetricValues, kMetrics> r;
  const std::size_t count = m.cells.size(), chunks = (count + kChunk - 1) / kChunk;
  parallelFor(
      kMetrics, progress, [&](std::size_t k) { r[k].value.assign(count, 0); }, 1);
  Metrics all(m, n, r);
  parallelFor(
      chunks, progress,
      [&](std::size_t k) { all.eachFew(k, [&](const std::size_t* c, std::size_t few) { all.shapes(c, few); }); }, 1);
  parallelFor(
      chunks, progress,
      [&](std::size_t k) { all.eachFew(k, [&](const std::size_t* c, std::size_t few) { all.across(c, few); }); }, 1);
  parallelFor(
      kMetrics, progress, [&](std::size_t k) { summarise(r[k], kInfo[k].highIsGood); }, 1);
  return r;
}

} // namespace tess
