// SPDX-License-Identifier: GPL-3.0-or-later
// The window in other languages: compiled files of words, tesselite_LANGUAGE.qm. docs/dev/translations.md says how to
// make one.
#pragma once
#include <QLocale>
#include <QStringList>

namespace tess {

/// Where such files may lie: beside the program in a build, in the data folders of an installation and of the user.
QStringList translationFolders();
/// Takes the words of a language from the first folder that has them, and those of the toolkit's own dialogs with
/// them. False when there are none: the window speaks English. Has to be called before any window is made.
bool loadTranslation(const QLocale& locale, const QStringList& folders);

} // namespace tess
