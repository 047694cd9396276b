// SPDX-License-Identifier: GPL-3.0-or-later
#include "audit/metrics.h"
#include "base/parallel.h"
#include "base/unset.h"
#include <cmath>
#include <numeric>

namespace tess {
namespace {

constexpr std::size_t kWorst = 20; ///< elements that are listed by number
constexpr std::size_t kAhead = 8;  ///< cells whose surroundings are fetched meanwhile
constexpr double kLargest = std::numeric_limits<double>::max();
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
     "smallest corner Jacobian over the product of its edge lengths, scaled so that the regular element has 1",
     "1 best, below 0 inverted", true, 1},
    {"min_dihedral", "Min dihedral angle", "deg", "smallest angle between two faces",
     "70.5 for the regular tetrahedron, 90 for a cube", true, 70.53},
    {"max_dihedral", "Max dihedral angle", "deg", "largest angle between two faces",
     "70.5 for the regular tetrahedron, 90 for a cube", false, 70.53},
    {"height_ratio", "Height to base", "",
     "tetrahedra: smallest height / longest edge; others: smallest distance of opposite faces / longest edge",
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
     "largest angle between a face's normal and the line from the element's centre to the neighbour's, or to the "
     "face's centre on the boundary; some count orthogonality as its cosine",
     "0 best, 90 and more unusable", false, 0},
    {"jacobian_ratio", "Jacobian ratio", "",
     "smallest over largest Jacobian at corners and mid nodes; some count the inverse", "1 best, below 0 inverted",
     true, 1},
    {"warpage", "Warpage", "deg",
     "largest angle between the two triangles that either diagonal makes of a quadrilateral face; 0 for triangles",
     "0 best", false, 0},
    {"taper", "Taper", "",
     "smallest of the four corner triangles of a quadrilateral face over half of its area; 1 for triangles", "1 best",
     true, 1},
};

double angleAt(const Vec3& p, const Vec3& q, const Vec3& r) {
  Vec3 a = q - p, b = r - p;
  return std::atan2(a.cross(b).norm(), a.dot(b));
}

struct CellView {
  const Mesh& m;
  std::span<const std::int32_t> n;
  const ElementTopology& t;
  const Vec3& p(int i) const { return m.nodes[static_cast<std::size_t>(n[static_cast<std::size_t>(i)])]; }
};

struct FaceAngles {
  double skewness = 0, least = kPi, most = 0;
};
FaceAngles faceAngles(const CellView& c) {
  FaceAngles r;
  for (int f = 0; f < c.t.faces; ++f) {
    const auto& q = c.t.face[static_cast<std::size_t>(f)];
    int k = q[3] < 0 ? 3 : 4;
    double equal = k == 3 ? kPi / 3 : kPi / 2;
    for (int i = 0; i < k; ++i) {
      double a = angleAt(c.p(q[static_cast<std::size_t>(i)]), c.p(q[static_cast<std::size_t>((i + 1) % k)]),
                         c.p(q[static_cast<std::size_t>((i + k - 1) % k)]));
      r.skewness = std::max({r.skewness, (a - equal) / (kPi - equal), (equal - a) / equal});
      r.least = std::min(r.least, a);
      r.most = std::max(r.most, a);
    }
  }
  return r;
}

Vec3 faceNormal(const CellView& c, int f) {
  const auto& q = c.t.face[static_cast<std::size_t>(f)];
  if (q[3] < 0) return (c.p(q[1]) - c.p(q[0])).cross(c.p(q[2]) - c.p(q[0]));
  return (c.p(q[2]) - c.p(q[0])).cross(c.p(q[3]) - c.p(q[1]));
}

