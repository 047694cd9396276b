// SPDX-License-Identifier: GPL-3.0-or-later
// Files read by way of trial in a process of its own first, where the library that reads them can crash, or ask for any
// amount of memory, when they are damaged. The process is a small program started anew (src/trial): a copy of this one
// would hold whatever locks other threads had taken at that moment, for ever.
#pragma once
#include <string>
#include <vector>

namespace tess {

class Progress;

/// True when a program (with its arguments) ends with success; also when it cannot be started at all, as then nothing
/// is known against what it should have tried. Nothing is heard from it. Throws Cancelled on a stop, the program ended.
bool survives(const std::vector<std::string>& command, const Progress* progress = nullptr);

/// Whether the library's reader for a `kind` of file ("vtu", "vtp", "vtk", "cgns", "exodus") comes to an end with
/// `path`, within a memory that suits the file's size. True as well where the helper program is missing.
bool readerSurvives(const std::string& kind, const std::string& path, const Progress* progress = nullptr);

/// The helper program: beside this one, or where a build or an installation puts it; empty when it is not there.
std::string trialProgram();

} // namespace tess
