// SPDX-License-Identifier: GPL-3.0-or-later
// `tessel`: the command line over the job. Messages go to stderr, results to stdout. Exit codes: 0 done, 1 done but
// outside the limits, 2 wrong usage, 3 input at fault, 4 meshing failed.
#include "base/file.h"
#include "base/memory.h"
#include "base/units.h"
#include "cli/reference.h"
#include "job/compare.h"
#include "job/cuts.h"
#include "job/fills.h"
#include "job/forecast.h"
#include "job/gate.h"
#include "job/improve.h"
#include "job/limit_file.h"
#include "job/limits.h"
#include "job/open_part.h"
#include "job/proposals.h"
#include "job/propose_cuts.h"
#include "job/report.h"
#include "job/run.h"
#include "job/values.h"
#include <CLI/CLI.hpp>
#include <array>
#include <atomic>
#include <chrono>
#include <cmath>
#include <csignal>
#include <filesystem>
#include <iostream>
#include <map>
#include <nlohmann/json.hpp>
#include <set>
#include <spawn.h>
#include <spdlog/sinks/stdout_sinks.h>
#include <spdlog/spdlog.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace fs = std::filesystem;
using namespace tess;

namespace {

Progress* g_progress = nullptr;
std::string g_memory; ///< as given with --memory; empty: what is free
void onInterrupt(int) {
  if (g_progress) g_progress->stop();
}

int exitCode(const Problem& p) {
  switch (p.fault) {
  case Fault::Usage:
    return 2;
  case Fault::Input:
    return 3;
  case Fault::Meshing:
    return 4;
  case Fault::Output:
    return 3;
  }
  return 3;
}

void say(const Problem& p) {
  static const char* severities[] = {"note", "warning", "error"};
  std::cerr << severities[static_cast<int>(p.severity)] << ": " << p.what << "\n";
  if (!p.where.empty()) std::cerr << "  where: " << p.where << "\n";
  if (!p.why.empty()) std::cerr << "  why:   " << p.why << "\n";
  if (!p.todo.empty()) std::cerr << "  to do: " << p.todo << "\n";
}

/// Says all errors, and the first three of each kind of the rest; `option` lists them all.
void sayAll(const std::vector<Problem>& problems, const char* option) {
  constexpr int most = 3;
  std::map<std::string, int> kinds;
  for (const auto& p : problems)
    if (p.severity == Severity::Error || p.code.empty() || ++kinds[p.code] <= most) say(p);
  for (const auto& [code, count] : kinds)
    if (count > most)
      std::cerr << "note: " << count - most << " more of the kind " << code << "; " << option << " lists them all\n";
}

int fail(const Problem& p, const std::string& report = {}) {
  say(p);
  if (!report.empty()) {
    nlohmann::json j{{"status", p.fault == Fault::Meshing ? "failed"
                                : p.fault == Fault::Usage ? "usage"
                                                          : "input"},
                     {"problems", {problemJson(p)}}};
    if (auto w = writeFileAtomic(report, j.dump(2) + "\n")) say(*w);
  }
  return exitCode(p);
}

Problem usage(const std::string& what, const std::string& todo) {
  Problem p;
  p.fault = Fault::Usage;
  p.code = "usage";
  p.what = what;
  p.todo = todo;
  return p;
}

bool isBrief(const std::string& path) { return fs::path(path).extension() == ".brief"; }

/// What each body can be filled with: by itself, and the best beside its neighbours.
struct FillsTable {
  std::vector<BodyFits> fits;
  MeshPlan best;
  explicit FillsTable(const Part& part) : fits(fitsOf(part)) {
    std::vector<FillWish> wishes(part.bodies.size());
    for (auto& w : wishes) w.best = true;
    std::vector<Problem> unheard;
    best = planOf(part, wishes, unheard);
  }
  nlohmann::json json(const Part& part) const {
    auto list = nlohmann::json::array();
    for (std::size_t b = 0; b < part.bodies.size(); ++b) {
      nlohmann::json x{{"name", part.bodies[b].name},
                       {"fits", nlohmann::json::array()},
                       {"best", fillName(best.bodies[b].fill)},
                       {"why", best.bodies[b].why},
                       {"not", nlohmann::json::array()}};
      for (Fill f : fits[b].fits) x["fits"].push_back(fillName(f));
      for (const auto& no : fits[b].others) {
        nlohmann::json y{{"fill", fillName(no.fill)}, {"why", no.why}, {"at", nlohmann::json::array()}};
        for (const Vec3& p : no.places) y["at"].push_back({p.x(), p.y(), p.z()});
        x["not"].push_back(std::move(y));
      }
      list.push_back(std::move(x));
    }
    return list;
  }
  void print(const Part& part) const {
    for (std::size_t b = 0; b < part.bodies.size(); ++b) {
      std::cout << "  body " << part.bodies[b].name << ": " << fillName(best.bodies[b].fill) << "\n";
      for (const auto& no : fits[b].others) {
        std::cout << "    not " << fillName(no.fill) << ", since " << no.why;
        if (!no.places.empty()) std::cout << ", at " << formatPoint(no.places.front()) << " " << part.unit;
        std::cout << "\n";
      }
      if (best.bodies[b].fill != fits[b].fits.front())
        std::cout << "    beside its neighbours " << best.bodies[b].why << "\n";
    }
  }
};

/// What the bodies of a part, or of a brief's part, can be filled with.
int inspectFills(const std::string& path, const std::string& unit, bool json) {
  PartOptions o;
  std::string file = path;
  if (isBrief(path)) {
    auto brief = loadBrief(path);
    if (!brief) return fail(brief.problem());
    auto options = loadOptionsOf(*brief);
    if (!options) return fail(options.problem());
    file = brief->partPath();
    o = *options;
  }
  if (!unit.empty()) o.unit = unit;
  auto opened = openPart(file, o);
  if (!opened) {
    if (json)
      std::cout << nlohmann::json{{"status", "input"}, {"problems", {problemJson(opened.problem())}}}.dump(2) << "\n";
    return fail(opened.problem());
  }
  const Part& part = opened->part;
  const FillsTable table(part);
  if (json)
    std::cout
        << nlohmann::json{{"status", "ok"}, {"file", file}, {"unit", part.unit}, {"bodies", table.json(part)}}.dump(2)
        << "\n";
  else {
    std::cout << fs::path(file).filename().string() << ": " << fillSummary(table.best.bodies) << "\n";
    table.print(part);
  }
  return 0;
}

/// The spaces that the bodies of a part leave: cavities, and the outside.
int inspectSpaces(const std::string& path, const std::string& unit, bool json) {
  PartOptions o;
  o.unit = unit;
  auto opened = openPart(path, o);
  if (!opened) return fail(opened.problem());
  const Part& part = opened->part;
  auto spaces = spacesOf(part);
  if (!spaces) {
    if (json)
      std::cout << nlohmann::json{{"status", "input"}, {"problems", {problemJson(spaces.problem())}}}.dump(2) << "\n";
    return fail(spaces.problem());
  }
  auto point = [](const Vec3& p) { return nlohmann::json{p.x(), p.y(), p.z()}; };
  nlohmann::json list = nlohmann::json::array();
  if (!json)
    std::cout << fs::path(path).filename().string() << ": " << spaces->size() - 1
              << (spaces->size() == 2 ? " cavity\n" : " cavities\n");
  for (const FoundSpace& s : *spaces) {
    nlohmann::json x{{"outside", s.outside},
                     {"volume", s.volume},
                     {"size", point(s.box.size())},
                     {"at", point(s.inside)},
                     {"openings", nlohmann::json::array()},
                     {"bodies", nlohmann::json::array()}};
    for (const auto& p : s.openings)
      x["openings"].push_back({{"name", p.name}, {"at", point(p.at)}, {"area", p.area}, {"width", p.width}});
    for (int b : s.bodies) x["bodies"].push_back(part.bodies[static_cast<std::size_t>(b)].name);
    list.push_back(std::move(x));
    if (json) continue;
    if (s.outside)
      std::cout << "  outside\n";
    else
      std::cout << "  cavity of " << formatNumber(s.volume, 4) << " " << part.unit << "^3, "
                << formatNumber(s.box.size().x(), 4) << " x " << formatNumber(s.box.size().y(), 4) << " x "
                << formatNumber(s.box.size().z(), 4) << " " << part.unit << ", at " << formatPoint(s.inside) << "\n";
    for (const auto& p : s.openings)
      std::cout << "    " << p.name << " of " << formatNumber(p.area, 4) << " " << part.unit << "^2, "
                << formatNumber(p.width, 3) << " " << part.unit << " wide, at " << formatPoint(p.at) << "\n";
  }
  if (json)
    std::cout << nlohmann::json{{"status", "ok"}, {"file", path}, {"unit", part.unit}, {"spaces", list}}.dump(2)
              << "\n";
  return 0;
}

int inspect(const std::string& path, const std::string& unit, bool json, bool propose, const std::string& purpose) {
  PartOptions o;
  o.unit = unit;
  auto opened = openPart(path, o);
  if (!opened) {
    if (json)
      std::cout << nlohmann::json{{"status", "input"}, {"problems", {problemJson(opened.problem())}}}.dump(2) << "\n";
    return fail(opened.problem());
  }
  const Part* part = &opened->part;
  if (propose) { // a brief to go on from
    Brief b = withRulesOf(defaultBrief(path), *opened);
    b.unit = unit;
    if (purpose == "flow" && flowSpaceOf(b) == FlowSpace::Unknown)
      std::cerr << "note: no body is said to be fluid or solid, so elements are asked for across gaps\n"
                << "  to do: if the part is what flows, give a group of bodies the medium fluid, and ask for them "
                   "through walls on it\n";
    if (!purpose.empty()) b = withPurpose(b, purpose);
    std::vector<Problem> ignored;
    auto groups = proposeGroups(b, *part, resolveGroups(b, *part, ignored));
    b.rules.insert(b.rules.begin(), groups.begin(), groups.end());
    std::cout << briefText(b);
    return 0;
  }
  double shortest = 1e300;
  for (const auto& e : part->edges) shortest = std::min(shortest, e.length);
  const double matters = shortestEdgeThatMatters(*part);
  if (json) {
    const Vec3 lo = part->extent.lo, hi = part->extent.hi, size = part->extent.size();
    nlohmann::json j{{"status", "ok"},
                     {"file", path},
                     {"format", part->format},
                     {"unit", part->unit},
                     {"unit_assumed", part->unitAssumed},
                     {"size", {size.x(), size.y(), size.z()}},
                     {"box", {{lo.x(), lo.y(), lo.z()}, {hi.x(), hi.y(), hi.z()}}},
                     {"diagonal", part->diagonal()},
                     {"volume", part->volume()},
                     {"area", part->surfaceArea()},
                     {"points", part->points.size()}};
    j["bodies"] = nlohmann::json::array();
    for (const auto& b : part->bodies) {
      nlohmann::json x{{"name", b.name}, {"faces", b.faces.size()}, {"volume", b.volume}, {"closed", b.closed}};
      if (b.color) x["colour"] = *b.color;
      j["bodies"].push_back(x);
    }
    j["faces"] = nlohmann::json::array();
    for (const auto& f : part->faces) {
      nlohmann::json x{{"name", f.name},
                       {"kind", surfaceKindName(f.kind)},
                       {"area", f.area},
                       {"radius", f.radius},
                       {"centre", {f.center.x(), f.center.y(), f.center.z()}},
                       {"edges", f.edges.size()},
                       {"bodies", f.bodies}};
      if (f.color) x["colour"] = *f.color;
      j["faces"].push_back(x);
    }
    j["edges"] = {{"count", part->edges.size()},
                  {"shortest", part->edges.empty() ? 0 : shortest},
                  {"shortest_that_matters", matters},
                  {"proposed_size", matters / 5}};
    j["problems"] = nlohmann::json::array();
    for (const auto& p : part->problems) j["problems"].push_back(problemJson(p));
    std::cout << j.dump(2) << "\n";
  } else {
    std::cout << fs::path(path).filename().string() << ": " << part->format << ", " << part->sizeText();
    if (part->unitAssumed) std::cout << " (unit assumed)";
    if (!part->fileUnit.empty()) std::cout << " (file says " << part->fileUnit << ")";
    std::cout << "\n"
              << part->bodies.size() << (part->bodies.size() == 1 ? " body, " : " bodies, ") << part->faces.size()
              << " faces, " << part->edges.size() << " edges, volume " << formatNumber(part->volume()) << " "
              << part->unit << "^3, area " << formatNumber(part->surfaceArea()) << " " << part->unit << "^2\n";
    for (const auto& b : part->bodies)
      std::cout << "  body " << b.name << ": " << b.faces.size() << " faces, volume " << formatNumber(b.volume) << "\n";
    if (!part->edges.empty()) std::cout << "shortest edge " << formatNumber(shortest) << " " << part->unit << "\n";
    if (matters > 0)
      std::cout << "shortest edge that matters " << formatNumber(matters, 4) << " " << part->unit << ": "
                << formatNumber(matters / 5, 3) << " " << part->unit << " or less resolves it\n";
  }
  sayAll(part->problems, "--json");
  return 0;
}

struct MeshArgs {
  std::string input, part, size, min, max, growth, turn, bridge, slender, order, fill, report, page, unit, accept;
  std::string layers, first, growing, layersOn; ///< a card of layers
  std::vector<std::string> out, set;
  int threads = 0;
  bool quiet = false, json = false, yes = false, gate = false;
  double ratio = 1.4;
  int steps = 3;
};

Result<Rule> outputRule(const std::string& o) {
  Rule r{"hand_over", {}, "", false, {}};
  auto colon = o.find(':');
  if (colon != std::string::npos && meshFormatByName(o.substr(0, colon))) {
    r.values["format"] = o.substr(0, colon);
    r.values["path"] = fs::absolute(o.substr(colon + 1)).string();
  } else {
    r.values["path"] = fs::absolute(o).string();
    if (!meshFormatOfPath(o))
      return usage("the format of '" + o + "' is not known", "write FORMAT:PATH with one of " + formatNames());
  }
  return r;
}

Result<std::vector<Rule>> outputRules(const std::vector<std::string>& outputs) {
  std::vector<Rule> rules;
  for (const auto& o : outputs) {
    auto r = outputRule(o);
    if (!r) return r.problem();
    rules.push_back(*r);
  }
  return rules;
}

/// Options that say how a mesh shall be made, and where they belong in a brief.
struct MeshOption {
  const char *kind, *key;
  std::string MeshArgs::*text;
};
constexpr std::array kMeshOptions{
    MeshOption{"everywhere", "target", &MeshArgs::size},     MeshOption{"everywhere", "minimum", &MeshArgs::min},
    MeshOption{"everywhere", "maximum", &MeshArgs::max},     MeshOption{"everywhere", "growth", &MeshArgs::growth},
    MeshOption{"everywhere", "turn", &MeshArgs::turn},       MeshOption{"everywhere", "bridge", &MeshArgs::bridge},
    MeshOption{"everywhere", "slender", &MeshArgs::slender}, MeshOption{"fill", "order", &MeshArgs::order}};

/// The brief of a command: from its file or the default for a part, with the options put into its rules.
Result<Brief> briefOf(const MeshArgs& a) {
  Brief brief;
  if (isBrief(a.input)) {
    auto b = loadBrief(a.input);
    if (!b) return b.problem();
    brief = *b;
    if (!a.part.empty()) brief.partFile = fs::absolute(a.part).string();
  } else if (!a.part.empty())
    return usage("--part stands beside a brief, and '" + a.input + "' is a part", "give one of them");
  else
    brief = defaultBrief(a.input);
  // Options become values of the rules they belong to; they are checked by the same table.
  auto set = [&](const char* kind, const char* key, const std::string& value) {
    if (value.empty()) return;
    for (auto& r : brief.rules)
      if (r.kind == kind && !r.off) {
        r.values[key] = value;
        return;
      }
    brief.rules.push_back({kind, {{key, value}}, "", false, {}});
  };
  for (const MeshOption& o : kMeshOptions) set(o.kind, o.key, a.*o.text);
  if (!a.fill.empty()) { // of everything, whatever cards say of some bodies
    for (auto& r : brief.rules)
      if (r.kind == "fill") r.values["with"] = a.fill;
    set("fill", "with", a.fill);
  }
  if (!a.layers.empty() || !a.first.empty()) {
    Rule r{"layers", {{"on", a.layersOn.empty() ? "everywhere" : a.layersOn}}, "", false, {}};
    if (!a.layers.empty()) r.values["count"] = a.layers;
    if (!a.first.empty()) r.values["first"] = a.first;
    if (!a.growing.empty()) r.values["ratio"] = a.growing;
    brief.rules.push_back(std::move(r));
  } else if (!a.growing.empty() || !a.layersOn.empty())
    return usage("--ratio and --on say how layers grow, and none are asked for", "give --layers or --first too");
  if (!a.unit.empty()) brief.unit = a.unit;
  for (const auto& s : a.set)
    if (auto p = setValue(brief, s)) return *p;
  for (const auto& p : validateBrief(brief, "mm"))
    if (p.severity == Severity::Error) return p;
  return brief;
}

/// The part of a brief. A command that names the part itself goes by what the file brings along: a mesh is taken as it
/// is where the command allows it (`take`) and neither sizes nor an order are asked for.
Result<Part> partOf(Brief& brief, const MeshArgs& a, const PartOptions& options, Progress& progress, bool take) {
  auto opened = openPart(brief.partPath(), options, &progress);
  if (!opened) return opened.problem();
  const bool anew = !a.fill.empty() || std::any_of(kMeshOptions.begin(), kMeshOptions.end(),
                                                   [&](const MeshOption& o) { return !(a.*o.text).empty(); });
  if (!isBrief(a.input)) brief = withRulesOf(std::move(brief), *opened, take && !anew);
  if (!take && brief.first("take_mesh"))
    return usage("the brief takes the mesh as it is, whatever the sizes", "switch the rule 'take_mesh' off");
  return std::move(opened->part);
}

/// Bytes that a task may use; the text was checked before.
std::size_t allowedMemory() {
  auto given = parseMemory(g_memory);
  return given ? *given : memoryByDefault();
}

/// Progress on the terminal, and a stop by Ctrl+C or for lack of memory.
class Watch {
public:
  Watch(Progress& progress, bool quiet) : m_progress(progress), m_quiet(quiet), m_terminal(isatty(2)) {
    g_progress = &progress;
    std::signal(SIGINT, onInterrupt);
    std::signal(SIGTERM, onInterrupt);
    m_progress.onProgress = [this](const std::string& stage, double share) {
      if (m_quiet || (!m_terminal && stage == m_last)) return;
      if (m_terminal)
        std::cerr << "\r\033[K" << stage << " " << static_cast<int>(100 * share) << " %" << std::flush;
      else
        std::cerr << stage << "\n";
      m_last = stage;
    };
  }
  ~Watch() { g_progress = nullptr; }
  void clear() const {
    if (m_terminal && !m_quiet) std::cerr << "\r\033[K";
  }

private:
  Progress& m_progress;
  bool m_quiet, m_terminal;
  std::string m_last;
  MemoryWatch m_memory{m_progress, allowedMemory()};
};

/// Runs a command's work; a stop and a lack of memory become problems like any other.
template <class F> int guarded(const std::string& report, F&& work) {
  Problem p;
  p.fault = Fault::Meshing;
  try {
    return work();
  } catch (const Cancelled&) {
    p.code = "stopped";
    p.what = "stopped on request";
    p.todo = "nothing was written";
  } catch (const MemoryExceeded& e) {
    p = memoryProblem(e.limit);
    if (g_memory.empty()) p.todo = "ask for a larger size, or allow more with --memory";
  } catch (const std::bad_alloc&) {
    p = memoryProblem(0);
  }
  return fail(p, report);
}

/// "good 91 %, fair 8.2 %, poor 0.8 %, failing 0 %"
std::string classShares(const Audit& a) {
  std::size_t all = 0;
  for (std::size_t n : a.classes) all += n;
  std::string s;
  for (int k = 0; k < kElementClasses && all; ++k)
    s += (k ? ", " : "") + std::string(elementClassName(static_cast<ElementClass>(k))) + " " +
         percentText(static_cast<double>(a.classes[static_cast<std::size_t>(k)]) / static_cast<double>(all));
  return s;
}

/// One line per limit: worst value, bound, what fails and what is accepted.
void printLimits(const Audit& a) {
  for (const auto& r : a.results) {
    std::cout << "  " << limitName(r.limit) << " " << formatNumber(r.worst, 3)
              << (r.limit.atLeast ? " (at least " : " (at most ") << formatNumber(r.limit.bound) << "): " << r.failing
              << " fail";
    if (r.accepted)
      std::cout << ", " << r.accepted << " accepted to " << formatNumber(r.limit.accepted->to) << ": "
                << r.limit.accepted->reason;
    std::cout << "\n";
  }
}

/// A count for people: three significant digits, thousands apart.
std::string roundCount(double x) {
  if (!(x < 1e12)) return formatNumber(x, 2); // no count any more
  double unit = x > 0 ? std::pow(10, std::max(0.0, std::floor(std::log10(x)) - 2)) : 1;
  std::string s = std::to_string(std::llround(std::round(x / unit) * unit));
  for (int i = static_cast<int>(s.size()) - 3; i > 0; i -= 3) s.insert(static_cast<std::size_t>(i), " ");
  return s;
}

/// An option that is given empty is a slip of a script, not a wish for the default.
const CLI::Validator notEmpty(
    [](std::string& text) {
      return text.find_first_not_of(" \t") == std::string::npos ? std::string("a value is missing") : std::string();
    },
    "");

/// The part of a brief, or a bare part, with the cuts that make hexahedra of it, as a brief to go on from.
int proposeFills(const std::string& path, const std::string& unit, bool json) {
  Brief brief = defaultBrief(path);
  if (isBrief(path)) {
    auto read = loadBrief(path);
    if (!read) return fail(read.problem());
    brief = std::move(*read);
  }
  if (!unit.empty()) brief.unit = unit;
  auto options = loadOptionsOf(brief);
  if (!options) return fail(options.problem());
  options->cuts.clear();
  Progress progress;
  Watch watch(progress, json);
  return guarded("", [&] {
    auto opened = openPart(brief.partPath(), *options, &progress);
    if (!opened) return fail(opened.problem());
    auto found = proposeCuts(brief, std::make_shared<const Part>(std::move(opened->part)), progress);
    if (!found) return fail(found.problem());
    const Brief with = withProposal(brief, *found);
    if (json) {
      nlohmann::json hinders = nlohmann::json::array();
      for (const auto& p : found->hinders) hinders.push_back(problemJson(p));
      std::cout << nlohmann::json{{"status", "ok"},
                                  {"cuts", found->rules.size()},
                                  {"before", found->before},
                                  {"after", found->after},
                                  {"pieces", found->pieces},
                                  {"tried", found->tried},
                                  {"out_of_time", found->outOfTime},
                                  {"hinders", hinders},
                                  {"brief", briefText(with)}}
                       .dump(2)
                << "\n";
      return 0;
    }
    std::cout << briefText(with);
    std::cerr << proposalSentence(*found) << "\n";
    for (const auto& p : found->hinders) say(p);
    return 0;
  });
}

int forecastCommand(const MeshArgs& a) {
  auto brief = briefOf(a);
  if (!brief) return fail(brief.problem());
  auto options = loadOptionsOf(*brief);
  if (!options) return fail(options.problem());
  Progress progress;
  Watch watch(progress, true);
  return guarded("", [&] {
    auto part = partOf(*brief, a, *options, progress, false);
    if (!part) return fail(part.problem());
    Forecast f = forecastBrief(*brief, *part, progress);
    for (const auto& p : f.problems)
      if (p.severity == Severity::Error) return fail(p);
    auto shares = [](const std::vector<ForecastShare>& list) {
      nlohmann::json j = nlohmann::json::array();
      for (const auto& s : list) j.push_back({{"rule", s.rule}, {"name", s.name}, {"elements", s.elements}});
      return j;
    };
    if (a.json) {
      nlohmann::json j{{"elements", f.elements},
                       {"low", f.low},
                       {"high", f.high},
                       {"nodes", f.nodes},
                       {"memory_bytes", f.memoryBytes},
                       {"seconds", f.seconds},
                       {"calibration_runs", f.calibrationRuns},
                       {"calibration_runs_of_this_part", f.calibrationOfPart},
                       {"by_rule", shares(f.byRule)},
                       {"by_body", shares(f.byBody)},
                       {"problems", nlohmann::json::array()}};
      for (const auto& p : f.problems) j["problems"].push_back(problemJson(p));
      std::cout << j.dump(2) << "\n";
      return 0;
    }
    sayAll(f.problems, "--json");
    std::cout << "about " << roundCount(f.elements) << " elements (" << roundCount(f.low) << " to "
              << roundCount(f.high) << "), " << roundCount(f.nodes) << " nodes, " << memoryText(f.memoryBytes) << ", "
              << formatNumber(f.seconds, 2) << " s";
    std::cout << (f.calibrationOfPart ? " (time as in earlier runs of this part)\n"
                  : f.calibrationRuns ? " (time as in the last " + std::to_string(f.calibrationRuns) + " runs here)\n"
                                      : std::string(" (time by a short trial of this machine)\n"));
    for (const auto& s : f.byRule)
      if (s.elements > 0.01 * f.elements)
        std::cout << "  " << percentText(s.elements / f.elements) << " " << s.name << "\n";
    return 0;
  });
}

/// Whether to mesh although the forecast passes the brief's budget: asked on a terminal, else only with --yes.
std::optional<Problem> refusedByBudget(const Brief& brief, const Part& part, bool yes, Progress& progress) {
  const Rule* r = brief.first("everywhere");
  if (yes || !r || r->get("budget").empty()) return {};
  auto p = overBudget(brief, forecastBrief(brief, part, progress));
  if (!p) return {};
  if (isatty(0) && isatty(2)) {
    say(*p);
    std::cerr << "mesh all the same? [y/N] " << std::flush;
    std::string answer;
    std::getline(std::cin, answer);
    if (answer == "y" || answer == "Y" || answer == "yes") return {};
  }
  p->severity = Severity::Error;
  p->todo = "raise the sizes or the budget, or add --yes";
  return p;
}

/// Meshes the brief at sizes that fall by a ratio, for a mesh-independence study: every size scaled alike.
int seriesCommand(const MeshArgs& a) {
  if (!(a.ratio > 1) || a.ratio > 10)
    return fail(usage("the ratio must lie between 1 and 10", "for example --ratio 1.4"), a.report);
  if (a.steps < 2 || a.steps > 12) return fail(usage("a series has 2 to 12 steps", "for example --steps 3"), a.report);
  auto brief = briefOf(a);
  if (!brief) return fail(brief.problem(), a.report);
  auto outputs = outputRules(a.out); // before any meshing
  if (!outputs) return fail(outputs.problem(), a.report);
  auto options = loadOptionsOf(*brief);
  if (!options) return fail(options.problem(), a.report);
  Progress progress;
  Watch watch(progress, a.quiet);
  return guarded(a.report, [&] {
    auto part = partOf(*brief, a, *options, progress, false);
    if (!part) return fail(part.problem(), a.report);
    nlohmann::json table = nlohmann::json::array();
    std::cout << "step  size        elements     nodes        min dihedral  verdict\n";
    int code = 0;
    for (int k = 0; k < a.steps; ++k) {
      Brief b = scaledSizes(*brief, *part, std::pow(a.ratio, -k));
      if (auto p = refusedByBudget(b, *part, a.yes, progress)) return fail(*p, a.report);
      auto run = runBrief(b, *part, a.threads, progress);
      watch.clear();
      if (!run) return fail(run.problem(), a.report);
      rememberRun(*run, *part);
      if (!run->audit.pass) code = 1;
      std::vector<std::string> files;
      for (Rule r : *outputs) {
        fs::path path = r.values["path"];
        path.replace_filename(path.stem().string() + "-" + std::to_string(k + 1) + path.extension().string());
        r.values["path"] = path.string();
        if (auto p = handOver(*run, r)) return fail(*p, a.report);
        files.push_back(path.string());
      }
      const auto& angle = run->audit.metrics[static_cast<std::size_t>(Metric::MinDihedral)];
      double size = overallTarget(b, *part);
      char line[160];
      std::snprintf(line, sizeof line, "%-5d %-11s %-12zu %-12zu %-13.3g ", k + 1,
                    (formatNumber(size, 4) + " " + part->unit).c_str(), run->mesh.cells.size(), run->mesh.nodes.size(),
                    angle.min);
      std::cout << line << run->audit.sentence << "\n";
      table.push_back({{"step", k + 1},
                       {"size", size},
                       {"elements", run->mesh.cells.size()},
                       {"nodes", run->mesh.nodes.size()},
                       {"volume", run->audit.volume},
                       {"min_dihedral", angle.min},
                       {"pass", run->audit.pass},
                       {"seconds", run->seconds},
                       {"files", files}});
    }
    if (!a.report.empty())
      if (auto p = writeFileAtomic(
              a.report, nlohmann::json{{"status", "ok"}, {"ratio", a.ratio}, {"steps", table}}.dump(2) + "\n"))
        return fail(*p);
    return code;
  });
}

/// What a brief says that has no effect is told even to scripts that want no other words.
void sayUnheard(const Brief& brief, const std::string& unit) {
  for (const auto& p : validateBrief(brief, unit))
    for (const char* code : {"brief.unknown-key", "rule.unknown", "rule.not-yet", "rule.twice"})
      if (p.code == code) say(p);
}

int meshCommand(const MeshArgs& a) {
  auto made = briefOf(a);
  if (!made) return fail(made.problem(), a.report);
  Brief brief = *made;
  std::vector<Rule> outputs;
  for (const auto& r : brief.rules)
    if (r.kind == "hand_over" && !r.off && a.out.empty()) outputs.push_back(r);
  auto asked = outputRules(a.out);
  if (!asked) return fail(asked.problem(), a.report);
  outputs.insert(outputs.end(), asked->begin(), asked->end());
  auto options = loadOptionsOf(brief);
  if (!options) return fail(options.problem(), a.report);
  Progress progress;
  Watch watch(progress, a.quiet);
  return guarded(a.report, [&] {
    auto part = partOf(brief, a, *options, progress, true);
    if (!part) return fail(part.problem(), a.report);
    if (a.quiet) sayUnheard(brief, part->unit);
    if (auto p = refusedByBudget(brief, *part, a.yes, progress)) return fail(*p, a.report);
    auto run = runBrief(brief, *part, a.threads, progress);
    watch.clear();
    if (!run) return fail(run.problem(), a.report);
    rememberRun(*run, *part);
    int code = run->audit.pass ? 0 : 1;
    bool closed = false;
    if (a.gate || !a.accept.empty()) {
      Gate gate = gateOf(*run, *part, run->brief, outputs);
      closed = !gate.open() && a.accept.empty();
      if (closed) {
        code = 1;
        run->problems.insert(run->problems.end(), gate.objections.begin(), gate.objections.end());
        std::cerr << "nothing was written: " << gate.objections.size()
                  << (gate.objections.size() == 1 ? " thing stands against it\n" : " things stand against it\n");
        if (a.quiet)
          for (const auto& o : gate.objections) say(o);
      } else if (!gate.open())
        run->problems.push_back(gateOverruled(gate, a.accept));
    }
    if (closed) outputs.clear();
    for (const auto& r : outputs)
      if (auto p = handOver(*run, r)) {
        say(*p);
        run->problems.push_back(*p);
        code = exitCode(*p);
      }
    auto j = runReport(*run);
    if (code > 1) j["status"] = "output";
    // A body that got no mesh while others did: they are written, and the exit code tells.
    for (const auto& p : run->problems)
      if (p.severity == Severity::Error && code <= 1) {
        code = exitCode(p);
        j["status"] = "partial";
      }
    if (!a.report.empty())
      if (auto p = writeFileAtomic(a.report, j.dump(2) + "\n")) return fail(*p);
    if (!a.page.empty())
      if (auto p = writeFileAtomic(a.page, reportHtml(*run, *part))) return fail(*p, a.report);
    if (!a.quiet) {
      // What failed stands first, before what is only worth knowing.
      std::stable_partition(run->problems.begin(), run->problems.end(),
                            [](const Problem& p) { return p.severity == Severity::Error; });
      sayAll(run->problems, "--report FILE");
      if (!run->audit.missing.empty()) std::cout << run->audit.sentence << "\n";
      std::cout << run->mesh.cells.size() << " elements, " << run->mesh.nodes.size() << " nodes, volume "
                << formatNumber(run->audit.volume, 8) << " of " << formatNumber(run->geometryVolume, 8) << " "
                << run->mesh.unit << "^3, " << formatNumber(run->seconds, 3) << " s\n"
                << run->audit.sentence << "\n  " << classShares(run->audit) << "\n";
      printLimits(run->audit);
      for (const auto& r : run->rules) std::cout << "  " << r.id << ": asked " << r.asked << ", got " << r.got << "\n";
    }
    return code;
  });
}

/// The surface alone: to be looked at and, if it is good, kept by the rule 'keep_surface'.
int surfaceCommand(const MeshArgs& a) {
  auto brief = briefOf(a);
  if (!brief) return fail(brief.problem());
  auto options = loadOptionsOf(*brief);
  if (!options) return fail(options.problem());
  if (a.out.size() != 1 || fs::path(a.out[0]).extension() != ".vtp")
    return fail(usage("a surface goes into one VTP file", "add --out FILE.vtp"));
  Progress progress;
  Watch watch(progress, a.quiet);
  return guarded("", [&] {
    auto part = partOf(*brief, a, *options, progress, true);
    if (!part) return fail(part.problem());
    std::vector<Problem> problems;
    auto m = surfaceOfBrief(*brief, *part, a.threads, progress, problems);
    watch.clear();
    if (!m) return fail(m.problem());
    if (auto p = writeSurface(*m, a.out[0])) return fail(*p);
    for (const auto& p : problems) say(p);
    double least = 180;
    for (std::size_t f = 0; f < m->faces.size(); ++f)
      for (std::size_t k = 0; k < 3; ++k) {
        const auto n = m->faces.of(f);
        auto at = [&](std::size_t i) { return m->nodes[static_cast<std::size_t>(n[i % 3])]; };
        const Vec3 u = at(k + 1) - at(k), v = at(k + 2) - at(k);
        least = std::min(least, std::atan2(u.cross(v).norm(), u.dot(v)) * 180 / kPi);
      }
    std::cout << m->faces.size() << " triangles, " << m->nodes.size() << " nodes, least angle "
              << formatNumber(least, 3) << " deg, written to " << a.out[0] << "\n"
              << "keep it with the rule keep_surface, path = \"" << fs::path(a.out[0]).filename().string() << "\"\n";
    return 0;
  });
}

int auditCommand(const std::string& path, const std::string& limits, const std::string& report) {
  auto set = limitsByName(limits.empty() ? "general" : limits);
  if (!set) return fail(set.problem(), report);
  auto m = readMesh(path);
  if (!m) return fail(m.problem(), report);
  Audit a = auditMesh(*m, atGroups(withTarget(*set, 0), *m));
  auto j = auditReport(*m, a);
  j["status"] = "ok";
  if (!report.empty())
    if (auto p = writeFileAtomic(report, j.dump(2) + "\n")) return fail(*p);
  std::cout << m->cells.size() << " elements, " << m->nodes.size() << " nodes, " << m->regions.size() << " regions, "
            << m->groups.size() << " groups, volume " << formatNumber(a.volume, 8) << "\n"
            << a.sentence << "\n  " << classShares(a) << "\n";
  printLimits(a);
  const auto& s = a.soundness;
  std::cout << "  inverted " << s.inverted << ", open edges " << s.openEdges << ", duplicates "
            << s.duplicateNodes + s.duplicateCells << ", unused nodes " << s.unusedNodes << "\n";
  for (const auto& f : s.flaws)
    std::cout << "  " << f.what
              << (f.places.empty() ? "" : ", the first at " + formatPoint(f.places[0]) + " " + m->unit) << "\n";
  if (s.apartNodes)
    std::cout << "  " << s.apartNodes << " nodes stand twice between bodies that are kept apart (they share no node)\n";
  return a.pass ? 0 : 1;
}

/// `tessel mesh` in a process of its own: its exit code, the report in `report`. A stop is passed on to it, and thrown
/// once it has ended.
int meshApart(const std::string& brief, const std::string& report, int threads, bool yes, const Progress& progress) {
  const std::string self = fs::read_symlink("/proc/self/exe").string(), n = std::to_string(threads);
  std::vector<std::string> words{self, "mesh", brief, "--report", report, "--threads", n, "--quiet"};
  if (!g_memory.empty()) words.insert(words.end(), {"--memory", g_memory});
  if (yes) words.push_back("--yes"); // else a budget is asked about, or refused
  std::vector<char*> argv;
  for (auto& w : words) argv.push_back(w.data());
  argv.push_back(nullptr);
  pid_t child = 0;
  if (posix_spawn(&child, self.c_str(), nullptr, nullptr, argv.data(), environ) != 0) return 4;
  int status = 0;
  for (pid_t ended = 0; ended == 0 || (ended < 0 && errno == EINTR);) {
    if (progress.stopped()) kill(child, SIGINT);
    ended = waitpid(child, &status, WNOHANG);
    if (ended == 0) std::this_thread::sleep_for(std::chrono::milliseconds(20));
  }
  progress.check();
  return WIFEXITED(status) ? WEXITSTATUS(status) : 4;
}

/// Several briefs meshed one after the other, in one table, with the rules that differ from the first. Each runs in a
/// process of its own: its memory is that of its run, and one that fails leaves the others.
int compareCommand(const std::vector<std::string>& paths, int threads, bool yes, const std::string& report) {
  std::vector<Brief> briefs;
  for (const auto& p : paths) {
    auto b = loadBrief(p);
    if (!b) return fail(b.problem(), report);
    briefs.push_back(std::move(*b));
  }
  Progress progress;
  const Watch watch(progress, true);
  std::string folder = (fs::temp_directory_path() / "tessel-XXXXXX").string();
  if (!mkdtemp(folder.data()))
    return fail(usage("there is no room for temporary files", "set TMPDIR to a folder that can be written"), report);
  struct Gone {
    std::string path;
    ~Gone() {
      std::error_code ec;
      fs::remove_all(path, ec);
    }
  } gone{folder};
  nlohmann::json all = nlohmann::json::array();
  int code = 0;
  std::printf("%-22s %-12s %-12s %-9s %-9s %-13s %s\n", "brief", "elements", "nodes", "seconds", "MB", "min dihedral",
              "verdict");
  for (std::size_t i = 0; i < briefs.size(); ++i) {
    const std::string file = folder + "/" + std::to_string(i) + ".json", name = fs::path(paths[i]).stem().string();
    const int answer = meshApart(paths[i], file, threads, yes, progress);
    code = std::max(code, answer);
    nlohmann::json row{{"brief", paths[i]}, {"exit_code", answer}, {"differs", nlohmann::json::array()}};
    auto text = readFile(file);
    const auto j = text ? nlohmann::json::parse(*text, nullptr, false) : nlohmann::json();
    if (answer <= 1 && j.is_object()) {
      std::size_t elements = 0;
      for (const auto& [type, n] : j["elements"].items()) elements += n.get<std::size_t>();
      row["elements"] = elements;
      row["nodes"] = j["nodes"];
      row["seconds"] = j["timings"]["total"];
      row["peak_memory_bytes"] = j["peak_memory_bytes"];
      row["min_dihedral"] = j["metrics"]["min_dihedral"]["min"];
      row["verdict"] = j["verdict"]["sentence"];
      // Of a mesh without a known angle, as one of faces only, there is nothing to say.
      const std::string angle =
          row["min_dihedral"].is_number() ? formatNumber(row["min_dihedral"].get<double>(), 3) : "-";
      std::printf("%-22s %-12zu %-12zu %-9.3g %-9.0f %-13s %s\n", name.c_str(), row["elements"].get<std::size_t>(),
                  row["nodes"].get<std::size_t>(), row["seconds"].get<double>(),
                  row["peak_memory_bytes"].get<double>() / 1e6, angle.c_str(),
                  row["verdict"].get<std::string>().c_str());
    } else
      std::printf("%-22s no mesh\n", name.c_str());
    for (const auto& d : differingRules(briefs[0], briefs[i])) row["differs"].push_back({d.first, d.second});
    all.push_back(row);
    std::fflush(stdout);
  }
  for (std::size_t i = 1; i < briefs.size(); ++i) {
    std::cout << fs::path(paths[i]).stem().string() << " differs from " << fs::path(paths[0]).stem().string()
              << " in\n";
    const auto differ = differingRules(briefs[0], briefs[i]);
    for (const auto& d : differ)
      std::cout << "  " << (d.first.empty() ? "(not there)" : d.first) << " -> "
                << (d.second.empty() ? "(not there)" : d.second) << "\n";
    if (differ.empty()) std::cout << "  nothing\n";
  }
  if (!report.empty())
    if (auto p = writeFileAtomic(
            report, nlohmann::json{{"status", code < 2 ? "ok" : "partial"}, {"alternatives", all}}.dump(2) + "\n"))
      return fail(*p);
  return code;
}

/// Shows a set as the text of a limits file, or writes it there to begin from.
int limitsCommand(const std::string& name, const std::string& out) {
  auto set = limitsByName(name.empty() ? "general" : name);
  if (!set) return fail(set.problem());
  if (out.empty()) {
    std::cout << limitsText(*set);
    return 0;
  }
  if (!out.ends_with(".limits")) return fail(usage("the name of a limits file ends in .limits", "--out house.limits"));
  if (auto p = saveLimits(*set, out)) return fail(*p);
  std::cout << "written to " << out << "; judge by it with the rule judge, file = \""
            << fs::path(out).filename().string() << "\"\n";
  return 0;
}

int improveCommand(const std::string& path, const std::string& limits, const std::string& only,
                   const std::vector<std::string>& outputs, const std::string& report) {
  auto set = limitsByName(limits.empty() ? "general" : limits);
  if (!set) return fail(set.problem(), report);
  auto asked = outputRules(outputs);
  if (!asked) return fail(asked.problem(), report);
  const std::vector<Rule>& rules = *asked;
  if (rules.empty()) return fail(usage("the improved mesh has no file to go to", "add --out [FORMAT:]PATH"), report);
  Progress progress;
  Watch watch(progress, true);
  return guarded(report, [&] {
    auto m = readMesh(path, &progress);
    if (!m) return fail(m.problem(), report);
    std::vector<char> chosen;
    if (!only.empty()) {
      auto c = chosenCells(*m, only, progress);
      if (!c) return fail(c.problem(), report);
      chosen = *c;
    }
    // Which cells a limit at a group is about changes with the mesh.
    auto judged = [&] { return auditMesh(*m, atGroups(withTarget(*set, 0), *m), &progress); };
    Audit before = judged();
    auto done = improveMesh(*m, chosen, progress);
    if (!done) return fail(done.problem(), report);
    Audit after = judged();
    for (const auto& r : rules) {
      auto format =
          r.values.count("format") ? meshFormatByName(r.values.at("format")) : meshFormatOfPath(r.values.at("path"));
      const double scale = conventionalScale(*format, m->unit);
      if (auto p = writeMesh(*m, *format, r.values.at("path"), scale)) return fail(*p, report);
      if (auto p = verifyWritten(*m, *format, r.values.at("path"), scale)) return fail(*p, report);
    }
    auto angle = [](const Audit& a) { return a.metrics[static_cast<std::size_t>(Metric::MinDihedral)].min; };
    auto j = auditReport(*m, after);
    j["status"] = "ok";
    j["before"] = {{"elements", done->cellsBefore},
                   {"min_dihedral", angle(before)},
                   {"failing", before.failingCells},
                   {"inverted", before.soundness.inverted}};
    if (!report.empty())
      if (auto p = writeFileAtomic(report, j.dump(2) + "\n")) return fail(*p);
    std::cout << done->cellsBefore << " -> " << done->cellsAfter << " elements; min dihedral angle "
              << formatNumber(angle(before), 3) << " -> " << formatNumber(angle(after), 3)
              << " deg; outside the limits " << before.failingCells << " -> " << after.failingCells << "\n"
              << after.sentence << "\n";
    return after.pass ? 0 : 1;
  });
}

int convertCommand(const std::string& in, const std::string& out, std::optional<double> asked, int order,
                   const std::string& only) {
  if (asked && !(*asked > 0)) return fail(usage("the scale must be above 0", "for example --scale 0.001"));
  std::string path = out;
  auto format = meshFormatOfPath(out);
  if (auto colon = out.find(':'); colon != std::string::npos && meshFormatByName(out.substr(0, colon))) {
    format = meshFormatByName(out.substr(0, colon));
    path = out.substr(colon + 1);
  }
  if (!format)
    return fail(usage("the format of '" + out + "' is not known", "write FORMAT:PATH with one of " + formatNames()));
  auto m = readMesh(in);
  if (!m) return fail(m.problem());
  if (order) {
    if (auto p = changeOrderOf(*m, order, only)) return fail(*p);
  }
  const double scale = asked ? *asked : conventionalScale(*format, m->unit);
  if (auto p = writeMesh(*m, *format, path, scale)) return fail(*p);
  if (auto p = verifyWritten(*m, *format, path, scale)) return fail(*p);
  Box b;
  for (const auto& n : m->nodes) b.add(n);
  std::cout << m->cells.size() << " elements, " << m->groups.size() << " groups, "
            << fileSizeText(b.size(), m->unit, scale) << " written to " << path << "\n";
  if (m->unitAssumed && scale != 1 && !asked)
    std::cout << in << " names no unit; " << m->unit << " was assumed (--scale gives another factor)\n";
  return 0;
}

/// The words of the rule table in a form that the toolkit's tools collect texts from.
int ruleWordsCommand() {
  std::set<std::string> words;
  for (const auto& k : ruleTable()) {
    words.insert({k.section, k.sentence, k.help});
    for (const auto& s : k.entries) words.insert(s.help);
  }
  for (const auto& w : words)
    if (!w.empty()) std::cout << "QT_TRANSLATE_NOOP(\"rules\", " << nlohmann::json(w).dump() << ")\n";
  return 0;
}

int rulesCommand(bool json, bool markdown) {
  if (markdown) {
    std::cout << rulesReference();
    return 0;
  }
  if (json) {
    nlohmann::json j = nlohmann::json::array();
    for (const auto& k : ruleTable()) {
      nlohmann::json r{{"id", k.id},     {"section", k.section}, {"sentence", k.sentence},
                       {"help", k.help}, {"stage", k.stage},     {"slots", nlohmann::json::array()}};
      for (const auto& s : k.entries) {
        nlohmann::json x{{"key", s.key},
                         {"type", slotTypeName(s.type)},
                         {"default", s.fallback},
                         {"help", s.help},
                         {"required", s.required}};
        if (!s.choices.empty()) x["choices"] = s.choices;
        if (s.low > -1e299) x["low"] = s.low, x["low_open"] = s.lowOpen;
        if (s.high < 1e299) x["high"] = s.high;
        r["slots"].push_back(x);
      }
      j.push_back(r);
    }
    std::cout << j.dump(2) << "\n";
    return 0;
  }
  for (const auto& k : ruleTable()) {
    std::cout << k.id << " (" << k.section << "): " << k.help << "\n";
    for (const auto& s : k.entries)
      std::cout << "  " << s.key << " [" << slotTypeName(s.type)
                << (s.required           ? ", required"
                    : s.fallback.empty() ? ""
                                         : ", " + s.fallback)
                << "] " << s.help << "\n";
  }
  return 0;
}

/// The sample parts: beside the program in a build, in the data folder of an installation.
fs::path demoFolder() {
  std::error_code ec;
  fs::path exe = fs::read_symlink("/proc/self/exe", ec);
  for (fs::path p = exe.parent_path(); !p.empty() && p != p.root_path(); p = p.parent_path())
    for (const char* sub : {"demo", "share/tesselite/demo"})
      if (fs::exists(p / sub / "camera-housing.brief", ec)) return p / sub;
  return {};
}

int demoCommand(const std::string& dir) {
  fs::path from = demoFolder();
  Problem p;
  p.code = "demo";
  p.what = "the sample parts could not be copied";
  p.where = dir;
  if (from.empty()) {
    p.why = "they were not found beside the program";
    p.todo = "run the program from its source tree or an installation";
    return fail(p);
  }
  std::error_code ec;
  fs::create_directories(dir, ec);
  if (!ec)
    for (const auto& e : fs::directory_iterator(from)) {
      auto x = e.path().extension();
      if (x != ".brief" && x != ".step" && x != ".stl") continue;
      fs::copy_file(e.path(), fs::path(dir) / e.path().filename(), fs::copy_options::overwrite_existing, ec);
      if (ec) break;
      std::cout << (fs::path(dir) / e.path().filename()).string() << "\n";
    }
  if (ec) {
    p.why = ec.message();
    p.todo = "check the folder and its rights";
    return fail(p);
  }
  return 0;
}

} // namespace

