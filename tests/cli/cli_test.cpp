// SPDX-License-Identifier: GPL-3.0-or-later
// The command line as scripts use it: exit codes, files, reports.
#include "base/file.h"
#include "support/fixtures.h"
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>
#include <sys/wait.h>

using namespace tess;
using namespace tess::test;

namespace {
int run(const std::string& args) {
  // A data folder of its own: runs here must not calibrate the user's forecasts.
  std::string data = (std::filesystem::temp_directory_path() / "tess-cli-data").string();
  int s = std::system(("XDG_DATA_HOME=" + data + " " + TESSEL + " " + args + " > /dev/null 2>&1").c_str());
  return WIFEXITED(s) ? WEXITSTATUS(s) : -1;
}
nlohmann::json json(const std::string& path) { return nlohmann::json::parse(*readFile(path)); }
} // namespace

TEST(CommandLine, exitCodesSayWhoseFaultItIs) {
  TempFolder dir;
  EXPECT_EQ(run("inspect " + demo("saddle-clamp.step")), 0);
  EXPECT_EQ(run("frobnicate"), 2);
  EXPECT_EQ(run("mesh"), 2);
  EXPECT_EQ(run("mesh " + demo("saddle-clamp.step") + " --size nonsense"), 2);
  EXPECT_EQ(run("mesh " + demo("saddle-clamp.step") + " --size 0"), 2);
  EXPECT_EQ(run("mesh " + demo("saddle-clamp.step") + " --order 3"), 2);
  EXPECT_EQ(run("mesh " + demo("saddle-clamp.step") + " --out " + (dir / "x.unknown")), 2);
  EXPECT_EQ(run("mesh " + (dir / "missing.step")), 3);
  EXPECT_EQ(run("mesh " + dir.write("bad.brief", "format = 7")), 3);
  EXPECT_EQ(run("audit " + (dir / "missing.vtu")), 3);
}

TEST(CommandLine, theGateHoldsFilesBackUntilAReasonIsGiven) {
  TempFolder dir;
  std::string part = demo("saddle-clamp.step"), out = dir / "m.inp", report = dir / "r.json";
  auto codes = [&] {
    std::set<std::string> r;
    const auto j = json(report);
    for (const auto& p : j["problems"]) r.insert(p["code"]);
    return r;
  };
  // A bare part has no named boundary.
  EXPECT_EQ(run("mesh " + part + " --size '8 mm' --gate --out " + out + " --report " + report), 1);
  EXPECT_FALSE(std::filesystem::exists(out));
  EXPECT_TRUE(codes().count("gate.no-groups"));
  EXPECT_EQ(run("mesh " + part + " --size '8 mm' --gate --accept 'only the shape matters' --out " + out + " --report " +
                report),
            0);
  EXPECT_TRUE(std::filesystem::exists(out));
  EXPECT_TRUE(codes().count("gate.overruled"));
  EXPECT_NE(readFile(report)->find("only the shape matters"), std::string::npos);
}

TEST(CommandLine, quietScriptsHearWhatHasNoEffectAndWhatStandsAgainstAFile) {
  TempFolder dir;
  const std::string brief =
      dir.write("a.brief", "format = 1\ncolour = \"x\"\n[part]\nfile = \"" + demo("saddle-clamp.step") +
                               "\"\n[[rule]]\nis = \"everywhere\"\ntaget = \"5 mm\"\n" + "[[rule]]\nis = \"sise\"\n");
  const auto said = [&](const std::string& args) {
    std::system((TESSEL + (" " + args) + " > /dev/null 2> " + (dir / "said")).c_str());
    return *readFile(dir / "said");
  };
  const std::string words = said("mesh " + brief + " --size '9 mm' --gate --quiet --out " + (dir / "m.inp"));
  for (const char* word : {"'colour'", "'taget'", "'sise'", "no boundary has a name"})
    EXPECT_NE(words.find(word), std::string::npos) << word << " in\n" << words;
  EXPECT_EQ(words.find("thin area"), std::string::npos) << "what a run found is for others";
  EXPECT_NE(said("mesh " + demo("saddle-clamp.step") + " --size ''").find("a value is missing"), std::string::npos);
  for (const char* verb : {"mesh", "forecast"}) {
    const std::string absurd = said(std::string(verb) + " " + demo("saddle-clamp.step") + " --size '1e-9 mm'");
    EXPECT_NE(absurd.find("1.7e+32 elements"), std::string::npos) << absurd;
    EXPECT_NE(absurd.find("this machine"), std::string::npos) << absurd;
  }
}

