// SPDX-License-Identifier: GPL-3.0-or-later
// One answer to "how large may an element be here?". All rules end as sources (points, segments, triangles) with a
// size; the field is h(x) = min(target, min_i(h_i + slope * distance(x, source_i))), which is the smallest field that
// honours the sources and never grows faster than the growth ratio allows in true distance. Queries prune a box tree
// by a lower bound; they are exact, const and thread-safe.
#pragma once
#include "base/bvh.h"
#include "geometry/part.h"

namespace tess {

/// Edges and faces narrower than the tolerance are bridged by the mesher, so they ask for no size of their own.
struct Bridging {
  double tolerance = 0;                 ///< length; 0: nothing is bridged
  std::vector<char> keepFace, keepEdge; ///< per part face and edge: never bridged; empty: none
};

/// Overall request; lengths in the part's unit, 0 = derived from `target`.
struct SizeSettings {
  double target = 0;   ///< mean edge length
  double minimum = 0;  ///< bounds what is derived from shape; default target / 10
  double maximum = 0;  ///< default target
  double growth = 1.3; ///< size ratio of neighbouring elements
  double turnDeg = 30; ///< turn per element on curved edges and faces; 0 = off
  Bridging bridging;   ///< tolerance < 0: a fiftieth of the target
  SizeSettings resolved() const;
};

/// A size asked for on entities of one kind.
struct LocalSize {
  Dim dim = Dim::Face;
  std::vector<int> entities;
  double size = 0;
  int rule = -1; ///< index of the rule that asks, for explanations
};

struct SizeReason {
  double size = 0;
  int rule = -1; ///< rule index, or one of the reasons below
};
constexpr int kReasonOverall = -1, kReasonTurn = -2, kReasonShortEdge = -3, kReasonNarrowFace = -4, kReasonMesher = -5;

class SizeField {
public:
  /// `slope` is the growth of size per distance.
  SizeField(double overall, double slope) : m_overall(overall), m_slope(slope) {}
  Bridging bridging;
  void addPoint(const Vec3& p, double size, int rule) { add({p, p, p}, size, rule); }
  void addSegment(const Vec3& a, const Vec3& b, double size, int rule) { add({a, b, b}, size, rule); }
  void addTriangle(const Vec3& a, const Vec3& b, const Vec3& c, double size, int rule) { add({a, b, c}, size, rule); }
  /// Size inside a body, wherever the body is known.
  void setBodySize(int body, double size, int rule);
  /// Drops sources that others make redundant and builds the tree; needed before queries. Cost O(n log n).
  void build();
  /// Size at p; `body` >= 0 also applies that body's own size.
  double at(const Vec3& p, int body = -1) const;
  /// Size at p with the rule that decides it.
  SizeReason deciding(const Vec3& p, int body = -1) const;
  /// The deciding reason first, then the runners-up (at most `most`), each with the size it asks for at p.
  std::vector<SizeReason> explain(const Vec3& p, int body = -1, int most = 3) const;
  std::size_t sourceCount() const { return m_sources.size(); }
  double overall() const { return m_overall; }
  double smallest() const;

private:
  struct Source {
    std::array<Vec3, 3> p;
    double size;
    int rule;
    double distance(const Vec3& x) const;
  };
  double m_overall, m_slope;
  std::vector<Source> m_sources;
  std::vector<SizeReason> m_body;
  Bvh m_tree;
  std::vector<double> m_nodeMin;
  void add(std::array<Vec3, 3> p, double size, int rule);
  void rebuild();
  int nearest(const Vec3& p, double& best) const;
};

/// The field of a part from the overall request, its shape and local sizes.
SizeField makeSizeField(const Part& part, const SizeSettings& settings, const std::vector<LocalSize>& local);

} // namespace tess
