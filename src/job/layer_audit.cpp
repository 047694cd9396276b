// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/layer_audit.h"
#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>
#include <unordered_map>

namespace tess {
namespace {

using Triple = std::array<std::int32_t, 3>;
Triple sorted(Triple t) {
  std::sort(t.begin(), t.end());
  return t;
}
struct TripleHash {
  std::size_t operator()(const Triple& t) const {
    std::size_t h = 0;
    for (auto v : t) h = h * 0x9E3779B97F4A7C15ull + static_cast<std::size_t>(v) + (h >> 29);
    return h;
  }
};

class Auditor {
public:
  Auditor(const Mesh& mesh, const std::vector<LayerColumn>& columns, const LayerWishes& wishes)
      : m(mesh), m_columns(columns), m_wishes(wishes) {
    for (std::size_t i = 0; i < columns.size(); ++i)
      m_at.emplace(std::pair(columns[i].node, columns[i].body), static_cast<int>(i));
  }

  /// Calls visit(face, stack, columns) for every side of a face of the mesh that is to have layers.
  template <class V> void forWalls(V&& visit) const {
    if (!m_wishes.any()) return;
    for (std::size_t f = 0; f < m.faces.size(); ++f) {
      const int link = m.faceLink[f];
      if (link < 0 || m.faces.cornerCount(f) != 3) continue;
      for (std::size_t s = 0; s < 2; ++s) {
        const int stack = m_wishes.ofFace[static_cast<std::size_t>(link)][s], body = m.faceRegions[f][s];
        if (stack < 0 || body < 0) continue;
        std::array<int, 3> c{};
        bool all = true;
        for (std::size_t k = 0; k < 3; ++k) {
          const auto it = m_at.find({m.faces.of(f)[k], body});
          all = all && it != m_at.end();
          c[k] = all ? it->second : -1;
        }
        if (all) visit(f, stack, c);
      }
    }
  }

  std::vector<LayerAudit> run() {
    findCells();
    std::vector<LayerAudit> r(m_wishes.stacks.size());
    std::vector<double> layered(r.size(), 0), jumped(r.size(), 0), ratioed(r.size(), 0);
    std::vector<std::map<int, LayerPlace>> places(r.size());
    for (std::size_t k = 0; k < r.size(); ++k) r[k].rule = m_wishes.stacks[k].rule, r[k].least = 1 << 30;
    forWalls([&](std::size_t f, int stack, const std::array<int, 3>& cs) {
      LayerAudit& a = r[static_cast<std::size_t>(stack)];
      const auto k = static_cast<std::size_t>(stack);
      const double area = faceArea(m, f);
      int low = 1 << 30, high = 0, source = -1;
      bool full = true;
      for (int c : cs) {
        const LayerColumn& col = column(c);
        low = std::min(low, col.got);
        high = std::max(high, col.got);
        if (col.got < col.asked) {
          full = false;
          if (source < 0 || col.got < column(source).got) source = c;
        }
      }
      a.area += area;
      (full ? a.full : high == 0 ? a.none : a.fewer) += area;
      a.least = std::min(a.least, low);
      a.most = std::max(a.most, high);
      if (source >= 0) {
        const int from = column(source).source;
        LayerPlace& p = places[k][from];
        p.area += area;
        const LayerColumn& there = column(from);
        p.at = m.nodes[static_cast<std::size_t>(there.node)];
        p.cause = column(source).cause;
        p.value = column(source).value;
        p.got = there.got;
      }
      const auto n = m.faces.of(f);
      auto cell = m_byBase.find(sorted({n[0], n[1], n[2]}));
      if (cell == m_byBase.end()) return;
      double before = 0;
      for (int number = 1; cell != m_byBase.end(); ++number) {
        const auto c = m.cells.of(cell->second);
        ++a.cells;
        const double h = cellVolume(m, cell->second) / (0.5 * (areaOf(c[0], c[1], c[2]) + areaOf(c[3], c[4], c[5])));
        if (number == 1) {
          const double first = standing(c);
          const double asked = (column(cs[0]).first + column(cs[1]).first + column(cs[2]).first) / 3;
          if (layered[k] == 0) a.firstLeast = a.firstMost = first;
          layered[k] += area;
          a.firstLeast = std::min(a.firstLeast, first);
          a.firstMost = std::max(a.firstMost, first);
          a.firstMean += area * first;
          if (std::abs(first / asked - 1) <= 0.05) a.firstWithin += area;
        }
        if (number == 2) a.ratioMean += area * h / before, ratioed[k] += area;
        before = h;
        const Triple top = sorted({c[3], c[4], c[5]});
        cell = m_byBase.find(top);
        if (cell != m_byBase.end()) continue;
        const auto free = m_byFace.find(top);
        if (free == m_byFace.end()) break;
        const double jump = 3 * cellVolume(m, free->second) / areaOf(c[3], c[4], c[5]) / h;
        a.jumpMean += area * jump;
        jumped[k] += area;
        if (jump >= 0.5 && jump <= 2) a.jumpWithin += area;
      }
    });
    for (std::size_t k = 0; k < r.size(); ++k) {
      LayerAudit& a = r[k];
      if (a.least == 1 << 30) a.least = 0;
      if (layered[k] > 0) a.firstMean /= layered[k], a.firstWithin /= layered[k];
      if (ratioed[k] > 0) a.ratioMean /= ratioed[k];
      if (jumped[k] > 0) a.jumpMean /= jumped[k], a.jumpWithin /= jumped[k];
      for (auto& [from, p] : places[k]) {
        p.what = causeText(p.cause, p.value, m.unit);
        a.places.push_back(p);
      }
      std::stable_sort(a.places.begin(), a.places.end(), [](const auto& x, const auto& y) { return x.area > y.area; });
    }
    std::erase_if(r, [](const LayerAudit& a) { return !(a.area > 0); });
    return r;
  }
  const LayerColumn& column(int c) const { return m_columns[static_cast<std::size_t>(c)]; }

private:
  const Mesh& m;
  const std::vector<LayerColumn>& m_columns;
  const LayerWishes& m_wishes;
  std::map<std::pair<std::int32_t, int>, int> m_at;
  std::unordered_map<Triple, std::size_t, TripleHash> m_byBase; ///< wedges of layers
  std::unordered_map<Triple, std::size_t, TripleHash> m_byFace; ///< free tetrahedra at tops

