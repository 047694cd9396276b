// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/file.h"
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <unistd.h>

namespace tess {

std::optional<Problem> writeFileAtomic(const std::string& path, const std::string& content) {
  auto fail = [&](const std::string& why) {
    Problem p;
    p.fault = Fault::Output;
    p.code = "file.unwritable";
    p.what = "the file could not be written";
    p.where = path;
    p.why = why;
    p.todo = "check the folder, its rights and the free space; nothing was changed";
    return p;
  };
  std::string temp = path + ".part" + std::to_string(::getpid());
  FILE* f = std::fopen(temp.c_str(), "wb");
  if (!f) return fail(std::strerror(errno));
  bool ok = std::fwrite(content.data(), 1, content.size(), f) == content.size() && std::fflush(f) == 0 &&
            ::fsync(::fileno(f)) == 0;
  std::string why = ok ? "" : std::strerror(errno);
  ok = std::fclose(f) == 0 && ok;
  if (!ok) {
    std::remove(temp.c_str());
    return fail(why.empty() ? std::strerror(errno) : why);
  }
  std::error_code ec;
  std::filesystem::rename(temp, path, ec);
  if (ec) {
    std::remove(temp.c_str());
    return fail(ec.message());
  }
  return {};
}

Result<std::string> readFile(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  if (!in) {
    Problem p;
    p.code = "file.missing";
    p.what = "the file cannot be opened";
    p.where = path;
    p.why = std::strerror(errno);
    p.todo = "check the path";
    return p;
  }
  std::ostringstream s;
  s << in.rdbuf();
  return s.str();
}

} // namespace tess
