// SPDX-License-Identifier: GPL-3.0-or-later
// A report (job/report.h) as a document of pages.
#pragma once
#include "base/problem.h"
#include <QPageSize>
#include <QString>

namespace tess {
/// Letter where inches are usual, else A4.
QPageSize usualPage();
/// Sizes of text are those of the page's style, pictures fit between the margins, tables go on over pages with their
/// heads repeated, pages are numbered. The file is replaced as a whole.
std::optional<Problem> writePdf(const QString& html, const QString& title, const QString& path, const QPageSize& page);
} // namespace tess
