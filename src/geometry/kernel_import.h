// SPDX-License-Identifier: GPL-3.0-or-later
// Internal to geometry: reads a file into kernel solids with names and colours, sews loose faces, imprints touching
// bodies. Kernel types stay inside this module.
#pragma once
#include "geometry/part.h"
#include <BOPAlgo_Builder.hxx>
#include <TopTools_DataMapOfShapeInteger.hxx>
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
};
/// Bodies after sewing and imprinting; a body may consist of several solids when it overlapped another one.
struct KernelModel {
  std::vector<KernelBody> bodies;
  std::vector<int> solidBody; ///< for each entry of `solids`, its body
  std::vector<TopoDS_Shape> solids;
  std::vector<KernelFaceInfo> faceInfo;
  TopTools_DataMapOfShapeInteger faceInfoOf; ///< face (any orientation) -> index in faceInfo
  std::string unit, format;
  bool unitAssumed = false;
  std::vector<Problem> problems;
};

Result<KernelModel> importKernelModel(const std::string& path, const std::string& ext, const LoadOptions& options,
                                      Progress* progress);
/// Sews, makes solids, imprints; used by importKernelModel and for shapes made in memory.
std::optional<Problem> finishKernelModel(KernelModel& model, const TopoDS_Shape& loose, double diagonal,
                                         const LoadOptions& options);
/// Cuts solids of a finished model; what cannot be cut is a problem of the model and stays whole.
void cutBodies(KernelModel& model, const LoadOptions& options);
/// Names and colours of a shape's faces go over to what `builder` made of them.
void carryFaceInfo(KernelModel& model, const TopoDS_Shape& before, BOPAlgo_Builder& builder);
/// Signed volume of a closed shape.
double solidVolume(const TopoDS_Shape& shape);
Result<Part> partFromKernelModel(KernelModel model, const LoadOptions& options);

} // namespace tess
