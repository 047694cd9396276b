// SPDX-License-Identifier: GPL-3.0-or-later
// Room for plain values that are written before they are read: growing a vector does not touch it, so that its pages
// come from the system in the thread that uses them, and only those that are used.
#pragma once
#include <memory>
#include <type_traits>
#include <vector>

namespace tess {

template <class T> struct LeaveUnset : std::allocator<T> {
  static_assert(std::is_trivially_default_constructible_v<T> && std::is_trivially_destructible_v<T>);
  template <class U> struct rebind { using other = LeaveUnset<U>; };
  LeaveUnset() = default;
  template <class U> LeaveUnset(const LeaveUnset<U>&) {}
  template <class U> void construct(U* at) { ::new (static_cast<void*>(at)) U; }
  template <class U, class First, class... Rest> void construct(U* at, First&& first, Rest&&... rest) {
    ::new (static_cast<void*>(at)) U{std::forward<First>(first), std::forward<Rest>(rest)...};
  }
};

/// As std::vector, but resize(n) leaves new elements unset.
template <class T> using UnsetVector = std::vector<T, LeaveUnset<T>>;

} // namespace tess
