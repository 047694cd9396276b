// SPDX-License-Identifier: GPL-3.0-or-later
// Parts given as triangles (STL, OBJ, PLY): welding, orientation, splitting into faces along sharp lines.
#pragma once
#include "geometry/part.h"

namespace tess {

/// Triangles as read from a file, before welding.
struct FacetSoup {
  std::vector<Vec3> points;
  std::vector<std::array<int, 3>> triangles;
  std::vector<int> triangleName; ///< index in names, or -1
  std::vector<std::string> names;
};

Result<FacetSoup> readStl(const std::string& path);
Result<FacetSoup> readObj(const std::string& path);
Result<FacetSoup> readPly(const std::string& path);
/// VTP (`xml`), or a legacy VTK file of polygons.
Result<FacetSoup> readVtkSurface(const std::string& path, bool xml);
Result<Part> partFromFacets(FacetSoup soup, const LoadOptions& options);
Result<Part> loadFacetPart(const std::string& path, const std::string& ext, const LoadOptions& options);

/// What every part gets last: names that tell its bodies apart, its box, and what is said about its health.
Result<Part> finishedPart(Part part, const std::string& path);
/// Box of the display and extent of the true shape.
void findExtent(Part& part);

} // namespace tess
