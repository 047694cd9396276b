// SPDX-License-Identifier: GPL-3.0-or-later
// A part as an engineer sees it: bodies, faces, edges and points with names, colours and adjacency, whatever file it
// came from. Seams and poles of closed surfaces do not appear. Shape questions go to a Shape behind this interface;
// no kernel type leaks out of the module. Queries are const and may be called from several threads.
#pragma once
#include "base/problem.h"
#include "base/progress.h"
#include <memory>
#include <string>

namespace tess {

enum class Dim : std::uint8_t { Point = 0, Edge = 1, Face = 2, Body = 3 };
enum class SurfaceKind : std::uint8_t { Plane, Cylinder, Cone, Sphere, Torus, Other };
const char* surfaceKindName(SurfaceKind k);
const char* dimName(Dim d);

using Color = std::array<float, 3>; ///< red, green, blue in [0, 1]

struct PartPoint {
  Vec3 at;
  bool hidden = false; ///< only closes a ring edge; no corner an engineer would see
  int from = -1;       ///< of a cut part: which of the whole part's it is, -1: a cut made it
};
struct PartEdge {
  std::array<int, 2> points{-1, -1}; ///< start and end; equal for a closed edge
  std::vector<int> faces;            ///< faces that meet here, ascending, each once
  double length = 0;
  double t0 = 0, t1 = 1; ///< parameter range, t0 < t1
  int from = -1;         ///< of a cut part: which of the whole part's it is of, -1: none, a cut made it
  int cut = -1;          ///< number of the cut that made it, from 0
};
struct PartFace {
  std::string name;
  std::vector<std::string> furtherNames; ///< faces of a mesh may be in several of its sets
  std::optional<Color> color;
  SurfaceKind kind = SurfaceKind::Other;
  double radius = 0;        ///< of cylinder, sphere, or the smaller radius of a torus; else 0
  Vec3 axis = Vec3::Zero(); ///< outward normal of a plane, axis of a cylinder, cone or torus
  double area = 0;
  Vec3 center = Vec3::Zero();        ///< centre of area
  std::vector<int> edges;            ///< ascending, each once
  std::array<int, 2> bodies{-1, -1}; ///< body behind the face (its normal points out of it), body in front; -1 none
  Box box;
  int from = -1; ///< of a cut part: which of the whole part's it is of, -1: none, a cut made it
  int cut = -1;  ///< number of the cut that made it, from 0
};
struct PartBody {
  std::string name;
  std::string of; ///< name of the body of the file that a cut made it a piece of; empty for a whole one
  const std::string& wholeName() const { return of.empty() ? name : of; }
  std::optional<Color> color;
  std::vector<int> faces; ///< ascending
  double volume = 0;
  Box box;
  bool closed = true;
  int from = -1;      ///< of a cut part: which of the whole part's it is a piece of
  bool space = false; ///< it was no body of the file but the space beside or in such
};

/// A fine triangulation for display, projection and as the start of remeshing; conforming over the whole part.
/// Triangles run counter-clockwise seen from the side to which their face's normal points.
struct Tessellation {
  struct Origin {
    Dim dim = Dim::Face;
    int entity = -1;
    double t = 0; ///< curve parameter for Dim::Edge
  };
  std::vector<Vec3> points;
  std::vector<Origin> origin;
  std::vector<std::array<int, 3>> triangles;
  std::vector<int> triangleFace;
  std::vector<std::vector<int>> edgeChain; ///< per part edge: vertices from start to end
  std::vector<std::vector<double>> edgeParam;
};

struct FaceProjection {
  Vec3 point;
  Vec3 normal;          ///< unit, in the face's direction
  double curvature = 0; ///< largest absolute principal curvature, 1/length
};
struct EdgeProjection {
  Vec3 point;
  double t;
};

/// What answers shape questions; implemented over kernel shapes and over facets.
class Shape {
public:
  virtual ~Shape() = default;
  virtual Vec3 edgePoint(int edge, double t) const = 0;
  virtual double edgeCurvature(int edge, double t) const = 0;
  virtual EdgeProjection projectToEdge(int edge, const Vec3& p) const = 0;
  virtual FaceProjection projectToFace(int face, const Vec3& p) const = 0;
  /// Chord error at most `deflection` and turn between facets at most `angleRad`, as far as the shape allows. Throws
  /// Cancelled when `progress` is stopped.
  virtual Result<Tessellation> tessellate(double deflection, double angleRad,
                                          const Progress* progress = nullptr) const = 0;
};

struct LoadOptions {
  std::string unit;          ///< overrides the file's unit; empty: as in the file
  double facetAngleDeg = 30; ///< facet shapes: turn above which an edge is sharp
  /// Names of bodies that keep the space where bodies overlap, the strongest first; * stands for any text. Among the
  /// others the one that comes first in the file keeps it.
  std::vector<std::string> keepsSpace;
  /// Bodies closer than this length count as touching; a bare number is in the part's unit; empty: only those that do.
  std::string touchWithin;
  bool operator==(const LoadOptions&) const = default;
};

/// Bodies that lie close to each other without touching.
struct NearPair {
  int a = -1, b = -1; ///< bodies, a < b
  double gap = 0;     ///< least distance found between their display triangles' corners and the other's triangles
  Vec3 at = Vec3::Zero();
};

class Part {
public:
  std::string path, format;
  std::string unit = "mm";
  bool unitAssumed = false; ///< the file does not say
  std::string fileUnit;     ///< as the file says, when overridden
  std::vector<PartBody> bodies;
  std::vector<PartFace> faces;
  std::vector<PartEdge> edges;
  std::vector<PartPoint> points;
  std::vector<Problem> problems; ///< health report: notes and warnings found while reading
  bool faceted = false;
  Box box;              ///< of the display's points
  Box extent;           ///< of the true shape, whose round faces bulge beyond the display
  Tessellation display; ///< made on load: 1/1000 of the diagonal, 15 degrees
  Tessellation smooth;  ///< as display but for the eye, see makeSmooth(); empty unless asked for
  std::shared_ptr<const Shape> shape;
  std::shared_ptr<const Part> whole; ///< of a part that was cut: as it was before; else null
  std::vector<char> half;            ///< of a part that was cut: per cut, whether it left away what lies on one side