TEST(CommandLine, filesThatMayNotBeReadOrAreNoneAreToldAsThat) {
  TempFolder dir;
  EXPECT_NE(loadPart(dir.write("a.step", "x")).problem().code, "file.forbidden");
  const std::string garbage = dir.write("g.vtu", std::string("\x01\x02garbage\xff", 10));
  auto m = readMesh(garbage);
  ASSERT_FALSE(m);
  EXPECT_NE(m.problem().why.find("no VTU file"), std::string::npos) << m.problem().why;
  for (const char* name : {"s.step", "s.vtu", "s.brief"}) dir.write(name, "x");
  for (const char* name : {"s.step", "s.vtu", "s.brief"})
    std::filesystem::permissions(dir / name, std::filesystem::perms::none);
  // The superuser may read everything: as somebody else.
  const bool super = ::geteuid() == 0;
  ASSERT_TRUE(!super || ::seteuid(65534) == 0);
  const auto step = loadPart(dir / "s.step");
  const auto vtu = readMesh(dir / "s.vtu");
  const auto brief = loadBrief(dir / "s.brief");
  ASSERT_TRUE(!super || ::seteuid(0) == 0);
  EXPECT_EQ(step.problem().code, "file.forbidden");
  EXPECT_EQ(vtu.problem().code, "file.forbidden");
  EXPECT_EQ(brief.problem().code, "file.forbidden");
}

TEST(CommandLine, meshWritesAllFormatsAndTheReport) {
  TempFolder dir;
  std::string d = dir / "";
  ASSERT_EQ(run("mesh " + demo("keel-bracket.brief") + " --size '9 mm' --out inp:" + d + "k.inp --out " + d +
                "k.vtu --out foam:" + d + "case --out " + d + "k.stl --out ply:" + d + "k.ply --report " + d +
                "k.json --quiet"),
            0);
  for (const char* f : {"k.inp", "k.vtu", "k.boundary.vtp", "k.stl", "k.ply", "case/constant/polyMesh/faces"})
    EXPECT_TRUE(std::filesystem::exists(dir / f)) << f;
  auto j = json(dir / "k.json");
  EXPECT_EQ(j["status"], "ok");
  EXPECT_EQ(j["soundness"]["inverted"], 0);
  EXPECT_GT(j["elements"]["tet4"], 1000);
  EXPECT_EQ(j["metrics"]["skewness"]["by_type"]["tet4"]["max"], j["metrics"]["skewness"]["max"]);
  EXPECT_EQ(j["groups"]["bore"]["kind"], "faces");
  EXPECT_NEAR(j["groups"]["bore"]["area"].get<double>(), 2 * kPi * 12 * 32, 25);
  EXPECT_EQ(run("audit " + d + "k.inp --report " + d + "a.json"), 0);
  EXPECT_EQ(json(dir / "a.json")["nodes"], j["nodes"]);
  EXPECT_EQ(run("convert " + d + "k.vtu " + d + "m.inp --scale 0.001"), 0);
  EXPECT_EQ(run("audit " + d + "k.inp --limits strength"), 1); // linear tets
  // The surface mesh is itself a closed part.
  EXPECT_EQ(run("inspect " + d + "k.ply"), 0);
  EXPECT_EQ(run("inspect " + d + "k.stl"), 0);
}

TEST(CommandLine, identicalBytesForOneAndTwoThreads) {
  TempFolder dir;
  for (const char* n : {"1", "2"})
    ASSERT_LE(run("mesh " + demo("saddle-clamp.brief") + " --threads " + n + " --out " +
                  (dir / (std::string("t") + n + ".vtu"))),
              1);
  EXPECT_EQ(*readFile(dir / "t1.vtu"), *readFile(dir / "t2.vtu"));
  EXPECT_EQ(*readFile(dir / "t1.boundary.vtp"), *readFile(dir / "t2.boundary.vtp"));
}

