// SPDX-License-Identifier: GPL-3.0-or-later
// VTU for cells (cell array `region`, names as field data) with a sibling NAME.boundary.vtp for boundary faces (cell
// array `group`, names as field data). Sets of cells and nodes, and sets of faces that share faces with an earlier one,
// are arrays of their own, `set NAME`, of ones and zeros. VTK's linear wedge has its base the other way round; it is
// swapped here. Both files name the mesh that they were written from (`mesh_id`) and are replaced as one.
#include "base/checksum.h"
#include "base/file.h"
#include "base/trial.h"
#include "base/units.h"
#include "exchange/by_side.h"
#include "mesh/cell_faces.h"
#include <filesystem>
#include <unordered_map>
#include <vtkCellArray.h>
#include <vtkCellData.h>
#include <vtkCellType.h>
#include <vtkCellTypes.h>
#include <vtkCommand.h>
#include <vtkDataSetAttributes.h>
#include <vtkDoubleArray.h>
#include <vtkFieldData.h>
#include <vtkGenericCell.h>
#include <vtkIdList.h>
#include <vtkIntArray.h>
#include <vtkNew.h>
#include <vtkObject.h>
#include <vtkPointData.h>
#include <vtkPointSet.h>
#include <vtkPoints.h>
#include <vtkPolyData.h>
#include <vtkSmartPointer.h>
#include <vtkStringArray.h>
#include <vtkUnsignedCharArray.h>
#include <vtkUnstructuredGrid.h>
#include <vtkXMLPolyDataReader.h>
#include <vtkXMLPolyDataWriter.h>
#include <vtkXMLUnstructuredGridReader.h>
#include <vtkXMLUnstructuredGridWriter.h>

