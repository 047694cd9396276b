// SPDX-License-Identifier: GPL-3.0-or-later
// Random assemblies for the robustness campaign, in the manner of electronics: random_boards DIR [--count N] [--seed
// S]. A board with holes carries packages with bent leads, balls under a package, round capacitors, pin headers whose
// pins go through the board, a finned cooler on a thin pad, screws with clearance or press fit, and a lid whose rim
// stands on the board. Bodies touch on parts of faces; some overlap by a press fit. Writes STEP files with a name per
// body and DIR/parts.json.
#include <BRepAlgoAPI_Common.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <Message_PrinterOStream.hxx>
#include <STEPCAFControl_Writer.hxx>
#include <Standard_Failure.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <random>
#include <vector>

namespace {

struct Body {
  std::string name;
  TopoDS_Shape shape;
};

class Board {
public:
  explicit Board(unsigned seed) : m_random(seed) {}
  std::vector<Body> bodies;
  std::vector<std::string> history;

  void make() {
    m_length = in(40, 90);
    m_width = m_length * in(0.5, 0.9);
    m_board = box(0, 0, -kThick, m_length, m_width, 0);
    const int things = 3 + below(5);
    // Places on a grid, so that packages keep clear of each other.
    std::vector<int> places;
    for (int i = 0; i < 9; ++i) places.push_back(i);
    for (int i = 8; i > 0; --i)
      std::swap(places[static_cast<std::size_t>(i)], places[static_cast<std::size_t>(below(i + 1))]);
    for (int k = 0; k < things; ++k) {
      m_cellX = m_length / 3;
      m_cellY = m_width / 3;
      const int p = places[static_cast<std::size_t>(k)];
      m_x = m_cellX * (p % 3 + 0.5);
      m_y = m_cellY * (p / 3 + 0.5);
      switch (below(7)) {
      case 0:
      case 1:
        package(k);
        break;
      case 2:
        balls(k);
        break;
      case 3:
        capacitor(k);
        break;
      case 4:
        header(k);
        break;
      case 5:
        cooler(k);
        break;
      default:
        screw(k);
      }
    }
    if (below(3) == 0) lid();
    bodies.insert(bodies.begin(), {"board", m_board});
  }

private:
  static constexpr double kThick = 1.6;
  std::mt19937 m_random;
  TopoDS_Shape m_board;
  double m_length = 0, m_width = 0, m_x = 0, m_y = 0, m_cellX = 0, m_cellY = 0;

