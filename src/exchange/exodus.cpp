// SPDX-License-Identifier: GPL-3.0-or-later
// Exodus II as plain netCDF: a block per region and element type, side sets for face groups, node sets and element
// sets. Blocks of a region of several types are named NAME_type, so that they can be told and joined. The format has no
// unit; the title says it. netCDF's functions are used themselves: the format's own library would bring MPI along.
#include "base/file.h"
#include "base/trial.h"
#include "base/units.h"
#include "exchange/by_side.h"
#include "mesh/cell_faces.h"
#include <cstring>
#include <map>
#include <netcdf.h>
#include <set>
#include <unordered_map>

namespace tess {
namespace {

constexpr std::size_t kName = 33, kLine = 81; ///< with the closing zero

struct TypeRow {
  ElementType type;
  const char* name;
  std::array<int, 6> side; ///< the format's number of each face of ours
};
constexpr TypeRow kTypes[] = {
    {ElementType::Tet4, "TETRA", {4, 1, 2, 3, 0, 0}},       {ElementType::Tet10, "TETRA", {4, 1, 2, 3, 0, 0}},
    {ElementType::Pyramid5, "PYRAMID", {5, 1, 2, 3, 4, 0}}, {ElementType::Pyramid13, "PYRAMID", {5, 1, 2, 3, 4, 0}},
    {ElementType::Wedge6, "WEDGE", {4, 5, 1, 2, 3, 0}},     {ElementType::Wedge15, "WEDGE", {4, 5, 1, 2, 3, 0}},
    {ElementType::Hex8, "HEX", {5, 6, 1, 2, 3, 4}},         {ElementType::Hex20, "HEX", {5, 6, 1, 2, 3, 4}}};
const TypeRow* rowOf(ElementType t) {
  for (const auto& r : kTypes)
    if (r.type == t) return &r;
  return nullptr;
}
/// The type that a block's text means; texts vary, so its first letters and the count of nodes decide.
const TypeRow* rowOf(std::string text, std::size_t nodes) {
  for (char& c : text) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  for (const auto& r : kTypes)
    if (text.compare(0, 3, r.name, 3) == 0 && static_cast<std::size_t>(topology(r.type).nodes) == nodes) return &r;
  return nullptr;
}

/// Thrown inside this file with what is wrong.
struct Bad {
  std::string why;
};
void must(int status) {
  if (status != NC_NOERR) throw Bad{nc_strerror(status)};
}

class File {
public:
  File(const std::string& path, bool make, bool large) {
    if (make)
      must(nc_create(path.c_str(), NC_CLOBBER | (large ? NC_NETCDF4 | NC_CLASSIC_MODEL : NC_64BIT_OFFSET), &id));
    else
      must(nc_open(path.c_str(), NC_NOWRITE, &id));
  }
  ~File() {
    if (id >= 0) nc_close(id);
  }
  File(const File&) = delete;
  File& operator=(const File&) = delete;
  void close() {
    const int was = std::exchange(id, -1);
    must(nc_close(was));
  }
  int id = -1;

  int dim(const std::string& name, std::size_t length) const {
    int d = 0;
    must(nc_def_dim(id, name.c_str(), length, &d));
    return d;
  }
  int variable(const std::string& name, nc_type type, const std::vector<int>& dims) const {
    int v = 0;
    must(nc_def_var(id, name.c_str(), type, static_cast<int>(dims.size()), dims.data(), &v));
    return v;
  }
  void text(int v, const char* name, const std::string& value) const {
    must(nc_put_att_text(id, v, name, value.size(), value.c_str()));
  }
  void names(int v, const std::vector<std::string>& list) const {
    std::string all;
    for (const auto& n : list) {
      std::string padded = n;
      padded.resize(kName, '\0');
      all += padded;
    }
    must(nc_put_var_text(id, v, all.c_str()));
  }
};

/// Writes one kind of sets; `members` by set, with a second list for sides.
struct SetKind {
  const char *count, *status, *property, *names, *lengthPrefix, *listPrefix, *secondPrefix;
};
constexpr SetKind kSides{"num_side_sets", "ss_status", "ss_prop1", "ss_names", "num_side_ss", "elem_ss", "side_ss"};
constexpr SetKind kNodes{"num_node_sets", "ns_status", "ns_prop1", "ns_names", "num_nod_ns", "node_ns", nullptr};
constexpr SetKind kCells{"num_elem_sets", "els_status", "els_prop1", "els_names", "num_ele_els", "elem_els", nullptr};

struct Sets {
  const SetKind& kind;
  std::vector<std::string> names = {};
  std::vector<std::vector<int>> first = {}, second = {};
  std::vector<int> variables = {}; ///< status, property, names, then lists