int main(int argc, char** argv) {
  spdlog::set_default_logger(spdlog::stderr_logger_mt("tessel"));
  spdlog::set_level(std::getenv("TESSELITE_DEBUG") ? spdlog::level::debug : spdlog::level::warn);
  CLI::App app{"Tesselite on the command line: parts in, solver-ready meshes out"};
  app.require_subcommand(1);
  app.set_version_flag("--version", "tessel " TESSELITE_VERSION);
  std::string path, out, unit, limits, report, purpose;
  bool json = false, markdown = false, words = false, propose = false, fillsOnly = false, spacesOnly = false;
  std::optional<double> scale;
  MeshArgs m;
  auto* inspectCmd = app.add_subcommand("inspect", "what a part file holds, and its health");
  inspectCmd->add_option("PART", path)->required();
  inspectCmd->add_option("--unit", unit, "take the file's numbers in this unit");
  inspectCmd->add_flag("--json", json);
  inspectCmd->add_flag(
      "--propose", propose,
      "print a brief with the groups that the part suggests; or with cuts that make hexahedra, beside --fills");
  inspectCmd->add_flag("--spaces", spacesOnly,
                       "the cavities that its bodies leave, with their openings, and the outside");
  inspectCmd->add_flag("--fills", fillsOnly, "what each body can be filled with, and why not otherwise");
  inspectCmd->add_option("--for", purpose, "sizes of the proposed brief: for strength, heat or flow")
      ->check(CLI::IsMember(purposes()));
  auto* meshCmd = app.add_subcommand("mesh", "mesh a brief, or a bare part");
  auto* surfaceCmd = app.add_subcommand("surface", "mesh the surface alone, to look at it before the volume");
  auto* forecastCmd = app.add_subcommand("forecast", "what a mesh will cost, before it is made");
  auto* seriesCmd = app.add_subcommand("series", "mesh a brief at several sizes, coarse to fine, in one table");
  for (auto* c : {meshCmd, surfaceCmd, forecastCmd, seriesCmd}) {
    c->add_option("INPUT", m.input, "brief or part")->required();
    c->add_option("--part", m.part, "another part file in place of the brief's, for this run")->check(notEmpty);
    c->add_option("--size", m.size, "overall target, e.g. \"2 mm\"")->check(notEmpty);
    c->add_option("--min", m.min, "smallest size derived from shape")->check(notEmpty);
    c->add_option("--max", m.max, "largest size")->check(notEmpty);
    c->add_option("--growth", m.growth, "size ratio of neighbours")->check(notEmpty);
    c->add_option("--turn", m.turn, "degrees per element on curves")->check(notEmpty);
    c->add_option("--bridge", m.bridge, "edges and faces narrower than this are bridged; 0 for never");
    c->add_option("--slender", m.slender, "longest edge against the thickness of its wall; 0 lets elements be flat");
    c->add_option("--order", m.order, "1 or 2")->check(notEmpty);
    c->add_option("--fill", m.fill, "what all bodies are filled with, in a word of the rule fill")->check(notEmpty);
    c->add_option("--set", m.set, "a named value of the brief, as hole=\"2 mm\"; repeatable")->allow_extra_args(false);
    c->add_option("--unit", m.unit, "take the part file's numbers in this unit")->check(notEmpty);
  }
  meshCmd->add_option("--layers", m.layers, "layers along walls")->check(notEmpty);
  meshCmd->add_option("--first", m.first, "height of the first; without --layers, as many as the last one needs to fit")
      ->check(notEmpty);
  meshCmd->add_option("--ratio", m.growing, "of each layer's height to the one before")->check(notEmpty);
  meshCmd->add_option("--on", m.layersOn, "groups of faces on which they grow; all faces if not given")
      ->check(notEmpty);
  forecastCmd->add_flag("--json", m.json);
  for (auto* c : {meshCmd, seriesCmd}) {
    c->add_option("--out", m.out, "[FORMAT:]PATH, repeatable")->allow_extra_args(false);
    c->add_option("--report", m.report, "JSON report");
    if (c == meshCmd) {
      c->add_option("--page", m.page, "report as an HTML page");
      c->add_flag("--gate", m.gate, "write files only when nothing stands against it");
      c->add_option("--accept", m.accept, "write all the same, for this reason");
    }
    c->add_option("--threads", m.threads, "0: all cores")->check(CLI::Range(0, 1024));
    c->add_flag("--quiet", m.quiet);
    c->add_flag("--yes", m.yes, "mesh even above the brief's budget of elements");
  }
  surfaceCmd->add_option("--out", m.out, "VTP file")->required();
  surfaceCmd->add_option("--threads", m.threads, "0: all cores")->check(CLI::Range(0, 1024));
  surfaceCmd->add_flag("--quiet", m.quiet);
  seriesCmd->add_option("--ratio", m.ratio, "size of a step over the size of the next; default 1.4");
  seriesCmd->add_option("--steps", m.steps, "number of meshes; default 3");
  auto* auditCmd = app.add_subcommand("audit", "judge a mesh file");
  auditCmd->add_option("MESH", path)->required();
  auditCmd->add_option("--limits", limits, "limit set, or a .limits file");
  auditCmd->add_option("--report", report, "JSON report");
  std::string only;
  auto* improveCmd = app.add_subcommand("improve", "better elements in a mesh file; its boundary stays");
  improveCmd->add_option("MESH", path)->required();
  improveCmd->add_option("--limits", limits, "limit set of the verdict, or a .limits file");
  improveCmd->add_option("--only", only, "a group, or a range of a metric as min_dihedral:0..15");
  improveCmd->add_option("--out", m.out, "[FORMAT:]PATH, repeatable")->allow_extra_args(false);
  improveCmd->add_option("--report", report, "JSON report");
  auto* convertCmd = app.add_subcommand("convert", "read a mesh and write it in another format");
  convertCmd->add_option("IN", path)->required();
  convertCmd->add_option("OUT", out)->required();
  convertCmd->add_option("--scale", scale, "factor on coordinates; without it those of a polyMesh are in metres");
  int order = 0;
  convertCmd->add_option("--order", order, "make elements of order 1 or 2")->check(CLI::Range(1, 2));
  convertCmd->add_option("--only", only, "change the order of this region or element set only");
  std::vector<std::string> several;
  auto* compareCmd = app.add_subcommand("compare", "mesh several briefs, in one table with the rules that differ");
  compareCmd->add_option("BRIEF", several)->required()->expected(2, 20);
  compareCmd->add_option("--report", report, "JSON report");
  compareCmd->add_flag("--yes", m.yes, "mesh even above a brief's budget of elements");
  compareCmd->add_option("--threads", m.threads, "0: all cores")->check(CLI::Range(0, 1024));
  for (auto* c : {meshCmd, surfaceCmd, seriesCmd, improveCmd, compareCmd})
    c->add_option("--memory", g_memory, "most memory to use, as \"4 GB\"; nine tenths of what is free if not given")
        ->check([](const std::string& t) {
          auto amount = parseMemory(t);
          return amount ? std::string() : amount.problem().what + ": " + amount.problem().todo;
        });
  auto* limitsCmd = app.add_subcommand("limits", "a limit set as the text of a file to share");
  limitsCmd->add_option("SET", limits, "general, strength, flow, or a .limits file");
  limitsCmd->add_option("--out", out, "write it to this .limits file");
  auto* rulesCmd = app.add_subcommand("rules", "the rules a brief may hold");
  rulesCmd->add_flag("--json", json);
  rulesCmd->add_flag("--markdown", markdown);
  rulesCmd->add_flag("--words", words)->group(""); // for scripts/translations
  auto* referenceCmd = app.add_subcommand("reference", "manual page or shell completion")->group("");
  bool bash = false;
  referenceCmd->add_flag("--bash", bash, "the completion instead of the manual page");
  auto* demoCmd = app.add_subcommand("demo", "copy the sample parts and briefs to a folder");
  demoCmd->add_option("DIR", path)->required();
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    return app.exit(e) == 0 ? 0 : 2;
  }
  try {
    if (*inspectCmd && fillsOnly && propose) return proposeFills(path, unit, json);
    if (*inspectCmd && spacesOnly) return inspectSpaces(path, unit, json);
    if (*inspectCmd && fillsOnly) return inspectFills(path, unit, json);
    if (*inspectCmd) return inspect(path, unit, json, propose, purpose);
    if (*meshCmd) return meshCommand(m);
    if (*surfaceCmd) return surfaceCommand(m);
    if (*improveCmd) return improveCommand(path, limits, only, m.out, report);
    if (*forecastCmd) return forecastCommand(m);
    if (*seriesCmd) return seriesCommand(m);
    if (*auditCmd) return auditCommand(path, limits, report);
    if (*convertCmd) return convertCommand(path, out, scale, order, only);
    if (*compareCmd) return guarded(report, [&] { return compareCommand(several, m.threads, m.yes, report); });
    if (*limitsCmd) return limitsCommand(limits, out);
    if (*rulesCmd) return words ? ruleWordsCommand() : rulesCommand(json, markdown);
    if (*demoCmd) return demoCommand(path);
    if (*referenceCmd) {
      std::cout << (bash ? bashCompletion(app) : manualPage(app));
      return 0;
    }
  } catch (const std::exception& e) {
    std::cerr << "error: the program failed: " << e.what() << "\n";
    return 4;
  }
  return 2;
}
