// SPDX-License-Identifier: GPL-3.0-or-later
// What is written replaces what was there as a whole, wherever a process ends and whatever the disk holds.
#include "base/checksum.h"
#include "base/file.h"
#include "support/fixtures.h"

using namespace tess;
using namespace tess::test;
namespace fs = std::filesystem;

namespace {
std::string textAt(const std::string& path) {
  auto t = readFile(path);
  return t ? *t : "(none)";
}
std::size_t entries(const std::string& folder) {
  return static_cast<std::size_t>(std::distance(fs::directory_iterator(folder), fs::directory_iterator()));
}
bool keepNotes(const std::string& name) { return name == "notes" || name == "more"; }
} // namespace

TEST(Files, listOfRenamesIsCarriedOutByTheReader) {
  TempFolder dir;
  // As a process leaves them that is killed after the first of two renames.
  dir.write("a.vtu", "new a");
  dir.write("a.vtp", "old b");
  dir.write("a.vtp.part7", "new b");
  dir.write("a.vtu.commit", "a.vtu.part7\na.vtu\na.vtp.part7\na.vtp\n");
  finishWriting(dir / "a.vtu");
  EXPECT_EQ(textAt(dir / "a.vtu"), "new a");
  EXPECT_EQ(textAt(dir / "a.vtp"), "new b");
  EXPECT_EQ(entries(dir / ""), 2u) << "nothing else is left";
}

TEST(Files, listOfRenamesNeverLeadsOutOfItsFolder) {
  TempFolder dir;
  fs::create_directory(dir / "in");
  dir.write("victim", "old");
  dir.write("in/x", "new");
  dir.write("in/a.vtu.commit", "x\n../victim\n");
  finishWriting(dir / "in/a.vtu");
  EXPECT_EQ(textAt(dir / "victim"), "old");
}

TEST(Files, severalFilesThatCannotAllBeWrittenLeaveTheOldOnes) {
  TempFolder dir;
  dir.write("a", "old a");
  fs::create_directory(dir / "b"); // no file can take this place
  auto p = writeFilesTogether({{dir / "a", "new a"}, {dir / "b", "new b"}});
  ASSERT_TRUE(p.has_value());
  EXPECT_EQ(p->code, "file.unwritable");
  EXPECT_EQ(textAt(dir / "a"), "old a");
  EXPECT_EQ(entries(dir / ""), 2u);
  EXPECT_FALSE(writeFilesTogether({{dir / "a", "new a"}, {dir / "c", "new c"}}).has_value());
  EXPECT_EQ(textAt(dir / "a"), "new a");
  EXPECT_EQ(textAt(dir / "c"), "new c");
  EXPECT_EQ(entries(dir / ""), 3u);
}

TEST(Files, folderIsReplacedAsAWholeAndKeepsWhatIsTheUsers) {
  for (auto swap : {FolderSwap::Exchange, FolderSwap::TwoSteps}) {
    TempFolder dir;
    fs::create_directories(dir / "f/more/deep");
    dir.write("f/points", "old");
    dir.write("f/gone", "old");
    dir.write("f/notes", "mine");
    dir.write("f/more/deep/x", "mine too");
    fs::create_symlink("nowhere", dir / "f/more/link");
    auto p = replaceFolder(dir / "f", {{"points", "new"}, {"faces", "new"}}, keepNotes, swap);
    ASSERT_FALSE(p.has_value()) << p->sentence();
    EXPECT_EQ(textAt(dir / "f/points"), "new");
    EXPECT_EQ(textAt(dir / "f/faces"), "new");
    EXPECT_EQ(textAt(dir / "f/notes"), "mine");
    EXPECT_EQ(textAt(dir / "f/more/deep/x"), "mine too");
    EXPECT_TRUE(fs::is_symlink(dir / "f/more/link"));
    EXPECT_FALSE(fs::exists(dir / "f/gone"));
    EXPECT_EQ(entries(dir / ""), 1u) << "neither the old one nor parts of the new are left";
  }
}

TEST(Files, folderBehindALinkIsReplacedWhereItLies) {
  TempFolder dir;
  fs::create_directories(dir / "real");
  dir.write("real/points", "old");
  fs::create_directory_symlink("real", dir / "f");
  ASSERT_FALSE(replaceFolder(dir / "f", {{"points", "new"}}, keepNotes).has_value());
  EXPECT_TRUE(fs::is_symlink(dir / "f"));
  EXPECT_EQ(textAt(dir / "real/points"), "new");
}

TEST(Files, folderLeftBetweenTwoStepsIsBroughtBack) {
  TempFolder dir;
  fs::create_directories(dir / "f.tesselite-before");
  dir.write("f.tesselite-before/points", "old");
  restoreFolder(dir / "f");
  EXPECT_EQ(textAt(dir / "f/points"), "old");
  fs::create_directories(dir / "f.tesselite-before"); // ended after the second step: the new one holds
  restoreFolder(dir / "f");
  EXPECT_EQ(textAt(dir / "f/points"), "old");
}

TEST(Files, folderThatCannotBeWrittenStaysAsItWas) {
  TempFolder dir;
  fs::create_directories(dir / "f");
  dir.write("f/points", "old");
  auto p = replaceFolder(dir / "f", {{"points", "new"}, {"no/such/folder", "x"}}, keepNotes);
  ASSERT_TRUE(p.has_value());
  EXPECT_EQ(p->code, "file.unwritable");
  EXPECT_EQ(textAt(dir / "f/points"), "old");
  EXPECT_EQ(entries(dir / ""), 1u);
  dir.write("file", "x");
  EXPECT_TRUE(replaceFolder(dir / "file", {{"points", "new"}}, keepNotes).has_value());
  EXPECT_EQ(textAt(dir / "file"), "x");
}

TEST(Files, whatADeadProcessLeftLongAgoIsCleared) {
  TempFolder dir;
  const auto long_ago = fs::file_time_type::clock::now() - std::chrono::hours(1);
  dir.write("a.part4194304", "rest"); // above the largest number of a process
  fs::last_write_time(dir / "a.part4194304", long_ago);
  dir.write("a.part4194305", "fresh: somebody on another machine may be at it");
  dir.write("a.part" + std::to_string(::getppid()), "alive");
  fs::last_write_time(dir / ("a.part" + std::to_string(::getppid())), long_ago);
  dir.write("a.parting", "mine");
  fs::last_write_time(dir / "a.parting", long_ago);
  ASSERT_FALSE(writeFileAtomic(dir / "a", "new").has_value());
  EXPECT_FALSE(fs::exists(dir / "a.part4194304"));
  EXPECT_TRUE(fs::exists(dir / "a.part4194305"));
  EXPECT_TRUE(fs::exists(dir / ("a.part" + std::to_string(::getppid()))));
  EXPECT_TRUE(fs::exists(dir / "a.parting"));
}

TEST(Files, checksumTellsOrderAndBorders) {
  auto of = [](std::vector<std::string> words) {
    Checksum sum;
    for (const auto& w : words) sum.add(w);
    return sum.hex();
  };
  EXPECT_EQ(of({"ab", "c"}), of({"ab", "c"}));
  EXPECT_NE(of({"ab", "c"}), of({"a", "bc"}));
  EXPECT_NE(of({"ab", "c"}), of({"c", "ab"}));
  EXPECT_EQ(of({}).size(), 32u);
}
