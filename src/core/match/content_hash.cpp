// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/match/content_hash.h"

#ifdef __x86_64__
#include <xxh_x86dispatch.h>  // the same functions, by what the processor can do
#else
#include <xxhash.h>
#endif

#include <new>

namespace zt {

namespace {

class Xxh3 final : public ContentHash {
public:
  Xxh3() : state_(XXH3_createState()) {
    if (!state_) throw std::bad_alloc();
    XXH3_128bits_reset(state_.get());
  }
  void add(std::span<const char> bytes) override {
    XXH3_128bits_update(state_.get(), bytes.data(), bytes.size());
  }
  Digest finish() override {
    const XXH128_hash_t hash = XXH3_128bits_digest(state_.get());
    XXH3_128bits_reset(state_.get());
    return {hash.high64, hash.low64};
  }

private:
  struct Free {
    void operator()(XXH3_state_t* state) const { XXH3_freeState(state); }
  };
  std::unique_ptr<XXH3_state_t, Free> state_;
};

}  // namespace

std::unique_ptr<ContentHash> xxh3Hash() {
  return std::make_unique<Xxh3>();
}

}  // namespace zt
