// SPDX-License-Identifier: GPL-3.0-or-later
// What the size rules of a brief mean on a part.
#pragma once
#include "job/groups.h"
#include "size/part_size.h"

namespace tess {

/// Target of the overall rule in the part's unit, or the default.
double overallTarget(const Brief& brief, const Part& part);
/// All size rules of the brief; rules whose target is missing, or that cannot hold, are problems. Throws Cancelled on a
/// stop, which results that are read for sizes take time to hear.
SizeRequest sizeRequestOf(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
                          std::vector<Problem>& problems, const Progress* progress = nullptr);
/// What its rules 'divide' alone ask for.
EdgeDivisions divisionsOf(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups);
/// The size field that the brief asks for.
SizeField briefSizeField(const Brief& brief, const Part& part, const std::vector<ResolvedGroup>& groups,
                         std::vector<Problem>& problems, const Progress* progress = nullptr);
/// Why a size is as it is, in words: the rule's sentence, or what of the part asks for it.
std::string sizeReasonName(const Brief& brief, int rule);
/// The brief with all its sizes times `factor`: every length that is a size, the overall target (written out), turns
/// per element, and deviations with the square. Growth, counts and multiples stay.
Brief scaledSizes(const Brief& brief, const Part& part, double factor);
/// A place on an edge as rules write it: start, middle, end, or a share of the length; nothing when it is none.
std::optional<double> finestPlace(const std::string& word);
/// Those of a list; the start when there are none.
std::vector<double> finestPlaces(const std::string& list);
/// A new rule of a kind with values that do something sensible on the part; `on` is its target where it has one.
Rule freshRule(const std::string& kind, const std::string& on, const Brief& brief, const Part& part);
/// Entities of one kind that the names of a target mean ('everywhere': all); faces stand for the bodies that have
/// them and edges for the faces when `dim` asks for less.
std::vector<int> targetEntities(const std::string& names, Dim dim, const Part& part,
                                const std::vector<ResolvedGroup>& groups);

} // namespace tess
