// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/base/result.h"

namespace zt::test {

/// Why something failed; nothing where it did not. Asking a success for its error gives whatever lies there.
template <class T>
std::optional<Errc> codeOf(const Result<T>& result) {
  return result ? std::nullopt : std::optional(result.error().code);
}

}  // namespace zt::test
