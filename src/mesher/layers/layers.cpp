// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesher/layers/layers.h"
#include "base/bvh.h"
#include "base/edge_key.h"
#include "base/least_norm.h"
#include "base/parallel.h"
#include "mesher/layers/side_face.h"
#include <cmath>
#include <map>
#include <queue>
#include <set>
#include <spdlog/spdlog.h>
#include <unordered_map>

namespace tess {
namespace {

/// Faces that tops and far sides are: shape questions go to the face of the part that they come from.
class LayeredShape : public Shape {
public:
  LayeredShape(std::shared_ptr<const Shape> shape, int faces, std::vector<int> from)
      : m_shape(std::move(shape)), m_faces(faces), m_from(std::move(from)) {}
  Vec3 edgePoint(int edge, double t) const override { return m_shape->edgePoint(edge, t); }
  double edgeCurvature(int edge, double t) const override { return m_shape->edgeCurvature(edge, t); }
  EdgeProjection projectToEdge(int edge, const Vec3& p) const override { return m_shape->projectToEdge(edge, p); }
  FaceProjection projectToFace(int face, const Vec3& p) const override {
    return m_shape->projectToFace(face < m_faces ? face : m_from[static_cast<std::size_t>(face - m_faces)], p);
  }
  Result<Tessellation> tessellate(double deflection, double angleRad, const Progress* progress) const override {
    return m_shape->tessellate(deflection, angleRad, progress);
  }

private:
  std::shared_ptr<const Shape> m_shape;
  int m_faces;
  std::vector<int> m_from;
};

constexpr double kRidge = 0.5;                  ///< least cosine between a column and the walls at its foot
constexpr double kSideLow = 0.6427876096865394; ///< cosine of 50 degrees, between a wall and the face beside it
constexpr int kNever = std::numeric_limits<int>::max();

struct Column {
  LayerColumn told;
  Vec3 at = Vec3::Zero(), along = Vec3::Zero();
  double stretch = 1; ///< way along the column per height across the walls
  double first = 0;
  int count = 0;
  double length = 0;  ///< mean of the walls' edges here
  int slideFace = -1; ///< on which it lies, with its side towards the body
  int slideSide = 0;
  Vec3 beside = Vec3::Zero(); ///< normal of that face at the foot
  int slideEdge = -1;
  bool edgeStart = true;     ///< whether its foot is where that edge begins
  std::vector<Vec3> normals; ///< of the walls at its foot, into the body
  std::vector<Vec3> slid;    ///< places of its levels where it is not straight
  int top = -1;              ///< point of the layered surface; the foot where there are no layers
  int firstShared = -1;      ///< of its levels below the top, where others than cells need them
  int firstOwn = -1;         ///< else: among the body's own points
};

class Grower {
public:
  Grower(const Part& part, const MeshPlan& plan, const SurfaceMesh& surface, const std::vector<LayersLower>& lower,
         const Progress& progress)
      : m_part(part), m_plan(plan), m(surface), m_progress(progress), m_lower(lower) {}

  LayeredSurface run() {
    heightsOfStacks();
    findColumns();
    findNeighbours();
    for (auto& c : m_columns) aim(c);
    leanWithNeighbours();
    for (std::size_t i = 0; i < m_columns.size(); ++i) ask(static_cast<int>(i));
    roomAcross();
    lowerAtPlaces();
    settle();
    return assembled();
  }

private:
  const Part& m_part;
  const MeshPlan& m_plan;
  const SurfaceMesh& m;
  const Progress& m_progress;
  const std::vector<LayersLower>& m_lower;
  std::vector<Column> m_columns;
  std::vector<std::array<int, 3>> m_columnOf; ///< per side of a triangle (2 * triangle + side) and corner; -1 none
  std::vector<int> m_walls;                   ///< sides with a stack, all of whose corners have columns
  std::vector<std::vector<int>> m_next;       ///< per column: neighbours along walls
  std::vector<std::vector<double>> m_unit;    ///< per stack: height of i layers over that of the first
  std::vector<Vec3> m_points;                 ///< of the surface, moved ones among them, then tops
  std::set<std::pair<int, int>> m_sideFaces;  ///< face and side at which stacks end
  std::map<std::pair<int, int>, std::vector<std::array<int, 3>>> m_rest; ///< their triangles now
  std::map<int, std::vector<int>> m_chain;                               ///< nodes of edges along which columns lie

  int bodyOf(int side) const {
    const int b = m_part.faces[static_cast<std::size_t>(m.face[static_cast<std::size_t>(side / 2)])]
                      .bodies[static_cast<std::size_t>(side & 1)];
    return b >= 0 && !m_plan.structured(b) ? b : -1;
  }
  int stackOf(int side) const {
    if (bodyOf(side) < 0) return -1;
    return m_plan.layers.ofFace[static_cast<std::size_t>(m.face[static_cast<std::size_t>(side / 2)])]
                               [static_cast<std::size_t>(side & 1)];
  }
  const std::array<int, 3>& tri(int side) const { return m.triangles[static_cast<std::size_t>(side / 2)]; }
  const Vec3& pt(int v) const { return m.points[static_cast<std::size_t>(v)]; }
  Column& col(int c) { return m_columns[static_cast<std::size_t>(c)]; }
  const Column& col(int c) const { return m_columns[static_cast<std::size_t>(c)]; }
  /// Into the body on that side.
  Vec3 normalOf(int side) const {
    const auto& t = tri(side);
    const Vec3 n = triangleNormal(pt(t[0]), pt(t[1]), pt(t[2]));
    return side & 1 ? n : Vec3(-n);
  }

  void heightsOfStacks() {
    for (const auto& s : m_plan.layers.stacks) {
      std::vector<double> z{0};
      double step = 1;
      for (int i = 0; i < std::max(s.count, s.most); ++i, step *= s.ratio) z.push_back(z.back() + step);
      m_unit.push_back(std::move(z));
    }
  }
  double height(const Column& c, int layers) const {
    return c.first * m_unit[static_cast<std::size_t>(c.told.stack)][static_cast<std::size_t>(layers)];
  }
  Vec3 level(const Column& c, int layer) const {
    if (layer == 0) return c.at;
    if (!c.slid.empty()) return c.slid[static_cast<std::size_t>(layer)];
    return c.at + c.stretch * height(c, layer) * c.along;
  }