  double in(double a, double b) { return a + (b - a) * (static_cast<double>(m_random() >> 5) / (1u << 27)); }
  int below(int n) { return static_cast<int>(m_random() % static_cast<unsigned>(n)); }
  static TopoDS_Shape box(double x0, double y0, double z0, double x1, double y1, double z1) {
    return BRepPrimAPI_MakeBox(gp_Pnt(x0, y0, z0), gp_Pnt(x1, y1, z1)).Shape();
  }
  static TopoDS_Shape rod(double x, double y, double z0, double z1, double radius) {
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, z0), gp::DZ()), radius, z1 - z0).Shape();
  }
  void add(const std::string& name, const TopoDS_Shape& s) {
    for (TopExp_Explorer e(s, TopAbs_SOLID); e.More(); e.Next()) bodies.push_back({name, e.Current()});
  }
  void drill(double x, double y, double radius) {
    m_board = BRepAlgoAPI_Cut(m_board, rod(x, y, -2 * kThick, kThick, radius)).Shape();
  }

  /// A body with bent leads on two sides; the feet stand on the board.
  void package(int k) {
    history.push_back("package");
    const double w = 0.55 * m_cellX, d = 0.45 * m_cellY, foot = 0.15, stand = in(0.1, 0.4), high = in(1, 2.5);
    TopoDS_Shape body = box(m_x - w / 2, m_y - d / 2, stand, m_x + w / 2, m_y + d / 2, stand + high);
    if (below(2)) {
      BRepFilletAPI_MakeFillet f(body);
      for (TopExp_Explorer e(body, TopAbs_EDGE); e.More(); e.Next()) f.Add(in(0.05, 0.2), TopoDS::Edge(e.Current()));
      f.Build();
      if (f.IsDone()) body = f.Shape();
    }
    add("package-" + std::to_string(k), body);
    const int leads = 3 + below(6);
    const double pitch = w / (leads + 1), wide = 0.4 * pitch, reach = 0.2 * m_cellY;
    for (int side : {-1, 1})
      for (int i = 1; i <= leads; ++i) {
        // profile in y and z: out of the body, down, foot outwards
        const double y = side * d / 2, up = stand + 0.5 * high;
        const double q[][2] = {{y, up},
                               {y + side * reach, up},
                               {y + side * reach, foot},
                               {y + side * 2 * reach, foot},
                               {y + side * 2 * reach, 0},
                               {y + side * (reach - foot), 0},
                               {y + side * (reach - foot), up - foot},
                               {y, up - foot}};
        BRepBuilderAPI_MakePolygon p;
        const double x = m_x - w / 2 + i * pitch;
        for (const auto& c : q) p.Add(gp_Pnt(x - wide / 2, m_y + c[0], c[1]));
        p.Close();
        add("lead-" + std::to_string(k),
            BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(p.Wire()).Face(), gp_Vec(wide, 0, 0)).Shape());
      }
  }

  /// A flat package on balls that are cut flat where they touch it and the board.
  void balls(int k) {
    history.push_back("balls");
    const int n = 2 + below(4);
    const double pitch = 0.5 * std::min(m_cellX, m_cellY) / n, radius = 0.35 * pitch, high = 1.5 * radius;
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j) {
        const double x = m_x + (i - 0.5 * (n - 1)) * pitch, y = m_y + (j - 0.5 * (n - 1)) * pitch;
        add("ball-" + std::to_string(k),
            BRepAlgoAPI_Common(BRepPrimAPI_MakeSphere(gp_Pnt(x, y, high / 2), radius).Shape(),
                               box(x - pitch, y - pitch, 0, x + pitch, y + pitch, high))
                .Shape());
      }
    const double half = 0.5 * n * pitch;
    add("array-" + std::to_string(k), box(m_x - half, m_y - half, high, m_x + half, m_y + half, high + in(0.5, 1.5)));
  }

  void capacitor(int k) {
    history.push_back("capacitor");
    const double r = 0.25 * std::min(m_cellX, m_cellY), h = in(4, 12), lead = in(0.2, 0.4);
    add("can-" + std::to_string(k), rod(m_x, m_y, 0.3, h, r));
    for (int side : {-1, 1}) {
      const double x = m_x + side * 0.5 * r;
      drill(x, m_y, lead);
      add("wire-" + std::to_string(k), rod(x, m_y, -kThick - in(0.5, 2), 0.3, lead));
    }
  }

  /// Square pins in round holes: they touch along lines unless they fill the hole.
  void header(int k) {
    history.push_back("header");
    const int n = 2 + below(6);
    const double pitch = 0.7 * m_cellX / n, half = 0.15 * pitch, deep = in(0.5, 2), high = in(3, 8);
    const bool round = below(2);
    const double clearance = below(2) ? 0 : in(0.01, 0.1);
    TopoDS_Shape housing =
        box(m_x - 0.5 * n * pitch, m_y - pitch / 2, 0, m_x + 0.5 * n * pitch, m_y + pitch / 2, 0.4 * high);
    for (int i = 0; i < n; ++i) {
      const double x = m_x + (i - 0.5 * (n - 1)) * pitch;
      TopoDS_Shape pin = round ? rod(x, m_y, -kThick - deep, high, half)
                               : box(x - half, m_y - half, -kThick - deep, x + half, m_y + half, high);
      TopoDS_Shape hole = round ? rod(x, m_y, -2 * kThick, kThick, half + clearance)
                                : box(x - half - clearance, m_y - half - clearance, -2 * kThick, x + half + clearance,
                                      m_y + half + clearance, kThick);
      m_board = BRepAlgoAPI_Cut(m_board, hole).Shape();
      housing = BRepAlgoAPI_Cut(housing, pin).Shape();
      add("pin-" + std::to_string(k), pin);
    }
    add("housing-" + std::to_string(k), housing);
  }

  /// A chip, a thin pad on part of it, and a finned block on the pad.
  void cooler(int k) {
    history.push_back("cooler");
    const double w = 0.4 * m_cellX, d = 0.4 * m_cellY, chip = in(0.6, 1.5), pad = in(0.05, 0.3), foot = in(1, 2),
                 high = in(4, 10);
    add("chip-" + std::to_string(k), box(m_x - w / 2, m_y - d / 2, 0, m_x + w / 2, m_y + d / 2, chip));
    add("pad-" + std::to_string(k), box(m_x - 0.4 * w, m_y - 0.4 * d, chip, m_x + 0.4 * w, m_y + 0.4 * d, chip + pad));
    TopoDS_Shape sink = box(m_x - 0.8 * w, m_y - 0.8 * d, chip + pad, m_x + 0.8 * w, m_y + 0.8 * d, chip + pad + foot);
    const int fins = 3 + below(8);
    for (int i = 0; i < fins; ++i) {
      const double x = m_x - 0.8 * w + 1.6 * w * i / fins;
      sink = BRepAlgoAPI_Fuse(
                 sink, box(x, m_y - 0.8 * d, chip + pad, x + 0.6 * w / fins, m_y + 0.8 * d, chip + pad + foot + high))
                 .Shape();
    }
    add("sink-" + std::to_string(k), sink);
  }

  /// A screw in a hole: with clearance, fitting, or pressed in (overlapping).
  void screw(int k) {
    const int fit = below(3);
    history.push_back(fit == 0 ? "screw with clearance" : fit == 1 ? "fitting screw" : "pressed screw");
    const double r = in(0.8, 1.6), head = 1.8 * r;
    drill(m_x, m_y, fit == 0 ? r + in(0.02, 0.2) : fit == 1 ? r : r - in(0.02, 0.1));
    add("screw-" + std::to_string(k),
        BRepAlgoAPI_Fuse(rod(m_x, m_y, -kThick - 3, 0.5, r), rod(m_x, m_y, 0, in(0.8, 2), head)).Shape());
  }

  /// A thin-walled lid over everything.
  void lid() {
    history.push_back("lid");
    const double wall = in(0.5, 1.5), high = in(16, 24), rim = 0.6;
    TopoDS_Shape outer = box(0, 0, 0, m_length, m_width, high);
    add("lid", BRepAlgoAPI_Cut(outer, box(rim, rim, -1, m_length - rim, m_width - rim, high - wall)).Shape());
  }
};

