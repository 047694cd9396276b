// SPDX-License-Identifier: GPL-3.0-or-later
#include "geometry/part.h"
#include "base/units.h"
#include "geometry/facet_shape.h"
#include "geometry/kernel_shape.h"
#include <cerrno>
#include <cmath>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <set>
#include <unistd.h>

namespace tess {

const char* surfaceKindName(SurfaceKind k) {
  static const char* names[] = {"plane", "cylinder", "cone", "sphere", "torus", "other"};
  return names[static_cast<int>(k)];
}
const char* dimName(Dim d) {
  static const char* names[] = {"point", "edge", "face", "body"};
  return names[static_cast<int>(d)];
}

double Part::volume() const {
  double v = 0;
  for (const auto& b : bodies) v += b.volume;
  return v;
}
double Part::surfaceArea() const {
  double a = 0;
  for (const auto& f : faces) a += f.area;
  return a;
}
int Part::count(Dim d) const {
  switch (d) {
  case Dim::Point:
    return static_cast<int>(points.size());
  case Dim::Edge:
    return static_cast<int>(edges.size());
  case Dim::Face:
    return static_cast<int>(faces.size());
  case Dim::Body:
    return static_cast<int>(bodies.size());
  }
  return 0;
}
std::string Part::sizeText() const {
  const Vec3 s = extent.size();
  return formatNumber(s.x(), 4) + " x " + formatNumber(s.y(), 4) + " x " + formatNumber(s.z(), 4) + " " + unit;
}

namespace {

Problem fileProblem(const std::string& path, const char* code, const std::string& what, const std::string& why,
                    const std::string& todo) {
  Problem p;
  p.code = code;
  p.what = what;
  p.where = path;
  p.why = why;
  p.todo = todo;
  return p;
}

void addHealth(Part& part) {
  double mm = part.diagonal() * millimetresPer(part.unit).value_or(1);
  if (mm < 1 || mm > 1e5) {
    Problem q;
    q.severity = Severity::Warning;
    q.code = "part.odd-size";
    q.what = "the part is " + part.sizeText() + ": the unit may be wrong by a factor of 1000";
    q.why = "parts of this size are rare";
    q.todo = "say the unit that the file's numbers are in, if it is another one";
    part.problems.push_back(q);
  }
  double tiny = 1e-4 * part.diagonal();
  Problem p;
  p.severity = Severity::Note;
  p.code = "part.tiny-edges";
  int n = 0;
  for (std::size_t e = 0; e < part.edges.size(); ++e)
    if (part.edges[e].length < tiny) {
      ++n;
      p.places.push_back(part.shape->edgePoint(static_cast<int>(e), part.edges[e].t0));
    }
  if (n) {
    p.what = std::to_string(n) + (n == 1 ? " edge is" : " edges are") + " shorter than 1/10000 of the part";
    p.where = "first at " + formatPoint(p.places.front());
    p.why = "elements there would be as small as the edge";
    p.todo = "mend them in the part if the detail is not meant";
    part.problems.push_back(std::move(p));
  }
  const auto near = nearBodies(part, 1e-3 * part.diagonal());
  if (near.empty()) return;
  Problem q;
  q.severity = Severity::Note;
  q.code = "part.near-bodies";
  q.what = std::to_string(near.size()) + (near.size() == 1 ? " pair" : " pairs") + " of bodies nearly touch: ";
  double widest = 0;
  for (std::size_t i = 0; i < near.size(); ++i) {
    widest = std::max(widest, near[i].gap);
    q.places.push_back(near[i].at);
    if (i < 3)
      q.what += (i ? ", '" : "'") + part.bodies[static_cast<std::size_t>(near[i].a)].name + "' and '" +
                part.bodies[static_cast<std::size_t>(near[i].b)].name + "' by " + formatNumber(near[i].gap, 3) + " " +
                part.unit;
  }
  q.where = "first at " + formatPoint(near.front().at) + " " + part.unit;
  q.why = "there is a gap between their meshes, and nothing passes through it";
  q.todo = "if they are meant to touch, add the rule 'touch' with a distance above " + formatNumber(widest, 3) + " " +
           part.unit;
  part.problems.push_back(std::move(q));
}

} // namespace

double shortestEdgeThatMatters(const Part& part) {
  double least = std::numeric_limits<double>::max();
  for (const auto& e : part.edges)
    if (e.length >= 1e-3 * part.diagonal()) least = std::min(least, e.length);
  return least < std::numeric_limits<double>::max() ? least : 0;
}

void makeSmooth(Part& part, const Progress* progress) {
  constexpr std::size_t kMost = 36000; // drawn 15 times a second where no graphics hardware helps
  if (part.faceted || !part.shape || 2 * part.display.triangles.size() > kMost) return;
  for (double degrees : {5.0, 8.0}) {
    // Making them only to see that they are too many takes as long as making them: counts grow about so on parts with
    // flat and round faces, from the 15 degrees of the display on.
    const double likely = static_cast<double>(part.display.triangles.size()) * std::pow(15 / degrees, 1.2);
    if (likely > 1.2 * static_cast<double>(kMost)) continue;
    auto t = part.shape->tessellate(2e-4 * part.diagonal(), degrees * kPi / 180, progress);
    if (!t || t->triangles.size() > kMost) continue;
    part.smooth = std::move(*t);
    return;
  }
}

namespace {

/// How far a part reaches along axes. From each corner of the display that lies highest among its neighbours the way
/// leads on along the true edge or face, no farther than to those.
class Reach {
public:
  explicit Reach(const Part& part) : m_part(part), m_least(1e-7 * part.box.diagonal()) {
    const auto& t = part.display;
    m_near.resize(t.points.size());
    for (std::size_t i = 0; i < t.triangles.size(); ++i)
      for (std::size_t k = 0; k < 3; ++k) {
        const auto& q = t.triangles[i];
        m_near[static_cast<std::size_t>(q[k])].insert(m_near[static_cast<std::size_t>(q[k])].end(),
                                                      {q[(k + 1) % 3], q[(k + 2) % 3]});
      }
  }
  double along(int axis, double sign) const {
    const auto& t = m_part.display;
    auto height = [&](const Vec3& p) { return sign * p[axis]; };
    double best = std::numeric_limits<double>::lowest();
    for (const auto& p : t.points) best = std::max(best, height(p));
    const double worth = best - 2e-3 * m_part.box.diagonal(); // the display is off by half of this
    for (std::size_t e = 0; e < m_part.edges.size(); ++e) {
      const auto& c = t.edgeChain[e];
      const auto& at = t.edgeParam[e];
      for (std::size_t i = 0; i < c.size(); ++i) {
        const std::size_t before = i ? i - 1 : i, after = i + 1 < c.size() ? i + 1 : i;
        auto of = [&](std::size_t k) { return height(t.points[static_cast<std::size_t>(c[k])]); };
        if (of(i) < worth || of(i) < of(before) || of(i) < of(after) ||
            of(i) - std::min(of(before), of(after)) < m_least)
          continue;
        best = std::max(best, highestBetween(at[before], at[after], [&](double x) {
                          return height(m_part.shape->edgePoint(static_cast<int>(e), x));
                        }));
      }
    }
    for (std::size_t v = 0; v < t.points.size(); ++v) {
      if (t.origin[v].dim != Dim::Face || height(t.points[v]) < worth) continue;
      double most = std::numeric_limits<double>::lowest(), least = -most, longest = 0;
      for (int n : m_near[v]) {
        const Vec3& p = t.points[static_cast<std::size_t>(n)];
        most = std::max(most, height(p));
        least = std::min(least, height(p));
        longest = std::max(longest, (p - t.points[v]).norm());
      }
      if (height(t.points[v]) < most || height(t.points[v]) - least < m_least) continue;
      Vec3 p = t.points[v];
      for (double step = longest; step > 1e-5 * longest;) {
        Vec3 further = p;
        further[axis] += sign * step;
        const Vec3 q = m_part.shape->projectToFace(t.origin[v].entity, further).point;
        if ((q - t.points[v]).norm() < longest && height(q) > height(p) + 1e-6 * m_least)
          p = q;
        else
          step /= 2;
      }
      best = std::max(best, height(p));
    }
    return best;
  }

private:
  const Part& m_part;
  double m_least; ///< less of a slope is none
  std::vector<std::vector<int>> m_near;

