// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/report.h"
#include "audit/places.h"
#include "base/units.h"
#include "job/limits.h"
#include "job/text.h"
#include <filesystem>
#include <map>
#include <sstream>

namespace tess {
namespace {

std::string escaped(const std::string& s) {
  std::string r;
  for (char c : s) switch (c) {
    case '&':
      r += "&amp;";
      break;
    case '<':
      r += "&lt;";
      break;
    case '>':
      r += "&gt;";
      break;
    case '"':
      r += "&quot;";
      break;
    default:
      r += c;
    }
  return r;
}

std::string base64(const std::string& bytes) {
  static const char* digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string r;
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    unsigned v = 0;
    for (std::size_t k = 0; k < 3; ++k)
      v = v << 8 | (i + k < bytes.size() ? static_cast<unsigned char>(bytes[i + k]) : 0u);
    for (std::size_t k = 0; k < 4; ++k) r += i + k > bytes.size() ? '=' : digits[v >> (18 - 6 * k) & 63];
  }
  return r;
}

class Page {
public:
  void heading(const std::string& t) { m_out << "<h2>" << escaped(t) << "</h2>\n"; }
  void text(const std::string& t) { m_out << "<p>" << escaped(t) << "</p>\n"; }
  void raw(const std::string& t) { m_out << t; }
  /// Cells are plain text. The first row is the head, repeated where the table goes on on another page, unless every
  /// row has its own.
  void table(const std::vector<std::vector<std::string>>& rows, bool headed = true) {
    m_out << "<table cellpadding=\"4\" cellspacing=\"0\" width=\"100%\">\n";
    for (std::size_t i = 0; i < rows.size(); ++i) {
      const bool head = headed && i == 0;
      m_out << (head ? "<thead><tr>" : "<tr>");
      for (std::size_t k = 0; k < rows[i].size(); ++k) {
        const char* tag = head || (!headed && k == 0) ? "th" : "td";
        m_out << "<" << tag << " align=\"left\">" << escaped(rows[i][k]) << "</" << tag << ">";
      }
      m_out << (head ? "</tr></thead>\n" : "</tr>\n");
    }
    m_out << "</table>\n";
  }
  std::string str() const { return m_out.str(); }

private:
  std::ostringstream m_out;
};

} // namespace

