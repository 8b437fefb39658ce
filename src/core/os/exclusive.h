// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/base/path_bytes.h"
#include "core/base/result.h"

namespace zt {

/// Keeps every other program that asks out for as long as what it gives lives: a lock on a file of our own,
/// which is made if need be and stays. Fails with busy where somebody has it. Any thread.
Result<std::shared_ptr<void>> takeLock(const PathBytes& file);

}  // namespace zt