TEST(CommandLine, failuresAreInTheReportToo) {
  TempFolder dir;
  EXPECT_EQ(run("mesh " +
                dir.write("open.stl", "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 "
                                      "0\nendloop\nendfacet\nendsolid a\n") +
                " --report " + (dir / "r.json")),
            3);
  auto j = json(dir / "r.json");
  EXPECT_EQ(j["status"], "input");
  EXPECT_EQ(j["problems"][0]["code"], "part.open-edges");
  EXPECT_EQ(j["problems"][0]["places"].size(), 3u);
}

TEST(CommandLine, demoCopiesBriefsThatMesh) {
  TempFolder dir;
  ASSERT_EQ(run("demo " + (dir / "d")), 0);
  EXPECT_EQ(run("mesh " + (dir / "d/saddle-clamp.brief") + " --quiet"), 0);
  EXPECT_TRUE(std::filesystem::exists(dir / "d/saddle-clamp.vtu")); // the hand-over card was obeyed
}

TEST(CommandLine, seriesGivesFinerMeshesAndFiles) {
  TempFolder dir;
  ASSERT_EQ(run("series " + demo("keel-bracket.step") + " --size 14 --ratio 1.5 --steps 3 --out " + (dir / "s.vtu") +
                " --report " + (dir / "s.json") + " --quiet"),
            0);
  auto steps = json(dir / "s.json")["steps"];
  ASSERT_EQ(steps.size(), 3u);
  for (std::size_t k = 0; k < 3; ++k) {
    EXPECT_NEAR(steps[k]["size"].get<double>(), 14 / std::pow(1.5, k), 1e-6);
    EXPECT_TRUE(std::filesystem::exists(dir / ("s-" + std::to_string(k + 1) + ".vtu")));
    if (k) {
      EXPECT_GT(steps[k]["elements"].get<int>(), steps[k - 1]["elements"].get<int>());
    }
  }
  EXPECT_EQ(run("series " + demo("keel-bracket.step") + " --ratio 0.5"), 2);
  EXPECT_EQ(run("series " + demo("keel-bracket.step") + " --steps 1"), 2);
}

TEST(CommandLine, forecastAndImproveAnswerWithTheirCodes) {
  TempFolder dir;
  EXPECT_EQ(run("forecast " + demo("keel-bracket.brief") + " --json"), 0);
  EXPECT_EQ(run("forecast " + demo("keel-bracket.brief") + " --size nonsense"), 2);
  EXPECT_EQ(run("forecast " + (dir / "missing.step")), 3);
  ASSERT_EQ(run("mesh " + demo("keel-bracket.step") + " --size 14 --quiet --out " + (dir / "k.vtu")), 0);
  EXPECT_EQ(run("improve " + (dir / "k.vtu") + " --only skewness:0.6..1 --out " + (dir / "i.vtu") + " --report " +
                (dir / "i.json")),
            0);
  auto j = json(dir / "i.json");
  EXPECT_GE(j["metrics"]["min_dihedral"]["min"].get<double>(), j["before"]["min_dihedral"].get<double>() - 1e-3);
  EXPECT_EQ(run("improve " + (dir / "k.vtu")), 2);
  EXPECT_EQ(run("improve " + (dir / "k.vtu") + " --only nobody --out " + (dir / "n.vtu")), 2);
  EXPECT_EQ(run("improve " + (dir / "missing.vtu") + " --out " + (dir / "n.vtu")), 3);
}

TEST(CommandLine, manualAndCompletionKnowEveryCommandAndOption) {
  TempFolder dir;
  auto text = [&](const std::string& args) {
    std::string out = dir / "out.txt";
    EXPECT_EQ(std::system((std::string(TESSEL) + " " + args + " > " + out).c_str()), 0) << args;
    return *readFile(out);
  };
  std::string man = text("reference"), bash = text("reference --bash");
  for (const char* command :
       {"inspect", "mesh", "forecast", "series", "audit", "improve", "convert", "rules", "demo"}) {
    EXPECT_NE(man.find(std::string(".SS ") + command), std::string::npos) << command;
    EXPECT_NE(bash.find(std::string(command) + ") options="), std::string::npos) << command;
    // Each option of the command's own help is in both.
    std::istringstream help(text(std::string(command) + " --help"));
    for (std::string word; help >> word;) {
      if (word.rfind("--", 0) != 0 || word.size() < 4) continue;
      word = word.substr(0, word.find_first_of(",= "));
      if (word == "--help") continue;
      EXPECT_NE(bash.find(word + " "), std::string::npos) << command << " " << word;
    }
  }
  EXPECT_EQ(std::system(("bash -n " + dir.write("c.bash", bash)).c_str()), 0);
}