void dihedrals(const CellView& c, double& lo, double& hi) {
  // Faces that share an edge: the angle inside is pi minus the angle between outward normals.
  lo = kPi;
  hi = 0;
  for (int e = 0; e < c.t.edges; ++e) {
    int a = c.t.edge[static_cast<std::size_t>(e)][0], b = c.t.edge[static_cast<std::size_t>(e)][1];
    int found[2], n = 0;
    for (int f = 0; f < c.t.faces && n < 2; ++f) {
      bool ha = false, hb = false;
      for (int v : c.t.face[static_cast<std::size_t>(f)]) ha = ha || v == a, hb = hb || v == b;
      if (ha && hb) found[n++] = f;
    }
    if (n < 2) continue;
    Vec3 u = faceNormal(c, found[0]).normalized(), v = faceNormal(c, found[1]).normalized();
    Vec3 d = (c.p(b) - c.p(a)).normalized();
    double angle = kPi - std::atan2(std::abs(u.cross(v).dot(d)), u.dot(v));
    lo = std::min(lo, angle);
    hi = std::max(hi, angle);
  }
}

struct QuadShape {
  double warpage = 0, taper = 1;
};
/// Of the quadrilateral faces.
QuadShape quadShape(const CellView& c) {
  QuadShape r;
  for (int f = 0; f < c.t.faces; ++f) {
    const auto& q = c.t.face[static_cast<std::size_t>(f)];
    if (q[3] < 0) continue;
    Vec3 n[4]; // of the corner triangles
    double area = 0;
    for (std::size_t k = 0; k < 4; ++k) {
      n[k] = (c.p(q[(k + 1) % 4]) - c.p(q[k])).cross(c.p(q[(k + 3) % 4]) - c.p(q[k]));
      area += 0.25 * n[k].norm(); // each pair of opposite corner triangles makes up the face
    }
    for (std::size_t k = 0; k < 4; ++k) {
      r.taper = std::min(r.taper, area > 0 ? 0.5 * n[k].norm() / (0.5 * area) : 0.0);
      if (k < 2) r.warpage = std::max(r.warpage, std::atan2(n[k].cross(n[k + 2]).norm(), n[k].dot(n[k + 2])));
    }
  }
  return r;
}

struct CornerJacobians {
  double scaled = 1e300, least = 1e300, most = -1e300;
};
/// Corner triples of edges that span each corner's Jacobian, in right-handed order.
CornerJacobians cornerJacobians(const CellView& c) {
  CornerJacobians r;
  auto corner = [&](int o, int x, int y, int z) {
    Vec3 a = c.p(x) - c.p(o), b = c.p(y) - c.p(o), d = c.p(z) - c.p(o);
    double l = a.norm() * b.norm() * d.norm(), j = a.cross(b).dot(d);
    r.scaled = std::min(r.scaled, l > 0 ? j / l : 0.0);
    r.least = std::min(r.least, j);
    r.most = std::max(r.most, j);
  };
  // Corner, and its three neighbours.
  static constexpr int hex[8][4] = {{0, 1, 3, 4}, {1, 2, 0, 5}, {2, 3, 1, 6}, {3, 0, 2, 7},
                                    {4, 7, 5, 0}, {5, 4, 6, 1}, {6, 5, 7, 2}, {7, 6, 4, 3}};
  static constexpr int wedge[6][4] = {{0, 1, 2, 3}, {1, 2, 0, 4}, {2, 0, 1, 5},
                                      {3, 5, 4, 0}, {4, 3, 5, 1}, {5, 4, 3, 2}};
  static constexpr int pyramid[4][4] = {{0, 1, 3, 4}, {1, 2, 0, 4}, {2, 3, 1, 4}, {3, 0, 2, 4}};
  auto all = [&](const auto& table, double scale) {
    for (const auto& q : table) corner(q[0], q[1], q[2], q[3]);
    r.scaled *= scale;
  };
  switch (c.t.corners) {
  case 8:
    all(hex, 1);
    break;
  case 6:
    all(wedge, 2 / std::sqrt(3.0));
    break;
  case 5:
    all(pyramid, std::sqrt(2.0));
    break;
  default:
    r = {0, 0, 0};
  }
  return r;
}