  /// One column per node, body and fan of its faces there.
  void findColumns() {
    const std::size_t sides = 2 * m.triangles.size();
    m_columnOf.assign(sides, {-1, -1, -1});
    std::vector<char> layered(m_part.bodies.size(), 0), atWall(m.points.size(), 0);
    for (std::size_t s = 0; s < sides; ++s)
      if (stackOf(static_cast<int>(s)) >= 0) {
        layered[static_cast<std::size_t>(bodyOf(static_cast<int>(s)))] = 1;
        for (int v : tri(static_cast<int>(s))) atWall[static_cast<std::size_t>(v)] = 1;
      }
    std::vector<std::size_t> begin(m.points.size() + 1, 0);
    auto forCorners = [&](auto&& visit) {
      for (std::size_t s = 0; s < sides; ++s) {
        const int b = bodyOf(static_cast<int>(s));
        if (b < 0 || !layered[static_cast<std::size_t>(b)]) continue;
        for (int v : tri(static_cast<int>(s)))
          if (atWall[static_cast<std::size_t>(v)]) visit(static_cast<std::size_t>(v), static_cast<int>(s));
      }
    };
    forCorners([&](std::size_t v, int) { ++begin[v + 1]; });
    for (std::size_t v = 0; v < m.points.size(); ++v) begin[v + 1] += begin[v];
    std::vector<int> list(begin.back());
    auto fill = begin;
    forCorners([&](std::size_t v, int s) { list[fill[v]++] = s; });
    m_progress.check();
    for (std::size_t v = 0; v < m.points.size(); ++v)
      if (begin[v] < begin[v + 1])
        columnsAt(static_cast<int>(v), {list.begin() + static_cast<std::ptrdiff_t>(begin[v]),
                                        list.begin() + static_cast<std::ptrdiff_t>(begin[v + 1])});
    for (std::size_t s = 0; s < sides; ++s)
      if (stackOf(static_cast<int>(s)) >= 0) m_walls.push_back(static_cast<int>(s));
  }

  void columnsAt(int v, std::vector<int> sides) {
    std::stable_sort(sides.begin(), sides.end(), [&](int a, int b) { return bodyOf(a) < bodyOf(b); });
    for (std::size_t from = 0, to; from < sides.size(); from = to) {
      for (to = from; to < sides.size() && bodyOf(sides[to]) == bodyOf(sides[from]);) ++to;
      // Fans: sides that share an edge at v.
      std::vector<int> fan(to - from);
      for (std::size_t k = 0; k < fan.size(); ++k) fan[k] = static_cast<int>(k);
      auto root = [&](int k) {
        while (fan[static_cast<std::size_t>(k)] != k) k = fan[static_cast<std::size_t>(k)];
        return k;
      };
      std::map<int, std::vector<int>> byEdge;
      for (std::size_t k = 0; k < fan.size(); ++k)
        for (int w : tri(sides[from + k]))
          if (w != v) byEdge[w].push_back(static_cast<int>(k));
      std::set<int> torn; // fans with an edge at which more than two sides of the body meet
      for (const auto& [w, at] : byEdge)
        for (std::size_t k = 1; k < at.size(); ++k) fan[static_cast<std::size_t>(root(at[k]))] = root(at[0]);
      for (const auto& [w, at] : byEdge)
        if (at.size() != 2) torn.insert(root(at[0]));
      std::map<int, std::vector<int>> fans;
      for (std::size_t k = 0; k < fan.size(); ++k) fans[root(static_cast<int>(k))].push_back(sides[from + k]);
      for (const auto& [r, members] : fans) addColumn(v, members, torn.count(r) > 0);
    }
  }

  void addColumn(int v, const std::vector<int>& sides, bool torn) {
    Column c;
    c.told.node = v;
    c.told.body = bodyOf(sides.front());
    c.at = pt(v);
    std::set<std::pair<int, int>> beside; // faces without layers, with their side
    double length = 0;
    int edges = 0;
    for (int s : sides) {
      const int stack = stackOf(s);
      if (stack < 0) {
        beside.insert({m.face[static_cast<std::size_t>(s / 2)], s & 1});
        continue;
      }
      c.normals.push_back(normalOf(s));
      for (int w : tri(s))
        if (w != v) length += (pt(w) - c.at).norm(), ++edges;
      // Where stacks meet, the lower first height holds.
      if (c.told.stack < 0 || stack < c.told.stack) c.told.stack = stack;
    }
    if (c.normals.empty()) return;
    c.length = length / edges;
    c.first = 1e300;
    for (int s : sides)
      if (stackOf(s) >= 0) {
        const LayerStack& stack = m_plan.layers.stacks[static_cast<std::size_t>(stackOf(s))];
        c.first = std::min(c.first, stack.first > 0 ? stack.first : stack.share * c.length);
      }
    const int id = static_cast<int>(m_columns.size());
    for (int s : sides)
      for (std::size_t k = 0; k < 3; ++k)
        if (tri(s)[k] == v) m_columnOf[static_cast<std::size_t>(s)][k] = id;
    c.told.source = id;
    if (torn) c.told.cause = LayerCause::Corner;
    if (beside.size() == 1) {
      c.slideFace = beside.begin()->first;
      c.slideSide = beside.begin()->second;
    } else if (beside.size() == 2)
      slideOnEdge(c, beside.begin()->first, std::next(beside.begin())->first);
    else if (beside.size() > 2)
      c.told.cause = LayerCause::Side;
    for (const auto& [f, s] : beside) {
      const PartFace& face = m_part.faces[static_cast<std::size_t>(f)];
      // Its triangles have to change, and it must not carry layers itself, on its other side.
      const bool frozen = !m.frozen.empty() && m.frozen[static_cast<std::size_t>(f)];
      const bool wall = m_plan.layers.ofFace[static_cast<std::size_t>(f)][static_cast<std::size_t>(1 - s)] >= 0;
      if (frozen || wall || (face.bodies[0] == face.bodies[1])) c.told.cause = LayerCause::Side;
    }
    m_columns.push_back(std::move(c));
  }

