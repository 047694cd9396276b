// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/run_store.h"
#include "base/checksum.h"
#include "base/file.h"
#include "job/limit_file.h"
#include "job/limits.h"
#include "mesher/mesher.h"
#include <cstring>
#include <filesystem>
#include <nlohmann/json.hpp>

namespace tess {
namespace {

constexpr char kMagic[8] = {'T', 'E', 'S', 'S', 'R', 'U', 'N', '2'};

constexpr std::size_t kSumDigits = 32;
std::string sumOf(std::string_view bytes) {
  Checksum sum;
  sum.add(bytes);
  return sum.hex();
}

class Writer {
public:
  std::string bytes;
  template <class T> void put(const T& v) {
    static_assert(std::is_trivially_copyable_v<T>);
    bytes.append(reinterpret_cast<const char*>(&v), sizeof v);
  }
  template <class T> void put(const std::vector<T>& v) {
    static_assert(std::is_trivially_copyable_v<T>);
    put(static_cast<std::uint64_t>(v.size()));
    if (!v.empty()) bytes.append(reinterpret_cast<const char*>(v.data()), v.size() * sizeof(T));
  }
  void text(const std::string& s) { put(std::vector<char>(s.begin(), s.end())); }
  void points(const std::vector<Vec3>& p) {
    put(static_cast<std::uint64_t>(p.size()));
    for (const Vec3& x : p)
      for (int k = 0; k < 3; ++k) put(x[k]);
  }
};

/// Reads what Writer wrote; every length is checked against what is left.
class ByteReader {
public:
  explicit ByteReader(const std::string& bytes, std::size_t at) : m_b(bytes), m_at(at) {}
  bool good = true;
  template <class T> void get(T& v) {
    if (!take(sizeof v)) return;
    std::memcpy(&v, m_b.data() + m_at - sizeof v, sizeof v);
  }
  template <class T> void get(std::vector<T>& v) {
    std::uint64_t n = 0;
    get(n);
    if (!good || n > (m_b.size() - m_at) / sizeof(T)) return void(good = false);
    v.resize(n);
    if (n) std::memcpy(v.data(), m_b.data() + m_at, n * sizeof(T));
    m_at += n * sizeof(T);
  }
  std::string text() {
    std::vector<char> c;
    get(c);
    return {c.begin(), c.end()};
  }
  void points(std::vector<Vec3>& p) {
    std::uint64_t n = 0;
    get(n);
    if (!good || n > (m_b.size() - m_at) / (3 * sizeof(double))) return void(good = false);
    p.resize(n);
    for (Vec3& x : p)
      for (int k = 0; k < 3; ++k) get(x[k]);
  }
  bool atEnd() const { return m_at == m_b.size(); }

private:
  const std::string& m_b;
  std::size_t m_at;
  bool take(std::size_t n) {
    if (!good || n > m_b.size() - m_at) return good = false;
    m_at += n;
    return true;
  }
};

/// A link as it lies in the file: without bytes that nobody has written.
struct StoredLink {
  std::int8_t dim, unused[3];
  std::int32_t entity;
};

void pass(Writer& w, const std::vector<GeometryLink>& links) {
  std::vector<StoredLink> s;
  s.reserve(links.size());
  for (const auto& l : links) s.push_back({l.dim, {0, 0, 0}, l.entity});
  w.put(s);
}
void pass(ByteReader& r, std::vector<GeometryLink>& links) {
  std::vector<StoredLink> s;
  r.get(s);
  links.reserve(s.size());
  for (const auto& l : s) links.push_back({l.dim, l.entity});
}
template <class T> void pass(Writer& w, const std::vector<T>& v) { w.put(v); }
template <class T> void pass(ByteReader& r, std::vector<T>& v) { r.get(v); }
/// Writes or reads; `Block` is an ElementBlock, const when written.
template <class File, class Block> void passBlock(File& f, Block& b) {
  pass(f, b.type);
  pass(f, b.start);
  pass(f, b.nodes);
  pass(f, b.poly.row);
  pass(f, b.poly.start);
  pass(f, b.poly.ring);
  pass(f, b.poly.corner);
}
/// The same for a mesh, whose groups have their names in the head.
template <class File, class Of> void passMesh(File& f, Of& m) {
  f.points(m.nodes);
  pass(f, m.nodeLink);
  passBlock(f, m.cells);
  pass(f, m.cellRegion);
  passBlock(f, m.faces);
  pass(f, m.faceLink);
  pass(f, m.faceRegions);
  pass(f, m.twins);
  for (auto& g : m.groups) pass(f, g.items);
}

/// The faces of polyhedra as far as they can be trusted.
bool valid(const ElementBlock& b) {
  const PolyhedronFaces& p = b.poly;
  const auto count = static_cast<std::size_t>(std::count(b.type.begin(), b.type.end(), ElementType::Polyhedron));
  if (p.row.size() != (count ? b.type.size() : 0) || p.start.size() != count + 1 || p.ring.empty() ||
      p.start.front() != 0 || p.start.back() != p.ring.size() - 1 || p.ring.front() != 0 ||
      p.ring.back() != p.corner.size())
    return false;
  for (std::size_t i = 1; i < p.start.size(); ++i)
    if (p.start[i] < p.start[i - 1]) return false;
  for (std::size_t i = 1; i < p.ring.size(); ++i)
    if (p.ring[i] < p.ring[i - 1] + 3) return false;
  for (std::size_t e = 0; e < p.row.size(); ++e) {
    if ((p.row[e] >= 0) != (b.type[e] == ElementType::Polyhedron) || p.row[e] >= static_cast<std::int32_t>(count))
      return false;
    if (p.row[e] < 0) continue;
    const auto nodes = static_cast<std::int32_t>(b.start[e + 1] - b.start[e]);
    for (std::size_t f = 0; f < b.faceCount(e); ++f)
      for (auto i : b.faceCorners(e, f))
        if (i < 0 || i >= nodes) return false;
  }
  return true;
}

/// A block whose rows, types and node numbers can be trusted.
bool valid(const ElementBlock& b, std::size_t nodes) {
  if (b.start.size() != b.type.size() + 1 || b.start.front() != 0 || b.start.back() != b.nodes.size()) return false;
  for (std::size_t e = 0; e < b.type.size(); ++e) {
    if (static_cast<int>(b.type[e]) >= kElementTypes || b.start[e + 1] < b.start[e]) return false;
    const std::uint32_t n = b.start[e + 1] - b.start[e];
    const auto wanted = static_cast<std::uint32_t>(topology(b.type[e]).nodes);
    if (wanted ? n != wanted : n < 3) return false;
  }
  for (auto n : b.nodes)
    if (n < 0 || static_cast<std::size_t>(n) >= nodes) return false;
  return valid(b);
}

bool valid(const Mesh& m) {
  auto inRange = [](std::int64_t i, std::size_t n) { return i >= 0 && static_cast<std::size_t>(i) < n; };
  if (!valid(m.cells, m.nodes.size()) || !valid(m.faces, m.nodes.size())) return false;
  if ((!m.cellLayer.empty() && m.cellLayer.size() != m.cells.size()) || m.cellRegion.size() != m.cells.size() ||
      m.faceLink.size() != m.faces.size() || m.faceRegions.size() != m.faces.size() ||
      (!m.nodeLink.empty() && m.nodeLink.size() != m.nodes.size()))
    return false;
  for (const Vec3& p : m.nodes)
    if (!p.allFinite()) return false;
  for (auto r : m.cellRegion)
    if (!inRange(r, m.regions.size())) return false;
  for (const auto& r : m.faceRegions)
    for (auto k : r)
      if (k != -1 && !inRange(k, m.regions.size())) return false;
  for (const auto& g : m.groups) {
    std::size_t n = g.dim == 2 ? m.faces.size() : g.dim == 3 ? m.cells.size() : m.nodes.size();
    if (g.dim < 0 || g.dim > 3) return false;
    for (auto i : g.items)
      if (!inRange(i, n)) return false;
  }
  for (const auto& t : m.twins)
    for (auto n : t)
      if (!inRange(n, m.nodes.size())) return false;
  return true;
}

nlohmann::json placesJson(const std::vector<Vec3>& places) {
  nlohmann::json j = nlohmann::json::array();
  for (const Vec3& p : places) j.push_back({p.x(), p.y(), p.z()});
  return j;
}

nlohmann::json problemsJson(const std::vector<Problem>& problems) {
  nlohmann::json j = nlohmann::json::array();
  for (const auto& p : problems)
    j.push_back({{"severity", static_cast<int>(p.severity)},
                 {"fault", static_cast<int>(p.fault)},
                 {"texts", {p.code, p.what, p.where, p.why, p.todo, p.fix}},
                 {"places", placesJson(p.places)},
                 {"faces", p.faces}});
  return j;
}

nlohmann::json headOf(const RunResult& run, const std::string& partStamp) {
  nlohmann::json j;
  j["brief"] = briefText(run.brief);
  j["brief_path"] = run.brief.path;
  j["part_stamp"] = partStamp;
  j["figures"] = {run.ownAngle, run.angleElsewhere, run.geometryVolume, run.surfaceArea, run.deviation, run.seconds};
  j["fit"] = {run.normalDeg, run.meanNormalDeg, run.midNodes.boundary, run.midNodes.straightened, run.midNodes.offset};
  j["bodies"] = nlohmann::json::array();
  for (const auto& b : run.bodies) j["bodies"].push_back({fillName(b.fill), b.asked, b.why, b.cut, b.how});
  j["faces"] = nlohmann::json::array(); // those of which a body decided
  for (std::size_t f = 0; f < run.faces.size(); ++f)
    if (run.faces[f].frozen())
      j["faces"].push_back({f, run.faces[f].mapped, run.faces[f].decidedBy, run.faces[f].why, run.faces[f].tetSide,
                            run.faces[f].source, run.faces[f].copied, run.faces[f].quads});
  j["face_count"] = run.faces.size();
  j["part"] = {run.partArea, run.partCenter.x(), run.partCenter.y(), run.partCenter.z()};
  j["peak_memory"] = run.peakMemory;
  j["threads"] = run.threads;
  j["improved"] = run.improved;
  j["limits"] = limitsText(run.audit.limits);
  j["timings"] = nlohmann::json::array();
  for (const auto& [k, v] : run.timings) j["timings"].push_back({k, v});
  j["problems"] = problemsJson(run.problems);
  j["mesher"] = kMesherRevision;
  if (run.fromMeshing) j["from_meshing"] = problemsJson(*run.fromMeshing);
  j["reused"] = run.reused;
  j["kept_bodies"] = run.keptBodies;
  j["rules"] = nlohmann::json::array();
  for (const auto& r : run.rules)
    j["rules"].push_back(
        {{"rule", r.rule}, {"texts", {r.id, r.asked, r.got}}, {"figures", {r.median, r.low, r.high, r.share}}});
  j["groups"] = nlohmann::json::array();
  for (const auto& g : run.groups)
    j["groups"].push_back(
        {{"name", g.name}, {"dim", static_cast<int>(g.dim)}, {"entities", g.entities}, {"rule", g.rule}});
  j["through"] = {{"wanted", run.through.wanted},
                  {"thin_area", run.through.thinArea},
                  {"reached_area", run.through.reachedArea},
                  {"area_by_count", run.through.areaByCount},
                  {"places", nlohmann::json::array()}};
  for (const auto& p : run.through.places)
    j["through"]["places"].push_back({{"at", {p.at.x(), p.at.y(), p.at.z()}},
                                      {"count", p.count},
                                      {"thickness", p.thickness},
                                      {"area", p.area},
                                      {"faces", p.faces}});
  if (!run.layers.empty()) j["layers"] = layersReport(run.layers, run.brief, run.mesh.unit);
  if (!run.mesh.cellLayer.empty()) j["cell_layers"] = true;
  j["regions"] = run.mesh.regions;
  j["materials"] = run.mesh.materials;
  j["media"] = run.mesh.media;
  j["unit"] = run.mesh.unit;
  j["mesh_groups"] = nlohmann::json::array();
  for (const auto& g : run.mesh.groups)
    j["mesh_groups"].push_back({{"name", g.name}, {"dim", g.dim}, {"entities", g.entities}, {"role", g.role}});
  return j;
}

Vec3 pointOf(const nlohmann::json& j) { return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()}; }

std::vector<Problem> problemsOf(const nlohmann::json& j) {
  std::vector<Problem> r;
  for (const auto& x : j) {
    Problem p;
    p.severity = static_cast<Severity>(std::clamp(x.at("severity").get<int>(), 0, 2));
    p.fault = static_cast<Fault>(x.at("fault").get<int>());
    std::string* texts[] = {&p.code, &p.what, &p.where, &p.why, &p.todo, &p.fix};
    const auto& words = x.at("texts"); // runs kept earlier have fewer
    for (std::size_t i = 0; i < std::min(std::size(texts), words.size()); ++i) *texts[i] = words.at(i);
    for (const auto& q : x.at("places")) p.places.push_back(pointOf(q));
    p.faces = x.at("faces").get<std::vector<int>>();
    r.push_back(p);
  }
  return r;
}

/// Throws nlohmann's exceptions on a head of another shape.
void readHead(const nlohmann::json& j, StoredRun& s) {
  RunResult& run = s.run;
  s.partStamp = j.at("part_stamp");
  auto brief = parseBrief(j.at("brief").get<std::string>(), j.at("brief_path").get<std::string>());
  if (!brief) throw std::runtime_error(brief.problem().why);
  run.brief = *brief;
  const auto& f = j.at("figures");
  double* figures[] = {&run.ownAngle,    &run.angleElsewhere, &run.geometryVolume,
                       &run.surfaceArea, &run.deviation,      &run.seconds};
  for (std::size_t i = 0; i < 6; ++i) *figures[i] = f.at(i);
  if (const auto fit = j.find("fit"); fit != j.end()) { // not in runs kept by earlier versions
    run.normalDeg = fit->at(0);
    run.meanNormalDeg = fit->at(1);
    run.midNodes.boundary = fit->at(2);
    run.midNodes.straightened = fit->at(3);
    run.midNodes.offset = fit->at(4);
  }
  if (const auto part = j.find("part"); part != j.end()) { // nor this
    run.partArea = part->at(0);
    run.partCenter = Vec3(part->at(1).get<double>(), part->at(2).get<double>(), part->at(3).get<double>());
  }
  if (const auto bodies = j.find("bodies"); bodies != j.end()) { // nor these
    for (const auto& b : *bodies)
      run.bodies.push_back({fillByName(b.at(0).get<std::string>()).value_or(Fill::Tetrahedra), b.at(1), b.at(2),
                            b.size() > 3 && b.at(3).get<bool>(), b.size() > 4 ? b.at(4).get<std::string>() : ""});
    const auto count = j.value("face_count", std::size_t(0));
    if (count > std::size_t(1) << 26) throw std::runtime_error("the number of faces is absurd");
    run.faces.resize(count);
    for (const auto& x : j.at("faces")) {
      FacePlan& face = run.faces.at(x.at(0));
      face.mapped = x.at(1);
      face.decidedBy = x.at(2);
      face.why = x.at(3);
      face.tetSide = x.at(4);
      face.source = x.size() > 5 && x.at(5).get<bool>();
      face.copied = x.size() > 6 && x.at(6).get<bool>();
      face.quads = x.size() > 7 ? x.at(7).get<bool>() : face.mapped >= 0;
    }
  }
  if (const auto layers = j.find("layers"); layers != j.end()) run.layers = layersOfReport(*layers);
  run.peakMemory = j.at("peak_memory");
  run.threads = j.at("threads");
  run.improved = j.at("improved");
  for (const auto& t : j.at("timings")) run.timings.push_back({t.at(0), t.at(1)});
  run.problems = problemsOf(j.at("problems"));
  // A mesh serves again only when meshing once more would give the same.
  if (const auto made = j.find("from_meshing"); made != j.end() && j.value("mesher", 0) == kMesherRevision)
    run.fromMeshing = problemsOf(*made);
  run.reused = j.value("reused", false);
  run.keptBodies = j.value("kept_bodies", 0);
  for (const auto& x : j.at("rules")) {
    AskedGot r;
    r.rule = x.at("rule");
    std::string* texts[] = {&r.id, &r.asked, &r.got};
    for (std::size_t i = 0; i < 3; ++i) *texts[i] = x.at("texts").at(i);
    double* values[] = {&r.median, &r.low, &r.high, &r.share};
    for (std::size_t i = 0; i < 4; ++i) *values[i] = x.at("figures").at(i);
    run.rules.push_back(r);
  }
  for (const auto& x : j.at("groups"))
    run.groups.push_back({x.at("name"), static_cast<Dim>(std::clamp(x.at("dim").get<int>(), 0, 3)),
                          x.at("entities").get<std::vector<int>>(), x.at("rule")});
  const auto& t = j.at("through");
  run.through.wanted = t.at("wanted");
  run.through.thinArea = t.at("thin_area");
  run.through.reachedArea = t.at("reached_area");
  run.through.areaByCount = t.at("area_by_count").get<decltype(run.through.areaByCount)>();
  for (const auto& x : t.at("places")) {
    ThinPlace p;
    p.at = pointOf(x.at("at"));
    p.count = x.at("count");
    p.thickness = x.at("thickness");
    p.area = x.at("area");
    p.faces = x.at("faces").get<decltype(p.faces)>();
    run.through.places.push_back(p);
  }
  run.mesh.regions = j.at("regions").get<std::vector<std::string>>();
  run.mesh.materials = j.at("materials").get<std::vector<std::string>>();
  run.mesh.media = j.at("media").get<std::vector<std::string>>();
  run.mesh.unit = j.at("unit");
  for (const auto& g : j.at("mesh_groups"))
    run.mesh.groups.push_back({g.at("name"), g.at("dim"), {}, g.at("entities"), g.at("role")});
}

} // namespace

