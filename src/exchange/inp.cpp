// SPDX-License-Identifier: GPL-3.0-or-later
// The .inp deck: nodes, elements by region, node set and element-face surface per group. Numbers are at most 20
// characters (longer ones are cut by the solver without a word), at most 16 entries stand in a line.
#include "base/file.h"
#include "base/units.h"
#include "exchange/exchange.h"
#include <charconv>
#include <cmath>
#include <limits>
#include <map>
#include <set>
#include <sstream>

namespace tess {
namespace {

struct InpType {
  const char* name;
  ElementType type;
};
constexpr InpType kTypes[] = {{"C3D4", ElementType::Tet4},
                              {"C3D10", ElementType::Tet10},
                              {"C3D8", ElementType::Hex8},
                              {"C3D6", ElementType::Wedge6}};
/// Faces as .inp numbers them, as index into our own face table.
int inpFace(ElementType t, int ours) {
  switch (t) {
  case ElementType::Wedge6:
    return ours + 1; // 123, 456, 1254, 2365, 3146
  case ElementType::Hex8:
    return ours + 1; // 1234, 5678, 1265, 2376, 3487, 4158
  default:
    return ours + 1; // tets: 123, 124, 234, 134
  }
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
  std::string out;
  out.reserve(m.nodes.size() * 64 + m.cells.size() * 48);
  out += "** mesh written by Tesselite; lengths in " + m.unit + (scale == 1 ? "" : " x " + formatNumber(scale)) +
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
  for (std::size_t r = 0; r < m.regions.size(); ++r)
    for (const auto& t : kTypes) {
      bool head = false;
      for (std::size_t c = 0; c < m.cells.size(); ++c) {
        if (m.cells.type[c] != t.type || m.cellRegion[c] != static_cast<std::int32_t>(r)) continue;
        if (!head) out += std::string("*ELEMENT, TYPE=") + t.name + ", ELSET=" + names[r] + "\n";
        head = true;
        out += std::to_string(c + 1);
        for (auto n : m.cells.of(c)) out += "," + std::to_string(n + 1);
        out += "\n";
      }
    }
  for (auto type : m.cells.type)
    if (type == ElementType::Pyramid5) {
      Problem p;
      p.fault = Fault::Output;
      p.code = "inp.pyramid";
      p.what = "pyramids cannot be written to .inp yet";
      p.where = path;
      p.why = "the format has no pyramid";
      p.todo = "choose another format";
      return p;
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
    std::set<std::int32_t> nodes;
    if (g.dim == 2)
      for (auto f : g.items)
        for (auto n : m.faces.of(static_cast<std::size_t>(f))) nodes.insert(n);
    else
      nodes.insert(g.items.begin(), g.items.end());
    out += "*NSET, NSET=" + name + "\n";
    list(out, {nodes.begin(), nodes.end()});
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

/// The numbers of a set's data line; with `range` its first, last and step. Nothing when a range is none, or names more
/// than a file of `bytes` can hold.
std::optional<std::vector<long>> numbersOf(const std::vector<std::string>& words, bool range, std::size_t bytes) {
  std::vector<long> r;
  if (!range) {
    for (const auto& w : words)
      if (!w.empty()) r.push_back(std::strtol(w.c_str(), nullptr, 10));
    return r;
  }
  if (words.size() < 2) return {};
  const long largest = std::numeric_limits<std::int32_t>::max();
  long a = std::strtol(words[0].c_str(), nullptr, 10), b = std::strtol(words[1].c_str(), nullptr, 10),
       d = words.size() > 2 && !words[2].empty() ? std::strtol(words[2].c_str(), nullptr, 10) : 1;
  if (a < 0 || b < a || b > largest || d <= 0 || static_cast<std::size_t>((b - a) / d) > bytes) return {};
  for (long i = a; i <= b; i += std::min(d, largest)) r.push_back(i);
  return r;
}

} // namespace

Result<Mesh> readInp(const std::string& path, const Progress* progress) {
  auto text = readFile(path);
  if (!text) return text.problem();
  Mesh m;
  m.unitAssumed = true;
  std::map<long, std::int32_t> nodeAt, cellAt;
  std::map<std::string, std::int32_t> regionAt;
  std::map<std::string, std::set<long>> elsets; ///< by their names in capitals
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
  std::istringstream in(*text);
  std::string line, keyword, set;
  std::map<std::string, std::string> args;
  const InpType* type = nullptr;
  std::vector<long> pending;
  int number = 0;
  auto upper = [](std::string s) {
    std::string r;
    for (char c : s)
      if (!std::isspace(static_cast<unsigned char>(c)))
        r += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
    return r;
  };
  auto bad = [&](const std::string& why) {
    Problem p;
    p.code = "file.unreadable";
    p.what = "the mesh file cannot be read";
    p.where = path + ", line " + std::to_string(number);
    p.why = why;
    p.todo = "mend that line, or write the file again";
    return p;
  };
  auto split = [](const std::string& s) {
    std::vector<std::string> r;
    std::stringstream ss(s);
    for (std::string w; std::getline(ss, w, ',');) {
      std::size_t b = w.find_first_not_of(" \t\r"), e = w.find_last_not_of(" \t\r");
      r.push_back(b == std::string::npos ? "" : w.substr(b, e - b + 1));
    }
    return r;
  };
  while (std::getline(in, line)) {
    if (++number % 4096 == 0 && progress) progress->check();
    if (!line.empty() && line.back() == '\r') line.pop_back();
    if (const auto at = line.find("lengths in "); number == 1 && line.compare(0, 2, "**") == 0 && at != line.npos) {
      const std::string unit = line.substr(at + 11); // what writeInp says, unless it was scaled
      if (millimetresPer(unit)) {
        m.unit = unit;
        m.unitAssumed = false;
      }
    }
    if (line.compare(0, 3, "** ") == 0) // what writeInp says of sets
      if (const auto comma = line.find(", "); comma != line.npos)
        if (const auto gap = line.find(' ', comma + 2); gap != line.npos)
          said.push_back({line.substr(3, comma - 3), line.substr(comma + 2, gap - comma - 2), line.substr(gap + 1)});
    if (line.compare(0, 2, "**") == 0 || line.find_first_not_of(" \t") == std::string::npos) continue;
    if (line[0] == '*') {
      if (!pending.empty()) return bad("the element before this line is incomplete");
      args.clear();
      auto w = split(line);
      keyword = upper(w[0]);
      for (std::size_t i = 1; i < w.size(); ++i) {
        auto eq = w[i].find('=');
        std::string v = eq == std::string::npos ? "" : w[i].substr(eq + 1);
        v.erase(std::remove(v.begin(), v.end(), ' '), v.end());
        args[upper(w[i].substr(0, eq))] = v;
      }
      type = nullptr;
      if (keyword == "*ELEMENT") {
        for (const auto& t : kTypes)
          if (upper(args["TYPE"]) == t.name) type = &t;
        if (!type) return bad("the element type '" + args["TYPE"] + "' is not known");
        set = args["ELSET"].empty() ? "region" : args["ELSET"];
      } else if (keyword == "*SURFACE")
        surfaces.push_back({args["NAME"], {}});
      else if (keyword == "*NSET")
        nsets.push_back({args["NSET"], {}});
      continue;
    }
    auto w = split(line);
    if (keyword == "*NODE") {
      if (w.size() < 4) return bad("a node needs a number and three coordinates");
      Vec3 p;
      for (int k = 0; k < 3; ++k) {
        std::string s = w[static_cast<std::size_t>(k + 1)];
        for (char& c : s)
          if (c == 'd' || c == 'D') c = 'e';
        p[k] = std::strtod(s.c_str(), nullptr);
      }
      if (!p.allFinite()) return bad("a coordinate is not a number");
      nodeAt[std::strtol(w[0].c_str(), nullptr, 10)] = static_cast<std::int32_t>(m.nodes.size());
      m.nodes.push_back(p);
    } else if (keyword == "*ELEMENT" && type) {
      for (const auto& x : w)
        if (!x.empty()) pending.push_back(std::strtol(x.c_str(), nullptr, 10));
      std::size_t need = static_cast<std::size_t>(topology(type->type).nodes) + 1;
      if (pending.size() < need) continue;
      if (pending.size() > need) return bad("an element has too many nodes");
      std::vector<std::int32_t> n;
      for (std::size_t i = 1; i < pending.size(); ++i) {
        auto it = nodeAt.find(pending[i]);
        if (it == nodeAt.end()) return bad("node " + std::to_string(pending[i]) + " is not there");
        n.push_back(it->second);
      }
      auto [r, fresh] = regionAt.emplace(upper(set), static_cast<std::int32_t>(m.regions.size()));
      if (fresh) m.regions.push_back(set);
      cellAt[pending[0]] = static_cast<std::int32_t>(m.cells.size());
      elsets[upper(set)].insert(pending[0]);
      m.cells.add(type->type, n);
      m.cellRegion.push_back(r->second);
      pending.clear();
    } else if (keyword == "*ELSET") {
      auto numbers = numbersOf(w, args.count("GENERATE") > 0, text->size());
      if (!numbers) return bad("the range of this set makes no sense");
      elsetName.try_emplace(upper(args["ELSET"]), args["ELSET"]);
      elsets[upper(args["ELSET"])].insert(numbers->begin(), numbers->end());
    } else if (keyword == "*NSET" && !nsets.empty()) {
      auto numbers = numbersOf(w, args.count("GENERATE") > 0, text->size());
      if (!numbers) return bad("the range of this set makes no sense");
      nsets.back().second.insert(nsets.back().second.end(), numbers->begin(), numbers->end());
    } else if (keyword == "*SURFACE" && w.size() >= 2 && upper(w[1]).size() == 2 && upper(w[1])[0] == 'S') {
      surfaces.back().sides.push_back({w[0], upper(w[1])[1] - '1'});
    }
  }
  if (m.cells.size() == 0) return bad("it holds no elements of a known type");
  if (!pending.empty()) return bad("the last element is incomplete");
  rebuildFaces(m);
  auto sides = facesInCells(m);
  std::map<std::pair<std::int32_t, std::int32_t>, std::int32_t> faceAt;
  for (std::size_t f = 0; f < sides.size(); ++f) faceAt[{sides[f][0], sides[f][1]}] = static_cast<std::int32_t>(f);
  for (const auto& s : surfaces) {
    MeshGroup g{s.name, 2, {}, 0};
    auto add = [&](long id, int side) {
      auto c = cellAt.find(id);
      if (c == cellAt.end()) return;
      auto f = faceAt.find({c->second, side});
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
  for (const auto& [name, ids] : nsets) {
    bool isSurface = upper(name) == "NALL";
    for (const auto& s : surfaces) isSurface = isSurface || upper(s.name) == upper(name);
    if (isSurface) continue;
    MeshGroup g{name, 0, {}, 0};
    for (long i : ids)
      if (auto it = nodeAt.find(i); it != nodeAt.end()) g.items.push_back(it->second);
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
      if (auto it = cellAt.find(i); it != cellAt.end()) g.items.push_back(it->second);
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