TEST(CommandLine, proposedBriefMeshesAndItsPageStandsAlone) {
  TempFolder dir;
  std::string brief = dir / "p.brief";
  ASSERT_EQ(
      std::system((std::string(TESSEL) + " inspect " + demo("saddle-clamp.step") + " --propose > " + brief).c_str()),
      0);
  std::string page = dir / "page.html";
  ASSERT_EQ(run("mesh " + brief + " --size '8 mm' --page " + page), 0);
  auto html = readFile(page);
  ASSERT_TRUE(html.ok());
  for (const char* part : {"Limits", "Quality", "Groups", "left end", "saddle-clamp.step", "</html>"})
    EXPECT_NE(html->find(part), std::string::npos) << part;
  EXPECT_EQ(html->find("http"), std::string::npos); // nothing from outside
  EXPECT_NE(run("mesh " + demo("saddle-clamp.step") + " --size '8 mm' --page " + (dir / "no/such/page.html")), 0);
}

TEST(CommandLine, namedValuesAreSetPerRunAndPurposesProposed) {
  TempFolder dir;
  std::filesystem::copy_file(demo("saddle-clamp.step"), dir / "saddle-clamp.step");
  std::string brief = dir.write("v.brief", "format = 1\n[part]\nfile = \"saddle-clamp.step\"\n"
                                           "[[rule]]\nis = \"value\"\nname = \"h\"\nvalue = \"6 mm\"\n"
                                           "[[rule]]\nis = \"everywhere\"\ntarget = \"h\"\n");
  auto count = [&](const std::string& more) {
    EXPECT_EQ(run("mesh " + brief + more + " --quiet --report " + (dir / "r.json")), 0) << more;
    return json(dir / "r.json")["elements"]["tet4"].get<double>();
  };
  double coarse = count(""), fine = count(" --set 'h = 3 mm'");
  EXPECT_GT(fine, 1.5 * coarse);
  EXPECT_EQ(run("mesh " + brief + " --set k=3 --quiet"), 2);
  EXPECT_EQ(run("mesh " + brief + " --set h=soon --quiet"), 2);
  EXPECT_EQ(run("inspect " + demo("saddle-clamp.step") + " --propose --for flow"), 0);
  EXPECT_EQ(run("inspect " + demo("saddle-clamp.step") + " --propose --for nothing"), 2);
}

TEST(CommandLine, aSurfaceIsMeshedAloneAndKept) {
  TempFolder dir;
  const std::string part = demo("saddle-clamp.step");
  EXPECT_EQ(run("surface " + part + " --size '6 mm' --out " + (dir / "s.stl")), 2);
  ASSERT_EQ(run("surface " + part + " --size '6 mm' --out " + (dir / "s.vtp")), 0);
  const std::string brief = dir.write("a.brief", "format = 1\n[part]\nfile = \"" + part +
                                                     "\"\n[[rule]]\nis = \"everywhere\"\ntarget = \"4 mm\"\n"
                                                     "[[rule]]\nis = \"keep_surface\"\npath = \"s.vtp\"\n");
  ASSERT_EQ(run("mesh " + brief + " --report " + (dir / "r.json")), 0);
  auto surface = readSurface(dir / "s.vtp");
  ASSERT_TRUE(surface.ok());
  double area = 0;
  for (std::size_t f = 0; f < surface->faces.size(); ++f) area += faceArea(*surface, f);
  const auto j = json(dir / "r.json");
  EXPECT_NEAR(j["surface_area"].get<double>(), area, 1e-9 * area);
  EXPECT_GT(j["surface_normal_deg"]["largest"].get<double>(), 0);
  EXPECT_GT(j["verdict"]["classes"]["good"].get<int>(), 0);
}

