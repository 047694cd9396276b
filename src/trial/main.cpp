// SPDX-License-Identifier: GPL-3.0-or-later
// tesselite-trial KIND PATH: lets the library's reader for that kind of file read it, and ends with 0 when that comes
// to an end. Started by the other programs for files from outside; a damaged one takes this process down and no other.
#include <algorithm>
#include <filesystem>
#include <string>
#include <sys/resource.h>
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
  } catch (...) {
    return 1;
  }
  return 2;
}
