// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace zt::test {

/// So many, or under a sanitizer, where each takes long, a twentieth of them.
constexpr int crowd(int many) {
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
  return many / 20;
#else
  return many;
#endif
}

}  // namespace zt::test
