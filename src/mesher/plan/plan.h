// SPDX-License-Identifier: GPL-3.0-or-later
// What is made of each body, face and edge before anything is meshed: a fill per body, a scheme per face, edges that
// get equal counts. Each decision keeps its reason. A face has one mesh, made once; the strictest demand decides.
#pragma once
#include "base/problem.h"
#include "geometry/body_loops.h"
#include "mesher/edges/counts.h"
#include "mesher/plan/layer_wishes.h"
#include "size/edge_wishes.h"
#include <optional>
#include <span>
#include <string_view>

namespace tess {

/// What fills a body.
enum class Fill : std::uint8_t { Tetrahedra, Mapped, Swept };
constexpr int kFills = 3;
const char* fillName(Fill fill);      ///< the word of the brief and of reports
std::vector<std::string> fillNames(); ///< all of them
/// Word of the brief for what fits best: mapped, else swept, else tetrahedra.
constexpr const char* kBestFill = "best";
std::vector<std::string> fillWords();                  ///< of the brief: what fits best, and all names
std::optional<Fill> fillByName(std::string_view word); ///< nothing for another word

/// A face that is to get rows and columns of quadrilaterals: a way round its four sides, each of one edge or more.
struct MappedFace {
  int face = -1;
  std::array<int, 4> corners{};   ///< points of the part, counter-clockwise seen from in front of the face
  std::array<EdgeChain, 4> sides; ///< side k runs from corner k to the next
  /// Sides 0 and 2 are closed, the others empty and the corners -1: rows run round, as on the wall of a hole. How many
  /// there are is an unknown of its own, ringUnknown().
  bool ring = false;
  /// How the rows of a ring are spaced from side 0 to side 2, whatever its number says; empty: evenly.
  std::optional<EdgeDivision> spacing = {};
};
/// Number of the unknown "rows of a ring" among those of edgeCounts().
inline int ringUnknown(const Part& part, int face) { return static_cast<int>(part.edges.size()) + face; }

/// What the ends of a swept body are made of. By itself: quadrilaterals, but triangles where tetrahedra lie beside one.
enum class Across : std::uint8_t { ByItself, Quads, MostlyQuads, Triangles };
constexpr int kAcross = 4;
const char* acrossName(Across across);  ///< the word of the brief; empty for ByItself
std::vector<std::string> acrossNames(); ///< but for that
std::optional<Across> acrossByName(std::string_view word);

/// What cells of rows and layers become.
constexpr const char* kCutCells = "tetrahedra"; ///< the word of the brief

/// What stands along the axis of a body that touches it: quadrilaterals' layers, or wedges around it.
enum class Core : std::uint8_t { Square, Wedges };
constexpr int kCores = 2;
const char* coreName(Core core);      ///< the word of the brief
std::vector<std::string> coreNames(); ///< all of them
std::optional<Core> coreByName(std::string_view word);

/// Where the axis runs through a body that is turned about it: between two poles, faces of one loop (a disc, the tip of
/// a cone), or sectors of three sides. Of a part of a revolution the profile stands at two sides that meet along it.
struct AboutAxis {
  std::array<int, 2> poles{-1, -1};              ///< faces
  std::array<int, 2> sides{-1, -1};              ///< faces of the profile; -1 for a full revolution
  std::array<std::array<EdgeChain, 2>, 2> radii; ///< per pole and side: from the arc to the axis
  std::array<EdgeChain, 2> arcs;                 ///< per pole: from side 0 to side 1, or all round
  EdgeChain axis;                                ///< from the first pole to the second
  Core core = Core::Square;
  bool full() const { return sides[0] < 0; }
};

/// A face of any shape that is to get quadrilaterals, or mostly such.
struct PavedFace {
  int face = -1;
  bool all = true;              ///< quadrilaterals only; every loop gets an even count for it
  std::vector<EdgeChain> loops; ///< each with the face to its left as seen from in front
  /// Per step of the only loop, which of four ways (0 to 3, counter-clockwise) it runs: the face gets rows, as all its
  /// corners are about square (L, T, U, steps). Empty: it has others.
  std::vector<int> ways = {};
};

/// A face whose mesh is carried through a body to the face at the other end, between walls of rows.
struct Sweep {
  int body = -1;
  int source = -1, target = -1;
  std::vector<int> walls; ///< side by side and one over the other
  std::vector<int> feet;  ///< per wall an edge of the side that looks to the source
  std::vector<int> heads; ///< per wall one that looks to the target
  /// The walls close on themselves, all of them rings: a profile runs once round and there are no ends.
  bool closed = false;
  std::optional<AboutAxis> axis; ///< of a closed one: its profile touches the axis, and there are poles
  /// What the profile of a closed one, or the ends of a stepped one, are made of; by itself: quadrilaterals.
  Across across = Across::ByItself;
  /// Ends at several heights instead of `source` and `target`, all level, above and below each other with upright
  /// walls between them: a stepped body.
  std::vector<int> steps;
  Vec3 up = Vec3::Zero();                ///< of a stepped body: from the feet of its walls to their heads
  std::vector<char> alone;               ///< per step: no edge of another one runs across it, seen along `up`
  std::vector<std::array<int, 2>> over;  ///< places in `steps` of ends that face each other, the lower one first
  std::vector<std::array<int, 2>> alike; ///< edges that are one, seen along `up`
  std::vector<int> given;                ///< those of `steps` whose mesh neighbours decide
  /// Whose mesh comes from elsewhere.
  std::vector<int> sources() const {
    return closed ? std::vector<int>{} : steps.empty() ? std::vector<int>{source} : given;
  }
  /// Whose mesh is made for this body.
  std::vector<int> targets() const {
    std::vector<int> r;
    if (axis)
      for (int f : {axis->poles[0], axis->poles[1], axis->sides[0], axis->sides[1]})
        if (f >= 0) r.push_back(f);
    if (closed) return r;
    if (steps.empty()) return {target};
    for (int f : steps)
      if (std::find(given.begin(), given.end(), f) == given.end()) r.push_back(f);
    return r;
  }
};

/// A filler's answer to "does this body fit?", and what it needs of the body's faces where it does.
struct Fit {
  bool fits = false;
  std::string why;        ///< where it does not: in words, as the end of "... since"
  std::vector<int> faces; ///< that hinder
  std::vector<Vec3> places;
  std::vector<MappedFace> mapped; ///< one per face of the body that must be so
  std::vector<EqualSums> sums;    ///< what else the counts must fulfil
  std::vector<EvenSum> evens;     ///< likewise, where they can
  std::optional<Sweep> sweep;     ///< its ends may be exchanged
  std::vector<PavedFace> ends;    ///< the ends of the sweep; of two, one may get quadrilaterals of its own
  std::vector<Fit> others;        ///< further ways that fit, where neighbours do not allow this one; best first
};

/// What the plan knows of a room that fills bodies.
class Filler {
public:
  virtual ~Filler() = default;
  virtual Fill kind() const = 0;
  virtual Fit fit(const Part& part, int body) const = 0;
};

struct BodyPlan {
  Fill fill = Fill::Tetrahedra;
  bool asked = false; ///< by the brief; else it is what bodies get by themselves
  std::string why;    ///< of what was decided, in words
  bool cut = false;   ///< its rows or layers are cut into tetrahedra
  std::string how;    ///< what was wished of its rows or layers, to compare by
};
struct FacePlan {
  int mapped = -1;    ///< index into MeshPlan::mapped
  int paved = -1;     ///< index into MeshPlan::paved; both -1: triangles
  int decidedBy = -1; ///< body whose filler needs that
  std::string why;
  int tetSide = 0;     ///< side on which tetrahedra meet its quadrilaterals: 1 in front, -1 behind, 0 none
  bool given = false;  ///< its mesh is there already
  bool source = false; ///< its mesh is carried to another face
  bool copied = false; ///< its mesh is carried here from another face
  bool quads = false;  ///< it has quadrilaterals
  bool frozen() const { return mapped >= 0 || paved >= 0 || given || source || copied; }
};
struct MeshPlan {
  std::vector<BodyPlan> bodies;
  std::vector<FacePlan> faces;
  std::vector<MappedFace> mapped;
  std::vector<PavedFace> paved;
  std::vector<EqualSums> sums; ///< what counts along edges must fulfil
  std::vector<EvenSum> evens;  ///< likewise, where they can
  std::vector<Sweep> sweeps;   ///< in an order in which every source is there before it is carried on
  Bridging bridging;
  EdgeDivisions divisions;
  LayerWishes layers;     ///< grown in bodies of tetrahedra
  std::vector<int> given; ///< per part edge: elements that it has already, 0 where it is free; empty: all are
  bool tetrahedraOnly() const {
    return std::none_of(faces.begin(), faces.end(), [](const FacePlan& f) { return f.frozen(); });
  }
  /// Whether a face's mesh does not come from its own triangulation.
  bool takesMesh(int face) const {
    if (faces.empty()) return false;
    const FacePlan& f = faces[static_cast<std::size_t>(face)];
    return f.mapped >= 0 || f.paved >= 0 || f.given || f.copied;
  }
  bool structured(int body) const {
    return !bodies.empty() && bodies[static_cast<std::size_t>(body)].fill != Fill::Tetrahedra;
  }
  bool cut(int body) const { return structured(body) && bodies[static_cast<std::size_t>(body)].cut; }
  /// Whether quadrilaterals of a face become triangles, since all rows and layers beside it are cut.
  bool cut(const Part& part, int face) const {
    bool any = false;
    for (int b : part.faces[static_cast<std::size_t>(face)].bodies)
      if (b >= 0 && structured(b)) {
        if (!cut(b)) return false;
        any = true;
      }
    return any && !faces[static_cast<std::size_t>(face)].given;
  }
};

/// What the brief wants of a body.
struct FillWish {
  Fill fill = Fill::Tetrahedra;
  bool asked = false;
  int rule = -1;
  bool best = false; ///< whatever fits best instead of `fill`: mapped, else swept, else tetrahedra
  Across across = Across::ByItself;
  Core core = Core::Square;
  bool cut = false;              ///< cells of rows and layers are cut into tetrahedra
  std::vector<int> sources = {}; ///< faces one of which is the source of a sweep; empty: any
  std::string how() const;       ///< all but the fill, to compare by
  /// Whether a body that came out so is what was wished for.
  bool metBy(Fill made) const { return best || made == fill; }
};

/// All that the brief wants besides sizes.
struct MeshWishes {
  std::vector<FillWish> fills = {}; ///< per body of the part; empty: tetrahedra everywhere
  Bridging bridging = {};
  EdgeDivisions divisions = {};
  LayerWishes layers = {};
  enum class Given : std::uint8_t { No, Triangles, Quads };
  std::vector<Given> givenFaces = {}; ///< per part face: whether its mesh is there already; empty: none is
  std::vector<int> givenCounts = {};  ///< per part edge: elements of those of given faces, else 0; empty: none
};

/// What a body can be by itself, whatever its neighbours are.
struct BodyFits {
  std::vector<Fill> fits; ///< tetrahedra always
  struct Not {
    Fill fill;
    std::string why;
    std::vector<int> faces;
    std::vector<Vec3> places;
  };
  std::vector<Not> others; ///< what it cannot be
};
BodyFits bodyFits(const Part& part, int body, std::span<const Filler* const> fillers);

/// A body that does not fit its wish gets tetrahedra, with the
/// reason as a finding in `said`. `given`: reasons why bodies get tetrahedra whatever is wished, empty where they do
/// not; may be empty.
MeshPlan makePlan(const Part& part, const MeshWishes& wishes, std::span<const Filler* const> fillers,
                  const std::vector<std::string>& given, std::vector<Problem>& said);

} // namespace tess