  /// A column at a corner of two faces beside walls lies on the edge between them.
  void slideOnEdge(Column& c, int f, int g) {
    c.told.cause = LayerCause::Side;
    for (int e : m_part.faces[static_cast<std::size_t>(f)].edges) {
      const auto& faces = m_part.edges[static_cast<std::size_t>(e)].faces;
      if (faces.size() != 2 || std::find(faces.begin(), faces.end(), g) == faces.end()) continue;
      const auto& chain = m.edgeNodes[static_cast<std::size_t>(e)];
      if (chain.size() < 2 || chain.front() == chain.back()) continue;
      if (chain.front() != c.told.node && chain.back() != c.told.node) continue;
      c.told.cause = LayerCause::None;
      c.slideEdge = e;
      c.edgeStart = chain.front() == c.told.node;
      const Vec3& next = pt(c.edgeStart ? chain[1] : chain[chain.size() - 2]);
      c.along = (next - c.at).normalized();
      return;
    }
  }

  void findNeighbours() {
    m_next.resize(m_columns.size());
    for (int s : m_walls) {
      const auto& c = m_columnOf[static_cast<std::size_t>(s)];
      for (std::size_t k = 0; k < 3; ++k)
        for (std::size_t j = 1; j < 3; ++j) m_next[static_cast<std::size_t>(c[k])].push_back(c[(k + j) % 3]);
    }
    for (auto& l : m_next) {
      std::sort(l.begin(), l.end());
      l.erase(std::unique(l.begin(), l.end()), l.end());
    }
  }

  static double least(const Column& c, const Vec3& along) {
    double r = 1;
    for (const Vec3& n : c.normals) r = std::min(r, n.dot(along));
    return r;
  }
  /// The direction that suits all walls at the foot best.
  void aim(Column& c) const {
    if (c.slideEdge >= 0) {
      if (least(c, c.along) < kRidge) lean(c, least(c, c.along));
      return;
    }
    if (c.told.cause != LayerCause::None) return;
    if (c.slideFace < 0) {
      c.along = leastNorm(c.normals);
      if (c.along.norm() < kRidge) return sharp(c);
      c.along.normalize();
      return;
    }
    c.beside = m_part.shape->projectToFace(c.slideFace, c.at).normal;
    const Vec3& beside = c.beside;
    std::vector<Vec3> within;
    for (const Vec3& n : c.normals) {
      if (std::abs(n.dot(beside)) > kSideLow) return lean(c, std::sqrt(1 - std::pow(n.dot(beside), 2)));
      within.push_back((n - n.dot(beside) * beside).normalized());
    }
    c.along = leastNorm(within);
    if (!(c.along.norm() > 1e-6)) return sharp(c);
    c.along.normalize();
    if (least(c, c.along) < kRidge) sharp(c);
  }
  static void sharp(Column& c) {
    c.told.cause = LayerCause::Corner;
    double widest = 1;
    for (const Vec3& a : c.normals)
      for (const Vec3& b : c.normals) widest = std::min(widest, a.dot(b));
    c.told.value = 180 - std::acos(std::clamp(widest, -1.0, 1.0)) * 180 / kPi;
  }
  static void lean(Column& c, double cosine) {
    c.told.cause = LayerCause::SideLean;
    c.told.value = 90 - std::acos(std::clamp(cosine, -1.0, 1.0)) * 180 / kPi;
  }

  int asked(const Column& c) const {
    LayerStack s = m_plan.layers.stacks[static_cast<std::size_t>(c.told.stack)];
    s.first = c.first; // the lower one where stacks meet
    return askedLayers(s, c.length);
  }

  /// Columns lean away from concave corners, over about three heights of a stack: else those at the corner, which go
  /// along the bisector, would meet their neighbours. A screened Laplace equation on directions.
  void leanWithNeighbours() {
    std::vector<double> own(m_columns.size());
    std::vector<char> held(m_columns.size(), 0);
    bool any = false;
    for (std::size_t i = 0; i < m_columns.size(); ++i) {
      const Column& c = m_columns[i];
      constexpr double kEven = 0.94; // cosine: 20 degrees
      const double reach = 3 * height(c, asked(c)) / c.length;
      own[i] = 1 / std::max(1e-9, reach * reach);
      held[i] = c.told.cause != LayerCause::None || c.slideEdge >= 0;
      if (!held[i] && least(c, c.along) < kEven) held[i] = 1, any = true;
    }
    if (!any) return;
    std::vector<Vec3> base(m_columns.size()), now(m_columns.size());
    for (std::size_t i = 0; i < m_columns.size(); ++i) base[i] = now[i] = m_columns[i].along;
    for (int round = 0; round < 30; ++round) {
      m_progress.check();
      const auto was = now;
      parallelFor(m_columns.size(), &m_progress, [&](std::size_t i) {
        if (held[i] || own[i] > 4) return;
        Vec3 sum = own[i] * base[i];
        double weight = own[i];
        for (int n : m_next[i])
          if (m_columns[static_cast<std::size_t>(n)].told.cause == LayerCause::None) {
            const double w = 1.0 / static_cast<double>(m_next[i].size());
            sum += w * was[static_cast<std::size_t>(n)];
            weight += w;
          }
        const Column& c = m_columns[i];
        if (c.slideFace >= 0) sum -= sum.dot(c.beside) * c.beside;
        if (sum.norm() > 1e-9) now[i] = sum.normalized();
      });
    }
    for (std::size_t i = 0; i < m_columns.size(); ++i) {
      Column& c = m_columns[i];
      if (!held[i] && least(c, now[i]) >= kRidge) c.along = now[i];
    }
  }

