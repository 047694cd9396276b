// SPDX-License-Identifier: GPL-3.0-or-later
// The .inp deck: nodes, elements by region, node set and element-face surface per group. Numbers are at most 20
// characters (longer ones are cut by the solver without a word), at most 16 entries stand in a line.
#include "base/file.h"
#include "base/units.h"
#include "exchange/by_side.h"
#include "exchange/cell_from_faces.h"
#include "exchange/exchange.h"
#include "mesh/cell_faces.h"
#include <charconv>
#include <cmath>
#include <limits>
#include <map>
#include <set>
#include <string_view>
#include <unordered_map>

namespace tess {
namespace {

/// An element type of the format, and what an element of ours becomes in it. A pyramid is a hexahedron whose upper four
/// corners are all its apex: the format has none (CalculiX takes it so, exactly where it is linear).
struct InpType {
  const char* name;
  ElementType type;
};
constexpr InpType kTypes[] = {
    {"C3D4", ElementType::Tet4},     {"C3D10", ElementType::Tet10},     {"C3D8", ElementType::Hex8},
    {"C3D6", ElementType::Wedge6},   {"C3D20", ElementType::Hex20},     {"C3D15", ElementType::Wedge15},
    {"C3D8", ElementType::Pyramid5}, {"C3D20", ElementType::Pyramid13}, {"C3D8R", ElementType::Hex8},
    {"C3D8I", ElementType::Hex8},    {"C3D20R", ElementType::Hex20},    {"C3D10T", ElementType::Tet10},
    {"C3D10M", ElementType::Tet10},  {"DC3D4", ElementType::Tet4},      {"DC3D6", ElementType::Wedge6},
    {"DC3D8", ElementType::Hex8},    {"DC3D10", ElementType::Tet10},    {"DC3D15", ElementType::Wedge15},
    {"DC3D20", ElementType::Hex20}};
constexpr std::size_t kWritten = 8; ///< of these; the others are read only
/// Shells, whose faces name sets where they lie on the boundary of the volume.
constexpr InpType kShells[] = {
    {"S3", ElementType::Tri3},   {"S3R", ElementType::Tri3},   {"S4", ElementType::Quad4},
    {"S4R", ElementType::Quad4}, {"S6", ElementType::Tri6},    {"S8", ElementType::Quad8},
    {"S8R", ElementType::Quad8}, {"M3D3", ElementType::Tri3},  {"M3D4", ElementType::Quad4},
    {"M3D6", ElementType::Tri6}, {"M3D8", ElementType::Quad8}, {"STRI65", ElementType::Tri6}};

/// Faces as .inp numbers them, from 1, for each of ours: tetrahedra 123, 124, 234, 134; wedges 123, 456, 1254, 2365,
/// 3146; hexahedra 1234, 5678, 1265, 2376, 3487, 4158, as our tables have them. Pyramids are hexahedra without S2.
int inpFace(ElementType t, int ours) { return topology(t).corners == 5 && ours > 0 ? ours + 2 : ours + 1; }

/// Nodes of an element in the order of the format.
void inpNodes(ElementType t, std::span<const std::int32_t> n, std::vector<std::int32_t>& out) {
  out.assign(n.begin(), n.end());
  if (topology(t).corners != 5) return;
  const std::vector<std::int32_t> four(4, n[4]);
  out.assign(n.begin(), n.begin() + 4);
  out.insert(out.end(), four.begin(), four.end());
  if (t != ElementType::Pyramid13) return;
  out.insert(out.end(), n.begin() + 5, n.begin() + 9); // base, top, uprights
  out.insert(out.end(), four.begin(), four.end());
  out.insert(out.end(), n.begin() + 9, n.end());
}

void number(std::string& out, double v) {
  char b[40];
  auto r = std::to_chars(b, b + sizeof b, v + 0.0); // no negative zero
  if (r.ptr - b > 20) {
    int n = std::snprintf(b, sizeof b, "%.12e", v);
    out.append(b, static_cast<std::size_t>(n));
    return;
  }
  out.append(b, static_cast<std::size_t>(r.ptr - b));
}

void list(std::string& out, const std::vector<std::int32_t>& ids) {
  for (std::size_t i = 0; i < ids.size(); ++i) {
    out += std::to_string(ids[i] + 1);
    out += i % 16 == 15 || i + 1 == ids.size() ? ",\n" : ", ";
  }
}

} // namespace

std::optional<Problem> writeInp(const Mesh& m, const std::string& path, double scale) {
  if (std::find(m.cells.type.begin(), m.cells.type.end(), ElementType::Polyhedron) != m.cells.type.end())
    return cannotHold(MeshFormat::Inp, ElementType::Polyhedron, path);
  std::string out;
  out.reserve(m.nodes.size() * 64 + m.cells.size() * 48);
  const std::string unit = unitScaled(m.unit, scale);
  out += "** mesh written by Tesselite; lengths in " + (unit.empty() ? m.unit + " x " + formatNumber(scale) : unit) +
         "\n*NODE, NSET=NALL\n";
  for (std::size_t i = 0; i < m.nodes.size(); ++i) {
    out += std::to_string(i + 1);
    for (int k = 0; k < 3; ++k) {
      out += ",";
      number(out, scale * m.nodes[i][k]);
    }
    out += "\n";
  }
  std::vector<std::string> names = m.regions;
  for (const auto& g : m.groups) names.push_back(g.name);
  names = solverNames(names);
  // Labels as remarks: sections belong to the deck that defines the materials.
  auto remark = [&](const std::vector<std::string>& list, const char* what) {
    for (std::size_t r = 0; r < std::min(list.size(), m.regions.size()); ++r)
      if (!list[r].empty()) out += "** " + names[r] + ", " + what + " " + solverNames({list[r]})[0] + "\n";
  };
  remark(m.materials, "material");
  remark(m.media, "kind");
  for (std::size_t k = 0; k < m.groups.size(); ++k)
    if (!m.groups[k].role.empty()) out += "** " + names[m.regions.size() + k] + ", role " + m.groups[k].role + "\n";
  std::vector<std::int32_t> nodes;
  for (std::size_t r = 0; r < m.regions.size(); ++r)
    for (const auto& t : std::span(kTypes).first(kWritten)) {
      bool head = false;
      for (std::size_t c = 0; c < m.cells.size(); ++c) {
        if (m.cells.type[c] != t.type || m.cellRegion[c] != static_cast<std::int32_t>(r)) continue;
        if (!head) out += std::string("*ELEMENT, TYPE=") + t.name + ", ELSET=" + names[r] + "\n";
        head = true;
        inpNodes(t.type, m.cells.of(c), nodes);
        out += std::to_string(c + 1);
        for (std::size_t i = 0; i < nodes.size(); ++i) { // at most 16 entries in a line; a comma at its end goes on
          out += i == 15 ? ",\n" : ",";
          out += std::to_string(nodes[i] + 1);
        }
        out += "\n";
      }
    }
  auto sides = facesInCells(m);
  for (std::size_t k = 0; k < m.groups.size(); ++k) {
    const MeshGroup& g = m.groups[k];
    const std::string& name = names[m.regions.size() + k];
    if (g.items.empty()) continue; // an empty set would be accepted silently by the solver
    if (g.dim == 3) {
      out += "*ELSET, ELSET=" + name + "\n";
      list(out, g.items);
      continue;
    }
    std::set<std::int32_t> members;
    if (g.dim == 2)
      for (auto f : g.items)
        for (auto n : m.faces.of(static_cast<std::size_t>(f))) members.insert(n);
    else
      members.insert(g.items.begin(), g.items.end());
    out += "*NSET, NSET=" + name + "\n";
    list(out, {members.begin(), members.end()});
    if (g.dim != 2) continue;
    out += "*SURFACE, NAME=" + name + ", TYPE=ELEMENT\n";
    for (auto f : g.items) {
      auto [cell, face] = sides[static_cast<std::size_t>(f)];
      if (cell < 0) continue;
      out += std::to_string(cell + 1) + ", S" +
             std::to_string(inpFace(m.cells.type[static_cast<std::size_t>(cell)], face)) + "\n";
    }
  }
  return writeFileAtomic(path, out);
}

namespace {

/// Words of a line between commas, without the blanks around them.
void split(std::string_view line, std::vector<std::string_view>& words) {
  words.clear();
  while (!line.empty()) {
    const std::size_t comma = std::min(line.find(','), line.size());
    const std::string_view w = line.substr(0, comma);
    const std::size_t from = w.find_first_not_of(" \t\r"), to = w.find_last_not_of(" \t\r");
    words.push_back(from == w.npos ? std::string_view() : w.substr(from, to - from + 1));
    line.remove_prefix(std::min(comma + 1, line.size()));
  }
}

/// A whole number as far as the word is one; 0 where it does not begin with one.
long wholeNumber(std::string_view word) {
  if (!word.empty() && word[0] == '+') word.remove_prefix(1);
  long v = 0;
  const auto [end, error] = std::from_chars(word.data(), word.data() + word.size(), v);
  if (error == std::errc::result_out_of_range)
    return word[0] == '-' ? std::numeric_limits<long>::min() : std::numeric_limits<long>::max();
  return v;
}

/// A number whose power of ten may be written with D, too.
double realNumber(std::string_view word) {
  if (!word.empty() && word[0] == '+') word.remove_prefix(1);
  double v = 0;
  if (word.find_first_of("dD") == word.npos)
    if (std::from_chars(word.data(), word.data() + word.size(), v).ec == std::errc()) return v;
  std::string s(word); // also for numbers too large or too small, which the other leaves as they were
  for (char& c : s)
    if (c == 'd' || c == 'D') c = 'e';
  return std::strtod(s.c_str(), nullptr);
}

std::string upper(std::string_view s) {
  std::string r;
  for (char c : s)
    if (!std::isspace(static_cast<unsigned char>(c)))
      r += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  return r;
}

/// The numbers of a set's data line, added to `numbers`; with `range` its first, last and step. False when a range is
/// none, or names more than there is `room` for, which what it names is taken from.
bool addNumbers(const std::vector<std::string_view>& words, bool range, std::size_t& room, std::vector<long>& numbers) {
  if (!range) {
    for (const auto& w : words)
      if (!w.empty()) numbers.push_back(wholeNumber(w));
    return true;
  }
  if (words.size() < 2) return false;
  const long largest = std::numeric_limits<std::int32_t>::max();
  const long a = wholeNumber(words[0]), b = wholeNumber(words[1]),
             d = words.size() > 2 && !words[2].empty() ? wholeNumber(words[2]) : 1;
  if (a < 0 || b < a || b > largest || d <= 0) return false;
  const std::size_t count = static_cast<std::size_t>((b - a) / d) + 1;
  if (count > room) return false;
  room -= count;
  for (long i = a; i <= b; i += std::min(d, largest)) numbers.push_back(i);
  return true;
}

/// Places by the numbers that a file gives them, any at all; at hand at once where they are small, as they mostly are.
class Numbering {
public:
  explicit Numbering(std::size_t fileBytes) : m_near(static_cast<long>(fileBytes / 8)) {}
  void add(long number, std::int32_t at) {
    if (number < 0 || number > m_near) {
      m_far[number] = at;
      return;
    }
    const auto k = static_cast<std::size_t>(number);
    if (k >= m_at.size()) m_at.resize(std::max(k + 1, std::min(2 * k, static_cast<std::size_t>(m_near) + 1)), -1);
    m_at[k] = at;
  }
  /// -1 when there is none of this number.
  std::int32_t find(long number) const {
    if (number >= 0 && static_cast<std::size_t>(number) < m_at.size()) return m_at[static_cast<std::size_t>(number)];
    const auto it = m_far.find(number);
    return it == m_far.end() ? -1 : it->second;
  }

private:
  long m_near; ///< numbers up to here have a place of their own; a file with that many has more bytes
  std::vector<std::int32_t> m_at;
  std::map<long, std::int32_t> m_far;
};

} // namespace

Result<Mesh> readInp(const std::string& path, const Progress* progress) {
  auto text = readFile(path);
  if (!text) return text.problem();
  Mesh m;
  m.unitAssumed = true;
  Numbering nodeAt(text->size()), cellAt(text->size());
  std::map<std::string, std::int32_t> regionAt;
  std::map<std::string, std::vector<long>> elsets; ///< by their names in capitals; sorted once all is read
  std::map<std::string, std::string> elsetName;
  struct Surf {
    std::string name;
    std::vector<std::pair<std::string, int>> sides;
  };
  std::vector<Surf> surfaces;
  std::vector<std::pair<std::string, std::vector<long>>> nsets;
  struct Said {
    std::string set, what, value;
  };
  std::vector<Said> said;
  std::map<std::int32_t, std::pair<ElementType, std::vector<std::int32_t>>> collapsed; // cell -> as the file has it
  std::map<std::string, std::vector<FaceKey>> shellSets;
  std::map<std::string, std::string> shellName;
  bool shells = false;
  std::string keyword, set;
  std::map<std::string, std::string> args;
  const InpType* type = nullptr;
  std::vector<long>* elset = nullptr; ///< that the lines at hand add to
  std::int32_t region = -1;           ///< of the elements at hand, once there is one
  bool range = false;
  // Ranges are short to write: a few hundred sets of the whole mesh have room, not what would fill the memory.
  std::size_t room = 8 * text->size() + 1000000;
  std::vector<long> pending;
  std::vector<std::int32_t> corners;
  std::vector<std::string_view> w;
  int number = 0;
  auto bad = [&](const std::string& why) { return unreadableLine(path, number, why); };
  std::string_view rest(*text);
  while (!rest.empty()) {
    const std::size_t end = std::min(rest.find('\n'), rest.size());
    std::string_view line = rest.substr(0, end);
    rest.remove_prefix(std::min(end + 1, rest.size()));
    if (++number % 4096 == 0 && progress) progress->check();
    if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
    if (const auto at = line.find("lengths in "); number == 1 && line.compare(0, 2, "**") == 0 && at != line.npos) {
      const std::string unit(line.substr(at + 11)); // what writeInp says, unless it was scaled
      if (millimetresPer(unit)) {
        m.unit = unit;
        m.unitAssumed = false;
      }
    }
    if (line.compare(0, 3, "** ") == 0) // what writeInp says of sets
      if (const auto comma = line.find(", "); comma != line.npos)
        if (const auto gap = line.find(' ', comma + 2); gap != line.npos)
          said.push_back({std::string(line.substr(3, comma - 3)), std::string(line.substr(comma + 2, gap - comma - 2)),
                          std::string(line.substr(gap + 1))});
    if (line.compare(0, 2, "**") == 0 || line.find_first_not_of(" \t") == line.npos) continue;
    split(line, w);
    if (line[0] == '*') {
      if (!pending.empty()) return bad("the element before this line is incomplete");
      args.clear();
      keyword = upper(w[0]);
      for (std::size_t i = 1; i < w.size(); ++i) {
        const auto eq = w[i].find('=');
        std::string v(eq == w[i].npos ? std::string_view() : w[i].substr(eq + 1));
        v.erase(std::remove(v.begin(), v.end(), ' '), v.end());
        args[upper(w[i].substr(0, eq))] = v;
      }
      type = nullptr;
      elset = nullptr;
      range = args.count("GENERATE") > 0;
      if (keyword == "*ELEMENT") {
        for (const auto& t : kTypes)
          if (!type && upper(args["TYPE"]) == t.name) type = &t;
        shells = false;
        for (const auto& t : kShells)
          if (upper(args["TYPE"]) == t.name) type = &t, shells = true;
        if (!type) return bad("the element type '" + args["TYPE"] + "' is not known");
        set = args["ELSET"].empty() ? "region" : args["ELSET"];
        region = -1;
      } else if (keyword == "*SURFACE")
        surfaces.push_back({args["NAME"], {}});
      else if (keyword == "*NSET")
        nsets.push_back({args["NSET"], {}});
      continue;
    }
    if (keyword == "*NODE") {
      if (w.size() < 4) return bad("a node needs a number and three coordinates");
      const Vec3 p(realNumber(w[1]), realNumber(w[2]), realNumber(w[3]));
      if (!p.allFinite()) return bad("a coordinate is not a number");
      nodeAt.add(wholeNumber(w[0]), static_cast<std::int32_t>(m.nodes.size()));
      m.nodes.push_back(p);
    } else if (keyword == "*ELEMENT" && type) {
      for (const auto& x : w)
        if (!x.empty()) pending.push_back(wholeNumber(x));
      const std::size_t need = static_cast<std::size_t>(topology(type->type).nodes) + 1;
      if (pending.size() < need) continue;
      if (pending.size() > need) return bad("an element has too many nodes");
      corners.clear();
      for (std::size_t i = 1; i < pending.size(); ++i) {
        corners.push_back(nodeAt.find(pending[i]));
        if (corners.back() < 0) return bad("node " + std::to_string(pending[i]) + " is not there");
      }
      if (shells) {
        const auto& t = topology(type->type);
        shellSets[upper(set)].push_back(faceKey(std::span(corners).first(static_cast<std::size_t>(t.corners))));
        shellName.try_emplace(upper(set), set);
        pending.clear();
        continue;
      }
      ElementType is = type->type;
      // Corners that are named twice: what the element is in truth, with its sides as the file numbers them.
      const std::size_t own = static_cast<std::size_t>(topology(is).corners);
      if (std::set<std::int32_t>(corners.begin(), corners.begin() + static_cast<std::ptrdiff_t>(own)).size() < own) {
        const std::vector<std::int32_t> named = corners;
        if (uncollapse(is, corners))
          collapsed.emplace(static_cast<std::int32_t>(m.cells.size()), std::pair(type->type, named));
      }
      if (region < 0) {
        const auto [r, fresh] = regionAt.emplace(upper(set), static_cast<std::int32_t>(m.regions.size()));
        if (fresh) m.regions.push_back(set);
        region = r->second;
        elset = &elsets[upper(set)];
      }
      cellAt.add(pending[0], static_cast<std::int32_t>(m.cells.size()));
      elset->push_back(pending[0]);
      m.cells.add(is, corners);
      m.cellRegion.push_back(region);
      pending.clear();
    } else if (keyword == "*ELSET") {
      if (!elset) {
        elset = &elsets[upper(args["ELSET"])];
        elsetName.try_emplace(upper(args["ELSET"]), args["ELSET"]);
      }
      if (!addNumbers(w, range, room, *elset)) return bad("the range of this set makes no sense");
    } else if (keyword == "*NSET" && !nsets.empty()) {
      if (!addNumbers(w, range, room, nsets.back().second)) return bad("the range of this set makes no sense");
    } else if (keyword == "*SURFACE" && w.size() >= 2 && upper(w[1]).size() == 2 && upper(w[1])[0] == 'S') {
      surfaces.back().sides.push_back({std::string(w[0]), upper(w[1])[1] - '1'});
    }
  }
  for (auto& [name, ids] : elsets) {
    std::sort(ids.begin(), ids.end());
    ids.erase(std::unique(ids.begin(), ids.end()), ids.end());
  }
  if (m.cells.size() == 0)
    return bad(shellSets.empty() ? "it holds no elements of a known type" : "it holds shells only, no volume elements");
  if (!pending.empty()) return bad("the last element is incomplete");
  rebuildFaces(m);
  auto sides = facesInCells(m);
  std::map<std::pair<std::int32_t, std::int32_t>, std::int32_t> faceAt;
  for (std::size_t f = 0; f < sides.size(); ++f) faceAt[{sides[f][0], sides[f][1]}] = static_cast<std::int32_t>(f);
  std::unordered_map<FaceKey, std::int32_t, FaceKeyHash> byCorners;
  if (!collapsed.empty() || !shellSets.empty())
    for (std::size_t f = 0; f < m.faces.size(); ++f)
      byCorners.emplace(faceKey(m.faces.corners(f)), static_cast<std::int32_t>(f));
  for (const auto& s : surfaces) {
    MeshGroup g{s.name, 2, {}, 0};
    auto add = [&](long id, int side) {
      const std::int32_t c = cellAt.find(id);
      if (c < 0) return;
      if (const auto was = collapsed.find(c); was != collapsed.end()) {
        const auto& t = topology(was->second.first);
        if (side < 0 || side >= t.faces) return;
        std::vector<std::int32_t> ring;
        for (int i = 0; i < t.faceSize[static_cast<std::size_t>(side)]; ++i) {
          const auto n = was->second.second[static_cast<std::size_t>(
              t.face[static_cast<std::size_t>(side)][static_cast<std::size_t>(i)])];
          if (std::find(ring.begin(), ring.end(), n) == ring.end()) ring.push_back(n);
        }
        if (ring.size() < 3) return;
        if (const auto it = byCorners.find(faceKey(ring)); it != byCorners.end()) g.items.push_back(it->second);
        return;
      }
      auto f = faceAt.find({c, side});
      if (f != faceAt.end()) g.items.push_back(f->second);
    };
    for (const auto& [who, side] : s.sides) {
      char* end = nullptr;
      long id = std::strtol(who.c_str(), &end, 10);
      if (end && *end == 0)
        add(id, side);
      else
        for (long i : elsets[upper(who)]) add(i, side);
    }
    std::sort(g.items.begin(), g.items.end());
    g.items.erase(std::unique(g.items.begin(), g.items.end()), g.items.end());
    m.groups.push_back(g);
  }
  for (const auto& [name, keys] : shellSets) { // a skin of shells names the faces it lies on
    MeshGroup g{shellName[name], 2, {}, 0};
    for (const auto& key : keys)
      if (const auto it = byCorners.find(key); it != byCorners.end()) g.items.push_back(it->second);
    std::sort(g.items.begin(), g.items.end());
    g.items.erase(std::unique(g.items.begin(), g.items.end()), g.items.end());
    if (!g.items.empty()) m.groups.push_back(g);
  }
  for (const auto& [name, ids] : nsets) {
    bool isSurface = upper(name) == "NALL";
    for (const auto& s : surfaces) isSurface = isSurface || upper(s.name) == upper(name);
    if (isSurface) continue;
    MeshGroup g{name, 0, {}, 0};
    for (long i : ids)
      if (const auto at = nodeAt.find(i); at >= 0) g.items.push_back(at);
    std::sort(g.items.begin(), g.items.end());
    m.groups.push_back(g);
  }
  for (const auto& [name, ids] : elsets) {
    // Sets of elements as they were defined are the regions; others may be there only to name sides of a surface.
    bool helps = name == "EALL" || !elsetName.count(name);
    for (const auto& x : surfaces)
      for (const auto& [who, side] : x.sides) helps = helps || upper(who) == name;
    if (helps) continue;
    MeshGroup g{elsetName[name], 3, {}, 0};
    for (long i : ids)
      if (const auto at = cellAt.find(i); at >= 0) g.items.push_back(at);
    if (!g.items.empty()) m.groups.push_back(g);
  }
  for (const auto& x : said) {
    if (x.what == "role")
      for (auto& g : m.groups)
        if (g.dim == 2 && g.name == x.set) g.role = x.value;
    auto* list = x.what == "material" ? &m.materials : x.what == "kind" ? &m.media : nullptr;
    for (std::size_t r = 0; list && r < m.regions.size(); ++r)
      if (m.regions[r] == x.set) {
        list->resize(m.regions.size());
        (*list)[r] = x.value;
      }
  }
  return m;
}

} // namespace tess
