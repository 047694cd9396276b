// SPDX-License-Identifier: GPL-3.0-or-later
// A checksum of 128 bits (XXH3) over whatever is added, in that order. It tells damage and difference, not forgery.
#pragma once
#include <memory>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>

namespace tess {
class Checksum {
public:
  Checksum();
  ~Checksum();
  Checksum(const Checksum&) = delete;
  Checksum& operator=(const Checksum&) = delete;
  void add(const void* bytes, std::size_t count);
  /// With its length, so that what stands beside it cannot run into it.
  void add(std::string_view text);
  template <class T>
  requires std::is_arithmetic_v<T> || std::is_enum_v<T>
  void add(T value) { add(&value, sizeof value); }
  template <class T> void add(const std::vector<T>& list) {
    static_assert(std::is_trivially_copyable_v<T>);
    add(list.size());
    add(list.data(), list.size() * sizeof(T));
  }
  /// 32 digits.
  std::string hex() const;

private:
  struct State;
  std::unique_ptr<State> m_state;
};
} // namespace tess