namespace tess {
namespace {

std::string boundaryPath(const std::string& path) {
  std::filesystem::path p(path);
  return (p.parent_path() / (p.stem().string() + ".boundary.vtp")).string();
}

void addNames(vtkDataObject* d, const char* key, const std::vector<std::string>& names) {
  vtkNew<vtkStringArray> a;
  a->SetName(key);
  for (const auto& n : names) a->InsertNextValue(n);
  d->GetFieldData()->AddArray(a);
}

std::vector<std::string> readNames(vtkDataObject* d, const char* key) {
  std::vector<std::string> r;
  if (auto* a = vtkStringArray::SafeDownCast(d->GetFieldData()->GetAbstractArray(key)))
    for (vtkIdType i = 0; i < a->GetNumberOfValues(); ++i) r.push_back(a->GetValue(i));
  return r;
}

/// Membership in a set, one value per cell or point of what it is written to.
vtkNew<vtkUnsignedCharArray> membersOf(const MeshGroup& g, std::size_t count) {
  vtkNew<vtkUnsignedCharArray> a;
  a->SetName(("set " + g.name).c_str());
  a->SetNumberOfValues(static_cast<vtkIdType>(count));
  a->Fill(0);
  for (auto i : g.items) a->SetValue(i, 1);
  return a;
}

/// Empty where the file has no such set.
std::vector<std::int32_t> readMembers(vtkDataSetAttributes* d, const std::string& name, vtkIdType count) {
  std::vector<std::int32_t> r;
  auto* a = vtkUnsignedCharArray::SafeDownCast(d->GetArray(("set " + name).c_str()));
  if (!a || a->GetNumberOfComponents() != 1 || a->GetNumberOfTuples() != count) return r;
  for (vtkIdType i = 0; i < count; ++i)
    if (a->GetValue(i)) r.push_back(static_cast<std::int32_t>(i));
  return r;
}

/// 0 to 3; anything else where it is no dimension.
int dimOf(const std::string& digit) { return digit.size() == 1 ? digit[0] - '0' : -1; }

template <class W> std::string textOf(W& writer, vtkDataObject* d) {
  writer->SetInputDataObject(d);
  writer->WriteToOutputStringOn();
  writer->SetDataModeToAppended();
  writer->EncodeAppendedDataOff();
  writer->SetCompressorTypeToZLib();
  writer->Write();
  return writer->GetOutputString();
}

constexpr const char* kMeshId = "mesh_id"; ///< field data of both files, alike where they were written together

/// Told by what is written, so that the same mesh gives the same bytes.
std::string idOf(const Mesh& m, double scale) {
  Checksum sum;
  sum.add(scale);
  for (const auto& p : m.nodes) sum.add(p.data(), 3 * sizeof(double));
  sum.add(m.cells.nodes);
  sum.add(m.cells.start);
  if (!m.cells.poly.row.empty()) {
    sum.add(m.cells.poly.ring);
    sum.add(m.cells.poly.corner);
  }
  sum.add(m.cellRegion);
  sum.add(m.faces.nodes);
  sum.add(m.faceLink);
  for (const auto& list : {m.regions, m.materials, m.media})
    for (const auto& name : list) sum.add(name);
  for (const auto& g : m.groups) {
    sum.add(g.name);
    sum.add(g.role);
    sum.add(g.dim);
    sum.add(g.items);
  }
  return sum.hex();
}

/// Keeps VTK's complaints as text instead of printing them.
class ErrorCatcher : public vtkCommand {
public:
  static ErrorCatcher* New() { return new ErrorCatcher; }
  void Execute(vtkObject*, unsigned long, void* data) override {
    if (data && text.empty()) text = static_cast<const char*>(data);
  }
  std::string text;
};

/// Ends a reader's work on a stop.
class Stopper : public vtkCommand {
public:
  static Stopper* New() { return new Stopper; }
  void Execute(vtkObject* reader, unsigned long, void*) override {
    if (progress && progress->stopped()) static_cast<vtkAlgorithm*>(reader)->SetAbortExecute(1);
  }
  const Progress* progress = nullptr;
};

template <class Reader>
vtkSmartPointer<Reader> readerOf(const std::string& path, ErrorCatcher* errors, const Progress* progress) {
  auto reader = vtkSmartPointer<Reader>::New();
  reader->AddObserver(vtkCommand::ErrorEvent, errors);
  reader->SetFileName(path.c_str());
  vtkObject::GlobalWarningDisplayOff();
  vtkNew<Stopper> stopper;
  stopper->progress = progress;
  reader->AddObserver(vtkCommand::ProgressEvent, stopper);
  reader->Update();
  if (progress) progress->check();
  return reader;
}

/// Turns the base of a wedge as VTK has it, or back.
template <class Id> void turnWedge(ElementType t, std::vector<Id>& n) {
  auto swap = [&](std::size_t a, std::size_t b) { std::swap(n[a], n[b]); };
  if (topology(t).corners != 6) return;
  swap(1, 2), swap(4, 5);
  if (t == ElementType::Wedge15) swap(6, 8), swap(9, 11), swap(13, 14);
}

/// Null for types that are none of ours.
const ElementTopology* typeOf(int vtkType) {
  for (int k = 0; k < kElementTypes; ++k)
    if (const auto& e = topology(static_cast<ElementType>(k)); e.vtkType == vtkType) return &e;
  return nullptr;
}

/// Why the cells of what was read cannot be used; the library's readers check neither.
std::string faultOf(vtkPointSet* s) {
  const vtkIdType points = s->GetNumberOfPoints();
  for (vtkIdType i = 0; i < points; ++i) {
    Vec3 p;
    s->GetPoint(i, p.data());
    if (!p.allFinite()) return "node " + std::to_string(i) + " has a coordinate that is not a number";
  }
  vtkNew<vtkIdList> ids;
  for (vtkIdType c = 0; c < s->GetNumberOfCells(); ++c) {
    s->GetCellPoints(c, ids);
    for (vtkIdType i = 0; i < ids->GetNumberOfIds(); ++i)
      if (ids->GetId(i) < 0 || ids->GetId(i) >= points)
        return "cell " + std::to_string(c) + " refers to a node that is not there";
    const auto* t = s->IsA("vtkUnstructuredGrid") ? typeOf(s->GetCellType(c)) : nullptr;
    if (t && t->nodes && ids->GetNumberOfIds() != t->nodes)
      return "cell " + std::to_string(c) + " is a " + std::string(t->name) + " of " +
             std::to_string(ids->GetNumberOfIds()) + " nodes";
  }
  return {};
}

/// A value per cell or point of `d`; null when there is none.
vtkIntArray* valuesOf(vtkDataSetAttributes* d, const char* name, vtkIdType count) {
  auto* a = vtkIntArray::SafeDownCast(d->GetArray(name));
  return a && a->GetNumberOfComponents() == 1 && a->GetNumberOfTuples() == count ? a : nullptr;
}

Result<vtkSmartPointer<vtkUnstructuredGrid>> readGrid(const std::string& path, const Progress* progress) {
  auto text = readFile(path);
  if (!text) return text.problem();
  if (text->substr(0, 4096).find("<VTKFile") == std::string::npos) return unreadableFile(path, "it is no VTU file");
  if (!readerSurvives("vtu", path, progress))
    return unreadableFile(path, "its contents are damaged, or need more memory than such a file can");
  vtkNew<ErrorCatcher> errors;
  vtkSmartPointer<vtkUnstructuredGrid> g = readerOf<vtkXMLUnstructuredGridReader>(path, errors, progress)->GetOutput();
  if (!g || g->GetNumberOfCells() == 0 || g->GetNumberOfPoints() == 0)
    return unreadableFile(path, errors->text.empty() ? "it holds no cells" : "it is not a complete VTU file");
  if (const auto why = faultOf(g); !why.empty()) return unreadableFile(path, why);
  return g;
}

/// The boundary and interface faces as VTP; `id` names the mesh whose cells lie beside, if any.
std::string surfaceText(const Mesh& m, double scale, const std::string& id) {
  vtkNew<vtkPolyData> surface;
  vtkNew<vtkPoints> sp;
  sp->SetDataTypeToDouble();
  vtkNew<vtkCellArray> polys;
  vtkNew<vtkIntArray> node, group, behind, front, face;
  node->SetName("node");
  group->SetName("group");
  behind->SetName("region_behind");
  front->SetName("region_front");
  face->SetName("face");
  std::vector<vtkIdType> at(m.nodes.size(), -1);
  auto groupOf = firstGroupOfFaces(m);
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    const auto corners = m.faces.corners(f);
    polys->InsertNextCell(static_cast<int>(corners.size()));
    for (auto corner : corners) {
      const auto n = static_cast<std::size_t>(corner);
      if (at[n] < 0) {
        Vec3 p = scale * m.nodes[n];
        at[n] = sp->InsertNextPoint(p.data());
        node->InsertNextValue(static_cast<int>(n));
      }
      polys->InsertCellPoint(at[n]);
    }
    group->InsertNextValue(groupOf[f]);
    behind->InsertNextValue(m.faceRegions[f][0]);
    front->InsertNextValue(m.faceRegions[f][1]);
    face->InsertNextValue(m.faceLink[f]);
  }
  surface->SetPoints(sp);
  surface->SetPolys(polys);
  surface->GetPointData()->AddArray(node);
  for (auto* a : {group.Get(), behind.Get(), front.Get(), face.Get()}) surface->GetCellData()->AddArray(a);
  // `group` tells the first of a face's groups; those that share faces with an earlier one need more than that.
  std::vector<std::string> names, dims, roles;
  for (std::size_t k = 0; k < m.groups.size(); ++k) {
    const MeshGroup& g = m.groups[k];
    names.push_back(g.name);
    dims.push_back(std::to_string(g.dim));
    roles.push_back(g.role);
    if (g.dim == 2 && std::any_of(g.items.begin(), g.items.end(),
                                  [&](auto f) { return groupOf[static_cast<std::size_t>(f)] != static_cast<int>(k); }))
      surface->GetCellData()->AddArray(membersOf(g, m.faces.size()));
  }
  addNames(surface, "group_names", names);
  addNames(surface, "group_dims", dims);
  addNames(surface, "group_roles", roles);
  if (const auto unit = unitScaled(m.unit, scale); !unit.empty()) addNames(surface, "unit", {unit});
  if (!id.empty()) addNames(surface, kMeshId, {id});
  vtkNew<vtkXMLPolyDataWriter> pw;
  return textOf(pw, surface);
}

} // namespace

