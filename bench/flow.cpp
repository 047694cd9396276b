// SPDX-License-Identifier: GPL-3.0-or-later
// Campaign over flow spaces with layers on their walls: bench_flow TESSEL DIR [--each N] [--seed S] [--only FAMILY].
// Ducts, elbows, manifolds, steps, fins, gaps, cusps, balls in tubes, wings, nozzles and blocks with holes cut into
// them, of irregular sizes, are written to DIR as STEP and, every fourth, as STL; each is meshed with layers at three
// first heights. Prints a line per mesh and a table by family. Exit code 1 when a run failed or a mesh is unsound.
#include "random.h"
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeRevol.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <Bnd_Box.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <STEPControl_Writer.hxx>
#include <Standard_Failure.hxx>
#include <StlAPI_Writer.hxx>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <gp_Circ.hxx>
#include <map>
#include <nlohmann/json.hpp>
#include <string>
#include <sys/wait.h>
#include <vector>

namespace {
namespace fs = std::filesystem;
using nlohmann::json;

struct Space {
  TopoDS_Shape shape;
  std::vector<gp_Pnt> openings; ///< a point on each
};

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
TopoDS_Face face(const std::vector<gp_Pnt>& p) {
  BRepBuilderAPI_MakePolygon m;
  for (const auto& q : p) m.Add(q);
  m.Close();
  return BRepBuilderAPI_MakeFace(m.Wire(), true).Face();
}
const gp_Dir X(1, 0, 0), Y(0, 1, 0), Z(0, 0, 1);

Space duct(Random& r) {
  const double l = r.in(60, 120), b = r.in(20, 40), c = r.in(20, 40);
  if (r.chance(0.5)) return {box(0, 0, 0, l, b, c), {{0, b / 2, c / 2}, {l, b / 2, c / 2}}};
  return {cylinder({0, 0, 0}, X, b / 2, l), {{0, 0, 0}, {l, 0, 0}}};
}
Space elbow(Random& r) {
  const double radius = r.in(8, 16), bend = radius * r.in(1.4, 3), l = r.in(20, 50);
  const gp_Circ c(gp_Ax2({bend, 0, 0}, Z), radius);
  const TopoDS_Face disc =
      BRepBuilderAPI_MakeFace(BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(c).Edge()).Wire()).Face();
  TopoDS_Shape s = BRepPrimAPI_MakeRevol(disc, gp_Ax1({0, 0, 0}, Y), -M_PI / 2).Shape();
  s = fused(s, cylinder({bend, 0, -l}, Z, radius, l));
  return {fused(s, cylinder({-l, 0, bend}, X, radius, l)), {{bend, 0, -l}, {-l, 0, bend}}};
}
Space manifold(Random& r) {
  const double l = r.in(90, 140), radius = r.in(10, 16), h = r.in(35, 60);
  TopoDS_Shape s = cylinder({0, 0, 0}, X, radius, l);
  Space m{s, {{0, 0, 0}}};
  for (int k = 0; k < 3; ++k) {
    const double x = l * (0.2 + 0.3 * k), q = radius * r.in(0.4, 0.75);
    m.shape = fused(m.shape, cylinder({x, 0, 0}, Z, q, h));
    m.openings.push_back({x, 0, h});
  }
  return m;
}
Space step(Random& r) {
  const double l = r.in(80, 140), b = r.in(15, 40), c = r.in(25, 40), x = l * r.in(0.2, 0.4), h = c * r.in(0.2, 0.5);
  return {cut(box(0, 0, 0, l, b, c), box(-1, -1, -1, x + 1, b + 2, h + 1)),
          {{0, b / 2, (c + h) / 2}, {l, b / 2, c / 2}}};
}
Space fins(Random& r) {
  const double l = r.in(80, 120), b = r.in(40, 60), c = r.in(20, 40);
  TopoDS_Shape s = box(0, 0, 0, l, b, c);
  const int n = 2 + r.below(3);
  for (int k = 0; k < n; ++k) {
    const double t = r.in(1.5, 4), y = b * (k + 1) / (n + 1) - t / 2;
    s = cut(s, box(l * 0.3, y, r.chance(0.5) ? -1 : c * 0.2, l * 0.4, t, c * r.in(0.5, 0.9)));
  }
  return {s, {{0, b / 2, c / 2}, {l, b / 2, c / 2}}};
}
Space gap(Random& r) {
  const double l = r.in(80, 120), b = r.in(20, 40), c = r.in(25, 40), w = c * r.in(0.03, 0.25);
  // A block that leaves a narrow gap above itself.
  return {cut(box(0, 0, 0, l, b, c), box(l * 0.35, -1, -1, l * 0.3, b + 2, c - w + 1)),
          {{0, b / 2, c / 2}, {l, b / 2, c / 2}}};
}
Space cusp(Random& r) {
  // A bar that lies on the floor, and the channel narrows beside it to nothing, or nearly.
  const double l = r.in(80, 120), b = r.in(20, 40), c = r.in(25, 40), q = c * r.in(0.15, 0.3),
               sunk = q * r.in(0.05, 0.5);
  return {cut(box(0, 0, 0, l, b, c), cylinder({l * 0.4, -1, q - sunk}, Y, q, b + 2)),
          {{0, b / 2, c * 0.9}, {l, b / 2, c / 2}}};
}
Space ball(Random& r) {
  const double l = r.in(80, 120), q = r.in(14, 22);
  return {cut(cylinder({0, 0, 0}, X, q, l),
              BRepPrimAPI_MakeSphere(gp_Pnt(l * 0.4, q * r.in(0, 0.2), 0), q * r.in(0.3, 0.75)).Shape()),
          {{0, 0, 0}, {l, 0, 0}}};
}
Space wing(Random& r) {
  const double l = r.in(100, 160), b = r.in(20, 40), c = r.in(50, 80), chord = l * r.in(0.2, 0.35),
               thick = chord * r.in(0.08, 0.16), x0 = l * 0.3, z0 = c * r.in(0.4, 0.6);
  std::vector<gp_Pnt> p;
  const int n = 14;
  auto half = [&](double t) {
    return 5 * thick *
           (0.2969 * std::sqrt(t) - 0.126 * t - 0.3516 * t * t + 0.2843 * t * t * t - 0.1036 * t * t * t * t);
  };
  for (int k = 0; k <= n; ++k) {
    const double t = std::pow(1.0 * k / n, 1.5);
    p.push_back({x0 + chord * t, -1, z0 + half(t)});
  }
  for (int k = n - 1; k > 0; --k) {
    const double t = std::pow(1.0 * k / n, 1.5);
    p.push_back({x0 + chord * t, -1, z0 - half(t)});
  }
  return {
      cut(box(0, 0, 0, l, b, c), BRepPrimAPI_MakePrism(face(p), gp_Vec(0, r.chance(0.5) ? b + 2 : b * 0.6, 0)).Shape()),
      {{0, b / 2, c / 2}, {l, b / 2, c / 2}}};
}
Space nozzle(Random& r) {
  const double l = r.in(60, 100), a = r.in(14, 22), t = a * r.in(0.25, 0.6), e = a * r.in(0.5, 1);
  const TopoDS_Face f = face({{0, 0, 0}, {0, 0, a}, {l * 0.3, 0, a}, {l * 0.6, 0, t}, {l, 0, e}, {l, 0, 0}});
  return {BRepPrimAPI_MakeRevol(f, gp_Ax1({0, 0, 0}, X)).Shape(), {{0, 0, a / 2}, {l, 0, e / 2}}};
}
Space blocks(Random& r) {
  const double l = r.in(80, 120), b = r.in(50, 80), c = r.in(40, 60);
  TopoDS_Shape s = box(0, 0, 0, l, b, c);
  const int n = 2 + r.below(3);
  for (int k = 0; k < n; ++k) {
    const gp_Pnt at(l * r.in(0.25, 0.6), b * r.in(0.1, 0.6), c * r.in(-0.2, 0.5));
    if (r.chance(0.5))
      s = cut(s, BRepPrimAPI_MakeBox(gp_Ax2(at, gp_Dir(r.in(-1, 1), r.in(-1, 1), r.in(0.2, 1))), l * r.in(0.1, 0.2),
                                     b * r.in(0.1, 0.3), c * r.in(0.2, 0.4))
                     .Shape());
    else
      s = cut(s, cylinder(at, gp_Dir(r.in(-1, 1), r.in(-1, 1), r.in(-1, 1)), c * r.in(0.08, 0.2), c * r.in(0.2, 0.5)));
  }
  return {s, {{0, b * 0.93, c * 0.93}, {l, b * 0.93, c * 0.93}}};
}