  /// By golden sections.
  template <class F> static double highestBetween(double a, double b, F&& height) {
    const double share = 0.5 * (std::sqrt(5.0) - 1);
    double x = b - share * (b - a), y = a + share * (b - a), hx = height(x), hy = height(y);
    for (int k = 0; k < 45; ++k)
      if (hx > hy) {
        b = y;
        y = x;
        hy = hx;
        hx = height(x = b - share * (b - a));
      } else {
        a = x;
        x = y;
        hx = hy;
        hy = height(y = a + share * (b - a));
      }
    return std::max(hx, hy);
  }
};

} // namespace

void findExtent(Part& part) {
  part.box = {};
  for (const auto& p : part.display.points) part.box.add(p);
  part.extent = part.box;
  if (const double d = part.box.diagonal(); !part.faceted && part.shape && d > 0 && std::isfinite(d)) {
    const Reach reach(part);
    for (int axis = 0; axis < 3; ++axis) {
      part.extent.lo[axis] = -reach.along(axis, -1);
      part.extent.hi[axis] = reach.along(axis, 1);
    }
  }
}

Result<Part> finishedPart(Part part, const std::string& path) {
  part.path = path;
  findExtent(part);
  if (!(part.box.diagonal() > 0) || !std::isfinite(part.box.diagonal()))
    return fileProblem(path, "part.no-extent", "the part has no extent", "all its points coincide or are not finite",
                       "export the part again");
  std::set<std::string> used;
  for (std::size_t b = 0; b < part.bodies.size(); ++b) { // names must tell bodies apart
    std::string base = part.bodies[b].name.empty() ? "body" + std::to_string(b + 1) : part.bodies[b].name, n = base;
    for (int k = 2; used.count(n); ++k) n = base + "-" + std::to_string(k);
    used.insert(n);
    part.bodies[b].name = n;
  }
  addHealth(part);
  return part;
}

Result<Part> loadPart(const std::string& path, const LoadOptions& options, Progress* progress) {
  namespace fs = std::filesystem;
  std::error_code ec;
  if (!fs::exists(path, ec))
    return fileProblem(path, "file.missing", "the part file does not exist", "no file of this name can be opened",
                       "check the path");
  if (fs::is_directory(path, ec) || fs::file_size(path, ec) == 0)
    return fileProblem(path, "file.empty", "the part file is empty or a folder", "there is nothing to read",
                       "export the part again");
  if (::faccessat(AT_FDCWD, path.c_str(), R_OK, AT_EACCESS) != 0 && errno == EACCES) // libraries would call it damaged
    return fileProblem(path, "file.forbidden", "the part file may not be read", std::strerror(errno),
                       "give yourself the right to read it, or copy it to where you have it");
  if (!options.unit.empty() && !millimetresPer(options.unit)) {
    Problem p = fileProblem(path, "unit.unknown", "unknown unit '" + options.unit + "'", "",
                            "use one of mm, m, cm, in, ft, um, km");
    p.fault = Fault::Usage;
    return p;
  }
  std::string ext = fs::path(path).extension().string();
  for (char& c : ext) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  if (progress) progress->stage("Reading the part", 0, 0.05);
  Result<Part> r = [&]() -> Result<Part> {
    if (ext == ".step" || ext == ".stp" || ext == ".iges" || ext == ".igs" || ext == ".brep" || ext == ".brp")
      return loadKernelPart(path, ext, options, progress);
    if (ext == ".stl" || ext == ".obj" || ext == ".ply" || ext == ".vtp" || ext == ".vtk")
      return loadFacetPart(path, ext, options);
    return fileProblem(path, "file.format", "the format '" + ext + "' is not a part format",
                       "parts come as STEP, IGES, BREP, STL, OBJ, PLY, VTP or VTK", "export the part to one of these");
  }();
  if (!r) return r;
  return finishedPart(std::move(*r), path);
}

} // namespace tess