std::optional<Problem> saveRun(const RunResult& run, const std::string& partStamp, const std::string& path) {
  Writer w;
  w.text(headOf(run, partStamp).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace));
  passMesh(w, run.mesh);
  if (!run.mesh.cellLayer.empty()) {
    w.put(run.mesh.cellLayer);
    w.put(run.layersReached);
  }
  std::string head(kMagic, sizeof kMagic);
  head += sumOf(w.bytes);
  return writeFileAtomic(path, head + w.bytes);
}

Result<StoredRun> loadRun(const std::string& path) {
  bool layered = false; // it has layers along walls
  Problem p;
  p.code = "run.unreadable";
  p.what = "a kept run cannot be read";
  p.where = path;
  p.todo = "mesh again; the brief is unharmed";
  auto bytes = readFile(path);
  if (!bytes) return bytes.problem();
  constexpr std::size_t kHead = sizeof kMagic + kSumDigits;
  if (bytes->size() < kHead || std::memcmp(bytes->data(), kMagic, sizeof kMagic) != 0) {
    p.why = bytes->compare(0, sizeof kMagic - 1, kMagic, sizeof kMagic - 1) == 0
                ? "it was kept by another version of this program"
                : "it is no kept run";
    return p;
  }
  const std::string_view all(*bytes);
  if (all.substr(sizeof kMagic, kSumDigits) != sumOf(all.substr(kHead))) {
    p.why = "it is damaged or cut short";
    return p;
  }
  StoredRun s;
  ByteReader r(*bytes, kHead);
  std::string head = r.text();
  LimitSet limits; // of then: the file they may have come from can be another one by now
  try {
    const auto j = nlohmann::json::parse(head);
    readHead(j, s);
    layered = j.value("cell_layers", false);
    auto set = parseLimits(j.at("limits"), path);
    if (!set) return set.problem();
    limits = *set;
  } catch (const std::exception& e) {
    p.why = e.what();
    return p;
  }
  Mesh& m = s.run.mesh;
  passMesh(r, m);
  if (layered) {
    r.get(m.cellLayer);
    r.get(s.run.layersReached);
  }
  if (!r.good || !r.atEnd() || !valid(m)) {
    p.why = "its mesh does not hold together";
    return p;
  }
  s.run.audit = auditMesh(m, atGroups(limits, m));
  return s;
}

std::string partStampOf(const std::string& partPath) {
  std::error_code ec;
  auto size = std::filesystem::file_size(partPath, ec);
  if (ec) return {};
  auto time = std::filesystem::last_write_time(partPath, ec);
  if (ec) return {};
  return std::to_string(size) + "-" + std::to_string(time.time_since_epoch().count());
}

} // namespace tess
