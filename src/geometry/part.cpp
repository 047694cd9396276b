// SPDX-License-Identifier: GPL-3.0-or-later
#include "geometry/part.h"
#include "base/units.h"
#include "geometry/facet_shape.h"
#include "geometry/kernel_shape.h"
#include <cmath>
#include <filesystem>
#include <set>

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
  Vec3 s = box.size();
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

Result<Part> finishedPart(Part part, const std::string& path) {
  part.path = path;
  for (const auto& p : part.display.points) part.box.add(p);
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
