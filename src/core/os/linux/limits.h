// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>

namespace zt {

/// Raises this process's limit of open files as far as it may, up to 65,536; gives the limit now in force.
/// Any thread.
std::size_t raiseOpenFileLimit();

/// Has large blocks of memory taken from the system one by one, so that they go back to it when they are let
/// go. Call it first thing in `main`.
void keepLargeBlocksApart();

}  // namespace zt