  void ask(int id) {
    Column& c = col(id);
    c.told.asked = asked(c);
    if (c.told.cause != LayerCause::None) return;
    // The height across the walls is what was asked for, on average over them.
    double mean = 0;
    for (const Vec3& n : c.normals) mean += n.dot(c.along) / static_cast<double>(c.normals.size());
    c.stretch = 1 / std::max(mean, 0.3);
    c.count = c.told.asked;
    // A layer far higher than its triangles are wide has nothing to hold on to.
    constexpr double kHigh = 2;
    while (c.count > 0 && height(c, c.count) - height(c, c.count - 1) > kHigh * c.length) --c.count;
    if (c.count < c.told.asked) c.told.cause = LayerCause::Fine, c.told.value = c.length;
    const bool flat =
        c.slideFace >= 0 && m_part.faces[static_cast<std::size_t>(c.slideFace)].kind == SurfaceKind::Plane;
    if (c.slideEdge < 0 && (c.slideFace < 0 || flat)) return;
    std::vector<Vec3> slid{c.at};
    Vec3 along = c.along;
    for (int i = 1; i <= c.count; ++i) {
      const double step = c.stretch * (height(c, i) - height(c, i - 1));
      const Vec3 guess = slid.back() + step * along;
      Vec3 next = c.slideEdge >= 0 ? m_part.shape->projectToEdge(c.slideEdge, guess).point
                                   : m_part.shape->projectToFace(c.slideFace, guess).point;
      if ((next - slid.back()).norm() < 0.5 * step || (next - guess).norm() > 0.5 * step) {
        c.count = i - 1; // the edge or face ends
        c.told.cause = LayerCause::Gap;
        c.told.value = (slid.back() - c.at).norm();
        break;
      }
      along = (next - slid.back()).normalized();
      slid.push_back(next);
    }
    c.slid = std::move(slid);
  }

  /// What lies across leaves both sides a part of the way, and cells between them some.
  void roomAcross() {
    std::vector<Box> boxes(m.triangles.size());
    for (std::size_t i = 0; i < boxes.size(); ++i)
      for (int v : m.triangles[i]) boxes[i].add(pt(v));
    const Bvh tree(boxes);
    parallelFor(
        m_columns.size(), &m_progress,
        [&](std::size_t i) {
          Column& c = m_columns[i];
          if (c.count == 0) return;
          const double total = c.stretch * height(c, c.count);
          double reach = 3 * total + c.length;
          int hit = -1;
          tree.alongRay(c.at, c.along, reach, [&](int t) {
            const auto& q = m.triangles[static_cast<std::size_t>(t)];
            if (q[0] == c.told.node || q[1] == c.told.node || q[2] == c.told.node) return;
            const double d = rayTriangle(c.at, c.along, pt(q[0]), pt(q[1]), pt(q[2]));
            if (d > 1e-9 * c.length && d < reach) reach = d, hit = t;
          });
          if (hit < 0) return;
          const Vec3 n = normalOf(2 * hit + 1);
          const bool wall = stackOf(2 * hit + (n.dot(c.along) < 0 ? 1 : 0)) >= 0;
          const double most =
              wall ? std::max(0.5 * (reach - c.length), reach / 3) : std::max(reach - c.length, 0.5 * reach);
          limit(c, most, LayerCause::Gap, reach);
        },
        256);
  }
  /// No more layers than fit into a way along the column.
  void limit(Column& c, double most, LayerCause cause, double value) const {
    int n = c.count;
    while (n > 0 && c.stretch * height(c, n) > most) --n;
    if (n == c.count) return;
    c.count = n;
    c.told.cause = cause;
    c.told.value = value;
  }

  void lowerAtPlaces() {
    for (const auto& l : m_lower)
      for (auto& c : m_columns)
        if (c.count > 0 && (c.at - l.at).norm() < l.within + c.stretch * height(c, c.count)) {
          c.count -= std::max(1, c.told.asked / 3);
          c.count = std::max(0, c.count);
          c.told.cause = LayerCause::Filling;
        }
  }

  /// Neighbours differ by a step at most, so that a stack goes from full to none over some rings.
  void boundSteps() {
    std::queue<int> todo;
    std::vector<char> waits(m_columns.size(), 1);
    for (std::size_t i = 0; i < m_columns.size(); ++i) todo.push(static_cast<int>(i));
    while (!todo.empty()) {
      const int i = todo.front();
      todo.pop();
      waits[static_cast<std::size_t>(i)] = 0;
      const Column& c = col(i);
      for (int n : m_next[static_cast<std::size_t>(i)]) {
        Column& d = col(n);
        const int most = c.count + std::max(1, std::min(c.told.asked, d.told.asked) / 4);
        if (d.count <= most) continue;
        d.count = most;
        if (c.told.asked > c.count) {
          d.told.cause = c.told.cause;
          d.told.value = c.told.value;
          d.told.source = c.told.source;
        } else if (m_plan.layers.stacks[static_cast<std::size_t>(d.told.stack)].count == 0)
          d.told.asked = most; // its number is free: fewer do beside shorter edges
        else {
          d.told.cause = LayerCause::Beside;
          d.told.value = c.count;
          d.told.source = n;
        }
        if (!waits[static_cast<std::size_t>(n)]) waits[static_cast<std::size_t>(n)] = 1, todo.push(n);
      }
    }
  }

  /// Counts fall until nothing is inverted and nothing meets.
  void settle() {
    for (int round = 0;; ++round) {
      m_progress.check();
      boundSteps();
      std::vector<int> most(m_columns.size(), kNever);
      LayerCause cause = LayerCause::Folded;
      if (!foldedCells(most)) {
        placeTops();
        cause = LayerCause::Side;
        if (!fillSideFaces(most)) {
          cause = LayerCause::Crossing;
          if (!crossings(most)) {
            spdlog::debug("layers: settled after {} rounds", round);
            return;
          }
        }
      }
      std::size_t lowered = 0;
      for (std::size_t i = 0; i < m_columns.size(); ++i) {
        Column& c = m_columns[i];
        if (most[i] >= c.count) continue;
        c.count = std::max(0, most[i]);
        c.told.cause = cause;
        c.told.source = static_cast<int>(i);
        ++lowered;
      }
      spdlog::debug("layers: round {}: {} columns lower, {}", round, lowered, static_cast<int>(cause));
    }
  }

