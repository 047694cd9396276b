// SPDX-License-Identifier: GPL-3.0-or-later
// SU2's native text: cells and points from 0, one marker per face group, `unassigned` for the other outer faces, since
// every outer face must be in exactly one. Linear cells; mid nodes are left out. Cell types are VTK's, the wedge's base
// turned as VTK has it.
#include "base/file.h"
#include "base/units.h"
#include "exchange/by_side.h"
#include "mesh/cell_faces.h"
#include <charconv>
#include <cmath>
#include <unordered_map>

namespace tess {
namespace {

constexpr ElementType kCells[] = {ElementType::Tet4, ElementType::Hex8, ElementType::Wedge6, ElementType::Pyramid5};

void turnWedge(ElementType t, std::vector<std::int32_t>& n) {
  if (t != ElementType::Wedge6) return;
  std::swap(n[1], n[2]);
  std::swap(n[4], n[5]);
}

void number(std::string& out, double v) {
  char b[40];
  const auto r = std::to_chars(b, b + sizeof b, v + 0.0);
  out.append(b, static_cast<std::size_t>(r.ptr - b));
}

} // namespace

std::optional<Problem> writeSu2(const Mesh& m, const std::string& path, double scale) {
  for (auto t : m.cells.type)
    if (t == ElementType::Polyhedron) return cannotHold(MeshFormat::Su2, t, path);
  std::vector<std::int32_t> to(m.nodes.size(), -1), points;
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    for (auto n : m.cells.corners(c))
      if (auto& id = to[static_cast<std::size_t>(n)]; id < 0) {
        id = static_cast<std::int32_t>(points.size());
        points.push_back(n);
      }
  const std::string unit = unitScaled(m.unit, scale);
  std::string out = "% mesh written by Tesselite; lengths in " +
                    (unit.empty() ? m.unit + " x " + formatNumber(scale) : unit) +
                    "\nNDIME= 3\nNELEM= " + std::to_string(m.cells.size()) + "\n";
  std::vector<std::int32_t> n;
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    const auto type = *typeOfOrder(m.cells.type[c], 1);
    const auto corners = m.cells.corners(c);
    n.assign(corners.begin(), corners.end());
    turnWedge(type, n);
    out += std::to_string(topology(type).vtkType);
    for (auto v : n) out += " " + std::to_string(to[static_cast<std::size_t>(v)]);
    out += " " + std::to_string(c) + "\n";
  }
  out += "NPOIN= " + std::to_string(points.size()) + "\n";
  for (std::size_t i = 0; i < points.size(); ++i) {
    for (int k = 0; k < 3; ++k) {
      number(out, scale * m.nodes[static_cast<std::size_t>(points[i])][k]);
      out += " ";
    }
    out += std::to_string(i) + "\n";
  }
  std::vector<std::string> names;
  for (const auto& g : m.groups) names.push_back(g.name);
  names.push_back("unassigned");
  names = solverNames(names);
  const auto groupOf = firstGroupOfFaces(m);
  std::vector<std::vector<std::size_t>> marker(names.size());
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    if (m.faceRegions[f][0] >= 0 && m.faceRegions[f][1] >= 0) continue;
    marker[groupOf[f] < 0 ? names.size() - 1 : static_cast<std::size_t>(groupOf[f])].push_back(f);
  }
  out += "NMARK= " +
         std::to_string(std::count_if(marker.begin(), marker.end(), [](const auto& x) { return !x.empty(); })) + "\n";
  for (std::size_t k = 0; k < marker.size(); ++k) {
    if (marker[k].empty()) continue;
    out += "MARKER_TAG= " + names[k] + "\nMARKER_ELEMS= " + std::to_string(marker[k].size()) + "\n";
    for (auto f : marker[k]) {
      const auto q = m.faces.corners(f);
      out += q.size() == 3 ? "5" : "9";
      for (auto v : q) out += " " + std::to_string(to[static_cast<std::size_t>(v)]);
      out += "\n";
    }
  }
  return writeFileAtomic(path, out);
}

