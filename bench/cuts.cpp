// SPDX-License-Identifier: GPL-3.0-or-later
// Campaign over cuts that are proposed: bench_cuts TESSEL DIR [--each N] [--seed S] [--mesh]. Turned, milled and
// stacked parts of irregular sizes, none of which is a brick or a prism, are written to DIR; for each the program is
// asked for cuts that make hexahedra of it. With --mesh the briefs are meshed as well, at 1/30 of the diagonal. Prints
// a line per part and a table by family. Exit code 1 when a run failed, took over 40 s, or a mesh is unsound.
#include "random.h"
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeRevol.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <STEPControl_Writer.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <Standard_Failure.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <string>
#include <sys/wait.h>
#include <vector>

namespace {
namespace fs = std::filesystem;
using nlohmann::json;

TopoDS_Shape box(double x, double y, double z, double a, double b, double c) {
  return BRepPrimAPI_MakeBox(gp_Pnt(x, y, z), a, b, c).Shape();
}
TopoDS_Shape cylinder(const gp_Pnt& at, const gp_Dir& along, double r, double h) {
  return BRepPrimAPI_MakeCylinder(gp_Ax2(at, along), r, h).Shape();
}
TopoDS_Shape cut(const TopoDS_Shape& a, const TopoDS_Shape& b) { return BRepAlgoAPI_Cut(a, b).Shape(); }
TopoDS_Shape fused(const TopoDS_Shape& a, const TopoDS_Shape& b) {
  BRepAlgoAPI_Fuse f(a, b);
  f.SimplifyResult();
  return f.Shape();
}
const gp_Dir X(1, 0, 0), Y(0, 1, 0), Z(0, 0, 1);

/// A stepped shaft with a hole across one of its discs, flats or a keyway; bored through or not.
TopoDS_Shape turned(Random& r) {
  TopoDS_Shape s;
  double z = 0;
  const int discs = 2 + r.below(3);
  std::vector<std::array<double, 3>> all;
  for (int k = 0; k < discs; ++k) {
    const double radius = r.in(12, 40), h = r.in(12, 40);
    const TopoDS_Shape d = cylinder({0, 0, z}, Z, radius, h);
    s = s.IsNull() ? d : fused(s, d);
    all.push_back({radius, z, h});
    z += h;
  }
  double least = 1e9;
  for (const auto& d : all) least = std::min(least, d[0]);
  if (r.chance(0.6)) s = cut(s, cylinder({0, 0, -1}, Z, least * r.in(0.3, 0.6), z + 2));
  const auto& d = all[static_cast<std::size_t>(r.below(discs))];
  switch (r.below(3)) {
  case 0: // flats
    s = cut(s, box(d[0] * 0.75, -50, d[1], 50, 100, d[2]));
    if (r.chance(0.5)) s = cut(s, box(-d[0] * 0.75 - 50, -50, d[1], 50, 100, d[2]));
    break;
  case 1: // a keyway at an end
    s = cut(s, box(d[0] * 0.8, -d[0] * 0.15, z - d[2] * 0.5, 50, d[0] * 0.3, d[2]));
    break;
  default: // holes along, on a circle
    for (int k = 0, n = 3 + r.below(3); k < n; ++k) {
      const double a = 2 * M_PI * k / n, on = least * 0.8;
      s = cut(s, cylinder({on * std::cos(a), on * std::sin(a), -1}, Z, least * 0.1, z + 2));
    }
  }
  return s;
}

/// A block with steps, pockets, slots and holes from several sides.
TopoDS_Shape milled(Random& r) {
  const double a = r.in(60, 110), b = r.in(40, 80), c = r.in(25, 50);
  TopoDS_Shape s = box(0, 0, 0, a, b, c);
  const int features = 2 + r.below(3);
  for (int k = 0; k < features; ++k) switch (r.below(6)) {
    case 0: // a step along one end
      s = cut(s, box(a * r.in(0.6, 0.8), -1, c * r.in(0.4, 0.7), a, b + 2, c));
      break;
    case 1: // a slot across
      s = cut(s, box(a * r.in(0.2, 0.4), -1, c * r.in(0.5, 0.8), a * r.in(0.1, 0.2), b + 2, c));
      break;
    case 2: // a pocket
      s = cut(s, box(a * 0.15, b * 0.25, c * r.in(0.4, 0.7), a * r.in(0.2, 0.4), b * r.in(0.3, 0.5), c));
      break;
    case 3: // a hole down
      s = cut(s, cylinder({a * r.in(0.15, 0.85), b * r.in(0.3, 0.7), -1}, Z, b * r.in(0.06, 0.12), c + 2));
      break;
    case 4: // a hole across
      s = cut(s, cylinder({a * r.in(0.2, 0.8), -1, c * r.in(0.15, 0.3)}, Y, c * r.in(0.06, 0.1), b + 2));
      break;
    default: // a corner taken off
      s = cut(s, box(a * r.in(0.7, 0.85), b * r.in(0.6, 0.8), -1, a, b, c + 2));
    }
  return s;
}

/// Blocks, plates and bosses on each other; some with a rounded corner between them.
TopoDS_Shape stacked(Random& r) {
  const double a = r.in(60, 110), b = r.in(40, 80), c = r.in(10, 20);
  TopoDS_Shape s = box(0, 0, 0, a, b, c);
  const double w = r.in(10, 18), h = r.in(30, 60);
  switch (r.below(4)) {
  case 0: // a bracket: an upright plate at one end, with a hole
    s = fused(s, box(0, 0, 0, w, b, h));
    s = cut(s, cylinder({-1, b * 0.5, 0.5 * (c + h)}, X, 0.2 * std::min(b, h - c), w + 2));
    break;
  case 1: // a rib on a plate
    s = fused(s, box(0, 0.5 * (b - w), 0, a, w, h));
    break;
  case 2: { // a boss with a bore
    const double radius = r.in(0.2, 0.35) * b;
    s = fused(s, cylinder({0.5 * a, 0.5 * b, 0}, Z, radius, h));
    s = cut(s, cylinder({0.5 * a, 0.5 * b, -1}, Z, 0.5 * radius, h + 2));
    break;
  }
  default: // two cheeks
    s = fused(fused(s, box(0, 0, 0, w, b, h)), box(a - w, 0, 0, w, b, h));
    s = cut(s, cylinder({-1, b * 0.5, 0.7 * h}, X, 0.15 * b, a + 2));
  }
  if (r.chance(0.5)) s = fused(s, box(a * 0.3, -0.3 * b, 0, a * 0.25, 0.3 * b + 1, c));
  for (int k = 0, n = r.below(3); k < n; ++k)
    s = cut(s, cylinder({a * (k ? 0.85 : 0.7), b * (k ? 0.2 : 0.82), -1}, Z, 0.05 * b, c + 2));
  if (r.chance(0.3)) { // one inner corner rounded
    BRepFilletAPI_MakeFillet round(s);
    for (TopExp_Explorer e(s, TopAbs_EDGE); e.More(); e.Next()) {
      TopoDS_Vertex u, v;
      TopExp::Vertices(TopoDS::Edge(e.Current()), u, v);
      const gp_Pnt p = BRep_Tool::Pnt(u), q = BRep_Tool::Pnt(v);
      auto on = [&](const gp_Pnt& x) { return std::abs(x.Z() - c) < 1e-6 && std::abs(x.X() - w) < 1e-6; };
      if (on(p) && on(q) && p.Distance(q) > 1) {
        round.Add(0.3 * w, TopoDS::Edge(e.Current()));
        break;
      }
    }
    if (round.NbContours() > 0) {
      round.Build();
      if (round.IsDone()) s = round.Shape();
    }
  }
  return s;
}

struct Family {
  const char* name;
  TopoDS_Shape (*make)(Random&);
};
constexpr Family kFamilies[] = {{"turned", turned}, {"milled", milled}, {"stacked", stacked}};

int shell(const std::string& c) {
  const int s = std::system(c.c_str());
  return WIFEXITED(s) ? WEXITSTATUS(s) : 255;
}
json read(const fs::path& p) { return json::parse(std::ifstream(p), nullptr, false); }

struct Sum {
  int parts = 0, already = 0, all = 0, better = 0, none = 0, failed = 0, cuts = 0;
  double seconds = 0, longest = 0, worst = 1;
};

} // namespace