  /// Corners of a wall's triangle, counter-clockwise seen from the body, by their columns.
  std::array<int, 3> columnsOf(int side) const {
    auto c = m_columnOf[static_cast<std::size_t>(side)];
    if (!(side & 1)) std::swap(c[1], c[2]);
    return c;
  }
  /// Whether the cells of one layer over a wall's triangle are well turned.
  bool good(const std::array<int, 3>& cs, int layer) const {
    std::array<Vec3, 3> a, b;
    std::array<bool, 3> grows;
    for (std::size_t k = 0; k < 3; ++k) {
      const Column& c = col(cs[k]);
      grows[k] = c.count > layer;
      a[k] = level(c, std::min(layer, c.count));
      b[k] = grows[k] ? level(c, layer + 1) : a[k];
    }
    // Against the walls' own triangle: upright, and no more than turned by two thirds of a right angle.
    const Vec3 base = (col(cs[1]).at - col(cs[0]).at).cross(col(cs[2]).at - col(cs[0]).at).normalized();
    constexpr double kTurn = 0.3, kShrink = 0.1, kUp = 0.1;
    const Vec3 top = (b[1] - b[0]).cross(b[2] - b[0]);
    const double area = (col(cs[1]).at - col(cs[0]).at).cross(col(cs[2]).at - col(cs[0]).at).norm();
    if (grows[0] && grows[1] && grows[2] && (top.dot(base) < kTurn * top.norm() || top.norm() < kShrink * area))
      return false;
    if (top.dot(base) < kShrink * kTurn * area) return false;
    for (std::size_t k = 0; k < 3; ++k) {
      if (!grows[k]) continue;
      const Vec3 up = b[k] - a[k];
      const std::size_t j = (k + 1) % 3, i = (k + 2) % 3;
      // At the foot and at the head of the column's piece.
      const Vec3 low = (a[j] - a[k]).cross(a[i] - a[k]), high = (b[j] - b[k]).cross(b[i] - b[k]);
      if (low.dot(up) < kUp * low.norm() * up.norm()) return false;
      // Where a neighbour ends, what comes together at the head are its sides only.
      if (grows[j] && grows[i] && high.dot(up) < kUp * high.norm() * up.norm()) return false;
      if (!(low.dot(up) > 0)) return false;
      const Vec3 mixed = (b[j] - b[k]).cross(a[i] - b[k]), other = (a[j] - b[k]).cross(b[i] - b[k]);
      if (grows[j] && !(mixed.dot(up) > 0)) return false;
      if (grows[i] && !(other.dot(up) > 0)) return false;
    }
    return true;
  }
  bool foldedCells(std::vector<int>& most) const {
    std::vector<int> bad(m_walls.size(), kNever);
    parallelFor(
        m_walls.size(), &m_progress,
        [&](std::size_t i) {
          const auto cs = columnsOf(m_walls[i]);
          const int high = std::max({col(cs[0]).count, col(cs[1]).count, col(cs[2]).count});
          for (int l = 0; l < high; ++l)
            if (!good(cs, l)) {
              bad[i] = l;
              return;
            }
        },
        256);
    bool any = false;
    for (std::size_t i = 0; i < bad.size(); ++i)
      if (bad[i] != kNever) {
        any = true;
        for (int c : columnsOf(m_walls[i])) {
          int& x = most[static_cast<std::size_t>(c)];
          x = std::min(x, bad[i]);
        }
      }
    return any;
  }

  void placeTops() {
    m_points = m.points;
    for (auto& c : m_columns) {
      c.top = c.told.node;
      if (c.count == 0) continue;
      c.top = static_cast<int>(m_points.size());
      m_points.push_back(level(c, c.count));
    }
  }

  /// Nodes of edges along which columns lie: those too near to a top go.
  void trimChains() {
    m_chain.clear();
    std::map<int, std::array<int, 2>> ends;
    for (std::size_t i = 0; i < m_columns.size(); ++i) {
      const Column& c = m_columns[i];
      if (c.slideEdge < 0 || c.count == 0) continue;
      auto [it, fresh] = ends.emplace(c.slideEdge, std::array<int, 2>{-1, -1});
      it->second[c.edgeStart ? 0 : 1] = static_cast<int>(i);
    }
    for (const auto& [e, at] : ends) {
      const auto& nodes = m.edgeNodes[static_cast<std::size_t>(e)];
      std::size_t from = 0, to = nodes.size(); // kept are [from, to)
      constexpr double kRoom = 0.6;            // of an edge, to the top
      auto far = [&](const Column& c, std::size_t k, std::size_t beside) {
        const double gap = (pt(nodes[k]) - pt(nodes[beside])).norm();
        return (pt(nodes[k]) - c.at).norm() > (level(c, c.count) - c.at).norm() + kRoom * gap;
      };
      if (at[0] >= 0) {
        from = 1;
        while (from + 1 < nodes.size() && !far(col(at[0]), from, from - 1)) ++from;
      }
      if (at[1] >= 0) {
        to = nodes.size() - 1;
        while (to > from && to > 1 && !far(col(at[1]), to - 1, to)) --to;
      }
      std::vector<int> chain;
      if (at[0] >= 0) chain.push_back(col(at[0]).top);
      for (std::size_t k = from; k < to; ++k) chain.push_back(nodes[k]);
      if (at[1] >= 0) chain.push_back(col(at[1]).top);
      m_chain[e] = std::move(chain);
    }
  }

