// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view_look.h"
#include <QJsonArray>
#include <algorithm>
#include <cmath>

namespace tess {

int Section::axis() const {
  for (int k = 0; k < 3; ++k)
    if (std::abs(normal[k]) > 1 - 1e-9) return k;
  return -1;
}

bool ViewLook::away(const Vec3& x) const {
  return cut && std::any_of(sections.begin(), sections.end(), [&](const Section& s) { return s.height(x) > 0; });
}

QJsonArray toJson(const Vec3& x) { return {x.x(), x.y(), x.z()}; }

std::optional<Vec3> vecFromJson(const QJsonValue& v) {
  const QJsonArray a = v.toArray();
  if (a.size() != 3) return {};
  Vec3 x;
  for (int k = 0; k < 3; ++k) {
    if (!a[k].isDouble() || !std::isfinite(a[k].toDouble())) return {};
    x[k] = a[k].toDouble();
  }
  return x;
}

QJsonObject ViewLook::toJson() const {
  QJsonArray planes;
  for (const Section& s : sections) planes << QJsonObject{{"normal", tess::toJson(s.normal)}, {"offset", s.offset}};
  return {{"lens", static_cast<int>(lens)},
          {"metric", metricInfo(metric).id},
          {"mesh", mesh},
          {"edges", edges},
          {"see_through", seeThrough},
          {"shrunk", shrunk},
          {"lines_only", linesOnly},
          {"numbers", numbers},
          {"cut", cut},
          {"whole_cells", manner == SectionManner::WholeCells},
          {"sections", planes},
          {"active", static_cast<int>(active)}};
}

std::optional<ViewLook> ViewLook::fromJson(const QJsonObject& o) {
  ViewLook v;
  const int lens = o["lens"].toInt(-1);
  const auto metric = metricById(o["metric"].toString().toStdString());
  if (lens < 0 || lens > static_cast<int>(Lens::Method) || !metric) return {};
  v.lens = static_cast<Lens>(lens);
  v.metric = *metric;
  for (auto [key, to] : {std::pair{"mesh", &v.mesh},
                         {"edges", &v.edges},
                         {"see_through", &v.seeThrough},
                         {"shrunk", &v.shrunk},
                         {"cut", &v.cut}}) {
    if (!o[key].isBool()) return {};
    *to = o[key].toBool();
  }
  // Views that were kept before there were these lack them.
  v.linesOnly = o["lines_only"].toBool();
  v.numbers = o["numbers"].toBool();
  v.manner = o["whole_cells"].toBool() ? SectionManner::WholeCells : SectionManner::Cut;
  for (const QJsonValue& p : o["sections"].toArray()) {
    const auto normal = vecFromJson(p["normal"]);
    if (!normal || std::abs(normal->norm() - 1) > 1e-6 || !std::isfinite(p["offset"].toDouble(NAN))) return {};
    v.sections.push_back({*normal, p["offset"].toDouble()});
  }
  if (v.sections.size() > kMostSections || (v.cut && v.sections.empty())) return {};
  const int active = o["active"].toInt(-1);
  if (active < 0 || (active > 0 && active >= static_cast<int>(v.sections.size()))) return {};
  v.active = static_cast<std::size_t>(active);
  return v;
}

} // namespace tess
