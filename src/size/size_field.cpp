// SPDX-License-Identifier: GPL-3.0-or-later
#include "size/size_field.h"
#include <cmath>
#include <map>

namespace tess {

double Zone::distance(const Vec3& x) const {
  switch (kind) {
  case Kind::Box:
    return std::sqrt(box().distance2(x));
  case Kind::Sphere:
    return std::max(0.0, (x - a).norm() - radius);
  case Kind::Cylinder:
  case Kind::Cone: {
    // In the half plane through the axis: distance to the trapezium (0,0) (0,r) (l,R) (l,0).
    Vec3 axis = b - a;
    double l = axis.norm();
    if (l <= 0) return (x - a).norm();
    axis /= l;
    double r1 = kind == Kind::Cylinder ? radius : radiusEnd, z = (x - a).dot(axis);
    double r = (x - a - z * axis).norm();
    if (z >= 0 && z <= l && r <= radius + (r1 - radius) * z / l) return 0;
    auto segment = [&](double z0, double r0, double z1, double re) {
      double dz = z1 - z0, dr = re - r0, q = dz * dz + dr * dr;
      double t = q > 0 ? std::clamp(((z - z0) * dz + (r - r0) * dr) / q, 0.0, 1.0) : 0.0;
      return std::hypot(z - z0 - t * dz, r - r0 - t * dr);
    };
    return std::min({segment(0, 0, 0, radius), segment(0, radius, l, r1), segment(l, r1, l, 0)});
  }
  }
  return 0;
}

Box Zone::box() const {
  Box x;
  if (kind == Kind::Sphere) {
    x.add(a);
    x.grow(radius);
  } else if (kind == Kind::Box) {
    x.add(a);
    x.add(b);
  } else {
    double ends[2] = {radius, kind == Kind::Cylinder ? radius : radiusEnd};
    Vec3 axis = (b - a).norm() > 0 ? Vec3((b - a).normalized()) : Vec3(0, 0, 1);
    for (int e = 0; e < 2; ++e) {
      // A disc reaches r * sin(angle to the axis) along each coordinate.
      Vec3 half = ends[e] * (Vec3::Ones() - axis.cwiseAbs2()).cwiseMax(0.0).cwiseSqrt();
      x.add((e ? b : a) + half);
      x.add((e ? b : a) - half);
    }
  }
  return x;
}

double SizeField::Source::distance(const Vec3& x) const {
  double d;
  if (p[1] == p[2]) {
    if (p[0] == p[1]) {
      d = (x - p[0]).norm();
    } else {
      double t = closestOnSegment(x, p[0], p[1]);
      d = (x - (p[0] + t * (p[1] - p[0]))).norm();
    }
  } else {
    Vec3 w = closestOnTriangle(x, p[0], p[1], p[2]);
    d = (x - (w[0] * p[0] + w[1] * p[1] + w[2] * p[2])).norm();
  }
  return std::max(0.0, d - reach);
}

void SizeField::add(std::array<Vec3, 3> p, double size, int rule, double reach, bool keep) {
  m_sources.push_back({p, size, reach, rule, keep});
}

void SizeField::setBodySize(int body, double size, int rule) {
  if (static_cast<std::size_t>(body) >= m_body.size())
    m_body.resize(static_cast<std::size_t>(body) + 1, {std::numeric_limits<double>::max(), kReasonOverall});
  auto& b = m_body[static_cast<std::size_t>(body)];
  if (size < b.size) b = {size, rule};
}

void SizeField::rebuild() {
  std::vector<Box> boxes;
  std::vector<double> sizes;
  for (const auto& s : m_sources) {
    Box b;
    for (const auto& q : s.p) b.add(q);
    b.grow(s.reach);
    boxes.push_back(b);
    sizes.push_back(s.size);
  }
  m_tree.build(boxes);
  m_nodeMin = m_tree.nodeMinimum(sizes);
}

void SizeField::build() {
  // Smallest first; a source whose own size the field already undercuts at all its corners and its middle decides
  // nothing (the field along it is a maximum of concave pieces only in between, which the middle samples).
  // Sources are tested in batches of doubling size against the tree of those kept before, so that the cost stays
  // O(n log n).
  std::vector<Source> all = std::move(m_sources);
  std::stable_sort(all.begin(), all.end(), [](const Source& a, const Source& b) { return a.size < b.size; });
  m_sources.clear();
  m_cells.reset({});
  rebuild();
  for (std::size_t begin = 0, length = 256; begin < all.size(); begin += length, length *= 2) {
    std::size_t end = std::min(all.size(), begin + length);
    for (std::size_t i = begin; i < end; ++i) {
      const Source& s = all[i];
      if (s.size >= m_overall && !s.keep) continue;
      double limit = s.size * 1.02;
      auto covered = [&](const Vec3& p) {
        // All of the source's surroundings within its reach must lie under the limit.
        double best = limit - m_slope * s.reach;
        return best > 0 && (nearest(p, best), best < limit - m_slope * s.reach);
      };
      if (!s.keep && covered(s.p[0]) && covered(s.p[1]) && covered(s.p[2]) && covered((s.p[0] + s.p[1] + s.p[2]) / 3))
        continue;
      m_sources.push_back(s);
    }
    rebuild();
  }
  Box box;
  for (const auto& source : m_sources)
    for (const auto& q : source.p) box.add(q);
  if (!box.empty()) { // around the sources to where they lose their influence
    const double extent = box.size().maxCoeff(), influence = m_slope > 0 ? (m_overall - smallest()) / m_slope : extent;
    box.grow(std::clamp(influence, 0.01 * extent, extent));
  }
  m_cells.reset(box);
}

struct SizeField::Cells::Cell {
  bool whole = true;        ///< `sources` holds all that can decide here
  std::vector<int> sources; ///< rising
  std::atomic<int> visits{0};
  std::array<std::atomic<Cell*>, 8> child{};
  ~Cell() {
    for (auto& c : child) delete c.load();
  }
};

void SizeField::Cells::reset(const Box& box) {
  delete m_root.exchange(nullptr);
  m_count = 0;
  m_box = box;
}

SizeField::Cells::Cell* SizeField::Cells::grow(std::atomic<Cell*>& place, const Cell* parent, const SizeField& field,
                                               const Vec3& centre, double radius) const {
  // A source's size grows by `slope` per distance, so one that is above the least at the centre by more than twice
  // what it can change from there to the rim decides nowhere in the cell; nor does one that stays above the overall.
  constexpr std::size_t most = 48;
  auto cell = std::make_unique<Cell>();
  const double change = field.m_slope * radius;
  double limit = 0;
  auto offer = [&](int i) {
    if (cell->sources.size() <= most && field.valueOf(i, centre) <= limit) cell->sources.push_back(i);
  };
  auto limitFrom = [&](double least) { limit = std::min(least + 2 * change, field.m_overall + change) * (1 + 1e-9); };
  double least = field.m_overall;
  if (parent && parent->whole) {
    std::array<double, most> value;
    for (std::size_t k = 0; k < parent->sources.size(); ++k)
      least = std::min(least, value[k] = field.valueOf(parent->sources[k], centre));
    limitFrom(least);
    for (std::size_t k = 0; k < parent->sources.size(); ++k)
      if (value[k] <= limit) cell->sources.push_back(parent->sources[k]);
  } else {
    auto bound = [&](const Box& b, int node) {
      return field.m_nodeMin[static_cast<std::size_t>(node)] + field.m_slope * std::sqrt(b.distance2(centre));
    };
    field.m_tree.minimum(least, bound, [&](int i) { return field.valueOf(i, centre); });
    limitFrom(least);
    double fence = std::nextafter(limit, std::numeric_limits<double>::max());
    field.m_tree.minimum(
        fence,
        [&](const Box& b, int node) {
          return cell->sources.size() > most ? std::numeric_limits<double>::max() : bound(b, node);
        },
        [&](int i) {
          offer(i);
          return std::numeric_limits<double>::max();
        });
    std::sort(cell->sources.begin(), cell->sources.end());
  }
  if (cell->sources.size() > most) {
    cell->whole = false;
    cell->sources = {};
  }
  cell->sources.shrink_to_fit();
  Cell* expected = nullptr;
  if (!place.compare_exchange_strong(expected, cell.get(), std::memory_order_acq_rel)) return expected;
  m_count.fetch_add(1, std::memory_order_relaxed);
  return cell.release();
}

const std::vector<int>* SizeField::Cells::at(const SizeField& field, const Vec3& p) const {
  constexpr int deepest = 12, few = 5, often = 16, mostCells = 400000;
  if (m_box.empty() || m_box.distance2(p) > 0) return nullptr;
  Vec3 centre = 0.5 * (m_box.lo + m_box.hi);
  double half = 0.5 * m_box.size().maxCoeff();
  Cell* cell = m_root.load(std::memory_order_acquire);
  if (!cell) cell = grow(m_root, nullptr, field, centre, half * std::sqrt(3.0));
  for (int depth = 0;; ++depth) {
    if (cell->whole) {
      const int visits = cell->visits.load(std::memory_order_relaxed);
      if (static_cast<int>(cell->sources.size()) <= few || depth == deepest || visits < often) {
        cell->visits.store(visits + 1, std::memory_order_relaxed);
        return &cell->sources;
      }
    } else { // its parts are only worth being made where many places follow
      const int visits = cell->visits.load(std::memory_order_relaxed);
      if (visits < often) {
        cell->visits.store(visits + 1, std::memory_order_relaxed);
        return nullptr;
      }
    }
    if (depth == deepest) return nullptr;
    half *= 0.5;
    std::size_t octant = 0;
    for (int d = 0; d < 3; ++d) {
      const bool upper = p[d] > centre[d];
      octant |= static_cast<std::size_t>(upper) << d;
      centre[d] += upper ? half : -half;
    }
    Cell* next = cell->child[octant].load(std::memory_order_acquire);
    if (!next) {
      if (m_count.load(std::memory_order_relaxed) > mostCells) return cell->whole ? &cell->sources : nullptr;
      next = grow(cell->child[octant], cell, field, centre, half * std::sqrt(3.0));
    }
    cell = next;
  }
}

int SizeField::nearest(const Vec3& p, double& best, bool first) const {
  if (const auto* few = m_cells.at(*this, p)) {
    int found = -1;
    for (int i : *few)
      if (double h = valueOf(i, p); h < best) {
        best = h;
        found = i;
      }
    return found;
  }
  // A little less than it is: rounding must not hide the source that a cell's list would tell, to the last bit, since
  // which of the two is asked hangs on what was asked before.
  auto bound = [&](const Box& b, int node) {
    return (m_nodeMin[static_cast<std::size_t>(node)] + m_slope * std::sqrt(b.distance2(p))) * (1 - 1e-12);
  };
  int found = m_tree.minimum(best, bound, [&](int i) { return valueOf(i, p); });
  if (first && found >= 0) {
    double fence = std::nextafter(best, std::numeric_limits<double>::max());
    m_tree.minimum(fence, bound, [&](int i) {
      if (valueOf(i, p) == best) found = std::min(found, i);
      return std::numeric_limits<double>::max();
    });
  }
  return found;
}

double SizeField::at(const Vec3& p, int body) const {
  double best = std::min(m_overall, bodySize(body));
  for (const auto& z : m_zones)
    if (z.size < best) best = std::min(best, z.size + m_slope * z.zone.distance(p));
  nearest(p, best);
  return best;
}

SizeReason SizeField::deciding(const Vec3& p, int body) const {
  SizeReason r{m_overall, kReasonOverall};
  if (body >= 0 && static_cast<std::size_t>(body) < m_body.size() &&
      m_body[static_cast<std::size_t>(body)].size < r.size)
    r = m_body[static_cast<std::size_t>(body)];
  for (const auto& z : m_zones)
    if (double h = z.size + m_slope * z.zone.distance(p); h < r.size) r = {h, z.rule};
  if (int i = nearest(p, r.size, m_cells.used()); i >= 0) r.rule = m_sources[static_cast<std::size_t>(i)].rule;
  return r;
}

std::vector<SizeReason> SizeField::explain(const Vec3& p, int body, int most) const {
  std::map<int, double> byRule;
  byRule[kReasonOverall] = m_overall;
  auto offer = [&](int rule, double h) {
    auto [it, fresh] = byRule.emplace(rule, h);
    if (!fresh) it->second = std::min(it->second, h);
  };
  for (const auto& s : m_sources) offer(s.rule, s.size + m_slope * s.distance(p));
  for (const auto& z : m_zones) offer(z.rule, z.size + m_slope * z.zone.distance(p));
  if (body >= 0 && static_cast<std::size_t>(body) < m_body.size() && m_body[static_cast<std::size_t>(body)].rule >= 0)
    offer(m_body[static_cast<std::size_t>(body)].rule, m_body[static_cast<std::size_t>(body)].size);
  std::vector<SizeReason> r;
  for (const auto& [rule, h] : byRule) r.push_back({h, rule});
  std::stable_sort(r.begin(), r.end(), [](const SizeReason& a, const SizeReason& b) { return a.size < b.size; });
  if (static_cast<int>(r.size()) > most) r.resize(static_cast<std::size_t>(most));
  return r;
}

double SizeField::smallest() const {
  double s = m_overall;
  for (const auto& q : m_sources) s = std::min(s, q.size);
  for (const auto& z : m_zones) s = std::min(s, z.size);
  for (const auto& b : m_body) s = std::min(s, b.size);
  return s;
}

} // namespace tess
