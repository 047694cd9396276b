// SPDX-License-Identifier: GPL-3.0-or-later
// Reads an OpenFOAM polyMesh, text or binary, packed or not: cells are put together from their faces, patches become
// face groups, cell zones regions. Tetrahedra, pyramids, wedges and hexahedra are recognised by their faces; other
// cells are polyhedra.
#include "base/file.h"
#include "exchange/by_side.h"
#include "exchange/cell_from_faces.h"
#include "exchange/exchange.h"
#include "mesh/cell_faces.h"
#include <charconv>
#include <cstring>
#include <filesystem>
#include <unordered_map>

namespace tess {
namespace {
namespace fs = std::filesystem;

/// Thrown inside this file when a text does not go on as it should.
struct Bad {
  std::string why;
};

/// Words and numbers of one file, text or binary lists in it; remarks are passed over.
class Text {
public:
  explicit Text(std::string text) : m_text(std::move(text)) {
    skip();
    if (m_text.compare(m_at, 8, "FoamFile") != 0) throw Bad{"it does not begin with FoamFile"};
    const std::size_t end = m_text.find('}', m_at);
    if (end == std::string::npos) throw Bad{"its header does not end"};
    const std::string head = m_text.substr(m_at, end - m_at);
    m_binary = entryOf(head, "format") == "binary";
    m_class = entryOf(head, "class");
    const std::string arch = entryOf(head, "arch");
    if (arch.find("MSB") != std::string::npos) throw Bad{"its numbers are in the byte order of another machine"};
    if (arch.find("label=64") != std::string::npos) m_labelBytes = 8;
    if (arch.find("scalar=32") != std::string::npos) m_scalarBytes = 4;
    m_at = end + 1;
  }
  bool binary() const { return m_binary; }
  const std::string& kind() const { return m_class; }
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
    if (m_binary && n == 0) { // nothing follows, or an empty pair of brackets
      if (take('(')) want(')');
      return r;
    }
    r.reserve(n);
    want('(');
    if (m_binary) {
      const char* at = raw(n * m_labelBytes);
      for (std::size_t i = 0; i < n; ++i) {
        std::int64_t v = 0;
        if (m_labelBytes == 8)
          std::memcpy(&v, at + 8 * i, 8);
        else {
          std::int32_t w;
          std::memcpy(&w, at + 4 * i, 4);
          v = w;
        }
        if (v < std::numeric_limits<std::int32_t>::min() || v > std::numeric_limits<std::int32_t>::max())
          throw Bad{"it numbers more than this program counts"};
        r.push_back(static_cast<std::int32_t>(v));
      }
    } else
      for (std::size_t i = 0; i < n; ++i) r.push_back(number<std::int32_t>());
    want(')');
    return r;
  }
  std::vector<Vec3> points(const Progress* progress) {
    std::vector<Vec3> r;
    const std::size_t n = count();
    want('(');
    if (m_binary) {
      const char* at = raw(3 * n * m_scalarBytes);
      for (std::size_t i = 0; i < 3 * n; ++i) {
        double v;
        if (m_scalarBytes == 8)
          std::memcpy(&v, at + 8 * i, 8);
        else {
          float w;
          std::memcpy(&w, at + 4 * i, 4);
          v = w;
        }
        if (i % 3 == 0) r.emplace_back();
        r.back()[static_cast<int>(i % 3)] = v;
      }
    } else
      for (std::size_t i = 0; i < n; ++i) {
        if (progress && i % 4096 == 0) progress->check();
        want('(');
        Vec3 v;
        for (int k = 0; k < 3; ++k) v[k] = number<double>();
        want(')');
        r.push_back(v);
      }
    want(')');
    for (const Vec3& v : r)
      if (!v.allFinite()) throw Bad{"a coordinate is not a number"};
    return r;
  }

private:
  std::string m_text, m_class;
  std::size_t m_at = 0, m_labelBytes = 4, m_scalarBytes = 8;
  bool m_binary = false;