  /// The triangles of faces at which stacks end. True where one cannot be, or its columns must be lower.
  bool fillSideFaces(std::vector<int>& most) {
    m_sideFaces.clear();
    m_rest.clear();
    trimChains();
    for (const auto& c : m_columns)
      if (c.count > 0) {
        if (c.slideFace >= 0) m_sideFaces.insert({c.slideFace, c.slideSide});
        if (c.slideEdge >= 0)
          for (int f : m_part.edges[static_cast<std::size_t>(c.slideEdge)].faces)
            for (int s = 0; s < 2; ++s)
              if (m_part.faces[static_cast<std::size_t>(f)].bodies[static_cast<std::size_t>(s)] == c.told.body)
                m_sideFaces.insert({f, s});
      }
    std::map<int, std::vector<int>> trianglesOf;
    for (const auto& [f, s] : m_sideFaces) trianglesOf[f] = {};
    for (std::size_t i = 0; i < m.triangles.size(); ++i)
      if (const auto it = trianglesOf.find(m.face[i]); it != trianglesOf.end())
        it->second.push_back(static_cast<int>(i));
    std::map<std::uint64_t, int> edgeAt;
    for (const auto& [e, chain] : m_chain) {
      const auto& nodes = m.edgeNodes[static_cast<std::size_t>(e)];
      for (std::size_t k = 0; k + 1 < nodes.size(); ++k) edgeAt[edgeKey(nodes[k], nodes[k + 1])] = e;
    }
    bool bad = false;
    for (auto it = m_sideFaces.begin(); it != m_sideFaces.end(); ++it) {
      m_progress.check();
      const auto [f, s] = *it;
      // Ends of stacks on both of its sides would have to be the same.
      const bool both = m_sideFaces.count({f, 1 - s}) > 0;
      if ((both && s == 1) || !fillSideFace(f, s, trianglesOf[f], edgeAt)) {
        bad = true;
        lowerAtSide(s, trianglesOf[f], both && s == 1, most);
      }
    }
    return bad;
  }
  void lowerAtSide(int s, const std::vector<int>& triangles, bool all, std::vector<int>& most) const {
    for (int i : triangles)
      for (int c : m_columnOf[static_cast<std::size_t>(2 * i + s)])
        if (c >= 0 && col(c).count > 0) {
          int& x = most[static_cast<std::size_t>(c)];
          x = std::min(x, all ? 0 : col(c).count - std::max(1, col(c).told.asked / 5));
        }
  }
  /// Directed edges of a face's outline with its triangle's side and corner.
  struct Rim {
    int a, b, ca, cb; ///< nodes, and their columns
  };
  /// Whether two columns are neighbours along a wall.
  bool rimOfWall(int a, int b) const {
    const auto& l = m_next[static_cast<std::size_t>(a)];
    return std::binary_search(l.begin(), l.end(), b);
  }
  std::vector<Rim> rimsOf(int s, const std::vector<int>& triangles) const {
    std::unordered_map<std::uint64_t, int> uses;
    for (int i : triangles)
      for (std::size_t k = 0; k < 3; ++k) ++uses[edgeKey(tri(2 * i)[k], tri(2 * i)[(k + 1) % 3])];
    std::vector<Rim> r;
    for (int i : triangles)
      for (std::size_t k = 0; k < 3; ++k) {
        const int a = tri(2 * i)[k], b = tri(2 * i)[(k + 1) % 3];
        if (uses[edgeKey(a, b)] != 1) continue;
        const auto& c = m_columnOf[static_cast<std::size_t>(2 * i + s)];
        r.push_back({a, b, c[k], c[(k + 1) % 3]});
      }
    return r;
  }
  bool fillSideFace(int f, int s, const std::vector<int>& triangles, const std::map<std::uint64_t, int>& edgeAt) {
    std::vector<std::array<int, 2>> outline;
    std::map<int, bool> trimmed; // edge -> whether the outline runs along it from its start
    for (const Rim& r : rimsOf(s, triangles)) {
      if (const auto it = edgeAt.find(edgeKey(r.a, r.b)); it != edgeAt.end()) {
        const auto& nodes = m.edgeNodes[static_cast<std::size_t>(it->second)];
        for (std::size_t k = 0; k + 1 < nodes.size(); ++k)
          if (edgeKey(nodes[k], nodes[k + 1]) == it->first) trimmed[it->second] = nodes[k] == r.a;
        continue;
      }
      const int a = r.ca >= 0 ? col(r.ca).top : r.a, b = r.cb >= 0 ? col(r.cb).top : r.b;
      // Where the wall ends at a point of the outline only, what runs on from there is no rim of layers.
      if (a != b) outline.push_back({a, b});
    }
    for (const auto& [e, forward] : trimmed) {
      const auto& chain = m_chain.at(e);
      for (std::size_t k = 0; k + 1 < chain.size(); ++k)
        if (forward)
          outline.push_back({chain[k], chain[k + 1]});
        else
          outline.push_back({chain[k + 1], chain[k]});
    }
    std::vector<std::array<int, 3>> before;
    for (int i : triangles) before.push_back(m.triangles[static_cast<std::size_t>(i)]);
    auto made = fillWithin(m_part, f, before, outline, m_points);
    if (!made) return false;
    m_rest[{f, s}] = std::move(*made);
    return true;
  }

  bool lifted(int side) const {
    if (stackOf(side) < 0) return false;
    for (int c : m_columnOf[static_cast<std::size_t>(side)])
      if (col(c).count > 0) return true;
    return false;
  }
  std::array<int, 3> topsOf(int side) const {
    std::array<int, 3> r;
    for (std::size_t k = 0; k < 3; ++k) r[k] = col(m_columnOf[static_cast<std::size_t>(side)][k]).top;
    return r;
  }
  bool remade(int face) const { return m_rest.count({face, 0}) || m_rest.count({face, 1}); }

  /// Whether tops meet something; columns there are to be lower.
  bool crossings(std::vector<int>& most) const {
    std::vector<std::array<int, 3>> all;
    std::vector<int> side; // of a top, else -1
    std::vector<char> fresh;
    for (std::size_t i = 0; i < m.triangles.size(); ++i) {
      if (remade(m.face[i])) continue;
      bool any = false, kept = false;
      for (int s = 0; s < 2; ++s) {
        const int id = static_cast<int>(2 * i) + s;
        if (lifted(id)) {
          any = true;
          all.push_back(topsOf(id));
          side.push_back(id);
          fresh.push_back(1);
        } else if (bodyOf(id) >= 0)
          kept = true;
      }
      if (!any || kept) {
        all.push_back(m.triangles[i]);
        side.push_back(-1);
        fresh.push_back(0);
      }
    }
    for (const auto& [key, triangles] : m_rest)
      for (const auto& t : triangles) all.push_back(t), side.push_back(-1), fresh.push_back(1);
    const auto found = findCrossings(m_points, all, SIZE_MAX, &m_progress, fresh);
    if (found.empty()) return false;
    bool any = false;
    auto lower = [&](int c) {
      if (col(c).count == 0) return;
      int& x = most[static_cast<std::size_t>(c)];
      x = std::min(x, col(c).count - std::max(1, col(c).told.asked / 5));
      any = true;
    };
    std::map<int, int> byTop;
    for (std::size_t i = 0; i < m_columns.size(); ++i)
      if (m_columns[i].count > 0) byTop[m_columns[i].top] = static_cast<int>(i);
    for (const auto& x : found)
      for (int t : {x.a, x.b}) {
        if (const int s = side[static_cast<std::size_t>(t)]; s >= 0)
          for (int c : m_columnOf[static_cast<std::size_t>(s)]) lower(c);
        else
          for (int v : all[static_cast<std::size_t>(t)])
            if (const auto it = byTop.find(v); it != byTop.end()) lower(it->second);
      }
    return any; // else the surface itself crosses, which is not for the layers to mend
  }

