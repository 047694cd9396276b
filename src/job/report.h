// SPDX-License-Identifier: GPL-3.0-or-later
// A run on paper: verdict, settings, quality, groups and findings as one HTML page without outside files.
#pragma once
#include "job/run.h"

namespace tess {

struct ReportPicture {
  std::string caption;
  std::string png; ///< the file's bytes
};
/// Plain tables, so that simple renderers (to PDF, in mail) show it as browsers do.
std::string reportHtml(const RunResult& run, const Part& part, const std::vector<ReportPicture>& pictures = {});

} // namespace tess
