// SPDX-License-Identifier: GPL-3.0-or-later
// Surfaces in VTP files and legacy VTK files of polygons. Polygons are cut into triangles; a cell array of whole
// numbers tells which face each belongs to, another one (or names with it) which group.
#include "base/trial.h"
#include "geometry/facet_shape.h"
#include "geometry/unreadable.h"
#include <map>
#include <vtkCellArray.h>
#include <vtkCellData.h>
#include <vtkCommand.h>
#include <vtkDataArray.h>
#include <vtkFieldData.h>
#include <vtkNew.h>
#include <vtkPolyData.h>
#include <vtkPolyDataReader.h>
#include <vtkSmartPointer.h>
#include <vtkStringArray.h>
#include <vtkXMLPolyDataReader.h>

namespace tess {
namespace {

class Complaint : public vtkCommand {
public:
  static Complaint* New() { return new Complaint; }
  void Execute(vtkObject*, unsigned long, void*) override { any = true; }
  bool any = false;
};

template <class Reader> vtkSmartPointer<vtkPolyData> read(const std::string& path, Complaint* complaint) {
  vtkNew<Reader> reader;
  reader->AddObserver(vtkCommand::ErrorEvent, complaint);
  reader->SetFileName(path.c_str());
  vtkObject::GlobalWarningDisplayOff();
  reader->Update();
  return reader->GetOutput();
}

/// A cell array of whole numbers by name; null when there is none.
vtkDataArray* wholeNumbers(vtkPolyData* d, const char* name) {
  vtkDataArray* a = d->GetCellData()->GetArray(name);
  return a && a->GetNumberOfComponents() == 1 && a->GetDataType() != VTK_FLOAT && a->GetDataType() != VTK_DOUBLE
             ? a
             : nullptr;
}

/// The array that tells faces apart: by a plain name for it, else the first one of whole numbers.
vtkDataArray* faceArray(vtkPolyData* d) {
  for (const char* name : {"face", "face_id", "surface", "patch", "group"})
    if (auto* a = wholeNumbers(d, name)) return a;
  for (int i = 0; i < d->GetCellData()->GetNumberOfArrays(); ++i)
    if (auto* a = d->GetCellData()->GetArray(i); a && a->GetName())
      if (auto* whole = wholeNumbers(d, a->GetName())) return whole;
  return nullptr;
}

} // namespace

Result<FacetSoup> readVtkSurface(const std::string& path, bool xml) {
  if (!readerSurvives(xml ? "vtp" : "vtk", path))
    return unreadablePart(path, "its contents are damaged, or need more memory than such a file can");
  vtkNew<Complaint> complaint;
  auto d = xml ? read<vtkXMLPolyDataReader>(path, complaint) : read<vtkPolyDataReader>(path, complaint);
  if (!d || d->GetNumberOfPolys() + d->GetNumberOfStrips() == 0)
    return unreadablePart(path, complaint->any ? "it is not a complete file of polygons" : "it holds no polygons");
  FacetSoup s;
  for (vtkIdType i = 0; i < d->GetNumberOfPoints(); ++i) {
    double p[3];
    d->GetPoint(i, p);
    s.points.emplace_back(p[0], p[1], p[2]);
    if (!s.points.back().allFinite())
      return unreadablePart(path, "point " + std::to_string(i) + " has a coordinate that is not a number");
  }
  // Names: of the group where the file has any, else the number of the face. One entry per face and group, so that
  // faces of a group stay apart.
  vtkDataArray *face = faceArray(d), *group = wholeNumbers(d, "group");
  auto* groupNames = vtkStringArray::SafeDownCast(d->GetFieldData()->GetAbstractArray("group_names"));
  std::map<std::pair<long long, long long>, int> nameOf;
  auto nameAt = [&](vtkIdType cell) {
    if (!face && !group) return -1;
    const long long f = face ? std::llround(face->GetTuple1(cell)) : -1,
                    g = group ? std::llround(group->GetTuple1(cell)) : -1;
    auto [it, fresh] = nameOf.try_emplace({f, g}, static_cast<int>(s.names.size()));
    if (fresh)
      s.names.push_back(groupNames && g >= 0 && g < groupNames->GetNumberOfValues()
                            ? std::string(groupNames->GetValue(g))
                            : "face-" + std::to_string(face ? f : g));
    return it->second;
  };
  const vtkIdType before = d->GetNumberOfVerts() + d->GetNumberOfLines(); // cells of other kinds come first
  vtkIdType cell = before;
  auto add = [&](vtkIdType a, vtkIdType b, vtkIdType c, int name) {
    s.triangles.push_back({static_cast<int>(a), static_cast<int>(b), static_cast<int>(c)});
    s.triangleName.push_back(name);
  };
  auto inRange = [&](const vtkIdType* v, vtkIdType n) {
    return std::all_of(v, v + n, [&](vtkIdType i) { return i >= 0 && i < d->GetNumberOfPoints(); });
  };
  vtkIdType n;
  const vtkIdType* v;
  for (d->GetPolys()->InitTraversal(); d->GetPolys()->GetNextCell(n, v); ++cell) {
    if (!inRange(v, n)) return unreadablePart(path, "a polygon refers to a point that is not there");
    const int name = nameAt(cell);
    for (vtkIdType i = 1; i + 1 < n; ++i) add(v[0], v[i], v[i + 1], name);
  }
  for (d->GetStrips()->InitTraversal(); d->GetStrips()->GetNextCell(n, v); ++cell) {
    if (!inRange(v, n)) return unreadablePart(path, "a strip refers to a point that is not there");
    const int name = nameAt(cell);
    for (vtkIdType i = 0; i + 2 < n; ++i) add(v[i], v[i + (i % 2 ? 2 : 1)], v[i + (i % 2 ? 1 : 2)], name);
  }
  return s;
}

} // namespace tess