/// Smallest and largest Jacobian of the curved tet over its corners and mid nodes, relative to the straight one.
std::pair<double, double> curvedShares(const CellView& c) {
  static const auto& edges = topology(ElementType::Tet10).edge;
  double straight = (c.p(1) - c.p(0)).cross(c.p(2) - c.p(0)).dot(c.p(3) - c.p(0));
  if (straight <= 0) return {1, 1};
  double lo = 1e300, hi = -1e300;
  for (int s = 0; s < 10; ++s) {
    double l[4] = {0, 0, 0, 0};
    if (s < 4)
      l[s] = 1;
    else
      l[edges[static_cast<std::size_t>(s - 4)][0]] = l[edges[static_cast<std::size_t>(s - 4)][1]] = 0.5;
    Vec3 d[4];
    for (int i = 0; i < 4; ++i) d[i] = (4 * l[i] - 1) * c.p(i);
    for (int e = 0; e < 6; ++e) {
      int a = edges[static_cast<std::size_t>(e)][0], b = edges[static_cast<std::size_t>(e)][1];
      d[a] += 4 * l[b] * c.p(4 + e);
      d[b] += 4 * l[a] * c.p(4 + e);
    }
    const double j = (d[1] - d[0]).cross(d[2] - d[0]).dot(d[3] - d[0]) / straight;
    lo = std::min(lo, j);
    hi = std::max(hi, j);
  }
  return {lo, hi};
}

