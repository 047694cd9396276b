// SPDX-License-Identifier: GPL-3.0-or-later
// The verbs on meshes of every element type, and damaged ones.
#include "base/file.h"
#include "support/boxes.h"
#include "support/fixtures.h"
#include <nlohmann/json.hpp>
#include <sys/wait.h>

using namespace tess;
using namespace tess::test;

namespace {
struct Answer {
  int code;
  std::string text;
};
Answer answerTo(const std::string& args) {
  const std::string data = (std::filesystem::temp_directory_path() / "tess-cli-data").string();
  Answer r{-1, {}};
  FILE* p = popen(("XDG_DATA_HOME=" + data + " " + TESSEL + " " + args + " 2>&1").c_str(), "r");
  if (!p) return r;
  char b[4096];
  while (std::size_t n = fread(b, 1, sizeof b, p)) r.text.append(b, n);
  const int s = pclose(p);
  r.code = WIFEXITED(s) ? WEXITSTATUS(s) : -1;
  return r;
}
std::string q(const std::string& path) { return "'" + path + "'"; }
} // namespace

TEST(EveryTypeVerbs, auditFindsWhatIsBrokenAndWhere) {
  TempFolder dir;
  auto audited = [&](const std::string& name, const Mesh& m) {
    EXPECT_FALSE(writeVtu(m, dir / (name + ".vtu"), 1));
    return answerTo("audit " + q(dir / (name + ".vtu")) + " --report " + q(dir / (name + ".json")));
  };
  const Answer good = audited("good", bar(Filling::Hybrid));
  EXPECT_EQ(good.code, 0) << good.text;
  EXPECT_EQ(good.text.find("first at"), std::string::npos);
  // One quadrilateral against two triangles.
  Mesh m = bar(Filling::Hexahedra);
  const std::vector<std::int32_t> v(m.cells.of(0).begin(), m.cells.of(0).end());
  Mesh quad = m;
  quad.cells = {};
  auto n = [&](std::size_t i) { return v[i]; };
  quad.cells.add(ElementType::Wedge6, std::vector<std::int32_t>{n(0), n(3), n(7), n(1), n(2), n(6)});
  quad.cells.add(ElementType::Wedge6, std::vector<std::int32_t>{n(0), n(7), n(4), n(1), n(6), n(5)});
  for (std::size_t c = 1; c < m.cells.size(); ++c) quad.cells.addLike(m.cells, c, m.cells.of(c));
  quad.cellRegion.assign(quad.cells.size(), 0);
  quad.groups.clear();
  rebuildFaces(quad);
  Answer s = audited("quad", quad);
  EXPECT_EQ(s.code, 1);
  EXPECT_NE(s.text.find("without sharing their corners, the first at (1, "), std::string::npos) << s.text;
  // A hexahedron with a negative corner at positive volume.
  Mesh twisted = m;
  for (auto& p : twisted.nodes)
    if ((p - Vec3(4, 2, 2)).norm() < 1e-9) p = Vec3(3.25, 1.25, 1.25);
  s = audited("twisted", twisted);
  EXPECT_EQ(s.code, 1);
  EXPECT_NE(s.text.find("1 element is inverted"), std::string::npos) << s.text;
  auto j = nlohmann::json::parse(*readFile(dir / "twisted.json"));
  EXPECT_EQ(j["soundness"]["inverted"], 1);
  EXPECT_GT(j["metrics"]["volume"]["min"], 0);
  ASSERT_EQ(j["soundness"]["flaws"].size(), 1u);
  EXPECT_EQ(j["soundness"]["flaws"][0]["places"].size(), 1u);
  // A mid node that a neighbour lacks.
  Mesh odd = bar(Filling::Hexahedra, 2);
  odd.nodes.push_back(odd.nodes[static_cast<std::size_t>(odd.cells.of(5)[17])] + Vec3(0, 0.01, 0));
  odd.cells.of(5)[17] = static_cast<std::int32_t>(odd.nodes.size()) - 1;
  s = audited("odd", odd);
  EXPECT_EQ(s.code, 1);
  EXPECT_NE(s.text.find("mid nodes that their neighbours lack"), std::string::npos) << s.text;
  EXPECT_TRUE(nlohmann::json::parse(*readFile(dir / "odd.json"))["metrics"]["height_ratio"]["min"].is_null());
}