  double diagonal() const { return box.diagonal(); }
  double volume() const;
  double surfaceArea() const; ///< outer and shared faces, each once
  int count(Dim d) const;
  /// What pictures of the part show: `smooth` where there is one. Nothing that is computed hangs on it.
  const Tessellation& drawn() const { return smooth.triangles.empty() ? display : smooth; }
  /// "182 x 96 x 96 mm"
  std::string sizeText() const;
};

/// The shortest edge that is no tiny one (1/1000 of the diagonal and more, hidden ones aside); 0 without edges.
double shortestEdgeThatMatters(const Part& part);

/// Gives the part triangles so fine that its curved faces look smooth from near (5 degrees, else 8), unless it is made
/// of facets or so large that drawing them would be slow, or the kernel cannot. Throws Cancelled on a stop.
void makeSmooth(Part& part, const Progress* progress);

/// Pairs of bodies with a gap above 0 and up to `within` between them that share no face; by the display triangulation,
/// so curved gaps are known to its tolerance only. In the order of bodies.
std::vector<NearPair> nearBodies(const Part& part, double within);

/// `*` in the pattern stands for any text; case counts.
bool matchesName(const std::string& pattern, const std::string& text);

/// Reads STEP, IGES, BREP, STL, OBJ, PLY, VTP or legacy VTK by the file's extension (content is checked). The problem
/// of a failure says what is wrong and where. Bodies that touch share their faces afterwards.
Result<Part> loadPart(const std::string& path, const LoadOptions& options = {}, Progress* progress = nullptr);

/// A surface whose bodies are known, as the boundary of a mesh is. Edges may have any number of triangles.
struct KnownSurface {
  std::string path;
  std::string unit = "mm";
  bool unitAssumed = false;
  std::vector<Vec3> points;
  std::vector<std::array<int, 3>> triangles; ///< normals leave the body behind
  std::vector<std::array<int, 2>> sides;     ///< by triangle: body behind it, body in front of it or -1
  std::vector<int> label;                    ///< by triangle: index in `names`, or -1; other labels are other faces
  std::vector<std::vector<std::string>> names;
  std::vector<std::string> bodyNames;
};
/// What its triangles and points became in the part.
struct SurfaceLinks {
  std::vector<int> faceOfTriangle;
  std::vector<Tessellation::Origin> ofPoint; ///< entity -1: of no triangle
};
/// The part that a surface describes: faces end at sharp lines (LoadOptions::facetAngleDeg), labels and bodies. Nothing
/// is mended; the surface is followed as it is.
Result<Part> partFromSurface(const KnownSurface& surface, const LoadOptions& options, SurfaceLinks* links = nullptr);

} // namespace tess