  LayeredSurface assembled();
  friend class Assembly;
};

/// Puts the parts together once all counts are known.
class Assembly {
public:
  explicit Assembly(Grower& grower) : g(grower), m_faces(static_cast<int>(grower.m_part.faces.size())) {}

  LayeredSurface run() {
    r.part = g.m_part;
    r.plan = g.m_plan;
    SurfaceMesh& s = r.surface;
    s = g.m;
    s.triangles.clear();
    s.face.clear();
    s.points = g.m_points;
    s.frozen.resize(g.m_part.faces.size(), 0);
    if (r.plan.faces.empty()) r.plan.faces.resize(g.m_part.faces.size());
    for (const auto& [e, chain] : g.m_chain) s.edgeNodes[static_cast<std::size_t>(e)] = chain;
    sharedNodes();
    ownNodes();
    triangles();
    sideFaces();
    cells();
    for (std::size_t v = g.m.points.size(); v < s.dim.size(); ++v)
      if (s.dim[v] == Dim::Body) s.dim[v] = Dim::Face, s.entity[v] = topFace(static_cast<int>(v));
    r.part.shape = std::make_shared<LayeredShape>(g.m_part.shape, m_faces, r.from);
    for (auto& c : g.m_columns) {
      c.told.got = c.count;
      c.told.first = c.count > 0 ? c.first : 0;
      c.told.height = g.height(c, c.count);
      if (c.told.got == c.told.asked) c.told.cause = LayerCause::None;
      r.columns.push_back(c.told);
    }
    return std::move(r);
  }

private:
  Grower& g;
  int m_faces;
  LayeredSurface r;
  std::map<std::array<int, 4>, int> m_own;
  std::map<int, std::size_t> m_cellsOf; ///< body -> place in r.cells
  std::unordered_map<int, int> m_topFace;
  int topFace(int v) const {
    const auto it = m_topFace.find(v);
    return it == m_topFace.end() ? m_faces : it->second;
  }

  /// A face as seen from some sides only. `kind` 0: top of a stack, 1: what is left of a wall or of an end.
  int ownFace(int face, int kind, const std::array<int, 2>& bodies) {
    auto [it, fresh] = m_own.emplace(std::array<int, 4>{face, kind, bodies[0], bodies[1]}, 0);
    if (!fresh) return it->second;
    it->second = static_cast<int>(r.part.faces.size());
    PartFace f = g.m_part.faces[static_cast<std::size_t>(face)];
    f.bodies = bodies;
    r.part.faces.push_back(std::move(f));
    FacePlan plan;
    plan.given = true;
    r.plan.faces.push_back(plan);
    r.surface.frozen.push_back(1);
    r.from.push_back(face);
    return it->second;
  }

  /// Levels of columns on faces and edges of the part: those faces' triangles need them.
  void sharedNodes() {
    SurfaceMesh& s = r.surface;
    s.dim.resize(s.points.size(), Dim::Body);
    s.entity.resize(s.points.size(), -1);
    for (auto& c : g.m_columns) {
      if (c.count == 0 || (c.slideFace < 0 && c.slideEdge < 0)) continue;
      const Dim dim = c.slideEdge >= 0 ? Dim::Edge : Dim::Face;
      const int entity = c.slideEdge >= 0 ? c.slideEdge : c.slideFace;
      s.dim[static_cast<std::size_t>(c.top)] = dim;
      s.entity[static_cast<std::size_t>(c.top)] = entity;
      c.firstShared = static_cast<int>(s.points.size());
      for (int l = 1; l < c.count; ++l) {
        s.points.push_back(g.level(c, l));
        s.dim.push_back(dim);
        s.entity.push_back(entity);
      }
    }
  }
  void ownNodes() {
    const int base = static_cast<int>(r.surface.points.size());
    for (auto& c : g.m_columns) {
      if (c.count == 0) continue;
      auto [it, fresh] = m_cellsOf.emplace(c.told.body, r.cells.size());
      if (fresh) r.cells.push_back({c.told.body, base, {}});
      auto& own = r.cells[it->second].cells.points;
      if (c.firstShared >= 0) continue;
      c.firstOwn = base + static_cast<int>(own.size());
      for (int l = 1; l < c.count; ++l) own.push_back(g.level(c, l));
    }
  }
  int node(const Column& c, int layer) const {
    if (layer == 0) return c.told.node;
    if (layer >= c.count) return c.top;
    return (c.firstShared >= 0 ? c.firstShared : c.firstOwn) + layer - 1;
  }

  bool tets(int body) const { return body >= 0 && !g.m_plan.structured(body); }
  void triangles() {
    const SurfaceMesh& m = g.m;
    for (std::size_t i = 0; i < m.triangles.size(); ++i) {
      const int f = m.face[i];
      if (g.remade(f)) continue;
      std::array<int, 2> bodies = g.m_part.faces[static_cast<std::size_t>(f)].bodies;
      bool any = false;
      for (int s = 0; s < 2; ++s) {
        const int id = static_cast<int>(2 * i) + s;
        if (!g.lifted(id)) continue;
        any = true;
        std::array<int, 2> own{-1, -1};
        own[static_cast<std::size_t>(s)] = bodies[static_cast<std::size_t>(s)];
        const int top = ownFace(f, 0, own);
        const auto t = g.topsOf(id);
        r.surface.addTriangle(t, top);
        for (int v : t) m_topFace[v] = top;
        bodies[static_cast<std::size_t>(s)] = -1;
      }
      if (!any) {
        r.surface.addTriangle(m.triangles[i], f);
        continue;
      }
      r.walls.addTriangle(m.triangles[i], f);
      if (tets(bodies[0]) || tets(bodies[1])) r.surface.addTriangle(m.triangles[i], ownFace(f, 1, bodies));
    }
  }

