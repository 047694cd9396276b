// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/checksum.h"
#include <fmt/format.h>
#include <new>
#include <xxhash.h>

namespace tess {
struct Checksum::State {
  XXH3_state_t* xxh = XXH3_createState();
  ~State() { XXH3_freeState(xxh); }
};

Checksum::Checksum() : m_state(std::make_unique<State>()) {
  if (!m_state->xxh) throw std::bad_alloc();
  XXH3_128bits_reset(m_state->xxh);
}
Checksum::~Checksum() = default;

void Checksum::add(const void* bytes, std::size_t count) {
  if (count) XXH3_128bits_update(m_state->xxh, bytes, count);
}
void Checksum::add(std::string_view text) {
  add(text.size());
  add(text.data(), text.size());
}
std::string Checksum::hex() const {
  const XXH128_hash_t h = XXH3_128bits_digest(m_state->xxh);
  return fmt::format("{:016x}{:016x}", h.high64, h.low64);
}
} // namespace tess