TEST(EveryTypeVerbs, convertCompareAndImproveGoThroughThem) {
  TempFolder dir;
  ASSERT_FALSE(writeVtu(bar(Filling::Hybrid), dir / "h.vtu", 1));
  for (const std::string out : {"h.cgns", "h.exo", "h.su2", "h.inp", "foam:h"}) {
    const std::string path = out.starts_with("foam:") ? "foam:" + (dir / "h") : dir / out;
    const Answer s = answerTo("convert " + q(dir / "h.vtu") + " " + q(path));
    EXPECT_EQ(s.code, 0) << s.text;
    const Answer back = answerTo("audit " + q(out.starts_with("foam:") ? dir / "h" : path));
    EXPECT_EQ(back.code, 0) << back.text;
  }
  EXPECT_EQ(answerTo("convert " + q(dir / "h.vtu") + " " + q("exodus:" + (dir / "other")) + " --order 2").code, 0);
  EXPECT_TRUE(std::filesystem::exists(dir / "other"));
  ASSERT_FALSE(writeVtu(bar(Filling::Polyhedra), dir / "p.vtu", 1));
  const Answer refused = answerTo("convert " + q(dir / "p.vtu") + " " + q(dir / "p.exo"));
  EXPECT_EQ(refused.code, 3) << refused.text;
  EXPECT_NE(refused.text.find("choose VTU, polyMesh or CGNS"), std::string::npos) << refused.text;
  EXPECT_FALSE(std::filesystem::exists(dir / "p.exo"));
  // A hybrid is improved, its boundary stays; where no node may move it is refused.
  const Answer better = answerTo("improve " + q(dir / "h.vtu") + " --out " + q(dir / "b.vtu"));
  EXPECT_EQ(better.code, 0) << better.text;
  auto improved = readMesh(dir / "b.vtu");
  ASSERT_TRUE(improved.ok());
  EXPECT_EQ(std::count(improved->cells.type.begin(), improved->cells.type.end(), ElementType::Hex8), 4);
  EXPECT_NEAR(meshVolume(*improved), 16, 1e-9);
  ASSERT_FALSE(writeVtu(bar(Filling::Hexahedra, 2), dir / "x.vtu", 1));
  const Answer none = answerTo("improve " + q(dir / "x.vtu") + " --out " + q(dir / "y.vtu"));
  EXPECT_EQ(none.code, 3) << none.text;
  EXPECT_NE(none.text.find("all nodes lie on its boundary"), std::string::npos) << none.text;
}

TEST(EveryTypeVerbs, meshesOfAllFormatsAreParts) {
  TempFolder dir;
  for (const std::string name : {"h.vtu", "h.inp", "h.cgns", "h.exo", "h.su2"}) {
    ASSERT_FALSE(writeMesh(bar(Filling::Hybrid), *meshFormatOfPath(name), dir / name));
    const Answer s =
        answerTo("mesh " + q(dir / name) + " --report " + q(dir / "r.json") + " --out " + q(dir / "out.vtu"));
    EXPECT_EQ(s.code, 0) << name << s.text;
    const auto j = nlohmann::json::parse(*readFile(dir / "r.json"));
    EXPECT_EQ(j["elements"]["hex8"], 4) << name;
    EXPECT_EQ(j["groups"]["left"]["area"], 4) << name;
  }
  // Another part for one run of a brief; the version.
  const std::string brief = dir.write(
      "b.brief", "format = 1\n[part]\nfile = \"nowhere.step\"\n[[rule]]\nis = \"everywhere\"\ntarget = \"8 mm\"\n");
  EXPECT_EQ(answerTo("mesh " + q(brief)).code, 3);
  const Answer swapped = answerTo("mesh " + q(brief) + " --part " + q(demo("saddle-clamp.step")));
  EXPECT_EQ(swapped.code, 0) << swapped.text;
  EXPECT_EQ(answerTo("mesh " + q(demo("saddle-clamp.step")) + " --part " + q(demo("saddle-clamp.step"))).code, 2);
  const Answer version = answerTo("--version");
  EXPECT_EQ(version.code, 0);
  EXPECT_EQ(version.text.substr(0, 7), "tessel ");
}

TEST(EveryTypeVerbs, compareStandsMeshesOfDifferentTypesSideBySide) {
  TempFolder dir;
  auto brief = [&](const std::string& name, const Mesh& m) {
    EXPECT_FALSE(writeVtu(m, dir / (name + ".vtu"), 1));
    return q(dir.write(name + ".brief", "format = 1\n[part]\nfile = \"" + name +
                                            ".vtu\"\n[[rule]]\nis = \"take_mesh\"\n[[rule]]\nis = \"judge\"\n"));
  };
  const Mesh hexahedra = bar(Filling::Hexahedra), hybrid = bar(Filling::Hybrid, 2);
  const Answer s = answerTo("compare " + brief("hexahedra", hexahedra) + " " + brief("hybrid", hybrid) + " --report " +
                            q(dir / "r.json"));
  EXPECT_EQ(s.code, 0) << s.text;
  EXPECT_NE(s.text.find("part hexahedra.vtu -> part hybrid.vtu"), std::string::npos) << s.text;
  const auto j = nlohmann::json::parse(*readFile(dir / "r.json"))["alternatives"];
  ASSERT_EQ(j.size(), 2u);
  EXPECT_EQ(j[0]["elements"], hexahedra.cells.size());
  EXPECT_EQ(j[1]["elements"], hybrid.cells.size());
  EXPECT_EQ(j[1]["nodes"], hybrid.nodes.size());
}