  /// Ends of stacks on the faces beside walls, and what is left of those.
  void sideFaces() {
    std::map<int, std::vector<int>> trianglesOf;
    for (const auto& [key, rest] : g.m_rest) trianglesOf[key.first] = {};
    for (std::size_t i = 0; i < g.m.triangles.size(); ++i)
      if (const auto it = trianglesOf.find(g.m.face[i]); it != trianglesOf.end())
        it->second.push_back(static_cast<int>(i));
    for (const auto& [key, rest] : g.m_rest) {
      const auto [f, s] = key;
      for (const auto& t : rest) r.surface.addTriangle(t, f);
      std::array<int, 2> bodies = g.m_part.faces[static_cast<std::size_t>(f)].bodies;
      bodies[static_cast<std::size_t>(s)] = -1;
      const int other = bodies[static_cast<std::size_t>(1 - s)];
      int beyond = -1;
      if (tets(other)) {
        beyond = ownFace(f, 1, bodies);
        r.plan.faces[static_cast<std::size_t>(beyond)].tetSide = s == 0 ? 1 : -1;
      }
      for (const auto& rim : g.rimsOf(s, trianglesOf[f])) {
        if (rim.ca < 0 || rim.cb < 0) continue;
        const Column &a = g.col(rim.ca), &b = g.col(rim.cb);
        if (!g.rimOfWall(rim.ca, rim.cb)) continue;
        const int low = std::min(a.count, b.count), high = std::max(a.count, b.count);
        for (int l = 0; l < high; ++l) {
          const int a0 = node(a, l), b0 = node(b, l), a1 = node(a, l + 1), b1 = node(b, l + 1);
          if (l < low) {
            const std::array<int, 4> q{a0, b0, b1, a1};
            r.walls.addTriangle({q[0], q[1], q[2]}, f);
            r.walls.addTriangle({q[0], q[2], q[3]}, f);
            r.walls.quads.push_back({q, f});
            if (beyond >= 0) r.surface.addQuad(q, beyond, s == 0 ? 1 : -1);
            continue;
          }
          const std::array<int, 3> t = a0 == a1 ? std::array<int, 3>{a0, b0, b1} : std::array<int, 3>{a0, b0, a1};
          r.walls.addTriangle(t, f);
          if (beyond >= 0) r.surface.addTriangle(t, beyond);
        }
      }
    }
  }

  void cells() {
    std::vector<std::array<std::vector<std::uint16_t>, 3>> layers(r.cells.size());
    for (int side : g.m_walls) {
      if (!g.lifted(side)) continue;
      const auto cs = g.columnsOf(side);
      const std::size_t at = m_cellsOf.at(g.col(cs[0]).told.body);
      StructuredCells& out = r.cells[at].cells;
      const int high = std::max({g.col(cs[0]).count, g.col(cs[1]).count, g.col(cs[2]).count});
      for (int l = 0; l < high; ++l) {
        std::array<int, 3> a, b;
        std::size_t grows = 0;
        for (std::size_t k = 0; k < 3; ++k) {
          a[k] = node(g.col(cs[k]), l);
          b[k] = node(g.col(cs[k]), l + 1);
          grows += a[k] != b[k];
        }
        const auto number = static_cast<std::uint16_t>(l + 1);
        if (grows == 3) {
          out.wedges.push_back({a[0], a[1], a[2], b[0], b[1], b[2]});
          layers[at][0].push_back(number);
        } else if (grows == 2) {
          std::size_t k = 0; // the one that has ended
          while (a[k] != b[k]) ++k;
          const std::size_t p = (k + 1) % 3, q = (k + 2) % 3;
          out.pyramids.push_back({a[p], b[p], b[q], a[q], a[k]});
          layers[at][1].push_back(number);
        } else {
          std::size_t k = 0;
          while (a[k] == b[k]) ++k;
          out.tetrahedra.push_back({a[k], a[(k + 1) % 3], a[(k + 2) % 3], b[k]});
          layers[at][2].push_back(number);
        }
      }
    }
    for (std::size_t i = 0; i < r.cells.size(); ++i)
      for (const auto& l : layers[i]) r.cells[i].cells.layer.insert(r.cells[i].cells.layer.end(), l.begin(), l.end());
  }
};

LayeredSurface Grower::assembled() { return Assembly(*this).run(); }

} // namespace

void LayeredSurface::putBack(SurfaceMesh& filled) const {
  const int faces = static_cast<int>(part.faces.size() - from.size());
  std::size_t kept = 0;
  for (std::size_t i = 0; i < filled.triangles.size(); ++i)
    if (filled.face[i] < faces) {
      filled.triangles[kept] = filled.triangles[i];
      filled.face[kept++] = filled.face[i];
    }
  filled.triangles.resize(kept);
  filled.face.resize(kept);
  std::erase_if(filled.quads, [&](const SurfaceQuad& q) { return q.face >= faces; });
  filled.frozen.resize(static_cast<std::size_t>(faces));
  for (std::size_t v = 0; v < filled.dim.size(); ++v)
    if (filled.dim[v] == Dim::Face && filled.entity[v] >= faces) {
      filled.dim[v] = Dim::Body;
      filled.entity[v] = -1;
    }
  filled.triangles.insert(filled.triangles.end(), walls.triangles.begin(), walls.triangles.end());
  filled.face.insert(filled.face.end(), walls.face.begin(), walls.face.end());
  filled.quads.insert(filled.quads.end(), walls.quads.begin(), walls.quads.end());
}

LayeredSurface growLayers(const Part& part, const MeshPlan& plan, const SurfaceMesh& surface,
                          const std::vector<LayersLower>& lower, const Progress& progress) {
  return Grower(part, plan, surface, lower, progress).run();
}

} // namespace tess
