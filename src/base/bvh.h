// SPDX-License-Identifier: GPL-3.0-or-later
// Bounding box tree over items given by their boxes. Built by median splits on the longest axis: the same input gives
// the same tree. Queries are const and thread-safe. Build O(n log n).
#pragma once
#include "base/vec.h"
#include <numeric>

namespace tess {

class Bvh {
public:
  Bvh() = default;
  explicit Bvh(const std::vector<Box>& boxes) { build(boxes); }
  void build(const std::vector<Box>& boxes) {
    m_nodes.clear();
    m_items.resize(boxes.size());
    std::iota(m_items.begin(), m_items.end(), 0);
    if (!boxes.empty()) buildNode(boxes, 0, static_cast<int>(boxes.size()));
  }
  bool empty() const { return m_nodes.empty(); }

  /// Visits items whose boxes overlap `box`; `visit(item)` returns false to end early.
  template <class F> void overlapping(const Box& box, F&& visit) const {
    if (m_nodes.empty()) return;
    int stack[64], top = 0;
    stack[top++] = 0;
    while (top) {
      const Node& n = m_nodes[static_cast<std::size_t>(stack[--top])];
      if (!n.box.overlaps(box)) continue;
      if (n.right < 0) {
        for (int i = n.first; i < n.first + n.count; ++i)
          if (!visit(m_items[static_cast<std::size_t>(i)])) return;
      } else {
        stack[top++] = n.right;
        stack[top++] = static_cast<int>(&n - m_nodes.data()) + 1;
      }
    }
  }

  /// Visits items whose boxes the ray from + t * along meets with t in [0, reach], in no order. `visit(item)` may
  /// lower `reach`.
  template <class F> void alongRay(const Vec3& from, const Vec3& along, double& reach, F&& visit) const {
    if (m_nodes.empty()) return;
    const Vec3 inverse = along.cwiseInverse();
    auto meets = [&](const Box& b) {
      double enter = 0, leave = reach;
      for (int k = 0; k < 3; ++k) {
        if (along[k] == 0) {
          if (from[k] < b.lo[k] || from[k] > b.hi[k]) return false;
          continue;
        }
        double t0 = (b.lo[k] - from[k]) * inverse[k], t1 = (b.hi[k] - from[k]) * inverse[k];
        enter = std::max(enter, std::min(t0, t1));
        leave = std::min(leave, std::max(t0, t1));
      }
      return enter <= leave;
    };
    int stack[64], top = 0;
    stack[top++] = 0;
    while (top) {
      int id = stack[--top];
      const Node& n = m_nodes[static_cast<std::size_t>(id)];
      if (!meets(n.box)) continue;
      if (n.right < 0) {
        for (int i = n.first; i < n.first + n.count; ++i) visit(m_items[static_cast<std::size_t>(i)]);
      } else {
        stack[top++] = n.right;
        stack[top++] = id + 1;
      }
    }
  }

  /// Branch and bound: `bound(box)` is a lower bound of the value inside a box, `eval(item)` the value of an item.
  /// Returns the item with the least value below `best` (ties: the one found first in tree order), or -1.
  template <class B, class E> int minimum(double& best, B&& bound, E&& eval) const {
    int found = -1;
    if (m_nodes.empty()) return found;
    struct Entry {
      int node;
      double low;
    };
    Entry stack[64];
    int top = 0;
    stack[top++] = {0, bound(m_nodes[0].box, 0)};
    while (top) {
      Entry e = stack[--top];
      if (e.low >= best) continue;
      const Node& n = m_nodes[static_cast<std::size_t>(e.node)];
      if (n.right < 0) {
        for (int i = n.first; i < n.first + n.count; ++i) {
          double v = eval(m_items[static_cast<std::size_t>(i)]);
          if (v < best) {
            best = v;
            found = m_items[static_cast<std::size_t>(i)];
          }
        }
      } else {
        Entry l{e.node + 1, bound(m_nodes[static_cast<std::size_t>(e.node) + 1].box, e.node + 1)};
        Entry r{n.right, bound(m_nodes[static_cast<std::size_t>(n.right)].box, n.right)};
        if (l.low < r.low) std::swap(l, r);
        stack[top++] = l;
        stack[top++] = r;
      }
    }
    return found;
  }
  /// Smallest of `value[item]` below every node, for use as part of a bound.
  std::vector<double> nodeMinimum(const std::vector<double>& value) const {
    std::vector<double> m(m_nodes.size(), std::numeric_limits<double>::max());
    for (int k = static_cast<int>(m_nodes.size()) - 1; k >= 0; --k) {
      const Node& n = m_nodes[static_cast<std::size_t>(k)];
      auto& out = m[static_cast<std::size_t>(k)];
      if (n.right < 0)
        for (int i = n.first; i < n.first + n.count; ++i)
          out = std::min(out, value[static_cast<std::size_t>(m_items[static_cast<std::size_t>(i)])]);
      else
        out = std::min(m[static_cast<std::size_t>(k) + 1], m[static_cast<std::size_t>(n.right)]);
    }
    return m;
  }

private:
  struct Node {
    Box box;
    int first = 0, count = 0, right = -1; ///< right child, -1 for a leaf; the left child follows its parent
  };
  std::vector<Node> m_nodes;
  std::vector<int> m_items;

  int buildNode(const std::vector<Box>& boxes, int first, int count) {
    int id = static_cast<int>(m_nodes.size());
    m_nodes.emplace_back();
    Node n;
    n.first = first;
    n.count = count;
    for (int i = first; i < first + count; ++i)
      n.box.add(boxes[static_cast<std::size_t>(m_items[static_cast<std::size_t>(i)])]);
    if (count > 4) {
      int axis;
      n.box.size().maxCoeff(&axis);
      int half = count / 2;
      auto key = [&](int it) {
        return boxes[static_cast<std::size_t>(it)].lo[axis] + boxes[static_cast<std::size_t>(it)].hi[axis];
      };
      std::nth_element(m_items.begin() + first, m_items.begin() + first + half, m_items.begin() + first + count,
                       [&](int a, int b) { return key(a) < key(b) || (key(a) == key(b) && a < b); });
      buildNode(boxes, first, half);
      n.right = buildNode(boxes, first + half, count - half);
    }
    m_nodes[static_cast<std::size_t>(id)] = n;
    return id;
  }
};

} // namespace tess
