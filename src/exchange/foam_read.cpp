// SPDX-License-Identifier: GPL-3.0-or-later
// Reads an OpenFOAM polyMesh in text: cells are put together from their faces, patches become face groups, cell zones
// regions. Tetrahedra, pyramids, wedges and hexahedra are recognised by their faces; other cells are refused.
#include "base/file.h"
#include "exchange/exchange.h"
#include "mesh/cell_faces.h"
#include <charconv>
#include <cstring>
#include <filesystem>
#include <unordered_map>

namespace tess {
namespace {
namespace fs = std::filesystem;

Problem unreadable(const fs::path& file, const std::string& why) {
  Problem p;
  p.code = "file.unreadable";
  p.what = "the mesh file cannot be read";
  p.where = file.string();
  p.why = why;
  p.todo = "check that the folder is complete, or write the mesh again as text, not packed";
  return p;
}

/// Thrown inside this file when a text does not go on as it should.
struct Bad {
  std::string why;
};

/// Words and numbers of one file; remarks are passed over.
class Text {
public:
  explicit Text(std::string text) : m_text(std::move(text)) {
    skip();
    if (m_text.compare(m_at, 8, "FoamFile") != 0) throw Bad{"it does not begin with FoamFile"};
    const std::size_t end = m_text.find('}', m_at);
    if (end == std::string::npos) throw Bad{"its header does not end"};
    if (m_text.substr(m_at, end - m_at).find("binary") != std::string::npos) throw Bad{"it is binary"};
    m_at = end + 1;
  }
  void skip() {
    for (;;) {
      while (m_at < m_text.size() && std::isspace(static_cast<unsigned char>(m_text[m_at]))) ++m_at;
      if (m_text.compare(m_at, 2, "//") == 0)
        m_at = std::min(m_text.find('\n', m_at), m_text.size());
      else if (m_text.compare(m_at, 2, "/*") == 0) {
        const std::size_t end = m_text.find("*/", m_at);
        m_at = end == std::string::npos ? m_text.size() : end + 2;
      } else
        return;
    }
  }
  bool take(char c) {
    skip();
    if (m_at >= m_text.size() || m_text[m_at] != c) return false;
    ++m_at;
    return true;
  }
  void want(char c) {
    if (!take(c)) throw Bad{std::string("a '") + c + "' is missing" + place()};
  }
  template <class T> T number() {
    skip();
    T v{};
    const auto [end, error] = std::from_chars(m_text.data() + m_at, m_text.data() + m_text.size(), v);
    if (error != std::errc()) throw Bad{"a number is missing" + place()};
    m_at = static_cast<std::size_t>(end - m_text.data());
    return v;
  }
  /// Number of entries of a list; never more than the rest of the file can hold.
  std::size_t count() {
    const auto n = number<long long>();
    if (n < 0 || static_cast<std::size_t>(n) > m_text.size() - m_at)
      throw Bad{"it claims more entries than it holds" + place()};
    return static_cast<std::size_t>(n);
  }
  std::string word() {
    skip();
    const std::size_t from = m_at;
    while (m_at < m_text.size() && !std::isspace(static_cast<unsigned char>(m_text[m_at])) &&
           !std::strchr("{}();", m_text[m_at]))
      ++m_at;
    return m_text.substr(from, m_at - from);
  }
  /// A value up to its semicolon.
  std::string value() {
    skip();
    const std::size_t end = m_text.find(';', m_at);
    if (end == std::string::npos) throw Bad{"a ';' is missing" + place()};
    std::string v = m_text.substr(m_at, end - m_at);
    m_at = end + 1;
    while (!v.empty() && std::isspace(static_cast<unsigned char>(v.back()))) v.pop_back();
    return v;
  }
  std::vector<std::int32_t> labels() {
    std::vector<std::int32_t> r;
    const std::size_t n = count();
    if (take('{')) { // all alike
      r.assign(n, number<std::int32_t>());
      want('}');
      return r;
    }
    r.reserve(n);
    want('(');
    for (std::size_t i = 0; i < n; ++i) r.push_back(number<std::int32_t>());
    want(')');
    return r;
  }

private:
  std::string m_text;
  std::size_t m_at = 0;
  std::string place() const {
    return " in line " +
           std::to_string(1 + std::count(m_text.begin(),
                                         m_text.begin() + static_cast<std::ptrdiff_t>(std::min(m_at, m_text.size())),
                                         '\n'));
  }
};

struct Patch {
  std::string name, type;
  std::size_t faces = 0, start = 0;
};

struct PolyMesh {
  std::vector<Vec3> points;
  std::vector<std::uint32_t> faceStart{0};
  std::vector<std::int32_t> faceNodes, owner, neighbour;
  std::vector<Patch> patches;
  std::size_t cells = 0;
  std::span<const std::int32_t> face(std::size_t f) const {
    return {faceNodes.data() + faceStart[f], faceStart[f + 1] - faceStart[f]};
  }
};

void readPoints(Text t, PolyMesh& p, const Progress* progress) {
  const std::size_t n = t.count();
  t.want('(');
  for (std::size_t i = 0; i < n; ++i) {
    if (progress && i % 4096 == 0) progress->check();
    t.want('(');
    Vec3 v;
    for (int k = 0; k < 3; ++k) v[k] = t.number<double>();
    t.want(')');
    if (!v.allFinite()) throw Bad{"a coordinate is not a number"};
    p.points.push_back(v);
  }
}

void readFaces(Text t, PolyMesh& p, const Progress* progress) {
  const std::size_t n = t.count();
  t.want('(');
  for (std::size_t i = 0; i < n; ++i) {
    if (progress && i % 4096 == 0) progress->check();
    const std::size_t k = t.count();
    t.want('(');
    for (std::size_t j = 0; j < k; ++j) {
      const auto v = t.number<std::int32_t>();
      if (v < 0 || static_cast<std::size_t>(v) >= p.points.size())
        throw Bad{"face " + std::to_string(i) + " refers to a point that is not there"};
      p.faceNodes.push_back(v);
    }
    t.want(')');
    p.faceStart.push_back(static_cast<std::uint32_t>(p.faceNodes.size()));
  }
}

void readPatches(Text t, PolyMesh& p) {
  const std::size_t n = t.count();
  t.want('(');
  for (std::size_t i = 0; i < n; ++i) {
    Patch patch;
    patch.name = t.word();
    t.want('{');
    while (!t.take('}')) {
      const std::string key = t.word(), value = t.value();
      if (key.empty()) throw Bad{"an entry of patch '" + patch.name + "' has no name"};
      if (key == "type") patch.type = value;
      if (key == "nFaces") patch.faces = static_cast<std::size_t>(std::strtoull(value.c_str(), nullptr, 10));
      if (key == "startFace") patch.start = static_cast<std::size_t>(std::strtoull(value.c_str(), nullptr, 10));
    }
    if (patch.start > p.owner.size() || patch.faces > p.owner.size() - patch.start)
      throw Bad{"patch '" + patch.name + "' has faces that are not there"};
    p.patches.push_back(patch);
  }
}

void checkOwners(PolyMesh& p) {
  if (p.owner.size() + 1 != p.faceStart.size()) throw Bad{"there are not as many owners as faces"};
  if (p.neighbour.size() > p.owner.size()) throw Bad{"there are more neighbours than faces"};
  for (const auto* list : {&p.owner, &p.neighbour})
    for (auto c : *list) {
      if (c < 0 || static_cast<std::size_t>(c) > 2 * p.owner.size()) throw Bad{"a face belongs to no cell"};
      p.cells = std::max(p.cells, static_cast<std::size_t>(c) + 1);
    }
}

/// A cell from its faces, each as a ring seen from outside. False when it is none of the known shapes.
bool shapeOf(const std::vector<std::vector<std::int32_t>>& faces, ElementType& type, std::vector<std::int32_t>& nodes) {
  std::vector<std::int32_t> all;
  std::size_t triangles = 0, quads = 0;
  for (const auto& f : faces) {
    triangles += f.size() == 3;
    quads += f.size() == 4;
    all.insert(all.end(), f.begin(), f.end());
  }
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end()), all.end());
  if (triangles + quads != faces.size()) return false;
  std::size_t baseCorners;
  if (triangles == 4 && !quads && all.size() == 4)
    type = ElementType::Tet4, baseCorners = 3;
  else if (triangles == 4 && quads == 1 && all.size() == 5)
    type = ElementType::Pyramid5, baseCorners = 4;
  else if (triangles == 2 && quads == 3 && all.size() == 6)
    type = ElementType::Wedge6, baseCorners = 3;
  else if (!triangles && quads == 6 && all.size() == 8)
    type = ElementType::Hex8, baseCorners = 4;
  else
    return false;
  // The base is seen from inside, i.e. the ring of its face backwards.
  const auto base = std::find_if(faces.begin(), faces.end(), [&](const auto& f) { return f.size() == baseCorners; });
  nodes = {base->front()};
  for (std::size_t i = baseCorners - 1; i > 0; --i) nodes.push_back((*base)[i]);
  auto inBase = [&](std::int32_t v) { return std::find(base->begin(), base->end(), v) != base->end(); };
  for (std::size_t i = 0; i < baseCorners; ++i) { // what stands above each of its corners
    std::int32_t above = -1;
    for (const auto& f : faces)
      for (std::size_t k = 0; k < f.size(); ++k) {
        if (f[k] != nodes[i]) continue;
        for (std::int32_t w : {f[(k + 1) % f.size()], f[(k + f.size() - 1) % f.size()]}) {
          if (inBase(w)) continue;
          if (above >= 0 && above != w) return false;
          above = w;
        }
      }
    if (above < 0) return false;
    if (nodes.size() < all.size()) nodes.push_back(above);
    if (type == ElementType::Tet4 || type == ElementType::Pyramid5) break;
  }
  return nodes.size() == all.size();
}

