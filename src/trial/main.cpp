// SPDX-License-Identifier: GPL-3.0-or-later
// tesselite-trial KIND PATH: lets the library's reader for that kind of file read it, and ends with 0 when that comes
// to an end. Started by the other programs for files from outside; a damaged one takes this process down and no other.
#include <algorithm>
#include <cgnslib.h>
#include <filesystem>
#include <netcdf.h>
#include <string>
#include <sys/resource.h>
#include <vector>
#include <vtkNew.h>
#include <vtkPolyDataReader.h>
#include <vtkXMLPolyDataReader.h>
#include <vtkXMLUnstructuredGridReader.h>

namespace {
template <class Reader> int read(const char* path) {
  vtkNew<Reader> reader;
  reader->SetFileName(path);
  vtkObject::GlobalWarningDisplayOff();
  reader->Update();
  return 0;
}

/// Everything in a CGNS file: first as the library's own calls see it, then node by node with its data.
int readCgns(const char* path) {
  int file = 0, bases = 0;
  if (cg_open(path, CG_MODE_READ, &file) != CG_OK) return 0; // refused: no crash
  if (cg_nbases(file, &bases) == CG_OK)
    for (int b = 1; b <= bases; ++b) {
      int zones = 0;
      if (cg_nzones(file, b, &zones) != CG_OK) continue;
      for (int z = 1; z <= zones; ++z) {
        int sections = 0;
        if (cg_nsections(file, b, z, &sections) != CG_OK) continue;
        for (int s = 1; s <= sections; ++s) {
          char name[33];
          CGNS_ENUMT(ElementType_t) type;
          cgsize_t from = 0, to = 0, size = 0;
          int boundary = 0, parents = 0;
          if (cg_section_read(file, b, z, s, name, &type, &from, &to, &boundary, &parents) != CG_OK ||
              cg_ElementDataSize(file, b, z, s, &size) != CG_OK || size < 0 || to < from)
            continue;
          std::vector<cgsize_t> list(static_cast<std::size_t>(size)), start(static_cast<std::size_t>(to - from) + 2);
          if (type == CGNS_ENUMV(MIXED) || type == CGNS_ENUMV(NGON_n) || type == CGNS_ENUMV(NFACE_n))
            cg_poly_elements_read(file, b, z, s, list.data(), start.data(), nullptr);
          else
            cg_elements_read(file, b, z, s, list.data(), nullptr);
        }
        int conditions = 0;
        if (cg_nbocos(file, b, z, &conditions) != CG_OK) continue;
        for (int c = 1; c <= conditions; ++c) {
          char name[33];
          CGNS_ENUMT(BCType_t) type;
          CGNS_ENUMT(PointSetType_t) kind;
          cgsize_t points = 0, normals = 0;
          int index[3], sets = 0;
          CGNS_ENUMT(DataType_t) data;
          if (cg_boco_info(file, b, z, c, name, &type, &kind, &points, index, &normals, &data, &sets) != CG_OK)
            continue;
          std::vector<cgsize_t> list(static_cast<std::size_t>(std::max<cgsize_t>(points, 2)));
          cg_boco_read(file, b, z, c, list.data(), nullptr);
        }
      }
    }
  cg_close(file);
  return 0;
}

/// All variables of a netCDF file.
int readExodus(const char* path) {
  int file = 0, variables = 0;
  if (nc_open(path, NC_NOWRITE, &file) != NC_NOERR) return 0;
  nc_inq_nvars(file, &variables);
  for (int v = 0; v < variables; ++v) {
    int dims = 0, id[NC_MAX_VAR_DIMS];
    nc_type type = 0;
    if (nc_inq_varndims(file, v, &dims) != NC_NOERR || nc_inq_vardimid(file, v, id) != NC_NOERR ||
        nc_inq_vartype(file, v, &type) != NC_NOERR)
      continue;
    std::size_t count = 1, size = 0;
    for (int d = 0; d < dims; ++d) {
      std::size_t n = 0;
      nc_inq_dimlen(file, id[d], &n);
      count *= n;
    }
    nc_inq_type(file, type, nullptr, &size);
    std::vector<char> all(count * size + 1);
    nc_get_var(file, v, all.data());
  }
  nc_close(file);
  return 0;
}

void limitSelf(const char* path) {
  const rlimit none{0, 0}, seconds{120, 120};
  setrlimit(RLIMIT_CORE, &none);
  setrlimit(RLIMIT_CPU, &seconds);
  // Room for what zlib can unpack of such a file at most (a factor of about 1000 is possible, 60 is not usual).
  std::error_code ec;
  const auto bytes = std::filesystem::file_size(path, ec);
  rlimit memory{};
  getrlimit(RLIMIT_AS, &memory);
  if (!ec) memory.rlim_cur = std::min<rlim_t>(memory.rlim_cur, (rlim_t(3) << 29) + 60 * static_cast<rlim_t>(bytes));
  setrlimit(RLIMIT_AS, &memory);
}
} // namespace

int main(int argc, char** argv) {
  if (argc != 3) return 2;
  const std::string kind = argv[1];
  limitSelf(argv[2]);
  try {
    if (kind == "vtu") return read<vtkXMLUnstructuredGridReader>(argv[2]);
    if (kind == "vtp") return read<vtkXMLPolyDataReader>(argv[2]);
    if (kind == "vtk") return read<vtkPolyDataReader>(argv[2]);
    if (kind == "cgns") return readCgns(argv[2]);
    if (kind == "exodus") return readExodus(argv[2]);
  } catch (...) {
    return 1;
  }
  return 2;
}
