// SPDX-License-Identifier: GPL-3.0-or-later
// One answer to "how large may an element be here?". All rules end as sources (points, segments, triangles, balls,
// zones) with a size; the field is h(x) = min(target, min_i(h_i + slope * distance(x, source_i))), which is the
// smallest field that honours the sources and never grows faster than the growth ratio allows in true distance.
// Queries prune a box tree by a lower bound; cells of space that are asked often keep the few sources that can decide
// inside them (a lazily grown octree). Either way the answer is exact; queries are const and thread-safe.
#pragma once
#include "base/bvh.h"
#include <atomic>
#include <limits>
#include <memory>
#include <string>

namespace tess {

struct SizeReason {
  double size = 0;
  int rule = -1; ///< rule index, or one of the reasons below
};
constexpr int kReasonOverall = -1, kReasonTurn = -2, kReasonShortEdge = -3, kReasonNarrowFace = -4, kReasonMesher = -5,
              kReasonSlender = -6;

/// A region of space with a size. The distance to it is 0 inside.
struct Zone {
  enum class Kind { Box, Sphere, Cylinder, Cone } kind = Kind::Box;
  Vec3 a = Vec3::Zero(), b = Vec3::Zero(); ///< corners of a box, centre of a sphere (a), ends of an axis
  double radius = 0, radiusEnd = 0;        ///< of sphere or cylinder; of a cone at a and at b
  double distance(const Vec3& x) const;
  Box box() const;
};

class SizeField {
public:
  /// `slope` is the growth of size per distance.
  SizeField(double overall, double slope) : m_overall(overall), m_slope(slope) {}
  /// Where thin walls made the size smaller so that elements are not flat there.
  struct Slender {
    double finest = std::numeric_limits<double>::infinity();
    std::vector<Vec3> places; ///< the thinnest ones, at most 50
  } slender;
  /// A source that others cover may be dropped unless `keep`; `reach` is the distance from it at which growth begins.
  void addPoint(const Vec3& p, double size, int rule, double reach = 0) { add({p, p, p}, size, rule, reach, false); }
  void addSegment(const Vec3& a, const Vec3& b, double size, int rule) { add({a, b, b}, size, rule, 0, rule >= 0); }
  void addTriangle(const Vec3& a, const Vec3& b, const Vec3& c, double size, int rule, double reach = 0) {
    add({a, b, c}, size, rule, reach, rule >= 0 && reach == 0);
  }
  void addZone(const Zone& zone, double size, int rule) { m_zones.push_back({zone, size, rule}); }
  /// Size inside a body, wherever the body is known.
  void setBodySize(int body, double size, int rule);
  /// Drops sources that others make redundant and builds the tree; needed before queries. Cost O(n log n).
  void build();
  /// Size at p; `body` >= 0 also applies that body's own size.
  double at(const Vec3& p, int body = -1) const;
  /// Largest size allowed in a body by its own rule; a very large number without one.
  double bodySize(int body) const {
    return body >= 0 && static_cast<std::size_t>(body) < m_body.size() ? m_body[static_cast<std::size_t>(body)].size
                                                                       : std::numeric_limits<double>::max();
  }
  /// A copy for places that are asked for once each, far from one another: it goes through the tree of all sources
  /// every time, where the other would first build what only pays when more places follow near by.
  SizeField forScatteredPlaces() const {
    SizeField f = *this;
    f.m_cells.reset({});
    return f;
  }
  /// Size at p with the rule that decides it.
  SizeReason deciding(const Vec3& p, int body = -1) const;
  /// The deciding reason first, then the runners-up (at most `most`), each with the size it asks for at p.
  std::vector<SizeReason> explain(const Vec3& p, int body = -1, int most = 3) const;
  std::size_t sourceCount() const { return m_sources.size() + m_zones.size(); }
  double overall() const { return m_overall; }
  double slope() const { return m_slope; }
  double smallest() const;

private:
  struct Source {
    std::array<Vec3, 3> p;
    double size;
    double reach;
    int rule;
    bool keep;
    double distance(const Vec3& x) const;
  };
  struct ZoneSize {
    Zone zone;
    double size;
    int rule;
  };
  double m_overall, m_slope;
  std::vector<Source> m_sources;
  std::vector<ZoneSize> m_zones;
  std::vector<SizeReason> m_body;
  Bvh m_tree;
  std::vector<double> m_nodeMin;
  /// Octree of the space around the sources, grown where queries fall. A copy of a field starts with an empty one.
  class Cells {
  public:
    Cells() = default;
    Cells(const Cells& o) : m_box(o.m_box) {}
    Cells& operator=(const Cells& o) {
      reset(o.m_box);
      return *this;
    }
    ~Cells() { reset({}); }
    void reset(const Box& box);
    bool used() const { return !m_box.empty(); }
    /// The sources that can decide at p, rising; null when the tree of all has to be asked.
    const std::vector<int>* at(const SizeField& field, const Vec3& p) const;

  private:
    struct Cell;
    Box m_box;
    mutable std::atomic<Cell*> m_root{nullptr};
    mutable std::atomic<int> m_count{0};
    Cell* grow(std::atomic<Cell*>& place, const Cell* parent, const SizeField& field, const Vec3& centre,
               double radius) const;
  };
  Cells m_cells;
  double valueOf(int source, const Vec3& p) const {
    const Source& s = m_sources[static_cast<std::size_t>(source)];
    return s.size + m_slope * s.distance(p);
  }
  void add(std::array<Vec3, 3> p, double size, int rule, double reach, bool keep);
  void rebuild();
  /// The source of the smallest size at p, when that is below `best`, which it becomes; with `first` the one with the
  /// smallest number where several have it, as the cells tell it, whether they were asked or not.
  int nearest(const Vec3& p, double& best, bool first = false) const;
};

} // namespace tess
