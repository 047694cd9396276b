// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/by_side.h"
#include "base/file.h"
#include <algorithm>
#include <filesystem>
#include <map>
#include <unistd.h>

namespace tess {

void swapTopAndUprights(ElementType type, std::vector<std::int32_t>& n) {
  const auto at = [&](std::ptrdiff_t i) { return n.begin() + i; };
  if (type == ElementType::Hex20) std::swap_ranges(at(12), at(16), at(16));
  if (type == ElementType::Wedge15) std::swap_ranges(at(9), at(12), at(12));
}

std::optional<Problem> writeByLibrary(const std::string& path,
                                      const std::function<std::string(const std::string&)>& write) {
  const std::string beside = path + ".new-" + std::to_string(::getpid());
  std::error_code ec;
  const std::string why = write(beside);
  std::optional<Problem> result;
  if (!why.empty())
    result = Problem::of("file.write", "the file cannot be written")
                 .by(Fault::Output)
                 .at(path)
                 .because(why)
                 .advise("check that the folder exists, that there is room, and that you may write there");
  else if (auto content = readFile(beside); !content)
    result = content.problem();
  else
    result = writeFileAtomic(path, *content);
  std::filesystem::remove(beside, ec);
  return result;
}

Problem unreadableFile(const std::string& path, const std::string& why) {
  return Problem::of("file.unreadable", "the mesh file cannot be read")
      .at(path)
      .because(why)
      .advise("check that the file is complete, or write it again");
}

Problem unreadableLine(const std::string& path, int line, const std::string& why) {
  Problem p = unreadableFile(path + ", line " + std::to_string(line), why);
  p.todo = "mend that line, or write the file again";
  return p;
}

std::vector<CellBlock> cellBlocks(const Mesh& m) {
  std::map<std::pair<std::int32_t, ElementType>, std::vector<std::int32_t>> by;
  for (std::size_t c = 0; c < m.cells.size(); ++c)
    by[{m.cellRegion[c], m.cells.type[c]}].push_back(static_cast<std::int32_t>(c));
  std::vector<CellBlock> r;
  for (auto& [key, cells] : by) r.push_back({key.first, key.second, std::move(cells)});
  return r;
}

} // namespace tess