constexpr std::size_t kLanes = 4; ///< tetrahedra, or faces of one, that are looked at side by side
using Lanes = Eigen::Array<double, kLanes, 1>;
struct Lanes3 {
  Lanes x, y, z;
};
Lanes3 operator-(const Lanes3& a, const Lanes3& b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
Lanes dot(const Lanes3& a, const Lanes3& b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
Lanes3 cross(const Lanes3& a, const Lanes3& b) {
  return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
/// Arc cosines in degrees, within 2e-6 (Abramowitz & Stegun 1964, 4.4.46).
Lanes degrees(const Lanes& cosine) {
  const Lanes x = cosine.abs().min(1.0);
  Lanes p = Lanes::Constant(-0.0012624911);
  for (double k : {0.0066700901, -0.0170881256, 0.0308918810, -0.0501743046, 0.0889789874, -0.2145988016, 1.5707963050})
    p = p * x + k;
  const Lanes sharp = (1 - x).sqrt() * p;
  return (cosine < 0).select(kPi - sharp, sharp) * (180 / kPi);
}

/// Everything about straight tetrahedra from their edges and faces, each computed once.
struct TetShapes {
  Lanes volume, longest, sum, skewness, aspect, scaledJacobian, minDihedral, maxDihedral, heightRatio;
  Lanes narrowest, widest; ///< corners of the faces, degrees as all angles here
  Lanes volumeSkewness;
  /// Flattened: left to itself the compiler calls dozens of small functions here, with all lanes by way of the memory.
  [[gnu::flatten]] explicit TetShapes(const std::array<Lanes3, 4>& p) {
    const Lanes3 e[6] = {p[1] - p[0], p[2] - p[0], p[3] - p[0], p[2] - p[1], p[3] - p[1], p[3] - p[2]};
    // Reciprocals, as divisions are what takes longest here; infinite where an edge or a face has no extent.
    Lanes l[6], perLength[6];
    sum = longest = Lanes::Zero();
    for (int i = 0; i < 6; ++i) {
      l[i] = dot(e[i], e[i]).sqrt();
      perLength[i] = l[i].inverse();
      sum += l[i];
      longest = longest.max(l[i]);
    }
    // Twice the faces' areas with their outward normals: face i lies opposite corner i.
    const Lanes3 n[4] = {cross(e[3], e[4]), cross(e[2], e[1]), cross(e[0], e[2]), cross(e[1], e[0])};
    Lanes a[4], perArea[4];
    for (int i = 0; i < 4; ++i) {
      a[i] = dot(n[i], n[i]).sqrt();
      perArea[i] = a[i].inverse();
    }
    const Lanes jacobian = -dot(e[2], n[3]);
    volume = jacobian / 6;
    Lanes lowest = Lanes::Constant(1), highest = Lanes::Constant(-1); // cosines of the dihedral angles
    for (int i = 0; i < 4; ++i)
      for (int j = i + 1; j < 4; ++j) {
        const Lanes per = perArea[i] * perArea[j], cosine = (per <= kLargest).select(-dot(n[i], n[j]) * per, -1.0);
        lowest = lowest.min(cosine);
        highest = highest.max(cosine);
      }
    minDihedral = degrees(highest);
    maxDihedral = degrees(lowest);
    // Cosines of the faces' corners.
    Lanes least = Lanes::Constant(1), most = Lanes::Constant(-1);
    auto corner = [&](int x, int y, double sign) {
      const Lanes per = perLength[x] * perLength[y],
                  cosine = (per <= kLargest).select(sign * dot(e[x], e[y]) * per, 1.0);
      least = least.min(cosine);
      most = most.max(cosine);
    };
    corner(0, 1, 1), corner(0, 2, 1), corner(1, 2, 1);
    corner(0, 3, -1), corner(0, 4, -1), corner(3, 4, 1);
    corner(1, 3, 1), corner(1, 5, -1), corner(3, 5, -1);
    corner(2, 4, 1), corner(2, 5, 1), corner(4, 5, 1);
    widest = degrees(least);
    narrowest = degrees(most);
    skewness = ((widest - 60) / 120).max((60 - narrowest) / 60).max(0.0);
    const Lanes q0 = l[0] * l[1] * l[2], q1 = l[0] * l[3] * l[4], q2 = l[1] * l[3] * l[5], q3 = l[2] * l[4] * l[5];
    const Lanes small = q0.min(q1).min(q2.min(q3)), large = q0.max(q1).max(q2.max(q3));
    scaledJacobian = (small > 0).select(std::sqrt(2.0) * jacobian / (jacobian > 0).select(large, small), 0.0);
    const Lanes area = 0.5 * (a[0] + a[1] + a[2] + a[3]), largest = a[0].max(a[1]).max(a[2].max(a[3]));
    aspect = (volume > 0).select(longest * area / (3 * volume * 2 * std::sqrt(6.0)), 1e30);
    heightRatio = (largest > 0).select(6 * volume / (largest * longest), 0.0);
    // 24 V R is the square root of a product of the opposite edges' products (Crelle); the regular tet of
    // circumradius R has the volume 8 sqrt(3) / 27 R^3.
    const Lanes x = l[0] * l[5], y = l[1] * l[4], z = l[2] * l[3];
    const Lanes crelle = ((x + y + z) * (x + y - z) * (x - y + z) * (-x + y + z)).max(0.0);
    const Lanes radius = crelle.sqrt() / (24 * volume);
    volumeSkewness =
        (volume > 0 && radius > 0)
            .select((1 - volume / (8 * std::sqrt(3.0) / 27 * radius * radius * radius)).max(0.0).min(1.0), 1.0);
  }
};

} // namespace

const MetricInfo& metricInfo(Metric m) { return kInfo[static_cast<int>(m)]; }
std::optional<Metric> metricById(std::string_view id) {
  for (int i = 0; i < kMetrics; ++i)
    if (id == kInfo[i].id) return static_cast<Metric>(i);
  return {};
}

Vec3 cellCenter(const Mesh& m, std::size_t c) {
  Vec3 s(0, 0, 0);
  int k = topology(m.cells.type[c]).corners;
  for (int i = 0; i < k; ++i) s += m.nodes[static_cast<std::size_t>(m.cells.of(c)[static_cast<std::size_t>(i)])];
  return s / k;
}

std::array<MetricValues, kMetrics> computeMetrics(const Mesh& m, const Progress* progress) {
  return computeMetrics(m, cellNeighbours(m, progress), progress);
}

std::array<MetricValues, kMetrics> computeMetrics(const Mesh& m, const Neighbours& n, const Progress* progress) {
  std::array<MetricValues, kMetrics> r;
  const std::size_t count = m.cells.size();
  parallelFor(
      kMetrics, progress, [&](std::size_t k) { r[k].value.assign(count, 0); }, 1);
  auto set = [&](Metric k, std::size_t c, double v) {
    r[static_cast<std::size_t>(k)].value[c] = static_cast<float>(v);
  };
  struct alignas(32) Middle { // what neighbours ask for lies on one line of cache
    double at[3];
    float length;
  };
  UnsetVector<Middle> middle(count);
  auto tetrahedron = [&](std::size_t c) { return topology(m.cells.type[c]).corners == 4; };
  auto shapes = [&](std::size_t group) {
    const std::size_t first = group * kLanes;
    if (first + kAhead + kLanes < count)
      for (std::size_t k = 0; k < kLanes; ++k)
        for (auto node : m.cells.of(first + kAhead + k)) __builtin_prefetch(m.nodes.data() + node);
    std::array<Lanes3, 4> p;
    std::size_t tets[kLanes], lanes = 0;
    for (std::size_t c = first; c < std::min(count, first + kLanes); ++c)
      if (tetrahedron(c)) tets[lanes++] = c;
    if (!lanes) return;
    for (std::size_t k = 0; k < kLanes; ++k) {
      const auto corners = m.cells.of(tets[std::min(k, lanes - 1)]);
      for (std::size_t i = 0; i < 4; ++i) {
        const Vec3& at = m.nodes[static_cast<std::size_t>(corners[i])];
        const auto lane = static_cast<Eigen::Index>(k);
        p[i].x[lane] = at[0], p[i].y[lane] = at[1], p[i].z[lane] = at[2];
      }
    }
    const TetShapes tet(p);
    const Lanes3 centre{(p[0].x + p[1].x + p[2].x + p[3].x) / 4, (p[0].y + p[1].y + p[2].y + p[3].y) / 4,
                        (p[0].z + p[1].z + p[2].z + p[3].z) / 4};
    auto put = [&](Metric metric, const Lanes& v) {
      float* to = r[static_cast<std::size_t>(metric)].value.data();
      if (lanes == kLanes)
        Eigen::Map<Eigen::Array<float, kLanes, 1>>(to + first) = v.cast<float>();
      else
        for (std::size_t k = 0; k < lanes; ++k) to[tets[k]] = static_cast<float>(v[static_cast<Eigen::Index>(k)]);
    };
    put(Metric::Skewness, tet.skewness);
    put(Metric::AspectRatio, tet.aspect);
    put(Metric::ScaledJacobian, tet.scaledJacobian);
    put(Metric::JacobianRatio, (tet.volume <= 0).select(Lanes::Constant(-1), 1.0));
    put(Metric::VolumeSkewness, tet.volumeSkewness);
    put(Metric::MinFaceAngle, tet.narrowest);
    put(Metric::MaxFaceAngle, tet.widest);
    put(Metric::Taper, Lanes::Constant(1));
    put(Metric::MinDihedral, (tet.volume <= 0).select(-tet.minDihedral, tet.minDihedral));
    put(Metric::MaxDihedral, tet.maxDihedral);
    put(Metric::HeightRatio, tet.heightRatio);
    put(Metric::Volume, tet.volume);
    const Lanes length = tet.sum / 6;
    put(Metric::EdgeLength, length);
    for (std::size_t k = 0; k < lanes; ++k) {
      const std::size_t c = tets[k];
      const auto lane = static_cast<Eigen::Index>(k);
      middle[c] = {{centre.x[lane], centre.y[lane], centre.z[lane]}, static_cast<float>(length[lane])};
      if (m.cells.type[c] == ElementType::Tet4) continue;
      const auto [lo, hi] = curvedShares(CellView{m, m.cells.of(c), topology(m.cells.type[c])});
      const double scaled = tet.scaledJacobian[lane];
      set(Metric::ScaledJacobian, c, std::min(scaled, scaled * lo));
      set(Metric::JacobianRatio, c, tet.volume[lane] <= 0 ? -1 : hi > 0 ? lo / hi : 0);
      set(Metric::Volume, c, cellVolume(m, c));
    }
  };
  parallelFor((count + kLanes - 1) / kLanes, progress, shapes, 256);
  parallelFor(count, progress, [&](std::size_t c) {
    if (tetrahedron(c)) return;
    const CellView v{m, m.cells.of(c), topology(m.cells.type[c])};
    double longest = 0, shortest = 1e300, sum = 0, height = 1e300;
    for (int e = 0; e < v.t.edges; ++e) {
      double l = (v.p(v.t.edge[static_cast<std::size_t>(e)][0]) - v.p(v.t.edge[static_cast<std::size_t>(e)][1])).norm();
      longest = std::max(longest, l);
      shortest = std::min(shortest, l);
      sum += l;
    }
    double volume = cellVolume(m, c), lo, hi;
    dihedrals(v, lo, hi);
    for (int f = 0; f < v.t.faces; ++f) {
      double a = 0.5 * faceNormal(v, f).norm();
      if (a > 0) height = std::min(height, volume / a);
    }
    const FaceAngles angles = faceAngles(v);
    const CornerJacobians jacobians = cornerJacobians(v);
    const QuadShape quads = quadShape(v);
    set(Metric::Skewness, c, angles.skewness);
    set(Metric::VolumeSkewness, c, angles.skewness);
    set(Metric::MinFaceAngle, c, angles.least * 180 / kPi);
    set(Metric::MaxFaceAngle, c, angles.most * 180 / kPi);
    set(Metric::JacobianRatio, c, jacobians.most > 0 ? jacobians.least / jacobians.most : -1);
    set(Metric::Warpage, c, quads.warpage * 180 / kPi);
    set(Metric::Taper, c, quads.taper);
    set(Metric::AspectRatio, c, longest / shortest);
    set(Metric::ScaledJacobian, c, jacobians.scaled);
    set(Metric::MinDihedral, c, (volume <= 0 ? -1 : 1) * lo * 180 / kPi);
    set(Metric::MaxDihedral, c, hi * 180 / kPi);
    set(Metric::HeightRatio, c, height / longest);
    set(Metric::Volume, c, volume);
    set(Metric::EdgeLength, c, sum / v.t.edges);
    const Vec3 at = cellCenter(m, c);
    middle[c] = {{at[0], at[1], at[2]}, static_cast<float>(sum / v.t.edges)};
  });
  /// Sets the size change of a cell; returns the least of the squares of its faces' cosines, with their signs.
  auto acrossFaces = [&](std::size_t c) __attribute__((flatten)) {
    if (c + kAhead < count)
      for (std::uint32_t k = n.start[c + kAhead]; k < n.start[c + kAhead + 1]; ++k)
        __builtin_prefetch(middle.data() + std::max(n.cell[k], 0));
    double least = 1;
    const CellView v{m, m.cells.of(c), topology(m.cells.type[c])};
    const Middle& own = middle[c];
    const std::int32_t* beyond = n.cell.data() + n.start[c];
    float longest = own.length, shortest = own.length; // among its neighbours' as well
    Lanes3 u, w, way;                                  // sides or diagonals of a face, and the way across it
    auto across = [&](Eigen::Index lane, int face, const Vec3& a, const Vec3& b, const Vec3& d, const Vec3* e)
        __attribute__((always_inline)) {
      const Vec3 u1 = e ? Vec3(d - a) : Vec3(b - a), w1 = e ? Vec3(*e - b) : Vec3(d - a);
      u.x[lane] = u1[0], u.y[lane] = u1[1], u.z[lane] = u1[2];
      w.x[lane] = w1[0], w.y[lane] = w1[1], w.z[lane] = w1[2];
      double to[3];
      if (beyond[face] >= 0) {
        const Middle& other = middle[static_cast<std::size_t>(beyond[face])];
        std::copy(other.at, other.at + 3, to);
        if (other.length > 0) {
          longest = std::max(longest, other.length);
          shortest = std::min(shortest, other.length);
        }
      } else {
        const Vec3 sum = e ? Vec3((a + b + d + *e) / 4) : Vec3((a + b + d) / 3);
        std::copy(sum.data(), sum.data() + 3, to);
      }
      way.x[lane] = to[0] - own.at[0], way.y[lane] = to[1] - own.at[1], way.z[lane] = to[2] - own.at[2];
    };
    auto rate = [&] {
      const Lanes3 normal = cross(u, w);
      const Lanes along = dot(normal, way), both = dot(normal, normal) * dot(way, way);
      least = std::min(least, (both > 0).select(along * along.abs() / both, 1.0).minCoeff());
    };
    if (v.t.corners == 4) {
      const Vec3* at[4] = {&v.p(0), &v.p(1), &v.p(2), &v.p(3)};
      for (int face = 0; face < 4; ++face) {
        const auto& q = v.t.face[static_cast<std::size_t>(face)];
        across(face, face, *at[q[0]], *at[q[1]], *at[q[2]], nullptr);
      }
      rate();
    } else
      for (int from = 0; from < v.t.faces; from += static_cast<int>(kLanes)) {
        for (Eigen::Index lane = 0; lane < static_cast<Eigen::Index>(kLanes); ++lane) {
          const int face = std::min(from + static_cast<int>(lane), v.t.faces - 1);
          const auto& q = v.t.face[static_cast<std::size_t>(face)];
          across(lane, face, v.p(q[0]), v.p(q[1]), v.p(q[2]), q[3] < 0 ? nullptr : &v.p(q[3]));
        }
        rate();
      }
    // An element without extent says nothing about its neighbours.
    const double length = own.length, worst = length > 0 ? std::max(longest / length, length / shortest) : 1.0;
    set(Metric::SizeChange, c, worst);
    return least;
  };
  parallelFor((count + kLanes - 1) / kLanes, progress,
              [&](std::size_t group) {
                const std::size_t first = group * kLanes, lanes = std::min(count - first, kLanes);
                Lanes least = Lanes::Constant(1);
                for (std::size_t k = 0; k < lanes; ++k) least[static_cast<Eigen::Index>(k)] = acrossFaces(first + k);
                const Lanes cosine = least.abs().sqrt(), angle = degrees((least < 0).select(-cosine, cosine));
                for (std::size_t k = 0; k < lanes; ++k)
                  set(Metric::NonOrthogonality, first + k, angle[static_cast<Eigen::Index>(k)]);
              },
              256);
  parallelFor(
      kMetrics, progress,
      [&](std::size_t k) {
        auto& x = r[k];
        if (x.value.empty()) return;
        const bool high = kInfo[k].highIsGood;
        x.min = x.max = x.value[0];
        double sum = 0;
        auto worse = [&](std::int32_t p, std::int32_t q) {
          const float u = x.value[static_cast<std::size_t>(p)], w = x.value[static_cast<std::size_t>(q)];
          return u != w ? (high ? u < w : u > w) : p < q;
        };
        constexpr std::size_t kBlock = 256;
        for (std::size_t from = 0; from < count; from += kBlock) {
          const std::size_t to = std::min(count, from + kBlock);
          const Eigen::Map<const Eigen::ArrayXf> block(x.value.data() + from, static_cast<Eigen::Index>(to - from));
          const float least = block.minCoeff(), most = block.maxCoeff();
          x.min = std::min<double>(x.min, least);
          x.max = std::max<double>(x.max, most);
          sum += block.cast<double>().sum();
          if (x.worst.size() == kWorst) { // most blocks hold none of the worst
            const float last = x.value[static_cast<std::size_t>(x.worst.back())];
            if (high ? least >= last : most <= last) continue;
          }
          for (std::size_t c = from; c < to; ++c) {
            const auto id = static_cast<std::int32_t>(c);
            if (x.worst.size() == kWorst && !worse(id, x.worst.back())) continue;
            x.worst.insert(std::lower_bound(x.worst.begin(), x.worst.end(), id, worse), id);
            if (x.worst.size() > kWorst) x.worst.pop_back();
          }
        }
        x.mean = sum / static_cast<double>(count);
      },
      1);
  return r;
}

} // namespace tess