TEST(CommandLine, bodiesThatFailAreNamedAndTheRestIsWritten) {
  TempFolder dir;
  // Two tetrahedra that run through each other, and one on its own.
  std::string stl = "solid s\n";
  for (double x : {0.0, 0.3, 5.0}) {
    const Vec3 v[4] = {{x, 0, 0}, {x + 1, 0, 0}, {x, 1, 0}, {x, 0, 1}};
    for (const auto& t : {std::array{0, 2, 1}, std::array{0, 1, 3}, std::array{0, 3, 2}, std::array{1, 2, 3}}) {
      stl += "facet normal 0 0 0\nouter loop\n";
      for (int i : t)
        stl += "vertex " + std::to_string(v[i].x()) + " " + std::to_string(v[i].y()) + " " + std::to_string(v[i].z()) +
               "\n";
      stl += "endloop\nendfacet\n";
    }
  }
  const std::string file = dir.write("three.stl", stl + "endsolid s\n");
  EXPECT_EQ(run("mesh " + file + " --size 0.4 --out " + (dir / "m.vtu") + " --report " + (dir / "r.json")), 3);
  const auto j = json(dir / "r.json");
  EXPECT_EQ(j["status"], "partial");
  EXPECT_NEAR(j["volume"].get<double>(), 1.0 / 6, 1e-6);
  EXPECT_TRUE(readMesh(dir / "m.vtu").ok());
}

TEST(CommandLine, manyFindingsOfOneKindAreCountedAndTheReportHasThemAll) {
  TempFolder dir;
  std::string brief = "format = 1\n[part]\nfile = \"" + demo("saddle-clamp.step") + "\"\n";
  for (int i = 0; i < 6; ++i)
    brief += "[[rule]]\nis = \"group\"\nname = \"none " + std::to_string(i) +
             "\"\nof = \"faces\"\ncad_name = \"nothing" + std::to_string(i) + "\"\n";
  brief += "[[rule]]\nis = \"everywhere\"\ntarget = \"8 mm\"\n";
  const std::string words = dir / "words.txt";
  const std::string command = std::string(TESSEL) + " mesh " + dir.write("g.brief", brief) + " --report " +
                              (dir / "r.json") + " > /dev/null 2> " + words;
  ASSERT_EQ(std::system(command.c_str()) & 0xff, 0);
  const std::string said = *readFile(words);
  auto count = [&](const std::string& what) {
    int n = 0;
    for (std::size_t at = 0; (at = said.find(what, at)) != std::string::npos; ++at) ++n;
    return n;
  };
  EXPECT_EQ(count("matches nothing"), 3);
  EXPECT_EQ(count("3 more of the kind group.empty"), 1);
  int all = 0;
  const auto j = json(dir / "r.json");
  for (const auto& p : j["problems"]) all += p["code"] == "group.empty";
  EXPECT_EQ(all, 6);
}

TEST(CommandLine, memoryIsLimited) {
  TempFolder dir;
  const std::string part = demo("keel-bracket.step"), out = dir / "m.vtu", report = dir / "r.json";
  // Less than the program itself takes.
  EXPECT_EQ(run("mesh " + part + " --size '3 mm' --memory '5 MB' --out " + out + " --report " + report), 4);
  EXPECT_FALSE(std::filesystem::exists(out));
  const auto j = json(report);
  EXPECT_EQ(j["status"], "failed");
  EXPECT_EQ(j["problems"][0]["code"], "memory");
  EXPECT_EQ(run("mesh " + part + " --size '6 mm' --memory '8 GB' --out " + out), 0);
  EXPECT_EQ(run("mesh " + part + " --size '6 mm' --memory plenty --out " + out), 2);
}

TEST(CommandLine, aStoppedComparisonEndsItsRunAndLeavesNothing) {
  TempFolder dir;
  std::filesystem::create_directory(dir / "tmp");
  std::filesystem::copy_file(demo("keel-bracket.step"), dir / "keel-bracket.step");
  std::string text = *readFile(demo("keel-bracket.brief"));
  text.replace(text.find("\"5 mm\""), 6, "\"0.8 mm\""); // long enough to be stopped
  const std::string brief = dir.write("fine.brief", text);
  const std::string script = "TMPDIR=" + (dir / "tmp") + " XDG_DATA_HOME=" + (dir / "data") + " " + TESSEL +
                             " compare " + brief + " " + brief + " --yes --report " + (dir / "r.json") +
                             " > /dev/null 2>&1 & p=$!; sleep 1; kill -TERM $p; wait $p; exit $?";
  const int s = std::system(script.c_str());
  ASSERT_TRUE(WIFEXITED(s));
  EXPECT_EQ(WEXITSTATUS(s), 4);
  EXPECT_EQ(json(dir / "r.json")["problems"][0]["code"], "stopped");
  EXPECT_TRUE(std::filesystem::is_empty(dir / "tmp"));
}