std::optional<Problem> writeVtu(const Mesh& m, const std::string& path, double scale) {
  vtkNew<vtkUnstructuredGrid> grid;
  vtkNew<vtkPoints> points;
  points->SetDataTypeToDouble();
  points->SetNumberOfPoints(static_cast<vtkIdType>(m.nodes.size()));
  for (std::size_t i = 0; i < m.nodes.size(); ++i) {
    Vec3 p = scale * m.nodes[i];
    points->SetPoint(static_cast<vtkIdType>(i), p.data());
  }
  grid->SetPoints(points);
  grid->Allocate(static_cast<vtkIdType>(m.cells.size()));
  std::vector<vtkIdType> ids;
  for (std::size_t c = 0; c < m.cells.size(); ++c) {
    auto n = m.cells.of(c);
    ids.assign(n.begin(), n.end());
    if (m.cells.type[c] == ElementType::Polyhedron) {
      std::vector<vtkIdType> faces;
      for (std::size_t f = 0; f < m.cells.faceCount(c); ++f) {
        const auto q = m.cells.faceCorners(c, f);
        faces.push_back(static_cast<vtkIdType>(q.size()));
        for (auto i : q) faces.push_back(n[static_cast<std::size_t>(i)]);
      }
      grid->InsertNextCell(VTK_POLYHEDRON, static_cast<vtkIdType>(ids.size()), ids.data(),
                           static_cast<vtkIdType>(m.cells.faceCount(c)), faces.data());
      continue;
    }
    turnWedge(m.cells.type[c], ids);
    grid->InsertNextCell(topology(m.cells.type[c]).vtkType, static_cast<vtkIdType>(ids.size()), ids.data());
  }
  vtkNew<vtkIntArray> region;
  region->SetName("region");
  for (auto r : m.cellRegion) region->InsertNextValue(r);
  grid->GetCellData()->AddArray(region);
  addNames(grid, "region_names", m.regions);
  auto anySaid = [](const std::vector<std::string>& l) {
    return std::any_of(l.begin(), l.end(), [](const auto& x) { return !x.empty(); });
  };
  if (anySaid(m.materials)) addNames(grid, "region_materials", m.materials);
  if (anySaid(m.media)) addNames(grid, "region_media", m.media);
  if (const auto unit = unitScaled(m.unit, scale); !unit.empty()) addNames(grid, "unit", {unit});
  std::vector<std::string> sets, dims; // of cells and nodes; those of faces lie beside
  for (const auto& g : m.groups) {
    if (g.dim == 2) continue;
    sets.push_back(g.name);
    dims.push_back(std::to_string(g.dim));
    if (g.dim == 3)
      grid->GetCellData()->AddArray(membersOf(g, m.cells.size()));
    else
      grid->GetPointData()->AddArray(membersOf(g, m.nodes.size()));
  }
  if (!sets.empty()) {
    addNames(grid, "set_names", sets);
    addNames(grid, "set_dims", dims);
  }
  const std::string id = idOf(m, scale);
  addNames(grid, kMeshId, {id});
  vtkNew<vtkXMLUnstructuredGridWriter> writer;
  return writeFilesTogether({{path, textOf(writer, grid)}, {boundaryPath(path), surfaceText(m, scale, id)}});
}