void writeNamed(const std::vector<Body>& bodies, const std::string& path) {
  Handle(TDocStd_Document) doc = new TDocStd_Document("BinXCAF");
  Handle(XCAFDoc_ShapeTool) shapes = XCAFDoc_DocumentTool::ShapeTool(doc->Main());
  for (const auto& b : bodies) {
    TDF_Label l = shapes->AddShape(b.shape, false);
    TDataStd_Name::Set(l, b.name.c_str());
  }
  STEPCAFControl_Writer w;
  w.SetNameMode(true);
  w.Transfer(doc);
  w.Write(path.c_str());
}

} // namespace

int main(int argc, char** argv) {
  if (argc < 2 || argv[1][0] == '-') {
    std::fprintf(stderr, "usage: random_boards FOLDER [--count N] [--seed N]\n");
    return 2;
  }
  const std::filesystem::path dir = argv[1];
  int count = 20;
  unsigned seed = 1;
  for (int i = 2; i + 1 < argc; ++i) {
    if (!std::strcmp(argv[i], "--count")) count = std::atoi(argv[++i]);
    if (!std::strcmp(argv[i], "--seed")) seed = static_cast<unsigned>(std::atoi(argv[++i]));
  }
  std::filesystem::create_directories(dir);
  Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_PrinterOStream));
  nlohmann::json list = nlohmann::json::array();
  for (int k = 0; k < count; ++k) {
    Board b(seed * 7919u + static_cast<unsigned>(k));
    try {
      b.make();
    } catch (const Standard_Failure& e) {
      std::fprintf(stderr, "board %d: %s\n", k, e.GetMessageString());
      continue;
    }
    char name[32];
    std::snprintf(name, sizeof name, "board-%03d.step", k);
    writeNamed(b.bodies, (dir / name).string());
    int faces = 0;
    for (const auto& x : b.bodies)
      for (TopExp_Explorer f(x.shape, TopAbs_FACE); f.More(); f.Next()) ++faces;
    list.push_back({{"file", name}, {"history", b.history}, {"bodies", b.bodies.size()}, {"faces", faces}});
  }
  std::ofstream(dir / "parts.json") << list.dump(1) << '\n';
  std::printf("%zu assemblies\n", list.size());
}
