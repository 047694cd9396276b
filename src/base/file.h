// SPDX-License-Identifier: GPL-3.0-or-later
// Whole-file reading and writing that leaves the old or the new, never a mixture: what is new is written beside its
// target and flushed to disk first, then takes its place by renaming.
#pragma once
#include "base/problem.h"
#include <functional>
#include <string>
#include <vector>

namespace tess {
struct FileContent {
  std::string path, content;
};

std::optional<Problem> writeFileAtomic(const std::string& path, const std::string& content);

/// Replaces several files of one folder as one. Once all lie beside their targets, a list of the renames is put beside
/// the first of them (`NAME.commit`): from there on the new state holds, and whoever reads finishes what a killed
/// process left (`finishWriting`).
std::optional<Problem> writeFilesTogether(const std::vector<FileContent>& files);
/// Carries out what `writeFilesTogether` had decided for the output whose first file is `first`. Nothing where that was
/// finished, which is the rule, or where the folder cannot be written.
void finishWriting(const std::string& first);

/// How a new folder takes the place of the old one. `TwoSteps` is for file systems that cannot exchange two names at
/// once; between its steps the old folder is aside, and `restoreFolder` brings it back.
enum class FolderSwap { Exchange, TwoSteps };
/// Replaces a folder as a whole by `files` (paths relative to it). Of what lies in the old one besides, entries for
/// which `keep` is true are taken over. Paths of links are followed to the folder they mean.
std::optional<Problem> replaceFolder(const std::string& folder, const std::vector<FileContent>& files,
                                     const std::function<bool(const std::string&)>& keep,
                                     FolderSwap swap = FolderSwap::Exchange);
/// Where a process ended between the two steps of replacing `folder`: the old one is put back.
void restoreFolder(const std::string& folder);

Result<std::string> readFile(const std::string& path);
/// Of a file packed by gzip, what is in it. Code `file.packed` where it is damaged or unpacks to more than 300 times
/// its size, as nothing does that is meant to be read.
Result<std::string> readPacked(const std::string& path);
} // namespace tess
