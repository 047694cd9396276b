// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/problem.h"

namespace tess {

/// A part file whose contents do not make a part.
inline Problem unreadablePart(const std::string& path, const std::string& why) {
  Problem p;
  p.code = "file.unreadable";
  p.what = "the part file cannot be read";
  p.where = path;
  p.why = why;
  p.todo = "check that the file is complete, or export the part again";
  return p;
}

} // namespace tess