std::optional<Problem> writeSurface(const Mesh& m, const std::string& path, double scale) {
  return writeFileAtomic(path, surfaceText(m, scale, {}));
}

Result<Mesh> readSurface(const std::string& path, const Progress* progress) {
  const bool ofCells = std::filesystem::path(path).extension() == ".vtu";
  if (ofCells) finishWriting(path);
  const std::string file = ofCells ? boundaryPath(path) : path;
  if (auto text = readFile(file); !text) return text.problem();
  if (!readerSurvives("vtp", file, progress)) return unreadableFile(file, "its contents are damaged");
  vtkNew<ErrorCatcher> errors;
  auto reader = readerOf<vtkXMLPolyDataReader>(file, errors, progress);
  vtkPolyData* s = reader->GetOutput();
  if (const auto why = faultOf(s); !why.empty()) return unreadableFile(file, why);
  auto array = [&](const char* name) { return valuesOf(s->GetCellData(), name, s->GetNumberOfCells()); };
  auto *face = array("face"), *behind = array("region_behind"), *front = array("region_front");
  if (!face || !behind || !front || s->GetNumberOfCells() == 0)
    return unreadableFile(file, "it is no surface mesh written by this program: its faces are not linked to a part");
  Mesh m;
  for (vtkIdType i = 0; i < s->GetNumberOfPoints(); ++i) {
    double p[3];
    s->GetPoint(i, p);
    m.nodes.emplace_back(p[0], p[1], p[2]);
  }
  std::vector<std::int32_t> ids;
  for (vtkIdType c = 0; c < s->GetNumberOfCells(); ++c) {
    vtkIdType n;
    const vtkIdType* v;
    s->GetCellPoints(c, n, v);
    if (n < 3) return unreadableFile(file, "it holds faces of less than three corners");
    ids.assign(v, v + n);
    m.faces.add(faceType(static_cast<std::size_t>(n), 1), ids);
    m.faceLink.push_back(face->GetValue(c));
    m.faceRegions.push_back({behind->GetValue(c), front->GetValue(c)});
  }
  auto unit = readNames(s, "unit");
  if (!unit.empty()) m.unit = unit[0];
  return m;
}

