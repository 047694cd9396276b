// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/file.h"
#include <cerrno>
#include <charconv>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <sys/stat.h>
#include <unistd.h>
#include <zlib.h>

namespace tess {
namespace {
namespace fs = std::filesystem;

constexpr const char* kAside = ".tesselite-before"; ///< the old folder between the two steps
constexpr const char* kPart = ".part";              ///< followed by the number of the writing process

Problem unwritable(const std::string& what, const fs::path& where, const std::string& why) {
  Problem p;
  p.fault = Fault::Output;
  p.code = "file.unwritable";
  p.what = what;
  p.where = where.string();
  p.why = why;
  p.todo = "check the folder, its rights and the free space; nothing was changed";
  return p;
}

std::string partOf(const std::string& path) { return path + kPart + std::to_string(::getpid()); }

/// Writes and flushes; the reason where it fails, and nothing is left then.
std::string put(const std::string& path, const std::string& content) {
  FILE* f = std::fopen(path.c_str(), "wb");
  if (!f) return std::strerror(errno);
  bool ok = std::fwrite(content.data(), 1, content.size(), f) == content.size() && std::fflush(f) == 0 &&
            ::fsync(::fileno(f)) == 0;
  std::string why = ok ? "" : std::strerror(errno);
  if (std::fclose(f) != 0 && ok) {
    ok = false;
    why = std::strerror(errno);
  }
  if (!ok) std::remove(path.c_str());
  return why;
}

/// A rename lasts only once its folder is on the disk. File systems that cannot do this lose nothing by it.
void flushFolder(const fs::path& folder) {
  const int f = ::open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  if (f < 0) return;
  ::fsync(f);
  ::close(f);
}

/// Removes what processes that are gone left beside `target`. Numbers of processes say nothing about other machines
/// that share the folder, so what somebody wrote to lately stays.
void clearRemains(const fs::path& target) {
  const std::string begin = target.filename().string() + kPart;
  std::error_code ec;
  std::vector<fs::path> gone;
  for (fs::directory_iterator i(target.has_parent_path() ? target.parent_path() : ".", ec), end; !ec && i != end;
       i.increment(ec)) {
    const std::string name = i->path().filename().string();
    if (name.rfind(begin, 0) != 0) continue;
    pid_t pid = 0;
    const char* last = name.data() + name.size();
    const auto [at, error] = std::from_chars(name.data() + begin.size(), last, pid);
    if (error != std::errc() || at != last || pid <= 0) continue;
    std::error_code none;
    const auto age = fs::file_time_type::clock::now() - fs::last_write_time(i->path(), none);
    if (!none && age > std::chrono::minutes(10) && ::kill(pid, 0) != 0 && errno == ESRCH) gone.push_back(i->path());
  }
  for (const auto& p : gone) fs::remove_all(p, ec);
}

std::string commitOf(const std::string& first) { return first + ".commit"; }

bool exchange(const fs::path& a, const fs::path& b) {
  return ::renameat2(AT_FDCWD, a.c_str(), AT_FDCWD, b.c_str(), RENAME_EXCHANGE) == 0;
}

} // namespace

std::optional<Problem> writeFileAtomic(const std::string& path, const std::string& content) {
  const char* what = "the file could not be written";
  const std::string temp = partOf(path);
  clearRemains(path);
  if (const auto why = put(temp, content); !why.empty()) return unwritable(what, path, why);
  std::error_code ec;
  fs::rename(temp, path, ec);
  if (ec) {
    std::remove(temp.c_str());
    return unwritable(what, path, ec.message());
  }
  flushFolder(fs::path(path).parent_path());
  return {};
}

std::optional<Problem> writeFilesTogether(const std::vector<FileContent>& files) {
  if (files.empty()) return {};
  const std::string& first = files[0].path;
  finishWriting(first);
  std::string list;
  auto giveUp = [&](const std::string& path, const std::string& why) {
    for (const auto& f : files) std::remove(partOf(f.path).c_str());
    return unwritable("the file could not be written", path, why);
  };
  for (const auto& f : files) {
    clearRemains(f.path);
    std::error_code ec;
    if (fs::is_directory(f.path, ec)) return giveUp(f.path, "a folder of this name is in the way");
    if (const auto why = put(partOf(f.path), f.content); !why.empty()) return giveUp(f.path, why);
    list += fs::path(partOf(f.path)).filename().string() + "\n" + fs::path(f.path).filename().string() + "\n";
  }
  if (auto p = writeFileAtomic(commitOf(first), list)) return giveUp(first, p->why);
  finishWriting(first);
  // The list stays where a rename failed, for whoever comes next.
  if (std::error_code ec; fs::exists(commitOf(first), ec)) {
    Problem p = unwritable("the files were written but could not take their places", first,
                           "a file beside them could not be renamed");
    p.todo = "check the folder's rights and read the mesh again; that finishes it";
    return p;
  }
  return {};
}

void finishWriting(const std::string& first) {
  std::ifstream in(commitOf(first));
  if (!in) return;
  const fs::path folder = fs::path(first).parent_path();
  std::string temp, target;
  bool done = true;
  while (std::getline(in, temp) && std::getline(in, target)) {
    // A name of the list, whoever wrote it, never leads out of the folder.
    if (fs::path(temp).filename() != temp || fs::path(target).filename() != target) continue;
    std::error_code ec;
    if (!fs::exists(folder / temp, ec)) continue; // took its place already
    fs::rename(folder / temp, folder / target, ec);
    done = done && !ec;
  }
  flushFolder(folder);
  if (done) std::remove(commitOf(first).c_str());
  flushFolder(folder);
}

std::optional<Problem> replaceFolder(const std::string& folder, const std::vector<FileContent>& files,
                                     const std::function<bool(const std::string&)>& keep, FolderSwap swap) {
  const char* what = "the folder could not be written";
  restoreFolder(folder);
  std::error_code ec;
  fs::path target = fs::path(folder).lexically_normal();
  if (!target.has_filename()) target = target.parent_path();
  if (fs::exists(target, ec)) target = fs::canonical(target, ec);
  if (!ec && fs::exists(target, ec) && !fs::is_directory(target, ec))
    return unwritable(what, folder, "a file of this name is in the way");
  const fs::path stage = partOf(target.string()), aside = target.string() + kAside;
  auto giveUp = [&](const fs::path& where, const std::string& why) {
    std::error_code none;
    fs::remove_all(stage, none);
    return unwritable(what, where, why);
  };
  clearRemains(target);
  fs::remove_all(stage, ec);
  fs::create_directories(stage, ec);
  if (ec) return giveUp(folder, ec.message());
  for (const auto& f : files)
    if (const auto why = put((stage / f.path).string(), f.content); !why.empty()) return giveUp(target / f.path, why);
  const bool old = fs::is_directory(target, ec);
  if (old) {
    for (const auto& entry : fs::directory_iterator(target, ec)) {
      const fs::path to = stage / entry.path().filename();
      if (!keep(entry.path().filename().string()) || fs::exists(fs::symlink_status(to))) continue;
      constexpr auto plain = fs::copy_options::recursive | fs::copy_options::copy_symlinks;
      fs::copy(entry.path(), to, plain | fs::copy_options::create_hard_links, ec);
      if (!ec) continue;
      std::error_code none;
      fs::remove_all(to, none);
      fs::copy(entry.path(), to, plain, ec);
      if (ec) return giveUp(entry.path(), ec.message());
    }
    if (ec) return giveUp(target, ec.message());
    fs::permissions(stage, fs::status(target, ec).permissions(), ec);
  }
  flushFolder(stage);
  if (!old) {
    fs::rename(stage, target, ec);
    if (ec) return giveUp(target, ec.message());
  } else if (swap == FolderSwap::TwoSteps || !exchange(stage, target)) {
    fs::remove_all(aside, ec);
    fs::rename(target, aside, ec);
    if (ec) return giveUp(target, ec.message());
    fs::rename(stage, target, ec);
    if (ec) {
      const std::string why = ec.message();
      fs::rename(aside, target, ec);
      return giveUp(target, why);
    }
  }
  flushFolder(target.parent_path());
  fs::remove_all(stage, ec);
  fs::remove_all(aside, ec);
  return {};
}

void restoreFolder(const std::string& folder) {
  fs::path target = fs::path(folder).lexically_normal();
  if (!target.has_filename()) target = target.parent_path();
  std::error_code ec;
  if (fs::is_symlink(target, ec)) {
    target = target.parent_path() / fs::read_symlink(target, ec);
    if (ec) return;
  }
  const fs::path aside = target.string() + kAside;
  if (fs::exists(target, ec) || !fs::is_directory(aside, ec)) return;
  fs::rename(aside, target, ec);
  flushFolder(target.parent_path());
}

Result<std::string> readFile(const std::string& path) {
  Problem p;
  p.code = "file.missing";
  p.what = "the file cannot be opened";
  p.where = path;
  p.todo = "check the path";
  std::ifstream in(path, std::ios::binary);
  if (!in) {
    p.why = std::strerror(errno);
    if (errno == EACCES) {
      p.code = "file.forbidden";
      p.what = "the file may not be read";
      p.todo = "give yourself the right to read it, or copy it to where you have it";
    }
    return p;
  }
  std::error_code ec;
  if (fs::is_directory(path, ec)) {
    p.why = "it is a folder";
    return p;
  }
  std::ostringstream s;
  s << in.rdbuf();
  return s.str();
}

Result<std::string> readPacked(const std::string& path) {
  auto packed = readFile(path); // its errors are told as of any file
  if (!packed) return packed.problem();
  Problem p;
  p.code = "file.packed";
  p.what = "the packed file cannot be read";
  p.where = path;
  p.todo = "unpack it by itself, or write it again";
  const std::size_t most = 300 * packed->size() + (std::size_t{64} << 20);
  std::string text;
  gzFile file = gzopen(path.c_str(), "rb");
  if (!file) {
    p.why = std::strerror(errno);
    return p;
  }
  gzbuffer(file, 1 << 18);
  std::vector<char> piece(1 << 18);
  int got = 0;
  while ((got = gzread(file, piece.data(), static_cast<unsigned>(piece.size()))) > 0 && text.size() <= most)
    text.append(piece.data(), static_cast<std::size_t>(got));
  int fault = Z_OK;
  const std::string why = gzerror(file, &fault);
  const int closed = gzclose(file); // tells of an end that came too early
  if (text.size() > most)
    p.why = "it unpacks to more than 300 times its size";
  else if (got < 0 || closed != Z_OK)
    p.why = got < 0 && !why.empty() ? why : "it is damaged or cut short";
  else
    return text;
  return p;
}

} // namespace tess