std::string reportHtml(const RunResult& run, const Part& part, const std::vector<ReportPicture>& pictures) {
  const Mesh& m = run.mesh;
  const std::string& unit = m.unit;
  auto number = [](double x) { return formatNumber(x, 4); };
  auto withUnit = [&](double x, const MetricInfo& info) {
    std::string u = info.unit;
    return number(x) + (u == "deg" ? " deg" : u == "L" ? " " + unit : u == "L3" ? " " + unit + "3" : "");
  };
  Page p;
  std::string name = std::filesystem::path(part.path).filename().string();
  p.raw("<!DOCTYPE html>\n<html><head><meta charset=\"utf-8\"><title>" + escaped(name) +
        "</title>\n<style>body { font-family: sans-serif; color: #22303C; max-width: 52em; margin: 2em auto; }\n"
        "h1 { font-size: 15pt; } h2 { font-size: 11.5pt; color: #7A2E5D; margin-top: 16pt; }\n"
        "table { border-collapse: collapse; } td, th { font-size: 9.5pt; border-bottom: 1px solid #E3DFD4; }\n"
        "th { color: #6B7680; } p { font-size: 10pt; } img { max-width: 100%; }</style></head>\n"
        "<body>\n<h1>Mesh of " +
        escaped(name) + "</h1>\n");
  p.raw("<p><b>" + escaped(run.audit.sentence) + "</b></p>\n");
  std::map<std::string, std::size_t> types;
  for (auto t : m.cells.type) ++types[std::string(topology(t).name)];
  std::string elements;
  for (const auto& [t, n] : types) elements += (elements.empty() ? "" : ", ") + grouped(n) + " " + t;
  p.table({{"Part", part.sizeText()},
           {"Elements", elements},
           {"Nodes", grouped(m.nodes.size())},
           {"Volume", number(run.audit.volume) + " " + unit + "3, " +
                          formatNumber(100 * (run.audit.volume / std::max(1e-300, run.geometryVolume) - 1), 3) +
                          " % off the part's"},
           {"Largest distance from the true surface", number(run.deviation) + " " + unit},
           {"Angle to the true surface",
            formatNumber(run.normalDeg, 3) + " deg at most, " + formatNumber(run.meanNormalDeg, 3) + " deg on average"},
           {"Time and memory", formatNumber(run.seconds, 3) + " s, " +
                                   formatNumber(static_cast<double>(run.peakMemory) / 1e6, 3) + " MB, " +
                                   std::to_string(run.threads) + " threads"}},
          false);
  for (const auto& pic : pictures)
    p.raw("<p><img width=\"640\" src=\"data:image/png;base64," + base64(pic.png) + "\"><br>" + escaped(pic.caption) +
          "</p>\n");

  p.heading("What was asked for, and what the mesh has");
  std::vector<std::vector<std::string>> rows{{"Rule", "Got", "Note"}};
  for (std::size_t i = 0; i < run.brief.rules.size(); ++i) {
    const Rule& r = run.brief.rules[i];
    if (r.kind == "group") continue;
    std::string got = r.off ? "switched off" : "";
    for (const auto& a : run.rules)
      if (a.rule == static_cast<int>(i)) got = a.got;
    rows.push_back({sentenceOf(r), got, r.note});
  }
  p.table(rows);

  auto placeOf = [&](const std::vector<WorstPlace>& places) -> std::string {
    if (places.empty()) return {};
    std::string where;
    for (const auto& g : places[0].groups) where += (where.empty() ? "at " : ", ") + g;
    if (where.empty()) where = places[0].atBoundary ? "at a face in no group" : "inside";
    return where + ", " + formatPoint(places[0].at) + " " + unit;
  };
  p.heading("Limits");
  rows = {{"Metric", "Limit", "Worst", "Worst place", "Elements that fail"}};
  for (const auto& r : run.audit.results) {
    const auto& info = metricInfo(r.limit.metric);
    rows.push_back({limitName(r.limit), (r.limit.atLeast ? "at least " : "at most ") + withUnit(r.limit.bound, info),
                    withUnit(r.worst, info), placeOf(worstPlaces(m, run.audit, r.limit)),
                    (r.failing ? grouped(r.failing) : "none") +
                        (r.accepted ? ", " + grouped(r.accepted) + " more accepted to " +
                                          withUnit(r.limit.accepted->to, info) + ": " + r.limit.accepted->reason
                                    : "")});
  }
  p.table(rows);

  p.heading("Quality");
  rows = {{"Metric", "Least", "Mean", "Largest"}};
  for (int k = 0; k < kMetrics; ++k) {
    const auto& info = metricInfo(static_cast<Metric>(k));
    const auto& v = run.audit.metrics[static_cast<std::size_t>(k)];
    if (v.known)
      rows.push_back({info.name, withUnit(v.min, info), withUnit(v.mean, info), withUnit(v.max, info)});
    else
      rows.push_back({info.name, "–", "–", "–"}); // says nothing of these elements
  }
  p.table(rows);

  if (m.regions.size() > 1 || (m.materials.size() && !m.materials[0].empty())) {
    p.heading("Regions");
    rows = {{"Name", "Kind", "Material"}};
    for (std::size_t r = 0; r < m.regions.size(); ++r)
      rows.push_back(
          {m.regions[r], r < m.media.size() ? m.media[r] : "", r < m.materials.size() ? m.materials[r] : ""});
    p.table(rows);
  }
  if (!m.groups.empty()) {
    p.heading("Groups");
    rows = {{"Name", "Role", "Holds", "Elements or nodes", "Area"}};
    static const char* kinds[] = {"points", "edges", "faces", "bodies"};
    for (const auto& g : m.groups) {
      double area = 0;
      if (g.dim == 2)
        for (auto f : g.items) area += faceArea(m, static_cast<std::size_t>(f));
      rows.push_back({g.name, g.role, std::to_string(g.entities) + " " + kinds[g.dim], grouped(g.items.size()),
                      g.dim == 2 ? number(area) + " " + unit + "2" : ""});
    }
    p.table(rows);
  }
  if (!run.problems.empty()) {
    p.heading("Findings");
    rows = {{"What", "Where", "Why, and what to do"}};
    for (const auto& x : run.problems)
      rows.push_back({x.what, x.where, x.why + (x.why.empty() || x.todo.empty() ? "" : "; ") + x.todo});
    p.table(rows);
  }
  p.raw("</body></html>\n");
  return p.str();
}

} // namespace tess