Result<Mesh> readVtu(const std::string& path, const Progress* progress) {
  finishWriting(path);
  auto read = readGrid(path, progress);
  if (!read) return read.problem();
  vtkUnstructuredGrid* g = *read;
  Mesh m;
  for (vtkIdType i = 0; i < g->GetNumberOfPoints(); ++i) {
    double p[3];
    g->GetPoint(i, p);
    m.nodes.emplace_back(p[0], p[1], p[2]);
  }
  auto* region = valuesOf(g->GetCellData(), "region", g->GetNumberOfCells());
  std::vector<std::int32_t> ids,
      cellAt(static_cast<std::size_t>(g->GetNumberOfCells()), -1); // the mesh's, by the file's
  int top = 0;
  std::vector<std::vector<std::int32_t>> rings;
  for (vtkIdType c = 0; c < g->GetNumberOfCells(); ++c) {
    if (progress && (c & 0xffff) == 0) progress->check();
    const int vtkType = g->GetCellType(c);
    const ElementTopology* t = typeOf(vtkType == VTK_VOXEL ? VTK_HEXAHEDRON : vtkType);
    if (!t) { // nothing of a volume may be left out without a word
      vtkNew<vtkGenericCell> cell;
      cell->SetCellType(vtkType);
      if (cell->GetCellDimension() != 3) continue;
      return unreadableFile(path, "cell " + std::to_string(c) + " is of VTK's type " + std::to_string(vtkType) + " (" +
                                      vtkCellTypes::GetClassNameFromTypeId(vtkType) + "), which is not known here");
    }
    if (t->dim != 3) continue;
    if (t->type == ElementType::Polyhedron) {
      vtkIdType count;
      const vtkIdType* stream;
      g->GetFaceStream(c, count, stream);
      rings.assign(static_cast<std::size_t>(std::max<vtkIdType>(count, 0)), {});
      for (auto& ring : rings) {
        const vtkIdType k = *stream++;
        if (k < 3) return unreadableFile(path, "a face of cell " + std::to_string(c) + " has less than three corners");
        for (vtkIdType i = 0; i < k; ++i, ++stream) {
          if (*stream < 0 || *stream >= g->GetNumberOfPoints())
            return unreadableFile(path, "cell " + std::to_string(c) + " refers to a node that is not there");
          ring.push_back(static_cast<std::int32_t>(*stream));
        }
      }
      if (rings.size() < 4) return unreadableFile(path, "cell " + std::to_string(c) + " has less than four faces");
    } else {
      vtkIdType n;
      const vtkIdType* v;
      g->GetCellPoints(c, n, v);
      ids.assign(v, v + n);
      if (vtkType == VTK_VOXEL) std::swap(ids[2], ids[3]), std::swap(ids[6], ids[7]);
      turnWedge(t->type, ids);
    }
    cellAt[static_cast<std::size_t>(c)] = static_cast<std::int32_t>(m.cells.size());
    if (t->type == ElementType::Polyhedron)
      m.cells.addPolyhedron(rings);
    else
      m.cells.add(t->type, ids);
    int r = region ? std::max(0, region->GetValue(c)) : 0;
    top = std::max(top, r);
    m.cellRegion.push_back(r);
  }
  if (m.cells.size() == 0) return unreadableFile(path, "it holds no volume cells of a known type");
  // Many programs write wedges with the other base: as most of the file's are positive.
  std::size_t wedges = 0, wrong = 0;
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    if (m.cells.shape(c).corners == 6) {
      ++wedges;
      wrong += cellVolume(m, c) < 0;
    }
  if (2 * wrong > wedges)
    for (std::size_t c = 0; c < m.cells.size(); ++c)
      if (m.cells.shape(c).corners == 6) {
        const auto q = m.cells.of(c);
        std::vector<std::int32_t> n(q.begin(), q.end());
        turnWedge(m.cells.type[c], n);
        std::copy(n.begin(), n.end(), q.begin());
      }
  m.regions = readNames(g, "region_names");
  if (static_cast<std::size_t>(top) >= m.regions.size() + m.cells.size())
    return unreadableFile(path,
                          "a cell is of region " + std::to_string(top) + ", of more regions than there are cells");
  while (static_cast<int>(m.regions.size()) <= top)
    m.regions.push_back("region" + std::to_string(m.regions.size() + 1));
  m.materials = readNames(g, "region_materials");
  m.media = readNames(g, "region_media");
  for (auto* list : {&m.materials, &m.media}) list->resize(list->empty() ? 0 : m.regions.size());
  auto unit = readNames(g, "unit");
  m.unitAssumed = unit.empty();
  if (!unit.empty()) m.unit = unit[0];
  rebuildFaces(m);
  auto addSets = [&] { // of cells and nodes, in their places among those of faces
    const auto names = readNames(g, "set_names"), dims = readNames(g, "set_dims");
    for (std::size_t k = 0; k < std::min(names.size(), dims.size()); ++k) {
      const int dim = dimOf(dims[k]);
      if (dim != 0 && dim != 1 && dim != 3) continue;
      auto items = dim == 3 ? readMembers(g->GetCellData(), names[k], g->GetNumberOfCells())
                            : readMembers(g->GetPointData(), names[k], g->GetNumberOfPoints());
      if (dim == 3) {
        std::vector<std::int32_t> own; // cells that are none of ours were left out
        for (auto i : items)
          if (cellAt[static_cast<std::size_t>(i)] >= 0) own.push_back(cellAt[static_cast<std::size_t>(i)]);
        items = std::move(own);
      }
      auto at = std::find_if(m.groups.begin(), m.groups.end(),
                             [&](const MeshGroup& x) { return x.name == names[k] && x.dim == dim; });
      if (at == m.groups.end()) at = m.groups.insert(at, {names[k], dim, {}, 0});
      at->items = std::move(items);
    }
  };
  std::string sibling = boundaryPath(path);
  if (!std::filesystem::exists(sibling)) {
    addSets();
    return m;
  }
  if (!readerSurvives("vtp", sibling, progress))
    return unreadableFile(sibling, "its contents are damaged; it holds the boundary sets of the mesh beside it");
  vtkNew<ErrorCatcher> errors;
  auto pr = readerOf<vtkXMLPolyDataReader>(sibling, errors, progress);
  vtkPolyData* s = pr->GetOutput();
  if (const auto why = faultOf(s); !why.empty()) return unreadableFile(sibling, why);
  if (readNames(g, kMeshId) != readNames(s, kMeshId)) {
    Problem p;
    p.code = "file.mixed";
    p.what = "the boundary beside the mesh belongs to another mesh";
    p.where = sibling;
    p.why = "it was not written together with " + std::filesystem::path(path).filename().string() +
            ", so its sets would name the wrong faces";
    p.todo = "write the mesh again, or take the boundary file away to read the cells alone";
    return p;
  }
  auto* group = valuesOf(s->GetCellData(), "group", s->GetNumberOfCells());
  auto* node = valuesOf(s->GetPointData(), "node", s->GetNumberOfPoints());
  auto* link = valuesOf(s->GetCellData(), "face", s->GetNumberOfCells());
  if (!group || !node) {
    addSets();
    return m;
  }
  std::unordered_map<FaceKey, std::int32_t, FaceKeyHash> faceAt;
  for (std::size_t f = 0; f < m.faces.size(); ++f) faceAt[faceKey(m.faces.corners(f))] = static_cast<std::int32_t>(f);
  const auto names = readNames(s, "group_names"), dims = readNames(s, "group_dims"),
             roles = readNames(s, "group_roles");
  for (std::size_t k = 0; k < names.size(); ++k) {
    const int dim = k < dims.size() ? dimOf(dims[k]) : 2;
    m.groups.push_back({names[k], dim >= 0 && dim <= 3 ? dim : 2, {}, 0, k < roles.size() ? roles[k] : ""});
  }
  std::vector<std::int32_t> faceOf(static_cast<std::size_t>(s->GetNumberOfCells()), -1);
  for (vtkIdType c = 0; c < s->GetNumberOfCells(); ++c) {
    vtkIdType n;
    const vtkIdType* v;
    s->GetCellPoints(c, n, v);
    if (n < 3) continue;
    std::vector<std::int32_t> q;
    for (vtkIdType i = 0; i < n; ++i) q.push_back(node->GetValue(v[i]));
    auto it = faceAt.find(faceKey(q));
    if (it == faceAt.end()) continue;
    faceOf[static_cast<std::size_t>(c)] = it->second;
    if (link) m.faceLink[static_cast<std::size_t>(it->second)] = link->GetValue(c);
    int k = group->GetValue(c);
    if (k >= 0 && static_cast<std::size_t>(k) < m.groups.size() && m.groups[static_cast<std::size_t>(k)].dim == 2)
      m.groups[static_cast<std::size_t>(k)].items.push_back(it->second);
  }
  for (auto& gr : m.groups)
    if (gr.dim == 2)
      if (const auto members = readMembers(s->GetCellData(), gr.name, s->GetNumberOfCells()); !members.empty()) {
        gr.items.clear();
        for (auto c : members)
          if (faceOf[static_cast<std::size_t>(c)] >= 0) gr.items.push_back(faceOf[static_cast<std::size_t>(c)]);
      }
  addSets();
  for (auto& gr : m.groups) {
    std::sort(gr.items.begin(), gr.items.end());
    gr.items.erase(std::unique(gr.items.begin(), gr.items.end()), gr.items.end());
  }
  return m;
}