  void define(const File& f, int nameDim) {
    if (names.empty()) return;
    const int count = f.dim(kind.count, names.size());
    variables = {f.variable(kind.status, NC_INT, {count}), f.variable(kind.property, NC_INT, {count}),
                 f.variable(kind.names, NC_CHAR, {count, nameDim})};
    f.text(variables[1], "name", "ID");
    for (std::size_t k = 0; k < names.size(); ++k) {
      const std::string number = std::to_string(k + 1);
      const int length = f.dim(kind.lengthPrefix + number, first[k].size());
      variables.push_back(f.variable(kind.listPrefix + number, NC_INT, {length}));
      if (kind.secondPrefix) variables.push_back(f.variable(kind.secondPrefix + number, NC_INT, {length}));
    }
  }
  void write(const File& f) const {
    if (names.empty()) return;
    std::vector<int> on(names.size(), 1), ids(names.size());
    for (std::size_t k = 0; k < ids.size(); ++k) ids[k] = static_cast<int>(k) + 1;
    must(nc_put_var_int(f.id, variables[0], on.data()));
    must(nc_put_var_int(f.id, variables[1], ids.data()));
    f.names(variables[2], names);
    std::size_t at = 3;
    for (std::size_t k = 0; k < names.size(); ++k) {
      must(nc_put_var_int(f.id, variables[at++], first[k].data()));
      if (kind.secondPrefix) must(nc_put_var_int(f.id, variables[at++], second[k].data()));
    }
  }
};

void write(const Mesh& m, const std::string& path, double scale) {
  const auto blocks = cellBlocks(m);
  std::vector<int> number(m.cells.size(), 0); // through all blocks, from 1
  int next = 1;
  for (const auto& b : blocks)
    for (auto c : b.cells) number[static_cast<std::size_t>(c)] = next++;
  std::vector<std::string> names = m.regions;
  for (const auto& g : m.groups) names.push_back(g.name);
  names = solverNames(names);
  std::vector<std::string> blockNames;
  for (const auto& b : blocks) {
    std::string name = names[static_cast<std::size_t>(b.region)];
    if (std::count_if(blocks.begin(), blocks.end(), [&](const auto& x) { return x.region == b.region; }) > 1) {
      const std::string tail = "_" + std::string(topology(b.type).name);
      name = name.substr(0, kName - 2 - tail.size()) + tail;
    }
    blockNames.push_back(name);
  }
  blockNames = solverNames(blockNames);
  Sets sides{kSides}, nodes{kNodes}, cells{kCells};
  const auto behind = facesInCells(m);
  for (std::size_t k = 0; k < m.groups.size(); ++k) {
    const MeshGroup& g = m.groups[k];
    if (g.items.empty()) continue;
    const std::string& name = names[m.regions.size() + k];
    std::vector<int> list, second;
    if (g.dim == 2) {
      std::set<int> on;
      for (auto f : g.items) {
        const auto [cell, face] = behind[static_cast<std::size_t>(f)];
        if (cell < 0) continue;
        list.push_back(number[static_cast<std::size_t>(cell)]);
        second.push_back(rowOf(m.cells.type[static_cast<std::size_t>(cell)])->side[static_cast<std::size_t>(face)]);
        for (auto n : m.faces.of(static_cast<std::size_t>(f))) on.insert(n + 1);
      }
      sides.names.push_back(name);
      sides.first.push_back(list);
      sides.second.push_back(second);
      nodes.names.push_back(name); // conditions on nodes find the same set
      nodes.first.push_back({on.begin(), on.end()});
    } else {
      for (auto i : g.items) list.push_back(g.dim == 3 ? number[static_cast<std::size_t>(i)] : i + 1);
      if (g.dim == 3) std::sort(list.begin(), list.end());
      (g.dim == 3 ? cells : nodes).names.push_back(name);
      (g.dim == 3 ? cells : nodes).first.push_back(list);
    }
  }
  std::size_t largest = 8 * m.nodes.size();
  for (const auto& b : blocks)
    largest = std::max(largest, 4 * b.cells.size() * static_cast<std::size_t>(topology(b.type).nodes));
  File f(path, true, largest > std::size_t{3} << 30);
  must(nc_set_fill(f.id, NC_NOFILL, nullptr));
  const std::string unit = unitScaled(m.unit, scale);
  std::string title =
      "mesh written by Tesselite; lengths in " + (unit.empty() ? m.unit + " x " + formatNumber(scale) : unit);
  title.resize(std::min(title.size(), kLine - 1));
  const float version = 5.14f;
  const int eight = 8, one = 1, longest = static_cast<int>(kName) - 1;
  must(nc_put_att_float(f.id, NC_GLOBAL, "api_version", NC_FLOAT, 1, &version));
  must(nc_put_att_float(f.id, NC_GLOBAL, "version", NC_FLOAT, 1, &version));
  must(nc_put_att_int(f.id, NC_GLOBAL, "floating_point_word_size", NC_INT, 1, &eight));
  must(nc_put_att_int(f.id, NC_GLOBAL, "file_size", NC_INT, 1, &one));
  must(nc_put_att_int(f.id, NC_GLOBAL, "maximum_name_length", NC_INT, 1, &longest));
  f.text(NC_GLOBAL, "title", title);
  const int nameDim = f.dim("len_name", kName);
  f.dim("len_string", kName);
  f.dim("len_line", kLine);
  f.dim("four", 4);
  const int dimDim = f.dim("num_dim", 3), nodeDim = f.dim("num_nodes", m.nodes.size());
  f.dim("num_elem", m.cells.size());
  const int blockDim = f.dim("num_el_blk", blocks.size()), timeDim = f.dim("time_step", NC_UNLIMITED);
  f.variable("time_whole", NC_DOUBLE, {timeDim});
  const int coordinate[3] = {f.variable("coordx", NC_DOUBLE, {nodeDim}), f.variable("coordy", NC_DOUBLE, {nodeDim}),
                             f.variable("coordz", NC_DOUBLE, {nodeDim})};
  const int axes = f.variable("coor_names", NC_CHAR, {dimDim, nameDim});
  const int status = f.variable("eb_status", NC_INT, {blockDim}), ids = f.variable("eb_prop1", NC_INT, {blockDim}),
            labels = f.variable("eb_names", NC_CHAR, {blockDim, nameDim});
  f.text(ids, "name", "ID");
  std::vector<int> connect;
  for (std::size_t b = 0; b < blocks.size(); ++b) {
    const std::string k = std::to_string(b + 1);
    const int count = f.dim("num_el_in_blk" + k, blocks[b].cells.size()),
              per = f.dim("num_nod_per_el" + k, static_cast<std::size_t>(topology(blocks[b].type).nodes));
    connect.push_back(f.variable("connect" + k, NC_INT, {count, per}));
    f.text(connect.back(), "elem_type", rowOf(blocks[b].type)->name);
  }
  for (auto* s : {&sides, &nodes, &cells}) s->define(f, nameDim);
  must(nc_enddef(f.id));
  std::vector<double> x(m.nodes.size());
  for (int k = 0; k < 3; ++k) {
    for (std::size_t i = 0; i < x.size(); ++i) x[i] = scale * m.nodes[i][k];
    must(nc_put_var_double(f.id, coordinate[k], x.data()));
  }
  f.names(axes, {"x", "y", "z"});
  std::vector<int> on(blocks.size(), 1), id(blocks.size());
  for (std::size_t b = 0; b < id.size(); ++b) id[b] = static_cast<int>(b) + 1;
  must(nc_put_var_int(f.id, status, on.data()));
  must(nc_put_var_int(f.id, ids, id.data()));
  f.names(labels, blockNames);
  std::vector<std::int32_t> n;
  for (std::size_t b = 0; b < blocks.size(); ++b) {
    std::vector<int> list;
    for (auto c : blocks[b].cells) {
      const auto q = m.cells.of(static_cast<std::size_t>(c));
      n.assign(q.begin(), q.end());
      swapTopAndUprights(blocks[b].type, n);
      for (auto v : n) list.push_back(v + 1);
    }
    must(nc_put_var_int(f.id, connect[b], list.data()));
  }
  for (auto* s : {&sides, &nodes, &cells}) s->write(f);
  f.close();
}

/// What readers ask of an open file.
class Reader {
public:
  explicit Reader(const std::string& path) : f(path, false, false) {}
  std::size_t size(const std::string& dim) const {
    int d = 0;
    std::size_t n = 0;
    if (nc_inq_dimid(f.id, dim.c_str(), &d) != NC_NOERR || nc_inq_dimlen(f.id, d, &n) != NC_NOERR) return 0;
    return n;
  }
  int variable(const std::string& name) const {
    int v = -1;
    return nc_inq_varid(f.id, name.c_str(), &v) == NC_NOERR ? v : -1;
  }
  /// How many values a variable holds.
  std::size_t length(int v) const {
    int dims = 0, id[NC_MAX_VAR_DIMS];
    must(nc_inq_varndims(f.id, v, &dims));
    must(nc_inq_vardimid(f.id, v, id));
    std::size_t n = 1, k = 0;
    for (int d = 0; d < dims; ++d) {
      must(nc_inq_dimlen(f.id, id[d], &k));
      n *= k;
    }
    return n;
  }
  std::vector<int> ints(const std::string& name) const {
    const int v = variable(name);
    if (v < 0) return {};
    std::vector<int> r(length(v));
    if (!r.empty()) must(nc_get_var_int(f.id, v, r.data()));
    return r;
  }
  std::vector<double> doubles(const std::string& name) const {
    const int v = variable(name);
    if (v < 0) return {};
    std::vector<double> r(length(v));
    if (!r.empty()) must(nc_get_var_double(f.id, v, r.data()));
    return r;
  }
  std::vector<std::string> names(const std::string& name, std::size_t count) const {
    std::vector<std::string> r(count);
    const int v = variable(name);
    if (v < 0 || count == 0) return r;
    nc_type type = 0;
    must(nc_inq_vartype(f.id, v, &type));
    const std::size_t all = length(v), each = all / count;
    if (type != NC_CHAR || each * count != all) return r;
    std::string text(all, '\0');
    must(nc_get_var_text(f.id, v, text.data()));
    for (std::size_t k = 0; k < count; ++k) {
      r[k] = text.substr(k * each, each).c_str(); // up to the first zero
      while (!r[k].empty() && r[k].back() == ' ') r[k].pop_back();
    }
    return r;
  }
  std::string attribute(int v, const char* name) const {
    std::size_t n = 0;
    nc_type type = 0;
    if (nc_inq_att(f.id, v, name, &type, &n) != NC_NOERR || type != NC_CHAR) return {};
    std::string r(n, '\0');
    if (n) must(nc_get_att_text(f.id, v, name, r.data()));
    return r.c_str();
  }

private:
  File f;
};

Mesh read(const std::string& path, const Progress* progress) {
  Reader in(path);
  Mesh m;
  m.unitAssumed = true;
  if (const std::string title = in.attribute(NC_GLOBAL, "title"); title.find("lengths in ") != std::string::npos)
    if (const std::string unit = title.substr(title.find("lengths in ") + 11); millimetresPer(unit)) {
      m.unit = unit;
      m.unitAssumed = false;
    }
  const std::size_t nodes = in.size("num_nodes"), blocks = in.size("num_el_blk");
  if (in.size("num_dim") != 3) throw Bad{"it is no mesh of three dimensions"};
  std::vector<double> x[3] = {in.doubles("coordx"), in.doubles("coordy"), in.doubles("coordz")};
  if (const auto all = in.doubles("coord"); all.size() == 3 * nodes) // an older way: all in one
    for (std::size_t k = 0; k < 3; ++k)
      x[k].assign(all.begin() + static_cast<std::ptrdiff_t>(k * nodes),
                  all.begin() + static_cast<std::ptrdiff_t>((k + 1) * nodes));
  for (const auto& k : x)
    if (k.size() != nodes || nodes == 0) throw Bad{"coordinates are missing"};
  for (std::size_t i = 0; i < nodes; ++i) {
    m.nodes.emplace_back(x[0][i], x[1][i], x[2][i]);
    if (!m.nodes.back().allFinite()) throw Bad{"a coordinate is not a number"};
  }
  const auto names = in.names("eb_names", blocks);
  const auto ids = in.ints("eb_prop1");
  struct Block {
    std::string name;
    const TypeRow* type;
    std::size_t from, to; ///< elements of the file, from 0
  };
  std::vector<Block> read;
  std::vector<std::int32_t> cellOf; ///< by element of the file; -1: none of ours
  for (std::size_t b = 0; b < blocks; ++b) {
    if (progress) progress->check();
    const std::string k = std::to_string(b + 1);
    const std::size_t count = in.size("num_el_in_blk" + k), per = in.size("num_nod_per_el" + k);
    std::string name = names[b];
    if (name.empty()) name = "block" + std::to_string(b < ids.size() ? ids[b] : static_cast<int>(b) + 1);
    const int v = in.variable("connect" + k);
    const std::string text = v < 0 ? "" : in.attribute(v, "elem_type");
    const std::size_t from = cellOf.size();
    if (count == 0) continue;
    const TypeRow* row = rowOf(text, per);
    std::string upper = text.substr(0, 3);
    for (char& c : upper) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
    if (!row && upper != "SHE" && upper != "TRI" && upper != "QUA" && upper != "BAR" && upper != "BEA" &&
        upper != "TRU" && upper != "SPH" && upper != "EDG")
      throw Bad{"block '" + name + "' has elements of type '" + text + "' with " + std::to_string(per) +
                " nodes, which cannot be read"};
    if (row) {
      const auto list = in.ints("connect" + k);
      if (list.size() != count * per) throw Bad{"block '" + name + "' is damaged"};
      std::vector<std::int32_t> n(per);
      for (std::size_t e = 0; e < count; ++e) {
        for (std::size_t i = 0; i < per; ++i) {
          const int node = list[e * per + i];
          if (node < 1 || static_cast<std::size_t>(node) > nodes)
            throw Bad{"block '" + name + "' refers to node " + std::to_string(node) + ", which is not there"};
          n[i] = node - 1;
        }
        std::vector<std::int32_t> own = n;
        swapTopAndUprights(row->type, own);
        cellOf.push_back(static_cast<std::int32_t>(m.cells.size()));
        m.cells.add(row->type, own);
      }
    } else
      cellOf.resize(cellOf.size() + count, -1);
    read.push_back({name, row, from, cellOf.size()});
  }
  if (m.cells.size() == 0) throw Bad{"it holds no volume elements"};
  // NAME_type beside another of the same NAME: one region of several types.
  auto stem = [](const Block& b) {
    const std::string tail = b.type ? "_" + std::string(topology(b.type->type).name) : "";
    return b.type && b.name.size() > tail.size() && b.name.ends_with(tail)
               ? b.name.substr(0, b.name.size() - tail.size())
               : "";
  };
  std::map<std::string, int> stems;
  for (const auto& b : read)
    if (const auto s = stem(b); !s.empty()) ++stems[s];
  m.cellRegion.assign(m.cells.size(), 0);
  for (const auto& b : read) {
    if (!b.type) continue;
    const auto s = stem(b);
    const std::string name = !s.empty() && stems[s] > 1 ? s : b.name;
    auto it = std::find(m.regions.begin(), m.regions.end(), name);
    if (it == m.regions.end()) it = m.regions.insert(it, name);
    for (std::size_t e = b.from; e < b.to; ++e)
      m.cellRegion[static_cast<std::size_t>(cellOf[e])] = static_cast<std::int32_t>(it - m.regions.begin());
  }
  rebuildFaces(m);
  std::unordered_map<FaceKey, std::int32_t, FaceKeyHash> at;
  for (std::size_t k = 0; k < m.faces.size(); ++k)
    at.emplace(faceKey(m.faces.corners(k)), static_cast<std::int32_t>(k));
  auto tidy = [](MeshGroup& g) {
    std::sort(g.items.begin(), g.items.end());
    g.items.erase(std::unique(g.items.begin(), g.items.end()), g.items.end());
  };
  std::set<std::string> sideNames;
  const std::size_t sideSets = in.size(kSides.count), nodeSets = in.size(kNodes.count),
                    cellSets = in.size(kCells.count);
  auto nameOf = [&](const std::vector<std::string>& list, std::size_t k, const char* what, const char* property) {
    if (!list[k].empty()) return list[k];
    const auto id = in.ints(property);
    return what + std::to_string(k < id.size() ? id[k] : static_cast<int>(k) + 1);
  };
  const auto ss = in.names(kSides.names, sideSets), ns = in.names(kNodes.names, nodeSets),
             els = in.names(kCells.names, cellSets);
  for (std::size_t k = 0; k < sideSets; ++k) {
    const auto elements = in.ints(kSides.listPrefix + std::to_string(k + 1)),
               numbers = in.ints(kSides.secondPrefix + std::to_string(k + 1));
    MeshGroup g{nameOf(ss, k, "sides", kSides.property), 2, {}, 0};
    sideNames.insert(g.name);
    std::vector<std::int32_t> ring;
    for (std::size_t i = 0; i < std::min(elements.size(), numbers.size()); ++i) {
      if (elements[i] < 1 || static_cast<std::size_t>(elements[i]) > cellOf.size()) continue;
      const auto c = cellOf[static_cast<std::size_t>(elements[i]) - 1];
      if (c < 0) continue;
      const auto& side = rowOf(m.cells.type[static_cast<std::size_t>(c)])->side;
      const auto f = std::find(side.begin(), side.end(), numbers[i]);
      if (f == side.end() || numbers[i] < 1)
        throw Bad{"side set '" + g.name + "' names side " + std::to_string(numbers[i]) +
                  " of an element that has none such"};
      ring.clear();
      for (auto v : m.cells.faceCorners(static_cast<std::size_t>(c), static_cast<std::size_t>(f - side.begin())))
        ring.push_back(m.cells.of(static_cast<std::size_t>(c))[static_cast<std::size_t>(v)]);
      if (const auto it = at.find(faceKey(ring)); it != at.end()) g.items.push_back(it->second);
    }
    tidy(g);
    m.groups.push_back(std::move(g));
  }
  for (std::size_t k = 0; k < nodeSets; ++k) {
    MeshGroup g{nameOf(ns, k, "nodes", kNodes.property), 0, {}, 0};
    if (sideNames.count(g.name)) continue; // the nodes of a side set
    for (auto v : in.ints(kNodes.listPrefix + std::to_string(k + 1)))
      if (v >= 1 && static_cast<std::size_t>(v) <= nodes) g.items.push_back(v - 1);
    tidy(g);
    m.groups.push_back(std::move(g));
  }
  for (std::size_t k = 0; k < cellSets; ++k) {
    MeshGroup g{nameOf(els, k, "elements", kCells.property), 3, {}, 0};
    for (auto v : in.ints(kCells.listPrefix + std::to_string(k + 1)))
      if (v >= 1 && static_cast<std::size_t>(v) <= cellOf.size() && cellOf[static_cast<std::size_t>(v) - 1] >= 0)
        g.items.push_back(cellOf[static_cast<std::size_t>(v) - 1]);
    tidy(g);
    m.groups.push_back(std::move(g));
  }
  return m;
}

} // namespace

std::optional<Problem> writeExodus(const Mesh& m, const std::string& path, double scale) {
  for (auto t : m.cells.type)
    if (!rowOf(t)) return cannotHold(MeshFormat::Exodus, t, path);
  return writeByLibrary(path, [&](const std::string& beside) -> std::string {
    try {
      write(m, beside, scale);
      return {};
    } catch (const Bad& b) {
      return b.why;
    }
  });
}

Result<Mesh> readExodus(const std::string& path, const Progress* progress) {
  if (auto text = readFile(path); !text) return text.problem();
  if (!readerSurvives("exodus", path, progress))
    return unreadableFile(path, "its contents are damaged, or need more memory than such a file can");
  try {
    return read(path, progress);
  } catch (const Bad& b) {
    return unreadableFile(path, b.why);
  }
}

} // namespace tess
