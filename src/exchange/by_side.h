// SPDX-License-Identifier: GPL-3.0-or-later
// Small things that several formats share.
#pragma once
#include "exchange/exchange.h"

namespace tess {

/// Mid nodes of hexahedra and wedges of order 2 come after the corners as base, top, uprights here, and as base,
/// uprights, top in CGNS and Exodus II; this turns one into the other (it is its own inverse for the hexahedron and for
/// the wedge alike: the two last groups change places).
void swapTopAndUprights(ElementType type, std::vector<std::int32_t>& nodes);

/// Lets `write` make a file beside `path` and then puts it in the place of `path`, as writeFileAtomic does. For
/// libraries that write by themselves; `write` returns why it failed, or nothing.
std::optional<Problem> writeByLibrary(const std::string& path,
                                      const std::function<std::string(const std::string&)>& write);

/// The problem of a file that cannot be read.
Problem unreadableFile(const std::string& path, const std::string& why);
/// The same of a line of a text file, from 1.
Problem unreadableLine(const std::string& path, int line, const std::string& why);

/// Cells of a mesh by region, then by type, as formats want that keep blocks: for each block its region, type and
/// cells.
struct CellBlock {
  std::int32_t region;
  ElementType type;
  std::vector<std::int32_t> cells;
};
std::vector<CellBlock> cellBlocks(const Mesh& m);

} // namespace tess