Result<CellValues> readVtuArray(const std::string& path, const std::string& array, const Progress* progress) {
  auto read = readGrid(path, progress);
  if (!read) return read.problem();
  vtkUnstructuredGrid* g = *read;
  vtkDataArray* cells = g->GetCellData()->GetArray(array.c_str());
  vtkDataArray* points = cells ? nullptr : g->GetPointData()->GetArray(array.c_str());
  vtkDataArray* a = cells ? cells : points;
  if (!a || a->GetNumberOfComponents() != 1) {
    std::string names;
    for (vtkFieldData* d :
         {static_cast<vtkFieldData*>(g->GetCellData()), static_cast<vtkFieldData*>(g->GetPointData())})
      for (int i = 0; i < d->GetNumberOfArrays(); ++i)
        if (auto* x = d->GetArray(i); x && x->GetName() && x->GetNumberOfComponents() == 1)
          names += (names.empty() ? "" : ", ") + std::string(x->GetName());
    Problem p = unreadableFile(path, a ? "'" + array + "' has several components" : "it has no array '" + array + "'");
    p.code = "field.array";
    p.todo = names.empty() ? "write a scalar array on points or cells into it" : "name one of " + names;
    return p;
  }
  if (a->GetNumberOfTuples() != (cells ? g->GetNumberOfCells() : g->GetNumberOfPoints()))
    return unreadableFile(path, "'" + array + "' does not have a value for each " + (cells ? "cell" : "point"));
  CellValues r;
  for (vtkIdType c = 0; c < g->GetNumberOfCells(); ++c) {
    if (progress && (c & 0xffff) == 0) progress->check();
    vtkIdType n;
    const vtkIdType* v;
    g->GetCellPoints(c, n, v);
    if (n < 2) continue;
    int type = g->GetCellType(c);
    std::vector<vtkIdType> ids(v, v + n);
    if ((type == VTK_PIXEL && n == 4) ||
        (type == VTK_VOXEL && n == 8)) { // as quadrilateral and hexahedron, but for order
      for (std::size_t i = 2; i < ids.size(); i += 4) std::swap(ids[i], ids[i + 1]);
      type = type == VTK_PIXEL ? VTK_QUAD : VTK_HEXAHEDRON;
    }
    Vec3 mid(0, 0, 0);
    double value = 0;
    std::vector<Vec3> at;
    for (auto i : ids) {
      double p[3];
      g->GetPoint(i, p);
      at.emplace_back(p[0], p[1], p[2]);
      mid += at.back() / static_cast<double>(n);
      if (points) value += points->GetTuple1(i) / static_cast<double>(n);
    }
    double radius = 0, edge = 0;
    for (const auto& p : at) radius += (p - mid).norm() / static_cast<double>(n);
    if (const auto* t = typeOf(type))
      for (int e = 0; e < t->edges; ++e) {
        const auto& ends = t->edge[static_cast<std::size_t>(e)];
        edge += (at[static_cast<std::size_t>(ends[0])] - at[static_cast<std::size_t>(ends[1])]).norm() / t->edges;
      }
    r.center.push_back(mid);
    r.radius.push_back(0.8 * radius);
    r.edge.push_back(edge > 0 ? edge : 2 * radius);
    r.value.push_back(cells ? cells->GetTuple1(c) : value);
  }
  return r;
}

} // namespace tess
