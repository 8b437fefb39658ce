// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/token.h"

#include <xxhash.h>

#include <cstdio>

namespace zt {

std::string tokenOf(std::string_view text) {
  const XXH128_hash_t hash = XXH3_128bits(text.data(), text.size());
  char digits[40];
  std::snprintf(digits, sizeof digits, "%016llx%016llx", static_cast<unsigned long long>(hash.high64),
                static_cast<unsigned long long>(hash.low64));
  return digits;
}

}  // namespace zt