void readZones(Text t, Mesh& m) {
  const std::size_t n = t.count();
  t.want('(');
  std::vector<std::string> names;
  std::vector<std::int32_t> region(m.cells.size(), -1);
  for (std::size_t i = 0; i < n; ++i) {
    names.push_back(t.word());
    t.want('{');
    while (!t.take('}')) {
      if (t.word() != "cellLabels") {
        t.value();
        continue;
      }
      t.word(); // List<label>
      for (auto c : t.labels())
        if (c >= 0 && static_cast<std::size_t>(c) < region.size())
          region[static_cast<std::size_t>(c)] = static_cast<std::int32_t>(i);
      t.want(';');
    }
  }
  if (names.empty()) return;
  if (std::find(region.begin(), region.end(), -1) != region.end()) { // cells in no zone
    for (auto& r : region)
      if (r < 0) r = static_cast<std::int32_t>(names.size());
    names.push_back("rest");
  }
  m.regions = names;
  m.cellRegion = region;
}

Mesh meshFrom(const PolyMesh& p, const Progress* progress) {
  Mesh m;
  m.unit = "m"; // by convention
  m.nodes = p.points;
  std::vector<std::vector<std::size_t>> of(p.cells);
  for (std::size_t f = 0; f < p.owner.size(); ++f) {
    of[static_cast<std::size_t>(p.owner[f])].push_back(f);
    if (f < p.neighbour.size()) of[static_cast<std::size_t>(p.neighbour[f])].push_back(f);
  }
  std::size_t strange = 0;
  std::vector<std::vector<std::int32_t>> rings;
  std::vector<std::int32_t> nodes;
  for (std::size_t c = 0; c < p.cells; ++c) {
    if (progress && c % 4096 == 0) progress->check();
    rings.clear();
    for (std::size_t f : of[c]) {
      rings.emplace_back(p.face(f).begin(), p.face(f).end());
      if (static_cast<std::size_t>(p.owner[f]) != c) std::reverse(rings.back().begin(), rings.back().end());
    }
    ElementType type{};
    if (rings.empty() || !shapeOf(rings, type, nodes)) {
      ++strange;
      continue;
    }
    m.cells.add(type, nodes);
  }
  if (strange)
    throw Bad{std::to_string(strange) + " of its " + std::to_string(p.cells) +
              " cells are no tetrahedra, pyramids, wedges or hexahedra"};
  m.cellRegion.assign(m.cells.size(), 0);
  m.regions = {"region1"};
  return m;
}

