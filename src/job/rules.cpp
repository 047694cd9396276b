// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/rules.h"
#include "base/units.h"
#include "exchange/exchange.h"
#include "job/limits.h"
#include "job/text.h"
#include "mesher/plan/plan.h"
#include <cmath>
#include <cstring>
#include <sstream>

namespace tess {

const Slot* RuleKind::slot(const std::string& key) const {
  for (const auto& s : entries)
    if (s.key == key) return &s;
  return nullptr;
}

const char* slotTypeName(SlotType t) {
  static const char* names[] = {"length", "size", "number", "integer", "angle", "choice",
                                "target", "text", "path",   "points",  "names", "colour"};
  return names[static_cast<int>(t)];
}

const Slot* askedFirst(const RuleKind& kind) {
  for (const auto& s : kind.entries)
    if (s.required && s.type != SlotType::Target && s.type != SlotType::Points) return &s;
  for (const auto& s : kind.entries)
    if (s.type == SlotType::Integer || s.type == SlotType::Angle || s.type == SlotType::Size) return &s;
  return nullptr;
}

namespace {
std::vector<std::string> formatWords() {
  std::vector<std::string> r;
  for (const auto& f : meshFormats()) r.push_back(f.name);
  return r;
}
} // namespace

const std::vector<RuleKind>& ruleTable() {
  static const std::vector<RuleKind> table = [] {
    auto plain = [](const char* key, SlotType type, const char* fallback, const char* help) {
      Slot s;
      s.key = key;
      s.type = type;
      s.fallback = fallback;
      s.help = help;
      return s;
    };
    auto length = [&](const char* key, const char* fallback, const char* help, bool required = false) {
      Slot s = plain(key, SlotType::Length, fallback, help);
      s.low = 0;
      s.lowOpen = true;
      s.required = required;
      return s;
    };
    auto ranged = [&](const char* key, SlotType type, const char* fallback, const char* help, double low, double high,
                      bool open = false) {
      Slot s = plain(key, type, fallback, help);
      s.low = low;
      s.high = high;
      s.lowOpen = open;
      return s;
    };
    auto orZero = [&](const char* key, const char* help) {
      Slot s = length(key, "", help);
      s.lowOpen = false;
      return s;
    };
    auto text = [&](const char* key, SlotType type, const char* help, bool required = false) {
      Slot s = plain(key, type, "", help);
      s.required = required;
      return s;
    };
    auto choice = [&](const char* key, const char* fallback, const char* help, std::vector<std::string> all) {
      Slot s = plain(key, SlotType::Choice, fallback, help);
      s.choices = std::move(all);
      return s;
    };
    auto direction = [](Slot s) {
      s.direction = true;
      return s;
    };
    std::vector<RuleKind> t;
    t.push_back({"value",
                 "Values",
                 "{name} is {value}",
                 "size",
                 "none",
                 "A named value that lengths, numbers, angles and places of other rules can use, with arithmetic.",
                 {text("name", SlotType::Text, "letters, digits and _", true),
                  text("value", SlotType::Text, "a length, number or angle, as 3 mm, 15 deg or 0.4 * hole", true)}});
    t.push_back(
        {"group",
         "Groups",
         "{name}: {of} [named {cad_name}] [coloured {colour}] [that are {surface}] [of radius {radius_min}] [to "
         "{radius_max}] [of area {area_min}] [to {area_max}] "
         "[facing {normal}] [within {normal_angle} of it] [outermost towards {outermost}] [spread from {spread_from}] "
         "[up to {spread_angle}] [inside "
         "{box_min}] [to {box_max}] [nearest to {nearest}] [out of {any_of}] [also in {all_of}] [without {except}] "
         "[made by {made_by}] [of the piece {piece}] [, as it is {as}] [, faces between bodies {between}] [, role "
         "{role}] [, {medium}] [of {material}]",
         "size",
         "highlight",
         "A named set, found by what describes it: all conditions given must hold. It is found again when the part "
         "changes.",
         {text("name", SlotType::Text, "name of the group", true),
          choice("of", "faces", "what it collects", {"faces", "edges", "points", "bodies"}),
          text("cad_name", SlotType::Text, "name in the part file; * stands for any text"),
          text("colour", SlotType::ColorText, "colour in the part file, as #rrggbb; near colours match"),
          choice("surface", "", "kind of surface", {"plane", "cylinder", "cone", "sphere", "torus", "other"}),
          length("radius_min", "", "smallest radius"),
          length("radius_max", "", "largest radius"),
          ranged("area_min", SlotType::Number, "", "smallest area, in the part's unit squared", 0, 1e300),
          ranged("area_max", SlotType::Number, "", "largest area, in the part's unit squared", 0, 1e300),
          direction(text("normal", SlotType::Points, "direction a plane faces, or of a cylinder's axis, as x, y, z")),
          ranged("normal_angle", SlotType::Angle, "5", "how far the direction may be off", 0, 180),
          direction(text("outermost", SlotType::Points,
                         "flat faces that look in this direction, as x, y, z, and lie furthest out that way")),
          text("spread_from", SlotType::Points, "point on a face from which the group spreads over its neighbours"),
          ranged("spread_angle", SlotType::Angle, "20", "largest angle between neighbouring faces while spreading", 0,
                 180),
          text("box_min", SlotType::Points, "corner of a box that holds them"),
          text("box_max", SlotType::Points, "opposite corner"),
          text("nearest", SlotType::Points, "one entity per point: the nearest one, as (x, y, z); (x, y, z)"),
          text("any_of", SlotType::Names, "in at least one of these groups"),
          text("all_of", SlotType::Names, "in all of these groups"),
          text("except", SlotType::Names, "in none of these groups"),
          text("made_by", SlotType::Names,
               "faces, edges or points that cuts made: 'cut 2' for the second cut, or the "
               "name of its faces"),
          text("piece", SlotType::Names, "of these pieces, as 'hub piece 2'; * stands for any text"),
          choice("as", "",
                 "of a part that is cut: described before the cuts, and all parts of it are meant; or described as it "
                 "is when all cuts are made",
                 {"whole", "cut"}),
          choice("between", "",
                 "faces that two bodies share: not taken, taken as well, or taken only; left empty, a group that is "
                 "picked, named in the file or put together from others has what that says, and any other has outer "
                 "faces only",
                 {"not", "also", "only"}),
          choice("role", "", "what the solver is to do with these faces",
                 {"inlet", "outlet", "wall", "symmetry", "periodic", "fixed", "loaded", "contact"}),
          choice("medium", "", "kind of region, for bodies", {"solid", "fluid"}),
          text("material", SlotType::Text, "label of the material, for bodies")}});
    t.push_back({"stay_free",
                 "Groups",
                 "Faces without a name stay free",
                 "audit",
                 "none",
                 "No condition is put on outer faces that are in no group: they are no finding, and nothing to ask "
                 "about before a hand-over.",
                 {}});
    t.push_back({"overlap",
                 "Part",
                 "Where bodies overlap, {keep} keep the space",
                 "part",
                 "highlight",
                 "Which bodies keep the space where several fill it; without it the one that comes first in the file "
                 "does, or one that would vanish.",
                 {text("keep", SlotType::Names, "names of bodies, the strongest first; * stands for any text", true)}});
    t.push_back({"touch",
                 "Part",
                 "Bodies closer than {within} touch",
                 "part",
                 "none",
                 "Bodies with a small gap or overlap between them get common faces, as if they touched.",
                 {length("within", "", "largest gap that is closed", true)}});
    auto whatIsCut = [&] {
      Slot s = text("what", SlotType::Names,
                    "names of bodies or of groups of bodies, * stands for any text; or 'everything'");
      s.fallback = "everything";
      return s;
    };
    auto onlyAt = [&] {
      return text("only", SlotType::Points,
                  "only pieces that hold one of these points, as (x, y, z); (x, y, z); left empty: all of them");
    };
    auto kept = [&] {
      return choice("keep", "",
                    "what stays: both sides, or only what lies ahead, where the sheet's direction points, or behind; "
                    "the rest is left away, as for a half or a quarter",
                    {"both", "ahead", "behind"});
    };
    const char* cutName = "name of the group of faces that the cut leaves or makes; where one side is kept they are "
                          "called symmetry, with the axis, and have that role";
    t.push_back(
        {"cut",
         "Pieces",
         "Cut {what}[, only at {only},] [square to {square_to}] across {across}[ at {at}][ and further on by "
         "{further}][, keeping "
         "{keep}][, "
         "its faces called {name}]",
         "part",
         "sheet",
         "Bodies are cut by planes into pieces, one card after the other, whenever the part is loaded. Pieces "
         "share the nodes of the faces between them and stay one region; groups, sizes and roles mean the parts "
         "of what they meant before. Each piece is filled by itself, so that a body which is no brick and no "
         "prism may become several that are.",
         {whatIsCut(), onlyAt(),
          direction(text("across", SlotType::Points, "direction that the planes are square to, as x, y, z")),
          text("at", SlotType::Points,
               "point in the first plane, or three of them; left empty: the middle of these bodies"),
          text("further", SlotType::Names,
               "distances of more planes from the first one along the direction, as 10 mm, 20 mm"),
          text("square_to", SlotType::Names,
               "a group of edges: the plane is square to the one nearest to the point, there, or at its middle"),
          kept(), text("name", SlotType::Text, cutName)}});
    t.back().entries[2].fallback = "0, 0, 1";
    t.push_back(
        {"cut_along",
         "Pieces",
         "Cut {what}[, only at {only},] along [{on}][ the faces at {at}][, moved by {by}][, keeping {keep}][, its "
         "faces called {name}]",
         "part",
         "sheet",
         "Bodies are cut by faces that are carried on beyond their edges: planes, cylinders, cones, balls, rings "
         "and free forms. Of edges: by the cylinder through a circle, or round a straight edge.",
         {whatIsCut(), onlyAt(), text("on", SlotType::Names, "groups of faces, or of edges"),
          text("at", SlotType::Points, "or points on faces, as (x, y, z); (x, y, z): the nearest ones are meant"),
          ranged("by", SlotType::Length, "",
                 "distance from the faces, out of the body, as 5 mm; into it where it is negative; for edges "
                 "what the radius is larger",
                 -1e300, 1e300),
          kept(), text("name", SlotType::Text, cutName)}});
    t.push_back({"cut_core",
                 "Pieces",
                 "Cut {what}[, only at {only},] with a square core {side} wide round [{on}][ the faces at {at}][, "
                 "turned by {turn}]",
                 "part",
                 "sheet",
                 "A square round a hole, or inside a shaft, as long as its wall, joined to the wall by planes at its "
                 "corners: five pieces of four sides each, or four, instead of a round one.",
                 {whatIsCut(), onlyAt(), text("on", SlotType::Names, "groups of cylinders' faces"),
                  text("at", SlotType::Points, "or points on such faces, as (x, y, z); (x, y, z)"),
                  length("side", "", "side of the square: wider than a hole, narrower than a shaft", true),
                  ranged("turn", SlotType::Angle, "0", "of the square about the axis, from the nearest coordinate axis",
                         -90, 90)}});
    t.push_back(
        {"cut_sheet",
         "Pieces",
         "Cut {what}[, only at {only},] by the faces of {file}",
         "part",
         "sheet",
         "Bodies are cut by the faces of another file, which lie where they are in its coordinates.",
         {whatIsCut(), onlyAt(), text("file", SlotType::Path, "a STEP, IGES or BREP file, beside the brief", true)}});
    auto names = [&](const char* key, const char* help) { return text(key, SlotType::Names, help); };
    t.push_back(
        {"cap",
         "Pieces",
         "Close [the rim {on}][ the openings at {at}], called {name}",
         "part",
         "none",
         "Closes an opening for the spaces of the cards below it, and names the face that it makes there. Holes "
         "in flat faces are found and closed by themselves: a point near one names it. Other openings are "
         "closed over a group of edges that make up a rim: flat where they lie in a plane, else filled.",
         {names("on", "groups of edges that make up a rim"),
          text("at", SlotType::Points, "or points: the nearest openings that are found, as (x, y, z); (x, y, z)"),
          text("name", SlotType::Text, "name of the face in the part, as inlet", true)}});
    t.push_back(
        {"space",
         "Pieces",
         "Take the space {where} the bodies[ that holds {at}][, {which} of them][ in a {hull}][ along {along}][, "
         "{ahead} ahead][, {behind} behind][, {beside} beside][, flush at {flush}], as {name}; {solids} the bodies",
         "part",
         "none",
         "The space inside or around the bodies becomes a body of fluid, whenever the part is loaded. Inside: cavities "
         "in and between bodies, whose openings are closed by caps. Around: what a box, a cylinder or a ball leaves "
         "around them. Faces of the bodies that wall the space keep their names and groups; caps are called by their "
         "cards, or opening 1, opening 2 from the largest; the faces of a hull far -x, far +x and so on. The bodies "
         "are left out, or stay as regions that share their faces with the space.",
         {choice("where", "inside", "cavities, or what lies around the bodies", {"inside", "around"}),
          text("at", SlotType::Points, "points in the spaces that are meant, as (x, y, z); (x, y, z)"),
          choice("which", "", "without points: the largest cavity, or all of them", {"the largest", "all"}),
          choice("hull", "", "around: what bounds the space; left empty: a box", {"box", "cylinder", "ball"}),
          choice("along", "", "around: where the flow goes; left empty: x", {"x", "-x", "y", "-y", "z", "-z"}),
          length("ahead", "", "room before the bodies; left empty: their longest side"),
          length("behind", "", "room behind them; left empty: twice their longest side"),
          length("beside", "", "room beside them; left empty: their longest side"),
          names("flush", "sides where the hull ends with the bodies, without room, as -y: for symmetry"),
          text("name", SlotType::Text, "name of the new body"),
          choice("solids", "leave out", "whether the bodies stay", {"leave out", "keep"})}});
    for (Slot& slot : t.back().entries)
      if (slot.key == "name") slot.fallback = "fluid";
    t.push_back(
        {"everywhere",
         "Sizes",
         "Everywhere {target}, growing by {growth}[, not under {minimum}][, not over {maximum}][, turning {turn} per "
         "element][, at most {slender} walls long][, bridging below {bridge}][, with a budget of {budget} elements]",
         "size",
         "edge-marks",
         "The overall size. Target is the mean edge length; the minimum bounds only what is derived from shape.",
         {length("target", "", "mean edge length; a twentieth of the diagonal in two digits when not given"),
          ranged("growth", SlotType::Number, "1.3", "size ratio of neighbouring elements", 1, 3, true),
          length("minimum", "", "smallest size derived from shape; a tenth of the target when not given"),
          length("maximum", "", "largest size; the target when not given"),
          ranged("turn", SlotType::Angle, "30", "turn per element on curved edges and faces; 0 ignores curvature", 0,
                 120),
          ranged(
              "slender", SlotType::Number, "5",
              "longest edge against the thickness of the wall it lies in, since longer ones make flat elements; down "
              "to the minimum where one is given, to a hundredth of the target otherwise; 0 lets them be flat",
              0, 1000),
          orZero("bridge",
                 "narrower edges and faces are bridged unless a group names them; a fiftieth of the target when not "
                 "given, 0 for never"),
          ranged("budget", SlotType::Integer, "", "elements above which meshing asks first", 1, 2e9)}});
    auto size = [&](const char* key, const char* help, bool required = false) {
      Slot s = length(key, "", help, required);
      s.type = SlotType::Size;
      return s;
    };
    auto acrossDiameter = [](Slot s) {
      s.diameter = true;
      return s;
    };
    t.push_back(
        {"size",
         "Sizes",
         "On {on} {length}[ within {within}]",
         "size",
         "edge-marks",
         "A size on bodies, faces, edges or points; the smallest of all sizes at a place counts.",
         {text("on", SlotType::Target, "a group, or 'everywhere'", true),
          acrossDiameter(size("length",
                              "edge length asked for there, a multiple of the overall size as 0.4 x, or a share "
                              "of the diameter of round faces and edges as D/8",
                              true)),
          length("within", "", "it holds up to this distance from the faces, edges or points")}});
    t.push_back({"through",
                 "Sizes",
                 "At least {count} elements through {what}[ on {on}][, not under {floor}]",
                 "size",
                 "edge-marks",
                 "Elements between opposite faces: through walls of material, or across the gaps between them.",
                 {ranged("count", SlotType::Integer, "3", "elements from one side to the other", 1, 50),
                  choice("what", "walls", "where", {"walls", "gaps"}),
                  text("on", SlotType::Target, "a group of faces or bodies; all when not given"),
                  size("floor", "least size that follows from it; the minimum of the overall size when not given")}});
    t.push_back({"curve",
                 "Sizes",
                 "On {on} turn by {turn} per element[, at most {deviation} off the shape][, not under {floor}]",
                 "size",
                 "edge-marks",
                 "How closely curved faces or edges are followed, in place of the overall turn.",
                 {text("on", SlotType::Target, "a group of faces or edges, or 'everywhere'", true),
                  ranged("turn", SlotType::Angle, "0", "turn per element; 0 ignores curvature", 0, 120),
                  length("deviation", "", "largest distance between an element's edge and the true curve"),
                  size("floor", "least size that follows from it; the minimum of the overall size when not given")}});
    t.push_back(
        {"divide",
         "Sizes",
         "Divide {on}[ into {count}][ by {length}][ into {more} more than the size asks][, finest at {finest}][, "
         "longest {ratio} times the "
         "shortest][, nodes as on {like}]",
         "size",
         "edge-marks",
         "An exact division of edges, which holds whatever other sizes say. Over faces of rows, and along swept "
         "bodies, uneven ones pass on to the edges across.",
         {text("on", SlotType::Target, "a group of edges, or of faces: their edges", true),
          ranged("count", SlotType::Integer, "", "elements along each edge", 1, 100000),
          size("length", "mean length of the elements, where no count is given"),
          ranged("more", SlotType::Integer, "",
                 "elements along each edge more than the size asks, fewer where it is negative; instead of count "
                 "and length",
                 -100000, 100000),
          text("finest", SlotType::Names,
               "places of the shortest elements: start, middle, end, or shares of the length as 0.25"),
          ranged("ratio", SlotType::Number, "1", "longest over shortest element", 1, 10000),
          text("like", SlotType::Target, "a group of edges in a chain whose nodes are copied across")}});
    t.push_back({"zone",
                 "Sizes",
                 "In the {shape} from {from}[ to {to}][, radius {radius}][ narrowing to {radius_end}] {length}",
                 "size",
                 "outline",
                 "A size inside a region of space; it grows outside.",
                 {choice("shape", "box", "kind of region", {"box", "sphere", "cylinder", "cone"}),
                  text("from", SlotType::Points, "corner of the box, centre of the sphere, start of the axis", true),
                  text("to", SlotType::Points, "opposite corner, or end of the axis"),
                  length("radius", "", "of sphere, cylinder, or the start of a cone"),
                  length("radius_end", "", "radius at the end of a cone; a point when not given"),
                  size("length", "edge length asked for inside", true)}});
    t.push_back(
        {"field",
         "Sizes",
         "Sizes from {array} in {path}, as {meaning}[ times {factor}][, for {budget} elements][, error of order "
         "{order}]",
         "size",
         "edge-marks",
         "Sizes from a result on an earlier mesh: an array of a VTU file that holds a size, or the error of "
         "each element, which is then spread evenly.",
         {text("path", SlotType::Path, "VTU file; relative paths start at the brief", true),
          text("array", SlotType::Text, "name of the array, on points or cells", true),
          choice("meaning", "size", "what the array holds", {"size", "error"}),
          ranged("factor", SlotType::Number, "1", "factor on the sizes", 0, 1e6, true),
          ranged("budget", SlotType::Integer, "", "elements that the whole mesh shall have", 1, 2e9),
          ranged("order", SlotType::Number, "1", "power of the size with which the error falls", 0.1, 10)}});
    t.push_back(
        {"fill",
         "Methods",
         "Fill {what} with {with}[, from {from}][, {across} across][, {core} along the axis][, cut into {cells}], "
         "order {order}",
         "mesh",
         "highlight",
         "What bodies are filled with. Tetrahedra fit everywhere. Mapped: rows of hexahedra in a body of six sides. "
         "Swept: layers between two ends with walls all round, in a body of full revolution, or between level "
         "ends at several heights; hexahedra over quadrilaterals, wedges over triangles. Best: mapped where that fits, "
         "else swept, else tetrahedra. Sides across from each other get equal counts, and pyramids join quadrilaterals "
         "to tetrahedra. A body that does "
         "not fit gets tetrahedra, and a finding says why. Of several cards the one for fewer bodies holds, else the "
         "later one; the order is that of the first. Order 2 has mid nodes on the true geometry.",
         {text("what", SlotType::Target, "a group of bodies, or 'everything'"),
          choice("with", fillName(Fill::Tetrahedra), "what fills them; best: mapped, else swept, else tetrahedra",
                 fillWords()),
          choice(
              "across", "",
              "what the ends, or the profile, of swept bodies are made of; left empty: quads, but triangles where an "
              "end lies at tetrahedra",
              acrossNames()),
          text("from", SlotType::Target,
               "a group of faces: the mesh of one of them is carried through swept bodies; left empty: the face that "
               "suits best"),
          choice("core", "",
                 "what stands along the axis of swept bodies that are turned about it; left empty: a square core",
                 coreNames()),
          choice("cells", "",
                 "what cells of rows and layers are cut into: tetrahedra as regular as these; left empty: they stay "
                 "whole. Pyramids join them to hexahedra beside them",
                 {kCutCells}),
          choice("order", "1", "1 linear, 2 quadratic; for the whole mesh", {"1", "2"})}});
    t.back().entries[0].fallback = "everything";
    t.push_back(
        {"layers",
         "Methods",
         "Grow [{count} ]layers on {on}[, first {first}][, first {share} of the edges there][, first at y+ {yplus}][ "
         "for "
         "{speed} m/s][ of {density} kg/m3][ and {viscosity} Pa s][ along {length}], by {ratio}[, {total} in "
         "all][, the next cell {jump} times the last]",
         "mesh",
         "highlight",
         "Layers of wedges along walls, in bodies of tetrahedra: each higher than the one before by the ratio. Without "
         "a count there are as many as the last one needs to fit the cells beyond it. At corners and in gaps stacks "
         "get lower, layer by layer; the report says where and why. They end on the faces beside the walls, as on an "
         "inlet or a symmetry plane, where those stand at 50 to 130 degrees to the wall. Bodies of fluid get them "
         "where there are any. The height for a y+ is that of a flat plate: c_f = 0.026 / Re^(1/7), u_tau = U "
         "sqrt(c_f / 2), height = y+ mu / (rho u_tau).",
         {text("on", SlotType::Target, "a group of faces; of bodies: all their faces", true),
          ranged("count", SlotType::Integer, "", "layers; left empty: as many as the last one needs to fit", 1, 200),
          size("first", "height of the first layer"),
          ranged("share", SlotType::Number, "", "or: height of the first layer as a share of the wall's edges there", 0,
                 10, true),
          ranged("yplus", SlotType::Number, "", "or: y+ at the height of the first layer", 0, 1e6, true),
          ranged("speed", SlotType::Number, "", "of the flow along the wall, m/s", 0, 1e6, true),
          ranged("density", SlotType::Number, "", "of the fluid, kg/m3", 0, 1e6, true),
          ranged("viscosity", SlotType::Number, "", "dynamic, of the fluid, Pa s", 0, 1e6, true),
          length("length", "", "of the wall along the flow, from its front on"),
          ranged("ratio", SlotType::Number, "1.2", "height of each layer over the one before", 0.5, 5),
          length("total", "", "height of all layers; decides the ratio where first and count are given"),
          ranged("jump", SlotType::Number, "1",
                 "height of the first cell beyond over the last layer's, without a count", 0.1, 10)}});
    t.push_back({"take_mesh",
                 "Methods",
                 "Take the mesh of the file as it is",
                 "mesh",
                 "none",
                 "The part's file is a mesh: its elements are judged, improved and handed over, with the groups of the "
                 "brief as its sets. Without this rule the space within its boundary is meshed anew.",
                 {}});
    t.push_back(
        {"keep_surface",
         "Methods",
         "Keep the surface mesh of {path}",
         "mesh",
         "none",
         "A surface mesh that was looked at and accepted is locked: the volume follows it, whatever sizes ask for "
         "on the surface. It must fit the part.",
         {text("path", SlotType::Path, "VTP or VTU file of an earlier run; relative paths start at the brief", true)}});
    t.push_back(
        {"ignore",
         "Methods",
         "Ignore {what} with a bend of up to {angle}[, shorter than {shorter}][, inside {inside}]",
         "mesh",
         "highlight",
         "Edges that the mesh need not follow: the faces on their two sides count as one. Or points: the two edges "
         "that meet there count as one, so that no node need stand between them. Edges between groups or bodies, what "
         "is in groups itself and divided edges are followed always.",
         {choice("what", "edges", "what need not be followed", {"edges", "points"}),
          ranged(
              "angle", SlotType::Angle, "5",
              "largest angle between the two faces along the edge, or between the two edges at the point; 0 for what "
              "goes on smoothly, 180 for any",
              0, 180),
          length("shorter", "", "only edges up to this length, or points at the end of such a one"),
          text("inside", SlotType::Target,
               "only between faces or edges of this group, or of this group of edges or points itself; everywhere when "
               "not given")}});
    t.push_back(
        {"apart",
         "Methods",
         "Keep {bodies} apart[ from {others}]",
         "mesh",
         "highlight",
         "Bodies that touch without sharing nodes, for contact or couplings: both sides of their common faces get "
         "nodes of their own at the same places, and a set each, named 'A to B' after the bodies.",
         {text("bodies", SlotType::Target, "a group of bodies, or 'everywhere' for all from one another", true),
          text("others", SlotType::Target, "a group of bodies; all other bodies when not given")}});
    t.push_back({"judge",
                 "Judging",
                 "Judge for {purpose}[ by the limits in {file}]",
                 "audit",
                 "none",
                 "The limit set for the verdict: one of the program's, or one that your team keeps in a file. See "
                 "`tessel limits`.",
                 {choice("purpose", "general", "limit set", {"general", "strength", "flow"}),
                  text("file", SlotType::Path, "a .limits file, whose limits take the place of the purpose's")}});
    {
      Slot metric = choice("metric", "min dihedral angle", "metric that is judged", metricWords());
      Slot bound =
          plain("bound", SlotType::Number, "", "the least or the largest value that is good, whichever is worse");
      bound.required = bound.multiple = true;
      bound.help += "; lengths may be multiples of the target size, as 0.2 x";
      t.push_back(
          {"limit",
           "Judging",
           "Keep {metric} within {bound}[ as the {side}][ at {at}]",
           "audit",
           "highlight",
           "A limit of your own: in place of the one of the purpose, for all elements or for those that touch a "
           "group. Angles in degrees, sizes in the part's unit. Two of them can bound a metric from both sides.",
           {metric, bound,
            choice("side", "", "which value the bound is, where it is not the usual one of the metric",
                   {"most", "least"}),
            text("at", SlotType::Target, "a group; all elements when not given")}});
      bound.help = "up to which value; what is worse still fails; lengths may be multiples of the target size";
      t.push_back({"accept",
                   "Judging",
                   "Accept {metric} to {bound}[ at {at}], because {reason}",
                   "audit",
                   "highlight",
                   "Elements that fail a limit, but were looked at and are let pass: they stand in the verdict and the "
                   "report with the reason.",
                   {metric, bound, text("at", SlotType::Target, "a group; all elements when not given"),
                    text("reason", SlotType::Text, "why they may stay", true)}});
    }
    t.push_back(
        {"rename",
         "Hand-over",
         "Call {what} {name}",
         "audit",
         "none",
         "Another name for a region, or for a set of elements or nodes that the mesh brings along. Bodies that get "
         "one name are one region in files. Groups are renamed on their own cards.",
         {text("what", SlotType::Text, "the region or set as it is called", true),
          text("name", SlotType::Text, "its name from now on", true)}});
    t.push_back(
        {"hand_over",
         "Hand-over",
         "Write {path} as {format}[, scaled by {scale}]",
         "export",
         "none",
         "A file for a solver; relative paths start at the brief.",
         {text("path", SlotType::Path, "file, or folder for foam", true),
          choice("format", "", "by the path's extension when not given", formatWords()),
          ranged("scale", SlotType::Number, "",
                 "factor on all coordinates; when not given, 1, but for formats that are in metres by convention "
                 "(foam), which are written in metres",
                 0, 1e12, true)}});
    return t;
  }();
  return table;
}

const RuleKind* ruleKind(const std::string& id) {
  for (const auto& k : ruleTable())
    if (k.id == id) return &k;
  return nullptr;
}

std::string Rule::get(const std::string& key) const {
  if (auto it = values.find(key); it != values.end() && !it->second.empty()) return it->second;
  const RuleKind* k = ruleKind(kind);
  const Slot* s = k ? k->slot(key) : nullptr;
  return s ? s->fallback : "";
}

namespace {
Problem badValue(const Slot& s, const std::string& value, const std::string& why) {
  Problem p;
  p.fault = Fault::Usage;
  p.code = "rule.value";
  p.what = "'" + value + "' is no value for " + s.key;
  p.why = why;
  p.todo = s.help;
  return p;
}
/// "15 deg", "15°", "15", with arithmetic.
Result<double> parseAngle(std::string text) {
  for (const char* mark : {"deg", "\xC2\xB0"})
    for (auto at = text.find(mark); at != std::string::npos; at = text.find(mark))
      text.replace(at, std::strlen(mark), " ");
  return parseNumber(text);
}
} // namespace

std::vector<std::string> splitList(const std::string& text, char separator) {
  std::vector<std::string> r;
  std::stringstream ss(text);
  for (std::string w; std::getline(ss, w, separator);)
    if (std::string t = trimmed(w); !t.empty()) r.push_back(t);
  return r;
}

Result<std::vector<Vec3>> parsePoints(const std::string& text, const std::string& unit) {
  std::vector<Vec3> r;
  for (std::string part : splitList(text, ';')) {
    if (part.size() >= 2 && part.front() == '(' && part.back() == ')') part = part.substr(1, part.size() - 2);
    auto c = splitList(part);
    Problem p;
    p.fault = Fault::Usage;
    p.code = "rule.value";
    p.what = "'" + text + "' is no point";
    p.todo = "write for example (1, 2, 3), several separated by ;";
    if (c.size() != 3) return p;
    Vec3 v;
    for (std::size_t k = 0; k < 3; ++k) {
      auto x = parseLength(c[k], unit);
      if (!x) return p;
      v[static_cast<Eigen::Index>(k)] = *x;
    }
    r.push_back(v);
  }
  return r;
}

std::optional<Problem> checkSlot(const Slot& s, const std::string& value, const std::string& unit) {
  if (trimmed(value).empty()) {
    if (s.required) return badValue(s, value, "it must be given");
    return {};
  }
  auto bounds = [&](double v) -> std::optional<Problem> {
    if (v < s.low || v > s.high || (s.lowOpen && v == s.low))
      return badValue(s, value,
                      "it must be " + std::string(s.lowOpen ? "above " : "at least ") + formatNumber(s.low) +
                          (s.high < 1e299 ? " and at most " + formatNumber(s.high) : ""));
    return {};
  };
  switch (s.type) {
  case SlotType::Size:
    if (auto x = parseMultiple(value)) return bounds(*x);
    if (auto x = parseDiameter(value); x && s.diameter) return bounds(*x);
    [[fallthrough]];
  case SlotType::Length: {
    auto v = parseLength(value, unit);
    if (!v) return badValue(s, value, v.problem().why);
    return bounds(*v);
  }
  case SlotType::Number:
    if (auto x = parseMultiple(value); x && s.multiple) return bounds(*x);
    [[fallthrough]];
  case SlotType::Integer:
  case SlotType::Angle: {
    auto v = s.type == SlotType::Angle ? parseAngle(value) : parseNumber(value);
    if (!v) return badValue(s, value, v.problem().why.empty() ? "a number is expected" : v.problem().why);
    if (s.type == SlotType::Integer && *v != std::floor(*v)) return badValue(s, value, "a whole number is expected");
    return bounds(*v);
  }
  case SlotType::Choice:
    for (const auto& c : s.choices)
      if (c == value) return {};
    {
      std::string all;
      for (const auto& c : s.choices) all += (all.empty() ? "" : ", ") + c;
      return badValue(s, value, "it must be one of " + all);
    }
  case SlotType::Points: {
    auto v = parsePoints(value, unit);
    if (!v) return badValue(s, value, v.problem().todo);
    return {};
  }
  case SlotType::ColorText:
    if (value.size() != 7 || value[0] != '#' ||
        value.find_first_not_of("0123456789abcdefABCDEF", 1) != std::string::npos)
      return badValue(s, value, "a colour is written #rrggbb");
    return {};
  default:
    return {};
  }
}

double slotNumber(const Rule& rule, const std::string& key, const std::string& unit) {
  const RuleKind* k = ruleKind(rule.kind);
  const Slot* s = k ? k->slot(key) : nullptr;
  if (!s) return 0;
  std::string text = rule.get(key);
  if (checkSlot(*s, text, unit)) text = s->fallback;
  if (text.empty()) return 0;
  if (s->type == SlotType::Size && (parseMultiple(text) || parseDiameter(text))) return 0;
  if (s->type == SlotType::Length || s->type == SlotType::Size) return *parseLength(text, unit);
  auto v = s->type == SlotType::Angle ? parseAngle(text) : parseNumber(text);
  return v ? *v : 0;
}

double slotLength(const Rule& rule, const std::string& key, const std::string& unit, double target) {
  if (auto x = parseMultiple(rule.get(key))) return *x * target;
  return slotNumber(rule, key, unit);
}

std::optional<double> parseMultiple(const std::string& text) {
  std::string t = trimmed(text);
  char* end = nullptr;
  double v = std::strtod(t.c_str(), &end);
  std::string rest = trimmed(end);
  if (end == t.c_str() || !std::isfinite(v) || (rest != "x" && rest != "x everywhere")) return {};
  return v;
}

std::optional<double> parseDiameter(const std::string& text) {
  std::string t = trimmed(text);
  if (t.empty()) return {};
  char* end = nullptr;
  if (t.front() == 'D') { // D, D/8
    std::string rest = trimmed(t.substr(1));
    if (rest.empty()) return 1;
    if (rest.front() != '/') return {};
    rest = trimmed(rest.substr(1));
    double v = std::strtod(rest.c_str(), &end);
    if (end == rest.c_str() || *end || !std::isfinite(v) || v <= 0) return {};
    return 1 / v;
  }
  double v = std::strtod(t.c_str(), &end); // 0.2 D
  if (end == t.c_str() || trimmed(end) != "D" || !std::isfinite(v)) return {};
  return v;
}

std::string sentenceOf(const Rule& rule) {
  const RuleKind* k = ruleKind(rule.kind);
  if (!k) return "unknown rule '" + rule.kind + "'";
  std::string out;
  const std::string& s = k->sentence;
  for (std::size_t i = 0; i < s.size();) {
    if (s[i] == '[') { // optional part: shown when its slot has a value of its own
      std::size_t e = s.find(']', i), b = s.find('{', i), c = s.find('}', i);
      std::string key = s.substr(b + 1, c - b - 1);
      auto it = rule.values.find(key);
      if (it != rule.values.end() && !it->second.empty())
        out += s.substr(i + 1, b - i - 1) + it->second + s.substr(c + 1, e - c - 1);
      i = e + 1;
    } else if (s[i] == '{') {
      std::size_t e = s.find('}', i);
      std::string v = rule.get(s.substr(i + 1, e - i - 1));
      out += v.empty() ? "…" : v;
      i = e + 1;
    } else
      out += s[i++];
  }
  std::string tidy;
  for (char c : out)
    if (!(c == ' ' && (tidy.empty() || tidy.back() == ' '))) tidy += c;
  while (!tidy.empty() && tidy.back() == ' ') tidy.pop_back();
  return tidy;
}

std::string rulesReference() {
  std::ostringstream o;
  o << "# Rules\n\nGenerated by `tessel rules --markdown` from the rule table. A brief is TOML: `format = 1`, a table "
       "`[part]` with `file` (and `unit`,\n`facet_angle` where needed), and one `[[rule]]` per rule with `is` naming "
       "its kind. Every rule may carry `note` and `off`.\n"
       "Lengths, numbers, angles and places take arithmetic and the names of values; a length may be a share of the "
       "part's diagonal as `2 %`, a coordinate a share of its box.\n";
  for (const auto& k : ruleTable()) {
    o << "\n## " << k.id << "\n\n"
      << k.help << "\n\n| key | type | default | bounds | meaning |\n|---|---|---|---|---|\n";
    for (const auto& s : k.entries) {
      std::string b;
      if (s.type == SlotType::Choice)
        for (const auto& c : s.choices) b += (b.empty() ? "" : ", ") + c;
      else if (s.low > -1e299)
        b = (s.lowOpen ? "> " : ">= ") + formatNumber(s.low) + (s.high < 1e299 ? ", <= " + formatNumber(s.high) : "");
      o << "| `" << s.key << "` | " << slotTypeName(s.type) << " | " << (s.required ? "required" : s.fallback) << " | "
        << b << " | " << s.help << " |\n";
    }
  }
  return o.str();
}

} // namespace tess