Result<Mesh> readSu2(const std::string& path, const Progress* progress) {
  auto text = readFile(path);
  if (!text) return text.problem();
  Mesh m;
  m.unitAssumed = true;
  int line = 0;
  auto bad = [&](const std::string& why) { return unreadableLine(path, line, why); };
  std::string_view rest(*text), words;
  if (const auto at = text->find("lengths in "); at != std::string::npos && at < 200 && text->compare(0, 1, "%") == 0) {
    const std::size_t from = at + 11, end = text->find('\n', from);
    if (const std::string unit = text->substr(from, end - from); millimetresPer(unit)) {
      m.unit = unit;
      m.unitAssumed = false;
    }
  }
  auto next = [&] { // the next line with something in it
    while (!rest.empty()) {
      const std::size_t end = std::min(rest.find('\n'), rest.size());
      words = rest.substr(0, end);
      rest.remove_prefix(std::min(end + 1, rest.size()));
      if (++line % 4096 == 0 && progress) progress->check();
      words = words.substr(0, words.find('%'));
      if (words.find_first_not_of(" \t\r") != words.npos) return true;
    }
    return false;
  };
  auto word = [&] {
    const std::size_t from = words.find_first_not_of(" \t\r");
    if (from == words.npos) return std::string_view();
    words.remove_prefix(from);
    const std::size_t end = std::min(words.find_first_of(" \t\r"), words.size());
    const std::string_view w = words.substr(0, end);
    words.remove_prefix(end);
    return w;
  };
  auto whole = [&](std::string_view w, long& v) {
    return std::from_chars(w.data(), w.data() + w.size(), v).ec == std::errc() && !w.empty();
  };
  struct Marker {
    std::string name;
    std::vector<FaceKey> faces;
  };
  std::vector<Marker> markers;
  std::vector<std::int32_t> n;
  std::size_t others = 0;
  while (next()) {
    const std::size_t equals = words.find('=');
    if (equals == words.npos) return bad("a keyword with '=' was expected");
    std::string_view keyword = words.substr(0, equals);
    words.remove_prefix(equals + 1);
    while (!keyword.empty() && std::isspace(static_cast<unsigned char>(keyword.back()))) keyword.remove_suffix(1);
    while (!keyword.empty() && std::isspace(static_cast<unsigned char>(keyword.front()))) keyword.remove_prefix(1);
    const std::string key(keyword), value(word());
    long count = 0;
    if (key == "MARKER_TAG") {
      markers.push_back({value, {}});
      continue;
    }
    if (!whole(value, count) || count < 0) return bad("'" + key + "' needs a number");
    if (key == "NDIME" && count != 3) return bad("it is a mesh of " + std::to_string(count) + " dimensions, not of 3");
    if (key == "NZONE" && count != 1) return bad("it holds " + std::to_string(count) + " zones; one can be read");
    if (key == "NELEM" || key == "MARKER_ELEMS") {
      if (key == "MARKER_ELEMS" && markers.empty()) return bad("MARKER_ELEMS stands before any MARKER_TAG");
      for (long i = 0; i < count; ++i) {
        long type = 0, v = 0;
        if (!next() || !whole(word(), type)) return bad("an element is missing: " + key + " claims " + value);
        const ElementTopology* t = nullptr;
        if (key == "NELEM")
          for (auto x : kCells)
            if (topology(x).vtkType == type) t = &topology(x);
        if (key == "MARKER_ELEMS" && (type == 5 || type == 9))
          t = &topology(type == 5 ? ElementType::Tri3 : ElementType::Quad4);
        if (!t) {
          if (key == "NELEM") return bad("element type " + std::to_string(type) + " is not known");
          ++others; // lines of points and edges
          continue;
        }
        n.clear();
        for (int k = 0; k < t->nodes; ++k) {
          if (!whole(word(), v) || v < 0 || v > std::numeric_limits<std::int32_t>::max())
            return bad("an element has too few nodes, or a number that is none");
          n.push_back(static_cast<std::int32_t>(v));
        }
        if (key == "NELEM") {
          turnWedge(t->type, n);
          m.cells.add(t->type, n);
          m.cellRegion.push_back(0);
        } else
          markers.back().faces.push_back(faceKey(n));
      }
    } else if (key == "NPOIN") {
      for (long i = 0; i < count; ++i) {
        if (!next()) return bad("a point is missing: NPOIN claims " + value);
        Vec3 p;
        for (int k = 0; k < 3; ++k) {
          const auto w = word();
          if (std::from_chars(w.data(), w.data() + w.size(), p[k]).ec != std::errc() || w.empty())
            return bad("a point needs three coordinates");
        }
        if (!p.allFinite()) return bad("a coordinate is not a number");
        m.nodes.push_back(p);
      }
    }
  }
  if (m.cells.size() == 0) return bad("it holds no elements");
  for (auto v : m.cells.nodes)
    if (static_cast<std::size_t>(v) >= m.nodes.size())
      return bad("an element refers to point " + std::to_string(v) + ", which is not there");
  m.regions = {"region1"};
  // The base of a wedge is turned one way by some programs and the other by others: as most of the file's are positive.
  std::size_t wrong = 0, wedges = 0;
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    if (m.cells.type[c] == ElementType::Wedge6) {
      ++wedges;
      wrong += cellVolume(m, c) < 0;
    }
  if (2 * wrong > wedges)
    for (std::size_t c = 0; c < m.cells.size(); ++c)
      if (m.cells.type[c] == ElementType::Wedge6) {
        auto q = m.cells.of(c);
        std::swap(q[1], q[2]);
        std::swap(q[4], q[5]);
      }
  rebuildFaces(m);
  std::unordered_map<FaceKey, std::int32_t, FaceKeyHash> at;
  for (std::size_t f = 0; f < m.faces.size(); ++f)
    at.emplace(faceKey(m.faces.corners(f)), static_cast<std::int32_t>(f));
  for (const auto& k : markers) {
    if (k.name == "unassigned") continue;
    MeshGroup g{k.name, 2, {}, 0};
    for (const auto& f : k.faces)
      if (auto it = at.find(f); it != at.end()) g.items.push_back(it->second);
    std::sort(g.items.begin(), g.items.end());
    m.groups.push_back(std::move(g));
  }
  return m;
}

} // namespace tess
