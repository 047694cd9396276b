// SPDX-License-Identifier: GPL-3.0-or-later
// Whether the sizes of a brief ask for more elements than this machine can hold: known before anything is built, since
// building even the size field would take what is not there.
#pragma once
#include "job/brief.h"
#include "size/part_size.h"

namespace tess {
/// The problem that names the rule which asks for most, the count, and what the machine has; nothing where it fits.
/// A bound from below, far under the forecast, in O(entities).
/// `times`: how far beyond what fits it may be; sizes can be looked at that cannot be meshed.
std::optional<Problem> tooManyElements(const Brief& brief, const Part& part, const SizeRequest& request,
                                       double times = 1);
} // namespace tess
