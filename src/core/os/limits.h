// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>

namespace zt {

/// Raises this process's limit of open files as far as it may, up to 65,536; gives the limit now in force.
/// Any thread.
std::size_t raiseOpenFileLimit();

}  // namespace zt
