// SPDX-License-Identifier: GPL-3.0-or-later
// Readers of STL (text and binary), OBJ and PLY (text and binary). Counts in headers are checked against the file's
// size before anything is allocated.
#include "geometry/facet_shape.h"
#include "geometry/unreadable.h"
#include <charconv>
#include <cstring>
#include <fstream>
#include <map>
#include <sstream>

namespace tess {
namespace {

std::string slurp(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream s;
  s << in.rdbuf();
  return s.str();
}

/// Words of a text, with the line they stand in.
class Words {
public:
  explicit Words(const std::string& t) : m_t(t) {}
  std::string_view next() {
    while (m_i < m_t.size() && std::isspace(static_cast<unsigned char>(m_t[m_i]))) m_line += m_t[m_i++] == '\n';
    std::size_t b = m_i;
    while (m_i < m_t.size() && !std::isspace(static_cast<unsigned char>(m_t[m_i]))) ++m_i;
    return std::string_view(m_t).substr(b, m_i - b);
  }
  std::string_view restOfLine() {
    std::size_t b = m_i;
    while (m_i < m_t.size() && m_t[m_i] != '\n') ++m_i;
    std::string_view v = std::string_view(m_t).substr(b, m_i - b);
    while (!v.empty() && std::isspace(static_cast<unsigned char>(v.front()))) v.remove_prefix(1);
    while (!v.empty() && std::isspace(static_cast<unsigned char>(v.back()))) v.remove_suffix(1);
    return v;
  }
  bool number(double& v) {
    std::string w(next());
    char* end = nullptr;
    v = std::strtod(w.c_str(), &end);
    return !w.empty() && *end == 0 && std::isfinite(v);
  }
  int line() const { return m_line; }

private:
  const std::string& m_t;
  std::size_t m_i = 0;
  int m_line = 1;
};

Result<FacetSoup> readStlText(const std::string& path, const std::string& text) {
  FacetSoup s;
  Words w(text);
  std::vector<int> corner;
  bool ended = false;
  for (auto word = w.next(); !word.empty(); word = w.next()) {
    if (word == "solid") {
      s.names.emplace_back(w.restOfLine());
      ended = false;
    } else if (word == "endsolid") {
      w.restOfLine();
      ended = true;
    } else if (word == "vertex") {
      Vec3 p;
      if (!w.number(p.x()) || !w.number(p.y()) || !w.number(p.z()))
        return unreadablePart(path, "line " + std::to_string(w.line()) + ": a vertex without three numbers");
      corner.push_back(static_cast<int>(s.points.size()));
      s.points.push_back(p);
    } else if (word == "endfacet") {
      if (corner.size() < 3)
        return unreadablePart(path, "line " + std::to_string(w.line()) + ": a facet with fewer than three vertices");
      for (std::size_t k = 2; k < corner.size(); ++k) {
        s.triangles.push_back({corner[0], corner[k - 1], corner[k]});
        s.triangleName.push_back(static_cast<int>(s.names.size()) - 1);
      }
      corner.clear();
    }
  }
  if (!corner.empty() || !ended) return unreadablePart(path, "the text ends in the middle of a solid");
  return s;
}

Result<FacetSoup> readStlBinary(const std::string& path, const std::string& d) {
  std::uint32_t n = 0;
  if (d.size() < 84) return unreadablePart(path, "it is too short for an STL file");
  std::memcpy(&n, d.data() + 80, 4);
  if (d.size() < 84 + 50ull * n)
    return unreadablePart(path, "the header announces " + std::to_string(n) + " triangles, the file holds " +
                                    std::to_string((d.size() - 84) / 50));
  FacetSoup s;
  s.points.reserve(3ull * n);
  for (std::uint32_t i = 0; i < n; ++i) {
    float v[9];
    std::memcpy(v, d.data() + 84 + 50ull * i + 12, sizeof v);
    int b = static_cast<int>(s.points.size());
    for (int k = 0; k < 3; ++k) {
      Vec3 p(v[3 * k], v[3 * k + 1], v[3 * k + 2]);
      if (!p.allFinite())
        return unreadablePart(path, "triangle " + std::to_string(i + 1) + " has a coordinate that is not a number");
      s.points.push_back(p);
    }
    s.triangles.push_back({b, b + 1, b + 2});
    s.triangleName.push_back(-1);
  }
  return s;
}

} // namespace

Result<FacetSoup> readStl(const std::string& path) {
  std::string d = slurp(path);
  std::uint32_t n = 0;
  if (d.size() >= 84) std::memcpy(&n, d.data() + 80, 4);
  bool binary = d.size() >= 84 && d.size() == 84 + 50ull * n;
  bool text = d.compare(0, 5, "solid") == 0 && d.substr(0, 4096).find("facet") != std::string::npos;
  return binary || !text ? readStlBinary(path, d) : readStlText(path, d);
}

Result<FacetSoup> readObj(const std::string& path) {
  std::ifstream in(path);
  FacetSoup s;
  std::string line;
  int number = 0, name = -1;
  std::map<std::string, int> known;
  while (std::getline(in, line)) {
    ++number;
    std::istringstream l(line);
    std::string word;
    l >> word;
    auto bad = [&](const char* why) { return unreadablePart(path, "line " + std::to_string(number) + ": " + why); };
    if (word == "v") {
      Vec3 p;
      if (!(l >> p.x() >> p.y() >> p.z()) || !p.allFinite()) return bad("a vertex without three numbers");
      s.points.push_back(p);
    } else if (word == "g" || word == "o" || word == "usemtl") {
      std::string n;
      l >> n;
      auto [it, fresh] = known.emplace(n, static_cast<int>(s.names.size()));
      if (fresh) s.names.push_back(n);
      name = it->second;
    } else if (word == "f") {
      std::vector<int> c;
      for (std::string w; l >> w;) {
        long i = std::strtol(w.c_str(), nullptr, 10);
        long n = static_cast<long>(s.points.size());
        if (i < 0) i += n + 1;
        if (i < 1 || i > n) return bad("a face refers to a vertex that is not there");
        c.push_back(static_cast<int>(i - 1));
      }
      if (c.size() < 3) return bad("a face with fewer than three vertices");
      for (std::size_t k = 2; k < c.size(); ++k) {
        s.triangles.push_back({c[0], c[k - 1], c[k]});
        s.triangleName.push_back(name);
      }
    }
  }
  return s;
}

Result<FacetSoup> readPly(const std::string& path) {
  std::string d = slurp(path);
  if (d.compare(0, 3, "ply") != 0) return unreadablePart(path, "it does not start with 'ply'");
  std::size_t head = d.find("end_header");
  if (head == std::string::npos) return unreadablePart(path, "its header does not end");
  struct Property {
    std::string name, type, countType;
  };
  struct Element {
    std::string name;
    long long count = 0;
    std::vector<Property> props;
  };
  std::vector<Element> elements;
  std::string format;
  std::istringstream header(d.substr(0, head));
  for (std::string line; std::getline(header, line);) {
    std::istringstream l(line);
    std::string w;
    l >> w;
    if (w == "format")
      l >> format;
    else if (w == "element") {
      Element e;
      // Every element that there is takes at least a byte.
      if (!(l >> e.name >> e.count) || e.count < 0 || e.count > static_cast<long long>(d.size()))
        return unreadablePart(path,
                              "its header claims more elements '" + e.name.substr(0, 40) + "' than the file can hold");
      elements.push_back(e);
    } else if (w == "property" && !elements.empty()) {
      Property p;
      l >> p.type;
      if (p.type == "list") l >> p.countType >> p.type;
      l >> p.name;
      elements.back().props.push_back(p);
    }
  }
  std::size_t at = d.find('\n', head);
  if (at == std::string::npos) return unreadablePart(path, "nothing follows its header");
  ++at;
  bool text = format == "ascii", swap = format == "binary_big_endian";
  if (!text && !swap && format != "binary_little_endian")
    return unreadablePart(path, "its format '" + format + "' is unknown");
  std::string body = text ? d.substr(at) : std::string();
  Words words(body);
  bool bad = false;
  auto value = [&](const std::string& type) -> double {
    if (text) {
      double v = 0;
      if (!words.number(v)) bad = true;
      return v;
    }
    auto get = [&](auto v) -> double {
      if (at + sizeof v > d.size()) {
        bad = true;
        return 0;
      }
      char b[8];
      std::memcpy(b, d.data() + at, sizeof v);
      if (swap) std::reverse(b, b + sizeof v);
      std::memcpy(&v, b, sizeof v);
      at += sizeof v;
      return static_cast<double>(v);
    };
    if (type == "char" || type == "int8") return get(std::int8_t{});
    if (type == "uchar" || type == "uint8") return get(std::uint8_t{});
    if (type == "short" || type == "int16") return get(std::int16_t{});
    if (type == "ushort" || type == "uint16") return get(std::uint16_t{});
    if (type == "int" || type == "int32") return get(std::int32_t{});
    if (type == "uint" || type == "uint32") return get(std::uint32_t{});
    if (type == "float" || type == "float32") return get(float{});
    if (type == "double" || type == "float64") return get(double{});
    bad = true;
    return 0;
  };
  FacetSoup s;
  for (const auto& e : elements)
    for (long long i = 0; i < e.count; ++i) {
      Vec3 p(0, 0, 0);
      for (const auto& q : e.props) {
        if (q.countType.empty()) {
          double v = value(q.type);
          if (q.name == "x")
            p.x() = v;
          else if (q.name == "y")
            p.y() = v;
          else if (q.name == "z")
            p.z() = v;
        } else {
          double n = value(q.countType);
          if (bad || n < 0 || n > 1e6)
            return unreadablePart(path, "element " + std::to_string(i + 1) + " of '" + e.name + "' is damaged");
          std::vector<int> c;
          for (int k = 0; k < static_cast<int>(n) && !bad; ++k) c.push_back(static_cast<int>(value(q.type)));
          if (e.name == "face")
            for (std::size_t k = 2; k < c.size(); ++k) {
              s.triangles.push_back({c[0], c[k - 1], c[k]});
              s.triangleName.push_back(-1);
            }
        }
        if (bad) return unreadablePart(path, "it ends before all elements are read");
      }
      if (e.name == "vertex") s.points.push_back(p);
    }
  for (const auto& t : s.triangles)
    for (int v : t)
      if (v < 0 || v >= static_cast<int>(s.points.size()))
        return unreadablePart(path, "a face refers to a vertex that is not there");
  return s;
}

} // namespace tess
