// SPDX-License-Identifier: GPL-3.0-or-later
// Internal to geometry: reads a file into kernel solids with names and colours, sews loose faces, imprints touching
// bodies. Kernel types stay inside this module.
#pragma once
#include "geometry/part.h"
#include <BOPAlgo_Builder.hxx>
#include <TopTools_DataMapOfShapeInteger.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS_Shape.hxx>

namespace tess {

struct KernelFaceInfo {
  std::string name;
  std::optional<Color> color;
};
struct KernelBody {
  TopoDS_Shape solid;
  std::string name;
  std::optional<Color> color;
  std::string of = {}; ///< as PartBody has it
  int from = -1;       ///< likewise
  bool space = false;  ///< likewise
};
/// Bodies after sewing and imprinting; a body may consist of several solids when it overlapped another one.
struct KernelModel {
  std::vector<KernelBody> bodies;
  std::vector<int> solidBody; ///< for each entry of `solids`, its body
  std::vector<TopoDS_Shape> solids;
  std::vector<double> volumes; ///< of `solids`, where they are known; else empty
  std::vector<KernelFaceInfo> faceInfo;
  TopTools_DataMapOfShapeInteger faceInfoOf; ///< face (any orientation) -> index in faceInfo
  /// Of a part that was cut: face, edge or vertex -> what of the whole part it is of, or the cut that made it.
  TopTools_DataMapOfShapeInteger originOf, cutOf;
  std::string unit, format;
  bool unitAssumed = false;
  std::vector<Problem> problems;
};

Result<KernelModel> importKernelModel(const std::string& path, const std::string& ext, const LoadOptions& options,
                                      Progress* progress);
/// Sews, makes solids, imprints; used by importKernelModel and for shapes made in memory.
std::optional<Problem> finishKernelModel(KernelModel& model, const TopoDS_Shape& loose, double diagonal,
                                         const LoadOptions& options);
/// Names and colours of a shape's faces go over to what `builder` made of them.
void carryFaceInfo(KernelModel& model, const TopoDS_Shape& before, BOPAlgo_Builder& builder);
/// A close box, of the shape itself and not of its poles.
Box trueBox(const TopoDS_Shape& shape);
/// Signed volume of a closed shape.
double solidVolume(const TopoDS_Shape& shape);
/// Solids of a finished model with its names; options give the unit.
Result<Part> partFromKernelModel(KernelModel model, const LoadOptions& options);
/// What a part of the kernel was made from, and where its entities are in that: index - 1 in each map is the number of
/// the part's face; edges and vertices by further tables, -1 where the part shows none.
struct KernelSource {
  KernelModel model;
  TopTools_IndexedMapOfShape faces, edges, vertices;
  std::vector<int> edgeOf, pointOf;
};
/// Nothing for a part of another kind.
std::optional<KernelSource> kernelSourceOf(const Part& part);
/// Faces of a file as they are, closed to bodies or not, in coordinates of `unit`; a file that names no unit is taken
/// to be in it.
Result<TopoDS_Shape> importSheets(const std::string& path, const std::string& unit);

} // namespace tess
