// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh/unite_regions.h"
#include <algorithm>
#include <map>
#include <set>

namespace tess {
namespace {

/// What a list by region says of one; lists may be shorter.
std::string said(const std::vector<std::string>& list, std::size_t region) {
  return region < list.size() ? list[region] : std::string();
}

/// Drops faces; groups follow.
void dropFaces(Mesh& m, const std::vector<char>& drop) {
  ElementBlock faces;
  std::vector<std::int32_t> link, to(m.faces.size(), -1);
  std::vector<std::array<std::int32_t, 2>> regions;
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    if (drop[f]) continue;
    to[f] = static_cast<std::int32_t>(faces.size());
    faces.addLike(m.faces, f, m.faces.of(f));
    link.push_back(m.faceLink[f]);
    regions.push_back(m.faceRegions[f]);
  }
  m.faces = std::move(faces);
  m.faceLink = std::move(link);
  m.faceRegions = std::move(regions);
  for (auto& g : m.groups)
    if (g.dim == 2)
      for (auto& f : g.items) f = to[static_cast<std::size_t>(f)];
}

} // namespace

bool hasNamesakes(const Mesh& m) {
  std::set<std::string> seen;
  return std::any_of(m.regions.begin(), m.regions.end(),
                     [&](const std::string& name) { return !name.empty() && !seen.insert(name).second; });
}

std::vector<std::string> uniteNamesakes(Mesh& m) {
  std::map<std::string, std::vector<std::size_t>> byName;
  for (std::size_t r = 0; r < m.regions.size(); ++r) byName[m.regions[r]].push_back(r);
  std::vector<std::string> apart, names, materials, media;
  std::vector<std::int32_t> to(m.regions.size(), -1);
  auto add = [&](std::size_t r, const std::string& material, const std::string& medium) {
    to[r] = static_cast<std::int32_t>(names.size());
    names.push_back(m.regions[r]);
    materials.push_back(material);
    media.push_back(medium);
  };
  for (std::size_t r = 0; r < m.regions.size(); ++r) {
    if (to[r] >= 0) continue;
    const std::vector<std::size_t> same = m.regions[r].empty() ? std::vector<std::size_t>{r} : byName[m.regions[r]];
    std::set<std::string> material, medium;
    for (auto x : same) {
      if (const auto s = said(m.materials, x); !s.empty()) material.insert(s);
      if (const auto s = said(m.media, x); !s.empty()) medium.insert(s);
    }
    if (material.size() > 1 || medium.size() > 1) {
      if (same.front() == r) apart.push_back(m.regions[r]);
      add(r, said(m.materials, r), said(m.media, r));
      continue;
    }
    add(r, material.empty() ? "" : *material.begin(), medium.empty() ? "" : *medium.begin());
    for (auto x : same) to[x] = to[r];
  }
  if (names.size() == m.regions.size()) return apart;
  for (auto& r : m.cellRegion) r = to[static_cast<std::size_t>(r)];
  std::vector<char> drop(m.faces.size(), 0);
  for (std::size_t f = 0; f < m.faces.size(); ++f) {
    auto& sides = m.faceRegions[f];
    for (auto& r : sides)
      if (r >= 0) r = to[static_cast<std::size_t>(r)];
    drop[f] = sides[0] == sides[1];
  }
  for (const auto& g : m.groups)
    if (g.dim == 2)
      for (auto f : g.items) drop[static_cast<std::size_t>(f)] = 0;
  m.regions = std::move(names);
  if (!m.materials.empty()) m.materials = std::move(materials);
  if (!m.media.empty()) m.media = std::move(media);
  dropFaces(m, drop);
  return apart;
}

} // namespace tess