  /// Mean distance of a wedge's upper corners from its base.
  double standing(std::span<const std::int32_t> c) const {
    auto at = [&](std::size_t k) -> const Vec3& { return m.nodes[static_cast<std::size_t>(c[k])]; };
    const Vec3 n = triangleNormal(at(0), at(1), at(2)), middle = (at(0) + at(1) + at(2)) / 3;
    return ((at(3) + at(4) + at(5)) / 3 - middle).dot(n);
  }
  double areaOf(std::int32_t a, std::int32_t b, std::int32_t c) const {
    auto at = [&](std::int32_t v) -> const Vec3& { return m.nodes[static_cast<std::size_t>(v)]; };
    return triangleArea(at(a), at(b), at(c));
  }
  void findCells() {
    std::unordered_map<Triple, char, TripleHash> tops;
    for (std::size_t c = 0; c < m.cellLayer.size(); ++c)
      if (m.cellLayer[c] > 0 && m.cells.cornerCount(c) == 6) {
        const auto n = m.cells.of(c);
        m_byBase.emplace(sorted({n[0], n[1], n[2]}), c);
        tops.emplace(sorted({n[3], n[4], n[5]}), 1);
      }
    for (std::size_t c = 0; c < m.cellLayer.size(); ++c)
      if (m.cellLayer[c] == 0 && m.cells.cornerCount(c) == 4) {
        const auto n = m.cells.of(c);
        for (std::size_t k = 0; k < 4; ++k)
          if (const Triple t = sorted({n[k], n[(k + 1) % 4], n[(k + 2) % 4]}); tops.count(t)) m_byFace.emplace(t, c);
      }
  }
};

} // namespace

std::string causeText(LayerCause cause, double value, const std::string& unit) {
  switch (cause) {
  case LayerCause::None:
    break;
  case LayerCause::Gap:
    return "gap of " + formatNumber(value, 3) + " " + unit;
  case LayerCause::Corner:
    return value > 0 ? "corner of " + formatNumber(value, 3) + " degrees" : "more than two walls at one edge";
  case LayerCause::SideLean:
    return "the face beside leans at " + formatNumber(value, 3) + " degrees";
  case LayerCause::Side:
    return "the face beside cannot make room";
  case LayerCause::Crossing:
    return "stacks would run into each other";
  case LayerCause::Folded:
    return "cells would be inverted";
  case LayerCause::Fine:
    return "edges of " + formatNumber(value, 3) + " " + unit + ", far shorter than layers are high";
  case LayerCause::Beside:
    return "a stack of " + formatNumber(value, 3) + " layers beside it";
  case LayerCause::Filling:
    return "too little room beyond the stack";
  }
  return {};
}
std::string causeRemedy(LayerCause cause) {
  switch (cause) {
  case LayerCause::Gap:
  case LayerCause::Filling:
    return "ask for fewer or thinner layers, or for a smaller size there";
  case LayerCause::Corner:
    return "round the corner, or accept that layers end there";
  case LayerCause::SideLean:
  case LayerCause::Side:
    return "let the layers go on over the face beside, or accept that they end before it";
  default:
    return "ask for a smaller size there, or for thinner layers";
  }
}

std::vector<LayerAudit> auditLayers(const Mesh& mesh, const std::vector<LayerColumn>& columns,
                                    const LayerWishes& wishes) {
  return Auditor(mesh, columns, wishes).run();
}

std::vector<float> layersReached(const Mesh& mesh, const std::vector<LayerColumn>& columns, const LayerWishes& wishes) {
  std::vector<float> r(mesh.faces.size(), -1);
  const Auditor a(mesh, columns, wishes);
  a.forWalls([&](std::size_t f, int, const std::array<int, 3>& cs) {
    float share = 0;
    for (int c : cs)
      share +=
          a.column(c).asked > 0 ? static_cast<float>(a.column(c).got) / static_cast<float>(a.column(c).asked) / 3 : 0;
    r[f] = r[f] < 0 ? share : std::min(r[f], share);
  });
  return r;
}

nlohmann::json layersReport(const std::vector<LayerAudit>& layers, const Brief& brief, const std::string& unit) {
  nlohmann::json all = nlohmann::json::array();
  for (const LayerAudit& a : layers) {
    nlohmann::json j{{"rule", a.rule + 1},
                     {"area", a.area},
                     {"area_full", a.full},
                     {"area_fewer", a.fewer},
                     {"area_none", a.none},
                     {"first_height",
                      {{"least", a.firstLeast},
                       {"mean", a.firstMean},
                       {"most", a.firstMost},
                       {"area_within_5_percent", a.firstWithin}}},
                     {"ratio_mean", a.ratioMean},
                     {"jump", {{"mean", a.jumpMean}, {"area_from_half_to_twice", a.jumpWithin}}},
                     {"layers", {{"least", a.least}, {"most", a.most}}},
                     {"cells", a.cells},
                     {"places_in_all", a.places.size()},
                     {"places", nlohmann::json::array()}};
    if (a.rule >= 0 && static_cast<std::size_t>(a.rule) < brief.rules.size())
      j["asked"] = sentenceOf(brief.rules[static_cast<std::size_t>(a.rule)]);
    for (std::size_t i = 0; i < std::min<std::size_t>(50, a.places.size()); ++i) {
      const LayerPlace& p = a.places[i];
      j["places"].push_back({{"at", {p.at.x(), p.at.y(), p.at.z()}},
                             {"cause", static_cast<int>(p.cause)},
                             {"value", p.value},
                             {"text", causeText(p.cause, p.value, unit)},
                             {"remedy", causeRemedy(p.cause)},
                             {"area", p.area},
                             {"layers", p.got}});
    }
    all.push_back(std::move(j));
  }
  return all;
}

std::vector<LayerAudit> layersOfReport(const nlohmann::json& report) {
  std::vector<LayerAudit> r;
  for (const auto& j : report) {
    LayerAudit a;
    a.rule = j.at("rule").get<int>() - 1;
    a.area = j.at("area");
    a.full = j.at("area_full");
    a.fewer = j.at("area_fewer");
    a.none = j.at("area_none");
    const auto& first = j.at("first_height");
    a.firstLeast = first.at("least");
    a.firstMean = first.at("mean");
    a.firstMost = first.at("most");
    a.firstWithin = first.at("area_within_5_percent");
    a.ratioMean = j.at("ratio_mean");
    a.jumpMean = j.at("jump").at("mean");
    a.jumpWithin = j.at("jump").at("area_from_half_to_twice");
    a.least = j.at("layers").at("least");
    a.most = j.at("layers").at("most");
    a.cells = j.at("cells");
    for (const auto& x : j.at("places")) {
      LayerPlace p;
      p.at = Vec3(x.at("at").at(0).get<double>(), x.at("at").at(1).get<double>(), x.at("at").at(2).get<double>());
      p.cause = static_cast<LayerCause>(std::clamp(x.at("cause").get<int>(), 0, static_cast<int>(LayerCause::Filling)));
      p.value = x.at("value");
      p.what = x.at("text");
      p.area = x.at("area");
      p.got = x.at("layers");
      a.places.push_back(std::move(p));
    }
    r.push_back(std::move(a));
  }
  return r;
}

} // namespace tess