struct Family {
  const char* name;
  Space (*make)(Random&);
};
constexpr Family kFamilies[] = {{"duct", duct}, {"elbow", elbow},   {"manifold", manifold}, {"step", step},
                                {"fins", fins}, {"gap", gap},       {"cusp", cusp},         {"ball", ball},
                                {"wing", wing}, {"nozzle", nozzle}, {"blocks", blocks}};

int shell(const std::string& c) {
  const int s = std::system(c.c_str());
  return WIFEXITED(s) ? WEXITSTATUS(s) : 255;
}
std::string text(double x) {
  char b[32];
  std::snprintf(b, sizeof b, "%.6g", x);
  return b;
}

struct Sum {
  int meshes = 0, sound = 0, failed = 0, unsound = 0;
  double area = 0, full = 0, fewer = 0, none = 0, first = 0, seconds = 0, worst = 0;
};

} // namespace

int main(int argc, char** argv) {
  if (argc < 3) {
    std::fprintf(stderr, "bench_flow TESSEL DIR [--each N] [--seed S] [--only FAMILY]\n");
    return 2;
  }
  const std::string tessel = fs::absolute(argv[1]).string();
  const fs::path dir = argv[2];
  int each = 10;
  std::uint64_t seed = 1;
  std::string only;
  for (int i = 3; i < argc; ++i) {
    if (!std::strcmp(argv[i], "--each") && i + 1 < argc)
      each = std::atoi(argv[++i]);
    else if (!std::strcmp(argv[i], "--seed") && i + 1 < argc)
      seed = std::strtoull(argv[++i], nullptr, 10);
    else if (!std::strcmp(argv[i], "--only") && i + 1 < argc)
      only = argv[++i];
  }
  fs::create_directories(dir);
  Message::DefaultMessenger()->ChangePrinters().Clear();
  std::map<std::string, Sum> table;
  bool bad = false;
  std::uint64_t number = seed * 100000;
  for (const Family& family : kFamilies)
    for (int k = 0; k < each; ++k) {
      Space space;
      for (int attempt = 0; attempt < 20; ++attempt) {
        Random r(++number);
        try {
          space = family.make(r);
          if (!space.shape.IsNull() && BRepCheck_Analyzer(space.shape).IsValid()) break;
        } catch (const Standard_Failure&) {
        }
      }
      if (!only.empty() && only != family.name) continue;
      const std::string name = std::string(family.name) + "-" + std::to_string(k + 1);
      const bool facets = k % 4 == 3;
      const std::string file = name + (facets ? ".stl" : ".step");
      Bnd_Box b;
      BRepBndLib::AddOptimal(space.shape, b, false, false);
      const double size = std::sqrt(b.SquareExtent()) / 30;
      if (facets) {
        BRepMesh_IncrementalMesh(space.shape, 0.02 * size, false, 0.15);
        StlAPI_Writer().Write(space.shape, (dir / file).c_str());
      } else {
        STEPControl_Writer w;
        w.Transfer(space.shape, STEPControl_AsIs);
        w.Write((dir / file).c_str());
      }
      for (int h = 0; h < 3; ++h) {
        // Thick and few, thin and ten, very thin and as many as needed.
        const double first = size * (h == 0 ? 0.15 : h == 1 ? 0.02 : 0.002);
        const std::string id = name + "-" + std::to_string(h + 1), brief = (dir / (id + ".brief")).string(),
                          report = (dir / (id + ".report.json")).string();
        std::ofstream o(brief);
        o << "format = 1\n\n[part]\nfile = \"" << file << "\"\n"
          << (facets ? "unit = \"mm\"\n" : "")
          << "\n[[rule]]\nis = \"group\"\nname = \"openings\"\nof = \"faces\"\nnearest = \"";
        for (std::size_t i = 0; i < space.openings.size(); ++i) {
          const gp_Pnt& p = space.openings[i];
          o << (i ? "; " : "") << "(" << text(p.X()) << ", " << text(p.Y()) << ", " << text(p.Z()) << ")";
        }
        o << "\"\n\n[[rule]]\nis = \"group\"\nname = \"walls\"\nof = \"faces\"\nexcept = \"openings\"\n"
          << "\n[[rule]]\nis = \"everywhere\"\ntarget = \"" << text(size) << " mm\"\n"
          << "\n[[rule]]\nis = \"layers\"\non = \"walls\"\nfirst = \"" << text(first) << " mm\"\n"
          << (h == 0   ? "count = 3\nratio = 1.3\n"
              : h == 1 ? "count = 10\nratio = 1.2\n"
                       : "ratio = 1.25\n")
          << "\n[[rule]]\nis = \"judge\"\npurpose = \"flow\"\n";
        o.close();
        const auto begin = std::chrono::steady_clock::now();
        const int code =
            shell("cd '" + dir.string() + "' && timeout 300 '" + tessel + "' mesh '" + id + ".brief' --out 'vtu:" + id +
                  ".vtu' --report '" + id + ".report.json' > '" + id + ".log' 2>&1");
        Sum& sum = table[family.name];
        ++sum.meshes;
        const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
        sum.seconds += seconds;
        sum.worst = std::max(sum.worst, seconds);
        const json j = json::parse(std::ifstream(report), nullptr, false);
        if (j.is_discarded() || (code != 0 && code != 1 && code != 3)) {
          ++sum.failed;
          bad = true;
          std::printf("%-16s FAILED, exit %d\n", id.c_str(), code);
          continue;
        }
        const bool sound = j.at("soundness").at("sound").get<bool>();
        (sound ? sum.sound : sum.unsound) += 1;
        bad = bad || !sound;
        const json layers = j.value("layers", json::array());
        if (layers.empty()) {
          std::printf("%-16s %s, no layers\n", id.c_str(), sound ? "sound" : "UNSOUND");
          continue;
        }
        const json& l = layers.front();
        const double area = l.at("area").get<double>();
        sum.area += 1;
        sum.full += l.at("area_full").get<double>() / area;
        sum.fewer += l.at("area_fewer").get<double>() / area;
        sum.none += l.at("area_none").get<double>() / area;
        sum.first += l.at("first_height").at("area_within_5_percent").get<double>();
        std::printf("%-16s %s full %5.1f%% fewer %5.1f%% none %5.1f%%  first %5.1f%%  %.1f s\n", id.c_str(),
                    sound ? "sound" : "UNSOUND", 100 * l.at("area_full").get<double>() / area,
                    100 * l.at("area_fewer").get<double>() / area, 100 * l.at("area_none").get<double>() / area,
                    100 * l.at("first_height").at("area_within_5_percent").get<double>(), seconds);
        std::fflush(stdout);
      }
    }
  std::printf("\n| family | meshes | sound | failed | full | fewer | none | first within 5 %% | s a mesh | longest |\n"
              "|---|---:|---:|---:|---:|---:|---:|---:|---:|---:|\n");
  for (const auto& [name, s] : table)
    std::printf("| %s | %d | %d | %d | %.1f %% | %.1f %% | %.1f %% | %.1f %% | %.1f | %.1f |\n", name.c_str(), s.meshes,
                s.sound, s.failed, 100 * s.full / s.area, 100 * s.fewer / s.area, 100 * s.none / s.area,
                100 * s.first / s.area, s.seconds / s.meshes, s.worst);
  return bad ? 1 : 0;
}