void addPatches(Mesh& m, const PolyMesh& p) {
  std::unordered_map<FaceKey, std::int32_t, FaceKeyHash> at;
  at.reserve(m.faces.size());
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    const auto n = m.faces.of(f);
    at.emplace(faceKey(n.data(), topology(m.faces.type[f]).corners), static_cast<std::int32_t>(f));
  }
  for (const Patch& patch : p.patches) {
    if (patch.name == "unassigned" || patch.type == "empty") continue;
    MeshGroup g{patch.name, 2, {}, 0};
    if (patch.type == "wall") g.role = "wall";
    if (patch.type == "symmetry" || patch.type == "symmetryPlane") g.role = "symmetry";
    for (std::size_t f = patch.start; f < patch.start + patch.faces; ++f)
      if (auto it = at.find(faceKey(p.face(f).data(), static_cast<int>(p.face(f).size()))); it != at.end())
        g.items.push_back(it->second);
    std::sort(g.items.begin(), g.items.end());
    m.groups.push_back(std::move(g));
  }
}

} // namespace

std::optional<std::string> polyMeshFolder(const std::string& path) {
  if (const fs::path folder = fs::path(path).parent_path();
      folder.filename() == "polyMesh" && fs::path(path) != folder) {
    std::error_code ec;
    if (fs::is_regular_file(path, ec)) return polyMeshFolder(folder.string());
  }
  for (const fs::path& p : {fs::path(path), fs::path(path) / "polyMesh", fs::path(path) / "constant" / "polyMesh"}) {
    std::error_code ec;
    if (p.filename() == "polyMesh") restoreFolder(p.string());
    if (fs::is_directory(p, ec) && (fs::exists(p / "faces", ec) || fs::exists(p / "faces.gz", ec))) return p.string();
  }
  return {};
}

Result<Mesh> readFoam(const std::string& path, const Progress* progress) {
  const auto folder = polyMeshFolder(path);
  if (!folder) return unreadable(path, "there is no polyMesh in it");
  fs::path now;
  try {
    auto text = [&](const char* name) {
      if (progress) progress->check();
      now = fs::path(*folder) / name;
      auto t = readFile(now.string());
      if (!t) {
        std::error_code ec;
        throw Bad{fs::exists(now.string() + ".gz", ec) ? "it is packed" : "it is not there"};
      }
      return Text(std::move(*t));
    };
    PolyMesh p;
    readPoints(text("points"), p, progress);
    readFaces(text("faces"), p, progress);
    p.owner = text("owner").labels();
    p.neighbour = text("neighbour").labels();
    checkOwners(p);
    readPatches(text("boundary"), p);
    now = *folder;
    Mesh m = meshFrom(p, progress);
    std::error_code ec;
    if (fs::exists(fs::path(*folder) / "cellZones", ec)) readZones(text("cellZones"), m);
    rebuildFaces(m);
    addPatches(m, p);
    return m;
  } catch (const Bad& b) {
    return unreadable(now, b.why);
  }
}

} // namespace tess