  static std::string entryOf(const std::string& head, const std::string& key) {
    for (std::size_t at = head.find(key); at != std::string::npos; at = head.find(key, at + 1)) {
      const std::size_t from = at + key.size();
      if ((at && !std::isspace(static_cast<unsigned char>(head[at - 1]))) || from >= head.size() ||
          !std::isspace(static_cast<unsigned char>(head[from])))
        continue;
      const std::size_t first = head.find_first_not_of(" \t\r\n", from);
      return first == std::string::npos ? "" : head.substr(first, head.find(';', first) - first);
    }
    return {};
  }
  const char* raw(std::size_t bytes) {
    if (bytes > m_text.size() - m_at) throw Bad{"it is cut short"};
    const char* at = m_text.data() + m_at;
    m_at += bytes;
    return at;
  }
  std::string place() const {
    if (m_binary) return " at byte " + std::to_string(m_at);
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

void readFaces(Text t, PolyMesh& p, const Progress* progress) {
  auto add = [&](std::size_t face, std::int32_t v) {
    if (v < 0 || static_cast<std::size_t>(v) >= p.points.size())
      throw Bad{"face " + std::to_string(face) + " refers to a point that is not there"};
    p.faceNodes.push_back(v);
  };
  if (t.kind() == "faceCompactList") { // one list of where each face starts, one of all corners
    const auto start = t.labels(), corner = t.labels();
    if (start.empty() || start.front() != 0 || static_cast<std::size_t>(start.back()) != corner.size())
      throw Bad{"the lists of its faces do not fit each other"};
    for (std::size_t i = 0; i + 1 < start.size(); ++i) {
      if (start[i + 1] < start[i] + 3) throw Bad{"face " + std::to_string(i) + " has less than three corners"};
      for (auto k = start[i]; k < start[i + 1]; ++k) add(i, corner[static_cast<std::size_t>(k)]);
      p.faceStart.push_back(static_cast<std::uint32_t>(p.faceNodes.size()));
    }
    return;
  }
  const std::size_t n = t.count();
  t.want('(');
  for (std::size_t i = 0; i < n; ++i) {
    if (progress && i % 4096 == 0) progress->check();
    const auto ring = t.labels();
    if (ring.size() < 3) throw Bad{"face " + std::to_string(i) + " has less than three corners"};
    for (auto v : ring) add(i, v);
    p.faceStart.push_back(static_cast<std::uint32_t>(p.faceNodes.size()));
  }
  t.want(')');
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
    if (rings.empty()) throw Bad{"cell " + std::to_string(c) + " has no faces"};
    if (shapeOf(rings, type, nodes))
      m.cells.add(type, nodes);
    else
      m.cells.addPolyhedron(rings);
  }
  m.cellRegion.assign(m.cells.size(), 0);
  m.regions = {"region1"};
  return m;
}

void addPatches(Mesh& m, const PolyMesh& p) {
  std::unordered_map<FaceKey, std::int32_t, FaceKeyHash> at;
  at.reserve(m.faces.size());
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    const auto n = m.faces.of(f);
    at.emplace(faceKey(n), static_cast<std::int32_t>(f));
  }
  for (const Patch& patch : p.patches) {
    if (patch.name == "unassigned" || patch.type == "empty") continue;
    MeshGroup g{patch.name, 2, {}, 0};
    if (patch.type == "wall") g.role = "wall";
    if (patch.type == "symmetry" || patch.type == "symmetryPlane") g.role = "symmetry";
    for (std::size_t f = patch.start; f < patch.start + patch.faces; ++f)
      if (auto it = at.find(faceKey(p.face(f))); it != at.end()) g.items.push_back(it->second);
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
  if (!folder) return unreadableFile(path, "there is no polyMesh in it");
  fs::path now;
  try {
    auto text = [&](const char* name) {
      if (progress) progress->check();
      now = fs::path(*folder) / name;
      std::error_code missing;
      if (!fs::exists(now, missing) && fs::exists(now.string() + ".gz", missing)) now += ".gz";
      auto t = now.extension() == ".gz" ? readPacked(now.string()) : readFile(now.string());
      if (!t) throw Bad{t.problem().code == "file.packed" ? t.problem().why : "it is not there"};
      return Text(std::move(*t));
    };
    PolyMesh p;
    p.points = text("points").points(progress);
    readFaces(text("faces"), p, progress);
    p.owner = text("owner").labels();
    p.neighbour = text("neighbour").labels();
    checkOwners(p);
    readPatches(text("boundary"), p);
    now = *folder;
    Mesh m = meshFrom(p, progress);
    std::error_code ec;
    if ((fs::exists(fs::path(*folder) / "cellZones", ec) || fs::exists(fs::path(*folder) / "cellZones.gz", ec)))
      readZones(text("cellZones"), m);
    rebuildFaces(m);
    addPatches(m, p);
    return m;
  } catch (const Bad& b) {
    return unreadableFile(now.string(), b.why);
  }
}

} // namespace tess
