// SPDX-License-Identifier: GPL-3.0-or-later
// Mesh files. One source file per format. Every writer returns what it wrote in words or the problem; readers give a
// mesh with regions and groups. Node orders and face numbers come from the element table, checked against the solvers.
#pragma once
#include "base/problem.h"
#include "base/progress.h"
#include "mesh/mesh.h"
#include <functional>

namespace tess {

enum class MeshFormat { Vtu, Inp, Foam, Cgns, Exodus, Su2, Stl, Ply };

/// What is known of a format; the one place that names them.
struct FormatInfo {
  MeshFormat format;
  const char* name;                    ///< for rules and `name:path` on the command line
  const char* title;                   ///< for people
  std::vector<const char*> extensions; ///< the first is the usual one; none for folders
  const char* unit;                    ///< that numbers in such a file are in by convention; empty: any
  bool oneGroupAFace;                  ///< a face stands in one set at most
  bool surfaceOnly;                    ///< triangles or polygons, no cells
  bool linearOnly;                     ///< mid nodes are left out
  bool polyhedra;
  bool innerSets; ///< sets of faces between regions
  bool cellSets, nodeSets;
  bool regions;
};
const std::vector<FormatInfo>& meshFormats();
const FormatInfo& formatInfo(MeshFormat f);
/// "vtu", "inp", "foam", "cgns", "exodus", "su2", "stl", "ply"
std::optional<MeshFormat> meshFormatByName(std::string_view name);
std::optional<MeshFormat> meshFormatOfPath(const std::string& path);
const char* meshFormatName(MeshFormat f);
/// Names of all formats, or titles of those for which `which` is true, as "a, b or c".
std::string formatNames();
std::string formatTitles(const std::function<bool(const FormatInfo&)>& which);

/// Factor that takes lengths in `unit` to the unit that files of this format are in by convention: 0.001 for a polyMesh
/// of a part in mm. 1 where there is none.
double conventionalScale(MeshFormat f, const std::string& unit);
/// Whether a face can be in one set only, so that of overlapping sets the first has it.
bool holdsOneGroupAFace(MeshFormat f);
/// What of this mesh a file of the format does not hold.
struct Loss {
  std::string what, why;
  bool refused = false; ///< the mesh cannot be written at all
};
std::vector<Loss> lossesIn(MeshFormat f, const Mesh& mesh);
/// The problem of a mesh with elements that a format has no word for.
Problem cannotHold(MeshFormat f, ElementType type, const std::string& path);

/// Writes the mesh, coordinates multiplied by `scale`.
std::optional<Problem> writeMesh(const Mesh& mesh, MeshFormat format, const std::string& path, double scale = 1);
/// Reads VTU (with its sibling NAME.boundary.vtp if there), .inp, CGNS, Exodus II, SU2, or a folder with a polyMesh.
/// All readers of meshes throw Cancelled on a stop.
Result<Mesh> readMesh(const std::string& path, const Progress* progress = nullptr);
/// Reads the file again and compares counts, volume and set areas with what was to be written, as far as the format
/// holds them; not for formats of surfaces. Nothing when they agree.
std::optional<Problem> verifyWritten(const Mesh& mesh, MeshFormat format, const std::string& path, double scale);

/// Names fit for all solver files: letters, digits and '_', starting with a letter, at most 31 characters, different
/// even when case is ignored.
std::vector<std::string> solverNames(const std::vector<std::string>& names);

std::optional<Problem> writeVtu(const Mesh& mesh, const std::string& path, double scale);
/// The boundary and interface faces alone as VTP, each linked to its face of the part and the regions on both sides.
std::optional<Problem> writeSurface(const Mesh& mesh, const std::string& path, double scale = 1);
/// Reads what writeSurface wrote; of a .vtu path the boundary beside it. A mesh without cells.
Result<Mesh> readSurface(const std::string& path, const Progress* progress = nullptr);
std::optional<Problem> writeInp(const Mesh& mesh, const std::string& path, double scale);
std::optional<Problem> writeFoam(const Mesh& mesh, const std::string& folder, double scale);
std::optional<Problem> writeCgns(const Mesh& mesh, const std::string& path, double scale);
std::optional<Problem> writeExodus(const Mesh& mesh, const std::string& path, double scale);
std::optional<Problem> writeSu2(const Mesh& mesh, const std::string& path, double scale);
std::optional<Problem> writeStl(const Mesh& mesh, const std::string& path, double scale);
std::optional<Problem> writePly(const Mesh& mesh, const std::string& path, double scale);
/// Values of an earlier mesh, one per cell; an array on points is averaged over the corners of each cell.
struct CellValues {
  std::vector<Vec3> center;
  std::vector<double> radius; ///< about half of the cell's width
  std::vector<double> edge;   ///< mean edge length
  std::vector<double> value;
};
/// Reads a scalar array of a VTU file (cells of any dimension); fails when it is not there and names those that are.
Result<CellValues> readVtuArray(const std::string& path, const std::string& array, const Progress* progress = nullptr);
/// Read by way of trial in a process of its own first, since damaged files can crash the library behind it.
Result<Mesh> readVtu(const std::string& path, const Progress* progress = nullptr);
Result<Mesh> readInp(const std::string& path, const Progress* progress = nullptr);
/// Unstructured zones of one CGNS base, by way of trial as readVtu.
Result<Mesh> readCgns(const std::string& path, const Progress* progress = nullptr);
/// By way of trial as readVtu.
Result<Mesh> readExodus(const std::string& path, const Progress* progress = nullptr);
Result<Mesh> readSu2(const std::string& path, const Progress* progress = nullptr);
/// The folder of the polyMesh that a path means: itself, below it, or that of a file in it; nothing when there is none.
std::optional<std::string> polyMeshFolder(const std::string& path);
/// Text or binary, packed or not. Metres by convention.
Result<Mesh> readFoam(const std::string& path, const Progress* progress = nullptr);

/// For every boundary face the first face group it is in, or -1.
std::vector<std::int32_t> firstGroupOfFaces(const Mesh& mesh);

} // namespace tess