int main(int argc, char** argv) {
  if (argc < 3) {
    std::fprintf(stderr, "bench_cuts TESSEL DIR [--each N] [--seed S] [--mesh]\n");
    return 2;
  }
  const std::string tessel = fs::absolute(argv[1]).string();
  const fs::path dir = argv[2];
  int each = 14;
  std::uint64_t seed = 1;
  bool meshToo = false;
  for (int i = 3; i < argc; ++i) {
    if (!std::strcmp(argv[i], "--each") && i + 1 < argc)
      each = std::atoi(argv[++i]);
    else if (!std::strcmp(argv[i], "--seed") && i + 1 < argc)
      seed = std::strtoull(argv[++i], nullptr, 10);
    else if (!std::strcmp(argv[i], "--mesh"))
      meshToo = true;
  }
  fs::create_directories(dir);
  Message::DefaultMessenger()->ChangePrinters().Clear();
  std::map<std::string, Sum> table;
  bool bad = false;
  std::uint64_t number = seed * 100000;
  for (const Family& family : kFamilies)
    for (int k = 0; k < each; ++k) {
      TopoDS_Shape shape;
      for (int attempt = 0; attempt < 20; ++attempt) {
        Random r(++number);
        try {
          shape = family.make(r);
          if (!shape.IsNull() && BRepCheck_Analyzer(shape).IsValid()) break;
        } catch (const Standard_Failure&) {
        }
      }
      const std::string name = std::string(family.name) + "-" + std::to_string(k + 1);
      const std::string step = fs::absolute(dir / (name + ".step")).string(), out = (dir / (name + ".json")).string(),
                        brief = (dir / (name + ".brief")).string(), report = (dir / (name + ".report.json")).string();
      STEPControl_Writer w;
      w.Transfer(shape, STEPControl_AsIs);
      w.Write(step.c_str());
      const auto begin = std::chrono::steady_clock::now();
      const int code = shell("timeout 120 '" + tessel + "' inspect --fills --propose --json '" + step + "' > '" + out +
                             "' 2> /dev/null");
      const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
      Sum& sum = table[family.name];
      ++sum.parts;
      sum.seconds += seconds;
      sum.longest = std::max(sum.longest, seconds);
      const json j = read(out);
      if (code || !j.is_object() || seconds > 40) {
        ++sum.failed;
        bad = true;
        std::printf("%-12s failed: code %d, %.1f s\n", name.c_str(), code, seconds);
        continue;
      }
      const double before = j["before"], after = j["after"];
      const int cuts = j["cuts"];
      sum.cuts += cuts;
      const char* verdict = "none";
      if (before > 1 - 1e-9)
        ++sum.already, verdict = "needs none";
      else if (after > 1 - 1e-9)
        ++sum.all, verdict = "all";
      else if (after > before)
        ++sum.better, verdict = "some";
      else
        ++sum.none;
      std::printf("%-12s %-10s %5.1f -> %5.1f %%, %2d cuts, %2d pieces, %3d tried, %5.1f s", name.c_str(), verdict,
                  100 * before, 100 * after, cuts, j["pieces"].get<int>(), j["tried"].get<int>(), seconds);
      if (meshToo) {
        std::ofstream(brief) << j["brief"].get<std::string>();
        Bnd_Box b;
        BRepBndLib::Add(shape, b);
        const int done = shell("timeout 300 '" + tessel + "' mesh '" + brief + "' --size " +
                               std::to_string(std::sqrt(b.SquareExtent()) / 30) + " --quiet --report '" + report +
                               "' > /dev/null 2> /dev/null");
        const json m = read(report);
        if ((done != 0 && done != 1) || !m.is_object()) {
          bad = true;
          std::printf(", mesh failed: code %d", done);
        } else {
          double hexahedra = 0, cells = 0;
          for (const auto& [type, n] : m["elements"].items()) {
            cells += n.get<double>();
            if (type.rfind("hex", 0) == 0) hexahedra += n.get<double>();
          }
          bad = bad || !m["soundness"]["sound"].get<bool>();
          const double worst = m["metrics"]["scaled_jacobian"]["min"];
          sum.worst = std::min(sum.worst, worst);
          std::printf(", %.0f cells, %.1f %% hexahedra, worst %.3f", cells, 100 * hexahedra / std::max(1.0, cells),
                      worst);
        }
      }
      std::printf("\n");
      std::fflush(stdout);
    }
  std::printf(
      "\n| family | parts | need none | all of it | some of it | nothing found | failed | cuts | s on average | s at "
      "most |\n|---|---|---|---|---|---|---|---|---|---|\n");
  for (const auto& [name, s] : table)
    std::printf("| %s | %d | %d | %d | %d | %d | %d | %.1f | %.1f | %.1f |\n", name.c_str(), s.parts, s.already, s.all,
                s.better, s.none, s.failed,
                s.parts > s.already ? static_cast<double>(s.cuts) / (s.parts - s.already) : 0.0, s.seconds / s.parts,
                s.longest);
  return bad ? 1 : 0;
}
